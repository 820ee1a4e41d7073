import { describe, expect, it } from "vitest";
import { elaborate } from "../../src/elaborate/index.ts";
import { type DutSpec, type PortSpec, sameAsCircuit } from "../helpers/vhdl-circuit.ts";

const head = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;\n";
const p = (name: string, width = 0): PortSpec => ({ name, width });
const type = (port: PortSpec) => (port.width === 0 ? "std_logic" : `std_logic_vector(${port.width - 1} downto 0)`);

function dut(spec: Omit<DutSpec, "entity">, decls: string, stmts: string, before = ""): string {
  const ports = [
    ...(spec.clock ? [`${spec.clock} : in std_logic`] : []),
    ...spec.inputs.map((port) => `${port.name} : in ${type(port)}`),
    ...spec.outputs.map((port) => `${port.name} : out ${type(port)}`),
  ];
  return `${before}${head}entity dut is port (${ports.join("; ")}); end entity;\narchitecture rtl of dut is\n${decls}\nbegin\n${stmts}\nend architecture;\n`;
}
const rulesOf = (text: string) =>
  elaborate([{ name: "dut.vhd", text }], { top: "dut" }).findings.map(({ code }) => code);
function agrees(name: string, spec: Omit<DutSpec, "entity">, decls: string, stmts: string, before = ""): void {
  it(name, () => {
    const compared = sameAsCircuit(dut(spec, decls, stmts, before), { entity: "dut", ...spec });
    expect(compared).toBeGreaterThan(20);
  });
}

const ab = { inputs: [p("a", 8), p("b", 8), p("s", 3)], outputs: [p("y", 16)], cycles: 120 };
const clocked = {
  clock: "clk",
  reset: "rst",
  inputs: [p("rst"), p("en"), p("d", 8), p("m", 3)],
  outputs: [p("q", 8), p("f")],
  cycles: 150,
};

describe("variables that are not assigned on every way", () => {
  agrees(
    "in a clocked process they are registers",
    clocked,
    "",
    `process (clk) variable x : std_logic_vector(7 downto 0); begin if rising_edge(clk) then
if rst = '1' then x := "00000000"; elsif en = '1' then x := d; end if; q <= x; f <= x(0); end if; end process;`,
  );
  agrees(
    "in a case, with a loop, and by parts",
    clocked,
    "",
    `process (clk) variable x, y : unsigned(7 downto 0) := x"3c"; begin if rising_edge(clk) then
case m is when "000" => x := unsigned(d); when "001" => x(3 downto 0) := unsigned(d(7 downto 4)); when "010" => for i in 0 to 3 loop if d(i) = '1' then x(i) := not x(i); exit; end if; end loop; when others => null; end case;
if en = '1' then y := x + 1; end if; q <= std_logic_vector(y); f <= x(7); if rst = '1' then x := x"81"; end if; end if; end process;`,
  );
  agrees(
    "in a combinational one they are latches",
    { inputs: [p("en"), p("d", 8)], outputs: [p("y", 8)], cycles: 80 },
    "",
    `process (en, d) variable x : std_logic_vector(7 downto 0); begin if en = '1' then x := d; end if; y <= x; end process;`,
  );
  agrees(
    "no register where no old value is used",
    ab,
    "",
    `process (all) variable t : unsigned(7 downto 0); variable n : natural range 0 to 15; begin
if s(0) = '1' then t := unsigned(a); n := 3; end if; if s(0) = '1' and s(1) = '1' then y <= std_logic_vector(t * n) & x"0"; else y <= a & b; end if; end process;`.replace(
      't * n) & x"0"',
      "resize(t * n, 16))",
    ),
  );
});

