import type { AssignStmt, CaseItem, DeclItem, ExprNode, RangeNode, StmtNode } from "./ast.ts";
import { parseExpr, parseRange, parseTarget } from "./parse-expr.ts";
import type { TokenStream } from "./token-stream.ts";

const stmtStops = new Set(
  "begin end if else case casez casex endcase for always assign initial endmodule module wire reg input output endfunction endgenerate generate".split(
    " ",
  ),
);

export function parseSemicolon(s: TokenStream, after: string): void {
  if (s.accept(";")) return;
  s.missing(";", after);
  // On a later line, or before a word that opens something, only the semicolon is missing; else the line is odd.
  if (s.current.kind === "keyword" || s.current.kind === "end") return;
  if (s.current.kind === "name" || s.current.kind === "system") return;
  s.skipTo(stmtStops);
}

export function parseStmt(s: TokenStream): StmtNode {
  const { loc, kind } = s.current;
  if (s.accept(";")) return { kind: "null", loc };
  if (s.is("begin")) return parseBlock(s);
  if (s.accept("if")) {
    s.expect("(", "'if'");
    const test = parseExpr(s);
    s.expect(")", "the condition of 'if'");
    const yes = parseStmt(s);
    const no = s.accept("else") ? parseStmt(s) : null;
    return { kind: "if", test, yes, no, loc: s.span(loc) };
  }
  if (s.isAny("case", "casez", "casex")) return parseCase(s);
  if (s.accept("for")) {
    s.expect("(", "'for'");
    const init = parseAssignment(s);
    s.expect(";", "the start of a 'for' loop");
    const test = parseExpr(s);
    s.expect(";", "the condition of a 'for' loop");
    const step = parseAssignment(s);
    s.expect(")", "the step of a 'for' loop");
    const body = parseStmt(s);
    return { kind: "for", init, test, step, body, loc: s.span(loc) };
  }
  if (kind === "system") {
    const name = s.next().text;
    let nesting = 0;
    while (!s.atEnd && !(nesting === 0 && s.is(";"))) {
      if (s.is("(")) nesting++;
      if (s.is(")")) nesting--;
      if (s.isAny("end", "endmodule")) break;
      s.next();
    }
    parseSemicolon(s, `the call of ${name}`);
    return { kind: "system", name, loc: s.span(loc) };
  }
  if (kind === "name" || s.is("{")) {
    const stmt = parseAssignment(s);
    parseSemicolon(s, "this assignment");
    return stmt;
  }
  s.unexpected("a statement");
  const before = s.index;
  s.skipTo(stmtStops);
  if (s.index === before && !s.isAny("end", "endmodule", "endcase", "endfunction", "always", "assign")) s.next();
  return { kind: "null", loc };
}

function parseAssignment(s: TokenStream): AssignStmt {
  const { loc } = s.current;
  const target = parseTarget(s);
  let blocking = true;
  if (s.accept("<=")) blocking = false;
  else if (!s.accept("=")) s.unexpected("'=' or '<='");
  if (s.accept("#")) parseExpr(s); // an intra-assignment delay changes nothing in hardware
  const value: ExprNode = s.is(";") ? { kind: "bad", loc: s.current.loc } : parseExpr(s);
  if (value.kind === "bad") s.unexpected("a value");
  return { kind: "assign", target, value, blocking, loc: s.span(loc) };
}

function parseBlock(s: TokenStream): StmtNode {
  const { loc } = s.next();
  const label = s.accept(":") ? s.next().text : null;
  const decls: DeclItem[] = [];
  const body: StmtNode[] = [];
  while (s.isAny("integer", "reg")) decls.push(parseVariables(s));
  while (!s.atEnd && !s.isAny("end", "endmodule", "endcase", "endfunction", "always", "assign", "initial", "module"))
    body.push(parseStmt(s));
  if (!s.accept("end")) {
    s.report(
      "verilog/missing-end",
      loc,
      `This 'begin' has no 'end' before ${s.describeCurrent()}.`,
      "Add 'end' where the block ends.",
    );
  }
  return { kind: "block", label, decls, body, loc: s.span(loc) };
}

function parseCase(s: TokenStream): StmtNode {
  const { loc, text } = s.next();
  s.expect("(", `'${text}'`);
  const subject = parseExpr(s);
  s.expect(")", `the subject of '${text}'`);
  const items: CaseItem[] = [];
  let fallback: StmtNode | null = null;
  while (!s.atEnd && !s.isAny("endcase", "end", "endmodule", "always", "module")) {
    const itemLoc = s.current.loc;
    if (s.accept("default")) {
      s.accept(":");
      fallback = parseStmt(s);
      continue;
    }
    const before = s.index;
    const labels = [parseExpr(s)];
    while (s.accept(",")) labels.push(parseExpr(s));
    s.expect(":", "a case label");
    if (!s.isAny("endcase", "end", "endmodule")) items.push({ labels, body: parseStmt(s), loc: s.span(itemLoc) });
    if (s.index === before) s.next();
  }
  if (!s.accept("endcase")) {
    s.report(
      "verilog/missing-endcase",
      loc,
      `This '${text}' has no 'endcase' before ${s.describeCurrent()}.`,
      "Add 'endcase' after its last item.",
    );
  }
  return { kind: "case", flavour: text as "case" | "casez" | "casex", subject, items, fallback, loc: s.span(loc) };
}

/** `integer i, j;` or `reg signed [3:0] a;` inside a block or function. */
export function parseVariables(s: TokenStream): DeclItem {
  const { loc, text } = s.next();
  const signed = s.accept("signed") || text === "integer";
  const range: RangeNode | null = s.is("[") ? parseRange(s) : null;
  const names = [];
  do {
    if (s.current.kind !== "name") {
      s.unexpected("a name");
      break;
    }
    const { text: name, loc: nameLoc } = s.next();
    const dims: RangeNode[] = [];
    while (s.is("[")) dims.push(parseRange(s));
    const init = s.accept("=") ? parseExpr(s) : null;
    names.push({ name, loc: nameLoc, init, dims });
  } while (s.accept(","));
  parseSemicolon(s, "this declaration");
  return {
    kind: "decl",
    direction: null,
    net: text === "integer" ? "integer" : "reg",
    signed,
    range,
    names,
    loc: s.span(loc),
  };
}
