import type { Loc } from "../../../common/source.ts";
import type { Choice, ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { Expr } from "../bound.ts";
import { typeWords } from "../type-words.ts";
import { errorType, isCharacters, isScalar, universalInteger, universalReal, type VType } from "../types.ts";
import type { Reading } from "./bind-readings.ts";
import { capital, distinct, isBit } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** An operator with the reading that is meant, and the types of its operands and result there. */
interface ChosenOperator {
  readonly reading: Reading;
  readonly types: readonly VType[];
  readonly result: VType;
}

/** Operators with the reading that is meant (9.2). */
export class OperatorBinder {
  constructor(private readonly host: Binder) {}

  /** A long chain of operators goes down to the left: its readings are chosen on the way down, and it is put together from there. */
  operator(node: ExprNode, op: string, args: readonly ExprNode[], wanted: VType | null): Expr {
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
        expr = this.host.bad(at.node.loc);
        if (levels.length) expr = this.host.exprs.settled(expr, at.node, at.wanted);
        break;
      }
      levels.push({ node: at.node, args: at.args, choice, wanted: at.wanted });
      const [left] = at.args;
      if (left.kind !== "binary") break;
      at = { node: left, op: left.op, args: [left.left, left.right], wanted: choice.types[0] };
    }
    for (let i = levels.length - 1; i >= 0; i--) {
      const { node: own, args: parts, choice, wanted: type } = levels[i];
      const first = expr ?? this.host.exprs.bind(parts[0], choice.types[0]);
      const bound = [first, ...parts.slice(1).map((arg, k) => this.host.exprs.bind(arg, choice.types[k + 1]))];
      const { reading, result } = choice;
      if (reading.sub) {
        this.host.world.note((own as ExprNode & { opLoc: Loc }).opLoc, reading.sub);
        expr = { op: "call", sub: reading.sub, args: bound, type: result, loc: own.loc };
      } else expr = { op: "builtin", name: reading.op!, args: bound, type: result, loc: own.loc };
      if (i > 0) expr = this.host.exprs.settled(expr, own, type);
    }
    return expr!;
  }

  /** How an operator is read where `wanted` is needed; null after a mistake has been told. */
  private chosen(node: ExprNode, op: string, args: readonly ExprNode[], wanted: VType | null): ChosenOperator | null {
    let readings = this.host.operators.readings(op, args);
    if (readings.length === 0) {
      this.noOperator(node, op, args);
      return null;
    }
    if (wanted) {
      const fitting = readings.filter((each) => this.host.candidates.fits(each.result, wanted));
      if (fitting.length) readings = fitting;
    }
    if (readings.length > 1) readings = this.preferred(readings);
    const reading = readings[0];
    if (readings.length > 1) {
      const kinds = distinct(readings.map((each) => each.result));
      this.host.exprs.ambiguous(
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
      result = wanted && isCharacters(wanted) ? wanted : this.host.world.standard.string;
      types = [result, result];
    }
    if (reading.op && wanted && result !== wanted && (result === universalInteger || result === universalReal)) {
      if (this.host.candidates.fits(result, wanted) && wanted.kind !== "any") {
        if (types.every((type) => type === result) && op !== "/") types = types.map(() => wanted);
        result = wanted;
      }
    }
    return { reading, types, result };
  }

  /** Universal types and the standard's own before others where several readings fit (9.3.6, 12.5). */
  private preferred(readings: Reading[]): Reading[] {
    const universal = readings.filter((each) =>
      each.args.every((type) => (type.kind === "int" || type.kind === "real") && type.universal),
    );
    if (universal.length) return universal;
    const explicit = readings.filter((each) => each.sub);
    const args = new Set(readings.map((each) => each.args.map((type) => type.name).join()));
    if (args.size === 1 && explicit.length) return explicit.slice(0, 1);
    // two string literals and the like: a string of characters is meant
    const strings = readings.filter(
      (each) => each.result === this.host.world.standard.string || each.args[0] === this.host.world.standard.string,
    );
    if (strings.length === 1) return strings;
    return readings;
  }

  private noOperator(node: ExprNode, op: string, args: readonly ExprNode[]): void {
    const lists = args.map((arg) => this.host.candidates.types(arg));
    if (lists.some((list) => list.length === 0)) {
      // a mistake within has been told; what is only empty by overloads is told by binding it
      args.forEach((arg, i) => {
        if (lists[i].length === 0) this.host.exprs.bind(arg, null);
      });
      return;
    }
    // told where it was declared
    if (lists.some((list) => list.includes(errorType))) return;
    const names = args.map((arg, i) => this.host.exprs.typeName(arg, lists[i][0]));
    const { opLoc } = node as ExprNode & { opLoc: Loc };
    const types =
      names.length === 1
        ? names[0]
        : names[0] === names[1]
          ? `two operands of ${names[0]}`
          : `${names[0]} and ${names[1]}`;
    const home = this.host.world.operatorHome(this.host.scope, op, args, lists, (types, sub) =>
      types.every((list, i) => list.some((type) => this.host.candidates.fits(type, sub.params[i].subtype.type))),
    );
    if (home) {
      this.host.error(
        "operator",
        opLoc,
        `'${op}' for ${types} is not visible here: it is declared in ${home}.`,
        this.numberRemedy(home, args, names),
        this.host.world.useEdit(node.loc, home),
      );
      return;
    }
    const plain = names.findIndex((name) => /^std_u?logic_vector/.test(name));
    const isArithmetic = /^([-+*/<>]|mod|rem|<=|>=|abs)$/.test(op);
    const numeric = plain >= 0 && isArithmetic ? `unsigned(${this.host.names.text(args[plain].loc)})` : null;
    const told = op === "&" ? this.imageOf(args, lists) : null;
    if (told) {
      this.host.error("operator", opLoc, `There is no '&' for ${types}.`, told);
      return;
    }
    const boolean = names.some((name) => name === "boolean") && names.some((name) => /^std_u?logic$|^bit$/.test(name));
    this.host.error(
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
  numberRemedy(home: string, args: readonly (ExprNode | Choice)[], names: readonly string[]): string {
    const clause = `add 'use ${home}.all;' before this design unit.`;
    const at = names.findIndex((name) => /^std_u?logic_vector/.test(name));
    if (at < 0 || !home.endsWith("numeric_std_unsigned") || this.host.scope.lookup("unsigned").length === 0)
      return capital(clause);
    const text = this.host.names.text(args[at].loc);
    return `Write unsigned(${text}), or signed(${text}), to say which number the bits are; or ${clause}`;
  }
  /** How to make text of what is put beside text. */
  private imageOf(args: readonly ExprNode[], lists: readonly (readonly VType[])[]): string | null {
    const { string } = this.host.world.standard;
    const isText = (i: number) => lists[i].some((type) => type === string || type.kind === "any");
    const at = isText(0) && !isText(1) ? 1 : isText(1) && !isText(0) ? 0 : -1;
    if (at < 0) return null;
    const [type] = lists[at];
    const text = this.host.names.text(args[at].loc);
    if (isScalar(type))
      return `Make it text: ${"universal" in type && type.universal ? "integer" : typeWords(type)}'image(${text}).`;
    return type.kind === "array" && isBit(type.element.type) ? `Make it text: to_string(${text}).` : null;
  }

  /** A condition: boolean, or what `??` makes one (2008, 9.2.9). */
  condition(node: ExprNode): Expr {
    const { boolean } = this.host.world.standard;
    const types = this.host.candidates.types(node);
    if (types.length === 0 || types.some((type) => this.host.candidates.fits(type, boolean)))
      return this.host.exprs.bind(node, boolean);
    const value = this.host.exprs.bind(node, types.length === 1 ? types[0] : null);
    if (value.type === errorType) return value;
    if (value.type === this.host.world.standard.bit)
      return { op: "builtin", name: "??", args: [value], type: boolean, loc: node.loc };
    for (const decl of this.host.scope.lookup('"??"'))
      if (decl.kind === "sub" && decl.params[0]?.subtype.type === value.type)
        return { op: "call", sub: decl, args: [value], type: boolean, loc: node.loc };
    this.host.exprs.mismatch(node, value.type, boolean);
    return this.host.bad(node.loc, boolean);
  }
}
