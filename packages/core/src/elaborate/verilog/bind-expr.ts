import type { Loc } from "../../common/source.ts";
import type { BinaryOp, ExprNode, SpanNode, TypeNode, UnaryOp } from "../../hdl/verilog/ast.ts";
import { maxVectorWidth } from "../../hdl/verilog/number-text.ts";
import { evaluate, evaluateAny, roundReal, stringBits } from "../evaluate.ts";
import type { AnyValue, BinaryKind, Expr, UnaryKind } from "../model.ts";
import { runConstant } from "../run-constant.ts";
import type { Constant, Scope } from "../scope.ts";
import { systemValue } from "../system-functions.ts";
import {
  type DataType,
  elementOf,
  formOf,
  type IntegralType,
  realType,
  sizeOf,
  stringType,
  typeText,
  unpackedDims,
  vectorType,
} from "../types.ts";
import type { DataRef } from "./bind-ref.ts";
import type { Host } from "./host.ts";
import { streamAssigned, streamValue, streamWidth } from "./streams.ts";
import { noInterface } from "./virtual-interfaces.ts";

/**
 * Verilog expressions to typed ones: bit lengths and signs by IEEE 1364-2005 clauses 5.4 and 5.5. `typeOf` works up
 * from the leaves (self-determined size and sign); `build` carries the context's size and sign down again.
 */
interface ExprType {
  readonly width: number;
  readonly signed: boolean;
  readonly form?: "real" | "string";
}

const binaryKinds: Readonly<Record<BinaryOp, BinaryKind>> = {
  "+": "add",
  "-": "sub",
  "*": "mul",
  "/": "div",
  "%": "mod",
  "**": "pow",
  "==": "eq",
  "!=": "ne",
  "===": "ceq",
  "!==": "cne",
  "==?": "weq",
  "!=?": "wne",
  "&&": "logand",
  "||": "logor",
  "->": "logor",
  "<->": "eq",
  "<": "lt",
  "<=": "le",
  ">": "gt",
  ">=": "ge",
  "&": "and",
  "|": "or",
  "^": "xor",
  "~^": "xor",
  "<<": "shl",
  ">>": "shr",
  "<<<": "shl",
  ">>>": "sshr",
};
const comparisons = new Set<BinaryOp>(["==", "!=", "===", "!==", "==?", "!=?", "<", "<=", ">", ">="]);
const logicals = new Set<BinaryOp>(["&&", "||", "->", "<->"]);
const selfRight = new Set<BinaryOp>(["**", "<<", ">>", "<<<", ">>>"]);
const reductions: Partial<Record<UnaryOp, { kind: UnaryKind; invert: boolean }>> = {
  "&": { kind: "redand", invert: false },
  "~&": { kind: "redand", invert: true },
  "|": { kind: "redor", invert: false },
  "~|": { kind: "redor", invert: true },
  "^": { kind: "redxor", invert: false },
  "~^": { kind: "redxor", invert: true },
};
const bit: ExprType = { width: 1, signed: false };
const realForm: ExprType = { width: 64, signed: true, form: "real" };
const stringForm: ExprType = { width: 0, signed: false, form: "string" };

export function typeOfData(type: DataType): ExprType {
  if (type.kind === "integral") return type.holds === "string" ? stringForm : type.holds === "real" ? realForm : type;
  return type.kind === "real" ? realForm : formOf(type) ? stringForm : bit;
}

/** Operators on bits whose operands may be put together in any grouping, with the same result, x and z included. */
const associative = new Set(["+", "&", "|", "^", "&&", "||"]);
/** Terms from which on a chain is balanced. */
const longChain = 32;

/** Its type is found without looking below it, or is remembered elsewhere. */
const isLeaf = (kind: ExprNode["kind"]): boolean =>
  /^(number|real|time|string|name|scoped|member|index|range|last|fill|new|newobject|null)$/.test(kind);

export class Expressions {
  constructor(private readonly host: Host) {}

  // ---- entry points -------------------------------------------------------------------------------------------

  /** An expression sized by itself, as in an index or a concatenation. */
  selfDetermined(node: ExprNode, scope: Scope): Expr {
    const type = this.typeOf(node, scope);
    return this.inForm(node, type, scope);
  }

  private inForm(node: ExprNode, type: ExprType, scope: Scope): Expr {
    if (type.form === "real") return this.real(node, scope);
    if (type.form === "string") return this.string(node, scope);
    return this.build(node, type.width, type.signed, scope);
  }

  /** Right side of an assignment to a variable or net of this type (not an array). */
  assigned(given: ExprNode, to: DataType, scope: Scope): Expr {
    const node = this.host.standsFor(given, scope);
    const { loc } = node;
    if (node.kind === "stream" || node.kind === "unstream") {
      if (to.kind === "integral" && !to.holds)
        return streamAssigned(this.host, node, to.width, scope) ?? this.unknown(to.width, loc);
      this.host.report.error(
        "verilog/stream",
        loc,
        `A ${typeText(to)} cannot be assigned a stream.`,
        "Assign it to what has a fixed number of bits.",
      );
      return this.unknown(1, loc);
    }
    if (to.kind === "container") return this.host.containers.valueOf(node, to, scope);
    if (node.kind === "pattern") return this.pattern(node, to, scope);
    if (to.kind === "integral" && to.unpacked) return this.arrayValue(node, to, scope);
    if (to.kind === "integral" && to.holds) return this.held(node, to, scope);
    if (to.kind === "integral" && to.handleOf) return this.host.virtuals.value(node, to, scope);
    if (to.kind === "real") return this.real(node, scope);
    if (to.kind === "class") return this.host.classes.handle(node, to, scope);
    if (to.kind === "any") return this.anything(node, scope);
    if (to.kind === "string") {
      this.noObject(node, scope);
      return this.string(node, scope);
    }
    if (to.kind !== "integral") {
      this.host.report.error("verilog/type", loc, `A value cannot be assigned to ${typeText(to)}.`, "Check the type.");
      return this.unknown(1, loc);
    }
    const isFree = this.casts || this.host.sources.files[loc.file]?.takesBits === true;
    if (to.enumeration && !isFree && !this.isMember(node, to, scope))
      this.host.report.error(
        "verilog/enum-value",
        loc,
        `'${this.host.sources.text(loc)}' is no value of ${to.enumeration.name ? `enumeration '${to.enumeration.name}'` : "this enumeration"}.`,
        to.enumeration.name
          ? `Give one of its names, or write ${to.enumeration.name}'(${this.host.sources.text(loc)}).`
          : "Give one of its names.",
      );
    const type = this.typeOf(node, scope);
    let expr: Expr;
    if (type.form === "string") this.noObject(node, scope);
    if (type.form)
      expr = { op: "convert", arg: this.inForm(node, type, scope), width: to.width, signed: to.signed, loc };
    else expr = this.resize(this.build(node, Math.max(to.width, type.width), type.signed, scope), to.width, loc);
    if (!to.fourState && !isTwoState(expr))
      expr = { op: "twostate", arg: expr, width: to.width, signed: expr.signed, loc };
    return expr;
  }

