import { describe } from "vitest";
import { fails, reports } from "../helpers/vhdl.ts";

describe("signals and time (IEEE 1076 clauses 10.5 and 14.7)", () => {
  reports(
    "a signal changes one delta later",
    {
      arch: "signal s : integer := 1;",
      body: "s <= 2; report integer'image(s); wait for 0 ns; report integer'image(s);",
    },
    "1|2",
  );
  reports(
    "the last assignment before a wait counts",
    { arch: "signal s : integer := 1;", body: "s <= 2; s <= 3; wait for 0 ns; report integer'image(s);" },
    "3",
  );
  reports(
    "two signals are exchanged without a temporary",
    {
      arch: "signal a : integer := 1; signal b : integer := 2;",
      body: "a <= b; b <= a; wait for 0 ns; report integer'image(a) & integer'image(b);",
    },
    "21",
  );
  reports(
    "inertial delay swallows short pulses",
    {
      arch: "signal a, b : bit;",
      stmts:
        "b <= a after 5 ns; process (b) begin if b'event then report bit'image(b) & time'image(now); end if; end process;",
      body: "a <= '1'; wait for 2 ns; a <= '0'; wait for 20 ns; a <= '1'; wait for 6 ns; a <= '0'; wait for 20 ns;",
    },
    "'1'27000000 fs|'0'33000000 fs",
  );
  reports(
    "transport delay keeps them",
    {
      arch: "signal a, b : bit;",
      stmts:
        "b <= transport a after 5 ns; process (b) begin if b'event then report bit'image(b) & time'image(now); end if; end process;",
      body: "a <= '1'; wait for 2 ns; a <= '0'; wait for 20 ns;",
    },
    "'1'5000000 fs|'0'7000000 fs",
  );
  reports(
    "reject takes away what is shorter than its limit",
    {
      arch: "signal a, b : bit;",
      stmts:
        "b <= reject 3 ns inertial a after 10 ns; process (b) begin if b'event then report bit'image(b) & time'image(now); end if; end process;",
      body: "a <= '1'; wait for 2 ns; a <= '0'; wait for 20 ns; a <= '1'; wait for 4 ns; a <= '0'; wait for 20 ns;",
    },
    "'1'32000000 fs|'0'36000000 fs",
  );
  reports(
    "several waveform elements",
    {
      arch: "signal s : integer := 0;",
      stmts: "process (s) begin report integer'image(s) & \"@\" & integer'image(now / 1 ns); end process;",
      body: "s <= 1 after 1 ns, 2 after 3 ns, 3 after 4 ns; wait;",
    },
    "0@0|1@1|2@3|3@4",
  );
  reports(
    "a later assignment overtakes what is pending",
    {
      arch: "signal s : integer := 0;",
      stmts:
        "process (s) begin if s'event then report integer'image(s) & \"@\" & integer'image(now / 1 ns); end if; end process;",
      body: "s <= 1 after 10 ns; wait for 5 ns; s <= 2 after 2 ns; wait for 50 ns;",
    },
    "2@7",
  );
  reports(
    "resolution of std_logic",
    {
      arch: "signal s : std_logic; signal a, b : std_logic := 'Z';",
      stmts: "s <= a; s <= b; s <= 'H';",
      body: `wait for 1 ns; report std_logic'image(s); a <= '0'; wait for 1 ns; report std_logic'image(s); b <= '1'; wait for 1 ns; report std_logic'image(s); a <= 'Z'; wait for 1 ns; report std_logic'image(s);`,
    },
    "'H'|'0'|'X'|'1'",
  );
  reports(
    "parts of a vector driven by several processes",
    {
      arch: "signal v : std_logic_vector(3 downto 0);",
      stmts: "v(0) <= '1'; v(2 downto 1) <= \"01\"; process begin v(3) <= '0'; wait; end process;",
      body: "wait for 1 ns; report to_string(v);",
    },
    "0011",
  );
  reports(
    "what no driver drives stays U",
    {
      arch: "signal v : std_logic_vector(3 downto 0);",
      stmts: "v(1) <= '1';",
      body: "wait for 1 ns; report to_string(v);",
    },
    "UU1U",
  );
  reports(
    "a bus of tristate drivers",
    {
      arch: "signal bus_s : std_logic_vector(3 downto 0); signal e1, e2 : boolean := false;",
      stmts: "bus_s <= x\"A\" when e1 else (others => 'Z'); bus_s <= x\"5\" when e2 else (others => 'Z');",
      body: "wait for 1 ns; report to_string(bus_s); e1 <= true; wait for 1 ns; report to_string(bus_s); e2 <= true; wait for 1 ns; report to_string(bus_s); e1 <= false; wait for 1 ns; report to_string(bus_s);",
    },
    "ZZZZ|1010|XXXX|0101",
  );
  reports(
    "resolution functions of the user",
    {
      arch: `type iv is array (natural range <>) of integer; function largest(v : iv) return integer is variable m : integer := integer'left; begin for i in v'range loop if v(i) > m then m := v(i); end if; end loop; return m; end;
signal s : largest integer := 0;`,
      stmts: "s <= 3; s <= 8; s <= 5;",
      body: "wait for 1 ns; report integer'image(s);",
    },
    "8",
  );
  reports(
    "attributes of signals",
    {
      arch: "signal s : integer := 0; signal b : bit;",
      stmts: "s <= 1 after 10 ns, 2 after 25 ns;",
      body: `wait until s = 1; report boolean'image(s'event) & boolean'image(s'active) & integer'image(s'last_value); wait for 5 ns;
report boolean'image(s'event) & time'image(s'last_event) & boolean'image(s'stable) & boolean'image(s'stable(3 ns)) & boolean'image(s'stable(7 ns));
wait until s = 2; wait for 0 ns; report boolean'image(s'event) & integer'image(s'last_value);`,
    },
    "truetrue0|false5000000 fstruetruefalse|false1",
  );
  reports(
    "'delayed and 'transaction",
    {
      arch: "signal s : integer := 0; signal d : integer; signal n : integer := 0;",
      stmts: "d <= s'delayed(4 ns); process (s'transaction) begin n <= n + 1; end process;",
      body: "s <= 5 after 1 ns; wait for 3 ns; report integer'image(d); s <= 5; wait for 3 ns; report integer'image(d) & integer'image(n);",
    },
    "0|53",
  );
  reports(
    "rising_edge needs a real edge",
    {
      arch: "signal c : std_logic := 'U'; signal n : integer := 0;",
      stmts: "process (c) begin if rising_edge(c) then n <= n + 1; end if; end process;",
      body: "c <= '1'; wait for 1 ns; report integer'image(n); c <= '0'; wait for 1 ns; c <= 'H'; wait for 1 ns; c <= 'L'; wait for 1 ns; c <= 'X'; wait for 1 ns; c <= '1'; wait for 1 ns; report integer'image(n);",
    },
    "0|1",
  );
  reports(
    "concurrent conditional and selected assignment",
    {
      arch: "signal s : integer range 0 to 3 := 0; signal a, b : integer;",
      stmts: "a <= 10 when s = 0 else 20 when s = 1 else 30; with s select b <= 1 when 0, 2 when 1 | 2, 3 when others;",
      body: "for i in 0 to 3 loop s <= i; wait for 1 ns; report integer'image(a) & integer'image(b); end loop;",
    },
    "101|202|302|303",
  );
  reports(
    "process(all) and implied sensitivity",
    {
      arch: "signal a, b, y : std_logic := '0'; signal m : std_logic_vector(3 downto 0) := \"0110\"; signal i : integer range 0 to 3 := 0; signal o : std_logic;",
      stmts: "process (all) begin y <= a and b; end process; o <= m(i);",
      body: "a <= '1'; wait for 1 ns; b <= '1'; wait for 1 ns; report std_logic'image(y) & std_logic'image(o); i <= 1; wait for 1 ns; report std_logic'image(o); m(1) <= '0'; wait for 1 ns; report std_logic'image(o);",
    },
    "'1''0'|'1'|'0'",
  );
  reports(
    "records as signals",
    {
      arch: "type r is record a : std_logic; d : std_logic_vector(3 downto 0); n : integer; end record; signal s, t : r := ('0', x\"0\", 0);",
      stmts: "t <= s;",
      body: "s.d <= x\"7\"; s.n <= 4; wait for 1 ns; report to_string(t.d) & integer'image(t.n) & std_logic'image(t.a); s <= ('1', x\"F\", 9); wait for 1 ns; report to_string(t.d) & integer'image(t.n) & std_logic'image(t.a) & boolean'image(s = t);",
    },
    "01114'0'|11119'1'true",
  );
  reports(
    "memories as signals",
    {
      arch: 'type mem is array (0 to 15) of std_logic_vector(7 downto 0); signal m : mem := (others => x"00"); signal a : integer range 0 to 15 := 0; signal q : std_logic_vector(7 downto 0);',
      stmts: "q <= m(a);",
      body: "for i in 0 to 15 loop m(i) <= std_logic_vector(to_unsigned(i * 3, 8)); end loop; wait for 1 ns; a <= 5; wait for 1 ns; report integer'image(to_integer(unsigned(q))); m(5)(7) <= '1'; wait for 1 ns; report to_string(q);",
    },
    "15|10001111",
  );
  reports(
    "guarded blocks",
    {
      arch: "signal g : boolean := false; signal d, q : bit := '0';",
      stmts: "b : block (g) begin q <= guarded d; end block;",
      body: "d <= '1'; wait for 1 ns; report bit'image(q); g <= true; wait for 1 ns; report bit'image(q); g <= false; d <= '0'; wait for 1 ns; report bit'image(q);",
    },
    "'0'|'1'|'1'",
  );
  reports(
    "procedures that drive signals",
    {
      arch: "signal s : std_logic := '0'; signal v : std_logic_vector(3 downto 0) := x\"0\";",
      decl: "procedure pulse(signal x : out std_logic; t : time) is begin x <= '1'; wait for t; x <= '0'; wait for t; end; procedure set(signal x : out std_logic_vector; n : natural) is begin x <= std_logic_vector(to_unsigned(n, x'length)); end;",
      body: "pulse(s, 5 ns); report time'image(now) & std_logic'image(s); set(v, 9); wait for 1 ns; report to_string(v); set(v(2 downto 1), 3); wait for 1 ns; report to_string(v);",
    },
    "10000000 fs'0'|1001|1111",
  );
  reports(
    "concurrent procedure calls and assertions",
    {
      arch: 'signal a : integer := 0; procedure show(signal x : in integer) is begin report "x=" & integer\'image(x); end;',
      stmts: 'show(a); assert a < 2 report "big" severity warning;',
      body: "a <= 1; wait for 1 ns; a <= 2; wait for 1 ns;",
    },
    "x=0|x=1|x=2|big",
  );
  reports(
    "shared variables",
    {
      arch: "shared variable n : integer := 5;",
      stmts: "process begin wait for 1 ns; n := n + 1; wait; end process;",
      body: "wait for 2 ns; report integer'image(n);",
    },
    "6",
  );
  reports(
    "2008: force and release",
    {
      arch: "signal s : integer := 0;",
      stmts: "s <= 1 after 1 ns, 2 after 5 ns;",
      body: "wait for 2 ns; s <= force 9; wait for 1 ns; report integer'image(s); wait for 4 ns; report integer'image(s); s <= release; wait for 1 ns; report integer'image(s);",
    },
    "9|9|2",
  );
  reports(
    "postponed processes run last",
    {
      arch: "signal a, b : integer := 0;",
      stmts: "b <= a; postponed process (a) begin report integer'image(a) & integer'image(b); end postponed process;",
      body: "a <= 4; wait for 1 ns;",
    },
    "44",
  );
  fails(
    "a signal of an unresolved type has one driver",
    { arch: "signal s : bit;", stmts: "s <= '0'; s <= '1';" },
    /\[vhdl\/several-drivers\] 's' is driven here and by line/,
  );
  fails("a process that never waits", { stmts: "p : process begin null; end process;" }, /never waits/);
  fails(
    "a wait beside a sensitivity list",
    { arch: "signal s : bit;", stmts: "process (s) begin wait for 1 ns; end process;" },
    /sensitivity list cannot wait/,
  );
  fails(
    "negative delays",
    {
      arch: "signal s : bit; signal t : time := 1 ns;",
      body: "t <= 0 ns - 5 ns; wait for 1 ns; s <= '1' after t; wait for 1 ns;",
    },
    /negative/,
  );
});

