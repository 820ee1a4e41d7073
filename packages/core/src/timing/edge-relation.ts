import type { ClockRule } from "../constraints/sdc.ts";

/** Most launching edges that are looked at: periods that share none to speak of are cut off after them. */
const edgeLimit = 2000;

/** The closest capturing edge behind any launching one, and the closest one at or before it. Times in ps. */
export function edgeRelation(
  launch: ClockRule,
  launchFalls: boolean,
  capture: ClockRule,
  captureFalls: boolean,
): { setup: number; hold: number } {
  const first = launchFalls ? launch.fallPs : launch.risePs;
  const other = captureFalls ? capture.fallPs : capture.risePs;
  const [pl, pc] = [launch.periodPs, capture.periodPs];
  let setup = Infinity;
  let hold = -Infinity;
  for (let i = 0; i < edgeLimit; i++) {
    // periods of made clocks need not be whole: edges closer than a thousandth of a ps are one
    const turns = (i * pl) / pc;
    if (i > 0 && Math.abs(turns - Math.round(turns)) < 1e-9) break;
    const from = first + i * pl;
    const to = other + (Math.floor((from - other + 1e-3) / pc) + 1) * pc;
    setup = Math.min(setup, to - from);
    hold = Math.max(hold, to - pc - from);
  }
  return { setup, hold };
}
