import { describe, expect, it } from "vitest";
import { formatFinding, quietContext } from "../src/common/index.ts";
import { findPart } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { cellKind } from "../src/netlist/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { synthesize, synthOptionsFor } from "../src/synth/index.ts";

/** What a text must become. What is left out must be 0, but for LUTs and registers, which are then not looked at. */
interface Becomes {
  /** Elements of carry chains. */
  readonly carry?: number;
  readonly memories?: number;
  readonly multipliers?: number;
  readonly luts?: number;
  readonly registers?: number;
  readonly machines?: number;
  readonly shifts?: number;
}
type Case = readonly [what: string, text: string, becomes: Becomes, part?: string];

const v = (ports: string, body: string) => `module m(input clk, ${ports});\n${body}\nendmodule`;
const at = (body: string) => `always @(posedge clk) ${body}`;
const vhdl = (ports: string, declarations: string, body: string) =>
  `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity m is port (clk : in std_logic; ${ports}); end entity;
architecture rtl of m is ${declarations} begin ${body} end architecture;`;
const rising = (body: string) => `process (clk) begin if rising_edge(clk) then ${body} end if; end process;`;
const word = (name: string, bits: number, kind = "unsigned", direction = "in") =>
  `${name} : ${direction} ${kind}(${bits - 1} downto 0)`;

