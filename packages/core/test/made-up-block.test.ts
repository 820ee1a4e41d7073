import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { isBlockOn, readBlockModes, writeBlockModes } from "../src/bitstream/block-config.ts";
import { configMap, TileConfig } from "../src/bitstream/config-map.ts";
import { builtSchematic, WrittenCircuit } from "../src/circuit/index.ts";
import { quietContext, Random } from "../src/common/index.ts";
import { noTimingRules } from "../src/constraints/sdc/rules.ts";
import { type BlockDescription, type BlockModes, span } from "../src/device/blocks/description.ts";
import { findFamily, findPart, listBlocks, registerBlock, registerDie, writeDataSheet } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { utilization } from "../src/flow/index.ts";
import { writeSdf } from "../src/formats/index.ts";
import { proveReadback } from "../src/prove/index.ts";
import { registerRun } from "../src/silicon/blocks/running.ts";
import { layoutOf, memoryOf, running } from "./helpers/build.ts";
import { builtLines, linesOf } from "./helpers/simulation.ts";

/**
 * A block that the product does not have: how many of eight marks are set, with or without a register behind. All that it is stands
 * in this file; no stage knows of it.
 */
interface TallyModes extends BlockModes {
  readonly type: "tally";
  readonly registered: boolean;
}
const marks = 8;
const counts = 4;
const text = `// How many of its marks are set.
module tally #(parameter REGISTERED = 0) (
  input wire clock,
  input wire [7:0] marks,
  output wire [3:0] count
);
  wire [3:0] now = marks[0] + marks[1] + marks[2] + marks[3] + marks[4] + marks[5] + marks[6] + marks[7];
  reg [3:0] held = 0;
  always @(posedge clock) held <= now;
  assign count = REGISTERED ? held : now;
endmodule
`;
const pins = { inputs: span("M", marks), outputs: span("N", counts), clocks: 1 };
const throughPs = 700;
const tally: BlockDescription<TallyModes> = {
  type: "tally",
  one: "tally",
  several: "tallies",
  clocks: 1,
  pins: () => pins,
  tile: {
    kind: "tally",
    column: "T",
    seed: 77,
    mark: [],
    outputs: () => span("TN", counts),
    inputs: () => span("TM", marks),
  },
  sites: ({ width, height, tileKind }) =>
    Array.from({ length: width * height }, (_, tile) => tile).filter((tile) => tileKind(tile) === "tally"),
  pinAt: (_family, direction, pin) => ({
    row: 0,
    name: direction === "outputs" ? `TN${pin}` : pin < marks ? `TM${pin}` : "CLK",
  }),
  stays: false,
  onField: "tallyOn",
  fields: () => ({ registered: 1 }),
  write: (config, { registered }) => config.set("registered", registered),
  read: (config) => ({ type: "tally", registered: config.get("registered") === 1 }),
  clockFalls: () => false,
  clockOfPin: () => 0,
  isClocked: ({ registered }) => registered,
  isThrough: ({ registered }) => !registered,
  clockPs: (delays) => delays.clockToOutputPs,
  setupPs: (delays) => delays.setupPs + throughPs,
  throughPs: () => throughPs,
  module: {
    name: "tally",
    text,
    pins,
    inputs: ["marks", "clock"],
    outputs: ["count"],
    modes: ({ parameters }, wrong) => {
      const registered = parameters.get("REGISTERED") ?? 0;
      if (registered > 1) wrong("circuit/tally", `REGISTERED is ${registered}.`, "It is 0 or 1.");
      return { type: "tally", registered: registered === 1 };
    },
  },
  verilog: {
    model: text.replace("module tally", "module gc_tally"),
    instance: ({ registered }, own) =>
      `gc_tally #(.REGISTERED(${Number(registered)})) ${own.instance} (.clock(${own.clock(0)}), .marks(${own.vector("M", marks)}), .count(${own.outVector("N", counts)}));`,
    pin: (pin) => (typeof pin === "number" ? "clock" : `${pin[0] === "M" ? "marks" : "count"}[${pin.slice(1)}]`),
  },
  symbol: { kind: "part block", text: "tally" },
  words: ({ registered }) => [registered ? "with its register" : "without a register"],
  dataSheet: {
    line: (_family, dies) => (dies.some(({ columns }) => columns.includes("T")) ? "- **Tally**: counts marks." : null),
    delays: () => ["tally", String(throughPs)],
  },
};

