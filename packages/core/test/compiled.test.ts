import { describe, expect, it } from "vitest";
import { recordAll, simulate, VcdSink } from "../src/index.ts";
import { type LevelNode, levelOrder } from "../src/simulate/verilog/levels.ts";

/** What the compiler does to make runs fast must not be seen: each case is one where a careless shortcut would show. */
function run(text: string, recorded = false): string {
  let printed = "";
  const outcome = simulate(
    [{ name: "t.sv", text }],
    { top: "tb", record: recorded ? recordAll : null },
    { print: (piece) => void (printed += piece.text), ...(recorded ? { sink: new VcdSink(() => {}) } : {}) },
  );
  const errors = outcome.findings.filter((finding) => finding.severity === "error");
  expect(errors.map((finding) => finding.message)).toEqual([]);
  return printed;
}

describe("order of combinational processes", () => {
  it("puts each behind those that it depends on, and leaves cycles out", () => {
    let state = 7;
    const next = (below: number) => {
      state = (Math.imul(state, 1103515245) + 12345) >>> 0;
      return (state >>> 8) % below;
    };
    for (let turn = 0; turn < 200; turn++) {
      const count = 1 + next(40);
      // process p writes signal p; who reads it is drawn by lot, mostly forward
      const readers = Array.from({ length: count }, (_, p) =>
        Array.from({ length: next(4) }, () => (next(12) === 0 ? next(count) : p + 1 + next(count))).filter(
          (each) => each < count,
        ),
      );
      const nodes: LevelNode[] = Array.from({ length: count }, (_, p) => ({
        process: p,
        writes: new Set([p]),
        ignoresItself: p % 3 === 0,
      }));
      const order = levelOrder(nodes, (signal) => readers[signal]);
      const at = new Map(order.map((process, i) => [process, i]));
      // reachability by a second, slow method
      const reach = readers.map((list) => new Set(list));
      for (let k = 0; k < count; k++)
        for (let i = 0; i < count; i++) if (reach[i].has(k)) for (const j of reach[k]) reach[i].add(j);
      for (let p = 0; p < count; p++) {
        const loops = readers.map((list, q) => list.filter((each) => !(nodes[q].ignoresItself && each === q)));
        const others = [...reach[p]].some((q) => q !== p && reach[q].has(p));
        expect(at.has(p)).toBe(!others && !loops[p].includes(p));
        if (at.has(p))
          for (const q of readers[p]) if (at.has(q) && q !== p) expect(at.get(q)).toBeGreaterThan(at.get(p)!);
      }
    }
  });

  it("carries a change through a long chain written backwards", () => {
    const links = Array.from({ length: 150 }, (_, i) => `assign w[${149 - i}] = w[${150 - i}] + 1;`);
    const text = `module tb; wire [15:0] w [0:150]; reg [15:0] s = 5; ${links.join("\n")} assign w[150] = s;
      initial begin #1 $write("%0d ", w[0]); s = 100; #1 $write("%0d", w[0]); end endmodule`;
    expect(run(text)).toBe("155 250");
  });

  it("settles before a register that samples, and after one that changes", () => {
    const text = `module tb; reg clk = 0; reg [7:0] q = 0; wire [7:0] a = q + 1, b = a * 2, c = b - a; reg [7:0] seen = 0;
      always @(posedge clk) begin q <= c; seen <= b; end
      initial begin repeat (4) begin #5 clk = 1; #5 clk = 0; end $write("%0d %0d", q, seen); end endmodule`;
    // c = q + 1, b = 2(q + 1)
    expect(run(text)).toBe("4 8");
  });
});

