import type { Loc } from "../../../common/source.ts";
import type { Association, Choice, ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { Decl, Expr, Subprogram } from "../bound.ts";
import { isOverloadable } from "../scope.ts";
import { article, articleOf, typeWords, usualName } from "../type-words.ts";
import {
  type ArrayType,
  closelyRelated,
  errorType,
  isCharacters,
  isScalar,
  type Subtype,
  universalInteger,
  universalReal,
  type VType,
} from "../types.ts";
import { AggregateBinder } from "./bind-aggregate.ts";
import type { Reading } from "./bind-types.ts";
import { capital, countOf, distinct, isBit, kindName } from "./bind-words.ts";

/** An operator with the reading that is meant, and the types of its operands and result there. */
interface ChosenOperator {
  readonly reading: Reading;
  readonly types: readonly VType[];
  readonly result: VType;
}

/**
 * Names and expressions: visibility (clause 12), overload resolution (12.5) from candidate types upwards and from the
 * wanted type downwards, as in Persch, Winterstein, Dausmann, Drossopoulou, "Overloading in preliminary Ada", ACM
 * SIGPLAN Notices 15(11), 1980, pp. 47-56.
 */ export class ExprBinder extends AggregateBinder {
  // ---- binding --------------------------------------------------------------------------------------------------

  /** A name that stands for a value, where no type is wanted from outside. */
  protected valueOf(node: ExprNode, wanted: VType | null): Expr | null {
    const value = this.bind(node, wanted);
    return value.type === errorType ? null : value;
  }

  /** An expression of the wanted type, or of the one that it has by itself. What does not fit has been told. */
  bind(node: ExprNode, wanted: VType | null): Expr {
    return this.settled(this.bindNode(node, wanted), node, wanted);
  }

  private settled(expr: Expr, node: ExprNode, wanted: VType | null): Expr {
    if (wanted && expr.type !== wanted && expr.type !== errorType && wanted !== errorType) {
      if (this.fits(expr.type, wanted)) return this.retyped(expr, wanted);
      this.mismatch(node, expr.type, wanted);
      return this.bad(node.loc, wanted);
    }
    return expr;
  }

  /** A universal value as one of a type. */
  protected retyped(expr: Expr, type: VType): Expr {
    return { ...expr, type } as Expr;
  }

  /** Name of the type as the reader knows it: that of the object's declaration where there is one. */
  typeName(node: ExprNode | null, type: VType): string {
    if (node) {
      const subtype = this.quiet(() => this.subtypeName(node));
      if (subtype) return subtype;
    }
    return typeWords(type);
  }
  protected subtypeName(node: ExprNode): string | null {
    if (node.kind === "name" || node.kind === "select") {
      const meaning = this.meaning(node);
      if (meaning && "decls" in meaning && meaning.decls.length === 1) {
        const [decl] = meaning.decls;
        if (decl.kind === "constant" || decl.kind === "signal" || decl.kind === "variable" || decl.kind === "alias")
          return decl.subtype.name;
        if (decl.kind === "sub" && decl.result) return decl.result.name;
      }
    }
    if (node.kind === "apply" && (node.of.kind === "name" || node.of.kind === "select")) {
      const meaning = this.meaning(node.of);
      if (meaning && "decls" in meaning && meaning.decls[0].kind === "type") return meaning.decls[0].name;
      if (node.args.length === 1 && this.isRange(node.args[0].actual)) return this.subtypeName(node.of);
    }
    return null;
  }

  mismatch(node: ExprNode, have: VType, wanted: VType): void {
    const shown = this.typeName(node, have);
    const remedy = this.conversionRemedy(node, have, wanted);
    this.error(
      "type",
      node.loc,
      `'${this.text(node.loc)}' is ${article(shown)}, but ${articleOf(wanted)} is needed here.`,
      remedy,
    );
  }

  protected conversionRemedy(node: ExprNode, have: VType, wanted: VType): string {
    const text = this.text(node.loc);
    const short = wanted.name.replace(/^unresolved_/, "").replace("std_ulogic_vector", "std_logic_vector");
    if (have.kind === "array" && wanted.kind === "array" && closelyRelated(have, wanted))
      return `Write ${short}(${text}).`;
    if (have.kind === "array" && wanted.kind === "int")
      return /signed/.test(have.name) ? `Write to_integer(${text}).` : `Write to_integer(unsigned(${text})).`;
    if (have.kind === "int" && wanted.kind === "array") {
      if (/unsigned/.test(wanted.name)) return `Write to_unsigned(${text}, the number of bits).`;
      if (/signed/.test(wanted.name)) return `Write to_signed(${text}, the number of bits).`;
      return `Write std_logic_vector(to_unsigned(${text}, the number of bits)).`;
    }
    if (wanted === this.world.standard.time && have.kind === "int")
      return `Give a unit of time, as in '${/^[\w.]+$/.test(text) ? text : `(${text})`} ns'.`;
    if (have.kind === "int" && have.universal && isBit(wanted)) return `Write '0' or '1', in quotes.`;
    if (have.kind === "array" && have.element.type === wanted && isBit(wanted))
      return /^\w+$/.test(text) ? `Take one element, as in ${text}(0).` : "Take one element of it.";
    if (wanted.kind === "array" && wanted.element.type === have && isBit(have))
      return `Say which elements it is for: (others => ${text}).`;
    if (wanted === this.world.standard.boolean) return `Compare it: ${text} = '1'.`;
    if (have === this.world.standard.boolean) return `Write '1' when ${text} else '0'.`;
    if (have.kind === "int" && wanted.kind === "int") return `Write ${wanted.name}(${text}).`;
    if (have.kind === "int" && wanted.kind === "real") return `Write real(${text}).`;
    if (have.kind === "real" && wanted.kind === "int") return `Write ${wanted.name}(${text}).`;
    return "Convert one of them, or change a declaration.";
  }

  protected bindNode(node: ExprNode, wanted: VType | null): Expr {
    const { loc } = node;
    switch (node.kind) {
      case "bad":
        return this.bad(loc);
      case "number": {
        const value = Number(node.value);
        const universal = node.isReal ? universalReal : universalInteger;
        const type = wanted && this.fits(universal, wanted) && wanted.kind !== "any" ? wanted : universal;
        return { op: "literal", value, type, loc };
      }
      case "physical": {
        const unit = this.unit(node.unit);
        if (!unit) return this.bad(loc);
        const value = Number(node.value) * unit.scale;
        // a fraction is cut to whole base units, as near as a number holds them
        const isFraction = typeof node.value === "number" && !Number.isInteger(node.value);
        const isFit =
          value <= Number.MAX_SAFE_INTEGER ||
          (value < 1e21 && (isFraction || BigInt(node.value) * BigInt(unit.scale) === BigInt(value)));
        if (!isFit)
          this.error(
            "out-of-range",
            loc,
            `'${this.text(loc)}' is more base units than can be counted.`,
            "Write a smaller one.",
          );
        return { op: "literal", value: isFit ? Math.trunc(value) : 0, type: unit.type, loc };
      }
      case "string":
        return this.stringLiteral(node, wanted);
      case "name":
      case "char":
      case "select":
        return this.bindName(node, wanted);
      case "apply":
        return this.bindApply(node, wanted);
      case "attribute":
        return this.attribute(node, wanted);
      case "qualified": {
        const subtype = this.mark(node.mark);
        if (!subtype) return this.bad(loc);
        const arg = this.bind(node.value, subtype.type);
        return { op: "qualified", subtype, arg, type: subtype.type, loc };
      }
      case "aggregate":
        return this.aggregate(node, wanted);
      case "unary":
        return this.operator(node, node.op, [node.arg], wanted);
      case "binary":
        return this.operator(node, node.op, [node.left, node.right], wanted);
      case "null":
        if (wanted?.kind === "access") return { op: "null", type: wanted, loc };
        this.error("null", loc, "'null' is a value of access types only.", "Give a value.");
        return this.bad(loc);
      case "new":
        return this.allocator(node, wanted);
      case "deref": {
        const of = this.bind(node.of, null);
        if (of.type === errorType) return of;
        const target = this.dereferenced(of);
        if (target === of) {
          this.error(
            "deref",
            loc,
            `'${this.text(node.of.loc)}' points to nothing: its type is ${of.type.name}.`,
            "Take '.all' out.",
          );
          return this.bad(loc);
        }
        return { ...target, loc } as Expr;
      }
      case "open":
        return { op: "open", type: wanted ?? errorType, loc };
      case "external": {
        const subtype = this.subtype(node.type);
        if (!subtype) return this.bad(loc);
        const { object, absolute, up } = node;
        return {
          op: "external",
          object,
          path: node.path.map((each) => each.id),
          absolute,
          up,
          subtype,
          type: subtype.type,
          loc,
        };
      }
    }
  }

  protected stringLiteral(node: ExprNode & { kind: "string" }, wanted: VType | null): Expr {
    let type = wanted;
    if (!type || !isCharacters(type)) {
      if (type && type !== errorType) {
        this.error(
          "type",
          node.loc,
          `A ${node.isBits ? "bit string" : "string"} is given, but ${articleOf(type)} is needed here.`,
          isScalar(type) && node.text.length === 1 ? `Write '${node.text}'.` : "Give a value of that type.",
        );
        return this.bad(node.loc, type);
      }
      type = node.isBits
        ? (this.world.typeNamed(this.scope, "std_ulogic_vector") ?? this.world.standard.bitVector)
        : this.world.standard.string;
      if (!isCharacters(type)) return this.bad(node.loc);
    }
    const { element } = type as ArrayType;
    if (element.type.kind !== "enum") return this.bad(node.loc, type);
    const positions = this.world.charactersOf(element.type);
    const values: number[] = [];
    for (const c of node.text) {
      const at = positions.get(c);
      if (at === undefined) {
        this.error(
          "character",
          node.loc,
          `'${c}' is no value of ${element.name}.`,
          `Its values are ${element.type.literals
            .slice(0, 9)
            .map((each) => each.name)
            .join(", ")}.`,
        );
        return this.bad(node.loc, type);
      }
      values.push(at);
    }
    return { op: "string", values, type, loc: node.loc };
  }

  /** The declarations whose type is wanted, the only ones, or a told mistake. */
  protected bindName(node: ExprNode, wanted: VType | null): Expr {
    const meaning = this.meaning(node);
    if (!meaning) return this.bad(node.loc);
    if ("value" in meaning) return meaning.value;
    const candidates = meaning.decls.filter((decl) => this.typesOfDecl(decl) !== null);
    if (candidates.length === 0) {
      const [decl] = meaning.decls;
      const what =
        decl.kind === "sub"
          ? decl.isFunction
            ? "a function, which needs arguments"
            : "a procedure, which gives no value"
          : `${kindName(decl)}, not a value`;
      this.error("no-value", node.loc, `'${this.text(node.loc)}' is ${what}.`, "Write a value here.");
      return this.bad(node.loc);
    }
    const fitting = wanted ? candidates.filter((decl) => this.fits(this.typesOfDecl(decl)!, wanted)) : candidates;
    const decl = fitting[0] ?? candidates[0];
    if (fitting.length === 0 && wanted) {
      if (candidates.length > 1) {
        const types = distinct(candidates.map((each) => this.typesOfDecl(each)!)).map((type) => type.name);
        this.error(
          "type",
          node.loc,
          `'${this.text(node.loc)}' is a value of ${types.slice(0, 4).map(usualName).join(", ")}, but ${articleOf(wanted)} is needed here.`,
          wanted.kind === "array" && isCharacters(wanted)
            ? `Write it as a string: "${this.text(node.loc).replaceAll("'", "")}".`
            : "Give a value of that type.",
        );
        return this.bad(node.loc, wanted);
      }
    } else if (fitting.length > 1 && !wanted && distinct(fitting.map((each) => this.typesOfDecl(each)!)).length > 1) {
      this.ambiguous(
        node,
        fitting.map((each) => this.typesOfDecl(each)!.name),
      );
    }
    this.world.note(node.kind === "select" ? node.name.loc : node.loc, decl);
    const made = this.declExpr(decl, node.loc);
    return made.op === "call" && decl.kind === "sub" && decl.ownerType
      ? { ...made, on: this.methodObject(node) }
      : made;
  }
  protected ambiguous(node: ExprNode, types: readonly string[]): void {
    this.error(
      "ambiguous",
      node.loc,
      `'${this.text(node.loc)}' may be of type ${[...new Set(types)].slice(0, 4).join(" or ")}, and nothing here says which.`,
      "Qualify it: type'(value).",
    );
  }

  protected declExpr(decl: Decl, loc: Loc): Expr {
    switch (decl.kind) {
      case "literal":
        return { op: "literal", value: decl.pos, type: decl.type, loc };
      case "unit":
        return { op: "literal", value: decl.scale, type: decl.type, loc };
      case "sub":
        return { op: "call", sub: decl, args: decl.params.map(() => null), type: decl.result!.type, loc };
      case "constant":
      case "signal":
      case "variable":
      case "file":
      case "alias":
        return this.objectExpr(decl, loc);
      default:
        return this.bad(loc);
    }
  }

  // ---- operators, bound -----------------------------------------------------------------------------------------

  /** A long chain of operators goes down to the left: its readings are chosen on the way down, and it is put together from there. */
  protected operator(node: ExprNode, op: string, args: readonly ExprNode[], wanted: VType | null): Expr {
    const levels: {
      readonly node: ExprNode;
      readonly args: readonly ExprNode[];
      readonly choice: ChosenOperator;
      readonly wanted: VType | null;
    }[] = [];
    let at = { node, op, args, wanted };
    let expr: Expr | null = null;
    for (;;) {
      const choice = this.chosen(at.node, at.op, at.args, at.wanted);
      if (!choice) {
        expr = this.bad(at.node.loc);
        if (levels.length) expr = this.settled(expr, at.node, at.wanted);
        break;
      }
      levels.push({ node: at.node, args: at.args, choice, wanted: at.wanted });
      const [left] = at.args;
      if (left.kind !== "binary") break;
      at = { node: left, op: left.op, args: [left.left, left.right], wanted: choice.types[0] };
    }
    for (let i = levels.length - 1; i >= 0; i--) {
      const { node: own, args: parts, choice, wanted: type } = levels[i];
      const first = expr ?? this.bind(parts[0], choice.types[0]);
      const bound = [first, ...parts.slice(1).map((arg, k) => this.bind(arg, choice.types[k + 1]))];
      const { reading, result } = choice;
      if (reading.sub) {
        this.world.note((own as ExprNode & { opLoc: Loc }).opLoc, reading.sub);
        expr = { op: "call", sub: reading.sub, args: bound, type: result, loc: own.loc };
      } else expr = { op: "builtin", name: reading.op!, args: bound, type: result, loc: own.loc };
      if (i > 0) expr = this.settled(expr, own, type);
    }
    return expr!;
  }

  /** How an operator is read where `wanted` is needed; null after a mistake has been told. */
  private chosen(node: ExprNode, op: string, args: readonly ExprNode[], wanted: VType | null): ChosenOperator | null {
    let readings = this.readings(op, args);
    if (readings.length === 0) {
      this.noOperator(node, op, args);
      return null;
    }
    if (wanted) {
      const fitting = readings.filter((each) => this.fits(each.result, wanted));
      if (fitting.length) readings = fitting;
    }
    if (readings.length > 1) readings = this.preferred(readings);
    const reading = readings[0];
    if (readings.length > 1) {
      const kinds = distinct(readings.map((each) => each.result));
      this.ambiguous(
        node,
        kinds.length > 1
          ? kinds.map((type) => type.name)
          : readings.map((each) => each.args.map((type) => type.name).join(" and ")),
      );
    }
    // a universal operation whose result is used as another type: its operands are of that type too
    let types = reading.args;
    let { result } = reading;
    if (result.kind === "any" && result.of === "string") {
      result = wanted && isCharacters(wanted) ? wanted : this.world.standard.string;
      types = [result, result];
    }
    if (reading.op && wanted && result !== wanted && (result === universalInteger || result === universalReal)) {
      if (this.fits(result, wanted) && wanted.kind !== "any") {
        if (types.every((type) => type === result) && op !== "/") types = types.map(() => wanted);
        result = wanted;
      }
    }
    return { reading, types, result };
  }

  /** Universal types and the standard's own before others where several readings fit (9.3.6, 12.5). */
  protected preferred(readings: Reading[]): Reading[] {
    const universal = readings.filter((each) =>
      each.args.every((type) => (type.kind === "int" || type.kind === "real") && type.universal),
    );
    if (universal.length) return universal;
    const explicit = readings.filter((each) => each.sub);
    const args = new Set(readings.map((each) => each.args.map((type) => type.name).join()));
    if (args.size === 1 && explicit.length) return explicit.slice(0, 1);
    // two string literals and the like: a string of characters is meant
    const strings = readings.filter(
      (each) => each.result === this.world.standard.string || each.args[0] === this.world.standard.string,
    );
    if (strings.length === 1) return strings;
    return readings;
  }

  protected noOperator(node: ExprNode, op: string, args: readonly ExprNode[]): void {
    const lists = args.map((arg) => this.types(arg));
    if (lists.some((list) => list.length === 0)) {
      // a mistake within has been told; what is only empty by overloads is told by binding it
      args.forEach((arg, i) => {
        if (lists[i].length === 0) this.bind(arg, null);
      });
      return;
    }
    // told where it was declared
    if (lists.some((list) => list.includes(errorType))) return;
    const names = args.map((arg, i) => this.typeName(arg, lists[i][0]));
    const { opLoc } = node as ExprNode & { opLoc: Loc };
    const types =
      names.length === 1
        ? names[0]
        : names[0] === names[1]
          ? `two operands of ${names[0]}`
          : `${names[0]} and ${names[1]}`;
    const home = this.world.operatorHome(this.scope, op, args, lists, (types, sub) =>
      types.every((list, i) => list.some((type) => this.fits(type, sub.params[i].subtype.type))),
    );
    if (home) {
      this.error(
        "operator",
        opLoc,
        `'${op}' for ${types} is not visible here: it is declared in ${home}.`,
        this.numberRemedy(home, args, names),
        this.world.useEdit(node.loc, home),
      );
      return;
    }
    const plain = names.findIndex((name) => /^std_u?logic_vector/.test(name));
    const isArithmetic = /^([-+*/<>]|mod|rem|<=|>=|abs)$/.test(op);
    const numeric = plain >= 0 && isArithmetic ? `unsigned(${this.text(args[plain].loc)})` : null;
    const told = op === "&" ? this.imageOf(args, lists) : null;
    if (told) {
      this.error("operator", opLoc, `There is no '&' for ${types}.`, told);
      return;
    }
    const boolean = names.some((name) => name === "boolean") && names.some((name) => /^std_u?logic$|^bit$/.test(name));
    this.error(
      "operator",
      opLoc,
      `There is no '${op}' for ${types}.`,
      numeric
        ? `Say how the bits are a number: ${numeric}, with use ieee.numeric_std.all.`
        : boolean
          ? "Compare the bit with '1' first."
          : "Convert the operands to types that have it.",
    );
  }

  /** The clause that is missing; with the package of numbers at hand, first the usual way to say what bits mean. */
  protected numberRemedy(home: string, args: readonly (ExprNode | Choice)[], names: readonly string[]): string {
    const clause = `add 'use ${home}.all;' before this design unit.`;
    const at = names.findIndex((name) => /^std_u?logic_vector/.test(name));
    if (at < 0 || !home.endsWith("numeric_std_unsigned") || this.scope.lookup("unsigned").length === 0)
      return capital(clause);
    const text = this.text(args[at].loc);
    return `Write unsigned(${text}), or signed(${text}), to say which number the bits are; or ${clause}`;
  }
  /** How to make text of what is put beside text. */
  protected imageOf(args: readonly ExprNode[], lists: readonly (readonly VType[])[]): string | null {
    const { string } = this.world.standard;
    const isText = (i: number) => lists[i].some((type) => type === string || type.kind === "any");
    const at = isText(0) && !isText(1) ? 1 : isText(1) && !isText(0) ? 0 : -1;
    if (at < 0) return null;
    const [type] = lists[at];
    const text = this.text(args[at].loc);
    if (isScalar(type))
      return `Make it text: ${"universal" in type && type.universal ? "integer" : typeWords(type)}'image(${text}).`;
    return type.kind === "array" && isBit(type.element.type) ? `Make it text: to_string(${text}).` : null;
  }

  /** A condition: boolean, or what `??` makes one (2008, 9.2.9). */
  condition(node: ExprNode): Expr {
    const { boolean } = this.world.standard;
    const types = this.types(node);
    if (types.length === 0 || types.some((type) => this.fits(type, boolean))) return this.bind(node, boolean);
    const value = this.bind(node, types.length === 1 ? types[0] : null);
    if (value.type === errorType) return value;
    if (value.type === this.world.standard.bit)
      return { op: "builtin", name: "??", args: [value], type: boolean, loc: node.loc };
    for (const decl of this.scope.lookup('"??"'))
      if (decl.kind === "sub" && decl.params[0]?.subtype.type === value.type)
        return { op: "call", sub: decl, args: [value], type: boolean, loc: node.loc };
    this.mismatch(node, value.type, boolean);
    return this.bad(node.loc, boolean);
  }

  // ---- brackets -------------------------------------------------------------------------------------------------

  protected bindApply(node: ExprNode & { kind: "apply" }, wanted: VType | null): Expr {
    const { loc, args } = node;
    if (node.of.kind !== "name" && node.of.kind !== "select") {
      const of = this.bind(node.of, null);
      return of.type === errorType ? of : this.indexed(of, node);
    }
    const meaning = this.calledMeaning(node.of);
    if (!meaning) {
      for (const arg of args) if (arg.actual.kind !== "range" && arg.actual.kind !== "subtype") this.types(arg.actual);
      return this.bad(loc);
    }
    if ("value" in meaning) return this.indexed(meaning.value, node);
    const first: Decl | undefined = meaning.decls[0];
    if (first?.kind === "type") return this.conversion(first.subtype, node);
    if (first && !isOverloadable(first)) {
      const value = this.declExpr(first, node.of.loc);
      if (value.op === "bad") {
        this.error(
          "call",
          node.of.loc,
          `'${this.text(node.of.loc)}' is ${kindName(first)}: it cannot be called or indexed.`,
          "Check its name.",
        );
        return value;
      }
      return this.indexed(value, node);
    }
    const subs = meaning.decls.filter((decl): decl is Subprogram => decl.kind === "sub" && decl.result !== null);
    const callable = subs.filter((sub) => this.isCallable(sub, args));
    let fitting = wanted ? callable.filter((sub) => this.fits(sub.result!.type, wanted)) : callable;
    if (fitting.length > 1) fitting = this.preferredSubs(fitting, args);
    const sub = fitting[0] ?? callable[0];
    if (fitting.length > 1)
      this.ambiguous(
        node,
        fitting.map((each) => each.params.map((param) => param.subtype.name).join(", ")),
      );
    if (sub) {
      this.world.note(node.of.kind === "select" ? node.of.name.loc : node.of.loc, sub);
      return this.call(sub, args, loc, this.methodObject(node.of));
    }
    // a function without parameters whose result is indexed
    const plain = subs.find(
      (each) => each.params.every((_, i) => each.defaults[i] !== null) && this.indexedType(each.result!.type, args),
    );
    if (plain) return this.indexed(this.declExpr(plain, node.of.loc), node);
    const builtin = this.builtinCall(node);
    if (builtin) {
      const bound = args.map((arg, i) => this.bind(arg.actual as ExprNode, builtin.args[i]));
      if (builtin.name === "minimum" || builtin.name === "maximum")
        return { op: "builtin", name: builtin.name, args: bound, type: builtin.result, loc };
      return { op: "attribute", name: builtin.name, of: bound[0], subtype: null, arg: null, type: builtin.result, loc };
    }
    this.noCall(node, meaning.decls, wanted);
    return this.bad(loc);
  }

  /** The protected object before the dot of a method's name. */
  methodObject(node: ExprNode): Expr | undefined {
    if (node.kind !== "select") return undefined;
    const of = this.quiet(() => this.meaning(node.of));
    if (!of) return undefined;
    if ("value" in of) return of.value.type.kind === "protected" ? of.value : undefined;
    const [decl] = of.decls;
    if (decl.kind === "variable" || decl.kind === "alias") {
      const value = this.dereferenced(this.objectExpr(decl, node.of.loc));
      return value.type.kind === "protected" ? value : undefined;
    }
    return undefined;
  }

  protected preferredSubs(subs: Subprogram[], args: readonly Association[]): Subprogram[] {
    // a string literal that could be bits: characters are meant
    const { string } = this.world.standard;
    const asString = subs.filter((sub) =>
      args.every((arg, i) => arg.actual.kind !== "string" || sub.params[i]?.subtype.type === string),
    );
    if (args.some((arg) => arg.actual.kind === "string") && asString.length === 1) return asString;
    // inner declarations hide outer ones of the same types; the rest is told apart by universal types
    const exact = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        return (
          arg.actual.kind === "range" || arg.actual.kind === "subtype" || !type || this.types(arg.actual).includes(type)
        );
      }),
    );
    if (exact.length === 1) return exact;
    const { integer, real } = this.world.standard;
    const usual = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        const isNumber =
          arg.actual.kind !== "range" &&
          arg.actual.kind !== "subtype" &&
          this.types(arg.actual).every((each) => (each.kind === "int" || each.kind === "real") && each.universal);
        return !isNumber || type === integer || type === real;
      }),
    );
    return usual.length === 1 ? usual : subs;
  }

  call(sub: Subprogram, args: readonly Association[], loc: Loc, on?: Expr): Expr {
    const matched = this.match(sub, args);
    const list = sub.params.map((param, i): Expr | null => {
      const arg = matched?.[i];
      if (!arg || arg.actual.kind === "open") return null;
      if (arg.actual.kind === "range" || arg.actual.kind === "subtype") return null;
      return this.bind(arg.actual, param.subtype.type);
    });
    return { op: "call", sub, args: list, on, type: sub.result?.type ?? errorType, loc };
  }

  noCall(node: ExprNode & { kind: "apply" }, decls: readonly Decl[], wanted: VType | null): void {
    const name = this.text(node.of.loc);
    const actuals = node.args.map((arg) => arg.actual);
    let anyError = false;
    for (const actual of actuals)
      if (
        actual.kind !== "range" &&
        actual.kind !== "subtype" &&
        actual.kind !== "open" &&
        this.types(actual).length === 0
      ) {
        this.bind(actual, null);
        anyError = true;
      }
    if (anyError) return;
    const subs = decls.filter((decl): decl is Subprogram => decl.kind === "sub");
    const have = actuals.map((actual) =>
      actual.kind === "range" || actual.kind === "subtype"
        ? "a range"
        : this.typeName(actual, this.types(actual)[0] ?? errorType),
    );
    if (subs.length === 1) {
      const [sub] = subs;
      if (actuals.length > sub.params.length) {
        this.error(
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
        this.error(
          "unknown-parameter",
          unknown.formal.loc,
          `'${name}' has no parameter '${unknown.formal.id}'.`,
          this.nearText(
            unknown.formal.id,
            sub.params.map((param) => param.name),
            this.signatureText(sub),
          ),
        );
        return;
      }
      const matched = this.match(sub, node.args);
      if (!matched) {
        this.error("arguments", node.loc, `'${name}' is called without all its arguments.`, this.signatureText(sub));
        return;
      }
      for (let i = 0; i < matched.length; i++) {
        const arg = matched[i];
        if (!arg || arg.actual.kind === "range" || arg.actual.kind === "subtype" || arg.actual.kind === "open")
          continue;
        if (!this.nodeFits(arg.actual, sub.params[i].subtype.type)) {
          this.bind(arg.actual, sub.params[i].subtype.type);
          return;
        }
      }
    }
    const home = this.world.functionHome(this.scope, node.of.kind === "name" ? node.of.id : "", (sub) =>
      this.isCallable(sub, node.args),
    );
    if (home) {
      this.error(
        "not-visible",
        node.of.loc,
        `'${name}' for ${have.join(", ")} is not visible here: it is declared in ${home}.`,
        this.numberRemedy(home, actuals, have),
        this.world.useEdit(node.loc, home),
      );
      return;
    }
    this.error(
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

  protected conversion(subtype: Subtype, node: ExprNode & { kind: "apply" }): Expr {
    const { loc, args } = node;
    const [only] = args;
    if (args.length !== 1 || only.formal || only.actual.kind === "range" || only.actual.kind === "subtype") {
      this.error("conversion", loc, `A conversion to ${subtype.name} takes one value.`, "Write type(value).");
      return this.bad(loc);
    }
    const types = this.types(only.actual);
    if (types.length === 0) {
      this.bind(only.actual, null);
      return this.bad(loc, subtype.type);
    }
    // told where it was declared
    if (types.includes(errorType)) return this.bad(loc, subtype.type);
    const related = types.filter((type) => closelyRelated(type, subtype.type));
    if (related.length === 0 && types.some((type) => type.kind === "any")) {
      if (types.every((type) => type.kind === "any" && type.of === "string") && isCharacters(subtype.type)) {
        // forbidden by the letter (9.3.6), but its meaning is plain
        const arg = this.bind(only.actual, subtype.type);
        return { op: "qualified", subtype, arg, type: subtype.type, loc };
      }
      this.error(
        "conversion",
        loc,
        "The operand of a conversion must have a type of its own.",
        `Qualify it: ${subtype.name}'(value).`,
      );
      return this.bad(loc, subtype.type);
    }
    const preferred = related.find((type) => type !== subtype.type) ?? related[0];
    const arg = this.bind(only.actual, related.length > 1 ? preferred : null);
    if (arg.type === errorType) return this.bad(loc, subtype.type);
    if (!closelyRelated(arg.type, subtype.type)) {
      this.error(
        "conversion",
        loc,
        `${capital(article(this.typeName(only.actual, arg.type)))} cannot become ${article(subtype.name)} by a conversion.`,
        this.conversionRemedy(only.actual, arg.type, subtype.type),
      );
      return this.bad(loc, subtype.type);
    }
    return { op: "convert", subtype, arg, type: subtype.type, loc };
  }

  /** `object(index)`, `object(range)`. */
  protected indexed(from: Expr, node: ExprNode & { kind: "apply" }): Expr {
    const { args, loc } = node;
    const of = this.dereferenced(from);
    const { type } = of;
    if (type.kind !== "array") {
      if (type !== errorType)
        this.error(
          "not-array",
          loc,
          `'${this.text(from.loc)}' is ${articleOf(type)}, which has no elements.`,
          "Only arrays are indexed, and only functions called.",
        );
      return this.bad(loc);
    }
    const [only] = args;
    if (args.length === 1 && this.isRange(only.actual)) {
      if (type.indexes.length > 1) {
        this.error("slice", loc, "Only arrays of one dimension have slices.", "Take one element after the other.");
        return this.bad(loc);
      }
      const range = this.discrete(only.actual, type.indexes[0].type);
      return range ? { op: "slice", of, range, type, loc } : this.bad(loc, type);
    }
    if (args.length !== type.indexes.length) {
      this.error(
        "indexes",
        loc,
        `'${this.text(from.loc)}' has ${countOf(type.indexes.length, "dimension")}; ${countOf(args.length, "index", "indexes")} ${args.length === 1 ? "is" : "are"} given.`,
        "Give one index a dimension.",
      );
      return this.bad(loc, type.element.type);
    }
    const indexes = args.map((arg, i) => {
      if (arg.formal || arg.actual.kind === "range" || arg.actual.kind === "subtype") return this.bad(arg.loc);
      return this.bind(arg.actual, type.indexes[i].type);
    });
    return { op: "index", of, indexes, type: type.element.type, loc };
  }
}
