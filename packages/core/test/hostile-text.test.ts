import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { js, OpenPlace, openPlaces, rendered } from "../src/common/code-pieces.ts";
import { compileGenerated, quoted } from "../src/common/generated-code.ts";
import { prepare } from "../src/simulate/index.ts";
import { runText } from "./helpers/simulation.ts";

/** Runs of this length, in the short form; the long one is set from outside. */
const runs = process.env["GATE_CLOCK_LONG"] ? 3000 : 150;

/** Pieces that have meant something to a generator, or mean something to what reads generated code. */
const pieces = fc.constantFrom(
  ..."'\"`\\$§{}()[];,.:/*+-=<>!?&|^~%#@_ aZ09".split(""),
  "§0§",
  "§99999§",
  ["$", "{process.exit(3)}"].join(""),
  "*/",
  "//",
  "\\u0022",
  "\\x22",
  "</script>",
  "c0",
  "c3[0]",
  "E.as(c1,2);",
  "\u00a7",
  "\u00e9",
  "\u00ff",
  "\u00a0",
);
const strange = fc.constantFrom("\ue000", "\ue001A1\ue002", "\u2028", "\u2029", "\u0085", "\ufeff", "\u{1f9f5}");
const text = fc.array(fc.oneof({ weight: 8, arbitrary: pieces }, { weight: 1, arbitrary: strange }), { maxLength: 12 });
const latin = fc.array(pieces, { minLength: 1, maxLength: 12 }).map((all) => all.join(""));

/** As a file holds it: UTF-8, a byte a character. */
const bytesOf = (given: string) => Buffer.from(given, "utf8").toString("latin1");

describe("text of a design", () => {
  it("becomes a constant that is the same text, in printable ASCII, whatever it is", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 40 }), (given) => {
        const constant = quoted(given);
        expect(constant).toMatch(/^[\x20-\x7e]*$/);
        expect(new Function(`return ${constant};`)()).toBe(given);
      }),
      { numRuns: runs * 5 },
    );
  });

  it("is printed as it was written by Verilog, in every place that text can stand in", () => {
    fc.assert(
      fc.property(text, (parts) => {
        const wanted = parts.join("");
        // as IEEE 1800 writes what ends a string or begins an escape
        const written = wanted.replaceAll("\\", "\\\\").replaceAll('"', '\\"');
        const ran = runText(
          `module t;
            reg [8*200:1] bits; string s; initial begin : named_block
              $display("%s", "${written}"); s = "${written}"; $display("%s", s);
              if (s == "${written}") $display("same"); case (s) "${written}": $display("case"); default: $display("none"); endcase
              $display("%s", {s, "${written}"}); assert (s != "${written}") else $display("%s", $sformatf("%s", "${written}"));
              $display("%0d", "${written}" == "${written}");
            end
          endmodule`,
        );
        expect(ran.findings.filter((each) => each.includes("error"))).toEqual([]);
        const own = bytesOf(wanted);
        expect(ran.text).toBe(`${own}\n${own}\nsame\ncase\n${own}${own}\n${own}\n1\n`);
      }),
      { numRuns: runs },
    );
  });

  it("is printed as it was written by VHDL, from strings, names and the paths of both", () => {
    fc.assert(
      fc.property(latin, latin, (said, raw) => {
        const written = said.replaceAll('"', '""');
        const name = `\\${raw.replaceAll("\\", "\\\\")}\\`;
        const ran = runText(
          [
            {
              name: "t.vhd",
              text: `entity t is end;
                architecture rtl of t is
                  signal ${name}: bit_vector(7 downto 0) := x"00"; signal clk: bit;
                  function f(a: string) return string is begin return a; end;
                begin
                  clk <= '1' after 1 ns;
                  process (clk) variable v: bit_vector(7 downto 0); begin
                    if clk'event and clk = '1' then v := x"12"; ${name} <= v; ${name}(3) <= '1'; report f("${written}"); end if;
                  end process;
                  \\${raw.replaceAll("\\", "\\\\")}p\\: process begin
                    report "${written}"; report ${name}'simple_name; report ${name}'path_name; wait;
                  end process;
                end;`,
            },
          ],
          { top: "t" },
        );
        const lines = ran.text.split("\n");
        expect(ran.findings.filter((each) => each.includes("error"))).toEqual([]);
        expect(lines).toEqual([said, name, `:t:${name}`, said, ""]);
      }),
      { numRuns: runs },
    );
  });

  it("is refused where the standards do not let such a character stand", () => {
    const errors = (file: string, source: string) =>
      prepare([{ name: file, text: source }], {}).findings.filter(({ severity }) => severity === "error");
    for (const char of ["\ue000", "\u2028", "\0", "\x07", "\u0101"]) {
      expect(
        errors("t.vhd", `entity t is end; architecture rtl of t is signal \\a${char}\\: bit; begin end;`)[0],
      ).toMatchObject({
        code: "vhdl/character",
      });
      expect(
        errors(
          "t.vhd",
          `entity t is end; architecture rtl of t is begin process begin report "a${char}"; wait; end process; end;`,
        )[0],
      ).toMatchObject({ code: "vhdl/character" });
    }
    for (const char of ["\ue000", "\u00a7", "\u2028", "\x07"])
      expect(errors("t.v", `module t; wire \\a${char} ; endmodule`)[0]).toMatchObject({ code: "verilog/character" });
  });
});

describe("generated code", () => {
  class Place extends OpenPlace {
    constructor(readonly name: string) {
      super();
    }
  }
  it("keeps its open places through every level, and fills each with what is said", () => {
    const code = js`a(${1});${js`{${new Place("x")}}`}${js``}b${new Place("y")}`;
    expect(openPlaces(code).map((place) => (place as Place).name)).toEqual(["x", "y"]);
    expect(rendered(code, (place) => js`<${(place as Place).name}${new Place("z")}>`.pieces.length.toString())).toBe(
      "a(1);{3}b3",
    );
    expect(rendered(code, (place) => ((place as Place).name === "x" ? js`${new Place("y")}` : "!"))).toBe("a(1);{!}b!");
  });
  it("is never put into a text by mistake, nor compiled with a character that no generator writes", () => {
    const code = js`weft`;
    expect(() => `${code}`).toThrow(/put into a text/);
    expect(() => `${new Place("x")}`).toThrow(/put into a text/);
    expect(() => rendered(js`${new Place("x")}`)).toThrow(/open places/);
    for (const char of ["\ue000", "\u00a7", "\u2028", "\0", "\t"])
      expect(() => compileGenerated([], `return "${char}"`)).toThrow(/no generator writes/);
  });
});
