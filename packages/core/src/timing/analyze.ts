import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import type { TimingRules } from "../constraints/sdc/rules.ts";
import type { Analysis } from "./analysis.ts";
import { analyzeAssuming } from "./assumed-clocks.ts";
import { bindRules } from "./bind-rules.ts";
import { type BuiltGraph, buildBuiltGraph } from "./built-graph.ts";
import { builtPlaces } from "./built-places.ts";
import { commonSpread } from "./clock-network.ts";
import { spreadConstants } from "./constants.ts";
import { type CornerDelays, timingCorners } from "./corner-delays.ts";
import { CornerJudge } from "./corner-judge.ts";
import { type ClockPair, clockPairs } from "./coverage.ts";
import { edgesOf } from "./edge-relation.ts";
import { graphDelays } from "./graph-delays.ts";
import { withJitter } from "./jitter.ts";
import { checkKindOf, PathWriter } from "./path-report.ts";
import { worstPaths } from "./paths.ts";
import type {
  ClockSummary,
  DataCheck,
  PulseCheck,
  SkewCheck,
  TimingCheck,
  TimingPath,
  TimingReport,
} from "./report.ts";
import type { TimedCircuit } from "./timed-circuit.ts";
import { TimingState } from "./timing-state.ts";
import { structureFindings, verdicts } from "./verdicts.ts";

const pathLimit = 60;
const padPathLimit = 20;
const pulseLimit = 20;

/**
 * Setup, hold, recovery, removal and pulses of a circuit at every corner, with all rules. Clock wires of the part's network count
 * alike for both ends of a check; all else takes its largest delay where that is worse and its least where that is.
 */
export function analyzeTiming(
  circuit: TimedCircuit,
  timing: TimingRules,
  context: StageContext,
): StageResult<TimingReport> {
  const built = buildBuiltGraph(circuit.netlist);
  const binding = bindRules(timing, built.graph, builtPlaces(built));
  const rules = { ...binding.rules, clocks: withJitter(binding.rules.clocks, built, circuit.part.family) };
  const constant = spreadConstants(built, rules.constants, rules.disabledArcs);
  const graph = { ...built, graph: constant.graph };
  const declared = rules.clocks.length;
  let analysis: Analysis | null = null;
  // a result is kept under a key over what the rules say: the lines that they stand in may move
  const findings: Finding[] = binding.findings.map(({ place: _, ...finding }) => ({
    ...finding,
    place: { object: circuit.netlist.top },
  }));
  const writer = new PathWriter(graph, circuit, declared);
  const checks: TimingCheck[] = [];
  const setup: TimingPath[] = [];
  const hold: TimingPath[] = [];
  const pulses: PulseCheck[] = [];
  const skews: SkewCheck[] = [];
  const dataChecks: DataCheck[] = [];
  let padPaths: TimingPath[] = [];
  let summaries: ClockSummary[] = [];
  let withoutGoal = 0;
  let pairs: ClockPair[] = [];
  let slacks = new Float32Array(0);
  let netSlacks = new Float32Array(0);
  timingCorners.forEach((corner, i) => {
    context.checkCancelled();
    const table = circuit.delaysAt(corner);
    const delays = graphDelays(graph, circuit, table, rules.loads);
    analysis ??= analyzeAssuming(
      graph.graph,
      rules,
      constant.off,
      Uint8Array.from(delays.most, (ps, arc) => (ps === delays.least[arc] ? 1 : 0)),
    );
    const state = new TimingState(analysis, delays);
    const judge = new CornerJudge(state, corner, declared);
    for (const kind of ["setup", "hold", "recovery", "removal"] as const) {
      const check = judge.check(kind);
      if (check.endpoints > 0 || kind === "setup" || kind === "hold") checks.push(check);
    }
    for (const kind of ["setup", "hold"] as const)
      for (const path of worstPaths(state, { kind, count: pathLimit, entries: judge.judged(kind) })) {
        const end = analysis.ends[analysis.entries.end[path.entry]];
        (kind === "setup" ? setup : hold).push(
          writer.write(state, corner, path, checkKindOf(end.kind, kind === "setup")),
        );
      }
    pulses.push(...pulseChecks(graph, circuit, analysis, table.delays, corner, declared));
    skews.push(...skewChecks(state, corner));
    dataChecks.push(...dataToData(state, corner));
    const own = judge.summaries(graph);
    const between = clockPairs(analysis, declared, state);
    if (i === 0) {
      summaries = own;
      pairs = between;
      withoutGoal = judge.withoutGoal();
      slacks = judge.endSlacks();
      netSlacks = netSlacksOf(graph, state);
      padPaths = openPaths(state, corner, writer, declared);
    } else {
      summaries = summaries.map((old, s) => ({
        ...old,
        fmaxMhz: old.fmaxMhz === null ? null : Math.min(old.fmaxMhz, own[s].fmaxMhz ?? Infinity),
      }));
      // the pairs are the same at every corner, in the same order
      pairs = pairs.map((old, p) => ({
        ...old,
        worstSlackPs:
          old.worstSlackPs === null ? null : Math.min(old.worstSlackPs, between[p].worstSlackPs ?? Infinity),
      }));
    }
    context.progress({ fraction: (i + 1) / timingCorners.length });
  });
  const done: Analysis = analysis!;
  const told: TimingReport = {
    clocks: summaries,
    checks,
    setupPaths: worstPerEndpoint(setup),
    holdPaths: worstPerEndpoint(hold),
    padPaths,
    pulses: pulses.sort((a, b) => a.slackPs - b.slackPs).slice(0, pulseLimit),
    skews,
    dataChecks,
    setupSlacksPs: slacks,
    netSlacksPs: netSlacks,
    pairs,
    endpointsWithoutGoal: withoutGoal,
    brokenLoops: done.active.cut.length,
    cutArcs: done.active.cut.map((arc) => constant.graph.pinName(constant.graph.arcFrom[arc])),
  };
  findings.push(...verdicts(told, circuit.netlist.top), ...structureFindings(graph, done, declared));
  return { artifact: told, findings };
}

