import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  defaultPinOptions,
  formatPin,
  legalValues,
  movePins,
  optionText,
  PinChoices,
  type PinNeed,
  parsePins,
  pinOptionNames,
  placedPorts,
  resolvePins,
  withInside,
  withoutPins,
  withPinOption,
  withPlaces,
} from "../src/constraints/index.ts";
import { pinOptionValues } from "../src/constraints/pins/model.ts";
import { boardSignals, findPart, listBoards, listParts } from "../src/device/index.ts";
import { need } from "./helpers/pin-need.ts";

const part = findPart("TW-2-P144-2C").part!;
const read = (text: string) => parsePins([{ name: "m.pins", text }]).pins;
const resolve = (text: string, needs: readonly PinNeed[], on = part, board: Parameters<typeof resolvePins>[3] = null) =>
  resolvePins(read(text), needs, on, board);

/** Files as people write them: comments, blanks, columns, options in any order, faults. */
const line = fc.oneof(
  {
    weight: 6,
    arbitrary: fc
      .tuple(
        fc.constantFrom("a", "b", "c[0]", "c[1]", "d"),
        fc.constantFrom("at", "  at ", "\tat"),
        fc.constantFrom("N1", "E22", "s3"),
        fc.constantFrom(
          "",
          " LVCMOS33",
          "   LVTTL",
          " LVCMOS33 drive=12",
          "  slew=slow LVCMOS25  pull=up",
          " pull=down",
        ),
        fc.constantFrom("", "  # lamp", "# a at N1", "\t"),
      )
      .map(([port, at, pin, rest, end]) => `${port} ${at} ${pin}${rest}${end}`),
  },
  fc.constantFrom("", "# comment", "   ", "b inside", "c[1] inside  # study", "broken line", "a at", "# a at N4"),
);
const file = fc
  .tuple(fc.array(line, { maxLength: 9 }), fc.constantFrom("\n", "\r\n"), fc.boolean())
  .map(([lines, end, closes]) => lines.join(end) + (closes && lines.length ? end : ""));
