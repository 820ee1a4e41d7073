import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import { BinaryHeap } from "../common/heap.ts";
import { type Delays, nodeName, type Part } from "../device/part.ts";
import { nodeKind } from "../device/tile-pattern.ts";
import type { RoutedDesign } from "../layout/layout.ts";
import { lookaheadFor } from "../layout/lookahead.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import type { Standing, Steering } from "../timing/steering.ts";
import { congestionFinding } from "./congestion.ts";
import type { Connections } from "./connections.ts";
import type { RouteOptions } from "./route.ts";
import { TreeBins } from "./tree-bins.ts";

/** A connection that does not matter at all still pays this much for its delay; one that decides pays for hardly anything else. */
const leastDelayWeight = 0.4;
const mostDelayWeight = 0.999;
/**
 * What a wire costs more for each net that wants it. It rises only while the wires that are shared do not become fewer at the same
 * pace: a high price drives the paths that matter away with all others.
 */
const firstPressure = 1.5;
const pressureGrowth = 1.35;
const pressureCap = 5000;
const goodPace = 0.85;
const historyStep = 0.7;
const clockPrice = 20;
/** Nets with more sinks are entered only near the sink that is looked for. */
const wideNet = 48;

/** [S] Delay of each connection to the end of its wires, in ps, and the pin where it ends. */
export interface ConnectionDelays {
  readonly wirePs: Float64Array;
  readonly pin: Int32Array;
}

/** At the end: turns, those without a gain until it gives up, and iterations for each. */
const polishTurns = 40;
const polishPatience = 4;
const polishIterations = 25;

/** A state to come back to. */
interface Snapshot {
  readonly trees: readonly Tree[];
  readonly reached: Int32Array;
}

/** Route tree of one net while it grows: nodes with parents first, delay to the end of each from the source. */
interface Tree {
  node: number[];
  parent: number[];
  delayPs: number[];
}

/**
 * Negotiated congestion (McMurchie and Ebeling 1995, PathFinder), with A* towards each sink by the least delay that is left;
 * timing-driven: a connection pays by how much it matters for delay, and for the rest for congestion. Only branches that lead through
 * wires which are wanted twice are taken up again (Murray, Zhong and Betz 2020, AIR). Each node may carry one net.
 */
export class Router {
  private readonly occupancy: Uint16Array;
  private readonly history: Float32Array;
  /** [nodes] What a node costs beside its delay, as it is wanted now. */
  private readonly price: Float32Array;
  private readonly nodePs: Float32Array;
  private readonly trees: Tree[] = [];
  /** [sinks] Place in its net's tree of the pin that was reached; -1 while it is not. */
  private readonly reached: Int32Array;
  /** [sinks] */
  private readonly critical: Float32Array;
  private readonly heap = new BinaryHeap(1 << 14);
  private readonly cost: Float64Array;
  private readonly back: Int32Array;
  /** [nodes] Twice the search that came here last, and one more once it went on from here. */
  private readonly stamp: Int32Array;
  /** [nodes] Search that has a pin behind the node, the cheapest such pin, and what it costs. */
  private readonly markStamp: Int32Array;
  private readonly markPin: Int32Array;
  private readonly markCost: Float64Array;
  private readonly treeAt: Int32Array;
  private readonly treeStamp: Int32Array;
  private epoch = 0;
  private treeEpoch = 0;
  private pressure = firstPressure;
  private readonly lookahead;
  private readonly lutPs: Float64Array;
  /** Heap entries taken, for benchmarks. */
  pops = 0;
  private iterations = 0;
  /** [sinks] What each would take by itself, -1 while nobody has asked. */
  private readonly shortestPs: Float64Array;
  /** Searches see nothing but delay. */
  private isBold = false;

