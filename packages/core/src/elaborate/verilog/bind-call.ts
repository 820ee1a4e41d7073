import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { CallArg, CallNode, ExprNode } from "../../hdl/verilog/ast.ts";
import type { AnyValue, Expr, Subroutine, SystemArg, Target } from "../model.ts";
import type { Meaning, Scope } from "../scope.ts";
import { systemFunctions, systemValue, writesArgument } from "../system-functions.ts";
import { systemTasks } from "../system-tasks.ts";
import {
  bitsOf,
  type DataType,
  type Dim,
  elementOf,
  formOf,
  integerType,
  realType,
  sizeOf,
  stringType,
  typeText,
  unpackedDims,
  vectorType,
  voidType,
} from "../types.ts";
import type { DataRef, Ref } from "./bind-ref.ts";
import type { Host } from "./host.ts";
import { Properties } from "./properties.ts";
import { noInterface } from "./virtual-interfaces.ts";

const int = vectorType(32, true, false);
const oneBit = vectorType(1, false, false);
const sizeQueries = new Set("$size $left $right $low $high $increment".split(" "));

/** Calls: of functions, of system functions, of methods of enumerations and strings. */
export class Calls {
  constructor(private readonly host: Host) {}

  typeOf(node: CallNode, scope: Scope): DataType | null {
    const { callee, args } = node;
    const { exprs } = this.host;
    if (callee.kind === "name" && callee.name.startsWith("$")) {
      const { name } = callee;
      if (name === noInterface) return oneBit;
      if (name === "$signed" || name === "$unsigned") {
        const width = args[0]?.value ? exprs.typeOf(args[0].value, scope).width : 1;
        return vectorType(Math.max(1, width), name === "$signed");
      }
      if (/^\$(rose|fell|stable|changed)$/.test(name)) return oneBit;
      if ((name === "$past" || name === "$sampled") && args[0]?.value) return exprs.dataTypeOf(args[0].value, scope);
      if (name === "$abs" && args[0]?.value) return exprs.dataTypeOf(args[0].value, scope);
      return systemFunctions[name]?.type ?? integerType;
    }
    if (callee.kind === "member") {
      const base = this.methodBase(callee, scope);
      if (base?.type.kind === "class" && base.type.info) {
        const meaning = base.type.info.scope.own(callee.name);
        if (meaning?.kind === "subroutine") return this.host.subroutine(meaning, false).result?.type ?? voidType;
        return null;
      }
      if (base) return this.method(base, callee.name, node, scope, true)?.type ?? null;
    }
    const ref = this.callee(callee, scope);
    if (ref?.kind !== "subroutine") return null;
    return this.host.subroutine(ref, false).result?.type ?? voidType;
  }

  /** What a call names. Within a function its name means its result, but with arguments it means itself. */
  callee(node: ExprNode, scope: Scope): Ref {
    if (node.kind === "name") {
      for (let at: Scope | null = scope; at; at = at.parent) {
        const meaning = at.local(node.name);
        if (meaning?.kind === "subroutine") return meaning;
      }
    }
    return this.host.refs.resolve(node, scope);
  }

  /** The data that a method is called on, or null if the name is that of a subroutine in another scope. */
  methodBase(callee: ExprNode & { kind: "member" }, scope: Scope): DataRef | null {
    const { refs, exprs } = this.host;
    if (callee.base.kind === "call") {
      const type = exprs.dataTypeOf(callee.base, scope);
      return type.kind === "class" || type.kind === "container" || type.kind === "string"
        ? refs.ofValue(this.build(callee.base, scope), type)
        : null;
    }
    if (
      callee.base.kind === "name" &&
      callee.base.name !== "this" &&
      callee.base.name !== "super" &&
      scope.find(callee.base.name)?.kind !== "property" &&
      scope.find(callee.base.name)?.kind !== "signal" &&
      scope.find(callee.base.name)?.kind !== "constant"
    )
      return null;
    if (!refs.isReference(callee.base)) return null;
    const base = refs.resolve(callee.base, scope);
    return base?.kind === "data" ? base : null;
  }

