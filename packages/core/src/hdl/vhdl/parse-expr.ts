import type { Loc } from "../../common/source.ts";
import type {
  Association,
  Choice,
  ConstraintNode,
  DiscreteNode,
  ExprNode,
  Ident,
  RangeNode,
  SignatureNode,
  SubtypeNode,
} from "./ast.ts";
import { Cursor, GiveUp } from "./cursor.ts";
import { bitStringValue, numberValue } from "./lexer.ts";

const relational = new Set(["=", "/=", "<", "<=", ">", ">=", "?=", "?/=", "?<", "?<=", "?>", "?>="]);
const logical = new Set(["and", "or", "xor", "nand", "nor", "xnor"]);
const shifts = new Set(["sll", "srl", "sla", "sra", "rol", "ror"]);
const multiplying = new Set(["*", "/", "mod", "rem"]);
/** Deeper nesting is no text of people, and would end in a full stack. */
const deepest = 800;

const operators = new Set(
  `and or nand nor xor xnor = /= < <= > >= ?= ?/= ?< ?<= ?> ?>= sll srl sla sra rol ror + - & * / mod rem ** abs not ??`.split(
    " ",
  ),
);
const oneOperand = new Set("and or nand nor xor xnor + - abs not ??".split(" "));

/** `"+"(a, b)` is what `a + b` is (4.5.2); null for other calls. */
function operatorCall(of: ExprNode, args: readonly Association[], loc: Loc): ExprNode | null {
  if (of.kind !== "name" || !of.id.startsWith('"')) return null;
  const op = of.id.slice(1, -1);
  const operands = args.flatMap(({ formal, actual }) =>
    formal || actual.kind === "range" || actual.kind === "subtype" || actual.kind === "open" ? [] : [actual],
  );
  if (!operators.has(op) || operands.length !== args.length) return null;
  const [left, right] = operands;
  if (operands.length === 2) return { kind: "binary", op, left, right, opLoc: of.loc, loc };
  return operands.length === 1 && oneOperand.has(op) ? { kind: "unary", op, arg: left, opLoc: of.loc, loc } : null;
}

/** Names, expressions and subtype indications (IEEE 1076-2008 clauses 6.3, 8 and 9). */
export class ExprParser extends Cursor {
  private depth = 0;

  expression(): ExprNode {
    if (this.depth > deepest) {
      this.report("vhdl/too-deep", this.current, "This expression is nested too deeply.", "Part it into several.");
      throw new GiveUp();
    }
    this.depth++;
    try {
      return this.logicalExpression();
    } finally {
      this.depth--;
    }
  }

  private get operator(): string {
    const { kind, text } = this.current;
    return kind === "op" || kind === "word" ? text : "";
  }

  private binary(left: ExprNode, parse: () => ExprNode): ExprNode {
    const op = this.next();
    const right = parse();
    return {
      kind: "binary",
      op: op.text,
      left,
      right,
      opLoc: op,
      loc: { file: left.loc.file, start: left.loc.start, end: right.loc.end },
    };
  }

  private logicalExpression(): ExprNode {
    if (this.is("??")) {
      const op = this.next();
      const arg = this.primary();
      return { kind: "unary", op: "??", arg, opLoc: op, loc: this.span(op) };
    }
    let left = this.relation();
    const first = this.operator;
    let isChain = false;
    while (logical.has(this.operator)) {
      const op = this.operator;
      // brackets leave no trace in the tree: only what follows in this very chain is in question
      if (isChain && (op !== first || op === "nand" || op === "nor"))
        this.report(
          "vhdl/mixed-logic",
          this.current,
          op === first
            ? `'${op}' cannot follow '${op}' without brackets.`
            : `'${first}' and '${op}' cannot be mixed without brackets.`,
          "Put brackets around the part that belongs together.",
        );
      isChain = true;
      left = this.binary(left, () => this.relation());
    }
    return left;
  }

  private relation(): ExprNode {
    const left = this.shift();
    return relational.has(this.operator) && this.current.kind === "op" ? this.binary(left, () => this.shift()) : left;
  }

  private shift(): ExprNode {
    const left = this.simple();
    return shifts.has(this.operator) ? this.binary(left, () => this.simple()) : left;
  }

  simple(): ExprNode {
    let left: ExprNode;
    if (this.is("+") || this.is("-")) {
      const op = this.next();
      const arg = this.term();
      left = { kind: "unary", op: op.text, arg, opLoc: op, loc: this.span(op) };
    } else left = this.term();
    while (this.current.kind === "op" && (this.is("+") || this.is("-") || this.is("&")))
      left = this.binary(left, () => this.term());
    return left;
  }

  private term(): ExprNode {
    let left = this.factor();
    while (multiplying.has(this.operator)) left = this.binary(left, () => this.factor());
    return left;
  }