  /** A value with its type: what a mailbox without a type takes. */
  private anything(node: ExprNode, scope: Scope): Expr {
    const type = this.dataTypeOf(node, scope);
    if (type.kind === "any") return this.string(node, scope);
    const expr =
      type.kind === "class"
        ? this.host.classes.handle(node, type, scope)
        : node.kind === "string"
          ? this.string(node, scope)
          : this.selfDetermined(node, scope);
    const make = { width: 0, signed: false, form: "string" as const, loc: node.loc };
    return { op: "system", name: "any.make", args: [{ kind: "expr", expr }], ...make };
  }

  /** An object or an array that grows is no number and no text. */
  private noObject(node: ExprNode, scope: Scope): void {
    if (node.kind === "string") return;
    const type = this.dataTypeOf(node, scope);
    if (type.kind !== "class" && type.kind !== "container") return;
    this.host.report.error(
      "verilog/array-value",
      node.loc,
      `'${this.host.sources.text(node.loc)}' is ${type.kind === "class" ? "an object" : "a dynamic array or queue"}; it has no value as a whole here.`,
      type.kind === "class" ? "Name one of its variables." : "Select one element, or ask for its size().",
    );
  }

  /** A cast takes any value for an enumeration, an assignment only its own (IEEE 1800-2017 clause 6.19.3). */
  private casts = false;
  private isMember(node: ExprNode, to: IntegralType, scope: Scope): boolean {
    if (node.kind === "conditional") return this.isMember(node.yes, to, scope) && this.isMember(node.no, to, scope);
    // unknown is no number
    if (node.kind === "number" && node.b !== 0n && (node.a & node.b) === node.b && (node.a & ~node.b) === 0n)
      return true;
    if (node.kind === "bad" || node.kind === "fill") return true;
    const type = this.dataTypeOf(node, scope);
    return type.kind !== "integral" || type.enumeration?.members === to.enumeration!.members;
  }

  /** A string or a real as the bits of a struct's member. */
  private held(node: ExprNode, to: IntegralType, scope: Scope): Expr {
    const { width } = to;
    const { loc } = node;
    if (to.holds === "string") return { op: "convert", arg: this.string(node, scope), width, signed: false, loc };
    const arg = { kind: "expr" as const, expr: this.real(node, scope) };
    return { op: "system", name: "$realtobits", args: [arg], width, signed: false, loc };
  }

  /** An array as the vector that carries it. */
  private arrayValue(node: ExprNode, to: IntegralType, scope: Scope): Expr {
    const { refs, report } = this.host;
    const ref = refs.isReference(node) ? refs.resolve(node, scope) : null;
    if (ref?.kind === "data" && ref.type.kind === "array")
      return refs.arrayBits(ref, to) ?? this.unknown(to.width, node.loc);
    const type = this.dataTypeOf(node, scope);
    const value = this.selfDetermined(node, scope);
    if (type.kind === "integral" && type.unpacked && type.width === to.width) return value;
    report.error(
      "verilog/array-value",
      node.loc,
      `A ${typeText(to)} needs another array, or a pattern '{...}.`,
      "Write '{default: value} to fill it.",
    );
    return this.unknown(to.width, node.loc);
  }

  /** Sized and signed by a context that the caller knows, such as the labels of a case. */
  contextual(node: ExprNode, width: number, signed: boolean, scope: Scope): Expr {
    return this.build(node, width, signed, scope);
  }

  /** One bit: 1 if any bit of the value is. */
  condition(node: ExprNode, scope: Scope): Expr {
    return this.truth(this.selfDetermined(node, scope));
  }

  truth(expr: Expr): Expr {
    const { loc } = expr;
    if (expr.form === "real") {
      const zero: Expr = { op: "realconst", value: 0, width: 64, signed: true, form: "real", loc };
      return { op: "binary", kind: "ne", left: expr, right: zero, operandSigned: true, width: 1, signed: false, loc };
    }
    if (expr.form === "string") {
      const none: Expr = { op: "strconst", value: "", width: 0, signed: false, form: "string", loc };
      return { op: "binary", kind: "ne", left: expr, right: none, operandSigned: false, width: 1, signed: false, loc };
    }
    return expr.width === 1 ? expr : { op: "unary", kind: "redor", arg: expr, width: 1, signed: false, loc };
  }

  /** A constant, or null after a finding. */
  constant(node: ExprNode, scope: Scope, what: string, to?: DataType): Constant | null {
    const { report } = this.host;
    const before = report.findings.length;
    const expr = to ? this.assigned(node, to, scope) : this.selfDetermined(node, scope);
    const type = to ?? this.dataTypeOf(node, scope);
    const value = this.fold(expr);
    if (value !== null) {
      const own: DataType =
        expr.form === "real"
          ? realType
          : expr.form === "string"
            ? stringType
            : type.kind === "integral" && type.width === expr.width
              ? type
              : vectorType(expr.width, expr.signed);
      return { value, type: own };
    }
    if (report.findings.length === before) {
      report.error(
        "verilog/not-constant",
        node.loc,
        `${what} must be a constant.`,
        "Use numbers, parameters, genvars and constant functions only.",
      );
    }
    return null;
  }

  /** A constant as a plain integer, or null after a finding. */
  integer(node: ExprNode, scope: Scope, what: string): number | null {
    if (node.kind === "number" && node.b === 0n && node.a < 0x7fffffffn) return Number(node.a);
    const constant = this.constant(node, scope, what);
    if (!constant) return null;
    const number = toInteger(constant);
    if (number === null)
      this.host.report.error(
        "verilog/not-constant",
        node.loc,
        `${what} has unknown bits or is far too large.`,
        "Use an ordinary whole number.",
      );
    return number;
  }

