import type { Loc } from "../../../common/source.ts";
import type { EventModel, Expr as ModelExpr, Stmt as ModelStmt, Process, Signal } from "../../model.ts";
import type { BoundProcess, Decl, Expr, Stmt, VariableDecl } from "../bound.ts";
import type { VhdlInstance } from "../instances/instance.ts";
import type { Frame } from "../values/frames.ts";
import { shapeText } from "../values/shapes.ts";
import { leavesOf, type Sig } from "../values/signals.ts";
import { NoCircuit, Scope } from "./circuit-base.ts";
import { widthOf } from "./circuit-expr.ts";
import { rootName, sameExpr, signalsIn } from "./circuit-pieces.ts";
import {
  assignedBy,
  assigns,
  containsEdge,
  containsWait,
  findEdge,
  firstTarget,
  isPassive,
  readBy,
} from "./circuit-scan.ts";
import { CircuitStmt } from "./circuit-stmt.ts";

/** An edge of a clock, and what else the condition asks that holds it. */
interface Edge {
  readonly event: EventModel;
  readonly also: Expr | null;
}
interface Reset {
  readonly test: Expr;
  readonly yes: readonly Stmt[];
  /** Behind the clock: only what it sets itself stands still while it is on. */
  readonly isLast: boolean;
  readonly loc: Loc;
}
/** A process that a clock runs. */
interface Clocked {
  readonly event: EventModel;
  readonly reset: Reset | null;
  /** In the order of the text: what the clock does, and what stands around that. */
  readonly steps: { readonly stmts: readonly Stmt[]; readonly atEdge: boolean }[];
}