  build(node: CallNode, scope: Scope): Expr {
    const { callee, args, loc } = node;
    const { report, exprs } = this.host;
    if (callee.kind === "name" && callee.name === noInterface) return this.host.virtuals.none(loc);
    if (callee.kind === "name" && callee.name.startsWith("$")) return this.system(callee.name, args, loc, scope);
    if (callee.kind === "member") {
      const base = this.methodBase(callee, scope);
      if (base?.type.kind === "class") {
        const found = this.methodOf(base, callee, scope);
        return found ? this.callOf(found.sub, args, loc, scope, found.self) : exprs.unknown(1, loc);
      }
      if (base) {
        const made = this.method(base, callee.name, node, scope);
        if (made) return made.expr;
        report.error(
          "verilog/method",
          callee.nameLoc,
          `A ${typeText(base.type)} has no method '${callee.name}'.`,
          "Correct the name.",
        );
        return exprs.unknown(1, loc);
      }
    }
    const ref = this.callee(callee, scope);
    if (ref?.kind !== "subroutine") {
      if (ref)
        report.error(
          "verilog/value",
          callee.loc,
          `'${this.host.sources.text(callee.loc)}' is no function.`,
          "Correct the name.",
        );
      return exprs.unknown(1, loc);
    }
    if (ref.method) {
      const found = this.ownMethod(ref, scope, loc);
      return found ? this.callOf(found.sub, args, loc, scope, found.self) : exprs.unknown(1, loc);
    }
    const func = this.host.subroutine(ref, scope.kind !== "subroutine" || ref.sub === null);
    return this.callOf(func, args, loc, scope, null);
  }

  /** A method by its name alone, or behind the name of its class. */
  ownMethod(
    ref: Meaning & { kind: "subroutine" },
    scope: Scope,
    loc: Loc,
  ): { sub: Subroutine; self: Expr | null } | null {
    const sub = this.host.classes.called(ref, false);
    if (ref.method!.isStatic) return { sub, self: null };
    const self = this.host.classes.self(scope, loc);
    return self && { sub, self: self.value! };
  }

  /** A method of an object; null after a finding. */
  methodOf(
    base: DataRef,
    callee: ExprNode & { kind: "member" },
    scope: Scope,
  ): { sub: Subroutine; self: Expr | null } | null {
    const { classes, refs, report } = this.host;
    const { type } = base;
    if (type.kind !== "class" || !type.info) return null;
    if (callee.name === "randomize") {
      report.error(
        "verilog/unsupported",
        callee.nameLoc,
        "Objects are not randomized.",
        "Draw the values with $urandom_range in a method.",
      );
      return null;
    }
    const meaning = classes.find(type.info, callee.name, callee.nameLoc);
    if (!meaning) return null;
    if (meaning.kind !== "subroutine" || !meaning.method) {
      report.error("verilog/method", callee.nameLoc, `'${callee.name}' is no method.`, "Take the parentheses away.");
      return null;
    }
    classes.mayUse(callee.name, meaning.method.owner, meaning.method.access, scope, callee.nameLoc);
    const sub = classes.called(meaning, base.isSuper === true);
    return { sub, self: meaning.method.isStatic ? null : refs.read(base) };
  }

  private callOf(func: Subroutine, args: readonly CallArg[], loc: Loc, scope: Scope, self: Expr | null): Expr {
    const { report, exprs } = this.host;
    if (func.task || !func.result) {
      report.error(
        "verilog/value",
        loc,
        func.task
          ? `'${func.name}' is a task: it gives no value.`
          : `'${func.name}' is a void function: it gives no value.`,
        "Call it as a statement, or make it a function.",
      );
      return exprs.unknown(1, loc);
    }
    const bound = this.arguments(func, args, loc, scope, self);
    const { result } = func;
    const { type } = result;
    const form = formOf(type);
    if (!bound)
      return form ? exprs.ofConstant({ value: form === "real" ? 0 : "", type }, loc) : exprs.unknown(result.width, loc);
    return {
      op: "call",
      func,
      args: bound,
      width: result.width,
      signed: result.signed,
      loc,
      ...(form ? { form } : {}),
    };
  }

