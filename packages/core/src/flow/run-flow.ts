import { decodeArtifact, encodeArtifact } from "../common/codec.ts";
import { CancelledError, type StageContext } from "../common/context.ts";
import { type Finding, hasErrors, InvariantError } from "../common/finding.ts";
import { Random } from "../common/random.ts";
import type { Part } from "../device/part.ts";
import { layoutFaults } from "../layout/check.ts";
import type { LayoutNetlist } from "../netlist/mapped.ts";
import type { FacetName, FacetValue, StageArtifacts, StageRecord } from "./artifacts.ts";
import { type DesignInput, type StageName, stageNames } from "./design-input.ts";
import {
  facetsOf,
  facetValue,
  ResolvedSettings,
  stageInputs,
  stageKey,
  stageOfFacet,
  stages,
  stagesUpTo,
} from "./graph.ts";
import type { Given, SettingName, StageMemory } from "./stage.ts";
import type { ArtifactStore, StoredStage } from "./store.ts";

interface FlowOptions {
  /** Runs only what this stage needs, and the stage. */
  readonly stopAfter?: StageName;
  /** Holds the finished layout against the part and the circuit, by a checker that shares nothing with what laid it out. */
  readonly checkLayout?: boolean;
  /** Key of an earlier synth artifact of the same design: what did not change since is taken over. */
  readonly reuseFrom?: string | null;
  /** Called whenever something about a stage changes. */
  readonly onStage?: (record: StageRecord) => void;
  /** True once the caller no longer wants the result. */
  readonly isCancelled?: () => boolean;
  readonly now?: () => number;
}

export interface FlowResult {
  readonly status: "done" | "failed" | "cancelled";
  readonly stages: readonly StageRecord[];
  readonly findings: readonly Finding[];
  readonly part: Part | null;
  /** Decodes the artifact of a finished stage; null if it was not reached. */
  artifact<S extends StageName>(stage: S): Promise<StageArtifacts[S] | null>;
}

/** Runs the stages in order, each only if the store has no result under its key. */
export async function runFlow(
  input: DesignInput,
  store: ArtifactStore,
  options: FlowOptions = {},
): Promise<FlowResult> {
  return new FlowRun(input, store, options).run();
}

class StageFailed extends Error {}

const memoryKey = (synthKey: string) => `${synthKey}/regions`;

class FlowRun {
  private readonly records = new Map<StageName, StageRecord>(
    stageNames.map((stage) => [
      stage,
      { stage, state: "waiting", key: null, elapsedMs: null, fraction: 0, figure: null },
    ]),
  );
  private readonly findings: Finding[] = [];
  private readonly live = new Map<StageName, unknown>();
  private readonly stored = new Map<StageName, Uint8Array>();
  private readonly facets = new Map<string, string>();
  private readonly values = new Map<FacetName, unknown>();
  private readonly now: () => number;

  constructor(
    private readonly input: DesignInput,
    private readonly store: ArtifactStore,
    private readonly options: FlowOptions,
  ) {
    this.now = options.now ?? (() => Date.now());
  }

  async run(): Promise<FlowResult> {
    const { settings, part, findings } = ResolvedSettings.of(this.input);
    this.findings.push(...findings);
    let status: FlowResult["status"] = settings ? "done" : "failed";
    const { stopAfter } = this.options;
    const wanted = stopAfter ? stagesUpTo(stopAfter) : stageNames;
    try {
      if (settings)
        for (const stage of wanted) {
          await this.stage(stage, settings);
          if (stage === "route" && this.options.checkLayout) await this.checkLayout(settings);
        }
    } catch (error) {
      if (error instanceof CancelledError) status = "cancelled";
      else if (error instanceof StageFailed) status = "failed";
      else throw error;
    }
    return {
      status,
      stages: stageNames.map((stage) => this.records.get(stage)!),
      findings: this.findings,
      part,
      artifact: async (stage) => (this.live.has(stage) || this.stored.has(stage) ? this.artifact(stage) : null),
    };
  }

  private async checkLayout(settings: ResolvedSettings): Promise<void> {
    const [netlist, packed, placed, routed] = await Promise.all([
      this.artifact("synth"),
      this.artifact("pack"),
      this.artifact("place"),
      this.artifact("route"),
    ]);
    const faults = layoutFaults({ netlist, packed, placed, routed, part: settings.get("part") });
    if (faults.length === 0) return;
    this.findings.push({
      code: "layout/fault",
      severity: "error",
      place: { object: netlist.top },
      message: `The layout is wrong in ${faults.length} point(s), and no bitstream is made of it: ${faults.slice(0, 5).join(" ")}`,
      remedy:
        "Build it afresh, with another seed if it is the same again, and report it: this is a fault of the product.",
    });
    throw new StageFailed();
  }

