import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import type { TimingRules } from "../constraints/sdc/rules.ts";
import type { TimedLayout } from "../layout/layout.ts";
import { activate } from "./active-graph.ts";
import { type Analysis, analyze } from "./analysis.ts";
import { assumeClocks, withClocks } from "./assumed-clocks.ts";
import { bindRules } from "./bind-rules.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type BuiltGraph, buildBuiltGraph, type TimedNetlist } from "./built-graph.ts";
import { builtPlaces } from "./built-places.ts";
import { buildClockNetwork, commonSpread } from "./clock-network.ts";
import { spreadConstants } from "./constants.ts";
import { cornerDelays, timingCorners } from "./corner-delays.ts";
import { edgesOf } from "./edge-relation.ts";
import { layoutDelays } from "./layout-delays.ts";
import { checkKindOf, PathWriter } from "./path-report.ts";
import { worstPaths } from "./paths.ts";
import type { GraphDelays } from "./pin-graph.ts";
import type {
  CheckKind,
  ClockSummary,
  DataCheck,
  PulseCheck,
  SkewCheck,
  TimingCheck,
  TimingPath,
  TimingReport,
} from "./report.ts";
import { TimingState } from "./timing-state.ts";

const pathLimit = 60;
const padPathLimit = 20;
const pulseLimit = 20;

/** A layout with what its timing needs. */
type AnalysedLayout = TimedLayout & { readonly netlist: TimedNetlist };

/**
 * Setup, hold, recovery, removal and pulses of a layout at every corner, with all rules. Clock wires of the part's network count
 * alike for both ends of a check; all else takes its largest delay where that is worse and its least where that is.
 */
