import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import type { ClockRule } from "../constraints/sdc.ts";
import type { BlockModes } from "../device/blocks/description.ts";
import { blockClockFalls, blockOf, blockPinsOf } from "../device/blocks/registry.ts";
import type { CornerName } from "../device/family.ts";
import type { TimedLayout } from "../layout/layout.ts";
import { takesBypass } from "../layout/pads.ts";
import { portOfPad } from "../netlist/made-names.ts";
import { cellKind, ffMode, ffPin, isLogic } from "../netlist/mapped.ts";
import { type CornerDelays, cornerDelays, timingCorners } from "./corner-delays.ts";
import { edgeRelation } from "./edge-relation.ts";
import { MadeClocks } from "./made-clocks.ts";
import type { CheckKind, ClockSummary, PathStep, TimingCheck, TimingPath, TimingReport } from "./report.ts";
import { buildTimingGraph, ownerOfSlots, propagate, startDelays, type TimingGraph } from "./timing-graph.ts";

const pathLimit = 60;

interface Domain {
  readonly port: string;
  /** One; none where no rule tells; more behind a clock switch, of which one runs at a time. */
  readonly rules: readonly ClockRule[];
  readonly falling: boolean;
  readonly name: string;
}

/**
 * Setup and hold at every corner for every pair of clock edges, with the clock's real arrival at each register.
 * Block-oriented (Kirkpatrick and Clark 1966), one forward pass a launching edge. Clock wires count alike for both ends
 * of a check; data takes its largest delay for setup and its least for hold.
 */
export function analyzeTiming(
  layout: TimedLayout,
  clocks: readonly ClockRule[],
  context: StageContext,
): StageResult<TimingReport> {
  const { netlist } = layout;
  const graph = buildTimingGraph(netlist);
  const findings: Finding[] = [];
  const checks: TimingCheck[] = [];
  const setup: TimingPath[] = [];
  const hold: TimingPath[] = [];
  let padPaths: TimingPath[] = [];
  let summaries: ClockSummary[] = [];
  let withoutGoal = 0;
  let slacks = new Float32Array(0);
  timingCorners.forEach((corner, i) => {
    context.checkCancelled();
    const run = new CornerAnalysis(layout, graph, corner, clocks);
    for (const kind of ["setup", "hold"] as const) {
      const result = run.check(kind);
      checks.push(result.check);
      (kind === "setup" ? setup : hold).push(...result.paths);
      if (kind === "setup" && corner === "slow-hot") {
        withoutGoal = result.withoutGoal;
        slacks = result.slacks;
      }
    }
    const own = run.summaries();
    summaries =
      i === 0
        ? own
        : summaries.map((old, s) => ({
            ...old,
            fmaxMhz: old.fmaxMhz === null ? null : Math.min(old.fmaxMhz, own[s].fmaxMhz ?? Infinity),
          }));
    if (corner === "slow-hot") {
      padPaths = run.padPaths();
      findings.push(...run.findings);
    }
    context.progress({ fraction: (i + 1) / timingCorners.length });
  });
  const analysis: TimingReport = {
    clocks: summaries,
    checks,
    setupPaths: worstPerEndpoint(setup),
    holdPaths: worstPerEndpoint(hold),
    padPaths,
    setupSlacksPs: slacks,
    endpointsWithoutGoal: withoutGoal,
    brokenLoops: graph.brokenPins.size,
  };
  for (const kind of ["setup", "hold"] as const) {
    const failing = checks.filter((check) => check.kind === kind && check.failingEndpoints > 0);
    if (!failing.length) continue;
    const worst = failing.reduce((a, b) => (a.worstSlackPs! < b.worstSlackPs! ? a : b));
    const [path] = kind === "setup" ? analysis.setupPaths : analysis.holdPaths;
    findings.push({
      code: `timing/${kind}`,
      severity: "warning",
      place: { object: path.to },
      message: `${worst.failingEndpoints} endpoint(s) miss ${kind} at ${worst.corner}, the worst by ${(-worst.worstSlackPs! / 1000).toFixed(3)} ns: ${path.from} to ${path.to}.`,
      remedy:
        kind === "setup"
          ? "Shorten the logic on the worst paths, or slow the clock."
          : "Reduce the clock skew: bring the clock in at a clock pin.",
    });
  }
  if (graph.brokenPins.size) {
    findings.push({
      code: "timing/loop",
      severity: "warning",
      place: { object: netlist.top },
      message: `${graph.brokenPins.size} arc(s) were cut to break combinational loops.`,
      remedy: "Paths through latches are timed only up to the cut.",
    });
  }
  return { artifact: analysis, findings };
}

