import { describe, expect, it } from "vitest";
import { linesOf, runText } from "../helpers/simulation.ts";

/** IEEE 1364-2005 clauses 3, 4, 12, 13 and 19: declarations, hierarchy, generate constructs, directives. */
type Case = readonly [what: string, text: string, expected: readonly string[]];

const groups: Record<string, readonly Case[]> = {
  "4 declarations": [
    [
      "variables start with x, nets with z",
      'module t; reg [1:0] r; wire w; integer i; initial $display("%b %b %b", r, w, i[0]); endmodule',
      ["xx z x"],
    ],
    [
      "a start value in the declaration",
      'module t; reg [3:0] a = 5; integer i = -1; initial $display("%0d %0d", a, i); endmodule',
      ["5 -1"],
    ],
    [
      "ranges may run up, or below zero",
      "module t; reg [0:3] a; reg [2:-1] b; initial begin a = 4'b1000; b = 4'b0001; $display(\"%b %b\", a[0], b[-1]); end endmodule",
      ["1 1"],
    ],
    [
      "memories",
      'module t; reg [7:0] m [3:0]; initial begin m[3] = 9; m[0] = m[3] + 1; $display("%0d %0d %b", m[3], m[0], m[1][0]); end endmodule',
      ["9 10 x"],
    ],
    [
      "arrays of several dimensions",
      'module t; reg [3:0] m [0:1][0:2]; integer i, j; initial begin for (i = 0; i < 2; i = i + 1) for (j = 0; j < 3; j = j + 1) m[i][j] = i * 4 + j; $display("%0d %0d %b", m[1][2], m[0][1], m[1][0][2]); end endmodule',
      ["6 1 1"],
    ],
    [
      "arrays of nets and integers",
      'module t; wire [1:0] w [0:1]; integer k [0:2]; assign w[0] = 2; assign w[1] = 1; initial begin k[2] = -7; #1 $display("%0d %0d %0d", w[0], w[1], k[2]); end endmodule',
      ["2 1 -7"],
    ],
    [
      "time and realtime",
      'module t; time a; realtime b; initial begin #3 a = $time; b = $realtime; $display("%0d %0.1f", a, b); end endmodule',
      ["3 3.0"],
    ],
    [
      "signed nets and ports",
      'module t; wire signed [3:0] a = -3; wire signed [7:0] b = a; initial #1 $display("%0d", b); endmodule',
      ["-3"],
    ],
    [
      "escaped names",
      'module t; reg \\a+b ; reg \\c ; initial begin \\a+b = 1; c = 0; $display("%b%b", \\a+b , \\c ); end endmodule',
      ["10"],
    ],
    [
      "attributes are passed over",
      '(* top = 1 *) module t; (* keep, n = 3 *) reg a; initial begin a = (* fast *) 1; $display("%b", a); end endmodule',
      ["1"],
    ],
    [
      "localparam and parameter expressions",
      'module t; parameter W = 4, D = W * 2; localparam [7:0] M = {W{1\'b1}}; initial $display("%0d %0d", D, M); endmodule',
      ["8 15"],
    ],
    [
      "a parameter takes the type of its value",
      'module t; parameter P = 4\'sb1111; parameter signed [7:0] Q = 200; parameter real R = 1.5; initial $display("%0d %0d %0.1f", P, Q, R * 2); endmodule',
      ["-1 -56 3.0"],
    ],
  ],
  "12.1 instances": [
    [
      "ports by order and by name",
      'module add(input [3:0] a, b, output [3:0] s); assign s = a + b; endmodule module t; wire [3:0] x, y; add u1(3, 4, x); add u2(.s(y), .b(4\'d2), .a(x)); initial #1 $display("%0d %0d", x, y); endmodule',
      ["7 9"],
    ],
    [
      "old style headers",
      'module inv(a, y); input [1:0] a; output [1:0] y; reg [1:0] y; always @(a) y = ~a; endmodule module t; reg [1:0] a; wire [1:0] y; inv u(a, y); initial begin a = 1; #1 $display("%b", y); end endmodule',
      ["10"],
    ],
    [
      "an open port",
      'module m(input a, output y, z); assign y = a; assign z = ~a; endmodule module t; wire y; m u(.a(1\'b1), .y(y), .z()); initial #1 $display("%b", y); endmodule',
      ["1"],
    ],
    [
      "an open input floats",
      'module m(input a, output y); assign y = a; endmodule module t; wire y; m u(.y(y)); initial #1 $display("%b", y); endmodule',
      ["z"],
    ],
    [
      "parts and concatenations at ports",
      'module m(input [3:0] a, output [3:0] y); assign y = a; endmodule module t; wire [1:0] h, l; reg [7:0] v; m u(.a(v[5:2]), .y({h, l})); initial begin v = 8\'b00_1001_00; #1 $display("%b %b", h, l); end endmodule',
      ["10 01"],
    ],
    [
      "widths that differ are padded or cut",
      'module m(input [7:0] a, output [7:0] y); assign y = a; endmodule module t; wire [3:0] y; m u(.a(4\'hF), .y(y)); initial #1 $display("%b", y); endmodule',
      ["1111"],
    ],
    [
      "inout ports join nets",
      'module drv(inout b, input e, d); assign b = e ? d : 1\'bz; endmodule module t; wire b; reg e; drv u1(b, e, 1\'b1); drv u2(b, ~e, 1\'b0); initial begin e = 1; #1 $display("%b", b); e = 0; #1 $display("%b", b); end endmodule',
      ["1", "0"],
    ],
    [
      "inout ports on parts of a bus",
      'module drv(inout [1:0] b); assign b = 2\'b10; endmodule module t; wire [3:0] bus; drv u1(bus[1:0]); drv u2(bus[3:2]); initial #1 $display("%b", bus); endmodule',
      ["1010"],
    ],
    [
      "arrays of instances",
      'module inv(input a, output y); assign y = ~a; endmodule module t; reg [3:0] a; wire [3:0] y; inv u [3:0] (a, y); initial begin a = 4\'b0011; #1 $display("%b", y); end endmodule',
      ["1100"],
    ],
    [
      "port expressions in the header",
      'module m(.in(a), .out(y)); input a; output y; assign y = ~a; endmodule module t; wire y; m u(.in(1\'b0), .out(y)); initial #1 $display("%b", y); endmodule',
      ["1"],
    ],
  ],
  "12.2 parameters": [
    [
      "override by name and by order",
      'module m #(parameter A = 1, B = 2)(output [7:0] y); assign y = A * 10 + B; endmodule module t; wire [7:0] x, y, z; m u1(x); m #(3) u2(y); m #(.B(5)) u3(z); initial #1 $display("%0d %0d %0d", x, y, z); endmodule',
      ["12 32 15"],
    ],
    [
      "defparam",
      'module m; parameter P = 1; initial #1 $display("%0d", P); endmodule module t; m u(); defparam u.P = 7; endmodule',
      ["7"],
    ],
    [
      "defparam through a hierarchy",
      'module leaf; parameter P = 1; initial #1 $display("%0d", P); endmodule module mid; leaf l(); endmodule module t; mid m(); defparam m.l.P = 9; endmodule',
      ["9"],
    ],
    [
      "a localparam follows a parameter",
      'module m #(parameter W = 2); localparam M = (1 << W) - 1; initial #1 $display("%0d", M); endmodule module t; m #(5) u(); endmodule',
      ["31"],
    ],
    [
      "strings as parameters",
      'module m #(parameter NAME = "none"); initial #1 $display("%0s", NAME); endmodule module t; m #("loom") u(); endmodule',
      ["loom"],
    ],
  ],
  "12.4 generate": [
    [
      "for makes instances",
      'module t; reg [3:0] a; wire [3:0] y; genvar i; generate for (i = 0; i < 4; i = i + 1) begin : g assign y[i] = a[3 - i]; end endgenerate initial begin a = 4\'b0001; #1 $display("%b", y); end endmodule',
      ["1000"],
    ],
    [
      "nested loops",
      'module t; genvar i, j; generate for (i = 0; i < 2; i = i + 1) begin : a for (j = 0; j < 2; j = j + 1) begin : b reg [3:0] v; initial v = i * 2 + j; end end endgenerate initial #1 $display("%0d%0d%0d%0d", a[0].b[0].v, a[0].b[1].v, a[1].b[0].v, a[1].b[1].v); endmodule',
      ["0123"],
    ],
    [
      "if chooses",
      'module m #(parameter K = 0); generate if (K == 0) begin : z initial #1 $display("zero"); end else if (K == 1) initial #1 $display("one"); else initial #1 $display("more"); endgenerate endmodule module t; m u0(); m #(1) u1(); m #(2) u2(); endmodule',
      ["zero", "one", "more"],
    ],
    [
      "case chooses",
      'module m #(parameter K = 0); case (K) 0, 1: initial #1 $display("low"); default: initial #1 $display("high"); endcase endmodule module t; m #(1) a(); m #(5) b(); endmodule',
      ["low", "high"],
    ],
    [
      "unnamed blocks are genblk1 and so on",
      'module t; generate if (1) begin reg a; initial a = 1; end endgenerate initial #1 $display("%b", genblk1.a); endmodule',
      ["1"],
    ],
    [
      "recursive modules end by a parameter",
      'module tree #(parameter N = 4)(input [N-1:0] a, output y); generate if (N == 1) assign y = a[0]; else begin wire l, r; tree #(N/2) lo(a[N/2-1:0], l); tree #(N - N/2) hi(a[N-1:N/2], r); assign y = l ^ r; end endgenerate endmodule module t; wire y; tree #(7) u(7\'b1011001, y); initial #1 $display("%b", y); endmodule',
      ["0"],
    ],
    [
      "functions and tasks in generate blocks",
      'module t; genvar i; generate for (i = 1; i < 3; i = i + 1) begin : g function [7:0] f(input [7:0] a); f = a * i; endfunction end endgenerate initial $display("%0d %0d", g[1].f(5), g[2].f(5)); endmodule',
      ["5 10"],
    ],
  ],
  "12.5 hierarchical names": [
    [
      "down into instances",
      'module leaf; reg [3:0] v; initial v = 6; endmodule module mid; leaf l(); endmodule module t; mid m(); initial #1 $display("%0d", m.l.v); endmodule',
      ["6"],
    ],
    [
      "up by the module's name",
      'module leaf; initial #1 $display("%0d", t.v); endmodule module t; reg [3:0] v = 4; leaf l(); endmodule',
      ["4"],
    ],
    [
      "up by an instance's name",
      'module leaf; initial #1 $display("%0d", m.v); endmodule module mid; reg [3:0] v = 8; leaf l(); endmodule module t; mid m(); endmodule',
      ["8"],
    ],
    [
      "writing from above",
      'module leaf; reg [3:0] v; always @(v) $display("%0d", v); endmodule module t; leaf l(); initial begin #1 l.v = 3; #1 l.v = 4; end endmodule',
      ["3", "4"],
    ],
    [
      "tasks of instances",
      'module leaf; task hello(input integer n); $display("hello %0d", n); endtask endmodule module t; leaf l(); initial l.hello(3); endmodule',
      ["hello 3"],
    ],
    [
      "events of instances",
      'module leaf; event e; endmodule module t; leaf l(); initial #2 -> l.e; always @(l.e) $display("%0d", $time); endmodule',
      ["2"],
    ],
  ],
  "19 directives": [
    [
      "define with arguments",
      '`define MAX(a, b) ((a) > (b) ? (a) : (b))\nmodule t; initial $display("%0d", `MAX(3, 2 + 5)); endmodule',
      ["7"],
    ],
    [
      "defaults of arguments",
      '`define INC(a, by = 1) (a + by)\nmodule t; initial $display("%0d %0d", `INC(3), `INC(3, 4)); endmodule',
      ["4 7"],
    ],
    [
      "macros in macros",
      '`define A 5\n`define B (`A + 1)\nmodule t; initial $display("%0d", `B * 2); endmodule',
      ["12"],
    ],
    [
      "continued lines",
      '`define SHOW(x) \\\n  $display("%0d", x); \\\n  $display("end");\nmodule t; initial begin `SHOW(4) end endmodule',
      ["4", "end"],
    ],
    [
      "joining and quoting",
      '`define REG(n) reg_``n\n`define STR(x) `"x`"\nmodule t; reg [3:0] reg_a; initial begin `REG(a) = 3; $display(`STR(n=%0d), reg_a); end endmodule',
      ["n=3"],
    ],
    [
      "ifdef, elsif, else",
      '`define B\nmodule t; initial begin\n`ifdef A\n$display("a");\n`elsif B\n$display("b");\n`else\n$display("c");\n`endif\n`ifndef A\n$display("no a");\n`endif\nend endmodule',
      ["b", "no a"],
    ],
    [
      "nested conditions that are off stay off",
      '`ifdef NONE\n`ifdef OTHER\n`else\nsyntax error here\n`endif\n`endif\nmodule t; initial $display("ok"); endmodule',
      ["ok"],
    ],
    [
      "undef",
      '`define A 1\n`undef A\nmodule t; initial begin\n`ifdef A\n$display("a");\n`endif\n$display("end"); end endmodule',
      ["end"],
    ],
    ["a comment in a macro", '`define N 5 // five\nmodule t; initial $display("%0d", `N); endmodule', ["5"]],
    [
      "timescales scale delays",
      '`timescale 1ns/1ps\nmodule a; initial #2 $display("%0d", $time); endmodule\n`timescale 100ps/1ps\nmodule t; a u(); initial begin #15 $display("%0d", $time); #10 $display("%0d", $time); end endmodule',
      ["15", "2", "25"],
    ],
    [
      "delays round to the precision",
      '`timescale 1ns/100ps\nmodule t; initial begin #1.26 $display("%0.2f", $realtime); end endmodule',
      ["1.30"],
    ],
    ["line and file", 'module t; initial $display("%0d", `__LINE__); endmodule', ["1"]],
  ],
};

