import { describe, expect, it } from "vitest";
import { Random } from "../../src/common/index.ts";
import {
  arith,
  bigOf,
  codesOf,
  compareNumbers,
  fromBig,
  fromCodes,
  numberOf,
  resizeL,
  resolutionTable,
  rotateL,
  shiftL,
} from "../../src/elaborate/vhdl/values/values.ts";
import { runText } from "../helpers/simulation.ts";
import { vhdlLines } from "../helpers/vhdl.ts";

const mod = (v: bigint, n: number): bigint => BigInt.asUintN(n, v);
function randomBig(random: Random, n: number): bigint {
  // the ends of the range are as likely as the middle
  const kind = random.below(5);
  const ones = (1n << BigInt(n)) - 1n;
  if (kind === 0) return 0n;
  if (kind === 1) return ones;
  if (kind === 2) return 1n << BigInt(n - 1);
  let v = 0n;
  for (let i = 0; i < n; i += 30) v = (v << 30n) | BigInt(random.below(2 ** 30));
  return v & ones;
}

describe("numbers made of bits", () => {
  it("agree with whole numbers at all widths from 1 to 130", () => {
    const random = new Random(11);
    let checked = 0;
    for (let n = 1; n <= 130; n++)
      for (let round = 0; round < 12; round++) {
        const m = 1 + random.below(130);
        const [a, b] = [randomBig(random, n), randomBig(random, m)];
        const [x, y] = [fromBig(a, n), fromBig(b, m)];
        expect(bigOf(x, n)).toBe(a);
        for (const signed of [false, true]) {
          const [u, v] = signed ? [BigInt.asIntN(n, a), BigInt.asIntN(m, b)] : [a, b];
          const w = Math.max(n, m);
          expect(bigOf(arith("+", x, n, y, m, w, signed), w)).toBe(mod(u + v, w));
          expect(bigOf(arith("-", x, n, y, m, w, signed), w)).toBe(mod(u - v, w));
          expect(bigOf(arith("*", x, n, y, m, n + m, signed), n + m)).toBe(mod(u * v, n + m));
          if (v !== 0n) {
            expect(bigOf(arith("/", x, n, y, m, n, signed), n)).toBe(mod(u / v, n));
            expect(bigOf(arith("rem", x, n, y, m, m, signed), m)).toBe(mod(u % v, m));
            expect(bigOf(arith("mod", x, n, y, m, m, signed), m)).toBe(mod(((u % v) + v) % v, m));
          }
          expect(Math.sign(compareNumbers(x, n, y, m, signed))).toBe(u < v ? -1 : u > v ? 1 : 0);
          const to = 1 + random.below(130);
          const wide = numberOf(resizeL(x, n, to, signed), to, signed);
          if (to >= n) expect(wide).toBe(u);
          else if (!signed) expect(wide).toBe(mod(u, to));
          else expect(wide).toBe(BigInt.asIntN(to, (u < 0n ? 1n << BigInt(to - 1) : 0n) | mod(u, to - 1)));
          checked++;
        }
        const k = random.below(n + 3);
        expect(bigOf(shiftL(x, n, k, 2), n)).toBe(mod(a << BigInt(k), n));
        expect(bigOf(shiftL(x, n, -k, 2), n)).toBe(a >> BigInt(k));
        expect(bigOf(rotateL(x, n, k), n)).toBe(mod((a << BigInt(k % n)) | (a >> BigInt(n - (k % n))), n));
        expect(fromCodes(codesOf(x, n).slice())).toEqual(x);
      }
    expect(checked).toBe(130 * 12 * 2);
  });

  it("compiled code agrees with whole numbers at widths around 31, 32 and 64", () => {
    const random = new Random(5);
    for (const n of [1, 2, 7, 8, 15, 16, 17, 30, 31, 32, 33, 40, 63, 64, 65, 100, 130]) {
      const cases = Array.from({ length: 6 }, () => [randomBig(random, n), randomBig(random, n)] as const);
      const bits = (v: bigint) => `"${v.toString(2).padStart(n, "0")}"`;
      const lines: string[] = [];
      const expected: string[] = [];
      const show = (v: bigint, w: number) => mod(v, w).toString(2).padStart(w, "0");
      for (const [a, b] of cases) {
        lines.push(`a := ${bits(a)}; b := ${bits(b)}; x := signed(a); y := signed(b);`);
        const [s, t] = [BigInt.asIntN(n, a), BigInt.asIntN(n, b)];
        const put = (text: string, value: string) => {
          lines.push(`report ${text};`);
          expected.push(value);
        };
        put("to_string(a + b)", show(a + b, n));
        put("to_string(a - b)", show(a - b, n));
        put("to_string(a * b)", show(a * b, 2 * n));
        put("to_string(x * y)", show(s * t, 2 * n));
        put("to_string(a + 3)", show(a + 3n, n));
        put("to_string(x - 5)", show(s - 5n, n));
        put("to_string(-x)", show(-s, n));
        put("to_string(abs x)", show(s < 0n ? -s : s, n));
        put(
          "to_string(a and b) & to_string(a xor b) & to_string(not a)",
          show(a & b, n) + show(a ^ b, n) + show(~a, n),
        );
        put(
          "boolean'image(a < b) & boolean'image(x < y) & boolean'image(a = b) & boolean'image(x >= 0)",
          `${a < b}${s < t}${a === b}${s >= 0n}`,
        );
        put(`to_string(resize(x, ${n + 5})) & to_string(resize(a, ${n + 3}))`, show(s, n + 5) + show(a, n + 3));
        put(
          "to_string(shift_left(a, 2)) & to_string(shift_right(x, 3)) & to_string(rotate_left(a, 1))",
          show(a << 2n, n) + show(s >> 3n, n) + show((a << 1n) | (a >> BigInt(n - 1)), n),
        );
        put("to_string(a & b)", show(a, n) + show(b, n));
        if (n > 4) put(`to_string(a(${n - 2} downto 2))`, show(a >> 2n, n - 3));
        if (t !== 0n) put("to_string(x / y) & to_string(x mod y)", show(s / t, n) + show(((s % t) + t) % t, n));
      }
      const decl = `variable a, b : unsigned(${n - 1} downto 0); variable x, y : signed(${n - 1} downto 0);`;
      expect(vhdlLines({ decl, body: lines.join("\n") }), `width ${n}`).toEqual(expected);
    }
  });
});

