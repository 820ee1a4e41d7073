import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import type { VType } from "../types.ts";
import { type Shape, shapeText } from "../values/shapes.ts";
import { knownOf, NoCircuit, type Val } from "./circuit-base.ts";
import {
  binary,
  choose,
  concat,
  either,
  integerLimits,
  integerWidth,
  not,
  number,
  repeat,
  slice,
  stretch,
  unary,
  widthOf,
} from "./circuit-expr.ts";
import { isMoved, shareOrigin, staysNear } from "./circuit-moved.ts";
import { CircuitName } from "./circuit-name.ts";
import { extendTo, joined } from "./circuit-pieces.ts";

/** Powers with a computed exponent are a table of this many entries at most. */
const mostPowers = 64;

const comparisons = { "=": "eq", "/=": "ne", "<": "lt", "<=": "le", ">": "gt", ">=": "ge" } as const;
export type Comparison = keyof typeof comparisons;
const isComparison = (name: string): name is Comparison => name in comparisons;

interface Fills {
  readonly left: "zero" | "end";
  readonly right: "zero" | "end";
}
export const zeros: Fills = { left: "zero", right: "zero" };

/** Predefined operators (IEEE 1076-2008, 9.2) on values of the circuit. */
export abstract class CircuitOperators extends CircuitName {
  protected boolean(e: ModelExpr): Val {
    return this.typed(e, { k: "s", type: this.world.standard.boolean, lo: null, hi: null });
  }
  protected scalar(e: ModelExpr, type: VType): Val {
    return this.typed(e, { k: "s", type, lo: null, hi: null });
  }

  // ---- logic (9.2.2) ----------------------------------------------------------------------------------------------

