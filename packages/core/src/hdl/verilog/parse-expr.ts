import type { Loc } from "../../common/source.ts";
import type {
  BinaryOp,
  CallArg,
  ExprNode,
  NamedType,
  ParamOverride,
  PatternNode,
  RangeNode,
  SpanNode,
  TypeNode,
  UnaryOp,
} from "./ast.ts";
import { readNumber, readString } from "./number-text.ts";
import { parseOverrides } from "./parse-module.ts";
import { atType, parseType } from "./parse-type.ts";
import type { TokenStream } from "./token-stream.ts";

/** Binary operators by precedence, loosest first (IEEE 1800-2017 table 11-2). All but -> and <-> associate to the left. */
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
  "==?": 6,
  "!=?": 6,
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
const maxDepth = 300; // deeper nesting is no design; it would only exhaust the stack

let depth = 0;

/** Expression by precedence climbing (Clarke 1986). Always returns a node; a `bad` one after a finding. */
export function parseExpr(s: TokenStream): ExprNode {
  if (depth > maxDepth) return tooDeep(s);
  depth++;
  try {
    const test = parseBinary(s, 1);
    if (s.accept("?")) {
      const yes = parseExpr(s);
      s.expect(":", "the first choice of a conditional expression");
      const no = parseExpr(s);
      return { kind: "conditional", test, yes, no, loc: s.span(test.loc) };
    }
    if (s.is("->") || s.is("<->")) {
      const op = s.next().text as BinaryOp;
      const right = parseExpr(s);
      return { kind: "binary", op, left: test, right, loc: s.span(test.loc) };
    }
    return test;
  } finally {
    depth--;
  }
}

function tooDeep(s: TokenStream): ExprNode {
  const { loc } = s.current;
  s.giveUp(
    `This expression is nested more than ${maxDepth} levels deep; each '?' in a row is one.`,
    "Split it with intermediate nets, or write a case statement.",
  );
  return { kind: "bad", loc };
}

function parseBinary(s: TokenStream, least: number): ExprNode {
  let left = parseUnary(s);
  for (;;) {
    const { kind, text } = s.current;
    if (kind === "keyword" && text === "inside" && least <= 7) {
      s.next();
      left = { kind: "inside", value: left, ranges: parseSpans(s), loc: s.span(left.loc) };
      continue;
    }
    const level = kind === "op" ? precedence[text] : undefined;
    if (level === undefined || level < least) return left;
    s.next();
    if (depth > maxDepth) return tooDeep(s);
    depth++;
    const right = parseBinary(s, level + 1);
    depth--;
    left = { kind: "binary", op: text as BinaryOp, left, right, loc: s.span(left.loc) };
  }
}

/** `{1, [3:5], x}` behind `inside`. */
function parseSpans(s: TokenStream): (ExprNode | SpanNode)[] {
  const list: (ExprNode | SpanNode)[] = [];
  s.expect("{", "'inside'");
  do list.push(parseSpanOrExpr(s));
  while (s.accept(","));
  s.expect("}", "the list of 'inside'");
  return list;
}

export function parseSpanOrExpr(s: TokenStream): ExprNode | SpanNode {
  const { loc } = s.current;
  if (!s.accept("[")) return parseExpr(s);
  const low = s.accept("$") ? null : parseExpr(s);
  s.expect(":", "the lower bound");
  const high = s.accept("$") ? null : parseExpr(s);
  s.expect("]", "the upper bound");
  return { kind: "span", low, high, loc: s.span(loc) };
}

function parseUnary(s: TokenStream): ExprNode {
  const { kind, text, loc } = s.current;
  if (kind === "op") {
    if (unaryOps.has(text)) {
      if (depth > maxDepth) return tooDeep(s);
      s.next();
      depth++;
      const operand = parseUnary(s);
      depth--;
      return { kind: "unary", op: text as UnaryOp, operand, loc: s.span(loc) };
    }
    if (text === "++" || text === "--") {
      s.next();
      const target = parsePrimary(s);
      return { kind: "step", op: text, prefix: true, target, loc: s.span(loc) };
    }
  }
  const primary = parsePrimary(s);
  if (s.is("++") || s.is("--")) {
    const op = s.next().text as "++" | "--";
    return { kind: "step", op, prefix: false, target: primary, loc: s.span(loc) };
  }
  return primary;
}