describe("subprograms that read what belongs to an instance", () => {
  agrees(
    "its generic, its signal, the parameter of a generate, a constant around it",
    ab,
    "signal y0, y1 : std_logic_vector(7 downto 0);",
    `u0 : entity work.part generic map (K => 3) port map (a => a, y => y0); u1 : entity work.part generic map (K => 5) port map (a => b, y => y1); y <= y0 & y1;`,
    `${head}entity part is generic (K : natural); port (a : in std_logic_vector(7 downto 0); y : out std_logic_vector(7 downto 0)); end entity;
architecture rtl of part is
signal own : std_logic_vector(7 downto 0); signal g : std_logic_vector(7 downto 0);
function plus(v : unsigned) return unsigned is constant twice : natural := 2 * K; function inner(w : unsigned) return unsigned is begin return w + twice; end; begin return inner(v) + K; end;
impure function mine return std_logic_vector is begin return own xor std_logic_vector(to_unsigned(K, 8)); end;
begin own <= not a;
gen : for i in 0 to 7 generate function at(v : std_logic_vector) return std_logic is begin return v((i + K) mod 8); end; begin g(i) <= at(a); end generate;
y <= std_logic_vector(plus(unsigned(g))) xor mine; end architecture;\n`,
  );
  agrees(
    "a constant of the subprogram around it, other at each call",
    ab,
    `function outer(v : std_logic_vector; n : natural) return std_logic_vector is constant k : natural := n + 1; function inner(w : std_logic_vector) return std_logic_vector is begin return std_logic_vector(shift_left(unsigned(w), k)); end; begin return inner(v); end;`,
    `y <= outer(a, 1) & outer(b, 4);`,
  );
  agrees(
    "variables of the process around it",
    clocked,
    "",
    `process (clk) variable n : unsigned(7 downto 0) := x"00"; procedure step(by : natural) is begin if en = '1' then n := n + by; end if; end; impure function top return std_logic is begin return n(7); end; begin if rising_edge(clk) then if rst = '1' then n := x"00"; else step(3); step(7); end if; q <= std_logic_vector(n); f <= top; end if; end process;`,
  );
});

describe("indexes", () => {
  agrees(
    "narrower than the array",
    ab,
    `type t is array (0 to 7) of std_logic_vector(7 downto 0); constant c : t := (x"11", x"22", x"44", x"88", x"f1", x"f2", x"f4", x"f8"); type n is array (-3 to 4) of unsigned(7 downto 0); signal m : n;`,
    `gen : for i in -3 to 4 generate m(i) <= unsigned(a) + (i + 3) * 7; end generate;
process (all) variable k : integer range 0 to 3; variable j : integer range -2 to 1; begin k := to_integer(unsigned(s(1 downto 0))); j := to_integer(signed(s(1 downto 0))); y <= c(k) & std_logic_vector(m(j)); end process;`,
  );
  agrees(
    "enumerations, two dimensions, and descending ones",
    ab,
    `type e is (red, green, blue, grey); type t is array (e) of std_logic_vector(3 downto 0); type two is array (0 to 3, 1 downto 0) of std_logic_vector(1 downto 0); type down is array (5 downto 2) of std_logic;`,
    `process (all) variable x : t; variable z : two; variable w : down; variable k : natural range 0 to 3; begin k := to_integer(unsigned(s(1 downto 0))); x := (red => a(3 downto 0), green => a(7 downto 4), blue => b(3 downto 0), grey => b(7 downto 4));
for i in 0 to 3 loop for j in 0 to 1 loop z(i, j) := a(i + j + 1 downto i + j); end loop; w(i + 2) := b(i); end loop;
if s(2) = '1' then x(e'val(k)) := not x(blue); z(k, 1) := "10"; w(k + 2) := a(0); end if;
y <= x(e'val(3 - k)) & z(k, 0) & z(3 - k, 1) & w(k + 2) & w(2) & w(5) & w(3) & x(red); end process;`,
  );
});

describe("loops that signals leave", () => {
  agrees(
    "exit and next without a label keep their conditions",
    ab,
    "",
    `process (all) variable n : natural range 0 to 255; variable m : std_logic_vector(7 downto 0); begin n := 0; m := x"00";
for i in 0 to 7 loop exit when a(i) = '1'; next when b(i) = '1'; n := n + 1; m(i) := s(0); for j in 0 to 2 loop next when j = 1; exit when s(j) = '0'; n := n + 4; end loop; end loop;
y <= std_logic_vector(to_unsigned(n, 8)) & m; end process;`,
  );
  agrees(
    "while and loop, with bounds that limits give",
    ab,
    "",
    `process (all) variable n : natural range 0 to 8; variable c : natural range 0 to 7; variable t : unsigned(7 downto 0); begin n := 0; c := to_integer(unsigned(s)); t := x"00";
while n < c loop t := t + unsigned(a); n := n + 1; end loop;
l : loop exit l when n = 8; n := n + 1; if b(n - 1) = '1' then t := t xor x"a5"; next l; end if; t := t + 1; end loop;
for i in 1 to c loop t := t + i; end loop;
y <= std_logic_vector(t) & std_logic_vector(to_unsigned(n, 8)); end process;`,
  );
  agrees(
    "a return within them",
    ab,
    `function f(v : std_logic_vector; w : std_logic_vector) return natural is begin for i in v'range loop next when w(i) = '0'; for j in 0 to 3 loop exit when j = 2 and w(0) = '1'; if v(j) = '1' then return i * 4 + j; end if; end loop; exit when v(i) = '1'; end loop; return 99; end;`,
    "y <= std_logic_vector(to_unsigned(f(a, b), 16));",
  );
});

