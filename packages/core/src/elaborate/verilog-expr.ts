import { nearestName } from "../common/finding.ts";
import type { Loc } from "../common/source.ts";
import type { BinaryOp, ExprNode, RangeNode, UnaryOp } from "../hdl/verilog/ast.ts";
import { evaluate } from "./evaluate.ts";
import type { BinaryKind, Expr, Signal, Target, TargetPart, UnaryKind, Value } from "./model.ts";
import type { Report } from "./report.ts";
import type { Meaning, Scope } from "./scope.ts";

/**
 * Verilog expressions to typed ones: bit lengths and signs by IEEE 1364-2005 clauses 5.4 and 5.5. `typeOf` works up
 * from the leaves (self-determined size and sign); `build` carries the context's size and sign down again.
 */

interface Type {
  readonly width: number;
  readonly signed: boolean;
}

const maxWidth = 65536;
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
  "&&": "logand",
  "||": "logor",
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
const isComparison = (op: BinaryOp) => /^([=!]==?|[<>]=?)$/.test(op);
const isShiftOrPower = (op: BinaryOp) => op === "**" || op.startsWith("<<") || op.startsWith(">>");
const reductions: Partial<Record<UnaryOp, { kind: UnaryKind; invert: boolean }>> = {
  "&": { kind: "redand", invert: false },
  "~&": { kind: "redand", invert: true },
  "|": { kind: "redor", invert: false },
  "~|": { kind: "redor", invert: true },
  "^": { kind: "redxor", invert: false },
  "~^": { kind: "redxor", invert: true },
};

export class VerilogExpressions {
  /** Types of the nodes of the expression at hand; sizes depend on the scope, so it never outlives one call. */
  private types = new Map<ExprNode, Type>();

  constructor(private readonly report: Report) {}

  /** An expression sized by itself, as in an index or a concatenation. */
  selfDetermined(node: ExprNode, scope: Scope): Expr {
    this.types = new Map();
    return this.self(node, scope);
  }

  /** The right side of an assignment to `width` bits. */
  assigned(node: ExprNode, width: number, scope: Scope): Expr {
    this.types = new Map();
    const type = this.typeOf(node, scope);
    return this.resize(this.build(node, Math.max(width, type.width), type.signed, scope), width, node.loc);
  }

  /** Sized and signed by a context that the caller knows, such as the labels of a case. */
  contextual(node: ExprNode, width: number, signed: boolean, scope: Scope): Expr {
    this.types = new Map();
    return this.build(node, width, signed, scope);
  }

  /** A constant, or null after a finding. */
  constant(node: ExprNode, scope: Scope, what: string): (Value & Type) | null {
    const before = this.report.findings.length;
    const expr = this.selfDetermined(node, scope);
    const value = evaluate(expr);
    if (value) return { ...value, width: expr.width, signed: expr.signed };
    if (this.report.findings.length === before) {
      this.report.error(
        "verilog/not-constant",
        node.loc,
        `${what} must be a constant.`,
        "Use numbers, parameters and genvars only.",
      );
    }
    return null;
  }

  /** A constant as a plain integer, or null after a finding. */
  integer(node: ExprNode, scope: Scope, what: string): number | null {
    const value = this.constant(node, scope, what);
    if (!value) return null;
    const number = Number(value.signed ? BigInt.asIntN(value.width, value.a) : value.a);
    if (value.b || !Number.isSafeInteger(number)) {
      this.report.error(
        "verilog/not-constant",
        node.loc,
        `${what} has unknown bits or is far too large.`,
        "Use an ordinary whole number.",
      );
      return null;
    }
    return number;
  }

  range(range: RangeNode | null, scope: Scope): { msb: number; lsb: number; width: number } {
    if (!range) return { msb: 0, lsb: 0, width: 1 };
    const msb = this.integer(range.left, scope, "A range bound");
    const lsb = this.integer(range.right, scope, "A range bound");
    if (msb === null || lsb === null) return { msb: 0, lsb: 0, width: 1 };
    const width = Math.abs(msb - lsb) + 1;
    if (width > maxWidth) {
      this.report.error(
        "verilog/too-wide",
        range.loc,
        `A vector of ${width} bits is wider than the limit of ${maxWidth}.`,
        "Check the bounds.",
      );
      return { msb: 0, lsb: 0, width: 1 };
    }
    return { msb, lsb, width };
  }

  /** What an assignment changes, or null after a finding. */
  target(node: ExprNode, scope: Scope): Target | null {
    this.types = new Map();
    const parts: TargetPart[] = [];
    if (!this.collectTarget(node, scope, parts)) return null;
    return { parts, width: parts.reduce((sum, part) => sum + part.width, 0) };
  }

