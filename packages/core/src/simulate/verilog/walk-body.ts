import type { Signal, Stmt, Subroutine } from "../../elaborate/model.ts";
import { someStmt, targetsOf, type Visitor, walkStmt } from "../../elaborate/walk.ts";

/** Facts about the body of a process. */

/** Keys that lead out of the tree, or to what is shared. */
const outside = new Set(["loc", "opLoc", "endLoc", "instance", "type", "timeScale", "id", "func", "sub", "locals"]);

type Node = Readonly<Record<string, unknown>>;

/** Functions and tasks that the statement calls, and those that they call. */
export function calledBy(stmt: Stmt): Set<Subroutine> {
  const all = new Set<Subroutine>();
  const on: Visitor = {
    call: (sub) => {
      if (all.has(sub)) return;
      all.add(sub);
      walkStmt(sub.body, on);
    },
  };
  walkStmt(stmt, on);
  return all;
}

/** Signals that the statement changes, by itself or through what it calls. */
export function writtenBy(stmt: Stmt): Set<Signal> {
  const written = new Set<Signal>();
  const visit = (tree: Stmt) =>
    targetsOf(tree, (target) => {
      for (const part of target.parts) written.add(part.signal);
    });
  visit(stmt);
  for (const sub of calledBy(stmt)) visit(sub.body);
  return written;
}

/** Whether it prints, stops, reads files or checks: what shows the order of processes to the outside. */
export const hasTasks = (stmt: Stmt): boolean =>
  someStmt(stmt, ({ op }) => op === "assert" || op === "force" || op === "system");

/** The same tree with other signals; what has none of them is shared with the old one. */
export function replaceSignals<T>(tree: T, by: ReadonlyMap<Signal, Signal>): T {
  if (typeof tree !== "object" || tree === null) return tree;
  if (Array.isArray(tree)) {
    let changed = false;
    const list = tree.map((item) => {
      const next = replaceSignals(item, by);
      if (next !== item) changed = true;
      return next;
    });
    return changed ? (list as T) : tree;
  }
  const node = tree as Node;
  let copy: Record<string, unknown> | null = null;
  for (const key in node) {
    if (outside.has(key)) continue;
    const old = node[key];
    const next = key === "signal" ? (by.get(old as Signal) ?? old) : replaceSignals(old, by);
    if (next === old) continue;
    copy ??= { ...node };
    copy[key] = next;
  }
  return (copy ?? node) as T;
}
