import type { DesignInput, Finding, StageName, StageRecord } from "@gate-clock/core";

/** Between the server and the thread that computes a trial. */
export interface TrialJob {
  readonly input: DesignInput;
  /** One word: 1 asks the thread to stop. */
  readonly cancelFlag: SharedArrayBuffer;
  /** Key of a synth artifact to take over from what did not change. */
  readonly reuseFrom: string | null;
}
export type ToServer =
  | { readonly kind: "stage"; readonly record: StageRecord }
  | { readonly kind: "get"; readonly id: number; readonly key: string }
  | {
      readonly kind: "put";
      readonly id: number;
      readonly key: string;
      readonly stage: StageName;
      readonly bytes: Uint8Array;
    }
  | {
      readonly kind: "finished";
      readonly status: "done" | "failed" | "cancelled";
      readonly stages: readonly StageRecord[];
      readonly findings: readonly Finding[];
      readonly figures: import("@gate-clock/contract").TrialFigures;
    };
export type ToThread = { readonly id: number; readonly bytes: Uint8Array | null };
