import type { Finding } from "../../common/finding.ts";
import type { Loc, SourceSet } from "../../common/source.ts";
import type {
  AlwaysItem,
  Connection,
  DeclItem,
  DeclName,
  Direction,
  EventNode,
  ExprNode,
  FunctionItem,
  GenerateBlock,
  ModuleItem,
  ModuleNode,
  RangeNode,
} from "./ast.ts";
import { type Preprocessor, tokenize } from "./lexer.ts";
import { parseExpr, parseRange, parseTarget } from "./parse-expr.ts";
import { parseSemicolon, parseStmt, parseVariables } from "./parse-stmt.ts";
import { TokenStream } from "./token-stream.ts";

export interface VerilogSyntax {
  readonly modules: ModuleNode[];
  readonly findings: Finding[];
}

const itemStops = new Set(
  "module endmodule input output inout wire reg integer parameter localparam assign always initial generate endgenerate genvar function endfunction".split(
    " ",
  ),
);
const netWords = ["wire", "tri", "reg", "integer", "genvar", "supply0", "supply1"];
const unsupportedWords = new Set(
  "task defparam specify primitive fork real realtime time event wand wor triand trior tri0 tri1 trireg and or nand nor xor xnor not buf bufif0 bufif1 notif0 notif1 config".split(
    " ",
  ),
);

/** All files of a design, in their order. Reads on after a mistake, so that one pass finds several. */
export function parseVerilog(
  sources: SourceSet,
  fileIndexes: readonly number[] = sources.files.map((_, i) => i),
): VerilogSyntax {
  const findings: Finding[] = [];
  const modules: ModuleNode[] = [];
  const pre: Preprocessor = { macros: new Map() };
  for (const file of fileIndexes) {
    const s = new TokenStream(tokenize(sources, file, pre, findings), sources, findings);
    while (!s.atEnd) {
      if (s.isAny("module", "macromodule")) modules.push(parseModule(s));
      else {
        if (s.current.kind === "keyword" && unsupportedWords.has(s.current.text)) unsupported(s, s.current.text);
        else s.unexpected("'module'");
        while (!s.atEnd && !s.is("module")) s.next();
      }
    }
  }
  return { modules, findings };
}

function unsupported(s: TokenStream, word: string): void {
  s.report(
    "verilog/unsupported",
    s.current.loc,
    `'${word}' is not supported yet.`,
    "Write it with modules, nets, registers and always blocks.",
  );
}

function parseModule(s: TokenStream): ModuleNode {
  const { loc } = s.next();
  const nameToken = s.current;
  if (nameToken.kind === "name") s.next();
  else s.unexpected("the module's name");
  const items: ModuleItem[] = [];
  const ports: { name: string; loc: Loc }[] = [];
  if (s.accept("#")) parseParameterPorts(s, items);
  if (s.accept("(")) parsePortList(s, ports, items);
  parseSemicolon(s, "the module's header");
  while (!s.atEnd && !s.isAny("endmodule", "module")) parseItem(s, items);
  const endLoc = s.current.loc;
  if (!s.accept("endmodule")) {
    s.report(
      "verilog/missing-endmodule",
      nameToken.loc,
      `Module '${nameToken.text}' has no 'endmodule'.`,
      "Add 'endmodule' after its last item.",
    );
  }
  return { name: nameToken.text, nameLoc: nameToken.loc, ports, items, endLoc, loc: s.span(loc) };
}

function parseParameterPorts(s: TokenStream, items: ModuleItem[]): void {
  s.expect("(", "'#'");
  if (s.accept(")")) return;
  let signed = false;
  let range: RangeNode | null = null;
  do {
    if (s.accept("parameter") || s.isAny("signed", "integer", "[")) {
      signed = s.accept("signed");
      if (s.accept("integer")) signed = true;
      range = s.is("[") ? parseRange(s) : null;
    }
    if (!parseParameter(s, items, false, signed, range)) break;
  } while (s.accept(","));
  s.expect(")", "the parameter list");
}

function parseParameter(
  s: TokenStream,
  items: ModuleItem[],
  local: boolean,
  signed: boolean,
  range: RangeNode | null,
): boolean {
  if (s.current.kind !== "name") {
    s.unexpected("a parameter's name");
    return false;
  }
  const { text: name, loc } = s.next();
  s.expect("=", "a parameter's name");
  items.push({ kind: "param", local, signed, range, name, value: parseExpr(s), loc: s.span(loc) });
  return true;
}

