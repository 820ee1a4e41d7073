import { instruction, irBits, type TapDevice } from "./tap.ts";

/** Devices in a row: TDI of the first is the cable's, TDO of the last goes back to it. */
export class Chain implements TapDevice {
  constructor(readonly devices: readonly TapDevice[]) {}
  clock(tms: number, tdi: number): number {
    let bit = tdi;
    // every device sees the old TDO of the one before it, which is what clock() returns
    for (const device of this.devices) bit = device.clock(tms, bit);
    return bit;
  }
}

/** The cable stand-in: moves the TAP controllers and shifts registers bit by bit. Starts from any state. */
export class Cable {
  clocks = 0;
  constructor(readonly chain: TapDevice) {}

  private step(tms: number, tdi = 0): number {
    this.clocks++;
    return this.chain.clock(tms, tdi);
  }

  /** Five clocks with TMS high reach Test-Logic-Reset from anywhere; then idle. */
  reset(): void {
    for (let i = 0; i < 5; i++) this.step(1);
    this.step(0);
  }

  shiftInstruction(code: number, bits = irBits): void {
    this.step(1);
    this.step(1);
    this.step(0);
    this.step(0);
    for (let i = 0; i < bits; i++) this.step(i === bits - 1 ? 1 : 0, (code >> i) & 1);
    this.step(1);
    this.step(0);
  }

  /** Shifts `bits` through the data registers, least significant bit of the first byte first. @returns What came out. */
  shiftData(data: Uint8Array, bits: number, onProgress?: (done: number) => void): Uint8Array {
    this.step(1);
    this.step(0);
    this.step(0);
    const out = new Uint8Array(Math.ceil(bits / 8));
    for (let i = 0; i < bits; i++) {
      const tdo = this.step(i === bits - 1 ? 1 : 0, (data[i >> 3] >> (i & 7)) & 1);
      if (tdo) out[i >> 3] |= 1 << (i & 7);
      if (onProgress && (i & 0x7fff) === 0) onProgress(i);
    }
    this.step(1);
    this.step(0);
    return out;
  }

  readWord(code: number): number {
    this.shiftInstruction(code);
    const bytes = this.shiftData(new Uint8Array(4), 32);
    return (bytes[0] | (bytes[1] << 8) | (bytes[2] << 16) | (bytes[3] << 24)) >>> 0;
  }

  /** IDCODEs on the chain, nearest to TDO first: after reset every device shows its IDCODE, which starts with a 1. */
  findDevices(limit = 32): number[] {
    this.reset();
    const found: number[] = [];
    const bytes = this.shiftData(new Uint8Array(4 * limit), 32 * limit);
    for (let i = 0; i < limit; i++) {
      const code = (bytes[4 * i] | (bytes[4 * i + 1] << 8) | (bytes[4 * i + 2] << 16) | (bytes[4 * i + 3] << 24)) >>> 0;
      if (code === 0 || code === 0xffffffff) break;
      found.push(code);
    }
    return found;
  }

  /** Sends a bitstream to the only device of the chain and reads its status. */
  configure(file: Uint8Array, onProgress?: (fraction: number) => void): number {
    this.shiftInstruction(instruction.configure);
    this.shiftData(file, file.length * 8, onProgress && ((bits) => onProgress(bits / (file.length * 8))));
    return this.readWord(instruction.status);
  }
}
