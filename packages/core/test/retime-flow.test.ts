import { describe, expect, it } from "vitest";
import { findPart } from "../src/device/index.ts";
import { levelsFor } from "../src/flow/fit.ts";
import { built } from "./helpers/build.ts";

const text = `module m(input clk, input [35:0] a, output reg y);
  reg [35:0] c; reg p, q; always @(posedge clk) begin c <= a; p <= ^(c & {c[0], c[35:1]}); q <= p; y <= q; end endmodule`;
const timing = (period: string, name = "clk") => [
  { name: "m.sdc", text: `create_clock -name ${name} -period ${period} [get_ports clk]\n` },
];

describe("the recipe that may move registers", () => {
  it("moves them as far as the clock asks, and gets a higher clock on the laid out part", async () => {
    const figures = async (recipe: string, period: string) => {
      const result = await built(text, { recipe, timingFiles: timing(period) });
      const netlist = (await result.artifact("synth"))!;
      const report = (await result.artifact("timing"))!;
      return { levels: netlist.levels, moved: netlist.moved.cells.length, report };
    };
    const even = await figures("even", "2.000");
    const tight = await figures("tight", "2.000");
    expect(even.moved).toBe(0);
    expect(tight.levels).toBeLessThan(even.levels);
    const fmax = ({ report }: typeof even) => report.clocks[0].fmaxMhz!;
    expect(fmax(tight)).toBeGreaterThan(1.05 * fmax(even));
    expect((await figures("tight", "50.000")).moved).toBe(0);
  });

  it("takes the levels from the shortest period", () => {
    const part = findPart("TW-2-P144-2C").part!;
    expect(levelsFor([], part)).toBe(1);
    const levels = ["1.000", "5.000", "10.000", "20.000"].map((period) => levelsFor(timing(period), part));
    expect([...levels].sort((a, b) => a - b)).toEqual(levels);
    expect(levels[3]).toBeGreaterThan(2 * levels[1]);
    expect(levelsFor([...timing("20.000", "slow"), ...timing("5.000")], part)).toBe(levels[1]);
  });
});
