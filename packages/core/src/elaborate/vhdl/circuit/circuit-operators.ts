import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import type { VType } from "../types.ts";
import { shapeText } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, NoCircuit, type Val } from "./circuit-base.ts";
import {
  binary,
  choose,
  concat,
  integerLimits,
  not,
  number,
  repeat,
  slice,
  stretch,
  unary,
  widthOf,
} from "./circuit-expr.ts";
import { isMoved, shareOrigin } from "./circuit-moved.ts";
import { extendTo, joined } from "./circuit-pieces.ts";

const comparisons = { "=": "eq", "/=": "ne", "<": "lt", "<=": "le", ">": "gt", ">=": "ge" } as const;
export type Comparison = keyof typeof comparisons;
const isComparison = (name: string): name is Comparison => name in comparisons;

interface Fills {
  readonly left: "zero" | "end";
  readonly right: "zero" | "end";
}
export const zeros: Fills = { left: "zero", right: "zero" };

/** Predefined operators (IEEE 1076-2008, 9.2) on values of the circuit. */
export class CircuitOperators {
  constructor(private readonly host: CircuitWriter) {}

  boolean(e: ModelExpr): Val {
    return this.host.names.typed(e, { k: "s", type: this.host.world.standard.boolean, lo: null, hi: null });
  }
  scalar(e: ModelExpr, type: VType): Val {
    return this.host.names.typed(e, { k: "s", type, lo: null, hi: null });
  }

  // ---- logic (9.2.2) ----------------------------------------------------------------------------------------------

  logic2(name: string, a: Val, b: Val, type: VType, loc: Loc): Val {
    const base =
      name === "nand" ? "and" : name === "nor" ? "or" : name === "xnor" ? "xor" : (name as "and" | "or" | "xor");
    let [x, y] = [a.e, b.e];
    const array = a.shape.k === "a" ? a : b.shape.k === "a" ? b : null;
    if (array) {
      const n = array.e.width;
      // one element for all (2008)
      if (a.shape.k === "s") x = repeat(x, n, loc);
      if (b.shape.k === "s") y = repeat(y, n, loc);
      if (x.width !== y.width) {
        this.host.error(
          "width",
          loc,
          `The operands have ${x.width} and ${y.width} elements.`,
          "Make them as long as each other.",
        );
        throw new NoCircuit();
      }
    }
    const made = binary(base, x, y, x.width, false, loc);
    const e = base === name ? made : not(made);
    return array ? { e, shape: array.shape } : this.scalar(e, type);
  }
  reduction(name: string, a: Val, type: VType, loc: Loc): Val {
    const base = name.replace(/^n(?=and|or)/, "").replace(/^xnor$/, "xor");
    // of no elements: what changes nothing
    const made =
      a.e.width === 0
        ? number(base === "and" ? 1 : 0, 1, loc)
        : unary(base === "and" ? "redand" : base === "or" ? "redor" : "redxor", a.e, 1, false, loc);
    return this.scalar(base === name ? made : not(made), type);
  }

  // ---- comparisons (9.2.3) ----------------------------------------------------------------------------------------

  isInteger(val: Val): boolean {
    return val.shape.k === "s" && val.shape.type.kind === "int";
  }
  /** Whole numbers in one width that holds both. */
  aligned(a: Val, b: Val): [ModelExpr, ModelExpr, boolean] {
    const signed = a.e.signed || b.e.signed;
    const need = (val: Val) => val.e.width + (signed && !val.e.signed ? 1 : 0);
    const width = Math.max(need(a), need(b));
    return [extendTo(a.e, width, a.e.signed), extendTo(b.e, width, b.e.signed), signed];
  }

