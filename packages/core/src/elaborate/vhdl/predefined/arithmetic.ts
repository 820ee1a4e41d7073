import { quoted } from "../../../common/generated-code.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import { binary, choose, number, slice, unary } from "../circuit/circuit-expr.ts";
import { extendTo } from "../circuit/circuit-pieces.ts";
import type { Val } from "../code/emit-base.ts";
import { wrapped } from "../code/emit-text.ts";
import type { ArrayShape, Shape } from "../values/shapes.ts";
import { maskOf } from "../values/values.ts";
import { type CircuitCall, type CodeCall, isArray, type Predefined } from "./call.ts";
import { asNumbers, resized, scalarOf, vectorOf } from "./circuit-operands.ts";
import { after, asNumber, lookedAtOnce, type Operand, operand, vector } from "./code-operands.ts";
import { lengthRule, resultLength } from "./lengths.ts";

/** + - and abs of one array. */
function signChange(c: CodeCall, op: string): Val {
  const { e, args } = c;
  const a = operand(c, 0, true);
  if (op === "+") return { ...args[0], shape: resultOf(c, args[0]) };
  // minus and abs
  if (a.known !== null && a.known <= 32 && a.known > 0) {
    const value = e.once(a.p);
    const number = asNumber(value.again, a.known, true);
    const body = op === "abs" ? `Math.abs(${number})` : `-${number}`;
    const mask = a.known === 32 ? "|0" : `&${maskOf(a.known)}`;
    return vector(
      c,
      a.known,
      "",
      `(typeof ${value.first}==="number"?${wrapped(body)}${mask}:${e.rt("allOf")}(1,${a.known}))`,
    );
  }
  const first = e.once(a.first);
  return vector(c, a.known, a.n, `${e.rt(op === "abs" ? "absL" : "negL")}(${first.first},${a.n})`);
}

/**
 * Length of what two operands give, known or as code.
 * @param more Bits that the sign of an operand needs besides its own.
 */
function lengthOf(c: CodeCall, op: string, a: Operand, b: Operand, more: (o: Operand, i: number) => number = () => 0) {
  const rule = lengthRule(op, a.isInt, b.isInt);
  const needsLeft = !/own right|twice right/.test(rule);
  const needsRight = !/own left|twice left/.test(rule);
  const [an, bn] = [a, b].map((o, i) => (o.known === null ? null : o.known + more(o, i)));
  const n = (needsLeft && an === null) || (needsRight && bn === null) ? null : resultLength(rule, an ?? 0, bn ?? 0);
  if (n !== null) return { n, nJs: String(n) };
  const [left, right] = [a, b].map((o, i) => (more(o, i) ? `(${o.n}+${more(o, i)})` : o.n));
  if (rule === "own left" || rule === "own right") return { n, nJs: rule === "own left" ? left : right };
  return { n, nJs: `${c.e.rt("resultLength")}(${quoted(rule)},${left},${right})` };
}