  private collectTarget(node: ExprNode, scope: Scope, out: TargetPart[]): boolean {
    if (node.kind === "concat") return node.parts.every((part) => this.collectTarget(part, scope, out));
    if (node.kind === "bad") return false;
    const base = node.kind === "index" || node.kind === "range" ? node.base : node;
    if (base.kind !== "name") {
      this.report.error(
        "verilog/target",
        node.loc,
        "This cannot be assigned to.",
        "Assign to a net, a register, parts of them, or a concatenation of such.",
      );
      return false;
    }
    const meaning = this.lookUp(base.name, base.loc, scope);
    if (meaning?.kind !== "signal") {
      if (meaning)
        this.report.error(
          "verilog/target",
          base.loc,
          `'${base.name}' is not a net or register.`,
          "Assign to a net or a register.",
        );
      return false;
    }
    const { signal } = meaning;
    if (node.kind !== "index" && node.kind !== "range") {
      out.push({ signal, width: signal.width, offset: 0, loc: node.loc });
      return true;
    }
    const select = this.select(node, signal, scope);
    if (!select) return false;
    if (typeof select.offset === "number" && (select.offset < 0 || select.offset + select.width > signal.width)) {
      this.outOfRange(node.loc, base.name, signal);
      return false;
    }
    out.push({ signal, width: select.width, offset: select.offset, loc: node.loc });
    return true;
  }

  lookUp(name: string, loc: Loc, scope: Scope): Meaning | null {
    const meaning = scope.find(name);
    if (!meaning) {
      const near = nearestName(name, scope.visibleNames());
      const at = this.report.sources.place(loc);
      this.report.error(
        "verilog/undeclared",
        loc,
        `'${name}' is not declared.`,
        near ? `Did you mean '${near}'?` : "Declare it before its use.",
        {
          edit: near
            ? {
                file: at.file!,
                label: `Change to '${near}'`,
                line: at.line,
                column: at.column,
                endLine: at.endLine,
                endColumn: at.endColumn,
                text: near,
              }
            : undefined,
        },
      );
      return null;
    }
    if (meaning.kind === "array") {
      this.report.error(
        "verilog/unsupported",
        loc,
        `'${name}' is an array of vectors, which is not supported yet.`,
        "Use one wide vector with part-selects.",
      );
      return null;
    }
    return meaning;
  }

  private outOfRange(loc: Loc, name: string, signal: { msb: number; lsb: number }): void {
    this.report.error(
      "verilog/out-of-range",
      loc,
      `This selects bits outside ${name}[${signal.msb}:${signal.lsb}].`,
      "Correct the index or the declaration.",
    );
  }

  /** Bit offset and width of an index or part-select; bounds are those of the declaration. */
  private select(
    node: ExprNode & { kind: "index" | "range" },
    bounds: { readonly msb: number; readonly lsb: number },
    scope: Scope,
  ): { offset: number | Expr; width: number } | null {
    const { msb, lsb } = bounds;
    const down = msb >= lsb;
    if (node.kind === "index") return { offset: this.offset(node.index, scope, down ? -lsb : lsb, !down), width: 1 };
    if (node.mode === ":") {
      const left = this.integer(node.left, scope, "A part-select bound");
      const right = this.integer(node.right, scope, "A part-select bound");
      if (left === null || right === null) return null;
      if (down ? left < right : left > right) {
        this.report.error(
          "verilog/select-order",
          node.loc,
          `The bounds of this part-select run against the declaration [${msb}:${lsb}].`,
          "Swap the two bounds.",
        );
        return null;
      }
      return { offset: down ? right - lsb : lsb - right, width: Math.abs(left - right) + 1 };
    }
    const width = this.integer(node.right, scope, "The width of a part-select");
    if (width === null) return null;
    if (width < 1 || width > maxWidth) {
      this.report.error(
        "verilog/select-width",
        node.right.loc,
        `A part-select of ${width} bits makes no sense.`,
        "Give a width of at least 1.",
      );
      return null;
    }
    // lowest offset covered: an index i sits at i - lsb (down) or lsb - i (up)
    const towards = node.mode === "+:" ? 0 : 1 - width;
    const shift = down ? towards - lsb : lsb - towards - (width - 1);
    return { offset: this.offset(node.left, scope, shift, !down), width };
  }

