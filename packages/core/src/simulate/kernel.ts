import { RunawaySignal } from "../common/runaway.ts";
import type { BlockId } from "../elaborate/model.ts";

/**
 * The event queue of a simulation (IEEE 1364-2005 clause 11, IEEE 1800-2017 clause 4). One time slot after the other;
 * within one, active events run until there are none, then inactive ones become active, then non-blocking assignments
 * are made, and so on until the slot is quiet. Compiled code calls the kernel through `Kernel`'s fields.
 */

interface Waiter {
  readonly thread: Thread;
  live: boolean;
  readonly terms: readonly WaitTerm[];
}
interface WaitTerm {
  readonly signal: number;
  readonly edge: "pos" | "neg" | "both" | null;
  /** Looks at these bits only; null: at the whole signal. */
  readonly bit: number | null;
  /** For events that are expressions: shared by the terms of one expression. */
  readonly probe: Probe | null;
  readonly guard: (() => boolean) | null;
}

interface Probe {
  /** The value now, as text that tells values apart; its last character is the lowest bit. */
  readonly value: () => string;
  last: string;
}

/** Threads that wait for one edge of one bit and nothing else: by far the most frequent wait. */
interface EdgeList {
  readonly threads: Thread[];
  count: number;
}

export class Thread {
  /** The edge it waits for, if it waits for a plain one. */
  edge: EdgeList | null = null;
  gen: Generator<void, void, void> | null = null;
  waiter: Waiter | null = null;
  /** Serial number of the timer it waits for; a timer with another number is stale. */
  timer = 0;
  parent: Thread | null = null;
  children: Thread[] = [];
  /** Children to end before it goes on; -1: not waiting for any. */
  joining = -1;
  done = false;
  pendingThrow: unknown = null;
  queued = false;
  /** Other threads to tell when it ends, by kind of join. */
  group: { readonly kind: "join" | "join_any" | "join_none"; left: number } | null = null;
  constructor(
    readonly id: number,
    /** Process it began in, for messages. */
    readonly process: number,
  ) {}
}

export class FinishSignal {
  constructor(readonly kind: "finish" | "stop" | "fatal") {}
}
/** Thrown to leave a block that was disabled. */
class BlockSignal {
  constructor(readonly block: string) {}
}
/** Thrown when time has come so far that steps as short as this one cannot be counted any more. */
export class TimeFullError extends Error {
  override name = "TimeFullError";
  /** Both in steps of the precision. */
  constructor(
    readonly now: number,
    readonly steps: number,
  ) {
    super("This wait is too short to be counted so late in the run");
  }
}

type Event = Thread | (() => void);
/** One time with events. Slots and their lists are used again: making new ones costs more than running most events. */
interface Slot {
  time: number;
  /** Threads come with the serial of the timer that wakes them. */
  readonly active: (Event | number)[];
  count: number;
  readonly nonblocking: (() => void)[];
  nonblockingCount: number;
}

export class Kernel {
  /** In steps of the finest precision of the design. */
  now = 0;
  private readonly heap: Slot[] = [];
  /** By time, while there are many. */
  private readonly slots = new Map<number, Slot>();
  /** The map is in use. */
  private hasMany = false;
  private readonly free: Slot[] = [];
  /** Processes without waiting inside, each in the queue once at most. */
  processes: (() => void)[] = [];
  queuedFlags = new Uint8Array(0);
  /** Active events: processes by number, threads, and what else is to be done. Filled up to `tail`; never shrunk. */
  readonly queue: (number | Event)[] = [];
  tail = 0;
  private head = 0;
  private inactive: Thread[] = [];
  /** Filled up to `nonblockingCount`; never shrunk, as the queue. */
  private nonblocking: (() => void)[] = [];
  private nonblockingCount = 0;
  private spareNonblocking: (() => void)[] = [];
  private begun = false;
  private timers = 0;
  private threads = 0;
  turns = 0;
  maxTurns = 10_000_000;
  /** Turns of loops since time last went on. */
  loopTurns = 0;
  maxLoopTurns = 100_000_000;
  current: Thread | null = null;
  /** The process that runs, for messages about loops. */
  currentProcess = -1;
  /** Makes the narrow non-blocking assignments; set by the compiled program. True if there were any. */
  applyNonblocking: () => boolean = () => false;
  /** Puts what is to be done at this time behind the assignments that wait already, and before those to come. */
  deferNonblocking: ((run: () => void) => void) | null = null;
  /**
   * Set when all events but those of the non-blocking region are somebody's own: makes what these have left to update,
   * and runs whoever that wakes, until this time slot has nothing more of his.
   */
  alone: ((events: readonly (() => void)[], count: number) => void) | null = null;
  readonly postponed: (() => void)[] = [];
  /** Run at the end of each time slot. */
  onSlotEnd: (() => void) | null = null;
  readonly waiters: (Waiter[] | null)[] = [];
  readonly activations = new Map<BlockId, Thread[]>();
  private readonly blockSignals = new Map<BlockId, BlockSignal>();
  /** Processes that ran last, to name those in a loop without delay. */
  readonly recent = new Int32Array(64);
  private recentAt = 0;

