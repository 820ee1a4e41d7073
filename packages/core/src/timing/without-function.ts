import { cellKind, type LayoutNetlist } from "../netlist/mapped.ts";
import type { TimedNetlist } from "./built-graph.ts";

/** Every input matters, either way; a LUT that feeds itself as a latch does is one. */
const parity = { low: 0x96696996 | 0, high: 0x69969669 };
const latch = 0xd8d8d8d8;

/**
 * The circuit as layout sees it, for timing: what LUTs compute is left out, so that a layout stays good when it changes. An input
 * counts where there is one, with either edge.
 */
export function withoutFunction(netlist: LayoutNetlist): TimedNetlist {
  const { cellCount, kind, inputStart, inputNet, outputNet } = netlist;
  const maskLow = new Uint32Array(cellCount).fill(parity.low);
  const maskHigh = new Uint32Array(cellCount).fill(parity.high);
  for (let cell = 0; cell < cellCount; cell++) {
    const first = inputStart[cell];
    if (kind[cell] !== cellKind.lut || inputStart[cell + 1] - first !== 3) continue;
    if (inputNet[first + 2] !== outputNet[cell]) continue;
    maskLow[cell] = latch;
    maskHigh[cell] = latch;
  }
  return { ...netlist, maskLow, maskHigh, origin: new Int32Array(cellCount).fill(-1), fates: [] };
}
