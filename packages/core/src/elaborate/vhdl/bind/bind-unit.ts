import { InvariantError } from "../../../common/finding.ts";
import type { Loc } from "../../../common/source.ts";
import type {
  ArchitectureNode,
  BindingSpec,
  ConcurrentNode,
  ConfigBlock,
  ConfigurationNode,
  ContextItem,
  DeclNode,
  EntityNode,
  ExprNode,
  GenerateBody,
  Ident,
  InstanceNode,
  PackageBodyNode,
  PackageInstanceNode,
  PackageNode,
  UnitNode,
} from "../../../hdl/vhdl/ast.ts";
import type { Report } from "../../report.ts";
import type {
  ArchitectureDecl,
  BoundDecl,
  BoundProcess,
  BoundRegion,
  Concurrent,
  ConfigRule,
  ConfigurationDecl,
  ConstantDecl,
  Decl,
  EntityDecl,
  PackageDecl,
  SignalDecl,
  Stmt,
  UnitEntry,
} from "../bound.ts";
import { Scope } from "../scope.ts";
import { subtypeOf } from "../types.ts";
import { Builtins, World } from "../world.ts";
import { type ForeignUnits, InstanceBinder } from "./bind-instance.ts";

/** Design units (clauses 3, 4, 11 and 13). One binder for each unit: a unit is read when something needs it. */ export class UnitBinder extends InstanceBinder {
  // ---- context --------------------------------------------------------------------------------------------------

  context(items: readonly ContextItem[], scope: Scope): void {
    for (const item of items) {
      switch (item.kind) {
        case "library":
          for (const name of item.names) scope.add(this.world.library(name.id), name.id);
          break;
        case "use":
          this.useClause(item.names, scope);
          break;
        case "contextref":
          for (const name of item.names) {
            const meaning = this.inScope(scope, () => this.meaning(name));
            if (meaning && "decls" in meaning && meaning.decls[0].kind === "context")
              this.context(meaning.decls[0].items, scope);
            else if (meaning)
              this.error(
                "no-context",
                name.loc,
                `'${this.text(name.loc)}' is no context.`,
                "Name a context declaration.",
              );
          }
      }
    }
  }

  useClause(names: readonly ExprNode[], scope: Scope): void {
    for (const name of names) {
      if (name.kind === "deref" && (name.of.kind === "select" || name.of.kind === "name")) {
        const meaning = this.inScope(scope, () => this.meaning(name.of));
        if (!meaning || !("decls" in meaning)) continue;
        const [decl] = meaning.decls;
        if (decl.kind === "package") {
          decl.load?.();
          if (decl.generics.length)
            this.error(
              "generic-package",
              name.loc,
              `'${decl.name}' is a generic package.`,
              `Make an instance: package p is new ${decl.name} generic map (...);`,
            );
          else scope.usePackage(decl);
        } else if (decl.kind === "library") {
          for (const unit of decl.units.values()) scope.useName(unit.name, [unit]);
        } else
          this.error(
            "no-package",
            name.loc,
            `'${this.text(name.of.loc)}' is no package.`,
            "Write library.package.all.",
          );
        continue;
      }
      if (name.kind !== "select") {
        this.error(
          "use",
          name.loc,
          `'${this.text(name.loc)}' names nothing in a package.`,
          "Write library.package.all.",
        );
        continue;
      }
      const meaning = this.inScope(scope, () => this.meaning(name));
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
      this.home = target;
      this.inScope(region, () => {
        target.decls.push(...this.declarations(node.decls));
      });
      this.home = target;
      if (!body) return;
      const inner = new Scope(region, node.name.id);
      this.context(body.context, inner);
      this.inScope(inner, () => {
        target.decls.push(...this.declarations(body.decls));
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
          this.scope = outer;
          made.decls.push(...this.bindGenerics(node.generics, map, region));
          read(made, region);
          return made;
        };
      } else read(decl, scope);
      state = "loaded";
      if (node.generics.length === 0) this.checkBodies(decl, body !== null);
    };
    return decl;
  }

  protected checkBodies(decl: PackageDecl, hasBody: boolean): void {
    if (decl.loc.file < 0) return;
    for (const each of decl.decls) {
      if (each.kind === "sub" && !each.body)
        this.error(
          "no-body",
          each.loc,
          `'${each.name}' is declared in package '${decl.name}', but ${hasBody ? "its body has none for it" : "the package has no body"}.`,
          `Write it in 'package body ${decl.name}'.`,
        );
      if (each.kind === "constant" && !each.init && !each.full && each.role === "constant")
        this.error(
          "no-value",
          each.loc,
          `Constant '${each.name}' has no value in the package body.`,
          `Give it one in 'package body ${decl.name}'.`,
        );
    }
  }

  bindPackage(node: DeclNode & { kind: "package" | "packagebody" | "packageinstance" }): BoundDecl[] {
    if (node.kind === "packageinstance") {
      const made = this.packageInstance(node, this.scope);
      if (!made) return [];
      this.declare(made);
      return [made];
    }
    if (node.kind === "packagebody") {
      const found = this.scope.names.get(node.unit.name.id)?.[0];
      if (found?.kind !== "package") return [];
      const inner = new Scope(found.scope, node.unit.name.id);
      this.inScope(inner, () => {
        found.decls.push(...this.declarations(node.unit.decls));
      });
      return [];
    }
    const binder = new UnitBinder(this.world, this.report, this.scope, this.foreign);
    const made = binder.package(node.unit, null, "work", this.scope);
    // those of subprograms and architectures have bodies beside them
    made.load = null;
    binder.home = made;
    binder.inScope(made.scope, () => {
      made.decls.push(...binder.declarations(node.unit.decls));
    });
    this.declare(made);
    return [made];
  }

  packageInstance(node: PackageInstanceNode, scope: Scope): PackageDecl | null {
    const meaning = this.inScope(scope, () => this.meaning(node.of));
    if (!meaning || !("decls" in meaning)) return null;
    const [generic] = meaning.decls;
    if (generic.kind !== "package") {
      this.error("no-package", node.of.loc, `'${this.text(node.of.loc)}' is no package.`, "Name a generic package.");
      return null;
    }
    generic.load?.();
    if (!generic.instantiate) {
      this.error(
        "no-generics",
        node.of.loc,
        `Package '${generic.name}' has no generics: it is used as it is.`,
        "Write a use clause.",
      );
      return null;
    }
    return generic.instantiate(node.name.id, node.name.loc, node.generics, scope);
  }

  // ---- entities and architectures -------------------------------------------------------------------------------

  entity(node: EntityNode): EntityDecl {
    const context = new Scope(this.scope);
    const scope = new Scope(context, node.name.id);
    const shown = node.name.loc.file >= 0 ? this.report.sources.text(node.name.loc) : node.name.id;
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
      this.context(node.context, context);
      // its own name is that of the region around it: what it declares may be called the same
      context.add(decl);
      this.inScope(scope, () => {
        decl.generics.push(...this.generics(node.generics));
        decl.ports.push(...this.ports(node.ports));
        decl.decls.push(...this.declarations(node.decls));
        decl.concurrents.push(...this.concurrents(node.stmts));
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
      this.context(node.context, scope);
      this.nested = true;
      this.inScope(scope, () => {
        this.region(node.decls, node.stmts, decl);
      });
    };
    return decl;
  }

  protected labels: ReadonlyMap<string, Decl> = new Map();
  concurrentLabel(id: string): Decl | null {
    return this.labels.get(id) ?? null;
  }
  protected specs: BindingSpec[] = [];

  protected region(
    decls: readonly DeclNode[],
    stmts: readonly ConcurrentNode[],
    into: { decls: BoundDecl[]; concurrents: Concurrent[] },
  ): void {
    const { labels, specs } = this;
    this.labels = new Map(
      stmts.flatMap((stmt) =>
        stmt.label
          ? [[stmt.label.id, { kind: "label", name: stmt.label.id, loc: stmt.label.loc, scope: null } as Decl]]
          : [],
      ),
    );
    this.specs = [...specs, ...decls.flatMap((decl) => (decl.kind === "configspec" ? [decl.spec] : []))];
    into.decls.push(...this.declarations(decls));
    into.concurrents.push(...this.concurrents(stmts));
    this.labels = labels;
    this.specs = specs;
  }

  // ---- concurrent statements ------------------------------------------------------------------------------------

  concurrents(nodes: readonly ConcurrentNode[]): Concurrent[] {
    const list: Concurrent[] = [];
    for (const node of nodes)
      if (node.label) {
        const old = this.scope.names.get(node.label.id)?.[0];
        if (old && old.kind !== "label" && !("native" in old))
          this.error(
            "duplicate",
            node.label.loc,
            `'${node.label.id}' is already declared here.`,
            "Give the statement another label.",
          );
        else if (old && old.loc !== node.label.loc)
          this.error(
            "duplicate",
            node.label.loc,
            `The label '${node.label.id}' is used twice.`,
            "Give one of them another name.",
          );
        else this.scope.add({ kind: "label", name: node.label.id, loc: node.label.loc, scope: null });
      }
    for (const node of nodes) {
      const made = this.concurrent(node);
      if (made) list.push(made);
      this.forget();
    }
    return list;
  }

  protected shown(label: Ident): string {
    return label.loc.file >= 0 && !label.id.startsWith("unnamed_") ? this.report.sources.text(label.loc) : label.id;
  }

  protected concurrent(node: ConcurrentNode): Concurrent | null {
    const { loc } = node;
    switch (node.kind) {
      case "process":
        return this.process(node);
      case "signal": {
        const stmt = this.signalAssignment(node.target, node, loc);
        if (!stmt) return null;
        const guarded: Stmt = node.guarded ? this.guarded(stmt, loc) : stmt;
        return this.oneStatement(node.label, guarded, loc);
      }
      case "assert":
        return this.oneStatement(node.label, this.assertion(node.test, node.message, node.severity, loc), loc);
      case "call": {
        const instance = node.label && this.plainInstance(node.label, node.call, loc);
        if (instance) return this.instance(instance);
        const stmt = this.callStatement(node.call, loc);
        return stmt && this.oneStatement(node.label, stmt, loc);
      }
      case "block":
        return this.block(node);
      case "instance":
        return this.instance(node);
      case "forgenerate": {
        const range = this.discrete(node.range, null);
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
        const scope = new Scope(this.scope, node.label.id);
        scope.add(param);
        const body = this.inScope(scope, () => this.generated(node.body));
        return { kind: "for", label: node.label.id, shown: this.shown(node.label), param, range, body, loc };
      }
      case "ifgenerate": {
        const branches = node.branches.map((branch) => {
          const test = branch.test ? this.condition(branch.test) : null;
          return {
            label: branch.label?.id ?? null,
            test,
            body: this.inScope(new Scope(this.scope, node.label.id), () => this.generated(branch.body)),
          };
        });
        return { kind: "if", label: node.label.id, shown: this.shown(node.label), branches, loc };
      }
      case "casegenerate": {
        const subject = this.subject(node.subject);
        if (!subject) return null;
        const branches = node.branches.map((branch) => ({
          label: branch.label?.id ?? null,
          choices: this.choices(branch.choices, subject.type),
          body: this.inScope(new Scope(this.scope, node.label.id), () => this.generated(branch.body)),
        }));
        return { kind: "case", label: node.label.id, shown: this.shown(node.label), subject, branches, loc };
      }
    }
  }

  protected generated(body: GenerateBody): BoundRegion {
    const made = { decls: [] as BoundDecl[], concurrents: [] as Concurrent[] };
    this.region(body.decls, body.stmts, made);
    return made;
  }

  protected guarded(stmt: Stmt, loc: Loc): Stmt {
    const [guard] = this.scope.lookup("guard");
    if (guard?.kind !== "signal") {
      this.error(
        "guard",
        loc,
        "'guarded' stands in a block without a guard.",
        "Give the block one: block (condition).",
      );
      return stmt;
    }
    return { op: "if", test: this.objectExpr(guard, loc), yes: [stmt], no: null, loc };
  }

  protected oneStatement(label: Ident | null, stmt: Stmt, loc: Loc): BoundProcess {
    return {
      kind: "process",
      label: label?.id ?? null,
      name: label?.id ?? this.nameOf(loc),
      sensitivity: "all",
      decls: [],
      stmts: [stmt],
      concurrent: true,
      postponed: false,
      headLoc: this.headOf(loc),
      loc,
    };
  }
  protected nameOf(loc: Loc): string {
    return loc.file < 0 ? "process" : `line_${this.report.sources.position(loc.file, loc.start).line}`;
  }

  protected process(node: ConcurrentNode & { kind: "process" }): BoundProcess {
    const scope = new Scope(this.scope, node.label?.id ?? null);
    return this.inScope(scope, () => {
      const sensitivity =
        node.sensitivity === "all" || node.sensitivity === null
          ? node.sensitivity
          : node.sensitivity.map((each) => this.signalName(each)).filter((each) => each !== null);
      const { result, mayWait } = this;
      this.result = null;
      this.mayWait = node.sensitivity === null;
      const decls = this.declarations(node.decls);
      const stmts = this.statements(node.stmts);
      this.result = result;
      this.mayWait = mayWait;
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

  protected block(node: ConcurrentNode & { kind: "block" }): Concurrent {
    const scope = new Scope(this.scope, node.label.id);
    const guard = node.guard ? this.condition(node.guard) : null;
    return this.inScope(scope, () => {
      const generics = this.generics(node.generics);
      const ports = this.ports(node.ports);
      let guardSignal: SignalDecl | null = null;
      if (guard) {
        guardSignal = {
          kind: "signal",
          name: "guard",
          loc: node.guard!.loc,
          subtype: subtypeOf(this.world.standard.boolean),
          init: null,
          mode: null,
          role: "signal",
          kindOf: null,
        };
        scope.add(guardSignal);
      }
      const genericMap = this.associate(node.genericMap, generics, node.label.id, "generic", this.scope.parent!);
      const portMap = this.associate(node.portMap, ports, node.label.id, "port", this.scope.parent!);
      const body = { decls: [] as BoundDecl[], concurrents: [] as Concurrent[] };
      this.region(node.decls, node.stmts, body);
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
  protected plainInstance(label: Ident, call: ExprNode, loc: Loc): InstanceNode | null {
    if (call.kind !== "name" && call.kind !== "select") return null;
    const [decl] = call.kind === "name" ? this.scope.lookup(call.id) : [];
    if (decl?.kind !== "component") return null;
    return { kind: "instance", label, unit: "component", name: call, architecture: null, generics: [], ports: [], loc };
  }

  // ---- configurations -------------------------------------------------------------------------------------------

  configuration(node: ConfigurationNode): ConfigurationDecl {
    const decl: ConfigurationDecl = {
      kind: "configuration",
      name: node.name.id,
      loc: node.name.loc,
      entity: null,
      architecture: null,
      rules: [],
      load: null,
    };
    const root = this.scope;
    decl.load = () => {
      decl.load = null;
      const scope = new Scope(root);
      this.context(node.context, scope);
      this.inScope(scope, () => {
        const unit =
          node.entity.kind === "name"
            ? this.world.unitIn(this.world.home(node.loc.file), node.entity.id)
            : this.unitNamed(node.entity);
        if (!unit || "foreign" in unit || unit.kind !== "entity") {
          this.error(
            "unknown-entity",
            node.entity.loc,
            `There is no entity '${this.text(node.entity.loc)}'.`,
            "Check its name.",
          );
          return;
        }
        decl.entity = unit;
        if (!node.block) return;
        decl.architecture = node.block.name.id;
        if (!unit.architectures.has(node.block.name.id))
          this.error(
            "unknown-architecture",
            node.block.name.loc,
            `Entity '${unit.name}' has no architecture '${node.block.name.id}'.`,
            "Check its name.",
          );
        decl.rules = this.rules(node.block, []);
      });
    };
    return decl;
  }

  protected rules(block: ConfigBlock, path: readonly string[]): ConfigRule[] {
    return block.items.flatMap((item): ConfigRule[] => {
      if (item.kind === "block") return this.rules(item.block, [...path, item.block.name.id]);
      const { spec } = item;
      return [
        {
          path,
          labels: typeof spec.labels === "string" ? spec.labels : spec.labels.map((each) => each.id),
          component: spec.component.kind === "name" ? spec.component.id : "",
          unit: spec.unit ? this.bindingUnit(spec.unit) : null,
          inner: item.inner ? this.rules(item.inner, []) : [],
        },
      ];
    });
  }
}

let builtins: Builtins | null = null;
/** The libraries that ship with the product, read once. */
function sharedBuiltins(): Builtins {
  if (builtins) return builtins;
  builtins = new Builtins((world, report, root, library, units) => {
    for (const node of units) {
      if (node.kind === "context")
        library.units.set(node.name.id, { kind: "context", name: node.name.id, loc: node.name.loc, items: node.items });
      const binder = new UnitBinder(world, report, root);
      if (node.kind === "package") {
        const body = units.find(
          (each): each is PackageBodyNode => each.kind === "packagebody" && each.name.id === node.name.id,
        );
        library.units.set(node.name.id, binder.package(node, body ?? null, library.name, root));
      } else if (node.kind === "packageinstance") {
        const scope = new Scope(root);
        binder.context(node.context, scope);
        const made = binder.packageInstance(node, scope);
        if (!made || report.findings.length)
          throw new InvariantError(`${node.name.id}: ${report.findings[0]?.message ?? "no package"}`);
        library.units.set(node.name.id, made);
      }
    }
  });
  return builtins;
}

/** Design units of a design as names of its library. They are read when they are needed, or by `loadAll`. */
export function analyzeUnits(
  units: readonly UnitNode[],
  report: Report,
  foreign: ForeignUnits | null = null,
  /** Told of each declaration, and of each name that means one. */
  onUse: World["onUse"] = null,
): World {
  const world = new World(sharedBuiltins(), null, report.sources);
  world.onUse = onUse;
  world.unitNodes.push(...units);
  world.formLibraries(units);
  const rootAt = (file: number) => world.rootOf(world.home(file));
  const binder = (file: number) => new UnitBinder(world, report, rootAt(file), foreign);
  const add = (entry: UnitEntry, name: Ident) => {
    const old = world.addUnit(world.home(name.loc.file), name.id, entry);
    if (old) {
      const place = report.sources.position(old.loc.file, old.loc.start);
      binder(name.loc.file).error(
        "duplicate-unit",
        name.loc,
        `There is already a ${old.kind} '${name.id}', in ${place.file} on line ${place.line}.`,
        "Give one of them another name.",
      );
    }
    world.note(name.loc, entry);
  };
  for (const node of units) {
    const { file } = node.loc;
    if (node.kind === "entity") add(binder(file).entity(node), node.name);
    else if (node.kind === "package") {
      const library = world.home(file);
      const body =
        units.find(
          (each): each is PackageBodyNode =>
            each.kind === "packagebody" && each.name.id === node.name.id && world.home(each.loc.file) === library,
        ) ?? null;
      add(binder(file).package(node, body, library.name, new Scope(rootAt(file))), node.name);
    } else if (node.kind === "context")
      add({ kind: "context", name: node.name.id, loc: node.name.loc, items: node.items }, node.name);
    else if (node.kind === "configuration") add(binder(file).configuration(node), node.name);
  }
  for (const node of units) {
    if (node.kind === "packageinstance") {
      const own = binder(node.loc.file);
      const scope = new Scope(rootAt(node.loc.file));
      own.context(node.context, scope);
      const made = own.packageInstance(node, scope);
      if (made) add(made, node.name);
    }
  }
  for (const node of units) {
    const { file } = node.loc;
    const library = world.home(file);
    if (node.kind === "packagebody" && library.units.get(node.name.id)?.kind !== "package")
      binder(file).error(
        "no-package",
        node.name.loc,
        `There is no package '${node.name.id}' for this body.`,
        "Write the package itself first.",
      );
    if (node.kind !== "architecture") continue;
    const entity = library.units.get(node.entity.id);
    if (entity?.kind !== "entity") {
      const own = binder(file);
      own.error(
        "unknown-entity",
        node.entity.loc,
        `There is no entity '${node.entity.id}' for this architecture.`,
        own.nearText(node.entity.id, library.units.keys(), "Write the entity, with its ports."),
      );
      continue;
    }
    const made = binder(file).architecture(node, entity);
    if (entity.architectures.has(node.name.id))
      binder(file).error(
        "duplicate-unit",
        node.name.loc,
        `Entity '${entity.name}' already has an architecture '${node.name.id}'.`,
        "Give one of them another name.",
      );
    world.note(node.entity.loc, entity);
    world.note(node.name.loc, made);
    entity.architectures.set(node.name.id, made);
    entity.lastArchitecture = made;
  }
  return world;
}

/** Reads every unit, so that all mistakes are told. */
export function loadAll(world: World): void {
  for (const unit of world.designUnits()) {
    if (unit.kind === "context") continue;
    unit.load?.();
    if (unit.kind === "entity") for (const architecture of unit.architectures.values()) architecture.load?.();
  }
}
