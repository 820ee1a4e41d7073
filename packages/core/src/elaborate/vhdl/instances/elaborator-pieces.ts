import type { BoundProcess, Expr, Subprogram } from "../bound.ts";
import type { Ref } from "../code/emit-text.ts";
import type { UnitEmitter } from "../code/unit-emitter.ts";
import type { Subtype } from "../types.ts";
import type { Shape } from "../values/shapes.ts";
import { Arr, type Bits, boundsWithin, codesOf, flat, fromCodes, insertL, setL } from "../values/values.ts";

/** Stretches of signals, and values as people write them: what the elaborator needs beside. */

/** Bits of a signal: one, or several side by side; `two`: of an array of bits, whose elements are 0 and 1. */
export interface Stretch {
  readonly lo: number;
  readonly n: number;
  readonly bit: boolean;
  readonly two: boolean;
}
export function stretchOf(ref: Ref): Stretch | null {
  if (!ref.part || ref.part.loKnown === null || ref.part.nKnown === null) return null;
  return {
    lo: ref.part.loKnown,
    n: ref.part.nKnown,
    bit: ref.part.bit,
    two: ref.shape.k === "a" && ref.shape.pack === "bit",
  };
}
/** Bits with a stretch of them replaced. */
export function putStretch(p: Bits, n: number, { lo, n: width, bit, two }: Stretch, v: unknown): Bits {
  if (bit) return setL(p, n, lo, two ? (v as number) + 2 : (v as number));
  return insertL(p, n, lo, v as Bits, width);
}
/** A name of a signal behind type conversions between arrays: they change nothing that a signal keeps. */
export function refThroughConversions(emitter: UnitEmitter, expr: Expr): Ref | null {
  let at = expr;
  while ((at.op === "convert" && at.type.kind === "array") || at.op === "qualified") at = at.arg;
  return at.op === "object" || at.op === "index" || at.op === "slice" || at.op === "field" || at.op === "external"
    ? emitter.elements.refOf(at)
    : null;
}
/** A generic's value: without bounds of its own where the generic has some. */
export function opened(v: unknown, shape: Shape): { v: unknown; shape: Shape } {
  return v instanceof Arr && shape.k === "a" && shape.dims ? { v: v.p, shape } : unbox(v, shape);
}
export function isPlainAssignment(stmt: BoundProcess["stmts"][number]): boolean {
  switch (stmt.op) {
    case "signal":
      return (
        !stmt.transport &&
        stmt.force === null &&
        stmt.waveform.elements.length === 1 &&
        stmt.waveform.elements[0].after === null
      );
    case "if":
      return stmt.yes.every(isPlainAssignment) && (stmt.no?.every(isPlainAssignment) ?? true);
    case "case":
      return stmt.branches.every((branch) => branch.body.every(isPlainAssignment));
    default:
      return false;
  }
}
export function unbox(v: unknown, shape: Shape): { v: unknown; shape: Shape } {
  if (v instanceof Arr && shape.k === "a" && shape.dims === null) {
    const count = shape.type.indexes.length;
    const dims = boundsWithin(v, count).map(({ l, d, n }) => ({ l, d, n }));
    return { v: flat(v, count), shape: { ...shape, dims } };
  }
  return { v, shape };
}
export function zeroOf(shape: Shape): unknown {
  if (shape.k === "r") return shape.fields.map(zeroOf);
  if (shape.k === "a") {
    if (shape.pack === "char") return " ".repeat(shape.dims?.[0].n ?? 0);
    const n = shape.dims?.[0].n ?? 0;
    if (shape.pack) return fromCodes(codesOf(0, n).map(() => 2));
    const rest = shape.dims?.slice(1) ?? [];
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    return Array.from({ length: n }, () => zeroOf(inner));
  }
  return shape.k === "s" && typeof shape.lo === "number" ? shape.lo : 0;
}
export function resolutionOf(subtype: Subtype | null): Subprogram | null {
  for (let at = subtype; at; at = at.parent) if (at.resolution) return at.resolution;
  return null;
}
export function elementResolutionOf(subtype: Subtype | null): Subprogram | null {
  for (let at = subtype; at; at = at.parent) if (at.elementResolution) return at.elementResolution;
  return null;
}
export function samePath(a: readonly string[], b: readonly string[]): boolean {
  return a.length === b.length && a.every((each, i) => each === b[i]);
}
/** A generic's value as people write it. */
export function showValue(v: unknown, shape: Shape): string {
  if (shape.k === "s" && shape.type.kind === "enum") return shape.type.literals[v as number]?.name ?? String(v);
  if (shape.k === "s" && shape.type.kind === "physical") return `${v} ${shape.type.base}`;
  if (typeof v === "string") return JSON.stringify(v);
  if (shape.k === "a" && shape.pack && shape.dims) {
    const codes = codesOf(v as Bits, shape.dims[0].n);
    return `"${[...codes]
      .reverse()
      .map((code) => "UX01ZWLH-"[code])
      .join("")}"`;
  }
  return typeof v === "number" ? String(v) : "...";
}
