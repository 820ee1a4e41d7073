import "./blocks/register.ts";
import { ClockBlockSet } from "./blocks/clock-block.ts";
import { expanded, runOf } from "./blocks/running.ts";
import { SerialLaneRun } from "./blocks/serial-lane.ts";
import { type ClockGroup, groupByClock } from "./clock-groups.ts";
import type { Circuit } from "./decode.ts";
import { generateEngine, settleLimit } from "./engine-code.ts";
import { reduceAndOrder } from "./reduce.ts";
import type { RunningPart } from "./running-part.ts";

interface Exports {
  readonly memory: { readonly buffer: ArrayBuffer };
  settle(): number;
  run(cycles: number): number;
  [name: string]: unknown;
}

const none: readonly ClockGroup[] = [];
/** Most cycles of clock blocks that are kept worked out. */
const cycleLimit = 4096;

/** What happens to clocks at one moment: registers that take their next values, and levels of signals. */
interface Moment {
  readonly edges: readonly ClockGroup[];
  readonly slots: readonly number[];
  readonly levels: readonly number[];
}
/** One cycle of an input, from one state of the clock blocks to another. */
interface KnownCycle {
  readonly moments: readonly Moment[];
  readonly after: readonly (readonly number[])[];
  following: KnownCycle | null;
}

// the only web platform name the core needs; present in browsers, workers and Node alike
declare const WebAssembly: {
  Module: new (bytes: Uint8Array) => object;
  Instance: new (module: object) => { readonly exports: unknown };
};

/**
 * Runs a decoded circuit: zero-delay, levelised, as generated WebAssembly. Each signal is a 32-bit word that holds 0 or
 * 1. Flip-flops lie side by side so that a clock edge is one block copy from their next values.
 */
export class Engine implements RunningPart {
  private readonly exports: Exports;
  private readonly words: Int32Array;
  private readonly groups: ClockGroup[] = [];
  private readonly slotOf: Int32Array;
  private readonly dutyAt: number;
  private readonly derived: ClockGroup[];
  /** Inputs that clocks are made of, or are. */
  private readonly clockInputs: readonly number[];
  /** [blocks] Byte that each block's state starts at. */
  private readonly blockAt: readonly number[];
  /** [derived] Level of the clock when it was last looked at. */
  private readonly lastClock: Int32Array;
  /** [groups] */
  private readonly nextCalls: readonly (() => void)[];
  private readonly takeCalls: readonly (() => void)[];
  /** Clock that `runCycles` may drive by generated code alone, or null. */
  private readonly fastClock: number | null;
  readonly lutCount: number;
  readonly flipFlopCount: number;
  unstable = false;

  private readonly clockBlocks: ClockBlockSet;
  /** Inputs of clock blocks that logic or a pad of both directions makes, with their last level. */
  private readonly madeInputs = new Map<number, number>();
  /** True if no clock block's input hangs on the circuit: then cycles of an input can be worked out beforehand. */
  private readonly isKnown: boolean;
  /** By the state of the clock blocks before. */
  private readonly cycles = new Map<string, KnownCycle>();
  private readonly lanes: readonly SerialLaneRun[];
  receive: (lane: number) => number = () => 0;
  readonly circuit: Circuit;

