import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { ExprNode, ParamOverride } from "../../hdl/verilog/ast.ts";
import { maxVectorWidth } from "../../hdl/verilog/number-text.ts";
import { evaluate } from "../evaluate.ts";
import type { Expr, Signal, Stmt, Target, TargetPart } from "../model.ts";
import type { Meaning, Scope } from "../scope.ts";
import {
  type ArrayType,
  bitType,
  type DataType,
  type Dim,
  elementOf,
  formOf,
  type IntegralType,
  partOf,
  positionOf,
  sizeOf,
  typeText,
  unpackedDims,
  vectorType,
} from "../types.ts";
import type { Host } from "./host.ts";
import { streamTarget } from "./streams.ts";

/** Some bits of a signal or of a value, as selects narrow them down. */
export interface DataRef {
  readonly kind: "data";
  readonly signal: Signal | null;
  /** What is selected from, when it is no signal. */
  readonly value: Expr | null;
  /** Positions in the unpacked dimensions passed so far. */
  readonly index: readonly Expr[];
  readonly type: DataType;
  /** Bits below the selection, the part that is known. */
  readonly fixed: number;
  /** And the part that is not, signed. */
  readonly dynamic: Expr | null;
  /** Constant index outside of its range: reads give x. */
  readonly outside: boolean;
  readonly loc: Loc;
  /** A modport lets it only be read. */
  readonly readOnly?: boolean;
  /** Of a part of an array: elements below it in the outermost unpacked dimension. */
  readonly start?: number;
  /** Of a variable of an object, or an element of a container: how it takes a new value as a whole. */
  readonly store?: (value: Expr) => Stmt;
  /** Type of that whole. */
  readonly storeType?: DataType;
  /** `super`: its methods are those of the base class, virtual or not. */
  readonly isSuper?: boolean;
}
export type Ref = DataRef | Exclude<Meaning, { kind: "signal" | "constant" }> | null;

/** Names and selects to what they stand for; targets of assignments. */
export class References {
  private cache = new Map<ExprNode, Ref>();
  private cacheScope: Scope | null = null;

  constructor(private readonly host: Host) {}

  lookUp(name: string, loc: Loc, scope: Scope): Meaning | null {
    const meaning = scope.find(name);
    if (meaning) return meaning;
    const near = this.host.report.suggests ? nearestName(name, scope.visibleNames()) : null;
    const { report, sources } = this.host;
    const place = sources.position(loc.file, loc.start);
    const end = sources.position(loc.file, loc.end);
    report.error(
      "verilog/undeclared",
      loc,
      `'${name}' is not declared.`,
      near ? `Did you mean '${near}'?` : "Declare it, or correct the name.",
      near
        ? {
            edit: {
              file: place.file,
              label: `Write '${near}'`,
              line: place.line,
              column: place.column,
              endLine: end.line,
              endColumn: end.column,
              text: near,
            },
          }
        : {},
    );
    return null;
  }

  /** What a node that names something stands for; null after a finding. */
  resolve(node: ExprNode, scope: Scope): Ref {
    if (this.cacheScope !== scope || this.cache.size > 4096) {
      this.cache = new Map();
      this.cacheScope = scope;
    }
    const known = this.cache.get(node);
    if (known !== undefined) return known;
    const ref = this.compute(node, scope);
    if (this.cacheScope === scope) this.cache.set(node, ref);
    return ref;
  }

  isReference(node: ExprNode): boolean {
    return (
      node.kind === "name" ||
      node.kind === "scoped" ||
      node.kind === "member" ||
      node.kind === "index" ||
      node.kind === "range"
    );
  }

  private ofMeaning(meaning: Meaning, loc: Loc, scope: Scope): Ref {
    if (meaning.kind === "property") {
      const self = this.host.classes.self(scope, loc);
      return self && this.host.classes.member(self.value!, meaning.property, scope, loc);
    }
    if (meaning.kind === "signal") {
      const { signal } = meaning;
      return {
        kind: "data",
        signal,
        value: null,
        index: [],
        type: signal.type,
        fixed: 0,
        dynamic: null,
        outside: false,
        loc,
      };
    }
    if (meaning.kind === "constant") {
      const value = this.host.exprs.ofConstant(meaning.constant, loc);
      return {
        kind: "data",
        signal: null,
        value,
        index: [],
        type: meaning.constant.type,
        fixed: 0,
        dynamic: null,
        outside: false,
        loc,
      };
    }
    return meaning;
  }

  ofValue(value: Expr, type: DataType): DataRef {
    return {
      kind: "data",
      signal: null,
      value,
      index: [],
      type,
      fixed: 0,
      dynamic: null,
      outside: false,
      loc: value.loc,
    };
  }

