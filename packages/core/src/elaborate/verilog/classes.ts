import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type {
  CallArg,
  ClassItem,
  ExprNode,
  MethodItem,
  NewObjectNode,
  ParamItem,
  ParamOverride,
  PropertyItem,
  StmtNode,
  SubroutineItem,
} from "../../hdl/verilog/ast.ts";
import {
  type ClassDecl,
  type ClassInfo,
  type ClassModel,
  type ClassProperty,
  extendsClass,
  lineageOf,
} from "../class-info.ts";
import type { Expr, Signal, Stmt, Subroutine, SystemArg } from "../model.ts";
import { type Meaning, type Method, Scope } from "../scope.ts";
import {
  asVector,
  type ClassType,
  type DataType,
  formOf,
  integerType,
  typeText,
  unpackedDims,
  vectorType,
} from "../types.ts";
import { fixedContainer } from "./bind-container.ts";
import { describe } from "./bind-items.ts";
import type { DataRef } from "./bind-ref.ts";
import { bindHeader } from "./bind-subroutine.ts";
import type { Host } from "./host.ts";

type SubroutineMeaning = Meaning & { kind: "subroutine" };

/** An event that belongs to an object: it counts how often it was triggered. */
export const eventCounter: ReturnType<typeof vectorType> & { readonly name: string } = {
  ...vectorType(32, false, false),
  name: "event",
};
const int = vectorType(32, true, false);
const empty: Stmt = { op: "block", body: [] };

/** A dispatcher calls the method of the object's own class. */
interface Dispatcher {
  readonly sub: Subroutine;
  readonly owner: ClassInfo;
  readonly name: string;
}

/**
 * Classes (IEEE 1800-2017 clause 8). An object is a value of the runtime with a slot for each variable; a handle is a
 * value of form `string`. Methods are subroutines with the object as first argument; a virtual one is called through a
 * subroutine that chooses by the object's class, which is possible since all classes of a design are known.
 */
export class Classes {
  private readonly list: ClassInfo[] = [];
  private readonly open: (() => void)[] = [];
  private isCompleting = false;
  private readonly dispatchers: Dispatcher[] = [];
  private readonly constructors = new Map<ClassInfo, SubroutineMeaning>();
  private heapSignal: Signal | null = null;

  constructor(private readonly host: Host) {}

  /** Changes whenever a variable of an object does: what waits for one listens to it. */
  get heap(): Signal {
    this.heapSignal ??= this.host.newSignal("$objects", { file: 0, start: 0, end: 0 }, this.host.unit, {
      type: { kind: "container", flavour: "queue", element: int, key: null, bound: null },
      kind: "variable",
    });
    return this.heapSignal;
  }

  models(): ClassModel[] {
    return this.list.map((info) => ({ id: info.id, name: info.name, slots: info.slots, lineage: lineageOf(info) }));
  }

  // ---- declarations -----------------------------------------------------------------------------------------------

  /** @param isChecked Its text is read even if nothing uses it. */
  declare(node: ClassItem, scope: Scope, isChecked = true): void {
    const decl: ClassDecl = { node, scope, made: new Map(), bodies: new Map() };
    if (!scope.declare(node.name, { kind: "class", decl, loc: node.nameLoc }))
      this.host.report.error(
        "verilog/duplicate",
        node.nameLoc,
        `'${node.name}' is declared twice in the same scope.`,
        "Rename or remove one of them.",
      );
    // what nobody makes an object of is read all the same, if its parameters have values
    if (isChecked && node.params.every((param) => param.value !== null || param.typeValue !== null))
      this.host.later.push(() => {
        const info = this.infoOf(decl, undefined, scope, node.nameLoc);
        for (const [, meaning] of info.scope.entries())
          if (meaning.kind === "subroutine" && meaning.method?.owner === info && !meaning.method.isPure)
            this.host.subroutine(meaning, false);
        this.constructorOf(info);
      });
  }

