import { mkdir, mkdtemp, readFile, rm, symlink, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Duplex } from "node:stream";
import { fileURLToPath } from "node:url";
import { rolldown } from "rolldown";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { endingText, FileChannel, SealedProcess } from "../src/index.ts";

const limits = { memory: 512 * 2 ** 20, time: 30_000 };
let folder = "";

/** A program of one file, put together as the build does it. */
async function bundled(name: string, text: string): Promise<string> {
  const entry = fileURLToPath(new URL(`./${name}.made.ts`, import.meta.url));
  if (text) await writeFile(entry, text);
  const out = join(folder, `${name}.cjs`);
  const bundle = await rolldown({
    input: text ? entry : fileURLToPath(new URL(`./${name}.ts`, import.meta.url)),
    platform: "node",
    logLevel: "silent",
  });
  await bundle.write({ file: out, format: "cjs", banner: '"use strict";', codeSplitting: false });
  await bundle.close();
  if (text) await rm(entry);
  return out;
}
const answerOf = (sealed: SealedProcess) =>
  new Promise<unknown>((resolve) => sealed.child.on("message", (message) => resolve(message)));

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), "gate-clock-sealed-"));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

describe("a sealed process", () => {
  it("runs generated code, which gets nowhere from there", async () => {
    const sealed = new SealedProcess(await bundled("probe", ""), limits, "messages");
    const found = (await answerOf(sealed)) as Record<string, string>;
    sealed.stop();
    for (const name of ["read", "constructor", "generator", "eval", "indirect", "binding", "fetch", "socket", "caller"])
      expect(found[name], name).toMatch(/^refused/);
    for (const [name, result] of Object.entries(found))
      if (name.startsWith("import ")) expect(result, name).toMatch(/^refused/);
    expect(found["process"]).toBe("undefined".repeat(4));
    expect(found["timer"]).toBe("undefined".repeat(3));
    expect(found["message"]).toBe("undefined".repeat(3));
    expect(found["trace"]).not.toMatch(/got functions/);
    expect(found["globals"]).not.toMatch(/process|require|fetch|Socket|setTimeout|navigator|crypto/);
    expect(found["verilog"]).toBe("7 picks\n");
    expect(found["vhdl"]).toBe("7 picks\n");
  });

  it("has no files, no processes, no network and no environment, even for a program that were not ours", async () => {
    const text = `import fs from "node:fs"; import net from "node:net"; import dns from "node:dns"; import child from "node:child_process";
      import worker from "node:worker_threads"; import os from "node:os";
      import { sealProcess } from "../src/inside.ts";
      const env = () => Object.keys(globalThis.process.env).join();
      const own = process; const inside = sealProcess();
      const tried: Record<string, string> = { environment: Object.keys(own.env).join() };
      const attempt = (name: string, run: () => unknown) => { try { tried[name] = "done " + String(run()); } catch (error) { tried[name] = "refused " + (error as Error).message; } };
      attempt("read", () => fs.readFileSync("/etc/passwd"));
      attempt("list", () => fs.readdirSync("/"));
      attempt("write", () => fs.writeFileSync("${join("/tmp", "gate-clock-must-not-be")}", "x"));
      attempt("spawn", () => child.spawnSync("/bin/true"));
      attempt("thread", () => new worker.Worker("1", { eval: true }));
      attempt("connect", () => net.connect(1, "127.0.0.1"));
      attempt("listen", () => net.createServer().listen(0));
      attempt("resolve", () => dns.lookup("localhost", () => {}));
      inside.send!(tried); void os; void env;`;
    const before = process.env["GATE_CLOCK_SECRET"];
    process.env["GATE_CLOCK_SECRET"] = "weft";
    const sealed = new SealedProcess(await bundled("stranger", text), limits, "messages");
    const found = (await answerOf(sealed)) as Record<string, string>;
    sealed.stop();
    if (before === undefined) delete process.env["GATE_CLOCK_SECRET"];
    expect(found["environment"]).toBe("");
    for (const name of ["read", "list", "write", "spawn", "thread", "connect", "listen", "resolve"])
      expect(found[name], name).toMatch(/^refused/);
  });

  it("does not begin without its walls", async () => {
    const program = await bundled(
      "plain",
      'import { sealProcess } from "../src/inside.ts"; sealProcess(); console.log("began");',
    );
    const { spawnSync } = await import("node:child_process");
    const { status, stdout, stderr } = spawnSync(process.execPath, [program], { encoding: "utf8" });
    expect(status).not.toBe(0);
    expect(stdout).toBe("");
    expect(stderr).toMatch(/without any permission/);
  });

  it("is ended at the end of its memory or of its time, and at a word, whatever it does", async () => {
    const hungry = await bundled(
      "hungry",
      "const all: Uint8Array[] = []; for (;;) all.push(new Uint8Array(2 ** 20).fill(1));",
    );
    const ending = await new SealedProcess(hungry, { memory: 200 * 2 ** 20, time: 60_000 }, "messages").ended;
    expect(ending.how).toBe("memory");
    expect(endingText(ending)).toMatch(/more than the 200 MiB/);
    const heap = await bundled("heap", "const all: object[] = []; for (;;) all.push({ weft: all.length });");
    expect((await new SealedProcess(heap, { memory: 128 * 2 ** 20, time: 60_000 }, "messages").ended).how).toBe(
      "memory",
    );
    const endless = await bundled("endless", "for (;;);");
    expect((await new SealedProcess(endless, { ...limits, time: 500 }, "messages").ended).how).toBe("time");
    const stopped = new SealedProcess(endless, limits, "messages");
    const begun = Date.now();
    stopped.stop();
    expect((await stopped.ended).how).toBe("stopped");
    expect(Date.now() - begun).toBeLessThan(3000);
  });

  it("has a stack for a hundred thousand levels", async () => {
    const text = `const depth = (n: number): number => (n === 0 ? 0 : 1 + depth(n - 1));
      let found = "too deep"; try { found = String(depth(100_000)); } catch {} process.send!(found);`;
    const sealed = new SealedProcess(await bundled("deep", text), limits, "messages");
    expect(await answerOf(sealed)).toBe("100000");
    sealed.stop();
  });
});

