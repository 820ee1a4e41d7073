import { describe, expect, it } from "vitest";
import { formatFinding, quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { proveDesign } from "../src/flow/index.ts";
import { cellKind, ffMode } from "../src/netlist/index.ts";
import { asWritten, shapePorts } from "../src/netlist/port-shape.ts";
import { built, designInput, running } from "./helpers/build.ts";

/** Weft sums: more ports than the smallest package has pins. */
const text = `module m(input clk, input go, input [11:0] weft, warp, inout [1:0] link, output [11:0] sum, output reg lamp, output reg late);
  reg [11:0] held = 12'd5; reg other;
  assign link = go ? held[1:0] : 2'bz;
  assign sum = (held ^ warp) + {10'd0, link};
  always @(posedge clk) begin held <= weft + 1; lamp <= ^held; other <= lamp; end
  always @(negedge clk) late <= other;
endmodule`;
const pinsFor = (lines: string) => [{ name: "m.pins", text: lines }];
const bits = (port: string, count: number, rest: string) =>
  Array.from({ length: count }, (_, i) => `${port}[${i}] ${rest}`).join("\n");
const studied = pinsFor(`${bits("weft", 12, "inside")}\n${bits("sum", 12, "inside")}\n${bits("link", 2, "inside")}`);

describe("ports that are kept inside", () => {
  it("make room on a package that is too small for the circuit", async () => {
    const small = { part: "FE-256-P44-1C" };
    await expect(built(text, small)).rejects.toThrow("pins/too-few");
    const result = await built(text, { ...small, pinFiles: studied });
    const ports = (await result.artifact("image"))!.ports.map(({ port }) => port);
    expect(ports.filter((port) => /^(weft|sum|link)/.test(port))).toEqual([]);
    expect(ports.filter((port) => port.startsWith("warp"))).toHaveLength(12);
  });

  it("end in registers of the clock that their logic has, so that their paths are timed", async () => {
    const result = await built(text, {
      pinFiles: studied,
      timingFiles: [{ name: "m.sdc", text: "create_clock -name clk -period 8 [get_ports clk]\n" }],
    });
    const netlist = (await result.artifact("synth"))!;
    const registers = [...netlist.kind.keys()].filter((cell) => netlist.kind[cell] === cellKind.flipFlop);
    const named = (start: string) => registers.filter((cell) => netlist.cellName[cell].startsWith(start));
    expect(named("weft_inside")).toHaveLength(12);
    expect(named("sum_inside")).toHaveLength(12);
    // what comes in, what goes out, and whether it is driven
    expect(named("link_inside").length + named("link_driven_inside").length).toBe(6);
    // held is clocked by the rising edge, and nothing of weft by the other
    for (const cell of named("weft_inside")) expect(netlist.modes[cell] & ffMode.clockFalling).toBe(0);
    const report = (await result.artifact("timing"))!;
    const ends = JSON.stringify(report);
    expect(ends).toContain("sum_inside");
    const written = elaborate(designInput(text).sources).artifact!.netlist;
    const all = shapePorts(written, { inside: ["weft"], initial: [] });
    expect(all.cells.length).toBe(written.cells.length + 1);
    expect(all.ports.map(({ name }) => name)).not.toContain("weft");
  });

  it("leave what the other ports do as if they held still, and are proven", async () => {
    const one = pinsFor(bits("weft", 12, "inside"));
    const { player, result } = await running(text, { pinFiles: one });
    const plain = await running(text);
    plain.player.set({ weft: 0 });
    const random = new Random(11);
    for (let cycle = 0; cycle < 40; cycle++) {
      const inputs = { warp: random.below(4096), go: 1 };
      for (const each of [player, plain.player]) each.set(inputs);
      const seen = [player, plain.player].map((each) => [each.read("sum"), each.read("lamp"), each.read("link")]);
      expect(seen[0]).toEqual(seen[1]);
      player.clock("clk", 1);
      plain.player.clock("clk", 1);
    }
    const artifact = async <S extends Parameters<typeof result.artifact>[0]>(stage: S) =>
      (await result.artifact(stage))!;
    const proof = await proveDesign(
      {
        part: result.part!,
        sources: designInput(text).sources,
        elaborate: await artifact("elaborate"),
        synth: await artifact("synth"),
        layout: {
          rules: await artifact("rules"),
          pack: await artifact("pack"),
          place: await artifact("place"),
          route: await artifact("route"),
          image: await artifact("image"),
        },
      },
      "key",
      { get: async () => null, put: async () => {} },
      quietContext(),
    );
    expect(proof.verdict).toBe("equal");
  });
});

describe("first values of registers at ports", () => {
  const first = async (lines: string) => {
    const { player, result } = await running(text, { pinFiles: pinsFor(lines) });
    const told = result.findings.filter(({ code }) => /initial|no-effect/.test(code)).map(formatFinding);
    return { lamp: player.read("lamp"), late: player.read("late"), told };
  };
  it("are what the pin file says, where the source leaves them open", async () => {
    expect(await first("lamp at N1 LVCMOS33 initial=1")).toMatchObject({ lamp: 1, told: [] });
    expect(await first("lamp at N1 LVCMOS33 initial=0\nlate at N2 initial=1")).toMatchObject({
      lamp: 0,
      late: 1,
      told: [],
    });
  });
  it("are refused against the source, and told where there is no register", async () => {
    const known = text.replace("output reg late", "output reg late = 0");
    await expect(built(known, { pinFiles: pinsFor("late at N1 initial=1") })).rejects.toThrow("pins/initial");
    const { told } = await first("go at N1 initial=1");
    expect(told.join()).toMatch(/pins\/no-effect.*no register lies at the port/);
  });
  it("change nothing else", () => {
    const written = elaborate(designInput(text).sources).artifact!.netlist;
    expect(shapePorts(written, asWritten)).toBe(written);
    const shaped = shapePorts(written, { inside: [], initial: [["lamp", "1"]] });
    expect({ ...shaped, cells: 0 }).toEqual({ ...written, cells: 0 });
    const changed = shaped.cells.filter((cell, i) => cell !== written.cells[i]);
    expect(changed.map(({ kind, modes }) => [kind, modes!.init])).toEqual([["ff", "1"]]);
    // what the source says stays
    expect(shapePorts(shaped, { inside: [], initial: [["lamp", "0"]] }).cells).toEqual(shaped.cells);
  });
});
