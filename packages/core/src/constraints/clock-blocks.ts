import type { Finding } from "../common/finding.ts";
import type { Part } from "../device/part.ts";
import { clockFrom, type MadeClock } from "./made-clock.ts";
import type { ClockMaker } from "./port-circuit.ts";
import type { ClockRule } from "./sdc.ts";

/** Clock blocks that are given or make frequencies beyond what the family's can do. */
export function checkClockBlocks(makers: readonly ClockMaker[], rules: readonly ClockRule[], part: Part): Finding[] {
  const { input, inside } = part.family.clockBlockMhz;
  const known = new Map<number, readonly MadeClock[]>();
  /** Clocks at the inputs of a maker. A ring of makers has no beginning. */
  const clocksAt = (m: number): readonly MadeClock[] => {
    let clocks = known.get(m);
    if (!clocks) {
      known.set(m, []);
      clocks = makers[m].clocks.flatMap((source) => {
        if (source === null) return [];
        if (typeof source === "string") return rules.filter(({ port }) => port === source);
        const [from, output] = source;
        return clocksAt(from).map((clock) => clockFrom(clock, makers[from].modes, output));
      });
      known.set(m, clocks);
    }
    return clocks;
  };
  return makers.flatMap(({ name: block, modes }, m): Finding[] => {
    if (modes.type !== "clockBlock") return [];
    return clocksAt(m).flatMap(({ name, periodPs }): Finding[] => {
      const mhz = 1e6 / periodPs;
      const text = (value: number) => `${Number(value.toPrecision(6))} MHz`;
      const isInside = mhz * modes.multiply <= inside;
      if (isInside && mhz >= input[0] && mhz <= input[1]) return [];
      return [
        {
          code: "clock/out-of-range",
          severity: "error",
          place: { object: block },
          message: isInside
            ? `'${name}' at ${text(mhz)} is outside of what a clock block of ${part.family.name} takes in, ${text(input[0])} to ${text(input[1])}.`
            : `Clock block '${block}' multiplies '${name}' to ${text(mhz * modes.multiply)}; ${part.family.name} goes up to ${text(inside)}.`,
          remedy: isInside
            ? "Bring in another clock, or correct its period."
            : "Multiply by less, or choose another part.",
        },
      ];
    });
  });
}