  /** [processes] Place in the order of combinational processes; -1 for those in the queue. */
  levelOf = new Int32Array(0);
  /** A bit for each combinational process that must run, 32 in a word. Number of the process that runs them. */
  levels = new Int32Array(0);
  levelRunner = -1;

  /** Nothing is left to run in this slot but what the non-blocking region brings. */
  get isQuiet(): boolean {
    return this.head === this.tail && this.nonblockingCount === 0 && this.inactive.length === 0;
  }

  /** Puts a process into the active queue, unless it is there. */
  wake(process: number): void {
    const level = this.levelOf[process];
    if (level >= 0) {
      this.levels[level >>> 5] |= 1 << (level & 31);
      this.wake(this.levelRunner);
      return;
    }
    if (this.queuedFlags[process]) return;
    this.queuedFlags[process] = 1;
    this.queue[this.tail++] = process;
  }

  /** The time so many steps from now. @throws TimeFullError where it could not be told from its neighbours. */
  later(steps: number): number {
    const time = this.now + steps;
    if (time > Number.MAX_SAFE_INTEGER && (time - this.now !== steps || time - steps !== this.now))
      throw new TimeFullError(this.now, steps);
    return time;
  }

  private slotAt(time: number): Slot {
    const { heap } = this;
    // mostly a few times are pending: a look at each beats a hash
    if (heap.length <= 12) {
      for (let i = 0; i < heap.length; i++) if (heap[i].time === time) return heap[i];
    } else {
      if (!this.hasMany) {
        for (const each of heap) this.slots.set(each.time, each);
        this.hasMany = true;
      }
      const known = this.slots.get(time);
      if (known) return known;
    }
    const slot: Slot = this.free.pop() ?? { time, active: [], count: 0, nonblocking: [], nonblockingCount: 0 };
    slot.time = time;
    if (this.hasMany) this.slots.set(time, slot);
    // binary heap by time (Williams 1964)
    let at = heap.push(slot) - 1;
    while (at > 0) {
      const up = (at - 1) >> 1;
      if (heap[up].time <= time) break;
      heap[at] = heap[up];
      at = up;
    }
    heap[at] = slot;
    return slot;
  }

  private popSlot(): Slot | undefined {
    const { heap } = this;
    const top = heap[0];
    if (!top) return undefined;
    const last = heap.pop()!;
    if (heap.length) {
      let at = 0;
      for (;;) {
        let child = 2 * at + 1;
        if (child >= heap.length) break;
        if (child + 1 < heap.length && heap[child + 1].time < heap[child].time) child++;
        if (heap[child].time >= last.time) break;
        heap[at] = heap[child];
        at = child;
      }
      heap[at] = last;
    }
    if (this.hasMany) {
      if (heap.length <= 12) {
        this.slots.clear();
        this.hasMany = false;
      } else this.slots.delete(top.time);
    }
    return top;
  }

  /** Time of the next event, or null when nothing is left to happen. */
  get nextTime(): number | null {
    return this.heap[0]?.time ?? null;
  }

  /** The thread sleeps; 0 puts it into the inactive region of this slot. */
  sleep(thread: Thread, steps: number): void {
    if (steps <= 0) {
      thread.timer = ++this.timers;
      this.inactive.push(thread);
      return;
    }
    thread.timer = ++this.timers;
    const slot = this.slotAt(this.later(steps));
    slot.active[slot.count++] = thread;
    slot.active[slot.count++] = thread.timer;
  }

