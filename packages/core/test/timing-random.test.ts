import { describe, expect, it } from "vitest";
import { formatFinding, quietContext, Random } from "../src/common/index.ts";
import { CircuitObjects } from "../src/constraints/sdc/objects.ts";
import { readTimingFiles } from "../src/constraints/sdc/read.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { type Analysis, analyze, withValues } from "../src/timing/analysis.ts";
import { bindRules } from "../src/timing/bind-rules.ts";
import type { BoundRules } from "../src/timing/bound-rules.ts";
import { buildBuiltGraph } from "../src/timing/built-graph.ts";
import { builtPlaces } from "../src/timing/built-places.ts";
import { spreadConstants } from "../src/timing/constants.ts";
import { worstPaths } from "../src/timing/paths.ts";
import { arcKind } from "../src/timing/pin-graph.ts";
import { TimingState } from "../src/timing/timing-state.ts";
import { randomTimingCase } from "./helpers/timing-circuits.ts";
import { enumerateTiming, TooMany } from "./helpers/timing-enumeration.ts";

const cases = process.env["GATE_CLOCK_LONG"] ? 10_000 : 1000;

describe("random circuits", () => {
  it("have the slacks that listing every path gives, at every end", () => {
    let compared = 0;
    let checked = 0;
    let pinned = 0;
    let changed = 0;
    let ruled = 0;
    for (let round = 0; round < cases; round++) {
      const random = new Random(47_110_000 + round);
      const test = randomTimingCase(random);
      const design = elaborate([{ name: "t.v", text: test.text }]);
      if (!design.artifact) throw new Error(`${design.findings.map(formatFinding).join("\n")}\n${test.text}`);
      const netlist = synthesize(design.artifact.netlist, defaultSynthOptions, quietContext()).artifact!;
      const objects = new CircuitObjects(design.artifact.netlist, design.artifact.hierarchy);
      const read = readTimingFiles([{ name: "t.sdc", text: test.sdc }], objects);
      const errors = read.findings.filter(({ severity }) => severity === "error");
      if (errors.length) throw new Error(`${errors.map(formatFinding).join("\n")}\n${test.text}${test.sdc}`);
      const built = buildBuiltGraph(netlist);
      const { rules } = bindRules(read.rules, built.graph, builtPlaces(built));
      const constant = spreadConstants(built, rules.constants, rules.disabledArcs);
      const { graph } = constant;
      const most = new Float64Array(graph.arcCount);
      const least = new Float64Array(graph.arcCount);
      const isSpread = random.below(3) > 0;
      for (let arc = 0; arc < graph.arcCount; arc++) {
        most[arc] = 20 + random.below(900);
        least[arc] = isSpread ? most[arc] - random.below(Math.floor(most[arc] / 3)) : most[arc];
      }
      const setup = Float64Array.from(graph.checkData, () => random.below(120));
      const hold = Float64Array.from(graph.checkData, () => random.below(60));
      // what comes back in at a port takes no time outside
      for (let arc = 0; arc < graph.arcCount; arc++)
        if (graph.arcKind[arc] === arcKind.net && graph.arcTo[arc] >= netlist.inputNet.length)
          most[arc] = least[arc] = 0;
      const even = Uint8Array.from(most, (value, arc) => (value === least[arc] ? 1 : 0));
      const analysis = analyze(graph, rules, constant.off, even);
      expect(analysis.search.isCut || analysis.network.isCut).toBe(false);
      const state = new TimingState(analysis, { most, least, setup, hold });
      const cut = new Set(analysis.active.cut);
      const checkOfSlot = new Map([...graph.checkData].map((pin, check) => [pin, check]));
      const range = (arc: number) => ({ most: most[arc], least: least[arc] });
      const backArcs = new Map(
        graph.ports.flatMap(({ name, inPin, outPin }) => {
          if (inPin < 0 || outPin < 0) return [];
          for (let a = graph.outStart[outPin]; a < graph.outStart[outPin + 1]; a++)
            if (graph.arcTo[graph.outArc[a]] === inPin) return [[name, graph.outArc[a]] as const];
          return [];
        }),
      );
      let reference: ReturnType<typeof enumerateTiming>;
      try {
        reference = enumerateTiming(
          netlist,
          test,
          {
            net: (slot) => range(built.wireArc[slot]),
            through: (slot) => range(built.throughArc[slot]),
            launch: (cell) => range(built.launchArc[cell]),
            padIn: (cell) => range(built.padArc[cell]),
            setup: (slot) => setup[checkOfSlot.get(slot)!],
            hold: (slot) => hold[checkOfSlot.get(slot)!],
          },
          (what) =>
            "port" in what
              ? cut.has(backArcs.get(what.port)!)
              : cut.has(what.isThrough ? built.throughArc[what.slot] : built.wireArc[what.slot]),
        );
      } catch (error) {
        if (error instanceof TooMany) continue;
        throw error;
      }
      const { entries, ends } = analysis;
      const byKey = new Map<string, number[]>();
      for (let entry = 0; entry < entries.count; entry++) {
        const end = ends[entries.end[entry]];
        const name = end.check >= 0 || end.kind === "gate" ? `${end.pin}` : graph.pinName(end.pin);
        const key = `${name} ${end.kind}`;
        byKey.set(key, [...(byKey.get(key) ?? []), entry]);
      }
      const distinct = (list: readonly number[]): number[] =>
        list
          .toSorted((a, b) => a - b)
          .filter((slack, i, all) => i === 0 || slack - all[i - 1] > 1e-3)
          .slice(0, 4);
      let isWhole = !analysis.search.isMerged;
      const pins = { setup: new Map<number, number>(), hold: new Map<number, number>() };
      for (const key of new Set([...byKey.keys(), ...reference.keys()]))
        for (const kind of ["setup", "hold"] as const) {
          const list = byKey.get(key) ?? [];
          const found = worstPaths(state, { kind, count: 300, perEnd: 300, entries: list });
          isWhole &&= found.length < 300;
          for (const { slackPs, vertices, arcs } of found)
            for (const pin of [analysis.search.pin[vertices[0]], ...arcs.map((arc) => graph.arcTo[arc])]) {
              pins[kind].set(pin, Math.min(slackPs, pins[kind].get(pin) ?? Infinity));
            }
          const [ours, theirs] = [
            distinct(found.map((path) => path.slackPs)),
            distinct(reference.get(key)?.[kind] ?? []),
          ];
          compared++;
          if (theirs.length) checked++;
          if (ours.length === theirs.length && ours.every((slack, i) => Math.abs(slack - theirs[i]) < 1e-3)) {
            // without branches of clocks taken together, the pass alone gives the slack
            if (analysis.search.isMerged) continue;
            const slacks = kind === "setup" ? state.setupSlack : state.holdSlack;
            expect(Math.min(...list.map((entry) => slacks[entry]))).toBeCloseTo(ours[0] ?? Infinity, 6);
            continue;
          }
          const slot = Number(key.split(" ")[0]);
          expect.fail(
            `round ${round}, ${key} (${Number.isNaN(slot) ? "" : graph.pinName(slot)}) ${kind}: ${ours}, by listing ${theirs}\n${test.text}${test.sdc}`,
          );
        }
      // the slack of a pin is that of the worst path through it
      if (isWhole)
        for (const kind of ["setup", "hold"] as const)
          for (const [pin, slack] of pins[kind]) {
            expect(state.pinSlack(pin)[kind]).toBeCloseTo(slack, 6);
            pinned++;
          }
      changed += compareChanges(state, random);
      ruled += compareRules(state, (next) => analyze(graph, next, constant.off, even), random);
    }
    expect(pinned).toBeGreaterThan(cases * 20);
    expect(changed).toBeGreaterThan(cases / 2);
    expect(ruled).toBeGreaterThan(cases);
    expect(compared).toBeGreaterThan(checked);
    expect(checked).toBeGreaterThan(cases * 8);
  });
});

