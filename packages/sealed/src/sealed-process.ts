import { type ChildProcess, spawn } from "node:child_process";
import { readFile } from "node:fs/promises";

export interface Limits {
  /** Bytes that the process may hold. */
  readonly memory: number;
  /** Milliseconds from its start. */
  readonly time: number;
}

/** How a sealed process ended. */
export type Ending =
  | { readonly how: "exit"; readonly code: number }
  /** By itself, in a way that no program means to end: an abort, a signal from elsewhere. */
  | { readonly how: "died"; readonly signal: string }
  | { readonly how: "memory"; readonly bytes: number }
  | { readonly how: "time"; readonly ms: number }
  | { readonly how: "stopped" };

const permissionFlag = process.allowedNodeEnvironmentFlags.has("--permission")
  ? "--permission"
  : "--experimental-permission";
const watchEveryMs = 200;
/**
 * A stack of 128 MiB where the system allows it: expressions and statements of a design nest as deep as their text is long,
 * and the usual one of 1 MiB ends at some thousand levels. The engine keeps clear of the end by the difference.
 */
const deepStack =
  'most=$(ulimit -H -s); if { [ "$most" = unlimited ] || [ "$most" -ge 131072 ]; } && ulimit -s 131072; then exec "$0" --stack-size=122880 "$@"; fi; exec "$0" "$@"';

/** A process of one program file that may read that file and reach nothing else. */
export class SealedProcess {
  readonly child: ChildProcess;
  readonly ended: Promise<Ending>;
  private ending: Ending | null = null;
  private words = "";

  /**
   * @param program The program's one file.
   * @param ways "messages" opens a way for `send` and `onMessage`; "files" pipes its three streams and a fourth one.
   */
  constructor(program: string, limits: Limits, ways: "messages" | "files", args: readonly string[] = []) {
    const heap = Math.max(64, Math.floor(limits.memory / 2 ** 20));
    const flags = [
      permissionFlag,
      `--allow-fs-read=${program}`,
      "--disallow-code-generation-from-strings",
      "--no-warnings",
      "--no-deprecation",
      `--max-old-space-size=${heap}`,
    ];
    this.child = spawn("/bin/sh", ["-c", deepStack, process.execPath, ...flags, program, ...args], {
      env: {},
      cwd: "/",
      stdio: ways === "messages" ? ["ignore", "ignore", "pipe", "ipc"] : ["ignore", "ignore", "pipe", "pipe"],
      serialization: "advanced",
    });
    this.child.stderr?.on("data", (data: Buffer) => {
      // the last words tell an end of memory from other aborts
      this.words = (this.words + data.toString("latin1")).slice(-4000);
    });
    const watch = setInterval(() => void this.watch(limits.memory), watchEveryMs);
    const clock = setTimeout(() => this.end({ how: "time", ms: limits.time }), Math.min(limits.time, 2 ** 31 - 1));
    this.ended = new Promise((resolve) => {
      const over = (ending: Ending): void => {
        clearInterval(watch);
        clearTimeout(clock);
        resolve(this.ending ?? ending);
      };
      this.child.on("error", (error) => over({ how: "died", signal: error.message }));
      this.child.on("close", (code, signal) => {
        const isMemory = /out of memory|allocation failed|invalid table size/i.test(this.words);
        if (isMemory) over({ how: "memory", bytes: limits.memory });
        else over(signal || code === null ? { how: "died", signal: signal ?? "?" } : { how: "exit", code });
      });
    });
  }

  get pid(): number | undefined {
    return this.child.pid;
  }

  /** What it said of its end: the message of an error that nothing caught; empty as long as all goes as it should. */
  lastWords(): string {
    return /^\w*Error.*$/m.exec(this.words)?.[0] ?? "";
  }

  /** Ends it at once, whatever it does. */
  stop(): void {
    this.end({ how: "stopped" });
  }

  private end(ending: Ending): void {
    this.ending ??= ending;
    this.child.kill("SIGKILL");
  }

  /** Memory outside of the engine's heap counts too, so that the system is asked. */
  private async watch(most: number): Promise<void> {
    const { pid } = this.child;
    if (pid === undefined) return;
    try {
      const pages = Number((await readFile(`/proc/${pid}/statm`, "latin1")).split(" ")[1]);
      if (pages * 4096 > most) this.end({ how: "memory", bytes: most });
    } catch {
      // gone meanwhile, or a system without /proc: the heap has its own limit
    }
  }
}

/** One sentence on an end that was not meant. */
export function endingText(ending: Ending): string {
  switch (ending.how) {
    case "memory":
      return `it needed more than the ${Math.round(ending.bytes / 2 ** 20)} MiB of memory that a job may take`;
    case "time":
      return `it took longer than the ${Math.round(ending.ms / 60_000)} minutes that a job may take`;
    case "exit":
      return `its process ended early, with status ${ending.code}`;
    case "died":
      return `its process ended by ${ending.signal}`;
    case "stopped":
      return "it was stopped";
  }
}
