import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import type { VType } from "../types.ts";
import type { Shape } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, type Val } from "./circuit-base.ts";
import { binary, choose, either, integerWidth, not, number, slice, unary } from "./circuit-expr.ts";
import { isMoved, shareOrigin, staysNear } from "./circuit-moved.ts";
import { limitsOf, markedAs } from "./circuit-operators.ts";
import { extendTo } from "./circuit-pieces.ts";

/** Powers with a computed exponent are a table of this many entries at most. */
const mostPowers = 64;

/** Arithmetic of whole numbers (9.2.5 to 9.2.8). */
export class CircuitIntegers {
  constructor(private readonly host: CircuitWriter) {}

  /** A whole number within limits, in no more bits than they need. */
  limited(e: ModelExpr, shape: Shape, lo: number, hi: number, loc: Loc): Val {
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
  integer(name: string, a: Val, b: Val | undefined, loc: Loc): Val {
    const { type } = a.shape as { type: VType };
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    if (isMoved(a) || (b && isMoved(b))) {
      const isDistance = name === "-" && b !== undefined && shareOrigin(a, b);
      const [from, by] = name === "+" && b && !isMoved(a) ? [b, a] : [a, b];
      const isShift = (name === "+" || name === "-") && by !== undefined && !isMoved(by) && staysNear(by);
      if (!isDistance && !(isShift && shareOrigin(from))) this.host.names.refuseMoved(loc);
    }
    const [x, y] = [knownOf(a), b ? knownOf(b) : null];
    if (x !== null && (!b || y !== null)) {
      const v = this.computed(name, x, y ?? 0);
      if (v !== null) {
        const isIn = Number.isFinite(v) && v >= -(2 ** 31) && v < 2 ** 31;
        const sure = a.sure === true && (!b || b.sure === true);
        if (isIn) return { ...this.host.names.whole(v, shape, loc), sure };
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
        return this.host.refuse(loc, `'${name}'`);
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
          if (ahi < y!) return { ...this.host.names.whole(0, shape, loc), sure: false };
          return finish(slice(a.e, power, Math.max(1, a.e.width - power)));
        }
        return finish(binary("div", p, q, width, signed, loc));
      }
      default: {
        const power = y !== null && y > 0 ? Math.log2(y) : Number.NaN;
        if (Number.isInteger(power) && (name === "mod" || alo >= 0)) {
          if (power === 0) return this.host.names.whole(0, shape, loc);
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
      let made = this.host.names.whole(1, shape, loc);
      for (let i = 0; i < exponent; i++) made = this.integer("*", made, a, loc);
      return made;
    }
    const base = knownOf(a);
    if (base === null) return this.host.refuse(loc, "A power of two computed numbers", "Multiply, or use a constant.");
    // a table of all powers that fit
    const [least, most] = limitsOf(b);
    const items: Val[] = [];
    for (let v = Math.max(0, least); v <= Math.min(most, mostPowers); v++) {
      const value = base ** v;
      if (value < -(2 ** 31) || value >= 2 ** 31) break;
      items.push(this.host.names.whole(value, shape, loc));
    }
    if (items.length === 0) return { e: either(1, loc), shape, lo: 0, hi: 1 };
    const from = Math.max(0, least);
    let made = items[items.length - 1];
    for (let i = items.length - 2; i >= 0; i--) {
      const test = this.host.operators.compare("=", b, this.host.names.whole(from + i, b.shape, loc), loc).e;
      const [p, q, signed] = this.host.operators.aligned(items[i], made);
      const [lo, hi] = [
        Math.min(limitsOf(items[i])[0], limitsOf(made)[0]),
        Math.max(limitsOf(items[i])[1], limitsOf(made)[1]),
      ];
      made = this.limited({ ...choose(test, p, q), signed } as ModelExpr, shape, lo, hi, loc);
    }
    return made;
  }
  /** The remainder with the divisor's sign, from that with the dividend's. */
  floorMod(rest: ModelExpr, divisor: ModelExpr, width: number, loc: Loc): ModelExpr {
    const zero = binary("eq", rest, number(0, width, loc, true), 1, false, loc);
    const differs = binary("xor", slice(rest, width - 1, 1), slice(divisor, width - 1, 1), 1, false, loc);
    return choose(
      binary("and", not(zero), differs, 1, false, loc),
      binary("add", rest, divisor, width, true, loc),
      rest,
    );
  }
}
