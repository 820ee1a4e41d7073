import { describe, expect, it } from "vitest";
import { formatFinding, quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { MappedSimulator } from "./helpers/mapped-sim.ts";
import { linesOf } from "./helpers/simulation.ts";

function build(text: string, name = "t.v") {
  const design = elaborate([{ name, text }]);
  const { artifact, findings } = design;
  if (!artifact) throw new Error(findings.map(formatFinding).join("\n"));
  const mapped = synthesize(artifact.netlist, defaultSynthOptions, quietContext()).artifact!;
  const proof = prove(
    artifact.netlist,
    mapped,
    defaultSynthOptions,
    { ...defaultProveOptions, cycles: 64 },
    quietContext(),
  );
  expect(proof.verdict).toBe("equal");
  return { sim: new MappedSimulator(mapped), codes: findings.map(({ code }) => code), findings };
}

/** Drives each source in turn, and in between nobody; compares with the event-driven simulation wherever it knows. */
function sameAsSimulated(text: string, sources: number, name = "t.v"): number {
  const { sim, codes } = build(text, name);
  expect(codes).toContain("circuit/tristate");
  const random = new Random(8);
  const steps = Array.from({ length: 24 }, (_, i) => ({
    e: i % (sources + 1) === sources ? 0 : 1 << (i % (sources + 1)),
    d: Array.from({ length: sources }, () => random.below(16)),
  }));
  const names = Array.from({ length: sources }, (_, i) => `d${i}`);
  const bench = `module tb; reg [${sources - 1}:0] e; ${names.map((each) => `reg [3:0] ${each};`).join(" ")} wire [3:0] y;
    m dut(.e(e), ${names.map((each) => `.${each}(${each})`).join(", ")}, .y(y));
    initial begin ${steps.map(({ e, d }) => `e = ${e}; ${d.map((v, i) => `d${i} = ${v};`).join(" ")} #1 $display("%b", y);`).join("\n")} end endmodule`;
  const lines = linesOf(
    name.endsWith("vhd")
      ? [
          { name, text },
          { name: "tb.v", text: bench },
        ]
      : `${text}\n${bench}`,
    { top: "tb" },
    name,
  );
  expect(lines.length).toBe(steps.length);
  let compared = 0;
  steps.forEach(({ e, d }, i) => {
    sim.set("e", BigInt(e));
    d.forEach((value, k) => {
      sim.set(`d${k}`, BigInt(value));
    });
    sim.settle();
    const got = sim.get("y");
    [...lines[i]].reverse().forEach((bit, k) => {
      if (bit !== "0" && bit !== "1") return;
      expect((got >> BigInt(k)) & 1n).toBe(BigInt(bit));
      compared++;
    });
  });
  return compared;
}

const ports = "input [2:0] e, input [3:0] d0, d1, d2, output [3:0] y";
const vhdlHead = `library ieee; use ieee.std_logic_1164.all;
entity m is port (e : in std_logic_vector(2 downto 0); d0, d1, d2 : in std_logic_vector(3 downto 0); y : out std_logic_vector(3 downto 0)); end entity;`;

describe("nets that several sources take turns on", () => {
  it("become a multiplexer from continuous assignments", () => {
    const text = `module m(${ports}); wire [3:0] bus; assign y = bus;
      assign bus = e[0] ? d0 : 4'bz; assign bus = e[1] ? d1 : 4'bzzzz; assign bus = ~e[2] ? 4'bz : d2; endmodule`;
    expect(sameAsSimulated(text, 3)).toBeGreaterThan(60);
  });

  it("from always blocks, with parts of words, and through nested choices", () => {
    const text = `module m(${ports}); reg [3:0] a, b; wire [3:0] bus; assign y = bus; assign bus = a; assign bus[3:2] = e[2] ? d2[3:2] : 2'bz;
      assign bus[1:0] = e[2] ? d2[1:0] : 2'bz; assign bus = b;
      always @* if (e[0]) a = d0; else a = 4'bz;
      always @* begin b = 4'bz; if (e[1]) b = d1; end endmodule`;
    expect(sameAsSimulated(text, 3)).toBeGreaterThan(60);
    const direct = `module m(${ports}); tri [3:0] bus; assign y = bus;
      assign bus[3:2] = e[2] ? d2[3:2] : 2'bz; assign bus[1:0] = e[2] ? d2[1:0] : 2'bz;
      assign bus = e[0] ? d0 : e[1] ? d1 : 4'bz; endmodule`;
    expect(sameAsSimulated(direct, 3)).toBeGreaterThan(60);
  });

  it("across modules, through outputs and ports of both directions", () => {
    const text = (direction: string) => `
      module source(input on, input [3:0] d, ${direction} [3:0] q); assign q = on ? d : 4'bz; endmodule
      module pair(input a, b, input [3:0] p, q, ${direction} [3:0] r); source u1(a, p, r); source u2(b, q, r); endmodule
      module m(${ports}); wire [3:0] bus; pair u1(e[0], e[1], d0, d1, bus); source u2(e[2], d2, bus); assign y = bus; endmodule`;
    expect(sameAsSimulated(text("output"), 3)).toBeGreaterThan(60);
    expect(sameAsSimulated(text("inout"), 3)).toBeGreaterThan(60);
  });

  it("with a pull that counts when nobody drives", () => {
    const body =
      "assign y = bus; assign bus = e[0] ? d0 : 4'bz; assign bus = e[1] ? d1 : 4'bz; assign bus = e[2] ? d2 : 4'bz;";
    expect(sameAsSimulated(`module m(${ports}); tri1 [3:0] bus; ${body} endmodule`, 3)).toBe(96);
    expect(sameAsSimulated(`module m(${ports}); tri0 [3:0] bus; ${body} endmodule`, 3)).toBe(96);
    expect(
      sameAsSimulated(`module m(${ports}); wire [3:0] bus; assign (pull0, pull1) bus = 4'b1010; ${body} endmodule`, 3),
    ).toBe(96);
  });

  it("from VHDL: conditional assignments and processes", () => {
    const text = `${vhdlHead}
      architecture rtl of m is signal data : std_logic_vector(3 downto 0); begin
        data <= d0 when e(0) = '1' else (others => 'Z');
        data <= d1 when e(1) = '1' else "ZZZZ";
        process (e, d2) begin if e(2) = '1' then data <= d2; else data <= (others => 'Z'); end if; end process;
        y <= data; end architecture;`;
    expect(sameAsSimulated(text, 3, "t.vhd")).toBeGreaterThan(60);
  });

  it("are refused beside a driver that never lets go", () => {
    const { artifact, findings } = elaborate([
      {
        name: "t.v",
        text: "module m(input e, d, c, output y);\n  assign y = e ? d : 1'bz;\n  assign y = c;\nendmodule\n",
      },
    ]);
    expect(artifact).toBeNull();
    expect(findings.map(({ code }) => code)).toContain("verilog/several-drivers");
  });

  it("are still told where there is but one source inside", () => {
    const { codes } = build(
      "module m(input e, d, c, output y);\n  wire n = e ? d : 1'bz;\n  assign y = n & c;\nendmodule\n",
    );
    expect(codes).toContain("verilog/tristate");
  });
});