  private factor(): ExprNode {
    const { text } = this.current;
    const isUnary =
      (this.current.kind === "word" && (text === "abs" || text === "not" || logical.has(text))) ||
      // as a repair, so that a sign behind an operator is told as such
      (this.current.kind === "op" && (text === "-" || text === "+"));
    if (isUnary) {
      const op = this.next();
      if (op.kind === "op")
        this.report("vhdl/sign", op, "A sign cannot follow an operator.", `Put brackets around it: (${text}x).`);
      const arg = this.primary();
      return { kind: "unary", op: text, arg, opLoc: op, loc: this.span(op) };
    }
    const base = this.primary();
    return this.is("**") ? this.binary(base, () => this.primary()) : base;
  }

  primary(): ExprNode {
    const token = this.current;
    switch (token.kind) {
      case "int":
      case "real": {
        this.next();
        const value = numberValue(token.text);
        if (value === null) {
          this.report("vhdl/number", token, `'${token.text}' is no number.`, "Check its base, digits and exponent.");
          return { kind: "bad", loc: token };
        }
        if (this.current.kind === "name" && !this.isAt(1, "'")) {
          const unit = this.name();
          return { kind: "physical", value: Number(value), unit, loc: this.span(token) };
        }
        return { kind: "number", value, isReal: token.kind === "real", loc: token };
      }
      case "string": {
        if (this.isAt(1, "(") && /^(\W{1,3}|[a-z]{2,4})$/i.test(token.text)) return this.name();
        this.next();
        return { kind: "string", text: token.text, isBits: false, loc: token };
      }
      case "bits": {
        this.next();
        const text = bitStringValue(token.text);
        if (text === null || text === "size") {
          this.report(
            "vhdl/bit-string",
            token,
            text === null
              ? `${token.text} holds a character that is no digit of its base.`
              : `${token.text} does not fit into its length.`,
            "Check its digits.",
          );
          return { kind: "bad", loc: token };
        }
        return { kind: "string", text, isBits: true, loc: token };
      }
      case "char":
      case "name":
        return this.name();
      case "word":
        if (token.text === "new") {
          this.next();
          const value = this.subtypeOrExpression();
          return { kind: "new", value, loc: this.span(token) };
        }
        if (token.text === "null") {
          this.next();
          return { kind: "null", loc: token };
        }
        if (token.text === "open") {
          this.next();
          return { kind: "open", loc: token };
        }
        break;
      case "op":
        if (token.text === "(") return this.aggregateOrBrackets();
        if (token.text === "<<") return this.externalName();
        break;
    }
    this.unexpected("an expression");
    throw new GiveUp();
  }

  private externalName(): ExprNode {
    const begin = this.next();
    const object = this.next().text;
    let absolute = false;
    let up = 0;
    if (this.accept(".")) absolute = true;
    while (this.accept("^")) {
      up++;
      this.expect(".", "^");
    }
    const path: Ident[] = [];
    do {
      const name = this.ident("a name of the path");
      path.push(name);
      if (this.accept("(")) {
        const index = this.expression();
        this.expect(")", "the index");
        path.push({ id: `(${this.sources.text(index.loc)})`, loc: index.loc });
      }
    } while (this.accept("."));
    this.expect(":", "the path");
    const type = this.subtype();
    this.expect(">>", "the type");
    return { kind: "external", object, path, absolute, up, type, loc: this.span(begin) };
  }

  /** A name with all that follows it (8.1). Text in brackets behind a name is kept as it is: see `apply`. */
  name(): ExprNode {
    const token = this.next();
    let node: ExprNode;
    if (token.kind === "char") node = { kind: "char", id: `'${token.text}'`, loc: token };
    else if (token.kind === "string") node = { kind: "name", id: `"${token.text.toLowerCase()}"`, loc: token };
    else if (token.kind === "name") node = { kind: "name", id: token.text, loc: token };
    else {
      this.at--;
      this.unexpected("a name");
      throw new GiveUp();
    }
    return this.suffixes(node);
  }

