import { describe, expect, it } from "vitest";
import { formatFinding, quietContext } from "../src/common/index.ts";
import { clockBlockLockEdges } from "../src/device/blocks/clock-block.ts";
import { findPart } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { checkDesign, MemoryStore, type ProofInputs, proveDesign, runFlow } from "../src/flow/index.ts";
import { ClockBlockRun } from "../src/silicon/blocks/clock-block.ts";
import { built, designInput, running } from "./helpers/build.ts";
import { builtLines, linesOf } from "./helpers/simulation.ts";

/** Counters on each clock that a block makes, and one on the clock that comes in. */
const counters = (parameters: string) => `module m(input clk, output reg [7:0] n, a, b, output locked);
  wire ca, cb;
  clock_block #(${parameters}) u1 (.clock_in(clk), .clock_a(ca), .clock_b(cb), .locked(locked));
  initial begin n = 0; a = 0; b = 0; end
  always @(posedge clk) n <= n + 1;
  always @(posedge ca) a <= a + 1;
  always @(posedge cb) b <= b + (n[0] ? 3 : 1);
endmodule`;

const countersVhdl = `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity m is port (clk : in std_logic; n, a, b : out unsigned(7 downto 0) := (others => '0'); locked : out std_logic); end entity;
architecture rtl of m is
  component clock_block is generic (MULTIPLY, DIVIDE_A, DIVIDE_B : integer := 1);
    port (clock_in : in std_logic; clock_a, clock_b, locked : out std_logic); end component;
  signal ca, cb : std_logic; signal nn, aa, bb : unsigned(7 downto 0) := (others => '0');
begin
  u1 : clock_block generic map (MULTIPLY => 3, DIVIDE_A => 2, DIVIDE_B => 4)
    port map (clock_in => clk, clock_a => ca, clock_b => cb, locked => locked);
  process (clk) begin if rising_edge(clk) then nn <= nn + 1; end if; end process;
  process (ca) begin if rising_edge(ca) then aa <= aa + 1; end if; end process;
  process (cb) begin if rising_edge(cb) then if nn(0) = '1' then bb <= bb + 3; else bb <= bb + 1; end if; end if; end process;
  n <= nn; a <= aa; b <= bb;
end architecture;`;

/** Values after each cycle: as written, as structural Verilog, and on the part. */
async function threeWays(source: string, name: string, outputs: readonly string[], cycles: number, part?: string) {
  // read just before the next rising edge: all that this period brings has happened
  const bench = `\`timescale 1ns / 1ps
module tb; reg clk = 0; ${outputs.map((port) => `wire [7:0] ${port};`).join(" ")}
    m dut(.clk(clk)${outputs.map((port) => `, .${port}(${port})`).join("")});
    initial begin #5; repeat (${cycles}) begin clk = 1; #5 clk = 0; #4.999
      $display("${outputs.map(() => "%0d").join(" ")}", ${outputs.join(", ")}); #0.001; end end
  endmodule`;
  const written = linesOf(
    [
      { name, text: source },
      { name: "tb.v", text: bench },
    ],
    { top: "tb" },
  );
  const { player, result } = await running(source, { sources: [{ name, text: source }], ...(part ? { part } : {}) });
  const netlist = (await result.artifact("synth"))!;
  const after = builtLines(netlist, bench);
  const onPart = Array.from({ length: cycles }, () => {
    player.clock("clk", 1);
    return outputs.map((port) => player.read(port)).join(" ");
  });
  return { written, built: after, onPart, result, netlist };
}

