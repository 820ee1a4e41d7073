import { describe, expect, it } from "vitest";
import { quietContext, Random } from "../src/common/index.ts";
import type { MultiplierModes } from "../src/device/blocks/multiplier.ts";
import type { CornerName } from "../src/device/family.ts";
import { layoutFaults } from "../src/layout/index.ts";
import { ffPin } from "../src/netlist/index.ts";
import { proveReadback } from "../src/prove/index.ts";
import { built, layoutOf, memoryOf } from "./helpers/build.ts";
import { fuzzRuns, fuzzSeed, longTest } from "./helpers/damage.ts";
import { listPaths } from "./helpers/path-list.ts";

const periodNs = 9;

/** A clocked module of a few registers with one operation between each two ranks, blocks among them. */
function randomDesign(random: Random): string {
  const lines: string[] = [];
  const words: { name: string; width: number }[] = [
    { name: "a", width: 8 },
    { name: "b", width: 12 },
  ];
  const pick = <T>(list: readonly T[]) => list[random.below(list.length)];
  const registers = 3 + random.below(6);
  for (let i = 0; i < registers; i++) {
    const [x, y, z] = [pick(words), pick(words), pick(words)];
    const kind = pick(["logic", "sum", "product", "product", "pipelined", "mixed", "memory", "choice"]);
    const width = kind === "product" || kind === "pipelined" || kind === "mixed" ? 20 : 4 + random.below(12);
    const name = `r${i}`;
    const control = pick(["", "if (en) ", "if (rst) NAME <= 0; else ", "if (rst) NAME <= 0; else if (en) "]).replace(
      "NAME",
      name,
    );
    const at = (value: string) => `always @(posedge clk) ${control}${name} <= ${value};`;
    lines.push(`  reg [${width - 1}:0] ${name};`);
    switch (kind) {
      case "logic":
        lines.push(`  ${at(`(${x.name} ^ ${y.name}) & ~${z.name}`)}`);
        break;
      case "sum":
        lines.push(`  ${at(`${x.name} ${pick(["+", "-"])} ${y.name}`)}`);
        break;
      case "choice":
        lines.push(`  ${at(`${x.name}[0] ? ${y.name} + 3 : ${z.name} < ${y.name}`)}`);
        break;
      case "memory":
        lines.push(`  (* memory_as = "blocks" *) reg [7:0] store${i} [0:63]; reg [7:0] read${i};`);
        lines.push(
          `  always @(posedge clk) begin if (${x.name}[1]) store${i}[${y.name}[3:0]] <= ${z.name}; read${i} <= store${i}[${x.name}[3:0]]; end`,
        );
        lines.push(`  ${at(`read${i} ^ ${y.name}`)}`);
        break;
      case "product":
        lines.push(`  ${at(`${x.name} * ${y.name}`)}`);
        break;
      case "pipelined":
        // plain registers, which a block may take in
        lines.push(`  reg [9:0] p${i}, q${i}; reg [19:0] s${i};`);
        lines.push(`  always @(posedge clk) begin p${i} <= ${x.name}; q${i} <= ${y.name}; s${i} <= p${i} * q${i}; end`);
        lines.push(`  ${at(pick([`s${i}`, `s${i} + ${z.name}`, `${name} + s${i}`]))}`);
        break;
      default:
        // a sum behind a product with registers before it: the addend goes straight through the block
        lines.push(`  reg [9:0] p${i}, q${i}; wire [19:0] t${i} = p${i} * q${i} + ${z.name};`);
        lines.push(`  always @(posedge clk) begin p${i} <= ${x.name}; q${i} <= ${y.name}; end`);
        lines.push(`  ${at(`t${i} ^ {t${i}[9:0], t${i}[19:10]}`)}`);
    }
    words.push({ name, width });
  }
  const outputs = words.slice(2);
  const y = outputs.map(({ name }) => name).join(" ^ ");
  return `module m(input clk, input rst, input en, input [7:0] a, input [11:0] b, output reg [19:0] y);\n${lines.join("\n")}\n  always @(posedge clk) y <= ${y};\nendmodule\n`;
}

