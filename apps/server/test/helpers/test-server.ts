import { type ChildProcess, spawn } from "node:child_process";
import { randomUUID } from "node:crypto";
import { fileURLToPath } from "node:url";
import pg from "pg";

const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));

/** The real server as a process of its own, on a database of its own, with the demo loaded. */
export class TestServer {
  address = "";
  private process: ChildProcess | null = null;
  private readonly database = `test_${randomUUID().replaceAll("-", "")}`;
  private readonly base: string;

  constructor() {
    const base = process.env["GATE_CLOCK_TEST_POSTGRES"];
    if (!base) throw new Error("GATE_CLOCK_TEST_POSTGRES is not set: run the tests with `npm test`.");
    this.base = base;
  }

  async createDatabase(): Promise<void> {
    await this.admin(`CREATE DATABASE ${this.database}`);
  }

  async start(): Promise<void> {
    const child = spawn(process.execPath, [path("../../dist/main.js")], {
      env: {
        ...process.env,
        GATE_CLOCK_DATABASE: `${this.base}/${this.database}`,
        GATE_CLOCK_PORT: "0",
        GATE_CLOCK_DEMO: path("../../../../designs"),
        GATE_CLOCK_WEB: path("../../../web/dist"),
      },
      stdio: ["ignore", "pipe", "inherit"],
    });
    this.process = child;
    this.address = await new Promise((resolve, reject) => {
      child.stdout.on("data", (data: Buffer) => {
        const match = /http:\S+/.exec(data.toString());
        if (match) resolve(match[0]);
      });
      child.on("exit", (code) => reject(new Error(`server ended with ${code}`)));
    });
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
    const gone = new Promise((resolve) => child.on("exit", resolve));
    child.kill(signal);
    await gone;
    this.process = null;
  }

  async dropDatabase(): Promise<void> {
    await this.admin(`DROP DATABASE ${this.database} WITH (FORCE)`);
  }

  private async admin(sql: string): Promise<void> {
    const client = new pg.Client({ connectionString: `${this.base}/postgres` });
    await client.connect();
    await client.query(sql);
    await client.end();
  }
}
