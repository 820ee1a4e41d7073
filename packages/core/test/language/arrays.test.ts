import { describe, expect, it } from "vitest";
import { Random } from "../../src/common/index.ts";
import { elaborate } from "../../src/index.ts";
import { linesOf, runText } from "../helpers/simulation.ts";

/** IEEE 1800-2017 clauses 7 and 13: whole arrays as values, parts of them, and in and out of subroutines. */
type Case = readonly [what: string, text: string, expected: readonly string[]];

const sum = "function automatic int sum(int v[4]); sum = 0; foreach (v[i]) sum += v[i]; endfunction";
const groups: Record<string, readonly Case[]> = {
  "7.4.5 parts of arrays": [
    [
      "a part is copied, compared and read like an array",
      'module t; int e[6]; initial begin e = \'{0, 1, 2, 3, 4, 5}; e[0:1] = e[4:5]; $display("%p", e); e[1 +: 3] = e[2:4]; $display("%p %b %b", e, e[0:1] == e[1:2], e[3:3] == e[4:4]); end endmodule',
      ["'{4, 5, 2, 3, 4, 5}", "'{4, 2, 3, 4, 4, 5} 0 1"],
    ],
    [
      "parts of descending arrays run down",
      'module t; int a[3:0], b[0:1]; initial begin a = \'{9, 8, 7, 6}; b = a[2:1]; $display("%p", b); a[1 -: 2] = \'{1, 2}; $display("%p", a); end endmodule',
      ["'{8, 7}", "'{9, 8, 1, 2}"],
    ],
    [
      "a row of a matrix",
      "module t; byte m[2][3], r[3]; initial begin m = '{'{1, 2, 3}, '{4, 5, 6}}; r = m[1]; m[0] = '{7, 8, 9}; $display(\"%p %p\", r, m); end endmodule",
      ["'{4, 5, 6} '{'{7, 8, 9}, '{4, 5, 6}}"],
    ],
  ],
  "13.5 arrays as arguments": [
    [
      "by value: a variable, a part, a pattern, by name",
      `module t; ${sum} int a[4], e[6]; initial begin a = '{4, -1, 7, 2}; e = '{0, 1, 2, 3, 4, 5}; $display("%0d %0d %0d %0d", sum(a), sum(e[2:5]), sum('{1, 2, 3, 4}), sum(.v(a))); end endmodule`,
      ["12 14 10 12"],
    ],
    [
      "elements keep their sign and their size",
      "module t; typedef logic signed [7:0] m_t [2][2]; function automatic logic signed [15:0] det(m_t m); return m[0][0] * m[1][1] - m[0][1] * m[1][0]; endfunction m_t m; initial begin m = '{'{1, -2}, '{3, 4}}; $display(\"%0d\", det(m)); end endmodule",
      ["10"],
    ],
    [
      "in and out, and by reference",
      'module t; function automatic void sort(inout int v[4]); for (int i = 0; i < 4; i++) for (int j = 0; j < 3; j++) if (v[j] > v[j+1]) begin int h; h = v[j]; v[j] = v[j+1]; v[j+1] = h; end endfunction task automatic fill(ref int v[4]); foreach (v[i]) v[i] = i + 1; endtask int a[4]; initial begin a = \'{4, -1, 7, 2}; sort(a); $display("%p", a); fill(a); $display("%p", a); end endmodule',
      ["'{-1, 2, 4, 7}", "'{1, 2, 3, 4}"],
    ],
    [
      "out, against the direction of the other's bounds",
      'module t; task automatic fill(output int v[3:0]); foreach (v[i]) v[i] = i * 10; endtask int a[0:3]; initial begin fill(a); $display("%p", a); end endmodule',
      ["'{30, 20, 10, 0}"],
    ],
    [
      "arrays as values of functions",
      'module t; typedef int a_t[3]; function automatic a_t make(int s); make = \'{s, s + 1, -s}; endfunction function automatic a_t change(input a_t z); a_t q; q = z; q[1] = -7; return q; endfunction a_t b; initial begin b = make(5); $display("%p", b); b = change(b); $display("%p %p", b, change(make(1)) == change(make(1)) ? 1 : 0); end endmodule',
      ["'{5, 6, -5}", "'{5, -7, -5} 1"],
    ],
    [
      "arrays go on to other functions",
      `module t; ${sum} function automatic int twice(int v[4]); return 2 * sum(v); endfunction initial $display("%0d", twice('{1, 2, 3, 4})); endmodule`,
      ["20"],
    ],
    [
      "x stays in its element",
      'module t; function automatic logic [3:0] second(logic [3:0] v[3]); return v[1]; endfunction logic [3:0] a[3]; initial begin a[1] = 5; $display("%b", second(a)); a[1] = \'x; a[2] = 1; $display("%b", second(a)); end endmodule',
      ["0101", "xxxx"],
    ],
    [
      "methods and sizes of an argument",
      'module t; function automatic void show(int v[2][3]); $display("%0d %0d %0d", $size(v), v.size(), $bits(v)); endfunction function automatic int total(int v[3]); return v.sum(); endfunction int m[2][3]; initial begin show(m); $display("%0d", total(\'{1, 2, 3})); end endmodule',
      ["2 2 192", "6"],
    ],
  ],
  "6.20 arrays as parameters": [
    [
      "constant tables, with and without types of their own",
      "package p; localparam logic [7:0] T [0:3] = '{8'h63, 8'h7c, 8'h77, 8'h7b}; endpackage module t; import p::*; typedef int a_t[2][2]; localparam bit signed [3:0] Q[0:1][0:1] = '{'{1, -2}, '{3, 4}}; localparam a_t M = '{'{10, 20}, '{30, 40}}; localparam int S = M[1][0] + Q[0][1]; logic [1:0] i; int k; initial begin i = 2; k = 0; foreach (T[z]) k += T[z]; $display(\"%h %0d %0d %0d %0d\", T[i], S, Q[1][0], $size(T), k); end endmodule",
      ["77 28 3 4 465"],
    ],
    [
      "are given to instances as patterns and as other constants",
      "module u #(parameter int P[3] = '{1, 2, 3})(output int y); assign y = P[0] * 100 + P[1] * 10 + P[2]; endmodule module t; localparam int W[3] = '{default: 5}; int a, b, c, v[3]; u x(a); u #(.P('{4, 5, 6})) y(b); u #(.P(W)) z(c); initial begin #1 v = W; $display(\"%0d %0d %0d %p\", a, b, c, v); end endmodule",
      ["123 456 555 '{5, 5, 5}"],
    ],
  ],
  "7.2 structs with strings and reals": [
    [
      "members are read, written, copied and compared",
      'module t; typedef struct { string name; logic [7:0] a; real r; int v[2]; } s_t; s_t s, u; initial begin s = \'{name: "shed", a: 5, r: 2.5, v: \'{default: 3}}; u = s; u.name = "beat"; u.r = u.r * 2; u.a++; $display("%s %0d %0.2f %0d %s %0d %0.2f", s.name, s.a, s.r, s.v[1], u.name, u.a, u.r); if (s.name == "shed" && u.name != "shed" && u.r > 4.5) $display("%s %0d", {u.name, "!"}, s.name.len()); case (u.name) "beat": $display("beat"); default: $display("other"); endcase s.name = ""; s.r = 7; s.v[0] = s.r + 0.6; $display("[%s] %0.1f %0d", s.name, s.r, s.v[0]); end endmodule',
      ["shed 5 2.50 3 beat 6 5.00", "beat! 4", "beat", "[] 7.0 8"],
    ],
    [
      "tables of tests, with fixed and with dynamic bounds",
      'module t; typedef struct { string name; byte a, b; int sum; } test_t; test_t all[] = \'{\'{"small", 1, 2, 3}, \'{"minus", -5, 2, -3}}; test_t two[2] = \'{\'{"x", 1, 1, 2}, \'{name: "y", a: 9, b: 9, sum: 18}}; function automatic int run(test_t x); return x.a + x.b == x.sum; endfunction initial begin foreach (all[i]) $display("%s %0d", all[i].name, run(all[i])); foreach (two[i]) $display("%s %0d", two[i].name.toupper(), run(two[i])); two[0].sum = 5; $display("%0d", run(two[0])); end endmodule',
      ["small 1", "minus 1", "X 1", "Y 1", "0"],
    ],
  ],
  "13 functions of packages": [
    [
      "one that is called before any other of its kind",
      'package p; function automatic int twice(int x); return 2 * x; endfunction endpackage module t; import p::*; initial begin $display("%0d", twice(4)); $display("%0d", twice(twice(5))); end endmodule',
      ["8", "20"],
    ],
  ],
  "9.6.2, 15.5.3, 6.24.2 and 21.2.1.7": [
    [
      "disable ends the branches of a named fork that is over itself",
      'module t; initial begin fork : f begin #10 $display("no"); end begin #20 $display("no"); end join_none #1 disable f; #30 $display("done"); end endmodule',
      ["done"],
    ],
    [
      "a branch that disables its own fork",
      'module t; initial begin fork : g begin #5 $display("yes"); disable g; end begin #20 $display("no"); end join $display("%0t", $time); end endmodule',
      ["yes", "5"],
    ],
    [
      "triggered holds to the end of the time step",
      'module t; event e; initial begin fork begin #1 -> e; end begin #1 wait (e.triggered) $display("late %0t", $time); end begin wait (e.triggered) $display("early %0t", $time); end join #1 $display("%b", e.triggered); end endmodule',
      ["early 1", "late 1", "0"],
    ],
    [
      "$cast takes members of an enumeration only",
      'module t; typedef enum { rest, beat, lift } e_t; e_t e; initial begin $display("%0d %s", $cast(e, 2), e.name()); $display("%0d %s", $cast(e, 9), e.name()); end endmodule',
      ["1 lift", "0 lift"],
    ],
    [
      "%p of arrays of all kinds",
      'module t; int a[2][2]; string s[2]; real r[1:0]; logic [3:0] m[2]; initial begin a = \'{\'{0, 1}, \'{2, 3}}; s = \'{"x", "y z"}; r = \'{1.5, 2}; m[0] = 5; $display("%p %p %p %p", a, s, r, m); end endmodule',
      ["'{'{0, 1}, '{2, 3}} '{\"x\", \"y z\"} '{1.5, 2} '{5, x}"],
    ],
  ],
};

