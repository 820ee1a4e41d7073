import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import {
  formatPin,
  movePins,
  parsePins,
  planPins,
  resolvePins,
  transferPins,
  withPlaces,
  withTransfer,
} from "../src/constraints/index.ts";
import {
  type BoardDescription,
  boardSignals,
  findBoard,
  findPart,
  listBoards,
  listParts,
  type Part,
} from "../src/device/index.ts";
import { repaired } from "./helpers/edits.ts";
import { need } from "./helpers/pin-need.ts";

const needs = [
  need("clk", "input", { isClock: true }),
  ...[0, 1].map((i) => need(`switches[${i}]`)),
  ...[0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10].map((i) => need(`lamps[${i}]`, "output")),
  need("weft", "inout"),
];
const read = (text: string) => parsePins([{ name: "m.pins", text }]).pins;
const errorsOf = (text: string, on: Part, board: BoardDescription | null) =>
  planPins(read(text), needs, on, board).findings.filter(({ severity }) => severity === "error");
const partOf = (name: string) => findPart(name).part!;

/** A pin file that ties as many ports as there are to signals of a board. */
function claimed(board: BoardDescription): string {
  const signals = new Map(boardSignals(board).map((signal) => [signal.name, signal]));
  return needs
    .flatMap(({ bitName }) => {
      const signal = signals.get(bitName);
      return signal ? [`${bitName} at ${signal.pin} LVCMOS33 # ${bitName}`] : [];
    })
    .join("\n");
}

describe("pins on another board", () => {
  it("lie at the same signals there, and what has none is told and kept as a comment", () => {
    for (const from of listBoards())
      for (const to of listBoards()) {
        const text = claimed(from);
        const there = partOf(to.part);
        const moved = transferPins(
          read(text),
          needs,
          { part: partOf(from.part), board: from },
          { part: there, board: to },
        );
        const signals = new Map(boardSignals(to).map((signal) => [signal.name, signal.pin]));
        for (const { port, how, after } of moved) {
          if (signals.has(port)) expect([how, after?.pin]).toEqual(["signal", signals.get(port)]);
          else expect(["nearest", "lost", "pad", "name"]).toContain(how);
        }
        const next = withTransfer(text, moved, there);
        expect(errorsOf(next, there, to), `${from.name} to ${to.name}\n${next}`).toEqual([]);
        // no comment is gone, and nothing that was placed is silently dropped
        for (const { bitName } of needs) if (text.includes(`# ${bitName}`)) expect(next).toContain(`# ${bitName}`);
        expect(read(next).length).toBe(moved.filter(({ how }) => how !== "lost").length);
      }
  });

  it("and back lie where they were", () => {
    const [shuttle, heddle] = ["shuttle", "heddle"].map((name) => findBoard(name).board!);
    const text = claimed(shuttle);
    const homes = [shuttle, heddle].map((board) => ({ part: partOf(board.part), board }));
    const there = withTransfer(text, transferPins(read(text), needs, homes[0], homes[1]), homes[1].part);
    expect(there).not.toBe(text);
    expect(withTransfer(there, transferPins(read(there), needs, homes[1], homes[0]), homes[0].part)).toBe(text);
  });
});

describe("pins in another package of the same die", () => {
  it("stay at their pads where these are bonded out", () => {
    const [large, small] = ["TW-2-P144-2C", "TW-2-P84-2C"].map(partOf);
    const text = needs.map(({ bitName }, i) => `${bitName} at ${large.pins[i * 3].name}`).join("\n");
    const moved = transferPins(read(text), needs, { part: large, board: null }, { part: small, board: null });
    let atPad = 0;
    for (const { before, after, how } of moved) {
      const { pad } = large.pinByName.get(before.assignment.pin)!;
      const there = small.pinOfPad.get(pad);
      if (there) {
        expect([how, after!.pin]).toEqual(["pad", there.name]);
        atPad++;
      } else expect(how).toBe("nearest");
    }
    expect(atPad).toBeGreaterThan(4);
    expect(atPad).toBeLessThan(moved.length);
    expect(errorsOf(withTransfer(text, moved, small), small, null)).toEqual([]);
  });
});

