import { clockPinsOf } from "./clocked-cells.ts";
import { type Bits, bitName, firstNet, type RtlCell, type RtlNetlist, type RtlPort } from "./rtl.ts";

/** What pin files change of a circuit before it is built. */
export interface PortShape {
  /** Ports, by name, that are kept off the pads. */
  readonly inside: readonly string[];
  /** Port bits with what their registers start with, where the source leaves it open. */
  readonly initial: readonly (readonly [bit: string, value: "0" | "1"])[];
}

export const asWritten: PortShape = { inside: [], initial: [] };

/** Port of a bit. */
export const portOf = (bit: string) => bit.replace(/\[-?\d+\]$/, "");

/** Register bit at a port: the one that takes its pin, or that drives it. [cell, bit] by port bit. */
export function portRegisters(netlist: RtlNetlist): Map<string, readonly [cell: number, bit: number]> {
  const byInput = new Map<number, readonly [number, number]>();
  const byOutput = new Map<number, readonly [number, number]>();
  netlist.cells.forEach(({ kind, inputs, output }, cell) => {
    if (kind !== "ff") return;
    output.forEach((net, bit) => {
      byOutput.set(net, [cell, bit]);
      byInput.set(inputs[0][bit], [cell, bit]);
    });
  });
  const found = new Map<string, readonly [number, number]>();
  for (const port of netlist.ports)
    port.bits.forEach((net, i) => {
      const register = (port.direction === "input" ? byInput : byOutput).get(net);
      // of a port that goes both ways, what drives it is what the board sees
      if (register && net >= firstNet) found.set(bitName(port, i), register);
    });
  return found;
}

/** What a register bit starts with, as written. */
export function initialOf({ modes }: RtlCell, bit: number): "0" | "1" | "x" {
  const { init } = modes!;
  return init[init.length - 1 - bit] as "0" | "1" | "x";
}

/**
 * The circuit as the pin files shape it: registers at ports start as they say, and ports that are kept inside end in a
 * register instead of a pad, so that the paths to them are still paths of a clock. The register has the clock of most
 * registers that the port reaches, or else of most in the circuit; of an input, it holds what it starts with.
 * @returns The same netlist if there is nothing to do.
 */
export function shapePorts(netlist: RtlNetlist, shape: PortShape): RtlNetlist {
  if (shape.inside.length === 0 && shape.initial.length === 0) return netlist;
  return withStandIns(withInitial(netlist, shape.initial), new Set(shape.inside));
}

function withInitial(netlist: RtlNetlist, initial: PortShape["initial"]): RtlNetlist {
  if (initial.length === 0) return netlist;
  const registers = portRegisters(netlist);
  const cells = [...netlist.cells];
  for (const [bit, value] of initial) {
    const register = registers.get(bit);
    if (!register) continue;
    const [at, own] = register;
    const cell = cells[at];
    if (initialOf(cell, own) !== "x") continue;
    const init = [...cell.modes!.init];
    init[init.length - 1 - own] = value;
    cells[at] = { ...cell, modes: { ...cell.modes!, init: init.join("") } };
  }
  return { ...netlist, cells };
}

/** A clock net and the edge that counts. */
interface ClockEdge {
  readonly net: number;
  readonly rising: boolean;
}

function withStandIns(netlist: RtlNetlist, inside: ReadonlySet<string>): RtlNetlist {
  if (inside.size === 0) return netlist;
  const clocks = new ClockSearch(netlist);
  const cells = [...netlist.cells];
  const signals = [...netlist.signals];
  const attributes = [...netlist.attributes];
  const names = new Set([...signals, ...cells].map(({ name }) => name));
  let { netCount } = netlist;
  const standIn = (port: RtlPort, suffix: string, d: Bits | null, clock: ClockEdge) => {
    let name = `${port.name}${suffix}`;
    while (names.has(name)) name += "_";
    names.add(name);
    // an input's register drives the port's own net; an output's drives nothing, and is kept
    const q = d ? d.map(() => netCount++) : port.bits;
    const init = "0".repeat(q.length);
    cells.push({
      kind: "ff",
      name,
      inputs: [d ?? q, [clock.net], [], []],
      output: q,
      signed: false,
      modes: { clockRising: clock.rising, asyncReset: false, resetValue: "x".repeat(q.length), init },
    });
    signals.push({ name, bits: q, msb: q.length - 1, lsb: 0 });
    attributes.push({ name, isScope: false, values: { keep: true, separate: true, retime: false } });
  };
  const ports = netlist.ports.filter((port) => {
    if (!inside.has(port.name)) return true;
    const clock = clocks.of(port);
    if (!clock) return true;
    if (port.direction === "input") standIn(port, "_inside", null, clock);
    else {
      standIn(port, "_inside", port.bits, clock);
      if (port.enable) standIn(port, "_driven_inside", port.enable, clock);
    }
    return false;
  });
  return { ...netlist, netCount, cells, ports, signals, attributes };
}

/** Finds with which clock a register at a port goes. */
class ClockSearch {
  private readonly readers = new Map<number, number[]>();
  private readonly drivers = new Map<number, number>();
  private most: ClockEdge | null | undefined;

  constructor(private readonly netlist: RtlNetlist) {
    netlist.cells.forEach(({ inputs, output }, cell) => {
      for (const net of output) this.drivers.set(net, cell);
      for (const input of inputs)
        for (const net of input) {
          const known = this.readers.get(net);
          if (known) known.push(cell);
          else this.readers.set(net, [cell]);
        }
    });
  }

  /** null in a circuit without a clock. */
  of(port: Pick<RtlPort, "direction" | "bits" | "enable">): ClockEdge | null {
    return mostOf(this.reached(port)) ?? this.mostInAll();
  }

  private mostInAll(): ClockEdge | null {
    if (this.most === undefined) this.most = mostOf(this.netlist.cells.flatMap(clockPinsOf));
    return this.most;
  }

  /** Clocks of the first clocked cells behind an input, or before an output. */
  private reached({ direction, bits, enable }: Pick<RtlPort, "direction" | "bits" | "enable">): ClockEdge[] {
    const found: ClockEdge[] = [];
    const seen = new Set<number>();
    const forwards = direction === "input";
    const work = [...bits, ...(enable ?? [])];
    for (let net = work.pop(); net !== undefined; net = work.pop()) {
      const driver = this.drivers.get(net);
      const next = forwards ? (this.readers.get(net) ?? []) : driver === undefined ? [] : [driver];
      for (const cell of next) {
        if (seen.has(cell)) continue;
        seen.add(cell);
        const clocks = clockPinsOf(this.netlist.cells[cell]);
        if (clocks.length) found.push(...clocks);
        else {
          const { inputs, output } = this.netlist.cells[cell];
          work.push(...(forwards ? output : inputs.flat()));
        }
      }
    }
    return found;
  }
}

/** The one that stands most often in a list; null for an empty one. */
function mostOf(clocks: readonly ClockEdge[]): ClockEdge | null {
  const counts = new Map<string, { clock: ClockEdge; count: number }>();
  for (const clock of clocks) {
    const key = `${clock.net} ${clock.rising}`;
    const known = counts.get(key) ?? { clock, count: 0 };
    known.count++;
    counts.set(key, known);
  }
  let best: { clock: ClockEdge; count: number } | null = null;
  for (const each of counts.values()) if (!best || each.count > best.count) best = each;
  return best?.clock ?? null;
}
