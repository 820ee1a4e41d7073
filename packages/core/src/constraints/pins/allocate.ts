import type { PackagePin } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import { portOf } from "../../netlist/port-shape.ts";
import type { PortLink } from "../port-links.ts";
import type { BoardTies } from "./board-rules.ts";
import { type PlacedLines, plainStandard } from "./lines.ts";
import { defaultPinOptions, type PinNeed, type PlannedPin } from "./model.ts";

/** Supply of a bank that no line sets. */
const openBankVolts = 3.3;

/**
 * Gives ports without a line legal pins: clocks first, to clock pins; then port by port, those first that talk most to what
 * has a pin, each in a stretch of pins as near to what it talks to as there is one. Wires of the board, and pins to the
 * flash, come last.
 * @param avoided Pins that nothing can lie at: the second ones of pairs, reference pins in use.
 * @returns Pins, and the port bits for which there was none.
 */
export function allocatePins(
  open: readonly PinNeed[],
  { byPin, banks, placed }: PlacedLines,
  part: Part,
  ties: BoardTies | null,
  avoided: ReadonlySet<string>,
  links: readonly PortLink[],
): { pins: PlannedPin[]; missing: string[] } {
  const standardOf = (bank: number) => plainStandard(part, banks.get(bank)?.volts ?? openBankVolts)?.name;
  const taken = new Set([...byPin.keys(), ...avoided]);
  const isFree = (pin: PackagePin) => !taken.has(pin.name) && standardOf(pin.bank) !== undefined;
  const pins: PlannedPin[] = [];
  const places = new Places(part, links);
  for (const { need, pin } of placed) places.put(portOf(need.bitName), pin);
  const give = (need: PinNeed, pin: PackagePin) => {
    taken.add(pin.name);
    places.put(portOf(need.bitName), pin);
    pins.push({
      port: need.bitName,
      pin: pin.name,
      ...defaultPinOptions,
      pull: need.pull ?? defaultPinOptions.pull,
      standard: standardOf(pin.bank)!,
      automatic: true,
    });
  };
  // banks that a line of the file has set to another voltage come last, with a standard of that voltage
  const isPlainBank = (pin: PackagePin) => standardOf(pin.bank) === "LVCMOS33";
  const isOwn = (pin: PackagePin) => !pin.special && !ties?.signalAt.has(pin.name);
  /** Kinds of pins, the best first. Never a wire that the board drives itself for what drives it too. */
  const kinds = (need: PinNeed): ((pin: PackagePin) => boolean)[] => [
    (pin) => isOwn(pin) && pin.isClock === need.isClock && isPlainBank(pin),
    (pin) => isOwn(pin) && pin.isClock === need.isClock,
    isOwn,
    (pin) => !ties?.signalAt.has(pin.name),
    (pin) => need.direction === "input" || ties?.signalAt.get(pin.name)?.direction !== "input",
  ];
  const missing: string[] = [];
  const giveAll = (bits: readonly PinNeed[]) => {
    const target = places.target(portOf(bits[0].bitName));
    const left = [...bits];
    for (const kind of kinds(bits[0])) {
      const free = part.pins.filter((pin) => isFree(pin) && kind(pin));
      for (const pin of places.stretch(free, left.length, target)) give(left.shift()!, pin);
      if (left.length === 0) return;
    }
    missing.push(...left.map(({ bitName }) => bitName));
  };
  for (const need of open) if (need.isClock) giveAll([need]);
  const ports = new Map<string, PinNeed[]>();
  for (const need of open) {
    if (need.isClock) continue;
    const port = portOf(need.bitName);
    const bits = ports.get(port);
    if (bits) bits.push(need);
    else ports.set(port, [need]);
  }
  while (ports.size) {
    const port = places.nextOf([...ports.keys()]);
    giveAll(ports.get(port)!);
    ports.delete(port);
  }
  return { pins, missing };
}

interface Point {
  readonly x: number;
  readonly y: number;
}

/** Where ports lie on the die, and what pulls others there. */
class Places {
  private readonly points = new Map<string, Point[]>();
  private readonly partners = new Map<string, { readonly port: string; readonly weight: number }[]>();

  constructor(
    private readonly part: Part,
    links: readonly PortLink[],
  ) {
    for (const { ports, weight } of links)
      for (const [own, other] of [ports, [ports[1], ports[0]]] as const) {
        const list = this.partners.get(own) ?? [];
        list.push({ port: other, weight });
        this.partners.set(own, list);
      }
  }

  put(port: string, pin: PackagePin): void {
    const list = this.points.get(port) ?? [];
    list.push(this.pointOf(pin));
    this.points.set(port, list);
  }

  /** Middle of what a port talks to, by weight; null where nothing of it has a pin. */
  target(port: string): Point | null {
    let [x, y, sum] = [0, 0, 0];
    for (const { port: other, weight } of this.partners.get(port) ?? [])
      for (const point of this.points.get(other) ?? []) {
        x += point.x * weight;
        y += point.y * weight;
        sum += weight;
      }
    return sum > 0 ? { x: x / sum, y: y / sum } : null;
  }

  /** The port that talks most to what has a pin; the first of several, and where none does. */
  nextOf(ports: readonly string[]): string {
    let best = ports[0];
    let most = 0;
    for (const port of ports) {
      let pull = 0;
      for (const { port: other, weight } of this.partners.get(port) ?? []) if (this.points.has(other)) pull += weight;
      if (pull > most) {
        best = port;
        most = pull;
      }
    }
    return best;
  }

  /** So many free pins, or all: those that follow each other round the part, as near to a point as there is a stretch. */
  stretch(free: readonly PackagePin[], count: number, target: Point | null): readonly PackagePin[] {
    if (free.length <= count) return free;
    if (!target) return free.slice(0, count);
    let best = 0;
    let least = Infinity;
    const points = free.map((pin) => this.pointOf(pin));
    // (a root is many times faster than Math.hypot)
    const distances = Float64Array.from(points, ({ x, y }) => Math.sqrt((x - target.x) ** 2 + (y - target.y) ** 2));
    for (let from = 0; from + count <= free.length; from++) {
      let sum = 0;
      for (let i = from; i < from + count && sum < least; i++) sum += distances[i];
      // what is spread out is worse than what lies together
      const [first, last] = [points[from], points[from + count - 1]];
      sum += Math.sqrt((first.x - last.x) ** 2 + (first.y - last.y) ** 2);
      if (sum < least) {
        best = from;
        least = sum;
      }
    }
    return free.slice(best, best + count);
  }

  private pointOf({ pad }: PackagePin): Point {
    let point = this.known.get(pad);
    if (!point) {
      const { fabric } = this.part;
      const { tile, index } = fabric.pads[pad];
      point = { x: fabric.tileX(tile) + 0.4 * index, y: fabric.tileY(tile) };
      this.known.set(pad, point);
    }
    return point;
  }
  private readonly known = new Map<number, Point>();
}
