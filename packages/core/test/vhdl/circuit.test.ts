import { describe, expect, it } from "vitest";
import { formatFinding } from "../../src/common/index.ts";
import { elaborate } from "../../src/elaborate/index.ts";
import { bit1 } from "../../src/netlist/rtl.ts";
import { type DutSpec, type PortSpec, sameAsCircuit } from "../helpers/vhdl-circuit.ts";

const head = "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;\n";
const p = (name: string, width = 0): PortSpec => ({ name, width });
const type = (port: PortSpec) => (port.width === 0 ? "std_logic" : `std_logic_vector(${port.width - 1} downto 0)`);

/** An entity with these ports around an architecture's text. */
function dut(spec: Omit<DutSpec, "entity">, decls: string, stmts: string, before = ""): string {
  const ports = [
    ...(spec.clock ? [`${spec.clock} : in std_logic`] : []),
    ...spec.inputs.map((port) => `${port.name} : in ${type(port)}`),
    ...spec.outputs.map((port) => `${port.name} : out ${type(port)}`),
  ];
  return `${before}${head}entity dut is port (${ports.join("; ")}); end entity;\narchitecture rtl of dut is\n${decls}\nbegin\n${stmts}\nend architecture;\n`;
}
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
  inputs: [p("rst"), p("d", 8), p("m", 2)],
  outputs: [p("q", 8), p("f")],
  cycles: 150,
};

