import type { DeclNode, SubprogramSpec } from "../../../hdl/vhdl/ast.ts";
import type { BoundDecl, Expr, ParamDecl, Stmt, Subprogram } from "../bound.ts";
import { Scope, sameSignature } from "../scope.ts";
import { errorType, subtypeOf, type VType } from "../types.ts";
import type { Binder } from "./binder.ts";

function endsInReturn(stmts: readonly Stmt[]): boolean {
  return stmts.some(
    (stmt) =>
      stmt.op === "return" || stmt.op === "if" || stmt.op === "case" || stmt.op === "while" || stmt.op === "for",
  );
}

/** Subprograms, their bodies and instances (clause 4). */
export class SubprogramBinder {
  constructor(private readonly host: Binder) {}

  /** @returns Parameters and their defaults. */
  private params(spec: SubprogramSpec): { params: ParamDecl[]; defaults: (Expr | null)[] } {
    const params: ParamDecl[] = [];
    const defaults: (Expr | null)[] = [];
    for (const node of spec.params) {
      const subtype = this.host.ranges.subtype(node.type) ?? subtypeOf(errorType);
      defaults.push(node.init ? this.host.exprs.bind(node.init, subtype.type) : null);
      const mode = node.mode ?? "in";
      const object =
        node.object ??
        (subtype.type.kind === "file"
          ? "file"
          : mode === "in" && subtype.type.kind !== "protected"
            ? "constant"
            : "variable");
      const base = { name: node.name.id, loc: node.name.loc, subtype };
      if (spec.isFunction && mode !== "in")
        this.host.error(
          "function-mode",
          node.loc,
          "Parameters of a function are of mode 'in'.",
          "Make it a procedure, or return a value.",
        );
      params.push(
        object === "constant"
          ? { kind: "constant", ...base, init: null, role: "param", full: null }
          : object === "signal"
            ? { kind: "signal", ...base, init: null, mode, role: "param", kindOf: null }
            : object === "file"
              ? { kind: "file", ...base, mode: null, path: null, role: "param" }
              : { kind: "variable", ...base, init: null, mode, role: "param" },
      );
    }
    return { params, defaults };
  }

  makeSubprogram(spec: SubprogramSpec, native: string | null, ownerType?: VType): Subprogram {
    const { params, defaults } = this.params(spec);
    const result = spec.result ? (this.host.ranges.mark(spec.result) ?? subtypeOf(errorType)) : null;
    return {
      kind: "sub",
      name: spec.name.id,
      loc: spec.name.loc,
      isFunction: spec.isFunction,
      pure: spec.pure,
      params,
      defaults,
      result,
      body: null,
      pending: null,
      native,
      home: this.host.decls.home,
      nested: this.host.decls.nested,
      ownerType,
    };
  }

  subprogram(node: DeclNode & { kind: "subprogram" }): BoundDecl[] {
    const { spec, body } = node;
    if (spec.generics.length) return this.genericSubprogram(node);
    const isLibrary = spec.loc.file < 0;
    const made = this.makeSubprogram(
      spec,
      isLibrary ? `${this.host.decls.home?.name}.${spec.name.id.replaceAll('"', "")}` : null,
      this.host.typeDecls.owner,
    );
    // a body completes its declaration
    const regions = [
      this.host.scope,
      ...(this.host.scope.parent &&
      this.host.scope.label !== null &&
      this.host.scope.parent.label === this.host.scope.label
        ? [this.host.scope.parent]
        : []),
    ];
    const old = regions
      .flatMap((scope) => scope.names.get(spec.name.id) ?? [])
      .find(
        (decl): decl is Subprogram =>
          decl.kind === "sub" && decl.body === null && decl.pending === null && sameSignature(decl, made),
      );
    let sub = made;
    if (old && body) sub = old;
    else this.host.decls.declare(made);
    if (!body) return isLibrary ? [] : [made];
    this.subprogramBody(sub, made.params, spec, body);
    return [sub];
  }

  private subprogramBody(
    sub: Subprogram,
    params: readonly ParamDecl[],
    spec: SubprogramSpec,
    body: NonNullable<(DeclNode & { kind: "subprogram" })["body"]>,
  ): void {
    const scope = new Scope(this.host.scope, spec.name.id);
    const nested = this.host.decls.nested;
    const result = this.host.decls.result;
    const owner = this.host.typeDecls.owner;
    this.host.decls.nested = true;
    this.host.typeDecls.owner = undefined;
    this.host.decls.result = { subtype: sub.result, isFunction: sub.isFunction };
    // known before it is read: it may call itself
    const placeholder = { params, decls: [] as BoundDecl[], stmts: [] as Stmt[] };
    sub.body = placeholder;
    this.host.decls.inScope(scope, () => {
      for (const param of params) this.host.decls.declare(param);
      placeholder.decls.push(...this.host.decls.declarations(body.decls));
      placeholder.stmts.push(...this.host.stmts.statements(body.stmts));
    });
    this.host.decls.nested = nested;
    this.host.typeDecls.owner = owner;
    this.host.decls.result = result;
    if (sub.isFunction && !endsInReturn(placeholder.stmts) && body.stmts.length === 0)
      this.host.error(
        "no-return",
        spec.name.loc,
        `Function '${spec.name.id}' returns nothing.`,
        "Write 'return value;'.",
      );
  }

  private readonly genericSubs = new Map<
    string,
    { readonly node: DeclNode & { kind: "subprogram" }; readonly scope: Scope }
  >();
  private genericSubprogram(node: DeclNode & { kind: "subprogram" }): BoundDecl[] {
    const { id } = node.spec.name;
    if (node.body || !this.genericSubs.has(id)) this.genericSubs.set(id, { node, scope: this.host.scope });
    if (!this.host.scope.names.has(id))
      this.host.scope.add({ kind: "label", name: id, loc: node.spec.name.loc, scope: null });
    return [];
  }

  subprogramInstance(node: DeclNode & { kind: "subprograminstance" }): BoundDecl[] {
    const generic = node.of.kind === "name" ? this.genericSubs.get(node.of.id) : undefined;
    if (!generic) {
      this.host.error(
        "undeclared",
        node.of.loc,
        `'${this.host.names.text(node.of.loc)}' is no generic subprogram.`,
        "Declare it with a generic list.",
      );
      return [];
    }
    const { spec, body } = generic.node;
    const scope = new Scope(generic.scope);
    const list: BoundDecl[] = this.host.genericMaps.bindGenerics(spec.generics, node.generics, scope);
    const own: SubprogramSpec = { ...spec, generics: [], name: { id: node.name.id, loc: node.name.loc } };
    const sub = this.host.decls.inScope(scope, () => {
      const made = this.makeSubprogram(own, null);
      if (body) this.subprogramBody(made, made.params, own, body);
      return made;
    });
    this.host.decls.declare(sub);
    return [...list, sub];
  }
}
