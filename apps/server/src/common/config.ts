/** Settings from the environment, with the defaults of a laptop. */
export interface ServerConfig {
  readonly port: number;
  readonly databaseUrl: string;
  /** Folder of the built web application; null serves the API only. */
  readonly webFolder: string | null;
  /** Folder of the demo designs; null loads none. */
  readonly demoFolder: string | null;
  /** Builds at once in this process. */
  readonly workers: number;
}

export const configToken = "server-config";

export function readConfig(env: NodeJS.ProcessEnv): ServerConfig {
  const databaseUrl = env["GATE_CLOCK_DATABASE"];
  if (!databaseUrl) throw new Error("GATE_CLOCK_DATABASE is not set: give the address of the PostgreSQL database.");
  return {
    port: Number(env["GATE_CLOCK_PORT"] ?? 4780),
    databaseUrl,
    webFolder: env["GATE_CLOCK_WEB"] ?? null,
    demoFolder: env["GATE_CLOCK_DEMO"] ?? null,
    workers: Math.max(1, Number(env["GATE_CLOCK_WORKERS"] ?? 1)),
  };
}