describe("VHDL as a circuit", () => {
  agrees(
    "operators of unsigned and signed numbers",
    ab,
    "",
    `process (all) variable u, v : unsigned(7 downto 0); variable x, z : signed(7 downto 0); begin
u := unsigned(a); v := unsigned(b); x := signed(a); z := signed(b); y <= (others => '0');
case s is
when "000" => y <= std_logic_vector(u * v);
when "001" => y <= std_logic_vector(x * z);
when "010" => y <= std_logic_vector(u + v) & std_logic_vector(x - z);
when "011" => if v /= 0 then y <= std_logic_vector(u / v) & std_logic_vector(u mod v); end if;
when "100" => if z /= 0 then y <= std_logic_vector(x / z) & std_logic_vector(x rem z); end if;
when "101" => if z /= 0 then y <= std_logic_vector(resize(x mod z, 16)); end if;
when "110" => y <= std_logic_vector(abs x) & std_logic_vector(-z);
when others => y(0) <= '1' when u < v else '0'; y(1) <= '1' when x < z else '0'; y(2) <= '1' when u = 17 else '0'; y(3) <= '1' when x >= -5 else '0'; y(4) <= '1' when 9 > v else '0';
end case; end process;`,
  );
  agrees(
    "shifts and rotations by constants and by signals",
    ab,
    "",
    `process (all) variable u : unsigned(7 downto 0); variable x : signed(7 downto 0); variable n : natural range 0 to 15; begin
u := unsigned(a); x := signed(a); n := to_integer(unsigned(b(3 downto 0)));
case s is
when "000" => y <= std_logic_vector(shift_left(u, n)) & std_logic_vector(shift_right(u, n));
when "001" => y <= std_logic_vector(shift_right(x, n)) & std_logic_vector(shift_left(x, 3));
when "010" => y <= std_logic_vector(rotate_left(u, n)) & std_logic_vector(rotate_right(u, n));
when "011" => y <= std_logic_vector(u sll 2) & std_logic_vector(x sra 2);
when "100" => y <= std_logic_vector(u rol 3) & std_logic_vector(u ror 3);
when others => y <= std_logic_vector(shift_right(x, 9)) & (a srl 1);
end case; end process;`,
  );
  agrees(
    "whole numbers with ranges",
    ab,
    "signal i : integer range -20 to 200; signal k : natural range 0 to 7;",
    `k <= to_integer(unsigned(s)); i <= to_integer(unsigned(a(6 downto 0))) - 5 when b(0) = '1' else to_integer(signed(b(3 downto 0)));
process (all) variable t : integer; begin t := i * 3 + k - 7; y <= std_logic_vector(to_signed(t, 16)); if k = 3 then y <= std_logic_vector(to_signed(i / 4 + i mod 8, 16)); elsif k > 5 then y <= std_logic_vector(to_signed(abs i, 16)); elsif k = 1 then y <= std_logic_vector(to_signed(maximum(i, k * 10) - minimum(i, 9), 16)); elsif k = 2 then y <= std_logic_vector(to_signed((i - 30) mod 7, 16)); end if; end process;`,
  );
  agrees(
    "functions, overloaded, recursive, with locals and early returns",
    ab,
    `function ones(v : std_logic_vector) return natural is variable n : natural range 0 to 8 := 0; begin for i in v'range loop if v(i) = '1' then n := n + 1; end if; end loop; return n; end;
function first(v : std_logic_vector) return natural is begin for i in v'range loop if v(i) = '1' then return i; end if; end loop; return 15; end;
function tree(v : std_logic_vector) return std_logic is alias x : std_logic_vector(v'length - 1 downto 0) is v; begin if x'length = 1 then return x(0); end if; return tree(x(x'length - 1 downto x'length / 2)) xor tree(x(x'length / 2 - 1 downto 0)); end;
function rotl(v : std_logic_vector; n : natural) return std_logic_vector is begin return v(v'high - n downto v'low) & v(v'high downto v'high - n + 1); end;`,
    "y <= std_logic_vector(to_unsigned(ones(a), 4)) & std_logic_vector(to_unsigned(first(b), 4)) & tree(a) & rotl(b(6 downto 0), 3);",
  );
  agrees(
    "loops with exit and next",
    ab,
    "",
    `process (all) variable n : natural range 0 to 255; variable f : std_logic_vector(7 downto 0); begin n := 0; f := (others => '0');
outer : for i in 0 to 7 loop next outer when a(i) = '0'; n := n + i; for j in 0 to 3 loop exit outer when b(j) = '1' and i > 4; f(i) := f(i) xor b(j); end loop; end loop;
y <= std_logic_vector(to_unsigned(n, 8)) & f; end process;`,
  );
  agrees(
    "while loops that constants end",
    ab,
    "",
    `process (all) variable n : integer range 0 to 8; variable v : unsigned(7 downto 0); begin n := 0; v := unsigned(a); while n < 5 loop v := v + unsigned(b); n := n + 1; end loop; y <= std_logic_vector(resize(v, 16)); end process;`,
  );
  agrees(
    "slices and elements by signals",
    ab,
    "type t is array (0 to 3) of std_logic_vector(3 downto 0); signal m : t;",
    `g : for i in 0 to 1 generate m(i) <= a(4 * i + 3 downto 4 * i); m(i + 2) <= b(4 * i + 3 downto 4 * i); end generate;
process (all) variable k : natural range 0 to 7; variable v : std_logic_vector(15 downto 0); begin k := to_integer(unsigned(s)); v := a & b; y <= (others => '0'); y(3 downto 0) <= m(to_integer(unsigned(s(1 downto 0)))); y(8 downto 4) <= v(k + 4 downto k); y(9) <= a(k); v := (others => '0'); v(k) := '1'; y(15 downto 10) <= v(7 downto 2); end process;`,
  );
  agrees(
    "records and arrays of them",
    ab,
    "type r is record v : unsigned(3 downto 0); e : boolean; k : std_logic_vector(1 downto 0); end record; type l is array (1 downto 0) of r; signal x : l; function swap(p : l) return l is begin return (0 => p(1), 1 => p(0)); end;",
    `x(0) <= (v => unsigned(a(3 downto 0)), e => s(0) = '1', k => b(1 downto 0)); x(1) <= (unsigned(b(7 downto 4)), a(7) = b(7), "10");
process (all) variable w : l; begin w := swap(x); w(1).v := w(1).v + 1; y <= (others => '0'); y(3 downto 0) <= std_logic_vector(w(0).v); y(7 downto 4) <= std_logic_vector(w(1).v); if w(0).e then y(8) <= '1'; end if; y(10 downto 9) <= w(1).k; if w = x then y(11) <= '1'; end if; end process;`,
  );
  agrees(
    "matching case, selections and aggregates",
    ab,
    "",
    `process (all) begin case? a(3 downto 0) is when "1---" => y(3 downto 0) <= "1000"; when "01--" => y(3 downto 0) <= "0100"; when "001-" => y(3 downto 0) <= "0010"; when others => y(3 downto 0) <= "0001"; end case?; end process;
with s select y(7 downto 4) <= b(3 downto 0) when "000" | "001", (4 => a(0), 7 => b(7), others => s(2)) when "010", not a(3 downto 0) when others;
y(15 downto 8) <= (a(3 downto 0) & b(7 downto 4)) xor (7 downto 0 => s(0)); `,
  );
  agrees(
    "a state machine with an asynchronous reset",
    clocked,
    "type st is (idle, load, count, done); signal s : st; signal n : unsigned(7 downto 0); signal c : integer range 0 to 9 := 0;",
    `process (clk, rst) begin
if rst = '1' then s <= idle; n <= (others => '0'); c <= 0; elsif rising_edge(clk) then case s is when idle => if m(0) = '1' then s <= load; end if; when load => n <= unsigned(d); s <= count; when count => n <= n - 1; if n(3 downto 0) = 0 or c = 9 then s <= done; end if; if c = 9 then c <= 0; else c <= c + 1; end if; when done => if m = "11" then s <= idle; end if; end case; end if; end process;
q <= std_logic_vector(n + c); f <= '1' when s = done else '0';`,
  );
  agrees(
    "registers with enable, synchronous reset and variables",
    clocked,
    'signal r : unsigned(7 downto 0) := x"00";',
    `process (clk) variable t : unsigned(7 downto 0); variable keep : unsigned(7 downto 0) := x"00"; begin if rising_edge(clk) then t := unsigned(d); if rst = '1' then r <= x"00"; keep := x"00"; elsif m /= "00" then t := t + keep; keep := unsigned(d); r <= r + t; end if; end if; end process; q <= std_logic_vector(r); f <= r(0) xor r(7);`,
  );
  agrees(
    "other ways to write a clock",
    { ...clocked, outputs: [p("q", 8), p("f"), p("g")] },
    'signal a, b, c : unsigned(7 downto 0) := x"00";',
    `process (clk) begin if clk'event and clk = '1' then if rst = '1' then a <= x"00"; else a <= a + unsigned(d); end if; end if; end process;
process begin wait until rising_edge(clk); if rst = '1' then b <= x"00"; else b <= b xor unsigned(d); end if; end process;
process (clk) begin if rising_edge(clk) and m(1) = '1' then c <= a + b; end if; end process;
q <= std_logic_vector(a - b + c); f <= b(1); g <= c(0);`,
  );
  agrees(
    "memories as registers, and shift registers",
    clocked,
    "type mem is array (0 to 7) of std_logic_vector(7 downto 0); signal x : mem := (others => x\"00\"); signal h : std_logic_vector(9 downto 0) := (others => '0');",
    `process (clk) begin if rising_edge(clk) then if m(0) = '1' then x(to_integer(unsigned(d(2 downto 0)))) <= d; end if; h <= h(8 downto 0) & d(0); x(7)(0) <= m(1); end if; end process; q <= x(to_integer(unsigned(d(5 downto 3)))); f <= h(9);`,
  );
  agrees(
    "procedures with signals and variables",
    clocked,
    `procedure step(signal r : inout unsigned; v : in std_logic_vector; e : in boolean) is begin if e then r <= r + unsigned(v); end if; end;
signal r : unsigned(7 downto 0) := x"00"; signal o : std_logic := '0';`,
    `process (clk) procedure both(a : in std_logic_vector; x, z : out std_logic) is begin x := a(0) and a(1); z := a(2) or a(3); end; variable u, v : std_logic; begin if rising_edge(clk) then step(r, d, m(0) = '1'); both(d, u, v); o <= u xor v; end if; end process; q <= std_logic_vector(r); f <= o;`,
  );
  agrees(
    "hierarchy, generics, components, generate and parts of ports",
    ab,
    `component cell is generic (k : natural := 1); port (x : in std_logic_vector(3 downto 0); z : out std_logic_vector(3 downto 0)); end component; signal t : std_logic_vector(7 downto 0);`,
    `g : for i in 0 to 1 generate u : cell generic map (k => i + 2) port map (x => a(4 * i + 3 downto 4 * i), z => t(4 * i + 3 downto 4 * i)); end generate;
y(7 downto 0) <= t; v : entity work.cell port map (x(3 downto 2) => b(1 downto 0), x(1 downto 0) => s(1 downto 0), z(0) => y(8), z(3 downto 1) => y(11 downto 9)); w : entity work.cell generic map (9) port map (x => b(3 downto 0) xor "0101", z => y(15 downto 12));`,
    `${head}entity cell is generic (k : natural := 1); port (x : in std_logic_vector(3 downto 0); z : out std_logic_vector(3 downto 0)); end; architecture r of cell is begin z <= std_logic_vector(unsigned(x) + k); end;\n`,
  );
  agrees(
    "packages with functions and tables",
    ab,
    "",
    "y <= std_logic_vector(table(to_integer(unsigned(s)))) & scramble(a);",
    `${head}package pk is type t is array (0 to 7) of unsigned(7 downto 0); function make return t; function scramble(v : std_logic_vector) return std_logic_vector; constant table : t; end package;
package body pk is function make return t is variable r : t; begin for i in r'range loop r(i) := to_unsigned(i * i + 3, 8); end loop; return r; end; constant table : t := make; function scramble(v : std_logic_vector) return std_logic_vector is variable r : std_logic_vector(v'range); begin for i in v'range loop r(i) := v((i * 3) mod v'length); end loop; return r; end; end package body;
use work.pk.all;
`,
  );
  agrees(
    "the widespread arithmetic packages",
    ab,
    "",
    "y(7 downto 0) <= a + b when s(0) = '1' else a - 1; y(15 downto 8) <= x\"00\" + conv_integer(b(3 downto 0)) when a < b else (others => s(1));",
    "library ieee; use ieee.std_logic_1164.all; use ieee.std_logic_arith.all; use ieee.std_logic_unsigned.all;\n".replace(
      /$/,
      "entity none is end; architecture a of none is begin end;\nlibrary ieee; use ieee.std_logic_unsigned.all; use ieee.std_logic_arith.conv_integer;\n",
    ),
  );
  agrees(
    "buses that are turned round, and aliases",
    ab,
    "signal up : std_logic_vector(0 to 7); alias hi : std_logic_vector(3 downto 0) is a(7 downto 4);",
    "up <= a; y(7 downto 0) <= up(4 to 7) & up(0 to 3); y(11 downto 8) <= hi; y(15 downto 12) <= std_logic_vector'(b(0) & b(1) & up(7) & up(0));",
  );
});

