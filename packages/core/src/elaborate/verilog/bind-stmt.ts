import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type {
  BlockStmt,
  CallNode,
  DeclItem,
  DelayNode,
  EventControl,
  ExprNode,
  StmtNode,
} from "../../hdl/verilog/ast.ts";
import type { AnyValue, BlockId, DelayModel, EventModel, Expr, Signal, Stmt, Subroutine, Target } from "../model.ts";
import { Scope } from "../scope.ts";
import { systemTasks } from "../system-tasks.ts";
import {
  asVector,
  type ContainerType,
  type DataType,
  defaultOf,
  formOf,
  type IntegralType,
  integerType,
  sizeOf,
  typeText,
  unpackedDims,
  vectorType,
} from "../types.ts";
import { readsOf } from "../walk.ts";
import { keyTypeOf } from "./bind-container.ts";
import { typeOfData } from "./bind-expr.ts";
import type { DataRef } from "./bind-ref.ts";
import { eventCounter } from "./classes.ts";
import type { Host } from "./host.ts";
import { checkTargets, checkTruncation } from "./width-checks.ts";

const nothing: Stmt = { op: "block", body: [] };

export class Statements {
  constructor(private readonly host: Host) {}

  /** What stands before and behind the statement that is being bound: see `targetWithin`. */
  around: {
    readonly before: Stmt[];
    readonly after: Stmt[];
    readonly locals: Signal[];
    readonly held: Map<DataRef, Signal>;
  } | null = null;

  /** What the process at hand depends on and assigns, for the checks of sensitivity lists. */
  bind(node: StmtNode, scope: Scope): Stmt {
    const outer = this.around;
    const own = {
      before: [] as Stmt[],
      after: [] as Stmt[],
      locals: [] as Signal[],
      held: new Map<DataRef, Signal>(),
    };
    // within a condition there is no place for more statements
    this.around = /^(assign|call|return|null|force)$/.test(node.kind) ? own : null;
    const made = this.bindOne(node, scope);
    this.around = outer;
    if (own.locals.length === 0) return made;
    if (made.op === "block" && made.body.at(-1)?.op === "return")
      return {
        ...made,
        body: [...own.before, ...made.body.slice(0, -1), ...own.after, { op: "return", loc: node.loc }],
        locals: own.locals,
      };
    return { op: "block", body: [...own.before, made, ...own.after], locals: own.locals, loc: node.loc };
  }

  private bindOne(node: StmtNode, scope: Scope): Stmt {
    const { exprs, report, refs } = this.host;
    const { loc } = node;
    switch (node.kind) {
      case "null":
        return nothing;
      case "block":
        return this.block(node, scope);
      case "if":
        return {
          op: "if",
          test: exprs.condition(node.test, scope),
          yes: this.bind(node.yes, scope),
          no: node.no && this.bind(node.no, scope),
          check: node.check,
          loc,
        };
      case "case":
        return this.caseStmt(node, scope);
      case "for": {
        let inner = scope;
        const locals: Signal[] = [];
        const init: Stmt[] = [];
        if (node.decls.length) {
          inner = this.child(scope, "");
          for (const decl of node.decls) this.declareLocals(decl, inner, locals, init, true);
        }
        for (const stmt of node.init) init.push(this.bind(stmt, inner));
        const loop: Stmt = {
          op: "loop",
          init: init.length ? { op: "block", body: init } : null,
          test: node.test && exprs.condition(node.test, inner),
          after: false,
          step: node.step.length ? { op: "block", body: node.step.map((stmt) => this.bind(stmt, inner)) } : null,
          body: this.bind(node.body, inner),
          loc,
        };
        return locals.length ? { op: "block", body: [loop], locals, loc } : loop;
      }
      case "foreach":
        return this.foreach(node, scope);
      case "while":
      case "dowhile":
        return {
          op: "loop",
          init: null,
          test: exprs.condition(node.test, scope),
          after: node.kind === "dowhile",
          step: null,
          body: this.bind(node.body, scope),
          loc,
        };
      case "repeat":
        return { op: "repeat", count: this.count(node.test, scope), body: this.bind(node.body, scope), loc };
      case "forever":
        return { op: "loop", init: null, test: null, after: false, step: null, body: this.bind(node.body, scope), loc };
      case "assign":
        return this.assign(node, scope);
      case "force": {
        const target = refs.target(node.target, scope);
        if (!target) return nothing;
        const [part] = target.parts;
        const value =
          node.value && part ? exprs.assigned(node.value, this.targetType(node.target, target, scope), scope) : null;
        return { op: "force", word: node.word, target, value, loc };
      }
      case "delay": {
        const delay: Stmt = { op: "delay", delay: this.delay(node.delay, scope), loc };
        return node.body ? { op: "block", body: [delay, this.bind(node.body, scope)], loc } : delay;
      }
      case "event": {
        if (node.events === "star") {
          // waits for any change of what the statement reads
          const body = node.body ? this.bind(node.body, scope) : nothing;
          return { op: "block", body: [{ op: "event", events: this.starEvents(body, loc), loc }, body], loc };
        }
        const wait: Stmt = { op: "event", events: this.events(node.events, scope), loc };
        return node.body ? { op: "block", body: [wait, this.bind(node.body, scope)], loc } : wait;
      }
      case "wait": {
        const wait: Stmt = { op: "wait", test: node.test && exprs.condition(node.test, scope), loc };
        return node.body ? { op: "block", body: [wait, this.bind(node.body, scope)], loc } : wait;
      }
      case "disable":
        return this.disable(node, scope);
      case "trigger": {
        const ref = refs.resolve(node.target, scope);
        if (!ref) return nothing;
        if (ref.kind === "data" && ref.store && ref.type === eventCounter)
          return ref.store({
            op: "binary",
            kind: "add",
            left: refs.read(ref),
            right: exprs.number(1n, 32, loc),
            operandSigned: false,
            width: 32,
            signed: false,
            loc,
          });
        if (ref.kind !== "data" || ref.type.kind !== "event" || !ref.signal) {
          report.error(
            "verilog/trigger",
            node.target.loc,
            "Only an event can be triggered.",
            "Declare it with 'event'.",
          );
          return nothing;
        }
        return { op: "trigger", signal: ref.signal, blocking: node.blocking, loc };
      }
      case "call":
        return this.call(node.call, loc, scope);
      case "return":
        return this.returns(node, scope);
      case "break":
      case "continue":
        return { op: node.kind, loc };
      case "concurrent":
        report.error(
          "verilog/assertion",
          loc,
          "A concurrent assertion stands beside the processes, not within one.",
          "Put it outside, with its clock: assert property (@(posedge clk) ...).",
        );
        return nothing;
      case "assert":
        return {
          op: "assert",
          word: node.word,
          label: node.label,
          test: exprs.condition(node.test, scope),
          pass: node.pass && this.bind(node.pass, scope),
          fail: node.fail && this.bind(node.fail, scope),
          text: this.host.sources.text(node.test.loc),
          instance: scope.instance,
          loc,
        };
    }
  }

