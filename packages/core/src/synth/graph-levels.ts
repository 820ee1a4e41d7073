import type { BitGraph } from "./blast.ts";
import { ChainLevels } from "./carry.ts";
import type { InputLevels } from "./lut-map.ts";

/** A multiplier without registers takes about as long as so many LUTs with their wires. */
export const multiplierLevels = 3;

/** Levels of the graph's inputs: sums of carry chains, results of multipliers without registers, and starts. */
export class GraphLevels implements InputLevels {
  private readonly chains: ChainLevels;
  /** Input of the graph -> lower nodes that it follows without a clock, so many levels later. */
  private readonly sources = new Map<number, { readonly nodes: readonly number[]; readonly levels: number }>();

  constructor(graph: BitGraph, perTile: number) {
    this.chains = new ChainLevels(graph.aig, graph.carry, perTile);
    for (const { node, literal } of graph.kept) {
      const from = literal >> 1;
      // a net of logic is the LUT that makes it; another name for an input takes one
      const isOwn = graph.aig.isAnd(from) || (!(literal & 1) && graph.carry.places.has(from));
      this.sources.set(node, { nodes: [from], levels: isOwn ? 0 : 1 });
    }
    for (const block of graph.blocks) {
      if (!block.isThrough) continue;
      const sources = [...new Set(block.inputs.filter((literal) => literal > 1).map((literal) => literal >> 1))];
      for (const node of block.outputs.values()) this.sources.set(node, { nodes: sources, levels: multiplierLevels });
    }
  }

  reset(): void {
    this.chains.reset();
  }

  arrival(node: number, depth: Int32Array): number {
    const sources = this.sources.get(node);
    if (!sources) return this.chains.arrival(node, depth);
    let most = 0;
    for (const source of sources.nodes) if (depth[source] > most) most = depth[source];
    return most + sources.levels;
  }

  require(node: number, required: Int32Array): void {
    const sources = this.sources.get(node);
    if (!sources) {
      this.chains.require(node, required);
      return;
    }
    if (required[node] >= 1 << 28) return;
    for (const source of sources.nodes) required[source] = Math.min(required[source], required[node] - sources.levels);
  }
}