describe("clock blocks", () => {
  for (const [parameters, ratioA] of [
    [".MULTIPLY(1), .DIVIDE_B(2)", 1],
    [".MULTIPLY(4), .DIVIDE_A(1), .DIVIDE_B(3)", 4],
    [".MULTIPLY(3), .DIVIDE_A(2), .DIVIDE_B(8), .PHASE_A(3)", 3 / 2],
    [".MULTIPLY(5), .DIVIDE_A(7), .DIVIDE_B(5), .PHASE_B(4)", 5 / 7],
  ] as const)
    it(`keep their ratios: ${parameters}`, async () => {
      const cycles = 60;
      const { written, built, onPart } = await threeWays(
        counters(parameters),
        "t.sv",
        ["n", "a", "b", "locked"],
        cycles,
      );
      expect(built).toEqual(written);
      expect(onPart).toEqual(written);
      const [n, a, , locked] = onPart[cycles - 1].split(" ").map(Number);
      expect([n, locked]).toEqual([cycles, 1]);
      const ran = cycles - clockBlockLockEdges;
      expect(Math.abs(a - (ran + 1) * ratioA)).toBeLessThanOrEqual(Math.max(1, ratioA));
      expect(onPart[clockBlockLockEdges - 2].split(" ").slice(1)).toEqual(["0", "0", "0"]);
      expect(onPart[clockBlockLockEdges - 1].split(" ")[3]).toBe("1");
    });

  it("from VHDL, on a part of another family", async () => {
    const { written, onPart } = await threeWays(countersVhdl, "t.vhd", ["n", "a", "b", "locked"], 50, "CA-1-P84-2C");
    expect(onPart).toEqual(written);
    const ran = 50 - (clockBlockLockEdges - 1);
    expect(Number(onPart[49].split(" ")[1])).toBe(Math.ceil((ran * 3) / 2));
  });

  it("make so many edges, evenly, whatever the ratio", () => {
    for (const [multiply, divide, phase] of [
      [1, 1, 0],
      [64, 1, 0],
      [1, 64, 5],
      [17, 5, 7],
      [10, 3, 1],
    ]) {
      const run = new ClockBlockRun(
        { type: "clockBlock", multiply, divide: [divide, 1], phase: [phase, 0] },
        1,
        [2, -1, -1],
      );
      const times: number[] = [];
      const periods = 40 * divide;
      for (let half = 0; half < 2 * (periods + clockBlockLockEdges - 1); half++)
        for (const { at, level } of run.edge(half % 2 === 0)) if (level) times.push((half + at) / 2);
      const own = divide / multiply;
      expect(times.length).toBe(Math.ceil(periods / own - phase / 8 - 1e-9));
      times.forEach((time, i) => {
        expect(time).toBeCloseTo(clockBlockLockEdges - 1 + (i + phase / 8) * own, 9);
      });
    }
  });

  it("run alike edge by edge and many cycles at a time", async () => {
    for (const parameters of [".MULTIPLY(7), .DIVIDE_A(3), .DIVIDE_B(5), .PHASE_A(1)", ".MULTIPLY(2), .DIVIDE_B(64)"]) {
      const [edges, cycles] = await Promise.all([running(counters(parameters)), running(counters(parameters))]);
      for (const turns of [1, 14, 1, 3, 70, 33]) {
        cycles.player.clock("clk", turns);
        for (let i = 0; i < turns; i++) for (const clk of [1, 0]) edges.player.set({ clk });
        for (const port of ["n", "a", "b", "locked"]) expect(cycles.player.read(port)).toBe(edges.player.read(port));
      }
    }
  });

  it("are timed by what they make of the clock's rule", async () => {
    const timingFiles = [{ name: "t.sdc", text: "create_clock -name main -period 20 [get_ports clk]\n" }];
    const result = await built(counters(".MULTIPLY(3), .DIVIDE_A(2), .DIVIDE_B(12), .PHASE_B(2)"), { timingFiles });
    const { clocks, setupPaths } = (await result.artifact("timing"))!;
    const periods = Object.fromEntries(clocks.map(({ name, periodPs }) => [name, periodPs]));
    expect(periods).toEqual({
      main: 20_000,
      "u1.clock_a": (20_000 * 2) / 3,
      "u1.clock_b": 80_000,
    });
    const within = setupPaths.find((path) => path.launchClock === "u1.clock_a" && path.captureClock === "u1.clock_a")!;
    expect(within.requirementPs).toBeCloseTo(20_000 / 1.5, 6);
    // from main's edges at 0, 20, 40, 60 to those at 20 and 100: never closer than 20
    const across = setupPaths.find((path) => path.launchClock === "main" && path.captureClock === "u1.clock_b")!;
    expect(across.requirementPs).toBeCloseTo(20_000, 6);
    expect(result.findings.filter(({ code }) => code === "timing/clock-from-logic")).toEqual([]);
  });

  it("are in step with the clock that comes in", async () => {
    const timingFiles = [{ name: "t.sdc", text: "create_clock -name main -period 20 [get_ports clk]\n" }];
    for (const name of ["TW-2-P144-2C", "CA-6-P84-2C"]) {
      const result = await built(counters(".MULTIPLY(3), .DIVIDE_A(2)"), { timingFiles, part: name });
      const { clocks, checks } = (await result.artifact("timing"))!;
      const { clockBlockPs, tileClockStepPs } = findPart(name).part!.family.delays;
      const own = clocks.find(({ port }) => port === "clk")!;
      const { fabric } = findPart(name).part!;
      const most = clockBlockPs + tileClockStepPs * (fabric.width + fabric.height);
      for (const made of clocks.filter(({ port }) => port !== "clk")) {
        expect(made.registers).toBeGreaterThan(0);
        expect(Math.abs(made.earliestPs - own.earliestPs)).toBeLessThanOrEqual(most);
      }
      for (const { kind, worstSlackPs } of checks) if (kind === "hold") expect(worstSlackPs!).toBeGreaterThan(0);
    }
  });

  it("are proven: as written, as built and as read back", async () => {
    for (const text of [counters(".MULTIPLY(2), .DIVIDE_B(5)"), switched]) {
      const result = await built(text);
      const [elaborated, synth, rules, pack, place, route, image] = await Promise.all(
        (["elaborate", "synth", "rules", "pack", "place", "route", "image"] as const).map((stage) =>
          result.artifact(stage),
        ),
      );
      const layout = { rules, pack, place, route, image };
      const inputs = {
        part: result.part,
        sources: [{ name: "t.sv", text }],
        elaborate: elaborated,
        synth,
        layout,
      } as unknown as ProofInputs;
      const proof = await proveDesign(inputs, "key", { get: async () => null, put: async () => {} }, quietContext());
      expect([proof.source.verdict, proof.logic.verdict, proof.readback!.verdict]).toEqual([
        "agrees",
        "equal",
        "equal",
      ]);
      expect(proof.source.neverKnown).toEqual([]);
      expect(proof.logic.points).toBeGreaterThan(20);
    }
  });

  it("tell what cannot be", async () => {
    const findings = (text: string) =>
      elaborate([{ name: "t.sv", text }])
        .findings.map(formatFinding)
        .join("\n");
    expect(findings(counters(".MULTIPLY(65)"))).toMatch(/\[circuit\/clock-block\] MULTIPLY of clock block 'u1' is 65/);
    expect(findings(counters(".PHASE_A(8)"))).toMatch(/eighths/);
    const timingFiles = [{ name: "t.sdc", text: "create_clock -period 4 [get_ports clk]\n" }];
    const fast = await runFlow(
      designInput(counters(".MULTIPLY(10), .DIVIDE_A(10)"), { timingFiles }),
      new MemoryStore(),
    );
    expect(fast.findings.map(formatFinding).join("\n")).toMatch(
      /\[clock\/out-of-range\] .* to 2500 MHz; Twill goes up to 1200 MHz/,
    );
    const none = await runFlow(designInput(counters(""), { part: "FE-256-P44-1C" }), new MemoryStore());
    expect(none.findings.map(formatFinding).join("\n")).toMatch(/needs 1 of 0 clock blocks/);
  });

  it("bring no findings and no module of their own along", () => {
    const text = `${switched}\n${counters("")}`.replace("module m", "module n");
    const { findings, artifact, modules } = elaborate([{ name: "t.sv", text }], { top: "m" });
    expect(findings).toEqual([]);
    expect([...modules].sort()).toEqual(["m", "n"]);
    expect(artifact!.hierarchy.children).toEqual([]);
  });

  it("count as what a clock is for, while it is typed too", () => {
    const text = `module m(input clk, slow, pick, we, input [9:0] a, input [7:0] d, output reg [3:0] n, output [7:0] q);
      wire b, c; reg [7:0] store [0:1023]; assign q = store[a]; always @(posedge slow) if (we) store[a] <= d;
      clock_block u(.clock_in(clk), .clock_a(b), .clock_b(c), .locked()); always @(posedge b) n <= n + 1; endmodule`;
    const timingFiles = [{ name: "t.sdc", text: "create_clock -period 10 [get_ports clk]\n" }];
    const { clockPorts, timingFindings } = checkDesign(designInput(text, { timingFiles }));
    expect(clockPorts).toEqual(["clk", "slow"]);
    expect(timingFindings.flatMap(({ code, severity }) => (severity === "note" ? [] : [code]))).toEqual([
      "sdc/no-clock",
    ]);
  });

  it("leave a module of the same name in the sources to itself", () => {
    const own = "module clock_block(input clock_in, output clock_a); assign clock_a = ~clock_in; endmodule\n";
    const top = "module m(input c, output y); clock_block u(.clock_in(c), .clock_a(y)); endmodule\n";
    const { artifact } = elaborate([{ name: "t.v", text: own + top }], { top: "m" });
    expect(artifact!.netlist.cells.map(({ kind }) => kind)).toEqual(["not"]);
  });

  it("may feed each other, up to as many as there are", async () => {
    const chain = `module m(input clk, output reg [7:0] n); wire [4:0] c; assign c[0] = clk;
      for (genvar i = 0; i < 2; i++) begin : g wire lock; wire b;
        clock_block #(.MULTIPLY(2)) u (.clock_in(c[i]), .clock_a(c[i + 1]), .clock_b(b), .locked(lock)); end
      initial n = 0; always @(posedge c[2]) n <= n + 1; endmodule`;
    const { written, onPart } = await threeWays(chain, "t.sv", ["n"], 60);
    expect(onPart).toEqual(written);
    // the second block waits for 16 edges of the first, half as long as that for its own
    const ran = 60 - (clockBlockLockEdges - 1) - (clockBlockLockEdges - 1) / 2;
    expect(Number(onPart[59])).toBe(ran * 4);
    expect(findPart("TW-2-P144-2C").part!.fabric.blockSites("clockBlock")).toHaveLength(4);
  });
});

