import type {
  DeclItem,
  DelayNode,
  ExprNode,
  ImportItem,
  LetItem,
  NetKind,
  ParamItem,
  RangeNode,
  Strength,
  TypedefItem,
  TypeNode,
} from "./ast.ts";
import { parseExpr, parseMinTypMax } from "./parse-expr.ts";
import {
  atNamedDeclaration,
  atType,
  parseDeclNames,
  parsePackedDims,
  parseType,
  parseTypeOrImplicit,
} from "./parse-type.ts";
import { parseSemicolon, stops } from "./recovery.ts";
import type { TokenStream } from "./token-stream.ts";

export const netWords: ReadonlySet<string> = new Set(
  "wire tri wand triand wor trior tri0 tri1 trireg uwire supply0 supply1".split(" "),
);

export function implicitType(s: TokenStream): TypeNode {
  return { kind: "builtin", word: "implicit", signed: null, dims: [], loc: s.current.loc };
}

/** `#5`, `#2.5ns`, `#(2, 3)`, with the `#` at hand. */
export function parseDelay(s: TokenStream): DelayNode {
  const { loc } = s.next();
  if (s.accept("(")) {
    const values = [parseMinTypMax(s)];
    while (s.accept(",")) values.push(parseMinTypMax(s));
    s.expect(")", "a delay");
    return { values, loc: s.span(loc) };
  }
  const { kind, text, loc: at } = s.current;
  let value: ExprNode;
  if (kind === "number") {
    // a delay takes one number, so that "#5 -> e" and "#5 (x)" read right
    value = parseDelayNumber(s);
  } else if (kind === "name") {
    s.next();
    value = { kind: "name", name: text, loc: at };
    while (s.is(".") || s.is("::")) {
      const scoped = s.next().text === "::";
      const name = s.next();
      value = scoped
        ? { kind: "scoped", scope: text, name: name.text, loc: s.span(at) }
        : { kind: "member", base: value, name: name.text, nameLoc: name.loc, loc: s.span(at) };
    }
  } else {
    s.unexpected("a delay");
    value = { kind: "bad", loc: at };
  }
  return { values: [value], loc: s.span(loc) };
}

function parseDelayNumber(s: TokenStream): ExprNode {
  const { loc, text } = s.next();
  const timed = /^([0-9_.eE+-]+)(fs|ps|ns|us|ms|s)$/.exec(text);
  const exponents: Readonly<Record<string, number>> = { fs: -15, ps: -12, ns: -9, us: -6, ms: -3, s: 0 };
  if (timed) return { kind: "time", value: Number(timed[1].replace(/_/g, "")), exponent: exponents[timed[2]], loc };
  if (text.includes("'")) {
    s.rewind(s.index - 1);
    return parseExpr(s);
  }
  return { kind: "real", value: Number(text.replace(/_/g, "")), loc };
}

const strengthLevels: Readonly<Record<string, number>> = {
  supply: 7,
  strong: 6,
  pull: 5,
  large: 4,
  weak: 3,
  medium: 2,
  small: 1,
  highz: 0,
};

/** `(strong0, pull1)` and the like, or null if none stands here. Charge strengths are passed over. */
export function parseStrength(s: TokenStream): Strength | null {
  if (!s.is("(")) return null;
  const word = /^(supply|strong|pull|weak|highz)[01]$|^(small|medium|large)$/;
  if (s.peek(1).kind !== "keyword" || !word.test(s.peek(1).text)) return null;
  s.next();
  let zero = 6;
  let one = 6;
  do {
    const { text } = s.next();
    const match = /^(\w+?)([01])$/.exec(text);
    if (!match) continue;
    const level = strengthLevels[match[1]] ?? 6;
    if (match[2] === "0") zero = level;
    else one = level;
  } while (s.accept(","));
  s.expect(")", "a drive strength");
  return { zero, one };
}

/** Variables in a module, block or subroutine: `logic [3:0] a = 1, b[4];`, with or without `const`, `var`, lifetime. */
export function parseVariables(s: TokenStream): DeclItem {
  const { loc } = s.current;
  let isConst = false;
  let lifetime: "automatic" | "static" | null = null;
  for (;;) {
    if (s.accept("const")) isConst = true;
    else if (s.is("automatic") || s.is("static")) lifetime = s.next().text as "automatic" | "static";
    else if (!s.accept("var")) break;
  }
  const type = atType(s) || atNamedDeclaration(s, false) ? parseType(s) : parseTypeOrImplicit(s);
  const names = parseDeclNames(s);
  parseSemicolon(s, "this declaration");
  return {
    kind: "decl",
    direction: null,
    net: null,
    variable: true,
    type,
    names,
    lifetime,
    isConst,
    delay: null,
    strength: null,
    loc: s.span(loc),
  };
}

