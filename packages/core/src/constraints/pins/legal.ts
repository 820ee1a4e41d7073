import type { IoStandard } from "../../device/family.ts";
import type { PackagePin } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import type { BoardTies } from "./board-rules.ts";
import type { PlacedLines, PlacedPort } from "./lines.ts";
import { defaultPinOptions, optionText, type PinNeed, type PinOptionName, pinOptionValues } from "./model.ts";
import { pairOf } from "./pairs.ts";

/**
 * What may be chosen for a port, and why not. The rules of the file and the choices on the page both ask here, so that what
 * can be chosen is what holds.
 */
interface Hindrance {
  /** "illegal": it cannot be built. "no effect": it says something that nothing comes of. */
  readonly kind: "illegal" | "no effect";
  /** Without the name of the port, to stand behind it or by itself. */
  readonly why: string;
}
const illegal = (why: string): Hindrance => ({ kind: "illegal", why });
const noEffect = (why: string): Hindrance => ({ kind: "no effect", why });

/** Why an option of a port cannot have a value; null where it can. What holds by default always can. */
export function optionHindrance(
  name: PinOptionName,
  value: string,
  need: PinNeed,
  pin: PackagePin,
  standard: IoStandard,
): Hindrance | null {
  if (value === optionText(defaultPinOptions, name)) return null;
  const { direction } = need;
  const fixed = standard.isDifferential ? `${standard.name} is a pair of wires, which the part drives alike` : null;
  switch (name) {
    case "drive":
      if (direction === "input") return noEffect("an input drives nothing");
      if (standard.drives.some((drive) => String(drive) === value)) return null;
      return illegal(
        standard.drives.length > 1
          ? `${standard.name} drives ${standard.drives.join(" or ")} mA`
          : `${standard.name} drives ${standard.drives[0]} mA, and nothing else`,
      );
    case "slew":
      if (direction === "input") return noEffect("an input drives no edges");
      return fixed ? illegal(fixed) : null;
    case "pull":
      return fixed ? illegal(`${standard.name} is a pair of wires, which cannot be pulled`) : null;
    case "hysteresis":
      if (direction === "output") return noEffect("an output reads nothing");
      return standard.hysteresis ? null : illegal(`inputs of ${standard.name} have no hysteresis`);
    case "termination":
      if (!standard.terminates) return illegal(`${standard.name} is not terminated inside of the part`);
      return direction === "output" ? illegal("an output's line ends at its other side") : null;
    case "clock":
      if (!need.isClock || direction === "output") return noEffect("it is no clock input");
      return pin.isClock ? noEffect(`${pin.name} has a way to the clock network`) : null;
    case "initial":
      if (need.initial === undefined) return noEffect("no register lies at the port");
      return need.initial === "x" || need.initial === value
        ? null
        : illegal(`the source starts its register with ${need.initial}`);
    case "register":
      return null;
  }
}

/** The value closest to one that cannot be: another drive, or what holds by default. */
export function nearestValue(name: PinOptionName, value: string, standard: IoStandard): string {
  if (name !== "drive") return optionText(defaultPinOptions, name);
  const distance = (drive: number) => Math.abs(drive - Number(value));
  return String(standard.drives.reduce((best, drive) => (distance(drive) < distance(best) ? drive : best)));
}

/** Values of an option that a port may have. */
export function legalValues(name: PinOptionName, placed: PlacedPort): string[] {
  const { need, pin, standard } = placed;
  return pinOptionValues[name].filter((value) => !optionHindrance(name, value, need, pin, standard));
}

/** What the other lines leave to a port. */
export class PinChoices {
  private readonly others: readonly PlacedPort[];
  private readonly byPin: ReadonlyMap<string, PlacedPort>;
  private readonly seconds = new Map<string, PlacedPort>();
  private readonly volts = new Map<number, PlacedPort>();
  private readonly compared = new Map<number, PlacedPort>();

