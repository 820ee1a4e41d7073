import { type ActiveGraph, activate } from "./active-graph.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type End, type Entries, listEnds, listEntries } from "./checks.ts";
import { buildClockNetwork, type ClockNetwork } from "./clock-network.ts";
import type { PinGraph } from "./pin-graph.ts";
import { buildSearch, type Search } from "./search.ts";

/**
 * All of static timing analysis that does not depend on delays: which arcs count, how clocks spread, which paths rules tell
 * apart, and what is compared with what at their ends.
 */
export interface Analysis {
  readonly active: ActiveGraph;
  readonly network: ClockNetwork;
  readonly search: Search;
  readonly ends: readonly End[];
  readonly entries: Entries;
  readonly rules: BoundRules;
  readonly latches: readonly LatchLink[];
}

/** A latch that passes data on while it is open: from a vertex at its data to one at its output. */
interface LatchLink {
  /** Entry of the check that the data meets there. */
  readonly entry: number;
  readonly to: number;
  readonly arc: number;
}

/**
 * @param off [arcs] 1: constants and rules switch it off.
 * @param even [arcs] 1: its least and largest delay are the same.
 */
export function analyze(graph: PinGraph, rules: BoundRules, off: Uint8Array | null, even: Uint8Array): Analysis {
  const active = activate(graph, off);
  const network = buildClockNetwork(active, rules.clocks, even, rules.latencies);
  const ends = listEnds(active, network, rules);
  const isEnd = new Uint8Array(graph.pinCount);
  for (const { pin } of ends) isEnd[pin] = 1;
  for (const { from, to } of rules.dataChecks) for (const pin of [...from.pins, ...to.pins]) isEnd[pin] = 1;
  const search = buildSearch(active, network, rules, isEnd);
  const entries = listEntries(active, network, search, rules, ends);
  return { active, network, search, ends, entries, rules, latches: latchLinks(active, network, search, ends, entries) };
}

function latchLinks(
  { graph, isOn }: ActiveGraph,
  network: ClockNetwork,
  search: Search,
  ends: readonly End[],
  entries: Entries,
): LatchLink[] {
  const links: LatchLink[] = [];
  // [entries] seeds of the latch's output by the node that opens it
  const seedAt = new Map<string, number[]>();
  search.seedVertex.forEach((vertex, i) => {
    if (search.seedNode[i] < 0) return;
    const key = `${search.pin[vertex]} ${search.seedNode[i]}`;
    const list = seedAt.get(key);
    if (list) list.push(vertex);
    else seedAt.set(key, [vertex]);
  });
  for (let entry = 0; entry < entries.count; entry++) {
    const end = ends[entries.end[entry]];
    if (end.kind !== "latch" || entries.open[entry] === Infinity || entries.setup[entry] === Infinity) continue;
    for (let a = graph.outStart[end.pin]; a < graph.outStart[end.pin + 1]; a++) {
      const arc = graph.outArc[a];
      if (!isOn[arc]) continue;
      for (const to of seedAt.get(`${graph.arcTo[arc]} ${entries.node[entry]}`) ?? []) links.push({ entry, to, arc });
    }
  }
  return network.nodeCount ? links : [];
}