describe("random circuits, placed and routed", () => {
  it(
    "lie where they may, are connected by what there is, and have the slack that listing every path gives",
    longTest,
    async () => {
      const random = new Random(fuzzSeed);
      const inside = new Set<string>();
      const types = new Set<string>();
      let listedDesigns = 0;
      for (let i = 0; i < fuzzRuns(8); i++) {
        const text = randomDesign(random);
        const part = ["TW-9-P208-2C", "CA-6-P144-1C", "TW-9-P208-3I"][i % 3];
        const sdc = [{ name: "t.sdc", text: `create_clock -name clk -period ${periodNs} [get_ports clk]\n` }];
        const result = await built(text, { part, timingFiles: sdc, seed: i });
        const layout = await layoutOf(result);
        expect(layoutFaults(layout), text).toEqual([]);
        for (const { modes } of layout.netlist.blocks) {
          types.add(modes.type);
          if (modes.type !== "multiplier") continue;
          const { inputRegister, productRegister, outputRegister } = modes as MultiplierModes;
          inside.add([inputRegister, productRegister, outputRegister].map(Number).join(""));
        }
        const report = (await result.artifact("timing"))!;
        for (const corner of ["slow-hot", "slow-cold", "fast-cold"] as const satisfies readonly CornerName[]) {
          const listed = listPaths(layout, 1000 * periodNs, corner);
          if (!listed) break;
          if (corner === "slow-hot") listedDesigns++;
          const worst = (kind: string) =>
            report.checks.find((each) => each.corner === corner && each.kind === kind)!.worstSlackPs!;
          expect(worst("setup"), `${text}\n${corner}`).toBeCloseTo(listed.setup, 0);
          expect(worst("hold"), `${text}\n${corner}`).toBeCloseTo(listed.hold, 0);
        }
        expect(proveReadback(layout, await memoryOf(result), quietContext()).verdict).toBe("equal");
      }
      // products that no block is left for have more paths than anybody lists
      expect(listedDesigns).toBeGreaterThan(fuzzRuns(8) / 2);
      expect(types).toEqual(new Set(["memory", "multiplier"]));
      expect(inside.size).toBeGreaterThan(3);
    },
  );
});

describe("the checker of layouts", () => {
  it("sees each kind of fault", async () => {
    const layout = await layoutOf(await built(randomDesign(new Random(5)), { part: "TW-9-P208-2C" }));
    expect(layoutFaults(layout)).toEqual([]);
    const { placed, packed, routed } = layout;
    const changed = <T extends ArrayLike<number> & { slice(): T }>(list: T, at: number, value: number): T => {
      const copy = list.slice();
      (copy as unknown as number[])[at] = value;
      return copy;
    };
    const moved = (element: number, site: number) => ({
      ...layout,
      placed: { ...placed, elementSite: changed(placed.elementSite, element, site) },
    });
    expect(layoutFaults(moved(0, placed.elementSite[1])).join()).toMatch(/are both at x\d+y\d+, place \d/);
    expect(layoutFaults(moved(0, 8)).join()).toMatch(/kind io/);
    expect(layoutFaults(moved(0, -1)).join()).toMatch(/lies nowhere/);
    // two links of a chain change places
    const [low, high] = [...packed.elementSum.keys()].filter((e) => packed.elementSum[e] >= 0);
    const lower = changed(placed.elementSite, low, placed.elementSite[high]);
    const swapped = { ...placed, elementSite: changed(lower, high, placed.elementSite[low]) };
    expect(layoutFaults({ ...layout, placed: swapped }).join()).toMatch(/carry link to '.*' is broken/);
    const tileOf = (e: number) => Math.floor(placed.elementSite[e] / layout.part.family.elementsPerTile);
    const registers = [...packed.elementFf.keys()].filter((e) => packed.elementFf[e] >= 0);
    const beside = registers.find((e) => registers.some((other) => other !== e && tileOf(other) === tileOf(e)))!;
    const clockPin = layout.netlist.inputStart[packed.elementFf[beside]] + ffPin.clock;
    const clocked = { ...layout.netlist, inputNet: changed(layout.netlist.inputNet, clockPin, 1) };
    expect(layoutFaults({ ...layout, netlist: clocked }).join()).toMatch(/does not agree with the clock of/);
    const joined = packed.elementFf.findIndex((ff, e) => ff >= 0 && packed.elementJoined[e] === 0);
    const claimed = { ...packed, elementJoined: changed(packed.elementJoined, joined, 1) };
    expect(layoutFaults({ ...layout, packed: claimed }).join()).toMatch(/that is not what it reads/);
    const at = routed.treeNode.findIndex((_, i) => routed.treeParent[i] >= 0);
    const far = routed.treeNode[routed.treeNode.length - 1];
    const jump = { ...layout, routed: { ...routed, treeNode: changed(routed.treeNode, at, far) } };
    expect(layoutFaults(jump).join()).toMatch(/no edge/);
    const reached = routed.pinNode.findIndex((node) => node >= 0);
    const open = { ...layout, routed: { ...routed, pinNode: changed(routed.pinNode, reached, 3) } };
    expect(layoutFaults(open).join()).toMatch(/is reached/);
    const missing = { ...layout, routed: { ...routed, pinNode: changed(routed.pinNode, reached, -1) } };
    expect(layoutFaults(missing).join()).toMatch(/is not reached/);
    const root = { ...layout, routed: { ...routed, treeNode: changed(routed.treeNode, at - 1, far) } };
    expect(layoutFaults(root).join()).toMatch(/not at its driver's/);
  });
});
