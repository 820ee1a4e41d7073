import {
  blockContents,
  blockStateBytes,
  emitMemoryNext,
  emitMemoryTake,
  emitMultiplierNext,
  emitMultiplierTake,
  emitMultiplierValue,
  followsPins,
  isRegistered,
} from "./block-code.ts";
import type { Circuit, DecodedFlipFlop } from "./decode.ts";
import { emitNext, emitTable } from "./emit.ts";
import { fusedRun } from "./fused-run.ts";
import { type ReducedTable, reduceAndOrder } from "./reduce.ts";
import { CodeWriter, op, type WasmFunction, writeModule } from "./wasm-writer.ts";

/** Most tables in one generated function: larger ones are slow to compile and no faster to run. */
const tablesPerFunction = 400;
/** Most tables and flip-flops for the one-function form of `run`, which keeps all state in locals. */
const fusedLimit = 1200;
/** Rounds of settling before a loop counts as oscillating. */
const settleLimit = 64;

interface Exports {
  readonly memory: { readonly buffer: ArrayBuffer };
  settle(): number;
  run(cycles: number): number;
  [name: string]: unknown;
}

interface ClockGroup {
  readonly signal: number;
  readonly falling: boolean;
  readonly flipFlops: readonly DecodedFlipFlop[];
  /** Place of its first flip-flop among all. */
  readonly first: number;
  /** Hard blocks with a clock here: number among all, and which of their clocks. */
  readonly blocks: { readonly block: number; readonly ports: number[] }[];
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
export class Engine {
  private readonly exports: Exports;
  private readonly words: Int32Array;
  private readonly groups: ClockGroup[] = [];
  private readonly slotOf: Int32Array;
  private readonly dutyAt: number;
  private readonly derived: ClockGroup[];
  /** [blocks] Byte that each block's state starts at. */
  private readonly blockAt: readonly number[];
  private readonly lastClock = new Map<number, number>();
  /** Clock that `runCycles` may drive by generated code alone, or null. */
  private readonly fastClock: number | null;
  readonly lutCount: number;
  readonly flipFlopCount: number;
  /** True once a combinational loop has failed to settle. */
  unstable = false;

  constructor(readonly circuit: Circuit) {
    const ordered = reduceAndOrder(circuit);
    const { tables } = ordered;
    // what a block passes through without a register is settled like a loop
    const through = circuit.blocks.filter((block) => block.modes.type === "multiplier" && followsPins(block));
    const loopSignals = [...ordered.loopSignals, ...through.flatMap((block) => [...block.outputs.values()])];
    this.lutCount = circuit.lutCount;
    this.flipFlopCount = circuit.flipFlops.length;
    this.groups = groupByClock(circuit);
    const inputSignals = new Set(circuit.inputs.map((input) => input.signal));
    this.derived = this.groups.filter((group) => group.signal !== 0 && !inputSignals.has(group.signal));

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
      end += blockStateBytes(block) / 4;
      return at;
    });
    const wordCount = end;