  private compute(node: ExprNode, scope: Scope): Ref {
    switch (node.kind) {
      case "name": {
        if (node.name === "this") return this.host.classes.self(scope, node.loc);
        if (node.name === "super") return this.parent(scope, node.loc);
        const meaning = this.lookUp(node.name, node.loc, scope);
        return meaning && this.ofMeaning(meaning, node.loc, scope);
      }
      case "scoped": {
        const where = this.scopeNamed(node.scope, node.params, node.loc, scope);
        if (!where) return null;
        const meaning = where.own(node.name);
        if (meaning) return this.ofMeaning(meaning, node.loc, scope);
        const near = nearestName(node.name, where.ownNames());
        this.host.report.error(
          "verilog/undeclared",
          node.loc,
          `'${node.scope}' has no '${node.name}'.`,
          near ? `Did you mean '${near}'?` : "Correct the name.",
        );
        return null;
      }
      case "member":
        return this.member(node, scope);
      case "index":
        return this.index(node, scope);
      case "range":
        return this.range(node, scope);
      default: {
        const { exprs } = this.host;
        const type = exprs.dataTypeOf(node, scope);
        if (type.kind === "void" || type.kind === "array") return null;
        return this.ofValue(exprs.selfDetermined(node, scope), type);
      }
    }
  }

  /** What stands before `::`: a package, `$unit`, or a class. */
  scopeNamed(name: string, params: readonly ParamOverride[] | undefined, loc: Loc, scope: Scope): Scope | null {
    if (name === "$unit") return this.host.unit;
    const meaning = scope.find(name);
    if (meaning?.kind === "class") {
      const own = scope.classAround;
      if (!params && own?.node === meaning.decl.node) return own.scope;
      return this.host.classes.infoOf(meaning.decl, params, scope, loc).scope;
    }
    if (meaning?.kind === "type" && meaning.type.kind === "class" && meaning.type.info) return meaning.type.info.scope;
    return this.host.packageScope(name, loc);
  }

  /** The object at hand as one of the class that its own extends. */
  private parent(scope: Scope, loc: Loc): Ref {
    const self = this.host.classes.self(scope, loc);
    if (!self) return null;
    const base = scope.classAround?.base;
    if (base) return { ...self, type: { kind: "class", info: base }, isSuper: true };
    this.host.report.error("verilog/class", loc, "This class extends no other.", "Write 'this', or 'extends'.");
    return null;
  }

  /** The scope that a hierarchical name begins with, looked for upwards (IEEE 1364-2005 clause 12.5). */
  private upward(name: string, scope: Scope): Meaning | null {
    const found = scope.find(name);
    if (found) return found;
    for (let instance = scope.instance; ; instance = instance.parent!) {
      const own = this.host.scopeOf(instance);
      if (instance.module === name || instance.name === name) return { kind: "scope", scope: own, loc: instance.loc };
      if (!instance.parent) return null;
      const above = this.host.scopeOf(instance.parent).own(name);
      if (above && above.kind !== "constant" && above.kind !== "type") return above;
    }
  }

