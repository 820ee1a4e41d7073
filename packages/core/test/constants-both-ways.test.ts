import { describe, expect, it } from "vitest";
import { Random } from "../src/common/random.ts";
import { fuzzRuns, fuzzSeed, longTest } from "./helpers/damage.ts";
import { constantsBothWays } from "./helpers/random-modules.ts";
import { randomExpr } from "./helpers/random-verilog.ts";
import { vhdlConstantsBothWays } from "./helpers/random-vhdl.ts";
import { linesOf } from "./helpers/simulation.ts";

/** The same text as a constant at elaboration and when it runs: two evaluators that share no code. */
describe("constants and what runs", () => {
  it("agree on random expressions of Verilog", longTest, () => {
    const random = new Random(fuzzSeed);
    const perModule = 25;
    for (let i = 0; i < fuzzRuns(8); i++) {
      const variables = Array.from({ length: 4 }, (_, k) => ({
        name: `v${k}`,
        width: 1 + random.below(9),
        signed: random.float() < 0.4,
      }));
      const values = variables.map(({ width }) => random.below(2 ** width));
      const list = Array.from({ length: perModule }, () => ({
        width: 1 + random.below(24),
        text: randomExpr(random, variables, 4).text,
      }));
      const type = ({ width, signed }: (typeof variables)[0]) => `logic ${signed ? "signed " : ""}[${width - 1}:0]`;
      // parameters in one module, variables of the same names and values in the other
      const text = `module c; ${variables.map((v, k) => `localparam ${type(v)} ${v.name} = ${values[k]};`).join(" ")}
${list.map(({ width, text }, k) => `localparam logic [${width - 1}:0] y${k} = ${text};`).join("\n")}
initial begin ${list.map((_, k) => `$display("%b", y${k});`).join(" ")} end endmodule
module r; ${variables.map((v, k) => `${type(v)} ${v.name} = ${values[k]};`).join(" ")}
${list.map(({ width }, k) => `logic [${width - 1}:0] y${k};`).join("\n")}
initial begin #1; ${list.map(({ text }, k) => `y${k} = ${text}; $display("%b", y${k});`).join("\n")} end endmodule
module t; c c(); r r(); endmodule`;
      const lines = linesOf(text, { top: "t" });
      expect(lines.length).toBe(2 * perModule);
      list.forEach((each, k) => {
        if (lines[k] !== lines[perModule + k])
          expect.fail(`${each.text}: constant ${lines[k]}, run ${lines[perModule + k]}\n${text}`);
      });
    }
  });
  it("agree on random functions of SystemVerilog, with loops, tasks, arrays and structs", longTest, () => {
    for (let i = 0; i < fuzzRuns(60); i++) {
      const { text, count } = constantsBothWays(fuzzSeed + i);
      const lines = linesOf(text, { top: "t" });
      expect(lines.length).toBe(2 * count);
      for (let k = 0; k < count; k++)
        if (lines[k] !== lines[count + k])
          expect.fail(`call ${k}: constant ${lines[k]}, run ${lines[count + k]}\n${text}`);
    }
  });
  it("agree on random functions and aggregates of VHDL", longTest, () => {
    for (let i = 0; i < fuzzRuns(60); i++) {
      const { text, count } = vhdlConstantsBothWays(fuzzSeed + i);
      const lines = linesOf(text, { top: "t" }, "t.vhd");
      expect(lines.length).toBe(2 * count);
      for (let k = 0; k < count; k++)
        if (lines[k] !== lines[count + k])
          expect.fail(`value ${k}: constant ${lines[k]}, run ${lines[count + k]}\n${text}`);
    }
  });
});
