import { describe, expect, it } from "vitest";
import { CircuitObjects } from "../src/constraints/sdc/objects.ts";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import { edgeOfContact, enableForGate, enableForMade } from "../src/constraints/source-advice.ts";
import { findFamily } from "../src/device/part.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { checkTimingRules } from "../src/timing/rule-check.ts";
import { built, running } from "./helpers/build.ts";

/** Findings, coverage and clocks of a circuit and its timing file. */
function check(text: string, sdc: string) {
  const { artifact, findings } = elaborate([{ name: "t.v", text }]);
  if (!artifact) throw new Error(JSON.stringify(findings));
  const objects = new CircuitObjects(artifact.netlist, artifact.hierarchy);
  const read = readTimingFiles([{ name: "t.sdc", text: sdc }], objects);
  const result = checkTimingRules(read.rules, objects, findFamily("Twill"), "t.sdc");
  return { ...result, codes: [...read.findings, ...result.findings].map(({ code }) => code) };
}

const loom = `module m(input clk, slow, button, input [3:0] thread, output reg [3:0] hooks, output reg picked, output alarm);
  reg [3:0] held; reg gate, half, seen; wire gated = clk & gate;
  always @(negedge clk) gate <= button;
  always @(posedge clk) held <= thread;
  always @(posedge gated) hooks <= held;
  always @(posedge clk) half <= ~half;
  always @(posedge half) picked <= thread[0];
  always @(posedge slow) seen <= held[0];
  assign alarm = seen ^ button;
endmodule`;

describe("a design without timing rules", () => {
  const around = {
    oscillators: new Map([["clk", { title: "oscillator of Shuttle", hz: 12_000_000 }]]),
    contacts: new Set(["button"]),
    lights: new Set(["alarm"]),
    plainPins: new Map<string, { pin: string; plain: number; network: number }>(),
  };
  const startOf = (text: string, sdc = "", surroundings = around) => {
    const { artifact } = elaborate([{ name: "t.v", text }]);
    const objects = new CircuitObjects(artifact!.netlist, artifact!.hierarchy);
    const read = readTimingFiles([{ name: "t.sdc", text: sdc }], objects);
    return {
      ...checkTimingRules(read.rules, objects, findFamily("Twill"), "t.sdc", surroundings),
      read: read.findings,
    };
  };

  it("is offered those of its kind, and is covered by them", () => {
    const { starter, findings } = startOf(loom);
    expect(findings.find(({ code }) => code === "sdc/no-rules")?.edit?.text).toBe(starter);
    expect(starter).toContain("create_clock -name clk -period 83.333 [get_ports clk] ;# 12 MHz, oscillator of Shuttle");
    expect(starter).toContain("create_clock -name slow -period 20.000 [get_ports slow] ;# 50 MHz: put the true");
    expect(starter).toContain("set_clock_groups -asynchronous -group clk -group slow");
    expect(starter).toContain("set_false_path -from [get_ports {button}]");
    expect(starter).toContain("set_false_path -to [get_ports {alarm}]");
    expect(starter).toContain("set_input_delay -clock clk 0 [get_ports {thread[*]}]");
    const after = startOf(loom, starter);
    expect(after.read).toEqual([]);
    expect(after.starter).toBe("");
    // what is left is what only the source, or who wrote it, can say
    expect([...new Set(after.findings.map(({ code }) => code))].sort()).toEqual([
      "sdc/both-edges",
      "sdc/clock-from-logic",
      "sdc/gated-clock",
    ]);
    expect(after.coverage.inputs.open).toEqual([]);
    expect(after.coverage.outputs.open).toEqual([]);
  });

  it("is offered none where nothing is clocked, or where there is one", () => {
    expect(startOf("module m(input a, output y); assign y = ~a; endmodule").starter).toBe("");
    expect(startOf(loom, "create_clock -name clk -period 10 [get_ports clk]\n").starter).toBe("");
    expect(startOf(loom, "set_false_path -from [get_ports button]\n").starter).toBe("");
    expect(startOf(loom, "# only words\n").starter).not.toBe("");
  });
});

