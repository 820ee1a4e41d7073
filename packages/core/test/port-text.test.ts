import { describe, expect, it } from "vitest";
import { formatFinding } from "../src/common/index.ts";
import { type PinNeed, portCircuit } from "../src/constraints/index.ts";
import { findPart } from "../src/device/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { writeBsdl, writePortText } from "../src/formats/index.ts";

const need = (bitName: string, direction: PinNeed["direction"]): PinNeed => ({ bitName, direction, isClock: false });
const needs = [
  need("clk", "input"),
  ...[0, 1, 2, 3].map((i) => need(`warp[${i}]`, "input")),
  ...[5, 6, 7].map((i) => need(`picks[${i}]`, "output")),
  need("one[3]", "output"),
  need("shared", "inout"),
  need("odd name!", "output"),
  need("_led", "output"),
  need("logic", "input"),
];
const pins = new Map([
  ["clk", "N19"],
  ["warp[0]", "S36"],
  ["picks[7]", "E3"],
]);

describe("ports as source text", () => {
  it("are those of the design in both languages, with their pins beside them", () => {
    const { verilog, vhdl } = writePortText("loom_top", needs, (bit) => pins.get(bit));
    for (const [name, text] of [
      ["t.v", verilog],
      ["t.vhd", vhdl],
    ]) {
      // what nothing drives is told, and is no fault of the text
      const { artifact, findings } = elaborate([{ name, text }], { top: "loom_top" });
      expect(findings.filter(({ severity }) => severity === "error").map(formatFinding)).toEqual([]);
      const back = portCircuit(artifact!.netlist).needs.map(({ bitName, direction }) => `${bitName} ${direction}`);
      // names with a blank are there in VHDL alone
      const there = (bit: string) => (name === "t.v" ? bit.replace(" ", "_20") : bit);
      expect(back.map((each) => each.replaceAll("\\", ""))).toEqual(
        needs.map(({ bitName, direction }) => `${there(bitName)} ${direction}`),
      );
    }
    expect(verilog).toMatch(/warp,\s+\/\/ S36 no pin no pin no pin/);
    expect(vhdl).toMatch(/picks\s+: out\s+std_logic_vector\(7 downto 5\);\s+-- no pin no pin E3/);
  });
  it("may be none at all", () => {
    for (const [name, text] of Object.entries(writePortText("empty", [], () => undefined)))
      expect(
        elaborate([{ name: name === "vhdl" ? "e.vhd" : "e.v", text }], { top: "empty" }).findings.filter(
          ({ severity }) => severity === "error",
        ),
      ).toEqual([]);
  });
});

describe("boundary scan of a configured part", () => {
  const part = findPart("TW-36-G484-1C").part!;
  const used = [
    { pin: part.pins[0].name, port: "a", direction: "input" as const, partner: null },
    { pin: part.pins[9].name, port: "q", direction: "output" as const, partner: part.pins[10].name },
    { pin: part.pins[20].name, port: "w", direction: "inout" as const, partner: null },
  ];
  const text = writeBsdl(part, { design: "warp 2\nend", pins: used });
  const cells = [...text.matchAll(/"(\d+) \(BC_1, ([\w*]+), (\w+), /g)].map(([, at, port, kind]) => ({
    at: Number(at),
    port,
    kind,
  }));
  const kindsOf = (pin: string) => cells.filter(({ port }) => port === `IO_${pin}`).map(({ kind }) => kind);

  it("lets each pin take part in its own direction, and no other pin at all", () => {
    expect(used.map(({ pin }) => kindsOf(pin))).toEqual([["input"], ["output3"], ["input", "output3"]]);
    const others = part.pins.filter(({ name }) => used.every(({ pin }) => pin !== name));
    expect(others.every(({ name }) => kindsOf(name).length === 0)).toBe(true);
    expect(text).toMatch(new RegExp(`IO_${used[0].pin} : in bit;  -- a\\n`));
    expect(text).toMatch(
      new RegExp(`IO_${used[1].pin} : out bit;  -- q, with its opposite level at ${used[1].partner}`),
    );
    expect(text).toMatch(new RegExp(`IO_${others[0].name} : linkage bit`));
  });
  it("has the register of the blank part, cell by cell, and a name of its own", () => {
    expect(cells.map(({ at }) => at)).toEqual(Array.from({ length: 3 * part.fabric.pads.length }, (_, i) => i));
    expect(text).toMatch(/^entity TW_36_G484_warp_2_end is$/m);
    expect(text).toMatch(/^-- configured with warp 2 end$/m);
    // no line of the description is a comment by accident
    expect(text.split("\n").filter((line) => line.startsWith("--"))).toHaveLength(2);
  });
});
