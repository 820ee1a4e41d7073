import type { LiveTrial, Trial, TrialFigures } from "@gate-clock/contract";
import { type StageName, type Staleness, sameInputs, stageNames } from "@gate-clock/core";
import { Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { ArtifactsService } from "../artifacts/artifacts.service.ts";
import { Notices } from "../notices/notices.service.ts";
import { JobQueue } from "../queue/queue.service.ts";
import { ReadingsService } from "../readings/readings.service.ts";
import { TrialModel } from "../records/trial.models.ts";
import { type HashedInput, TextsService } from "../texts/texts.service.ts";

const noFigures: TrialFigures = {
  luts: null,
  registers: null,
  lutPercent: null,
  pins: null,
  clocks: null,
  wires: null,
  setupSlackPs: null,
  holdSlackPs: null,
  fmaxMhz: null,
  imageBytes: null,
  imageKey: null,
};
/** Trials that a list shows, the newest ones. */
const listLimit = 100;

@Injectable()
export class TrialsService {
  constructor(
    @InjectModel(TrialModel) private readonly trials: typeof TrialModel,
    @Inject(ArtifactsService) private readonly artifacts: ArtifactsService,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(TextsService) private readonly texts: TextsService,
    @Inject(JobQueue) private readonly queue: JobQueue,
    @Inject(Notices) private readonly notices: Notices,
    @Inject(ReadingsService) private readonly readings: ReadingsService,
  ) {}

  /** Queues a trial on the inputs as they are now. @param inputNow Reads them, with the design held. */
  async create(designId: string, targetId: string, inputNow: () => Promise<HashedInput>): Promise<Trial> {
    const row = await this.sequelize.transaction(async () => {
      // numbers count within a design: the lock makes two requests at once take turns
      await this.sequelize.query("SELECT id FROM designs WHERE id = $1 FOR UPDATE", { bind: [designId] });
      const input = await inputNow();
      const number = Number((await this.trials.max("number", { where: { designId } })) ?? 0) + 1;
      const stages = stageNames.map((stage) => ({
        stage,
        state: "waiting" as const,
        key: null,
        elapsedMs: null,
        fraction: 0,
        figure: null,
      }));
      await this.texts.keepFilesOf(designId);
      const fields = { designId, targetId, number, status: "queued", stages, findings: [], figures: noFigures };
      const made = await this.trials.create({ ...fields, inputs: input });
      await this.queue.add(made.id, "trial", designId);
      await this.notices.tell({ kind: "trial", designId, id: made.id });
      return made;
    });
    return toTrial(row, sameInputs(row.stages));
  }

  /** The newest ones. @param current Inputs as they are now, by target. @param number Only the one of this number. */
  async list(designId: string, current: ReadonlyMap<string, HashedInput>, number?: number): Promise<Trial[]> {
    const where = { designId, ...(number === undefined ? {} : { number: Math.min(number, 2 ** 31 - 1) }) };
    const rows = await this.trials.findAll({ where, order: [["number", "DESC"]], limit: listLimit });
    return this.shown(rows, current, true);
  }

  /** @param mayAsk See `ReadingsService.staleness`. */
  async shown(
    rows: readonly TrialModel[],
    current: ReadonlyMap<string, HashedInput>,
    mayAsk: boolean,
  ): Promise<Trial[]> {
    const pairs = rows.map((row) => ({ row, current: current.get(row.targetId ?? "") ?? null }));
    const told = await this.readings.staleness(pairs, mayAsk);
    return rows.map((row, i) => toTrial(row, told[i]));
  }

  /** Last trial of each target, in three queries. @param inputs Inputs as they are now, by target. */
  async lastOfEach(inputs: ReadonlyMap<string, HashedInput>, mayAsk: boolean): Promise<Map<string, Trial>> {
    if (inputs.size === 0) return new Map();
    const ids = await this.sequelize.query<{ id: string }>(
      "SELECT DISTINCT ON (target_id) id FROM trials WHERE target_id IN (:targets) ORDER BY target_id, number DESC",
      {
        replacements: { targets: [...inputs.keys()] },
        type: QueryTypes.SELECT,
      },
    );
    const rows = await this.trials.findAll({ where: { id: ids.map((row) => row.id) } });
    const trials = await this.shown(rows, inputs, mayAsk);
    return new Map(trials.map((trial) => [trial.targetId!, trial]));
  }

  /** @throws NotFoundException if this design has no such trial. */
  async row(designId: string, trialId: string): Promise<TrialModel> {
    const row = await this.trials.findOne({ where: { id: trialId, designId } });
    if (!row) throw new NotFoundException(`Design ${designId} has no trial ${trialId}.`);
    return row;
  }

  /** What a follower of a build sees: the row without what it ran on and what it found. */
  async live(trialId: string): Promise<LiveTrial | null> {
    const row = await this.trials.findByPk(trialId, { attributes: { exclude: ["inputs", "findings"] } });
    if (!row) return null;
    const { id, designId, status, stages, figures, failure } = row;
    return {
      id,
      designId,
      status,
      stages,
      figures,
      failure,
      startedAt: row.startedAt?.toISOString() ?? null,
      finishedAt: row.finishedAt?.toISOString() ?? null,
    };
  }

  async cancel(designId: string, trialId: string): Promise<void> {
    const row = await this.trials.findOne({ where: { id: trialId, designId }, attributes: ["id", "status"] });
    if (!row) throw new NotFoundException(`Design ${designId} has no trial ${trialId}.`);
    if (row.status !== "queued" && row.status !== "running") return;
    await this.sequelize.transaction(async () => {
      if (!(await this.queue.cancel(trialId))) return;
      await this.trials.update({ status: "cancelled", finishedAt: new Date() }, { where: { id: trialId } });
      await this.notices.tell({ kind: "trial", designId, id: trialId });
    });
  }

  /** @param targetId Only those for this target. */
  async cancelAll(designId: string, targetId?: string): Promise<void> {
    const where = { designId, status: ["queued", "running"], ...(targetId ? { targetId } : {}) };
    const rows = await this.trials.findAll({ where, attributes: ["id"] });
    for (const row of rows) await this.cancel(designId, row.id);
  }

  /** Stored bytes (Brotli) of a finished stage. @throws NotFoundException if the trial did not get that far. */
  async artifactBytes(designId: string, trialId: string, stage: StageName): Promise<{ key: string; bytes: Buffer }> {
    const row = await this.trials.findOne({ where: { id: trialId, designId }, attributes: ["id", "number", "stages"] });
    if (!row) throw new NotFoundException(`Design ${designId} has no trial ${trialId}.`);
    const record = row.stages.find((candidate) => candidate.stage === stage);
    const isKept = record?.key && (record.state === "done" || record.state === "reused");
    const bytes = isKept ? await this.artifacts.get(record.key!) : null;
    if (!bytes)
      throw new NotFoundException(
        `Trial ${row.number} has no result of the stage '${stage}'${isKept ? " any more: it was not used for long, and made room. Build again" : ""}.`,
      );
    return { key: record!.key!, bytes };
  }
}

function toTrial(row: TrialModel, staleness: Staleness | null): Trial {
  const { id, designId, targetId, number, status, stages, findings, figures, failure, inputs } = row;
  return {
    id,
    designId,
    targetId,
    number,
    status,
    stages,
    findings,
    figures,
    failure,
    part: inputs.part,
    recipe: inputs.recipe,
    seed: inputs.seed,
    staleness,
    createdAt: row.createdAt.toISOString(),
    startedAt: row.startedAt?.toISOString() ?? null,
    finishedAt: row.finishedAt?.toISOString() ?? null,
  };
}
