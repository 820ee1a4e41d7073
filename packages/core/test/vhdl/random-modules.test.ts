import { describe, expect, it } from "vitest";
import { fuzzRuns, fuzzSeed, longTest } from "../helpers/damage.ts";
import { randomVhdl } from "../helpers/random-vhdl.ts";
import { sameAsCircuit } from "../helpers/vhdl-circuit.ts";

describe("random modules in VHDL", () => {
  it("do in the mapped circuit what they do in simulation", longTest, () => {
    let compared = 0;
    const runs = fuzzRuns(100);
    for (let i = 0; i < runs; i++) {
      const { text, spec } = randomVhdl(fuzzSeed + i);
      compared += sameAsCircuit(text, spec);
    }
    expect(compared).toBeGreaterThan(runs * 200);
  });
});