function parsePrimary(s: TokenStream): ExprNode {
  const token = s.current;
  const { loc } = token;
  switch (token.kind) {
    case "number":
      return maybeCast(s, parseNumber(s));
    case "string":
      s.next();
      return { kind: "string", loc, text: readString(token.text) };
    case "name":
      s.next();
      if (s.is("::") || (s.is("#") && s.peek(1).text === "(" && s.peek(s.pastBracket(1)).text === "::")) {
        let params: ParamOverride[] | undefined;
        if (s.accept("#")) {
          s.next();
          params = parseOverrides(s);
        }
        s.next();
        const own = params ? { params } : {};
        if (s.accept("new")) {
          const type: NamedType = { kind: "named", scope: null, name: token.text, dims: [], loc: token.loc, ...own };
          return { kind: "newobject", type, args: s.is("(") ? parseArgs(s) : [], from: null, loc: s.span(loc) };
        }
        const name = s.current.text;
        if (s.current.kind !== "name") s.unexpected("a name of the package");
        else s.next();
        return parseSelects(s, { kind: "scoped", scope: token.text, name, loc: s.span(loc), ...own });
      }
      return parseSelects(s, { kind: "name", name: token.text, loc });
    case "system": {
      s.next();
      if (token.text === "$unit" && s.accept("::")) {
        const name = s.next().text;
        return parseSelects(s, { kind: "scoped", scope: "$unit", name, loc: s.span(loc) });
      }
      const callee: ExprNode = { kind: "name", name: token.text, loc };
      if (token.text === "$root" && s.is(".")) return parseSelects(s, callee);
      return { kind: "call", callee, args: s.is("(") ? parseArgs(s) : [], loc: s.span(loc) };
    }
    case "keyword":
      if (s.is("new") && s.peek(1).text === "[") {
        s.next();
        s.next();
        const size = parseExpr(s);
        s.expect("]", "the size of a dynamic array");
        let from: ExprNode | null = null;
        if (s.accept("(")) {
          from = parseExpr(s);
          s.expect(")", "what the array starts from");
        }
        return { kind: "new", size, from, loc: s.span(loc) };
      }
      if (s.accept("new")) {
        if (s.is("(")) return { kind: "newobject", type: null, args: parseArgs(s), from: null, loc: s.span(loc) };
        const isCopy = s.current.kind === "name" || s.is("this");
        const from = isCopy ? parsePrimary(s) : null;
        return { kind: "newobject", type: null, args: [], from, loc: s.span(loc) };
      }
      if (s.accept("null")) return { kind: "null", loc };
      if (s.is("this") || s.is("super")) return parseSelects(s, { kind: "name", name: s.next().text, loc });
      if (atType(s) && !s.is("event") && !s.is("void")) {
        const type = parseType(s);
        const node: ExprNode = { kind: "type", type, loc: s.span(loc) };
        return maybeCast(s, node);
      }
      if ((s.is("signed") || s.is("unsigned")) && s.peek(1).text === "'") {
        const to = s.next().text as "signed" | "unsigned";
        s.next();
        s.expect("(", "a cast");
        const value = parseExpr(s);
        s.expect(")", "a cast");
        return parseSelects(s, { kind: "cast", to, value, loc: s.span(loc) });
      }
      if (s.is("void") && s.peek(1).text === "'") {
        s.next();
        s.next();
        s.expect("(", "a cast");
        const value = parseExpr(s);
        s.expect(")", "a cast");
        return value;
      }
      break;
    case "op":
      if (s.accept("(")) {
        depth++;
        const inner = parseMinTypMax(s);
        depth--;
        s.expect(")", "an expression in parentheses");
        return maybeCast(s, inner);
      }
      if (s.is("'{")) return parsePattern(s);
      if (s.accept("{")) {
        if (s.accept("}")) return { kind: "concat", parts: [], loc: s.span(loc) };
        return parseBraces(s, loc);
      }
      if (s.accept("$")) return { kind: "last", loc };
  }
  s.unexpected("an expression");
  return { kind: "bad", loc };
}

/** One of `min:typ:max`: the typical value. */
export function parseMinTypMax(s: TokenStream): ExprNode {
  const first = parseExpr(s);
  if (!s.accept(":")) return first;
  const typical = parseExpr(s);
  s.expect(":", "the typical value");
  parseExpr(s);
  return typical;
}

const timeUnits: Readonly<Record<string, number>> = { fs: -15, ps: -12, ns: -9, us: -6, ms: -3, s: 0 };