  /** @returns A function that takes the event back. */
  after(steps: number, run: () => void): void {
    if (steps <= 0) this.queue[this.tail++] = run;
    else {
      const slot = this.slotAt(this.later(steps));
      slot.active[slot.count++] = run;
    }
  }

  /** In the non-blocking region, now or later. */
  afterNonblocking(steps: number, run: () => void): void {
    if (steps <= 0) this.nonblocking[this.nonblockingCount++] = run;
    else {
      const slot = this.slotAt(this.later(steps));
      slot.nonblocking[slot.nonblockingCount++] = run;
    }
  }

  spawn(process: number, make: (thread: Thread) => Generator<void, void, void>): Thread {
    const thread = new Thread(this.threads++, process);
    thread.gen = make(thread);
    this.ready(thread);
    return thread;
  }

  ready(thread: Thread): void {
    if (thread.queued || thread.done) return;
    thread.queued = true;
    this.queue[this.tail++] = thread;
  }

  // ---- waiting for events -------------------------------------------------------------------------------------

  wait(thread: Thread, terms: readonly WaitTerm[]): void {
    const waiter: Waiter = { thread, live: true, terms };
    thread.waiter = waiter;
    if (terms.length === 1 && !terms[0].probe) {
      const { signal } = terms[0];
      const list = this.waiters[signal];
      if (list) list.push(waiter);
      else this.waiters[signal] = [waiter];
      return;
    }
    const seen: number[] = [];
    for (const term of terms) {
      if (term.probe) term.probe.last = term.probe.value();
      if (seen.includes(term.signal)) continue;
      seen.push(term.signal);
      const list = this.waiters[term.signal];
      if (list) list.push(waiter);
      else this.waiters[term.signal] = [waiter];
    }
  }

  waitEdge(thread: Thread, list: EdgeList): void {
    thread.edge = list;
    list.threads[list.count++] = thread;
  }

  /** The edge has happened. Threads that were taken away meanwhile are passed over. */
  fire(list: EdgeList): void {
    const { threads, count } = list;
    list.count = 0;
    for (let i = 0; i < count; i++) {
      const thread = threads[i];
      if (thread.edge !== list) continue;
      thread.edge = null;
      this.ready(thread);
    }
  }

  /**
   * A signal that threads wait for has changed.
   * @param changed Whether a bit has changed, and its edge: 1 up, -1 down, 0 a change of another kind, null none.
   */
  notify(signal: number, changed: (bit: number) => number | null): void {
    const list = this.waiters[signal];
    if (!list) return;
    let kept = 0;
    for (const waiter of list) {
      if (!waiter.live) continue;
      let fires = false;
      for (const term of waiter.terms) {
        if (term.signal !== signal) continue;
        if (term.probe) {
          const value = term.probe.value();
          const before = term.probe.last;
          if (value === before) continue;
          term.probe.last = value;
          if (term.edge && !edgeFits(term.edge, edgeOf(before[before.length - 1], value[value.length - 1]))) continue;
        } else if (term.edge) {
          if (!edgeFits(term.edge, changed(term.bit ?? 0))) continue;
        }
        if (term.guard && !term.guard()) continue;
        fires = true;
        break;
      }
      if (fires) {
        waiter.live = false;
        waiter.thread.waiter = null;
        this.ready(waiter.thread);
      } else list[kept++] = waiter;
    }
    if (kept !== list.length) list.length = kept;
  }

  trigger(signal: number): void {
    this.lastTrigger.set(signal, this.now);
    this.notify(signal, () => null);
  }

  // ---- forks and disables -------------------------------------------------------------------------------------

  /** Running branches of named forks. */
  private readonly branches = new Map<BlockId, Thread[]>();
  /** Times of the last triggers of events that were triggered, for `triggered`. */
  private readonly lastTrigger = new Map<number, number>();

  /** True to the end of the time step in which the event was triggered (IEEE 1800-2017 clause 15.5.3). */
  triggered(signal: number): boolean {
    return this.lastTrigger.get(signal) === this.now;
  }

