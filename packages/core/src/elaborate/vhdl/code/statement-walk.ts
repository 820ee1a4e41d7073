import type { Expr, Stmt } from "../bound.ts";
import type { BoundRange } from "../types.ts";

/** All statements and expressions that statements hold. */

/** Statements, with those within. */
export function eachStmt(stmts: readonly Stmt[], run: (stmt: Stmt) => void): void {
  for (const stmt of stmts) {
    run(stmt);
    switch (stmt.op) {
      case "if":
        eachStmt(stmt.yes, run);
        if (stmt.no) eachStmt(stmt.no, run);
        break;
      case "case":
        for (const branch of stmt.branches) eachStmt(branch.body, run);
        break;
      case "for":
      case "while":
      case "block":
        eachStmt(stmt.body, run);
    }
  }
}

/** Every expression of statements, with all that is in it. */
export function eachExpr(stmts: readonly Stmt[], run: (e: Expr) => void): void {
  const open: Expr[] = [];
  const see = (e: Expr | null | undefined) => {
    if (e) open.push(e);
    for (let at = open.pop(); at; at = open.pop()) {
      run(at);
      partsOf(at, open);
    }
  };
  const range = (each: BoundRange | null | undefined) => {
    const list: Expr[] = [];
    if (each) inRange(each, list);
    list.forEach(see);
  };
  const walk = (stmt: Stmt): void => {
    switch (stmt.op) {
      case "signal":
        see(stmt.target);
        for (const { value, after } of stmt.waveform.elements) {
          see(value);
          see(after);
        }
        return;
      case "assign":
        see(stmt.target);
        see(stmt.value);
        return;
      case "if":
        see(stmt.test);
        stmt.yes.forEach(walk);
        stmt.no?.forEach(walk);
        return;
      case "case":
        see(stmt.subject);
        for (const branch of stmt.branches) {
          for (const choice of branch.choices) {
            see(choice.value);
            range(choice.range);
          }
          branch.body.forEach(walk);
        }
        return;
      case "while":
        see(stmt.test);
        stmt.body.forEach(walk);
        return;
      case "for":
        range(stmt.range);
        stmt.body.forEach(walk);
        return;
      case "block":
        stmt.body.forEach(walk);
        return;
      case "exit":
      case "next":
        see(stmt.test);
        return;
      case "return":
        see(stmt.value);
        return;
      case "wait":
        stmt.on?.forEach(see);
        see(stmt.until);
        see(stmt.delay);
        return;
      case "assert":
        see(stmt.test);
        see(stmt.message);
        return;
      case "call":
      case "builtin":
        stmt.args.forEach(see);
    }
  };
  stmts.forEach(walk);
}
function inRange(range: BoundRange, list: Expr[]): void {
  if (range.kind === "bounds") list.push(range.left, range.right);
  else if (range.kind === "of") list.push(range.attribute);
}
function partsOf(e: Expr, list: Expr[]): void {
  switch (e.op) {
    case "object":
      if (e.decl.kind === "alias") list.push(e.decl.of);
      return;
    case "index":
      list.push(e.of, ...e.indexes);
      return;
    case "slice":
      list.push(e.of);
      inRange(e.range, list);
      return;
    case "field":
    case "deref":
      list.push(e.of);
      return;
    case "call":
    case "builtin":
      for (const arg of e.args) if (arg) list.push(arg);
      return;
    case "attribute":
      if (e.of) list.push(e.of);
      if (e.arg) list.push(e.arg);
      return;
    case "aggregate":
      for (const { choice, value } of e.elements) {
        list.push(value);
        if (choice.kind === "value") list.push(choice.value);
        if (choice.kind === "range") inRange(choice.range, list);
      }
      return;
    case "convert":
    case "qualified":
      list.push(e.arg);
  }
}