describe("the resolution function", () => {
  it("is commutative, idempotent but for '-', associative, with 'Z' weakest and 'U' strongest", () => {
    const f = (a: number, b: number) => resolutionTable[a * 9 + b];
    for (let a = 0; a < 9; a++) {
      expect(f(a, 0)).toBe(0);
      // 'Z' gives way to all, and '-' becomes X as soon as it meets another driver
      expect(f(a, 4)).toBe(a === 8 ? 1 : a);
      expect(f(a, a)).toBe(a === 8 ? 1 : a);
      for (let b = 0; b < 9; b++) {
        expect(f(a, b)).toBe(f(b, a));
        for (let c = 0; c < 9; c++) expect(f(f(a, b), c)).toBe(f(a, f(b, c)));
      }
    }
  });
});

describe("one circuit in both languages", () => {
  /** An expression over a, b, c (8 bits each), written in both. */
  function expression(random: Random, depth: number): { v: string; h: string } {
    if (depth === 0) {
      const name = "abc"[random.below(3)];
      return { v: name, h: name };
    }
    const l = expression(random, depth - 1);
    const r = expression(random, depth - 1);
    switch (random.below(9)) {
      case 0:
        return { v: `(${l.v} + ${r.v})`, h: `(${l.h} + ${r.h})` };
      case 1:
        return { v: `(${l.v} - ${r.v})`, h: `(${l.h} - ${r.h})` };
      case 2:
        return { v: `(${l.v} & ${r.v})`, h: `(${l.h} and ${r.h})` };
      case 3:
        return { v: `(${l.v} ^ ${r.v})`, h: `(${l.h} xor ${r.h})` };
      case 4:
        return { v: `(~${l.v})`, h: `(not ${l.h})` };
      case 5:
        return { v: `(${l.v} < ${r.v} ? ${l.v} : ${r.v})`, h: `minimum(${l.h}, ${r.h})` };
      case 6:
        return { v: `(${l.v} << 3)`, h: `shift_left(${l.h}, 3)` };
      case 7:
        return { v: `(${l.v} >> 1)`, h: `shift_right(${l.h}, 1)` };
      default:
        return { v: `(${l.v} * ${r.v})`, h: `resize(${l.h} * ${r.h}, 8)` };
    }
  }
  it("simulates the same", () => {
    const random = new Random(99);
    for (let round = 0; round < 12; round++) {
      const exprs = Array.from({ length: 4 }, () => expression(random, 3));
      const verilog = `module dut_v(input clk, input [7:0] a, b, c, output reg [7:0] ${exprs.map((_, i) => `q${i}`).join(", ")});
always @(posedge clk) begin ${exprs.map((e, i) => `q${i} <= ${e.v};`).join(" ")} end endmodule\n`;
      const vhdl = `library ieee; use ieee.std_logic_1164.all; use ieee.numeric_std.all;
entity dut_h is port (clk : in std_logic; a, b, c : in unsigned(7 downto 0); ${exprs.map((_, i) => `q${i}`).join(", ")} : out unsigned(7 downto 0)); end;
architecture r of dut_h is begin process (clk) begin if rising_edge(clk) then ${exprs.map((e, i) => `q${i} <= ${e.h};`).join(" ")} end if; end process; end;\n`;
      const bench = `module tb; reg clk = 0; reg [7:0] a, b, c; wire [7:0] ${exprs.map((_, i) => `v${i}, h${i}`).join(", ")}; integer i, bad = 0;
dut_v x (clk, a, b, c, ${exprs.map((_, i) => `v${i}`).join(", ")}); dut_h y (clk, a, b, c, ${exprs.map((_, i) => `h${i}`).join(", ")});
initial begin for (i = 0; i < 200; i = i + 1) begin a = $random; b = $random; c = $random; #1 clk = 1; #1 clk = 0; #1;
if (${exprs.map((_, k) => `v${k} !== h${k}`).join(" || ")}) bad = bad + 1; end $display("%0d of %0d", bad, i); end endmodule\n`;
      const ran = runText(
        [
          { name: "v.v", text: verilog + bench },
          { name: "h.vhd", text: vhdl },
        ],
        { top: "tb" },
      );
      expect(ran.text, `${ran.findings.join("\n")}\n${vhdl}\n${verilog}`).toBe("0 of 200\n");
    }
  });
});
