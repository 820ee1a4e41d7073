import type { Loc } from "../../common/source.ts";
import type {
  AssignStmt,
  BinaryOp,
  BlockStmt,
  CaseItem,
  CaseStmt,
  DeclItem,
  EventControl,
  EventTerm,
  ExprNode,
  ForeachStmt,
  IntraControl,
  StmtNode,
  Uniqueness,
} from "./ast.ts";
import { parseDelay, parseImports, parseLet, parseParams, parseTypedef, parseVariables } from "./parse-decl.ts";
import { parseExpr, parseSpanOrExpr, parseTarget, valueFor } from "./parse-expr.ts";
import { parseConcurrent } from "./parse-property.ts";
import { atNamedDeclaration, atType, parseType } from "./parse-type.ts";
import { blockEnds, parseEndLabel, parseSemicolon, stops } from "./recovery.ts";
import type { TokenStream } from "./token-stream.ts";

const assignOps: Readonly<Record<string, BinaryOp>> = {
  "+=": "+",
  "-=": "-",
  "*=": "*",
  "/=": "/",
  "%=": "%",
  "&=": "&",
  "|=": "|",
  "^=": "^",
  "<<=": "<<",
  ">>=": ">>",
  "<<<=": "<<<",
  ">>>=": ">>>",
};
const maxDepth = 400;
let depth = 0;

export function parseStmt(s: TokenStream): StmtNode {
  if (depth > maxDepth) {
    s.giveUp(
      `Statements are nested more than ${maxDepth} levels deep; each 'else if' in a row is one.`,
      "Write a case statement, or split them with a task.",
    );
    return { kind: "null", loc: s.previous.loc };
  }
  depth++;
  try {
    return statement(s);
  } finally {
    depth--;
  }
}

/** A statement, or nothing but a semicolon where the grammar allows it. */
function statement(s: TokenStream): StmtNode {
  const { loc, kind, text } = s.current;
  if (kind === "op") {
    switch (text) {
      case ";":
        s.next();
        return { kind: "null", loc };
      case "#": {
        const delay = parseDelay(s);
        const body = s.accept(";") ? null : parseStmt(s);
        return { kind: "delay", delay, body, loc: s.span(loc) };
      }
      case "@": {
        const events = parseEventControl(s);
        const body = s.accept(";") ? null : parseStmt(s);
        return { kind: "event", events, body, loc: s.span(loc) };
      }
      case "->":
      case "->>": {
        s.next();
        if (text === "->>" && s.is("#")) parseDelay(s);
        const target = parseTarget(s);
        parseSemicolon(s, "this trigger");
        return { kind: "trigger", target, blocking: text === "->", loc: s.span(loc) };
      }
      case "{":
      case "'{":
        return finishAssign(s);
      case "++":
      case "--": {
        const call = parseExpr(s);
        parseSemicolon(s, "this statement");
        return { kind: "call", call, loc: s.span(loc) };
      }
    }
  }
  if (kind === "system" && text !== "$root") {
    const call = parseExpr(s);
    parseSemicolon(s, `the call of ${text}`);
    return { kind: "call", call, loc: s.span(loc) };
  }
  if (kind === "name" || kind === "system") {
    if (s.peek(1).text === ":" && s.peek(1).kind === "op" && s.peek(2).kind === "keyword") {
      // a label before a block or an assertion
      const label = s.next().text;
      s.next();
      const inner = parseStmt(s);
      if (inner.kind === "block" && inner.label === null) return { ...inner, label };
      return inner.kind === "assert" || inner.kind === "concurrent" ? { ...inner, label } : inner;
    }
    return finishAssign(s);
  }
  if (kind === "keyword") {
    if (text === "this" || text === "super") return finishAssign(s);
    const made = keywordStatement(s);
    if (made) return made;
  }
  s.unexpected("a statement");
  const before = s.index;
  s.skipTo(stops);
  if (s.index === before && !s.isAny(...blockEnds)) s.next();
  return { kind: "null", loc };
}

function condition(s: TokenStream, what: string): ExprNode {
  s.expect("(", `'${what}'`);
  const test = parseExpr(s);
  s.expect(")", `the condition of '${what}'`);
  return test;
}

