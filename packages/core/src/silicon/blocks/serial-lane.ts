import { serialWordBits } from "../../device/blocks/serial-lane.ts";
import type { DecodedSite } from "../decode.ts";

const wordMask = (1 << serialWordBits) - 1;

/** A serial lane by edges of its clock: a word goes out and another comes in during each cycle, from the second edge on. */
export class SerialLaneRun {
  private hasPeriod = false;
  private border = 0;
  /** The last bits that came in, the latest at the top. */
  private line = 0;
  private word = 0;
  private received = 0;
  private slips = false;

  constructor(private readonly decoded: DecodedSite) {}

  get lane(): number {
    return this.decoded.site;
  }
  /** What is on the line in this cycle; null before it starts. */
  get sent(): number | null {
    return this.hasPeriod ? this.word : null;
  }

  reset(): void {
    this.hasPeriod = false;
    this.border = this.line = this.word = this.received = 0;
  }

  /** Before an edge: takes what is at the pins. */
  sample(signal: (id: number) => number): void {
    const { inputs } = this.decoded;
    this.word = 0;
    for (let bit = 0; bit < serialWordBits; bit++) this.word |= signal(inputs[bit]) << bit;
    this.slips = signal(inputs[serialWordBits]) === 1;
    this.received = (this.line >> (serialWordBits - this.border)) & wordMask;
  }

  /** At the edge: gives out the word received. @param write Sets a signal. @returns False for the first edge: nothing is sent yet. */
  take(write: (id: number, level: number) => void): boolean {
    for (const [pin, signal] of this.decoded.outputs)
      if (pin < serialWordBits) write(signal, (this.received >> pin) & 1);
    if (this.slips) this.border = (this.border + 1) % serialWordBits;
    const sends = this.hasPeriod;
    this.hasPeriod = true;
    return sends;
  }

  /** What comes in during the cycle. */
  receive(word: number): void {
    this.line = (this.line >> serialWordBits) | ((word & wordMask) << serialWordBits);
  }
}