  constructor(
    private readonly netlist: LayoutNetlist,
    private readonly part: Part,
    private readonly connections: Connections,
    private readonly steering: Steering,
    delays: Delays,
    private readonly context: StageContext,
  ) {
    const n = part.graph.nodeCount;
    this.occupancy = new Uint16Array(n);
    this.history = new Float32Array(n);
    this.nodePs = delays.nodePs();
    this.price = this.nodePs.slice();
    this.cost = new Float64Array(n);
    this.back = new Int32Array(n);
    this.stamp = new Int32Array(n);
    this.markStamp = new Int32Array(n);
    this.markPin = new Int32Array(n);
    this.markCost = new Float64Array(n);
    this.treeAt = new Int32Array(n);
    this.treeStamp = new Int32Array(n);
    this.lookahead = lookaheadFor(part);
    this.lutPs = Float64Array.from({ length: part.family.lutInputs }, (_, pin) => delays.lutPs(pin));
    const sinks = connections.firstPin.length;
    this.reached = new Int32Array(sinks).fill(-1);
    this.critical = new Float32Array(sinks);
    this.shortestPs = new Float64Array(sinks).fill(-1);
    for (let r = 0; r < connections.net.length; r++) this.trees.push({ node: [], parent: [], delayPs: [] });
    for (let node = 0; node < n; node++)
      if (part.graph.nodeKind[node] >= nodeKind.globalClock) this.price[node] = this.priceOf(node);
  }

  run(options: RouteOptions): StageResult<RoutedDesign> {
    const { connections } = this;
    this.begin();
    for (let r = 0; r < connections.net.length; r++) {
      this.context.checkCancelled();
      this.plant(r);
      if (!this.routeNet(r)) return { artifact: null, findings: [this.unreachable(r)] };
    }
    const standing = this.negotiate(options.maxIterations, 0.8);
    if (!standing) return { artifact: null, findings: [this.congestion()] };
    this.polish(standing);
    return { artifact: this.finish(), findings: [] };
  }

  /**
   * Routes what is shared anew until nothing is.
   * @param share Of the whole work, for progress. @returns Where the design stands; null if wires are shared still.
   */
  private negotiate(most: number, share: number): Standing | null {
    const { context, connections } = this;
    let first = 0;
    let last = Infinity;
    for (let turn = 0; turn < most; turn++) {
      if (turn > 0)
        for (let r = 0; r < connections.net.length; r++) {
          if (!this.isCongested(r)) continue;
          context.checkCancelled();
          this.prune(r);
          this.routeNet(r);
        }
      this.iterations++;
      const over = this.countOverused();
      first = Math.max(first, over);
      this.tellDelays();
      const standing = this.steering.update();
      this.takeCriticalities();
      if (share > 0)
        context.progress({
          fraction: share * (over === 0 ? 1 : Math.min(0.95, 1 - Math.log1p(over) / Math.log1p(2 * first))),
          figure: `${over ? `${over} wires shared, ` : ""}${figureOf(standing)}`,
        });
      if (over === 0) return standing;
      if (over > goodPace * last) this.pressure = Math.min(pressureCap, this.pressure * pressureGrowth);
      last = over;
      this.raisePrices();
    }
    return null;
  }

  /**
   * Connections that decide and take longer than they would by themselves get their way; what is in it gives way, if that helps all in
   * all. Ends when nothing has become better for some turns.
   */
  private polish(standing: Standing): void {
    const { context } = this;
    let best = this.snapshot();
    let bestStanding = standing;
    let idle = 0;
    for (let turn = 0; turn < polishTurns && idle < polishPatience; turn++) {
      context.checkCancelled();
      const late = this.lateSinks(turn % polishPatience);
      if (late.length === 0) break;
      const nets = new Set<number>();
      for (const { sink, net } of late) {
        this.reached[sink] = -1;
        nets.add(net);
      }
      for (const r of nets) this.prune(r);
      // as if nothing else were there
      this.isBold = true;
      this.pressure = firstPressure;
      for (const r of nets) this.routeNet(r);
      this.isBold = false;
      const after = this.negotiate(polishIterations, 0);
      const isBetter = after !== null && isAhead(after, bestStanding);
      idle = isBetter ? 0 : idle + 1;
      if (isBetter) {
        best = this.snapshot();
        bestStanding = after;
      } else {
        this.restore(best);
        this.tellDelays();
        this.steering.update();
        this.takeCriticalities();
      }
      context.progress({ fraction: 0.8 + (0.2 * (turn + 1)) / polishTurns, figure: figureOf(bestStanding) });
    }
  }

