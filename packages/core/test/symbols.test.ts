import { describe, expect, it } from "vitest";
import { SymbolIndex } from "../src/elaborate/index.ts";

const leaf = `module leaf #(parameter W = 4) (input clk, input [W-1:0] warp, output reg [W-1:0] weft);
  localparam LAST = W - 1;
  function [W-1:0] turn(input [W-1:0] warp);
    turn = {warp[0], warp[LAST:1]};
  endfunction
  always @(posedge clk) weft <= turn(warp);
endmodule
`;
const top = `module top(input clk, input [7:0] a, output [7:0] y, z);
  wire [7:0] warp = a;
  leaf #(.W(8)) u1 (.clk(clk), .warp(warp), .weft(y));
  leaf #(.W(8)) u2 (.clk(clk), .warp(y), .weft(z));
  wire last = u1.weft[0]; // warp in a comment
endmodule
`;
const files = [
  { name: "leaf.v", text: leaf },
  { name: "top.v", text: top },
];
const index = new SymbolIndex(files);
const at = (file: string, find: string, nth = 0) => {
  const { text } = files.find((each) => each.name === file)!;
  let from = -1;
  for (let i = 0; i <= nth; i++) from = text.indexOf(find, from + 1);
  return index.at(file, from);
};
const spots = (entry: ReturnType<typeof at>) => entry?.uses.map((use) => `${use.file}:${use.line}:${use.column}`);

