import type { DeclNode, GenericNode, InterfaceNode } from "../../../hdl/vhdl/ast.ts";
import type {
  BoundDecl,
  ConstantDecl,
  Decl,
  FileDecl,
  PackageDecl,
  SignalDecl,
  TypeDecl,
  VariableDecl,
} from "../bound.ts";
import { Scope } from "../scope.ts";
import { errorType, type Subtype, subtypeOf } from "../types.ts";
import type { Binder } from "./binder.ts";

/** Declarations (clause 6) and what they make visible. */
export class DeclBinder {
  constructor(private readonly host: Binder) {}

  /** Of the package that is being read. */
  home: PackageDecl | null = null;
  /** Within an architecture, process or subprogram. */
  nested = false;
  /** The result that `return` gives. */
  result: { readonly subtype: Subtype | null; readonly isFunction: boolean } | null = null;

  inScope<T>(scope: Scope, run: () => T): T {
    const outer = this.host.scope;
    this.host.scope = scope;
    try {
      return run();
    } finally {
      this.host.scope = outer;
    }
  }

  declare(decl: Decl, name = decl.name): void {
    const old = this.host.scope.add(decl, name);
    this.host.world.note(decl.loc, decl);
    if (!old) return;
    const line =
      old.loc.file >= 0 ? ` on line ${this.host.report.sources.position(old.loc.file, old.loc.start).line}` : "";
    this.host.error(
      "duplicate",
      decl.loc,
      `'${name}' is already declared here${line}.`,
      "Give one of them another name.",
    );
  }

  declarations(nodes: readonly DeclNode[]): BoundDecl[] {
    const list: BoundDecl[] = [];
    for (const node of nodes) {
      list.push(...this.declaration(node));
      this.host.forget();
    }
    for (const decls of this.host.scope.names.values())
      for (const decl of decls)
        if (decl.kind === "type" && decl.subtype.type.kind === "access" && !decl.subtype.type.of)
          this.host.error(
            "incomplete",
            decl.loc,
            `Type '${decl.name}' is announced but never declared.`,
            "Write 'type ... is ...'.",
          );
    return list;
  }

  private declaration(node: DeclNode): BoundDecl[] {
    switch (node.kind) {
      case "type":
        return this.host.typeDecls.typeDecl(node);
      case "subtypedecl": {
        const subtype = this.host.ranges.subtype(node.type);
        const decl: TypeDecl = {
          kind: "type",
          name: node.name.id,
          loc: node.name.loc,
          subtype: subtype
            ? {
                ...subtype,
                name: node.name.id,
                parent: subtype,
                constraint: null,
                resolution: null,
                elementResolution: null,
              }
            : subtypeOf(errorType),
        };
        this.declare(decl);
        return [decl];
      }
      case "object":
        return this.objects(node);
      case "file": {
        const subtype = this.host.ranges.subtype(node.type) ?? subtypeOf(errorType);
        if (subtype.type.kind !== "file" && subtype.type !== errorType)
          this.host.error(
            "no-file",
            node.type.loc,
            `'${subtype.name}' is no file type.`,
            "Use text of std.textio, or declare one: type f is file of ...",
          );
        const kind = this.host.world.typeNamed(this.host.scope, "file_open_kind");
        const mode = node.mode && kind ? this.host.exprs.bind(node.mode, kind) : null;
        const path = node.path ? this.host.exprs.bind(node.path, this.host.world.standard.string) : null;
        return node.names.map((name) => {
          const decl: FileDecl = { kind: "file", name: name.id, loc: name.loc, subtype, mode, path, role: "file" };
          this.declare(decl);
          return decl;
        });
      }
      case "alias":
        return this.alias(node);
      case "attributedecl": {
        const subtype = this.host.ranges.mark(node.type);
        if (subtype) this.declare({ kind: "attribute", name: node.name.id, loc: node.name.loc, subtype });
        return [];
      }
      case "attributespec":
        return this.attributeSpec(node);
      case "component": {
        const scope = new Scope(this.host.scope);
        const decl = this.inScope(scope, () => ({
          kind: "component" as const,
          name: node.name.id,
          loc: node.name.loc,
          generics: this.generics(node.generics),
          ports: this.ports(node.ports),
        }));
        this.declare(decl);
        return [];
      }
      case "subprogram":
        return this.host.subprograms.subprogram(node);
      case "subprograminstance":
        return this.host.subprograms.subprogramInstance(node);
      case "use":
        this.host.packages.useClause(node.names, this.host.scope);
        return [];
      case "package":
      case "packagebody":
      case "packageinstance":
        return this.host.packages.bindPackage(node);
      case "configspec":
      case "ignored":
        return [];
    }
  }