const switched = `module m(input clk, slow, pick, output reg [7:0] n, output reg [7:0] late);
  wire c; clock_switch u1 (.clock_0(clk), .clock_1(slow), .select(pick), .clock_out(c));
  reg [7:0] plain = 0; always @(posedge clk) plain <= plain + 1;
  initial begin n = 0; late = 0; end
  always @(posedge c) begin n <= n + 1; late <= plain; end
endmodule`;

describe("clock switches", () => {
  it("pass one clock or the other, and no pulse that is shorter than either's", async () => {
    const { player, result } = await running(switched);
    const netlist = (await result.artifact("synth"))!;
    const steps: { clk: number; slow: number; pick: number }[] = [];
    for (let t = 0; t < 400; t++)
      steps.push({ clk: t & 1, slow: Math.floor(t / 7) & 1, pick: t > 40 && t < 170 ? 1 : t > 300 ? 1 : 0 });
    const bench = `\`timescale 1ns / 1ps
module tb; reg clk = 0, slow = 0, pick = 0; wire [7:0] n, late; m dut(.clk(clk), .slow(slow), .pick(pick), .n(n), .late(late));
    initial begin ${steps.map(({ clk, slow, pick }) => `clk = ${clk}; slow = ${slow}; pick = ${pick}; #1 $display("%0d %0d", n, late);`).join("\n")} end endmodule`;
    const written = linesOf(
      [
        { name: "t.sv", text: switched },
        { name: "tb.v", text: bench },
      ],
      { top: "tb" },
    );
    const after = builtLines(netlist, bench);
    const onPart = steps.map((step) => {
      player.set(step);
      return `${player.read("n")} ${player.read("late")}`;
    });
    expect(after).toEqual(written);
    expect(onPart).toEqual(written);
    // it did count by both
    const count = (from: number, to: number) => Number(onPart[to].split(" ")[0]) - Number(onPart[from].split(" ")[0]);
    expect(count(0, 38)).toBe(19);
    expect(count(60, 158)).toBe(7);
  });

  it("are timed for either clock, never from one to the other", async () => {
    const timingFiles = [
      {
        name: "t.sdc",
        text: "create_clock -name quick -period 10 [get_ports clk]\ncreate_clock -name slow -period 33 [get_ports slow]\n",
      },
    ];
    const result = await built(switched, { timingFiles });
    const { clocks, setupPaths } = (await result.artifact("timing"))!;
    const made = clocks.filter(({ name }) => name.includes(".clock_out:"));
    expect(made.map(({ name, periodPs }) => [name.replace(/.*:/, ""), periodPs])).toEqual([
      ["quick", 10_000],
      ["slow", 33_000],
    ]);
    const names = made.map(({ name }) => name);
    const own = setupPaths.filter(({ launchClock, captureClock }) =>
      [launchClock, captureClock].every((name) => names.includes(name)),
    );
    expect(own.length).toBeGreaterThan(0);
    for (const path of own) {
      expect(path.launchClock).toBe(path.captureClock);
      expect(path.requirementPs).toBe(path.launchClock.endsWith("quick") ? 10_000 : 33_000);
    }
  });
});

