import type { Loc } from "../../common/source.ts";
import type {
  Connection,
  DeclItem,
  Direction,
  ExprNode,
  GateItem,
  GenerateBlock,
  GenerateCase,
  ModuleItem,
  ModuleNode,
  NetKind,
  ParamOverride,
  PortName,
  RangeNode,
  StmtNode,
  SubroutineItem,
  TimeScale,
  TypeNode,
} from "./ast.ts";
import { parseClass } from "./parse-class.ts";
import {
  implicitType,
  netWords,
  parseDelay,
  parseImports,
  parseLet,
  parseNets,
  parseParam,
  parseParams,
  parseStrength,
  parseTypedef,
  parseVariables,
} from "./parse-decl.ts";
import { parseExpr, parseRange, parseTarget, valueFor } from "./parse-expr.ts";
import { parseAssertionDecl } from "./parse-property.ts";
import { missingEnd, parseAssignment, parseEventControl, parseStmt, parseStmtList } from "./parse-stmt.ts";
import {
  atNamedDeclaration,
  atType,
  parseDeclNames,
  parsePackedDims,
  parseType,
  parseTypeOrImplicit,
} from "./parse-type.ts";
import { parseEndLabel, parseSemicolon, stops } from "./recovery.ts";
import type { TokenStream } from "./token-stream.ts";

const moduleEnds = ["endmodule", "endinterface", "endpackage", "endprogram", "module", "macromodule"];
const directions = ["input", "output", "inout", "ref"];
const gateWords = new Set(
  `and nand or nor xor xnor buf not bufif0 bufif1 notif0 notif1 nmos pmos rnmos rpmos cmos rcmos tran rtran tranif0
  tranif1 rtranif0 rtranif1 pullup pulldown`.split(/\s+/),
);
const unsupportedWords: Readonly<Record<string, string>> = {
  primitive: "Write it as a module.",
  covergroup: "Count the cases in an always block.",
  clocking: "Use @(posedge clk) and non-blocking assignments.",
  checker: "Write it as a module.",
  alias: "Use assign.",
};

export function unsupported(s: TokenStream, word: string): void {
  s.report("verilog/unsupported", s.current.loc, `'${word}' is not supported.`, unsupportedWords[word] ?? "Remove it.");
}

export function parseModule(s: TokenStream): ModuleNode {
  const { defaultNet, timeScale, openInputs } = s.mark;
  const { loc, text } = s.next();
  const kind = text === "macromodule" ? "module" : (text as ModuleNode["kind"]);
  const lifetime = s.acceptAny("automatic", "static");
  const nameToken = s.current;
  if (nameToken.kind === "name") s.next();
  else s.unexpected(`the ${kind}'s name`);
  const items: ModuleItem[] = [];
  const ports: PortName[] = [];
  while (s.is("import")) items.push(...parseImports(s));
  if (s.accept("#")) parseParameterPorts(s, items);
  if (s.accept("(")) parsePortList(s, ports, items);
  parseSemicolon(s, `the ${kind}'s header`);
  const end = kind === "module" ? "endmodule" : `end${kind}`;
  let scale: TimeScale | null = timeScale;
  while (
    !s.atEnd &&
    !s.isAny(...moduleEnds) &&
    !(kind !== "interface" && s.is("interface") && s.peek(1).kind === "name")
  ) {
    if (s.isAny("timeunit", "timeprecision")) scale = parseTimeUnit(s, scale);
    else parseItem(s, items);
  }
  const endLoc = s.current.loc;
  if (s.accept(end)) parseEndLabel(s, nameToken.text);
  else {
    s.report(
      `verilog/missing-${end}`,
      nameToken.loc,
      `${kind === "module" ? "Module" : kind[0].toUpperCase() + kind.slice(1)} '${nameToken.text}' has no '${end}'.`,
      `Add '${end}' after its last item.`,
    );
    if (s.isAny("endmodule", "endinterface", "endpackage", "endprogram")) s.next();
  }
  return {
    kind,
    name: nameToken.text,
    nameLoc: nameToken.loc,
    ports,
    items,
    endLoc,
    timeScale: scale,
    defaultNet,
    openInputs,
    automatic: lifetime === "automatic",
    loc: s.span(loc),
  };
}

