import type { Loc } from "../../common/source.ts";
import type { Stmt as ModelStmt } from "../../elaborate/model.ts";
import type { Decl, Expr, Stmt } from "../../elaborate/vhdl/bound.ts";
import { rootName } from "./circuit-pieces.ts";

/** What statements hold, looked at before a circuit is made of them. */

/** Assertions and empty statements: they look, and change nothing. */
export function isPassive(stmt: Stmt): boolean {
  switch (stmt.op) {
    case "null":
    case "assert":
      return true;
    case "if":
      return stmt.yes.every(isPassive) && (stmt.no?.every(isPassive) ?? true) && !containsEdge(stmt.test);
    case "call":
      return stmt.sub.native !== null && !stmt.sub.body && /^(textio|std_logic_textio)\./.test(stmt.sub.native);
    default:
      return false;
  }
}
export function containsWait(stmt: Stmt): boolean {
  switch (stmt.op) {
    case "wait":
      return true;
    case "if":
      return stmt.yes.some(containsWait) || (stmt.no?.some(containsWait) ?? false);
    case "case":
      return stmt.branches.some((branch) => branch.body.some(containsWait));
    case "for":
    case "while":
    case "block":
      return stmt.body.some(containsWait);
    default:
      return false;
  }
}
export const containsEdge = (e: Expr): boolean =>
  someOperand(
    e,
    (each) =>
      (each.op === "call" && (each.sub.name === "rising_edge" || each.sub.name === "falling_edge")) ||
      (each.op === "attribute" && each.name === "event"),
  );
/** Whether some operand of operators and calls is such a one, the whole among them. */
export function someOperand(whole: Expr, isSuch: (e: Expr) => boolean): boolean {
  // a list of what is still to be seen: sums may have thousands of terms
  const open = [whole];
  for (let e = open.pop(); e; e = open.pop()) {
    if (isSuch(e)) return true;
    if (e.op === "call" || e.op === "builtin") for (const arg of e.args) if (arg) open.push(arg);
  }
  return false;
}
export function findEdge(stmts: readonly Stmt[]): Loc | null {
  for (const stmt of stmts) {
    if (stmt.op === "if") {
      if (containsEdge(stmt.test)) return stmt.test.loc;
      const found = findEdge(stmt.yes) ?? (stmt.no && findEdge(stmt.no));
      if (found) return found;
    } else if (stmt.op === "case") {
      for (const branch of stmt.branches) {
        const found = findEdge(branch.body);
        if (found) return found;
      }
    } else if (stmt.op === "for" || stmt.op === "while" || stmt.op === "block") {
      const found = findEdge(stmt.body);
      if (found) return found;
    }
  }
  return null;
}
export function mentions(stmts: readonly Stmt[], label: string): boolean {
  return stmts.some((stmt) => {
    switch (stmt.op) {
      case "exit":
      case "next":
        return stmt.label === label;
      case "if":
        return mentions(stmt.yes, label) || (stmt.no !== null && mentions(stmt.no, label));
      case "case":
        return stmt.branches.some((branch) => mentions(branch.body, label));
      case "for":
      case "while":
      case "block":
        return mentions(stmt.body, label);
      default:
        return false;
    }
  });
}
export function endsInReturn(stmts: readonly Stmt[]): boolean {
  return stmts.some((stmt) => stmt.op === "return");
}
export function assigns(stmts: readonly Stmt[], name: string): boolean {
  return stmts.some((stmt) => {
    switch (stmt.op) {
      case "signal":
      case "assign":
        return rootName(stmt.target) === name;
      case "if":
        return assigns(stmt.yes, name) || (stmt.no !== null && assigns(stmt.no, name));
      case "case":
        return stmt.branches.some((branch) => assigns(branch.body, name));
      case "for":
      case "while":
      case "block":
        return assigns(stmt.body, name);
      default:
        return false;
    }
  });
}
export function firstTarget(body: readonly ModelStmt[]): string | null {
  for (const stmt of body) {
    if (stmt.op === "assign") return stmt.target.parts[0]?.signal.plainName ?? null;
    if (stmt.op === "if") {
      const found = firstTarget([stmt.yes]) ?? (stmt.no && firstTarget([stmt.no]));
      if (found) return found;
    }
    if (stmt.op === "block") {
      const found = firstTarget(stmt.body);
      if (found) return found;
    }
  }
  return null;
}

