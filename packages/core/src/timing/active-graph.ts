import { arcKind, type PinGraph } from "./pin-graph.ts";

/**
 * The arcs that signals really take: without those that constants switch off, that rules disable, or that close a loop;
 * and an order of the pins in which data flows. Launch and latch arcs begin paths and are in no order.
 */
export interface ActiveGraph {
  readonly graph: PinGraph;
  /** [arcs] 1: signals pass. */
  readonly isOn: Uint8Array;
  /** [pins] Each once, those that feed it through wires and logic before it. */
  readonly order: Int32Array;
  /** Arcs that were cut to break loops. */
  readonly cut: readonly number[];
}

/** Wires, logic, and what makes clocks: what a change passes at once. */
export const passes = (kind: number): boolean => kind !== arcKind.launch && kind !== arcKind.latch;

/**
 * Depth-first order (Tarjan 1972), without recursion. On a loop, the arc that comes back to a pin on the way is cut; roots
 * are taken in the order of the pins, and arcs in that of the graph, so that the same circuit is always cut alike.
 * O(pins + arcs).
 * @param off [arcs] 1: switched off; null for none.
 */
export function activate(graph: PinGraph, off: Uint8Array | null): ActiveGraph {
  const { pinCount, arcCount, inStart, inArc, arcFrom, arcKind: kinds } = graph;
  const isOn = new Uint8Array(arcCount).fill(1);
  if (off) for (let arc = 0; arc < arcCount; arc++) if (off[arc]) isOn[arc] = 0;
  const order = new Int32Array(pinCount);
  let ordered = 0;
  const state = new Uint8Array(pinCount); // 1: on the way, 2: done
  const cut: number[] = [];
  const stack = new Int32Array(pinCount);
  const next = new Int32Array(pinCount);
  for (let root = 0; root < pinCount; root++) {
    if (state[root]) continue;
    let depth = 0;
    stack[0] = root;
    next[root] = inStart[root];
    state[root] = 1;
    while (depth >= 0) {
      const pin = stack[depth];
      if (next[pin] === inStart[pin + 1]) {
        state[pin] = 2;
        order[ordered++] = pin;
        depth--;
        continue;
      }
      const arc = inArc[next[pin]++];
      if (!isOn[arc] || !passes(kinds[arc])) continue;
      const from = arcFrom[arc];
      if (state[from] === 1) {
        isOn[arc] = 0;
        cut.push(arc);
      } else if (state[from] === 0) {
        state[from] = 1;
        next[from] = inStart[from];
        stack[++depth] = from;
      }
    }
  }
  return { graph, isOn, order, cut };
}

/** [pins] 1 for those from which a pin of `targets` is reached through wires and logic. O(pins + arcs). */
export function leadsTo({ graph, isOn, order }: ActiveGraph, targets: Uint8Array): Uint8Array {
  const leads = targets.slice();
  const { outStart, outArc, arcTo, arcKind: kinds } = graph;
  for (let i = order.length - 1; i >= 0; i--) {
    const pin = order[i];
    if (leads[pin]) continue;
    for (let a = outStart[pin]; a < outStart[pin + 1]; a++) {
      const arc = outArc[a];
      if (isOn[arc] && passes(kinds[arc]) && leads[arcTo[arc]]) {
        leads[pin] = 1;
        break;
      }
    }
  }
  return leads;
}