  /** The body of a method that stands outside of its class. */
  addBody(node: SubroutineItem, scope: Scope): void {
    const { name, loc } = node.of!;
    const meaning = scope.find(name);
    if (meaning?.kind === "class") meaning.decl.bodies.set(node.name, node);
    else
      this.host.report.error(
        "verilog/class",
        loc,
        `There is no class '${name}' for this body.`,
        "Write the class before it, in the same scope.",
      );
  }

  // ---- classes with their parameters --------------------------------------------------------------------------------

  infoOf(decl: ClassDecl, params: readonly ParamOverride[] | undefined, from: Scope, loc: Loc): ClassInfo {
    const { node } = decl;
    const { scope: outer } = decl;
    const scope = new Scope(outer, outer.instance, `${outer.prefix}${node.name}.`, node.name, "class");
    const texts: string[] = [];
    params?.forEach(({ name }, i) => {
      if (name === null ? i >= node.params.length : !node.params.some((param) => param.name === name))
        this.host.report.error(
          "verilog/unknown-parameter",
          params[i].loc,
          `Class '${node.name}' has no such parameter.`,
          "Remove it, or correct its name.",
        );
    });
    node.params.forEach((param, i) => {
      const given = params?.find((each, at) => (each.name === null ? at === i : each.name === param.name));
      texts.push(this.parameter(param, given?.value ?? null, scope, from, loc));
    });
    const key = texts.join(" ");
    const known = decl.made.get(key);
    if (known) return known;
    const info: ClassInfo = {
      id: this.list.length,
      name: texts.length ? `${node.name} #(${texts.join(", ")})` : node.name,
      node,
      base: null,
      scope,
      slots: [],
      derived: [],
    };
    this.list.push(info);
    decl.made.set(key, info);
    scope.ofClass = info;
    if (node.base) {
      const type = this.host.types.bind(node.base, scope);
      if (type.kind === "class" && type.info && !extendsClass(type.info, info)) {
        (info as { base: ClassInfo | null }).base = type.info;
        scope.base = type.info.scope;
        type.info.derived.push(info);
      } else
        this.host.report.error(
          "verilog/class",
          node.base.loc,
          type.kind === "class" ? `Class '${node.name}' extends itself.` : "Only a class can be extended.",
          "Name another class.",
        );
    }
    this.members(info, decl);
    this.complete();
    return info;
  }

  private parameter(param: ParamItem, given: ExprNode | null, scope: Scope, from: Scope, loc: Loc): string {
    const { exprs, types, stmts, report } = this.host;
    if (param.isType) {
      const named = given && this.typeIn(given, from);
      if (named) scope.declare(param.name, { kind: "type", type: named, loc: param.nameLoc });
      else stmts.declareParam(param, scope);
    } else if (given) {
      const constant = exprs.constant(given, from, "A parameter's value", types.ofParameter(param, scope));
      if (constant) scope.declare(param.name, { kind: "constant", constant, loc: param.nameLoc });
    } else if (param.value) stmts.declareParam(param, scope);
    const made = scope.own(param.name);
    if (made?.kind === "type")
      return made.type.kind === "class" && made.type.info ? `${made.type.info.name}` : typeText(made.type);
    if (made?.kind === "constant") return describe(made.constant);
    if (!made && !given)
      report.error(
        "verilog/no-value",
        loc,
        `Parameter '${param.name}' of class has no value.`,
        "Give it one, as in name #(value).",
      );
    scope.declare(param.name, { kind: "constant", constant: { value: { a: 0n, b: 0n }, type: integerType }, loc });
    return "?";
  }

  private typeIn(node: ExprNode, scope: Scope): DataType | null {
    const { types } = this.host;
    if (node.kind === "type") return types.bind(node.type, scope);
    const { loc } = node;
    if (node.kind === "name") return types.bind({ kind: "named", scope: null, name: node.name, dims: [], loc }, scope);
    if (node.kind === "scoped")
      return types.bind({ kind: "named", scope: node.scope, name: node.name, dims: [], loc }, scope);
    this.host.report.error("verilog/type", loc, "A data type is needed here.", "Name a type.");
    return null;
  }

