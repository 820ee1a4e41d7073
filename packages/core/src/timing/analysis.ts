import { type ActiveGraph, activate } from "./active-graph.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type End, type Entries, entriesWithValues, listEnds, listEntries } from "./checks.ts";
import { buildClockNetwork, type ClockNetwork } from "./clock-network.ts";
import type { PinGraph } from "./pin-graph.ts";
import { buildSearch, type Search, seedTimes } from "./search.ts";

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

/**
 * The analysis after rules have changed in their values alone: periods and edges of clocks, delays at ports, cycles and bounds
 * of exceptions, uncertainties, latencies, margins. How paths are told apart stays, and is shared. @returns Null where the rules tell
 * paths apart otherwise: then all of it is to be made anew.
 */
export function withValues(old: Analysis, rules: BoundRules): Analysis | null {
  if (shapeOf(old.rules) !== shapeOf(rules)) return null;
  const { active, network, ends } = old;
  const { seedIo, seedMost, seedLeast } = old.search;
  const times = rules.ioDelays.map(seedTimes);
  const search: Search = {
    ...old.search,
    exceptions: old.search.exceptions.withValues(rules.exceptions),
    seedMost: seedMost.map((ps, i) => (seedIo[i] < 0 ? ps : times[seedIo[i]].most)),
    seedLeast: seedLeast.map((ps, i) => (seedIo[i] < 0 ? ps : times[seedIo[i]].least)),
  };
  const entries = entriesWithValues(old.entries, active, network, search, rules, ends);
  return { ...old, search, entries, rules, latches: latchLinks(active, network, search, ends, entries) };
}

const shapes = new WeakMap<BoundRules, string>();
/** All of some rules that says which paths there are and how they are told apart. */
function shapeOf(rules: BoundRules): string {
  let shape = shapes.get(rules);
  if (shape === undefined) {
    const { clocks, exceptions, ioDelays, uncertainties, latencies, dataChecks } = rules;
    shape = JSON.stringify([
      clocks.map(({ name, sources, master, masterPin, isAutomatic }) => [
        name,
        sources,
        master,
        masterPin,
        isAutomatic,
      ]),
      // what a bound or a multicycle says in figures, only the entries go by
      exceptions.map(({ value: _value, byStart: _byStart, rule: _rule, ...own }) => own),
      ioDelays.map(({ ps: _ps, rule: _rule, ...own }) => own),
      uncertainties.some(({ pins }) => pins.length > 0),
      // a clock with a latency of its own is cut off from its master
      [...new Set(latencies.flatMap(({ isSource, clocks: own }) => (isSource ? own : [])))].sort((a, b) => a - b),
      [...rules.cutPairs].sort((a, b) => a - b),
      [...rules.constants],
      [...rules.onlyEdges],
      rules.disabledArcs,
      dataChecks.map(({ from, to, clock }) => [from, to, clock]),
    ]);
    shapes.set(rules, shape);
  }
  return shape;
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
