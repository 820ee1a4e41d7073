import { describe, expect, it } from "vitest";
import { Random } from "../../src/common/index.ts";
import { fuzzRuns, fuzzSeed } from "../helpers/damage.ts";
import { runText } from "../helpers/simulation.ts";
import { sameAsCircuit } from "../helpers/vhdl-circuit.ts";

const head =
  "library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all; use ieee.fixed_float_types.all; use ieee.fixed_pkg.all;\n";

/** A number of `high - low + 1` bits, the lowest of which is worth 2**low. */
interface Fixed {
  readonly signed: boolean;
  readonly high: number;
  readonly low: number;
  /** In units of 2**low. */
  readonly units: bigint;
}
const bitsOf = ({ high, low, units }: Fixed): string =>
  BigInt.asUintN(high - low + 1, units)
    .toString(2)
    .padStart(high - low + 1, "0");
const kindOf = ({ signed }: { readonly signed: boolean }) => (signed ? "sfixed" : "ufixed");
const floorDiv = (a: bigint, b: bigint): bigint => (a % b !== 0n && a < 0n !== b < 0n ? a / b - 1n : a / b);

/** What the quotient `over / under`, in units of 2**low, becomes between the bounds. */
function fit(
  signed: boolean,
  over: bigint,
  under: bigint,
  high: number,
  low: number,
  saturate: boolean,
  round: boolean,
): Fixed {
  let units = floorDiv(over, under);
  if (round) {
    const rest = 2n * (over - units * under) * (under < 0n ? -1n : 1n);
    const half = under < 0n ? -under : under;
    if (rest > half || (rest === half && units % 2n !== 0n)) units++;
  }
  const size = high - low + 1;
  const most = signed ? (1n << BigInt(size - 1)) - 1n : (1n << BigInt(size)) - 1n;
  const least = signed ? -(1n << BigInt(size - 1)) : 0n;
  if (saturate) units = units > most ? most : units < least ? least : units;
  else units = signed ? BigInt.asIntN(size, units) : BigInt.asUintN(size, units);
  return { signed, high, low, units };
}
/** Worth of a number in units of 2**low, for a low that is not above its own. */
const unitsAt = ({ units, low }: Fixed, at: number): bigint => units << BigInt(low - at);

/** Operators by the tables of IEEE 1076-2008 clause 16.10, on whole numbers. */
function reference(op: string, l: Fixed, r: Fixed): Fixed {
  const { signed } = l;
  const low = Math.min(l.low, r.low);
  const [a, b] = [unitsAt(l, low), unitsAt(r, low)];
  const top = Math.max(l.high, r.high);
  const exact = (units: bigint, high: number, least: number) => fit(signed, units, 1n, high, least, false, false);
  switch (op) {
    case "+":
      return exact(a + b, top + 1, low);
    case "-":
      return exact(a - b, top + 1, low);
    case "*":
      return exact(l.units * r.units, l.high + r.high + 1, l.low + r.low);
    case "/": {
      const least = signed ? l.low - r.high : l.low - r.high - 1;
      const high = signed ? l.high - r.low + 1 : l.high - r.low;
      // towards zero at three guard bits, then to the nearest
      const up = BigInt(Math.max(l.low - r.low - least + 3, 0));
      const quotient = (l.units << up) / r.units;
      const cut = BigInt(least - (l.low - Number(up) - r.low));
      return fit(signed, quotient, 1n << cut, high, least, signed, true);
    }
    case "rem":
      return exact(a % b, Math.min(l.high, r.high), low);
    default: {
      const value = a - b * floorDiv(a, b);
      return exact(value, signed ? r.high : Math.min(l.high, r.high), low);
    }
  }
}

