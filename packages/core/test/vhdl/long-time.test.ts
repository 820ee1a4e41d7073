import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { mostUnits, productOf, quotientOf, sumOf } from "../../src/elaborate/vhdl/values/long-time.ts";
import { runText } from "../helpers/simulation.ts";

/** Whole numbers of every length that can be held, with their signs. */
const whole = fc
  .tuple(fc.bigInt(0n, 2n ** 53n - 1n), fc.integer({ min: 0, max: 40 }), fc.boolean())
  .map(([bits, up, isNegative]) => Number((isNegative ? -bits : bits) << BigInt(up)));

describe("physical values", () => {
  it("are added, multiplied and divided exactly, or not at all", () => {
    const check = (found: number | null, exact: bigint) => {
      if (found !== null) expect(BigInt(found)).toBe(exact);
      else expect(BigInt(Number(exact)) !== exact || Math.abs(Number(exact)) > mostUnits).toBe(true);
    };
    fc.assert(
      fc.property(whole, whole, (a, b) => {
        check(sumOf(a, b), BigInt(a) + BigInt(b));
        check(productOf(a, b), BigInt(a) * BigInt(b));
        if (b !== 0) check(quotientOf(a, b), BigInt(a) / BigInt(b));
      }),
      { numRuns: 2000 },
    );
  });
});

const run = (body: string, decl = "") =>
  runText(
    [
      {
        name: "tb.vhd",
        text: `entity tb is end;\narchitecture t of tb is ${decl}\nbegin\nprocess begin\n${body}\nwait;\nend process;\nend;\n`,
      },
    ],
    { top: "tb" },
  );

describe("time", () => {
  it("goes on past nine seconds", () => {
    const { text } = run(
      `report time'image(day); wait for 5 sec; wait for 5 sec; report time'image(now); wait for 1 ms; report time'image(now) & " " & to_string(now, ms);
report integer'image(10 sec / 1 ms) & " " & integer'image(now / 10 ns / 1000); wait for 3 min; wait for 1 ns; report time'image(now);
report time'image(now - 190 sec) & " " & time'image(2 * now) & " " & time'image(now rem 1 sec); report to_string(day) & " " & to_string(now, ns);`,
      "constant day : time := 24 hr;",
    );
    expect(text.split("\n")).toEqual([
      "86400000000000000000 fs",
      "10000000000000000 fs",
      "10001000000000000 fs 10001 ms",
      "10000 1000100",
      "190001000001000000 fs",
      "1000001000000 fs 380002000002000000 fs 1000001000000 fs",
      "86400000000000000000 fs 190001000001 ns",
      "",
    ]);
  });
  it("runs clocks across that limit without a lost edge", () => {
    const { text, findings } = runText(
      [
        {
          name: "tb.vhd",
          text: `entity tb is end;
architecture t of tb is signal clk : bit := '0'; signal n : natural := 0; signal last : time := 0 ns;
begin
process begin wait for 9 sec; for i in 1 to 2000 loop clk <= not clk; wait for 5_333 ns; end loop; wait; end process;
process (clk) begin if clk'event and clk = '1' then
n <= n + 1; last <= now;
assert n = 0 or now - last = 2 * 5_333 ns report "edge at " & time'image(now);
end if; end process;
process begin wait for 9_100 ms; report integer'image(n) & " " & time'image(last); wait; end process;
end;
`,
        },
      ],
      { top: "tb" },
    );
    expect(text).toBe(`1000 ${9_000_000_000_000_000n + 1998n * 5_333_000_000n} fs\n`);
    expect(findings.filter((finding) => /error|warning/.test(finding))).toEqual([]);
  });
  it("tells what cannot be counted, and never rounds it", () => {
    const told = (body: string, decl?: string) => run(body, decl).findings.filter((finding) => /error/.test(finding));
    expect(told("wait for 70 sec; wait for 1 fs;")[0]).toMatch(/\[sim\/time\] After 70 s, a wait of 1 fs is too short/);
    expect(told("report time'image(t + 1 fs);", "constant t : time := 70 sec;")[0]).toMatch(/\[vhdl\/out-of-range\]/);
    expect(told("wait for 70 sec; report time'image(now + 1 fs);")[0]).toMatch(/no number of base units/);
    expect(told("report time'image(300 hr);")[0]).toMatch(/'300 hr' is more base units than can be counted/);
  });
});
