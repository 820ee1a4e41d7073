import { describe, expect, it } from "vitest";
import { decodeArtifact, encodeArtifact } from "../src/common/index.ts";
import { Delays } from "../src/device/part.ts";
import type { FlowResult } from "../src/flow/index.ts";
import { cellKind, layoutNetlist } from "../src/netlist/mapped.ts";
import { cornerDelays } from "../src/timing/index.ts";
import { Steering } from "../src/timing/steering.ts";
import { built, layoutOf } from "./helpers/build.ts";

const text = `module m(input clk, rst, input [11:0] a, b, output reg [11:0] q, output reg [4:0] few);
  reg [11:0] x, y;
  always @(posedge clk) begin
    x <= a; y <= b;
    q <= rst ? 12'd0 : (x + y) ^ {q[3:0], q[11:4]};
    few <= x[4:0] & y[6:2] | few;
  end
endmodule\n`;
const sdc = (lines: string) => ({
  timingFiles: [{ name: "t.sdc", text: `create_clock -name clk -period 3 [get_ports clk]\n${lines}` }],
});

/** The steering of a finished build, told the delays that the build has. */
async function steeringOf(result: FlowResult) {
  const layout = await layoutOf(result);
  const netlist = layoutNetlist(layout.netlist);
  const goals = (await result.artifact("goals"))!;
  const delays = new Delays(layout.part, "slow-hot");
  const steering = new Steering(netlist, layout.packed, goals, layout.part, delays);
  const corner = cornerDelays(layout, "slow-hot");
  for (let slot = 0; slot < netlist.inputNet.length; slot++) {
    if (netlist.inputNet[slot] < 0 || layout.routed.pinNode[slot] < 0) continue;
    steering.setWire(slot, corner.netPs[slot]);
    steering.setLut(slot, corner.lutPs[slot]);
  }
  return { steering, netlist, layout };
}

describe("steering by the timing rules", () => {
  it("has the slack of the report where it is told the delays of the layout", async () => {
    const result = await built(text, sdc(""));
    const { steering } = await steeringOf(result);
    const report = (await result.artifact("timing"))!;
    const check = report.checks.find(({ corner, kind }) => corner === "slow-hot" && kind === "setup")!;
    const standing = steering.update();
    expect(standing.slackPs).toBeCloseTo(check.worstSlackPs!, 1);
    expect(Math.max(...steering.critical)).toBe(1);
  });
  it("gives no weight to what a rule leaves out, and more to the rest", async () => {
    const weights = async (lines: string) => {
      const { steering, netlist } = await steeringOf(await built(text, sdc(lines)));
      steering.update();
      const into = (name: RegExp) => {
        let most = 0;
        for (let cell = 0; cell < netlist.cellCount; cell++)
          if (netlist.kind[cell] === cellKind.flipFlop && name.test(netlist.cellName[cell]))
            most = Math.max(most, steering.critical[netlist.inputStart[cell]]);
        return most;
      };
      return { few: into(/^few/), q: into(/^q/) };
    };
    const plain = await weights("");
    expect(plain.few).toBeGreaterThan(0);
    const cut = await weights("set_false_path -to [get_cells {few[*]}]\n");
    expect(cut.few).toBe(0);
    const slow = await weights("set_multicycle_path -setup 4 -to [get_cells {q[*]}]\n");
    expect(slow.q).toBeLessThan(slow.few);
    expect(plain.q).toBeGreaterThanOrEqual(plain.few);
  });
  it("goes by the longest path where no rule sets a goal", async () => {
    const { steering } = await steeringOf(await built(text));
    const standing = steering.update();
    expect(standing.slackPs).toBeNull();
    expect(standing.longestPs).toBeGreaterThan(1000);
    expect(Math.max(...steering.critical)).toBe(1);
  });
});

describe("goals", () => {
  const key = async (source: string, lines: string) => {
    const result = await built(source, { timingFiles: [{ name: "t.sdc", text: lines }] });
    return result.stages.find(({ stage }) => stage === "goals")!.facets!["goals.bound"];
  };
  const clock = "create_clock -name clk -period 3 [get_ports clk]\n";
  it("are the same under other names, in other lines and with other functions of LUTs, and others by another period", async () => {
    const own = await key(text, clock);
    expect(await key(text, clock.replace("-name clk", "-name pick"))).toBe(own);
    expect(await key(text, `# the loom's clock\n\n${clock}`)).toBe(own);
    expect(await key(text.replaceAll(/\bx\b/g, "left"), clock)).toBe(own);
    expect(await key(text.replace("12'd0", "12'd5"), clock)).toBe(own);
    expect(await key(text, clock.replace("3", "4"))).not.toBe(own);
    expect(await key(text, `${clock}set_false_path -to [get_cells {few[*]}]\n`)).not.toBe(own);
  });
  it("keep their maps and sets when they are stored", async () => {
    const goals = (await (await built(text, sdc("set_load 20 [get_ports {few[*]}]\n"))).artifact("goals"))!;
    expect(goals.loads.size).toBe(5);
    expect(decodeArtifact(encodeArtifact(goals))).toEqual(goals);
  });
});
