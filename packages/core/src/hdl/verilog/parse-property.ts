import type { Loc } from "../../common/source.ts";
import type {
  AssertionDecl,
  ConcurrentAssert,
  EventControl,
  ExprNode,
  PropertyNode,
  PropertySpec,
  StmtNode,
} from "./ast.ts";
import { parseExpr } from "./parse-expr.ts";
import { parseEventControl, parseStmt } from "./parse-stmt.ts";
import { parseEndLabel, parseSemicolon, stops } from "./recovery.ts";
import type { TokenStream } from "./token-stream.ts";

/**
 * Concurrent assertions (IEEE 1800-2017 clause 16): properties and sequences in one tree, operators by their precedence
 * (table 16-3), from implication, the loosest, to repetition.
 */

/** `assert property (...)`, with `property` at hand. */
export function parseConcurrent(s: TokenStream, word: string, loc: Loc): ConcurrentAssert {
  s.next();
  s.expect("(", "'property'");
  const spec = parseSpec(s);
  s.expect(")", "the property");
  const pass = s.is("else") ? null : parseStmt(s);
  const fail: StmtNode | null = s.accept("else") ? parseStmt(s) : null;
  return {
    kind: "concurrent",
    word: word as ConcurrentAssert["word"],
    label: null,
    spec,
    pass: pass?.kind === "null" ? null : pass,
    fail,
    loc: s.span(loc),
  };
}

/** `property name (a, b); ... endproperty`, and the same of a sequence. */
export function parseAssertionDecl(s: TokenStream): AssertionDecl {
  const { loc, text: word } = s.next();
  const { text: name, loc: nameLoc, kind } = s.current;
  if (kind === "name") s.next();
  else s.unexpected(`the ${word}'s name`);
  const args: AssertionDecl["args"][number][] = [];
  if (s.accept("(") && !s.accept(")")) {
    do {
      // types of arguments say nothing that their values do not
      while (s.current.kind === "keyword") s.next();
      while (s.is("[")) s.rewind(s.index + s.pastBracket(0));
      const { text: arg, loc: argLoc } = s.current;
      if (s.current.kind === "name") s.next();
      else s.unexpected("an argument's name");
      args.push({ name: arg, loc: argLoc, init: s.accept("=") ? parseExpr(s) : null });
    } while (s.accept(","));
    s.expect(")", "the arguments");
  }
  parseSemicolon(s, `the ${word}'s header`);
  const spec = parseSpec(s);
  s.accept(";");
  if (s.accept(`end${word}`)) parseEndLabel(s, name);
  else {
    s.unexpected(`'end${word}'`);
    s.skipTo(stops);
    s.accept(`end${word}`);
  }
  return { kind: "assertiondecl", name, nameLoc, args, spec, loc: s.span(loc) };
}

/** `@(posedge clk) disable iff (rst) ...`. */
function parseSpec(s: TokenStream): PropertySpec {
  let clock: Exclude<EventControl, "star"> | null = null;
  let disable: ExprNode | null = null;
  if (s.is("@")) {
    const events = parseEventControl(s);
    clock = events === "star" ? null : events;
  }
  if (s.is("disable") && s.peek(1).text === "iff") {
    s.next();
    s.next();
    s.expect("(", "'disable iff'");
    disable = parseExpr(s);
    s.expect(")", "the condition of 'disable iff'");
  }
  return { clock, disable, body: parseProperty(s) };
}

function parseProperty(s: TokenStream): PropertyNode {
  const { loc } = s.current;
  if (s.accept("if")) {
    s.expect("(", "'if'");
    const test = parseExpr(s);
    s.expect(")", "the condition of 'if'");
    const yes = parseProperty(s);
    const no = s.accept("else") ? parseProperty(s) : null;
    return { kind: "if", test, yes, no, loc: s.span(loc) };
  }
  const left = parseOr(s);
  if (s.is("|->") || s.is("|=>")) {
    const overlapped = s.next().text === "|->";
    return { kind: "implies", overlapped, left, right: parseProperty(s), loc: s.span(loc) };
  }
  return left;
}

type Joint = "or" | "and" | "intersect" | "within" | "throughout";
const levels: readonly Joint[] = ["or", "and", "intersect", "within", "throughout"];