/** Whether the first statement that knows a variable gives it a whole value without reading it. */
export function isSetFirst(stmts: readonly Stmt[], decl: Decl): boolean {
  for (const stmt of stmts) {
    if (stmt.op === "assign" && stmt.target.op === "object" && stmt.target.decl === decl)
      return !readsDecl(stmt.value, decl);
    if (stmt.op === "if" && !readsDecl(stmt.test, decl)) {
      const inYes = knows(stmt.yes, decl);
      const inNo = stmt.no ? knows(stmt.no, decl) : false;
      if (!inYes && !inNo) continue;
      const after = knows(stmts.slice(stmts.indexOf(stmt) + 1), decl);
      const yes = !inYes || isSetFirst(stmt.yes, decl);
      const no = !inNo || isSetFirst(stmt.no ?? [], decl);
      if (!yes || !no) return false;
      // set in one branch only: it matters whether it is looked at afterwards
      return !after || (inYes && inNo);
    }
    if (knowsStmt(stmt, decl)) return false;
  }
  return true;
}
export function knows(stmts: readonly Stmt[], decl: Decl): boolean {
  return stmts.some((stmt) => knowsStmt(stmt, decl));
}
export function knowsStmt(stmt: Stmt, decl: Decl): boolean {
  switch (stmt.op) {
    case "assign":
      return readsDecl(stmt.target, decl) || readsDecl(stmt.value, decl);
    case "signal":
      return (
        readsDecl(stmt.target, decl) ||
        stmt.waveform.elements.some(({ value }) => value !== null && readsDecl(value, decl))
      );
    case "if":
      return readsDecl(stmt.test, decl) || knows(stmt.yes, decl) || (stmt.no !== null && knows(stmt.no, decl));
    case "case":
      return readsDecl(stmt.subject, decl) || stmt.branches.some((branch) => knows(branch.body, decl));
    case "for":
    case "block":
      return knows(stmt.body, decl);
    case "while":
      return (stmt.test !== null && readsDecl(stmt.test, decl)) || knows(stmt.body, decl);
    case "exit":
    case "next":
      return stmt.test !== null && readsDecl(stmt.test, decl);
    case "return":
      return stmt.value !== null && readsDecl(stmt.value, decl);
    case "call":
      return (
        stmt.args.some((arg) => arg !== null && readsDecl(arg, decl)) || (stmt.sub.nested && stmt.sub.body !== null)
      );
    default:
      return false;
  }
}
export function readsDecl(e: Expr, decl: Decl): boolean {
  switch (e.op) {
    case "object":
      return e.decl === decl || (e.decl.kind === "alias" && readsDecl(e.decl.of, decl));
    case "index":
      return readsDecl(e.of, decl) || e.indexes.some((index) => readsDecl(index, decl));
    case "slice":
      return (
        readsDecl(e.of, decl) ||
        (e.range.kind === "bounds" && (readsDecl(e.range.left, decl) || readsDecl(e.range.right, decl)))
      );
    case "field":
    case "deref":
      return readsDecl(e.of, decl);
    case "call":
      return (
        e.args.some((arg) => arg !== null && readsDecl(arg, decl)) ||
        (e.sub.nested && e.sub.body !== null && !e.sub.pure)
      );
    case "builtin":
      return e.args.some((arg) => readsDecl(arg, decl));
    case "attribute":
      return (
        (e.of !== null &&
          !/^(left|right|high|low|length|range|reverse_range)$/.test(e.name) &&
          readsDecl(e.of, decl)) ||
        (e.arg !== null && readsDecl(e.arg, decl))
      );
    case "aggregate":
      return e.elements.some(
        ({ choice, value }) => readsDecl(value, decl) || (choice.kind === "value" && readsDecl(choice.value, decl)),
      );
    case "convert":
    case "qualified":
      return readsDecl(e.arg, decl);
    default:
      return false;
  }
}
