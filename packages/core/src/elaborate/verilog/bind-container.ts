import type { Loc } from "../../common/source.ts";
import type { CallArg, CallNode, ExprNode, StmtNode } from "../../hdl/verilog/ast.ts";
import { extendsClass } from "../class-info.ts";
import type { Expr, Signal, Stmt, SystemArg } from "../model.ts";
import { Scope } from "../scope.ts";
import {
  type ContainerType,
  type DataType,
  type Dim,
  formOf,
  sizeOf,
  stringType,
  typeText,
  unpackedDims,
  vectorType,
} from "../types.ts";
import type { DataRef } from "./bind-ref.ts";
import type { Host } from "./host.ts";

/** What a container is read from: a variable of its own, or an expression (a part of another one, or of an object). */
type Base = SystemArg & { readonly kind: "array" | "expr" };
/** A container, or one element of it, as it stands left of an assignment. */
interface Spot {
  readonly base: Base;
  readonly type: ContainerType;
  /** Null: the container as a whole. */
  readonly key: Expr | null;
}

const int = vectorType(32, true, false);
/** Methods that give a value: what it is, and how many arguments there may be. */
const valueMethods: Readonly<Record<string, { gives: "int" | "element"; of: RegExp; most: number }>> = {
  size: { gives: "int", of: /array|queue|map/, most: 0 },
  num: { gives: "int", of: /map/, most: 0 },
  exists: { gives: "int", of: /map/, most: 1 },
  first: { gives: "int", of: /map/, most: 1 },
  last: { gives: "int", of: /map/, most: 1 },
  next: { gives: "int", of: /map/, most: 1 },
  prev: { gives: "int", of: /map/, most: 1 },
  pop_front: { gives: "element", of: /queue/, most: 0 },
  pop_back: { gives: "element", of: /queue/, most: 0 },
  sum: { gives: "element", of: /array|queue|map/, most: 0 },
  product: { gives: "element", of: /array|queue|map/, most: 0 },
  and: { gives: "element", of: /array|queue|map/, most: 0 },
  or: { gives: "element", of: /array|queue|map/, most: 0 },
  xor: { gives: "element", of: /array|queue|map/, most: 0 },
};
/** Methods that are statements: least and most arguments. */
const taskMethods: Readonly<Record<string, { of: RegExp; least: number; most: number }>> = {
  push_back: { of: /queue/, least: 1, most: 1 },
  push_front: { of: /queue/, least: 1, most: 1 },
  insert: { of: /queue/, least: 2, most: 2 },
  delete: { of: /array|queue|map/, least: 0, most: 1 },
  reverse: { of: /array|queue/, least: 0, most: 0 },
  sort: { of: /array|queue/, least: 0, most: 0 },
  rsort: { of: /array|queue/, least: 0, most: 0 },
  shuffle: { of: /array|queue/, least: 0, most: 0 },
};

/** Methods that look at the elements through an expression, and what they give (IEEE 1800-2017 clause 7.12). */
const locators: Readonly<Record<string, { gives: "elements" | "keys"; needs: boolean }>> = {
  find: { gives: "elements", needs: true },
  find_index: { gives: "keys", needs: true },
  find_first: { gives: "elements", needs: true },
  find_first_index: { gives: "keys", needs: true },
  find_last: { gives: "elements", needs: true },
  find_last_index: { gives: "keys", needs: true },
  min: { gives: "elements", needs: false },
  max: { gives: "elements", needs: false },
  unique: { gives: "elements", needs: false },
  unique_index: { gives: "keys", needs: false },
};
const folds = /^(sum|product|and|or|xor)$/;

/**
 * Dynamic arrays, queues and associative arrays (IEEE 1800-2017 clauses 7.5, 7.8 to 7.12). They exist in simulation
 * only: every use becomes a call `container.<what>` of the runtime, with the container as its first argument.
 */
export class Containers {
  /** Containers whose index is being bound: what `$` stands for. */
  private readonly indexed: Base[] = [];
  /** Places of what goes through the elements in `with`, for `item.index`. */
  private readonly places = new Map<Signal, Signal>();

  constructor(private readonly host: Host) {}

  baseOf(ref: DataRef): Base {
    if (ref.signal) {
      this.host.noteRead(ref.signal);
      return { kind: "array", signal: ref.signal, loc: ref.loc };
    }
    return { kind: "expr", expr: ref.value! };
  }

  /** The variable `item.index` where `item` goes through a container. */
  placeOf(signal: Signal | null): Signal | null {
    return (signal && this.places.get(signal)) ?? null;
  }