function drawn(random: Random, signed: boolean): Fixed {
  const high = random.below(7) - 2;
  const low = high - 1 - random.below(8);
  const size = high - low + 1;
  const raw = BigInt(random.below(2 ** size));
  const edge = random.below(6);
  const bits = edge === 0 ? (1n << BigInt(size - 1)) - BigInt(random.below(2)) : raw;
  return { signed, high, low, units: signed ? BigInt.asIntN(size, bits) : BigInt.asUintN(size, bits) };
}
const literal = (value: Fixed) =>
  `to_${kindOf(value)}(std_logic_vector'("${bitsOf(value)}"), ${value.high}, ${value.low})`;

function printed(lines: readonly string[]): string[] {
  const text = `${head}entity tb is end;
architecture t of tb is
function told (x : ufixed) return string is begin
return integer'image(x'high) & " " & integer'image(x'low) & " " & to_string(to_slv(x)); end;
function told (x : sfixed) return string is begin
return integer'image(x'high) & " " & integer'image(x'low) & " " & to_string(to_slv(x)); end;
begin
process begin
${lines.map((line) => `report ${line};`).join("\n")}
wait;
end process;
end;
`;
  const { text: out, findings } = runText([{ name: "tb.vhd", text }], { top: "tb" });
  expect(findings.filter((finding) => !/sim\/note/.test(finding))).toEqual([]);
  return out.split("\n").slice(0, -1);
}
const told = (value: Fixed) => `${value.high} ${value.low} ${bitsOf(value)}`;

