import { type Finding, InvariantError, nearestName } from "../common/finding.ts";
import type { BlockModes } from "./blocks/description.ts";
import { blockOf } from "./blocks/registry.ts";
import { calico, calicoParts } from "./calico.ts";
import { Fabric } from "./fabric.ts";
import {
  type CornerName,
  corners,
  type FamilyDescription,
  type PackageDescription,
  type PartDescription,
  type TemperatureGrade,
} from "./family.ts";
import { felt, feltParts } from "./felt.ts";
import { type PackagePin, packagePins } from "./package-pins.ts";
import { buildRoutingGraph, type RoutingGraph } from "./rr-graph.ts";
import { nodeKind, type TilePattern } from "./tile-pattern.ts";
import { twill, twillParts } from "./twill.ts";

/** One orderable part: die, package, speed grade, temperature grade. */
export interface Part {
  /** As in `TW-2-P144-2C`. */
  readonly name: string;
  readonly die: PartDescription;
  readonly family: FamilyDescription;
  readonly package: PackageDescription;
  /** Speed grade. */
  readonly grade: string;
  readonly temperature: TemperatureGrade;
  /** Price beside that of the cheapest part. */
  readonly cost: number;
  readonly fabric: Fabric;
  readonly graph: RoutingGraph;
  /** Package pins that carry a signal. */
  readonly pins: readonly PackagePin[];
  readonly pinByName: ReadonlyMap<string, PackagePin>;
  readonly pinOfPad: ReadonlyMap<number, PackagePin>;
}

const families: readonly FamilyDescription[] = [twill, calico, felt];
const dies: PartDescription[] = [...twillParts, ...calicoParts, ...feltParts];
const temperatures: readonly TemperatureGrade[] = ["C", "I"];

/** @throws InvariantError if there is no such family. */
export function findFamily(name: string): FamilyDescription {
  const family = families.find((candidate) => candidate.name === name);
  if (!family) throw new InvariantError(`There is no family ${name}.`);
  return family;
}
const fabrics = new Map<string, Fabric>();
const graphs = new WeakMap<Fabric, RoutingGraph>();

/** Built when it is first asked for: pages that show pins or figures only never need it. */
function graphOf(fabric: Fabric): RoutingGraph {
  let graph = graphs.get(fabric);
  if (!graph) {
    graph = buildRoutingGraph(fabric);
    graphs.set(fabric, graph);
  }
  return graph;
}

export function listFamilies(): readonly FamilyDescription[] {
  return families;
}
export function listDies(): readonly PartDescription[] {
  return dies;
}

/** Makes a die of one of the families known. @returns A function that takes it back. */
export function registerDie(die: PartDescription): () => void {
  findFamily(die.family);
  if (dies.some(({ name }) => name === die.name)) throw new InvariantError(`There is a die ${die.name} already.`);
  dies.push(die);
  return () => {
    dies.splice(dies.indexOf(die), 1);
    fabrics.delete(die.name);
  };
}

/** Every part that can be ordered, by full name. */
export function listParts(): string[] {
  return dies.flatMap((die) =>
    die.packages.flatMap((pack) =>
      die.grades.flatMap((grade) =>
        temperatures.map((temperature) => `${die.name}-${pack.name}-${grade}${temperature}`),
      ),
    ),
  );
}

/** @returns The part, or null with a finding that suggests the nearest name. */
export function findPart(name: string): { part: Part | null; findings: Finding[] } {
  const wanted = name.trim().toUpperCase();
  const full = listParts().find((candidate) => candidate === wanted);
  const die = full && dies.find((candidate) => full.startsWith(`${candidate.name}-`));
  if (!full || !die) {
    const near = nearestName(wanted, listParts()) ?? listParts().find((candidate) => candidate.startsWith(wanted));
    const finding: Finding = {
      code: "part/unknown",
      severity: "error",
      place: { object: name },
      message: `There is no part '${name}'.`,
      remedy: near
        ? `Did you mean ${near}?`
        : `Parts are named like ${listParts()[0]}; there are ${dies.map((candidate) => candidate.name).join(", ")}.`,
    };
    return { part: null, findings: [finding] };
  }
  const [packageName, grade] = full.slice(die.name.length + 1).split("-");
  const family = families.find((candidate) => candidate.name === die.family)!;
  let fabric = fabrics.get(die.name);
  if (!fabric) {
    fabric = new Fabric(family, die);
    fabrics.set(die.name, fabric);
  }
  const shared = fabric;
  const pack = die.packages.find((candidate) => candidate.name === packageName)!;
  const pins = packagePins(shared, pack);
  return {
    part: {
      name: full,
      die,
      family,
      package: pack,
      grade: grade[0],
      temperature: grade[1] as TemperatureGrade,
      cost: die.cost * (1 + pack.extraCost) * (1 + 0.13 * (Number(grade[0]) - 1)) * (grade[1] === "I" ? 1.2 : 1),
      fabric: shared,
      get graph() {
        return graphOf(shared);
      },
      pins,
      pinByName: new Map(pins.map((pin) => [pin.name, pin])),
      pinOfPad: new Map(pins.map((pin) => [pin.pad, pin])),
    },
    findings: [],
  };
}

export function partByIdcode(idcode: number): PartDescription | undefined {
  return dies.find((die) => die.idcode === idcode >>> 0);
}

/**
 * The one source of delays: router cost, timing report, SDF and simulated part all ask here. Additive buffered model:
 * each node's delay counts once on every path through it.
 */
