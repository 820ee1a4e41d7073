/**
 * Nets to trees of mux selects. In: placed design, part. Out: `RoutedDesign`, or a finding with the overused wires.
 * Negotiated congestion with A* (McMurchie and Ebeling 1995).
 */

export { routeQuality } from "./quality.ts";
export { type RouteOptions, route } from "./route.ts";