function keywordStatement(s: TokenStream): StmtNode | null {
  const { loc, text } = s.current;
  switch (text) {
    case "begin":
    case "fork":
      return parseBlock(s);
    case "unique":
    case "unique0":
    case "priority":
      s.next();
      if (s.is("if")) return parseIf(s, text);
      if (s.isAny("case", "casez", "casex")) return parseCase(s, text);
      s.unexpected("'if' or 'case'");
      return { kind: "null", loc };
    case "if":
      return parseIf(s, null);
    case "case":
    case "casez":
    case "casex":
      return parseCase(s, null);
    case "for":
      return parseFor(s);
    case "foreach":
      return parseForeach(s);
    case "while": {
      s.next();
      const test = condition(s, "while");
      return { kind: "while", test, body: parseStmt(s), loc: s.span(loc) };
    }
    case "repeat": {
      s.next();
      const test = condition(s, "repeat");
      return { kind: "repeat", test, body: parseStmt(s), loc: s.span(loc) };
    }
    case "do": {
      s.next();
      const body = parseStmt(s);
      s.expect("while", "the body of 'do'");
      const test = condition(s, "while");
      parseSemicolon(s, "'do ... while'");
      return { kind: "dowhile", test, body, loc: s.span(loc) };
    }
    case "forever":
      s.next();
      return { kind: "forever", body: parseStmt(s), loc: s.span(loc) };
    case "wait": {
      s.next();
      if (s.accept("fork")) {
        parseSemicolon(s, "'wait fork'");
        return { kind: "wait", test: null, body: null, loc: s.span(loc) };
      }
      const test = condition(s, "wait");
      const body = s.accept(";") ? null : parseStmt(s);
      return { kind: "wait", test, body, loc: s.span(loc) };
    }
    case "disable": {
      s.next();
      const target = s.accept("fork") ? null : parseTarget(s);
      parseSemicolon(s, "'disable'");
      return { kind: "disable", target, loc: s.span(loc) };
    }
    case "assign":
    case "force": {
      s.next();
      const target = parseTarget(s);
      s.expect("=", `the target of '${text}'`);
      const value = parseExpr(s);
      parseSemicolon(s, `this '${text}'`);
      return { kind: "force", word: text, target, value, loc: s.span(loc) };
    }
    case "deassign":
    case "release": {
      s.next();
      const target = parseTarget(s);
      parseSemicolon(s, `this '${text}'`);
      return { kind: "force", word: text, target, value: null, loc: s.span(loc) };
    }
    case "return": {
      s.next();
      const value = s.is(";") ? null : parseExpr(s);
      parseSemicolon(s, "'return'");
      return { kind: "return", value, loc: s.span(loc) };
    }
    case "break":
    case "continue":
      s.next();
      parseSemicolon(s, `'${text}'`);
      return { kind: text, loc: s.span(loc) };
    case "assert":
    case "assume":
    case "cover":
      return parseAssert(s);
    case "void": {
      const call = parseExpr(s);
      parseSemicolon(s, "this call");
      return { kind: "call", call, loc: s.span(loc) };
    }
  }
  return null;
}

function parseAssert(s: TokenStream): StmtNode {
  const { loc, text } = s.next();
  if (s.accept("final")) {
    // deferred to the end of the step: judged at once here, which differs only while values glitch
  } else if (s.accept("#")) s.next();
  if (s.is("property")) return parseConcurrent(s, text, loc);
  s.expect("(", `'${text}'`);
  const test = parseExpr(s);
  s.expect(")", `the condition of '${text}'`);
  const pass = s.is("else") ? null : parseStmt(s);
  const fail = s.accept("else") ? parseStmt(s) : null;
  return {
    kind: "assert",
    word: text as "assert" | "assume" | "cover",
    label: null,
    test,
    pass: pass?.kind === "null" ? null : pass,
    fail,
    loc: s.span(loc),
  };
}

function finishAssign(s: TokenStream): StmtNode {
  const { loc } = s.current;
  const stmt = parseAssignment(s, true);
  parseSemicolon(s, stmt.kind === "call" ? "this statement" : "this assignment");
  return { ...stmt, loc: s.span(loc) };
}

