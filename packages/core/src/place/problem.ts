import { blockOf, listBlocks } from "../device/blocks/registry.ts";
import type { Fabric } from "../device/fabric.ts";
import type { Part } from "../device/part.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { wayKind } from "../layout/ways.ts";
import { cellKind, clockSlots, type LayoutNetlist } from "../netlist/mapped.ts";
import { bucket } from "../timing/pin-graph.ts";
import { internalSlots, ownerOfSlots } from "../timing/timing-graph.ts";

/**
 * What placement is about, without the netlist. Entities are what nets end at: clusters or elements first, then hard blocks, then
 * pads. Groups are what moves as one: a cluster, a stack of clusters that a carry chain ties together, an element, or a hard block;
 * pads, and all that stays, are in none. E entities, G groups, N nets, C connections. Sites by number, (y * width + x) * places + place.
 */
export interface PlacementProblem {
  readonly part: Part;
  /** Entities that a logic tile takes: one cluster, or so many elements. */
  readonly places: number;
  readonly entityCount: number;
  /** [E] Site of what does not move, -1 for what does. A block lies at its foot. */
  readonly fixedSite: Int32Array;
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
  /** [C] What the connection is, as `wayKind` numbers it; -1 where an end is no element. */
  readonly connKind: Int8Array;
  /** [C] 1 where it ends at a LUT. */
  readonly isLutPin: Uint8Array;
}

/** Where groups of one kind may lie. */
interface SiteKind {
  readonly name: string;
  /** Sites for one entity, or for the foot of one block; not those that are taken by what stays. */
  readonly sites: readonly number[];
  /** Columns with such tiles, in order. */
  readonly columns: readonly number[];
}

/** Clusters, stacks of them and hard blocks, which all move. */
export function clusterProblem(netlist: LayoutNetlist, packed: PackedDesign, part: Part): PlacementProblem {
  const { fabric } = part;
  const { clusterCount } = packed;
  const blockCount = netlist.blocks.length;
  const pads = padEntities(netlist, packed, part, clusterCount + blockCount);
  const fixedSite = new Int32Array(pads.entityCount).fill(-1);
  fixedSite.set(pads.tiles, clusterCount + blockCount);
  const kinds: SiteKind[] = [siteKind("logic", fabric.logicTiles, fabric, 1)];
  const kindOfType = new Map<string, number>();
  for (const { type } of listBlocks()) {
    const sites = fabric.blockSites(type);
    const taken = new Set([...packed.blockSite].filter((_, b) => netlist.blocks[b].modes.type === type));
    const free = sites.filter((_, i) => !taken.has(i));
    netlist.blocks.forEach(({ modes }, b) => {
      if (modes.type !== type) return;
      const own = packed.blockSite[b];
      // two kinds share the corners, and stay: their clocks go everywhere alike
      if (own >= 0) fixedSite[clusterCount + b] = sites[own];
      else if (blockOf(modes).stays) fixedSite[clusterCount + b] = free.shift()!;
    });
    if (sites.length === 0) continue;
    kindOfType.set(type, kinds.length);
    kinds.push(siteKind(type, free, fabric, 1));
  }

  const groupStart: number[] = [0];
  const groupEntity: number[] = [];
  const groupKind: number[] = [];
  const groupOf = new Int32Array(pads.entityCount).fill(-1);
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
    if (fixedSite[clusterCount + b] >= 0) continue;
    groupOf[clusterCount + b] = groupKind.length;
    groupEntity.push(clusterCount + b);
    groupKind.push(kindOfType.get(netlist.blocks[b].modes.type)!);
    groupStart.push(groupEntity.length);
  }
  const entityOf = (cell: number): number =>
    pads.entity[cell] >= 0
      ? pads.entity[cell]
      : packed.cellBlock[cell] >= 0
        ? clusterCount + packed.cellBlock[cell]
        : packed.elementCluster[packed.cellElement[cell]];
  return {
    part,
    places: 1,
    entityCount: pads.entityCount,
    fixedSite,
    groupStart: Int32Array.from(groupStart),
    groupEntity: Int32Array.from(groupEntity),
    groupKind: Uint8Array.from(groupKind),
    groupOf,
    kinds,
    ...connectionsOf(netlist, packed, entityOf, 0),
  };
}

