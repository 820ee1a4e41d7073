import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import { blockOf, listBlocks } from "../device/blocks/registry.ts";
import { Delays, type Part } from "../device/part.ts";
import type { PackedDesign, PlacedDesign } from "../layout/layout.ts";
import { type Lookahead, lookaheadFor } from "../layout/lookahead.ts";
import { clockSlots, type LayoutNetlist } from "../netlist/mapped.ts";
import {
  buildTimingGraph,
  criticalities,
  internalSlots,
  ownerOfSlots,
  setFixedArcs,
  startDelays,
} from "../timing/timing-graph.ts";

export interface PlaceOptions {
  /** Moves a temperature, as a multiple of (clusters)^(4/3). */
  readonly effort: number;
  /** Share of timing in the cost, 0 to 1. */
  readonly timingWeight: number;
}

const criticalExponentMax = 8;

/**
 * Timing-driven simulated annealing of clusters on logic tiles: adaptive schedule and range limit of Betz and Rose 1997,
 * path-timing cost of Marquardt, Betz and Rose 2000 (FPGA). Pads are fixed by the pin plan.
 */
export function place(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  part: Part,
  goalPs: Float64Array,
  options: PlaceOptions,
  context: StageContext,
): StageResult<PlacedDesign> {
  if (packed.clusterCount + netlist.blocks.length === 0)
    return {
      artifact: { clusterTile: new Int32Array(0), blockTile: new Int32Array(0), wirelength: 0, estimatedPs: 0 },
      findings: [],
    };
  const annealer = new Annealer(netlist, packed, part, goalPs, options, context);
  if (!annealer.startPlacement()) {
    const tallest = Math.max(...annealer.stackHeights());
    const finding: Finding = {
      code: "place/no-column",
      severity: "error",
      place: { object: netlist.top },
      message: `The carry chains of the design do not find enough free columns in ${part.name}; the longest spans ${tallest} tiles of ${part.die.rows}.`,
      remedy: "Shorten the widest sums and counters, or choose a larger part.",
    };
    return { artifact: null, findings: [finding] };
  }
  return { artifact: annealer.run(), findings: [] };
}

class Annealer {
  private readonly blockCount: number;
  /** Clusters and hard blocks: what moves. */
  private readonly movableCount: number;
  private readonly sites: ReadonlyMap<string, readonly number[]>;
  private readonly startPs: Float64Array;
  /** [blocks] Clusters first, then hard blocks, then pads. */
  private readonly x: Int16Array;
  private readonly y: Int16Array;
  /** [tiles] Cluster on a tile, -1 if empty. */
  private readonly clusterAt: Int32Array;
  private readonly netStart: Int32Array;
  private readonly netBlocks: Int32Array;
  private readonly netCost: Float64Array;
  private readonly blockNetStart: Int32Array;
  private readonly blockNets: Int32Array;
  // connections: one for each driver-sink pin pair between different blocks
  private readonly connFrom: Int32Array;
  private readonly connTo: Int32Array;
  private readonly connSlot: Int32Array;
  private readonly connWeight: Float64Array;
  private readonly connCost: Float64Array;
  private readonly blockConnStart: Int32Array;
  private readonly blockConns: Int32Array;
  private readonly lookahead: Lookahead;
  private readonly delays: Delays;
  private readonly graph;
  private readonly slotCount: number;
  private readonly delayBase: number;
  private readonly internalPs: number;

  /** [input pin slots] */
  private readonly internal: Uint8Array;
  /** Clusters that a carry chain ties together, from the foot up; they move as one. */
  private readonly stacks: number[][] = [];
  /** [clusters] Its stack, -1 for none. */
  private readonly stackOf: Int32Array;
  private readonly netStamp: Int32Array;
  private readonly connStamp: Int32Array;
  private stamp = 0;
  private readonly touchedNets: number[] = [];
  private readonly touchedConns: number[] = [];
  private wireCost = 0;
  private timingCost = 0;
  private readonly logicColumns: number[];