const arithmetic: Case[] = [
  ["a sum of 8 bits", v("input [7:0] a, b, output [7:0] y", "assign y = a + b;"), { carry: 8 }],
  ["a sum of 32 bits", v("input [31:0] a, b, output [31:0] y", "assign y = a + b;"), { carry: 32, luts: 32 }],
  ["a sum with its carry out", v("input [7:0] a, b, output [8:0] y", "assign y = a + b;"), { carry: 9 }],
  ["a sum with a carry in", v("input c, input [7:0] a, b, output [7:0] y", "assign y = a + b + c;"), { carry: 9 }],
  ["a difference", v("input [7:0] a, b, output [7:0] y", "assign y = a - b;"), { carry: 8, luts: 8 }],
  [
    "an absolute value",
    v("input signed [15:0] a, output [15:0] y", "assign y = a < 0 ? -a : a;"),
    { carry: 17, luts: 17 },
  ],
  ["a sign that a control turns", v("input s, input [9:0] a, output [9:0] y", "assign y = s ? a : -a;"), { carry: 11 }],
  ["a negation", v("input [7:0] a, output [7:0] y", "assign y = -a;"), { carry: 8 }],
  ["a sum of two bits", v("input [1:0] a, b, output [1:0] y", "assign y = a + b;"), { luts: 2 }],
  ["a sum of three words", v("input [7:0] a, b, c, output [7:0] y", "assign y = a + b + c;"), { carry: 16 }],
  ["a sum with a constant", v("input [11:0] a, output [11:0] y", "assign y = a + 12'd5;"), { carry: 12 }],
  ["a sum with a power of two", v("input [15:0] a, output [15:0] y", "assign y = a + 16'h0100;"), { carry: 8 }],
  [
    "a sum or a difference, by a control",
    v("input s, input [7:0] a, b, output [7:0] y", "assign y = s ? a - b : a + b;"),
    { carry: 9 },
  ],
  [
    "signed words of two widths",
    v("input signed [5:0] a, input signed [8:0] b, output signed [8:0] y", "assign y = a + b;"),
    { carry: 9 },
  ],
  ["a counter", v("output reg [7:0] q", at("q <= q + 1'b1;")), { carry: 8, registers: 8, luts: 8 }],
  ["a counter that goes down", v("output reg [7:0] q", at("q <= q - 1'b1;")), { carry: 8, registers: 8, luts: 8 }],
  [
    "a counter with enable and reset",
    v("input r, e, output reg [9:0] q", at("if (r) q <= 0; else if (e) q <= q + 1'b1;")),
    { carry: 10, registers: 10, luts: 10 },
  ],
  [
    "a counter with a load",
    v("input l, input [7:0] d, output reg [7:0] q", at("q <= l ? d : q + 1'b1;")),
    { carry: 8, registers: 8 },
  ],
  [
    "an accumulator",
    v("input [11:0] d, output reg [11:0] q", at("q <= q + d;")),
    { carry: 12, registers: 12, luts: 12 },
  ],
  ["a comparison of 16 bits", v("input [15:0] a, b, output y", "assign y = a < b;"), { carry: 17 }],
  ["a signed comparison", v("input signed [15:0] a, b, output y", "assign y = a >= b;"), { carry: 17 }],
  ["a comparison of 6 bits", v("input [5:0] a, b, output y", "assign y = a > b;"), {}],
  [
    "a comparison of 8 bits, four inputs a LUT",
    v("input [7:0] a, b, output y", "assign y = a < b;"),
    { carry: 9 },
    "FE-64-P44-2C",
  ],
  ["an equality", v("input [15:0] a, b, output y", "assign y = a == b;"), { luts: 7 }],
  ["an equality of 32 bits", v("input [31:0] a, b, output y", "assign y = a == b;"), { luts: 13 }],
  ["a wide AND", v("input [35:0] a, output y", "assign y = &a;"), { luts: 7 }],
  ["a wide OR, four inputs a LUT", v("input [15:0] a, output y", "assign y = |a;"), { luts: 5 }, "FE-64-P44-2C"],
  ["a comparison with a constant of 8 bits", v("input [7:0] a, output y", "assign y = a < 8'd100;"), {}],
  [
    "a sum that is never read",
    v("input [7:0] a, b, output [7:0] y", "wire [7:0] s = a + b; assign y = a;"),
    { luts: 0 },
  ],
  ["a sum with 0", v("input [7:0] a, output [7:0] y", "assign y = a + 8'd0;"), { luts: 0 }],
  [
    "one sum of two choices",
    v("input s, input [7:0] a, b, c, d, output [7:0] y", "assign y = s ? a + b : c + d;"),
    { carry: 8 },
  ],
  [
    "one sum that is written twice",
    v("input [7:0] a, b, output [7:0] y, z", "assign y = a + b; assign z = b + a;"),
    { carry: 8, luts: 8 },
  ],
  [
    "VHDL: a sum",
    vhdl(`${word("a", 12)}; ${word("b", 12)}; ${word("y", 12, "unsigned", "out")}`, "", "y <= a + b;"),
    { carry: 12, luts: 12 },
  ],
  [
    "VHDL: a counter",
    vhdl(
      word("y", 9, "unsigned", "out"),
      "signal q : unsigned(8 downto 0) := (others => '0');",
      `${rising("q <= q + 1;")} y <= q;`,
    ),
    { carry: 9, registers: 9 },
  ],
  [
    "VHDL: a counter of an integer",
    vhdl(
      word("y", 8, "unsigned", "out"),
      "signal n : integer range 0 to 255 := 0;",
      `${rising("if n = 199 then n <= 0; else n <= n + 1; end if;")} y <= to_unsigned(n, 8);`,
    ),
    { carry: 8, registers: 8 },
  ],
  [
    "VHDL: a signed comparison",
    vhdl(
      `${word("a", 16, "signed")}; ${word("b", 16, "signed")}; y : out std_logic`,
      "",
      "y <= '1' when a < b else '0';",
    ),
    { carry: 17 },
  ],
];

const array = (width: number, depth: number) => `reg [${width - 1}:0] store [0:${depth - 1}];`;
const onePort = "input we, input [9:0] a, b, input [7:0] d, output reg [7:0] q";
const vhdlArray = (width: number, depth: number) =>
  `type store_t is array (0 to ${depth - 1}) of std_logic_vector(${width - 1} downto 0); signal store : store_t;`;
const vhdlPorts = `we : in std_logic; ${word("a", 10)}; ${word("b", 10)}; ${word("d", 8, "std_logic_vector")}; ${word("q", 8, "std_logic_vector", "out")}`;

