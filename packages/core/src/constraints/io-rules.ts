import type { Finding, Place } from "../common/finding.ts";
import type { IoStandard } from "../device/family.ts";
import type { PackagePin, Part } from "../device/part.ts";
import type { PinAssignment, PinNeed } from "./pins.ts";

/** A line of the pin file that holds so far: port, pin and standard exist. */
export interface PlacedPort {
  readonly assignment: PinAssignment;
  readonly place: Place;
  readonly need: PinNeed;
  readonly pin: PackagePin;
  readonly standard: IoStandard;
}

/** The pin that carries the other level of a pair; null for pins without one in this package. */
export function pairOf(part: Part, pin: PackagePin): { readonly pin: PackagePin; readonly isFirst: boolean } | null {
  const { tile, index } = part.fabric.pads[pin.pad];
  const other = part.fabric.pads.find((pad) => pad.tile === tile && pad.index === (index ^ 1));
  const found = other && part.pinOfPad.get(other.id);
  return found ? { pin: found, isFirst: index % 2 === 0 } : null;
}

/**
 * Rules of pairs and of termination: a differential standard is placed at the first pin of a pair, whose second it takes
 * too, and drives or reads; only standards that are meant for it are terminated.
 * @returns Findings, and the second pins that are taken.
 */
export function checkPairs(placed: readonly PlacedPort[], part: Part): { findings: Finding[]; taken: Set<string> } {
  const findings: Finding[] = [];
  const taken = new Set<string>();
  const byPin = new Map(placed.map((each) => [each.pin.name, each]));
  const error = (code: string, place: Place, message: string, remedy: string, related?: Finding["related"]) =>
    findings.push({ code, severity: "error", place, message, remedy, related });
  for (const { assignment, place, need, pin, standard } of placed) {
    const { port } = assignment;
    if (assignment.termination && !standard.terminates)
      error(
        "pins/termination",
        place,
        `${standard.name} is not terminated inside of the part.`,
        `Take termination=on away, or use one of ${
          part.family.standards
            .filter((each) => each.terminates)
            .map((each) => each.name)
            .join(", ") || "no standard of this family"
        }.`,
      );
    else if (assignment.termination && need.direction === "output")
      error(
        "pins/termination",
        place,
        `'${port}' is an output; it ends at the other side of the line.`,
        "Take termination=on away.",
      );
    if (!standard.isDifferential) continue;
    const pair = pairOf(part, pin);
    if (!pair)
      error(
        "pins/pair",
        place,
        `${pin.name} has no second pin in ${part.package.name}, which ${standard.name} needs.`,
        "Choose a pin that belongs to a pair.",
      );
    else if (!pair.isFirst)
      error(
        "pins/pair",
        place,
        `${pin.name} is the second pin of the pair ${pair.pin.name} and ${pin.name}.`,
        `Place '${port}' at ${pair.pin.name}; ${pin.name} follows by itself.`,
      );
    else if (need.direction === "inout")
      error(
        "pins/pair",
        place,
        `'${port}' is driven and read, but a pair with ${standard.name} goes one way.`,
        "Use a standard with one wire.",
      );
    else {
      const other = byPin.get(pair.pin.name);
      if (other)
        error(
          "pins/pair",
          other.place,
          `${pair.pin.name} carries the other level of '${port}', which is ${standard.name}.`,
          `Choose another pin for '${other.assignment.port}'.`,
          [{ place, message: "The pair is placed here." }],
        );
      taken.add(pair.pin.name);
    }
  }
  return { findings, taken };
}

/** Supply pins of each bank: those of its side, shared out. */
function supplyPins(part: Part): number {
  return part.package.supplyPlaces.length / part.die.banksPerSide;
}

/** Share of its drive that an output counts with: slow edges draw it over a longer time. */
const slowShare = 0.5;

/** Outputs of a bank may change all at once; what they draw then comes through the bank's supply pins. */
export function checkSwitching(
  pins: readonly PinAssignment[],
  needs: ReadonlyMap<string, PinNeed>,
  part: Part,
): Finding[] {
  const most = supplyPins(part) * part.family.supplyPinMa;
  const banks = new Map<number, { drawn: number; first: string }>();
  for (const { port, pin, drive, slew } of pins) {
    if (needs.get(port)?.direction === "input") continue;
    const { bank } = part.pinByName.get(pin)!;
    const known = banks.get(bank) ?? { drawn: 0, first: port };
    known.drawn += drive * (slew === "slow" ? slowShare : 1);
    banks.set(bank, known);
  }
  return [...banks].flatMap(([bank, { drawn, first }]): Finding[] =>
    drawn <= most
      ? []
      : [
          {
            code: "pins/switching",
            severity: "warning",
            place: { object: first },
            message: `The outputs of bank ${bank + 1} draw ${drawn} mA when they all switch together; its supply pins carry ${most} mA.`,
            remedy: "Use slew=slow or less drive where it is fast enough, or move some to another bank.",
          },
        ],
  );
}
