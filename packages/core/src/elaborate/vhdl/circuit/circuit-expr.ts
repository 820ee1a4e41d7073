import type { Loc } from "../../../common/source.ts";
import { evaluate } from "../../evaluate.ts";
import type { Expr as ModelExpr, Signal, Value } from "../../model.ts";
import type { Shape } from "../values/shapes.ts";
import { type Bits, Codes, codesOf } from "../values/values.ts";

/** Pieces of the elaborated model, put together for VHDL's values: bits side by side, the leftmost on top. */

/** Bits that a value of this shape takes in a circuit; null for what has none. */
export function widthOf(shape: Shape): number | null {
  switch (shape.k) {
    case "s": {
      const { type } = shape;
      if (type.kind === "enum")
        return type.packing && type.packing !== "char" ? 1 : Math.max(1, Math.ceil(Math.log2(type.literals.length)));
      if (type.kind !== "int") return null;
      const [lo, hi] = integerLimits(shape);
      return integerWidth(lo, hi);
    }
    case "a": {
      const elem = widthOf(shape.elem);
      if (elem === null || shape.dims === null) return null;
      return shape.dims.reduce((product, dim) => product * dim.n, elem);
    }
    case "r": {
      let sum = 0;
      for (const field of shape.fields) {
        const width = widthOf(field);
        if (width === null) return null;
        sum += width;
      }
      return sum;
    }
    case "o":
      return null;
  }
}

export function integerLimits(shape: Shape): [number, number] {
  if (shape.k !== "s" || shape.type.kind !== "int") return [0, 0];
  const lo = typeof shape.lo === "number" ? shape.lo : shape.type.low;
  const hi = typeof shape.hi === "number" ? shape.hi : shape.type.high;
  return lo <= hi ? [Math.max(lo, -(2 ** 31)), Math.min(hi, 2 ** 32)] : [0, 0];
}
/** Bits for all numbers of a range; with a sign if some are negative. */
export function integerWidth(lo: number, hi: number): number {
  if (lo >= 0) return Math.max(1, bitsFor(hi));
  return Math.max(bitsFor(hi), bitsFor(-lo - 1)) + 1;
}
const bitsFor = (v: number): number => (v <= 0 ? 0 : Math.floor(Math.log2(v)) + 1);

/** A known value as four-state bits: weak levels count as levels, - and the rest as x. */
export function fourStateOf(v: unknown, shape: Shape): Value {
  const width = widthOf(shape) ?? 0;
  const mask = (1n << BigInt(width)) - 1n;
  switch (shape.k) {
    case "s": {
      if (shape.type.kind === "enum" && shape.type.packing === "logic") return codeValue(v as number);
      return { a: BigInt(Math.trunc(v as number)) & mask, b: 0n };
    }
    case "a": {
      if (shape.pack === "char")
        return joinValues(Array.from(v as string, (char) => [{ a: BigInt(char.charCodeAt(0)), b: 0n }, 8] as const));
      if (shape.pack) return bitsValue(v as Bits, width);
      const rest = shape.dims!.slice(1);
      const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
      return joinValues((v as unknown[]).map((each) => [fourStateOf(each, inner), widthOf(inner) ?? 0]));
    }
    case "r":
      return joinValues(shape.fields.map((field, i) => [fourStateOf((v as unknown[])[i], field), widthOf(field) ?? 0]));
    case "o":
      return { a: 0n, b: 0n };
  }
}
/** Values side by side, the first one highest: by halves, since each step takes as long as what it makes. */
export function joinValues(parts: readonly (readonly [Value, number])[], from = 0, to = parts.length): Value {
  if (to - from <= 8) {
    let a = 0n;
    let b = 0n;
    for (let i = from; i < to; i++) {
      const [value, width] = parts[i];
      a = (a << BigInt(width)) | value.a;
      b = (b << BigInt(width)) | value.b;
    }
    return { a, b };
  }
  const middle = (from + to) >> 1;
  const high = joinValues(parts, from, middle);
  const low = joinValues(parts, middle, to);
  let width = 0;
  for (let i = middle; i < to; i++) width += parts[i][1];
  return { a: (high.a << BigInt(width)) | low.a, b: (high.b << BigInt(width)) | low.b };
}
function codeValue(code: number): Value {
  if (code === 2 || code === 6) return { a: 0n, b: 0n };
  if (code === 3 || code === 7) return { a: 1n, b: 0n };
  return code === 4 ? { a: 0n, b: 1n } : { a: 1n, b: 1n };
}
function bitsValue(p: Bits, n: number): Value {
  if (typeof p === "number") return { a: BigInt(n >= 32 ? p >>> 0 : p), b: 0n };
  if (typeof p === "bigint") return { a: p, b: 0n };
  return joinValues([...codesOf(p, n)].reverse().map((code) => [codeValue(code), 1] as const));
}
/** Whether every bit of a value is unknown: a register that begins with it has no start value. */
export function isUnknown(v: unknown): boolean {
  if (v instanceof Codes) return v.c.every((code) => code === 0);
  return false;
}

// ---- expressions: what constants alone decide is worked out at once -------------------------------------------------

