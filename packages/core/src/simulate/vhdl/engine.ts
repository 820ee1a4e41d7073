import { RunawaySignal } from "../../common/runaway.ts";
import type { SignalKeeper } from "../../elaborate/vhdl/code/signal-keeper.ts";
import {
  type Driver,
  type DriverTree,
  leavesOf,
  type Proc,
  type Sig,
  type SigTree,
  type Transaction,
  toldEdges,
  toldLinks,
  toldParts,
  toldProcs,
  toldWaits,
} from "../../elaborate/vhdl/values/signals.ts";
import {
  type Bits,
  Codes,
  codesOf,
  eqL,
  fromCodes,
  getL,
  insertL,
  resolutionTable,
  same,
  setL,
  sliceL,
  Z,
} from "../../elaborate/vhdl/values/values.ts";
import type { Kernel } from "../kernel.ts";

/**
 * Signals, drivers and processes (IEEE 1076-2008 clauses 14.7.2 to 14.7.5). A simulation cycle of VHDL is one round of
 * the kernel's non-blocking region: all signals are updated, then all processes that wait for them run among the active
 * events. So both languages share one time and one delta.
 */
export class Engine implements SignalKeeper {
  /** Something asks when signals changed last. */
  tracksTimes = false;
  /** Number of the present delta cycle: what happened in it has this stamp. */
  d = 0;
  /** Number of the place that last called what the product's own packages have a body for. */
  from = -1;
  private ready: Proc[] = [];
  private readyCount = 0;
  private updates: Driver[] = [];
  private updateCount = 0;
  /** What groups of processes have assigned: called to make the assignments. */
  readonly commits: (() => void)[] = [];
  commitCount = 0;
  /** Pure logic: a bit for each process that must run, in an order in which each comes after what it reads. */
  dirty = new Int32Array(0);
  isDirty = false;
  /** [words of dirty] Runs the marked processes of a word and makes their assignments at once. */
  logic: (() => void)[] = [];
  /** [bits of dirty] Runs one process in its own delta cycle. */
  logicProcs: Proc[] = [];
  /** Processes that wait for signals of pure logic, at present. */
  private watches = 0;
  private later:
    | {
        readonly driver: Driver;
        readonly value: unknown;
        readonly mask: Uint8Array | null;
        readonly off: boolean;
      }[]
    | null = null;
  private scheduled = false;
  private postponed: Proc[] = [];
  /** Called at each event of a signal that is recorded. */
  onEvent: ((sig: Sig) => void) | null = null;
  currentProcess: Proc | null = null;
  maxTurns = 20_000_000;
  /** Base time of VHDL in steps of the kernel: 1 step is 1 fs. */
  constructor(readonly kernel: Kernel) {}

  /** Takes part in the kernel's rounds, behind what is there already. */
  attach(isAlone: boolean): void {
    if (isAlone) {
      this.kernel.applyNonblocking = () => this.cycles();
      this.kernel.alone = (events, count) => this.slot(events, count);
      return;
    }
    const before = this.kernel.applyNonblocking;
    this.kernel.applyNonblocking = () => {
      const any = before();
      return this.cycles() || any;
    };
  }

  /**
   * Delta cycles, one after the other, as long as nobody else has anything to do in this time slot.
   * @returns True if anything was updated.
   */
  private cycles(): boolean {
    if (!this.hasUpdates) return false;
    const { kernel } = this;
    this.cycling = true;
    do {
      this.update();
      if (this.readyCount === 0 && !this.isDirty) this.d++;
      else if (kernel.isQuiet) this.turn();
      else {
        this.cycling = false;
        this.schedule();
        return true;
      }
    } while (this.hasUpdates);
    this.cycling = false;
    // what came back across the border of languages while processes ran
    if (this.readyCount !== 0 || this.isDirty) this.schedule();
    return true;
  }
  /** All of a time slot that has transactions and timeouts only. */
  private slot(events: readonly (() => void)[], count: number): void {
    this.cycling = true;
    for (let i = 0; i < count; i++) events[i]();
    for (;;) {
      if (this.updateCount !== 0 || this.commitCount !== 0 || this.later !== null) this.update();
      if (this.readyCount !== 0 || this.isDirty) {
        if (this.scheduled) break;
        this.turn();
      } else {
        this.d++;
        if (!this.hasUpdates) break;
      }
    }
    this.cycling = false;
  }
  private get hasUpdates(): boolean {
    return this.updateCount !== 0 || this.commitCount !== 0 || this.later !== null;
  }
  /** Processes that are woken run without the kernel's being asked. */
  private cycling = false;

