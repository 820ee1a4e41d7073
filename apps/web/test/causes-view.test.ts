import { MemoryStore, runFlow } from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { causeRows } from "../src/stations/timing/causes-view.ts";

const text = `module m(input clk, input [23:0] a, b, output reg hit);
  reg [23:0] x, z;
  always @(posedge clk) begin x <= a; z <= b; end
  always @(posedge clk)
    hit <= x + 24'd77 < z;
endmodule
`;
async function reportAt(periodNs: number) {
  const result = await runFlow(
    {
      name: "m",
      top: null,
      part: "TW-2-P144-2C",
      sources: [{ name: "m.v", text }],
      pinFiles: [],
      timingFiles: [{ name: "m.sdc", text: `create_clock -name clk -period ${periodNs} [get_ports clk]\n` }],
      recipe: "swift",
      seed: 1,
    },
    new MemoryStore(),
  );
  return {
    report: (await result.artifact("timing"))!,
    elaborated: (await result.artifact("elaborate"))!,
  };
}

describe("causes on the page", () => {
  it("are in words, with the line that they are written in", async () => {
    const { report, elaborated } = await reportAt(1);
    const [row] = causeRows(report.setupPaths, elaborated);
    expect(row.what).toMatch(/^(comparison|sum)( and (comparison|sum))? in$/);
    expect(row.name).toBe("m.v:5");
    expect(row.place).toMatchObject({ file: "m.v", line: 5 });
    expect(row.cause.worstSlackPs).toBe(report.setupPaths[0].slackPs);
    // while the source is on its way there are causes already, if less telling ones
    expect(causeRows(report.setupPaths, undefined).length).toBeGreaterThan(0);
  });
  it("are of what comes nearest where nothing fails, and none where no rule sets a goal", async () => {
    const { report, elaborated } = await reportAt(50);
    const rows = causeRows(report.setupPaths, elaborated);
    expect(rows[0].cause.worstSlackPs).toBe(report.setupPaths[0].slackPs);
    expect(rows[0].cause.totalNegativePs).toBe(0);
    expect(causeRows([], elaborated)).toEqual([]);
  });
});
