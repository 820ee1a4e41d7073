import type { PinDelay, PinElectrical, PinPlan, PinSite } from "../constraints/pins/model.ts";
import type { PortCircuit } from "../constraints/port-circuit.ts";
import type { TimingRules } from "../constraints/sdc/rules.ts";
import type { ElaboratedDesign } from "../elaborate/elaborate.ts";
import type { PackedDesign, PlacedDesign, RoutedDesign } from "../layout/layout.ts";
import type { LayoutNetlist, MappedNetlist, PinDirection } from "../netlist/mapped.ts";
import type { HierarchyNode, RtlNetlist } from "../netlist/rtl.ts";
import type { BoundRules } from "../timing/bound-rules.ts";
import type { TimedNetlist } from "../timing/built-graph.ts";
import type { TimingReport } from "../timing/report.ts";
import type { StageName } from "./design-input.ts";

export interface RulesArtifact {
  readonly pins: PinPlan;
  readonly timing: TimingRules;
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
  rules: RulesArtifact;
  synth: MappedNetlist;
  goals: BoundRules;
  pack: PackedDesign;
  place: PlacedDesign;
  route: RoutedDesign;
  timing: TimingReport;
  image: ImageArtifact;
}

/**
 * What later stages read of the results of earlier ones. A stage sees these values alone, and its key is taken over them: what
 * it does not declare, it cannot depend on.
 */
export interface StageFacets {
  elaborate: {
    /** The word-level circuit, with names and without places. */
    circuit: RtlNetlist;
    ports: PortCircuit;
    /** Modules within modules, without places. */
    instances: HierarchyNode;
  };
  rules: {
    sites: readonly PinSite[];
    delays: readonly PinDelay[];
    electrical: readonly PinElectrical[];
    /** Clocks without what only people see of them, by port. */
    periods: readonly PortPeriod[];
    /** All that timing files say. Where it stands in them is not in its key. */
    timing: TimingRules;
  };
  synth: {
    /** Names in it are for findings, and not in its key. */
    structure: LayoutNetlist;
    /** The structure with its names, what LUTs compute, and where in the circuit as written each cell is from. */
    timed: TimedNetlist;
    /** The structure with all that configures it; names again are not in its key. */
    function: MappedNetlist;
  };
  goals: {
    /** Timing rules by the pins of `synth.structure`, without names. */
    bound: BoundRules;
  };
  pack: { clusters: PackedDesign };
  place: { places: PlacedDesign };
  route: { trees: RoutedDesign };
  timing: Readonly<Record<never, never>>;
  image: Readonly<Record<never, never>>;
}
/** As in `synth.structure`. */
export type FacetName = { [S in StageName]: `${S}.${keyof StageFacets[S] & string}` }[StageName];
export type FacetValue<F extends FacetName> = F extends `${infer S extends StageName}.${infer K}`
  ? K extends keyof StageFacets[S]
    ? StageFacets[S][K]
    : never
  : never;

export interface PortPeriod {
  readonly port: string;
  readonly periodPs: number;
}

type StageState = "waiting" | "running" | "done" | "reused" | "failed";
export interface StageRecord {
  readonly stage: StageName;
  readonly state: StageState;
  readonly key: string | null;
  /** Run time of the stage, also when its result was reused. */
  readonly elapsedMs: number | null;
  readonly fraction: number;
  readonly figure: string | null;
  /** What it ran on: hash, or short text, of each input that its key is taken over. */
  readonly inputs?: Readonly<Record<string, string>>;
  /** What later stages go by: hash of each facet of its result. */
  readonly facets?: Readonly<Record<string, string>>;
}