  get now(): number {
    return this.kernel.now;
  }

  // ---- drivers --------------------------------------------------------------------------------------------------

  /** `signal <= value;` for a whole leaf. */
  as(driver: Driver, value: unknown): void {
    if (driver.special) {
      if (driver.part !== null) {
        this.asPart(driver, value);
        return;
      }
      driver.queue = null;
      driver.soleTime = Number.NaN;
      driver.off = false;
      driver.special = false;
    }
    driver.next = value;
    if (!driver.pending) {
      driver.pending = true;
      this.updates[this.updateCount++] = driver;
    }
  }
  /** All transactions to come as a list. */
  private queueOf(driver: Driver): Transaction[] | null {
    if (!Number.isNaN(driver.soleTime)) {
      driver.queue = [{ time: driver.soleTime, value: driver.soleValue, mask: null, off: false }];
      driver.soleTime = Number.NaN;
    }
    return driver.queue;
  }
  private asPart(driver: Driver, value: unknown): void {
    const { of, lo, n, bit, two } = driver.part!;
    if (bit) this.asBit(of, lo, two ? (value as number) + 2 : (value as number));
    else this.asSlice(of, lo, value as Bits, n);
  }
  /** One bit of a leaf of bits, given as a code. */
  asBit(driver: Driver, i: number, code: number): void {
    if (driver.part !== null) {
      this.asBit(driver.part.of, driver.part.lo + i, code);
      return;
    }
    const base = driver.pending ? driver.next : driver.v;
    this.clear(driver, i, 1);
    driver.next = setL(base as Bits, driver.sig.n, i, code);
    if (!driver.pending) {
      driver.pending = true;
      this.updates[this.updateCount++] = driver;
    }
  }
  asSlice(driver: Driver, lo: number, value: Bits, len: number): void {
    if (len === 0) return;
    if (driver.part !== null) {
      this.asSlice(driver.part.of, driver.part.lo + lo, value, len);
      return;
    }
    const base = driver.pending ? driver.next : driver.v;
    this.clear(driver, lo, len);
    driver.next = insertL(base as Bits, driver.sig.n, lo, value, len);
    if (!driver.pending) {
      driver.pending = true;
      this.updates[this.updateCount++] = driver;
    }
  }
  private clear(driver: Driver, lo: number, len: number): void {
    if (this.queueOf(driver) === null) return;
    for (const each of driver.queue!) {
      each.mask ??= new Uint8Array(driver.sig.n).fill(1);
      each.mask.fill(0, lo, lo + len);
    }
    driver.queue = driver.queue!.filter((each) => each.mask!.includes(1));
    if (driver.queue.length === 0) driver.queue = null;
  }

  /** A composite value into the drivers of its leaves. */
  asTree(tree: DriverTree, value: unknown): void {
    if (Array.isArray(tree)) {
      const list = value as unknown[];
      for (let i = 0; i < tree.length; i++) this.asTree(tree[i], list[i]);
    } else if (tree) this.as(tree, value);
  }

