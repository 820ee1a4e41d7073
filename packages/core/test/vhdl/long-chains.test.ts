import { describe, expect, it } from "vitest";
import { Random } from "../../src/common/index.ts";
import { vhdlLines } from "../helpers/vhdl.ts";
import { sameAsCircuit } from "../helpers/vhdl-circuit.ts";

/** Chains of operators of one level, which are worked through in a loop: their values, and their circuits. */

const terms = 1000;
const random = new Random(5);
/** A chain of random terms, beginning with some that constants alone decide, and what JavaScript makes of it. */
function chain(known: number, length = terms): { text: string; value: (i: number, j: number) => number } {
  const parts = Array.from({ length }, (_, at) => ({
    sign: at > 0 && random.below(2) === 1 ? -1 : 1,
    term: at < known ? random.below(9) : at === known ? "i" : [random.below(9), "i", "j"][random.below(3)],
  }));
  return {
    text: parts.map(({ sign, term }, at) => `${at === 0 ? "" : sign < 0 ? " - " : " + "}${term}`).join(""),
    value: (i, j) =>
      parts.reduce((sum, { sign, term }) => sum + sign * (term === "i" ? i : term === "j" ? j : (term as number)), 0),
  };
}
const pick = (...from: string[]) => from[random.below(from.length)];
const many = (operator: string, make: () => string, length = terms) =>
  Array.from({ length }, make).join(` ${operator} `);

describe("a chain of a thousand operators", () => {
  it("of whole numbers has the value that adding up gives, wherever constants end", () => {
    for (const known of [0, 1, 2, 500, terms - 1]) {
      const { text, value } = chain(known);
      const lines = vhdlLines({
        decl: "variable i, j : integer;",
        body: `for k in 0 to 4 loop i := k; j := 7 - 3 * k; report integer'image(${text}); end loop;`,
      });
      expect(lines).toEqual([0, 1, 2, 3, 4].map((k) => String(value(k, 7 - 3 * k))));
    }
  });

  it("of vectors, bits and truths is the same as code that does it one by one", () => {
    const signs = Array.from({ length: terms - 1 }, () => pick("+", "-"));
    const names = Array.from({ length: terms }, () => pick("u", "v"));
    const bits = Array.from({ length: terms }, () => random.below(8));
    const sum = names.map((name, at) => (at ? `${signs[at - 1]} ${name}` : name)).join(" ");
    const steps = names
      .slice(1)
      .map((name, at) => `w := w ${signs[at]} ${name};`)
      .join("\n");
    expect(
      vhdlLines({
        decl: `variable u, v, w : unsigned(7 downto 0); variable x : std_logic; variable c : std_logic_vector(${terms - 1} downto 0);`,
        body: `for k in 0 to 5 loop
  u := to_unsigned(k * 37, 8); v := to_unsigned(200 - k * 11, 8); w := ${names[0]};
${steps}
  assert w = ${sum} report "sum";
  x := '0'; for n in c'range loop x := x xor c(n); end loop;
  c := ${bits.map((bit) => `u(${bit})`).join(" & ")};
  x := '0'; for n in c'range loop x := x xor c(n); end loop;
  assert x = (${bits.map((bit) => `u(${bit})`).join(" xor ")}) report "parity";
  assert c(${terms - 1}) = u(${bits[0]}) and c(0) = u(${bits[terms - 1]}) report "order";
  assert (${many("or", () => "u = 74")}) = (k = 2) report "truth";
  assert (${many("and", () => "u = 74")}) = (k = 2) report "truth of all";
end loop; report "through";`,
      }),
    ).toEqual(["through"]);
  });

  it("has its value wherever it stands, before the run and in it", () => {
    const count = 300;
    const sum = Array.from({ length: count }, (_, i) => `f(${i})`).join(" + ");
    const all = Array.from({ length: count }, (_, i) => `f(${i}) = ${i}`).join(" and ");
    const total = (count * (count - 1)) / 2;
    expect(
      vhdlLines({
        arch: `function f(n : integer) return integer is begin return n; end;
function g(n : integer) return integer is variable k : integer := ${sum}; begin return k + n; end;
constant c : integer := ${sum};
type row is array (0 to ${sum}) of bit;
signal s : integer := ${sum}; signal w : integer := 0; signal z : row; signal holds : boolean := ${all};`,
        stmts: `w <= ${sum} + s after 1 ns;
deep : if ${sum} > 3 generate begin process begin report "made"; wait; end process; end generate;`,
        body: `wait until w = ${sum} + c for 2 ns; assert now = 1 ns;
report integer'image(c) & " " & integer'image(z'length) & " " & integer'image(g(1)) & " " & boolean'image(holds);
if ${sum} = s then report "same"; end if;`,
      }).sort(),
    ).toEqual([`${total} ${total + 1} ${total + 1} true`, "made", "same"]);
  });

  it("becomes the circuit that simulation shows", () => {
    // the reference settles slowly
    const length = 150;
    const cycles = 12;
    const { text } = chain(3, length);
    const compared = sameAsCircuit(
      `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity dut is port (a, b : in std_logic_vector(7 downto 0); y : out std_logic_vector(15 downto 0); x, z : out std_logic; c : out std_logic_vector(${length - 1} downto 0)); end entity;
architecture rtl of dut is begin
process (all) variable i, j : integer range 0 to 15; begin
  i := to_integer(unsigned(a(3 downto 0))); j := to_integer(unsigned(b(3 downto 0)));
  y <= std_logic_vector(to_signed(${text}, 16));
  x <= ${many("xor", () => pick("a(0)", "b(1)", "a(5)"), length)};
  z <= '0';
  if ${many("or", () => pick("i = 3", "j = 9", "a = b"), length)} then z <= '1'; end if;
  c <= ${many("&", () => pick("a(0)", "b(1)", "a(7)", "'1'"), length)};
end process;
end architecture;`,
      {
        entity: "dut",
        inputs: [
          { name: "a", width: 8 },
          { name: "b", width: 8 },
        ],
        outputs: [
          { name: "y", width: 16 },
          { name: "x", width: 0 },
          { name: "z", width: 0 },
          { name: "c", width: length },
        ],
        cycles,
      },
    );
    expect(compared).toBe(cycles * (16 + 2 + length));
  });
});
