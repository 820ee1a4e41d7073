import { describe, expect, it } from "vitest";
import { formatPin, pairOf, parsePins, planPins } from "../src/constraints/index.ts";
import { findPart, listParts, sideSupplies } from "../src/device/index.ts";
import { running } from "./helpers/build.ts";

const part = findPart("TW-2-P144-2C").part!;
const need = (bitName: string, direction: "input" | "output" | "inout") => ({ bitName, direction, isClock: false });
const plan = (text: string, ...needs: ReturnType<typeof need>[]) => {
  const parsed = parsePins([{ name: "m.pins", text }]);
  expect(parsed.findings).toEqual([]);
  return planPins(parsed.pins, needs, part);
};
const told = (text: string, ...needs: ReturnType<typeof need>[]) =>
  plan(text, ...needs)
    .findings.filter(({ severity }) => severity !== "note")
    .map(({ code, place }) => `${code} ${place.line ?? place.object}`);

/** First and second pins of the pairs of the part. */
const pairs = part.pins.flatMap((pin) => {
  const pair = pairOf(part, pin);
  return pair?.isFirst ? [[pin.name, pair.pin.name]] : [];
});
const [[first, second], [third, fourth]] = pairs;
const single = part.pins.find((pin) => pairOf(part, pin) === null);

describe("pairs of pins", () => {
  it("are there on both families that have a differential standard, each pin in one", () => {
    for (const name of listParts().filter((each) => each.endsWith("-1C"))) {
      const each = findPart(name).part!;
      for (const pin of each.pins) {
        const pair = pairOf(each, pin);
        if (pair) expect(pairOf(each, pair.pin)!.pin).toBe(pin);
      }
      if (each.family.standards.some(({ isDifferential }) => isDifferential))
        expect(each.pins.filter((pin) => pairOf(each, pin)).length).toBeGreaterThanOrEqual(8);
    }
  });

  it("carry a level and its opposite, and read the first", async () => {
    const text = "module m(input a, output y, z); assign y = ~a; assign z = a; endmodule";
    const pinFiles = [{ name: "m.pins", text: `a at ${first} LVDS termination=on\ny at ${third} LVDS\n` }];
    const { player, device } = await running(text, { pinFiles, part: part.name });
    for (const a of [0, 1]) {
      player.set({ a });
      const level = (pin: string) => device.readPad(part.pinByName.get(pin)!.pad);
      expect([level(third), level(fourth), player.read("z")]).toEqual([1 - a, a, a]);
      expect(level(second)).toBeNull();
    }
  });

  it("are placed at the first pin and take the second", () => {
    const a = need("a", "input");
    const b = need("b", "output");
    expect(told(`a at ${first} LVDS`, a)).toEqual([]);
    expect(told(`a at ${second} LVDS`, a)).toEqual(["pins/pair 1"]);
    expect(told(`a at ${first} LVDS\nb at ${second} LVCMOS25`, a, b)).toEqual(["pins/pair 2"]);
    expect(told(`b at ${second} LVCMOS25\na at ${first} LVDS`, a, b)).toEqual(["pins/pair 1"]);
    expect(told(`a at ${first} LVDS`, need("a", "inout"))).toEqual(["pins/pair 1"]);
    if (single) expect(told(`a at ${single.name} LVDS`, a)).toEqual(["pins/pair 1"]);
    // pins that are given out by themselves stay away from it
    const many = Array.from({ length: part.pins.length - 2 }, (_, i) => need(`m[${i}]`, "input"));
    const { artifact } = plan(`a at ${first} LVDS`, a, ...many);
    expect(artifact!.pins.map(({ pin }) => pin)).not.toContain(second);
    expect(new Set(artifact!.pins.map(({ pin }) => pin)).size).toBe(many.length + 1);
  });
});

describe("a clock at a plain pin", () => {
  it("is warned of, unless its line says that it is meant", () => {
    const clock = { ...need("c", "input"), isClock: true };
    const plain = part.pins.find((pin) => !pin.isClock)!.name;
    expect(told(`c at ${plain}`, clock)).toEqual(["pins/clock-on-plain-pin 1"]);
    expect(told(`c at ${plain} clock=plain`, clock)).toEqual([]);
    expect(told(`c at ${part.pins.find((pin) => pin.isClock)!.name}`, clock)).toEqual([]);
  });
});

describe("termination", () => {
  it("is for inputs of standards that are meant for it", () => {
    const a = need("a", "input");
    expect(told(`a at ${first} SSTL_18 termination=on`, a)).toEqual([]);
    expect(told(`a at ${first} LVCMOS18 termination=on`, a)).toEqual(["pins/termination 1"]);
    expect(told(`a at ${first} HSTL termination=on`, need("a", "output"))).toEqual(["pins/termination 1"]);
    expect(told(`a at ${first} HSTL termination=on`, need("a", "inout"))).toEqual([]);
  });
  it("is written as it is read", () => {
    const line = `a at ${first} SSTL_18 drive=4 register=on termination=on clock=plain`;
    const [{ assignment }] = parsePins([{ name: "m.pins", text: line }]).pins;
    expect(parsePins([{ name: "m.pins", text: formatPin(assignment) }]).pins[0].assignment).toEqual(assignment);
    expect([assignment.register, assignment.termination]).toEqual([true, true]);
  });
});

describe("outputs that switch together", () => {
  const north = part.pins.filter((pin) => pin.bank === 0).map(({ name }) => name);
  const most = sideSupplies(part.package) * part.family.supplyPinMa;
  const outputs = (count: number, options: string) => {
    const needs = Array.from({ length: count }, (_, i) => need(`q[${i}]`, "output"));
    return told(needs.map(({ bitName }, i) => `${bitName} at ${north[i]} LVCMOS33 ${options}`).join("\n"), ...needs);
  };
  it("are told when they draw more than the bank's supply pins carry", () => {
    const fit = Math.floor(most / 12);
    expect(fit).toBeLessThan(north.length);
    expect(outputs(fit, "drive=12")).toEqual([]);
    expect(outputs(fit + 1, "drive=12")).toEqual(["pins/switching q[0]"]);
    expect(outputs(fit + 1, "drive=12 slew=slow")).toEqual([]);
    expect(outputs(fit + 1, "drive=8")).toEqual([]);
  });
});
