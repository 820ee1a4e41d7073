import { describe } from "vitest";
import { fails, reports, values } from "../helpers/vhdl.ts";

describe("types (IEEE 1076 clause 5)", () => {
  values("enumeration attributes", { decl: "type c is (red, green, blue); variable v : c := green;" }, [
    ["c'image(v)", "green"],
    ["c'image(c'succ(v))", "blue"],
    ["c'image(c'pred(v))", "red"],
    ["integer'image(c'pos(blue))", "2"],
    ["c'image(c'val(0))", "red"],
    ["c'image(c'left) & c'image(c'right)", "redblue"],
    ["c'image(c'value(\"BLUE\"))", "blue"],
    ["boolean'image(red < blue)", "true"],
    ["boolean'image(c'ascending)", "true"],
    ["c'image(c'leftof(blue))", "green"],
    ["c'image(c'rightof(red))", "green"],
  ]);
  reports(
    "a variable of an enumeration begins with its leftmost value",
    {
      decl: "type s is (idle, run); variable v : s;",
      body: "report s'image(v);",
    },
    "idle",
  );
  values(
    "integers and their ranges",
    {
      decl: "subtype small is integer range 5 downto 1; variable v : small; type t is range 0 to 100; variable w : t;",
    },
    [
      ["integer'image(v)", "5"],
      ["integer'image(small'left) & integer'image(small'low) & integer'image(small'high)", "515"],
      ["t'image(w)", "0"],
      ["boolean'image(small'ascending)", "false"],
      ["integer'image(integer'high)", "2147483647"],
      ["integer'image(integer'low)", "-2147483648"],
      ["integer'image(small'succ(3))", "4"],
      ["integer'image(small'leftof(3))", "4"],
    ],
  );
  values("reals", { decl: "variable r : real := 2.5;" }, [
    ["integer'image(integer(r))", "3"],
    ["integer'image(integer(-2.5))", "-3"],
    ["boolean'image(r * 2.0 = 5.0)", "true"],
    ["integer'image(integer(real(7) / 2.0))", "4"],
    ["integer'image(integer(1.0E3))", "1000"],
  ]);
  values(
    "physical types",
    { decl: "type res is range 0 to 1000000 units ohm; kohm = 1000 ohm; end units; variable r : res := 2 kohm;" },
    [
      ["res'image(r)", "2000 ohm"],
      ["integer'image(r / 1 ohm)", "2000"],
      ["res'image(r * 3)", "6000 ohm"],
      ["res'image(r / 4)", "500 ohm"],
      ["integer'image(res'pos(1.5 kohm))", "1500"],
      ["time'image(3 ns)", "3000000 fs"],
      ["time'image(1 us / 4)", "250000000 fs"],
      ["integer'image((1 us) / (1 ns))", "1000"],
      ["boolean'image(1000 ps = 1 ns)", "true"],
    ],
  );
  values(
    "attributes of arrays",
    {
      decl: "type m is array (1 to 3, 7 downto 0) of integer; variable v : m; variable s : std_logic_vector(7 downto 4); variable e : string(3 to 2);",
    },
    [
      ["integer'image(v'length(1)) & integer'image(v'length(2))", "38"],
      ["integer'image(m'left(2)) & integer'image(m'right(2))", "70"],
      ["integer'image(s'left) & integer'image(s'right) & integer'image(s'low) & integer'image(s'high)", "7447"],
      ["boolean'image(s'ascending) & boolean'image(v'ascending(1))", "falsetrue"],
      ["integer'image(e'length)", "0"],
    ],
  );
  reports(
    "arrays of arrays and of several dimensions",
    {
      decl: `type row is array (0 to 2) of integer; type grid is array (0 to 1) of row; type m is array (0 to 1, 0 to 2) of integer;
variable g : grid := ((1, 2, 3), (4, 5, 6)); variable x : m := ((10, 20, 30), (40, 50, 60)); variable r : row;`,
      body: `r := g(1); r(0) := 9; g(0) := r; report integer'image(g(0)(0)) & " " & integer'image(g(1)(0)) & " " & integer'image(x(1, 2));
x(0, 1) := 7; report integer'image(x(0, 1)) & integer'image(x'length(2));`,
    },
    "9 4 60|73",
  );
  reports(
    "records with aggregates, nested",
    {
      decl: `type p is record x, y : integer; end record; type q is record a : p; n : string(1 to 2); f : std_logic_vector(3 downto 0); end record;
variable v, w : q := (a => (1, 2), n => "ab", f => x"5");`,
      body: `w := v; w.a.y := 7; w.n(2) := 'z'; w.f(3) := '1'; report integer'image(v.a.y) & integer'image(w.a.y) & w.n & v.n & to_string(w.f) & to_string(v.f);
report boolean'image(v = w) & boolean'image(v.a = (1, 2));
v := (p'(3, 4), "cd", (others => 'Z')); report integer'image(v.a.x) & v.n & to_string(v.f);`,
    },
    "27azab11010101|falsetrue|3cdZZZZ",
  );
  reports(
    "access types and linked lists",
    {
      decl: `type node; type ptr is access node; type node is record v : integer; nxt : ptr; end record;
variable head, p : ptr; variable sum : integer := 0;`,
      body: `for i in 1 to 4 loop head := new node'(i * i, head); end loop;
p := head; while p /= null loop sum := sum + p.v; report integer'image(p.all.v); p := p.nxt; end loop; report integer'image(sum);
deallocate(head); report boolean'image(head = null);`,
    },
    "16|9|4|1|30|true",
  );
  reports(
    "allocated arrays",
    {
      decl: "type sp is access string; variable s : sp; type iv is array (natural range <>) of integer; type ip is access iv; variable a : ip;",
      body: `s := new string'("hello"); report s.all & integer'image(s'length); s(1) := 'J'; report s(1 to 3);
a := new iv(2 to 4); a(3) := 5; report integer'image(a(2)) & " " & integer'image(a(3)) & integer'image(a'left);`,
    },
    "hello5|Jel|-2147483648 52",
  );
  fails(
    "a null pointer is not followed",
    { decl: "type p is access integer; variable v : p; variable i : integer;", body: "i := v.all;" },
    /null access value/,
  );
  fails(
    "a value outside of its subtype",
    { decl: "variable n : natural := 0; variable i : integer := 3;", body: "i := i - 4; n := i;" },
    /t\.vhd:\d+:\d+: error: \[sim\/value\] The value -1 is outside of the range 0 to 2147483647/,
  );
  fails(
    "an index outside of its array",
    { decl: "variable v : std_logic_vector(7 downto 0); variable i : integer := 8;", body: "v(i) := '1';" },
    /Index 8 is outside of 0 to 7/,
  );
  fails(
    "integers do not overflow silently",
    { decl: "variable i : integer := integer'high;", body: "i := i + 1;" },
    /2147483648/,
  );
  fails("division by zero", { decl: "variable i : integer := 0;", body: "i := 5 / i;" }, /Division by zero/);
  fails(
    "lengths that do not match at run time",
    { decl: "variable s : string(1 to 3); variable n : integer := 2;", body: "s := (1 to n => 'x');" },
    /2 elements are given where 3 are needed/,
  );
  fails(
    "lengths that do not match, told before the run",
    { decl: "variable s : std_logic_vector(7 downto 0); variable v : std_logic_vector(3 downto 0);", body: "s := v;" },
    /\[vhdl\/width\] 'v' has 4 elements \(std_logic_vector\(3 downto 0\)\), but 8 are needed \(std_logic_vector\(7 downto 0\)\)/,
  );
  fails(
    "types that do not match",
    { decl: "variable i : integer; variable v : std_logic_vector(3 downto 0);", body: "i := v;" },
    /'v' is a std_logic_vector\(3 downto 0\), but an integer is needed here. Write to_integer/,
  );
  reports(
    "subtypes of enumerations",
    {
      decl: "type d is (mon, tue, wed, thu, fri); subtype mid is d range tue to thu; variable v : mid;",
      body: "report d'image(v) & d'image(mid'high); for x in mid loop report d'image(x); end loop;",
    },
    "tuethu|tue|wed|thu",
  );
  reports(
    "overloaded enumeration values",
    {
      decl: "type a is (red, stop); type b is (go, stop); variable x : a := stop; variable y : b := stop;",
      body: "report a'image(x) & integer'image(a'pos(stop)) & integer'image(b'pos(b'(stop))); assert y = stop;",
    },
    "stop11",
  );
  reports(
    "characters and strings",
    {
      decl: 'variable s : string(1 to 3) := "a""b"; variable c : character := LF;',
      body: "report s; report integer'image(character'pos(c)) & character'image('x') & integer'image(character'pos('A')); report s & 'c' & \"d\"; report \"x\" & ht & \"y\";",
    },
    "a\"b|10'x'65|a\"bcd|x\ty",
  );
  reports(
    "protected types",
    {
      units: "",
      arch: `type counter is protected procedure inc(n : integer := 1); impure function get return integer; end protected;
type counter is protected body variable v : integer := 10; procedure inc(n : integer := 1) is begin v := v + n; end; impure function get return integer is begin return v; end; end protected body;
shared variable c, d : counter;`,
      body: "c.inc; c.inc(5); report integer'image(c.get) & integer'image(d.get);",
    },
    "1610",
  );
  reports(
    "bit strings",
    {
      body: `report to_string(std_logic_vector'(x"A5")) & to_string(bit_vector'(o"17")) & to_string(bit_vector'(b"1_0"));
report to_string(std_logic_vector'(8ux"F")) & to_string(std_logic_vector'(6sx"E")) & to_string(std_logic_vector'(x"Z-"));`,
    },
    "1010010100111110|00001111111110ZZZZ----",
  );
  values("based literals", {}, [
    ["integer'image(16#FF#)", "255"],
    ["integer'image(2#1010_1010#)", "170"],
    ["integer'image(10#12#e2)", "1200"],
    ["integer'image(16#F#E1)", "240"],
    ["integer'image(1_000)", "1000"],
  ]);
  reports(
    "unconstrained arrays take bounds from their values",
    {
      decl: 'constant a : string := "hey"; constant b : bit_vector := "0101"; type iv is array (integer range <>) of integer; constant c : iv := (1, 2, 3); constant d : std_logic_vector := x"3";',
      body: "report integer'image(a'left) & integer'image(a'right) & integer'image(b'left) & integer'image(b'right) & \" \" & integer'image(c'left) & integer'image(d'right);",
    },
    "1303 -21474836483",
  );
  reports(
    "arrays of records of arrays",
    {
      decl: `type e is record d : std_logic_vector(1 downto 0); v : boolean; end record; type l is array (0 to 3) of e;
variable x : l := (others => (d => "00", v => false));`,
      body: "x(2).d(1) := '1'; x(3) := (\"11\", true); for i in x'range loop report to_string(x(i).d) & boolean'image(x(i).v); end loop;",
    },
    "00false|00false|10false|11true",
  );
  reports(
    "2008: records and arrays with open elements",
    {
      decl: "type r is record a : std_logic_vector; n : integer; end record; variable v : r(a(3 downto 0)); type m is array (natural range <>) of std_logic_vector; variable x : m(0 to 1)(7 downto 0);",
      body: 'v := (a => x"9", n => 3); x(1) := x"F0"; report to_string(v.a) & integer\'image(x(1)\'length) & to_string(x(1));',
    },
    "1001811110000",
  );
  reports(
    "aliases of objects and parts",
    {
      decl: 'variable v : std_logic_vector(7 downto 0) := x"A5"; alias hi : std_logic_vector(3 downto 0) is v(7 downto 4); alias b : std_logic is v(0); alias rev : std_logic_vector(0 to 7) is v;',
      body: "hi := x\"F\"; b := '0'; report to_string(v) & to_string(hi) & std_logic'image(rev(0)) & std_logic'image(rev(7));",
    },
    "111101001111'1''0'",
  );
  reports(
    "attributes of the user",
    {
      arch: 'attribute note_of : string; signal s : bit; attribute note_of of s : signal is "a wire"; attribute level : integer; constant k : integer := 3; attribute level of k : constant is 42;',
      body: "report s'note_of & integer'image(k'level);",
    },
    "a wire42",
  );
});

describe("logical operators (9.2.2)", () => {
  const decl = "variable a, b, c : boolean := true;";
  values("brackets join any of them", { decl }, [
    ["boolean'image((a nand b) nand c)", "true"],
    ["boolean'image((a nand b) nand (b nor c))", "true"],
    ["boolean'image((a and b) or c)", "true"],
    ["boolean'image(a and (b or c) and (a xor b))", "false"],
    ["boolean'image(a xor b xor c)", "true"],
  ]);
  fails("'nand' has no order of its own", { decl, body: "a := a nand b nand c;" }, /'nand' cannot follow 'nand'/);
  fails("nor have different ones", { decl, body: "a := a and b or c;" }, /'and' and 'or' cannot be mixed/);
});
