import { type MemoryModes, writeMode } from "../../device/blocks/memory.ts";
import type { DecodedSite } from "../decode.ts";
import { type CodeWriter, op } from "../wasm-writer.ts";
import { type Address, type CodeRun, pinOf } from "./running.ts";

// its state: its bits, then four words a port (the word read, its next value, the output register, its next value)

/** Of single bits: one for each address pin. */
const addressBits = (block: DecodedSite): number =>
  [...block.pinNames.keys()].filter((name) => /^AA\d+$/.test(name)).length;

function contentBytes(block: DecodedSite): number {
  return 2 ** addressBits(block) / 8;
}

const i32 = { load8U: 0x2d, load16U: 0x2f, store8: 0x3a, store16: 0x3b };

/** Contents at configuration, to be laid at the block's state. */
function contents(block: DecodedSite): Uint8Array {
  const bytes = new Uint8Array(contentBytes(block));
  const { contents } = block.modes as MemoryModes;
  if (!contents) return bytes;
  for (let i = 0; i < bytes.length; i++) {
    const end = contents.length - 2 * i;
    bytes[i] = Number.parseInt(contents.slice(end - 2, end), 16);
  }
  return bytes;
}

/** Memory block at an edge of some of its ports' clocks. Locals 0 to 4 are scratch. */
function emitNext(code: CodeWriter, block: DecodedSite, ports: readonly number[], at: number, address: Address): void {
  const modes = block.modes as MemoryModes;
  const [index, mask] = [0, 1];
  const writes = (port: number, late: boolean) => {
    const letter = "AB"[port];
    const { width, writeMode: mode } = modes.ports[port];
    if ((mode !== writeMode.new) !== late) return;
    const bytes = Math.max(1, (2 ** width) >> 3);
    const enables = Array.from({ length: bytes }, (_, i) => pinOf(block, `W${letter}${i}`));
    if (enables.every((signal) => signal === 0)) return;
    emitMask(code, block, port, address);
    code.set(mask);
    code.get(mask);
    code.open(op.if);
    emitIndex(code, block, port, address);
    code.set(index);
    // old & ~mask | data & mask
    emitPlace(code, index);
    emitWord(code, width, index, at, false);
    code.get(mask);
    if (width < 3) emitShift(code, index);
    code.constant(-1);
    code.byte(op.i32Xor);
    code.byte(op.i32And);
    emitPins(code, block, `D${letter}`, 2 ** width, address);
    code.get(mask);
    code.byte(op.i32And);
    if (width < 3) emitShift(code, index);
    code.byte(op.i32Or);
    code.byte(width <= 3 ? i32.store8 : width === 4 ? i32.store16 : op.i32Store);
    code.byte(0);
    code.unsigned(at);
    code.end();
  };
  for (const port of ports) writes(port, false);
  for (const port of ports) {
    const letter = "AB"[port];
    const { width, writeMode: mode, outputRegister, enableUsed } = modes.ports[port];
    const state = at + contentBytes(block) + 16 * port;
    const reset = pinOf(block, `R${letter}`);
    if (outputRegister) {
      code.beginStore();
      if (reset) code.constant(0);
      code.load(state);
      if (reset) {
        code.load(address(reset));
        code.byte(op.select);
      }
      code.endStore(state + 12);
    }
    emitIndex(code, block, port, address);
    code.set(index);
    code.beginStore();
    if (reset && !outputRegister) code.constant(0);
    emitWord(code, width, index, at, true);
    const holds = mode === writeMode.hold;
    if (enableUsed || holds) {
      // enabled ? word : as before
      code.load(state);
      if (enableUsed) code.load(address(pinOf(block, `E${letter}`)));
      else code.constant(1);
      if (holds) {
        emitMask(code, block, port, address);
        code.byte(op.i32Eqz);
        code.byte(op.i32And);
      }
      code.byte(op.select);
    }
    if (reset && !outputRegister) {
      code.load(address(reset));
      code.byte(op.select);
    }
    code.endStore(state + 4);
  }
  for (const port of ports) writes(port, true);
}

