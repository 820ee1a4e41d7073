import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { CancelledError, quietContext } from "../src/common/index.ts";
import { estimateDesign, MemoryStore, runFlow } from "../src/flow/index.ts";
import { estimated, meanLength } from "../src/timing/estimate.ts";
import { laidOut } from "../src/timing/timed-circuit.ts";
import { designInput, layoutOf } from "./helpers/build.ts";

/** Threads counted, compared and mixed in several clocked steps: enough logic for paths of several LUTs. */
const loom = `module loom(input clk, input fast, input [7:0] pattern, input [3:0] shaft, output reg [7:0] lift, output reg hit);
  reg [15:0] picks = 0; reg [7:0] row = 0; reg [7:0] kept = 0; reg seen = 0; reg [2:0] passed = 0;
  always @(posedge clk) begin
    picks <= picks + {12'd0, shaft};
    row <= (pattern ^ picks[7:0]) + (picks[15:8] & {8{shaft[0]}});
    kept <= row > picks[7:0] ? row - kept : kept + {4'd0, shaft};
    lift <= kept ^ {row[3:0], row[7:4]};
    seen <= kept == 8'd77 && row != 0;
  end
  always @(posedge fast) begin passed <= {passed[1:0], seen}; hit <= passed[2] ^ passed[1]; end
endmodule`;
const rules = `create_clock -name clk -period 20 [get_ports clk]
create_clock -name fast -period 8 [get_ports fast]
set_input_delay -clock clk 4 [get_ports pattern]
`;
const input = (part: string, sdc = rules) =>
  designInput(loom, { part, timingFiles: [{ name: "loom.sdc", text: sdc }], board: null });

describe("the mean length of connections", () => {
  it("grows with the design, more slowly than its side, and stays below what chance would give", () => {
    fc.assert(
      fc.property(fc.integer({ min: 4, max: 100_000 }), (tiles) => {
        const side = Math.sqrt(tiles);
        expect(meanLength(tiles)).toBeGreaterThanOrEqual(1);
        // two tiles of a square taken by chance are two thirds of a side apart
        expect(meanLength(tiles)).toBeLessThanOrEqual(Math.max(1.01, (2 / 3) * side * 1.35));
        expect(meanLength(4 * tiles)).toBeGreaterThanOrEqual(meanLength(tiles));
        expect(meanLength(4 * tiles)).toBeLessThan(2 * meanLength(tiles));
      }),
    );
  });
});

describe.each(["TW-2-P144-2C", "TW-9-P144-1C", "CA-1-P84-1C", "FE-256-P44-1C"])("an estimate for %s", (part) => {
  it("comes near what is built: wires in the mean, and the highest clock", async () => {
    const store = new MemoryStore();
    const estimate = (await estimateDesign(input(part), quietContext(), store)).artifact!;
    const flow = await runFlow(input(part), store);
    const report = (await flow.artifact("timing"))!;
    for (const [i, clock] of report.clocks.entries()) {
      expect(estimate.clocks[i].name).toBe(clock.name);
      expect(estimate.clocks[i].registers).toBe(clock.registers);
      if (clock.fmaxMhz === null) continue;
      const ratio = estimate.clocks[i].fmaxMhz! / clock.fmaxMhz;
      expect(ratio, clock.name).toBeGreaterThan(0.6);
      expect(ratio, clock.name).toBeLessThan(1.7);
    }
    const layout = await layoutOf(flow);
    const [about, real] = [estimated(layout.netlist, layout.packed, layout.pins, layout.part), laidOut(layout)];
    const sumOf = (circuit: typeof about) => {
      const { netPs } = circuit.delaysAt("slow-hot");
      return netPs.reduce((sum, ps, slot) => sum + (real.hasWire(slot) && !real.dedicated[slot] ? ps : 0), 0);
    };
    expect(sumOf(about) / sumOf(real)).toBeGreaterThan(0.75);
    expect(sumOf(about) / sumOf(real)).toBeLessThan(1.7);
    // which connections stay inside an element, packing has decided
    for (let slot = 0; slot < layout.netlist.inputNet.length; slot++)
      if (layout.netlist.inputNet[slot] >= 0) expect(about.hasWire(slot)).toBe(real.hasWire(slot));
    // the same checks, at the same number of ends
    expect(estimate.checks.map(({ kind, corner, endpoints }) => [kind, corner, endpoints])).toEqual(
      report.checks.map(({ kind, corner, endpoints }) => [kind, corner, endpoints]),
    );
  });
});

describe("an estimate", () => {
  it("goes by the rules: exceptions, clocks and what they say of each other", async () => {
    const of = async (more: string) =>
      (await estimateDesign(input("TW-2-P144-2C", rules + more), quietContext())).artifact!;
    const crossing = (report: Awaited<ReturnType<typeof of>>) =>
      report.pairs.find(({ launch, capture }) => launch === "clk" && capture === "fast")!;
    const plain = crossing(await of(""));
    expect(plain).toMatchObject({ state: "undecided", ends: 1 });
    // 20 ns and 8 ns: the nearest edges are 4 ns apart
    expect(plain.worstSlackPs).toBeLessThan(4000);
    const late = crossing(await of("set_multicycle_path 2 -from [get_clocks clk] -to [get_clocks fast]\n"));
    expect(late.worstSlackPs! - plain.worstSlackPs!).toBeCloseTo(8000, 3);
    const cut = await of("set_clock_groups -asynchronous -group clk -group fast\n");
    expect(crossing(cut)).toMatchObject({ state: "cut", worstSlackPs: null });
  });

  it("tells the worst of each pair as its paths do, before a build and after it", async () => {
    const store = new MemoryStore();
    const before = (await estimateDesign(input("TW-2-P144-2C"), quietContext(), store)).artifact!;
    const after = (await (await runFlow(input("TW-2-P144-2C"), store)).artifact("timing"))!;
    for (const report of [before, after]) {
      expect(report.pairs.length).toBeGreaterThanOrEqual(3);
      for (const { launch, capture, worstSlackPs } of report.pairs) {
        const own = report.setupPaths.filter((path) => path.launchClock === launch && path.captureClock === capture);
        // all ends of this design are listed
        expect(own.length).toBeGreaterThan(0);
        expect(worstSlackPs).toBeCloseTo(Math.min(...own.map(({ slackPs }) => slackPs!)), 6);
      }
    }
    for (const { steps } of before.setupPaths) for (const { tileX } of steps) expect(tileX).toBe(-1);
  });

  it("is none where the rules or the sources have errors, or the part is too small, and says why", async () => {
    const wrong = await estimateDesign(input("TW-2-P144-2C", "create_clock -period\n"), quietContext());
    expect(wrong.artifact).toBeNull();
    expect(wrong.findings.some(({ severity, place }) => severity === "error" && place.file === "loom.sdc")).toBe(true);
    const small = await estimateDesign(input("FE-64-P44-1C"), quietContext());
    expect(small.artifact).toBeNull();
    expect(small.findings.some(({ code }) => code.startsWith("fit/") || code.startsWith("pins/"))).toBe(true);
  });

  it("is given up when nobody wants it any more", async () => {
    const context = {
      ...quietContext(),
      checkCancelled() {
        throw new CancelledError();
      },
    };
    await expect(estimateDesign(input("TW-2-P144-2C"), context)).rejects.toBeInstanceOf(CancelledError);
  });
});
