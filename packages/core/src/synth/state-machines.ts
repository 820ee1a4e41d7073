import { Random } from "../common/random.ts";
import type { StateMachine } from "../netlist/inferred.ts";
import type { Bits, RtlCell, RtlNetlist } from "../netlist/rtl.ts";
import type { BitGraph, StateBit } from "./blast.ts";
import { coneSpace, NextState } from "./next-state.ts";

const widest = 16;
const widestSum = 6;
const mostStates = 32;
const mostWays = 10;
const coneLimit = 3000;
const walkLimit = 20_000;
const conflictBudget = 400;
const walks = 8;
const walkSteps = 128;
const sums = new Set<RtlCell["kind"]>(["add", "sub"]);

/**
 * Registers of two to sixteen bits that reach few codes: from the start and the reset value on, a SAT solver lists every
 * code that can follow each reached one. Counters, and registers that can take any value, are none.
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
  const space = coneSpace(graph);
  for (const [cell, bits] of byCell) {
    const width = netlist.cells[cell].output.length;
    if (bits.length < 2 || width > widest || bits.every((bit) => graph.aig.isInput(bit.d >> 1))) continue;
    bits.sort((a, b) => a.bit - b.bit);
    const whole = NextState.of(graph, space, bits, walkLimit);
    if (!whole?.readsItself) continue;
    const hasSum = whole.dependent.some((node) => isSum(graph, netlist, node));
    if (hasSum && width > widestSum) continue;
    const explorer = new Explorer(new CodeReader(graph, netlist.cells[cell].output, bits), hasSum);
    const steps = whole.inner.length <= coneLimit ? explorer.explore(whole) : null;
    const machine = steps ?? (whole.dependent.length <= coneLimit ? explorer.explore(whole.narrowed()) : null);
    if (machine?.isMachine) found.push({ cell, bits: width, ...machine.found });
  }
  return found;
}

function isSum({ aig, carry }: BitGraph, netlist: RtlNetlist, node: number): boolean {
  return carry.places.has(node) || (aig.origin[node] >= 0 && sums.has(netlist.cells[aig.origin[node]].kind));
}

/** Puts the code of a register together, with the bits that never change or that another one stands for. */
class CodeReader {
  private readonly fixed: number;
  private readonly copies: { readonly i: number; readonly of: number }[];

  constructor(
    graph: BitGraph,
    readonly nets: Bits,
    readonly bits: readonly StateBit[],
  ) {
    const place = new Map(bits.map((bit) => [nets[bit.bit], bit.bit]));
    const standsFor = (net: number) => {
      let at = net;
      while (graph.merged.has(at)) at = graph.merged.get(at)!;
      return at;
    };
    this.fixed = nets.reduce((sum, net, i) => sum | ((graph.constants.get(standsFor(net)) ?? 0) << i), 0);
    this.copies = nets.flatMap((net, i) => {
      const of = place.get(standsFor(net));
      return of === undefined || of === i ? [] : [{ i, of }];
    });
  }

  code(value: (bit: StateBit, i: number) => number): number {
    return this.whole(this.bits.reduce((sum, bit, i) => sum | (value(bit, i) << bit.bit), 0));
  }

  /** @param words [bits] Values of the bits in 32 lanes. */
  lane(words: Int32Array, lane: number): number {
    let code = 0;
    for (let i = 0; i < words.length; i++) code |= ((words[i] >>> lane) & 1) << this.bits[i].bit;
    return this.whole(code);
  }

  private whole(bits: number): number {
    let code = this.fixed | bits;
    for (const { i, of } of this.copies) code |= ((code >> of) & 1) << i;
    return code;
  }
}

interface Explored {
  readonly isMachine: boolean;
  readonly found: Pick<StateMachine, "states" | "start" | "init" | "transitions">;
}

class Explorer {
  private readonly init: number;
  private readonly resetTo: number;

  constructor(
    private readonly reader: CodeReader,
    private readonly hasSum: boolean,
  ) {
    const { bits } = reader;
    this.init = reader.code((bit) => bit.init);
    this.resetTo = bits.every((bit) => bit.reset >= 0) ? reader.code((bit) => bit.resetValue) : this.init;
  }

