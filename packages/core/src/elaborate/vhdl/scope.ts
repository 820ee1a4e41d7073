import type { Decl, PackageDecl, Subprogram } from "./bound.ts";

/** Only these may share a name in one region, told apart by their types (12.3). */
export function isOverloadable(decl: Decl): boolean {
  return decl.kind === "sub" || decl.kind === "literal";
}

/** Same types of parameters and result: one hides the other. */
function sameProfile(a: Decl, b: Decl): boolean {
  if (a.kind === "literal") return b.kind === "literal" && a.type === b.type;
  if (a.kind !== "sub" || b.kind !== "sub") return false;
  return sameSignature(a, b);
}
export function sameSignature(a: Subprogram, b: Subprogram): boolean {
  return (
    a.params.length === b.params.length &&
    a.isFunction === b.isFunction &&
    a.params.every((param, i) => param.subtype.type === b.params[i].subtype.type) &&
    (a.result?.type ?? null) === (b.result?.type ?? null)
  );
}

/** A declarative region (12.1) with what its use clauses make visible. */
export class Scope {
  readonly names = new Map<string, Decl[]>();
  private readonly packages: PackageDecl[] = [];
  private readonly used = new Map<string, Decl[]>();

  constructor(
    readonly parent: Scope | null,
    /** For expanded names. */
    readonly label: string | null = null,
  ) {}

  /** @returns What the name meant in this region, if it cannot mean both. */
  add(decl: Decl, name = decl.name): Decl | null {
    const list = this.names.get(name);
    if (!list) {
      this.names.set(name, [decl]);
      return null;
    }
    if (!isOverloadable(decl) || !isOverloadable(list[0])) return list[0];
    const same = list.findIndex((each) => sameProfile(each, decl));
    if (same >= 0) {
      // a subprogram's body, or an explicit one in place of the implicit
      const old = list[same];
      if (old.kind === "sub" && decl.kind === "sub" && old.native?.startsWith("implicit:")) {
        list[same] = decl;
        return null;
      }
      return old;
    }
    list.push(decl);
    return null;
  }

  usePackage(unit: PackageDecl): void {
    if (!this.packages.includes(unit)) this.packages.push(unit);
  }
  useName(name: string, decls: readonly Decl[]): void {
    const list = this.used.get(name);
    if (list) list.push(...decls.filter((each) => !list.includes(each)));
    else this.used.set(name, [...decls]);
  }

  /** What a name may mean here: one thing, or several overloaded ones, inner ones first. */
  lookup(name: string): readonly Decl[] {
    let direct: Decl[] | null = null;
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      const list = scope.names.get(name);
      if (!list) continue;
      if (!isOverloadable(list[0])) {
        if (!direct) return list;
        break;
      }
      if (!direct) direct = [...list];
      else {
        const inner = direct;
        direct.push(...list.filter((decl) => !inner.some((each) => sameProfile(each, decl))));
      }
    }
    const found: Decl[] = [];
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      for (const decl of scope.used.get(name) ?? []) if (!found.includes(decl)) found.push(decl);
      for (const unit of scope.packages) {
        unit.load?.();
        for (const decl of unit.scope.names.get(name) ?? []) if (!found.includes(decl)) found.push(decl);
      }
    }
    if (!direct) {
      if (found.length < 2 || found.every(isOverloadable)) return found;
      // several that cannot overload hide each other (12.4); one thing seen by two ways is one
      const firm = found.filter((decl) => !isOverloadable(decl));
      return firm.length === found.length ? found.slice(0, 1) : found.filter(isOverloadable);
    }
    const known = direct;
    return [
      ...direct,
      ...found.filter((decl) => isOverloadable(decl) && !known.some((each) => sameProfile(each, decl))),
    ];
  }

  /** All names that may be meant here, for suggestions and completion. */
  visibleNames(): Set<string> {
    const names = new Set<string>();
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      for (const name of scope.names.keys()) names.add(name);
      for (const name of scope.used.keys()) names.add(name);
      for (const unit of scope.packages) for (const name of unit.scope.names.keys()) names.add(name);
    }
    return names;
  }

  isUsing(unit: PackageDecl): boolean {
    for (let scope: Scope | null = this; scope; scope = scope.parent) if (scope.packages.includes(unit)) return true;
    return false;
  }
}
