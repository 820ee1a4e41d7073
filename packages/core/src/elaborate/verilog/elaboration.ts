import { nearestName } from "../../common/finding.ts";
import type { Loc, SourceSet } from "../../common/source.ts";
import type { ExprNode, ModuleNode, TimeScale } from "../../hdl/verilog/ast.ts";
import type { AttributeTable } from "../../hdl/verilog/attributes.ts";
import type { VerilogSyntax } from "../../hdl/verilog/index.ts";
import type { ConfigNode } from "../../hdl/verilog/parse-config.ts";
import type {
  AnyValue,
  ContinuousAssignment,
  DelayModel,
  DesignModel,
  Instance,
  ModelAttribute,
  NetJoin,
  NetSwitch,
  Process,
  Signal,
  Stmt,
  Subroutine,
} from "../model.ts";
import type { Report } from "../report.ts";
import { type Constant, type Meaning, Scope } from "../scope.ts";
import { type DataType, unpackedDims } from "../types.ts";
import { Calls } from "./bind-call.ts";
import { Containers } from "./bind-container.ts";
import { Expressions } from "./bind-expr.ts";
import { describe, ItemBinder } from "./bind-items.ts";
import { References } from "./bind-ref.ts";
import { Statements } from "./bind-stmt.ts";
import { bindBody, bindHeader, markSuspending } from "./bind-subroutine.ts";
import { Types } from "./bind-type.ts";
import { Classes } from "./classes.ts";
import type { Host, SignalFields } from "./host.ts";
import { Lets } from "./lets.ts";
import { delayNets } from "./net-delays.ts";
import { Properties } from "./properties.ts";
import { standardClasses } from "./standard-classes.ts";
import { VirtualInterfaces } from "./virtual-interfaces.ts";

/** Without any directive: 1 ns, in steps of 1 ns. */
const defaultTimeScale: TimeScale = { unit: -9, precision: -9 };
const maxInstanceDepth = 128;
const maxInstances = 65_536;

/** What an instance gives a parameter: a value, a type, or a pattern, whose type only the parameter knows. */
export type Override =
  | Constant
  | { readonly dataType: DataType }
  | { readonly pattern: ExprNode; readonly scope: Scope };

/** A unit of the other language, as an instance in Verilog sees it. */
export interface ForeignUnit {
  /** Its generics as parameters; no ports yet, since their widths may follow from the parameters. */
  readonly header: ModuleNode;
  /** The unit's own spelling of a port's or generic's name; the name itself if there is none like it. */
  spelled(name: string): string;
  /** With ports, for these values of parameters; null after a finding. */
  withPorts(overrides: ReadonlyMap<string, Override>, loc: Loc): ModuleNode | null;
  /** An instance of it was made. */
  made(instance: Instance, overrides: ReadonlyMap<string, Override>): void;
}

/** Turns syntax trees into one elaborated design: first all declarations from the top down, then all behaviour. */
export class Elaboration implements Host {
  readonly modules = new Map<string, ModuleNode>();
  private readonly packageNodes = new Map<string, ModuleNode>();
  private readonly packages = new Map<string, Scope>();
  private readonly scopes = new Map<Instance, Scope>();
  readonly signals: Signal[] = [];
  readonly assigns: ContinuousAssignment[] = [];
  readonly processes: Process[] = [];
  /** How many of the processes, from the first on, only give variables their start values. */
  starts = 0;
  readonly joins: NetJoin[] = [];
  readonly switches: NetSwitch[] = [];
  readonly subroutines: Subroutine[] = [];
  /** Behaviour to bind once all names are known. */
  readonly later: (() => void)[] = [];
  readonly attributes: ModelAttribute[] = [];
  private readonly attributeTable: AttributeTable;
  readonly exprs: Expressions;
  readonly refs: References;
  readonly types: Types;
  readonly calls: Calls;
  readonly stmts: Statements;
  readonly containers: Containers;
  readonly classes: Classes;
  readonly properties: Properties;
  readonly lets: Lets;
  readonly virtuals: VirtualInterfaces;
  readonly unit: Scope;
  readonly sources: SourceSet;
  readonly read = new Set<Signal>();
  /** The configuration that names the top as its design, if there is one. */
  config: ConfigNode | null = null;
  private readonly configs: readonly ConfigNode[];
  /** Nets that follow their drivers late, by their declaration. */
  readonly netDelays = new Map<Signal, { readonly delay: DelayModel; readonly scope: Scope }>();
  /** Finds units of the other language. */
  foreign: ((name: string) => ForeignUnit | null) | null = null;
  /** Called when all instances are made, before their connections and behaviour are bound. */
  beforeBehaviour: (() => void) | null = null;
  private readonly stack: string[] = [];
  private instanceCount = 0;
  private pendingBodies = 0;