function parseOr(s: TokenStream, level = 0): PropertyNode {
  if (level === levels.length) return parseDelays(s);
  const { loc } = s.current;
  if (level === 2 && s.accept("not")) return { kind: "not", of: parseOr(s, level), loc: s.span(loc) };
  let left = parseOr(s, level + 1);
  const word = levels[level];
  while (s.is(word)) {
    s.next();
    // `throughout` groups to the right
    const right = parseOr(s, word === "throughout" ? level : level + 1);
    left = { kind: word, left, right, loc: s.span(loc) };
  }
  return left;
}

/** `a ##1 b ##[2:5] c`. */
function parseDelays(s: TokenStream): PropertyNode {
  const { loc } = s.current;
  let left: PropertyNode | null = s.is("##") ? null : parseRepeats(s);
  while (s.accept("##")) {
    const { low, high } = parseCount(s);
    left = { kind: "delay", left, low, high, right: parseRepeats(s), loc: s.span(loc) };
  }
  return left!;
}

/** `3`, `W`, `(W+1)`, `[2:5]`, `[1:$]`, `[*]`, `[+]`, behind `##`. */
function parseCount(s: TokenStream): { low: ExprNode; high: ExprNode | "$" | null } {
  if (s.is("[")) return parseBounds(s);
  const { loc } = s.current;
  if (s.accept("(")) {
    const low = parseExpr(s);
    s.expect(")", "the number of clocks");
    return { low, high: null };
  }
  if (s.current.kind === "name") return { low: { kind: "name", name: s.next().text, loc }, high: null };
  const token = s.current;
  if (token.kind === "number" && /^[0-9_]+$/.test(token.text)) {
    s.next();
    const a = BigInt(token.text.replace(/_/g, ""));
    return { low: { kind: "number", width: null, signed: true, based: false, a, b: 0n, loc }, high: null };
  }
  s.unexpected("a number of clocks");
  return { low: { kind: "bad", loc }, high: null };
}

/** `[2:5]`, with `[` at hand; behind `*`, `->` or `=` it may be open. */
function parseBounds(s: TokenStream): { low: ExprNode; high: ExprNode | "$" | null } {
  const { loc } = s.next();
  const number = (a: bigint): ExprNode => ({ kind: "number", width: null, signed: true, based: false, a, b: 0n, loc });
  const isStar = s.is("*") && s.peek(1).text === "]";
  const isPlus = s.is("+") && s.peek(1).text === "]";
  if (isStar || isPlus) {
    s.next();
    s.next();
    return { low: number(isStar ? 0n : 1n), high: "$" };
  }
  s.acceptAny("*", "->", "=");
  const low = parseExpr(s);
  let high: ExprNode | "$" | null = null;
  if (s.accept(":")) high = s.accept("$") ? "$" : parseExpr(s);
  s.expect("]", "a range of clocks");
  return { low, high };
}

/** `a[*3]`, `a[->2]`, `a[=1:2]`. */
function parseRepeats(s: TokenStream): PropertyNode {
  const { loc } = s.current;
  let node = parsePrimary(s);
  while (s.is("[") && /^(\*|->|=|\+)$/.test(s.peek(1).text)) {
    const mode = (s.peek(1).text === "+" ? "*" : s.peek(1).text) as "*" | "->" | "=";
    const { low, high } = parseBounds(s);
    node = { kind: "repeat", of: node, mode, low, high, loc: s.span(loc) };
  }
  return node;
}

/** What may follow an expression that is a whole operand. */
const followers = /^(##|\[|\|->|\|=>|and|or|intersect|within|throughout|\)|;|,|else|end\w*)$/;

function parsePrimary(s: TokenStream): PropertyNode {
  const { loc } = s.current;
  if (s.accept("first_match")) {
    s.expect("(", "'first_match'");
    const of = parseOr(s);
    s.expect(")", "the sequence");
    return { kind: "first", of, loc: s.span(loc) };
  }
  if (s.is("(")) {
    // an expression in parentheses, or a sequence
    const trial = s.trial(() => {
      const expr = parseExpr(s);
      return followers.test(s.current.text) || s.atEnd ? expr : null;
    });
    if (trial) return { kind: "expr", expr: trial, loc: s.span(loc) };
    s.next();
    const inner = parseProperty(s);
    s.expect(")", "a sequence in parentheses");
    return inner;
  }
  return { kind: "expr", expr: parseExpr(s), loc: s.span(loc) };
}