  private value(what: string, type: DataType, base: Base, more: readonly SystemArg[], loc: Loc): Expr {
    const form = formOf(type);
    const width = type.kind === "integral" ? type.width : form === "real" ? 64 : 0;
    return {
      op: "system",
      name: `container.${what}`,
      args: [base, ...more],
      width,
      signed: type.kind === "integral" ? type.signed : form === "real",
      loc,
      ...(form ? { form } : {}),
    };
  }

  private task(what: string, base: Base, more: readonly SystemArg[], scope: Scope, loc: Loc): Stmt {
    return {
      op: "system",
      name: `container.${what}`,
      args: [base, ...more],
      instance: scope.instance,
      scope: scope.prefix,
      loc,
    };
  }

  /** An element that is to be changed below itself is made if there is none. */
  private reached(base: Base): Base {
    if (base.kind !== "expr" || base.expr.op !== "system" || base.expr.name !== "container.get") return base;
    const [outer, ...more] = base.expr.args;
    const args = [this.reached(outer as Base), ...more];
    return { kind: "expr", expr: { ...base.expr, name: "container.reach", args } };
  }

  private key(type: ContainerType, base: Base, node: ExprNode, scope: Scope): Expr {
    const { exprs } = this.host;
    if (type.flavour === "map")
      return type.key ? exprs.assigned(node, type.key, scope) : exprs.assigned(node, vectorType(64), scope);
    this.indexed.push(base);
    const key = exprs.assigned(node, vectorType(64, true), scope);
    this.indexed.pop();
    const low = type.fixed ? Math.min(type.fixed.left, type.fixed.right) : 0;
    return low ? exprs.plus(key, -low) : key;
  }

  /** `$` within an index. */
  last(loc: Loc): Expr {
    const base = this.indexed.at(-1);
    if (base) return this.value("last_index", int, base, [], loc);
    this.host.report.error(
      "verilog/value",
      loc,
      "'$' stands for the end of a queue only within its index.",
      "Write a number.",
    );
    return this.host.exprs.number(0n, 32, loc);
  }

  /** The value of one element, and how it is changed. */
  element(from: DataRef, type: ContainerType, node: ExprNode & { kind: "index" }, scope: Scope): DataRef {
    const base = this.baseOf(from);
    const key: SystemArg = { kind: "expr", expr: this.key(type, base, node.index, scope) };
    const read = this.value("get", type.element, base, [key], node.loc);
    const store = (value: Expr): Stmt =>
      this.task("set", this.reached(base), [key, { kind: "expr", expr: value }], scope, node.loc);
    return { ...this.host.refs.ofValue(read, type.element), store, storeType: type.element };
  }

  private whole(node: ExprNode, scope: Scope): { base: Base; type: ContainerType } | null {
    const { refs, exprs } = this.host;
    if (node.kind === "call") {
      const type = exprs.dataTypeOf(node, scope);
      if (type.kind !== "container") return null;
      return { base: { kind: "expr", expr: this.host.calls.build(node, scope) }, type };
    }
    if (!refs.isReference(node) || node.kind === "range") return null;
    // a name that means nothing is told by whoever needs its meaning
    if (node.kind === "name" && node.name !== "this" && node.name !== "super" && !scope.find(node.name)) return null;
    if (node.kind === "index" && !this.whole(node.base, scope)) return null;
    const ref = refs.resolve(node, scope);
    if (ref?.kind !== "data" || ref.type.kind !== "container") return null;
    return { base: this.baseOf(ref), type: ref.type };
  }

  private spot(node: ExprNode, scope: Scope): Spot | null {
    if (node.kind !== "index") {
      const found = this.whole(node, scope);
      return found && { ...found, key: null };
    }
    const base = this.whole(node.base, scope);
    return base && { ...base, base: this.reached(base.base), key: this.key(base.type, base.base, node.index, scope) };
  }

  /** An assignment to a container or one of its elements; null if the target is neither. */
  assign(node: StmtNode & { kind: "assign" }, scope: Scope): Stmt | null {
    const spot = this.spot(node.target, scope);
    if (!spot) return null;
    const { exprs, report } = this.host;
    const { base, type, key } = spot;
    const { loc } = node;
    if (!node.blocking || node.intra) {
      report.error(
        "verilog/container",
        loc,
        "A dynamic array or queue takes only plain '=' assignments.",
        "Write '=' without a delay.",
      );
      return { op: "block", body: [] };
    }
    if (key) {
      const source: ExprNode = node.op
        ? { kind: "binary", op: node.op, left: node.target, right: node.value, loc }
        : node.value;
      const value = exprs.assigned(source, type.element, scope);
      const args: SystemArg[] = [
        { kind: "expr", expr: key },
        { kind: "expr", expr: value },
      ];
      return this.task("set", base, args, scope, loc);
    }
    if (!node.op) return this.assignWhole(base, type, node.value, scope, loc);
    report.error(
      "verilog/container",
      loc,
      `'${node.op}=' does not work on a whole dynamic array or queue.`,
      "Assign its elements one by one.",
    );
    return { op: "block", body: [] };
  }

