import { describe, expect, it } from "vitest";
import { quietContext } from "../src/common/index.ts";
import { portCircuit } from "../src/constraints/index.ts";
import { findPart } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import {
  carryOver,
  codingFigures,
  estimateFmax,
  estimateTiles,
  fitParts,
  styleFigures,
  utilization,
  utilizationByModule,
} from "../src/flow/index.ts";
import { synthesize, synthOptionsFor } from "../src/synth/index.ts";
import { built } from "./helpers/build.ts";

const row = (bits: number) => `module part_of #(parameter W = 8)(input clk, input [W-1:0] d, output reg [W-1:0] q);
  always @(posedge clk) q <= q + (d ^ {q[0], q[W-1:1]}); endmodule
module m(input clk, input [7:0] d, output [7:0] q);
  wire [7:0] a [0:${bits}]; assign a[0] = d; genvar i;
  generate for (i = 0; i < ${bits}; i = i + 1) begin : row part_of #(.W(8)) p(.clk(clk), .d(a[i]), .q(a[i+1])); end endgenerate
  assign q = a[${bits}]; endmodule`;
const rtl = (text: string) => elaborate([{ name: "t.v", text }]).artifact!.netlist;

describe("which parts would fit", () => {
  it("lists every die and package, what fits first and by price, and what runs out", () => {
    const rows = fitParts(rtl(row(12)), quietContext());
    const luts = 96;
    expect(rows.find((each) => each.die === "FE-64")).toMatchObject({
      fits: false,
      first: { kind: "LUTs", used: luts, available: 64 },
    });
    const fitting = rows.filter((each) => each.fits);
    expect(fitting[0].die).toBe("FE-256");
    expect(fitting.map((each) => each.cost)).toEqual(fitting.map((each) => each.cost).sort((a, b) => a - b));
    for (const each of rows) {
      expect(each.share).toBeCloseTo(each.first!.used / each.first!.available);
      expect(each.uses.find((use) => use.kind === "LUTs")?.used).toBe(luts);
    }
  });

  it("agrees with building: what it says fits is placed and routed", async () => {
    const text = row(6);
    for (const { part, fits } of fitParts(rtl(text), quietContext()).filter((each) => !each.die.startsWith("TW-"))) {
      if (!fits) continue;
      const result = await built(text, { part });
      expect(result.status).toBe("done");
    }
  });

  it("estimates the tiles within a fifth of what packing takes", async () => {
    for (const count of [10, 40, 90]) {
      const result = await built(row(count), {});
      const netlist = (await result.artifact("synth"))!;
      const exact = (await result.artifact("pack"))!.clusterCount;
      expect(Math.abs(estimateTiles(netlist, result.part!) / exact - 1)).toBeLessThan(0.2);
    }
  });

  it("estimates a clock that is lower for a slower grade and for longer paths", () => {
    const fast = findPart("TW-2-P144-3C").part!;
    const slow = findPart("TW-2-P144-1C").part!;
    const netlist = synthesize(rtl(row(3)), synthOptionsFor(fast), quietContext()).artifact!;
    expect(estimateFmax(netlist, slow)!).toBeLessThan(estimateFmax(netlist, fast)!);
    const longer = rtl(
      "module m(input clk, input [7:0] a, output reg [7:0] q); reg [7:0] r; always @(posedge clk) begin r <= a; q <= ((r * 8'd45) ^ q) % 8'd13; end endmodule",
    );
    expect(estimateFmax(synthesize(longer, synthOptionsFor(fast), quietContext()).artifact!, fast)!).toBeLessThan(
      estimateFmax(netlist, fast)!,
    );
    expect(
      estimateFmax(
        synthesize(rtl("module m(input a, output b); assign b = ~a; endmodule"), synthOptionsFor(fast), quietContext())
          .artifact!,
        fast,
      ),
    ).toBeNull();
  });

  it("says which rules another part would not take over", () => {
    const pinFiles = [{ name: "a.pins", text: "clk at N19 LVCMOS33\nd[0] at E30 LVCMOS33\n" }];
    const { needs } = portCircuit(rtl(row(3)));
    const netlist = synthesize(rtl(row(3)), synthOptionsFor(findPart("FE-64-P44-1C").part!), quietContext()).artifact!;
    const text = carryOver(pinFiles, needs, netlist, "FE-64-P44-1C")
      .map((finding) => finding.message)
      .join(" ");
    expect(text).toMatch(/N19/);
    expect(text).toMatch(/E30/);
    expect(
      carryOver(pinFiles, needs, netlist, "TW-2-P144-3I").filter((finding) => finding.severity === "error"),
    ).toEqual([]);
    // a port that is kept inside needs no pin, and its line is no stray one
    const inside = [{ name: "a.pins", text: "q[0] inside\nq[1] inside\nq[2] inside\n" }];
    expect(carryOver(inside, needs, netlist, "TW-2-P144-3I").map(({ code }) => code)).not.toContain(
      "pins/unknown-port",
    );
  });

  it("counts by instance, own and with all below, so that the top's count is the whole", () => {
    const part = findPart("TW-2-P144-2C").part!;
    const netlist = synthesize(rtl(row(5)), synthOptionsFor(part), quietContext()).artifact!;
    const names = rtl(row(5)).cells.map((cell) => cell.name);
    const rows = utilizationByModule(netlist, ["row[0].p", "row[1].p", "row[2].p", "row[3].p", "row[4].p"], names);
    const total = (kind: string) => utilization(netlist, null, part).find((use) => use.kind === kind)!.used;
    expect(rows[0]).toMatchObject({
      path: "",
      luts: total("LUTs"),
      registers: total("registers"),
      carry: total("carry links"),
    });
    expect(rows.reduce((sum, each) => sum + each.ownLuts, 0)).toBe(total("LUTs"));
    for (const each of rows.slice(1)) expect(each).toMatchObject({ luts: 8, registers: 8, carry: 8 });
  });

  it("compares two ways of writing one circuit", () => {
    const sources = [
      {
        name: "t.v",
        text: `module chain(input clk, input [7:0] a, output reg q); always @(posedge clk) q <= a[0] ? 1 : a[1] ? 0 : a[2] ? 1 : a[3] ? 0 : a[4] ? 1 : a[5] ? 0 : a[6] ? 1 : a[7]; endmodule
      module wide(input clk, input [7:0] a, b, output reg [15:0] q); always @(posedge clk) q <= a * b; endmodule`,
      },
    ];
    const left = styleFigures(sources, "chain", "CA-1-P84-2C", quietContext());
    const right = styleFigures(sources, "wide", "CA-1-P84-2C", quietContext());
    expect(left).toMatchObject({ problem: null, registers: 1 });
    expect(right.luts).toBeGreaterThan(left.luts);
    expect(right.carry).toBeGreaterThan(20);
    expect(styleFigures(sources, "nothing", "CA-1-P84-2C", quietContext()).problem).toContain("nothing");
  });
});

