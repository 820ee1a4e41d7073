/**
 * Pins of a circuit and the arcs between them, for static timing analysis. Made of a circuit as built or as written; all
 * that follows works from it alone.
 */

/** Kinds of arcs: a wire; through logic or a pad; clock to output; data through an open latch; through what makes clocks. */
export const arcKind = { net: 0, cell: 1, launch: 2, latch: 3, clock: 4 } as const;
/** How an output follows an input, as bits: with it, against it. */
export const sense = { positive: 1, negative: 2, both: 3 } as const;
/** What a check is of: a register, the release of a reset, a latch that closes. */
export const checkKind = { register: 0, recovery: 1, latch: 2 } as const;

export interface PinGraph {
  readonly pinCount: number;
  readonly arcCount: number;
  /** [arcs] */
  readonly arcFrom: Int32Array;
  readonly arcTo: Int32Array;
  readonly arcKind: Uint8Array;
  /** [arcs] `sense`; of a launch arc: positive for the rising edge of its clock pin, negative for the falling one. */
  readonly arcSense: Uint8Array;
  /** Arcs by the pin that they leave, and by the one that they come to: [pins + 1] and [arcs]. */
  readonly outStart: Int32Array;
  readonly outArc: Int32Array;
  readonly inStart: Int32Array;
  readonly inArc: Int32Array;
  /** Data pins that are looked at against a clock pin. [checks] */
  readonly checkData: Int32Array;
  readonly checkClock: Int32Array;
  readonly checkKind: Uint8Array;
  /** [checks] 1: it is the falling edge at the clock pin that counts; of a latch, that closes it. */
  readonly checkFalls: Uint8Array;
  readonly ports: readonly GraphPort[];
  /** Name of a pin, `count[3]/d`. */
  pinName(pin: number): string;
  /**
   * Of a gate where a clock and a signal meet: the level at its output while the signal holds the clock back. Null where it
   * never does, or where that depends on more.
   */
  heldLevel(clockPin: number, gatePin: number): 0 | 1 | null;
}

export interface GraphPort {
  readonly name: string;
  /** Pin outside of the pad where signals come in, and where they go out; -1 where none do. */
  readonly inPin: number;
  readonly outPin: number;
}

/** Delays of a graph at one corner, in ps. */
export interface GraphDelays {
  /** [arcs] */
  readonly most: Float64Array;
  readonly least: Float64Array;
  /** [checks] Recovery and removal for those of resets. */
  readonly setup: Float64Array;
  readonly hold: Float64Array;
}

/** Gathers arcs and checks. */
export class PinGraphBuilder {
  readonly from: number[] = [];
  readonly to: number[] = [];
  readonly kind: number[] = [];
  readonly sense: number[] = [];
  readonly checkData: number[] = [];
  readonly checkClock: number[] = [];
  readonly checkKinds: number[] = [];
  readonly checkFalls: number[] = [];

  constructor(public pinCount: number) {}

  /** @returns The arc's number. */
  arc(from: number, to: number, kind: number, how: number = sense.positive): number {
    this.from.push(from);
    this.to.push(to);
    this.kind.push(kind);
    this.sense.push(how);
    return this.from.length - 1;
  }
  check(data: number, clock: number, kind: number, falls: boolean): number {
    this.checkData.push(data);
    this.checkClock.push(clock);
    this.checkKinds.push(kind);
    this.checkFalls.push(falls ? 1 : 0);
    return this.checkData.length - 1;
  }
  pin(): number {
    return this.pinCount++;
  }

  build(ports: readonly GraphPort[], { pinName, heldLevel }: Pick<PinGraph, "pinName" | "heldLevel">): PinGraph {
    const arcFrom = Int32Array.from(this.from);
    const arcTo = Int32Array.from(this.to);
    const out = bucket(arcFrom, this.pinCount);
    const into = bucket(arcTo, this.pinCount);
    return {
      pinCount: this.pinCount,
      arcCount: arcFrom.length,
      arcFrom,
      arcTo,
      arcKind: Uint8Array.from(this.kind),
      arcSense: Uint8Array.from(this.sense),
      outStart: out.start,
      outArc: out.items,
      inStart: into.start,
      inArc: into.items,
      checkData: Int32Array.from(this.checkData),
      checkClock: Int32Array.from(this.checkClock),
      checkKind: Uint8Array.from(this.checkKinds),
      checkFalls: Uint8Array.from(this.checkFalls),
      ports,
      pinName,
      heldLevel,
    };
  }
}

/** Numbers 0 up, by the key of each. @returns `items[start[k] .. start[k + 1]]` are those of key k, in order. */
export function bucket(keys: Int32Array, count: number): { start: Int32Array; items: Int32Array } {
  const start = new Int32Array(count + 1);
  for (let i = 0; i < keys.length; i++) start[keys[i] + 1]++;
  for (let k = 0; k < count; k++) start[k + 1] += start[k];
  const fill = start.slice(0, count);
  const items = new Int32Array(keys.length);
  for (let i = 0; i < keys.length; i++) items[fill[keys[i]]++] = i;
  return { start, items };
}
