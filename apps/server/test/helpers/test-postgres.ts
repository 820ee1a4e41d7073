import { execFile, execFileSync } from "node:child_process";
import { chownSync, mkdtempSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";

const run = promisify(execFile);

/** A PostgreSQL of its own, to be killed: in a folder of its own, at a port that stays the same. */
export class TestPostgres {
  private readonly bin: string;
  private readonly folder: string;
  private readonly asRoot = process.getuid?.() === 0;
  private port = 0;

  constructor() {
    const versions = readdirSync("/usr/lib/postgresql").sort((a, b) => Number(a) - Number(b));
    this.bin = `/usr/lib/postgresql/${versions[versions.length - 1]}/bin`;
    this.folder = mkdtempSync(join(tmpdir(), "gate-clock-pg-"));
  }

  /** Where its databases are. */
  get base(): string {
    return `postgres://gateclock@127.0.0.1:${this.port}`;
  }

  async create(): Promise<void> {
    if (this.asRoot) {
      const id = (kind: string) => Number(execFileSync("id", [kind, "postgres"], { encoding: "utf8" }));
      chownSync(this.folder, id("-u"), id("-g"));
    }
    await this.command("initdb", [
      "-D",
      this.data,
      "-U",
      "gateclock",
      "-A",
      "trust",
      "-E",
      "UTF8",
      "--locale=C.UTF-8",
      "-N",
    ]);
    this.port = await freePort();
  }

  async start(): Promise<void> {
    const options = `-p ${this.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c fsync=off`;
    const args = ["-D", this.data, "-l", join(this.folder, "log"), "-w", "-o", options, "start"];
    // what is left of one that was killed goes by itself, a little later
    for (let attempt = 0; ; attempt++) {
      try {
        await this.command("pg_ctl", args);
        return;
      } catch (error) {
        if (attempt === 40) throw error;
        await new Promise((resolve) => setTimeout(resolve, 250));
      }
    }
  }

  /** As a failing machine does it. */
  async kill(): Promise<void> {
    const pid = Number(readFileSync(join(this.data, "postmaster.pid"), "utf8").split("\n")[0]);
    process.kill(pid, "SIGKILL");
    // its children notice by themselves, and then it may start again
    await new Promise((resolve) => setTimeout(resolve, 300));
  }

  async remove(): Promise<void> {
    await this.command("pg_ctl", ["-D", this.data, "-m", "immediate", "stop"]).catch(() => {});
    rmSync(this.folder, { recursive: true, force: true });
  }

  private get data(): string {
    return join(this.folder, "data");
  }

  private async command(name: string, args: readonly string[]): Promise<void> {
    const all = [join(this.bin, name), ...args];
    // what it starts must not hold on to our streams
    if (this.asRoot) await run("runuser", ["-u", "postgres", "--", ...all], { cwd: "/" });
    else await run(all[0], all.slice(1), { cwd: "/" });
  }
}

/** None of those that connections get by themselves: whoever tries to connect while nobody listens could be given it. */
function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const port = 20_000 + Math.floor(Math.random() * 12_000);
    const server = createServer()
      .on("error", () => resolve(freePort()))
      .listen(port, "127.0.0.1", () => server.close(() => resolve(port)));
  });
}