describe("clocks through gates", () => {
  it("take their registers together with those of the clock itself", async () => {
    const text = `module m(input clk, input en, input d, output reg a, b);
      reg held = 0; always @(negedge clk) held <= en; wire g = clk & held;
      initial begin a = 0; b = 0; end
      always @(posedge clk) a <= d; always @(posedge g) b <= a; endmodule`;
    const steps = Array.from({ length: 40 }, (_, i) => ({ en: (i >> 1) & 1, d: ((i * 7) & 1) ^ ((i >> 2) & 1) }));
    const bench = `module tb; reg clk = 0, en, d; wire a, b; m dut(.clk(clk), .en(en), .d(d), .a(a), .b(b));
      initial begin ${steps.map(({ en, d }) => `en = ${en}; d = ${d}; #1 clk = 1; #1 clk = 0; #1 $display("%b%b", a, b);`).join("\n")} end endmodule`;
    const written = linesOf(
      [
        { name: "t.sv", text },
        { name: "tb.v", text: bench },
      ],
      { top: "tb" },
    );
    const { player } = await running(text);
    const onPart = steps.map((step) => {
      player.set(step);
      player.clock("clk", 1);
      return `${player.read("a")}${player.read("b")}`;
    });
    expect(onPart).toEqual(written);
  });
});

it("the key of a design takes in the parameters of a block for part of it", () => {
  const keys = [counters(".MULTIPLY(2)"), counters(".MULTIPLY(3)")].map(
    (text) => elaborate([{ name: "t.sv", text }]).artifact!.meaningKey,
  );
  expect(keys[0]).not.toBe(keys[1]);
});
