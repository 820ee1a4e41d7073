import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import {
  canBeSwitched,
  offMark,
  timingRows,
  withOption,
  withoutRow,
  withRow,
  withRowSwitched,
  withValue,
} from "../src/constraints/sdc/rows.ts";
import { damagedText, fuzzRuns, fuzzSeed } from "./helpers/damage.ts";

const text = `# clocks of the loom
create_clock -name clk -period 10.000 [get_ports clk]   ;# the oscillator
  create_clock -name slow \\
    -period 40 -waveform {0 10} \\
    [get_ports slow_clk]

#- set_clock_uncertainty 0.5 [get_clocks clk]
set_false_path -from [get_clocks slow]; set_max_delay 7.5 -to full
foreach p {a b} {
  set_input_delay -clock clk 2 $p
}
set_clock_latency -source -late 1.5 [get_clocks slow]
`;
const rows = timingRows(text);
const row = (command: string, nth = 0) => rows.filter((each) => each.command === command)[nth];

describe("a timing file as a table", () => {
  it("has a row for each command that stands by itself, on or off", () => {
    expect(rows.map(({ command, line, endLine, isOff }) => [command, line, endLine, isOff])).toEqual([
      ["create_clock", 2, 2, false],
      ["create_clock", 3, 5, false],
      ["set_clock_uncertainty", 7, 7, true],
      ["set_false_path", 8, 8, false],
      ["set_max_delay", 8, 8, false],
      ["foreach", 9, 11, false],
      ["set_clock_latency", 12, 12, false],
    ]);
    expect(row("create_clock", 1).options.map(({ name, value }) => [name, value?.text])).toEqual([
      ["-name", "slow"],
      ["-period", "40"],
      ["-waveform", "{0 10}"],
    ]);
    expect(row("set_clock_latency").options.map(({ name, value }) => [name, value?.text])).toEqual([
      ["-source", undefined],
      ["-late", undefined],
    ]);
    expect(row("set_clock_latency").values.map((word) => word.text)).toEqual(["1.5", "[get_clocks slow]"]);
    for (const each of rows) expect(text.slice(each.start, each.start + each.command.length)).toBe(each.command);
  });

  it("changes what is meant and nothing else", () => {
    const faster = withOption(text, row("create_clock"), "-period", "8");
    expect(faster).toBe(text.replace("-period 10.000", "-period 8"));
    expect(withOption(text, row("create_clock", 1), "-waveform", null)).toBe(text.replace(" -waveform {0 10}", ""));
    expect(withOption(text, row("create_clock"), "-waveform", "0 3")).toBe(
      text.replace("create_clock -name clk", "create_clock -waveform {0 3} -name clk"),
    );
    expect(withOption(text, row("set_false_path"), "-setup", true)).toContain("set_false_path -setup -from");
    expect(withValue(text, row("set_max_delay"), 0, "6")).toBe(text.replace("7.5", "6"));
    expect(withoutRow(text, row("create_clock", 1))).toBe(text.replace(/ {2}create_clock[\s\S]*slow_clk\]\n/, ""));
    expect(withoutRow(text, row("set_max_delay"))).toBe(text.replace("set_max_delay 7.5 -to full", ""));
    expect(withRow("a", "b")).toBe("a\nb\n");
  });

  it("switches rows off and on, over all of their lines", () => {
    const off = withRowSwitched(text, row("create_clock", 1));
    expect(
      off
        .split("\n")
        .slice(2, 5)
        .every((line) => line.startsWith(offMark)),
    ).toBe(true);
    expect(readTimingFiles([{ name: "t", text: off }], null).rules.clocks.map(({ name }) => name)).toEqual(["clk"]);
    const again = timingRows(off).filter(({ command }) => command === "create_clock")[1];
    expect(again.isOff).toBe(true);
    expect(withRowSwitched(off, again)).toBe(text);
    const on = withRowSwitched(text, row("set_clock_uncertainty"));
    expect(on).toBe(text.replace("#- ", ""));
    // one of two on a line has no line of its own
    expect(canBeSwitched(text, row("set_max_delay"))).toBe(false);
    expect(canBeSwitched(text, row("create_clock"))).toBe(true);
  });

  it("keeps every other character through any change, and reads back what was put in", () => {
    const line = fc.constantFrom(
      "create_clock -period 5 [get_ports a]",
      "# a comment, kept",
      "",
      "  set_false_path -from x -to {y z}  ",
      "set_max_delay 3.5 \\\n   -from [get_ports b]",
      "#- set_min_delay 1 -to q",
      "set_multicycle_path -setup 2 -from {a[3]}; set x 1",
      "proc f {a} {\n  return $a\n}",
    );
    fc.assert(
      fc.property(
        fc.array(line, { minLength: 1, maxLength: 8 }),
        fc.nat(),
        fc.constantFrom("7", "a b", "[get_ports c]"),
        (lines, pick, value) => {
          const before = lines.join("\n");
          const all = timingRows(before);
          if (all.length === 0) return;
          const chosen = all[pick % all.length];
          const outside = (now: string) => [
            now.slice(0, chosen.start),
            now.slice(now.length - (before.length - chosen.end)),
          ];
          const after = withOption(before, chosen, "-comment", value);
          expect(outside(after)).toEqual(outside(before));
          const read = timingRows(after)[all.indexOf(chosen)];
          expect(read.options.find(({ name }) => name === "-comment")!.value!.text.replace(/^\{|\}$/g, "")).toBe(value);
          expect(timingRows(after).length).toBe(all.length);
          expect(withOption(after, read, "-comment", null)).toBe(before);
          if (chosen.values.length) expect(outside(withValue(before, chosen, 0, value))).toEqual(outside(before));
          if (!canBeSwitched(before, chosen)) return;
          const turned = withRowSwitched(before, chosen);
          const back = timingRows(turned)[all.indexOf(chosen)];
          expect(back).toMatchObject({ command: chosen.command, isOff: !chosen.isOff });
          expect(withRowSwitched(turned, back)).toBe(before);
        },
      ),
      { numRuns: 1500, seed: 11 },
    );
  });

  it("never fails on a damaged text", () => {
    const random = new Random(fuzzSeed);
    for (let i = 0; i < fuzzRuns(400); i++) {
      const broken = damagedText(text, random, ["{", "}", "[", "\\\n", offMark, ";", '"', "$"]);
      for (const each of timingRows(broken)) {
        expect(each.end).toBeGreaterThan(each.start);
        withOption(broken, each, "-name", "x");
        withoutRow(broken, each);
        if (canBeSwitched(broken, each)) withRowSwitched(broken, each);
      }
    }
  });
});
