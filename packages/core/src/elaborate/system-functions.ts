import { type Bits, bit0 } from "../netlist/rtl.ts";
import type { RtlBuilder } from "../netlist/rtl-builder.ts";
import type { AnyValue, Value } from "./model.ts";
import { stringMethod } from "./string-methods.ts";
import { type DataType, integerType, realType, stringType, vectorType } from "./types.ts";

/** A system function that gives a value (IEEE 1800-2017 clauses 20 and 21): all that is known of it stands here. */
interface SystemFunction {
  readonly type: DataType;
  readonly least: number;
  readonly most: number;
  /** Arguments are taken as real numbers. */
  readonly takesReals?: boolean;
  /** Arguments that it writes, by place. */
  readonly writes?: readonly number[];
  /**
   * Its value, where that depends on the arguments alone: for constants and for simulation.
   * @param widths [arguments] 0 for strings and real numbers.
   */
  readonly value?: (args: readonly AnyValue[], widths: readonly number[]) => AnyValue;
  /** Its circuit, of as many bits as its type has. */
  readonly circuit?: (arg: Bits, rtl: RtlBuilder) => Bits;
}

const int = vectorType(32, true, false);
const unsignedInt = vectorType(32, false, false);
const oneBit = vectorType(1, false, false);

const bits = (v: bigint, width: number): Value => ({ a: BigInt.asUintN(width, v), b: 0n });
const set = (arg: AnyValue): bigint =>
  typeof arg === "object" ? arg.a & ~arg.b : BigInt(Math.trunc(Number(arg)) || 0);
const truth = (is: boolean): Value => bits(is ? 1n : 0n, 1);
function onesIn(value: bigint): bigint {
  let count = 0n;
  for (let rest = value; rest > 0n; rest >>= 1n) count += rest & 1n;
  return count;
}
/** Bits that it takes to number so many things. */
const ceilLog2 = (count: bigint): number => (count <= 1n ? 0 : (count - 1n).toString(2).length);

const counts = (
  value: (arg: AnyValue) => Value,
  type: DataType,
  circuit: SystemFunction["circuit"],
): SystemFunction => ({
  type,
  least: 1,
  most: 1,
  value: ([arg]) => value(arg),
  circuit,
});
const math = (run: (x: number, y: number) => number, count = 1): SystemFunction => ({
  type: realType,
  least: count,
  most: count,
  takesReals: true,
  value: ([x, y]) => run(Number(x), Number(y)),
});
/** Of the state of a simulation: its time, its files, its random numbers. */
const ofRun = (type: DataType, least: number, most = least, writes: readonly number[] = []): SystemFunction => ({
  type,
  least,
  most,
  writes,
});
const places = (first: number): number[] => Array.from({ length: 64 - first }, (_, i) => first + i);

/** 1 where at most one bit is: taking 1 away leaves no bit in common. */
function oneAtMost(arg: Bits, rtl: RtlBuilder): Bits {
  const one = rtl.constant({ a: 1n, b: 0n }, arg.length);
  const rest = rtl.and(arg, rtl.arithmetic("sub", arg, one, false));
  return rtl.not([rtl.reduce("redor", rest)]);
}

function countOnes(arg: Bits, width: number, rtl: RtlBuilder): Bits {
  const widened = (list: Bits) => Array.from({ length: width }, (_, i) => list[i] ?? bit0);
  if (arg.length === 1) return widened(arg);
  const half = arg.length >> 1;
  const need = arg.length.toString(2).length;
  const [low, high] = [countOnes(arg.slice(0, half), need, rtl), countOnes(arg.slice(half), need, rtl)];
  return widened(rtl.arithmetic("add", low, high, false));
}

/** Place of the highest one of what is one less, plus one. */
function log2Circuit(arg: Bits, rtl: RtlBuilder): Bits {
  const { width } = integerType;
  const less = rtl.arithmetic("sub", arg, rtl.constant({ a: 1n, b: 0n }, arg.length), false);
  const none: Bits = new Array<number>(width).fill(bit0);
  let result = none;
  less.forEach((bit, i) => {
    result = rtl.mux(bit, rtl.constant({ a: BigInt(i + 1), b: 0n }, width), result);
  });
  return rtl.mux(rtl.not([rtl.reduce("redor", arg)])[0], none, result);
}