describe("names of a design", () => {
  it("lead to their declaration, from other files too", () => {
    expect(at("top.v", "leaf")).toMatchObject({ kind: "module", spot: { file: "leaf.v", line: 1, column: 8 } });
    expect(at("top.v", ".weft(y)".slice(1))).toMatchObject({
      kind: "output",
      within: "leaf",
      spot: { file: "leaf.v", line: 1 },
    });
    expect(at("top.v", "u1.weft".slice(3), 2)).toMatchObject({ within: "leaf" });
  });
  it("keep a port, a local net and an argument of one name apart", () => {
    expect(spots(at("top.v", "warp"))).toEqual(["top.v:2:14", "top.v:3:38"]);
    expect(spots(at("leaf.v", "warp"))).toEqual(["leaf.v:1:58", "leaf.v:6:38", "top.v:3:33", "top.v:4:33"]);
    expect(spots(at("leaf.v", "warp", 1))).toEqual(["leaf.v:3:39", "leaf.v:4:13", "leaf.v:4:22"]);
  });
  it("tell type, width and value as elaborated", () => {
    expect(at("leaf.v", "weft")?.detail).toBe("logic [7:0], 8 bits");
    expect(at("leaf.v", "LAST")?.detail).toBe("= 7");
    expect(at("top.v", "last")?.detail).toBe("logic, 1 bit");
  });
  it("complete: what is in sight, or the ports behind a dot", () => {
    const names = (file: string, offset: number) => index.complete(file, offset).map((entry) => entry.name);
    const inTop = names("top.v", top.indexOf("wire last"));
    expect(inTop).toEqual(expect.arrayContaining(["clk", "a", "y", "z", "warp", "u1", "u2", "leaf", "top"]));
    expect(inTop).not.toContain("weft");
    expect(names("top.v", top.indexOf(".warp(warp)") + 1)).toEqual(["W", "clk", "warp", "weft"]);
    expect(names("top.v", top.indexOf("u1.weft") + 3)).toContain("weft");
  });
  it("renamed at every use give a design that still elaborates to the same", () => {
    const entry = at("leaf.v", "warp")!;
    const renamed = files.map((file) => {
      let { text } = file;
      for (const use of [...entry.uses].filter((each) => each.file === file.name).sort((x, y) => y.start - x.start))
        text = `${text.slice(0, use.start)}thread${text.slice(use.end)}`;
      return { ...file, text };
    });
    expect(renamed[1].text).toContain(".thread(warp)");
    const again = new SymbolIndex(renamed);
    expect(again.at("leaf.v", renamed[0].text.indexOf("thread"))?.uses).toHaveLength(entry.uses.length);
  });
  it("make a template of an instance", () => {
    expect(index.instanceTemplate("leaf")).toBe(
      "leaf #(\n  .W(W)\n) leaf_1 (\n  .clk(clk),\n  .warp(warp),\n  .weft(weft)\n);\n",
    );
  });
  it("know the blocks of the part, without a file of theirs to go to", () => {
    const text = "module m(input clk, output y);\n  clock_block u1 (.clock_in(clk), .clock_a(y));\nendmodule\n";
    const own = new SymbolIndex([{ name: "m.v", text }]);
    const entry = own.at("m.v", text.indexOf("clock_block"))!;
    expect([entry.isLibrary, entry.kind]).toEqual([true, "module"]);
    expect(entry.detail).toMatch(/^Two clocks that keep a ratio/);
    expect(entry.uses.map((use) => [use.file, use.line])).toEqual([["m.v", 2]]);
    const behindDot = own.complete("m.v", text.indexOf(".clock_in") + 1).map(({ name }) => name);
    expect(behindDot).toEqual(expect.arrayContaining(["clock_in", "clock_a", "clock_b", "locked"]));
    expect(own.complete("m.v", text.indexOf("clock_block")).map(({ name }) => name)).toContain("serial_lane");
    expect(own.instanceTemplate("clock_switch")).toMatch(/clock_switch clock_switch_1 \(\n {2}\.clock_0\(clock_0\)/);
    // one that the design declares itself is its own
    const mine = "module clock_block(input clock_in, output clock_a); assign clock_a = clock_in; endmodule\n";
    const declared = new SymbolIndex([{ name: "m.v", text: text + mine }]);
    expect(declared.at("m.v", text.indexOf("clock_block"))!.isLibrary).toBe(false);
  });

  it("of members and methods are kept apart from variables of the same name", () => {
    const text = `package p;
  typedef struct packed { logic valid; logic [3:0] data; } word_t;
  typedef word_t alias_t;
endpackage
class item;
  int count; static int made; item next;
  function new(int count = 0); this.count = count; made++; endfunction
  extern function int total();
endclass
function int item::total(); return count + (next == null ? 0 : next.count); endfunction
class wide extends item;
  int data;
  function int total(); return super.total() + count + data; endfunction
endclass
module m(input logic valid, output logic [3:0] data);
  import p::*;
  alias_t w; word_t rows [2]; struct { logic valid; } one; wide h; int count;
  let twice(count) = count * 2;
  assign w = '{valid: valid, data: 4'd3};
  assign data = w.data + rows[w.valid].data + one.valid;
  initial begin
    h = new; h.count = count + twice(3); h.next = h; h.next.count = item::made; count = h.total();
    rows[0] = '{valid: 1, default: 0};
  end
endmodule
`;
    const own = new SymbolIndex([{ name: "m.sv", text }]);
    const find = (before: string, name: string) => own.at("m.sv", text.indexOf(before) + before.length)!.name === name;
    const lines = (before: string, name: string) => {
      expect(find(before, name)).toBe(true);
      return own.at("m.sv", text.indexOf(before) + before.length)!.uses.map(({ line }) => line);
    };
    // of the struct, of the struct without a name, and the port
    expect(lines("packed { logic ", "valid")).toEqual([2, 20]);
    expect(lines("struct { logic ", "valid")).toEqual([17, 20]);
    expect(lines("input logic ", "valid")).toEqual([15, 19]);
    expect(lines("logic valid; logic [3:0] ", "data")).toEqual([2, 20, 20]);
    // of the class, through objects of a class that extends it too; the argument; the variable
    expect(lines("class item;\n  int ", "count")).toEqual([6, 7, 10, 10, 13, 22, 22]);
    expect(lines("new(int ", "count")).toEqual([7, 7]);
    expect(lines("wide h; int ", "count")).toEqual([17, 22, 22]);
    expect(lines("twice(", "count")).toEqual([18, 18]);
    expect(lines("static int ", "made")).toEqual([6, 7, 22]);
    expect(lines("class wide extends item;\n  int ", "data")).toEqual([12, 13]);
    expect(lines("extends ", "item")).toEqual([5, 6, 10, 11, 22]);
    // keys of patterns are not told apart: a rename says so
    expect(own.at("m.sv", text.indexOf("valid; logic"))?.mayHaveMore).toBe(true);
    expect(own.at("m.sv", text.indexOf("count; static"))?.mayHaveMore).toBeUndefined();
    expect(own.complete("m.sv", text.indexOf("h.count") + 2).map(({ name }) => name)).toEqual(
      expect.arrayContaining(["data", "total", "count", "next", "made"]),
    );
    const handles = `interface bus_if; logic ready; endinterface
class driver; virtual bus_if vif; function bit ok(); return vif.ready; endfunction endclass
module t; typedef virtual bus_if vt; vt v; bus_if b(); logic ready; driver d; assign ready = v.ready & b.ready;
  initial d.vif.ready = 1; endmodule
`;
    const led = new SymbolIndex([{ name: "h.sv", text: handles }]);
    expect(led.at("h.sv", handles.indexOf("ready"))?.uses.map(({ line }) => line)).toEqual([1, 2, 3, 3, 4]);
    expect(led.complete("h.sv", handles.indexOf("v.ready &") + 2).map(({ name }) => name)).toEqual(["ready"]);
    for (let cut = 0; cut < text.length; cut += 5)
      expect(() => new SymbolIndex([{ name: "m.sv", text: text.slice(0, cut) }])).not.toThrow();
  });
  it("survive text that is half written", () => {
    for (let cut = 0; cut < top.length; cut += 7)
      expect(() => new SymbolIndex([files[0], { name: "top.v", text: top.slice(0, cut) }])).not.toThrow();
  });
});
