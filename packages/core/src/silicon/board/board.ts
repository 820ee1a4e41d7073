import type { BoardDescription } from "../../device/boards.ts";
import type { CornerName } from "../../device/family.ts";
import { findPart, type Part } from "../../device/part.ts";
import { SimulatedPart } from "../device.ts";

/** What can be seen on a board. Brightness is the share of the last interval that a lamp was driven high, 0 to 1. */
export interface BoardState {
  readonly powered: boolean;
  readonly configured: boolean;
  readonly frequencyHz: number;
  readonly switches: readonly boolean[];
  readonly buttons: readonly boolean[];
  readonly lamps: readonly number[];
  /** Brightness of each digit's segments a to g and point; digit 0 is at the right. */
  readonly digits: readonly (readonly number[])[];
  /** Time on the board since configuration, in seconds. */
  readonly simulatedSeconds: number;
  readonly cycles: number;
  readonly unstable: boolean;
  /** Corner whose delays the part runs with; null: without any. */
  readonly delays: CornerName | null;
  /** Registers and pins of blocks that were caught in a change since it began; null without delays. */
  readonly caught: number | null;
  /** The first register that captured something else than it would without delays; null while none has. */
  readonly wrong: WrongCapture | null;
}
export interface WrongCapture {
  /** Cycles since it began, at most. */
  readonly cycle: number;
  readonly tile: number;
  /** Its place among those of the tile, as decoded. */
  readonly element: number;
  /** Registers that differ by then. */
  readonly registers: number;
}
/** Time that the oscillator rests for before registers are compared, in ps: longer than any path. */
const restPs = 1e6;
/** Cycles between comparisons. */
const compareEvery = 32;

const slices = 64;

/** Part, oscillator, contacts and lamps of one board. Contacts bounce for a few milliseconds of board time. */
export class Board {
  readonly device: SimulatedPart;
  readonly part: Part;
  powered = false;
  frequencyHz: number;
  private readonly switches: boolean[];
  private readonly buttons: boolean[];
  private readonly bounces: { pad: number; level: number; atCycle: number }[] = [];
  private cycles = 0;
  private seconds = 0;
  private lamps: number[];
  private digits: number[][];
  private readonly clockPad: number;
  private delays: CornerName | null = null;
  /** The same bits without delays, led in step with the part while that has some. */
  private twin: SimulatedPart | null = null;
  private wrong: WrongCapture | null = null;

  /** @throws Error if the description names a part or pin that does not exist. */
  constructor(readonly description: BoardDescription) {
    const { part } = findPart(description.part);
    if (!part) throw new Error(`Board ${description.name} names an unknown part ${description.part}.`);
    this.part = part;
    this.device = new SimulatedPart(part);
    this.frequencyHz = description.oscillator.startHz;
    this.switches = description.switches.map(() => false);
    this.buttons = description.buttons.map(() => false);
    this.lamps = description.lamps.map(() => 0);
    this.digits = (description.digits?.select ?? []).map(() => new Array<number>(8).fill(0));
    this.clockPad = this.pad(description.oscillator.pin);
  }

  private pad(pin: string): number {
    const found = this.part.pinByName.get(pin);
    if (!found) throw new Error(`Board ${this.description.name}: ${this.part.name} has no pin ${pin}.`);
    return found.pad;
  }

  setPower(on: boolean): void {
    this.powered = on;
    if (!on) {
      this.device.powerCycle();
      this.lamps.fill(0);
      for (const digit of this.digits) digit.fill(0);
    }
    this.seconds = 0;
    this.cycles = 0;
    this.bounces.length = 0;
    // a part with flash of its own runs at once
    if (on && this.device.configured) this.restartClock();
  }

  /** To be called after configuration: board time starts, the contacts' levels are on the pins. */
  restartClock(): void {
    this.seconds = 0;
    this.cycles = 0;
    this.bounces.length = 0;
    const levels = new Map<number, number>();
    this.switches.forEach((on, i) => levels.set(this.pad(this.description.switches[i]), on ? 1 : 0));
    this.buttons.forEach((on, i) => levels.set(this.pad(this.description.buttons[i]), on ? 1 : 0));
    this.device.setPads(levels);
    this.wrong = null;
    this.twin = this.delays ? this.device.withoutDelays() : null;
  }

  /** With the delays of a corner, or without any. What runs begins anew. */
  setDelays(corner: CornerName | null): void {
    this.delays = corner;
    this.device.setDelays(corner);
    this.restartClock();
  }
  /** Sets the oscillator. With delays what runs begins anew: what was captured wrong before says nothing of the new clock. */
  setFrequency(hz: number): void {
    this.frequencyHz = hz;
    if (!this.delays || !this.device.configured) return;
    this.device.setDelays(this.delays);
    this.restartClock();
  }

  private setPads(levels: ReadonlyMap<number, number>): void {
    this.device.setPads(levels);
    this.twin?.setPads(levels);
  }

