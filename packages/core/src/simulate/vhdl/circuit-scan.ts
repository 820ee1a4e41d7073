import type { Loc } from "../../common/source.ts";
import type { Stmt as ModelStmt } from "../../elaborate/model.ts";
import type { Decl, Expr, Stmt, Subprogram, SubprogramBody } from "../../elaborate/vhdl/bound.ts";
import type { BoundRange } from "../../elaborate/vhdl/types.ts";
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

/** Variables that statements assign, and, if they are asked for, signals; with what the subprograms do that they call. */
export function assignedBy(stmts: readonly Stmt[], signals = false, into = new Set<Decl>(), seen = new Set<Subprogram>()): Set<Decl> {
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
/** Statements, with those within. */
function eachStmt(stmts: readonly Stmt[], run: (stmt: Stmt) => void): void {
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
