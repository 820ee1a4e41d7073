import type { BoundProcess } from "../../elaborate/vhdl/bound.ts";
import type { Program } from "../../elaborate/vhdl/code/emit-base.ts";
import type { LogicRead } from "../../elaborate/vhdl/code/pure-logic.ts";
import type { Frame } from "../../elaborate/vhdl/values/frames.ts";
import type { Driver, Proc, Sig } from "../../elaborate/vhdl/values/signals.ts";

/** Processes without waits, and which of them are pure logic that can run in the order of its dependence. */

/** A process without waits. */
export interface StaticProcess {
  readonly process: BoundProcess;
  readonly home: Frame;
  readonly path: readonly string[];
  readonly drivers: Map<Sig, Driver>;
  readonly proc: Proc;
  readonly wakes: ReadonlySet<Sig>;
  /** It is woken by this edge of the one signal that wakes it. */
  readonly edge: "rising" | "falling" | null;
  /** Of several that wake it, the clock, of which only one edge matters. */
  readonly guarded: { readonly clock: Sig; readonly edge: "rising" | "falling" } | null;
  /** It makes nothing but a later transaction for the one signal that wakes it and that decides the value: a clock. */
  readonly isClock: boolean;
  /** Of pure logic that is woken by all it reads. */
  readonly reads: readonly LogicRead[] | null;
}

/** Things by bits of signals, so that vectors of thousands of bits with a process for each cost no more than their sum. */
export class BitIndex<T> {
  private readonly wide = new Map<Sig, { readonly lo: number; readonly n: number; readonly item: T }[]>();
  private readonly bits = new Map<Sig, (T[] | undefined)[]>();

  add(sig: Sig, lo: number, n: number, item: T): void {
    if (n > 8) {
      const list = this.wide.get(sig);
      if (list) list.push({ lo, n, item });
      else this.wide.set(sig, [{ lo, n, item }]);
      return;
    }
    let lists = this.bits.get(sig);
    if (!lists) {
      lists = [];
      this.bits.set(sig, lists);
    }
    for (let i = lo; i < lo + n; i++) {
      const list = lists[i];
      if (list) list.push(item);
      else lists[i] = [item];
    }
  }
  /** All that have one of these bits. */
  at(sig: Sig, lo: number, n: number): Set<T> {
    const found = new Set<T>();
    for (const each of this.wide.get(sig) ?? []) if (each.lo < lo + n && lo < each.lo + each.n) found.add(each.item);
    const lists = this.bits.get(sig);
    if (lists)
      for (let i = lo; i < Math.min(lo + n, lists.length); i++) for (const item of lists[i] ?? []) found.add(item);
    return found;
  }
}

/** Elements of a leaf; 1 of a scalar. */
export const bitsOf = (sig: Sig): number => Math.max(1, sig.n);

/** The signal that a part belongs to, and where. */
function wholeOf(sig: Sig, lo: number): { readonly base: Sig; readonly lo: number } {
  let base = sig;
  let at = lo;
  while (base.stretch) {
    at += base.stretch.lo;
    base = base.stretch.of;
  }
  return { base, lo: at };
}
/** Signals that a process drives. @returns With the bits, if they are not all. */
export function drivenBy(each: StaticProcess): { readonly base: Sig; readonly mask: Uint8Array | null }[] {
  const list: { base: Sig; mask: Uint8Array | null }[] = [];
  for (const [sig, driver] of each.drivers) if (!driver.part) list.push({ base: sig, mask: driver.mask });
  return list;
}
/** Runs of bits in a mask. */
function runsOf(base: Sig, mask: Uint8Array | null): { readonly lo: number; readonly n: number }[] {
  if (!mask) return [{ lo: 0, n: bitsOf(base) }];
  const runs: { lo: number; n: number }[] = [];
  for (let lo = mask.indexOf(1); lo >= 0; ) {
    const end = mask.indexOf(0, lo);
    const to = end < 0 ? mask.length : end;
    runs.push({ lo, n: to - lo });
    lo = to < mask.length ? mask.indexOf(1, to) : -1;
  }
  return runs;
}

/** Pure logic that nobody else waits for, each after what it reads. */
export function orderLogic(statics: readonly StaticProcess[], program: Program): StaticProcess[] {
  const candidates = new Set(statics.filter((each) => each.reads !== null));
  const procs = new Map<Proc, StaticProcess>();
  for (const each of candidates) procs.set(each.proc, each);
  const known = new Map<Sig, boolean>();
  /** Whether only pure logic is told of events. */
  const isUnseen = (sig: Sig): boolean => {
    let unseen = known.get(sig);
    if (unseen === undefined) {
      unseen =
        sig.rising.length === 0 &&
        sig.falling.length === 0 &&
        sig.outside === null &&
        sig.onActive === null &&
        !program.observed.has(sig) &&
        sig.links.length === 0 &&
        sig.procs.every((proc) => candidates.has(procs.get(proc)!)) &&
        sig.parts.every(isUnseen);
      known.set(sig, unseen);
    }
    return unseen;
  };
  const driversOf = new Map<Sig, StaticProcess[]>();
  const drivers = new BitIndex<StaticProcess>();
  for (const each of candidates)
    for (const { base, mask } of drivenBy(each)) {
      const list = driversOf.get(base);
      if (list) list.push(each);
      else driversOf.set(base, [each]);
      for (const { lo, n } of runsOf(base, mask)) drivers.add(base, lo, n, each);
    }
  /** Takes these out, and with them what they wait for. */
  const drop = (start: StaticProcess[]) => {
    const list = [...start];
    for (let each = list.pop(); each; each = list.pop()) {
      if (!candidates.delete(each)) continue;
      for (const sig of each.wakes) {
        const { base } = wholeOf(sig, 0);
        for (const driver of driversOf.get(base) ?? []) list.push(driver);
        driversOf.delete(base);
      }
    }
  };
  drop([...candidates].filter((each) => !drivenBy(each).every(({ base }) => isUnseen(base))));

  for (;;) {
    const waitsFor = new Map<StaticProcess, number>();
    const readers = new Map<StaticProcess, StaticProcess[]>();
    for (const each of candidates) {
      const sources = new Set<StaticProcess>();
      for (const { sig, lo, n } of each.reads!) {
        const read = wholeOf(sig, lo);
        for (const source of drivers.at(read.base, read.lo, n ?? bitsOf(sig)))
          if (candidates.has(source)) sources.add(source);
      }
      waitsFor.set(each, sources.size);
      for (const source of sources) {
        const list = readers.get(source);
        if (list) list.push(each);
        else readers.set(source, [each]);
      }
    }
    const order = [...candidates].filter((each) => waitsFor.get(each) === 0);
    for (let i = 0; i < order.length; i++)
      for (const reader of readers.get(order[i]) ?? []) {
        const left = waitsFor.get(reader)! - 1;
        waitsFor.set(reader, left);
        if (left === 0) order.push(reader);
      }
    if (order.length === candidates.size) return order;
    // loops, and what hangs on them, run as any other process; so does what they wait for
    const ordered = new Set(order);
    drop([...candidates].filter((each) => !ordered.has(each)));
  }
}
