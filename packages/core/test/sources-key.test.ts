import { describe, expect, it } from "vitest";
import type { SourceFile } from "../src/common/index.ts";
import { Random } from "../src/common/random.ts";
import { formatVerilog, formatVhdl, sourcesKey } from "../src/hdl/index.ts";
import { everydayVerilog, everydayVhdl } from "./helpers/everyday-designs.ts";

const verilog = `\`timescale 1ns/1ps
\`define WIDTH 4
module weft #(parameter N = 8'h0f) (input clk, input [\`WIDTH-1:0] d, output reg [3:0] q = 0);
  // a word
  (* keep *) wire \\odd+name = d[0];
  always @(posedge clk) if (\\odd+name ) q <= q + d; /* two
  words */
  initial $display("a  b // no comment");
endmodule
`;
const vhdl = `library ieee; use ieee.std_logic_1164.all;
-- a word
entity warp is port (clk : in std_logic; q : out std_logic); end entity;
architecture a of warp is
  constant text : string := "a -- b  c";
  signal x : std_logic := '0';
begin
  process (clk) begin if clk'event and clk = '1' then x <= not x; end if; end process;
  q <= x; /* more */
end architecture;
`;
const files = (...list: readonly (readonly [string, string])[]): SourceFile[] =>
  list.map(([name, text]) => ({ name, text }));
const key = (name: string, text: string) => sourcesKey(files([name, text]));

describe("the key of what sources say", () => {
  it("is the same whatever their comments, white space and places", () => {
    const own = key("weft.v", verilog);
    for (const text of [
      `// more\n\n${verilog}\n`,
      verilog.replace("// a word", "").replace("/* two\n  words */", ""),
      verilog.replaceAll("\n", "\r\n"),
      verilog.replace("q <= q + d", "q<=q\n+\td"),
      formatVerilog(verilog),
    ])
      expect(key("weft.v", text)).toBe(own);
    const other = key("warp.vhd", vhdl);
    for (const text of [
      `-- more\n${vhdl}`,
      vhdl.replace("-- a word", "").replace("/* more */", ""),
      vhdl.replace("x <= not x", "x<=not   x"),
      vhdl.replace("entity warp", "ENTITY Warp"),
      formatVhdl(vhdl),
    ])
      expect(key("warp.vhd", text)).toBe(other);
  });

  it("is another one for every word that is another", () => {
    const own = key("weft.v", verilog);
    for (const [from, to] of [
      ["8'h0f", "8'h0e"],
      ["q + d", "q - d"],
      ["posedge", "negedge"],
      ["WIDTH 4", "WIDTH 3"],
      ["1ns/1ps", "1ns/1ns"],
      ["a  b", "a b"],
      ["(* keep *)", ""],
      ["\\odd+name ", "odd_name "],
      ["reg [3:0]", "reg [3 : 1]"],
    ]) {
      expect(verilog).toContain(from);
      expect(key("weft.v", verilog.replaceAll(from, to)), from).not.toBe(own);
    }
    const other = key("warp.vhd", vhdl);
    for (const [from, to] of [
      ["a -- b  c", "a -- b c"],
      ["'0'", "'1'"],
      ["not x", "x"],
      ["string := ", "string := (others => "],
    ])
      expect(key("warp.vhd", vhdl.replaceAll(from, to)), from).not.toBe(other);
  });

  it("goes by files in any order, whose names mean nothing unless they are read by their names or make libraries", () => {
    const all = files(["a/weft.v", verilog], ["warp.vhd", vhdl], ["warp.hex", "0f\n"]);
    const own = sourcesKey(all);
    expect(sourcesKey([...all].reverse())).toBe(own);
    const renamed = (i: number, name: string) => sourcesKey(all.map((file, k) => (k === i ? { ...file, name } : file)));
    expect(renamed(0, "b/shed.v")).toBe(own);
    expect(renamed(1, "shed.vhdl")).toBe(own);
    expect(renamed(1, "cloth/warp.vhd")).not.toBe(own);
    expect(renamed(2, "weft.hex")).not.toBe(own);
    // a word of SystemVerilog is a name in Verilog
    expect(key("m.v", "module m; wire bit; endmodule")).not.toBe(key("m.sv", "module m; wire bit; endmodule"));
  });

  it("takes an included file as what it gives where it is included, and a macro as what it stands for", () => {
    const user = '`include "widths.vh"\nmodule m(input [`W-1:0] a); endmodule\n';
    const of = (header: string) => sourcesKey(files(["m.v", user], ["widths.vh", header]));
    expect(of("// how wide\n`define W 4\n")).toBe(of("`define W 4\n"));
    expect(of("`define W 5\n")).not.toBe(of("`define W 4\n"));
    // one that nobody uses gives nothing
    expect(of("`define W 4\n`define UNUSED 9\n")).toBe(of("`define W 4\n"));
  });

  it("takes what cannot be read as it is written", () => {
    const broken = 'module m; initial $display("no end);\nendmodule\n';
    expect(key("m.v", broken)).not.toBe(key("m.v", `${broken} `));
    expect(sourcesKey([])).toBe(sourcesKey([]));
  });

  it("stays with random comments and white space in everyday designs", () => {
    const random = new Random(7);
    for (const { text, file } of everydayTexts()) {
      const isVhdl = /\.vhdl?$/.test(file);
      const own = key(file, text);
      for (let i = 0; i < 5; i++) {
        const lines = text.split("\n").map((line) => {
          const more = random.below(4);
          // not behind a line that goes on, and not into a directive
          if (/\\$|^\s*`/.test(line)) return line;
          return more === 0 ? `${line} ${isVhdl ? "--" : "//"} pick ${i}` : more === 1 ? `  ${line}\n` : line;
        });
        expect(key(file, lines.join("\n")), file).toBe(own);
      }
    }
  });
});

const everydayTexts = () => [
  ...everydayVerilog.map((text) => ({ file: "t.v", text })),
  ...everydayVhdl.map((text) => ({ file: "t.vhd", text })),
];
