import { hashValue } from "../common/codec.ts";
import { type Finding, InvariantError, nearestName } from "../common/finding.ts";
import type { SourceFile } from "../common/source.ts";
import { portShape } from "../constraints/pins/read.ts";
import { boardFindings, boardUnder } from "../device/boards.ts";
import { findPart, type Part } from "../device/part.ts";
import { synthOptionsFor } from "../synth/synthesize.ts";
import type { FacetName } from "./artifacts.ts";
import { type DesignInput, type StageName, stageNames } from "./design-input.ts";
import { levelsFor } from "./fit.ts";
import { type Recipe, recipes } from "./recipes.ts";
import type { SettingName, Settings, Stage } from "./stage.ts";
import { elaborateStage } from "./stages/elaborate.ts";
import { goalsStage } from "./stages/goals.ts";
import { imageStage } from "./stages/image.ts";
import { packStage, placeStage, routeStage } from "./stages/layout.ts";
import { rulesStage } from "./stages/rules.ts";
import { synthStage } from "./stages/synth.ts";
import { timingStage } from "./stages/timing.ts";

/** All stages, by name; `stageNames` has them in an order in which each comes after those that it reads. */
export const stages: { readonly [S in StageName]: Stage<S> } = {
  elaborate: elaborateStage as Stage<"elaborate">,
  rules: rulesStage as Stage<"rules">,
  synth: synthStage as Stage<"synth">,
  goals: goalsStage as Stage<"goals">,
  pack: packStage as Stage<"pack">,
  place: placeStage as Stage<"place">,
  route: routeStage as Stage<"route">,
  timing: timingStage as Stage<"timing">,
  image: imageStage as Stage<"image">,
};

export const stageOfFacet = (facet: FacetName): StageName => facet.slice(0, facet.indexOf(".")) as StageName;

/** Stages that have to run for the last one, in order, that one included. */
export function stagesUpTo(last: StageName): StageName[] {
  const wanted = new Set<StageName>([last]);
  for (const name of wanted) for (const facet of stages[name].reads) wanted.add(stageOfFacet(facet));
  return stageNames.filter((name) => wanted.has(name));
}

/** Key of a result: equal keys, equal results. @param inputs As `stageInputs` gives them. */
export function stageKey(name: StageName, inputs: Readonly<Record<string, string>>): string {
  // whatever keeps records may keep their fields in another order
  const entries = Object.entries(inputs).sort(([a], [b]) => (a < b ? -1 : 1));
  return hashValue([name, stages[name].version, entries]);
}

/** Hash of a facet or of a setting: short, since a record holds many. */
const shortHash = (value: unknown): string => hashValue(value).slice(0, 32);

/** Settings of a design, worked out once. */
export class ResolvedSettings {
  private readonly known = new Map<SettingName, Readonly<Record<string, string>>>();

  private constructor(
    private readonly values: Settings,
    readonly part: Part,
  ) {}

  /** @returns Null if part or recipe do not exist, with findings that say so. */
  static of(input: DesignInput): { settings: ResolvedSettings | null; part: Part | null; findings: Finding[] } {
    const { part, findings } = findPart(input.part);
    const recipe = recipes.find((candidate) => candidate.name === input.recipe);
    if (!recipe) findings.push(unknownRecipe(input.recipe));
    if (part) findings.push(...boardFindings(input.board, part));
    return {
      settings: part && recipe ? new ResolvedSettings(valuesOf(input, part, recipe), part) : null,
      part,
      findings,
    };
  }

  get<K extends SettingName>(name: K): Settings[K] {
    return this.values[name];
  }

  /** All of them, without their values. */
  described(): DescribedSettings {
    const names = Object.keys(this.values) as SettingName[];
    return Object.fromEntries(names.map((name) => [name, this.inputs(name)])) as DescribedSettings;
  }

  /** What keys are taken over: texts by file, small values as they are, others as hashes. */
  inputs(name: SettingName): Readonly<Record<string, string>> {
    let known = this.known.get(name);
    if (!known) {
      known = describe(name, this.values);
      this.known.set(name, known);
    }
    return known;
  }
}

function valuesOf(input: DesignInput, part: Part, recipe: Recipe): Settings {
  return {
    sources: input.sources,
    "pin files": input.pinFiles,
    "timing files": input.timingFiles,
    top: input.top,
    part,
    board: boardUnder(input.board, part),
    synthesis: recipe.retime
      ? { ...synthOptionsFor(part), retime: true, goalLevels: levelsFor(input.timingFiles, part) }
      : synthOptionsFor(part),
    "port shape": portShape(input.pinFiles),
    placement: { effort: recipe.placeEffort, timingWeight: recipe.timingWeight },
    routing: { maxIterations: recipe.routeIterations },
    seed: input.seed,
  };
}

function describe(name: SettingName, values: Settings): Record<string, string> {
  switch (name) {
    case "sources":
    case "pin files":
    case "timing files":
      // in their order: a macro that one file defines holds in those behind it
      return Object.fromEntries(
        (values[name] as readonly SourceFile[]).map((file, i) => [
          `${fileInput[name]}${file.name}`,
          `${i} ${shortHash(file.text)}`,
        ]),
      );
    case "part":
      return { part: values.part.name };
    case "board":
      return { board: values.board?.name ?? "" };
    case "top":
      return { top: values.top ?? "" };
    case "seed":
      return { seed: String(values.seed) };
    default:
      return { [name]: shortHash(values[name]) };
  }
}

/** All settings as keys are taken over them. */
export type DescribedSettings = Readonly<Record<SettingName, Readonly<Record<string, string>>>>;

/** How inputs that are files begin: the file's name follows. */
export const fileInput = { sources: "source ", "pin files": "pin file ", "timing files": "timing file " } as const;

/** Inputs of a stage by name, in a fixed order. Null where a facet is not known. @param facets Hashes of earlier results. */
export function stageInputs(
  name: StageName,
  settings: (name: SettingName) => Readonly<Record<string, string>>,
  facets: (facet: FacetName) => string | null,
): Record<string, string | null> {
  const { settings: wanted, reads } = stages[name];
  const inputs: Record<string, string | null> = {};
  for (const setting of wanted) Object.assign(inputs, settings(setting));
  for (const facet of reads) inputs[facet] = facets(facet);
  return inputs;
}

/** Hashes of all facets of a result. */
export function facetsOf<S extends StageName>(name: S, artifact: unknown): Record<string, string> {
  const facets = stages[name].facets as Readonly<
    Record<string, { of(artifact: unknown): unknown; hash?(artifact: unknown): string }>
  >;
  return Object.fromEntries(
    Object.entries(facets).map(([facet, { of, hash }]) => [
      `${name}.${facet}`,
      hash ? hash(artifact).slice(0, 32) : shortHash(of(artifact)),
    ]),
  );
}

/** Value of a facet. */
export function facetValue(facet: FacetName, artifact: unknown): unknown {
  const stage = stageOfFacet(facet);
  const found = (stages[stage].facets as Readonly<Record<string, { of(artifact: unknown): unknown }>>)[
    facet.slice(stage.length + 1)
  ];
  if (!found) throw new InvariantError(`There is no facet ${facet}.`);
  return found.of(artifact);
}

function unknownRecipe(name: string): Finding {
  const names = recipes.map((candidate) => candidate.name);
  const near = nearestName(name, names);
  return {
    code: "recipe/unknown",
    severity: "error",
    place: {},
    message: `There is no recipe '${name}'.`,
    remedy: near ? `Did you mean '${near}'?` : `Choose one of ${names.join(", ")}.`,
  };
}
