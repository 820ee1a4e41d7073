import type { Finding } from "../common/finding.ts";
import type { BlockClock } from "../device/blocks/description.ts";
import { blockOf } from "../device/blocks/registry.ts";
import type { Part } from "../device/part.ts";
import type { ClockMaker } from "./port-circuit.ts";
import type { PortClock } from "./port-clocks.ts";

/** Makers of clocks that are given, or make, frequencies beyond what the family's can do. */
export function checkClockBlocks(makers: readonly ClockMaker[], rules: readonly PortClock[], part: Part): Finding[] {
  const known = new Map<number, readonly BlockClock[]>();
  /** Clocks at the inputs of a maker. A ring of makers has no beginning. */
  const clocksAt = (m: number): readonly BlockClock[] => {
    let clocks = known.get(m);
    if (!clocks) {
      known.set(m, []);
      clocks = makers[m].clocks.flatMap((source): readonly BlockClock[] => {
        if (source === null) return [];
        if (typeof source === "string") return rules.filter(({ port }) => port === source);
        const [from, output] = source;
        const { modes } = makers[from];
        const name = blockOf(modes).pins(part.family).outputs[output];
        return clocksAt(from).flatMap((clock) => blockOf(modes).clockFrom!(modes, clock, name) ?? []);
      });
      known.set(m, clocks);
    }
    return clocks;
  };
  return makers.flatMap(({ name: block, modes }, m): Finding[] =>
    clocksAt(m).flatMap(({ name, periodPs }): Finding[] => {
      const fault = blockOf(modes).checkClock?.(modes, 1e6 / periodPs, part.family);
      if (!fault) return [];
      return [
        {
          code: "clock/out-of-range",
          severity: "error",
          place: { object: block },
          message: fault.message(name, block),
          remedy: fault.remedy,
        },
      ];
    }),
  );
}
