import { type ActiveGraph, leadsTo, passes } from "./active-graph.ts";
import type { BoundIoDelay, BoundRules, EdgeBits } from "./bound-rules.ts";
import type { ClockNetwork } from "./clock-network.ts";
import { ExceptionTable } from "./exceptions.ts";
import { IntList } from "./int-list.ts";
import { arcKind, sense } from "./pin-graph.ts";

/** What begins a path: an edge of a clock, with the part of its network that all such paths have behind them; or none. */
interface Launch {
  /** -1: no clock. */
  readonly clock: number;
  readonly falls: boolean;
  /** Node of the clock network, -1 without one. */
  readonly node: number;
}

/**
 * The graph taken apart by what paths have met: a vertex is a pin together with what launched the signal, the state of its
 * exceptions and, where a rule asks for it, its transition. Where no rule tells paths apart, it is the graph itself.
 * V vertices, in an order in which data flows; E edges.
 */
export interface Search {
  readonly launches: readonly Launch[];
  readonly exceptions: ExceptionTable;
  readonly vertexCount: number;
  /** [vertices] */
  readonly pin: Int32Array;
  readonly launch: Int32Array;
  readonly state: Int32Array;
  /** [vertices] Transitions: 1 rise, 2 fall, 3 either. */
  readonly edge: Uint8Array;
  /** [vertices + 1] and [edges]: where each vertex is reached from. */
  readonly inStart: Int32Array;
  readonly inFrom: Int32Array;
  /** [edges + 1] Arcs of each edge, in the order of data: `edgeArc[arcStart[e] .. arcStart[e + 1]]`. */
  readonly arcStart: Int32Array;
  readonly edgeArc: Int32Array;
  /** Where paths begin. [seeds] `arc` -1: right there; `node` of the clock network, -1 for none. */
  readonly seedVertex: Int32Array;
  readonly seedNode: Int32Array;
  readonly seedArc: Int32Array;
  /** [seeds] Delay of the rule of an input, Infinity where it says nothing of one kind of check. */
  readonly seedMost: Float64Array;
  readonly seedLeast: Float64Array;
  /** [seeds] Input delay that it is from, -1 for none. */
  readonly seedIo: Int32Array;
  /**
   * [pins + 1] Vertices of each pin: `pinVertex[pinStart[p] .. pinStart[p + 1]]`. A pin that is only passed, with one way in and
   * one way out, has none: it lies within an edge.
   */
  readonly pinStart: Int32Array;
  readonly pinVertex: Int32Array;
  /** Some launches stand for more than one branch of a clock's network: credit is then found path by path. */
  readonly isMerged: boolean;
  /** Gave up: rules tell too many kinds of paths apart. */
  readonly isCut: boolean;
}

/** Branches of one clock that are told apart. */
const branchLimit = 8;

/** @param ends Pins where paths are looked at. */
export function buildSearch(active: ActiveGraph, network: ClockNetwork, rules: BoundRules, ends: Uint8Array): Search {
  return new SearchBuilder(active, network, rules, ends).build();
}

class SearchBuilder {
  private readonly exceptions: ExceptionTable;
  private readonly launches: Launch[] = [];
  private readonly launchOf = new Map<string, number>();
  private readonly pins = new IntList();
  private readonly launchIds = new IntList();
  private readonly states = new IntList();
  private readonly edges = new IntList();
  private readonly nextAtPin = new IntList();
  private readonly firstAtPin: Int32Array;
  private readonly from = new IntList();
  private readonly to = new IntList();
  private readonly arcs = new IntList();
  private readonly seeds: { vertex: number; node: number; arc: number; most: number; least: number; io: number }[] = [];
  private readonly leads: Uint8Array;
  private readonly hasEdges: boolean;
  private readonly branchDepth: readonly number[];
  private isMerged = false;
  private isCut = false;
  private readonly limit: number;