  assignWhole(base: Base, type: ContainerType, value: ExprNode, scope: Scope, loc: Loc): Stmt {
    const parts = this.parts(value, type, scope);
    if (parts) return this.task("assign", base, parts, scope, loc);
    this.noWhole(value);
    return { op: "block", body: [] };
  }

  private noWhole(node: ExprNode): void {
    this.host.report.error(
      "verilog/container",
      node.loc,
      "This cannot be assigned to a dynamic array or queue as a whole.",
      "Write another array, a list in braces, or new[size].",
    );
  }

  /** A container as a value of its own: an argument, a result, an element of another one. */
  valueOf(node: ExprNode, to: ContainerType, scope: Scope): Expr {
    const parts = this.parts(node, to, scope);
    if (!parts) this.noWhole(node);
    return this.value(
      "made",
      to,
      { kind: "expr", expr: this.tag("", node.loc) },
      [{ kind: "type", type: to }, ...(parts ?? [])],
      node.loc,
    );
  }

  /** `q[i]++` and its kin as statements. */
  step(node: ExprNode & { kind: "step" }, scope: Scope): Stmt | null {
    if (node.target.kind !== "index" || !this.whole(node.target.base, scope)) return null;
    const { loc, target } = node;
    const value: ExprNode = { kind: "number", width: null, signed: true, based: false, a: 1n, b: 0n, loc };
    const op = node.op === "++" ? "+" : "-";
    return this.assign(
      { kind: "assign", target, value, op, blocking: true, intra: null, loc, opLoc: loc } as never,
      scope,
    );
  }

  private tag(text: string, loc: Loc): Expr {
    return { op: "strconst", value: text, width: 0, signed: false, form: "string", loc };
  }

  /** The right side of an assignment as a list of tagged parts: values, whole containers, slices, keys, sizes. */
  private parts(node: ExprNode, to: ContainerType, scope: Scope): SystemArg[] | null {
    const { exprs } = this.host;
    const tag = (text: string): SystemArg => ({ kind: "expr", expr: this.tag(text, node.loc) });
    const expr = (inner: Expr): SystemArg => ({ kind: "expr", expr: inner });
    if (node.kind === "new") {
      const from = node.from && this.spread(node.from, to, scope, tag);
      if (node.from && !from) return null;
      return [tag("size"), expr(exprs.assigned(node.size, vectorType(64, true), scope)), ...(from ?? [])];
    }
    if (
      node.kind === "concat" ||
      (node.kind === "pattern" && node.items.every((item) => item.key === null) && !node.count)
    ) {
      const list = node.kind === "concat" ? node.parts : node.items.map((item) => item.value);
      return list.flatMap(
        (item) => this.spread(item, to, scope, tag) ?? [tag("value"), expr(exprs.assigned(item, to.element, scope))],
      );
    }
    if (node.kind === "pattern" && to.fixed && !node.count && node.items.every((item) => item.key === "default"))
      return Array.from({ length: sizeOf(to.fixed) }, () => [
        tag("value"),
        expr(exprs.assigned(node.items[0].value, to.element, scope)),
      ]).flat();
    if (node.kind === "pattern" && to.flavour === "map" && !node.count)
      return node.items.flatMap(({ key, value }) => {
        const own = expr(exprs.assigned(value, to.element, scope));
        if (key === "default") return [tag("default"), own];
        return key === null ? [] : [tag("key"), expr(exprs.assigned(key, to.key ?? vectorType(64), scope)), own];
      });
    return this.spread(node, to, scope, tag);
  }

