import type { CarryChain } from "../logic/carry.ts";
import { SatSolver } from "../logic/sat-solver.ts";
import type { BitGraph, StateBit } from "./blast.ts";

/** Work space for looking at one register after the other; each has [nodes] entries. */
interface ConeSpace {
  /** Number of the look at which the node was last met. */
  readonly seen: Int32Array;
  /** Value in each of 32 lanes. */
  readonly value: Int32Array;
  look: number;
}

export function coneSpace(graph: BitGraph): ConeSpace {
  const { nodeCount } = graph.aig;
  return { seen: new Int32Array(nodeCount), value: new Int32Array(nodeCount), look: 0 };
}

/**
 * What a register takes next as a function of its own bits and of everything else: the gates and carry elements between
 * them, in an order in which fan-ins come first. Everything else is free.
 */
export class NextState {
  private constructor(
    private readonly graph: BitGraph,
    private readonly space: ConeSpace,
    readonly bits: readonly StateBit[],
    /** Gates and sums of carry chains. */
    readonly inner: readonly number[],
    /** Nodes that are free. */
    readonly free: readonly number[],
    /** Gates and sums that the register's own value goes into. */
    readonly dependent: readonly number[],
  ) {}

  /** @returns null if there are more nodes than `limit`. */
  static of(graph: BitGraph, space: ConeSpace, bits: readonly StateBit[], limit: number): NextState | null {
    const { seen } = space;
    const look = ++space.look;
    const own = new Set(bits.map((bit) => bit.qNode));
    const inner: number[] = [];
    const free: number[] = [];
    const stack = rootsOf(bits);
    while (stack.length) {
      const node = stack.pop()!;
      if (seen[node] === look || node === 0) continue;
      seen[node] = look;
      const isInner = pushFanins(graph, node, stack);
      if (isInner) inner.push(node);
      else if (!own.has(node)) free.push(node);
      if (inner.length > limit) return null;
    }
    inner.sort((a, b) => a - b);
    const reads = new Set(own);
    const fanins: number[] = [];
    for (const node of inner) {
      fanins.length = 0;
      pushFanins(graph, node, fanins);
      if (fanins.some((each) => reads.has(each))) reads.add(node);
    }
    return new NextState(
      graph,
      space,
      bits,
      inner,
      free,
      inner.filter((node) => reads.has(node)),
    );
  }

  get readsItself(): boolean {
    const own = new Set(this.bits.map((bit) => bit.qNode));
    return this.dependent.length > 0 || rootsOf(this.bits).some((node) => own.has(node));
  }

  /** The same with only what depends on the register; the rest is taken to be free, so no step of it is lost. */
  narrowed(): NextState {
    const kept = new Set(this.dependent);
    const own = new Set(this.bits.map((bit) => bit.qNode));
    const free = new Set<number>();
    const fanins = rootsOf(this.bits);
    for (const node of this.dependent) pushFanins(this.graph, node, fanins);
    for (const node of fanins) if (node !== 0 && !kept.has(node) && !own.has(node)) free.add(node);
    return new NextState(this.graph, this.space, this.bits, this.dependent, [...free], this.dependent);
  }

  /**
   * The register's next value in 32 lanes.
   * @param own [bits] Value of the register in each lane.
   * @param free [free] Value of each free node in each lane.
   */
  evaluate(own: ArrayLike<number>, free: ArrayLike<number>): Int32Array {
    const { value } = this.space;
    const { aig, carry } = this.graph;
    value[0] = 0;
    this.bits.forEach((bit, i) => {
      value[bit.qNode] = own[i];
    });
    this.free.forEach((node, i) => {
      value[node] = free[i];
    });
    const of = (literal: number) => value[literal >> 1] ^ -(literal & 1);
    const carries = new Map<CarryChain, number[]>(); // carry into each element
    for (const node of this.inner) {
      if (aig.isAnd(node)) {
        value[node] = of(aig.fanin0[node]) & of(aig.fanin1[node]);
        continue;
      }
      const { chain, at } = carry.places.get(node)!;
      const into = carries.get(chain) ?? [-chain.start];
      carries.set(chain, into);
      for (let i = into.length - 1; i < at; i++) {
        const p = of(chain.elements[i].p);
        into.push((p & into[i]) | (~p & of(chain.elements[i].b)));
      }
      value[node] = of(chain.elements[at].p) ^ into[at];
    }
    return Int32Array.from(this.bits, (bit, i) => {
      const enable = bit.enable < 0 ? -1 : of(bit.enable);
      return (enable & of(bit.d)) | (~enable & own[i]);
    });
  }

