import { type ChildProcess, spawn } from "node:child_process";
import { randomUUID } from "node:crypto";
import { fileURLToPath } from "node:url";
import pg from "pg";
import { Sequelize } from "sequelize-typescript";
import { ArtifactsService } from "../../src/artifacts/artifacts.service.ts";
import { readConfig } from "../../src/common/config.ts";
import { ArtifactModel } from "../../src/records/artifact.model.ts";

const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));

/** The real server as a process of its own, on a database of its own, with the demo loaded. */
export class TestServer {
  address = "";
  /** All that it wrote on standard error. */
  said = "";
  private process: ChildProcess | null = null;
  private readonly database: string;
  private readonly base: string;

  /**
   * @param settings Environment of the server, beside what every test has.
   * @param beside Another one, whose database it shares.
   * @param base Where the database is; by default that of `npm test`.
   */
  constructor(
    private readonly settings: Readonly<Record<string, string>> = {},
    beside: TestServer | null = null,
    base = process.env["GATE_CLOCK_TEST_POSTGRES"],
  ) {
    if (!base) throw new Error("GATE_CLOCK_TEST_POSTGRES is not set: run the tests with `npm test`.");
    this.base = beside?.base ?? base;
    this.database = beside?.database ?? `test_${randomUUID().replaceAll("-", "")}`;
  }

  get databaseUrl(): string {
    return `${this.base}/${this.database}`;
  }

  async createDatabase(): Promise<void> {
    await this.admin(`CREATE DATABASE ${this.database}`);
  }

  async start(): Promise<void> {
    const child = spawn(process.execPath, [path("../../dist/main.js")], {
      env: {
        ...process.env,
        GATE_CLOCK_DATABASE: this.databaseUrl,
        GATE_CLOCK_PORT: "0",
        GATE_CLOCK_DEMO: path("../../../../designs"),
        // what a test needs built it builds itself
        GATE_CLOCK_BUILD_DEMO: "no",
        GATE_CLOCK_WEB: path("../../../web/dist"),
        ...this.settings,
      },
      stdio: ["ignore", "pipe", "pipe"],
    });
    this.process = child;
    this.said = "";
    child.stderr.on("data", (data: Buffer) => {
      this.said += data.toString();
    });
    this.address = await new Promise((resolve, reject) => {
      child.stdout.on("data", (data: Buffer) => {
        const match = /http:\S+/.exec(data.toString());
        if (match) resolve(match[0]);
      });
      child.on("close", (code) => reject(new Error(`server ended with ${code}: ${this.said.slice(-500)}`)));
    });
  }

  get pid(): number | undefined {
    return this.process?.pid;
  }

  /** One request and its answer as JSON. */
  async call<T>(
    at: string,
    method = "GET",
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<{ status: number; body: T }> {
    const response = await fetch(this.address + at, {
      method,
      headers: { ...(body === undefined ? {} : { "content-type": "application/json" }), ...headers },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    const text = await response.text();
    return { status: response.status, body: (text ? JSON.parse(text) : null) as T };
  }

  /** Ends the process and waits until it is gone. */
  async stop(signal: NodeJS.Signals = "SIGTERM"): Promise<void> {
    const child = this.process;
    if (!child) return;
    this.process = null;
    if (child.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((resolve) => child.on("exit", resolve));
    child.kill(signal);
    await gone;
  }

  async dropDatabase(): Promise<void> {
    await this.admin(`DROP DATABASE ${this.database} WITH (FORCE)`);
  }

  /** Rows of the server's database. */
  async query(sql: string, values: unknown[] = []): Promise<Record<string, unknown>[]> {
    return ask(this.databaseUrl, sql, values);
  }

  /** What the server does every few minutes: takes away results that nothing refers to. */
  async sweep(): Promise<number> {
    const sequelize = new Sequelize(this.databaseUrl, { dialect: "postgres", logging: false, models: [ArtifactModel] });
    const config = readConfig({ GATE_CLOCK_DATABASE: this.databaseUrl });
    const gone = await new ArtifactsService(ArtifactModel, sequelize, config).sweep();
    await sequelize.close();
    return gone;
  }

  private async admin(sql: string): Promise<void> {
    await ask(`${this.base}/postgres`, sql, []);
  }
}

async function ask(connectionString: string, sql: string, values: unknown[]): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ connectionString });
  await client.connect();
  try {
    return (await client.query(sql, values)).rows as Record<string, unknown>[];
  } finally {
    await client.end();
  }
}