  compare(name: Comparison, a: Val, b: Val, loc: Loc): Val {
    if (this.isInteger(a)) {
      if ((isMoved(a) || isMoved(b)) && !shareOrigin(a, b)) this.host.names.refuseMoved(loc);
      const decided = decidedByLimits(name, a, b);
      if (decided !== null) return this.boolean(number(decided ? 1 : 0, 1, loc));
      const [x, y, signed] = this.aligned(a, b);
      return this.boolean(binary(comparisons[name], x, y, 1, signed, loc));
    }
    if (a.shape.k === "a" && b.shape.k === "a" && name !== "=" && name !== "/=") return this.order(name, a, b, loc);
    // arrays of different lengths are never equal
    if (a.e.width !== b.e.width) return this.boolean(number(name === "/=" ? 1 : 0, 1, loc));
    if (a.e.width === 0) return this.boolean(number(name === "=" || name === "<=" || name === ">=" ? 1 : 0, 1, loc));
    return this.boolean(binary(comparisons[name], a.e, b.e, 1, false, loc));
  }
  /** Arrays by their first elements that differ; of two that begin alike, the shorter one is the lesser. */
  private order(name: Comparison, a: Val, b: Val, loc: Loc): Val {
    const elem = a.shape.k === "a" ? a.shape.elem : null;
    const size = (elem && widthOf(elem)) || 1;
    const width = Math.min(a.e.width, b.e.width);
    // elements with a sign compare as if they were moved up by half of what there is
    const plain = (val: Val): ModelExpr => {
      const top = slice(val.e, val.e.width - width, width);
      if (elem?.k !== "s" || elem.type.kind !== "int" || integerLimits(elem)[0] >= 0) return top;
      const signs = repeat(number(1n << BigInt(size - 1), size, loc), width / size, loc);
      return binary("xor", top, signs, width, false, loc);
    };
    const longer = Math.sign(a.e.width - b.e.width);
    if (width === 0) {
      const is = name === "<" ? longer < 0 : name === "<=" ? longer <= 0 : name === ">" ? longer > 0 : longer >= 0;
      return this.boolean(number(is ? 1 : 0, 1, loc));
    }
    // where both begin alike, the lengths decide: as if that came after the last element
    const kind =
      longer === 0
        ? comparisons[name]
        : name === "<" || name === "<="
          ? longer < 0
            ? "le"
            : "lt"
          : longer > 0
            ? "ge"
            : "gt";
    return this.boolean(binary(kind, plain(a), plain(b), 1, false, loc));
  }

  private extreme(name: "minimum" | "maximum", a: Val, b: Val, loc: Loc): Val {
    const test = this.compare("<", a, b, loc).e;
    if (this.isInteger(a)) {
      const [x, y, signed] = this.aligned(a, b);
      const e = choose(test, name === "minimum" ? x : y, name === "minimum" ? y : x);
      const pick = name === "minimum" ? Math.min : Math.max;
      const [alo, ahi] = limitsOf(a);
      const [blo, bhi] = limitsOf(b);
      return this.host.integers.limited({ ...e, signed } as ModelExpr, a.shape, pick(alo, blo), pick(ahi, bhi), loc);
    }
    const [yes, no] = name === "minimum" ? [a, b] : [b, a];
    const known = knownOf({ ...a, e: test, cv: undefined, shape: this.boolean(test).shape });
    if (known !== null) return known === 1 ? yes : no;
    if (yes.e.width !== no.e.width) return this.host.refuse(loc, `'${name}' of arrays of different lengths`);
    return { e: choose(test, yes.e, no.e), shape: a.shape };
  }
  /** The least or greatest element of an array (2008). */
  private extremeOf(name: "minimum" | "maximum", a: Val, loc: Loc): Val {
    const { shape } = a;
    if (shape.k !== "a" || !shape.dims || shape.dims[0].n === 0) return this.host.refuse(loc, `'${name}' of nothing`);
    const of = this.host.names.valueRef(a);
    let made = this.host.names.load(this.host.names.itemRef(of, 0), loc);
    for (let k = 1; k < shape.dims[0].n; k++)
      made = this.extreme(name, made, this.host.names.load(this.host.names.itemRef(of, k), loc), loc);
    return made;
  }

  // ---- shifts (9.2.4) ---------------------------------------------------------------------------------------------

