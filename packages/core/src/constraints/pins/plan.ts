import type { Finding, StageResult } from "../../common/finding.ts";
import type { BoardDescription } from "../../device/boards.ts";
import type { Part } from "../../device/part.ts";
import type { PortLink } from "../port-links.ts";
import { allocatePins } from "./allocate.ts";
import { type BankLoad, bankLoads, checkBankLoads, checkRoles, referencePins } from "./bank-rules.ts";
import { type BoardTies, checkBoard, tiesOf } from "./board-rules.ts";
import { checkClockPins } from "./clock-pins.ts";
import { checkInside } from "./inside-rules.ts";
import { type PlacedLines, type PlacedPort, placeLines } from "./lines.ts";
import type { ParsedPin, PinNeed, PinPlan, PlannedPin } from "./model.ts";
import { checkOptions, checkPulls } from "./option-rules.ts";
import { checkPairs } from "./pairs.ts";
import { portsOf } from "./ports.ts";
import { planSerialPins } from "./serial.ts";

/** What pin files come to beside ports, part and board. */
export interface ResolvedPins {
  readonly lines: PlacedLines;
  /** Pins of ports without a line. */
  readonly automatic: readonly PlannedPin[];
  /** Those of serial lanes, with a line or without. */
  readonly serial: readonly PlannedPin[];
  /** Pins that a line takes beside its own, by name. */
  readonly seconds: ReadonlyMap<string, PlacedPort>;
  /** Pins that carry the level that a line's port compares with, by name. */
  readonly references: ReadonlyMap<string, PlacedPort>;
  readonly ties: BoardTies | null;
  /** [bank] */
  readonly loads: readonly BankLoad[];
  readonly findings: readonly Finding[];
}

/**
 * Checks pin assignments against the part and the design's ports, and gives the ports that are left out legal pins,
 * clocks first.
 * @param all Port bits of the top module.
 * @param board What the part sits on: what it ties to pins counts then.
 * @param links Which ports talk to each other: those without a line come near to those.
 */
export function resolvePins(
  parsed: readonly ParsedPin[],
  all: readonly PinNeed[],
  part: Part,
  board: BoardDescription | null,
  links: readonly PortLink[] = [],
): ResolvedPins {
  const lanePorts = new Set(all.flatMap((need) => (need.serial ? [need.bitName] : [])));
  const isOfLane = ({ assignment }: ParsedPin) => lanePorts.has(assignment.port);
  const needs = all.filter((need) => !need.serial);
  const needByName = new Map(needs.map((need) => [need.bitName, need]));
  const { pins: serial, findings: serialFindings } = planSerialPins(parsed.filter(isOfLane), all, part);
  const { lines, findings: lineFindings } = placeLines(
    parsed.filter((line) => !isOfLane(line)),
    needs,
    part,
  );
  const { placed, byPort, inside } = lines;
  const ties = board && tiesOf(board);
  const { seconds, findings: pairFindings } = checkPairs(placed, part);
  const references = referencePins(placed, part);
  const avoided = new Set([...seconds.keys(), ...references.keys()]);
  const tiedPins = ties ? ties.signals.filter(({ kind }) => kind !== "oscillator").map(({ pin }) => pin) : [];
  // a line with a fault places nothing, and its port is not forgotten all the same
  const mentioned = new Set(parsed.map(({ assignment }) => assignment.port));
  const open = needs.filter(({ bitName }) => !mentioned.has(bitName));
  const { pins: automatic, missing } = allocatePins(open, lines, part, ties, avoided, links);
  const loads = bankLoads([...placed.map(plannedPin), ...automatic], needByName, part);
  const findings: Finding[] = [
    ...serialFindings,
    ...lineFindings,
    ...checkInside(inside, needs),
    ...checkOptions(placed),
    ...checkClockPins(placed, part, new Set([...avoided, ...tiedPins])),
    ...pairFindings,
    ...checkRoles(placed, references, part),
    ...(ties ? checkBoard(placed, needs, ties, part.family) : []),
    ...checkPulls(placed),
    ...(missing.length
      ? [tooFew(missing, needs, part, ties)]
      : toldAutomatic(
          [...open.map((need) => need.bitName), ...serial.flatMap((pin) => (pin.automatic ? [pin.port] : []))],
          parsed.length > 0,
        )),
    ...checkBankLoads(loads, byPort),
  ];
  return { lines, automatic, serial, seconds, references, ties, loads, findings };
}

/** The plan that later stages work from; null where a line is against the rules. */
export function planPins(
  parsed: readonly ParsedPin[],
  all: readonly PinNeed[],
  part: Part,
  board: BoardDescription | null = null,
  links: readonly PortLink[] = [],
): StageResult<PinPlan> {
  const { lines, automatic, serial, findings } = resolvePins(parsed, all, part, board, links);
  const pins = [...lines.placed.map(plannedPin), ...automatic, ...serial];
  pins.sort((a, b) => (a.port < b.port ? -1 : 1));
  const failed = findings.some((finding) => finding.severity === "error");
  return {
    artifact: failed ? null : { pins, inside: [...lines.inside.keys()].sort() },
    findings: [...findings],
  };
}

/** What a line comes to: the source's pull counts where the line says none. */
function plannedPin({ assignment, words, need: { pull } }: PlacedPort): PlannedPin {
  return { ...assignment, ...(pull && !words.options.has("pull") ? { pull } : {}), automatic: false };
}

function tooFew(missing: readonly string[], needs: readonly PinNeed[], part: Part, ties: BoardTies | null): Finding {
  return {
    code: "pins/too-few",
    severity: "error",
    place: { object: missing[0] },
    message: `${part.name} has ${part.pins.length} signal pins${ties ? `, ${ties.signals.length} of them tied by ${ties.title}` : ""}; ${missing.length} port bit(s) are left without one, from '${missing[0]}' on.`,
    remedy: `Choose a larger package, send '${widestPort(needs)}' in parts, or keep ports inside that a study build can do without.`,
  };
}

/** @param hasLines The pin file places others: then it is likely that these were forgotten. */
function toldAutomatic(bits: readonly string[], hasLines: boolean): Finding[] {
  if (bits.length === 0) return [];
  const shown = bits.slice(0, 6).join(", ") + (bits.length > 6 ? ` and ${bits.length - 6} more` : "");
  return [
    {
      code: "pins/automatic",
      severity: hasLines ? "warning" : "note",
      place: { object: bits[0] },
      message: `${bits.length} port bit(s) are not in the pin file and got pins automatically: ${shown}.`,
      remedy: "Place them where your board has them before you program it.",
    },
  ];
}

/** The port of most bits. */
function widestPort(needs: readonly PinNeed[]): string {
  return portsOf(needs).reduce((most, each) => (each.bits.length > most.bits.length ? each : most)).name;
}
