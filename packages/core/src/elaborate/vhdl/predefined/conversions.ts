import type { Val as CircuitVal } from "../circuit/circuit-base.ts";
import { extend, number, slice } from "../circuit/circuit-expr.ts";
import { extendTo } from "../circuit/circuit-pieces.ts";
import type { Val } from "../code/emit-base.ts";
import type { Shape } from "../values/shapes.ts";
import { maskOf } from "../values/values.ts";
import { type CircuitCall, type CodeCall, isArray, type Predefined } from "./call.ts";
import { lengthGiven, resized, scalarOf, vectorOf } from "./circuit-operands.ts";
import { asNumber, operand, sizeArg, vector } from "./code-operands.ts";

function resize(c: CodeCall): Val {
  const { e } = c;
  const signed = c.as.signed(0);
  const a = operand(c, 0, signed);
  const to = sizeArg(c, 1);
  if (a.known !== null && to.n !== null && a.known <= 32 && to.n <= 32 && a.known > 0 && to.n > 0) {
    if (a.known === to.n) return vector(c, to.n, "", a.first);
    const value = e.once(a.first);
    const long = `${e.rt("resizeL")}(${value.again},${a.known},${to.n},${signed})`;
    let plain: string;
    if (to.n > a.known)
      plain = signed ? `${asNumber(value.again, a.known, true)}${to.n === 32 ? "" : `&${maskOf(to.n)}`}` : value.again;
    else if (!signed) plain = `${value.again}&${maskOf(to.n)}`;
    else plain = `${value.again}&${maskOf(to.n - 1)}|${value.again}>>>${a.known - 1}<<${to.n - 1}`;
    const body = typeof c.args[0].cv === "number" ? plain : `(typeof ${value.again}==="number"?${plain}:${long})`;
    return vector(c, to.n, "", value.first === value.again ? `(${body})` : `(${value.first},${body})`);
  }
  return vector(c, to.n, to.js, `${e.rt("resizeL")}(${a.first},${a.n},${to.js},${signed})`);
}

function toVector(c: CodeCall): Val {
  const { e, args } = c;
  const to = sizeArg(c, 1);
  const [a] = args;
  if (typeof a.cv === "number" && to.n !== null) {
    const made = vector(c, to.n, "", "0");
    const value = c.e.program.runtime.fromInt(a.cv, to.n);
    return { ...made, js: e.constant(value), cv: value };
  }
  if (to.n !== null && to.n <= 32 && to.n > 0)
    return vector(c, to.n, "", to.n === 32 ? `(${a.js}|0)` : `(${a.js}&${maskOf(to.n)})`);
  return vector(c, to.n, to.js, `${e.rt("fromInt")}(${a.js},${to.js})`);
}

function toInteger(c: CodeCall): Val {
  const signed = c.as.signed(0);
  const { e, loc } = c;
  const a = operand(c, 0, signed);
  const { type } = c.sub.result!;
  const range =
    a.known !== null && a.known <= 31
      ? signed
        ? { lo: -(2 ** (a.known - 1)), hi: 2 ** (a.known - 1) - 1 }
        : { lo: 0, hi: 2 ** a.known - 1 }
      : { lo: signed ? -2147483648 : 0, hi: 2147483647 };
  const long = (p: string, n: string) => `${e.rt("toInt")}(${p},${n},${signed},${e.at(loc)})`;
  if (a.known !== null && a.known > 0 && (a.known <= 31 || (a.known === 32 && signed))) {
    const value = e.once(a.first);
    return e.scalar(
      `(typeof ${value.first}==="number"?${asNumber(value.again, a.known, signed)}:${long(value.again, String(a.known))})`,
      type,
      range.lo,
      range.hi,
    );
  }
  return e.scalar(long(a.first, a.n), type, range.lo, range.hi);
}

/** conv_*: low bits, with the sign or zeros in front; the sign is not kept when it narrows. */
function cut(c: CodeCall, signed: boolean): Val {
  const a = operand(c, 0, signed);
  const to = sizeArg(c, 1);
  return vector(c, to.n, to.js, `${c.e.rt("extend")}(${a.first},${a.n},${to.js},${signed})`);
}

