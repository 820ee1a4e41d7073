import { describe, expect, it } from "vitest";
import { timingCauses } from "../src/timing/index.ts";
import type { PathStep, TimingPath } from "../src/timing/report.ts";
import { built } from "./helpers/build.ts";

type Step = Partial<PathStep> & Pick<PathStep, "what" | "delayPs">;
const lut = (origin: number, delayPs = 300): Step => ({ what: "LUT", delayPs, origin });
const net = (delayPs = 400, name = "n", fanout = 2): Step => ({ what: "net", delayPs, name, fanout });
function path(slackPs: number | null, steps: readonly Step[], fields: Partial<TimingPath> = {}): TimingPath {
  const full = steps.map(
    (step): PathStep => ({
      name: "",
      net: -1,
      cell: 0,
      arrivalPs: 0,
      tileX: 0,
      tileY: 0,
      origin: -1,
      fanout: 0,
      ...step,
    }),
  );
  return {
    kind: "setup",
    corner: "slow-hot",
    slackPs,
    from: "a",
    to: "z",
    launchClock: "clk",
    captureClock: "clk",
    requirementPs: 2000,
    uncertaintyPs: 0,
    launchClockPs: 0,
    captureClockPs: 0,
    creditPs: 0,
    inputDelayPs: 0,
    outputDelayPs: 0,
    requiredPs: 0,
    arrivalPs: 0,
    dataPs: full.reduce((sum, step) => sum + step.delayPs, 0),
    cellPs: 0,
    levels: 1,
    carries: 0,
    steps: full,
    rules: [],
    group: "",
    ...fields,
  };
}
const line = (origin: number) => `loom.v:${origin}`;

describe("causes of missed timing", () => {
  it("gather paths by the operator that they go through, with what it costs in all", () => {
    const paths = [
      ...[-300, -250, -120].map((slack, i) => path(slack, [net(), lut(41), net(), lut(41), net(), lut(70 + i)])),
      path(-80, [net(), lut(90), net(), lut(90)]),
      path(500, [net(), lut(41)]),
      path(null, [net(), lut(41)]),
    ];
    const causes = timingCauses(paths, line, 0);
    expect(causes.map(({ kind, name, paths: own }) => [kind, name, own])).toEqual([
      ["operator", "loom.v:41", [0, 1, 2]],
      ["operator", "loom.v:90", [3]],
    ]);
    expect(causes[0]).toMatchObject({ worstSlackPs: -300, totalNegativePs: -670, levels: 2, origins: [41] });
    expect(causes[0].share).toBeCloseTo(1400 / 2100, 5);
    // near misses are explained when they are asked for
    expect(timingCauses(paths, line, 600)[0].paths).toEqual([0, 1, 2, 4]);
  });
  it("see one long wire, one net with many ends, a block, a crossing", () => {
    const short = Array.from({ length: 6 }, (_, i) => path(-10, [net(), lut(i), net(), lut(i)]));
    const causesOf = (steps: readonly Step[], fields: Partial<TimingPath> = {}) =>
      timingCauses([path(-900, steps, fields), ...short], line, 0)[0];
    expect(causesOf([net(), lut(9), net(2500, "far"), lut(8)])).toMatchObject({
      kind: "wire",
      name: "far",
      paths: [0],
    });
    expect(causesOf([net(), lut(9), net(2500, "all", 60), lut(8)])).toMatchObject({ kind: "fan-out", name: "all" });
    expect(causesOf([{ what: "block", delayPs: 1700, name: "store" }, net(), lut(9)])).toMatchObject({
      kind: "block",
      name: "store",
    });
    expect(causesOf([net(), lut(9), net()], { launchClock: "camera" })).toMatchObject({
      kind: "crossing",
      name: "camera clk",
    });
  });
  it("name the register where nothing else is known, and leave no path out", () => {
    const paths = [0, 1, 2].map((bit) => path(-5, [net(3000)], { to: `weft_count[${bit}] (enable)` }));
    expect(timingCauses(paths, () => null, 0)).toMatchObject([{ kind: "end", name: "weft_count", paths: [0, 1, 2] }]);
    expect(timingCauses([], line, 0)).toEqual([]);
  });
  it("find the line of a slow comparison in a built design", async () => {
    const text = `module m(input clk, input [23:0] a, b, c, output reg hit, output reg [3:0] y);
  reg [23:0] x, z; reg [3:0] w;
  always @(posedge clk) begin x <= a; z <= b; w <= c[3:0] ^ c[7:4]; y <= w; end
  always @(posedge clk)
    hit <= (x * 3 < z);
endmodule
`;
    const result = await built(text, {
      timingFiles: [{ name: "t.sdc", text: "create_clock -name clk -period 1.5 [get_ports clk]\n" }],
    });
    const report = (await result.artifact("timing"))!;
    const { positions } = (await result.artifact("elaborate"))!;
    const placeOf = (origin: number) => {
      const place = positions.cells[origin];
      return place ? `${place.file}:${place.line}` : null;
    };
    const [cause] = timingCauses(report.setupPaths, placeOf, 0);
    expect(cause).toMatchObject({ kind: "operator", name: "t.v:5", worstSlackPs: report.setupPaths[0].slackPs });
    expect(cause.share).toBeGreaterThan(0.5);
  });
});