  /** Clocks part and twin, and compares what their registers hold until one has captured wrong. */
  private clock(cycles: number): void {
    const periodPs = 1e12 / this.frequencyHz;
    if (!this.twin || this.wrong) {
      this.device.runClock(this.clockPad, cycles, periodPs);
      return;
    }
    for (let done = 0; done < cycles && !this.wrong; ) {
      const now = Math.min(compareEvery, cycles - done);
      this.device.runClock(this.clockPad, now, periodPs);
      this.twin.runClock(this.clockPad, now);
      done += now;
      this.device.wait(restPs);
      this.compare(this.cycles + done);
    }
  }
  private compare(cycle: number): void {
    const [own, right] = [this.device.circuit!, this.twin!.circuit!.registers()];
    const held = own.registers();
    let [first, registers] = [-1, 0];
    for (let i = 0; i < held.length; i++) {
      if (held[i] === right[i]) continue;
      if (first < 0) first = i;
      registers++;
    }
    if (first < 0) return;
    const { tile, element } = own.circuit.flipFlops[first];
    this.wrong = { cycle, tile, element, registers };
  }

  setSwitch(index: number, on: boolean): void {
    if (index in this.switches && this.switches[index] !== on) {
      this.switches[index] = on;
      this.contact(this.pad(this.description.switches[index]), on, 4);
    }
  }
  setButton(index: number, held: boolean): void {
    if (index in this.buttons && this.buttons[index] !== held) {
      this.buttons[index] = held;
      this.contact(this.pad(this.description.buttons[index]), held, 6);
    }
  }

  /** A contact closes, opens and closes again a few times; gaps grow from some ten cycles on. */
  private contact(pad: number, on: boolean, bounces: number): void {
    const level = on ? 1 : 0;
    for (let i = this.bounces.length - 1; i >= 0; i--) if (this.bounces[i].pad === pad) this.bounces.splice(i, 1);
    this.setPads(new Map([[pad, level]]));
    let at = this.cycles;
    for (let i = 0; i < bounces; i++) {
      at += 7 + 5 * i;
      this.bounces.push({ pad, level: i % 2 === 0 ? 1 - level : level, atCycle: at });
    }
    this.bounces.push({ pad, level, atCycle: at + 11 });
    this.bounces.sort((a, b) => a.atCycle - b.atCycle);
  }

  /** Runs the oscillator and measures what lamps and digits show meanwhile. */
  run(cycles: number): void {
    if (!this.powered || !this.device.configured || cycles <= 0) return;
    const { description } = this;
    const high = new Map<number, number>();
    const segments = description.digits?.segments.map((pin) => this.pad(pin)) ?? [];
    const selects = description.digits?.select.map((pin) => this.pad(pin)) ?? [];
    const glow = selects.map(() => new Array<number>(segments.length).fill(0));
    // a scanned display shows a segment only while its digit is selected: sample both many times in the interval
    const step = Math.max(1, Math.floor(cycles / slices));
    let samples = 0;
    for (let done = 0; done < cycles; ) {
      // uneven steps (golden ratio), so that a scan of the same rhythm is not seen at one of its phases only
      const want = Math.min(Math.max(1, Math.round(step * (0.5 + ((samples * 0.618034) % 1)))), cycles - done);
      this.advance(want);
      done += want;
      for (const [pad, count] of this.device.takeDuty()) high.set(pad, (high.get(pad) ?? 0) + count);
      samples++;
      selects.forEach((select, d) => {
        if (this.device.readPad(select) !== 1) return;
        segments.forEach((segment, s) => {
          if (this.device.readPad(segment) === 1) glow[d][s]++;
        });
      });
    }
    this.lamps = description.lamps.map((pin) => (high.get(this.pad(pin)) ?? 0) / cycles);
    // a digit that is lit all of its turn counts as fully bright
    this.digits = glow.map((row) => row.map((count) => Math.min(1, (count * Math.max(1, selects.length)) / samples)));
    this.seconds += cycles / this.frequencyHz;
  }

  private advance(cycles: number): void {
    let left = cycles;
    while (left > 0) {
      const [next] = this.bounces;
      const until = next ? Math.max(0, next.atCycle - this.cycles) : left;
      const now = Math.min(left, until);
      if (now > 0) this.clock(now);
      this.cycles += now;
      left -= now;
      while (this.bounces.length && this.bounces[0].atCycle <= this.cycles) {
        const { pad, level } = this.bounces.shift()!;
        this.setPads(new Map([[pad, level]]));
      }
    }
  }

  /**
   * Whether the part, begun anew, captures all as it should for so many cycles at a frequency. What switches and buttons stand at stays.
   */
  runsAt(hz: number, cycles: number): WrongCapture | null {
    this.setFrequency(hz);
    return this.runOn(cycles);
  }
  /** Goes on. @returns What was captured wrong first, now or before. */
  runOn(cycles: number): WrongCapture | null {
    this.advance(cycles);
    return this.wrong;
  }

  state(): BoardState {
    return {
      powered: this.powered,
      configured: this.powered && this.device.configured,
      frequencyHz: this.frequencyHz,
      switches: [...this.switches],
      buttons: [...this.buttons],
      lamps: [...this.lamps],
      digits: this.digits.map((row) => [...row]),
      simulatedSeconds: this.seconds,
      cycles: this.cycles,
      unstable: this.device.circuit?.unstable ?? false,
      delays: this.delays,
      caught: this.device.caught,
      wrong: this.wrong,
    };
  }
}
