import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { findFamily, planClockBlock } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import {
  clockInstances,
  clockInstanceText,
  withClockSettings,
  withinArchitecture,
  withinModule,
} from "../src/formats/index.ts";

const families = ["Twill", "Calico"].map(findFamily);

describe("settings of a clock block", () => {
  it("are the nearest that there are, by trying all of them", () => {
    fc.assert(
      fc.property(
        fc.double({ min: 1, max: 250, noNaN: true }),
        fc.array(
          fc.record({
            mhz: fc.double({ min: 0.5, max: 400, noNaN: true }),
            degrees: fc.integer({ min: -720, max: 720 }),
          }),
          {
            minLength: 1,
            maxLength: 2,
          },
        ),
        fc.constantFrom(...families),
        (inMhz, wishes, family) => {
          const [best, ...others] = planClockBlock(inMhz, wishes, family);
          let least = Infinity;
          for (let multiply = 1; multiply <= 64; multiply++) {
            if (inMhz * multiply > family.clockBlockMhz.inside) break;
            let worst = 0;
            for (const { mhz } of wishes) {
              let fault = Infinity;
              for (let divide = 1; divide <= 64; divide++)
                fault = Math.min(fault, Math.abs((inMhz * multiply) / divide / mhz - 1) * 1e6);
              worst = Math.max(worst, fault);
            }
            least = Math.min(least, worst);
          }
          expect(best.worstPpm).toBeCloseTo(least, 2);
          for (const { worstPpm } of others) expect(worstPpm).toBeGreaterThanOrEqual(best.worstPpm - 1e-3);
          for (const { phase, degreesOff, degrees } of best.outputs) {
            expect(phase).toBeGreaterThanOrEqual(0);
            expect(phase).toBeLessThan(8);
            expect(degrees).toBe(45 * phase);
            expect(Math.abs(degreesOff)).toBeLessThanOrEqual(22.5);
          }
        },
      ),
    );
  });
  it("multiply no more than they must, and are none for what the block cannot take", () => {
    const [exact] = planClockBlock(
      50,
      [
        { mhz: 75, degrees: 0 },
        { mhz: 25, degrees: 90 },
      ],
      families[0],
    );
    expect([exact.multiply, exact.worstPpm, ...exact.outputs.map(({ divide, phase }) => `${divide} ${phase}`)]).toEqual(
      [3, 0, "2 0", "6 2"],
    );
    expect(planClockBlock(0.5, [{ mhz: 10, degrees: 0 }], families[0])).toEqual([]);
    expect(planClockBlock(50, [], families[0])).toEqual([]);
    expect(planClockBlock(50, [{ mhz: 0, degrees: 0 }], families[0])).toEqual([]);
    expect(planClockBlock(Number.NaN, [{ mhz: 1, degrees: 0 }], families[0])).toEqual([]);
  });
});

describe("a clock block in a source", () => {
  const [settings] = planClockBlock(
    12,
    [
      { mhz: 48, degrees: 0 },
      { mhz: 8, degrees: 180 },
    ],
    families[0],
  );
  const nets = { instance: "u_clocks", input: "clk", a: "fast", b: "slow", locked: "ready" };

  it("is inserted as text that both languages take, with its settings", () => {
    const verilog = withinModule(
      "// endmodule is a word\nmodule other; endmodule\nmodule m(input clk, output reg y = 0);\n  always @(posedge fast) y <= ~y;\nendmodule\n",
      "m",
      clockInstanceText(settings, nets, "verilog"),
    )!;
    const { artifact, findings } = elaborate([{ name: "t.v", text: verilog }], { top: "m" });
    expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
    const block = artifact!.netlist.cells.find(({ kind }) => kind === "block")!.block!;
    expect(block.modes).toMatchObject({ type: "clockBlock", multiply: settings.multiply });
    const vhdl = withinArchitecture(
      `library ieee; use ieee.std_logic_1164.all;
entity m is port (clk : in std_logic; y : out std_logic); end entity;
-- architecture old of m is
architecture rtl of m is
  signal q : std_logic := '0';
  function same(v : std_logic) return std_logic is begin return v; end function;
begin
  y <= same(q);
  process (fast) begin if rising_edge(fast) then q <= not q; end if; end process;
end architecture rtl;
-- the end
library ieee; use ieee.std_logic_1164.all;
entity other is end; architecture none of other is begin end;
`,
      "M",
      clockInstanceText(settings, nets, "vhdl"),
    )!;
    // a second one takes the component that is declared
    const more = { instance: "u_more", input: "clk", a: "quick", b: null, locked: "steady" };
    const twice = withinArchitecture(vhdl, "m", clockInstanceText(settings, more, "vhdl"))!;
    expect(twice.match(/component clock_block is/g)).toHaveLength(1);
    const both = elaborate([{ name: "t.vhd", text: twice }], { top: "m" });
    expect(both.findings.filter(({ severity }) => severity === "error")).toEqual([]);
    expect(withinArchitecture(vhdl, "nobody", clockInstanceText(settings, more, "vhdl"))).toBeNull();
    const made = elaborate([{ name: "t.vhd", text: vhdl }], { top: "m" });
    expect(made.findings.filter(({ severity }) => severity === "error")).toEqual([]);
    expect(made.artifact!.netlist.cells.find(({ kind }) => kind === "block")!.block!.modes).toEqual(block.modes);
    expect(withinModule("module a; endmodule", "b", clockInstanceText(settings, nets, "verilog"))).toBeNull();

    // and found again, and changed where it stands
    for (const [source, language] of [
      [verilog, "verilog"],
      [vhdl, "vhdl"],
    ] as const) {
      const [own, ...more] = clockInstances(source, language);
      expect(more).toEqual([]);
      expect([own.name, own.parameters["MULTIPLY"], own.parameters["DIVIDE_B"]]).toEqual([
        "u_clocks",
        settings.multiply,
        settings.outputs[1].divide,
      ]);
      const [other] = planClockBlock(12, [{ mhz: 30, degrees: 90 }], families[0]);
      const next = withClockSettings(source, own, other);
      const after = elaborate([{ name: language === "vhdl" ? "t.vhd" : "t.v", text: next }], { top: "m" });
      expect(after.findings.filter(({ severity }) => severity === "error")).toEqual([]);
      expect(after.artifact!.netlist.cells.find(({ kind }) => kind === "block")!.block!.modes).toMatchObject({
        multiply: other.multiply,
        phase: [2, 0],
      });
      // what stands around it is as it was
      expect(next.startsWith(source.slice(0, own.from))).toBe(true);
      expect(next.endsWith(source.slice(own.to))).toBe(true);
    }
  });

  it("is found without parameters, among comments, and where there are several", () => {
    const text = `module m(input clk); // clock_block #(.MULTIPLY(2)) not_me (
  clock_block u1 (.clock_in(clk));
  /* clock_block no ( */ clock_block #(.MULTIPLY(4), // four
    .DIVIDE_A(N + 1)) u2 (.clock_in(clk));
endmodule`;
    expect(clockInstances(text, "verilog").map(({ name, parameters }) => [name, parameters])).toEqual([
      ["u1", {}],
      ["u2", { MULTIPLY: 4 }],
    ]);
    const [first] = clockInstances(text, "verilog");
    expect(withClockSettings(text, first, settings)).toMatch(/clock_block #\(\.MULTIPLY\(\d+\)[^)]*\)[\s\S]* u1 \(/);
    expect(clockInstances("u : clock_block port map (clock_in => clk);", "vhdl").map(({ name }) => name)).toEqual([
      "u",
    ]);
  });
});