  private count(node: ExprNode, scope: Scope): Expr {
    const { exprs } = this.host;
    const expr = exprs.selfDetermined(node, scope);
    return expr.form ? { op: "convert", arg: expr, width: 32, signed: true, loc: node.loc } : expr;
  }

  private child(scope: Scope, label: string): Scope {
    const name = label || `block${++scope.root.blockCount}`;
    return new Scope(scope, scope.instance, `${scope.prefix}${name}.`, label, "block");
  }

  private block(node: BlockStmt, scope: Scope): Stmt {
    let inner = scope;
    let id: BlockId | undefined;
    const locals: Signal[] = [];
    const body: Stmt[] = [];
    if (node.label !== null || node.decls.length) {
      const known = node.label !== null ? scope.own(node.label) : undefined;
      // blocks with names are known from the declarations, so that they can be named from elsewhere
      if (known?.kind === "block" && !this.used.has(known.scope)) {
        inner = known.scope;
        id = known.id;
        this.used.add(inner);
      } else {
        inner = this.child(scope, node.label ?? "");
        if (node.label !== null) {
          id = { name: node.label, disabled: false };
          if (
            !scope.declare(node.label, { kind: "block", scope: inner, id }) &&
            scope.own(node.label)?.kind !== "block"
          )
            this.duplicate(node.label, node.loc);
        }
      }
      for (const decl of node.decls) {
        if (decl.kind === "decl") this.declareLocals(decl, inner, locals, body, false);
        else if (decl.kind === "param") this.host.stmts.declareParam(decl, inner);
        else if (decl.kind === "typedef") this.declareType(decl, inner);
        else if (decl.kind === "let") this.host.lets.declare(decl, inner);
        else this.declareImport(decl.package, decl.name, decl.loc, inner);
      }
    }
    if (node.fork) {
      const branches = node.body.map((stmt) => this.bind(stmt, inner));
      const fork: Stmt = { op: "fork", join: node.fork, branches, id, loc: node.loc };
      return body.length || locals.length ? { op: "block", body: [...body, fork], locals, loc: node.loc } : fork;
    }
    for (const stmt of node.body) body.push(this.bind(stmt, inner));
    return { op: "block", body, ...(id ? { id } : {}), ...(locals.length ? { locals } : {}), loc: node.loc };
  }

  private readonly used = new Set<Scope>();

  declareParam(item: import("../../hdl/verilog/ast.ts").ParamItem, scope: Scope): void {
    const { exprs, types } = this.host;
    if (item.isType) {
      if (item.typeValue)
        scope.declare(item.name, { kind: "type", type: types.bind(item.typeValue, scope), loc: item.nameLoc });
      return;
    }
    const to = types.ofParameter(item, scope);
    if (to?.kind === "array") {
      this.arrayParam(item, to, item.value, scope, scope);
      return;
    }
    const constant = item.value ? exprs.constant(item.value, scope, "A parameter's value", to) : null;
    const own = constant ?? { value: { a: 0n, b: 0n }, type: to ?? integerType };
    // `parameter signed P = ...` takes the width of the value, and its own sign
    const sign = to === undefined && item.type.kind === "builtin" ? item.type.signed : null;
    const kept = sign !== null && own.type.kind === "integral" ? { ...own, type: { ...own.type, signed: sign } } : own;
    if (!scope.declare(item.name, { kind: "constant", constant: kept, loc: item.nameLoc }))
      this.duplicate(item.name, item.nameLoc);
  }

