import type { ActiveGraph } from "./active-graph.ts";
import type { BoundRules } from "./bound-rules.ts";
import { type ClockNetwork, commonSpread } from "./clock-network.ts";
import { edgeRelation, latchRelation } from "./edge-relation.ts";
import type { EndRules } from "./exceptions.ts";
import { arcKind, checkKind, type PinGraph, sense } from "./pin-graph.ts";
import { ioNodeOf, type Search } from "./search.ts";

const endKinds = ["register", "recovery", "latch", "output", "gate", "open"] as const;
type EndKind = (typeof endKinds)[number];

/** A place where paths end, and what is asked of them there. */
export interface End {
  readonly pin: number;
  readonly kind: EndKind;
  /** Check of the graph, -1 for others. */
  readonly check: number;
  /** Pin of its clock, -1 for none. */
  readonly clockPin: number;
  /** Output delay, -1 for none. */
  readonly io: number;
  /** Level that a gate's signal holds the clock at; 0 for others. */
  readonly held: 0 | 1;
}

/** Port of a graph that an end lies at. */
function outputEnds({ ports }: PinGraph, rules: BoundRules): End[] {
  const plain = { check: -1, clockPin: -1, held: 0 as const };
  const byPort = new Map<number, number[]>();
  rules.ioDelays.forEach(({ side, port }, io) => {
    if (side !== "output") return;
    const list = byPort.get(port);
    if (list) list.push(io);
    else byPort.set(port, [io]);
  });
  return ports.flatMap(({ outPin }, port): End[] => {
    if (outPin < 0) return [];
    const delays = byPort.get(port);
    if (!delays) return [{ ...plain, pin: outPin, kind: "open", io: -1 }];
    return delays.map((io) => ({ ...plain, pin: outPin, kind: "output" as const, io }));
  });
}

/** All ends of a graph: checks of registers and latches, gates of clocks, ports. */
export function listEnds(active: ActiveGraph, network: ClockNetwork, rules: BoundRules): End[] {
  const { graph } = active;
  const kinds: Readonly<Record<number, EndKind>> = {
    [checkKind.register]: "register",
    [checkKind.recovery]: "recovery",
    [checkKind.latch]: "latch",
  };
  const ends: End[] = [];
  for (let check = 0; check < graph.checkData.length; check++)
    ends.push({
      pin: graph.checkData[check],
      kind: kinds[graph.checkKind[check]],
      check,
      clockPin: graph.checkClock[check],
      io: -1,
      held: 0,
    });
  ends.push(...gateEnds(active, network), ...outputEnds(graph, rules));
  return ends;
}

/** Signals that hold clocks back: they may change only while nothing passes. */
function gateEnds({ graph, isOn }: ActiveGraph, network: ClockNetwork): End[] {
  const ends: End[] = [];
  const seen = new Set<string>();
  const { inStart, inArc, arcFrom, arcKind: kinds } = graph;
  for (let node = 0; node < network.nodeCount; node++) {
    const arc = network.arc[node];
    if (arc < 0 || kinds[arc] !== arcKind.cell || network.first[network.pin[node]] < 0) continue;
    const out = network.pin[node];
    const clockPin = arcFrom[arc];
    for (let a = inStart[out]; a < inStart[out + 1]; a++) {
      const pin = arcFrom[inArc[a]];
      if (!isOn[inArc[a]] || kinds[inArc[a]] !== arcKind.cell || network.first[pin] >= 0) continue;
      const key = `${clockPin} ${pin}`;
      if (seen.has(key)) continue;
      seen.add(key);
      const held = graph.heldLevel(clockPin, pin);
      if (held !== null) ends.push({ pin, kind: "gate", check: -1, clockPin, io: -1, held });
    }
  }
  return ends;
}

/** What counts between a launching and a capturing edge, for paths of one state. Times in ps. */
interface EntryInfo {
  /** Time allowed, uncertainty taken off; Infinity where setup is not checked, -Infinity likewise for hold. */
  readonly setup: number;
  readonly hold: number;
  /** Of a latch: to the edge that opens it, Infinity for others. */
  readonly open: number;
  readonly rules: EndRules;
  readonly setupUncertainty: number;
  readonly holdUncertainty: number;
  /** Why nothing is checked: a rule, clocks that have nothing to do with each other, or no clock. */
  readonly why: "checked" | "false path" | "cut clocks" | "no clock";
}

