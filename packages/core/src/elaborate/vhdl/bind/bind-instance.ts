import { nearestName } from "../../../common/finding.ts";
import type { Loc } from "../../../common/source.ts";
import type { Association, BindingSpec, ExprNode, Ident, InstanceNode } from "../../../hdl/vhdl/ast.ts";
import type { Report } from "../../report.ts";
import type {
  BindingUnit,
  BoundAssociation,
  BoundInstance,
  ComponentDecl,
  ConstantDecl,
  Expr,
  ForeignActual,
  LibraryDecl,
  SignalDecl,
  UnitEntry,
} from "../bound.ts";
import { Scope } from "../scope.ts";
import { errorType } from "../types.ts";
import type { World } from "../world.ts";
import { StmtBinder } from "./bind-stmt.ts";
import { countOf } from "./bind-words.ts";

/** Modules of the other language that an instance may mean. */
export interface ForeignUnits {
  /** @returns The name as written, if there is such a module. Case counts only where several differ by it alone. */
  find(name: string): string | null;
  readonly names: readonly string[];
}

/** Instances of components, entities and modules, with their generics and ports (11.7, 6.5.7). */
export abstract class InstanceBinder extends StmtBinder {
  constructor(
    world: World,
    report: Report,
    scope: Scope,
    protected readonly foreign: ForeignUnits | null = null,
  ) {
    super(world, report, scope);
  }
  protected abstract shown(name: Ident): string;
  protected abstract specs: readonly BindingSpec[];

  // ---- instances ------------------------------------------------------------------------------------------------

  /** The unit that a name means: of a library, or without one in work. */
  protected unitNamed(node: ExprNode): UnitEntry | { readonly foreign: string } | null {
    if (node.kind === "select" && node.of.kind === "name") {
      const [library] = this.scope.lookup(node.of.id);
      if (library?.kind === "library") {
        const unit = this.world.unitIn(library, node.name.id);
        if (unit) {
          this.world.note(node.name.loc, unit);
          return unit;
        }
        const foreign = this.world.isDesign(library)
          ? this.foreign?.find(this.writtenName(node.name.loc, node.name.id))
          : null;
        if (foreign) return { foreign };
        this.unknownUnit(node.name, library);
        return null;
      }
    }
    if (node.kind === "name") {
      const unit = this.world.unitIn(this.world.home(node.loc.file), node.id);
      const written = this.writtenName(node.loc, node.id);
      const foreign = unit ? null : this.foreign?.find(written);
      if (unit || foreign) {
        if (unit) this.error("no-library", node.loc, `An entity is named with its library.`, `Write work.${written}.`);
        else return { foreign: foreign! };
        return unit;
      }
    }
    const meaning = this.meaning(node);
    if (!meaning || !("decls" in meaning)) return null;
    const [decl] = meaning.decls;
    if (decl.kind === "entity" || decl.kind === "configuration" || decl.kind === "package" || decl.kind === "context")
      return decl;
    this.error("no-entity", node.loc, `'${this.text(node.loc)}' is no entity.`, "Write entity work.name.");
    return null;
  }
  protected writtenName(loc: Loc, id: string): string {
    if (id.startsWith("\\")) return id.slice(1, -1);
    return loc.file >= 0 ? this.report.sources.text(loc) : id;
  }
  protected unknownUnit(name: Ident, library: LibraryDecl): void {
    const names = [...library.units.values()].filter((unit) => unit.kind === "entity").map((unit) => unit.name);
    this.error(
      "unknown-entity",
      name.loc,
      `There is no entity '${this.writtenName(name.loc, name.id)}' in library '${library.name}'.`,
      this.nearText(
        name.id,
        [...names, ...(this.foreign?.names ?? [])],
        "Check its name, or add its file to the design.",
      ),
    );
  }