  /**
   * A transaction of a waveform (10.5.2.2).
   * @param delay fs.
   * @param reject fs: pulses shorter than this are taken away; -1 for transport.
   * @param lo Bits `lo` to `lo + n - 1` only; `n` 0: the whole leaf.
   */
  after(driver: Driver, value: unknown, delay: number, reject: number, lo = 0, n = 0, bit = false, off = false): void {
    if (driver.part !== null) {
      const { part } = driver;
      const isBit = part.bit || bit;
      this.after(
        part.of,
        isBit && part.two && !bit ? (value as number) + 2 : value,
        delay,
        reject,
        part.lo + lo,
        n || part.n,
        isBit,
        off,
      );
      return;
    }
    if (driver.queue === null && n === 0 && !off && delay > 0 && Number.isNaN(driver.soleTime)) {
      // nothing is pending: nothing to reject
      driver.special = true;
      driver.soleTime = this.kernel.later(delay);
      driver.soleValue = value;
      this.wakeDriver(driver, delay);
      return;
    }
    driver.special = true;
    let mask: Uint8Array | null = null;
    let full = value;
    if (n > 0) {
      mask = new Uint8Array(driver.sig.n);
      mask.fill(1, lo, lo + n);
      const base = driver.v as Bits;
      full = bit ? setL(base, driver.sig.n, lo, value as number) : insertL(base, driver.sig.n, lo, value as Bits, n);
    }
    const time = this.kernel.later(delay);
    const queue = this.queueOf(driver) ?? [];
    // what comes at the same time or later is overtaken
    let kept = this.without(queue, mask, (each) => each.time >= time);
    if (reject >= 0) {
      // pulse rejection: those within the limit before it go, but for a run of the same value right before it
      const from = time - reject;
      let run = true;
      for (let i = kept.length - 1; i >= 0; i--) {
        const each = kept[i];
        if (each.time < from) break;
        if (run && each.off === off && this.sameBits(driver, each, full, mask)) continue;
        run = false;
        kept = [
          ...this.without(kept.slice(0, i + 1), mask, (old) => old.time >= from && old.time <= each.time),
          ...kept.slice(i + 1),
        ];
        break;
      }
    }
    if (delay === 0) {
      driver.queue = kept.length ? kept : null;
      if (mask || off) (this.later ??= []).push({ driver, value: full, mask, off });
      else {
        driver.next = value;
        if (!driver.pending) {
          driver.pending = true;
          this.updates[this.updateCount++] = driver;
        }
      }
      return;
    }
    kept.push({ time, value: full, mask, off });
    driver.queue = kept;
    this.wakeDriver(driver, delay);
  }
  /** The same for a whole leaf. */
  afterWhole(driver: Driver, value: unknown, delay: number, reject: number): void {
    if (driver.special || delay <= 0) {
      this.after(driver, value, delay, reject);
      return;
    }
    driver.special = true;
    driver.soleTime = this.kernel.later(delay);
    driver.soleValue = value;
    this.wakeDriver(driver, delay);
  }
  private wakeDriver(driver: Driver, delay: number): void {
    driver.fire ??= () => this.mature(driver);
    this.kernel.afterNonblocking(delay, driver.fire);
  }

  afterTree(tree: DriverTree, value: unknown, delay: number, reject: number, off: boolean): void {
    if (Array.isArray(tree))
      tree.forEach((each, i) => this.afterTree(each, off ? value : (value as unknown[])[i], delay, reject, off));
    else if (tree) this.after(tree, value, delay, reject, 0, 0, false, off);
  }
  /** 2008, 10.5.2.1: the signal has this value until it is released. */
  force(tree: SigTree, value: unknown): void {
    this.kernel.afterNonblocking(0, () => {
      const put = (each: SigTree, v: unknown): void => {
        if (Array.isArray(each)) each.forEach((inner, i) => put(inner, (v as unknown[])[i]));
        else {
          each.forced = true;
          each.simple = false;
          each.act = this.d;
          this.set(each, v);
        }
      };
      put(tree, value);
      this.schedule();
    });
  }
  release(tree: SigTree): void {
    this.kernel.afterNonblocking(0, () => {
      for (const sig of leavesOf(tree)) {
        sig.forced = false;
        if (sig.drivers.length) this.set(sig, this.resolve(sig));
      }
      this.schedule();
    });
  }
  private loopTurns = 0;
  /** Whether the value that is computed before the run has taken too long. */
  isOver: () => boolean = () => false;
  /** The next value begins: its turns count by themselves. */
  beginValue(): void {
    this.loopTurns = 0;
  }
  /** A turn of a loop within a process, or of a recursion: one that never ends is told. */
  tick(): void {
    if ((++this.loopTurns & 255) !== 0) return;
    if (this.loopTurns > this.maxTurns * 10 || this.isOver())
      throw new RunawaySignal(-1 - (this.currentProcess?.number ?? 0), true);
  }

