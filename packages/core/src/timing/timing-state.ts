import type { Analysis } from "./analysis.ts";
import type { BoundLatency } from "./bound-rules.ts";
import { clockArrivals } from "./clock-network.ts";
import { bucket, type GraphDelays } from "./pin-graph.ts";
import type { Search } from "./search.ts";

/**
 * Times of one corner laid over an analysis: arrivals, latest and earliest, what is required, and slacks. Block-oriented
 * (Kirkpatrick and Clark 1966), forward and backward once; after a change of delays, only what it touches. In ps.
 */
export class TimingState {
  /**
   * [2 x vertices] Latest and earliest arrival after the launching edge, side by side, since they are read together; -Infinity
   * and Infinity where none is known.
   */
  readonly arrival: Float64Array;
  /** [2 x vertices] Latest time that setup allows, and earliest that hold does; Infinity and -Infinity for none. */
  readonly required: Float64Array;
  /** [clock nodes] */
  clockLate: Float64Array;
  clockEarly: Float64Array;
  /** [entries] Slack of setup and hold; Infinity where it is not checked or nothing arrives. */
  readonly setupSlack: Float64Array;
  readonly holdSlack: Float64Array;
  /** [entries] Latest arrival that setup allows, and earliest that hold does. */
  private readonly late: Float64Array;
  private readonly early: Float64Array;
  /** [2 x edges] Largest and least delay of each, as the arc that it is of. */
  readonly edgeDelay: Float64Array;
  private offsets: { late: Float64Array; early: Float64Array };

  constructor(
    /** Changes with the values of its rules alone, by `changeRules`. */
    public analysis: Analysis,
    readonly delays: GraphDelays,
  ) {
    const { search, entries, network } = analysis;
    const { vertexCount } = search;
    this.arrival = new Float64Array(2 * vertexCount);
    this.required = new Float64Array(2 * vertexCount);
    this.setupSlack = new Float64Array(entries.count);
    this.holdSlack = new Float64Array(entries.count);
    this.late = new Float64Array(entries.count);
    this.early = new Float64Array(entries.count);
    this.edgeDelay = new Float64Array(2 * search.inFrom.length);
    this.clockLate = new Float64Array(network.nodeCount);
    this.clockEarly = this.clockLate;
    this.offsets = sourceOffsets(analysis);
    this.full();
  }

  /** Works everything out anew. O(vertices + edges + entries). */
  full(): void {
    this.arrivals();
    this.backward();
  }

  /** All but what is required before the ends: for whoever asks with goals of its own. `required` is of no use afterwards. */
  arrivals(): void {
    const { most, least } = this.delays;
    const { arcStart, edgeArc, inFrom } = this.analysis.search;
    const { edgeDelay } = this;
    let at = 0;
    for (let e = 0; e < inFrom.length; e++) {
      let longest = 0;
      let shortest = 0;
      for (const end = arcStart[e + 1]; at < end; at++) {
        longest += most[edgeArc[at]];
        shortest += least[edgeArc[at]];
      }
      edgeDelay[2 * e] = longest;
      edgeDelay[2 * e + 1] = shortest;
    }
    this.updateClocks();
    this.seedAll();
    this.forward();
    this.borrow();
    this.compare();
  }

  private updateClocks(): void {
    const { late, early } = clockArrivals(this.analysis.network, this.delays.most, this.delays.least, this.offsets);
    this.clockLate = late;
    this.clockEarly = early;
  }