  private member(node: ExprNode & { kind: "member" }, scope: Scope): Ref {
    const { report } = this.host;
    let base: Ref;
    if (node.base.kind === "name") {
      if (node.base.name === "$root") {
        let top = scope.instance;
        while (top.parent) top = top.parent;
        if (top.name === node.name || top.module === node.name)
          return { kind: "scope", scope: this.host.scopeOf(top), loc: node.loc };
        base = null;
        report.error(
          "verilog/undeclared",
          node.loc,
          `The top is '${top.name}', not '${node.name}'.`,
          "Correct the name.",
        );
        return null;
      }
      const isObject = node.base.name === "this" || node.base.name === "super";
      const meaning = isObject ? null : this.upward(node.base.name, scope);
      base = meaning ? this.ofMeaning(meaning, node.base.loc, scope) : this.resolve(node.base, scope);
    } else base = this.resolve(node.base, scope);
    if (!base) return null;
    if (base.kind === "subroutine") {
      if (this.host.subroutine(base, false).automatic) {
        report.error(
          "verilog/automatic-member",
          node.loc,
          `'${base.node.name}' is automatic: its variables last for one call, and cannot be reached from outside.`,
          "Make it static, or pass the value as an argument.",
        );
        return null;
      }
      base = { kind: "scope", scope: this.host.insideOf(base), loc: node.loc };
    }
    if (base.kind === "scope" || base.kind === "block") {
      const inner = base.scope;
      const meaning = inner.own(node.name);
      if (meaning) {
        return this.ofMeaning(meaning, node.loc, scope);
      }
      const near = nearestName(node.name, inner.ownNames());
      report.error(
        "verilog/undeclared",
        node.nameLoc,
        `'${inner.name || inner.instance.module}' has no '${node.name}'.`,
        near ? `Did you mean '${near}'?` : "Correct the name.",
      );
      return null;
    }
    if (base.kind === "data" && base.type.kind === "integral" && base.type.struct && base.type.dims.length === 0) {
      const member = base.type.struct.members.find((candidate) => candidate.name === node.name);
      if (member) return { ...base, type: member.type, fixed: base.fixed + member.offset, loc: node.loc };
      const near = nearestName(
        node.name,
        base.type.struct.members.map((candidate) => candidate.name),
      );
      report.error(
        "verilog/member",
        node.nameLoc,
        `This struct has no member '${node.name}'.`,
        near ? `Did you mean '${near}'?` : "Correct the name.",
      );
      return null;
    }
    if (base.kind === "data" && base.type.kind === "class" && base.type.info) {
      const meaning = this.host.classes.find(base.type.info, node.name, node.nameLoc);
      if (!meaning) return null;
      if (meaning.kind === "property")
        return this.host.classes.member(this.read(base), meaning.property, scope, node.loc);
      if (meaning.kind !== "subroutine") return this.ofMeaning(meaning, node.loc, scope);
      const type = this.host.calls.typeOf({ kind: "call", callee: node, args: [], loc: node.loc }, scope);
      const expr = this.host.calls.build({ kind: "call", callee: node, args: [], loc: node.loc }, scope);
      return this.ofValue(expr, type ?? vectorType(1));
    }
    if (base.kind === "data") {
      const place = node.name === "index" ? this.host.containers.placeOf(base.signal) : null;
      if (place) return this.ofMeaning({ kind: "signal", signal: place }, node.loc, scope);
      // a method without parentheses, such as state.name
      const call = this.host.calls.method(base, node.name, { args: [], loc: node.loc }, scope);
      if (call) return this.ofValue(call.expr, call.type);
      report.error(
        "verilog/member",
        node.nameLoc,
        base.type.kind === "integral" && base.type.handleOf
          ? `'${node.name}' cannot be reached through a handle here.`
          : `A ${typeText(base.type)} has no member '${node.name}'.`,
        base.type.kind === "integral" && base.type.handleOf
          ? "Use it in an expression, an assignment by itself, a call or an event."
          : "Only structs, instances and named blocks have members.",
      );
      return null;
    }
    report.error(
      "verilog/member",
      node.loc,
      `Nothing can be looked up in '${this.host.sources.text(node.base.loc)}'.`,
      "Correct the name.",
    );
    return null;
  }

  private index(node: ExprNode & { kind: "index" }, scope: Scope): Ref {
    const { report, exprs } = this.host;
    const resolved = this.resolve(node.base, scope);
    if (!resolved) {
      exprs.selfDetermined(node.index, scope);
      return null;
    }
    const base = resolved.kind === "data" ? bitsOfStruct(resolved) : resolved;
    if (base.kind === "scopes") {
      const at = exprs.integer(node.index, scope, "The index of an instance or generate block");
      if (at === null) return null;
      const found = base.list.get(at);
      if (found) return { kind: "scope", scope: found, loc: node.loc };
      report.error("verilog/undeclared", node.loc, `There is no element ${at}.`, "Correct the index.");
      return null;
    }
    if (base.kind !== "data") {
      this.notIndexable(node.loc);
      return null;
    }
    const { type } = base;
    if (type.kind === "string") {
      const index = exprs.selfDetermined(node.index, scope);
      const args = [this.read(base), index].map((expr) => ({ kind: "expr" as const, expr }));
      const value: Expr = { op: "system", name: "string.getc", args, width: 8, signed: true, loc: node.loc };
      return this.ofValue(value, vectorType(8, true, false));
    }
    if (type.kind === "container") return this.host.containers.element(base, type, node, scope);
    if (type.kind === "array") {
      const { dim } = type;
      const position = this.position(
        node.index,
        { left: Math.max(dim.left, dim.right), right: Math.min(dim.left, dim.right) },
        scope,
      );
      const size = sizeOf(dim);
      let outside = base.outside;
      if (position.known !== null && (position.known < 0 || position.known >= size)) {
        this.outOfRange(node.index.loc, base, dim);
        outside = true;
      }
      const at = base.start ? exprs.plus(position.expr, base.start) : position.expr;
      return { ...base, index: [...base.index, at], type: type.element, outside, start: 0, loc: node.loc };
    }
    if (type.kind !== "integral" || (type.dims.length === 0 && (type.struct || type.width === 1))) {
      exprs.selfDetermined(node.index, scope);
      report.error(
        "verilog/select",
        node.loc,
        `'${this.host.sources.text(node.base.loc)}' is ${type.kind === "integral" ? (type.struct ? "a struct" : "one bit") : `a ${type.kind}`}: it cannot be indexed.`,
        type.kind === "integral" && !type.struct
          ? "Remove the index, or declare it with a range."
          : "Select a member instead.",
      );
      return null;
    }
    const dim = type.dims[0] ?? { left: type.width - 1, right: 0 };
    const element = elementOf(type.dims.length ? type : { ...type, dims: [dim] });
    const position = this.position(node.index, dim, scope);
    return this.narrow(base, dim, position, element, 1, node.index.loc, node.loc);
  }

