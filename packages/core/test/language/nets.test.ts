import { describe, expect, it } from "vitest";
import { elaborate } from "../../src/index.ts";
import { distribution } from "../../src/simulate/verilog/random.ts";
import { linesOf, printed } from "../helpers/simulation.ts";

const scale = "`timescale 1ns/1ns\n";

/** IEEE 1364-2005 clauses 7.14 (delays of nets), 12.3 (ports) and 19.9 (open inputs). */
describe("7.14 delays of nets", () => {
  it("differ by the value that the net goes to", () => {
    const text =
      'module t; wire #(2,5,9) w; reg d; assign w = d; initial begin $monitor("%0t %b", $time, w); d = 0; #20 d = 1; #20 d = 1\'bz; #20 d = 0; #20 $finish; end endmodule';
    expect(linesOf(scale + text, {}, "t.v")).toEqual(["0 x", "5 0", "22 1", "49 z", "65 0"]);
  });
  it("come after the drivers have been resolved, and after the delays of these", () => {
    const text = `module drv(input e, d, output y); assign y = e ? d : 1'bz; endmodule
module t; reg e1, e2, a, b; tri #3 bus; wand #(1,2) w; wire #4 o;
 drv u1(e1, a, bus); drv u2(e2, b, bus); assign w = a; assign w = b; not #1 (o, a);
 initial begin $monitor("%0t %b %b %b", $time, bus, w, o); e1=0; e2=0; a=0; b=1; #10 e1=1; #10 e2=1; #10 e1=0; #10 a=1; #2 a=0; #20 $finish; end endmodule`;
    expect(linesOf(scale + text, {}, "t.v")).toEqual([
      "0 x x x",
      "2 x 0 x",
      "3 z 0 x",
      "5 z 0 1",
      "13 0 0 1",
      "23 x 0 1",
      "33 1 0 1",
      "41 1 1 1",
      "44 1 0 1",
    ]);
  });
  it("take nothing away from a declaration with a value: there it is the delay of that value alone", () => {
    const text =
      'module t; reg a; wire #4 w = a; initial begin $monitor("%0t %b", $time, w); a = 0; #10 a = 1; #2 a = 0; #10 a = 1; #10 $finish; end endmodule';
    expect(linesOf(scale + text, {}, "t.v")).toEqual(["0 x", "4 0", "26 1"]);
  });
  it("let the charge of a trireg go after its decay time", () => {
    const text =
      'module t; trireg (large) #(0,0,50) n; reg d, e; assign n = e ? d : 1\'bz; initial begin d = 1; e = 1; #10 e = 0; #49 $display("%b", n); #2 $display("%b", n); e = 1; #1 e = 0; #30 e = 1; #1 e = 0; #30 $display("%b", n); end endmodule';
    expect(linesOf(scale + text, {}, "t.v")).toEqual(["1", "x", "1"]);
  });
  it("mean nothing to the circuit", () => {
    const text = "module m(input a, b, output y); wire #3 n; assign n = a & b; assign y = ~n; endmodule";
    const { artifact, findings } = elaborate([{ name: "m.v", text }]);
    expect(findings).toEqual([]);
    expect(artifact).not.toBeNull();
  });
});

describe("7.6 switches in both directions", () => {
  it("join nets while their control closes them, whoever drives", () => {
    const text = `module t; reg c; wire m, n, o; reg md, nd; assign m = md; assign n = nd; tranif1 v(m, n, 1'b1), w(n, o, c);
  initial begin md = 1'bz; nd = 1'bz; c = 1; #1 $display("%b%b%b", m, n, o); md = 1; #1 $display("%b%b%b", m, n, o); nd = 0; #1 $display("%b%b%b", m, n, o);
    md = 1'bz; #1 $display("%b%b%b", m, n, o); c = 0; #1 $display("%b%b%b", m, n, o); c = 1'bx; #1 $display("%b%b%b", m, n, o); end endmodule`;
    expect(linesOf(text, {}, "t.v")).toEqual(["zzz", "111", "xxx", "000", "00z", "00x"]);
  });
  it("stand in arrays, close at 0 where they are tranif0, and let stronger drivers win", () => {
    const text = `module t; reg [1:0] k; wire [1:0] x, y; assign x = 2'b10; rtranif0 g[1:0](x, y, k); wire p, q; reg e; assign (pull0, pull1) p = 1; assign q = 0; tranif1 s(p, q, e);
  initial begin k = 2'b01; e = 0; #1 $display("%b %b%b", y, p, q); k = 0; e = 1; #1 $display("%b %b%b", y, p, q); end endmodule`;
    expect(linesOf(text, {}, "t.v")).toEqual(["1z 10", "10 00"]);
  });
  it("make no circuit", () => {
    const text = "module m(input a, c, output y); wire n; assign n = a; tranif1 s(n, y, c); endmodule";
    expect(elaborate([{ name: "m.v", text }]).findings.map((each) => each.code)).toContain("verilog/not-synthesizable");
  });
});