  constructor(decoded: Circuit) {
    const circuit = expanded(decoded);
    this.circuit = circuit;
    const ordered = reduceAndOrder(circuit);
    const { tables } = ordered;
    // what a block passes through without a register is settled like a loop
    const through = circuit.blocks.filter((block) => {
      const run = runOf(block.modes);
      return run.how === "code" && run.value?.followsPins(block);
    });
    const loopSignals = [...ordered.loopSignals, ...through.flatMap((block) => [...block.outputs.values()])];
    this.lutCount = circuit.lutCount;
    this.flipFlopCount = circuit.flipFlops.length;
    this.groups = groupByClock(circuit);
    this.lanes = circuit.blocks
      .filter(({ modes }) => runOf(modes).how === "serial line")
      .map((lane) => new SerialLaneRun(lane));
    const inputSignals = new Set(circuit.inputs.map((input) => input.signal));
    for (const { modes, outputs } of circuit.blocks)
      if (runOf(modes).how === "clock edges") for (const signal of outputs.values()) inputSignals.add(signal);
    this.clockBlocks = new ClockBlockSet(circuit);
    for (const signal of this.clockBlocks.inputs)
      if (signal !== 0 && !inputSignals.has(signal)) this.madeInputs.set(signal, 0);
    this.derived = this.groups.filter((group) => group.signal !== 0 && !inputSignals.has(group.signal));
    this.lastClock = new Int32Array(this.derived.length);

    this.clockInputs = [
      ...sourcesOf(
        circuit,
        this.groups.map((group) => group.signal),
      ),
    ].filter((signal) => inputSignals.has(signal));

    // memory: flip-flops, then all other signals, then next values, loop copies, duty counters
    this.slotOf = new Int32Array(circuit.signalCount).fill(-1);
    let slot = 0;
    for (const group of this.groups) for (const ff of group.flipFlops) this.slotOf[ff.output] = slot++;
    for (let signal = 0; signal < circuit.signalCount; signal++)
      if (this.slotOf[signal] < 0) this.slotOf[signal] = slot++;
    const nextAt = slot;
    const loopAt = nextAt + this.flipFlopCount;
    this.dutyAt = loopAt + loopSignals.length;
    let end = this.dutyAt + circuit.outputs.length;
    end += end & 1; // blocks hold numbers of 8 bytes
    this.blockAt = circuit.blocks.map((block) => {
      const at = end * 4;
      const run = runOf(block.modes);
      if (run.how === "code") end += run.stateBytes(block) / 4;
      return at;
    });
    const wordCount = end;

    const driven = this.groups.filter((group) => inputSignals.has(group.signal));
    const clocks = new Set(driven.map((group) => group.signal));
    const isFree = this.derived.length === 0 && this.lanes.length === 0;
    const isPlain = isFree && this.clockBlocks.isEmpty;
    this.isKnown = this.madeInputs.size === 0;
    this.fastClock = isPlain && clocks.size === 1 ? [...clocks][0] : null;
    const bytes = generateEngine(
      {
        circuit,
        slotOf: this.slotOf,
        groups: this.groups,
        blockAt: this.blockAt,
        dutyAt: this.dutyAt,
        fastClock: this.fastClock,
        nextAt,
        loopAt,
        wordCount,
      },
      tables,
      loopSignals,
    );
    const instance = new WebAssembly.Instance(new WebAssembly.Module(bytes));
    this.exports = instance.exports as Exports;
    const calls = (name: string) => this.groups.map(({ index }) => this.exports[`${name}${index}`] as () => void);
    [this.nextCalls, this.takeCalls] = [calls("next"), calls("take")];
    this.words = new Int32Array(this.exports.memory.buffer);
    this.reset();
  }

  /** As after configuration: every flip-flop at its initial value. */
  reset(): void {
    this.words.fill(0);
    for (const ff of this.circuit.flipFlops) this.words[this.slotOf[ff.output]] = ff.init;
    const bytes = new Uint8Array(this.words.buffer);
    this.circuit.blocks.forEach((block, i) => {
      const run = runOf(block.modes);
      if (run.how === "code" && run.contents) bytes.set(run.contents(block), this.blockAt[i]);
    });
    this.unstable = false;
    this.clockBlocks.reset();
    for (const run of this.lanes) run.reset();
    this.settle();
    this.derived.forEach((group, i) => {
      this.lastClock[i] = this.signal(group.signal);
    });
    for (const signal of this.madeInputs.keys()) this.madeInputs.set(signal, this.signal(signal));
  }

  signal(signal: number): number {
    return this.words[this.slotOf[signal]];
  }
  wait(): void {}
  driven(output: number): number | null {
    const { signal, enable } = this.circuit.outputs[output];
    return enable >= 0 && this.signal(enable) === 0 ? null : this.signal(signal);
  }
  registers(): Uint8Array {
    return Uint8Array.from(this.circuit.flipFlops, ({ output }) => this.signal(output));
  }

  /**
   * Sets input signals and lets the circuit settle; a change of a clock input is an edge. What clock blocks make of it
   * follows, up to the input's next edge.
   */
  setInputs(values: ReadonlyMap<number, number>): void {
    if (this.clockBlocks.isEmpty) {
      this.apply(values);
      return;
    }
    const changes = [...values].filter(([signal, level]) => this.signal(signal) !== level);
    for (const { levels, at, span } of this.clockBlocks.follow(changes)) {
      this.apply(levels);
      for (const [signal, old] of this.madeInputs) {
        const level = this.signal(signal);
        if (level === old) continue;
        this.madeInputs.set(signal, level);
        this.clockBlocks.edge(signal, level, at, span);
      }
    }
  }

  /** The moments of one cycle of an input, from a state of the clock blocks on. */
  private cycleFrom(key: string, signal: number): KnownCycle {
    const known = this.cycles.get(key);
    if (known) return known;
    if (this.cycles.size >= cycleLimit) this.cycles.clear();
    const moments: Moment[] = [];
    for (const level of [1, 0])
      for (const { levels } of this.clockBlocks.follow([[signal, level]])) {
        const edges = this.groups.filter((group) => {
          const value = levels.get(group.signal);
          return value !== undefined && group.signal !== 0 && (value === 1) !== group.falling;
        });
        const slots = [...levels.keys()].map((each) => this.slotOf[each]);
        moments.push({ edges, slots, levels: [...levels.values()] });
      }
    const cycle = { moments, after: this.clockBlocks.state, following: null };
    this.cycles.set(key, cycle);
    return cycle;
  }