  /** Puts what begins paths into the arrivals, and nothing elsewhere. */
  private seedAll(): void {
    const { seedVertex, seedNode, seedArc, seedMost, seedLeast } = this.analysis.search;
    const { arrival, clockLate, clockEarly } = this;
    const { most, least } = this.delays;
    for (let i = 0; i < arrival.length; i += 2) {
      arrival[i] = -Infinity;
      arrival[i + 1] = Infinity;
    }
    for (let i = 0; i < seedVertex.length; i++) {
      const v = 2 * seedVertex[i];
      const node = seedNode[i];
      const arc = seedArc[i];
      const late = seedMost[i] + (node < 0 ? 0 : clockLate[node]) + (arc < 0 ? 0 : most[arc]);
      const early = seedLeast[i] + (node < 0 ? 0 : clockEarly[node]) + (arc < 0 ? 0 : least[arc]);
      if (late > arrival[v]) arrival[v] = late;
      if (early < arrival[v + 1]) arrival[v + 1] = early;
    }
  }
  /** Latest, or earliest, time at which a path begins at a seed. */
  seedTime(seed: number, isLate: boolean): number {
    const { seedNode, seedArc, seedMost, seedLeast } = this.analysis.search;
    const [node, arc] = [seedNode[seed], seedArc[seed]];
    let time = isLate ? seedMost[seed] : seedLeast[seed];
    if (node >= 0) time += isLate ? this.clockLate[node] : this.clockEarly[node];
    if (arc >= 0) time += isLate ? this.delays.most[arc] : this.delays.least[arc];
    return time;
  }

  /** Arrivals from what `seedAll` put in. */
  private forward(): void {
    const { vertexCount, inStart, inFrom } = this.analysis.search;
    const { arrival, edgeDelay } = this;
    let e = 0;
    for (let v = 0; v < vertexCount; v++) {
      let latest = arrival[2 * v];
      let earliest = arrival[2 * v + 1];
      for (const end = inStart[v + 1]; e < end; e++) {
        const from = 2 * inFrom[e];
        const a = arrival[from] + edgeDelay[2 * e];
        if (a > latest) latest = a;
        const b = arrival[from + 1] + edgeDelay[2 * e + 1];
        if (b < earliest) earliest = b;
      }
      arrival[2 * v] = latest;
      arrival[2 * v + 1] = earliest;
    }
  }

  /** Turns of the latches until nothing changes; each turn borrows more, up to the time that they are open. */
  readonly borrowLimit = 100;
  /** [links] Time that passes on behind each latch's opening edge, 0 for none. */
  borrowed: Float64Array = new Float64Array(0);

  private borrow(): void {
    const { latches, entries } = this.analysis;
    this.borrowed = new Float64Array(latches.length);
    if (latches.length === 0) return;
    const departures = new Map<number, number>();
    for (let turn = 0; turn < this.borrowLimit; turn++) {
      let changed = false;
      latches.forEach(({ entry, to, arc }, l) => {
        const departure = this.departure(l);
        if (departure === null) return;
        const opens = this.clockLate[entries.node[entry]];
        this.borrowed[l] = Math.max(0, departure - this.delays.most[arc] - opens);
        if (departure > (departures.get(to) ?? -Infinity)) {
          departures.set(to, departure);
          changed ||= departure > this.arrival[2 * to];
        }
      });
      if (!changed) return;
      this.seedAll();
      for (const [to, departure] of departures) this.arrival[2 * to] = Math.max(this.arrival[2 * to], departure);
      this.forward();
    }
  }

  private latchAt: Map<number, number[]> | null = null;
  /**
   * When data that comes late to open latches leaves a vertex, the latest for each of the clock's ways there; nothing where
   * it was there before the latch opened.
   */
  latchTimes(vertex: number): readonly { readonly node: number; readonly ps: number }[] {
    const { latches, entries, search } = this.analysis;
    if (!this.latchAt) {
      this.latchAt = new Map();
      for (let l = 0; l < latches.length; l++) pushTo(this.latchAt, latches[l].to, l);
    }
    const links = this.latchAt.get(vertex);
    if (!links) return [];
    const latest = new Map<number, number>();
    for (const l of links) {
      const ps = this.departure(l);
      const node = entries.node[latches[l].entry];
      if (ps !== null && ps > (latest.get(node) ?? -Infinity)) latest.set(node, ps);
    }
    for (const seed of this.seedsOfVertices()(vertex)) {
      const ps = latest.get(search.seedNode[seed]);
      if (ps !== undefined && ps <= this.seedTime(seed, true)) latest.delete(search.seedNode[seed]);
    }
    return [...latest].map(([node, ps]) => ({ node, ps }));
  }
  /** When data that comes to an open latch leaves it, after the edge that opened it; null where none comes. */
  private departure(link: number): number | null {
    const { entries, latches } = this.analysis;
    const { entry, arc } = latches[link];
    const arrival = this.arrival[2 * entries.vertex[entry]];
    if (arrival === -Infinity) return null;
    // what comes after the latch has closed is late there, and goes no further
    const info = entries.info[entries.infoOf[entry]];
    const open = info.setup + info.setupUncertainty - entries.open[entry];
    const since = Math.min(arrival - entries.open[entry], open + this.clockLate[entries.node[entry]]);
    return since + this.delays.most[arc];
  }

