import type {
  DelayModel,
  DesignModel,
  EventModel,
  Expr,
  Instance,
  Process,
  Signal,
  Stmt,
  Subroutine,
  Target,
} from "./model.ts";
import { wholeTarget } from "./model.ts";

/**
 * The one walk over the elaborated model: what stands within an expression or a statement, in the order of the text. Who
 * wants to know something of a body says what it looks for, and what it looks for only.
 */

/** How something is assigned; "argument" stands for what a call may write. */
type TargetUse = "blocking" | "nonblocking" | "step" | "argument" | "force";

export interface Visitor {
  /** An expression, before those within it. @returns False: those within it are left out. */
  readonly expr?: (expr: Expr) => unknown;
  /** What is assigned. Its indexes are expressions that are visited. */
  readonly target?: (target: Target, use: TargetUse) => unknown;
  /** A statement, before those within it. @returns False: all within it is left out. */
  readonly stmt?: (stmt: Stmt) => unknown;
  /** A whole array, container or event that a call names. */
  readonly array?: (signal: Signal, callee: string) => unknown;
  /** What is called, at each call. Its body is not walked through. */
  readonly call?: (sub: Subroutine) => unknown;
}

type Args = (Expr & { op: "call" | "system" })["args"] | (Stmt & { op: "call" | "system" })["args"];

/** All within an expression, itself too. */
export function walkExpr(whole: Expr, on: Visitor): void {
  // a list of what is still to be seen, the next one last: sums may have thousands of terms
  const open = [whole];
  const inner: Expr[] = [];
  const take = (expr: Expr) => void inner.push(expr);
  for (let expr = open.pop(); expr; expr = open.pop()) {
    if (on.expr?.(expr) === false) continue;
    partsOf(expr, on, take);
    for (let next = inner.pop(); next; next = inner.pop()) open.push(next);
  }
}

function partsOf(expr: Expr, on: Visitor, take: (expr: Expr) => void): void {
  switch (expr.op) {
    case "element":
      for (const index of expr.index) take(index);
      return;
    case "slice":
    case "extend":
    case "twostate":
    case "unary":
    case "repeat":
    case "convert":
      take(expr.arg);
      return;
    case "dynslice":
      take(expr.arg);
      take(expr.offset);
      return;
    case "binary":
      take(expr.left);
      take(expr.right);
      return;
    case "cond":
      take(expr.test);
      take(expr.yes);
      take(expr.no);
      return;
    case "concat":
      for (const part of expr.parts) take(part);
      return;
    case "call":
      on.call?.(expr.func);
      argsOf(expr.args, "", on, take);
      return;
    case "system":
      argsOf(expr.args, expr.name, on, take);
      return;
    case "step":
      assigned(expr.target, "step", on, take);
      take(expr.value);
      if (expr.old) take(expr.old);
      return;
    case "const":
    case "realconst":
    case "strconst":
    case "signal":
      return;
  }
}

function assigned(target: Target, use: TargetUse, on: Visitor, take: (expr: Expr) => void): void {
  on.target?.(target, use);
  for (const { index, offset } of target.parts) {
    for (const each of index) take(each);
    if (typeof offset !== "number") take(offset);
  }
}

function argsOf(args: Args, callee: string, on: Visitor, take: (expr: Expr) => void): void {
  for (const arg of args) {
    if ("op" in arg) take(arg);
    else if ("parts" in arg) assigned(arg, "argument", on, take);
    else if (arg.kind === "expr" || arg.kind === "lambda") take(arg.expr);
    else if (arg.kind === "place") {
      take(arg.expr);
      assigned(arg.target, "argument", on, take);
    } else if (arg.kind === "array") on.array?.(arg.signal, callee);
  }
}

function delayParts(delay: DelayModel | null, take: (expr: Expr) => void): void {
  for (const value of delay?.values ?? []) take(value);
}
function eventParts(events: readonly EventModel[] | null, take: (expr: Expr) => void): void {
  for (const { expr, guard } of events ?? []) {
    take(expr);
    if (guard) take(guard);
  }
}

/** Expressions that say when a statement goes on, or when its assignment is made. */
export function timingOf(stmt: Stmt): Expr[] {
  const list: Expr[] = [];
  const take = (expr: Expr) => void list.push(expr);
  if (stmt.op === "delay") delayParts(stmt.delay, take);
  else if (stmt.op === "event") eventParts(stmt.events, take);
  else if (stmt.op === "wait" && stmt.test) take(stmt.test);
  else if (stmt.op === "assign" && stmt.intra) {
    delayParts(stmt.intra.delay, take);
    if (stmt.intra.repeat) take(stmt.intra.repeat);
    eventParts(stmt.intra.events, take);
  }
  return list;
}

