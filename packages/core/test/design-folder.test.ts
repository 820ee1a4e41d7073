import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Random } from "../src/common/index.ts";
import { type FolderSettings, kindOfPath, readFolderSettings, writeFolderSettings } from "../src/formats/index.ts";
import { anyJson, fuzzRuns, fuzzSeed } from "./helpers/damage.ts";

const text = fc.option(fc.string({ maxLength: 20 }));
const paths = fc.array(fc.string({ minLength: 1, maxLength: 12 }), { maxLength: 4 });
const target = (name: fc.Arbitrary<string | null>) =>
  fc.record({
    name,
    part: text,
    board: text,
    recipe: text,
    seed: fc.option(fc.nat(2 ** 31 - 1)),
    pins: paths,
    timing: paths,
    unused: paths,
  });
const folder: fc.Arbitrary<FolderSettings> = fc.record({
  name: text,
  description: text,
  top: text,
  sources: paths,
  first: target(text),
  further: fc.array(target(fc.string({ maxLength: 9 })), { maxLength: 3 }),
});

describe("the settings of a design's folder", () => {
  it("are read back as they were written", () => {
    fc.assert(
      fc.property(folder, (settings) => {
        expect(readFolderSettings(JSON.parse(writeFolderSettings(settings)))).toEqual({ settings, faults: [] });
      }),
    );
  });
  it("say in a sentence what cannot be used, and keep the rest", () => {
    const { settings, faults } = readFolderSettings({
      name: 3,
      part: "TW-2-P144-2C",
      sources: ["a.v", 7],
      seed: -1,
      targets: [{ name: "small", part: "CA-1-P84-2C", pins: "b.pins" }, { part: "x" }],
    });
    expect(faults).toEqual([
      "-1 is not a seed: give a whole number from 0 to 2147483647.",
      "'targets' must be a list of targets, each with a name.",
      "'pins' must be a list of file names.",
      "'name' must be a text.",
      "'sources' must be a list of file names.",
    ]);
    expect(settings).toMatchObject({ name: null, sources: [], first: { part: "TW-2-P144-2C" } });
    expect(settings.further.map(({ name, part }) => [name, part])).toEqual([["small", "CA-1-P84-2C"]]);
    expect(readFolderSettings(["a.v"]).faults).toEqual(["It must hold one object with the design's settings."]);
  });
  it("are settings whatever the file holds", () => {
    const random = new Random(fuzzSeed);
    const names = ["name", "part", "board", "sources", "pins", "timing", "targets", "seed", "top", "__proto__"];
    for (let i = 0; i < fuzzRuns(2000); i++) {
      const { settings, faults } = readFolderSettings(anyJson(random, names, ["a.v", "", "\0"]));
      expect(readFolderSettings(JSON.parse(writeFolderSettings(settings)))).toEqual({ settings, faults: [] });
      for (const fault of faults) expect(fault).toMatch(/^.+\.$/);
    }
  });
});

describe("a file", () => {
  it("is what its ending says", () => {
    expect(["rtl/a.v", "b.pins", "c.sdc", "d.hex", "pins"].map(kindOfPath)).toEqual([
      "source",
      "pins",
      "timing",
      "source",
      "source",
    ]);
  });
});
