import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { clockBlockJitter, planClockBlock } from "../src/device/blocks/clock-plan.ts";
import { calico } from "../src/device/calico.ts";
import { findPart } from "../src/device/index.ts";
import { twill } from "../src/device/twill.ts";
import { built } from "./helpers/build.ts";

const text = `module m(input clk, input [1:0] d, output reg [1:0] q, output reg far);
  wire fast, slow, other;
  reg [1:0] kept, last; reg half = 0, seen;
  clock_block #(.MULTIPLY(6), .DIVIDE_A(3), .DIVIDE_B(12)) speeds(.clock_in(clk), .clock_a(fast), .clock_b(slow));
  clock_block #(.MULTIPLY(8), .DIVIDE_A(8)) more(.clock_in(clk), .clock_a(other), .clock_b());
  always @(posedge fast) begin kept <= d; last <= kept; half <= ~half; end
  always @(posedge slow) q <= last;
  always @(posedge other) far <= kept[0];
  always @(posedge clk) seen <= kept[1];
endmodule`;
const rules = "create_clock -name clk -period 20 [get_ports clk]\n";

describe("the jitter of clock blocks", () => {
  it("is taken off what paths are allowed: once within a clock, as squares between blocks, not at one edge", async () => {
    const report = async (more: string) =>
      (await (await built(text, { timingFiles: [{ name: "t.sdc", text: rules + more }] })).artifact("timing"))!;
    const plain = await report("");
    const { family } = findPart("TW-2-P144-2C").part!;
    // 50 MHz times 6, and times 8: the ring runs at 300 and at 400 MHz
    const [one, two] = [300, 400].map((mhz) => family.clockBlockJitterPs * (family.clockBlockMhz.inside / mhz) ** 0.5);
    const expected: Record<string, [setup: number, hold: number]> = {
      "speeds.clock_a speeds.clock_a": [one, 0],
      "speeds.clock_a speeds.clock_b": [one, one],
      "speeds.clock_a more.clock_a": [Math.hypot(one, two), Math.hypot(one, two)],
      "speeds.clock_a clk": [one, one],
    };
    const seen = new Set<string>();
    for (const [paths, which] of [
      [plain.setupPaths, 0],
      [plain.holdPaths, 1],
    ] as const)
      for (const path of paths) {
        const want = expected[`${path.launchClock} ${path.captureClock}`];
        if (!want) continue;
        // two outputs of one block share its ring: the same edge of both is one edge
        const isOneEdge = path.requirementPs === 0 && path.captureClock.startsWith("speeds");
        expect(path.uncertaintyPs, `${path.from} to ${path.to}`).toBeCloseTo(which && isOneEdge ? 0 : want[which], 6);
        seen.add(`${path.launchClock} ${path.captureClock} ${which}`);
      }
    expect(seen.size).toBeGreaterThanOrEqual(6);
    // what a rule says comes on top, and slack is less by all of it
    const asked = await report("set_clock_uncertainty -setup 0.5 [get_clocks speeds.clock_a]\n");
    const worst = (of: typeof plain) =>
      of.setupPaths.find((path) => path.launchClock === "speeds.clock_a" && path.captureClock === "speeds.clock_a")!;
    expect(worst(asked).uncertaintyPs).toBeCloseTo(one + 500, 6);
    expect(worst(plain).slackPs! - worst(asked).slackPs!).toBeCloseTo(500, 3);
  });

  it("falls with the square root of how fast the block runs inside, and limits which settings come first", () => {
    expect(clockBlockJitter(twill.clockBlockMhz.inside, twill)).toBe(twill.clockBlockJitterPs);
    expect(clockBlockJitter(calico.clockBlockMhz.inside / 9, calico)).toBeCloseTo(3 * calico.clockBlockJitterPs, 9);
    fc.assert(
      fc.property(
        fc.integer({ min: 2, max: 200 }),
        fc.integer({ min: 2, max: 200 }),
        fc.integer({ min: 60, max: 400 }),
        (input, mhz, jitterPs) => {
          const all = planClockBlock(input, [{ mhz, degrees: 0 }], twill, { count: 1000 });
          const limited = planClockBlock(input, [{ mhz, degrees: 0 }], twill, { jitterPs, count: 1000 });
          const calm = limited.filter((plan) => plan.jitterPs <= jitterPs);
          // those that keep to the limit come first, the nearest of them before the others
          expect(limited.slice(0, calm.length)).toEqual(calm);
          for (let i = 1; i < calm.length; i++)
            expect(calm[i].worstPpm).toBeGreaterThanOrEqual(calm[i - 1].worstPpm - 1e-3);
          // and none is missed: by trying every factor
          let isPossible = false;
          for (let multiply = 1; multiply <= 64 && input * multiply <= twill.clockBlockMhz.inside; multiply++)
            isPossible ||= clockBlockJitter(input * multiply, twill) <= jitterPs;
          expect(calm.length > 0).toBe(isPossible);
          for (const plan of all) expect(plan.jitterPs).toBe(clockBlockJitter(plan.insideMhz, twill));
        },
      ),
      { numRuns: 60 },
    );
  });
});
