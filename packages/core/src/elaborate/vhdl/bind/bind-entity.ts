import type { ArchitectureNode, BindingSpec, ConcurrentNode, DeclNode, EntityNode } from "../../../hdl/vhdl/ast.ts";
import type { ArchitectureDecl, BoundDecl, Concurrent, Decl, EntityDecl } from "../bound.ts";
import { Scope } from "../scope.ts";
import type { Binder } from "./binder.ts";

/** Entities and architectures (3.2, 3.3). */
export class DesignUnits {
  constructor(private readonly host: Binder) {}

  entity(node: EntityNode): EntityDecl {
    const context = new Scope(this.host.scope);
    const scope = new Scope(context, node.name.id);
    const shown = node.name.loc.file >= 0 ? this.host.report.sources.text(node.name.loc) : node.name.id;
    const decl: EntityDecl = {
      kind: "entity",
      name: node.name.id,
      shown,
      loc: node.name.loc,
      scope,
      generics: [],
      ports: [],
      decls: [],
      concurrents: [],
      architectures: new Map(),
      lastArchitecture: null,
      load: null,
    };
    decl.load = () => {
      decl.load = null;
      this.host.packages.context(node.context, context);
      // its own name is that of the region around it: what it declares may be called the same
      context.add(decl);
      this.host.decls.inScope(scope, () => {
        decl.generics.push(...this.host.decls.generics(node.generics));
        decl.ports.push(...this.host.decls.ports(node.ports));
        decl.decls.push(...this.host.decls.declarations(node.decls));
        decl.concurrents.push(...this.host.concurrents.concurrents(node.stmts));
      });
    };
    return decl;
  }

  architecture(node: ArchitectureNode, entity: EntityDecl): ArchitectureDecl {
    const decl: ArchitectureDecl = {
      kind: "architecture",
      name: node.name.id,
      loc: node.name.loc,
      entity,
      decls: [],
      concurrents: [],
      nodes: node.stmts,
      load: null,
    };
    decl.load = () => {
      decl.load = null;
      entity.load?.();
      const around = new Scope(entity.scope);
      around.add(decl);
      const scope = new Scope(around, node.name.id);
      this.host.packages.context(node.context, scope);
      this.host.decls.nested = true;
      this.host.decls.inScope(scope, () => {
        this.region(node.decls, node.stmts, decl);
      });
    };
    return decl;
  }

  private labels: ReadonlyMap<string, Decl> = new Map();
  concurrentLabel(id: string): Decl | null {
    return this.labels.get(id) ?? null;
  }
  specs: BindingSpec[] = [];

  region(
    decls: readonly DeclNode[],
    stmts: readonly ConcurrentNode[],
    into: { decls: BoundDecl[]; concurrents: Concurrent[] },
  ): void {
    const labels = this.labels;
    const specs = this.specs;
    this.labels = new Map(
      stmts.flatMap((stmt) =>
        stmt.label
          ? [[stmt.label.id, { kind: "label", name: stmt.label.id, loc: stmt.label.loc, scope: null } as Decl]]
          : [],
      ),
    );
    this.specs = [...specs, ...decls.flatMap((decl) => (decl.kind === "configspec" ? [decl.spec] : []))];
    into.decls.push(...this.host.decls.declarations(decls));
    into.concurrents.push(...this.host.concurrents.concurrents(stmts));
    this.labels = labels;
    this.specs = specs;
  }
}
