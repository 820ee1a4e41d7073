import { describe, expect, it } from "vitest";
import { quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { cellKind, ffMode, ffPin, type MappedNetlist } from "../src/netlist/index.ts";
import { defaultProveOptions, prove } from "../src/prove/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { MappedSimulator } from "./helpers/mapped-sim.ts";

function build(text: string, fields: Partial<typeof defaultSynthOptions> = {}) {
  const design = elaborate([{ name: "t.sv", text }]);
  if (!design.artifact) throw new Error(design.findings.map((finding) => finding.message).join("\n"));
  const options = { ...defaultSynthOptions, ...fields };
  const { netlist } = design.artifact;
  const mapped = synthesize(netlist, options, quietContext()).artifact!;
  const check = (built: MappedNetlist) =>
    prove(netlist, built, options, { ...defaultProveOptions, cycles: 128 }, quietContext());
  return { mapped, check };
}
const registers = (netlist: MappedNetlist) =>
  netlist.kind.reduce((sum, kind) => sum + Number(kind === cellKind.flipFlop), 0);

/** The same cycles on two netlists; true if all outputs are equal throughout. */
function runAlike(a: MappedNetlist, b: MappedNetlist, inputs: readonly (readonly [string, number])[]): number {
  const random = new Random(6);
  const [left, right] = [new MappedSimulator(a), new MappedSimulator(b)];
  const outputs = a.ports.filter(({ direction }) => direction === "output").map(({ name }) => name);
  let ones = 0;
  for (let cycle = 0; cycle < 150; cycle++) {
    for (const [name, width] of inputs) {
      const value =
        name === "r" ? BigInt(random.below(12) === 0) : BigInt(random.uint32()) & ((1n << BigInt(width)) - 1n);
      left.set(name, value);
      right.set(name, value);
    }
    left.settle();
    right.settle();
    for (const name of outputs) {
      expect(right.get(name)).toBe(left.get(name));
      if (left.get(name) !== 0n) ones++;
    }
    left.cycle("clk");
    right.cycle("clk");
  }
  return ones;
}

/** Parity of 36 bits, with registers written all at one end. */
const late = (attribute: string, body: string) => `module m(input clk, r, e, input [35:0] a, output reg y);
  ${attribute} reg p, q; wire x = ^a; always @(posedge clk) begin ${body} end endmodule`;

describe("retiming", () => {
  it("moves registers backward into the logic before them", () => {
    const text = (attribute: string) => late(attribute, "p <= x; q <= p; y <= q;");
    const { mapped: free } = build(text(""));
    const { mapped, check } = build(text("(* retime *)"));
    expect([free.levels, mapped.levels]).toEqual([2, 1]);
    expect(runAlike(free, mapped, [["a", 36]])).toBeGreaterThan(30);
    expect(check(mapped)).toMatchObject({ verdict: "equal", open: [] });
    expect(mapped.netName.some((name) => name.includes(":moved"))).toBe(true);
    expect(mapped.inferred).toContainEqual(expect.objectContaining({ kind: "moved register", name: "p" }));
    expect(mapped.fates).toContainEqual({ name: "p", became: "moved through logic" });
  });

  it("moves registers forward through the logic behind them", () => {
    const text = (attribute: string) => `module m(input clk, input [35:0] a, output y, output [35:0] b);
      ${attribute} reg [35:0] p, q; assign y = ^q; assign b = p; always @(posedge clk) begin p <= a; q <= p; end endmodule`;
    const { mapped: free } = build(text(""));
    const { mapped, check } = build(text("(* retime *)"));
    expect([free.levels, mapped.levels]).toEqual([2, 1]);
    expect(runAlike(free, mapped, [["a", 36]])).toBeGreaterThan(30);
    expect(check(mapped)).toMatchObject({ verdict: "equal", open: [] });
  });

  it("keeps starts, enables and resets, of either kind", () => {
    for (const [body, sensitivity] of [
      ["if (r) begin p <= 1; q <= 0; end else begin p <= x; q <= ~p; end y <= q;", ""],
      ["if (e) begin p <= x; q <= p; y <= q; end", ""],
      ["if (r) begin p <= 1; q <= 1; y <= 1; end else if (e) begin p <= x; q <= p; y <= ~q; end", ""],
      ["if (r) begin p <= 1; q <= 1; y <= 0; end else begin p <= x; q <= p; y <= ~q; end", "or posedge r"],
    ] as const) {
      const text = (attribute: string) =>
        late(attribute, body)
          .replace("posedge clk", `posedge clk ${sensitivity}`)
          .replace("reg p, q", "reg p = 1, q = 1");
      const { mapped: free } = build(text(""));
      const { mapped, check } = build(text("(* retime *)"));
      expect(mapped.levels).toBeLessThan(free.levels);
      runAlike(free, mapped, [
        ["a", 36],
        ["r", 1],
        ["e", 1],
      ]);
      expect(check(mapped)).toMatchObject({ verdict: "equal", open: [] });
    }
  });

  it("is proven on random pipelines, and refuted where a moved register is wrong", () => {
    const random = new Random(5);
    let shorter = 0;
    let wrong = 0;
    let refuted = 0;
    for (let round = 0; round < 16; round++) {
      const [before, behind] = [random.below(3), 1 + random.below(3)];
      const words = 3 + random.below(3);
      const names = Array.from({ length: words }, (_, i) => `w${i}`);
      const mix = (list: readonly string[]) =>
        list.map(
          (name, i) =>
            `(${name} ${"&|^"[random.below(3)]} {${list[(i + 1) % list.length]}[0], ${list[(i + 2) % list.length]}[5:1]})`,
        );
      let level: readonly string[] = names;
      const lines: string[] = [];
      for (let stage = 0; stage < 3; stage++) {
        const next = mix(level);
        const fresh = next.map((_, i) => `t${stage}_${i}`);
        next.forEach((expr, i) => {
          lines.push(`wire [5:0] ${fresh[i]} = ${expr};`);
        });
        level = fresh;
      }
      const chain = (from: string, to: string, count: number): string => {
        const regs = Array.from({ length: count }, (_, i) => `${to}_${i}`);
        if (count === 0) return `wire [5:0] ${to} = ${from};`;
        const [inits, all] = [regs.map((reg) => `${reg} = ${random.below(64)}`), [from, ...regs]];
        return `reg [5:0] ${inits.join(", ")}; wire [5:0] ${to} = ${regs[count - 1]}; always @(posedge clk) begin ${regs.map((reg, i) => `${reg} <= ${all[i]};`).join(" ")} end`;
      };
      const text = `module m(input clk, ${names.map((name) => `input [5:0] i_${name}`).join(", ")}, output [5:0] y);
        ${names.map((name) => chain(`i_${name}`, name, before)).join("\n")}
        ${lines.join("\n")}
        ${chain(level.join(" ^ "), "z", behind)}
        assign y = z; endmodule`;
      const { mapped: free } = build(text, { lutInputs: 4 });
      const { mapped, check } = build(text, { lutInputs: 4, retime: true });
      expect(mapped.levels).toBeLessThanOrEqual(free.levels);
      if (mapped.levels < free.levels) shorter++;
      runAlike(
        free,
        mapped,
        names.map((name) => [`i_${name}`, 6] as const),
      );
      const proof = check(mapped);
      expect(proof.open).toEqual([]);
      expect(proof.verdict).toBe("equal");
      for (const [, cell] of mapped.moved.cells.slice(0, 2)) {
        const modes = mapped.modes.slice();
        modes[cell] ^= ffMode.init;
        const inputNet = mapped.inputNet.slice();
        inputNet[mapped.inputStart[cell] + ffPin.d] = mapped.outputNet[cell];
        for (const each of [
          { ...mapped, modes },
          { ...mapped, inputNet },
        ]) {
          wrong++;
          if (check(each).verdict === "different") refuted++;
        }
      }
    }
    expect(shorter).toBeGreaterThan(6);
    expect(wrong).toBeGreaterThan(10);
    // a start value may be one of several that give the same
    expect(refuted).toBeGreaterThan(0.8 * wrong);
  });

  it("leaves first catches of outside values, kept and separate registers where they are", () => {
    const { mapped } = build(late("", "p <= x; q <= p; y <= q;"), { retime: true });
    expect(mapped.levels).toBe(1);
    for (const attribute of ["(* keep *)", "(* separate *)", "(* retime = 0 *)"])
      expect(build(late(attribute, "p <= x; q <= p; y <= q;"), { retime: true }).mapped.moved.records).toEqual([]);
    const caught = `module m(input clk, other, input [35:0] a, output y); reg [35:0] p, q; assign y = ^q;
      always @(posedge other) p <= a; always @(posedge clk) q <= p; endmodule`;
    expect(build(caught, { retime: true }).mapped.moved.records).toEqual([]);
  });

  it("goes no further than the levels that are short enough", () => {
    const text = late("", "p <= x; q <= p; y <= q;").replaceAll("35:0", "250:0");
    const levels = [1, 2, 3].map((goalLevels) => build(text, { retime: true, goalLevels }).mapped.levels);
    expect(levels).toEqual([1, 2, 3]);
    expect(registers(build(text, { retime: true, goalLevels: 4 }).mapped)).toBe(3);
  });
});
