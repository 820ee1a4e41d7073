import type { BenchRunInfo, StartBenchRunDto } from "@gate-clock/contract";
import { Inject, Injectable, NotFoundException } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Op } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { Notices } from "../notices/notices.service.ts";
import { JobQueue } from "../queue/queue.service.ts";
import { BenchResultModel, BenchRunModel } from "../records/bench-run.models.ts";
import { type NamedHash, TextsService } from "../texts/texts.service.ts";

/** Finished runs that are kept with a design; older ones go, with their waves. */
const keptRuns = 20;

@Injectable()
export class BenchRunsService {
  constructor(
    @InjectModel(BenchRunModel) private readonly runs: typeof BenchRunModel,
    @InjectModel(BenchResultModel) private readonly results: typeof BenchResultModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(TextsService) private readonly texts: TextsService,
    @Inject(JobQueue) private readonly queue: JobQueue,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  /** Queues a run on a copy of the sources as they are now. */
  async start(
    designId: string,
    sourcesNow: () => Promise<readonly NamedHash[]>,
    dto: StartBenchRunDto,
  ): Promise<BenchRunInfo> {
    const row = await this.sequelize.transaction(async () => {
      // numbers count within a design: the lock makes two requests at once take turns
      await this.sequelize.query("SELECT id FROM designs WHERE id = $1 FOR UPDATE", { bind: [designId] });
      const sources = await sourcesNow();
      const number = Number((await this.runs.max("number", { where: { designId } })) ?? 0) + 1;
      const finished = await this.runs.findAll({
        where: { designId, status: { [Op.in]: ["done", "failed", "cancelled"] } },
        attributes: ["id"],
        order: [["number", "DESC"]],
        offset: keptRuns - 1,
      });
      await this.runs.destroy({ where: { id: finished.map((old) => old.id) } });
      await this.texts.keepFilesOf(designId);
      const { bench, seed } = dto;
      const made = await this.runs.create({
        designId,
        number,
        status: "queued",
        bench,
        seed,
        until: dto.until ?? null,
        record: dto.record ?? null,
        sources: [...sources],
      });
      await this.queue.add(made.id, "bench", designId);
      await this.notices.tell({ kind: "run", designId, id: made.id });
      return made;
    });
    return toInfo(row);
  }

  /** Newest first. */
  async list(designId: string): Promise<BenchRunInfo[]> {
    const rows = await this.runs.findAll({
      where: { designId },
      attributes: { exclude: ["sources"] },
      order: [["number", "DESC"]],
    });
    return rows.map(toInfo);
  }

  /** @throws NotFoundException if this design has no such run. */
  async findOne(designId: string, runId: string): Promise<BenchRunInfo> {
    return toInfo(await this.row(designId, runId));
  }

  async cancel(designId: string, runId: string): Promise<void> {
    const row = await this.row(designId, runId);
    if (row.status !== "queued" && row.status !== "running") return;
    await this.sequelize.transaction(async () => {
      if (!(await this.queue.cancel(runId))) return;
      await this.runs.update({ status: "cancelled", finishedAt: new Date() }, { where: { id: runId } });
      await this.notices.tell({ kind: "run", designId, id: runId });
    });
  }

  /** Stored bytes (Brotli) of its result. @throws NotFoundException if it has none. */
  async resultBytes(designId: string, runId: string): Promise<Buffer> {
    const row = await this.row(designId, runId);
    const result = await this.results.findByPk(runId);
    if (!result) throw new NotFoundException(`Run ${row.number} has no result.`);
    return result.bytes;
  }

  /** Null if it is gone. */
  async find(runId: string): Promise<BenchRunInfo | null> {
    const row = await this.runs.findByPk(runId, { attributes: { exclude: ["sources"] } });
    return row && toInfo(row);
  }

  private async row(designId: string, runId: string): Promise<BenchRunModel> {
    const row = await this.runs.findOne({ where: { id: runId, designId }, attributes: { exclude: ["sources"] } });
    if (!row) throw new NotFoundException(`Design ${designId} has no run ${runId}.`);
    return row;
  }
}

function toInfo(row: BenchRunModel): BenchRunInfo {
  const { id, designId, number, bench, seed, until, record, status, progress, verdict, resultBytes, failure } = row;
  return {
    id,
    designId,
    number,
    bench,
    seed,
    until,
    record,
    status,
    progress: status === "running" ? progress : null,
    verdict,
    resultBytes,
    failure,
    createdAt: row.createdAt.toISOString(),
    startedAt: row.startedAt?.toISOString() ?? null,
    finishedAt: row.finishedAt?.toISOString() ?? null,
  };
}
