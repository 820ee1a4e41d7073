import type { Loc } from "../../../common/source.ts";
import type { ConcurrentNode, ExprNode, GenerateBody, Ident, InstanceNode } from "../../../hdl/vhdl/ast.ts";
import type { BoundDecl, BoundProcess, BoundRegion, Concurrent, ConstantDecl, SignalDecl, Stmt } from "../bound.ts";
import { Scope } from "../scope.ts";
import { subtypeOf } from "../types.ts";
import type { Binder } from "./binder.ts";

/** Concurrent statements (clause 11). */
export class ConcurrentBinder {
  constructor(private readonly host: Binder) {}

  concurrents(nodes: readonly ConcurrentNode[]): Concurrent[] {
    const list: Concurrent[] = [];
    for (const node of nodes)
      if (node.label) {
        const old = this.host.scope.names.get(node.label.id)?.[0];
        if (old && old.kind !== "label" && !("native" in old))
          this.host.error(
            "duplicate",
            node.label.loc,
            `'${node.label.id}' is already declared here.`,
            "Give the statement another label.",
          );
        else if (old && old.loc !== node.label.loc)
          this.host.error(
            "duplicate",
            node.label.loc,
            `The label '${node.label.id}' is used twice.`,
            "Give one of them another name.",
          );
        else this.host.scope.add({ kind: "label", name: node.label.id, loc: node.label.loc, scope: null });
      }
    for (const node of nodes) {
      const made = this.concurrent(node);
      if (made) list.push(made);
      this.host.forget();
    }
    return list;
  }

  shown(label: Ident): string {
    return label.loc.file >= 0 && !label.id.startsWith("unnamed_")
      ? this.host.report.sources.text(label.loc)
      : label.id;
  }

  private concurrent(node: ConcurrentNode): Concurrent | null {
    const { loc } = node;
    switch (node.kind) {
      case "process":
        return this.process(node);
      case "signal": {
        const stmt = this.host.assignments.signalAssignment(node.target, node, loc);
        if (!stmt) return null;
        const guarded: Stmt = node.guarded ? this.guarded(stmt, loc) : stmt;
        return this.oneStatement(node.label, guarded, loc);
      }
      case "assert":
        return this.oneStatement(
          node.label,
          this.host.stmts.assertion(node.test, node.message, node.severity, loc),
          loc,
        );
      case "call": {
        const instance = node.label && this.plainInstance(node.label, node.call, loc);
        if (instance) return this.host.instances.instance(instance);
        const stmt = this.host.procedures.callStatement(node.call, loc);
        return stmt && this.oneStatement(node.label, stmt, loc);
      }
      case "block":
        return this.block(node);
      case "instance":
        return this.host.instances.instance(node);
      case "forgenerate": {
        const range = this.host.ranges.discrete(node.range, null);
        if (!range) return null;
        const param: ConstantDecl = {
          kind: "constant",
          name: node.name.id,
          loc: node.name.loc,
          subtype: subtypeOf(range.type),
          init: null,
          role: "generate",
          full: null,
        };
        const scope = new Scope(this.host.scope, node.label.id);
        scope.add(param);
        const body = this.host.decls.inScope(scope, () => this.generated(node.body));
        return { kind: "for", label: node.label.id, shown: this.shown(node.label), param, range, body, loc };
      }
      case "ifgenerate": {
        const branches = node.branches.map((branch) => {
          const test = branch.test ? this.host.operations.condition(branch.test) : null;
          return {
            label: branch.label?.id ?? null,
            test,
            body: this.host.decls.inScope(new Scope(this.host.scope, node.label.id), () => this.generated(branch.body)),
          };
        });
        return { kind: "if", label: node.label.id, shown: this.shown(node.label), branches, loc };
      }
      case "casegenerate": {
        const subject = this.host.stmts.subject(node.subject);
        if (!subject) return null;
        const branches = node.branches.map((branch) => ({
          label: branch.label?.id ?? null,
          choices: this.host.aggregates.choices(branch.choices, subject.type),
          body: this.host.decls.inScope(new Scope(this.host.scope, node.label.id), () => this.generated(branch.body)),
        }));
        return { kind: "case", label: node.label.id, shown: this.shown(node.label), subject, branches, loc };
      }
    }
  }

