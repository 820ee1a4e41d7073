import { describe, expect, it } from "vitest";
import { quietContext } from "../src/common/index.ts";
import type { MultiplierModes } from "../src/device/blocks/multiplier.ts";
import { Delays } from "../src/device/part.ts";
import { elaborate } from "../src/elaborate/index.ts";

import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { built } from "./helpers/build.ts";
import { agreesEverywhere } from "./helpers/everywhere.ts";

interface Case {
  readonly what: string;
  readonly ports: string;
  readonly body: string;
  readonly inputs: Readonly<Record<string, number>>;
  readonly blocks: number;
  readonly modes?: Partial<MultiplierModes>;
  readonly reason?: RegExp;
}
const twelve = "input signed [11:0] a, b";
const inputs = { a: 12, b: 12 };

const cases: Case[] = [
  {
    what: "a plain signed product",
    ports: `${twelve}, output signed [23:0] q`,
    body: "assign q = a * b;",
    inputs,
    blocks: 1,
    modes: { signedLeft: true, signedRight: true, outputRegister: false },
  },
  {
    what: "a plain product of natural numbers",
    ports: "input [9:0] a, b, output [19:0] q",
    body: "assign q = a * b;",
    inputs: { a: 10, b: 10 },
    blocks: 1,
    modes: { signedLeft: false, signedRight: false },
  },
  {
    what: "one operand of each kind",
    ports: "input signed [9:0] a, input [7:0] b, output signed [18:0] q",
    body: "assign q = a * $signed({1'b0, b});",
    inputs: { a: 10, b: 8 },
    blocks: 1,
  },
  {
    what: "a register behind it",
    ports: `${twelve}, output reg signed [23:0] q`,
    body: "always @(posedge clk) q <= a * b;",
    inputs,
    blocks: 1,
    modes: { outputRegister: true, productRegister: false },
  },
  {
    what: "two registers behind it, with enable and reset",
    ports: `${twelve}, input en, r, output reg signed [23:0] q`,
    body: "reg signed [23:0] p; always @(posedge clk) if (r) begin p <= 0; q <= 0; end else if (en) begin p <= a * b; q <= p; end",
    inputs: { ...inputs, en: 1, r: 1 },
    blocks: 1,
    modes: { outputRegister: true, productRegister: true, enableUsed: true },
  },
  {
    what: "registers in front of it and behind it",
    ports: `${twelve}, output reg signed [23:0] q`,
    body: "reg signed [11:0] x, y; initial begin x = 0; y = 0; end always @(posedge clk) begin x <= a; y <= b; q <= x * y; end",
    inputs,
    blocks: 1,
    modes: { inputRegister: true, outputRegister: true },
  },
  {
    what: "an accumulator",
    ports: `${twelve}, input r, output reg signed [35:0] q`,
    body: "initial q = 0; always @(posedge clk) if (r) q <= 0; else q <= q + a * b;",
    inputs: { ...inputs, r: 1 },
    blocks: 1,
    modes: { accumulate: true, outputRegister: true },
  },
  {
    what: "an accumulator that takes away, with an enable",
    ports: `${twelve}, input en, output reg signed [35:0] q`,
    body: "initial q = 0; always @(posedge clk) if (en) q <= q - a * b;",
    inputs: { ...inputs, en: 1 },
    blocks: 1,
    modes: { accumulate: true, subtract: true, enableUsed: true },
  },
  {
    what: "an accumulator behind a product register",
    ports: `${twelve}, output reg signed [35:0] q`,
    body: "reg signed [23:0] p; initial begin p = 0; q = 0; end always @(posedge clk) begin p <= a * b; q <= q + p; end",
    inputs,
    blocks: 1,
    modes: { accumulate: true, productRegister: true },
  },
  {
    what: "a sum with something else",
    ports: `${twelve}, input signed [15:0] c, output signed [24:0] q`,
    body: "assign q = c + a * b;",
    inputs: { ...inputs, c: 16 },
    blocks: 1,
    modes: { accumulate: false, outputRegister: false },
  },
  {
    what: "a registered difference from something else",
    ports: `${twelve}, input signed [15:0] c, output reg signed [24:0] q`,
    body: "always @(posedge clk) q <= c - a * b;",
    inputs: { ...inputs, c: 16 },
    blocks: 1,
    modes: { subtract: true, outputRegister: true },
  },
  {
    what: "a product that is read twice: the sum stays outside",
    ports: `${twelve}, input signed [15:0] c, output signed [24:0] q, output [23:0] p`,
    body: "assign p = a * b; assign q = c + $signed(p);",
    inputs: { ...inputs, c: 16 },
    blocks: 1,
    modes: { outputRegister: false },
  },
  {
    what: "an output register with an asynchronous reset, which stays outside",
    ports: `${twelve}, input r, output reg signed [23:0] q`,
    body: "always @(posedge clk or posedge r) if (r) q <= 0; else q <= a * b;",
    inputs: { ...inputs, r: 1 },
    blocks: 1,
    modes: { outputRegister: false },
  },
  {
    what: "a product wider than a block, in four",
    ports: "input [23:0] a, b, output [47:0] q",
    body: "assign q = a * b;",
    inputs: { a: 24, b: 24 },
    blocks: 4,
    reason: /wider product/,
  },
  {
    what: "a signed product wider than a block, in two",
    ports: "input signed [25:0] a, input signed [11:0] b, output signed [37:0] q",
    body: "assign q = a * b;",
    inputs: { a: 26, b: 12 },
    blocks: 2,
  },
  {
    what: "only the upper half of a product",
    ports: "input [15:0] a, b, output [15:0] q",
    body: "wire [31:0] p = a * b; assign q = p[31:16];",
    inputs: { a: 16, b: 16 },
    blocks: 1,
  },
  {
    what: "a product with a constant: sums",
    ports: "input [11:0] a, output [23:0] q",
    body: "assign q = a * 24'd100;",
    inputs: { a: 12 },
    blocks: 0,
    reason: /constant/,
  },
  {
    what: "a small product: sums",
    ports: "input [3:0] a, b, output [7:0] q",
    body: "assign q = a * b;",
    inputs: { a: 4, b: 4 },
    blocks: 0,
    reason: /small/,
  },
];

