import { assemble } from "../bitstream/assemble.ts";
import { configMap } from "../bitstream/config-map.ts";
import { encodeBitstream, readHeader } from "../bitstream/format.ts";
import { decodeArtifact, encodeArtifact, hashValue } from "../common/codec.ts";
import { CancelledError, type StageContext } from "../common/context.ts";
import { type Finding, hasErrors, nearestName, type StageResult } from "../common/finding.ts";
import { Random } from "../common/random.ts";
import { type PinNeed, parsePins, planPins } from "../constraints/pins.ts";
import { type ClockRule, checkClocks, parseSdc } from "../constraints/sdc.ts";
import { findPart, type Part } from "../device/part.ts";
import { type ElaboratedDesign, elaborate } from "../elaborate/elaborate.ts";
import { cellKind, clockSlots, type MappedNetlist, portBits, serialPads } from "../netlist/mapped.ts";
import { pack } from "../pack/pack.ts";
import { place } from "../place/place.ts";
import { route } from "../route/route.ts";
import { SynthMemory } from "../synth/regions.ts";
import { type SynthOptions, synthesize, synthOptionsFor } from "../synth/synthesize.ts";
import { analyzeTiming } from "../timing/analyze.ts";
import { MadeClocks } from "../timing/made-clocks.ts";
import { ownerOfSlots } from "../timing/timing-graph.ts";
import type { ImageArtifact, ImagePort, RulesArtifact, StageArtifacts, StageRecord } from "./artifacts.ts";
import { beyondPart } from "./beyond-part.ts";
import { type DesignInput, recipes, type StageName, stageNames } from "./design-input.ts";
import { levelsFor } from "./fit.ts";

/** Goes up when a stage computes something else from the same inputs. */
export const stageVersions: Readonly<Record<StageName, number>> = {
  elaborate: 11,
  synth: 12,
  rules: 5,
  pack: 4,
  place: 4,
  route: 4,
  timing: 7,
  image: 4,
};

/** Keeps artifacts under their keys. Lives in the database on the server, in memory elsewhere. */
export interface ArtifactStore {
  get(key: string): Promise<Uint8Array | null>;
  put(key: string, stage: StageName, bytes: Uint8Array): Promise<void>;
}

export class MemoryStore implements ArtifactStore {
  private readonly kept = new Map<string, Uint8Array>();
  async get(key: string): Promise<Uint8Array | null> {
    return this.kept.get(key) ?? null;
  }
  async put(key: string, _stage: StageName, bytes: Uint8Array): Promise<void> {
    this.kept.set(key, bytes);
  }
}

export interface FlowOptions {
  readonly stopAfter?: StageName;
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

/** What is kept for a stage: enough to go on without running it again, findings and run time included. */
export interface StoredStage<S extends StageName = StageName> {
  /** Version of the stage that made it: a reader that expects another one must not trust its shape. */
  readonly version: number;
  readonly artifact: StageArtifacts[S];
  readonly findings: readonly Finding[];
  readonly elapsedMs: number;
  readonly figure: string | null;
  /** What later keys are taken over; usually the stage's own key. */
  readonly contentKey: string;
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

/** Kept beside a synth artifact, for the next run alone. */
interface StoredMemory {
  readonly names: readonly string[];
  readonly regions: readonly Int32Array[];
}
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
  private readonly contentKeys = new Map<StageName, string>();
  private readonly now: () => number;

  constructor(
    private readonly input: DesignInput,
    private readonly store: ArtifactStore,
    private readonly options: FlowOptions,
  ) {
    this.now = options.now ?? (() => Date.now());
  }

