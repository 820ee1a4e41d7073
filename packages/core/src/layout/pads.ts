import type { PadRegisterSide } from "../device/fabric.ts";
import { cellKind, ffPin, type LayoutNetlist } from "../netlist/mapped.ts";
import type { PackedDesign } from "./layout.ts";

/** True for a flip-flop in a logic tile that takes D past its element's LUT. */
export function takesBypass(packed: PackedDesign, flipFlop: number): boolean {
  const element = packed.cellElement[flipFlop];
  return element >= 0 && packed.elementJoined[element] === 0;
}

/** The side of a pad that a flip-flop lies at; null for those in logic tiles. */
export function padSideOf(
  netlist: LayoutNetlist,
  packed: Pick<PackedDesign, "cellPad">,
  cell: number,
): PadRegisterSide | null {
  if (netlist.kind[cell] !== cellKind.flipFlop || packed.cellPad[cell] < 0) return null;
  const driver = netlist.netDriver[netlist.inputNet[netlist.inputStart[cell] + ffPin.d]];
  const takesPin = netlist.kind[driver] === cellKind.inputPad && packed.cellPad[driver] === packed.cellPad[cell];
  return takesPin ? "input" : "output";
}
