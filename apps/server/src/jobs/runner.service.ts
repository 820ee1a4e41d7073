import { readdirSync, readFileSync } from "node:fs";
import { hostname, setPriority } from "node:os";
import { fileURLToPath } from "node:url";
import { type Ending, endingText, type Limits, SealedProcess } from "@gate-clock/sealed";
import { Inject, Injectable, Logger, type OnApplicationShutdown } from "@nestjs/common";
import type { Subscription } from "rxjs";
import { Sequelize } from "sequelize-typescript";
import { configToken, type ServerConfig } from "../common/config.ts";
import { isOutage, withDatabase } from "../database/outage.ts";
import { Notices } from "../notices/notices.service.ts";
import { type ClaimedJob, JobQueue } from "../queue/queue.service.ts";
import type { JobModel } from "../records/job.model.ts";
import type { Failure, JobKind } from "./kinds/kind.ts";
import { jobKinds } from "./kinds/kind.ts";
import type { FromJob, ToJob } from "./messages.ts";

const program = fileURLToPath(new URL("./inside.cjs", import.meta.url));
const beatMs = 1000;
/** A server without a sign of life for so long has lost its jobs. */
const lostAfterMs = 6000;
const saveEveryMs = 250;
/** What has not stopped so long after it was asked to is ended. */
const patienceMs = 1500;
/** A job that runs for so long lets another design's one begin beside it, and go before it. */
const longMs = 5_000;
/** How far jobs stand back behind the server's own answers, and long ones behind others. */
const niceness = { short: 15, long: 19 };
/** Times that a job is begun, whatever becomes of its servers. */
const mostAttempts = 4;
const unlimited = 2 ** 31 - 1;

interface RunningJob {
  readonly claimed: ClaimedJob;
  readonly kind: JobKind;
  readonly sealed: SealedProcess;
  readonly since: number;
  notes: unknown[];
  isStopped: boolean;
  isLost: boolean;
}

/**
 * Runs jobs of every kind, each in a sealed process of its own: an endless loop, an abort or an end of memory ends that job
 * alone, and any of them can be ended from outside at any time.
 */
@Injectable()
export class JobRunner implements OnApplicationShutdown {
  private readonly log = new Logger("Jobs");
  /** Unique among all servers that ever were at this database. */
  private readonly me = `${hostname()}:${process.pid}:${Date.now()}`;
  private readonly kinds: ReadonlyMap<string, JobKind>;
  private readonly running = new Map<string, RunningJob>();
  /** A process that has been started and sealed, for the next job. */
  private spare: SealedProcess | null = null;
  private timers: NodeJS.Timeout[] = [];
  private subscription: Subscription | null = null;
  private isStopping = false;
  private isPumping = false;
  private pumpAgain = false;
  private readonly ends = new Set<Promise<void>>();

  constructor(
    @Inject(configToken) private readonly config: ServerConfig,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(JobQueue) private readonly queue: JobQueue,
    @Inject(Notices) private readonly notices: Notices,
    @Inject(jobKinds) kinds: readonly JobKind[],
  ) {
    this.kinds = new Map(kinds.map((kind) => [kind.name, kind]));
  }

  start(): void {
    this.subscription = this.notices.heard.subscribe((notice) => {
      if (notice.kind === "jobs") this.look();
    });
    // also without a notice: one may have been lost with the connection
    this.timers = [
      setInterval(() => this.look(), beatMs),
      setInterval(() => void this.quietly(() => this.takeUpLost()), 2000),
    ];
    void this.quietly(() => this.takeUpLost());
    this.look();
    this.prepareSpare();
  }

  async onApplicationShutdown(): Promise<void> {
    this.isStopping = true;
    this.subscription?.unsubscribe();
    for (const timer of this.timers) clearInterval(timer);
    this.spare?.stop();
    for (const { sealed } of this.running.values()) sealed.stop();
    await Promise.all(this.ends);
  }

  // ---- taking jobs ------------------------------------------------------------------------------------------------

  private look(): void {
    void this.quietly(async () => {
      await this.beat();
      await this.pump();
    });
  }

  /** What goes on in the background must not end the server: a database that is away comes back. */
  private async quietly(run: () => Promise<void>): Promise<void> {
    if (this.isStopping) return;
    try {
      await run();
    } catch (error) {
      if (!this.isStopping) this.log[isOutage(error) ? "warn" : "error"]((error as Error).message);
    }
  }

  private async pump(): Promise<void> {
    if (this.isPumping) {
      this.pumpAgain = true;
      return;
    }
    this.isPumping = true;
    try {
      do {
        this.pumpAgain = false;
        while (!this.isStopping && (await this.takeOne()));
      } while (this.pumpAgain);
    } finally {
      this.isPumping = false;
    }
  }