  /** For sizing only: whoever builds the node reports what is wrong. */
  quietInteger(node: ExprNode, scope: Scope): number | null {
    if (node.kind === "number" && node.b === 0n && node.a < 0x7fffffffn) return Number(node.a);
    const value = this.fold(this.selfDetermined(node, scope));
    if (value === null) return null;
    const type = this.typeOf(node, scope);
    return toInteger({
      value,
      type: type.form === "real" ? realType : vectorType(Math.max(1, type.width), type.signed),
    });
  }

  /** Value of a constant expression, constant functions run. */
  fold(expr: Expr): AnyValue | null {
    return evaluateAny(expr, (inner) => {
      if (inner.op === "call") return runConstant(inner, this.host);
      if (inner.op === "element") {
        const known = this.host.constantArrays.get(inner.signal);
        let at = 0;
        for (let d = 0; known && d < inner.index.length; d++) {
          const own = this.fold(inner.index[d]);
          if (typeof own !== "object" || !own || own.b) return null;
          at = at * sizeOf(inner.signal.dims[d]) + Number(own.a);
        }
        return known?.get(at) ?? null;
      }
      if (inner.op !== "system") return null;
      const values: AnyValue[] = [];
      const widths: number[] = [];
      for (const arg of inner.args) {
        const value = arg.kind === "expr" ? this.fold(arg.expr) : null;
        if (value === null || arg.kind !== "expr") return null;
        values.push(value);
        widths.push(arg.expr.width);
      }
      return systemValue(inner.name, values, widths);
    });
  }

  // ---- small makers -------------------------------------------------------------------------------------------

  number(value: bigint, width: number, loc: Loc): Expr {
    return { op: "const", value: { a: BigInt.asUintN(width, value), b: 0n }, width, signed: true, loc };
  }

  unknown(width: number, loc: Loc): Expr {
    const ones = (1n << BigInt(width)) - 1n;
    return { op: "const", value: { a: ones, b: ones }, width, signed: false, loc };
  }

  plus(arg: Expr, by: number): Expr {
    const { loc } = arg;
    const width = Math.max(arg.width, Math.abs(by).toString(2).length + 1) + 2;
    const left: Expr = { op: "extend", arg, bySign: arg.signed, width, signed: true, loc };
    return {
      op: "binary",
      kind: "add",
      left,
      right: this.number(BigInt(by), width, loc),
      operandSigned: true,
      width,
      signed: true,
      loc,
    };
  }

  ofConstant(constant: Constant, loc: Loc): Expr {
    const { value, type } = constant;
    if (typeof value === "number") return { op: "realconst", value, width: 64, signed: true, form: "real", loc };
    if (typeof value === "string") return { op: "strconst", value, width: 0, signed: false, form: "string", loc };
    const { width, signed } = typeOfData(type);
    return { op: "const", value, width, signed, loc };
  }

  resize(expr: Expr, width: number, loc: Loc): Expr {
    if (expr.width === width) return expr;
    return { op: "extend", arg: expr, bySign: expr.signed, width, signed: expr.signed, loc };
  }

  /** An operand in a context of `width` bits and the given sign: the sign of the context rules the extension. */
  fit(expr: Expr, width: number, signed: boolean): Expr {
    if (expr.form) return { op: "convert", arg: expr, width, signed, loc: expr.loc };
    if (expr.width === width) return expr.signed === signed ? expr : { ...expr, signed };
    return { op: "extend", arg: expr, bySign: signed, width, signed, loc: expr.loc };
  }

  // ---- types, from the leaves up ------------------------------------------------------------------------------

  /** The data type of a node: that of what it names, or a plain vector. */
  dataTypeOf(given: ExprNode, scope: Scope): DataType {
    const { refs, types, calls } = this.host;
    const node = this.host.standsFor(given, scope);
    if (refs.isReference(node)) {
      const ref = refs.resolve(node, scope);
      return ref?.kind === "data" ? ref.type : vectorType(1);
    }
    if (node.kind === "cast" && typeof node.to === "object" && isTypeNode(node.to)) {
      const to = this.castType(node.to, scope);
      if (typeof to !== "number") return to;
    }
    if (node.kind === "type") return types.bind(node.type, scope);
    if (node.kind === "null") return { kind: "class", info: null };
    if (node.kind === "newobject") return node.type ? types.bind(node.type, scope) : { kind: "class", info: null };
    if (node.kind === "call") {
      const type = calls.typeOf(node, scope);
      if (type) return type;
    }
    if (node.kind === "conditional") {
      const yes = this.dataTypeOf(node.yes, scope);
      const no = this.dataTypeOf(node.no, scope);
      if (yes === no) return yes;
      if (yes.kind === "class" && no.kind === "class") return yes.info ? yes : no;
    }
    const type = this.typeOf(node, scope);
    return type.form === "real"
      ? realType
      : type.form === "string"
        ? stringType
        : vectorType(Math.max(1, type.width), type.signed);
  }

  /**
   * A long chain of one operator as a balanced tree, so that nothing is as deep as the text is long. Only where the order
   * in which bits are put together makes no difference: reals are rounded at every step.
   */
  private balanced(given: ExprNode, scope: Scope): ExprNode {
    const node = this.host.standsFor(given, scope);
    if (node.kind !== "binary" || !associative.has(node.op)) return node;
    const { op } = node;
    let length = 1;
    for (let at: ExprNode = node; at.kind === "binary" && at.op === op; at = at.left) length++;
    if (length < longChain) return node;
    const known = this.chains.get(node);
    if (known) return known;
    const terms: ExprNode[] = [];
    let at: ExprNode = node;
    for (; at.kind === "binary" && at.op === op; at = at.left) terms.push(at.right);
    terms.push(at);
    terms.reverse();
    const form = terms.some((term) => this.typeOf(term, scope).form !== undefined);
    const tree = (from: number, to: number): ExprNode => {
      if (to - from === 1) return terms[from];
      const middle = (from + to) >> 1;
      return { ...node, left: tree(from, middle), right: tree(middle, to) };
    };
    const made = form ? node : tree(0, terms.length);
    this.chains.set(node, made);
    return made;
  }
  private readonly chains = new WeakMap<ExprNode, ExprNode>();

