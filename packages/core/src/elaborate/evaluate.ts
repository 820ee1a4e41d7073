import type { AnyValue, BinaryKind, Expr, Value } from "./model.ts";

/**
 * Four-state evaluation of typed expressions on bigint (IEEE 1364-2005 clause 5). Slow and obvious: for constants, for
 * operands with unknown bits in simulation, and as the reference of tests.
 */

/** Gives what an expression reads: signals, elements, calls, system functions. null: not known here. */
export type Reader = (expr: Expr) => AnyValue | null;
const knowsNothing: Reader = () => null;

const mask = (width: number) => (1n << BigInt(width)) - 1n;
const allX = (width: number): Value => ({ a: mask(width), b: mask(width) });
const known = (a: bigint, width: number): Value => ({ a: BigInt.asUintN(width, a), b: 0n });
const toNumber = (value: bigint, signed: boolean, width: number) => (signed ? BigInt.asIntN(width, value) : value);

/** Value of an expression of bits. @returns null if something that it reads is not known. */
export function evaluate(expr: Expr, read: Reader = knowsNothing): Value | null {
  const { width } = expr;
  switch (expr.op) {
    case "const":
      return expr.value;
    case "signal":
    case "element":
    case "call":
    case "system":
    case "step":
      return read(expr) as Value | null;
    case "realconst":
    case "strconst":
      throw new Error(`A ${expr.op} has no bits.`);
    case "convert": {
      const value = evaluateAny(expr.arg, read);
      if (value === null) return null;
      if (typeof value === "number") return known(roundReal(value), width);
      if (typeof value === "string") return known(stringBits(value), width);
      return value;
    }
    case "twostate": {
      const arg = evaluate(expr.arg, read);
      return arg && { a: arg.a & ~arg.b, b: 0n };
    }
    case "repeat": {
      const arg = evaluate(expr.arg, read);
      if (!arg) return null;
      // x * 0b...0001...0001: each one puts a copy at its place
      const step = BigInt(expr.arg.width);
      const ones = ((1n << (step * BigInt(expr.count))) - 1n) / ((1n << step) - 1n);
      return { a: arg.a * ones, b: arg.b * ones };
    }
    case "slice": {
      const arg = evaluate(expr.arg, read);
      return arg && sliceValue(arg, expr.arg.width, expr.lsb, width);
    }
    case "dynslice": {
      const arg = evaluate(expr.arg, read);
      const offset = evaluate(expr.offset, read);
      if (!arg || !offset) return null;
      if (offset.b) return allX(width);
      const at = toNumber(offset.a, expr.offset.signed, expr.offset.width);
      if (at >= BigInt(expr.arg.width) || at <= -BigInt(width)) return allX(width);
      return sliceValue(arg, expr.arg.width, Number(at), width);
    }
    case "extend": {
      const arg = evaluate(expr.arg, read);
      if (!arg) return null;
      if (!expr.bySign) return { a: arg.a & mask(width), b: arg.b & mask(width) };
      const from = expr.arg.width;
      return {
        a: BigInt.asUintN(width, BigInt.asIntN(from, arg.a)),
        b: BigInt.asUintN(width, BigInt.asIntN(from, arg.b)),
      };
    }
    case "concat": {
      let a = 0n;
      let b = 0n;
      for (const part of expr.parts) {
        const value = evaluate(part, read);
        if (!value) return null;
        a = (a << BigInt(part.width)) | value.a;
        b = (b << BigInt(part.width)) | value.b;
      }
      return { a, b };
    }
    case "cond": {
      const test = evaluate(expr.test, read);
      if (!test) return null;
      const truth = truthOf(test);
      if (truth !== null) return evaluate(truth ? expr.yes : expr.no, read);
      const yes = evaluate(expr.yes, read);
      const no = evaluate(expr.no, read);
      if (!yes || !no) return null;
      const differ = yes.b | no.b | (yes.a ^ no.a);
      return { a: (yes.a & ~differ) | differ, b: differ };
    }
    case "unary": {
      const arg = evaluate(expr.arg, read);
      if (!arg) return null;
      const ones = mask(expr.arg.width);
      switch (expr.kind) {
        case "not":
          return { a: (~arg.a & ones) | arg.b, b: arg.b };
        case "neg":
          return arg.b ? allX(width) : known(-arg.a, width);
        case "lognot": {
          const truth = truthOf(arg);
          return truth === null ? allX(1) : known(truth ? 0n : 1n, 1);
        }
        case "redand":
          if ((~arg.a & ~arg.b & ones) !== 0n) return known(0n, 1);
          return arg.b ? allX(1) : known(1n, 1);
        case "redor":
          if ((arg.a & ~arg.b) !== 0n) return known(1n, 1);
          return arg.b ? allX(1) : known(0n, 1);
        case "redxor":
          return arg.b ? allX(1) : known(BigInt(arg.a.toString(2).replaceAll("0", "").length & 1), 1);
      }
      break;
    }
    case "binary": {
      if (expr.left.form) return compareForms(expr, read);
      const left = evaluate(expr.left, read);
      if (!left) return null;
      // what decides by its left operand alone leaves the right one alone (IEEE 1800-2017 clause 11.3.5)
      if (expr.kind === "logand" && truthOf(left) === false) return known(0n, 1);
      if (expr.kind === "logor" && truthOf(left) === true) return known(1n, 1);
      const right = evaluate(expr.right, read);
      return right && binaryValue(expr.kind, left, right, expr);
    }
  }
}