  /** Time given back where both ends of a check share a way. */
  credit(entry: number): number {
    return this.spreadOf(this.analysis.entries.common[entry]);
  }
  /** What a clock varies by on its way to a node, 0 for none. */
  spreadOf(node: number): number {
    return node < 0 ? 0 : this.clockLate[node] - this.clockEarly[node];
  }

  /** Latest arrival that setup allows at an entry's end, and earliest that hold does. */
  requiredAt(entry: number): { late: number; early: number } {
    return { late: this.late[entry], early: this.early[entry] };
  }
  private lateAt(entry: number): number {
    const { setup, node, common, check, hasWay } = this.analysis.entries;
    let required = setup[entry];
    if (hasWay[entry]) required += this.clockEarly[node[entry]];
    if (common[entry] >= 0) required += this.clockLate[common[entry]] - this.clockEarly[common[entry]];
    if (check[entry] >= 0) required -= this.delays.setup[check[entry]];
    return required;
  }
  private earlyAt(entry: number): number {
    const { hold, node, common, check, hasWay } = this.analysis.entries;
    let required = hold[entry];
    if (hasWay[entry]) required += this.clockLate[node[entry]];
    if (common[entry] >= 0) required -= this.clockLate[common[entry]] - this.clockEarly[common[entry]];
    if (check[entry] >= 0) required += this.delays.hold[check[entry]];
    return required;
  }

  private compare(): void {
    const { count, vertex, setup, hold, node, common, check, hasWay } = this.analysis.entries;
    const { required, arrival, clockLate, clockEarly, setupSlack, holdSlack, late: lates, early: earlies } = this;
    const { setup: setupNeed, hold: holdNeed } = this.delays;
    for (let i = 0; i < required.length; i += 2) {
      required[i] = Infinity;
      required[i + 1] = -Infinity;
    }
    // as `lateAt` and `earlyAt` say, written out: this is a fifth of an update
    for (let entry = 0; entry < count; entry++) {
      const v = 2 * vertex[entry];
      let late = setup[entry];
      let early = hold[entry];
      if (hasWay[entry]) {
        late += clockEarly[node[entry]];
        early += clockLate[node[entry]];
      }
      const shared = common[entry];
      if (shared >= 0) {
        const credit = clockLate[shared] - clockEarly[shared];
        late += credit;
        early -= credit;
      }
      const own = check[entry];
      if (own >= 0) {
        late -= setupNeed[own];
        early += holdNeed[own];
      }
      lates[entry] = late;
      earlies[entry] = early;
      const latest = arrival[v];
      const earliest = arrival[v + 1];
      setupSlack[entry] = latest === -Infinity ? Infinity : late - latest;
      holdSlack[entry] = earliest === Infinity ? Infinity : earliest - early;
      if (late < required[v]) required[v] = late;
      if (early > required[v + 1]) required[v + 1] = early;
    }
  }

  private slackAt(entry: number): void {
    const v = this.analysis.entries.vertex[entry];
    this.late[entry] = this.lateAt(entry);
    this.early[entry] = this.earlyAt(entry);
    this.setupSlack[entry] = this.arrival[2 * v] === -Infinity ? Infinity : this.late[entry] - this.arrival[2 * v];
    this.holdSlack[entry] =
      this.arrival[2 * v + 1] === Infinity ? Infinity : this.arrival[2 * v + 1] - this.early[entry];
  }

  private backward(): void {
    const { vertexCount, inStart, inFrom } = this.analysis.search;
    const { required, edgeDelay } = this;
    let e = inFrom.length - 1;
    for (let v = vertexCount - 1; v >= 0; v--) {
      const latest = required[2 * v];
      const earliest = required[2 * v + 1];
      for (const first = inStart[v]; e >= first; e--) {
        const from = 2 * inFrom[e];
        const a = latest - edgeDelay[2 * e];
        if (a < required[from]) required[from] = a;
        const b = earliest - edgeDelay[2 * e + 1];
        if (b > required[from + 1]) required[from + 1] = b;
      }
    }
  }