function worstPerEndpoint(paths: readonly TimingPath[]): TimingPath[] {
  const rank = (path: TimingPath) => path.slackPs ?? 1e9 - path.dataPs;
  const byEnd = new Map<string, TimingPath>();
  for (const path of paths) {
    const known = byEnd.get(path.to);
    if (!known || rank(path) < rank(known)) byEnd.set(path.to, path);
  }
  return [...byEnd.values()].sort((a, b) => rank(a) - rank(b)).slice(0, pathLimit);
}

class CornerAnalysis {
  readonly findings: Finding[] = [];
  private readonly timing: CornerDelays;
  private readonly domains: Domain[] = [];
  /** [cells] Clock edge of each flip-flop and block output, index into `domains`; -1 for others. */
  private readonly domainOf: Int32Array;
  /** [cells] Arrival of the clock at each flip-flop and block output. */
  private readonly clockPs: Float64Array;
  /** [cells] Clock to output; -Infinity for what has no clock. */
  private readonly startPs: Float64Array;
  /** [input pin slots] Clock edge that captures at a pin, -1 for others; and when the clock gets there. */
  private readonly endDomain: Int32Array;
  private readonly endClockPs: Float64Array;
  private readonly owner: Int32Array;
  private readonly made: MadeClocks;
  /** [domains] Least period that setup allows within one clock, by name. */
  private readonly needPs = new Map<string, number>();

