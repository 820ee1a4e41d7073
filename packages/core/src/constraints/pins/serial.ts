import type { Finding } from "../../common/finding.ts";
import type { Part } from "../../device/part.ts";
import { removal } from "./edits.ts";
import { defaultPinOptions, type ParsedPin, type PinAssignment, type PinNeed, serialStandard } from "./model.ts";

/** Pin of a serial lane: TX0, RX0 and so on. */
function serialPin(lane: number, side: "transmit" | "receive"): string {
  return `${side === "transmit" ? "TX" : "RX"}${lane}`;
}
/** The lane of such a pin; null for other pins. */
export function laneOfPin(pin: string): number | null {
  const match = /^[TR]X(\d+)$/.exec(pin);
  return match ? Number(match[1]) : null;
}

/**
 * Pins of ports that lead to serial lanes. Both ports of a lane of the design lie at the two pins of one lane of the part; those
 * without a line take a free one.
 */
export function planSerialPins(
  parsed: readonly ParsedPin[],
  needs: readonly PinNeed[],
  part: Part,
): { pins: (PinAssignment & { automatic: boolean })[]; findings: Finding[] } {
  const findings: Finding[] = [];
  const pins: (PinAssignment & { automatic: boolean })[] = [];
  const laneOf = new Map<number, { lane: number; first: ParsedPin }>(); // lane of the design -> lane of the part
  const usedBy = new Map<number, number>(); // lane of the part -> lane of the design
  const lanes = part.die.serialLanes;
  const serial = needs.filter((need) => need.serial);
  const needOf = new Map(serial.map((need) => [need.bitName, need]));
  for (const entry of parsed) {
    const { assignment, place } = entry;
    const { lane, side } = needOf.get(assignment.port)!.serial!;
    const error = (message: string, remedy: string, related?: Finding["related"]) =>
      findings.push({ code: "pins/serial", severity: "error", place, message, remedy, related });
    const wanted = laneOfPin(assignment.pin);
    if (wanted === null || wanted >= lanes || assignment.pin !== serialPin(wanted, side)) {
      error(
        `'${assignment.port}' leads to a serial lane, which cannot be reached at ${assignment.pin}.`,
        lanes
          ? `Place it at one of ${Array.from({ length: lanes }, (_, i) => serialPin(i, side)).join(", ")}.`
          : `${part.die.name} has no serial lanes; choose a part that has.`,
      );
      continue;
    }
    const other = laneOf.get(lane);
    if (other && other.lane !== wanted) {
      error(
        `'${assignment.port}' is at lane ${wanted}, but '${other.first.assignment.port}' of the same lane is at ${other.first.assignment.pin}.`,
        `Place it at ${serialPin(other.lane, side)}.`,
        [{ place: other.first.place, message: "The other pin of the lane." }],
      );
      continue;
    }
    const owner = usedBy.get(wanted);
    if (owner !== undefined && owner !== lane) {
      error(`Lane ${wanted} is taken already.`, "Choose another lane.");
      continue;
    }
    laneOf.set(lane, { lane: wanted, first: other?.first ?? entry });
    usedBy.set(wanted, lane);
    for (const word of [...(entry.words.standard ? [entry.words.standard] : []), ...entry.words.options.values()])
      findings.push({
        code: "pins/no-effect",
        severity: "warning",
        place: word,
        message: `'${assignment.port}' lies at a serial lane, which has its own levels: what stands behind its pin has no effect.`,
        remedy: "Delete it.",
        edit: removal(word, "Delete it"),
      });
  }
  for (const { bitName, serial: own } of serial) {
    const { lane, side } = own!;
    let at = laneOf.get(lane)?.lane;
    if (at === undefined) {
      at = Array.from({ length: lanes }, (_, i) => i).find((i) => !usedBy.has(i));
      if (at === undefined) continue; // too many lanes: packing tells it
      usedBy.set(at, lane);
      laneOf.set(lane, { lane: at, first: parsed[0] });
    }
    pins.push({
      port: bitName,
      pin: serialPin(at, side),
      ...defaultPinOptions,
      standard: serialStandard,
      automatic: !parsed.some(({ assignment }) => assignment.port === bitName),
    });
  }
  return { pins, findings };
}