  async run(): Promise<FlowResult> {
    const { input } = this;
    const found = findPart(input.part);
    const { part } = found;
    const recipe = recipes.find((candidate) => candidate.name === input.recipe);
    let status: FlowResult["status"] = "done";
    try {
      this.findings.push(...found.findings);
      if (!recipe) {
        const near = nearestName(
          input.recipe,
          recipes.map((candidate) => candidate.name),
        );
        this.findings.push({
          code: "recipe/unknown",
          severity: "error",
          place: {},
          message: `There is no recipe '${input.recipe}'.`,
          remedy: near
            ? `Did you mean '${near}'?`
            : `Choose one of ${recipes.map((candidate) => candidate.name).join(", ")}.`,
        });
      }
      if (!part || !recipe) throw new StageFailed();
      const stop = options(this.options.stopAfter);
      await this.stage(
        "elaborate",
        [input.sources, input.top],
        () => this.elaborate(),
        (design) => design.meaningKey,
      );
      if (stop("elaborate")) return this.finish(status, part);
      const synthOptions: SynthOptions = recipe.retime
        ? { ...synthOptionsFor(part), retime: true, goalLevels: levelsFor(input.timingFiles, part) }
        : synthOptionsFor(part);
      // before hours are spent on what cannot be
      const isStudy = this.options.stopAfter === "synth";
      const beyond = beyondPart(await this.need("elaborate"), isStudy ? null : part);
      this.findings.push(...beyond);
      if (hasErrors(beyond)) {
        this.update("synth", { state: "failed" });
        throw new StageFailed();
      }
      await this.stage("synth", [this.key("elaborate"), synthOptions], async (context) => {
        const memory = await this.memory();
        const result = synthesize((await this.need("elaborate")).netlist, synthOptions, context, memory);
        if (result.artifact) await this.remember(memory);
        return result;
      });
      if (stop("synth")) return this.finish(status, part);
      await this.stage(
        "rules",
        [this.key("synth"), input.pinFiles, input.timingFiles, part.name],
        async () => checkRules(await this.need("synth"), input, part),
        (rules) => hashValue(rules),
      );
      if (stop("rules")) return this.finish(status, part);
      const rules = await this.need("rules");
      await this.stage("pack", [this.key("synth"), rules.pins, part.name], async (context) =>
        pack(await this.need("synth"), rules.pins, part, context),
      );
      if (stop("pack")) return this.finish(status, part);
      const placeOptions = { effort: recipe.placeEffort, timingWeight: recipe.timingWeight };
      await this.stage("place", [this.key("pack"), rules.clocks, placeOptions, input.seed], async (context) => {
        const netlist = await this.need("synth");
        return place(netlist, await this.need("pack"), part, pathGoals(netlist, rules.clocks), placeOptions, context);
      });
      if (stop("place")) return this.finish(status, part);
      const routeOptions = { maxIterations: recipe.routeIterations };
      await this.stage("route", [this.key("place"), routeOptions], async (context) => {
        const netlist = await this.need("synth");
        return route(
          netlist,
          await this.need("pack"),
          await this.need("place"),
          part,
          pathGoals(netlist, rules.clocks),
          routeOptions,
          context,
        );
      });
      if (stop("route")) return this.finish(status, part);
      const layout = async () => ({
        netlist: await this.need("synth"),
        packed: await this.need("pack"),
        placed: await this.need("place"),
        routed: await this.need("route"),
        pins: rules.pins,
        part,
      });
      await this.stage("timing", [this.key("route"), rules.clocks], async (context) =>
        analyzeTiming(await layout(), rules.clocks, context),
      );
      if (stop("timing")) return this.finish(status, part);
      await this.stage("image", [this.key("route"), rules.pins, rules.clocks], async () => ({
        artifact: buildImage(await layout(), rules, this.records.get("image")!.key!),
        findings: [],
      }));
    } catch (error) {
      if (error instanceof CancelledError) status = "cancelled";
      else if (error instanceof StageFailed) status = "failed";
      else throw error;
    }
    return this.finish(status, part);
  }

  private finish(status: FlowResult["status"], part: Part | null): FlowResult {
    return {
      status,
      stages: stageNames.map((stage) => this.records.get(stage)!),
      findings: this.findings,
      part,
      artifact: async (stage) => (this.live.has(stage) || this.stored.has(stage) ? this.need(stage) : null),
    };
  }

  /** What synthesis of an earlier state of the design left. */
  private async memory(): Promise<SynthMemory> {
    const { reuseFrom } = this.options;
    const bytes = reuseFrom ? await this.store.get(memoryKey(reuseFrom)) : null;
    if (!bytes) return new SynthMemory();
    const { names, regions } = decodeArtifact<StoredMemory>(bytes);
    return new SynthMemory(new Map(names.map((name, i) => [name, regions[i]])));
  }

  private async remember({ kept }: SynthMemory): Promise<void> {
    const stored: StoredMemory = { names: [...kept.keys()], regions: [...kept.values()] };
    await this.store.put(memoryKey(this.records.get("synth")!.key!), "synth", encodeArtifact(stored));
  }

