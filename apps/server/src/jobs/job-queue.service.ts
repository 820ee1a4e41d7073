import { Worker } from "node:worker_threads";
import type { StageRecord } from "@gate-clock/core";
import { Inject, Injectable, Logger, type OnApplicationShutdown } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { Op } from "sequelize";
import { configToken, type ServerConfig } from "../common/config.ts";
import { ArtifactModel, TrialModel } from "../trials/trial.models.ts";
import { Boss } from "./boss.service.ts";
import type { ToServer, TrialJob } from "./messages.ts";

const queueName = "trials";
const heartbeatMs = 1500;
/** A trial without a sign of life for so long has lost its worker. */
const lostAfterMs = 6000;
const maxAttempts = 4;
const saveEveryMs = 250;

/**
 * Trials wait in PostgreSQL (pg-boss) and run in threads outside the request path. Whoever takes one up claims its row;
 * a row whose worker stopped giving signs of life goes back to the queue, and finds its finished stages in the store.
 */
@Injectable()
export class JobQueue implements OnApplicationShutdown {
  private readonly log = new Logger("Jobs");
  private readonly flags = new Map<string, Int32Array>();
  private readonly threads = new Map<string, Worker>();
  private reaper: NodeJS.Timeout | null = null;
  private isStopping = false;

  constructor(
    @Inject(configToken) private readonly config: ServerConfig,
    @InjectModel(TrialModel) private readonly trials: typeof TrialModel,
    @InjectModel(ArtifactModel) private readonly artifacts: typeof ArtifactModel,
    @Inject(Boss) private readonly boss: Boss,
  ) {}

  async start(): Promise<void> {
    await this.boss.serve(queueName, this.config.workers, (id) => this.runTrial(id));
    await this.takeUpLost();
    this.reaper = setInterval(
      () => void this.takeUpLost().catch((error: Error) => this.log.error(error.message)),
      2000,
    );
  }

  async enqueue(trialId: string): Promise<void> {
    await this.boss.send(queueName, trialId);
  }

  cancelLocal(trialId: string): void {
    const flag = this.flags.get(trialId);
    if (flag) Atomics.store(flag, 0, 1);
  }

  async onApplicationShutdown(): Promise<void> {
    this.isStopping = true;
    if (this.reaper) clearInterval(this.reaper);
    // running trials go back to the queue: what they have finished is kept
    for (const [trialId, thread] of this.threads) {
      await thread.terminate();
      await this.trials.update({ status: "queued", heartbeatAt: null }, { where: { id: trialId, status: "running" } });
    }
  }

  /** Puts back trials whose worker is gone, and queued ones whose message is. */
  private async takeUpLost(): Promise<void> {
    if (this.isStopping) return;
    const before = new Date(Date.now() - lostAfterMs);
    const lost = await this.trials.findAll({
      where: {
        [Op.or]: [
          { status: "running", heartbeatAt: { [Op.lt]: before } },
          { status: "queued", updatedAt: { [Op.lt]: before } },
        ],
      },
      attributes: ["id", "status", "attempts"],
    });
    for (const row of lost) {
      if (this.threads.has(row.id)) continue;
      if (row.attempts >= maxAttempts) {
        await this.trials.update(
          { status: "failed", failure: `Given up: the worker was lost ${row.attempts} times.`, finishedAt: new Date() },
          { where: { id: row.id, status: ["running", "queued"] } },
        );
        continue;
      }
      const [count] = await this.trials.update(
        { status: "queued", heartbeatAt: null },
        { where: { id: row.id, status: row.status, updatedAt: { [Op.lt]: before } } },
      );
      if (count) await this.enqueue(row.id);
    }
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

  private async runTrial(trialId: string): Promise<void> {
    if (this.isStopping) return;
    const now = new Date();
    const [claimed] = await this.trials.update(
      {
        status: "running",
        heartbeatAt: now,
        startedAt: now,
        attempts: this.trials.sequelize!.literal("attempts + 1") as unknown as number,
      },
      { where: { id: trialId, status: "queued" } },
    );
    if (!claimed) return; // cancelled meanwhile, deleted, or taken by another worker
    const row = await this.trials.findByPk(trialId);
    if (!row) return;
    const cancelFlag = new SharedArrayBuffer(4);
    const flag = new Int32Array(cancelFlag);
    this.flags.set(trialId, flag);
    const job: TrialJob = { input: row.input, cancelFlag, reuseFrom: await this.lastSynthKey(row) };
    const thread = new Worker(new URL("./trial-thread.js", import.meta.url), { workerData: job });
    this.threads.set(trialId, thread);
    const stages = new Map<string, StageRecord>(row.stages.map((record) => [record.stage, record]));
    let isDirty = false;
    let isOver = false;
    const save = async () => {
      if (!isDirty || isOver) return;
      isDirty = false;
      await this.trials.update(
        { stages: [...stages.values()], heartbeatAt: new Date() },
        { where: { id: trialId, status: "running" } },
      );
    };
    const saver = setInterval(() => void save().catch((error: Error) => this.log.error(error.message)), saveEveryMs);
    const heart = setInterval(() => {
      void this.beat(trialId, flag).catch((error: Error) => this.log.error(error.message));
    }, heartbeatMs);
    try {
      const finished = await new Promise<Extract<ToServer, { kind: "finished" }>>((resolve, reject) => {
        thread.on("message", (message: ToServer) => {
          if (message.kind === "stage") {
            stages.set(message.record.stage, message.record);
            isDirty = true;
          } else if (message.kind === "finished") resolve(message);
          else void this.serveStore(thread, message).catch(reject);
        });
        thread.on("error", reject);
        thread.on("exit", (code) => reject(new Error(`The worker thread ended early (exit ${code}).`)));
      });
      isOver = true;
      await this.trials.update(
        {
          status: finished.status,
          stages: [...finished.stages],
          findings: [...finished.findings],
          figures: finished.figures,
          finishedAt: new Date(),
          failure: null,
        },
        { where: { id: trialId, status: "running" } },
      );
    } catch (error) {
      isOver = true;
      if (!this.isStopping) {
        this.log.error(`Trial ${trialId}: ${(error as Error).stack ?? (error as Error).message}`);
        await this.trials.update(
          {
            status: "failed",
            failure: `An internal error stopped the trial: ${(error as Error).message}`,
            finishedAt: new Date(),
          },
          { where: { id: trialId, status: "running" } },
        );
      }
    } finally {
      clearInterval(saver);
      clearInterval(heart);
      this.flags.delete(trialId);
      this.threads.delete(trialId);
      if (!this.isStopping) await thread.terminate();
    }
  }

  /** Signs of life, and the way by which a cancel from another process arrives. */
  private async beat(trialId: string, flag: Int32Array): Promise<void> {
    await this.trials.update({ heartbeatAt: new Date() }, { where: { id: trialId, status: "running" }, silent: true });
    const row = await this.trials.findByPk(trialId, { attributes: ["cancelRequested"] });
    if (!row || row.cancelRequested) Atomics.store(flag, 0, 1);
  }

  private async serveStore(thread: Worker, message: Extract<ToServer, { kind: "get" | "put" }>): Promise<void> {
    if (message.kind === "get") {
      const found = await this.artifacts.findByPk(message.key);
      thread.postMessage({ id: message.id, bytes: found ? found.bytes : null });
      return;
    }
    await this.artifacts.upsert({ key: message.key, stage: message.stage, bytes: Buffer.from(message.bytes) });
    thread.postMessage({ id: message.id, bytes: null });
  }
}
