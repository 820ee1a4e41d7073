import { describe, expect, it } from "vitest";
import { linesOf, opinions, runText } from "../helpers/simulation.ts";

/** IEEE 1364-2005 clauses 6, 9, 10 and 11: assignments, procedures, tasks, scheduling. Expectations worked out by hand. */
type Case = readonly [what: string, text: string, expected: readonly string[]];

const groups: Record<string, readonly Case[]> = {
  "9.2 assignments": [
    [
      "blocking ones take effect at once",
      'reg a, b; initial begin a = 0; b = 1; a = b; b = a; $display("%b%b", a, b); end',
      ["11"],
    ],
    [
      "non-blocking ones swap",
      'reg a, b; initial begin a = 0; b = 1; a <= b; b <= a; #1 $display("%b%b", a, b); end',
      ["10"],
    ],
    ["the last non-blocking one wins", 'reg [3:0] a; initial begin a <= 1; a <= 2; #1 $display("%0d", a); end', ["2"]],
    [
      "non-blocking ones to parts of one vector add up",
      'reg [3:0] a; initial begin a = 0; a[0] <= 1; a[2] <= 1; #1 $display("%b", a); end',
      ["0101"],
    ],
    [
      "non-blocking ones keep the index of their time",
      'reg [3:0] a; integer i; initial begin a = 0; i = 1; a[i] <= 1; i = 3; #1 $display("%b", a); end',
      ["0010"],
    ],
    [
      "an intra-assignment delay takes the value first",
      'reg [3:0] a, b; initial begin b = 3; #1 b = 9; end initial begin a = #2 b; $display("%0d %0d", $time, a); end',
      ["2 3"],
    ],
    [
      "a delayed non-blocking one does not wait",
      'reg a; initial begin a = 0; a <= #5 1; $display("%0d %b", $time, a); #4 $display("%b", a); #2 $display("%b", a); end',
      ["0 0", "0", "1"],
    ],
    [
      "transport delay keeps every pulse",
      'reg a; initial begin a = 0; a <= #1 1; a <= #2 0; a <= #3 1; end initial $monitor("%0d %b", $time, a);',
      ["0 0", "1 1", "2 0", "3 1"],
    ],
    [
      "an intra-assignment event waits for it",
      'reg a, e; initial begin a = 0; e = 0; a = @(posedge e) 1; $display("%0d %b", $time, a); end initial #7 e = 1;',
      ["7 1"],
    ],
    [
      "repeat counts the events",
      'reg a, e; initial begin e = 0; a = repeat (3) @(posedge e) 1; $display("%0d", $time); end initial repeat (8) #5 e = ~e;',
      ["25"],
    ],
    [
      "a concatenation takes its parts from the right",
      'reg [3:0] a; reg [1:0] b; reg c; initial begin {c, a, b} = 7\'b1_0110_01; $display("%b %b %b", c, a, b); end',
      ["1 0110 01"],
    ],
  ],
  "9.4 and 9.5 choices": [
    ["an unknown condition is false", 'reg x; initial if (x) $display("yes"); else $display("no");', ["no"]],
    [
      "else belongs to the nearest if",
      'reg a, b; initial begin a = 1; b = 0; if (a) if (b) $display("1"); else $display("2"); end',
      ["2"],
    ],
    [
      "case compares x and z literally",
      'reg [1:0] s; initial begin s = 2\'b1x; case (s) 2\'b10: $display("a"); 2\'b1x: $display("b"); default: $display("c"); endcase end',
      ["b"],
    ],
    [
      "the first label that fits wins",
      'reg [1:0] s; initial begin s = 1; case (s) 1: $display("a"); 1: $display("b"); endcase end',
      ["a"],
    ],
    [
      "casez leaves z and ? out",
      'reg [3:0] s; initial begin s = 4\'b1011; casez (s) 4\'b0???: $display("a"); 4\'b1?11: $display("b"); default: $display("c"); endcase end',
      ["b"],
    ],
    [
      "casez takes x as a value",
      'reg [1:0] s; initial begin s = 2\'b1x; casez (s) 2\'b10: $display("a"); 2\'b11: $display("b"); 2\'b1?: $display("c"); endcase end',
      ["c"],
    ],
    [
      "casex leaves x out on both sides",
      'reg [1:0] s; initial begin s = 2\'b1x; casex (s) 2\'b00: $display("a"); 2\'b11: $display("b"); endcase end',
      ["b"],
    ],
    [
      "labels widen to the largest",
      'reg [3:0] s; initial begin s = 4\'hF; case (s) 5\'h1F: $display("a"); 5\'h0F: $display("b"); endcase end',
      ["b"],
    ],
    [
      "signed only if all are",
      'reg signed [3:0] s; initial begin s = -1; case (s) 4\'d15: $display("u"); default: $display("d"); endcase case (s) -1: $display("s"); endcase end',
      ["u", "s"],
    ],
    [
      "case (1) tests conditions in order",
      'reg [2:0] r; initial begin r = 3\'b110; case (1\'b1) r[0]: $display("0"); r[1]: $display("1"); r[2]: $display("2"); endcase end',
      ["1"],
    ],
    [
      "several labels share a branch",
      'reg [2:0] r; integer i; initial for (i = 0; i < 5; i = i + 1) begin r = i; case (r) 0, 2, 4: $write("e"); 1, 3: $write("o"); endcase if (i == 4) $write("\\n"); end',
      ["eoeoe"],
    ],
  ],
  "9.6 loops": [
    ["for", 'integer i; initial for (i = 0; i < 3; i = i + 1) $display("%0d", i);', ["0", "1", "2"]],
    ["while", 'integer i; initial begin i = 8; while (i > 1) i = i / 2; $display("%0d", i); end', ["1"]],
    [
      "repeat takes its count once",
      'integer n; initial begin n = 3; repeat (n) n = n + 1; $display("%0d", n); end',
      ["6"],
    ],
    [
      "repeat of x runs no turn",
      'integer n; reg [3:0] x; initial begin n = 0; repeat (x) n = n + 1; $display("%0d", n); end',
      ["0"],
    ],
    [
      "forever with disable",
      'integer n; initial begin n = 0; begin : out forever begin #1 n = n + 1; if (n == 4) disable out; end end $display("%0d %0d", $time, n); end',
      ["4 4"],
    ],
    [
      "disable of the body skips to the next turn",
      'integer i, n; initial begin n = 0; for (i = 0; i < 5; i = i + 1) begin : turn if (i == 2) disable turn; n = n + i; end $display("%0d", n); end',
      ["8"],
    ],
  ],
  "9.7 timing": [
    ["delays add up", 'initial begin #3 $display("%0d", $time); #4 $display("%0d", $time); end', ["3", "7"]],
    [
      "a zero delay goes behind what is active",
      'initial begin #0 $display("b"); end initial $display("a");',
      ["a", "b"],
    ],
    ["an expression as delay", 'integer n; initial begin n = 3; #(n * 2) $display("%0d", $time); end', ["6"]],
    ["an unknown delay is none", 'reg [3:0] d; initial begin #d $display("%0d", $time); end', ["0"]],
    [
      "posedge comes of 0 to x and x to 1 too",
      'reg c; integer n; initial begin n = 0; c = 0; #1 c = 1\'bx; #1 c = 1; #1 c = 0; #1 c = 1; #1 $display("%0d", n); end always @(posedge c) n = n + 1;',
      ["3"],
    ],
    [
      "negedge comes of 1 to x and x to 0",
      'reg c; integer n; initial begin n = 0; #1 c = 0; #1 c = 1; #1 c = 1\'bx; #1 c = 0; #1 $display("%0d", n); end always @(negedge c) n = n + 1;',
      ["3"],
    ],
    [
      "an edge looks at the lowest bit",
      'reg [1:0] c; integer n; initial begin n = 0; c = 0; #1 c = 2; #1 c = 3; #1 $display("%0d", n); end always @(posedge c) n = n + 1;',
      ["1"],
    ],
    [
      "a level event needs a change",
      'reg [3:0] a; integer n; initial begin n = 0; a = 1; #1 a = 1; #1 a = 2; #1 $display("%0d", n); end always @(a) n = n + 1;',
      ["2"],
    ],
    [
      "or and commas are alike",
      'reg a, b, c; integer n; initial begin n = 0; #1 a = 1; #1 b = 1; #1 c = 1; #1 $display("%0d", n); end always @(a or b, c) n = n + 1;',
      ["3"],
    ],
    [
      "an event of an expression",
      'reg [3:0] a; integer n; initial begin n = 0; a = 0; #1 a = 4; #1 a = 5; #1 $display("%0d", n); end always @(a[0]) n = n + 1;',
      ["2"],
    ],
    [
      "@* follows what is read",
      'reg a, b; reg y; always @* y = a & b; initial begin a = 1; b = 1; #1 $display("%b", y); b = 0; #1 $display("%b", y); end',
      ["1", "0"],
    ],
    [
      "@* follows a memory's elements",
      'reg [3:0] m [0:1]; reg i; reg [3:0] y; always @* y = m[i]; initial begin m[0] = 5; m[1] = 6; i = 0; #1 $display("%0d", y); i = 1; #1 $display("%0d", y); m[1] = 7; #1 $display("%0d", y); end',
      ["5", "6", "7"],
    ],
    ["named events", 'event e; initial begin #3 -> e; #2 -> e; end always @(e) $display("%0d", $time);', ["3", "5"]],
    [
      "wait passes at once if it holds",
      'reg a; initial begin a = 1; wait (a) $display("%0d", $time); a = 0; wait (a) $display("%0d", $time); end initial #9 a = 1;',
      ["0", "9"],
    ],
  ],
  "9.8 blocks": [
    [
      "fork joins all",
      'initial begin fork #3 $display("3"); #1 $display("1"); begin #2 $display("2"); end join $display("%0d", $time); end',
      ["1", "2", "3", "3"],
    ],
    [
      "nested forks",
      'initial fork begin #2 fork #1 $display("a"); #2 $display("b"); join $display("c"); end #3 $display("d"); join',
      ["d", "a", "b", "c"],
    ],
    [
      "variables of a named block",
      'initial begin : blk integer n; n = 5; n = n + 1; $display("%0d", n); end initial #1 $display("%0d", blk.n);',
      ["6", "6"],
    ],
    [
      "disable ends another block",
      'initial begin : slow #10 $display("no"); end initial #5 disable slow; initial #20 $display("end");',
      ["end"],
    ],
    [
      "disable ends the branches of a fork",
      'initial begin fork : f #10 $display("a"); begin #3 disable f; end join $display("%0d", $time); end',
      ["3"],
    ],
  ],
  "10 tasks and functions": [
    [
      "a function gives its value",
      'function [7:0] twice(input [7:0] a); twice = a * 2; endfunction initial $display("%0d", twice(21));',
      ["42"],
    ],
    [
      "arguments are cut to their size",
      'function [3:0] low(input [3:0] a); low = a; endfunction initial $display("%0d", low(8\'h35));',
      ["5"],
    ],
    [
      "old style headers",
      'function integer add; input a, b; integer a, b; add = a + b; endfunction initial $display("%0d", add(2, 3));',
      ["5"],
    ],
    [
      "recursion in an automatic function",
      'function automatic integer fact(input integer n); fact = n <= 1 ? 1 : n * fact(n - 1); endfunction initial $display("%0d", fact(6));',
      ["720"],
    ],
    [
      "a static function keeps its variables",
      'function integer count(input dummy); integer n; begin if (n === 32\'bx) n = 0; n = n + 1; count = n; end endfunction integer i; initial begin i = count(0); i = count(0); $display("%0d", count(0)); end',
      ["3"],
    ],
    [
      "a constant function sizes a vector",
      'function integer log2(input integer n); begin log2 = 0; while (n > 1) begin n = n >> 1; log2 = log2 + 1; end end endfunction localparam W = log2(300); reg [W-1:0] v; initial $display("%0d", $bits(v));',
      ["8"],
    ],
    [
      "a task gives outputs when it ends",
      'task half(input [7:0] a, output [7:0] q); begin #2 q = a / 2; end endtask reg [7:0] r; initial begin r = 0; half(50, r); $display("%0d %0d", $time, r); end',
      ["2 25"],
    ],
    [
      "inout arguments go in and out",
      'task inc(inout integer n); n = n + 1; endtask integer k; initial begin k = 5; inc(k); inc(k); $display("%0d", k); end',
      ["7"],
    ],
    [
      "a static task shares its arguments",
      'task show(input integer n); begin #5 $display("%0d", n); end endtask initial show(1); initial #1 show(2);',
      ["2", "2"],
    ],
    [
      "an automatic task has its own",
      'task automatic show(input integer n); begin #5 $display("%0d", n); end endtask initial show(1); initial #1 show(2);',
      ["1", "2"],
    ],
    [
      "a task sees the module's signals",
      'reg [3:0] q; task set; q = 9; endtask initial begin set; $display("%0d", q); end',
      ["9"],
    ],
    [
      "disable returns from a task",
      'task t(input integer n); begin : body if (n == 0) disable body; $display("%0d", n); end endtask initial begin t(0); t(1); end',
      ["1"],
    ],
    [
      "disabling a task from outside ends its call",
      'task slow; begin #10 $display("no"); end endtask initial begin slow; $display("%0d", $time); end initial #4 disable slow;',
      ["4"],
    ],
    [
      "functions call functions",
      'function [7:0] a(input [7:0] x); a = x + 1; endfunction function [7:0] b(input [7:0] x); b = a(a(x)); endfunction initial $display("%0d", b(5));',
      ["7"],
    ],
    [
      "real functions",
      'function real area(input real r); area = 3.0 * r * r; endfunction initial $display("%0.2f", area(1.5));',
      ["6.75"],
    ],
  ],
  "9.3 procedural continuous assignments": [
    [
      "force holds a variable",
      'reg a; initial begin a = 0; force a = 1; a = 0; #1 $display("%b", a); release a; #1 $display("%b", a); a = 0; #1 $display("%b", a); end',
      ["1", "1", "0"],
    ],
    [
      "force holds a net, release gives it back",
      'reg d; wire w; assign w = d; initial begin d = 0; #1 force w = 1; #1 $display("%b", w); d = 0; release w; #1 $display("%b", w); end',
      ["1", "0"],
    ],
    [
      "force and assign of several at once",
      'reg [3:0] a, b; wire [3:0] w; reg [7:0] v; reg c; assign w = 4\'h3; initial begin v = 8\'h5A; force {a, w} = v; #1 $display("%h %h", a, w); v = 8\'hC7; #1 $display("%h %h", a, w); release {a, w}; #1 $display("%h %h", a, w); assign {c, b} = v[4:0]; v = 8\'h1F; #1 $display("%b %h", c, b); deassign {c, b}; v = 0; #1 $display("%b %h", c, b); end',
      ["5 a", "c 7", "c 3", "1 f", "1 f"],
    ],
    [
      "assign and deassign",
      'reg q, c; initial begin q = 0; c = 1; assign q = c; q = 0; #1 $display("%b", q); c = 0; #1 $display("%b", q); deassign q; q = 1; #1 $display("%b", q); end',
      ["1", "0", "1"],
    ],
    [
      "force follows its expression",
      'reg a, b; initial begin a = 0; b = 0; force a = ~b; #1 $display("%b", a); b = 1; #1 $display("%b", a); end',
      ["1", "0"],
    ],
  ],
  "6.1 continuous assignments": [
    [
      "follow their operands",
      'reg a; wire y; assign y = ~a; initial begin a = 0; #1 $display("%b", y); a = 1; #1 $display("%b", y); end',
      ["1", "0"],
    ],
    [
      "a short pulse does not pass an inertial delay",
      'reg a; wire y; assign #5 y = a; initial begin a = 0; #10 a = 1; #2 a = 0; #20 $display("done"); end always @(posedge y) $display("pulse");',
      ["done"],
    ],
    [
      "a long one does, later",
      'reg a; wire y; assign #5 y = a; initial begin a = 0; #10 a = 1; #8 a = 0; end always @(posedge y) $display("%0d", $time);',
      ["15"],
    ],
    [
      "rise and fall have their own delays",
      'reg a; wire y; assign #(2, 6) y = a; initial begin a = 0; #10 a = 1; #10 a = 0; end always @(y) $display("%0d %b", $time, y);',
      ["6 0", "12 1", "26 0"],
    ],
    [
      "drive parts",
      "wire [7:0] y; assign y[3:0] = 4'h5; assign y[7:4] = 4'hA; initial #1 $display(\"%h\", y);",
      ["a5"],
    ],
    [
      "on a concatenation",
      "wire c; wire [3:0] s; assign {c, s} = 4'd9 + 4'd8; initial #1 $display(\"%b %0d\", c, s);",
      ["1 1"],
    ],
    ["two drivers that differ make x", 'wire y; assign y = 1; assign y = 0; initial #1 $display("%b", y);', ["x"]],
    [
      "z gives way",
      "reg e; wire y; assign y = e ? 1'b1 : 1'bz; assign y = e ? 1'bz : 1'b0; initial begin e = 1; #1 $display(\"%b\", y); e = 0; #1 $display(\"%b\", y); end",
      ["1", "0"],
    ],
  ],
  "4.6 and 7.10 nets": [
    ["wand", 'wand w; assign w = 1; assign w = 0; initial #1 $display("%b", w);', ["0"]],
    ["wor", 'wor w; assign w = 1; assign w = 0; initial #1 $display("%b", w);', ["1"]],
    ["wand of x and 0", 'wand w; assign w = 1\'bx; assign w = 0; initial #1 $display("%b", w);', ["0"]],
    ["tri0 and tri1 rest", 'tri0 a; tri1 b; initial #1 $display("%b%b", a, b);', ["01"]],
    ["tri1 gives way to a driver", 'tri1 a; assign a = 0; initial #1 $display("%b", a);', ["0"]],
    ["supplies", 'supply0 g; supply1 p; initial #1 $display("%b%b", g, p);', ["01"]],
    ["a supply wins over a driver", 'supply1 p; assign p = 0; initial #1 $display("%b", p);', ["1"]],
    [
      "trireg keeps its charge",
      "reg e; trireg t; assign t = e ? 1'b1 : 1'bz; initial begin e = 1; #1 e = 0; #1 $display(\"%b\", t); end",
      ["1"],
    ],
    ["pull strengths lose", 'wire w; assign (pull1, pull0) w = 1; assign w = 0; initial #1 $display("%b", w);', ["0"]],
    [
      "pullup",
      'reg e; wire w; pullup (w); assign w = e ? 1\'b0 : 1\'bz; initial begin e = 0; #1 $display("%b", w); e = 1; #1 $display("%b", w); end',
      ["1", "0"],
    ],
    ["nothing drives: z", 'wire w; initial #1 $display("%b", w);', ["z"]],
    ["highz on one side", 'wire w; pullup (w); assign (strong0, highz1) w = 1; initial #1 $display("%b", w);', ["1"]],
  ],
  "7 gates": [
    [
      "and, or, xor with many inputs",
      'reg a, b, c; wire x, y, z; and (x, a, b, c); or (y, a, b, c); xor (z, a, b, c); initial begin a = 1; b = 1; c = 0; #1 $display("%b%b%b", x, y, z); end',
      ["010"],
    ],
    [
      "nand, nor, xnor",
      'reg a, b; wire x, y, z; nand (x, a, b); nor (y, a, b); xnor (z, a, b); initial begin a = 1; b = 0; #1 $display("%b%b%b", x, y, z); end',
      ["100"],
    ],
    [
      "buf and not with several outputs",
      'reg a; wire x, y, z; buf (x, y, a); not (z, a); initial begin a = 1; #1 $display("%b%b%b", x, y, z); end',
      ["110"],
    ],
    ["buf makes x of z", 'wire a, x; buf (x, a); initial #1 $display("%b", x);', ["x"]],
    [
      "bufif1 and notif0",
      'reg d, e; wire x, y; bufif1 (x, d, e); notif0 (y, d, e); initial begin d = 1; e = 0; #1 $display("%b%b", x, y); e = 1; #1 $display("%b%b", x, y); end',
      ["z0", "1z"],
    ],
    [
      "nmos and pmos",
      'reg d, g; wire x, y; nmos (x, d, g); pmos (y, d, g); initial begin d = 1; g = 1; #1 $display("%b%b", x, y); g = 0; #1 $display("%b%b", x, y); end',
      ["1z", "z1"],
    ],
    [
      "gates with delays and names",
      'reg a; wire x; not #3 g1 (x, a); initial begin a = 0; #2 $display("%b", x); #2 $display("%b", x); end',
      ["x", "1"],
    ],
    [
      "arrays of gates",
      "reg [3:0] a, b; wire [3:0] y; and g [3:0] (y, a, b); initial begin a = 4'b1100; b = 4'b1010; #1 $display(\"%b\", y); end",
      ["1000"],
    ],
    [
      "one bit goes to every gate of an array",
      'reg [3:0] a; reg e; wire [3:0] y; bufif1 g [3:0] (y, a, e); initial begin a = 4\'b1100; e = 1; #1 $display("%b", y); end',
      ["1100"],
    ],
  ],
  "11 scheduling": [
    [
      "non-blocking ones come behind all active ones",
      'reg a; initial begin a = 0; a <= 1; #0 $display("%b", a); end initial #1 $display("%b", a);',
      ["0", "1"],
    ],
    [
      "a chain of registers shifts by one",
      'reg c, a, b, d; initial begin c = 0; {a, b, d} = 3\'b100; #1 c = 1; #1 $display("%b%b%b", a, b, d); end always @(posedge c) b <= a; always @(posedge c) d <= b; always @(posedge c) a <= 0;',
      ["010"],
    ],
    [
      "an always block does not start itself",
      'reg a; integer n; initial begin n = 0; a = 0; #1 a = 1; #1 $display("%0d", n); end always @(a) begin n = n + 1; if (n < 10) a = ~a; end',
      ["1"],
    ],
    [
      "events of one slot wake a process once",
      'reg a, b; integer n; initial begin n = 0; #1 a = 1; b = 1; #1 $display("%0d", n); end always @(a or b) n = n + 1;',
      ["1"],
    ],
  ],
};

