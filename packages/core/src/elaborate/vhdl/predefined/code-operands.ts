import type { Val } from "../code/emit-base.ts";
import { wrapped } from "../code/emit-text.ts";
import type { ArrayShape, Bounds } from "../values/shapes.ts";
import type { CodeCall } from "./call.ts";
import { isArray } from "./call.ts";

/** An array as a number: its payload with length, or a whole number. */
export interface Operand {
  readonly first: string;
  readonly p: string;
  readonly n: string;
  readonly known: number | null;
  readonly isInt: boolean;
  readonly val: Val;
  readonly signed: boolean;
}

export function operand(c: CodeCall, i: number, signed: boolean): Operand {
  const val = c.args[i];
  if (!isArray(val)) return { first: val.js, p: val.js, n: "0", known: 0, isInt: true, val, signed: true };
  const once = c.e.operators.onceVal(val);
  return { ...once, isInt: false, val, signed };
}

/** Sign-extended number of a payload of `n` known bits. */
export function asNumber(p: string, n: number, signed: boolean): string {
  if (!signed) return n >= 32 ? `(${p}>>>0)` : p;
  if (n >= 32) return p;
  return `(${wrapped(p)}<<${32 - n}>>${32 - n})`;
}

export function vector(c: CodeCall, n: number | null, nJs: string, js: string, descending = true): Val {
  const base = c.e.shapes.plainShape(c.sub.result!.type) as ArrayShape;
  if (n !== null) {
    const dims: Bounds[] = [descending ? { l: n - 1, d: 1, n } : { l: 1, d: 0, n }];
    return { js, shape: { ...base, dims } };
  }
  const l = descending ? `${nJs}-1` : "1";
  return { js: `${c.e.rt("arr")}(${js},${l},${descending ? 1 : 0},${nJs})`, shape: base };
}

/** Length given as an argument: a number, or an array whose length is meant. */
export function sizeArg(c: CodeCall, i: number): { n: number | null; js: string } {
  const val = c.args[i];
  if (isArray(val)) {
    const length = c.e.repr.lengthOf(val);
    return { n: length.n, js: length.n !== null ? String(length.n) : c.e.operators.onceVal(val).n };
  }
  if (typeof val.cv === "number") return { n: val.cv, js: String(val.cv) };
  const once = c.e.once(val.js);
  return { n: null, js: once.first === once.again ? once.again : `(${val.js})` };
}

/** The call with names for what its operands give, and what must be worked out before: for who looks at them twice. */
export function lookedAtOnce(c: CodeCall): {
  readonly call: CodeCall;
  readonly before: string[];
  name(js: string): string;
} {
  const before: string[] = [];
  const name = (js: string): string => {
    const { first, again } = c.e.once(js);
    if (first !== again) before.push(first);
    return again;
  };
  return { call: { ...c, args: c.args.map((val) => ({ ...val, js: name(val.js) })) }, before, name };
}
export const after = (before: readonly string[], js: string): string =>
  before.length ? `(${before.join(",")},${js})` : js;
