import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { findBoard, findPart, listBoards, listFamilies, listParts, writeDataSheet } from "../src/device/index.ts";
import { writeBsdl } from "../src/formats/index.ts";
import { Cable } from "../src/jtag/index.ts";
import { instruction } from "../src/jtag/tap.ts";
import { Board, SimulatedPart } from "../src/silicon/index.ts";
import { built, running } from "./helpers/build.ts";

/** What a tester learns from the description alone. */
function readBsdl(text: string) {
  const length = Number(/BOUNDARY_LENGTH of \w+ : entity is (\d+);/.exec(text)![1]);
  const opcode = (name: string) => Number.parseInt(new RegExp(`"${name} \\((\\d+)\\)`).exec(text)![1], 2);
  const cells = [...text.matchAll(/"(\d+) \(BC_1, ([\w*]+), (\w+), \w(?:, (\d+), \d, Z)?\)/g)].map((match) => ({
    at: Number(match[1]),
    port: match[2],
    kind: match[3],
    control: match[4] === undefined ? null : Number(match[4]),
  }));
  const pinMap = new Map([...text.matchAll(/"(IO_\w+) : (\w+)/g)].map((match) => [match[1], match[2]]));
  const idcode = Number.parseInt(
    [...text.matchAll(/^ {4}"([01]+)"/gm)]
      .slice(-4)
      .map((match) => match[1])
      .join(""),
    2,
  );
  return { length, opcode, cells, pinMap, idcode };
}

describe("boundary scan", () => {
  it("is described for every part: each pin once, cells without a gap, controls that exist", () => {
    for (const name of listParts().filter((each) => each.endsWith("-1C"))) {
      const part = findPart(name).part!;
      const { length, cells, pinMap, idcode } = readBsdl(writeBsdl(part));
      expect(cells.map((cell) => cell.at)).toEqual(Array.from({ length }, (_, i) => i));
      expect(pinMap.size).toBe(part.pins.length);
      expect(idcode >>> 0).toBe(part.die.idcode >>> 0);
      for (const cell of cells.filter((each) => each.kind === "output3"))
        expect(cells[cell.control!]).toMatchObject({ kind: "control" });
      expect(
        cells
          .filter((cell) => cell.kind === "input")
          .map((cell) => cell.port)
          .sort(),
      ).toEqual([...pinMap.keys()].sort());
    }
  });

  it("samples the pads of a running part, and drives them in EXTEST, as the description says", async () => {
    const { player, device, result } = await running(
      "module m(input [3:0] a, output [3:0] y); assign y = ~a; endmodule",
      {
        part: "FE-64-P44-2C",
      },
    );
    const description = readBsdl(writeBsdl(result.part!));
    const ports = (await result.artifact("image"))!.ports;
    const cellOf = (port: string, kind: string) => {
      const { pin } = ports.find((each) => each.port === port)!;
      return description.cells.find((cell) => cell.port === `IO_${pin}` && cell.kind === kind)!;
    };
    player.set({ a: 5 });
    const cable = new Cable(device);
    cable.reset();
    cable.shiftInstruction(description.opcode("SAMPLE"));
    const bytes = Math.ceil(description.length / 8);
    const bit = (data: Uint8Array, at: number) => (data[at >> 3] >> (at & 7)) & 1;
    const sampled = cable.shiftData(new Uint8Array(bytes), description.length);
    for (let i = 0; i < 4; i++) {
      expect(bit(sampled, cellOf(`a[${i}]`, "input").at)).toBe((5 >> i) & 1);
      expect(bit(sampled, cellOf(`y[${i}]`, "output3").at)).toBe((~5 >> i) & 1);
      expect(bit(sampled, cellOf(`y[${i}]`, "output3").control!)).toBe(1);
      expect(bit(sampled, cellOf(`a[${i}]`, "output3").control!)).toBe(0);
    }
    // preload a pattern for one output, then let the cells drive
    const pattern = new Uint8Array(bytes);
    const set = (at: number) => {
      pattern[at >> 3] |= 1 << (at & 7);
    };
    const { at, control } = cellOf("y[2]", "output3");
    set(at);
    set(control!);
    cable.shiftData(pattern, description.length);
    const pad = (port: string) => result.part!.pinByName.get(ports.find((each) => each.port === port)!.pin)!.pad;
    expect(device.readPad(pad("y[2]"))).toBe(0); // still the circuit's
    cable.shiftInstruction(description.opcode("EXTEST"));
    expect(device.readPad(pad("y[2]"))).toBe(1);
    expect(device.readPad(pad("y[1]"))).toBeNull();
    cable.shiftInstruction(instruction.bypass);
    expect(device.readPad(pad("y[1]"))).toBe(1);
  });
});

describe("parts and boards", () => {
  it("every board names pins that its part has, each for one thing, and a clock pin for its oscillator", () => {
    for (const description of listBoards()) {
      const { part } = new Board(description);
      const { oscillator, switches, buttons, lamps, digits } = description;
      const all = [
        oscillator.pin,
        ...switches,
        ...buttons,
        ...lamps,
        ...(digits?.select ?? []),
        ...(digits?.segments ?? []),
      ];
      expect(all.filter((pin) => !part.pinByName.has(pin))).toEqual([]);
      expect(new Set(all).size).toBe(all.length);
      expect(part.pinByName.get(oscillator.pin)!.isClock).toBe(true);
    }
  });

  it("Treadle's part keeps its bits in flash: it runs at once when power comes back, until it is erased", async () => {
    const description = findBoard("treadle").board!;
    const pins = `clk at ${description.oscillator.pin} LVCMOS33\nlamps at ${description.lamps[0]} LVCMOS33\nswitches at ${description.switches[0]} LVCMOS33\n`;
    const result = await built(
      "module m(input clk, switches, output reg lamps); always @(posedge clk) lamps <= switches; endmodule",
      {
        part: description.part,
        pinFiles: [{ name: "t.pins", text: pins }],
      },
    );
    const board = new Board(description);
    board.setPower(true);
    expect(board.state().configured).toBe(false);
    const cable = new Cable(board.device);
    cable.reset();
    cable.configure((await result.artifact("image"))!.file);
    board.restartClock();
    board.setSwitch(0, true);
    board.run(1000);
    expect(board.state().lamps[0]).toBeGreaterThan(0.8);
    board.setPower(false);
    expect(board.state()).toMatchObject({ configured: false });
    board.setPower(true);
    expect(board.state()).toMatchObject({ configured: true });
    board.run(100);
    expect(board.state().lamps[0]).toBeGreaterThan(0.9);
    cable.reset();
    cable.shiftInstruction(instruction.clear);
    board.setPower(false);
    board.setPower(true);
    expect(board.state().configured).toBe(false);
    // a volatile part forgets
    const other = new SimulatedPart(findPart("CA-1-P84-2C").part!);
    other.powerCycle();
    expect(other.configured).toBe(false);
  });

  it("data sheets in docs/parts are as the descriptions say", () => {
    for (const family of listFamilies()) {
      const file = new URL(`../../../docs/parts/${family.name.toLowerCase()}.md`, import.meta.url);
      expect(readFileSync(file, "utf8"), "run node scripts/data-sheets.js").toBe(writeDataSheet(family));
    }
  });
});