export const systemFunctions: Readonly<Record<string, SystemFunction>> = {
  $countones: counts(
    (arg) => bits(onesIn(set(arg)), 32),
    int,
    (arg, rtl) => countOnes(arg, int.width, rtl),
  ),
  $onehot: counts(
    (arg) => truth(onesIn(set(arg)) === 1n),
    oneBit,
    (arg, rtl) => rtl.and(oneAtMost(arg, rtl), [rtl.reduce("redor", arg)]),
  ),
  $onehot0: counts((arg) => truth(onesIn(set(arg)) <= 1n), oneBit, oneAtMost),
  $isunknown: counts(
    (arg) => truth(typeof arg === "object" && arg.b !== 0n),
    oneBit,
    () => [bit0],
  ),
  $clog2: counts((arg) => bits(BigInt(ceilLog2(set(arg))), 32), integerType, log2Circuit),
  $countbits: {
    type: int,
    least: 2,
    most: 5,
    value: ([arg, ...kinds], [width]) => {
      const code = (of: AnyValue, i: bigint) =>
        typeof of === "object" ? 2n * ((of.a >> i) & 1n) + ((of.b >> i) & 1n) : -1n;
      const wanted = new Set(kinds.map((kind) => code(kind, 0n)));
      let count = 0n;
      for (let i = 0n; i < BigInt(width); i++) if (wanted.has(code(arg, i))) count++;
      return bits(count, 32);
    },
  },
  $rtoi: {
    type: integerType,
    least: 1,
    most: 1,
    takesReals: true,
    value: ([x]) => bits(BigInt(Math.trunc(Number(x)) || 0), 32),
  },
  $itor: math((x) => x),
  $realtobits: {
    type: vectorType(64),
    least: 1,
    most: 1,
    takesReals: true,
    value: ([x]) => {
      const view = new DataView(new ArrayBuffer(8));
      view.setFloat64(0, Number(x));
      return bits(view.getBigUint64(0), 64);
    },
  },
  $bitstoreal: {
    type: realType,
    least: 1,
    most: 1,
    value: ([arg]) => {
      const view = new DataView(new ArrayBuffer(8));
      view.setBigUint64(0, BigInt.asUintN(64, set(arg)));
      return view.getFloat64(0);
    },
  },
  $ln: math(Math.log),
  $log10: math(Math.log10),
  $exp: math(Math.exp),
  $sqrt: math(Math.sqrt),
  $floor: math(Math.floor),
  $ceil: math(Math.ceil),
  $sin: math(Math.sin),
  $cos: math(Math.cos),
  $tan: math(Math.tan),
  $asin: math(Math.asin),
  $acos: math(Math.acos),
  $atan: math(Math.atan),
  $sinh: math(Math.sinh),
  $cosh: math(Math.cosh),
  $tanh: math(Math.tanh),
  $asinh: math(Math.asinh),
  $acosh: math(Math.acosh),
  $atanh: math(Math.atanh),
  $pow: math((x, y) => x ** y, 2),
  $atan2: math(Math.atan2, 2),
  $hypot: math(Math.hypot, 2),
  $time: ofRun(vectorType(64, false), 0),
  $stime: ofRun(vectorType(32, false), 0),
  $realtime: ofRun(realType, 0),
  $random: ofRun(integerType, 0, 1, [0]),
  $urandom: ofRun(unsignedInt, 0, 1),
  $urandom_range: ofRun(unsignedInt, 1, 2),
  $dist_uniform: ofRun(integerType, 3, 3, [0]),
  $dist_normal: ofRun(integerType, 3, 3, [0]),
  $dist_erlang: ofRun(integerType, 3, 3, [0]),
  $dist_exponential: ofRun(integerType, 2, 2, [0]),
  $dist_poisson: ofRun(integerType, 2, 2, [0]),
  $dist_chi_square: ofRun(integerType, 2, 2, [0]),
  $dist_t: ofRun(integerType, 2, 2, [0]),
  $test$plusargs: ofRun(int, 1),
  $value$plusargs: ofRun(int, 2, 2, [1]),
  $fopen: ofRun(int, 1, 2),
  $feof: ofRun(int, 1),
  $fgetc: ofRun(int, 1),
  $fgets: ofRun(int, 2, 2, [0]),
  $fscanf: ofRun(int, 2, 64, places(2)),
  $sscanf: ofRun(int, 2, 64, places(2)),
  $ftell: ofRun(int, 1),
  $rewind: ofRun(int, 1),
  $fseek: ofRun(int, 3),
  $ungetc: ofRun(int, 2),
  $ferror: ofRun(int, 2, 2, [1]),
  $sformatf: ofRun(stringType, 1, 64),
  $psprintf: ofRun(stringType, 1, 64),
  $cast: ofRun(int, 2, 2, [0]),
};

/** Arguments that system tasks write, by place. */
const writtenByTasks: Readonly<Record<string, readonly number[]>> = {
  $sformat: [0],
  $swrite: [0],
  $swriteb: [0],
  $swriteo: [0],
  $swriteh: [0],
};
export const writesArgument = (name: string, place: number): boolean =>
  (systemFunctions[name]?.writes ?? writtenByTasks[name])?.includes(place) ?? false;

/**
 * Value of a system function, or of a method of a string, that depends on its arguments alone.
 * @param widths [arguments] 0 for strings and real numbers.
 * @returns null for what is no such function.
 */
export function systemValue(name: string, args: readonly AnyValue[], widths: readonly number[]): AnyValue | null {
  if (name.startsWith("string.")) {
    const [text, ...rest] = args;
    if (typeof text !== "string") return null;
    const method = name.slice("string.".length);
    const value = stringMethod(
      method,
      text,
      rest.map((arg) => (typeof arg === "object" ? Number(BigInt.asIntN(32, arg.a & ~arg.b)) : arg)),
    );
    return typeof value === "number" && method !== "atoreal" ? bits(BigInt(Math.trunc(value)), 32) : value;
  }
  return systemFunctions[name]?.value?.(args, widths) ?? null;
}
