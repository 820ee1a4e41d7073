/**
 * A design as it is laid out, and what the stages that lay it out share. In: results of packing, placement and routing. Out: their
 * types, which pad or element a register lies in, and estimates of the delay still to go.
 */
export { layoutFaults } from "./check.ts";
export type { LayoutInputs, PackedDesign, PlacedDesign, RoutedDesign, TimedLayout } from "./layout.ts";
export { elementAt } from "./layout.ts";
export { lookaheadFor } from "./lookahead.ts";