  typeOf(given: ExprNode, scope: Scope): ExprType {
    const node = this.balanced(given, scope);
    // asked for at every level above it: a long chain of operators is gone through once
    if (isLeaf(node.kind)) return this.findType(node, scope);
    if (this.typeScope !== scope || this.types.size > 2_000_000) {
      this.types = new Map();
      this.typeScope = scope;
    }
    const known = this.types.get(node);
    if (known) return known;
    const type = this.findType(node, scope);
    if (this.typeScope === scope) this.types.set(node, type);
    return type;
  }
  private types = new Map<ExprNode, ExprType>();
  private typeScope: Scope | null = null;

  private findType(node: ExprNode, scope: Scope): ExprType {
    switch (node.kind) {
      case "number":
        return {
          width: node.width ?? Math.max(32, (node.a | node.b).toString(2).length + (node.based ? 0 : 1)),
          signed: node.signed,
        };
      case "real":
      case "time":
        return realForm;
      case "last":
        return { width: 32, signed: true };
      case "fill":
      case "new":
        return bit;
      case "null":
      case "newobject":
        return stringForm;
      case "string":
        return { width: Math.max(8, node.text.length * 8), signed: false };
      case "name":
      case "scoped":
      case "member":
      case "index":
      case "range":
        return typeOfData(this.dataTypeOf(node, scope));
      case "unary": {
        if (node.op === "!" || reductions[node.op]) return bit;
        return this.typeOf(node.operand, scope);
      }
      case "binary": {
        if (comparisons.has(node.op) || logicals.has(node.op)) return bit;
        const left = this.typeOf(node.left, scope);
        if (selfRight.has(node.op)) {
          if (node.op === "**" && (left.form === "real" || this.typeOf(node.right, scope).form === "real"))
            return realForm;
          return left;
        }
        return join(left, this.typeOf(node.right, scope));
      }
      case "step":
        return this.typeOf(node.target, scope);
      case "conditional":
        return joinChoice(this.typeOf(node.yes, scope), this.typeOf(node.no, scope), node);
      case "concat":
      case "repeat": {
        const live = node.parts.filter((part) => !this.isNothing(part, scope));
        const types = (live.length ? live : node.parts).map((part) => this.typeOf(part, scope));
        if (types.some((type) => type.form === "string")) return stringForm;
        const width = types.reduce((sum, type) => sum + (type.form ? 64 : type.width), 0);
        if (node.kind === "concat") return { width, signed: false };
        const count = Math.max(0, this.quietInteger(node.count, scope) ?? 1);
        return { width: Math.max(1, Math.min(maxVectorWidth, count * width)), signed: false };
      }
      case "cast": {
        if (node.to === "signed" || node.to === "unsigned") {
          const { width } = this.typeOf(node.value, scope);
          return { width, signed: node.to === "signed" };
        }
        const to = this.castType(node.to, scope);
        if (typeof to === "number") return { width: to, signed: this.typeOf(node.value, scope).signed };
        return typeOfData(to);
      }
      case "call":
        return typeOfData(this.host.calls.typeOf(node, scope) ?? vectorType(1));
      case "stream":
        return { width: streamWidth(this.host, node, scope), signed: false };
      case "pattern":
        return bit;
      case "inside":
      case "bad":
      case "type":
      case "unstream":
        return bit;
    }
  }

  /** A type, or a number of bits. A name may be either. */
  private castType(to: TypeNode | ExprNode, scope: Scope): DataType | number {
    if (to.kind === "named" && to.dims.length === 0) {
      const where = to.scope === null ? scope : this.host.packageScope(to.scope, to.loc);
      const meaning = to.scope === null ? where?.find(to.name) : where?.own(to.name);
      if (meaning?.kind === "constant") return toInteger(meaning.constant) ?? 1;
    }
    if (isTypeNode(to)) return this.host.types.bind(to, scope);
    return Math.max(1, Math.min(maxVectorWidth, this.quietInteger(to, scope) ?? 1));
  }

  // ---- expressions, from the context down ---------------------------------------------------------------------

  private build(given: ExprNode, width: number, signed: boolean, scope: Scope): Expr {
    const node = this.balanced(given, scope);
    const { loc } = node;
    switch (node.kind) {
      case "null":
      case "newobject":
        this.noObject(node, scope);
        return this.unknown(width, loc);
      case "last":
        return this.fit(this.host.containers.last(loc), width, signed);
      case "new":
        this.host.report.error(
          "verilog/value",
          loc,
          "'new[...]' makes a dynamic array, and this is none.",
          "Assign it to one.",
        );
        return this.unknown(width, loc);
      case "number": {
        const own = this.typeOf(node, scope).width;
        let { a, b } = node;
        const top = 1n << BigInt(own - 1);
        if (node.width === null && node.based && (b & top) !== 0n && width > own) {
          // an unsized literal that starts with x or z goes on so (clause 3.5.1)
          const more = ((1n << BigInt(width - own)) - 1n) << BigInt(own);
          b |= more;
          if (a & top) a |= more;
          return { op: "const", value: { a, b }, width, signed, loc };
        }
        if (own === width) return { op: "const", value: { a, b }, width, signed, loc };
        return this.folded({ op: "const", value: { a, b }, width: own, signed: node.signed, loc }, width, signed);
      }
      case "fill": {
        const ones = (1n << BigInt(width)) - 1n;
        const value = {
          a: node.bit === "1" || node.bit === "x" ? ones : 0n,
          b: node.bit === "x" || node.bit === "z" ? ones : 0n,
        };
        return { op: "const", value, width, signed, loc };
      }
      case "string": {
        const own = Math.max(8, node.text.length * 8);
        return this.folded(
          { op: "const", value: { a: stringBits(node.text), b: 0n }, width: own, signed: false, loc },
          width,
          signed,
        );
      }
      case "real":
      case "time":
        return {
          op: "const",
          value: { a: BigInt.asUintN(width, roundReal(this.realValue(node, scope))), b: 0n },
          width,
          signed,
          loc,
        };
      case "name":
      case "scoped":
      case "member":
      case "index":
      case "range": {
        const ref = this.host.refs.resolve(node, scope);
        if (!ref) return this.unknown(width, loc);
        if (ref.kind !== "data") {
          this.noValue(node, ref.kind);
          return this.unknown(width, loc);
        }
        return this.fit(this.host.refs.read(ref), width, signed);
      }
      case "unary":
        return this.buildUnary(node, width, signed, scope);
      case "binary":
        return this.buildBinary(node, width, signed, scope);
      case "step":
        return this.fit(this.host.calls.step(node, scope), width, signed);
      case "conditional": {
        const test = this.condition(node.test, scope);
        const yes = this.build(node.yes, width, signed, scope);
        return { op: "cond", test, yes, no: this.build(node.no, width, signed, scope), width, signed, loc };
      }
      case "concat":
        return this.fit(this.concat(node.parts, loc, scope), width, signed);
      case "repeat": {
        const count = this.integer(node.count, scope, "A replication count");
        if (count === null) return this.unknown(width, loc);
        const once = this.concat(node.parts, loc, scope);
        if (count < 1 || count * once.width > maxVectorWidth) {
          this.host.report.error(
            "verilog/replication",
            node.count.loc,
            `A replication count of ${count} makes no vector.`,
            `Use a count of at least 1, and at most ${maxVectorWidth} bits in all.`,
          );
          return this.unknown(width, loc);
        }
        return this.fit(
          { op: "repeat", count, arg: once, width: once.width * count, signed: false, loc },
          width,
          signed,
        );
      }
      case "pattern":
        this.host.report.error(
          "verilog/pattern",
          loc,
          "The type of this pattern is not known here.",
          "Write the type before it, as in word_t'{...}.",
        );
        return this.unknown(width, loc);
      case "cast":
        return this.fit(this.cast(node, scope), width, signed);
      case "inside":
        return this.fit(this.inside(node, scope), width, signed);
      case "call":
        return this.fit(this.host.calls.build(node, scope), width, signed);
      case "type":
        this.host.report.error(
          "verilog/type",
          loc,
          "A data type is no value.",
          "Write a value, or cast one with '(...).",
        );
        return this.unknown(width, loc);
      case "stream": {
        const value = streamValue(this.host, node, scope);
        if (value && value.width !== width)
          this.host.report.error(
            "verilog/stream",
            loc,
            `This stream has ${value.width} bits; ${width} are wanted here.`,
            "Cast it to as many as it has, or assign it to a variable first.",
          );
        return value && value.width === width ? value : this.unknown(width, loc);
      }
      case "unstream":
      case "bad":
        return this.unknown(width, loc);
    }
  }

