import type { Loc } from "../../common/source.ts";
import type { EventModel, Expr as ModelExpr, Stmt as ModelStmt, Process, Signal } from "../../elaborate/model.ts";
import type { BoundDecl, BoundProcess, Decl, Expr, Stmt } from "../../elaborate/vhdl/bound.ts";
import { NoCircuit, Scope } from "./circuit-base.ts";
import { fourStateOf, widthOf } from "./circuit-expr.ts";
import { rootName, sameExpr, signalsIn } from "./circuit-pieces.ts";
import {
  assigns,
  containsEdge,
  containsWait,
  findEdge,
  firstTarget,
  isPassive,
  isSetFirst,
  someOperand,
} from "./circuit-scan.ts";
import { CircuitStmt } from "./circuit-stmt.ts";
import type { VhdlInstance } from "./elaborator-base.ts";
import { Frame } from "./frames.ts";
import { type Shape, shapeText } from "./shapes.ts";
import { leavesOf, type Sig } from "./signals.ts";

/**
 * Instances of VHDL as the elaborated model that both languages share, for synthesis: a signal for each declared one,
 * a process for each process. Loops are unrolled, subprograms are written for the lengths and constants of each call.
 */
export class CircuitWriter extends CircuitStmt {
  // ---- processes ------------------------------------------------------------------------------------------------

  protected override behave(instance: VhdlInstance): void {
    this.at(instance, () => {
      for (const { process, frame } of this.owner.processesOf(instance)) {
        try {
          this.process(process, frame);
        } catch (error) {
          if (!(error instanceof NoCircuit)) throw error;
        }
      }
    });
    for (const child of instance.children) this.behave(child);
  }

  private process(process: BoundProcess, frame: Frame): void {
    // what only looks, such as assertions, makes no circuit and does no harm
    if (process.stmts.every(isPassive)) return;
    const outer = this.scope;
    this.scope = new Scope(outer, frame);
    try {
      const clocked = this.clockedForm(process);
      const body: ModelStmt[] = [];
      const isClocked = clocked !== null;
      for (const decl of process.decls) this.declareLocal(decl, isClocked, process.stmts);
      let events: Process["events"];
      if (clocked) {
        events = clocked.events;
        body.push(...this.stmts(clocked.body()));
      } else {
        if (process.sensitivity === null)
          this.refuse(process.headLoc, `Process '${process.name}', which waits inside,`);
        const edge = findEdge(process.stmts);
        if (edge)
          this.refuse(
            edge,
            "An edge in this place",
            "Write 'if rising_edge(clk) then' around all that the clock does, with the asynchronous reset before it as the only other branch.",
          );
        events = "star";
        this.checkSensitivity(process);
        body.push(...this.stmts(process.stmts));
      }
      this.model.processes.push({
        kind: "always",
        events,
        body: { op: "block", body },
        instance: this.instance,
        loc: process.headLoc,
        eventLoc: process.headLoc,
        name: process.label ?? firstTarget(body) ?? process.name,
      });
    } finally {
      this.scope = outer;
    }
  }

  /** Signals that a combinational process reads but does not listen to: the simulation would lag behind the circuit. */
  private checkSensitivity(process: BoundProcess): void {
    if (process.sensitivity === "all" || process.sensitivity === null) return;
    const emitter = this.owner.emitter(this.scope.frame);
    const leaves = (exprs: readonly Expr[]): Set<Sig> => {
      const set = new Set<Sig>();
      for (const expr of exprs) {
        const ref = emitter.refOf(expr);
        if (!ref?.tree) continue;
        for (const leaf of leavesOf(ref.tree)) set.add(leaf);
      }
      return set;
    };
    const heard = leaves(process.sensitivity);
    const told = new Set<string>();
    for (const expr of emitter.readsOfStmts(process.stmts)) {
      const ref = emitter.refOf(expr);
      if (!ref?.tree) continue;
      if (leavesOf(ref.tree).every((leaf) => heard.has(leaf))) continue;
      const name = rootName(expr);
      if (told.has(name)) continue;
      told.add(name);
      // what the process itself computes on the way is no input of it
      if (assigns(process.stmts, name)) continue;
      this.owner.report.warn(
        "vhdl/sensitivity",
        expr.loc,
        `'${name}' is read, but is not in the sensitivity list: the process does not run when it changes.`,
        `Add '${name}' to the list, or write process (all).`,
      );
    }
  }

  private declareLocal(decl: BoundDecl, isClocked: boolean, stmts: readonly Stmt[]): void {
    const { frame } = this.scope;
    if (decl.kind === "sub") frame.subs.add(decl);
    if (decl.kind === "alias") frame.places.set(decl, { k: "alias", frame });
    if (decl.kind === "constant" && decl.init) {
      const shape = this.shape(decl.subtype, decl.loc);
      const made = this.owner.evaluate(decl.init, shape, frame);
      frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
    }
    if (decl.kind !== "variable") return;
    const shape = this.shape(decl.subtype, decl.loc);
    const width = widthOf(shape);
    if (width === null) this.refuse(decl.loc, `A variable of type ${shapeText(shape)}`);
    if (width === 0) return;
    // a variable that is given a value before it is looked at keeps nothing from one turn to the next
    const keeps = isClocked ? !isSetFirst(stmts, decl) : !isSetFirst(stmts, decl);
    const signal = keeps
      ? this.makeSignal(decl.name, width, decl.loc, "variable", shape)
      : this.local(decl.name, shape, decl.loc);
    if (keeps && decl.init) signal.init = fourStateOf(this.owner.evaluate(decl.init, shape, frame).v, shape);
    this.bindSignal(decl, signal, shape);
  }
  protected override bindSignal(decl: Decl, signal: Signal, shape: Shape): void {
    this.scope.homes.set(decl, { k: "signal", signal, shape });
    // for its bounds
    this.scope.frame.places.set(decl, { k: "var", js: "0", shape });
  }

