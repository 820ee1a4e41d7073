import type { BitGraph, StateBit } from "./blast.ts";
import { throughLevels } from "./graph-levels.ts";
import type { LutCover } from "./lut-map.ts";

interface Edge {
  readonly from: number;
  /** Registers on it that may move. */
  readonly weight: number;
  /** Steps that the connection itself takes. */
  readonly extra: number;
}

/**
 * LUTs, carry elements and blocks with the registers between them, for retiming. Times are in steps: a carry climbs one
 * element in a step, a LUT takes `perTile` of them. Vertex 0 stands for everything that stays: ports, other registers.
 * Method: C. E. Leiserson, J. B. Saxe, "Retiming synchronous circuitry", Algorithmica 6, 1991, pp. 5-35; the test of a
 * period is their algorithm FEAS. Lags only rise (registers move towards the inputs) or only fall, so that each register
 * moves one way.
 */
export class RetimeGraph {
  readonly lutOf = new Map<number, number>(); // root node -> vertex
  private readonly delay: number[] = [0];
  private readonly isFree: boolean[] = [false];
  private readonly inEdges: Edge[][] = [[]];
  /** [vertices] to, weight, extra of each edge that leaves. */
  private readonly outEdges: Edge[][] = [[]];
  private readonly movable = new Map<number, StateBit>();

  constructor(
    graph: BitGraph,
    cover: LutCover,
    movable: readonly StateBit[],
    private readonly perTile: number,
  ) {
    const { aig, carry } = graph;
    for (const state of movable) this.movable.set(state.qNode, state);
    const keptNode = new Map(graph.kept.map(({ node, literal }) => [node, literal >> 1]));
    const stays = new Set(keptNode.values());
    for (const root of cover.roots) this.lutOf.set(root, this.vertex(perTile, !stays.has(root)));
    const elementOf = new Map<number, number>(); // sum node -> vertex
    const chains = carry.chains.map((chain) => {
      const vertices = chain.elements.map(() => this.vertex(1, false));
      chain.elements.forEach(({ sumNode }, i) => {
        if (sumNode >= 0) elementOf.set(sumNode, vertices[i]);
      });
      return vertices;
    });
    const blockOf = new Map<number, number>(); // output node -> vertex
    const blocks = graph.blocks.map((block) => {
      const vertex = block.isThrough ? this.vertex(0, false) : 0;
      if (vertex) for (const node of block.outputs.values()) blockOf.set(node, vertex);
      return vertex;
    });
    const trace = (literal: number): { from: number; weight: number } | null => {
      let node = literal >> 1;
      let weight = 0;
      const seen = new Set<number>();
      for (let state = this.movable.get(node); state; state = this.movable.get(node)) {
        if (seen.has(node)) return null; // a ring of registers and nothing else
        seen.add(node);
        weight++;
        node = state.d >> 1;
      }
      for (let from = keptNode.get(node); from !== undefined; from = keptNode.get(node)) node = from;
      return { from: this.lutOf.get(node) ?? elementOf.get(node) ?? blockOf.get(node) ?? 0, weight };
    };
    const connect = (literal: number, to: number, extra = 0) => {
      if (literal <= 1) return;
      const source = trace(literal);
      if (source) this.edge(source.from, to, source.weight, extra);
    };
    for (const root of cover.roots) {
      const to = this.lutOf.get(root)!;
      for (let i = 0; i < cover.k && cover.leaves[root * cover.k + i] >= 0; i++)
        connect(2 * cover.leaves[root * cover.k + i], to);
    }
    carry.chains.forEach((chain, c) => {
      chain.elements.forEach(({ p, b }, i) => {
        const to = chains[c][i];
        // what is no LUT goes through one of the element's own
        connect(p, to, aig.isAnd(p >> 1) ? 0 : perTile);
        if (i + 1 < chain.elements.length) connect(b, chains[c][i + 1], perTile);
        if (i > 0) this.edge(chains[c][i - 1], to, 0, 0);
      });
    });
    graph.blocks.forEach((block, b) => {
      block.inputs.forEach((literal, pin) => {
        connect(literal, blocks[b], blocks[b] ? throughLevels(pin) * perTile : 0);
      });
    });
    for (const { literal } of graph.outputs) connect(literal, 0);
    for (const state of graph.states) {
      const isMoved = this.movable.has(state.qNode);
      if (!isMoved) connect(state.d, 0);
      for (const literal of [state.clock, state.enable, state.reset]) connect(literal, 0);
    }
    this.isNear = this.findNear();
  }
  /** [vertices] 1 where a register that may move is reached from, forward or backward, before any other register. */
  private readonly isNear: Uint8Array;