  /** Worst slack of a pin over all paths through it; Infinity where nothing is checked. */
  pinSlack(pin: number): { setup: number; hold: number } {
    const { search, active } = this.analysis;
    const { pinStart, pinVertex, inFrom } = search;
    const { arrival, required, edgeDelay } = this;
    let setup = Infinity;
    let hold = Infinity;
    const note = (late: number, early: number) => {
      if (late < setup) setup = late;
      if (early < hold) hold = early;
    };
    for (let i = pinStart[pin]; i < pinStart[pin + 1]; i++) {
      const v = 2 * pinVertex[i];
      note(
        arrival[v] === -Infinity ? Infinity : required[v] - arrival[v],
        arrival[v + 1] === Infinity ? Infinity : arrival[v + 1] - required[v + 1],
      );
    }
    // a pin that is only passed: paths through it are those of the edges that it lies within
    const { arcEdges } = this.indexes();
    const targets = edgeTargets(search);
    const { inStart, inArc } = active.graph;
    for (let a = inStart[pin]; a < inStart[pin + 1]; a++)
      for (let i = arcEdges.start[inArc[a]]; i < arcEdges.start[inArc[a] + 1]; i++) {
        const e = arcEdges.items[i];
        const [from, to] = [2 * inFrom[e], 2 * targets[e]];
        note(
          arrival[from] === -Infinity ? Infinity : required[to] - edgeDelay[2 * e] - arrival[from],
          arrival[from + 1] === Infinity ? Infinity : arrival[from + 1] + edgeDelay[2 * e + 1] - required[to + 1],
        );
      }
    return { setup, hold };
  }

  /** Edges that pass a pin. */
  edgesThrough(pin: number): number[] {
    const { arcEdges } = this.indexes();
    const { inStart, inArc } = this.analysis.active.graph;
    const found: number[] = [];
    for (let a = inStart[pin]; a < inStart[pin + 1]; a++)
      for (let i = arcEdges.start[inArc[a]]; i < arcEdges.start[inArc[a] + 1]; i++) found.push(arcEdges.items[i]);
    return found;
  }

  /** Edges by the vertex that they leave and by their arc, entries by their vertex, seeds by theirs and by their arc: made for the first small change. */
  private index: Readonly<
    Record<"outgoing" | "arcEdges" | "vertexEntries" | "vertexSeeds" | "arcSeeds", ReturnType<typeof bucket>>
  > | null = null;
  private indexes(): NonNullable<typeof this.index> {
    const { search, entries, active } = this.analysis;
    this.index ??= {
      outgoing: bucket(search.inFrom, search.vertexCount),
      arcEdges: edgesOfArcs(search, active.graph.arcCount),
      vertexEntries: bucket(entries.vertex, search.vertexCount),
      vertexSeeds: bucket(search.seedVertex, search.vertexCount),
      // those without an arc stand behind all others
      arcSeeds: bucket(
        search.seedArc.map((arc) => (arc < 0 ? active.graph.arcCount : arc)),
        active.graph.arcCount + 1,
      ),
    };
    return this.index;
  }

  /**
   * Takes in new delays of some arcs, which are in `delays` already. Where a clock's way changes, where latches borrow, or
   * where the change is wide, everything is worked out anew.
   */
  update(arcs: Int32Array): void {
    const { search, latches } = this.analysis;
    const isWide = arcs.length * 200 > search.edgeArc.length;
    if (isWide || latches.length || this.touchesClock(arcs)) this.full();
    else this.updateSome(arcs);
  }

