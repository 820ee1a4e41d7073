import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import type { Expr, Subprogram } from "../bound.ts";
import type { Bounds, Shape } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, type Val } from "./circuit-base.ts";
import { binary, choose, extend, not, number, slice, unary } from "./circuit-expr.ts";
import { extendTo, joined } from "./circuit-pieces.ts";

/** Functions of the packages that ship with the product, as circuits. */
export class CircuitCall {
  constructor(private readonly host: CircuitWriter) {}

  // ---- calls ----------------------------------------------------------------------------------------------------

  call(e: Expr & { op: "call" }): Val {
    const { sub, loc } = e;
    if (sub.native && !sub.body) return this.native(e, loc);
    return this.host.subprograms.invoke(sub, e.args, loc) ?? this.host.refuse(loc, `'${sub.name}'`);
  }

  /** Functions of the packages that ship with the product (IEEE 1076-2008 clause 16). */
  private native(e: Expr & { op: "call" }, loc: Loc): Val {
    const { sub } = e;
    const [home, ...rest] = sub.native!.split(".");
    const name = rest.join(".");
    const type = sub.result!.type;
    const args = sub.params.map((_, i) => {
      const arg = e.args[i] ?? sub.defaults[i];
      return arg ? this.host.names.plain(this.host.values.expr(arg), arg.loc) : this.host.refuse(loc, `'${sub.name}'`);
    });
    const [a, b] = args;
    const isPlain = /numeric_std_|std_logic_(un)?signed/.test(home);
    const isSigned = (i: number): boolean => {
      const own = sub.params[i]?.subtype.type;
      if (isPlain) return /_signed$/.test(home);
      return own?.kind === "int" ? true : /signed/.test(own?.name ?? "") && !/unsigned/.test(own?.name ?? "");
    };
    const vectorSigned = sub.params.some((param, i) => param.subtype.type.kind === "array" && isSigned(i));
    const made = (bits: ModelExpr, descending = true): Val => {
      const plain = this.host.owner.emitter(this.host.scope.frame).shapes.plainShape(type);
      if (plain.k !== "a") return this.host.names.typed(bits, plain);
      const n = bits.width;
      const dims: Bounds[] = [descending ? { l: n - 1, d: 1, n } : { l: 1, d: 0, n }];
      return { e: bits.signed ? { ...bits, signed: false } : bits, shape: { ...plain, dims } };
    };
    const plainName = name.replace(/^to_01$|^to_x01$|^to_x01z$|^to_ux01$/, "same");
    switch (plainName) {
      case "same":
      case "to_bit":
      case "to_stdulogic":
        return { e: a.e, shape: a.shape.k === "a" ? made(a.e).shape : { k: "s", type, lo: null, hi: null } };
      case "to_bitvector":
      case "to_stdlogicvector":
      case "to_stdulogicvector":
        return a.shape.k === "a" ? made(a.e) : made(extendTo(a.e, this.sizeOf(b), a.e.signed));
      case "is_x":
        return this.host.operators.boolean(number(0, 1, loc));
      case "??":
        return this.host.operators.boolean(a.e);
      case "not":
        return a.shape.k === "a"
          ? made(not(a.e), home !== "std_logic_1164")
          : { e: not(a.e), shape: { k: "s", type, lo: null, hi: null } };
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor": {
        if (args.length === 1) return this.host.operators.reduction(plainName, a, type, loc);
        const done = this.host.operators.logic2(plainName, a, b, type, loc);
        return done.shape.k === "a" ? made(done.e, home !== "std_logic_1164") : done;
      }
      case "?=":
      case "?/=":
      case "std_match": {
        // '-' in a constant fits anything
        const test = this.host.operators.match(a, b, loc);
        return { e: plainName === "?/=" ? not(test) : test, shape: { k: "s", type, lo: null, hi: null } };
      }
      case "rising_edge":
      case "falling_edge":
        return this.host.refuse(
          loc,
          "An edge in this place",
          "Write 'if rising_edge(clk) then' around all that the clock does.",
        );
      case "resize": {
        const n = this.sizeOf(b);
        return made(this.resize(a.e, n, isSigned(0)));
      }
      case "conv_unsigned":
      case "conv_signed":
      case "conv_std_logic_vector":
      case "to_unsigned":
      case "to_signed":
      case "ext":
      case "sxt": {
        const n = this.sizeOf(b);
        const bySign = plainName === "sxt" || (a.shape.k === "a" ? isSigned(0) : a.e.signed);
        return made(extendTo(a.e, n, bySign));
      }
      case "to_integer":
      case "conv_integer": {
        if (this.host.operators.isInteger(a)) return { ...a, shape: { k: "s", type, lo: null, hi: null } };
        const signed = a.shape.k === "a" && isSigned(0);
        const w = Math.min(a.e.width, signed ? 32 : 31);
        const bits = slice(a.e, 0, w);
        const shape: Shape = { k: "s", type, lo: null, hi: null };
        if (w === 0) return { e: number(0, 1, loc), shape, lo: 0, hi: 0 };
        return signed
          ? { e: { ...extend(bits, w, true), signed: true }, shape, lo: -(2 ** (w - 1)), hi: 2 ** (w - 1) - 1 }
          : { e: bits, shape, lo: 0, hi: 2 ** w - 1 };
      }
      case "shift_left":
      case "shift_right":
      case "rotate_left":
      case "rotate_right":
      case "sll":
      case "srl":
      case "sla":
      case "sra":
      case "rol":
      case "ror":
        return made(
          this.host.operators.shift(
            plainName,
            a,
            b,
            { left: "zero", right: vectorSigned && !/^s[lr]l$/.test(plainName) ? "end" : "zero" },
            loc,
          ).e,
          home !== "std_logic_1164",
        );
      case "shl":
      case "shr": {
        const hi = 2 ** Math.min(31, b.e.width) - 1;
        const count: Val = {
          e: b.e,
          shape: { k: "s", type: this.host.world.standard.integer, lo: null, hi: null },
          lo: 0,
          hi,
        };
        return made(
          this.host.operators.shift(plainName, a, count, { left: "zero", right: vectorSigned ? "end" : "zero" }, loc).e,
        );
      }
      case "find_leftmost":
      case "find_rightmost": {
        // the first from that end, counted from the right; -1 if there is none (IEEE 1076-2008, clause 16.8)
        const integer: Shape = { k: "s", type, lo: null, hi: null };
        let found = this.host.names.whole(-1, integer, loc);
        const order = Array.from({ length: a.e.width }, (_, i) => i);
        if (plainName === "find_rightmost") order.reverse();
        for (const i of order) {
          const hit = binary("eq", slice(a.e, i, 1), b.e, 1, false, loc);
          const [x, y, signed] = this.host.operators.aligned(this.host.names.whole(i, integer, loc), found);
          const e = { ...choose(hit, x, y), signed } as ModelExpr;
          found = { e, shape: integer, lo: -1, hi: Math.max(i, found.hi ?? 0) };
        }
        return found;
      }
      case "+":
      case "-":
      case "*":
      case "/":
      case "mod":
      case "rem":
      case "abs":
        return made(this.vectorArithmetic(plainName, args, sub, isSigned, home, loc));
      case "=":
      case "/=":
      case "<":
      case "<=":
      case ">":
      case ">=":
      case "?<":
      case "?<=":
      case "?>":
      case "?>=":
      case "minimum":
      case "maximum": {
        const op = plainName.replace("?", "");
        const [x, y, signed] = this.numbers(a, b, isSigned(0), isSigned(1));
        const kind =
          op === "="
            ? "eq"
            : op === "/="
              ? "ne"
              : op === "<" || op === "minimum" || op === "maximum"
                ? "lt"
                : op === "<="
                  ? "le"
                  : op === ">"
                    ? "gt"
                    : "ge";
        const test = x.width ? binary(kind, x, y, 1, signed, loc) : number(0, 1, loc);
        if (op === "minimum" || op === "maximum") {
          const n = Math.max(a.shape.k === "a" ? a.e.width : 0, b.shape.k === "a" ? b.e.width : 0);
          return made(extendTo(choose(test, op === "minimum" ? x : y, op === "minimum" ? y : x), n, signed));
        }
        return { e: test, shape: { k: "s", type, lo: null, hi: null } };
      }
    }
    return this.host.refuse(loc, `'${sub.name.replaceAll('"', "")}' of ${home}`);
  }

  private sizeOf(val: Val): number {
    if (val.shape.k === "a") return val.e.width;
    const known = knownOf(val);
    if (known === null) this.host.refuse(val.e.loc, "A length that is computed");
    return known;
  }
  private resize(e: ModelExpr, n: number, signed: boolean): ModelExpr {
    if (n >= e.width || !signed) return extendTo(e, n, signed);
    if (n === 0) return number(0, 0, e.loc);
    // the sign is kept (numeric_std's resize)
    return joined([slice(e, e.width - 1, 1), slice(e, 0, n - 1)], e.loc);
  }

  /** Operands of a comparison as numbers of one width. */
  private numbers(a: Val, b: Val, aSigned: boolean, bSigned: boolean): [ModelExpr, ModelExpr, boolean] {
    const signedOf = (val: Val, own: boolean) => (val.shape.k === "a" ? own : val.e.signed);
    const [s, t] = [signedOf(a, aSigned), signedOf(b, bSigned)];
    const signed = s || t;
    const need = (val: Val, own: boolean) => val.e.width + (signed && !own ? 1 : 0);
    const width = Math.max(need(a, s), need(b, t), 1);
    return [extendTo(a.e, width, s), extendTo(b.e, width, t), signed];
  }

  private vectorArithmetic(
    name: string,
    args: readonly Val[],
    sub: Subprogram,
    isSigned: (i: number) => boolean,
    home: string,
    loc: Loc,
  ): ModelExpr {
    const [a, b] = args;
    const isVector = (i: number) => args[i].shape.k === "a";
    const isArith = home.startsWith("std_logic_");
    if (args.length === 1) {
      const n = a.e.width;
      if (name === "+") return a.e;
      const negative = unary("neg", a.e, n, true, loc);
      return name === "-" ? negative : choose(slice(a.e, n - 1, 1), negative, a.e);
    }
    const isBit = (i: number) => args[i].shape.k === "s" && sub.params[i].subtype.type.kind === "enum";
    const signed = args.some((_, i) => isVector(i) && isSigned(i));
    const extra = (i: number) => (isArith && signed && isVector(i) && !isSigned(i) ? 1 : 0);
    const sizes = args.map((arg, i) => (isVector(i) ? arg.e.width + extra(i) : isBit(i) ? 1 : 0));
    const signOf = (i: number) => (isVector(i) ? isSigned(i) : isBit(i) ? false : args[i].e.signed);
    let n: number;
    switch (name) {
      case "*":
        n = sizes[0] === 0 ? 2 * sizes[1] : sizes[1] === 0 ? 2 * sizes[0] : sizes[0] + sizes[1];
        break;
      case "/":
        n = sizes[0] || sizes[1];
        break;
      case "mod":
      case "rem":
        n = sizes[1] || sizes[0];
        break;
      default:
        n = Math.max(...sizes);
    }
    if (n === 0) return number(0, 0, loc);
    if (name === "+" || name === "-" || name === "*") {
      // a whole number is cut to the other operand's length first
      const own = (i: number) =>
        isVector(i) || isBit(i) || name !== "*" ? args[i].e : extendTo(args[i].e, sizes[1 - i], signOf(i));
      const x = extendTo(own(0), n, signOf(0));
      const y = extendTo(own(1), n, signOf(1));
      return binary(name === "+" ? "add" : name === "-" ? "sub" : "mul", x, y, n, signed, loc);
    }
    // a quotient needs both operands whole
    const [x, y, wideSigned] = this.numbers(a, b, signOf(0), signOf(1));
    const { width } = x;
    const fitted = (e: ModelExpr) => (isVector(0) && isVector(1) ? extendTo(e, n, signed) : this.resize(e, n, signed));
    if (name === "/") return fitted(binary("div", x, y, width, wideSigned, loc));
    const remainder = binary("mod", x, y, width, wideSigned, loc);
    const whole = name === "mod" && wideSigned ? this.host.integers.floorMod(remainder, y, width, loc) : remainder;
    return fitted(whole);
  }
}