/** An assignment, or, where `calls` allows it, a call or a step. */
export function parseAssignment(s: TokenStream, calls: boolean): StmtNode {
  const { loc } = s.current;
  if (s.is("++") || s.is("--")) return { kind: "call", call: parseExpr(s), loc: s.span(loc) };
  const target = parseTarget(s);
  const opLoc = s.current.loc;
  if (s.is("++") || s.is("--")) {
    const op = s.next().text as "++" | "--";
    return { kind: "call", call: { kind: "step", op, prefix: false, target, loc: s.span(loc) }, loc: s.span(loc) };
  }
  if (target.kind === "call") {
    if (!calls) s.unexpected("'='");
    return { kind: "call", call: target, loc: s.span(loc) };
  }
  const op = s.current.kind === "op" ? assignOps[s.current.text] : undefined;
  let blocking = true;
  if (op) s.next();
  else if (s.accept("<=")) blocking = false;
  else if (!s.accept("=")) {
    if (calls && (s.is(";") || s.current.kind === "keyword" || s.current.kind === "end"))
      return { kind: "call", call: target, loc: s.span(loc) };
    s.unexpected("'=' or '<='");
  }
  const intra = op ? null : parseIntra(s);
  const value: ExprNode = s.is(";") ? { kind: "bad", loc: s.current.loc } : parseExpr(s);
  if (value.kind === "bad") s.unexpected("a value");
  if (op && target.kind === "stream")
    s.report("verilog/stream", loc, "A stream takes a plain assignment only.", "Write '=' or '<='.");
  const made: AssignStmt = {
    kind: "assign",
    target,
    value: valueFor(target, value),
    blocking,
    op: op ?? null,
    intra,
    opLoc,
    loc: s.span(loc),
  };
  return made;
}

function parseIntra(s: TokenStream): IntraControl | null {
  if (s.is("#")) return { delay: parseDelay(s), repeat: null, events: null };
  if (s.is("@")) return { delay: null, repeat: null, events: parseEventControl(s) };
  if (s.is("repeat")) {
    s.next();
    const repeat = condition(s, "repeat");
    return { delay: null, repeat, events: s.is("@") ? parseEventControl(s) : [] };
  }
  return null;
}

/** `@*`, `@(*)`, `@name`, `@(posedge a or b)`, with the `@` at hand. */
export function parseEventControl(s: TokenStream): EventControl {
  s.next();
  if (s.accept("*")) return "star";
  if (!s.is("(")) {
    const { loc } = s.current;
    let signal: ExprNode = { kind: "name", name: s.current.text, loc };
    if (s.current.kind === "name") {
      s.next();
      while (s.is(".") && s.peek(1).kind === "name") {
        s.next();
        const name = s.next();
        signal = { kind: "member", base: signal, name: name.text, nameLoc: name.loc, loc: s.span(loc) };
      }
    } else s.unexpected("'(' or an event");
    return [{ edge: null, signal, guard: null, loc: s.span(loc) }];
  }
  s.next();
  if (s.is("*") && s.peek(1).text === ")") {
    s.next();
    s.next();
    return "star";
  }
  const terms: EventTerm[] = [];
  do {
    const at = s.current.loc;
    const edge = s.acceptAny("posedge", "negedge", "edge") as EventTerm["edge"];
    const signal = parseExpr(s);
    const guard = s.accept("iff") ? parseExpr(s) : null;
    terms.push({ edge, signal, guard, loc: s.span(at) });
  } while (s.accept("or") || s.accept(","));
  s.expect(")", "the event list");
  return terms;
}

function parseIf(s: TokenStream, check: Uniqueness): StmtNode {
  const { loc } = s.next();
  const test = condition(s, "if");
  const yes = parseStmt(s);
  const no = s.accept("else") ? parseStmt(s) : null;
  return { kind: "if", check, test, yes, no, loc: s.span(loc) };
}