  // ---- objects --------------------------------------------------------------------------------------------------

  private objects(node: DeclNode & { kind: "object" }): BoundDecl[] {
    const subtype = this.host.ranges.subtype(node.type) ?? subtypeOf(errorType);
    const init = node.init ? this.host.exprs.bind(node.init, subtype.type) : null;
    return node.names.map((name): BoundDecl => {
      const base = { name: name.id, loc: name.loc, subtype };
      let decl: ConstantDecl | SignalDecl | VariableDecl;
      if (node.object === "constant") {
        decl = { kind: "constant", ...base, init, role: "constant", full: null };
        const deferred =
          this.host.scope.names.get(name.id)?.[0] ??
          (this.host.scope.parent?.label === this.host.scope.label
            ? this.host.scope.parent?.names.get(name.id)?.[0]
            : undefined);
        if (deferred?.kind === "constant" && deferred.init === null && deferred.role === "constant" && init) {
          deferred.full = decl;
          deferred.init = init;
          return decl;
        }
        if (!init && !this.home)
          this.host.error(
            "no-value",
            name.loc,
            `Constant '${name.id}' has no value.`,
            "Write ':= value' behind its type.",
          );
      } else if (node.object === "signal")
        decl = { kind: "signal", ...base, init, mode: null, role: "signal", kindOf: node.signalKind };
      else
        decl = { kind: "variable", ...base, init, mode: null, role: node.object === "shared" ? "shared" : "variable" };
      this.declare(decl);
      return decl;
    });
  }

  private alias(node: DeclNode & { kind: "alias" }): BoundDecl[] {
    const { name } = node;
    const isName = node.of.kind === "name" || node.of.kind === "select" || node.of.kind === "char";
    const meaning = isName ? this.host.names.meaning(node.of) : null;
    if (isName && !meaning) return [];
    if (meaning && "decls" in meaning) {
      const [first] = meaning.decls;
      const isObject =
        first.kind === "constant" ||
        first.kind === "signal" ||
        first.kind === "variable" ||
        first.kind === "alias" ||
        first.kind === "file";
      if (!isObject) {
        let decls = meaning.decls;
        if (node.signature) {
          const args = node.signature.args.map((arg) => this.host.ranges.mark(arg)?.type);
          const result = node.signature.result ? this.host.ranges.mark(node.signature.result)?.type : undefined;
          decls = decls.filter((decl) =>
            decl.kind === "sub"
              ? decl.params.length === args.length &&
                decl.params.every((param, i) => param.subtype.type === args[i]) &&
                (decl.result?.type ?? undefined) === result
              : decl.kind === "literal" && decl.type === result,
          );
          if (decls.length === 0) {
            this.host.error(
              "signature",
              node.signature.loc,
              `No '${this.host.names.text(node.of.loc)}' has this signature.`,
              "Check its types.",
            );
            return [];
          }
        }
        for (const decl of decls) this.host.scope.add(decl, name.id);
        // with an enumeration come its values
        if (first.kind === "type" && first.subtype.type.kind === "enum")
          for (const literal of first.subtype.type.literals)
            if (!this.host.scope.lookup(literal.name).includes(literal)) this.host.scope.add(literal, literal.name);
        return [];
      }
    }
    const subtype = node.type ? this.host.ranges.subtype(node.type) : null;
    const of = this.host.exprs.bind(node.of, subtype?.type ?? null);
    if (of.type === errorType) return [];
    const decl = {
      kind: "alias" as const,
      name: name.id,
      loc: name.loc,
      of,
      subtype: subtype ?? {
        type: of.type,
        name: of.op === "object" ? of.decl.subtype.name : of.type.name,
        parent: null,
        constraint: null,
        resolution: null,
        ofObject: of,
      },
    };
    this.declare(decl);
    return [decl];
  }

