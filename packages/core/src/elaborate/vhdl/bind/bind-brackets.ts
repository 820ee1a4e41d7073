import type { Loc } from "../../../common/source.ts";
import type { Association, ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { Decl, Expr, Subprogram } from "../bound.ts";
import { isOverloadable } from "../scope.ts";
import { article, articleOf, usualName } from "../type-words.ts";
import { closelyRelated, errorType, isCharacters, type Subtype, type VType } from "../types.ts";
import { capital, countOf, kindName } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Names with brackets behind them */
export class BracketBinder {
  constructor(private readonly host: Binder) {}

  bindApply(node: ExprNode & { kind: "apply" }, wanted: VType | null): Expr {
    const { loc, args } = node;
    if (node.of.kind !== "name" && node.of.kind !== "select") {
      const of = this.host.exprs.bind(node.of, null);
      return of.type === errorType ? of : this.indexed(of, node);
    }
    const meaning = this.host.calls.calledMeaning(node.of);
    if (!meaning) {
      for (const arg of args)
        if (arg.actual.kind !== "range" && arg.actual.kind !== "subtype") this.host.candidates.types(arg.actual);
      return this.host.bad(loc);
    }
    if ("value" in meaning) return this.indexed(meaning.value, node);
    const first: Decl | undefined = meaning.decls[0];
    if (first?.kind === "type") return this.conversion(first.subtype, node);
    if (first && !isOverloadable(first)) {
      const value = this.host.exprs.declExpr(first, node.of.loc);
      if (value.op === "bad") {
        this.host.error(
          "call",
          node.of.loc,
          `'${this.host.names.text(node.of.loc)}' is ${kindName(first)}: it cannot be called or indexed.`,
          "Check its name.",
        );
        return value;
      }
      return this.indexed(value, node);
    }
    const subs = meaning.decls.filter((decl): decl is Subprogram => decl.kind === "sub" && decl.result !== null);
    const callable = subs.filter((sub) => this.host.calls.isCallable(sub, args));
    let fitting = wanted ? callable.filter((sub) => this.host.candidates.fits(sub.result!.type, wanted)) : callable;
    if (fitting.length > 1) fitting = this.preferredSubs(fitting, args);
    const sub = fitting[0] ?? callable[0];
    if (fitting.length > 1)
      this.host.exprs.ambiguous(
        node,
        fitting.map((each) => each.params.map((param) => param.subtype.name).join(", ")),
      );
    if (sub) {
      this.host.world.note(node.of.kind === "select" ? node.of.name.loc : node.of.loc, sub);
      return this.call(sub, args, loc, this.methodObject(node.of));
    }
    // a function without parameters whose result is indexed
    const plain = subs.find(
      (each) =>
        each.params.every((_, i) => each.defaults[i] !== null) && this.host.calls.indexedType(each.result!.type, args),
    );
    if (plain) return this.indexed(this.host.exprs.declExpr(plain, node.of.loc), node);
    const builtin = this.host.calls.builtinCall(node);
    if (builtin) {
      const bound = args.map((arg, i) => this.host.exprs.bind(arg.actual as ExprNode, builtin.args[i]));
      if (builtin.name === "minimum" || builtin.name === "maximum")
        return { op: "builtin", name: builtin.name, args: bound, type: builtin.result, loc };
      return { op: "attribute", name: builtin.name, of: bound[0], subtype: null, arg: null, type: builtin.result, loc };
    }
    this.noCall(node, meaning.decls, wanted);
    return this.host.bad(loc);
  }

  /** The protected object before the dot of a method's name. */
  methodObject(node: ExprNode): Expr | undefined {
    if (node.kind !== "select") return undefined;
    const of = this.host.candidates.quiet(() => this.host.names.meaning(node.of));
    if (!of) return undefined;
    if ("value" in of) return of.value.type.kind === "protected" ? of.value : undefined;
    const [decl] = of.decls;
    if (decl.kind === "variable" || decl.kind === "alias") {
      const value = this.host.names.dereferenced(this.host.names.objectExpr(decl, node.of.loc));
      return value.type.kind === "protected" ? value : undefined;
    }
    return undefined;
  }

  private preferredSubs(subs: Subprogram[], args: readonly Association[]): Subprogram[] {
    // a string literal that could be bits: characters are meant
    const { string } = this.host.world.standard;
    const asString = subs.filter((sub) =>
      args.every((arg, i) => arg.actual.kind !== "string" || sub.params[i]?.subtype.type === string),
    );
    if (args.some((arg) => arg.actual.kind === "string") && asString.length === 1) return asString;
    // inner declarations hide outer ones of the same types; the rest is told apart by universal types
    const exact = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        return (
          arg.actual.kind === "range" ||
          arg.actual.kind === "subtype" ||
          !type ||
          this.host.candidates.types(arg.actual).includes(type)
        );
      }),
    );
    if (exact.length === 1) return exact;
    const { integer, real } = this.host.world.standard;
    const usual = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        const isNumber =
          arg.actual.kind !== "range" &&
          arg.actual.kind !== "subtype" &&
          this.host.candidates
            .types(arg.actual)
            .every((each) => (each.kind === "int" || each.kind === "real") && each.universal);
        return !isNumber || type === integer || type === real;
      }),
    );
    return usual.length === 1 ? usual : subs;
  }

  call(sub: Subprogram, args: readonly Association[], loc: Loc, on?: Expr): Expr {
    const matched = this.host.calls.match(sub, args);
    const list = sub.params.map((param, i): Expr | null => {
      const arg = matched?.[i];
      if (!arg || arg.actual.kind === "open") return null;
      if (arg.actual.kind === "range" || arg.actual.kind === "subtype") return null;
      return this.host.exprs.bind(arg.actual, param.subtype.type);
    });
    return { op: "call", sub, args: list, on, type: sub.result?.type ?? errorType, loc };
  }

  noCall(node: ExprNode & { kind: "apply" }, decls: readonly Decl[], wanted: VType | null): void {
    const name = this.host.names.text(node.of.loc);
    const actuals = node.args.map((arg) => arg.actual);
    let anyError = false;
    for (const actual of actuals)
      if (
        actual.kind !== "range" &&
        actual.kind !== "subtype" &&
        actual.kind !== "open" &&
        this.host.candidates.types(actual).length === 0
      ) {
        this.host.exprs.bind(actual, null);
        anyError = true;
      }
    if (anyError) return;
    const subs = decls.filter((decl): decl is Subprogram => decl.kind === "sub");
    const have = actuals.map((actual) =>
      actual.kind === "range" || actual.kind === "subtype"
        ? "a range"
        : this.host.exprs.typeName(actual, this.host.candidates.types(actual)[0] ?? errorType),
    );
    if (subs.length === 1) {
      const [sub] = subs;
      if (actuals.length > sub.params.length) {
        this.host.error(
          "arguments",
          node.loc,
          `'${name}' takes ${countOf(sub.params.length, "argument")}, not ${actuals.length}.`,
          this.signatureText(sub),
        );
        return;
      }
      const unknown = node.args.find(
        (arg) =>
          arg.formal?.kind === "name" && !sub.params.some((param) => param.name === (arg.formal as { id: string }).id),
      );
      if (unknown?.formal?.kind === "name") {
        this.host.error(
          "unknown-parameter",
          unknown.formal.loc,
          `'${name}' has no parameter '${unknown.formal.id}'.`,
          this.host.names.nearText(
            unknown.formal.id,
            sub.params.map((param) => param.name),
            this.signatureText(sub),
          ),
        );
        return;
      }
      const matched = this.host.calls.match(sub, node.args);
      if (!matched) {
        this.host.error(
          "arguments",
          node.loc,
          `'${name}' is called without all its arguments.`,
          this.signatureText(sub),
        );
        return;
      }
      for (let i = 0; i < matched.length; i++) {
        const arg = matched[i];
        if (!arg || arg.actual.kind === "range" || arg.actual.kind === "subtype" || arg.actual.kind === "open")
          continue;
        if (!this.host.candidates.nodeFits(arg.actual, sub.params[i].subtype.type)) {
          this.host.exprs.bind(arg.actual, sub.params[i].subtype.type);
          return;
        }
      }
    }
    const home = this.host.world.functionHome(this.host.scope, node.of.kind === "name" ? node.of.id : "", (sub) =>
      this.host.calls.isCallable(sub, node.args),
    );
    if (home) {
      this.host.error(
        "not-visible",
        node.of.loc,
        `'${name}' for ${have.join(", ")} is not visible here: it is declared in ${home}.`,
        this.host.operations.numberRemedy(home, actuals, have),
        this.host.world.useEdit(node.loc, home),
      );
      return;
    }
    this.host.error(
      "no-call",
      node.loc,
      `There is no '${name}' for (${have.join(", ")})${wanted ? ` that gives ${articleOf(wanted)}` : ""}.`,
      subs.length
        ? `There is ${subs
            .slice(0, 3)
            .map((sub) => this.signatureText(sub).slice(0, -1))
            .join(", or ")}.`
        : "Check its name and arguments.",
    );
  }
  signatureText(sub: Subprogram): string {
    const params = sub.params.map((param) => `${param.name} : ${usualName(param.subtype.name)}`).join("; ");
    return `${sub.name}${params ? ` (${params})` : ""}${sub.result ? ` return ${usualName(sub.result.name)}` : ""}.`;
  }

  private conversion(subtype: Subtype, node: ExprNode & { kind: "apply" }): Expr {
    const { loc, args } = node;
    const [only] = args;
    if (args.length !== 1 || only.formal || only.actual.kind === "range" || only.actual.kind === "subtype") {
      this.host.error("conversion", loc, `A conversion to ${subtype.name} takes one value.`, "Write type(value).");
      return this.host.bad(loc);
    }
    const types = this.host.candidates.types(only.actual);
    if (types.length === 0) {
      this.host.exprs.bind(only.actual, null);
      return this.host.bad(loc, subtype.type);
    }
    // told where it was declared
    if (types.includes(errorType)) return this.host.bad(loc, subtype.type);
    const related = types.filter((type) => closelyRelated(type, subtype.type));
    if (related.length === 0 && types.some((type) => type.kind === "any")) {
      if (types.every((type) => type.kind === "any" && type.of === "string") && isCharacters(subtype.type)) {
        // forbidden by the letter (9.3.6), but its meaning is plain
        const arg = this.host.exprs.bind(only.actual, subtype.type);
        return { op: "qualified", subtype, arg, type: subtype.type, loc };
      }
      this.host.error(
        "conversion",
        loc,
        "The operand of a conversion must have a type of its own.",
        `Qualify it: ${subtype.name}'(value).`,
      );
      return this.host.bad(loc, subtype.type);
    }
    const preferred = related.find((type) => type !== subtype.type) ?? related[0];
    const arg = this.host.exprs.bind(only.actual, related.length > 1 ? preferred : null);
    if (arg.type === errorType) return this.host.bad(loc, subtype.type);
    if (!closelyRelated(arg.type, subtype.type)) {
      this.host.error(
        "conversion",
        loc,
        `${capital(article(this.host.exprs.typeName(only.actual, arg.type)))} cannot become ${article(subtype.name)} by a conversion.`,
        this.host.exprs.conversionRemedy(only.actual, arg.type, subtype.type),
      );
      return this.host.bad(loc, subtype.type);
    }
    return { op: "convert", subtype, arg, type: subtype.type, loc };
  }

  /** `object(index)`, `object(range)`. */
  private indexed(from: Expr, node: ExprNode & { kind: "apply" }): Expr {
    const { args, loc } = node;
    const of = this.host.names.dereferenced(from);
    const { type } = of;
    if (type.kind !== "array") {
      if (type !== errorType)
        this.host.error(
          "not-array",
          loc,
          `'${this.host.names.text(from.loc)}' is ${articleOf(type)}, which has no elements.`,
          "Only arrays are indexed, and only functions called.",
        );
      return this.host.bad(loc);
    }
    const [only] = args;
    if (args.length === 1 && this.host.calls.isRange(only.actual)) {
      if (type.indexes.length > 1) {
        this.host.error("slice", loc, "Only arrays of one dimension have slices.", "Take one element after the other.");
        return this.host.bad(loc);
      }
      const range = this.host.ranges.discrete(only.actual, type.indexes[0].type);
      return range ? { op: "slice", of, range, type, loc } : this.host.bad(loc, type);
    }
    if (args.length !== type.indexes.length) {
      this.host.error(
        "indexes",
        loc,
        `'${this.host.names.text(from.loc)}' has ${countOf(type.indexes.length, "dimension")}; ${countOf(args.length, "index", "indexes")} ${args.length === 1 ? "is" : "are"} given.`,
        "Give one index a dimension.",
      );
      return this.host.bad(loc, type.element.type);
    }
    const indexes = args.map((arg, i) => {
      if (arg.formal || arg.actual.kind === "range" || arg.actual.kind === "subtype") return this.host.bad(arg.loc);
      return this.host.exprs.bind(arg.actual, type.indexes[i].type);
    });
    return { op: "index", of, indexes, type: type.element.type, loc };
  }
}
