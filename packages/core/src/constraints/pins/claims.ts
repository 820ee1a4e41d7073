import type { BoardSignal, BoardSignalKind } from "../../device/boards.ts";
import type { PinDirection } from "../../netlist/mapped.ts";
import type { PinNeed } from "./model.ts";
import { portsOf } from "./ports.ts";

/**
 * Claims tie ports of a design to named signals of its board, in one act for a whole bus. A port is a name with its bits, as
 * the top module declares them.
 */
export interface ClaimPort {
  readonly name: string;
  readonly direction: PinDirection;
  readonly isClock: boolean;
  /** Bits by their index, rising; a port alone has the bit that is its name. */
  readonly bits: readonly { readonly name: string; readonly index: number }[];
}

/** A bus of a board. */
export interface BoardBus {
  readonly name: string;
  readonly kind: BoardSignalKind;
  readonly direction: "input" | "output";
  readonly signals: readonly BoardSignal[];
}
export interface Claim {
  readonly port: ClaimPort;
  readonly bus: BoardBus;
  /** First signal of the bus that is taken. */
  readonly from: number;
  /** How well they go together, up to 1. */
  readonly score: number;
  /** Why, in words. */
  readonly why: string;
}

/** Ports of the top module, each with its bits. Those of serial lanes have pins of their own. */
export function claimPorts(needs: readonly PinNeed[]): ClaimPort[] {
  return portsOf(needs.filter(({ serial }) => !serial)).map(({ name, bits }) => ({
    name,
    direction: bits[0].need.direction,
    isClock: bits.some(({ need }) => need.isClock),
    bits: bits.map(({ need, index }) => ({ name: need.bitName, index: index ?? 0 })),
  }));
}

export function boardBuses(signals: readonly BoardSignal[]): BoardBus[] {
  const buses = new Map<string, BoardSignal[]>();
  for (const signal of signals) {
    const list = buses.get(signal.bus);
    if (list) list.push(signal);
    else buses.set(signal.bus, [signal]);
  }
  return [...buses].map(([name, list]) => ({ name, kind: list[0].kind, direction: list[0].direction, signals: list }));
}

/** Words that people call each kind by, at the beginning of a part of a name. */
const kindWords: Readonly<Record<BoardSignalKind, readonly string[]>> = {
  oscillator: ["clk", "clock", "osc"],
  switch: ["switch", "sw", "toggle", "dip", "mode"],
  button: ["button", "btn", "push", "key", "press", "start", "stop", "rst", "reset"],
  lamp: ["lamp", "led", "light", "bulb", "leds"],
  digit: ["digit", "select", "anode", "common", "dig"],
  segment: ["segment", "seg", "cathode"],
};

/** Parts of a name: at underscores, dots, digits and capitals. */
function wordsOf(name: string): string[] {
  return name
    .replace(/([a-z])([A-Z])/g, "$1_$2")
    .toLowerCase()
    .split(/[^a-z]+/)
    .filter(Boolean);
}
const stem = (word: string) => word.replace(/(?:es|s)$/, "");

/** How well a port's name goes with a bus: the same name, a shared word, or a word for its kind. */
function nameScore(port: string, bus: BoardBus): { readonly score: number; readonly why: string } | null {
  if (port === bus.name) return { score: 1, why: "the same name" };
  const [own, other] = [wordsOf(port).map(stem), wordsOf(bus.name).map(stem)];
  if (own.join("") === other.join("")) return { score: 0.95, why: "the same name but for its ending" };
  const shared = own.find((word) => word.length > 2 && other.includes(word));
  if (shared) return { score: 0.8, why: `'${shared}' in both names` };
  const meant = own.find((word) =>
    kindWords[bus.kind].some((each) => stem(each) === word || (word.length > 3 && word.startsWith(each))),
  );
  return meant ? { score: 0.7, why: `'${meant}' means a ${bus.kind}` } : null;
}

/** Of buses that nothing in a name speaks for: what stands alone comes before what works only with others of its kind. */
const guessScore: Readonly<Record<BoardSignalKind, number>> = {
  oscillator: 0.2,
  switch: 0.4,
  button: 0.3,
  lamp: 0.4,
  segment: 0.2,
  digit: 0.2,
};

/**
 * Signals that a port may be tied to, the likeliest first: the direction must fit and the bus be wide enough; then the name
 * counts, then the width.
 * @param taken Pins that are taken already.
 */
export function suggestClaims(
  port: ClaimPort,
  buses: readonly BoardBus[],
  taken: ReadonlySet<string> = new Set(),
): Claim[] {
  const found: Claim[] = [];
  for (const bus of buses) {
    const width = port.bits.length;
    if (port.direction !== "inout" && port.direction !== bus.direction) continue;
    if (port.isClock !== (bus.kind === "oscillator") || bus.signals.length < width) continue;
    const from = firstFree(bus, port, taken);
    if (from < 0) continue;
    const byName = port.isClock ? { score: 0.9, why: "it is a clock" } : nameScore(port.name, bus);
    const fits = bus.signals.length === width;
    const score = (byName?.score ?? guessScore[bus.kind]) + (fits ? 0.05 : 0) - 0.002 * (bus.signals.length - width);
    const why =
      byName?.why ??
      (fits
        ? `as many bits as ${bus.name} has`
        : width === 1
          ? `a free one of ${bus.name}`
          : `${width} free ones of ${bus.name}`);
    found.push({ port, bus, from, score: Math.min(1, Math.max(0, score)), why });
  }
  return found.sort((a, b) => b.score - a.score);
}

/** Where a port fits into a bus: at its own indexes if these are free, else at the first free stretch; -1 for nowhere. */
function firstFree(bus: BoardBus, { bits }: ClaimPort, taken: ReadonlySet<string>): number {
  const isFree = (from: number) =>
    from >= 0 &&
    from + bits.length <= bus.signals.length &&
    bits.every((_, i) => !taken.has(bus.signals[from + i].pin));
  if (isFree(bits[0].index)) return bits[0].index;
  for (let from = 0; from + bits.length <= bus.signals.length; from++) if (isFree(from)) return from;
  return -1;
}

/** Below it, a suggestion is a guess by width alone, which nobody takes unseen. */
const sureScore = 0.6;

/**
 * Ties every port to the signal that it surely means, the surest first; a signal goes to one port. What is left has no
 * signal whose name, direction and width go with it.
 */
export function claimAll(
  ports: readonly ClaimPort[],
  buses: readonly BoardBus[],
  taken: ReadonlySet<string> = new Set(),
): Claim[] {
  const used = new Set(taken);
  const open = new Set(ports);
  const claims: Claim[] = [];
  for (;;) {
    let best: Claim | null = null;
    for (const port of open) {
      const [first] = suggestClaims(port, buses, used);
      if (first && first.score >= sureScore && (!best || first.score > best.score)) best = first;
    }
    if (!best) return claims;
    claims.push(best);
    open.delete(best.port);
    best.port.bits.forEach((_, i) => used.add(best.bus.signals[best.from + i].pin));
  }
}
