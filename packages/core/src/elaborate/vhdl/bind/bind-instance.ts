import { nearestName } from "../../../common/finding.ts";
import type { Loc } from "../../../common/source.ts";
import type { Association, BindingSpec, ExprNode, Ident, InstanceNode } from "../../../hdl/vhdl/ast.ts";
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
import { countOf } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Modules of the other language that an instance may mean. */
export interface ForeignUnits {
  /** @returns The name as written, if there is such a module. Case counts only where several differ by it alone. */
  find(name: string): string | null;
  readonly names: readonly string[];
}

/** Instances of components, entities and modules, with their generics and ports (11.7, 6.5.7). */
export class InstanceBinder {
  constructor(private readonly host: Binder) {}

  // ---- instances ------------------------------------------------------------------------------------------------

  /** The unit that a name means: of a library, or without one in work. */
  unitNamed(node: ExprNode): UnitEntry | { readonly foreign: string } | null {
    if (node.kind === "select" && node.of.kind === "name") {
      const [library] = this.host.scope.lookup(node.of.id);
      if (library?.kind === "library") {
        const unit = this.host.world.unitIn(library, node.name.id);
        if (unit) {
          this.host.world.note(node.name.loc, unit);
          return unit;
        }
        const foreign = this.host.world.isDesign(library)
          ? this.host.foreign?.find(this.writtenName(node.name.loc, node.name.id))
          : null;
        if (foreign) return { foreign };
        this.unknownUnit(node.name, library);
        return null;
      }
    }
    if (node.kind === "name") {
      const unit = this.host.world.unitIn(this.host.world.home(node.loc.file), node.id);
      const written = this.writtenName(node.loc, node.id);
      const foreign = unit ? null : this.host.foreign?.find(written);
      if (unit || foreign) {
        if (unit)
          this.host.error("no-library", node.loc, `An entity is named with its library.`, `Write work.${written}.`);
        else return { foreign: foreign! };
        return unit;
      }
    }
    const meaning = this.host.names.meaning(node);
    if (!meaning || !("decls" in meaning)) return null;
    const [decl] = meaning.decls;
    if (decl.kind === "entity" || decl.kind === "configuration" || decl.kind === "package" || decl.kind === "context")
      return decl;
    this.host.error(
      "no-entity",
      node.loc,
      `'${this.host.names.text(node.loc)}' is no entity.`,
      "Write entity work.name.",
    );
    return null;
  }
  private writtenName(loc: Loc, id: string): string {
    if (id.startsWith("\\")) return id.slice(1, -1);
    return loc.file >= 0 ? this.host.report.sources.text(loc) : id;
  }
  private unknownUnit(name: Ident, library: LibraryDecl): void {
    const names = [...library.units.values()].filter((unit) => unit.kind === "entity").map((unit) => unit.name);
    this.host.error(
      "unknown-entity",
      name.loc,
      `There is no entity '${this.writtenName(name.loc, name.id)}' in library '${library.name}'.`,
      this.host.names.nearText(
        name.id,
        [...names, ...(this.host.foreign?.names ?? [])],
        "Check its name, or add its file to the design.",
      ),
    );
  }

  instance(node: InstanceNode): BoundInstance | null {
    const { loc, label } = node;
    const base = { kind: "instance" as const, label: label.id, shown: this.host.concurrents.shown(label), loc };
    if (node.unit === "component") {
      const found = this.scopeComponent(node.name);
      if (!found) return null;
      const spec = this.specFor(label.id, found.name);
      const unit = spec?.unit ? this.bindingUnit(spec.unit) : null;
      return {
        ...base,
        unit,
        component: found,
        generics: this.associate(node.generics, found.generics, found.name, "generic", this.host.scope, node.name.loc),
        ports: this.associate(node.ports, found.ports, found.name, "port", this.host.scope, node.name.loc),
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
        generics: this.associate(
          node.generics,
          entity.generics,
          entity.name,
          "generic",
          this.host.scope,
          node.name.loc,
        ),
        ports: this.associate(node.ports, entity.ports, entity.name, "port", this.host.scope, node.name.loc),
      };
    }
    if (unit.kind !== "entity") {
      this.host.error(
        "no-entity",
        node.name.loc,
        `'${this.host.names.text(node.name.loc)}' is no entity.`,
        "Write entity work.name.",
      );
      return null;
    }
    unit.load?.();
    if (node.architecture && !unit.architectures.has(node.architecture.id)) {
      this.host.error(
        "unknown-architecture",
        node.architecture.loc,
        `Entity '${unit.name}' has no architecture '${node.architecture.id}'.`,
        this.host.names.nearText(node.architecture.id, unit.architectures.keys(), "Check its name."),
      );
    } else if (node.architecture)
      this.host.world.note(node.architecture.loc, unit.architectures.get(node.architecture.id)!);
    return {
      ...base,
      unit: { kind: "entity", entity: unit, architecture: node.architecture?.id ?? null },
      component: null,
      generics: this.associate(node.generics, unit.generics, unit.name, "generic", this.host.scope, node.name.loc),
      ports: this.associate(node.ports, unit.ports, unit.name, "port", this.host.scope, node.name.loc),
    };
  }

