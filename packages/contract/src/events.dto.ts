import type { StageRecord } from "@gate-clock/core";
import type { BenchRunInfo } from "./bench-run.dto.ts";
import type { TrialFigures, TrialStatus } from "./design.dto.ts";

/** Of a trial, what changes while it runs. */
export interface LiveTrial {
  readonly id: string;
  readonly designId: string;
  readonly status: TrialStatus;
  readonly stages: readonly StageRecord[];
  readonly figures: TrialFigures;
  readonly failure: string | null;
  readonly startedAt: string | null;
  readonly finishedAt: string | null;
}

/** What comes over the one stream of events. */
export type ServerEvent =
  | { readonly kind: "trial"; readonly trial: LiveTrial }
  | { readonly kind: "run"; readonly run: BenchRunInfo }
  /** The design's files, targets or settings changed, or it is new or gone. `file`: it is only that a file was saved. */
  | {
      readonly kind: "design";
      readonly designId: string;
      readonly file?: { readonly id: string; readonly version: number };
    }
  /** Events may have been lost: ask for everything again. */
  | { readonly kind: "again" }
  /** Nothing; somebody is there. */
  | { readonly kind: "alive" };
