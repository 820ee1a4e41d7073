import { Aig } from "./aig.ts";
import type { BitGraph, StateBit } from "./blast.ts";
import { type CarryChain, CarryStore } from "./carry.ts";

/** Literal of a net whose gate is no longer there by itself. */
export const foldedLiteral = -3;

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

  constructor(private readonly graph: BitGraph) {
    this.old = graph.aig;
    this.map = new Int32Array(this.old.nodeCount).fill(-1);
    this.map[0] = 0;
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
    for (let node = 1; node < old.nodeCount; node++) {
      if (!old.isAnd(node)) continue;
      for (const fanin of [old.fanin0[node], old.fanin1[node]]) {
        const from = fanin >> 1;
        if (reads[from] || fanin & 1) roots[from] = 1;
        reads[from] = 1;
      }
    }
    for (const { literal } of graph.outputs) outside(literal);
    for (const state of graph.states)
      for (const literal of [state.d, state.clock, state.enable, state.reset]) outside(literal);
    for (const block of graph.blocks) block.inputs.forEach(outside);
    for (const chain of graph.carry.chains)
      for (const { p, b } of chain.elements) {
        outside(p);
        outside(b);
      }
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
    const move = (literal: number) => (literal < 0 ? literal : this.map[literal >> 1] ^ (literal & 1));
    const node = (id: number) => this.map[id] >> 1;
    const carry = new CarryStore(aig, graph.carry.maxLength);
    for (const chain of graph.carry.chains) {
      const made: CarryChain = { start: chain.start, origin: chain.origin, elements: [] };
      chain.elements.forEach(({ p, b, sumNode }, at) => {
        const own = sumNode < 0 ? -1 : node(sumNode);
        made.elements.push({ p: move(p), b: move(b), sumNode: own });
        if (own >= 0 && graph.carry.places.has(sumNode)) carry.places.set(own, { chain: made, at });
      });
      carry.chains.push(made);
    }
    return {
      ...graph,
      aig,
      carry,
      literal: Int32Array.from(graph.literal, (literal) =>
        literal < 0 ? literal : this.map[literal >> 1] < 0 ? foldedLiteral : move(literal),
      ),
      states: graph.states.map(
        (state): StateBit => ({
          ...state,
          qNode: node(state.qNode),
          d: move(state.d),
          clock: move(state.clock),
          enable: move(state.enable),
          reset: move(state.reset),
        }),
      ),
      blocks: graph.blocks.map((block) => ({
        ...block,
        inputs: block.inputs.map(move),
        outputs: new Map([...block.outputs].map(([pin, id]) => [pin, node(id)])),
      })),
      inputs: graph.inputs.map((input) => ({ ...input, node: node(input.node) })),
      outputs: graph.outputs.map((output) => ({ ...output, literal: move(output.literal) })),
    };
  }

  /** Sums come about two gates after what their element reads. */
  private inputLevel(node: number): number {
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
