import type { DesignModel, Expr, Signal, Stmt, Target } from "../../elaborate/model.ts";
import {
  readers,
  readsOf,
  readsOfExpr,
  someStmt,
  statementsOf,
  targetsOf,
  timingOf,
  walkExpr,
  walkStmt,
} from "../../elaborate/walk.ts";
import { calledBy, hasTasks, replaceSignals } from "./walk-body.ts";

/**
 * Variables that a process without waits can keep to itself while it runs. Nothing else runs meanwhile, so nobody sees
 * what a variable holds in between: it becomes a variable of JavaScript, read before the body and written behind it.
 * Where it can be shown that a variable is assigned before it is read, and only with known values, it needs no second
 * plane either; that is how loop counters run as fast as those written by hand.
 */
export interface PrivateBody {
  readonly body: Stmt;
  readonly variables: readonly {
    readonly signal: Signal;
    readonly local: Signal;
    /** Assigned before it is read: its old value does not matter. */
    readonly isFresh: boolean;
  }[];
}

/** Signals whose single changes may be seen: somebody waits for an edge, or something forces them. */
export function observedSignals(design: DesignModel, forced: ReadonlySet<Signal>): Set<Signal> {
  const observed = new Set<Signal>(forced);
  const visit = (body: Stmt) =>
    statementsOf(body, (stmt) => {
      for (const expr of timingOf(stmt)) readsOfExpr(expr, observed);
      if (stmt.op === "force" && stmt.value) readsOfExpr(stmt.value, observed);
    });
  for (const process of design.processes) {
    visit(process.body);
    if (process.events !== "star" && process.events?.some((event) => event.edge !== null))
      for (const event of process.events) readsOfExpr(event.expr, observed);
  }
  for (const sub of design.subroutines) visit(sub.body);
  return observed;
}

/**
 * @param canHold Whether a signal is a plain one of bits with storage of its own.
 * @param makeLocal A variable that lives in compiled code only.
 */
export function privateBody(
  body: Stmt,
  observed: ReadonlySet<Signal>,
  canHold: (signal: Signal) => boolean,
  makeLocal: (like: Signal, fourState: boolean) => Signal,
): PrivateBody | null {
  if (hasTasks(body)) return null;
  const blocked = new Set<Signal>();
  for (const sub of calledBy(body)) {
    readsOf(sub.body, blocked);
    targetsOf(sub.body, (target) => {
      for (const part of target.parts) blocked.add(part.signal);
    });
  }
  const written = new Set<Signal>();
  walkStmt(body, {
    target: ({ parts }, use) => {
      for (const { signal } of parts) (use === "blocking" || use === "step" ? written : blocked).add(signal);
    },
  });
  if (someStmt(body, ({ op }) => op === "disable")) return null;
  const leavesEarly = someStmt(body, ({ op }) => op === "return");
  const chosen = [...written].filter(
    (signal) => !blocked.has(signal) && !observed.has(signal) && signal.kind === "variable" && canHold(signal),
  );
  if (chosen.length === 0) return null;
  const fresh = new Set(leavesEarly ? [] : chosen.filter((signal) => isAssignedFirst(body, signal) === "assigned"));
  const known = knownVariables(body, fresh);
  const variables = chosen.map((signal) => ({
    signal,
    local: makeLocal(signal, signal.fourState && !known.has(signal)),
    isFresh: fresh.has(signal),
  }));
  const by = new Map(variables.map(({ signal, local }) => [signal, local]));
  return { body: replaceSignals(body, by), variables };
}

/** Whether an expression, or what it calls, reads the variable. */
function mentions(expr: Expr, signal: Signal): boolean {
  let has = false;
  walkExpr(
    expr,
    readers((read) => {
      has ||= read === signal;
    }),
  );
  return has;
}
/** Likewise for a statement. */
function mentionsIn(stmt: Stmt, signal: Signal): boolean {
  let has = false;
  walkStmt(
    stmt,
    readers((read) => {
      has ||= read === signal;
    }),
  );
  return has;
}
const wholly = (target: Target, signal: Signal): boolean =>
  target.parts.some((part) => part.signal === signal && part.offset === 0 && part.width === signal.width);

