import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { elaborate } from "../src/elaborate/index.ts";
import { findingsOf } from "./helpers/build.ts";

const at = (text: string, code: string) =>
  findingsOf(text)
    .filter((finding) => finding.code === code)
    .map((finding) => `${finding.place.line}:${finding.place.column}`);
const codes = (text: string) => findingsOf(text).map((finding) => finding.code);

describe("syntax findings", () => {
  it("puts a missing semicolon at the end of its own line, once, with the repair", () => {
    const findings = findingsOf("module m(input a, output y);\n  wire b = a\n  assign y = b;\nendmodule\n");
    expect(findings).toHaveLength(1);
    expect(findings[0]).toMatchObject({
      code: "verilog/syntax",
      place: { line: 2 },
      edit: { text: ";", line: 2, column: 13 },
    });
  });
  it("finds several mistakes in one pass, each on its line", () => {
    const text =
      "module m(input clk, input [3:0] a, output reg [3:0] q, output y);\n  assign y = a + ;\n  always @(posedge clk)\n    if (a[0] q <= a;\n  wire [ z;\nendmodule\nmodule n(output y);\n  assign y = undeclared_thing;\nendmodule\n";
    const lines = new Set(
      findingsOf(text)
        .filter((finding) => finding.severity === "error")
        .map((finding) => finding.place.line),
    );
    for (const line of [2, 4, 5, 8]) expect(lines).toContain(line);
  });
  it("tells where a block that is never closed begins", () => {
    expect(
      at(
        "module m(input clk, output reg q);\nalways @(posedge clk) begin\n  q <= 1;\nendmodule\n",
        "verilog/missing-end",
      ),
    ).toEqual(["2:23"]);
  });
  it("finds the block whose end is missing by its layout, and puts the end in", () => {
    const text = [
      "module m(input clk, input a, output reg y, output reg z);",
      "  always @(posedge clk) begin",
      "    if (a) begin",
      "      if (y) begin",
      "        y <= 0;",
      "      end",
      "      y <= 1;",
      "    z <= a;",
      "  end",
      "endmodule",
      "",
    ];
    const findings = findingsOf(text.join("\n"));
    expect(findings).toHaveLength(1);
    expect(findings[0]).toMatchObject({ code: "verilog/missing-end", place: { line: 3, column: 12 } });
    expect(findings[0].edit).toMatchObject({ line: 8, column: 1, text: "    end\n" });
    const repaired = [...text.slice(0, 7), "    end", ...text.slice(7)].join("\n");
    expect(codes(repaired)).toEqual([]);
  });
  it("takes the next label of a case for the end of the block before it", () => {
    const body = (end: string) =>
      `module m(input clk, input [1:0] a, output reg y);\n  localparam A = 0;\n  always @(posedge clk) begin\n    case (a)\n      A: begin\n        y <= 1;\n${end}      2'd1: begin\n        y <= 0;\n      end\n      default: begin\n        y <= a[0];\n      end\n    endcase\n  end\nendmodule\n`;
    const findings = findingsOf(body(""));
    expect(findings.map((finding) => [finding.code, finding.place.line])).toEqual([["verilog/missing-end", 5]]);
    expect(codes(body("      end\n"))).toEqual([]);
  });
  it("does not take the label of a statement for that of a case", () => {
    const text =
      "module t; logic [1:0] a; initial case (a)\n  0: begin\n    held: assert (a == 0);\n    out: begin a = 1; end\n  end\n  default: a = 0;\nendcase endmodule\n";
    const { findings } = elaborate([{ name: "t.sv", text }]);
    expect(findings.filter((finding) => finding.code !== "design/bench-top")).toEqual([]);
  });
  it("offers the ports that are still open for one that is unknown", () => {
    const text =
      "module m(input a, output y);\n  inverter u(.a(a), .z(y));\nendmodule\nmodule inverter(input a, output y);\n  assign y = ~a;\nendmodule\n";
    const finding = findingsOf(text).find((each) => each.code === "verilog/unknown-port");
    expect(finding?.remedy).toContain("'y'");
  });
  it("names the module of a missing endmodule", () => {
    expect(at("module m(input a, output y);\nassign y = a;\n", "verilog/missing-endmodule")).toEqual(["1:8"]);
  });
});