  /** Arguments in the order of the declaration; null after a finding. */
  arguments(
    sub: Subroutine,
    args: readonly CallArg[],
    loc: Loc,
    scope: Scope,
    /** The object that a method works on. */
    self: Expr | null = null,
  ): (Expr | Target)[] | null {
    const { report, exprs, refs } = this.host;
    const hidden = self ? 1 : 0;
    const given = new Array<ExprNode | null>(sub.args.length).fill(null);
    let wrong = false;
    args.forEach((arg, i) => {
      let at = i + hidden;
      if (arg.name !== null) {
        at = sub.args.findIndex((formal) => formal.signal.plainName === arg.name);
        if (at < 0) {
          const near = nearestName(
            arg.name,
            sub.args.map((formal) => formal.signal.plainName),
          );
          report.error(
            "verilog/arguments",
            arg.loc,
            `'${sub.name}' has no argument '${arg.name}'.`,
            near ? `Did you mean '${near}'?` : "Correct the name.",
          );
          wrong = true;
          return;
        }
      }
      if (at < sub.args.length) given[at] = arg.value;
    });
    if (args.length + hidden > sub.args.length) {
      report.error(
        "verilog/arguments",
        loc,
        `'${sub.name}' takes ${sub.args.length - hidden} argument(s); ${args.length} given.`,
        "Correct the call.",
      );
      return null;
    }
    const bound: (Expr | Target)[] = [];
    sub.args.forEach(({ signal, direction }, i) => {
      if (self && i === 0) {
        bound.push(self);
        return;
      }
      const node = given[i];
      if (!node) {
        const fallback = this.defaults.get(sub)?.[i];
        if (fallback && direction === "input") {
          bound.push(exprs.assigned(fallback.node, signal.type, fallback.scope));
          return;
        }
        report.error(
          "verilog/arguments",
          loc,
          `'${sub.name}' needs a value for '${signal.plainName}'.`,
          "Add it to the call.",
        );
        wrong = true;
        return;
      }
      if (signal.type.kind === "container" && direction === "input") {
        bound.push(exprs.assigned(node, signal.type, scope));
        return;
      }
      if (signal.type.kind === "container") {
        const held = this.host.containers.argument(node, signal.type, scope);
        if (held) bound.push(held);
        else wrong = true;
        return;
      }
      if (direction === "input") bound.push(exprs.assigned(node, signal.type, scope));
      else {
        const { type } = signal;
        const target =
          type.kind === "integral" && type.unpacked ? refs.arrayTarget(node, type, scope) : refs.target(node, scope);
        if (target) bound.push(target);
        else wrong = true;
      }
    });
    return wrong ? null : bound;
  }

  /** Values of arguments that a call may leave out. */
  readonly defaults = new Map<Subroutine, ({ node: ExprNode; scope: Scope } | null)[]>();

  /** `i++` and its kin as expressions. */
  step(node: ExprNode & { kind: "step" }, scope: Scope): Expr {
    const { exprs, refs } = this.host;
    const target = refs.target(node.target, scope);
    const type = exprs.dataTypeOf(node.target, scope);
    if (!target) return exprs.unknown(1, node.loc);
    const one: ExprNode = { kind: "number", width: null, signed: true, based: false, a: 1n, b: 0n, loc: node.loc };
    const sum: ExprNode = {
      kind: "binary",
      op: node.op === "++" ? "+" : "-",
      left: node.target,
      right: one,
      loc: node.loc,
    };
    const value = exprs.assigned(sum, type, scope);
    const old = node.prefix ? null : exprs.selfDetermined(node.target, scope);
    return {
      op: "step",
      target,
      value,
      old,
      width: value.width,
      signed: old?.signed ?? value.signed,
      loc: node.loc,
      ...(value.form ? { form: value.form } : {}),
    };
  }

