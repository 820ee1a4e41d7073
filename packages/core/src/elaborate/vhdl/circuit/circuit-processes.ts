import type { EventModel, Expr as ModelExpr, Stmt as ModelStmt, Process, Signal } from "../../model.ts";
import type { BoundProcess, Expr, Stmt, VariableDecl } from "../bound.ts";
import type { VhdlInstance } from "../instances/instance.ts";
import type { Frame } from "../values/frames.ts";
import { shapeText } from "../values/shapes.ts";
import { leavesOf, type Sig } from "../values/signals.ts";
import type { CircuitWriter } from "./circuit.ts";
import { NoCircuit, Scope } from "./circuit-base.ts";
import type { Clocked, Reset } from "./circuit-clocks.ts";
import { widthOf } from "./circuit-expr.ts";
import { rootName, signalsIn } from "./circuit-pieces.ts";
import { assignedBy, assigns, findEdge, firstTarget, isPassive, readBy } from "./circuit-scan.ts";

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

/** Processes as registers and logic. */
export class CircuitProcesses {
  constructor(private readonly host: CircuitWriter) {}

  behave(instance: VhdlInstance): void {
    this.host.at(instance, () => {
      for (const { process, frame } of this.host.owner.processesOf(instance)) {
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
    const outer = this.host.scope;
    this.host.scope = new Scope(outer, frame);
    this.host.stmts.begin();
    try {
      const clocked = this.host.clocks.clockedForm(process);
      if (clocked) {
        this.clocked(process, clocked);
        return;
      }
      if (process.sensitivity === null)
        this.host.refuse(process.headLoc, `Process '${process.name}', which waits inside,`);
      const edge = findEdge(process.stmts);
      if (edge)
        this.host.refuse(
          edge,
          "An edge in this place",
          "Write 'if rising_edge(clk) then' around all that the clock does, with the asynchronous reset before it as the only other branch.",
        );
      const own = this.declareProcess(process, () => true);
      this.checkSensitivity(process, this.host.owner.emitter(frame).waiting.readsOfStmts(process.stmts));
      const body = this.host.assigns.within(() => this.host.stmts.stmts(process.stmts));
      this.add(process, "star", { op: "block", body }, own);
    } finally {
      this.host.scope = outer;
      this.host.stmts.muted = false;
    }
  }

  private add(
    process: BoundProcess,
    events: Process["events"],
    body: ModelStmt,
    own: readonly Signal[],
    more: Partial<Process> = {},
  ): void {
    this.host.model.processes.push({
      kind: "always",
      events,
      body,
      instance: this.host.instance,
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
        this.host.refuse(
          decl.loc,
          `Variable '${decl.name}', which is assigned outside of the clock's edge and read at it,`,
          "Assign it at the edge, or use a signal.",
        );
    // registers that what stands around looks at are no process's own
    const shared = new Set([...kept].filter((decl) => readAround.has(decl) && !passing.has(decl)));
    const own = this.declareProcess(process, (decl) => !shared.has(decl));
    if (reset)
      this.checkSensitivity(process, this.host.owner.emitter(this.host.scope.frame).waiting.readsOf(reset.test));
    const events = [event];
    const sequence = (): ModelStmt[] => {
      this.host.stmts.begin();
      const made = this.host.assigns.within(() => {
        for (const step of steps.slice(0, lastEdge + 1)) {
          this.host.stmts.muted = !step.atEdge;
          this.host.stmts.stmts(step.stmts);
        }
      });
      this.host.stmts.muted = false;
      return made;
    };
    let body: ModelStmt;
    if (reset) {
      const test = this.resetTest(reset, events);
      this.host.stmts.begin();
      const yes = this.host.assigns.within(() => this.host.stmts.stmts(reset.yes));
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
    this.checkSensitivity(process, this.host.owner.emitter(this.host.scope.frame).waiting.readsOfStmts(around));
    this.host.scope = new Scope(this.host.scope, this.host.scope.frame);
    this.host.stmts.begin();
    const passingOwn = this.declareVariables(
      process.decls.filter((decl) => decl.kind === "variable" && passing.has(decl)) as VariableDecl[],
      () => true,
    );
    this.host.stmts.begin();
    const logic = this.host.assigns.within(() => this.host.stmts.stmts(around));
    this.add(process, "star", { op: "block", body: logic }, passingOwn, {
      name: firstTarget(logic) ?? process.name,
    });
  }

  private resetTest({ test, loc }: Reset, events: EventModel[]): ModelExpr {
    const made: ModelExpr[] = [];
    const before = this.host.assigns.within(() => made.push(this.host.values.condition(test)));
    const [value] = made;
    const signals = signalsIn(value);
    if (signals.size !== 1 || before.length) {
      this.host.error(
        "async-form",
        loc,
        "An asynchronous reset is one signal that is compared with one value.",
        "Make one reset signal of the conditions, outside of this process.",
      );
      throw new NoCircuit();
    }
    const [[, source]] = signals;
    const active = this.host.clocks.activeLevel(value, source);
    if (active === null) {
      this.host.error(
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
    const emitter = this.host.owner.emitter(this.host.scope.frame);
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
      this.host.owner.report.warn(
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
    this.host.subprograms.declareAll(process.decls, (decl) => own.push(...this.declareVariables([decl], isOwn)));
    return own;
  }
  private declareVariables(decls: readonly VariableDecl[], isOwn: (decl: VariableDecl) => boolean): Signal[] {
    const own: Signal[] = [];
    for (const decl of decls) {
      const shape = this.host.known.shape(decl.subtype, decl.loc, true);
      const made = decl.init
        ? this.host.owner.values.evaluate(
            decl.init,
            shape.k === "a" && shape.dims === null ? null : shape,
            this.host.scope.frame,
          )
        : this.host.owner.values.defaultOf(shape, this.host.scope.frame, decl.loc);
      const fixed = shape.k === "a" && shape.dims === null ? made.shape : shape;
      const width = widthOf(fixed);
      if (width === null) this.host.refuse(decl.loc, `A variable of type ${shapeText(fixed)}`);
      if (width === 0) {
        this.host.scope.frame.places.set(decl, { k: "const", v: made.v, shape: fixed });
        continue;
      }
      const signal = this.host.makeSignal(decl.name, width, decl.loc, "variable", fixed);
      this.host.places.startWith(signal, made.v, fixed);
      this.host.subprograms.bind(decl, signal, fixed);
      if (isOwn(decl)) own.push(signal);
    }
    return own;
  }
}
