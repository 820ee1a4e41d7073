import { configMap, TileConfig } from "../bitstream/config-map.ts";
import { type BitstreamFault, decodeBitstream, faultText } from "../bitstream/format.ts";
import type { CornerName } from "../device/family.ts";
import type { Part } from "../device/part.ts";
import { pullCode } from "../device/tile-pattern.ts";
import {
  instruction,
  irBits,
  nextTapState,
  statusBit,
  statusFaultShift,
  type TapDevice,
  type TapState,
} from "../jtag/tap.ts";
import { decodeCircuit } from "./decode.ts";
import { Engine } from "./engine.ts";
import type { RunningPart } from "./running-part.ts";
import { TimedEngine } from "./timed/timed-engine.ts";

/** Cells of the boundary register: input, output and control of each pad, the first pad's input nearest to TDO. */
function boundaryCells(part: Part): number {
  return 3 * part.fabric.pads.length;
}

const faultCodes = Object.keys(faultText) as BitstreamFault[];

/**
 * The simulated part. It knows its pads, its TAP pins and the bits that come in through them, nothing else. A bitstream
 * is checked when its shift ends (Update-DR); a fault leaves the part unconfigured with the reason in its status.
 */
export class SimulatedPart implements TapDevice {
  private state: TapState = "test-logic-reset";
  private ir: number = instruction.idcode;
  private irShift = 0;
  private dr: Uint8Array = new Uint8Array(4);
  private drLength = 32;
  private drAt = 0;
  private incoming = new Uint8Array(1 << 16);
  private incomingBits = 0;
  private fault: BitstreamFault | null = null;
  private faultDetail = "";
  private memory: Uint8Array;
  private engine: RunningPart | null = null;
  /** Corner whose delays it runs with; null: none. And what chance begins from. */
  private timed: { readonly corner: CornerName; readonly seed: number } | null = null;
  /** Levels that something outside drives. */
  private readonly padValues = new Map<number, number>();
  /** Serial lanes that are tied together: receiving -> sending. */
  private readonly serialLinks = new Map<number, number>();
  /** Levels that the part's own resistors pull pads to. */
  private readonly pulls = new Map<number, number>();
  /** Flash on the die, of parts that have it: the last bitstream that was taken; null when erased. */
  private flash: Uint8Array | null = null;
  /** Boundary cells as last updated, three a pad: input, output, control (1 drives). */
  private boundary: Uint8Array;

  constructor(readonly part: Part) {
    this.memory = new Uint8Array(configMap(part).byteCount);
    this.boundary = new Uint8Array(boundaryCells(part));
  }

  get configured(): boolean {
    return this.engine !== null;
  }
  get circuit(): RunningPart | null {
    return this.engine;
  }
  /** Registers and pins of blocks that were caught in a change since configuration; null without delays. */
  get caught(): number | null {
    return this.engine instanceof TimedEngine ? this.engine.caught : null;
  }

  /**
   * With the delays of a corner, or without any. A part that is configured begins anew, as after configuration.
   * @param seed Of what is left to chance: what a register becomes that was caught in a change.
   */
  setDelays(corner: CornerName | null, seed = 1): void {
    this.timed = corner && { corner, seed };
    if (this.engine) this.begin();
  }
  /** In words, for a message; the status register holds the code only. */
  get refusal(): string | null {
    return this.fault ? this.faultDetail : null;
  }

  /** Supply off and on: all configuration is lost, but for what flash on the die has kept. */
  powerCycle(): void {
    this.clear();
    this.state = "test-logic-reset";
    this.ir = instruction.idcode;
    this.fault = null;
    this.boundary.fill(0);
    if (this.flash) this.load(this.flash);
  }

  private clear(): void {
    this.memory.fill(0);
    this.engine = null;
    this.pulls.clear();
  }

  get status(): number {
    let value = 0;
    if (this.engine) value |= statusBit.configured;
    if (this.ir === instruction.configure && this.state === "shift-dr") value |= statusBit.receiving;
    if (this.fault) value |= statusBit.refused | ((faultCodes.indexOf(this.fault) + 1) << statusFaultShift);
    return value;
  }

