import { describe, expect, it } from "vitest";
import { TimingCompleter, typedWord } from "../src/constraints/index.ts";
import { CircuitObjects } from "../src/constraints/sdc/objects.ts";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import { elaborate } from "../src/elaborate/index.ts";

const text = `module edge_finder(input clk, input d, output reg found); reg before; always @(posedge clk) begin before <= d; found <= d & ~before; end endmodule
module m(input clk, input [3:0] thread, output [3:0] picks, output reg [3:0] hooks);
  genvar i; generate for (i = 0; i < 4; i = i + 1) begin : lane edge_finder u_edge(clk, thread[i], picks[i]); end endgenerate
  always @(posedge clk) hooks <= picks;
endmodule`;
const { artifact } = elaborate([{ name: "t.v", text }]);
const completer = new TimingCompleter(artifact!.netlist, artifact!.hierarchy);
const names = (line: string) => completer.complete(line, ["clk", "slow_clk"]).map(({ text: written }) => written);

describe("completing a line of a timing file", () => {
  it("gives what may stand there: commands, queries, clocks, and the circuit's own names", () => {
    expect(names("crea").slice(0, 2)).toEqual(["create_clock", "create_generated_clock"]);
    expect(names("set_false_path -from [get_c")).toEqual(["get_cells", "get_clocks"]);
    expect(names("set_input_delay -clock s")).toEqual(["slow_clk"]);
    expect(names("set_input_delay 2 [get_ports thr")).toEqual([0, 1, 2, 3].map((i) => `{thread[${i}]}`));
    expect(names("set_false_path -to [get_ports {clk thread[1")).toEqual(["thread[1]"]);
    expect(names("set_false_path -to [get_cells hoo")).toEqual([0, 1, 2, 3].map((i) => `{hooks[${i}]}`));
    expect(names("set_false_path -to [get_pins {hooks[2]/").sort()).toEqual([
      "hooks[2]/clk",
      "hooks[2]/d",
      "hooks[2]/q",
    ]);
    expect(names("set_false_path -to [get_cells {lane[1].u_edge.bef")).toEqual(["lane[1].u_edge.before"]);
    expect(names("set_false_path -to [get_cells nothing_like_it")).toEqual([]);
  });

  it("writes words that the language takes, each of which matches what it names", () => {
    const objects = new CircuitObjects(artifact!.netlist, artifact!.hierarchy);
    for (const query of ["get_ports", "get_cells", "get_nets", "get_pins"])
      for (const { name, text: word } of completer.complete(`set_false_path -to [${query} `, [])) {
        const { queries, findings } = readTimingFiles([{ name: "t.sdc", text: `set x [${query} ${word}]\n` }], objects);
        expect(
          findings.filter(({ severity }) => severity === "error"),
          word,
        ).toEqual([]);
        expect(queries[0]?.names, word).toContain(name);
      }
  });

  it("takes the whole name as the word that is typed", () => {
    const typed = (line: string) => typedWord.exec(line)?.[0] ?? "";
    expect(typed("get_cells lane[1].u_edge.bef")).toBe("lane[1].u_edge.bef");
    expect(typed("[get_po")).toBe("get_po");
    expect(typed("{hooks[3")).toBe("hooks[3");
    expect(typed("{hooks[3]/c")).toBe("hooks[3]/c");
    expect(typed("get_ports ")).toBe("");
  });
});