  protected instance(node: InstanceNode): BoundInstance | null {
    const { loc, label } = node;
    const base = { kind: "instance" as const, label: label.id, shown: this.shown(label), loc };
    if (node.unit === "component") {
      const found = this.scopeComponent(node.name);
      if (!found) return null;
      const spec = this.specFor(label.id, found.name);
      const unit = spec?.unit ? this.bindingUnit(spec.unit) : null;
      return {
        ...base,
        unit,
        component: found,
        generics: this.associate(node.generics, found.generics, found.name, "generic", this.scope, node.name.loc),
        ports: this.associate(node.ports, found.ports, found.name, "port", this.scope, node.name.loc),
      };
    }
    const unit = this.unitNamed(node.name);
    if (!unit) {
      for (const each of [...node.generics, ...node.ports]) this.foreignActual(each);
      return null;
    }
    if ("foreign" in unit) return this.foreignInstance(base, unit.foreign, node);
    if (unit.kind === "configuration") {
      unit.load?.();
      const { entity } = unit;
      if (!entity) return null;
      entity.load?.();
      return {
        ...base,
        unit: { kind: "configuration", configuration: unit },
        component: null,
        generics: this.associate(node.generics, entity.generics, entity.name, "generic", this.scope, node.name.loc),
        ports: this.associate(node.ports, entity.ports, entity.name, "port", this.scope, node.name.loc),
      };
    }
    if (unit.kind !== "entity") {
      this.error("no-entity", node.name.loc, `'${this.text(node.name.loc)}' is no entity.`, "Write entity work.name.");
      return null;
    }
    unit.load?.();
    if (node.architecture && !unit.architectures.has(node.architecture.id)) {
      this.error(
        "unknown-architecture",
        node.architecture.loc,
        `Entity '${unit.name}' has no architecture '${node.architecture.id}'.`,
        this.nearText(node.architecture.id, unit.architectures.keys(), "Check its name."),
      );
    } else if (node.architecture) this.world.note(node.architecture.loc, unit.architectures.get(node.architecture.id)!);
    return {
      ...base,
      unit: { kind: "entity", entity: unit, architecture: node.architecture?.id ?? null },
      component: null,
      generics: this.associate(node.generics, unit.generics, unit.name, "generic", this.scope, node.name.loc),
      ports: this.associate(node.ports, unit.ports, unit.name, "port", this.scope, node.name.loc),
    };
  }

  protected scopeComponent(node: ExprNode): ComponentDecl | null {
    const decls = node.kind === "name" ? this.scope.lookup(node.id) : [];
    if (node.kind === "name" && decls.length === 0) {
      // no component declared, though there is an entity: the short way is to name it
      const unit = this.world.unitIn(this.world.home(node.loc.file), node.id);
      const written = this.writtenName(node.loc, node.id);
      if (unit?.kind === "entity" || this.foreign?.find(written)) {
        const place = this.report.sources.place(node.loc);
        this.error(
          "no-component",
          node.loc,
          `There is no component '${written}' here, but ${unit ? "an entity" : "a module"} of that name.`,
          `Write 'entity work.${written}', or declare the component.`,
          {
            file: place.file!,
            label: `Write 'entity work.${written}'`,
            line: place.line,
            column: place.column,
            endLine: place.endLine,
            endColumn: place.endColumn,
            text: `entity work.${written}`,
          },
        );
        return null;
      }
      if (!this.world.packageOf(node.id)) {
        const entities = [...this.world.designUnits()].filter((each) => each.kind === "entity");
        const near = nearestName(node.id, [
          ...entities.map((each) => each.name),
          ...(this.foreign?.names ?? []),
          ...this.scope.visibleNames(),
        ]);
        this.error(
          "no-component",
          node.loc,
          `There is no component '${written}'.`,
          near
            ? `Did you mean '${near}'?`
            : "Declare the component, or add the file of its entity and write 'entity work.name'.",
        );
        return null;
      }
    }
    const meaning = this.meaning(node);
    if (!meaning || !("decls" in meaning)) return null;
    const [decl] = meaning.decls;
    if (decl.kind === "component") return decl;
    if (decl.kind === "entity") {
      const written = this.text(node.loc);
      const place = this.report.sources.place(node.loc);
      this.error(
        "no-component",
        node.loc,
        `'${written}' is an entity, not a component.`,
        `Write 'entity work.${decl.shown}'.`,
        {
          file: place.file!,
          label: `Write 'entity work.${decl.shown}'`,
          line: place.line,
          column: place.column,
          endLine: place.endLine,
          endColumn: place.endColumn,
          text: `entity work.${decl.shown}`,
        },
      );
    } else
      this.error(
        "no-component",
        node.loc,
        `'${this.text(node.loc)}' is no component.`,
        "Declare the component, or write entity work.name.",
      );
    return null;
  }

