import { spawn } from "node:child_process";
import { mkdir, mkdtemp, readFile, rm, symlink, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, it } from "vitest";

/** The command line as a process of its own, in a folder of its own: what it may read and write hangs on that. */
const program = fileURLToPath(new URL("../bin/gate-clock.js", import.meta.url));
let folder = "";
let work = "";
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), "gate-clock-files-"));
  work = join(folder, "work");
  await mkdir(work);
  await writeFile(join(folder, "outside.txt"), "outside\n");
});
afterAll(() => rm(folder, { recursive: true, force: true }));

async function run(...args: string[]): Promise<{ status: number | null; out: string; err: string }> {
  const child = spawn(process.execPath, [program, ...args], { cwd: work });
  let out = "";
  let err = "";
  child.stdout.on("data", (data: Buffer) => {
    out += data.toString();
  });
  child.stderr.on("data", (data: Buffer) => {
    err += data.toString();
  });
  const status = await new Promise<number | null>((resolve) => child.on("close", resolve));
  expect(err).not.toMatch(/^\s+at |went wrong in the program itself/m);
  return { status, out, err };
}
const put = async (name: string, text: string) => {
  await writeFile(join(work, name), text);
  return name;
};
const text = (name: string) => readFile(join(folder, name), "utf8");

describe("files that a design opens", () => {
  const verilog = (body: string) =>
    `module tb; integer f, c; reg [8*40:1] line; initial begin ${body} $finish; end endmodule\n`;
  it("are appended to, changed and begun anew as the mode says", async () => {
    await put("log.txt", "first\n");
    await put("fixed.txt", "0123456789");
    await put("old.txt", "old contents that are longer\n");
    const bench = await put(
      "modes.v",
      verilog(`f = $fopen("log.txt", "a"); $fdisplay(f, "second"); $fclose(f);
        f = $fopen("fixed.txt", "r+"); c = $fgetc(f); $fwrite(f, "AB"); $fclose(f);
        f = $fopen("old.txt", "w"); $fdisplay(f, "new"); $fclose(f);
        f = $fopen("made.txt", "a"); $fdisplay(f, "made"); $fclose(f);
        f = $fopen("none.txt", "r+"); $display("%0d", f);
        f = $fopen("log.txt", "a+"); $fdisplay(f, "third"); $fclose(f);
        f = $fopen("log.txt", "r"); c = $fgets(line, f); $display("%0s", line);`),
    );
    expect(await run("simulate", bench)).toEqual({ status: 0, out: "0\nfirst\n\n", err: "" });
    expect(await text("work/log.txt")).toBe("first\nsecond\nthird\n");
    expect(await text("work/fixed.txt")).toBe("0AB3456789");
    expect(await text("work/old.txt")).toBe("new\n");
    expect(await text("work/made.txt")).toBe("made\n");
  });

  it("are written from VHDL too: opened with the declaration, appended to, kept when they are only read", async () => {
    await put("hooks.txt", "7\n");
    await put("record.txt", "before\n");
    const bench = await put(
      "files.vhd",
      `use std.textio.all; entity tb is end; architecture rtl of tb is
         file made: text open write_mode is "made-by-vhdl.txt";
       begin process
         file more: text open append_mode is "record.txt"; file hooks: text open read_mode is "hooks.txt";
         variable l: line; variable n: integer;
       begin
         write(l, string'("weft")); writeline(made, l); write(l, 12); writeline(more, l);
         readline(hooks, l); read(l, n); report integer'image(n); wait;
       end process; end;`,
    );
    expect((await run("simulate", bench)).status).toBe(0);
    expect(await text("work/made-by-vhdl.txt")).toBe("weft\n");
    expect(await text("work/record.txt")).toBe("before\n12\n");
    expect(await text("work/hooks.txt")).toBe("7\n");
  });

  it("lie below the working folder, unless an option names more", async () => {
    await symlink(join(folder, "outside.txt"), join(work, "link.txt"));
    const outside = join(folder, "outside.txt");
    const before = await text("outside.txt");
    const attempts = [
      `f = $fopen("${outside}"); $fdisplay(f, "x");`,
      `f = $fopen("../outside.txt", "a"); $fdisplay(f, "x");`,
      `f = $fopen("link.txt", "w"); $fdisplay(f, "x");`,
      `begin : m reg [7:0] a [0:3]; $writememh("../outside.txt", a); end`,
      `$dumpfile("../outside.txt"); $dumpvars; #1;`,
    ];
    for (const [i, body] of attempts.entries()) {
      const { status, err } = await run("simulate", await put(`write${i}.v`, verilog(body)));
      expect(status, body).not.toBe(0);
      expect(err).toMatch(/lies outside of the folders that may be written; --allow-write/);
      expect(await text("outside.txt")).toBe(before);
    }
    const reads = [
      `f = $fopen("${outside}", "r"); c = $fgets(line, f); $display("%0s", line);`,
      `f = $fopen("link.txt", "r"); c = $fgets(line, f); $display("%0s", line);`,
      `begin : m reg [7:0] a [0:3]; $readmemh("../outside.txt", a); end`,
    ];
    for (const [i, body] of reads.entries()) {
      const { out, err } = await run("simulate", await put(`read${i}.v`, verilog(body)));
      expect(out, body).not.toContain("outside");
      expect(err).toMatch(/lies outside of the folders that may be read; --allow-read/);
    }
    const bench = await put("asked.v", verilog(`f = $fopen("../outside.txt", "a"); $fdisplay(f, "more");`));
    expect((await run("simulate", "--allow-write", folder, "--", bench)).status).toBe(0);
    expect(await text("outside.txt")).toBe(`${before}more\n`);
  });

  it("are not read by include, nor by what a folder's own file lists or is called", async () => {
    const include = await put("include.v", '`include "/etc/passwd"\nmodule m; endmodule\n');
    expect((await run("check", include)).err).toMatch(/may be read; --allow-read/);
    await mkdir(join(work, "design"));
    const design = (settings: object) => writeFile(join(work, "design", "gateclock.json"), JSON.stringify(settings));
    await writeFile(join(work, "design", "m.v"), "module m(input a, output y); assign y = a; endmodule\n");
    await design({ name: "../../../escaped", top: "m", sources: ["m.v"] });
    const named = await run("build", "design", "--stop-after", "synth");
    expect(named.status).toBe(2);
    expect(named.err).toMatch(/is no name for a design/);
    await design({ name: "m", top: "m", sources: ["../../outside.txt"] });
    expect((await run("build", "design", "--stop-after", "synth")).err).toMatch(/--allow-read/);
    for (const settings of [[], "x", { name: 5 }, { sources: "m.v" }, { sources: [3] }, null]) {
      await design(settings as object);
      const { status, err } = await run("build", "design");
      expect(status).toBe(2);
      expect(err).toMatch(/gateclock\.json/);
    }
  });
});

