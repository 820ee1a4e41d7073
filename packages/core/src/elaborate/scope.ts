import type { Loc } from "../common/source.ts";
import type { Func, Signal, Value } from "./model.ts";

/** A named constant: parameter, localparam or genvar. */
export interface Constant {
  readonly value: Value;
  readonly width: number;
  readonly signed: boolean;
  /** Bounds if the declaration gave a range. */
  readonly msb: number;
  readonly lsb: number;
}

export type Meaning =
  | { readonly kind: "signal"; readonly signal: Signal }
  | { readonly kind: "constant"; readonly constant: Constant }
  | { readonly kind: "function"; readonly func: Func; readonly loc: Loc }
  | { readonly kind: "array"; readonly loc: Loc };

/** What names mean within a module, a generate block, a named block or a function; inner ones hide outer ones. */
export class Scope {
  private readonly names = new Map<string, Meaning>();

  constructor(
    readonly parent: Scope | null,
    /** Put before names declared here, as in `lane[2].`. */
    readonly prefix: string,
  ) {}

  declare(name: string, meaning: Meaning): boolean {
    if (this.names.has(name)) return false;
    this.names.set(name, meaning);
    return true;
  }

  local(name: string): Meaning | undefined {
    return this.names.get(name);
  }

  find(name: string): Meaning | undefined {
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      const meaning = scope.names.get(name);
      if (meaning) return meaning;
    }
    return undefined;
  }

  *visibleNames(): Iterable<string> {
    for (let scope: Scope | null = this; scope; scope = scope.parent) yield* scope.names.keys();
  }
}