    const driven = this.groups.filter((group) => inputSignals.has(group.signal));
    const clocks = new Set(driven.map((group) => group.signal));
    this.fastClock = this.derived.length === 0 && clocks.size === 1 ? [...clocks][0] : null;
    const bytes = this.generate(tables, loopSignals, nextAt, loopAt, wordCount);
    const instance = new WebAssembly.Instance(new WebAssembly.Module(bytes));
    this.exports = instance.exports as Exports;
    this.words = new Int32Array(this.exports.memory.buffer);
    this.reset();
  }

  /** As after configuration: every flip-flop at its initial value. */
  reset(): void {
    this.words.fill(0);
    for (const ff of this.circuit.flipFlops) this.words[this.slotOf[ff.output]] = ff.init;
    const bytes = new Uint8Array(this.words.buffer);
    this.circuit.blocks.forEach((block, i) => {
      if (block.modes.type === "memory") bytes.set(blockContents(block), this.blockAt[i]);
    });
    this.unstable = false;
    this.lastClock.clear();
    this.settle();
    for (const group of this.derived) this.lastClock.set(group.signal, this.signal(group.signal));
  }

  signal(signal: number): number {
    return this.words[this.slotOf[signal]];
  }

  /** Sets input signals and lets the circuit settle; a change of a clock input is an edge. */
  setInputs(values: ReadonlyMap<number, number>): void {
    // edges act on the values from before: registers that they clock are taken first
    const edges: { group: ClockGroup }[] = [];
    for (const group of this.groups) {
      const value = values.get(group.signal);
      if (value === undefined || group.signal === 0) continue;
      const old = this.signal(group.signal);
      if (old !== value && (value === 1) !== group.falling) edges.push({ group });
    }
    for (const { group } of edges) this.call(`next${this.groups.indexOf(group)}`);
    for (const [signal, value] of values) this.words[this.slotOf[signal]] = value;
    for (const { group } of edges) this.call(`take${this.groups.indexOf(group)}`);
    this.settleAll();
  }

  private call(name: string): void {
    (this.exports[name] as () => void)();
  }

  private settle(): void {
    if (this.exports.settle() !== 0) this.unstable = true;
  }

  /** Settles, then follows clocks that come from logic: each edge takes its registers, which may make more edges. */
  private settleAll(): void {
    this.settle();
    for (let round = 0; this.derived.length && round < settleLimit; round++) {
      const edges = this.derived.filter((group) => {
        const old = this.lastClock.get(group.signal);
        const now = this.signal(group.signal);
        return old !== now && (now === 1) !== group.falling;
      });
      for (const group of this.derived) this.lastClock.set(group.signal, this.signal(group.signal));
      if (!edges.length) return;
      for (const group of edges) this.call(`next${this.groups.indexOf(group)}`);
      for (const group of edges) this.call(`take${this.groups.indexOf(group)}`);
      this.settle();
    }
  }

  /** Full cycles of one input, rise then fall, starting and ending low. Counts duty once a cycle, before the rise. */
  runCycles(signal: number, cycles: number): void {
    if (signal === this.fastClock) {
      if (this.exports.run(cycles) !== 0) this.unstable = true;
      return;
    }
    const high = new Map([[signal, 1]]);
    const low = new Map([[signal, 0]]);
    for (let i = 0; i < cycles; i++) {
      this.call("count");
      this.setInputs(high);
      this.setInputs(low);
    }
  }

  /** Cycles that each output was high since the last call, in the order of `circuit.outputs`. */
  takeDuty(): Int32Array {
    const duty = this.words.slice(this.dutyAt, this.dutyAt + this.circuit.outputs.length);
    this.words.fill(0, this.dutyAt, this.dutyAt + this.circuit.outputs.length);
    return duty;
  }

  /** True if the clock is also read as a value somewhere. */
  private isData(clock: number, tables: readonly ReducedTable[]): boolean {
    const { flipFlops, outputs } = this.circuit;
    return (
      tables.some((table) => table.inputs.includes(clock)) ||
      flipFlops.some((ff) => ff.d === clock || ff.enable === clock || ff.reset === clock) ||
      outputs.some((output) => output.signal === clock || output.enable === clock) ||
      this.circuit.blocks.some((block) => block.inputs.includes(clock))
    );
  }

  /** The one group of registers, if the circuit is plain enough for the fused form: one edge of one clock, no loops. */
  private fusedGroup(tables: readonly ReducedTable[], repeats: boolean): ClockGroup | null {
    const { fastClock, groups } = this;
    if (this.circuit.blocks.length) return null;
    if (fastClock === null || repeats || groups.length !== 1 || this.isData(fastClock, tables)) return null;
    return tables.length + this.flipFlopCount <= fusedLimit ? groups[0] : null;
  }

  private generate(
    tables: readonly ReducedTable[],
    loopSignals: readonly number[],
    nextAt: number,
    loopAt: number,
    wordCount: number,
  ): Uint8Array {
    const { circuit, slotOf, groups } = this;
    const functions: WasmFunction[] = [];
    const add = (code: CodeWriter, ...fields: Partial<WasmFunction>[]) => {
      functions.push(Object.assign({ params: 0, results: 0, locals: 0, exportName: null, code }, ...fields));
      return functions.length - 1;
    };
    const address = (signal: number) => slotOf[signal] * 4;

    const evals: number[] = [];
    for (let from = 0; from < tables.length; from += tablesPerFunction)
      evals.push(add(...tableFunction(tables.slice(from, from + tablesPerFunction), address)));

    // asynchronous set and reset: returns 1 if some register changed
    const asyncFfs = circuit.flipFlops.filter((ff) => ff.asyncReset && ff.reset > 0);
    const asyncCode = new CodeWriter();
    asyncCode.constant(0);
    asyncCode.set(0);
    for (const ff of asyncFfs) {
      // changed |= reset & (q ^ value); q = reset ? value : q
      asyncCode.get(0);
      asyncCode.load(address(ff.reset));
      asyncCode.load(address(ff.output));
      asyncCode.constant(ff.resetValue);
      asyncCode.byte(op.i32Xor);
      asyncCode.byte(op.i32And);
      asyncCode.byte(op.i32Or);
      asyncCode.set(0);
      asyncCode.beginStore();
      asyncCode.constant(ff.resetValue);
      asyncCode.load(address(ff.output));
      asyncCode.load(address(ff.reset));
      asyncCode.byte(op.select);
      asyncCode.endStore(address(ff.output));
    }
    asyncCode.get(0);
    const asyncFunc = add(asyncCode, { results: 1, locals: 1 });

    // settle: evaluate until loops and asynchronous resets rest; returns 1 if they never do
    const settle = new CodeWriter();
    const valueFunction = (late: boolean) => {
      const code = new CodeWriter();
      circuit.blocks.forEach((block, i) => {
        if (block.modes.type !== "multiplier" || block.modes.outputRegister || followsPins(block) !== late) return;
        emitMultiplierValue(code, block, this.blockAt[i], address);
      });
      return code.length ? add(code) : -1;
    };
    const earlyBlocks = valueFunction(false);
    const lateBlocks = valueFunction(true);
    const evalAll = () => {
      for (const func of evals) settle.call(func);
      if (lateBlocks >= 0) settle.call(lateBlocks);
    };
    if (earlyBlocks >= 0) settle.call(earlyBlocks);
    const repeats = loopSignals.length > 0 || asyncFfs.length > 0;
    if (!repeats) {
      evalAll();
      settle.constant(0);
    } else {
      settle.constant(settleLimit);
      settle.set(0);
      settle.open(op.loop);
      loopSignals.forEach((signal, i) => {
        settle.beginStore();
        settle.load(address(signal));
        settle.endStore((loopAt + i) * 4);
      });
      evalAll();
      settle.constant(0);
      loopSignals.forEach((signal, i) => {
        settle.load(address(signal));
        settle.load((loopAt + i) * 4);
        settle.byte(op.i32Xor);
        settle.byte(op.i32Or);
      });
      if (asyncFfs.length) {
        settle.call(asyncFunc);
        settle.byte(op.i32Or);
      }
      settle.set(1);
      settle.get(0);
      settle.constant(1);
      settle.byte(op.i32Sub);
      settle.byte(op.localTee);
      settle.unsigned(0);
      settle.constant(0);
      settle.byte(op.i32Ne);
      settle.get(1);
      settle.byte(op.i32And);
      settle.branch(op.brIf, 0);
      settle.end();
      settle.get(1);
    }
    const settleFunc = add(settle, { results: 1, locals: 2, exportName: "settle" });

    // next and take, a pair for each clock group
    const nextFuncs = groups.map((group, g) => {
      const code = nextFunction(group, nextAt, address);
      for (const { block, ports } of group.blocks) {
        const each = circuit.blocks[block];
        if (each.modes.type === "memory") emitMemoryNext(code, each, ports, this.blockAt[block], address);
        else emitMultiplierNext(code, each, this.blockAt[block], address);
      }
      return add(code, { exportName: `next${g}`, locals: 2 });
    });
    const takeFuncs = groups.map((group, g) => {
      const code = new CodeWriter();
      code.copyMemory(group.first * 4, (nextAt + group.first) * 4, group.flipFlops.length * 4);
      for (const { block, ports } of group.blocks) {
        const each = circuit.blocks[block];
        if (each.modes.type === "memory") emitMemoryTake(code, each, ports, this.blockAt[block], address);
        else emitMultiplierTake(code, each, this.blockAt[block], address);
      }
      return add(code, { exportName: `take${g}` });
    });

    const count = new CodeWriter();
    circuit.outputs.forEach((output, i) => {
      if (output.signal === 0) return;
      const at = (this.dutyAt + i) * 4;
      count.beginStore();
      count.load(at);
      count.load(address(output.signal));
      if (output.enable >= 0) {
        count.load(address(output.enable));
        count.byte(op.i32And);
      }
      count.byte(op.i32Add);
      count.endStore(at);
    });
    const countFunc = add(count, { exportName: "count" });

    // run(n): whole cycles without leaving generated code
    const fused = this.fusedGroup(tables, repeats);
    if (fused) {
      add(...fusedRun(fused, tables, circuit, address, this.dutyAt, settleFunc), {
        params: 1,
        results: 1,
        exportName: "run",
      });
      return writeModule(functions, Math.ceil((wordCount * 4) / 65536) + 1);
    }
    const run = new CodeWriter();
    if (this.fastClock !== null) {
      const clock = this.fastClock;
      const clockIsData = this.isData(clock, tables);
      const rising = groups.findIndex((group) => group.signal === clock && !group.falling);
      const falling = groups.findIndex((group) => group.signal === clock && group.falling);
      const phase = (group: number, level: number) => {
        if (group >= 0) run.call(nextFuncs[group]);
        if (clockIsData) {
          run.beginStore();
          run.constant(level);
          run.endStore(address(clock));
        }
        if (group >= 0) run.call(takeFuncs[group]);
        if (group < 0 && !clockIsData) return;
        run.call(settleFunc);
        run.get(1);
        run.byte(op.i32Or);
        run.set(1);
      };
      run.open(op.block);
      run.get(0);
      run.byte(op.i32Eqz);
      run.branch(op.brIf, 0);
      run.open(op.loop);
      run.call(countFunc);
      phase(rising, 1);
      phase(falling, 0);
      run.get(0);
      run.constant(1);
      run.byte(op.i32Sub);
      run.byte(op.localTee);
      run.unsigned(0);
      run.branch(op.brIf, 0);
      run.end();
      run.end();
    }
    run.get(1);
    add(run, { params: 1, results: 1, locals: 1, exportName: "run" });
    return writeModule(functions, Math.ceil((wordCount * 4) / 65536) + 1);
  }
}

