import { Aig } from "../logic/aig.ts";
import type { StateCoding } from "../netlist/attributes.ts";
import type { StateMachine } from "../netlist/inferred.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { type BitGraph, liveNodes, type RecodedMachine, type StateBit } from "./blast.ts";
import { moveGraph } from "./graph-copy.ts";

/** Codes by state, most significant bit first. Binary and Gray count the states in the order in which they are reached. */
export function codesFor(coding: Exclude<StateCoding, "as written">, count: number): string[] {
  const bits = coding === "one-hot" ? count : Math.max(1, Math.ceil(Math.log2(count)));
  return Array.from({ length: count }, (_, s) => {
    if (coding === "one-hot") return `${"0".repeat(count - 1 - s)}1${"0".repeat(s)}`;
    return (coding === "gray" ? s ^ (s >> 1) : s).toString(2).padStart(bits, "0");
  });
}

/**
 * Gives state machines other codes. Logic of the state alone is made anew from the states for which it is 1, with the
 * codes that are never reached left open; the next state is made from what the written logic gives in each state.
 */
export function recodeStates(
  graph: BitGraph,
  netlist: RtlNetlist,
  wanted: readonly { readonly machine: StateMachine; readonly codes: readonly string[] }[],
): BitGraph {
  return wanted.length ? new Recoder(graph, netlist, wanted).run() : graph;
}

class Machine {
  /** Old state nodes -> bit of the written code. */
  readonly bitOf = new Map<number, number>();
  /** Literals of the new register's bits. */
  readonly q: number[] = [];
  /** [states] Literal that is 1 in the state. */
  readonly is: number[] = [];

  constructor(
    readonly machine: StateMachine,
    readonly codes: readonly string[],
    readonly bits: readonly StateBit[],
  ) {
    for (const bit of bits) this.bitOf.set(bit.qNode, bit.bit);
  }
}

class Recoder {
  private readonly aig = new Aig();
  private readonly map: Int32Array;
  private readonly machines: Machine[];
  /** Old node of the state alone -> its machine, and the states in which it is 1, as bits. */
  private readonly pure = new Map<number, { readonly of: Machine; readonly set: number }>();

  constructor(
    private readonly graph: BitGraph,
    private readonly netlist: RtlNetlist,
    wanted: readonly { readonly machine: StateMachine; readonly codes: readonly string[] }[],
  ) {
    this.map = new Int32Array(graph.aig.nodeCount).fill(-1);
    this.map[0] = 0;
    this.machines = wanted.map(
      ({ machine, codes }) =>
        new Machine(
          machine,
          codes,
          graph.states.filter((state) => state.cell === machine.cell),
        ),
    );
  }

  run(): BitGraph {
    const { graph, aig, map } = this;
    const old = graph.aig;
    const byNode = new Map<number, Machine>();
    for (const each of this.machines) for (const node of each.bitOf.keys()) byNode.set(node, each);
    const live = liveNodes(graph);
    for (let node = 1; node < old.nodeCount; node++) {
      aig.currentOrigin = old.origin[node];
      const machine = byNode.get(node);
      if (machine) {
        if (machine.q.length === 0) this.open(machine);
        const bit = machine.bitOf.get(node)!;
        const set = machine.machine.states.reduce((sum, code, s) => sum | (((code >> bit) & 1) << s), 0);
        this.makePure(node, machine, set);
      } else if (!old.isAnd(node)) map[node] = aig.input();
      else if (live[node]) this.gate(node);
    }
    const moved = moveGraph(graph, aig, map);
    const recoded: RecodedMachine[] = [];
    const added: StateBit[] = [];
    for (const each of this.machines) {
      added.push(...this.register(each, recoded.length, moved));
      recoded.push(this.record(each));
    }
    const gone = new Set(this.machines.map(({ machine }) => machine.cell));
    return { ...moved, states: [...moved.states.filter(({ cell }) => !gone.has(cell)), ...added], recoded };
  }

  /** The new register's outputs, and for each state what is 1 in it. */
  private open(each: Machine): void {
    const { aig } = this;
    const width = each.codes[0].length;
    for (let i = 0; i < width; i++) each.q.push(aig.input());
    const isOneHot =
      width === each.codes.length && width > 1 && each.codes.every((code) => code.replace(/0/g, "") === "1");
    each.codes.forEach((code) => {
      each.is.push(
        isOneHot
          ? each.q[width - 1 - code.indexOf("1")]
          : aig.andAll(each.q.map((literal, i) => literal ^ (code[width - 1 - i] === "1" ? 0 : 1))),
      );
    });
  }

  private makePure(node: number, of: Machine, set: number): void {
    const { aig } = this;
    this.pure.set(node, { of, set });
    const inside = of.is.filter((_, s) => (set >>> s) & 1);
    const outside = of.is.filter((_, s) => !((set >>> s) & 1));
    this.map[node] = inside.length <= outside.length ? aig.orAll(inside) : aig.orAll(outside) ^ 1;
  }