for (const [clause, cases] of Object.entries(groups))
  describe(clause, () => {
    it.each(cases)("%s", (_, text, expected) => {
      // branches of a fork that are ready at the same time may run in any order
      expect(linesOf(text, { top: "t" }).toSorted()).toEqual([...expected].toSorted());
    });
  });

describe("what does not fit", () => {
  it.each([
    [`module t; ${sum} int a[3]; initial $display(sum(a)); endmodule`, "verilog/array-size"],
    [`module t; ${sum} initial $display(sum(5)); endmodule`, "verilog/array-value"],
    ["module t; int a[4], b[2]; initial b = a[1:3]; endmodule", "verilog/array-size"],
    ["module t; int a[4], b[2]; initial b = a[2:1]; endmodule", "verilog/part-select"],
    ["module t; int a[4], b[2]; initial b = a[3:4]; endmodule", "verilog/part-select"],
    ["module t; function automatic int f(int s[70000][40]); return 1; endfunction endmodule", "verilog/unsupported"],
    [
      "module t; typedef int a_t[3]; function automatic a_t f(); f[0] = 1; endfunction int b[2]; initial b = f(); endmodule",
      "verilog/array-size",
    ],
  ])("%s", (text, code) => {
    const { end, findings } = runText(text);
    expect(end).toBe("errors");
    expect(findings.join("\n")).toContain(`[${code}]`);
  });
});