/** Elements, each by itself, while stacks and blocks stay where they are. @param elementSite, blockTile Where all lie. */
export function elementProblem(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  part: Part,
  elementSite: Int32Array,
  blockTile: Int32Array,
): PlacementProblem {
  const { fabric } = part;
  const places = part.family.elementsPerTile;
  const { elementCount } = packed;
  const pads = padEntities(netlist, packed, part, elementCount + blockTile.length);
  const fixedSite = new Int32Array(pads.entityCount).fill(-1);
  blockTile.forEach((tile, b) => {
    fixedSite[elementCount + b] = tile * places;
  });
  pads.tiles.forEach((tile, i) => {
    fixedSite[elementCount + blockTile.length + i] = tile * places;
  });
  const isTaken = new Uint8Array(fabric.tileCount * places);
  const moving: number[] = [];
  const groupOf = new Int32Array(pads.entityCount).fill(-1);
  for (let e = 0; e < elementCount; e++) {
    if (packed.elementSum[e] >= 0 || packed.elementMux[e] >= 0) {
      fixedSite[e] = elementSite[e];
      isTaken[elementSite[e]] = 1;
    } else {
      groupOf[e] = moving.length;
      moving.push(e);
    }
  }
  const sites = fabric.logicTiles
    .flatMap((tile) => Array.from({ length: places }, (_, place) => tile * places + place))
    .filter((site) => !isTaken[site]);
  const entityOf = (cell: number): number =>
    pads.entity[cell] >= 0
      ? pads.entity[cell]
      : packed.cellBlock[cell] >= 0
        ? elementCount + packed.cellBlock[cell]
        : packed.cellElement[cell];
  return {
    part,
    places,
    entityCount: pads.entityCount,
    fixedSite,
    groupStart: Int32Array.from({ length: moving.length + 1 }, (_, g) => g),
    groupEntity: Int32Array.from(moving),
    groupKind: new Uint8Array(moving.length),
    groupOf,
    kinds: [siteKind("logic", sites, fabric, places)],
    ...connectionsOf(netlist, packed, entityOf, elementCount),
  };
}

function siteKind(name: string, sites: readonly number[], fabric: Fabric, places: number): SiteKind {
  const columns = [...new Set(sites.map((site) => fabric.tileX(Math.floor(site / places))))].sort((a, b) => a - b);
  return { name, sites, columns };
}

/** Pads as entities from `first` on. @returns [cells] Entity or -1; their tiles, and how many entities there are with them. */
function padEntities(netlist: LayoutNetlist, packed: PackedDesign, part: Part, first: number) {
  const entity = new Int32Array(netlist.cellCount).fill(-1);
  const tiles: number[] = [];
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (packed.cellPad[cell] >= 0) {
      entity[cell] = first + tiles.length;
      tiles.push(part.fabric.pads[packed.cellPad[cell]].tile);
    }
  return { entity, tiles, entityCount: first + tiles.length };
}

/** Nets and connections between entities, the first `elementCount` of them elements. Clocks are left out, and what needs no wire. */
function connectionsOf(
  netlist: LayoutNetlist,
  packed: PackedDesign,
  entityOf: (cell: number) => number,
  elementCount: number,
) {
  const owner = ownerOfSlots(netlist);
  const internal = internalSlots(netlist, packed);
  const isClock = clockSlots(netlist);
  const connFrom: number[] = [];
  const connTo: number[] = [];
  const connSlot: number[] = [];
  const connKind: number[] = [];
  const isLutPin: number[] = [];
  const members: number[][] = Array.from({ length: netlist.netCount }, () => []);
  for (let slot = 0; slot < netlist.inputNet.length; slot++) {
    const net = netlist.inputNet[slot];
    if (net < 0 || internal[slot] || isClock[slot]) continue;
    const source = entityOf(netlist.netDriver[net]);
    const sink = entityOf(owner[slot]);
    if (members[net].length === 0) members[net].push(source);
    members[net].push(sink);
    // of an element, its flip-flop to its LUT: which has a way or none, by the place
    if (source === sink && !(source < elementCount)) continue;
    connFrom.push(source);
    connTo.push(sink);
    connSlot.push(slot);
    const isRegister = netlist.kind[netlist.netDriver[net]] === cellKind.flipFlop;
    const isBetween = source < elementCount && sink < elementCount;
    connKind.push(isBetween ? wayKind(netlist, owner[slot], slot, isRegister) : -1);
    isLutPin.push(Number(netlist.kind[owner[slot]] === cellKind.lut));
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
    netStart: Int32Array.from(netStart),
    netEntity: Int32Array.from(netEntity),
    connFrom: Int32Array.from(connFrom),
    connTo: Int32Array.from(connTo),
    connSlot: Int32Array.from(connSlot),
    connKind: Int8Array.from(connKind),
    isLutPin: Uint8Array.from(isLutPin),
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