  private folded(expr: Expr, width: number, signed: boolean): Expr {
    const fitted = this.fit(expr, width, signed);
    return { op: "const", value: evaluate(fitted)!, width, signed, loc: expr.loc };
  }

  private noValue(node: ExprNode, kind: string): void {
    const what: Record<string, string> = {
      subroutine: "a function or task; it needs its arguments",
      type: "a type",
      scope: "an instance or a block",
      scopes: "an array of instances or blocks",
      block: "a block",
      class: "a class",
      assertion: "a property or a sequence",
      genvar: "a genvar outside of its loop",
    };
    this.host.report.error(
      "verilog/value",
      node.loc,
      `'${this.host.sources.text(node.loc)}' is ${what[kind] ?? "no value"}.`,
      kind === "subroutine" ? "Add them in parentheses." : "Name a net, a variable or a constant.",
    );
  }

  private buildUnary(node: ExprNode & { kind: "unary" }, width: number, signed: boolean, scope: Scope): Expr {
    const { loc } = node;
    const reduction = reductions[node.op];
    if (reduction || node.op === "!") {
      const arg = this.selfDetermined(node.operand, scope);
      if (arg.form) {
        if (reduction) this.needsBits(node.op, loc);
        return this.fit(
          { op: "unary", kind: "lognot", arg: this.truth(arg), width: 1, signed: false, loc },
          width,
          signed,
        );
      }
      let result: Expr = {
        op: "unary",
        kind: reduction ? reduction.kind : "lognot",
        arg,
        width: 1,
        signed: false,
        loc,
      };
      if (reduction?.invert) result = { op: "unary", kind: "lognot", arg: result, width: 1, signed: false, loc };
      return this.fit(result, width, signed);
    }
    if (this.typeOf(node.operand, scope).form) {
      if (node.op === "~") this.needsBits(node.op, loc);
      return { op: "convert", arg: this.real(node, scope), width, signed, loc };
    }
    const arg = this.build(node.operand, width, signed, scope);
    if (node.op === "+") return arg;
    return { op: "unary", kind: node.op === "~" ? "not" : "neg", arg, width, signed, loc };
  }

  private needsBits(op: string, loc: Loc): void {
    this.host.report.error(
      "verilog/real-operand",
      loc,
      `The operator ${op} takes no real or string.`,
      "Convert it first, with $rtoi.",
    );
  }

  private buildBinary(node: ExprNode & { kind: "binary" }, width: number, signed: boolean, scope: Scope): Expr {
    const { op, loc } = node;
    const kind = binaryKinds[op];
    if (logicals.has(op)) {
      let left = this.condition(node.left, scope);
      const right = this.condition(node.right, scope);
      if (op === "->") left = { op: "unary", kind: "lognot", arg: left, width: 1, signed: false, loc };
      return this.fit(
        { op: "binary", kind, left, right, operandSigned: false, width: 1, signed: false, loc },
        width,
        signed,
      );
    }
    const leftType = this.typeOf(node.left, scope);
    const rightType = this.typeOf(node.right, scope);
    if (comparisons.has(op)) {
      let left: Expr;
      let right: Expr;
      let operandSigned = false;
      const handles = this.host.virtuals.comparison(node, scope);
      if (handles) return this.fit(handles, width, signed);
      const arrays = this.arrayComparison(node, scope);
      if (arrays) return this.fit(arrays, width, signed);
      const objects = this.objectComparison(node, scope);
      if (objects) return this.fit(objects, width, signed);
      if (leftType.form === "string" || rightType.form === "string") {
        this.noObject(node.left, scope);
        this.noObject(node.right, scope);
        left = this.string(node.left, scope);
        right = this.string(node.right, scope);
      } else if (leftType.form || rightType.form) {
        left = this.real(node.left, scope);
        right = this.real(node.right, scope);
      } else {
        const type = join(leftType, rightType);
        operandSigned = type.signed;
        left = this.patternOr(node.left, node.right, type, scope);
        right = this.patternOr(node.right, node.left, type, scope);
      }
      return this.fit({ op: "binary", kind, left, right, operandSigned, width: 1, signed: false, loc }, width, signed);
    }
    if (leftType.form || rightType.form) {
      if (selfRight.has(op) && op !== "**") {
        this.needsBits(op, loc);
        return this.unknown(width, loc);
      }
      return { op: "convert", arg: this.real(node, scope), width, signed, loc };
    }
    const left = this.build(node.left, width, signed, scope);
    const right = selfRight.has(op)
      ? this.selfDetermined(node.right, scope)
      : this.build(node.right, width, signed, scope);
    const result: Expr = { op: "binary", kind, left, right, operandSigned: signed, width, signed, loc };
    return op === "~^" ? { op: "unary", kind: "not", arg: result, width, signed, loc } : result;
  }

