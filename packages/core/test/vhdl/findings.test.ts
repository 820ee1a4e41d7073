import { describe, expect, it } from "vitest";
import { elaborate } from "../../src/elaborate/index.ts";

/** Mistakes that people make, each told once, at its place, with what to do. */

interface Case {
  readonly name: string;
  readonly decl?: string;
  /** Concurrent statement, on line 5. */
  readonly stmts?: string;
  /** Statement of a clocked process, on line 7. */
  readonly body?: string;
  readonly code: string;
  /** What is underlined. */
  readonly at: string;
  readonly message: RegExp;
  readonly remedy: RegExp;
}

function found({ decl = "", stmts = "", body = "" }: Case) {
  const text = `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity e is port (clk, a, b : in std_logic; v, w : in std_logic_vector(7 downto 0); y : out std_logic; z : out std_logic_vector(7 downto 0)); end;
architecture r of e is signal s : std_logic; signal u : unsigned(7 downto 0); signal i : integer; ${decl}
begin
${stmts}
process (clk) variable x : integer; begin if rising_edge(clk) then
${body}
end if; end process;
end architecture;
`;
  const { findings } = elaborate([{ name: "e.vhd", text }], { top: "e" });
  return findings
    .filter(({ severity, code }) => severity === "error" || code === "vhdl/compare-width")
    .map(({ code, message, remedy, place }) => ({
      code,
      message,
      remedy,
      line: place?.line,
      at: text.split("\n")[(place?.line ?? 1) - 1].slice((place?.column ?? 1) - 1, (place?.endColumn ?? 1) - 1),
    }));
}
function tells(list: readonly Case[]): void {
  for (const each of list)
    it(each.name, () => {
      const findings = found(each);
      expect(findings.map(({ code }) => code)).toEqual([each.code]);
      const [{ message, remedy, at, line }] = findings;
      expect(message).toMatch(each.message);
      expect(remedy).toMatch(each.remedy);
      expect(at).toBe(each.at);
      expect(line).toBe(each.body ? 7 : each.stmts ? 5 : 3);
    });
}

