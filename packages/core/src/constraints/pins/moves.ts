import type { IoStandard } from "../../device/family.ts";
import type { PackagePin } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import { PinChoices } from "./legal.ts";
import { type PlacedPort, plainStandard } from "./lines.ts";
import { defaultPinOptions, type PinAssignment, type PinNeed } from "./model.ts";
import type { ResolvedPins } from "./plan.ts";

/** Where port bits come to lie, or why they cannot. */
export type PinMove =
  | { readonly pins: readonly PinAssignment[]; readonly hindrance: null; readonly swapped: string | null }
  | { readonly pins: null; readonly hindrance: string };

/**
 * Puts a port bit at a pin, or a whole bus from that pin on: along the bus of the board if it begins at one of its signals,
 * else round the part, past pins that are taken or have another use. Lines keep what they say. One bit that has a pin and is
 * put at that of another changes places with it.
 * @param bits In their order; at least one.
 */
export function movePins(bits: readonly PinNeed[], at: PackagePin, resolved: ResolvedPins, part: Part): PinMove {
  const { ties } = resolved;
  const plan = new Moving(bits, resolved, part);
  const signal = ties?.signalAt.get(at.name);
  if (bits.some(({ serial }) => serial)) return no("it leads to a serial lane, which has pins of its own");

  const first = plan.hindrance(at, bits[0]);
  if (first !== null) return (bits.length === 1 && swap(bits[0], at, resolved, part)) || no(first);

  const row = signal ? ties!.signals.filter(({ bus }) => bus === signal.bus).map(({ pin }) => pin) : null;
  const pins = row ? row.slice(row.indexOf(at.name)).map((name) => part.pinByName.get(name)!) : pinsFrom(part, at);
  let next = 0;
  for (const need of bits) {
    let pin: PackagePin | undefined;
    let why = "";
    for (; next < pins.length && !pin; next++) {
      const candidate = pins[next];
      // on a bus of the board every bit has its place; elsewhere pins with another use are passed over
      if (
        !row &&
        candidate !== at &&
        (candidate.special || candidate.isReference || ties?.signalAt.has(candidate.name))
      )
        continue;
      const hindrance = plan.hindrance(candidate, need);
      if (hindrance === null) pin = candidate;
      else if (row) return no(`${need.bitName} would come to ${candidate.name}: ${hindrance}`);
      else why = hindrance;
    }
    if (!pin)
      return no(
        row
          ? `${signal!.bus} has ${row.length - row.indexOf(at.name)} signals from here on, and ${bits.length} are needed`
          : `no pin is left for ${need.bitName}${why ? ` (${why})` : ""}`,
      );
    plan.put(need, pin);
  }
  return { pins: plan.found, hindrance: null, swapped: null };
}

const no = (hindrance: string): PinMove => ({ pins: null, hindrance });

/** Signal pins from one on, round the part. */
function pinsFrom({ pins }: Part, { pad }: PackagePin): readonly PackagePin[] {
  const at = pins.findIndex((pin) => pin.pad === pad);
  return [...pins.slice(at), ...pins.slice(0, at)];
}

/** Port bits on their way: each one that has come to lie counts for those behind it. */
class Moving {
  readonly found: PinAssignment[] = [];
  private readonly placed: PlacedPort[];
  private readonly own: ReadonlyMap<string, PlacedPort>;
  private choices: PinChoices;

  constructor(
    bits: readonly PinNeed[],
    { lines, ties }: ResolvedPins,
    private readonly part: Part,
  ) {
    const moving = new Set(bits.map(({ bitName }) => bitName));
    this.own = lines.byPort;
    this.placed = lines.placed.filter(({ assignment }) => !moving.has(assignment.port));
    this.ties = ties;
    this.choices = this.choicesNow();
  }
  private readonly ties: ResolvedPins["ties"];

  hindrance(pin: PackagePin, need: PinNeed): string | null {
    return this.choices.moveHindrance(pin, need, this.own.get(need.bitName)?.standard ?? null);
  }

  /** The line that places it is as it was, at the pin; a new one has the standard that goes there best. */
  put(need: PinNeed, pin: PackagePin): void {
    const own = this.own.get(need.bitName);
    const standard = own?.standard ?? this.standardFor(need, pin);
    const assignment = own
      ? { ...own.assignment, pin: pin.name }
      : { port: need.bitName, pin: pin.name, ...defaultPinOptions, standard: standard.name };
    this.found.push(assignment);
    this.placed.push({ ...(own ?? newLine), assignment, need, pin, standard });
    this.choices = this.choicesNow();
  }

  private choicesNow(): PinChoices {
    return new PinChoices({ placed: this.placed }, this.part, this.ties, new Set());
  }

  private standardFor(need: PinNeed, pin: PackagePin): IoStandard {
    const able = this.choices.standards(pin, need);
    const onBoard = this.ties?.signalAt.get(pin.name)?.standard;
    const plain = plainStandard(this.part, this.choices.bankVolts(pin.bank) ?? -1);
    return (
      able.find(({ name }) => name === onBoard) ??
      able.find((each) => each === plain) ??
      able.find(({ name }) => name === defaultPinOptions.standard) ??
      able[0]
    );
  }
}
const newLine = { isInside: false, place: {}, words: { port: {}, pin: null, standard: null, options: new Map() } };

/** Two ports change places; null where one of them cannot. */
function swap(need: PinNeed, at: PackagePin, resolved: ResolvedPins, part: Part): PinMove | null {
  const own = resolved.lines.byPort.get(need.bitName);
  const other = resolved.lines.byPin.get(at.name);
  if (!own || !other || own === other) return null;
  const plan = new Moving([need, other.need], resolved, part);
  for (const [each, pin] of [
    [need, at],
    [other.need, own.pin],
  ] as const) {
    if (plan.hindrance(pin, each) !== null) return null;
    plan.put(each, pin);
  }
  return { pins: plan.found, hindrance: null, swapped: other.need.bitName };
}