  private system(name: string, args: readonly CallArg[], loc: Loc, scope: Scope): Expr {
    const { exprs, report } = this.host;
    const first = args[0]?.value ?? null;
    const wants = (least: number, most: number): boolean => {
      if (args.length >= least && args.length <= most) return true;
      const count = least === most ? `${least}` : `${least} to ${most}`;
      report.error(
        "verilog/arguments",
        loc,
        `${name} takes ${count} argument(s); ${args.length} given.`,
        "Correct the call.",
      );
      return false;
    };
    if (name === "$signed" || name === "$unsigned") {
      if (!wants(1, 1) || !first) return exprs.unknown(1, loc);
      const arg = exprs.selfDetermined(first, scope);
      if (arg.form) return { op: "convert", arg, width: 32, signed: name === "$signed", loc };
      return { ...arg, signed: name === "$signed" };
    }
    if (name === "$bits") {
      if (!wants(1, 1) || !first) return exprs.unknown(32, loc);
      const type = this.host.refs.typeOfNode(first, scope);
      const width =
        this.host.refs.isReference(first) || first.kind === "type" ? bitsOf(type) : exprs.typeOf(first, scope).width;
      return exprs.number(BigInt(width), 32, loc);
    }
    if (sizeQueries.has(name) || name === "$dimensions" || name === "$unpacked_dimensions") {
      if (!wants(1, 2) || !first) return exprs.unknown(32, loc);
      return this.sizeQuery(name, first, args[1]?.value ?? null, loc, scope);
    }
    if (name === "$typename" && first) {
      const text = typeText(this.host.refs.typeOfNode(first, scope));
      return { op: "strconst", value: text, width: 0, signed: false, form: "string", loc };
    }
    if (name === "$cast" && args.length === 2 && first && args[1].value) {
      const type = exprs.dataTypeOf(first, scope);
      if (type.kind === "class" && type.info)
        return this.host.classes.cast(first, args[1].value, type.info, loc, scope) ?? exprs.unknown(32, loc);
    }
    if (Properties.functions.has(name)) {
      const value = this.host.properties.sampledValue(name, args, loc, scope);
      if (value) return value;
      report.error(
        "verilog/system-function",
        loc,
        `${name} stands in concurrent assertions only, with a value.`,
        "Keep the earlier value in a register.",
      );
      return exprs.unknown(1, loc);
    }
    const info = systemFunctions[name];
    if (!info) {
      const near = nearestName(name, [
        ...Object.keys(systemFunctions),
        ...sizeQueries,
        "$bits",
        "$signed",
        "$unsigned",
      ]);
      report.error(
        "verilog/system-function",
        loc,
        `There is no system function ${name}.`,
        near ? `Did you mean ${near}?` : "Correct the name.",
      );
      return exprs.unknown(32, loc);
    }
    if (!wants(info.least, info.most) || (info.takesReals && args.some((arg) => !arg.value)))
      return exprs.unknown(info.type.kind === "integral" ? info.type.width : 32, loc);
    const bound = info.takesReals
      ? args.map((arg): SystemArg => ({ kind: "expr", expr: exprs.real(arg.value!, scope) }))
      : this.systemArgs(name, args, scope);
    const known = info.value && this.knownValue(name, bound);
    if (typeof known === "number") return { op: "realconst", value: known, width: 64, signed: true, form: "real", loc };
    if (typeof known === "object" && known && info.type.kind === "integral")
      return { op: "const", value: known, width: info.type.width, signed: info.type.signed, loc };
    const castTo = name === "$cast" && first ? exprs.dataTypeOf(first, scope) : null;
    if (castTo?.kind === "integral" && castTo.enumeration)
      // only its members fit an enumeration
      for (const { value } of castTo.enumeration.members) {
        const { width, signed } = castTo;
        bound.push({ kind: "expr", expr: { op: "const", value, width, signed, loc } });
      }
    if (info.type.kind === "integral") {
      const made: Expr = { op: "system", name, args: bound, width: info.type.width, signed: info.type.signed, loc };
      return made;
    }
    return {
      op: "system",
      name,
      args: bound,
      width: info.type.kind === "real" ? 64 : 0,
      signed: false,
      form: info.type.kind as "real" | "string",
      loc,
    };
  }

  /** Of a call whose arguments are all constants without x and z. */
  private knownValue(name: string, args: readonly SystemArg[]): AnyValue | null {
    const values: AnyValue[] = [];
    for (const arg of args) {
      const value = arg.kind === "expr" ? this.host.exprs.fold(arg.expr) : null;
      if (value === null || (typeof value === "object" && value.b)) return null;
      values.push(value);
    }
    return systemValue(
      name,
      values,
      args.map((arg) => (arg.kind === "expr" ? arg.expr.width : 0)),
    );
  }

