import { describe, expect, it } from "vitest";
import type { Finding } from "../src/common/index.ts";
import { type PinNeed, pairOf, parsePins, planPins } from "../src/constraints/index.ts";
import { estimateSkewNs } from "../src/constraints/pins/clock-pins.ts";
import { findPart, listParts, type Part, sideSupplies, specialRoles } from "../src/device/index.ts";
import { nodeKind } from "../src/device/tile-pattern.ts";
import { checkDesign, MemoryStore, runFlow } from "../src/flow/index.ts";
import { cellKind, ffPin } from "../src/netlist/index.ts";
import { cornerDelays } from "../src/timing/index.ts";
import { built, designInput, layoutOf } from "./helpers/build.ts";
import { repaired } from "./helpers/edits.ts";
import { need } from "./helpers/pin-need.ts";

const parts = listParts()
  .filter((name) => name.endsWith("-1C"))
  .map((name) => findPart(name).part!);

interface Case {
  readonly text: string;
  readonly needs: readonly PinNeed[];
  /** Code and line of what must be told, errors and warnings alone. */
  readonly told: readonly string[];
  /** A repair must be offered, and leave nothing of it. */
  readonly isRepaired?: boolean;
}

const check = (part: Part, text: string, needs: readonly PinNeed[]) => {
  const parsed = parsePins([{ name: "m.pins", text }]);
  const plan = planPins(parsed.pins, needs, part);
  return { plan: plan.artifact, findings: [...parsed.findings, ...plan.findings] };
};
const say = (findings: readonly Finding[]) =>
  findings
    .filter(({ severity, code }) => severity !== "note" && code !== "pins/automatic")
    .map(({ code, place }) => `${code} ${place.line ?? place.object}`);

/** Plain pins of a part: no clock, no second use, of bank 1 first. */
const plain = (part: Part) =>
  part.pins.filter(({ isClock, isReference, special }) => !isClock && !isReference && !special).map(({ name }) => name);
const pairsOf = (part: Part) =>
  part.pins.flatMap((pin) => {
    const pair = pairOf(part, pin);
    return pair?.isFirst ? [[pin.name, pair.pin.name] as const] : [];
  });
const has = (part: Part, standard: string) => part.family.standards.some(({ name }) => name === standard);

/** As many outputs in one bank as its supply pins just cannot feed. */
function crowded(part: Part, supplyPinMa: number, options: string, code: string): Case | null {
  const most = (sideSupplies(part.package) / part.die.banksPerSide) * supplyPinMa;
  const own = part.pins.filter(({ bank, special }) => bank === 0 && !special);
  const count = Math.floor(most / 12) + 1;
  if (own.length < count) return null;
  return {
    text: own
      .slice(0, count)
      .map(({ name }, i) => `q[${i}] at ${name} drive=12${options}`)
      .join("\n"),
    needs: Array.from({ length: count }, (_, i) => need(`q[${i}]`, "output")),
    told: [`${code} q[0]`],
    isRepaired: true,
  };
}

