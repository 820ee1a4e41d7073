import type { Loc, SourceSet } from "../../common/source.ts";
import { evaluate } from "../evaluate.ts";
import type { DesignModel, Expr, Signal, Stmt } from "../model.ts";
import { exprsOf, statementsOf } from "../walk.ts";

/** By the signal's name, then by code in decimal: a name for the value. */
type CodeNames = Record<string, Record<string, string>>;

/** How much a use tells about the meaning of a value: a choice of what to do, a comparison, a value given. */
const ranks = { label: 0, compared: 1, given: 2 };

/**
 * What the source calls the values of its signals: the members of an enumerated type, or the named constants that a
 * signal is compared with or that it is given. Of several names for one value, the one in a `case` counts first.
 */
export function codeNames(design: DesignModel, sources: SourceSet): CodeNames {
  const found = new Map<Signal, Map<string, { readonly name: string; readonly rank: number }>>();
  const note = (signal: Signal | null, value: Expr, rank: number) => {
    if (!signal || isEnumerated(signal)) return;
    const name = nameAt(sources, value.loc);
    const known = name && evaluate(value);
    if (!name || !known || known.b !== 0n) return;
    const code = String(BigInt.asUintN(signal.width, known.a));
    const codes = found.get(signal) ?? new Map();
    found.set(signal, codes);
    if (!codes.has(code) || codes.get(code).rank > rank) codes.set(code, { name, rank });
  };
  const compared = (expr: Expr) =>
    exprsOf(expr, (each) => {
      if (each.op !== "binary" || !["eq", "ne", "ceq", "cne"].includes(each.kind)) return;
      note(wholeSignal(each.left), each.right, ranks.compared);
      note(wholeSignal(each.right), each.left, ranks.compared);
    });
  const visit = (stmt: Stmt) => {
    if (stmt.op === "case" && stmt.flavour === "case") {
      const signal = wholeSignal(stmt.subject);
      for (const { labels } of stmt.items) for (const label of labels) note(signal, label, ranks.label);
    } else if (stmt.op === "if") compared(stmt.test);
    else if (stmt.op === "assign") {
      compared(stmt.value);
      const [part] = stmt.target.parts;
      if (stmt.target.parts.length === 1 && part.index.length === 0 && stmt.target.width === part.signal.width)
        note(part.signal, stmt.value, ranks.given);
    }
  };
  for (const { body } of design.processes) statementsOf(body, visit);
  for (const { value } of design.assigns) compared(value);
  const names: CodeNames = {};
  for (const signal of design.signals) {
    if (signal.kind === "local") continue;
    const codes = found.get(signal);
    if (signal.type.kind === "integral" && signal.type.enumeration)
      names[signal.name] = Object.fromEntries(
        signal.type.enumeration.members.map((member) => [String(member.value.a), member.name]),
      );
    else if (codes) names[signal.name] = Object.fromEntries([...codes].map(([code, { name }]) => [code, name]));
  }
  return names;
}

function isEnumerated({ type }: Signal): boolean {
  return type.kind === "integral" && type.enumeration !== null;
}

/** The signal that an expression is, however it is widened. */
function wholeSignal(expr: Expr): Signal | null {
  if (expr.op === "signal") return expr.signal;
  if (expr.op === "extend" || expr.op === "twostate") return wholeSignal(expr.arg);
  return null;
}

/** Name that stands at a place, without that of its package; null if something else stands there. */
function nameAt(sources: SourceSet, loc: Loc): string | null {
  if (loc.end - loc.start > 200) return null;
  return /^(?:\w+(?:::|\.))*`?([A-Za-z_]\w*)$/.exec(sources.text(loc).trim())?.[1] ?? null;
}