const commentsOf = (text: string) => text.match(/#.*/g) ?? [];
/** Lines of other ports, as they stand. */
const others = (text: string, port: string) =>
  text.split(/(?<=\n)/).filter((each) => /^\s*([^\s#]\S*)/.exec(each)?.[1] !== port && each !== "");

describe("changes of a pin file", () => {
  const ports = fc.constantFrom("a", "b", "c[0]", "c[1]", "d");
  it("touch the lines of their port alone, and keep every comment", () => {
    fc.assert(
      fc.property(file, ports, fc.constantFrom("N7", "W31"), (text, port, pin) => {
        const assignment = { port, pin, ...defaultPinOptions };
        for (const [next, isAdded] of [
          [withPlaces(text, [assignment]), !placedPorts(text).has(port)],
          [withInside(text, [port]), !placedPorts(text).has(port)],
          [withPinOption(text, new Set([port]), "drive", "4"), false],
          [withPinOption(text, new Set([port]), "standard", null), false],
        ] as const) {
          const kept = others(next, port);
          const before = others(text, port);
          // a line at the end gets its line end when another one follows
          if (isAdded && before.length && !/\n$/.test(before[before.length - 1])) before[before.length - 1] += "\n";
          expect(kept).toEqual(before);
          expect(commentsOf(next)).toEqual(commentsOf(text));
        }
      }),
    );
  });

  it("do what they are asked to, as it is read, and can be taken back", () => {
    fc.assert(
      fc.property(file, ports, fc.constantFrom("N7", "W31"), (text, port, pin) => {
        const own = (of: string) => read(of).filter(({ assignment }) => assignment.port === port);
        const [before] = own(text);
        const isBroken = placedPorts(text).has(port) && !before;
        const placed = withPlaces(text, [{ port, pin, ...defaultPinOptions }]);
        if (!isBroken) {
          const [now] = own(placed);
          expect(now.assignment.pin).toBe(pin);
          expect(now.isInside).toBe(false);
          // what else the line said is as it was
          if (before && !before.isInside)
            expect({ ...now.assignment, pin: "" }).toEqual({ ...before.assignment, pin: "" });
          expect(own(withInside(text, [port]))[0].isInside).toBe(true);
        }
        if (before && !before.isInside) {
          for (const name of pinOptionNames)
            for (const value of pinOptionValues[name]) {
              const [now] = own(withPinOption(text, new Set([port]), name, value));
              expect(optionText(now.assignment, name)).toBe(value);
              const [back] = own(withPinOption(text, new Set([port]), name, null));
              expect(optionText(back.assignment, name)).toBe(optionText(defaultPinOptions, name));
            }
          const [now] = own(withPinOption(text, new Set([port]), "standard", "LVCMOS18"));
          expect(now.assignment).toEqual({ ...before.assignment, standard: "LVCMOS18" });
        }
        expect(placedPorts(withoutPins(text, new Set([port]))).has(port)).toBe(false);
      }),
    );
  });

  it("keep the columns where there is room for it", () => {
    const text = "clk          at N19   LVCMOS33  pull=up   # oscillator\n";
    expect(withPlaces(text, [{ port: "clk", pin: "N1", ...defaultPinOptions }])).toBe(
      "clk          at N1    LVCMOS33  pull=up   # oscillator\n",
    );
    expect(withPinOption(text, new Set(["clk"]), "standard", "LVTTL")).toBe(
      "clk          at N19   LVTTL     pull=up   # oscillator\n",
    );
    expect(withPinOption(text, new Set(["clk"]), "pull", null)).toBe("clk          at N19   LVCMOS33   # oscillator\n");
    expect(withInside(text, ["clk"])).toBe("clk          inside                       # oscillator\n");
  });
});

describe("what may be chosen for a port", () => {
  const directions = ["input", "output", "inout"] as const;
  it("is what the rules allow, option by option, on every family", () => {
    for (const name of ["TW-2-P84-1C", "CA-1-P68-1C", "FE-256-P68-1C"]) {
      const on = findPart(name).part!;
      for (const direction of directions)
        for (const standard of on.family.standards)
          for (const isClock of [false, true]) {
            if (isClock && direction !== "input") continue;
            const own = need("p", direction, { isClock, initial: "x" });
            for (const pin of [on.pins[0], on.pins.find((each) => each.isClock)!]) {
              const text = `p at ${pin.name} ${standard.name}`;
              const resolved = resolve(text, [own], on);
              const placed = resolved.lines.byPort.get("p")!;
              const choices = new PinChoices(resolved.lines, on, null, new Set(["p"]));
              const isIllegal = resolved.findings.some(({ severity }) => severity === "error");
              expect(choices.standardHindrance(standard, pin, own) !== null, `${name} ${text} ${direction}`).toBe(
                isIllegal,
              );
              for (const option of pinOptionNames)
                for (const value of pinOptionValues[option]) {
                  const { findings } = resolve(`${text} ${option}=${value}`, [own], on);
                  const isTold = findings.some(({ code }) => code === `pins/${option}` || code === "pins/no-effect");
                  expect(legalValues(option, placed).includes(value), `${name} ${text} ${option}=${value}`).toBe(
                    !isTold,
                  );
                }
            }
          }
    }
  });

  it("at each pin beside other lines: what is offered has no error, what is not offered has one", () => {
    const needs = [need("a"), need("b", "output"), need("c", "inout"), need("p")];
    const text = "a at N1 SSTL_18\nb at E3 LVDS\nc at S4 LVCMOS12\n";
    const base = resolve(text, needs);
    expect(base.findings.filter(({ severity }) => severity === "error")).toEqual([]);
    const choices = new PinChoices(base.lines, part, null, new Set(["p"]));
    let [offered, barred] = [0, 0];
    for (const pin of part.pins) {
      const taken = choices.pinHindrance(pin, need("p"));
      for (const standard of part.family.standards) {
        const { findings } = resolve(`${text}p at ${pin.name} ${standard.name}`, needs);
        const isLegal = taken === null && choices.standardHindrance(standard, pin, need("p")) === null;
        expect(isLegal, `${pin.name} ${standard.name}: ${taken}`).toBe(
          !findings.some(({ severity }) => severity === "error"),
        );
        if (isLegal) offered++;
        else barred++;
      }
    }
    expect(offered).toBeGreaterThan(400);
    expect(barred).toBeGreaterThan(400);
  });
});

describe("moving ports", () => {
  const random = fc.sample(fc.nat(), { numRuns: 40, seed: 3 });
  it("to any contact of any package gives lines without an error, or says why not", () => {
    for (const name of listParts().filter((each) => each.endsWith("-1C"))) {
      const on = findPart(name).part!;
      const needs = [
        ...Array.from({ length: 6 }, (_, i) => need(`d[${i}]`, "output")),
        need("a"),
        need("clk", "input", { isClock: true }),
      ];
      let text = `a at ${on.pins[3].name} LVCMOS18\n`;
      for (const seed of random) {
        const resolved = resolve(text, needs, on);
        const bits = seed % 3 === 0 ? needs.slice(0, 6) : [needs[seed % needs.length]];
        const move = movePins(bits, on.pins[seed % on.pins.length], resolved, on);
        if (!move.pins) {
          expect(move.hindrance).not.toBe("");
          continue;
        }
        expect(move.pins[0].pin).toBe(on.pins[seed % on.pins.length].name);
        text = withPlaces(text, move.pins);
        const { findings } = resolve(text, needs, on);
        expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
        expect(new Set(read(text).map(({ assignment }) => assignment.pin)).size).toBe(read(text).length);
      }
      expect(read(text).length).toBeGreaterThan(6);
    }
  });

  it("puts a bus onto a bus of the board, signal by signal, and refuses one that is too short", () => {
    for (const board of listBoards()) {
      const on = findPart(board.part).part!;
      const lamps = boardSignals(board).filter(({ bus }) => bus === "lamps");
      const bits = Array.from({ length: 4 }, (_, i) => need(`picks[${i}]`, "output"));
      const resolved = resolve("", bits, on, board);
      const move = movePins(bits, on.pinByName.get(lamps[1].pin)!, resolved, on);
      expect(move.pins?.map(({ pin }) => pin)).toEqual(lamps.slice(1, 5).map(({ pin }) => pin));
      const last = movePins(bits, on.pinByName.get(lamps[lamps.length - 1].pin)!, resolved, on);
      expect(last.hindrance).toMatch(/lamps has 1 signals from here on, and 4 are needed/);
      const button = movePins(bits.slice(0, 1), on.pinByName.get(board.buttons[0])!, resolved, on);
      expect(button.hindrance).toMatch(/button .* drives that wire/);
    }
  });

  it("lets two ports change places, with what their lines say", () => {
    const needs = [need("a"), need("b", "output"), need("c"), need("d")];
    const beside = "c at N2 LVCMOS33\nd at E4 LVCMOS18\n";
    const resolved = resolve(`a at N1 LVCMOS33 pull=up\nb at E3 LVCMOS18 drive=4\n${beside}`, needs);
    const [north, east] = ["N1", "E3"].map((name) => part.pinByName.get(name)!);
    // their banks have other voltages
    expect(movePins([needs[0]], east, resolved, part).hindrance).toMatch(/'b' is there/);
    const alike = resolve("a at N1 LVCMOS33 pull=up\nb at E3 LVCMOS33 drive=4\n", needs);
    const move = movePins([needs[0]], east, alike, part);
    expect(move.pins?.map(formatPin)).toEqual([
      formatPin({ ...defaultPinOptions, port: "a", pin: "E3", pull: "up" }),
      formatPin({ ...defaultPinOptions, port: "b", pin: "N1", drive: 4 }),
    ]);
    expect(north.name).toBe(move.pins![1].pin);
  });
});

describe("any text", () => {
  it("is read, changed and checked without a crash", () => {
    const words = fc.constantFrom(
      "a",
      "at",
      "inside",
      "N1",
      "LVDS",
      "drive=",
      "=",
      "pull=up",
      "#",
      "\\",
      "c[0]",
      "\u0000",
      "é",
      "\r",
      "\n",
      "  ",
    );
    const needs = [need("a"), need("c[0]", "inout")];
    fc.assert(
      fc.property(fc.array(words, { maxLength: 30 }), (list) => {
        const text = list.join(" ");
        const { findings } = resolve(text, needs);
        for (const { message, remedy } of findings) expect(`${message} ${remedy}`).not.toContain("undefined");
        for (const next of [
          withInside(text, ["a"]),
          withPinOption(text, new Set(["a"]), "slew", "slow"),
          withPlaces(text, []),
        ])
          expect(typeof next).toBe("string");
      }),
      { numRuns: 400 },
    );
  });
});
