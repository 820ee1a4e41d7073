/** Clusters to tiles. In: packed design, part, goals. Out: `PlacedDesign`. Simulated annealing (Betz and Rose 1997). */
export { type PlaceOptions, place } from "./place.ts";