for (const [clause, cases] of Object.entries(groups)) {
  describe(`IEEE 1364-2005 clause ${clause}`, () => {
    for (const [what, text, expected] of cases)
      it(what, () => expect(linesOf(`module t;\n${text}\nendmodule\n`, { until: 1e-6 }, "t.v")).toEqual(expected));
  });
}

describe("a run that does not end by itself", () => {
  it("stops at its time limit, with final blocks run", () => {
    const ran = runText('module t; reg c = 0; always #5 c = ~c; final $display("end at %0d", $time); endmodule', {
      until: 100e-9,
    });
    expect(ran).toMatchObject({ end: "limit", text: "end at 100\n" });
  });
  it("names the members of a loop without delay, with their lines", () => {
    const text =
      "module t;\n  reg a;\n  wire b, c;\n  assign b = ~c;\n  assign c = b & a;\n  initial begin a = 0; #5 a = 1; end\nendmodule\n";
    const ran = runText(text);
    expect(ran.end).toBe("runaway");
    const [finding] = ran.findings.filter((each) => each.includes("sim/zero-delay-loop"));
    expect(finding).toMatch(/t\.sv:[45]:/);
    expect(finding).toContain("'b'");
    expect(finding).toContain("'c'");
  });
  it("stops a loop that never waits, at its own line", () => {
    const ran = runText(
      "module t;\n  integer i;\n  initial begin\n    i = 0;\n    while (1) i = i + 1;\n  end\nendmodule\n",
    );
    expect(ran.end).toBe("runaway");
    expect(ran.findings.join()).toMatch(/zero-delay-loop/);
  });
  it("stops a recursion without an end", () => {
    const ran = runText(
      "module t; function automatic integer f(input integer n); f = f(n + 1); endfunction initial $display(f(0)); endmodule",
    );
    expect(ran.end).toBe("runaway");
    expect(ran.findings.join()).toContain("sim/recursion");
  });
  it("ends by $finish, $stop and $fatal", () => {
    expect(
      runText('module t; initial begin #1 $finish; $display("no"); end initial #9 $display("no"); endmodule'),
    ).toMatchObject({ end: "finish", text: "" });
    expect(runText("module t; initial #1 $stop; endmodule").end).toBe("stop");
    const fatal = runText('module t; initial #1 $fatal(1, "broken %0d", 7); endmodule');
    expect(fatal.end).toBe("fatal");
    expect(fatal.findings[0]).toContain("broken 7");
  });
});

it("were also run as constant functions are, with the same result", () => expect(opinions).toBeGreaterThan(20));