export function parseTimeUnit(s: TokenStream, old: TimeScale | null): TimeScale | null {
  const { text: word } = s.next();
  const read = (): number | null => {
    const match = /^(1|10|100)(fs|ps|ns|us|ms|s)$/.exec(s.current.text);
    if (!match) {
      s.unexpected("a time such as 1ns");
      return null;
    }
    s.next();
    return { fs: -15, ps: -12, ns: -9, us: -6, ms: -3, s: 0 }[match[2]]! + match[1].length - 1;
  };
  const first = read();
  const second = s.accept("/") ? read() : null;
  parseSemicolon(s, "this time unit");
  if (first === null) return old;
  if (word === "timeunit") return { unit: first, precision: second ?? Math.min(first, old?.precision ?? first) };
  return { unit: old?.unit ?? first, precision: first };
}

export function parseParameterPorts(s: TokenStream, items: ModuleItem[]): void {
  s.expect("(", "'#'");
  if (s.accept(")")) return;
  let type: TypeNode = implicitType(s);
  let local = false;
  let isType = false;
  do {
    const word = s.acceptAny("parameter", "localparam");
    if (word) {
      local = word === "localparam";
      isType = s.accept("type");
      type = isType ? implicitType(s) : parseTypeOrImplicit(s);
    } else if (s.accept("type")) isType = true;
    else if (atType(s) || s.isAny("signed", "unsigned", "[") || atNamedDeclaration(s, false)) {
      isType = false;
      type = parseTypeOrImplicit(s);
    }
    const item = parseParam(s, local, isType, type);
    if (!item) break;
    items.push(item);
  } while (s.accept(","));
  s.expect(")", "the parameter list");
}

type PortHeader = Omit<DeclItem, "names">;

function header(s: TokenStream, loc: Loc, direction: Direction | null, fields: Partial<PortHeader>): PortHeader {
  return {
    kind: "decl",
    direction,
    net: null,
    variable: false,
    type: implicitType(s),
    lifetime: null,
    isConst: false,
    delay: null,
    strength: null,
    loc,
    ...fields,
  };
}

/** `output reg [3:0]`, with the direction at hand. */
function parsePortHeader(s: TokenStream): PortHeader {
  const { text, loc } = s.next();
  const direction = text as Direction;
  if (s.current.kind === "keyword" && netWords.has(s.current.text)) {
    const net = s.next().text as NetKind;
    return header(s, loc, direction, { net, type: parseTypeOrImplicit(s) });
  }
  const named = s.accept("var");
  const variable = named || atType(s) || atNamedDeclaration(s, false);
  return header(s, loc, direction, { variable, type: parseTypeOrImplicit(s) });
}

function atInterfacePort(s: TokenStream): boolean {
  if (s.is("interface")) return true;
  if (s.current.kind !== "name") return false;
  return s.peek(1).kind === "op" && s.peek(1).text === "." && s.peek(2).kind === "name" && s.peek(3).kind === "name";
}

function parsePortList(s: TokenStream, ports: PortName[], items: ModuleItem[]): void {
  if (s.accept(")")) return;
  let current: PortHeader | null = null;
  do {
    if (s.is(")")) {
      s.report("verilog/syntax", s.previous.loc, "The port list ends with a comma.", "Remove the last comma.");
      break;
    }
    if (s.isAny(...directions)) current = parsePortHeader(s);
    else if (atInterfacePort(s)) {
      const { loc, text } = s.next();
      const modport = s.accept(".") ? s.next().text : null;
      const name = s.current;
      if (name.kind === "name") s.next();
      else s.unexpected("a port's name");
      const dims = parsePackedDims(s);
      ports.push({ name: name.text, loc: name.loc, expr: null });
      items.push({
        kind: "interfaceport",
        interfaceName: text === "interface" ? null : text,
        modport,
        name: name.text,
        dims,
        loc: s.span(loc),
      });
      continue;
    } else if (s.current.kind === "keyword" && netWords.has(s.current.text)) {
      const { text, loc } = s.next();
      current = header(s, loc, current?.direction ?? "inout", { net: text as NetKind, type: parseTypeOrImplicit(s) });
    } else if (atType(s) || s.is("var") || atNamedDeclaration(s, false)) {
      // `bus_if b` without a direction: a type or an interface; the elaboration knows which
      const { loc } = s.current;
      s.accept("var");
      const type = parseType(s);
      current = header(s, loc, current?.direction ?? null, { variable: true, type });
    }
    if (s.is(".")) {
      const { loc } = s.next();
      const name = s.next().text;
      s.expect("(", "a port's name");
      const expr: ExprNode | null = s.is(")") ? null : parseExpr(s);
      s.expect(")", "a port's expression");
      ports.push({ name, loc: s.span(loc), expr });
      continue;
    }
    if (s.is("{")) {
      const expr = parseExpr(s);
      ports.push({ name: "", loc: expr.loc, expr });
      continue;
    }
    if (s.current.kind !== "name") {
      s.unexpected("a port");
      while (!s.atEnd && !s.isAny(",", ")", ";", "endmodule")) s.next();
      continue;
    }
    const { text: name, loc } = s.next();
    const dims = parsePackedDims(s);
    if (current) {
      ports.push({ name, loc, expr: null });
      const init = s.accept("=") ? parseExpr(s) : null;
      items.push({ ...current, names: [{ name, loc, init, dims }] });
    } else {
      const [range] = dims;
      let expr: ExprNode | null = null;
      if (range) {
        const base: ExprNode = { kind: "name", name, loc };
        expr = range.right
          ? { kind: "range", base, mode: ":", left: range.left, right: range.right, loc: s.span(loc) }
          : { kind: "index", base, index: range.left, loc: s.span(loc) };
      }
      ports.push({ name: range ? "" : name, loc, expr });
    }
  } while (s.accept(","));
  s.expect(")", "the port list");
}

