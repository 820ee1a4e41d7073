import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { main } from "../src/main.ts";

const demo = fileURLToPath(new URL("../../../designs/pick-counter", import.meta.url));
let folder = "";
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), "gate-clock-cli-"));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

async function run(...args: string[]): Promise<{ status: number; out: string; err: string }> {
  let out = "";
  let err = "";
  const status = await main(args, {
    print: (to, text) => {
      if (to === "out") out += text;
      else err += text;
    },
  });
  return { status, out, err };
}
const file = async (name: string, text: string) => {
  const path = join(folder, name);
  await writeFile(path, text);
  return path;
};

describe("gate-clock", () => {
  it("checks files and prints findings as file:line:col", async () => {
    const bad = await file("bad.v", "module m(input a, output y);\n  assign y = b\nendmodule\n");
    const { status, out, err } = await run("check", bad);
    expect(status).toBe(1);
    expect(out).toBe("");
    expect(err).toMatch(
      new RegExp(`^${bad.replace(/[\\.]/g, "\\$&")}:2:\\d+: error: \\[verilog/syntax\\] Missing ';'`, "m"),
    );
    const good = await file("good.v", "module m(input a, output y);\n  assign y = ~a;\nendmodule\n");
    expect(await run("check", good)).toEqual({ status: 0, out: "", err: "" });
    expect(JSON.parse((await run("check", "--json", good)).out)).toMatchObject({ ok: true, top: "m", modules: ["m"] });
  });

  it("finds the memory contents that lie beside the sources, in both languages", async () => {
    await file("pattern.hex", "a5 3c\n7e 01\n");
    const rom = await file(
      "rom.v",
      `module rom(input clk, input [1:0] a, output reg [7:0] q);\n  reg [7:0] m [0:3];\n  initial $readmemh("pattern.hex", m);\n  always @(posedge clk) q <= m[a];\nendmodule\n`,
    );
    const made = join(folder, "rom-built");
    expect(await run("build", rom, "--stop-after", "synth", "--out", made)).toMatchObject({ status: 0 });
    expect((await run("check", rom)).err).toBe("");
    await file("words.txt", "10100101\n00111100\n");
    const vhdl = await file(
      "list.vhd",
      `library ieee; use ieee.std_logic_1164.all; use std.textio.all;
entity list is port (a : in std_logic; q : out std_logic_vector(7 downto 0)); end entity;
architecture rtl of list is
  type words is array (0 to 1) of bit_vector(7 downto 0);
  impure function load return words is file f : text open read_mode is "words.txt"; variable l : line; variable w : words; begin for i in w'range loop readline(f, l); read(l, w(i)); end loop; return w; end function;
  constant contents : words := load;
begin
  q <= to_stdlogicvector(contents(1)) when a = '1' else to_stdlogicvector(contents(0));
end architecture;\n`,
    );
    expect(await run("check", vhdl)).toEqual({ status: 0, out: "", err: "" });
  });

  it("answers wrong calls with status 2 and says what is wrong", async () => {
    for (const [args, words] of [
      [["weave"], /unknown command/],
      [["build", join(folder, "nowhere")], /no file or folder/],
      [["build", demo, "--stop-after", "lunch"], /no stage 'lunch'/],
      [["build", demo, "--seed", "many"], /not a seed/],
      [
        ["play", join(folder, "x.bits"), "--ports", join(folder, "none.json"), "--steps", join(folder, "none.json")],
        /Cannot read/,
      ],
      [["report", folder, "gossip"], /no report 'gossip'/],
    ] as [string[], RegExp][]) {
      const { status, err } = await run(...args);
      expect(status).toBe(2);
      expect(err).toMatch(words);
    }
  });

  it("builds a design folder, twice to the same bytes, and reports on it", async () => {
    const [one, two] = [join(folder, "one"), join(folder, "two")];
    expect((await run("build", demo, "--out", one)).status).toBe(0);
    expect((await run("build", demo, "--out", two)).status).toBe(0);
    for (const name of ["pick-counter.bits", "ports.json", "netlist.v", "delays.sdf"])
      expect(await readFile(join(one, name))).toEqual(await readFile(join(two, name)));
    expect((await run("report", one, "utilization")).out).toMatch(/LUTs\s+\d+\s+2048/);
    expect((await run("report", one, "timing")).out).toMatch(/clk\s+10\.000/);
    expect(JSON.parse((await run("report", one, "pins", "--json")).out)).toHaveLength(34);
  }, 60_000);

  it("plays a script on the built image: the pick counter counts", async () => {
    const build = join(folder, "one");
    const settle = { clock: { port: "clk", cycles: 1100 } };
    const pick = [{ set: { "switches[0]": 1 } }, settle, { set: { "switches[0]": 0 } }, settle];
    // segments of digit 0 while it is selected: run until the scan shows it
    const steps = [
      settle,
      ...pick,
      ...pick,
      { set: { switches: 8 } },
      { clock: { port: "clk", cycles: 3 } },
      { read: ["lamps[3]", "lamps[2]", "lamps[0]"], expect: [1, 1, 0] },
    ];
    const script = await file("steps.json", JSON.stringify(steps));
    const good = await run(
      "play",
      join(build, "pick-counter.bits"),
      "--part",
      "TW-2-P144-2C",
      "--ports",
      join(build, "ports.json"),
      "--steps",
      script,
    );
    expect(good).toEqual({ status: 0, out: "[1,1,0]\n", err: "" });
    const at = (...more: string[]) =>
      run(
        "play",
        join(build, "pick-counter.bits"),
        "--ports",
        join(build, "ports.json"),
        "--steps",
        script,
        "--delays",
        ...more,
      );
    expect(await at("slow-hot", "--seed", "3")).toEqual(good);
    expect(await at("hot")).toMatchObject({ status: 2, out: "" });
    expect(await at("slow-hot", "--seed", "x")).toMatchObject({ status: 2, out: "" });
    const wrong = await file(
      "wrong.json",
      JSON.stringify([...steps.slice(0, -1), { read: ["lamps[3]"], expect: [0] }]),
    );
    const bad = await run(
      "play",
      join(build, "pick-counter.bits"),
      "--ports",
      join(build, "ports.json"),
      "--steps",
      wrong,
    );
    expect(bad.status).toBe(1);
    expect(bad.err).toMatch(/expected 0, read 1/);
  });

  it("plays a compressed image with a made clock, a line that is let go, and a serial loop", async () => {
    const source = await file(
      "line.sv",
      `module line(input clk, free, rx, output tx, inout brake, output reg [3:0] n, output [9:0] heard);
        wire fast, half, ready; reg [9:0] said = 10'd3;
        clock_block #(.MULTIPLY(2), .DIVIDE_B(4)) u1 (.clock_in(clk), .clock_a(fast), .clock_b(half), .locked(ready));
        serial_lane u2 (.word_clock(clk), .slip(1'b0), .rx(rx), .tx(tx), .tx_word(said), .rx_word(heard));
        initial n = 0; always @(posedge fast) n <= n + 1'b1;
        assign brake = free ? 1'bz : n[1]; endmodule`,
    );
    const out = join(folder, "compressed");
    const made = await run(
      "build",
      "--top",
      "line",
      "--part",
      "TW-9-P144-1C",
      "--out",
      out,
      "--compressed",
      "--json",
      source,
    );
    expect(made.status).toBe(0);
    const bytes = await readFile(join(out, "line.bits"));
    expect(JSON.parse(made.out).image.bytes).toBe(bytes.length);
    expect(bytes.length).toBeLessThan(10_000);
    const steps = [
      { link: { from: "tx", to: "rx" } },
      { clock: { port: "clk", cycles: 16 } },
      { read: ["n", "brake", "heard"], expect: [2, 1, 3] },
      { set: { free: 1 } },
      { read: ["brake"], expect: ["z"] },
      { set: { brake: 0 } },
      { read: ["brake"], expect: [0] },
      { set: { free: 0 } },
      { read: ["brake"], expect: ["x"] },
    ];
    const script = await file("line.json", JSON.stringify(steps));
    const played = await run("play", join(out, "line.bits"), "--ports", join(out, "ports.json"), "--steps", script);
    expect(played).toEqual({ status: 0, out: '[2,1,3]\n["z"]\n[0]\n["x"]\n', err: "" });
  });

  it("refuses a damaged image with the part's reason", async () => {
    const bytes = await readFile(join(folder, "one", "pick-counter.bits"));
    bytes[5000] ^= 1;
    await writeFile(join(folder, "damaged.bits"), bytes);
    const { status, err } = await run(
      "play",
      join(folder, "damaged.bits"),
      "--ports",
      join(folder, "one", "ports.json"),
      "--steps",
      await file("none.json", "[]"),
    );
    expect(status).toBe(1);
    expect(err).toMatch(/refused the bitstream: the CRC of frame/);
  });

  it("writes a netlist that it reads again and that plays the same", async () => {
    const source = await file(
      "m.v",
      "module m(input clk, input arst, input [5:0] a, output reg [5:0] q, output [5:0] \\odd!name );\n  always @(posedge clk or posedge arst) if (arst) q <= 6'd9; else if (a[0]) q <= q * a + 6'd5;\n  assign \\odd!name = q ^ a;\nendmodule\n",
    );
    const [first, second] = [join(folder, "rt1"), join(folder, "rt2")];
    expect((await run("build", source, "--top", "m", "--out", first, "--recipe", "swift")).status).toBe(0);
    expect(
      (
        await run(
          "build",
          join(first, "netlist.v"),
          join(first, "primitives.v"),
          "--top",
          "m",
          "--out",
          second,
          "--recipe",
          "swift",
        )
      ).status,
    ).toBe(0);
    const steps: unknown[] = [{ set: { arst: 1 } }, { read: ["q"], expect: [9] }, { set: { arst: 0 } }];
    for (let i = 0; i < 40; i++)
      steps.push({ set: { a: (i * 29 + 3) % 64 } }, { clock: { port: "clk", cycles: 1 } }, { read: ["q", "odd!name"] });
    const script = await file("rt.json", JSON.stringify(steps));
    const play = (build: string) =>
      run("play", join(build, "m.bits"), "--ports", join(build, "ports.json"), "--steps", script);
    const [a, b] = [await play(first), await play(second)];
    expect(a.err).toBe("");
    expect(a.out.split("\n").length).toBeGreaterThan(40);
    expect(b.out).toBe(a.out);
  }, 60_000);
});