/** What happens first to the variable, on all ways through the statement. */
export function isAssignedFirst(stmt: Stmt, signal: Signal): "assigned" | "read" | "neither" {
  switch (stmt.op) {
    case "block": {
      for (const inner of stmt.body) {
        const first = isAssignedFirst(inner, signal);
        if (first !== "neither") return first;
      }
      return "neither";
    }
    case "assign": {
      if (mentionsIn(stmt, signal)) return "read";
      if (stmt.blocking && wholly(stmt.target, signal)) return "assigned";
      return stmt.target.parts.some((part) => part.signal === signal) ? "read" : "neither";
    }
    case "if": {
      if (mentions(stmt.test, signal)) return "read";
      const yes = isAssignedFirst(stmt.yes, signal);
      const no = stmt.no ? isAssignedFirst(stmt.no, signal) : "neither";
      return both([yes, no]);
    }
    case "case": {
      if (
        mentions(stmt.subject, signal) ||
        stmt.items.some(({ labels }) => labels.some((label) => mentions(label, signal)))
      )
        return "read";
      const ways = stmt.items.map((item) => isAssignedFirst(item.body, signal));
      ways.push(stmt.fallback ? isAssignedFirst(stmt.fallback, signal) : "neither");
      return both(ways);
    }
    case "loop": {
      const first = stmt.init ? isAssignedFirst(stmt.init, signal) : "neither";
      if (first !== "neither") return first;
      return mentionsAny(stmt, signal) ? "read" : "neither"; // the body may run, or not
    }
    default:
      return mentionsAny(stmt, signal) ? "read" : "neither";
  }
}

/** Where ways differ, a way that has not assigned may read later: that counts as reading. */
function both(ways: readonly ("assigned" | "read" | "neither")[]): "assigned" | "read" | "neither" {
  const [first] = ways;
  return ways.every((way) => way === first) ? first : "read";
}

function mentionsAny(stmt: Stmt, signal: Signal): boolean {
  if (mentionsIn(stmt, signal)) return true;
  let has = false;
  targetsOf(stmt, (target) => {
    if (target.parts.some((part) => part.signal === signal)) has = true;
  });
  return has;
}

/** Of the fresh variables, those that never get an x or z. The largest set that holds itself up. */
function knownVariables(body: Stmt, fresh: ReadonlySet<Signal>): Set<Signal> {
  const known = new Set(fresh);
  const assigned: { signal: Signal; value: Expr | null }[] = [];
  const note = ({ target, value }: { readonly target: Target; readonly value: Expr }) => {
    for (const { signal } of target.parts) assigned.push({ signal, value: target.form ? null : value });
  };
  walkStmt(body, {
    stmt: (stmt) => {
      if (stmt.op === "assign") note(stmt);
    },
    expr: (expr) => {
      if (expr.op === "step") note(expr);
    },
  });
  for (let changed = true; changed; ) {
    changed = false;
    for (const { signal, value } of assigned) {
      if (!known.has(signal) || (value && isKnownExpr(value, known))) continue;
      known.delete(signal);
      changed = true;
    }
  }
  return known;
}

function isKnownExpr(expr: Expr, known: ReadonlySet<Signal>): boolean {
  const is = (inner: Expr) => isKnownExpr(inner, known);
  if (expr.form) return false;
  switch (expr.op) {
    case "const":
      return expr.value.b === 0n;
    case "signal":
      return known.has(expr.signal) || !(expr.signal.fourState || expr.signal.kind === "net");
    case "slice":
      return expr.lsb >= 0 && expr.lsb + expr.width <= expr.arg.width && is(expr.arg);
    case "twostate":
      return true;
    case "extend":
    case "repeat":
    case "unary":
      return is(expr.arg);
    case "concat":
      return expr.parts.every(is);
    case "cond":
      return is(expr.test) && is(expr.yes) && is(expr.no);
    case "binary":
      return (
        expr.kind !== "div" &&
        expr.kind !== "mod" &&
        expr.kind !== "pow" &&
        !expr.left.form &&
        !expr.right.form &&
        is(expr.left) &&
        is(expr.right)
      );
    default:
      return false;
  }
}