  /** @param fill What comes in to the left and to the right: zeros, or the element at that end again. */
  shift(name: string, a: Val, by: Val, fills: Fills, loc: Loc): Val {
    const n = a.e.width;
    if (n === 0) return a;
    const size = a.shape.k === "a" ? (widthOf(a.shape.elem) ?? 1) : 1;
    const count = n / size;
    const isRotate = name === "rol" || name === "ror" || name === "rotate_left" || name === "rotate_right";
    const left = /^(sll|sla|rol|shift_left|rotate_left|shl)$/.test(name);
    const known = knownOf(by);
    const fillOf = (isLeft: boolean) => fills[isLeft ? "left" : "right"];
    const low = slice(a.e, 0, size);
    const high = slice(a.e, n - size, size);
    if (known !== null) {
      const steps = left ? known : -known;
      if (isRotate) {
        const k = (((steps % count) + count) % count) * size;
        return { ...a, e: k === 0 ? a.e : concat([slice(a.e, 0, n - k), slice(a.e, n - k, k)], loc) };
      }
      const k = Math.min(count, Math.abs(steps));
      if (k === 0) return a;
      const filled = (end: ModelExpr) => (fillOf(steps > 0) === "end" ? repeat(end, k, loc) : number(0, k * size, loc));
      const made =
        steps > 0
          ? joined([slice(a.e, 0, n - k * size), filled(low)], loc)
          : joined([filled(high), slice(a.e, k * size, n - k * size)], loc);
      return { ...a, e: made };
    }
    const [lo, hi] = limitsOf(this.host.names.plain(by, loc));
    if (lo < 0) {
      // either way, by the sign of the count
      const back = this.host.integers.integer("neg", by, undefined, loc);
      const positive = (val: Val): Val => ({
        ...val,
        e: markedAs(slice(val.e, 0, val.e.width), false),
        lo: 0,
        hi: Math.max(0, limitsOf(val)[1]),
        cv: undefined,
      });
      const mirror =
        { sll: "srl", srl: "sll", sla: "sra", sra: "sla", rol: "ror", ror: "rol" }[name] ??
        name.replace(left ? "left" : "right", left ? "right" : "left");
      const other = this.shift(mirror, a, positive(back), fills, loc);
      if (hi <= 0) return other;
      const forth = this.shift(name, a, positive(by), fills, loc);
      return { ...a, e: choose(slice(by.e, by.e.width - 1, 1), other.e, forth.e) };
    }
    const amount: ModelExpr = by.e.signed ? slice(by.e, 0, by.e.width) : by.e;
    if (isRotate) {
      // twice side by side, and the part that is meant
      const twice = concat([a.e, a.e], loc);
      const width = Math.max(amount.width, Math.ceil(Math.log2(n + 1)) + 1) + size.toString(2).length;
      const steps = Math.log2(count);
      const within = Number.isInteger(steps)
        ? extendTo(
            steps === 0 ? number(0, 1, loc) : slice(extendTo(amount, Math.max(amount.width, steps), false), 0, steps),
            width,
            false,
          )
        : binary("mod", extendTo(amount, width, false), number(count, width, loc), width, false, loc);
      const bits = size === 1 ? within : binary("mul", within, number(size, width, loc), width, false, loc);
      const offset = left ? binary("sub", number(n, width, loc), bits, width, false, loc) : bits;
      return { ...a, e: stretch(twice, offset, n, loc) };
    }
    // steps of whole elements; more than there are leave nothing of the value
    const width = amount.width + (size === 1 ? 0 : size.toString(2).length);
    const scaled =
      size === 1 ? amount : binary("mul", extendTo(amount, width, false), number(size, width, loc), width, false, loc);
    if (fillOf(left) === "zero") return { ...a, e: binary(left ? "shl" : "shr", a.e, scaled, n, false, loc) };
    if (!left && size === 1)
      return {
        ...a,
        e: markedAs(binary("sshr", markedAs(a.e, true), scaled, n, true, loc), false),
      };
    // the end element stands beside the value as often as it can come in
    const ends = repeat(left ? low : high, count, loc);
    const wide = left ? concat([a.e, ends], loc) : concat([ends, a.e], loc);
    const moved = left
      ? slice(binary("shl", wide, scaled, 2 * n, false, loc), n, n)
      : slice(binary("shr", wide, scaled, 2 * n, false, loc), 0, n);
    const most = Math.min(hi, 2 ** amount.width - 1);
    if (most <= count) return { ...a, e: moved };
    const limit = number(count, Math.max(amount.width, count.toString(2).length), loc);
    const over = binary("gt", extendTo(amount, limit.width, false), limit, 1, false, loc);
    return { ...a, e: choose(over, ends, moved) };
  }

