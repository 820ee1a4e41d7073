/**
 * Static timing analysis. In: routed design, clock rules, delay table. Out: `TimingReport` for all corners.
 * One forward pass a launching clock edge (Kirkpatrick and Clark 1966).
 */
export { analyzeTiming } from "./analyze.ts";
export {
  type CornerDelays,
  cornerDelays,
  timingCorners,
} from "./corner-delays.ts";
export type * from "./report.ts";
export { buildTimingGraph, criticalities, ownerOfSlots, propagate, type TimingGraph } from "./timing-graph.ts";
