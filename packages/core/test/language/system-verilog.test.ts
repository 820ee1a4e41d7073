import { describe, expect, it } from "vitest";
import { linesOf, opinions, runText } from "../helpers/simulation.ts";

/** IEEE 1800-2017: what designs and test benches use of it. Expectations worked out by hand from the clauses. */
type Case = readonly [what: string, text: string, expected: readonly string[]];

const groups: Record<string, readonly Case[]> = {
  "6 data types": [
    [
      "two-state types start with 0 and turn x into 0",
      'module t; int i; bit [3:0] b; byte c; initial begin $display("%0d %b %0d", i, b, c); b = 4\'b1xz1; $display("%b", b); end endmodule',
      ["0 0000 0", "1001"],
    ],
    [
      "sizes and signs",
      'module t; byte b; shortint s; int i; longint l; logic [3:0] v; initial begin b = 200; s = 40000; i = 32\'hFFFF_FFFF; l = -1; v = -1; $display("%0d %0d %0d %0d %0d", b, s, i, l, v); end endmodule',
      ["-56 -25536 -1 -1 15"],
    ],
    [
      "unsigned versions",
      'module t; byte unsigned b; int unsigned i; initial begin b = -1; i = -1; $display("%0d %0d", b, i); end endmodule',
      ["255 4294967295"],
    ],
    [
      "logic is a variable or is driven",
      'module t; logic a, b; assign a = b; initial begin b = 1; #1 $display("%b", a); end endmodule',
      ["1"],
    ],
    [
      "fills",
      "module t; logic [6:0] a, b, c, d; initial begin a = '0; b = '1; c = 'x; d = 'z; $display(\"%b %b %b %b\", a, b, c, d); end endmodule",
      ["0000000 1111111 xxxxxxx zzzzzzz"],
    ],
    [
      "fills take the size of their context",
      "module t; logic [3:0] a; initial begin a = 5; $display(\"%b %b\", a == '1, (a | '1)); end endmodule",
      ["0 1111"],
    ],
    [
      "typedefs",
      'module t; typedef logic [7:0] byte_t; typedef byte_t pair_t [2]; pair_t p; initial begin p[0] = 3; p[1] = p[0] + 1; $display("%0d %0d", p[0], p[1]); end endmodule',
      ["3 4"],
    ],
    [
      "strings",
      'module t; string s, u; initial begin s = "loom"; u = {s, "-", "hall"}; $display("%s %0d %s %s", u, u.len(), u.toupper(), u.substr(0, 3)); $display("%b %b", s == "loom", s < "moon"); end endmodule',
      ["loom-hall 9 LOOM-HALL loom", "1 1"],
    ],
    [
      "string methods",
      'module t; string s; initial begin s = "12ab"; $display("%0d %c %0d", s.atoi(), s.getc(2), s.compare("12ab")); s.itoa(77); $display("%s", s); s.putc(0, "9"); $display("%s", s); end endmodule',
      ["12 a 0", "77", "97"],
    ],
    ["const", 'module t; const int N = 5; initial $display("%0d", N); endmodule', ["5"]],
    [
      "casts",
      'module t; int i; initial begin i = int\'(3.7); $display("%0d", i); $display("%0d", 4\'(8\'hFF)); $display("%0d", signed\'(4\'b1111)); $display("%0d", byte\'(300)); end endmodule',
      ["4", "15", "-1", "44"],
    ],
    [
      "casts to a parameter's size and a type",
      "module t; parameter W = 4; typedef logic signed [3:0] s_t; initial begin $display(\"%b\", W'(8'hA5)); $display(\"%0d\", s_t'(4'hF)); end endmodule",
      ["0101", "-1"],
    ],
    [
      "$bits, $size and kin",
      'module t; logic [7:0][3:0] p; int a [2][5]; initial begin $display("%0d %0d %0d", $bits(p), $size(p), $size(a, 2)); $display("%0d %0d %0d %0d", $left(a, 1), $high(a, 2), $dimensions(a), $bits(int)); end endmodule',
      ["32 8 5", "0 4 3 32"],
    ],
    [
      "type parameters",
      'module m #(type T = byte); T v; initial begin v = -1; #1 $display("%0d %0d", v, $bits(T)); end endmodule module t; m u1(); m #(logic [11:0]) u2(); endmodule',
      ["-1 8", "4095 12"],
    ],
  ],
  "6.19 enumerations": [
    [
      "count up from 0 or from a value",
      'module t; typedef enum {A, B = 5, C} e_t; initial $display("%0d %0d %0d", A, B, C); endmodule',
      ["0 5 6"],
    ],
    [
      "methods",
      'module t; typedef enum logic [1:0] {IDLE, RUN, HALT} s_t; s_t s; initial begin s = s.first(); $display("%s", s.name()); s = s.next(); $display("%s %0d", s.name(), s.num()); s = s.last(); $display("%s", s.name); s = s.next(); $display("%s", s.name()); s = s.prev(); $display("%s", s.name()); end endmodule',
      ["IDLE", "RUN 3", "HALT", "IDLE", "HALT"],
    ],
    [
      "a value outside has no name",
      'module t; typedef enum logic [1:0] {A, B} e; e v; initial begin v = e\'(3); $display("[%s] %0d", v.name(), v); end endmodule',
      ["[] 3"],
    ],
    [
      "names by number",
      'module t; enum {S[3], T[2:3]} v; initial $display("%0d %0d %0d", S2, T2, T3); endmodule',
      ["2 3 4"],
    ],
    [
      "in a case",
      'module t; typedef enum logic [1:0] {A, B, C} e; e v; initial begin v = B; case (v) A: $display("a"); B: $display("b"); default: $display("c"); endcase end endmodule',
      ["b"],
    ],
  ],
  "7 aggregates": [
    [
      "packed structs",
      'module t; typedef struct packed { logic [3:0] op; logic [7:0] data; } w_t; w_t w; initial begin w.op = 4\'hA; w.data = 8\'h5C; $display("%h", w); w = 12\'h123; $display("%h %h", w.op, w.data); end endmodule',
      ["a5c", "1 23"],
    ],
    [
      "nested members and parts of them",
      'module t; typedef struct packed { logic [3:0] a; struct packed { logic x; logic [2:0] y; } b; } s_t; s_t s; initial begin s = 0; s.b.y = 5; s.b.x = 1; s.a[2] = 1; $display("%b", s); end endmodule',
      ["01001101"],
    ],
    [
      "packed unions",
      'module t; typedef union packed { logic [15:0] w; struct packed { logic [7:0] h; logic [7:0] l; } b; } u_t; u_t u; initial begin u.w = 16\'hBEEF; $display("%h %h", u.b.h, u.b.l); u.b.l = 0; $display("%h", u.w); end endmodule',
      ["be ef", "be00"],
    ],
    [
      "unpacked structs",
      'module t; typedef struct { int n; logic [3:0] v; } s_t; s_t a, b; initial begin a.n = -3; a.v = 9; b = a; b.n = b.n + 1; $display("%0d %0d %0d", a.n, b.n, b.v); end endmodule',
      ["-3 -2 9"],
    ],
    [
      "assignment patterns",
      "module t; typedef struct packed { logic [3:0] a; logic [3:0] b; } s_t; s_t s; initial begin s = '{4'h1, 4'h2}; $display(\"%h\", s); s = '{b: 4'h7, a: 4'h3}; $display(\"%h\", s); s = '{default: 4'hE}; $display(\"%h\", s); end endmodule",
      ["12", "37", "ee"],
    ],
    [
      "patterns for arrays",
      'module t; int a [3]; int b [0:3]; initial begin a = \'{1, 2, 3}; b = \'{default: 7}; b[1] = a[2]; $display("%0d %0d %0d %0d", a[0], a[2], b[0], b[1]); b = \'{2{4, 5}}; $display("%0d %0d", b[2], b[3]); end endmodule',
      ["1 3 7 3", "4 5"],
    ],
    [
      "arrays of arrays",
      "module t; int m [2][2]; initial begin m = '{'{1, 2}, '{3, 4}}; $display(\"%0d %0d\", m[0][1], m[1][0]); end endmodule",
      ["2 3"],
    ],
    [
      "whole arrays are copied and compared",
      'module t; logic [7:0] a [4], b [4]; initial begin a = \'{1, 2, 3, 4}; b = a; $display("%b", a == b); b[3] = 9; $display("%b %0d", a == b, a[3]); end endmodule',
      ["1", "0 4"],
    ],
    [
      "packed arrays of several dimensions",
      'module t; logic [3:0][7:0] p; initial begin p = 32\'h11223344; $display("%h %h %h", p[0], p[3], p[2:1]); p[1] = 8\'hFF; p[2][3:0] = 0; $display("%h", p); end endmodule',
      ["44 11 2233", "1120ff44"],
    ],
    [
      "an index at run time into a packed array",
      'module t; logic [3:0][7:0] p; int i; initial begin p = 32\'h11223344; for (i = 0; i < 5; i++) $write("%h ", p[i]); $write("\\n"); p[i - 3] = 8\'hAA; $display("%h", p); end endmodule',
      ["44 33 22 11 xx ", "11aa3344"],
    ],
    [
      "arrays of structs",
      'module t; typedef struct packed { logic v; logic [2:0] n; } e_t; e_t q [4]; initial begin q[2].v = 1; q[2].n = 5; $display("%b %0d", q[2], q[2].n); end endmodule',
      ["1101 5"],
    ],
    [
      "foreach",
      'module t; int a [2][3]; int s; initial begin foreach (a[i, j]) a[i][j] = i * 10 + j; s = 0; foreach (a[i]) foreach (a[, j]) s += a[i][j]; $display("%0d %0d", a[1][2], s); end endmodule',
      ["12 36"],
    ],
    [
      "sums of arrays",
      'module t; int a [4]; initial begin a = \'{1, 2, 3, 4}; $display("%0d %0d", a.sum(), a.product()); end endmodule',
      ["10 24"],
    ],
  ],
  "9 processes": [
    [
      "always_comb runs at time 0",
      'module t; logic y; always_comb y = 1; initial #1 $display("%b", y); endmodule',
      ["1"],
    ],
    [
      "always_comb follows functions",
      'module t; logic a, y; function logic f(); return ~a; endfunction always_comb y = f(); initial begin a = 0; #1 $display("%b", y); a = 1; #1 $display("%b", y); end endmodule',
      ["1", "0"],
    ],
    [
      "always_ff and always_latch",
      'module t; logic c = 0, d, q, e, l; always_ff @(posedge c) q <= d; always_latch if (e) l = d; initial begin d = 1; e = 0; #1 c = 1; e = 1; #1 d = 0; e = 0; #1 $display("%b%b", q, l); end endmodule',
      ["11"],
    ],
    ["final blocks", 'module t; initial #5 $finish; final $display("bye %0d", $time); endmodule', ["bye 5"]],
    [
      "join_any",
      'module t; initial begin fork #3 $display("3"); #1 $display("1"); join_any $display("any %0d", $time); end endmodule',
      ["1", "any 1", "3"],
    ],
    [
      "join_none",
      'module t; initial begin fork $display("child"); join_none $display("parent"); end endmodule',
      ["parent", "child"],
    ],
    [
      "wait fork and disable fork",
      'module t; initial begin fork #2 $display("a"); #5 $display("b"); join_none wait fork; $display("%0d", $time); fork #2 $display("c"); #9 $display("d"); join_any disable fork; #20 $display("end"); end endmodule',
      ["a", "b", "5", "c", "end"],
    ],
    [
      "loops fork with variables of their own",
      'module t; initial begin for (int i = 0; i < 3; i++) fork automatic int k = i; #k $display("%0d", k); join_none end endmodule',
      ["0", "1", "2"],
    ],
    [
      "an edge of either kind",
      'module t; logic c = 0; int n = 0; always @(edge c) n++; initial begin #1 c = 1; #1 c = 0; #1 $display("%0d", n); end endmodule',
      ["2"],
    ],
    [
      "iff guards an event",
      'module t; logic c = 0, e = 0; int n = 0; always @(posedge c iff e) n++; initial begin repeat (4) begin #1 c = 1; #1 c = 0; e = ~e; end $display("%0d", n); end endmodule',
      ["2"],
    ],
  ],
  "11 and 12 operators and statements": [
    [
      "compound assignments",
      'module t; int a; initial begin a = 10; a += 5; a -= 3; a *= 2; a /= 5; a <<= 3; a |= 1; a ^= 3; a %= 32; $display("%0d", a); end endmodule',
      ["2"],
    ],
    [
      "steps",
      'module t; int a, b; initial begin a = 5; b = a++; $display("%0d %0d", a, b); b = ++a; $display("%0d %0d", a, b); a--; --a; $display("%0d", a); end endmodule',
      ["6 5", "7 7", "5"],
    ],
    [
      "break, continue, return",
      'module t; function int f(int n); for (int i = 0; i < 100; i++) begin if (i == n) return i * 2; end return -1; endfunction initial begin for (int i = 0; i < 10; i++) begin if (i == 1) continue; if (i == 4) break; $write("%0d ", i); end $write("\\n"); $display("%0d %0d", f(7), f(200)); end endmodule',
      ["0 2 3 ", "14 -1"],
    ],
    [
      "do while",
      'module t; int i; initial begin i = 10; do i++; while (i < 5); $display("%0d", i); end endmodule',
      ["11"],
    ],
    [
      "several loop variables",
      'module t; initial for (int i = 0, j = 10; i < j; i += 3, j--) $write("%0d/%0d ", i, j); final $write("\\n"); endmodule',
      ["0/10 3/9 6/8 "],
    ],
    [
      "inside",
      'module t; logic [3:0] a; initial begin a = 6; $display("%b %b %b", a inside {1, [5:7]}, a inside {[0:3], 9}, a inside {4\'b01?0}); end endmodule',
      ["1 0 1"],
    ],
    [
      "case inside",
      'module t; logic [7:0] a; initial begin a = 42; case (a) inside [0:9]: $display("low"); [40:49], 99: $display("forty"); default: $display("other"); endcase end endmodule',
      ["forty"],
    ],
    [
      "wildcard equality",
      "module t; logic [3:0] a; initial begin a = 4'b1011; $display(\"%b %b %b\", a ==? 4'b1?1x, a !=? 4'b0???, 4'bx011 ==? 4'b1011); end endmodule",
      ["1 1 x"],
    ],
    [
      "implication",
      'module t; logic a, b; initial begin a = 0; b = 0; $display("%b", a -> b); a = 1; $display("%b %b", a -> b, a <-> b); end endmodule',
      ["1", "0 0"],
    ],
    [
      "short circuits",
      'module t; int n; function automatic bit f(); n++; return 1; endfunction initial begin n = 0; if (0 && f()) ; if (1 || f()) ; if (1 && f()) ; $display("%0d", n); end endmodule',
      ["1"],
    ],
    [
      "unique case without a match warns",
      'module t; logic [1:0] a; initial begin a = 3; unique case (a) 0: $display("0"); 1: $display("1"); endcase $display("on"); end endmodule',
      ["on"],
    ],
    [
      "named ends and labels",
      'module t; initial begin : blk for (int i = 0; i < 2; i++) begin : turn if (i == 1) disable blk; $display("%0d", i); end : turn end : blk endmodule : t',
      ["0"],
    ],
    [
      "$countones, $onehot, $isunknown",
      "module t; initial $display(\"%0d %b %b %b %b\", $countones(8'hF1), $onehot(4'b0100), $onehot(4'b0110), $onehot0(4'b0), $isunknown(4'b1x0)); endmodule",
      ["5 1 0 1 1"],
    ],
    [
      "$clog2",
      'module t; initial $display("%0d %0d %0d %0d %0d", $clog2(0), $clog2(1), $clog2(2), $clog2(5), $clog2(1024)); endmodule',
      ["0 0 1 3 10"],
    ],
    [
      "assignment operators take their own context",
      "module t; logic [7:0] a; initial begin a = 8'hF0; a >>= 4; a += 8'hFF; $display(\"%h\", a); end endmodule",
      ["0e"],
    ],
  ],
  "13 tasks and functions": [
    [
      "ANSI headers, void functions, defaults",
      'module t; function void show(input int a, int b = 7); $display("%0d %0d", a, b); endfunction initial begin show(1); show(1, 2); show(.b(3), .a(4)); end endmodule',
      ["1 7", "1 2", "4 3"],
    ],
    [
      "outputs and refs",
      'module t; function automatic void split(input logic [7:0] v, output logic [3:0] h, l); h = v[7:4]; l = v[3:0]; endfunction logic [3:0] a, b; initial begin split(8\'hC5, a, b); $display("%h %h", a, b); end endmodule',
      ["c 5"],
    ],
    [
      "automatic variables start anew",
      'module t; function automatic int f(int n); int s; for (int i = 0; i <= n; i++) s += i; return s; endfunction initial $display("%0d %0d", f(4), f(2)); endmodule',
      ["10 3"],
    ],
    [
      "mutual recursion",
      'module t; function automatic bit even(int n); return n == 0 ? 1 : odd(n - 1); endfunction function automatic bit odd(int n); return n == 0 ? 0 : even(n - 1); endfunction initial $display("%b %b", even(10), odd(10)); endmodule',
      ["1 0"],
    ],
    [
      "functions that return structs",
      'module t; typedef struct packed { logic [3:0] q, r; } d_t; function automatic d_t divide(logic [3:0] a, b); divide.q = a / b; divide.r = a % b; endfunction d_t d; initial begin d = divide(13, 4); $display("%0d %0d", d.q, d.r); end endmodule',
      ["3 1"],
    ],
    [
      "void casts",
      "module t; int n; function int next(); n++; return n; endfunction initial begin void'(next()); void'(next()); $display(\"%0d\", n); end endmodule",
      ["2"],
    ],
    [
      "arrays inside automatic functions",
      'module t; function automatic int f(int n); int m [4]; for (int i = 0; i < 4; i++) m[i] = i * n; return m[3] + m[2]; endfunction initial $display("%0d", f(10)); endmodule',
      ["50"],
    ],
  ],
  "25 and 26 interfaces and packages": [
    [
      "packages and imports",
      'package p; parameter N = 5; typedef logic [N-1:0] v_t; function automatic int twice(int a); return 2 * a; endfunction endpackage module t; import p::*; v_t v; initial begin v = \'1; $display("%0d %0d", v, twice(N)); end endmodule',
      ["31 10"],
    ],
    [
      "names by ::",
      'package p; localparam int K = 9; typedef enum {A, B} e; endpackage module t; p::e v = p::B; initial $display("%0d %0d", p::K, v); endmodule',
      ["9 1"],
    ],
    [
      "one import hides another of the same name",
      'package a; parameter X = 1; endpackage package b; parameter X = 2; endpackage module t; import a::*; import b::X; initial $display("%0d", X); endmodule',
      ["2"],
    ],
    [
      "imports in a module header",
      'package p; parameter W = 3; endpackage module m import p::*; (output logic [W-1:0] y); assign y = \'1; endmodule module t; logic [2:0] y; m u(y); initial #1 $display("%0d", y); endmodule',
      ["7"],
    ],
    [
      "interfaces",
      'interface bus_if(input logic clk); logic [3:0] d; logic v; modport src(output d, v, input clk); modport dst(input d, v, clk); endinterface module a(bus_if.src b); always @(posedge b.clk) begin b.d <= 9; b.v <= 1; end endmodule module c(bus_if.dst b); always @(posedge b.clk) if (b.v) $display("%0d", b.d); endmodule module t; logic clk = 0; bus_if b(clk); a u1(b); c u2(.b(b)); initial repeat (4) #5 clk = ~clk; endmodule',
      ["9"],
    ],
    [
      "tasks of an interface",
      'interface i; int n = 0; task automatic bump(input int by); n += by; endtask endinterface module m(i p); initial begin p.bump(3); p.bump(4); end endmodule module t; i x(); m u(x); initial #1 $display("%0d", x.n); endmodule',
      ["7"],
    ],
    [
      "parameters of an interface, modport at the connection",
      'interface i #(parameter W = 1); logic [W-1:0] d; modport r(input d); endinterface module m(i p); initial #1 $display("%0d", $bits(p.d)); endmodule module t; i #(12) x(); m u(x.r); endmodule',
      ["12"],
    ],
    [
      ".name and .*",
      'module m(input a, b, output y); assign y = a & b; endmodule module t; logic a = 1, b = 1, y, z; m u1(.a, .b, .y); m u2(.*, .y(z)); initial #1 $display("%b%b", y, z); endmodule',
      ["11"],
    ],
    [
      "declarations outside of modules",
      'typedef logic [4:0] five_t; function automatic int half(int n); return n / 2; endfunction module t; five_t v = \'1; initial $display("%0d %0d", v, half(9)); endmodule',
      ["31 4"],
    ],
    [
      "arrays at ports",
      'module m(input logic [7:0] a [3], output logic [7:0] s); assign s = a[0] + a[1] + a[2]; endmodule module t; logic [7:0] v [3]; logic [7:0] s; m u(v, s); initial begin v = \'{1, 2, 3}; #1 $display("%0d", s); end endmodule',
      ["6"],
    ],
    [
      "structs at ports",
      "package p; typedef struct packed { logic [3:0] a, b; } s_t; endpackage module m(input p::s_t i, output p::s_t o); assign o = '{a: i.b, b: i.a}; endmodule module t; p::s_t i, o; m u(i, o); initial begin i = 8'h5A; #1 $display(\"%h\", o); end endmodule",
      ["a5"],
    ],
    [
      "timeunit",
      'module t; timeunit 1us; timeprecision 1ns; initial begin #2ns; #1.5; $display("%0.3f", $realtime); end endmodule',
      ["1.502"],
    ],
    [
      "time literals",
      '`timescale 1ns/1ps\nmodule t; initial begin #2us $display("%0d", $time); #500ps $display("%0.1f", $realtime); end endmodule',
      ["2000", "2000.5"],
    ],
  ],
};