describe("circuit findings", () => {
  it("takes loops in the branch of an asynchronous reset for what they are", () => {
    const body = (loop: string) =>
      `module m(input clk, rst, input [3:0] d, output [3:0] y);\n  logic [3:0] t [0:3];\n  always @(posedge clk or posedge rst)\n    if (rst) begin\n      ${loop}\n    end else t[d[1:0]] <= d;\n  assign y = t[d[3:2]];\nendmodule\n`;
    expect(codes(body("for (int i = 0; i < 4; i++) t[i] <= i;"))).toEqual([]);
    expect(codes(body("begin : all integer i; for (i = 0; i < 4; i = i + 1) t[i] <= 0; end"))).toEqual([]);
    expect(codes(body("foreach (t[i]) t[i] <= '0;"))).toEqual([]);
  });
  it("suggests the nearest declared name, and offers it as an edit", () => {
    const [finding] = findingsOf("module m(input count, output y);\n  assign y = coutn;\nendmodule\n");
    expect(finding).toMatchObject({
      code: "verilog/undeclared",
      place: { line: 2, column: 14 },
      edit: { text: "count", column: 14, endColumn: 19 },
    });
  });
  it("reports nets without a driver where they are read, and outputs", () => {
    expect(at("module m(output y, output z);\n  wire a;\n  assign y = a;\nendmodule\n", "verilog/undriven")).toEqual([
      "1:27",
      "2:8",
    ]);
  });
  it("reports only the bits that lack a driver", () => {
    const [finding] = findingsOf("module m(input a, output [3:0] y);\n  assign y[2:1] = {a, a};\nendmodule\n");
    expect(finding.message).toContain("0, 3");
  });
  it("reports several drivers with both places", () => {
    const [finding] = findingsOf("module m(input a, b, output y);\n  assign y = a;\n  assign y = b;\nendmodule\n");
    expect(finding).toMatchObject({ code: "verilog/several-drivers", place: { line: 3 } });
    expect(finding.related?.[0].place.line).toBe(2);
  });
  it("reports truncation, but not by the 32 bits of a plain number", () => {
    expect(at("module m(input [7:0] a, output [3:0] y);\n  assign y = a;\nendmodule\n", "verilog/truncated")).toEqual([
      "2:14",
    ]);
    expect(codes("module m(input clk, output reg [3:0] q);\n  always @(posedge clk) q <= q + 1;\nendmodule\n")).toEqual(
      [],
    );
  });
  it("reports port widths that differ", () => {
    expect(
      codes(
        "module leaf(input [3:0] a, output y);\n assign y = ^a;\nendmodule\nmodule m(input [2:0] a, output y);\n  leaf l(.a(a), .y(y));\nendmodule\n",
      ),
    ).toContain("verilog/port-width");
  });
  it("reports an inferred latch, and none where every branch assigns", () => {
    expect(codes("module m(input e, d, output reg q);\n  always @* if (e) q = d;\nendmodule\n")).toContain(
      "verilog/latch",
    );
    expect(
      codes(
        "module m(input [1:0] s, input [3:0] d, output reg q);\n  always @* case (s) 0: q = d[0]; 1: q = d[1]; 2: q = d[2]; 3: q = d[3]; endcase\nendmodule\n",
      ),
    ).toEqual([]);
    expect(
      codes("module m(input e, d, output reg q);\n  always @* begin q = 0; if (e) q = d; end\nendmodule\n"),
    ).toEqual([]);
  });
  it("names the members of a combinational loop, also across instances", () => {
    const text =
      "module inv(input a, output y);\n  assign y = ~a;\nendmodule\nmodule m(input e, output y);\n  wire p, q;\n  inv i0(.a(p), .y(q));\n  assign p = q & e;\n  assign y = q;\nendmodule\n";
    const finding = findingsOf(text).find((each) => each.code === "circuit/comb-loop");
    expect(finding?.message).toMatch(/p/);
    expect(finding?.message).toMatch(/q/);
  });
  it("does not take a shift within one vector for a loop", () => {
    expect(
      codes(
        "module m(input a, output [3:0] y);\n  wire [3:0] t;\n  assign t = {t[2:0], a} & 4'b1111;\n  assign y = t;\nendmodule\n",
      ),
    ).toEqual([]);
  });
  it("reports unknown modules, ports and parameters with a suggestion", () => {
    const text =
      "module leaf #(parameter WIDTH = 1)(input a, output y);\n assign y = a;\nendmodule\nmodule m(input a, output y, z);\n  leaf #(.WIDHT(2)) l(.a(a), .yy(y));\n  leef k(.a(a), .y(z));\nendmodule\n";
    const findings = findingsOf(text, "m");
    expect(findings.find((each) => each.code === "verilog/unknown-module")?.remedy).toContain("leaf");
    expect(findings.find((each) => each.code === "verilog/unknown-port")?.remedy).toContain("'y'");
    expect(findings.find((each) => each.code === "verilog/unknown-parameter")?.remedy).toContain("WIDTH");
  });
  it("refuses a module that contains itself", () => {
    expect(
      codes("module m(input a, output y);\n  m inner(.a(a), .y(y));\nendmodule\n").some(
        (code) => code === "verilog/recursion" || code === "design/no-top",
      ),
    ).toBe(true);
  });
  it("stays silent on well-written code", () => {
    expect(
      codes(`module fifo #(parameter W = 4, D = 4)(input clk, rst, put, get, input [W-1:0] din, output [W-1:0] dout, output full, empty);
  reg [W*D-1:0] store; reg [2:0] count; reg [1:0] rd, wr;
  assign full = count == D; assign empty = count == 0; assign dout = store[rd*W +: W];
  always @(posedge clk) if (rst) begin count <= 0; rd <= 0; wr <= 0; end else begin
    if (put && !full) begin store[wr*W +: W] <= din; wr <= wr + 1'b1; end
    if (get && !empty) rd <= rd + 1'b1;
    count <= count + (put && !full) - (get && !empty);
  end
endmodule`),
    ).toEqual([]);
  });
});

