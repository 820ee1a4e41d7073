import {
  boardBuses,
  boardSignals,
  claimedPins,
  findBoard,
  type PinNeed,
  withoutPins,
  withPins,
} from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { portClaims } from "../src/stations/pins/claims-view.ts";

const buses = boardBuses(boardSignals(findBoard("shuttle").board!));
const bits = (name: string, count: number, direction: "input" | "output"): PinNeed[] =>
  Array.from({ length: count }, (_, i) => ({ bitName: `${name}[${i}]`, direction, isClock: false }));
const needs: PinNeed[] = [
  { bitName: "clk", direction: "input", isClock: true },
  ...bits("sw", 3, "input"),
  ...bits("leds", 8, "output"),
  ...bits("warp", 2, "output"),
  ...bits("wide", 40, "output"),
];

describe("claims of a board's signals", () => {
  it("go one way and back, and leave the rest of the file alone", () => {
    const text = "# my board\nother at S12\n";
    const before = portClaims(needs, buses, text);
    expect(before.tied).toEqual([]);
    expect(before.sure.map(({ port, bus }) => `${port.name} ${bus.name}`).sort()).toEqual([
      "clk clk",
      "leds lamps",
      "sw switches",
    ]);
    expect(before.open.slice(0, 3).map(({ choices }) => choices[0])).toEqual(before.sure);
    expect(before.open.slice(3).map(({ port, choices }) => [port.name, choices.map(({ bus }) => bus.name)])).toEqual([
      ["warp", ["lamps", "digit_on", "segment"]],
      ["wide", []],
    ]);
    // of two bits, the free ones beside those that are surely meant
    expect(before.open[3].choices[0].from).toBe(8);
    const claimed = withPins(text, before.sure.flatMap(claimedPins));
    expect(claimed.startsWith(text)).toBe(true);
    const after = portClaims(needs, buses, claimed);
    expect(after.tied.map(({ port }) => port.name).sort()).toEqual(["clk", "leds", "sw"]);
    expect(after.sure).toEqual([]);
    const names = new Set(after.tied.flatMap(({ port }) => port.bits.map(({ name }) => name)));
    expect(withoutPins(claimed, names)).toBe(text);
  });

  it("see what is tied elsewhere as neither claimed nor open", () => {
    const { tied, open } = portClaims(needs, buses, "sw[0] at S36\nsw[1] at W1\nclk at N19\n");
    expect(tied.map(({ port }) => port.name)).toEqual(["clk"]);
    expect(open.some(({ port }) => port.name === "sw")).toBe(false);
  });
});