describe("operators", () => {
  agrees(
    "abs of what is not negative, powers, remainders",
    ab,
    "",
    `process (all) variable n : natural range 0 to 255; variable i : integer range -128 to 127; variable k : natural range 0 to 7; begin n := to_integer(unsigned(a)); i := to_integer(signed(b)); k := to_integer(unsigned(s)); y <= x"0000";
case k is when 0 => y <= std_logic_vector(to_unsigned(abs n, 16)); when 1 => y <= std_logic_vector(to_unsigned(n ** 2, 16)); when 2 => y <= std_logic_vector(to_signed(i ** 2 - 3 ** k, 16)); when 3 => y <= std_logic_vector(to_unsigned(2 ** k, 8)) & std_logic_vector(to_signed(i rem 7, 8)); when 4 => y <= std_logic_vector(to_signed(i mod (-5), 8)) & std_logic_vector(to_signed(i / (-3), 8)); when 5 => if n > 0 then y <= std_logic_vector(to_signed(i mod n, 16)); end if; when 6 => y <= std_logic_vector(to_signed(-(abs i), 16)); when others => y <= std_logic_vector(to_signed(natural'succ(n) - integer'pred(i), 16)); end case; end process;`,
  );
  agrees(
    "shifts of bit vectors, and of lists",
    ab,
    "type l is array (0 to 3) of boolean; type w is array (0 to 3) of bit_vector(1 downto 0);",
    `process (all) variable u : bit_vector(7 downto 0); variable k : natural range 0 to 15; variable z : integer range -4 to 3; variable x : l; begin u := to_bitvector(a); k := to_integer(unsigned(b(3 downto 0))); z := to_integer(signed(s)); for i in x'range loop x(i) := b(i) = '1'; end loop;
case s is when "000" => y <= to_stdlogicvector(u sra 3) & to_stdlogicvector(u sla 2); when "001" => y <= to_stdlogicvector(u sra k) & to_stdlogicvector(u sla k); when "010" => y <= to_stdlogicvector(u srl k) & to_stdlogicvector(u sll k); when "011" => y <= to_stdlogicvector(u rol k) & to_stdlogicvector(u ror k); when others => y <= to_stdlogicvector(u sra z) & to_stdlogicvector(u rol z); x := x sra 1; if x(0) then y(0) <= '1'; end if; if x(1) then y(1) <= '1'; end if; end case; end process;`,
  );
  agrees(
    "minimum and maximum, lists of other lengths, reductions",
    ab,
    "type l is array (0 to 2) of integer range -8 to 7;",
    `process (all) variable x : l; begin for i in x'range loop x(i) := to_integer(signed(a(i + 4 downto i + 1))); end loop; y <= x"0000"; y(3 downto 0) <= std_logic_vector(to_signed(minimum(x), 4)); y(7 downto 4) <= std_logic_vector(to_signed(maximum(x), 4)); y(8) <= and a; y(9) <= xor b; y(10) <= nor s; if a(2 downto 0) < b(3 downto 0) then y(11) <= '1'; end if; if x < (1, 2) then y(12) <= '1'; end if; y(13) <= '1' when a(7 downto 4) >= b(7 downto 6) else '0'; end process;`,
  );
  agrees(
    "numbers that do not fit the vector beside them",
    ab,
    "",
    `process (all) variable u : unsigned(3 downto 0); variable n : natural range 0 to 255; begin u := unsigned(a(3 downto 0)); n := to_integer(unsigned(b)); y <= x"0000";
case s is when "000" => y(7 downto 0) <= std_logic_vector(u * n); when "001" => y(3 downto 0) <= std_logic_vector(u + n); when "010" => if n > 0 then y(3 downto 0) <= std_logic_vector(u / n); end if; when "011" => if n > 0 then y(3 downto 0) <= std_logic_vector(u mod n); end if; when "100" => if u > n then y(0) <= '1'; end if; when "101" => if u > 0 then y(3 downto 0) <= std_logic_vector(n / u); end if; when "110" => y(7 downto 0) <= std_logic_vector(20 * u); when others => if u > 0 then y(3 downto 0) <= std_logic_vector(n rem u); end if; end case; end process;`,
  );
});

