import type { Design, DesignFile, Target, TargetRules } from "@gate-clock/contract";
import { kindOfPath, Random } from "@gate-clock/core";
import { strToU8, zipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { anyJson, damagedBytes, fuzzRuns, fuzzSeed } from "../../../packages/core/test/helpers/damage.ts";
import { packDesign, unpackZip } from "../src/start/design-zip.ts";

const file = (path: string, text: string, inUse = true): DesignFile => ({
  id: path,
  path,
  kind: kindOfPath(path),
  text,
  version: 1,
  updatedAt: "",
  inUse,
  sharedWith: [],
});
const design = {
  name: "warp tension",
  description: "Keeps the warp even.",
  part: "TW-2-P144-2C",
  board: "shuttle",
  top: "tension",
  recipe: "even",
  seed: 3,
  files: [
    file("rtl/tension.v", "module tension; endmodule\n"),
    file("tb.sv", "// größer\n"),
    file("shuttle.pins", "clk at W1\n"),
    file("t.sdc", ""),
  ],
} as unknown as Design;
const target = (id: string, name: string, part: string, seed: number) =>
  ({ id, name, part, board: null, recipe: "swift", seed, ruleFiles: [], lastTrial: null }) as Target;
const asFile = (data: Uint8Array | Blob, name = "d.zip") => new File([data as BlobPart], name);

describe("a design as a zip", () => {
  it("keeps rules that a target does not use, and says so", async () => {
    const trial = file("trial.pins", "clk at N1\n", false);
    const blob = await packDesign({ ...design, files: [...design.files, trial] }, () => "");
    const { files } = await unpackZip(asFile(blob));
    expect(files.filter(({ inUse }) => inUse === false).map(({ path }) => path)).toEqual(["trial.pins"]);
    expect(files).toHaveLength(design.files.length + 1);
  });

  it("opens again with all its files, in their order, and its settings", async () => {
    const blob = await packDesign(design, (id) => design.files.find((each) => each.id === id)!.text);
    const { files, settings, skipped } = await unpackZip(asFile(blob));
    expect(files).toEqual(design.files.map(({ path, kind, text }) => ({ path, kind, text })));
    expect(settings).toEqual({
      name: "warp tension",
      description: "Keeps the warp even.",
      part: "TW-2-P144-2C",
      board: "shuttle",
      top: "tension",
      recipe: "even",
      seed: 3,
    });
    expect(skipped).toEqual([]);
  });
  it("opens again with every target and its rules, also where two have files of one name", async () => {
    const targets = [
      target("t1", "big loom", "TW-2-P144-2C", 3),
      target("t2", "small / loom", "CA-1-P84-2C", 8),
      target("t3", "small - loom", "FE-64-P44-2C", 9),
      target("t4", "bare", "FE-256-P44-2C", 1),
    ];
    const rule = (path: string, text: string) => ({ path, kind: kindOfPath(path), text });
    const rules: TargetRules[] = [
      { targetId: "t1", files: [rule("shuttle.pins", "clk at W1\n"), rule("t.sdc", "")] },
      { targetId: "t2", files: [rule("shuttle.pins", "clk at W2\n"), rule("t.sdc", "")] },
      { targetId: "t3", files: [rule("shuttle.pins", "clk at W3\n"), rule("own.sdc", "# slow\n")] },
    ];
    const chosen = { ...design, targetId: "t1", targetName: "big loom" } as Design;
    const textOf = (id: string) => design.files.find((each) => each.id === id)!.text;
    const { files, settings, skipped } = await unpackZip(asFile(await packDesign(chosen, textOf, targets, rules)));
    expect(skipped).toEqual([]);
    expect(files).toEqual(design.files.map(({ path, kind, text }) => ({ path, kind, text })));
    expect(settings.target).toBe("big loom");
    expect(settings.targets!.map(({ name, part, recipe, seed }) => [name, part, recipe, seed])).toEqual(
      targets.slice(1).map(({ name, part, recipe, seed }) => [name, part, recipe, seed]),
    );
    expect(settings.targets!.map((each) => each.files)).toEqual([rules[1].files, rules[2].files, []]);
  });
  it("loses one folder around everything, hidden files and what is no text, and says so", async () => {
    const data = zipSync({
      "d/a.v": strToU8("a"),
      "d/sub/b.v": strToU8("b"),
      "d/.git/x": strToU8("x"),
      "d/pic.png": new Uint8Array([1, 0, 2]),
    });
    const { files, skipped } = await unpackZip(asFile(data));
    expect(files.map((each) => each.path)).toEqual(["a.v", "sub/b.v"]);
    expect(skipped).toEqual(["pic.png: not text"]);
  });
  it("is refused in words when it is none", async () => {
    await expect(unpackZip(asFile(strToU8("no zip at all")))).rejects.toThrow(/not a zip file/);
  });
  it("is a design or refused in a sentence, whatever was done to its bytes or to what its settings say", {
    timeout: 600_000,
  }, async () => {
    const random = new Random(fuzzSeed);
    const names = ["name", "part", "board", "sources", "pins", "timing", "targets", "seed", "top", "__proto__"];
    const texts = ["a.v", "m.pins", "../a.v", "", "a\0b", "gateclock.json", "TW-2-P144-2C"];
    const whole = zipSync({
      "a.v": strToU8("module a; endmodule\n"),
      "m.pins": strToU8(""),
      "gateclock.json": strToU8("{}"),
    });
    let opened = 0;
    for (let i = 0; i < fuzzRuns(400); i++) {
      const data = random.below(2)
        ? damagedBytes(whole, random)
        : zipSync({
            "a.v": strToU8("module a; endmodule\n"),
            [random.below(2) ? "d/m.pins" : "m.pins"]: strToU8(""),
            "gateclock.json": strToU8(JSON.stringify(anyJson(random, names, texts))),
          });
      try {
        const { files, settings, skipped } = await unpackZip(asFile(data));
        opened++;
        for (const file of files) expect(typeof file.path + typeof file.text).toBe("stringstring");
        for (const key of ["name", "part", "board", "top", "recipe"] as const)
          expect(["string", "undefined"]).toContain(typeof settings[key]);
        for (const each of skipped) expect(typeof each).toBe("string");
      } catch (error) {
        expect((error as Error).message).toMatch(/not a zip file that can be read|no design is that large/);
      }
    }
    expect(opened).toBeGreaterThan(100);
  });
});
