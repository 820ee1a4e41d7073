import { describe, expect, it } from "vitest";
import { formatFinding } from "../../src/common/index.ts";
import { elaborate } from "../../src/elaborate/index.ts";
import { listScopes } from "../../src/simulate/index.ts";
import { runText } from "../helpers/simulation.ts";
import { sameAsCircuit } from "../helpers/vhdl-circuit.ts";

const head = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;\n";
const counter = {
  name: "counter.vhd",
  text: `${head}entity counter is generic (WIDTH : positive := 4; STEP : integer := 1; WRAP : boolean := true);
port (clk, rst : in std_logic; Enable : in std_logic; Count : out std_logic_vector(WIDTH - 1 downto 0)); end entity;
architecture rtl of counter is signal c : unsigned(WIDTH - 1 downto 0) := (others => '0'); begin
process (clk) begin if rising_edge(clk) then if rst = '1' then c <= (others => '0'); elsif Enable = '1' and (WRAP or c /= 2 ** WIDTH - 1) then c <= c + STEP; end if; end if; end process;
Count <= std_logic_vector(c); end architecture;
`,
};
const mixer = {
  name: "mixer.v",
  text: `module Mixer #(parameter W = 4, parameter INVERT = 0) (input [W-1:0] a, input [W-1:0] b, input sel, output [W-1:0] y, output reg [W-1:0] r, input clk);
assign y = sel ? a : (INVERT ? ~b : b);
always @(posedge clk) r <= y;
endmodule
`,
};
const lines = (files: readonly { name: string; text: string }[], top: string): string[] => {
  const ran = runText(files, { top });
  const errors = ran.findings.filter((finding) => finding.includes(": error:"));
  if (errors.length || ran.end === "errors") throw new Error(errors.join("\n"));
  return ran.text.split("\n").slice(0, -1);
};

describe("Verilog with entities in it", () => {
  const bench = {
    name: "tb.v",
    text: `\`timescale 1ns/1ns
module tb; reg clk = 0, rst = 1, en = 0; wire [5:0] q; wire [3:0] p;
counter #(.WIDTH(6), .STEP(3)) u (.clk(clk), .rst(rst), .enable(en), .count(q));
counter v (clk, rst, en, p);
always #5 clk = ~clk;
initial begin #12 rst = 0; en = 1; #50 $display("%0d %0d %b", q, p, q); en = 0; #20 $display("%0d", q); $finish; end
endmodule
`,
  };
  it("counts, with parameters as generics, and names in any case", () => {
    expect(lines([counter, bench], "tb")).toEqual(["15 5 001111", "15"]);
  });
  it("is one hierarchy", () => {
    const scopes = listScopes([counter, bench], "tb");
    expect(scopes.map(({ path, module }) => `${path}:${module}`)).toEqual([":tb", "u:counter", "v:counter"]);
    expect(scopes.every(({ signals }) => signals >= 5)).toBe(true);
  });
  it("samples what was there before the clock's edge, on both sides", () => {
    const text = `module tb; reg clk = 0; reg [3:0] a = 0; wire [3:0] b; reg [3:0] c = 0;
stage u (clk, a, b);
always #5 clk = ~clk;
always @(posedge clk) begin a <= a + 1; c <= b; end
initial begin #42 $display("%0d %0d %0d", a, b, c); $finish; end
endmodule
`;
    const stage = `${head}entity stage is port (clk : in std_logic; d : in std_logic_vector(3 downto 0); q : out std_logic_vector(3 downto 0)); end; architecture r of stage is begin process (clk) begin if rising_edge(clk) then q <= d; end if; end process; end;\n`;
    // four edges: a counts to 4, b is one behind, c two
    expect(
      lines(
        [
          { name: "t.v", text },
          { name: "s.vhd", text: stage },
        ],
        "tb",
      ),
    ).toEqual(["4 3 2"]);
  });
  it("tells unknown ports, parameters and widths", () => {
    const told = (text: string) =>
      elaborate([counter, { name: "m.v", text }], { top: "m" })
        .findings.map(formatFinding)
        .join("\n");
    expect(
      told(
        "module m(input clk, output [3:0] q); counter u (.clk(clk), .rst(1'b0), .enable(1'b1), .cout(q)); endmodule",
      ),
    ).toMatch(/no port 'cout'. Did you mean 'count'/i);
    expect(told("module m(input clk, output [3:0] q); counter #(.WIDHT(3)) u (clk, 1'b0, 1'b1, q); endmodule")).toMatch(
      /no parameter 'WIDHT'/i,
    );
    expect(told("module m(input clk, output [7:0] q); counter u (clk, 1'b0, 1'b1, q); endmodule")).toMatch(
      /port-width/,
    );
  });
});