describe("aggregates, slices and targets", () => {
  agrees(
    "targets that are aggregates, by place and by name",
    ab,
    "type r is record f : std_logic_vector(3 downto 0); g : std_logic; end record; signal v, w : std_logic_vector(3 downto 0); signal t, u : std_logic; signal x : r;",
    `(v, w) <= std_logic_vector'(a); (3 => t, 2 => u, 1 => y(1), 0 => y(0)) <= std_logic_vector'(b(3 downto 0)); x <= (g => s(0), f => b(7 downto 4));
process (all) variable i, j : std_logic_vector(1 downto 0); variable k : std_logic; begin (g => k, f => y(15 downto 12)) := x; end process;
y(11 downto 8) <= v; y(7 downto 4) <= w; y(3) <= t; y(2) <= u;`.replace(
      "process (all) variable i, j : std_logic_vector(1 downto 0); variable k : std_logic; begin (g => k, f => y(15 downto 12)) := x; end process;",
      "process (all) variable z : std_logic_vector(3 downto 0); variable k : std_logic; begin (g => k, f => z) := x; y(15 downto 13) <= z(3 downto 1); y(12) <= z(0) xor k; end process;",
    ),
  );
  agrees(
    "slices that constants choose once a loop is unrolled",
    ab,
    "",
    `process (all) variable n : natural range 0 to 16; variable v : std_logic_vector(15 downto 0); variable lo : natural range 0 to 8; begin n := 0; v := x"0000"; while n < 16 loop v(n + 3 downto n) := a(3 downto 0) xor std_logic_vector(to_unsigned(n, 4)); n := n + 4; end loop; lo := to_integer(unsigned(s)); v(lo + 7 downto lo) := b; v(lo + 1 downto lo) := v(lo + 4 downto lo + 3); y <= v; end process;`,
  );
  agrees(
    "named aggregates take the target's direction",
    ab,
    "",
    `process (all) variable v : std_logic_vector(7 downto 0); variable w : std_logic_vector(0 to 7); begin v := (0 => a(0), 1 => a(1), 2 => a(2), others => b(0)); w := (0 => a(0), 1 => a(1), 2 => a(2), others => b(0)); v(7 downto 4) := (3 => b(3), 2 => b(2), 1 => b(1), 0 => b(0)); w(4 to 7) := (0 => b(3), 1 => b(2), 2 => b(1), 3 => b(0)); y <= v & w; end process;`,
  );
});

describe("characters and strings", () => {
  agrees(
    "a text is a table of characters",
    ab,
    `constant words : string := "Warp, weft" & CR & LF;
function digit (c : character) return integer is begin
case c is
when '+' | '-' => return 17;
when '0' to '9' => return character'pos(c) - 48;
when 'a' to 'f' => return character'pos(c) - 87;
when others => return 16;
end case; end function;`,
    `y(7 downto 0) <= std_logic_vector(to_unsigned(character'pos(words(to_integer(unsigned(a(2 downto 0))) + 1)), 8));
y(15 downto 8) <= std_logic_vector(to_unsigned(digit(character'val(to_integer(unsigned(b)))), 8));`,
  );
  agrees(
    "characters are compared by their places, also as parameters of functions whose other arguments are attributes",
    ab,
    `function chosen (l, r : integer; way : character := 'X') return integer is begin
case way is
when '+' | '-' => return 1;
when '/' => return l + r;
when others => return 2;
end case; end function;
function both (x : std_logic_vector) return integer is begin
return chosen(x'high, x'low, '/') * 4 + chosen(x'high, x'low) + 32 * chosen(x'length, x'left, '-');
end function;`,
    `y <= std_logic_vector(to_unsigned(both(a), 8)) & b when character'val(to_integer(unsigned(a))) < 'M'
  else b & std_logic_vector(to_unsigned(both(b), 8));`,
  );
  agrees(
    "strings are signals, variables, fields and elements, cut, put together and compared",
    clocked,
    `type names is array (0 to 3) of string(1 to 4);
constant table : names := ("warp", "weft", "heck", "reed");
type line_of is record text : string(1 to 4); n : integer range 0 to 7; end record;
signal s : string(1 to 4) := "none";
signal t : string(4 downto 1) := "____";
signal r : line_of := ("loom", 2);`,
    `process (clk) variable v : string(1 to 4); begin if rising_edge(clk) then
  s <= table(to_integer(unsigned(m(1 downto 0))));
  v := s;
  v(2) := character'val(to_integer(unsigned(d(6 downto 0))));
  t <= v(1 to 2) & "xy";
  if en = '1' then r.text <= t(2 downto 1) & s(3 to 4); r.n <= to_integer(unsigned(m)); end if;
  q <= std_logic_vector(to_unsigned(character'pos(r.text(to_integer(unsigned(m(1 downto 0))) + 1)), 8));
  if s = "weft" or t < v or r.text > s then f <= '1'; else f <= '0'; end if;
end if; end process;`,
  );
});