  private sizeQuery(name: string, node: ExprNode, which: ExprNode | null, loc: Loc, scope: Scope): Expr {
    const { exprs, report } = this.host;
    const type = this.host.refs.typeOfNode(node, scope);
    const { dims, element } = unpackedDims(type);
    const all: Dim[] = [...dims];
    if (element.kind === "integral")
      all.push(
        ...(element.dims.length ? element.dims : element.width > 1 ? [{ left: element.width - 1, right: 0 }] : []),
      );
    if (name === "$dimensions") return exprs.number(BigInt(all.length), 32, loc);
    if (name === "$unpacked_dimensions") return exprs.number(BigInt(dims.length), 32, loc);
    const at = which ? (exprs.integer(which, scope, "The dimension") ?? 1) : 1;
    const dim = all[at - 1];
    if (!dim) {
      if (all.length === 0 && at === 1 && name === "$size") return exprs.number(1n, 32, loc);
      report.error(
        "verilog/dimension",
        loc,
        `'${this.host.sources.text(node.loc)}' has ${all.length} dimension(s).`,
        "Correct the number.",
      );
      return exprs.unknown(32, loc);
    }
    const values: Record<string, number> = {
      $size: sizeOf(dim),
      $left: dim.left,
      $right: dim.right,
      $low: Math.min(dim.left, dim.right),
      $high: Math.max(dim.left, dim.right),
      $increment: dim.left >= dim.right ? 1 : -1,
    };
    return exprs.number(BigInt(values[name]), 32, loc);
  }

  /** Arguments of a system task or function: values, places that it writes, arrays, scopes. */
  systemArgs(name: string, args: readonly CallArg[], scope: Scope): SystemArg[] {
    const { exprs, refs } = this.host;
    return args.map((arg, i): SystemArg => {
      const node = arg.value && this.host.standsFor(arg.value, scope);
      if (!node) return { kind: "none" };
      if (node.kind === "string")
        return {
          kind: "expr",
          expr: { op: "strconst", value: node.text, width: 0, signed: false, form: "string", loc: node.loc },
        };
      if (refs.isReference(node)) {
        if (name === "$fread" || systemTasks.get(name)?.takesScopes || node.kind === "name") {
          const found = node.kind === "name" ? this.scopeNamed(node.name, scope) : null;
          if (found && !scope.find(node.kind === "name" ? node.name : "")) return found;
        }
        const ref = refs.resolve(node, scope);
        if (ref?.kind === "scope" || ref?.kind === "block") {
          const inner = ref.scope;
          return { kind: "scope", path: inner.prefix, instance: inner.instance };
        }
        if (ref?.kind === "data" && ref.signal && (ref.type.kind === "array" || ref.type.kind === "container")) {
          this.host.noteRead(ref.signal);
          return { kind: "array", signal: ref.signal, loc: node.loc };
        }
        if (writesArgument(name, i) && ref?.kind === "data" && (ref.signal || ref.store)) {
          const target = refs.target(node, scope);
          if (target) return { kind: "place", expr: refs.read(ref), target };
        }
      }
      const type = exprs.dataTypeOf(node, scope);
      const isMore = type.kind === "integral" && (type.struct || type.unpacked || type.enumeration);
      return { kind: "expr", expr: exprs.selfDetermined(node, scope), ...(isMore ? { type } : {}) };
    });
  }

  private scopeNamed(name: string, scope: Scope): SystemArg | null {
    for (let instance = scope.instance; ; instance = instance.parent!) {
      if (instance.module === name || instance.name === name)
        return { kind: "scope", path: this.host.scopeOf(instance).prefix, instance };
      if (!instance.parent) return null;
    }
  }