  private async takeOne(): Promise<boolean> {
    const { workers } = this.config;
    const now = Date.now();
    const long = [...this.running.values()].filter((job) => now - job.since >= longMs).length;
    const hasSlot = this.running.size < workers;
    // whoever waits behind long jobs of others gets a place beside them
    const hasPlace = this.running.size < workers + Math.min(long, workers + 2);
    if (!hasSlot && !hasPlace) return false;
    const begun = await this.sequelize.transaction(async () => {
      const claimed = await this.queue.claim(this.me, Math.max(1, workers - 1), !hasSlot);
      if (!claimed) return null;
      const kind = this.kinds.get(claimed.kind)!;
      try {
        const task = claimed.attempts <= mostAttempts ? await kind.begin(claimed.id) : null;
        return { claimed, kind, task, problem: null };
      } catch (error) {
        if (isOutage(error)) throw error;
        this.log.error((error as Error).stack ?? (error as Error).message);
        return { claimed, kind, task: null, problem: error as Error };
      }
    });
    if (!begun) return false;
    const { claimed, kind, task, problem } = begun;
    if (problem) await this.end(claimed.id, () => kind.fail(claimed.id, internal(problem.message)));
    else if (claimed.attempts > mostAttempts)
      await this.end(claimed.id, () =>
        kind.fail(claimed.id, {
          text: `Given up: the server that ran it was lost ${mostAttempts} times.`,
          finding: null,
        }),
      );
    else if (task === null) await this.queue.remove(claimed.id, this.me);
    else this.run(claimed, kind, task);
    return true;
  }

  private prepareSpare(): void {
    if (this.isStopping || this.spare) return;
    const limits: Limits = { memory: this.config.jobMemory, time: unlimited };
    const spare = new SealedProcess(program, limits, "messages");
    this.spare = spare;
    standBack(spare, niceness.short);
    void spare.ended.then(() => {
      if (this.spare === spare) this.spare = null;
    });
  }

  // ---- running one --------------------------------------------------------------------------------------------------

  private run(claimed: ClaimedJob, kind: JobKind, task: unknown): void {
    this.prepareSpare();
    const { spare: sealed } = this;
    // the server stops meanwhile: whoever comes next finds the row, and that its owner is gone
    if (!sealed) return;
    this.spare = null;
    const job: RunningJob = { claimed, kind, sealed, since: Date.now(), notes: [], isStopped: false, isLost: false };
    this.running.set(claimed.id, job);
    const ended = this.follow(job, task)
      .catch((error: Error) => this.log.error(error.stack ?? error.message))
      .finally(() => {
        this.ends.delete(ended);
        this.look();
      });
    this.ends.add(ended);
    this.prepareSpare();
  }

  private async follow(job: RunningJob, task: unknown): Promise<void> {
    const { claimed, kind, sealed } = job;
    const { id } = claimed;
    const { child } = sealed;
    const send = (message: ToJob): void => {
      if (child.connected) child.send(message, () => {});
    };
    let outcome: Extract<FromJob, { kind: "result" | "threw" }> | null = null;
    child.on("message", (given) => {
      const message = given as FromJob;
      if (message.kind === "note") job.notes.push(message.note);
      else if (message.kind === "question")
        void withDatabase(
          () => kind.answer(id, message.question),
          (reason) => this.log.warn(reason),
        ).then(
          (value) => send({ kind: "answer", id: message.id, value }),
          (error: Error) => {
            this.log.error(error.stack ?? error.message);
            sealed.stop();
          },
        );
      else {
        outcome ??= message;
        // one job, one process: nothing of it is left for the next
        sealed.stop();
      }
    });
    send({ kind: "start", job: kind.name, task });
    const saver = setInterval(() => void this.quietly(() => this.save(job)), saveEveryMs);
    const turn = setTimeout(() => {
      standBack(sealed, niceness.long);
      this.look();
    }, longMs);
    let isLate = false;
    const clock = setTimeout(
      () => {
        isLate = true;
        sealed.stop();
      },
      Math.min(kind.timeMs, this.config.jobMs),
    );
    const ending = await sealed.ended;
    clearInterval(saver);
    clearTimeout(turn);
    clearTimeout(clock);
    // the row is taken care of even while the database is away; the place is free before
    this.running.delete(id);
    if (job.isLost) return;
    await withDatabase(
      () => this.settle(job, outcome, isLate ? { how: "time", ms: Math.min(kind.timeMs, this.config.jobMs) } : ending),
      (reason) => {
        if (this.isStopping) throw new Error(`Job ${id} is taken up by the next server: ${reason}`);
        this.log.warn(reason);
      },
    );
  }

  private async settle(
    job: RunningJob,
    outcome: Extract<FromJob, { kind: "result" | "threw" }> | null,
    ending: Ending,
  ): Promise<void> {
    const { kind, claimed } = job;
    const { id } = claimed;
    if (outcome?.kind === "result") {
      const { result } = outcome;
      await this.end(id, () => kind.finish(id, result, job.isStopped));
      return;
    }
    if (outcome?.kind === "threw") {
      this.log.error(`${kind.name} ${id}: ${outcome.stack || outcome.message}`);
      await this.end(id, () => kind.fail(id, internal(outcome.message)));
      return;
    }
    if (job.isStopped) {
      await this.end(id, () => kind.cancel(id, true));
      return;
    }
    if (this.isStopping) {
      await this.backToQueue(job, null);
      return;
    }
    const { how } = ending;
    const isLimit = how === "memory" || how === "time";
    const said = job.sealed.lastWords();
    if (said) this.log.warn(`${kind.name} ${id}: ${said}`);
    if (isLimit || claimed.deaths.includes(how)) await this.end(id, () => kind.fail(id, overcome(ending)));
    else await this.backToQueue(job, how);
  }

