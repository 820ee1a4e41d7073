import { describe, expect, it } from "vitest";
import { configMap, decodeBitstream, encodeBitstream, readHeader } from "../src/bitstream/index.ts";
import { decodeArtifact, encodeArtifact, Random, type SourceFile } from "../src/common/index.ts";
import { parsePins, planPins } from "../src/constraints/index.ts";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import { findPart } from "../src/device/index.ts";
import { readMemoryText } from "../src/elaborate/memory-text.ts";
import type { Signal } from "../src/elaborate/model.ts";
import { checkSteps, PlayError } from "../src/flow/play.ts";
import { parseCondition, VcdError, vcdLoader } from "../src/simulate/index.ts";
import { anyJson, damagedBytes, damagedText, fuzzRuns, fuzzSeed } from "./helpers/damage.ts";

/** Whatever a loader is given, it takes it or says what is wrong, and never more than that. */

const random = new Random(fuzzSeed);
const { part } = findPart("TW-2-P144-2C");
/** Runs with the text that failed named. */
function each(count: number, make: () => unknown, tries: (given: never) => void): void {
  for (let i = 0; i < fuzzRuns(count); i++) {
    const given = make();
    try {
      tries(given as never);
    } catch (error) {
      const shown =
        typeof given === "string"
          ? JSON.stringify(given)
          : given instanceof Uint8Array
            ? Buffer.from(given).toString("hex")
            : JSON.stringify(given);
      throw new Error(`${(error as Error).stack}\nfor ${shown?.slice(0, 3000)}`);
    }
  }
}