/** Value of an expression of any form: bits, a real as number, a string. */
export function evaluateAny(expr: Expr, read: Reader = knowsNothing): AnyValue | null {
  if (expr.form === "real") return evaluateReal(expr, read);
  if (expr.form === "string") return evaluateString(expr, read);
  return evaluate(expr, read);
}

function evaluateReal(expr: Expr, read: Reader = knowsNothing): number | null {
  switch (expr.op) {
    case "realconst":
      return expr.value;
    case "convert": {
      const value = evaluateAny(expr.arg, read);
      if (value === null || typeof value === "number") return value;
      if (typeof value === "string") return Number.parseFloat(value) || 0;
      // bits that are x or z count as 0 (IEEE 1364-2005 clause 4.8.2)
      return Number(toNumber(value.a & ~value.b, expr.arg.signed, expr.arg.width));
    }
    case "unary": {
      const arg = evaluateReal(expr.arg, read);
      return arg === null ? null : -arg;
    }
    case "cond": {
      const test = evaluate(expr.test, read);
      if (!test) return null;
      return evaluateReal(truthOf(test) ? expr.yes : expr.no, read);
    }
    case "binary": {
      const left = evaluateReal(expr.left, read);
      const right = evaluateReal(expr.right, read);
      if (left === null || right === null) return null;
      return realBinary(expr.kind, left, right);
    }
    default:
      return read(expr) as number | null;
  }
}

function realBinary(kind: BinaryKind, left: number, right: number): number {
  switch (kind) {
    case "add":
      return left + right;
    case "sub":
      return left - right;
    case "mul":
      return left * right;
    case "div":
      return left / right;
    case "mod":
      return left % right;
    default:
      return left ** right;
  }
}

function evaluateString(expr: Expr, read: Reader = knowsNothing): string | null {
  switch (expr.op) {
    case "strconst":
      return expr.value;
    case "convert": {
      const value = evaluateAny(expr.arg, read);
      if (value === null || typeof value === "string") return value;
      return typeof value === "number" ? String(value) : bitsString(value);
    }
    case "concat": {
      let text = "";
      for (const part of expr.parts) {
        const value = evaluateString(part, read);
        if (value === null) return null;
        text += value;
      }
      return text;
    }
    case "cond": {
      const test = evaluate(expr.test, read);
      if (!test) return null;
      return evaluateString(truthOf(test) ? expr.yes : expr.no, read);
    }
    default:
      return read(expr) as string | null;
  }
}

function compareForms(expr: Expr & { op: "binary" }, read: Reader): Value | null {
  const left = evaluateAny(expr.left, read);
  const right = evaluateAny(expr.right, read);
  if (left === null || right === null) return null;
  return known(compareValues(expr.kind, left as number, right as number) ? 1n : 0n, 1);
}

/** Comparison of two reals or two strings. */
function compareValues<T extends number | string>(kind: BinaryKind, left: T, right: T): boolean {
  switch (kind) {
    case "eq":
    case "ceq":
    case "weq":
      return left === right;
    case "ne":
    case "cne":
    case "wne":
      return left !== right;
    case "lt":
      return left < right;
    case "le":
      return left <= right;
    case "gt":
      return left > right;
    default:
      return left >= right;
  }
}

/** To the nearest integer, halves away from zero (IEEE 1364-2005 clause 4.8.2). */
export function roundReal(value: number): bigint {
  if (!Number.isFinite(value)) return 0n;
  return BigInt(value < 0 ? -Math.round(-value) : Math.round(value));
}

/** Characters as bytes, the first one highest. */
export function stringBits(text: string): bigint {
  if (text === "") return 0n;
  let hex = "0x";
  for (let i = 0; i < text.length; i++) hex += (text.charCodeAt(i) & 255).toString(16).padStart(2, "0");
  return BigInt(hex);
}

/** Bytes as characters; zero bytes are left out (IEEE 1800-2017 clause 6.16). */
export function bitsString(value: Value): string {
  let text = "";
  const known = value.a & ~value.b;
  let hex = known.toString(16);
  if (hex.length & 1) hex = `0${hex}`;
  for (let i = 0; i < hex.length; i += 2) {
    const code = Number.parseInt(hex.slice(i, i + 2), 16);
    if (code) text += String.fromCharCode(code);
  }
  return text;
}

