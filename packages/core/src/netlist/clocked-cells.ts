import { blockClockCount } from "../device/blocks/registry.ts";
import type { RtlCell } from "./rtl.ts";

/** Clock pins of a cell, each with the edge that counts. */
export function clockPinsOf({ kind, inputs, memory, block, modes }: RtlCell): { net: number; rising: boolean }[] {
  switch (kind) {
    case "ff":
      return inputs[1].map((net) => ({ net, rising: modes!.clockRising }));
    case "mem":
      // behind the addresses of the reads, each write has address, data, enables and clock
      return memory!.writes.flatMap((rising, w) => inputs[memory!.reads + 4 * w + 3].map((net) => ({ net, rising })));
    case "block":
      return inputs
        .slice(-blockClockCount(block!.modes))
        .flat()
        .map((net) => ({ net, rising: true }));
    default:
      return [];
  }
}