describe("files that are handed over", () => {
  const program = (body: string) => `import { sealProcess, InsideFiles } from "../src/inside.ts";
    const inside = sealProcess(); const files = new InsideFiles(); const task = files.task() as string;
    const attempt = (run: () => unknown): string => { try { return "done " + String(run()); } catch (error) { return (error as Error).message; } };
    ${body} files.done(0); inside.exit(0);`;
  async function run(body: string, grants: { read: string[]; write: string[] }, task = "") {
    const lines: string[] = [];
    const channel = await FileChannel.open(grants, { print: (_, text) => void lines.push(text) });
    const sealed = new SealedProcess(
      await bundled(`files${Math.random().toString(36).slice(2)}`, program(body)),
      limits,
      "files",
    );
    const status = await channel.serve(sealed.child.stdio[3] as unknown as Duplex, task);
    return { status, printed: lines.join("") };
  }

  it("are those below what was granted, links followed", async () => {
    const work = join(folder, "work");
    await mkdir(join(work, "in"), { recursive: true });
    await writeFile(join(folder, "secret.txt"), "secret");
    await writeFile(join(work, "in", "hooks.hex"), "0f");
    await symlink(join(folder, "secret.txt"), join(work, "in", "link.txt"));
    await symlink(folder, join(work, "in", "up"));
    const paths = [
      "in/hooks.hex",
      "../secret.txt",
      "in/link.txt",
      "in/up/secret.txt",
      "in/../../secret.txt",
      "/etc/passwd",
      "in/none.txt",
      "in/zero\\0.txt",
    ];
    const { status, printed } = await run(
      `for (const path of ${JSON.stringify(paths).replaceAll("\\\\0", "\\0")}) {
         const at = path.startsWith("/") ? path : task + "/" + path;
         files.print("out", attempt(() => { const found = files.read(at); return found && new TextDecoder().decode(found); }) + "\\n");
       }`,
      { read: [work], write: [] },
      work,
    );
    expect(status).toBe(0);
    const lines = printed.trim().split("\n");
    expect(lines[0]).toBe("done 0f");
    for (const line of lines.slice(1, 6))
      expect(line).toMatch(/lies outside of the folders that may be read; --allow-read/);
    expect(lines[6]).toBe("done null");
    expect(lines[7]).toMatch(/zero character/);
  });

  it("are written below what was granted and nowhere else, and appended to without loss", async () => {
    const work = join(folder, "out");
    await mkdir(work, { recursive: true });
    await writeFile(join(work, "log.txt"), "first\n");
    await symlink(folder, join(work, "up"));
    const { printed } = await run(
      `const text = new TextEncoder().encode("second\\n");
       const put = (path: string, append: boolean) => files.print("out", attempt(() => files.write(path, text, append)) + "\\n");
       put(task + "/log.txt", true); put(task + "/new/deep/a.txt", false); put(task + "/../b.txt", false); put(task + "/up/c.txt", false); put("/etc/gate-clock", false);
       files.print("out", attempt(() => files.write(task, text)) + "\\n");`,
      { read: [], write: [work] },
      work,
    );
    const lines = printed.trim().split("\n");
    expect(lines.slice(0, 2)).toEqual(["done undefined", "done undefined"]);
    for (const line of lines.slice(2, 5)) expect(line).toMatch(/may be written; --allow-write/);
    expect(lines[5]).toMatch(/it is a folder/);
    expect(await readFile(join(work, "log.txt"), "utf8")).toBe("first\nsecond\n");
    expect(await readFile(join(work, "new", "deep", "a.txt"), "utf8")).toBe("second\n");
    await expect(readFile(join(folder, "b.txt"))).rejects.toThrow();
    await expect(readFile(join(folder, "c.txt"))).rejects.toThrow();
  });
});