  private without(queue: Transaction[], mask: Uint8Array | null, gone: (each: Transaction) => boolean): Transaction[] {
    if (!mask) return queue.filter((each) => !gone(each));
    const kept: Transaction[] = [];
    for (const each of queue) {
      if (gone(each)) {
        const left = each.mask ? each.mask.slice() : new Uint8Array(mask.length).fill(1);
        for (let i = 0; i < mask.length; i++) if (mask[i]) left[i] = 0;
        if (!left.includes(1)) continue;
        kept.push({ ...each, mask: left });
      } else kept.push(each);
    }
    return kept;
  }
  private sameBits(driver: Driver, each: Transaction, value: unknown, mask: Uint8Array | null): boolean {
    if (!mask) return same(each.value, value);
    const a = codesOf(each.value as Bits, driver.sig.n);
    const b = codesOf(value as Bits, driver.sig.n);
    return mask.every((on, i) => !on || a[i] === b[i]);
  }

  /** Called in the non-blocking region, after which the kernel asks for updates again. */
  private mature(driver: Driver): void {
    const { queue } = driver;
    const time = this.kernel.now;
    if (driver.soleTime === time) {
      driver.soleTime = Number.NaN;
      driver.special = false;
      driver.off = false;
      if (this.cycling && driver.sig.simple && !driver.pending) {
        // this is the update of the delta cycle, before any process runs
        driver.v = driver.soleValue;
        this.set(driver.sig, driver.v);
        return;
      }
      driver.next = driver.soleValue;
      if (!driver.pending) {
        driver.pending = true;
        this.updates[this.updateCount++] = driver;
      }
      return;
    }
    if (!queue) return;
    for (const each of queue)
      if (each.time === time) (this.later ??= []).push({ driver, value: each.value, mask: each.mask, off: each.off });
    const rest = queue.filter((each) => each.time > time);
    driver.queue = rest.length ? rest : null;
  }

  // ---- the cycle ------------------------------------------------------------------------------------------------

  private update(): void {
    const { updates, later } = this;
    const count = this.updateCount;
    if (this.commitCount !== 0) this.commit();
    this.updates = this.spare;
    this.spare = updates;
    this.updateCount = 0;
    for (let i = 0; i < count; i++) {
      const driver = updates[i];
      const { sig, next } = driver;
      driver.pending = false;
      driver.v = next;
      if (!sig.simple) this.drive(driver);
      else if (sig.v !== next) this.set(sig, next);
    }
    if (later !== null) {
      this.later = null;
      for (const { driver, value, mask, off } of later) {
        driver.off = off;
        driver.special = true;
        if (mask) {
          const codes = codesOf(driver.v as Bits, driver.sig.n).slice();
          const from = codesOf(value as Bits, driver.sig.n);
          for (let i = 0; i < mask.length; i++) if (mask[i]) codes[i] = from[i];
          driver.v = fromCodes(codes);
        } else if (!off) driver.v = value;
        if (!driver.pending) driver.next = driver.v;
        this.drive(driver);
      }
    }
  }
  private spare: Driver[] = [];
  private commit(): void {
    const { commits, commitCount } = this;
    this.commitCount = 0;
    // these assign signals and wake, but no process runs that could add to the list
    for (let i = 0; i < commitCount; i++) commits[i]();
  }
  /** Within pure logic: assignments that were made by way of drivers. */
  flush(): void {
    if (this.updateCount !== 0) this.update();
  }

