import type { ClassInfo } from "./class-info.ts";
import type { Value } from "./model.ts";

/** Data types after elaboration: all bounds are numbers. Unpacked structs of plain members are kept as packed ones. */

export interface Dim {
  readonly left: number;
  readonly right: number;
}
export interface EnumInfo {
  readonly name: string;
  readonly members: readonly { readonly name: string; readonly value: Value }[];
}
export interface StructMember {
  readonly name: string;
  readonly type: IntegralType;
  /** Bits below it. */
  readonly offset: number;
  /** Its own start value. */
  readonly init?: { readonly a: bigint; readonly b: bigint } | null;
}
interface StructInfo {
  readonly union: boolean;
  readonly members: readonly StructMember[];
}
export interface IntegralType {
  readonly kind: "integral";
  readonly width: number;
  readonly signed: boolean;
  /** False for bit, int and their kin: they hold no x or z. */
  readonly fourState: boolean;
  /** Packed dimensions, outermost first; empty for one bit and for a struct by itself. */
  readonly dims: readonly Dim[];
  readonly struct: StructInfo | null;
  readonly enumeration: EnumInfo | null;
  /** The name that a typedef gave it, for messages. */
  readonly name: string | null;
  /** An unpacked struct: takes no part in arithmetic by itself. */
  readonly unpackedStruct?: boolean;
  /** A member of an unpacked struct whose bits carry a string or a real. */
  readonly holds?: "string" | "real";
  /** A handle of an instance of this interface: its place among them, 0 for none. */
  readonly handleOf?: string;
  /** A vector that stands for an unpacked array: its outermost `count` dimensions are those of the array. */
  readonly unpacked?: { readonly count: number; readonly element: IntegralType };
}
export interface ArrayType {
  readonly kind: "array";
  readonly dim: Dim;
  readonly element: DataType;
}
/** A dynamic array, a queue, or an associative array: elements come and go while the simulation runs. */
export interface ContainerType {
  readonly kind: "container";
  readonly flavour: "array" | "queue" | "map";
  readonly element: DataType;
  /** Of an associative array; null where any number may be one. */
  readonly key: DataType | null;
  /** Highest index of a bounded queue. */
  readonly bound: number | null;
  /** Bounds of an array of what has no bits: it keeps its size. */
  readonly fixed?: Dim;
}
/** A handle of an object; `info` is null for the type of `null` alone. */
export interface ClassType {
  readonly kind: "class";
  readonly info: ClassInfo | null;
}
export type DataType =
  | IntegralType
  | ArrayType
  | ContainerType
  | ClassType
  /** Whatever a mailbox without a type holds. */
  | { readonly kind: "any" }
  | { readonly kind: "real" }
  | { readonly kind: "string" }
  | { readonly kind: "event" }
  | { readonly kind: "void" };

export const realType: DataType = { kind: "real" };
export const stringType: DataType = { kind: "string" };
export const eventType: DataType = { kind: "event" };
export const voidType: DataType = { kind: "void" };

/**
 * Form of the values of a type; undefined for bits. Strings, handles of objects and arrays that grow are all carried as
 * values of JavaScript, the null handle as an empty string.
 */
export function formOf(type: DataType): "real" | "string" | undefined {
  if (type.kind === "real") return "real";
  return type.kind === "string" || type.kind === "class" || type.kind === "container" || type.kind === "any"
    ? "string"
    : undefined;
}

export function sizeOf(dim: Dim): number {
  return Math.abs(dim.left - dim.right) + 1;
}

export function vectorType(width: number, signed = false, fourState = true): IntegralType {
  return {
    kind: "integral",
    width,
    signed,
    fourState,
    dims: width === 1 ? [] : [{ left: width - 1, right: 0 }],
    struct: null,
    enumeration: null,
    name: null,
  };
}
/** What a variable holds that is given no value: null unless some member of a struct has one of its own. */
export function defaultOf(type: IntegralType): { readonly a: bigint; readonly b: bigint } | null {
  if (!type.struct || type.struct.union) return null;
  const { members } = type.struct;
  const size = members.reduce((sum, member) => sum + member.type.width, 0);
  let a = 0n;
  let b = 0n;
  let found = false;
  for (const member of members) {
    const own = member.init ?? defaultOf(member.type);
    if (own) found = true;
    const width = BigInt(member.type.width);
    const ones = member.type.fourState ? (1n << width) - 1n : 0n;
    const value = own ?? { a: ones, b: ones };
    a = (a << width) | value.a;
    b = (b << width) | value.b;
  }
  if (!found) return null;
  // arrays of structs, kept as vectors
  for (let at = size; at < type.width; at += size) {
    a |= (a & ((1n << BigInt(size)) - 1n)) << BigInt(at);
    b |= (b & ((1n << BigInt(size)) - 1n)) << BigInt(at);
  }
  return { a, b };
}
export const bitType = vectorType(1);
export const integerType: IntegralType = { ...vectorType(32, true), name: "integer" };