function parsePortList(s: TokenStream, ports: { name: string; loc: Loc }[], items: ModuleItem[]): void {
  if (s.accept(")")) return;
  let header: Omit<DeclItem, "names"> | null = null;
  do {
    if (s.is(")")) break;
    if (s.isAny("input", "output", "inout")) header = parsePortHeader(s);
    if (s.current.kind !== "name") {
      s.unexpected("a port");
      while (!s.atEnd && !s.isAny(",", ")", ";", "endmodule")) s.next();
      continue;
    }
    const { text: name, loc } = s.next();
    ports.push({ name, loc });
    if (header) {
      const dims: RangeNode[] = [];
      while (s.is("[")) dims.push(parseRange(s));
      const init = s.accept("=") ? parseExpr(s) : null;
      items.push({ ...header, names: [{ name, loc, init, dims }] });
    }
  } while (s.accept(","));
  s.expect(")", "the port list");
}

function parsePortHeader(s: TokenStream): Omit<DeclItem, "names"> {
  const { text, loc } = s.next();
  const net = s.isAny("wire", "tri", "reg", "integer") ? s.next().text : null;
  const signed = s.accept("signed") || net === "integer";
  const range = s.is("[") ? parseRange(s) : null;
  return {
    kind: "decl",
    direction: text as Direction,
    net: net === "tri" ? "wire" : (net as DeclItem["net"]),
    signed,
    range,
    loc,
  };
}

function parseNames(s: TokenStream): DeclName[] {
  const names: DeclName[] = [];
  do {
    if (s.current.kind !== "name") {
      s.unexpected("a name");
      break;
    }
    const { text: name, loc } = s.next();
    const dims: RangeNode[] = [];
    while (s.is("[")) dims.push(parseRange(s));
    const init = s.accept("=") ? parseExpr(s) : null;
    names.push({ name, loc, init, dims });
  } while (s.accept(","));
  return names;
}

function skipDelay(s: TokenStream): void {
  if (!s.accept("#")) return;
  if (s.accept("(")) {
    while (!s.atEnd && !s.accept(")")) s.next();
  } else s.next();
}

function parseItem(s: TokenStream, items: ModuleItem[]): void {
  const { loc, text, kind } = s.current;
  if (s.accept(";")) return;
  if (s.isAny("input", "output", "inout")) {
    const header = parsePortHeader(s);
    const names = parseNames(s);
    parseSemicolon(s, "this declaration");
    items.push({ ...header, names, loc: s.span(loc) });
    return;
  }
  if (kind === "keyword" && netWords.includes(text)) {
    s.next();
    const signed = s.accept("signed") || text === "integer";
    const range = s.is("[") ? parseRange(s) : null;
    skipDelay(s);
    const names = parseNames(s);
    parseSemicolon(s, "this declaration");
    items.push({
      kind: "decl",
      direction: null,
      net: (text === "tri" ? "wire" : text) as DeclItem["net"],
      signed,
      range,
      names,
      loc: s.span(loc),
    });
    return;
  }
  if (s.isAny("parameter", "localparam")) {
    s.next();
    let signed = s.accept("signed");
    if (s.accept("integer")) signed = true;
    const range = s.is("[") ? parseRange(s) : null;
    do {
      if (!parseParameter(s, items, text === "localparam", signed, range)) break;
    } while (s.accept(","));
    parseSemicolon(s, "this parameter");
    return;
  }
  if (s.accept("assign")) {
    skipDelay(s);
    do {
      const from = s.current.loc;
      const target = parseTarget(s);
      s.expect("=", "the target of 'assign'");
      items.push({ kind: "continuous", target, value: parseExpr(s), loc: s.span(from) });
    } while (s.accept(","));
    parseSemicolon(s, "this assignment");
    return;
  }
  if (s.is("always")) {
    items.push(parseAlways(s));
    return;
  }
  if (s.accept("initial")) {
    items.push({ kind: "initial", body: parseStmt(s), loc: s.span(loc) });
    return;
  }
  if (s.accept("generate")) {
    while (!s.atEnd && !s.isAny("endgenerate", "endmodule")) parseItem(s, items);
    s.expect("endgenerate", "the generate region");
    return;
  }
  if (s.is("for")) {
    parseGenerateFor(s, items);
    return;
  }
  if (s.accept("if")) {
    s.expect("(", "'if'");
    const test = parseExpr(s);
    s.expect(")", "the condition of 'if'");
    const yes = parseGenerateBlock(s);
    const no = s.accept("else") ? parseGenerateBlock(s) : null;
    items.push({ kind: "genif", test, yes, no, loc: s.span(loc) });
    return;
  }
  if (s.is("function")) {
    items.push(parseFunction(s));
    return;
  }
  if (kind === "name" && (s.peek(1).kind === "name" || s.peek(1).text === "#")) {
    parseInstances(s, items);
    return;
  }
  if (kind === "keyword" && unsupportedWords.has(text)) unsupported(s, text);
  else s.unexpected("a declaration, 'assign', 'always' or an instance");
  s.next();
  s.skipTo(itemStops);
}