  /** `index + shift`, or `shift - index` when `negate`: a number if constant. Wide enough never to wrap. */
  private offset(node: ExprNode, scope: Scope, shift: number, negate: boolean): number | Expr {
    const index = this.self(node, scope);
    const value = evaluate(index);
    if (value && !value.b) {
      const i = Number(index.signed ? BigInt.asIntN(index.width, value.a) : value.a);
      return (negate ? -i : i) + shift;
    }
    if (shift === 0 && !negate) return index;
    const width = Math.max(index.width, Math.abs(shift).toString(2).length) + 2;
    const { loc } = node;
    const wide: Expr = { op: "extend", arg: index, bySign: index.signed, width, signed: true, loc };
    const by = this.number(BigInt(shift), width, loc);
    return negate
      ? { op: "binary", kind: "sub", left: by, right: wide, operandSigned: true, width, signed: true, loc }
      : { op: "binary", kind: "add", left: wide, right: by, operandSigned: true, width, signed: true, loc };
  }

  private number(value: bigint, width: number, loc: Loc): Expr {
    return { op: "const", value: { a: BigInt.asUintN(width, value), b: 0n }, width, signed: true, loc };
  }

  private unknown(width: number, loc: Loc): Expr {
    const ones = (1n << BigInt(width)) - 1n;
    return { op: "const", value: { a: ones, b: ones }, width, signed: false, loc };
  }

  private typeOf(node: ExprNode, scope: Scope): Type {
    let type = this.types.get(node);
    if (!type) {
      type = this.computeType(node, scope);
      this.types.set(node, type);
    }
    return type;
  }

  private computeType(node: ExprNode, scope: Scope): Type {
    const bit = { width: 1, signed: false };
    switch (node.kind) {
      case "number":
        return {
          width: node.width ?? Math.max(32, (node.a | node.b).toString(2).length + (node.based ? 0 : 1)),
          signed: node.signed,
        };
      case "string":
        return { width: Math.max(8, node.text.length * 8), signed: false };
      case "name": {
        const meaning = this.lookUp(node.name, node.loc, scope);
        if (meaning?.kind === "signal") return meaning.signal;
        if (meaning?.kind === "constant") return meaning.constant;
        return bit;
      }
      case "index":
        return bit;
      case "range": {
        if (node.mode !== ":")
          return { width: Math.max(1, Math.min(maxWidth, this.quietInteger(node.right, scope) ?? 1)), signed: false };
        const left = this.quietInteger(node.left, scope) ?? 0;
        const right = this.quietInteger(node.right, scope) ?? 0;
        return { width: Math.min(maxWidth, Math.abs(left - right) + 1), signed: false };
      }
      case "unary":
        return node.op === "!" || reductions[node.op] ? bit : this.typeOf(node.operand, scope);
      case "binary": {
        if (isComparison(node.op) || node.op === "&&" || node.op === "||") return bit;
        if (isShiftOrPower(node.op)) return this.typeOf(node.left, scope);
        return join(this.typeOf(node.left, scope), this.typeOf(node.right, scope));
      }
      case "conditional":
        return join(this.typeOf(node.yes, scope), this.typeOf(node.no, scope));
      case "concat":
        return { width: node.parts.reduce((sum, part) => sum + this.typeOf(part, scope).width, 0), signed: false };
      case "repeat": {
        const count = Math.max(0, this.quietInteger(node.count, scope) ?? 1);
        const width = node.parts.reduce((sum, part) => sum + this.typeOf(part, scope).width, 0);
        return { width: Math.min(maxWidth, count * width), signed: false };
      }
      case "call": {
        if (node.name === "$signed" || node.name === "$unsigned") {
          return {
            width: node.args.length ? this.typeOf(node.args[0], scope).width : 1,
            signed: node.name === "$signed",
          };
        }
        if (node.name.startsWith("$")) return { width: 32, signed: true };
        const meaning = scope.find(node.name);
        return meaning?.kind === "function" ? meaning.func.result : bit;
      }
      case "bad":
        return bit;
    }
  }

  /** For sizing only: whoever builds the node reports what is wrong. */
  private quietInteger(node: ExprNode, scope: Scope): number | null {
    const value = evaluate(this.self(node, scope));
    if (!value || value.b) return null;
    const type = this.typeOf(node, scope);
    return Number(type.signed ? BigInt.asIntN(type.width, value.a) : value.a);
  }

  private self(node: ExprNode, scope: Scope): Expr {
    const type = this.typeOf(node, scope);
    return this.build(node, type.width, type.signed, scope);
  }

  private resize(expr: Expr, width: number, loc: Loc): Expr {
    if (expr.width === width) return expr;
    return { op: "extend", arg: expr, bySign: expr.signed, width, signed: expr.signed, loc };
  }