describe("findings on how design code is written", () => {
  const cases: [name: string, code: string, at: string, text: string][] = [
    [
      "a declaration that nothing uses",
      "verilog/unused",
      "2:8",
      "module m(input a, output y);\n  wire spare;\n  assign y = a;\nendmodule\n",
    ],
    [
      "a register that nothing reads",
      "verilog/never-read",
      "2:7",
      "module m(input c, a, output y);\n  reg spare;\n  assign y = a;\n  always @(posedge c) spare <= a;\nendmodule\n",
    ],
    [
      "an input that nothing reads",
      "verilog/unused-input",
      "1:19",
      "module m(input a, b, output y);\n  assign y = a;\nendmodule\n",
    ],
    [
      "an event list with a gap",
      "verilog/sensitivity",
      "2:10",
      "module m(input a, b, output reg y);\n  always @(a) y = a & b;\nendmodule\n",
    ],
    [
      "= in a clocked block, read outside",
      "verilog/blocking-in-clocked",
      "3:23",
      "module m(input c, a, output reg y);\n  reg q;\n  always @(posedge c) q = a;\n  always @(posedge c) y <= q;\nendmodule\n",
    ],
    [
      "<= in a combinational block",
      "verilog/nonblocking-in-comb",
      "2:13",
      "module m(input a, output reg y);\n  always @* y <= ~a;\nendmodule\n",
    ],
    [
      "both in one block",
      "verilog/mixed-assignment",
      "1:33",
      "module m(input c, a, output reg y);\n  always @(posedge c) begin y = a; y <= ~y; end\nendmodule\n",
    ],
    [
      "a clock made by logic",
      "circuit/logic-clock",
      "3:14",
      "module m(input c, e, d, output reg q);\n  wire g;\n  assign g = c & e;\n  always @(posedge g) q <= d;\nendmodule\n",
    ],
    [
      "a reset register that is data too",
      "verilog/reset-as-data",
      "5:28",
      "module m(input c, a, output reg q, p);\n  reg r;\n  always @(posedge c) r <= a;\n  always @(posedge c or posedge r) if (r) q <= 0; else q <= ~q;\n  always @(posedge c) p <= r;\nendmodule\n",
    ],
    [
      "a latch, at the branch that leaves it",
      "verilog/latch",
      "3:5",
      "module m(input e, d, output reg q);\n  always @*\n    if (e) q = d;\nendmodule\n",
    ],
    [
      "a case without a default that matters",
      "verilog/latch",
      "3:5",
      "module m(input [1:0] s, input d, output reg q);\n  always @*\n    case (s) 0: q = d; 1: q = ~d; endcase\nendmodule\n",
    ],
    [
      "a delay in design code",
      "verilog/not-synthesizable",
      "3:5",
      "module m(input c, d, output reg q);\n  always @(posedge c) begin\n    #5 q <= d;\n  end\nendmodule\n",
    ],
    [
      "a real number in design code",
      "verilog/not-synthesizable",
      "3:15",
      "module m(input a, output y);\n  real r;\n  assign y = (r > 0.5) & a;\nendmodule\n",
    ],
    [
      "z inside of the part",
      "verilog/tristate",
      "3:10",
      "module m(input e, d, output y);\n  wire n;\n  assign n = e ? d : 1'bz;\n  assign y = ~n;\nendmodule\n",
    ],
    [
      "a part-select against its declaration",
      "verilog/part-select",
      "2:14",
      "module m(input [7:0] a, output [3:0] y);\n  assign y = a[0:3];\nendmodule\n",
    ],
    [
      "an index outside",
      "verilog/out-of-range",
      "2:16",
      "module m(input [7:0] a, output y);\n  assign y = a[8];\nendmodule\n",
    ],
    [
      "a function that gives no value",
      "verilog/no-result",
      "2:12",
      "module m(input a, output y);\n  function f(input b); reg t; t = b; endfunction\n  assign y = f(a);\nendmodule\n",
    ],
    [
      "a module that instantiates itself",
      "verilog/recursion",
      "5:5",
      "module top(input a, output y);\n  m u(a, y);\nendmodule\nmodule m(input a, output y);\n  m u(a, y);\nendmodule\n",
    ],
  ];
  for (const [name, code, place, text] of cases)
    it(`tell of ${name}`, () => {
      const found = findingsOf(text).filter((finding) => finding.code === code);
      expect(found.map((finding) => `${finding.place.line}:${finding.place.column}`)).toContain(place);
      expect(found[0].remedy).toBeTruthy();
    });

  it("repair by edits that silence them", () => {
    const texts = [
      "module m(input a, b, output reg y);\n  always @(a) y = a & b;\nendmodule\n",
      "module m(input c, a, output reg y);\n  reg q;\n  always @(posedge c) q = a;\n  always @(posedge c) y <= q;\nendmodule\n",
      "module m(input a, output reg y);\n  always @* y <= ~a;\nendmodule\n",
      "module m(input [7:0] a, output [3:0] y);\n  assign y = a[4:7];\nendmodule\n",
      "module m(input a, output y);\n  assign y = a\nendmodule\n",
      "module m(input a, output y);\n  always @* y = a;\nendmodule\n",
      "module m(input clk, output y);\n  assign y = ckl;\nendmodule\n",
    ];
    for (const text of texts) {
      const edit = findingsOf(text).find((finding) => finding.edit)?.edit;
      expect(edit, text).toBeDefined();
      const lines = text.split("\n");
      const offset = (line: number, column: number) =>
        lines.slice(0, line - 1).reduce((sum, each) => sum + each.length + 1, 0) + column - 1;
      const repaired =
        text.slice(0, offset(edit!.line!, edit!.column!)) +
        edit!.text +
        text.slice(offset(edit!.endLine!, edit!.endColumn!));
      expect(codes(repaired), repaired).toEqual([]);
    }
  });

  it("stay away from well-written modules", () => {
    const texts = [
      `module fifo #(parameter WIDTH = 8, parameter DEPTH = 16, localparam ADDR = $clog2(DEPTH)) (
  input  logic clk, input logic rst_n,
  input  logic push, input logic pop, input logic [WIDTH-1:0] din,
  output logic [WIDTH-1:0] dout, output logic full, output logic empty);
  logic [WIDTH-1:0] store [DEPTH];
  logic [ADDR:0] wr, rd;
  assign full  = (wr[ADDR] != rd[ADDR]) && (wr[ADDR-1:0] == rd[ADDR-1:0]);
  assign empty = wr == rd;
  assign dout  = store[rd[ADDR-1:0]];
  always_ff @(posedge clk or negedge rst_n)
    if (!rst_n) begin wr <= '0; rd <= '0; end
    else begin
      if (push && !full) wr <= wr + 1'b1;
      if (pop && !empty) rd <= rd + 1'b1;
    end
  always_ff @(posedge clk) if (push && !full) store[wr[ADDR-1:0]] <= din;
endmodule`,
      `module fsm(input clk, input rst, input go, input done, output reg busy);
  localparam IDLE = 2'd0, RUN = 2'd1, WAIT = 2'd2;
  reg [1:0] state, next;
  always @(posedge clk) if (rst) state <= IDLE; else state <= next;
  always @(*) begin
    next = state;
    busy = 1'b1;
    case (state)
      IDLE: begin busy = 1'b0; if (go) next = RUN; end
      RUN: if (done) next = WAIT;
      WAIT: next = IDLE;
      default: next = IDLE;
    endcase
  end
endmodule`,
      `module mac(input clk, input signed [7:0] a, b, output reg signed [19:0] sum);
  reg signed [15:0] product;
  always @(posedge clk) begin : stage
    reg signed [15:0] p;
    p = a * b;
    product <= p;
    sum <= sum + product;
  end
  initial sum = 0;
endmodule`,
    ];
    for (const text of texts) expect(elaborate([{ name: "t.sv", text }]).findings, text).toEqual([]);
  });
});