  suffixes(first: ExprNode): ExprNode {
    let node = first;
    for (;;) {
      if (this.is(".")) {
        this.next();
        const token = this.current;
        if (token.kind === "word" && token.text === "all") {
          this.next();
          node = { kind: "deref", of: node, loc: this.span(first.loc) };
        } else if (token.kind === "name" || token.kind === "char" || token.kind === "string") {
          this.next();
          const id =
            token.kind === "char"
              ? `'${token.text}'`
              : token.kind === "string"
                ? `"${token.text.toLowerCase()}"`
                : token.text;
          node = { kind: "select", of: node, name: { id, loc: token }, loc: this.span(first.loc) };
        } else {
          this.unexpected("a name after '.'");
          throw new GiveUp();
        }
      } else if (this.is("(")) {
        const args = this.associations();
        node = operatorCall(node, args, this.span(first.loc)) ?? {
          kind: "apply",
          of: node,
          args,
          loc: this.span(first.loc),
        };
      } else if (this.is("'")) {
        this.next();
        if (this.is("(")) {
          const value = this.aggregateOrBrackets();
          node = { kind: "qualified", mark: node, value, loc: this.span(first.loc) };
          continue;
        }
        const token = this.current;
        if (token.kind !== "name" && !(token.kind === "word" && (token.text === "range" || token.text === "subtype"))) {
          this.unexpected("the name of an attribute");
          throw new GiveUp();
        }
        this.next();
        const attribute = { id: token.text, loc: token };
        // brackets behind these are their parameter; behind others, those of what they give
        const takesArg =
          /^(range|reverse_range|length|left|right|high|low|ascending|image|value|pos|val|succ|pred|leftof|rightof|delayed|stable|quiet)$/;
        let arg: ExprNode | null = null;
        if (this.is("(") && takesArg.test(token.text)) {
          this.next();
          arg = this.expression();
          this.expect(")", "the parameter");
        }
        node = { kind: "attribute", of: node, signature: null, name: attribute, arg, loc: this.span(first.loc) };
      } else if (this.is("[")) {
        const signature = this.signature();
        if (this.is("'") && this.peek(1).kind === "name") {
          this.next();
          const token = this.next();
          node = {
            kind: "attribute",
            of: node,
            signature,
            name: { id: token.text, loc: token },
            arg: null,
            loc: this.span(first.loc),
          };
        } else {
          this.signatureRead = signature;
          return node;
        }
      } else return node;
    }
  }
  /** Of the name just read, where an alias or an attribute takes one. */
  protected signatureRead: SignatureNode | null = null;

  signature(): SignatureNode {
    const begin = this.next();
    const args: ExprNode[] = [];
    let result: ExprNode | null = null;
    if (!this.is("return") && !this.is("]")) {
      do args.push(this.name());
      while (this.accept(","));
    }
    if (this.accept("return")) result = this.name();
    this.expect("]", "the signature");
    return { args, result, loc: this.span(begin) };
  }

  /** `( formal => actual, ... )`, also for indexes and slices. */
  associations(): Association[] {
    const open = this.next();
    const list: Association[] = [];
    if (this.accept(")")) return list;
    do {
      const begin = this.current;
      if (begin.kind === "word" && begin.text === "inertial") this.next();
      let actual = this.rangeOrSubtype();
      let formal: ExprNode | null = null;
      if (this.is("=>")) {
        this.next();
        if (actual.kind === "range" || actual.kind === "subtype") {
          this.unexpected("a formal name");
          formal = { kind: "bad", loc: actual.loc };
        } else formal = actual;
        if (this.is("inertial")) this.next();
        actual = this.rangeOrSubtype();
      }
      list.push({ formal, actual, loc: this.span(begin) });
    } while (this.accept(",") && !this.is(")"));
    if (!this.accept(")")) {
      this.missing(")", "the list");
      if (!this.is(";")) this.skipPast(open);
    }
    return list;
  }

  private skipPast(_open: Loc): void {
    let depth = 1;
    while (!this.atEnd && !this.is(";")) {
      if (this.is("(")) depth++;
      if (this.is(")") && --depth === 0) {
        this.next();
        return;
      }
      this.next();
    }
  }

  /** An expression, `a to b`, or a subtype with a range: what may stand in brackets and among choices. */
  rangeOrSubtype(): ExprNode | RangeNode | SubtypeNode {
    const left = this.expression();
    if (this.is("to") || this.is("downto")) return this.rangeFrom(left);
    if (this.is("range")) {
      this.next();
      const range = this.range();
      return {
        kind: "subtype",
        mark: left,
        resolution: null,
        constraint: { kind: "scalar", range, loc: range.loc },
        loc: this.span(left.loc),
      };
    }
    return left;
  }

  private rangeFrom(left: ExprNode): RangeNode {
    const dir = this.next().text as "to" | "downto";
    const right = this.expression();
    return { kind: "range", left, dir, right, loc: this.span(left.loc) };
  }

  /** `a to b`, or a range attribute. */
  range(): RangeNode | ExprNode {
    const left = this.simpleRangeEnd();
    return this.is("to") || this.is("downto") ? this.rangeFrom(left) : left;
  }
  private simpleRangeEnd(): ExprNode {
    return this.expression();
  }

  discrete(): DiscreteNode {
    if (this.is("open")) {
      const token = this.next();
      return { kind: "open", loc: token };
    }
    return this.rangeOrSubtype();
  }