function groupByClock({ flipFlops, blocks }: Circuit): ClockGroup[] {
  const byKey = new Map<string, DecodedFlipFlop[]>();
  const clocks = new Map<string, { signal: number; falling: boolean }>();
  const keyOf = (signal: number, falling: boolean) => {
    const key = `${signal} ${falling}`;
    clocks.set(key, { signal, falling });
    return key;
  };
  for (const ff of flipFlops) {
    const key = keyOf(ff.clock, ff.falling);
    const list = byKey.get(key);
    if (list) list.push(ff);
    else byKey.set(key, [ff]);
  }
  const blocksByKey = new Map<string, { block: number; ports: number[] }[]>();
  blocks.forEach(({ modes, clocks: own }, block) => {
    if (modes.type === "multiplier" && !isRegistered(modes)) return;
    own.forEach((signal, port) => {
      const falling = modes.type === "memory" ? modes.ports[port].clockFalling : modes.clockFalling;
      const key = keyOf(signal, falling);
      const list = blocksByKey.get(key) ?? [];
      blocksByKey.set(key, list);
      const known = list.find((each) => each.block === block);
      if (known) known.ports.push(port);
      else list.push({ block, ports: [port] });
    });
  });
  const groups: ClockGroup[] = [];
  let first = 0;
  for (const [key, { signal, falling }] of clocks) {
    const list = byKey.get(key) ?? [];
    groups.push({ signal, falling, flipFlops: list, first, blocks: blocksByKey.get(key) ?? [] });
    first += list.length;
  }
  return groups;
}

