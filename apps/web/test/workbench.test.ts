import { type Kept, keptNamePattern, type Trial, type TrialFigures } from "@gate-clock/contract";
import {
  type DesignCheck,
  type Finding,
  findingIdentities,
  type StageRecord,
  type Staleness,
  stageNames,
} from "@gate-clock/core";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { stations } from "../src/stations/heads.ts";
import { acceptancesIn, acceptedName, marked } from "../src/workbench/accepted.ts";
import {
  type Against,
  baselineIn,
  baselineName,
  comparedNumber,
  differences,
  differenceText,
  formatAgainst,
  goalOf,
  parseAgainst,
  trialNumber,
} from "../src/workbench/compare.ts";
import { stationGroups } from "../src/workbench/station.ts";
import { headsOf } from "./heads.ts";

const figures: TrialFigures = {
  luts: 120,
  registers: 40,
  lutPercent: 5.9,
  pins: 12,
  clocks: 1,
  wires: 900,
  setupSlackPs: 1250,
  holdSlackPs: 310,
  fmaxMhz: 133.4,
  imageBytes: 40_000,
  imageKey: "k",
};
const stagesUpTo = (last: (typeof stageNames)[number]): StageRecord[] =>
  stageNames.map((stage, i) => ({
    stage,
    state: i <= stageNames.indexOf(last) ? "done" : "waiting",
    key: "k",
    elapsedMs: 1,
    fraction: 1,
    figure: null,
  }));
const trial = (fields: Partial<Trial> = {}): Trial => ({
  id: "t",
  designId: "d",
  targetId: "x",
  number: 3,
  status: "done",
  part: "TW-2-P144-2C",
  recipe: "even",
  seed: 1,
  stages: stagesUpTo("image"),
  findings: [],
  figures,
  staleness: null,
  failure: null,
  createdAt: "",
  startedAt: null,
  finishedAt: null,
  ...fields,
});
describe("stations", () => {
  it("stand in the order of their groups, each once", () => {
    const groups = stations.map(({ group }) => stationGroups.indexOf(group));
    expect(groups).toEqual([...groups].sort((a, b) => a - b));
    expect(new Set(stations.map(({ path }) => path)).size).toBe(stations.length);
  });
  it("are old one by one, as the stages behind them are", () => {
    const told = (old: readonly string[]): Staleness => ({
      isCurrent: false,
      stages: stageNames.map((stage) => ({ stage, state: old.includes(stage) ? "old" : "current" })),
      changes: [],
      again: [],
      maybeAgain: [],
    });
    // a drive strength: the layout stands
    const drive = headsOf({ trial: trial(), told: told(["rules", "timing", "image"]) });
    expect(["circuit", "fit", "layout"].map((path) => drive[path].isOld)).toEqual([false, false, false]);
    expect(["timing", "image", "bench"].map((path) => drive[path].isOld)).toEqual([true, true, true]);
    expect(Object.values(headsOf({ trial: trial() })).some(({ isOld }) => isOld)).toBe(false);
  });
  it("tell slack by the worse of setup and a failing hold, and never a slack that was not computed", () => {
    const timing = (change: Partial<TrialFigures>) =>
      headsOf({ trial: trial({ figures: { ...figures, ...change } }) })["timing"];
    expect(timing({})).toMatchObject({ figure: "+1.250 ns", tone: "good" });
    expect(timing({ setupSlackPs: -300 })).toMatchObject({ figure: "−0.300 ns", tone: "bad" });
    expect(timing({ holdSlackPs: -20 })).toMatchObject({ figure: "−0.020 ns", tone: "bad" });
    expect(timing({ setupSlackPs: null })).toMatchObject({ figure: "133.4 MHz", tone: "warn" });
    expect(headsOf({ trial: trial({ stages: stagesUpTo("place") }) })["timing"]).toMatchObject({ figure: "not built" });
  });
  it("say where a trial stopped", () => {
    const failed = (code: string) =>
      headsOf({
        trial: trial({
          status: "failed",
          stages: stagesUpTo("synth"),
          findings: [{ code, severity: "error", place: {}, message: "" }],
        }),
      });
    expect(failed("fit/too-big")["fit"]).toMatchObject({ figure: "too big", tone: "bad" });
    expect(failed("route/congested")["layout"]).toMatchObject({ figure: "not routed", tone: "bad" });
  });
});

