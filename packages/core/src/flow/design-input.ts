import type { SourceFile } from "../common/source.ts";

/** All that a trial depends on. Equal inputs give equal bits. */
export interface DesignInput {
  readonly name: string;
  /** null: the first module that no other instantiates. */
  readonly top: string | null;
  readonly part: string;
  /** What the part sits on, if that is a board that is known: what it ties to pins is checked. */
  readonly board?: string | null;
  /** HDL, and the texts that memories are filled from. */
  readonly sources: readonly SourceFile[];
  readonly pinFiles: readonly SourceFile[];
  readonly timingFiles: readonly SourceFile[];
  readonly recipe: string;
  readonly seed: number;
}

/** In the order in which they are run and shown. */
export const stageNames = [
  "elaborate",
  "rules",
  "synth",
  "goals",
  "pack",
  "place",
  "route",
  "timing",
  "image",
] as const;
export type StageName = (typeof stageNames)[number];