  /** @param moving Ports whose own lines do not count. */
  constructor(
    { placed }: Pick<PlacedLines, "placed">,
    private readonly part: Part,
    private readonly ties: BoardTies | null,
    moving: ReadonlySet<string>,
  ) {
    this.others = placed.filter(({ assignment }) => !moving.has(assignment.port));
    this.byPin = new Map(this.others.map((each) => [each.pin.name, each]));
    for (const each of this.others) {
      const { bank } = each.pin;
      if (!this.volts.has(bank)) this.volts.set(bank, each);
      if (comparesWithLevel(each) && !this.compared.has(bank)) this.compared.set(bank, each);
      if (!each.standard.isDifferential) continue;
      const pair = pairOf(part, each.pin);
      if (pair) this.seconds.set(pair.pin.name, each);
    }
  }

  /** Supply of a bank by the other lines; null while nothing sets it. */
  bankVolts(bank: number): number | null {
    return this.volts.get(bank)?.standard.volts ?? null;
  }

  /** Why a pin cannot be taken by a port, whatever its standard; null if it can. */
  pinHindrance(pin: PackagePin, need: PinNeed): string | null {
    const owner = this.byPin.get(pin.name);
    if (owner) return `'${owner.assignment.port}' is there`;
    const first = this.seconds.get(pin.name);
    if (first) return `it carries the other level of '${first.assignment.port}'`;
    const reader = pin.isReference && this.compared.get(pin.bank);
    if (reader) return `it carries the level that '${reader.assignment.port}' compares with`;
    const signal = this.ties?.signalAt.get(pin.name);
    if (signal?.direction === "input" && need.direction === "output")
      return `the ${signal.kind} ${signal.name} drives that wire`;
    return null;
  }

  /** Why a port cannot have a standard at a pin; null if it can. */
  standardHindrance(standard: IoStandard, pin: PackagePin, need: PinNeed): string | null {
    const bank = this.volts.get(pin.bank);
    if (bank && bank.standard.volts !== standard.volts)
      return `'${bank.assignment.port}' sets bank ${pin.bank + 1} to ${bank.standard.volts} V`;
    if (standard.isDifferential) {
      const pair = pairOf(this.part, pin);
      if (!pair) return `${pin.name} has no second pin`;
      if (!pair.isFirst) return `${pin.name} is the second pin of its pair`;
      if (need.direction === "inout") return "a pair goes one way";
      const owner = this.byPin.get(pair.pin.name);
      if (owner) return `'${owner.assignment.port}' is at its second pin, ${pair.pin.name}`;
    }
    if (standard.reference !== undefined && need.direction !== "output") {
      if (pin.isReference) return `${pin.name} carries the level to compare with`;
      const reference = this.others.find((each) => each.pin.isReference && each.pin.bank === pin.bank);
      if (reference)
        return `'${reference.assignment.port}' is at ${reference.pin.name}, which carries the level to compare with`;
    }
    return null;
  }

  /** Standards that a port may have at a pin, in the order of the data sheet. */
  standards(pin: PackagePin, need: PinNeed): IoStandard[] {
    return this.part.family.standards.filter((each) => !this.standardHindrance(each, pin, need));
  }

  /**
   * Why a port cannot move to a pin with the standard that it has; null if it can. @param standard null while it has none: any
   * that goes there will do.
   */
  moveHindrance(pin: PackagePin, need: PinNeed, standard: IoStandard | null): string | null {
    const taken = this.pinHindrance(pin, need);
    if (taken) return taken;
    if (standard) return this.standardHindrance(standard, pin, need);
    return this.standards(pin, need).length ? null : "no standard goes there";
  }
}

/** An input that asks for a level to compare with. */
export function comparesWithLevel({ need, standard }: Pick<PlacedPort, "need" | "standard">): boolean {
  return standard.reference !== undefined && need.direction !== "output";
}
