import { describe, expect, it } from "vitest";
import { linesOf, runText } from "../helpers/simulation.ts";
import { verilogAsCircuit } from "../helpers/verilog-circuit.ts";

/** What people write every day, by hand from the clauses of IEEE 1800-2017. */
const cases: readonly (readonly [what: string, text: string, expected: readonly string[]])[] = [
  [
    "constant functions run what they call, each other too",
    `module t; function [20:0] ex(input integer d); case (d) 3: ex = {7'd1,7'd0,7'd0}; default: ex = {7'd9,7'd8,7'd6}; endcase endfunction
function [65:0] t2(input integer d); reg [20:0] x; begin x = ex(d); t2 = x; end endfunction
function automatic integer ev(input integer n); ev = (n == 0) ? 1 : od(n - 1); endfunction function automatic integer od(input integer n); od = (n == 0) ? 0 : ev(n - 1); endfunction
localparam [65:0] B = t2(3); localparam integer E = ev(5), O = od(7);
initial begin $display("%h", B); $display("%h", t2(3)); $display("%0d %0d", E, O); end endmodule`,
    ["00000000000004000", "00000000000004000", "0 1"],
  ],
  [
    "also in packages",
    'package p; function automatic int f(int n); return g(n) + 1; endfunction function automatic int g(int n); if (n < 2) return n; return g(n - 1) + g(n - 2); endfunction localparam int K = f(10); endpackage module t; import p::*; localparam int J = f(7); initial $display("%0d %0d %0d", K, J, p::g(9)); endmodule',
    ["56 14 34"],
  ],
  [
    "system functions, array copies and named blocks within them",
    `module t; function automatic integer f(input integer n); return $clog2(n) + $rtoi($sin(1.5) * 100) + $countones(n) + $onehot(n) + $bits(n); endfunction
function automatic integer g(input integer n); integer a[4]; integer b[4]; integer i; begin for (i = 0; i < 4; i = i + 1) a[i] = i * n; b = a; begin : blk for (i = 0; i < 4; i = i + 1) if (b[i] > 5) disable blk; end g = b[3] * 10 + i; end endfunction
localparam A = f(12), C = g(3); localparam real R = $pow(2.0, 0.5); initial begin $display("%0d %0d", A, f(12)); $display("%0d %0d", C, g(3)); $display("%f", R); end endmodule`,
    ["137 137", "92 92", "1.414214"],
  ],
  [
    "inside with arrays, constant and variable",
    'module t; localparam int a[4] = \'{1, 3, 5, 7}; int v[3] = \'{2, 4, 6}; logic [3:0] q = 3; localparam bit Z = 5 inside {a}; initial begin $display("%0d %0d %0d %0d %0d", q inside {a}, 4 inside {a}, q inside {v}, 6 inside {v, 9}, Z); case (q) inside a: $display("hit"); default: $display("miss"); endcase end endmodule',
    ["1 0 0 1 1", "hit"],
  ],
  [
    "parameters that say only their sign",
    "module t; parameter signed D = 8'hF0; parameter unsigned E = 8'shF0; localparam signed G = 4'b1000; initial $display(\"%0d %0d %0d %0d\", D, E, G, D >>> 2); endmodule",
    ["-16 240 -8 -4"],
  ],
  [
    "members with start values of their own",
    'module t; typedef struct { int a = 7; int b = 3; string n = "hi"; logic [3:0] d; } u; typedef struct { u x; bit y = 1; } w; u y; w z; function automatic int f(); u l; return l.a * 10 + l.b; endfunction initial $display("%0d %0d %s %b %0d %0d %0d", y.a, y.b, y.n, y.d, z.x.a, z.y, f()); endmodule',
    ["7 3 hi xxxx 7 1 73"],
  ],
  [
    "start values in the order of the text",
    'module t; int a = 5; int b = a + 1; int c = b * 2; int l[2] = \'{c, b}; logic [7:0] d = c + l[0]; initial $display("%0d %0d %0d %0d %0d", a, b, c, l[1], d); endmodule',
    ["5 6 12 6 24"],
  ],
  [
    "parts that are repeated no times",
    "module t; parameter W = 8; wire [7:0] a = 8'h5a; wire [7:0] y = {{(W-8){1'b0}}, a}; localparam [7:0] k = {{(W-8){1'b1}}, 8'h3c}; initial #1 $display(\"%h %h %0d\", y, k, $bits({{0{1'b1}}, 4'h3})); endmodule",
    ["5a 3c 4"],
  ],
  [
    "macros in their own arguments",
    '`define MAX(a,b) ((a) > (b) ? (a) : (b))\n`define TWICE(x) `MAX(x, x)\nmodule t; initial $display("%0d %0d %0d", `MAX(`MAX(3,7),5), `MAX(1,`MAX(2,`MAX(9,4))), `TWICE(`TWICE(`MAX(2,6)))); endmodule',
    ["7 9 6"],
  ],
  [
    "bits of packed structs",
    'module t; typedef struct packed { logic [3:0] a; logic [3:0] b; } s; s x; initial begin x = 8\'hA5; $display("%h %h %b %h", x[7:4], x[3:0], x[0], x[5 -: 4]); x[3:0] = 4\'hC; x[7] = 0; $display("%h %h", x, x.a); end endmodule',
    ["a 5 1 9", "2c 2"],
  ],
  [
    "enumerations from a negative value on",
    'module t; typedef enum int { A = -2, B, C, D = 5, E } e; e x = A; initial begin $display("%0d %0d %0d %0d %s", A, B, C, E, x.name()); x = x.next(); x = e\'(6); $display("%s", x.name()); end endmodule',
    ["-2 -1 0 6 A", "E"],
  ],
  [
    "packages that export what they import",
    'package a; localparam K = 3; endpackage package b; import a::*; export a::*; localparam J = K + 1; endpackage package c; import a::K; export a::K; endpackage package d; import b::*; export *::*; endpackage module t; import d::*; initial $display("%0d %0d %0d", K, J, c::K); endmodule',
    ["3 4 3"],
  ],
  [
    "parameters that are arrays of strings and reals",
    'module m #(parameter string N[2] = \'{"one", "two"}, parameter real R[2] = \'{0.5, 1.5}) (); localparam string S = N[1]; initial $display("%s %s %0.1f", N[0], S, R[1]); endmodule module t; m a(); m #(.N(\'{"x", "yy"})) b(); endmodule',
    ["one two 1.5", "x yy 1.5"],
  ],
  [
    "assignments that wait, made in their order",
    'module t; logic [7:0] r = 57, q = 3; logic [1:0] i = 2; logic clk = 0; always @(posedge clk) begin r[i +: 5] <= 5\'h1f; r <= 1; end initial begin r[i] <= 1; r <= 0; q <= 8\'hff; q[i +: 3] <= 0; q[7] <= 0; #1 $display("%b %b", r, q); clk = 1; #1 $display("%b", r); q <= #5 1; #5 q <= 2; #1 $display("%0d", q); end endmodule',
    ["00000000 01100011", "00000001", "2"],
  ],
  [
    "arguments that go in and out take the width of their own",
    'module t; task automatic g(inout [2:0] io, input signed [3:0] s, output [5:0] o); o = io + s; io = io + 1; endtask logic [7:0] a = 8\'d205; logic signed [7:0] b; initial begin g(a, -1, b); $display("%0d %0d", a, b); end endmodule',
    ["6 20"],
  ],
];