  /** Values of all drivers to that of the signal. */
  drive(driver: Driver): void {
    const { sig } = driver;
    sig.act = this.d;
    sig.actAt = this.now;
    if (sig.onActive) for (const run of sig.onActive) run();
    if (sig.forced) return;
    if (sig.outside !== null) {
      sig.outside(this.resolve(sig));
      return;
    }
    const { drivers } = sig;
    if (drivers.length === 1 && driver.mask === null && typeof sig.resolver !== "function" && !driver.off) {
      this.set(sig, driver.v);
      return;
    }
    if (driver.own !== null && !driver.off) {
      const { lo, n, marks } = driver.own;
      this.set(sig, insertL(sig.v as Bits, sig.n, lo, sliceL(driver.v as Bits, lo, n), n), marks, lo, n);
      return;
    }
    this.set(sig, this.resolve(sig));
  }

  resolve(sig: Sig): unknown {
    const { drivers, resolver } = sig;
    if (typeof resolver === "function") return resolver(drivers.filter((each) => !each.off).map((each) => each.v));
    if (sig.kind === "scalar") {
      if (resolver !== "std") return drivers[drivers.length - 1].v;
      const live = drivers.filter((each) => !each.off);
      if (live.length === 1) return live[0].v;
      let value = Z;
      for (const each of live) value = resolutionTable[value * 9 + (each.v as number)];
      return value;
    }
    if (sig.kind === "list") return drivers[drivers.length - 1].v;
    // bits: each driver has its own, or they meet in the table
    const { n } = sig;
    const codes = codesOf(sig.v as Bits, n).slice();
    const counts = new Uint8Array(n);
    for (const each of drivers) {
      if (each.off) continue;
      const own = codesOf(each.v as Bits, n);
      const { mask } = each;
      for (let i = 0; i < n; i++) {
        if (mask && !mask[i]) continue;
        if (counts[i]++ === 0) codes[i] = own[i];
        else codes[i] = resolver === "std" ? resolutionTable[codes[i] * 9 + own[i]] : own[i];
      }
    }
    return fromCodes(codes);
  }

  /**
   * @param marks Who reads what changes, if it is not the whole signal.
   * @param lo Only bits `lo` to `lo + n - 1` change.
   */
  set(sig: Sig, value: unknown, marks = sig.marks, lo = 0, n = sig.n): void {
    const old = sig.v;
    if (old === value) return;
    if (
      typeof value === "object" &&
      (value instanceof Codes ? old instanceof Codes && eqL(old, value) : same(old, value))
    )
      return;
    sig.last = old;
    sig.v = value;
    sig.ev = this.d;
    if (this.tracksTimes) sig.at = this.kernel.now;
    if (marks !== null) this.mark(marks);
    if (sig.listeners !== 0) this.tell(sig, lo, n);
    else if (this.onEvent !== null) this.onEvent(sig);
  }

  /**
   * Changes a driver's own bits, but marks nobody.
   * @param value A code if it is one bit, else bits.
   * @returns Whether they are others now.
   */
  setOwn(driver: Driver, value: unknown): boolean {
    const { sig } = driver;
    const { lo, n } = driver.own!;
    const old = sig.v as Bits;
    if (n === 1 && getL(old, lo) === value) return false;
    const v = n === 1 ? setL(old, sig.n, lo, value as number) : insertL(old, sig.n, lo, value as Bits, n);
    if (v === old || (typeof v === "object" && old instanceof Codes && eqL(old, v))) return false;
    sig.last = old;
    sig.v = v;
    sig.ev = this.d;
    if (this.tracksTimes) sig.at = this.kernel.now;
    if (sig.listeners !== 0) this.tell(sig, lo, n);
    else if (this.onEvent !== null) this.onEvent(sig);
    return true;
  }

  private mark(marks: Int32Array): void {
    const { dirty } = this;
    for (let i = 0; i < marks.length; i += 2) dirty[marks[i]] |= marks[i + 1];
    this.markDirty();
  }
  markDirty(): void {
    this.isDirty = true;
    if (!this.scheduled && !this.cycling) this.schedule();
  }