describe("fixed-point numbers", () => {
  it("are added, multiplied, divided and compared as whole numbers are", () => {
    const random = new Random(fuzzSeed);
    const lines: string[] = [];
    const wanted: string[] = [];
    for (let i = 0; i < fuzzRuns(6); i++)
      for (const signed of [false, true])
        for (const op of ["+", "-", "*", "/", "rem", "mod"]) {
          const l = drawn(random, signed);
          let r = drawn(random, signed);
          if (r.units === 0n && !/[-+*]/.test(op)) r = { ...r, units: 1n };
          lines.push(`told(${literal(l)} ${op} ${literal(r)})`);
          wanted.push(told(reference(op, l, r)));
          const low = Math.min(l.low, r.low);
          const [a, b] = [unitsAt(l, low), unitsAt(r, low)];
          for (const [order, is] of [
            ["=", a === b],
            ["<", a < b],
            [">=", a >= b],
          ] as const) {
            lines.push(`boolean'image(${literal(l)} ${order} ${literal(r)})`);
            wanted.push(String(is));
          }
        }
    expect(printed(lines)).toEqual(wanted);
  });

  it("are rounded and fitted once, to the nearest even value or down, to the bounds or around them", () => {
    const random = new Random(fuzzSeed + 1);
    const lines: string[] = [];
    const wanted: string[] = [];
    for (let i = 0; i < fuzzRuns(30); i++) {
      const value = drawn(random, i % 2 === 1);
      const high = random.below(8) - 3;
      const low = high - random.below(6);
      const saturate = random.below(2) === 0;
      const round = random.below(2) === 0;
      lines.push(
        `told(resize(${literal(value)}, ${high}, ${low}, ${saturate ? "fixed_saturate" : "fixed_wrap"}, ${round ? "fixed_round" : "fixed_truncate"}))`,
      );
      const at = Math.min(low, value.low);
      wanted.push(told(fit(value.signed, unitsAt(value, at), 1n << BigInt(low - at), high, low, saturate, round)));
    }
    expect(printed(lines)).toEqual(wanted);
  });

  it("come from reals and whole numbers, and go back to them", () => {
    const random = new Random(fuzzSeed + 2);
    const lines: string[] = [];
    const wanted: string[] = [];
    for (let i = 0; i < fuzzRuns(20); i++) {
      const value = drawn(random, i % 2 === 1);
      const real = Number(value.units) * 2 ** value.low;
      lines.push(`boolean'image(to_real(${literal(value)}) = ${real.toFixed(12)})`);
      wanted.push("true");
      lines.push(`told(to_${kindOf(value)}(${real.toFixed(12)}, ${value.high}, ${value.low}))`);
      wanted.push(told(value));
      const whole = fit(
        value.signed,
        unitsAt(value, Math.min(0, value.low)),
        1n << BigInt(-Math.min(0, value.low)),
        30,
        0,
        true,
        true,
      );
      lines.push(`integer'image(to_integer(${literal(value)}))`);
      wanted.push(String(whole.units));
    }
    expect(printed(lines)).toEqual(wanted);
    expect(
      printed([
        "to_string(to_ufixed(3.3125, 3, -4)) & to_hstring(to_ufixed(3.3125, 3, -4)) & to_string(to_sfixed(-0.25, -1, -3))",
        "told(to_sfixed(100, 3, -1)) & told(to_ufixed(0.7, 0, -2)) & told(to_sfixed(-0.7, 0, -2, fixed_wrap, fixed_truncate))",
        "told(to_ufixed(2.5, 3, -4) * 3) & told(to_sfixed(1.5, 3, -2) + 0.25) & told(abs to_sfixed(-8.0, 3, 0)) & told(-to_sfixed(-8.0, 3, 0))",
        'told(to_sfixed(signed\'("1001"), 4, -1)) & to_string(to_unsigned(to_ufixed(5.75, 3, -4), 4)) & to_string(to_signed(to_sfixed(-2.5, 3, -4), 4))',
        "told(scalb(to_ufixed(1.5, 1, -1), 2)) & told(reciprocal(to_ufixed(2.0, 2, -1))) & told(to_sfixed(-1.0, 1, -2) sra 1) & told(saturate(to_sfixed(0.0, 2, 0)))",
        "integer'image(find_leftmost(to_ufixed(0.375, 1, -3), '1')) & integer'image(find_rightmost(to_ufixed(0.375, 1, -3), '1'))",
      ]),
    ).toEqual([
      "0011.01013.51.110",
      "3 -1 011110 -2 0110 -2 101",
      "7 -4 0000011110004 -2 00001114 0 010004 0 01000",
      "4 -1 1100100110" + "1110",
      "3 1 0111 -3 00100" + "1 -2 1110" + "2 0 011",
      "-2-3",
    ]);
  });

  it("become circuits that do the same", () => {
    const ports = {
      clock: "clk",
      inputs: [
        { name: "a", width: 8 },
        { name: "b", width: 6 },
      ],
      outputs: [
        { name: "p", width: 12 },
        { name: "q", width: 9 },
        { name: "r", width: 5 },
        { name: "f", width: 0 },
      ],
      cycles: 200,
    };
    const compared = sameAsCircuit(
      `${head}entity dut is port (clk : in std_logic; a : in std_logic_vector(7 downto 0); b : in std_logic_vector(5 downto 0);
p : out std_logic_vector(11 downto 0); q : out std_logic_vector(8 downto 0); r : out std_logic_vector(4 downto 0); f : out std_logic); end;
architecture rtl of dut is
signal x : sfixed(2 downto -5) := (others => '0');
signal y : sfixed(1 downto -4) := (others => '0');
signal sum : sfixed(4 downto -7) := (others => '0');
begin
process (clk) begin if rising_edge(clk) then
x <= to_sfixed(a, x);
y <= to_sfixed(b, 1, -4);
sum <= resize(x * y + sum * to_sfixed(0.375, 0, -3), sum);
q <= to_slv(resize(x / to_sfixed(1.5, 1, -2), 4, -4, fixed_wrap, fixed_truncate));
r <= to_slv(resize(ufixed(to_slv(x)) * to_ufixed(0.3, 0, -5), 2, -2));
if x > y or sum < -1.25 then f <= '1'; else f <= '0'; end if;
end if; end process;
p <= to_slv(sum);
end architecture;
`.replace("ufixed(to_slv(x))", "to_ufixed(to_slv(x), 2, -5)"),
      { entity: "dut", ...ports },
    );
    expect(compared).toBeGreaterThan(500);
  });
});
