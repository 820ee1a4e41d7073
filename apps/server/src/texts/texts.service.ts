import { createHash } from "node:crypto";
import type { DesignInput, SourceFile } from "@gate-clock/core";
import { Inject, Injectable } from "@nestjs/common";
import { QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";

/** A text by its hash. */
export interface NamedHash {
  readonly name: string;
  readonly hash: string;
}
/** What a trial ran on, with hashes in the place of texts: small enough to be compared and listed. */
export interface HashedInput extends Omit<DesignInput, "sources" | "pinFiles" | "timingFiles"> {
  readonly sources: readonly NamedHash[];
  readonly pinFiles: readonly NamedHash[];
  readonly timingFiles: readonly NamedHash[];
}

export const hashOf = (text: string): string => createHash("sha256").update(text).digest("hex");

/** Texts that trials and runs were made of, each kept once. */
@Injectable()
export class TextsService {
  constructor(@Inject(Sequelize) private readonly sequelize: Sequelize) {}

  /**
   * Keeps the texts of files as they are now: taken over within the database. Whoever wants them to be those that it has
   * just read the hashes of holds the design's row meanwhile: no save is committed without that.
   */
  async keepFilesOf(designId: string): Promise<void> {
    await this.sequelize.query(
      `INSERT INTO texts (hash, text, created_at) SELECT DISTINCT ON (hash) hash, text, now() FROM design_files
       WHERE design_id = $1 ON CONFLICT (hash) DO UPDATE SET created_at = now()`,
      { bind: [designId] },
    );
  }

  async filesOf(files: readonly NamedHash[]): Promise<SourceFile[]> {
    const rows = await this.sequelize.query<{ hash: string; text: string }>(
      "SELECT hash, text FROM texts WHERE hash = ANY($1::text[])",
      { bind: [[...new Set(files.map((file) => file.hash))]], type: QueryTypes.SELECT },
    );
    const texts = new Map(rows.map((row) => [row.hash, row.text]));
    return files.map(({ name, hash }) => {
      const text = texts.get(hash);
      if (text === undefined) throw new Error(`The text of ${name} (${hash}) is not kept.`);
      return { name, text };
    });
  }

  async inputOf(input: HashedInput): Promise<DesignInput> {
    const { sources, pinFiles, timingFiles } = input;
    const all = await this.filesOf([...sources, ...pinFiles, ...timingFiles]);
    const pins = sources.length + pinFiles.length;
    return {
      ...input,
      sources: all.slice(0, sources.length),
      pinFiles: all.slice(sources.length, pins),
      timingFiles: all.slice(pins),
    };
  }
}
