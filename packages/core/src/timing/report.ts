import type { ClockPair } from "./coverage.ts";

/** What static timing analysis tells; stored as an artifact and shown as it is. Times in ps. */

/** Recovery and removal: setup and hold of a reset's release. */
export type CheckKind = "setup" | "hold" | "recovery" | "removal";

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
  /** Port or pin that it starts at; the name for a virtual one. */
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
    | "latch"
    | "input delay"
    | "input pad"
    | "net"
    | "LUT"
    | "carry"
    | "block"
    | "setup"
    | "hold"
    | "recovery"
    | "removal"
    | "output delay"
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

/** A rule by its list in the timing rules and its number there. */
export interface RuleRef {
  readonly list: "exceptions" | "ioDelays" | "clocks" | "uncertainties" | "dataChecks";
  readonly number: number;
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
  /** Time between the launching and the capturing edge, or what a rule allows. */
  readonly requirementPs: number | null;
  /** Taken off that by a rule. */
  readonly uncertaintyPs: number;
  readonly launchClockPs: number;
  readonly captureClockPs: number;
  /** Given back for the way that both clocks share. */
  readonly creditPs: number;
  /** Delay outside of the part, before an input and behind an output. */
  readonly inputDelayPs: number;
  readonly outputDelayPs: number;
  /** Latest (for hold earliest) time at the end that meets the goal, and the time that it is, both since the launching edge. */
  readonly requiredPs: number | null;
  readonly arrivalPs: number;
  /** From the launching register's clock pin to the capturing register's data pin. */
  readonly dataPs: number;
  /** Part of `dataPs` in cells; the rest is in nets. */
  readonly cellPs: number;
  readonly levels: number;
  /** Carry links on the path. */
  readonly carries: number;
  readonly steps: readonly PathStep[];
  /** Rules that gave it its goal, the deciding one first. */
  readonly rules: readonly RuleRef[];
  /** Name of its group, if a rule gives one. */
  readonly group: string;
}

/** A clock at a pin that needs it high, low or apart for a least time. */
export interface PulseCheck {
  readonly corner: string;
  readonly pin: string;
  readonly clock: string;
  readonly what: "high" | "low" | "period";
  readonly havePs: number;
  readonly needPs: number;
  readonly slackPs: number;
}
/** A signal that is held against another one. */
export interface DataCheck {
  readonly corner: string;
  readonly kind: "setup" | "hold";
  readonly from: string;
  readonly to: string;
  readonly slackPs: number;
  readonly rule: RuleRef;
}
/** Latest minus earliest arrival of all paths that a skew rule names. */
export interface SkewCheck {
  readonly corner: string;
  readonly rule: RuleRef;
  readonly skewPs: number;
  readonly limitPs: number;
}

export interface TimingReport {
  readonly clocks: readonly ClockSummary[];
  readonly checks: readonly TimingCheck[];
  /** Worst first, one for each endpoint; recovery and removal among them. */
  readonly setupPaths: readonly TimingPath[];
  readonly holdPaths: readonly TimingPath[];
  /** Longest paths from and to pads that no rule gives a goal. */
  readonly padPaths: readonly TimingPath[];
  /** The tightest ones, worst first. */
  readonly pulses: readonly PulseCheck[];
  readonly skews: readonly SkewCheck[];
  readonly dataChecks: readonly DataCheck[];
  /** Setup slack of every endpoint with a goal, slow-hot, in ps, in no order. */
  readonly setupSlacksPs: Float32Array;
  /** [nets] Worst setup slack of every net, slow-hot; NaN where nothing on it has a goal. */
  readonly netSlacksPs: Float32Array;
  /** From clock to clock, with the worst of all corners. */
  readonly pairs: readonly ClockPair[];
  readonly endpointsWithoutGoal: number;
  readonly brokenLoops: number;
  /** Pins whose arcs were left out to break loops: cell and pin. */
  readonly cutArcs: readonly string[];
}