  /**
   * @param block Named fork that something disables: its branches belong to it when it is over itself.
   * @returns True if the parent must wait.
   */
  fork(
    parent: Thread,
    kind: "join" | "join_any" | "join_none",
    branches: readonly ((thread: Thread) => Generator<void, void, void>)[],
    block: BlockId | null = null,
  ): boolean {
    const group = { kind, left: kind === "join" ? branches.length : Math.min(1, branches.length) };
    parent.children = parent.children.filter((child) => !child.done);
    const named = block && (this.branches.get(block) ?? []).filter((each) => !each.done);
    if (block && named) this.branches.set(block, named);
    for (const branch of branches) {
      const child = this.spawn(parent.process, branch);
      child.parent = parent;
      child.group = group;
      parent.children.push(child);
      named?.push(child);
    }
    if (kind === "join_none" || group.left === 0) return false;
    parent.joining = 1;
    return true;
  }

  /** @returns True if there are threads to wait for. */
  waitFork(parent: Thread): boolean {
    parent.children = parent.children.filter((child) => !child.done);
    if (parent.children.length === 0) return false;
    parent.joining = 2;
    return true;
  }

  private ended(thread: Thread): void {
    thread.done = true;
    const { parent, group } = thread;
    if (!parent || !group || parent.done) return;
    if (parent.joining === 2) {
      if (parent.children.every((child) => child.done)) {
        parent.joining = -1;
        this.ready(parent);
      }
      return;
    }
    if (parent.joining === 1 && group.kind !== "join_none" && --group.left === 0) {
      parent.joining = -1;
      this.ready(parent);
    }
  }

  kill(thread: Thread): void {
    if (thread.done) return;
    for (const child of thread.children) this.kill(child);
    thread.done = true;
    this.unwait(thread);
    for (const list of this.activations.values()) {
      const at = list.indexOf(thread);
      if (at >= 0) list.splice(at, 1);
    }
  }

  private unwait(thread: Thread): void {
    if (thread.waiter) thread.waiter.live = false;
    thread.waiter = null;
    thread.edge = null;
    thread.timer = 0;
    thread.joining = -1;
  }

  signalOf(block: BlockId): BlockSignal {
    let signal = this.blockSignals.get(block);
    if (!signal) {
      signal = new BlockSignal(block.name);
      this.blockSignals.set(block, signal);
    }
    return signal;
  }

  enter(thread: Thread, block: BlockId): void {
    const list = this.activations.get(block);
    if (list) list.push(thread);
    else this.activations.set(block, [thread]);
  }

  leave(thread: Thread, block: BlockId): void {
    const list = this.activations.get(block);
    const at = list ? list.lastIndexOf(thread) : -1;
    if (at >= 0) list!.splice(at, 1);
  }

  /** Ends every run of the block. @returns True if the calling thread is within it and must leave by itself. */
  disable(thread: Thread | null, block: BlockId): boolean {
    let own = false;
    for (const active of [...(this.activations.get(block) ?? [])]) {
      for (let at: Thread | null = thread; at; at = at.parent) if (at === active) own = true;
      if (active === thread) continue;
      for (const child of active.children) if (child !== thread) this.kill(child);
      this.unwait(active);
      active.pendingThrow = this.signalOf(block);
      this.ready(active);
    }
    for (const branch of this.branches.get(block) ?? []) {
      let isWithin = false;
      for (let at: Thread | null = thread; at; at = at.parent) if (at === branch) isWithin = true;
      if (isWithin) own = true;
      else this.kill(branch);
    }
    return own;
  }

  disableFork(thread: Thread): void {
    for (const child of thread.children) this.kill(child);
    thread.children = [];
  }

  // ---- running ------------------------------------------------------------------------------------------------

  private resume(thread: Thread): void {
    thread.queued = false;
    if (thread.done) return;
    this.current = thread;
    this.currentProcess = thread.process;
    let result: IteratorResult<void, void>;
    try {
      if (thread.pendingThrow) {
        const signal = thread.pendingThrow;
        thread.pendingThrow = null;
        result = thread.gen!.throw(signal);
      } else result = thread.gen!.next();
    } catch (error) {
      // a branch of a fork that disabled the block around it: the block's own thread goes on
      if (!(error instanceof BlockSignal)) throw error;
      this.current = null;
      thread.done = true;
      return;
    }
    this.current = null;
    if (result.done) this.ended(thread);
  }

