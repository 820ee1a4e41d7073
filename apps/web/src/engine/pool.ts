/** A worker with the way to what it offers. */
export interface OpenWorker<Remote> {
  readonly remote: Remote;
  end(): void;
  /** Hears of a failure that no answer tells. */
  onFail(tell: (message: string) => void): void;
}

interface AskOptions<Remote> {
  /** Questions on one topic are answered by one worker in their order: it knows what it has learnt so far. */
  readonly topic?: string;
  /** What a worker must be told before the first question on the topic. */
  readonly prepare?: (remote: Remote) => Promise<unknown>;
  /** Drops the question. A worker that is at work on it is ended, unless it stays. */
  readonly signal?: AbortSignal;
  /** The worker goes on with what it has begun: it is needed again, and what it knows is dear. */
  readonly stays?: boolean;
  /** Takes the place of what still waits on the topic. */
  readonly replaces?: boolean;
  /** Somebody looks at the page for the answer: it does not wait for long work. */
  readonly quick?: boolean;
  /** Work that takes longer is ended. */
  readonly patienceMs?: number;
}

/** The question was not answered, and nobody waits for the answer any more. */
export class Dropped extends Error {
  override readonly name = "AbortError";
}

interface Seat {
  readonly kind: PropertyKey;
  readonly topic: string;
  readonly worker: OpenWorker<unknown>;
  ready: Promise<unknown>;
  job: Job | null;
}
interface Job {
  readonly kind: PropertyKey;
  readonly options: AskOptions<unknown>;
  readonly work: (remote: unknown) => Promise<unknown>;
  readonly settle: (outcome: { readonly value: unknown } | { readonly error: Error }) => void;
}

const trimmed = (message: string) => message.replace(/^Uncaught /, "").replace(/[.\s]+$/, "");
const topicOf = ({ kind, options }: Job): string => options.topic ?? String(kind);

/**
 * The page's workers. A question goes to a worker of its kind and topic, which stays for the next one; of workers without
 * work only some are kept. Long work takes its turn; quick questions do not wait for it.
 */
export class WorkerPool<Services extends object> {
  private readonly seats: Seat[] = [];
  private readonly waiting: Job[] = [];

  constructor(
    private readonly open: <K extends keyof Services>(kind: K) => OpenWorker<Services[K]>,
    /** Workers that do long work at once. */
    private readonly mostLong: number,
    /** Workers without work that are kept, oldest ended first. */
    private readonly mostIdle: number,
  ) {}

  /** @throws Dropped (as rejection) if it is aborted or replaced; Error if the worker fails or takes too long. */
  ask<K extends keyof Services, Answer>(
    kind: K,
    work: (remote: Services[K]) => Promise<Answer>,
    options: AskOptions<Services[K]> = {},
  ): Promise<Answer> {
    return new Promise<Answer>((resolve, reject) => {
      const { signal } = options;
      if (signal?.aborted) {
        reject(new Dropped("No longer asked for."));
        return;
      }
      let isOver = false;
      const job: Job = {
        kind,
        options: options as AskOptions<unknown>,
        work: work as (remote: unknown) => Promise<unknown>,
        settle: (outcome) => {
          if (isOver) return;
          isOver = true;
          signal?.removeEventListener("abort", abort);
          if ("error" in outcome) reject(outcome.error);
          else resolve(outcome.value as Answer);
        },
      };
      const abort = () => {
        this.drop(job);
        this.startWaiting();
      };
      signal?.addEventListener("abort", abort);
      if (options.replaces)
        for (const other of this.waiting.filter((each) => each.kind === kind && topicOf(each) === topicOf(job)))
          this.drop(other);
      this.waiting.push(job);
      this.startWaiting();
    });
  }

  private drop(job: Job): void {
    const at = this.waiting.indexOf(job);
    if (at >= 0) this.waiting.splice(at, 1);
    const seat = this.seats.find((each) => each.job === job);
    if (seat && !job.options.stays) this.end(seat);
    job.settle({ error: new Dropped("No longer asked for.") });
  }
  private end(seat: Seat): void {
    const at = this.seats.indexOf(seat);
    if (at >= 0) this.seats.splice(at, 1);
    seat.job = null;
    seat.worker.end();
  }

  private startWaiting(): void {
    for (const job of [...this.waiting]) {
      const topic = topicOf(job);
      const known = this.seats.find((seat) => seat.kind === job.kind && seat.topic === topic);
      if (known?.job) continue;
      const atLong = this.seats.filter((seat) => seat.job && !seat.job.options.quick).length;
      if (!job.options.quick && atLong >= this.mostLong) continue;
      this.waiting.splice(this.waiting.indexOf(job), 1);
      this.run(known ?? this.seat(job, topic), job);
    }
  }
  private seat(job: Job, topic: string): Seat {
    const worker = this.open(job.kind as keyof Services) as OpenWorker<unknown>;
    const ready = job.options.prepare ? job.options.prepare(worker.remote) : Promise.resolve();
    const seat: Seat = { kind: job.kind, topic, worker, ready, job: null };
    // told to whoever asks
    ready.catch(() => {});
    this.seats.push(seat);
    worker.onFail((message) => this.over(seat, seat.job, { error: new Error(`failed (${trimmed(message)})`) }, true));
    return seat;
  }
  private run(seat: Seat, job: Job): void {
    seat.job = job;
    const { patienceMs } = job.options;
    const timer =
      patienceMs === undefined
        ? undefined
        : setTimeout(
            () =>
              this.over(seat, job, { error: new Error(`did not come to an end within ${patienceMs / 1000} s`) }, true),
            patienceMs,
          );
    seat.ready
      .then(
        () =>
          job.work(seat.worker.remote).then(
            (value) => this.over(seat, job, { value }, false),
            (error: Error) => this.over(seat, job, { error }, false),
          ),
        // what it must know cannot be told: another worker may
        (error: Error) => this.over(seat, job, { error }, true),
      )
      .finally(() => clearTimeout(timer));
  }
  private over(seat: Seat, job: Job | null, outcome: Parameters<Job["settle"]>[0], isLost: boolean): void {
    if (!this.seats.includes(seat) || seat.job !== job) return;
    if (isLost) this.end(seat);
    else {
      seat.job = null;
      // the one used last is the last to go
      this.seats.splice(this.seats.indexOf(seat), 1);
      this.seats.push(seat);
      const idle = this.seats.filter((each) => !each.job);
      for (const each of idle.slice(0, Math.max(0, idle.length - this.mostIdle))) this.end(each);
    }
    job?.settle(outcome);
    this.startWaiting();
  }
}