  /** Sinks of the worst paths whose way takes longer than it must, the worst first. @param wider How many more to look at. */
  private lateSinks(wider: number): { sink: number; net: number }[] {
    const { connections, critical, reached, trees } = this;
    const { sinkStart, isClockPin } = connections;
    const least = 1 - 0.03 * (1 + 2 * wider);
    const found: { sink: number; net: number }[] = [];
    for (let r = 0; r < connections.net.length; r++)
      for (let sink = sinkStart[r]; sink < sinkStart[r + 1]; sink++) {
        if (critical[sink] < least || isClockPin[sink]) continue;
        const tree = trees[r];
        const now = tree.delayPs[reached[sink]] + this.pinPs(sink, tree.node[reached[sink]]);
        if (now > this.shortest(r, sink) + 1) found.push({ sink, net: r });
      }
    return found.sort((a, b) => critical[b.sink] - critical[a.sink] || a.sink - b.sink).slice(0, 400);
  }
  /** Delay of a connection in an empty part, with that of its LUT's pin: the same whenever it is asked. */
  private shortest(r: number, sink: number): number {
    if (this.shortestPs[sink] < 0) this.shortestPs[sink] = this.searchAlone(r, sink);
    return this.shortestPs[sink];
  }
  private searchAlone(r: number, sink: number): number {
    const { source, isClock } = this.connections;
    const tree: Tree = { node: [source[r]], parent: [-1], delayPs: [0] };
    this.isBold = true;
    const pin = this.search(tree, sink, isClock[r] === 1, null);
    this.isBold = false;
    let ps = this.pinPs(sink, pin);
    for (let node = pin; node >= 0 && node !== source[r]; node = this.back[node]) ps += this.nodePs[node];
    return ps;
  }
  private pinPs(sink: number, pin: number): number {
    const { firstPin, pinCount } = this.connections;
    return pinCount[sink] > 1 ? this.lutPs[pin - firstPin[sink]] : 0;
  }

  private snapshot(): Snapshot {
    return {
      trees: this.trees.map(({ node, parent, delayPs }) => ({
        node: node.slice(),
        parent: parent.slice(),
        delayPs: delayPs.slice(),
      })),
      reached: this.reached.slice(),
    };
  }
  private restore({ trees, reached }: Snapshot): void {
    this.occupancy.fill(0);
    trees.forEach(({ node, parent, delayPs }, r) => {
      this.trees[r] = { node: node.slice(), parent: parent.slice(), delayPs: delayPs.slice() };
      for (const own of node) this.occupancy[own]++;
    });
    this.reached.set(reached);
    this.raisePrices();
  }

  /** Every net once, whatever it shares: what routing is measured by. */
  routeOnce(): void {
    this.begin();
    for (let r = 0; r < this.connections.net.length; r++) {
      this.plant(r);
      this.routeNet(r);
    }
  }

  private plant(r: number): void {
    const tree = this.trees[r];
    const source = this.connections.source[r];
    tree.node.push(source);
    tree.parent.push(-1);
    tree.delayPs.push(0);
    this.occupy(source, 1);
  }

  private begin(): void {
    this.expectDelays();
    this.steering.update();
    this.takeCriticalities();
  }

  private raisePrices(): void {
    const { occupancy, history, price } = this;
    for (let node = 0; node < occupancy.length; node++) {
      const count = occupancy[node];
      if (count > 1) history[node] += (count - 1) * historyStep;
      if (count || history[node]) price[node] = this.priceOf(node);
    }
  }
  private occupy(node: number, by: 1 | -1): void {
    this.occupancy[node] += by;
    this.price[node] = this.priceOf(node);
  }
  private priceOf(node: number): number {
    // dedicated clock nodes are there to be used: they are priced low
    const base = this.part.graph.nodeKind[node] >= nodeKind.globalClock ? clockPrice : this.nodePs[node];
    return base * (1 + this.history[node]) * (1 + this.occupancy[node] * this.pressure);
  }

