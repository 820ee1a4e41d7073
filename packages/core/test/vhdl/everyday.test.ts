import { describe } from "vitest";
import { fails, reports, values } from "../helpers/vhdl.ts";

describe("arrays with bounds that come from elsewhere", () => {
  reports(
    "named aggregates are laid out in the target's direction",
    {
      decl: "variable v : std_logic_vector(7 downto 0) := (others => '0'); variable w : std_logic_vector(0 to 7) := (others => '0'); variable n : natural := 2;",
      body: `for k in 0 to 1 loop v(4 * k + 3 downto 4 * k) := (0 => '1', 1 => '0', 2 => '0', 3 => '0'); end loop; report to_string(v);
v(n + 3 downto n) := (0 => '1', 1 => '1', 2 => '0', 3 => '0'); report to_string(v);
v(7 downto 4) := (3 => '1', 2 => '0', 1 => '1', 0 => '1'); report to_string(v);
w(4 to 7) := (0 => '1', 1 => '0', 2 => '0', 3 => '0'); report to_string(w);`,
    },
    "00010001|00001101|10111101|00001000",
  );
  values(
    "two dimensions, from arguments, results and start values",
    {
      arch: `type m is array (natural range <>, natural range <>) of integer;
function f(r, c : natural) return m is variable x : m(0 to r - 1, 0 to c - 1); begin for i in x'range(1) loop for j in x'range(2) loop x(i, j) := 10 * i + j; end loop; end loop; return x; end;
function sum(x : m) return integer is variable y : m(x'range(1), x'range(2)) := x; variable n : integer := 0; begin for i in y'range(1) loop for j in y'range(2) loop n := n + y(i, j); end loop; end loop; return n; end;
constant k : m := f(2, 3); constant l : m := ((1, 2), (3, 4), (5, 6)); signal s : m(0 to 1, 0 to 2) := f(2, 3); signal z : m(0 to 1, 0 to 2) := k;
type b is array (natural range <>, natural range <>) of std_logic; function g return b is begin return ("01", "10"); end; signal q : b(0 to 1, 0 to 1) := g;`,
      decl: "variable w : m(0 to 1, 0 to 2) := f(2, 3); procedure set(variable x : inout m) is begin x(x'low(1), x'high(2)) := 77; end;",
      body: "set(w);",
    },
    [
      ["integer'image(k'length(1)) & integer'image(k'length(2)) & integer'image(k(1, 2))", "2312"],
      ["integer'image(w'length(2)) & integer'image(w(0, 1)) & integer'image(w(0, 2))", "3177"],
      ["integer'image(l'length(1)) & integer'image(l'right(2)) & integer'image(l(2, 1))", "316"],
      ["integer'image(s(1, 2)) & integer'image(z(0, 1))", "121"],
      ["integer'image(sum(k)) & integer'image(sum(l)) & integer'image(sum(((1, 2), (3, 4))))", "362110"],
      ["to_string(q(0, 1)) & to_string(q(1, 1))", "10"],
    ],
  );
  values(
    "'others' for a variable whose bounds an argument gives",
    {
      arch: `type a is array (natural range <>) of integer;
function f(n : natural) return std_logic_vector is variable v : std_logic_vector(n - 1 downto 0) := (0 => '1', others => '0'); begin v(n - 1) := '1'; return v; end;
function g(n : natural; k : natural) return string is variable s : string(1 to n) := (others => ' '); variable l : bit_vector(n downto 1) := (k => '1', others => '0'); variable x : a(0 to n) := (0 => 5, 1 to 2 => 7, others => -1); begin s := (1 => 'a', 2 to 3 => 'b', others => '-'); return s & to_string(l) & integer'image(x(0)) & integer'image(x(2)) & integer'image(x(3)); end;`,
    },
    [
      ["to_string(f(5))", "10001"],
      ["g(6, 3)", "abb---00010057-1"],
    ],
  );
  values(
    "bounds of null ranges",
    { decl: "variable v : std_logic_vector(5 to 2); variable w : std_logic_vector(2 downto 7);" },
    [
      ["integer'image(v'left) & integer'image(v'right) & integer'image(v'low) & integer'image(v'high)", "5252"],
      ["integer'image(w'left) & integer'image(w'right) & integer'image(w'low) & integer'image(w'length)", "2770"],
    ],
  );
  reports(
    "targets that are aggregates, of slices with computed bounds",
    {
      decl: 'variable a, b : std_logic; variable v : std_logic_vector(3 downto 0) := "0110"; variable n : natural := 1;',
      body: "(a, b) := v(n + 1 downto n); report to_string(a) & to_string(b); n := 2; (a, b) := v(n + 1 downto n); report to_string(a) & to_string(b); report to_string(v(n + 1 downto n) nand v(n downto n - 1));",
    },
    "11|01|10",
  );
});