  constructor(
    private readonly layout: TimedLayout,
    private readonly graph: TimingGraph,
    corner: CornerName,
    rules: readonly ClockRule[],
  ) {
    this.made = new MadeClocks(layout.netlist, rules);
    this.timing = cornerDelays(layout, corner);
    const { netlist } = layout;
    this.owner = ownerOfSlots(netlist);
    this.domainOf = new Int32Array(netlist.cellCount).fill(-1);
    this.clockPs = new Float64Array(netlist.cellCount);
    this.startPs = startDelays(netlist, this.timing.delays);
    this.endDomain = new Int32Array(netlist.inputNet.length).fill(-1);
    this.endClockPs = new Float64Array(netlist.inputNet.length);
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (netlist.kind[cell] !== cellKind.flipFlop) continue;
      const slot = netlist.inputStart[cell] + ffPin.clock;
      const source = this.clockSource(netlist.netDriver[netlist.inputNet[slot]], 0);
      this.clockPs[cell] = source.ps + this.timing.netPs[slot];
      this.domainOf[cell] = this.domainIndex(source, (netlist.modes[cell] & ffMode.clockFalling) !== 0);
      this.endDomain.fill(this.domainOf[cell], netlist.inputStart[cell], netlist.inputStart[cell + 1]);
      this.endClockPs.fill(this.clockPs[cell], netlist.inputStart[cell], netlist.inputStart[cell + 1]);
    }
    this.clockBlocks();
  }

  /** Each port of a block has a clock of its own. */
  private clockBlocks(): void {
    const { netlist, part } = this.layout;
    const { inputStart, inputNet, netDriver } = netlist;
    const clocks = netlist.blocks.map(({ cell, modes }) => {
      const pins = blockPinsOf(part.family, modes);
      const own = Array.from({ length: pins.clocks }, (_, p) => {
        const slot = inputStart[cell] + pins.inputs.length + p;
        if (inputNet[slot] < 0) return { domain: -1, ps: 0 };
        const falling = blockClockFalls(modes, p);
        const source = this.clockSource(netDriver[inputNet[slot]], 0);
        return { domain: this.domainIndex(source, falling), ps: source.ps + this.timing.netPs[slot] };
      });
      pins.inputs.forEach((name, pin) => {
        const { domain, ps } = own[blockOf(modes).clockOfPin(name)];
        this.endDomain[inputStart[cell] + pin] = domain;
        this.endClockPs[inputStart[cell] + pin] = ps;
      });
      return { own, pins, modes };
    });
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (netlist.kind[cell] !== cellKind.blockOutput || this.startPs[cell] === -Infinity) continue;
      const { own, pins, modes } = clocks[this.layout.packed.cellBlock[cell]];
      const { domain, ps } = own[blockOf(modes).clockOfPin(pins.outputs[netlist.modes[cell]])];
      this.domainOf[cell] = domain;
      this.clockPs[cell] = ps;
    }
  }

  private domainIndex({ port, cell }: ClockSource, falling: boolean): number {
    const known = this.domains.findIndex((domain) => domain.port === port && domain.falling === falling);
    if (known >= 0) return known;
    const rules = this.made.at(cell);
    this.domains.push({ port, falling, rules, name: rules.map((rule) => rule.name).join(" or ") || port });
    return this.domains.length - 1;
  }

  private readonly sources = new Map<number, ClockSource>();

  /** Where a clock comes from and how late it is at a cell's output: a pad, or logic and registers on the way from one. */
  private clockSource(cell: number, depth: number): ClockSource {
    const known = this.sources.get(cell);
    if (known) return known;
    const { netlist } = this.layout;
    const { kind, inputStart, inputNet, netDriver, cellName } = netlist;
    let result: ClockSource = { port: cellName[cell], cell, ps: 0 };
    if (kind[cell] === cellKind.inputPad) result.ps = this.timing.padPs[cell];
    else if (this.made.isMade(cell) && depth < 64) {
      // behind a switch both clocks count as late as the later one; a block's feedback takes its own way in out
      const { netPs, delays } = this.timing;
      const taken = this.made.isAligned(cell) ? delays.pinMuxPs : 0;
      for (const { driver, slot } of this.made.inputsOf(cell)) {
        const way = Math.max(0, netPs[slot] - taken);
        result.ps = Math.max(result.ps, this.clockSource(driver, depth + 1).ps + way);
      }
      result.ps += this.startPs[cell];
    } else if (depth < 64) {
      this.findings.push({
        code: "timing/clock-from-logic",
        severity: "warning",
        place: { object: cellName[cell] },
        message: `'${cellName[cell]}' clocks registers, but comes from ${kind[cell] === cellKind.flipFlop ? "a register" : "logic"}: it travels on ordinary wires and has more skew.`,
        remedy: "Use the outside clock with an enable instead.",
      });
      const slots =
        kind[cell] === cellKind.flipFlop
          ? [inputStart[cell] + ffPin.clock]
          : Array.from({ length: inputStart[cell + 1] - inputStart[cell] }, (_, i) => inputStart[cell] + i);
      for (const slot of slots) {
        if (netlist.inputNet[slot] < 0 || this.graph.brokenPins.has(slot)) continue;
        const from = this.clockSource(netDriver[inputNet[slot]], depth + 1);
        const own = kind[cell] === cellKind.flipFlop ? this.timing.delays.clockToOutputPs : this.timing.lutPs[slot];
        const ps = from.ps + this.timing.netPs[slot] + own;
        if (ps > result.ps) result = { ...from, ps };
      }
    }
    this.sources.set(cell, result);
    return result;
  }

  /** Time from the launching to the capturing edge for setup, and for the hold check that goes with it. */
  private relation(launch: Domain, capture: Domain): { setup: number; hold: number } | null {
    let setup = Infinity;
    let hold = -Infinity;
    const isOne = launch.port === capture.port;
    for (const from of launch.rules)
      for (const to of capture.rules) {
        if (isOne && from !== to) continue; // clocks of a switch never run both at a time
        const each = edgeRelation(from, launch.falling, to, capture.falling);
        setup = Math.min(setup, each.setup);
        hold = Math.max(hold, each.hold);
      }
    return setup < Infinity ? { setup, hold } : null;
  }

  check(kind: CheckKind): {
    check: TimingCheck;
    paths: TimingPath[];
    withoutGoal: number;
    slacks: Float32Array<ArrayBuffer>;
  } {
    const { netlist } = this.layout;
    const { delays } = this.timing;
    const latest = kind === "setup";
    const ratio = latest ? 1 : delays.minRatio;
    const scaled = latest
      ? this.timing
      : {
          ...this.timing,
          netPs: this.timing.netPs.map((ps) => ps * ratio),
          lutPs: this.timing.lutPs.map((ps) => ps * ratio),
        };
    const never = latest ? -Infinity : Infinity;
    const best = new Map<number, { slack: number | null; data: number; launch: number; relation: number | null }>();
    const arrivals: Float64Array[] = [];
    const worstPins: Int32Array[] = [];
    this.domains.forEach((launch, l) => {
      const arrival = new Float64Array(netlist.cellCount).fill(never);
      for (let cell = 0; cell < netlist.cellCount; cell++) {
        if (this.domainOf[cell] === l) arrival[cell] = this.clockPs[cell] + this.startPs[cell] * ratio;
      }
      const worst = new Int32Array(netlist.cellCount).fill(-1);
      propagate(this.graph, scaled, arrival, latest, worst);
      arrivals.push(arrival);
      worstPins.push(worst);
      const relations = this.domains.map((capture) => this.relation(launch, capture));
      for (const slot of this.graph.endPins) {
        const c = this.endDomain[slot];
        if (c < 0 || this.isAsyncReset(slot)) continue;
        const at = arrival[netlist.netDriver[netlist.inputNet[slot]]];
        if (at === never) continue;
        const data = at + scaled.netPs[slot];
        const relation = relations[c];
        let slack: number | null = null;
        if (latest) {
          const need = data + this.setupPs(slot) - this.endClockPs[slot];
          if (relation) slack = relation.setup - need;
          const capture = this.domains[c];
          if (capture.port === launch.port) {
            // half-cycle paths count twice
            const share =
              relation && launch.rules.length
                ? relation.setup / periodOf(launch)!
                : capture.falling === launch.falling
                  ? 1
                  : 0.5;
            this.needPs.set(launch.port, Math.max(this.needPs.get(launch.port) ?? 0, need / share));
          }
        } else if (relation) slack = data - relation.hold - this.endClockPs[slot] - delays.holdPs;
        else if (this.domains[c].port === launch.port) slack = data - this.endClockPs[slot] - delays.holdPs;
        const known = best.get(slot);
        const rank = slack ?? 1e9 - data;
        if (!known || rank < (known.slack ?? 1e9 - known.data))
          best.set(slot, {
            slack,
            data,
            launch: l,
            relation: relation ? (latest ? relation.setup : relation.hold) : null,
          });
      }
    });
    const inside = latest ? this.insidePaths() : [];
    let worstSlack: number | null = null;
    let total = 0;
    let failing = 0;
    let withGoal = 0;
    for (const slack of [...[...best.values()].map((end) => end.slack), ...inside.map(({ slackPs }) => slackPs)]) {
      if (slack === null) continue;
      withGoal++;
      if (worstSlack === null || slack < worstSlack) worstSlack = slack;
      if (slack < 0) {
        failing++;
        total += slack;
      }
    }
    const ranked = [...best]
      .sort((a, b) => (a[1].slack ?? 1e9 - a[1].data) - (b[1].slack ?? 1e9 - b[1].data))
      .slice(0, pathLimit);
    const paths = ranked.map(([slot, end]) =>
      this.trace(kind, slot, end, arrivals[end.launch], worstPins[end.launch], scaled, ratio),
    );
    return {
      check: {
        corner: this.timing.corner,
        kind,
        worstSlackPs: worstSlack,
        totalNegativePs: total,
        failingEndpoints: failing,
        endpoints: withGoal,
      },
      paths: [...paths, ...inside],
      slacks: Float32Array.from(
        [...[...best.values()].map((end) => end.slack), ...inside.map(({ slackPs }) => slackPs)].filter(
          (slack) => slack !== null,
        ),
      ),
      withoutGoal: best.size + inside.length - withGoal,
    };
  }

  /** Multipliers with more than one rank of registers: the longest way from one to the next. */
  private insidePaths(): TimingPath[] {
    const { netlist } = this.layout;
    const { delays } = this.timing;
    const paths: TimingPath[] = [];
    for (const { cell, modes } of netlist.blocks) {
      const insidePs = delays.blockInsidePs(modes);
      const slot = netlist.inputStart[cell]; // all pins of a multiplier have its one clock
      const d = this.endDomain[slot];
      if (insidePs === null || d < 0) continue;
      const domain = this.domains[d];
      const relation = this.relation(domain, domain);
      this.needPs.set(domain.port, Math.max(this.needPs.get(domain.port) ?? 0, insidePs));
      const clockPs = this.endClockPs[slot];
      const setupPs = this.setupOf(modes);
      const place = { net: -1, cell, ...this.position(cell), origin: netlist.origin[cell], fanout: 0 };
      const name = netlist.cellName[cell];
      const step = (what: PathStep["what"], own: string, delayPs: number, arrivalPs: number): PathStep => ({
        what,
        name: own,
        delayPs,
        arrivalPs,
        ...place,
      });
      const dataPs = insidePs - setupPs;
      paths.push({
        kind: "setup",
        corner: this.timing.corner,
        slackPs: relation ? relation.setup - insidePs : null,
        from: name,
        to: `${name} (inside)`,
        launchClock: domain.name,
        captureClock: domain.name,
        requirementPs: relation?.setup ?? null,
        launchClockPs: clockPs,
        captureClockPs: clockPs,
        dataPs,
        cellPs: dataPs,
        levels: 0,
        carries: 0,
        steps: [
          step("clock", domain.port, clockPs, clockPs),
          step("block", name, dataPs, clockPs + dataPs),
          step("setup", name, setupPs, clockPs + insidePs),
        ],
      });
    }
    return paths;
  }

  private setupOf(modes: BlockModes): number {
    // an operand with a register of its own has nothing before that
    return this.timing.delays.blockSetupPs({ ...modes, inputRegister: true } as BlockModes, "LEFT0");
  }

  private isAsyncReset(slot: number): boolean {
    const { netlist } = this.layout;
    const cell = this.owner[slot];
    if (netlist.kind[cell] !== cellKind.flipFlop) return false;
    return slot - netlist.inputStart[cell] === ffPin.reset && (netlist.modes[cell] & ffMode.asyncReset) !== 0;
  }

  private setupPs(slot: number): number {
    const { netlist, packed, part } = this.layout;
    const cell = this.owner[slot];
    if (netlist.kind[cell] === cellKind.block) {
      const { modes } = netlist.blocks[packed.cellBlock[cell]];
      const name = blockPinsOf(part.family, modes).inputs[slot - netlist.inputStart[cell]];
      return this.timing.delays.blockSetupPs(modes, name);
    }
    const bypass = slot === netlist.inputStart[cell] + ffPin.d && takesBypass(packed, cell);
    return this.timing.delays.setupPs(bypass);
  }

  private position(cell: number): { tileX: number; tileY: number } {
    const { packed, placed, part } = this.layout;
    const pad = packed.cellPad[cell];
    const block = packed.cellBlock[cell];
    const tile =
      pad >= 0
        ? part.fabric.pads[pad].tile
        : block >= 0
          ? placed.blockTile[block]
          : placed.clusterTile[packed.elementCluster[packed.cellElement[cell]]];
    return { tileX: part.fabric.tileX(tile), tileY: part.fabric.tileY(tile) };
  }

  private fanout: Int32Array | null = null;
  private fanoutOf(net: number): number {
    if (!this.fanout) {
      this.fanout = new Int32Array(this.layout.netlist.netCount);
      for (const each of this.layout.netlist.inputNet) if (each >= 0) this.fanout[each]++;
    }
    return this.fanout[net];
  }

  private trace(
    kind: TimingPath["kind"],
    endSlot: number,
    end: { slack: number | null; data: number; launch: number; relation: number | null },
    arrival: Float64Array,
    worst: Int32Array,
    delays: CornerDelays,
    ratio: number,
  ): TimingPath {
    const { netlist } = this.layout;
    const { cellName, netName, inputNet, netDriver, origin } = netlist;
    // from the end back to the start
    const slots: number[] = [endSlot];
    let cell = netDriver[inputNet[endSlot]];
    while (this.graph.passes[cell] && worst[cell] >= 0) {
      slots.push(worst[cell]);
      cell = netDriver[inputNet[worst[cell]]];
    }
    const start = cell;
    const steps: PathStep[] = [];
    let at = 0;
    let cellPs = 0;
    let carries = 0;
    const add = (what: PathStep["what"], name: string, net: number, c: number, delayPs: number, isCell: boolean) => {
      at += delayPs;
      if (isCell) cellPs += delayPs;
      steps.push({
        what,
        name,
        net,
        cell: c,
        delayPs,
        arrivalPs: at,
        ...this.position(c),
        origin: origin[c],
        fanout: net >= 0 ? this.fanoutOf(net) : 0,
      });
    };
    const isRegister = this.domainOf[start] >= 0;
    if (isRegister) {
      add("clock", this.domains[this.domainOf[start]].port, -1, start, this.clockPs[start], false);
      add("clock to output", cellName[start], -1, start, this.startPs[start] * ratio, true);
    } else if (netlist.kind[start] === cellKind.inputPad)
      add("input pad", cellName[start], -1, start, arrival[start], true);
    for (let i = slots.length - 1; i >= 0; i--) {
      const slot = slots[i];
      const owner = this.owner[slot];
      if (this.layout.routed.pinNode[slot] >= 0)
        add("net", netName[inputNet[slot]], inputNet[slot], owner, delays.netPs[slot], false);
      if (i === 0) break;
      if (netlist.kind[owner] === cellKind.lut) {
        add("LUT", cellName[owner], -1, owner, delays.lutPs[slot], true);
        continue;
      }
      if (!isLogic(netlist.kind[owner])) {
        if (netlist.kind[owner] === cellKind.block) add("block", cellName[owner], -1, owner, delays.lutPs[slot], true);
        continue;
      }
      // the climb through a chain is one step, however many elements it takes
      let links = 0;
      let climbPs = delays.lutPs[slot];
      let last = owner;
      while (i > 1 && netlist.kind[last] === cellKind.carryMux) {
        i--;
        last = this.owner[slots[i]];
        climbPs += delays.lutPs[slots[i]];
        links++;
      }
      add("carry", cellName[last], -1, last, climbPs, true);
      carries += links;
    }
    const endCell = this.owner[endSlot];
    const isEndRegister = netlist.kind[endCell] !== cellKind.outputPad;
    const launchClockPs = isRegister ? this.clockPs[start] : 0;
    let dataPs = end.data - launchClockPs;
    if (isEndRegister && kind === "setup") add("setup", cellName[endCell], -1, endCell, this.setupPs(endSlot), false);
    else if (isEndRegister && kind === "hold")
      add("hold", cellName[endCell], -1, endCell, this.timing.delays.holdPs, false);
    else if (!isEndRegister) {
      add("output pad", netName[inputNet[endSlot]], -1, endCell, this.timing.padPs[endCell], true);
      dataPs += this.timing.padPs[endCell];
    }
    const launch = isRegister ? this.domains[this.domainOf[start]].name : "";
    const capture = this.endDomain[endSlot] >= 0 ? this.domains[this.endDomain[endSlot]] : null;
    const pinNames = ["", "clock", "enable", "reset"];
    let pin = "";
    if (netlist.kind[endCell] === cellKind.flipFlop) pin = pinNames[endSlot - netlist.inputStart[endCell]];
    else if (netlist.kind[endCell] === cellKind.block)
      pin = blockPinsOf(this.layout.part.family, netlist.blocks[this.layout.packed.cellBlock[endCell]].modes).inputs[
        endSlot - netlist.inputStart[endCell]
      ];
    return {
      kind,
      corner: this.timing.corner,
      slackPs: end.slack,
      from: cellName[start],
      to: (isEndRegister ? cellName[endCell] : portOfPad(cellName[endCell])) + (pin ? ` (${pin})` : ""),
      launchClock: launch,
      captureClock: capture?.name ?? "",
      requirementPs: end.relation,
      launchClockPs,
      captureClockPs: this.endClockPs[endSlot],
      dataPs,
      cellPs,
      levels: steps.filter((step) => step.what === "LUT").length,
      carries,
      steps,
    };
  }

  /** The longest paths into, out of and straight through the part. */
  padPaths(): TimingPath[] {
    const { netlist } = this.layout;
    const result: TimingPath[] = [];
    for (const fromPads of [true, false]) {
      const arrival = new Float64Array(netlist.cellCount).fill(-Infinity);
      for (let cell = 0; cell < netlist.cellCount; cell++) {
        if (fromPads && netlist.kind[cell] === cellKind.inputPad) arrival[cell] = this.timing.padPs[cell];
        if (!fromPads && this.domainOf[cell] >= 0) arrival[cell] = this.clockPs[cell] + this.startPs[cell];
      }
      const worst = new Int32Array(netlist.cellCount).fill(-1);
      propagate(this.graph, this.timing, arrival, true, worst);
      for (const slot of this.graph.endPins) {
        const cell = this.owner[slot];
        const toPad = netlist.kind[cell] === cellKind.outputPad;
        if (!fromPads && !toPad) continue;
        const at = arrival[netlist.netDriver[netlist.inputNet[slot]]];
        if (at === -Infinity) continue;
        const kind = fromPads ? (toPad ? "through" : "input") : "output";
        result.push(
          this.trace(
            kind,
            slot,
            { slack: null, data: at + this.timing.netPs[slot], launch: 0, relation: null },
            arrival,
            worst,
            this.timing,
            1,
          ),
        );
      }
    }
    return result.sort((a, b) => b.dataPs - a.dataPs).slice(0, 20);
  }

  summaries(): ClockSummary[] {
    const { netlist } = this.layout;
    const ports = [...new Set(this.domains.map((domain) => domain.port))].sort();
    return ports.map((port) => {
      const domain = this.domains.find((candidate) => candidate.port === port)!;
      let registers = 0;
      let earliestPs = Infinity;
      let latestPs = 0;
      for (let cell = 0; cell < netlist.cellCount; cell++) {
        if (
          netlist.kind[cell] === cellKind.blockOutput ||
          this.domainOf[cell] < 0 ||
          this.domains[this.domainOf[cell]].port !== port
        )
          continue;
        registers++;
        earliestPs = Math.min(earliestPs, this.clockPs[cell]);
        latestPs = Math.max(latestPs, this.clockPs[cell]);
      }
      const need = this.needPs.get(port);
      return {
        name: domain.name,
        port,
        periodPs: periodOf(domain),
        fmaxMhz: need && need > 0 ? 1e6 / need : null,
        registers,
        earliestPs,
        latestPs,
      };
    });
  }
}

interface ClockSource {
  /** Name of the port or cell that the clock is known by, and the cell. */
  port: string;
  cell: number;
  ps: number;
}

function periodOf({ rules }: Domain): number | null {
  return rules.length ? Math.min(...rules.map((rule) => rule.periodPs)) : null;
}
