import { commonSpread } from "./clock-network.ts";
import type { Search } from "./search.ts";
import type { TimingState } from "./timing-state.ts";

/** By slack, or, whatever is asked of them, the longest ones: then a slack is the arrival, negative. */
type PathKind = "setup" | "hold" | "longest";

/** One path, from where it begins to where it is looked at. */
export interface FoundPath {
  readonly kind: PathKind;
  readonly entry: number;
  readonly slackPs: number;
  /** Where it begins: a seed, or -1 for data that an open latch passes on. */
  readonly seed: number;
  /** Vertices from the beginning to the end, and the arcs between them. */
  readonly vertices: readonly number[];
  readonly arcs: readonly number[];
  /** Arrival at its end, after the launching edge. */
  readonly arrivalPs: number;
  /** Given back for the common way of both ends' clocks. */
  readonly creditPs: number;
}

interface PathQuery {
  readonly kind: PathKind;
  readonly count: number;
  /** Paths of one end; 1 where it is left out. */
  readonly perEnd?: number;
  /** Ends that count, as entries; all where it is left out. */
  readonly entries?: readonly number[];
  /** Only paths that pass one of these pins. */
  readonly through?: readonly number[];
  /** Only paths with less slack. */
  readonly below?: number;
}

interface Partial {
  readonly slack: number;
  readonly entry: number;
  readonly vertex: number;
  /** Delay from the vertex to the end. */
  readonly behind: number;
  readonly edge: number;
  readonly rest: Partial | null;
  readonly passed: boolean;
  /** Complete: it begins at this seed, -1 in a latch; -2 for one that is not. */
  readonly seed: number;
  readonly credit: number;
}

/** Steps before a search gives up: no query that people make comes near. */
const stepLimit = 2_000_000;

/**
 * The paths with the least slack, worst first. Best-first search backward from the ends, led by the arrivals, which are
 * exact: what cannot be among the worst is never looked at (after Yen, Du and Ghanta, "Efficient algorithms for
 * extracting the K most critical paths in timing analysis", DAC 1989). Where launches of several branches of a clock
 * were taken together, each path gets its own credit before it counts.
 */
export function worstPaths(state: TimingState, query: PathQuery): FoundPath[] {
  const { search, entries, network, ends } = state.analysis;
  const isSetup = query.kind !== "hold";
  const isPlain = query.kind === "longest";
  const sign = isSetup ? 1 : -1;
  const { arrival, edgeDelay } = state;
  /** Which of two that lie side by side. */
  const side = isSetup ? 0 : 1;
  const own = isSetup ? state.setupSlack : state.holdSlack;
  const below = query.below ?? Infinity;
  const targets = query.through ? markThrough(state, query.through) : null;
  const via = targets ? arrivalVia(state, isSetup, targets) : null;
  const seedsAt = state.seedsOfVertices();
  const heap = new Heap();
  const at = (vertex: number, passed: boolean) => (via && !passed ? via[vertex] : arrival[2 * vertex + side]);
  const required = (entry: number) => {
    if (isPlain) return 0;
    const own = state.requiredAt(entry);
    return isSetup ? own.late : own.early;
  };
  const isKnown = (time: number) => time !== Infinity && time !== -Infinity;

  const offer = (entry: number) => {
    if (!isPlain && !isKnown(own[entry])) return;
    const vertex = entries.vertex[entry];
    const passed = targets ? targets.vertices[vertex] === 1 : true;
    const time = at(vertex, passed);
    const slack = sign * (required(entry) - time);
    if (!isKnown(time) || slack >= below) return;
    heap.push({ slack, entry, vertex, behind: 0, edge: -1, rest: null, passed, seed: -2, credit: 0 });
  };
  if (query.entries) for (const entry of query.entries) offer(entry);
  else for (let entry = 0; entry < entries.count; entry++) offer(entry);

  const perEnd = query.perEnd ?? 1;
  const taken = new Map<number, number>();
  const found: FoundPath[] = [];
  for (let step = 0; step < stepLimit && found.length < query.count; step++) {
    const top = heap.pop();
    if (!top) break;
    const { entry, vertex, behind } = top;
    const end = entries.end[entry];
    // an end that has given all of its paths gives no more
    const endKey = ends[end].pin;
    if ((taken.get(endKey) ?? 0) >= perEnd) continue;
    if (top.seed !== -2) {
      taken.set(endKey, (taken.get(endKey) ?? 0) + 1);
      const more = isPlain ? 0 : top.credit - state.credit(entry);
      found.push(toPath(search, top, query.kind, required(entry) + sign * more, sign));
      continue;
    }
    const limit = required(entry);
    if (top.passed) {
      const tagged = isPlain ? 0 : state.credit(entry);
      const begin = (seed: number, time: number, credit: number) => {
        if (!isKnown(time)) return;
        // what its own credit adds to the credit of all that were taken together
        const slack = sign * (limit - time - behind) + credit - tagged;
        if (slack < below) heap.push({ ...top, slack, seed, credit });
      };
      const creditOf = (node: number): number => {
        if (isPlain || !search.isMerged || node < 0 || entries.node[entry] < 0) return tagged;
        return state.spreadOf(commonSpread(network, node, entries.node[entry]));
      };
      for (const seed of seedsAt(vertex)) begin(seed, state.seedTime(seed, isSetup), creditOf(search.seedNode[seed]));
      if (isSetup) for (const { node, ps } of state.latchTimes(vertex)) begin(-1, ps, creditOf(node));
    }
    for (let e = search.inStart[vertex]; e < search.inStart[vertex + 1]; e++) {
      const from = search.inFrom[e];
      const passed = top.passed || targets!.edges[e] === 1 || targets!.vertices[from] === 1;
      const time = at(from, passed);
      if (!isKnown(time)) continue;
      const rest = behind + edgeDelay[2 * e + side];
      const slack = sign * (limit - time - rest);
      if (slack < below)
        heap.push({ slack, entry, vertex: from, behind: rest, edge: e, rest: top, passed, seed: -2, credit: 0 });
    }
  }
  return found;
}