describe("SystemVerilog of every day", () => {
  for (const [what, text, expected] of cases)
    it(what, () => {
      expect(linesOf(text, { top: "t" }).sort()).toEqual([...expected].sort());
    });
  it("a whole number is no value of an enumeration", () => {
    const told = (body: string) =>
      runText(`module t; typedef enum { A, B, C } e; e x, y; int i; initial begin ${body} end endmodule`, {
        top: "t",
      }).findings.filter((finding) => finding.includes("enum-value")).length;
    expect(told("x = 1;")).toBe(1);
    expect(told("x = i;")).toBe(1);
    expect(told("x++;")).toBe(1);
    expect(told("x = i ? A : B; y = x; x = e'(i); x = y.next();")).toBe(0);
  });
});

describe("loops and calls in synthesis", () => {
  const dut = (body: string, extra = "") => {
    const text = `module dut(input [7:0] x0, input [3:0] x1, output logic [7:0] y0);\n${extra}\nalways_comb begin : p\n${body}\nend\nendmodule\n`;
    return verilogAsCircuit(text, {
      entity: "dut",
      inputs: [
        { name: "x0", width: 8 },
        { name: "x1", width: 4 },
      ],
      outputs: [{ name: "y0", width: 8 }],
      cycles: 40,
    });
  };
  it("a variable that counts the turns keeps its value where the loop was left", () => {
    expect(
      dut("int i; i = 0; y0 = 0; while (i < 8) begin if (x0[i]) break; y0 = y0 + 1; i = i + 1; end y0 = y0 + i * 16;"),
    ).toBe(320);
    expect(
      dut(
        "int i; y0 = 0; for (i = 0; i < 8; i = i + 1) begin if (x0[i]) break; if (x1[i & 3]) continue; y0 = y0 + 1; end y0 = y0 + i * 16;",
      ),
    ).toBe(320);
    expect(
      dut("int n; n = 0; y0 = 1; forever begin if (n >= 5) break; n = n + 2; y0 = y0 + x0; if (x1[n[1:0]]) break; end"),
    ).toBe(320);
  });
  it("recursion may end by a choice", () => {
    const f =
      "function automatic [7:0] f(input [7:0] x, input integer n); f = (n == 0) ? x : f({x[6:0], x[7]} ^ n, n - 1); endfunction\nfunction automatic integer g(input integer n); g = n > 0 && g(n - 1) > 2 ? 7 : n + 1; endfunction";
    expect(dut("y0 = f(x0, 3) + g(4);", f)).toBe(320);
  });
  it("arguments that go in and out have widths of their own", () => {
    const task =
      "task automatic g(input [2:0] i, output logic [1:0] o, inout logic [2:0] io); o = i; io = io + i; endtask";
    expect(dut("logic [4:0] t; logic [5:0] v; t = x0; v = x1; g(x0[5:3], v, t); y0 = {t, v[2:0]};", task)).toBe(320);
  });
});
