import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import { blockPinAt } from "../device/blocks/registry.ts";
import { Delays, nodeName, type Part } from "../device/part.ts";
import { nodeKind } from "../device/tile-pattern.ts";
import { BinaryHeap } from "../layout/heap.ts";
import type { PackedDesign, PlacedDesign, RoutedDesign } from "../layout/layout.ts";
import { lookaheadFor } from "../layout/lookahead.ts";
import { cellKind, clockSlots, ffPin, type LayoutNetlist, padPin } from "../netlist/mapped.ts";
import {
  buildTimingGraph,
  criticalities,
  internalSlots,
  ownerOfSlots,
  setFixedArcs,
  startDelays,
} from "../timing/timing-graph.ts";

export interface RouteOptions {
  readonly maxIterations: number;
}

/** One pin, or one of several that serve alike (the inputs of a LUT), to be reached by a net. */
interface Sink {
  readonly nodes: readonly number[];
  readonly tile: number;
  readonly slots: number[];
  critical: number;
  reached: number;
}
interface Route {
  readonly net: number;
  readonly source: number;
  readonly sinks: Sink[];
  nodes: number[];
  parents: number[];
  readonly isClock: boolean;
}

const maxCritical = 0.98;
const firstPressure = 0.6;
const pressureGrowth = 1.35;
const pressureCap = 60;

/**
 * Negotiated congestion (McMurchie and Ebeling 1995, PathFinder) with A* towards each sink, timing-driven: a connection
 * as critical as c pays c times delay and 1 - c times congestion. Each node may carry one net.
 */
export function route(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  placed: PlacedDesign,
  part: Part,
  goalPs: Float64Array,
  options: RouteOptions,
  context: StageContext,
): StageResult<RoutedDesign> {
  const router = new Router(netlist, packed, placed, part, goalPs, context);
  return router.run(options);
}

class Router {
  private readonly occupancy: Uint16Array;
  private readonly history: Float32Array;
  private readonly nodePs: Float32Array;
  private readonly routes: Route[];
  private readonly heap = new BinaryHeap(1 << 14);
  private readonly pathCost: Float64Array;
  private readonly backNode: Int32Array;
  private readonly stamp: Int32Array;
  private readonly goalStamp: Int32Array;
  private readonly treeAt: Int32Array;
  private readonly treeStamp: Int32Array;
  private epoch = 0;
  private treeEpoch = 0;
  private pressure = firstPressure;
  private readonly lookahead;

  constructor(
    private readonly netlist: LayoutNetlist,
    private readonly packed: PackedDesign,
    private readonly placed: PlacedDesign,
    private readonly part: Part,
    private readonly goalPs: Float64Array,
    private readonly context: StageContext,
  ) {
    const n = part.graph.nodeCount;
    this.occupancy = new Uint16Array(n);
    this.history = new Float32Array(n);
    this.nodePs = new Delays(part, "slow-hot").nodePs();
    this.pathCost = new Float64Array(n);
    this.backNode = new Int32Array(n);
    this.stamp = new Int32Array(n);
    this.goalStamp = new Int32Array(n);
    this.treeAt = new Int32Array(n);
    this.treeStamp = new Int32Array(n);
    this.lookahead = lookaheadFor(part);
    this.routes = this.collectRoutes();
  }

  private local(tile: number, name: string): number {
    return this.part.graph.tileFirst[tile] + this.part.fabric.pattern(tile).byName.get(name)!;
  }