  private isCongested(r: number): boolean {
    const { occupancy } = this;
    const { node } = this.trees[r];
    for (let i = 0; i < node.length; i++) if (occupancy[node[i]] > 1) return true;
    return false;
  }

  /** Takes up what leads through wires that are wanted twice, and branches that lead nowhere then. */
  private prune(r: number): void {
    const tree = this.trees[r];
    const { sinkStart } = this.connections;
    const count = tree.node.length;
    const isBad = new Uint8Array(count);
    const isKept = new Uint8Array(count);
    for (let i = 0; i < count; i++) {
      const parent = tree.parent[i];
      if (this.occupancy[tree.node[i]] > 1 || (parent >= 0 && isBad[parent])) isBad[i] = 1;
    }
    for (let s = sinkStart[r]; s < sinkStart[r + 1]; s++) {
      const at = this.reached[s];
      if (at < 0) continue;
      if (isBad[at]) this.reached[s] = -1;
      else isKept[at] = 1;
    }
    for (let i = count - 1; i > 0; i--) if (isKept[i]) isKept[tree.parent[i]] = 1;
    isKept[0] = 1;
    const place = new Int32Array(count).fill(-1);
    let kept = 0;
    for (let i = 0; i < count; i++) {
      if (!isKept[i]) {
        this.occupy(tree.node[i], -1);
        continue;
      }
      place[i] = kept;
      tree.node[kept] = tree.node[i];
      tree.parent[kept] = i === 0 ? -1 : place[tree.parent[i]];
      tree.delayPs[kept] = tree.delayPs[i];
      kept++;
    }
    tree.node.length = tree.parent.length = tree.delayPs.length = kept;
    for (let s = sinkStart[r]; s < sinkStart[r + 1]; s++)
      if (this.reached[s] >= 0) this.reached[s] = place[this.reached[s]];
  }

  /** Routes the sinks of a net that are not reached. @returns False if one cannot be reached at all. */
  private routeNet(r: number): boolean {
    const { connections, reached, critical, treeStamp, treeAt, nodePs, back } = this;
    const { sinkStart, isClock } = connections;
    const tree = this.trees[r];
    const epoch = ++this.treeEpoch;
    for (let i = 0; i < tree.node.length; i++) {
      treeStamp[tree.node[i]] = epoch;
      treeAt[tree.node[i]] = i;
    }
    const open: number[] = [];
    for (let s = sinkStart[r]; s < sinkStart[r + 1]; s++) if (reached[s] < 0) open.push(s);
    open.sort((a, b) => critical[b] - critical[a] || this.distance(r, b) - this.distance(r, a) || a - b);
    const isWide = sinkStart[r + 1] - sinkStart[r] > wideNet;
    const bins = isWide ? new TreeBins(this.part, tree.node) : null;
    for (const sink of open) {
      const found = this.search(tree, sink, isClock[r] === 1, bins);
      if (found < 0) return false;
      // the way back to the tree, then forward into it
      const path: number[] = [];
      let node = found;
      while (treeStamp[node] !== epoch) {
        path.push(node);
        node = back[node];
      }
      for (let i = path.length - 1; i >= 0; i--) {
        const next = path[i];
        const parent = treeAt[node];
        treeAt[next] = tree.node.length;
        treeStamp[next] = epoch;
        tree.node.push(next);
        tree.parent.push(parent);
        tree.delayPs.push(tree.delayPs[parent] + nodePs[next]);
        bins?.add(next, tree.node.length - 1);
        this.occupy(next, 1);
        node = next;
      }
      reached[sink] = treeAt[found];
    }
    return true;
  }

  private distance(r: number, sink: number): number {
    const { fabric, graph } = this.part;
    const from = graph.nodeTile[this.connections.source[r]];
    const to = this.connections.tile[sink];
    return Math.abs(fabric.tileX(from) - fabric.tileX(to)) + Math.abs(fabric.tileY(from) - fabric.tileY(to));
  }