describe("12.3 and 19.9 ports", () => {
  it("with names of their own count as connected", () => {
    const text =
      "module m(.x(a), .y(b)); input a; output b; assign b = ~a; endmodule module t(input i, output o); m u(.x(i), .y(o)); endmodule";
    expect(elaborate([{ name: "t.v", text }], { top: "t" }).findings).toEqual([]);
  });
  it("may hold parts of one signal", () => {
    const text =
      "module m(a[1:0], a[3:2]); input [3:0] a; initial #1 $display(\"%b\", a); endmodule module t; m u(2'b01, 2'b10); endmodule";
    expect(linesOf(text, { top: "t" }, "t.v")).toEqual(["1001"]);
  });
  it("that are left open are pulled where a directive says so", () => {
    const module = (name: string) => `module ${name}(input [1:0] a); initial #1 $display("${name} %b", a); endmodule\n`;
    const text = `\`unconnected_drive pull1\n${module("one")}\`unconnected_drive pull0\n${module("zero")}\`nounconnected_drive\n${module("none")}module t; one a(); zero b(); none c(); one d(2'b01); endmodule`;
    expect(linesOf(text, { top: "t" }, "t.v").sort()).toEqual(["none zz", "one 01", "one 11", "zero 00"]);
  });
});

describe("17.9.2 distributions", () => {
  it("go on from their seed, and take the same way again", () => {
    const body =
      's = 5; a = $dist_normal(s, 100, 10); b = $dist_poisson(s, 7); r = s; s = 5; c = $dist_normal(s, 100, 10); d = $dist_poisson(s, 7); $display("%b %b %b %b", a == c, b == d, r == s, s != 5);';
    expect(printed("integer s, r, a, b, c, d;", body)).toBe("1 1 1 1\n");
  });
  it("have the mean and the spread that they are asked for", () => {
    const many = 20_000;
    const drawn = (name: string, x: number, y: number) => {
      let seed = 1;
      let sum = 0;
      let squares = 0;
      for (let i = 0; i < many; i++) {
        const next = distribution(name, seed, x, y);
        seed = next.seed;
        sum += next.value;
        squares += next.value ** 2;
      }
      const mean = sum / many;
      return { mean, variance: squares / many - mean ** 2 };
    };
    const near = (value: number, wanted: number, part = 0.06) =>
      expect(Math.abs(value - wanted)).toBeLessThan(part * Math.max(1, wanted));
    const normal = drawn("normal", 500, 50);
    near(normal.mean, 500, 0.01);
    near(normal.variance, 2500);
    const exponential = drawn("exponential", 300, 0);
    near(exponential.mean, 300);
    near(exponential.variance, 90_000);
    const poisson = drawn("poisson", 20, 0);
    near(poisson.mean, 20);
    near(poisson.variance, 20);
    const chi = drawn("chi_square", 30, 0);
    near(chi.mean, 30);
    near(chi.variance, 60);
    const erlang = drawn("erlang", 4, 400);
    near(erlang.mean, 400);
    near(erlang.variance, 40_000);
    near(drawn("t", 12, 0).mean, 0);
    expect(distribution("poisson", 9, -1, 0)).toEqual({ seed: 9, value: 0 });
  });
});

describe("13 configurations", () => {
  const modules = `module leaf(output [3:0] y); assign y = 1; endmodule
module leaf_fast(output [3:0] y); assign y = 2; endmodule
module leaf_small(output [3:0] y); assign y = 3; endmodule
module mid(output [3:0] y); leaf l(y); endmodule
module t; wire [3:0] a, b, c; mid m1(a); mid m2(b); leaf l(c); initial #1 $display("%0d %0d %0d", a, b, c); endmodule
`;
  const run = (config: string) => linesOf(modules + config, {}, "t.v");
  it("put other modules behind cells and single instances of the design that they name", () => {
    expect(run("")).toEqual(["1 1 1"]);
    expect(
      run(
        "config fast; design rtl.t; default liblist rtl gates; cell leaf use rtl.leaf_small; instance t.m2.l use rtl.leaf_fast; instance t.m1 liblist rtl; endconfig",
      ),
    ).toEqual(["3 2 3"]);
    expect(run("config other; design work.mid; default liblist work; cell leaf use leaf_fast; endconfig")).toEqual([
      "1 1 1",
    ]);
  });
  it("tell where a rule names no module, and where one is no rule", () => {
    const codes = (config: string) =>
      elaborate([{ name: "t.v", text: modules + config }], { top: "mid" }).findings.map((each) => [
        each.code,
        each.place.line,
      ]);
    expect(codes("config c; design mid;\n cell leaf use leaf_fsat;\nendconfig")).toEqual([
      ["verilog/unknown-module", 7],
    ]);
    expect(codes("config c; design mid;\n leaf use leaf_fast;\nendconfig")).toContainEqual(["verilog/syntax", 7]);
  });
  it("leave the top to what is built", () => {
    const { artifact } = elaborate([
      {
        name: "t.v",
        text: `${modules.split("module t;")[0]}config c; design mid; cell leaf use leaf_fast; instance mid.l use leaf_small; endconfig`,
      },
    ]);
    expect(artifact?.hierarchy.module).toBe("mid");
  });
});