function sliceValue(arg: Value, argWidth: number, lsb: number, width: number): Value {
  // bits beyond either end are x
  const fill = mask(Math.max(argWidth, lsb + width, 1)) ^ mask(argWidth);
  let a = arg.a | fill;
  let b = arg.b | fill;
  if (lsb >= 0) [a, b] = [a >> BigInt(lsb), b >> BigInt(lsb)];
  else {
    const low = mask(-lsb);
    a = (a << BigInt(-lsb)) | low;
    b = (b << BigInt(-lsb)) | low;
  }
  return { a: a & mask(width), b: b & mask(width) };
}

/** True, false, or null when it cannot be told: some bit is x or z and none is 1. */
export function truthOf(value: Value): boolean | null {
  if ((value.a & ~value.b) !== 0n) return true;
  return value.b ? null : false;
}

function binaryValue(kind: BinaryKind, left: Value, right: Value, expr: Expr & { op: "binary" }): Value {
  const { width } = expr;
  const one = (truth: boolean) => known(truth ? 1n : 0n, 1);
  const unknown = left.b !== 0n || right.b !== 0n;
  switch (kind) {
    case "and": {
      const zero = (~left.a & ~left.b) | (~right.a & ~right.b);
      const b = (left.b | right.b) & ~zero & mask(width);
      return { a: (left.a & right.a & ~zero & mask(width)) | b, b };
    }
    case "or": {
      const set = (left.a & ~left.b) | (right.a & ~right.b);
      const b = (left.b | right.b) & ~set;
      return { a: left.a | right.a | set | b, b };
    }
    case "xor": {
      const b = left.b | right.b;
      return { a: (left.a ^ right.a) | b, b };
    }
    case "logand": {
      const [l, r] = [truthOf(left), truthOf(right)];
      if (l === false || r === false) return one(false);
      return l && r ? one(true) : allX(1);
    }
    case "logor": {
      const [l, r] = [truthOf(left), truthOf(right)];
      if (l || r) return one(true);
      return l === false && r === false ? one(false) : allX(1);
    }
    case "ceq":
      return one(left.a === right.a && left.b === right.b);
    case "cne":
      return one(left.a !== right.a || left.b !== right.b);
    case "weq":
    case "wne": {
      // x and z on the right match anything (IEEE 1800-2017 clause 11.4.6)
      const care = ~right.b & mask(expr.left.width);
      if (((left.a ^ right.a) & care & ~left.b) !== 0n) return one(kind === "wne");
      return left.b & care ? allX(1) : one(kind === "weq");
    }
    case "eq":
    case "ne": {
      const known01 = ~(left.b | right.b);
      if (((left.a ^ right.a) & known01) !== 0n) return one(kind === "ne");
      return unknown ? allX(1) : one(kind === "eq");
    }
    case "shl":
    case "shr":
    case "sshr": {
      if (right.b) return allX(width);
      const by = right.a > BigInt(width) ? BigInt(width) : right.a;
      if (kind === "shl") return { a: (left.a << by) & mask(width), b: (left.b << by) & mask(width) };
      const signed = kind === "sshr" && expr.operandSigned;
      const shift = (v: bigint) => BigInt.asUintN(width, (signed ? BigInt.asIntN(width, v) : v) >> by);
      return { a: shift(left.a), b: shift(left.b) };
    }
  }
  if (unknown) return allX(width);
  const operand = expr.left.width;
  const l = toNumber(left.a, expr.operandSigned, operand);
  const r = toNumber(right.a, kind === "pow" ? expr.right.signed : expr.operandSigned, expr.right.width);
  switch (kind) {
    case "lt":
      return one(l < r);
    case "le":
      return one(l <= r);
    case "gt":
      return one(l > r);
    case "ge":
      return one(l >= r);
    case "add":
      return known(l + r, width);
    case "sub":
      return known(l - r, width);
    case "mul":
      return known(l * r, width);
    case "div":
      return r === 0n ? allX(width) : known(l / r, width);
    case "mod":
      return r === 0n ? allX(width) : known(l % r, width);
    case "pow":
      return powValue(l, r, width);
    default:
      throw new Error(`binary ${kind}`);
  }
}

/** IEEE 1364-2005 table 5-6. */
function powValue(base: bigint, exponent: bigint, width: number): Value {
  if (exponent < 0n) {
    if (base === 0n) return allX(width);
    if (base === 1n) return known(1n, width);
    if (base === -1n) return known(exponent % 2n === 0n ? 1n : -1n, width);
    return known(0n, width);
  }
  let result = 1n;
  let square = BigInt.asUintN(width, base);
  for (let e = exponent; e > 0n; e >>= 1n) {
    if (e & 1n) result = BigInt.asUintN(width, result * square);
    square = BigInt.asUintN(width, square * square);
  }
  return known(result, width);
}