/** For each rule, files that break it; null where a family has nothing that it could be broken with. */
const rules: Readonly<Record<string, (part: Part) => Case | null>> = {
  "a port that is not there": (part) => ({
    text: `lamp at ${plain(part)[0]}\nlamps at ${plain(part)[1]}`,
    needs: [need("lamps")],
    told: ["pins/unknown-port 1"],
    isRepaired: false, // to be the port of the other line is no better
  }),
  "a port misspelt": (part) => ({
    text: `lmaps at ${plain(part)[0]}`,
    needs: [need("lamps")],
    told: ["pins/unknown-port 1"],
    isRepaired: true,
  }),
  "a pin that is not there": (part) => ({
    text: `b at ${plain(part)[0]}\na at Z99`,
    needs: [need("a"), need("b")],
    told: ["pins/unknown-pin 2"],
  }),
  "a supply pin": (part) => ({
    text: `a at T1\nb at ${plain(part)[0]}`,
    needs: [need("a"), need("b")],
    told: part.pinByName.has("T1") ? [] : ["pins/unknown-pin 1"],
  }),
  "a standard misspelt": (part) => ({
    text: `a at ${plain(part)[0]} LVCMSO33`,
    needs: [need("a")],
    told: ["pins/unknown-standard 1"],
    isRepaired: true,
  }),
  "one port twice": (part) => ({
    text: `a at ${plain(part)[0]}\na at ${plain(part)[1]}`,
    needs: [need("a")],
    told: ["pins/duplicate-port 2"],
    isRepaired: true,
  }),
  "one pin twice": (part) => ({
    text: `a at ${plain(part)[0]}\nb at ${plain(part)[0]}`,
    needs: [need("a"), need("b")],
    told: ["pins/duplicate-pin 2"],
    isRepaired: true,
  }),
  "two voltages in a bank": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33\nb at ${plain(part)[1]} LVCMOS18 # slow`,
    needs: [need("a"), need("b")],
    told: ["pins/bank-voltage 2"],
    isRepaired: true,
  }),
  "two voltages in a bank, one by default": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS18\nb at ${plain(part)[1]}`,
    needs: [need("a"), need("b")],
    told: ["pins/bank-voltage 2"],
    isRepaired: true,
  }),
  "standards of one voltage, which may share a bank": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33\nb at ${plain(part)[1]} LVTTL`,
    needs: [need("a"), need("b")],
    told: [],
  }),
  "a pair at its second pin": (part) =>
    has(part, "LVDS")
      ? {
          text: `a at ${pairsOf(part)[0][1]} LVDS`,
          needs: [need("a")],
          told: ["pins/pair 1"],
          isRepaired: true,
        }
      : null,
  "a pair whose second pin is taken": (part) =>
    has(part, "LVDS")
      ? {
          text: `a at ${pairsOf(part)[0][0]} LVDS\nb at ${pairsOf(part)[0][1]} LVCMOS25`,
          needs: [need("a"), need("b")],
          told: ["pins/pair 2"],
          isRepaired: true,
        }
      : null,
  "a pair that goes both ways": (part) =>
    has(part, "LVDS")
      ? { text: `a at ${pairsOf(part)[0][0]} LVDS`, needs: [need("a", "inout")], told: ["pins/pair 1"] }
      : null,
  "a port at the level that another one compares with": (part) => {
    const reference = part.pins.find(({ isReference, bank }) => isReference && bank === 0);
    if (!reference) return null;
    return {
      text: `a at ${plain(part)[0]} SSTL_18\nb at ${reference.name} LVCMOS18`,
      needs: [need("a"), need("b")],
      told: ["pins/reference 2"],
      isRepaired: true,
    };
  },
  "an output of such a standard, which compares with nothing": (part) => {
    const reference = part.pins.find(({ isReference, bank }) => isReference && bank === 0);
    if (!reference) return null;
    return {
      text: `a at ${plain(part)[0]} SSTL_18\nb at ${reference.name} LVCMOS18`,
      needs: [need("a", "output"), need("b")],
      told: [],
    };
  },
  "a clock at a plain pin": (part) => ({
    text: `clk at ${plain(part)[0]} # oscillator`,
    needs: [need("clk", "input", { isClock: true, clocked: 40 })],
    told: ["pins/clock-on-plain-pin 1"],
    isRepaired: true,
  }),
  "a clock at a plain pin, on purpose": (part) => ({
    text: `clk at ${plain(part)[0]} clock=plain`,
    needs: [need("clk", "input", { isClock: true })],
    told: [],
  }),
  "leave for a clock where none is needed": (part) => ({
    text: `clk at ${part.pins.find(({ isClock }) => isClock)!.name} clock=plain`,
    needs: [need("clk", "input", { isClock: true })],
    told: ["pins/no-effect 1"],
    isRepaired: true,
  }),
  "a drive that a standard does not have": (part) =>
    has(part, "LVCMOS12")
      ? {
          text: `a at ${plain(part)[0]} LVCMOS12 drive=12 slew=slow`,
          needs: [need("a", "output")],
          told: ["pins/drive 1"],
          isRepaired: true,
        }
      : null,
  "a drive and edges of an input": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33 drive=12 slew=slow`,
    needs: [need("a")],
    told: ["pins/no-effect 1", "pins/no-effect 1"],
    isRepaired: true,
  }),
  "slow edges of a pair": (part) =>
    has(part, "LVDS")
      ? {
          text: `a at ${pairsOf(part)[0][0]} LVDS slew=slow pull=up`,
          needs: [need("a", "output")],
          told: ["pins/slew 1", "pins/pull 1"],
          isRepaired: true,
        }
      : null,
  "hysteresis that a standard does not have": (part) =>
    has(part, "LVCMOS12")
      ? {
          text: `a at ${plain(part)[0]} LVCMOS12 hysteresis=on`,
          needs: [need("a")],
          told: ["pins/hysteresis 1"],
          isRepaired: true,
        }
      : null,
  "hysteresis of an output": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33 hysteresis=on`,
    needs: [need("a", "output")],
    told: ["pins/no-effect 1"],
    isRepaired: true,
  }),
  "termination that a standard does not have": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33 termination=on`,
    needs: [need("a")],
    told: ["pins/termination 1"],
    isRepaired: true,
  }),
  "a first value against the source's": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33 initial=1\nb at ${plain(part)[1]} initial=1\nc at ${plain(part)[2]} initial=1`,
    needs: [need("a", "output", { initial: "0" }), need("b", "output", { initial: "x" }), need("c", "output")],
    told: ["pins/initial 1", "pins/no-effect 3"],
    isRepaired: true,
  }),
  "a pull against the source's": (part) => ({
    text: `a at ${plain(part)[0]} LVCMOS33 pull=down`,
    needs: [need("a", "inout", { pull: "up" })],
    told: ["pins/pull 1"],
    isRepaired: true,
  }),
  "an input at a wire to the flash": (part) => {
    const flash = part.pins.find(({ special }) => special && specialRoles[special].drivenBy === "part");
    if (!flash) return null;
    return {
      text: `a at ${flash.name}`,
      needs: [need("a")],
      told: ["pins/special 1"],
      isRepaired: true,
    };
  },
  "too many outputs that switch together": (part) => crowded(part, part.family.supplyPinMa, "", "pins/switching"),
  "too much current of slow outputs": (part) =>
    crowded(part, part.family.steadyPinMa, " slew=slow", "pins/bank-current"),
  "a clock that is kept inside": () => ({
    text: "clk inside",
    needs: [need("clk", "input", { isClock: true })],
    told: ["pins/inside 1"],
  }),
  "half a vector that is kept inside": (part) => ({
    text: `d[0] inside\nd[1] at ${plain(part)[0]}\nclk at ${part.pins.find(({ isClock }) => isClock)!.name}`,
    needs: [need("d[0]"), need("d[1]"), need("clk", "input", { isClock: true })],
    told: ["pins/inside 1"],
    isRepaired: true,
  }),
  "a port inside of a circuit without a clock": () => ({
    text: "d inside",
    needs: [need("d")],
    told: ["pins/inside 1"],
    isRepaired: true,
  }),
};