  /** Names first; types of variables once all classes around are known by name. */
  private members(info: ClassInfo, decl: ClassDecl): void {
    const { stmts } = this.host;
    const { scope } = info;
    const properties: PropertyItem[] = [];
    for (const item of info.node.items) {
      switch (item.kind) {
        case "param":
          stmts.declareParam(item, scope);
          break;
        case "typedef":
          stmts.declareType(item, scope);
          break;
        case "import":
          stmts.declareImport(item.package, item.name, item.loc, scope);
          break;
        case "class":
          this.declare(item, scope);
          break;
        case "property":
          properties.push(item);
          this.enumerationOf(item, scope);
          break;
        case "method":
          this.method(item, info, decl);
      }
    }
    this.open.push(() => {
      if (info.base) info.slots.unshift(...info.base.slots);
      for (const item of properties) this.property(item, info);
    });
  }

  /** Names of an enumeration that a variable declares. */
  private enumerationOf(item: PropertyItem, scope: Scope): void {
    if (item.decl.type.kind === "enum") this.host.types.bind(item.decl.type, scope);
  }

  private complete(): void {
    if (this.isCompleting) return;
    this.isCompleting = true;
    for (let next = this.open.shift(); next; next = this.open.shift()) next();
    this.isCompleting = false;
  }

  private property(item: PropertyItem, info: ClassInfo): void {
    const { types, stmts, report, exprs } = this.host;
    const { scope } = info;
    const { decl, isStatic, access } = item;
    const base = types.bind(decl.type, scope);
    for (const declared of decl.names) {
      const own = types.withUnpacked(base, declared.dims, scope);
      let isNew: boolean;
      if (isStatic) {
        const signal = this.host.newSignal(declared.name, declared.loc, scope, {
          type: own,
          kind: "variable",
          isConst: decl.isConst,
        });
        isNew = scope.declare(declared.name, { kind: "signal", signal });
        const { init } = declared;
        if (!init) continue;
        const place = this.host.startBy(empty, signal, scope, declared.loc);
        this.host.later.push(() => {
          const body =
            own.kind === "container"
              ? this.host.containers.assignWhole(
                  { kind: "array", signal, loc: declared.loc },
                  own,
                  init,
                  scope,
                  declared.loc,
                )
              : own.kind === "array"
                ? stmts.arrayAssign(init, signal, scope, true, declared.loc)
                : stmts.plain(signal, exprs.assigned(init, own, scope), declared.loc);
          if (body) Object.assign(place, { body });
        });
      } else {
        const type = this.carried(own);
        const slot = info.slots.push({ name: declared.name, type }) - 1;
        const { name, loc } = declared;
        const property: ClassProperty = { name, type, slot, owner: info, access, isConst: decl.isConst, loc };
        isNew = scope.declare(name, { kind: "property", property });
      }
      if (!isNew)
        report.error(
          "verilog/duplicate",
          declared.loc,
          `'${declared.name}' is declared twice in the same class.`,
          "Rename or remove one of them.",
        );
    }
  }

  /** What a slot holds: arrays of bits as one vector, other arrays as containers that keep their size. */
  private carried(type: DataType): DataType {
    if (type.kind === "event") return eventCounter;
    if (type.kind !== "array") return type;
    const vector = asVector(type);
    if (vector) return vector;
    const { dims, element } = unpackedDims(type);
    return dims.reduceRight<DataType>((inner, dim) => fixedContainer(dim, inner), element);
  }

