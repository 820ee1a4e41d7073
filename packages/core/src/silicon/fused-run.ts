import type { Circuit, DecodedFlipFlop } from "./decode.ts";
import { emitTable, type Read } from "./emit.ts";
import type { ReducedTable } from "./reduce.ts";
import { CodeWriter, op } from "./wasm-writer.ts";

/** Registers with one enable and one reset, and the tables that nothing but their data inputs needs. */
interface Bank {
  readonly enable: number;
  readonly reset: number;
  readonly members: { readonly ff: DecodedFlipFlop; readonly at: number }[];
  readonly tables: ReducedTable[];
}

/**
 * While a bank's enable is off, or its reset on, its data does not matter: the tables that only feed it are evaluated
 * within the branch that takes it. Real designs hold most of their registers most of the time.
 */
function sortIntoBanks(
  flipFlops: readonly DecodedFlipFlop[],
  tables: readonly ReducedTable[],
  circuit: Circuit,
): { eager: ReducedTable[]; banks: Bank[] } {
  const banks: Bank[] = [];
  const byControl = new Map<string, number>();
  const eager = -1;
  /** Bank that alone uses a signal, or `eager`. */
  const user = new Map<number, number>();
  const use = (signal: number, by: number) => {
    const known = user.get(signal);
    user.set(signal, known === undefined || known === by ? by : eager);
  };
  flipFlops.forEach((ff, at) => {
    const key = `${ff.enable} ${ff.reset}`;
    let bank = byControl.get(key);
    if (bank === undefined) {
      bank = banks.length;
      byControl.set(key, bank);
      banks.push({ enable: ff.enable, reset: ff.reset, members: [], tables: [] });
    }
    banks[bank].members.push({ ff, at });
    const isFree = ff.enable < 0 && ff.reset <= 0;
    use(ff.d, isFree ? eager : bank);
    for (const control of [ff.enable, ff.reset]) if (control >= 0) use(control, eager);
  });
  for (const output of circuit.outputs) for (const signal of [output.signal, output.enable]) use(signal, eager);
  const eagerTables: ReducedTable[] = [];
  // from the last table back, so that a table knows all of its users
  for (let i = tables.length - 1; i >= 0; i--) {
    const table = tables[i];
    const by = user.get(table.output) ?? eager;
    for (const input of table.inputs) use(input, by);
    (by === eager ? eagerTables : banks[by].tables).push(table);
  }
  eagerTables.reverse();
  for (const bank of banks) bank.tables.reverse();
  return { eager: eagerTables, banks };
}

/** next = reset ? reset value : enable ? data : as before. */
function emitBank(
  code: CodeWriter,
  bank: Bank,
  next: readonly number[],
  evaluate: (table: ReducedTable) => void,
  read: Read,
): void {
  const take = (value: (ff: DecodedFlipFlop) => void) => {
    for (const { ff, at } of bank.members) {
      value(ff);
      code.set(next[at]);
    }
  };
  const hasReset = bank.reset > 0;
  if (hasReset) {
    read(bank.reset);
    code.open(op.if);
    take((ff) => code.constant(ff.resetValue));
    code.byte(op.else);
  }
  if (bank.enable >= 0) {
    read(bank.enable);
    code.open(op.if);
  }
  for (const table of bank.tables) evaluate(table);
  take((ff) => read(ff.d));
  if (bank.enable >= 0) {
    code.byte(op.else);
    take((ff) => read(ff.output));
    code.end();
  }
  if (hasReset) code.end();
}

/**
 * run(n) as one function: registers, tables and duty counters are locals from the first cycle to the last, so the loop
 * touches no memory but for inputs, which it reads once. Afterwards state and counters go back and the tables settle.
 */
export function fusedRun(
  group: { readonly flipFlops: readonly DecodedFlipFlop[] },
  tables: readonly ReducedTable[],
  circuit: Circuit,
  address: (signal: number) => number,
  dutyAt: number,
  settleFunc: number,
): [CodeWriter, { locals: number }] {
  const code = new CodeWriter();
  const localOf = new Map<number, number>();
  let locals = 1; // local 0 is the parameter
  const inLocal = (signal: number) => {
    let local = localOf.get(signal);
    if (local === undefined) {
      local = locals++;
      localOf.set(signal, local);
      code.load(address(signal));
      code.set(local);
    }
    return local;
  };
  const read = (signal: number) => code.get(localOf.get(signal)!);
  const computed = new Set(tables.map((table) => table.output));
  const needed = [
    ...tables.flatMap((table) => table.inputs),
    ...group.flipFlops.flatMap((ff) => [ff.output, ff.d, ff.enable, ff.reset]),
    ...circuit.outputs.flatMap((output) => [output.signal, output.enable]),
  ];
  for (const signal of needed) if (signal >= 0 && !computed.has(signal)) inLocal(signal);
  for (const table of tables) localOf.set(table.output, locals++);
  const duty = circuit.outputs.map(() => locals++);
  const next = group.flipFlops.map(() => locals++);

  code.open(op.block);
  code.get(0);
  code.byte(op.i32Eqz);
  code.branch(op.brIf, 0);
  code.open(op.loop);
  const { eager, banks } = sortIntoBanks(group.flipFlops, tables, circuit);
  const evaluate = (table: ReducedTable) => {
    emitTable(code, table, read);
    code.set(localOf.get(table.output)!);
  };
  for (const table of eager) evaluate(table);
  circuit.outputs.forEach((output, i) => {
    if (output.signal === 0) return;
    code.get(duty[i]);
    read(output.signal);
    if (output.enable >= 0) {
      read(output.enable);
      code.byte(op.i32And);
    }
    code.byte(op.i32Add);
    code.set(duty[i]);
  });
  for (const bank of banks) emitBank(code, bank, next, evaluate, read);
  group.flipFlops.forEach((ff, i) => {
    code.get(next[i]);
    code.set(localOf.get(ff.output)!);
  });
  code.get(0);
  code.constant(1);
  code.byte(op.i32Sub);
  code.byte(op.localTee);
  code.unsigned(0);
  code.branch(op.brIf, 0);
  code.end();
  code.end();
  for (const ff of group.flipFlops) {
    code.beginStore();
    read(ff.output);
    code.endStore(address(ff.output));
  }
  circuit.outputs.forEach((_, i) => {
    const at = (dutyAt + i) * 4;
    code.beginStore();
    code.load(at);
    code.get(duty[i]);
    code.byte(op.i32Add);
    code.endStore(at);
  });
  code.call(settleFunc);
  return [code, { locals: locals - 1 }];
}