/** + - * / mod rem of arrays and numbers. */
function arithmetic(c: CodeCall, op: string): Val {
  const { e, args, loc } = c;
  const signed = c.as.anySigned;
  if (args.length === 1) return signChange(c, op);
  const left = operand(c, 0, signed);
  const right = operand(c, 1, signed);
  // a single bit is a number of one bit
  const bitOperand = (o: Operand, i: number): Operand => {
    if (!o.isInt || c.sub.params[i].subtype.type.kind !== "enum") return o;
    const js = `${e.rt("bit1")}(${o.val.js})`;
    const once = e.once(js);
    return { ...o, first: once.first, p: once.again, n: "1", known: 1, isInt: false, signed: false };
  };
  const a = bitOperand(left, 0);
  const b = bitOperand(right, 1);
  const extra = (o: Operand, i: number): number => {
    // an unsigned operand beside a signed one needs a bit for its sign
    return c.as.mixes && signed && !o.isInt && isArray(o.val) && !c.as.signed(i) ? 1 : 0;
  };
  // a single bit is never below 0, and is no longer for that
  const room = (o: Operand, i: number): number => (signed && !o.isInt && !isArray(o.val) ? 1 : extra(o, i));
  const { n, nJs } = lengthOf(c, op, a, b, extra);
  const place = e.at(loc);
  const divides = op === "/" || op === "mod" || op === "rem";
  // a whole number takes part with the length of the other operand, which is what numeric_std says
  const wide = (o: Operand, other: Operand): { first: string; p: string; n: string } => {
    if (!o.isInt) {
      const more = room(o, o === a ? 0 : 1);
      if (!more) return o;
      const n = o.known !== null ? String(o.known + 1) : `(${o.n}+1)`;
      const js = (p: string) => `${e.rt("resizeL")}(${p},${o.n},${n},false)`;
      return { first: js(o.first), p: js(o.p), n };
    }
    // but for division, which takes it whole
    const size =
      other.known !== null
        ? String(divides ? Math.max(other.known, 33) : other.known)
        : divides
          ? `Math.max(${other.n},33)`
          : other.n;
    const js = `${e.rt("intBits")}(${o.val.js},${size})`;
    return { first: js, p: js, n: size };
  };
  const slow = (): string => {
    const x = wide(a, b);
    const y = wide(b, a);
    if (divides && (a.isInt || b.isInt)) {
      const most = n !== null ? String(Math.max(n, 33)) : `Math.max(${nJs},33)`;
      const made = (p: string) => `${e.rt("resizeL")}(${p},${most},${nJs},${signed})`;
      if (a.isInt && b.known === null)
        return `${e.rt("flip")}(${b.first},${b.n},(p)=>${made(`${e.rt("arith")}(${quoted(op)},${x.p},${x.n},p,${y.n},${most},${signed},${place})`)})`;
      return made(`${e.rt("arith")}(${quoted(op)},${x.first},${x.n},${y.first},${y.n},${most},${signed},${place})`);
    }
    if (a.isInt && b.known === null)
      return `${e.rt("flip")}(${b.first},${b.n},(p)=>${e.rt("arith")}(${quoted(op)},${x.p},${x.n},p,${y.n},${nJs},${signed},${place}))`;
    return `${e.rt("arith")}(${quoted(op)},${x.first},${x.n},${y.first},${y.n},${nJs},${signed},${place})`;
  };
  if (
    n !== null &&
    n <= 32 &&
    n > 0 &&
    (a.isInt || a.known! <= 32) &&
    (b.isInt || b.known! <= 32) &&
    (op === "+" || op === "-" || op === "*")
  ) {
    const x = e.once(a.first);
    const y = e.once(b.first);
    const number = (o: Operand, js: string, i: number): string => {
      if (o.isInt) {
        const { known } = o === a ? b : a;
        if (op !== "*" || known === null || known >= 32) return wrapped(js);
        // cut to the other operand's length, which sums are anyway
        return signed ? `(${wrapped(js)}<<${32 - known}>>${32 - known})` : `(${wrapped(js)}&${maskOf(known)})`;
      }
      const isUnsigned = !signed || extra(o, i) === 1 || !o.signed;
      return isUnsigned ? (o.known! >= 32 ? `(${js}>>>0)` : js) : o.known! < n! ? asNumber(js, o.known!, true) : js;
    };
    const l = number(a, x.again, 0);
    const r = number(b, y.again, 1);
    const mask = n === 32 ? "|0" : `&${maskOf(n)}`;
    const body =
      op === "*" ? (n === 32 ? `Math.imul(${l},${r})` : `Math.imul(${l},${r})${mask}`) : `(${l}${op}${r})${mask}`;
    const tests = [
      ...(a.isInt || typeof a.val.cv === "number" ? [] : [`typeof ${x.again}==="number"`]),
      ...(b.isInt || typeof b.val.cv === "number" ? [] : [`typeof ${y.again}==="number"`]),
    ];
    const before = [x, y].filter((each) => each.first !== each.again).map((each) => each.first);
    // L and H are numbers too: the long way looks at them
    const long = tests.length ? `(${tests.join("&&")}?${body}:${slowOf()})` : `(${body})`;
    function slowOf(): string {
      const more = (o: Operand): number => room(o, o === a ? 0 : 1);
      const size = (o: Operand, other: Operand): string => String(o.isInt ? other.known : o.known! + more(o));
      const wideJs = (o: Operand, js: string, other: Operand): string =>
        o.isInt
          ? `${e.rt("intBits")}(${js},${other.known})`
          : more(o)
            ? `${e.rt("resizeL")}(${js},${o.known},${o.known! + 1},false)`
            : js;
      return `${e.rt("arith")}(${quoted(op)},${wideJs(a, x.again, b)},${size(a, b)},${wideJs(b, y.again, a)},${size(b, a)},${n},${signed},${place})`;
    }
    return vector(c, n, nJs, before.length ? `(${before.join(",")},${long})` : long);
  }
  return vector(c, n, nJs, slow());
}

