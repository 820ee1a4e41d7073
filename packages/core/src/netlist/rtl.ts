import type { SourcePosition } from "../common/source.ts";

/**
 * Word-level netlist: cells of the source's operators, connected bit by bit. A bit is a net id; ids 0, 1 and 2 are the
 * constants 0, 1 and x. Vectors list their bits from the least significant one. Every net has at most one driver.
 */
export const bit0 = 0;
export const bit1 = 1;
export const bitX = 2;
export const firstNet = 3;

export type Bits = readonly number[];

/**
 * Inputs by kind (w = output width):
 * not [w]; and or xor [w][w]; mux [1][w if 1][w if 0]; redand redor redxor [n] -> 1;
 * add sub mul div mod [w][w]; eq lt [n][n] -> 1; shl shr sshr [w][n];
 * ff: d [w], clk [1], en [0 or 1], sr [0 or 1]; latch: d [w], en [1].
 * div and mod by zero give any value. sshr and signed cells read two's complement.
 */
export type RtlKind =
  | "not"
  | "and"
  | "or"
  | "xor"
  | "mux"
  | "redand"
  | "redor"
  | "redxor"
  | "add"
  | "sub"
  | "mul"
  | "div"
  | "mod"
  | "eq"
  | "lt"
  | "shl"
  | "shr"
  | "sshr"
  | "ff"
  | "latch";

export interface FlipFlopModes {
  readonly clockRising: boolean;
  /** Set or reset without waiting for the clock. */
  readonly asyncReset: boolean;
  /** Value taken on reset, a character a bit, most significant first: 0, 1, or x where it does not matter. */
  readonly resetValue: string;
  /** Value after configuration, in the same form. */
  readonly init: string;
}

export interface RtlCell {
  readonly kind: RtlKind;
  readonly name: string;
  readonly inputs: readonly Bits[];
  readonly output: Bits;
  /** For mul, div, mod and lt. */
  readonly signed: boolean;
  readonly modes: FlipFlopModes | null;
}

export interface RtlVector {
  readonly name: string;
  readonly bits: Bits;
  readonly msb: number;
  readonly lsb: number;
}
export interface RtlPort extends RtlVector {
  readonly direction: "input" | "output";
}

/** One flat netlist, all hierarchy resolved into names. This is what the key of the elaborated design is taken over. */
export interface RtlNetlist {
  readonly top: string;
  readonly netCount: number;
  readonly cells: readonly RtlCell[];
  readonly ports: readonly RtlPort[];
  /** Every declared net and register, for names. */
  readonly signals: readonly RtlVector[];
}

/** Where things were written: beside the netlist, so that moving text about changes no key. */
export interface RtlPositions {
  /** [cells] */
  readonly cells: readonly SourcePosition[];
  /** [signals] */
  readonly signals: readonly SourcePosition[];
  /** [ports] */
  readonly ports: readonly SourcePosition[];
}

/** One node of the hierarchy, for the tree of modules. */
export interface HierarchyNode {
  readonly instance: string;
  readonly module: string;
  readonly place: SourcePosition;
  readonly children: readonly HierarchyNode[];
}

/** `name[3]` for a vector's bit, `name` for a scalar, with the declared index. */
export function bitName(vector: RtlVector, offset: number): string {
  if (vector.bits.length === 1 && vector.msb === 0 && vector.lsb === 0) return vector.name;
  return `${vector.name}[${vector.msb >= vector.lsb ? vector.lsb + offset : vector.lsb - offset}]`;
}