describe("from any part to any other", () => {
  it("what carries over has no fault there, and what does not is named", () => {
    const random = new Random(7);
    const names = listParts().filter((name) => name.endsWith("-1C"));
    for (const fromName of names)
      for (const toName of names) {
        const [from, to] = [partOf(fromName), partOf(toName)];
        let text = "";
        for (const each of needs) {
          const resolved = resolvePins(read(text), needs, from, null);
          const move = movePins([each], from.pins[random.below(from.pins.length)], resolved, from);
          if (move.pins) text = withPlaces(text, move.pins);
        }
        text = text
          .replace(/$/m, random.below(2) ? " pull=up" : "")
          .concat("weft inside\n".repeat(Number(!text.includes("weft"))));
        if (errorsOf(text, from, null).length) continue;
        const lines = read(text);
        const moved = transferPins(lines, needs, { part: from, board: null }, { part: to, board: null });
        expect(moved.map(({ port }) => port)).toEqual(lines.map(({ assignment }) => assignment.port));
        expect(errorsOf(withTransfer(text, moved, to), to, null), `${fromName} ${toName}\n${text}`).toEqual([]);
        for (const { how, after, changes, before } of moved) {
          expect(after === null).toBe(how === "lost");
          if (how === "lost") expect(changes.length).toBe(1);
          // a standard that is another one is always told
          if (after && after.standard !== before.assignment.standard) expect(changes.join()).toContain(after.standard);
        }
      }
  });

  it("loses only what cannot be had: pairs where there are none, options that a standard has not", () => {
    const from = partOf("TW-9-P208-1C");
    const felt = partOf("FE-64-P28-1C");
    const own = [need("p"), need("q", "output"), need("r", "output")];
    const first = resolvePins([], own, from, null);
    const pair = from.pins.find((pin) => movePins([own[0]], pin, first, from).pins && pin.bank === 0)!;
    const text = `p at ${pair.name} LVDS termination=on\nq at ${from.pins[60].name} LVCMOS12 drive=4\nr at ${from.pins[120].name} LVCMOS33 drive=12 slew=slow # lamp\n`;
    const moved = transferPins(read(text), own, { part: from, board: null }, { part: felt, board: null });
    expect(moved.map(({ port, how }) => `${port} ${how}`)).toEqual([
      "p lost",
      expect.stringMatching(/^q/),
      expect.stringMatching(/^r/),
    ]);
    const next = withTransfer(text, moved, felt);
    expect(next).toContain(`# no place on FE-64-P28-1C: p at ${pair.name} LVDS termination=on\n`);
    expect(moved[1].changes.join()).toMatch(/LVCMOS12 cannot be had/);
    expect(formatPin(moved[2].after!)).toMatch(/LVCMOS33 {2}drive=12 slew=slow/);
    expect(next).toMatch(/# lamp\n$/);
  });
});

describe("pins of serial lanes", () => {
  const lanes = new Map(listParts().map((name) => [partOf(name).die.serialLanes, partOf(name)]));
  const [few, most] = [Math.min(...lanes.keys()), Math.max(...lanes.keys())].map((count) => lanes.get(count)!);
  const serial = [
    need("tx", "output", { serial: { lane: 0, side: "transmit" } }),
    need("rx", "input", { serial: { lane: 0, side: "receive" } }),
  ];

  it("stay at their lane where there is one, and are told and kept as comments where there is none", () => {
    const last = most.die.serialLanes - 1;
    const text = `tx at TX${last} # out\nrx at RX${last} # in`;
    expect(errorsOfSerial(text, most)).toEqual([]);
    const move = (to: Part) => transferPins(read(text), serial, { part: most, board: null }, { part: to, board: null });
    expect(move(most).map(({ how, after }) => [how, after?.pin])).toEqual([
      ["name", `TX${last}`],
      ["name", `RX${last}`],
    ]);
    expect(withTransfer(text, move(most), most)).toBe(text);
    expect(few.die.serialLanes).toBeLessThanOrEqual(last);
    expect(move(few).map(({ how, changes }) => [how, changes])).toEqual(
      [0, 1].map(() => ["lost", [`${few.name} has no lane ${last}.`]]),
    );
    const next = withTransfer(text, move(few), few);
    expect(read(next)).toEqual([]);
    for (const comment of ["# out", "# in"]) expect(next).toContain(comment);
  });

  it("are written as they are planned, with no option, and what stands behind them can be deleted", () => {
    const planned = planPins([], serial, most).artifact!.pins;
    const text = planned.map(formatPin).reverse().join("\n");
    expect(text).toMatch(/^tx\s+at TX\d+\nrx\s+at RX\d+$/);
    const again = planPins(read(text), serial, most);
    expect(again.findings).toEqual([]);
    expect(again.artifact!.pins.map(({ pin, automatic }) => [pin, automatic])).toEqual(
      planned.map(({ pin }) => [pin, false]),
    );

    const loud = text.replace(/TX\d+/, "$& LVCMOS33 drive=8 pull=up");
    const told = planPins(read(loud), serial, most).findings;
    expect(told.map(({ code, place }) => `${code} ${place.line}`)).toEqual([1, 1, 1].map((l) => `pins/no-effect ${l}`));
    expect(errorsOfSerial(loud, most)).toEqual([]);
    // from the last word to the first, so that places hold
    const edits = told.map(({ edit }) => edit!).sort((a, b) => b.column! - a.column!);
    expect(planPins(read(edits.reduce(repaired, loud)), serial, most).findings).toEqual([]);
  });

  function errorsOfSerial(text: string, on: Part) {
    return planPins(read(text), serial, on).findings.filter(({ severity }) => severity === "error");
  }
});