  private attributeSpec(node: DeclNode & { kind: "attributespec" }): BoundDecl[] {
    const attribute = this.host.scope.lookup(node.name.id).find((decl) => decl.kind === "attribute");
    if (attribute?.kind !== "attribute") {
      this.host.error(
        "undeclared",
        node.name.loc,
        `There is no attribute '${node.name.id}'.`,
        `Declare it: attribute ${node.name.id} : string;`,
      );
      return [];
    }
    const value = this.host.exprs.bind(node.value, attribute.subtype.type);
    const list: BoundDecl[] = [];
    const give = (on: Decl) => {
      this.host.world.setAttribute(on, attribute, value);
      list.push({ kind: "attributevalue", decl: attribute, on, value });
    };
    if (node.entities === "all" || node.entities === "others") {
      for (const decls of this.host.scope.names.values())
        for (const decl of decls) if (decl.kind === node.entityClass) give(decl);
      return list;
    }
    for (const { name, signature } of node.entities) {
      const found = this.host.scope.lookup(name.id);
      const own = found.length ? found : [this.host.units.concurrentLabel(name.id)].filter((decl) => decl !== null);
      if (own.length === 0) {
        if (node.entityClass !== "label")
          this.host.error(
            "undeclared",
            name.loc,
            `'${name.id}' is not declared here.`,
            "An attribute specification stands behind the declaration.",
          );
        continue;
      }
      for (const decl of own) {
        if (signature && decl.kind === "sub") {
          const args = signature.args.map((arg) => this.host.ranges.mark(arg)?.type);
          if (decl.params.length !== args.length || !decl.params.every((param, i) => param.subtype.type === args[i]))
            continue;
        }
        give(decl);
      }
    }
    return list;
  }

  // ---- interfaces -----------------------------------------------------------------------------------------------

  generics(nodes: readonly GenericNode[]): ConstantDecl[] {
    const list: ConstantDecl[] = [];
    for (const node of nodes) {
      if (node.kind !== "interface") {
        this.host.error(
          "generic-kind",
          node.loc,
          "Generic types and subprograms are for packages and subprograms only here.",
          "Give the entity constants as generics.",
        );
        continue;
      }
      const subtype = this.host.ranges.subtype(node.type) ?? subtypeOf(errorType);
      const init = node.init ? this.host.exprs.bind(node.init, subtype.type) : null;
      const decl: ConstantDecl = {
        kind: "constant",
        name: node.name.id,
        loc: node.name.loc,
        subtype,
        init,
        role: "generic",
        full: null,
      };
      this.declare(decl);
      list.push(decl);
      this.host.forget();
    }
    return list;
  }

  ports(nodes: readonly InterfaceNode[]): SignalDecl[] {
    const list: SignalDecl[] = [];
    for (const node of nodes) {
      const subtype = this.host.ranges.subtype(node.type) ?? subtypeOf(errorType);
      const init = node.init ? this.host.exprs.bind(node.init, subtype.type) : null;
      const decl: SignalDecl = {
        kind: "signal",
        name: node.name.id,
        loc: node.name.loc,
        subtype,
        init,
        mode: node.mode ?? "in",
        role: "port",
        kindOf: null,
      };
      list.push(decl);
      this.declare(decl);
      this.host.forget();
    }
    return list;
  }
}