  protected logic2(name: string, a: Val, b: Val, type: VType, loc: Loc): Val {
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
        this.error(
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
  protected reduction(name: string, a: Val, type: VType, loc: Loc): Val {
    const base = name.replace(/^n(?=and|or)/, "").replace(/^xnor$/, "xor");
    // of no elements: what changes nothing
    const made =
      a.e.width === 0
        ? number(base === "and" ? 1 : 0, 1, loc)
        : unary(base === "and" ? "redand" : base === "or" ? "redor" : "redxor", a.e, 1, false, loc);
    return this.scalar(base === name ? made : not(made), type);
  }

  // ---- comparisons (9.2.3) ----------------------------------------------------------------------------------------

  protected isInteger(val: Val): boolean {
    return val.shape.k === "s" && val.shape.type.kind === "int";
  }
  /** Whole numbers in one width that holds both. */
  protected aligned(a: Val, b: Val): [ModelExpr, ModelExpr, boolean] {
    const signed = a.e.signed || b.e.signed;
    const need = (val: Val) => val.e.width + (signed && !val.e.signed ? 1 : 0);
    const width = Math.max(need(a), need(b));
    return [extendTo(a.e, width, a.e.signed), extendTo(b.e, width, b.e.signed), signed];
  }

  protected compare(name: Comparison, a: Val, b: Val, loc: Loc): Val {
    if (this.isInteger(a)) {
      if ((isMoved(a) || isMoved(b)) && !shareOrigin(a, b)) this.refuseMoved(loc);
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

  protected extreme(name: "minimum" | "maximum", a: Val, b: Val, loc: Loc): Val {
    const test = this.compare("<", a, b, loc).e;
    if (this.isInteger(a)) {
      const [x, y, signed] = this.aligned(a, b);
      const e = choose(test, name === "minimum" ? x : y, name === "minimum" ? y : x);
      const pick = name === "minimum" ? Math.min : Math.max;
      const [alo, ahi] = limitsOf(a);
      const [blo, bhi] = limitsOf(b);
      return this.limited({ ...e, signed } as ModelExpr, a.shape, pick(alo, blo), pick(ahi, bhi), loc);
    }
    const [yes, no] = name === "minimum" ? [a, b] : [b, a];
    const known = knownOf({ ...a, e: test, cv: undefined, shape: this.boolean(test).shape });
    if (known !== null) return known === 1 ? yes : no;
    if (yes.e.width !== no.e.width) return this.refuse(loc, `'${name}' of arrays of different lengths`);
    return { e: choose(test, yes.e, no.e), shape: a.shape };
  }
  /** The least or greatest element of an array (2008). */
  protected extremeOf(name: "minimum" | "maximum", a: Val, loc: Loc): Val {
    const { shape } = a;
    if (shape.k !== "a" || !shape.dims || shape.dims[0].n === 0) return this.refuse(loc, `'${name}' of nothing`);
    const of = this.valueRef(a);
    let made = this.load(this.itemRef(of, 0), loc);
    for (let k = 1; k < shape.dims[0].n; k++) made = this.extreme(name, made, this.load(this.itemRef(of, k), loc), loc);
    return made;
  }

  // ---- whole numbers (9.2.5 to 9.2.8) -----------------------------------------------------------------------------

  /** A whole number within limits, in no more bits than they need. */
  protected limited(e: ModelExpr, shape: Shape, lo: number, hi: number, loc: Loc): Val {
    if (lo > hi) return { e: either(1, loc), shape, lo: 0, hi: 1 };
    const signed = lo < 0;
    const made = extendTo(e, integerWidth(lo, hi), e.signed);
    return {
      e: made.signed === signed ? made : markedAs(made, signed),
      shape,
      lo,
      hi,
    };
  }

  /**
   * Arithmetic of whole numbers, in as many bits as the limits of the operands need. What passes 32 bits ends the
   * simulation, so its bits may be anything.
   */
  protected integer(name: string, a: Val, b: Val | undefined, loc: Loc): Val {
    const { type } = a.shape as { type: VType };
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    if (isMoved(a) || (b && isMoved(b))) {
      const isDistance = name === "-" && b !== undefined && shareOrigin(a, b);
      const [from, by] = name === "+" && b && !isMoved(a) ? [b, a] : [a, b];
      const isShift = (name === "+" || name === "-") && by !== undefined && !isMoved(by) && staysNear(by);
      if (!isDistance && !(isShift && shareOrigin(from))) this.refuseMoved(loc);
    }
    const [x, y] = [knownOf(a), b ? knownOf(b) : null];
    if (x !== null && (!b || y !== null)) {
      const v = this.computed(name, x, y ?? 0);
      if (v !== null) {
        const isIn = Number.isFinite(v) && v >= -(2 ** 31) && v < 2 ** 31;
        const sure = a.sure === true && (!b || b.sure === true);
        if (isIn) return { ...this.whole(v, shape, loc), sure };
        return { e: either(32, loc), shape, lo: -(2 ** 31), hi: 2 ** 31 - 1 };
      }
    }
    const [alo, ahi] = limitsOf(a);
    const [blo, bhi] = b ? limitsOf(b) : [0, 0];
    let lo: number;
    let hi: number;
    switch (name) {
      case "plus":
        return a;
      case "+":
        [lo, hi] = [alo + blo, ahi + bhi];
        break;
      case "-":
        [lo, hi] = [alo - bhi, ahi - blo];
        break;
      case "neg":
        [lo, hi] = [-ahi, -alo];
        break;
      case "abs":
        if (alo >= 0) return { ...a, shape };
        [lo, hi] = [0, Math.max(Math.abs(alo), Math.abs(ahi))];
        break;
      case "*": {
        const corners = [alo * blo, alo * bhi, ahi * blo, ahi * bhi];
        [lo, hi] = [Math.min(...corners), Math.max(...corners)];
        break;
      }
      case "/": {
        const most = Math.max(Math.abs(alo), Math.abs(ahi));
        const least = blo > 0 ? blo : 1;
        const top = Math.floor(most / least);
        [lo, hi] = [alo >= 0 && blo >= 0 ? 0 : -top, alo < 0 && ahi <= 0 && blo > 0 ? 0 : top];
        break;
      }
      case "mod":
        [lo, hi] = [Math.min(0, blo + 1), Math.max(0, bhi - 1)];
        if (alo >= 0 && blo >= 0) hi = Math.min(hi, ahi);
        break;
      case "rem": {
        const most = Math.max(Math.abs(blo), Math.abs(bhi)) - 1;
        [lo, hi] = [Math.max(Math.min(0, alo), -most), Math.min(Math.max(0, ahi), most)];
        break;
      }
      case "**":
        return this.power(a, b!, shape, loc);
      default:
        return this.refuse(loc, `'${name}'`);
    }
    lo = Math.max(lo, -(2 ** 31)) + 0;
    hi = Math.min(hi, 2 ** 31 - 1) + 0;
    const signed = lo < 0 || a.e.signed || (b?.e.signed ?? false);
    const width = Math.max(
      lo <= hi ? integerWidth(lo, hi) + (signed && lo >= 0 ? 1 : 0) : 1,
      a.e.width + (signed && !a.e.signed ? 1 : 0),
      b ? b.e.width + (signed && !b.e.signed ? 1 : 0) : 0,
    );
    const p = extendTo(a.e, width, a.e.signed);
    const q = b ? extendTo(b.e, width, b.e.signed) : p;
    const finish = (e: ModelExpr): Val => this.limited(e, shape, lo, hi, loc);
    switch (name) {
      case "+":
        return finish(binary("add", p, q, width, signed, loc));
      case "-":
        return finish(binary("sub", p, q, width, signed, loc));
      case "*":
        return finish(binary("mul", p, q, width, signed, loc));
      case "neg":
        return finish(unary("neg", p, width, signed, loc));
      case "abs":
        return finish(choose(slice(p, width - 1, 1), unary("neg", p, width, signed, loc), p));
      case "/": {
        const power = y !== null && y > 0 ? Math.log2(y) : Number.NaN;
        if (power === 0) return { ...a, shape };
        if (Number.isInteger(power) && alo >= 0) {
          if (ahi < y!) return { ...this.whole(0, shape, loc), sure: false };
          return finish(slice(a.e, power, Math.max(1, a.e.width - power)));
        }
        return finish(binary("div", p, q, width, signed, loc));
      }
      default: {
        const power = y !== null && y > 0 ? Math.log2(y) : Number.NaN;
        if (Number.isInteger(power) && (name === "mod" || alo >= 0)) {
          if (power === 0) return this.whole(0, shape, loc);
          const bits = slice(extendTo(a.e, Math.max(a.e.width, power), a.e.signed), 0, power);
          return this.limited(bits, shape, 0, Math.min(hi, y! - 1), loc);
        }
        const rest = binary("mod", p, q, width, signed, loc);
        if (name === "rem" || !signed) return finish(rest);
        return finish(this.floorMod(rest, q, width, loc));
      }
    }
  }
  private computed(name: string, x: number, y: number): number | null {
    switch (name) {
      case "plus":
        return x;
      case "neg":
        return 0 - x;
      case "abs":
        return Math.abs(x);
      case "+":
        return x + y;
      case "-":
        return x - y;
      case "*":
        return x * y + 0;
      case "/":
        return y === 0 ? Number.NaN : Math.trunc(x / y) + 0;
      case "mod":
        return y === 0 ? Number.NaN : x - y * Math.floor(x / y) + 0;
      case "rem":
        return y === 0 ? Number.NaN : (x % y) + 0;
      case "**":
        return y < 0 ? Number.NaN : x ** y;
      default:
        return null;
    }
  }
  private power(a: Val, b: Val, shape: Shape, loc: Loc): Val {
    const exponent = knownOf(b);
    if (exponent !== null && exponent >= 0 && exponent <= 31) {
      let made = this.whole(1, shape, loc);
      for (let i = 0; i < exponent; i++) made = this.integer("*", made, a, loc);
      return made;
    }
    const base = knownOf(a);
    if (base === null) return this.refuse(loc, "A power of two computed numbers", "Multiply, or use a constant.");
    // a table of all powers that fit
    const [least, most] = limitsOf(b);
    const items: Val[] = [];
    for (let v = Math.max(0, least); v <= Math.min(most, mostPowers); v++) {
      const value = base ** v;
      if (value < -(2 ** 31) || value >= 2 ** 31) break;
      items.push(this.whole(value, shape, loc));
    }
    if (items.length === 0) return { e: either(1, loc), shape, lo: 0, hi: 1 };
    const from = Math.max(0, least);
    let made = items[items.length - 1];
    for (let i = items.length - 2; i >= 0; i--) {
      const test = this.compare("=", b, this.whole(from + i, b.shape, loc), loc).e;
      const [p, q, signed] = this.aligned(items[i], made);
      const [lo, hi] = [
        Math.min(limitsOf(items[i])[0], limitsOf(made)[0]),
        Math.max(limitsOf(items[i])[1], limitsOf(made)[1]),
      ];
      made = this.limited({ ...choose(test, p, q), signed } as ModelExpr, shape, lo, hi, loc);
    }
    return made;
  }
  /** The remainder with the divisor's sign, from that with the dividend's. */
  protected floorMod(rest: ModelExpr, divisor: ModelExpr, width: number, loc: Loc): ModelExpr {
    const zero = binary("eq", rest, number(0, width, loc, true), 1, false, loc);
    const differs = binary("xor", slice(rest, width - 1, 1), slice(divisor, width - 1, 1), 1, false, loc);
    return choose(
      binary("and", not(zero), differs, 1, false, loc),
      binary("add", rest, divisor, width, true, loc),
      rest,
    );
  }

  // ---- shifts (9.2.4) ---------------------------------------------------------------------------------------------

  /** @param fill What comes in to the left and to the right: zeros, or the element at that end again. */
  protected shift(name: string, a: Val, by: Val, fills: Fills, loc: Loc): Val {
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
    const [lo, hi] = limitsOf(this.plain(by, loc));
    if (lo < 0) {
      // either way, by the sign of the count
      const back = this.integer("neg", by, undefined, loc);
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
  protected match(a: Val, b: Val, loc: Loc): ModelExpr {
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
  protected predefined(name: string, args: readonly Val[], type: VType, loc: Loc): Val {
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
        return a.shape.k === "s" ? this.typed(not(a.e), a.shape) : { e: not(a.e), shape: a.shape };
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
    if (args.every((arg) => this.isInteger(arg))) return this.integer(name, a, b, loc);
    return this.refuse(loc, `'${name}' of ${shapeText(a.shape)}`);
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
function markedAs(e: ModelExpr, signed: boolean): ModelExpr {
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
