import { availableParallelism } from "node:os";

/** Settings from the environment, with the defaults of a laptop. */
export interface ServerConfig {
  readonly port: number;
  readonly databaseUrl: string;
  /** Folder of the built web application; null serves the API only. */
  readonly webFolder: string | null;
  /** Folder of the demo designs; null loads none. */
  readonly demoFolder: string | null;
  /** Whether the demo is built when it is loaded. */
  readonly buildsDemo: boolean;
  /** Where this server writes that it runs, for a second start to find; null writes nothing. */
  readonly noteFile: string | null;
  /** Jobs at once in this server. */
  readonly workers: number;
  /** Bytes that a job's process may hold. */
  readonly jobMemory: number;
  /** Milliseconds that a job may take. */
  readonly jobMs: number;
  /** Bytes that results of stages may take in the database. */
  readonly artifactBytes: number;
}

export const configToken = "server-config";

export function readConfig(env: NodeJS.ProcessEnv): ServerConfig {
  const databaseUrl = env["GATE_CLOCK_DATABASE"];
  if (!databaseUrl) throw new Error("GATE_CLOCK_DATABASE is not set: give the address of the PostgreSQL database.");
  const number = (name: string, fallback: number, least: number): number => {
    const given = env[name];
    if (given === undefined || given === "") return fallback;
    const value = Number(given);
    if (!Number.isFinite(value) || value < least)
      throw new Error(`${name} is '${given}': give a number from ${least} on.`);
    return value;
  };
  return {
    port: number("GATE_CLOCK_PORT", 4780, 0),
    databaseUrl,
    webFolder: env["GATE_CLOCK_WEB"] || null,
    demoFolder: env["GATE_CLOCK_DEMO"] || null,
    buildsDemo: env["GATE_CLOCK_BUILD_DEMO"] !== "no",
    noteFile: env["GATE_CLOCK_NOTE"] || null,
    workers: Math.floor(number("GATE_CLOCK_WORKERS", Math.max(2, availableParallelism()), 1)),
    jobMemory: number("GATE_CLOCK_JOB_MB", 4096, 128) * 2 ** 20,
    jobMs: number("GATE_CLOCK_JOB_MINUTES", 12 * 60, 0.01) * 60_000,
    artifactBytes: number("GATE_CLOCK_RESULTS_MB", 8192, 1) * 2 ** 20,
  };
}