function worstPerEndpoint(paths: readonly TimingPath[]): TimingPath[] {
  const rank = (path: TimingPath) => path.slackPs ?? 1e9 - path.dataPs;
  const byEnd = new Map<string, TimingPath>();
  for (const path of paths) {
    const end = `${path.kind} ${path.to}`;
    const known = byEnd.get(end);
    if (!known || rank(path) < rank(known)) byEnd.set(end, path);
  }
  return [...byEnd.values()].sort((a, b) => rank(a) - rank(b)).slice(0, pathLimit);
}

/** Clocks that are not high, low or apart long enough for what they clock. */
function pulseChecks(
  { graph, pinCell, netlist }: BuiltGraph,
  { packed }: TimedCircuit,
  { network, rules }: Analysis,
  delays: CornerDelays["delays"],
  corner: string,
  declared: number,
): PulseCheck[] {
  const found: PulseCheck[] = [];
  const clockPins = new Set<number>(graph.checkClock);
  const widths = rules.clocks.map((clock) => {
    const [rises, falls] = [edgesOf(clock, false), edgesOf(clock, true)];
    const least = (from: readonly number[], to: readonly number[]) =>
      Math.min(
        ...from.flatMap((a) =>
          to.map((b) => (((b - a) % clock.periodPs) + clock.periodPs) % clock.periodPs || clock.periodPs),
        ),
      );
    return { high: least(rises, falls), low: least(falls, rises), period: least(rises, rises) };
  });
  const seen = new Set<string>();
  for (let node = 0; node < network.nodeCount; node++) {
    const pin = network.pin[node];
    const clock = network.clock[node];
    if (pin < 0 || clock >= declared || !clockPins.has(pin)) continue;
    const cell = pinCell[pin];
    const block = packed.cellBlock[cell];
    const key = `${clock} ${block < 0 ? -1 : netlist.blocks[block].modes.type} ${network.isInverted[node]}`;
    if (seen.has(key)) continue;
    seen.add(key);
    const { high, low, period } = widths[clock];
    const add = (what: PulseCheck["what"], havePs: number, needPs: number) =>
      found.push({
        corner,
        pin: graph.pinName(pin),
        clock: rules.clocks[clock].name,
        what,
        havePs,
        needPs,
        slackPs: havePs - needPs,
      });
    const isInverted = network.isInverted[node] === 1;
    add("high", isInverted ? low : high, delays.pulsePs);
    add("low", isInverted ? high : low, delays.pulsePs);
    const least = block < 0 ? 0 : delays.blockPeriodPs(netlist.blocks[block].modes);
    if (least > 0) add("period", period, least);
  }
  return found;
}