export class Delays {
  /** What corner, temperature and grade make of the table's figures. */
  readonly scale: number;
  constructor(
    private readonly part: Part,
    readonly corner: CornerName,
  ) {
    this.scale = corners[part.temperature][corner].factor * part.family.gradeFactor[part.grade];
  }

  get family(): FamilyDescription {
    return this.part.family;
  }
  /** Least delay of a data element over its largest, on the same die. */
  get minRatio(): number {
    return corners[this.part.temperature][this.corner].min;
  }
  lutPs(pin: number): number {
    return this.part.family.delays.lutPs[pin] * this.scale;
  }
  get carryPs(): number {
    return this.part.family.delays.carryPs * this.scale;
  }
  get carryEntryPs(): number {
    return this.part.family.delays.carryEntryPs * this.scale;
  }
  get carrySumPs(): number {
    return this.part.family.delays.carrySumPs * this.scale;
  }
  /** Clock to output of a block that is clocked. */
  blockClockPs(modes: BlockModes, output: string): number {
    return blockOf(modes).clockPs(this.part.family.delays, modes, output) * this.scale;
  }
  /** Setup of a block's input pin before its clock. */
  blockSetupPs(modes: BlockModes, input: string): number {
    return blockOf(modes).setupPs(this.part.family.delays, modes, input) * this.scale;
  }
  /** From register to register inside of a block, clock to output and setup included; null if none follows another. */
  blockInsidePs(modes: BlockModes): number | null {
    const ps = blockOf(modes).insidePs?.(this.part.family.delays, modes) ?? null;
    return ps === null ? null : ps * this.scale;
  }
  /** Pin to output of a block where no register lies between. */
  blockThroughPs(modes: BlockModes, input: string): number {
    return (blockOf(modes).throughPs?.(this.part.family.delays, input) ?? 0) * this.scale;
  }
  get pinMuxPs(): number {
    return this.part.family.delays.pinMuxPs * this.scale;
  }
  get clockToOutputPs(): number {
    return this.part.family.delays.clockToOutputPs * this.scale;
  }
  setupPs(bypass: boolean): number {
    const { setupPs, bypassSetupPs } = this.part.family.delays;
    return (setupPs + (bypass ? bypassSetupPs : 0)) * this.scale;
  }
  /** Least time that a clock must be high, and low, at a register. */
  get pulsePs(): number {
    return this.part.family.delays.pulsePs * this.scale;
  }
  /** Least period of a block's clock; 0 where only its registers limit it. */
  blockPeriodPs(modes: BlockModes): number {
    return (blockOf(modes).periodPs?.(this.part.family.delays, modes) ?? 0) * this.scale;
  }
  get holdPs(): number {
    return this.part.family.delays.holdPs * this.scale;
  }
  inputPadPs(standard: string): number {
    return (this.part.family.delays.inputPadPs + this.standard(standard).inputPs) * this.scale;
  }
  /** @param milliamps Drive: a weaker one charges the load more slowly. */
  outputPadPs(standard: string, milliamps: number, slow: boolean): number {
    const weak = milliamps >= 12 ? -120 : milliamps >= 8 ? 0 : 310;
    return (
      (this.part.family.delays.outputPadPs + this.standard(standard).outputPs + weak + (slow ? 640 : 0)) * this.scale
    );
  }
  /** What a load at an output adds, in ps; below 0 for one that is less than the delays are for. @param pf Capacitance. */
  loadPs(pf: number, milliamps: number): number {
    const { padLoadPf, padLoadPs } = this.part.family.delays;
    return (((pf - padLoadPf) * padLoadPs * 8) / milliamps) * this.scale;
  }
  /** Time to half of the swing of an input that is charged through a resistance, in ps. @param kiloohm Outside of the part: the same at all corners. */
  drivePs(kiloohm: number): number {
    return Math.LN2 * kiloohm * this.part.family.delays.padInputPf * 1000;
  }
  private standard(name: string) {
    return this.part.family.standards.find((standard) => standard.name === name) ?? this.part.family.standards[0];
  }

  /** [nodes] Largest delay of every routing node, in ps: mux and buffer, up to its far end. */
  nodePs(): Float32Array {
    const { graph, fabric, family } = this.part;
    const { delays } = family;
    const table = new Float32Array(graph.nodeCount);
    const byPattern = new Map<TilePattern, { row: Float32Array; clock: number | undefined }>();
    for (let tile = 0; tile < fabric.tileCount; tile++) {
      const pattern = fabric.pattern(tile);
      let known = byPattern.get(pattern);
      if (!known) {
        const row = Float32Array.from(pattern.nodes, ({ kind, wireType }) => {
          if (kind === nodeKind.wire) return delays.wirePs[wireType] * this.scale;
          if (kind === nodeKind.globalClock) return delays.globalClockPs * this.scale;
          if (kind === nodeKind.regionClock) return delays.regionClockPs * this.scale;
          return kind === nodeKind.input ? delays.pinMuxPs * this.scale : 0;
        });
        known = { row, clock: pattern.byName.get("CLK") };
        byPattern.set(pattern, known);
      }
      const first = graph.tileFirst[tile];
      table.set(known.row, first);
      if (known.clock !== undefined)
        table[first + known.clock] =
          (delays.tileClockPs + delays.tileClockStepPs * fabric.clockDistance(tile)) * this.scale;
    }
    return table;
  }
}

/** `x3y7.E4.2`: a routing node as people see it. */
export function nodeName(part: Part, node: number): string {
  const { graph, fabric } = part;
  const tile = graph.nodeTile[node];
  return `x${fabric.tileX(tile)}y${fabric.tileY(tile)}.${fabric.pattern(tile).nodes[node - graph.tileFirst[tile]].name}`;
}