  /** Something with many elements, or null if the node is a single value. */
  private spread(
    node: ExprNode,
    to: ContainerType,
    scope: Scope,
    tag: (text: string) => SystemArg,
  ): SystemArg[] | null {
    const { refs, exprs } = this.host;
    const expr = (inner: Expr): SystemArg => ({ kind: "expr", expr: inner });
    if (node.kind === "range" && node.mode === ":") {
      const found = this.whole(node.base, scope);
      if (!found || !this.holds(to, found.type, node.loc)) return null;
      const [from, upTo] = [node.left, node.right].map((each) => this.key(found.type, found.base, each, scope));
      return [tag("slice"), found.base, expr(from), expr(upTo)];
    }
    const found = this.whole(node, scope);
    if (found) {
      // an element that is an array itself is one value
      if (to.element.kind === "container" && found.type.element.kind !== "container") return null;
      if (!this.holds(to, found.type, node.loc)) return [];
      return [tag("all"), found.base];
    }
    if (!refs.isReference(node) || (node.kind === "name" && !scope.find(node.name))) return null;
    const ref = refs.resolve(node, scope);
    const isRow = ref?.kind === "data" && ref.type.kind === "integral" && ref.type.unpacked?.count === 1;
    if (ref?.kind !== "data" || !(isRow || (ref.type.kind === "array" && unpackedDims(ref.type).dims.length === 1)))
      return null;
    return refs.elements(ref).flatMap((each) => {
      const value = refs.read(each);
      const wide =
        to.element.kind === "integral" && !value.form ? exprs.resize(value, to.element.width, node.loc) : value;
      return [tag("value"), expr(wide)];
    });
  }

  /** Whether elements of one array may be those of another; false after a finding. */
  private holds(to: ContainerType, from: ContainerType, loc: Loc): boolean {
    const [x, y] = [to.element, from.element];
    const fits =
      x.kind === "class" && y.kind === "class"
        ? !x.info || !y.info || extendsClass(y.info, x.info)
        : x.kind === "container" && y.kind === "container"
          ? sameContainer(x, y)
          : x.kind === y.kind && (x.kind !== "integral" || y.kind !== "integral" || x.width === y.width);
    if (!fits)
      this.host.report.error(
        "verilog/container",
        loc,
        `Elements of type ${typeText(y)} do not fit an array of ${typeText(x)}.`,
        "Assign them one by one, in a loop.",
      );
    return fits;
  }

  /** `item` and `item.index` for an expression behind `with`. */
  private lambda(type: ContainerType, args: readonly CallArg[], node: ExprNode, scope: Scope): SystemArg {
    const name = args[0]?.value?.kind === "name" ? args[0].value.name : "item";
    const inner = new Scope(scope, scope.instance, scope.prefix, "", "block");
    const local = (text: string, own: DataType): Signal =>
      this.host.newSignal(text, node.loc, inner, { type: own, kind: "local", automatic: true });
    const item = local(name, type.element);
    const index = local("index", keyTypeOf(type));
    inner.declare(name, { kind: "signal", signal: item });
    this.places.set(item, index);
    return { kind: "lambda", item, index, expr: this.host.exprs.selfDetermined(node, inner) };
  }

  /** A method that gives a value; null if there is none of that name. */
  method(
    from: DataRef,
    type: ContainerType,
    name: string,
    node: Pick<CallNode, "args" | "with" | "loc">,
    scope: Scope,
    typeOnly: boolean,
  ): { expr: Expr; type: DataType } | null {
    const { exprs, refs } = this.host;
    const { args, loc } = node;
    const locator = Object.hasOwn(locators, name) ? locators[name] : null;
    if (locator) {
      const make = { kind: "container" as const, flavour: "queue" as const, key: null, bound: null };
      const result: ContainerType = { ...make, element: locator.gives === "keys" ? keyTypeOf(type) : type.element };
      if (typeOnly) return { expr: exprs.unknown(1, loc), type: result };
      if (!node.with && locator.needs) {
        this.host.report.error(
          "verilog/arguments",
          loc,
          `${name} needs 'with (...)'.`,
          "Say which elements are meant.",
        );
        return { expr: exprs.unknown(1, loc), type: result };
      }
      const through = node.with ? [this.lambda(type, args, node.with, scope)] : [];
      return {
        expr: this.value(name, result, this.baseOf(from), [{ kind: "type", type: result }, ...through], loc),
        type: result,
      };
    }
    const known = Object.hasOwn(valueMethods, name) ? valueMethods[name] : null;
    if (!known?.of.test(type.flavour)) return null;
    if (type.fixed && name !== "size" && !folds.test(name)) return null;
    if (node.with && folds.test(name)) {
      const through = this.lambda(type, args, node.with, scope) as SystemArg & { kind: "lambda" };
      if (through.expr.form) return null;
      const result = vectorType(through.expr.width, through.expr.signed);
      if (typeOnly) return { expr: exprs.unknown(1, loc), type: result };
      return {
        expr: this.value(name, result, this.baseOf(from), [{ kind: "type", type: result }, through], loc),
        type: result,
      };
    }
    const result = known.gives === "int" ? int : type.element;
    if (folds.test(name) && type.element.kind !== "integral") return null;
    if (typeOnly) return { expr: exprs.unknown(1, loc), type: result };
    if (!this.counted(name, args, known.most, known.most, loc)) return { expr: exprs.unknown(1, loc), type: result };
    const base = this.baseOf(from);
    const more: SystemArg[] = [];
    const given = args[0]?.value;
    if (given && name === "exists") more.push({ kind: "expr", expr: this.key(type, base, given, scope) });
    else if (given) {
      const ref = refs.isReference(given) ? refs.resolve(given, scope) : null;
      const target = refs.target(given, scope);
      if (target && ref?.kind === "data") more.push({ kind: "place", expr: refs.read(ref), target });
    }
    return { expr: this.value(name, result, /^pop/.test(name) ? this.reached(base) : base, more, loc), type: result };
  }

