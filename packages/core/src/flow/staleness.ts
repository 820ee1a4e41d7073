import { hasErrors } from "../common/finding.ts";
import type { ElaboratedDesign } from "../elaborate/elaborate.ts";
import type { FacetName, StageRecord } from "./artifacts.ts";
import type { DesignCheck } from "./check-design.ts";
import { type DesignInput, type StageName, stageNames } from "./design-input.ts";
import {
  type DescribedSettings,
  facetsOf,
  fileInput,
  ResolvedSettings,
  stageInputs,
  stageKey,
  stages,
} from "./graph.ts";
import { runFlow } from "./run-flow.ts";
import { MemoryStore } from "./store.ts";

/** What a design means as it is now: hashes of what its circuit and its rules come to. Nothing is built for it. */
export interface DesignReading {
  /** Null if its part or its recipe do not exist. */
  readonly settings: DescribedSettings | null;
  readonly recipe: string;
  readonly facets: Readonly<Record<string, string>>;
  /** The stage that finds errors in it, if one does. */
  readonly failsAt: "elaborate" | "rules" | null;
}

/** Something that is not as it was when a trial ran. */
interface InputChange {
  /** What it is, as in "the circuit", "clock periods" or "seed". */
  readonly what: string;
  /** Files whose texts are others, if it is read from files. */
  readonly files: readonly string[];
  /** Of a small value: what it was, and what it is. */
  readonly before?: string;
  readonly after?: string;
}
interface StageStaleness {
  readonly stage: StageName;
  /**
   * "maybe": it runs again if what comes before it gives something else. "missing": the trial did not get there.
   */
  readonly state: "current" | "old" | "maybe" | "missing";
}
/** How a trial stands to the design as it is now. */
export interface Staleness {
  readonly isCurrent: boolean;
  readonly stages: readonly StageStaleness[];
  /** Why, the most far-reaching first. Empty while it is current. */
  readonly changes: readonly InputChange[];
  /** Stages that a run would do again for sure, and those that it would if the ones before give something else. */
  readonly again: readonly StageName[];
  readonly maybeAgain: readonly StageName[];
}

/** Reads a design without building it. */
export async function readDesign(input: DesignInput): Promise<DesignReading> {
  const result = await runFlow(input, new MemoryStore(), { stopAfter: "rules" });
  const records = result.stages.filter(({ stage }) => stage === "elaborate" || stage === "rules");
  return {
    ...settingsOf(input),
    facets: Object.assign({}, ...records.map(({ facets }) => facets ?? {})),
    failsAt: (records.find(({ state }) => state === "failed")?.stage as DesignReading["failsAt"]) ?? null,
  };
}

const settingsOf = (input: DesignInput) => ({
  settings: ResolvedSettings.of(input).settings?.described() ?? null,
  recipe: input.recipe,
});

/** The same of a design that has been checked already. @param design Its circuit, if it has one. */
export function readingOf(input: DesignInput, design: ElaboratedDesign | null, check: DesignCheck): DesignReading {
  const own = settingsOf(input);
  if (!design || hasErrors(check.sourceFindings)) return { ...own, facets: {}, failsAt: "elaborate" };
  const facets = facetsOf("elaborate", design);
  if (!check.plan || hasErrors([...check.pinFindings, ...check.timingFindings]))
    return { ...own, facets, failsAt: own.settings ? "rules" : null };
  return {
    ...own,
    facets: { ...facets, ...facetsOf("rules", { pins: check.plan, timing: check.timing }) },
    failsAt: null,
  };
}

/**
 * How a trial stands to the very inputs that it ran on: current, unless another version of the product made it.
 * @param records Of the trial's stages.
 */
export function sameInputs(records: readonly StageRecord[]): Staleness {
  const told = records.map(({ stage, key, state, inputs }): StageStaleness => {
    if (!key || state === "waiting" || state === "running") return { stage, state: "missing" };
    return { stage, state: inputs && stageKey(stage, inputs) === key ? "current" : "old" };
  });
  const again = told.filter(({ state }) => state === "old").map(({ stage }) => stage);
  return {
    isCurrent: again.length === 0 && told.some(({ state }) => state === "current"),
    stages: told,
    changes: again.length ? [otherVersion] : [],
    again,
    maybeAgain: [],
  };
}

