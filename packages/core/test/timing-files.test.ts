import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { type Finding, Random } from "../src/common/index.ts";
import { CircuitObjects } from "../src/constraints/sdc/objects.ts";
import { readTimingFiles, type TimingFiles } from "../src/constraints/sdc/read.ts";
import type { RulePoints } from "../src/constraints/sdc/rules.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { damagedText, fuzzRuns, fuzzSeed } from "./helpers/damage.ts";

const loom = `
module hook_driver(input clk, input [3:0] pattern, input strobe, output reg [3:0] hooks);
  always @(posedge clk) if (strobe) hooks <= pattern;
endmodule
module loom(input clk, input slow_clk, input rst, input [3:0] thread, input weft, output [3:0] hooks, output reg full, output clk_out);
  reg [3:0] picks; reg seen; reg div;
  wire busy = |picks;
  wire fast;
  clock_block #(.MULTIPLY(3), .DIVIDE_A(2)) u_fast (.clock_in(clk), .clock_a(fast), .clock_b(), .locked());
  always @(posedge clk) if (rst) picks <= 0; else picks <= picks + weft;
  always @(posedge fast) full <= busy;
  always @(posedge slow_clk) begin seen <= thread[0]; div <= ~div; end
  hook_driver u_hooks(.clk(clk), .pattern(thread), .strobe(seen), .hooks(hooks));
  assign clk_out = clk;
endmodule
`;
const { artifact } = elaborate([{ name: "loom.v", text: loom }], { top: "loom" });
const objects = new CircuitObjects(artifact!.netlist, artifact!.hierarchy);
const clocks =
  "create_clock -name clk -period 10 [get_ports clk]\ncreate_clock -name slow -period 40 [get_ports slow_clk]\n";
const read = (text: string): TimingFiles => readTimingFiles([{ name: "t.sdc", text }], objects);
const told = ({ findings }: { findings: readonly Finding[] }) =>
  findings.map(({ place, code }) => `${place.line}:${place.column} ${code}`);
/** Value that a script leaves in x, by way of the name of a clock. */
const leftInX = (script: string): string => {
  const { rules, findings } = read(`${script}\ncreate_clock -period 1 -name "=$x"\n`);
  expect(findings).toEqual([]);
  return rules.clocks[0].name.slice(1);
};
const expressionOf = (text: string) => leftInX(`set x [expr {${text}}]`);
/** Names that a query gives. */
const names = (query: string): string[] => {
  const { queries } = read(`${clocks}set x ${query}\n`);
  return [...queries[queries.length - 1].names];
};
const pointNames = ({ rules }: TimingFiles, points: RulePoints | null) =>
  points?.objects.map((object) => rules.objects[object].name);

