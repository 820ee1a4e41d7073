/**
 * Static timing analysis. In: a circuit as built (or as written, without delays), timing rules, delays. Out: slacks, paths,
 * `TimingReport` for all corners. One pass forward and one backward (Kirkpatrick and Clark 1966) over a graph taken apart by
 * what rules tell apart; incremental; the worst paths best-first (after Yen, Du and Ghanta 1989).
 */
export { analyzeTiming } from "./analyze.ts";
export { type TimingCause, timingCauses } from "./causes.ts";
export type { FoundClock } from "./clock-survey.ts";
export {
  type CornerDelays,
  cornerDelays,
  timingCorners,
} from "./corner-delays.ts";
export type { ClockPair, Coverage } from "./coverage.ts";
export type * from "./report.ts";