describe("codes of a state machine", () => {
  it("are each mapped as an attribute in the source would have it", () => {
    const text = (attribute: string) => `module m(input clk, r, go, done, output [1:0] y);
      ${attribute} reg [2:0] s; assign y = s == 5 ? 2 : s == 3;
      always @(posedge clk) if (r) s <= 0; else case (s) 0: if (go) s <= 3; 3: s <= done ? 5 : 3; 5: s <= go ? 6 : 0; default: s <= 0; endcase endmodule`;
    const part = findPart("TW-2-P144-2C").part!;
    const { netlist } = elaborate([{ name: "m.v", text: text("") }]).artifact!;
    const rows = codingFigures(netlist, part, "s", quietContext());
    expect(rows.map(({ coding }) => coding)).toEqual(["as written", "binary", "one-hot", "gray"]);
    expect(rows.map(({ registers }) => registers)).toEqual([3, 2, 4, 2]);
    for (const { coding, luts, levels } of rows) {
      const design = elaborate([{ name: "m.v", text: text(`(* states_as = "${coding}" *)`) }]).artifact!;
      const mapped = synthesize(design.netlist, synthOptionsFor(part), quietContext()).artifact!;
      const count = mapped.kind.reduce((sum, kind) => sum + Number(kind === 0), 0);
      expect({ luts, levels }).toEqual({ luts: count, levels: mapped.levels });
    }
  });
});
