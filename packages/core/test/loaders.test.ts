import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { configMap, decodeBitstream, encodeBitstream, packRuns, unpackRuns } from "../src/bitstream/index.ts";
import { decodeArtifact, encodeArtifact, hashValue, nearestName, quietContext } from "../src/common/index.ts";
import { formatPin, parsePins, planPins } from "../src/constraints/index.ts";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import { findPart } from "../src/device/index.ts";
import { congestionFinding } from "../src/route/congestion.ts";
import { route } from "../src/route/index.ts";
import { decodeCircuit, Engine } from "../src/silicon/index.ts";
import { built, testPart } from "./helpers/build.ts";

const { part } = findPart(testPart);

describe("artifacts", () => {
  it("come back as they were, typed arrays aligned and on memory of their own, also from a Node buffer", () => {
    const value = {
      bytes: Uint8Array.of(1, 2, 3),
      words: Int32Array.of(-1, 2 ** 30),
      floats: Float64Array.of(0.1, -0),
      big: 12345678901234567890n,
      text: "picks[3]",
      none: null,
      list: [1, "a", { x: true }],
    };
    const encoded = encodeArtifact(value);
    for (const bytes of [encoded, Buffer.from(encoded)]) {
      const back = decodeArtifact<typeof value>(bytes);
      expect(back).toEqual(value);
      back.words[0] = 7;
      expect(decodeArtifact<typeof value>(bytes).words[0]).toBe(-1);
    }
  });
  it("have one key for equal values, another for any change", () => {
    expect(hashValue({ a: [1, 2], b: "x" })).toBe(hashValue({ a: [1, 2], b: "x" }));
    const seen = new Set(
      [{ a: 1 }, { a: 2 }, { b: 1 }, [1], "1", 1, null, Int32Array.of(1), Uint32Array.of(1)].map(hashValue),
    );
    expect(seen.size).toBe(9);
  });
});

describe("bitstream files", () => {
  const blank = new Uint8Array(configMap(part!).byteCount);
  const plain = encodeBitstream(blank, part!, "00".repeat(32), { omitBlankFrames: true });
  const someBits = blank.map((_, i) => (i % 997 === 5 && i < 5000 ? i & 255 : 0));
  const runs = encodeBitstream(someBits, part!, "00".repeat(32), { omitBlankFrames: true, compressed: true });
  it.each([
    ["", plain],
    [", packed,", runs],
  ])(
    "as they are%s are never taken when any byte is changed or missing, and never make the reader throw",
    (_, good) => {
      fc.assert(
        fc.property(fc.nat(good.length - 1), fc.integer({ min: 1, max: 255 }), (at, by) => {
          const bad = good.slice();
          bad[at] ^= by;
          expect(decodeBitstream(bad, part!).ok).toBe(false);
          expect(decodeBitstream(good.slice(0, at), part!).ok).toBe(false);
        }),
        { numRuns: 400, seed: 1 },
      );
    },
  );
  it("hold runs that come back as any bytes, never longer by more than a byte in 128, and broken ones make nothing", () => {
    const bytes = fc
      .array(fc.tuple(fc.constantFrom(0, 0, 0, 255, 7), fc.integer({ min: 1, max: 90 })), { maxLength: 12 })
      .map((runs) => Uint8Array.from(runs.flatMap(([byte, count]) => new Array<number>(count).fill(byte))));
    fc.assert(
      fc.property(
        fc.oneof(bytes, fc.uint8Array({ maxLength: 300 })),
        fc.uint8Array({ maxLength: 40 }),
        (own, noise) => {
          const packed = packRuns(own);
          expect(unpackRuns(packed, own.length)).toEqual(own);
          expect(packed.length).toBeLessThanOrEqual(own.length + Math.ceil(own.length / 128));
          expect(unpackRuns(packed, own.length + 1)).toBeNull();
          if (own.length) expect(unpackRuns(packed, own.length - 1)).toBeNull();
          const made = unpackRuns(noise, 50);
          expect(made === null || made.length === 50).toBe(true);
        },
      ),
      { numRuns: 1000, seed: 3 },
    );
  });
  it("of random bytes behind a start mark are refused", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
        expect(decodeBitstream(Uint8Array.of(0x47, 0x43, 0x4c, 0x4b, ...bytes), part!).ok).toBe(false);
      }),
      { numRuns: 500, seed: 2 },
    );
  });
  it("with random configuration bits, loops and all, still make a part that runs", () => {
    let tables = 0;
    let outputs = 0;
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 90, max: 128 }), (seed, density) => {
        const memory = new Uint8Array(configMap(part!).byteCount);
        let state = seed | 1;
        for (let i = 0; i < memory.length; i++) {
          state = Math.imul(state ^ (state >>> 15), 0x2c1b3c6d);
          if (((state >>> 8) & 127) < density) memory[i] = (state >>> 20) & 255;
        }
        const engine = new Engine(decodeCircuit(part!, memory));
        for (const { signal } of engine.circuit.inputs.slice(0, 3)) engine.setInputs(new Map([[signal, 1]]));
        expect(engine.takeDuty()).toHaveLength(engine.circuit.outputs.length);
        tables += engine.lutCount;
        outputs += engine.circuit.outputs.length;
      }),
      { numRuns: 12, seed: 3 },
    );
    // the runs were about something
    expect(outputs).toBeGreaterThan(200);
    expect(tables).toBeGreaterThan(500);
  });
});