  /** A method called as a statement; null if there is none of that name. */
  statement(
    from: DataRef,
    type: ContainerType,
    name: string,
    node: Pick<CallNode, "args" | "with" | "loc">,
    scope: Scope,
  ): Stmt | null {
    const { exprs } = this.host;
    const { args, loc } = node;
    const known = Object.hasOwn(taskMethods, name) ? taskMethods[name] : null;
    if (!known?.of.test(type.flavour) || (type.fixed && !/sort|reverse|shuffle/.test(name))) {
      const made = this.method(from, type, name, node, scope, false);
      return made && { op: "eval", expr: made.expr, loc };
    }
    const base = this.reached(this.baseOf(from));
    if (node.with && /sort/.test(name))
      return this.task(name, base, [this.lambda(type, args, node.with, scope)], scope, loc);
    if (!this.counted(name, args, known.least, known.most, loc)) return { op: "block", body: [] };
    const values = args.map((arg) => arg.value ?? ({ kind: "bad", loc } as ExprNode));
    const isPlaced = name === "insert" || name === "delete";
    const more = values.map(
      (value, i): SystemArg => ({
        kind: "expr",
        expr: isPlaced && i === 0 ? this.key(type, base, value, scope) : exprs.assigned(value, type.element, scope),
      }),
    );
    return this.task(name, base, more, scope, loc);
  }

  private counted(name: string, args: readonly CallArg[], least: number, most: number, loc: Loc): boolean {
    if (args.length >= least && args.length <= most) return true;
    const count = least === most ? String(least) : `${least} to ${most}`;
    this.host.report.error(
      "verilog/arguments",
      loc,
      `${name} takes ${count} argument(s); ${args.length} given.`,
      "Correct the call.",
    );
    return false;
  }

  /** Number of elements, for loops over them. */
  size(from: DataRef, loc: Loc): Expr {
    return this.value("size", int, this.baseOf(from), [], loc);
  }

  /** Key of the element at a place, counted from 0 in the order of the keys. */
  keyAt(from: DataRef, type: ContainerType, place: Expr, loc: Loc): Expr {
    const low = type.fixed ? Math.min(type.fixed.left, type.fixed.right) : 0;
    if (low) return this.host.exprs.plus(place, low);
    return this.value("key_at", keyTypeOf(type), this.baseOf(from), [{ kind: "expr", expr: place }], loc);
  }

  /** The container that an argument hands over; null after a finding. */
  argument(node: ExprNode, to: ContainerType, scope: Scope): Expr | null {
    const found = this.whole(node, scope);
    if (found && sameContainer(found.type, to)) {
      if (found.base.kind === "expr") return (this.reached(found.base) as Base & { kind: "expr" }).expr;
      const { signal, loc } = found.base;
      return { op: "signal", signal, width: 0, signed: false, form: "string", loc };
    }
    this.host.report.error(
      "verilog/container",
      node.loc,
      `This argument must be a variable of type ${typeText(to)}.`,
      "Assign the values to one first.",
    );
    return null;
  }
}

function sameContainer(a: ContainerType, b: ContainerType): boolean {
  if (a.flavour !== b.flavour) return false;
  const [x, y] = [a.element, b.element];
  if (x.kind === "container" && y.kind === "container") return sameContainer(x, y);
  return x.kind === y.kind && (x.kind !== "integral" || y.kind !== "integral" || x.width === y.width);
}

/** An array with fixed bounds of what has no bits, as a container that keeps its size. */
export function fixedContainer(dim: Dim, element: DataType): ContainerType {
  return { kind: "container", flavour: "array", element, key: null, bound: null, fixed: dim };
}

/** What variables over a container's keys are in a loop. */
export const keyTypeOf = (type: ContainerType): DataType =>
  type.flavour !== "map"
    ? int
    : (type.key ?? vectorType(64)).kind === "string"
      ? stringType
      : (type.key ?? vectorType(64));
