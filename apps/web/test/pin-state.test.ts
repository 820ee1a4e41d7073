import {
  findBoard,
  findPart,
  listParts,
  type PinNeed,
  parsePins,
  portsOf,
  readPinSheet,
  writePinSheet,
} from "@gate-clock/core";
import Papa from "papaparse";
import { describe, expect, it } from "vitest";
import { drawPackage, labelRoom, shortName, spotAt } from "../src/pins/package-drawing.ts";
import { buildPinReport } from "../src/pins/pin-report.ts";
import { contactText, pinFile, pinStateOf, shownLabel } from "../src/pins/pin-state.ts";
import { readIncoming } from "../src/stations/pins/ImportPins.tsx";

const part = findPart("TW-2-P144-2C").part!;
const need = (bitName: string, direction: PinNeed["direction"] = "input", more: Partial<PinNeed> = {}): PinNeed => ({
  bitName,
  direction,
  isClock: false,
  ...more,
});
const vector = (name: string, count: number, direction: PinNeed["direction"]) =>
  Array.from({ length: count }, (_, i) => need(`${name}[${i}]`, direction));
const needs = [
  need("clk", "input", { isClock: true, clocked: 8 }),
  ...vector("switches", 6, "input"),
  ...vector("picks", 8, "output"),
  need("weft", "inout"),
];
const text = `clk at N19
switches[0] at S36
picks[0] at E1 LVCMOS33 drive=12 slew=slow
picks[1] at E1
weft at E20 LVDS
`;
const board = findBoard("shuttle").board;
const state = pinStateOf([{ name: "m.pins", text }], needs, part, board);

describe("the state of the pins", () => {
  it("says of every contact what lies there, and of every port where it is", () => {
    expect(state.useOf.size).toBe(state.contacts.length);
    expect(state.useOf.get("N19")).toMatchObject({ kind: "line", isWrong: false });
    expect(state.useOf.get("E1")).toMatchObject({ kind: "line", need: { bitName: "picks[0]" } });
    expect(state.useOf.get("E20")).toMatchObject({ kind: "line", isWrong: true });
    const shown = [...state.useOf].flatMap(([name, use]) =>
      use.kind === "line" || use.kind === "automatic" ? [[use.need.bitName, name]] : [],
    );
    // but for the second one that wants E1
    expect(new Set(shown.map(([port]) => port)).size).toBe(needs.length - 1);
    for (const [port, name] of shown) if (port !== "weft") expect(state.pinOf.get(port)?.pin).toBe(name);
    const faulty = state.rows.filter(({ how }) => how === "faulty line");
    expect(faulty.map(({ id, pin }) => `${id} ${pin}`)).toEqual(["picks[1] E1", "weft E20"]);
    expect(state.rows.filter(({ isVector }) => isVector).map(({ id }) => id)).toEqual(["switches[5:0]", "picks[7:0]"]);
    expect(state.rows.filter(({ isVector }) => !isVector).map(({ id }) => id)).toEqual(
      needs.map(({ bitName }) => bitName),
    );
    const row = state.rows.find(({ id }) => id === "picks[0]")!;
    expect([row.pin, row.drive, row.slew, row.how]).toEqual(["E1", "12", "slow", "line"]);
    expect(contactText(state.contacts.find(({ name }) => name === "S36")!, state)).toMatch(
      /S36: bank 3.*switches\[0\], input, LVCMOS33.*Shuttle ties it to switches\[0\]/,
    );
  });

  it("is drawn with every contact apart from the others, in every package", () => {
    for (const name of listParts().filter((each) => each.endsWith("-1C"))) {
      const each = findPart(name).part!;
      const own = pinStateOf([], needs, each, null);
      const picture = drawPackage(own.contacts);
      expect(picture.spots.length).toBe(own.contacts.length);
      const places = picture.spots.map(({ x, y }) => `${x} ${y}`);
      expect(new Set(places).size).toBe(places.length);
      for (const spot of picture.spots) {
        expect(spotAt(picture, spot.x, spot.y)).toBe(spot);
        expect(spot.x > 0 && spot.x < picture.width && spot.y > 0 && spot.y < picture.height).toBe(true);
      }
      expect(spotAt(picture, picture.width / 2, picture.isGrid ? -40 : picture.height / 2)).toBeNull();
      expect(picture.banks.map(({ bank }) => bank)).toEqual(
        Array.from({ length: 4 * each.die.banksPerSide }, (_, i) => i),
      );
      // names of banks stand apart
      const labels = picture.banks.map(({ label }) => `${Math.round(label.x)} ${Math.round(label.y)}`);
      expect(new Set(labels).size).toBe(labels.length);
    }
  });

  it("writes names where they cross nothing", () => {
    const picture = drawPackage(state.contacts);
    // all contacts named: at a corner, names of both sides end at the diagonal
    const room = labelRoom(picture, () => true);
    const reach = new Map(picture.spots.map((spot) => [spot, room(spot) * 4.5]));
    for (const a of picture.spots.filter(({ side }) => side === 0))
      for (const b of picture.spots.filter(({ side }) => side === 1)) {
        const crosses =
          a.y + 11 + reach.get(a)! > b.y + 3 &&
          b.x - 11 - reach.get(b)! < a.x - 3 &&
          reach.get(a)! > 0 &&
          reach.get(b)! > 0;
        expect(crosses, `${a.contact.name} ${b.contact.name}`).toBe(false);
      }
    expect(shortName("switches[5]", 16)).toBe("switches[5]");
    expect(shortName("shed_controller_lifted[12]", 16)).toBe("shed_contro…[12]");
    expect(shortName("shuttle", 0)).toBe("");
    expect(shownLabel(state.contacts.find(({ name }) => name === "E2")!, state)).toBe("lamps[1]");
  });

  it("gives ports in order, whatever their indexes", () => {
    const odd = [need("a[3]"), need("a[-1]"), need("b"), need("a[0]")];
    expect(portsOf(odd).map(({ name, bits }) => `${name}: ${bits.map(({ need: own }) => own.bitName).join()}`)).toEqual(
      ["a: a[-1],a[0],a[3]", "b: b"],
    );
  });
});

