import { isClockMaker } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { cellKind, type LayoutNetlist } from "../netlist/mapped.ts";

/** True for a net that a clock pad or a maker of clocks drives: its clock pins are reached by the clock network. */
export function isOnNetwork(
  { kind, netDriver, blocks }: LayoutNetlist,
  packed: Pick<PackedDesign, "cellBlock" | "cellPad">,
  part: Part,
  net: number,
): boolean {
  const driver = netDriver[net];
  if (kind[driver] === cellKind.blockOutput) return isClockMaker(blocks[packed.cellBlock[driver]].modes);
  return kind[driver] === cellKind.inputPad && part.fabric.clockPads.includes(packed.cellPad[driver]);
}