  private patternOr(node: ExprNode, other: ExprNode, type: ExprType, scope: Scope): Expr {
    if (node.kind === "pattern") return this.pattern(node, this.dataTypeOf(other, scope), scope);
    return this.build(node, type.width, type.signed, scope);
  }

  /** Whether two handles are of one object. */
  private objectComparison(node: ExprNode & { kind: "binary" }, scope: Scope): Expr | null {
    const [left, right] = [node.left, node.right].map((each) => this.dataTypeOf(each, scope));
    if (left.kind !== "class" && right.kind !== "class") return null;
    const { loc } = node;
    const { classes, report } = this.host;
    if (!/^[!=]==?$/.test(node.op))
      report.error(
        "verilog/type",
        loc,
        `Objects have no order: '${node.op}' is not for them.`,
        "Compare their variables.",
      );
    const any = { kind: "class" as const, info: null };
    return {
      op: "binary",
      kind: node.op[0] === "!" ? "ne" : "eq",
      left: classes.handle(node.left, any, scope),
      right: classes.handle(node.right, any, scope),
      operandSigned: false,
      width: 1,
      signed: false,
      loc,
    };
  }

  /** Equality of two arrays: of all their elements. */
  private arrayComparison(node: ExprNode & { kind: "binary" }, scope: Scope): Expr | null {
    const { refs, report } = this.host;
    const sides = [node.left, node.right].map((side) => this.host.standsFor(side, scope));
    if (!sides.every((side) => refs.isReference(side))) return null;
    const [left, right] = sides.map((side) => refs.resolve(side, scope));
    if (left?.kind !== "data" || right?.kind !== "data" || left.type.kind !== "array" || right.type.kind !== "array")
      return null;
    const kind = binaryKinds[node.op];
    const count = (type: DataType) => unpackedDims(type).dims.reduce((product, dim) => product * sizeOf(dim), 1);
    const size = count(left.type);
    if (size !== count(right.type) || !/^(==|!=|===|!==)$/.test(node.op) || size > 4096) {
      report.error(
        "verilog/array-value",
        node.loc,
        "These arrays cannot be compared.",
        "Compare arrays of the same size with == or !=.",
      );
      return this.unknown(1, node.loc);
    }
    const others = refs.elements(right);
    const pairs = refs.elements(left).map((each, i): Expr => {
      const [x, y] = [refs.read(each), refs.read(others[i])];
      const width = Math.max(x.width, y.width);
      return {
        op: "binary",
        kind: kind === "ne" ? "eq" : kind === "cne" ? "ceq" : kind,
        left: x.form ? x : this.fit(x, width, false),
        right: y.form ? y : this.fit(y, width, false),
        operandSigned: false,
        width: 1,
        signed: false,
        loc: node.loc,
      };
    });
    const all = pairs.reduce(
      (sum, one): Expr => ({
        op: "binary",
        kind: "and",
        left: sum,
        right: one,
        operandSigned: false,
        width: 1,
        signed: false,
        loc: node.loc,
      }),
    );
    return kind === "ne" || kind === "cne"
      ? { op: "unary", kind: "not", arg: all, width: 1, signed: false, loc: node.loc }
      : all;
  }

  private concat(nodes: readonly ExprNode[], loc: Loc, scope: Scope): Expr {
    if (nodes.length === 0) {
      this.host.report.error(
        "verilog/value",
        loc,
        "Empty braces have no value here.",
        "Only a queue can be assigned {}.",
      );
      return this.unknown(1, loc);
    }
    // beside others a part may be repeated no times (IEEE 1364-2005 clause 5.1.14)
    const live = nodes.filter((part) => !this.isNothing(part, scope));
    const parts = (live.length ? live : nodes).map((part): Expr => {
      if (part.kind === "number" && part.width === null) {
        this.host.report.error(
          "verilog/unsized",
          part.loc,
          "A number without a size cannot stand in a concatenation.",
          "Give it one, such as 4'd3.",
        );
      }
      const expr = this.selfDetermined(part, scope);
      if (expr.form === "real") {
        this.needsBits("{}", part.loc);
        return this.unknown(64, part.loc);
      }
      return expr.form ? { op: "convert", arg: expr, width: 8, signed: false, loc: part.loc } : expr;
    });
    if (parts.length === 1) return parts[0].signed ? { ...parts[0], signed: false } : parts[0];
    return { op: "concat", parts, width: parts.reduce((sum, part) => sum + part.width, 0), signed: false, loc };
  }

  private isNothing(node: ExprNode, scope: Scope): boolean {
    return node.kind === "repeat" && this.quietInteger(node.count, scope) === 0;
  }

  private cast(node: ExprNode & { kind: "cast" }, scope: Scope): Expr {
    const { loc } = node;
    if (node.to === "signed" || node.to === "unsigned") {
      const arg = this.selfDetermined(node.value, scope);
      if (arg.form) return { op: "convert", arg, width: 32, signed: node.to === "signed", loc };
      return { ...arg, signed: node.to === "signed" };
    }
    const to = this.castType(node.to, scope);
    if (typeof to === "number") {
      if (!isTypeNode(node.to) && this.integer(node.to, scope, "The size of a cast") === null)
        return this.unknown(1, loc);
      const type = this.typeOf(node.value, scope);
      if (type.form)
        return {
          op: "convert",
          arg: this.inForm(node.value, type, scope),
          width: to,
          signed: type.form === "real",
          loc,
        };
      return this.resize(this.build(node.value, Math.max(to, type.width), type.signed, scope), to, loc);
    }
    const outer = this.casts;
    this.casts = true;
    try {
      const value = this.assigned(node.value, to, scope);
      return to.kind === "integral" ? { ...value, signed: to.signed } : value;
    } finally {
      this.casts = outer;
    }
  }

