import { type Bits, bit0, bit1, bitX } from "../../netlist/rtl.ts";
import { numberOf, type RtlBuilder } from "../../netlist/rtl-builder.ts";
import type { Expr, Signal, Subroutine, Target } from "../model.ts";
import type { Report } from "../report.ts";
import { systemFunctions } from "../system-functions.ts";

/** How an expression sees the signals it reads, and how a function body is run on bits. */
export interface Reader {
  read(signal: Signal): Bits;
  element(signal: Signal, index: readonly Expr[]): Bits;
  call(func: Subroutine, args: readonly (Expr | Target)[]): Bits;
  step(expr: Expr & { op: "step" }): Bits;
  unsynthesizable(loc: Expr["loc"], what: string): void;
}

/** Typed expression to bits: one cell or more for each operator that constants do not decide. */
export function lowerExpr(expr: Expr, rtl: RtlBuilder, reader: Reader, report: Report): Bits {
  // the innermost operator first, in a loop: sums may have thousands of terms
  const chain: Expr[] = [expr];
  for (let at = firstOperand(expr); at && firstOperand(at); at = firstOperand(at)) chain.push(at);
  let below: Below = null;
  for (let i = chain.length; i-- > 0; ) below = { of: chain[i], bits: lowerOne(chain[i], below, rtl, reader, report) };
  return below!.bits;
}

/** What was lowered already: the first operand of the operator above it. */
type Below = { readonly of: Expr; readonly bits: Bits } | null;

/** What an operator lowers before all else; null if there is none. */
function firstOperand(expr: Expr): Expr | null {
  if (expr.form) return null;
  switch (expr.op) {
    case "binary":
      return expr.left.form ? null : expr.left;
    case "unary":
    case "extend":
    case "slice":
    case "twostate":
      return expr.arg;
    default:
      return null;
  }
}

function lowerOne(expr: Expr, below: Below, rtl: RtlBuilder, reader: Reader, report: Report): Bits {
  const lower = (inner: Expr) => (below?.of === inner ? below.bits : lowerExpr(inner, rtl, reader, report));
  const { width } = expr;
  const none = (what: string) => {
    reader.unsynthesizable(expr.loc, what);
    return new Array<number>(width).fill(bitX);
  };
  if (expr.form) return none(`A value of type ${expr.form}`);
  switch (expr.op) {
    case "const":
      return rtl.constant(expr.value, width);
    case "realconst":
    case "strconst":
      return [];
    case "convert":
      return none(`Converting a ${expr.arg.form}`);
    case "twostate":
      return lower(expr.arg);
    case "repeat": {
      const arg = lower(expr.arg);
      return Array.from({ length: expr.count }, () => arg).flat();
    }
    case "signal":
      if (expr.signal.width === 0) return none(`A value of type ${expr.signal.type.kind}`);
      return reader.read(expr.signal);
    case "element":
      return reader.element(expr.signal, expr.index);
    case "step":
      return reader.step(expr);
    case "system":
      return (
        lowerSystem(expr, rtl, lower) ??
        none(expr.name.startsWith("container.") ? "A dynamic array or queue" : expr.name)
      );
    case "slice": {
      const arg = lower(expr.arg);
      return Array.from({ length: width }, (_, i) => arg[expr.lsb + i] ?? bitX);
    }
    case "dynslice": {
      let arg = lower(expr.arg);
      let offset = lower(expr.offset);
      if (expr.offset.signed) {
        // room below bit 0, so that a negative offset reads what lies there
        arg = [...new Array<number>(width).fill(bit0), ...arg];
        const wide = Math.max(offset.length, width.toString(2).length) + 1;
        offset = rtl.arithmetic(
          "add",
          extendBits(offset, wide, true),
          rtl.constant({ a: BigInt(width), b: 0n }, wide),
          false,
        );
      }
      return rtl.shift("shr", arg.length < width ? extendBits(arg, width, false) : arg, offset).slice(0, width);
    }
    case "extend":
      return extendBits(lower(expr.arg), width, expr.bySign);
    case "concat":
      return [...expr.parts].reverse().flatMap((part) => [...lower(part)]);
    case "cond": {
      const [test] = lower(expr.test);
      // what a constant rules out is not looked at: recursion ends by it
      if (test === bit1) return lower(expr.yes);
      if (test === bit0) return lower(expr.no);
      return rtl.mux(test, lower(expr.yes), lower(expr.no));
    }
    case "unary": {
      const arg = lower(expr.arg);
      switch (expr.kind) {
        case "not":
          return rtl.not(arg);
        case "neg":
          return rtl.arithmetic("sub", new Array<number>(width).fill(bit0), arg, false);
        case "lognot":
          return rtl.not([rtl.reduce("redor", arg)]);
        default:
          return [rtl.reduce(expr.kind, arg)];
      }
    }
    case "binary":
      if (expr.left.form) return none(`Comparing values of type ${expr.left.form}`);
      if (expr.kind === "logand" || expr.kind === "logor") {
        const left = lower(expr.left);
        const decides = expr.kind === "logand" ? left.every((bit) => bit === bit0) : left.includes(bit1);
        if (decides) return [expr.kind === "logand" ? bit0 : bit1];
        return lowerBinary(expr, left, lower(expr.right), rtl, report);
      }
      return lowerBinary(expr, lower(expr.left), lower(expr.right), rtl, report);
    case "call":
      return expr.func.suspends ? none(`'${expr.func.name}', which waits,`) : reader.call(expr.func, expr.args);
  }
}