/** All within a statement, itself too. What it calls is named, not walked through. */
export function walkStmt(stmt: Stmt, on: Visitor): void {
  if (on.stmt?.(stmt) === false) return;
  const looks = on.expr || on.target || on.array || on.call;
  const take = (expr: Expr) => {
    if (looks) walkExpr(expr, on);
  };
  const next = (inner: Stmt | null) => {
    if (inner) walkStmt(inner, on);
  };
  switch (stmt.op) {
    case "block":
      for (const inner of stmt.body) next(inner);
      return;
    case "if":
      take(stmt.test);
      next(stmt.yes);
      next(stmt.no);
      return;
    case "case":
      take(stmt.subject);
      for (const { labels, body } of stmt.items) {
        for (const label of labels) take(label);
        next(body);
      }
      next(stmt.fallback);
      return;
    case "loop":
      next(stmt.init);
      if (stmt.test) take(stmt.test);
      next(stmt.body);
      next(stmt.step);
      return;
    case "repeat":
      take(stmt.count);
      next(stmt.body);
      return;
    case "fork":
      for (const inner of stmt.branches) next(inner);
      return;
    case "assign":
      assigned(stmt.target, stmt.blocking ? "blocking" : "nonblocking", on, take);
      for (const each of timingOf(stmt)) take(each);
      take(stmt.value);
      return;
    case "arraycopy":
      on.target?.(wholeTarget(stmt.target, stmt.loc), stmt.blocking ? "blocking" : "nonblocking");
      on.array?.(stmt.from, "");
      return;
    case "force":
      assigned(stmt.target, "force", on, take);
      if (stmt.value) take(stmt.value);
      return;
    case "delay":
    case "event":
    case "wait":
      for (const each of timingOf(stmt)) take(each);
      return;
    case "call":
      on.call?.(stmt.sub);
      argsOf(stmt.args, "", on, take);
      return;
    case "system":
      argsOf(stmt.args, stmt.name, on, take);
      return;
    case "eval":
      take(stmt.expr);
      return;
    case "assert":
      take(stmt.test);
      next(stmt.pass);
      next(stmt.fail);
      return;
    case "disable":
    case "trigger":
    case "return":
    case "break":
    case "continue":
      return;
  }
}

/**
 * All of a design: processes with what they wait for, subroutines, assignments and connections.
 * @param onOf What is looked for in a process or a subroutine; null: outside of both.
 */
export function walkDesign(design: DesignModel, onOf: (within: Process | Subroutine | null) => Visitor): void {
  for (const process of design.processes) {
    const on = onOf(process);
    if (process.events !== "star") eventParts(process.events, (expr) => walkExpr(expr, on));
    walkStmt(process.body, on);
  }
  for (const sub of design.subroutines) walkStmt(sub.body, onOf(sub));
  const on = onOf(null);
  const take = (expr: Expr) => walkExpr(expr, on);
  for (const { target, value, delay } of design.assigns) {
    assigned(target, "blocking", on, take);
    delayParts(delay, take);
    take(value);
  }
  const connections = (instance: Instance): void => {
    for (const { value, target } of instance.bindings) {
      if (value) take(value);
      if (target) assigned(target, "blocking", on, take);
    }
    instance.children.forEach(connections);
  };
  connections(design.top);
}

/** Calls `visit` for an expression and all within it, arguments and indexes too; bodies of functions are left out. */
export const exprsOf = (whole: Expr, visit: (expr: Expr) => unknown): void =>
  walkExpr(whole, { expr: (expr) => void visit(expr) });

/** Calls `visit` for a statement and all within it, in the order of the text. */
export const statementsOf = (stmt: Stmt, visit: (stmt: Stmt) => unknown): void =>
  walkStmt(stmt, { stmt: (inner) => void visit(inner) });

/** Whether an expression or one within it is what is looked for. */
export function someExpr(whole: Expr, isIt: (expr: Expr) => boolean): boolean {
  let found = false;
  walkExpr(whole, {
    expr: (expr) => {
      found ||= isIt(expr);
      return !found;
    },
  });
  return found;
}

/** Whether a statement or one within it is what is looked for. */
export function someStmt(whole: Stmt, isIt: (stmt: Stmt) => boolean): boolean {
  let found = false;
  walkStmt(whole, {
    stmt: (stmt) => {
      found ||= isIt(stmt);
      return !found;
    },
  });
  return found;
}

/** Calls `found` for everything that a statement assigns. */
export const targetsOf = (stmt: Stmt, found: (target: Target, isForced: boolean) => void): void =>
  walkStmt(stmt, { target: (target, use) => found(target, use === "force") });

/** Adds what a statement reads, by itself or through what it calls; variables of blocks are left out. */
export const readsOf = (stmt: Stmt, into: Set<Signal>): void => walkStmt(stmt, reading(into));
/** As `readsOf`. */
export const readsOfExpr = (expr: Expr, into: Set<Signal>): void => walkExpr(expr, reading(into));

const reading = (into: Set<Signal>): Visitor =>
  readers((signal) => {
    if (signal.kind !== "local") into.add(signal);
  });

/** Hears of each signal that is read, by itself or through what is called. */
export function readers(note: (signal: Signal) => void): Visitor {
  const seen = new Set<Subroutine>();
  const on: Visitor = {
    expr: (expr) => {
      if (expr.op === "signal" || expr.op === "element") note(expr.signal);
    },
    array: (signal, callee) => {
      // events and containers are read where they are named; what a file is read into is not
      if (callee === "" || callee === "event.triggered" || /^(container|object)\./.test(callee)) note(signal);
    },
    call: (sub) => {
      if (seen.has(sub)) return;
      seen.add(sub);
      walkStmt(sub.body, on);
    },
  };
  return on;
}
