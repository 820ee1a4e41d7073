import { describe, expect, it } from "vitest";
import { quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { cellKind, type MappedNetlist } from "../src/netlist/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { running } from "./helpers/build.ts";
import { MappedSimulator } from "./helpers/mapped-sim.ts";

function synth(text: string, lutInputs = 6): MappedNetlist {
  const design = elaborate([{ name: "t.v", text }], {});
  if (!design.artifact) throw new Error(design.findings.map((finding) => finding.message).join("\n"));
  return synthesize(design.artifact.netlist, { ...defaultSynthOptions, lutInputs }, quietContext()).artifact!;
}
const links = (netlist: MappedNetlist) => netlist.chains.map((chain) => chain.lut.length).sort((a, b) => a - b);
const luts = (netlist: MappedNetlist) => netlist.kind.reduce((sum, kind) => sum + (kind === cellKind.lut ? 1 : 0), 0);
const expression = (ports: string, body: string) => `module m(${ports}); assign y = ${body}; endmodule`;

describe("carry chains", () => {
  for (const n of [4, 5, 8, 13, 16, 32, 64]) {
    const two = `input [${n - 1}:0] a, b, output [${n - 1}:0] y`;
    it(`take ${n} elements and no other LUT for a sum or difference of ${n} bits`, () => {
      for (const op of ["+", "-"])
        for (const k of [4, 6]) {
          const netlist = synth(expression(two, `a ${op} b`), k);
          expect(links(netlist)).toEqual([n]);
          expect(luts(netlist)).toBe(n);
        }
    });
  }

  it("take one more for a carry in or out", () => {
    expect(links(synth(expression("input [7:0] a, b, output [8:0] y", "a + b")))).toEqual([9]);
    const carryIn = synth(expression("input [7:0] a, b, input c, output [7:0] y", "a + b + c"));
    expect(luts(carryIn)).toBeLessThanOrEqual(17);
  });

  it("leave small sums to plain LUTs, one a bit", () => {
    const netlist = synth(expression("input [2:0] a, b, output [2:0] y", "a + b"));
    expect(links(netlist)).toEqual([]);
    expect(luts(netlist)).toBe(3);
  });

  it("carry counters without a LUT beside the chain, and load the bypass pin only where bits can meet", () => {
    const netlist = synth("module m(input clk, output reg [11:0] y); always @(posedge clk) y <= y + 1; endmodule");
    expect(links(netlist)).toEqual([12]);
    expect(luts(netlist)).toBe(12);
  });

  it("take in logic in front of an operand: a sum or difference by a control costs one element more", () => {
    const netlist = synth(expression("input [7:0] a, b, input s, output [7:0] y", "s ? a + b : a - b"));
    expect(luts(netlist)).toBeLessThanOrEqual(24);
  });

  it("compare wide words, and compare with a constant in fewer levels", () => {
    for (const [w, k] of [
      [16, 6],
      [24, 6],
      [32, 6],
      [8, 4],
      [16, 4],
    ] as const) {
      const variable = synth(expression(`input [${w - 1}:0] a, b, output y`, "a < b"), k);
      const constant = synth(expression(`input [${w - 1}:0] a, output y`, `a < ${w}'d${2 ** (w - 2) + 77}`), k);
      expect(links(variable)).toEqual([w + 1]);
      expect(links(constant)).toEqual([]);
      // with four inputs a LUT takes so few bits of the constant's side that the carry can be as quick
      expect(constant.levels).toBeLessThan(variable.levels + (k === 4 ? 1 : 0));
    }
  });

  it("stop where bits are known: a sum of shifted words is as long as what overlaps", () => {
    const netlist = synth(expression("input [15:0] a, b, output [31:0] y", "{a, 8'd0} + b"));
    expect(links(netlist)).toEqual([17]); // bits 8 to 23 and the carry out of them
  });

  it("split where a column ends, and go on in another", () => {
    const netlist = synth(expression("input [199:0] a, b, output [199:0] y", "a + b"));
    expect(netlist.chains).toHaveLength(2);
    const simulator = new MappedSimulator(netlist);
    const random = new Random(4);
    for (let round = 0; round < 20; round++) {
      const word = () => Array.from({ length: 7 }, () => BigInt(random.uint32())).reduce((x, y) => (x << 32n) | y, 0n);
      const [a, b] = [word(), word()].map((value) => BigInt.asUintN(200, value));
      simulator.set("a", a);
      simulator.set("b", b);
      simulator.settle();
      expect(simulator.get("y")).toBe(BigInt.asUintN(200, a + b));
    }
  });

  const operators: [string, (a: bigint, b: bigint) => bigint][] = [
    ["a + b", (a, b) => a + b],
    ["a - b", (a, b) => a - b],
    ["a * b", (a, b) => a * b],
    ["a * 16'd1237", (a) => a * 1237n],
    ["a * 16'hff3d", (a) => a * 0xff3dn],
    ["100 - b", (_, b) => 100n - b],
    ["-a", (a) => -a],
    ["b == 0 ? 0 : a / b", (a, b) => (b ? a / b : 0n)],
    ["b == 0 ? 0 : a % b", (a, b) => (b ? a % b : 0n)],
    ["a % 16'd10", (a) => a % 10n],
    ["a < b", (a, b) => (a < b ? 1n : 0n)],
    ["a >= b", (a, b) => (a >= b ? 1n : 0n)],
    ["$signed(a) < $signed(b)", (a, b) => (BigInt.asIntN(16, a) < BigInt.asIntN(16, b) ? 1n : 0n)],
    ["$signed(a[7:0]) * $signed(b[7:0])", (a, b) => BigInt.asIntN(8, a) * BigInt.asIntN(8, b)],
    ["$signed(a[11:0]) * $signed(b[2:0])", (a, b) => BigInt.asIntN(12, a) * BigInt.asIntN(3, b)],
    ["a[9:0] + b[9:0] * 3 - 5", (a, b) => (a & 1023n) + (b & 1023n) * 3n - 5n],
  ];
  it("compute what whole numbers do, mapped for four and six inputs", () => {
    const random = new Random(9);
    for (const [text, reference] of operators) {
      for (const k of [4, 6]) {
        const simulator = new MappedSimulator(synth(expression("input [15:0] a, b, output [15:0] y", text), k));
        for (let round = 0; round < 60; round++) {
          const edge = [0n, 1n, 0xffffn, 0x8000n, 0x7fffn];
          const value = () =>
            round < 25 && random.float() < 0.5 ? edge[random.below(edge.length)] : BigInt(random.below(65536));
          const [a, b] = [value(), value()];
          simulator.set("a", a);
          simulator.set("b", b);
          simulator.settle();
          expect(simulator.get("y"), `${text} at ${a}, ${b}`).toBe(BigInt.asUintN(16, reference(a, b)));
        }
      }
    }
  });

  it("run on the simulated part, over tiles and beside registers of other controls", async () => {
    const text = `module m(input clk, input [7:0] d, input en, r, input [1:0] s, output reg [7:0] y);
      reg [39:0] total; reg [23:0] wide; reg [8:0] narrow; reg signed [17:0] acc;
      always @(posedge clk) begin
        if (r) begin total <= 0; narrow <= 9'd5; end
        else begin total <= total + {total[30:0], 3'd0, d[5:0]} ; if (en) narrow <= narrow - d; end
        if (en) wide <= wide + {d, 7'd0};
        acc <= acc + $signed(d) * 5;
        case (s)
          0: y <= total[39:32] ^ total[20:13];
          1: y <= wide[23:16] ^ wide[10:3];
          2: y <= narrow[8:1];
          3: y <= acc[17:10] ^ acc[7:0];
        endcase
      end
      initial begin total = 1; wide = 3; narrow = 0; acc = 7; y = 0; end
    endmodule`;
    const { player, result } = await running(text);
    const packed = (await result.artifact("pack"))!;
    expect(packed.clusterAbove.some((above) => above >= 0)).toBe(true);
    const mask = (n: number) => (1n << BigInt(n)) - 1n;
    let [total, wide, narrow, acc, y] = [1n, 3n, 0n, 7n, 0n];
    const random = new Random(2);
    for (let cycle = 0; cycle < 300; cycle++) {
      const d = BigInt(random.below(256));
      const [en, r, s] = [random.below(2), Number(random.below(20) === 0), random.below(4)];
      player.set({ d: Number(d), en, r, s });
      const taps = [(total >> 32n) ^ (total >> 13n), (wide >> 16n) ^ (wide >> 3n), narrow >> 1n, (acc >> 10n) ^ acc];
      y = taps[s] & 255n;
      const grown = total + (((total & mask(31)) << 9n) | (d & 63n));
      total = r ? 0n : grown & mask(40);
      if (r) narrow = 5n;
      else if (en) narrow = (narrow - d) & mask(9);
      if (en) wide = (wide + (d << 7n)) & mask(24);
      acc = (acc + BigInt.asIntN(8, d) * 5n) & mask(18);
      player.clock("clk", 1);
      expect(player.read("y")).toBe(Number(y));
    }
  });
});