  /** The elements of an array in a set of values, each by itself (IEEE 1800-2017 clause 11.4.13); null for others. */
  elementsIn(range: ExprNode | SpanNode, scope: Scope): ExprNode[] | null {
    const { refs } = this.host;
    if (range.kind === "span" || !refs.isReference(range)) return null;
    const type = this.dataTypeOf(range, scope);
    const dims = type.kind === "integral" ? type.dims.slice(0, type.unpacked?.count ?? 0) : unpackedDims(type).dims;
    if (dims.length === 0) return null;
    let list: ExprNode[] = [range];
    for (const dim of dims) {
      const step = dim.left <= dim.right ? 1 : -1;
      const next: ExprNode[] = [];
      for (const base of list)
        for (let i = dim.left; i !== dim.right + step; i += step) {
          const { loc } = range;
          const plain: ExprNode = {
            kind: "number",
            width: null,
            signed: true,
            based: false,
            a: BigInt(Math.abs(i)),
            b: 0n,
            loc,
          };
          next.push({
            kind: "index",
            base,
            index: i < 0 ? { kind: "unary", op: "-", operand: plain, loc } : plain,
            loc,
          });
        }
      list = next;
    }
    return list;
  }

  private inside(node: ExprNode & { kind: "inside" }, scope: Scope): Expr {
    const tests = node.ranges
      .flatMap((range) => this.elementsIn(range, scope) ?? [range])
      .map((range) => this.membership(node.value, range, scope));
    return tests.reduce(
      (sum, test): Expr => ({
        op: "binary",
        kind: "logor",
        left: sum,
        right: test,
        operandSigned: false,
        width: 1,
        signed: false,
        loc: node.loc,
      }),
    );
  }

  /** One member of `inside`, or of a `case ... inside`: equal with wildcards, or between two bounds. */
  membership(value: ExprNode, range: ExprNode | SpanNode, scope: Scope): Expr {
    const { loc } = range;
    if (range.kind !== "span")
      return this.buildBinary(
        { kind: "binary", op: this.typeOf(value, scope).form ? "==" : "==?", left: value, right: range, loc },
        1,
        false,
        scope,
      );
    const tests: Expr[] = [];
    if (range.low)
      tests.push(this.buildBinary({ kind: "binary", op: ">=", left: value, right: range.low, loc }, 1, false, scope));
    if (range.high)
      tests.push(this.buildBinary({ kind: "binary", op: "<=", left: value, right: range.high, loc }, 1, false, scope));
    if (tests.length === 0) return this.number(1n, 1, loc);
    if (tests.length === 1) return tests[0];
    return {
      op: "binary",
      kind: "logand",
      left: tests[0],
      right: tests[1],
      operandSigned: false,
      width: 1,
      signed: false,
      loc,
    };
  }

  // ---- patterns -----------------------------------------------------------------------------------------------

  /** `'{...}` for a struct or a packed array (IEEE 1800-2017 clause 10.9). */
  pattern(node: ExprNode & { kind: "pattern" }, to: DataType, scope: Scope): Expr {
    const { report } = this.host;
    const { loc } = node;
    if (to.kind !== "integral") {
      report.error(
        "verilog/pattern",
        loc,
        `A ${typeText(to)} takes no pattern here.`,
        "Assign its elements one by one.",
      );
      return this.unknown(1, loc);
    }
    const fields: { name: string | number; type: IntegralType }[] = [];
    if (to.struct && to.dims.length === 0) fields.push(...to.struct.members);
    else {
      const dim = to.dims[0] ?? { left: to.width - 1, right: 0 };
      const step = dim.left >= dim.right ? -1 : 1;
      const width = to.width / sizeOf(dim);
      const element: IntegralType = to.unpacked
        ? elementOf(to)
        : { ...to, width, dims: to.dims.slice(1), enumeration: null, name: null };
      for (let i = dim.left; i !== dim.right + step; i += step) fields.push({ name: i, type: element });
    }
    const values = new Array<Expr | null>(fields.length).fill(null);
    let fallback: ExprNode | null = null;
    const count = node.count ? (this.integer(node.count, scope, "A replication count") ?? 1) : 1;
    const positional = node.items.filter((item) => item.key === null);
    if (positional.length && positional.length * count !== fields.length)
      report.error(
        "verilog/pattern",
        loc,
        `This pattern gives ${positional.length * count} value(s) for ${fields.length}.`,
        "Give one for each member, or use default:.",
      );
    let at = 0;
    for (let round = 0; round < count; round++) {
      for (const item of positional) {
        if (at < fields.length) values[at] = this.assigned(item.value, fields[at].type, scope);
        at++;
      }
    }
    for (const item of node.items) {
      if (item.key === null) continue;
      if (item.key === "default") {
        fallback = item.value;
        continue;
      }
      const name =
        to.struct && item.key.kind === "name" ? item.key.name : this.integer(item.key, scope, "The key of a pattern");
      const index = fields.findIndex((field) => field.name === name);
      if (index < 0) {
        report.error("verilog/pattern", item.key.loc, `There is no '${name}' in ${typeText(to)}.`, "Correct the key.");
        continue;
      }
      values[index] = this.assigned(item.value, fields[index].type, scope);
    }
    const parts = fields.map((field, i) => {
      if (values[i]) return values[i];
      if (fallback)
        return fallback.kind === "pattern" || !field.type.struct
          ? this.assigned(fallback, field.type, scope)
          : this.filled(fallback, field.type, scope);
      if (positional.length === 0)
        report.error(
          "verilog/pattern",
          loc,
          `This pattern gives no value for '${field.name}'.`,
          "Add it, or default:.",
        );
      return this.unknown(field.type.width, loc);
    });
    if (parts.length === 1) return parts[0];
    return { op: "concat", parts, width: to.width, signed: false, loc };
  }

  /** A default goes down to every member of a nested struct. */
  private filled(node: ExprNode, to: IntegralType, scope: Scope): Expr {
    return this.pattern(
      { kind: "pattern", items: [{ key: "default", value: node }], count: null, loc: node.loc },
      to,
      scope,
    );
  }

  // ---- reals and strings --------------------------------------------------------------------------------------

  private realValue(node: ExprNode & { kind: "real" | "time" }, scope: Scope): number {
    if (node.kind === "real") return node.value;
    const { unit, precision } = scope.instance.timeScale;
    // to the precision of the module, then in its unit (IEEE 1800-2017 clause 5.8)
    const steps = Math.round(node.value * 10 ** (node.exponent - precision));
    return Number((steps * 10 ** (precision - unit)).toPrecision(15));
  }

