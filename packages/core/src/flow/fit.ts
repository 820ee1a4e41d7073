import type { StageContext } from "../common/context.ts";
import type { Finding } from "../common/finding.ts";
import { hasErrors } from "../common/finding.ts";
import type { SourceFile } from "../common/source.ts";
import type { PinNeed } from "../constraints/pins/model.ts";
import { planPins } from "../constraints/pins/plan.ts";
import { parsePins } from "../constraints/pins/read.ts";
import { readTimingFiles } from "../constraints/sdc/read.ts";
import { Delays, findPart, listDies, type Part } from "../device/part.ts";
import { elaborate } from "../elaborate/elaborate.ts";
import { type StateCoding, stateCodings } from "../netlist/attributes.ts";
import { cellKind, type MappedNetlist } from "../netlist/mapped.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { synthesize, synthOptionsFor } from "../synth/synthesize.ts";
import { buildTimingGraph, criticalities, setFixedArcs, startDelays } from "../timing/timing-graph.ts";
import { estimateTiles, type ResourceUse, utilization } from "./utilization.ts";

/** How a design would stand in one die and package. */
export interface PartFit {
  readonly part: string;
  readonly die: string;
  readonly package: string;
  readonly family: string;
  readonly uses: readonly ResourceUse[];
  readonly fits: boolean;
  /** What runs out first, or is fullest; null if it cannot be mapped. */
  readonly first: ResourceUse | null;
  /** Share of `first`, 1 is full. */
  readonly share: number;
  readonly levels: number;
  /** Highest clock by the estimate, before layout; null without a path between registers. */
  readonly fmaxMhz: number | null;
  /** Price beside that of the cheapest part. */
  readonly cost: number;
  /** Why no circuit could be mapped at all. */
  readonly problem: string | null;
}

/**
 * The highest clock that LUT, carry and block delays allow when every connection takes one short and one middle wire:
 * a figure to compare by, not a promise.
 */
export function estimateFmax(netlist: MappedNetlist, part: Part): number | null {
  const delays = new Delays(part, "slow-hot");
  const slots = netlist.inputNet.length;
  const netPs = new Float32Array(slots).fill(wirePs(part, delays));
  const lutPs = new Float32Array(slots).fill(delays.lutPs(Math.floor(part.family.lutInputs / 2)));
  setFixedArcs(netlist, delays, lutPs);
  for (const chain of netlist.chains) {
    for (const cells of [chain.sum, chain.mux])
      for (const cell of cells) if (cell >= 0) netPs.fill(0, netlist.inputStart[cell], netlist.inputStart[cell] + 2);
  }
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (netlist.kind[cell] === cellKind.blockOutput) netPs[netlist.inputStart[cell]] = 0;
  const start = startDelays(netlist, delays);
  // pads belong to the board's timing, not to the clock's
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (netlist.kind[cell] === cellKind.inputPad) start[cell] = -Infinity;
  const padSlots = new Set<number>();
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (netlist.kind[cell] === cellKind.outputPad)
      for (let slot = netlist.inputStart[cell]; slot < netlist.inputStart[cell + 1]; slot++) padSlots.add(slot);
  const graph = buildTimingGraph(netlist);
  const inner = { ...graph, endPins: graph.endPins.filter((slot) => !padSlots.has(slot)) };
  const goals = new Float64Array(netlist.cellCount).fill(Infinity);
  const { worstPs } = criticalities(inner, { netPs, lutPs }, start, goals, new Float32Array(slots));
  const inside = netlist.blocks.map(({ modes }) => delays.blockInsidePs(modes) ?? 0);
  const needPs = Math.max(worstPs > 1 ? worstPs + delays.setupPs(false) : 0, ...inside);
  return needPs > 0 ? 1e6 / needPs : null;
}

/** LUT levels that the shortest period asked for leaves room for, by the same estimate; 1 where no clock is declared. */
export function levelsFor(timingFiles: readonly SourceFile[], part: Part): number {
  const periods = readTimingFiles(timingFiles, null).rules.clocks.map(({ periodPs }) => periodPs);
  if (periods.length === 0) return 1;
  const delays = new Delays(part, "slow-hot");
  const level = delays.lutPs(Math.floor(part.family.lutInputs / 2)) + wirePs(part, delays);
  const around = delays.clockToOutputPs + delays.setupPs(false) + wirePs(part, delays);
  return Math.max(1, Math.floor((Math.min(...periods) - around) / level));
}

/** One short and one middle wire. */
function wirePs(part: Part, delays: Delays): number {
  const { wirePs: wires, pinMuxPs } = part.family.delays;
  return (wires[0] + wires[1] + pinMuxPs) * delays.scale;
}

