import type { BoardDescription } from "../../device/boards.ts";
import type { IoStandard } from "../../device/family.ts";
import type { PackagePin } from "../../device/package-pins.ts";
import type { Part } from "../../device/part.ts";
import { type BoardTies, tiesOf } from "./board-rules.ts";
import { nearestValue, optionHindrance, PinChoices } from "./legal.ts";
import { nearestPin, type PlacedPort, plainStandard } from "./lines.ts";
import {
  defaultPinOptions,
  optionText,
  type ParsedPin,
  type PinAssignment,
  type PinNeed,
  pinOptionNames,
} from "./model.ts";
import { laneOfPin } from "./serial.ts";
import { withComments, withPinOption, withPlaces } from "./write.ts";

/** Where a part sits. */
interface PinHome {
  readonly part: Part;
  readonly board: BoardDescription | null;
}

/** What becomes of one line on another part. */
export interface TransferredPin {
  readonly port: string;
  /** By what its place is known there: the board's signal, the die's pad, its name, or only its nearness. */
  readonly how: "signal" | "pad" | "name" | "nearest" | "inside" | "lost";
  readonly before: ParsedPin;
  /** null where nothing will do. */
  readonly after: PinAssignment | null;
  /** What else is another, and why, in sentences. */
  readonly changes: readonly string[];
}

/** Fewest changes first: lines with a place of their own there take it before any takes what is near. */
const ranks = ["signal", "pad", "name"] as const;

/**
 * Takes pins to another package, part or board: each line to the same signal of the board, the same pad of the die, or the
 * contact of the same name, where its port may lie; else to the nearest contact that will do. Standards and options that
 * are not there become the nearest.
 * @param lines As they stand, each port once.
 */
export function transferPins(
  lines: readonly ParsedPin[],
  needs: readonly PinNeed[],
  from: PinHome,
  to: PinHome,
): TransferredPin[] {
  const transfer = new Transfer(needs, from, to);
  const seen = new Set<string>();
  const own = lines.filter(({ assignment: { port } }) => !seen.has(port) && seen.add(port));
  for (const rank of ranks) for (const line of own) transfer.tryBy(rank, line);
  for (const line of own) transfer.finish(line);
  return own.map((line) => transfer.found.get(line)!);
}

class Transfer {
  readonly found = new Map<ParsedPin, TransferredPin>();
  private readonly needOf: ReadonlyMap<string, PinNeed>;
  private readonly placed: PlacedPort[] = [];
  private known: PinChoices | null = null;
  private readonly fromTies: BoardTies | null;
  private readonly toTies: BoardTies | null;

  constructor(
    needs: readonly PinNeed[],
    private readonly from: PinHome,
    private readonly to: PinHome,
  ) {
    this.needOf = new Map(needs.map((need) => [need.bitName, need]));
    this.fromTies = from.board && tiesOf(from.board);
    this.toTies = to.board && tiesOf(to.board);
  }

  tryBy(how: (typeof ranks)[number], line: ParsedPin): void {
    if (this.found.has(line) || line.isInside) return;
    const pin = this.pinBy(how, line);
    if (pin) this.take(line, pin, how);
  }

  /** What is left: kept inside, near where it was, or lost. */
  finish(line: ParsedPin): void {
    if (this.found.has(line)) return;
    const { port } = line.assignment;
    if (line.isInside) {
      this.found.set(line, { port, how: "inside", before: line, after: line.assignment, changes: [] });
      return;
    }
    const lane = laneOfPin(line.assignment.pin);
    if (this.needOf.get(port)?.serial && lane !== null) {
      const isThere = lane < this.to.part.die.serialLanes;
      this.found.set(line, {
        port,
        how: isThere ? "name" : "lost",
        before: line,
        after: isThere ? line.assignment : null,
        changes: isThere ? [] : [`${this.to.part.name} has no lane ${lane}.`],
      });
      return;
    }
    const start = this.alike(line);
    const wantsClock = this.wantsClock(line);
    // of a clock, the oscillator or a pin with a way to the clock network; wires of the board and of the flash only where
    // nothing else is left
    const wishes: ((pin: PackagePin) => boolean)[] = [
      (pin) => wantsClock && this.toTies?.signalAt.get(pin.name)?.kind === "oscillator",
      (pin) => !pin.special && !this.toTies?.signalAt.has(pin.name) && pin.isClock === wantsClock,
      () => true,
    ];
    const goes = (pin: PackagePin) => this.hindrance(line, pin) === null;
    const pin =
      start &&
      wishes
        .map((wish) => nearestPin(this.to.part, start, (each) => wish(each) && goes(each)))
        .find((found) => found !== null);
    if (pin && this.take(line, pin, "nearest")) return;
    const why = this.needOf.has(port)
      ? `Nothing on ${this.to.part.name} will do for it.`
      : "The design has no such port.";
    this.found.set(line, { port, how: "lost", before: line, after: null, changes: [why] });
  }

