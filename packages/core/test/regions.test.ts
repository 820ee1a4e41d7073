import { describe, expect, it } from "vitest";
import { encodeArtifact, quietContext } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { MemoryStore, runFlow } from "../src/flow/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { defaultSynthOptions, SynthMemory, synthesize } from "../src/synth/index.ts";
import { designInput } from "./helpers/build.ts";

/** A row of modules; one of them is written in two ways. */
const row = (count: number, other: string) => `
module thread #(parameter W = 12, parameter K = 1)(input clk, input [W-1:0] d, output reg [W-1:0] q);
  reg [W-1:0] a, b; wire [W-1:0] m = (a ^ {b[0], b[W-1:1]}) & (d | a << 1);
  always @(posedge clk) begin a <= d + K; b <= m ^ a; q <= (b < a) ? m : a - b; end endmodule
module other(input clk, input [11:0] d, output reg [11:0] q); always @(posedge clk) q <= ${other}; endmodule
module m(input clk, input [11:0] d, output [11:0] q);
  wire [11:0] w [0:${count}]; assign w[0] = d; genvar i;
  generate for (i = 0; i < ${count}; i = i + 1) begin : row thread #(.K(i + 1)) t(clk, w[i], w[i + 1]); end endgenerate
  other o(clk, w[${count}], q);
endmodule`;
const netlistOf = (text: string) => elaborate([{ name: "m.v", text }]).artifact!.netlist;
const plain = (value: unknown) => Buffer.from(encodeArtifact(value)).toString("base64");

describe("regions that did not change", () => {
  const before = netlistOf(row(20, "d ^ 12'h0f0"));
  const after = netlistOf(row(20, "(d ^ (d << 3)) & ~(d >> 2) | {d[0], d[11:1]} & 12'h3f3"));
  const run = (netlist: typeof before, memory = new SynthMemory(), options = defaultSynthOptions) => ({
    memory,
    mapped: synthesize(netlist, options, quietContext(), memory).artifact!,
  });

  it("are taken over, and the result is the same as without", () => {
    const first = run(before);
    expect([first.memory.reusedGates, first.memory.gates > 2000]).toEqual([0, true]);
    const again = run(before, new SynthMemory(first.memory.kept));
    expect(again.memory.reusedGates).toBe(again.memory.gates);
    expect(plain(again.mapped)).toBe(plain(first.mapped));
    const changed = run(after, new SynthMemory(first.memory.kept));
    expect(changed.memory.reusedGates / changed.memory.gates).toBeGreaterThan(0.5);
    expect(changed.memory.reusedGates).toBeLessThan(changed.memory.gates);
    expect(plain(changed.mapped)).toBe(plain(run(after).mapped));
    const proof = prove(
      after,
      changed.mapped,
      defaultSynthOptions,
      { ...defaultProveOptions, cycles: 64 },
      quietContext(),
    );
    expect(proof.verdict).toBe("equal");
  });

  it("are not taken over for another kind of LUT, nor from what is damaged", () => {
    const first = run(before);
    const other = run(before, new SynthMemory(first.memory.kept), { ...defaultSynthOptions, lutInputs: 4 });
    expect(other.memory.reusedGates).toBe(0);
    const cut = new Map([...first.memory.kept].map(([key, words]) => [key, words.slice(0, words.length >> 1)]));
    const damaged = run(before, new SynthMemory(cut));
    expect(damaged.memory.reusedGates).toBe(0);
    expect(plain(damaged.mapped)).toBe(plain(first.mapped));
  });

  it("keep their gates where only the levels of the whole have changed", () => {
    const first = run(before);
    const deep = netlistOf(row(20, "(((d * d) ^ d) / (d | 12'd1)) * d"));
    const changed = run(deep, new SynthMemory(first.memory.kept));
    expect(changed.mapped.levels).toBeGreaterThan(first.mapped.levels);
    expect(changed.memory.reusedGates).toBeGreaterThan(0);
    expect(plain(changed.mapped)).toBe(plain(run(deep).mapped));
  });

  it("are found by the flow under the key of an earlier trial", async () => {
    const store = new MemoryStore();
    const trial = async (text: string, reuseFrom: string | null) => {
      const result = await runFlow(designInput(text, { part: "TW-9-P208-2C" }), store, {
        stopAfter: "synth",
        reuseFrom,
      });
      return result.stages.find(({ stage }) => stage === "synth")!;
    };
    const first = await trial(row(20, "d"), null);
    expect(first.figure).not.toContain("taken over");
    const second = await trial(row(20, "(d ^ (d << 3)) & ~(d >> 2)"), first.key);
    expect(second.figure).toMatch(/ \d\d % taken over/);
    const astray = await trial(row(20, "d & 12'd9"), "no such key");
    expect(astray.figure).not.toContain("taken over");
  });
});