  real(given: ExprNode, scope: Scope): Expr {
    const node = this.host.standsFor(given, scope);
    const { loc } = node;
    const make = { width: 64, signed: true, form: "real" as const, loc };
    const type = this.typeOf(node, scope);
    if (type.form !== "real") {
      const arg = this.inForm(node, type, scope);
      if (arg.op === "const") {
        const value = evaluateAny({ op: "convert", arg, ...make });
        if (typeof value === "number") return { op: "realconst", value, ...make };
      }
      return { op: "convert", arg, ...make };
    }
    switch (node.kind) {
      case "real":
      case "time":
        return { op: "realconst", value: this.realValue(node, scope), ...make };
      case "unary": {
        const arg = this.real(node.operand, scope);
        if (node.op === "+") return arg;
        if (node.op !== "-") this.needsBits(node.op, loc);
        return { op: "unary", kind: "neg", arg, ...make };
      }
      case "binary": {
        const kind = binaryKinds[node.op];
        if (!/^(add|sub|mul|div|pow)$/.test(kind)) this.needsBits(node.op, loc);
        return {
          op: "binary",
          kind,
          left: this.real(node.left, scope),
          right: this.real(node.right, scope),
          operandSigned: true,
          ...make,
        };
      }
      case "conditional": {
        const test = this.condition(node.test, scope);
        return { op: "cond", test, yes: this.real(node.yes, scope), no: this.real(node.no, scope), ...make };
      }
      case "call":
        return this.host.calls.build(node, scope);
      case "cast":
        return this.cast(node, scope);
      case "step":
        return this.host.calls.step(node, scope);
      default: {
        const ref = this.named(node, scope);
        return ref ? this.host.refs.read(ref) : { op: "realconst", value: 0, ...make };
      }
    }
  }

  /** What a real or string is read from; an operator that takes neither is reported. */
  private named(node: ExprNode, scope: Scope): DataRef | null {
    if (!this.host.refs.isReference(node)) {
      if (node.kind !== "bad")
        this.host.report.error(
          "verilog/real-operand",
          node.loc,
          "This operator takes no real or string.",
          "Convert it first, with $rtoi.",
        );
      return null;
    }
    const ref = this.host.refs.resolve(node, scope);
    return ref?.kind === "data" ? ref : null;
  }

  string(given: ExprNode, scope: Scope): Expr {
    const node = this.host.standsFor(given, scope);
    const { loc } = node;
    const make = { width: 0, signed: false, form: "string" as const, loc };
    if (node.kind === "string") return { op: "strconst", value: node.text, ...make };
    const type = this.typeOf(node, scope);
    if (type.form !== "string") {
      if (node.kind === "conditional") {
        const test = this.condition(node.test, scope);
        return { op: "cond", test, yes: this.string(node.yes, scope), no: this.string(node.no, scope), ...make };
      }
      return { op: "convert", arg: this.inForm(node, type, scope), ...make };
    }
    switch (node.kind) {
      case "conditional": {
        const test = this.condition(node.test, scope);
        return { op: "cond", test, yes: this.string(node.yes, scope), no: this.string(node.no, scope), ...make };
      }
      case "concat":
        return { op: "concat", parts: node.parts.map((part) => this.string(part, scope)), ...make };
      case "repeat": {
        const count = this.integer(node.count, scope, "A replication count") ?? 0;
        const once: Expr = { op: "concat", parts: node.parts.map((part) => this.string(part, scope)), ...make };
        return {
          op: "concat",
          parts: Array.from({ length: Math.max(0, Math.min(count, 65536)) }, () => once),
          ...make,
        };
      }
      case "call":
        return this.host.calls.build(node, scope);
      case "cast":
        return this.cast(node, scope);
      case "null":
      case "newobject":
        return this.host.classes.handle(node, { kind: "class", info: null }, scope);
      default: {
        const ref = this.named(node, scope);
        return ref ? this.host.refs.read(ref) : { op: "strconst", value: "", ...make };
      }
    }
  }
}

function isTypeNode(node: TypeNode | ExprNode | "signed" | "unsigned"): node is TypeNode {
  return typeof node === "object" && /^(builtin|enum|struct|named|typeof|virtual)$/.test(node.kind);
}

/** True if the expression can have no x or z. */
export function isTwoState(expr: Expr): boolean {
  switch (expr.op) {
    case "const":
      return expr.value.b === 0n;
    case "signal":
      return !expr.signal.fourState;
    case "twostate":
    case "convert":
      return true;
    case "extend":
    case "repeat":
      return isTwoState(expr.arg);
    case "slice":
      return expr.lsb >= 0 && expr.lsb + expr.width <= expr.arg.width && isTwoState(expr.arg);
    case "concat":
      return expr.parts.every(isTwoState);
    case "unary":
      return isTwoState(expr.arg);
    case "binary":
      if (expr.left.form) return true;
      return (
        expr.kind !== "div" &&
        expr.kind !== "mod" &&
        expr.kind !== "pow" &&
        isTwoState(expr.left) &&
        isTwoState(expr.right)
      );
    case "cond":
      return isTwoState(expr.test) && isTwoState(expr.yes) && isTwoState(expr.no);
    default:
      return false;
  }
}

export function toInteger(constant: Constant): number | null {
  const { value, type } = constant;
  if (typeof value === "string") return null;
  if (typeof value === "number") return Number.isFinite(value) ? Number(roundReal(value)) : null;
  const { width, signed } = typeOfData(type);
  const number = Number(signed ? BigInt.asIntN(width, value.a) : value.a);
  return value.b || !Number.isSafeInteger(number) ? null : number;
}

function join(left: ExprType, right: ExprType): ExprType {
  if (left.form === "real" || right.form === "real") return realForm;
  if (left.form === "string" || right.form === "string") return stringForm;
  return { width: Math.max(left.width, right.width), signed: left.signed && right.signed };
}

function joinChoice(yes: ExprType, no: ExprType, node: ExprNode & { kind: "conditional" }): ExprType {
  // an unsized fill takes its size and sign from the other choice
  if (node.no.kind === "call" && node.no.callee.kind === "name" && node.no.callee.name === noInterface) return yes;
  if (node.yes.kind === "fill") return no;
  if (node.no.kind === "fill") return yes;
  return join(yes, no);
}
