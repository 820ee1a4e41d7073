import { cofactors } from "../logic/boolean.ts";
import type { Circuit, Table } from "./decode.ts";

/** A table with only the inputs that matter; the mask has 2^inputs rows. */
export interface ReducedTable {
  readonly output: number;
  readonly inputs: readonly number[];
  readonly mask: bigint;
}

interface OrderedCircuit {
  readonly tables: readonly ReducedTable[];
  /** Signals that are read before they are computed: they close combinational loops. */
  readonly loopSignals: readonly number[];
}

/** Drops inputs that change nothing (unconnected ones rest at 0), then orders the tables; loops are cut anywhere. */
export function reduceAndOrder(circuit: Circuit): OrderedCircuit {
  const tables = circuit.tables.map(reduceTable);
  const byOutput = new Map(tables.map((table, i) => [table.output, i]));
  const state = new Uint8Array(tables.length);
  const order: ReducedTable[] = [];
  const loopSignals = new Set<number>();
  const stack: { table: number; next: number }[] = [];
  for (let root = 0; root < tables.length; root++) {
    if (state[root]) continue;
    state[root] = 1;
    stack.push({ table: root, next: 0 });
    while (stack.length) {
      const top = stack[stack.length - 1];
      const { inputs } = tables[top.table];
      if (top.next === inputs.length) {
        state[top.table] = 2;
        order.push(tables[top.table]);
        stack.pop();
        continue;
      }
      const signal = inputs[top.next++];
      const from = byOutput.get(signal);
      if (from === undefined) continue;
      if (state[from] === 1) loopSignals.add(signal);
      else if (state[from] === 0) {
        state[from] = 1;
        stack.push({ table: from, next: 0 });
      }
    }
  }
  return { tables: order, loopSignals: [...loopSignals] };
}

function reduceTable(table: Table): ReducedTable {
  let inputs = [...table.inputs];
  let mask = (BigInt(table.high >>> 0) << 32n) | BigInt(table.low >>> 0);
  mask &= (1n << (1n << BigInt(inputs.length))) - 1n;
  for (let i = inputs.length - 1; i >= 0; i--) {
    const { zero, one } = cofactors(mask, inputs.length, i);
    const twin = inputs.indexOf(inputs[i]);
    if (inputs[i] === 0 || zero === one) mask = zero;
    else if (twin < i) mask = joinTwin(mask, inputs.length, twin, i);
    else continue;
    inputs = inputs.filter((_, k) => k !== i);
  }
  return { output: table.output, inputs, mask };
}

/** Two inputs carry the same signal: keep the rows where they agree. */
function joinTwin(mask: bigint, inputs: number, keep: number, drop: number): bigint {
  let result = 0n;
  for (let row = 0; row < 1 << (inputs - 1); row++) {
    const low = row & ((1 << drop) - 1);
    const full = low | ((row >> drop) << (drop + 1)) | (((row >> keep) & 1) << drop);
    if ((mask >> BigInt(full)) & 1n) result |= 1n << BigInt(row);
  }
  return result;
}