const memories: Case[] = [
  [
    "a write and a read port",
    v(onePort, `${array(8, 1024)} ${at("begin if (we) store[a] <= d; q <= store[b]; end")}`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "one port, which reads first",
    v(onePort, `${array(8, 1024)} ${at("begin if (we) store[a] <= d; q <= store[a]; end")}`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "one port, which writes first",
    v(onePort, `${array(8, 1024)} ${at("begin if (we) begin store[a] <= d; q <= d; end else q <= store[a]; end")}`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a read with an enable",
    v(`input re, ${onePort}`, `${array(8, 1024)} ${at("begin if (we) store[a] <= d; if (re) q <= store[b]; end")}`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a read with an output register",
    v(onePort, `${array(8, 1024)} reg [7:0] r; ${at("begin if (we) store[a] <= d; r <= store[b]; q <= r; end")}`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "an output register with a reset",
    v(
      `input rst, ${onePort}`,
      `${array(8, 1024)} reg [7:0] r; ${at("begin if (we) store[a] <= d; r <= store[b]; if (rst) q <= 0; else q <= r; end")}`,
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "two clocks",
    v(
      `input clk2, ${onePort}`,
      `${array(8, 1024)} ${at("if (we) store[a] <= d;")} always @(posedge clk2) q <= store[b];`,
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a read at the falling edge",
    v(onePort, `${array(8, 1024)} ${at("if (we) store[a] <= d;")} always @(negedge clk) q <= store[b];`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "two ports that both write and read",
    v(
      "input wa, wb, input [9:0] a, b, input [7:0] d, e, output reg [7:0] p, q",
      `${array(8, 1024)} ${at("begin if (wa) store[a] <= d; p <= store[a]; end")} ${at("begin if (wb) store[b] <= e; q <= store[b]; end")}`,
    ),
    { memories: 1 },
  ],
  [
    "bytes that are enabled one by one",
    v(
      "input [3:0] we, input [8:0] a, input [31:0] d, output reg [31:0] q",
      `${array(32, 512)} integer i; ${at("begin for (i = 0; i < 4; i = i + 1) if (we[i]) store[a][8*i +: 8] <= d[8*i +: 8]; q <= store[a]; end")}`,
    ),
    { memories: 1, registers: 0 },
  ],
  [
    "two reads, two copies",
    v(
      "input we, input [9:0] a, b, c, input [7:0] d, output reg [7:0] p, q",
      `${array(8, 1024)} ${at("begin if (we) store[a] <= d; p <= store[b]; q <= store[c]; end")}`,
    ),
    { memories: 2 },
  ],
  [
    "words of 40 bits in two",
    v(
      "input we, input [7:0] a, b, input [39:0] d, output reg [39:0] q",
      `${array(40, 256)} ${at("begin if (we) store[a] <= d; q <= store[b]; end")}`,
    ),
    { memories: 2 },
  ],
  [
    "4,096 words of 8 bits in two",
    v(
      "input we, input [11:0] a, b, input [7:0] d, output reg [7:0] q",
      `${array(8, 4096)} ${at("begin if (we) store[a] <= d; q <= store[b]; end")}`,
    ),
    { memories: 2 },
  ],
  [
    "16,384 single bits",
    v(
      "input we, input [13:0] a, b, input d, output reg q",
      `reg store [0:16383]; ${at("begin if (we) store[a] <= d; q <= store[b]; end")}`,
    ),
    { memories: 1, registers: 0 },
  ],
  [
    "128 bits: too few",
    v(
      "input we, input [3:0] a, b, input [7:0] d, output reg [7:0] q",
      `${array(8, 16)} ${at("begin if (we) store[a] <= d; q <= store[b]; end")}`,
    ),
    { registers: 136 },
  ],
  [
    "a read without a clock",
    v(
      "input we, input [5:0] a, b, input [7:0] d, output [7:0] q",
      `${array(8, 64)} ${at("if (we) store[a] <= d;")} assign q = store[b];`,
    ),
    { registers: 512 },
  ],
  [
    "a part without memories",
    v(
      "input we, input [4:0] a, input [15:0] d, output reg [15:0] q",
      `${array(16, 32)} ${at("begin if (we) store[a] <= d; q <= store[a]; end")}`,
    ),
    { registers: 528 },
    "FE-256-P68-2C",
  ],
  [
    "Calico's block",
    v(onePort, `${array(8, 512)} ${at("begin if (we) store[a[8:0]] <= d; q <= store[b[8:0]]; end")}`),
    { memories: 1, registers: 0, luts: 0 },
    "CA-1-P84-2C",
  ],
  [
    "a table of constants, clocked",
    v(
      "input [9:0] a, output reg [7:0] q",
      `${array(8, 1024)} integer i; initial for (i = 0; i < 1024; i = i + 1) store[i] = (i * i) >> 3; ${at("q <= store[a];")}`,
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a table that is small",
    v(
      "input [4:0] a, output reg [3:0] q",
      `${array(4, 32)} integer i; initial for (i = 0; i < 32; i = i + 1) store[i] = i * 5; ${at("q <= store[a];")}`,
    ),
    { registers: 4, luts: 2 },
  ],
  [
    "an array that is cleared as a whole",
    v(
      `input rst, ${onePort}`,
      `${array(8, 16)} integer i; ${at("if (rst) for (i = 0; i < 16; i = i + 1) store[i] <= 0; else begin if (we) store[a[3:0]] <= d; q <= store[b[3:0]]; end")}`,
    ),
    { registers: 136 },
  ],
  [
    "a memory that nothing reads",
    v(
      "input we, input [9:0] a, input [7:0] d, output q",
      `${array(8, 1024)} ${at("if (we) store[a] <= d;")} assign q = we;`,
    ),
    { luts: 0, registers: 0 },
  ],
  [
    "VHDL: a write and a read port",
    vhdl(
      vhdlPorts,
      vhdlArray(8, 1024),
      rising("if we = '1' then store(to_integer(a)) <= d; end if; q <= store(to_integer(b));"),
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "VHDL: write first, by a variable",
    vhdl(
      vhdlPorts,
      "type store_t is array (0 to 1023) of std_logic_vector(7 downto 0);",
      "process (clk) variable store : store_t; begin if rising_edge(clk) then if we = '1' then store(to_integer(a)) := d; end if; q <= store(to_integer(a)); end if; end process;",
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "VHDL: a registered address",
    vhdl(
      vhdlPorts,
      `${vhdlArray(8, 1024)} signal r : unsigned(9 downto 0);`,
      `${rising("if we = '1' then store(to_integer(a)) <= d; end if; r <= b;")} q <= store(to_integer(r));`,
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "one port whose output holds while it writes",
    v(onePort, `${array(8, 1024)} ${at("if (we) store[a] <= d; else q <= store[a];")}`),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "two ports whose outputs hold while they write",
    v(
      "input wa, wb, input [9:0] a, b, input [7:0] d, e, output reg [7:0] p, q",
      `${array(8, 1024)} ${at("if (wa) store[a] <= d; else p <= store[a];")} ${at("if (wb) store[b] <= e; else q <= store[b];")}`,
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a table of constants, in VHDL",
    vhdl(
      `${word("a", 10)}; ${word("q", 8, "unsigned", "out")}`,
      `type table is array (0 to 1023) of unsigned(7 downto 0);
       function make return table is variable t : table; begin
         for i in table'range loop t(i) := to_unsigned((i * i) mod 251, 8); end loop; return t; end function;
       constant SQUARES : table := make;`,
      rising("q <= SQUARES(to_integer(a));"),
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a table of constants counted downwards, in VHDL",
    vhdl(
      `${word("a", 9)}; ${word("q", 16, "unsigned", "out")}`,
      `type table is array (511 downto 0) of unsigned(15 downto 0);
       function make return table is variable t : table; begin
         for i in table'range loop t(i) := to_unsigned((i * 977) mod 65521, 16); end loop; return t; end function;
       constant ROWS : table := make; signal r : unsigned(15 downto 0);`,
      rising("r <= ROWS(to_integer(a)); q <= r;"),
    ),
    { memories: 1, registers: 0, luts: 0 },
  ],
  [
    "a small table of constants, in VHDL",
    vhdl(
      `${word("a", 4)}; ${word("q", 8, "unsigned", "out")}`,
      `type table is array (0 to 15) of unsigned(7 downto 0);
       constant T : table := (x"00", x"11", x"23", x"35", x"47", x"59", x"6b", x"7d", x"8f", x"91", x"a3", x"b5", x"c7", x"d9", x"eb", x"fd");`,
      rising("q <= T(to_integer(a));"),
    ),
    { memories: 0, registers: 8 },
  ],
];

const product = (a: string, b: string, y: string) => `input ${a} a, input ${b} b, output ${y} y`;
const multipliers: Case[] = [
  ["a product", v(product("[7:0]", "[7:0]", "[15:0]"), "assign y = a * b;"), { multipliers: 1, luts: 0 }],
  [
    "a signed product",
    v(product("signed [17:0]", "signed [17:0]", "signed [35:0]"), "assign y = a * b;"),
    { multipliers: 1, luts: 0 },
  ],
  [
    "a signed by an unsigned word",
    v(product("signed [11:0]", "[9:0]", "signed [22:0]"), "assign y = a * $signed({1'b0, b});"),
    { multipliers: 1, luts: 0 },
  ],
  ["a square", v("input [11:0] a, output [23:0] y", "assign y = a * a;"), { multipliers: 1, luts: 0 }],
  ["a product of 3 bits", v(product("[2:0]", "[2:0]", "[5:0]"), "assign y = a * b;"), { luts: 6 }],
  ["a product with 10", v("input [7:0] a, output [11:0] y", "assign y = a * 4'd10;"), { carry: 9 }],
  ["a product with 8", v("input [7:0] a, output [10:0] y", "assign y = a * 4'd8;"), { luts: 1 }],
  [
    "a product of 24 bits in four",
    v(product("[23:0]", "[23:0]", "[47:0]"), "assign y = a * b;"),
    // the two in the middle are summed in a block; outer ones lie side by side, so that one chain adds 30 bits
    { multipliers: 4, carry: 30 },
  ],
  [
    "a register behind it",
    v(product("[11:0]", "[11:0]", "reg [23:0]"), at("y <= a * b;")),
    { multipliers: 1, luts: 0, registers: 0 },
  ],
  [
    "registers before it and behind",
    v(product("[11:0]", "[11:0]", "reg [23:0]"), `reg [11:0] p, q; ${at("begin p <= a; q <= b; y <= p * q; end")}`),
    { multipliers: 1, luts: 0, registers: 0 },
  ],
  [
    "three ranks of registers",
    v(
      product("[11:0]", "[11:0]", "reg [23:0]"),
      `reg [11:0] p, q; reg [23:0] r; ${at("begin p <= a; q <= b; r <= p * q; y <= r; end")}`,
    ),
    { multipliers: 1, luts: 0, registers: 0 },
  ],
  [
    "an accumulator behind it",
    v("input [11:0] a, b, output reg [31:0] y", at("y <= y + a * b;")),
    { multipliers: 1, luts: 0, registers: 0 },
  ],
  [
    "an accumulator with a reset",
    v("input r, input signed [11:0] a, b, output reg signed [31:0] y", at("if (r) y <= 0; else y <= y + a * b;")),
    { multipliers: 1, luts: 0, registers: 0 },
  ],
  [
    "a product and a sum",
    v("input [11:0] a, b, input [23:0] c, output [24:0] y", "assign y = a * b + c;"),
    { multipliers: 1, luts: 0 },
  ],
  [
    "a sum less a product",
    v("input [11:0] a, b, input [31:0] c, output [31:0] y", "assign y = c - a * b;"),
    { multipliers: 1, luts: 0 },
  ],
  [
    "a part without multipliers",
    v(product("[5:0]", "[6:0]", "[12:0]"), "assign y = a * b;"),
    { carry: 41 }, // rows of the shorter operand's bits, each added to those before
    "FE-256-P68-2C",
  ],
  [
    "a register that is read elsewhere too stays",
    v("input [11:0] a, b, output reg [11:0] p, output reg [23:0] y", at("begin p <= a; y <= p * b; end")),
    { multipliers: 1, registers: 12, luts: 0 },
  ],
  [
    "VHDL: a product",
    vhdl(`${word("a", 10)}; ${word("b", 10)}; ${word("y", 20, "unsigned", "out")}`, "", "y <= a * b;"),
    { multipliers: 1, luts: 0 },
  ],
  [
    "VHDL: a signed product with registers",
    vhdl(
      `${word("a", 12, "signed")}; ${word("b", 12, "signed")}; ${word("y", 24, "signed", "out")}`,
      "signal p, q : signed(11 downto 0);",
      rising("p <= a; q <= b; y <= p * q;"),
    ),
    { multipliers: 1, luts: 0, registers: 0 },
  ],
  [
    "a signed product of 24 bits in four",
    v("input signed [23:0] a, b, output signed [47:0] y", "assign y = a * b;"),
    { multipliers: 4, carry: 30 },
  ],
  [
    "a product of 40 bits in nine",
    v("input [39:0] a, input [39:0] b, output [79:0] y", "assign y = a * b;"),
    // words at 0 and 36, at 18 and 72, at 54: 62 bits and 26
    { multipliers: 9, carry: 88 },
    "TW-36-P304-2C",
  ],
];

const machine = (reset: string) =>
  `reg [1:0] s; ${at(`${reset}case (s) 0: if (go) s <= 1; 1: s <= 2; 2: if (!go) s <= 0; default: s <= 0; endcase`)} assign y = s == 2;`;
const others: Case[] = [
  [
    "a choice that is said to be complete",
    v(
      "input [1:0] s, input a, b, c, output reg y",
      "always_comb unique case (s) 0: y = a; 1: y = b; 3: y = c; endcase",
    ),
    { luts: 1, registers: 0 },
  ],
  [
    "a choice of five that is said to be complete",
    v(
      "input [2:0] s, input [4:0] a, output reg y",
      "always_comb priority case (s) 0: y = a[0]; 1: y = a[1]; 2: y = a[2]; 3: y = a[3]; 4: y = a[4]; endcase",
    ),
    { luts: 2 },
  ],
  ["a state machine", v("input r, go, output y", machine("if (r) s <= 0; else ")), { machines: 1, registers: 2 }],
  [
    "a state machine without a reset",
    v("input go, output y", `initial s = 0; ${machine("")}`),
    { machines: 1, registers: 2 },
  ],
  [
    "VHDL: a state machine of names",
    vhdl(
      "go : in std_logic; y : out std_logic",
      "type state_t is (rest, lift, weave, drop, faulty); signal s : state_t := rest;",
      `${rising("case s is when rest => if go = '1' then s <= lift; end if; when lift => s <= weave; when weave => if go = '0' then s <= drop; end if; when others => s <= rest; end case;")} y <= '1' when s = weave else '0';`,
    ),
    { machines: 1 },
  ],
  ["a counter is none", v("input e, output reg [3:0] q", at("if (e) q <= q + 1'b1;")), { registers: 4, luts: 4 }],
  ["a shift register", v("input d, output reg [7:0] q", at("q <= {q[6:0], d};")), { shifts: 1, registers: 8, luts: 0 }],
  [
    "a shift register that can be loaded is none",
    v("input l, input [7:0] d, output reg [7:0] q", at("q <= l ? d : {q[6:0], 1'b0};")),
    { registers: 8, luts: 8 },
  ],
  ["a multiplexer of 16", v("input [15:0] d, input [3:0] s, output y", "assign y = d[s];"), { luts: 5 }],
  ["a multiplexer of 4", v("input [3:0] d, input [1:0] s, output y", "assign y = d[s];"), { luts: 1 }],
  ["a chain of priorities", v("input [4:0] r, output [4:0] g", "assign g = r & (~r + 5'd1);"), { luts: 4 }],
  ["a parity of 36 bits", v("input [35:0] d, output y", "assign y = ^d;"), { luts: 7 }],
  [
    "a function of six inputs",
    v("input [5:0] d, output y", "assign y = (d[0] & d[1]) ^ (d[2] | d[3]) ^ (d[4] & ~d[5]);"),
    { luts: 1 },
  ],
  [
    "equal registers are one",
    v("input d, output reg p, q", at("begin p <= d; q <= d; end")),
    { registers: 1, luts: 0 },
  ],
  [
    "a register that never changes is none",
    v("input d, output y", `reg k = 1; ${at("k <= 1'b1;")} assign y = d & k;`),
    { registers: 0, luts: 0 },
  ],
  [
    "a register of a constant through another",
    v("input d, output y", `reg k = 0, l = 0; ${at("begin k <= 1'b0; l <= k; end")} assign y = d | l;`),
    { registers: 0, luts: 0 },
  ],
  [
    "registers that nothing reads",
    v("input d, output y", `reg [7:0] k; ${at("k <= {k, d};")} assign y = d;`),
    { registers: 0, luts: 0 },
  ],
  [
    "a set and a reset",
    v("input r, d, e, output reg [3:0] q", at("if (r) q <= 4'b1010; else if (e) q <= {q[2:0], d};")),
    { registers: 4, luts: 0, shifts: 1 },
  ],
  [
    "an asynchronous reset",
    "module m(input clk, r, input [3:0] d, output reg [3:0] q); always @(posedge clk or posedge r) if (r) q <= 4'd3; else q <= d; endmodule",
    { registers: 4, luts: 0 },
  ],
  ["a latch", v("input e, d, output reg q", "always @* if (e) q = d;"), { luts: 1, registers: 0 }],
];

function outcome(text: string, partName: string) {
  const part = findPart(partName).part!;
  const file = { name: text.startsWith("library") ? "m.vhd" : "m.v", text };
  const { artifact, findings } = elaborate([file], {});
  if (!artifact) throw new Error(`${findings.map(formatFinding).join("\n")}\n${text}`);
  const options = synthOptionsFor(part);
  const netlist = synthesize(artifact.netlist, options, quietContext()).artifact!;
  const count = (kind: number) => netlist.kind.filter((each) => each === kind).length;
  const found = (kind: string) => netlist.inferred.filter((item) => item.kind === kind).length;
  return {
    counts: {
      carry: netlist.chains.reduce((sum, chain) => sum + chain.lut.length, 0),
      memories: netlist.blocks.filter((block) => block.modes.type === "memory").length,
      multipliers: netlist.blocks.filter((block) => block.modes.type === "multiplier").length,
      luts: count(cellKind.lut),
      registers: count(cellKind.flipFlop),
      machines: found("state machine"),
      shifts: found("shift register"),
    },
    proof: prove(artifact.netlist, netlist, options, { ...defaultProveOptions, cycles: 100 }, quietContext()),
  };
}

const kinds: [string, Case[]][] = [
  ["sums and comparisons", arithmetic],
  ["memories", memories],
  ["products", multipliers],
  ["other structures", others],
];
for (const [kind, cases] of kinds)
  describe(`${kind} become what the part has for them, and do what was written`, () => {
    for (const [what, text, becomes, part] of cases)
      it(what, () => {
        const { counts, proof } = outcome(text, part ?? "TW-2-P144-2C");
        const wanted = { carry: 0, memories: 0, multipliers: 0, machines: 0, shifts: 0, ...becomes };
        expect(counts).toMatchObject(wanted);
        expect(proof.verdict).toBe("equal");
      });
  });