function parseNumber(s: TokenStream): ExprNode {
  const { loc, text } = s.next();
  if (text.length === 2 && text[0] === "'")
    return { kind: "fill", bit: text[1].toLowerCase() as "0" | "1" | "x" | "z", loc };
  if (!text.includes("'")) {
    const timed = /^([0-9_.eE+-]+)(fs|ps|ns|us|ms|s)$/.exec(text);
    if (timed) return { kind: "time", value: Number(timed[1].replace(/_/g, "")), exponent: timeUnits[timed[2]], loc };
    if (/[.eE]/.test(text)) return { kind: "real", value: Number(text.replace(/_/g, "")), loc };
    // a size and its digits may come from two macros
    if (s.current.kind === "number" && /^'[sS]?[bBoOdDhH]/.test(s.current.text)) {
      const joined = readNumber(text + s.current.text);
      if (joined) {
        s.next();
        return { kind: "number", loc: s.span(loc), ...joined };
      }
    }
  }
  const value = readNumber(text);
  if (value) return { kind: "number", loc, ...value };
  s.report(
    "verilog/number",
    loc,
    `The digits of ${text} do not fit its base or size.`,
    "Write it as size'base digits, such as 8'hFF.",
  );
  return { kind: "bad", loc };
}

/** `8'(x)`, `T'(x)`, `(W+1)'(x)`, with what stands before the quote at hand. */
function maybeCast(s: TokenStream, to: ExprNode): ExprNode {
  if (to.kind === "type" && s.is("'{")) {
    const pattern = parsePattern(s);
    return { kind: "cast", to: to.type, value: pattern, loc: s.span(to.loc) };
  }
  if (!(s.is("'") && s.peek(1).text === "(")) return to;
  s.next();
  s.next();
  const value = parseExpr(s);
  s.expect(")", "a cast");
  return parseSelects(s, { kind: "cast", to: to.kind === "type" ? to.type : to, value, loc: s.span(to.loc) });
}