  constructor(
    syntax: VerilogSyntax,
    readonly report: Report,
  ) {
    this.sources = report.sources;
    this.exprs = new Expressions(this);
    this.refs = new References(this);
    this.types = new Types(this);
    this.calls = new Calls(this);
    this.stmts = new Statements(this);
    this.containers = new Containers(this);
    this.classes = new Classes(this);
    this.properties = new Properties(this);
    this.lets = new Lets(this);
    this.configs = syntax.configs;
    this.attributeTable = syntax.attributes;
    for (const module of syntax.modules) this.register(this.modules, module);
    for (const module of syntax.packages) this.register(this.packageNodes, module);
    const loc = { file: 0, start: 0, end: 0 };
    const instance = this.newInstance("$unit", "$unit", "package", null, defaultTimeScale, loc, loc);
    const known = new Scope(null, instance, "", "$known", "unit");
    known.declare("any_value", { kind: "type", type: { kind: "any" }, loc });
    this.virtuals = new VirtualInterfaces(this, this.modules, known);
    for (const item of standardClasses()) this.classes.declare(item, known, false);
    this.unit = new Scope(known, instance, "", "$unit", "unit");
    this.scopes.set(instance, this.unit);
    new ItemBinder(this, this.unit, null).declare(syntax.unitItems);
  }

  private register(map: Map<string, ModuleNode>, module: ModuleNode): void {
    const first = map.get(module.name);
    if (!first) {
      map.set(module.name, module);
      return;
    }
    const what = module.kind[0].toUpperCase() + module.kind.slice(1);
    this.report.error(
      "verilog/duplicate-module",
      module.nameLoc,
      `${what} '${module.name}' is declared twice.`,
      "Rename one of them, or take one file out.",
      { related: [{ place: this.sources.place(first.nameLoc), message: "First declared here." }] },
    );
  }

  standsFor(node: ExprNode, scope: Scope): ExprNode {
    return this.virtuals.expanded(this.lets.expanded(node, scope), scope);
  }

  noteRead(signal: Signal): void {
    this.read.add(signal);
  }

  scopeOf(instance: Instance): Scope {
    return this.scopes.get(instance)!;
  }

  /** Takes over what stands in (* *) before an item. @param of Hierarchical name of a signal or an instance. */
  noteAttributes(item: Loc, of: string, isScope: boolean): void {
    for (const { name, value, loc } of this.attributeTable.at(item))
      this.attributes.push({ of, isScope, name: name.toLowerCase(), value, loc });
  }

  private newInstance(
    name: string,
    module: string,
    kind: Instance["kind"],
    parent: Instance | null,
    timeScale: TimeScale,
    loc: Loc,
    moduleLoc: Loc,
    ownName = name,
  ): Instance {
    const path = parent ? `${parent.path}.${name}` : name;
    const instance: Instance = {
      name,
      ownName,
      path,
      module,
      kind,
      parent,
      children: [],
      parameters: [],
      ports: [],
      bindings: [],
      timeScale,
      loc,
      moduleLoc,
    };
    parent?.children.push(instance);
    return instance;
  }

  newSignal(name: string, loc: Loc, scope: Scope, fields: SignalFields): Signal {
    const { dims, element } = unpackedDims(fields.type);
    const integral = element.kind === "integral" ? element : null;
    const dim = integral?.dims[0] ?? { left: (integral?.width ?? 1) - 1, right: 0 };
    const signal: Signal = {
      id: this.signals.length,
      name: scope.prefix + name,
      plainName: name,
      instance: scope.instance,
      type: fields.type,
      width: integral ? integral.width : element.kind === "real" ? 64 : 0,
      signed: integral ? integral.signed : element.kind === "real",
      fourState: integral ? integral.fourState : false,
      msb: dim.left,
      lsb: dim.right,
      dims,
      kind: fields.kind,
      net: fields.net ?? (fields.kind === "net" ? "wire" : null),
      direction: fields.direction ?? null,
      automatic: fields.automatic ?? false,
      loc,
      init: null,
      implicit: fields.implicit ?? false,
      isConst: fields.isConst ?? false,
    };
    this.signals.push(signal);
    return signal;
  }

  /** Start values that are computed: in the order of the text, before all else that runs. */
  startBy(body: Stmt, signal: Signal, scope: Scope, loc: Loc): Process {
    const made: Process = {
      kind: "initial",
      events: null,
      body,
      instance: scope.instance,
      loc,
      eventLoc: loc,
      name: signal.plainName,
    };
    this.processes.splice(this.starts++, 0, made);
    return made;
  }
  /** Elements of arrays that are parameters and have no bits. */
  readonly constantArrays = new Map<Signal, ReadonlyMap<number, AnyValue>>();

