import type { Finding } from "../../common/finding.ts";
import { type PackagePin, sideSupplies, specialRoles } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import { addition, replacement } from "./edits.ts";
import { comparesWithLevel } from "./legal.ts";
import { nearestPin, type PlacedPort } from "./lines.ts";
import type { PinNeed, PlannedPin } from "./model.ts";

/** Share of its drive that an output counts with: slow edges draw it over a longer time. */
const slowShare = 0.5;

/** Supply pins of each bank: those of its side, shared out. */
function supplyPins(part: Part): number {
  return sideSupplies(part.package) / part.die.banksPerSide;
}

/** What the outputs of a bank draw, and what its supply pins carry, in mA. */
export interface BankLoad {
  readonly bank: number;
  /** All switching together. */
  readonly switchingMa: number;
  readonly mostSwitchingMa: number;
  /** All giving their drive all the time. */
  readonly steadyMa: number;
  readonly mostSteadyMa: number;
  readonly outputs: readonly PlannedPin[];
}

/** Load of every bank, by its number. @param pins A whole plan; pins of serial lanes do not count. */
export function bankLoads(pins: readonly PlannedPin[], needs: ReadonlyMap<string, PinNeed>, part: Part): BankLoad[] {
  const mostSwitchingMa = supplyPins(part) * part.family.supplyPinMa;
  const mostSteadyMa = supplyPins(part) * part.family.steadyPinMa;
  const loads = Array.from({ length: 4 * part.die.banksPerSide }, (_, bank) => ({
    bank,
    switchingMa: 0,
    mostSwitchingMa,
    steadyMa: 0,
    mostSteadyMa,
    outputs: [] as PlannedPin[],
  }));
  for (const pin of pins) {
    const contact = part.pinByName.get(pin.pin);
    if (!contact || needs.get(pin.port)?.direction === "input") continue;
    const load = loads[contact.bank];
    load.switchingMa += pin.drive * (pin.slew === "slow" ? slowShare : 1);
    load.steadyMa += pin.drive;
    load.outputs.push(pin);
  }
  return loads;
}

/** Outputs of a bank draw through its supply pins: when they all change at once, and all the time. */
export function checkBankLoads(loads: readonly BankLoad[], placed: ReadonlyMap<string, PlacedPort>): Finding[] {
  return loads.flatMap(({ bank, switchingMa, mostSwitchingMa, steadyMa, mostSteadyMa, outputs }): Finding[] => {
    const findings: Finding[] = [];
    /** The first output that a change would help at, by its line. */
    const lineOf = (helps: (pin: PlannedPin) => boolean) => {
      const found = outputs.find((pin) => placed.has(pin.port) && helps(pin));
      return found && placed.get(found.port);
    };
    if (switchingMa > mostSwitchingMa) {
      const line = lineOf(({ slew }) => slew === "fast");
      findings.push({
        code: "pins/switching",
        severity: "warning",
        place: { object: outputs[0].port },
        message: `The outputs of bank ${bank + 1} draw ${switchingMa} mA when they all switch together; its supply pins carry ${mostSwitchingMa} mA.`,
        remedy: "Use slew=slow or less drive where it is fast enough, or move some to another bank.",
        ...(line && !line.words.options.has("slew")
          ? { edit: addition(line.place, "slew=slow", `slew=slow for ${line.assignment.port}`) }
          : {}),
      });
    }
    if (steadyMa > mostSteadyMa) {
      const line = lineOf(({ drive }) => drive === 12);
      const word = line?.words.options.get("drive");
      findings.push({
        code: "pins/bank-current",
        severity: "warning",
        place: { object: outputs[0].port },
        message: `The outputs of bank ${bank + 1} may draw ${steadyMa} mA all the time; its supply pins carry ${mostSteadyMa} mA.`,
        remedy: "Use less drive, or move some to another bank.",
        ...(word ? { edit: replacement(word, "drive=8", `drive=8 for ${line!.assignment.port}`) } : {}),
      });
    }
    return findings;
  });
}

/** Reference pins of banks in which an input compares with a level: they carry that level, and nothing else. */
export function referencePins(placed: readonly PlacedPort[], part: Part): Map<string, PlacedPort> {
  const found = new Map<string, PlacedPort>();
  for (const each of placed) {
    if (!comparesWithLevel(each)) continue;
    const reference = part.pins.find((pin) => pin.isReference && pin.bank === each.pin.bank);
    if (reference && !found.has(reference.name)) found.set(reference.name, each);
  }
  return found;
}

/** Ports at pins that have another use: the level that a bank compares with, and the wires to the flash. */
export function checkRoles(
  placed: readonly PlacedPort[],
  references: ReadonlyMap<string, PlacedPort>,
  part: Part,
): Finding[] {
  const taken = new Set(placed.map(({ pin }) => pin.name));
  return placed.flatMap(({ assignment, place, words, need, pin }): Finding[] => {
    const { port } = assignment;
    const willDo = (other: PackagePin) =>
      other.bank === pin.bank && !taken.has(other.name) && !other.special && !references.has(other.name);
    const reader = references.get(pin.name);
    const free = reader || pin.special ? nearestPin(part, pin, willDo) : null;
    const move = free ? { edit: replacement(words.pin!, free.name, `Move it to ${free.name}`) } : {};
    const where = free ? `Place '${port}' at ${free.name}` : `Place '${port}' elsewhere`;
    if (reader)
      return [
        {
          code: "pins/reference",
          severity: "error",
          place: words.pin!,
          message: `${pin.name} carries the ${reader.standard.reference} V that '${reader.assignment.port}' with ${reader.standard.name} compares with; '${port}' cannot lie there.`,
          remedy: `${where}, or use another standard for '${reader.assignment.port}'.`,
          related: [{ place: reader.place, message: "The level is compared with here." }],
          ...move,
        },
      ];
    if (!pin.special) return [];
    const isFight =
      specialRoles[pin.special].drivenBy === "part" ? need.direction !== "output" : need.direction !== "input";
    return [
      {
        code: "pins/special",
        severity: isFight ? "warning" : "note",
        place,
        message: `${pin.name} is ${pin.special} while the part starts from its flash${
          isFight
            ? specialRoles[pin.special].drivenBy === "part"
              ? `: what drives '${port}' from outside would work against it then`
              : `, which drives it; '${port}' must leave it alone until the flash lets go`
            : `: what listens to '${port}' sees that too`
        }.`,
        remedy: `${where} unless the part is configured by cable only.`,
        ...move,
      },
    ];
  });
}
