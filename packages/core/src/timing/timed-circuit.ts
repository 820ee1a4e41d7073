import type { CornerName } from "../device/family.ts";
import type { Part } from "../device/part.ts";
import { elementAt, type PackedDesign, type TimedLayout } from "../layout/layout.ts";
import { clockSlots } from "../netlist/mapped.ts";
import type { TimedNetlist } from "./built-graph.ts";
import { type CornerDelays, cornerDelays } from "./corner-delays.ts";
import { dedicatedClockSlots } from "./graph-delays.ts";

/** A circuit with where its delays come from: a layout, or an estimate while there is none. */
export interface TimedCircuit {
  readonly netlist: TimedNetlist;
  readonly packed: PackedDesign;
  readonly pins: TimedLayout["pins"];
  readonly part: Part;
  /** [slots] 1 for clock pins that are reached by the clock network alone. */
  readonly dedicated: Uint8Array;
  delaysAt(corner: CornerName): CornerDelays;
  /** True where a connection takes wires of the part. */
  hasWire(slot: number): boolean;
  /** Tile that a cell lies at; -1 while it lies nowhere. */
  tileOf(cell: number): number;
}

/** A circuit with the delays of its layout. */
export function laidOut(layout: TimedLayout & { readonly netlist: TimedNetlist }): TimedCircuit {
  const { netlist, packed, placed, routed, pins, part } = layout;
  return {
    netlist,
    packed,
    pins,
    part,
    dedicated: dedicatedClockSlots(layout, clockSlots(netlist)),
    delaysAt: (corner) => cornerDelays(layout, corner),
    hasWire: (slot) => routed.pinNode[slot] >= 0,
    tileOf(cell) {
      const pad = packed.cellPad[cell];
      if (pad >= 0) return part.fabric.pads[pad].tile;
      const block = packed.cellBlock[cell];
      if (block >= 0) return placed.blockTile[block];
      return elementAt(part, placed, packed.cellElement[cell]).tile;
    },
  };
}