/**
 * Instances of VHDL as the elaborated model that both languages share, for synthesis: a signal for each declared one,
 * a process for each process.
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
    this.begin();
    try {
      const clocked = this.clockedForm(process);
      if (clocked) {
        this.clocked(process, clocked);
        return;
      }
      if (process.sensitivity === null) this.refuse(process.headLoc, `Process '${process.name}', which waits inside,`);
      const edge = findEdge(process.stmts);
      if (edge)
        this.refuse(
          edge,
          "An edge in this place",
          "Write 'if rising_edge(clk) then' around all that the clock does, with the asynchronous reset before it as the only other branch.",
        );
      const own = this.declareProcess(process, () => true);
      this.checkSensitivity(process, this.owner.emitter(frame).waiting.readsOfStmts(process.stmts));
      const body = this.within(() => this.stmts(process.stmts));
      this.add(process, "star", { op: "block", body }, own);
    } finally {
      this.scope = outer;
      this.muted = false;
    }
  }

  private add(
    process: BoundProcess,
    events: Process["events"],
    body: ModelStmt,
    own: readonly Signal[],
    more: Partial<Process> = {},
  ): void {
    this.model.processes.push({
      kind: "always",
      events,
      body,
      instance: this.instance,
      loc: process.headLoc,
      eventLoc: process.headLoc,
      name: process.label ?? firstTarget([body]) ?? process.name,
      ...(own.length ? { own } : {}),
      ...more,
    });
  }

  /** What the clock does becomes registers; what stands around it is logic of what they hold. */
  private clocked(process: BoundProcess, form: Clocked): void {
    const { event, reset, steps } = form;
    const atEdge = steps.flatMap((step) => (step.atEdge ? step.stmts : []));
    const around = steps.flatMap((step) => (step.atEdge ? [] : step.stmts));
    const kept = assignedBy([...atEdge, ...(reset?.yes ?? [])]);
    const passing = assignedBy(around);
    const lastEdge = steps.findLastIndex((step) => step.atEdge);
    const later = assignedBy(steps.slice(lastEdge + 1).flatMap((step) => step.stmts));
    const readAtEdge = readBy(atEdge);
    const readAround = readBy(around);
    for (const decl of later)
      if (decl.kind === "variable" && decl.role === "variable" && readAtEdge.has(decl) && !kept.has(decl))
        this.refuse(
          decl.loc,
          `Variable '${decl.name}', which is assigned outside of the clock's edge and read at it,`,
          "Assign it at the edge, or use a signal.",
        );
    // registers that what stands around looks at are no process's own
    const shared = new Set([...kept].filter((decl) => readAround.has(decl) && !passing.has(decl)));
    const own = this.declareProcess(process, (decl) => !shared.has(decl));
    if (reset) this.checkSensitivity(process, this.owner.emitter(this.scope.frame).waiting.readsOf(reset.test));
    const events = [event];
    const sequence = (): ModelStmt[] => {
      this.begin();
      const made = this.within(() => {
        for (const step of steps.slice(0, lastEdge + 1)) {
          this.muted = !step.atEdge;
          this.stmts(step.stmts);
        }
      });
      this.muted = false;
      return made;
    };
    let body: ModelStmt;
    if (reset) {
      const test = this.resetTest(reset, events);
      this.begin();
      const yes = this.within(() => this.stmts(reset.yes));
      body = {
        op: "if",
        test,
        yes: { op: "block", body: yes },
        no: { op: "block", body: sequence() },
        loc: reset.loc,
      };
    } else body = { op: "block", body: sequence() };
    this.add(process, events, body, own, reset?.isLast ? { resetLast: true } : {});
    if (around.every(isPassive) || !around.some((stmt) => drivesSignals(stmt))) return;
    this.checkSensitivity(process, this.owner.emitter(this.scope.frame).waiting.readsOfStmts(around));
    this.scope = new Scope(this.scope, this.scope.frame);
    this.begin();
    const passingOwn = this.declareVariables(
      process.decls.filter((decl) => decl.kind === "variable" && passing.has(decl)) as VariableDecl[],
      () => true,
    );
    this.begin();
    const logic = this.within(() => this.stmts(around));
    this.add(process, "star", { op: "block", body: logic }, passingOwn, {
      name: firstTarget(logic) ?? process.name,
    });
  }

  private resetTest({ test, loc }: Reset, events: EventModel[]): ModelExpr {
    const made: ModelExpr[] = [];
    const before = this.within(() => made.push(this.condition(test)));
    const [value] = made;
    const signals = signalsIn(value);
    if (signals.size !== 1 || before.length) {
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
    return value;
  }

  /** Signals that a combinational process reads but does not listen to: the simulation would lag behind the circuit. */
  private checkSensitivity(process: BoundProcess, reads: readonly Expr[]): void {
    const { sensitivity, concurrent } = process;
    if (sensitivity === null || (sensitivity === "all" && !concurrent)) return;
    const emitter = this.owner.emitter(this.scope.frame);
    const leaves = (exprs: readonly Expr[]): Set<Sig> => {
      const set = new Set<Sig>();
      for (const expr of exprs) {
        const ref = emitter.elements.refOf(expr);
        if (!ref?.tree) continue;
        for (const leaf of leavesOf(ref.tree)) set.add(leaf);
      }
      return set;
    };
    const heard = leaves(sensitivity === "all" ? emitter.waiting.readsOfStmts(process.stmts, [], null) : sensitivity);
    const told = new Set<string>();
    for (const expr of reads) {
      const ref = emitter.elements.refOf(expr);
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
        concurrent
          ? `'${name}' is read by a subprogram: this assignment does not hear when it changes.`
          : `'${name}' is read, but is not in the sensitivity list: the process does not run when it changes.`,
        concurrent ? "Write a process (all)." : `Add '${name}' to the list, or write process (all).`,
      );
    }
  }

  /** What a process declares. @returns Its own variables: nothing else reads or assigns them. */
  private declareProcess(process: BoundProcess, isOwn: (decl: VariableDecl) => boolean): Signal[] {
    const own: Signal[] = [];
    this.declareAll(process.decls, (decl) => own.push(...this.declareVariables([decl], isOwn)));
    return own;
  }
  private declareVariables(decls: readonly VariableDecl[], isOwn: (decl: VariableDecl) => boolean): Signal[] {
    const own: Signal[] = [];
    for (const decl of decls) {
      const shape = this.shape(decl.subtype, decl.loc, true);
      const made = decl.init
        ? this.owner.values.evaluate(decl.init, shape.k === "a" && shape.dims === null ? null : shape, this.scope.frame)
        : this.owner.values.defaultOf(shape, this.scope.frame, decl.loc);
      const fixed = shape.k === "a" && shape.dims === null ? made.shape : shape;
      const width = widthOf(fixed);
      if (width === null) this.refuse(decl.loc, `A variable of type ${shapeText(fixed)}`);
      if (width === 0) {
        this.scope.frame.places.set(decl, { k: "const", v: made.v, shape: fixed });
        continue;
      }
      const signal = this.makeSignal(decl.name, width, decl.loc, "variable", fixed);
      this.startWith(signal, made.v, fixed);
      this.bind(decl, signal, fixed);
      if (isOwn(decl)) own.push(signal);
    }
    return own;
  }

  // ---- clocks -----------------------------------------------------------------------------------------------------

  private clockedForm(process: BoundProcess): Clocked | null {
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
        if (reset || edges.length) this.refuse(stmt.loc, "A second clocked branch with an asynchronous reset");
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
      this.error(
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
      this.refuse(
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
      this.error(
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
    const clocked = drivenBy(steps.flatMap((step) => (step.atEdge ? step.stmts : [])));
    const driven = [...drivenBy(stmt.yes)];
    if (!driven.some((decl) => clocked.has(decl))) return null;
    if (!driven.every((decl) => clocked.has(decl)))
      this.refuse(stmt.loc, "A branch that sets registers and other signals outside of the clock's edge");
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
  private edgeOf(test: Expr): Edge | null {
    const guard = test.op === "object" ? this.guards.get(test.decl) : undefined;
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
    const val = this.expr(e);
    return val.e;
  }
}

function drivesSignals(stmt: Stmt): boolean {
  switch (stmt.op) {
    case "signal":
    case "call":
      return true;
    case "if":
      return stmt.yes.some(drivesSignals) || (stmt.no?.some(drivesSignals) ?? false);
    case "case":
      return stmt.branches.some((branch) => branch.body.some(drivesSignals));
    case "for":
    case "while":
    case "block":
      return stmt.body.some(drivesSignals);
    default:
      return false;
  }
}
/** Signals and variables that statements assign. */
function drivenBy(stmts: readonly Stmt[]): Set<Decl> {
  return assignedBy(stmts, true);
}