describe("gate-clock simulate", () => {
  const bench = `module tb;
  reg clk = 0;
  always #5 clk = ~clk;
  integer f;
  initial begin
    $display("start %0s", $test$plusargs("loud") ? "LOUD" : "quiet");
    f = $fopen("picks.txt", "w");
    $fdisplay(f, "7 picks");
    $fclose(f);
    #12 $write("at %0d, no line end", $time);
    $finish;
  end
endmodule
`;
  it("prints what the design prints, untouched, and nothing else", async () => {
    const path = await file("tb.v", bench.replace("picks.txt", join(folder, "picks.txt")));
    const ran = await run("simulate", "--top", "tb", "--allow-write", folder, "--plusarg", "loud", "--", path);
    expect(ran).toEqual({ status: 0, out: "start LOUD\nat 12, no line end", err: "" });
    expect(await readFile(join(folder, "picks.txt"), "utf8")).toBe("7 picks\n");
  });
  it("stops at --until, and writes a dump that names every signal", async () => {
    const path = await file(
      "free.v",
      "`timescale 1ns/1ps\nmodule tb; reg clk = 0; reg [3:0] n = 0; always #5 clk = ~clk; always @(posedge clk) n <= n + 1; endmodule\n",
    );
    const vcd = join(folder, "free.vcd");
    expect(await run("simulate", "--top", "tb", "--until", "42ns", "--vcd", vcd, path)).toMatchObject({
      status: 0,
      out: "",
    });
    const text = await readFile(vcd, "utf8");
    expect(text).toContain("$timescale 1 ps $end");
    expect(text).toMatch(/\$var reg 4 (\S+) n \[3:0\] \$end/);
    expect(text.match(/^#\d+$/gm)).toEqual([
      "#0",
      "#5000",
      "#10000",
      "#15000",
      "#20000",
      "#25000",
      "#30000",
      "#35000",
      "#40000",
      "#42000",
    ]);
  });
  it("tells errors of the text and of the run on standard error, with status 1", async () => {
    const bad = await file("bad_tb.v", "module tb;\n  initial $display(x)\nendmodule\n");
    const first = await run("simulate", bad);
    expect(first.status).toBe(1);
    expect(first.err).toMatch(/bad_tb\.v:2:\d+: error: \[verilog\/syntax\]/);
    const failing = await file(
      "fail_tb.sv",
      'module tb;\n  initial assert (1 == 2) else $error("weft broke");\nendmodule\n',
    );
    const second = await run("simulate", failing);
    expect(second.status).toBe(1);
    expect(second.err).toMatch(/fail_tb\.sv:2:\d+: error: \[sim\/error\] weft broke/);
    expect((await run("simulate", "--until", "soon", failing)).status).toBe(2);
  });
  it("finds included files beside those that name them", async () => {
    await file("width.vh", "`define W 6\n");
    const path = await file("inc_tb.v", '`include "width.vh"\nmodule tb; initial $display("%0d", `W); endmodule\n');
    expect((await run("simulate", path)).out).toBe("6\n");
  });
  it("gives a machine-readable result", async () => {
    const path = await file("json_tb.v", 'module tb; initial begin #3 $display("hi"); $finish; end endmodule\n');
    const { out } = await run("simulate", "--json", path);
    expect(JSON.parse(out)).toMatchObject({ ok: true, end: "finish", time: 3, precision: -9, printed: "hi\n" });
  });
});
