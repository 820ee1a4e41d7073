import { describe, expect, it } from "vitest";
import { type PinNeed, parsePins, planPins, portCircuit } from "../src/constraints/index.ts";
import { portLinks } from "../src/constraints/port-links.ts";
import { findBoard, findPart, listParts, type Part } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";

/** Four looms side by side that know nothing of each other but their clock and their reset. */
const looms = 4;
const ports = Array.from({ length: looms }, (_, i) => `input [3:0] warp_${i}, output reg [3:0] cloth_${i}`);
const bodies = Array.from(
  { length: looms },
  (_, i) => `reg [3:0] held_${i};
  always @(posedge clk) begin held_${i} <= reset ? 0 : warp_${i}; cloth_${i} <= held_${i} ^ (held_${i} << 1); end`,
);
const text = `module m(input clk, input reset, ${ports.join(", ")});\n${bodies.join("\n")}\nendmodule`;
const { netlist } = elaborate([{ name: "t.v", text }]).artifact!;
const { needs, links } = portCircuit(netlist);

/** Distance between the middles of two ports, in tiles. */
function apart(plan: ReadonlyMap<string, string>, part: Part, a: string, b: string): number {
  const middle = (port: string) => {
    const points = [0, 1, 2, 3].map((i) => {
      const { tile } = part.fabric.pads[part.pinByName.get(plan.get(`${port}[${i}]`)!)!.pad];
      return [part.fabric.tileX(tile), part.fabric.tileY(tile)];
    });
    return [0, 1].map((k) => points.reduce((sum, point) => sum + point[k], 0) / points.length);
  };
  const [[ax, ay], [bx, by]] = [middle(a), middle(b)];
  return Math.hypot(ax - bx, ay - by);
}
const plan = (
  part: Part,
  pinText = "",
  own: readonly PinNeed[] = needs,
  board: Parameters<typeof planPins>[3] = null,
) => {
  const { artifact, findings } = planPins(parsePins([{ name: "m.pins", text: pinText }]).pins, own, part, board, links);
  return { pins: new Map((artifact?.pins ?? []).map(({ port, pin }) => [port, pin])), findings, artifact };
};

describe("links between ports", () => {
  it("are there where logic ties them, through few registers, and nowhere else", () => {
    const linked = links.map(({ ports }) => ports.join(" "));
    for (let i = 0; i < looms; i++) {
      expect(linked).toContain(`cloth_${i} warp_${i}`);
      for (let k = 0; k < looms; k++) if (k !== i) expect(linked).not.toContain(`cloth_${k} warp_${i}`);
    }
    // a clock ties nothing
    expect(linked.some((each) => /\bclk\b/.test(each))).toBe(false);
    const wire = elaborate([
      { name: "t.v", text: "module m(input a, b, output y, z); assign y = ~a; assign z = b; endmodule" },
    ]);
    expect(portLinks(wire.artifact!.netlist).map((each) => each.ports)).toEqual([["a", "y"]]);
  });
});

describe("ports that get pins by themselves", () => {
  it("lie near what they talk to, on every part that has room", () => {
    for (const name of listParts().filter((each) => each.endsWith("-1C"))) {
      const part = findPart(name).part!;
      const signals = part.pins.filter((pin) => !pin.isClock && !pin.special && !pin.isReference);
      if (signals.length < 60) continue;
      // inputs by hand, one loom on each side; outputs by themselves
      const side = (s: number) => signals.filter(({ pad }) => part.fabric.pads[pad].side === s);
      const lines = Array.from({ length: looms }, (_, i) =>
        [0, 1, 2, 3].map((bit) => `warp_${i}[${bit}] at ${side(i)[bit + 3].name}`),
      ).flat();
      const { pins } = plan(part, lines.join("\n"));
      for (let i = 0; i < looms; i++) {
        const own = apart(pins, part, `cloth_${i}`, `warp_${i}`);
        for (let k = 0; k < looms; k++)
          if (k !== i) expect(own, `${name}: ${i} and ${k}`).toBeLessThan(apart(pins, part, `cloth_${i}`, `warp_${k}`));
      }
    }
  });

  it("keep the bits of a port together, in their order, where nothing is placed yet", () => {
    const part = findPart("TW-2-P144-2C").part!;
    const { pins } = plan(part);
    const order = part.pins.filter(({ isClock }) => !isClock).map(({ name }) => name);
    for (let i = 0; i < looms; i++)
      for (const port of [`warp_${i}`, `cloth_${i}`]) {
        const at = [0, 1, 2, 3].map((bit) => order.indexOf(pins.get(`${port}[${bit}]`)!));
        expect(at).toEqual([0, 1, 2, 3].map((bit) => at[0] + bit));
      }
  });

  it("are legal on every part, keep off the board's wires, and use each contact once", () => {
    for (const name of listParts().filter((each) => each.endsWith("-2C"))) {
      const part = findPart(name).part!;
      const all = Array.from(
        { length: part.pins.length },
        (_, i): PinNeed => ({
          bitName: `d[${i}]`,
          direction: i % 3 ? "input" : "output",
          isClock: false,
        }),
      );
      const full = plan(part, "", all);
      expect(full.findings.filter(({ severity }) => severity === "error")).toEqual([]);
      expect(new Set(full.pins.values()).size).toBe(part.pins.length);
      // and what is written down of it holds as it is
      const lines = full.artifact!.pins.map(({ port, pin, standard }) => `${port} at ${pin} ${standard}`).join("\n");
      expect(plan(part, lines, all).pins).toEqual(full.pins);
    }
    const shuttle = findBoard("shuttle").board!;
    const onBoard = plan(findPart(shuttle.part).part!, "", needs, shuttle).pins;
    for (const pin of [...shuttle.lamps, ...shuttle.buttons, ...shuttle.switches])
      expect([...onBoard.values()]).not.toContain(pin);
  });
});
