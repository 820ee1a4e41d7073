import { type Finding, nearestName, type Place } from "../../common/finding.ts";
import type { IoStandard } from "../../device/family.ts";
import { type PackagePin, packageContacts } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import { addition, lineRemoval, replacement } from "./edits.ts";
import type { ParsedPin, PinNeed } from "./model.ts";

/** A line of the pin file that holds so far: port, pin and standard exist, and no other line takes them. */
export interface PlacedPort extends ParsedPin {
  readonly need: PinNeed;
  readonly pin: PackagePin;
  readonly standard: IoStandard;
}

/** Lines of pin files beside ports and part. */
export interface PlacedLines {
  readonly placed: readonly PlacedPort[];
  readonly byPort: ReadonlyMap<string, PlacedPort>;
  readonly byPin: ReadonlyMap<string, PlacedPort>;
  /** [bank] Supply, and the line that sets it. */
  readonly banks: ReadonlyMap<number, { readonly volts: number; readonly first: PlacedPort }>;
  /** Lines that keep a port inside. */
  readonly inside: ReadonlyMap<string, ParsedPin>;
}

/** Signal pins of a part, the nearest round its edge to one of them first. */
function* pinsAround(part: Part, { pad }: PackagePin): Iterable<PackagePin> {
  const { pins } = part;
  const at = pins.findIndex((pin) => pin.pad === pad);
  yield pins[at];
  for (let step = 1; step <= pins.length >> 1; step++) {
    yield pins[(at + step) % pins.length];
    yield pins[(at - step + pins.length) % pins.length];
  }
}
/** The nearest pin that will do; null if there is none. */
export function nearestPin(part: Part, to: PackagePin, willDo: (pin: PackagePin) => boolean): PackagePin | null {
  for (const pin of pinsAround(part, to)) if (willDo(pin)) return pin;
  return null;
}

/** The standard that a bank's supply goes with when nothing else is asked for; undefined if the family has none. */
export function plainStandard({ family }: Part, volts: number): IoStandard | undefined {
  return family.standards.find((each) => each.volts === volts && each.name.startsWith("LVCMOS"));
}

/** What a contact is that carries no signal, in words behind its name. */
function contactKind(part: Part, name: string): string {
  const contact = packageContacts(part.package, part.pins).find((each) => each.name === name);
  if (!contact) return "";
  const isSupply = contact.kind === "power" || contact.kind === "ground";
  return isSupply ? `; that contact is ${contact.kind}` : `; that contact is ${contact.kind} of the test access port`;
}