  private method(item: MethodItem, info: ClassInfo, decl: ClassDecl): void {
    const { report } = this.host;
    const { node, isStatic, isPure, access } = item;
    const over = info.base?.scope.own(node.name);
    const isVirtual = item.isVirtual || (over?.kind === "subroutine" && over.method?.isVirtual === true);
    let whole: SubroutineItem | null = item.isExtern ? null : node;
    const find = (): SubroutineItem => {
      const body = decl.bodies.get(node.name);
      if (!body)
        report.error(
          "verilog/class",
          node.nameLoc,
          `'${node.name}' is declared extern, but has no body.`,
          `Write it behind the class: ${node.task ? "task" : "function"} ${info.node.name}::${node.name} ...`,
        );
      // defaults of arguments stand in the class
      return body ? { ...body, args: node.args, of: undefined } : node;
    };
    const method: Method = { owner: info, isStatic, isVirtual, isPure, access, dispatcher: null };
    const meaning: SubroutineMeaning = {
      kind: "subroutine",
      get node() {
        whole ??= find();
        return whole;
      },
      scope: info.scope,
      sub: null,
      method,
    };
    if (node.name === "new") {
      this.constructors.set(info, meaning);
      return;
    }
    if (!info.scope.declare(node.name, meaning))
      report.error(
        "verilog/duplicate",
        node.nameLoc,
        `'${node.name}' is declared twice in the same class.`,
        "Rename or remove one of them.",
      );
  }

  // ---- objects ------------------------------------------------------------------------------------------------------

  /** A value that ends the run: nothing is there to take it from. */
  absent(loc: Loc): Expr {
    const args = [this.expr(this.nullOf(loc)), this.heapArg(loc)];
    return { op: "system", name: "object.class", args, width: 1, signed: false, loc };
  }
  private expr(expr: Expr): SystemArg {
    return { kind: "expr", expr };
  }
  private heapArg(loc: Loc): SystemArg {
    return { kind: "array", signal: this.heap, loc };
  }
  nullOf(loc: Loc): Expr {
    return { op: "strconst", value: "", width: 0, signed: false, form: "string", loc };
  }
  private made(name: string, args: readonly SystemArg[], loc: Loc): Expr {
    return { op: "system", name: `object.${name}`, args, width: 0, signed: false, form: "string", loc };
  }

  /** A variable of an object: how it is read, and how it is changed. */
  member(handle: Expr, property: ClassProperty, scope: Scope, loc: Loc): DataRef {
    const { type, slot } = property;
    this.mayUse(property.name, property.owner, property.access, scope, loc);
    const form = formOf(type);
    const args = [this.expr(handle), this.expr(this.host.exprs.number(BigInt(slot), 32, loc)), this.heapArg(loc)];
    const value: Expr = {
      op: "system",
      name: "object.get",
      args,
      width: type.kind === "integral" ? type.width : form === "real" ? 64 : 0,
      signed: type.kind === "integral" ? type.signed : form === "real",
      loc,
      ...(form ? { form } : {}),
    };
    const store = (given: Expr): Stmt => ({
      op: "system",
      name: "object.set",
      args: [...args, this.expr(given)],
      instance: scope.instance,
      scope: scope.prefix,
      loc,
    });
    return { ...this.host.refs.ofValue(value, type), store, storeType: type, readOnly: property.isConst };
  }

  mayUse(name: string, owner: ClassInfo, access: string, scope: Scope, loc: Loc): void {
    if (access === "public") return;
    for (let at: Scope | null = scope; at; at = at.parent)
      if (at.ofClass && (access === "local" ? at.ofClass.node === owner.node : extendsClass(at.ofClass, owner))) return;
    this.host.report.error(
      "verilog/class-access",
      loc,
      `'${name}' is ${access} to class '${owner.node.name}'.`,
      access === "local"
        ? "Use it in methods of the class only."
        : "Use it in methods of the class and those that extend it.",
    );
  }

  /** The object that a method works on; null after a finding. */
  self(scope: Scope, loc: Loc): DataRef | null {
    const meaning = scope.find("this");
    if (meaning?.kind === "signal") {
      const { signal } = meaning;
      const value: Expr = { op: "signal", signal, width: 0, signed: false, form: "string", loc };
      return this.host.refs.ofValue(value, signal.type);
    }
    this.host.report.error(
      "verilog/class",
      loc,
      "There is no object here: 'this' and an object's variables are known in its methods only.",
      scope.classAround ? "Take 'static' from the method, or hand it an object." : "Name an object first.",
    );
    return null;
  }

