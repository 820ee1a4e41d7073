import { describe, expect, it } from "vitest";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import { writeSdf, writeStructuralVerilog } from "../src/formats/index.ts";
import { built, layoutOf } from "./helpers/build.ts";

/** Nested lists of an SDF file; brackets of a time are lists too. */
type Node = string | Node[];
function parse(text: string): Node[] {
  const words = text.match(/"[^"]*"|\(|\)|(?:\\.|[^\s()"\\])+/g)!;
  const stack: Node[][] = [[]];
  for (const word of words) {
    if (word === "(") stack.push([]);
    else if (word === ")") {
      const list = stack.pop()!;
      stack[stack.length - 1].push(list);
    } else stack[stack.length - 1].push(word.replace(/\\(.)/g, "$1"));
  }
  return stack[0];
}
const list = (node: Node): Node[] => (Array.isArray(node) ? node : []);
const times = (node: Node): { least: number; most: number } => {
  const [least, most] = String(list(node)[0]).split("::").map(Number);
  return { least, most };
};

interface Arc {
  readonly to: string;
  readonly least: number;
  readonly most: number;
}
/**
 * Setup and hold slacks of registers, from nothing but the structural netlist, the delays and a period: instances are read by
 * their text, ways are followed one by one.
 */
function slacksFromFiles(verilog: string, sdf: string, periodPs: number): Map<string, { setup: number; hold: number }> {
  const arcs = new Map<string, Arc[]>();
  const arc = (from: string, to: string, time: Node) => {
    const own = { to, ...times(time) };
    arcs.set(from, [...(arcs.get(from) ?? []), own]);
  };
  // which pins are on which wire
  const driver = new Map<string, string>();
  const sinks: { pin: string; wire: string }[] = [];
  for (const [, type, name, rest] of verilog.matchAll(/^ {2}(gc_\w+) (?:#\(.*?\)\)? )?\\?(cell:\S+)\s+\((.*)\);$/gm)) {
    void type;
    for (const [, port, net] of rest.matchAll(/\.(\w+)\(([^()]*)\)/g)) {
      const wire = net.trim().replace(/^\\/, "");
      if (!wire || /^1'b/.test(wire)) continue;
      if (["o", "q", "sum", "carry_out"].includes(port)) driver.set(wire, `${name}/${port}`);
      else sinks.push({ pin: `${name}/${port}`, wire });
    }
  }
  const wirePs = new Map<string, Node>();
  const checks: { pin: string; clock: string; setup: number; hold: number; kind: string }[] = [];
  const launches: { clock: string; to: string; time: Node }[] = [];
  const file = list(parse(sdf)[0]);
  for (const each of file) {
    const cell = list(each);
    if (cell[0] !== "CELL") continue;
    const instance = String(list(cell[2])[1] ?? "");
    for (const section of cell.slice(3)) {
      const [kind, ...rest] = list(section);
      for (const entry of kind === "DELAY" ? list(rest[0]).slice(1) : rest) {
        const [what, a, b, c] = list(entry);
        if (what === "PORT") wirePs.set(`${instance}/${String(a)}`, b);
        else if (what === "INTERCONNECT") arc(String(a), String(b), c);
        else if (what === "IOPATH" && Array.isArray(a))
          launches.push({ clock: `${instance}/${String(a[1])}`, to: `${instance}/${String(b)}`, time: c });
        else if (what === "IOPATH") arc(`${instance}/${String(a)}`, `${instance}/${String(b)}`, c);
        else if (what === "SETUPHOLD" || what === "RECREM")
          checks.push({
            pin: `${instance}/${String(a)}`,
            clock: `${instance}/${String(list(b)[1])}`,
            setup: times(c).most,
            hold: times(list(entry)[4]).most,
            kind: String(what),
          });
      }
    }
  }
  for (const { pin, wire } of sinks) {
    const from = driver.get(wire);
    if (from && wirePs.has(pin)) arc(from, pin, wirePs.get(pin)!);
  }
  /** Latest and earliest time of a clock pin after the edge at its port. */
  const clockAt = (pin: string): { least: number; most: number } => {
    for (const [from, list] of arcs)
      if (!from.includes("/"))
        for (const each of list) if (each.to === pin) return { least: each.least, most: each.most };
    throw new Error(`no clock at ${pin}`);
  };
  const slacks = new Map<string, { setup: number; hold: number }>();
  const walk = (pin: string, late: number, early: number, launch: { least: number; most: number }) => {
    for (const check of checks) {
      if (check.pin !== pin) continue;
      const capture = clockAt(check.clock);
      // both clocks come by the same pad and network: what varies there is the same for both
      const credit = launch.most - launch.least;
      const known = slacks.get(pin) ?? { setup: Infinity, hold: Infinity };
      slacks.set(pin, {
        setup: Math.min(known.setup, periodPs + capture.least + credit - check.setup - late),
        hold: Math.min(known.hold, early - capture.most + credit - check.hold),
      });
    }
    for (const { to, least, most } of arcs.get(pin) ?? []) walk(to, late + most, early + least, launch);
  };
  for (const { clock, to, time } of launches) {
    const launch = clockAt(clock);
    const own = times(time);
    walk(to, launch.most + own.most, launch.least + own.least, launch);
  }
  return slacks;
}

describe("delays as SDF", () => {
  it("give the slacks of the report, with the structural netlist alone", async () => {
    const text = `module m(input clk, rst, en, input [3:0] a, output reg [3:0] q, output y);
      reg [3:0] r; reg t;
      always @(posedge clk or posedge t) if (t) r <= 0; else if (en) r <= r + a;
      always @(posedge clk) begin t <= rst; q <= {r[2:0], ^r}; end
      assign y = r[3] & a[0];
    endmodule`;
    const timing = [{ name: "t.sdc", text: "create_clock -name clk -period 6 [get_ports clk]\n" }];
    const result = await built(text, { timingFiles: timing });
    const layout = await layoutOf(result);
    const rules = (await result.artifact("rules"))!.timing;
    const report = (await result.artifact("timing"))!;
    const verilog = writeStructuralVerilog(layout.netlist);
    for (const corner of ["slow-hot", "slow-cold", "fast-cold"] as const) {
      const slacks = slacksFromFiles(verilog, writeSdf(layout, rules, corner), 6000);
      expect(slacks.size).toBe(12);
      const resets = [...slacks.keys()].filter((pin) => pin.endsWith("/reset"));
      expect(resets.length).toBe(4);
      const worst = (kind: "setup" | "hold", isReset: boolean) =>
        Math.min(...[...slacks].flatMap(([pin, own]) => (resets.includes(pin) === isReset ? [own[kind]] : [])));
      const told = (kind: string) =>
        report.checks.find((each) => each.corner === corner && each.kind === kind)!.worstSlackPs!;
      expect(worst("setup", false)).toBeCloseTo(told("setup"), 1);
      expect(worst("hold", false)).toBeCloseTo(told("hold"), 1);
      expect(worst("setup", true)).toBeCloseTo(told("recovery"), 1);
      expect(worst("hold", true)).toBeCloseTo(told("removal"), 1);
    }
    // all corners in one: the least of the fastest, the largest of the slowest
    const all = writeSdf(layout, rules);
    const worst = Math.min(...[...slacksFromFiles(verilog, all, 6000).values()].map(({ setup }) => setup));
    expect(worst).toBeLessThanOrEqual(report.checks.find((each) => each.kind === "setup")!.worstSlackPs! + 0.1);
  });

  it("tell of latches, blocks and pads, and of loads that rules name", async () => {
    const text = `module m(input clk, g, input [7:0] a, b, input d, output reg [15:0] p, output q, output reg [7:0] w, inout io, input [9:0] at, input we);
      reg [7:0] store [0:1023]; reg l;
      always @(posedge clk) begin p <= a * b; if (we) store[at] <= a; w <= store[at]; end
      always @* if (g) l = d;
      assign q = l; assign io = g ? d : 1'bz;
    endmodule`;
    const result = await built(text, {});
    const layout = await layoutOf(result);
    const none = readTimingFiles([], null).rules;
    const sdf = writeSdf(layout, none);
    const verilog = writeStructuralVerilog(layout.netlist);
    expect(verilog).toMatch(/gc_latch \\cell:l /);
    for (const wanted of [
      /CELLTYPE "gc_latch"/,
      /IOPATH \(posedge en\) q/,
      /SETUPHOLD d \(negedge en\)/,
      /CELLTYPE "gc_memory"/,
      /IOPATH \(posedge clk_[ab]\) q_[ab]\[\d\]/,
      /CELLTYPE "gc_multiplier"/,
      /SETUPHOLD left\[0\] \(posedge clk\)/,
      /INTERCONNECT d cell/,
      /INTERCONNECT g io/,
      /WIDTH \(negedge clk\)/,
    ])
      expect(sdf).toMatch(wanted);
    // every instance that it names is there
    const names = new Set([...verilog.matchAll(/\\(cell:\S+)/g)].map(([, name]) => name));
    for (const each of list(parse(sdf)[0])) {
      const cell = list(each);
      const instance = cell[0] === "CELL" ? list(cell[2])[1] : undefined;
      if (instance !== undefined) expect(names.has(String(instance)), String(instance)).toBe(true);
    }
  });
});
