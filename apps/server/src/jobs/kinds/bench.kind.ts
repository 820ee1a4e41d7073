import type { BenchJob, BenchProgress } from "@gate-clock/core";
import { Inject, Injectable } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { KeptService } from "../../bench-runs/kept.service.ts";
import { storable } from "../../common/storable.ts";
import { Notices } from "../../notices/notices.service.ts";
import { BenchResultModel, BenchRunModel } from "../../records/bench-run.models.ts";
import { TextsService } from "../../texts/texts.service.ts";
import type { BenchDone } from "../tasks/bench-task.ts";
import type { Failure, JobKind } from "./kind.ts";

/** Memory for the waves of one run: they go through the database. */
const waveMemory = 128 * 2 ** 20;

/** Runs of test benches that take long. One that was lost starts again; with its seed it takes the same way. */
@Injectable()
export class BenchKind implements JobKind {
  readonly name = "bench";
  readonly timeMs = 24 * 3600_000;

  constructor(
    @InjectModel(BenchRunModel) private readonly runs: typeof BenchRunModel,
    @InjectModel(BenchResultModel) private readonly results: typeof BenchResultModel,
    @Inject(TextsService) private readonly texts: TextsService,
    @Inject(KeptService) private readonly kept: KeptService,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  async begin(id: string): Promise<BenchJob | null> {
    const row = await this.runs.findByPk(id);
    if (!row) return null;
    await this.change(row, { status: "running", startedAt: new Date(), progress: null });
    const { bench, until, seed, record } = row;
    return { sources: await this.texts.filesOf(row.sources), top: bench, until, seed, record, waveMemory };
  }

  async progress(id: string, notes: readonly unknown[]): Promise<void> {
    await this.set(id, { progress: notes[notes.length - 1] as BenchProgress });
  }

  async answer(): Promise<null> {
    return null;
  }

  async finish(id: string, result: unknown, isStopped: boolean): Promise<void> {
    const { verdict, bytes } = result as BenchDone;
    const row = await this.runs.findByPk(id, { attributes: ["id", "designId", "bench"] });
    if (!row) return;
    await this.results.create({ runId: id, bytes: Buffer.from(bytes) });
    await this.kept.put(row.designId, `verdict:${row.bench}`, storable({ ...verdict }));
    await this.change(row, {
      status: isStopped ? "cancelled" : "done",
      verdict: storable(verdict),
      resultBytes: bytes.length,
      progress: null,
      failure: null,
      finishedAt: new Date(),
    });
  }

  async fail(id: string, { text, finding }: Failure): Promise<void> {
    await this.set(id, {
      status: "failed",
      failure: finding ? `${finding.message} ${finding.remedy ?? ""}`.trim() : text,
      finishedAt: new Date(),
    });
  }

  async cancel(id: string, hasRun: boolean): Promise<void> {
    await this.set(id, {
      status: "cancelled",
      failure: hasRun ? "It did not stop by itself and was ended by force: what it had computed is lost." : null,
      finishedAt: new Date(),
    });
  }

  async requeue(id: string): Promise<void> {
    await this.set(id, { status: "queued", progress: null });
  }

  private async set(id: string, values: Partial<BenchRunModel>): Promise<void> {
    const row = await this.runs.findByPk(id, { attributes: ["id", "designId"] });
    if (row) await this.change(row, values);
  }

  private async change(row: BenchRunModel, values: Partial<BenchRunModel>): Promise<void> {
    await this.runs.update(values, { where: { id: row.id } });
    await this.notices.tell({ kind: "run", designId: row.designId, id: row.id });
  }
}