export function extendBits(bits: Bits, width: number, bySign: boolean): Bits {
  if (bits.length >= width) return bits.slice(0, width);
  const fill = bySign ? bits[bits.length - 1] : bit0;
  return [...bits, ...new Array<number>(width - bits.length).fill(fill)];
}

function lowerBinary(expr: Expr & { op: "binary" }, a: Bits, b: Bits, rtl: RtlBuilder, report: Report): Bits {
  const signed = expr.operandSigned;
  switch (expr.kind) {
    case "and":
    case "logand":
      return rtl.and(a, b);
    case "or":
    case "logor":
      return rtl.or(a, b);
    case "xor":
      return rtl.xor(a, b);
    case "add":
    case "sub":
    case "mul":
    case "div":
    case "mod":
      return rtl.arithmetic(expr.kind, a, b, signed);
    case "shl":
    case "shr":
      return rtl.shift(expr.kind, a, b);
    case "sshr":
      return rtl.shift(signed ? "sshr" : "shr", a, b);
    case "eq":
    case "ceq":
    case "weq":
      return [rtl.eq(a, b)];
    case "ne":
    case "cne":
    case "wne":
      return rtl.not([rtl.eq(a, b)]);
    case "lt":
      return [rtl.lt(a, b, signed)];
    case "gt":
      return [rtl.lt(b, a, signed)];
    case "le":
      return rtl.not([rtl.lt(b, a, signed)]);
    case "ge":
      return rtl.not([rtl.lt(a, b, signed)]);
    case "pow":
      return lowerPower(expr, a, b, rtl, report);
  }
}

/** Square and multiply, one squaring for each bit of the exponent (Knuth, TAOCP vol. 2, 4.6.3, algorithm A). */
function lowerPower(expr: Expr & { op: "binary" }, base: Bits, exponent: Bits, rtl: RtlBuilder, report: Report): Bits {
  const { width } = expr;
  const one = rtl.constant({ a: 1n, b: 0n }, width);
  const zero = new Array<number>(width).fill(bit0);
  const baseValue = numberOf(base);
  const negative = expr.right.signed ? exponent[exponent.length - 1] : bit0;
  if (baseValue === 2n && width > 2 && negative === bit0) return rtl.shift("shl", one, exponent);
  if (exponent.length > 8 && numberOf(exponent) === null) {
    report.warn(
      "verilog/large-power",
      expr.loc,
      `A power with an exponent of ${exponent.length} bits makes ${exponent.length} squarings of ${width} bits.`,
      "Narrow the exponent to the bits that are used.",
    );
  }
  let result: Bits = one;
  let square = base;
  const magnitude = expr.right.signed ? exponent.slice(0, -1) : exponent;
  magnitude.forEach((bit, i) => {
    if (bit !== bit0) result = rtl.mux(bit, rtl.arithmetic("mul", result, square, false), result);
    if (i + 1 < magnitude.length && magnitude.slice(i + 1).some((later) => later !== bit0))
      square = rtl.arithmetic("mul", square, square, false);
  });
  if (negative === bit0) return result;
  // negative exponents (IEEE 1364-2005 table 5-6): 1 stays 1, -1 alternates, all others vanish
  const isOne = rtl.eq(base, one);
  const ones = new Array<number>(width).fill(bit1);
  const isMinusOne = expr.operandSigned ? rtl.eq(base, ones) : bit0;
  const alternate = rtl.mux(exponent[0], ones, one);
  return rtl.mux(negative, rtl.mux(isOne, one, rtl.mux(isMinusOne, alternate, zero)), result);
}

/** The functions that have a circuit; null for what needs a simulation. */
function lowerSystem(expr: Expr & { op: "system" }, rtl: RtlBuilder, lower: (expr: Expr) => Bits): Bits | null {
  const [arg] = expr.args;
  if (arg?.kind !== "expr" || arg.expr.form) return null;
  const { circuit } = systemFunctions[expr.name] ?? {};
  return circuit ? circuit(lower(arg.expr), rtl) : null;
}