  /** A signal has its new value: wakes who waits for it. Of bits only `n` from `lo` on may be others than before. */
  tell(sig: Sig, lo = 0, n = sig.n): void {
    const { listeners } = sig;
    if ((listeners & toldProcs) !== 0) {
      const { procs } = sig;
      for (let i = 0; i < procs.length; i++) this.wake(procs[i]);
    }
    if ((listeners & toldEdges) !== 0) this.tellEdges(sig);
    if ((listeners & toldWaits) !== 0) {
      const { waiting, stamps, waitingCount } = sig;
      sig.waitingCount = 0;
      for (let i = 0; i < waitingCount; i++) if (waiting[i].stamp === stamps[i]) this.wake(waiting[i]);
    }
    if ((listeners & toldLinks) !== 0) {
      const { links } = sig;
      for (let i = 0; i < links.length; i++) links[i]();
    }
    if ((listeners & toldParts) !== 0) {
      const { parts } = sig;
      for (let i = 0; i < parts.length; i++) {
        const { stretch } = parts[i];
        if (stretch!.lo < lo + n && lo < stretch!.lo + stretch!.n) this.follow(parts[i]);
      }
    }
    if (this.onEvent !== null) this.onEvent(sig);
  }
  /** A part takes its value from the whole. */
  follow(part: Sig): void {
    const { of, lo, n, bit, two } = part.stretch!;
    this.set(part, bit ? getL(of.v as Bits, lo) - (two ? 2 : 0) : sliceL(of.v as Bits, lo, n));
  }
  private tellEdges(sig: Sig): void {
    const value = sig.v as number;
    // 0 and L end in binary 10, 1 and H in 11; no other value does
    if ((value & 2) === 0) return;
    const rises = (value & 1) as 0 | 1;
    const procs = rises ? sig.rising : sig.falling;
    for (let i = 0; i < procs.length; i++) this.wake(procs[i]);
    if (sig.edges !== null && ((sig.last as number) & 3) === ((value & 3) ^ 1)) {
      const list = sig.edges[rises];
      const { count } = list;
      list.count = 0;
      for (let i = 0; i < count; i++) if (list.procs[i].stamp === list.stamps[i]) this.wake(list.procs[i]);
    }
  }
  /** Looks who is told of a signal's events; those who wait are told until they have been. */
  listenersOf(sig: Sig): number {
    return (
      (sig.procs.length ? toldProcs : 0) |
      (sig.rising.length || sig.falling.length || sig.edges ? toldEdges : 0) |
      (sig.waitingCount ? toldWaits : 0) |
      (sig.links.length ? toldLinks : 0) |
      (sig.parts.length ? toldParts : 0)
    );
  }

  wake(proc: Proc): void {
    if (proc.queued) return;
    proc.queued = true;
    if (proc.watches !== 0) {
      this.watches -= proc.watches;
      proc.watches = 0;
    }
    if (proc.postponed) {
      if (this.postponed.length === 0) this.kernel.postponed.push(() => this.runPostponed());
      this.postponed.push(proc);
      return;
    }
    this.ready[this.readyCount++] = proc;
    if (!this.scheduled && !this.cycling) this.schedule();
  }
  /** Something is to run, or to be updated, in this slot. */
  schedule(): void {
    if (this.scheduled) return;
    this.scheduled = true;
    this.kernel.after(0, this.turn);
  }
  private runPostponed(): void {
    const list = this.postponed;
    this.postponed = [];
    for (const proc of list) {
      proc.queued = false;
      this.currentProcess = proc;
      proc.step();
    }
    this.d++;
  }

  private readonly turn = (): void => {
    this.scheduled = false;
    const list = this.ready;
    const count = this.readyCount;
    if (this.isDirty) {
      this.isDirty = false;
      if (count === 0 && this.watches === 0 && !this.hasUpdates && this.kernel.isQuiet) this.settle();
      else this.stepLogic();
    }
    if (count !== 0) {
      this.ready = this.spareReady;
      this.spareReady = list;
      this.readyCount = 0;
      this.kernel.turns += count;
      if (this.kernel.turns > this.kernel.maxTurns) throw this.runaway(list[0]);
      this.loopTurns = 0;
      for (let i = 0; i < count; i++) {
        const proc = list[i];
        proc.queued = false;
        this.currentProcess = proc;
        proc.step();
      }
    }
    this.currentProcess = null;
    this.d++;
  };
  private spareReady: Proc[] = [];