describe("files that the call names", () => {
  it("that cannot be written or read are told in a sentence, with status 2", async () => {
    const bench = await put("tb.v", "module tb; reg a = 0; initial #1 a = 1; endmodule\n");
    for (const args of [
      ["simulate", "--vcd", "/proc/none/x.vcd", bench],
      ["simulate", "--vcd", work, bench],
      ["build", "--top", "tb", "--out", "tb.v", bench],
    ]) {
      const { status, err } = await run(...args);
      expect(status, args.join(" ")).toBe(2);
      expect(err.trim().split("\n")).toHaveLength(1);
    }
  });

  it("hold scripts whose mistakes are told by step", async () => {
    const source = await put(
      "line.v",
      "module line(input clk, output reg q); initial q = 0; always @(posedge clk) q <= ~q; endmodule\n",
    );
    expect((await run("build", "--top", "line", "--recipe", "swift", source)).status).toBe(0);
    const play = async (steps: unknown, ports = "build/ports.json") => {
      await put("steps.json", typeof steps === "string" ? steps : JSON.stringify(steps));
      return run("play", "build/line.bits", "--ports", ports, "--steps", "steps.json");
    };
    expect(await play([{ clock: { port: "clk", cycles: 3 } }, { read: ["q"], expect: [1] }])).toMatchObject({
      status: 0,
    });
    for (const [steps, words] of [
      [[{ clock: { port: "clk", cycles: -1 } }], /Step 0: -1 is no number of cycles/],
      [[{ clock: { port: "clk", cycles: 1e300 } }], /no number of cycles/],
      [[{ clock: "clk" }], /Step 0: clock takes/],
      [[{ run: "20us" }, { run: 20 }], /Step 1: run takes a time/],
      [[{ run: `${"9".repeat(400)}s` }], /is not a time/],
      [[{ set: [1] }], /set takes ports/],
      [[{ set: { clk: null } }], /'clk' is set to null/],
      [[{ read: "q" }], /read takes a list/],
      [[{ read: ["q"], expect: [1, 2] }], /reads 1 ports and expects 2/],
      [[{ read: ["weft"] }], /no port 'weft'/],
      [[5, null], /is no step/],
      [[{ set: {}, run: "1us" }], /one of set, run/],
      [{ steps: [] }, /a list of steps/],
      ["[1, 2", /is not JSON/],
      ["[".repeat(100_000), /is not JSON/],
    ] as [unknown, RegExp][]) {
      const { status, err } = await play(steps);
      expect(err).toMatch(words);
      expect(status).toBe(2);
    }
    for (const ports of [
      "null",
      "[5]",
      '{"ports":[{"port":"clk","pin":3}]}',
      '[{"port":"clk","pin":"P1","clockNs":-5}]',
    ]) {
      const { status, err } = await play([], await put("ports.json", ports));
      expect(status).toBe(2);
      expect(err).not.toBe("");
    }
    for (const report of ["5", "[]", "null", "{"]) {
      await mkdir(join(work, "odd"), { recursive: true });
      await writeFile(join(work, "odd", "report.json"), report);
      expect((await run("report", "odd", "timing")).status).toBe(2);
    }
  }, 60_000);
});

describe("waves", () => {
  it("name signals and scopes with dots in their names as what they are", async () => {
    const bench = await put(
      "dots.v",
      "module c(input x); wire \\p.q = x; endmodule\nmodule tb; reg r = 0; wire \\a.b = r; genvar i;\n  generate for (i = 0; i < 2; i = i + 1) begin : g c \\u.1 (r); c u2(r); end endgenerate\n  initial #1 r = 1;\nendmodule\n",
    );
    expect((await run("simulate", "--vcd", "dots.vcd", bench)).status).toBe(0);
    const lines = (await text("work/dots.vcd")).match(/^\$(scope module|var \w+ 1) .*?(?= \$end)/gm)!;
    const names = lines.map((line) => line.replace(/^\$var \w+ 1 \S+ /, "").replace("$scope module ", "> "));
    expect(names).toEqual([
      "> tb",
      "r",
      "a.b",
      ...[0, 1].flatMap((i) => [`> g[${i}]`, "> u.1", "x", "p.q", "> u2", "x", "p.q"]),
    ]);
  });
});