export function analyzeTiming(
  layout: AnalysedLayout,
  timing: TimingRules,
  context: StageContext,
): StageResult<TimingReport> {
  const built = buildBuiltGraph(layout.netlist);
  const binding = bindRules(timing, built.graph, builtPlaces(built));
  const constant = spreadConstants(built, binding.rules.constants, binding.rules.disabledArcs);
  const graph = { ...built, graph: constant.graph };
  const declared = binding.rules.clocks.length;
  let analysis: Analysis | null = null;
  const findings: Finding[] = binding.findings.map(({ place: _, ...finding }) => ({
    ...finding,
    place: { object: layout.netlist.top },
  }));
  const writer = new PathWriter(graph, layout, declared);
  const checks: TimingCheck[] = [];
  const setup: TimingPath[] = [];
  const hold: TimingPath[] = [];
  const pulses: PulseCheck[] = [];
  const skews: SkewCheck[] = [];
  const dataChecks: DataCheck[] = [];
  let padPaths: TimingPath[] = [];
  let summaries: ClockSummary[] = [];
  let withoutGoal = 0;
  let slacks = new Float32Array(0);
  let netSlacks = new Float32Array(0);
  timingCorners.forEach((corner, i) => {
    context.checkCancelled();
    const table = cornerDelays(layout, corner);
    const delays = layoutDelays(graph, layout, table, binding.rules.loads);
    analysis ??= analyzeWith(graph, binding.rules, constant.off, delays);
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
    pulses.push(...pulseChecks(graph, layout, analysis, table.delays, corner, declared));
    skews.push(...skewChecks(state, corner));
    dataChecks.push(...dataToData(state, corner));
    const own = judge.summaries(graph);
    if (i === 0) {
      summaries = own;
      withoutGoal = judge.withoutGoal();
      slacks = judge.endSlacks();
      netSlacks = netSlacksOf(graph, state);
      padPaths = openPaths(state, corner, writer, declared);
    } else
      summaries = summaries.map((old, s) => ({
        ...old,
        fmaxMhz: old.fmaxMhz === null ? null : Math.min(old.fmaxMhz, own[s].fmaxMhz ?? Infinity),
      }));
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
    endpointsWithoutGoal: withoutGoal,
    brokenLoops: done.active.cut.length,
    cutArcs: done.active.cut.map((arc) => constant.graph.pinName(constant.graph.arcFrom[arc])),
  };
  findings.push(...verdicts(told, layout.netlist.top), ...structureFindings(graph, done, declared));
  return { artifact: told, findings };
}

/** The analysis, with clocks assumed where none is declared. */
function analyzeWith(graph: BuiltGraph, rules: BoundRules, off: Uint8Array, delays: GraphDelays): Analysis {
  const even = Uint8Array.from(delays.most, (ps, arc) => (ps === delays.least[arc] ? 1 : 0));
  const active = activate(graph.graph, off);
  const network = buildClockNetwork(active, rules.clocks, even, rules.latencies);
  const assumed = assumeClocks(active, network);
  return analyze(graph.graph, withClocks(rules, assumed), off, even);
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

/** Sums up what one corner says. */
class CornerJudge {
  private readonly known = new Map<"setup" | "hold", { entries: number[]; worst: Map<number, number> }>();

  constructor(
    private readonly state: TimingState,
    private readonly corner: string,
    private readonly declared: number,
  ) {}

  /** True where an entry is of a clock that no line declares: it has no goal, but for hold within it. */
  private isAssumed(entry: number): boolean {
    const { search, entries, network } = this.state.analysis;
    const launch = search.launches[search.launch[entries.vertex[entry]]];
    const node = entries.node[entry];
    return launch.clock >= this.declared || (node >= 0 && network.clock[node] >= this.declared);
  }

  private ends(kind: "setup" | "hold"): { entries: number[]; worst: Map<number, number> } {
    let known = this.known.get(kind);
    if (known) return known;
    const { entries, search } = this.state.analysis;
    const bounds = kind === "setup" ? this.state.setupSlack : this.state.holdSlack;
    known = { entries: [], worst: new Map() };
    for (let entry = 0; entry < entries.count; entry++) {
      const slack = bounds[entry];
      if (slack === Infinity || (kind === "setup" && this.isAssumed(entry))) continue;
      known.entries.push(entry);
      const end = entries.end[entry];
      if (slack < (known.worst.get(end) ?? Infinity)) known.worst.set(end, slack);
    }
    if (search.isMerged) this.refine(kind, known);
    this.known.set(kind, known);
    return known;
  }

  /** Where branches of a clock were taken together, ends that seem to fail are looked at path by path. */
  private refine(kind: "setup" | "hold", known: { entries: number[]; worst: Map<number, number> }): void {
    const { entries } = this.state.analysis;
    const byEnd = new Map<number, number[]>();
    for (const entry of known.entries) {
      const list = byEnd.get(entries.end[entry]);
      if (list) list.push(entry);
      else byEnd.set(entries.end[entry], [entry]);
    }
    for (const [end, list] of byEnd) {
      const [path] = worstPaths(this.state, { kind, count: 1, entries: list });
      if (path) known.worst.set(end, path.slackPs);
    }
  }

  /** Entries that have a goal. */
  judged(kind: "setup" | "hold"): readonly number[] {
    return this.ends(kind).entries;
  }

  check(kind: CheckKind): TimingCheck {
    const isReset = kind === "recovery" || kind === "removal";
    const { ends } = this.state.analysis;
    let worst: number | null = null;
    let total = 0;
    let failing = 0;
    let count = 0;
    for (const [end, slack] of this.ends(kind === "setup" || kind === "recovery" ? "setup" : "hold").worst) {
      if ((ends[end].kind === "recovery") !== isReset) continue;
      count++;
      if (worst === null || slack < worst) worst = slack;
      if (slack < 0) {
        failing++;
        total += slack;
      }
    }
    return {
      corner: this.corner,
      kind,
      worstSlackPs: worst,
      totalNegativePs: total,
      failingEndpoints: failing,
      endpoints: count,
    };
  }

  endSlacks(): Float32Array<ArrayBuffer> {
    return Float32Array.from(this.ends("setup").worst.values());
  }

  /** Ends of registers that signals of registers come to, and that no rule gives a goal. */
  withoutGoal(): number {
    const { entries, ends, search } = this.state.analysis;
    const open = new Set<number>();
    const judged = this.ends("setup").worst;
    for (let entry = 0; entry < entries.count; entry++) {
      const end = entries.end[entry];
      if (ends[end].check < 0 || judged.has(end)) continue;
      const info = entries.info[entries.infoOf[entry]];
      const launch = search.launches[search.launch[entries.vertex[entry]]];
      if (launch.clock >= 0 && info.why !== "false path" && !(info.why === "cut clocks" && !this.isAssumed(entry)))
        open.add(end);
    }
    return open.size;
  }

  summaries({ graph, pinCell }: BuiltGraph): ClockSummary[] {
    const { analysis } = this.state;
    const { entries, search, rules, network } = analysis;
    const need = new Map<number, number>();
    for (let entry = 0; entry < entries.count; entry++) {
      const node = entries.node[entry];
      const launch = search.launches[search.launch[entries.vertex[entry]]];
      if (node < 0 || launch.clock !== network.clock[node] || this.state.setupSlack[entry] === Infinity) continue;
      const info = entries.info[entries.infoOf[entry]];
      if (info.rules.setup >= 0 && rules.exceptions[info.rules.setup].kind === "max delay") continue;
      const period = rules.clocks[launch.clock].periodPs;
      const raw = info.setup + info.setupUncertainty;
      // half-cycle paths count twice
      const own = (raw - this.state.setupSlack[entry]) / (raw / period);
      if (own > (need.get(launch.clock) ?? 0)) need.set(launch.clock, own);
    }
    const clockPins = new Set<number>(graph.checkClock);
    return rules.clocks.map((clock, c): ClockSummary => {
      let earliestPs = Infinity;
      let latestPs = 0;
      const cells = new Set<number>();
      for (let node = 0; node < network.nodeCount; node++) {
        const pin = network.pin[node];
        if (network.clock[node] !== c || pin < 0 || !clockPins.has(pin)) continue;
        cells.add(pinCell[pin]);
        earliestPs = Math.min(earliestPs, this.state.clockEarly[node]);
        latestPs = Math.max(latestPs, this.state.clockLate[node]);
      }
      const least = need.get(c);
      const [source] = clock.sources;
      return {
        name: clock.name,
        port: source === undefined ? clock.name : graph.pinName(source).replace(/\/(?:o|q)$/, ""),
        periodPs: c < this.declared ? clock.periodPs : null,
        fmaxMhz: least && least > 0 ? 1e6 / least : null,
        registers: cells.size,
        earliestPs: earliestPs === Infinity ? 0 : earliestPs,
        latestPs,
      };
    });
  }
}

/** Clocks that are not high, low or apart long enough for what they clock. */
function pulseChecks(
  { graph, pinCell, netlist }: BuiltGraph,
  layout: AnalysedLayout,
  { network, rules }: Analysis,
  delays: ReturnType<typeof cornerDelays>["delays"],
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
    const block = layout.packed.cellBlock[cell];
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

function verdicts(told: TimingReport, top: string): Finding[] {
  const findings: Finding[] = [];
  for (const kind of ["setup", "hold", "recovery", "removal"] as const) {
    const failing = told.checks.filter((check) => check.kind === kind && check.failingEndpoints > 0);
    if (!failing.length) continue;
    const worst = failing.reduce((a, b) => (a.worstSlackPs! < b.worstSlackPs! ? a : b));
    const isSetup = kind === "setup" || kind === "recovery";
    const path = (isSetup ? told.setupPaths : told.holdPaths).find((each) => each.kind === kind);
    findings.push({
      code: `timing/${kind}`,
      severity: "warning",
      place: { object: path?.to ?? top },
      message: `${worst.failingEndpoints} endpoint(s) miss ${kind} at ${worst.corner}, the worst by ${(-worst.worstSlackPs! / 1000).toFixed(3)} ns${path ? `: ${path.from} to ${path.to}` : ""}.`,
      remedy: isSetup
        ? "Shorten the logic on the worst paths, or slow the clock."
        : "Reduce the clock skew: bring the clock in at a clock pin.",
    });
  }
  const [pulse] = told.pulses;
  if (pulse && pulse.slackPs < 0)
    findings.push({
      code: "timing/pulse",
      severity: "warning",
      place: { object: pulse.pin },
      message: `'${pulse.clock}' is ${pulse.what === "period" ? "too fast" : `${pulse.what} for too short`} at ${pulse.pin}: ${(pulse.havePs / 1000).toFixed(3)} ns, and ${(pulse.needPs / 1000).toFixed(3)} ns are needed at ${pulse.corner}.`,
      remedy: "Slow the clock, or make its high and low times more alike.",
    });
  const wide = told.skews.filter(({ skewPs, limitPs }) => skewPs > limitPs);
  if (wide.length)
    findings.push({
      code: "timing/skew",
      severity: "warning",
      place: { object: top },
      message: `Paths of a skew rule are ${(Math.max(...wide.map(({ skewPs }) => skewPs)) / 1000).toFixed(3)} ns apart, and ${(wide[0].limitPs / 1000).toFixed(3)} ns are allowed.`,
      remedy: "Put the registers of the ports into their pads, or allow more.",
    });
  const [data] = told.dataChecks.filter(({ slackPs }) => slackPs < 0).sort((a, b) => a.slackPs - b.slackPs);
  if (data)
    findings.push({
      code: "timing/data",
      severity: "warning",
      place: { object: data.to },
      message: `${data.to} misses its ${data.kind} against ${data.from} by ${(-data.slackPs / 1000).toFixed(3)} ns at ${data.corner}.`,
      remedy:
        data.kind === "setup"
          ? "Shorten its path, or make the other one longer."
          : "Make its path longer, or shorten the other one.",
    });
  if (told.brokenLoops)
    findings.push({
      code: "timing/loop",
      severity: "warning",
      place: { object: top },
      message: `${told.brokenLoops} arc(s) were cut to break combinational loops, at ${told.cutArcs.slice(0, 3).join(", ")}.`,
      remedy: "Put a register on each loop: paths through it are timed only up to the cut.",
    });
  return findings;
}

/** What is wrong with how clocks come to registers. */
function structureFindings(
  { graph, netlist }: BuiltGraph,
  { network, rules, search }: Analysis,
  declared: number,
): Finding[] {
  const findings: Finding[] = [];
  const ports = new Set(graph.ports.map(({ inPin }) => inPin));
  for (const clock of rules.clocks.slice(declared)) {
    const [pin] = clock.sources;
    if (ports.has(pin)) continue;
    findings.push({
      code: "timing/clock-from-logic",
      severity: "warning",
      place: { object: clock.name },
      message: `'${clock.name}' clocks registers, but comes from a register or logic, and no line declares it: its paths have no goal.`,
      remedy: "Use the outside clock with an enable instead, or declare it with create_generated_clock.",
    });
  }
  for (const clock of network.detached) {
    if (clock >= declared || rules.clocks[clock].sources.length === 0) continue;
    findings.push({
      code: "timing/detached-clock",
      severity: "warning",
      place: { object: rules.clocks[clock].name },
      message: `The clock '${rules.clocks[clock].name}' is not reached from the clock that it is made of, so its delay is not known.`,
      remedy: "Correct its -source, or declare it with create_clock.",
    });
  }
  if (network.isCut || search.isCut)
    findings.push({
      code: "timing/too-many",
      severity: "error",
      place: { object: netlist.top },
      message: "The rules tell too many kinds of paths apart for all of them to be looked at.",
      remedy: "Use fewer exceptions, or name clocks in place of registers.",
    });
  return findings;
}