/** Nets: `wire (pull1) signed [3:0] #2 a = b, c;`. */
export function parseNets(s: TokenStream): DeclItem {
  const { loc, text } = s.next();
  const strength = parseStrength(s);
  s.acceptAny("scalared", "vectored");
  const type = parseTypeOrImplicit(s);
  const delay = s.is("#") ? parseDelay(s) : null;
  const names = parseDeclNames(s);
  parseSemicolon(s, "this declaration");
  return {
    kind: "decl",
    direction: null,
    net: text as NetKind,
    variable: false,
    type,
    names,
    lifetime: null,
    isConst: false,
    delay,
    strength,
    loc: s.span(loc),
  };
}

/** `parameter` or `localparam` with all its names; `close` ends the list in a header. */
export function parseParams(s: TokenStream): ParamItem[] {
  const local = s.next().text === "localparam";
  const items: ParamItem[] = [];
  const isType = s.accept("type");
  const type = isType ? implicitType(s) : parseTypeOrImplicit(s);
  do {
    const item = parseParam(s, local, isType, type);
    if (!item) break;
    items.push(item);
  } while (s.accept(","));
  parseSemicolon(s, "this parameter");
  return items;
}

export function parseParam(s: TokenStream, local: boolean, isType: boolean, type: TypeNode): ParamItem | null {
  if (s.current.kind !== "name") {
    s.unexpected("a parameter's name");
    return null;
  }
  const { text: name, loc } = s.next();
  const dims: RangeNode[] = parsePackedDims(s);
  let value: ExprNode | null = null;
  let typeValue: TypeNode | null = null;
  if (s.accept("=")) {
    if (isType) typeValue = parseType(s);
    else value = parseMinTypMax(s);
  }
  return { kind: "param", local, type, dims, name, nameLoc: loc, value, typeValue, isType, loc: s.span(loc) };
}

export function parseTypedef(s: TokenStream): TypedefItem | null {
  const { loc } = s.next();
  if (s.isAny("enum", "struct", "union") && s.peek(1).kind === "name" && s.peek(2).text === ";") {
    s.next(); // a forward declaration says nothing that we need
    s.next();
    s.next();
    return null;
  }
  if (s.is("class")) s.next(); // a class that is written further on
  if (s.current.kind === "name" && s.peek(1).text === ";") {
    s.next();
    s.next();
    return null;
  }
  const type = parseType(s);
  const { text: name, loc: nameLoc, kind } = s.current;
  if (kind !== "name") {
    s.unexpected("the name of the type");
    parseSemicolon(s, "this type");
    return null;
  }
  s.next();
  const dims = parsePackedDims(s);
  parseSemicolon(s, "this type");
  return { kind: "typedef", name, nameLoc, type, dims, loc: s.span(loc) };
}

export function parseImports(s: TokenStream): ImportItem[] {
  const isExport = s.current.text === "export";
  s.next();
  const items: ImportItem[] = [];
  do {
    const { text, loc, kind } = s.current;
    if (kind !== "name" && !(isExport && text === "*")) {
      s.unexpected("a package");
      break;
    }
    s.next();
    s.expect("::", "a package");
    let name: string | null = null;
    if (!s.accept("*")) {
      name = s.current.text;
      if (s.current.kind === "name") s.next();
      else s.unexpected("a name of the package, or '*'");
    }
    items.push({ kind: "import", package: text, name, loc: s.span(loc), ...(isExport ? { isExport } : {}) });
  } while (s.accept(","));
  parseSemicolon(s, isExport ? "this export" : "this import");
  return items;
}

/** `let name(a, b = 1) = expression;` */
export function parseLet(s: TokenStream): LetItem | null {
  const { loc } = s.next();
  const { text: name, loc: nameLoc, kind } = s.current;
  if (kind !== "name") {
    s.unexpected("the name of 'let'");
    s.skipTo(stops);
    return null;
  }
  s.next();
  const args: LetItem["args"][number][] = [];
  if (s.accept("(") && !s.accept(")")) {
    do {
      const isFree = s.accept("untyped");
      const type = !isFree && (atType(s) || atNamedDeclaration(s, false)) ? parseType(s) : null;
      const { text: arg, loc: argLoc } = s.current;
      if (s.current.kind === "name") s.next();
      else s.unexpected("an argument's name");
      args.push({ name: arg, loc: argLoc, type, init: s.accept("=") ? parseExpr(s) : null });
    } while (s.accept(","));
    s.expect(")", "the arguments");
  }
  s.expect("=", "the name of 'let'");
  const value = parseExpr(s);
  parseSemicolon(s, "this 'let'");
  return { kind: "let", name, nameLoc, args, value, loc: s.span(loc) };
}
