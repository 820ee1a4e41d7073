import type { Expr, Process, Signal, Stmt, Subroutine, TargetPart } from "../../elaborate/model.ts";
import { elementForm } from "./storage.ts";

/**
 * Processes that wait for the same edges run one after the other, as one. A register that only they assign, whole and
 * without delay, needs no place in the queue of non-blocking assignments: it has a shadow of its own.
 */
export interface ClockGroup {
  readonly number: number;
  readonly edges: readonly { readonly signal: Signal; readonly bit: number; readonly edge: "pos" | "neg" | "both" }[];
  /** Numbers of the member processes, in the order of the text. */
  readonly members: number[];
  readonly shadows: Set<Signal>;
  /** Arrays whose elements only this group assigns: each has a queue of its own. */
  readonly arrays: Set<Signal>;
}

export interface ClockGroups {
  readonly groups: ClockGroup[];
  readonly of: ReadonlyMap<Process, ClockGroup>;
  readonly shadowOf: ReadonlyMap<Signal, ClockGroup>;
}

export function findClockGroups(
  processes: readonly Process[],
  subroutines: readonly Subroutine[],
  /** The edges that start a process, or null if it is no plain clocked one. */
  edgesOf: (process: Process) => ClockGroup["edges"] | null,
  rootOf: (signal: Signal) => Signal,
): ClockGroups {
  const groups: ClockGroup[] = [];
  const byKey = new Map<string, ClockGroup>();
  const of = new Map<Process, ClockGroup>();
  for (const process of processes) {
    const edges = edgesOf(process);
    if (!edges) continue;
    const key = edges
      .map(({ signal, bit, edge }) => `${signal.id}.${bit}.${edge}`)
      .sort()
      .join();
    let group = byKey.get(key);
    if (!group) {
      group = { number: groups.length, edges, members: [], shadows: new Set(), arrays: new Set() };
      groups.push(group);
      byKey.set(key, group);
    }
    of.set(process, group);
  }
  const writers = new Map<Signal, ClockGroup | null>();
  const note = (part: TargetPart, group: ClockGroup | null): void => {
    const { signal } = part;
    const root = signal.automatic || signal.dims.length ? signal : rootOf(signal);
    const whole = root === signal && part.offset === 0 && part.width === signal.width;
    const form = elementForm(signal);
    const plain = !signal.automatic && whole && (form === "narrow" || (form === "wide" && signal.dims.length === 0));
    const known = writers.get(root);
    writers.set(root, plain && (known === undefined || known === group) ? group : null);
  };
  for (const process of processes)
    visit(process.body, (part, delayed) => note(part, delayed ? null : (of.get(process) ?? null)));
  for (const sub of subroutines) visit(sub.body, (part) => note(part, null));
  const shadowOf = new Map<Signal, ClockGroup>();
  for (const [signal, group] of writers) {
    if (!group) continue;
    (signal.dims.length ? group.arrays : group.shadows).add(signal);
    shadowOf.set(signal, group);
  }
  return { groups, of, shadowOf };
}

/** Calls `found` for each part that a non-blocking assignment changes. */
function visit(stmt: Stmt, found: (part: TargetPart, delayed: boolean) => void): void {
  const next = (inner: Stmt | null) => {
    if (inner) visit(inner, found);
  };
  switch (stmt.op) {
    case "assign":
      if (!stmt.blocking) for (const part of stmt.target.parts) found(part, stmt.intra !== null);
      return;
    case "arraycopy":
      if (!stmt.blocking) found({ signal: stmt.target, width: 0, index: [] as Expr[], offset: 0, loc: stmt.loc }, true);
      return;
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
