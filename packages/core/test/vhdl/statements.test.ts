import { describe } from "vitest";
import { fails, reports } from "../helpers/vhdl.ts";

describe("sequential statements (IEEE 1076 clause 10)", () => {
  reports(
    "if, elsif, else",
    {
      decl: "variable i : integer := 2;",
      body: 'if i = 1 then report "one"; elsif i = 2 then report "two"; else report "many"; end if;',
    },
    "two",
  );
  reports(
    "case with lists, ranges and others",
    {
      body: `for i in 0 to 7 loop case i is when 0 => report "zero"; when 1 | 2 => report "few"; when 3 to 5 => report "some"; when others => report "many"; end case; end loop;`,
    },
    "zero|few|few|some|some|some|many|many",
  );
  reports(
    "case of an enumeration and of vectors",
    {
      decl: 'type s is (a, b, c); variable v : std_logic_vector(1 downto 0) := "10";',
      body: `for x in s loop case x is when a => report "A"; when b to c => report "BC"; end case; end loop;
case v is when "00" => report "0"; when "10" => report "2"; when others => report "?"; end case;`,
    },
    "A|BC|BC|2",
  );
  reports(
    "case of strings and of concatenations",
    {
      decl: "variable s : string(1 to 2) := \"go\"; variable x, y : bit := '1';",
      body: `case s is when "no" => report "n"; when "go" => report "g"; when others => null; end case;
case bit_vector'(x & y) is when "11" => report "both"; when others => report "other"; end case;`,
    },
    "g|both",
  );
  reports(
    "2008: case? with don't-cares",
    {
      decl: "variable v : std_logic_vector(3 downto 0);",
      body: `for i in 0 to 3 loop v := std_logic_vector(to_unsigned(i * 5, 4)); case? v is when "1---" => report "top"; when "01--" => report "next"; when others => report "low"; end case?; end loop;`,
    },
    "low|next|top|top",
  );
  reports(
    "loops with labels, exit and next",
    {
      decl: "variable n : integer := 0;",
      body: `outer : for i in 1 to 3 loop for j in 1 to 3 loop next outer when j > i; exit outer when i = 3 and j = 2; n := n + 1; report integer'image(i) & integer'image(j); end loop; end loop outer; report integer'image(n);`,
    },
    "11|21|22|31|4",
  );
  reports(
    "while and endless loops",
    {
      decl: "variable i : integer := 10;",
      body: "while i > 7 loop i := i - 1; end loop; loop i := i + 5; exit when i > 20; end loop; report integer'image(i);",
    },
    "22",
  );
  reports(
    "loops over null ranges and downwards",
    {
      body: 'for i in 1 to 0 loop report "never"; end loop; for i in 2 downto 0 loop report integer\'image(i); end loop;',
    },
    "2|1|0",
  );
  reports(
    "the range of a loop is computed once",
    { decl: "variable n : integer := 3;", body: "for i in 1 to n loop n := 10; report integer'image(i); end loop;" },
    "1|2|3",
  );
  reports(
    "loops over ranges of objects and types",
    {
      decl: "variable v : bit_vector(5 downto 3); type e is (x, y);",
      body: "for i in v'range loop report integer'image(i); end loop; for i in v'reverse_range loop report integer'image(i); end loop; for i in e loop report e'image(i); end loop; for i in e'range loop report e'image(i); end loop;",
    },
    "5|4|3|3|4|5|x|y|x|y",
  );
  reports(
    "assert and report with severities",
    {
      body: `assert false report "note" severity note; assert true report "never"; assert 1 = 2 report "warn" severity warning; report "plain"; assert false severity warning;`,
    },
    "note|warn|plain|Assertion violation.",
  );
  fails(
    "an assertion of severity error fails the run",
    { body: 'assert false report "broken";' },
    /\[sim\/error\] broken/,
  );
  fails("failure ends the run", { body: 'report "last" severity failure; report "never";' }, /\[sim\/failure\] last/);
  reports(
    "return leaves a procedure",
    {
      decl: 'procedure p(n : integer) is begin report "in"; if n = 0 then return; end if; report "more"; end;',
      body: "p(0); p(1);",
    },
    "in|in|more",
  );
  reports(
    "2008: conditional and selected assignment of variables",
    {
      decl: "variable a, b : integer := 1; variable s : string(1 to 3);",
      body: `a := 5 when b = 1 else 6; with a select s := "fiv" when 5, "six" when 6, "???" when others; report s & integer'image(a);`,
    },
    "fiv5",
  );
  reports(
    "aggregates as targets",
    {
      decl: "variable a, b : std_logic; variable i, j : integer := 1; type p is record x, y : integer; end record; variable c : std_logic_vector(2 downto 0);",
      body: `(a, b) := std_logic_vector'("10"); (i, j) := p'(7, 8); report std_logic'image(a) & std_logic'image(b) & integer'image(i) & integer'image(j);
(i, j) := p'(j, i); report integer'image(i) & integer'image(j);`,
    },
    "'1''0'78|87",
  );
  reports(
    "slices on both sides, overlapping",
    {
      decl: 'variable v : std_logic_vector(7 downto 0) := x"12"; type iv is array (0 to 4) of integer; variable a : iv := (1, 2, 3, 4, 5);',
      body: "v(7 downto 4) := v(3 downto 0); report to_string(v); a(1 to 4) := a(0 to 3); for i in a'range loop report integer'image(a(i)); end loop;",
    },
    "00100010|1|1|2|3|4",
  );
  reports(
    "null statements and empty loops",
    { body: 'null; for i in 0 to 3 loop null; end loop; report "done";' },
    "done",
  );
  reports(
    "blocks of waits",
    {
      arch: "signal s : bit := '0'; signal n : integer := 0;",
      stmts: "s <= '1' after 10 ns, '0' after 20 ns, '1' after 30 ns;",
      body: `wait until s = '1'; report time'image(now); wait on s; report time'image(now) & bit'image(s); wait for 3 ns; report time'image(now);
wait until s = '0' for 2 ns; report time'image(now); wait until s = '1' for 100 ns; report time'image(now) & boolean'image(s'event);`,
    },
    "10000000 fs|20000000 fs'0'|23000000 fs|25000000 fs|30000000 fstrue",
  );
  reports(
    "wait for 0 ns is one delta",
    {
      arch: "signal s : integer := 0;",
      body: "s <= 1; report integer'image(s); wait for 0 ns; report integer'image(s); s <= 2; wait for 0 ns; report integer'image(s) & integer'image(s'last_value);",
    },
    "0|1|21",
  );
  reports(
    "waits in procedures",
    {
      arch: "signal clk : bit;",
      stmts: "clk <= not clk after 5 ns when now < 100 ns else '0';",
      decl: "procedure tick(signal c : in bit; n : positive := 1) is begin for i in 1 to n loop wait until c = '1'; end loop; end;",
      body: "tick(clk); report time'image(now); tick(clk, 3); report time'image(now);",
    },
    "5000000 fs|35000000 fs",
  );
  fails(
    "a loop that never ends is told",
    { decl: "variable i : integer := 0;", body: "loop i := 1 - i; end loop;" },
    /without letting time go on/,
  );
  fails(
    "signals that change each other without time",
    { arch: "signal a, b : bit;", stmts: "a <= not b; b <= a;" },
    /Zero-delay loop/,
  );
  fails(
    "case without all choices",
    { decl: "type e is (a, b, c); variable v : e;", body: "case v is when a => null; when b => null; end case;" },
    /\[vhdl\/missing-choice\] No branch for c of e/,
  );
  fails(
    "case of an integer without others",
    { decl: "variable v : integer range 0 to 3;", body: "case v is when 0 to 2 => null; end case;" },
    /missing-choice/,
  );
  fails(
    "a choice given twice",
    { decl: "variable v : integer;", body: "case v is when 1 => null; when 1 => null; when others => null; end case;" },
    /duplicate-choice/,
  );
  fails(
    "a choice of the wrong length",
    {
      decl: "variable v : std_logic_vector(1 downto 0);",
      body: 'case v is when "001" => null; when others => null; end case;',
    },
    /3 elements/,
  );
  fails(
    "a signal assigned with :=",
    { arch: "signal s : bit;", body: "s := '1';" },
    /'s' is a signal: ':=' assigns variables/,
  );
  fails(
    "a variable assigned with <=",
    { decl: "variable v : bit;", body: "v <= '1';" },
    /'v' is a variable: '<=' assigns signals/,
  );
  fails("exit outside of a loop", { body: "exit;" }, /outside of a loop/);
  fails("a missing end if", { body: "if true then null;" }, /missing-end/);
});