  /** An array of strings or reals as a parameter: a variable that nothing assigns, whose elements are known. */
  arrayParam(
    item: import("../../hdl/verilog/ast.ts").ParamItem,
    type: DataType & { kind: "array" },
    value: ExprNode | null,
    from: Scope,
    scope: Scope,
  ): void {
    const { exprs } = this.host;
    const { nameLoc: loc } = item;
    const signal = this.host.newSignal(item.name, loc, scope, { type, kind: "variable", isConst: true });
    if (!scope.declare(item.name, { kind: "signal", signal })) this.duplicate(item.name, loc);
    const body = value ? this.arrayAssign(value, signal, from, true, loc) : null;
    if (!body) return;
    const elements = new Map<number, AnyValue>();
    for (const stmt of body.op === "block" ? body.body : [body]) {
      if (stmt.op !== "assign") continue;
      const [part] = stmt.target.parts;
      let at = 0;
      part.index.forEach((index, d) => {
        const own = exprs.fold(index);
        at = at * sizeOf(signal.dims[d]) + (typeof own === "object" && own ? Number(own.a) : 0);
      });
      const known = exprs.fold(stmt.value);
      if (known === null)
        this.host.report.error(
          "verilog/not-constant",
          stmt.value.loc,
          "A parameter's value must be a constant.",
          "Use numbers, parameters, genvars and constant functions only.",
        );
      else elements.set(at, known);
    }
    this.host.constantArrays.set(signal, elements);
    this.host.startBy(body, signal, scope, loc);
  }

  declareType(item: import("../../hdl/verilog/ast.ts").TypedefItem, scope: Scope): void {
    const { types } = this.host;
    let type: DataType = types.withUnpacked(types.bind(item.type, scope), item.dims, scope);
    if (type.kind === "integral")
      type = { ...type, name: item.name, enumeration: type.enumeration && { ...type.enumeration, name: item.name } };
    if (!scope.declare(item.name, { kind: "type", type, loc: item.nameLoc })) this.duplicate(item.name, item.nameLoc);
  }

  declareImport(pack: string, name: string | null, loc: Loc, scope: Scope): void {
    const from = this.host.packageScope(pack, loc);
    if (!from) return;
    if (name === null) {
      if (!scope.imports.includes(from)) scope.imports.push(from);
      return;
    }
    const meaning = from.own(name);
    if (!meaning) {
      const near = nearestName(name, from.ownNames());
      this.host.report.error(
        "verilog/undeclared",
        loc,
        `Package '${pack}' has no '${name}'.`,
        near ? `Did you mean '${near}'?` : "Correct the name.",
      );
    } else if (!scope.declare(name, meaning) && scope.own(name) !== meaning) this.duplicate(name, loc);
  }

  /** What a package imports and gives on (IEEE 1800-2017 clause 26.6). */
  declareExport(pack: string, name: string | null, loc: Loc, scope: Scope): void {
    if (pack === "*") {
      scope.exports.push(...scope.imports.filter((each) => !scope.exports.includes(each)));
      return;
    }
    const from = this.host.packageScope(pack, loc);
    if (!from || from === scope) return;
    if (name !== null) this.declareImport(pack, name, loc, scope);
    else if (!scope.exports.includes(from)) scope.exports.push(from);
  }

  private duplicate(name: string, loc: Loc): void {
    this.host.report.error(
      "verilog/duplicate",
      loc,
      `'${name}' is declared twice in the same scope.`,
      "Rename or remove one of them.",
    );
  }

  /** Variables of a block or subroutine. Their start values become assignments, or constants for static ones. */
  declareLocals(decl: DeclItem, scope: Scope, locals: Signal[], init: Stmt[], loop: boolean): void {
    const { exprs, types } = this.host;
    const base = types.bind(decl.type, scope);
    const automatic = loop || (decl.lifetime ? decl.lifetime === "automatic" : scope.automatic);
    for (const declared of decl.names) {
      const type = types.withUnpacked(base, declared.dims, scope);
      const inside = scope.subroutine !== null;
      const signal = this.host.newSignal(declared.name, declared.loc, scope, {
        type,
        kind: automatic || inside ? "local" : "variable",
        automatic,
        isConst: decl.isConst,
      });
      if (!scope.declare(declared.name, { kind: "signal", signal })) this.duplicate(declared.name, declared.loc);
      if (automatic) locals.push(signal);
      if (scope.subroutine) scope.subroutine.locals.push(signal);
      if (!declared.init) {
        const first = type.kind === "integral" ? defaultOf(type) : null;
        if (first && type.kind === "integral") {
          const { width, signed } = type;
          if (automatic || inside)
            init.push(
              this.plain(signal, { op: "const", value: first, width, signed, loc: declared.loc }, declared.loc),
            );
          else signal.init = first;
        }
        continue;
      }
      if (type.kind === "container") {
        const base = { kind: "array" as const, signal, loc: declared.loc };
        init.push(this.host.containers.assignWhole(base, type, declared.init, scope, declared.loc));
        continue;
      }
      if (type.kind === "array") {
        const made = this.arrayAssign(declared.init, signal, scope, true, declared.loc);
        if (made) init.push(made);
        continue;
      }
      const value = exprs.assigned(declared.init, type, scope);
      if (automatic) init.push(this.plain(signal, value, declared.loc));
      else {
        const known = exprs.fold(value);
        if (known !== null && typeof known === "object") signal.init = known;
        else init.push(this.plain(signal, value, declared.loc));
      }
    }
  }

  plain(signal: Signal, value: Expr, loc: Loc): Stmt {
    const part = { signal, width: signal.width, index: [], offset: 0, loc };
    const form = formOf(signal.type);
    return {
      op: "assign",
      target: { parts: [part], width: signal.width, loc, ...(form ? { form } : {}) },
      value,
      blocking: true,
      intra: null,
      loc,
    };
  }