  /** Marks what leads to the pins of a sink with the cheapest pin behind it. */
  private markPins(sink: number, weight: number): void {
    const { graph } = this.part;
    const { markStamp, markPin, markCost, epoch, nodePs, price, lutPs } = this;
    const first = this.connections.firstPin[sink];
    const count = this.connections.pinCount[sink];
    for (let i = 0; i < count; i++) {
      const pin = first + i;
      const own = weight * (nodePs[pin] + (count > 1 ? lutPs[i] : 0)) + (1 - weight) * price[pin];
      for (let k = graph.sourceCount(pin) - 1; k >= 0; k--) {
        const from = graph.source(pin, k);
        if (from < 0 || (markStamp[from] === epoch && markCost[from] <= own)) continue;
        markStamp[from] = epoch;
        markPin[from] = pin;
        markCost[from] = own;
      }
    }
  }

  /** A* from the tree to one of the sink's pins. @returns The pin reached, -1 if there is no way. */
  private search(tree: Tree, sink: number, isClock: boolean, bins: TreeBins | null): number {
    const { graph, fabric } = this.part;
    const { tileFirst, nodeTile, wireClass, nodeKind: kinds, patterns } = graph;
    const { kindCount, kindOfTile, kindFirst, hopStart, hopX, hopY, takerStart, taker } = patterns;
    const { heap, cost, back, stamp, markStamp, markPin, markCost, nodePs, price } = this;
    const epoch = ++this.epoch;
    const [open, closed] = [2 * epoch, 2 * epoch + 1];
    const { width, height } = fabric;
    const weight = this.isBold ? 1 : leastDelayWeight + (mostDelayWeight - leastDelayWeight) * this.critical[sink];
    const other = 1 - weight;
    this.markPins(sink, weight);
    const target = this.connections.tile[sink];
    const tx = target % width;
    const ty = (target / width) | 0;
    const { ps, rows, columns, offsetX, offsetY } = this.lookahead;
    const originX = tx + offsetX;
    const originY = ty + offsetY;
    const outputClass = 4 * this.part.family.wires.length;
    const isClockPin = this.connections.isClockPin[sink] === 1;
    heap.clear();
    const enter = (at: number) => {
      const node = tree.node[at];
      const kind = kinds[node];
      if (kind === nodeKind.input) return;
      const own = isClockPin ? 0 : weight * tree.delayPs[at];
      stamp[node] = open;
      cost[node] = own;
      back[node] = -1;
      let left = 0;
      // no distance describes the clock network
      if (!isClockPin && kind < nodeKind.globalClock) {
        const tile = nodeTile[node];
        const row = (kind === nodeKind.wire ? wireClass[node] : outputClass) * rows + originY - ((tile / width) | 0);
        left = ps[row * columns + originX - (tile % width)];
      }
      heap.push(own + left, node);
    };
    if (!bins) for (let i = 0; i < tree.node.length; i++) enter(i);
    else if (isClockPin) for (const at of bins.network) enter(at);
    else bins.near(tx, ty, enter);
    let pops = 0;
    let result = -1;
    while (heap.size) {
      const node = heap.pop();
      pops++;
      if (stamp[node] === closed) continue;
      stamp[node] = closed;
      if (kinds[node] === nodeKind.input) {
        result = node;
        break;
      }
      const here = cost[node];
      if (markStamp[node] === epoch) {
        const pin = markPin[node];
        const own = here + markCost[node];
        if (stamp[pin] < open || (stamp[pin] === open && own < cost[pin])) {
          stamp[pin] = open;
          cost[pin] = own;
          back[pin] = node;
          heap.push(own, pin);
        }
      }
      if (isClock)
        for (const next of graph.clockTakers(node)) {
          const own = here + (isClockPin ? price[next] : weight * nodePs[next] + other * price[next]);
          if (stamp[next] === closed || (stamp[next] === open && cost[next] <= own)) continue;
          stamp[next] = open;
          cost[next] = own;
          back[next] = node;
          heap.push(own, next);
        }
      if (kinds[node] >= nodeKind.globalClock) continue;
      const tile = nodeTile[node];
      const x = tile % width;
      const y = (tile / width) | 0;
      const pattern = kindFirst[kindOfTile[tile]] + node - tileFirst[tile];
      const hopEnd = hopStart[pattern + 1];
      for (let hop = hopStart[pattern]; hop < hopEnd; hop++) {
        const x2 = x + hopX[hop];
        const y2 = y + hopY[hop];
        if (x2 < 0 || x2 >= width || y2 < 0 || y2 >= height) continue;
        const at = y2 * width + x2;
        const list = hop * kindCount + kindOfTile[at];
        const base = tileFirst[at];
        const end = takerStart[list + 1];
        const offset = (originY - y2) * columns + originX - x2;
        for (let i = takerStart[list]; i < end; i++) {
          const next = base + taker[i];
          const seen = stamp[next];
          if (seen === closed) continue;
          const own = here + (isClockPin ? price[next] : weight * nodePs[next] + other * price[next]);
          if (seen === open && cost[next] <= own) continue;
          stamp[next] = open;
          cost[next] = own;
          back[next] = node;
          heap.push(isClockPin ? own : own + ps[wireClass[next] * rows * columns + offset], next);
        }
      }
    }
    this.pops += pops;
    // a part of the net that is near can be a dead end: all of it is tried then
    if (result < 0 && bins) return this.search(tree, sink, isClock, null);
    return result;
  }