  /** Cycles of an input, all of whose moments are known beforehand. */
  private runKnown(signal: number, cycles: number): void {
    const count = this.exports["count"] as () => void;
    let cycle = this.cycleFrom(JSON.stringify([signal, this.clockBlocks.state]), signal);
    for (let i = 0; i < cycles; i++) {
      count();
      for (const moment of cycle.moments) this.pass(moment);
      if (i + 1 === cycles) break;
      if (!cycle.following) {
        this.clockBlocks.restore(cycle.after);
        cycle.following = this.cycleFrom(JSON.stringify([signal, cycle.after]), signal);
      }
      cycle = cycle.following;
    }
    this.clockBlocks.restore(cycle.after);
  }

  private apply(values: ReadonlyMap<number, number>): void {
    const edges: ClockGroup[] = [];
    for (const group of this.groups) {
      const value = values.get(group.signal);
      if (value === undefined || group.signal === 0) continue;
      const old = this.signal(group.signal);
      if (old !== value && (value === 1) !== group.falling) edges.push(group);
    }
    const slots: number[] = [];
    const levels: number[] = [];
    for (const signal of this.clockInputs) {
      const value = values.get(signal);
      if (value === undefined) continue;
      slots.push(this.slotOf[signal]);
      levels.push(value);
    }
    this.pass({ edges, slots, levels }, values);
  }

  /**
   * Edges act on the values from before: registers that they clock are taken first, then other inputs change. Gates that
   * a clock goes through pass the same edge on: what they clock is taken together with the others.
   */
  private pass({ edges, slots, levels }: Moment, others?: ReadonlyMap<number, number>): void {
    for (const group of edges) this.next(group);
    for (let k = 0; k < slots.length; k++) this.words[slots[k]] = levels[k];
    let more: readonly ClockGroup[] = none;
    if (this.derived.length) {
      this.settle();
      more = this.derivedEdges();
      for (const group of more) this.next(group);
    }
    if (others) for (const [signal, value] of others) this.words[this.slotOf[signal]] = value;
    for (const group of edges) this.take(group);
    for (const group of more) this.take(group);
    this.settleAll();
  }

  private next(group: ClockGroup): void {
    this.nextCalls[group.index]();
    for (const lane of group.lanes) this.lanes[lane].sample((signal) => this.signal(signal));
  }
  private take(group: ClockGroup): void {
    this.takeCalls[group.index]();
    if (group.lanes.length === 0) return;
    // all that one edge sends is on the lines before any of it is received
    const sending = group.lanes.map((lane) => this.lanes[lane]).filter((run) => run.take(this.write));
    for (const run of sending) run.receive(this.receive(run.lane));
  }
  private readonly write = (signal: number, level: number): void => {
    this.words[this.slotOf[signal]] = level;
  };

  serialWord(lane: number): number | null {
    return this.lanes.find((run) => run.lane === lane)?.sent ?? null;
  }

  private settle(): void {
    if (this.exports.settle() !== 0) this.unstable = true;
  }

  /** Settles, then follows clocks that come from logic: each edge takes its registers, which may make more edges. */
  private settleAll(): void {
    this.settle();
    for (let round = 0; this.derived.length && round < settleLimit; round++) {
      const edges = this.derivedEdges();
      if (!edges.length) return;
      for (const group of edges) this.next(group);
      for (const group of edges) this.take(group);
      this.settle();
    }
  }

  /** Groups whose clock is made by logic and has had its edge since the last call. */
  private derivedEdges(): readonly ClockGroup[] {
    const { derived, lastClock } = this;
    let edges: ClockGroup[] | null = null;
    for (let i = 0; i < derived.length; i++) {
      const now = this.signal(derived[i].signal);
      if (lastClock[i] === now) continue;
      lastClock[i] = now;
      if ((now === 1) === derived[i].falling) continue;
      edges ??= [];
      edges.push(derived[i]);
    }
    return edges ?? none;
  }

  runCycles(signal: number, cycles: number): void {
    if (signal === this.fastClock) {
      if (this.exports.run(cycles) !== 0) this.unstable = true;
      return;
    }
    if (this.isKnown && this.signal(signal) === 0) {
      if (cycles > 0) this.runKnown(signal, cycles);
      return;
    }
    const high = new Map([[signal, 1]]);
    const low = new Map([[signal, 0]]);
    for (let i = 0; i < cycles; i++) {
      (this.exports["count"] as () => void)();
      this.setInputs(high);
      this.setInputs(low);
    }
  }

  takeDuty(): Int32Array {
    const duty = this.words.slice(this.dutyAt, this.dutyAt + this.circuit.outputs.length);
    this.words.fill(0, this.dutyAt, this.dutyAt + this.circuit.outputs.length);
    return duty;
  }
}

/** Signals that the given ones follow without a register between, themselves among them. */
function sourcesOf(circuit: Circuit, signals: readonly number[]): Set<number> {
  const inputsOf = new Map(circuit.tables.map((table) => [table.output, table.inputs]));
  const seen = new Set(signals);
  for (const signal of seen) for (const input of inputsOf.get(signal) ?? []) seen.add(input);
  return seen;
}