describe("the language of timing files", () => {
  it.each([
    ["1 + 2 * 3", "7"],
    ["(1 + 2) * 3", "9"],
    ["7 / 2", "3"],
    ["-7 / 2", "-4"],
    ["-7 % 3", "2"],
    ["7 % -3", "-2"],
    ["7.0 / 2", "3.5"],
    ["2 ** 3 ** 2", "512"],
    ["2 ** -1", "0"],
    ["1e3 + 0x10", "1016.0"],
    ["0b101 | 0o12", "15"],
    ["6 & 3 ^ 1", "3"],
    ["1 << 4 >> 2", "4"],
    ["!0 && ~0 == -1", "1"],
    ['"abc" eq {abc}', "1"],
    ['"b" in {a b c}', "1"],
    ['"d" ni {a b c}', "1"],
    ["3 < 10", "1"],
    ['"3" < "10"', "1"],
    ['"x3" < "x10"', "0"],
    ["1 ? 2 : 3 ? 4 : 5", "2"],
    ["round(2.5) + int(-2.7) + floor(2.7)", "3.0"],
    ["max(1, 2.5, 2) - min(3, 4)", "-0.5"],
    ["sqrt(16) == 4 && pow(2, 10) == 1024", "1"],
    ["true && !off", "1"],
    ["[llength {a b c}] * 2", "6"],
  ])("works out %s", (text, value) => {
    expect(expressionOf(text)).toBe(value);
  });

  it("works out whole numbers as JavaScript's big ones do, by the rules of floors", () => {
    const floorDiv = (a: bigint, b: bigint) => a / b - (a % b !== 0n && a < 0n !== b < 0n ? 1n : 0n);
    type Tree = { text: string; value: bigint | null };
    const tree: fc.Arbitrary<Tree> = fc.letrec<{ tree: Tree }>((tie) => ({
      tree: fc.oneof(
        { depthSize: "small" },
        fc.integer({ min: -40, max: 40 }).map((n) => ({ text: `(${n})`, value: BigInt(n) })),
        fc
          .tuple(
            tie("tree"),
            fc.constantFrom("+", "-", "*", "/", "%", "&", "|", "^", "<", "==", "&&", "||"),
            tie("tree"),
          )
          .map(([a, operator, b]): Tree => {
            const text = `(${a.text} ${operator} ${b.text})`;
            if (a.value === null || b.value === null) return { text, value: null };
            const [x, y] = [a.value, b.value];
            const is = (truth: boolean) => (truth ? 1n : 0n);
            switch (operator) {
              case "+":
                return { text, value: x + y };
              case "-":
                return { text, value: x - y };
              case "*":
                return { text, value: x * y };
              case "/":
                return { text, value: y === 0n ? null : floorDiv(x, y) };
              case "%":
                return { text, value: y === 0n ? null : x - y * floorDiv(x, y) };
              case "&":
                return { text, value: x & y };
              case "|":
                return { text, value: x | y };
              case "^":
                return { text, value: x ^ y };
              case "<":
                return { text, value: is(x < y) };
              case "==":
                return { text, value: is(x === y) };
              case "&&":
                return { text, value: is(x !== 0n && y !== 0n) };
              default:
                return { text, value: is(x !== 0n || y !== 0n) };
            }
          }),
      ),
    })).tree;
    fc.assert(
      fc.property(tree, ({ text, value }) => {
        if (value === null || value > 2n ** 53n || value < -(2n ** 53n)) return;
        const { rules, findings } = read(`create_clock -period 1 -name "=[expr {${text}}]"\n`);
        // a part that is too large, or divides by zero where it is never looked at
        if (findings.length) return expect(findings[0].code).toBe("sdc/expression");
        expect(rules.clocks[0].name).toBe(`=${value}`);
      }),
      { numRuns: 600, seed: 7 },
    );
  });

  it.each([
    ["set x {a b c}", "a b c"],
    ["set a(1) 5; set x $a(1)", "5"],
    ['set n 3; set x "n is $n, [expr {$n*2}]"', "n is 3, 6"],
    ["set x [lindex {a {b c} d} 1]", "b c"],
    ["set x [lsort -integer -decreasing {3 10 2}]", "10 3 2"],
    ["set x [lsort -dictionary {p10 p9 p1}]", "p1 p9 p10"],
    ["set x {}; foreach {a b} {1 2 3 4} {lappend x $b $a}", "2 1 4 3"],
    ["set x 0; for {set i 0} {$i < 5} {incr i} {if {$i == 3} continue; incr x $i}", "7"],
    ["set x 0; while 1 {incr x; if {$x > 6} break}", "7"],
    ["proc half {n {by 2}} {return [expr {$n / double($by)}]}; set x [half 7]", "3.5"],
    ["proc all args {llength $args}; set x [all 1 2 3]", "3"],
    ["set g 4; proc f {} {global g; incr g}; f; set x $g", "5"],
    ["if {0} {set x a} elseif {1} {set x b} else {set x c}", "b"],
    ["switch -glob weft_3 {warp* {set x 1} weft* {set x 2} default {set x 3}}", "2"],
    ["set x [string map {_ / a A} a_b_a]", "A/b/A"],
    ["set x [string range warp_thread 5 end]", "thread"],
    ["set x [join [split a,b,c ,] -]", "a-b-c"],
    ["set x [format {%05.2f|%-4s|%4d|%x} 3.14159 ab 42 255]", "03.14|ab  |  42|ff"],
    ["regexp {^(\\w+)\\[(\\d+)\\]$} {hooks[12]} all name index; set x $name:$index", "hooks:12"],
    ["set x [regsub -all {_(\\w)} a_b_c {<\\1>}]", "a<b><c>"],
    ["set x [catch {error oops} why]$why", "1oops"],
    ["set l {1 2}; set x [list {*}$l 3]", "1 2 3"],
    ["set x [lsearch -all -inline {clk rst clk2} clk*]", "clk clk2"],
    ["array set a {k 1 m 2}; set x [lsort [array names a]]", "k m"],
    ["set x [lassign {1 2 3} p q]$q$p", "321"],
    ["set x [concat {a b} c {d}]", "a b c d"],
    ["set x a\\\n  b; # a comment", null],
    ['set x "tab\\there"', "tab\there"],
    [`set x $${"{x}"}y`, null],
    ["set x [info exists nothing][string is integer 12][string length abc]", "013"],
  ])("runs %s", (script, value) => {
    if (value === null) expect(told(read(script))).not.toEqual([]);
    else expect(leftInX(script)).toBe(value);
  });

  it.each([
    ["create_clock -period", "1:14 sdc/command"],
    ["create_clock -perod 5 clk", "1:14 sdc/command"],
    ["create_clok -period 5 clk", "1:1 sdc/unknown-command"],
    ["create_clock -period 5 [get_ports clk", "1:24 sdc/syntax"],
    ["set x {a b", "1:7 sdc/syntax"],
    ['set x "a', "1:7 sdc/syntax"],
    ["set x {a}b", "1:10 sdc/syntax"],
    ["puts $nothing", "1:6 sdc/variable"],
    ["if {1 +} {set x 1}", "1:4 sdc/expression"],
    ["set x [expr {1 / 0}]", "1:13 sdc/expression"],
    ["set x 1\nforeach p {a b} {\n  set y $q\n}", "3:9 sdc/variable"],
    ["break", "1:1 sdc/syntax"],
    ["error {not so}", "1:1 sdc/error"],
    ["while 1 {set x 1}", "1:1 sdc/too-long"],
    ["proc f {} {f}\nf", "1:12 sdc/too-deep"],
    ["set x a; while 1 {append x $x}", "1:26 sdc/command"],
    ["source other.sdc", "1:8 sdc/command"],
    ["source t.sdc", "1:1 sdc/source"],
    ["exec rm", "1:1 sdc/unknown-command"],
    ["open x", "1:1 sdc/unknown-command"],
  ])("tells where %j is wrong", (text, where) => {
    const result = told(read(text));
    expect(result.length).toBeGreaterThan(0);
    expect(result[0]).toBe(where);
  });

  it("goes on behind a command that is wrong, and reads other files of the design", () => {
    const { rules, findings } = readTimingFiles(
      [{ name: "a.sdc", text: "create_clock -period x clk\nsource io.sdc\ncreate_clock -period 7 -name v\n" }],
      objects,
      [{ name: "io.sdc", text: "create_clock -period 10 [get_ports clk]\nbad\n" }],
    );
    expect(rules.clocks.map(({ name }) => name)).toEqual(["clk", "v", "u_fast.clock_a"]);
    expect(findings.map(({ place, code }) => `${place.file}:${place.line} ${code}`)).toEqual([
      "a.sdc:1 sdc/command",
      "io.sdc:2 sdc/unknown-command",
    ]);
  });

  it("never ends in anything but findings, whatever it is given, and soon", () => {
    const whole = `${clocks}foreach p [get_ports {thread[*]}] { set_input_delay -clock clk [expr {1 + 0.5}] $p }\nset_false_path -from [get_cells -hierarchical "hooks*"] -through [get_nets busy] -to [all_registers -clock slow]\nproc f {a} { return [list $a "x[get_clocks $a]"] }\nset_multicycle_path -setup 2 -to [get_pins u_hooks/hooks[1]/d]\nregexp {(a|b)*c+?[^x-z]} aabac m\n`;
    const random = new Random(fuzzSeed);
    const bounds = { steps: 20_000, characters: 2_000_000, depth: 60, findings: 100 };
    const words = [
      "{",
      "}",
      "[",
      "]",
      '"',
      "$",
      "\\",
      ";",
      "\n",
      "-from",
      "get_cells",
      "*",
      "while 1",
      "expr",
      "0",
      "proc",
    ];
    for (let i = 0; i < fuzzRuns(300); i++) {
      const text = damagedText(whole, random, words);
      const { findings } = readTimingFiles([{ name: "t.sdc", text }], objects, [], bounds);
      const lines = text.split(/\r\n|\r|\n/).length;
      for (const { place, message } of findings) {
        expect(place.line, message).toBeGreaterThan(0);
        expect(place.line, message).toBeLessThanOrEqual(lines);
      }
    }
  });
});

