import type { Place } from "../../common/finding.ts";
import type { CellKind, PinWay } from "./objects.ts";

/**
 * What timing files say, resolved against the circuit as written. Times in ps. Objects stand once in `objects`; rules
 * hold numbers into it.
 */
export type RuleObject =
  | { readonly kind: "port"; readonly name: string; readonly direction: PinWay }
  | {
      readonly kind: "cell";
      readonly name: string;
      readonly what: CellKind;
      readonly rtl: number;
      readonly bit: number;
    }
  | {
      readonly kind: "pin";
      readonly name: string;
      readonly cell: string;
      readonly pin: string;
      readonly what: CellKind;
      readonly rtl: number;
      readonly bit: number;
      readonly net: number;
      readonly isOut: boolean;
      /** Names of its net. */
      readonly aliases: readonly string[];
    }
  | { readonly kind: "net"; readonly name: string; readonly net: number; readonly aliases: readonly string[] }
  | { readonly kind: "clock"; readonly name: string };

/** Where a rule stands. */
export interface RuleOrigin {
  readonly place: Place;
  /** The command as written, on one line and cut where it is long. */
  readonly text: string;
}

export type RuleEdge = "rise" | "fall" | "both";
/** Objects that a path begins at, passes or ends at. */
export interface RulePoints {
  readonly objects: readonly number[];
  readonly edge: RuleEdge;
}

export interface ClockRule {
  readonly name: string;
  readonly periodPs: number;
  /** Rise, fall, rise, fall ... within one period, an even number of times. */
  readonly edgesPs: readonly number[];
  /** Ports and pins that it starts at; none for a virtual clock. */
  readonly sources: readonly number[];
  /** Beside other clocks of the same source. */
  readonly add: boolean;
  readonly generated: GeneratedClock | null;
  /** Null for a clock that a block of the part makes and no line declares. */
  readonly origin: RuleOrigin | null;
}
interface GeneratedClock {
  /** Name of the clock that it is made of. */
  readonly master: string;
  /** Where that one is taken. */
  readonly source: number;
  /** Edge 1 of the master is its first rise; each edge of the generated clock is one of those, and later by a shift. */
  readonly isInverted: boolean;
}

export interface UncertaintyRule {
  /** Of one clock (from = to = null: `clocks`), or between clocks. */
  readonly clocks: readonly string[];
  readonly from: { readonly clocks: readonly string[]; readonly edge: RuleEdge } | null;
  readonly to: { readonly clocks: readonly string[]; readonly edge: RuleEdge } | null;
  /** Ports and pins whose registers behind them it is for; none for clocks. */
  readonly points: readonly number[];
  readonly setup: boolean;
  readonly hold: boolean;
  readonly ps: number;
  readonly origin: RuleOrigin;
}
export interface LatencyRule {
  readonly clocks: readonly string[];
  /** Ports and pins, for the clocks that pass there. */
  readonly points: readonly number[];
  /** Outside of the part, before the clock's source. */
  readonly isSource: boolean;
  readonly early: boolean;
  readonly late: boolean;
  readonly min: boolean;
  readonly max: boolean;
  readonly ps: number;
  readonly origin: RuleOrigin;
}
interface IoDelayRule {
  readonly side: "input" | "output";
  readonly ports: readonly number[];
  /** Null: without a clock, from the time 0. */
  readonly clock: string | null;
  readonly clockFalls: boolean;
  /** Pin or port where the clock is taken, -1 for its source. */
  readonly reference: number;
  readonly add: boolean;
  readonly max: boolean;
  readonly min: boolean;
  readonly edge: RuleEdge;
  readonly ps: number;
  readonly sourceLatencyIncluded: boolean;
  readonly origin: RuleOrigin;
}
export type ExceptionKind = "false path" | "max delay" | "min delay" | "multicycle" | "group" | "max skew";
export interface ExceptionRule {
  readonly kind: ExceptionKind;
  readonly from: RulePoints | null;
  readonly through: readonly RulePoints[];
  readonly to: RulePoints | null;
  /** Kinds of check that it is for. */
  readonly setup: boolean;
  readonly hold: boolean;
  /** Edge at the end of the path. */
  readonly edge: RuleEdge;
  /** Cycles of a multicycle, ps of a delay or skew; 0 for others. */
  readonly value: number;
  /** Cycles of the launching clock count, not of the capturing one. */
  readonly byStart: boolean;
  /** Of a group of paths. */
  readonly group: string;
  readonly origin: RuleOrigin;
}
interface ClockGroupsRule {
  readonly kind: "asynchronous" | "logically exclusive" | "physically exclusive";
  readonly groups: readonly (readonly string[])[];
  readonly origin: RuleOrigin;
}
interface CaseRule {
  readonly objects: readonly number[];
  readonly value: "0" | "1" | "rising" | "falling";
  readonly origin: RuleOrigin;
}
interface DisableRule {
  readonly objects: readonly number[];
  /** Names of pins of the cells; empty for all. */
  readonly from: string;
  readonly to: string;
  readonly origin: RuleOrigin;
}
interface DataCheckRule {
  readonly from: RulePoints;
  readonly to: RulePoints;
  readonly setupPs: number | null;
  readonly holdPs: number | null;
  readonly clock: string | null;
  readonly origin: RuleOrigin;
}
interface GatingRule {
  readonly objects: readonly number[];
  readonly setupPs: number | null;
  readonly holdPs: number | null;
  readonly origin: RuleOrigin;
}
/** Capacitance in pF at outputs, resistance in kOhm at inputs. */
interface LoadRule {
  readonly kind: "load" | "drive";
  readonly ports: readonly number[];
  readonly max: boolean;
  readonly min: boolean;
  readonly edge: RuleEdge;
  readonly value: number;
  readonly origin: RuleOrigin;
}
/** Clocks or points that are looked at with their real way through the part, and who says so. */
interface PropagatedRule {
  readonly clocks: readonly string[];
  readonly points: readonly number[];
  readonly origin: RuleOrigin;
}

export interface TimingRules {
  readonly objects: readonly RuleObject[];
  readonly clocks: readonly ClockRule[];
  readonly uncertainties: readonly UncertaintyRule[];
  readonly latencies: readonly LatencyRule[];
  readonly propagated: readonly PropagatedRule[];
  readonly ioDelays: readonly IoDelayRule[];
  readonly exceptions: readonly ExceptionRule[];
  readonly groups: readonly ClockGroupsRule[];
  readonly cases: readonly CaseRule[];
  readonly disabled: readonly DisableRule[];
  readonly dataChecks: readonly DataCheckRule[];
  readonly gating: readonly GatingRule[];
  readonly loads: readonly LoadRule[];
}

type Mutable<T> = { -readonly [K in keyof T]: T[K] extends readonly (infer E)[] ? E[] : T[K] };
/** Rules that are being read. */
export type OpenRules = Mutable<TimingRules>;

export const emptyRules = (): OpenRules => ({
  objects: [],
  clocks: [],
  uncertainties: [],
  latencies: [],
  propagated: [],
  ioDelays: [],
  exceptions: [],
  groups: [],
  cases: [],
  disabled: [],
  dataChecks: [],
  gating: [],
  loads: [],
});

export const noTimingRules: TimingRules = emptyRules();