for (const [clause, cases] of Object.entries(groups)) {
  describe(`IEEE 1364-2005 clause ${clause}`, () => {
    for (const [what, text, expected] of cases)
      it(what, () => expect(linesOf(text, { top: "t" }, "t.v")).toEqual(expected));
  });
}

describe("several files", () => {
  it("include one another, by the name beside the file or by its base name", () => {
    const files = [
      {
        name: "rtl/top.v",
        text: '`include "defs.vh"\nmodule t; initial $display("%0d", `WIDTH); `include "body.vh"\nendmodule',
      },
      { name: "rtl/defs.vh", text: "`define WIDTH 12\n" },
      { name: "inc/body.vh", text: 'initial #1 $display("body");' },
    ];
    expect(linesOf(files)).toEqual(["12", "body"]);
  });
  it("share macros in their order", () => {
    const files = [
      { name: "a.v", text: "`define N 3\nmodule a; endmodule" },
      { name: "t.v", text: 'module t; initial $display("%0d", `N); endmodule' },
    ];
    expect(linesOf(files, { top: "t" })).toEqual(["3"]);
  });
  it("reads words of SystemVerilog as names in a .v file that uses none of its constructs", () => {
    const text =
      'module t; reg bit, byte, logic2, int, do, final, string; initial begin bit = 1; do = 0; $display("%b%b", bit, do); end endmodule';
    expect(linesOf(text, {}, "t.v")).toEqual(["10"]);
    expect(runText(text, {}, "t.sv").end).toBe("errors");
    expect(linesOf('module t; logic a; always_comb a = 1; initial #1 $display("%b", a); endmodule', {}, "t.v")).toEqual(
      ["1"],
    );
  });
});