// ---- circuits -----------------------------------------------------------------------------------------------------

function toIntegerCircuit(call: CircuitCall): CircuitVal {
  const { c, args, sub, as, loc } = call;
  const [a] = args;
  const shape: Shape = { k: "s", type: sub.result!.type, lo: null, hi: null };
  if (c.operators.isInteger(a)) return { ...a, shape };
  const signed = isArray(a) && as.signed(0);
  const w = Math.min(a.e.width, signed ? 32 : 31);
  const bits = slice(a.e, 0, w);
  if (w === 0) return { e: number(0, 1, loc), shape, lo: 0, hi: 0 };
  return signed
    ? { e: { ...extend(bits, w, true), signed: true }, shape, lo: -(2 ** (w - 1)), hi: 2 ** (w - 1) - 1 }
    : { e: bits, shape, lo: 0, hi: 2 ** w - 1 };
}
/** Low bits, with the sign or zeros in front. */
const cutCircuit = (call: CircuitCall, bySign: boolean): CircuitVal =>
  vectorOf(call, extendTo(call.args[0].e, lengthGiven(call, call.args[1]), bySign), true);

// ---- both ---------------------------------------------------------------------------------------------------------

export const resizing: Predefined = {
  code: resize,
  circuit: (call) => vectorOf(call, resized(call.args[0].e, lengthGiven(call, call.args[1]), call.as.signed(0))),
};
/** Of vectors, whole numbers and single bits. */
export const toWhole: Predefined = {
  code: (call) => {
    const { e, args, sub } = call;
    if (isArray(args[0])) return toInteger(call);
    const shape = e.shapes.plainShape(sub.result!.type);
    return sub.params[0].subtype.type.kind === "enum"
      ? { ...e.boolean(`${e.rt("BIT")}[${args[0].js}]===1`), shape }
      : { ...args[0], shape };
  },
  circuit: toIntegerCircuit,
};
/** A whole number as a vector. */
export const fromWhole: Predefined = { code: toVector, circuit: (call) => cutCircuit(call, call.args[0].e.signed) };
/** conv_*: of vectors, whole numbers and single bits. */
export const converted: Predefined = {
  code: (call) => {
    const { e, args, sub, as } = call;
    if (isArray(args[0])) return cut(call, as.signed(0));
    if (sub.params[0].subtype.type.kind !== "enum") return toVector(call);
    const to = sizeArg(call, 1);
    return vector(call, to.n, to.js, `${e.rt("resizeL")}(${e.rt("bit1")}(${args[0].js}),1,${to.js},false)`);
  },
  circuit: (call) => cutCircuit(call, isArray(call.args[0]) ? call.as.signed(0) : call.args[0].e.signed),
};
export const extended = (bySign: boolean): Predefined => ({
  code: (call) => cut(call, bySign),
  circuit: (call) => cutCircuit(call, bySign),
});

export const toBit: Predefined = {
  code: ({ e, args, sub }) => e.scalar(`${e.rt("toBit")}(${args[0].js},${args[1].js})`, sub.result!.type, 0, 1),
  circuit: (call) => scalarOf(call, call.args[0].e),
};
export const toBits: Predefined = {
  code: (call) => {
    const a = operand(call, 0, false);
    return vector(call, a.known, a.n, `${call.e.rt("toBits")}(${a.first},${a.n},${call.args[1].js})`);
  },
  circuit: (call) => vectorOf(call, call.args[0].e, true),
};
export const toLogic: Predefined = {
  code: ({ e, args, sub }) => e.scalar(`(2+${args[0].js})`, sub.result!.type),
  circuit: (call) => scalarOf(call, call.args[0].e),
};
/** Of another type of vectors, or a whole number (numeric_std_unsigned). */
export const toLogicVector: Predefined = {
  code: (call) => {
    if (!isArray(call.args[0])) return toVector(call);
    const a = operand(call, 0, false);
    return vector(call, a.known, a.n, a.first);
  },
  circuit: (call) =>
    isArray(call.args[0]) ? vectorOf(call, call.args[0].e, true) : cutCircuit(call, call.args[0].e.signed),
};