function parseBraces(s: TokenStream, loc: Loc): ExprNode {
  if (s.is("<<") || s.is(">>")) {
    const op = s.next().text as "<<" | ">>";
    const at = s.current.loc;
    const slice: ExprNode | null = s.is("{")
      ? null
      : atType(s)
        ? { kind: "type", type: parseType(s), loc: s.span(at) }
        : parsePrimary(s);
    s.expect("{", "the parts of a stream");
    const parts: ExprNode[] = [];
    do {
      parts.push(parseExpr(s));
      if (s.is("with"))
        s.report(
          "verilog/unsupported",
          s.current.loc,
          "'with' is not supported in a stream.",
          "Name the part of the array: a[0:3].",
        );
    } while (s.accept(","));
    s.expect("}", "the parts of a stream");
    s.expect("}", "a stream");
    return { kind: "stream", op, slice, parts, loc: s.span(loc) };
  }
  if (s.accept("}")) {
    s.report("verilog/syntax", loc, "An empty concatenation has no bits.", "Put at least one part in it.");
    return { kind: "bad", loc };
  }
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

function parsePattern(s: TokenStream): ExprNode {
  const { loc } = s.next();
  const items: { key: ExprNode | "default" | null; value: ExprNode }[] = [];
  let count: ExprNode | null = null;
  if (s.accept("}")) return { kind: "pattern", items, count, loc: s.span(loc) };
  do {
    if (s.accept("default")) {
      s.expect(":", "'default'");
      items.push({ key: "default", value: parseExpr(s) });
      continue;
    }
    const first = parseExpr(s);
    if (s.accept(":")) items.push({ key: first, value: parseExpr(s) });
    else if (items.length === 0 && s.accept("{")) {
      count = first;
      for (const value of parseList(s, "}")) items.push({ key: null, value });
    } else items.push({ key: null, value: first });
  } while (s.accept(","));
  s.expect("}", "an assignment pattern");
  const node: PatternNode = { kind: "pattern", items, count, loc: s.span(loc) };
  return node;
}

function parseList(s: TokenStream, close: string): ExprNode[] {
  const parts = [parseExpr(s)];
  while (s.accept(",")) parts.push(parseExpr(s));
  s.expect(close, "a list of expressions");
  return parts;
}

/** Arguments of a call, with the opening parenthesis at hand. */
export function parseArgs(s: TokenStream): CallArg[] {
  s.next();
  const args: CallArg[] = [];
  if (s.accept(")")) return args;
  do {
    const { loc } = s.current;
    if (s.is(".") && s.peek(1).kind === "name" && s.peek(2).text === "(") {
      s.next();
      const name = s.next().text;
      s.next();
      const value = s.is(")") ? null : parseExpr(s);
      s.expect(")", "a named argument");
      args.push({ name, value, loc: s.span(loc) });
    } else if (s.is(",") || s.is(")")) args.push({ name: null, value: null, loc });
    else if (s.is("posedge") || s.is("negedge")) {
      s.unexpected("an argument");
      s.next();
    } else args.push({ name: null, value: parseExpr(s), loc: s.span(loc) });
  } while (s.accept(","));
  s.expect(")", "the arguments");
  return args;
}

function parseSelects(s: TokenStream, from: ExprNode): ExprNode {
  let base = from;
  for (;;) {
    const { kind, text } = s.current;
    if (kind !== "op") return base;
    if (text === "[") {
      // `a[*3]` repeats in a property
      if (/^(\*|->|=|\+)$/.test(s.peek(1).text) && s.peek(1).kind === "op" && !isSign(s)) return base;
      s.next();
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
    } else if (text === ".") {
      const name = s.peek(1);
      if (name.kind !== "name" && name.kind !== "keyword") return base;
      if (name.kind === "keyword" && !/^(and|or|xor|unique|new)$/.test(name.text)) return base;
      s.next();
      s.next();
      base = { kind: "member", base, name: name.text, nameLoc: name.loc, loc: s.span(from.loc) };
      if (s.is("with") && s.peek(1).text === "(") {
        const condition = parseWith(s);
        base = { kind: "call", callee: base, args: [], with: condition, loc: s.span(from.loc) };
      }
    } else if (text === "(") {
      if (base.kind !== "name" && base.kind !== "scoped" && base.kind !== "member") return base;
      const args = parseArgs(s);
      const more = s.is("with") && s.peek(1).text === "(" ? { with: parseWith(s) } : {};
      base = { kind: "call", callee: base, args, ...more, loc: s.span(from.loc) };
    } else if (text === "'" && s.peek(1).text === "(") {
      const type = typeFromName(base);
      s.next();
      s.next();
      const value = parseExpr(s);
      s.expect(")", "a cast");
      base = { kind: "cast", to: type ?? base, value, loc: s.span(from.loc) };
    } else if (text === "'{") {
      const type = typeFromName(base);
      if (!type) return base;
      base = { kind: "cast", to: type, value: parsePattern(s), loc: s.span(from.loc) };
    } else return base;
  }
}

/** `with (item > 3)` behind a method of an array. */
function parseWith(s: TokenStream): ExprNode {
  s.next();
  s.next();
  const inner = parseExpr(s);
  s.expect(")", "the expression of 'with'");
  return inner;
}

/** `[+1]`: a sign, where `[+]` repeats. */
const isSign = (s: TokenStream): boolean => s.peek(1).text === "+" && s.peek(2).text !== "]";

/** A name may be a type or a size; which one, the scope decides. */
function typeFromName(node: ExprNode): TypeNode | null {
  if (node.kind === "name") return { kind: "named", scope: null, name: node.name, dims: [], loc: node.loc };
  if (node.kind === "scoped") return { kind: "named", scope: node.scope, name: node.name, dims: [], loc: node.loc };
  return null;
}

/** What is assigned to a target: taken apart as its stream says where it is one. */
export function valueFor(target: ExprNode, value: ExprNode): ExprNode {
  if (target.kind !== "stream" || value.kind === "bad") return value;
  return { kind: "unstream", op: target.op, slice: target.slice, value, loc: value.loc };
}

/** A name with selects, or a concatenation of such: what may stand left of an assignment. */
export function parseTarget(s: TokenStream): ExprNode {
  const { kind, loc } = s.current;
  if (kind === "name" || s.is("{") || s.is("'{") || (kind === "system" && s.current.text === "$root"))
    return parsePrimary(s);
  if (s.is("this") || s.is("super")) return parsePrimary(s);
  s.unexpected("the target of an assignment");
  return { kind: "bad", loc };
}

/** `[left:right]` or `[size]`, with the opening bracket at hand. */
export function parseRange(s: TokenStream): RangeNode {
  const { loc } = s.next();
  const last: ExprNode = { kind: "last", loc };
  if (s.accept("]")) return { left: last, right: null, open: "array", loc: s.span(loc) };
  if (s.is("*") && s.peek(1).text === "]") {
    s.next();
    s.next();
    return { left: last, right: null, open: "map", loc: s.span(loc) };
  }
  if (s.accept("$")) {
    const bound = s.accept(":") ? parseExpr(s) : null;
    s.expect("]", "a range");
    return { left: last, right: bound, open: "queue", loc: s.span(loc) };
  }
  const left = parseExpr(s);
  const right = s.accept(":") ? parseExpr(s) : null;
  s.expect("]", "a range");
  return { left, right, loc: s.span(loc) };
}