/** New words of the ports become visible. */
function emitTake(code: CodeWriter, block: DecodedSite, ports: readonly number[], at: number, address: Address): void {
  const modes = block.modes as MemoryModes;
  for (const port of ports) {
    const state = at + contentBytes(block) + 16 * port;
    const { outputRegister } = modes.ports[port];
    code.copyMemory(state, state + 4, 4);
    if (outputRegister) code.copyMemory(state + 8, state + 12, 4);
    const shown = outputRegister ? state + 8 : state;
    block.outputs.forEach((signal, pinAt) => {
      const name = block.outputNames[pinAt];
      if (name[1] !== "AB"[port]) return;
      code.beginStore();
      code.load(shown);
      code.constant(Number(name.slice(2)));
      code.byte(op.i32ShrU);
      code.constant(1);
      code.byte(op.i32And);
      code.endStore(address(signal));
    });
  }
}

function emitIndex(code: CodeWriter, block: DecodedSite, port: number, address: Address): void {
  const letter = "AB"[port];
  const { width } = (block.modes as MemoryModes).ports[port];
  code.constant(0);
  for (let bit = width; bit < addressBits(block); bit++) {
    const signal = pinOf(block, `A${letter}${bit}`);
    if (signal === 0) continue;
    code.load(address(signal));
    code.constant(bit);
    code.byte(op.i32Shl);
    code.byte(op.i32Or);
  }
}

/** Pushes the byte that a bit index lies in. */
function emitPlace(code: CodeWriter, index: number): void {
  code.get(index);
  code.constant(3);
  code.byte(op.i32ShrU);
}

/** Pushes the word at a bit index; in place within its byte, or moved down. */
function emitWord(code: CodeWriter, width: number, index: number, at: number, down: boolean): void {
  emitPlace(code, index);
  code.byte(width <= 3 ? i32.load8U : width === 4 ? i32.load16U : op.i32Load);
  code.byte(0);
  code.unsigned(at);
  if (width >= 3 || !down) return;
  code.get(index);
  code.constant(7);
  code.byte(op.i32And);
  code.byte(op.i32ShrU);
  code.constant(2 ** (2 ** width) - 1);
  code.byte(op.i32And);
}

function emitShift(code: CodeWriter, index: number): void {
  code.get(index);
  code.constant(7);
  code.byte(op.i32And);
  code.byte(op.i32Shl);
}

/** Pushes the bits that the port writes: none where it is off. */
function emitMask(code: CodeWriter, block: DecodedSite, port: number, address: Address): void {
  const letter = "AB"[port];
  const { width, enableUsed } = (block.modes as MemoryModes).ports[port];
  const bytes = Math.max(1, (2 ** width) >> 3);
  const each = width < 3 ? 2 ** (2 ** width) - 1 : 255;
  code.constant(0);
  for (let i = 0; i < bytes; i++) {
    const signal = pinOf(block, `W${letter}${i}`);
    if (signal === 0) continue;
    code.constant(0);
    code.load(address(signal));
    code.byte(op.i32Sub);
    code.constant(each << (8 * i));
    code.byte(op.i32And);
    code.byte(op.i32Or);
  }
  if (!enableUsed) return;
  code.constant(0);
  code.load(address(pinOf(block, `E${letter}`)));
  code.byte(op.i32Sub);
  code.byte(op.i32And);
}

function emitPins(code: CodeWriter, block: DecodedSite, name: string, count: number, address: Address): void {
  code.constant(0);
  for (let i = 0; i < count; i++) {
    const signal = pinOf(block, `${name}${i}`);
    if (signal === 0) continue;
    code.load(address(signal));
    code.constant(i);
    code.byte(op.i32Shl);
    code.byte(op.i32Or);
  }
}

export const memoryRun: CodeRun = {
  how: "code",
  stateBytes: (block) => contentBytes(block) + 32,
  contents,
  next: emitNext,
  take: emitTake,
};