function parseFor(s: TokenStream): StmtNode {
  const { loc } = s.next();
  s.expect("(", "'for'");
  const decls: DeclItem[] = [];
  const init: StmtNode[] = [];
  if (!s.is(";")) {
    if (s.is("var") || s.is("automatic") || s.is("static") || atType(s) || atNamedDeclaration(s, false))
      decls.push(parseForDeclarations(s));
    else {
      do init.push(parseAssignment(s, false));
      while (s.accept(","));
    }
  }
  if (!decls.length || s.previous.text !== ";") s.expect(";", "the start of a 'for' loop");
  const test = s.is(";") ? null : parseExpr(s);
  s.expect(";", "the condition of a 'for' loop");
  const step: StmtNode[] = [];
  if (!s.is(")")) {
    do step.push(parseAssignment(s, true));
    while (s.accept(","));
  }
  s.expect(")", "the step of a 'for' loop");
  return { kind: "for", decls, init, test, step, body: parseStmt(s), loc: s.span(loc) };
}

/** `int i = 0, j = 1;` in a loop's head. A type may stand again before each name. */
function parseForDeclarations(s: TokenStream): DeclItem {
  const { loc } = s.current;
  s.accept("var");
  s.acceptAny("automatic", "static");
  const type = parseType(s);
  const names = [];
  do {
    s.accept("var");
    if (atType(s)) parseType(s);
    if (s.current.kind !== "name") {
      s.unexpected("a name");
      break;
    }
    const { text: name, loc: nameLoc } = s.next();
    const init = s.expect("=", "the loop's variable") ? parseExpr(s) : null;
    names.push({ name, loc: nameLoc, init, dims: [] });
  } while (s.accept(","));
  s.expect(";", "the start of a 'for' loop");
  return {
    kind: "decl",
    direction: null,
    net: null,
    variable: true,
    type,
    names,
    lifetime: "automatic",
    isConst: false,
    delay: null,
    strength: null,
    loc: s.span(loc),
  };
}

function parseForeach(s: TokenStream): StmtNode {
  const { loc } = s.next();
  s.expect("(", "'foreach'");
  const at = s.current.loc;
  let array: ExprNode = { kind: "name", name: s.current.text, loc: at };
  if (s.current.kind === "name") s.next();
  else s.unexpected("an array");
  while (s.is(".") && s.peek(1).kind === "name") {
    s.next();
    const name = s.next();
    array = { kind: "member", base: array, name: name.text, nameLoc: name.loc, loc: s.span(at) };
  }
  const names: ForeachStmt["names"][number][] = [];
  s.expect("[", "the array of 'foreach'");
  do {
    if (s.current.kind === "name") {
      const { text: name, loc: nameLoc } = s.next();
      names.push({ name, loc: nameLoc });
    } else names.push(null);
  } while (s.accept(","));
  s.expect("]", "the variables of 'foreach'");
  s.expect(")", "'foreach'");
  return { kind: "foreach", array, names, body: parseStmt(s), loc: s.span(loc) };
}

function atBlockDeclaration(s: TokenStream): boolean {
  if (s.isAny("const", "var", "automatic", "static")) return true;
  return atType(s) ? !s.is("void") : atNamedDeclaration(s, false);
}

/** Declarations at the head of a block or subroutine. */
function parseBlockDecls(s: TokenStream, decls: BlockStmt["decls"][number][]): void {
  for (;;) {
    if (atBlockDeclaration(s)) {
      const before = s.index;
      decls.push(parseVariables(s));
      if (s.index === before) s.next();
    } else if (s.isAny("parameter", "localparam")) decls.push(...parseParams(s));
    else if (s.is("typedef")) {
      const made = parseTypedef(s);
      if (made) decls.push(made);
    } else if (s.is("let")) {
      const made = parseLet(s);
      if (made) decls.push(made);
    } else if (s.is("import")) decls.push(...parseImports(s));
    else return;
  }
}

/** Statements up to a word that ends the block. */
/** @param inCase The `begin` of a block that is the body of a case item: where the next label stands, it is over. */
export function parseStmtList(
  s: TokenStream,
  decls: BlockStmt["decls"][number][],
  inCase: Loc | null = null,
): StmtNode[] {
  const body: StmtNode[] = [];
  parseBlockDecls(s, decls);
  while (!s.atEnd && !s.isAny(...blockEnds) && !(inCase && atLabel(s, inCase))) {
    const before = s.index;
    if (atBlockDeclaration(s) || s.isAny("localparam", "typedef", "let")) {
      s.report(
        "verilog/declaration-order",
        s.current.loc,
        "A declaration stands behind a statement.",
        "Move it to the head of its block.",
      );
      parseBlockDecls(s, decls);
    } else body.push(parseStmt(s));
    if (s.index === before) break;
  }
  return body;
}