/** Ends met by vertices: what is compared with what. Entries by the end, N of them. */
export interface Entries {
  readonly count: number;
  readonly vertex: Int32Array;
  readonly end: Int32Array;
  /** [entries] Node of the clock network that captures, -1 without a clock. */
  readonly node: Int32Array;
  /** [entries] Node whose spread is given back, -1 for none. */
  readonly common: Int32Array;
  /** [entries] Time allowed, as `info` says, and what is needed outside of the part taken off. */
  readonly setup: Float64Array;
  readonly hold: Float64Array;
  readonly open: Float64Array;
  /** [entries] Check of the graph whose setup and hold count, -1 for none; and whether the clock's way counts. */
  readonly check: Int32Array;
  readonly hasWay: Uint8Array;
  readonly info: readonly EntryInfo[];
  readonly infoOf: Int32Array;
}

/** Edge of the clock that captures at a node: falls or not. */
export function captureFalls(graph: PinGraph, network: ClockNetwork, end: End, node: number): boolean {
  const inverted = network.isInverted[node] === 1;
  if (end.kind === "gate") {
    const arc = gateArc(graph, end);
    const turns = arc >= 0 && graph.arcSense[arc] === sense.negative;
    return ((end.held === 1) !== turns) !== inverted;
  }
  return (graph.checkFalls[end.check] === 1) !== inverted;
}
function gateArc(graph: PinGraph, { clockPin }: End): number {
  for (let a = graph.outStart[clockPin]; a < graph.outStart[clockPin + 1]; a++)
    if (graph.arcKind[graph.outArc[a]] === arcKind.cell) return graph.outArc[a];
  return -1;
}

/** O(vertices at ends x clocks there). */
export function listEntries(
  active: ActiveGraph,
  network: ClockNetwork,
  search: Search,
  rules: BoundRules,
  ends: readonly End[],
): Entries {
  return new EntryBuilder(active, network, search, rules, ends).build();
}

/** Entries of the same paths, where rules have other values. O(entries). @param search With the values that are new. */
export function entriesWithValues(
  old: Entries,
  active: ActiveGraph,
  network: ClockNetwork,
  search: Search,
  rules: BoundRules,
  ends: readonly End[],
): Entries {
  return new EntryBuilder(active, network, search, rules, ends).again(old);
}

/** Times between edges; `open`: to the one that opens a latch. */
interface Relation {
  readonly setup: number;
  readonly hold: number;
  readonly open: number;
}

class EntryBuilder {
  private vertex: number[] = [];
  private end: number[] = [];
  private node: number[] = [];
  private common: number[] = [];
  private infoOf: number[] = [];
  private readonly info: EntryInfo[] = [];
  /** Infos by all that they depend on, as one number. */
  private readonly known = new Map<number, number>();
  private readonly hasPinRules: boolean;
  private readonly relations = new Map<string, Relation>();

  constructor(
    private readonly active: ActiveGraph,
    private readonly network: ClockNetwork,
    private readonly search: Search,
    private readonly rules: BoundRules,
    private readonly ends: readonly End[],
  ) {
    this.hasPinRules = rules.uncertainties.some(({ pins }) => pins.length > 0);
  }

  again(old: Entries): Entries {
    const { ends, network, rules } = this;
    const { graph } = this.active;
    const first = new Int32Array(old.info.length).fill(-1);
    for (let entry = old.count - 1; entry >= 0; entry--) first[old.infoOf[entry]] = entry;
    const info = old.info.map((_, i) => {
      const entry = first[i];
      const [end, node] = [ends[old.end[entry]], old.node[entry]];
      const falls =
        node >= 0 && (end.io >= 0 ? rules.ioDelays[end.io].clockFalls : captureFalls(graph, network, end, node));
      return this.infoFor(old.vertex[entry], end, node < 0 ? -1 : network.clock[node], falls);
    });
    const outside = old.info.length ? ends.map((end) => this.outside(end)) : [];
    return {
      ...old,
      info,
      setup: Float64Array.from(old.infoOf, (i, entry) => info[i].setup - outside[old.end[entry]].setup),
      hold: Float64Array.from(old.infoOf, (i, entry) => info[i].hold + outside[old.end[entry]].hold),
      open: Float64Array.from(old.infoOf, (i) => info[i].open),
    };
  }