describe("pins that come in", () => {
  const pins = (from: string) =>
    readIncoming(from, "list").pins.map(({ assignment }) => `${assignment.port} ${assignment.pin}`);
  it("are read from sheets of any kind, and from pin files", () => {
    const expected = ["clk N19", "picks[0] E1"];
    expect(pins("Signal,Location,IO Standard\nclk,N19,LVCMOS33\npicks[0],e1,LVTTL\n")).toEqual(expected);
    expect(pins("\uFEFFPin;Port\r\nN19;clk\r\nE1;picks[0]\r\n")).toEqual(expected);
    expect(pins("clk\tN19\npicks[0]\tE1\tLVCMOS33\tdrive=4")).toEqual(expected);
    expect(pins("clk at N19 # oscillator\npicks[0] at E1 LVTTL\n")).toEqual(expected);
    expect(pins('"clk","N19"\n"picks[0]","E1"\n"unplaced",""\n')).toEqual(expected);
    expect(pins("")).toEqual([]);
  });
  it("are told of row by row where they cannot be taken", () => {
    const { pins: good, faults } = readIncoming("port,pin,drive\nclk,N19,5\n,N3,4\nok,E1,12 mA\na b,E2,\n", "list.csv");
    expect(good.map(({ assignment }) => [assignment.port, assignment.drive])).toEqual([["ok", 12]]);
    expect(faults.map(({ row }) => row)).toEqual([2, 3, 5]);
    expect(readIncoming("x".repeat(3_000_000), "big").faults[0].message).toMatch(/too long/);
  });
  it("are what went out", () => {
    const out = pinStateOf(
      [
        {
          name: "m.pins",
          text: "clk at N19 LVCMOS33\nweft at E20 LVTTL pull=up hysteresis=on\npicks[0] at E1 drive=4 slew=slow\n",
        },
      ],
      needs,
      part,
      null,
    );
    const rows = [...out.pinOf.values()].map((pin) => ({ ...pin, direction: "x", bank: "1" }));
    const csv = Papa.unparse(writePinSheet(rows));
    const back = readIncoming(csv, "own.csv");
    expect(back.faults).toEqual([]);
    const asText = (list: readonly { readonly assignment: object }[]) =>
      list.map(({ assignment }) => JSON.stringify(assignment, Object.keys(assignment).sort())).sort();
    expect(asText(back.pins)).toEqual(asText(parsePins([{ name: "", text: pinFile(out) }]).pins));
    expect(back.pins).toHaveLength(needs.length);
    expect(readPinSheet([]).pins).toEqual([]);
  });
});

describe("the report of the pins", () => {
  const words = (bytes: ArrayBuffer) => new TextDecoder("latin1").decode(bytes);
  it("names the design, every port with its pin, and what is wrong", () => {
    const pdf = words(buildPinReport(state, "pick-counter \u2714", "shuttle", "1 December 2026"));
    expect(pdf.startsWith("%PDF-")).toBe(true);
    expect(pdf).toContain("(Pins of pick-counter ?)");
    for (const { bitName } of needs) expect(pdf).toContain(`(${bitName})`);
    expect(pdf).toContain("(N19)");
    expect(pdf).toMatch(/Pin E1 is taken by 'picks\[0\]'/);
    expect(Number(/\/Type \/Pages[\s\S]*?\/Count (\d+)/.exec(pdf)![1])).toBeGreaterThan(2);
  });
  it("is made of the largest package too", () => {
    const large = findPart("TW-36-G484-2C").part!;
    const all = pinStateOf([], vector("warp", 380, "output"), large, null);
    expect(buildPinReport(all, "wide", "wide", "today").byteLength).toBeGreaterThan(50_000);
  });
});