  private async stage<S extends StageName>(name: S, settings: ResolvedSettings): Promise<void> {
    const isCancelled = () => this.options.isCancelled?.() === true;
    if (isCancelled()) throw new CancelledError();
    const inputs = stageInputs(
      name,
      (setting) => settings.inputs(setting),
      (facet) => this.facets.get(facet) ?? null,
    ) as Record<string, string>;
    const key = stageKey(name, inputs);
    if (await this.takeKept(name, key, inputs)) return;
    const started = this.now();
    let figure: string | null = null;
    let lastShown = 0;
    this.update(name, { state: "running", key, inputs, fraction: 0 });
    const context: StageContext = {
      random: new Random(this.input.seed),
      progress: (progress) => {
        figure = progress.figure ?? figure;
        const now = this.now();
        if (now - lastShown < 100) return;
        lastShown = now;
        this.update(name, { fraction: progress.fraction, figure, elapsedMs: now - started });
      },
      checkCancelled: () => {
        if (isCancelled()) throw new CancelledError();
      },
    };
    const { artifact, findings } = await stages[name].run(this.given(name, settings, key), context, this.memory(key));
    const elapsedMs = this.now() - started;
    this.findings.push(...findings);
    if (!artifact || hasErrors(findings)) {
      this.update(name, { state: "failed", elapsedMs, figure });
      throw new StageFailed();
    }
    const facets = facetsOf(name, artifact);
    const entry: StoredStage<S> = { version: stages[name].version, artifact, findings, elapsedMs, figure, facets };
    await this.store.put(key, name, encodeArtifact(entry));
    this.live.set(name, artifact);
    this.finished(name, { state: "done", elapsedMs, figure }, facets);
  }

  /** @returns True if the store had the result. */
  private async takeKept(name: StageName, key: string, inputs: Record<string, string>): Promise<boolean> {
    const kept = await this.store.get(key);
    if (!kept) return false;
    const { version, findings, elapsedMs, figure, facets } = decodeArtifact<StoredStage>(kept);
    if (version !== stages[name].version || !(await this.stillNames(name, findings))) return false;
    this.stored.set(name, kept);
    this.findings.push(...findings);
    this.update(name, { key, inputs });
    this.finished(name, { state: "reused", elapsedMs, figure }, facets);
    return true;
  }

  /** False for findings about what has another name by now: names are not in the keys of stages that work by structure. */
  private async stillNames(name: StageName, findings: readonly Finding[]): Promise<boolean> {
    if (!(stages[name].reads as readonly FacetName[]).includes("synth.structure")) return true;
    const objects = findings.flatMap(({ place }) => place.object ?? []);
    if (objects.length === 0) return true;
    const netlist = (await this.read("synth.structure")) as LayoutNetlist;
    const names = new Set([netlist.top, ...netlist.cellName, ...netlist.netName]);
    for (const { bitNames } of netlist.ports) for (const bitName of bitNames) names.add(bitName);
    return objects.every((object) => names.has(object));
  }

  private finished(
    name: StageName,
    change: Pick<StageRecord, "state" | "elapsedMs" | "figure">,
    facets: Readonly<Record<string, string>>,
  ): void {
    for (const [facet, hash] of Object.entries(facets)) this.facets.set(facet, hash);
    this.update(name, { ...change, facets, fraction: 1 });
  }

  /** What a stage may read: what it declares. */
  private given(name: StageName, settings: ResolvedSettings, key: string): Given<SettingName, FacetName> {
    const { settings: ofDesign, reads } = stages[name];
    const declared = new Set<string>([...ofDesign, ...reads]);
    const check = (wanted: string) => {
      if (!declared.has(wanted)) throw new InvariantError(`Stage ${name} reads ${wanted}, which it does not declare.`);
    };
    return {
      key,
      setting: (wanted) => {
        check(wanted);
        return settings.get(wanted);
      },
      read: <K extends FacetName>(wanted: K) => {
        check(wanted);
        return this.read(wanted) as Promise<FacetValue<K>>;
      },
    };
  }

  private async read(facet: FacetName): Promise<unknown> {
    if (!this.values.has(facet)) this.values.set(facet, facetValue(facet, await this.artifact(stageOfFacet(facet))));
    return this.values.get(facet);
  }

  private async artifact<S extends StageName>(stage: S): Promise<StageArtifacts[S]> {
    if (!this.live.has(stage)) this.live.set(stage, decodeArtifact<StoredStage<S>>(this.stored.get(stage)!).artifact);
    return this.live.get(stage) as StageArtifacts[S];
  }

  /** Of synthesis alone: what an earlier state of the design left. */
  private memory(key: string): StageMemory {
    const { reuseFrom } = this.options;
    return {
      load: async () => {
        const bytes = reuseFrom ? await this.store.get(memoryKey(reuseFrom)) : null;
        return bytes && decodeArtifact(bytes);
      },
      save: (value) => this.store.put(memoryKey(key), "synth", encodeArtifact(value)),
    };
  }

  private update(stage: StageName, change: Partial<StageRecord>): void {
    const record = { ...this.records.get(stage)!, ...change };
    this.records.set(stage, record);
    this.options.onStage?.(record);
  }
}