describe("pin and timing files", () => {
  const words = [
    "clk",
    "a[0]",
    "at",
    "N19",
    "N1",
    "LVCMOS33",
    "drive=8",
    "drive=9",
    "slew=",
    "#",
    "\n",
    "\r\n",
    "\t",
    "=",
    "pull=up",
    "create_clock",
    "-period",
    "10",
    "-name",
    "[get_ports",
    "clk]",
    "{",
    "}",
    "[",
    "]",
    '"',
    "\\",
    ";",
    "-waveform",
    "{0 5}",
    "\0",
  ];
  it("never throw, whatever they hold, and point into the file", () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...words), { maxLength: 40 }), fc.constantFrom(" ", ""), (list, between) => {
        const file = { name: "f", text: list.join(between) };
        const pins = parsePins([file]);
        const needs = ["clk", "a[0]"].map((bitName) => ({
          bitName,
          direction: "input" as const,
          isClock: bitName === "clk",
        }));
        planPins(pins.pins, needs, part!);
        for (const finding of [...pins.findings, ...readTimingFiles([file], null).findings])
          expect(finding.place.line).toBeGreaterThan(0);
      }),
      { numRuns: 3000, seed: 4 },
    );
  });
  it("are written back as they are read", () => {
    const line = "lamps[0] at E1 LVCMOS18 drive=12 slew=slow pull=down hysteresis=on";
    const [{ assignment }] = parsePins([{ name: "p", text: line }]).pins;
    expect(parsePins([{ name: "p", text: formatPin(assignment) }]).pins[0].assignment).toEqual(assignment);
  });
  it("give every port left out a pin of its own, clocks on clock pins", () => {
    const needs = Array.from({ length: 120 }, (_, i) => ({
      bitName: `p[${i}]`,
      direction: "input" as const,
      isClock: i % 20 === 0,
    }));
    const plan = planPins(parsePins([{ name: "p", text: "p[3] at N19\np[5] at E1 LVCMOS18" }]).pins, needs, part!)
      .artifact!;
    expect(new Set(plan.pins.map((pin) => pin.pin)).size).toBe(120);
    for (const pin of plan.pins)
      if (needs.find((need) => need.bitName === pin.port)!.isClock)
        expect(part!.pinByName.get(pin.pin)!.isClock).toBe(true);
    // what lands in the bank that was set to 1.8 V takes a standard of 1.8 V
    const bank = part!.pinByName.get("E1")!.bank;
    const inBank = plan.pins.filter((pin) => part!.pinByName.get(pin.pin)!.bank === bank);
    expect(inBank.length).toBeGreaterThan(1);
    for (const pin of inBank) expect(pin.standard).toBe("LVCMOS18");
  });
});

describe("names", () => {
  it("are suggested when letters are swapped, missing or wrong, and not when nothing is near", () => {
    expect(nearestName("coutn", ["clock", "count"])).toBe("count");
    expect(nearestName("cont", ["clock", "count"])).toBe("count");
    expect(nearestName("warp_tension", ["weft", "pick"])).toBeNull();
  });
});

describe("a router that runs out of turns", () => {
  it("names the wires that are wanted more than once and the nets that want them", async () => {
    const lines = Array.from(
      { length: 24 },
      (_, i) => `  reg [7:0] r${i}; always @(posedge clk) r${i} <= r${(i + 5) % 24} + (r${(i + 11) % 24} ^ a);`,
    );
    const result = await built(
      `module m(input clk, input [7:0] a, output [7:0] y);\n${lines.join("\n")}\n  assign y = r3 ^ r17;\nendmodule\n`,
    );
    const [netlist, goals, packed, placed] = await Promise.all([
      result.artifact("synth"),
      result.artifact("goals"),
      result.artifact("pack"),
      result.artifact("place"),
    ]);
    const { artifact, findings } = route(
      netlist!,
      packed!,
      placed!,
      result.part!,
      goals!,
      { maxIterations: 1 },
      quietContext(),
    );
    expect(artifact).toBeNull();
    expect(findings[0].code).toBe("route/congested");
    expect(findings[0].message).toMatch(
      /^\d+ wire\(s\) (in|from) x\d+y\d+.* of \d+ net\(s\): x\d+y\d+\.\S+.*\. Nets: '\S/,
    );
  });
  it("tells the region, the modules that crowd it, and what would help there", () => {
    const { part } = findPart("TW-2-P144-2C");
    const { graph, fabric } = part!;
    const at = (x: number, y: number) => graph.tileFirst[y * fabric.width + x] + 20;
    const nets = [...Array(6).fill("loom.heald.x"), "loom.weft.y", "z"].map((name, i) => `${name}${i}`);
    const near = congestionFinding(part!, [at(3, 4), at(5, 4), at(4, 6)], nets);
    expect(near.message).toMatch(
      /^3 wire\(s\) from x3y4 to x5y6 .* 8 net\(s\): x3y4\.\S+, .*\. Most of the nets are of 'loom\.heald' \(6\), 'loom\.weft' \(1\)\./,
    );
    expect(near.remedy).toMatch(/into those modules/);
    const wide = congestionFinding(part!, [at(1, 1), at(fabric.width - 2, fabric.height - 2)], ["a"]);
    expect(wide.message).not.toMatch(/Most/);
    expect(wide.remedy).toMatch(/all over the part: choose a larger one/);
  });
});