  /** `if rising_edge(clk)`, with an asynchronous branch before it, or a wait for the edge. */
  private clockedForm(process: BoundProcess): { events: EventModel[]; body: () => readonly Stmt[] } | null {
    const stmts = process.stmts.filter((stmt) => !isPassive(stmt));
    const [first] = stmts;
    if (!first) return null;
    if (first.op === "wait" && process.sensitivity === null) {
      const edge = first.until && !first.delay ? this.edgeOf(first.until) : null;
      if (!edge || stmts.slice(1).some((stmt) => containsWait(stmt))) return null;
      const rest = stmts.slice(1);
      return {
        events: [edge.event],
        body: () => (edge.also ? [{ op: "if", test: edge.also, yes: rest, no: null, loc: first.loc }] : rest),
      };
    }
    const parts: { edge: EventModel; body: readonly Stmt[]; loc: Loc }[] = [];
    let reset: { test: Expr; yes: readonly Stmt[]; loc: Loc } | null = null;
    for (const stmt of stmts) {
      if (stmt.op !== "if") return null;
      let at: Stmt & { op: "if" } = stmt;
      let edge = this.edgeOf(at.test);
      if (!edge && stmts.length === 1) {
        const [next] = at.no ?? [];
        if (at.no?.length === 1 && next.op === "if") {
          reset = { test: at.test, yes: at.yes, loc: at.loc };
          at = next;
          edge = this.edgeOf(at.test);
        }
      }
      if (!edge) return null;
      if (at.no) {
        this.error(
          "clocked-else",
          at.loc,
          "An 'else' of a clock's edge makes no circuit: a register has one clock.",
          "Take the 'else' out, or put it before the edge as a reset.",
        );
        throw new NoCircuit();
      }
      const inner: readonly Stmt[] = edge.also
        ? [{ op: "if", test: edge.also, yes: at.yes, no: null, loc: at.loc }]
        : at.yes;
      parts.push({ edge: edge.event, body: inner, loc: at.loc });
    }
    const key = (event: EventModel) =>
      `${event.edge}${event.expr.op === "signal" ? event.expr.signal.id : event.expr.op === "slice" ? `${event.expr.lsb}:${event.expr.arg.op === "signal" ? event.expr.arg.signal.id : ""}` : ""}`;
    if (parts.some((part) => key(part.edge) !== key(parts[0].edge))) {
      this.error(
        "several-clocks",
        parts[1].loc,
        "Two clocks, or both edges of one, in one process make no circuit.",
        "Write a process for each clock.",
      );
      throw new NoCircuit();
    }
    const events = [parts[0].edge];
    const body = parts.flatMap((part) => part.body);
    if (!reset) return { events, body: () => body };
    const { test, yes, loc } = reset;
    const value = this.condition(test);
    const signals = signalsIn(value);
    if (signals.size !== 1) {
      this.error(
        "async-form",
        loc,
        "An asynchronous reset is one signal that is compared with one value.",
        "Make one reset signal of the conditions, outside of this process.",
      );
      throw new NoCircuit();
    }
    const [[, source]] = signals;
    const active = this.activeLevel(value, source);
    if (active === null) {
      this.error(
        "async-form",
        loc,
        "An asynchronous reset is a single bit that is compared with one value.",
        "Write if reset = '1' then ... elsif rising_edge(clk) then ...",
      );
      throw new NoCircuit();
    }
    events.push({ edge: active ? "pos" : "neg", expr: source, guard: null, loc });
    return { events, body: () => [{ op: "if", test, yes, no: body, loc }] };
  }

  /** 1 or 0: the level at which a condition on one bit is true. */
  private activeLevel(value: ModelExpr, source: ModelExpr): 0 | 1 | null {
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
  private edgeOf(test: Expr): { event: EventModel; also: Expr | null } | null {
    if (!containsEdge(test) && !someOperand(test, (e) => e.op === "attribute" && e.name === "stable")) return null;
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
      const levelOf = (e: Expr, signal: Expr): number | null => {
        if (e.op !== "builtin" || e.name !== "=") {
          if (e.op !== "call" || e.sub.name !== '"="') return null;
        }
        const [x, y] = e.args;
        if (!x || !y) return null;
        const [name, value] = y.op === "literal" ? [x, y] : [y, x];
        if (value.op !== "literal" || rootName(name) !== rootName(signal)) return null;
        const type = value.type.kind === "enum" ? value.type : null;
        return type?.literals[value.value]?.name === "'1'" ? 1 : type?.literals[value.value]?.name === "'0'" ? 0 : null;
      };
      for (const [x, y] of [
        [l, r],
        [r, l],
      ]) {
        const signal = eventOf(x);
        if (!signal) continue;
        const level = levelOf(y, signal);
        if (level !== null)
          return {
            event: { edge: level ? "pos" : "neg", expr: this.clockExpr(signal), guard: null, loc: test.loc },
            also: null,
          };
      }
      for (const [x, y] of [
        [l, r],
        [r, l],
      ]) {
        const edge = this.edgeOf(x);
        if (!edge) continue;
        const also: Expr = edge.also
          ? { op: "builtin", name: "and", args: [edge.also, y], type: test.type, loc: test.loc }
          : y;
        return { event: edge.event, also };
      }
    }
    // wait until clk = '1' is the edge to it
    return null;
  }
  private clockExpr(e: Expr): ModelExpr {
    const val = this.expr(e);
    return val.e;
  }
}
