import type { Delays, Part } from "../device/part.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { cellKind, clockSlots, type LayoutNetlist } from "../netlist/mapped.ts";
import { analyzeAssuming } from "./assumed-clocks.ts";
import type { BoundRules } from "./bound-rules.ts";
import { buildBuiltGraph } from "./built-graph.ts";
import { spreadConstants } from "./constants.ts";
import { graphDelays } from "./graph-delays.ts";
import { isOnNetwork } from "./on-network.ts";
import { internalSlots, setFixedArcs } from "./timing-graph.ts";
import { TimingState } from "./timing-state.ts";
import { withoutFunction } from "./without-function.ts";

/** Slack that paths without a goal have beside those with one, as a share of the longest path. */
const openShare = 0.2;

/** Where a design stands while it is laid out. */
export interface Standing {
  /** Worst setup slack against the rules, in ps; null while no rule sets a goal. */
  readonly slackPs: number | null;
  /** Longest path with a goal that a rule sets, from its clock on; of all where none has one. In ps. */
  readonly longestPs: number;
}

/**
 * What placement and routing ask of timing: how much each connection matters, with all rules, at slow-hot. Delays of wires and of
 * LUT inputs come from them; all others are the part's.
 */
export class Steering {
  /** [slots] 0 to 1: how close the worst path through a connection comes to the worst of all. */
  readonly critical: Float32Array;
  private readonly state: TimingState;
  private readonly wireArc: Int32Array;
  private readonly throughArc: Int32Array;
  /** [slots] 1 for inputs of LUTs; 1 for what the clock network reaches, with the same delay for both ends of a check. */
  private readonly isLut: Uint8Array;
  private readonly isEven: Uint8Array;
  private readonly minRatio: number;
  /** [entries] Clock that captures, those without a goal last; and how many there are. */
  private readonly group: Int32Array;
  private readonly groupCount: number;
  private readonly hasGoal: Uint8Array;
  private readonly required: Float64Array;
  private readonly arcSlack: Float64Array;

