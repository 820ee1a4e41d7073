import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { mapped, running } from "./helpers/build.ts";
import { MappedSimulator } from "./helpers/mapped-sim.ts";
import { assignedValue, type Node, randomExpr, randomValue, type Variable } from "./helpers/random-verilog.ts";

function randomVariables(random: Random): Variable[] {
  return Array.from({ length: 4 }, (_, i) => ({
    name: `v${i}`,
    width: 1 + random.below(9),
    signed: random.float() < 0.4,
  }));
}
const declare = (variables: readonly Variable[]) =>
  variables.map((v) => `  input ${v.signed ? "signed " : ""}[${v.width - 1}:0] ${v.name}`).join(",\n");

describe("random expressions", () => {
  it("have the value that the standard's sizing rules give, after mapping", () => {
    const random = new Random(2026);
    let compared = 0;
    for (let round = 0; round < 40; round++) {
      const variables = randomVariables(random);
      const outputs = Array.from({ length: 10 }, (_, i) => ({
        name: `y${i}`,
        width: 1 + random.below(24),
        expr: randomExpr(random, variables, 4),
      }));
      const text = `module m(\n${declare(variables)},\n${outputs.map((o) => `  output [${o.width - 1}:0] ${o.name}`).join(",\n")}\n);\n${outputs.map((o) => `  assign ${o.name} = ${o.expr.text};`).join("\n")}\nendmodule\n`;
      const sim = new MappedSimulator(mapped(text));
      for (let vector = 0; vector < 30; vector++) {
        const env = new Map(variables.map((v) => [v.name, randomValue(random, v.width)]));
        for (const [name, value] of env) sim.set(name, value);
        sim.settle();
        for (const output of outputs) {
          const expected = assignedValue(output.expr, output.width, env);
          if (expected === null) continue;
          compared++;
          if (sim.get(output.name) !== expected) {
            expect.fail(
              `${output.expr.text} to ${output.width} bits with ${[...env].map(([n, v]) => `${n}=${v}`).join(" ")}: got ${sim.get(output.name)}, want ${expected}\n${text}`,
            );
          }
        }
      }
    }
    expect(compared).toBeGreaterThan(8000);
  });
});

interface Register {
  readonly name: string;
  readonly width: number;
  readonly init: bigint;
  readonly style: number;
  readonly next: Node;
  readonly enable: Node;
  readonly resetValue: bigint;
}

describe("random clocked modules", () => {
  it("run on the simulated part from their bitstream as they are written", async () => {
    const random = new Random(77);
    let compared = 0;
    for (let round = 0; round < 14; round++) {
      const inputs = randomVariables(random).slice(0, 3);
      const reset: Variable = { name: "rst", width: 1, signed: false };
      const registers: Register[] = [];
      const names = Array.from({ length: 4 }, (_, i) => ({ name: `r${i}`, width: 1 + random.below(8), signed: false }));
      for (const r of names) {
        registers.push({
          ...r,
          init: randomValue(random, r.width),
          resetValue: randomValue(random, r.width),
          style: random.below(5),
          next: randomExpr(random, [...inputs, ...names], 3),
          enable: randomExpr(random, [...inputs, ...names], 2),
        });
      }
      const text = [
        "module m(",
        "  input clk, rst,",
        `${declare(inputs)},`,
        registers.map((r) => `  output reg [${r.width - 1}:0] ${r.name}`).join(",\n"),
        ");",
        ...registers.map((r) => `  initial ${r.name} = ${r.width}'d${r.init};`),
        ...registers.map((r) => {
          const load = `${r.name} <= ${r.next.text};`;
          const value = `${r.name} <= ${r.width}'d${r.resetValue};`;
          switch (r.style) {
            case 0:
              return `  always @(posedge clk) ${load}`;
            case 1:
              return `  always @(posedge clk) if (${r.enable.text}) ${load}`;
            case 2:
              return `  always @(posedge clk) if (rst) ${value} else if (${r.enable.text}) ${load}`;
            case 3:
              return `  always @(posedge clk or posedge rst) if (rst) ${value} else ${load}`;
            default:
              return `  always @(posedge clk) begin\n    case (${r.enable.text})\n      0: ${load}\n      1: ${r.name} <= ~${r.name};\n      2: ${r.name}[0] <= 1'b1;\n      default: ;\n    endcase\n    if (rst) ${value}\n  end`;
          }
        }),
        "endmodule",
        "",
      ].join("\n");
      const { player } = await running(text);
      const state = new Map(registers.map((r) => [r.name, r.init]));
      for (let step = 0; step < 120; step++) {
        const env = new Map<string, bigint>([
          ...inputs.map((v): [string, bigint] => [v.name, randomValue(random, v.width)]),
          [reset.name, random.float() < 0.1 ? 1n : 0n],
        ]);
        player.set(Object.fromEntries([...env].map(([n, v]) => [n, v.toString()])));
        const isReset = env.get("rst") === 1n;
        if (isReset) for (const r of registers) if (r.style === 3) state.set(r.name, r.resetValue);
        const all = new Map([...env, ...state]);
        const next = new Map<string, bigint>();
        let unknown = false;
        for (const r of registers) {
          const d = assignedValue(r.next, r.width, all);
          const e = r.enable.value(all, r.enable.width, r.enable.signed);
          const enable = e === null ? null : e !== 0n;
          if (d === null || e === null) {
            unknown = true;
            continue;
          }
          const old = state.get(r.name)!;
          const ones = (1n << BigInt(r.width)) - 1n;
          // case sizes: labels are 32-bit signed numbers, so the subject is compared by value at 32 bits or more
          const wide = Math.max(32, r.enable.width);
          const subject = r.enable.value(all, wide, r.enable.signed);
          let q = old;
          if (r.style === 0) q = d;
          else if (r.style === 1) q = enable ? d : old;
          else if (r.style === 2) q = isReset ? r.resetValue : enable ? d : old;
          else if (r.style === 3) q = isReset ? r.resetValue : d;
          else {
            if (subject === 0n) q = d;
            else if (subject === 1n) q = ~old & ones;
            else if (subject === 2n) q = old | 1n;
            if (isReset) q = r.resetValue;
          }
          next.set(r.name, q);
        }
        if (unknown) break; // a division by zero: from here on the source says x
        player.clock("clk", 1);
        for (const r of registers) {
          state.set(r.name, next.get(r.name)!);
          compared++;
          if (BigInt(player.read(r.name)) !== next.get(r.name))
            expect.fail(
              `round ${round}, step ${step}, ${r.name}: got ${player.read(r.name)}, want ${next.get(r.name)}\n${text}`,
            );
        }
      }
    }
    expect(compared).toBeGreaterThan(2000);
  });
});