  private pinBy(how: (typeof ranks)[number], line: ParsedPin): PackagePin | undefined {
    const { from, to } = this;
    const { assignment } = line;
    const signal = this.fromTies?.signalAt.get(assignment.pin);
    switch (how) {
      case "signal": {
        if (!signal || !this.toTies) return undefined;
        const there = this.toTies.signals.find(({ name }) => name === signal.name);
        return there && to.part.pinByName.get(there.pin);
      }
      case "pad": {
        const pin = from.part.pinByName.get(assignment.pin);
        return from.part.die === to.part.die && pin ? to.part.pinOfPad.get(pin.pad) : undefined;
      }
      case "name": {
        if (from.part.die === to.part.die) return undefined;
        const there = to.part.pinByName.get(assignment.pin);
        // a clock that would be one no more is better off elsewhere
        return there && (there.isClock || !this.wantsClock(line)) ? there : undefined;
      }
    }
  }

  /** A clock that comes in at a pin made for it. */
  private wantsClock({ assignment }: ParsedPin): boolean {
    return (
      this.needOf.get(assignment.port)?.isClock === true &&
      assignment.clock !== "plain" &&
      this.from.part.pinByName.get(assignment.pin)?.isClock === true
    );
  }

  /** The contact there that lies as far round the edge as the line's own does here. */
  private alike({ assignment }: ParsedPin): PackagePin | null {
    const { from, to } = this;
    const at = from.part.pins.findIndex(({ name }) => name === assignment.pin);
    const share = at < 0 ? 0 : at / from.part.pins.length;
    return to.part.pins[Math.floor(share * to.part.pins.length)] ?? null;
  }

  /** What the lines that have come to lie leave to the others. */
  private choices(): PinChoices {
    this.known ??= new PinChoices({ placed: this.placed }, this.to.part, this.toTies, new Set());
    return this.known;
  }

  private hindrance({ assignment }: ParsedPin, pin: PackagePin): string | null {
    const need = this.needOf.get(assignment.port);
    if (!need || need.serial) return "no such port";
    const choices = this.choices();
    return choices.pinHindrance(pin, need) ?? (this.standardAt(assignment, need, pin, choices) ? null : "no standard");
  }

  /** Its own standard, or the nearest that can be had there. */
  private standardAt(
    { standard }: PinAssignment,
    need: PinNeed,
    pin: PackagePin,
    choices: PinChoices,
  ): IoStandard | undefined {
    const able = choices.standards(pin, need);
    const own = able.find(({ name }) => name === standard);
    if (own) return own;
    const before = this.from.part.family.standards.find(({ name }) => name === standard);
    // a pair stays a pair, or is none: one wire of it means nothing
    if (before?.isDifferential) return undefined;
    const plain = before && plainStandard(this.to.part, before.volts);
    return able.find((each) => each === plain) ?? able.find(({ isDifferential }) => !isDifferential);
  }

  private take(line: ParsedPin, pin: PackagePin, how: TransferredPin["how"]): boolean {
    const { assignment } = line;
    const need = this.needOf.get(assignment.port);
    if (!need || this.hindrance(line, pin) !== null) return false;
    const standard = this.standardAt(assignment, need, pin, this.choices())!;
    const changes: string[] = [];
    if (standard.name !== assignment.standard)
      changes.push(`${assignment.standard} cannot be had at ${pin.name}; ${standard.name} can.`);
    if (need.isClock && need.direction !== "output" && !pin.isClock && assignment.clock !== "plain")
      changes.push(`${pin.name} has no way to the clock network.`);
    let after: PinAssignment = { ...assignment, pin: pin.name, standard: standard.name };
    for (const name of pinOptionNames) {
      const value = optionText(after, name);
      const hindrance = optionHindrance(name, value, need, pin, standard);
      // what had no effect before has none now
      if (hindrance?.kind !== "illegal") continue;
      const near = nearestValue(name, value, standard);
      changes.push(`${name}=${value} becomes ${near}: ${hindrance.why}.`);
      after = { ...after, [name]: name === "drive" ? Number(near) : defaultPinOptions[name] };
    }
    this.known = null;
    this.placed.push({ ...line, assignment: after, need, pin, standard });
    this.found.set(line, { port: assignment.port, how, before: line, after, changes });
    return true;
  }
}

/** A pin file after a transfer: lines that have no place there stay as comments, so that nothing is lost unseen. */
export function withTransfer(text: string, transferred: readonly TransferredPin[], to: Part): string {
  const lost = transferred.flatMap(({ how, port }) => (how === "lost" ? [port] : []));
  const placed = transferred.flatMap(({ after, how }) => (after && how !== "inside" ? [after] : []));
  // words that are the same there stay as they are, with their distances
  let next = withPlaces(text, placed);
  for (const { before, after, port } of transferred) {
    if (!after) continue;
    if (after.standard !== before.assignment.standard)
      next = withPinOption(next, new Set([port]), "standard", after.standard);
    for (const name of pinOptionNames) {
      const value = optionText(after, name);
      if (value === optionText(before.assignment, name)) continue;
      next = withPinOption(next, new Set([port]), name, value === optionText(defaultPinOptions, name) ? null : value);
    }
  }
  return withComments(next, new Set(lost), `no place on ${to.name}: `);
}