/** Takes lines one by one. What cannot hold beside those before it is told, and left out. */
export function placeLines(
  lines: readonly ParsedPin[],
  needs: readonly PinNeed[],
  part: Part,
): { lines: PlacedLines; findings: Finding[] } {
  const findings: Finding[] = [];
  const needByName = new Map(needs.map((need) => [need.bitName, need]));
  const byPort = new Map<string, PlacedPort>();
  const byPin = new Map<string, PlacedPort>();
  const banks = new Map<number, { volts: number; first: PlacedPort }>();
  const inside = new Map<string, ParsedPin>();
  const error = (
    code: string,
    place: Place,
    message: string,
    remedy: string,
    more: Pick<Finding, "related" | "edit"> = {},
  ) => findings.push({ code, severity: "error", place, message, remedy, ...more });
  const standards = part.family.standards.map(({ name }) => name);

  const faultOf = (line: ParsedPin): PlacedPort | null => {
    const { assignment, place, words } = line;
    const need = needByName.get(assignment.port);
    if (!need) {
      const near = nearestName(assignment.port, needByName.keys());
      error(
        "pins/unknown-port",
        words.port,
        `The top module has no port bit '${assignment.port}'.`,
        near ? `Did you mean '${near}'?` : "Correct the name, with its index for a vector, or delete the line.",
        {
          edit: near ? replacement(words.port, near, `Write ${near}`) : lineRemoval(place, "Delete the line"),
        },
      );
      return null;
    }
    const samePort = byPort.get(assignment.port) ?? inside.get(assignment.port);
    if (samePort) {
      error("pins/duplicate-port", place, `'${assignment.port}' is placed twice.`, "Delete one of the two lines.", {
        related: [{ place: samePort.place, message: "First placed here." }],
        edit: lineRemoval(place, "Delete this line"),
      });
      return null;
    }
    if (line.isInside) {
      if (need.isClock)
        error(
          "pins/inside",
          place,
          `'${assignment.port}' is a clock: no register can stand in for its pad.`,
          "Give it a pin; the ports that it clocks may stay inside.",
        );
      else inside.set(assignment.port, line);
      return null;
    }
    const pin = part.pinByName.get(assignment.pin);
    if (!pin) {
      const near = nearestName(assignment.pin, part.pinByName.keys());
      error(
        "pins/unknown-pin",
        words.pin!,
        `${part.name} has no signal pin '${assignment.pin}'${contactKind(part, assignment.pin)}.`,
        near ? `Did you mean ${near}?` : `Its pins have names such as ${part.pins[part.pins.length >> 1].name}.`,
        near ? { edit: replacement(words.pin!, near, `Write ${near}`) } : {},
      );
      return null;
    }
    const standard = part.family.standards.find((candidate) => candidate.name === assignment.standard);
    if (!standard) {
      const near = nearestName(assignment.standard, standards);
      error(
        "pins/unknown-standard",
        words.standard ?? place,
        `${part.family.name} has no I/O standard '${assignment.standard}'.`,
        near ? `Did you mean ${near}?` : `It has ${standards.join(", ")}.`,
        near && words.standard ? { edit: replacement(words.standard, near, `Write ${near}`) } : {},
      );
      return null;
    }
    return { ...line, need, pin, standard };
  };

  const taken = new Set(lines.map(({ assignment }) => assignment.pin));
  for (const line of lines) {
    const own = faultOf(line);
    if (!own) continue;
    const { assignment, place, words, pin, standard } = own;
    const bank = banks.get(pin.bank);
    const samePin = byPin.get(assignment.pin);
    if (samePin) {
      const goes = (each: PackagePin) =>
        !taken.has(each.name) && !each.special && (banks.get(each.bank)?.volts ?? standard.volts) === standard.volts;
      const free = nearestPin(part, pin, goes);
      error(
        "pins/duplicate-pin",
        words.pin!,
        `Pin ${assignment.pin} is taken by '${samePin.assignment.port}' already.`,
        free
          ? `Choose another pin for one of them; ${free.name} is the nearest free one.`
          : "Choose another pin for one of them.",
        {
          related: [{ place: samePin.place, message: "First used here." }],
          ...(free ? { edit: replacement(words.pin!, free.name, `Move it to ${free.name}`) } : {}),
        },
      );
      continue;
    }
    if (bank && bank.volts !== standard.volts) {
      const other = plainStandard(part, bank.volts);
      const edit =
        other &&
        (words.standard
          ? replacement(words.standard, other.name, `Write ${other.name}`)
          : addition(words.pin!, other.name, `Write ${other.name}`));
      error(
        "pins/bank-voltage",
        words.standard ?? place,
        `${assignment.standard} needs ${standard.volts} V, but '${bank.first.assignment.port}' sets bank ${pin.bank + 1} to ${bank.volts} V.`,
        "Use one voltage in each bank.",
        { related: [{ place: bank.first.place, message: "Voltage set here." }], ...(edit ? { edit } : {}) },
      );
      continue;
    }
    if (!bank) banks.set(pin.bank, { volts: standard.volts, first: own });
    byPort.set(assignment.port, own);
    byPin.set(assignment.pin, own);
  }
  return { lines: { placed: [...byPort.values()], byPort, byPin, banks, inside }, findings };
}
