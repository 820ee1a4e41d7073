import { Aig } from "../logic/aig.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { type BitGraph, outsideLiterals } from "./blast.ts";
import { moveGraph } from "./graph-copy.ts";

/**
 * The same graph with its nodes in an order that follows from names and structure alone: what is read first elsewhere
 * changes nothing in it, so that a part of a design can be known again. Gates that nothing needs are left out.
 */
export function canonical(graph: BitGraph, netlist: RtlNetlist): BitGraph {
  const old = graph.aig;
  const aig = new Aig();
  const map = new Int32Array(old.nodeCount).fill(-1);
  map[0] = 0;
  const leaves: { node: number; cell: number; bit: number }[] = [
    ...graph.inputs.map(({ net, node }) => ({ node, cell: -1, bit: net })),
    ...graph.states.map(({ cell, bit, qNode }) => ({ node: qNode, cell, bit })),
  ];
  const follows = new Map<number, readonly number[]>(); // input of the graph -> literals that it follows without a clock
  for (const { cell, isThrough, inputs, outputs } of graph.blocks)
    for (const [pin, node] of outputs) {
      if (isThrough) follows.set(node, inputs);
      else leaves.push({ node, cell, bit: pin });
    }
  for (const { node, literal } of graph.kept) follows.set(node, [literal]);
  for (const [node, { chain, at }] of graph.carry.places)
    follows.set(
      node,
      chain.elements.slice(0, at + 1).flatMap(({ p, b }, i) => (i < at ? [p, b] : [p])),
    );
  leaves.sort((a, b) => a.cell - b.cell || a.bit - b.bit);
  for (const { node } of leaves) {
    aig.currentOrigin = old.origin[node];
    map[node] = aig.input();
  }
  const hashes = hashNodes(graph, netlist, leaves, follows);
  const hashOf = (literal: number) => hashes[literal >> 1] ^ (literal & 1);
  const inputsOf = (node: number): readonly number[] => {
    if (!old.isAnd(node)) return follows.get(node) ?? [];
    const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
    return hashOf(f0) <= hashOf(f1) ? [f0, f1] : [f1, f0];
  };
  const visit = (root: number) => {
    const stack = [root];
    while (stack.length) {
      const node = stack[stack.length - 1];
      if (map[node] >= 0) {
        stack.pop();
        continue;
      }
      const inputs = inputsOf(node);
      let isReady = true;
      // the first one is to be on top
      for (let i = inputs.length - 1; i >= 0; i--) {
        const from = inputs[i] >> 1;
        if (inputs[i] > 1 && map[from] < 0) {
          stack.push(from);
          isReady = false;
        }
      }
      if (!isReady) continue;
      stack.pop();
      aig.currentOrigin = old.origin[node];
      if (!old.isAnd(node)) map[node] = aig.input();
      else {
        const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
        map[node] = aig.and(map[f0 >> 1] ^ (f0 & 1), map[f1 >> 1] ^ (f1 & 1));
      }
    }
  };
  const states = [...graph.states].sort((a, b) => a.cell - b.cell || a.bit - b.bit);
  const blocks = [...graph.blocks].sort((a, b) => a.cell - b.cell);
  for (const literal of outsideLiterals({ ...graph, states, blocks })) if (literal > 1) visit(literal >> 1);
  for (let node = 1; node < old.nodeCount; node++) if (map[node] < 0 && !old.isAnd(node)) map[node] = aig.input();
  return moveGraph(graph, aig, map);
}

/** [nodes] Equal for nodes of equal structure over leaves of equal names within their modules. */
function hashNodes(
  { aig, carry }: BitGraph,
  { cells }: RtlNetlist,
  leaves: readonly { node: number; cell: number; bit: number }[],
  follows: ReadonlyMap<number, readonly number[]>,
): Int32Array {
  const hashes = new Int32Array(aig.nodeCount);
  const names = new Map<number, number>();
  for (const { node, cell, bit } of leaves) {
    let name = names.get(cell);
    if (name === undefined) {
      const text = cell < 0 ? "port" : cells[cell].name;
      name = hashText(text.slice(text.lastIndexOf(".") + 1));
      names.set(cell, name);
    }
    hashes[node] = mix(name, bit);
  }
  const of = (literal: number) => hashes[literal >> 1] * 2 + (literal & 1);
  for (let node = 1; node < aig.nodeCount; node++) {
    if (aig.isAnd(node)) {
      const [a, b] = [of(aig.fanin0[node]), of(aig.fanin1[node])];
      hashes[node] = a < b ? mix(a, b) : mix(b, a);
      continue;
    }
    const place = carry.places.get(node);
    if (place) hashes[node] = mix(of(place.chain.elements[place.at].p), place.at + 7);
    else for (const literal of follows.get(node) ?? []) hashes[node] = mix(hashes[node], of(Math.max(0, literal)));
  }
  return hashes;
}

/** FNV-1a. */
function hashText(text: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return hash;
}

function mix(a: number, b: number): number {
  let hash = Math.imul(a ^ 0x9e3779b1, 0x85ebca6b) ^ Math.imul(b ^ (b >>> 15), 0xc2b2ae35);
  hash ^= hash >>> 13;
  return Math.imul(hash, 0x27d4eb2f) ^ (hash >>> 16);
}