const undo: (() => void)[] = [];
beforeAll(() => {
  undo.push(registerBlock(tally));
  undo.push(
    registerRun("tally", {
      how: "expansion",
      expand({ inputs, clocks, outputs, modes }, into) {
        // one mark after the other is added to a count of four bits
        let count: number[] = [0, 0, 0, 0];
        for (const mark of inputs) {
          let carry = mark;
          count = count.map((bit) => {
            const [sum, next] = [into.signal(), into.signal()];
            into.table(sum, [bit, carry], 0x66666666);
            into.table(next, [bit, carry], 0x88888888);
            carry = next;
            return sum;
          });
        }
        for (const [pin, output] of outputs)
          if ((modes as TallyModes).registered)
            into.flipFlop({ output, d: count[pin], clock: clocks[0], init: 0, falling: false });
          else into.table(output, [count[pin]], 0xaaaaaaaa);
      },
    }),
  );
  undo.push(
    registerDie({
      name: "TW-T",
      family: "Twill",
      idcode: 0x1000f00f,
      columns: "LLLTLLLL",
      rows: 8,
      packages: [{ name: "P68", pinsPerSide: 17, supplyPlaces: [4, 13], extraCost: 0 }],
      grades: ["1", "2", "3"],
      serialLanes: 0,
      banksPerSide: 1,
      cost: 1,
    }),
  );
});
afterAll(() => {
  for (const back of undo.reverse()) back();
});

const part = "TW-T-P68-2C";
const design = `module m(input clk, input [7:0] a, input [7:0] b, output [3:0] n, output reg [4:0] both, output big);
  wire [3:0] other;
  tally #(.REGISTERED(1)) first(.clock(clk), .marks(a & ~b), .count(n));
  tally second(.clock(clk), .marks(b ^ {a[3:0], a[7:4]}), .count(other));
  always @(posedge clk) both <= n + other;
  assign big = other > 4;
endmodule
`;

