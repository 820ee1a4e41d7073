import type { ServerEvent } from "@gate-clock/contract";
import { Inject, Injectable, Logger, type OnApplicationShutdown } from "@nestjs/common";
import pg from "pg";
import { Subject } from "rxjs";
import { Sequelize } from "sequelize-typescript";
import { configToken, type ServerConfig } from "../common/config.ts";

/** What changed, told from server to server by way of the database. Names alone: who wants more reads it. */
export type Notice =
  /** Jobs were added, ended or are to stop. */
  | { readonly kind: "jobs" }
  | { readonly kind: "trial" | "run"; readonly designId: string; readonly id: string }
  /** A design's files, targets or settings; or the list of designs. */
  | Extract<ServerEvent, { kind: "design" }>;

const channel = "gate_clock";

/** Tells what changed to every server at the database, and hears it. */
@Injectable()
export class Notices implements OnApplicationShutdown {
  readonly heard = new Subject<Notice>();
  /** The connection was lost for a while: anything may have changed. */
  readonly missed = new Subject<void>();
  private readonly log = new Logger("Notices");
  private client: pg.Client | null = null;
  private isStopping = false;
  private retry: NodeJS.Timeout | null = null;

  constructor(
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(configToken) private readonly config: ServerConfig,
  ) {}

  /** Within a transaction, it is told when that is committed. */
  async tell(notice: Notice): Promise<void> {
    await this.sequelize.query("SELECT pg_notify($1, $2)", { bind: [channel, JSON.stringify(notice)] });
  }

  /** Listens for as long as the server runs; a lost connection is made again. */
  async listen(): Promise<void> {
    if (this.isStopping) return;
    const client = new pg.Client({ connectionString: this.config.databaseUrl, keepAlive: true });
    const lost = (): void => {
      if (this.client !== client || this.isStopping) return;
      this.client = null;
      this.retry = setTimeout(() => void this.listen(), 500);
    };
    client.on("error", lost);
    client.on("end", lost);
    client.on("notification", ({ payload }) => {
      if (payload) this.heard.next(JSON.parse(payload) as Notice);
    });
    this.client = client;
    try {
      await client.connect();
      await client.query(`LISTEN ${channel}`);
      this.missed.next();
    } catch (error) {
      this.log.warn((error as Error).message);
      client.end().catch(() => {});
      lost();
    }
  }

  async onApplicationShutdown(): Promise<void> {
    this.isStopping = true;
    if (this.retry) clearTimeout(this.retry);
    await this.client?.end().catch(() => {});
  }
}