  protected specFor(label: string, component: string): BindingSpec | null {
    const matches = (spec: BindingSpec) => spec.component.kind === "name" && spec.component.id === component;
    return (
      this.specs.findLast(
        (spec) => matches(spec) && Array.isArray(spec.labels) && spec.labels.some((each) => each.id === label),
      ) ??
      this.specs.findLast((spec) => matches(spec) && !Array.isArray(spec.labels)) ??
      null
    );
  }

  protected bindingUnit(unit: NonNullable<BindingSpec["unit"]>): BindingUnit | null {
    if (unit.kind === "open") return { kind: "open" };
    const found = this.unitNamed(unit.name);
    if (!found) return null;
    if ("foreign" in found) return { kind: "foreign", module: found.foreign };
    if (found.kind === "configuration") return { kind: "configuration", configuration: found };
    if (found.kind !== "entity") return null;
    const architecture = unit.kind === "entity" ? unit.architecture : null;
    if (architecture && !found.architectures.has(architecture.id))
      this.error(
        "unknown-architecture",
        architecture.loc,
        `Entity '${found.name}' has no architecture '${architecture.id}'.`,
        this.nearText(architecture.id, found.architectures.keys(), "Check its name."),
      );
    return { kind: "entity", entity: found, architecture: architecture?.id ?? null };
  }

  protected foreignActual(each: Association): ForeignActual | null {
    const actual =
      each.actual.kind === "range" || each.actual.kind === "subtype" || each.actual.kind === "open"
        ? null
        : this.bind(each.actual, null);
    const name = each.formal?.kind === "name" ? this.writtenName(each.formal.loc, each.formal.id) : null;
    return name === null ? null : { name, actual, loc: each.loc };
  }

  /** A module of the other language, without a component that says its types. */
  protected foreignInstance(
    base: { kind: "instance"; label: string; shown: string; loc: Loc },
    module: string,
    node: InstanceNode,
  ): BoundInstance {
    const list = (items: readonly Association[]): ForeignActual[] =>
      items.map((each, i) => {
        const made = this.foreignActual(each);
        if (made) return made;
        const actual =
          each.actual.kind === "range" || each.actual.kind === "subtype" || each.actual.kind === "open"
            ? null
            : this.bind(each.actual, null);
        return { name: `#${i}`, actual, loc: each.loc };
      });
    return {
      ...base,
      unit: { kind: "foreign", module },
      component: null,
      generics: [],
      ports: [],
      foreign: { generics: list(node.generics), ports: list(node.ports) },
    };
  }

