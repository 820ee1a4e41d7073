import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { type Env, RandomVerilog, randomVariables, type Variable } from "./helpers/four-state.ts";
import { runText } from "./helpers/simulation.ts";

const declare = (variables: readonly Variable[]) =>
  variables.map(({ name, width, signed }) => `reg ${signed ? "signed " : ""}[${width - 1}:0] ${name};`).join(" ");

function start(make: RandomVerilog, env: Env): string {
  return make.variables
    .map(({ name, width }) => {
      const bits = make.bits(width);
      env.set(name, bits);
      return `${name} = ${width}'b${bits};`;
    })
    .join(" ");
}

describe("random expressions", () => {
  it("have the four-state value that the standard's rules give, in any context", () => {
    for (let seed = 41; seed <= 1500; seed++) {
      const random = new Random(seed);
      const make = new RandomVerilog(random, randomVariables(random));
      const env: Env = new Map();
      const setup = start(make, env);
      const rows = Array.from({ length: 40 }, () => {
        const node = make.expr(1 + random.below(4));
        const width = [1, 5, 8, 32, 33, 64, 90][random.below(7)];
        return { node, width, expected: RandomVerilog.assigned(node, width, env) };
      });
      const text = `module t; ${declare(make.variables)}\n${rows.map((row, i) => `reg [${row.width - 1}:0] r${i}; wire [${row.width - 1}:0] w${i} = ${row.node.text};`).join("\n")}
initial begin ${setup}\n${rows.map((row, i) => `r${i} = ${row.node.text};`).join("\n")}
#1 ${rows.map((_, i) => `$display("%b %b", r${i}, w${i});`).join("\n")}\nend endmodule`;
      const ran = runText(text, {}, "t.v");
      expect(ran.end, ran.findings.join("\n")).toBe("idle");
      const lines = ran.text.split("\n");
      rows.forEach((row, i) => {
        // a continuous assignment follows what the initial block has set
        expect(lines[i], `seed ${seed}: ${row.node.text}\nwith ${setup}`).toBe(`${row.expected} ${row.expected}`);
      });
    }
  });
});

describe("random behaviour", () => {
  it("leaves the values that a plain interpreter leaves", () => {
    for (let seed = 41; seed <= 4000; seed++) {
      const random = new Random(seed * 7919);
      const make = new RandomVerilog(random, randomVariables(random));
      const env: Env = new Map();
      const setup = start(make, env);
      const body = Array.from({ length: 6 }, () => make.stmt(3));
      for (const stmt of body) stmt.run(env);
      const shown = make.variables.map(({ name }) => name);
      const display = `$display("${shown.map(() => "%b").join(" ")}", ${shown.join(", ")});`;
      const code = `${setup}\n${body.map((stmt) => stmt.text).join("\n")}\n${display}`;
      const expected = shown.map((name) => env.get(name)).join(" ");
      // the same statements in an initial block, in an automatic task, and in one that waits
      for (const text of [
        `module t; ${declare(make.variables)}\ninitial begin\n${code}\nend endmodule`,
        `module t; task automatic go; ${declare(make.variables)}\nbegin\n${code}\nend endtask initial go; endmodule`,
        `module t; ${declare(make.variables)}\ninitial begin #1\n${code.replaceAll("\n", "\n#1 ")}\nend endmodule`,
      ]) {
        const ran = runText(text, {}, "t.v");
        expect(ran.text.trim(), `seed ${seed}\n${text}\n${ran.findings.join("\n")}`).toBe(expected);
      }
    }
  });
});

const sample = `\`timescale 1ns/1ps
package p; typedef enum logic [1:0] {A, B, C} e_t; parameter N = 3; endpackage
interface bus(input clk); logic [3:0] d; modport m(input d); endinterface
module leaf #(parameter W = 4)(input [W-1:0] a, output reg [W-1:0] q, inout z);
  always @(posedge a[0] or negedge a[1]) if (!a[1]) q <= 0; else begin : blk integer i; for (i = 0; i < W; i = i + 1) q[i] <= a[W-1-i]; end
  assign z = a[2] ? q[0] : 1'bz;
  function automatic [7:0] f(input [7:0] x); f = x <= 1 ? 1 : x * f(x - 1); endfunction
endmodule
module t; import p::*;
  reg clk = 0; reg [7:0] mem [0:7]; e_t s; wire [3:0] y; wire z; real r = 1.5; string str; event ev;
  struct packed { logic [3:0] h, l; } st;
  bus b(clk); leaf #(.W(4)) u(.a(mem[0][3:0]), .q(y), .z(z));
  genvar g; generate for (g = 0; g < 3; g = g + 1) begin : lane if (g == 1) assign z = 1'bz; else wire w = ^g; end endgenerate
  always #5 clk = ~clk;
  task automatic go(input int n, output int m); #1 m = n + 1; endtask
  initial begin int k; k = 0; fork #3 k = 1; @(posedge clk) k += 2; join_any
    casez (mem[0]) 8'b1???: s = A; default: s = s.next(); endcase
    st = '{h: 4'h3, default: 0}; go(k, k); -> ev; force y = 3; release y; repeat (2) @(negedge clk);
    if (k inside {[1:5], 9}) $display("%s %0d %h %t", s.name(), k, st, $time); foreach (mem[i]) mem[i] <= i; #1 $finish; end
endmodule
`;

describe("the language as a whole", () => {
  it("never throws and always ends, whatever is cut out, doubled or swapped", () => {
    const tokens = sample.match(/\w+|\s+|[^\w\s]/g)!;
    fc.assert(
      fc.property(
        fc.nat(tokens.length - 1),
        fc.nat(12),
        fc.nat(tokens.length - 1),
        fc.constantFrom("cut", "double", "swap", "move"),
        (at, count, other, how) => {
          const list = [...tokens];
          const piece = list.splice(at, count);
          if (how === "double") list.splice(at, 0, ...piece, ...piece);
          else if (how === "move") list.splice(other, 0, ...piece);
          else if (how === "swap") list.splice(at, 0, ...piece.reverse());
          const ran = runText(list.join(""), { top: "t", until: 1e-6, maxTurns: 20_000 });
          for (const finding of ran.findings) expect(finding).toMatch(/^(t\.sv:\d+:\d+|design|\w+):/);
        },
      ),
      { numRuns: 6000, seed: 11 },
    );
  });
});
