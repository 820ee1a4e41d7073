import type { Waveform } from "./edge-relation.ts";

/** Timing rules laid over the pins of a graph. Clocks, pins and ports by number; times in ps. */
export interface BoundClock extends Waveform {
  readonly name: string;
  /** Pins where it starts; none for a virtual clock. */
  readonly sources: readonly number[];
  /** Number of the clock that it is made of, -1 for none, and pin where that one is taken, -1 where unknown. */
  readonly master: number;
  readonly masterPin: number;
  /** Made by a block of the part; no line declares it. */
  readonly isAutomatic: boolean;
  /** From one period to the next, in ps, of the block that makes it or what it is made of; and that block's cell, -1 for none. */
  readonly jitterPs: number;
  readonly jitterFrom: number;
}

/** Transitions as bits: 1 rising, 2 falling. */
export type EdgeBits = number;

export interface BoundPoints {
  /** Clocks, each with the edges that count, `2 * clock + (falls ? 1 : 0)`. */
  readonly clockEdges: readonly number[];
  readonly pins: readonly number[];
  /** Transitions at the pins that count. */
  readonly edges: EdgeBits;
}
export interface BoundException {
  readonly kind: "false path" | "max delay" | "min delay" | "multicycle" | "group" | "max skew";
  /** Starts are known by the pin where data begins: a register's output, a port. */
  readonly from: BoundPoints | null;
  readonly through: readonly BoundPoints[];
  readonly to: BoundPoints | null;
  readonly setup: boolean;
  readonly hold: boolean;
  readonly edges: EdgeBits;
  readonly value: number;
  readonly byStart: boolean;
  readonly group: string;
  /** Number of the rule in the timing files. */
  readonly rule: number;
}
export interface BoundIoDelay {
  readonly side: "input" | "output";
  /** Port of the graph. */
  readonly port: number;
  /** -1: without a clock. */
  readonly clock: number;
  readonly clockFalls: boolean;
  readonly reference: number;
  readonly add: boolean;
  readonly max: boolean;
  readonly min: boolean;
  readonly edges: EdgeBits;
  readonly ps: number;
  readonly withoutLatency: boolean;
  readonly rule: number;
}
export interface BoundUncertainty {
  /** Capturing clocks; or launching and capturing edges, `2 * clock + falls`, both null otherwise. */
  readonly clocks: readonly number[];
  readonly from: readonly number[] | null;
  readonly to: readonly number[] | null;
  /** Clock pins that it is for. */
  readonly pins: readonly number[];
  readonly setup: boolean;
  readonly hold: boolean;
  readonly ps: number;
  readonly rule: number;
}
export interface BoundLatency {
  readonly clocks: readonly number[];
  readonly isSource: boolean;
  readonly early: boolean;
  readonly late: boolean;
  readonly edges: EdgeBits;
  readonly ps: number;
  readonly rule: number;
}
export interface BoundDataCheck {
  readonly from: BoundPoints;
  readonly to: BoundPoints;
  /** Clock that launches both; -1 for any. */
  readonly clock: number;
  readonly setupPs: number | null;
  readonly holdPs: number | null;
  readonly rule: number;
}
export interface PortLoad {
  readonly loadMost: number | null;
  readonly loadLeast: number | null;
  readonly driveMost: number;
  readonly driveLeast: number;
}
export interface BoundRules {
  readonly clocks: readonly BoundClock[];
  readonly exceptions: readonly BoundException[];
  readonly ioDelays: readonly BoundIoDelay[];
  readonly uncertainties: readonly BoundUncertainty[];
  readonly latencies: readonly BoundLatency[];
  /** [pairs] Clocks between which no path counts: `launch * clocks + capture`. */
  readonly cutPairs: ReadonlySet<number>;
  /** Pins that are constant, 0 or 1. */
  readonly constants: ReadonlyMap<number, 0 | 1>;
  /** Pins that only rise, or only fall. */
  readonly onlyEdges: ReadonlyMap<number, EdgeBits>;
  /** Arcs that rules switch off. */
  readonly disabledArcs: readonly number[];
  readonly dataChecks: readonly BoundDataCheck[];
  /** What lies at ports outside: pF at outputs, kOhm at inputs. By port of the graph. */
  readonly loads: ReadonlyMap<number, PortLoad>;
  /** Setup and hold of gates, by pin of the gate's output; pin -1 for all others. */
  readonly gating: ReadonlyMap<number, { readonly setupPs: number; readonly holdPs: number }>;
}
