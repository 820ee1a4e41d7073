import type { LiveTrial, ServerEvent } from "@gate-clock/contract";
import { type BeforeApplicationShutdown, Inject, Injectable, Logger } from "@nestjs/common";
import { endWith, filter, ignoreElements, map, Observable, Subject } from "rxjs";
import { BenchRunsService } from "../bench-runs/bench-runs.service.ts";
import { isOutage } from "../database/outage.ts";
import { type Notice, Notices } from "../notices/notices.service.ts";
import { TrialsService } from "../trials/trials.service.ts";

/** Least time between two readings of the same thing. */
const readEveryMs = 200;

/**
 * What changes, for all who follow: however many they are, it is read once. A follower that came late or was away for a
 * while asks for the state by itself.
 */
@Injectable()
export class EventHub implements BeforeApplicationShutdown {
  private readonly log = new Logger("Events");
  private readonly subject = new Subject<ServerEvent>();
  /** Says once that the server ends. */
  readonly ended = this.subject.pipe(ignoreElements(), endWith(null));
  private followers = 0;
  /** Things that are being read, or were just now; true if they have changed again since. */
  private readonly recent = new Map<string, boolean>();

  constructor(
    @Inject(Notices) private readonly notices: Notices,
    @Inject(TrialsService) private readonly trials: TrialsService,
    @Inject(BenchRunsService) private readonly runs: BenchRunsService,
  ) {}

  start(): void {
    this.notices.heard.subscribe((notice) => this.take(notice));
    this.notices.missed.subscribe(() => this.subject.next({ kind: "again" }));
  }

  /** Before the door is closed: that waits for open streams, which would never end by themselves. */
  beforeApplicationShutdown(): void {
    this.subject.complete();
  }

  all(): Observable<ServerEvent> {
    return new Observable((subscriber) => {
      this.followers++;
      const subscription = this.subject.subscribe(subscriber);
      return () => {
        this.followers--;
        subscription.unsubscribe();
      };
    });
  }

  trial(id: string): Observable<LiveTrial> {
    return this.all().pipe(
      filter((event) => event.kind === "trial" && event.trial.id === id),
      map((event) => (event as Extract<ServerEvent, { kind: "trial" }>).trial),
    );
  }

  private take(notice: Notice): void {
    if (notice.kind === "jobs" || this.followers === 0) return;
    if (notice.kind === "design") {
      this.subject.next(notice);
      return;
    }
    const key = `${notice.kind}:${notice.id}`;
    if (this.recent.has(key)) {
      this.recent.set(key, true);
      return;
    }
    this.recent.set(key, false);
    void this.read(notice)
      .catch((error: Error) => this.log[isOutage(error) ? "warn" : "error"](error.message))
      .finally(() =>
        setTimeout(() => {
          const isChanged = this.recent.get(key);
          this.recent.delete(key);
          if (isChanged) this.take(notice);
        }, readEveryMs),
      );
  }

  private async read(notice: Extract<Notice, { id: string }>): Promise<void> {
    if (notice.kind === "trial") {
      const trial = await this.trials.live(notice.id);
      if (trial) this.subject.next({ kind: "trial", trial });
    } else {
      const run = await this.runs.find(notice.id);
      if (run) this.subject.next({ kind: "run", run });
    }
  }
}