function resultOf(c: CodeCall, val: Val): Shape {
  const base = c.e.shapes.plainShape(c.sub.result!.type) as ArrayShape;
  return val.shape.k === "a" && val.shape.dims
    ? { ...base, dims: [{ l: val.shape.dims[0].n - 1, d: 1, n: val.shape.dims[0].n }] }
    : base;
}

function comparison(c: CodeCall, op: string): Val {
  const { e } = c;
  const a = operand(c, 0, c.as.signed(0));
  const b = operand(c, 1, c.as.signed(1));
  const js = op === "=" ? "===" : op === "/=" ? "!==" : op;
  if (
    (a.isInt || (a.known !== null && a.known <= 32 && a.known > 0)) &&
    (b.isInt || (b.known !== null && b.known <= 32 && b.known > 0))
  ) {
    const x = e.once(a.first);
    const y = e.once(b.first);
    const mixed = !a.isInt && !b.isInt && a.signed !== b.signed;
    const sameWidth = !a.isInt && !b.isInt && a.known === b.known && !mixed;
    const number = (o: Operand, name: string): string => {
      if (o.isInt) return wrapped(name);
      if (sameWidth && (op === "=" || op === "/=")) return name;
      return asNumber(name, o.known!, o.signed);
    };
    const body = `${number(a, x.again)}${js}${number(b, y.again)}`;
    const tests = [
      ...(a.isInt || typeof a.val.cv === "number" ? [] : [`typeof ${x.again}==="number"`]),
      ...(b.isInt || typeof b.val.cv === "number" ? [] : [`typeof ${y.again}==="number"`]),
    ];
    const before = [x, y].filter((each) => each.first !== each.again).map((each) => each.first);
    const long = `${e.rt("compareMixed")}(${x.again},${a.isInt ? -1 : a.known},${a.signed},${y.again},${b.isInt ? -1 : b.known},${b.signed})${op === "=" ? "===" : op === "/=" ? "!==" : op}0`;
    const test = tests.length ? `(${tests.join("&&")}?${body}:${long})` : body;
    return e.boolean(before.length ? `(${before.join(",")},${test})` : test);
  }
  return e.boolean(
    `${e.rt("compareMixed")}(${a.first},${a.isInt ? -1 : a.n},${a.signed},${b.first},${b.isInt ? -1 : b.n},${b.signed})${js}0`,
  );
}

function matching(c: CodeCall, op: string): Val {
  const { e } = c;
  const signed = c.as.anySigned;
  const { call, before } = lookedAtOnce(c);
  const [a, b] = [operand(call, 0, signed), operand(call, 1, signed)];
  const wide = (o: Operand, other: Operand) => (o.isInt ? `${e.rt("intBits")}(${o.val.js},${other.n})` : o.p);
  const n = (o: Operand, other: Operand) => (o.isInt ? other.n : o.n);
  const js = `${e.rt("matchNumbers")}(${quoted(op)},${wide(a, b)},${n(a, b)},${wide(b, a)},${n(b, a)},${signed})`;
  return e.scalar(after(before, js), c.sub.result!.type);
}

/** The lesser or the greater one, in the length of the longer. */
function extreme(c: CodeCall, name: "minimum" | "maximum"): Val {
  const { e } = c;
  const signed = c.as.anySigned;
  const { call, before, name: nameOf } = lookedAtOnce(c);
  const [a, b] = [operand(call, 0, signed), operand(call, 1, signed)];
  const { n, nJs } = lengthOf(call, name, a, b);
  const length = nameOf(nJs);
  const test = e.test(comparison(call, "<"));
  const [l, r] = [a, b].map((o) =>
    o.isInt ? `${e.rt("intBits")}(${o.val.js},${length})` : `${e.rt("resizeL")}(${o.p},${o.n},${length},${signed})`,
  );
  const chosen = name === "minimum" ? `(${test}?${l}:${r})` : `(${test}?${r}:${l})`;
  return vector(call, n, length, after(before, chosen));
}

// ---- circuits -----------------------------------------------------------------------------------------------------