/** Changes some delays, and compares what is worked out anew with all of it. @returns Changes that could be compared. */
function compareChanges(state: TimingState, random: Random): number {
  const { analysis, delays } = state;
  const { edgeArc } = analysis.search;
  if (analysis.latches.length || edgeArc.length === 0) return 0;
  let compared = 0;
  for (let turn = 0; turn < 3; turn++) {
    const arcs = new Set<number>();
    for (let i = 0; i < 1 + random.below(3); i++) arcs.add(edgeArc[random.below(edgeArc.length)]);
    const seeded = analysis.search.seedArc;
    if (random.below(2)) arcs.add(seeded[random.below(seeded.length)]);
    arcs.delete(-1);
    const list = Int32Array.from(arcs);
    if (list.length === 0 || state.touchesClock(list)) continue;
    for (const arc of list) {
      delays.most[arc] = random.below(2000);
      delays.least[arc] = delays.most[arc] * 0.9;
    }
    state.updateSome(list);
    const fresh = new TimingState(analysis, delays);
    for (const name of ["arrival", "required", "setupSlack", "holdSlack"] as const)
      expect(state[name], name).toEqual(fresh[name]);
    compared++;
  }
  return compared;
}

/**
 * Changes the values of some rules, and compares what is worked out anew with all of it; and sees that a change of what paths
 * there are is not taken for one of values. @returns Changes that were compared.
 */
