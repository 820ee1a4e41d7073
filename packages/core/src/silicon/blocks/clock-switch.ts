import type { Expansion } from "./running.ts";

/**
 * A clock switch as what it is made of: a flip-flop for each clock that lets it pass, taken at its falling edge and
 * only while the other one is off, so that no pulse is cut short.
 */
export const clockSwitchRun: Expansion = {
  how: "expansion",
  expand({ inputs: [select], clocks, outputs }, into) {
    const [d0, d1, on0, on1] = [into.signal(), into.signal(), into.signal(), into.signal()];
    into.table(d0, [select, on1], 0x11111111); // neither
    into.table(d1, [select, on0], 0x22222222); // the first without the second
    into.flipFlop({ output: on0, d: d0, clock: clocks[0], init: 1, falling: true });
    into.flipFlop({ output: on1, d: d1, clock: clocks[1], init: 0, falling: true });
    // either clock, where it may pass
    into.table(outputs.get(0)!, [clocks[0], on0, clocks[1], on1], 0xf888f888);
  },
};
