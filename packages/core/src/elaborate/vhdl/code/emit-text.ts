import type { Shape } from "../values/shapes.ts";
import type { SigTree } from "../values/signals.ts";

/** Pieces of code as text, and what names of signals and variables are in code. */

/** A signal, or a stretch of one that is kept as bits. */
export interface Ref {
  /** Code of the signal or of the tree of signals. */
  readonly sig: string;
  /** Known now: part of the design's signals. */
  readonly tree: SigTree | null;
  /** Code of its driver in this process, made when it is asked for. */
  readonly drv: () => string;
  /** Of the whole leaf, or of the tree. */
  readonly shape: Shape;
  readonly part: {
    readonly lo: string;
    readonly loKnown: number | null;
    readonly n: string;
    readonly nKnown: number | null;
    readonly bit: boolean;
    readonly shape: Shape;
  } | null;
}

/** A variable, or a part of one. */
export interface LVal {
  readonly read: string;
  readonly write: (js: string) => string;
  readonly shape: Shape;
}

export const isList = (shape: Shape): boolean => shape.k === "r" || (shape.k === "a" && shape.pack === null);

/** Longer code is no name; looking through it at each operator of a long sum would take time. */
const longestName = 64;
/** A name or a number, which costs nothing to read twice. */
export const isSimple = (js: string): boolean => js.length <= longestName && /^-?[\w$.]+$/.test(js);

/** As an operand of any operator. */
export const wrapped = (js: string): string => (js.length <= longestName && /^[\w$.]+$/.test(js) ? js : `(${js})`);

/** Sum of two offsets, known or as code. */
export function addText(base: string, known: number | null, more: number | null, text: string): number | string {
  if (known !== null && more !== null) return known + more;
  return `${base}+${text}`;
}

export function logic(name: string, a: number, b: number): number {
  switch (name) {
    case "and":
      return a & b;
    case "or":
      return a | b;
    case "xor":
      return a ^ b;
    case "nand":
      return 1 - (a & b);
    case "nor":
      return 1 - (a | b);
    default:
      return 1 - (a ^ b);
  }
}