  private notIndexable(loc: Loc): void {
    this.host.report.error(
      "verilog/select",
      loc,
      "Only a net, a variable or a constant can be indexed.",
      "Correct the name.",
    );
  }

  /** Index as a place counted from the dimension's right bound upwards. */
  private position(node: ExprNode, dim: Dim, scope: Scope): { known: number | null; expr: Expr } {
    const { exprs } = this.host;
    const index = exprs.selfDetermined(node, scope);
    if (index.form) {
      this.host.report.error("verilog/select", node.loc, "An index must have bits.", "Convert it with $rtoi.");
      return { known: 0, expr: exprs.number(0n, 32, node.loc) };
    }
    const value = evaluate(index);
    if (value && !value.b) {
      const known = positionOf(dim, Number(index.signed ? BigInt.asIntN(index.width, value.a) : value.a));
      return { known, expr: exprs.number(BigInt(known), 34, node.loc) };
    }
    return { known: null, expr: this.shifted(index, dim) };
  }

  private shifted(index: Expr, dim: Dim): Expr {
    const descending = dim.left >= dim.right;
    const shift = dim.right;
    if (descending && shift === 0) return index;
    const { exprs } = this.host;
    const { loc } = index;
    const width = Math.max(index.width, Math.abs(shift).toString(2).length + 1) + 2;
    const wide: Expr = { op: "extend", arg: index, bySign: index.signed, width, signed: true, loc };
    const by = exprs.number(BigInt(shift), width, loc);
    const [left, right] = descending ? [wide, by] : [by, wide];
    return { op: "binary", kind: "sub", left, right, operandSigned: true, width, signed: true, loc };
  }

  /** Narrows to `count` elements of the dimension from `position` up. */
  private narrow(
    base: DataRef,
    dim: Dim,
    position: { known: number | null; expr: Expr },
    type: IntegralType,
    count: number,
    at: Loc,
    loc: Loc,
  ): DataRef {
    const { exprs } = this.host;
    const step = type.width / count;
    const whole = base.fixed === 0 && base.dynamic === null && this.isWhole(base);
    if (position.known !== null) {
      const outside = position.known < 0 || position.known + count > sizeOf(dim);
      if (outside) this.outOfRange(at, base, dim);
      const gone = position.known >= sizeOf(dim) || position.known + count <= 0 || (outside && !whole);
      return { ...base, type, fixed: base.fixed + position.known * step, outside: base.outside || gone, loc };
    }
    let offset = position.expr;
    if (step > 1) {
      const width = offset.width + step.toString(2).length + 1;
      const wide: Expr = { op: "extend", arg: offset, bySign: offset.signed, width, signed: true, loc: at };
      const by = exprs.number(BigInt(step), width, at);
      offset = { op: "binary", kind: "mul", left: wide, right: by, operandSigned: true, width, signed: true, loc: at };
    }
    if (!whole) {
      // an index outside of an inner range must not reach its neighbours
      const wide = position.expr.width + 2;
      const arg: Expr = {
        op: "extend",
        arg: position.expr,
        bySign: position.expr.signed,
        width: wide,
        signed: true,
        loc: at,
      };
      const least: Expr = this.compare("ge", arg, exprs.number(BigInt(1 - count), wide, at));
      const most: Expr = this.compare(
        "lt",
        arg,
        exprs.number(BigInt(sizeOf(dim)), Math.max(wide, sizeOf(dim).toString(2).length + 2), at),
      );
      const test: Expr = {
        op: "binary",
        kind: "logand",
        left: least,
        right: most,
        operandSigned: false,
        width: 1,
        signed: false,
        loc: at,
      };
      const no = exprs.unknown(offset.width, at);
      offset = {
        op: "cond",
        test,
        yes: offset,
        no: { ...no, signed: offset.signed },
        width: offset.width,
        signed: offset.signed,
        loc: at,
      };
    }
    if (base.dynamic) {
      const width = Math.max(offset.width, base.dynamic.width) + 2;
      const left: Expr = { op: "extend", arg: base.dynamic, bySign: base.dynamic.signed, width, signed: true, loc: at };
      const right: Expr = { op: "extend", arg: offset, bySign: offset.signed, width, signed: true, loc: at };
      offset = { op: "binary", kind: "add", left, right, operandSigned: true, width, signed: true, loc: at };
    }
    return { ...base, type, dynamic: offset, loc };
  }