  /** `?=` (9.2.3): '-' in a constant fits anything. */
  match(a: Val, b: Val, loc: Loc): ModelExpr {
    if (a.e.width !== b.e.width) return number(0, 1, loc);
    if (a.e.width === 0) return number(1, 1, loc);
    const [pattern, value] = a.e.op === "const" && a.e.value.b !== 0n ? [a.e, b.e] : [b.e, a.e];
    if (pattern.op === "const" && pattern.value.b !== 0n) {
      const tests: ModelExpr[] = [];
      for (let i = 0; i < pattern.width; i++) {
        const bit = 1n << BigInt(i);
        if (pattern.value.b & bit) continue;
        const own = slice(value, i, 1);
        tests.push(pattern.value.a & bit ? own : not(own));
      }
      if (tests.length === 0) return number(1, 1, loc);
      return unary("redand", concat(tests, loc), 1, false, loc);
    }
    return binary("eq", a.e, b.e, 1, false, loc);
  }

  /** Predefined operators by their names; `a & b` is made elsewhere. */
  predefined(name: string, args: readonly Val[], type: VType, loc: Loc): Val {
    const [a, b] = args;
    switch (name) {
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor":
        return args.length === 1 ? this.reduction(name, a, type, loc) : this.logic2(name, a, b, type, loc);
      case "not":
        return a.shape.k === "s" ? this.host.names.typed(not(a.e), a.shape) : { e: not(a.e), shape: a.shape };
      case "??":
        return this.boolean(a.e);
      case "?=":
        return this.scalar(this.match(a, b, loc), type);
      case "?/=":
        return this.scalar(not(this.match(a, b, loc)), type);
      case "minimum":
      case "maximum":
        return args.length === 1 ? this.extremeOf(name, a, loc) : this.extreme(name, a, b, loc);
      case "sll":
      case "srl":
      case "rol":
      case "ror":
        return this.shift(name, a, b, zeros, loc);
      case "sla":
      case "sra":
        return this.shift(name, a, b, { left: "end", right: "end" }, loc);
    }
    if (isComparison(name)) return this.compare(name, a, b, loc);
    if (args.every((arg) => this.isInteger(arg))) return this.host.integers.integer(name, a, b, loc);
    return this.host.refuse(loc, `'${name}' of ${shapeText(a.shape)}`);
  }
}

/** Least and greatest number of a value. */
export function limitsOf(val: Val): [number, number] {
  if (val.cv !== undefined) return [val.cv, val.cv];
  const { width, signed } = val.e;
  const [lo, hi] = signed ? [-(2 ** (width - 1)), 2 ** (width - 1) - 1] : [0, 2 ** width - 1];
  return [val.lo ?? lo, val.hi ?? hi];
}

/** The same bits, read with a sign or without. */
export function markedAs(e: ModelExpr, signed: boolean): ModelExpr {
  if (e.signed === signed) return e;
  if (e.op === "const") return { ...e, signed };
  return { op: "extend", arg: e, bySign: e.signed, width: e.width, signed, loc: e.loc };
}

/** What the limits of two numbers say about a comparison. */
function decidedByLimits(name: Comparison, a: Val, b: Val): boolean | null {
  const [alo, ahi] = limitsOf(a);
  const [blo, bhi] = limitsOf(b);
  switch (name) {
    case "=":
      return ahi < blo || bhi < alo ? false : alo === ahi && blo === bhi ? alo === blo : null;
    case "/=":
      return ahi < blo || bhi < alo ? true : alo === ahi && blo === bhi ? alo !== blo : null;
    case "<":
      return ahi < blo ? true : alo >= bhi ? false : null;
    case "<=":
      return ahi <= blo ? true : alo > bhi ? false : null;
    case ">":
      return alo > bhi ? true : ahi <= blo ? false : null;
    case ">=":
      return alo >= bhi ? true : ahi < blo ? false : null;
  }
}