  private elaborate(): StageResult<ElaboratedDesign> {
    return elaborate(this.input.sources, { top: this.input.top ?? undefined });
  }

  private key(stage: StageName): string {
    return this.contentKeys.get(stage)!;
  }

  private async need<S extends StageName>(stage: S): Promise<StageArtifacts[S]> {
    if (!this.live.has(stage)) this.live.set(stage, decodeArtifact<StoredStage<S>>(this.stored.get(stage)!).artifact);
    return this.live.get(stage) as StageArtifacts[S];
  }

  private update(stage: StageName, change: Partial<StageRecord>): void {
    const record = { ...this.records.get(stage)!, ...change };
    this.records.set(stage, record);
    this.options.onStage?.(record);
  }

  private async stage<S extends StageName>(
    stage: S,
    inputs: unknown,
    compute: (context: StageContext) => StageResult<StageArtifacts[S]> | Promise<StageResult<StageArtifacts[S]>>,
    content?: (artifact: StageArtifacts[S]) => string,
  ): Promise<void> {
    const isCancelled = () => this.options.isCancelled?.() === true;
    if (isCancelled()) throw new CancelledError();
    const key = hashValue([stage, stageVersions[stage], inputs]);
    const kept = await this.store.get(key);
    if (kept) {
      const { findings, elapsedMs, figure, contentKey } = decodeArtifact<StoredStage<S>>(kept);
      this.stored.set(stage, kept);
      this.contentKeys.set(stage, contentKey);
      this.findings.push(...findings);
      this.update(stage, { state: "reused", key, elapsedMs, fraction: 1, figure });
      return;
    }
    const started = this.now();
    let figure: string | null = null;
    let lastShown = 0;
    this.update(stage, { state: "running", key, fraction: 0 });
    const context: StageContext = {
      random: new Random(this.input.seed),
      progress: (progress) => {
        figure = progress.figure ?? figure;
        const now = this.now();
        if (now - lastShown < 100) return;
        lastShown = now;
        this.update(stage, { fraction: progress.fraction, figure, elapsedMs: now - started });
      },
      checkCancelled: () => {
        if (isCancelled()) throw new CancelledError();
      },
    };
    const { artifact, findings } = await compute(context);
    const elapsedMs = this.now() - started;
    this.findings.push(...findings);
    if (!artifact || hasErrors(findings)) {
      this.update(stage, { state: "failed", elapsedMs, figure });
      throw new StageFailed();
    }
    const contentKey = content ? content(artifact) : key;
    const entry: StoredStage<S> = { version: stageVersions[stage], artifact, findings, elapsedMs, figure, contentKey };
    await this.store.put(key, stage, encodeArtifact(entry));
    this.live.set(stage, artifact);
    this.contentKeys.set(stage, contentKey);
    this.update(stage, { state: "done", elapsedMs, fraction: 1, figure });
  }
}

function options(stopAfter: StageName | undefined): (stage: StageName) => boolean {
  return (stage) => stage === stopAfter;
}

/** Input port bits that clock a register or block, directly. */
export function clockPorts(netlist: MappedNetlist): string[] {
  const ports = new Set<string>();
  clockSlots(netlist).forEach((isClock, slot) => {
    if (!isClock || netlist.inputNet[slot] < 0) return;
    const driver = netlist.netDriver[netlist.inputNet[slot]];
    if (netlist.kind[driver] === cellKind.inputPad) ports.add(netlist.cellName[driver]);
  });
  return [...ports].sort();
}

/** Port bits that need a pin: outputs always, inputs if something reads them. */
export function pinNeeds(netlist: MappedNetlist): PinNeed[] {
  const clocks = new Set(clockPorts(netlist));
  const serial = new Map<string, PinNeed["serial"]>();
  const lanes = serialPads(netlist);
  for (const { direction, pads, bitNames } of netlist.ports)
    pads.forEach((cell, i) => {
      const lane = lanes.get(cell);
      if (lane !== undefined) serial.set(bitNames[i], { lane, side: direction === "input" ? "receive" : "transmit" });
    });
  return portBits(netlist.ports).map((each) => ({
    ...each,
    isClock: clocks.has(each.bitName),
    ...(serial.has(each.bitName) ? { serial: serial.get(each.bitName) } : {}),
  }));
}

function checkRules(netlist: MappedNetlist, input: DesignInput, part: Part): StageResult<RulesArtifact> {
  const findings: Finding[] = [];
  const parsedPins = parsePins(input.pinFiles);
  const parsedClocks = parseSdc(input.timingFiles);
  findings.push(...parsedPins.findings, ...parsedClocks.findings);
  const needs = pinNeeds(netlist);
  const plan = planPins(parsedPins.pins, needs, part);
  findings.push(...plan.findings);
  const inputs = new Set(needs.filter((need) => need.direction !== "output").map((need) => need.bitName));
  const clocks = checkClocks(parsedClocks.clocks, inputs, clockPorts(netlist), input.timingFiles[0]?.name ?? null);
  findings.push(...clocks.findings, ...checkClockBlocks(netlist, clocks.clocks, part));
  return { artifact: plan.artifact && { pins: plan.artifact, clocks: clocks.clocks }, findings };
}

/** Clock blocks that are given or make frequencies beyond what the family's can do. */
function checkClockBlocks(netlist: MappedNetlist, clocks: readonly ClockRule[], part: Part): Finding[] {
  const made = new MadeClocks(netlist, clocks);
  const { input, inside } = part.family.clockBlockMhz;
  return netlist.blocks.flatMap(({ cell, modes }): Finding[] => {
    const net = netlist.inputNet[netlist.inputStart[cell]];
    if (modes.type !== "clockBlock" || net < 0) return [];
    return made.at(netlist.netDriver[net]).flatMap(({ name, periodPs }): Finding[] => {
      const mhz = 1e6 / periodPs;
      const text = (value: number) => `${Number(value.toPrecision(6))} MHz`;
      const isInside = mhz * modes.multiply <= inside;
      if (isInside && mhz >= input[0] && mhz <= input[1]) return [];
      return [
        {
          code: "clock/out-of-range",
          severity: "error",
          place: { object: netlist.cellName[cell] },
          message: isInside
            ? `'${name}' at ${text(mhz)} is outside of what a clock block of ${part.family.name} takes in, ${text(input[0])} to ${text(input[1])}.`
            : `Clock block '${netlist.cellName[cell]}' multiplies '${name}' to ${text(mhz * modes.multiply)}; ${part.family.name} goes up to ${text(inside)}.`,
          remedy: isInside
            ? "Bring in another clock, or correct its period."
            : "Multiply by less, or choose another part.",
        },
      ];
    });
  });
}

/** [cells] Time that a path into each register may take: the period of its clock, Infinity without one. */
export function pathGoals(netlist: MappedNetlist, clocks: readonly ClockRule[]): Float64Array {
  const goals = new Float64Array(netlist.cellCount).fill(Infinity);
  const made = new MadeClocks(netlist, clocks);
  const owner = ownerOfSlots(netlist);
  clockSlots(netlist).forEach((isClock, slot) => {
    if (!isClock || netlist.inputNet[slot] < 0) return;
    const driver = netlist.netDriver[netlist.inputNet[slot]];
    for (const { periodPs } of made.at(driver)) goals[owner[slot]] = Math.min(goals[owner[slot]], periodPs);
  });
  return goals;
}

function buildImage(layout: Parameters<typeof assemble>[0], rules: RulesArtifact, key: string): ImageArtifact {
  const { part, netlist } = layout;
  const memory = assemble(layout);
  const file = encodeBitstream(memory, part, key, { omitBlankFrames: false });
  let bitsSet = 0;
  for (const byte of memory) for (let rest = byte; rest; rest &= rest - 1) bitsSet++;
  const pinOf = new Map(rules.pins.pins.map((pin) => [pin.port, pin]));
  const ports = portBits(netlist.ports).map(({ bitName, direction }): ImagePort => {
    const pin = pinOf.get(bitName)!;
    const clock = rules.clocks.find((candidate) => candidate.port === bitName);
    return {
      port: bitName,
      direction,
      pin: pin.pin,
      standard: pin.standard,
      clockNs: clock ? clock.periodPs / 1000 : null,
    };
  });
  return {
    file,
    partName: part.name,
    idcode: part.die.idcode,
    designKey: key,
    memoryBits: configMap(part).byteCount * 8,
    bitsSet,
    frames: readHeader(file)!.frameCount,
    ports,
  };
}