  private targetType(node: ExprNode, target: Target, scope: Scope): DataType {
    if (node.kind !== "concat" && node.kind !== "pattern" && node.kind !== "stream") {
      const type = this.host.exprs.dataTypeOf(node, scope);
      if (type.kind !== "integral" || type.width === target.width) return type;
    }
    return vectorType(target.width);
  }

  private assign(node: StmtNode & { kind: "assign" }, scope: Scope): Stmt {
    const { refs, exprs } = this.host;
    const { loc } = node;
    const through = this.host.virtuals.find(node.target, scope);
    if (through)
      return this.host.virtuals.dispatch(node.target, through, scope, (target) =>
        this.assign({ ...node, target }, scope),
      );
    const container = this.host.containers.assign(node, scope);
    if (container) return container;
    if (refs.isReference(node.target)) {
      const ref = refs.resolve(node.target, scope);
      if (ref?.kind === "data" && ref.signal && ref.type.kind === "array")
        return this.arrayStatement(node, ref, scope) ?? nothing;
      if (ref?.kind === "data" && ref.store) {
        if (!node.blocking || node.intra) {
          this.host.report.error(
            "verilog/target",
            loc,
            "A variable of an object takes only plain '=' assignments.",
            "Write '=' without a delay.",
          );
          return nothing;
        }
        if (ref.type === ref.storeType && !ref.readOnly) {
          const source: ExprNode = node.op
            ? { kind: "binary", op: node.op, left: node.target, right: node.value, loc }
            : node.value;
          return ref.store(exprs.assigned(source, ref.type, scope));
        }
      }
    }
    const target = refs.target(node.target, scope);
    if (!target) {
      exprs.selfDetermined(node.value, scope);
      return nothing;
    }
    checkTargets(this.host, target, node, scope);
    const type = this.targetType(node.target, target, scope);
    let source = node.value;
    if (node.op) {
      const isShift = node.op === "<<" || node.op === ">>" || node.op === "<<<" || node.op === ">>>";
      source = {
        kind: "binary",
        op: node.op,
        left: node.target,
        right: isShift ? node.value : node.value,
        loc: node.loc,
      };
    }
    if (!node.op) checkTruncation(this.host, target.width, node.value, scope, loc);
    const value = exprs.assigned(source, type, scope);
    let intra: (Stmt & { op: "assign" })["intra"] = null;
    if (node.intra) {
      const { delay, repeat, events } = node.intra;
      intra = {
        delay: delay && this.delay(delay, scope),
        repeat: repeat && this.count(repeat, scope),
        events: events === null ? null : events === "star" ? [] : this.events(events, scope),
      };
    }
    return { op: "assign", target, value, blocking: node.blocking, intra, loc, opLoc: node.opLoc };
  }

  private arrayStatement(node: StmtNode & { kind: "assign" }, ref: DataRef, scope: Scope): Stmt | null {
    if (node.op || node.intra) {
      this.host.report.error(
        "verilog/array-value",
        node.loc,
        "An array takes a plain assignment only.",
        "Assign its elements one by one.",
      );
      return null;
    }
    return this.arrayAssign(node.value, ref.signal!, scope, node.blocking, node.loc, ref);
  }

