import { type Bits, bit1 } from "../../netlist/rtl.ts";
import { evaluate } from "../evaluate.ts";
import type { Expr } from "../model.ts";

/** A constant case label over the bits that it cares for. */
export interface Pattern {
  readonly care: bigint;
  readonly value: bigint;
  /** False for a label with x or z in a plain case: no real value equals it. */
  readonly possible: boolean;
}

export function labelPattern(label: Expr, flavour: "case" | "casez" | "casex"): Pattern | null {
  const value = evaluate(label);
  if (!value) return null;
  const full = (1n << BigInt(label.width)) - 1n;
  const z = value.b & ~value.a;
  const wild = flavour === "case" ? 0n : flavour === "casez" ? z : value.b;
  const care = full & ~wild;
  return { care, value: value.a & care, possible: (value.b & care) === 0n };
}

/** The pattern over the subject's open bits; impossible if a decided bit contradicts it. */
export function narrowPattern(pattern: Pattern | null, subject: Bits, open: readonly number[]): Pattern | null {
  if (!pattern) return null;
  let { possible } = pattern;
  subject.forEach((bit, i) => {
    if (bit <= bit1 && (pattern.care >> BigInt(i)) & 1n && ((pattern.value >> BigInt(i)) & 1n) !== BigInt(bit))
      possible = false;
  });
  const pick = (value: bigint) => open.reduce((sum, i, at) => sum | (((value >> BigInt(i)) & 1n) << BigInt(at)), 0n);
  return { care: pick(pattern.care), value: pick(pattern.value), possible };
}

export function covers(items: readonly (readonly Pattern[])[], width: number): boolean {
  const all = items.flat().filter((pattern) => pattern.possible);
  if (all.length * 2 ** width > 2 ** 20) return false;
  for (let value = 0n; value < 1n << BigInt(width); value++) {
    if (!all.some((pattern) => (value & pattern.care) === pattern.value)) return false;
  }
  return true;
}