for (const [clause, cases] of Object.entries(groups)) {
  describe(`IEEE 1800-2017 clause ${clause}`, () => {
    for (const [what, text, expected] of cases)
      it(what, () => expect(linesOf(text, { top: "t", until: 1e-3 })).toEqual(expected));
  });
}

describe("assertions and messages", () => {
  it("reports failed assertions at their lines, runs else branches, counts", () => {
    const text = `module t;
  int a = 3;
  initial begin
    assert (a == 3);
    assert (a == 4);
    check: assert (a > 5) else $display("else");
    assert (a < 5) $display("pass"); else $error("no");
    $warning("careful %0d", a);
    $info("note");
    $error("wrong");
  end
endmodule`;
    const ran = runText(text);
    expect(ran.text).toBe("else\npass\n");
    expect(ran.findings[0]).toMatch(/^t\.sv:5:.*error: \[sim\/assertion\].*a == 4/);
    expect(ran.findings[1]).toMatch(/^t\.sv:8:.*warning: \[sim\/warning\] careful 3/);
    expect(ran.findings[2]).toMatch(/^t\.sv:9:.*note/);
    expect(ran.findings[3]).toMatch(/^t\.sv:10:.*error: \[sim\/error\] wrong/);
    expect(ran.findings).toHaveLength(4);
  });
  it("reads streams: blocks of bits from the left or from the right, as values and as targets", () => {
    expect(
      linesOf(`module t;
  int j = { "A", "B", "C", "D" }; logic [31:0] w; logic [5:0] six; int a, b, c; byte q [0:3]; logic [7:0] m [3:0];
  logic [3:0] n1, n2, n3; logic [47:0] wide; typedef struct packed { logic [3:0] x; logic [11:0] y; } pair; pair s;
  typedef logic [15:0] half; localparam N = 4;
  function automatic logic [7:0] turned(input logic [7:0] v); return {<<{v}}; endfunction
  localparam logic [7:0] P = turned(8'h13);
  logic [7:0] x = 8'hC1; wire [7:0] y; wire [3:0] hi, lo; assign y = {<<{x}}; assign {<<4{hi, lo}} = x;
  int calls = 0; function int next(); calls++; return calls; endfunction
  initial begin
    w = {>>{j}}; $write("%h ", w); w = {<<byte{j}}; $write("%h ", w); w = {<<16{j}}; $write("%h ", w);
    w = {<<half{j}}; $display("%h", w);
    w = {<<{8'b0011_0101}}; $write("%h ", w);
    six = {<<4{6'b11_0101}}; $write("%b ", six); six = {>>4{6'b11_0101}}; $write("%b ", six);
    n1 = {<<2{{<<{4'b1101}}}}; $display("%b", n1);
    {>>{a, b, c}} = 100'b11111; $write("%0d %0d %0d ", a, b, c);
    {>>{a, b, c}} = {32'd7, 32'd8, 32'd9}; $write("%0d %0d %0d ", a, b, c);
    {<<8{a}} = 32'h11223344; $display("%h", a);
    {>>{q}} = 32'hA1B2C3D4; $write("%h%h%h%h ", q[0], q[1], q[2], q[3]);
    m = {>>{q}}; $write("%h%h%h%h ", m[3], m[2], m[1], m[0]);
    q = {<<8{m}}; $display("%h%h%h%h", q[0], q[1], q[2], q[3]);
    {<<N{n1, n2, n3}} = 12'h123; s = '{x: 4'h5, y: 12'hABC}; wide = {<<4{s, m}}; $display("%h%h%h %h", n1, n2, n3, wide);
    w = {<<4{next()}}; $display("%h %0d %h", w, calls, P);
    #1 $display("%h %h %h", y, hi, lo);
  end
endmodule`),
    ).toEqual([
      "41424344 44434241 43444142 43444142",
      "ac000000 010111 110101 1110",
      "0 0 1 7 8 9 44332211",
      "a1b2c3d4 a1b2c3d4 d4c3b2a1",
      "321 4d3c2b1acba5",
      "10000000 1 c8",
      "83 1 c",
    ]);
    const wrong: [string, RegExp][] = [
      ["logic [3:0] n; initial n = {<<{8'd1}};", /stream has 8 bits, and what it is assigned to 4/],
      ["logic [3:0] n, k; initial {>>{n, k}} = 4'd1;", /stream takes 8 bits; 4 are assigned/],
      ["logic [3:0] n; initial n = {<<2{n[0]}} + 4'd1;", /stream has 1 bits; 4 are wanted here/],
      ["int q[$]; int n; initial n = {<<{q}};", /only what has a fixed number of bits/],
      ["logic [3:0] n; initial n = {<<0{n}};", /blocks have at least one bit/],
      ["logic [3:0] n; initial {<<{n}} += 4'd1;", /plain assignment only/],
      ["string s; initial s = {<<{8'd1}};", /fixed number of bits/],
    ];
    for (const [text, words] of wrong)
      expect(runText(`module t; ${text} endmodule`).findings.join("\n")).toMatch(words);
  });
  it("reads 'let': expressions with a name, which mean what was meant where they stand", () => {
    expect(
      linesOf(`package p; localparam int K = 5; let addk(x, n = K) = x + n; let twice = K * 2; endpackage
let low(v) = v & -v;
module t; import p::addk;
  logic [7:0] a = 200, b = 100; logic [8:0] s; real r;
  let sum(x, y) = x + y; let byteof(logic [7:0] x) = x; let top(x, y) = x > y ? x : y; let nib(x) = x[3:0]; let half = 0.5;
  function automatic int f(int v); let d(q) = q * 2; return d(v) + d(1); endfunction
  localparam int C = top(3, top(9, 4));
  initial begin
    let here(z) = z + b;
    s = sum(a, b);
    $display("%b %0d %0d %0d %0d", low(8'b1010_0000), sum(a, b), s, addk(3), addk(.n(1), .x(b)));
    $display("%h %0d %0d %h %0d %0d %0d", byteof(16'h1234), top(a, b), p::twice, nib(a), here(1), f(4), C);
    r = half * 3; $display("%0.2f", r);
    if (top(a, b) == a) $display("yes");
  end
endmodule`),
    ).toEqual(["00100000 44 300 8 101", "34 200 10 8 101 10 9", "1.50", "yes"]);
    const wrong: [string, RegExp][] = [
      ["let e1 = e2; let e2 = e1; int x = e1;", /'e1' names itself/],
      ["let f(a, b) = a; int x = f(1);", /needs a value for 'b'/],
      ["let f(a) = a; int x = f(1, 2);", /takes 1 argument/],
      ["let f(a) = a; int x = f(.k(1));", /no argument 'k'/],
      ["let f(a) = a; let f(b) = b;", /declared twice/],
      ["int w; let g(q) = q + w; initial begin int w; w = g(1); end", /'w' in 'g' means something else/],
    ];
    for (const [text, words] of wrong)
      expect(runText(`module t; ${text} endmodule`).findings.join("\n")).toMatch(words);
  });
  it("puts the instances of 'bind' into all instances of a module, and passes over 'specify' with a word", () => {
    const text = `module cnt #(parameter W = 4)(input logic clk, output logic [W-1:0] q);
  initial q = 0; always_ff @(posedge clk) q <= q + 3;
  specify (clk => q) = 2; specparam t = 3; $setup(q, clk, 1); endspecify
endmodule
module chk #(parameter M = 2)(input logic clk, input logic [M-1:0] v); always @(negedge clk) $display("%m %0d", v); endmodule
bind cnt chk #(.M(W)) u_c (.clk, .v(q));
module t; logic clk = 0; logic [3:0] a; logic [4:0] b; cnt u0(clk, a); cnt #(5) u1(clk, b);
  initial repeat (4) #5 clk = ~clk; endmodule`;
    const { text: printed, findings } = runText(text, { top: "t" });
    expect(printed.trim().split("\n")).toEqual(["t.u0.u_c 3", "t.u1.u_c 3", "t.u0.u_c 6", "t.u1.u_c 6"]);
    expect(findings.join("\n")).toMatch(/^t\.sv:3:3: warning: \[verilog\/specify\] The delays .* are not simulated/);
    expect(runText(text.replace("bind cnt", "bind cmt"), { top: "t" }).findings.join("\n")).toMatch(
      /no module 'cmt'.*Did you mean 'cnt'/,
    );
    expect(runText(text.replace("bind cnt chk", "bind t.u0 chk"), { top: "t" }).findings.join("\n")).toMatch(
      /takes the name of a module/,
    );
  });
  it("says what is not supported, where it stands", () => {
    const cases: [string, RegExp][] = [
      ["module t; covergroup g; endgroup endmodule", /'covergroup' is not supported/],
      ["module t; real r[2][$][3]; endmodule", /cannot be an element of a dynamic array/],
      ['module t; string s; initial $display("%s", -s); endmodule', /takes no real or string/],
      ["module t; initial $nothing; endmodule", /no system task \$nothing/],
      ["module t; clocking cb @(posedge c); endclocking endmodule", /'clocking' is not supported/],
    ];
    for (const [text, words] of cases) {
      const ran = runText(text);
      expect(ran.end).toBe("errors");
      expect(ran.findings.join("\n")).toMatch(words);
    }
  });
});

it("were also run as constant functions are, with the same result", () => expect(opinions).toBeGreaterThan(40));
