import type { Loc } from "../../common/source.ts";
import type { CallArg, ExprNode, StmtNode } from "../../hdl/verilog/ast.ts";
import type { Expr, Signal, Stmt, SystemArg } from "../model.ts";
import type { Scope } from "../scope.ts";
import { type ContainerType, type DataType, stringType, unpackedDims, vectorType } from "../types.ts";
import type { DataRef } from "./bind-ref.ts";
import type { Host } from "./host.ts";

/** A container, or one element of it, as it stands left of an assignment. */
interface Spot {
  readonly signal: Signal;
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

/**
 * Dynamic arrays, queues and associative arrays (IEEE 1800-2017 clauses 7.5, 7.8 to 7.10). They exist in simulation
 * only: every use becomes a call `container.<what>` of the runtime, with the container as its first argument.
 */
export class Containers {
  /** Containers whose index is being bound: what `$` stands for. */
  private readonly indexed: Signal[] = [];

  constructor(private readonly host: Host) {}

  private value(what: string, type: DataType, signal: Signal, more: readonly SystemArg[], loc: Loc): Expr {
    this.host.noteRead(signal);
    const form = type.kind === "real" || type.kind === "string" ? type.kind : undefined;
    const width = type.kind === "integral" ? type.width : form === "real" ? 64 : 0;
    return {
      op: "system",
      name: `container.${what}`,
      args: [{ kind: "array", signal, loc }, ...more],
      width,
      signed: type.kind === "integral" ? type.signed : form === "real",
      loc,
      ...(form ? { form } : {}),
    };
  }

  private task(what: string, signal: Signal, more: readonly SystemArg[], scope: Scope, loc: Loc): Stmt {
    return {
      op: "system",
      name: `container.${what}`,
      args: [{ kind: "array", signal, loc }, ...more],
      instance: scope.instance,
      scope: scope.prefix,
      loc,
    };
  }

  private key(type: ContainerType, signal: Signal, node: ExprNode, scope: Scope): Expr {
    const { exprs } = this.host;
    if (type.flavour === "map")
      return type.key ? exprs.assigned(node, type.key, scope) : exprs.assigned(node, vectorType(64), scope);
    this.indexed.push(signal);
    const key = exprs.assigned(node, vectorType(64, true), scope);
    this.indexed.pop();
    return key;
  }

  /** `$` within an index. */
  last(loc: Loc): Expr {
    const signal = this.indexed.at(-1);
    if (signal) return this.value("last_index", int, signal, [], loc);
    this.host.report.error(
      "verilog/value",
      loc,
      "'$' stands for the end of a queue only within its index.",
      "Write a number.",
    );
    return this.host.exprs.number(0n, 32, loc);
  }

  /** The value of one element. */
  element(base: DataRef, type: ContainerType, node: ExprNode & { kind: "index" }, scope: Scope): DataRef {
    const signal = base.signal!;
    const key = this.key(type, signal, node.index, scope);
    const read = this.value("get", type.element, signal, [{ kind: "expr", expr: key }], node.loc);
    return this.host.refs.ofValue(read, type.element);
  }

  private whole(node: ExprNode, scope: Scope): { signal: Signal; type: ContainerType } | null {
    const { refs } = this.host;
    if (node.kind !== "name" && node.kind !== "member" && node.kind !== "scoped") return null;
    // a name that means nothing is told by whoever needs its meaning
    if (node.kind === "name" && !scope.find(node.name)) return null;
    const ref = refs.resolve(node, scope);
    if (ref?.kind !== "data" || !ref.signal || ref.type.kind !== "container") return null;
    return { signal: ref.signal, type: ref.type };
  }

  private spot(node: ExprNode, scope: Scope): Spot | null {
    if (node.kind !== "index") {
      const found = this.whole(node, scope);
      return found && { ...found, key: null };
    }
    const base = this.whole(node.base, scope);
    return base && { ...base, key: this.key(base.type, base.signal, node.index, scope) };
  }

  /** An assignment to a container or one of its elements; null if the target is neither. */
  assign(node: StmtNode & { kind: "assign" }, scope: Scope): Stmt | null {
    const spot = this.spot(node.target, scope);
    if (!spot) return null;
    const { exprs, report } = this.host;
    const { signal, type, key } = spot;
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
      return this.task("set", signal, args, scope, loc);
    }
    if (!node.op) return this.assignWhole(signal, type, node.value, scope, loc);
    report.error(
      "verilog/container",
      loc,
      `'${node.op}=' does not work on a whole dynamic array or queue.`,
      "Assign its elements one by one.",
    );
    return { op: "block", body: [] };
  }

