import type { Expr, Stmt } from "./model.ts";

/** Calls `visit` for an expression and all within it, arguments and indexes too; bodies of functions are left out. */
export function exprsOf(expr: Expr, visit: (expr: Expr) => void): void {
  visit(expr);
  switch (expr.op) {
    case "element":
      for (const index of expr.index) exprsOf(index, visit);
      return;
    case "slice":
    case "extend":
    case "twostate":
    case "unary":
    case "repeat":
    case "convert":
      exprsOf(expr.arg, visit);
      return;
    case "dynslice":
      exprsOf(expr.arg, visit);
      exprsOf(expr.offset, visit);
      return;
    case "binary":
      exprsOf(expr.left, visit);
      exprsOf(expr.right, visit);
      return;
    case "cond":
      exprsOf(expr.test, visit);
      exprsOf(expr.yes, visit);
      exprsOf(expr.no, visit);
      return;
    case "concat":
      for (const part of expr.parts) exprsOf(part, visit);
      return;
    case "call":
      for (const arg of expr.args) if ("op" in arg) exprsOf(arg, visit);
      return;
    case "system":
      for (const arg of expr.args) if (arg.kind === "expr" || arg.kind === "place") exprsOf(arg.expr, visit);
      return;
    case "step":
      exprsOf(expr.value, visit);
  }
}

/** Calls `visit` for a statement and all within it, in the order of the text. */
export function statementsOf(stmt: Stmt, visit: (stmt: Stmt) => void): void {
  visit(stmt);
  const next = (inner: Stmt | null) => {
    if (inner) statementsOf(inner, visit);
  };
  switch (stmt.op) {
    case "block":
      for (const inner of stmt.body) next(inner);
      return;
    case "if":
      next(stmt.yes);
      next(stmt.no);
      return;
    case "case":
      for (const item of stmt.items) next(item.body);
      next(stmt.fallback);
      return;
    case "loop":
      next(stmt.init);
      next(stmt.body);
      next(stmt.step);
      return;
    case "repeat":
      next(stmt.body);
      return;
    case "fork":
      for (const inner of stmt.branches) next(inner);
      return;
    case "assert":
      next(stmt.pass);
      next(stmt.fail);
  }
}