describe("ways to write a clock", () => {
  agrees(
    "an assignment behind the clocked if, and one before it",
    clocked,
    "",
    `process (clk) variable n : unsigned(7 downto 0) := x"00"; begin if rising_edge(clk) then if rst = '1' then n := x"00"; elsif en = '1' then n := n + unsigned(d); end if; end if; q <= std_logic_vector(n); f <= n(3); end process;`,
  );
  agrees(
    "with an asynchronous reset",
    clocked,
    "",
    `process (clk, rst) variable n : unsigned(7 downto 0); begin if rst = '1' then n := x"05"; elsif rising_edge(clk) then n := n + unsigned(d); end if; q <= std_logic_vector(n); f <= xor n; end process;`,
  );
  agrees(
    "a reset behind the clock, which stops only what it sets",
    clocked,
    'signal r, t : std_logic_vector(7 downto 0) := x"00";',
    `process (clk, rst) begin if rising_edge(clk) then r <= d; t <= r; end if; if rst = '1' then t <= x"ff"; end if; end process; q <= t; f <= r(0);`,
  );
  agrees(
    "wait until a level, guarded blocks, an enable around the edge",
    { ...clocked, outputs: [p("q", 8), p("f"), p("g", 8), p("h", 8)] },
    'signal x, z : unsigned(7 downto 0) := x"00";',
    `process begin wait until clk = '1'; if rst = '1' then x <= x"00"; else x <= x + unsigned(d); end if; end process; q <= std_logic_vector(x);
b : block (rising_edge(clk) and en = '1') begin g <= guarded d; end block; c : block (m(0) = '1') begin f <= guarded d(0); end block;
process (clk) begin if en = '1' then if clk'event and clk = '1' then z <= z xor unsigned(d); end if; end if; end process; h <= std_logic_vector(z);`,
  );
  agrees(
    "memories as shared variables, written and read by two processes",
    { ...clocked, inputs: [p("rst"), p("en"), p("d", 8), p("m", 4), p("k", 4)], outputs: [p("q", 8), p("g", 8)] },
    'type t is array (0 to 15) of std_logic_vector(7 downto 0); shared variable mem : t := (others => x"00");',
    `process (clk) begin if rising_edge(clk) then if en = '1' then mem(to_integer(unsigned(m))) := d; end if; q <= mem(to_integer(unsigned(m))); end if; end process;
process (clk) begin if falling_edge(clk) then g <= mem(to_integer(unsigned(k))); end if; end process;`,
  );
});