  private async backToQueue({ kind, claimed }: RunningJob, death: string | null): Promise<void> {
    await this.sequelize.transaction(async () => {
      if (await this.queue.putBack(claimed.id, this.me, death)) await kind.requeue(claimed.id);
    });
  }

  /** Row and result in one: nobody sees one without the other. */
  private async end(id: string, write: () => Promise<void>): Promise<void> {
    await this.sequelize.transaction(async () => {
      if (await this.queue.remove(id, this.me)) await write();
    });
  }

  private async save(job: RunningJob): Promise<void> {
    if (job.notes.length === 0) return;
    const { notes } = job;
    job.notes = [];
    await job.kind.progress(job.claimed.id, notes);
  }

  // ---- signs of life ------------------------------------------------------------------------------------------------

  private async beat(): Promise<void> {
    if (this.running.size === 0) return;
    const pids = new Map([...this.running].map(([id, { sealed }]) => [id, sealed.pid ?? 0]));
    const own = await this.queue.beat(this.me, pids);
    for (const id of pids.keys()) {
      const job = this.running.get(id);
      if (!job) continue;
      const cancelled = own.get(id);
      // deleted with its design, or taken by another server that thought us gone
      if (cancelled === undefined) {
        job.isLost = true;
        job.sealed.stop();
      } else if (cancelled && !job.isStopped) this.stopJob(job);
    }
  }

  private stopJob(job: RunningJob): void {
    job.isStopped = true;
    const { child } = job.sealed;
    if (child.connected) child.send({ kind: "stop" } satisfies ToJob, () => {});
    setTimeout(() => {
      if (this.running.get(job.claimed.id) === job) job.sealed.stop();
    }, patienceMs).unref();
  }

  /** Puts back jobs whose server is gone, and ends what is left of its processes on this machine. */
  private async takeUpLost(): Promise<void> {
    const before = Date.now() - lostAfterMs;
    for (const row of await this.queue.claimed()) {
      const owner = row.claimedBy!;
      if (owner === this.me) {
        // a claim whose transaction was made while the answer to it was lost
        if (!this.running.has(row.id) && (row.heartbeatAt?.getTime() ?? 0) < before) await this.release(row);
        continue;
      }
      const [host, pid] = owner.split(":");
      const isGone = host === hostname() && !isAlive(Number(pid));
      if (!isGone && (row.heartbeatAt?.getTime() ?? 0) > before) continue;
      if (host === hostname() && row.pid) endLeftOver(row.pid);
      await this.release(row);
    }
  }

  private async release(row: JobModel): Promise<void> {
    const kind = this.kinds.get(row.kind)!;
    await this.sequelize.transaction(async () => {
      const owner = row.claimedBy!;
      if (row.cancelRequested) {
        if (await this.queue.remove(row.id, owner)) await kind.cancel(row.id, true);
      } else if (await this.queue.putBack(row.id, owner, "lost")) await kind.requeue(row.id);
    });
  }
}

/** With all its threads: those that collect memory work as hard as the one that fills it. */
function standBack({ pid }: SealedProcess, by: number): void {
  if (pid === undefined) return;
  let threads = [pid];
  try {
    threads = readdirSync(`/proc/${pid}/task`).map(Number);
  } catch {
    // another system, or gone already
  }
  for (const thread of threads) {
    try {
      setPriority(thread, by);
    } catch {
      // gone already, or not allowed everywhere: what it does stays right
    }
  }
}

function internal(message: string): Failure {
  return { text: `An internal error stopped it: ${message}`, finding: null };
}

/** It needed more than it may have, or ended its process twice in the same way. */
function overcome(ending: Ending): Failure {
  const text = endingText(ending);
  return {
    text: `${text[0].toUpperCase()}${text.slice(1)}.`,
    finding: {
      code: `job/${ending.how}`,
      severity: "error",
      place: {},
      message: `This came to no result: ${text}.`,
      remedy:
        ending.how === "memory"
          ? "Look for an array, a vector or a number of instances that is larger than it was meant to be."
          : ending.how === "time"
            ? "Look for a loop without an end, or for a product or an array that is larger than it was meant to be."
            : "Take out the part that was added last, and tell the makers of this program what it was.",
    },
  };
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
}

/** Only if it is a process of ours still: the number may be another's by now. */
function endLeftOver(pid: number): void {
  try {
    if (readFileSync(`/proc/${pid}/cmdline`, "latin1").includes(program)) process.kill(pid, "SIGKILL");
  } catch {
    // gone
  }
}