/** Whether the next label of a case stands here, so that the `end` of the block before it was left out. */
function atLabel(s: TokenStream, begin: Loc): boolean {
  const { kind } = s.current;
  const next = s.peek(1).text;
  if (s.is("default")) return next === ":" || next === "begin";
  if (kind === "number") return next === ":" || next === ",";
  // a name may be the label of a statement: then it stands deeper than the block's first line
  return (
    kind === "name" && (next === ":" || next === ",") && s.isFirstInLine && s.columns(s.current.loc) <= s.columns(begin)
  );
}

function parseBlock(s: TokenStream): StmtNode {
  const isCaseItem = s.atCaseItem;
  s.atCaseItem = false;
  const { loc, text } = s.next();
  const isFork = text === "fork";
  let label: string | null = null;
  if (s.accept(":")) {
    label = s.current.text;
    if (s.current.kind === "name") s.next();
    else s.unexpected("the block's name");
  }
  const decls: BlockStmt["decls"][number][] = [];
  const body = parseStmtList(s, decls, isCaseItem && !isFork ? loc : null);
  let fork: BlockStmt["fork"] = null;
  if (isFork) {
    const word = s.acceptAny("join", "join_any", "join_none");
    fork = (word ?? "join") as BlockStmt["fork"];
    if (!word) missingEnd(s, loc, "fork", "join");
  } else if (s.accept("end")) s.closed(loc);
  else missingEnd(s, loc, "begin", "end");
  parseEndLabel(s, label);
  return { kind: "block", label, decls, body, fork, loc: s.span(loc) };
}

export function missingEnd(s: TokenStream, loc: Loc, from: string, to: string): void {
  // the ends were taken from the inside out; the layout tells which block was meant to end where
  const inner = to === "end" ? s.misplacedEnd(loc) : null;
  if (inner) {
    s.report(
      "verilog/missing-end",
      inner.begin,
      `This 'begin' has no 'end' of its own: the one on line ${inner.line} stands below an outer block.`,
      "Add 'end' where it ends.",
      inner.edit,
    );
    return;
  }
  s.report(
    `verilog/missing-${to}`,
    loc,
    `This '${from}' has no '${to}' before ${s.describeCurrent()}.`,
    `Add '${to}' where it ends.`,
  );
}

function parseCase(s: TokenStream, check: Uniqueness): StmtNode {
  const { loc, text } = s.next();
  const subject = condition(s, text);
  const inside = s.accept("inside");
  if (s.is("matches")) {
    s.report("verilog/unsupported", s.current.loc, "Pattern matching is not supported.", "Compare the fields.");
    s.next();
  }
  const items: CaseItem[] = [];
  let fallback: StmtNode | null = null;
  while (!s.atEnd && !s.isAny("endcase", "end", "endmodule", "endfunction", "endtask", "always", "module", "initial")) {
    const itemLoc = s.current.loc;
    if (s.accept("default")) {
      s.accept(":");
      s.atCaseItem = s.is("begin");
      const body = parseStmt(s);
      if (fallback) s.report("verilog/case-default", itemLoc, "This case has two defaults.", "Keep one of them.");
      fallback = body;
      continue;
    }
    const before = s.index;
    const labels = [parseSpanOrExpr(s)];
    while (s.accept(",")) labels.push(parseSpanOrExpr(s));
    s.expect(":", "a case label");
    s.atCaseItem = s.is("begin");
    if (!s.isAny("endcase", "end", "endmodule")) items.push({ labels, body: parseStmt(s), loc: s.span(itemLoc) });
    if (s.index === before) s.next();
  }
  const endLoc = s.current.loc;
  if (!s.accept("endcase")) missingEnd(s, loc, text, "endcase");
  const flavour = inside ? "inside" : (text as CaseStmt["flavour"]);
  return { kind: "case", check, flavour, subject, items, fallback, endLoc, loc: s.span(loc) };
}