describe("types that do not fit", () => {
  tells([
    {
      name: "a whole number for a bit",
      stmts: "y <= 1;",
      code: "vhdl/type",
      at: "1",
      message: /^'1' is a whole number, but a std_logic is needed/,
      remedy: /'0' or '1'/,
    },
    {
      name: "a vector for a bit",
      stmts: "y <= v;",
      code: "vhdl/type",
      at: "v",
      message: /^'v' is a std_logic_vector\(7 downto 0\), but a std_logic/,
      remedy: /v\(0\)/,
    },
    {
      name: "a bit for a vector",
      stmts: "z <= a;",
      code: "vhdl/type",
      at: "a",
      message: /^'a' is a std_logic, but a std_logic_vector/,
      remedy: /\(others => a\)/,
    },
    {
      name: "a string for a bit",
      stmts: 'y <= "1";',
      code: "vhdl/type",
      at: '"1"',
      message: /string is given, but a std_logic/,
      remedy: /Write '1'/,
    },
    {
      name: "a bit's literal for a vector",
      stmts: "z <= '1';",
      code: "vhdl/type",
      at: "'1'",
      message: /a value of std_logic, bit, character, but a std_logic_vector/,
      remedy: /"1"/,
    },
    {
      name: "unsigned for plain bits",
      stmts: "z <= u;",
      code: "vhdl/type",
      at: "u",
      message: /'u' is an unsigned\(7 downto 0\), but a std_logic_vector/,
      remedy: /std_logic_vector\(u\)/,
    },
    {
      name: "an integer for unsigned",
      stmts: "u <= i;",
      code: "vhdl/type",
      at: "i",
      message: /'i' is an integer, but an unsigned/,
      remedy: /to_unsigned\(i,/,
    },
    {
      name: "bits for an integer",
      body: "x := v;",
      code: "vhdl/type",
      at: "v",
      message: /'v' is a std_logic_vector\(7 downto 0\), but an integer/,
      remedy: /to_integer\(unsigned\(v\)\)/,
    },
    {
      name: "a delay without a unit",
      stmts: "s <= a after 5;",
      code: "vhdl/type",
      at: "5",
      message: /a whole number, but a time/,
      remedy: /'5 ns'/,
    },
  ]);
});

describe("operators that there are not", () => {
  tells([
    {
      name: "a number compared with plain bits",
      body: "if v = 3 then y <= a; end if;",
      code: "vhdl/operator",
      at: "=",
      message: /'=' for std_logic_vector\(7 downto 0\) and a whole number is not visible/,
      remedy: /unsigned\(v\).*use ieee\.numeric_std_unsigned\.all/,
    },
    {
      name: "plain bits added",
      stmts: "z <= v + w;",
      code: "vhdl/operator",
      at: "+",
      message: /two operands of std_logic_vector/,
      remedy: /unsigned\(v\)/,
    },
    {
      name: "a function of numbers on plain bits",
      body: "x := to_integer(v);",
      code: "vhdl/not-visible",
      at: "to_integer",
      message: /'to_integer' for std_logic_vector\(7 downto 0\) is not visible/,
      remedy: /unsigned\(v\)/,
    },
    {
      name: "a number put beside text",
      body: 'report "at " & x;',
      code: "vhdl/operator",
      at: "&",
      message: /no '&' for a string literal and integer/,
      remedy: /integer'image\(x\)/,
    },
    {
      name: "bits put beside text",
      body: 'report "at " & v & ".";',
      code: "vhdl/operator",
      at: "&",
      message: /no '&'/,
      remedy: /to_string\(v\)/,
    },
    {
      name: "an edge of a vector",
      body: "if rising_edge(v) then y <= a; end if;",
      code: "vhdl/no-call",
      at: "rising_edge(v)",
      message: /no 'rising_edge' for \(std_logic_vector\(7 downto 0\)\)/,
      remedy: /^There is rising_edge \(s : std_logic\) return boolean, or .*\.$/,
    },
    {
      name: "arrays of different lengths compared",
      stmts: `y <= '1' when v = "0000" else '0';`,
      code: "vhdl/compare-width",
      at: `v = "0000"`,
      message: /'v' has 8 elements and '"0000"' 4/,
      remedy: /same length/,
    },
  ]);
});

describe("statements that stand or look wrong", () => {
  tells([
    {
      name: "if outside of a process",
      stmts: "if a = '1' then y <= b; else y <= a; end if;",
      code: "vhdl/outside-process",
      at: "if",
      message: /'if' is a sequential statement/,
      remedy: /process.*when condition else/,
    },
    {
      name: "case outside of a process",
      stmts: "case a is when '1' => y <= b; when others => y <= a; end case;",
      code: "vhdl/outside-process",
      at: "case",
      message: /'case' is a sequential statement/,
      remedy: /process/,
    },
    {
      name: "a loop outside of a process",
      stmts: "for n in 0 to 7 loop z(n) <= a; end loop;",
      code: "vhdl/outside-process",
      at: "for",
      message: /'for' is a sequential statement/,
      remedy: /process/,
    },
    {
      name: "wait outside of a process",
      stmts: "wait for 10 ns;",
      code: "vhdl/outside-process",
      at: "wait",
      message: /'wait' is a sequential statement/,
      remedy: /process/,
    },
    {
      name: "'=' in the place of '<='",
      stmts: "s = a;",
      code: "vhdl/syntax",
      at: "=",
      message: /compares/,
      remedy: /'<='/,
    },
    {
      name: "'=' in a process",
      body: "s = a;",
      code: "vhdl/syntax",
      at: "=",
      message: /compares/,
      remedy: /'<='.*':='/,
    },
    {
      name: "others before other choices",
      stmts: "z <= (others => a, 0 => b);",
      code: "vhdl/others",
      at: "others",
      message: /not the last/,
      remedy: /at the end/,
    },
    {
      name: "a component that is nowhere",
      stmts: "u1 : countr port map (clk => clk);",
      code: "vhdl/no-component",
      at: "countr",
      message: /no component 'countr'/,
      remedy: /entity work\.name/,
    },
    {
      name: "a component that is nearly there",
      decl: "component counter is port (clk : in std_logic); end component;",
      stmts: "u1 : countr port map (clk => clk);",
      code: "vhdl/no-component",
      at: "countr",
      message: /no component 'countr'/,
      remedy: /'counter'/,
    },
    {
      name: "a choice that is missing",
      body: 'case v(1 downto 0) is when "00" => y <= a; when "01" => y <= b; end case;',
      code: "vhdl/missing-choice",
      at: 'case v(1 downto 0) is when "00" => y <= a; when "01" => y <= b; end case;',
      message: /2 of the 81 values .*'X'/,
      remedy: /when others/,
    },
  ]);
  it("generates stay generates", () => {
    const stmts =
      "g : if true generate y <= a; end generate; h : for n in 0 to 7 generate z(n) <= b; end generate; k : case 3 generate when 3 => s <= a; when others => s <= b; end generate;";
    expect(found({ name: "", stmts, code: "", at: "", message: /x/, remedy: /x/ })).toEqual([]);
  });
});

describe("a use clause that is missing", () => {
  const text = `library ieee;
use ieee.std_logic_1164.all;
entity counter is
  port (clk : in std_logic; y : out std_logic_vector(3 downto 0));
end entity;
architecture rtl of counter is
  signal c, d : unsigned(3 downto 0);
begin
  process (clk) begin
    if rising_edge(clk) then
      c <= c + 1;
      if d = "0011" and c > 4 then d <= c & d(2 downto 0); end if;
    end if;
  end process;
  y <= std_logic_vector(c) when c(0) = '1' else std_logic_vector(d + c);
end architecture;
`;
  it("is told where the name stands, with the clause as an edit, and nothing follows from it", () => {
    const { findings } = elaborate([{ name: "c.vhd", text }], { top: "counter" });
    expect(findings.map(({ code, place }) => [code, place?.line, place?.column])).toEqual([
      ["vhdl/not-visible", 7, 17],
    ]);
    const edit = findings[0].edit!;
    expect(edit).toMatchObject({ file: "c.vhd", text: expect.stringContaining("use ieee.numeric_std.all;") });
    const lines = text.split("\n");
    lines.splice(edit.line! - 1, 0, "use ieee.numeric_std.all;");
    const repaired = elaborate([{ name: "c.vhd", text: lines.join("\n") }], { top: "counter" });
    expect(repaired.findings.filter(({ severity }) => severity === "error").map(({ code }) => code)).toEqual([
      "vhdl/width",
    ]);
  });
});
