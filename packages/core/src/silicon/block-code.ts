import { accumulatorWidth } from "../device/blocks.ts";
import type { MemoryModes, MultiplierModes } from "../netlist/rtl.ts";
import { writeMode } from "../netlist/rtl.ts";
import type { DecodedBlock } from "./decode.ts";
import { type CodeWriter, op } from "./wasm-writer.ts";

/**
 * Code of the hard blocks. Their state lies in memory behind the signals: for a memory its bits, then four words a port
 * (the word read, its next value, the output register, its next value); for a multiplier ten 8-byte numbers.
 */
export function blockStateBytes(block: DecodedBlock): number {
  return block.modes.type === "memory" ? contentBytes(block) + 32 : 80;
}
function contentBytes(block: DecodedBlock): number {
  return 2 ** block.addressBits / 8;
}

type Address = (signal: number) => number;

const i64 = { load: 0x29, store: 0x37, add: 0x7c, sub: 0x7d, mul: 0x7e, and: 0x83, or: 0x84, shl: 0x86, shrS: 0x87 };
const i32 = { load8U: 0x2d, load16U: 0x2f, store8: 0x3a, store16: 0x3b };

/** Contents at configuration, to be laid at the block's state. */
export function blockContents(block: DecodedBlock): Uint8Array {
  const bytes = new Uint8Array(contentBytes(block));
  if (block.modes.type !== "memory" || !block.modes.contents) return bytes;
  const { contents } = block.modes;
  for (let i = 0; i < bytes.length; i++) {
    const end = contents.length - 2 * i;
    bytes[i] = Number.parseInt(contents.slice(end - 2, end), 16);
  }
  return bytes;
}

/** One signal of a block's pin; 0 is the constant 0. */
function pin(block: DecodedBlock, name: string): number {
  const at = block.pinNames.get(name);
  return at === undefined ? 0 : block.inputs[at];
}

