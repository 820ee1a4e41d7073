import type {
  BuiltinWord,
  DeclName,
  EnumType,
  ExprNode,
  ParamOverride,
  RangeNode,
  StructType,
  TypeNode,
} from "./ast.ts";
import { parseExpr, parseRange } from "./parse-expr.ts";
import { parseOverrides } from "./parse-module.ts";
import { parseSemicolon } from "./recovery.ts";
import type { TokenStream } from "./token-stream.ts";

const builtinWords: Readonly<Record<string, BuiltinWord>> = {
  logic: "logic",
  reg: "reg",
  bit: "bit",
  integer: "integer",
  time: "time",
  int: "int",
  byte: "byte",
  shortint: "shortint",
  longint: "longint",
  real: "real",
  realtime: "real",
  shortreal: "real",
  string: "string",
  event: "event",
  void: "void",
};

/** At a keyword that begins a data type. */
export function atType(s: TokenStream): boolean {
  const { kind, text } = s.current;
  if (kind !== "keyword") return false;
  if (text === "virtual")
    return s.peek(1).kind === "name" || (s.peek(1).text === "interface" && s.peek(2).kind === "name");
  return text in builtinWords || text === "enum" || text === "struct" || text === "union" || text === "type";
}

/**
 * At a declaration that begins with the name of a type: `word_t x`, `pkg::word_t [3:0] x`. An instance looks alike up to
 * its parenthesis, so `instances` says whether such may stand here.
 */
export function atNamedDeclaration(s: TokenStream, instances: boolean): boolean {
  if (s.current.kind !== "name") return false;
  let ahead = 1;
  let scoped = false;
  const isAt = (text: string) => s.peek(ahead).kind === "op" && s.peek(ahead).text === text;
  const params = () => {
    if (isAt("#") && s.peek(ahead + 1).text === "(") ahead = s.pastBracket(ahead + 1);
    return ahead > 0;
  };
  if (!params()) return false;
  const isClass = ahead > 1;
  if (isAt("::")) {
    scoped = true;
    ahead += 2;
    if (!params()) return false;
  }
  const start = ahead;
  while (s.peek(ahead).kind === "op" && s.peek(ahead).text === "[") {
    const past = s.pastBracket(ahead);
    if (past < 0) return false;
    ahead = past;
  }
  if (s.peek(ahead).kind !== "name") return false;
  if (!instances || (scoped && !isClass) || ahead > start) return true;
  let after = ahead + 1;
  while (s.peek(after).kind === "op" && s.peek(after).text === "[") {
    const past = s.pastBracket(after);
    if (past < 0) return false;
    after = past;
  }
  const { kind, text } = s.peek(after);
  return kind === "op" && (text === ";" || text === "," || text === "=");
}

/** `#(8, byte)` behind the name of a class. */
function parseClassParams(s: TokenStream): ParamOverride[] | undefined {
  if (!s.is("#") || s.peek(1).text !== "(") return undefined;
  s.next();
  s.next();
  return parseOverrides(s);
}

function parseSigning(s: TokenStream): boolean | null {
  if (s.accept("signed")) return true;
  if (s.accept("unsigned")) return false;
  return null;
}

export function parsePackedDims(s: TokenStream): RangeNode[] {
  const dims: RangeNode[] = [];
  while (s.is("[")) dims.push(parseRange(s));
  return dims;
}