describe("queries", () => {
  it.each([
    ["[get_ports clk]", ["clk"]],
    ["[get_ports thread]", ["thread[0]", "thread[1]", "thread[2]", "thread[3]"]],
    ["[get_ports {thread[2:1]}]", ["thread[1]", "thread[2]"]],
    ["[get_ports thread[3]]", ["thread[3]"]],
    ["[get_ports {thread[?] weft}]", ["thread[0]", "thread[1]", "thread[2]", "thread[3]", "weft"]],
    ["[get_ports *clk*]", ["clk", "slow_clk", "clk_out"]],
    ["[get_ports -regexp {(slow_)?clk}]", ["clk", "slow_clk"]],
    ["[get_ports -nocase CLK]", ["clk"]],
    ["[get_ports -filter {direction == out && name !~ hooks*} *]", ["full", "clk_out"]],
    ["[get_cells picks]", ["picks[0]", "picks[1]", "picks[2]", "picks[3]"]],
    ["[get_cells hooks*]", []],
    ["[get_cells u_hooks/hooks*]", ["u_hooks.hooks[0]", "u_hooks.hooks[1]", "u_hooks.hooks[2]", "u_hooks.hooks[3]"]],
    ["[get_cells -hierarchical {hooks[1]}]", ["u_hooks.hooks[1]"]],
    ["[get_cells u_*]", ["u_fast", "u_hooks"]],
    ["[get_cells -hierarchical -filter {is_register && name == seen} *]", ["seen"]],
    ["[get_pins seen/d]", ["seen/d"]],
    ["[get_pins seen/*]", ["seen/d", "seen/clk", "seen/q"]],
    ["[get_pins -of_objects [get_cells seen] -filter {direction == out}]", ["seen/q"]],
    ["[get_pins u_fast/clock_a]", ["u_fast/clock_a"]],
    ["[get_pins u_hooks/strobe]", ["u_hooks/strobe"]],
    ["[get_nets busy]", ["busy"]],
    ["[get_cells -of_objects [get_nets busy]]", ["full"]],
    ["[get_clocks *]", ["clk", "slow", "u_fast.clock_a"]],
    ["[get_clocks -of_objects [get_ports slow_clk]]", ["slow"]],
    ["[get_clocks -filter {period > 20} *]", ["slow"]],
    ["[all_clocks]", ["clk", "slow", "u_fast.clock_a"]],
    ["[all_inputs -no_clocks]", ["rst", "thread[0]", "thread[1]", "thread[2]", "thread[3]", "weft"]],
    ["[all_registers -clock slow]", ["seen", "div"]],
    ["[all_registers -clock slow -clock_pins]", ["seen/clk", "div/clk"]],
  ])("%s", (query, expected) => {
    expect(names(query).toSorted()).toEqual([...expected].sort());
  });

  it("that match nothing are told, with what was meant", () => {
    const remedy = (query: string) => read(`${clocks}set x ${query}\n`).findings[0]?.remedy;
    expect(remedy("[get_ports clkk]")).toContain("'clk'");
    expect(remedy("[get_cells hooks*]")).toContain("u_hooks.hooks[0]");
    expect(remedy("[get_ports picks]")).toContain("get_cells");
    expect(remedy("[get_ports CLK]")).toContain("clk");
    expect(remedy("[get_pins seen/dd]")).toContain("seen/d");
    expect(read(`${clocks}set x [get_ports -quiet nothing]\n`).findings).toEqual([]);
  });

  it("take what a slow look at every name takes", () => {
    const all = objects.cells.map(({ name }) => name);
    /** Level by level, by JavaScript's own expressions. */
    const slow = (pattern: string) => {
      const plain = pattern.replace(/[.*+?^${}()|[\]\\]/g, (c) =>
        c === "*" ? "[^.]*" : c === "?" ? "[^.]" : `\\${c}`,
      );
      const whole = new RegExp(`^${plain}$`);
      const bus = new RegExp(`^${plain}\\[-?\\d+\\]$`);
      return all.filter((name) => whole.test(name) || (!pattern.endsWith("]") && bus.test(name)));
    };
    const piece = fc.constantFrom("*", "?", "u_", "hooks", "picks", "[", "]", "1", "2", ".", "s", "e", "d", "div", "o");
    fc.assert(
      fc.property(fc.array(piece, { minLength: 1, maxLength: 5 }), (pieces) => {
        const pattern = pieces.join("");
        if (/\[[^\]]*$|^[^[]*\]|\.\.|^\.|\.$/.test(pattern)) return;
        const { queries } = read(`set x [get_cells -quiet {${pattern}}]\n`);
        expect([...queries[0].names]).toEqual(slow(pattern));
      }),
      { numRuns: 1500, seed: 3 },
    );
  });
});