/**
 * Compares a trial with the design as it is now, by the same keys that a run goes by. A text that says the same in other
 * words, a comment or the order of files make nothing old.
 * @param records Of the trial's stages.
 */
export function staleness(records: readonly StageRecord[], reading: DesignReading): Staleness {
  const { settings, recipe } = reading;
  const known = new Map<string, string>();
  const result: StageStaleness[] = [];
  const changes: InputChange[] = [];
  for (const name of stageNames) {
    const record = records.find(({ stage }) => stage === name);
    if (!record?.key || record.state === "waiting" || record.state === "running" || !settings) {
      result.push({ stage: name, state: record?.key && !settings ? "old" : "missing" });
      continue;
    }
    if (!record.inputs) {
      // nothing is known of what it ran on
      result.push({ stage: name, state: "old" });
      changes.push(otherVersion);
      continue;
    }
    const { inputs: before } = record;
    const inputs = stageInputs(
      name,
      (setting) => settings[setting],
      (facet) => known.get(facet) ?? null,
    );
    const isOpen = Object.values(inputs).includes(null);
    const moved = namesOfMoved(before, inputs);
    const isSame = !isOpen && stageKey(name, inputs as Record<string, string>) === record.key;
    const isRead = name === "elaborate" || name === "rules";
    const after = isRead && reading.failsAt !== name ? ownFacets(name, reading.facets) : null;
    let state: StageStaleness["state"];
    if (isSame) {
      state = "current";
      for (const [facet, hash] of Object.entries(record.facets ?? {})) known.set(facet, hash);
    } else if (after) {
      // its text or what it reads is another, but only what it means counts
      const changed = Object.entries(after).flatMap(([facet, hash]) =>
        record.facets?.[facet] === hash ? [] : [facet],
      );
      for (const [facet, hash] of Object.entries(after)) known.set(facet, hash);
      state = changed.length ? "old" : "current";
      if (changed.length) changes.push(...meaningChanges(changed, moved));
    } else {
      state = moved.length || !isOpen ? "old" : "maybe";
      if (isRead && state === "old") changes.push({ what: unread[name], files: filesOf(moved) });
    }
    result.push({ stage: name, state });
    if (state === "old") changes.push(...settingChanges(before, inputs, moved, recipe));
    if (state === "old" && moved.length === 0 && !isOpen) changes.push(otherVersion);
  }
  if (!settings) changes.push({ what: "part or recipe", files: [] });
  const of = (...states: StageStaleness["state"][]) =>
    result.filter(({ state }) => states.includes(state)).map(({ stage }) => stage);
  const again = of("old");
  const maybeAgain = of("maybe");
  return {
    isCurrent: again.length + maybeAgain.length === 0 && of("current").length > 0,
    stages: result,
    changes: withoutRepeats(changes),
    again,
    maybeAgain,
  };
}

/** Results that another version of the product made count no more. */
const otherVersion: InputChange = { what: "the version of Gate Clock", files: [] };
const unread = { elaborate: "sources with errors", rules: "rules with errors" } as const;

function ownFacets(name: StageName, facets: Readonly<Record<string, string>>): Record<string, string> | null {
  const own = Object.entries(facets).filter(([facet]) => facet.startsWith(`${name}.`));
  return own.length ? Object.fromEntries(own) : null;
}

/** Inputs that differ for sure: one that is not known yet is not among them. */
function namesOfMoved(
  before: Readonly<Record<string, string>>,
  now: Readonly<Record<string, string | null>>,
): string[] {
  const names = new Set([...Object.keys(before), ...Object.keys(now)]);
  return [...names].filter((name) => now[name] !== null && before[name] !== now[name]);
}

const filePrefixes = Object.values(fileInput);