  /** The same, from the arcs on: none of them is of a clock's way, and there are no latches. */
  updateSome(arcs: Int32Array): void {
    const { search } = this.analysis;
    const { arcEdges, arcSeeds } = this.indexes();
    const targets = edgeTargets(search);
    const { inFrom, vertexCount } = search;
    // vertices are in the order of data: marks are looked at once, along it
    const ahead = new Uint8Array(vertexCount);
    const behind = new Uint8Array(vertexCount);
    for (const arc of arcs) {
      for (let i = arcEdges.start[arc]; i < arcEdges.start[arc + 1]; i++) {
        const e = arcEdges.items[i];
        let longest = 0;
        let shortest = 0;
        for (let k = search.arcStart[e]; k < search.arcStart[e + 1]; k++) {
          longest += this.delays.most[search.edgeArc[k]];
          shortest += this.delays.least[search.edgeArc[k]];
        }
        this.edgeDelay[2 * e] = longest;
        this.edgeDelay[2 * e + 1] = shortest;
        ahead[targets[e]] = 1;
        behind[inFrom[e]] = 1;
      }
    }
    for (const arc of arcs)
      for (let i = arcSeeds.start[arc]; i < arcSeeds.start[arc + 1]; i++)
        ahead[search.seedVertex[arcSeeds.items[i]]] = 1;
    this.propagate(ahead, behind);
  }

  /**
   * Takes in other values of the rules. Arrivals move only where what begins paths does, required times only before ends whose
   * goal does. Where a clock's latency changes, or latches borrow, everything is worked out anew.
   * @param next Of this state's analysis, by `withValues`.
   */
  changeRules(next: Analysis): void {
    const { search: oldSearch, entries: old, latches } = this.analysis;
    this.analysis = next;
    const offsets = sourceOffsets(next);
    const isSame = (a: Float64Array, b: Float64Array) => a.every((ps, i) => ps === b[i]);
    const isLatencySame = isSame(offsets.late, this.offsets.late) && isSame(offsets.early, this.offsets.early);
    this.offsets = offsets;
    if (!isLatencySame || latches.length || next.latches.length) {
      this.full();
      return;
    }
    const { search, entries } = next;
    const ahead = new Uint8Array(search.vertexCount);
    const behind = new Uint8Array(search.vertexCount);
    search.seedVertex.forEach((vertex, i) => {
      if (search.seedMost[i] !== oldSearch.seedMost[i] || search.seedLeast[i] !== oldSearch.seedLeast[i])
        ahead[vertex] = 1;
    });
    let moved = 0;
    for (let entry = 0; entry < entries.count; entry++) {
      if (entries.setup[entry] === old.setup[entry] && entries.hold[entry] === old.hold[entry]) continue;
      behind[entries.vertex[entry]] = 1;
      this.slackAt(entry);
      moved++;
    }
    const isWide = moved * 8 > entries.count;
    this.propagate(ahead, isWide ? new Uint8Array(search.vertexCount) : behind);
    if (!isWide) return;
    this.compare();
    this.backward();
  }

  /** Works out anew the arrivals at marked vertices and behind them, and the required times at marked ones and before them. */
  private propagate(ahead: Uint8Array, behind: Uint8Array): void {
    const { search } = this.analysis;
    const { outgoing, vertexEntries, vertexSeeds } = this.indexes();
    const targets = edgeTargets(search);
    const { inStart, inFrom } = search;
    const { arrival, required, edgeDelay, setupSlack, holdSlack, late, early } = this;
    for (let v = ahead.indexOf(1); v >= 0; v = ahead.indexOf(1, v + 1)) {
      let latest = -Infinity;
      let earliest = Infinity;
      for (let i = vertexSeeds.start[v]; i < vertexSeeds.start[v + 1]; i++) {
        const seed = vertexSeeds.items[i];
        latest = Math.max(latest, this.seedTime(seed, true));
        earliest = Math.min(earliest, this.seedTime(seed, false));
      }
      for (let e = inStart[v]; e < inStart[v + 1]; e++) {
        const from = inFrom[e];
        const a = arrival[2 * from] + edgeDelay[2 * e];
        if (a > latest) latest = a;
        const b = arrival[2 * from + 1] + edgeDelay[2 * e + 1];
        if (b < earliest) earliest = b;
      }
      if (latest === arrival[2 * v] && earliest === arrival[2 * v + 1]) continue;
      arrival[2 * v] = latest;
      arrival[2 * v + 1] = earliest;
      for (let i = vertexEntries.start[v]; i < vertexEntries.start[v + 1]; i++) {
        const entry = vertexEntries.items[i];
        setupSlack[entry] = latest === -Infinity ? Infinity : late[entry] - latest;
        holdSlack[entry] = earliest === Infinity ? Infinity : earliest - early[entry];
      }
      for (let i = outgoing.start[v]; i < outgoing.start[v + 1]; i++) ahead[targets[outgoing.items[i]]] = 1;
    }
    for (let v = behind.lastIndexOf(1); v >= 0; v = v > 0 ? behind.lastIndexOf(1, v - 1) : -1) {
      let latest = Infinity;
      let earliest = -Infinity;
      for (let i = vertexEntries.start[v]; i < vertexEntries.start[v + 1]; i++) {
        const entry = vertexEntries.items[i];
        if (late[entry] < latest) latest = late[entry];
        if (early[entry] > earliest) earliest = early[entry];
      }
      for (let i = outgoing.start[v]; i < outgoing.start[v + 1]; i++) {
        const e = outgoing.items[i];
        const to = targets[e];
        const a = required[2 * to] - edgeDelay[2 * e];
        if (a < latest) latest = a;
        const b = required[2 * to + 1] - edgeDelay[2 * e + 1];
        if (b > earliest) earliest = b;
      }
      if (latest === required[2 * v] && earliest === required[2 * v + 1]) continue;
      required[2 * v] = latest;
      required[2 * v + 1] = earliest;
      for (let e = inStart[v]; e < inStart[v + 1]; e++) behind[inFrom[e]] = 1;
    }
  }