describe("what timing files say", () => {
  it("clocks with waveforms, generated ones by ratio, edges and duty, and those of blocks by themselves", () => {
    const { rules, findings } = read(`${clocks}
create_generated_clock -name by4 -source [get_ports slow_clk] -divide_by 4 [get_pins div/q]
create_generated_clock -name out -source [get_ports clk] -master_clock clk -invert [get_ports clk_out]
create_clock -name virt -period 8 -waveform {1 3}
create_clock -add -name clk_slow -period 100 [get_ports clk]
`);
    expect(findings).toEqual([]);
    const of = (name: string) => rules.clocks.find((clock) => clock.name === name)!;
    expect(of("by4")).toMatchObject({ periodPs: 160_000, edgesPs: [0, 80_000], generated: { master: "slow" } });
    expect(of("virt")).toMatchObject({ edgesPs: [1000, 3000], sources: [] });
    expect(of("u_fast.clock_a:clk_slow").periodPs).toBeCloseTo(66_666.667, 2);
    expect(of("u_fast.clock_a").periodPs).toBeCloseTo(6666.667, 2);
    expect(of("u_fast.clock_a").origin).toBeNull();
    // two clocks come to the port: which one is meant has to be said
    const two = read(
      `${clocks}create_clock -add -name other -period 3 [get_ports clk]\ncreate_generated_clock -name o -source [get_ports clk] [get_ports clk_out]\n`,
    );
    expect(told(two)).toEqual(["4:1 sdc/generated-clock"]);
  });

  it.each([
    ["-divide_by 3", [0, 15_000], 30_000],
    ["-divide_by 2 -invert", [10_000, 20_000], 20_000],
    ["-multiply_by 2", [0, 2500], 5000],
    ["-multiply_by 2 -duty_cycle 20", [0, 1000], 5000],
    ["-edges {1 3 5}", [0, 10_000], 20_000],
    ["-edges {2 3 4} -edge_shift {1 1 1}", [6000, 11_000], 10_000],
    ["-divide_by 2 -multiply_by 3", [0, 10_000 / 3], 20_000 / 3],
  ])("a clock generated with %s", (options, edges, period) => {
    const { rules } = read(
      `${clocks}create_generated_clock -name g -source [get_ports clk] ${options} [get_ports clk_out]\n`,
    );
    const clock = rules.clocks.find(({ name }) => name === "g")!;
    expect(clock.periodPs).toBeCloseTo(period, 3);
    expect(clock.edgesPs.length).toBe(edges.length);
    clock.edgesPs.forEach((edge, i) => {
      expect(edge).toBeCloseTo(edges[i], 3);
    });
  });

  it("delays, exceptions, groups and all else, each with its line", () => {
    const result = read(`${clocks}
set_units -time ps
set_input_delay -clock clk -max 1500 [get_ports {thread weft}]
set_units -time ns
set_output_delay -clock slow -clock_fall -min -add_delay -0.5 [all_outputs]
set_false_path -setup -rise_from [get_clocks slow] -to [get_cells picks*]
set_multicycle_path 3 -hold -start -from [get_pins seen/clk] -through [get_nets busy] -through [get_pins u_hooks/strobe]
set_max_delay 4.5 -to full -fall
set_min_delay 0.1 -from [get_ports rst]
set_max_skew 0.2 -to [get_ports hooks]
group_path -name hooks -to [get_ports hooks]
set_clock_groups -asynchronous -group {clk u_fast.clock_a} -group slow
set_clock_uncertainty -setup 0.25 [get_clocks clk]
set_clock_uncertainty 0.5 -from clk -to slow
set_clock_latency -source -late 1.5 [get_clocks slow]
set_case_analysis 1 rst
set_disable_timing -from clk -to q [get_cells seen]
set_load 12 [get_ports full]
set_drive 0.1 [get_ports weft]
set_data_check -from [get_pins seen/d] -to [get_pins div/d] -setup 0.3
set_clock_gating_check -setup 0.2
`);
    expect(result.findings).toEqual([]);
    const { rules } = result;
    expect(
      rules.ioDelays.map(({ side, ps, max, min, add, clockFalls, ports }) => [
        side,
        ps,
        max,
        min,
        add,
        clockFalls,
        ports.length,
      ]),
    ).toEqual([
      ["input", 1500, true, false, false, false, 5],
      ["output", -500, false, true, true, true, 6],
    ]);
    const [first, second, third] = rules.exceptions;
    expect(first).toMatchObject({ kind: "false path", setup: true, hold: false, from: { edge: "rise" } });
    expect(pointNames(result, first.to)).toEqual(["picks[0]", "picks[1]", "picks[2]", "picks[3]"]);
    expect(second).toMatchObject({ kind: "multicycle", setup: false, hold: true, byStart: true, value: 3 });
    expect(second.through.map((each) => pointNames(result, each))).toEqual([["busy"], ["u_hooks/strobe"]]);
    expect(third).toMatchObject({ kind: "max delay", value: 4500, edge: "fall", setup: true, hold: false });
    expect(rules.exceptions.map(({ origin }) => origin.place.line)).toEqual([8, 9, 10, 11, 12, 13]);
    expect(rules.groups[0]).toMatchObject({ kind: "asynchronous", groups: [["clk", "u_fast.clock_a"], ["slow"]] });
    expect(rules.uncertainties.map(({ ps, setup, hold }) => [ps, setup, hold])).toEqual([
      [250, true, false],
      [500, true, true],
    ]);
    expect(rules.latencies[0]).toMatchObject({ isSource: true, late: true, early: false, ps: 1500 });
    expect(rules.cases[0].value).toBe("1");
    expect(rules.disabled[0]).toMatchObject({ from: "clk", to: "q" });
    expect(rules.loads.map(({ kind, value }) => [kind, value])).toEqual([
      ["load", 12],
      ["drive", 0.1],
    ]);
    expect(rules.dataChecks[0]).toMatchObject({ setupPs: 300, holdPs: null });
    expect(rules.gating[0]).toMatchObject({ setupPs: 200, holdPs: null, objects: [] });
  });

  it.each([
    ["create_clock [get_ports clk]", "sdc/command", "period"],
    ["create_clock -period 0 [get_ports clk]", "sdc/command", "period"],
    ["create_clock -period 5 -waveform {0 5} [get_ports clk]", "sdc/command", "longer"],
    ["create_clock -period 5 -waveform {3 1} [get_ports clk]", "sdc/command", "go up"],
    ["create_clock -period 5 [get_ports full]", "sdc/command", "output"],
    [`${clocks}create_clock -period 5 [get_ports clk]`, "sdc/duplicate-clock", "name"],
    [`${clocks}create_clock -name b -period 5 [get_ports clk]`, "sdc/duplicate-clock", "already"],
    ["create_generated_clock -source [get_ports clk] [get_ports clk_out]", "sdc/generated-clock", "No clock comes"],
    [
      `${clocks}create_generated_clock -source [get_ports clk] -divide_by 0 [get_ports clk_out]`,
      "sdc/command",
      "ratio",
    ],
    [
      `${clocks}create_generated_clock -name x -source [get_ports clk] -divide_by 2 [get_pins u_fast/clock_a]`,
      "sdc/block-clock",
      "150 MHz",
    ],
    [`${clocks}set_false_path`, "sdc/command", "names no path"],
    [`${clocks}set_multicycle_path 0 -to full`, "sdc/command", "cycles"],
    [`${clocks}set_multicycle_path 1.5 -to full`, "sdc/command", "cycles"],
    [`${clocks}set_false_path -from [get_nets busy]`, "sdc/command", "net"],
    [`${clocks}set_input_delay -clock clk 1 [get_ports full]`, "sdc/wrong-side", "output"],
    [`${clocks}set_clock_groups -asynchronous -group clk -group {clk slow}`, "sdc/command", "two of the groups"],
    [`${clocks}set_clock_uncertainty 0.1`, "sdc/command", "No clock"],
    [`${clocks}set_clock_latency -rise 1 [get_clocks clk]`, "sdc/command", "one latency"],
    [`${clocks}set_case_analysis 2 rst`, "sdc/command", "value"],
    ["set_max_transition 1 [current_design]", "sdc/no-effect", "no effect"],
    [
      `${clocks}set_input_delay -clock clk -network_latency_included 1 [get_ports rst]`,
      "sdc/no-effect",
      "-network_latency_included",
    ],
    ["set_wire_load_model -name x", "sdc/no-effect", "no effect"],
    [`${clocks}set_max_delay -from rst`, "sdc/command", "too little"],
    [`${clocks}set_max_delay 1 2 -from rst`, "sdc/command", "too much"],
    [`${clocks}set_false_path -fro rst -from clk`, "sdc/command", "stands twice"],
  ])("%j is told", (text, code, words) => {
    const { findings } = read(text);
    expect(findings.map((finding) => finding.code)).toContain(code);
    expect(findings.find((finding) => finding.code === code)!.message).toContain(words);
  });
});
