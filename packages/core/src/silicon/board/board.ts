import type { BoardDescription } from "../../device/boards.ts";
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
}

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
    this.device.setPads(new Map([[pad, level]]));
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
      if (now > 0) this.device.runClock(this.clockPad, now, 1e12 / this.frequencyHz);
      this.cycles += now;
      left -= now;
      while (this.bounces.length && this.bounces[0].atCycle <= this.cycles) {
        const { pad, level } = this.bounces.shift()!;
        this.device.setPads(new Map([[pad, level]]));
      }
    }
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
    };
  }
}
