import { blockOf, listBlocks } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { clockSlots, type LayoutNetlist } from "../netlist/mapped.ts";
import { bucket } from "../timing/pin-graph.ts";
import { internalSlots, ownerOfSlots } from "../timing/timing-graph.ts";

/**
 * What placement is about, without the netlist. Entities are what nets end at: clusters first, then hard blocks, then pads. Groups
 * are what moves as one: a cluster, a stack of clusters that a carry chain ties together, or a hard block; pads, and blocks that
 * stay, are in none. E entities, G groups, N nets, C connections. Tiles by number, y * width + x.
 */
export interface PlacementProblem {
  readonly part: Part;
  readonly clusterCount: number;
  readonly blockCount: number;
  readonly entityCount: number;
  /** [E] Tile of what does not move, -1 for what does. A block lies at its foot. */
  readonly fixedTile: Int32Array;
  /** [G + 1] Entities of each group, from the foot up. */
  readonly groupStart: Int32Array;
  readonly groupEntity: Int32Array;
  /** [G] Index into `kinds`. */
  readonly groupKind: Uint8Array;
  /** [E] Its group, -1 for none. */
  readonly groupOf: Int32Array;
  /** Kinds of sites; logic tiles are the first. */
  readonly kinds: readonly SiteKind[];
  /** [N + 1] Entities of each net, each once. Clocks and nets within one entity are left out. */
  readonly netStart: Int32Array;
  readonly netEntity: Int32Array;
  /** [C] From a driver's entity to another, with the input pin slot. */
  readonly connFrom: Int32Array;
  readonly connTo: Int32Array;
  readonly connSlot: Int32Array;
}

/** Where groups of one kind may lie. */
interface SiteKind {
  readonly name: string;
  /** Tiles that hold one entity, or the foot of one block; not those that are taken by what stays. */
  readonly tiles: readonly number[];
  /** Columns with such tiles, in order. */
  readonly columns: readonly number[];
}