function arithmeticCircuit(call: CircuitCall, op: string): ModelExpr {
  const { args, sub, as, loc, c } = call;
  const [a, b] = args;
  if (args.length === 1) {
    const n = a.e.width;
    if (op === "+" || n === 0) return a.e;
    const negative = unary("neg", a.e, n, true, loc);
    return op === "-" ? negative : choose(slice(a.e, n - 1, 1), negative, a.e);
  }
  const isBit = (i: number) => args[i].shape.k === "s" && sub.params[i].subtype.type.kind === "enum";
  const signed = args.some((arg, i) => isArray(arg) && as.signed(i));
  const extra = (i: number) => (as.mixes && signed && isArray(args[i]) && !as.signed(i) ? 1 : 0);
  const sizes = args.map((arg, i) => (isArray(arg) ? arg.e.width + extra(i) : isBit(i) ? 1 : 0));
  const signOf = (i: number) => (isArray(args[i]) ? as.signed(i) : isBit(i) ? false : args[i].e.signed);
  const isWhole = (i: number) => !isArray(args[i]) && !isBit(i);
  const n = resultLength(lengthRule(op, isWhole(0), isWhole(1)), sizes[0], sizes[1]);
  if (n === 0) return number(0, 0, loc);
  if (op === "+" || op === "-" || op === "*") {
    // a whole number is cut to the other operand's length first
    const own = (i: number) => (!isWhole(i) || op !== "*" ? args[i].e : extendTo(args[i].e, sizes[1 - i], signOf(i)));
    const x = extendTo(own(0), n, signOf(0));
    const y = extendTo(own(1), n, signOf(1));
    return binary(op === "+" ? "add" : op === "-" ? "sub" : "mul", x, y, n, signed, loc);
  }
  // a quotient needs both operands whole
  const [x, y, wideSigned] = asNumbers(a, b, signOf(0), signOf(1));
  const { width } = x;
  const fitted = (e: ModelExpr) =>
    isArray(args[0]) && isArray(args[1]) ? extendTo(e, n, signed) : resized(e, n, signed);
  if (op === "/") return fitted(binary("div", x, y, width, wideSigned, loc));
  const remainder = binary("mod", x, y, width, wideSigned, loc);
  return fitted(op === "mod" && wideSigned ? c.integers.floorMod(remainder, y, width, loc) : remainder);
}

const orders = { "=": "eq", "/=": "ne", "<": "lt", "<=": "le", ">": "gt", ">=": "ge" } as const;

function comparisonCircuit({ args: [a, b], as, loc }: CircuitCall, op: keyof typeof orders): ModelExpr {
  const [x, y, signed] = asNumbers(a, b, as.signed(0), as.signed(1));
  return binary(orders[op], x, y, 1, signed, loc);
}

function extremeCircuit(call: CircuitCall, name: string): ModelExpr {
  const { args, as } = call;
  const [a, b] = args;
  const [x, y, signed] = asNumbers(a, b, as.signed(0), as.signed(1));
  const n = resultLength(lengthRule(name, !isArray(a), !isArray(b)), a.e.width, b.e.width);
  if (n === 0) return number(0, 0, call.loc);
  const test = comparisonCircuit(call, "<");
  return extendTo(choose(test, name === "minimum" ? x : y, name === "minimum" ? y : x), n, signed);
}

// ---- both ---------------------------------------------------------------------------------------------------------

export const arithmeticOperator = (op: string): Predefined => ({
  code: (call) => arithmetic(call, op),
  circuit: (call) => vectorOf(call, arithmeticCircuit(call, op)),
});

export const comparisonOperator = (op: keyof typeof orders): Predefined => ({
  code: (call) => comparison(call, op),
  circuit: (call) => scalarOf(call, comparisonCircuit(call, op)),
});

/** Operands of one length: a whole number beside a vector is cut to its length, as the package does it. */
export function matchingOperands(call: CircuitCall): CircuitCall {
  const { args, as } = call;
  const vectors = args.filter(isArray);
  if (vectors.length === 0) return call;
  const width = Math.max(...vectors.map(({ e }) => e.width));
  const made = args.map((arg) => {
    const bySign = isArray(arg) ? as.anySigned : arg.e.signed;
    return arg.e.width === width && isArray(arg) ? arg : { e: extendTo(arg.e, width, bySign), shape: vectors[0].shape };
  });
  return { ...call, args: made, as: { ...as, signed: () => as.anySigned } };
}

/** `?<` and its kin of numbers: X where an operand is no number. In a circuit all bits are 0 or 1. */
export const matchingOrder = (op: "<" | "<=" | ">" | ">="): Predefined => ({
  code: (call) => matching(call, `?${op}`),
  circuit: (call) => scalarOf(call, comparisonCircuit(matchingOperands(call), op)),
});

export const matchingNumbers =
  (op: "?=" | "?/="): Predefined["code"] =>
  (call) =>
    matching(call, op);

export const extremeFunction = (name: "minimum" | "maximum"): Predefined => ({
  code: (call) => extreme(call, name),
  circuit: (call) => vectorOf(call, extremeCircuit(call, name)),
});
