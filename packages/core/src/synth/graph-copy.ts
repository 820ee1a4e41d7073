import { Aig } from "../logic/aig.ts";
import { type CarryChain, CarryStore } from "../logic/carry.ts";
import { type BitGraph, liveNodes, type StateBit } from "./blast.ts";

/** Literal of a net whose gate is no longer there by itself. */
export const foldedLiteral = -3;

/**
 * The same registers, chains, blocks and ports over another and-inverter graph.
 * @param map [old nodes] Literal in `aig`; -1 for gates that are no longer there by themselves.
 */
export function moveGraph(graph: BitGraph, aig: Aig, map: Int32Array): BitGraph {
  const move = (literal: number) => (literal < 0 ? literal : map[literal >> 1] ^ (literal & 1));
  const node = (id: number) => map[id] >> 1;
  const carry = new CarryStore(aig, graph.carry.maxLength);
  for (const chain of graph.carry.chains) {
    const made: CarryChain = { start: chain.start, origin: chain.origin, elements: [] };
    chain.elements.forEach(({ p, b, sumNode }, at) => {
      const own = sumNode < 0 ? -1 : node(sumNode);
      // what the top element would pass on may be gone
      made.elements.push({ p: move(p), b: map[b >> 1] < 0 ? 0 : move(b), sumNode: own });
      if (own >= 0 && graph.carry.places.has(sumNode)) carry.places.set(own, { chain: made, at });
    });
    carry.chains.push(made);
  }
  return {
    ...graph,
    aig,
    carry,
    literal: Int32Array.from(graph.literal, (literal) =>
      literal < 0 ? literal : map[literal >> 1] < 0 ? foldedLiteral : move(literal),
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
    kept: graph.kept.map((kept) => ({ ...kept, node: node(kept.node), literal: move(kept.literal) })),
  };
}

/** Without gates that nothing depends on: they would count as readers. */
export function sweep(graph: BitGraph): BitGraph {
  const old = graph.aig;
  const live = liveNodes(graph);
  const aig = new Aig();
  const map = new Int32Array(old.nodeCount).fill(-1);
  map[0] = 0;
  for (let node = 1; node < old.nodeCount; node++) {
    aig.currentOrigin = old.origin[node];
    if (!old.isAnd(node)) map[node] = aig.input();
    else if (live[node]) {
      const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
      map[node] = aig.and(map[f0 >> 1] ^ (f0 & 1), map[f1 >> 1] ^ (f1 & 1));
    }
  }
  return moveGraph(graph, aig, map);
}
