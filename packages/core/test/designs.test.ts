import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";
import { elaborate, formatVerilog } from "../src/index.ts";
import { runText } from "./helpers/simulation.ts";

const read = (name: string) => readFileSync(fileURLToPath(new URL(`designs/${name}`, import.meta.url)), "utf8");

/** Whole designs with their benches, in several manners of writing; the benches know the right answers. */
const designs: readonly [name: string, top: string, printed: RegExp][] = [
  // RFC 1321 appendix A.5
  ["md5.sv", "md5", /^900150983cd24fb0d6963f7d28e17f72\n$/],
  // RFC 8439 section 2.3.2
  ["chacha.sv", "chacha", /^e4e7f110 15593bd1 1fdd0f50 c47120a3\n(.*\n){2}d19c12b5 b94e16de e883d0cb 4e3c50a2\n$/],
  ["card_engine.v", "card_engine", /^repeats 25 at \d+\n$/],
  ["float_multiply.v", "fmul", /^bad 0\n$/],
  ["stack_cpu.sv", "stack_cpu", /^3628800\n$/],
  ["uart.v", "uart_tx", /^10 sent, 10 received, 0 errors\n$/],
  // FIPS 180-4, and sine and cosine of 30 degrees
  ["sha512.sv", "tb", /^ddaf35a193617abacc417349ae204131[0-9a-f]+a54ca49f\nhamming 0\n0\.8661 0\.5000\n$/],
  ["async_fifo.v", "fifo2", /^1 bad 0 many 1\n0000 0 0 0 0000\n0101 0 0 0 0101\n1010 1 1 0 1010\n1111 1 0 1 1111\n$/],
  [
    "shed_control.sv",
    "ctl",
    /^BEAT used 3 last 1 at {2}56\.0 ns\n1000100000111 7 5\n194d 77\n01010010000000111{13} 3 PICK\nEND:0 same\nTAKEUP\nIDLE\n'\{5, 10, 1\} 1\nfinal 0\n$/,
  ],
];

describe.each(designs)("%s", (name, top, printed) => {
  const text = read(name);
  it("prints what is right", () => {
    const { text: out, end, findings } = runText(text, { top: "tb", maxTurns: 1e7 }, name);
    expect({ out, end, errors: findings.filter((each) => /error/.test(each)) }).toEqual({
      out: expect.stringMatching(printed),
      end: "finish",
      errors: [],
    });
  });
  it("prints the same when it is laid out anew", () => {
    const flat = text.replace(/^[ \t]+/gm, "");
    const { text: out } = runText(formatVerilog(flat), { top: "tb", maxTurns: 1e7 }, name);
    expect(out).toMatch(printed);
  });
  it("has no language errors as a circuit", () => {
    const { findings } = elaborate([{ name, text }], { top });
    // tables worked out with reals, and interfaces at the top, make no circuit
    const errors = findings.filter(
      (each) => each.severity === "error" && !/not-synthesizable|interface|bench-top/.test(each.code),
    );
    expect(errors).toEqual([]);
  });
});
