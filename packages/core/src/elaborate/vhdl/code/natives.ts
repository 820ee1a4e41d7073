import { quoted } from "../../../common/generated-code.ts";
import type { Loc } from "../../../common/source.ts";
import type { Subprogram } from "../bound.ts";
import type { VType } from "../types.ts";
import type { ArrayShape, Bounds, Shape } from "../values/shapes.ts";
import { maskOf } from "../values/values.ts";
import type { PlainBit, Val } from "./emit-base.ts";
import { wrapped } from "./emit-text.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/**
 * Functions of the packages that ship with the product, as code. For arrays of known length up to 32 elements it works
 * on numbers while all bits are 0 or 1; everything else is done by the runtime, from the same definitions.
 */

interface Call {
  readonly e: UnitEmitter;
  readonly sub: Subprogram;
  readonly args: readonly Val[];
  readonly loc: Loc;
}

const isArray = (val: Val): boolean => val.shape.k === "a";
const isSignedName = (type: VType): boolean => /signed/.test(type.name) && !/unsigned/.test(type.name);

/** An array as a number: its payload with length, or a whole number. */
interface Operand {
  readonly first: string;
  readonly p: string;
  readonly n: string;
  readonly known: number | null;
  readonly isInt: boolean;
  readonly val: Val;
  readonly signed: boolean;
}

function operand(c: Call, i: number, signed: boolean): Operand {
  const val = c.args[i];
  if (!isArray(val)) return { first: val.js, p: val.js, n: "0", known: 0, isInt: true, val, signed: true };
  const once = c.e.operators.onceVal(val);
  return { ...once, isInt: false, val, signed };
}

/** Sign-extended number of a payload of `n` known bits. */
function asNumber(p: string, n: number, signed: boolean): string {
  if (!signed) return n >= 32 ? `(${p}>>>0)` : p;
  if (n >= 32) return p;
  return `(${wrapped(p)}<<${32 - n}>>${32 - n})`;
}

function vector(c: Call, n: number | null, nJs: string, js: string, descending = true): Val {
  const base = c.e.shapes.plainShape(c.sub.result!.type) as ArrayShape;
  if (n !== null) {
    const dims: Bounds[] = [descending ? { l: n - 1, d: 1, n } : { l: 1, d: 0, n }];
    return { js, shape: { ...base, dims } };
  }
  const l = descending ? `${nJs}-1` : "1";
  return { js: `${c.e.rt("arr")}(${js},${l},${descending ? 1 : 0},${nJs})`, shape: base };
}