  private collectRoutes(): Route[] {
    const { netlist, packed, placed, part } = this;
    const { fabric, family } = part;
    const owner = ownerOfSlots(netlist);
    const tileOf = (cell: number) => placed.clusterTile[packed.elementCluster[packed.cellElement[cell]]];
    const slotOf = (cell: number) => packed.elementSlot[packed.cellElement[cell]];
    const internal = internalSlots(netlist, packed);
    const isClockSlot = clockSlots(netlist);
    const blockNode = (cell: number, pin: number, direction: "inputs" | "outputs") => {
      const block = packed.cellBlock[cell];
      const { row, name } = blockPinAt(family, netlist.blocks[block].modes.type, direction, pin);
      const tile = placed.blockTile[block] + row * fabric.width;
      return { tile, node: this.local(tile, name) };
    };
    const sinksByNet = new Map<number, Map<number, Sink>>();
    for (let slot = 0; slot < netlist.inputNet.length; slot++) {
      const net = netlist.inputNet[slot];
      if (net < 0 || internal[slot]) continue;
      const cell = owner[slot];
      const pin = slot - netlist.inputStart[cell];
      let nodes: number[];
      let tile: number;
      if (netlist.kind[cell] === cellKind.outputPad) {
        const pad = fabric.pads[packed.cellPad[cell]];
        tile = pad.tile;
        nodes = [this.local(tile, `${pin === padPin.enable ? "OE" : "OUT"}${pad.index}`)];
      } else if (packed.cellPad[cell] >= 0) {
        const pad = fabric.pads[packed.cellPad[cell]];
        tile = pad.tile;
        nodes = [this.local(tile, pin === ffPin.clock ? "CLK" : `OUT${pad.index}`)];
      } else if (netlist.kind[cell] === cellKind.block) {
        const found = blockNode(cell, pin, "inputs");
        tile = found.tile;
        nodes = [found.node];
      } else {
        tile = tileOf(cell);
        const e = slotOf(cell);
        if (netlist.kind[cell] === cellKind.lut) {
          const first = this.local(tile, `L${e}.0`);
          nodes = Array.from({ length: family.lutInputs }, (_, i) => first + i);
        } else if (netlist.kind[cell] === cellKind.carryMux) nodes = [this.local(tile, `B${e}`)];
        else if (pin === ffPin.clock) nodes = [this.local(tile, "CLK")];
        else if (pin === ffPin.d) nodes = [this.local(tile, `B${e}`)];
        else {
          const group = Math.floor(e / family.elementsPerGroup);
          nodes = [this.local(tile, pin === ffPin.enable ? `EN${group}` : `SR${group}`)];
        }
      }
      let sinks = sinksByNet.get(net);
      if (!sinks) {
        sinks = new Map();
        sinksByNet.set(net, sinks);
      }
      const known = sinks.get(nodes[0]);
      if (known) known.slots.push(slot);
      else sinks.set(nodes[0], { nodes, tile, slots: [slot], critical: 0, reached: -1 });
    }
    const routes: Route[] = [];
    for (const [net, sinks] of [...sinksByNet].sort((a, b) => a[0] - b[0])) {
      const driver = netlist.netDriver[net];
      let source: number;
      if (packed.cellPad[driver] >= 0) {
        // a pad, or the register in it
        const pad = fabric.pads[packed.cellPad[driver]];
        source = this.local(pad.tile, `IN${pad.index}`);
      } else if (netlist.kind[driver] === cellKind.blockOutput)
        source = blockNode(driver, netlist.modes[driver], "outputs").node;
      else {
        const e = slotOf(driver);
        source = this.local(tileOf(driver), netlist.kind[driver] === cellKind.flipFlop ? `Q${e}` : `O${e}`);
      }
      const isClock = [...sinks.values()].some((sink) => sink.slots.some((slot) => isClockSlot[slot] === 1));
      routes.push({ net, source, sinks: [...sinks.values()], nodes: [], parents: [], isClock });
    }
    // nets with many sinks are hardest to move: route them first
    return routes.sort(
      (a, b) => Number(b.isClock) - Number(a.isClock) || b.sinks.length - a.sinks.length || a.net - b.net,
    );
  }

  run(options: RouteOptions): StageResult<RoutedDesign> {
    const { netlist, context } = this;
    const graph = buildTimingGraph(netlist);
    const delays = new Delays(this.part, "slow-hot");
    const critical = new Float32Array(netlist.inputNet.length);
    const startPs = startDelays(netlist, delays);
    let least = Infinity;
    let worstPs = 0;
    for (let iteration = 1; iteration <= options.maxIterations; iteration++) {
      for (const item of this.routes) {
        if (iteration > 1 && !this.isCongested(item)) continue;
        context.checkCancelled();
        this.ripUp(item);
        if (!this.routeNet(item)) return { artifact: null, findings: [this.unreachable(item)] };
      }
      const over = this.countOverused();
      const arcs = this.arcDelays(delays);
      worstPs = criticalities(graph, arcs, startPs, this.goalPs, critical).worstPs;
      least = Math.min(least, over);
      context.progress({
        fraction: over === 0 ? 1 : Math.min(0.95, 0.3 + 0.65 * (1 - over / Math.max(over, 400))),
        figure: over ? `${over} wires shared, ${(worstPs / 1000).toFixed(3)} ns` : `${(worstPs / 1000).toFixed(3)} ns`,
      });
      if (over === 0) return { artifact: this.finish(iteration), findings: [] };
      for (const item of this.routes)
        for (const sink of item.sinks)
          sink.critical = sink.slots.reduce((most, slot) => Math.max(most, critical[slot]), 0);
      for (let node = 0; node < this.occupancy.length; node++)
        if (this.occupancy[node] > 1) this.history[node] += (this.occupancy[node] - 1) * 0.7;
      this.pressure = Math.min(pressureCap, this.pressure * pressureGrowth);
    }
    return { artifact: null, findings: [this.congestion()] };
  }