  /** Whatever gives a handle, for a variable of this class; checked. */
  handle(node: ExprNode, to: ClassType, scope: Scope): Expr {
    const { exprs, report } = this.host;
    const { loc } = node;
    if (node.kind === "null") return this.nullOf(loc);
    if (node.kind === "newobject") return this.create(node, to.info, scope);
    if (node.kind === "conditional") {
      const test = exprs.condition(node.test, scope);
      const [yes, no] = [this.handle(node.yes, to, scope), this.handle(node.no, to, scope)];
      return { op: "cond", test, yes, no, width: 0, signed: false, form: "string", loc };
    }
    const type = exprs.dataTypeOf(node, scope);
    if (type.kind !== "class") {
      report.error(
        "verilog/type",
        loc,
        `'${this.host.sources.text(loc)}' is no object.`,
        to.info ? `Give one of class '${to.info.name}', or null.` : "Give an object, or null.",
      );
      return this.nullOf(loc);
    }
    if (type.info && to.info && !extendsClass(type.info, to.info))
      report.error(
        "verilog/type",
        loc,
        `A handle of class '${type.info.name}' cannot be assigned to one of '${to.info.name}'.`,
        extendsClass(to.info, type.info) ? "Use $cast(to, from), which looks at the object." : "Check the classes.",
      );
    return exprs.string(node, scope);
  }

  private create(node: NewObjectNode, target: ClassInfo | null, scope: Scope): Expr {
    const { report, types, exprs } = this.host;
    const { loc } = node;
    const named = node.type && types.bind(node.type, scope);
    const info = named ? (named.kind === "class" ? named.info : null) : target;
    if (!info) {
      report.error(
        "verilog/value",
        loc,
        "It is not known here what 'new' is to make.",
        "Assign it to a handle of a class.",
      );
      return this.nullOf(loc);
    }
    if (node.from) {
      const from = this.handle(node.from, { kind: "class", info }, scope);
      return this.made("copy", [this.expr(from), this.heapArg(loc)], loc);
    }
    if (info.node.isAbstract)
      report.error(
        "verilog/class",
        loc,
        `Class '${info.node.name}' is virtual: it has no objects of its own.`,
        "Make one of a class that extends it.",
      );
    const sub = this.constructorOf(info);
    const fresh = this.made("new", [this.expr(exprs.number(BigInt(info.id), 32, loc))], loc);
    const args = this.host.calls.arguments(sub, node.args, loc, scope, fresh);
    if (!args) return this.nullOf(loc);
    return { op: "call", func: sub, args, width: 0, signed: false, form: "string", loc };
  }

  /** Gives the object that it is handed, with its variables' start values. */
  constructorOf(info: ClassInfo): Subroutine {
    let meaning = this.constructors.get(info);
    if (!meaning) {
      const { nameLoc, loc } = info.node;
      const type = { kind: "builtin" as const, word: "void" as const, signed: null, dims: [], loc };
      const node: SubroutineItem = {
        kind: "subroutine",
        task: false,
        automatic: true,
        name: "new",
        nameLoc,
        type,
        args: [],
        decls: [],
        body: [],
        loc,
      };
      const method: Method = {
        owner: info,
        isStatic: false,
        isVirtual: false,
        isPure: false,
        access: "public",
        dispatcher: null,
      };
      meaning = { kind: "subroutine", node, scope: info.scope, sub: null, method };
      this.constructors.set(info, meaning);
    }
    return this.host.subroutine(meaning, false);
  }

