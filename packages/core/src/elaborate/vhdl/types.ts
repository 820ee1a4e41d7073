import type { Loc } from "../../common/source.ts";
import type { EnumLiteral, Expr, Subprogram } from "./bound.ts";

/** Types of VHDL (IEEE 1076-2008 clause 5), without constraints: two values have one type if these are one object. */

export interface EnumType {
  readonly kind: "enum";
  name: string;
  readonly literals: EnumLiteral[];
  /**
   * How values of arrays of it are kept: `logic` (nine values), `bit` (two) as bits of numbers, `char` as strings;
   * null as lists.
   */
  packing: "logic" | "bit" | "char" | null;
  readonly loc: Loc | null;
}
export interface IntType {
  readonly kind: "int";
  name: string;
  readonly universal: boolean;
  low: number;
  high: number;
  descending: boolean;
}
export interface RealType {
  readonly kind: "real";
  name: string;
  readonly universal: boolean;
  low: number;
  high: number;
}
export interface PhysicalType {
  readonly kind: "physical";
  name: string;
  /** Units by name, in base units. */
  readonly units: Map<string, number>;
  readonly base: string;
  readonly isTime: boolean;
}
export interface ArrayType {
  readonly kind: "array";
  name: string;
  readonly indexes: Subtype[];
  readonly element: Subtype;
}
export interface RecordType {
  readonly kind: "record";
  name: string;
  readonly fields: { readonly name: string; readonly subtype: Subtype; readonly loc: Loc }[];
}
export interface AccessType {
  readonly kind: "access";
  name: string;
  of: Subtype | null;
}
interface FileType {
  readonly kind: "file";
  name: string;
  readonly of: Subtype;
}
export interface ProtectedType {
  readonly kind: "protected";
  name: string;
  readonly methods: Map<string, Subprogram[]>;
  /** Set once its body is known. */
  body: import("./bound.ts").ProtectedBody | null;
}
/** Of literals whose type only their surroundings tell, and of what is wrong. */
interface AnyType {
  readonly kind: "any";
  readonly name: string;
  readonly of: "string" | "aggregate" | "null" | "error" | "new";
  readonly text?: string;
}
/** An incomplete type, until its full declaration; and a generic type. */
export type VType =
  | EnumType
  | IntType
  | RealType
  | PhysicalType
  | ArrayType
  | RecordType
  | AccessType
  | FileType
  | ProtectedType
  | AnyType;

/** A range: written out, or that of an array or a type. */
export type BoundRange =
  | {
      readonly kind: "bounds";
      readonly left: Expr;
      readonly right: Expr;
      readonly descending: boolean;
      readonly type: VType;
      readonly loc: Loc;
    }
  | {
      readonly kind: "of";
      readonly attribute: Expr;
      readonly reverse: boolean;
      readonly dim: number;
      readonly type: VType;
      readonly loc: Loc;
    }
  | { readonly kind: "subtype"; readonly subtype: Subtype; readonly type: VType; readonly loc: Loc };

export type Constraint =
  | { readonly kind: "range"; readonly range: BoundRange }
  | {
      readonly kind: "array";
      readonly ranges: readonly (BoundRange | null)[];
      readonly element: Constraint | null;
      readonly loc: Loc;
    }
  | { readonly kind: "record"; readonly fields: ReadonlyMap<string, Constraint> };

/** A type with what narrows it. */
export interface Subtype {
  readonly type: VType;
  /** Of the declaration, or as put together for messages. */
  readonly name: string;
  /** What it narrows; null for the type itself. */
  readonly parent: Subtype | null;
  readonly constraint: Constraint | null;
  readonly resolution: Subprogram | null;
  /** Resolution of the elements: `(resolved) std_ulogic_vector`. */
  readonly elementResolution?: Subprogram | null;
  /** `object'subtype` (2008): takes the object's own. */
  readonly ofObject?: Expr;
  /** `object'element` (2008): that of its elements. */
  readonly isElement?: boolean;
}

export const universalInteger: IntType = {
  kind: "int",
  name: "universal_integer",
  universal: true,
  low: -(2 ** 53),
  high: 2 ** 53,
  descending: false,
};
export const universalReal: RealType = {
  kind: "real",
  name: "universal_real",
  universal: true,
  low: -Number.MAX_VALUE,
  high: Number.MAX_VALUE,
};
export const errorType: AnyType = { kind: "any", name: "?", of: "error" };
export const anyAggregate: AnyType = { kind: "any", name: "an aggregate", of: "aggregate" };
export const anyNull: AnyType = { kind: "any", name: "null", of: "null" };

export function subtypeOf(type: VType): Subtype {
  return { type, name: type.name, parent: null, constraint: null, resolution: null };
}

export function isDiscrete(type: VType): type is EnumType | IntType {
  return type.kind === "enum" || type.kind === "int";
}
export function isScalar(type: VType): boolean {
  return isDiscrete(type) || type.kind === "real" || type.kind === "physical";
}
export function isCharacters(type: VType): type is ArrayType {
  return (
    type.kind === "array" &&
    type.indexes.length === 1 &&
    type.element.type.kind === "enum" &&
    type.element.type.literals.some((each) => each.name.startsWith("'"))
  );
}
/** Arrays kept as bits of one number: of one dimension, of a logic type, a bit, or a boolean. */
export function packingOf(type: ArrayType): "logic" | "bit" | "char" | null {
  if (type.indexes.length !== 1) return null;
  const { type: element } = type.element;
  return element.kind === "enum" ? element.packing : null;
}
/** Arrays with indexes of one kind and elements of one type convert into each other (9.3.6). */
export function closelyRelated(a: VType, b: VType): boolean {
  if (a === b) return true;
  const isNumber = (type: VType) => type.kind === "int" || type.kind === "real";
  if (isNumber(a) && isNumber(b)) return true;
  return (
    a.kind === "array" &&
    b.kind === "array" &&
    a.indexes.length === b.indexes.length &&
    (a.element.type === b.element.type || closelyRelated(a.element.type, b.element.type))
  );
}