  /** @returns null if there are too many states or ways, or the solver gives up. */
  explore(next: NextState): Explored | null {
    const { init, resetTo, reader } = this;
    if (this.wanders(next)) return null;
    const solver = next.solver();
    const { sat } = solver;
    const states = [...new Set([resetTo, init])];
    const transitions: [number, number][] = [];
    const inputs: Int32Array[] = []; // an example of each way
    for (let head = 0; head < states.length; head++) {
      const from = states[head];
      const guard = sat.newVar();
      const assumed = [
        2 * guard,
        ...next.bits.map((bit) => solver.literal(2 * bit.qNode) ^ (((from >> bit.bit) & 1) ^ 1)),
      ];
      for (let ways = 0; ; ways++) {
        const answer = sat.solve(assumed, conflictBudget);
        if (answer === null || ways > mostWays) return null;
        if (!answer) break;
        const to = reader.code((_bit, i) => Number(solver.isTrue(solver.taken[i])));
        inputs.push(solver.freeValues());
        if (to !== from) transitions.push([from, to]);
        if (!states.includes(to)) states.push(to);
        if (states.length > mostStates) return null;
        // another next state, please
        sat.addClause([2 * guard + 1, ...next.bits.map((bit, i) => solver.taken[i] ^ ((to >> bit.bit) & 1))]);
      }
    }
    const all = 2 ** reader.nets.length;
    const stores = states.length === all && transitions.length >= (all * (all - 1)) / 2;
    const isMachine = states.length >= 3 && !stores && !this.counts(next, states, transitions, inputs);
    return { isMachine, found: { states, start: resetTo, init, transitions } };
  }

  /** Whether a few walks with random inputs already meet too many states or ways. */
  private wanders(next: NextState): boolean {
    const random = new Random(1);
    const { bits } = this.reader;
    let own: Int32Array = Int32Array.from(bits, (bit) => -((this.resetTo >> bit.bit) & 1));
    const followers = new Map<number, Set<number>>([[this.resetTo, new Set()]]);
    const from = new Array<number>(walks).fill(this.resetTo);
    const free = new Int32Array(next.free.length);
    for (let step = 0; step < walkSteps; step++) {
      for (let i = 0; i < free.length; i++) free[i] = random.uint32();
      own = next.evaluate(own, free);
      for (let lane = 0; lane < walks; lane++) {
        const to = this.reader.lane(own, lane);
        const ways = followers.get(from[lane])!;
        ways.add(to);
        if (!followers.has(to)) followers.set(to, new Set());
        if (ways.size > mostWays || followers.size > mostStates) return true;
        from[lane] = to;
      }
    }
    return false;
  }

  /**
   * Whether the register goes up or down by one, or back to the start, for reasons that do not depend on where it is: in
   * a counter all places but one, the last, step or wait together. It may be loaded from one place or with one value.
   * One that reaches all of many codes by adding is no machine either, wherever it jumps: it counts through a program.
   */
  private counts(
    next: NextState,
    states: readonly number[],
    transitions: StateMachine["transitions"],
    inputs: readonly Int32Array[],
  ): boolean {
    const all = 2 ** this.reader.nets.length;
    const isStep = (from: number, to: number) => to === (from + 1) % all || to === (from + all - 1) % all;
    if (!this.hasSum) return false;
    if (states.length === all && all > 8) return true;
    const jumps = transitions.filter(([from, to]) => !isStep(from, to) && to !== this.resetTo);
    if (new Set(jumps.map(([from]) => from)).size > 1 && new Set(jumps.map(([, to]) => to)).size > 1) return false;
    const { bits } = this.reader;
    const own = Int32Array.from(bits, (bit) =>
      states.reduce((word, code, lane) => word | (((code >> bit.bit) & 1) << lane), 0),
    );
    return !inputs.some((free) => {
      const words = next.evaluate(own, free);
      const to = states.map((_, lane) => this.reader.lane(words, lane));
      const waiting = states.filter((code, lane) => to[lane] === code).length;
      const stepping = states.some((code, lane) => to[lane] !== this.resetTo && isStep(code, to[lane]));
      return waiting >= 2 && stepping;
    });
  }
}