describe("functions of arrays in hardware", () => {
  it("give the circuit that they give in simulation", () => {
    const design = `module pick4(input [7:0] a, b, c, d, output logic [7:0] most);
  typedef logic [7:0] four_t [4];
  function automatic logic [7:0] largest(four_t v);
    largest = v[0];
    for (int i = 1; i < 4; i++) if (v[i] > largest) largest = v[i];
  endfunction
  function automatic four_t rotated(four_t v);
    for (int i = 0; i < 4; i++) rotated[i] = v[(i + 1) % 4];
  endfunction
  four_t all;
  always_comb begin
    all = '{a, b, c, d};
    all = rotated(all);
    most = largest(all);
  end
endmodule`;
    const { artifact, findings } = elaborate([{ name: "p.sv", text: design }], { top: "pick4" });
    expect(findings.filter((finding) => finding.severity === "error")).toEqual([]);
    expect(artifact).not.toBeNull();
    const random = new Random(7);
    const numbers = Array.from({ length: 40 }, () => random.below(256));
    const steps = Array.from({ length: 10 }, (_, i) => numbers.slice(4 * i, 4 * i + 4));
    const bench = `\nmodule t; logic [7:0] a, b, c, d, most; pick4 p(.*); initial begin ${steps
      .map((four) => `{a, b, c, d} = {${four.map((n) => `8'd${n}`).join(", ")}}; #1 $display("%0d", most);`)
      .join(" ")} end endmodule`;
    expect(linesOf(design + bench, { top: "t" })).toEqual(steps.map((four) => String(Math.max(...four))));
  });
});
