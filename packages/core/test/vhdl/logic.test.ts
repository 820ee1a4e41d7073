import { describe, expect, it } from "vitest";
import { fails, reports, values, vhdlLines } from "../helpers/vhdl.ts";

const names = "UX01ZWLH-";

/** Tables as the standard prints them (std_logic_1164's body), row by row. */
const tables: Readonly<Record<string, string>> = {
  and: "UU0UUU0UU UX0XXX0XX 000000000 UX01XX01X UX0XXX0XX UX0XXX0XX 000000000 UX01XX01X UX0XXX0XX",
  or: "UUU1UUU1U UXX1XXX1X UX01XX01X 111111111 UXX1XXX1X UXX1XXX1X UX01XX01X 111111111 UXX1XXX1X",
  xor: "UUUUUUUUU UXXXXXXXX UX01XX01X UX10XX10X UXXXXXXXX UXXXXXXXX UX01XX01X UX10XX10X UXXXXXXXX",
};

describe("std_logic_1164", () => {
  for (const op of Object.keys(tables))
    it(`'${op}' of all pairs of values`, () => {
      const body = [...names]
        .map((a) => `report ${[...names].map((b) => `std_logic'image('${a}' ${op} '${b}')(2)`).join(" & ")};`)
        .join("\n");
      expect(vhdlLines({ body })).toEqual(tables[op].split(" "));
    });
  it("nand, nor and xnor are the others turned round", () => {
    const body = ["nand", "nor", "xnor"]
      .flatMap((op) =>
        [...names].map(
          (a) => `report ${[...names].map((b) => `std_logic'image('${a}' ${op} '${b}')(2)`).join(" & ")};`,
        ),
      )
      .join("\n");
    const not = (text: string) => [...text].map((c) => (c === "0" ? "1" : c === "1" ? "0" : c)).join("");
    expect(vhdlLines({ body })).toEqual(["and", "or", "xor"].flatMap((op) => tables[op].split(" ").map(not)));
  });
  reports(
    "not, and conversions to fewer values",
    {
      decl: 'variable v : std_logic_vector(8 downto 0) := "UX01ZWLH-";',
      body: "report to_string(not v); report to_string(to_x01(v)); report to_string(to_x01z(v)); report to_string(to_ux01(v)); report to_string(to_bitvector(v)) & to_string(to_bitvector(v, '1')); report boolean'image(is_x(v)) & boolean'image(is_x(v(2 downto 1)));",
    },
    "UX10XX10X|XX01XX01X|XX01ZX01X|UX01XX01X|000100010110111011|truefalse",
  );
  it("two drivers meet by the table of the standard", () => {
    const rows = "UUUUUUUUU UXXXXXXXX UX0X0000X UXX11111X UX01ZWLHX UX01WWWWX UX01LWLWX UX01HWWHX UXXXXXXXX".split(" ");
    const arch = `type l is array (0 to 8) of std_logic; constant k : l := ('U','X','0','1','Z','W','L','H','-'); signal a, b, s : std_logic;`;
    const ran = vhdlLines({
      arch,
      stmts: "s <= a; s <= b;",
      decl: "variable t : string(1 to 9);",
      body: "for i in 0 to 8 loop for j in 0 to 8 loop a <= k(i); b <= k(j); wait for 1 ns; t(j + 1) := std_logic'image(s)(2); end loop; report t; end loop;",
    });
    expect(ran).toEqual(rows);
  });
  values(
    "vectors",
    {
      decl: 'variable a : std_logic_vector(3 downto 0) := "01XZ"; variable b : std_logic_vector(0 to 3) := "1111"; variable c : std_logic_vector(39 downto 0) := (others => \'1\');',
    },
    [
      ["to_string(a and b)", "01XX"],
      ['to_string(a or "1000")', "11XX"],
      ["to_string(a xor b)", "10XX"],
      ["to_string(a and '1')", "01XX"],
      ["std_logic'image(and b) & std_logic'image(or a(1 downto 0)) & std_logic'image(xor b(0 to 2))", "'1''X''1'"],
      ['to_hstring(c and x"123456789A")', "123456789A"],
      ["to_hstring(not c)", "0000000000"],
      ["to_hstring(c srl 4) & to_hstring(c sll 36)", "0FFFFFFFFFF000000000"],
      ['to_string(std_logic_vector\'("1001") rol 1) & to_string(std_logic_vector\'("1001") ror 1)', "00111100"],
      ['to_hstring(std_logic_vector\'("1111ZZZZXXXX")) & to_ostring(std_logic_vector\'("10110"))', "FZX26"],
      ['boolean\'image(a = "01XZ") & boolean\'image(b > "0111") & boolean\'image(a /= b)', "truetruetrue"],
      [
        "std_logic'image(a ?= \"01--\") & std_logic'image(b ?= \"1111\") & std_logic'image(b ?= \"1110\") & std_logic'image('1' ?= 'X')",
        "'1''1''0''X'",
      ],
      ["boolean'image(to_stdulogic('1') = '1') & to_string(to_stdlogicvector(bit_vector'(\"10\")))", "true10"],
    ],
  );
  fails(
    "operands of different lengths",
    {
      decl: "variable a : std_logic_vector(3 downto 0); variable b : std_logic_vector(4 downto 0);",
      body: "report to_string(a and b);",
    },
    /4 .*5/,
  );
});

describe("numeric_std", () => {
  values(
    "arithmetic and widths",
    {
      decl: 'variable u : unsigned(7 downto 0) := x"F0"; variable s : signed(7 downto 0) := x"F0"; variable n : unsigned(3 downto 0) := x"9";',
    },
    [
      ["integer'image(to_integer(u)) & integer'image(to_integer(s))", "240-16"],
      ["integer'image(to_integer(u + n)) & integer'image(to_integer(u + 20))", "2494"],
      ["integer'image(to_integer(u - n)) & integer'image(to_integer(n - 10))", "23115"],
      ["to_hstring(u * n) & integer'image(to_integer(u * n))", "8702160"],
      ["integer'image(to_integer(s * s)) & to_hstring(s * 3)", "256FFD0"],
      [
        "integer'image(to_integer(u / 7)) & integer'image(to_integer(u mod 7)) & integer'image(to_integer(u rem 7))",
        "3422",
      ],
      [
        "integer'image(to_integer(s / 3)) & integer'image(to_integer(s mod 3)) & integer'image(to_integer(s rem 3))",
        "-52-1",
      ],
      ["integer'image(to_integer(-s)) & integer'image(to_integer(abs s))", "1616"],
      [
        "boolean'image(u > n) & boolean'image(s < 0) & boolean'image(s = -16) & boolean'image(n /= 9) & boolean'image(255 >= u)",
        "truetruetruefalsetrue",
      ],
      ["to_string(shift_left(n, 1)) & to_string(shift_right(n, 2)) & to_string(shift_right(s, 2))", "0010001011111100"],
      [
        "to_string(rotate_left(n, 1)) & to_string(rotate_right(n, 1)) & to_string(n sll 3) & to_string(n ror 1)",
        "0011110010001100",
      ],
      [
        "to_string(resize(n, 6)) & to_string(resize(s, 10)) & to_string(resize(s, 4)) & to_string(resize(u, 4))",
        "001001111111000010000000",
      ],
      [
        "to_string(to_unsigned(10, 4)) & to_string(to_signed(-3, 4)) & to_string(to_unsigned(5, n'length))",
        "101011010101",
      ],
      [
        "integer'image(to_integer(to_signed(-2147483648, 32))) & to_hstring(to_unsigned(2147483647, 40))",
        "-2147483648007FFFFFFF",
      ],
      ['boolean\'image(std_match(n, "1--1")) & boolean\'image(std_match(n, "1--0"))', "truefalse"],
      ["to_string(n + '1') & integer'image(find_leftmost(n, '1')) & integer'image(find_rightmost(n, '0'))", "101031"],
      ["integer'image(to_integer(maximum(n, to_unsigned(3, 4)))) & integer'image(to_integer(minimum(s, 5)))", "9-16"],
      [
        'to_string(unsigned\'("1X01") + 1) & boolean\'image(unsigned\'("1X") = 2) & boolean\'image(unsigned\'("1X") /= 2)',
        "XXXXfalsetrue",
      ],
      ["integer'image(to_integer(unsigned'(\"1H0L\")))", "12"],

      ["to_hstring(to_unsigned(255, 64) * to_unsigned(255, 64))", "0000000000000000000000000000FE01"],
      ["boolean'image(signed'(x\"FFFFFFFFFFFFFFFF\") = -1)", "true"],
    ],
  );
  fails(
    "division by zero",
    { decl: 'variable a, b : unsigned(3 downto 0) := x"0";', body: "report to_string(a / b);" },
    /Division by zero/,
  );
  fails(
    "numbers too large for an integer",
    { decl: "variable a : unsigned(32 downto 0) := (others => '1');", body: "report integer'image(to_integer(a));" },
    /outside of what an integer holds/,
  );
  fails(
    "without the package its operators are not there, and it is named",
    "library ieee; use ieee.std_logic_1164.all; entity t is end; architecture a of t is signal u : unsigned(3 downto 0); begin end;",
    /'unsigned' is not visible here: it is declared in ieee.numeric_std. Add 'use ieee.numeric_std.all;'/,
  );
  fails(
    "arithmetic of plain vectors is told with its way out",
    { decl: "variable v : std_logic_vector(3 downto 0);", body: "v := v + 1;" },
    /There is no '\+' for std_logic_vector\(3 downto 0\) and universal_integer|'\+' for .* is declared in ieee.numeric_std_unsigned/,
  );
});

describe("the widespread arithmetic packages", () => {
  values(
    "std_logic_unsigned",
    {
      use: "use ieee.std_logic_unsigned.all;",
      decl: 'variable v : std_logic_vector(3 downto 0) := x"E"; variable i : integer;',
    },
    [
      ["to_string(v + 1) & to_string(v + v) & to_string(v - '1') & to_string(v * v)", "11111100110111000100"],
      ["boolean'image(v > 13) & boolean'image(v = \"01110\") & integer'image(conv_integer(v))", "truetrue14"],
      ['to_string(1 + v) & boolean\'image(v < x"F")', "1111true"],
    ],
  );
  values(
    "std_logic_signed",
    { use: "use ieee.std_logic_signed.all;", decl: 'variable v : std_logic_vector(3 downto 0) := x"E";' },
    [
      [
        "to_string(v * v) & boolean'image(v < 0) & integer'image(conv_integer(v)) & to_string(abs v) & to_string(-v)",
        "00000100true-200100010",
      ],
    ],
  );
  it("std_logic_arith", () => {
    const text = `library ieee; use ieee.std_logic_1164.all; use ieee.std_logic_arith.all;
entity t is end; architecture a of t is begin process
variable u : unsigned(3 downto 0) := "1110"; variable s : signed(3 downto 0) := "1110"; variable v : std_logic_vector(7 downto 0);
begin
report integer'image(conv_integer(u)) & integer'image(conv_integer(s));
v := conv_std_logic_vector(-3, 8); report to_string(v);
v := ext(std_logic_vector(u), 8); report to_string(v); v := sxt(std_logic_vector(u), 8); report to_string(v);
report integer'image(conv_integer(u + s)) & integer'image(conv_integer(u * s));
report to_string(std_logic_vector(conv_unsigned(5, 4))) & to_string(std_logic_vector(shl(u, "01"))) & to_string(std_logic_vector(shr(s, "01")));
report boolean'image(u > 3) & boolean'image(s < 0) & boolean'image(u = s);
wait; end process; end;`;
    expect(vhdlLines(text)).toEqual([
      "14-2",
      "11111101",
      "00001110",
      "11111110",
      "12-28",
      "010111001111",
      "truetruefalse",
    ]);
  });
  values(
    "numeric_std_unsigned (2008)",
    { use: "use ieee.numeric_std_unsigned.all;", decl: 'variable v : std_logic_vector(3 downto 0) := x"E";' },
    [["to_string(v + 1) & integer'image(to_integer(v)) & boolean'image(v >= 14)", "111114true"]],
  );
});

describe("math_real", () => {
  const near = (expr: string, value: number) =>
    [`boolean'image(abs(${expr} - (${value.toExponential(12)})) < 1.0e-9)`, "true"] as const;
  values("functions", { use: "use ieee.math_real.all;", decl: "variable x : real := 0.5;" }, [
    near("sqrt(2.0)", Math.SQRT2),
    near("sin(x)", Math.sin(0.5)),
    near("arctan(1.0)", Math.PI / 4),
    near("arctan(-1.0, -1.0)", (-3 * Math.PI) / 4),
    near("exp(x)", Math.exp(0.5)),
    near("log(x)", Math.log(0.5)),
    near("log2(8.0)", 3),
    near("log(8.0, 2.0)", 3),
    near("2.0 ** 0.5", Math.SQRT2),
    near("math_pi", Math.PI),
    [
      "integer'image(integer(ceil(2.1))) & integer'image(integer(floor(-2.1))) & integer'image(integer(round(2.5))) & integer'image(integer(trunc(-2.7)))",
      "3-33-2",
    ],
    ["integer'image(integer(realmax(1.0, 4.0)))", "4"],
    ["integer'image(integer(ceil(log2(real(1000)))))", "10"],
  ]);
  it("uniform is the generator that the standard gives", () => {
    // an independent computation with whole numbers
    let s1 = 42n;
    let s2 = 17n;
    const expected: string[] = [];
    for (let i = 0; i < 5; i++) {
      s1 = (s1 * 40014n) % 2147483563n;
      s2 = (s2 * 40692n) % 2147483399n;
      expected.push(`${s1} ${s2}`);
    }
    const body =
      "for i in 1 to 5 loop uniform(s1, s2, r); report integer'image(s1) & \" \" & integer'image(s2); assert r > 0.0 and r < 1.0; end loop;";
    expect(
      vhdlLines({
        use: "use ieee.math_real.all;",
        decl: "variable s1 : positive := 42; variable s2 : positive := 17; variable r : real;",
        body,
      }),
    ).toEqual(expected);
  });
  fails(
    "outside of its domain",
    { use: "use ieee.math_real.all;", decl: "variable r : real := -1.0;", body: "r := sqrt(r);" },
    /'sqrt' has no value/,
  );
});

describe("textio", () => {
  reports(
    "write of every type, with fields",
    {
      decl: "variable l : line;",
      body: `write(l, string'("a=")); write(l, 5); write(l, string'("|")); write(l, 7, right, 4); write(l, string'("|")); write(l, 8, left, 3); write(l, string'("|")); write(l, true); writeline(output, l);
write(l, std_logic_vector'("01XZ")); write(l, ' '); hwrite(l, std_logic_vector'(x"5A")); write(l, ' '); owrite(l, std_logic_vector'("110100")); write(l, ' '); write(l, bit_vector'("101")); write(l, std_logic'('H')); writeline(output, l);
write(l, 12 ns); write(l, ' '); write(l, 1500 ps, right, 0, ns); write(l, ' '); write(l, 2.5, right, 0, 2); write(l, ' '); swrite(l, "s"); writeline(output, l); writeline(output, l); report "end";`,
    },
    "a=5|   7|8  |TRUE|01XZ 5A 64 101H|12 ns 1.5 ns 2.50 s||end",
  );
  reports(
    "read of every type from a line",
    {
      decl: "variable l : line; variable i : integer; variable b : boolean; variable v : std_logic_vector(3 downto 0); variable h : std_logic_vector(7 downto 0); variable c : character; variable ok : boolean; variable t : time; variable r : real; variable s : string(1 to 3); variable n : natural;",
      body: `l := new string'("42 -7 true 10X1 a5 z  3 ns 2.5 abc rest"); read(l, i); report integer'image(i); read(l, i); report integer'image(i); read(l, b); report boolean'image(b); read(l, v); report to_string(v); hread(l, h); report to_string(h); read(l, c); read(l, c); report character'image(c); read(l, t); report time'image(t); read(l, r); report integer'image(integer(r * 2.0)); read(l, c); read(l, s); report s;
read(l, i, ok); report boolean'image(ok); sread(l, s, n); report s & integer'image(n); report integer'image(l'length);`,
    },
    "42|-7|true|10X1|10100101|'z'|3000000 fs|5|abc|false|res3|1",
  );
  it("files are written and read back", () => {
    const piece = {
      decl: "file f : text; variable l : line; variable i, sum : integer := 0; variable st : file_open_status;",
      body: `file_open(f, "data.txt", write_mode); for k in 1 to 4 loop write(l, k * 10); writeline(f, l); end loop; file_close(f);
file_open(st, f, "data.txt", read_mode); report file_open_status'image(st); while not endfile(f) loop readline(f, l); read(l, i); sum := sum + i; end loop; file_close(f); report integer'image(sum);
file_open(st, f, "none.txt", read_mode); report file_open_status'image(st);`,
    };
    expect(vhdlLines(piece)).toEqual(["open_ok", "100", "name_error"]);
  });
  reports(
    "files of other types",
    {
      decl: "type f_t is file of integer; file f : f_t; variable v : integer;",
      body: 'file_open(f, "x.bin", write_mode); write(f, 5); write(f, 7); file_close(f); file_open(f, "x.bin", read_mode); while not endfile(f) loop read(f, v); report integer\'image(v); end loop;',
    },
    "5|7",
  );
  fails(
    "a file that is not there",
    { decl: 'file f : text open read_mode is "gone.txt";', body: "null;" },
    /no file 'gone.txt'/,
  );
});

describe("standard (2008 parts)", () => {
  values("to_string, minimum and maximum", { decl: "type e is (a, b); variable x : e := b;" }, [
    ["to_string(5) & to_string(true) & to_string('c') & to_string(3 ns) & to_string(x)", "5truec3000000 fsb"],
    ['to_string(2.5, 2) & to_string(bit_vector\'(x"A")) & to_hstring(bit_vector\'(x"5A"))', "2.5010105A"],
    ["integer'image(maximum(3, 9)) & integer'image(minimum(3, 9)) & e'image(maximum(a, b))", "93b"],
    ['to_string(3.14159, "%6.2f")', "  3.14"],
    [
      "integer'image(5 mod 3) & integer'image((-5) mod 3) & integer'image((-5) rem 3) & integer'image(5 mod (-3)) & integer'image(-5 / 2)",
      "21-2-1-2",
    ],
    ["integer'image(2 ** 10) & integer'image(abs (-7)) & integer'image(-(3))", "10247-3"],
    [
      "boolean'image(true xor false) & boolean'image(not (true nand true)) & boolean'image(false nor false)",
      "truetruetrue",
    ],
    [
      'to_string(bit_vector\'("1100") sll 1) & to_string(bit_vector\'("1100") sra 1) & to_string(bit_vector\'("1001") rol 1) & to_string(bit_vector\'("0011") sla 1)',
      "1000111000110111",
    ],
    [
      'to_string(bit_vector\'("10") & \'1\' & bit_vector\'("01")) & to_string(bit_vector\'("1010") and "0110")',
      "101010010",
    ],
    [
      'boolean\'image(bit_vector\'("01") < "1") & boolean\'image(string\'("ab") < "abc") & boolean\'image(string\'("b") > "abc")',
      "truetruetrue",
    ],
  ]);
  reports("finish ends the run", { use: "use std.env.all;", body: 'report "one"; finish; report "two";' }, "one");
  reports("stop ends it too", { body: 'report "one"; std.env.stop(0); report "two";' }, "one");
});
