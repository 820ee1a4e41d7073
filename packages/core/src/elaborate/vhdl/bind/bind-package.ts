import type {
  ContextItem,
  DeclNode,
  ExprNode,
  PackageBodyNode,
  PackageInstanceNode,
  PackageNode,
} from "../../../hdl/vhdl/ast.ts";
import type { BoundDecl, PackageDecl } from "../bound.ts";
import { Scope } from "../scope.ts";
import type { Binder } from "./binder.ts";

/** Context clauses and packages (clauses 4 and 13). */
export class PackageBinder {
  constructor(private readonly host: Binder) {}

  context(items: readonly ContextItem[], scope: Scope): void {
    for (const item of items) {
      switch (item.kind) {
        case "library":
          for (const name of item.names) scope.add(this.host.world.library(name.id), name.id);
          break;
        case "use":
          this.useClause(item.names, scope);
          break;
        case "contextref":
          for (const name of item.names) {
            const meaning = this.host.decls.inScope(scope, () => this.host.names.meaning(name));
            if (meaning && "decls" in meaning && meaning.decls[0].kind === "context")
              this.context(meaning.decls[0].items, scope);
            else if (meaning)
              this.host.error(
                "no-context",
                name.loc,
                `'${this.host.names.text(name.loc)}' is no context.`,
                "Name a context declaration.",
              );
          }
      }
    }
  }

  useClause(names: readonly ExprNode[], scope: Scope): void {
    for (const name of names) {
      if (name.kind === "deref" && (name.of.kind === "select" || name.of.kind === "name")) {
        const meaning = this.host.decls.inScope(scope, () => this.host.names.meaning(name.of));
        if (!meaning || !("decls" in meaning)) continue;
        const [decl] = meaning.decls;
        if (decl.kind === "package") {
          decl.load?.();
          if (decl.generics.length)
            this.host.error(
              "generic-package",
              name.loc,
              `'${decl.name}' is a generic package.`,
              `Make an instance: package p is new ${decl.name} generic map (...);`,
            );
          else scope.usePackage(decl);
        } else if (decl.kind === "library") {
          for (const unit of decl.units.values()) scope.useName(unit.name, [unit]);
        } else
          this.host.error(
            "no-package",
            name.loc,
            `'${this.host.names.text(name.of.loc)}' is no package.`,
            "Write library.package.all.",
          );
        continue;
      }
      if (name.kind !== "select") {
        this.host.error(
          "use",
          name.loc,
          `'${this.host.names.text(name.loc)}' names nothing in a package.`,
          "Write library.package.all.",
        );
        continue;
      }
      const meaning = this.host.decls.inScope(scope, () => this.host.names.meaning(name));
      if (!meaning || !("decls" in meaning)) continue;
      scope.useName(name.name.id, meaning.decls);
      // values of an enumeration are visible with it only by their own names; packages by theirs
      for (const decl of meaning.decls) if (decl.kind === "package") decl.load?.();
    }
  }

  // ---- packages -------------------------------------------------------------------------------------------------

  package(node: PackageNode, body: PackageBodyNode | null, library: string, parent: Scope): PackageDecl {
    const scope = new Scope(parent, node.name.id);
    let state: "new" | "loading" | "loaded" = "new";
    const decl: PackageDecl = {
      kind: "package",
      name: node.name.id,
      loc: node.name.loc,
      library,
      scope,
      decls: [],
      generics: node.generics,
      load: null,
      loadBody: null,
    };
    const read = (target: PackageDecl, region: Scope) => {
      this.host.decls.home = target;
      this.host.decls.inScope(region, () => {
        target.decls.push(...this.host.decls.declarations(node.decls));
      });
      this.host.decls.home = target;
      if (!body) return;
      const inner = new Scope(region, node.name.id);
      this.context(body.context, inner);
      this.host.decls.inScope(inner, () => {
        target.decls.push(...this.host.decls.declarations(body.decls));
      });
    };
    decl.load = () => {
      if (state === "loading") return;
      decl.load = null;
      if (state === "loaded") return;
      state = "loading";
      this.context(node.context, scope);
      if (node.generics.length) {
        decl.instantiate = (name, loc, map, outer) => {
          const region = new Scope(scope, node.name.id);
          const made: PackageDecl = {
            kind: "package",
            name,
            loc,
            library,
            scope: region,
            decls: [],
            generics: [],
            load: null,
            loadBody: null,
          };
          this.host.scope = outer;
          made.decls.push(...this.host.genericMaps.bindGenerics(node.generics, map, region));
          read(made, region);
          return made;
        };
      } else read(decl, scope);
      state = "loaded";
      if (node.generics.length === 0) this.checkBodies(decl, body !== null);
    };
    return decl;
  }

  private checkBodies(decl: PackageDecl, hasBody: boolean): void {
    if (decl.loc.file < 0) return;
    for (const each of decl.decls) {
      if (each.kind === "sub" && !each.body)
        this.host.error(
          "no-body",
          each.loc,
          `'${each.name}' is declared in package '${decl.name}', but ${hasBody ? "its body has none for it" : "the package has no body"}.`,
          `Write it in 'package body ${decl.name}'.`,
        );
      if (each.kind === "constant" && !each.init && !each.full && each.role === "constant")
        this.host.error(
          "no-value",
          each.loc,
          `Constant '${each.name}' has no value in the package body.`,
          `Give it one in 'package body ${decl.name}'.`,
        );
    }
  }

  bindPackage(node: DeclNode & { kind: "package" | "packagebody" | "packageinstance" }): BoundDecl[] {
    if (node.kind === "packageinstance") {
      const made = this.packageInstance(node, this.host.scope);
      if (!made) return [];
      this.host.decls.declare(made);
      return [made];
    }
    if (node.kind === "packagebody") {
      const found = this.host.scope.names.get(node.unit.name.id)?.[0];
      if (found?.kind !== "package") return [];
      const inner = new Scope(found.scope, node.unit.name.id);
      this.host.decls.inScope(inner, () => {
        found.decls.push(...this.host.decls.declarations(node.unit.decls));
      });
      return [];
    }
    const binder = this.host.another();
    const made = binder.packages.package(node.unit, null, "work", this.host.scope);
    // those of subprograms and architectures have bodies beside them
    made.load = null;
    binder.decls.home = made;
    binder.decls.inScope(made.scope, () => {
      made.decls.push(...binder.decls.declarations(node.unit.decls));
    });
    this.host.decls.declare(made);
    return [made];
  }

  packageInstance(node: PackageInstanceNode, scope: Scope): PackageDecl | null {
    const meaning = this.host.decls.inScope(scope, () => this.host.names.meaning(node.of));
    if (!meaning || !("decls" in meaning)) return null;
    const [generic] = meaning.decls;
    if (generic.kind !== "package") {
      this.host.error(
        "no-package",
        node.of.loc,
        `'${this.host.names.text(node.of.loc)}' is no package.`,
        "Name a generic package.",
      );
      return null;
    }
    generic.load?.();
    if (!generic.instantiate) {
      this.host.error(
        "no-generics",
        node.of.loc,
        `Package '${generic.name}' has no generics: it is used as it is.`,
        "Write a use clause.",
      );
      return null;
    }
    return generic.instantiate(node.name.id, node.name.loc, node.generics, scope);
  }
}