describe("subprograms (clause 4)", () => {
  reports(
    "overloaded functions and operators",
    {
      decl: `type p is record x, y : integer; end record;
function "+"(a, b : p) return p is begin return (a.x + b.x, a.y + b.y); end;
function f(i : integer) return string is begin return "int"; end; function f(b : boolean) return string is begin return "bool"; end; function f(i : integer) return integer is begin return i * 2; end;
variable v : p := (1, 2);`,
      body: "v := v + v + (10, 10); report integer'image(v.x) & integer'image(v.y) & f(true) & f(1) & integer'image(f(4)); v := \"+\"(v, v); report integer'image(v.x);",
    },
    "1214boolint8|24",
  );
  reports(
    "named, positional and default arguments",
    {
      decl: "function f(a : integer; b : integer := 5; c : integer := 7) return integer is begin return a * 100 + b * 10 + c; end;",
      body: "report integer'image(f(1)) & integer'image(f(1, 2)) & integer'image(f(c => 3, a => 9)) & integer'image(f(1, c => 0));",
    },
    "157127953150",
  );
  reports(
    "in, out and inout parameters",
    {
      decl: `procedure p(a : in integer; b : out integer; variable c : inout integer) is begin b := a + 1; c := c + a; end;
procedure swap(x, y : inout std_logic_vector) is variable t : std_logic_vector(x'range); begin t := x; x := y; y := t; end;
variable m, n : integer := 10; variable u : std_logic_vector(3 downto 0) := x"1"; variable v : std_logic_vector(3 downto 0) := x"2";`,
      body: "p(5, m, n); report integer'image(m) & integer'image(n); swap(u, v); report to_string(u) & to_string(v);",
    },
    "615|00100001",
  );
  reports(
    "recursion",
    {
      decl: `function fact(n : natural) return natural is begin if n < 2 then return 1; end if; return n * fact(n - 1); end;
function rev(s : string) return string is begin if s'length <= 1 then return s; end if; return rev(s(s'left + 1 to s'right)) & s(s'left); end;
function tree(v : std_logic_vector) return std_logic is alias x : std_logic_vector(v'length - 1 downto 0) is v; begin if v'length = 1 then return x(0); else return tree(x(v'length - 1 downto v'length / 2)) xor tree(x(v'length / 2 - 1 downto 0)); end if; end;`,
      body: 'report integer\'image(fact(7)) & rev("abc") & std_logic\'image(tree("1011"));',
    },
    "5040cba'1'",
  );
  reports(
    "unconstrained parameters and results",
    {
      decl: `function head(s : string; n : natural) return string is begin return s(s'left to s'left + n - 1); end;
function ones(v : std_logic_vector) return natural is variable n : natural := 0; begin for i in v'range loop if v(i) = '1' then n := n + 1; end if; end loop; return n; end;
function pad(s : string; n : natural) return string is variable r : string(1 to n) := (others => '.'); begin r(1 to s'length) := s; return r; end;`,
      body: 'report head("hello", 3) & integer\'image(ones(x"F1")) & pad("ab", 4); report integer\'image(pad("x", 9)\'length);',
    },
    "hel5ab..|9",
  );
  reports(
    "subprograms within subprograms see their surroundings",
    {
      decl: "function f(n : integer) return integer is variable k : integer := 3; function g(m : integer) return integer is begin return m * n + k; end; begin k := 4; return g(2); end;",
      body: "report integer'image(f(10));",
    },
    "24",
  );
  reports(
    "impure functions keep variables of the process",
    {
      decl: "variable n : integer := 0; impure function nxt return integer is begin n := n + 1; return n; end;",
      body: "report integer'image(nxt) & integer'image(nxt + nxt);",
    },
    "15",
  );
  reports(
    "packages with constants, types, functions and deferred constants",
    {
      units: `package p is constant w : integer := 4; constant d : integer; type sw is (on_t, off_t); function twice(x : integer) return integer; subtype word is integer range 0 to 2**w - 1; end package;
package body p is constant d : integer := twice(21); function helper(x : integer) return integer is begin return x + x; end; function twice(x : integer) return integer is begin return helper(x); end; end package body;
`,
      use: "use work.p.all;",
      body: "report integer'image(twice(w)) & integer'image(d) & sw'image(off_t) & integer'image(word'high) & integer'image(work.p.w);",
    },
    "842off_t154",
  );
  reports(
    "2008: generic packages",
    {
      units: `package gp is generic (n : integer; type t); type arr is array (0 to n - 1) of t; function size return integer; end package;
package body gp is function size return integer is begin return n * 2; end; end package body;
package ip is new work.gp generic map (n => 3, t => integer);
`,
      use: "use work.ip.all;",
      decl: "variable a : arr := (others => 7);",
      body: "report integer'image(size) & integer'image(a(2)) & integer'image(a'length);",
    },
    "673",
  );
  fails(
    "a call without its arguments",
    { decl: "function f(a, b : integer) return integer is begin return a; end;", body: "report integer'image(f(1));" },
    /called without all its arguments/,
  );
  fails(
    "an argument of the wrong type",
    { decl: "function f(a : integer) return integer is begin return a; end;", body: "report integer'image(f(true));" },
    /boolean, but an integer/,
  );
  fails(
    "a function that comes to its end",
    {
      decl: "function f(a : integer) return integer is begin if a > 0 then return 1; end if; end; variable v : integer := 0;",
      body: "v := f(v);",
    },
    /end without a return/,
  );
  fails(
    "an unknown name is told with a near one",
    { decl: "variable counter : integer;", body: "countr := 3;" },
    /'countr' is not declared. Did you mean 'counter'/,
  );
});
