import { type ActiveGraph, activate, passes } from "./active-graph.ts";
import { type Analysis, analyze } from "./analysis.ts";
import type { BoundClock, BoundRules } from "./bound-rules.ts";
import { buildClockNetwork, type ClockNetwork } from "./clock-network.ts";
import { arcKind, type PinGraph } from "./pin-graph.ts";

/** Period that is taken for clocks that no line declares, to tell how fast they could be. In ps. */
const assumedPeriodPs = 1e6;

/** Where a clock pin that no clock comes to is fed from: ports, else registers and blocks, else nothing. */
function clockRoots({ graph, isOn }: ActiveGraph, clockPin: number): readonly number[] {
  const { inStart, inArc, arcFrom, arcKind: kinds } = graph;
  const ports = new Set(graph.ports.map(({ inPin }) => inPin));
  const seen = new Set([clockPin]);
  const queue = [clockPin];
  const found: { pin: number; isPort: boolean }[] = [];
  for (let head = 0; head < queue.length && head < 10_000; head++) {
    const pin = queue[head];
    if (ports.has(pin)) {
      found.push({ pin, isPort: true });
      continue;
    }
    let isStart = false;
    for (let a = inStart[pin]; a < inStart[pin + 1]; a++) {
      const arc = inArc[a];
      if (!isOn[arc]) continue;
      if (!passes(kinds[arc])) isStart ||= kinds[arc] === arcKind.launch || kinds[arc] === arcKind.latch;
      else if (!seen.has(arcFrom[arc])) {
        seen.add(arcFrom[arc]);
        queue.push(arcFrom[arc]);
      }
    }
    if (isStart) found.push({ pin, isPort: false });
  }
  const hasPort = found.some(({ isPort }) => isPort);
  return found.flatMap(({ pin, isPort }) => (isPort || !hasPort ? [pin] : []));
}

/**
 * Clocks for registers that no declared clock comes to, one for each place where they are fed from: only their own paths
 * are measured by them, and nothing is judged.
 */
function assumeClocks(active: ActiveGraph, network: ClockNetwork): BoundClock[] {
  const { graph } = active;
  const sources = new Set<number>();
  const done = new Set<number>();
  const look = (clockPin: number) => {
    if (done.has(clockPin) || network.first[clockPin] >= 0) return;
    done.add(clockPin);
    for (const root of clockRoots(active, clockPin)) sources.add(root);
  };
  for (const clockPin of graph.checkClock) look(clockPin);
  for (let arc = 0; arc < graph.arcCount; arc++) if (graph.arcKind[arc] === arcKind.launch) look(graph.arcFrom[arc]);
  const ports = new Set(graph.ports.map(({ inPin }) => inPin));
  return [...sources]
    .sort((a, b) => Number(ports.has(b)) - Number(ports.has(a)) || a - b)
    .map((pin) => ({
      name: graph.pinName(pin).replace(/\/(?:o|q)$/, ""),
      periodPs: assumedPeriodPs,
      edgesPs: [0, assumedPeriodPs / 2],
      sources: [pin],
      master: -1,
      masterPin: -1,
      isAutomatic: false,
      jitterPs: 0,
      jitterFrom: -1,
    }));
}

/** Rules with further clocks behind the others. Pairs of clocks are numbered by how many there are. */
function withClocks(rules: BoundRules, more: BoundRules["clocks"]): BoundRules {
  if (more.length === 0) return rules;
  const count = rules.clocks.length;
  const clocks = [...rules.clocks, ...more];
  const cutPairs = new Set<number>();
  for (const pair of rules.cutPairs) cutPairs.add(Math.floor(pair / count) * clocks.length + (pair % count));
  // nothing is known between an assumed clock and another one
  for (let a = count; a < clocks.length; a++)
    for (let b = 0; b < clocks.length; b++)
      if (a !== b) {
        cutPairs.add(a * clocks.length + b);
        cutPairs.add(b * clocks.length + a);
      }
  return { ...rules, clocks, cutPairs };
}

/**
 * The analysis of a graph, with clocks assumed behind the declared ones where registers have none.
 * @param off [arcs] 1: constants and rules switch it off. @param even [arcs] 1: its least and largest delay are the same.
 */
export function analyzeAssuming(graph: PinGraph, rules: BoundRules, off: Uint8Array, even: Uint8Array): Analysis {
  const active = activate(graph, off);
  const network = buildClockNetwork(active, rules.clocks, even, rules.latencies);
  return analyze(graph, withClocks(rules, assumeClocks(active, network)), off, even);
}

/**
 * True where an entry is of a clock that no line declares: it has no goal, but for hold within it.
 * @param declared Clocks of the rules; those behind were assumed.
 */
export function isAssumed({ search, entries, network }: Analysis, entry: number, declared: number): boolean {
  const launch = search.launches[search.launch[entries.vertex[entry]]];
  const node = entries.node[entry];
  return launch.clock >= declared || (node >= 0 && network.clock[node] >= declared);
}