describe("multipliers", () => {
  for (const { what, ports, body, inputs: widths, blocks, modes, reason } of cases) {
    it(`take in ${what}`, async () => {
      const text = `module m(input clk, ${ports});\n${body}\nendmodule`;
      const outputs = [...ports.matchAll(/output[^,]*?(\w+)(?=,|$)/g)].map((match) => match[1]);
      const { netlist, compared, ones } = await agreesEverywhere(text, { inputs: widths, outputs, cycles: 120 });
      expect(netlist.blocks).toHaveLength(blocks);
      if (modes) expect(netlist.blocks[0].modes).toMatchObject(modes);
      const [item] = netlist.inferred.filter((each) => each.kind === "multiplier");
      expect(item.count).toBe(blocks);
      if (reason) expect(item.reason).toMatch(reason);
      expect(compared).toBeGreaterThan(500);
      expect(ones).toBeGreaterThan(compared / 40);
    });
  }

  it("become logic when the part has none left, the smaller ones first", () => {
    const text = `module m(input [11:0] a, b, c, d, output [23:0] p, output [15:0] q, output [19:0] r);
      assign p = a * b; assign q = c[7:0] * d[7:0]; assign r = a[9:0] * d[9:0]; endmodule`;
    const { artifact } = elaborate([{ name: "t.v", text }]);
    const made = (multipliers: number) =>
      synthesize(artifact!.netlist, { ...defaultSynthOptions, multipliers }, quietContext()).artifact!;
    expect(made(3).blocks).toHaveLength(3);
    const two = made(2);
    expect(two.blocks).toHaveLength(2);
    expect(two.inferred.find((item) => item.count === 0)).toMatchObject({ name: "q", becomes: "carry chains" });
    expect(made(0).blocks).toHaveLength(0);
  });
});

describe("the way from register to register inside of a multiplier", () => {
  const timed = async (body: string, period: string) => {
    const text = `module m(input clk, input [17:0] a, b, output reg [35:0] y); ${body} endmodule`;
    const timingFiles = [{ name: "m.sdc", text: `create_clock -name clk -period ${period} [get_ports clk]\n` }];
    const result = await built(text, { timingFiles });
    expect((await result.artifact("synth"))!.blocks).toHaveLength(1);
    return { report: (await result.artifact("timing"))!, delays: new Delays(result.part!, "slow-hot") };
  };
  const three = "reg [17:0] c, d; reg [35:0] p; always @(posedge clk) begin c <= a; d <= b; p <= c * d; y <= p; end";
  const two = "reg [17:0] c, d; always @(posedge clk) begin c <= a; d <= b; y <= c * d; end";

  it("bounds the clock, with the product's register and without it", async () => {
    for (const body of [three, two]) {
      const { report, delays } = await timed(body, "10.000");
      const { multiplierPs, multiplierAddPs, multiplierClockPs, multiplierSetupPs } = delays.family.delays;
      // by hand: clock to output, the array (and the adder, where nothing stands between), setup, at the slow corner
      const own = multiplierClockPs + multiplierPs + (body === two ? multiplierAddPs : 0) + multiplierSetupPs;
      const inside = own * (delays.lutPs(0) / delays.family.delays.lutPs[0]);
      expect(report.clocks[0].fmaxMhz).toBeLessThanOrEqual(1e6 / inside + 1e-6);
      const path = report.setupPaths.find(({ to }) => to.endsWith("(inside)"))!;
      expect(path.slackPs).toBeCloseTo(10_000 - inside, 3);
      expect(path.steps.at(-1)!.arrivalPs - path.launchClockPs).toBeCloseTo(inside, 3);
    }
  });

  it("is told when it is too long", async () => {
    const { report } = await timed(two, "2.000");
    expect(report.setupPaths.some(({ to, slackPs }) => to.endsWith("(inside)") && slackPs! < 0)).toBe(true);
    expect(report.checks.find(({ kind }) => kind === "setup")!.failingEndpoints).toBeGreaterThan(0);
  });
});