function toPath(search: Search, last: Partial, kind: PathKind, required: number, sign: number): FoundPath {
  const vertices: number[] = [];
  const arcs: number[] = [];
  for (let at: Partial | null = last; at; at = at.rest) {
    vertices.push(at.vertex);
    if (at.edge < 0) continue;
    for (let k = search.arcStart[at.edge]; k < search.arcStart[at.edge + 1]; k++) arcs.push(search.edgeArc[k]);
  }
  return {
    kind,
    entry: last.entry,
    slackPs: last.slack,
    seed: last.seed,
    vertices,
    arcs,
    arrivalPs: required - sign * last.slack,
    creditPs: last.credit,
  };
}

/** Vertices at certain pins, and edges that they lie within. */
interface Marked {
  readonly vertices: Uint8Array;
  readonly edges: Uint8Array;
}

function markThrough(state: TimingState, pins: readonly number[]): Marked {
  const { search } = state.analysis;
  const vertices = new Uint8Array(search.vertexCount);
  const edges = new Uint8Array(search.inFrom.length);
  for (const pin of pins) {
    for (let i = search.pinStart[pin]; i < search.pinStart[pin + 1]; i++) vertices[search.pinVertex[i]] = 1;
    for (const edge of state.edgesThrough(pin)) edges[edge] = 1;
  }
  return { vertices, edges };
}

/** [vertices] Arrival of the paths that pass what is marked. */
function arrivalVia(state: TimingState, isSetup: boolean, marked: Marked): Float64Array {
  const { search } = state.analysis;
  const { arrival, edgeDelay } = state;
  const side = isSetup ? 0 : 1;
  const via = new Float64Array(search.vertexCount).fill(isSetup ? -Infinity : Infinity);
  for (let v = 0; v < search.vertexCount; v++) {
    if (marked.vertices[v]) {
      via[v] = arrival[2 * v + side];
      continue;
    }
    for (let e = search.inStart[v]; e < search.inStart[v + 1]; e++) {
      const from = search.inFrom[e];
      const time = (marked.edges[e] ? arrival[2 * from + side] : via[from]) + edgeDelay[2 * e + side];
      if (isSetup ? time > via[v] : time < via[v]) via[v] = time;
    }
  }
  return via;
}

/** The least slack first; of equals the one that came first. */
class Heap {
  private readonly items: Partial[] = [];
  push(item: Partial): void {
    const { items } = this;
    let at = items.push(item) - 1;
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (items[parent].slack <= item.slack) break;
      items[at] = items[parent];
      at = parent;
    }
    items[at] = item;
  }
  pop(): Partial | null {
    const { items } = this;
    if (items.length === 0) return null;
    const [top] = items;
    const last = items.pop()!;
    const { length } = items;
    if (length) {
      let at = 0;
      for (;;) {
        let child = 2 * at + 1;
        if (child >= length) break;
        if (child + 1 < length && items[child + 1].slack < items[child].slack) child++;
        if (items[child].slack >= last.slack) break;
        items[at] = items[child];
        at = child;
      }
      items[at] = last;
    }
    return top;
  }
}
