import type { Finding } from "../common/finding.ts";
import type { StageArtifacts } from "./artifacts.ts";
import type { StageName } from "./design-input.ts";

/** Keeps artifacts under their keys. Lives in the database on the server, in memory or a folder elsewhere. */
export interface ArtifactStore {
  get(key: string): Promise<Uint8Array | null>;
  put(key: string, stage: StageName, bytes: Uint8Array): Promise<void>;
}

export class MemoryStore implements ArtifactStore {
  private readonly kept = new Map<string, Uint8Array>();
  async get(key: string): Promise<Uint8Array | null> {
    return this.kept.get(key) ?? null;
  }
  async put(key: string, _stage: StageName, bytes: Uint8Array): Promise<void> {
    this.kept.set(key, bytes);
  }
}

/** What is kept for a stage: enough to go on without running it again, findings and run time included. */
export interface StoredStage<S extends StageName = StageName> {
  /** Version of the stage that made it: a reader that expects another one must not trust its shape. */
  readonly version: number;
  readonly artifact: StageArtifacts[S];
  readonly findings: readonly Finding[];
  readonly elapsedMs: number;
  readonly figure: string | null;
  /** Hash of each facet: what later keys are taken over. */
  readonly facets: Readonly<Record<string, string>>;
}
