import type { SourceFile } from "../common/source.ts";

/** All that a trial depends on. Equal inputs give equal bits. */
export interface DesignInput {
  readonly name: string;
  /** null: the first module that no other instantiates. */
  readonly top: string | null;
  readonly part: string;
  /** HDL, and the texts that memories are filled from. */
  readonly sources: readonly SourceFile[];
  readonly pinFiles: readonly SourceFile[];
  readonly timingFiles: readonly SourceFile[];
  readonly recipe: string;
  readonly seed: number;
}

export interface Recipe {
  readonly name: string;
  readonly what: string;
  readonly placeEffort: number;
  readonly timingWeight: number;
  readonly routeIterations: number;
  /** Registers may move through logic until the clocks' periods are met by the estimate. */
  readonly retime?: boolean;
}

export const recipes: readonly Recipe[] = [
  { name: "even", what: "Balances run time and speed.", placeEffort: 6, timingWeight: 0.5, routeIterations: 60 },
  {
    name: "swift",
    what: "Shortest run time, for a quick look.",
    placeEffort: 1.5,
    timingWeight: 0.5,
    routeIterations: 60,
  },
  {
    name: "tight",
    what: "Works longer for the highest fmax, and may move registers through logic.",
    placeEffort: 20,
    timingWeight: 0.7,
    routeIterations: 80,
    retime: true,
  },
];

export const stageNames = ["elaborate", "synth", "rules", "pack", "place", "route", "timing", "image"] as const;
export type StageName = (typeof stageNames)[number];
