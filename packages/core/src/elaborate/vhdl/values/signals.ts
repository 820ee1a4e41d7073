import { type Bits, getL, sliceL } from "./values.ts";

/** Signals, their drivers, the processes that wait for them, and composites as trees of signals. */

/** What a signal's value is made of. */
type LeafKind = "scalar" | "bits" | "list";

/** Bits of `Sig.listeners`: processes by sensitivity, processes by edge, waits, links, and parts. */
export const toldProcs = 1;
export const toldEdges = 2;
export const toldWaits = 4;
export const toldLinks = 8;
export const toldParts = 16;
const toldAll = 31;

/** One signal, or one field or element of a composite one. */
export class Sig {
  v: unknown;
  last: unknown;
  /** Delta of the last event, and of the last transaction. */
  ev = -1;
  act = -1;
  /** Times of the same, in fs; NaN: none yet. Never whole at first, so that they are kept as doubles without boxes. */
  at = Number.NaN;
  actAt = Number.NaN;
  readonly drivers: Driver[] = [];
  /** Processes that every event wakes, and those that only a change to 1, or to 0, wakes. */
  readonly procs: Proc[] = [];
  readonly rising: Proc[] = [];
  readonly falling: Proc[] = [];
  readonly waiting: Proc[] = [];
  readonly stamps: number[] = [];
  /** Of `waiting` and `stamps`: lists are not shortened, which would give their memory back each time. */
  waitingCount = 0;
  /** Processes that wait for one edge and nothing else, by edge: [to 0, to 1]. */
  edges: { readonly procs: Proc[]; readonly stamps: number[]; count: number }[] | null = null;
  /** One whole driver and nobody who looks at more than events: set when all is elaborated. */
  simple = false;
  /** Who is told of its events, by the `told...` bits below; 0: nobody. */
  listeners = toldAll;
  /** Told of each event, within the update. */
  readonly links: (() => void)[] = [];
  onActive: (() => void)[] | null = null;
  forced = false;
  /** Signals that follow stretches of this one. */
  readonly parts: Sig[] = [];
  stretch: {
    readonly of: Sig;
    readonly lo: number;
    readonly n: number;
    readonly bit: boolean;
    readonly two: boolean;
  } | null = null;
  /** Pure logic that reads it: pairs of a word of `Engine.dirty` and bits of it. */
  marks: Int32Array | null = null;
  /** Assigned by pure logic: may skip values that exist between delta cycles, unless somebody watches. */
  isLogic = false;
  /** Across the border of languages: takes what the drivers here say; the value comes from there. */
  outside: ((v: unknown) => void) | null = null;
  /** For values of drivers that are switched off: disconnected ones (guarded signals). */
  constructor(
    readonly name: string,
    init: unknown,
    readonly kind: LeafKind,
    /** Elements, of bits. */
    readonly n: number,
    /** "std": the table of std_logic; null: one driver only. */
    public resolver: "std" | ((values: unknown[]) => unknown) | null,
  ) {
    this.v = init;
    this.last = init;
  }
}

export interface Transaction {
  readonly time: number;
  value: unknown;
  /** Of bits: which ones, or null for all. */
  mask: Uint8Array | null;
  /** Takes the driver off (a null transaction). */
  readonly off: boolean;
}

/** Bits `lo` to `lo + n - 1` of a signal. */
export interface OwnBits {
  readonly lo: number;
  readonly n: number;
  /** Pure logic that reads them; undefined: whoever reads the signal. */
  readonly marks?: Int32Array | null;
}

/** What one process, or one port, says about a signal. */
export class Driver {
  v: unknown;
  next: unknown;
  pending = false;
  /** Transactions to come, in order of time; null while there are none. */
  queue: Transaction[] | null = null;
  /** The only transaction to come, a whole value: most drivers never have more. NaN: none, or they are in `queue`. */
  soleTime = Number.NaN;
  soleValue: unknown = null;
  off = false;
  /** Has transactions to come, is switched off or a part of another: the quick way is not open. */
  special = false;
  /** Called when a transaction of it is due; made when it is first needed. */
  fire: (() => void) | null = null;
  /** Bits that it drives; null: all. */
  mask: Uint8Array | null = null;
  /** Of drivers with bits of their own that no other has: the first of them, and how many there are. */
  own: OwnBits | null = null;
  /** A stretch of another driver's signal. */
  part: {
    readonly of: Driver;
    readonly lo: number;
    readonly n: number;
    readonly bit: boolean;
    readonly two: boolean;
  } | null = null;
  constructor(
    readonly sig: Sig,
    init: unknown,
  ) {
    this.v = init;
    this.next = init;
  }
}

export class Proc {
  queued = false;
  /** Goes on with each turn: waits made before are stale. */
  stamp = 0;
  timedOut = false;
  /** Signals of pure logic that it waits for. */
  watches = 0;
  constructor(
    readonly number: number,
    public step: () => void,
    readonly postponed: boolean,
  ) {}
}

/** Signals of a composite: lists of signals, as its values are lists of values. */
export type SigTree = Sig | SigTree[];
export type DriverTree = Driver | DriverTree[] | undefined;

export function leavesOf(tree: SigTree, list: Sig[] = []): Sig[] {
  if (Array.isArray(tree)) for (const each of tree) leavesOf(each, list);
  else list.push(tree);
  return list;
}
export function readTree(tree: SigTree): unknown {
  return Array.isArray(tree) ? tree.map(readTree) : tree.v;
}
export function lastOfTree(tree: SigTree): unknown {
  return Array.isArray(tree) ? tree.map(lastOfTree) : tree.last;
}
export function hasEvent(tree: SigTree, d: number): boolean {
  return Array.isArray(tree) ? tree.some((each) => hasEvent(each, d)) : tree.ev === d;
}
export function isActive(tree: SigTree, d: number): boolean {
  return Array.isArray(tree) ? tree.some((each) => isActive(each, d)) : tree.act === d;
}
export function lastEventAt(tree: SigTree): number {
  return Array.isArray(tree)
    ? tree.reduce((late, each) => Math.max(late, lastEventAt(each)), -1)
    : Number.isNaN(tree.at)
      ? -1
      : tree.at;
}
export function lastActiveAt(tree: SigTree): number {
  return Array.isArray(tree)
    ? tree.reduce((late, each) => Math.max(late, lastActiveAt(each)), -1)
    : Number.isNaN(tree.actAt)
      ? -1
      : tree.actAt;
}

/** A signal that follows a stretch of another without delay. */
export function partOf(of: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
  const made = new Sig(
    `${of.name}(${lo})`,
    bit ? getL(of.v as Bits, lo) - (two ? 2 : 0) : sliceL(of.v as Bits, lo, n),
    bit ? "scalar" : "bits",
    bit ? 1 : n,
    of.resolver === "std" ? "std" : null,
  );
  of.parts.push(made);
  of.listeners |= toldParts;
  made.stretch = { of, lo, n: bit ? 1 : n, bit, two };
  return made;
}
