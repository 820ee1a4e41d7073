import type { Design, Trial } from "@gate-clock/contract";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { stations } from "../src/stations/heads.ts";
import { type Command, KeySequence, localKeys, matching, matchScore, pressed } from "../src/workbench/commands.ts";
import { pageCommands } from "../src/workbench/page-commands.ts";
import type { TrialChoice } from "../src/workbench/use-trial.ts";

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
    pressed({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more });
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

describe("the commands of an open design", () => {
  const design = { files: [{ id: "f", path: "weft.v" }], lastTrial: null } as unknown as Design;
  const trial = (number: number, status: Trial["status"] = "done") => ({ number, status }) as Trial;
  function commandsOf(more: Partial<TrialChoice> = {}, isRunning = false) {
    const done: string[] = [];
    const act =
      (name: string) =>
      (...args: unknown[]) =>
        void done.push([name, ...args].join(" "));
    const choice = {
      trial: null,
      isLast: true,
      mode: "before",
      against: null,
      reference: null,
      baseline: null,
      missing: null,
      choose: act("choose"),
      compareWith: act("compare"),
      setBaseline: act("baseline"),
      ...more,
    };
    const names = [
      "findCommand",
      "showKeys",
      "save",
      "switchTheme",
      "allDesigns",
      "build",
      "cancel",
      "goTo",
      "openFile",
      "undo",
      "redo",
    ];
    const acts = Object.fromEntries(names.map((name) => [name, act(name)])) as never;
    const list = pageCommands(
      design,
      stations,
      choice as TrialChoice,
      { undo: "placed 3 pins", redo: null },
      isRunning,
      acts,
    );
    const run = (id: string) => {
      list.find((each) => each.id === id)!.run();
      return done.at(-1);
    };
    return { list, run };
  }
  const ids = (more?: Partial<TrialChoice>) => new Set(commandsOf(more).list.map(({ id }) => id));

  it("have names and keys of their own, whatever is looked at", () => {
    for (const more of [
      {},
      { trial: trial(3) },
      { trial: trial(3), isLast: false, mode: "goal", baseline: 2 } as const,
    ]) {
      const { list } = commandsOf(more);
      const keys = list.flatMap((each) => (each.keys ? [each.keys] : []));
      expect(new Set(keys).size).toBe(keys.length);
      expect(new Set(list.map(({ id }) => id)).size).toBe(list.length);
      for (const each of list) expect(each.title).not.toBe("");
    }
  });
  it("do what they say", () => {
    const { run } = commandsOf({ trial: trial(7), isLast: false });
    expect(stations.map(({ path }) => run(`station ${path}`))).toEqual(stations.map(({ path }) => `goTo ${path}`));
    expect(["earlier", "last", "compare goal", "compare none", "baseline", "file f", "build"].map(run)).toEqual([
      "choose 6",
      "choose ",
      "compare goal",
      "compare none",
      "baseline 7",
      "openFile weft.v",
      "build",
    ]);
    const compared = commandsOf({ trial: trial(7), mode: "goal", baseline: 7 });
    expect(["compare before", "baseline"].map(compared.run)).toEqual(["compare before", "baseline "]);
    expect(commandsOf({ trial: trial(7), baseline: 3 }).run("compare baseline")).toBe("compare baseline");
  });
  it("take back what was done to texts and rules, and say what that is", () => {
    const { list, run } = commandsOf();
    const of = (id: string) => list.find((each) => each.id === id)!;
    expect([of("undo").title, of("undo").isReady, run("undo")]).toEqual(["Undo: placed 3 pins", true, "undo"]);
    expect([of("redo").title, of("redo").isReady]).toEqual(["Redo", false]);
  });
  it("lead to no trial that is not there", () => {
    for (const id of ["earlier", "last", "compare before", "compare baseline"]) {
      expect(ids().has(id)).toBe(false);
      expect(ids({ trial: trial(1), mode: "goal", baseline: 1 }).has(id)).toBe(false);
    }
    // what it is compared with already is not offered again
    expect(ids({ trial: trial(2) }).has("compare before")).toBe(false);
    expect(ids({ trial: trial(2, "failed") }).has("baseline")).toBe(false);
    // an address that names a trial that is gone leads back to the last
    expect(ids({ isLast: false, missing: 9 }).has("last")).toBe(true);
  });
  it("build or cancel, never both", () => {
    const ready = (isRunning: boolean) =>
      ["build", "cancel"].map((id) => commandsOf({}, isRunning).list.find((each) => each.id === id)!.isReady);
    expect(ready(false)).toEqual([true, false]);
    expect(ready(true)).toEqual([false, true]);
  });
});
