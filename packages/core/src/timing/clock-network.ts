import { type ActiveGraph, leadsTo, passes } from "./active-graph.ts";
import type { BoundClock, BoundLatency } from "./bound-rules.ts";
import { arcKind, sense } from "./pin-graph.ts";

/**
 * Ways of the clocks from their sources to the pins that they clock, as a forest: a pin that a clock reaches in two ways is
 * there twice. N nodes; parents come before their children.
 *
 * The same piece of a way cannot be slow for one end of a check and fast for the other: what two ends have in common is
 * given back (common-path credit). Where an arc is the same at its slowest and fastest (the part's clock wires), nothing
 * is added: nodes behind it belong to the `spread` node before it.
 */
export interface ClockNetwork {
  readonly nodeCount: number;
  /** [nodes] */
  readonly pin: Int32Array;
  /** [nodes] -1 for a clock's source, unless it is made of another clock. */
  readonly parent: Int32Array;
  /** [nodes] Arc from the parent; -1 for a source. */
  readonly arc: Int32Array;
  readonly clock: Int32Array;
  /** [nodes] 1: the pin falls where the clock rises. */
  readonly isInverted: Uint8Array;
  /** [nodes] Nearest node, itself or above, behind whose arc nothing varies. */
  readonly spread: Int32Array;
  /** [nodes] The `spread` node above a node's own, and how many there are; -1 and 0 at a root. */
  readonly above: Int32Array;
  readonly depth: Int32Array;
  /** [pins] First node at each, -1 for none; and [nodes] the next one at the same pin. */
  readonly first: Int32Array;
  readonly next: Int32Array;
  /** [clocks] Nodes at their sources. Virtual clocks have one whose pin is -1. */
  readonly roots: readonly (readonly number[])[];
  /** Clocks that are made of another one and are not reached from it. */
  readonly detached: readonly number[];
  /** Gave up: there are too many ways. */
  readonly isCut: boolean;
}

/**
 * @param even [arcs] 1 where an arc's least and largest delay are the same.
 * @param latencies Source latencies: a generated clock that has one is cut off from its master.
 */
export function buildClockNetwork(
  active: ActiveGraph,
  clocks: readonly BoundClock[],
  even: Uint8Array,
  latencies: readonly BoundLatency[],
): ClockNetwork {
  const builder = new NetworkBuilder(active, clocks, even, latencies);
  return builder.build();
}

class NetworkBuilder {
  private readonly pin: number[] = [];
  private readonly parent: number[] = [];
  private readonly arc: number[] = [];
  private readonly clock: number[] = [];
  private readonly isInverted: number[] = [];
  private readonly spread: number[] = [];
  private readonly above: number[] = [];
  private readonly depth: number[] = [];
  private readonly first: Int32Array;
  private readonly next: number[] = [];
  private readonly roots: number[][];
  private readonly detached: number[] = [];
  private readonly leads: Uint8Array;
  /** Pins where a clock starts: those of others stop there. */
  private readonly isSource: Uint8Array;
  private readonly limit: number;
  private isCut = false;

  constructor(
    private readonly active: ActiveGraph,
    private readonly clocks: readonly BoundClock[],
    private readonly even: Uint8Array,
    private readonly latencies: readonly BoundLatency[],
  ) {
    const { graph } = active;
    this.first = new Int32Array(graph.pinCount).fill(-1);
    this.roots = clocks.map(() => []);
    this.isSource = new Uint8Array(graph.pinCount);
    const wanted = new Uint8Array(graph.pinCount);
    for (const { sources, masterPin } of clocks) {
      for (const source of sources) {
        this.isSource[source] = 1;
        wanted[source] = 1;
      }
      if (masterPin >= 0) wanted[masterPin] = 1;
    }
    for (const clockPin of graph.checkClock) wanted[clockPin] = 1;
    for (let arc = 0; arc < graph.arcCount; arc++)
      if (!passes(graph.arcKind[arc])) if (graph.arcKind[arc] === arcKind.launch) wanted[graph.arcFrom[arc]] = 1;
    this.leads = leadsTo(active, wanted);
    this.limit = 4 * graph.pinCount + 10_000 + 1000 * clocks.length;
  }

  build(): ClockNetwork {
    const order = this.masterFirst();
    for (const clock of order) this.grow(clock);
    return {
      nodeCount: this.pin.length,
      pin: Int32Array.from(this.pin),
      parent: Int32Array.from(this.parent),
      arc: Int32Array.from(this.arc),
      clock: Int32Array.from(this.clock),
      isInverted: Uint8Array.from(this.isInverted),
      spread: Int32Array.from(this.spread),
      above: Int32Array.from(this.above),
      depth: Int32Array.from(this.depth),
      first: this.first,
      next: Int32Array.from(this.next),
      roots: this.roots,
      detached: this.detached,
      isCut: this.isCut,
    };
  }

  private masterFirst(): number[] {
    const done = new Set<number>();
    const order: number[] = [];
    const visit = (clock: number, depth: number) => {
      if (done.has(clock) || depth > this.clocks.length) return;
      const { master } = this.clocks[clock];
      if (master >= 0) visit(master, depth + 1);
      if (done.has(clock)) return;
      done.add(clock);
      order.push(clock);
    };
    this.clocks.forEach((_, clock) => visit(clock, 0));
    return order;
  }