  /** Whole arrays: copied element by element, or from a pattern. */
  arrayAssign(node: ExprNode, signal: Signal, scope: Scope, blocking: boolean, loc: Loc, into?: DataRef): Stmt | null {
    const { refs, exprs, report } = this.host;
    const to: DataRef = into ?? {
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
    const body: Stmt[] = [];
    const elementOf = (ref: DataRef, i: number): DataRef => refs.elementAt({ ...ref, loc }, i);
    const put = (ref: DataRef, source: ExprNode): void => {
      const { type } = ref;
      if (type.kind !== "array") {
        const target = refs.targetOf(ref);
        if (target)
          body.push({ op: "assign", target, value: exprs.assigned(source, type, scope), blocking, intra: null, loc });
        return;
      }
      const size = sizeOf(type.dim);
      if (source.kind === "pattern" || source.kind === "concat") {
        const up = type.dim.left <= type.dim.right;
        const items = source.kind === "pattern" ? source.items : source.parts.map((value) => ({ key: null, value }));
        const repeat =
          source.kind === "pattern" && source.count
            ? (exprs.integer(source.count, scope, "A replication count") ?? 1)
            : 1;
        const listed = items.filter((item) => item.key === null);
        const fallback = items.find((item) => item.key === "default");
        if (listed.length && listed.length * repeat !== size)
          report.error(
            "verilog/pattern",
            source.loc,
            `This gives ${listed.length * repeat} value(s) for ${size} elements.`,
            "Give one for each element, or use default:.",
          );
        const low = Math.min(type.dim.left, type.dim.right);
        const keyed = new Map<number, ExprNode>();
        for (const item of items) {
          if (item.key === null || item.key === "default") continue;
          const key = exprs.integer(item.key, scope, "The key of a pattern");
          if (key !== null) keyed.set(key - low, item.value);
        }
        for (let i = 0; i < size; i++) {
          const at = up ? i : size - 1 - i;
          const own =
            keyed.get(at) ?? (listed.length ? listed[i % listed.length]?.value : undefined) ?? fallback?.value;
          if (own) put(elementOf(ref, at), own);
        }
        return;
      }
      const vector = source.kind === "stream" || source.kind === "unstream" ? asVector(type) : null;
      if (vector) {
        unpack(ref, source, vector);
        return;
      }
      const from = refs.isReference(source) ? refs.resolve(source, scope) : null;
      const carried = from?.kind !== "data" || from.type.kind !== "array" ? exprs.dataTypeOf(source, scope) : null;
      if (carried?.kind === "integral" && carried.unpacked) {
        unpack(ref, source, carried);
        return;
      }
      if (from?.kind !== "data" || from.type.kind !== "array") {
        const nested = type.element.kind !== "array" && source.kind !== "name";
        if (nested && (source.kind === "number" || source.kind === "fill")) {
          // the default of an outer pattern reaches every element
          for (let i = 0; i < size; i++) put(elementOf(ref, i), source);
          return;
        }
        report.error(
          "verilog/array-value",
          source.loc,
          "An array needs another array, or a pattern '{...}.",
          "Write '{default: value} to fill it.",
        );
        return;
      }
      copy(ref, from);
    };
    /** From the vector that carries an array, such as the value of a function. */
    const unpack = (ref: DataRef, source: ExprNode, type: IntegralType): void => {
      const vector = ref.type.kind === "array" ? asVector(ref.type) : null;
      if (!vector || vector.width !== type.width || vector.unpacked!.element.width !== type.unpacked!.element.width) {
        report.error(
          "verilog/array-size",
          source.loc,
          `A ${typeText(type)} cannot be assigned to a ${typeText(ref.type)}.`,
          "Make them the same size.",
        );
        return;
      }
      // worked out once, then taken apart
      const held = this.host.newSignal("array value", source.loc, scope, { type, kind: "local", automatic: false });
      const value = exprs.assigned(source, type, scope);
      body.push(this.plain(held, value, loc));
      const whole: Expr = { op: "signal", signal: held, width: type.width, signed: false, loc };
      const { width } = vector.unpacked!.element;
      const list = refs.elements(ref);
      list.forEach((each, i) => {
        const target = refs.targetOf(each);
        const slice: Expr = { op: "slice", arg: whole, lsb: (list.length - 1 - i) * width, width, signed: false, loc };
        if (target) body.push({ op: "assign", target, value: slice, blocking, intra: null, loc });
      });
    };
    const copy = (ref: DataRef, from: DataRef): void => {
      if (ref.type.kind !== "array" || from.type.kind !== "array") {
        const target = refs.targetOf(ref);
        if (target && ref.type.kind !== "array") {
          const value = refs.read(from);
          const { width } = typeOfData(ref.type);
          body.push({
            op: "assign",
            target,
            value: value.form ? value : exprs.resize(value, width, loc),
            blocking,
            intra: null,
            loc,
          });
        }
        return;
      }
      const size = sizeOf(ref.type.dim);
      if (size !== sizeOf(from.type.dim)) {
        report.error(
          "verilog/array-size",
          loc,
          `An array of ${sizeOf(from.type.dim)} elements cannot be assigned to one of ${size}.`,
          "Make them the same size.",
        );
        return;
      }
      const same = ref.type.dim.left <= ref.type.dim.right === from.type.dim.left <= from.type.dim.right;
      const { element } = unpackedDims(ref.type);
      const inner = unpackedDims(from.type).element;
      if (
        same &&
        ref.index.length === 0 &&
        from.index.length === 0 &&
        ref.type === ref.signal?.type &&
        from.type === from.signal?.type &&
        ref.signal &&
        from.signal &&
        element.kind === inner.kind
      ) {
        const widths = ref.signal.width === from.signal.width;
        if (
          widths &&
          ref.signal.dims.every(
            (dim, d) => d === 0 || dim.left <= dim.right === from.signal!.dims[d].left <= from.signal!.dims[d].right,
          )
        ) {
          this.host.noteRead(from.signal);
          const count = ref.signal.dims.reduce((product, dim) => product * sizeOf(dim), 1);
          body.push({
            op: "arraycopy",
            target: ref.signal,
            from: from.signal,
            targetStart: 0,
            fromStart: 0,
            count,
            blocking,
            loc,
          });
          return;
        }
      }
      for (let i = 0; i < size; i++) copy(elementOf(ref, i), elementOf(from, same ? i : size - 1 - i));
    };
    put(to, node);
    return { op: "block", body, loc };
  }

  private caseStmt(node: StmtNode & { kind: "case" }, scope: Scope): Stmt {
    const { exprs } = this.host;
    const { loc } = node;
    const extra = { check: node.check, loc, endLoc: node.endLoc };
    const fallback = () => node.fallback && this.bind(node.fallback, scope);
    if (node.flavour === "inside") {
      const subject = exprs.selfDetermined(node.subject, scope);
      const items = node.items.map((item) => ({
        labels: item.labels
          .flatMap((label) => exprs.elementsIn(label, scope) ?? [label])
          .map((label) => exprs.membership(node.subject, label, scope)),
        body: this.bind(item.body, scope),
        loc: item.loc,
      }));
      return { op: "case", flavour: "inside", subject, items, fallback: fallback(), ...extra };
    }
    const labels = node.items
      .flatMap((item) => item.labels)
      .filter((label): label is ExprNode => label.kind !== "span");
    const types = [node.subject, ...labels].map((expr) => exprs.typeOf(expr, scope));
    let sized: (expr: ExprNode) => Expr;
    if (types.some((type) => type.form === "string")) sized = (expr) => exprs.string(expr, scope);
    else if (types.some((type) => type.form)) sized = (expr) => exprs.real(expr, scope);
    else {
      // subject and labels share one size and sign (clause 9.5)
      const width = types.reduce((most, type) => Math.max(most, type.width), 1);
      const signed = types.every((type) => type.signed);
      sized = (expr) => exprs.contextual(expr, width, signed, scope);
    }
    const items = node.items.map((item) => ({
      labels: item.labels.map((label) => {
        if (label.kind !== "span") return sized(label);
        this.host.report.error(
          "verilog/case",
          label.loc,
          "A range of values needs 'case (...) inside'.",
          "Add 'inside'.",
        );
        return exprs.unknown(1, label.loc);
      }),
      body: this.bind(item.body, scope),
      loc: item.loc,
    }));
    return { op: "case", flavour: node.flavour, subject: sized(node.subject), items, fallback: fallback(), ...extra };
  }

  private foreach(node: StmtNode & { kind: "foreach" }, scope: Scope): Stmt {
    const { refs, report, exprs } = this.host;
    const { loc } = node;
    const ref = refs.resolve(node.array, scope);
    if (!ref) return nothing;
    const inner = this.child(scope, "");
    const locals: Signal[] = [];
    const loops: { signal: Signal; from: number; to: number }[] = [];
    let length: Signal | null = null;
    if (ref.kind === "data" && ref.type.kind === "string" && ref.signal) length = ref.signal;
    if (ref.kind === "data" && ref.type.kind === "container") return this.foreachIn(node, ref, ref.type, inner, scope);
    const type = ref.kind === "data" ? ref.type : vectorType(1);
    const { dims, element } = unpackedDims(type);
    const all = [
      ...dims,
      ...(element.kind === "integral"
        ? element.dims.length
          ? element.dims
          : element.width > 1
            ? [{ left: element.width - 1, right: 0 }]
            : []
        : []),
    ];
    node.names.forEach((name, d) => {
      if (!name) return;
      if (!all[d] && !length) {
        report.error(
          "verilog/foreach",
          name.loc,
          `'${this.host.sources.text(node.array.loc)}' has only ${all.length} dimension(s).`,
          "Remove the extra variables.",
        );
        return;
      }
      const signal = this.host.newSignal(name.name, name.loc, inner, {
        type: vectorType(32, true, false),
        kind: "local",
        automatic: true,
      });
      inner.declare(name.name, { kind: "signal", signal });
      if (scope.subroutine) scope.subroutine.locals.push(signal);
      locals.push(signal);
      const dim = all[d] ?? { left: 0, right: 0 };
      loops.push({ signal, from: dim.left, to: dim.right });
    });
    let body = this.bind(node.body, inner);
    for (let i = loops.length - 1; i >= 0; i--) {
      const { signal, from, to } = loops[i];
      const read: Expr = { op: "signal", signal, width: 32, signed: true, loc };
      const up = to >= from;
      const limit: Expr = length
        ? {
            op: "system",
            name: "string.len",
            args: [
              { kind: "expr", expr: { op: "signal", signal: length, width: 0, signed: false, form: "string", loc } },
            ],
            width: 32,
            signed: true,
            loc,
          }
        : exprs.number(BigInt(to), 32, loc);
      const kind = length ? "lt" : up ? "le" : "ge";
      const one = exprs.number(1n, 32, loc);
      const next: Expr = {
        op: "binary",
        kind: up ? "add" : "sub",
        left: read,
        right: one,
        operandSigned: true,
        width: 32,
        signed: true,
        loc,
      };
      body = {
        op: "loop",
        init: this.plain(signal, exprs.number(BigInt(from), 32, loc), loc),
        test: { op: "binary", kind, left: read, right: limit, operandSigned: true, width: 1, signed: false, loc },
        after: false,
        step: this.plain(signal, next, loc),
        body,
        loc,
      };
    }
    return { op: "block", body: [body], locals, loc };
  }

  /** Over a container: by place, with the key of each place in the loop's variable. */
  private foreachIn(
    node: StmtNode & { kind: "foreach" },
    from: DataRef,
    type: ContainerType,
    inner: Scope,
    scope: Scope,
  ): Stmt {
    const { containers, exprs, report } = this.host;
    const { loc } = node;
    const [name, ...more] = node.names;
    if (more.some((each) => each !== null))
      report.error("verilog/foreach", loc, "This array has only one dimension.", "Remove the extra variables.");
    const local = (text: string, own: DataType): Signal => {
      const made = this.host.newSignal(text, name?.loc ?? loc, inner, { type: own, kind: "local", automatic: true });
      if (scope.subroutine) scope.subroutine.locals.push(made);
      return made;
    };
    const place = local("place", vectorType(32, true, false));
    const key = name ? local(name.name, keyTypeOf(type)) : null;
    if (name && key) inner.declare(name.name, { kind: "signal", signal: key });
    const read: Expr = { op: "signal", signal: place, width: 32, signed: true, loc };
    const body = this.bind(node.body, inner);
    const set = key ? [this.plain(key, containers.keyAt(from, type, read, loc), loc)] : [];
    const make = { operandSigned: true, signed: false, loc };
    const test: Expr = { op: "binary", kind: "lt", left: read, right: containers.size(from, loc), width: 1, ...make };
    const one = exprs.number(1n, 32, loc);
    const next: Expr = { op: "binary", kind: "add", left: read, right: one, width: 32, ...make, signed: true };
    const loop: Stmt = {
      op: "loop",
      init: this.plain(place, exprs.number(0n, 32, loc), loc),
      test,
      after: false,
      step: this.plain(place, next, loc),
      body: { op: "block", body: [...set, body], loc },
      loc,
    };
    return { op: "block", body: [loop], locals: key ? [place, key] : [place], loc };
  }

  delay(node: DelayNode, scope: Scope): DelayModel {
    const { exprs } = this.host;
    const values = node.values.map((value) => {
      const expr = exprs.selfDetermined(value, scope);
      return expr.form === "string" ? exprs.number(0n, 32, node.loc) : expr;
    });
    return { values, timeScale: scope.instance.timeScale };
  }

  events(list: Exclude<EventControl, "star">, scope: Scope): EventModel[] {
    const { refs, exprs } = this.host;
    const edges = { posedge: "pos", negedge: "neg", edge: "both" } as const;
    return list.flatMap((written): EventModel[] => {
      const term = { ...written, signal: this.host.standsFor(written.signal, scope) };
      const guard = term.guard && exprs.condition(term.guard, scope);
      const edge = term.edge && edges[term.edge];
      if (refs.isReference(term.signal)) {
        const ref = refs.resolve(term.signal, scope);
        if (!ref) return [];
        if (ref.kind === "data" && ref.signal && ref.type.kind === "event") {
          const { signal } = ref;
          return [
            { edge, guard, expr: { op: "signal", signal, width: 1, signed: false, loc: term.loc }, loc: term.loc },
          ];
        }
        if (ref.kind === "data" && ref.signal && ref.type.kind === "array") {
          const { signal } = ref;
          this.host.noteRead(signal);
          return [
            {
              edge,
              guard,
              expr: { op: "signal", signal, width: signal.width, signed: false, loc: term.loc },
              loc: term.loc,
            },
          ];
        }
      }
      const expr = exprs.selfDetermined(term.signal, scope);
      if (edge && (expr.form || expr.width > 1) && !expr.form) {
        this.host.report.warn(
          "verilog/event-width",
          term.loc,
          `An edge looks at the lowest bit only; '${this.host.sources.text(term.signal.loc)}' has ${expr.width}.`,
          "Name the bit that is meant.",
        );
        return [
          {
            edge,
            guard,
            expr: { op: "slice", arg: expr, lsb: 0, width: 1, signed: false, loc: expr.loc },
            loc: term.loc,
          },
        ];
      }
      return [{ edge, guard, expr, loc: term.loc }];
    });
  }

  private starEvents(body: Stmt, loc: Loc): EventModel[] {
    const read = new Set<Signal>();
    readsOf(body, read);
    return [...read].map((signal) => ({
      edge: null,
      guard: null,
      expr: {
        op: "signal",
        signal,
        width: signal.width,
        signed: signal.signed,
        loc,
        ...(formOf(signal.type) ? { form: formOf(signal.type) } : {}),
      } as Expr,
      loc,
    }));
  }

  private disable(node: StmtNode & { kind: "disable" }, scope: Scope): Stmt {
    const { refs, report } = this.host;
    const { loc } = node;
    if (!node.target) return { op: "disable", block: null, loc };
    const ref = refs.resolve(node.target, scope);
    if (!ref) return nothing;
    if (ref.kind === "block") {
      ref.id.disabled = true;
      return { op: "disable", block: ref.id, loc };
    }
    if (ref.kind === "subroutine") {
      const sub = this.host.subroutine(ref, false);
      if (scope.subroutine === sub) return { op: "return", loc };
      sub.id.disabled = true;
      return { op: "disable", block: sub.id, loc };
    }
    report.error(
      "verilog/disable",
      node.target.loc,
      "Only a named block or a task can be disabled.",
      "Give the block a name.",
    );
    return nothing;
  }

  private returns(node: StmtNode & { kind: "return" }, scope: Scope): Stmt {
    const { report, exprs } = this.host;
    const { loc } = node;
    const sub = scope.subroutine;
    if (!sub) {
      report.error("verilog/return", loc, "There is nothing to return from here.", "Use it in a function or task.");
      return nothing;
    }
    if (!node.value) {
      if (sub.result && !sub.task)
        report.warn(
          "verilog/return",
          loc,
          `'${sub.name}' returns a value; none is given here.`,
          "Write return value;.",
        );
      return { op: "return", loc };
    }
    if (!sub.result) {
      report.error("verilog/return", loc, `'${sub.name}' gives no value back.`, "Write return;.");
      return { op: "return", loc };
    }
    const value = exprs.assigned(node.value, sub.result.type, scope);
    return { op: "block", body: [this.plain(sub.result, value, loc), { op: "return", loc }], loc };
  }

  /** Works a value out, for what comes with it. */
  evaluated(expr: Expr, loc: Loc): Stmt {
    return { op: "eval", expr, loc };
  }

  private call(node: ExprNode, loc: Loc, scope: Scope): Stmt {
    const { refs, report, calls, virtuals } = this.host;
    const named = node.kind === "step" ? node.target : node;
    const through = virtuals.find(named, scope);
    if (through)
      return virtuals.dispatch(named, through, scope, (made) =>
        this.call(node.kind === "step" ? { ...node, target: made } : made, loc, scope),
      );
    if (node.kind === "step") {
      const container = this.host.containers.step(node, scope);
      if (container) return container;
      const target = refs.target(node.target, scope);
      if (target) checkTargets(this.host, target, { target: node.target, blocking: true, loc }, scope);
      const expr = calls.step(node, scope);
      if (expr.op !== "step") return nothing;
      return { op: "assign", target: expr.target, value: expr.value, blocking: true, intra: null, loc };
    }
    const made: CallNode = node.kind === "call" ? node : { kind: "call", callee: node, args: [], loc };
    const { callee } = made;
    if (callee.kind === "name" && callee.name.startsWith("$")) {
      const { name } = callee;
      const task = systemTasks.get(name);
      if (!task) {
        if (/^\$(clog2|bits|time|realtime|signed|unsigned)/.test(name)) {
          report.warn("verilog/unused-result", loc, `The result of ${name} is not used.`, "Remove the call.");
          return nothing;
        }
        const near = nearestName(name, systemTasks.keys());
        report.error(
          "verilog/system-task",
          loc,
          `There is no system task ${name}.`,
          near ? `Did you mean ${near}?` : "Correct the name.",
        );
        return nothing;
      }
      if (made.args.length < task.least) {
        report.error(
          "verilog/arguments",
          loc,
          `${name} takes at least ${task.least} ${task.least === 1 ? "argument" : "arguments"}, and has ${made.args.length}.`,
          "Give what is missing.",
        );
        return nothing;
      }
      return {
        op: "system",
        name,
        args: calls.systemArgs(name, made.args, scope),
        instance: scope.instance,
        scope: scope.prefix,
        loc,
      };
    }
    if (callee.kind === "member" || callee.kind === "name" || callee.kind === "scoped") {
      if (callee.kind === "member") {
        const head = callee.base.kind === "name" ? scope.find(callee.base.name) : undefined;
        if (
          head?.kind === "signal" &&
          head.signal.type.kind === "string" &&
          /^(putc|itoa|hextoa|bintoa|octtoa|realtoa)$/.test(callee.name)
        ) {
          return this.stringTask(callee, made, head.signal, scope);
        }
        const superNew = this.superNew(callee, made, scope);
        if (superNew) return superNew;
        const isData =
          head?.kind === "signal" ||
          head?.kind === "property" ||
          callee.base.kind !== "name" ||
          /^(this|super)$/.test(callee.base.name);
        const base = isData ? calls.methodBase(callee, scope) : null;
        if (base?.type.kind === "container") {
          const stmt = this.host.containers.statement(base, base.type, callee.name, made, scope);
          if (stmt) return stmt;
        }
        if (base?.type.kind === "class") {
          const found = calls.methodOf(base, callee, scope);
          return found ? this.callOf(found.sub, made, loc, scope, found.self) : nothing;
        }
        if (head?.kind === "signal" || head?.kind === "property") {
          calls.build(made, scope);
          return nothing;
        }
      }
      const ref = calls.callee(callee, scope);
      if (!ref) return nothing;
      if (ref.kind === "subroutine" && ref.method) {
        const found = calls.ownMethod(ref, scope, loc);
        return found ? this.callOf(found.sub, made, loc, scope, found.self) : nothing;
      }
      if (ref.kind === "subroutine") return this.callOf(this.host.subroutine(ref, false), made, loc, scope, null);
    }
    report.error("verilog/statement", loc, "This is no statement.", "Assign the value to something, or call a task.");
    return nothing;
  }

  /** `super.new(...)` by itself. */
  private superNew(callee: ExprNode & { kind: "member" }, made: CallNode, scope: Scope): Stmt | null {
    if (callee.name !== "new" || callee.base.kind !== "name" || callee.base.name !== "super") return null;
    const { classes, refs } = this.host;
    const ref = refs.resolve(callee.base, scope);
    if (ref?.kind !== "data" || ref.type.kind !== "class" || !ref.type.info) return nothing;
    return classes.superNew(made.args, ref.type.info, refs.read(ref), scope, made.loc);
  }

  private callOf(sub: Subroutine, made: CallNode, loc: Loc, scope: Scope, self: Expr | null): Stmt {
    const { calls, report } = this.host;
    const args = calls.arguments(sub, made.args, loc, scope, self);
    if (!args) return nothing;
    if (!sub.task && sub.result && scope.instance.kind !== "package" && !voidCast(this.host.sources.text(loc)))
      report.add(
        "note",
        "verilog/unused-result",
        loc,
        `The value of '${sub.name}' is not used.`,
        "Write void'(...) around the call if that is meant.",
      );
    return { op: "call", sub, args, loc };
  }

  private stringTask(callee: ExprNode & { kind: "member" }, node: CallNode, signal: Signal, scope: Scope): Stmt {
    const { exprs } = this.host;
    const read: Expr = { op: "signal", signal, width: 0, signed: false, form: "string", loc: node.loc };
    const args = node.args.map((arg) => ({
      kind: "expr" as const,
      expr: arg.value ? exprs.selfDetermined(arg.value, scope) : exprs.number(0n, 32, node.loc),
    }));
    const value: Expr = {
      op: "system",
      name: `string.${callee.name}`,
      args: [{ kind: "expr", expr: read }, ...args],
      width: 0,
      signed: false,
      form: "string",
      loc: node.loc,
    };
    return this.plain(signal, value, node.loc);
  }
}

const voidCast = (text: string) => text.startsWith("void");