describe("structure (clauses 3, 6.5, 7 and 11)", () => {
  const adder = `library ieee; use ieee.std_logic_1164.all;
entity fa is port (a, b, ci : in std_logic; s, co : out std_logic); end;
architecture rtl of fa is begin s <= a xor b xor ci; co <= (a and b) or (ci and (a xor b)); end;
`;
  reports(
    "instances in a generate loop",
    {
      units: adder,
      arch: 'signal a, b, s : std_logic_vector(3 downto 0) := x"0"; signal c : std_logic_vector(4 downto 0);',
      stmts:
        "c(0) <= '0'; g : for i in 0 to 3 generate u : entity work.fa port map (a(i), b(i), c(i), s(i), c(i + 1)); end generate;",
      body: 'a <= x"7"; b <= x"6"; wait for 1 ns; report to_string(c(4) & s); a <= x"F"; wait for 1 ns; report to_string(c(4) & s);',
    },
    "01101|10101",
  );
  reports(
    "components, default binding and configuration",
    {
      units: `${adder}library ieee; use ieee.std_logic_1164.all;
entity x2 is port (a, b, ci : in std_logic; s, co : out std_logic); end;
architecture r of x2 is begin s <= '0'; co <= '1'; end;
`,
      arch: `component fa is port (a, b, ci : in std_logic; s, co : out std_logic); end component;
component thing is port (a, b, ci : in std_logic; s, co : out std_logic); end component; for u2 : thing use entity work.x2(r);
signal s1, c1, s2, c2 : std_logic;`,
      stmts:
        "u1 : fa port map (a => '1', b => '1', ci => '0', s => s1, co => c1); u2 : thing port map ('1', '1', '0', s2, c2);",
      body: "wait for 1 ns; report std_logic'image(s1) & std_logic'image(c1) & std_logic'image(s2) & std_logic'image(c2);",
    },
    "'0''1''0''1'",
  );
  reports(
    "the last architecture is taken, or the one that is named",
    {
      units:
        "entity e is port (o : out integer); end; architecture one of e is begin o <= 1; end; architecture two of e is begin o <= 2; end;\n",
      arch: "signal a, b : integer;",
      stmts: "u : entity work.e port map (a); v : entity work.e(one) port map (b);",
      body: "wait for 1 ns; report integer'image(a) & integer'image(b);",
    },
    "21",
  );
  reports(
    "generics of all kinds",
    {
      units: `library ieee; use ieee.std_logic_1164.all;
entity e is generic (n : integer; b : boolean := true; s : string := "none"; t : time := 1 ns; v : std_logic_vector := "01"; c : character := 'x'); port (o : out integer); end;
architecture a of e is begin o <= n + v'length; process begin report s & boolean'image(b) & time'image(t) & integer'image(v'length) & c; wait; end process; end;
`,
      arch: "signal o : integer;",
      stmts: 'u : entity work.e generic map (n => 3, s => "hello", v => "11001") port map (o => o);',
      body: "wait for 1 ns; report integer'image(o);",
    },
    "hellotrue1000000 fs5x|8",
  );
  reports(
    "2008: if and case generate with else",
    {
      units: `entity e is generic (k : integer); end; architecture a of e is begin
g : if k = 0 generate process begin report "zero"; wait; end process; elsif k < 3 generate process begin report "few"; wait; end process; else generate process begin report "many"; wait; end process; end generate;
h : case k generate when 0 | 1 => process begin report "01"; wait; end process; when others => process begin report "rest"; wait; end process; end generate; end;
`,
      stmts: "u : entity work.e generic map (0); v : entity work.e generic map (5);",
    },
    "zero|01|many|rest",
  );
  reports(
    "ports connected in parts, left open and with defaults",
    {
      units: `library ieee; use ieee.std_logic_1164.all;
entity e is port (d : in std_logic_vector(3 downto 0); en : in std_logic := '1'; q : out std_logic_vector(3 downto 0); x : out std_logic); end;
architecture a of e is begin q <= not d when en = '1' else d; x <= d(0); end;
`,
      arch: 'signal lo : std_logic_vector(1 downto 0) := "01"; signal q : std_logic_vector(3 downto 0); signal h, l : std_logic;',
      stmts:
        'u : entity work.e port map (d(3 downto 2) => "11", d(1 downto 0) => lo, q => q, x => open); v : entity work.e port map (d => q, q(3) => h, q(0) => l, q(2 downto 1) => open, x => open);',
      body: "wait for 1 ns; report to_string(q) & std_logic'image(h) & std_logic'image(l); lo <= \"10\"; wait for 1 ns; report to_string(q);",
    },
    "0010'1''1'|0001",
  );
  reports(
    "conversions in port maps",
    {
      units: `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity e is port (a : in unsigned(3 downto 0); y : out unsigned(3 downto 0)); end; architecture r of e is begin y <= a + 1; end;
`,
      arch: 'signal a, y : std_logic_vector(3 downto 0) := x"3";',
      stmts: "u : entity work.e port map (a => unsigned(a), std_logic_vector(y) => y);",
      body: 'wait for 1 ns; report to_string(y); a <= x"F"; wait for 1 ns; report to_string(y);',
    },
    "0100|0000",
  );
  reports(
    "inout ports share one net",
    {
      units: `library ieee; use ieee.std_logic_1164.all;
entity drv is port (b : inout std_logic_vector(1 downto 0); oe : in std_logic; v : in std_logic_vector(1 downto 0)); end;
architecture a of drv is begin b <= v when oe = '1' else "ZZ"; end;
`,
      arch: "signal b : std_logic_vector(1 downto 0); signal o1, o2 : std_logic := '0';",
      stmts: 'u : entity work.drv port map (b, o1, "01"); v : entity work.drv port map (b, o2, "10");',
      body: "wait for 1 ns; report to_string(b); o1 <= '1'; wait for 1 ns; report to_string(b); o2 <= '1'; wait for 1 ns; report to_string(b); o1 <= '0'; wait for 1 ns; report to_string(b);",
    },
    "ZZ|01|XX|10",
  );
  reports(
    "expressions as actuals (2008)",
    {
      units: "entity e is port (a : in integer; o : out integer); end; architecture r of e is begin o <= a; end;\n",
      arch: "signal x : integer := 3; signal y : integer;",
      stmts: "u : entity work.e port map (x * 2 + 1, y);",
      body: "wait for 1 ns; report integer'image(y); x <= 5; wait for 1 ns; report integer'image(y);",
    },
    "7|11",
  );
  reports(
    "recursive instances",
    {
      units: `library ieee; use ieee.std_logic_1164.all;
entity par is generic (n : positive); port (d : in std_logic_vector(n - 1 downto 0); p : out std_logic); end;
architecture r of par is signal a, b : std_logic; begin one : if n = 1 generate p <= d(0); end generate;
more : if n > 1 generate u : entity work.par generic map (n / 2) port map (d(n / 2 - 1 downto 0), a); v : entity work.par generic map (n - n / 2) port map (d(n - 1 downto n / 2), b); p <= a xor b; end generate; end;
`,
      arch: 'signal d : std_logic_vector(6 downto 0) := "1011001"; signal p : std_logic;',
      stmts: "u : entity work.par generic map (7) port map (d, p);",
      body: "wait for 1 ns; report std_logic'image(p); d(0) <= '0'; wait for 1 ns; report std_logic'image(p);",
    },
    "'0'|'1'",
  );
  reports(
    "blocks with ports and generics",
    {
      arch: "signal a : integer := 4; signal y : integer;",
      stmts:
        "b : block generic (k : integer := 2); generic map (k => 3); port (i : in integer; o : out integer); port map (i => a, o => y); signal t : integer; begin t <= i * k; o <= t + 1; end block;",
      body: "wait for 1 ns; report integer'image(y);",
    },
    "13",
  );
  reports(
    "buffer ports and ports that are read",
    {
      units:
        "entity e is port (clk : in bit; q : buffer integer := 0; r : out integer); end; architecture a of e is begin process (clk) begin if clk'event and clk = '1' then q <= q + 1; end if; end process; r <= q * 2; end;\n",
      arch: "signal c : bit; signal q, r : integer;",
      stmts: "u : entity work.e port map (c, q, r); c <= '1' after 1 ns, '0' after 2 ns, '1' after 3 ns;",
      body: "wait for 5 ns; report integer'image(q) & integer'image(r);",
    },
    "24",
  );
  reports(
    "entity statements, and paths of names",
    {
      units:
        "entity e is begin assert false report e'path_name severity note; end; architecture a of e is begin end;\n",
      stmts: "u : entity work.e;",
    },
    ":t:u:",
  );
  reports(
    "2008: external names",
    {
      units:
        "entity e is end; architecture a of e is signal hidden : integer := 7; constant k : integer := 3; begin end;\n",
      stmts: "u : entity work.e;",
      body: "wait for 1 ns; report integer'image(<< signal .t.u.hidden : integer >>) & integer'image(<< constant u.k : integer >>);",
    },
    "73",
  );
  reports(
    "configurations",
    {
      units: `entity e is end; architecture a of e is begin process begin report "a"; wait; end process; end; architecture b of e is begin process begin report "b"; wait; end process; end;
entity m is end; architecture s of m is component e is end component; begin u : e; v : e; end;
configuration c of m is for s for u : e use entity work.e(a); end for; end for; end configuration;
`,
      stmts: "x : configuration work.c;",
    },
    "a|b",
  );
  fails(
    "an input that is not connected",
    {
      units: "entity e is port (a, b : in bit); end; architecture r of e is begin end;\n",
      arch: "signal s : bit;",
      stmts: "u : entity work.e port map (a => s);",
    },
    /\[vhdl\/open-input\] Input 'b' of 'e' is not connected/,
  );
  fails(
    "a port that does not exist",
    {
      units: "entity e is port (data : in bit); end; architecture r of e is begin end;\n",
      arch: "signal s : bit;",
      stmts: "u : entity work.e port map (dat => s);",
    },
    /'e' has no port 'dat'. Did you mean 'data'/,
  );
  fails(
    "a generic that does not exist",
    {
      units: "entity e is generic (w : integer := 1); end; architecture r of e is begin end;\n",
      stmts: "u : entity work.e generic map (widt => 3);",
    },
    /'e' has no generic 'widt'/,
  );
  fails(
    "a port of another width",
    {
      units: "entity e is port (a : in bit_vector(7 downto 0)); end; architecture r of e is begin end;\n",
      arch: "signal s : bit_vector(3 downto 0);",
      stmts: "u : entity work.e port map (s);",
    },
    /port-width/,
  );
  fails("an entity that does not exist", { stmts: "u : entity work.nothing;" }, /no entity 'nothing'/);
  fails(
    "a component without an entity",
    { arch: "component c is end component;", stmts: "u : c;" },
    /Component 'c' of 'u' has no entity/,
  );
  fails(
    "an input that is assigned",
    "entity t is port (a : in bit); end; architecture r of t is begin a <= '1'; end;",
    /'a' is an input/,
  );
});