describe("each rule of the pins", () => {
  for (const [name, caseFor] of Object.entries(rules))
    it(`tells of ${name}, on every part that it can be broken on`, () => {
      let tried = 0;
      for (const part of parts) {
        const broken = caseFor(part);
        if (!broken) continue;
        tried++;
        const { findings, plan } = check(part, broken.text, broken.needs);
        expect(say(findings), `${part.name}\n${broken.text}`).toEqual(broken.told);
        for (const { code, place, remedy } of findings) {
          expect(remedy, code).toMatch(/\.$|\?$/);
          if (place.file) expect(place.column).toBeGreaterThanOrEqual(1);
        }
        // errors stop the plan, and nothing else does
        expect(plan === null).toBe(findings.some(({ severity }) => severity === "error"));
        if (!broken.isRepaired) continue;
        let text = broken.text;
        for (let step = 0; step < 200; step++) {
          const [first] = check(part, text, broken.needs).findings.filter(
            ({ severity, code }) => severity !== "note" && code !== "pins/automatic",
          );
          if (!first) break;
          expect(first.edit, `${part.name}: ${first.code}`).toBeDefined();
          const next = repaired(text, first.edit!);
          expect(next).not.toBe(text);
          text = next;
        }
        expect(say(check(part, text, broken.needs).findings), `${part.name}\n${text}`).toEqual([]);
        // comments are the engineer's
        const comments = (from: string) => from.match(/#.*/g) ?? [];
        expect(comments(text)).toEqual(comments(broken.text));
      }
      expect(tried).toBeGreaterThan(0);
    });

  it("is stopped before anything is built, at once", () => {
    // every pin of the largest package, each with a fault
    const part = parts.find(({ name }) => name.includes("G484"))!;
    const needs = part.pins.map((_, i) => need(`d[${i}]`));
    const text = part.pins
      .map(({ name }, i) => `d[${i}] at ${name} ${i % 2 ? "LVCMOS18" : "LVCMOS33"} drive=12`)
      .join("\n");
    const { plan, findings } = check(part, text, needs);
    expect(plan).toBeNull();
    expect(findings.length).toBeGreaterThan(part.pins.length);
  });
});

describe("a board that is made for another part", () => {
  it("is told of, by the check and by a build; one of another grade is not another part", async () => {
    const text = "module m(input a, output y); assign y = ~a; endmodule";
    const of = (part: string) => designInput(text, { part, board: "shuttle" });
    const told = (findings: readonly Finding[]) => findings.filter(({ code }) => code === "pins/board-part").length;
    for (const [part, count] of [
      ["TW-2-P144-2C", 0],
      ["TW-2-P144-1C", 0],
      ["TW-2-P84-2C", 1],
      ["CA-1-P84-2C", 1],
    ] as const) {
      expect(told(checkDesign(of(part)).pinFindings), part).toBe(count);
      expect(told((await runFlow(of(part), new MemoryStore(), { stopAfter: "rules" })).findings), part).toBe(count);
    }
  });
});

describe("what a clock costs at a plain pin", () => {
  it("grows with what it clocks, never beyond the die, and is more than by the network", () => {
    for (const part of parts) {
      let last = 0;
      for (const clocked of [1, 10, 100, 1000, 10_000, 1_000_000]) {
        const { plain: own, network } = estimateSkewNs(part, clocked);
        expect(own).toBeGreaterThanOrEqual(last);
        expect(own).toBeGreaterThan(network);
        last = own;
      }
      expect(last).toBeLessThan(40);
    }
  });

  it("comes near what is built, by ordinary wires and by the network", async () => {
    let compared = 0;
    for (const [name, registers] of [
      ["TW-2-P144-2C", 40],
      ["TW-9-P144-1C", 120],
      ["CA-1-P84-2C", 120],
      ["FE-256-P44-1C", 40],
    ] as const) {
      const { part } = findPart(name);
      const text = `module m(input clk, input d, output q); reg [${registers - 1}:0] r;
        always @(posedge clk) r <= {r[${registers - 2}:0] ^ {r[0], r[${registers - 1}:2]}, d}; assign q = ^r; endmodule`;
      const estimate = estimateSkewNs(part!, registers);
      for (const way of ["plain", "network"] as const) {
        const pin = part!.pins.find(({ isClock, pad }) => pad >= 0 && isClock === (way === "network"))!.name;
        const pinFiles = [{ name: "m.pins", text: `clk at ${pin}${way === "plain" ? " clock=plain" : ""}\n` }];
        const layout = await layoutOf(await built(text, { part: name, pinFiles }));
        const { graph } = layout.part;
        // where routing finds a way from the wires onto the network, ordinary wires are not what is measured
        const isOnNetwork = layout.routed.treeNode.some((node) => graph.nodeKind[node] === nodeKind.regionClock);
        if (way === "plain" && isOnNetwork) continue;
        compared++;
        const { netPs } = cornerDelays(layout, "slow-hot");
        const { kind, inputStart } = layout.netlist;
        const arrivals = [...kind].flatMap((own, cell) =>
          own === cellKind.flipFlop ? [netPs[inputStart[cell] + ffPin.clock]] : [],
        );
        const skew = (Math.max(...arrivals) - Math.min(...arrivals)) / 1000;
        expect(estimate[way] / skew, `${name} ${way}`).toBeGreaterThan(0.3);
        expect(estimate[way] / skew, `${name} ${way}`).toBeLessThan(3);
      }
    }
    expect(compared).toBeGreaterThanOrEqual(6);
  });
});

describe("reading lines of a pin file", () => {
  const read = (text: string) => parsePins([{ name: "m.pins", text }]);
  const told = (text: string) => read(text).findings.map(({ code, place }) => `${code} ${place.line}:${place.column}`);
  it("tells what is wrong with each, at its word, with a repair where one is meant", () => {
    expect(told("a\nb at\nc on N1\nd inside LVCMOS33")).toEqual([
      "pins/syntax 1:1",
      "pins/syntax 2:1",
      "pins/syntax 3:1",
      "pins/syntax 4:10",
    ]);
    expect(told("a at N1 LVCMOS33 LVTTL")).toEqual(["pins/syntax 1:18"]);
    expect(told("a at N1 drive=8 drive=12")).toEqual(["pins/option 1:17"]);
    expect(told("a at N1 pul=up slew=sloww drive=10")).toEqual([
      "pins/option 1:9",
      "pins/option 1:16",
      "pins/option 1:27",
    ]);
    let text = "a at N1 pul=up slew=sloww drive=10 drive=4 LVTTL LVCMOS33 # lamp\nd inside LVCMOS33";
    for (let i = 0; i < 10 && read(text).findings.length; i++) text = repaired(text, read(text).findings[0].edit!);
    expect(text).toBe("a at N1 pull=up slew=slow drive=8 LVTTL # lamp\nd inside");
  });
  it("takes all that it says", () => {
    const [pin, inside] = read(
      "p at n3 lvttl drive=12 slew=slow pull=up hysteresis=on register=on termination=on clock=plain initial=1\nq[3] inside # study",
    ).pins;
    expect(pin.assignment).toEqual({
      port: "p",
      pin: "N3",
      standard: "LVTTL",
      drive: 12,
      slew: "slow",
      pull: "up",
      hysteresis: true,
      register: true,
      termination: true,
      clock: "plain",
      initial: "1",
    });
    expect([inside.isInside, inside.assignment.port]).toEqual([true, "q[3]"]);
  });
});