  /** What a constructor does before its own statements, and which of those are left. */
  beginning(
    node: SubroutineItem,
    info: ClassInfo,
    sub: Subroutine,
    scope: Scope,
  ): { first: Stmt[]; rest: readonly StmtNode[] } {
    const { stmts } = this.host;
    const self = sub.args[0].signal;
    const loc = node.nameLoc;
    const read: Expr = { op: "signal", signal: self, width: 0, signed: false, form: "string", loc };
    const first: Stmt[] = [stmts.plain(sub.result!, read, loc)];
    let rest = node.body;
    if (info.base) {
      const at = node.body.findIndex(isSuperNew);
      if (at >= 0) {
        first.push(...node.body.slice(0, at + 1).map((stmt) => stmts.bind(stmt, scope)));
        rest = node.body.slice(at + 1);
      } else first.push(this.superNew(info.node.baseArgs ?? [], info.base, read, scope, loc));
    }
    // start values do not see the constructor's arguments
    const own = new Scope(info.scope, info.scope.instance, scope.prefix, "", "block");
    own.subroutine = sub;
    own.automatic = true;
    own.declare("this", { kind: "signal", signal: self });
    for (const item of info.node.items)
      if (item.kind === "property" && !item.isStatic)
        for (const { name, init, loc: at } of item.decl.names) {
          const meaning = info.scope.own(name);
          if (meaning?.kind !== "property") continue;
          const place = this.member(read, meaning.property, own, at);
          if (!init) continue;
          const { type } = meaning.property;
          if (type.kind === "container")
            first.push(this.host.containers.assignWhole(this.host.containers.baseOf(place), type, init, own, at));
          else first.push(place.store!(this.host.exprs.assigned(init, type, own)));
        }
    return { first, rest };
  }

  /** `super.new(...)`, written or not. */
  superNew(given: readonly CallArg[], base: ClassInfo, self: Expr, scope: Scope, loc: Loc): Stmt {
    const sub = this.constructorOf(base);
    const args = this.host.calls.arguments(sub, given, loc, scope, self);
    return args ? { op: "call", sub, args, loc } : empty;
  }

  // ---- methods ------------------------------------------------------------------------------------------------------

  /** What a call of a method calls. */
  called(meaning: SubroutineMeaning, isSuper: boolean): Subroutine {
    const method = meaning.method!;
    if (!method.isVirtual || isSuper) return this.host.subroutine(meaning, false);
    if (method.dispatcher) return method.dispatcher;
    const { node, scope } = meaning;
    const { sub } = bindHeader(this.host, { kind: "subroutine", node, scope, sub: null, method });
    this.host.subroutines.push(sub);
    method.dispatcher = sub;
    this.dispatchers.push({ sub, owner: method.owner, name: meaning.node.name });
    return sub;
  }

  private implementations({ owner, name }: Dispatcher): Map<Subroutine, number[]> {
    const list = new Map<Subroutine, number[]>();
    const seen = new Set<ClassInfo>();
    const visit = (info: ClassInfo) => {
      if (seen.has(info)) return;
      seen.add(info);
      const meaning = info.scope.own(name);
      if (meaning?.kind === "subroutine" && meaning.method && !meaning.method.isPure && !info.node.isAbstract) {
        const sub = this.host.subroutine(meaning, false);
        list.set(sub, [...(list.get(sub) ?? []), info.id]);
      }
      info.derived.forEach(visit);
    };
    visit(owner);
    return list;
  }

  /** Asks for all that virtual calls may lead to. @returns Whether more is to be bound for it. */
  reach(): boolean {
    for (let i = 0; i < this.dispatchers.length; i++) this.implementations(this.dispatchers[i]);
    return this.host.later.length > 0;
  }

