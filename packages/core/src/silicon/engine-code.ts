import { codeRunOf, runOf } from "./blocks/running.ts";
import type { ClockGroup } from "./clock-groups.ts";
import type { Circuit } from "./decode.ts";
import { emitNext, emitTable } from "./emit.ts";
import { fusedRun } from "./fused-run.ts";
import type { ReducedTable } from "./reduce.ts";
import { CodeWriter, op, type WasmFunction, writeModule } from "./wasm-writer.ts";

/** Most tables in one generated function: larger ones are slow to compile and no faster to run. */
const tablesPerFunction = 400;
/** Most tables and flip-flops for the one-function form of `run`, which keeps all state in locals. */
const fusedLimit = 1200;
/** Rounds of settling before a loop counts as oscillating. */
export const settleLimit = 64;

/** Where everything lies, in words of 32 bits. */
interface EngineLayout {
  readonly circuit: Circuit;
  /** [signals] */
  readonly slotOf: Int32Array;
  readonly groups: readonly ClockGroup[];
  /** [blocks] In bytes. */
  readonly blockAt: readonly number[];
  readonly dutyAt: number;
  /** Clock that may be driven by generated code alone, or null. */
  readonly fastClock: number | null;
  readonly nextAt: number;
  readonly loopAt: number;
  readonly wordCount: number;
}

/** WebAssembly of a circuit: settling, next values and taking them by clock, counting, and whole cycles of the fast clock. */
export function generateEngine(
  layout: EngineLayout,
  tables: readonly ReducedTable[],
  loopSignals: readonly number[],
): Uint8Array {
  const { circuit, slotOf, groups, blockAt, dutyAt, fastClock, nextAt, loopAt, wordCount } = layout;
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
      const run = runOf(block.modes);
      if (run.how !== "code" || !run.value?.isShown(block) || run.value.followsPins(block) !== late) return;
      run.value.emit(code, block, blockAt[i], address);
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
      codeRunOf(each.modes).next(code, each, ports, blockAt[block], address);
    }
    return add(code, { exportName: `next${g}`, locals: 2 });
  });
  const takeFuncs = groups.map((group, g) => {
    const code = new CodeWriter();
    code.copyMemory(group.first * 4, (nextAt + group.first) * 4, group.flipFlops.length * 4);
    for (const { block, ports } of group.blocks) {
      const each = circuit.blocks[block];
      codeRunOf(each.modes).take(code, each, ports, blockAt[block], address);
    }
    return add(code, { exportName: `take${g}` });
  });

  const count = new CodeWriter();
  circuit.outputs.forEach((output, i) => {
    if (output.signal === 0) return;
    const at = (dutyAt + i) * 4;
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
  const fused = fusedGroup(layout, tables, repeats);
  if (fused) {
    add(...fusedRun(fused, tables, circuit, address, dutyAt, settleFunc), {
      params: 1,
      results: 1,
      exportName: "run",
    });
    return writeModule(functions, Math.ceil((wordCount * 4) / 65536) + 1);
  }
  const run = new CodeWriter();
  if (fastClock !== null) {
    const clock = fastClock;
    const clockIsData = isData(circuit, clock, tables);
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

/** True if the clock is also read as a value somewhere. */
function isData(circuit: Circuit, clock: number, tables: readonly ReducedTable[]): boolean {
  const { flipFlops, outputs } = circuit;
  return (
    tables.some((table) => table.inputs.includes(clock)) ||
    flipFlops.some((ff) => ff.d === clock || ff.enable === clock || ff.reset === clock) ||
    outputs.some((output) => output.signal === clock || output.enable === clock) ||
    circuit.blocks.some((block) => block.inputs.includes(clock))
  );
}

/** The one group of registers, if the circuit is plain enough for the fused form: one edge of one clock, no loops. */
function fusedGroup(layout: EngineLayout, tables: readonly ReducedTable[], repeats: boolean): ClockGroup | null {
  const { circuit, fastClock, groups } = layout;
  if (circuit.blocks.length) return null;
  if (fastClock === null || repeats || groups.length !== 1 || isData(circuit, fastClock, tables)) return null;
  return tables.length + circuit.flipFlops.length <= fusedLimit ? groups[0] : null;
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