  private node(pin: number, parent: number, arc: number, clock: number, inverted: number, isListed = true): number {
    const node = this.pin.length;
    this.pin.push(pin);
    this.parent.push(parent);
    this.arc.push(arc);
    this.clock.push(clock);
    this.isInverted.push(inverted);
    const isEven = parent >= 0 && (arc < 0 || this.even[arc] === 1);
    this.spread.push(isEven ? this.spread[parent] : node);
    this.above.push(isEven ? this.above[parent] : parent >= 0 ? this.spread[parent] : -1);
    this.depth.push(isEven ? this.depth[parent] : parent >= 0 ? this.depth[parent] + 1 : 0);
    if (pin >= 0 && isListed) {
      this.next.push(this.first[pin]);
      this.first[pin] = node;
    } else this.next.push(-1);
    return node;
  }

  private grow(clock: number): void {
    const { sources, master } = this.clocks[clock];
    if (sources.length === 0) {
      this.roots[clock].push(this.node(-1, -1, -1, clock, 0));
      return;
    }
    const hasOwnLatency = this.latencies.some(({ isSource, clocks }) => isSource && clocks.includes(clock));
    for (const source of sources) {
      const above = master >= 0 && !hasOwnLatency ? this.wayFromMaster(clock, source) : -1;
      if (master >= 0 && !hasOwnLatency && above < 0) this.detached.push(clock);
      const root = above >= 0 ? this.node(source, above, -1, clock, 0) : this.node(source, -1, -1, clock, 0);
      this.roots[clock].push(root);
      this.spreadOut(root, clock);
    }
  }

  private spreadOut(root: number, clock: number): void {
    const { graph, isOn } = this.active;
    const { outStart, outArc, arcTo, arcKind: kinds, arcSense } = graph;
    const stack = [root];
    while (stack.length) {
      const node = stack.pop()!;
      const pin = this.pin[node];
      for (let a = outStart[pin + 1] - 1; a >= outStart[pin]; a--) {
        const arc = outArc[a];
        const to = arcTo[arc];
        if (!isOn[arc] || !passes(kinds[arc]) || !this.leads[to] || this.isSource[to]) continue;
        if (this.pin.length > this.limit) {
          this.isCut = true;
          return;
        }
        const inverted = this.isInverted[node];
        if (arcSense[arc] & sense.positive) stack.push(this.node(to, node, arc, clock, inverted));
        if (arcSense[arc] & sense.negative) stack.push(this.node(to, node, arc, clock, 1 - inverted));
      }
    }
  }

  /**
   * The way from the master's network to the source of a clock that is made of it, with the fewest arcs: through logic,
   * registers and blocks. @returns The last node of it, at the source; -1 if there is none.
   */
  private wayFromMaster(clock: number, source: number): number {
    const { graph, isOn } = this.active;
    const { master } = this.clocks[clock];
    const { inStart, inArc, arcFrom } = graph;
    const nodeAt = (pin: number): number => {
      for (let node = this.first[pin]; node >= 0; node = this.next[node]) if (this.clock[node] === master) return node;
      return -1;
    };
    const toward = new Map<number, number>([[source, -1]]); // pin -> arc that leads on
    const queue = [source];
    for (let head = 0; head < queue.length; head++) {
      const pin = queue[head];
      const known = nodeAt(pin);
      if (known >= 0) {
        let node = known;
        for (let at = pin; toward.get(at)! >= 0; ) {
          const arc = toward.get(at)!;
          at = graph.arcTo[arc];
          node = this.node(at, node, arc, clock, 0, false);
        }
        return node;
      }
      for (let a = inStart[pin]; a < inStart[pin + 1]; a++) {
        const arc = inArc[a];
        const from = arcFrom[arc];
        if (!isOn[arc] || toward.has(from)) continue;
        toward.set(from, arc);
        queue.push(from);
      }
    }
    return -1;
  }
}

/** The deepest `spread` node that two have above them both; -1 if their clocks have nothing in common. */
export function commonSpread({ spread, above, depth }: ClockNetwork, a: number, b: number): number {
  if (a < 0 || b < 0) return -1;
  let [x, y] = [spread[a], spread[b]];
  while (x !== y) {
    if (x < 0 || y < 0) return -1;
    if (depth[x] >= depth[y]) x = above[x];
    else y = above[y];
  }
  return x;
}

/** [nodes] Latest and earliest time after the edge at the clock's beginning. In ps. O(nodes). */
export function clockArrivals(
  { nodeCount, parent, arc }: ClockNetwork,
  most: Float64Array,
  least: Float64Array,
  /** [nodes] What is added at sources, before the part. */
  offsets: { readonly late: Float64Array; readonly early: Float64Array },
): { late: Float64Array; early: Float64Array } {
  const late = new Float64Array(nodeCount);
  const early = new Float64Array(nodeCount);
  for (let node = 0; node < nodeCount; node++) {
    const from = parent[node];
    const by = arc[node];
    late[node] = (from < 0 ? 0 : late[from]) + (by < 0 ? offsets.late[node] : most[by]);
    early[node] = (from < 0 ? 0 : early[from]) + (by < 0 ? offsets.early[node] : least[by]);
  }
  return { late, early };
}