const withSlice = {
  inputs: [p("a", 16), p("s", 3), p("b", 4)],
  outputs: [p("y", 8), p("f")],
  cycles: 100,
};
const slicing = (functions: string, use: string): [string, string] => [
  functions,
  `process (all) variable n : natural range 0 to 7; begin n := to_integer(unsigned(s)); ${use} end process;`,
];
const half = "a(n + 7 downto n)";
describe("slices that signals move, in subprograms", () => {
  agrees(
    "loops over their range, and ranges of variables",
    withSlice,
    ...slicing(
      `function turned(v : std_logic_vector) return std_logic_vector is variable r : std_logic_vector(v'reverse_range); variable x : std_logic_vector(v'range) := (others => '0');
begin for i in v'range loop r(i) := v(i); x(v'high - (i - v'low)) := v(i); end loop; return x xor r; end function;
function odd(v : std_logic_vector) return std_logic is variable r : std_logic := '0'; variable k : integer := v'low; begin while k <= v'high loop r := r xor v(k); k := k + 1; end loop; return r; end function;`,
      `y <= turned(${half}); f <= odd(${half});`,
    ),
  );
  agrees(
    "indexes that signals count from their bounds",
    withSlice,
    ...slicing(
      `function at(v : std_logic_vector; k : natural) return std_logic is begin if v'high - k >= v'low then return v(v'low + k); else return '1'; end if; end function;
procedure put(variable v : inout std_logic_vector; k : natural range 0 to 7) is begin v(v'high - k) := '1'; v(v'low + 1 downto v'low) := "10"; end procedure;`,
      `f <= at(${half}, to_integer(unsigned(b)) / 2); y <= a(15 downto 8); y(n downto n) <= "1";`,
    ),
  );
  agrees(
    "an alias has bounds of its own",
    withSlice,
    ...slicing(
      `function weighed(v : std_logic_vector) return unsigned is alias x : std_logic_vector(v'length - 1 downto 0) is v; variable r : unsigned(7 downto 0) := x"00";
begin for i in x'range loop if x(i) = '1' then r := r + i; end if; end loop; return r; end function;`,
      `y <= std_logic_vector(weighed(${half})); f <= '0';`,
    ),
  );
  const refused: [string, string, string][] = [
    [
      "the index as a number",
      "integer",
      "for i in v'range loop if v(i) = '1' then return i; end if; end loop; return 0;",
    ],
    [
      "its remainder",
      "integer",
      "for i in v'range loop if v(i) = '1' and i mod 2 = 1 then return 1; end if; end loop; return 0;",
    ],
    [
      "a comparison with a plain number",
      "integer",
      "for i in v'range loop if i < 4 and v(i) = '1' then return 1; end if; end loop; return 0;",
    ],
    ["a plain index", "integer", "if v(0) = '1' then return 1; end if; return 0;"],
    ["a bound", "integer", "return v'left + 1;"],
    [
      "the index in another array",
      "integer",
      "for i in v'range loop if a(i) /= v(i) then return 1; end if; end loop; return 0;",
    ],
    ["a case", "integer", "case v'low is when 0 => return 1; when others => return 0; end case;"],
    ["a sum with a vector", "unsigned", "return to_unsigned(v'low, 8);"],
    ["a bound times two", "integer", "return 2 * v'low - v'low;"],
    ["a bound kept in a record", "integer", "<decl>variable r : rec := (v'low, 1); begin return r.k;"],
  ];
  for (const [name, result, body] of refused)
    it(`${name} is refused`, () => {
      const [decl, stmts] = body.includes("<decl>") ? body.slice(6).split(" begin ") : ["", body];
      const text = dut(
        { inputs: withSlice.inputs, outputs: withSlice.outputs },
        `type rec is record k, l : integer; end record; ${slicing("", "")[0]}`,
        `process (all) variable n : natural range 0 to 7;
impure function g(v : std_logic_vector) return ${result} is ${decl} begin ${stmts} end function;
begin n := to_integer(unsigned(s)); y <= ${result === "integer" ? `std_logic_vector(to_unsigned(g(${half}), 8))` : `std_logic_vector(g(${half}))`}; f <= '0'; end process;`,
      );
      expect(rulesOf(text)).toContain("vhdl/moved-bounds");
    });
});

describe("values that ports begin with", () => {
  const words = `package kinds is type word_list is array (natural range <>) of std_logic_vector(3 downto 0); type pair is record low : std_logic_vector(2 downto 0); high : word_list(0 to 1); end record; end package;`;
  agrees(
    "stand in what the ports are connected to, part by part",
    { clock: "clk", reset: "rst", inputs: [p("rst"), p("d", 4)], outputs: [p("y", 24), p("z", 11)], cycles: 40 },
    "signal all_words : std_logic_vector(23 downto 0); signal both : pair;",
    `u : entity work.giver port map (clk => clk, rst => rst, d => d, q(0) => all_words(23 downto 20), q(1) => all_words(3 downto 0), q(2) => all_words(15 downto 12), q(3) => all_words(19 downto 16), q(4) => all_words(7 downto 4), q(5) => all_words(11 downto 8), r => both);
y <= all_words; z <= both.low & both.high(0) & both.high(1);`,
    `${head}${words}
${head}use work.kinds.all;
entity giver is port (clk, rst : in std_logic; d : in std_logic_vector(3 downto 0); q : out word_list(0 to 5) := (0 => "0001", 1 => "0010", 3 => "0100", 4 => "UUUU", others => "1000"); r : out pair := (low => "101", high => ("0110", "1001"))); end entity;
architecture rtl of giver is begin
process (clk) begin if rising_edge(clk) then if rst = '1' then q(2) <= d; r.high(1) <= not d; end if; end if; end process;
end architecture;
${head}use work.kinds.all;
`,
  );
});
