import type { BoundProcess, Expr, Stmt } from "../../elaborate/vhdl/bound.ts";
import { isPureExpr } from "../../elaborate/vhdl/code/pure-logic.ts";

/** Which edge of which clock a process is nothing without, so that the other edge need not wake it. */

interface ClockEdge {
  /** A signal of std_logic. */
  readonly clock: Expr;
  readonly edge: "rising" | "falling";
}

/** All statements are one `if rising_edge(clk) then`. */
export function onlyEdge(stmts: BoundProcess["stmts"]): ClockEdge | null {
  const [stmt] = stmts;
  return stmts.length === 1 && stmt.op === "if" && !stmt.no ? edgeOf(stmt.test) : null;
}

/**
 * `if rst = '1' then ... elsif rising_edge(clk) then ...`, where the first branch assigns nothing but constants: it may
 * run as often as it likes while its condition holds.
 */
export function guardedEdge(stmts: BoundProcess["stmts"]): (ClockEdge & { readonly guard: Expr }) | null {
  const [stmt] = stmts;
  if (stmts.length !== 1 || stmt.op !== "if" || !stmt.no) return null;
  const edge = onlyEdge(stmt.no);
  return edge && isPureExpr(stmt.test) && stmt.yes.every(assignsConstants) ? { ...edge, guard: stmt.test } : null;
}

/**
 * `clk <= not clk after 5 ns;`: the value, if the statements do nothing but to make a later transaction of it. If it is
 * for the very signal that woke the process, this may be done while signals are updated, as nobody is told anything now.
 */
export function delayedValue(process: BoundProcess): Expr | null {
  const [stmt] = process.stmts;
  if (!process.concurrent || process.postponed || process.stmts.length !== 1 || stmt.op !== "signal") return null;
  const { elements } = stmt.waveform;
  if (stmt.force !== null || stmt.guarded || stmt.reject || elements.length !== 1) return null;
  const [{ value, after }] = elements;
  if (!value || after?.op !== "literal" || after.value <= 0 || !isConstant(stmt.target, true)) return null;
  return isPureExpr(value) ? value : null;
}

/** `rising_edge(clk)`, or `clk'event and clk = '1'`, and their like. */
function edgeOf(test: Expr): ClockEdge | null {
  if (test.op === "call") {
    const { sub, args } = test;
    if (sub.home?.name !== "std_logic_1164" || !sub.native || args[0]?.op !== "object") return null;
    if (sub.name !== "rising_edge" && sub.name !== "falling_edge") return null;
    return { clock: args[0], edge: sub.name === "rising_edge" ? "rising" : "falling" };
  }
  if (test.op !== "builtin" || test.name !== "and") return null;
  const [event, level] = test.args[0].op === "attribute" ? test.args : [test.args[1], test.args[0]];
  if (event.op !== "attribute" || event.name !== "event" || event.of?.op !== "object") return null;
  if (level.op !== "builtin" || level.name !== "=") return null;
  const [object, value] = level.args;
  const { decl } = event.of;
  if (object.op !== "object" || object.decl !== decl || value.op !== "literal") return null;
  if (object.type.kind !== "enum" || object.type.packing !== "logic") return null;
  // positions of '0' and '1'
  return value.value === 3 || value.value === 2
    ? { clock: object, edge: value.value === 3 ? "rising" : "falling" }
    : null;
}

function assignsConstants(stmt: Stmt): boolean {
  switch (stmt.op) {
    case "null":
      return true;
    case "block":
    case "for":
      return stmt.body.every(assignsConstants);
    case "assign":
      return isConstant(stmt.target, true) && isConstant(stmt.value, false);
    case "signal": {
      const { elements } = stmt.waveform;
      return (
        stmt.force === null &&
        !stmt.guarded &&
        elements.length === 1 &&
        elements[0].after === null &&
        elements[0].value !== null &&
        isConstant(stmt.target, true) &&
        isConstant(elements[0].value, false)
      );
    }
    default:
      return false;
  }
}
/** Reads neither signals nor variables. @param isTarget It is assigned itself. */
function isConstant(e: Expr, isTarget: boolean): boolean {
  switch (e.op) {
    case "literal":
    case "string":
      return true;
    case "object":
      return isTarget || e.decl.kind === "constant";
    case "index":
      return isConstant(e.of, isTarget) && e.indexes.every((index) => isConstant(index, false));
    case "slice":
      return (
        isConstant(e.of, isTarget) &&
        e.range.kind === "bounds" &&
        isConstant(e.range.left, false) &&
        isConstant(e.range.right, false)
      );
    case "field":
      return isConstant(e.of, isTarget);
    case "builtin":
      return e.args.every((arg) => isConstant(arg, false));
    case "call":
      return isPureExpr(e) && e.args.every((arg) => !arg || isConstant(arg, false));
    case "convert":
    case "qualified":
      return isConstant(e.arg, false);
    case "aggregate":
      return e.elements.every(
        ({ choice, value }) =>
          (choice.kind === "others" ||
            choice.kind === "position" ||
            choice.kind === "field" ||
            (choice.kind === "value" && isConstant(choice.value, false))) &&
          isConstant(value, isTarget),
      );
    default:
      return false;
  }
}