  /** A method of an enumeration, a string or an array; null if there is none of that name. */
  method(
    base: DataRef,
    name: string,
    node: Pick<CallNode, "args" | "with" | "loc">,
    scope: Scope,
    typeOnly = false,
  ): { expr: Expr; type: DataType } | null {
    const { refs, exprs } = this.host;
    const { type } = base;
    const { args, loc } = node;
    if (type.kind === "integral" && type.holds === "string")
      return this.method(refs.ofValue(refs.read(base), stringType), name, node, scope, typeOnly);
    const nothing = exprs.unknown(1, loc);
    const inputs = () =>
      args.map((arg) => {
        if (!arg.value) return exprs.number(1n, 32, loc);
        const literal = arg.value.kind === "string" && type.kind === "string";
        return literal ? exprs.string(arg.value, scope) : exprs.selfDetermined(arg.value, scope);
      });
    if (type.kind === "integral" && type.enumeration) {
      const { members } = type.enumeration;
      const constant = (index: number): Expr => ({
        op: "const",
        value: members[index]?.value ?? { a: 0n, b: 0n },
        width: type.width,
        signed: type.signed,
        loc,
      });
      switch (name) {
        case "first":
        case "last":
          return { expr: constant(name === "first" ? 0 : members.length - 1), type };
        case "num":
          return { expr: exprs.number(BigInt(members.length), 32, loc), type: int };
        case "next":
        case "prev": {
          if (typeOnly) return { expr: nothing, type };
          const value = refs.read(base);
          const step = args[0]?.value ? (exprs.integer(args[0].value, scope, "The step") ?? 1) : 1;
          const count = members.length;
          // a chain of choices: small, and synthesis can take it
          const away = name === "next" ? step : -step;
          const expr = members.reduceRight<Expr>((rest, member, i) => {
            const to = constant((((i + away) % count) + count) % count);
            const label: Expr = { op: "const", value: member.value, width: type.width, signed: type.signed, loc };
            const test: Expr = {
              op: "binary",
              kind: "eq",
              left: value,
              right: label,
              operandSigned: false,
              width: 1,
              signed: false,
              loc,
            };
            return { op: "cond", test, yes: to, no: rest, width: type.width, signed: type.signed, loc };
          }, constant(0));
          return { expr, type };
        }
        case "name": {
          if (typeOnly) return { expr: nothing, type: stringType };
          const value = refs.read(base);
          const make = { width: 0, signed: false, form: "string" as const, loc };
          const expr = members.reduceRight<Expr>(
            (rest, member) => {
              const label: Expr = { op: "const", value: member.value, width: type.width, signed: type.signed, loc };
              const test: Expr = {
                op: "binary",
                kind: "ceq",
                left: value,
                right: label,
                operandSigned: false,
                width: 1,
                signed: false,
                loc,
              };
              return { op: "cond", test, yes: { op: "strconst", value: member.name, ...make }, no: rest, ...make };
            },
            { op: "strconst", value: "", ...make },
          );
          return { expr, type: stringType };
        }
      }
      return null;
    }
    if (type.kind === "event" && base.signal && name === "triggered" && args.length === 0)
      return {
        expr: {
          op: "system",
          name: "event.triggered",
          args: [{ kind: "array", signal: base.signal, loc }],
          width: 1,
          signed: false,
          loc,
        },
        type: vectorType(1, false, false),
      };
    if (type.kind === "container") return this.host.containers.method(base, type, name, node, scope, typeOnly);
    if (type.kind === "string") {
      const results: Record<string, DataType> = {
        len: int,
        getc: vectorType(8, true, false),
        toupper: stringType,
        tolower: stringType,
        substr: stringType,
        compare: int,
        icompare: int,
        atoi: int,
        atohex: int,
        atobin: int,
        atooct: int,
        atoreal: realType,
      };
      const result = results[name];
      if (!result) return null;
      if (typeOnly) return { expr: nothing, type: result };
      const list = [refs.read(base), ...inputs()].map((expr) => ({ kind: "expr" as const, expr }));
      const form = result.kind === "real" || result.kind === "string" ? result.kind : undefined;
      const width = result.kind === "integral" ? result.width : result.kind === "real" ? 64 : 0;
      return {
        expr: {
          op: "system",
          name: `string.${name}`,
          args: list,
          width,
          signed: width > 0,
          loc,
          ...(form ? { form } : {}),
        },
        type: result,
      };
    }
    if (type.kind === "array" || (type.kind === "integral" && type.unpacked)) {
      const dim = type.kind === "array" ? type.dim : type.dims[0];
      if (name === "size") return { expr: exprs.number(BigInt(sizeOf(dim)), 32, loc), type: int };
      const folds: Record<string, "add" | "mul" | "and" | "or" | "xor"> = {
        sum: "add",
        product: "mul",
        and: "and",
        or: "or",
        xor: "xor",
      };
      const kind = folds[name];
      const element = type.kind === "array" ? type.element : elementOf(type);
      if (!kind || element.kind !== "integral") return null;
      if (typeOnly) return { expr: nothing, type: element };
      const items = refs.elements(base).map((each) => refs.read({ ...each, loc }));
      const { width, signed } = element;
      return {
        expr: items.reduce(
          (left, right): Expr => ({ op: "binary", kind, left, right, operandSigned: signed, width, signed, loc }),
        ),
        type: element,
      };
    }
    return null;
  }
}
