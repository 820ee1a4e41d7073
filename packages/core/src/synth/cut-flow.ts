import type { Aig } from "../logic/aig.ts";

/**
 * Exact answer to "can this node be covered by one K-input LUT whose inputs all have a lower depth than `label`?":
 * a node-capacitated minimum cut, as in FlowMap (Cong and Ding 1994, IEEE TCAD 13(1)). Priority cuts are a heuristic;
 * asking this wherever they would raise the depth makes the depth of the mapping provably the least.
 */
export class CutFlow {
  private readonly stamp: Int32Array; // 2 per node: in-side, out-side
  private readonly parent: Int32Array;
  private readonly inRegion: Int32Array;
  private readonly flowStamp: Int32Array;
  private readonly succ: Int32Array;
  private readonly pred: Int32Array;
  private epoch = 0;
  private query = 0;

  constructor(private readonly aig: Aig) {
    const n = aig.nodeCount;
    this.stamp = new Int32Array(2 * n);
    this.parent = new Int32Array(2 * n);
    this.inRegion = new Int32Array(n);
    this.flowStamp = new Int32Array(n);
    this.succ = new Int32Array(n);
    this.pred = new Int32Array(n);
  }

  /**
   * @param labels [nodes] Exact depths of all lower nodes.
   * @returns The leaves of a cut of at most `k` nodes, each of a label below `label`, or null if there is none.
   */
  findCut(node: number, label: number, labels: Int32Array, k: number): number[] | null {
    const { aig } = this;
    const query = ++this.query;
    // collapse the node and all of the cone that is as deep as the label into the sink
    const region = [node];
    this.inRegion[node] = query;
    const border: number[] = [];
    for (let head = 0; head < region.length; head++) {
      for (const literal of [aig.fanin0[region[head]], aig.fanin1[region[head]]]) {
        const fanin = literal >> 1;
        if (this.inRegion[fanin] === query) continue;
        if (labels[fanin] >= label) {
          if (!aig.isAnd(fanin)) return null;
          this.inRegion[fanin] = query;
          region.push(fanin);
        } else border.push(fanin);
      }
    }
    for (let flow = 0; flow <= k; flow++) if (!this.augment(border, query)) return this.cutLeaves(border);
    return null;
  }

  /** One more path from an input to the sink, searched from the sink backwards. */
  private augment(border: readonly number[], query: number): boolean {
    const { aig, stamp, parent, succ, flowStamp } = this;
    const epoch = ++this.epoch;
    const stack: number[] = [];
    const reach = (vertex: number, from: number) => {
      if (stamp[vertex] === epoch) return;
      stamp[vertex] = epoch;
      parent[vertex] = from;
      stack.push(vertex);
    };
    for (const node of border) reach(2 * node + 1, -1);
    while (stack.length) {
      const vertex = stack.pop()!;
      const node = vertex >> 1;
      const used = flowStamp[node] === query;
      if (vertex & 1) {
        if (!used) reach(2 * node, vertex);
        else if (succ[node] >= 0) reach(2 * succ[node], vertex); // give back what leaves here
        continue;
      }
      if (!aig.isAnd(node)) {
        this.applyPath(vertex, query);
        return true;
      }
      if (used) reach(2 * node + 1, vertex);
      reach(2 * (aig.fanin0[node] >> 1) + 1, vertex);
      reach(2 * (aig.fanin1[node] >> 1) + 1, vertex);
    }
    return false;
  }

  /** Walks from the input that was found back to the sink and turns the path into flow. */
  private applyPath(start: number, query: number): void {
    const { parent, succ, pred, flowStamp } = this;
    const gained: number[] = [];
    const edges: [number, number][] = [];
    const dropped: [number, number][] = [];
    for (let vertex = start; vertex !== -1; vertex = parent[vertex]) {
      const next = parent[vertex];
      const node = vertex >> 1;
      if ((vertex & 1) === 0) {
        // in-side: next is this node's own out-side
        if (next >> 1 === node) gained.push(node);
        else dropped.push([next >> 1, node]); // the flow next -> node is given back
      } else if (next === -1) edges.push([node, -1]);
      else if (next >> 1 === node) gained.push(-1 - node);
      else edges.push([node, next >> 1]);
    }
    for (const [from, to] of dropped) {
      if (succ[from] === to) succ[from] = -2;
      if (pred[to] === from) pred[to] = -2;
    }
    for (const mark of gained) {
      if (mark >= 0) flowStamp[mark] = query;
      else flowStamp[-1 - mark] = 0; // the unit through this node is given back
    }
    for (const [from, to] of edges) {
      succ[from] = to;
      if (to >= 0) pred[to] = from;
    }
    if (!this.aig.isAnd(start >> 1)) pred[start >> 1] = -1;
  }

  /** After the last, failed search: nodes whose out-side was reached but not their in-side. */
  private cutLeaves(border: readonly number[]): number[] {
    const leaves = new Set<number>();
    const seen = new Set<number>(border);
    const stack = [...seen];
    while (stack.length) {
      const node = stack.pop()!;
      if (this.stamp[2 * node + 1] !== this.epoch) continue;
      if (this.stamp[2 * node] !== this.epoch) {
        leaves.add(node);
        continue;
      }
      for (const literal of [this.aig.fanin0[node], this.aig.fanin1[node]]) {
        if (!seen.has(literal >> 1)) {
          seen.add(literal >> 1);
          stack.push(literal >> 1);
        }
      }
    }
    return [...leaves];
  }
}
