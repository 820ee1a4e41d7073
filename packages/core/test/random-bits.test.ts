import { describe, expect, it } from "vitest";
import { compareWithPart } from "./helpers/circuit-compare.ts";
import { fuzzRuns, fuzzSeed } from "./helpers/damage.ts";
import { randomModules } from "./helpers/random-modules.ts";
import { randomVhdl } from "./helpers/random-vhdl.ts";
import { verilogRun } from "./helpers/verilog-circuit.ts";
import { vhdlRun } from "./helpers/vhdl-circuit.ts";

/** From the text to the bits: nothing between the two is shared but the text. */
describe("random modules", () => {
  const languages = [
    ["SystemVerilog", randomModules, verilogRun],
    ["VHDL", randomVhdl, vhdlRun],
  ] as const;
  for (const [language, draw, run] of languages)
    it(`in ${language} do on the part what they do in simulation`, { timeout: 900_000 }, async () => {
      let compared = 0;
      const runs = fuzzRuns(4);
      for (let i = 0; i < runs; i++) {
        const { text, spec } = draw(fuzzSeed + 10_000 + i);
        compared += await compareWithPart(run(text, spec), spec);
      }
      expect(compared).toBeGreaterThan(runs * 200);
    });
});
