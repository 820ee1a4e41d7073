import { accumulatorWidth, type MultiplierModes } from "../../device/blocks/multiplier.ts";
import type { DecodedSite } from "../decode.ts";
import { type CodeWriter, op } from "../wasm-writer.ts";
import { type Address, type CodeRun, pinOf } from "./running.ts";

const i64 = { load: 0x29, store: 0x37, add: 0x7c, sub: 0x7d, mul: 0x7e, and: 0x83, or: 0x84, shl: 0x86, shrS: 0x87 };

// its state, ten numbers of 8 bytes: left, right, product, result, then their next values, then what its outputs show
const places = { left: 0, right: 8, product: 16, result: 24, next: 32, shown: 64 } as const;
const accumulatorBits = BigInt(accumulatorWidth);

/** True if the outputs follow pins without a register in between. */
function followsPins(block: DecodedSite): boolean {
  const modes = block.modes as MultiplierModes;
  if (modes.outputRegister) return false;
  if (!modes.inputRegister && !modes.productRegister) return true;
  return Array.from({ length: accumulatorWidth }, (_, i) => pinOf(block, `ADDEND${i}`)).some((signal) => signal !== 0);
}

function emitNext(
  code: CodeWriter,
  block: DecodedSite,
  _clocks: readonly number[],
  at: number,
  address: Address,
): void {
  const modes = block.modes as MultiplierModes;
  const reset = pinOf(block, "R");
  const keep = (used: boolean, place: number, value: () => void) => {
    if (!used) return;
    code.beginStore();
    if (reset) emitConst64(code, 0n);
    value();
    if (modes.enableUsed) {
      emitLoad64(code, at + place);
      code.load(address(pinOf(block, "E")));
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

function emitTake(
  code: CodeWriter,
  block: DecodedSite,
  _clocks: readonly number[],
  at: number,
  address: Address,
): void {
  code.copyMemory(at, at + places.next, 32);
  const modes = block.modes as MultiplierModes;
  if (modes.outputRegister) emitShow(code, block, at + places.result, address);
}

/** Outputs that no register holds. */
function emitValue(code: CodeWriter, block: DecodedSite, at: number, address: Address): void {
  code.beginStore();
  emitSum(code, block, at, address);
  emitStore64(code, at + places.shown);
  emitShow(code, block, at + places.shown, address);
}

function emitShow(code: CodeWriter, block: DecodedSite, from: number, address: Address): void {
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

function emitOperand(code: CodeWriter, block: DecodedSite, name: string, signed: boolean, address: Address): void {
  emitBits64(code, block, name, 18, address);
  if (!signed) return;
  emitConst64(code, 46n);
  code.byte(i64.shl);
  emitConst64(code, 46n);
  code.byte(i64.shrS);
}

function emitProduct(code: CodeWriter, block: DecodedSite, at: number, address: Address): void {
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

function emitSum(code: CodeWriter, block: DecodedSite, at: number, address: Address): void {
  const modes = block.modes as MultiplierModes;
  const load = pinOf(block, "LOAD");
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

function emitBits64(code: CodeWriter, block: DecodedSite, name: string, count: number, address: Address): void {
  emitConst64(code, 0n);
  for (let i = 0; i < count; i++) {
    const signal = pinOf(block, `${name}${i}`);
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

export const multiplierRun: CodeRun = {
  how: "code",
  stateBytes: () => 80,
  next: emitNext,
  take: emitTake,
  value: {
    isShown: ({ modes }) => !(modes as MultiplierModes).outputRegister,
    followsPins,
    emit: emitValue,
  },
};
