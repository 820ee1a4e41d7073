import type { AnyValue, Value } from "./model.ts";

/**
 * System functions whose value depends on their arguments alone (IEEE 1800-2017 clauses 20.5, 20.8 and 20.9, methods of
 * strings of clause 6.16): for constants. Simulation computes them by itself.
 */
const realFunctions: Readonly<Record<string, (x: number, y: number) => number>> = {
  $ln: Math.log,
  $log10: Math.log10,
  $exp: Math.exp,
  $sqrt: Math.sqrt,
  $floor: Math.floor,
  $ceil: Math.ceil,
  $sin: Math.sin,
  $cos: Math.cos,
  $tan: Math.tan,
  $asin: Math.asin,
  $acos: Math.acos,
  $atan: Math.atan,
  $sinh: Math.sinh,
  $cosh: Math.cosh,
  $tanh: Math.tanh,
  $asinh: Math.asinh,
  $acosh: Math.acosh,
  $atanh: Math.atanh,
  $pow: (x, y) => x ** y,
  $atan2: Math.atan2,
  $hypot: Math.hypot,
};

const bits = (v: bigint, width: number): Value => ({ a: BigInt.asUintN(width, v), b: 0n });
const digits = (v: bigint): number => v.toString(2).length;

/** @param widths Of the arguments; 0 for strings. @returns null for what is no such function. */
export function systemValue(name: string, args: readonly AnyValue[], widths: readonly number[]): AnyValue | null {
  const [first, second] = args;
  const real = realFunctions[name];
  if (real) return typeof first === "number" ? real(first, typeof second === "number" ? second : 0) : null;
  if (name.startsWith("string.")) return stringValue(name.slice(7), args);
  if (name === "$rtoi") return typeof first === "number" ? bits(BigInt(Math.trunc(first) || 0), 32) : null;
  if (name === "$itor") return typeof first === "number" ? first : null;
  if (name === "$realtobits") {
    if (typeof first !== "number") return null;
    const view = new DataView(new ArrayBuffer(8));
    view.setFloat64(0, first);
    return bits(view.getBigUint64(0), 64);
  }
  if (typeof first !== "object") return null;
  const set = first.a & ~first.b;
  const ones = [...set.toString(2)].filter((digit) => digit === "1").length;
  switch (name) {
    case "$bitstoreal": {
      const view = new DataView(new ArrayBuffer(8));
      view.setBigUint64(0, BigInt.asUintN(64, set));
      return view.getFloat64(0);
    }
    case "$clog2":
      return bits(set <= 1n ? 0n : BigInt(digits(set - 1n)), 32);
    case "$countones":
      return bits(BigInt(ones), 32);
    case "$onehot":
      return bits(ones === 1 ? 1n : 0n, 1);
    case "$onehot0":
      return bits(ones <= 1 ? 1n : 0n, 1);
    case "$isunknown":
      return bits(first.b ? 1n : 0n, 1);
    case "$countbits": {
      const kinds = args.slice(1).map((arg) => (typeof arg === "object" ? `${arg.a & 1n}${arg.b & 1n}` : ""));
      let count = 0n;
      for (let i = 0n; i < BigInt(widths[0]); i++)
        if (kinds.includes(`${(first.a >> i) & 1n}${(first.b >> i) & 1n}`)) count++;
      return bits(count, 32);
    }
    default:
      return null;
  }
}

function stringValue(method: string, [text, ...args]: readonly AnyValue[]): AnyValue | null {
  if (typeof text !== "string") return null;
  const number = (i: number): number => {
    const arg = args[i];
    return typeof arg === "object" ? Number(BigInt.asIntN(32, arg.a & ~arg.b)) : Number(arg);
  };
  switch (method) {
    case "len":
      return bits(BigInt(text.length), 32);
    case "getc": {
      const at = number(0);
      return bits(at >= 0 && at < text.length ? BigInt(text.charCodeAt(at)) : 0n, 8);
    }
    case "toupper":
      return text.toUpperCase();
    case "tolower":
      return text.toLowerCase();
    case "substr": {
      const [from, to] = [number(0), number(1)];
      return from < 0 || to < from || to >= text.length ? "" : text.slice(from, to + 1);
    }
    default:
      return null;
  }
}
