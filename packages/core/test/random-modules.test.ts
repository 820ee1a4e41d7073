import { describe, expect, it } from "vitest";
import { fuzzRuns, fuzzSeed, longTest } from "./helpers/damage.ts";
import { randomModules } from "./helpers/random-modules.ts";
import { verilogAsCircuit } from "./helpers/verilog-circuit.ts";

describe("random modules in SystemVerilog", () => {
  it("do in the mapped circuit what they do in simulation", longTest, () => {
    let compared = 0;
    const runs = fuzzRuns(100);
    for (let i = 0; i < runs; i++) {
      const { text, spec } = randomModules(fuzzSeed + i);
      compared += verilogAsCircuit(text, spec);
    }
    expect(compared).toBeGreaterThan(runs * 200);
  });
});
