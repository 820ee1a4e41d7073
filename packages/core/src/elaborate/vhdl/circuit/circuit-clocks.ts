import type { Loc } from "../../../common/source.ts";
import type { EventModel, Expr as ModelExpr } from "../../model.ts";
import type { BoundProcess, Expr, Stmt } from "../bound.ts";
import type { CircuitWriter } from "./circuit.ts";
import { NoCircuit } from "./circuit-base.ts";
import { rootName, sameExpr } from "./circuit-pieces.ts";
import { assignedBy, containsEdge, containsWait, findEdge, isPassive } from "./circuit-scan.ts";

/** An asynchronous reset of a clocked process. */
export interface Reset {
  readonly test: Expr;
  readonly yes: readonly Stmt[];
  /** Behind the clock: only what it sets itself stands still while it is on. */
  readonly isLast: boolean;
  readonly loc: Loc;
}
/** A process that a clock runs. */
export interface Clocked {
  readonly event: EventModel;
  readonly reset: Reset | null;
  /** In the order of the text: what the clock does, and what stands around that. */
  readonly steps: { readonly stmts: readonly Stmt[]; readonly atEdge: boolean }[];
}

/** An edge of a clock, and what else the condition asks that holds it. */
interface Edge {
  readonly event: EventModel;
  readonly also: Expr | null;
}

/** Clock edges and resets in the forms that processes take. */
export class CircuitClocks {
  constructor(private readonly host: CircuitWriter) {}

  clockedForm(process: BoundProcess): Clocked | null {
    const stmts = process.stmts.filter((stmt) => !isPassive(stmt));
    const [first] = stmts;
    if (!first) return null;
    if (process.sensitivity === null) {
      if (first.op !== "wait" || stmts.slice(1).some((stmt) => containsWait(stmt))) return null;
      const edge = first.until && !first.delay ? this.waitedEdge(first) : null;
      return edge && { event: edge.event, reset: null, steps: [this.step(edge, stmts.slice(1), first.loc)] };
    }
    const steps: { stmts: readonly Stmt[]; atEdge: boolean }[] = [];
    const edges: { event: EventModel; loc: Loc }[] = [];
    let reset: Reset | null = null;
    const flat = stmts.flatMap((stmt) => (stmt.op === "block" ? stmt.body : [stmt]));
    for (const stmt of flat) {
      const found = this.clockIf(stmt, stmt.loc);
      if (!found) {
        const level = this.resetBehind(stmt, steps, reset);
        if (level) reset = level;
        else steps.push({ stmts: [stmt], atEdge: false });
        continue;
      }
      if (found.reset) {
        if (reset || edges.length) this.host.refuse(stmt.loc, "A second clocked branch with an asynchronous reset");
        reset = found.reset;
      }
      edges.push({ event: found.edge.event, loc: stmt.loc });
      steps.push(this.step(found.edge, found.body, stmt.loc));
    }
    if (edges.length === 0) return null;
    const key = ({ edge, expr }: EventModel) =>
      `${edge}${expr.op === "signal" ? expr.signal.id : expr.op === "slice" ? `${expr.lsb}:${expr.arg.op === "signal" ? expr.arg.signal.id : ""}` : ""}`;
    const other = edges.find(({ event }) => key(event) !== key(edges[0].event));
    if (other || (reset && !reset.isLast && edges.length > 1)) {
      this.host.error(
        "several-clocks",
        (other ?? edges[1]).loc,
        other
          ? "Two clocks, or both edges of one, in one process make no circuit."
          : "A second clocked branch beside one with an asynchronous reset is not synthesizable.",
        "Write a process for each clock.",
      );
      throw new NoCircuit();
    }
    // an edge in what stands around is none of these
    const stray = findEdge(steps.flatMap((step) => step.stmts));
    if (stray)
      this.host.refuse(
        stray,
        "An edge in this place",
        "Write 'if rising_edge(clk) then' around all that the clock does, with the asynchronous reset before it as the only other branch.",
      );
    return { event: edges[0].event, reset, steps };
  }
  private step({ also }: Edge, body: readonly Stmt[], loc: Loc): Clocked["steps"][number] {
    return { stmts: also ? [{ op: "if", test: also, yes: body, no: null, loc }] : body, atEdge: true };
  }

  /** `if rising_edge(clk)`, with an asynchronous branch before it, or within a condition. */
  private clockIf(stmt: Stmt, loc: Loc): { edge: Edge; body: readonly Stmt[]; reset: Reset | null } | null {
    if (stmt.op !== "if") return null;
    const edge = this.edgeOf(stmt.test);
    if (edge) {
      if (!stmt.no) return { edge, body: stmt.yes, reset: null };
      this.host.error(
        "clocked-else",
        stmt.loc,
        "An 'else' of a clock's edge is not synthesizable: a register has one clock.",
        "Take the 'else' out, or put it before the edge as a reset.",
      );
      throw new NoCircuit();
    }
    if (containsEdge(stmt.test)) return null;
    const live = (list: readonly Stmt[]) => list.filter((each) => !isPassive(each));
    const no = stmt.no ? live(stmt.no) : [];
    const yes = live(stmt.yes);
    if (no.length === 1) {
      const inner = this.clockIf(no[0], loc);
      if (inner && !inner.reset)
        return { ...inner, reset: { test: stmt.test, yes: stmt.yes, isLast: false, loc: stmt.loc } };
    }
    if (no.length === 0 && yes.length === 1) {
      const inner = this.clockIf(yes[0], loc);
      if (inner && !inner.reset)
        return { ...inner, edge: { event: inner.edge.event, also: this.both(stmt.test, inner.edge.also) } };
    }
    return null;
  }
  private both(a: Expr, b: Expr | null): Expr {
    return b ? { op: "builtin", name: "and", args: [a, b], type: a.type, loc: a.loc } : a;
  }
  /** A condition behind the clock that sets some of its registers: it overrules the clock. */
  private resetBehind(stmt: Stmt, steps: Clocked["steps"], before: Reset | null): Reset | null {
    if (stmt.op !== "if" || stmt.no || before || !steps.some((step) => step.atEdge)) return null;
    const clocked = assignedBy(
      steps.flatMap((step) => (step.atEdge ? step.stmts : [])),
      true,
    );
    const driven = [...assignedBy(stmt.yes, true)];
    if (!driven.some((decl) => clocked.has(decl))) return null;
    if (!driven.every((decl) => clocked.has(decl)))
      this.host.refuse(stmt.loc, "A branch that sets registers and other signals outside of the clock's edge");
    return { test: stmt.test, yes: stmt.yes, isLast: true, loc: stmt.loc };
  }