  choices(): Choice[] {
    const list: Choice[] = [];
    do {
      if (this.is("others")) list.push({ kind: "others", loc: this.next() });
      else list.push(this.rangeOrSubtype());
    } while (this.accept("|") || this.accept("!"));
    return list;
  }

  private aggregateOrBrackets(): ExprNode {
    const begin = this.next();
    const elements: { choices: readonly Choice[]; value: ExprNode }[] = [];
    if (this.is(")")) {
      this.unexpected("an expression");
      this.next();
      return { kind: "bad", loc: this.span(begin) };
    }
    do {
      if (this.is(")")) {
        this.unexpected("another element");
        break;
      }
      const choices = this.choices();
      if (this.accept("=>")) elements.push({ choices, value: this.expression() });
      else {
        const [only] = choices;
        if (choices.length > 1 || only.kind === "others" || only.kind === "range" || only.kind === "subtype") {
          this.missing("=>", "the choices");
          throw new GiveUp();
        }
        elements.push({ choices: [], value: only });
      }
    } while (this.accept(","));
    this.expect(")", "the expression");
    const loc = this.span(begin);
    // brackets around one expression are no aggregate; the wider place serves for messages
    if (elements.length === 1 && elements[0].choices.length === 0) return { ...elements[0].value, loc } as ExprNode;
    return { kind: "aggregate", elements, loc };
  }

  // ---- subtypes -------------------------------------------------------------------------------------------------

  private subtypeOrExpression(): ExprNode | SubtypeNode {
    const begin = this.at;
    const node = this.name();
    if (node.kind === "qualified") return node;
    this.at = begin;
    return this.subtype();
  }

  /** `[resolution] mark [constraint]` (6.3). */
  subtype(): SubtypeNode {
    const begin = this.current;
    let resolution: ExprNode | null = null;
    if (this.is("(")) {
      // resolution of elements, 2008
      this.next();
      resolution = this.name();
      this.expect(")", "the resolution function");
    }
    let mark = this.plainName();
    if (this.current.kind === "name") {
      resolution = mark;
      mark = this.plainName();
    }
    let constraint: ConstraintNode | null = null;
    if (this.is("range")) {
      this.next();
      const range = this.range();
      constraint = { kind: "scalar", range, loc: range.loc };
    } else if (this.is("(")) constraint = this.constraint();
    return { kind: "subtype", mark, resolution, constraint, loc: this.span(begin) };
  }

  /** A name without brackets: a type mark, perhaps selected, perhaps an attribute. */
  plainName(): ExprNode {
    const token = this.current;
    if (token.kind !== "name") {
      this.unexpected("the name of a type");
      throw new GiveUp();
    }
    this.next();
    let node: ExprNode = { kind: "name", id: token.text, loc: token };
    for (;;) {
      if (this.is(".") && this.peek(1).kind === "name") {
        this.next();
        const name = this.next();
        node = { kind: "select", of: node, name: { id: name.text, loc: name }, loc: this.span(token) };
      } else if (this.is("'") && (this.peek(1).kind === "name" || this.isAt(1, "subtype"))) {
        this.next();
        const name = this.next();
        node = {
          kind: "attribute",
          of: node,
          signature: null,
          name: { id: name.text, loc: name },
          arg: null,
          loc: this.span(token),
        };
      } else return node;
    }
  }

  private constraint(): ConstraintNode {
    const begin = this.next();
    // (field (range), ...) is that of a record
    if (this.current.kind === "name" && this.isAt(1, "(") && this.isRecordConstraint()) {
      const fields: { name: Ident; constraint: ConstraintNode }[] = [];
      do {
        const name = this.ident("a field");
        fields.push({ name, constraint: this.constraint() });
      } while (this.accept(","));
      this.expect(")", "the constraint");
      return { kind: "record", fields, loc: this.span(begin) };
    }
    const ranges: DiscreteNode[] = [];
    do ranges.push(this.discrete());
    while (this.accept(","));
    this.expect(")", "the range");
    const element = this.is("(") ? this.constraint() : null;
    return { kind: "array", ranges, element, loc: this.span(begin) };
  }

  private isRecordConstraint(): boolean {
    let depth = 0;
    for (let i = 1; i < 400; i++) {
      const token = this.peek(i);
      if (token.kind === "end") return false;
      if (token.kind === "op" && token.text === "(") depth++;
      if (token.kind === "op" && token.text === ")" && --depth === 0) {
        // a call of a function within a range goes on with `to` or an operator
        const after = this.peek(i + 1);
        return after.kind === "op" && (after.text === "," || after.text === ")") && this.hasRange(2, i);
      }
    }
    return false;
  }
  private hasRange(from: number, to: number): boolean {
    for (let i = from; i < to; i++) if (this.isAt(i, "to") || this.isAt(i, "downto")) return true;
    return false;
  }
}
