import type { Expr as ModelExpr } from "../../model.ts";
import { knownOf, type Val } from "../circuit/circuit-base.ts";
import { number, slice } from "../circuit/circuit-expr.ts";
import { extendTo, joined } from "../circuit/circuit-pieces.ts";
import type { Bounds, Shape } from "../values/shapes.ts";
import { type CircuitCall, isArray } from "./call.ts";

/** A vector of the result's type, or one bit. */
export function vectorOf({ c, sub, as }: CircuitCall, bits: ModelExpr, descending = as.descending): Val {
  const plain = c.owner.emitter(c.scope.frame).shapes.plainShape(sub.result!.type);
  if (plain.k !== "a") return c.names.typed(bits, plain);
  const n = bits.width;
  const dims: Bounds[] = [descending ? { l: n - 1, d: 1, n } : { l: 1, d: 0, n }];
  return { e: bits.signed ? { ...bits, signed: false } : bits, shape: { ...plain, dims } };
}

/** A scalar of the result's type. */
export function scalarOf({ sub }: CircuitCall, e: ModelExpr): Val {
  const shape: Shape = { k: "s", type: sub.result!.type, lo: null, hi: null };
  return { e, shape };
}

/** The length that an argument gives: a number that is known, or a vector whose length is meant. */
export function lengthGiven({ c }: CircuitCall, val: Val): number {
  if (isArray(val)) return val.e.width;
  return knownOf(val) ?? c.refuse(val.e.loc, "A length that is computed");
}

/** As numeric_std resizes: the sign stays. */
export function resized(e: ModelExpr, n: number, signed: boolean): ModelExpr {
  if (n >= e.width || !signed) return extendTo(e, n, signed);
  if (n === 0) return number(0, 0, e.loc);
  return joined([slice(e, e.width - 1, 1), slice(e, 0, n - 1)], e.loc);
}

/** Operands as numbers of one width. */
export function asNumbers(a: Val, b: Val, aSigned: boolean, bSigned: boolean): [ModelExpr, ModelExpr, boolean] {
  const signedOf = (val: Val, own: boolean) => (isArray(val) ? own : val.e.signed);
  const [s, t] = [signedOf(a, aSigned), signedOf(b, bSigned)];
  const signed = s || t;
  const need = (val: Val, own: boolean) => val.e.width + (signed && !own ? 1 : 0);
  const width = Math.max(need(a, s), need(b, t), 1);
  return [extendTo(a.e, width, s), extendTo(b.e, width, t), signed];
}
