/**
 * Static timing analysis. In: routed design, clock rules, delay table. Out: `TimingReport` for all corners.
 * One forward pass a launching clock edge (Kirkpatrick and Clark 1966).
 */
export { analyzeTiming, type CornerDelays, cornerDelays, type LayoutInputs, timingCorners } from "./analyze.ts";
export type * from "./report.ts";
export { buildTimingGraph, criticalities, ownerOfSlots, propagate, type TimingGraph } from "./timing-graph.ts";
