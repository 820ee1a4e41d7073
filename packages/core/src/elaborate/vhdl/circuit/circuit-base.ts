import type { Expr as ModelExpr, Signal, Value } from "../../model.ts";
import type { EnumInfo } from "../../types.ts";
import type { Decl } from "../bound.ts";
import type { EnumType } from "../types.ts";
import type { Frame } from "../values/frames.ts";
import type { Bounds, Shape } from "../values/shapes.ts";
import type { SigTree } from "../values/signals.ts";
import { numberOf } from "./circuit-expr.ts";

/** A value in a circuit: bits, with what they mean. Whole numbers bring their limits. */
export interface Val {
  readonly e: ModelExpr;
  readonly shape: Shape;
  readonly lo?: number;
  readonly hi?: number;
  /** A number, or the position of a literal, that is known here. */
  readonly cv?: number;
  /** Known by the text alone: what is wrong with it is wrong whenever the circuit runs. */
  readonly sure?: boolean;
}

/** What a name means: where its bits are read from, and put to. */
export type Ref =
  /** A stretch of one signal. Only targets have computed offsets. */
  | { readonly k: "signal"; readonly signal: Signal; readonly offset: number | ModelExpr; readonly shape: Shape }
  /** A composite whose parts are in several signals. */
  | { readonly k: "tree"; readonly tree: SigTree; readonly shape: Shape }
  /** An element by a computed index. */
  | {
      readonly k: "element";
      readonly of: Ref;
      readonly index: Val;
      readonly bounds: Bounds;
      /** The signal, if it may become a memory. */
      readonly words: Signal | null;
      readonly shape: Shape;
    }
  /** Elements from a computed place on, which is counted from the right end in bits. */
  | { readonly k: "stretch"; readonly of: Ref; readonly low: ModelExpr; readonly shape: Shape }
  /** Bits of one of the last two. */
  | { readonly k: "part"; readonly of: Ref; readonly lsb: number; readonly shape: Shape }
  /** A value without a place. */
  | { readonly k: "value"; readonly val: Val; readonly shape: Shape };

/** What a declaration is, within one process or subprogram. */
export type Home = { readonly k: "ref"; readonly ref: Ref } | { readonly k: "value"; readonly val: Val };

export class Scope {
  readonly homes = new Map<Decl, Home>();
  constructor(
    readonly parent: Scope | null,
    readonly frame: Frame,
  ) {}
  find(decl: Decl): Home | null {
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      const home = scope.homes.get(decl);
      if (home) return home;
    }
    return null;
  }
  /** The scope of a frame, if it is this one or one around it. */
  of(frame: Frame): Scope | null {
    for (let scope: Scope | null = this; scope; scope = scope.parent) if (scope.frame === frame) return scope;
    return null;
  }
}

/** What is known of variables at a place in the text, whichever way led there. */
export class Facts {
  constructor(
    private readonly values = new Map<Signal, Value>(),
    /** Least and greatest, of whole numbers. */
    private readonly limits = new Map<Signal, readonly [number, number]>(),
  ) {}
  fork(): Facts {
    return new Facts(new Map(this.values), new Map(this.limits));
  }
  value(signal: Signal): Value | undefined {
    return this.values.get(signal);
  }
  limitsOf(signal: Signal): readonly [number, number] | undefined {
    return this.limits.get(signal);
  }
  set(signal: Signal, value: Value | null, limits: readonly [number, number] | null): void {
    if (value) this.values.set(signal, value);
    else this.values.delete(signal);
    if (limits) this.limits.set(signal, limits);
    else this.limits.delete(signal);
  }
  forget(signal: Signal): void {
    this.values.delete(signal);
    this.limits.delete(signal);
  }
  /** What holds on all of these ways. */
  static common(ways: readonly Facts[]): Facts {
    const [first, ...rest] = ways;
    if (!first) return new Facts();
    if (rest.length === 0) return first;
    const values = new Map<Signal, Value>();
    for (const [signal, value] of first.values)
      if (
        rest.every((way) => {
          const other = way.values.get(signal);
          return other !== undefined && other.a === value.a && other.b === value.b;
        })
      )
        values.set(signal, value);
    const limits = new Map<Signal, readonly [number, number]>();
    for (const [signal, own] of first.limits) {
      let [lo, hi] = own;
      const all = rest.every((way) => {
        const other = way.limits.get(signal);
        if (other) [lo, hi] = [Math.min(lo, other[0]), Math.max(hi, other[1])];
        return other !== undefined;
      });
      if (all) limits.set(signal, [lo, hi]);
    }
    return new Facts(values, limits);
  }
}

/** Thrown where something makes no circuit; the finding has been told. */
export class NoCircuit extends Error {}

export const mostTurns = 65536;

/** The number that a value is, if that is known. */
export function knownOf(val: Val): number | null {
  if (val.cv !== undefined) return val.cv;
  return val.shape.k === "s" ? numberOf(val.e) : null;
}

/** Names of the values, by their places, which are the codes; the standard's bits have none. */
export function enumerationOf(type: EnumType): EnumInfo | null {
  if (type.packing) return null;
  const members = type.literals.map(({ name, pos }) => ({ name, value: { a: BigInt(pos), b: 0n } }));
  return { name: type.name, members };
}