describe("timing rules before anything is built", () => {
  it("find every clock, where it comes from and what is wrong with it", () => {
    const { clocks, findings, codes } = check(loom, "create_clock -name clk -period 10 [get_ports clk]\n");
    expect(
      clocks.map(({ name, from, isDeclared, rising, falling }) => [name, from, isDeclared, rising, falling]),
    ).toEqual([
      ["clk", "port", true, 9, 1],
      ["slow", "port", false, 1, 0],
      ["half", "logic", false, 1, 0],
    ]);
    expect(clocks[0].gates).toEqual(["gate"]);
    expect(codes).toEqual(
      expect.arrayContaining(["sdc/no-clock", "sdc/clock-from-logic", "sdc/gated-clock", "sdc/both-edges"]),
    );
    // the repair writes the line, and then it is gone
    const { edit } = findings.find(({ code }) => code === "sdc/no-clock")!;
    expect(edit!.append).toBe(true);
    const after = check(loom, `create_clock -name clk -period 10 [get_ports clk]\n${edit!.text}`);
    expect(after.codes).not.toContain("sdc/no-clock");
    expect(after.codes).toContain("sdc/undecided");
    const { edit: apart } = after.findings.find(({ code }) => code === "sdc/undecided")!;
    const decided = check(loom, `create_clock -name clk -period 10 [get_ports clk]\n${edit!.text}${apart!.text}`);
    expect(decided.codes).not.toContain("sdc/undecided");
    expect(decided.coverage.pairs.find(({ launch, capture }) => launch === "clk" && capture === "slow")!.state).toBe(
      "cut",
    );
  });

  it("count what is covered", () => {
    const none = check(loom, "").coverage;
    expect(none.clockPins).toEqual({ total: 12, clocked: 0 });
    const all = check(
      loom,
      `create_clock -name clk -period 10 [get_ports clk]
create_clock -name slow -period 30 [get_ports slow]
create_generated_clock -name half -source [get_ports clk] -divide_by 2 [get_pins half/q]
set_input_delay -clock clk 2 [get_ports {thread button}]
set_output_delay -clock clk 2 [all_outputs]
`,
    );
    expect(all.coverage.clockPins).toEqual({ total: 12, clocked: 12 });
    expect(all.coverage.inputs).toEqual({ total: 5, covered: 5, open: [] });
    expect(all.coverage.outputs).toEqual({ total: 6, covered: 6, open: [] });
    expect(all.coverage.ends.open).toBe(0);
    const pair = (launch: string, capture: string) =>
      all.coverage.pairs.find((each) => each.launch === launch && each.capture === capture);
    expect(pair("clk", "clk")!.state).toBe("same");
    expect(pair("clk", "half")!.state).toBe("related");
    expect(pair("clk", "slow")).toMatchObject({ state: "undecided", ends: 1 });
    const open = check(loom, "create_clock -name clk -period 10 [get_ports clk]\n");
    expect(open.coverage.inputs.open).toEqual(["button", "thread[0]", "thread[1]", "thread[2]", "thread[3]"]);
    // a port that a rule leaves out has been thought of
    const left = check(
      loom,
      "create_clock -name clk -period 10 [get_ports clk]\nset_false_path -from [get_ports thread]\n",
    );
    expect(left.coverage.inputs.open).toEqual(["button"]);
  });

  it("tell lines that cover nothing, and those that others cover", () => {
    const clocks = "create_clock -name clk -period 10 [get_ports clk]\n";
    const line = (text: string) => {
      const { findings } = check(loom, clocks + text);
      return findings.filter(({ place }) => place.line === 2).map(({ code }) => code);
    };
    expect(line("set_false_path -from [get_cells hooks] -to [get_cells held]\n")).toEqual(["sdc/no-path"]);
    expect(line("set_multicycle_path 2 -from [get_cells held] -to [get_cells hooks]\n")).toEqual([]);
    expect(line("set_multicycle_path 2 -to [get_cells hooks]\nset_false_path -to [get_cells hooks]\n")).toEqual([
      "sdc/covered",
    ]);
    expect(line("set_false_path -through [get_nets gated] -to [get_cells seen]\n")).toEqual(["sdc/no-path"]);
  });

  it("tell two clocks at one pin, unless a line says that they exclude each other", () => {
    const text = `module m(input a, b, pick, d, output reg q); wire c = pick ? a : b; always @(posedge c) q <= d; endmodule`;
    const both = "create_clock -name a -period 10 [get_ports a]\ncreate_clock -name b -period 8 [get_ports b]\n";
    const { findings, codes } = check(text, both);
    expect(codes).toContain("sdc/two-clocks");
    const { edit } = findings.find(({ code }) => code === "sdc/two-clocks")!;
    expect(check(text, both + edit!.text).codes).not.toContain("sdc/two-clocks");
    expect(check(text, `${both}set_case_analysis 1 [get_ports pick]\n`).codes).not.toContain("no-clock");
  });
});

