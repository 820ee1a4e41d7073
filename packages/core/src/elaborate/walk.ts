import type { Expr, Stmt } from "./model.ts";

/** Calls `visit` for an expression and all within it, arguments and indexes too; bodies of functions are left out. */
export function exprsOf(whole: Expr, visit: (expr: Expr) => void): void {
  // a list of what is still to be seen, the next one last: sums may have thousands of terms
  const open = [whole];
  for (let expr = open.pop(); expr; expr = open.pop()) {
    visit(expr);
    const inner = operandsOf(expr);
    for (let i = inner.length; i-- > 0; ) open.push(inner[i]);
  }
}

function operandsOf(expr: Expr): readonly Expr[] {
  switch (expr.op) {
    case "element":
      return expr.index;
    case "slice":
    case "extend":
    case "twostate":
    case "unary":
    case "repeat":
    case "convert":
      return [expr.arg];
    case "dynslice":
      return [expr.arg, expr.offset];
    case "binary":
      return [expr.left, expr.right];
    case "cond":
      return [expr.test, expr.yes, expr.no];
    case "concat":
      return expr.parts;
    case "call":
      return expr.args.filter((arg) => "op" in arg);
    case "system":
      return expr.args.flatMap((arg) => (arg.kind === "expr" || arg.kind === "place" ? [arg.expr] : []));
    case "step":
      return [expr.value];
    default:
      return [];
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