export function constant(value: Value, width: number, loc: Loc, signed = false): ModelExpr {
  return { op: "const", value, width, signed, loc };
}
export function number(v: number | bigint, width: number, loc: Loc, signed = false): ModelExpr {
  return constant({ a: BigInt.asUintN(width, BigInt(v)), b: 0n }, width, loc, signed);
}
/** Either value, whichever is smaller. */
export function either(width: number, loc: Loc): ModelExpr {
  const ones = (1n << BigInt(width)) - 1n;
  return constant({ a: ones, b: ones }, width, loc);
}
const isConst = (e: ModelExpr): boolean => e.op === "const";
function folded(e: ModelExpr): ModelExpr {
  if (e.width === 0) return number(0, 0, e.loc);
  const value = evaluate(e);
  return value ? constant(value, e.width, e.loc, e.signed) : e;
}
/** The number that a constant is, by its sign; null if it is none, or has unknown bits. */
export function numberOf(e: ModelExpr): number | null {
  if (e.op !== "const" || e.value.b !== 0n || e.width > 52) return null;
  return Number(e.signed ? BigInt.asIntN(e.width, e.value.a) : e.value.a);
}
export function read(signal: Signal, loc: Loc): ModelExpr {
  return { op: "signal", signal, width: signal.width, signed: signal.signed, loc };
}
export function slice(arg: ModelExpr, lsb: number, width: number): ModelExpr {
  if (lsb === 0 && width === arg.width)
    return arg.signed
      ? isConst(arg)
        ? ({ ...arg, signed: false } as ModelExpr)
        : { op: "slice", arg, lsb, width, signed: false, loc: arg.loc }
      : arg;
  if (arg.op === "const") {
    const mask = (1n << BigInt(width)) - 1n;
    return constant({ a: (arg.value.a >> BigInt(lsb)) & mask, b: (arg.value.b >> BigInt(lsb)) & mask }, width, arg.loc);
  }
  if (arg.op === "slice") return slice(arg.arg, arg.lsb + lsb, width);
  return { op: "slice", arg, lsb, width, signed: false, loc: arg.loc };
}
export function extend(arg: ModelExpr, width: number, bySign: boolean): ModelExpr {
  if (width === arg.width) {
    if (arg.signed === bySign) return arg;
    if (arg.op === "const") return { ...arg, signed: bySign };
    return { op: "extend", arg, bySign, width, signed: bySign, loc: arg.loc };
  }
  if (width < arg.width) return slice(arg, 0, width);
  if (arg.width === 0) return number(0, width, arg.loc, bySign);
  const made: ModelExpr = { op: "extend", arg, bySign, width, signed: bySign, loc: arg.loc };
  return isConst(arg) ? folded(made) : made;
}
export function binary(
  kind: (ModelExpr & { op: "binary" })["kind"],
  left: ModelExpr,
  right: ModelExpr,
  width: number,
  operandSigned: boolean,
  loc: Loc,
): ModelExpr {
  const made: ModelExpr = { op: "binary", kind, left, right, width, signed: operandSigned, operandSigned, loc };
  if (isConst(left) && isConst(right)) return folded(made);
  if (width === 1 && left.width === 1 && right.width === 1 && (kind === "and" || kind === "or")) {
    for (const [one, other] of [
      [left, right],
      [right, left],
    ]) {
      const known = numberOf(slice(one, 0, 1));
      if (known === null) continue;
      if (known === (kind === "and" ? 0 : 1)) return number(known, 1, loc);
      return slice(other, 0, 1);
    }
  }
  return made;
}
export function unary(
  kind: (ModelExpr & { op: "unary" })["kind"],
  arg: ModelExpr,
  width: number,
  signed: boolean,
  loc: Loc,
): ModelExpr {
  const made: ModelExpr = { op: "unary", kind, arg, width, signed, loc };
  return isConst(arg) ? folded(made) : made;
}
export function not(arg: ModelExpr): ModelExpr {
  return unary("not", arg, arg.width, false, arg.loc);
}
export function repeat(arg: ModelExpr, count: number, loc: Loc): ModelExpr {
  const made: ModelExpr = { op: "repeat", count, arg, width: count * arg.width, signed: false, loc };
  return isConst(arg) || count === 0 ? folded(made) : made;
}
/** Bits from a computed offset on; those outside of `arg` are unknown. */
export function stretch(arg: ModelExpr, offset: ModelExpr, width: number, loc: Loc): ModelExpr {
  const at = numberOf(offset);
  if (at !== null && at >= 0 && at + width <= arg.width) return slice(arg, at, width);
  const made: ModelExpr = { op: "dynslice", arg, offset, width, signed: false, loc };
  return isConst(arg) && isConst(offset) ? folded(made) : made;
}
export function concat(parts: readonly ModelExpr[], loc: Loc): ModelExpr {
  const live = parts.filter((part) => part.width > 0);
  if (live.length === 1) return slice(live[0], 0, live[0].width);
  if (live.length > 0 && live.every((part) => part.op === "const")) {
    const values = live.flatMap((part) => (part.op === "const" ? [[part.value, part.width] as const] : []));
    const width = live.reduce((sum, part) => sum + part.width, 0);
    return constant(joinValues(values), width, loc);
  }
  return { op: "concat", parts: live, width: live.reduce((sum, part) => sum + part.width, 0), signed: false, loc };
}
export function choose(test: ModelExpr, yes: ModelExpr, no: ModelExpr): ModelExpr {
  if (test.op === "const" && test.value.b === 0n) return test.value.a ? yes : no;
  return { op: "cond", test, yes, no, width: yes.width, signed: yes.signed && no.signed, loc: yes.loc };
}