  private scopeComponent(node: ExprNode): ComponentDecl | null {
    const decls = node.kind === "name" ? this.host.scope.lookup(node.id) : [];
    if (node.kind === "name" && decls.length === 0) {
      // no component declared, though there is an entity: the short way is to name it
      const unit = this.host.world.unitIn(this.host.world.home(node.loc.file), node.id);
      const written = this.writtenName(node.loc, node.id);
      if (unit?.kind === "entity" || this.host.foreign?.find(written)) {
        const place = this.host.report.sources.place(node.loc);
        this.host.error(
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
      if (!this.host.world.packageOf(node.id)) {
        const entities = [...this.host.world.designUnits()].filter((each) => each.kind === "entity");
        const near = nearestName(node.id, [
          ...entities.map((each) => each.name),
          ...(this.host.foreign?.names ?? []),
          ...this.host.scope.visibleNames(),
        ]);
        this.host.error(
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
    const meaning = this.host.names.meaning(node);
    if (!meaning || !("decls" in meaning)) return null;
    const [decl] = meaning.decls;
    if (decl.kind === "component") return decl;
    if (decl.kind === "entity") {
      const written = this.host.names.text(node.loc);
      const place = this.host.report.sources.place(node.loc);
      this.host.error(
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
      this.host.error(
        "no-component",
        node.loc,
        `'${this.host.names.text(node.loc)}' is no component.`,
        "Declare the component, or write entity work.name.",
      );
    return null;
  }

  private specFor(label: string, component: string): BindingSpec | null {
    const matches = (spec: BindingSpec) => spec.component.kind === "name" && spec.component.id === component;
    return (
      this.host.units.specs.findLast(
        (spec) => matches(spec) && Array.isArray(spec.labels) && spec.labels.some((each) => each.id === label),
      ) ??
      this.host.units.specs.findLast((spec) => matches(spec) && !Array.isArray(spec.labels)) ??
      null
    );
  }

  bindingUnit(unit: NonNullable<BindingSpec["unit"]>): BindingUnit | null {
    if (unit.kind === "open") return { kind: "open" };
    const found = this.unitNamed(unit.name);
    if (!found) return null;
    if ("foreign" in found) return { kind: "foreign", module: found.foreign };
    if (found.kind === "configuration") return { kind: "configuration", configuration: found };
    if (found.kind !== "entity") return null;
    const architecture = unit.kind === "entity" ? unit.architecture : null;
    if (architecture && !found.architectures.has(architecture.id))
      this.host.error(
        "unknown-architecture",
        architecture.loc,
        `Entity '${found.name}' has no architecture '${architecture.id}'.`,
        this.host.names.nearText(architecture.id, found.architectures.keys(), "Check its name."),
      );
    return { kind: "entity", entity: found, architecture: architecture?.id ?? null };
  }

  private foreignActual(each: Association): ForeignActual | null {
    const actual =
      each.actual.kind === "range" || each.actual.kind === "subtype" || each.actual.kind === "open"
        ? null
        : this.host.exprs.bind(each.actual, null);
    const name = each.formal?.kind === "name" ? this.writtenName(each.formal.loc, each.formal.id) : null;
    return name === null ? null : { name, actual, loc: each.loc };
  }

  /** A module of the other language, without a component that says its types. */
  private foreignInstance(
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
            : this.host.exprs.bind(each.actual, null);
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
  associate(
    list: readonly Association[],
    formals: readonly (SignalDecl | ConstantDecl)[],
    unit: string,
    what: "generic" | "port",
    scope: Scope,
    headLoc?: Loc,
  ): BoundAssociation[] {
    return this.host.decls.inScope(scope, () => {
      const bound: BoundAssociation[] = [];
      const given = new Set<SignalDecl | ConstantDecl>();
      list.forEach((each, i) => {
        let formal: SignalDecl | ConstantDecl | undefined;
        let formalExpr: Expr | null = null;
        let formalConversion: BoundAssociation["formalConversion"];
        if (!each.formal) {
          formal = formals[i];
          if (!formal) {
            this.host.error(
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
            const near = this.host.names.nearText(
              root?.id ?? "",
              formals.map((decl) => decl.name),
              formals.length
                ? `Its ${what}s are ${formals
                    .slice(0, 8)
                    .map((decl) => decl.name)
                    .join(", ")}.`
                : `It has no ${what}s.`,
            );
            this.host.error(
              `unknown-${what}`,
              loc,
              `'${unit}' has no ${what} '${root ? this.host.names.text(root.loc) : this.host.names.text(node.loc)}'.`,
              near,
            );
            if (each.actual.kind !== "range" && each.actual.kind !== "subtype" && each.actual.kind !== "open")
              this.host.candidates.types(each.actual);
            return;
          }
          this.host.world.note(root!.loc, formal);
          if (node.kind !== "name") {
            const inner = new Scope(this.host.scope);
            inner.add(formal);
            formalExpr = this.host.decls.inScope(inner, () => this.host.exprs.bind(node, null));
            if (formalExpr.type === errorType) return;
          } else if (given.has(formal)) {
            this.host.error(
              "duplicate-port",
              each.loc,
              `The ${what} '${formal.name}' is connected twice.`,
              "Take one of them out.",
            );
            return;
          }
        }
        given.add(formal);
        const expr = formalExpr ?? this.host.names.objectExpr(formal, each.formal?.loc ?? each.loc);
        if (each.actual.kind === "open") {
          bound.push({ formal, formalExpr: expr, actual: null, loc: each.loc });
          return;
        }
        if (each.actual.kind === "range" || each.actual.kind === "subtype") return;
        const wanted = formalConversion ? formalConversion(expr).type : expr.type;
        const actual = this.bindPortActual(each.actual, formal, wanted);
        bound.push({ formal, formalExpr: expr, actual, formalConversion, loc: each.loc });
        this.host.forget();
      });
      const missing = formals.filter(
        (decl) => !given.has(decl) && !decl.init && (decl.kind === "constant" || decl.mode === "in"),
      );
      if (missing.length && formals.length) {
        const names = missing.map((decl) => `'${decl.name}'`).slice(0, 6);
        const loc = list[0]?.loc ?? headLoc;
        if (loc)
          this.host.error(
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
  private bindPortActual(node: ExprNode, formal: SignalDecl | ConstantDecl, wanted: Expr["type"]): Expr {
    if (formal.kind === "signal" && formal.mode !== "in") {
      const actual = this.host.exprs.bind(node, wanted);
      const inner = actual.op === "convert" ? actual.arg : actual;
      if (
        actual.op !== "bad" &&
        !this.host.ranges.isSignal(inner) &&
        !(actual.op === "call" && formal.mode === "inout")
      )
        this.host.error(
          "output-actual",
          node.loc,
          `Port '${formal.name}' drives what it is connected to: '${this.host.names.text(node.loc)}' is no signal.`,
          "Connect a signal, or leave it 'open'.",
        );
      const root = this.host.assignments.rootOf(inner);
      if (root?.kind === "signal" && root.mode === "in" && formal.mode === "out")
        this.host.error(
          "assign-to-input",
          node.loc,
          `'${root.name}' is an input: an output cannot drive it.`,
          "Connect another signal.",
        );
      return actual;
    }
    return this.host.exprs.bind(node, wanted);
  }

  private formalConversion(
    node: ExprNode & { kind: "apply" },
    formal: SignalDecl | ConstantDecl,
  ): (inner: Expr) => Expr {
    const around = this.host.scope;
    return (inner) => {
      const scope = new Scope(around);
      scope.add(formal);
      const bound = this.host.decls.inScope(scope, () => this.host.exprs.bind(node, null));
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