/** How far apart the paths are that a skew rule names. */
function skewChecks(state: TimingState, corner: string): SkewCheck[] {
  const { entries, rules } = state.analysis;
  const bounds = new Map<number, { late: number; early: number }>();
  for (let entry = 0; entry < entries.count; entry++)
    for (const e of entries.info[entries.infoOf[entry]].rules.others) {
      if (rules.exceptions[e].kind !== "max skew") continue;
      const v = entries.vertex[entry];
      const own = bounds.get(e) ?? { late: -Infinity, early: Infinity };
      own.late = Math.max(own.late, state.arrival[2 * v]);
      own.early = Math.min(own.early, state.arrival[2 * v]);
      bounds.set(e, own);
    }
  return [...bounds].flatMap(([e, { late, early }]) =>
    late > -Infinity
      ? [
          {
            corner,
            rule: { list: "exceptions" as const, number: rules.exceptions[e].rule },
            skewPs: late - early,
            limitPs: rules.exceptions[e].value,
          },
        ]
      : [],
  );
}

/**
 * Signals that a rule holds against another signal in place of a clock: setup before it, hold behind it, both launched by the
 * same edge.
 */
function dataToData(state: TimingState, corner: string): DataCheck[] {
  const { search, network, rules, active } = state.analysis;
  const found: DataCheck[] = [];
  const verticesAt = (pin: number) => search.pinVertex.subarray(search.pinStart[pin], search.pinStart[pin + 1]);
  for (const { from: fromPoints, to: toPoints, clock, setupPs, holdPs, rule } of rules.dataChecks)
    for (const from of fromPoints.pins)
      for (const to of toPoints.pins) {
        let setup = Infinity;
        let hold = Infinity;
        for (const f of verticesAt(from))
          for (const t of verticesAt(to)) {
            const [a, b] = [search.launches[search.launch[f]], search.launches[search.launch[t]]];
            if (a.clock !== b.clock || a.falls !== b.falls || (clock >= 0 && a.clock !== clock)) continue;
            if (!(search.edge[f] & fromPoints.edges) || !(search.edge[t] & toPoints.edges)) continue;
            const credit = a.clock < 0 ? 0 : state.spreadOf(commonSpread(network, a.node, b.node));
            const { arrival } = state;
            if (setupPs !== null) setup = Math.min(setup, arrival[2 * f + 1] - setupPs - arrival[2 * t] + credit);
            if (holdPs !== null) hold = Math.min(hold, arrival[2 * t + 1] - holdPs - arrival[2 * f] + credit);
          }
        const own = { corner, from: active.graph.pinName(from), to: active.graph.pinName(to) };
        const ref = { list: "dataChecks" as const, number: rule };
        if (Number.isFinite(setup)) found.push({ ...own, kind: "setup", slackPs: setup, rule: ref });
        if (Number.isFinite(hold)) found.push({ ...own, kind: "hold", slackPs: hold, rule: ref });
      }
  return found;
}

function netSlacksOf({ netlist, outputPin }: BuiltGraph, state: TimingState): Float32Array<ArrayBuffer> {
  return Float32Array.from({ length: netlist.netCount }, (_, net) => {
    const { setup } = state.pinSlack(outputPin(netlist.netDriver[net]));
    return setup === Infinity ? Number.NaN : setup;
  });
}

/** The longest paths into, out of and straight through the part that no rule gives a goal. */
function openPaths(state: TimingState, corner: string, writer: PathWriter, declared: number): TimingPath[] {
  const { entries, search, ends } = state.analysis;
  const open: number[] = [];
  for (let entry = 0; entry < entries.count; entry++) {
    if (state.setupSlack[entry] !== Infinity && entries.setup[entry] !== Infinity) continue;
    const launch = search.launches[search.launch[entries.vertex[entry]]];
    const end = ends[entries.end[entry]];
    const info = entries.info[entries.infoOf[entry]];
    if (info.why === "false path" || (info.why === "cut clocks" && launch.clock < declared)) continue;
    if (launch.clock < 0 || end.kind === "open") open.push(entry);
  }
  return worstPaths(state, { kind: "longest", count: padPathLimit, entries: open })
    .map((path) => {
      const launch = search.launches[search.launch[path.vertices[0]]];
      const toPad = ends[entries.end[path.entry]].check < 0;
      return writer.write(state, corner, path, launch.clock < 0 ? (toPad ? "through" : "input") : "output");
    })
    .sort((a, b) => b.dataPs - a.dataPs);
}
