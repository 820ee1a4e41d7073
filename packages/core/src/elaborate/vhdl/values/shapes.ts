import type { ArrayType, BoundRange, RecordType, VType } from "../types.ts";

/** One dimension of an array: left index, direction (1: downto), elements. */
export interface Bounds {
  readonly l: number;
  readonly d: 0 | 1;
  readonly n: number;
  /** Right index where there are no elements: it may be any. */
  readonly r?: number;
}
export function boundsOf(l: number, r: number, d: 0 | 1): Bounds {
  const n = Math.max(0, d ? l - r + 1 : r - l + 1);
  return n === 0 ? { l, d, n, r } : { l, d, n };
}
type Packing = "logic" | "bit" | "char" | null;
interface ScalarShape {
  readonly k: "s";
  readonly type: VType;
  /** Least and greatest value; null: no narrower than the type. Text is code that computes it. */
  readonly lo: number | string | null;
  readonly hi: number | string | null;
  readonly descending?: boolean;
}
export interface ArrayShape {
  readonly k: "a";
  readonly type: ArrayType;
  readonly pack: Packing;
  /** null: the value carries its bounds, as an `Arr`. */
  readonly dims: readonly Bounds[] | null;
  readonly elem: Shape;
}
interface RecordShape {
  readonly k: "r";
  readonly type: RecordType;
  readonly fields: readonly Shape[];
}
interface OtherShape {
  readonly k: "o";
  readonly type: VType;
}
/** A type with all bounds known, or known to be carried by the value. */
export type Shape = ScalarShape | ArrayShape | RecordShape | OtherShape;

const innerTypes = new WeakMap<ArrayType, ArrayType>();
/**
 * What one index of an array gives. Of arrays of several dimensions that is an array of the others; one that brings its
 * bounds holds such arrays, each with its own.
 */
export function elementOf(shape: ArrayShape): Shape {
  if (shape.dims) return shape.dims.length > 1 ? { ...shape, dims: shape.dims.slice(1) } : shape.elem;
  const { k, type, pack, elem } = shape;
  if (type.indexes.length < 2) return elem;
  let inner = innerTypes.get(type);
  if (!inner) {
    inner = { ...type, indexes: type.indexes.slice(1) };
    innerTypes.set(type, inner);
  }
  return { k, type: inner, pack, dims: null, elem };
}

export const rightOf = (b: Bounds): number =>
  b.n === 0 && b.r !== undefined ? b.r : b.d ? b.l - b.n + 1 : b.l + b.n - 1;
export const lowOf = (b: Bounds): number => (b.d ? rightOf(b) : b.l);
export const highOf = (b: Bounds): number => (b.d ? b.l : rightOf(b));

/** Words that a value of the shape takes, about: a whole number, a reference, 16 bits or characters kept together. */
export function wordsOf(shape: Shape): number {
  switch (shape.k) {
    case "a": {
      if (!shape.dims) return 1;
      const count = shape.dims.reduce((product, { n }) => product * n, 1);
      return shape.pack ? Math.ceil(count / 16) : count * wordsOf(shape.elem);
    }
    case "r":
      return shape.fields.reduce((sum, field) => sum + wordsOf(field), 1);
    default:
      return 1;
  }
}
/** Signals that a signal of the shape consists of. */
export function leafCount(shape: Shape): number {
  if (shape.k === "r") return shape.fields.reduce((sum, field) => sum + leafCount(field), 0);
  if (shape.k !== "a" || shape.pack || !shape.dims) return 1;
  return shape.dims.reduce((product, { n }) => product * n, 1) * leafCount(shape.elem);
}
/** Of one value. */
export const mostWords = 2 ** 22;

const typeNumbers = new WeakMap<VType, number>();
let typeCount = 0;
function numberOf(type: VType): number {
  let number = typeNumbers.get(type);
  if (number === undefined) {
    number = typeCount++;
    typeNumbers.set(type, number);
  }
  return number;
}

/** Tells shapes apart: code is made once for each. */
export function shapeKey(shape: Shape): string {
  switch (shape.k) {
    case "s":
      return `s${numberOf(shape.type)}:${shape.lo}:${shape.hi}`;
    case "a":
      return `a${numberOf(shape.type)}[${shape.dims ? shape.dims.map((b) => `${b.l}${b.d ? "d" : "t"}${b.n}`).join() : "*"}]${shapeKey(shape.elem)}`;
    case "r":
      return `r${numberOf(shape.type)}(${shape.fields.map(shapeKey).join()})`;
    case "o":
      return `o${numberOf(shape.type)}`;
  }
}

/** Whether every bound within is known. */
export function isStatic(shape: Shape): boolean {
  switch (shape.k) {
    case "s":
      return typeof shape.lo !== "string" && typeof shape.hi !== "string";
    case "a":
      return shape.dims !== null && isStatic(shape.elem);
    case "r":
      return shape.fields.every(isStatic);
    case "o":
      return true;
  }
}

/** `std_logic_vector(7 downto 0)`, as messages tell it. */
export function shapeText(shape: Shape, name?: string): string {
  const { type } = shape;
  const plain = (name ?? type.name)
    .replace(/^unresolved_/, "")
    .replace("std_ulogic", "std_logic")
    .replace(/\(.*$/, "");
  if (shape.k !== "a") return plain;
  if (!shape.dims) return plain;
  return `${plain}(${shape.dims.map((b) => `${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}`).join(", ")})`;
}

/** Its bounds are known to the run alone, or those of a part of it. */
export function isDynamic(shape: Shape): boolean {
  if (shape.k === "a") return "range" in shape || isDynamic(shape.elem);
  if (shape.k === "r") return shape.fields.some(isDynamic);
  return shape.k === "s" && (typeof shape.lo === "string" || typeof shape.hi === "string");
}
/** The range of an array shape that only the run knows. */
export function dynamicRange(shape: Shape): BoundRange | null {
  return shape.k === "a" && "range" in shape ? (shape as ArrayShape & { range: BoundRange }).range : null;
}
/** The same of every dimension. */
export function dynamicRanges(shape: Shape): readonly BoundRange[] | null {
  return shape.k === "a" && "ranges" in shape ? (shape as ArrayShape & { ranges: readonly BoundRange[] }).ranges : null;
}