export function parseItem(s: TokenStream, items: ModuleItem[]): void {
  const { loc, text, kind } = s.current;
  if (kind === "op" && text === ";") {
    s.next();
    return;
  }
  if (kind === "keyword") {
    if (keywordItem(s, items)) return;
  } else if (kind === "name") {
    const next = s.peek(1);
    if (next.kind === "op" && next.text === ":" && s.peek(2).kind === "keyword") {
      const label = s.next().text;
      s.next();
      if (s.isAny("assert", "assume", "cover")) {
        const body = parseStmt(s);
        if (body.kind === "assert") items.push({ kind: "assertitem", body: { ...body, label }, loc: s.span(loc) });
        else if (body.kind === "concurrent") items.push({ ...body, label });
        return;
      }
      parseItem(s, items);
      return;
    }
    if (atNamedDeclaration(s, true)) {
      items.push(parseVariables(s));
      return;
    }
    if (next.kind === "name" || (next.kind === "op" && (next.text === "#" || next.text === "("))) {
      parseInstances(s, items);
      return;
    }
  } else if (kind === "system") {
    const call = parseExpr(s);
    parseSemicolon(s, `the call of ${text}`);
    if (call.kind === "call") items.push({ kind: "elabtask", call, loc: s.span(loc) });
    return;
  }
  s.unexpected("a declaration, 'assign', 'always' or an instance");
  const before = s.index;
  s.skipTo(stops);
  if (s.index === before || s.isAny("end", "else", "join", "endcase")) s.next();
}

