import { Worker } from "node:worker_threads";
import { Inject, Injectable, Logger, type OnApplicationShutdown } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Op } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { Boss } from "../jobs/boss.service.ts";
import { BenchResultModel, BenchRunModel } from "./bench-run.models.ts";
import type { BenchThreadData, FromBenchThread } from "./bench-thread.ts";
import { KeptService } from "./kept.service.ts";

const queueName = "bench-runs";
const heartbeatMs = 1000;
/** A run without a sign of life for so long has lost its worker. */
const lostAfterMs = 6000;
const maxAttempts = 3;
/** A thread that has not stopped so long after it was asked to is ended. */
const patienceMs = 3000;
/** Memory for the waves of one run: they go through the database. */
const waveMemory = 128 * 2 ** 20;

/**
 * Runs of test benches that take long: they wait in PostgreSQL, run in a thread, and go on when no page is open. One
 * whose server was lost starts again from the beginning; with its seed it takes the same way.
 */
@Injectable()
export class BenchQueue implements OnApplicationShutdown {
  private readonly log = new Logger("Bench runs");
  private readonly live = new Map<string, { readonly thread: Worker; readonly flag: Int32Array }>();
  private reaper: NodeJS.Timeout | null = null;
  private isStopping = false;

  constructor(
    @InjectModel(BenchRunModel) private readonly runs: typeof BenchRunModel,
    @InjectModel(BenchResultModel) private readonly results: typeof BenchResultModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(KeptService) private readonly kept: KeptService,
    @Inject(Boss) private readonly boss: Boss,
  ) {}

  async start(): Promise<void> {
    await this.boss.serve(queueName, 1, (id) => this.run(id));
    await this.takeUpLost();
    this.reaper = setInterval(
      () => void this.takeUpLost().catch((error: Error) => this.log.error(error.message)),
      2000,
    );
  }

  async enqueue(runId: string): Promise<void> {
    await this.boss.send(queueName, runId);
  }

  cancelLocal(runId: string): void {
    const live = this.live.get(runId);
    if (!live || Atomics.load(live.flag, 0) === 1) return;
    Atomics.store(live.flag, 0, 1);
    // a piece that never ends does not look at the flag
    setTimeout(() => {
      if (this.live.get(runId) === live) void live.thread.terminate();
    }, patienceMs).unref();
  }

  async onApplicationShutdown(): Promise<void> {
    this.isStopping = true;
    if (this.reaper) clearInterval(this.reaper);
    for (const [id, { thread }] of this.live) {
      await thread.terminate();
      await this.runs.update({ status: "queued", heartbeatAt: null }, { where: { id, status: "running" } });
    }
  }

  private async takeUpLost(): Promise<void> {
    if (this.isStopping) return;
    const before = new Date(Date.now() - lostAfterMs);
    const lost = await this.runs.findAll({
      where: {
        [Op.or]: [
          { status: "running", heartbeatAt: { [Op.lt]: before } },
          // one that waits behind others has its message still: a second one does no harm, the row is claimed once
          { status: "queued", updatedAt: { [Op.lt]: before } },
        ],
      },
      attributes: ["id", "status", "attempts"],
    });
    for (const { id, status, attempts } of lost) {
      if (this.live.has(id)) continue;
      if (attempts >= maxAttempts) {
        await this.runs.update(
          { status: "failed", failure: `Given up: its server was lost ${attempts} times.`, finishedAt: new Date() },
          { where: { id, status: ["running", "queued"] } },
        );
        continue;
      }
      const [count] = await this.runs.update(
        { status: "queued", heartbeatAt: null, progress: null },
        { where: { id, status, updatedAt: { [Op.lt]: before } } },
      );
      if (count) await this.enqueue(id);
    }
  }

  private async run(id: string): Promise<void> {
    if (this.isStopping) return;
    const now = new Date();
    const [claimed] = await this.runs.update(
      {
        status: "running",
        heartbeatAt: now,
        startedAt: now,
        attempts: this.sequelize.literal("attempts + 1") as unknown as number,
      },
      { where: { id, status: "queued" } },
    );
    if (!claimed) return;
    const row = await this.runs.findByPk(id);
    if (!row) return;
    const cancelFlag = new SharedArrayBuffer(4);
    const flag = new Int32Array(cancelFlag);
    const { sources, bench, until, seed, record } = row;
    const data: BenchThreadData = { job: { sources, top: bench, until, seed, record, waveMemory }, cancelFlag };
    const thread = new Worker(new URL("./bench-thread.js", import.meta.url), { workerData: data });
    this.live.set(id, { thread, flag });
    let progress = row.progress;
    const heart = setInterval(
      () => void this.beat(id, progress).catch((error: Error) => this.log.error(error.message)),
      heartbeatMs,
    );
    try {
      const finished = await new Promise<Extract<FromBenchThread, { kind: "finished" }>>((resolve, reject) => {
        thread.on("message", (message: FromBenchThread) => {
          if (message.kind === "finished") resolve(message);
          else progress = message.progress;
        });
        thread.on("error", reject);
        thread.on("exit", (code) => reject(new Error(`The worker thread ended early (exit ${code}).`)));
      });
      clearInterval(heart);
      await this.finish(row, finished, Atomics.load(flag, 0) === 1);
    } catch (error) {
      clearInterval(heart);
      if (this.isStopping) return;
      const wasCancelled = Atomics.load(flag, 0) === 1;
      if (!wasCancelled) this.log.error(`Run ${id}: ${(error as Error).stack ?? (error as Error).message}`);
      await this.runs.update(
        {
          status: wasCancelled ? "cancelled" : "failed",
          failure: wasCancelled
            ? "It did not stop by itself and was ended by force: what it had computed is lost."
            : `An internal error stopped the run: ${(error as Error).message}`,
          finishedAt: new Date(),
        },
        { where: { id, status: "running" } },
      );
    } finally {
      clearInterval(heart);
      this.live.delete(id);
      if (!this.isStopping) await thread.terminate();
    }
  }

  /** Result, verdict and row in one: a page never sees one without the others. */
  private async finish(
    row: BenchRunModel,
    { verdict, bytes }: Extract<FromBenchThread, { kind: "finished" }>,
    wasCancelled: boolean,
  ): Promise<void> {
    await this.sequelize.transaction(async (transaction) => {
      const [count] = await this.runs.update(
        {
          status: wasCancelled ? "cancelled" : "done",
          verdict,
          resultBytes: bytes.length,
          progress: null,
          failure: null,
          finishedAt: new Date(),
        },
        { where: { id: row.id, status: "running" }, transaction },
      );
      if (!count) return; // deleted with its design meanwhile, or taken by another server
      await this.results.create({ runId: row.id, bytes: Buffer.from(bytes) }, { transaction });
      await this.kept.put(row.designId, `verdict:${row.bench}`, { ...verdict }, transaction);
    });
  }

  /** A sign of life, and the way by which a cancel from another process arrives. */
  private async beat(id: string, progress: BenchRunModel["progress"]): Promise<void> {
    await this.runs.update({ heartbeatAt: new Date(), progress }, { where: { id, status: "running" } });
    const row = await this.runs.findByPk(id, { attributes: ["cancelRequested"] });
    if (!row || row.cancelRequested) this.cancelLocal(id);
  }
}
