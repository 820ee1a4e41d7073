import { describe, expect, it } from "vitest";
import { elaborate } from "../src/index.ts";

const topOf = (text: string, top?: string) => {
  const { artifact, findings, modules, testBenches } = elaborate([{ name: "t.v", text }], { top });
  const errors = findings.filter((finding) => finding.severity === "error").map((finding) => finding.code);
  return { top: artifact?.hierarchy.module ?? null, modules, testBenches, errors };
};
const cell = "module cell_(input a, output y); assign y = ~a; endmodule\n";
const frame = "module frame(input a, output y); cell_ c(a, y); endmodule\n";
const bench = (of: string) => `module ${of}_bench; reg a = 0; wire y; ${of} u(a, y); initial #1 $finish; endmodule\n`;

describe("the top", () => {
  it("is the module that no other of the design instantiates, test benches or not", () => {
    expect(topOf(cell + frame)).toMatchObject({ top: "frame", testBenches: [], errors: [] });
    expect(topOf(cell + frame + bench("frame"))).toMatchObject({
      top: "frame",
      testBenches: ["frame_bench"],
      errors: [],
    });
    expect(topOf(bench("cell_") + bench("frame") + cell + frame)).toMatchObject({
      top: "frame",
      testBenches: ["cell__bench", "frame_bench"],
      errors: [],
    });
  });
  it("is what was chosen, whatever instantiates it", () => {
    expect(topOf(cell + frame + bench("frame"), "cell_")).toMatchObject({ top: "cell_", errors: [] });
  });
  it("is no test bench, neither chosen nor alone", () => {
    expect(topOf(cell + frame + bench("frame"), "frame_bench")).toMatchObject({
      top: null,
      errors: ["design/bench-top"],
    });
    expect(topOf("module b; initial $display(1); endmodule")).toMatchObject({
      top: null,
      errors: ["design/bench-top"],
    });
  });
  it("finds benches whose work stands in generate blocks", () => {
    const inCase = "module g; generate case (1) 1: initial $finish; endcase endgenerate endmodule\n";
    expect(topOf(cell + inCase)).toMatchObject({ top: "cell_", testBenches: ["g"], errors: [] });
  });
});