  private compare(kind: "ge" | "lt", left: Expr, right: Expr): Expr {
    const width = Math.max(left.width, right.width);
    const fit = (arg: Expr): Expr =>
      arg.width === width ? arg : { op: "extend", arg, bySign: true, width, signed: true, loc: arg.loc };
    return {
      op: "binary",
      kind,
      left: fit(left),
      right: fit(right),
      operandSigned: true,
      width: 1,
      signed: false,
      loc: left.loc,
    };
  }

  private isWhole(ref: DataRef): boolean {
    const width = ref.signal ? ref.signal.width : ref.value!.width;
    return ref.type.kind === "integral" && ref.type.width === width;
  }

  private outOfRange(loc: Loc, base: DataRef, dim: Dim): void {
    this.host.report.warn(
      "verilog/out-of-range",
      loc,
      `This index is outside of '${this.host.sources.text(base.loc)}', which has [${dim.left}:${dim.right}].`,
      "Check the index; what is outside reads as x.",
    );
  }

  /** Some elements of an array side by side, between constant bounds (IEEE 1800-2017 clause 7.4.5). */
  private arrayPart(base: DataRef, type: ArrayType, node: ExprNode & { kind: "range" }, scope: Scope): Ref {
    const { exprs, report } = this.host;
    const { dim } = type;
    const first = exprs.integer(node.left, scope, "A bound of a part of an array");
    const second = exprs.integer(node.right, scope, "A bound of a part of an array");
    if (first === null || second === null) return null;
    const up = dim.left <= dim.right;
    let [left, right] = [first, second];
    if (node.mode !== ":") {
      const [from, to] = node.mode === "+:" ? [first, first + second - 1] : [first - second + 1, first];
      [left, right] = up ? [from, to] : [to, from];
    }
    const low = Math.min(dim.left, dim.right);
    const isInside = Math.min(left, right) >= low && Math.max(left, right) <= Math.max(dim.left, dim.right);
    if (!isInside || (left !== right && left < right !== up)) {
      report.error(
        "verilog/part-select",
        node.loc,
        isInside
          ? `The bounds of this part run against the declaration [${dim.left}:${dim.right}].`
          : `This part reaches outside of the array, which has [${dim.left}:${dim.right}].`,
        isInside ? "Swap them." : "Check its bounds.",
      );
      return null;
    }
    const start = (base.start ?? 0) + Math.min(left, right) - low;
    return { ...base, type: { ...type, dim: { left, right } }, start, loc: node.loc };
  }

