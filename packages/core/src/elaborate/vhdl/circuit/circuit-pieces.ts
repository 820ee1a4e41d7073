import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr, Signal } from "../../model.ts";
import { exprsOf } from "../../walk.ts";
import type { Expr } from "../bound.ts";
import type { Val } from "./circuit-base.ts";
import { binary, concat, extend, number, slice } from "./circuit-expr.ts";

/** Small pieces of circuits: bits put together, widened and compared. */

export function moved(offset: number | ModelExpr, by: number): number | ModelExpr {
  if (typeof offset === "number") return offset + by;
  return binary("add", offset, number(by, offset.width, offset.loc), offset.width, offset.signed, offset.loc);
}
export function joined(parts: readonly ModelExpr[], loc: Loc): ModelExpr {
  const live = parts.filter((part) => part.width > 0);
  if (live.length === 0) return number(0, 0, loc);
  return concat(live, loc);
}
export function extendTo(e: ModelExpr, width: number, bySign: boolean): ModelExpr {
  if (width <= e.width) return width === e.width ? e : slice(e, 0, width);
  return extend(e, width, bySign);
}
/** A whole number in another width; its sign is that of the new place. */
export function resized(e: ModelExpr, width: number, signed: boolean): ModelExpr {
  const made = extendTo(e, width, e.signed);
  return made.signed === signed
    ? made
    : ({ ...(made === e ? { op: "extend", arg: e, bySign: e.signed, width, loc: e.loc } : made), signed } as ModelExpr);
}
export function fitsIn(v: number, val: Val): boolean {
  return val.e.signed ? v >= -(2 ** (val.e.width - 1)) && v < 2 ** (val.e.width - 1) : v >= 0 && v < 2 ** val.e.width;
}
export function sameExpr(a: ModelExpr, b: ModelExpr): boolean {
  if (a === b) return true;
  if (a.op === "signal" && b.op === "signal") return a.signal === b.signal;
  return a.op === "slice" && b.op === "slice" && a.lsb === b.lsb && a.width === b.width && sameExpr(a.arg, b.arg);
}
/** Signals that an expression reads: whole ones, or single stretches of them. */
export function signalsIn(e: ModelExpr): Map<Signal, ModelExpr> {
  const found = new Map<Signal, ModelExpr>();
  exprsOf(e, (each) => {
    if (each.op === "slice" && each.arg.op === "signal") found.set(each.arg.signal, each);
    else if (each.op === "signal" && !found.has(each.signal)) found.set(each.signal, each);
  });
  return found;
}
export function rootName(e: Expr): string {
  switch (e.op) {
    case "object":
      return e.decl.name;
    case "index":
    case "slice":
    case "field":
      return rootName(e.of);
    default:
      return "";
  }
}
