/** What is tried, and how hard. */
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
  { name: "even", what: "Balances run time and speed.", placeEffort: 12, timingWeight: 0.5, routeIterations: 60 },
  {
    name: "swift",
    what: "Shortest run time, for a quick look.",
    placeEffort: 2,
    timingWeight: 0.5,
    routeIterations: 60,
  },
  {
    name: "tight",
    what: "Works longer for the highest fmax, and may move registers through logic.",
    placeEffort: 40,
    timingWeight: 0.7,
    routeIterations: 80,
    retime: true,
  },
];