  /**
   * Nothing but pure logic is to run, and nobody watches its signals: its processes run in the order of their
   * dependence, each once, in place of once for every delta cycle. Nobody can see the difference.
   */
  private settle(): void {
    const { logic, dirty } = this;
    let any = false;
    do {
      any = false;
      for (let i = 0; i < logic.length; i++)
        if (dirty[i] !== 0) {
          any = true;
          logic[i]();
        }
      if (++this.kernel.turns > this.kernel.maxTurns) throw this.runaway(this.logicProcs[0]);
    } while (any);
    this.isDirty = false;
  }
  private runaway(proc: Proc): RunawaySignal {
    return new RunawaySignal(-1 - proc.number, false);
  }
  /** Each in this delta cycle, as any other process. */
  private stepLogic(): void {
    const { dirty, logicProcs } = this;
    for (let i = 0; i < dirty.length; i++) {
      let word = dirty[i];
      dirty[i] = 0;
      while (word !== 0) {
        const bit = 31 - Math.clz32(word & -word);
        word &= word - 1;
        const proc = logicProcs[i * 32 + bit];
        if (++this.kernel.turns > this.kernel.maxTurns) throw this.runaway(proc);
        this.currentProcess = proc;
        proc.step();
      }
    }
  }

  // ---- waiting --------------------------------------------------------------------------------------------------

  /** The process waits for an event of one of these, at most so long (fs; -1: for ever). */
  park(proc: Proc, sigs: readonly Sig[], timeout: number): void {
    const stamp = ++proc.stamp;
    proc.timedOut = false;
    for (let i = 0; i < sigs.length; i++) {
      this.await(sigs[i], proc, stamp);
    }
    if (timeout >= 0)
      this.kernel.afterNonblocking(timeout, () => {
        if (proc.stamp !== stamp || proc.queued) return;
        proc.timedOut = true;
        this.wake(proc);
      });
  }
  /** The process waits for one edge of std_logic. */
  parkEdge(proc: Proc, sig: Sig, rising: 0 | 1): void {
    proc.timedOut = false;
    sig.listeners |= toldEdges;
    if (sig.isLogic) this.watch(proc);
    sig.edges ??= [
      { procs: [], stamps: [], count: 0 },
      { procs: [], stamps: [], count: 0 },
    ];
    const list = sig.edges[rising];
    const at = list.count++;
    list.procs[at] = proc;
    list.stamps[at] = ++proc.stamp;
  }
  /** Waits again for the same, with the timeout still running. */
  repark(proc: Proc, sigs: readonly Sig[]): void {
    for (let i = 0; i < sigs.length; i++) this.await(sigs[i], proc, proc.stamp);
  }
  private await(sig: Sig, proc: Proc, stamp: number): void {
    sig.listeners |= toldWaits;
    if (sig.isLogic) this.watch(proc);
    const at = sig.waitingCount++;
    sig.waiting[at] = proc;
    sig.stamps[at] = stamp;
    // those that gave up waiting are not kept for ever
    if (at > 64 && (at & 63) === 0) this.tidy(sig);
  }
  private watch(proc: Proc): void {
    this.watches++;
    proc.watches++;
  }
  private tidy(sig: Sig): void {
    let kept = 0;
    for (let i = 0; i < sig.waitingCount; i++) {
      if (sig.waiting[i].stamp !== sig.stamps[i]) continue;
      sig.waiting[kept] = sig.waiting[i];
      sig.stamps[kept++] = sig.stamps[i];
    }
    sig.waitingCount = kept;
  }
  /** All of these run, and none of those that first values have woken: groups may have taken their places. */
  start(procs: readonly Proc[]): void {
    for (let i = 0; i < this.readyCount; i++) this.ready[i].queued = false;
    this.readyCount = 0;
    for (const proc of procs) this.wake(proc);
  }
}