  constructor(
    private readonly active: ActiveGraph,
    private readonly network: ClockNetwork,
    private readonly rules: BoundRules,
    private readonly ends: Uint8Array,
  ) {
    const { graph } = active;
    this.exceptions = new ExceptionTable(rules.exceptions, active);
    this.firstAtPin = new Int32Array(graph.pinCount).fill(-1);
    this.leads = leadsTo(active, ends);
    this.hasEdges =
      this.exceptions.asksForEdges ||
      rules.ioDelays.some(({ edges }) => edges !== 3) ||
      rules.dataChecks.some(({ from, to }) => from.edges !== 3 || to.edges !== 3) ||
      rules.onlyEdges.size > 0;
    this.branchDepth = this.branches();
    this.limit = 20 * graph.pinCount + 100_000;
  }

  build(): Search {
    this.seedRegisters();
    this.seedPorts();
    this.seedClockSources();
    this.expand();
    return this.finish();
  }

  /** [clocks] How deep into its network branches are told apart. */
  private branches(): number[] {
    const { network } = this;
    const { graph } = this.active;
    return this.rules.clocks.map((_, clock) => {
      const spreads = new Set<number>();
      for (let arc = 0; arc < graph.arcCount; arc++) {
        if (graph.arcKind[arc] !== arcKind.launch) continue;
        for (let node = network.first[graph.arcFrom[arc]]; node >= 0; node = network.next[node])
          if (network.clock[node] === clock) spreads.add(network.spread[node]);
      }
      let most = 0;
      for (const node of spreads) most = Math.max(most, network.depth[node]);
      for (let depth = most; depth > 0; depth--) {
        const groups = new Set([...spreads].map((node) => this.ancestor(node, depth)));
        if (groups.size <= branchLimit) {
          this.isMerged ||= depth < most && groups.size < spreads.size;
          return depth;
        }
      }
      this.isMerged ||= spreads.size > 1;
      return 0;
    });
  }
  private ancestor(node: number, depth: number): number {
    const { network } = this;
    let at = network.spread[node];
    while (network.depth[at] > depth && network.above[at] >= 0) at = network.above[at];
    return at;
  }

  private launchId(clock: number, falls: boolean, node: number): number {
    const group = clock < 0 ? -1 : this.ancestor(node, this.branchDepth[clock]);
    const key = `${clock} ${falls} ${group}`;
    let id = this.launchOf.get(key);
    if (id === undefined) {
      id = this.launches.push({ clock, falls, node: group }) - 1;
      this.launchOf.set(key, id);
    }
    return id;
  }

  private vertex(pin: number, launch: number, state: number, edge: EdgeBits): number {
    for (let v = this.firstAtPin[pin]; v >= 0; v = this.nextAtPin.at(v))
      if (this.launchIds.at(v) === launch && this.states.at(v) === state && this.edges.at(v) === edge) return v;
    const vertex = this.pins.push(pin);
    this.launchIds.push(launch);
    this.states.push(state);
    this.edges.push(edge);
    this.nextAtPin.push(this.firstAtPin[pin]);
    this.firstAtPin[pin] = vertex;
    return vertex;
  }

  /** Vertices of a start: one, or one for each transition. */
  private seed(
    pin: number,
    launch: number,
    edges: EdgeBits,
    seed: { node: number; arc: number; most: number; least: number; io: number },
  ): void {
    if (!this.leads[pin]) return;
    const { clock, falls } = this.launches[launch];
    const clockEdge = clock < 0 ? -1 : 2 * clock + (falls ? 1 : 0);
    const allowed = this.rules.onlyEdges.get(pin) ?? 3;
    for (const edge of this.hasEdges ? [1, 2] : [3]) {
      if (!(edge & edges & allowed)) continue;
      const state = this.exceptions.start(pin, clockEdge, edge);
      this.seeds.push({ vertex: this.vertex(pin, launch, state, edge), ...seed });
    }
  }