  private clockArcs: Uint8Array | null = null;
  /** True if a clock's way takes one of them. */
  touchesClock(arcs: Int32Array): boolean {
    if (!this.clockArcs) {
      this.clockArcs = new Uint8Array(this.analysis.active.graph.arcCount);
      for (const arc of this.analysis.network.arc) if (arc >= 0) this.clockArcs[arc] = 1;
    }
    for (const arc of arcs) if (this.clockArcs[arc]) return true;
    return false;
  }

  /** Seeds at a vertex. */
  seedsOfVertices(): (vertex: number) => Int32Array {
    const { start, items } = this.indexes().vertexSeeds;
    return (vertex) => items.subarray(start[vertex], start[vertex + 1]);
  }
}

function pushTo(map: Map<number, number[]>, key: number, value: number): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

/** Edges by the arcs that they are made of. */
function edgesOfArcs({ arcStart, edgeArc, inFrom }: Search, arcCount: number): ReturnType<typeof bucket> {
  const { start, items } = bucket(edgeArc, arcCount);
  const edgeAt = new Int32Array(edgeArc.length);
  for (let e = 0; e < inFrom.length; e++) edgeAt.fill(e, arcStart[e], arcStart[e + 1]);
  return { start, items: items.map((at) => edgeAt[at]) };
}

const targetsOf = new WeakMap<Int32Array, Int32Array>();
/** [edges] Vertex that each leads to. */
function edgeTargets({
  inStart,
  vertexCount,
}: {
  readonly inStart: Int32Array;
  readonly vertexCount: number;
}): Int32Array {
  let targets = targetsOf.get(inStart);
  if (!targets) {
    targets = new Int32Array(inStart[vertexCount]);
    for (let v = 0; v < vertexCount; v++) targets.fill(v, inStart[v], inStart[v + 1]);
    targetsOf.set(inStart, targets);
  }
  return targets;
}

/** [clock nodes] What is added at clocks' sources: latencies outside of the part. */
function sourceOffsets({ network, rules }: Analysis): { late: Float64Array; early: Float64Array } {
  const late = new Float64Array(network.nodeCount);
  const early = new Float64Array(network.nodeCount);
  const of = (clock: number, pick: (rule: BoundLatency) => boolean): number => {
    let ps = 0;
    for (const rule of rules.latencies) if (rule.clocks.includes(clock) && pick(rule)) ps = rule.ps;
    return ps;
  };
  network.roots.forEach((roots, clock) => {
    const isVirtual = rules.clocks[clock].sources.length === 0;
    for (const root of roots) {
      late[root] = of(clock, (rule) => rule.isSource && rule.late);
      early[root] = of(clock, (rule) => rule.isSource && rule.early);
      if (!isVirtual) continue;
      late[root] += of(clock, (rule) => !rule.isSource && rule.late);
      early[root] += of(clock, (rule) => !rule.isSource && rule.early);
    }
  });
  return { late, early };
}
