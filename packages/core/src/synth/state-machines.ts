import type { StateCoding } from "../netlist/attributes.ts";
import type { Bits, RtlCell, RtlNetlist } from "../netlist/rtl.ts";
import { SatSolver } from "../prove/sat-solver.ts";
import type { BitGraph, StateBit } from "./blast.ts";

/** A register that goes through few states, with all ways between them. */
export interface StateMachine {
  /** Word-level cell of its register. */
  readonly cell: number;
  readonly bits: number;
  /** Codes that the start or a reset leads to in some number of steps, in the order found. */
  readonly states: readonly number[];
  /** The first state; what a reset leads to, if there is one. */
  readonly start: number;
  /** The state after configuration. */
  readonly init: number;
  /** [states] Codes in the built register where they are not those of the source, most significant bit first. */
  readonly codes?: readonly string[];
  readonly coding?: StateCoding;
  /** Pairs from, to, without those from a state to itself. */
  readonly transitions: readonly (readonly [number, number])[];
}

const widest = 6;
const mostStates = 32;
const mostWays = 10;
const coneLimit = 3000;
const conflictBudget = 400;
const sums = new Set<RtlCell["kind"]>(["add", "sub"]);

/**
 * Registers of two to six bits that reach few codes: from the start and the reset value on, a SAT solver lists every code
 * that can follow each reached one. Counters, and registers that can take any value, are none.
 */
export function findStateMachines(graph: BitGraph, netlist: RtlNetlist): StateMachine[] {
  const byCell = new Map<number, StateBit[]>();
  for (const state of graph.states) {
    if (state.isLatch) continue;
    const list = byCell.get(state.cell);
    if (list) list.push(state);
    else byCell.set(state.cell, [state]);
  }
  const found: StateMachine[] = [];
  for (const [cell, bits] of byCell) {
    if (bits.length < 2 || netlist.cells[cell].output.length > widest) continue;
    bits.sort((a, b) => a.bit - b.bit);
    const machine = explore(graph, netlist, cell, bits);
    if (machine) found.push(machine);
  }
  return found;
}

function explore(graph: BitGraph, netlist: RtlNetlist, cell: number, bits: readonly StateBit[]): StateMachine | null {
  const nets: Bits = netlist.cells[cell].output;
  const { aig, carry } = graph;
  // the cone of the next state: if a carry chain feeds it, or its own value does not, it counts or stores
  const cone = new Set<number>();
  const stack = bits.map((bit) => bit.d >> 1);
  const own = new Set(bits.map((bit) => bit.qNode));
  let readsItself = false;
  let hasSum = false;
  while (stack.length) {
    const node = stack.pop()!;
    if (cone.has(node) || node === 0) continue;
    cone.add(node);
    if (cone.size > coneLimit) return null;
    if (own.has(node)) readsItself = true;
    if (carry.places.has(node)) return null;
    if (aig.isAnd(node) && aig.origin[node] >= 0 && sums.has(netlist.cells[aig.origin[node]].kind)) hasSum = true;
    if (aig.isAnd(node)) stack.push(aig.fanin0[node] >> 1, aig.fanin1[node] >> 1);
  }
  if (!readsItself || bits.every((bit) => !aig.isAnd(bit.d >> 1))) return null;
  const solver = new SatSolver();
  const variable = new Map<number, number>();
  const literalOf = (literal: number) => 2 * variable.get(literal >> 1)! + (literal & 1);
  variable.set(0, solver.newVar());
  solver.addClause([2 * variable.get(0)! + 1]);
  for (const node of [...cone].sort((a, b) => a - b)) {
    const v = solver.newVar();
    variable.set(node, v);
    if (!aig.isAnd(node)) continue;
    const [x, y] = [literalOf(aig.fanin0[node]), literalOf(aig.fanin1[node])];
    solver.addClause([2 * v + 1, x]);
    solver.addClause([2 * v + 1, y]);
    solver.addClause([2 * v, x ^ 1, y ^ 1]);
  }
  for (const bit of bits) if (!variable.has(bit.qNode)) variable.set(bit.qNode, solver.newVar());
  // bits that never change, or that another one stands for, belong to the code too
  const place = new Map(bits.map((bit) => [nets[bit.bit], bit.bit]));
  const standsFor = (net: number) => {
    let at = net;
    while (graph.merged.has(at)) at = graph.merged.get(at)!;
    return at;
  };
  const fixed = nets.reduce((sum, net, i) => sum | ((graph.constants.get(standsFor(net)) ?? 0) << i), 0);
  const copies = nets.flatMap((net, i) => {
    const of = place.get(standsFor(net));
    return of === undefined || of === i ? [] : [{ i, of }];
  });
  const codeOf = (value: (bit: StateBit) => number) => {
    let code = bits.reduce((sum, bit) => sum | (value(bit) << bit.bit), fixed);
    for (const { i, of } of copies) code |= ((code >> of) & 1) << i;
    return code;
  };
  const init = codeOf((bit) => bit.init);
  const hasReset = bits.every((bit) => bit.reset >= 0);
  const resetTo = hasReset ? codeOf((bit) => bit.resetValue) : init;
  const states = [...new Set([resetTo, init])];
  const transitions: [number, number][] = [];
  for (let head = 0; head < states.length; head++) {
    const from = states[head];
    const guard = solver.newVar();
    const assumed = [2 * guard, ...bits.map((bit) => 2 * variable.get(bit.qNode)! + (((from >> bit.bit) & 1) ^ 1))];
    for (let ways = 0; ; ways++) {
      const answer = solver.solve(assumed, conflictBudget);
      if (answer === null || ways > mostWays) return null;
      if (!answer) break;
      const to = codeOf((bit) => Number(solver.isTrue(variable.get(bit.d >> 1)!)) ^ (bit.d & 1));
      if (to !== from) transitions.push([from, to]);
      if (!states.includes(to)) states.push(to);
      if (states.length > mostStates) return null;
      // another next state, please
      solver.addClause([2 * guard + 1, ...bits.map((bit) => literalOf(bit.d) ^ ((to >> bit.bit) & 1))]);
    }
  }
  const all = 2 ** nets.length;
  const counts =
    hasSum &&
    transitions.every(([from, to]) => to === (from + 1) % all || to === (from + all - 1) % all || to === resetTo);
  const stores = states.length === all && transitions.length >= (all * (all - 1)) / 2;
  if (states.length < 3 || counts || stores) return null;
  return { cell, bits: nets.length, states, start: resetTo, init, transitions };
}