  /** An operand in a context of `width` bits and the given sign: the sign of the context rules the extension. */
  private fit(expr: Expr, width: number, signed: boolean): Expr {
    if (expr.width === width) return expr.signed === signed ? expr : { ...expr, signed };
    return { op: "extend", arg: expr, bySign: signed, width, signed, loc: expr.loc };
  }

  private build(node: ExprNode, width: number, signed: boolean, scope: Scope): Expr {
    const { loc } = node;
    switch (node.kind) {
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
        return this.fit({ op: "const", value: { a, b }, width: own, signed: node.signed, loc }, width, signed);
      }
      case "string": {
        let a = 0n;
        for (const c of node.text) a = (a << 8n) | BigInt(c.charCodeAt(0) & 255);
        return this.fit(
          { op: "const", value: { a, b: 0n }, width: Math.max(8, node.text.length * 8), signed: false, loc },
          width,
          signed,
        );
      }
      case "name": {
        const meaning = this.lookUp(node.name, loc, scope);
        if (meaning?.kind === "signal") {
          return this.fit(
            { op: "signal", signal: meaning.signal, width: meaning.signal.width, signed: meaning.signal.signed, loc },
            width,
            signed,
          );
        }
        if (meaning?.kind === "constant") {
          const { constant } = meaning;
          return this.fit(
            { op: "const", value: constant.value, width: constant.width, signed: constant.signed, loc },
            width,
            signed,
          );
        }
        if (meaning)
          this.report.error(
            "verilog/function-value",
            loc,
            `'${node.name}' is a function; it needs its arguments.`,
            "Add them in parentheses.",
          );
        return this.unknown(width, loc);
      }
      case "index":
      case "range":
        return this.buildSelect(node, width, signed, scope);
      case "unary": {
        const reduction = reductions[node.op];
        if (reduction || node.op === "!") {
          const arg = this.self(node.operand, scope);
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
        const arg = this.build(node.operand, width, signed, scope);
        if (node.op === "+") return arg;
        return { op: "unary", kind: node.op === "~" ? "not" : "neg", arg, width, signed, loc };
      }
      case "binary":
        return this.buildBinary(node, width, signed, scope);
      case "conditional": {
        const test = this.truth(this.self(node.test, scope));
        const yes = this.build(node.yes, width, signed, scope);
        return { op: "cond", test, yes, no: this.build(node.no, width, signed, scope), width, signed, loc };
      }
      case "concat":
        return this.fit(this.buildConcat(node.parts, loc, scope), width, signed);
      case "repeat": {
        const count = this.integer(node.count, scope, "A replication count");
        if (count === null) return this.unknown(width, loc);
        const once = this.buildConcat(node.parts, loc, scope);
        if (count < 1 || count * once.width > maxWidth) {
          this.report.error(
            "verilog/replication",
            node.count.loc,
            `A replication count of ${count} makes no vector.`,
            `Use a count of at least 1, and at most ${maxWidth} bits in all.`,
          );
          return this.unknown(width, loc);
        }
        const parts = Array.from({ length: count }, () => once);
        return this.fit({ op: "concat", parts, width: once.width * count, signed: false, loc }, width, signed);
      }
      case "call":
        return this.buildCall(node, width, signed, scope);
      case "bad":
        return this.unknown(width, loc);
    }
  }

  private buildConcat(nodes: readonly ExprNode[], loc: Loc, scope: Scope): Expr {
    const parts = nodes.map((part) => {
      if (part.kind === "number" && part.width === null) {
        this.report.error(
          "verilog/unsized",
          part.loc,
          "A number without a size cannot stand in a concatenation.",
          "Give it one, such as 4'd3.",
        );
      }
      return this.self(part, scope);
    });
    return { op: "concat", parts, width: parts.reduce((sum, part) => sum + part.width, 0), signed: false, loc };
  }

