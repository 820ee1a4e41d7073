import { blockOf } from "../device/blocks/registry.ts";
import type { FamilyDescription } from "../device/family.ts";
import { cellKind } from "../netlist/mapped.ts";
import type { BoundClock } from "./bound-rules.ts";
import type { BuiltGraph } from "./built-graph.ts";

/** Clocks with the jitter of the blocks of the part that make them, or what they are made of. */
export function withJitter(
  clocks: readonly BoundClock[],
  { netlist, pinCell }: Pick<BuiltGraph, "netlist" | "pinCell">,
  family: FamilyDescription,
): BoundClock[] {
  const { kind, inputNet, inputStart, netDriver, modes, blocks } = netlist;
  const blockAt = new Map(blocks.map((block) => [block.cell, block]));
  /** What its own block adds; null if no block that multiplies makes it. */
  const own = ({ isAutomatic, sources, periodPs }: BoundClock): Pick<BoundClock, "jitterPs" | "jitterFrom"> | null => {
    const cell = sources.length ? pinCell[sources[0]] : -1;
    if (!isAutomatic || cell < 0 || kind[cell] !== cellKind.blockOutput) return null;
    const block = blockAt.get(netDriver[inputNet[inputStart[cell]]]);
    if (!block) return null;
    const jitterPs = blockOf(block.modes).jitterPs?.(block.modes, periodPs, block.outputNames[modes[cell]], family);
    return jitterPs === undefined ? null : { jitterPs, jitterFrom: block.cell };
  };
  return clocks.map((clock, i) => {
    let at = i;
    for (let depth = 0; depth <= clocks.length && at >= 0; depth++) {
      const jitter = own(clocks[at]);
      if (jitter) return { ...clock, ...jitter };
      at = clocks[at].master;
    }
    return clock;
  });
}
