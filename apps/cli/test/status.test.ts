import { spawn } from "node:child_process";
import { mkdtemp, readdir, readFile, rm, truncate, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, it } from "vitest";

const program = fileURLToPath(new URL("../bin/gate-clock.js", import.meta.url));
let work = "";
beforeAll(async () => {
  work = await mkdtemp(join(tmpdir(), "gate-clock-status-"));
});
afterAll(() => rm(work, { recursive: true, force: true }));

async function run(...args: string[]): Promise<{ status: number | null; out: string; err: string }> {
  const child = spawn(process.execPath, [program, ...args], { cwd: work });
  const text = { out: "", err: "" };
  child.stdout.on("data", (data: Buffer) => {
    text.out += data.toString();
  });
  child.stderr.on("data", (data: Buffer) => {
    text.err += data.toString();
  });
  const status = await new Promise<number | null>((resolve) => child.on("close", resolve));
  expect(text.err).not.toMatch(/^\s+at |went wrong in the program itself/m);
  return { status, ...text };
}
const put = (name: string, text: string) => writeFile(join(work, name), text);
const states = async (folder = "build") => {
  const report = JSON.parse(await readFile(join(work, folder, "report.json"), "utf8"));
  return Object.fromEntries(
    (report.stages as { stage: string; state: string }[]).map(({ stage, state }) => [stage, state]),
  );
};
const blinker = (mark: string) =>
  `// ${mark}\nmodule blink(input clk, output lamp);\n  reg [3:0] count;\n  always @(posedge clk) count <= count + 1;\n  assign lamp = count[3];\nendmodule\n`;
const files = ["blink.v", "b.pins", "b.sdc"];

describe("a build into the same folder", () => {
  it("spares what did not change, says what would run again before, and makes the same bits as one made afresh", async () => {
    await put("blink.v", blinker("blinks"));
    await put("b.pins", "clk at N19\nlamp at E1 LVCMOS33 drive=8\n");
    await put("b.sdc", "create_clock -name clk -period 20 [get_ports clk]\n");
    expect(await run("status", ...files)).toEqual({ status: 1, out: "blink: Nothing has been built.\n", err: "" });
    expect((await run("build", ...files)).status).toBe(0);
    expect(await run("status", ...files)).toEqual({ status: 0, out: "blink: Up to date.\n", err: "" });

    await put("blink.v", blinker("blinks, at last"));
    expect((await run("status", ...files)).status).toBe(0);
    await put("b.pins", "clk at N19\nlamp at E1 LVCMOS33 drive=12\n");
    expect(await run("status", ...files)).toEqual({
      status: 1,
      out: "blink: Changed: standard, drive or slew of pins (b.pins). A run would do again: rules, timing and image.\n",
      err: "",
    });
    const told = JSON.parse((await run("status", "--json", ...files)).out);
    expect(told).toMatchObject({ isCurrent: false, again: ["rules", "timing", "image"], maybeAgain: [] });
    expect((await run("build", ...files)).status).toBe(0);
    expect(await states()).toEqual({
      elaborate: "done",
      rules: "done",
      synth: "reused",
      goals: "reused",
      pack: "reused",
      place: "reused",
      route: "reused",
      timing: "done",
      image: "done",
    });
    expect((await run("build", "--out", "other", ...files)).status).toBe(0);
    expect((await run("build", "--afresh", "--check-layout", ...files)).status).toBe(0);
    expect(new Set(Object.values(await states()))).toEqual(new Set(["done"]));
    expect(await readFile(join(work, "build/blink.bits"))).toEqual(await readFile(join(work, "other/blink.bits")));
  });

  it("makes anew what is there in part, or as something else", async () => {
    expect((await run("build", ...files)).status).toBe(0);
    const kept = join(work, "build/kept");
    for (const name of await readdir(kept)) await truncate(join(kept, name), 100);
    await writeFile(join(kept, "place.kept"), "nothing that we wrote");
    expect((await run("build", ...files)).status).toBe(0);
    expect(new Set(Object.values(await states()))).toEqual(new Set(["done"]));
    await writeFile(join(work, "build/report.json"), '{"stages": [{"stage": "loom"}]}');
    expect((await run("status", ...files)).status).toBe(2);
    expect((await run("build", ...files)).status).toBe(0);
    expect((await run("status", ...files)).status).toBe(0);
  });
});