  /** Of the processes that are run in the order of their dependence, those that are due. */
  dueInOrder(): number[] {
    const due: number[] = [];
    this.levelOf.forEach((level, process) => {
      if (level >= 0 && (this.levels[level >>> 5] >>> (level & 31)) & 1) due.push(process);
    });
    return due;
  }

  /** A turn of a loop within a process. */
  tick(): void {
    if (++this.loopTurns > this.maxLoopTurns) throw new RunawaySignal(this.currentProcess, true);
  }

  /** Counts one turn; near the limit it keeps who took the last ones. */
  private many(process: number): void {
    if (this.turns > this.maxTurns) throw new RunawaySignal(process, false);
    this.recent[this.recentAt++ & 63] = process;
  }

  /** Everything that happens at this time. */
  private settle(): void {
    const flags = this.queuedFlags;
    const { processes, queue } = this;
    const warn = this.maxTurns - 4096;
    for (;;) {
      while (this.head < this.tail) {
        const event = queue[this.head++];
        if (typeof event === "number") {
          flags[event] = 0;
          this.currentProcess = event;
          if (++this.turns > warn) this.many(event);
          processes[event]();
        } else if (typeof event === "function") event();
        else {
          if (++this.turns > warn) this.many(event.process);
          this.resume(event);
        }
      }
      this.head = 0;
      this.tail = 0;
      if (this.inactive.length) {
        const list = this.inactive;
        this.inactive = [];
        for (const thread of list) if (thread.timer) this.ready(thread);
        continue;
      }
      let any = this.applyNonblocking();
      const count = this.nonblockingCount;
      if (count !== 0) {
        const list = this.nonblocking;
        this.nonblocking = this.spareNonblocking;
        this.spareNonblocking = list;
        this.nonblockingCount = 0;
        for (let i = 0; i < count; i++) list[i]();
        any = true;
      }
      if (!any && this.tail === 0) break;
    }
    this.endSlot();
  }
  private endSlot(): void {
    if (this.postponed.length) {
      const list = this.postponed.splice(0);
      for (const run of list) run();
    }
    if (this.onSlotEnd) this.onSlotEnd();
  }

  /**
   * Runs up to and with time `until`, at most `slots` time slots.
   * @returns "idle" when nothing is left to happen, "limit" at the time limit, "more" when slots ran out first.
   */
  run(until: number, slots: number): "idle" | "limit" | "more" {
    let count = 0;
    const { heap } = this;
    if (!this.begun || this.tail || this.nonblockingCount || this.inactive.length) {
      this.begun = true; // time 0 is a slot even if nothing happens in it
      this.settle();
    }
    while (count++ < slots) {
      const next = heap[0];
      if (!next) return "idle";
      if (next.time > until) {
        this.now = until;
        return "limit";
      }
      const slot = this.popSlot()!;
      this.now = slot.time;
      this.turns = 0;
      this.loopTurns = 0;
      const n = slot.count;
      if (n === 0 && this.alone !== null) {
        this.alone(slot.nonblocking, slot.nonblockingCount);
        slot.nonblockingCount = 0;
        if (this.free.length < 64) this.free.push(slot);
        if (this.isQuiet) this.endSlot();
        else this.settle();
        continue;
      }
      const { active } = slot;
      for (let i = 0; i < n; i++) {
        const event = active[i];
        if (typeof event === "function") this.queue[this.tail++] = event;
        else if (typeof event === "object") {
          if (event.timer === active[++i]) this.ready(event);
        }
      }
      slot.count = 0;
      for (let i = 0; i < slot.nonblockingCount; i++)
        if (this.deferNonblocking) this.deferNonblocking(slot.nonblocking[i]);
        else this.nonblocking[this.nonblockingCount++] = slot.nonblocking[i];
      slot.nonblockingCount = 0;
      if (this.free.length < 64) this.free.push(slot);
      this.settle();
    }
    return "more";
  }
}

/** 1 up, -1 down, 0 neither (IEEE 1364-2005 table 9-1), from the characters of two bits. */
export function edgeOf(from: string, to: string): number | null {
  if (from === to) return null;
  if (to === "1" || from === "0") return 1;
  if (to === "0" || from === "1") return -1;
  return 0;
}

function edgeFits(wanted: "pos" | "neg" | "both", edge: number | null): boolean {
  if (edge === null || edge === 0) return false;
  return wanted === "both" || (wanted === "pos") === edge > 0;
}