describe("a block that is told of in one place", () => {
  it("goes from the text to the part and does there what it does in simulation and as structural Verilog", async () => {
    const { player, result } = await running(design, { part });
    const netlist = (await result.artifact("synth"))!;
    expect(netlist.blocks.map(({ modes }) => modes)).toEqual([
      { type: "tally", registered: true },
      { type: "tally", registered: false },
    ]);
    const random = new Random(3);
    const steps = Array.from({ length: 200 }, () => [random.below(256), random.below(256)]);
    const bench = `module tb; reg clk = 0; reg [7:0] a, b; wire [3:0] n; wire [4:0] both; wire big;
m dut(.clk(clk), .a(a), .b(b), .n(n), .both(both), .big(big));
initial begin ${steps.map(([a, b]) => `a = ${a}; b = ${b}; #1 clk = 1; #1 clk = 0; #1 $display("%0d %0d %0d", n, both, big);`).join("\n")} $finish; end endmodule`;
    const written = linesOf(
      [
        { name: "t.v", text: design },
        { name: "tb.v", text: bench },
      ],
      { top: "tb" },
    );
    expect(builtLines(netlist, bench)).toEqual(written);
    const onPart = steps.map(([a, b]) => {
      player.set({ a, b });
      player.clock("clk", 1);
      return ["n", "both", "big"].map((port) => player.read(port)).join(" ");
    });
    // the first sums still know nothing in simulation
    expect(onPart.slice(2)).toEqual(written.slice(2));
    expect(new Set(onPart).size).toBeGreaterThan(50);
  });

  it("is proven in the bits, timed, drawn, counted and written of like any other", async () => {
    const { result } = await running(design, {
      part,
      timingFiles: [{ name: "t.sdc", text: "create_clock -period 9 clk\n" }],
    });
    const layout = await layoutOf(result);
    expect(proveReadback(layout, await memoryOf(result), quietContext()).verdict).toBe("equal");
    const { fabric } = findPart(part).part!;
    const foot = layout.placed.blockTile[0];
    expect(fabric.tileKind(foot)).toBe("tally");
    const memory = (await memoryOf(result)).slice();
    new TileConfig(layout.part, memory).set(foot, "registered", 0);
    expect(proveReadback(layout, memory, quietContext()).verdict).toBe("different");

    const timing = (await result.artifact("timing"))!;
    const through = timing.padPaths.filter((path) => path.steps.some(({ what }) => what === "block"));
    expect(through.length).toBeGreaterThan(0);
    const step = through[0].steps.find(({ what }) => what === "block")!;
    expect(step.delayPs).toBeGreaterThan(throughPs * 0.4);
    expect(timing.padPaths.some(({ to }) => /first.*\(M\d\)/.test(to))).toBe(true);
    expect(writeSdf(layout, noTimingRules)).toContain("second");

    expect(utilization(layout.netlist, layout.packed, layout.part).find(({ kind }) => kind === "tallies")).toEqual({
      kind: "tallies",
      used: 2,
      available: fabric.blockSites("tally").length,
    });
    const { netlist, hierarchy } = elaborate([{ name: "t.v", text: design }]).artifact!;
    const symbols = (nodes: readonly { readonly symbol: string; readonly detail: readonly string[] }[]) =>
      nodes.filter(({ symbol }) => symbol === "tally").map(({ detail }) => detail.join());
    const both = ["with its register", "without a register"];
    expect(symbols(new WrittenCircuit(netlist, hierarchy).view({ root: "", expanded: [] }).nodes).sort()).toEqual(both);
    expect(symbols(builtSchematic(layout.netlist).nodes).sort()).toEqual(both);
    expect(writeDataSheet(findFamily("Twill"))).toContain("- **Tally**: counts marks.");
  });

  it("tells what is wrong with its parameters, at the instance", () => {
    const { findings } = elaborate([{ name: "t.v", text: design.replace("REGISTERED(1)", "REGISTERED(7)") }]);
    expect(findings.find(({ code }) => code === "circuit/tally")).toMatchObject({
      severity: "error",
      place: { file: "t.v", line: 3 },
      message: "REGISTERED is 7.",
    });
  });

  it("does not fit where there is none", async () => {
    await expect(running(design, { part: "TW-2-P144-2C" })).rejects.toThrow(/it needs 2 of 0 tallies/);
  });
});

describe("every block", () => {
  it("has as many clocks as its pins say, and pins that its tiles have", () => {
    for (const name of ["Twill", "Calico", "Felt"]) {
      const family = findFamily(name);
      for (const block of listBlocks()) {
        const { inputs, outputs, clocks } = block.pins(family);
        expect(block.clocks).toBe(clocks);
        expect(new Set([...inputs, ...outputs]).size).toBe(inputs.length + outputs.length);
        if (block.module) expect(block.module.pins).toEqual(block.pins(family));
      }
    }
  });
  it("reads the same modes out of what it wrote of them, whatever bits they came from", () => {
    const random = new Random(9);
    let seen = 0;
    for (const name of ["TW-9-P208-2C", "CA-6-P144-2C", part]) {
      const found = findPart(name).part!;
      const { byteCount } = configMap(found);
      for (const { type } of listBlocks()) {
        const [foot] = found.fabric.blockSites(type);
        if (foot === undefined) continue;
        for (let round = 0; round < 5; round++) {
          const noise = Uint8Array.from({ length: byteCount }, () => random.below(256));
          const modes = readBlockModes(new TileConfig(found, noise), found, type, foot);
          const config = new TileConfig(found, new Uint8Array(byteCount));
          expect(isBlockOn(config, type, foot)).toBe(false);
          writeBlockModes(config, found, foot, modes);
          expect(isBlockOn(config, type, foot)).toBe(true);
          expect(readBlockModes(config, found, type, foot)).toEqual(modes);
          seen++;
        }
      }
    }
    expect(seen).toBeGreaterThan(30);
  });
});
