import {
  type ArtifactStore,
  decodeArtifact,
  encodeArtifact,
  hashBytes,
  type StageName,
  type StageRecord,
  stageNames,
} from "@gate-clock/core";
import { joinPath } from "./load-design.ts";
import type { Session } from "./session.ts";

interface KeptFile {
  readonly key: string;
  /** SHA-256 of the bytes: a file that was cut off, or changed by hand, is no result. */
  readonly sum: string;
  readonly bytes: Uint8Array;
}

/** Results of the last build, one file a stage in a folder of the output, so that the next one spares what did not change. */
export class KeptResults implements ArtifactStore {
  private readonly read = new Map<string, KeptFile | null>();

  /**
   * @param folder Output folder of the build.
   * @param afresh Look at nothing that is there.
   */
  constructor(
    private readonly folder: string,
    private readonly io: Session,
    private readonly afresh: boolean,
  ) {}

  async get(key: string): Promise<Uint8Array | null> {
    if (this.afresh) return null;
    const isMemory = key.includes("/");
    for (const stage of isMemory ? ["synth" as const] : stageNames) {
      const found = this.file(fileName(stage, key));
      if (found?.key === key) return found.bytes;
    }
    return null;
  }

  async put(key: string, stage: StageName, bytes: Uint8Array): Promise<void> {
    const kept: KeptFile = { key, sum: hashBytes(bytes), bytes };
    const name = fileName(stage, key);
    this.io.makeFolder(joinPath(this.folder, "kept"));
    this.io.save(this.path(name), encodeArtifact(kept));
    this.read.set(name, kept);
  }

  private path(name: string): string {
    return joinPath(this.folder, "kept", name);
  }

  private file(name: string): KeptFile | null {
    const known = this.read.get(name);
    if (known !== undefined) return known;
    let found: KeptFile | null = null;
    try {
      const written = this.io.readBytes(this.path(name));
      const kept = written && decodeArtifact<KeptFile>(written);
      if (
        kept &&
        typeof kept.key === "string" &&
        kept.bytes instanceof Uint8Array &&
        hashBytes(kept.bytes) === kept.sum
      )
        found = kept;
    } catch {
      // what cannot be read is made anew
    }
    this.read.set(name, found);
    return found;
  }
}

/** What a stage keeps for its own next run lies beside its result. */
const fileName = (stage: StageName, key: string): string => `${stage}${key.includes("/") ? "-memory" : ""}.kept`;

/** Records of the stages in a report of `build`; null for one of another version, or none. */
export function recordsIn(report: unknown): StageRecord[] | null {
  const list = (report as { stages?: unknown } | null)?.stages;
  if (!Array.isArray(list)) return null;
  const isText = (value: unknown) => value === null || value === undefined || typeof value === "string";
  const isTable = (value: unknown) =>
    value === undefined ||
    (typeof value === "object" && value !== null && Object.values(value).every((each) => typeof each === "string"));
  const isRecord = (each: Record<string, unknown> | null) =>
    typeof each === "object" &&
    each !== null &&
    (stageNames as readonly unknown[]).includes(each["stage"]) &&
    typeof each["state"] === "string" &&
    isText(each["key"]) &&
    isTable(each["inputs"]) &&
    isTable(each["facets"]);
  return list.every(isRecord) ? (list as StageRecord[]) : null;
}