/** Tables in order; a value that was computed or loaded before in the same function comes from a local. */
function tableFunction(
  tables: readonly ReducedTable[],
  address: (signal: number) => number,
): [CodeWriter, { locals: number }] {
  const code = new CodeWriter();
  const localOf = new Map<number, number>();
  let locals = 0;
  const uses = new Map<number, number>();
  for (const table of tables) for (const input of table.inputs) uses.set(input, (uses.get(input) ?? 0) + 1);
  const read = (signal: number) => {
    const local = localOf.get(signal);
    if (local !== undefined) code.get(local);
    else code.load(address(signal));
  };
  for (const table of tables) {
    const { inputs, output } = table;
    // signals used twice or more in this function are held in a local
    for (const input of inputs) {
      if ((uses.get(input) ?? 0) > 1 && !localOf.has(input)) {
        code.load(address(input));
        code.set(locals);
        localOf.set(input, locals++);
      }
    }
    code.beginStore();
    emitTable(code, table, read);
    if (uses.has(output)) {
      code.byte(op.localTee);
      code.unsigned(locals);
      localOf.set(output, locals++);
    }
    code.endStore(address(output));
  }
  return [code, { locals }];
}

function nextFunction(group: ClockGroup, nextAt: number, address: (signal: number) => number): CodeWriter {
  const code = new CodeWriter();
  group.flipFlops.forEach((ff, i) => {
    code.beginStore();
    emitNext(code, ff, (signal) => code.load(address(signal)));
    code.endStore((nextAt + group.first + i) * 4);
  });
  return code;
}
