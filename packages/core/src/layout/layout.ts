import type { PinDelay, PinElectrical } from "../constraints/pins/model.ts";
import type { Part } from "../device/part.ts";
import type { LayoutNetlist, MappedNetlist } from "../netlist/mapped.ts";

/**
 * Cells gathered into elements (a LUT, a flip-flop, or one of each) and elements into clusters, each the size of a
 * logic tile. E elements.
 */
export interface PackedDesign {
  readonly elementCount: number;
  readonly clusterCount: number;
  /** [E] LUT and flip-flop cell of each element, or -1. */
  readonly elementLut: Int32Array;
  readonly elementFf: Int32Array;
  /** [E] 1 if the element's output, LUT or sum, feeds the flip-flop inside of it. */
  readonly elementJoined: Uint8Array;
  /** [E] Carry cells of the element, or -1. */
  readonly elementSum: Int32Array;
  readonly elementMux: Int32Array;
  /** [E] */
  readonly elementCluster: Int32Array;
  /** [E] Place in its tile, 0 to elements per tile - 1, to begin with: placement may change it where no carry chain runs. */
  readonly elementSlot: Int32Array;
  /** [clusters] Cluster that must lie on the tile above, where a carry chain goes on in it; -1 for none. */
  readonly clusterAbove: Int32Array;
  /** [cells] Element of each LUT, flip-flop and carry cell; -1 for pads. */
  readonly cellElement: Int32Array;
  /** [cells] Hard block, as in the netlist's `blocks`, of block cells and their outputs; -1 for others. */
  readonly cellBlock: Int32Array;
  /** [blocks] Number of the site that a block must lie at, since its pins are there; -1 for any. */
  readonly blockSite: Int32Array;
  /** [cells] Pad of each port cell, and of each flip-flop that lies in a pad; -1 for others. */
  readonly cellPad: Int32Array;
}

/** Where elements and blocks lie. */
export interface PlacedDesign {
  /** [E] Site of each element: its tile, times the elements of a tile, plus its place there. */
  readonly elementSite: Int32Array;
  /** [blocks] Foot tile of each hard block. */
  readonly blockTile: Int32Array;
  /** Half-perimeter wirelength over all routed nets, in tiles. */
  readonly wirelength: number;
  /** Longest path by the estimate, in ps, at slow-hot. */
  readonly estimatedPs: number;
}

/** Tile of an element, and its place there. */
export function elementAt(
  { family: { elementsPerTile } }: Part,
  { elementSite }: Pick<PlacedDesign, "elementSite">,
  element: number,
): { tile: number; place: number } {
  const site = elementSite[element];
  return { tile: Math.floor(site / elementsPerTile), place: site % elementsPerTile };
}

/** Routing trees of all nets, as nodes of the routing-resource graph. */
export interface RoutedDesign {
  /** [nets + 1] Stretch of `treeNode` that belongs to each net; the first node is the source pin. */
  readonly netStart: Int32Array;
  readonly treeNode: Int32Array;
  /** Place of each tree node's driver within its net's stretch; -1 for the source. Parents come first. */
  readonly treeParent: Int32Array;
  /** [input pin slots] Routing node of the pin that was reached; -1 where the connection stays inside an element. */
  readonly pinNode: Int32Array;
  readonly iterations: number;
  readonly wiresUsed: number;
}

/** A design as it is laid out, as far as its delays go. */
export interface TimedLayout {
  readonly netlist: LayoutNetlist & Pick<MappedNetlist, "origin">;
  readonly packed: PackedDesign;
  readonly placed: PlacedDesign;
  readonly routed: RoutedDesign;
  readonly pins: readonly PinDelay[];
  readonly part: Part;
}
/** A design as it is laid out: what assembly and readback start from. */
export interface LayoutInputs extends TimedLayout {
  readonly netlist: MappedNetlist;
  readonly pins: readonly PinElectrical[];
}