  private seedRegisters(): void {
    const { graph, isOn } = this.active;
    const { network } = this;
    for (let arc = 0; arc < graph.arcCount; arc++) {
      if (graph.arcKind[arc] !== arcKind.launch || !isOn[arc]) continue;
      const [clockPin, out] = [graph.arcFrom[arc], graph.arcTo[arc]];
      if (!this.leads[out]) continue;
      const plain = { arc, most: 0, least: 0, io: -1 };
      if (network.first[clockPin] < 0) this.seed(out, this.launchId(-1, false, -1), 3, { ...plain, node: -1 });
      for (let node = network.first[clockPin]; node >= 0; node = network.next[node]) {
        // the edge at the pin that launches, as an edge of the clock
        const falls = (graph.arcSense[arc] === sense.negative) !== (network.isInverted[node] === 1);
        this.seed(out, this.launchId(network.clock[node], falls, node), 3, { ...plain, node });
      }
    }
  }

  private seedPorts(): void {
    const { graph } = this.active;
    const byPort = new Map<number, number[]>();
    this.rules.ioDelays.forEach(({ side, port }, io) => {
      if (side !== "input") return;
      const list = byPort.get(port);
      if (list) list.push(io);
      else byPort.set(port, [io]);
    });
    graph.ports.forEach(({ inPin }, port) => {
      if (inPin < 0 || !this.leads[inPin]) return;
      const delays = byPort.get(port);
      if (!delays) {
        const plain = { node: -1, arc: -1, most: 0, least: 0, io: -1 };
        this.seed(inPin, this.launchId(-1, false, -1), 3, plain);
        return;
      }
      for (const io of delays) {
        const delay = this.rules.ioDelays[io];
        const { clock, clockFalls, edges } = delay;
        const node = ioNodeOf(this.network, delay);
        this.seed(inPin, this.launchId(clock, clockFalls, node), edges, {
          node: delay.withoutLatency ? -1 : node,
          arc: -1,
          ...seedTimes(delay),
          io,
        });
      }
    });
  }

  /** Clocks that go where data goes. */
  private seedClockSources(): void {
    this.rules.clocks.forEach((_, clock) => {
      for (const root of this.network.roots[clock]) {
        const pin = this.network.pin[root];
        if (pin < 0 || !this.leads[pin]) continue;
        for (const falls of [false, true])
          this.seed(pin, this.launchId(clock, falls, root), falls ? 2 : 1, {
            node: root,
            arc: -1,
            most: 0,
            least: 0,
            io: -1,
          });
      }
    });
  }

  private expand(): void {
    const { graph, isOn, order } = this.active;
    const { outStart, outArc, arcTo, arcSense, arcKind: kinds } = graph;
    const { exceptions, leads, hasEdges } = this;
    const isPlain = exceptions.exceptions.length === 0;
    for (const pin of order) {
      for (let v = this.firstAtPin[pin]; v >= 0; v = this.nextAtPin.at(v)) {
        const [launch, state, edge] = [this.launchIds.at(v), this.states.at(v), this.edges.at(v)];
        for (let a = outStart[pin]; a < outStart[pin + 1]; a++) {
          const arc = outArc[a];
          const to = arcTo[arc];
          if (!isOn[arc] || !passes(kinds[arc]) || !leads[to]) continue;
          if (this.pins.length > this.limit) {
            this.isCut = true;
            return;
          }
          const how = hasEdges ? arcSense[arc] : sense.positive;
          const allowed = hasEdges ? (this.rules.onlyEdges.get(to) ?? 3) : 3;
          for (const turn of [sense.positive, sense.negative]) {
            if (!(how & turn)) continue;
            const next = turn === sense.positive || !hasEdges ? edge : 3 - edge;
            if (!(next & allowed)) continue;
            const after = isPlain ? 0 : exceptions.step(state, to, next);
            const target = this.vertex(to, launch, after, next);
            this.from.push(v);
            this.to.push(target);
            this.arcs.push(arc);
          }
        }
      }
    }
  }