describe("VHDL with modules in it", () => {
  const wrap = {
    name: "wrap.vhd",
    text: `${head}entity wrap is port (clk : in std_logic; a, b : in std_logic_vector(7 downto 0); s : in std_logic; y, r, z : out std_logic_vector(7 downto 0)); end;
architecture rtl of wrap is
component Mixer is generic (W : integer := 4; INVERT : integer := 0); port (a, b : in std_logic_vector(W - 1 downto 0); sel : in std_logic; y, r : out std_logic_vector(W - 1 downto 0); clk : in std_logic); end component;
signal i : std_logic_vector(7 downto 0);
begin
u : Mixer generic map (W => 8) port map (a => a, b => b, sel => s, y => i, r => r, clk => clk);
v : entity work.mixer generic map (W => 8, INVERT => 1) port map (a => i, b => std_logic_vector(unsigned(b) + 1), sel => not s, y => z, r => open, clk => clk);
y <= i;
end architecture;
`,
  };
  it("gives the circuit that simulation shows", () => {
    const p = (name: string, width = 0) => ({ name, width });
    const compared = sameAsCircuit([wrap, mixer], {
      entity: "wrap",
      clock: "clk",
      inputs: [p("a", 8), p("b", 8), p("s")],
      outputs: [p("y", 8), p("r", 8), p("z", 8)],
    });
    expect(compared).toBe(60 * 24);
  });
  it("Verilog above VHDL above Verilog", () => {
    const top = `module tb; reg clk = 0; reg [7:0] a = 8'h5a, b = 8'h0f; reg s = 0; wire [7:0] y, r, z;
wrap w (.clk(clk), .a(a), .b(b), .s(s), .y(y), .r(r), .z(z));
initial begin #1 $display("%h %h %h", y, r, z); clk = 1; #1 $display("%h %h", r, z); s = 1; #1 $display("%h %h", y, z); $finish; end
endmodule
`;
    expect(lines([{ name: "t.v", text: top }, wrap, mixer], "tb")).toEqual(["0f xx 0f", "0f 0f", "5a ef"]);
    expect(listScopes([{ name: "t.v", text: top }, wrap, mixer], "tb").map(({ path }) => path)).toEqual([
      "",
      "w",
      "w.u",
      "w.v",
    ]);
  });
  it("tells unknown modules, ports and widths", () => {
    const told = (body: string) =>
      elaborate(
        [
          mixer,
          {
            name: "m.vhd",
            text: `${head}entity m is port (a : in std_logic_vector(3 downto 0); s : in std_logic; y : out std_logic_vector(3 downto 0)); end; architecture r of m is begin\n${body}\nend;\n`,
          },
        ],
        { top: "m" },
      )
        .findings.map(formatFinding)
        .join("\n");
    expect(told("u : entity work.mixr port map (a => a);")).toMatch(/no entity 'mixr'.*Did you mean 'Mixer'/);
    expect(told("u : entity work.mixer port map (a => a, b => a, sel => s, out1 => y, clk => s);")).toMatch(
      /Module 'Mixer' has no port 'out1'/,
    );
    expect(
      told("u : entity work.mixer generic map (W => 8) port map (a => a, b => a, sel => s, y => y, clk => s);"),
    ).toMatch(/has 8 bits, what is connected 4/);
    expect(told("u : mixer port map (a => a);")).toMatch(/entity work.mixer/);
  });
});

describe("values at the border", () => {
  it("nine values become four, and come back", () => {
    const text = `module pass (input [8:0] d, output [8:0] q); assign q = d; endmodule\n`;
    const bench = `${head}entity t is end; architecture a of t is signal d, q : std_logic_vector(8 downto 0); begin
u : entity work.pass port map (d => d, q => q);
process begin d <= "UX01ZWLH-"; wait for 1 ns; report to_string(q); wait; end process; end;\n`;
    expect(
      lines(
        [
          { name: "p.v", text },
          { name: "t.vhd", text: bench },
        ],
        "t",
      ),
    ).toEqual(["XX01ZX01X"]);
  });
  it("inout ports are driven from both sides", () => {
    const text = `${head}entity drv is port (b : inout std_logic_vector(1 downto 0); oe : in std_logic; seen : out std_logic_vector(1 downto 0)); end;
architecture a of drv is begin b <= "01" when oe = '1' else "ZZ"; seen <= b; end;\n`;
    const bench = `module tb; wire [1:0] b; reg oe = 0, mine = 0; wire [1:0] seen; assign b = mine ? 2'b11 : 2'bzz; drv u (b, oe, seen);
initial begin #1 $display("%b %b", b, seen); mine = 1; #1 $display("%b %b", b, seen); oe = 1; #1 $display("%b %b", b, seen); mine = 0; #1 $display("%b %b", b, seen); $finish; end endmodule\n`;
    expect(
      lines(
        [
          { name: "d.vhd", text },
          { name: "t.v", text: bench },
        ],
        "tb",
      ),
    ).toEqual(["zz zz", "11 11", "x1 x1", "01 01"]);
  });
  it("records of generics: strings, reals and vectors", () => {
    const text = `${head}entity g is generic (s : string := "none"; v : std_logic_vector(3 downto 0) := x"3"; r : real := 1.5; t : integer := 7); port (o : out std_logic_vector(3 downto 0)); end;
architecture a of g is begin o <= v; process begin report s & " " & integer'image(integer(r * 2.0)) & " " & integer'image(t); wait; end process; end;\n`;
    const bench = `module tb; wire [3:0] a, b; g u (a); g #(.s("hello"), .v(4'b1010), .r(2.5), .t(-3)) w (b); initial #1 $display("%b %b", a, b); endmodule\n`;
    expect(
      lines(
        [
          { name: "g.vhd", text },
          { name: "t.v", text: bench },
        ],
        "tb",
      ),
    ).toEqual(["none 3 7", "hello 5 -3", "0011 1010"]);
  });
});