  private range(node: ExprNode & { kind: "range" }, scope: Scope): Ref {
    const { exprs, report } = this.host;
    const resolved = this.resolve(node.base, scope);
    if (!resolved) return null;
    if (resolved.kind !== "data") {
      this.notIndexable(node.loc);
      return null;
    }
    const base = bitsOfStruct(resolved);
    if (base.type.kind === "container") {
      report.error(
        "verilog/container",
        node.loc,
        "A part of a queue stands only right of an assignment to a queue.",
        "Assign it to a queue, or take the elements one by one.",
      );
      return null;
    }
    if (base.type.kind === "array") return this.arrayPart(base, base.type, node, scope);
    if (base.type.kind !== "integral") {
      report.error("verilog/select", node.loc, `A ${base.type.kind} has no parts.`, "Select the elements one by one.");
      return null;
    }
    const { type } = base;
    if (type.dims.length === 0 && (type.struct || type.width === 1)) {
      report.error(
        "verilog/select",
        node.loc,
        `'${this.host.sources.text(node.base.loc)}' is ${type.struct ? "a struct" : "one bit"}: it has no part-select.`,
        type.struct ? "Select a member instead." : "Remove the select, or declare it with a range.",
      );
      return null;
    }
    const dim = type.dims[0] ?? { left: type.width - 1, right: 0 };
    const descending = dim.left >= dim.right;
    if (node.mode === ":") {
      const left = exprs.integer(node.left, scope, "A part-select's bound");
      const right = exprs.integer(node.right, scope, "A part-select's bound");
      if (left === null || right === null) return null;
      if (left !== right && left > right !== descending) {
        report.error(
          "verilog/part-select",
          node.loc,
          `The bounds of this part-select run against the declaration [${dim.left}:${dim.right}].`,
          "Swap them.",
          this.swapEdit(node),
        );
        return null;
      }
      const count = Math.abs(left - right) + 1;
      if (count > maxVectorWidth) {
        report.error(
          "verilog/part-select",
          node.loc,
          `A part-select of ${count} bits is more than a vector has.`,
          "Check its bounds.",
        );
        return null;
      }
      const known = positionOf(dim, right);
      const position = { known, expr: exprs.number(BigInt(known), 34, node.loc) };
      return this.narrow(
        base,
        dim,
        position,
        partOf({ ...type, dims: type.dims.length ? type.dims : [dim] }, count),
        count,
        node.loc,
        node.loc,
      );
    }
    const count = exprs.integer(node.right, scope, "The width of a part-select");
    if (count === null) return null;
    if (count < 1 || count > maxVectorWidth) {
      report.error(
        "verilog/part-select",
        node.right.loc,
        `A part-select of ${count} bits is none.`,
        "Give a width of at least 1.",
      );
      return null;
    }
    const part = partOf({ ...type, dims: type.dims.length ? type.dims : [dim] }, count);
    const { known, expr } = this.position(node.left, dim, scope);
    // the position of the named bit is that of the lowest one, unless the select runs the other way
    const back = (node.mode === "+:") === descending ? 0 : count - 1;
    if (known !== null) return this.narrow(base, dim, { known: known - back, expr }, part, count, node.loc, node.loc);
    let low = expr;
    if (back) {
      const width = Math.max(expr.width, back.toString(2).length) + 2;
      const left: Expr = { op: "extend", arg: expr, bySign: expr.signed, width, signed: true, loc: expr.loc };
      const right = exprs.number(BigInt(back), width, expr.loc);
      low = { op: "binary", kind: "sub", left, right, operandSigned: true, width, signed: true, loc: expr.loc };
    }
    return this.narrow(base, dim, { known: null, expr: low }, part, count, node.loc, node.loc);
  }

  private swapEdit(node: ExprNode & { kind: "range" }) {
    const { sources } = this.host;
    const from = sources.position(node.left.loc.file, node.left.loc.start);
    const to = sources.position(node.right.loc.file, node.right.loc.end);
    if (node.left.loc.file !== node.right.loc.file) return {};
    const text = `${sources.text(node.right.loc)}:${sources.text(node.left.loc)}`;
    return {
      edit: {
        file: from.file,
        label: `Write [${text}]`,
        line: from.line,
        column: from.column,
        endLine: to.line,
        endColumn: to.column,
        text,
      },
    };
  }

  /** The value of what was selected. */
  read(ref: DataRef): Expr {
    const bits = this.readBits(ref);
    const holds = ref.type.kind === "integral" ? ref.type.holds : undefined;
    if (!holds) return bits;
    const { loc } = ref;
    if (holds === "string") return { op: "convert", arg: bits, width: 0, signed: false, form: "string", loc };
    const args = [{ kind: "expr" as const, expr: bits }];
    return { op: "system", name: "$bitstoreal", args, width: 64, signed: true, form: "real", loc };
  }

  private readBits(ref: DataRef): Expr {
    const { type, loc, signal } = ref;
    const { exprs, report } = this.host;
    if (type.kind === "array") {
      report.error(
        "verilog/array-value",
        loc,
        `'${this.host.sources.text(loc)}' is an array of ${sizeOf(type.dim)} elements; it has no value as a whole.`,
        "Select one element.",
      );
      return exprs.unknown(1, loc);
    }
    if (type.kind === "container") {
      if (!signal) return ref.value!;
      this.host.noteRead(signal);
      return { op: "signal", signal, width: 0, signed: false, form: "string", loc };
    }
    if (type.kind === "event" || type.kind === "void") {
      report.error("verilog/value", loc, `An ${type.kind} has no value.`, "Wait for it with @.");
      return exprs.unknown(1, loc);
    }
    if (signal) this.host.noteRead(signal);
    if (type.kind === "real" || type.kind === "string" || type.kind === "class" || type.kind === "any") {
      const form = type.kind === "real" ? "real" : "string";
      const width = form === "real" ? 64 : 0;
      if (!signal) return ref.value!;
      if (ref.index.length)
        return { op: "element", signal, index: ref.index, width, signed: form === "real", form, loc };
      return { op: "signal", signal, width, signed: form === "real", form, loc };
    }
    const { width, signed } = type;
    if (ref.outside) return { ...exprs.unknown(width, loc), signed };
    let base: Expr;
    if (!signal) base = ref.value!;
    else if (ref.index.length)
      base = { op: "element", signal, index: ref.index, width: signal.width, signed: signal.signed, loc };
    else base = { op: "signal", signal, width: signal.width, signed: signal.signed, loc };
    if (ref.dynamic) {
      let offset = ref.dynamic;
      if (ref.fixed) offset = exprs.plus(offset, ref.fixed);
      return { op: "dynslice", arg: base, offset, width, signed, loc };
    }
    if (ref.fixed === 0 && width === base.width)
      return base.signed === signed && base.loc === loc ? base : { ...base, signed, loc };
    if (base.op === "const") {
      const value = evaluate({ op: "slice", arg: base, lsb: ref.fixed, width, signed, loc });
      return { op: "const", value: value!, width, signed, loc };
    }
    return { op: "slice", arg: base, lsb: ref.fixed, width, signed, loc };
  }