/** How the design would stand in every die and package, cheapest that fits first. Maps it once for each die. */
export function fitParts(elaborated: RtlNetlist, context: StageContext): PartFit[] {
  const rows: PartFit[] = [];
  const dies = listDies();
  dies.forEach((die, d) => {
    context.checkCancelled();
    context.progress({ fraction: d / dies.length, figure: die.name });
    const partOf = (pack: string) => findPart(`${die.name}-${pack}-${die.grades[0]}C`).part!;
    const first = partOf(die.packages[0].name);
    const quiet = { ...context, progress() {} };
    const { artifact, findings } = synthesize(elaborated, synthOptionsFor(first), quiet);
    for (const pack of die.packages) {
      const part = partOf(pack.name);
      const base = { part: part.name, die: die.name, package: pack.name, family: die.family, cost: part.cost };
      if (!artifact) {
        const problem = findings[0]?.message ?? "It cannot be mapped.";
        rows.push({ ...base, uses: [], fits: false, first: null, share: Infinity, levels: 0, fmaxMhz: null, problem });
        continue;
      }
      const uses = utilization(artifact, null, part);
      const tiles: ResourceUse = {
        kind: "logic tiles",
        used: estimateTiles(artifact, part),
        available: part.fabric.logicTiles.length,
      };
      uses.splice(3, 0, tiles);
      const shareOf = (use: ResourceUse) => (use.used === 0 ? 0 : use.used / use.available);
      // tiles are an estimate: what is counted decides, and they only warn
      const counted = uses.filter((use) => use !== tiles && use.kind !== "carry links" && use.kind !== "clocks");
      const fullest = counted.reduce((a, b) => (shareOf(b) > shareOf(a) ? b : a));
      rows.push({
        ...base,
        uses,
        fits: counted.every((use) => use.used <= use.available),
        first: fullest,
        share: shareOf(fullest),
        levels: artifact.levels,
        fmaxMhz: estimateFmax(artifact, part),
        problem: null,
      });
    }
  });
  return rows.sort((a, b) => Number(b.fits) - Number(a.fits) || a.cost - b.cost);
}

/**
 * What of a design's rules would not hold on another part. Empty: all carries over.
 * @param needs Its port bits, as written. @param netlist Its circuit as built, for what it takes.
 */
export function carryOver(
  pinFiles: readonly SourceFile[],
  needs: readonly PinNeed[],
  netlist: MappedNetlist,
  to: string,
): Finding[] {
  const { part, findings } = findPart(to);
  if (!part) return findings;
  const parsed = parsePins(pinFiles);
  const plan = planPins(parsed.pins, needs, part);
  const tooMany = utilization(netlist, null, part).flatMap(({ kind, used, available }): Finding[] =>
    (kind === "clock blocks" || kind === "clock switches" || kind === "serial lanes") && used > available
      ? [
          {
            code: "fit/too-big",
            severity: "error",
            place: { object: netlist.top },
            message: `${part.name} has ${available} ${kind}; the design uses ${used}.`,
            remedy: "Choose a part that has enough of them, or do without.",
          },
        ]
      : [],
  );
  return [...plan.findings.filter((finding) => finding.severity !== "note"), ...tooMany];
}

/** What a mapped circuit takes. */
interface CircuitFigures {
  readonly luts: number;
  readonly registers: number;
  readonly carry: number;
  readonly memories: number;
  readonly multipliers: number;
  readonly levels: number;
  readonly fmaxMhz: number | null;
}
/** One way of writing a circuit, mapped for a part. */
export interface StyleFigures extends CircuitFigures {
  readonly top: string;
  readonly problem: string | null;
}

/** Figures of one module by itself. */
export function styleFigures(
  sources: readonly SourceFile[],
  top: string,
  partName: string,
  context: StageContext,
): StyleFigures {
  const none = { top, luts: 0, registers: 0, carry: 0, memories: 0, multipliers: 0, levels: 0, fmaxMhz: null };
  const { part } = findPart(partName);
  if (!part) return { ...none, problem: `There is no part ${partName}.` };
  const design = elaborate(sources, { top, withKey: false });
  const error = design.findings.find((finding) => finding.severity === "error");
  if (!design.artifact || hasErrors(design.findings)) return { ...none, problem: error?.message ?? "It has errors." };
  const { artifact, findings } = synthesize(design.artifact.netlist, synthOptionsFor(part), context);
  if (!artifact) return { ...none, problem: findings[0]?.message ?? "It cannot be mapped." };
  return { top, problem: null, ...circuitFigures(artifact, part) };
}

function circuitFigures(artifact: MappedNetlist, part: Part): CircuitFigures {
  const uses = utilization(artifact, null, part);
  const used = (kind: ResourceUse["kind"]) => uses.find((use) => use.kind === kind)?.used ?? 0;
  return {
    luts: used("LUTs"),
    registers: used("registers"),
    carry: used("carry links"),
    memories: used("memories"),
    multipliers: used("multipliers"),
    levels: artifact.levels,
    fmaxMhz: estimateFmax(artifact, part),
  };
}

export interface CodingFigures extends CircuitFigures {
  readonly coding: StateCoding;
}

/** The whole design with each code for one state machine. @param name Of its register. */
export function codingFigures(
  elaborated: RtlNetlist,
  part: Part,
  name: string,
  context: StageContext,
): CodingFigures[] {
  return stateCodings.flatMap((coding, i) => {
    context.checkCancelled();
    context.progress({ fraction: i / stateCodings.length, figure: coding });
    const wish = { name, isScope: false, values: { states_as: coding } };
    const netlist = { ...elaborated, attributes: [...elaborated.attributes, wish] };
    const { artifact } = synthesize(netlist, synthOptionsFor(part), { ...context, progress() {} });
    return artifact ? [{ coding, ...circuitFigures(artifact, part) }] : [];
  });
}