function keywordItem(s: TokenStream, items: ModuleItem[]): boolean {
  const { loc, text } = s.current;
  switch (text) {
    case "input":
    case "output":
    case "inout":
    case "ref": {
      const port = parsePortHeader(s);
      const names = parseDeclNames(s);
      parseSemicolon(s, "this declaration");
      items.push({ ...port, names, loc: s.span(loc) });
      return true;
    }
    case "parameter":
    case "localparam":
      items.push(...parseParams(s));
      return true;
    case "typedef": {
      const made = parseTypedef(s);
      if (made) items.push(made);
      return true;
    }
    case "import":
    case "export":
      items.push(...parseImports(s));
      return true;
    case "genvar": {
      s.next();
      const names = parseDeclNames(s).map(({ name, loc: at }) => ({ name, loc: at }));
      parseSemicolon(s, "this declaration");
      items.push({ kind: "genvar", names, loc: s.span(loc) });
      return true;
    }
    case "assign": {
      s.next();
      const strength = parseStrength(s);
      const delay = s.is("#") ? parseDelay(s) : null;
      do {
        const from = s.current.loc;
        const target = parseTarget(s);
        s.expect("=", "the target of 'assign'");
        items.push({
          kind: "continuous",
          target,
          value: valueFor(target, parseExpr(s)),
          delay,
          strength,
          loc: s.span(from),
        });
      } while (s.accept(","));
      parseSemicolon(s, "this assignment");
      return true;
    }
    case "always":
    case "always_comb":
    case "always_ff":
    case "always_latch": {
      s.next();
      const eventLoc = s.is("@") ? s.current.loc : loc;
      const body = parseStmt(s);
      items.push({ kind: "always", word: text, eventLoc, body, loc: s.span(loc) });
      return true;
    }
    case "initial":
    case "final":
      s.next();
      items.push({ kind: "initial", final: text === "final", body: parseStmt(s), loc: s.span(loc) });
      return true;
    case "generate":
      s.next();
      while (!s.atEnd && !s.isAny("endgenerate", ...moduleEnds)) parseItem(s, items);
      s.expect("endgenerate", "the generate region");
      return true;
    case "begin":
      items.push(parseGenerateBlock(s));
      return true;
    case "for":
      parseGenerateFor(s, items);
      return true;
    case "if": {
      s.next();
      s.expect("(", "'if'");
      const test = parseExpr(s);
      s.expect(")", "the condition of 'if'");
      const yes = parseGenerateBlock(s);
      const no = s.accept("else") ? parseGenerateBlock(s) : null;
      items.push({ kind: "genif", test, yes, no, loc: s.span(loc) });
      return true;
    }
    case "case":
      parseGenerateCase(s, items);
      return true;
    case "function":
    case "task":
      items.push(parseSubroutine(s));
      return true;
    case "class":
      items.push(parseClass(s));
      return true;
    case "virtual":
      if (s.peek(1).text !== "class") {
        items.push(parseVariables(s));
        return true;
      }
      items.push(parseClass(s));
      return true;
    case "defparam":
      s.next();
      do {
        const from = s.current.loc;
        const target = parseTarget(s);
        s.expect("=", "the parameter of 'defparam'");
        items.push({ kind: "defparam", target, value: parseExpr(s), loc: s.span(from) });
      } while (s.accept(","));
      parseSemicolon(s, "this 'defparam'");
      return true;
    case "modport":
      parseModports(s, items);
      return true;
    case "assert":
    case "assume":
    case "cover": {
      const body = parseStmt(s);
      if (body.kind === "assert") items.push({ kind: "assertitem", body, loc: s.span(loc) });
      else if (body.kind === "concurrent") items.push(body);
      return true;
    }
    case "let": {
      const made = parseLet(s);
      if (made) items.push(made);
      return true;
    }
    case "property":
    case "sequence":
      items.push(parseAssertionDecl(s));
      return true;
    case "default":
      if (s.peek(1).text === "clocking" && s.peek(2).text === "@") {
        s.next();
        s.next();
        const clock = parseEventControl(s);
        parseSemicolon(s, "this clock");
        s.expect("endclocking", "the default clock");
        items.push({
          kind: "assertiondefault",
          clock: clock === "star" ? null : clock,
          disable: null,
          loc: s.span(loc),
        });
        return true;
      }
      if (s.peek(1).text === "disable" && s.peek(2).text === "iff") {
        for (let i = 0; i < 3; i++) s.next();
        const disable = parseExpr(s);
        parseSemicolon(s, "'default disable iff'");
        items.push({ kind: "assertiondefault", clock: null, disable, loc: s.span(loc) });
        return true;
      }
      return false;
    case "const":
    case "var":
    case "automatic":
    case "static":
      items.push(parseVariables(s));
      return true;
    case "else":
      s.report("verilog/syntax", loc, "This 'else' has no 'if'.", "Remove a ';' or an 'end' before it.");
      s.next();
      return true;
    case "specify":
      while (!s.atEnd && !s.isAny("endspecify", "endmodule")) s.next();
      s.expect("endspecify", "the 'specify' block");
      items.push({ kind: "specify", loc });
      return true;
    case "bind":
      parseBind(s, items);
      return true;
    case "end":
      s.report("verilog/extra-end", loc, "This 'end' ends nothing.", "Remove it, or add the 'begin'.");
      s.next();
      return true;
  }
  if (netWords.has(text)) {
    items.push(parseNets(s));
    return true;
  }
  if (gateWords.has(text)) {
    parseGates(s, items);
    return true;
  }
  if (atType(s)) {
    items.push(parseVariables(s));
    return true;
  }
  if (text in unsupportedWords) {
    unsupported(s, text);
    const end = `end${text === "covergroup" ? "group" : text}`;
    if (/^(covergroup|clocking|checker|config|primitive)$/.test(text)) {
      while (!s.atEnd && !s.isAny(end, "endmodule")) s.next();
      s.accept(end);
      if (s.accept(":")) s.next();
    } else {
      s.next();
      s.skipTo(stops);
    }
    return true;
  }
  return false;
}

