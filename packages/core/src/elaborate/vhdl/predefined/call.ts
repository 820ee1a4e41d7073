import type { Loc } from "../../../common/source.ts";
import type { Subprogram } from "../bound.ts";
import type { CircuitWriter } from "../circuit/circuit.ts";
import type { Val as CircuitVal } from "../circuit/circuit-base.ts";
import type { Val as CodeVal } from "../code/emit-base.ts";
import type { UnitEmitter } from "../code/unit-emitter.ts";
import type { VType } from "../types.ts";
import type { Shape } from "../values/shapes.ts";

/** How a call's operands are read as numbers, and which way results count (numeric_std and its kin). */
export interface Reading {
  /** The package's name. */
  readonly home: string;
  /** The operand has a sign; whole numbers have one. */
  signed(i: number): boolean;
  /** A vector among operands and result has a sign. */
  readonly anySigned: boolean;
  /** Results count down to 0; those of std_logic_1164 count up from 1. */
  readonly descending: boolean;
  /** A mixture of vectors with and without a sign is worked out with a bit more for the sign. */
  readonly mixes: boolean;
}

/** A call that becomes code. */
export interface CodeCall {
  readonly e: UnitEmitter;
  readonly sub: Subprogram;
  readonly args: readonly CodeVal[];
  readonly loc: Loc;
  readonly as: Reading;
}

/** A call that becomes a circuit. */
export interface CircuitCall {
  readonly c: CircuitWriter;
  readonly sub: Subprogram;
  readonly args: readonly CircuitVal[];
  readonly loc: Loc;
  readonly as: Reading;
}

/** A function of the packages that ship with the product: how it runs, and its circuit if it has one. */
export interface Predefined {
  /** Works on numbers while all bits of short vectors are 0 or 1; the rest is done by the runtime. */
  readonly code: (call: CodeCall) => CodeVal;
  readonly circuit: ((call: CircuitCall) => CircuitVal) | null;
}

export const isArray = ({ shape }: { readonly shape: Shape }): boolean => shape.k === "a";
/** An array of bits, which have no third value. */
export const isOfBits = ({ shape }: { readonly shape: Shape }): boolean => shape.k === "a" && shape.pack === "bit";

const isSignedType = (type: VType): boolean =>
  type.kind === "array" && /signed/.test(type.name) && !/unsigned/.test(type.name);

export function readingOf(sub: Subprogram): Reading {
  const home = sub.native!.split(".")[0];
  const descending = home !== "std_logic_1164" && home !== "standard";
  const mixes = home.startsWith("std_logic_");
  const types = sub.params.map((param) => param.subtype.type);
  // packages of vectors of plain logic say by their name what they stand for
  if (/^(numeric_std|std_logic)_(un)?signed$/.test(home)) {
    const isSigned = home.endsWith("_signed");
    return { home, descending, mixes, anySigned: isSigned, signed: () => isSigned };
  }
  return {
    home,
    descending,
    mixes,
    anySigned: types.some(isSignedType) || (sub.result !== null && isSignedType(sub.result.type)),
    signed: (i) => types[i]?.kind === "int" || (types[i] !== undefined && isSignedType(types[i])),
  };
}
