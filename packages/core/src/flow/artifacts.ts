import type { PinPlan } from "../constraints/pins.ts";
import type { ClockRule } from "../constraints/sdc.ts";
import type { ElaboratedDesign } from "../elaborate/elaborate.ts";
import type { MappedNetlist, PinDirection } from "../netlist/mapped.ts";
import type { PackedDesign } from "../pack/pack.ts";
import type { PlacedDesign } from "../place/place.ts";
import type { RoutedDesign } from "../route/route.ts";
import type { TimingReport } from "../timing/report.ts";
import type { StageName } from "./design-input.ts";

export interface RulesArtifact {
  readonly pins: PinPlan;
  readonly clocks: readonly ClockRule[];
}
export interface ImageArtifact {
  /** The bitstream file. */
  readonly file: Uint8Array;
  readonly partName: string;
  readonly idcode: number;
  readonly designKey: string;
  /** Bits of the configuration memory, and how many of them are 1. */
  readonly memoryBits: number;
  readonly bitsSet: number;
  readonly frames: number;
  readonly ports: readonly ImagePort[];
}
/** Where a port bit of the design is on the package. */
export interface ImagePort {
  readonly port: string;
  readonly direction: PinDirection;
  readonly pin: string;
  readonly standard: string;
  /** Period in ns of the clock that starts here, if a rule gives one. */
  readonly clockNs: number | null;
}

export interface StageArtifacts {
  elaborate: ElaboratedDesign;
  synth: MappedNetlist;
  rules: RulesArtifact;
  pack: PackedDesign;
  place: PlacedDesign;
  route: RoutedDesign;
  timing: TimingReport;
  image: ImageArtifact;
}

export type StageState = "waiting" | "running" | "done" | "reused" | "failed";
export interface StageRecord {
  readonly stage: StageName;
  readonly state: StageState;
  readonly key: string | null;
  /** Run time of the stage, also when its result was reused. */
  readonly elapsedMs: number | null;
  readonly fraction: number;
  readonly figure: string | null;
}
