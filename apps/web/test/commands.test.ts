import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { stations } from "../src/stations/heads.ts";
import { type Command, KeySequence, localKeys, matching, matchScore, pressed } from "../src/workbench/commands.ts";

const command = (title: string, keys?: string): Command => ({ id: title, title, group: "", keys, run() {} });

describe("finding a command", () => {
  const all = ["Go to Timing", "Go to Simulate", "Build", "Cancel the build", "Open timing_rules.sdc"].map((title) =>
    command(title),
  );
  it("goes by letters in their order, beginnings of words first", () => {
    expect(matching(all, "gtt")[0].title).toBe("Go to Timing");
    expect(matching(all, "build").map(({ title }) => title)).toEqual(["Build", "Cancel the build"]);
    expect(matching(all, "TIMING").map(({ title }) => title)).toContain("Open timing_rules.sdc");
    expect(matching(all, "zz")).toEqual([]);
    expect(matching(all, "")).toEqual(all);
  });
  it("finds every title by itself, by its words' first letters, and by nothing that it lacks", () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[A-Za-z0-9_.+*()[\] -]{1,30}$/), (title) => {
        expect(matchScore(title, title)).toBeGreaterThan(0);
        const initials = (title.match(/[A-Za-z0-9]+/g) ?? []).map(([first]) => first).join("");
        expect(matchScore(title, initials)).toBeGreaterThan(0);
        expect(matchScore(title, `${title}#`)).toBe(0);
      }),
    );
  });
});

describe("keys", () => {
  const press = (key: string, more: object = {}) =>
    pressed({ key, ctrlKey: false, metaKey: false, altKey: false, ...more });
  it("have one name whatever is held with them", () => {
    expect(press("k", { ctrlKey: true })).toBe("Ctrl+K");
    expect(press("Enter", { metaKey: true })).toBe("Ctrl+Enter");
    expect(press("y", { ctrlKey: true, altKey: true })).toBe("Ctrl+Alt+Y");
    expect(press("?")).toBe("?");
    expect(press("Shift")).toBeNull();
  });
  it("come one after the other, in time, and the first of equals wins", () => {
    const [timing, compare, station] = [command("t", "G T"), command("c", "C"), command("s", "C")];
    const sequence = new KeySequence(1000);
    const all = [station, timing, compare];
    expect(sequence.press("G", 0, all)).toEqual({ command: null, isTaken: true });
    expect(sequence.press("T", 500, all).command).toBe(timing);
    expect(sequence.press("T", 600, all)).toEqual({ command: null, isTaken: false });
    sequence.press("G", 1000, all);
    expect(sequence.press("T", 3000, all).command).toBeNull();
    sequence.press("G", 4000, all);
    // a sequence that leads nowhere is no reason to swallow a key of its own
    expect(sequence.press("C", 4100, all).command).toBe(station);
  });
  it("are each of one station, and none of a place's own begins a sequence of the page there alone", () => {
    const keys = stations.map(({ key }) => key);
    expect(new Set(keys).size).toBe(keys.length);
    for (const { keys: own } of localKeys) expect(new Set(own.map(([key]) => key)).size).toBe(own.length);
  });
});