  private isCongested(item: Route): boolean {
    for (const node of item.nodes) if (this.occupancy[node] > 1) return true;
    return false;
  }

  private ripUp(item: Route): void {
    for (const node of item.nodes) this.occupancy[node]--;
    item.nodes = [];
    item.parents = [];
  }

  private routeNet(item: Route): boolean {
    const tree = ++this.treeEpoch;
    item.nodes.push(item.source);
    item.parents.push(-1);
    this.occupancy[item.source]++;
    this.treeStamp[item.source] = tree;
    this.treeAt[item.source] = 0;
    const delay: number[] = [0]; // from the source to the end of each tree node
    const sinks = [...item.sinks].sort(
      (a, b) => b.critical - a.critical || this.distance(item, b) - this.distance(item, a),
    );
    for (const sink of sinks) {
      const found = this.search(item, sink, delay);
      if (found < 0) return false;
      sink.reached = found;
      // back to the tree
      const path: number[] = [];
      let node = found;
      while (this.treeStamp[node] !== tree) {
        path.push(node);
        node = this.backNode[node];
      }
      for (let i = path.length - 1; i >= 0; i--) {
        const next = path[i];
        const parent = this.treeAt[node];
        item.nodes.push(next);
        item.parents.push(parent);
        delay.push(delay[parent] + this.nodePs[next]);
        this.treeStamp[next] = tree;
        this.treeAt[next] = item.nodes.length - 1;
        this.occupancy[next]++;
        node = next;
      }
    }
    return true;
  }

  private distance(item: Route, sink: Sink): number {
    const { fabric, graph } = this.part;
    const tile = graph.nodeTile[item.source];
    return (
      Math.abs(fabric.tileX(tile) - fabric.tileX(sink.tile)) + Math.abs(fabric.tileY(tile) - fabric.tileY(sink.tile))
    );
  }

  /** A* from the whole tree to one of the sink's pins. @returns The pin reached, -1 if there is no way. */
  private search(item: Route, sink: Sink, treeDelay: readonly number[]): number {
    const { graph, fabric } = this.part;
    const { fanoutStart, fanoutNode, nodeTile, wireClass } = graph;
    const kinds = graph.nodeKind;
    const { heap, pathCost, backNode, stamp, goalStamp, occupancy, history, nodePs, pressure } = this;
    const epoch = ++this.epoch;
    for (const node of sink.nodes) goalStamp[node] = epoch;
    const critical = Math.min(maxCritical, sink.critical);
    const other = 1 - critical;
    const { width } = fabric;
    const tx = sink.tile % width;
    const ty = (sink.tile / width) | 0;
    const { ps, rows, columns, offsetX, offsetY } = this.lookahead;
    const { isClock } = item;
    const clockPin = isClock && sink.nodes.length === 1;
    const expect = (node: number): number => {
      const kind = kinds[node];
      if (kind === nodeKind.input || kind >= nodeKind.globalClock) return 0;
      // a clock search must not be drawn away from the clock network, which no distance describes
      if (clockPin) return 0;
      const at = kind === nodeKind.wire ? wireClass[node] : 4 * this.part.family.wires.length;
      const tile = nodeTile[node];
      return ps[(at * rows + ty - ((tile / width) | 0) + offsetY) * columns + tx - (tile % width) + offsetX];
    };
    heap.clear();
    item.nodes.forEach((node, i) => {
      if (kinds[node] === nodeKind.input) return;
      const cost = critical * treeDelay[i];
      stamp[node] = epoch;
      pathCost[node] = cost;
      backNode[node] = -1;
      heap.push(cost + expect(node), node);
    });
    while (heap.size) {
      const node = heap.pop();
      if (goalStamp[node] === epoch) return node;
      const here = pathCost[node];
      if (here < 0) continue; // already expanded
      pathCost[node] = -1 - here;
      const end = fanoutStart[node + 1];
      for (let e = fanoutStart[node]; e < end; e++) {
        const next = fanoutNode[e];
        const kind = kinds[next];
        if (kind === nodeKind.input) {
          if (goalStamp[next] !== epoch) continue;
        } else if (kind >= nodeKind.globalClock && !isClock) continue;
        if (stamp[next] === epoch && pathCost[next] < 0) continue;
        const delay = nodePs[next];
        // dedicated clock nodes are there to be used: price them low
        const base = kind >= nodeKind.globalClock ? 20 : delay;
        const crowd = base * (1 + history[next]) * (1 + occupancy[next] * pressure);
        const cost = here + (clockPin ? crowd : critical * delay + other * crowd);
        if (stamp[next] === epoch && pathCost[next] <= cost) continue;
        stamp[next] = epoch;
        pathCost[next] = cost;
        backNode[next] = node;
        heap.push(cost + expect(next), next);
      }
    }
    return -1;
  }

