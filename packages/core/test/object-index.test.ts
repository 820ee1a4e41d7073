import { beforeAll, describe, expect, it } from "vitest";
import { ObjectIndex } from "../src/circuit/index.ts";
import type { FlowResult } from "../src/flow/index.ts";
import { cellKind, cellKindNames, type MappedNetlist } from "../src/netlist/index.ts";
import { built } from "./helpers/build.ts";

const text = `module shed(input clk, input [3:0] sel, input go, output reg [3:0] picks, output even, output stuck);
  reg [3:0] last;
  wire same = last == sel;
  wire alias = go;
  wire dead = 1'b1;
  assign even = ~^picks & ~same, stuck = dead;
  always @(posedge clk) begin
    last <= sel;
    if (alias) picks <= picks + 4'd3;
  end
endmodule
`;

describe("the index of a trial's names", () => {
  let result: FlowResult;
  let netlist: MappedNetlist;
  let index: ObjectIndex;
  beforeAll(async () => {
    const timing = "create_clock -name clk -period 10 [get_ports clk]\n";
    result = await built(text, { timingFiles: [{ name: "t.sdc", text: timing }] });
    netlist = (await result.artifact("synth"))!;
    index = new ObjectIndex({
      part: result.part!,
      netlist,
      written: await result.artifact("elaborate"),
      packed: await result.artifact("pack"),
      placed: await result.artifact("place"),
      routed: await result.artifact("route"),
      timing: await result.artifact("timing"),
    });
  });

  it("knows every net with the inputs that it leads to, as counting shows", () => {
    const counted = new Map<string, number>();
    for (let cell = 0; cell < netlist.cellCount; cell++)
      for (let pin = netlist.inputStart[cell]; pin < netlist.inputStart[cell + 1]; pin++) {
        const net = netlist.inputNet[pin];
        if (net >= 0) counted.set(netlist.netName[net], (counted.get(netlist.netName[net]) ?? 0) + 1);
      }
    for (const name of netlist.netName) {
      const facts = index.find(name)!;
      expect(facts.fanout).toBe(counted.get(name) ?? 0);
      expect(facts.became).toBe(cellKindNames[netlist.kind[netlist.netDriver[index.netOf(name)]]]);
    }
  });

  it("lists every net once, as it finds them by name", () => {
    const list = index.list();
    expect(list.map(({ name }) => name)).toEqual(netlist.netName);
    for (const { name, fanout, wires } of list) expect(index.find(name)).toMatchObject({ fanout, wires });
    expect(list.reduce((sum, { wires }) => sum + wires!, 0)).toBeGreaterThan(0);
  });

  it("finds where they are written, by registers, wires and ports", () => {
    const line = (part: string) => text.slice(0, text.indexOf(part)).split("\n").length;
    expect(index.find("last[2]")).toMatchObject({
      became: "flip-flop",
      writtenAt: { file: "t.v", line: line("always") },
    });
    expect(index.find("picks[0]")?.writtenAt?.line).toBe(line("always"));
    expect(index.find("sel[1]")).toMatchObject({ became: "input pad", writtenAt: { line: 1 } });
  });

  it("finds where they sit: on the die, and at a pin for what leads out", async () => {
    const { part } = result;
    const { fabric, pinByName } = part!;
    for (const name of netlist.netName) {
      const { tile, pin, became } = index.find(name)!;
      expect(tile && tile.x >= 0 && tile.x < fabric.width && tile.y >= 0 && tile.y < fabric.height).toBe(true);
      expect(pin !== null).toBe(became === "input pad");
      if (!pin || !tile) continue;
      // the pad that the pin leads to lies on that tile
      const at = fabric.pads[pinByName.get(pin)!.pad].tile;
      expect({ x: fabric.tileX(at), y: fabric.tileY(at) }).toEqual(tile);
    }
    // each element holds one register
    const registers = netlist.netName.filter((name) => index.find(name)!.became === "flip-flop");
    expect(registers.length).toBe(8);
  });

  it("tells the worst listed path through each, and of no other", async () => {
    const timing = (await result.artifact("timing"))!;
    expect(timing.setupPaths.length).toBeGreaterThan(0);
    for (const name of netlist.netName) {
      const { worst } = index.find(name)!;
      const net = netlist.netName.indexOf(name);
      const through = timing.setupPaths.filter(({ steps }) => steps.some((step) => step.net === net));
      expect(worst?.path ?? null).toBe(through[0] ?? null);
      if (worst) expect(Math.min(...through.map(({ slackPs }) => slackPs!))).toBe(worst.path.slackPs);
    }
  });

  it("says what became of names that have no net of their own", () => {
    expect(index.find("alias")).toMatchObject({ carriedBy: "go", became: "input pad" });
    expect(index.find("dead")).toMatchObject({ became: "constant 1", fanout: null, tile: null });
    expect(index.find("even")?.tile ?? null).not.toBeNull();
    expect(index.find("nowhere[7]")).toBeNull();
    for (const { name } of netlist.fates) expect(index.find(name)).not.toBeNull();
  });

  it("tells what each line became, and every cell of the source on one line", () => {
    const lines = text.split("\n").map((_, i) => index.line("t.v", i + 1));
    const found = lines.flatMap(({ counts }) => counts).reduce((sum, [, count]) => sum + count, 0);
    expect(found).toBe(netlist.origin.filter((origin) => origin >= 0).length);
    const registers = lines.flatMap(({ counts }) =>
      counts.filter(([kind]) => kind === cellKindNames[cellKind.flipFlop]),
    );
    expect(registers.map(([, count]) => count)).toEqual([8]);
    const named = ["last", "picks"].flatMap((name) => [0, 1, 2, 3].map((bit) => `${name}[${bit}]`));
    expect(index.line("t.v", 7).nets.slice(0, 8).sort()).toEqual(named);
    expect(index.line("other.v", 8)).toEqual({ counts: [], nets: [] });
  });

  it("says what is known while there is no layout", () => {
    const early = new ObjectIndex({
      part: result.part!,
      netlist,
      written: null,
      packed: null,
      placed: null,
      routed: null,
      timing: null,
    });
    expect(early.find("last[2]")).toMatchObject({
      became: "flip-flop",
      writtenAt: null,
      tile: null,
      wires: null,
      worst: null,
    });
  });
});