  build(): Entries {
    this.ends.forEach((end, e) => this.atEnd(end, e));
    // in the order of vertices, in which they are gone through
    const order = [...this.vertex.keys()].sort((a, b) => this.vertex[a] - this.vertex[b]);
    const sorted = (list: number[]) => order.map((at) => list[at]);
    for (const name of ["end", "node", "common", "infoOf", "vertex"] as const) this[name] = sorted(this[name]);
    const { info, infoOf } = this;
    return {
      count: this.vertex.length,
      vertex: Int32Array.from(this.vertex),
      end: Int32Array.from(this.end),
      node: Int32Array.from(this.node),
      common: Int32Array.from(this.common),
      setup: Float64Array.from(infoOf, (i, entry) => info[i].setup - this.outside(this.ends[this.end[entry]]).setup),
      hold: Float64Array.from(infoOf, (i, entry) => info[i].hold + this.outside(this.ends[this.end[entry]]).hold),
      check: Int32Array.from(this.end, (end) => this.ends[end].check),
      hasWay: Uint8Array.from(this.end, (end, entry) => {
        const { io } = this.ends[end];
        return this.node[entry] >= 0 && !(io >= 0 && this.rules.ioDelays[io].withoutLatency) ? 1 : 0;
      }),
      open: Float64Array.from(infoOf, (i) => info[i].open),
      info,
      infoOf: Int32Array.from(infoOf),
    };
  }

  /** What an end needs that is no register of the part: a delay outside of it, a gate's margin. */
  private outside({ io, kind, pin }: End): { setup: number; hold: number } {
    const { ioDelays, gating } = this.rules;
    if (io >= 0) return { setup: ioDelays[io].ps, hold: -ioDelays[io].ps };
    const own = kind === "gate" ? (gating.get(pin) ?? gating.get(-1)) : undefined;
    return { setup: own?.setupPs ?? 0, hold: own?.holdPs ?? 0 };
  }

  private atEnd(end: End, e: number): void {
    const { search, network, rules } = this;
    const { graph } = this.active;
    const captures: { node: number; falls: boolean }[] = [];
    if (end.io >= 0) {
      const delay = rules.ioDelays[end.io];
      if (delay.clock >= 0) captures.push({ node: ioNodeOf(network, delay), falls: delay.clockFalls });
    } else if (end.clockPin >= 0)
      for (let node = network.first[end.clockPin]; node >= 0; node = network.next[node])
        captures.push({ node, falls: captureFalls(graph, network, end, node) });
    for (let i = search.pinStart[end.pin]; i < search.pinStart[end.pin + 1]; i++) {
      const vertex = search.pinVertex[i];
      if (end.io >= 0 && !(rules.ioDelays[end.io].edges & search.edge[vertex])) continue;
      if (captures.length === 0) this.add(vertex, e, -1, false);
      for (const { node, falls } of captures) this.add(vertex, e, node, falls);
    }
  }

  private add(vertex: number, e: number, node: number, falls: boolean): void {
    const { search, network } = this;
    const launch = search.launches[search.launch[vertex]];
    const clock = node < 0 ? -1 : network.clock[node];
    const end = this.ends[e];
    // ends are alike but for their kind, unless a rule names one
    const isOwn = end.io >= 0 || this.hasPinRules || search.exceptions.endsAt(end.pin);
    const place = isOwn ? e : this.ends.length + endKinds.indexOf(end.kind);
    const edges = 2 * this.rules.clocks.length + 1;
    const capture = clock < 0 ? 0 : 2 * clock + (falls ? 2 : 1);
    const from = launch.clock < 0 ? 0 : 2 * launch.clock + (launch.falls ? 2 : 1);
    const key =
      (((search.state[vertex] * edges + from) * edges + capture) * 4 + search.edge[vertex]) *
        (this.ends.length + endKinds.length) +
      place;
    let at = this.known.get(key);
    if (at === undefined) {
      at = this.info.push(this.infoFor(vertex, end, clock, falls)) - 1;
      this.known.set(key, at);
    }
    this.vertex.push(vertex);
    this.end.push(e);
    this.node.push(node);
    this.common.push(node < 0 || launch.node < 0 ? -1 : commonSpread(network, launch.node, node));
    this.infoOf.push(at);
  }

