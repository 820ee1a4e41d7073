import { Inject, Injectable, Logger, type OnApplicationShutdown } from "@nestjs/common";
import PgBoss from "pg-boss";
import { configToken, type ServerConfig } from "../common/config.ts";

/** The message queue in PostgreSQL that all kinds of jobs share. */
@Injectable()
export class Boss implements OnApplicationShutdown {
  private readonly log = new Logger("Queue");
  private readonly boss: PgBoss;
  private started: Promise<unknown> | null = null;

  constructor(@Inject(configToken) config: ServerConfig) {
    this.boss = new PgBoss({ connectionString: config.databaseUrl, schema: "jobs", max: 4 });
    this.boss.on("error", (error) => this.log.error(error.message));
  }

  /** Makes the queue if it is new, and lets so many at once be worked on. */
  async serve(queue: string, workers: number, run: (id: string) => Promise<void>): Promise<void> {
    this.started ??= this.boss.start();
    await this.started;
    await this.boss.createQueue(queue);
    for (let i = 0; i < workers; i++)
      await this.boss.work<{ id: string }>(queue, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async (jobs) => {
        for (const job of jobs) await run(job.data.id);
      });
  }

  async send(queue: string, id: string): Promise<void> {
    await this.boss.send(queue, { id }, { expireInSeconds: 24 * 3600 - 1 });
  }

  async onApplicationShutdown(): Promise<void> {
    if (this.started) await this.boss.stop({ graceful: false, wait: true });
  }
}