describe("what lies outside of the part", () => {
  const text = "module m(input clk, a, output reg y); always @(posedge clk) y <= a; endmodule";
  const slack = async (lines: string, kind: "setup" | "hold", end: RegExp) => {
    const sdc = `create_clock -name clk -period 10 [get_ports clk]\nset_input_delay -clock clk 1 [get_ports a]\nset_output_delay -clock clk 1 [get_ports y]\n${lines}`;
    const result = await built(text, { timingFiles: [{ name: "t.sdc", text: sdc }] });
    const report = (await result.artifact("timing"))!;
    return (kind === "setup" ? report.setupPaths : report.holdPaths).find(({ to }) => end.test(to))!;
  };

  it("moves slacks by what is said: delays, loads, drives, uncertainty, latency", async () => {
    const plain = await slack("", "setup", /^y \(output\)$/);
    expect(plain.outputDelayPs).toBe(1000);
    const later = await slack("set_output_delay -clock clk 3 [get_ports y]\n", "setup", /^y \(output\)$/);
    expect(plain.slackPs! - later.slackPs!).toBeCloseTo(2000, 3);
    const { padLoadPf, padLoadPs, padInputPf } = findFamily("Twill").delays;
    const loaded = await slack(`set_load ${padLoadPf + 20} [get_ports y]\n`, "setup", /^y \(output\)$/);
    // the slowest corner of this part's speed grade decides
    expect((plain.slackPs! - loaded.slackPs!) / (20 * padLoadPs)).toBeGreaterThan(0.7);
    expect((plain.slackPs! - loaded.slackPs!) / (20 * padLoadPs)).toBeLessThan(1.3);
    const before = await slack("", "setup", /^y \(output\)$/);
    expect(before.slackPs).toBeLessThan(10_000);
    const input = await slack("", "hold", /^y \(output\)$/);
    const unsure = await slack("set_clock_uncertainty -setup 0.4 [get_clocks clk]\n", "setup", /^y \(output\)$/);
    expect(plain.slackPs! - unsure.slackPs!).toBeCloseTo(400, 3);
    expect(unsure.uncertaintyPs).toBe(400);
    // what comes late and early before the part is shared by both ends, and given back
    const spread = await slack(
      "set_clock_latency -source -early 0.5 [get_clocks clk]\nset_clock_latency -source -late 2 [get_clocks clk]\n",
      "setup",
      /^y \(output\)$/,
    );
    expect(spread.slackPs!).toBeCloseTo(plain.slackPs!, 3);
    expect(spread.creditPs - plain.creditPs).toBeCloseTo(1500, 3);
    expect(input.kind).toBe("hold");
    expect(padInputPf).toBeGreaterThan(0);
  });

  it("names the rule that a path's goal comes from, and sums up along the path", async () => {
    const path = await slack("set_multicycle_path 2 -to [get_ports y]\n", "setup", /^y \(output\)$/);
    expect(path.rules[0]).toEqual({ list: "exceptions", number: 0 });
    expect(path.rules).toContainEqual({ list: "ioDelays", number: 1 });
    expect(path.requirementPs).toBe(20_000);
    expect(path.requiredPs! - path.arrivalPs).toBeCloseTo(path.slackPs!, 6);
    const sum = path.steps.reduce((total, { delayPs }) => total + delayPs, 0);
    expect(path.requirementPs! + path.captureClockPs + path.creditPs - sum).toBeCloseTo(path.slackPs!, 6);
  });

  it("checks data against data, skews and pulses", async () => {
    const two = `module m(input clk, a, b, output reg x, y); reg p, q;
      always @(posedge clk) begin p <= a; q <= b; x <= p; y <= ~(q ^ p); end endmodule`;
    const result = await built(two, {
      timingFiles: [
        {
          name: "t.sdc",
          text: `create_clock -name clk -period 2 -waveform {0 0.2} [get_ports clk]
set_data_check -from [get_pins x/d] -to [get_pins y/d] -setup 0.5
set_max_skew 0.001 -to [get_cells {x y}]
`,
        },
      ],
    });
    const report = (await result.artifact("timing"))!;
    const data = report.dataChecks.filter(({ corner }) => corner === "slow-hot");
    expect(data).toMatchObject([{ kind: "setup", from: "x/d", to: "y/d" }]);
    const skew = report.skews.find(({ corner }) => corner === "slow-hot")!;
    expect(skew.limitPs).toBeCloseTo(1, 6);
    expect(skew.skewPs).toBeGreaterThan(1);
    expect(report.pulses[0]).toMatchObject({ what: "high", clock: "clk" });
    expect(report.pulses[0].havePs).toBeCloseTo(200, 6);
    expect(report.pulses[0].slackPs).toBeLessThan(0);
    expect(result.findings.map(({ code }) => code)).toEqual(
      expect.arrayContaining(["timing/data", "timing/skew", "timing/pulse"]),
    );
  });

  it("checks data against data at the edges and for the clock that a line names", async () => {
    const two = `module m(input fast, slow, a, b, output reg x, y, z, w);
      always @(posedge fast) begin x <= a; y <= b; end always @(posedge slow) begin z <= a; w <= b; end endmodule`;
    const checked = async (from: string, to: string, more = "") => {
      const text = `create_clock -name fast -period 5 [get_ports fast]
create_clock -name slow -period 20 [get_ports slow]
set_input_delay -clock fast 1 [get_ports {a b}]
set_case_analysis rising [get_ports a]
set_data_check ${from} [get_pins x/d] ${to} [get_pins y/d] -setup ${more} 0.5
`;
      const result = await built(two, { timingFiles: [{ name: "t.sdc", text }] });
      return (await result.artifact("timing"))!.dataChecks.length;
    };
    const corners = 3;
    expect(await checked("-from", "-to")).toBe(corners);
    // 'a' only rises: nothing falls at x
    expect(await checked("-rise_from", "-fall_to")).toBe(corners);
    expect(await checked("-fall_from", "-to")).toBe(0);
    expect(await checked("-from", "-to", "-clock fast")).toBe(corners);
    expect(await checked("-from", "-to", "-clock slow")).toBe(0);
  });

  it("tells rules that cover nothing as it is built, but not that a wire of the board is left alone", async () => {
    const text = "module m(input clk, input [2:0] a, output reg y); always @(posedge clk) y <= a[0]; endmodule";
    const lost = async (from: string) => {
      const sdc = `create_clock -name clk -period 10 [get_ports clk]\nset_false_path -from [get_ports {${from}}]\n`;
      const { findings } = await built(text, { timingFiles: [{ name: "t.sdc", text: sdc }] });
      return findings.flatMap(({ code, severity }) => (code === "sdc/lost-object" ? [severity] : []));
    };
    expect(await lost("a[0] a[1] a[2]")).toEqual([]);
    expect(await lost("a[1] a[2]")).toEqual(["warning"]);
  });
});