  private countOverused(): number {
    let over = 0;
    for (const count of this.occupancy) if (count > 1) over++;
    return over;
  }

  /** Before anything is routed: the least that each connection can take. */
  private expectDelays(): void {
    const { connections, lookahead, steering } = this;
    const { fabric, graph } = this.part;
    const { ps, rows, columns, offsetX, offsetY } = lookahead;
    const base = (lookahead.classes - 1) * rows;
    for (let r = 0; r < connections.net.length; r++) {
      const from = graph.nodeTile[connections.source[r]];
      for (let s = connections.sinkStart[r]; s < connections.sinkStart[r + 1]; s++) {
        if (connections.isClockPin[s]) continue;
        const to = connections.tile[s];
        const dy = fabric.tileY(to) - fabric.tileY(from) + offsetY;
        const wirePs = ps[(base + dy) * columns + fabric.tileX(to) - fabric.tileX(from) + offsetX];
        for (let i = connections.slotStart[s]; i < connections.slotStart[s + 1]; i++)
          steering.setWire(connections.slot[i], wirePs);
      }
    }
  }

  /** Tells timing what every connection takes now. */
  private tellDelays(): void {
    const { connections, steering, reached, lutPs } = this;
    for (let r = 0; r < connections.net.length; r++) {
      const tree = this.trees[r];
      for (let s = connections.sinkStart[r]; s < connections.sinkStart[r + 1]; s++) {
        const at = reached[s];
        const isLut = connections.pinCount[s] > 1;
        for (let i = connections.slotStart[s]; i < connections.slotStart[s + 1]; i++) {
          const slot = connections.slot[i];
          steering.setWire(slot, tree.delayPs[at]);
          if (isLut) steering.setLut(slot, lutPs[tree.node[at] - connections.firstPin[s]]);
        }
      }
    }
  }

  private takeCriticalities(): void {
    const { connections, critical, steering } = this;
    for (let s = 0; s < critical.length; s++) {
      let most = 0;
      for (let i = connections.slotStart[s]; i < connections.slotStart[s + 1]; i++)
        most = Math.max(most, steering.critical[connections.slot[i]]);
      critical[s] = most;
    }
  }