  /** One rising edge of TCK. @returns TDO during this clock. */
  clock(tms: number, tdi: number): number {
    let tdo = 0;
    switch (this.state) {
      case "shift-dr":
        tdo = this.shiftData(tdi);
        break;
      case "shift-ir":
        tdo = this.irShift & 1;
        this.irShift = (this.irShift >> 1) | (tdi << (irBits - 1));
        break;
    }
    this.state = nextTapState(this.state, tms);
    // actions of the state that was entered
    switch (this.state) {
      case "test-logic-reset":
        this.ir = instruction.idcode;
        break;
      case "capture-ir":
        this.irShift = 0b000001;
        break;
      case "update-ir":
        this.ir = this.irShift;
        if (this.ir === instruction.clear) {
          this.clear();
          this.flash = null;
          this.fault = null;
        }
        break;
      case "capture-dr":
        this.captureData();
        break;
      case "update-dr":
        if (this.ir === instruction.configure && this.incomingBits > 0) this.configure();
        if (this.ir === instruction.sample || this.ir === instruction.extest)
          for (let i = 0; i < this.boundary.length; i++) this.boundary[i] = (this.dr[i >> 3] >> (i & 7)) & 1;
    }
    return tdo;
  }

  private captureData(): void {
    this.drAt = 0;
    switch (this.ir) {
      case instruction.idcode:
        this.setWord(this.part.die.idcode);
        break;
      case instruction.status:
        this.setWord(this.status);
        break;
      case instruction.sample:
      case instruction.extest:
        this.captureBoundary();
        break;
      case instruction.readback:
        this.dr = this.memory.slice();
        this.drLength = this.memory.length * 8;
        break;
      case instruction.configure:
        this.clear();
        this.flash = null; // programming begins with erasing
        this.fault = null;
        this.incomingBits = 0;
        this.drLength = 0;
        break;
      default: // bypass, and every code without a register of its own
        this.dr = new Uint8Array(1);
        this.drLength = 1;
    }
  }

  /** Levels at the pads, and what the configured circuit drives there, as they are now. */
  private captureBoundary(): void {
    const cells = new Uint8Array(this.boundary.length);
    for (const { id } of this.part.fabric.pads) {
      const driven = this.ownLevel(id);
      cells[3 * id] = driven ?? this.outsideLevel(id) ?? 0;
      cells[3 * id + 1] = driven ?? 0;
      cells[3 * id + 2] = driven === null ? 0 : 1;
    }
    this.drLength = cells.length;
    this.dr = new Uint8Array(Math.ceil(cells.length / 8));
    cells.forEach((bit, i) => {
      if (bit) this.dr[i >> 3] |= 1 << (i & 7);
    });
  }

  private setWord(value: number): void {
    this.dr = Uint8Array.of(value & 255, (value >>> 8) & 255, (value >>> 16) & 255, value >>> 24);
    this.drLength = 32;
  }

  private shiftData(tdi: number): number {
    if (this.ir === instruction.configure) {
      const at = this.incomingBits++;
      if (at >> 3 === this.incoming.length) {
        const grown = new Uint8Array(this.incoming.length * 2);
        grown.set(this.incoming);
        this.incoming = grown;
      }
      if ((at & 7) === 0) this.incoming[at >> 3] = 0;
      if (tdi) this.incoming[at >> 3] |= 1 << (at & 7);
      return 0;
    }
    // a ring: what comes in follows the captured bits out after drLength clocks
    const at = this.drAt % this.drLength;
    const byte = at >> 3;
    const mask = 1 << (at & 7);
    const out = this.dr[byte] & mask ? 1 : 0;
    if (tdi) this.dr[byte] |= mask;
    else this.dr[byte] &= ~mask;
    this.drAt++;
    return out;
  }

  private configure(): void {
    const file = this.incoming.slice(0, Math.ceil(this.incomingBits / 8));
    if (this.load(file) && this.part.family.configuration === "flash") this.flash = file;
  }

  /** @returns False if the part refuses the file. */
  private load(file: Uint8Array): boolean {
    const decoded = decodeBitstream(file, this.part);
    if (!decoded.ok) {
      this.fault = decoded.fault;
      this.faultDetail = decoded.detail;
      return false;
    }
    this.memory = decoded.memory;
    this.begin();
    return true;
  }