/** Memory block at an edge of some of its ports' clocks. Locals 0 to 4 are scratch. */
export function emitMemoryNext(
  code: CodeWriter,
  block: DecodedBlock,
  ports: readonly number[],
  at: number,
  address: Address,
): void {
  const modes = block.modes as MemoryModes;
  const [index, mask] = [0, 1];
  const writes = (port: number, late: boolean) => {
    const letter = "AB"[port];
    const { width, writeMode: mode } = modes.ports[port];
    if ((mode !== writeMode.new) !== late) return;
    const bytes = Math.max(1, (2 ** width) >> 3);
    const enables = Array.from({ length: bytes }, (_, i) => pin(block, `W${letter}${i}`));
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
    const reset = pin(block, `R${letter}`);
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
      if (enableUsed) code.load(address(pin(block, `E${letter}`)));
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
export function emitMemoryTake(
  code: CodeWriter,
  block: DecodedBlock,
  ports: readonly number[],
  at: number,
  address: Address,
): void {
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

function emitIndex(code: CodeWriter, block: DecodedBlock, port: number, address: Address): void {
  const letter = "AB"[port];
  const { width } = (block.modes as MemoryModes).ports[port];
  code.constant(0);
  for (let bit = width; bit < block.addressBits; bit++) {
    const signal = pin(block, `A${letter}${bit}`);
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
function emitMask(code: CodeWriter, block: DecodedBlock, port: number, address: Address): void {
  const letter = "AB"[port];
  const { width, enableUsed } = (block.modes as MemoryModes).ports[port];
  const bytes = Math.max(1, (2 ** width) >> 3);
  const each = width < 3 ? 2 ** (2 ** width) - 1 : 255;
  code.constant(0);
  for (let i = 0; i < bytes; i++) {
    const signal = pin(block, `W${letter}${i}`);
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
  code.load(address(pin(block, `E${letter}`)));
  code.byte(op.i32Sub);
  code.byte(op.i32And);
}

function emitPins(code: CodeWriter, block: DecodedBlock, name: string, count: number, address: Address): void {
  code.constant(0);
  for (let i = 0; i < count; i++) {
    const signal = pin(block, `${name}${i}`);
    if (signal === 0) continue;
    code.load(address(signal));
    code.constant(i);
    code.byte(op.i32Shl);
    code.byte(op.i32Or);
  }
}

// ---- multiplier: left, right, product, result, then their next values, then what its outputs show

const places = { left: 0, right: 8, product: 16, result: 24, next: 32, shown: 64 } as const;
const accumulatorBits = BigInt(accumulatorWidth);

export function isRegistered(modes: MultiplierModes): boolean {
  return modes.inputRegister || modes.productRegister || modes.outputRegister;
}

/** True if the outputs follow pins without a register in between. */
export function followsPins(block: DecodedBlock): boolean {
  const modes = block.modes as MultiplierModes;
  if (modes.outputRegister) return false;
  if (!modes.inputRegister && !modes.productRegister) return true;
  return Array.from({ length: accumulatorWidth }, (_, i) => pin(block, `ADDEND${i}`)).some((signal) => signal !== 0);
}

export function emitMultiplierNext(code: CodeWriter, block: DecodedBlock, at: number, address: Address): void {
  const modes = block.modes as MultiplierModes;
  const reset = pin(block, "R");
  const keep = (used: boolean, place: number, value: () => void) => {
    if (!used) return;
    code.beginStore();
    if (reset) emitConst64(code, 0n);
    value();
    if (modes.enableUsed) {
      emitLoad64(code, at + place);
      code.load(address(pin(block, "E")));
      code.byte(op.select);
    }
    if (reset) {
      code.load(address(reset));
      code.byte(op.select);
    }
    emitStore64(code, at + places.next + place);
  };
  keep(modes.inputRegister, places.left, () => emitOperand(code, block, "LEFT", modes.signedLeft, address));
  keep(modes.inputRegister, places.right, () => emitOperand(code, block, "RIGHT", modes.signedRight, address));
  keep(modes.productRegister, places.product, () => emitProduct(code, block, at, address));
  keep(modes.outputRegister, places.result, () => emitSum(code, block, at, address));
}

export function emitMultiplierTake(code: CodeWriter, block: DecodedBlock, at: number, address: Address): void {
  code.copyMemory(at, at + places.next, 32);
  const modes = block.modes as MultiplierModes;
  if (modes.outputRegister) emitShow(code, block, at + places.result, address);
}

/** Outputs that no register holds. */
export function emitMultiplierValue(code: CodeWriter, block: DecodedBlock, at: number, address: Address): void {
  code.beginStore();
  emitSum(code, block, at, address);
  emitStore64(code, at + places.shown);
  emitShow(code, block, at + places.shown, address);
}

function emitShow(code: CodeWriter, block: DecodedBlock, from: number, address: Address): void {
  block.outputs.forEach((signal, pinAt) => {
    code.beginStore();
    emitLoad64(code, from);
    emitConst64(code, BigInt(block.outputNames[pinAt].replace("RESULT", "")));
    code.byte(op.i64ShrU);
    code.byte(op.i32WrapI64);
    code.constant(1);
    code.byte(op.i32And);
    code.endStore(address(signal));
  });
}

function emitOperand(code: CodeWriter, block: DecodedBlock, name: string, signed: boolean, address: Address): void {
  emitBits64(code, block, name, 18, address);
  if (!signed) return;
  emitConst64(code, 46n);
  code.byte(i64.shl);
  emitConst64(code, 46n);
  code.byte(i64.shrS);
}

function emitProduct(code: CodeWriter, block: DecodedBlock, at: number, address: Address): void {
  const modes = block.modes as MultiplierModes;
  if (modes.inputRegister) {
    emitLoad64(code, at + places.left);
    emitLoad64(code, at + places.right);
  } else {
    emitOperand(code, block, "LEFT", modes.signedLeft, address);
    emitOperand(code, block, "RIGHT", modes.signedRight, address);
  }
  code.byte(i64.mul);
}

function emitSum(code: CodeWriter, block: DecodedBlock, at: number, address: Address): void {
  const modes = block.modes as MultiplierModes;
  const load = pin(block, "LOAD");
  if (modes.accumulate && load === 0) emitLoad64(code, at + places.result);
  else {
    emitBits64(code, block, "ADDEND", accumulatorWidth, address);
    if (modes.accumulate) {
      emitLoad64(code, at + places.result);
      code.load(address(load));
      code.byte(op.select);
    }
  }
  if (modes.productRegister) emitLoad64(code, at + places.product);
  else emitProduct(code, block, at, address);
  code.byte(modes.subtract ? i64.sub : i64.add);
  emitConst64(code, (1n << accumulatorBits) - 1n);
  code.byte(i64.and);
}

function emitBits64(code: CodeWriter, block: DecodedBlock, name: string, count: number, address: Address): void {
  emitConst64(code, 0n);
  for (let i = 0; i < count; i++) {
    const signal = pin(block, `${name}${i}`);
    if (signal === 0) continue;
    code.load(address(signal));
    code.byte(op.i64ExtendI32U);
    emitConst64(code, BigInt(i));
    code.byte(i64.shl);
    code.byte(i64.or);
  }
}

function emitConst64(code: CodeWriter, value: bigint): void {
  code.byte(op.i64Const);
  code.signed(value);
}
function emitLoad64(code: CodeWriter, at: number): void {
  code.byte(op.i32Const);
  code.byte(0);
  code.byte(i64.load);
  code.byte(3);
  code.unsigned(at);
}
function emitStore64(code: CodeWriter, at: number): void {
  code.byte(i64.store);
  code.byte(3);
  code.unsigned(at);
}