function compareRules(state: TimingState, anew: (rules: BoundRules) => Analysis, random: Random): number {
  let compared = 0;
  const some = <T>(list: readonly T[], change: (each: T) => T): T[] => {
    const at = random.below(Math.max(1, list.length));
    return list.map((each, i) => (i === at ? change(each) : each));
  };
  const ps = () => random.below(8000);
  for (let turn = 0; turn < 2; turn++) {
    const { rules } = state.analysis;
    const next: BoundRules = [
      (): BoundRules => ({ ...rules, ioDelays: some(rules.ioDelays, (each) => ({ ...each, ps: ps() })) }),
      (): BoundRules => ({ ...rules, exceptions: some(rules.exceptions, (each) => ({ ...each, value: 1 + ps() })) }),
      (): BoundRules => ({ ...rules, uncertainties: some(rules.uncertainties, (each) => ({ ...each, ps: ps() })) }),
      (): BoundRules => ({ ...rules, latencies: some(rules.latencies, (each) => ({ ...each, ps: ps() })) }),
      (): BoundRules => ({
        ...rules,
        clocks: some(rules.clocks, (each) => {
          const periodPs = 2000 + ps();
          return { ...each, periodPs, edgesPs: [0, periodPs / (2 + random.below(3))] };
        }),
      }),
    ][random.below(5)]();
    const values = withValues(state.analysis, next);
    if (!values) expect.fail("only values have changed");
    state.changeRules(values);
    const fresh = new TimingState(anew(next), state.delays);
    for (const name of ["arrival", "required", "setupSlack", "holdSlack", "clockLate", "clockEarly"] as const)
      expect(state[name], name).toEqual(fresh[name]);
    expect(values.entries.info).toEqual(fresh.analysis.entries.info);
    compared++;
  }
  const { rules } = state.analysis;
  if (rules.exceptions.length > 0) {
    expect(withValues(state.analysis, { ...rules, exceptions: rules.exceptions.slice(1) })).toBeNull();
    const other = rules.exceptions.map((each, i) => (i === 0 ? { ...each, setup: !each.setup } : each));
    expect(withValues(state.analysis, { ...rules, exceptions: other })).toBeNull();
  }
  expect(withValues(state.analysis, { ...rules, clocks: rules.clocks.slice(1) })).toBeNull();
  return compared;
}