describe("differences of trials", () => {
  const any = fc.record({
    setupSlackPs: fc.option(fc.integer({ min: -9000, max: 9000 })),
    holdSlackPs: fc.option(fc.integer({ min: -900, max: 900 })),
    fmaxMhz: fc.option(fc.double({ min: 1, max: 500, noNaN: true })),
    luts: fc.option(fc.nat(5000)),
    registers: fc.option(fc.nat(5000)),
    wires: fc.option(fc.nat(50_000)),
  });
  it("are none against itself, and turn round when the two are exchanged", () => {
    fc.assert(
      fc.property(any, any, (a, b) => {
        const [own, other] = [
          { ...figures, ...a },
          { ...figures, ...b },
        ];
        expect(differences(own, own)).toEqual([]);
        const there = differences(own, other);
        const back = differences(other, own);
        expect(back.map(({ name }) => name)).toEqual(there.map(({ name }) => name));
        there.forEach((each, i) => {
          expect(back[i].by).toBe(-each.by);
          expect(back[i].isBetter).toBe(!each.isBetter);
        });
      }),
    );
  });
  it("call more slack and fewer LUTs better, and show a sign", () => {
    const list = differences({ ...figures, setupSlackPs: 1300, luts: 130 }, figures);
    expect(list.map((each) => [each.name, differenceText(each), each.isBetter])).toEqual([
      ["setup", "+0.050 ns", true],
      ["LUTs", "+10", false],
    ]);
    expect(differenceText({ by: -2.5, digits: 1, unit: "MHz" })).toBe("−2.5 MHz");
  });
});

describe("what a trial is compared with", () => {
  const trials = (
    [
      [1, "done"],
      [2, "failed"],
      [3, "done"],
      [4, "running"],
    ] as const
  ).map(([number, status]) => ({ number, status }));
  const of = (against: Against, number: number, baseline: number | null = null) =>
    comparedNumber(against, { number }, trials, baseline);
  it("is the last one before it that came to its end, unless the address says another", () => {
    expect([1, 2, 3, 4].map((number) => of("before", number))).toEqual([null, 1, 1, 3]);
    expect([of(1, 4), of(4, 4), of("none", 4), of("goal", 4)]).toEqual([1, null, null, null]);
    expect([of("baseline", 4, 1), of("baseline", 1, 1), of("baseline", 4)]).toEqual([1, null, null]);
    expect(comparedNumber("before", null, trials, 1)).toBeNull();
  });
  it("stands in the address, but for the trial before", () => {
    for (const against of ["before", "baseline", "goal", "none", 12] as const)
      expect(parseAgainst(formatAgainst(against))).toBe(against);
    expect([parseAgainst(null), parseAgainst("0"), parseAgainst("what")]).toEqual(["before", "before", "before"]);
    expect(formatAgainst("before")).toBeNull();
  });
  it("or the goal: the slack itself is the difference, and the clock's speed where there is one clock", () => {
    const own = { ...figures, setupSlackPs: 1250, holdSlackPs: -20, fmaxMhz: 120 };
    const texts = (periods: readonly number[]) =>
      differences(own, goalOf(periods.map((periodPs) => ({ periodPs }))).figures).map(
        (each) => `${each.name} ${differenceText(each)} ${each.isBetter}`,
      );
    expect(texts([10_000])).toEqual(["setup +1.250 ns true", "hold −0.020 ns false", "fmax +20.0 MHz true"]);
    expect(texts([10_000, 8_000])).toEqual(["setup +1.250 ns true", "hold −0.020 ns false"]);
    expect(texts([])).toEqual([]);
  });
  it("or the baseline of its target, which is kept with the design", () => {
    const kept = [
      { name: baselineName("a"), value: { number: 3 } },
      { name: baselineName("b"), value: { number: null } },
      { name: baselineName("c"), value: "3" },
    ];
    expect(["a", "b", "c", "d"].map((target) => baselineIn(kept, target))).toEqual([3, null, null, null]);
  });
  it("shows at the figure of each station that has one", () => {
    const reference = { name: "trial 1", figures: { ...figures, luts: 100, setupSlackPs: 2250, imageBytes: 1024 } };
    const own = { ...figures, luts: 120, lutPercent: 6, setupSlackPs: 1250, imageBytes: 2048 };
    const heads = headsOf({ trial: trial({ figures: own }), reference });
    const shown = Object.entries(heads).flatMap(([path, { change }]) =>
      change ? [`${path} ${differenceText(change)}`] : [],
    );
    expect(shown).toContain("circuit +20");
    expect(shown).toContain("timing −1.000 ns");
    expect(shown).toContain("image +1.0 KiB");
    // hold is what people steer by when it fails
    const failing = headsOf({ trial: trial({ figures: { ...own, holdSlackPs: -100 } }), reference });
    expect(failing["timing"].change?.name).toBe("hold");
    expect(Object.values(headsOf({ trial: trial({ figures: own }) })).some(({ change }) => change)).toBe(false);
  });
});