  /** Actuals of generics or ports (6.5.7). Formals are looked up among those of the unit, actuals in the scope. */
  protected associate(
    list: readonly Association[],
    formals: readonly (SignalDecl | ConstantDecl)[],
    unit: string,
    what: "generic" | "port",
    scope: Scope,
    headLoc?: Loc,
  ): BoundAssociation[] {
    return this.inScope(scope, () => {
      const bound: BoundAssociation[] = [];
      const given = new Set<SignalDecl | ConstantDecl>();
      list.forEach((each, i) => {
        let formal: SignalDecl | ConstantDecl | undefined;
        let formalExpr: Expr | null = null;
        let formalConversion: BoundAssociation["formalConversion"];
        if (!each.formal) {
          formal = formals[i];
          if (!formal) {
            this.error(
              `too-many-${what}s`,
              each.loc,
              `'${unit}' has ${countOf(formals.length, what)} only.`,
              "Take this one out.",
            );
            return;
          }
        } else {
          let node = each.formal;
          let root = rootName(node);
          formal = formals.find((decl) => decl.name === root?.id);
          if (!formal && node.kind === "apply" && node.args.length === 1 && !node.args[0].formal) {
            // a conversion of the formal: to_x(port) => signal
            const inner = node.args[0].actual;
            if (inner.kind !== "range" && inner.kind !== "subtype") {
              const innerRoot = rootName(inner);
              const found = formals.find((decl) => decl.name === innerRoot?.id);
              if (found) {
                const outer = node;
                formal = found;
                node = inner;
                root = innerRoot;
                formalConversion = this.formalConversion(outer, found);
              }
            }
          }
          if (!formal) {
            const loc = root?.loc ?? node.loc;
            const near = this.nearText(
              root?.id ?? "",
              formals.map((decl) => decl.name),
              formals.length
                ? `Its ${what}s are ${formals
                    .slice(0, 8)
                    .map((decl) => decl.name)
                    .join(", ")}.`
                : `It has no ${what}s.`,
            );
            this.error(
              `unknown-${what}`,
              loc,
              `'${unit}' has no ${what} '${root ? this.text(root.loc) : this.text(node.loc)}'.`,
              near,
            );
            if (each.actual.kind !== "range" && each.actual.kind !== "subtype" && each.actual.kind !== "open")
              this.types(each.actual);
            return;
          }
          this.world.note(root!.loc, formal);
          if (node.kind !== "name") {
            const inner = new Scope(this.scope);
            inner.add(formal);
            formalExpr = this.inScope(inner, () => this.bind(node, null));
            if (formalExpr.type === errorType) return;
          } else if (given.has(formal)) {
            this.error(
              "duplicate-port",
              each.loc,
              `The ${what} '${formal.name}' is connected twice.`,
              "Take one of them out.",
            );
            return;
          }
        }
        given.add(formal);
        const expr = formalExpr ?? this.objectExpr(formal, each.formal?.loc ?? each.loc);
        if (each.actual.kind === "open") {
          bound.push({ formal, formalExpr: expr, actual: null, loc: each.loc });
          return;
        }
        if (each.actual.kind === "range" || each.actual.kind === "subtype") return;
        const wanted = formalConversion ? formalConversion(expr).type : expr.type;
        const actual = this.bindPortActual(each.actual, formal, wanted);
        bound.push({ formal, formalExpr: expr, actual, formalConversion, loc: each.loc });
        this.forget();
      });
      const missing = formals.filter(
        (decl) => !given.has(decl) && !decl.init && (decl.kind === "constant" || decl.mode === "in"),
      );
      if (missing.length && formals.length) {
        const names = missing.map((decl) => `'${decl.name}'`).slice(0, 6);
        const loc = list[0]?.loc ?? headLoc;
        if (loc)
          this.error(
            what === "port" ? "open-input" : "open-generic",
            headLoc ?? loc,
            what === "port"
              ? `${names.length > 1 ? "Inputs" : "Input"} ${names.join(", ")} of '${unit}' ${names.length > 1 ? "are" : "is"} not connected.`
              : `${names.length > 1 ? "Generics" : "Generic"} ${names.join(", ")} of '${unit}' ${names.length > 1 ? "have" : "has"} no value.`,
            what === "port" ? "Connect each input, or give the port a default." : "Write generic map (name => value).",
          );
      }
      return bound;
    });
  }

  /** Outputs may be converted on their way: `q => unsigned(sum)` (6.5.7.1). */
  protected bindPortActual(node: ExprNode, formal: SignalDecl | ConstantDecl, wanted: Expr["type"]): Expr {
    if (formal.kind === "signal" && formal.mode !== "in") {
      const actual = this.bind(node, wanted);
      const inner = actual.op === "convert" ? actual.arg : actual;
      if (actual.op !== "bad" && !this.isSignal(inner) && !(actual.op === "call" && formal.mode === "inout"))
        this.error(
          "output-actual",
          node.loc,
          `Port '${formal.name}' drives what it is connected to: '${this.text(node.loc)}' is no signal.`,
          "Connect a signal, or leave it 'open'.",
        );
      const root = this.rootOf(inner);
      if (root?.kind === "signal" && root.mode === "in" && formal.mode === "out")
        this.error(
          "assign-to-input",
          node.loc,
          `'${root.name}' is an input: an output cannot drive it.`,
          "Connect another signal.",
        );
      return actual;
    }
    return this.bind(node, wanted);
  }

  protected formalConversion(
    node: ExprNode & { kind: "apply" },
    formal: SignalDecl | ConstantDecl,
  ): (inner: Expr) => Expr {
    const around = this.scope;
    return (inner) => {
      const scope = new Scope(around);
      scope.add(formal);
      const bound = this.inScope(scope, () => this.bind(node, null));
      const replace = (expr: Expr): Expr => {
        if (expr.op === "object" && expr.decl === formal) return inner;
        if (expr.op === "convert") return { ...expr, arg: replace(expr.arg) };
        if (expr.op === "call") return { ...expr, args: expr.args.map((arg) => arg && replace(arg)) };
        return expr;
      };
      return replace(bound);
    };
  }
}

function rootName(node: ExprNode): { readonly id: string; readonly loc: Loc } | null {
  switch (node.kind) {
    case "name":
      return node;
    case "apply":
    case "select":
      return rootName(node.of);
    default:
      return null;
  }
}