  constructor(
    private readonly netlist: LayoutNetlist,
    private readonly packed: PackedDesign,
    private readonly part: Part,
    private readonly goalPs: Float64Array,
    private readonly options: PlaceOptions,
    private readonly context: StageContext,
  ) {
    const { fabric } = part;
    this.lookahead = lookaheadFor(part);
    this.delays = new Delays(part, "slow-hot");
    this.graph = buildTimingGraph(netlist);
    this.slotCount = netlist.inputNet.length;
    this.delayBase = (this.lookahead.classes - 1) * this.lookahead.rows * this.lookahead.columns;
    this.internalPs = this.estimate(0, 0);
    this.logicColumns = [...new Set(fabric.logicTiles.map((tile) => fabric.tileX(tile)))].sort((a, b) => a - b);

    this.stackOf = new Int32Array(packed.clusterCount).fill(-1);
    const isUpper = new Uint8Array(packed.clusterCount);
    for (const above of packed.clusterAbove) if (above >= 0) isUpper[above] = 1;
    for (let c = 0; c < packed.clusterCount; c++) {
      if (isUpper[c] || packed.clusterAbove[c] < 0) continue;
      const stack: number[] = [];
      for (let at = c; at >= 0; at = packed.clusterAbove[at]) stack.push(at);
      for (const at of stack) this.stackOf[at] = this.stacks.length;
      this.stacks.push(stack);
    }

    // blocks
    const padBlock = new Map<number, number>();
    this.movableCount = packed.clusterCount + netlist.blocks.length;
    this.sites = new Map(listBlocks().map(({ type }) => [type, fabric.blockSites(type)]));
    this.startPs = startDelays(netlist, this.delays);
    let blocks = this.movableCount;
    for (let cell = 0; cell < netlist.cellCount; cell++) if (packed.cellPad[cell] >= 0) padBlock.set(cell, blocks++);
    this.blockCount = blocks;
    this.x = new Int16Array(blocks);
    this.y = new Int16Array(blocks);
    for (const [cell, block] of padBlock) {
      const tile = fabric.pads[packed.cellPad[cell]].tile;
      this.x[block] = fabric.tileX(tile);
      this.y[block] = fabric.tileY(tile);
    }
    this.clusterAt = new Int32Array(fabric.tileCount).fill(-1);
    const blockOf = (cell: number) =>
      padBlock.get(cell) ??
      (packed.cellBlock[cell] >= 0
        ? packed.clusterCount + packed.cellBlock[cell]
        : packed.elementCluster[packed.cellElement[cell]]);

    // nets and connections; clocks travel on their own network
    const owner = ownerOfSlots(netlist);
    this.internal = internalSlots(netlist, packed);
    const isClock = clockSlots(netlist);
    const members: Set<number>[] = Array.from({ length: netlist.netCount }, () => new Set());
    const from: number[] = [];
    const to: number[] = [];
    const slots: number[] = [];
    for (let slot = 0; slot < this.slotCount; slot++) {
      const net = netlist.inputNet[slot];
      if (net < 0 || this.internal[slot] || isClock[slot]) continue;
      const source = blockOf(netlist.netDriver[net]);
      const sink = blockOf(owner[slot]);
      members[net].add(source).add(sink);
      if (source === sink) continue;
      from.push(source);
      to.push(sink);
      slots.push(slot);
    }
    this.connFrom = Int32Array.from(from);
    this.connTo = Int32Array.from(to);
    this.connSlot = Int32Array.from(slots);
    this.connWeight = new Float64Array(slots.length);
    this.connCost = new Float64Array(slots.length);
    const used = members.filter((set) => set.size > 1);
    this.netStart = new Int32Array(used.length + 1);
    used.forEach((set, n) => {
      this.netStart[n + 1] = this.netStart[n] + set.size;
    });
    this.netBlocks = Int32Array.from(used.flatMap((set) => [...set]));
    this.netCost = new Float64Array(used.length);
    [this.blockNetStart, this.blockNets] = invert(this.blockCount, used.length, (n, each) => used[n].forEach(each));
    [this.blockConnStart, this.blockConns] = invert(this.blockCount, slots.length, (c, each) => {
      each(from[c]);
      each(to[c]);
    });
    this.netStamp = new Int32Array(used.length);
    this.connStamp = new Int32Array(slots.length);
  }