  private generated(body: GenerateBody): BoundRegion {
    const made = { decls: [] as BoundDecl[], concurrents: [] as Concurrent[] };
    this.host.units.region(body.decls, body.stmts, made);
    return made;
  }

  private guarded(stmt: Stmt, loc: Loc): Stmt {
    const [guard] = this.host.scope.lookup("guard");
    if (guard?.kind !== "signal") {
      this.host.error(
        "guard",
        loc,
        "'guarded' stands in a block without a guard.",
        "Give the block one: block (condition).",
      );
      return stmt;
    }
    return { op: "if", test: this.host.names.objectExpr(guard, loc), yes: [stmt], no: null, loc };
  }

  private oneStatement(label: Ident | null, stmt: Stmt, loc: Loc): BoundProcess {
    return {
      kind: "process",
      label: label?.id ?? null,
      name: label?.id ?? this.nameOf(loc),
      sensitivity: "all",
      decls: [],
      stmts: [stmt],
      concurrent: true,
      postponed: false,
      headLoc: this.host.stmts.headOf(loc),
      loc,
    };
  }
  private nameOf(loc: Loc): string {
    return loc.file < 0 ? "process" : `line_${this.host.report.sources.position(loc.file, loc.start).line}`;
  }

  private process(node: ConcurrentNode & { kind: "process" }): BoundProcess {
    const scope = new Scope(this.host.scope, node.label?.id ?? null);
    return this.host.decls.inScope(scope, () => {
      const sensitivity =
        node.sensitivity === "all" || node.sensitivity === null
          ? node.sensitivity
          : node.sensitivity.map((each) => this.host.assignments.signalName(each)).filter((each) => each !== null);
      const result = this.host.decls.result;
      const mayWait = this.host.stmts.mayWait;
      this.host.decls.result = null;
      this.host.stmts.mayWait = node.sensitivity === null;
      const decls = this.host.decls.declarations(node.decls);
      const stmts = this.host.stmts.statements(node.stmts);
      this.host.decls.result = result;
      this.host.stmts.mayWait = mayWait;
      return {
        kind: "process",
        label: node.label?.id ?? null,
        name: node.label ? this.shown(node.label) : this.nameOf(node.loc),
        sensitivity,
        decls,
        stmts,
        concurrent: false,
        postponed: node.postponed,
        headLoc: node.headLoc,
        loc: node.loc,
      };
    });
  }

  private block(node: ConcurrentNode & { kind: "block" }): Concurrent {
    const scope = new Scope(this.host.scope, node.label.id);
    const guard = node.guard ? this.host.operations.condition(node.guard) : null;
    return this.host.decls.inScope(scope, () => {
      const generics = this.host.decls.generics(node.generics);
      const ports = this.host.decls.ports(node.ports);
      let guardSignal: SignalDecl | null = null;
      if (guard) {
        guardSignal = {
          kind: "signal",
          name: "guard",
          loc: node.guard!.loc,
          subtype: subtypeOf(this.host.world.standard.boolean),
          init: null,
          mode: null,
          role: "signal",
          kindOf: null,
        };
        scope.add(guardSignal);
      }
      const genericMap = this.host.instances.associate(
        node.genericMap,
        generics,
        node.label.id,
        "generic",
        this.host.scope.parent!,
      );
      const portMap = this.host.instances.associate(
        node.portMap,
        ports,
        node.label.id,
        "port",
        this.host.scope.parent!,
      );
      const body = { decls: [] as BoundDecl[], concurrents: [] as Concurrent[] };
      this.host.units.region(node.decls, node.stmts, body);
      return {
        kind: "block",
        label: node.label.id,
        shown: this.shown(node.label),
        guard,
        guardSignal,
        generics,
        genericMap,
        ports,
        portMap,
        ...body,
        loc: node.loc,
      };
    });
  }

  /** `label : name;` is an instance without maps, if the name is that of a component. */
  private plainInstance(label: Ident, call: ExprNode, loc: Loc): InstanceNode | null {
    if (call.kind !== "name" && call.kind !== "select") return null;
    const [decl] = call.kind === "name" ? this.host.scope.lookup(call.id) : [];
    if (decl?.kind !== "component") return null;
    return { kind: "instance", label, unit: "component", name: call, architecture: null, generics: [], ports: [], loc };
  }
}
