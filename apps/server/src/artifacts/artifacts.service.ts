import { Inject, Injectable, Logger, type OnApplicationShutdown } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { configToken, type ServerConfig } from "../common/config.ts";
import { isOutage } from "../database/outage.ts";
import { ArtifactModel } from "../records/artifact.model.ts";

const sweepEveryMs = 10 * 60_000;
/** One that is younger may belong to a trial that has not told yet. */
const graceMinutes = 60;

/**
 * Results of stages under their keys. One that no trial refers to goes; of the others, those that were not used for
 * the longest time go while all of them take more than is allowed.
 */
@Injectable()
export class ArtifactsService implements OnApplicationShutdown {
  private readonly log = new Logger("Artifacts");
  private timer: NodeJS.Timeout | null = null;

  constructor(
    @InjectModel(ArtifactModel) private readonly artifacts: typeof ArtifactModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(configToken) private readonly config: ServerConfig,
  ) {}

  start(): void {
    this.timer = setInterval(
      () => void this.sweep().catch((error: Error) => this.log[isOutage(error) ? "warn" : "error"](error.message)),
      sweepEveryMs,
    );
  }

  onApplicationShutdown(): void {
    if (this.timer) clearInterval(this.timer);
  }

  /** Stored bytes, or null. */
  async get(key: string): Promise<Buffer | null> {
    const found = await this.artifacts.findByPk(key);
    if (!found) return null;
    await this.sequelize.query(
      "UPDATE artifacts SET used_at = now() WHERE key = $1 AND used_at < now() - interval '10 minutes'",
      { bind: [key] },
    );
    return found.bytes;
  }

  async put(key: string, stage: string, bytes: Uint8Array): Promise<void> {
    const packed = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    await this.artifacts.upsert({ key, stage, bytes: packed, usedAt: new Date() });
  }

  /** @returns How many went. */
  async sweep(): Promise<number> {
    const gone = await this.sequelize.query<{ key: string }>(
      `WITH used AS (
         SELECT DISTINCT record->>'key' AS key FROM trials, jsonb_array_elements(stages) record WHERE record->>'key' IS NOT NULL
       ), sized AS (
         SELECT key, used_at, sum(length(bytes)) OVER (ORDER BY used_at DESC, key) AS held,
           EXISTS (SELECT 1 FROM used WHERE used.key = split_part(artifacts.key, '/', 1)) AS is_used
         FROM artifacts
       )
       DELETE FROM artifacts USING sized
       WHERE artifacts.key = sized.key AND sized.used_at < now() - make_interval(mins => $1)
         AND (NOT sized.is_used OR sized.held > $2)
       RETURNING artifacts.key`,
      { bind: [graceMinutes, this.config.artifactBytes], type: QueryTypes.SELECT },
    );
    await this.sequelize.query(
      `DELETE FROM texts WHERE created_at < now() - make_interval(mins => $1) AND hash NOT IN (
         SELECT hash FROM (
           SELECT jsonb_path_query(inputs, '$.*[*].hash') #>> '{}' AS hash FROM trials
           UNION SELECT jsonb_path_query(sources, '$[*].hash') #>> '{}' FROM bench_runs
         ) used WHERE hash IS NOT NULL)`,
      { bind: [graceMinutes] },
    );
    if (gone.length)
      this.log.log(`${gone.length} results that nothing refers to any more, or beyond the limit, are gone.`);
    return gone.length;
  }
}
