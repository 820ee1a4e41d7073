import type { BinaryOp, ExprNode, RangeNode, UnaryOp } from "./ast.ts";
import { readNumber } from "./lexer.ts";
import type { TokenStream } from "./token-stream.ts";

/** Binary operators by precedence, loosest first (IEEE 1364-2005 table 5-4). All associate to the left. */
const precedence: Readonly<Record<string, number>> = {
  "||": 1,
  "&&": 2,
  "|": 3,
  "^": 4,
  "~^": 4,
  "&": 5,
  "==": 6,
  "!=": 6,
  "===": 6,
  "!==": 6,
  "<": 7,
  "<=": 7,
  ">": 7,
  ">=": 7,
  "<<": 8,
  ">>": 8,
  "<<<": 8,
  ">>>": 8,
  "+": 9,
  "-": 9,
  "*": 10,
  "/": 10,
  "%": 10,
  "**": 11,
};
const unaryOps = new Set(["+", "-", "!", "~", "&", "~&", "|", "~|", "^", "~^"]);
const maxDepth = 400; // deeper nesting is no design; it would only exhaust the stack

let depth = 0;

/** Expression by precedence climbing (Clarke 1986). Always returns a node; a `bad` one after a finding. */
export function parseExpr(s: TokenStream): ExprNode {
  if (depth > maxDepth) {
    s.report(
      "verilog/too-deep",
      s.current.loc,
      "This expression is nested too deeply.",
      "Split it with intermediate nets.",
    );
    return { kind: "bad", loc: s.next().loc };
  }
  depth++;
  try {
    const test = parseBinary(s, 1);
    if (!s.accept("?")) return test;
    const yes = parseExpr(s);
    s.expect(":", "the first choice of a conditional expression");
    const no = parseExpr(s);
    return { kind: "conditional", test, yes, no, loc: s.span(test.loc) };
  } finally {
    depth--;
  }
}

function parseBinary(s: TokenStream, least: number): ExprNode {
  let left = parseUnary(s);
  for (;;) {
    const { kind, text } = s.current;
    const level = kind === "op" ? precedence[text] : undefined;
    if (level === undefined || level < least) return left;
    s.next();
    const right = parseBinary(s, level + 1);
    left = { kind: "binary", op: text as BinaryOp, left, right, loc: s.span(left.loc) };
  }
}

function parseUnary(s: TokenStream): ExprNode {
  const { kind, text, loc } = s.current;
  if (kind === "op" && unaryOps.has(text)) {
    if (depth > maxDepth) return parsePrimary(s);
    s.next();
    depth++;
    const operand = parseUnary(s);
    depth--;
    return { kind: "unary", op: text as UnaryOp, operand, loc: s.span(loc) };
  }
  return parsePrimary(s);
}

function parsePrimary(s: TokenStream): ExprNode {
  const token = s.current;
  const { loc } = token;
  if (token.kind === "number") {
    s.next();
    const value = readNumber(token.text);
    if (value) return { kind: "number", loc, ...value };
    const real = /[.e]/i.test(token.text) && !token.text.includes("'");
    s.report(
      "verilog/number",
      loc,
      real ? "A real number has no bits." : `The digits of ${token.text} do not fit its base or size.`,
      "Write it as size'base digits, such as 8'hFF.",
    );
    return { kind: "bad", loc };
  }
  if (token.kind === "string") {
    s.next();
    return { kind: "string", loc, text: token.text };
  }
  if (token.kind === "name") {
    s.next();
    if (s.is("(")) return { kind: "call", name: token.text, args: parseArgs(s), loc: s.span(loc) };
    let name = token.text;
    while (s.is(".") && s.peek(1).kind === "name") {
      s.next();
      name += `.${s.next().text}`;
    }
    return parseSelects(s, { kind: "name", name, loc: s.span(loc) });
  }
  if (token.kind === "system") {
    s.next();
    return { kind: "call", name: token.text, args: s.is("(") ? parseArgs(s) : [], loc: s.span(loc) };
  }
  if (s.accept("(")) {
    const inner = parseExpr(s);
    s.expect(")", "an expression in parentheses");
    return inner;
  }
  if (s.accept("{")) {
    const first = parseExpr(s);
    if (s.accept("{")) {
      const parts = parseList(s, "}");
      s.expect("}", "a replication");
      return parseSelects(s, { kind: "repeat", count: first, parts, loc: s.span(loc) });
    }
    const parts = [first];
    while (s.accept(",")) parts.push(parseExpr(s));
    s.expect("}", "a concatenation");
    return parseSelects(s, { kind: "concat", parts, loc: s.span(loc) });
  }
  s.unexpected("an expression");
  return { kind: "bad", loc };
}

function parseList(s: TokenStream, close: string): ExprNode[] {
  const parts = [parseExpr(s)];
  while (s.accept(",")) parts.push(parseExpr(s));
  s.expect(close, "a list of expressions");
  return parts;
}

function parseArgs(s: TokenStream): ExprNode[] {
  s.next(); // the opening parenthesis
  if (s.accept(")")) return [];
  return parseList(s, ")");
}

function parseSelects(s: TokenStream, from: ExprNode): ExprNode {
  let base = from;
  while (s.accept("[")) {
    const left = parseExpr(s);
    const mode = s.is(":") || s.is("+:") || s.is("-:") ? (s.next().text as ":" | "+:" | "-:") : null;
    if (mode === null) {
      s.expect("]", "an index");
      base = { kind: "index", base, index: left, loc: s.span(from.loc) };
      continue;
    }
    const right = parseExpr(s);
    s.expect("]", "a part-select");
    base = { kind: "range", base, mode, left, right, loc: s.span(from.loc) };
  }
  return base;
}

/** A name with selects, or a concatenation of such: what may stand left of an assignment. */
export function parseTarget(s: TokenStream): ExprNode {
  if (s.current.kind === "name" || s.is("{")) return parsePrimary(s);
  s.unexpected("the target of an assignment");
  return { kind: "bad", loc: s.current.loc };
}

/** `[left:right]`, with the opening bracket at hand. */
export function parseRange(s: TokenStream): RangeNode {
  const { loc } = s.next();
  const left = parseExpr(s);
  s.expect(":", "the left bound of a range");
  const right = parseExpr(s);
  s.expect("]", "a range");
  return { left, right, loc: s.span(loc) };
}
