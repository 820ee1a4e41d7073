import type { Bounds } from "../values/shapes.ts";
import type { Val } from "./circuit-base.ts";
import { limitsOf } from "./circuit-operators.ts";

/**
 * Slices that signals move, `v(n + 7 downto n)`: a subprogram that takes one sees bounds that no circuit can know. Each
 * is given bounds of its own, far from all numbers that designs use. What counts from those bounds, as loops over
 * `v'range` and indexes within it do, comes out right; any other use of such a number is refused, as it would be wrong.
 */
const step = 16384;
/** A multiple, so that no low bits are to be added. */
const zone = 125_123 * step;
const zones = 5800;
/** How far from its bounds a number may be counted. */
const margin = 4096;

/** @returns null if there are too many elements. */
export function movedBounds(index: number, n: number, descending: boolean): Bounds | null {
  if (n > step - 2 * margin) return null;
  const low = zone + (index % zones) * step + margin;
  return descending ? { l: low + n - 1, d: 1, n } : { l: low, d: 0, n };
}
/** Which slice a number counts from; null if it is a plain one. */
export function originOf(v: number): number | null {
  return v >= zone && v < zone + zones * step ? Math.floor((v - zone) / step) : null;
}
/** Whether a number may come from bounds that move. */
export function isMoved(val: Val): boolean {
  return val.shape.k === "s" && val.shape.type.kind === "int" && originOf(limitsOf(val)[1]) !== null;
}
/** Whether numbers all count from the same slice. */
export function shareOrigin(...vals: readonly Val[]): boolean {
  const origins = new Set(vals.flatMap((val) => limitsOf(val).map(originOf)));
  return origins.size === 1 && !origins.has(null);
}
/** Whether a sum or difference with a plain number still counts from the same slice. */
export function staysNear(plain: Val): boolean {
  return limitsOf(plain).every((v) => Math.abs(v) < margin / 2);
}
