import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { findPart, listDies, listFamilies, listParts, partByIdcode } from "../src/device/index.ts";
import { agreesEverywhere } from "./helpers/everywhere.ts";

const tally = `module m(input clk, input en, r, input [5:0] d, output reg [7:0] q, output reg [5:0] g);
  reg [2:0] state; initial begin q = 0; g = 0; state = 0; end
  always @(posedge clk) begin
    if (r) q <= 0; else if (en) q <= q + d;
    g <= (d ^ (d >> 1)) & {6{state[1]}};
    case (state) 0: if (en) state <= 1; 1: state <= d[0] ? 2 : 4; 2: state <= 3; 3: if (d == 6'd21 || d > 40) state <= 0; default: state <= 0; endcase
  end
endmodule`;
const inputs = { en: 1, r: 1, d: 6 };
const outputs = ["q", "g"];
const perDie = listDies().map((die) => `${die.name}-${die.packages[0].name}-${die.grades[0]}C`);

describe("families and parts", () => {
  it("hold about as many LUTs as their names say, and no two answer alike", () => {
    const said: Record<string, number> = {
      "TW-2": 2000,
      "TW-9": 9000,
      "TW-36": 36000,
      "CA-1": 1000,
      "CA-6": 6000,
      "FE-64": 64,
      "FE-256": 256,
    };
    expect(
      listDies()
        .map((die) => die.name)
        .sort(),
    ).toEqual(Object.keys(said).sort());
    for (const name of perDie) {
      const part = findPart(name).part!;
      const luts = part.fabric.logicTiles.length * part.family.elementsPerTile;
      expect(Math.abs(luts / said[part.die.name] - 1)).toBeLessThan(0.05);
      expect(partByIdcode(part.die.idcode)).toBe(part.die);
      expect(part.die.idcode & 1).toBe(1); // IEEE 1149.1: bit 0 of an IDCODE is 1
    }
    expect(new Set(listDies().map((die) => die.idcode)).size).toBe(listDies().length);
  });

  it("offer every combination of package, speed and temperature, with pins that lead to different pads", () => {
    expect(new Set(listParts()).size).toBe(listParts().length);
    for (const name of listParts()) {
      const part = findPart(name).part!;
      expect(part.name).toBe(name);
      expect(new Set(part.pins.map((pin) => pin.pad)).size).toBe(part.pins.length);
      expect(new Set(part.pins.map((pin) => pin.name)).size).toBe(part.pins.length);
      expect(part.pins.filter((pin) => pin.isClock)).toHaveLength(part.family.globalClocks);
      expect(new Set(part.pins.map((pin) => pin.bank)).size).toBe(4 * part.die.banksPerSide);
      expect(part.cost).toBeGreaterThanOrEqual(1);
    }
  });

  it("are faster in a higher grade, and have a wider range of delays in the industrial one", async () => {
    const { Delays } = await import("../src/device/index.ts");
    for (const family of listFamilies()) {
      const names = listParts().filter((name) => findPart(name).part!.family === family);
      const at = (grade: string, corner: "slow-hot" | "fast-cold") =>
        new Delays(findPart(names.find((name) => name.endsWith(`-${grade}`))!).part!, corner).lutPs(0);
      expect(at("2C", "slow-hot")).toBeLessThan(at("1C", "slow-hot"));
      expect(at("1I", "slow-hot")).toBeGreaterThan(at("1C", "slow-hot"));
      expect(at("1I", "fast-cold")).toBeLessThan(at("1C", "fast-cold"));
    }
  });

  for (const part of perDie.filter((name) => !name.startsWith("TW-36"))) {
    it(`${part} runs a small design from its bitstream as it is written`, async () => {
      const { compared, netlist } = await agreesEverywhere(tally, { inputs, outputs, cycles: 300 }, { part });
      expect(compared).toBeGreaterThan(3000);
      const { lutInputs } = findPart(part).part!.family;
      for (let cell = 0; cell < netlist.cellCount; cell++)
        if (netlist.kind[cell] === 0)
          expect(netlist.inputStart[cell + 1] - netlist.inputStart[cell]).toBeLessThanOrEqual(lutInputs);
    });
  }

  it("Calico's memories have a port to write and a port to read", async () => {
    const text = `module m(input clk, input we, input [7:0] a, b, input [15:0] d, output reg [15:0] q);
      reg [15:0] store [0:255]; integer k; initial for (k = 0; k < 256; k = k + 1) store[k] = k * 257;
      always @(posedge clk) begin if (we) store[a] <= d; q <= store[b]; end endmodule`;
    const stimulus = { inputs: { we: 1, a: 8, b: 8, d: 16 }, outputs: ["q"], cycles: 200 };
    const { netlist } = await agreesEverywhere(text, stimulus, { part: "CA-1-P84-2C" });
    expect(netlist.blocks).toHaveLength(1);
    const felt = await agreesEverywhere(
      text.replaceAll("[15:0]", "[3:0]").replaceAll("255", "7").replaceAll("256", "8"),
      {
        ...stimulus,
        inputs: { we: 1, a: 3, b: 3, d: 4 },
      },
      { part: "FE-256-P68-2C" },
    );
    expect(felt.netlist.blocks).toHaveLength(0);
  });

  it("multiply in blocks where there are some, and in logic where there are none", async () => {
    const text =
      "module m(input clk, input signed [7:0] a, b, output reg signed [15:0] q); always @(posedge clk) q <= a * b; endmodule";
    const stimulus = { inputs: { a: 8, b: 8 }, outputs: ["q"], cycles: 150, seed: new Random(1).below(99) };
    const large = await agreesEverywhere(text, stimulus, { part: "CA-6-P144-2C" });
    expect(large.netlist.blocks).toHaveLength(1);
    const small = await agreesEverywhere(text, stimulus, { part: "CA-1-P84-2C" });
    expect(small.netlist.blocks).toHaveLength(0);
    expect(small.netlist.inferred[0].reason).toContain("no multiplier");
  });
});