  packageScope(name: string, loc: Loc): Scope | null {
    const known = this.packages.get(name);
    if (known) return known;
    const node = this.packageNodes.get(name);
    if (!node) {
      const near = nearestName(name, this.packageNodes.keys());
      this.report.error(
        "verilog/unknown-package",
        loc,
        `There is no package '${name}' in the sources.`,
        near ? `Did you mean '${near}'?` : "Add the file that declares it, before those that use it.",
      );
      return null;
    }
    const instance = this.newInstance(
      name,
      name,
      "package",
      null,
      node.timeScale ?? defaultTimeScale,
      node.nameLoc,
      node.nameLoc,
    );
    const scope = new Scope(this.unit, instance, `${name}.`, name, "package");
    scope.automatic = node.automatic;
    this.packages.set(name, scope);
    this.scopes.set(instance, scope);
    new ItemBinder(this, scope, node).declare(node.items);
    return scope;
  }

  subroutine(meaning: Meaning & { kind: "subroutine" }, body: boolean): Subroutine {
    if (!meaning.sub) {
      const { sub, scope } = bindHeader(this, meaning);
      meaning.sub = sub;
      this.insides.set(sub, scope);
      this.subroutines.push(sub);
      let bound = false;
      const finish = () => {
        if (bound) return;
        bound = true;
        this.bodies.delete(sub);
        this.unready.add(sub);
        bindBody(this, meaning, sub, scope);
        this.unready.delete(sub);
      };
      this.bodies.set(sub, finish);
      this.later.push(finish);
    }
    if (body && this.pendingBodies < 200) {
      this.pendingBodies++;
      this.bodies.get(meaning.sub)?.();
      this.pendingBodies--;
    }
    return meaning.sub;
  }
  private readonly bodies = new Map<Subroutine, () => void>();
  private readonly unready = new Set<Subroutine>();
  ready(sub: Subroutine): boolean {
    this.bodies.get(sub)?.();
    return !this.unready.has(sub);
  }
  private readonly insides = new Map<Subroutine, Scope>();

  /** The scope of a subroutine's own names. */
  insideOf(meaning: Meaning & { kind: "subroutine" }): Scope {
    return this.insides.get(this.subroutine(meaning, true))!;
  }

  /** One design with this module at its top; null after a finding that stops it. */
  design(node: ModuleNode): DesignModel | null {
    this.config = this.configs.find((config) => config.designs.includes(node.name)) ?? null;
    const top = this.instantiate(node, node.name, null, new Map(), node.nameLoc, "", () => {});
    return top && this.finish(top);
  }

  /** Binds connections and behaviour of all instances made so far. */
  finish(top: Instance): DesignModel {
    this.beforeBehaviour?.();
    do {
      for (let i = 0; i < this.later.length; i++) this.later[i]();
      this.later.length = 0;
    } while (this.classes.reach());
    this.classes.link();
    delayNets(this);
    markSuspending(this.subroutines);
    const { signals, attributes, assigns, processes, joins, switches, subroutines } = this;
    const classes = this.classes.models();
    const properties = { trees: this.properties.trees, processes: this.properties.processes };
    return { top, signals, attributes, assigns, processes, joins, switches, subroutines, classes, properties };
  }

  /**
   * @param overrides Values of parameters, by name.
   * @param connect Called once the ports' names are declared, before anything else of the module.
   */
  instantiate(
    node: ModuleNode,
    name: string,
    parent: Scope | null,
    overrides: ReadonlyMap<string, Override>,
    loc: Loc,
    prefix: string,
    connect: (binder: ItemBinder) => void,
    /** Of the other language. */
    foreignParent: Instance | null = null,
    ownName = name,
  ): Instance | null {
    // the same module with the same parameters within itself never ends
    const key = `${node.name} ${[...overrides].map(([param, value]) => `${param}=${"value" in value ? describe(value) : ""}`).join()}`;
    if (++this.instanceCount > maxInstances) {
      this.report.error(
        "verilog/many-instances",
        loc,
        `With '${node.name}', the design has more than ${maxInstances} instances.`,
        "Look for an array of instances, a generate loop or a recursion that is larger than it was meant to be.",
      );
      return null;
    }
    if (this.stack.includes(key) || this.stack.length > maxInstanceDepth) {
      this.report.error(
        "verilog/recursion",
        loc,
        `Module '${node.name}' contains itself without an end: ${[...this.stack.slice(-3), node.name].map((each) => each.split(" ")[0]).join(" > ")}.`,
        "Break the cycle of instances, or end it by a parameter.",
      );
      return null;
    }
    const kind = node.kind;
    const timeScale = node.timeScale ?? defaultTimeScale;
    const outer = parent?.instance ?? foreignParent;
    const instance = this.newInstance(name, node.name, kind, outer, timeScale, loc, node.nameLoc, ownName);
    const scope = new Scope(this.unit, instance, prefix, node.name, "module");
    scope.automatic = node.automatic || node.kind === "program";
    this.scopes.set(instance, scope);
    if (kind === "interface") this.virtuals.add(instance, scope);
    this.stack.push(key);
    this.noteAttributes(node.loc, prefix.slice(0, -1), true);
    const binder = new ItemBinder(this, scope, node);
    binder.overrides = overrides;
    connect(binder);
    binder.declare(node.items);
    this.stack.pop();
    return instance;
  }
}