describe("odd files", () => {
  const cases: [string, string, string][] = [
    ["empty", "", "source/empty"],
    ["binary", "module m;\0\x01\x02", "verilog/not-text"],
    ["control characters", String.fromCharCode(...Array.from({ length: 400 }, (_, i) => i % 8)), "verilog/not-text"],
    ["not Verilog", "Dear sir,\nplease find the loom attached.\n", "verilog/syntax"],
  ];
  for (const [name, text, code] of cases) it(`are told apart: ${name}`, () => expect(codes(text)).toContain(code));

  it("reads CR LF, tabs and a byte order mark like plain text, with the same places", () => {
    const plain = "module m(input a, output y);\n  assign y = b;\nendmodule\n";
    const odd = `\uFEFF${plain.replace(/\n/g, "\r\n").replace("  assign", "\tassign")}`;
    expect(at(plain, "verilog/undeclared")).toEqual(["2:14"]);
    expect(at(odd, "verilog/undeclared")).toEqual(["2:13"]);
  });
  it("survives five megabytes", () => {
    const text = `module m(input a, output y);\n${"  // thread by thread\n".repeat(240_000)}  assign y = a;\nendmodule\n`;
    expect(text.length).toBeGreaterThan(5_000_000);
    expect(codes(text)).toEqual([]);
  });
  it("reports a very deep expression instead of running out of stack", () => {
    expect(
      codes(`module m(input a, output y);\n  assign y = ${"(".repeat(20_000)}a${")".repeat(20_000)};\nendmodule\n`),
    ).toContain("verilog/too-deep");
    expect(
      codes(`module m(input a, output y);\n  assign y = ${"~".repeat(20_000)}a;\nendmodule\n`).length,
    ).toBeGreaterThan(0);
  });
  it("ends a generate loop or a for loop that would not", () => {
    expect(
      codes(
        "module m(output y);\n genvar i; generate for (i = 0; i < 1; i = i + 0) begin : g end endgenerate\n assign y = 0;\nendmodule",
      ),
    ).toContain("verilog/endless-generate");
    expect(
      codes(
        "module m(input a, output reg y);\n integer i; always @* begin y = a; for (i = 0; i < 10; i = i + 0) y = ~y; end\nendmodule",
      ),
    ).toContain("verilog/endless-loop");
  });

  const words = [
    "module",
    "endmodule",
    "begin",
    "end",
    "if",
    "else",
    "case",
    "endcase",
    "always",
    "assign",
    "@",
    "(",
    ")",
    "*",
    "posedge",
    "clk",
    "a",
    "b",
    "[3:0]",
    "[",
    "]",
    "{",
    "}",
    ";",
    ",",
    "<=",
    "=",
    "+",
    "4'b10xz",
    "'",
    '"',
    "reg",
    "wire",
    "input",
    "output",
    "generate",
    "endgenerate",
    "for",
    "genvar",
    "function",
    "endfunction",
    "#",
    ".",
    ":",
    "?",
    "`define",
    "`ifdef",
    "\n",
    "/*",
    "//",
    "localparam",
    "integer",
    "initial",
    "m",
  ];
  it("never throws and always ends, whatever the words", () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...words), { maxLength: 80 }), (list) => {
        const { findings } = elaborate([{ name: "f.v", text: list.join(" ") }]);
        for (const finding of findings) expect(finding.place.line ?? 1).toBeGreaterThan(0);
      }),
      { numRuns: 3000, seed: 5 },
    );
  });
  it("never throws on a design with a piece cut out or doubled", () => {
    const text =
      "module leaf #(parameter N = 3)(input clk, input [N-1:0] a, output reg [N-1:0] q);\n  always @(posedge clk) begin case (a) 0: q <= q + 1; default: q <= {a[0], q[N-1:1]}; endcase end\nendmodule\nmodule top(input clk, input [7:0] a, output [7:0] y);\n  genvar i; generate for (i = 0; i < 2; i = i + 1) begin : g leaf #(.N(4)) l(.clk(clk), .a(a[4*i +: 4]), .q(y[4*i +: 4])); end endgenerate\nendmodule\n";
    fc.assert(
      fc.property(fc.nat(text.length), fc.nat(60), fc.boolean(), (from, length, doubles) => {
        const cut = doubles
          ? text.slice(0, from + length) + text.slice(from)
          : text.slice(0, from) + text.slice(from + length);
        elaborate([{ name: "f.v", text: cut }]);
      }),
      { numRuns: 300, seed: 6 },
    );
  });
});
