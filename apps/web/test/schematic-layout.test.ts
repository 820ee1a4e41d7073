import {
  builtSchematic,
  defaultSynthOptions,
  elaborate,
  quietContext,
  type Schematic,
  synthesize,
  WrittenCircuit,
} from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { type LaidNode, type LaidSchematic, layoutSchematic, sizeOf, textOf } from "../src/workers/layout-graph.ts";

const text = `module stage(input clk, input [7:0] d, input load, output reg [7:0] q);
  always @(posedge clk) q <= load ? d : {q[6:0], q[7]} + 8'd3;
endmodule
module loom(input clk, input [7:0] a, input [7:0] b, input s, output [7:0] y, output any);
  wire [7:0] p, r;
  stage first(.clk(clk), .d(a & b), .load(s), .q(p));
  stage second(.clk(clk), .d(p ^ a), .load(~s), .q(r));
  assign y = s ? p : r;
  assign any = |(p * 8'd5);
endmodule`;
const { artifact } = elaborate([{ name: "loom.v", text }], { top: "loom" });
const written = new WrittenCircuit(artifact!.netlist, artifact!.hierarchy);

type Box = Pick<LaidNode, "x" | "y" | "width" | "height">;
const overlaps = (a: Box, b: Box, margin = 0) =>
  a.x + margin < b.x + b.width &&
  b.x + margin < a.x + a.width &&
  a.y + margin < b.y + b.height &&
  b.y + margin < a.y + a.height;

const views: readonly (readonly [string, () => Schematic])[] = [
  ["as written", () => written.view({ root: "", expanded: [] })],
  ["with an instance open", () => written.view({ root: "", expanded: ["first"] })],
  ["of an instance", () => written.view({ root: "second", expanded: [] })],
  ["as built", () => builtSchematic(synthesize(artifact!.netlist, defaultSynthOptions, quietContext()).artifact!)],
];

describe.each(views)("the picture of a circuit %s", (_, view) => {
  const schematic = view();
  const drawn = layoutSchematic(schematic);
  const byId = (laid: LaidSchematic) => new Map(laid.nodes.map((each) => [each.node.id, each]));

  it("has every symbol once, inside of the picture, as large as what is in it", async () => {
    const laid = await drawn;
    expect(laid.nodes.map(({ node }) => node.id).sort()).toEqual(schematic.nodes.map(({ id }) => id).sort());
    for (const { node, x, y, width, height } of laid.nodes) {
      expect(x >= 0 && y >= 0 && x + width <= laid.width + 1 && y + height <= laid.height + 1).toBe(true);
      if (node.isExpanded) continue;
      expect({ width, height }).toEqual(sizeOf(node));
    }
  });

  it("puts no symbol onto another, and what an open instance holds into it", async () => {
    const laid = await drawn;
    const nodes = byId(laid);
    for (const a of laid.nodes) {
      for (const b of laid.nodes)
        if (a !== b && a.node.parent === b.node.parent) expect(overlaps(a, b), `${a.node.id} ${b.node.id}`).toBe(false);
      const outer = a.node.parent === null ? null : nodes.get(a.node.parent);
      if (!outer) continue;
      expect(a.x > outer.x && a.y > outer.y).toBe(true);
      expect(a.x + a.width < outer.x + outer.width && a.y + a.height < outer.y + outer.height).toBe(true);
    }
  });

  it("has pins at the sides of their symbols, apart from each other", async () => {
    for (const { node, x, y, width, height, inputs, outputs } of (await drawn).nodes) {
      if (node.isExpanded) continue;
      for (const [pins, side] of [
        [inputs, x],
        [outputs, x + width],
      ] as const) {
        for (const pin of pins) {
          expect(pin.x).toBeCloseTo(side, 3);
          expect(pin.y >= y && pin.y <= y + height).toBe(true);
        }
        const heights = pins.map((pin) => pin.y).sort((a, b) => a - b);
        for (let i = 1; i < heights.length; i++) expect(heights[i] - heights[i - 1]).toBeGreaterThan(4);
      }
    }
  });

  it("has wires at right angles from the pin that drives to the pin that takes, beside the symbols", async () => {
    const laid = await drawn;
    const nodes = byId(laid);
    let count = 0;
    for (const { edge, points } of laid.edges) {
      const from = nodes.get(edge.from.node)!.outputs.find(({ pin }) => pin.id === edge.from.pin)!;
      const to = nodes.get(edge.to.node)!.inputs.find(({ pin }) => pin.id === edge.to.pin)!;
      const near = (x: number, y: number, pin: { x: number; y: number }) =>
        Math.abs(x - pin.x) < 1.5 && Math.abs(y - pin.y) < 1.5;
      expect(near(points[0], points[1], from)).toBe(true);
      expect(near(points[points.length - 2], points[points.length - 1], to)).toBe(true);
      for (let i = 0; i + 3 < points.length; i += 2) {
        const [x0, y0, x1, y1] = points.slice(i, i + 4);
        // across the border of an open instance they may step by half a pixel, which nobody sees
        expect(Math.min(Math.abs(x0 - x1), Math.abs(y0 - y1))).toBeLessThanOrEqual(0.5);
        const box = { x: Math.min(x0, x1), y: Math.min(y0, y1), width: Math.abs(x1 - x0), height: Math.abs(y1 - y0) };
        for (const other of laid.nodes)
          if (!other.node.isExpanded) expect(overlaps(box, other, 1), `${edge.name} over ${other.node.id}`).toBe(false);
        count++;
      }
    }
    expect(laid.edges.length).toBe(schematic.edges.length);
    expect(count).toBeGreaterThan(10);
  });
});

describe("a symbol", () => {
  it("has room for the names of its pins, and for a sign", () => {
    const pin = (label: string, constant: string | null = null) =>
      ({ id: label, label, constant, net: 0 }) as unknown as Schematic["nodes"][number]["inputs"][number];
    const node = (fields: object) =>
      ({ kind: "instance", symbol: "stage", label: "u", inputs: [], outputs: [], ...fields }) as unknown as Parameters<
        typeof sizeOf
      >[0];
    const short = sizeOf(node({ inputs: [pin("d")] }));
    const long = sizeOf(
      node({ inputs: [pin("a_very_long_name_of_an_input")], outputs: [pin("and_of_an_output_too")] }),
    );
    expect(long.width).toBeGreaterThan(short.width);
    expect(sizeOf(node({ inputs: Array.from({ length: 20 }, (_, i) => pin(`d${i}`)) })).height).toBeGreaterThan(300);
    expect(textOf(pin("d", "8'h05"))).toBe("d 8'h05");
    expect(textOf(pin("", "1"))).toBe("1");
  });
});
