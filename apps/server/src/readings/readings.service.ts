import { createHash } from "node:crypto";
import { type DesignReading, type Staleness, sameInputs, stages, staleness } from "@gate-clock/core";
import { Inject, Injectable } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Sequelize } from "sequelize-typescript";
import { JobQueue } from "../queue/queue.service.ts";
import { ReadingModel } from "../records/reading.model.ts";
import type { TrialModel } from "../records/trial.models.ts";
import type { HashedInput } from "../texts/texts.service.ts";

const versions = Object.values(stages).map(({ version }) => version);

/** Equal keys: the very same inputs. The name of a design is none of them. */
export function inputKey({ name: _, ...input }: HashedInput): string {
  const { top, part, board = null, recipe, seed, sources, pinFiles, timingFiles } = input;
  const files = [sources, pinFiles, timingFiles].map((list) => list.map(({ name, hash }) => [name, hash]));
  return createHash("sha256")
    .update(JSON.stringify([versions, top, part, board, recipe, seed, files]))
    .digest("hex");
}

/** How trials stand to their designs as they are now. */
@Injectable()
export class ReadingsService {
  constructor(
    @InjectModel(ReadingModel) private readonly readings: typeof ReadingModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(JobQueue) private readonly queue: JobQueue,
  ) {}

  /**
   * @param rows With the inputs of their targets as they are now; null where the target is gone.
   * @param mayAsk Designs that nobody has read yet are read for it; until then the answer for them is null.
   */
  async staleness(
    rows: readonly { readonly row: TrialModel; readonly current: HashedInput | null }[],
    mayAsk: boolean,
  ): Promise<(Staleness | null)[]> {
    const keys = new Map<string, string>();
    const isMoved = rows.map(({ row, current }) => {
      if (!current || !row.targetId) return false;
      const now = keys.get(row.targetId) ?? inputKey(current);
      keys.set(row.targetId, now);
      return inputKey(row.inputs) !== now;
    });
    const wanted = new Map<string, string>();
    rows.forEach(({ row }, i) => {
      if (isMoved[i]) wanted.set(row.targetId!, row.designId);
    });
    const known = new Map<string, DesignReading>();
    if (wanted.size > 0)
      for (const { targetId, inputKey: of, reading } of await this.readings.findAll({
        where: { targetId: [...wanted.keys()] },
      }))
        if (keys.get(targetId) === of) known.set(targetId, reading);
    if (mayAsk) await this.ask([...wanted].filter(([targetId]) => !known.has(targetId)));
    return rows.map(({ row, current }, i) => {
      if (!current) return withoutTarget;
      if (!isMoved[i]) return sameInputs(row.stages);
      const reading = known.get(row.targetId!);
      return reading ? staleness(row.stages, reading) : null;
    });
  }

  /** Puts a job in for each, unless there is one. */
  private async ask(targets: readonly (readonly [targetId: string, designId: string])[]): Promise<void> {
    for (const [targetId, designId] of targets)
      await this.sequelize.transaction(() => this.queue.add(targetId, "reading", designId));
  }
}

const withoutTarget: Staleness = {
  isCurrent: false,
  stages: [],
  changes: [{ what: "its target is gone", files: [] }],
  again: [],
  maybeAgain: [],
};