describe("the number of a trial in the address", () => {
  it("is a whole number from 1 on, or none", () => {
    expect(["12", "1", "0", "-3", "1e3", "07", "", "last", "99999999999"].map(trialNumber)).toEqual([
      12,
      1,
      null,
      null,
      null,
      null,
      null,
      null,
      null,
    ]);
    expect(trialNumber(null)).toBeNull();
  });
});

describe("findings that were accepted", () => {
  const finding = (fields: Partial<Finding> = {}): Finding => ({
    code: "circuit/latch",
    severity: "warning",
    place: { file: "a.v", line: 3 },
    message: "'q' becomes a latch.",
    ...fields,
  });
  const identity = (fields: Partial<Finding> = {}) => findingIdentities([finding(fields)])[0];
  it("are known again on another line and by another figure, and not by another name", () => {
    expect(identity({ place: { file: "a.v", line: 90, column: 7 } })).toBe(identity());
    expect(identity({ place: { file: "b.v", line: 3 } })).not.toBe(identity());
    expect(identity({ message: "'r' becomes a latch." })).not.toBe(identity());
    expect(identity({ code: "circuit/other" })).not.toBe(identity());
    const slack = (ns: string) =>
      identity({ message: `3 endpoint(s) miss setup, the worst by ${ns} ns: q[3] to r[4].` });
    expect(slack("0.120")).toBe(slack("0.350"));
    expect(identity({ message: "'q[3]' is wide." })).not.toBe(identity({ message: "'q[4]' is wide." }));
    const twice = findingIdentities([finding(), finding()]);
    expect(new Set(twice).size).toBe(2);
    expect(twice[0]).toBe(identity());
  });
  it("stand apart with their reason until it is taken back, and never hide an error", () => {
    const kept = (reason: unknown, of = identity()): Kept => ({
      name: `accepted:${of}`,
      value: { reason },
      updatedAt: "2026-01-01",
    });
    const list = [finding(), finding({ severity: "error", message: "broken" }), finding({ message: "other" })];
    const errorIdentity = findingIdentities(list)[1];
    const shown = marked(list, acceptancesIn([kept("known"), kept("no", errorIdentity)]), [finding()]);
    expect(shown.map(({ accepted }) => accepted?.reason ?? null)).toEqual(["known", null, null]);
    expect(shown.map(({ isNew }) => isNew)).toEqual([false, true, true]);
    expect(acceptancesIn([kept(null), kept(""), kept(3), { ...kept("x"), name: "waves:tb" }]).size).toBe(0);
    expect(acceptedName(identity())).toMatch(keptNamePattern);
    expect(acceptedName(findingIdentities([finding(), finding()])[1])).toMatch(keptNamePattern);
  });
  it("are not counted in the row of stations", () => {
    const check = {
      sourceFindings: [finding()],
      pinFindings: [],
      timingFindings: [],
      needs: [],
      clocks: [],
      hierarchy: null,
      modules: ["m"],
    } as unknown as DesignCheck;
    expect(headsOf({ check })["sources"]).toMatchObject({ figure: "1 warning", tone: "warn" });
    expect(headsOf({ check, accepted: new Set([identity()]) })["sources"]).toMatchObject({
      figure: "1 module",
      tone: "good",
    });
  });
});
