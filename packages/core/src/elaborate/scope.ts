import type { Loc } from "../common/source.ts";
import type { Access, AssertionDecl, LetItem, SubroutineItem } from "../hdl/verilog/ast.ts";
import type { ClassDecl, ClassInfo, ClassProperty } from "./class-info.ts";
import type { AnyValue, BlockId, Instance, Signal, Subroutine } from "./model.ts";
import type { DataType } from "./types.ts";

/** A named constant: parameter, localparam, genvar or name of an enumeration. */
export interface Constant {
  readonly value: AnyValue;
  readonly type: DataType;
}

export type Meaning =
  | { readonly kind: "signal"; readonly signal: Signal }
  | { readonly kind: "constant"; readonly constant: Constant; readonly loc: Loc }
  | { readonly kind: "type"; readonly type: DataType; readonly loc: Loc }
  | {
      readonly kind: "subroutine";
      readonly node: SubroutineItem;
      readonly scope: Scope;
      sub: Subroutine | null;
      /** Of a class. */
      readonly method?: Method;
    }
  | { readonly kind: "class"; readonly decl: ClassDecl; readonly loc: Loc }
  | { readonly kind: "property"; readonly property: ClassProperty }
  /** A named property or sequence of assertions. */
  | { readonly kind: "assertion"; readonly node: AssertionDecl; readonly scope: Scope; readonly loc: Loc }
  | { readonly kind: "let"; readonly node: LetItem; readonly scope: Scope; readonly loc: Loc }
  | { readonly kind: "scope"; readonly scope: Scope; readonly loc: Loc }
  /** Generate loops and arrays of instances, by index. */
  | { readonly kind: "scopes"; readonly list: ReadonlyMap<number, Scope>; readonly loc: Loc }
  | { readonly kind: "block"; readonly scope: Scope; readonly id: BlockId }
  | { readonly kind: "genvar"; readonly loc: Loc };

/** A method of a class: a subroutine with the object as its first argument, unless it is static. */
export interface Method {
  readonly owner: ClassInfo;
  readonly isStatic: boolean;
  readonly isVirtual: boolean;
  readonly isPure: boolean;
  readonly access: Access;
  /** What is called by the class of the object; null until it is asked for. */
  dispatcher: Subroutine | null;
}

/** What names mean within a module, a generate block, a named block or a subroutine; inner ones hide outer ones. */
export class Scope {
  private readonly names = new Map<string, Meaning>();
  /** Packages whose names are all visible here, unless declared nearer. */
  readonly imports: Scope[] = [];
  /** Packages whose names this one gives on to those that import it. */
  readonly exports: Scope[] = [];
  /** Directions by name, where a modport limits a view of an interface. */
  readonly modports = new Map<string, ReadonlyMap<string, string>>();
  /** Innermost subroutine, for `return`. */
  subroutine: Subroutine | null = null;
  /** Variables declared here live for one call, unless they say otherwise. */
  automatic = false;
  /** The class that this is the scope of. */
  ofClass: ClassInfo | null = null;
  /** That of the class which this one extends: its names are known here too. */
  base: Scope | null = null;
  generateCount = 0;
  blockCount = 0;

  constructor(
    readonly parent: Scope | null,
    readonly instance: Instance,
    /** Put before names declared here, as in `u1.lane[2].`. */
    readonly prefix: string,
    /** This scope's own name; "" for unnamed ones. */
    readonly name: string,
    readonly kind: "unit" | "package" | "module" | "class" | "generate" | "block" | "subroutine",
  ) {
    if (parent && parent.instance === instance) {
      this.automatic = parent.automatic;
      this.subroutine = parent.subroutine;
    }
  }

  declare(name: string, meaning: Meaning): boolean {
    if (this.names.has(name)) return false;
    this.names.set(name, meaning);
    return true;
  }

  replace(name: string, meaning: Meaning): void {
    this.names.set(name, meaning);
  }

  /** Declared here, or imported here. */
  local(name: string): Meaning | undefined {
    const own = this.names.get(name) ?? this.base?.own(name);
    if (own || this.imports.length === 0) return own;
    for (const source of this.imports) {
      const meaning = source.own(name);
      if (meaning) return meaning;
    }
    return undefined;
  }

  /** Declared here, or exported from here. */
  own(name: string): Meaning | undefined {
    const known = this.names.get(name) ?? this.base?.own(name);
    if (known || this.exports.length === 0 || this.isAsked) return known;
    // packages may export each other
    this.isAsked = true;
    try {
      for (const source of this.exports) {
        const meaning = source.own(name);
        if (meaning) return meaning;
      }
    } finally {
      this.isAsked = false;
    }
    return undefined;
  }
  private isAsked = false;

  find(name: string): Meaning | undefined {
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      const meaning = scope.local(name);
      if (meaning) return meaning;
    }
    return undefined;
  }

  ownNames(): Iterable<string> {
    return this.names.keys();
  }

  entries(): Iterable<[string, Meaning]> {
    return this.names.entries();
  }

  *visibleNames(): Iterable<string> {
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      yield* scope.names.keys();
      for (const source of scope.imports) yield* source.names.keys();
    }
  }

  /** The class whose text this scope is in. */
  get classAround(): ClassInfo | null {
    for (let scope: Scope | null = this; scope; scope = scope.parent) if (scope.ofClass) return scope.ofClass;
    return null;
  }

  /** The module, interface or package that this scope belongs to. */
  get root(): Scope {
    let scope: Scope = this;
    while (scope.parent && scope.kind !== "module" && scope.kind !== "package") scope = scope.parent;
    return scope;
  }
}