  /** Bodies of the dispatchers, once all classes are known. */
  link(): void {
    const { stmts, exprs } = this.host;
    for (const dispatcher of this.dispatchers) {
      const { sub } = dispatcher;
      const { loc } = sub;
      const read = (signal: Signal): Expr => {
        const form = formOf(signal.type);
        const { width, signed } = signal;
        return { op: "signal", signal, width, signed, loc, ...(form ? { form } : {}) };
      };
      const self = read(sub.args[0].signal);
      const call = (to: Subroutine): Stmt => {
        const args = sub.args.map(({ signal, direction }) => {
          if (direction === "input" || signal.type.kind === "container") return read(signal);
          return (stmts.plain(signal, read(signal), loc) as Stmt & { op: "assign" }).target;
        });
        if (!sub.result || !to.result) return { op: "call", sub: to, args, loc };
        const { width, signed } = to.result;
        const form = formOf(to.result.type);
        const value: Expr = { op: "call", func: to, args, width, signed, loc, ...(form ? { form } : {}) };
        return stmts.plain(
          sub.result,
          form || width === sub.result.width ? value : exprs.resize(value, sub.result.width, loc),
          loc,
        );
      };
      const list = [...this.implementations(dispatcher)];
      const subject: Expr = {
        op: "system",
        name: "object.class",
        args: [this.expr(self), this.heapArg(loc)],
        width: 32,
        signed: false,
        loc,
      };
      const items = list.map(([to, ids]) => ({
        labels: ids.map((id) => exprs.number(BigInt(id), 32, loc)),
        body: call(to),
        loc,
      }));
      sub.body = { op: "case", flavour: "case", subject, items, fallback: null, loc };
    }
  }

  // ---- casts --------------------------------------------------------------------------------------------------------

  /** `$cast(to, from)` of handles: 1 if the object fits. */
  cast(to: ExprNode, from: ExprNode, info: ClassInfo, loc: Loc, scope: Scope): Expr | null {
    const { refs } = this.host;
    const value = this.handle(from, { kind: "class", info: null }, scope);
    const target = refs.target(to, scope);
    if (!target) return null;
    const sub = this.castTo(info, loc);
    return { op: "call", func: sub, args: [value, target], width: 32, signed: true, loc };
  }

  private readonly casts = new Map<ClassInfo, Subroutine>();
  private castTo(info: ClassInfo, loc: Loc): Subroutine {
    const known = this.casts.get(info);
    if (known) return known;
    const { exprs, stmts } = this.host;
    const scope = new Scope(info.scope, info.scope.instance, `${info.scope.prefix}$cast.`, "$cast", "subroutine");
    const type: ClassType = { kind: "class", info };
    const local = (name: string, own: DataType) =>
      this.host.newSignal(name, loc, scope, { type: own, kind: "local", automatic: true });
    const [from, to, result] = [local("from", type), local("to", type), local("fits", int)];
    const read: Expr = { op: "signal", signal: from, width: 0, signed: false, form: "string", loc };
    const test: Expr = {
      op: "system",
      name: "object.is",
      args: [this.expr(read), this.expr(exprs.number(BigInt(info.id), 32, loc))],
      width: 1,
      signed: false,
      loc,
    };
    const yes: Stmt = {
      op: "block",
      body: [stmts.plain(to, read, loc), stmts.plain(result, exprs.number(1n, 32, loc), loc)],
    };
    const sub: Subroutine = {
      name: "$cast",
      task: false,
      automatic: true,
      args: [
        { signal: from, direction: "input" },
        { signal: to, direction: "inout" },
      ],
      result,
      locals: [],
      body: {
        op: "block",
        body: [stmts.plain(result, exprs.number(0n, 32, loc), loc), { op: "if", test, yes, no: null, loc }],
      },
      suspends: false,
      id: { name: "$cast", disabled: false },
      instance: info.scope.instance,
      loc,
    };
    this.host.subroutines.push(sub);
    this.casts.set(info, sub);
    return sub;
  }

  /** What a class has by a name; null after a finding. */
  find(info: ClassInfo, name: string, loc: Loc): Meaning | null {
    const meaning = info.scope.own(name);
    if (meaning) return meaning;
    const near = nearestName(name, [...info.scope.ownNames()]);
    this.host.report.error(
      "verilog/member",
      loc,
      `Class '${info.name}' has no '${name}'.`,
      near ? `Did you mean '${near}'?` : "Correct the name.",
    );
    return null;
  }
}

const isSuperNew = (stmt: StmtNode): boolean =>
  stmt.kind === "call" &&
  stmt.call.kind === "call" &&
  stmt.call.callee.kind === "member" &&
  stmt.call.callee.name === "new" &&
  stmt.call.callee.base.kind === "name" &&
  stmt.call.callee.base.name === "super";