  assignWhole(signal: Signal, type: ContainerType, value: ExprNode, scope: Scope, loc: Loc): Stmt {
    const parts = this.parts(value, type, scope);
    if (parts) return this.task("assign", signal, parts, scope, loc);
    this.host.report.error(
      "verilog/container",
      value.loc,
      "This cannot be assigned to a dynamic array or queue as a whole.",
      "Write another array, a list in braces, or new[size].",
    );
    return { op: "block", body: [] };
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

  /** The right side of an assignment as a list of tagged parts: values, whole containers, slices, keys, sizes. */
  private parts(node: ExprNode, to: ContainerType, scope: Scope): SystemArg[] | null {
    const { exprs } = this.host;
    const tag = (text: string): SystemArg => ({
      kind: "expr",
      expr: { op: "strconst", value: text, width: 0, signed: false, form: "string", loc: node.loc },
    });
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
      const base = this.whole(node.base, scope);
      if (!base) return null;
      this.host.noteRead(base.signal);
      const [from, upTo] = [node.left, node.right].map((each) => this.key(base.type, base.signal, each, scope));
      return [tag("slice"), { kind: "array", signal: base.signal, loc: node.loc }, expr(from), expr(upTo)];
    }
    const found = this.whole(node, scope);
    if (found) {
      this.host.noteRead(found.signal);
      return [tag("all"), { kind: "array", signal: found.signal, loc: node.loc }];
    }
    if (!refs.isReference(node) || (node.kind === "name" && !scope.find(node.name))) return null;
    const ref = refs.resolve(node, scope);
    if (ref?.kind !== "data" || ref.type.kind !== "array" || unpackedDims(ref.type).dims.length > 1) return null;
    return refs.elements(ref).flatMap((each) => {
      const value = refs.read(each);
      const wide =
        to.element.kind === "integral" && !value.form ? exprs.resize(value, to.element.width, node.loc) : value;
      return [tag("value"), expr(wide)];
    });
  }

  /** A method that gives a value; null if there is none of that name. */
  method(
    signal: Signal,
    type: ContainerType,
    name: string,
    args: readonly CallArg[],
    loc: Loc,
    scope: Scope,
    typeOnly: boolean,
  ): { expr: Expr; type: DataType } | null {
    const known = Object.hasOwn(valueMethods, name) ? valueMethods[name] : null;
    if (!known?.of.test(type.flavour)) return null;
    const { exprs, refs } = this.host;
    const result = known.gives === "int" ? int : type.element;
    if (known.gives === "element" && known.most === 0 && !/^pop/.test(name) && type.element.kind !== "integral")
      return null;
    if (typeOnly) return { expr: exprs.unknown(1, loc), type: result };
    if (!this.counted(name, args, known.most, known.most, loc)) return { expr: exprs.unknown(1, loc), type: result };
    const more: SystemArg[] = [];
    const given = args[0]?.value;
    if (given && name === "exists") more.push({ kind: "expr", expr: this.key(type, signal, given, scope) });
    else if (given) {
      const ref = refs.isReference(given) ? refs.resolve(given, scope) : null;
      const target = refs.target(given, scope);
      if (target && ref?.kind === "data") more.push({ kind: "place", expr: refs.read(ref), target });
    }
    return { expr: this.value(name, result, signal, more, loc), type: result };
  }

  /** A method called as a statement; null if there is none of that name. */
  statement(
    signal: Signal,
    type: ContainerType,
    name: string,
    args: readonly CallArg[],
    loc: Loc,
    scope: Scope,
  ): Stmt | null {
    const { exprs } = this.host;
    const known = Object.hasOwn(taskMethods, name) ? taskMethods[name] : null;
    if (!known?.of.test(type.flavour)) {
      const made = this.method(signal, type, name, args, loc, scope, false);
      return made && { op: "eval", expr: made.expr, loc };
    }
    if (!this.counted(name, args, known.least, known.most, loc)) return { op: "block", body: [] };
    const values = args.map((arg) => arg.value ?? ({ kind: "bad", loc } as ExprNode));
    const isPlaced = name === "insert" || name === "delete";
    const more = values.map(
      (value, i): SystemArg => ({
        kind: "expr",
        expr: isPlaced && i === 0 ? this.key(type, signal, value, scope) : exprs.assigned(value, type.element, scope),
      }),
    );
    return this.task(name, signal, more, scope, loc);
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
  size(signal: Signal, loc: Loc): Expr {
    return this.value("size", int, signal, [], loc);
  }

  /** Key of the element at a place, counted from 0 in the order of the keys. */
  keyAt(signal: Signal, type: ContainerType, place: Expr, loc: Loc): Expr {
    return this.value("key_at", keyTypeOf(type), signal, [{ kind: "expr", expr: place }], loc);
  }

  /** The container that an argument hands over; null after a finding. */
  argument(node: ExprNode, to: ContainerType, scope: Scope): Expr | null {
    const found = this.whole(node, scope);
    if (found && found.type.flavour === to.flavour && found.type.element.kind === to.element.kind) {
      this.host.noteRead(found.signal);
      return { op: "signal", signal: found.signal, width: 0, signed: false, loc: node.loc };
    }
    this.host.report.error(
      "verilog/container",
      node.loc,
      "This argument must be a variable of the same kind of array.",
      "Assign the values to one first.",
    );
    return null;
  }
}

/** What variables over a container's keys are in a loop. */
export const keyTypeOf = (type: ContainerType): DataType =>
  type.flavour !== "map"
    ? int
    : (type.key ?? vectorType(64)).kind === "string"
      ? stringType
      : (type.key ?? vectorType(64));
