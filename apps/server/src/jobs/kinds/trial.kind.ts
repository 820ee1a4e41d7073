import type { StageRecord } from "@gate-clock/core";
import { Inject, Injectable } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Op } from "sequelize";
import { ArtifactsService } from "../../artifacts/artifacts.service.ts";
import { storable } from "../../common/storable.ts";
import { Notices } from "../../notices/notices.service.ts";
import { TrialModel } from "../../records/trial.models.ts";
import { TextsService } from "../../texts/texts.service.ts";
import type { StoreQuestion, TrialDone, TrialTask } from "../tasks/trial-task.ts";
import type { Failure, JobKind } from "./kind.ts";

@Injectable()
export class TrialKind implements JobKind {
  readonly name = "trial";
  readonly timeMs = 24 * 3600_000;

  constructor(
    @InjectModel(TrialModel) private readonly trials: typeof TrialModel,
    @Inject(TextsService) private readonly texts: TextsService,
    @Inject(ArtifactsService) private readonly artifacts: ArtifactsService,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  async begin(id: string): Promise<TrialTask | null> {
    const row = await this.trials.findByPk(id, { attributes: { exclude: ["findings", "figures"] } });
    if (!row) return null;
    await this.change(row, { status: "running", startedAt: new Date() });
    return { input: await this.texts.inputOf(row.inputs), reuseFrom: await this.lastSynthKey(row) };
  }

  async progress(id: string, notes: readonly unknown[]): Promise<void> {
    const row = await this.trials.findByPk(id, { attributes: ["id", "designId", "stages", "status"] });
    if (row?.status !== "running") return;
    const stages = new Map(row.stages.map((record) => [record.stage, record]));
    for (const record of notes as StageRecord[]) stages.set(record.stage, record);
    await this.change(row, { stages: storable([...stages.values()]) });
  }

  async answer(_id: string, question: unknown): Promise<Uint8Array | null> {
    const asked = question as StoreQuestion;
    if ("get" in asked) return this.artifacts.get(asked.get);
    await this.artifacts.put(asked.put, asked.stage, asked.bytes);
    return null;
  }

  async finish(id: string, result: unknown): Promise<void> {
    const { status, stages, findings, figures } = result as TrialDone;
    await this.set(id, {
      status,
      stages: storable([...stages]),
      findings: storable([...findings]),
      figures,
      finishedAt: new Date(),
      failure: null,
    });
  }

  async fail(id: string, { text, finding }: Failure): Promise<void> {
    const row = await this.trials.findByPk(id, { attributes: ["id", "designId", "stages"] });
    if (!row) return;
    const stages = row.stages.map((record) =>
      record.state === "running" ? { ...record, state: "failed" as const } : record,
    );
    await this.change(row, {
      status: "failed",
      // what the design can be blamed for is a finding, our own mistake is not
      failure: finding ? null : text,
      findings: finding ? [finding] : [],
      stages,
      finishedAt: new Date(),
    });
  }

  async cancel(id: string): Promise<void> {
    await this.set(id, { status: "cancelled", finishedAt: new Date() });
  }

  async requeue(id: string): Promise<void> {
    await this.set(id, { status: "queued" });
  }

  private async set(id: string, values: Partial<TrialModel>): Promise<void> {
    const row = await this.trials.findByPk(id, { attributes: ["id", "designId"] });
    if (row) await this.change(row, values);
  }

  private async change(row: TrialModel, values: Partial<TrialModel>): Promise<void> {
    await this.trials.update(values, { where: { id: row.id } });
    await this.notices.tell({ kind: "trial", designId: row.designId, id: row.id });
  }

  /** Of the last trial before this one for the same target that got as far. */
  private async lastSynthKey({ targetId, number }: TrialModel): Promise<string | null> {
    if (!targetId) return null;
    const before = await this.trials.findAll({
      where: { targetId, number: { [Op.lt]: number } },
      order: [["number", "DESC"]],
      limit: 5,
      attributes: ["stages"],
    });
    for (const { stages } of before) {
      const synth = stages.find(({ stage }) => stage === "synth");
      if (synth?.key && (synth.state === "done" || synth.state === "reused")) return synth.key;
    }
    return null;
  }
}