  /** @param rules Laid over `withoutFunction(netlist)`. */
  constructor(netlist: LayoutNetlist, packed: PackedDesign, rules: BoundRules, part: Part, delays: Delays) {
    const timed = withoutFunction(netlist);
    const built = buildBuiltGraph(timed);
    const constant = spreadConstants(built, rules.constants, rules.disabledArcs);
    const graph = { ...built, graph: constant.graph };
    const slots = netlist.inputNet.length;
    const isClock = clockSlots(netlist);
    const dedicated = new Uint8Array(slots);
    const netPs = new Float32Array(slots);
    const { delays: given } = part.family;
    const clockPs = (given.globalClockPs + given.regionClockPs + given.tileClockPs) * delays.scale;
    for (let slot = 0; slot < slots; slot++) {
      if (!isClock[slot] || netlist.inputNet[slot] < 0 || !isOnNetwork(netlist, packed, part, netlist.inputNet[slot]))
        continue;
      dedicated[slot] = 1;
      netPs[slot] = clockPs;
    }
    const lutPs = new Float32Array(slots);
    setFixedArcs(netlist, delays, lutPs);
    this.isLut = new Uint8Array(slots);
    const padPs = new Float64Array(netlist.cellCount);
    const standard = part.family.standards[0].name;
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      const [first, end] = [netlist.inputStart[cell], netlist.inputStart[cell + 1]];
      if (netlist.kind[cell] === cellKind.lut) {
        this.isLut.fill(1, first, end);
        lutPs.fill(delays.lutPs(Math.floor(part.family.lutInputs / 2)), first, end);
      }
      // standards may change without a new layout: one stands for all
      if (netlist.kind[cell] === cellKind.inputPad) padPs[cell] = delays.inputPadPs(standard);
      if (netlist.kind[cell] === cellKind.outputPad) padPs[cell] = delays.outputPadPs(standard, 8, false);
    }
    const corner = { corner: delays.corner, delays, netPs, lutPs, padPs };
    const ofGraph = graphDelays(graph, { packed, pins: [], dedicated }, corner, rules.loads);
    const even = Uint8Array.from(ofGraph.most, (ps, arc) => Number(ps === ofGraph.least[arc]));
    // a wire without a delay yet is no even one
    for (let slot = 0; slot < slots; slot++) if (built.wireArc[slot] >= 0) even[built.wireArc[slot]] = dedicated[slot];
    const analysis = analyzeAssuming(graph.graph, rules, constant.off, even);
    this.state = new TimingState(analysis, ofGraph);
    this.wireArc = built.wireArc;
    this.throughArc = built.throughArc;
    this.isEven = dedicated;
    this.minRatio = delays.minRatio;
    this.fixed = internalSlots(netlist, packed);
    for (let slot = 0; slot < slots; slot++) if (dedicated[slot]) this.fixed[slot] = 1;
    this.critical = new Float32Array(slots);
    const { entries, network } = analysis;
    const clocks = analysis.rules.clocks.length;
    this.groupCount = clocks + 1;
    this.group = new Int32Array(entries.count);
    this.hasGoal = new Uint8Array(entries.count);
    for (let entry = 0; entry < entries.count; entry++) {
      const node = entries.node[entry];
      const { why } = entries.info[entries.infoOf[entry]];
      this.hasGoal[entry] = Number(entries.setup[entry] < Infinity);
      const isFree = !this.hasGoal[entry] && why === "no clock";
      this.group[entry] = isFree ? clocks : this.hasGoal[entry] ? (node >= 0 ? network.clock[node] : clocks) : -1;
    }
    this.required = new Float64Array(analysis.search.vertexCount);
    this.arcSlack = new Float64Array(graph.graph.arcCount);
    this.declared = rules.clocks.length;
  }
  private readonly declared: number;
  private readonly fixed: Uint8Array;

  /** True for connections that have their delay from elsewhere: within elements and blocks, and by the clock network. */
  isFixed(slot: number): boolean {
    return this.fixed[slot] === 1;
  }

  /** Delay of a connection, from its source pin to its sink, in ps. */
  setWire(slot: number, ps: number): void {
    const arc = this.wireArc[slot];
    if (arc < 0) return;
    this.state.delays.most[arc] = ps;
    this.state.delays.least[arc] = this.isEven[slot] ? ps : ps * this.minRatio;
  }
  /** Delay through a LUT from one of its inputs; of other cells it stays what it is. */
  setLut(slot: number, ps: number): void {
    const arc = this.throughArc[slot];
    if (!this.isLut[slot] || arc < 0) return;
    this.state.delays.most[arc] = ps;
    this.state.delays.least[arc] = ps * this.minRatio;
  }

  /**
   * Works out anew what matters, after delays were set. A clock that is met counts as if it were just met, so that its worst paths
   * still lead; what has no goal is held against the longest of its kind. O(pins + arcs).
   */
  update(): Standing {
    const { state, group, groupCount, hasGoal, required } = this;
    state.arrivals();
    const { search, entries } = state.analysis;
    const { arrival, edgeDelay } = state;
    // [launches] when the clock comes to the registers that paths begin at
    const launched = new Float64Array(search.launches.length);
    search.seedVertex.forEach((v, i) => {
      const node = search.seedNode[i];
      const own = search.launch[v];
      if (node >= 0) launched[own] = Math.max(launched[own], state.clockLate[node]);
    });
    // [groups] worst slack of those with a goal; longest path, with a goal and without
    const worst = new Float64Array(groupCount).fill(Infinity);
    let [open, openPs, goalPs, declaredPs] = [-Infinity, 0, 0, 0];
    for (let entry = 0; entry < entries.count; entry++) {
      const own = group[entry];
      if (own < 0) continue;
      const at = arrival[2 * entries.vertex[entry]];
      if (at === -Infinity) continue;
      const ps = at - launched[search.launch[entries.vertex[entry]]];
      if (hasGoal[entry]) {
        worst[own] = Math.min(worst[own], state.setupSlack[entry]);
        goalPs = Math.max(goalPs, ps);
        if (this.isDeclared(own)) declaredPs = Math.max(declaredPs, ps);
      } else {
        open = Math.max(open, at);
        openPs = Math.max(openPs, ps);
      }
    }
    const longest = goalPs || openPs;
    const span = Math.max(1, longest);
    required.fill(Infinity);
    let least = 0;
    let slackPs: number | null = null;
    for (let own = 0; own < groupCount; own++) {
      if (worst[own] === Infinity) continue;
      least = Math.min(least, worst[own]);
      if (this.isDeclared(own)) slackPs = Math.min(slackPs ?? Infinity, worst[own]);
    }
    // nobody asked for what has no goal: beside paths with one it counts less
    const openRequired = goalPs > 0 ? open + openShare * span : open;
    for (let entry = 0; entry < entries.count; entry++) {
      const own = group[entry];
      if (own < 0) continue;
      const v = entries.vertex[entry];
      if (arrival[2 * v] === -Infinity) continue;
      const late = hasGoal[entry] ? state.requiredAt(entry).late - Math.max(0, worst[own]) : openRequired;
      if (late < required[v]) required[v] = late;
    }
    const { arcSlack } = this;
    arcSlack.fill(Infinity);
    const { vertexCount, inStart, inFrom, arcStart, edgeArc } = search;
    for (let v = vertexCount - 1; v >= 0; v--) {
      const latest = required[v];
      if (latest === Infinity) continue;
      for (let e = inStart[v + 1] - 1; e >= inStart[v]; e--) {
        const from = inFrom[e];
        const own = latest - edgeDelay[2 * e];
        if (own < required[from]) required[from] = own;
        const at = arrival[2 * from];
        if (at === -Infinity) continue;
        const slack = own - at;
        for (let a = arcStart[e]; a < arcStart[e + 1]; a++)
          if (slack < arcSlack[edgeArc[a]]) arcSlack[edgeArc[a]] = slack;
      }
    }
    const { critical, wireArc } = this;
    for (let slot = 0; slot < critical.length; slot++) {
      const slack = wireArc[slot] < 0 ? Infinity : arcSlack[wireArc[slot]];
      critical[slot] = slack === Infinity ? 0 : Math.max(0, Math.min(1, 1 - (slack - least) / span));
    }
    return { slackPs, longestPs: declaredPs || longest };
  }
  /** True for groups that a rule sets a goal for, unlike those of clocks that are only assumed. */
  private isDeclared(group: number): boolean {
    return group < this.declared || group === this.groupCount - 1;
  }
}