  /** `wait until` an edge, or until a single signal has a level: it waits for an event, so that is its edge. */
  private waitedEdge(stmt: Stmt & { op: "wait" }): Edge | null {
    const test = stmt.until!;
    const edge = this.edgeOf(test);
    if (edge) return edge;
    const level = this.levelOf(test, null);
    if (!level || (stmt.on && !stmt.on.every((each) => rootName(each) === rootName(level.signal)))) return null;
    return {
      event: { edge: level.level ? "pos" : "neg", expr: this.clockExpr(level.signal), guard: null, loc: test.loc },
      also: null,
    };
  }

  /** `clk = '1'` and its like. */
  private levelOf(e: Expr, signal: Expr | null): { signal: Expr; level: number } | null {
    if (e.op !== "builtin" || e.name !== "=") {
      if (e.op !== "call" || e.sub.name !== '"="') return null;
    }
    const [x, y] = e.args;
    if (!x || !y) return null;
    const [name, value] = y.op === "literal" ? [x, y] : [y, x];
    if (value.op !== "literal" || rootName(name) === "" || (signal && rootName(name) !== rootName(signal))) return null;
    const type = value.type.kind === "enum" ? value.type : null;
    const text = type?.literals[value.value]?.name;
    return text === "'1'" || text === "true"
      ? { signal: name, level: 1 }
      : text === "'0'" || text === "false"
        ? { signal: name, level: 0 }
        : null;
  }

  /** 1 or 0: the level at which a condition on one bit is true. */
  activeLevel(value: ModelExpr, source: ModelExpr): 0 | 1 | null {
    if (source.width !== 1) return null;
    const evaluate = (e: ModelExpr, bit: number): number | null => {
      if (sameExpr(e, source)) return bit;
      switch (e.op) {
        case "const":
          return e.value.b ? null : Number(e.value.a);
        case "unary": {
          const arg = evaluate(e.arg, bit);
          return arg === null || e.width !== 1 ? null : 1 - arg;
        }
        case "binary": {
          const l = evaluate(e.left, bit);
          const r = evaluate(e.right, bit);
          if (l === null || r === null) return null;
          return e.kind === "eq"
            ? Number(l === r)
            : e.kind === "ne"
              ? Number(l !== r)
              : e.kind === "and"
                ? l & r
                : e.kind === "or"
                  ? l | r
                  : e.kind === "xor"
                    ? l ^ r
                    : null;
        }
        case "extend":
          return evaluate(e.arg, bit);
        default:
          return null;
      }
    };
    const zero = evaluate(value, 0);
    const one = evaluate(value, 1);
    if (zero === null || one === null || zero === one) return null;
    return one ? 1 : 0;
  }

  /** The clock edge in a condition, and what else the condition asks. */
  private edgeOf(test: Expr): Edge | null {
    const guard = test.op === "object" ? this.host.guards.get(test.decl) : undefined;
    if (guard) return this.edgeOf(guard);
    if (!containsEdge(test)) return null;
    if (
      test.op === "call" &&
      (test.sub.name === "rising_edge" || test.sub.name === "falling_edge") &&
      test.sub.native &&
      test.args[0]
    ) {
      return {
        event: {
          edge: test.sub.name === "rising_edge" ? "pos" : "neg",
          expr: this.clockExpr(test.args[0]),
          guard: null,
          loc: test.loc,
        },
        also: null,
      };
    }
    if (test.op === "builtin" && test.name === "and") {
      const [l, r] = test.args;
      const eventOf = (e: Expr): Expr | null => {
        if (e.op === "attribute" && e.name === "event") return e.of;
        if (e.op === "builtin" && e.name === "not" && e.args[0].op === "attribute" && e.args[0].name === "stable")
          return e.args[0].of;
        return null;
      };
      for (const [x, y] of [
        [l, r],
        [r, l],
      ]) {
        const signal = eventOf(x);
        if (!signal) continue;
        const level = this.levelOf(y, signal);
        if (level !== null)
          return {
            event: { edge: level.level ? "pos" : "neg", expr: this.clockExpr(signal), guard: null, loc: test.loc },
            also: null,
          };
      }
      for (const [x, y] of [
        [l, r],
        [r, l],
      ]) {
        const edge = this.edgeOf(x);
        if (!edge) continue;
        if (containsEdge(y)) return null;
        return { event: edge.event, also: this.both(y, edge.also) };
      }
    }
    return null;
  }
  private clockExpr(e: Expr): ModelExpr {
    const val = this.host.values.expr(e);
    return val.e;
  }
}