describe("variables kept by a process while it runs", () => {
  it("still show a pulse to whoever waits for its edge", () => {
    const text = `module tb; reg p = 0; reg a = 0; integer n = 0;
      always @(a) begin p = 1; p = 0; end
      always @(posedge p) n = n + 1;
      initial begin #1 a = 1; #1 a = 0; #1 $write("%0d", n); end endmodule`;
    expect(run(text)).toBe("2");
  });

  it("keep their value where a way through the block does not assign them", () => {
    const text = `module tb; reg [3:0] d = 0, y; reg e = 0; reg [3:0] t;
      always @* begin if (e) t = d; y = t + 1; end
      initial begin d = 3; e = 1; #1 $write("%0d ", y); e = 0; #1 d = 9; #1 $write("%0d", y); end endmodule`;
    expect(run(text)).toBe("4 4");
  });

  it("may be one loop variable for several blocks", () => {
    const text = `module tb; integer i; reg [7:0] a, x, y;
      always @* begin x = 0; for (i = 0; i < 8; i = i + 1) x = x + a[i]; end
      always @* begin y = 0; for (i = 0; i < 8; i = i + 1) y[i] = a[7 - i]; end
      initial begin a = 8'h35; #1 $write("%0d %h ", x, y); a = 8'h01; #1 $write("%0d %h %0d", x, y, i); end endmodule`;
    expect(run(text)).toBe("4 ac 1 80 8");
  });

  it("are x again when x comes in", () => {
    const text = `module tb; reg [3:0] a; reg [3:0] s; integer k;
      always @(a) begin s = 0; for (k = 0; k < 4; k = k + 1) s = s + a[k]; end
      initial begin a = 4'b1011; #1 $write("%b ", s); a = 4'b1x11; #1 $write("%b ", s); a = 4'b0001; #1 $write("%b", s); end
      endmodule`;
    expect(run(text)).toBe("0011 xxxx 0001");
  });

  it("are seen by functions that look at them", () => {
    const text = `module tb; reg [7:0] base, y, a;
      function [7:0] over(input [7:0] v); over = v + base; endfunction
      always @* begin base = a * 2; y = over(1); end
      initial begin a = 4; #1 $write("%0d ", y); a = 10; #1 $write("%0d", y); end endmodule`;
    expect(run(text)).toBe("9 21");
  });

  it("have their last value after a way out in the middle", () => {
    const text = `module tb; logic [7:0] a = 0, y, k;
      always_comb begin y = 1; for (k = 0; k < 8; k = k + 1) begin if (a[k[2:0]]) break; y = y + 1; end y = y + 10; end
      initial begin #1 $write("%0d ", y); a = 8; #1 $write("%0d %0d", y, k); end endmodule`;
    expect(run(text)).toBe("19 14 3");
  });

  it("are recorded once a time slot with what they hold at its end", () => {
    let dump = "";
    simulate(
      [
        {
          name: "t.v",
          text: `\`timescale 1ns/1ns
module tb; reg [1:0] a = 0; reg [3:0] t; integer k;
always @* begin t = 0; for (k = 0; k < 3; k = k + 1) t = t + a; end
initial begin #1 a = 1; #1 a = 2; #1 $finish; end endmodule`,
        },
      ],
      { top: "tb", record: recordAll },
      { sink: new VcdSink((piece) => void (dump += piece)) },
    );
    const code = /\$var reg 4 (\S+) t /.exec(dump)![1];
    const values = [...dump.matchAll(new RegExp(`^b(\\w+) ${code.replace(/[^\w]/g, "\\$&")}$`, "gm"))].map((m) => m[1]);
    expect(values).toEqual(["0", "11", "110"]);
  });
});

describe("functions", () => {
  it("keep what earlier calls left where a variable is not always assigned", () => {
    const text = `module tb; 
      function [7:0] count(input on); reg [7:0] n; begin if (on) n = 0; else n = n + 1; count = n; end endfunction
      initial $write("%0d %0d %0d", count(1), count(0), count(0)); endmodule`;
    expect(run(text)).toBe("0 1 2");
  });

  it("keep a result that not every way assigns", () => {
    const text = `module tb; function [7:0] last(input [7:0] v); if (v != 0) last = v; endfunction
      initial $write("%0d %0d", last(7), last(0)); endmodule`;
    expect(run(text)).toBe("7 7");
  });

  it("can be looked into from outside", () => {
    const text = `module tb; function [7:0] twice(input [7:0] v); reg [7:0] t; begin t = v * 2; twice = t; end endfunction
      reg [7:0] r; initial begin r = twice(21); $write("%0d %0d", r, twice.t); end endmodule`;
    expect(run(text)).toBe("42 42");
  });

  it("give x and wide results", () => {
    const text = `module tb; function [3:0] mix(input [3:0] a, input [3:0] b); reg [3:0] t; begin t = a ^ b; mix = t | 1; end endfunction
      function [39:0] wide(input [7:0] v); wide = {5{v}}; endfunction
      initial $write("%b %h", mix(4'b10x0, 4'b0110), wide(8'h5a)); endmodule`;
    expect(run(text)).toBe("11x1 5a5a5a5a5a");
  });
});

describe("queues of registers", () => {
  it("assign many elements of an array at one edge, the last one wins", () => {
    const text = `module tb; reg clk = 0; reg [31:0] m [0:2047]; integer i; reg [31:0] sum;
      always @(posedge clk) begin for (i = 0; i < 2048; i = i + 1) m[i] <= 32'hF0000000 + i; m[3] <= 7; end
      initial begin #1 clk = 1; #1 sum = 0; for (i = 0; i < 2048; i = i + 1) sum = sum ^ m[i]; $write("%h %0d %h", sum, m[3], m[2047]); end
      endmodule`;
    let sum = 0;
    for (let i = 0; i < 2048; i++) sum ^= i === 3 ? 7 : 0xf0000000 + i;
    expect(run(text)).toBe(`${(sum >>> 0).toString(16).padStart(8, "0")} 7 f00007ff`);
  });

  it("give threads that wait for the edge the values before it", () => {
    const text = `module tb; reg clk = 0; reg [31:0] n = 32'hFFFFFFFE; always #5 clk = ~clk;
      always @(posedge clk) n <= n + 1;
      initial begin repeat (3) begin @(posedge clk); $write("%h ", n); end @(negedge clk) $write("%h", n); $finish; end
      endmodule`;
    expect(run(text)).toBe("fffffffe ffffffff 00000000 00000001");
  });

  it("let a thread that was ended while it waited for an edge go", () => {
    const text = `module tb; reg clk = 0; integer n = 0; always #5 clk = ~clk;
      initial begin : outer
        fork begin : inner forever begin @(posedge clk); n = n + 1; end end join
      end
      initial begin #23 disable outer; #40 $write("%0d", n); $finish; end endmodule`;
    expect(run(text)).toBe("2");
  });
});