  /** Numbers vertices in the order of their pins, and takes what is only passed into edges. */
  private finish(): Search {
    const { graph, order } = this.active;
    const count = this.pins.length;
    const [from, to, arcs] = [this.from.view(), this.to.view(), this.arcs.view()];
    const edgeCount = to.length;
    // [vertices as made] ways in and out, and the last way in
    const waysIn = new Int32Array(count);
    const waysOut = new Int32Array(count);
    const wayIn = new Int32Array(count);
    for (let e = 0; e < edgeCount; e++) {
      waysIn[to[e]]++;
      waysOut[from[e]]++;
      wayIn[to[e]] = e;
    }
    const isSeed = new Uint8Array(count);
    for (const { vertex } of this.seeds) isSeed[vertex] = 1;
    const rank = new Int32Array(count).fill(-1);
    const kept = new Int32Array(count);
    let next = 0;
    for (const pin of order)
      for (let v = this.firstAtPin[pin]; v >= 0; v = this.nextAtPin.at(v)) {
        if (waysIn[v] === 1 && waysOut[v] === 1 && !isSeed[v] && !this.ends[pin]) continue;
        kept[next] = v;
        rank[v] = next++;
      }
    const byRank = kept.subarray(0, next);
    const inStart = new Int32Array(next + 1);
    for (let e = 0; e < edgeCount; e++) if (rank[to[e]] >= 0) inStart[rank[to[e]] + 1]++;
    for (let v = 0; v < next; v++) inStart[v + 1] += inStart[v];
    const fill = inStart.slice(0, next);
    const made = new Int32Array(inStart[next]);
    for (let e = 0; e < edgeCount; e++) if (rank[to[e]] >= 0) made[fill[rank[to[e]]]++] = e;
    const inFrom = new Int32Array(made.length);
    const arcStart = new Int32Array(made.length + 1);
    const edgeArc = new Int32Array(edgeCount);
    let length = 0;
    for (let i = 0; i < made.length; i++) {
      // back to the vertex that it begins at; the arcs are written from the last one on
      let e = made[i];
      let count = 1;
      for (let at = e; rank[from[at]] < 0; at = wayIn[from[at]]) count++;
      length += count;
      for (let k = length - 1; ; k--) {
        edgeArc[k] = arcs[e];
        if (rank[from[e]] >= 0) break;
        e = wayIn[from[e]];
      }
      inFrom[i] = rank[from[e]];
      arcStart[i + 1] = length;
    }
    const pin = this.pins.pick(byRank);
    const pinStart = new Int32Array(graph.pinCount + 1);
    for (const p of pin) pinStart[p + 1]++;
    for (let p = 0; p < graph.pinCount; p++) pinStart[p + 1] += pinStart[p];
    const pinFill = pinStart.slice(0, graph.pinCount);
    const pinVertex = new Int32Array(next);
    for (let v = 0; v < next; v++) pinVertex[pinFill[pin[v]]++] = v;
    const { seeds } = this;
    return {
      launches: this.launches,
      exceptions: this.exceptions,
      vertexCount: next,
      pin,
      launch: this.launchIds.pick(byRank),
      state: this.states.pick(byRank),
      edge: Uint8Array.from(this.edges.pick(byRank)),
      inStart,
      inFrom,
      arcStart,
      edgeArc: edgeArc.slice(0, length),
      seedVertex: Int32Array.from(seeds, ({ vertex }) => rank[vertex]),
      seedNode: Int32Array.from(seeds, ({ node }) => node),
      seedArc: Int32Array.from(seeds, ({ arc }) => arc),
      seedMost: Float64Array.from(seeds, ({ most }) => most),
      seedLeast: Float64Array.from(seeds, ({ least }) => least),
      seedIo: Int32Array.from(seeds, ({ io }) => io),
      pinStart,
      pinVertex,
      isMerged: this.isMerged,
      isCut: this.isCut,
    };
  }
}

/** When data begins at an input by its delay: never where it says nothing of one kind of check. */
export function seedTimes({ max, min, ps }: BoundIoDelay): { readonly most: number; readonly least: number } {
  return { most: max ? ps : -Infinity, least: min ? ps : Infinity };
}

/** Node of the clock network where the clock of a delay outside of the part is taken; -1 without a clock. */
export function ioNodeOf(network: ClockNetwork, { clock, reference }: BoundIoDelay): number {
  if (clock < 0) return -1;
  if (reference >= 0)
    for (let node = network.first[reference]; node >= 0; node = network.next[node])
      if (network.clock[node] === clock) return node;
  return network.roots[clock][0] ?? -1;
}
