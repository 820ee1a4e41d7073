import {
  type DesignInput,
  findPart,
  MemoryStore,
  type PackedDesign,
  type PlacedDesign,
  type RoutedDesign,
  runFlow,
} from "@gate-clock/core";
import { beforeAll, describe, expect, it } from "vitest";
import { buildDieMap, cellAt, type DieMap, drawDieMap } from "../src/stations/layout/die-map.ts";
import { recordingCanvas } from "./canvas.ts";

const text = `module picks(input clk, input [3:0] a, input [3:0] b, output reg [7:0] q, output carry);
  reg [7:0] sum;
  always @(posedge clk) begin sum <= sum + {a, b}; q <= {q[6:0], q[7]} ^ sum; end
  assign carry = ^sum & a[0];
endmodule`;
const input: DesignInput = {
  name: "picks",
  top: null,
  part: "TW-2-P144-2C",
  sources: [{ name: "picks.v", text }],
  pinFiles: [],
  timingFiles: [],
  recipe: "swift",
  seed: 3,
};

let map: DieMap;
let packed: PackedDesign;
let placed: PlacedDesign;
let routed: RoutedDesign;
beforeAll(async () => {
  const result = await runFlow(input, new MemoryStore());
  packed = (await result.artifact("pack"))!;
  placed = (await result.artifact("place"))!;
  routed = (await result.artifact("route"))!;
  map = buildDieMap(findPart(input.part).part!, (await result.artifact("synth"))!, packed, placed, routed);
}, 60_000);

const near = (a: number, b: number) => Math.abs(a - b) < 1e-3;
/** A point on a segment, which runs along an axis or slanted. */
function isOn([x0, y0, x1, y1]: readonly number[], x: number, y: number): boolean {
  const [dx, dy] = [x1 - x0, y1 - y0];
  const length = dx * dx + dy * dy;
  const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - x0) * dx + (y - y0) * dy) / length));
  return near(x0 + t * dx, x) && near(y0 + t * dy, y);
}
const segmentsOf = (net: number) =>
  Array.from(map.segmentNet, (each, i) => (each === net ? [...map.segments.subarray(4 * i, 4 * i + 4)] : null)).filter(
    (each) => each !== null,
  );

describe("the die map", () => {
  it("has every used LUT, flip-flop and pad once, within its tile", () => {
    const cells = map.elements.flatMap(({ lut, ff }) => [lut, ff]).filter((cell) => cell >= 0);
    expect(new Set(cells).size).toBe(cells.length);
    expect(cells.length).toBeGreaterThan(16);
    expect(map.pads.map(({ name }) => name).sort()).toEqual(
      [
        "carry",
        "clk",
        ...[0, 1, 2, 3].flatMap((i) => [`a[${i}]`, `b[${i}]`]),
        ...[0, 1, 2, 3, 4, 5, 6, 7].map((i) => `q[${i}]`),
      ].sort(),
    );
    const places = map.elements.map(({ x, y }) => `${x} ${y}`);
    expect(new Set(places).size).toBe(places.length);
    for (const { x, y } of map.elements) {
      const tile = Array.from({ length: map.fabric.tileCount }, (_, i) => i).find(
        (each) => map.fabric.tileX(each) === Math.floor(x) && map.fabric.tileY(each) === Math.floor(y),
      );
      expect(map.fabric.tileKind(tile!)).toBe("logic");
    }
  });

  it("shows each net as one piece that reaches what drives it and all that it goes to", () => {
    for (let net = 0; net < map.netlist.netCount; net++) {
      const segments = segmentsOf(net);
      if (routed.netStart[net + 1] - routed.netStart[net] < 2) continue;
      expect(segments.length, map.netlist.netName[net]).toBeGreaterThan(0);
      // joined where the end of one lies on another
      const leader = segments.map((_, i) => i);
      const find = (i: number): number => (leader[i] === i ? i : find(leader[i]));
      segments.forEach((a, i) => {
        segments.forEach((b, k) => {
          if (k > i && (isOn(a, b[0], b[1]) || isOn(a, b[2], b[3]) || isOn(b, a[0], a[1]) || isOn(b, a[2], a[3])))
            leader[find(i)] = find(k);
        });
      });
      expect(new Set(segments.map((_, i) => find(i))).size, map.netlist.netName[net]).toBe(1);
    }
  });

  it("tells which cell is at a point: the LUT on the left, the flip-flop on the right, nothing between tiles", () => {
    for (const { x, y, lut, ff } of map.elements) {
      if (lut >= 0) expect(cellAt(map, x - 0.05, y)).toBe(lut);
      if (ff >= 0) expect(cellAt(map, x + 0.05, y)).toBe(ff);
    }
    for (const { x, y, cell } of map.pads) expect(cellAt(map, x, y)).toBe(cell);
    expect(cellAt(map, -3, -3)).toBe(-1);
  });

  it("is drawn within the picture, what is in focus last and over all else", () => {
    const colours = Object.fromEntries(
      ["cloth", "panel", "raised", "line", "ink", "soft", "indigo", "lamp", "threadB", "threadC", "threadD"].map(
        (name) => [name, name],
      ),
    ) as unknown as Parameters<typeof drawDieMap>[6];
    const view = { x: map.fabric.width / 2, y: map.fabric.height / 2, scale: 600 / map.fabric.height };
    const clock = map.netlist.netName.indexOf("clk");
    const plain = recordingCanvas();
    drawDieMap(plain.ctx, map, view, 800, 600, new Set(), colours);
    const focused = recordingCanvas();
    drawDieMap(focused.ctx, map, view, 800, 600, new Set([clock]), colours);
    const count = (marks: typeof plain.marks, colour: string) =>
      marks.filter((mark) => mark.kind === "line" && mark.colour === colour).length;
    const own = segmentsOf(clock).length;
    expect(own).toBeGreaterThan(3);
    expect(count(plain.marks, "lamp")).toBe(0);
    expect(count(focused.marks, "lamp")).toBe(own);
    expect(count(focused.marks, "threadC")).toBe(count(plain.marks, "threadC") - own);
    const last = focused.marks[focused.marks.length - 1];
    expect([last.kind, last.colour]).toEqual(["line", "lamp"]);
    for (const mark of focused.marks)
      if (mark.kind === "fill") {
        const [x, y, width, height] = mark.box;
        expect(x + width > 0 && y + height > 0 && x < 800 && y < 600).toBe(true);
      }
    // a far corner: nothing but the cloth and what lies there
    const corner = recordingCanvas();
    drawDieMap(corner.ctx, map, { x: -500, y: -500, scale: 40 }, 800, 600, new Set(), colours);
    expect(corner.marks.filter((mark) => mark.kind === "fill")).toHaveLength(1);
  });

  it("is there before the wires are", () => {
    const bare = buildDieMap(map.part, map.netlist, packed, placed, null);
    expect(bare.segmentNet).toHaveLength(0);
    expect(bare.elements).toEqual(map.elements);
  });
});