  /** A solver that holds the same function. */
  solver(): NextStateSolver {
    return new NextStateSolver(this.graph, this);
  }
}

/** Nodes of the data and the enable. */
function rootsOf(bits: readonly StateBit[]): number[] {
  return bits.flatMap((bit) => (bit.enable < 0 ? [bit.d >> 1] : [bit.d >> 1, bit.enable >> 1]));
}

/** @returns Whether the node is a gate or a sum. */
function pushFanins(graph: BitGraph, node: number, into: number[]): boolean {
  const { aig, carry } = graph;
  if (aig.isAnd(node)) {
    into.push(aig.fanin0[node] >> 1, aig.fanin1[node] >> 1);
    return true;
  }
  const place = carry.places.get(node);
  if (!place) return false;
  for (let i = 0; i <= place.at; i++) {
    const { p, b } = place.chain.elements[i];
    into.push(p >> 1);
    if (i < place.at) into.push(b >> 1);
  }
  return true;
}

/** Clauses of a next-state function; solver literals are twice a variable, plus 1 if inverted. */
class NextStateSolver {
  readonly sat = new SatSolver();
  /** [bits] Solver's literals of what the register takes next. */
  readonly taken: readonly number[];
  private readonly variable = new Map<number, number>();

  constructor(
    graph: BitGraph,
    private readonly next: NextState,
  ) {
    const { sat, variable } = this;
    const { aig, carry } = graph;
    variable.set(0, sat.newVar());
    sat.addClause([2 * variable.get(0)! + 1]);
    for (const node of [...next.bits.map((bit) => bit.qNode), ...next.free, ...next.inner])
      if (!variable.has(node)) variable.set(node, sat.newVar());
    const and = (out: number, x: number, y: number) => {
      sat.addClause([out ^ 1, x]);
      sat.addClause([out ^ 1, y]);
      sat.addClause([out, x ^ 1, y ^ 1]);
    };
    const choose = (select: number, yes: number, no: number) => {
      const out = 2 * sat.newVar();
      sat.addClause([select ^ 1, yes ^ 1, out]);
      sat.addClause([select ^ 1, yes, out ^ 1]);
      sat.addClause([select, no ^ 1, out]);
      sat.addClause([select, no, out ^ 1]);
      return out;
    };
    const carries = new Map<CarryChain, number[]>(); // carry into each element
    for (const node of next.inner) {
      const out = 2 * variable.get(node)!;
      if (aig.isAnd(node)) {
        and(out, this.literal(aig.fanin0[node]), this.literal(aig.fanin1[node]));
        continue;
      }
      const { chain, at } = carry.places.get(node)!;
      const into = carries.get(chain) ?? [2 * variable.get(0)! + chain.start];
      carries.set(chain, into);
      for (let i = into.length - 1; i < at; i++) {
        const [p, b] = [this.literal(chain.elements[i].p), this.literal(chain.elements[i].b)];
        const c = into[i];
        into.push(choose(p, c, b));
      }
      const [p, c] = [this.literal(chain.elements[at].p), into[at]];
      sat.addClause([out ^ 1, p, c]);
      sat.addClause([out ^ 1, p ^ 1, c ^ 1]);
      sat.addClause([out, p ^ 1, c]);
      sat.addClause([out, p, c ^ 1]);
    }
    this.taken = next.bits.map((bit) => {
      const d = this.literal(bit.d);
      if (bit.enable < 0) return d;
      return choose(this.literal(bit.enable), d, this.literal(2 * bit.qNode));
    });
  }

  /** Of a literal of the graph. */
  literal(literal: number): number {
    return 2 * this.variable.get(literal >> 1)! + (literal & 1);
  }

  isTrue(literal: number): boolean {
    return this.sat.isTrue(literal >> 1) !== ((literal & 1) === 1);
  }

  /** [free] What the free nodes were in the answer, in all 32 lanes. */
  freeValues(): Int32Array {
    return Int32Array.from(this.next.free, (node) => -Number(this.isTrue(this.literal(2 * node))));
  }
}