  /** Estimated delay between tiles, from an output pin to an input pin, in ps. */
  private estimate(dx: number, dy: number): number {
    const { lookahead } = this;
    return lookahead.ps[this.delayBase + (dy + lookahead.offsetY) * lookahead.columns + dx + lookahead.offsetX];
  }

  stackHeights(): number[] {
    return this.stacks.map((stack) => stack.length);
  }

  run(): PlacedDesign {
    const clusters = this.movableCount;
    const movesPer = Math.max(400, Math.round(this.options.effort * clusters ** (4 / 3)));
    const widest = Math.max(this.part.fabric.width, this.part.fabric.height);
    let range = widest;
    let exponent = 1;
    let worst = this.updateTiming(exponent);
    this.fullCost();

    // first temperature: 20 standard deviations of the cost of random moves
    const deltas: number[] = [];
    const tries = Math.min(200, Math.max(20, clusters));
    for (let i = 0; i < tries; i++) {
      const delta = this.tryMove(range, Infinity);
      if (delta !== null) deltas.push(delta);
    }
    const mean = deltas.reduce((sum, d) => sum + d, 0) / Math.max(1, deltas.length);
    const spread = Math.sqrt(deltas.reduce((sum, d) => sum + (d - mean) ** 2, 0) / Math.max(1, deltas.length));
    let temperature = 20 * spread;
    const netCount = Math.max(1, this.netCost.length);
    let bestTiles = this.snapshot();
    let bestScore = Infinity;

    for (let round = 0; round < 400 && temperature > 0; round++) {
      this.context.checkCancelled();
      worst = this.updateTiming(exponent);
      this.fullCost();
      let accepted = 0;
      let tried = 0;
      for (let move = 0; move < movesPer; move++) {
        const delta = this.tryMove(range, temperature);
        if (delta === null) continue;
        tried++;
        if (this.lastAccepted) accepted++;
      }
      const rate = tried ? accepted / tried : 0;
      temperature *= rate > 0.96 ? 0.5 : rate > 0.8 ? 0.9 : rate > 0.15 ? 0.95 : 0.8;
      range = Math.max(1, Math.min(widest, range * (1 - 0.44 + rate)));
      exponent = 1 + (criticalExponentMax - 1) * (1 - (range - 1) / Math.max(1, widest - 1));
      this.context.progress({
        fraction: Math.min(0.99, 1 - ((range - 1) / Math.max(1, widest - 1)) * 0.7 - Math.max(0, rate - 0.02) * 0.3),
        figure: `${(worst / 1000).toFixed(3)} ns estimated`,
      });
      // cost is normalised: stop when a move matters less than a small share of a net
      if (temperature < 0.005 / netCount) break;
      const score = this.wireCost * worst;
      if (rate < 0.3 && score < bestScore) {
        bestScore = score;
        bestTiles = this.snapshot();
      }
    }
    // greedy end
    worst = this.updateTiming(exponent);
    this.fullCost();
    for (let move = 0; move < movesPer; move++) this.tryMove(2, 0);
    worst = this.updateTiming(exponent);
    this.recountWire();
    if (this.wireCost * worst > bestScore) {
      this.restore(bestTiles);
      worst = this.updateTiming(exponent);
      this.recountWire();
    }
    const tiles = this.snapshot();
    return {
      clusterTile: tiles.slice(0, this.packed.clusterCount),
      blockTile: tiles.slice(this.packed.clusterCount),
      wirelength: this.wireCost,
      estimatedPs: worst,
    };
  }

