/** What static timing analysis tells; stored as an artifact and shown as it is. Times in ps. */

export type CheckKind = "setup" | "hold";

export interface TimingCheck {
  readonly corner: string;
  readonly kind: CheckKind;
  /** null when no path of the kind has a goal. */
  readonly worstSlackPs: number | null;
  /** Sum of the negative slacks, 0 or below. */
  readonly totalNegativePs: number;
  readonly failingEndpoints: number;
  readonly endpoints: number;
}

export interface ClockSummary {
  readonly name: string;
  readonly port: string;
  /** null: no rule says how fast. */
  readonly periodPs: number | null;
  /** Highest frequency at the slowest corner; null without a path inside the clock. */
  readonly fmaxMhz: number | null;
  readonly registers: number;
  /** Earliest and latest arrival of the clock at a register, slow-hot. */
  readonly earliestPs: number;
  readonly latestPs: number;
}

export interface PathStep {
  readonly what:
    | "clock"
    | "clock to output"
    | "input pad"
    | "net"
    | "LUT"
    | "carry"
    | "block"
    | "setup"
    | "hold"
    | "output pad";
  /** Cell or net name. */
  readonly name: string;
  readonly net: number;
  readonly cell: number;
  readonly delayPs: number;
  /** Time since the launching edge at the clock's source, after this step. */
  readonly arrivalPs: number;
  readonly tileX: number;
  readonly tileY: number;
  /** Word-level cell that this came from, for the source line; -1 for none. */
  readonly origin: number;
  readonly fanout: number;
}

export interface TimingPath {
  readonly kind: CheckKind | "input" | "output" | "through";
  readonly corner: string;
  /** null where no rule gives a goal. */
  readonly slackPs: number | null;
  readonly from: string;
  readonly to: string;
  readonly launchClock: string;
  readonly captureClock: string;
  /** Time between the launching and the capturing edge. */
  readonly requirementPs: number | null;
  readonly launchClockPs: number;
  readonly captureClockPs: number;
  /** From the launching register's clock pin to the capturing register's data pin. */
  readonly dataPs: number;
  /** Part of `dataPs` in cells; the rest is in nets. */
  readonly cellPs: number;
  readonly levels: number;
  /** Carry links on the path. */
  readonly carries: number;
  readonly steps: readonly PathStep[];
}

export interface TimingReport {
  readonly clocks: readonly ClockSummary[];
  readonly checks: readonly TimingCheck[];
  /** Worst first, one for each endpoint. */
  readonly setupPaths: readonly TimingPath[];
  readonly holdPaths: readonly TimingPath[];
  /** Longest paths from and to pads: no rule covers them yet. */
  readonly padPaths: readonly TimingPath[];
  /** Setup slack of every endpoint with a goal, slow-hot, in ps, in no order. */
  readonly setupSlacksPs: Float32Array;
  readonly endpointsWithoutGoal: number;
  readonly brokenLoops: number;
}
