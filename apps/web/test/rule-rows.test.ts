import type { DesignFile } from "@gate-clock/contract";
import type { DesignCheck } from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { rowAt, ruleRows } from "../src/stations/clocks/rule-rows.ts";

const text = `# the loom
set half 5
create_clock -name clk -period 10.000 [get_ports clk]
set_multicycle_path 2 -setup \\
  -from [get_cells a] -to [get_cells b]
#- set_false_path -from [get_ports c]
create_generated_clock -name g -source [get_ports clk] -divide_by 4 [get_pins d/q]
set_clock_groups -asynchronous -group clk -group g
`;
const file = { id: "f1", path: "loom.sdc", kind: "timing" } as unknown as DesignFile;
const check = {
  coverage: { exceptions: [{ rule: 0, decides: 7, meets: 9 }] },
  timing: { exceptions: [{ origin: { place: { file: "loom.sdc", line: 4 } } }] },
} as unknown as DesignCheck;

describe("the table of rules", () => {
  const rows = ruleRows([file], () => text, check);

  it("has the lines that say something of timing, with their figure apart", () => {
    expect(
      rows.map(({ command, value, detail, isOff, row }) => [row.line, command, value?.text, detail, isOff]),
    ).toEqual([
      [3, "create_clock", "10.000", "-name clk [get_ports clk]", false],
      [4, "set_multicycle_path", "2", "-setup -from [get_cells a] -to [get_cells b]", false],
      [6, "set_false_path", undefined, "-from [get_ports c]", true],
      [7, "create_generated_clock", "4", "-name g -source [get_ports clk] [get_pins d/q]", false],
      [8, "set_clock_groups", undefined, "-asynchronous -group clk -group g", false],
    ]);
  });

  it("says where each line decides, and finds the line of a clock", () => {
    expect(rows.map(({ decides }) => decides)).toEqual([null, 7, null, null, null]);
    expect(rowAt(rows, "loom.sdc", 3)?.command).toBe("create_clock");
    expect(rowAt(rows, "loom.sdc", 6)).toBeUndefined();
    expect(rowAt(rows, "other.sdc", 3)).toBeUndefined();
    expect(ruleRows([file], () => text, null)[1].decides).toBeNull();
  });
});