  private snapshot(): Int32Array {
    const { fabric } = this.part;
    return Int32Array.from({ length: this.movableCount }, (_, c) => this.y[c] * fabric.width + this.x[c]);
  }

  private restore(tiles: Int32Array): void {
    this.clusterAt.fill(-1);
    tiles.forEach((tile, c) => this.put(c, tile));
  }

  private put(cluster: number, tile: number): void {
    this.x[cluster] = this.part.fabric.tileX(tile);
    this.y[cluster] = this.part.fabric.tileY(tile);
    this.clusterAt[tile] = cluster;
  }

  /** Stacks, tallest first, in columns with room; then all others at random. False if a stack finds no room. */
  startPlacement(): boolean {
    const { random } = this.context;
    const { fabric } = this.part;
    const shuffle = <T>(list: T[]) => {
      for (let i = list.length - 1; i > 0; i--) {
        const j = random.below(i + 1);
        [list[i], list[j]] = [list[j], list[i]];
      }
      return list;
    };
    for (const stack of [...this.stacks].sort((a, b) => b.length - a.length)) {
      // from the foot of a random column up: holes between stacks would be lost to other stacks
      const foot = shuffle([...this.logicColumns])
        .flatMap((x) => Array.from({ length: fabric.height - 1 - stack.length }, (_, i) => (1 + i) * fabric.width + x))
        .find((tile) => stack.every((_, i) => this.clusterAt[tile + i * fabric.width] < 0));
      if (foot === undefined) return false;
      stack.forEach((cluster, i) => this.put(cluster, foot + i * fabric.width));
    }
    for (const { type } of listBlocks()) {
      const sites = this.sites.get(type)!;
      const taken = new Set([...this.packed.blockSite].filter((_, b) => this.netlist.blocks[b].modes.type === type));
      const free = sites.filter((_, i) => !taken.has(i));
      this.netlist.blocks.forEach((block, b) => {
        if (block.modes.type !== type || !blockOf(block.modes).stays) return;
        const own = this.packed.blockSite[b];
        // two kinds share the corners, and stay: their clocks go everywhere alike
        const tile = own >= 0 ? sites[own] : free.shift()!;
        this.x[this.packed.clusterCount + b] = tile % fabric.width;
        this.y[this.packed.clusterCount + b] = (tile / fabric.width) | 0;
      });
      shuffle(free);
      this.netlist.blocks.forEach((block, b) => {
        if (block.modes.type === type && !blockOf(block.modes).stays)
          this.put(this.packed.clusterCount + b, free.pop()!);
      });
    }
    const tiles = shuffle(fabric.logicTiles.filter((tile) => this.clusterAt[tile] < 0));
    let next = 0;
    for (let c = 0; c < this.packed.clusterCount; c++) if (this.stackOf[c] < 0) this.put(c, tiles[next++]);
    return true;
  }

  /** New criticalities from the placement as it is. @returns The longest path, in ps. */
  private updateTiming(exponent: number): number {
    const netPs = new Float32Array(this.slotCount).fill(this.internalPs);
    const lutPs = new Float32Array(this.slotCount).fill(this.delays.lutPs(2));
    for (let c = 0; c < this.connSlot.length; c++) {
      const a = this.connFrom[c];
      const b = this.connTo[c];
      netPs[this.connSlot[c]] = this.estimate(this.x[b] - this.x[a], this.y[b] - this.y[a]);
    }
    for (let slot = 0; slot < this.slotCount; slot++) if (this.internal[slot]) netPs[slot] = 0;
    setFixedArcs(this.netlist, this.delays, lutPs);
    const critical = new Float32Array(this.slotCount);
    const { worstPs } = criticalities(this.graph, { netPs, lutPs }, this.startPs, this.goalPs, critical);
    for (let c = 0; c < this.connSlot.length; c++) this.connWeight[c] = critical[this.connSlot[c]] ** exponent;
    return worstPs;
  }

