import type { Finding, Place } from "../../common/finding.ts";
import type { PackagePin } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import { replacement } from "./edits.ts";
import { nearestPin, type PlacedPort } from "./lines.ts";

/** The pin that carries the other level of a pair; null for pins without one in this package. */
export function pairOf(part: Part, pin: PackagePin): { readonly pin: PackagePin; readonly isFirst: boolean } | null {
  const { tile, index } = part.fabric.pads[pin.pad];
  // pads of a tile stand one behind the other
  const id = pin.pad + (index % 2 === 0 ? 1 : -1);
  const other = part.fabric.pads[id];
  const found = other?.tile === tile ? part.pinOfPad.get(id) : undefined;
  return found ? { pin: found, isFirst: index % 2 === 0 } : null;
}

/**
 * Rules of pairs: a differential standard is placed at the first pin of a pair, whose second it takes too, and drives or
 * reads.
 * @returns Findings, and the second pins that are taken.
 */
export function checkPairs(
  placed: readonly PlacedPort[],
  part: Part,
): { findings: Finding[]; seconds: ReadonlyMap<string, PlacedPort> } {
  const findings: Finding[] = [];
  const seconds = new Map<string, PlacedPort>();
  const byPin = new Map(placed.map((each) => [each.pin.name, each]));
  const error = (place: Place, message: string, remedy: string, more: Pick<Finding, "related" | "edit"> = {}) =>
    findings.push({ code: "pins/pair", severity: "error", place, message, remedy, ...more });
  const isFree = ({ name }: PackagePin) => !byPin.has(name) && !seconds.has(name);
  for (const each of placed) {
    const { assignment, place, words, need, pin, standard } = each;
    if (!standard.isDifferential) continue;
    const { port } = assignment;
    const pair = pairOf(part, pin);
    if (!pair?.isFirst) {
      const first = nearestPin(part, pin, (other) => {
        if (other.bank !== pin.bank || (!isFree(other) && other !== pin)) return false;
        const own = pairOf(part, other);
        return own?.isFirst === true && (isFree(own.pin) || own.pin === pin);
      });
      error(
        words.pin!,
        pair
          ? `${pin.name} is the second pin of the pair ${pair.pin.name} and ${pin.name}.`
          : `${pin.name} has no second pin in ${part.package.name}, which ${standard.name} needs.`,
        first
          ? `Place '${port}' at ${first.name}; ${pairOf(part, first)!.pin.name} follows by itself.`
          : "Choose the first pin of a pair.",
        first ? { edit: replacement(words.pin!, first.name, `Move it to ${first.name}`) } : {},
      );
    } else if (need.direction === "inout")
      error(
        words.standard ?? place,
        `'${port}' is driven and read, but a pair with ${standard.name} goes one way.`,
        "Use a standard with one wire.",
      );
    else {
      const other = byPin.get(pair.pin.name);
      if (other) {
        const free = nearestPin(part, pair.pin, (to) => to.bank === pin.bank && isFree(to) && !to.special);
        error(
          other.words.pin!,
          `${pair.pin.name} carries the other level of '${port}', which is ${standard.name}.`,
          `Choose another pin for '${other.assignment.port}'${free ? `; ${free.name} is the nearest free one` : ""}.`,
          {
            related: [{ place, message: "The pair is placed here." }],
            ...(free ? { edit: replacement(other.words.pin!, free.name, `Move it to ${free.name}`) } : {}),
          },
        );
      }
      seconds.set(pair.pin.name, each);
    }
  }
  return { findings, seconds };
}
