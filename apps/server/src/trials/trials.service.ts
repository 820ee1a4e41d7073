import type { Trial, TrialFigures } from "@gate-clock/contract";
import { type DesignInput, type StageName, stageNames } from "@gate-clock/core";
import { Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { JobQueue } from "../jobs/job-queue.service.ts";
import { ArtifactModel, TrialModel } from "./trial.models.ts";

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
/** The list of trials leaves their findings and stages out of reach of a huge answer. */
const listLimit = 100;

@Injectable()
export class TrialsService {
  constructor(
    @InjectModel(TrialModel) private readonly trials: typeof TrialModel,
    @InjectModel(ArtifactModel) private readonly artifacts: typeof ArtifactModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(JobQueue) private readonly jobs: JobQueue,
  ) {}

  /** Queues a trial on a copy of the inputs as they are now. */
  async create(designId: string, targetId: string, input: DesignInput): Promise<Trial> {
    const row = await this.sequelize.transaction(async (transaction) => {
      // numbers count within a design: the lock makes two requests at once take turns
      await this.sequelize.query("SELECT id FROM designs WHERE id = $1 FOR UPDATE", { bind: [designId], transaction });
      const number = Number((await this.trials.max("number", { where: { designId }, transaction })) ?? 0) + 1;
      const stages = stageNames.map((stage) => ({
        stage,
        state: "waiting" as const,
        key: null,
        elapsedMs: null,
        fraction: 0,
        figure: null,
      }));
      return this.trials.create(
        { designId, targetId, number, status: "queued", input, stages, findings: [], figures: noFigures },
        { transaction },
      );
    });
    await this.jobs.enqueue(row.id);
    return toTrial(row, input);
  }

  /** @param current Inputs as they are now, by target. */
  async list(designId: string, current: ReadonlyMap<string, DesignInput>): Promise<Trial[]> {
    const rows = await this.trials.findAll({ where: { designId }, order: [["number", "DESC"]], limit: listLimit });
    return rows.map((row) => toTrial(row, current.get(row.targetId ?? "") ?? null));
  }

  /** Last trial of each target, in two queries. @param inputs Inputs as they are now, by target. */
  async lastOfEach(inputs: ReadonlyMap<string, DesignInput>): Promise<Map<string, Trial>> {
    if (inputs.size === 0) return new Map();
    const ids = await this.sequelize.query<{ id: string }>(
      "SELECT DISTINCT ON (target_id) id FROM trials WHERE target_id IN (:targets) ORDER BY target_id, number DESC",
      {
        replacements: { targets: [...inputs.keys()] },
        type: QueryTypes.SELECT,
      },
    );
    const rows = await this.trials.findAll({ where: { id: ids.map((row) => row.id) } });
    return new Map(rows.map((row) => [row.targetId!, toTrial(row, inputs.get(row.targetId!)!)]));
  }

  /** @throws NotFoundException if this design has no such trial. */
  async row(designId: string, trialId: string): Promise<TrialModel> {
    const row = await this.trials.findOne({ where: { id: trialId, designId } });
    if (!row) throw new NotFoundException(`Design ${designId} has no trial ${trialId}.`);
    return row;
  }

  async cancel(designId: string, trialId: string): Promise<void> {
    const row = await this.row(designId, trialId);
    if (row.status !== "queued" && row.status !== "running") return;
    await row.update({ cancelRequested: true });
    await this.trials.update(
      { status: "cancelled", finishedAt: new Date() },
      { where: { id: trialId, status: "queued" } },
    );
    this.jobs.cancelLocal(trialId);
  }

  /** @param targetId Only those for this target. */
  async cancelAll(designId: string, targetId?: string): Promise<void> {
    const where = { designId, status: ["queued", "running"], ...(targetId ? { targetId } : {}) };
    const rows = await this.trials.findAll({ where, attributes: ["id"] });
    for (const row of rows) await this.cancel(designId, row.id);
  }

  /** Stored bytes (Brotli) of a finished stage. @throws NotFoundException if the trial did not get that far. */
  async artifactBytes(designId: string, trialId: string, stage: StageName): Promise<{ key: string; bytes: Buffer }> {
    const row = await this.row(designId, trialId);
    const record = row.stages.find((candidate) => candidate.stage === stage);
    const isKept = record?.key && (record.state === "done" || record.state === "reused");
    const artifact = isKept ? await this.artifacts.findByPk(record.key!) : null;
    if (!artifact) throw new NotFoundException(`Trial ${row.number} has no result of the stage '${stage}'.`);
    return { key: artifact.key, bytes: artifact.bytes };
  }
}

/** @param current Inputs of its target as they are now; null if the target is gone. */
export function toTrial(row: TrialModel, current: DesignInput | null): Trial {
  const { id, designId, targetId, number, status, stages, findings, figures, failure, input } = row;
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
    part: input.part,
    recipe: input.recipe,
    seed: input.seed,
    changedSince: current ? changedInputs(input, current) : ["target"],
    createdAt: row.createdAt.toISOString(),
    startedAt: row.startedAt?.toISOString() ?? null,
    finishedAt: row.finishedAt?.toISOString() ?? null,
  };
}

/** Names of the inputs that differ: files by path, settings by name. */
export function changedInputs(before: DesignInput, now: DesignInput): string[] {
  const changed: string[] = [];
  for (const setting of ["top", "part", "recipe", "seed"] as const)
    if (before[setting] !== now[setting]) changed.push(setting);
  for (const list of ["sources", "pinFiles", "timingFiles"] as const) {
    const old = new Map(before[list].map((file) => [file.name, file.text]));
    for (const file of now[list]) {
      if (old.get(file.name) !== file.text) changed.push(file.name);
      old.delete(file.name);
    }
    changed.push(...old.keys());
  }
  return changed;
}