/** Files whose text differs; where only their order does, those that lie elsewhere. */
function filesOf(moved: readonly string[]): string[] {
  return moved.flatMap((name) => {
    const prefix = filePrefixes.find((each) => name.startsWith(each));
    return prefix ? [name.slice(prefix.length)] : [];
  });
}

/** What people call what differs, from the most far-reaching: what a wider one includes is not told twice. */
const facetWords: readonly (readonly [FacetName, string, keyof typeof fileInput])[] = [
  ["elaborate.circuit", "the circuit", "sources"],
  ["rules.sites", "places of pins", "pin files"],
  ["rules.delays", "standard, drive or slew of pins", "pin files"],
  ["rules.electrical", "pull, hysteresis or termination of pins", "pin files"],
  ["rules.periods", "clock periods", "timing files"],
  ["rules.timing", "timing rules", "timing files"],
];

function meaningChanges(changed: readonly string[], moved: readonly string[]): InputChange[] {
  const told = new Set<string>();
  return facetWords.flatMap(([facet, what, from]): InputChange[] => {
    if (!changed.includes(facet) || told.has(from)) return [];
    told.add(from);
    return [{ what, files: filesOf(moved.filter((name) => name.startsWith(fileInput[from]))) }];
  });
}

/** Settings that differ. Recipes are told by their name. */
function settingChanges(
  before: Readonly<Record<string, string>>,
  now: Readonly<Record<string, string | null>>,
  moved: readonly string[],
  recipe: string,
): InputChange[] {
  return moved.flatMap((name): InputChange[] => {
    switch (name) {
      case "part":
      case "top":
      case "seed":
        return [{ what: name, files: [], before: before[name] ?? "", after: now[name] ?? "" }];
      case "synthesis":
        // the part's family, or the recipe
        return before["part"] === now["part"] ? [{ what: "options of synthesis", files: [], after: recipe }] : [];
      case "port shape":
        // a trial of before there was such a thing says nothing of it
        if (before[name] === undefined) return [otherVersion];
        return [{ what: "ports kept inside, or first values of registers at ports", files: [] }];
      case "placement":
      case "routing":
        return [{ what: "recipe", files: [], after: recipe }];
      default:
        return [];
    }
  });
}

function withoutRepeats(changes: readonly InputChange[]): InputChange[] {
  const hasPart = changes.some(({ what }) => what === "part");
  const hasRecipe = changes.some(({ what }) => what === "recipe");
  const seen = new Set<string>();
  return changes.filter(({ what }) => {
    if (seen.has(what) || (what === "options of synthesis" && (hasPart || hasRecipe))) return false;
    seen.add(what);
    return true;
  });
}

const list = (words: readonly string[]): string =>
  words.length < 2 ? (words[0] ?? "") : `${words.slice(0, -1).join(", ")} and ${words[words.length - 1]}`;

/** What changed, in a few words: "clock periods (loom.sdc)". */
export function changeText({ what, files, before, after }: InputChange): string {
  if (before !== undefined && after !== undefined) return `${what} ${before || "automatic"} → ${after || "automatic"}`;
  if (after !== undefined) return `${what} (${after})`;
  const shown = files.slice(0, 3).join(", ") + (files.length > 3 ? ` and ${files.length - 3} more` : "");
  return shown ? `${what} (${shown})` : what;
}

/** What would run again and why, for people. */
export function stalenessText({ isCurrent, changes, again, maybeAgain }: Staleness): string {
  if (isCurrent) return "Up to date.";
  if (again.length + maybeAgain.length === 0) return "Nothing has been built.";
  const words = (names: readonly StageName[]) => list(names.map((name) => stages[name].word));
  const why = changes.length ? `Changed: ${changes.map(changeText).join(", ")}. ` : "";
  const maybe = maybeAgain.length ? `${words(maybeAgain)} if what comes before gives something else` : "";
  return `${why}A run would do again: ${again.length ? words(again) : ""}${again.length && maybe ? "; " : ""}${maybe}.`;
}