  private findNear(): Uint8Array {
    const near = new Uint8Array(this.delay.length);
    const spread = (edges: readonly Edge[][], start: readonly number[]) => {
      const seen = new Uint8Array(near.length);
      const stack = start.filter((v) => v > 0);
      while (stack.length) {
        const v = stack.pop()!;
        if (seen[v]) continue;
        seen[v] = near[v] = 1;
        for (const { from } of edges[v]) if (from > 0) stack.push(from);
      }
    };
    const ends = (edges: readonly Edge[][]) =>
      edges.flatMap((list) => list.filter(({ weight }) => weight > 0).map(({ from }) => from));
    spread(this.inEdges, ends(this.inEdges));
    spread(this.outEdges, ends(this.outEdges));
    return near;
  }

  private vertex(delay: number, isFree: boolean): number {
    this.delay.push(delay);
    this.isFree.push(isFree);
    this.inEdges.push([]);
    this.outEdges.push([]);
    return this.delay.length - 1;
  }

  private edge(from: number, to: number, weight: number, extra: number): void {
    this.inEdges[to].push({ from, weight, extra });
    this.outEdges[from].push({ from: to, weight, extra });
  }

  /** Steps of the longest path without a register. @param lags [vertices] */
  period(lags: Int32Array, direction: 1 | -1 = 1): number {
    const times = this.times(lags, direction);
    let most = this.hostTime(times, lags, direction);
    for (let v = 1; v < times.length; v++) if (this.isNear[v] && times[v] > most) most = times[v];
    return most;
  }

  /** Paths that end at what stays. */
  private hostTime(times: Int32Array, lags: Int32Array, direction: 1 | -1): number {
    let most = 0;
    for (const { from, weight, extra } of direction > 0 ? this.inEdges[0] : this.outEdges[0])
      if (this.isNear[from] && weight - direction * lags[from] === 0) most = Math.max(most, times[from] + extra);
    return most;
  }

  /** [vertices] Steps from the last register to each vertex's output; for -1, from its input to the next register. */
  private times(lags: Int32Array, direction: 1 | -1): Int32Array {
    const { delay } = this;
    const edges = direction > 0 ? this.inEdges : this.outEdges;
    const times = new Int32Array(delay.length).fill(-1);
    times[0] = 0;
    const stack: number[] = [];
    for (let root = 1; root < delay.length; root++) {
      if (times[root] >= 0) continue;
      stack.push(root);
      while (stack.length) {
        const v = stack[stack.length - 1];
        if (times[v] >= 0) {
          stack.pop();
          continue;
        }
        let most = 0;
        let isReady = true;
        for (const { from, weight, extra } of edges[v]) {
          if (from === 0 && weight + direction * lags[v] === 0) most = Math.max(most, extra);
          if (from === 0 || weight + direction * (lags[v] - lags[from]) > 0) continue;
          if (times[from] < 0) {
            if (isReady) stack.push(from);
            isReady = false;
          } else most = Math.max(most, times[from] + extra);
        }
        if (isReady) times[v] = most + delay[v];
      }
    }
    return times;
  }

  private isLegal(lags: Int32Array): boolean {
    return this.inEdges.every((edges, to) => edges.every(({ from, weight }) => weight + lags[to] - lags[from] >= 0));
  }

  /** Lags under which no path is longer than `period`, or null. */
  feasible(period: number, direction: 1 | -1): Int32Array | null {
    const lags = new Int32Array(this.delay.length);
    for (let round = 0; round <= this.delay.length; round++) {
      const times = this.times(lags, direction);
      if (this.hostTime(times, lags, direction) > period) return null;
      let isDone = true;
      for (let v = 1; v < times.length; v++) {
        if (times[v] <= period || !this.isNear[v]) continue;
        if (!this.isFree[v]) return null;
        lags[v] += direction;
        isDone = false;
      }
      if (isDone) return lags;
      if (!this.isLegal(lags)) return null;
    }
    return null;
  }

  /**
   * The shortest period that moving registers one way reaches, not below `goal`.
   * @returns null if that is no level less than now.
   */
  best(direction: 1 | -1, goal: number): { readonly period: number; readonly lags: Int32Array } | null {
    const now = this.period(new Int32Array(this.delay.length), direction);
    const levels = (steps: number) => Math.ceil(steps / this.perTile);
    let low = Math.max(goal, this.perTile);
    let high = this.perTile * (levels(now) - 1);
    // mostly there is nothing to be had, which one try shows
    const first = high >= low ? this.feasible(high, direction) : null;
    if (!first) return null;
    let found = { period: high--, lags: first };
    while (low <= high) {
      const period = (low + high) >> 1;
      const lags = this.feasible(period, direction);
      if (lags) {
        found = { period, lags };
        high = period - 1;
      } else low = period + 1;
    }
    return found;
  }
}