/** A data type, or the sign and range alone (then its word is `implicit`). */
export function parseType(s: TokenStream): TypeNode {
  const { loc, text, kind } = s.current;
  if (kind === "keyword") {
    if (text === "enum") return parseEnum(s);
    if (text === "struct" || text === "union") return parseStruct(s);
    if (text === "virtual") {
      s.next();
      s.accept("interface");
      const { text: name } = s.current;
      if (s.current.kind === "name") s.next();
      else s.unexpected("an interface");
      // parameters and the view say what a handle may be given; an instance that is given has its own
      parseClassParams(s);
      if (s.accept(".") && s.current.kind === "name") s.next();
      return { kind: "virtual", name, dims: [], loc: s.span(loc) };
    }
    if (text === "type") {
      s.next();
      s.expect("(", "'type'");
      const expr = parseExpr(s);
      s.expect(")", "'type(...)'");
      return { kind: "typeof", expr, dims: parsePackedDims(s), loc: s.span(loc) };
    }
    const word = builtinWords[text];
    if (word) {
      s.next();
      const signed = parseSigning(s);
      const dims = word === "string" || word === "event" || word === "void" ? [] : parsePackedDims(s);
      return { kind: "builtin", word, signed, dims, loc: s.span(loc) };
    }
  }
  if (kind === "name") {
    s.next();
    let scope: string | null = null;
    let name = text;
    let params = parseClassParams(s);
    let scopeParams: ParamOverride[] | undefined;
    if (s.accept("::")) {
      scopeParams = params;
      scope = text;
      name = s.current.text;
      if (s.current.kind === "name") s.next();
      else s.unexpected("a type of the package");
      params = parseClassParams(s);
    }
    const given = { ...(params ? { params } : {}), ...(scopeParams ? { scopeParams } : {}) };
    return { kind: "named", scope, name, dims: parsePackedDims(s), loc: s.span(loc), ...given };
  }
  const signed = parseSigning(s);
  return { kind: "builtin", word: "implicit", signed, dims: parsePackedDims(s), loc };
}

/** The type of a port or parameter: a name is a type only if another name follows. */
export function parseTypeOrImplicit(s: TokenStream): TypeNode {
  if (atType(s) || atNamedDeclaration(s, false)) return parseType(s);
  const { loc } = s.current;
  const signed = parseSigning(s);
  return { kind: "builtin", word: "implicit", signed, dims: parsePackedDims(s), loc };
}

function parseEnum(s: TokenStream): TypeNode {
  const { loc } = s.next();
  const base = s.is("{") ? null : parseType(s);
  const members: EnumType["members"][number][] = [];
  s.expect("{", "'enum'");
  while (!s.atEnd && !s.is("}") && !s.is(";")) {
    const { text: name, loc: nameLoc, kind } = s.current;
    if (kind !== "name") {
      s.unexpected("a name of the enumeration");
      break;
    }
    s.next();
    const range = s.is("[") ? parseRange(s) : null;
    const value: ExprNode | null = s.accept("=") ? parseExpr(s) : null;
    members.push({ name, loc: nameLoc, range, value });
    if (!s.accept(",")) break;
  }
  s.expect("}", "the names of an enumeration");
  return { kind: "enum", base, members, dims: parsePackedDims(s), loc: s.span(loc) };
}

function parseStruct(s: TokenStream): TypeNode {
  const { loc, text } = s.next();
  const tagged = s.accept("tagged");
  const packed = s.accept("packed");
  const signed = parseSigning(s) === true;
  if (tagged)
    s.report("verilog/unsupported", loc, "Tagged unions are not supported.", "Use a packed struct with a tag field.");
  const members: StructType["members"][number][] = [];
  s.expect("{", `'${text}'`);
  while (!s.atEnd && !s.is("}") && !s.isAny("endmodule", "module", "endpackage")) {
    const before = s.index;
    const type = parseType(s);
    members.push({ type, names: parseDeclNames(s) });
    parseSemicolon(s, "this member");
    if (s.index === before) s.next();
  }
  s.expect("}", `the members of a ${text}`);
  const dims = parsePackedDims(s);
  return { kind: "struct", union: text === "union", packed, signed, members, dims, loc: s.span(loc) };
}

/** `a, b [0:3] = 5, c`. */
export function parseDeclNames(s: TokenStream): DeclName[] {
  const names: DeclName[] = [];
  do {
    if (s.current.kind !== "name") {
      s.unexpected("a name");
      break;
    }
    const { text: name, loc } = s.next();
    const dims = parsePackedDims(s);
    const init = s.accept("=") ? parseExpr(s) : null;
    names.push({ name, loc, init, dims });
  } while (s.accept(","));
  return names;
}