export function placementProblem(netlist: LayoutNetlist, packed: PackedDesign, part: Part): PlacementProblem {
  const { fabric } = part;
  const { clusterCount } = packed;
  const blockCount = netlist.blocks.length;
  const padEntity = new Int32Array(netlist.cellCount).fill(-1);
  let entityCount = clusterCount + blockCount;
  const padTiles: number[] = [];
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (packed.cellPad[cell] >= 0) {
      padEntity[cell] = entityCount++;
      padTiles.push(fabric.pads[packed.cellPad[cell]].tile);
    }
  const fixedTile = new Int32Array(entityCount).fill(-1);
  fixedTile.set(padTiles, clusterCount + blockCount);

  const columnsOf = (tiles: readonly number[]) =>
    [...new Set(tiles.map((tile) => fabric.tileX(tile)))].sort((a, b) => a - b);
  const kinds: SiteKind[] = [{ name: "logic", tiles: fabric.logicTiles, columns: columnsOf(fabric.logicTiles) }];
  const kindOfType = new Map<string, number>();
  for (const { type } of listBlocks()) {
    const sites = fabric.blockSites(type);
    const taken = new Set([...packed.blockSite].filter((_, b) => netlist.blocks[b].modes.type === type));
    const free = sites.filter((_, i) => !taken.has(i));
    netlist.blocks.forEach(({ modes }, b) => {
      if (modes.type !== type) return;
      const own = packed.blockSite[b];
      // two kinds share the corners, and stay: their clocks go everywhere alike
      if (own >= 0) fixedTile[clusterCount + b] = sites[own];
      else if (blockOf(modes).stays) fixedTile[clusterCount + b] = free.shift()!;
    });
    if (sites.length === 0) continue;
    kindOfType.set(type, kinds.length);
    kinds.push({ name: type, tiles: free, columns: columnsOf(free) });
  }

  const groupStart: number[] = [0];
  const groupEntity: number[] = [];
  const groupKind: number[] = [];
  const groupOf = new Int32Array(entityCount).fill(-1);
  const isUpper = new Uint8Array(clusterCount);
  for (const above of packed.clusterAbove) if (above >= 0) isUpper[above] = 1;
  for (let foot = 0; foot < clusterCount; foot++) {
    if (isUpper[foot]) continue;
    for (let at = foot; at >= 0; at = packed.clusterAbove[at]) {
      groupOf[at] = groupKind.length;
      groupEntity.push(at);
    }
    groupKind.push(0);
    groupStart.push(groupEntity.length);
  }
  for (let b = 0; b < blockCount; b++) {
    if (fixedTile[clusterCount + b] >= 0) continue;
    groupOf[clusterCount + b] = groupKind.length;
    groupEntity.push(clusterCount + b);
    groupKind.push(kindOfType.get(netlist.blocks[b].modes.type)!);
    groupStart.push(groupEntity.length);
  }

  const entityOf = (cell: number): number => {
    if (padEntity[cell] >= 0) return padEntity[cell];
    const block = packed.cellBlock[cell];
    return block >= 0 ? clusterCount + block : packed.elementCluster[packed.cellElement[cell]];
  };
  const owner = ownerOfSlots(netlist);
  const internal = internalSlots(netlist, packed);
  const isClock = clockSlots(netlist);
  const connFrom: number[] = [];
  const connTo: number[] = [];
  const connSlot: number[] = [];
  const members: number[][] = Array.from({ length: netlist.netCount }, () => []);
  for (let slot = 0; slot < netlist.inputNet.length; slot++) {
    const net = netlist.inputNet[slot];
    if (net < 0 || internal[slot] || isClock[slot]) continue;
    const source = entityOf(netlist.netDriver[net]);
    const sink = entityOf(owner[slot]);
    if (members[net].length === 0) members[net].push(source);
    members[net].push(sink);
    if (source === sink) continue;
    connFrom.push(source);
    connTo.push(sink);
    connSlot.push(slot);
  }
  const netStart: number[] = [0];
  const netEntity: number[] = [];
  for (const list of members) {
    const distinct = new Set(list);
    if (distinct.size < 2) continue;
    netEntity.push(...distinct);
    netStart.push(netEntity.length);
  }
  return {
    part,
    clusterCount,
    blockCount,
    entityCount,
    fixedTile,
    groupStart: Int32Array.from(groupStart),
    groupEntity: Int32Array.from(groupEntity),
    groupKind: Uint8Array.from(groupKind),
    groupOf,
    kinds,
    netStart: Int32Array.from(netStart),
    netEntity: Int32Array.from(netEntity),
    connFrom: Int32Array.from(connFrom),
    connTo: Int32Array.from(connTo),
    connSlot: Int32Array.from(connSlot),
  };
}

/** Half-perimeter wirelength of all nets, in tiles. */
export function wirelength(
  { netStart, netEntity }: PlacementProblem,
  x: ArrayLike<number>,
  y: ArrayLike<number>,
): number {
  let sum = 0;
  for (let net = 0; net + 1 < netStart.length; net++) {
    let [x0, x1, y0, y1] = [Infinity, -Infinity, Infinity, -Infinity];
    for (let i = netStart[net]; i < netStart[net + 1]; i++) {
      const e = netEntity[i];
      x0 = Math.min(x0, x[e]);
      x1 = Math.max(x1, x[e]);
      y0 = Math.min(y0, y[e]);
      y1 = Math.max(y1, y[e]);
    }
    sum += x1 - x0 + y1 - y0;
  }
  return sum;
}

/** Rows of ids turned round: for every one of `count` keys, the rows that name it. */
export function invert(count: number, start: Int32Array, items: Int32Array): { start: Int32Array; row: Int32Array } {
  const rowOf = new Int32Array(items.length);
  for (let r = 0; r + 1 < start.length; r++) rowOf.fill(r, start[r], start[r + 1]);
  const { start: first, items: places } = bucket(items, count);
  return { start: first, row: places.map((place) => rowOf[place]) };
}