/** + - and abs of one array. */
function signChange(c: Call, op: string): Val {
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
 * @param an Length of the left one, with the bit that its sign needs; null where only the run knows.
 */
function lengthOf(
  op: string,
  a: Operand,
  an: number | null,
  b: Operand,
  bn: number | null,
  widest: string,
): { readonly n: number | null; readonly nJs: string } {
  let n: number | null;
  let nJs: string;
  if (op === "*") {
    if (a.isInt || b.isInt) {
      n = a.isInt ? (bn === null ? null : 2 * bn) : an === null ? null : 2 * an;
      nJs = n !== null ? String(n) : `2*${a.isInt ? b.n : a.n}`;
    } else {
      n = an !== null && bn !== null ? an + bn : null;
      nJs = n !== null ? String(n) : `(${a.n}+${b.n})`;
    }
  } else if (op === "/") {
    n = a.isInt ? bn : an;
    nJs = n !== null ? String(n) : a.isInt ? b.n : a.n;
  } else if (op === "mod" || op === "rem") {
    n = b.isInt ? an : bn;
    nJs = n !== null ? String(n) : b.isInt ? a.n : b.n;
  } else if (a.isInt || b.isInt) {
    n = a.isInt ? bn : an;
    nJs = n !== null ? String(n) : a.isInt ? b.n : a.n;
  } else {
    n = an !== null && bn !== null ? (an === 0 || bn === 0 ? 0 : Math.max(an, bn)) : null;
    nJs = n !== null ? String(n) : `${widest}(${a.n},${b.n})`;
  }
  return { n, nJs };
}

/** + - * / mod rem of arrays and numbers. */
function arithmetic(c: Call, op: string, signed: boolean, size: "numeric" | "arith"): Val {
  const { e, args, loc } = c;
  if (args.length === 1) return signChange(c, op);
  const aSigned = c.sub.params[0].subtype.type;
  const bSigned = c.sub.params[1].subtype.type;
  const left = operand(c, 0, signed || isSignedName(aSigned));
  const right = operand(c, 1, signed || isSignedName(bSigned));
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
    const type = c.sub.params[i].subtype.type;
    return size === "arith" && signed && !o.isInt && type.kind === "array" && /unsigned/.test(type.name) ? 1 : 0;
  };
  const an = a.known === null ? null : a.known + extra(a, 0);
  const bn = b.known === null ? null : b.known + extra(b, 1);
  const { n, nJs } = lengthOf(op, a, an, b, bn, e.rt("widest"));
  const place = e.at(loc);
  const divides = op === "/" || op === "mod" || op === "rem";
  // a whole number takes part with the length of the other operand, which is what numeric_std says
  const wide = (o: Operand, other: Operand): { first: string; p: string; n: string } => {
    if (!o.isInt) {
      const more = extra(o, o === a ? 0 : 1);
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
      const more = (o: Operand): number => extra(o, o === a ? 0 : 1);
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

function resultOf(c: Call, val: Val): Shape {
  const base = c.e.shapes.plainShape(c.sub.result!.type) as ArrayShape;
  return val.shape.k === "a" && val.shape.dims
    ? { ...base, dims: [{ l: val.shape.dims[0].n - 1, d: 1, n: val.shape.dims[0].n }] }
    : base;
}

function comparison(c: Call, op: string, signed: boolean): Val {
  const { e } = c;
  const a = operand(c, 0, signed || isSignedName(c.sub.params[0].subtype.type));
  const b = operand(c, 1, signed || isSignedName(c.sub.params[1].subtype.type));
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

const wordOps: Readonly<Record<string, ["andL" | "orL" | "xorL", boolean]>> = {
  and: ["andL", false],
  nand: ["andL", true],
  or: ["orL", false],
  nor: ["orL", true],
  xor: ["xorL", false],
  xnor: ["xorL", true],
};
const bitTables: Readonly<Record<"andL" | "orL" | "xorL", "AND" | "OR" | "XOR">> = {
  andL: "AND",
  orL: "OR",
  xorL: "XOR",
};

/** Operators of one chain, from the second on, are worked out at once while all operands are '0' or '1'. */
const longestGuard = 12;

function plainOf(val: Val): PlainBit | null {
  // not if something was put around it since
  if (val.plain?.of === val.js) return val.plain;
  if (val.cv === 2 || val.cv === 3)
    return { guards: [], bit: String(val.cv - 2), any: val.js, operators: 0, of: val.js };
  if (!/^(c\d+\.v|v\d+)$/.test(val.js)) return null;
  return { guards: [`(${val.js}&-2)===2`], bit: val.js, any: val.js, operators: 0, of: val.js };
}
function plainText({ guards, bit, any, operators }: Omit<PlainBit, "of">): string {
  return operators > 1 && guards.length > 0 ? `(${guards.join("&&")}?2+(${bit}&1):${any})` : any;
}
function withPlain(c: Call, plain: Omit<PlainBit, "of">): Val {
  const { type } = c.sub.result!;
  if (plain.guards.length > longestGuard) return c.e.scalar(plain.any, type);
  const text = plainText(plain);
  return { ...c.e.scalar(text, type), plain: { ...plain, of: text } };
}
function joinedBits(c: Call, fn: "andL" | "orL" | "xorL", inverted: boolean): Val {
  const { e, args } = c;
  const rows = e.rt(bitTables[fn]);
  const table = (x: string, y: string) => {
    const js = `${rows}[${wrapped(x)}*9+${y}]`;
    return inverted ? `${e.rt("NOT")}[${js}]` : js;
  };
  const [a, b] = args.map(plainOf);
  if (!a || !b) return e.scalar(table(args[0].js, args[1].js), c.sub.result!.type);
  const op = fn === "andL" ? "&" : fn === "orL" ? "|" : "^";
  return withPlain(c, {
    guards: [...new Set([...a.guards, ...b.guards])],
    bit: `${inverted ? "~" : ""}(${a.bit}${op}${b.bit})`,
    any: table(a.any, b.any),
    operators: a.operators + b.operators + 1,
  });
}
function invertedBit(c: Call): Val {
  const { e, args } = c;
  const a = plainOf(args[0]);
  if (!a) return e.scalar(`${e.rt("NOT")}[${args[0].js}]`, c.sub.result!.type);
  return withPlain(c, { ...a, bit: `~(${a.bit})`, any: `${e.rt("NOT")}[${a.any}]`, operators: a.operators + 1 });
}

function logical(c: Call, op: string, descending: boolean): Val {
  const { e, args, loc } = c;
  const [fn, inverted] = wordOps[op];
  const rows = e.rt(bitTables[fn]);
  if (args.length === 1) {
    const a = operand(c, 0, false);
    const two = args[0].shape.k === "a" && args[0].shape.pack === "bit";
    const js = `${e.rt("reduce")}(${a.first},${a.n},${rows},${fn === "andL" ? 3 : 2})`;
    const made = inverted ? `${e.rt("NOT")}[${js}]` : js;
    return e.scalar(two ? `(${made}-2)` : made, c.sub.result!.type);
  }
  const [x, y] = args;
  if (!isArray(x) && !isArray(y)) {
    return joinedBits(c, fn, inverted);
  }
  const array = isArray(x) ? x : y;
  const two = array.shape.k === "a" && array.shape.pack === "bit";
  if (isArray(x) && isArray(y)) {
    e.operators.sameLength(x, y, loc);
    const a = operand(c, 0, false);
    const b = operand(c, 1, false);
    const small = a.known !== null && a.known <= 32 && b.known !== null;
    let js: string;
    if (small) {
      const l = e.once(a.first);
      const r = e.once(b.first);
      const sign = fn === "andL" ? "&" : fn === "orL" ? "|" : "^";
      const plain = inverted ? `~(${l.again}${sign}${r.again})&${maskOf(a.known!)}` : `${l.again}${sign}${r.again}`;
      const tests = [
        ...(typeof x.cv === "number" || two ? [] : [`typeof ${l.again}==="number"`]),
        ...(typeof y.cv === "number" || two ? [] : [`typeof ${r.again}==="number"`]),
      ];
      const inner = `${e.rt(fn)}(${l.again},${r.again},${a.known})`;
      const long = inverted ? `${e.rt("notL")}(${inner},${a.known})` : inner;
      const before = [l, r].filter((each) => each.first !== each.again).map((each) => each.first);
      const body = tests.length ? `(${tests.join("&&")}?${plain}:${long})` : `(${plain})`;
      js = before.length ? `(${before.join(",")},${body})` : body;
    } else {
      const l = e.once(a.first);
      const r = e.once(b.first);
      const open = a.known === null || b.known === null;
      const inner = `${e.rt(fn)}(${open ? l.again : l.first},${open ? r.again : r.first},${a.known ?? a.n})`;
      js = inverted ? `${e.rt("notL")}(${inner},${a.known ?? a.n})` : inner;
      // the lengths are known once both operands are
      if (open) js = `(${l.first},${r.first},${e.rt("ln")}(${a.n},${b.n},${e.at(loc)}),${js})`;
    }
    return vector(c, a.known, a.n, js, descending);
  }
  const i = isArray(x) ? 0 : 1;
  const a = operand(c, i, false);
  const element = c.args[1 - i];
  const own = e.once(a.first);
  const all = `${e.rt("allOf")}(${two ? `${element.js}+2` : element.js},${a.n})`;
  const inner = `${e.rt(fn)}(${own.first},${all},${a.n})`;
  return vector(c, a.known, a.n, inverted ? `${e.rt("notL")}(${inner},${a.n})` : inner, descending);
}

function shift(c: Call, name: string, signed: boolean, descending = true): Val {
  const { e, args } = c;
  const a = operand(c, 0, signed);
  const count = args[1];
  const two = args[0].shape.k === "a" && args[0].shape.pack === "bit";
  const left =
    name === "shift_left" ||
    name === "sll" ||
    name === "sla" ||
    name === "rol" ||
    name === "rotate_left" ||
    name === "shl";
  if (/^ro/.test(name))
    return vector(
      c,
      a.known,
      a.n,
      `${e.rt("rotateL")}(${a.first},${a.n},${left ? count.js : `-(${count.js})`})`,
      descending,
    );
  const fillsSign = (name === "shift_right" || name === "sra" || name === "shr") && signed;
  if (typeof count.cv === "number" && count.cv >= 0 && a.known !== null && a.known <= 32 && a.known > 0) {
    const value = e.once(a.first);
    const by = Math.min(count.cv, a.known);
    const mask = a.known === 32 ? "|0" : `&${maskOf(a.known)}`;
    const plain = left
      ? by >= 32
        ? "0"
        : `(${value.again}<<${by})${mask}`
      : fillsSign
        ? `(${asNumber(value.again, a.known, true)}>>${Math.min(31, by)})${mask}`
        : by >= 32
          ? "0"
          : `(${value.again}>>>${by})|0`;
    const long = `${e.rt("shiftN")}(${value.again},${a.known},${left ? by : -by},${fillsSign})`;
    const test = typeof args[0].cv === "number" || two ? plain : `(typeof ${value.again}==="number"?${plain}:${long})`;
    return vector(c, a.known, a.n, value.first === value.again ? `(${test})` : `(${value.first},${test})`, descending);
  }
  return vector(
    c,
    a.known,
    a.n,
    `${e.rt("shiftN")}(${a.first},${a.n},${left ? count.js : `-(${count.js})`},${fillsSign})`,
    descending,
  );
}

/** Length given as an argument: a number, or an array whose length is meant. */
function sizeArg(c: Call, i: number): { n: number | null; js: string } {
  const val = c.args[i];
  if (isArray(val)) {
    const length = c.e.repr.lengthOf(val);
    return { n: length.n, js: length.n !== null ? String(length.n) : c.e.operators.onceVal(val).n };
  }
  if (typeof val.cv === "number") return { n: val.cv, js: String(val.cv) };
  const once = c.e.once(val.js);
  return { n: null, js: once.first === once.again ? once.again : `(${val.js})` };
}

function resize(c: Call, signed: boolean): Val {
  const { e } = c;
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

function toVector(c: Call, descending = true): Val {
  const { e, args } = c;
  const to = sizeArg(c, 1);
  const [a] = args;
  if (typeof a.cv === "number" && to.n !== null) {
    const made = vector(c, to.n, "", "0", descending);
    const value = c.e.program.runtime.fromInt(a.cv, to.n);
    return { ...made, js: e.constant(value), cv: value };
  }
  if (to.n !== null && to.n <= 32 && to.n > 0)
    return vector(c, to.n, "", to.n === 32 ? `(${a.js}|0)` : `(${a.js}&${maskOf(to.n)})`, descending);
  return vector(c, to.n, to.js, `${e.rt("fromInt")}(${a.js},${to.js})`, descending);
}

function toInteger(c: Call, signed: boolean): Val {
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

const textOf = (c: Call, i: number): string => c.e.plainText(c.args[i]);

/** Code of a call of a function that the runtime computes; null if it is none of these. */
export function nativeFunction(e: UnitEmitter, sub: Subprogram, args: readonly Val[], loc: Loc): Val | null {
  const c: Call = { e, sub, args, loc };
  const [home, ...rest] = sub.native!.split(".");
  const name = rest.join(".");
  const { type } = sub.result!;
  const first = sub.params[0]?.subtype.type;
  const two = args[0]?.shape.k === "a" && args[0].shape.pack === "bit";
  if (home === "standard" || home === "std_logic_1164") {
    switch (name) {
      case "now":
        return e.scalar("E.now", type);
      case "resolved": {
        const a = operand(c, 0, false);
        return e.scalar(`${e.rt("resolveAll")}(${a.first},${a.n})`, type);
      }
      case "to_string":
        return stringOf(c, first);
      case "to_hstring":
      case "to_ostring": {
        const a = operand(c, 0, false);
        return e.str(`${e.rt("digits")}(${a.first},${a.n},${!two},${name === "to_hstring" ? 4 : 3})`);
      }
      case "not":
        return isArray(args[0]) ? invert(c, false) : invertedBit(c);
      case "sll":
      case "srl":
      case "rol":
      case "ror":
        return shift(c, name, false, false);
      case "to_bit":
        return e.scalar(`${e.rt("toBit")}(${args[0].js},${args[1].js})`, type, 0, 1);
      case "to_bitvector": {
        const a = operand(c, 0, false);
        return vector(c, a.known, a.n, `${e.rt("toBits")}(${a.first},${a.n},${args[1].js})`);
      }
      case "to_stdulogic":
        return e.scalar(`(2+${args[0].js})`, type);
      case "to_stdlogicvector":
      case "to_stdulogicvector": {
        const a = operand(c, 0, false);
        return vector(c, a.known, a.n, a.first);
      }
      case "to_x01":
      case "to_x01z":
      case "to_ux01":
        return mapped(c, name, false);
      case "to_01":
        return to01(c, false);
      case "is_x":
        return isArray(args[0])
          ? e.boolean(`${e.rt("isX")}(${operand(c, 0, false).first})`)
          : e.boolean(`${e.rt("BIT")}[${args[0].js}]===2`);
      case "??":
        return e.boolean(`${e.rt("BIT")}[${args[0].js}]===1`);
      case "?=":
      case "?/=": {
        const js = isArray(args[0])
          ? ((a, b) => `${e.rt("matchEqL")}(${a.first},${b.first},${a.n})`)(operand(c, 0, false), operand(c, 1, false))
          : `${e.rt("matchEq")}(${args[0].js},${args[1].js})`;
        if (isArray(args[0]) && isArray(args[1])) e.operators.sameLength(args[0], args[1], loc);
        return e.scalar(name === "?=" ? js : `${e.rt("NOT")}[${js}]`, type);
      }
      case "?<":
        return e.scalar(`${e.rt("matchLess")}(${args[0].js},${args[1].js})`, type);
      case "?>":
        return e.scalar(`${e.rt("matchLess")}(${args[1].js},${args[0].js})`, type);
      case "?<=":
        return e.scalar(
          `${e.rt("OR")}[${e.rt("matchLess")}(${args[0].js},${args[1].js})*9+${e.rt("matchEq")}(${args[0].js},${args[1].js})]`,
          type,
        );
      case "?>=":
        return e.scalar(
          `${e.rt("OR")}[${e.rt("matchLess")}(${args[1].js},${args[0].js})*9+${e.rt("matchEq")}(${args[0].js},${args[1].js})]`,
          type,
        );
      default:
        return name in wordOps ? logical(c, name, false) : null;
    }
  }
  if (home === "math_real") return mathReal(c, name);
  if (home === "env" && name === "resolution_limit") return e.known(1, e.shapes.plainShape(type));
  if (home === "textio" && name === "justify")
    return e.str(`${e.rt("justify")}(${textOf(c, 0)},${args[1].js},${args[2].js})`);
  if (!/^(numeric_|std_logic_)/.test(home)) return null;
  const isPlain = /numeric_std_|std_logic_(un)?signed/.test(home);
  const signed = isPlain
    ? /_signed$/.test(home)
    : sub.params.some((param) => isSignedName(param.subtype.type)) || (isSignedName(type) && type.kind === "array");
  const arithSize = home.startsWith("std_logic") ? "arith" : "numeric";
  switch (name) {
    case "+":
    case "-":
    case "*":
    case "/":
    case "mod":
    case "rem":
    case "abs":
      return arithmetic(c, name, signed, arithSize);
    case "=":
    case "/=":
    case "<":
    case "<=":
    case ">":
    case ">=":
      return comparison(c, name, isPlain && signed);
    case "minimum":
    case "maximum": {
      const test = comparison({ ...c, sub }, "<", isPlain && signed);
      const size = args.map((arg) => (isArray(arg) ? e.repr.lengthOf(arg).n : 0));
      const n = size[0] === null || size[1] === null ? null : Math.max(size[0], size[1]);
      const widened = (i: number): string => {
        const a = operand(c, i, signed);
        const to =
          n !== null
            ? String(n)
            : isArray(args[1 - i]) && isArray(args[i])
              ? `${e.rt("widest")}(${a.n},${operand(c, 1 - i, signed).n})`
              : a.n;
        return a.isInt
          ? `${e.rt("intBits")}(${a.val.js},${n ?? operand(c, 1 - i, signed).n})`
          : `${e.rt("resizeL")}(${a.p},${a.n},${to},${signed})`;
      };
      const l = widened(0);
      const r = widened(1);
      return vector(
        c,
        n,
        operand(c, 0, signed).n,
        `(${e.test(test)}?${name === "minimum" ? l : r}:${name === "minimum" ? r : l})`,
      );
    }
    case "?=":
    case "?/=":
    case "?<":
    case "?<=":
    case "?>":
    case "?>=":
      return matching(c, name, signed);
    case "not":
      return invert(c, true);
    case "shift_left":
    case "shift_right":
    case "rotate_left":
    case "rotate_right":
    case "sll":
    case "srl":
    case "rol":
    case "ror":
    case "sla":
    case "sra":
      return shift(c, name, signed && !/^s[lr]l$/.test(name));
    case "shl":
    case "shr": {
      const count = operand(c, 1, false);
      const number = e.scalar(
        `${e.rt("toInt")}(${count.first},${count.n},false,${e.at(loc)})`,
        e.world.standard.integer,
      );
      return shift({ ...c, args: [args[0], number] }, name, signed);
    }
    case "resize":
      return resize(c, signed);
    case "to_integer":
    case "conv_integer":
      if (!isArray(args[0]))
        return first.kind === "enum"
          ? { ...e.boolean(`${e.rt("BIT")}[${args[0].js}]===1`), shape: e.shapes.plainShape(type) }
          : { ...args[0], shape: e.shapes.plainShape(type) };
      return toInteger(c, signed && (isPlain || isSignedName(first)));
    case "to_unsigned":
    case "to_signed":
    case "to_stdlogicvector":
    case "to_stdulogicvector":
      return toVector(c);
    case "conv_unsigned":
    case "conv_signed":
    case "conv_std_logic_vector":
      if (!isArray(args[0])) {
        if (first.kind !== "enum") return toVector(c);
        const to = sizeArg(c, 1);
        return vector(c, to.n, to.js, `${e.rt("resizeL")}(${e.rt("bit1")}(${args[0].js}),1,${to.js},false)`);
      }
      return cut(c, isSignedName(first));
    case "ext":
      return cut(c, false);
    case "sxt":
      return cut(c, true);
    case "std_match": {
      if (!isArray(args[0])) return e.boolean(`${e.rt("matchCode")}(${args[0].js},${args[1].js})`);
      const a = operand(c, 0, false);
      const b = operand(c, 1, false);
      if (a.known !== null && b.known !== null && a.known !== b.known) return e.known(0, e.booleanShape);
      return e.boolean(`${e.rt("stdMatch")}(${a.first},${b.first},${a.n})`);
    }
    case "to_01":
      return to01(c, true);
    case "to_x01":
    case "to_x01z":
    case "to_ux01":
      return mapped(c, name, true);
    case "is_x":
      return e.boolean(`${e.rt("isX")}(${operand(c, 0, false).first})`);
    case "find_leftmost":
    case "find_rightmost": {
      const a = operand(c, 0, false);
      return e.scalar(
        `${e.rt("find")}(${a.first},${a.n},${two ? `${args[1].js}+2` : args[1].js},${name === "find_leftmost"})`,
        type,
      );
    }
    case "to_string":
      return stringOf(c, first);
    case "to_hstring":
    case "to_ostring": {
      const a = operand(c, 0, false);
      return e.str(`${e.rt("digits")}(${a.first},${a.n},${!two},${name === "to_hstring" ? 4 : 3})`);
    }
    default:
      return name in wordOps ? logical(c, name, true) : null;
  }
}

/** conv_*: low bits, with the sign or zeros in front; the sign is not kept when it narrows. */
function cut(c: Call, signed: boolean): Val {
  const a = operand(c, 0, signed);
  const to = sizeArg(c, 1);
  return vector(c, to.n, to.js, `${c.e.rt("extend")}(${a.first},${a.n},${to.js},${signed})`);
}

function invert(c: Call, descending: boolean): Val {
  const { e } = c;
  const a = operand(c, 0, false);
  const two = c.args[0].shape.k === "a" && c.args[0].shape.pack === "bit";
  if (a.known !== null && a.known <= 32) {
    const value = e.once(a.first);
    const plain = `~${wrapped(value.again)}&${maskOf(a.known)}`;
    const js = two
      ? `(${plain})`
      : `(typeof ${value.again}==="number"?${plain}:${e.rt("notL")}(${value.again},${a.known}))`;
    return vector(c, a.known, a.n, value.first === value.again ? js : `(${value.first},${js})`, descending);
  }
  return vector(c, a.known, a.n, `${e.rt("notL")}(${a.first},${a.n})`, descending);
}

function mapped(c: Call, name: string, descending: boolean): Val {
  const { e, args } = c;
  const rows = e.rt(name === "to_x01" ? "X01" : name === "to_x01z" ? "X01Z" : "UX01");
  const { type } = c.sub.params[0].subtype;
  if (!isArray(args[0])) {
    if (type.name === "bit") return e.scalar(`(2+${args[0].js})`, c.sub.result!.type);
    return e.scalar(`${rows}[${args[0].js}]`, c.sub.result!.type);
  }
  const a = operand(c, 0, false);
  if (args[0].shape.k === "a" && args[0].shape.pack === "bit") return vector(c, a.known, a.n, a.first, descending);
  return vector(c, a.known, a.n, `${e.rt("mapL")}(${a.first},${a.n},${rows})`, descending);
}

function to01(c: Call, descending: boolean): Val {
  const { e, args } = c;
  if (!isArray(args[0]))
    return e.scalar(
      `(${e.rt("BIT")}[${args[0].js}]===2?${args[1].js}:2+${e.rt("BIT")}[${args[0].js}])`,
      c.sub.result!.type,
    );
  const a = operand(c, 0, false);
  return vector(c, a.known, a.n, `${e.rt("to01")}(${a.first},${a.n},${args[1].js})`, descending);
}

function matching(c: Call, op: string, signed: boolean): Val {
  const { e } = c;
  const a = operand(c, 0, signed);
  const b = operand(c, 1, signed);
  const wide = (o: Operand, other: Operand) => (o.isInt ? `${e.rt("intBits")}(${o.val.js},${other.n})` : o.first);
  const n = (o: Operand, other: Operand) => (o.isInt ? other.n : o.n);
  return e.scalar(
    `${e.rt("matchNumbers")}(${quoted(op)},${wide(a, b)},${n(a, b)},${wide(b, a)},${n(b, a)},${signed})`,
    c.sub.result!.type,
  );
}

function stringOf(c: Call, first: VType): Val {
  const { e, args } = c;
  if (args.length === 2) {
    const second = c.sub.params[1].subtype.type;
    if (first.kind === "physical") return e.str(`${e.rt("timeText")}(${args[0].js},${args[1].js})`);
    if (second === e.world.standard.string) return e.str(`${e.rt("formatReal")}(${args[0].js},${textOf(c, 1)})`);
    return e.str(`${e.rt("fixed")}(${args[0].js},${args[1].js})`);
  }
  if (first.kind === "physical" && first.isTime) return e.str(`${e.rt("timeString")}(${args[0].js})`);
  return e.attributes.toText(args[0], first);
}

function mathReal(c: Call, name: string): Val {
  const { e, args, loc, sub } = c;
  const { type } = sub.result!;
  const [x, y] = args.map((arg) => arg.js);
  const at = e.at(loc);
  const real = (js: string): Val => e.scalar(js, type);
  const checked = (ok: (v: string) => string, js: (v: string) => string): Val => {
    const { first, again } = e.once(x);
    return real(`${e.rt("domain")}((${first},${ok(again)}),${js(again)},${quoted(name)},${at})`);
  };
  switch (name) {
    case "sign":
      return real(`Math.sign(${x})`);
    case "ceil":
    case "floor":
    case "trunc":
    case "exp":
    case "sin":
    case "cos":
    case "tan":
    case "cbrt":
    case "sinh":
    case "cosh":
    case "tanh":
      return real(`Math.${name}(${x})`);
    case "round":
      return real(`${e.rt("round")}(${x})`);
    case "sqrt":
      return checked(
        (v) => `${v}>=0`,
        (v) => `Math.sqrt(${v})`,
      );
    case "log":
      if (args.length === 2)
        return checked(
          (v) => `${v}>0`,
          (v) => `Math.log(${v})/Math.log(${y})`,
        );
      return checked(
        (v) => `${v}>0`,
        (v) => `Math.log(${v})`,
      );
    case "log2":
    case "log10":
      return checked(
        (v) => `${v}>0`,
        (v) => `Math.${name}(${v})`,
      );
    case "arcsin":
      return checked(
        (v) => `Math.abs(${v})<=1`,
        (v) => `Math.asin(${v})`,
      );
    case "arccos":
      return checked(
        (v) => `Math.abs(${v})<=1`,
        (v) => `Math.acos(${v})`,
      );
    case "arctan":
      return real(args.length === 2 ? `Math.atan2(${x},${y})` : `Math.atan(${x})`);
    case "arcsinh":
      return real(`Math.asinh(${x})`);
    case "arccosh":
      return checked(
        (v) => `${v}>=1`,
        (v) => `Math.acosh(${v})`,
      );
    case "arctanh":
      return checked(
        (v) => `Math.abs(${v})<1`,
        (v) => `Math.atanh(${v})`,
      );
    case "mod":
      return real(`${e.rt("realMod")}(${x},${y})`);
    case "realmax":
      return real(`Math.max(${x},${y})`);
    case "realmin":
      return real(`Math.min(${x},${y})`);
    default:
      return real(`(${x}**${y})`);
  }
}