  /** Another part with the same bits and levels at its pads, without delays, as after configuration; null while there are no bits. */
  withoutDelays(): SimulatedPart | null {
    if (!this.engine) return null;
    const copy = new SimulatedPart(this.part);
    copy.memory = this.memory.slice();
    for (const [pad, level] of this.padValues) copy.padValues.set(pad, level);
    for (const [receiving, sending] of this.serialLinks) copy.serialLinks.set(receiving, sending);
    copy.begin();
    return copy;
  }

  /** What is configured starts to run. */
  private begin(): void {
    const circuit = decodeCircuit(this.part, this.memory);
    const { timed } = this;
    this.engine = timed
      ? new TimedEngine(this.part, this.memory, circuit, timed.corner, timed.seed)
      : new Engine(circuit);
    this.engine.receive = (lane) => this.serialWord(this.serialLinks.get(lane) ?? -1) ?? 0;
    const config = new TileConfig(this.part, this.memory);
    for (const { id, tile, index } of this.part.fabric.pads) {
      const code = config.get(tile, `pull${index}`);
      if (code === pullCode.up || code === pullCode.down) this.pulls.set(id, code === pullCode.up ? 1 : 0);
    }
    const values = new Map<number, number>();
    for (const { signal, pad } of this.engine.circuit.inputs) values.set(signal, this.outsideLevel(pad) ?? 0);
    this.engine.setInputs(values);
  }

  /**
   * Levels at pads from outside, null where it lets go; several at once change together.
   * @param afterPs With delays: so long from now on, while clocks go on. Left out, time passes until all is quiet.
   */
  setPads(levels: ReadonlyMap<number, number | null>, afterPs?: number): void {
    const values = new Map<number, number>();
    for (const [pad, level] of levels)
      if (level === null) this.padValues.delete(pad);
      else this.padValues.set(pad, level);
    if (!this.engine) return;
    for (const { signal, pad } of this.engine.circuit.inputs)
      if (levels.has(pad)) values.set(signal, this.outsideLevel(pad) ?? 0);
    this.engine.setInputs(values, afterPs);
  }

  /** With delays: lets time pass. */
  wait(ps: number): void {
    this.engine?.wait(ps);
  }

  /** What a pad rests at while the part lets go: driven from outside or pulled; null if it floats. */
  private outsideLevel(pad: number): number | null {
    return this.padValues.get(pad) ?? this.pulls.get(pad) ?? null;
  }

  /** Level at a pad, whoever drives or pulls it: null if it floats, "x" if part and outside drive against each other. */
  padLevel(pad: number): number | null | "x" {
    const own = this.readPad(pad);
    if (own === null) return this.outsideLevel(pad);
    return (this.padValues.get(pad) ?? own) === own ? own : "x";
  }

  /** Ties the sending pin of one serial lane to the receiving pin of another, or of itself; null lets go. */
  connectSerial(receiving: number, sending: number | null): void {
    if (sending === null) this.serialLinks.delete(receiving);
    else this.serialLinks.set(receiving, sending);
  }

  /** Word that a serial lane sends in this cycle; null if it sends nothing. */
  serialWord(lane: number): number | null {
    return this.engine?.serialWord(lane) ?? null;
  }

  /** Level that the part drives at a pad; null if it drives nothing there. In EXTEST the boundary cells drive. */
  readPad(pad: number): number | null {
    if (this.ir === instruction.extest) return this.boundary[3 * pad + 2] ? this.boundary[3 * pad + 1] : null;
    return this.ownLevel(pad);
  }

  private ownLevel(pad: number): number | null {
    const output = this.engine?.circuit.outputs.findIndex((candidate) => candidate.pad === pad) ?? -1;
    return output < 0 ? null : this.engine!.driven(output);
  }

  /** Clock cycles at a pad, rise then fall. @param periodPs What counts with delays. */
  runClock(pad: number, cycles: number, periodPs = 1e6): void {
    const input = this.engine?.circuit.inputs.find((candidate) => candidate.pad === pad);
    if (input) this.engine!.runCycles(input.signal, cycles, periodPs);
  }

  /** Cycles that each driven pad was high since the last call. */
  takeDuty(): Map<number, number> {
    const duty = new Map<number, number>();
    if (!this.engine) return duty;
    const counts = this.engine.takeDuty();
    this.engine.circuit.outputs.forEach((output, i) => duty.set(output.pad, counts[i]));
    return duty;
  }
}