  typeOfNode(given: ExprNode, scope: Scope): DataType {
    const node = this.host.standsFor(given, scope);
    if (node.kind === "type") return this.host.types.bind(node.type, scope);
    if (this.isReference(node)) {
      const ref = this.resolve(node, scope);
      if (ref?.kind === "data") return ref.type;
      if (ref?.kind === "type") return ref.type;
      return bitType;
    }
    return this.host.exprs.dataTypeOf(node, scope);
  }

  /** What stands left of an assignment; null after a finding. */
  target(node: ExprNode, scope: Scope): Target | null {
    const { report } = this.host;
    if (node.kind === "stream") return streamTarget(this.host, node, scope);
    if (node.kind === "concat" || (node.kind === "pattern" && node.items.every((item) => item.key === null))) {
      const parts: TargetPart[] = [];
      const nodes = node.kind === "concat" ? node.parts : node.items.map((item) => item.value);
      for (const part of nodes) {
        const inner = this.target(part, scope);
        if (!inner) return null;
        if (inner.form) {
          report.error(
            "verilog/target",
            part.loc,
            `A ${inner.form} cannot be part of a concatenation here.`,
            "Assign it by itself.",
          );
          return null;
        }
        parts.push(...inner.parts);
      }
      return { parts, width: parts.reduce((sum, part) => sum + part.width, 0), loc: node.loc };
    }
    if (!this.isReference(node)) {
      if (node.kind !== "bad")
        report.error(
          "verilog/target",
          node.loc,
          "Nothing can be assigned to this.",
          "Write a net, a variable, or a part of one.",
        );
      return null;
    }
    const ref = this.resolve(node, scope);
    if (!ref) return null;
    if (ref.kind === "data" && !ref.signal && ref.store) return this.targetWithin(ref, scope);
    if (ref.kind !== "data" || !ref.signal) {
      report.error(
        "verilog/target",
        node.loc,
        `'${this.host.sources.text(node.loc)}' is ${ref.kind === "data" ? "a constant" : "no net or variable"}, so nothing can be assigned to it.`,
        "Correct the name.",
      );
      return null;
    }
    return this.targetOf(ref);
  }

  /**
   * What an object or a container holds is changed by way of a variable that it is copied to before the statement, and
   * from behind it.
   */
  private targetWithin(ref: DataRef, scope: Scope): Target | null {
    const { report, stmts } = this.host;
    const { loc } = ref;
    if (ref.readOnly) {
      report.error("verilog/target", loc, `'${this.host.sources.text(loc)}' is constant.`, "Take 'const' away.");
      return null;
    }
    const around = stmts.around;
    if (!around) {
      report.error(
        "verilog/target",
        loc,
        "A variable of an object cannot be changed in this place.",
        "Do it in a statement of its own.",
      );
      return null;
    }
    // asked for twice, it is one variable all the same
    const known = around.held.get(ref);
    if (known) return this.targetOf({ ...ref, signal: known, value: null });
    const type = ref.storeType!;
    const signal = this.host.newSignal("held", loc, scope, { type, kind: "local", automatic: true });
    const form = formOf(type);
    const read: Expr = {
      op: "signal",
      signal,
      width: signal.width,
      signed: signal.signed,
      loc,
      ...(form ? { form } : {}),
    };
    around.locals.push(signal);
    around.held.set(ref, signal);
    if (scope.subroutine) scope.subroutine.locals.push(signal);
    around.before.push(stmts.plain(signal, ref.value!, loc));
    around.after.unshift(ref.store!(read));
    return this.targetOf({ ...ref, signal, value: null });
  }

