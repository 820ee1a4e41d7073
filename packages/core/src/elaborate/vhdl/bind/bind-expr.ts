import type { Loc } from "../../../common/source.ts";
import type { ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { Decl, Expr } from "../bound.ts";
import { article, articleOf, typeWords, usualName } from "../type-words.ts";
import {
  type ArrayType,
  closelyRelated,
  errorType,
  isCharacters,
  isScalar,
  universalInteger,
  universalReal,
  type VType,
} from "../types.ts";
import { distinct, isBit, kindName } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/**
 * Names and expressions: visibility (clause 12), overload resolution (12.5) from candidate types upwards and from the
 * wanted type downwards, as in Persch, Winterstein, Dausmann, Drossopoulou, "Overloading in preliminary Ada", ACM
 * SIGPLAN Notices 15(11), 1980, pp. 47-56.
 */ export class ExprBinder {
  constructor(private readonly host: Binder) {}

  // ---- binding --------------------------------------------------------------------------------------------------

  /** A name that stands for a value, where no type is wanted from outside. */
  valueOf(node: ExprNode, wanted: VType | null): Expr | null {
    const value = this.bind(node, wanted);
    return value.type === errorType ? null : value;
  }

  /** An expression of the wanted type, or of the one that it has by itself. What does not fit has been told. */
  bind(node: ExprNode, wanted: VType | null): Expr {
    return this.settled(this.bindNode(node, wanted), node, wanted);
  }

  settled(expr: Expr, node: ExprNode, wanted: VType | null): Expr {
    if (wanted && expr.type !== wanted && expr.type !== errorType && wanted !== errorType) {
      if (this.host.candidates.fits(expr.type, wanted)) return this.retyped(expr, wanted);
      this.mismatch(node, expr.type, wanted);
      return this.host.bad(node.loc, wanted);
    }
    return expr;
  }

  /** A universal value as one of a type. */
  private retyped(expr: Expr, type: VType): Expr {
    return { ...expr, type } as Expr;
  }

  /** Name of the type as the reader knows it: that of the object's declaration where there is one. */
  typeName(node: ExprNode | null, type: VType): string {
    if (node) {
      const subtype = this.host.candidates.quiet(() => this.subtypeName(node));
      if (subtype) return subtype;
    }
    return typeWords(type);
  }
  private subtypeName(node: ExprNode): string | null {
    if (node.kind === "name" || node.kind === "select") {
      const meaning = this.host.names.meaning(node);
      if (meaning && "decls" in meaning && meaning.decls.length === 1) {
        const [decl] = meaning.decls;
        if (decl.kind === "constant" || decl.kind === "signal" || decl.kind === "variable" || decl.kind === "alias")
          return decl.subtype.name;
        if (decl.kind === "sub" && decl.result) return decl.result.name;
      }
    }
    if (node.kind === "apply" && (node.of.kind === "name" || node.of.kind === "select")) {
      const meaning = this.host.names.meaning(node.of);
      if (meaning && "decls" in meaning && meaning.decls[0].kind === "type") return meaning.decls[0].name;
      if (node.args.length === 1 && this.host.calls.isRange(node.args[0].actual)) return this.subtypeName(node.of);
    }
    return null;
  }

  mismatch(node: ExprNode, have: VType, wanted: VType): void {
    const shown = this.typeName(node, have);
    const remedy = this.conversionRemedy(node, have, wanted);
    this.host.error(
      "type",
      node.loc,
      `'${this.host.names.text(node.loc)}' is ${article(shown)}, but ${articleOf(wanted)} is needed here.`,
      remedy,
    );
  }

  conversionRemedy(node: ExprNode, have: VType, wanted: VType): string {
    const text = this.host.names.text(node.loc);
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
    if (wanted === this.host.world.standard.time && have.kind === "int")
      return `Give a unit of time, as in '${/^[\w.]+$/.test(text) ? text : `(${text})`} ns'.`;
    if (have.kind === "int" && have.universal && isBit(wanted)) return `Write '0' or '1', in quotes.`;
    if (have.kind === "array" && have.element.type === wanted && isBit(wanted))
      return /^\w+$/.test(text) ? `Take one element, as in ${text}(0).` : "Take one element of it.";
    if (wanted.kind === "array" && wanted.element.type === have && isBit(have))
      return `Say which elements it is for: (others => ${text}).`;
    if (wanted === this.host.world.standard.boolean) return `Compare it: ${text} = '1'.`;
    if (have === this.host.world.standard.boolean) return `Write '1' when ${text} else '0'.`;
    if (have.kind === "int" && wanted.kind === "int") return `Write ${wanted.name}(${text}).`;
    if (have.kind === "int" && wanted.kind === "real") return `Write real(${text}).`;
    if (have.kind === "real" && wanted.kind === "int") return `Write ${wanted.name}(${text}).`;
    return "Convert one of them, or change a declaration.";
  }

  private bindNode(node: ExprNode, wanted: VType | null): Expr {
    const { loc } = node;
    switch (node.kind) {
      case "bad":
        return this.host.bad(loc);
      case "number": {
        const value = Number(node.value);
        const universal = node.isReal ? universalReal : universalInteger;
        const type =
          wanted && this.host.candidates.fits(universal, wanted) && wanted.kind !== "any" ? wanted : universal;
        return { op: "literal", value, type, loc };
      }
      case "physical": {
        const unit = this.host.calls.unit(node.unit);
        if (!unit) return this.host.bad(loc);
        const value = Number(node.value) * unit.scale;
        // a fraction is cut to whole base units, as near as a number holds them
        const isFraction = typeof node.value === "number" && !Number.isInteger(node.value);
        const isFit =
          value <= Number.MAX_SAFE_INTEGER ||
          (value < 1e21 && (isFraction || BigInt(node.value) * BigInt(unit.scale) === BigInt(value)));
        if (!isFit)
          this.host.error(
            "out-of-range",
            loc,
            `'${this.host.names.text(loc)}' is more base units than can be counted.`,
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
        return this.host.brackets.bindApply(node, wanted);
      case "attribute":
        return this.host.attributes.attribute(node, wanted);
      case "qualified": {
        const subtype = this.host.ranges.mark(node.mark);
        if (!subtype) return this.host.bad(loc);
        const arg = this.bind(node.value, subtype.type);
        return { op: "qualified", subtype, arg, type: subtype.type, loc };
      }
      case "aggregate":
        return this.host.aggregates.aggregate(node, wanted);
      case "unary":
        return this.host.operations.operator(node, node.op, [node.arg], wanted);
      case "binary":
        return this.host.operations.operator(node, node.op, [node.left, node.right], wanted);
      case "null":
        if (wanted?.kind === "access") return { op: "null", type: wanted, loc };
        this.host.error("null", loc, "'null' is a value of access types only.", "Give a value.");
        return this.host.bad(loc);
      case "new":
        return this.host.ranges.allocator(node, wanted);
      case "deref": {
        const of = this.bind(node.of, null);
        if (of.type === errorType) return of;
        const target = this.host.names.dereferenced(of);
        if (target === of) {
          this.host.error(
            "deref",
            loc,
            `'${this.host.names.text(node.of.loc)}' points to nothing: its type is ${of.type.name}.`,
            "Take '.all' out.",
          );
          return this.host.bad(loc);
        }
        return { ...target, loc } as Expr;
      }
      case "open":
        return { op: "open", type: wanted ?? errorType, loc };
      case "external": {
        const subtype = this.host.ranges.subtype(node.type);
        if (!subtype) return this.host.bad(loc);
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

  private stringLiteral(node: ExprNode & { kind: "string" }, wanted: VType | null): Expr {
    let type = wanted;
    if (!type || !isCharacters(type)) {
      if (type && type !== errorType) {
        this.host.error(
          "type",
          node.loc,
          `A ${node.isBits ? "bit string" : "string"} is given, but ${articleOf(type)} is needed here.`,
          isScalar(type) && node.text.length === 1 ? `Write '${node.text}'.` : "Give a value of that type.",
        );
        return this.host.bad(node.loc, type);
      }
      type = node.isBits
        ? (this.host.world.typeNamed(this.host.scope, "std_ulogic_vector") ?? this.host.world.standard.bitVector)
        : this.host.world.standard.string;
      if (!isCharacters(type)) return this.host.bad(node.loc);
    }
    const { element } = type as ArrayType;
    if (element.type.kind !== "enum") return this.host.bad(node.loc, type);
    const positions = this.host.world.charactersOf(element.type);
    const values: number[] = [];
    for (const c of node.text) {
      const at = positions.get(c);
      if (at === undefined) {
        this.host.error(
          "character",
          node.loc,
          `'${c}' is no value of ${element.name}.`,
          `Its values are ${element.type.literals
            .slice(0, 9)
            .map((each) => each.name)
            .join(", ")}.`,
        );
        return this.host.bad(node.loc, type);
      }
      values.push(at);
    }
    return { op: "string", values, type, loc: node.loc };
  }

  /** The declarations whose type is wanted, the only ones, or a told mistake. */
  private bindName(node: ExprNode, wanted: VType | null): Expr {
    const meaning = this.host.names.meaning(node);
    if (!meaning) return this.host.bad(node.loc);
    if ("value" in meaning) return meaning.value;
    const candidates = meaning.decls.filter((decl) => this.host.names.typesOfDecl(decl) !== null);
    if (candidates.length === 0) {
      const [decl] = meaning.decls;
      const what =
        decl.kind === "sub"
          ? decl.isFunction
            ? "a function, which needs arguments"
            : "a procedure, which gives no value"
          : `${kindName(decl)}, not a value`;
      this.host.error("no-value", node.loc, `'${this.host.names.text(node.loc)}' is ${what}.`, "Write a value here.");
      return this.host.bad(node.loc);
    }
    const fitting = wanted
      ? candidates.filter((decl) => this.host.candidates.fits(this.host.names.typesOfDecl(decl)!, wanted))
      : candidates;
    const decl = fitting[0] ?? candidates[0];
    if (fitting.length === 0 && wanted) {
      if (candidates.length > 1) {
        const types = distinct(candidates.map((each) => this.host.names.typesOfDecl(each)!)).map((type) => type.name);
        this.host.error(
          "type",
          node.loc,
          `'${this.host.names.text(node.loc)}' is a value of ${types.slice(0, 4).map(usualName).join(", ")}, but ${articleOf(wanted)} is needed here.`,
          wanted.kind === "array" && isCharacters(wanted)
            ? `Write it as a string: "${this.host.names.text(node.loc).replaceAll("'", "")}".`
            : "Give a value of that type.",
        );
        return this.host.bad(node.loc, wanted);
      }
    } else if (
      fitting.length > 1 &&
      !wanted &&
      distinct(fitting.map((each) => this.host.names.typesOfDecl(each)!)).length > 1
    ) {
      this.ambiguous(
        node,
        fitting.map((each) => this.host.names.typesOfDecl(each)!.name),
      );
    }
    this.host.world.note(node.kind === "select" ? node.name.loc : node.loc, decl);
    const made = this.declExpr(decl, node.loc);
    return made.op === "call" && decl.kind === "sub" && decl.ownerType
      ? { ...made, on: this.host.brackets.methodObject(node) }
      : made;
  }
  ambiguous(node: ExprNode, types: readonly string[]): void {
    this.host.error(
      "ambiguous",
      node.loc,
      `'${this.host.names.text(node.loc)}' may be of type ${[...new Set(types)].slice(0, 4).join(" or ")}, and nothing here says which.`,
      "Qualify it: type'(value).",
    );
  }

  declExpr(decl: Decl, loc: Loc): Expr {
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
        return this.host.names.objectExpr(decl, loc);
      default:
        return this.host.bad(loc);
    }
  }
}