describe("what to write in the source instead", () => {
  const bounce = (language: string, snippet: string) => {
    const body = snippet.replace(
      /(?:\/\/|--) the assignments as they are/,
      language === "vhdl" ? "count <= count + 1;" : "count <= count + 1;",
    );
    if (language === "verilog")
      return `module m(input clk, input button, gate, half, output reg [3:0] count = 0);\n${body}endmodule\n`;
    const declared = body.split("\n").filter((line) => /^signal /.test(line));
    const rest = body.split("\n").filter((line) => !/^signal /.test(line));
    return `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity m is port (clk, button, gate, half : in std_logic; total : out unsigned(3 downto 0)); end entity;
architecture rtl of m is
signal count : unsigned(3 downto 0) := "0000";
${declared.join("\n")}
begin
total <= count;
${rest.join("\n")}
end architecture;
`;
  };
  const advice = [
    ["a gate", enableForGate("clk", ["u_shed.gate"])],
    ["a contact", edgeOfContact("clk", "button")],
    ["a made clock", enableForMade("clk", "half")],
  ] as const;

  it.each(advice)("for %s is text that both languages take", (_, snippets) => {
    for (const { language, text } of snippets) {
      const name = language === "vhdl" ? "t.vhd" : "t.v";
      const { artifact, findings } = elaborate([{ name, text: bounce(language, text) }]);
      expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
      expect(artifact!.netlist.cells.some(({ kind }) => kind === "ff")).toBe(true);
    }
  });

  it("for a contact counts each press once, in both", async () => {
    for (const { language, text } of edgeOfContact("clk", "button")) {
      const source = bounce(language, text);
      const name = language === "vhdl" ? "t.vhd" : "t.v";
      const { player } = await running(source, { sources: [{ name, text: source }] });
      const port = language === "vhdl" ? "total" : "count";
      player.set({ button: 0, gate: 0, half: 0 });
      player.clock("clk", 4);
      for (let press = 1; press <= 3; press++) {
        player.set({ button: 1 });
        player.clock("clk", 5);
        player.set({ button: 0 });
        player.clock("clk", 5);
        expect(player.read(port)).toBe(press);
      }
    }
  });

  it("stands beside the findings that ask for it", () => {
    const around = {
      oscillators: new Map([["clk", { title: "oscillator", hz: 1e6 }]]),
      contacts: new Set(["slow"]),
      lights: new Set<string>(),
      plainPins: new Map([["clk", { pin: "N3", plain: 1.5, network: 0.05 }]]),
    };
    const { artifact } = elaborate([{ name: "t.v", text: loom }]);
    const objects = new CircuitObjects(artifact!.netlist, artifact!.hierarchy);
    const read = readTimingFiles([], objects);
    const { findings } = checkTimingRules(read.rules, objects, findFamily("Twill"), null, around);
    const withText = findings.filter(({ snippets }) => snippets).map(({ code }) => code);
    expect(withText.sort()).toEqual(["sdc/clock-from-logic", "sdc/contact-clock", "sdc/gated-clock"]);
    expect(findings.find(({ code }) => code === "sdc/plain-clock-pin")?.message).toMatch(
      /N3.*1\.50 ns apart.*0\.05 ns/,
    );
    const contact = findings.find(({ code }) => code === "sdc/contact-clock")!;
    // nobody is led to declare a contact as a clock
    const undeclared = findings.filter(({ code }) => code === "sdc/no-clock").map(({ place }) => place.object);
    expect(undeclared).toContain("clk");
    expect(undeclared).not.toContain("slow");
    expect(contact.snippets![0].text).toContain("always @(posedge clk) slow_seen <= {slow_seen[1:0], slow};");
  });
});