describe("signals of every kind", () => {
  reports(
    "limits that a function gives",
    {
      arch: "function f return integer is begin return 7; end; signal s : integer range 0 to f; signal q : integer range 0 to f := 3;",
      body: "s <= q + 1; wait for 1 ns; report integer'image(s);",
    },
    "4",
  );
  reports(
    "strings, by characters and slices",
    {
      arch: 'signal s : string(1 to 5) := "hello"; signal c : character; signal n : natural := 0;',
      stmts: "process (s(2)) begin n <= n + 1; end process;",
      body: 'c <= s(2); wait for 1 ns; report "" & c; s <= "world"; wait for 1 ns; report s(2 to 4); s(1) <= \'W\'; s(4 to 5) <= "k!"; wait for 1 ns; report s & integer\'image(n);',
    },
    "e|orl|Work!3",
  );
  reports(
    "records that are resolved as a whole",
    {
      arch: "type r is record a : integer; b : std_logic; end record; type rs is array (natural range <>) of r; function res(v : rs) return r is begin return v(0); end; signal z : res r;",
      body: "z <= (7, '0'); wait for 1 ns; report integer'image(z.a); z.a <= 9; z.b <= '1'; wait for 1 ns; report integer'image(z.a) & to_string(z.b);",
    },
    "7|91",
  );
  reports(
    "process (all) hears what its subprograms look at",
    {
      arch: "signal x, y, w : std_logic := '0'; impure function f return std_logic is begin return not x; end; procedure p(signal o : out std_logic) is begin o <= f; end;",
      stmts: "process (all) begin y <= f; end process; process (all) begin p(w); end process;",
      body: "wait for 1 ns; report to_string(y) & to_string(w); x <= '1'; wait for 1 ns; report to_string(y) & to_string(w);",
    },
    "11|00",
  );
});

describe("names, operators and choices", () => {
  values("physical values times a real are rounded", {}, [
    ["time'image(10 ns * 0.12345678)", "1234568 fs"],
    ["time'image(10 fs / 4.0)", "3 fs"],
    ["time'image(-10 fs / 4.0)", "-3 fs"],
  ]);
  values(
    "whole numbers beside vectors: products cut them to the other's length, quotients do not",
    {
      decl: 'variable u : unsigned(3 downto 0) := "1001"; variable s : signed(3 downto 0) := "1001"; variable n : integer := 20;',
    },
    [
      ["to_string(u * n)", "00100100"],
      ["to_string(n rem u)", "0010"],
      ["to_string(u / n)", "0000"],
      ["to_string(u mod n)", "1001"],
      ["to_string(s rem 20)", "1001"],
      ["to_string(s * n)", "11100100"],
    ],
  );
  values("operators called by their symbols", { decl: 'variable u, v : unsigned(3 downto 0) := "0101";' }, [
    ['boolean\'image("="(u, v))', "true"],
    ['to_string("+"(u, v))', "1010"],
    ['integer\'image("+"(1, 2) + "-"(4))', "-1"],
    ['boolean\'image("and"(true, false))', "false"],
    ['to_string("&"(u, v))', "01010101"],
  ]);
  reports(
    "names through the entity, the architecture and the process",
    "library ieee; use ieee.std_logic_1164.all; entity t is constant k : integer := 3; end; architecture a of t is signal s : integer := 4; begin p : process variable v : integer := 5; begin report integer'image(t.k) & integer'image(a.s) & integer'image(p.v) & integer'image(work.t.k); wait; end process; end;",
    "3453",
  );
  values(
    "'subtype and 'element",
    {
      arch: "signal v : std_logic_vector(5 downto 2); signal w : v'subtype; type l is array (0 to 3) of unsigned(6 downto 0); signal x : l; signal y : x'element; signal z : l'element;",
      decl: "variable q : v'element := '1';",
    },
    [
      ["integer'image(w'left) & integer'image(w'right)", "52"],
      ["integer'image(y'length) & integer'image(z'length) & to_string(q)", "771"],
    ],
  );
  reports(
    "subprograms as generics, predefined operators among them",
    {
      units:
        "package gp is generic (type t; function less(a, b : t) return boolean; procedure show(a : t)); function max(a, b : t) return t; end; package body gp is function max(a, b : t) return t is begin show(a); if less(a, b) then return b; end if; return a; end; end;\n",
      arch: 'procedure sh(a : integer) is begin report integer\'image(a); end; package p is new work.gp generic map (t => integer, less => "<", show => sh);',
      body: "report integer'image(p.max(3, 5));",
    },
    "3|5",
  );
  reports(
    "subprograms of a protected body's own",
    {
      arch: "type c is protected procedure inc; impure function get return integer; end protected; type c is protected body variable n : integer := 0; procedure add(k : integer) is begin n := n + k; end; impure function twice return integer is begin return 2 * n; end; procedure inc is begin add(3); end; impure function get return integer is begin return twice; end; end protected body; shared variable x, y : c;",
      body: "x.inc; x.inc; y.inc; report integer'image(x.get) & integer'image(y.get);",
    },
    "126",
  );
  fails(
    "a value that two choices hold, one of them a range",
    {
      decl: "variable n : integer := 1;",
      body: "case n is when 0 to 3 => null; when 3 => null; when others => null; end case;",
    },
    /duplicate-choice/,
  );
});
