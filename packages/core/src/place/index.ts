/**
 * Clusters and blocks to tiles. In: packed design, part, goals. Out: `PlacedDesign`. By springs and spreading (Kim, Lee and Markov 2012),
 * then simulated annealing (Betz and Rose 1997).
 */
export { type PlaceOptions, place } from "./place.ts";