function parseBind(s: TokenStream, items: ModuleItem[]): void {
  const { loc } = s.next();
  const { text: target, loc: targetLoc } = s.current;
  if (s.current.kind === "name" && s.peek(1).kind === "name" && !/^[.:[]$/.test(s.peek(1).text)) {
    s.next();
    const bound: ModuleItem[] = [];
    parseInstances(s, bound);
    const instances = bound.flatMap((item) => (item.kind === "instance" ? [item] : []));
    items.push({ kind: "bind", target, targetLoc, instances, loc: s.span(loc) });
    return;
  }
  s.report(
    "verilog/unsupported",
    targetLoc,
    "'bind' takes the name of a module here, and not that of one instance.",
    "Write bind module checker u_checker (...); it then stands in all instances of the module.",
  );
  s.skipTo(stops);
}

function parseGenerateFor(s: TokenStream, items: ModuleItem[]): void {
  const { loc } = s.next();
  s.expect("(", "'for'");
  s.accept("genvar");
  const { text: genvar, kind } = s.current;
  if (kind === "name") s.next();
  else s.unexpected("the loop's genvar");
  s.expect("=", "the loop's genvar");
  const init = parseExpr(s);
  s.expect(";", "the loop's start");
  const test = parseExpr(s);
  s.expect(";", "the loop's condition");
  const step: StmtNode = parseAssignment(s, true);
  s.expect(")", "the loop's step");
  items.push({ kind: "genfor", genvar, init, test, step, body: parseGenerateBlock(s), loc: s.span(loc) });
}

function parseGenerateBlock(s: TokenStream): GenerateBlock {
  const items: ModuleItem[] = [];
  const { loc } = s.current;
  let label: string | null = null;
  if (s.current.kind === "name" && s.peek(1).text === ":" && s.peek(2).text === "begin") {
    label = s.next().text;
    s.next();
  }
  if (!s.is("begin")) {
    if (!s.isAny(...moduleEnds, "endgenerate", "end", "else")) parseItem(s, items);
    else s.unexpected("an item");
    return { kind: "genblock", label: null, items, braced: false, loc: s.span(loc) };
  }
  s.next();
  if (s.accept(":")) {
    label = s.current.text;
    if (s.current.kind === "name") s.next();
    else s.unexpected("the block's name");
  }
  while (!s.atEnd && !s.isAny("end", "endgenerate", ...moduleEnds)) parseItem(s, items);
  if (s.accept("end")) {
    s.closed(loc);
    parseEndLabel(s, label);
  } else missingEnd(s, loc, "begin", "end");
  return { kind: "genblock", label, items, braced: true, loc: s.span(loc) };
}

function parseGenerateCase(s: TokenStream, items: ModuleItem[]): void {
  const { loc } = s.next();
  s.expect("(", "'case'");
  const subject = parseExpr(s);
  s.expect(")", "the subject of 'case'");
  const list: GenerateCase["items"][number][] = [];
  let fallback: GenerateBlock | null = null;
  while (!s.atEnd && !s.isAny("endcase", "endgenerate", ...moduleEnds)) {
    const before = s.index;
    if (s.accept("default")) {
      s.accept(":");
      fallback = parseGenerateBlock(s);
      continue;
    }
    const labels = [parseExpr(s)];
    while (s.accept(",")) labels.push(parseExpr(s));
    s.expect(":", "a case label");
    list.push({ labels, block: parseGenerateBlock(s) });
    if (s.index === before) s.next();
  }
  if (!s.accept("endcase")) missingEnd(s, loc, "case", "endcase");
  items.push({ kind: "gencase", subject, items: list, fallback, loc: s.span(loc) });
}

/** @param isPrototype Its body stands elsewhere. */
export function parseSubroutine(s: TokenStream, isPrototype = false): SubroutineItem {
  const { loc, text } = s.next();
  const task = text === "task";
  const end = task ? "endtask" : "endfunction";
  const lifetime = s.acceptAny("automatic", "static");
  let type: TypeNode | null = null;
  if (!task && (s.is("new") || (s.peek(1).text === "::" && s.peek(2).text === "new")))
    type = { kind: "builtin", word: "void", signed: null, dims: [], loc: s.current.loc };
  else if (!task) {
    // `function name;` gives one bit; `function word_t name;` a type
    const named = s.current.kind === "name" && !atNamedDeclaration(s, false);
    type = named ? implicitType(s) : parseType(s);
  }
  let of: SubroutineItem["of"];
  if (s.current.kind === "name" && s.peek(1).text === "::") {
    of = { name: s.current.text, loc: s.current.loc };
    s.next();
    s.next();
  }
  const nameToken = s.current;
  if (nameToken.kind === "name" || (!task && s.is("new"))) s.next();
  else s.unexpected(`the ${text}'s name`);
  const args: DeclItem[] = [];
  if (s.accept("(")) parseArguments(s, args);
  parseSemicolon(s, `the ${text}'s header`);
  if (isPrototype)
    return {
      kind: "subroutine",
      task,
      automatic: true,
      name: nameToken.text,
      nameLoc: nameToken.loc,
      type,
      args,
      decls: [],
      body: [],
      loc: s.span(loc),
    };
  const decls: SubroutineItem["decls"][number][] = [];
  const bodyDecls: SubroutineItem["decls"][number][] = [];
  while (s.isAny(...directions)) parseBodyArgument(s, args);
  let body = parseStmtList(s, bodyDecls);
  // old style: arguments may stand between other declarations
  while (s.isAny(...directions)) {
    parseBodyArgument(s, args);
    body = [...body, ...parseStmtList(s, bodyDecls)];
  }
  decls.push(...bodyDecls);
  if (s.accept(end)) parseEndLabel(s, nameToken.text);
  else {
    missingEnd(s, loc, text, end);
    if (s.is("end")) {
      s.next();
      s.accept(end);
    }
  }
  return {
    kind: "subroutine",
    task,
    automatic: lifetime === null ? null : lifetime === "automatic",
    name: nameToken.text,
    nameLoc: nameToken.loc,
    type,
    args,
    decls,
    body,
    ...(of ? { of } : {}),
    loc: s.span(loc),
  };
}

function parseBodyArgument(s: TokenStream, args: DeclItem[]): void {
  const from = s.current.loc;
  const port = parsePortHeader(s);
  for (const name of parseDeclNames(s)) args.push({ ...port, names: [name], loc: s.span(from) });
  parseSemicolon(s, "this declaration");
}

function parseArguments(s: TokenStream, args: DeclItem[]): void {
  if (s.accept(")")) return;
  let current = header(s, s.current.loc, "input", {});
  do {
    s.accept("const");
    if (s.isAny(...directions)) current = parsePortHeader(s);
    else if (s.is("var") || atType(s) || atNamedDeclaration(s, false) || s.isAny("[", "signed", "unsigned")) {
      const { loc } = s.current;
      s.accept("var");
      current = header(s, loc, current.direction, { variable: true, type: parseTypeOrImplicit(s) });
    }
    if (s.current.kind !== "name") {
      s.unexpected("an argument's name");
      while (!s.atEnd && !s.isAny(",", ")", ";")) s.next();
      continue;
    }
    const { text: name, loc } = s.next();
    const dims = parsePackedDims(s);
    const init = s.accept("=") ? parseExpr(s) : null;
    args.push({ ...current, names: [{ name, loc, init, dims }] });
  } while (s.accept(","));
  s.expect(")", "the arguments");
}

function parseInstances(s: TokenStream, items: ModuleItem[]): void {
  const { text: module, loc: moduleLoc } = s.next();
  let params: ParamOverride[] = [];
  if (s.accept("#")) {
    if (s.accept("(")) params = parseOverrides(s);
    else {
      const value = s.current.kind === "number" || s.current.kind === "name" ? parseDelayLike(s) : parseExpr(s);
      params = [{ name: null, value, loc: s.previous.loc }];
    }
  }
  do {
    const { loc, text, kind } = s.current;
    let name = text;
    if (kind === "name") s.next();
    else {
      s.unexpected("an instance name");
      if (!s.is("(")) break;
      name = `${module}_unnamed`;
    }
    const range: RangeNode | null = s.is("[") ? parseRange(s) : null;
    const { ports, wildcard } = s.expect("(", "an instance name")
      ? parseConnections(s)
      : { ports: [], wildcard: false };
    items.push({
      kind: "instance",
      module,
      moduleLoc,
      name,
      nameLoc: loc,
      range,
      params,
      ports,
      wildcard,
      loc: s.span(loc),
    });
  } while (s.accept(","));
  parseSemicolon(s, "this instance");
}

/** `#4` or `#W`: one number or name, since the instance's name follows. */
function parseDelayLike(s: TokenStream): ExprNode {
  s.rewind(s.index - 1);
  const [value] = parseDelay(s).values;
  return value.kind === "real" && Number.isInteger(value.value)
    ? { kind: "number", width: null, signed: true, based: false, a: BigInt(value.value), b: 0n, loc: value.loc }
    : value;
}

export function parseOverrides(s: TokenStream): ParamOverride[] {
  const list: ParamOverride[] = [];
  if (s.accept(")")) return list;
  do {
    const { loc } = s.current;
    if (s.accept(".")) {
      const { text: name, kind } = s.current;
      if (kind !== "name") {
        s.unexpected("a parameter's name");
        break;
      }
      s.next();
      s.expect("(", "a parameter's name");
      const value = s.is(")") ? null : parseExpr(s);
      s.expect(")", "a parameter's value");
      list.push({ name, value, loc: s.span(loc) });
    } else list.push({ name: null, value: parseExpr(s), loc: s.span(loc) });
  } while (s.accept(","));
  s.expect(")", "the parameter values");
  return list;
}

function parseConnections(s: TokenStream): { ports: Connection[]; wildcard: boolean } {
  const ports: Connection[] = [];
  let wildcard = false;
  if (s.accept(")")) return { ports, wildcard };
  do {
    const { loc } = s.current;
    if (s.accept(".")) {
      if (s.accept("*")) {
        wildcard = true;
        continue;
      }
      if (s.current.kind !== "name") {
        s.unexpected("a port's name");
        break;
      }
      const { text: name, loc: nameLoc } = s.next();
      if (!s.is("(")) {
        if (s.is(",") || s.is(")"))
          ports.push({ name, value: { kind: "name", name, loc: nameLoc }, implicit: true, loc: s.span(loc) });
        else {
          s.missing("(", "a port's name");
          ports.push({ name, value: parseExpr(s), loc: s.span(loc) });
          s.accept(")");
        }
        continue;
      }
      s.next();
      const value: ExprNode | null = s.is(")") ? null : parseExpr(s);
      s.expect(")", "a port connection");
      ports.push({ name, value, loc: s.span(loc) });
    } else if (s.isAny(",", ")")) ports.push({ name: null, value: null, loc });
    else ports.push({ name: null, value: parseExpr(s), loc: s.span(loc) });
  } while (s.accept(","));
  s.expect(")", "the list of connections");
  return { ports, wildcard };
}

function parseGates(s: TokenStream, items: ModuleItem[]): void {
  const { text: gate } = s.next();
  const strength = parseStrength(s);
  const delay = s.is("#") ? parseDelay(s) : null;
  do {
    const { loc } = s.current;
    let name: string | null = null;
    let range: RangeNode | null = null;
    if (s.current.kind === "name") {
      name = s.next().text;
      if (s.is("[")) range = parseRange(s);
    }
    const pins: ExprNode[] = [];
    if (s.expect("(", "a gate")) {
      do pins.push(parseExpr(s));
      while (s.accept(","));
      s.expect(")", "the pins of a gate");
    }
    const item: GateItem = { kind: "gate", gate, name, range, delay, strength, pins, loc: s.span(loc) };
    items.push(item);
  } while (s.accept(","));
  parseSemicolon(s, "this gate");
}

function parseModports(s: TokenStream, items: ModuleItem[]): void {
  s.next();
  do {
    const { text: name, loc, kind } = s.current;
    if (kind !== "name") {
      s.unexpected("the modport's name");
      break;
    }
    s.next();
    const ports: { name: string; direction: Direction; imported: boolean; loc: Loc }[] = [];
    s.expect("(", "a modport's name");
    let direction: Direction = "inout";
    let imported = false;
    do {
      if (s.isAny(...directions)) {
        direction = s.next().text as Direction;
        imported = false;
      } else if (s.acceptAny("import", "export")) {
        imported = true;
        s.acceptAny("function", "task");
      }
      if (s.current.kind !== "name") {
        s.unexpected("a name of the interface");
        break;
      }
      const port = s.next();
      ports.push({ name: port.text, direction, imported, loc: port.loc });
    } while (s.accept(","));
    s.expect(")", "the names of a modport");
    items.push({ kind: "modport", name, ports, loc: s.span(loc) });
  } while (s.accept(","));
  parseSemicolon(s, "this modport");
}