/** What `value[i]` is: the type with its outermost packed dimension taken off, or one bit of a vector. */
export function elementOf(type: IntegralType): IntegralType {
  if (type.unpacked) {
    const { count, element } = type.unpacked;
    if (count === 1) return element;
    const width = type.width / sizeOf(type.dims[0]);
    return { ...type, width, dims: type.dims.slice(1), unpacked: { count: count - 1, element } };
  }
  if (type.dims.length === 0) return bitType;
  const width = type.width / sizeOf(type.dims[0]);
  const dims = type.dims.slice(1);
  const plain = dims.length === 0 && !type.struct;
  return {
    kind: "integral",
    width,
    signed: dims.length === 0 && type.struct ? type.signed : false,
    fourState: type.fourState,
    dims: plain && width > 1 ? [{ left: width - 1, right: 0 }] : dims,
    struct: type.struct,
    enumeration: null,
    name: null,
  };
}

/** `value[left:right]` over the outermost packed dimension. */
export function partOf(type: IntegralType, count: number): IntegralType {
  const dims = type.dims.length ? type.dims : [{ left: 0, right: 0 }];
  const width = type.width / sizeOf(dims[0]);
  return {
    kind: "integral",
    width: width * count,
    signed: false,
    fourState: type.fourState,
    dims: [{ left: count - 1, right: 0 }, ...dims.slice(1)],
    struct: type.struct,
    enumeration: null,
    name: null,
  };
}

/** Place of index `index` counted from the least significant element. */
export function positionOf(dim: Dim, index: number): number {
  return dim.left >= dim.right ? index - dim.right : dim.right - index;
}

export function unpackedDims(type: DataType): { dims: Dim[]; element: DataType } {
  const dims: Dim[] = [];
  let element = type;
  while (element.kind === "array") {
    dims.push(element.dim);
    element = element.element;
  }
  return { dims, element };
}

/**
 * The vector that carries an unpacked array into a function and out of it: its elements side by side, that with the
 * left index on top. Null for arrays of what has no bits.
 */
export function asVector(type: ArrayType): IntegralType | null {
  const { dims, element } = unpackedDims(type);
  if (element.kind !== "integral") return null;
  return {
    kind: "integral",
    width: dims.reduce((product, dim) => product * sizeOf(dim), element.width),
    signed: false,
    fourState: element.fourState,
    dims: [...dims, ...element.dims],
    struct: element.struct,
    enumeration: null,
    name: null,
    unpacked: { count: dims.length, element },
  };
}

/** Longest string that a member of a struct can hold, in characters. */
const mostCharacters = 256;

/** Strings and reals as bits, for members of unpacked structs; null for what cannot be one. */
export function asMember(type: DataType): IntegralType | null {
  if (type.kind !== "string" && type.kind !== "real") return null;
  const width = type.kind === "real" ? 64 : 8 * mostCharacters;
  return { ...vectorType(width, false, false), holds: type.kind };
}

/** As people write it. */
export function typeText(type: DataType): string {
  switch (type.kind) {
    case "integral": {
      if (type.unpacked) {
        const { count, element } = type.unpacked;
        const bounds = type.dims.slice(0, count).map((dim) => `[${dim.left}:${dim.right}]`);
        return `${typeText(element)}${bounds.join("")}`;
      }
      if (type.name) return type.name;
      if (type.holds) return type.holds;
      const base = type.struct ? (type.struct.union ? "union" : "struct") : type.fourState ? "logic" : "bit";
      const dims = type.dims.map((dim) => `[${dim.left}:${dim.right}]`).join("");
      return `${base}${type.signed ? " signed" : ""}${dims ? ` ${dims}` : ""}`;
    }
    case "array": {
      const { dims, element } = unpackedDims(type);
      return `${typeText(element)} $${dims.map((dim) => `[${dim.left}:${dim.right}]`).join("")}`.replace("$", "");
    }
    case "class":
      return type.info ? type.info.name : "null";
    case "container": {
      const { flavour, key, fixed } = type;
      if (fixed) return `${typeText(type.element)} [${fixed.left}:${fixed.right}]`;
      const inside = flavour === "array" ? "" : flavour === "queue" ? "$" : key ? typeText(key) : "*";
      return `${typeText(type.element)} [${inside}]`;
    }
    default:
      return type.kind;
  }
}

/** Bits of a value of this type, arrays included; 0 for those that have none. */
export function bitsOf(type: DataType): number {
  if (type.kind === "integral") return type.width;
  if (type.kind === "array") return sizeOf(type.dim) * bitsOf(type.element);
  return type.kind === "real" ? 64 : 0;
}