  private netBox(net: number): number {
    let x0 = 32767;
    let x1 = 0;
    let y0 = 32767;
    let y1 = 0;
    const end = this.netStart[net + 1];
    const { netBlocks, x, y } = this;
    for (let i = this.netStart[net]; i < end; i++) {
      const block = netBlocks[i];
      const bx = x[block];
      const by = y[block];
      if (bx < x0) x0 = bx;
      if (bx > x1) x1 = bx;
      if (by < y0) y0 = by;
      if (by > y1) y1 = by;
    }
    return x1 - x0 + y1 - y0;
  }

  private recountWire(): void {
    this.wireCost = 0;
    for (let net = 0; net < this.netCost.length; net++) {
      this.netCost[net] = this.netBox(net);
      this.wireCost += this.netCost[net];
    }
  }

  private fullCost(): void {
    this.recountWire();
    this.timingCost = 0;
    for (let c = 0; c < this.connSlot.length; c++) {
      this.connCost[c] = this.connectionCost(c);
      this.timingCost += this.connCost[c];
    }
    this.wireScale = (1 - this.options.timingWeight) / Math.max(1e-9, this.wireCost);
    this.timingScale = this.options.timingWeight / Math.max(1e-9, this.timingCost);
  }
  private wireScale = 1;
  private timingScale = 1;
  private lastAccepted = false;

  private connectionCost(c: number): number {
    const a = this.connFrom[c];
    const b = this.connTo[c];
    return this.connWeight[c] * this.estimate(this.x[b] - this.x[a], this.y[b] - this.y[a]);
  }

  private touch(block: number): void {
    const { stamp } = this;
    for (let i = this.blockNetStart[block]; i < this.blockNetStart[block + 1]; i++) {
      const net = this.blockNets[i];
      if (this.netStamp[net] !== stamp) {
        this.netStamp[net] = stamp;
        this.touchedNets.push(net);
      }
    }
    for (let i = this.blockConnStart[block]; i < this.blockConnStart[block + 1]; i++) {
      const conn = this.blockConns[i];
      if (this.connStamp[conn] !== stamp) {
        this.connStamp[conn] = stamp;
        this.touchedConns.push(conn);
      }
    }
  }

  // the move at hand: clusters, and the tiles they leave and take
  private readonly moved: number[] = [];
  private readonly leaves: number[] = [];
  private readonly takes: number[] = [];

  /**
   * Moves a random cluster, with its stack, to tiles within range, and what is there to the tiles that become free.
   * @returns Cost change, null if nothing was tried.
   */
  private tryMove(range: number, temperature: number): number | null {
    const { random } = this.context;
    this.lastAccepted = false;
    const cluster = random.below(this.movableCount);
    const reach = Math.max(1, Math.floor(range));
    const isBlock = cluster >= this.packed.clusterCount;
    if (!(isBlock ? this.planBlockMove(cluster) : this.planMove(cluster, reach))) return null;
    const { moved, leaves, takes } = this;
    this.stamp++;
    this.touchedNets.length = 0;
    this.touchedConns.length = 0;
    for (let i = 0; i < moved.length; i++) {
      this.touch(moved[i]);
      this.clusterAt[leaves[i]] = -1;
    }
    for (let i = 0; i < moved.length; i++) this.put(moved[i], takes[i]);
    let wire = 0;
    for (const net of this.touchedNets) wire += this.netBox(net) - this.netCost[net];
    let timing = 0;
    for (const conn of this.touchedConns) timing += this.connectionCost(conn) - this.connCost[conn];
    const delta = wire * this.wireScale + timing * this.timingScale;
    if (delta <= 0 || (temperature > 0 && random.float() < Math.exp(-delta / temperature))) {
      for (const net of this.touchedNets) this.netCost[net] = this.netBox(net);
      for (const conn of this.touchedConns) this.connCost[conn] = this.connectionCost(conn);
      this.wireCost += wire;
      this.timingCost += timing;
      this.lastAccepted = true;
      return delta;
    }
    for (let i = 0; i < moved.length; i++) this.clusterAt[takes[i]] = -1;
    for (let i = 0; i < moved.length; i++) this.put(moved[i], leaves[i]);
    return delta;
  }