  private buildSelect(
    node: ExprNode & { kind: "index" | "range" },
    width: number,
    signed: boolean,
    scope: Scope,
  ): Expr {
    const { loc } = node;
    if (node.base.kind !== "name") {
      this.report.error(
        "verilog/select",
        loc,
        "Only a name can be indexed.",
        "Give the value a name with a wire first.",
      );
      return this.unknown(width, loc);
    }
    const meaning = this.lookUp(node.base.name, node.base.loc, scope);
    if (meaning?.kind !== "signal" && meaning?.kind !== "constant") return this.unknown(width, loc);
    const bounds: { msb: number; lsb: number; width: number } =
      meaning.kind === "signal" ? meaning.signal : meaning.constant;
    const arg: Expr =
      meaning.kind === "signal"
        ? { op: "signal", signal: meaning.signal as Signal, width: bounds.width, signed: false, loc: node.base.loc }
        : { op: "const", value: meaning.constant.value, width: bounds.width, signed: false, loc: node.base.loc };
    const select = this.select(node, bounds, scope);
    if (!select) return this.unknown(width, loc);
    const own = select.width;
    if (typeof select.offset !== "number") {
      return this.fit({ op: "dynslice", arg, offset: select.offset, width: own, signed: false, loc }, width, signed);
    }
    if (select.offset < 0 || select.offset + own > bounds.width) {
      if (meaning.kind === "signal") this.outOfRange(loc, node.base.name, bounds);
      if (select.offset >= bounds.width || select.offset + own <= 0) return this.unknown(width, loc);
    }
    return this.fit({ op: "slice", arg, lsb: select.offset, width: own, signed: false, loc }, width, signed);
  }

  private buildBinary(node: ExprNode & { kind: "binary" }, width: number, signed: boolean, scope: Scope): Expr {
    const { op, loc } = node;
    const kind = binaryKinds[op];
    if (op === "&&" || op === "||") {
      const left = this.truth(this.self(node.left, scope));
      const right = this.truth(this.self(node.right, scope));
      return this.fit(
        { op: "binary", kind, left, right, operandSigned: false, width: 1, signed: false, loc },
        width,
        signed,
      );
    }
    if (isComparison(op)) {
      const type = join(this.typeOf(node.left, scope), this.typeOf(node.right, scope));
      const left = this.build(node.left, type.width, type.signed, scope);
      const right = this.build(node.right, type.width, type.signed, scope);
      return this.fit(
        { op: "binary", kind, left, right, operandSigned: type.signed, width: 1, signed: false, loc },
        width,
        signed,
      );
    }
    const left = this.build(node.left, width, signed, scope);
    const right = isShiftOrPower(op) ? this.self(node.right, scope) : this.build(node.right, width, signed, scope);
    const result: Expr = { op: "binary", kind, left, right, operandSigned: signed, width, signed, loc };
    return op === "~^" ? { op: "unary", kind: "not", arg: result, width, signed, loc } : result;
  }

  private buildCall(node: ExprNode & { kind: "call" }, width: number, signed: boolean, scope: Scope): Expr {
    const { loc, name, args } = node;
    if (name === "$signed" || name === "$unsigned") {
      if (args.length !== 1) {
        this.report.error("verilog/arguments", loc, `${name} takes one argument.`, "Give it the value to convert.");
        return this.unknown(width, loc);
      }
      return this.fit({ ...this.self(args[0], scope), signed: name === "$signed" }, width, signed);
    }
    if (name === "$clog2" && args.length === 1) {
      const value = this.integer(args[0], scope, "The argument of $clog2");
      if (value === null) return this.unknown(width, loc);
      return this.fit(this.number(BigInt(value <= 1 ? 0 : (value - 1).toString(2).length), 32, loc), width, signed);
    }
    const meaning = name.startsWith("$") ? undefined : this.lookUp(name, loc, scope);
    if (meaning?.kind !== "function") {
      if (meaning !== null)
        this.report.error(
          "verilog/unsupported",
          loc,
          `${name} cannot be called in a design.`,
          "Call a function that is declared in the module.",
        );
      return this.unknown(width, loc);
    }
    const { func } = meaning;
    if (func.args.length !== args.length) {
      this.report.error(
        "verilog/arguments",
        loc,
        `${name} takes ${func.args.length} argument(s); ${args.length} given.`,
        "Correct the call.",
      );
      return this.unknown(width, loc);
    }
    const values = args.map((arg, i) => {
      const type = this.typeOf(arg, scope);
      const wide = this.build(arg, Math.max(type.width, func.args[i].width), type.signed, scope);
      return this.resize(wide, func.args[i].width, arg.loc);
    });
    return this.fit(
      { op: "call", func, args: values, width: func.result.width, signed: func.result.signed, loc },
      width,
      signed,
    );
  }

  /** One bit: 1 if any bit of the value is. */
  truth(expr: Expr): Expr {
    return expr.width === 1 ? expr : { op: "unary", kind: "redor", arg: expr, width: 1, signed: false, loc: expr.loc };
  }
}

function join(left: Type, right: Type): Type {
  return { width: Math.max(left.width, right.width), signed: left.signed && right.signed };
}