  private infoFor(vertex: number, end: End, clock: number, falls: boolean): EntryInfo {
    const { search, rules } = this;
    const launch = search.launches[search.launch[vertex]];
    const captureEdge = clock < 0 ? -1 : 2 * clock + (falls ? 1 : 0);
    const own = search.exceptions.atEnd(search.state[vertex], end.pin, search.edge[vertex], captureEdge);
    const none = {
      setup: Infinity,
      hold: -Infinity,
      open: Infinity,
      rules: own,
      setupUncertainty: 0,
      holdUncertainty: 0,
    };
    const isCut = launch.clock >= 0 && clock >= 0 && rules.cutPairs.has(launch.clock * rules.clocks.length + clock);
    if (isCut) return { ...none, why: "cut clocks" };
    let { setup, hold, open } = this.base(launch, clock, falls, end);
    const { exceptions } = rules;
    const cycles = own.setupCycles >= 0 ? exceptions[own.setupCycles] : null;
    const launchPeriod = launch.clock < 0 ? 0 : rules.clocks[launch.clock].periodPs;
    const capturePeriod = clock < 0 ? 0 : rules.clocks[clock].periodPs;
    if (cycles) {
      const by = (cycles.value - 1) * (cycles.byStart ? launchPeriod : capturePeriod);
      setup += by;
      hold += by;
      open += by;
    }
    const holdRule = own.hold >= 0 ? exceptions[own.hold] : null;
    if (holdRule?.kind === "multicycle") hold -= holdRule.value * (holdRule.byStart ? launchPeriod : capturePeriod);
    // an edge keeps step with itself
    const isOwnEdge = hold === 0 && rules.clocks[clock]?.jitterFrom === rules.clocks[launch.clock]?.jitterFrom;
    const setupRule = own.setup >= 0 ? exceptions[own.setup] : null;
    if (setupRule?.kind === "max delay") setup = setupRule.value;
    if (holdRule?.kind === "min delay") hold = holdRule.value;
    const jitter = clock < 0 || launch.clock < 0 ? 0 : this.jitter(launch.clock, clock);
    const setupUncertainty = clock < 0 ? 0 : this.uncertainty(launch, clock, falls, end, "setup") + jitter;
    const holdUncertainty =
      clock < 0 ? 0 : this.uncertainty(launch, clock, falls, end, "hold") + (isOwnEdge ? 0 : jitter);
    if (own.isFalseSetup || (end.io >= 0 && !rules.ioDelays[end.io].max)) setup = Infinity;
    if (own.isFalseHold || (end.io >= 0 && !rules.ioDelays[end.io].min)) hold = -Infinity;
    const isChecked = setup !== Infinity || hold !== -Infinity;
    const why = isChecked ? "checked" : own.isFalseSetup || own.isFalseHold ? "false path" : "no clock";
    return {
      setup: setup - setupUncertainty,
      hold: hold + holdUncertainty,
      open,
      rules: own,
      setupUncertainty,
      holdUncertainty,
      why,
    };
  }

  /** From one edge to the other, before any rule changes it. */
  private base(
    launch: { readonly clock: number; readonly falls: boolean },
    clock: number,
    falls: boolean,
    end: End,
  ): Relation {
    if (launch.clock < 0 || clock < 0) return { setup: Infinity, hold: -Infinity, open: Infinity };
    const key = `${launch.clock} ${launch.falls} ${clock} ${falls} ${end.kind === "gate"} ${end.kind === "latch"}`;
    const { clocks } = this.rules;
    const [from, to] = [clocks[launch.clock], clocks[clock]];
    if (end.kind === "latch") {
      return this.relation(key, () => latchRelation(from, launch.falls, to, falls));
    }
    return this.relation(key, () => ({
      ...edgeRelation(from, launch.falls, to, falls, end.kind === "gate" ? !falls : falls),
      open: Infinity,
    }));
  }
  private relation(key: string, make: () => Relation): Relation {
    let known = this.relations.get(key);
    if (!known) {
      known = make();
      this.relations.set(key, known);
    }
    return known;
  }

  /** How far the edges of two clocks move against each other by themselves; independent sources add as squares. */
  private jitter(launch: number, capture: number): number {
    const [a, b] = [this.rules.clocks[launch], this.rules.clocks[capture]];
    return a.jitterFrom === b.jitterFrom ? b.jitterPs : Math.hypot(a.jitterPs, b.jitterPs);
  }

  /** The most particular rule counts: between edges, then of the clock pin, then of the capturing clock; of equals the last. */
  private uncertainty(
    launch: { readonly clock: number; readonly falls: boolean },
    clock: number,
    falls: boolean,
    end: End,
    kind: "setup" | "hold",
  ): number {
    let best = -1;
    let ps = 0;
    for (const rule of this.rules.uncertainties) {
      if (!rule[kind]) continue;
      let rank = -1;
      if (rule.from && rule.to) {
        const from = 2 * launch.clock + (launch.falls ? 1 : 0);
        if (rule.from.includes(from) && rule.to.includes(2 * clock + (falls ? 1 : 0))) rank = 2;
      } else if (rule.pins.includes(end.clockPin)) rank = 1;
      else if (rule.clocks.includes(clock)) rank = 0;
      if (rank >= best && rank >= 0) {
        best = rank;
        ps = rule.ps;
      }
    }
    return ps;
  }
}