function parseAlways(s: TokenStream): AlwaysItem {
  const { loc } = s.next();
  let events: EventNode[] | "star" | null = null;
  if (s.accept("@")) {
    if (s.accept("*")) events = "star";
    else {
      s.expect("(", "'@'");
      if (s.accept("*")) events = "star";
      else {
        events = [];
        do {
          const at = s.current.loc;
          const edge = s.isAny("posedge", "negedge") ? (s.next().text as "posedge" | "negedge") : null;
          events.push({ edge, signal: parseExpr(s), loc: s.span(at) });
        } while (s.accept("or") || s.accept(","));
      }
      s.expect(")", "the event list");
    }
  } else s.missing("@(...)", "'always'");
  return { kind: "always", events, body: parseStmt(s), loc: s.span(loc) };
}

function parseGenerateFor(s: TokenStream, items: ModuleItem[]): void {
  const { loc } = s.next();
  s.expect("(", "'for'");
  s.accept("genvar");
  const genvar = s.next().text;
  s.expect("=", "the loop's genvar");
  const init = parseExpr(s);
  s.expect(";", "the loop's start");
  const test = parseExpr(s);
  s.expect(";", "the loop's condition");
  const stepName = s.next().text;
  s.expect("=", "the loop's genvar");
  const step = parseExpr(s);
  s.expect(")", "the loop's step");
  const block = parseGenerateBlock(s);
  items.push({
    kind: "genfor",
    genvar,
    init,
    test,
    stepName,
    step,
    label: block.label,
    body: block.items,
    loc: s.span(loc),
  });
}

function parseGenerateBlock(s: TokenStream): GenerateBlock {
  const items: ModuleItem[] = [];
  if (!s.is("begin")) {
    parseItem(s, items);
    return { label: null, items };
  }
  const { loc } = s.next();
  const label = s.accept(":") ? s.next().text : null;
  while (!s.atEnd && !s.isAny("end", "endmodule", "endgenerate")) parseItem(s, items);
  if (!s.accept("end"))
    s.report("verilog/missing-end", loc, "This 'begin' has no 'end'.", "Add 'end' where the block ends.");
  return { label, items };
}

function parseFunction(s: TokenStream): FunctionItem {
  const { loc } = s.next();
  s.accept("automatic");
  let signed = s.accept("signed");
  const isInteger = s.accept("integer");
  signed ||= isInteger;
  const range = s.is("[") ? parseRange(s) : null;
  const name = s.next().text;
  const decls: DeclItem[] = [];
  if (s.accept("(")) {
    const ports: { name: string; loc: Loc }[] = [];
    const items: ModuleItem[] = [];
    parsePortList(s, ports, items);
    decls.push(...items.filter((item): item is DeclItem => item.kind === "decl"));
  }
  parseSemicolon(s, "the function's header");
  while (s.isAny("input", "reg", "integer")) {
    if (s.is("input")) {
      const from = s.current.loc;
      const header = parsePortHeader(s);
      const names = parseNames(s);
      parseSemicolon(s, "this declaration");
      decls.push({ ...header, names, loc: s.span(from) });
    } else decls.push(parseVariables(s));
  }
  const body = parseStmt(s);
  s.expect("endfunction", "the function's body");
  return { kind: "function", name, signed, range, isInteger, decls, body, loc: s.span(loc) };
}

function parseInstances(s: TokenStream, items: ModuleItem[]): void {
  const { text: module, loc: moduleLoc } = s.next();
  let params: Connection[] = [];
  if (s.accept("#")) {
    if (s.accept("(")) params = parseConnections(s);
    else params = [{ name: null, value: parseExpr(s), loc: s.previous.loc }];
  }
  do {
    const { loc, text: name, kind } = s.current;
    if (kind !== "name") {
      s.unexpected("an instance name");
      break;
    }
    s.next();
    if (s.is("[")) {
      unsupported(s, "array of instances");
      parseRange(s);
    }
    const ports = s.expect("(", "an instance name") ? parseConnections(s) : [];
    items.push({ kind: "instance", module, moduleLoc, name, params, ports, loc: s.span(loc) });
  } while (s.accept(","));
  parseSemicolon(s, "this instance");
}

function parseConnections(s: TokenStream): Connection[] {
  const list: Connection[] = [];
  if (s.accept(")")) return list;
  do {
    const { loc } = s.current;
    if (s.accept(".")) {
      if (s.current.kind !== "name") {
        s.unexpected("a port's name");
        break;
      }
      const name = s.next().text;
      s.expect("(", "a port's name");
      const value: ExprNode | null = s.is(")") ? null : parseExpr(s);
      s.expect(")", "a port connection");
      list.push({ name, value, loc: s.span(loc) });
    } else if (s.isAny(",", ")")) list.push({ name: null, value: null, loc });
    else list.push({ name: null, value: parseExpr(s), loc: s.span(loc) });
  } while (s.accept(","));
  s.expect(")", "the list of connections");
  return list;
}