  private countOverused(): number {
    let over = 0;
    for (const count of this.occupancy) if (count > 1) over++;
    return over;
  }

  private arcDelays(delays: Delays): { netPs: Float32Array; lutPs: Float32Array } {
    const netPs = new Float32Array(this.netlist.inputNet.length);
    const lutPs = new Float32Array(this.netlist.inputNet.length);
    setFixedArcs(this.netlist, delays, lutPs);
    for (const item of this.routes) {
      const delay = new Float64Array(item.nodes.length);
      item.nodes.forEach((node, i) => {
        delay[i] = item.parents[i] < 0 ? 0 : delay[item.parents[i]] + this.nodePs[node];
      });
      const at = new Map(item.nodes.map((node, i) => [node, i]));
      for (const sink of item.sinks) {
        for (const slot of sink.slots) {
          netPs[slot] = delay[at.get(sink.reached)!];
          if (sink.nodes.length > 1) lutPs[slot] = delays.lutPs(sink.reached - sink.nodes[0]);
        }
      }
    }
    return { netPs, lutPs };
  }

  private finish(iterations: number): RoutedDesign {
    const { netlist } = this;
    const netStart = new Int32Array(netlist.netCount + 1);
    const pinNode = new Int32Array(netlist.inputNet.length).fill(-1);
    const byNet = [...this.routes].sort((a, b) => a.net - b.net);
    for (const item of byNet) {
      netStart[item.net + 1] = item.nodes.length;
      for (const sink of item.sinks) for (const slot of sink.slots) pinNode[slot] = sink.reached;
    }
    for (let net = 0; net < netlist.netCount; net++) netStart[net + 1] += netStart[net];
    const treeNode = Int32Array.from(byNet.flatMap((item) => item.nodes));
    let wiresUsed = 0;
    for (const node of treeNode) if (this.part.graph.nodeKind[node] === nodeKind.wire) wiresUsed++;
    return {
      netStart,
      treeNode,
      treeParent: Int32Array.from(byNet.flatMap((item) => item.parents)),
      pinNode,
      iterations,
      wiresUsed,
    };
  }

  private unreachable(item: Route): Finding {
    return {
      code: "route/unreachable",
      severity: "error",
      place: { object: this.netlist.netName[item.net] },
      message: `Net '${this.netlist.netName[item.net]}' cannot reach all of its pins from ${nodeName(this.part, item.source)}.`,
      remedy: "Move its pin, or free the wires around it.",
    };
  }

  private congestion(): Finding {
    const over: number[] = [];
    this.occupancy.forEach((count, node) => {
      if (count > 1) over.push(node);
    });
    const names = over.slice(0, 8).map((node) => nodeName(this.part, node));
    const nets = new Set<string>();
    for (const item of this.routes) if (this.isCongested(item)) nets.add(this.netlist.netName[item.net]);
    return {
      code: "route/congested",
      severity: "error",
      place: { object: [...nets][0] },
      message: `${over.length} wire(s) are still wanted by more than one net: ${names.join(", ")}${over.length > 8 ? " ..." : ""}. Nets: ${[...nets].slice(0, 8).join(", ")}${nets.size > 8 ? ` and ${nets.size - 8} more` : ""}.`,
      remedy: "Try another seed, spread the design, or choose a larger part.",
    };
  }
}