  /**
   * Least delay that each connection could have if nothing else were routed, from its source pin; of a LUT's input at the pin where the
   * way through the LUT ends first. [S] ps, and the pin. Leaves this router empty.
   */
  alone(): ConnectionDelays {
    const { connections } = this;
    this.occupancy.fill(0);
    this.history.fill(0);
    this.price.set(this.nodePs);
    this.critical.fill(1);
    const count = connections.firstPin.length;
    const wirePs = new Float64Array(count);
    const pin = new Int32Array(count).fill(-1);
    for (let r = 0; r < connections.net.length; r++)
      for (let s = connections.sinkStart[r]; s < connections.sinkStart[r + 1]; s++) {
        const tree: Tree = { node: [connections.source[r]], parent: [-1], delayPs: [0] };
        let node = this.search(tree, s, connections.isClock[r] === 1, null);
        pin[s] = node;
        for (; node >= 0 && node !== connections.source[r]; node = this.back[node]) wirePs[s] += this.nodePs[node];
      }
    return { wirePs, pin };
  }
  /** As routed: [S] ps, and the pin. */
  routedDelays(): ConnectionDelays {
    const { connections, reached } = this;
    const wirePs = new Float64Array(reached.length);
    const pin = new Int32Array(reached.length);
    for (let r = 0; r < connections.net.length; r++)
      for (let s = connections.sinkStart[r]; s < connections.sinkStart[r + 1]; s++) {
        wirePs[s] = this.trees[r].delayPs[reached[s]];
        pin[s] = this.trees[r].node[reached[s]];
      }
    return { wirePs, pin };
  }

  private finish(): RoutedDesign {
    const { netlist, connections } = this;
    const netStart = new Int32Array(netlist.netCount + 1);
    const pinNode = new Int32Array(netlist.inputNet.length).fill(-1);
    const routeOf = new Int32Array(netlist.netCount).fill(-1);
    for (let r = 0; r < connections.net.length; r++) {
      const tree = this.trees[r];
      routeOf[connections.net[r]] = r;
      netStart[connections.net[r] + 1] = tree.node.length;
      for (let s = connections.sinkStart[r]; s < connections.sinkStart[r + 1]; s++)
        for (let i = connections.slotStart[s]; i < connections.slotStart[s + 1]; i++)
          pinNode[connections.slot[i]] = tree.node[this.reached[s]];
    }
    for (let net = 0; net < netlist.netCount; net++) netStart[net + 1] += netStart[net];
    const treeNode = new Int32Array(netStart[netlist.netCount]);
    const treeParent = new Int32Array(treeNode.length);
    for (let net = 0; net < netlist.netCount; net++) {
      if (routeOf[net] < 0) continue;
      treeNode.set(this.trees[routeOf[net]].node, netStart[net]);
      treeParent.set(this.trees[routeOf[net]].parent, netStart[net]);
    }
    let wiresUsed = 0;
    for (const node of treeNode) if (this.part.graph.nodeKind[node] === nodeKind.wire) wiresUsed++;
    return { netStart, treeNode, treeParent, pinNode, iterations: this.iterations, wiresUsed };
  }

  private nameOf(r: number): string {
    return this.netlist.netName[this.connections.net[r]];
  }

  private unreachable(r: number): Finding {
    return {
      code: "route/unreachable",
      severity: "error",
      place: { object: this.nameOf(r) },
      message: `Net '${this.nameOf(r)}' cannot reach all of its pins from ${nodeName(this.part, this.connections.source[r])}.`,
      remedy: "Move its pin, or free the wires around it.",
    };
  }

  private congestion(): Finding {
    const over: number[] = [];
    this.occupancy.forEach((count, node) => {
      if (count > 1) over.push(node);
    });
    const nets: string[] = [];
    for (let r = 0; r < this.trees.length; r++) if (this.isCongested(r)) nets.push(this.nameOf(r));
    return congestionFinding(this.part, over, nets);
  }
}

/** More slack, or without goals a shorter longest path. */
function isAhead(a: Standing, b: Standing): boolean {
  return a.slackPs !== null && b.slackPs !== null ? a.slackPs > b.slackPs + 0.5 : a.longestPs < b.longestPs - 0.5;
}

function figureOf({ slackPs, longestPs }: Standing): string {
  return slackPs === null ? `${(longestPs / 1000).toFixed(3)} ns` : `slack ${(slackPs / 1000).toFixed(3)} ns`;
}
