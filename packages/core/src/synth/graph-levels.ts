import { accumulatorWidth, multiplierWidth } from "../device/blocks/multiplier.ts";
import { ChainLevels } from "../logic/carry.ts";
import { type BitGraph, outsideLiterals } from "./blast.ts";
import type { InputLevels, LutCover } from "./lut-map.ts";

/**
 * A multiplier without registers takes about as long as so many LUTs with their wires; what its product is added to
 * goes through the adder alone.
 */
export function throughLevels(pin: number): number {
  const first = 2 * multiplierWidth;
  return pin >= first && pin < first + accumulatorWidth ? 1 : 3;
}

interface Source {
  readonly node: number;
  readonly levels: number;
}

/** Levels of the graph's inputs: sums of carry chains, results of multipliers without registers, and starts. */
export class GraphLevels implements InputLevels {
  private readonly chains: ChainLevels;
  /** Input of the graph -> lower nodes that it follows without a clock, so many levels later. */
  private readonly sources = new Map<number, readonly Source[]>();

  constructor(graph: BitGraph, perTile: number) {
    this.chains = new ChainLevels(graph.aig, graph.carry, perTile);
    for (const { node, literal } of graph.kept) {
      const from = literal >> 1;
      // a net of logic is the LUT that makes it; another name for an input takes one
      const isOwn = graph.aig.isAnd(from) || (!(literal & 1) && graph.carry.places.has(from));
      this.sources.set(node, [{ node: from, levels: isOwn ? 0 : 1 }]);
    }
    for (const block of graph.blocks) {
      if (!block.isThrough) continue;
      const most = new Map<number, number>();
      block.inputs.forEach((literal, pin) => {
        if (literal > 1) most.set(literal >> 1, Math.max(most.get(literal >> 1) ?? 0, throughLevels(pin)));
      });
      const sources = [...most].map(([node, levels]) => ({ node, levels }));
      for (const node of block.outputs.values()) this.sources.set(node, sources);
    }
  }

  reset(): void {
    this.chains.reset();
  }

  arrival(node: number, depth: Int32Array): number {
    const sources = this.sources.get(node);
    if (!sources) return this.chains.arrival(node, depth);
    let most = 0;
    for (const { node: from, levels } of sources) most = Math.max(most, depth[from] + levels);
    return most;
  }

  require(node: number, required: Int32Array): void {
    const sources = this.sources.get(node);
    if (!sources) {
      this.chains.require(node, required);
      return;
    }
    if (required[node] >= 1 << 28) return;
    for (const { node: from, levels } of sources) required[from] = Math.min(required[from], required[node] - levels);
  }
}

/** LUT levels on the longest path of a cover. */
export function countLevels(graph: BitGraph, { roots, leaves, k }: LutCover, perTile: number): number {
  const { aig } = graph;
  const levels = new GraphLevels(graph, perTile);
  const depth = new Int32Array(aig.nodeCount);
  const isRoot = new Uint8Array(aig.nodeCount);
  for (const root of roots) isRoot[root] = 1;
  levels.reset();
  for (let node = 1; node < aig.nodeCount; node++) {
    if (!aig.isAnd(node)) depth[node] = levels.arrival(node, depth);
    else if (isRoot[node]) {
      let most = 0;
      for (let i = node * k; i < (node + 1) * k && leaves[i] >= 0; i++) most = Math.max(most, depth[leaves[i]]);
      depth[node] = most + 1;
    }
  }
  let most = 0;
  for (const literal of outsideLiterals(graph)) if (literal > 1) most = Math.max(most, depth[literal >> 1]);
  return most;
}