  /** Hard blocks are few: any place of their kind will do, however far. */
  private planBlockMove(block: number): boolean {
    const { moved, leaves, takes } = this;
    const { modes } = this.netlist.blocks[block - this.packed.clusterCount];
    if (blockOf(modes)) return false;
    const sites = this.sites.get(modes.type)!;
    const from = this.y[block] * this.part.fabric.width + this.x[block];
    const to = sites[this.context.random.below(sites.length)];
    if (to === from) return false;
    moved.length = leaves.length = takes.length = 0;
    moved.push(block);
    leaves.push(from);
    takes.push(to);
    const other = this.clusterAt[to];
    if (other >= 0) {
      moved.push(other);
      leaves.push(to);
      takes.push(from);
    }
    return true;
  }

  /** False where the target is the place itself, or holds another stack. */
  private planMove(cluster: number, reach: number): boolean {
    const { random } = this.context;
    const { fabric } = this.part;
    const { moved, leaves, takes, clusterAt, stackOf } = this;
    moved.length = leaves.length = takes.length = 0;
    const own = stackOf[cluster];
    const foot = own < 0 ? cluster : this.stacks[own][0];
    const height = own < 0 ? 1 : this.stacks[own].length;
    const y0 = Math.max(1, this.y[foot] - reach);
    const y1 = Math.min(fabric.height - 1 - height, this.y[foot] + reach);
    // columns that are not logic are stepped over: reach counts logic columns
    const at = this.logicColumns.indexOf(this.x[foot]);
    const c0 = Math.max(0, at - reach);
    const c1 = Math.min(this.logicColumns.length - 1, at + reach);
    const from = this.y[foot] * fabric.width + this.x[foot];
    const to = (y0 + random.below(y1 - y0 + 1)) * fabric.width + this.logicColumns[c0 + random.below(c1 - c0 + 1)];
    if (to === from) return false;
    for (let i = 0; i < height; i++) {
      const there = clusterAt[to + i * fabric.width];
      if (there >= 0 && stackOf[there] >= 0 && stackOf[there] !== own) return false;
    }
    if (own < 0) {
      moved.push(cluster);
      leaves.push(from);
      takes.push(to);
      const other = clusterAt[to];
      if (other >= 0) {
        moved.push(other);
        leaves.push(to);
        takes.push(from);
      }
      return true;
    }
    const { width } = fabric;
    const within = (tile: number, base: number) =>
      tile % width === base % width && tile >= base && tile < base + height * width;
    this.stacks[own].forEach((member, i) => {
      moved.push(member);
      leaves.push(from + i * width);
      takes.push(to + i * width);
    });
    // what was there goes to the tiles that the stack no longer covers, in their order
    let free = from;
    for (let i = 0; i < height; i++) {
      const tile = to + i * width;
      const other = clusterAt[tile];
      if (within(tile, from)) continue;
      while (within(free, to)) free += width;
      if (other >= 0) {
        moved.push(other);
        leaves.push(tile);
        takes.push(free);
      }
      free += width;
    }
    return true;
  }
}

/** Rows of `each` turned round: for every block, the ids that name it. */
function invert(
  blocks: number,
  count: number,
  forEach: (id: number, each: (block: number) => void) => void,
): [Int32Array, Int32Array] {
  const start = new Int32Array(blocks + 1);
  for (let id = 0; id < count; id++) forEach(id, (block) => start[block + 1]++);
  for (let b = 0; b < blocks; b++) start[b + 1] += start[b];
  const fill = start.slice(0, blocks);
  const list = new Int32Array(start[blocks]);
  for (let id = 0; id < count; id++) {
    forEach(id, (block) => {
      list[fill[block]++] = id;
    });
  }
  return [start, list];
}
