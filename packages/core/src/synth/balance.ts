import { Aig } from "./aig.ts";
import { type BitGraph, liveNodes, outsideLiterals } from "./blast.ts";
import { moveGraph } from "./graph-copy.ts";

/**
 * Rebuilds the graph with every chain of ANDs as a tree that joins the earliest inputs first, so that what arrives late
 * passes few gates (as in Mishchenko, Chatterjee, Brayton 2006, DAC). Gates that others read keep their places.
 */
export function balance(graph: BitGraph): BitGraph {
  return new Balancer(graph).run();
}

class Balancer {
  private readonly old: Aig;
  private readonly aig = new Aig();
  private readonly map: Int32Array;
  /** [new nodes] Gates from the inputs. */
  private readonly level: number[] = [0];
  private readonly isRoot: Uint8Array;
  /** Node of a kept net -> what it follows. */
  private readonly keptLiteral: ReadonlyMap<number, number>;

  constructor(private readonly graph: BitGraph) {
    this.old = graph.aig;
    this.map = new Int32Array(this.old.nodeCount).fill(-1);
    this.map[0] = 0;
    this.keptLiteral = new Map(graph.kept.map(({ node, literal }) => [node, literal]));
    this.isRoot = this.findRoots();
  }

  /** Gates that keep a place of their own: read more than once, inverted, or from outside of the graph. */
  private findRoots(): Uint8Array {
    const { old, graph } = this;
    const roots = new Uint8Array(old.nodeCount);
    const reads = new Uint8Array(old.nodeCount);
    const outside = (literal: number) => {
      if (literal > 1) roots[literal >> 1] = 1;
    };
    const live = liveNodes(graph);
    for (let node = 1; node < old.nodeCount; node++) {
      if (!old.isAnd(node) || !live[node]) continue;
      for (const fanin of [old.fanin0[node], old.fanin1[node]]) {
        const from = fanin >> 1;
        if (reads[from] || fanin & 1) roots[from] = 1;
        reads[from] = 1;
      }
    }
    for (const literal of outsideLiterals(graph)) outside(literal);
    return roots;
  }

  run(): BitGraph {
    const { old, graph, aig } = this;
    for (let node = 1; node < old.nodeCount; node++) {
      aig.currentOrigin = old.origin[node];
      if (!old.isAnd(node)) {
        this.map[node] = aig.input();
        this.level[aig.nodeCount - 1] = this.inputLevel(node);
      } else if (this.isRoot[node]) this.map[node] = this.tree(node);
    }
    return moveGraph(graph, aig, this.map);
  }

  /** Sums come about two gates after what their element reads. */
  private inputLevel(node: number): number {
    const kept = this.keptLiteral.get(node);
    if (kept !== undefined) return this.level[this.map[kept >> 1] >> 1];
    const place = this.graph.carry.places.get(node);
    if (!place) return 0;
    const { p } = place.chain.elements[place.at];
    const below = place.at > 0 ? place.chain.elements[place.at - 1].sumNode : -1;
    const of = (literal: number) =>
      literal > 1 && this.map[literal >> 1] >= 0 ? this.level[this.map[literal >> 1] >> 1] : 0;
    return Math.max(of(p), below >= 0 ? of(2 * below) - 2 : 0) + 2;
  }

  private tree(root: number): number {
    const { old, aig, level } = this;
    const leaves: number[] = [];
    const stack = [old.fanin0[root], old.fanin1[root]];
    while (stack.length) {
      const literal = stack.pop()!;
      const node = literal >> 1;
      if (!(literal & 1) && old.isAnd(node) && !this.isRoot[node]) stack.push(old.fanin0[node], old.fanin1[node]);
      else leaves.push(this.map[node] ^ (literal & 1));
    }
    const levelOf = (literal: number) => level[literal >> 1] ?? 0;
    // latest first, so that the earliest two are at the end; equal levels in the order of literals, for the same result
    leaves.sort((a, b) => levelOf(b) - levelOf(a) || b - a);
    while (leaves.length > 1) {
      const a = leaves.pop()!;
      const b = leaves.pop()!;
      const made = aig.and(a, b);
      if (level[made >> 1] === undefined) level[made >> 1] = Math.max(levelOf(a), levelOf(b)) + 1;
      let at = leaves.length;
      while (at > 0 && levelOf(leaves[at - 1]) < levelOf(made)) at--;
      leaves.splice(at, 0, made);
    }
    return leaves[0];
  }
}
