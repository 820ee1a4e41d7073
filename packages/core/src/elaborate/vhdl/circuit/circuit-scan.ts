import type { Loc } from "../../../common/source.ts";
import type { Stmt as ModelStmt } from "../../model.ts";
import type { Decl, Expr, Stmt, Subprogram, SubprogramBody } from "../bound.ts";
import { eachExpr, eachStmt } from "../code/statement-walk.ts";
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
      if (stmt.sub.body) return printsOnly(stmt.sub);
      return stmt.sub.native !== null && /^(textio|std_logic_textio)\./.test(stmt.sub.native);
    default:
      return false;
  }
}
const prints = new WeakMap<Subprogram, boolean>();
/** A procedure that changes nothing. */
function printsOnly(sub: Subprogram): boolean {
  let made = prints.get(sub);
  if (made === undefined) {
    prints.set(sub, false);
    made =
      sub.params.every((param) => param.kind === "constant" || (param.kind === "signal" && param.mode === "in")) &&
      sub.body!.stmts.every(isPassive);
    prints.set(sub, made);
  }
  return made;
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
      (each.op === "attribute" && (each.name === "event" || each.name === "stable")),
  );
/** Whether some operand of operators and calls is such a one, the whole among them. */
function someOperand(whole: Expr, isSuch: (e: Expr) => boolean): boolean {
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

/** Variables that statements assign, and, if they are asked for, signals; with what the subprograms do that they call. */
export function assignedBy(
  stmts: readonly Stmt[],
  signals = false,
  into = new Set<Decl>(),
  seen = new Set<Subprogram>(),
): Set<Decl> {
  const root = (e: Expr): void => {
    switch (e.op) {
      case "object":
        if (e.decl.kind === "alias") root(e.decl.of);
        else if (e.decl.kind === "variable" || (signals && e.decl.kind === "signal")) into.add(e.decl);
        return;
      case "index":
      case "slice":
      case "field":
        root(e.of);
        return;
      case "convert":
      case "qualified":
        root(e.arg);
        return;
      case "aggregate":
        for (const { value } of e.elements) root(value);
    }
  };
  const enter = (sub: Subprogram) => {
    if (!sub.body || seen.has(sub)) return;
    seen.add(sub);
    assignedBy(sub.body.stmts, signals, into, seen);
  };
  eachStmt(stmts, (stmt) => {
    if (stmt.op === "assign" || (stmt.op === "signal" && signals)) root(stmt.target);
    if (stmt.op === "call") {
      stmt.sub.params.forEach((param, i) => {
        const arg = stmt.args[i];
        if (!arg || (param.kind !== "variable" && !(signals && param.kind === "signal"))) return;
        if (param.mode !== "in") root(arg);
      });
      enter(stmt.sub);
    }
  });
  eachExpr(stmts, (e) => {
    if (e.op === "call") enter(e.sub);
  });
  return into;
}
/** Variables that statements look at, also as parts of targets; with what the subprograms do that they call. */
export function readBy(stmts: readonly Stmt[], into = new Set<Decl>(), seen = new Set<Subprogram>()): Set<Decl> {
  const enter = (sub: Subprogram) => {
    if (!sub.body || seen.has(sub)) return;
    seen.add(sub);
    readBy(sub.body.stmts, into, seen);
  };
  eachExpr(stmts, (e) => {
    if (e.op === "object" && e.decl.kind === "variable") into.add(e.decl);
    if (e.op === "call") enter(e.sub);
  });
  eachStmt(stmts, (stmt) => {
    if (stmt.op === "call") enter(stmt.sub);
  });
  return into;
}
const known = new WeakMap<Subprogram, boolean>();

/** Whether a subprogram, or one that it calls, looks at signals or variables that are not its own. */
export function readsState(sub: Subprogram): boolean {
  const before = known.get(sub);
  if (before !== undefined) return before;
  // one that is being looked at, by recursion, adds nothing of its own
  known.set(sub, false);
  let found = false;
  if (sub.body) {
    const own = new Set<Decl>();
    const subs: Subprogram[] = [];
    const inits: Expr[] = [];
    const enter = (body: SubprogramBody) => {
      for (const param of body.params) own.add(param);
      for (const decl of body.decls) {
        if (decl.kind === "variable" || decl.kind === "constant") {
          own.add(decl);
          if (decl.init) inits.push(decl.init);
        } else if (decl.kind === "file") own.add(decl);
        else if (decl.kind === "alias") inits.push(decl.of);
        else if (decl.kind === "sub" && decl.body) {
          subs.push(decl);
          enter(decl.body);
        }
      }
    };
    enter(sub.body);
    const look = (e: Expr) => {
      if (e.op === "object" && (e.decl.kind === "signal" || e.decl.kind === "variable") && !own.has(e.decl))
        found = true;
      if (e.op === "call" && !own.has(e.sub) && !subs.includes(e.sub) && readsState(e.sub)) found = true;
    };
    for (const body of [sub.body, ...subs.map((each) => each.body!)]) {
      eachExpr(body.stmts, look);
      eachStmt(body.stmts, (stmt) => {
        if (stmt.op === "call" && !subs.includes(stmt.sub) && readsState(stmt.sub)) found = true;
      });
    }
    eachExpr(
      inits.map((value): Stmt => ({ op: "return", value, loc: value.loc })),
      look,
    );
  }
  known.set(sub, found);
  return found;
}