  /** Elements of an array, or of a vector that carries one, from the left index to the right one. */
  elements(ref: DataRef): DataRef[] {
    const { type, loc } = ref;
    if (type.kind === "array") {
      const size = sizeOf(type.dim);
      const up = type.dim.left <= type.dim.right;
      return Array.from({ length: size }, (_, i) => this.elements(this.elementAt(ref, up ? i : size - 1 - i))).flat();
    }
    if (type.kind !== "integral" || !type.unpacked) return [{ ...ref, loc }];
    const element = elementOf(type);
    const size = sizeOf(type.dims[0]);
    return Array.from({ length: size }, (_, i) =>
      this.elements({ ...ref, type: element, fixed: ref.fixed + (size - 1 - i) * element.width }),
    ).flat();
  }

  /** @param index Counted from the lowest bound of the outermost unpacked dimension. */
  elementAt(ref: DataRef, index: number): DataRef {
    if (ref.type.kind !== "array") throw new Error("element of no array");
    const at = this.host.exprs.number(BigInt(index + (ref.start ?? 0)), 34, ref.loc);
    return { ...ref, index: [...ref.index, at], type: ref.type.element, start: 0 };
  }

  /** A whole array as the vector that carries it; null after a finding. */
  arrayBits(ref: DataRef, to: IntegralType): Expr | null {
    if (!this.fits(ref, to)) return null;
    const parts = this.elements(ref).map((each) => this.read(each));
    if (parts.length === 1) return parts[0];
    return { op: "concat", parts, width: to.width, signed: false, loc: ref.loc };
  }

  /** A whole array as what an output writes to; null after a finding. */
  arrayTarget(node: ExprNode, to: IntegralType, scope: Scope): Target | null {
    const ref = this.isReference(node) ? this.resolve(node, scope) : null;
    if (ref?.kind !== "data" || !ref.signal) return this.target(node, scope);
    if (ref.type.kind !== "array") return this.targetOf(ref);
    if (!this.fits(ref, to)) return null;
    const parts = this.elements(ref).flatMap((each) => this.targetOf(each)?.parts ?? []);
    return { parts, width: to.width, loc: node.loc };
  }

  private fits(ref: DataRef, to: IntegralType): boolean {
    const { dims, element } = unpackedDims(ref.type);
    const own = to.unpacked!;
    const isSame =
      element.kind === "integral" &&
      element.width === own.element.width &&
      dims.length === own.count &&
      dims.every((dim, i) => sizeOf(dim) === sizeOf(to.dims[i]));
    if (!isSame)
      this.host.report.error(
        "verilog/array-size",
        ref.loc,
        `A ${typeText(ref.type)} does not fit a ${typeText(to)}.`,
        "Give an array with as many elements of the same width.",
      );
    return isSame;
  }

  targetOf(ref: DataRef): Target | null {
    const { report, exprs } = this.host;
    const { type, loc } = ref;
    const signal = ref.signal!;
    if (type.kind === "array") {
      report.error(
        "verilog/array-value",
        loc,
        `'${this.host.sources.text(loc)}' is an array.`,
        "Assign its elements one by one, or assign another array.",
      );
      return null;
    }
    if (type.kind === "container") {
      report.error(
        "verilog/container",
        loc,
        "A dynamic array or queue cannot be assigned here.",
        "Use a plain assignment.",
      );
      return null;
    }
    if (type.kind === "event" || type.kind === "void") {
      report.error("verilog/target", loc, `An ${type.kind} holds no value.`, "Trigger an event with ->.");
      return null;
    }
    if (type.kind !== "integral")
      return {
        parts: [{ signal, width: signal.width, index: ref.index, offset: 0, loc }],
        width: signal.width,
        form: type.kind === "real" ? "real" : "string",
        ...(type.kind === "class" ? { type } : {}),
        loc,
      };
    let offset: number | Expr = ref.fixed;
    if (ref.outside)
      offset = signal.width; // nothing is written there
    else if (ref.dynamic) offset = ref.fixed ? exprs.plus(ref.dynamic, ref.fixed) : ref.dynamic;
    return { parts: [{ signal, width: type.width, index: ref.index, offset, loc }], width: type.width, loc };
  }
}

/** A packed struct as the vector that it is, for selects of its bits (IEEE 1800-2017 clause 7.2.1). */
function bitsOfStruct(base: DataRef): DataRef {
  const { type } = base;
  if (type.kind !== "integral" || !type.struct || type.unpackedStruct || type.dims.length > 0) return base;
  const { width, signed, fourState } = type;
  return { ...base, type: { ...vectorType(width, signed, fourState), dims: [{ left: width - 1, right: 0 }] } };
}
