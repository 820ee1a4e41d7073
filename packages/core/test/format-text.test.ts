import { readdirSync, readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { formatVhdl } from "../src/hdl/vhdl/format-text.ts";
import { formatVerilog } from "../src/index.ts";

const cut = (text: string) => text.replace(/^\n/, "").replace(/\n\s*$/, "\n");
/** All that has a meaning: text without its blanks, but for those between two words. */
const meaning = (text: string) =>
  text
    .replace(/[ \t\r\n]+/g, " ")
    .replace(/ ?([^\w$`\\"' ]) ?/g, "$1")
    .trim();

const designs = fileURLToPath(new URL("../../../designs/", import.meta.url));
const files = readdirSync(designs, { recursive: true, encoding: "utf8" }).filter((name) => /\.(v|sv)$/.test(name));

describe("laying out source text", () => {
  it("leaves text that is laid out as it is", () => {
    const text = cut(`
// Counts picks.
module picks #(
  parameter WIDTH = 8
) (
  input clk,
  input [WIDTH-1:0] step, // how far
  output reg [WIDTH-1:0] count
);
  wire far = count >= 8'd200
    || step == 0;

  always @(posedge clk or
    negedge far)
    if (far) count <= 0;
    else if (step[0]) begin
      count <= count + step;
    end else
      count <= count - 1;

  always_comb begin
    case (count)
      0, 1: idle = 1;
      2:
        idle = 0;
      default: begin
        idle = 0;
      end
    endcase
  end

  function automatic [3:0] low(input [7:0] x);
    low = x[3:0];
  endfunction

  initial begin : start
    repeat (3) @(posedge clk);
    do
      n = n + 1;
    while (n < 4);
    fork
      #5 a = 1;
      wait (b) c = 1;
    join_any
    disable fork;
  end : start
endmodule
`);
    expect(formatVerilog(text)).toBe(text);
  });
  it("indents by structure, whatever was there before", () => {
    expect(
      formatVerilog(
        cut(`
module m(input a,input b);
always@(posedge a)begin
if(b)x<=1;
else
if(c)
y<=2;
else y<=3;
\tz\t<= 4;   \t
end


initial
begin
for(i=0;i<4;i=i+1)
 if (i==2)
begin
q = {a,
b};
end
$finish;
end
endmodule`),
      ),
    ).toBe(
      cut(`
module m(input a, input b);
  always @(posedge a) begin
    if (b) x <= 1;
    else
      if (c)
        y <= 2;
      else y <= 3;
    z <= 4;
  end

  initial
  begin
    for (i = 0; i < 4; i = i+1)
      if (i == 2)
      begin
        q = {a,
          b};
      end
    $finish;
  end
endmodule
`),
    );
  });
  it("lays out types, packages, interfaces and instances", () => {
    const text = cut(`
package p;
  typedef struct packed {
    logic [3:0] low;
    logic high;
  } pair_t;
  typedef enum logic [1:0] {
    rest,
    beat
  } phase_t;
  import "DPI-C" function int draw(int x);
endpackage

interface loom_if;
  logic [7:0] weft;
  modport left(
    input weft
  );
endinterface

module top(loom_if.left l);
  (* keep *)
  reg held;
  counter #(.W(8)) c (
    .clk(clk),
    .q(q)
  );
  genvar i;
  generate
    for (i = 0; i < 4; i = i + 1) begin : lane
      assign y[i] = x[i]
        ? a
        : b;
    end
  endgenerate
  initial assert (x) else $error("no");
  initial begin
    unique case (x) inside
      [0:3]: y = 1;
      default: ;
    endcase
  end
endmodule
`);
    expect(formatVerilog(text)).toBe(text);
  });
  it("keeps comments with what they belong to, and directives and macros whole", () => {
    expect(
      formatVerilog(
        cut(`
\`define TWO(x) x; \\
      x
module m;
   /* a
        b
      c */
  \`TWO(a = 1)
    reg b;
\`ifdef FAST
always @(posedge c) begin
\`else
always @(posedge d) begin
\`endif
// why
x <= 1;//short
end
endmodule`),
      ),
    ).toBe(
      cut(`
\`define TWO(x) x; \\
      x
module m;
  /* a
       b
     c */
  \`TWO(a = 1)
  reg b;
  \`ifdef FAST
  always @(posedge c) begin
  \`else
  always @(posedge d) begin
  \`endif
    // why
    x <= 1; //short
  end
endmodule
`),
    );
  });
  it("keeps names with their blank, strings and numbers as they are", () => {
    const text = 'module m;\n  wire \\a+b =c ;\n  initial $display("a=b;  (\\" begin", 4 \'b1?0, \'h ff);\nendmodule\n';
    const laid = formatVerilog(text);
    expect(laid).toContain("\\a+b = c ;");
    expect(laid).toContain('"a=b;  (\\" begin", 4 \'b1?0, \'h ff');
  });
  it.each(files)("changes nothing that has a meaning in %s, and nothing at the second time", (name) => {
    const text = readFileSync(designs + name, "utf8");
    const laid = formatVerilog(text);
    expect(meaning(laid)).toBe(meaning(text));
    expect(formatVerilog(laid)).toBe(laid);
    // however it was indented before
    const flat = text.replace(/^[ \t]+/gm, "");
    expect(formatVerilog(flat).replace(/[ \t]+/g, " ")).toBe(laid.replace(/[ \t]+/g, " "));
  });
  it("takes any text, and comes to rest at once", () => {
    const words = fc.constantFrom(
      ...'module endmodule begin end if else for case endcase ( ) [ ] { } ; : , @ # = <= always initial fork join x 4\'b1 "s" // \n \n `ifdef `else `endif `M do while function endfunction /* */ \\e assert'.split(
        / (?!\n)/,
      ),
      "\n",
      "\t",
      "  ",
    );
    fc.assert(
      fc.property(fc.array(words, { maxLength: 60 }), (list) => {
        const text = list.join(" ");
        const laid = formatVerilog(text);
        expect(laid.replace(/\s/g, "")).toBe(text.replace(/\s/g, ""));
        expect(formatVerilog(laid)).toBe(laid);
      }),
      { numRuns: 2000 },
    );
  });
});

describe("VHDL text laid out", () => {
  it("takes any text, changes blanks alone, and comes to rest at once", () => {
    const words = fc.constantFrom(
      ..."entity is port ( ) ; : end architecture of begin process if then elsif else case when => generate for loop record block component function return package /* */ -- x '1' \"s\"".split(
        " ",
      ),
      "\n",
      "\t",
    );
    fc.assert(
      fc.property(fc.array(words, { maxLength: 60 }), (list) => {
        const text = list.join(" ");
        const laid = formatVhdl(text);
        expect(laid.replace(/\s/g, "")).toBe(text.replace(/\s/g, ""));
        expect(formatVhdl(laid)).toBe(laid);
      }),
      { numRuns: 1000 },
    );
  });
  it("counts the blocks that begin on the last line of a comment", () => {
    const text = `process\nbegin /* the shed\n opens */ if a then\nx <= '1';\nend if;\nend process;\n`;
    expect(formatVhdl(text)).toBe(
      `process\nbegin /* the shed\n opens */ if a then\n    x <= '1';\n  end if;\nend process;\n`,
    );
  });
});