describe("findings about circuits in VHDL", () => {
  const told = (text: string) =>
    elaborate([{ name: "d.vhd", text }])
      .findings.map(formatFinding)
      .join("\n");
  const entity = (decls: string, stmts: string) =>
    `${head}entity d is port (clk, a, b : in std_logic; y : out std_logic); end;\narchitecture r of d is\n${decls}\nbegin\n${stmts}\nend;\n`;
  it("a latch", () => {
    expect(told(entity("", "process (a, b) begin if a = '1' then y <= b; end if; end process;"))).toMatch(
      /d\.vhd:6:\d+: warning: \[vhdl\/latch\] 'y' keeps its value/,
    );
  });
  it("a signal that is missing in the sensitivity list", () => {
    expect(told(entity("", "process (a) begin y <= a and b; end process;"))).toMatch(
      /\[vhdl\/sensitivity\] 'b' is read, but is not in the sensitivity list/,
    );
  });
  it("an output that nothing drives", () => {
    expect(told(entity("", ""))).toMatch(/\[vhdl\/undriven\] 'y' is an output but nothing drives it/);
  });
  it("several drivers inside of the part", () => {
    expect(told(entity("", "y <= a; y <= b;"))).toMatch(/\[vhdl\/several-drivers\] 'y' has several drivers/);
  });
  it("edges where no register can be", () => {
    expect(
      told(
        entity(
          "signal s : std_logic;",
          "process (clk, a) begin if a = '1' then s <= '0'; else s <= '1'; if rising_edge(clk) then s <= b; end if; end if; end process; y <= s;",
        ),
      ),
    ).toMatch(/An edge in this place is not synthesizable/);
    expect(
      told(
        entity(
          "signal s : std_logic;",
          "process (clk) begin if rising_edge(clk) then s <= b; else s <= a; end if; end process; y <= s;",
        ),
      ),
    ).toMatch(/clocked-else/);
    expect(
      told(
        entity(
          "signal s : std_logic;",
          "process (clk, a) begin if rising_edge(clk) then s <= b; end if; if falling_edge(clk) then s <= a; end if; end process; y <= s;",
        ),
      ),
    ).toMatch(/several-clocks/);
  });
  it("waits, files and reals make no circuit", () => {
    expect(told(entity("", "process begin y <= a; wait for 5 ns; end process;"))).toMatch(
      /which waits inside, is not synthesizable/,
    );
    expect(told(entity("signal r : real := 1.0;", "process (a) begin r <= r * 2.0; y <= a; end process;"))).toMatch(
      /is not synthesizable/,
    );
  });
  it("nothing about ports that are left open, connected in part, or have defaults", () => {
    const inner = `${head}entity e is port (clk : in std_logic; en : in std_logic := '1'; d : in std_logic_vector(1 downto 0); q : out std_logic := '1'; n : out std_logic); end;
architecture r of e is begin process (clk) begin if rising_edge(clk) then if en = '1' then q <= d(0); end if; end if; end process; n <= d(1); end;\n`;
    const text =
      inner +
      entity(
        "signal v : std_logic_vector(1 downto 0);",
        "v <= a & b; u : entity work.e port map (clk => clk, d => v, q => y, n => open);",
      );
    const { artifact, findings } = elaborate([{ name: "d.vhd", text }]);
    expect(findings.map(formatFinding)).toEqual([]);
    const [ff] = artifact!.netlist.cells.filter((cell) => cell.kind === "ff");
    // the enable is known, and the register begins with the port's default
    expect(ff.inputs[2]).toEqual([bit1]);
    expect(ff.modes?.init).toBe("1");
  });
  it("a test bench is no top", () => {
    const bench = `${head}entity tb is end; architecture s of tb is signal c : std_logic; begin c <= '1' after 5 ns; u : entity work.d port map (c, c, c, open); end;\n`;
    const { modules, testBenches, artifact } = elaborate([
      { name: "tb.vhd", text: bench },
      { name: "d.vhd", text: entity("", "y <= a xor b;") },
    ]);
    expect(modules).toEqual(["tb", "d"]);
    expect(testBenches).toEqual(["tb"]);
    expect(artifact?.netlist.top).toBe("d");
  });
});
