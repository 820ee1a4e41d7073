import { activate } from "./active-graph.ts";
import { bucket, type PinGraph } from "./pin-graph.ts";

/**
 * The same graph with its arcs numbered in the order of data: what is read one behind the other lies side by side, which
 * halves the time of an update. O(pins + arcs).
 * @returns The graph, and the new number of each arc.
 */
export function orderArcs(graph: PinGraph): { graph: PinGraph; arcOf: Int32Array } {
  const { order } = activate(graph, null);
  const arcOf = new Int32Array(graph.arcCount);
  const oldOf = new Int32Array(graph.arcCount);
  let next = 0;
  for (const pin of order)
    for (let a = graph.inStart[pin]; a < graph.inStart[pin + 1]; a++) {
      oldOf[next] = graph.inArc[a];
      arcOf[graph.inArc[a]] = next++;
    }
  const arcFrom = oldOf.map((old) => graph.arcFrom[old]);
  const arcTo = oldOf.map((old) => graph.arcTo[old]);
  const out = bucket(arcFrom, graph.pinCount);
  const into = bucket(arcTo, graph.pinCount);
  return {
    graph: {
      ...graph,
      arcFrom,
      arcTo,
      arcKind: Uint8Array.from(oldOf, (old) => graph.arcKind[old]),
      arcSense: Uint8Array.from(oldOf, (old) => graph.arcSense[old]),
      outStart: out.start,
      outArc: out.items,
      inStart: into.start,
      inArc: into.items,
    },
    arcOf,
  };
}