describe("loaders", { timeout: 600_000 }, () => {
  it("of artifacts give a value or an error", () => {
    const good = encodeArtifact({
      bytes: Uint8Array.of(1, 2, 3),
      words: Int32Array.of(-1, 2 ** 30, 5, 6, 7),
      big: 12345678901234567890n,
      list: [1, "weft", null, { x: 1.5, deep: [[["a"]]] }],
    });
    let refused = 0;
    each(
      3000,
      () => damagedBytes(good, random),
      (bytes) => {
        try {
          decodeArtifact(bytes);
        } catch (error) {
          refused++;
          expect(error).toBeInstanceOf(Error);
          // of the code that reads, not of the engine's limits
          expect((error as Error).message).not.toMatch(/call stack|allocation/i);
        }
      },
    );
    expect(refused).toBeGreaterThan(100);
  });

  it("of bitstreams refuse what is not whole, also where the checks at its end are right", () => {
    const memory = new Uint8Array(configMap(part!).byteCount);
    for (let i = 0; i < 4000; i++) memory[random.below(memory.length)] = random.below(256);
    for (const compressed of [false, true]) {
      const good = encodeBitstream(
        memory.map((byte, i) => (i < 3000 ? byte : 0)),
        part!,
        "00".repeat(32),
        { omitBlankFrames: true, compressed },
      );
      expect(decodeBitstream(good, part!).ok).toBe(true);
      each(
        60,
        () => damagedBytes(good, random),
        (bytes: Uint8Array) => {
          readHeader(bytes);
          const same = bytes.length === good.length && bytes.every((byte, i) => byte === good[i]);
          expect(decodeBitstream(bytes, part!).ok).toBe(same);
        },
      );
    }
  });

  it("of pins and clocks point at what is wrong", () => {
    const pins =
      "# loom\nclk at N19 LVCMOS33\nlamps[0] at E1 LVCMOS18 drive=12 slew=slow pull=down hysteresis=on\nswitches[3] pull=up register=on\nq+ at A1 clock=plain\n";
    const clocks =
      "create_clock -period 10 -name main [get_ports clk]\ncreate_clock -name {slow one} -period 40.5 -waveform {0 20} [get_ports {lamps[0]}]\n";
    const words = [
      "at",
      "=",
      "-",
      "[",
      "]",
      "{",
      "}",
      "\\",
      '"',
      "\n",
      "#",
      "drive=99999999999",
      "E1",
      "N19",
      "1e400",
      "NaN",
      "-period",
      "get_ports",
    ];
    each(
      1500,
      () => damagedText(random.below(2) ? pins : clocks, random, words),
      (text: string) => {
        const file: SourceFile = { name: "f", text };
        const read = parsePins([file]);
        planPins(
          read.pins,
          ["clk", "lamps[0]", "switches[3]"].map((bitName) => ({
            bitName,
            direction: "input" as const,
            isClock: bitName === "clk",
          })),
          part!,
        );
        const lines = text.split(/\r\n|\r|\n/).length;
        const sdc = readTimingFiles([file], null);
        for (const { place, message } of [...read.findings, ...sdc.findings]) {
          expect(place.line, message).toBeGreaterThan(0);
          expect(place.line, message).toBeLessThanOrEqual(lines);
        }
        for (const { periodPs } of sdc.rules.clocks) expect(periodPs).toBeGreaterThan(0);
      },
    );
  });

  it("of memory files write into the memory alone, or say the line", () => {
    const memory = (left: number, right: number, width: number) =>
      ({ width, dims: [{ left, right }] }) as unknown as Signal;
    const text = "// tension table\n@0 12 3x zZ _4\n/* and\n more */ @1f ff 00\n@03 7\n";
    each(
      2000,
      () =>
        damagedText(text, random, [
          "@",
          "@ffffffffffffffffff",
          "@-1",
          "x",
          "z",
          "_",
          "\n",
          "//",
          "/*",
          "*/",
          "0",
          "f".repeat(300),
        ]),
      (given: string) => {
        for (const [left, right, from, to] of [
          [0, 31, null, null],
          [31, 0, 3, 20],
          [5, 9, 9, 5],
          [-4, 4, null, null],
        ] as const) {
          const [low, high] = [Math.min(left, right), Math.max(left, right)];
          const said = readMemoryText(
            memory(left, right, 8),
            given,
            random.below(2) === 1,
            from,
            to,
            (at, { a, b }) => {
              expect(at).toBeGreaterThanOrEqual(0);
              expect(at).toBeLessThanOrEqual(high - low);
              expect(a >> 8n).toBe(0n);
              expect(b >> 8n).toBe(0n);
            },
          );
          if (said !== null) expect(said).toMatch(/^(line \d+: |only \d+ word)/);
        }
      },
    );
  });

  it("of dumps, and of conditions over them, know what they refuse", () => {
    const dump =
      '$date today $end $timescale 1 ns $end\n$scope module tb $end $var wire 1 ! clk $end $var reg 8 " pick [7:0] $end $var real 64 # r $end $upscope $end $enddefinitions $end\n#0 $dumpvars 0! bx " r0.5 # $end\n#5 1!\nb1010 "\n#7 r1e3 #\n0!\n#20\n';
    let read = 0;
    each(
      1500,
      () =>
        damagedText(dump, random, [
          "#",
          "$end",
          "b",
          "r",
          "x",
          "z",
          "!",
          "$var",
          "#99999999999999999999",
          "$scope",
          "1 fs",
          "-1",
        ]),
      (text: string) => {
        try {
          const { reader, finish } = vcdLoader();
          const bytes = Buffer.from(text, "utf8");
          const chunk = 1 + random.below(bytes.length + 1);
          for (let at = 0; at < bytes.length; at += chunk) reader.push(bytes.subarray(at, at + chunk));
          const waves = finish();
          read++;
          const condition = damagedText("tb.pick == 8'h0a && rose(tb.clk) || tb.r > 1.5", random, [
            "(",
            ")",
            "&&",
            "==",
            "tb",
            "8'h",
            "!",
          ]);
          parseCondition(condition, waves);
        } catch (error) {
          expect(error).toBeInstanceOf(VcdError);
        }
      },
    );
    expect(read).toBeGreaterThan(50);
  });

  it("of scripts tell the step that is none", () => {
    let good = 0;
    const texts = ["clk", "20us", "z", "", "lamps[0]", "x".repeat(500)];
    const names = [
      "set",
      "run",
      "clock",
      "link",
      "read",
      "expect",
      "port",
      "cycles",
      "from",
      "to",
      "__proto__",
      "constructor",
    ];
    each(
      5000,
      () =>
        random.below(5)
          ? [anyJson(random, names, texts, 1), anyJson(random, names, texts, 1)]
          : anyJson(random, names, texts),
      (value) => {
        try {
          checkSteps(value);
          good++;
        } catch (error) {
          expect(error).toBeInstanceOf(PlayError);
        }
      },
    );
    expect(good).toBeGreaterThan(20);
  });
});