  private gate(node: number): void {
    const { map, pure, aig } = this;
    const old = this.graph.aig;
    const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
    const [a, b] = [pure.get(f0 >> 1), pure.get(f1 >> 1)];
    if (a && b && a.of === b.of) {
      const set = (f0 & 1 ? ~a.set : a.set) & (f1 & 1 ? ~b.set : b.set);
      this.makePure(node, a.of, set);
    } else map[node] = aig.and(map[f0 >> 1] ^ (f0 & 1), map[f1 >> 1] ^ (f1 & 1));
  }

  /** Flip-flops of the new code. */
  private register(each: Machine, index: number, moved: BitGraph): StateBit[] {
    const { aig } = this;
    const { machine, bits, codes } = each;
    aig.currentOrigin = machine.cell;
    const { states } = machine;
    // into[t]: 1 where the next state is t
    const into: number[][] = states.map(() => []);
    states.forEach((from, s) => {
      const next = this.nextWord(each, from);
      states.forEach((to, t) => {
        const goes = aig.andAll(next.map((literal, i) => literal ^ (((to >> bits[i].bit) & 1) ^ 1)));
        if (goes !== 0) into[t].push(aig.and(each.is[s], goes));
      });
    });
    const enters = into.map((ways) => aig.orAll(ways));
    const width = codes[0].length;
    const name = ownerOfName(this.netlist.cells[machine.cell].name, "ff");
    const controls = moved.states.find(({ cell }) => cell === machine.cell)!;
    const codeBit = (state: number, i: number) => Number(codes[states.indexOf(state)][width - 1 - i]);
    return each.q.map((literal, i) => ({
      ...controls,
      bit: i,
      qNode: literal >> 1,
      d: aig.orAll(enters.filter((_, t) => codes[t][width - 1 - i] === "1")),
      resetValue: codeBit(machine.start, i),
      init: codeBit(machine.init, i),
      code: { machine: index, bit: i, name: `${name}:code[${i}]` },
    }));
  }

  /** Data of the written register's bits in one state, over everything else. */
  private nextWord(each: Machine, state: number): number[] {
    const { aig, map } = this;
    const old = this.graph.aig;
    const known = new Map<number, number>([[0, 0]]);
    for (const [node, bit] of each.bitOf) known.set(node, (state >> bit) & 1);
    const reads = this.readers(each);
    const value = (root: number): number => {
      const stack = [root];
      while (stack.length) {
        const node = stack[stack.length - 1];
        if (known.has(node)) {
          stack.pop();
          continue;
        }
        if (!reads.has(node)) {
          known.set(node, map[node]);
          continue;
        }
        const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
        const [a, b] = [known.get(f0 >> 1), known.get(f1 >> 1)];
        if (a === undefined) stack.push(f0 >> 1);
        if (b === undefined) stack.push(f1 >> 1);
        if (a !== undefined && b !== undefined) known.set(node, aig.and(a ^ (f0 & 1), b ^ (f1 & 1)));
      }
      return known.get(root)!;
    };
    return each.bits.map(({ d }) => value(d >> 1) ^ (d & 1));
  }

  private readonly readersOf = new Map<Machine, Set<number>>();
  /** Gates of the next state's cone that the state itself goes into. */
  private readers(each: Machine): Set<number> {
    const known = this.readersOf.get(each);
    if (known) return known;
    const old = this.graph.aig;
    const cone = new Set<number>();
    const stack = each.bits.map(({ d }) => d >> 1);
    while (stack.length) {
      const node = stack.pop()!;
      if (cone.has(node) || !old.isAnd(node)) continue;
      cone.add(node);
      stack.push(old.fanin0[node] >> 1, old.fanin1[node] >> 1);
    }
    const reads = new Set<number>();
    for (const node of [...cone].sort((a, b) => a - b)) {
      const from = [old.fanin0[node] >> 1, old.fanin1[node] >> 1];
      if (from.some((each2) => reads.has(each2) || each.bitOf.has(each2))) reads.add(node);
    }
    this.readersOf.set(each, reads);
    return reads;
  }

  private record(each: Machine): RecodedMachine {
    const { machine, bits, codes } = each;
    const { merged } = this.graph;
    const output = this.netlist.cells[machine.cell].output;
    const own = new Map(bits.map(({ bit }) => [output[bit], bit]));
    const nets = new Map(own);
    for (const net of merged.keys()) {
      let at = net;
      while (merged.has(at)) at = merged.get(at)!;
      const bit = own.get(at);
      if (bit !== undefined) nets.set(net, bit);
    }
    const { states } = machine;
    return { cell: machine.cell, states, codes, initState: states.indexOf(machine.init), nets: [...nets] };
  }
}
