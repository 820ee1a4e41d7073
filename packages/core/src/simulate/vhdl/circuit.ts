import type { Loc } from "../../common/source.ts";
import type {
  DesignModel,
  EventModel,
  Instance,
  Expr as ModelExpr,
  Stmt as ModelStmt,
  Process,
  Signal,
  Subroutine,
  Target,
  TargetPart,
} from "../../elaborate/model.ts";
import { vectorType } from "../../elaborate/types.ts";
import type {
  AggregateElement,
  BoundDecl,
  BoundProcess,
  Decl,
  Expr,
  ParamDecl,
  Stmt,
  Subprogram,
} from "../../elaborate/vhdl/bound.ts";
import type { BoundRange, VType } from "../../elaborate/vhdl/types.ts";
import {
  binary,
  choose,
  concat,
  constant,
  extend,
  fourStateOf,
  integerLimits,
  integerWidth,
  isUnknown,
  not,
  number,
  read,
  slice,
  widthOf,
} from "./circuit-expr.ts";
import type { Elaborator, VhdlInstance } from "./elaborator.ts";
import { leavesOf, type Sig, type SigTree } from "./engine.ts";
import { Frame } from "./frames.ts";
import { type ArrayShape, type Bounds, highOf, lowOf, rightOf, type Shape, shapeKey, shapeText } from "./shapes.ts";
import { Arr } from "./values.ts";

/** A value in a circuit: bits, with what they mean. Whole numbers bring their limits. */
interface Val {
  readonly e: ModelExpr;
  readonly shape: Shape;
  readonly lo?: number;
  readonly hi?: number;
  /** Known before the circuit is: for indexes and bounds. */
  readonly cv?: number;
}
/** A stretch of a signal that statements assign. */
interface Place {
  readonly signal: Signal;
  readonly offset: number | ModelExpr;
  readonly shape: Shape;
}
/** Where the value of a declaration is, within one process or subprogram. */
type Home =
  | { readonly k: "signal"; readonly signal: Signal; readonly shape: Shape }
  | { readonly k: "tree"; readonly tree: SigTree; readonly shape: Shape }
  | { readonly k: "place"; readonly place: Place; readonly deferred: boolean };

class Scope {
  readonly homes = new Map<Decl, Home>();
  constructor(
    readonly parent: Scope | null,
    readonly frame: Frame,
  ) {}
  find(decl: Decl): Home | null {
    for (let scope: Scope | null = this; scope; scope = scope.parent) {
      const home = scope.homes.get(decl);
      if (home) return home;
    }
    return null;
  }
}

/** Thrown where something makes no circuit; the finding has been told. */
class NoCircuit extends Error {}

const mostTurns = 65536;

/**
 * Instances of VHDL as the elaborated model that both languages share, for synthesis: a signal for each declared one,
 * a process for each process. Loops are unrolled, subprograms are written for the lengths and constants of each call.
 */
export class CircuitWriter {
  private readonly leaves = new Map<Sig, { readonly signal: Signal; readonly offset: number }>();
  private readonly subroutines = new Map<Subprogram, Map<string, Subroutine>>();
  private scope: Scope;
  private instance: Instance;
  private temps = 0;
  private depth = 0;
  private current: { readonly sub: Subroutine; readonly shape: Shape | null } | null = null;
  private prefix = "";

  constructor(
    private readonly owner: Elaborator,
    private readonly model: DesignModel,
    private readonly instances: ReadonlyMap<VhdlInstance, Instance>,
  ) {
    this.scope = new Scope(null, owner.program.root);
    this.instance = model.top;
  }

  private get world() {
    return this.owner.world;
  }
  private error(code: string, loc: Loc, message: string, remedy: string): void {
    this.owner.report.error(`vhdl/${code}`, loc, message, remedy);
  }
  /** @throws NoCircuit always. */
  private refuse(
    loc: Loc,
    what: string,
    remedy = "Keep it in a test bench, or write it with clocked registers.",
  ): never {
    this.error("not-synthesizable", loc, `${what} makes no circuit.`, remedy);
    throw new NoCircuit();
  }

  // ---- signals --------------------------------------------------------------------------------------------------

  private makeSignal(
    name: string,
    width: number,
    loc: Loc,
    kind: Signal["kind"],
    shape: Shape | null,
    /** Another name of what is declared elsewhere. */
    implicit = false,
  ): Signal {
    const b = shape?.k === "a" && shape.pack && shape.dims ? shape.dims[0] : null;
    const range = b ? { left: b.l, right: rightOf(b) } : { left: width - 1, right: 0 };
    const isSigned = shape?.k === "s" && shape.type.kind === "int" && integerLimits(shape)[0] < 0;
    const base = vectorType(width, isSigned);
    const type = { ...base, dims: width === 1 && !b ? [] : [range], name: shape ? shapeText(shape) : null };
    const signal: Signal = {
      id: this.model.signals.length,
      name: this.prefix + name,
      plainName: name,
      instance: this.instance,
      type,
      width,
      signed: isSigned,
      fourState: true,
      msb: range.left,
      lsb: range.right,
      dims: [],
      kind,
      net: kind === "net" ? "wire" : null,
      direction: null,
      automatic: kind === "local",
      loc,
      init: null,
      implicit,
      isConst: false,
    };
    this.model.signals.push(signal);
    return signal;
  }
  private local(name: string, shape: Shape, loc: Loc): Signal {
    const width = widthOf(shape);
    if (width === null) this.refuse(loc, `A value of type ${shapeText(shape)}`);
    return this.makeSignal(`${name}$${this.temps++}`, width, loc, "local", shape);
  }

  /** All entities below these. `outer` is the module's instance that an entity stands for. */
  write(tops: readonly { readonly top: VhdlInstance; readonly outer: Instance | null }[]): void {
    for (const link of this.owner.portLinks) for (const leaf of leavesOf(link.tree)) this.linked.add(leaf);
    for (const { top, outer } of tops) {
      this.outer = outer;
      this.declare(top);
    }
    this.outer = null;
    this.connect();
    for (const { top } of tops) this.behave(top);
  }
  private outer: Instance | null = null;

  /** A value for the border, in the port's width; null after a finding. */
  value(expr: Expr, frame: Frame, owner: VhdlInstance, width: number): ModelExpr | null {
    try {
      return this.at(owner, () => {
        this.scope = new Scope(null, frame);
        const { e } = this.expr(expr);
        return extendTo(e, width, e.signed);
      });
    } catch (error) {
      if (!(error instanceof NoCircuit)) throw error;
      return null;
    }
  }
  /** Signals take what a module's output gives. */
  drive(tree: SigTree, lo: number | null, shape: Shape, value: ModelExpr, owner: VhdlInstance, loc: Loc): void {
    const parts: TargetPart[] = [];
    if (lo !== null && !Array.isArray(tree)) {
      const at = this.leafAt(tree);
      if (at) parts.push({ signal: at.signal, width: value.width, index: [], offset: at.offset + lo, loc });
    } else
      this.eachLeaf(tree, shape, (leaf, leafShape) => {
        const at = this.leafAt(leaf);
        if (at) parts.push({ signal: at.signal, width: widthOf(leafShape) ?? 0, index: [], offset: at.offset, loc });
      });
    const width = parts.reduce((sum, each) => sum + each.width, 0);
    if (parts.length)
      this.model.assigns.push({
        target: { parts, width, loc },
        value: extendTo(value, width, false),
        delay: null,
        strength: null,
        instance: this.instances.get(owner) ?? this.model.top,
        loc,
      });
  }

  private at<T>(instance: VhdlInstance, run: () => T): T {
    const outer = { instance: this.instance, prefix: this.prefix, scope: this.scope };
    this.instance = this.instances.get(instance)!;
    const inner = instance.path.slice(1).join(".");
    this.prefix = inner ? `${inner}.` : "";
    this.scope = new Scope(null, instance.frame);
    try {
      return run();
    } finally {
      this.instance = outer.instance;
      this.prefix = outer.prefix;
      this.scope = outer.scope;
    }
  }

  private declare(instance: VhdlInstance): void {
    this.at(instance, () => {
      for (const { decl, tree, shape } of instance.signals) {
        const width = widthOf(shape);
        const own = leavesOf(tree);
        const isPort = decl.mode !== null && decl.role === "port";
        if (width === null || width === 0) {
          if (width === null && instance.parent === null && isPort)
            this.error(
              "port-type",
              decl.loc,
              `Port '${decl.name}' of type ${shapeText(shape)} has no bits.`,
              "Use std_logic, vectors, or whole numbers with a range.",
            );
          continue;
        }
        // a port that is connected as a whole has the signals of what it is connected to
        const isShared = own.some((leaf) => this.leaves.has(leaf) || this.owner.originOf(leaf) !== null);
        const stands =
          isPort && instance.parent === null && this.outer
            ? this.outer.ports.find((each) => each.plainName === decl.name)
            : undefined;
        const signal =
          stands ??
          this.makeSignal(
            decl.name,
            width,
            decl.loc,
            isPort && decl.mode === "in" ? "net" : "variable",
            shape,
            isShared,
          );
        const isTop = instance.parent === null && !this.outer;
        if (isPort && !stands && (isTop || !isShared)) {
          signal.direction = decl.mode === "in" ? "input" : decl.mode === "inout" ? "inout" : "output";
          if (isTop) this.instance.ports.push(signal);
        }
        if (isShared) {
          this.views.push({ signal, tree, loc: decl.loc, instance: this.instance });
          // registers behind an output begin with the port's default
          if (decl.init && decl.mode !== "in") this.beginWith(tree, shape, instance);
          continue;
        }
        let offset = width;
        const values: [unknown, Shape][] = [];
        this.eachLeaf(tree, shape, (leaf, leafShape) => {
          const size = widthOf(leafShape) ?? 0;
          offset -= size;
          this.leaves.set(leaf, { signal, offset });
          values.push([leaf.v, leafShape]);
        });
        const isOpenInput =
          signal.direction === "input" && !isTop && !stands && !own.some((leaf) => this.linked.has(leaf));
        if (isOpenInput) {
          const value = joined(
            values.map(([v, each]) => constant(fourStateOf(v, each), widthOf(each) ?? 0, decl.loc)),
            decl.loc,
          );
          this.model.assigns.push({
            target: whole(signal, decl.loc),
            value,
            delay: null,
            strength: null,
            instance: this.instance,
            loc: decl.loc,
          });
        }
        if (signal.direction !== "input" && decl.init && !values.every(([v]) => isUnknown(v))) {
          let a = 0n;
          let b = 0n;
          for (const [v, each] of values) {
            const size = BigInt(widthOf(each) ?? 0);
            const value = fourStateOf(v, each);
            a = (a << size) | value.a;
            b = (b << size) | value.b;
          }
          signal.init = { a, b };
        }
      }
      for (const child of instance.children) this.declare(child);
    });
  }
  private beginWith(tree: SigTree, shape: Shape, instance: VhdlInstance): void {
    this.eachLeaf(tree, shape, (leaf, leafShape) => {
      const v = instance.frame.driverInit?.get(leaf);
      const at = this.leafAt(leaf);
      const width = widthOf(leafShape) ?? 0;
      if (v === undefined || !at || isUnknown(v)) return;
      const own = fourStateOf(v, leafShape);
      const ones = (1n << BigInt(at.signal.width)) - 1n;
      const old = at.signal.init ?? { a: ones, b: ones };
      const mask = ((1n << BigInt(width)) - 1n) << BigInt(at.offset);
      at.signal.init = {
        a: (old.a & ~mask) | (own.a << BigInt(at.offset)),
        b: (old.b & ~mask) | (own.b << BigInt(at.offset)),
      };
    });
  }
  /** Signals of ports that a computed connection drives. */
  private readonly linked = new Set<Sig>();
  /** Ports that show signals of others under names of their own. */
  private readonly views: {
    readonly signal: Signal;
    readonly tree: SigTree;
    readonly loc: Loc;
    readonly instance: Instance;
  }[] = [];

  private eachLeaf(tree: SigTree, shape: Shape, run: (leaf: Sig, shape: Shape) => void): void {
    if (!Array.isArray(tree)) {
      run(tree, shape);
      return;
    }
    if (shape.k === "r") shape.fields.forEach((field, i) => this.eachLeaf(tree[i], field, run));
    else if (shape.k === "a") {
      const rest = shape.dims && shape.dims.length > 1 ? shape.dims.slice(1) : null;
      for (const each of tree) this.eachLeaf(each, rest ? { ...shape, dims: rest } : shape.elem, run);
    }
  }

  /** Model signal and offset of a leaf; a part of another is looked up there. */
  private leafAt(leaf: Sig): { signal: Signal; offset: number } | null {
    const own = this.leaves.get(leaf);
    if (own) return own;
    const origin = this.owner.originOf(leaf);
    if (!origin) return null;
    const of = this.leafAt(origin.of);
    return of && { signal: of.signal, offset: of.offset + origin.lo };
  }

  private treeExpr(tree: SigTree, shape: Shape, loc: Loc): ModelExpr {
    const parts: ModelExpr[] = [];
    this.eachLeaf(tree, shape, (leaf, leafShape) => {
      const width = widthOf(leafShape) ?? 0;
      const at = this.leafAt(leaf);
      parts.push(
        at
          ? slice(read(at.signal, loc), at.offset, width)
          : constant({ a: (1n << BigInt(width)) - 1n, b: (1n << BigInt(width)) - 1n }, width, loc),
      );
    });
    return joined(parts, loc);
  }
  /** A stretch of one signal, if the tree is one. */
  private treePlace(tree: SigTree, shape: Shape): Place | null {
    const list = leavesOf(tree);
    const last = this.leafAt(list[list.length - 1]);
    if (!last) return null;
    let expected = last.offset + (widthOf(shape) ?? 0);
    let isOne = true;
    this.eachLeaf(tree, shape, (leaf, leafShape) => {
      const at = this.leafAt(leaf);
      expected -= widthOf(leafShape) ?? 0;
      if (!at || at.signal !== last.signal || at.offset !== expected) isOne = false;
    });
    return isOne ? { signal: last.signal, offset: last.offset, shape } : null;
  }

  private connect(): void {
    for (const { signal, tree, loc, instance } of this.views) {
      const parts: ModelExpr[] = [];
      for (const leaf of leavesOf(tree)) {
        const at = this.leafAt(leaf);
        const width = leaf.kind === "bits" ? leaf.n : at && leavesOf(tree).length > 1 ? null : signal.width;
        if (!at || width === null) break;
        parts.push(slice(read(at.signal, loc), at.offset, width));
      }
      const value = joined(parts, loc);
      if (value.width !== signal.width) continue;
      this.model.assigns.push({ target: whole(signal, loc), value, delay: null, strength: null, instance, loc });
    }
    for (const link of this.owner.portLinks) {
      const instance = this.instances.get(link.instance)!;
      this.instance = instance;
      this.scope = new Scope(null, link.frame);
      try {
        const val = this.fit(this.expr(link.value, link.shape), link.shape, link.value.loc);
        const parts: TargetPart[] = [];
        let rest = val.e.width;
        if (link.part) {
          const at = this.leafAt(link.tree as Sig);
          if (at)
            parts.push({
              signal: at.signal,
              width: rest,
              index: [],
              offset: at.offset + link.part.lo,
              loc: link.value.loc,
            });
        } else
          this.eachLeaf(link.tree, link.shape, (leaf, leafShape) => {
            const width = widthOf(leafShape) ?? 0;
            rest -= width;
            const at = this.leafAt(leaf);
            if (at) parts.push({ signal: at.signal, width, index: [], offset: at.offset, loc: link.value.loc });
          });
        const target: Target = { parts, width: val.e.width, loc: link.value.loc };
        if (parts.length)
          this.model.assigns.push({ target, value: val.e, delay: null, strength: null, instance, loc: link.value.loc });
      } catch (error) {
        if (!(error instanceof NoCircuit)) throw error;
      }
    }
    this.instance = this.model.top;
  }

  // ---- processes ------------------------------------------------------------------------------------------------

  private behave(instance: VhdlInstance): void {
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
  private bindSignal(decl: Decl, signal: Signal, shape: Shape): void {
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
    const signals = new Map<Signal, ModelExpr>();
    collect(value, signals);
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

  // ---- statements -----------------------------------------------------------------------------------------------

  private block(stmts: readonly Stmt[]): ModelStmt {
    return { op: "block", body: this.stmts(stmts) };
  }

  private stmts(list: readonly Stmt[]): ModelStmt[] {
    const made: ModelStmt[] = [];
    for (let i = 0; i < list.length; i++) {
      const stmt = list[i];
      const outer = this.before;
      this.before = [];
      const own = this.stmt(stmt);
      made.push(...this.before, ...own);
      this.before = outer;
      if ((stmt.op === "exit" || stmt.op === "next") && !stmt.test) break;
      // nothing behind it is ever reached, and recursion may end by that
      if (this.alwaysReturns(stmt)) break;
      const jumps = this.jumpsOf(stmt);
      if (jumps.length && i + 1 < list.length) {
        // what follows is done only if the loop was not left
        const marks = jumps.map((signal) => read(signal, stmt.loc));
        const any = marks.reduce((l, r) => binary("or", l, r, 1, false, stmt.loc));
        made.push({ op: "if", test: not(any), yes: this.block(list.slice(i + 1)), no: null, loc: stmt.loc });
        return made;
      }
    }
    return made;
  }
  private alwaysReturns(stmt: Stmt): boolean {
    if (stmt.op === "return") return true;
    const all = (list: readonly Stmt[] | null): boolean => list?.some((each) => this.alwaysReturns(each)) ?? false;
    if (stmt.op !== "if") return false;
    const known = this.knownValue(stmt.test);
    return known === 1 ? all(stmt.yes) : known === 0 ? all(stmt.no) : all(stmt.yes) && all(stmt.no);
  }
  /** Statements that an expression needs before it. */
  private before: ModelStmt[] = [];
  private readonly loops: { readonly label: string; readonly left: Signal; readonly skipped: Signal }[] = [];

  /** Marks that a statement may set: it may leave a loop, or end a turn of it. */
  private jumpsOf(stmt: Stmt): Signal[] {
    const found = new Set<Signal>();
    const walk = (each: Stmt) => {
      switch (each.op) {
        case "exit":
        case "next": {
          const at = this.loops.findIndex((loop) => loop.label === each.label);
          if (at < 0) return;
          found.add(each.op === "exit" ? this.loops[at].left : this.loops[at].skipped);
          // inner loops are left too
          for (const inner of this.loops.slice(at + 1)) found.add(inner.left);
          return;
        }
        case "if":
          each.yes.forEach(walk);
          each.no?.forEach(walk);
          return;
        case "case":
          for (const branch of each.branches) branch.body.forEach(walk);
          return;
        case "for":
        case "while":
        case "block":
          each.body.forEach(walk);
      }
    };
    walk(stmt);
    return [...found];
  }

  private set(signal: Signal, value: ModelExpr, loc: Loc): ModelStmt {
    return { op: "assign", target: whole(signal, loc), value, blocking: true, intra: null, loc };
  }

  private stmt(stmt: Stmt): ModelStmt[] {
    const { loc } = stmt;
    switch (stmt.op) {
      case "null":
      case "assert":
        return [];
      case "block":
        return this.stmts(stmt.body);
      case "assign":
        return this.assign(stmt.target, stmt.value, true, loc);
      case "signal": {
        if (stmt.force) this.refuse(loc, "Forcing a signal");
        const [first] = stmt.waveform.elements;
        if (!first) return [];
        if (!first.value) this.refuse(loc, "A disconnection");
        return this.assign(stmt.target, first.value, false, loc);
      }
      case "if": {
        const known = this.knownValue(stmt.test);
        if (known !== null) return known === 1 ? this.stmts(stmt.yes) : stmt.no ? this.stmts(stmt.no) : [];
        const test = this.condition(stmt.test);
        return [{ op: "if", test, yes: this.block(stmt.yes), no: stmt.no ? this.block(stmt.no) : null, loc }];
      }
      case "case":
        return this.caseStmt(stmt);
      case "for":
        return this.forStmt(stmt);
      case "while":
        return this.whileStmt(stmt);
      case "exit":
      case "next": {
        const at = this.loops.findIndex((loop) => loop.label === stmt.label);
        if (at < 0) return [{ op: stmt.op === "exit" ? "break" : "continue", loc }];
        const one = number(1, 1, loc);
        const marks = [
          stmt.op === "exit" ? this.loops[at].left : this.loops[at].skipped,
          ...this.loops.slice(at + 1).map((loop) => loop.left),
        ];
        const sets = marks.map((signal) => this.set(signal, one, loc));
        if (!stmt.test) return sets;
        return [{ op: "if", test: this.condition(stmt.test), yes: { op: "block", body: sets }, no: null, loc }];
      }
      case "return": {
        const made: ModelStmt[] = [];
        if (stmt.value && this.current?.sub.result && this.current.shape) {
          const val = this.fit(this.expr(stmt.value, this.current.shape), this.current.shape, stmt.value.loc);
          made.push(this.set(this.current.sub.result, val.e, loc));
        }
        return [...made, { op: "return", loc }];
      }
      case "call":
        return this.callStmt(stmt);
      case "wait":
        return this.refuse(
          loc,
          "A wait in this place",
          "A process may wait once, for a clock's edge, as its first statement.",
        );
      case "builtin":
        return this.refuse(loc, `'${stmt.name}'`);
    }
  }

  private assign(target: Expr, value: Expr, blocking: boolean, loc: Loc): ModelStmt[] {
    if (target.op === "aggregate") {
      const val = this.expr(value);
      const held = this.local("value", val.shape, loc);
      const made: ModelStmt[] = [this.set(held, val.e, loc)];
      let at = held.width;
      for (const { value: part } of target.elements) {
        const place = this.place(part);
        const width = widthOf(place.shape) ?? 0;
        at -= width;
        made.push(
          ...this.store(part, { e: slice(read(held, loc), Math.max(0, at), width), shape: place.shape }, blocking, loc),
        );
      }
      return made;
    }
    const shape = this.shapeOfTarget(target);
    const val = this.fit(this.expr(value, shape), shape, value.loc);
    return this.store(target, val, blocking, loc);
  }

  private shapeOfTarget(target: Expr): Shape {
    const chain = this.dynamicIndex(target);
    return chain ? chain.shape : this.place(target).shape;
  }

  /** Writing an element whose index the circuit computes: each element looks whether it is meant. */
  private store(target: Expr, val: Val, blocking: boolean, loc: Loc): ModelStmt[] {
    const chain = this.dynamicIndex(target);
    if (!chain) {
      const place = this.place(target);
      return [this.put(place, val.e, blocking, loc)];
    }
    const { at, bounds, make } = chain;
    const index = this.expr(at);
    const held = this.local(
      "index",
      index.shape.k === "s" && index.shape.type.kind === "int"
        ? { ...index.shape, lo: index.lo ?? 0, hi: index.hi ?? highOf(bounds) }
        : index.shape,
      loc,
    );
    const made: ModelStmt[] = [this.set(held, extend(index.e, held.width, index.e.signed), loc)];
    const low = Math.max(lowOf(bounds), index.lo ?? lowOf(bounds));
    const high = Math.min(highOf(bounds), index.hi ?? highOf(bounds));
    for (let i = low; i <= high; i++) {
      const known: Expr = { op: "literal", value: i, type: at.type, loc: at.loc };
      const test = binary("eq", read(held, loc), number(i, held.width, loc, held.signed), 1, held.signed, loc);
      made.push({
        op: "if",
        test,
        yes: { op: "block", body: this.store(make(known), val, blocking, loc) },
        no: null,
        loc,
      });
    }
    return made;
  }
  private put(place: Place, value: ModelExpr, blocking: boolean, loc: Loc): ModelStmt {
    const part: TargetPart = { signal: place.signal, width: value.width, index: [], offset: place.offset, loc };
    return { op: "assign", target: { parts: [part], width: value.width, loc }, value, blocking, intra: null, loc };
  }

  /** The outermost index of a target that is not known; `make` writes the target with another index. */
  private dynamicIndex(target: Expr): { at: Expr; bounds: Bounds; shape: Shape; make: (index: Expr) => Expr } | null {
    const find = (e: Expr): { at: Expr; bounds: Bounds; make: (index: Expr) => Expr } | null => {
      switch (e.op) {
        case "index": {
          const inner = find(e.of);
          if (inner) return { ...inner, make: (index) => ({ ...e, of: inner.make(index) }) };
          for (let i = 0; i < e.indexes.length; i++) {
            if (this.knownValue(e.indexes[i]) !== null) continue;
            const shape = this.place(e.of).shape;
            if (shape.k !== "a" || !shape.dims) return null;
            return {
              at: e.indexes[i],
              bounds: shape.dims[i],
              make: (index) => ({ ...e, indexes: e.indexes.map((each, k) => (k === i ? index : each)) }),
            };
          }
          return null;
        }
        case "slice":
        case "field": {
          const inner = find(e.of);
          return inner && { ...inner, make: (index) => ({ ...e, of: inner.make(index) }) };
        }
        case "object":
          if (e.decl.kind === "alias") return find(e.decl.of);
          return null;
        default:
          return null;
      }
    };
    const found = find(target);
    if (!found) return null;
    const probe = found.make({ op: "literal", value: lowOf(found.bounds), type: found.at.type, loc: found.at.loc });
    return { ...found, shape: this.shapeOfTarget(probe) };
  }

  /** The stretch of a signal or variable that a name with known indexes means. */
  private place(e: Expr): Place {
    switch (e.op) {
      case "object": {
        const { decl } = e;
        if (decl.kind === "alias") {
          const inner = this.place(decl.of);
          const shape = decl.subtype.ofObject ? inner.shape : this.shape(decl.subtype, decl.loc);
          return {
            ...inner,
            shape:
              shape.k === "a" && inner.shape.k === "a"
                ? { ...shape, dims: shape.dims ?? inner.shape.dims, elem: inner.shape.elem }
                : inner.shape,
          };
        }
        const home = this.home(decl, e.loc);
        if (home.k === "signal") return { signal: home.signal, offset: 0, shape: home.shape };
        if (home.k === "place") return home.place;
        const place = this.treePlace(home.tree, home.shape);
        if (!place)
          this.refuse(
            e.loc,
            `'${decl.name}', whose parts belong to several signals,`,
            "Connect the port to one signal.",
          );
        return place;
      }
      case "field": {
        const of = this.place(e.of);
        if (of.shape.k !== "r") this.refuse(e.loc, "This name");
        let below = 0;
        for (let i = e.field + 1; i < of.shape.fields.length; i++) below += widthOf(of.shape.fields[i]) ?? 0;
        return { signal: of.signal, offset: moved(of.offset, below), shape: of.shape.fields[e.field] };
      }
      case "index": {
        let at = this.place(e.of);
        for (const index of e.indexes) {
          const { shape } = at;
          if (shape.k !== "a" || !shape.dims) this.refuse(e.loc, "This index");
          const [b, ...rest] = shape.dims;
          const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
          const width = widthOf(inner) ?? 0;
          const known = this.knownValue(index);
          if (known === null) this.refuse(index.loc, "An index in this place");
          const k = this.position(known, b, index.loc);
          at = { signal: at.signal, offset: moved(at.offset, (b.n - 1 - k) * width), shape: inner };
        }
        return at;
      }
      case "slice": {
        const of = this.place(e.of);
        const { shape } = of;
        if (shape.k !== "a" || !shape.dims) this.refuse(e.loc, "This slice");
        const cut = this.bounds(e.range);
        const [b] = shape.dims;
        const made: Shape = { ...shape, dims: [cut] };
        if (cut.n === 0) return { signal: of.signal, offset: of.offset, shape: made };
        const k = this.position(cut.l, b, e.loc);
        this.position(rightOf(cut), b, e.loc);
        return {
          signal: of.signal,
          offset: moved(of.offset, (b.n - k - cut.n) * (widthOf(shape.elem) ?? 0)),
          shape: made,
        };
      }
      case "convert":
      case "qualified": {
        const of = this.place(e.arg);
        return of;
      }
      default:
        return this.refuse(e.loc, "This target");
    }
  }
  private position(index: number, b: Bounds, loc: Loc): number {
    const k = b.d ? b.l - index : index - b.l;
    if (k < 0 || k >= b.n) {
      this.error(
        "index",
        loc,
        `Index ${index} is outside of ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
        "Check the index and the array's bounds.",
      );
      throw new NoCircuit();
    }
    return k;
  }

  private caseStmt(stmt: Stmt & { op: "case" }): ModelStmt[] {
    const subject = this.expr(stmt.subject);
    const { shape, e } = subject;
    const items: { labels: ModelExpr[]; body: ModelStmt; loc: Loc }[] = [];
    let fallback: ModelStmt | null = null;
    const bySign = e.signed;
    for (const branch of stmt.branches) {
      const labels: ModelExpr[] = [];
      let isOthers = false;
      for (const choice of branch.choices) {
        if (choice.kind === "others") isOthers = true;
        else if (choice.kind === "range") {
          const b = this.bounds(choice.range!);
          if (b.n > 4096) this.refuse(choice.loc, `A choice of ${b.n} values`, "Use 'if' with comparisons.");
          for (let v = lowOf(b); v <= highOf(b); v++) {
            if (shape.k === "s" && shape.type.kind === "int" && !fitsIn(v, subject)) continue;
            labels.push(number(v, e.width, choice.loc, bySign));
          }
        } else {
          const value = this.owner.evaluate(choice.value!, shape, this.scope.frame);
          if (shape.k === "s" && shape.type.kind === "int") {
            if (fitsIn(value.v as number, subject)) labels.push(number(value.v as number, e.width, choice.loc, bySign));
            continue;
          }
          const made = fourStateOf(value.v, value.shape);
          // a value with more than 0 and 1 in it never comes
          if (made.b !== 0n && !stmt.matching) continue;
          if (stmt.matching)
            labels.push(constant({ a: made.b ? made.a & ~made.b : made.a, b: made.b }, e.width, choice.loc));
          else labels.push(constant(made, e.width, choice.loc));
        }
      }
      const body = this.block(branch.body);
      if (isOthers) fallback = body;
      else if (labels.length) items.push({ labels, body, loc: branch.loc });
    }
    // every value has a branch, as VHDL demands: the last one needs no test
    if (!fallback && items.length) fallback = items.pop()!.body;
    return [{ op: "case", flavour: stmt.matching ? "casez" : "case", subject: e, items, fallback, loc: stmt.loc }];
  }

  private forStmt(stmt: Stmt & { op: "for" }): ModelStmt[] {
    const b = this.bounds(stmt.range);
    if (b.n > mostTurns) this.refuse(stmt.loc, `A loop of ${b.n} turns`);
    const { loc } = stmt;
    const bit: Shape = { k: "s", type: this.world.standard.boolean, lo: null, hi: null };
    const hasExit = mentions(stmt.body, stmt.label);
    const left = hasExit ? this.local("left", bit, loc) : null;
    const skipped = hasExit ? this.local("skipped", bit, loc) : null;
    const zero = number(0, 1, loc);
    const made: ModelStmt[] = left ? [this.set(left, zero, loc)] : [];
    if (left && skipped) this.loops.push({ label: stmt.label, left, skipped });
    const outer = this.scope;
    for (let i = 0; i < b.n; i++) {
      const v = b.d ? b.l - i : b.l + i;
      const frame = new Frame(outer.frame, outer.frame.fn);
      frame.places.set(stmt.param, {
        k: "const",
        v,
        shape: { k: "s", type: stmt.param.subtype.type, lo: null, hi: null },
      });
      this.scope = new Scope(outer, frame);
      const body = this.stmts(stmt.body);
      if (left && skipped)
        made.push({
          op: "if",
          test: not(read(left, loc)),
          yes: { op: "block", body: [this.set(skipped, zero, loc), ...body] },
          no: null,
          loc,
        });
      else made.push(...body);
    }
    this.scope = outer;
    if (left) this.loops.pop();
    return made;
  }

  /** Unrolled by the lowering, while constants decide its test. */
  private whileStmt(stmt: Stmt & { op: "while" }): ModelStmt[] {
    const before = this.loops.splice(0);
    const test = stmt.test ? this.condition(stmt.test) : number(1, 1, stmt.loc);
    const made: ModelStmt = {
      op: "loop",
      init: null,
      test,
      after: false,
      step: null,
      body: this.block(stmt.body),
      loc: stmt.loc,
    };
    this.loops.push(...before);
    return [made];
  }

  // ---- subprograms ----------------------------------------------------------------------------------------------

  private callStmt(stmt: Stmt & { op: "call" }): ModelStmt[] {
    if (stmt.sub.native && !stmt.sub.body) {
      // what only prints makes no circuit
      if (/^(textio|std_logic_1164|std_logic_textio|env)\./.test(stmt.sub.native)) return [];
      this.refuse(stmt.loc, `'${stmt.sub.name}'`);
    }
    const made = this.invoke(stmt.sub, stmt.args, stmt.loc);
    return [...made.before, { op: "call", sub: made.sub, args: made.args, loc: stmt.loc }, ...made.after];
  }

  private invoke(
    sub: Subprogram,
    args: readonly (Expr | null)[],
    loc: Loc,
  ): { sub: Subroutine; args: (ModelExpr | Target)[]; before: ModelStmt[]; after: ModelStmt[]; shape: Shape | null } {
    if (!sub.body) this.refuse(loc, `'${sub.name}'`);
    if (this.depth > 60) {
      this.error(
        "recursion",
        loc,
        `'${sub.name}' calls itself without an end.`,
        "Give the recursion an end that lengths or constants decide.",
      );
      throw new NoCircuit();
    }
    const home = this.scope.frame.homeOf(sub) ?? this.owner.program.root;
    const key: string[] = [];
    const given: {
      param: ParamDecl;
      place: Home | null;
      constant: { v: unknown; shape: Shape } | null;
      shape: Shape;
      value: ModelExpr | null;
      target: Target | null;
    }[] = [];
    const before: ModelStmt[] = [];
    const after: ModelStmt[] = [];
    sub.params.forEach((param, i) => {
      const expr = args[i] ?? sub.defaults[i]!;
      const formal = this.within(home, () => this.shape(param.subtype, param.loc, true));
      if (param.kind === "signal") {
        const place = this.place(expr);
        key.push(
          `@${place.signal.id}:${typeof place.offset === "number" ? place.offset : "?"}:${shapeKey(place.shape)}`,
        );
        given.push({
          param,
          place: { k: "place", place, deferred: true },
          constant: null,
          shape: place.shape,
          value: null,
          target: null,
        });
        return;
      }
      if (param.kind === "file") this.refuse(loc, "A file");
      if (param.kind === "variable" && param.mode !== "in") {
        const inner = expr.op === "convert" ? expr.arg : expr;
        const dynamic = this.dynamicIndex(inner);
        const shape = this.shapeOfTarget(inner);
        const fixed = formal.k === "a" && formal.dims === null ? shape : formal.k === "s" ? formal : shape;
        if (dynamic) {
          // through a local, since the element is found by decoding
          const held = this.local(param.name, fixed, loc);
          before.push(this.set(held, this.fit(this.expr(inner), fixed, loc).e, loc));
          after.push(...this.store(inner, { e: read(held, loc), shape: fixed }, true, loc));
          given.push({ param, place: null, constant: null, shape: fixed, value: null, target: whole(held, loc) });
        } else {
          const place = this.place(inner);
          const width = widthOf(place.shape) ?? 0;
          given.push({
            param,
            place: null,
            constant: null,
            shape: fixed,
            value: null,
            target: { parts: [{ signal: place.signal, width, index: [], offset: place.offset, loc }], width, loc },
          });
        }
        key.push(shapeKey(fixed));
        return;
      }
      const isKnown = this.isKnown(expr);
      if (isKnown) {
        const made = this.owner.evaluate(
          expr,
          formal.k === "a" && formal.dims === null ? null : formal,
          args[i] ? this.scope.frame : home,
        );
        key.push(`=${shapeKey(made.shape)}${keyOfValue(made.v)}`);
        given.push({ param, place: null, constant: made, shape: made.shape, value: null, target: null });
        return;
      }
      const val = this.expr(expr, formal.k === "a" && formal.dims === null ? undefined : formal);
      const shape =
        formal.k === "a" && formal.dims === null
          ? val.shape
          : formal.k === "s" && formal.lo === null && val.shape.k === "s" && val.lo !== undefined
            ? { ...formal, lo: val.lo, hi: val.hi ?? null }
            : formal;
      key.push(shapeKey(shape));
      given.push({ param, place: null, constant: null, shape, value: this.fit(val, shape, expr.loc).e, target: null });
    });
    const text = key.join(";");
    let map = this.subroutines.get(sub);
    if (!map) {
      map = new Map();
      this.subroutines.set(sub, map);
    }
    // subprograms of a process see its variables: they are written for each
    const isLocal = home.fn !== null;
    const fullKey = isLocal ? `${text}#${home.path.join(".")}` : text;
    let made = map.get(fullKey);
    if (!made) {
      made = this.writeSub(sub, given, home, loc);
      map.set(fullKey, made);
    }
    const list = given
      .filter((each) => each.place === null && each.constant === null)
      .map((each) => each.value ?? each.target!);
    return { sub: made, args: list, before, after, shape: this.results.get(made) ?? null };
  }
  private readonly results = new Map<Subroutine, Shape>();

  private writeSub(
    sub: Subprogram,
    given: readonly {
      param: ParamDecl;
      place: Home | null;
      constant: { v: unknown; shape: Shape } | null;
      shape: Shape;
      value: ModelExpr | null;
      target: Target | null;
    }[],
    home: Frame,
    loc: Loc,
  ): Subroutine {
    const outer = { scope: this.scope, current: this.current, loops: this.loops.splice(0), before: this.before };
    const frame = new Frame(home, { inner: [], temps: [], generator: false });
    // homes of the surroundings stay visible to what is declared within them
    this.scope = new Scope(home.fn ? outer.scope : null, frame);
    this.before = [];
    this.depth++;
    try {
      const args: Subroutine["args"][number][] = [];
      sub.body!.params.forEach((param, i) => {
        const { place, constant: known, shape } = given[i];
        if (known) {
          frame.places.set(param, { k: "const", v: known.v, shape: known.shape });
          return;
        }
        if (place) {
          this.scope.homes.set(param, place);
          frame.places.set(param, { k: "var", js: "0", shape });
          return;
        }
        const signal = this.local(param.name, shape, param.loc);
        const direction =
          param.kind === "variable" && param.mode === "out"
            ? "output"
            : param.kind === "variable" && param.mode === "inout"
              ? "inout"
              : "input";
        args.push({ signal, direction });
        this.bindSignal(param, signal, shape);
      });
      const locals: Signal[] = [];
      const start: ModelStmt[] = [];
      for (const decl of sub.body!.decls) if (decl.kind === "sub") frame.subs.add(decl);
      for (const decl of sub.body!.decls) {
        if (decl.kind === "alias") frame.places.set(decl, { k: "alias", frame });
        if (decl.kind === "constant" && decl.init) {
          const shape = this.shape(decl.subtype, decl.loc, true);
          if (this.isKnown(decl.init)) {
            const made = this.owner.evaluate(decl.init, shape.k === "a" && shape.dims === null ? null : shape, frame);
            frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
            continue;
          }
          const val = this.expr(decl.init, shape);
          const fixed = shape.k === "a" && shape.dims === null ? val.shape : shape;
          const signal = this.local(decl.name, fixed, decl.loc);
          locals.push(signal);
          start.push(...this.before.splice(0), this.set(signal, this.fit(val, fixed, decl.loc).e, decl.loc));
          this.bindSignal(decl, signal, fixed);
        }
        if (decl.kind === "variable") {
          const shape = this.shape(decl.subtype, decl.loc);
          const width = widthOf(shape);
          if (width === 0) {
            frame.places.set(decl, { k: "var", js: "0", shape });
            continue;
          }
          const signal = this.local(decl.name, shape, decl.loc);
          locals.push(signal);
          if (decl.init) {
            const val = this.fit(this.expr(decl.init, shape), shape, decl.init.loc);
            start.push(...this.before.splice(0), this.set(signal, val.e, decl.loc));
          }
          this.bindSignal(decl, signal, shape);
        }
      }
      let shape: Shape | null = null;
      if (sub.result) {
        shape = this.shape(sub.result, loc, true);
        if (shape.k === "a" && shape.dims === null) shape = this.resultShape(sub.body!.stmts) ?? shape;
        if (shape.k === "a" && shape.dims === null)
          this.refuse(sub.loc, `Function '${sub.name}', whose result has no known length,`);
      }
      const result = shape ? this.local(`${sub.name.replaceAll('"', "")}`, shape, sub.loc) : null;
      const made: Subroutine = {
        name: sub.name,
        task: !sub.isFunction,
        automatic: true,
        args,
        result,
        locals,
        body: { op: "block", body: [] },
        suspends: false,
        id: { name: sub.name, disabled: false },
        instance: this.instance,
        loc: sub.loc,
      };
      if (shape) this.results.set(made, shape);
      this.current = { sub: made, shape };
      made.body = { op: "block", body: [...start, ...this.stmts(sub.body!.stmts)] };
      this.model.subroutines.push(made);
      return made;
    } finally {
      this.scope = outer.scope;
      this.current = outer.current;
      this.loops.push(...outer.loops);
      this.before = outer.before;
      this.depth--;
    }
  }

  /** Shape of what a function returns, by the first return that tells. */
  private resultShape(stmts: readonly Stmt[]): Shape | null {
    for (const stmt of stmts) {
      if (stmt.op === "return" && stmt.value) {
        const shape = this.shapeOfExpr(stmt.value);
        if (shape) return shape;
      }
      if (stmt.op === "if") {
        const known = this.knownValue(stmt.test);
        const found =
          known === 1
            ? this.resultShape(stmt.yes)
            : known === 0
              ? stmt.no
                ? this.resultShape(stmt.no)
                : null
              : (this.resultShape(stmt.yes) ?? (stmt.no ? this.resultShape(stmt.no) : null));
        if (found) return found;
        if (known === 1 && endsInReturn(stmt.yes)) return null;
      }
      if (stmt.op === "case")
        for (const branch of stmt.branches) {
          const found = this.resultShape(branch.body);
          if (found) return found;
        }
      if (stmt.op === "for" && this.boundsOrNull(stmt.range)) {
        const frame = new Frame(this.scope.frame, this.scope.frame.fn);
        const b = this.boundsOrNull(stmt.range)!;
        frame.places.set(stmt.param, {
          k: "const",
          v: b.l,
          shape: { k: "s", type: stmt.param.subtype.type, lo: null, hi: null },
        });
        const outer = this.scope;
        this.scope = new Scope(outer, frame);
        const found = this.resultShape(stmt.body);
        this.scope = outer;
        if (found) return found;
      }
    }
    return null;
  }
  private shapeOfExpr(e: Expr): Shape | null {
    const before = this.before;
    this.before = [];
    try {
      const { shape } = this.expr(e);
      return shape;
    } finally {
      this.before = before;
    }
  }

  private within<T>(frame: Frame, run: () => T): T {
    const outer = this.scope;
    this.scope = new Scope(frame.fn ? outer : null, frame);
    try {
      return run();
    } finally {
      this.scope = outer;
    }
  }

  // ---- what is known before the circuit ---------------------------------------------------------------------------

  private shape(subtype: Parameters<Elaborator["shapeOf"]>[0], loc: Loc, mayBeOpen = false): Shape {
    const shape = this.owner.shapeOf(subtype, this.scope.frame, loc);
    if (!mayBeOpen && shape.k === "a" && shape.dims === null) this.refuse(loc, "An array whose length is not known");
    return shape;
  }
  private bounds(range: BoundRange): Bounds {
    const found = this.boundsOrNull(range);
    if (!found) {
      this.error(
        "not-constant",
        range.loc,
        "The bounds of this range are not known before the circuit is made.",
        "Use constants, generics, or the parameter of a loop.",
      );
      throw new NoCircuit();
    }
    return found;
  }
  private boundsOrNull(range: BoundRange): Bounds | null {
    if (range.kind === "bounds") {
      const l = this.knownValue(range.left);
      const r = this.knownValue(range.right);
      if (l === null || r === null) return null;
      return { l, d: range.descending ? 1 : 0, n: Math.max(0, range.descending ? l - r + 1 : r - l + 1) };
    }
    return this.owner.emitter(this.scope.frame).bounds(range);
  }

  /** Whether constants alone decide an expression. Bounds of objects count as such. */
  private isKnown(e: Expr): boolean {
    switch (e.op) {
      case "literal":
      case "string":
        return true;
      case "object": {
        const place = this.owner.placeOf(e.decl, this.scope.frame);
        if (place?.k === "const") return true;
        return e.decl.kind === "alias" && this.isKnown(e.decl.of);
      }
      case "index":
        return this.isKnown(e.of) && e.indexes.every((index) => this.isKnown(index));
      case "slice":
        return this.isKnown(e.of) && this.boundsOrNull(e.range) !== null;
      case "field":
        return this.isKnown(e.of);
      case "call":
        return (
          e.args.every((arg) => arg === null || this.isKnown(arg)) &&
          e.sub.pure &&
          !e.sub.params.some((param) => param.kind !== "constant")
        );
      case "builtin":
        return e.args.every((arg) => this.isKnown(arg));
      case "attribute":
        if (e.of && /^(left|right|high|low|length|range|reverse_range|ascending)$/.test(e.name)) return true;
        if (e.of) return e.name === "to_string" && this.isKnown(e.of);
        return e.arg === null || this.isKnown(e.arg);
      case "aggregate":
        return e.elements.every(
          ({ choice, value }) =>
            this.isKnown(value) &&
            (choice.kind !== "value" || this.isKnown(choice.value)) &&
            (choice.kind !== "range" || this.boundsOrNull(choice.range) !== null),
        );
      case "convert":
      case "qualified":
        return this.isKnown(e.arg);
      default:
        return false;
    }
  }
  private knownValue(e: Expr): number | null {
    if (!this.isKnown(e)) return null;
    const { v } = this.owner.evaluate(e, null, this.scope.frame);
    return typeof v === "number" ? v : null;
  }

  private home(decl: Decl, loc: Loc): Home {
    const own = this.scope.find(decl);
    if (own) return own;
    const place = this.owner.placeOf(decl, this.scope.frame);
    if (place?.k === "sig") return { k: "tree", tree: place.tree, shape: place.shape };
    if (place?.k === "cell") this.refuse(loc, `The shared variable '${decl.name}'`);
    this.refuse(loc, `'${decl.name}'`);
  }

  // ---- expressions ----------------------------------------------------------------------------------------------

  private condition(e: Expr): ModelExpr {
    return this.expr(e).e;
  }
  private known(v: unknown, shape: Shape, loc: Loc): Val {
    const width = widthOf(shape);
    if (width === null) {
      if (shape.k === "s" && shape.type.kind === "real") this.refuse(loc, "A real number");
      this.refuse(loc, `A value of type ${shapeText(shape)}`);
    }
    if (shape.k === "s" && shape.type.kind === "int") {
      const own = v as number;
      const size = integerWidth(Math.min(0, own), Math.max(0, own));
      return { e: number(own, size, loc, own < 0), shape, lo: own, hi: own, cv: own };
    }
    return { e: constant(fourStateOf(v, shape), width, loc), shape, cv: typeof v === "number" ? v : undefined };
  }

  private expr(e: Expr, want?: Shape): Val {
    const { loc } = e;
    if (this.isKnown(e)) {
      const open = want?.k === "a" && want.dims === null ? null : (want ?? null);
      const made = this.owner.evaluate(e, open && open.k !== "s" && e.op !== "call" ? open : null, this.scope.frame);
      if (made.v instanceof Arr) this.refuse(loc, "A value whose length is not known");
      return this.known(made.v, made.shape, loc);
    }
    switch (e.op) {
      case "object": {
        if (e.decl.kind === "alias") {
          const place = this.place(e);
          return this.readPlace(place, loc);
        }
        const home = this.home(e.decl, loc);
        if (home.k === "signal") return this.typed(read(home.signal, loc), home.shape);
        if (home.k === "place") return this.readPlace(home.place, loc);
        return this.typed(this.treeExpr(home.tree, home.shape, loc), home.shape);
      }
      case "field": {
        const of = this.expr(e.of);
        if (of.shape.k !== "r") return this.refuse(loc, "This name");
        let below = 0;
        for (let i = e.field + 1; i < of.shape.fields.length; i++) below += widthOf(of.shape.fields[i]) ?? 0;
        const shape = of.shape.fields[e.field];
        return this.typed(slice(of.e, below, widthOf(shape) ?? 0), shape);
      }
      case "index": {
        let at = this.expr(e.of);
        for (const index of e.indexes) at = this.element(at, index);
        return at;
      }
      case "slice":
        return this.sliced(e);
      case "call":
        return this.call(e);
      case "builtin":
        return this.builtin(e, want);
      case "aggregate":
        return this.aggregate(e, want);
      case "convert":
        return this.convert(e);
      case "qualified": {
        const shape = this.shape(e.subtype, loc, true);
        return this.fit(this.expr(e.arg, shape), shape, loc);
      }
      case "attribute":
        if (e.name === "pos" || e.name === "val") {
          const arg = this.expr(e.arg!);
          return this.typed(
            arg.e,
            e.name === "pos"
              ? { k: "s", type: e.type, lo: 0, hi: 2 ** arg.e.width - 1 }
              : { k: "s", type: e.type, lo: null, hi: null },
          );
        }
        if (e.name === "succ" || e.name === "pred" || e.name === "leftof" || e.name === "rightof") {
          const arg = this.expr(e.arg!);
          const up = e.name === "succ" || e.name === "rightof";
          return { ...arg, e: binary(up ? "add" : "sub", arg.e, number(1, arg.e.width, loc), arg.e.width, false, loc) };
        }
        if (e.name === "last_value" || e.name === "delayed") return this.refuse(loc, `The attribute '${e.name}'`);
        if (e.name === "event" || e.name === "stable")
          return this.refuse(
            loc,
            "An edge in this place",
            "Write 'if rising_edge(clk) then' around all that the clock does.",
          );
        return this.refuse(loc, `The attribute '${e.name}'`);
      case "deref":
      case "new":
      case "null":
        return this.refuse(loc, "An access value");
      default:
        return this.refuse(loc, "This expression");
    }
  }
  private typed(e: ModelExpr, shape: Shape): Val {
    if (shape.k === "s" && shape.type.kind === "int") {
      const [lo, hi] = integerLimits(shape);
      const signed = lo < 0;
      const own: ModelExpr = e.signed === signed ? e : { ...e, signed };
      return { e: own, shape, lo, hi };
    }
    return { e: e.signed ? { ...e, signed: false } : e, shape };
  }
  private readPlace(place: Place, loc: Loc): Val {
    const width = widthOf(place.shape) ?? 0;
    const from = read(place.signal, loc);
    if (typeof place.offset === "number") return this.typed(slice(from, place.offset, width), place.shape);
    return this.typed({ op: "dynslice", arg: from, offset: place.offset, width, signed: false, loc }, place.shape);
  }

  /** An element by an index that may be computed: a tree of multiplexers over the index's bits. */
  private element(of: Val, index: Expr): Val {
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.refuse(index.loc, "This index");
    const [b, ...rest] = shape.dims;
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    const width = widthOf(inner) ?? 0;
    const known = this.knownValue(index);
    if (known !== null) {
      const k = this.position(known, b, index.loc);
      return this.typed(slice(of.e, (b.n - 1 - k) * width, width), inner);
    }
    const at = this.expr(index);
    const items: { v: number; e: ModelExpr }[] = [];
    for (let i = 0; i < b.n; i++) {
      const v = b.d ? b.l - i : b.l + i;
      items.push({ v, e: slice(of.e, (b.n - 1 - i) * width, width) });
    }
    items.sort((x, y) => x.v - y.v);
    const size = at.e.width;
    const values = new Map(items.map(({ v, e }) => [Number(BigInt.asUintN(size, BigInt(v))), e]));
    const x: ModelExpr = constant({ a: (1n << BigInt(width)) - 1n, b: (1n << BigInt(width)) - 1n }, width, index.loc);
    const select = (bit: number, base: number): ModelExpr | null => {
      if (bit < 0) return values.get(base) ?? null;
      // no entry within this half: nothing to choose
      const high = select(bit - 1, base + 2 ** bit);
      const low = select(bit - 1, base);
      if (!high || !low) return high ?? low;
      return choose(slice(at.e, bit, 1), high, low);
    };
    const bits = Math.min(size, Math.max(1, Math.ceil(Math.log2(Math.max(2, Math.max(...values.keys()) + 1)))));
    return this.typed(select(bits - 1, 0) ?? x, inner);
  }

  private sliced(e: Expr & { op: "slice" }): Val {
    const of = this.expr(e.of);
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.refuse(e.loc, "This slice");
    const [b] = shape.dims;
    const elem = widthOf(shape.elem) ?? 0;
    const cut = this.boundsOrNull(e.range);
    if (cut) {
      const made: Shape = { ...shape, dims: [cut] };
      if (cut.n === 0) return { e: number(0, 0, e.loc), shape: made };
      const k = this.position(cut.l, b, e.loc);
      this.position(rightOf(cut), b, e.loc);
      return { e: slice(of.e, (b.n - k - cut.n) * elem, cut.n * elem), shape: made };
    }
    // bounds that move together: v(i + 7 downto i)
    const { range } = e;
    if (range.kind !== "bounds") return this.refuse(e.loc, "This slice");
    const n = this.span(range.left, range.right);
    if (n === null) {
      this.error(
        "not-constant",
        range.loc,
        "The length of this slice is not known before the circuit is made.",
        "Write both ends with the same expression and constants: v(i + 7 downto i).",
      );
      throw new NoCircuit();
    }
    const low = range.descending ? range.right : range.left;
    const at = this.expr(low);
    // distance of the slice's low end from the right end of the array, in elements
    const base = b.d ? rightOf(b) : 0;
    let offset: ModelExpr;
    const size = Math.max(at.e.width + 2, integerWidth(-(b.n + Math.abs(b.l)), b.n + Math.abs(b.l)) + 1);
    const wide = extend(at.e, size, at.e.signed);
    if (b.d) offset = binary("sub", wide, number(base, size, e.loc), size, true, e.loc);
    else offset = binary("sub", number(rightOf(b) - n + 1, size, e.loc), wide, size, true, e.loc);
    if (elem !== 1)
      offset = binary("mul", extend(offset, size + 16, true), number(elem, size + 16, e.loc), size + 16, true, e.loc);
    const signed: ModelExpr = { ...offset, signed: true };
    return {
      e: { op: "dynslice", arg: of.e, offset: signed, width: n * elem, signed: false, loc: e.loc },
      shape: { ...shape, dims: [{ l: n - 1, d: 1, n }] },
    };
  }
  /** Elements between two ends that differ by constants only; null if they do not. */
  private span(left: Expr, right: Expr): number | null {
    const l = this.linear(left);
    const r = this.linear(right);
    if (!l || !r) return null;
    const names = new Set([...l.terms.keys(), ...r.terms.keys()]);
    for (const name of names) if ((l.terms.get(name) ?? 0) !== (r.terms.get(name) ?? 0)) return null;
    return Math.abs(l.constant - r.constant) + 1;
  }
  private linear(e: Expr): { terms: Map<string, number>; constant: number } | null {
    const known = this.knownValue(e);
    if (known !== null) return { terms: new Map(), constant: known };
    if (e.op === "builtin" && (e.name === "+" || e.name === "-")) {
      const l = this.linear(e.args[0]);
      const r = this.linear(e.args[1]);
      if (!l || !r) return null;
      const sign = e.name === "+" ? 1 : -1;
      const terms = new Map(l.terms);
      for (const [name, factor] of r.terms) terms.set(name, (terms.get(name) ?? 0) + sign * factor);
      return { terms, constant: l.constant + sign * r.constant };
    }
    if (e.op === "builtin" && e.name === "*") {
      const [x, y] = e.args;
      const factor = this.knownValue(x) ?? this.knownValue(y);
      const other = this.linear(this.knownValue(x) !== null ? y : x);
      if (factor === null || !other) return null;
      return {
        terms: new Map([...other.terms].map(([name, each]) => [name, each * factor])),
        constant: other.constant * factor,
      };
    }
    return { terms: new Map([[this.owner.report.sources.text(e.loc).replace(/\s+/g, ""), 1]]), constant: 0 };
  }

  /** A value for a place: whole numbers get its width, arrays must have its length. */
  private fit(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k === "s") {
      if (shape.type.kind !== "int") return { ...val, shape };
      const [lo, hi] = integerLimits(shape);
      const width = integerWidth(lo, hi);
      if (val.cv !== undefined && (val.cv < lo || val.cv > hi)) {
        this.error(
          "out-of-range",
          loc,
          `The value ${val.cv} is outside of the range ${lo} to ${hi}.`,
          "Give a value within the range, or widen it.",
        );
        throw new NoCircuit();
      }
      return { e: resized(val.e, width, lo < 0), shape, lo, hi, cv: val.cv };
    }
    if (shape.k === "a" && shape.dims === null) return val;
    const width = widthOf(shape);
    if (width !== null && val.e.width !== width) {
      const have = val.shape.k === "a" && val.shape.dims ? val.shape.dims[0].n : val.e.width;
      const need = shape.k === "a" && shape.dims ? shape.dims[0].n : width;
      this.error(
        "width",
        loc,
        `'${this.owner.report.sources.text(loc)}' has ${have} element${have === 1 ? "" : "s"} (${shapeText(val.shape)}), but ${need} ${need === 1 ? "is" : "are"} needed (${shapeText(shape)}).`,
        "Make them as long as each other.",
      );
      throw new NoCircuit();
    }
    return { ...val, shape };
  }

  private convert(e: Expr & { op: "convert" }): Val {
    const shape = this.shape(e.subtype, e.loc, true);
    const arg = this.expr(e.arg);
    if (shape.k === "a" && arg.shape.k === "a") {
      if (shape.dims) return this.fit({ ...arg, shape: { ...arg.shape, type: shape.type } }, shape, e.loc);
      return { e: arg.e, shape: { ...shape, dims: arg.shape.dims, elem: arg.shape.elem } };
    }
    if (shape.k === "s" && shape.type.kind === "int")
      return { ...arg, shape: { ...shape, lo: shape.lo ?? arg.lo ?? null, hi: shape.hi ?? arg.hi ?? null } };
    return { ...arg, shape };
  }

  private aggregate(e: Expr & { op: "aggregate" }, want?: Shape): Val {
    const { loc } = e;
    if (e.type.kind === "record") {
      const base = want?.k === "r" ? want : this.owner.emitter(this.scope.frame).plainShape(e.type);
      if (base.k !== "r") return this.refuse(loc, "This aggregate");
      const parts: (ModelExpr | undefined)[] = [];
      for (const { choice, value } of e.elements)
        if (choice.kind === "field")
          parts[choice.field] = this.fit(
            this.expr(value, base.fields[choice.field]),
            base.fields[choice.field],
            value.loc,
          ).e;
      return { e: joined(parts as ModelExpr[], loc), shape: base };
    }
    const emitter = this.owner.emitter(this.scope.frame);
    const plain = (want?.k === "a" ? want : emitter.plainShape(e.type)) as ArrayShape;
    const rest = plain.dims && plain.dims.length > 1 ? plain.dims.slice(1) : null;
    const inner: Shape = rest ? { ...plain, dims: rest } : plain.elem;
    const value = (each: AggregateElement): Val =>
      each.isStretch ? this.expr(each.value) : this.fit(this.expr(each.value, inner), inner, each.value.loc);
    const positional = e.elements.filter((each) => each.choice.kind === "position");
    let bounds: Bounds | null = want?.k === "a" && want.dims ? want.dims[0] : null;
    const spans = e.elements.flatMap((each): { from: number; to: number; each: AggregateElement }[] => {
      const { choice } = each;
      if (choice.kind === "value") {
        const at = this.knownValue(choice.value);
        if (at === null) return this.refuse(choice.value.loc, "A computed choice");
        return [{ from: at, to: at, each }];
      }
      if (choice.kind === "range") {
        const b = this.bounds(choice.range);
        return b.n ? [{ from: lowOf(b), to: highOf(b), each }] : [];
      }
      return [];
    });
    const others = e.elements.find((each) => each.choice.kind === "others");
    if (!bounds) {
      if (positional.length) {
        const left = emitter.scalarRange(emitter.shape(plain.type.indexes[0])).l.cv;
        const n = positional.reduce((sum, each) => sum + (each.isStretch ? value(each).e.width : 1), 0);
        bounds = { l: typeof left === "number" ? left : 0, d: 0, n };
      } else if (spans.length && !others) {
        const low = Math.min(...spans.map((each) => each.from));
        const high = Math.max(...spans.map((each) => each.to));
        const [first] = e.elements;
        const down =
          first.choice.kind === "range" && first.choice.range.kind === "bounds" && first.choice.range.descending;
        bounds = down ? { l: high, d: 1, n: high - low + 1 } : { l: low, d: 0, n: high - low + 1 };
      } else return this.refuse(loc, "An aggregate whose length is not known");
    }
    const b = bounds;
    const items: (ModelExpr | undefined)[] = new Array(b.n);
    if (positional.length) {
      const parts = positional.map((each) => value(each).e);
      const rest = others ? value(others).e : null;
      const total = b.n * (widthOf(inner) ?? 0);
      let width = parts.reduce((sum, part) => sum + part.width, 0);
      while (rest && width < total) {
        parts.push(rest);
        width += rest.width;
      }
      return {
        e: joined(parts, loc),
        shape: { ...plain, dims: [b, ...(rest ? [] : []), ...(plain.dims?.slice(1) ?? [])] },
      };
    }
    for (const { from, to, each } of spans) {
      const val = value(each);
      const w = widthOf(inner) ?? 0;
      for (let i = from; i <= to; i++) {
        const k = this.position(i, b, each.value.loc);
        const first = b.d ? to : from;
        const nth = Math.abs(i - first);
        items[k] = each.isStretch ? slice(val.e, val.e.width - (nth + 1) * w, w) : val.e;
      }
    }
    const filler = others ? value(others).e : null;
    for (let k = 0; k < b.n; k++) {
      if (items[k]) continue;
      if (!filler) return this.refuse(loc, "An aggregate with elements that have no value");
      items[k] = filler;
    }
    return { e: joined(items as ModelExpr[], loc), shape: { ...plain, dims: [b, ...(plain.dims?.slice(1) ?? [])] } };
  }

  // ---- operators ------------------------------------------------------------------------------------------------

  private boolean(e: ModelExpr): Val {
    return { e, shape: { k: "s", type: this.world.standard.boolean, lo: null, hi: null } };
  }

  private builtin(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const { name, loc, type } = e;
    if (name === "&") return this.concat(e, want);
    const args = e.args.map((arg) => this.expr(arg));
    const [a, b] = args;
    const isInt = a.shape.k === "s" && a.shape.type.kind === "int";
    switch (name) {
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor":
        return this.logic(name, args, type, loc);
      case "not":
        return { e: not(a.e), shape: a.shape };
      case "??":
        return this.boolean(a.e);
      case "=":
      case "/=":
      case "<":
      case "<=":
      case ">":
      case ">=":
        return this.compare(name, a, b, loc);
      case "?=":
      case "?/=":
        return { ...this.compare(name.slice(1), a, b, loc), shape: { k: "s", type, lo: null, hi: null } };
      case "minimum":
      case "maximum": {
        const test = this.compare("<", a, b, loc).e;
        const [x, y] = this.aligned(a, b);
        const made = choose(test, name === "minimum" ? x : y, name === "minimum" ? y : x);
        return {
          e: made,
          shape: a.shape,
          lo: a.lo !== undefined && b.lo !== undefined ? Math.min(a.lo, b.lo) : undefined,
          hi: a.hi !== undefined && b.hi !== undefined ? Math.max(a.hi, b.hi) : undefined,
        };
      }
      case "sll":
      case "srl":
      case "sla":
      case "sra":
      case "rol":
      case "ror":
        return this.shift(name, a, b, false, loc);
      default:
        if (isInt || (b && b.shape.k === "s" && b.shape.type.kind === "int"))
          return this.integer(name, a, b, type, loc);
        return this.refuse(loc, `'${name}' of ${shapeText(a.shape)}`);
    }
  }

  private logic(name: string, args: readonly Val[], type: VType, loc: Loc): Val {
    const base =
      name === "nand" ? "and" : name === "nor" ? "or" : name === "xnor" ? "xor" : (name as "and" | "or" | "xor");
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    const turned = (e: ModelExpr): ModelExpr => (base === name ? e : not(e));
    if (args.length === 1) {
      const kind = base === "and" ? "redand" : base === "or" ? "redor" : "redxor";
      return { e: turned({ op: "unary", kind, arg: args[0].e, width: 1, signed: false, loc }), shape };
    }
    let [x, y] = [args[0].e, args[1].e];
    const array = args.find((arg) => arg.shape.k === "a");
    if (array) {
      const n = array.e.width;
      if (args[0].shape.k === "s") x = { op: "repeat", count: n, arg: x, width: n, signed: false, loc };
      if (args[1].shape.k === "s") y = { op: "repeat", count: n, arg: y, width: n, signed: false, loc };
      if (x.width !== y.width) {
        this.error(
          "width",
          loc,
          `The operands have ${x.width} and ${y.width} elements.`,
          "Make them as long as each other.",
        );
        throw new NoCircuit();
      }
    }
    return { e: turned(binary(base, x, y, x.width, false, loc)), shape: array?.shape ?? shape };
  }

  /** Whole numbers in one width that holds both. */
  private aligned(a: Val, b: Val): [ModelExpr, ModelExpr, boolean] {
    const signed = a.e.signed || b.e.signed;
    const need = (val: Val) => val.e.width + (signed && !val.e.signed ? 1 : 0);
    const width = Math.max(need(a), need(b));
    return [extendTo(a.e, width, a.e.signed), extendTo(b.e, width, b.e.signed), signed];
  }

  private compare(name: string, a: Val, b: Val, loc: Loc): Val {
    const isInt = a.shape.k === "s" && a.shape.type.kind === "int";
    let [x, y] = [a.e, b.e];
    let signed = false;
    if (isInt) [x, y, signed] = this.aligned(a, b);
    else if (x.width !== y.width) {
      if (name === "=" || name === "/=") return this.boolean(number(name === "=" ? 0 : 1, 1, loc));
      this.error(
        "width",
        loc,
        `Arrays of ${x.width} and ${y.width} elements are compared.`,
        "Make them as long as each other.",
      );
      throw new NoCircuit();
    }
    const kind =
      name === "="
        ? "eq"
        : name === "/="
          ? "ne"
          : name === "<"
            ? "lt"
            : name === "<="
              ? "le"
              : name === ">"
                ? "gt"
                : "ge";
    if (x.width === 0) return this.boolean(number(name === "=" || name === "<=" || name === ">=" ? 1 : 0, 1, loc));
    return this.boolean(binary(kind, x, y, 1, signed, loc));
  }

  /** Arithmetic of whole numbers, in as many bits as the limits need. */
  private integer(name: string, a: Val, b: Val | undefined, type: VType, loc: Loc): Val {
    const [alo, ahi] = [a.lo ?? 0, a.hi ?? 2 ** a.e.width - 1];
    const [blo, bhi] = b ? [b.lo ?? 0, b.hi ?? 2 ** b.e.width - 1] : [0, 0];
    let lo: number;
    let hi: number;
    switch (name) {
      case "+":
        [lo, hi] = [alo + blo, ahi + bhi];
        break;
      case "-":
        [lo, hi] = [alo - bhi, ahi - blo];
        break;
      case "neg":
        [lo, hi] = [-ahi, -alo];
        break;
      case "plus":
        return a;
      case "abs":
        [lo, hi] = [0, Math.max(Math.abs(alo), Math.abs(ahi))];
        break;
      case "*": {
        const corners = [alo * blo, alo * bhi, ahi * blo, ahi * bhi];
        [lo, hi] = [Math.min(...corners), Math.max(...corners)];
        break;
      }
      case "/":
        [lo, hi] = [Math.min(alo, -ahi, 0), Math.max(ahi, -alo)];
        break;
      case "mod":
        [lo, hi] = [Math.min(0, blo + 1), Math.max(0, bhi - 1)];
        break;
      case "rem":
        [lo, hi] = [Math.min(0, alo), Math.max(0, ahi)];
        break;
      case "**":
        if (a.cv === 2) {
          const width = Math.min(32, 2 ** (b?.e.width ?? 1));
          return {
            e: binary("shl", number(1, width, loc), b!.e, width, false, loc),
            shape: { k: "s", type, lo: null, hi: null },
            lo: 0,
            hi: 2 ** width - 1,
          };
        }
        return this.refuse(loc, "A power of this kind", "Use a power of two, or multiply.");
      default:
        return this.refuse(loc, `'${name}'`);
    }
    lo = Math.max(lo, -(2 ** 31));
    hi = Math.min(hi, 2 ** 31 - 1);
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    const signed = lo < 0 || a.e.signed || (b?.e.signed ?? false);
    const result = integerWidth(lo, hi) + (signed && lo >= 0 ? 1 : 0);
    const width = Math.max(
      result,
      a.e.width + (signed && !a.e.signed ? 1 : 0),
      b ? b.e.width + (signed && !b.e.signed ? 1 : 0) : 0,
    );
    const x = extendTo(a.e, width, a.e.signed);
    const y = b ? extendTo(b.e, width, b.e.signed) : x;
    const finish = (e: ModelExpr): Val => ({ e: resized(e, integerWidth(lo, hi), lo < 0), shape, lo, hi });
    switch (name) {
      case "+":
        return finish(binary("add", x, y, width, signed, loc));
      case "-":
        return finish(binary("sub", x, y, width, signed, loc));
      case "*":
        return finish(binary("mul", x, y, width, signed, loc));
      case "neg":
        return finish({ op: "unary", kind: "neg", arg: x, width, signed, loc });
      case "abs":
        return finish(choose(slice(x, width - 1, 1), { op: "unary", kind: "neg", arg: x, width, signed, loc }, x));
      case "/":
        if (b?.cv !== undefined && b.cv > 0 && Number.isInteger(Math.log2(b.cv)) && !a.e.signed)
          return finish(
            slice(
              extendTo(a.e, Math.max(a.e.width, Math.log2(b.cv) + 1), false),
              Math.log2(b.cv),
              Math.max(1, a.e.width - Math.log2(b.cv)),
            ),
          );
        return finish(binary("div", x, y, width, signed, loc));
      case "rem":
      case "mod": {
        if (b?.cv !== undefined && b.cv > 0 && Number.isInteger(Math.log2(b.cv)) && (name === "mod" || !a.e.signed)) {
          const bits = Math.log2(b.cv);
          if (bits === 0) return { e: number(0, 1, loc), shape, lo: 0, hi: 0 };
          return {
            e: slice(extendTo(a.e, Math.max(a.e.width, bits), a.e.signed), 0, bits),
            shape,
            lo: 0,
            hi: b.cv - 1,
          };
        }
        const rest = binary("mod", x, y, width, signed, loc);
        if (name === "rem" || !signed) return finish(rest);
        return finish(this.floorMod(rest, y, width, loc));
      }
      default:
        return this.refuse(loc, `'${name}'`);
    }
  }
  /** The remainder with the divisor's sign, from that with the dividend's. */
  private floorMod(rest: ModelExpr, divisor: ModelExpr, width: number, loc: Loc): ModelExpr {
    const zero = binary("eq", rest, number(0, width, loc, true), 1, false, loc);
    const differs = binary("xor", slice(rest, width - 1, 1), slice(divisor, width - 1, 1), 1, false, loc);
    return choose(
      binary("and", not(zero), differs, 1, false, loc),
      binary("add", rest, divisor, width, true, loc),
      rest,
    );
  }

  private concat(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const emitter = this.owner.emitter(this.scope.frame);
    const plain = emitter.plainShape(e.type) as ArrayShape;
    const vals = e.args.map((arg) => this.expr(arg));
    const elem = vals.find((val, i) => e.args[i].type === e.type && val.shape.k === "a");
    const inner = elem?.shape.k === "a" ? elem.shape.elem : plain.pack ? plain.elem : vals[0].shape;
    const size = widthOf(inner) ?? 1;
    const width = vals.reduce((sum, val) => sum + val.e.width, 0);
    const n = size ? width / size : 0;
    const left = emitter.scalarRange(emitter.shape(plain.type.indexes[0])).l.cv;
    const dims: Bounds[] =
      want?.k === "a" && want.dims?.[0].n === n
        ? [...want.dims]
        : [{ l: typeof left === "number" ? left : 0, d: 0, n }];
    return {
      e: joined(
        vals.map((val) => val.e),
        e.loc,
      ),
      shape: { ...plain, elem: inner, dims },
    };
  }

  private shift(name: string, a: Val, by: Val, signed: boolean, loc: Loc): Val {
    const n = a.e.width;
    const isRotate = name === "rol" || name === "ror" || name === "rotate_left" || name === "rotate_right";
    const left = /^(sll|sla|rol|shift_left|rotate_left|shl)$/.test(name);
    const fillsSign = signed && (name === "shift_right" || name === "sra" || name === "shr");
    if (n === 0) return a;
    if (by.cv !== undefined) {
      const count = left ? by.cv : -by.cv;
      if (isRotate) {
        const k = ((count % n) + n) % n;
        return { ...a, e: k === 0 ? a.e : concat([slice(a.e, 0, n - k), slice(a.e, n - k, k)], loc) };
      }
      const k = Math.min(n, Math.abs(count));
      if (k === 0) return a;
      if (count > 0) return { ...a, e: joined([slice(a.e, 0, n - k), number(0, k, loc)], loc) };
      const sign = slice(a.e, n - 1, 1);
      const fill: ModelExpr = fillsSign
        ? { op: "repeat", count: k, arg: sign, width: k, signed: false, loc }
        : number(0, k, loc);
      return { ...a, e: joined([fill, slice(a.e, k, n - k)], loc) };
    }
    if (by.e.signed && (by.lo ?? -1) < 0) {
      // either way, by the sign of the count
      const back: ModelExpr = { op: "unary", kind: "neg", arg: by.e, width: by.e.width, signed: false, loc };
      const forth = this.shift(
        name,
        a,
        { ...by, e: { ...slice(by.e, 0, by.e.width), signed: false }, lo: 0 },
        signed,
        loc,
      );
      const mirror = { sll: "srl", srl: "sll", sla: "sra", sra: "sla", rol: "ror", ror: "rol" }[name] ?? name;
      const other = this.shift(mirror, a, { ...by, e: { ...back, signed: false }, lo: 0 }, signed, loc);
      return { ...a, e: choose(slice(by.e, by.e.width - 1, 1), other.e, forth.e) };
    }
    const amount: ModelExpr = by.e.signed ? { ...slice(by.e, 0, by.e.width), signed: false } : by.e;
    if (isRotate) {
      // twice side by side, and the part that is meant
      const twice = concat([a.e, a.e], loc);
      const size = Math.max(amount.width, Math.ceil(Math.log2(n + 1)) + 1);
      const within = Number.isInteger(Math.log2(n))
        ? extendTo(slice(amount, 0, Math.min(amount.width, Math.log2(n))), size, false)
        : binary("mod", extendTo(amount, size, false), number(n, size, loc), size, false, loc);
      const offset = left ? binary("sub", number(n, size, loc), within, size, false, loc) : within;
      return { ...a, e: { op: "dynslice", arg: twice, offset, width: n, signed: false, loc } };
    }
    if (left) return { ...a, e: binary("shl", a.e, amount, n, false, loc) };
    if (fillsSign)
      return {
        ...a,
        e: { ...binary("sshr", { ...a.e, signed: true } as ModelExpr, amount, n, true, loc), signed: false },
      };
    return { ...a, e: binary("shr", a.e, amount, n, false, loc) };
  }

  // ---- calls ----------------------------------------------------------------------------------------------------

  private call(e: Expr & { op: "call" }): Val {
    const { sub, loc } = e;
    if (sub.native && !sub.body) return this.native(e, loc);
    const made = this.invoke(sub, e.args, loc);
    this.before.push(...made.before);
    if (made.after.length) this.refuse(loc, "A function with outputs");
    if (!made.sub.result || !made.shape) return this.refuse(loc, `'${sub.name}'`);
    return this.typed(
      {
        op: "call",
        func: made.sub,
        args: made.args,
        width: made.sub.result.width,
        signed: made.sub.result.signed,
        loc,
      },
      made.shape,
    );
  }

  /** Functions of the packages that ship with the product (IEEE 1076-2008 clause 16). */
  private native(e: Expr & { op: "call" }, loc: Loc): Val {
    const { sub } = e;
    const [home, ...rest] = sub.native!.split(".");
    const name = rest.join(".");
    const type = sub.result!.type;
    const args = sub.params.map((_, i) => {
      const arg = e.args[i] ?? sub.defaults[i];
      return arg ? this.expr(arg) : this.refuse(loc, `'${sub.name}'`);
    });
    const [a, b] = args;
    const isPlain = /numeric_std_|std_logic_(un)?signed/.test(home);
    const isSigned = (i: number): boolean => {
      const own = sub.params[i]?.subtype.type;
      if (isPlain) return /_signed$/.test(home);
      return own?.kind === "int" ? true : /signed/.test(own?.name ?? "") && !/unsigned/.test(own?.name ?? "");
    };
    const vectorSigned = sub.params.some((param, i) => param.subtype.type.kind === "array" && isSigned(i));
    const made = (bits: ModelExpr, descending = true): Val => {
      const plain = this.owner.emitter(this.scope.frame).plainShape(type);
      if (plain.k !== "a") return this.typed(bits, plain);
      const n = bits.width;
      const dims: Bounds[] = [descending ? { l: n - 1, d: 1, n } : { l: 1, d: 0, n }];
      return { e: bits.signed ? { ...bits, signed: false } : bits, shape: { ...plain, dims } };
    };
    const plainName = name.replace(/^to_01$|^to_x01$|^to_x01z$|^to_ux01$/, "same");
    switch (plainName) {
      case "same":
      case "to_bit":
      case "to_stdulogic":
        return { e: a.e, shape: a.shape.k === "a" ? made(a.e).shape : { k: "s", type, lo: null, hi: null } };
      case "to_bitvector":
      case "to_stdlogicvector":
      case "to_stdulogicvector":
        if (a.shape.k === "a") return made(a.e);
        break;
      case "is_x":
        return this.boolean(number(0, 1, loc));
      case "??":
        return this.boolean(a.e);
      case "not":
        return a.shape.k === "a"
          ? made(not(a.e), home !== "std_logic_1164")
          : { e: not(a.e), shape: { k: "s", type, lo: null, hi: null } };
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor": {
        const done = this.logic(plainName, args, type, loc);
        return done.shape.k === "a" ? made(done.e, home !== "std_logic_1164") : done;
      }
      case "?=":
      case "?/=":
      case "std_match": {
        // '-' in a constant fits anything
        const test = this.match(a, b, loc);
        return { e: plainName === "?/=" ? not(test) : test, shape: { k: "s", type, lo: null, hi: null } };
      }
      case "rising_edge":
      case "falling_edge":
        return this.refuse(
          loc,
          "An edge in this place",
          "Write 'if rising_edge(clk) then' around all that the clock does.",
        );
      case "resize": {
        const n = this.sizeOf(b);
        return made(this.resize(a.e, n, isSigned(0)));
      }
      case "conv_unsigned":
      case "conv_signed":
      case "conv_std_logic_vector":
      case "to_unsigned":
      case "to_signed":
      case "ext":
      case "sxt": {
        const n = this.sizeOf(b);
        const bySign = plainName === "sxt" || (a.shape.k === "a" ? isSigned(0) : a.e.signed);
        return made(extendTo(a.e, n, bySign));
      }
      case "to_integer":
      case "conv_integer": {
        const signed = a.shape.k === "a" && isSigned(0);
        const w = Math.min(a.e.width, signed ? 32 : 31);
        const bits = slice(a.e, 0, w);
        const shape: Shape = { k: "s", type, lo: null, hi: null };
        if (w === 0) return { e: number(0, 1, loc), shape, lo: 0, hi: 0 };
        return signed
          ? { e: { ...extend(bits, w, true), signed: true }, shape, lo: -(2 ** (w - 1)), hi: 2 ** (w - 1) - 1 }
          : { e: bits, shape, lo: 0, hi: 2 ** w - 1 };
      }
      case "shift_left":
      case "shift_right":
      case "rotate_left":
      case "rotate_right":
      case "sll":
      case "srl":
      case "sla":
      case "sra":
      case "rol":
      case "ror":
        return made(
          this.shift(plainName, a, b, vectorSigned && !/^s[lr]l$/.test(plainName), loc).e,
          home !== "std_logic_1164",
        );
      case "shl":
      case "shr":
        return made(this.shift(plainName, a, { ...b, e: b.e, lo: 0 }, vectorSigned, loc).e);
      case "+":
      case "-":
      case "*":
      case "/":
      case "mod":
      case "rem":
      case "abs":
        return made(this.vectorArithmetic(plainName, args, sub, isSigned, home, loc));
      case "=":
      case "/=":
      case "<":
      case "<=":
      case ">":
      case ">=":
      case "?<":
      case "?<=":
      case "?>":
      case "?>=":
      case "minimum":
      case "maximum": {
        const op = plainName.replace("?", "");
        const [x, y, signed] = this.numbers(a, b, isSigned(0), isSigned(1));
        const kind =
          op === "="
            ? "eq"
            : op === "/="
              ? "ne"
              : op === "<" || op === "minimum" || op === "maximum"
                ? "lt"
                : op === "<="
                  ? "le"
                  : op === ">"
                    ? "gt"
                    : "ge";
        const test = binary(kind, x, y, 1, signed, loc);
        if (op === "minimum" || op === "maximum") {
          const n = Math.max(a.shape.k === "a" ? a.e.width : 0, b.shape.k === "a" ? b.e.width : 0);
          return made(extendTo(choose(test, op === "minimum" ? x : y, op === "minimum" ? y : x), n, signed));
        }
        return { e: test, shape: { k: "s", type, lo: null, hi: null } };
      }
    }
    return this.refuse(loc, `'${sub.name.replaceAll('"', "")}' of ${home}`);
  }

  private match(a: Val, b: Val, loc: Loc): ModelExpr {
    const [pattern, value] = a.e.op === "const" ? [a.e, b.e] : [b.e, a.e];
    if (pattern.op === "const" && pattern.value.b !== 0n) {
      const tests: ModelExpr[] = [];
      for (let i = 0; i < pattern.width; i++) {
        const bit = 1n << BigInt(i);
        if (pattern.value.b & bit) continue;
        const own = slice(value, i, 1);
        tests.push(pattern.value.a & bit ? own : not(own));
      }
      if (tests.length === 0) return number(1, 1, loc);
      return { op: "unary", kind: "redand", arg: concat(tests, loc), width: 1, signed: false, loc };
    }
    if (a.e.width !== b.e.width) return number(0, 1, loc);
    return binary("eq", a.e, b.e, 1, false, loc);
  }

  private sizeOf(val: Val): number {
    if (val.shape.k === "a") return val.e.width;
    if (val.cv === undefined) this.refuse(val.e.loc, "A length that is computed");
    return val.cv;
  }
  private resize(e: ModelExpr, n: number, signed: boolean): ModelExpr {
    if (n >= e.width || !signed) return extendTo(e, n, signed);
    if (n === 0) return number(0, 0, e.loc);
    // the sign is kept (numeric_std's resize)
    return joined([slice(e, e.width - 1, 1), slice(e, 0, n - 1)], e.loc);
  }

  /** Operands of a comparison as numbers of one width. */
  private numbers(a: Val, b: Val, aSigned: boolean, bSigned: boolean): [ModelExpr, ModelExpr, boolean] {
    const signedOf = (val: Val, own: boolean) => (val.shape.k === "a" ? own : val.e.signed);
    const [s, t] = [signedOf(a, aSigned), signedOf(b, bSigned)];
    const signed = s || t;
    const need = (val: Val, own: boolean) => val.e.width + (signed && !own ? 1 : 0);
    const width = Math.max(need(a, s), need(b, t), 1);
    return [extendTo(a.e, width, s), extendTo(b.e, width, t), signed];
  }

  private vectorArithmetic(
    name: string,
    args: readonly Val[],
    sub: Subprogram,
    isSigned: (i: number) => boolean,
    home: string,
    loc: Loc,
  ): ModelExpr {
    const [a, b] = args;
    const isVector = (i: number) => args[i].shape.k === "a";
    const isArith = home.startsWith("std_logic_");
    if (args.length === 1) {
      const n = a.e.width;
      if (name === "+") return a.e;
      const negative: ModelExpr = { op: "unary", kind: "neg", arg: a.e, width: n, signed: true, loc };
      return name === "-" ? negative : choose(slice(a.e, n - 1, 1), negative, a.e);
    }
    const isBit = (i: number) => args[i].shape.k === "s" && sub.params[i].subtype.type.kind === "enum";
    const signed = args.some((_, i) => isVector(i) && isSigned(i));
    const extra = (i: number) => (isArith && signed && isVector(i) && !isSigned(i) ? 1 : 0);
    const sizes = args.map((arg, i) => (isVector(i) ? arg.e.width + extra(i) : isBit(i) ? 1 : 0));
    const signOf = (i: number) => (isVector(i) ? isSigned(i) : isBit(i) ? false : args[i].e.signed);
    let n: number;
    switch (name) {
      case "*":
        n = sizes[0] === 0 ? 2 * sizes[1] : sizes[1] === 0 ? 2 * sizes[0] : sizes[0] + sizes[1];
        break;
      case "/":
        n = sizes[0] || sizes[1];
        break;
      case "mod":
      case "rem":
        n = sizes[1] || sizes[0];
        break;
      default:
        n = Math.max(...sizes);
    }
    if (n === 0) return number(0, 0, loc);
    if (name === "+" || name === "-" || name === "*") {
      const x = extendTo(a.e, n, signOf(0));
      const y = extendTo(b.e, n, signOf(1));
      return binary(name === "+" ? "add" : name === "-" ? "sub" : "mul", x, y, n, signed, loc);
    }
    // a quotient needs both operands whole
    const [x, y, wideSigned] = this.numbers(a, b, signOf(0), signOf(1));
    const { width } = x;
    if (name === "/") return extendTo(binary("div", x, y, width, wideSigned, loc), n, signed);
    const remainder = binary("mod", x, y, width, wideSigned, loc);
    const whole = name === "mod" && wideSigned ? this.floorMod(remainder, y, width, loc) : remainder;
    return extendTo(whole, n, signed);
  }
}

// ---- pieces -----------------------------------------------------------------------------------------------------

function whole(signal: Signal, loc: Loc): Target {
  return { parts: [{ signal, width: signal.width, index: [], offset: 0, loc }], width: signal.width, loc };
}
function moved(offset: number | ModelExpr, by: number): number | ModelExpr {
  if (typeof offset === "number") return offset + by;
  return binary("add", offset, number(by, offset.width, offset.loc), offset.width, offset.signed, offset.loc);
}
function joined(parts: readonly ModelExpr[], loc: Loc): ModelExpr {
  const live = parts.filter((part) => part.width > 0);
  if (live.length === 0) return number(0, 0, loc);
  return concat(live, loc);
}
function extendTo(e: ModelExpr, width: number, bySign: boolean): ModelExpr {
  if (width <= e.width) return width === e.width ? e : slice(e, 0, width);
  return extend(e, width, bySign);
}
/** A whole number in another width; its sign is that of the new place. */
function resized(e: ModelExpr, width: number, signed: boolean): ModelExpr {
  const made = extendTo(e, width, e.signed);
  return made.signed === signed
    ? made
    : ({ ...(made === e ? { op: "extend", arg: e, bySign: e.signed, width, loc: e.loc } : made), signed } as ModelExpr);
}
function fitsIn(v: number, val: Val): boolean {
  return val.e.signed ? v >= -(2 ** (val.e.width - 1)) && v < 2 ** (val.e.width - 1) : v >= 0 && v < 2 ** val.e.width;
}
function keyOfValue(v: unknown): string {
  return JSON.stringify(v, (_, each) =>
    typeof each === "bigint" ? `${each}n` : each instanceof Uint8Array ? [...each].join() : each,
  );
}
function sameExpr(a: ModelExpr, b: ModelExpr): boolean {
  if (a === b) return true;
  if (a.op === "signal" && b.op === "signal") return a.signal === b.signal;
  return a.op === "slice" && b.op === "slice" && a.lsb === b.lsb && a.width === b.width && sameExpr(a.arg, b.arg);
}
/** Bits that an expression reads: whole signals, or single stretches of them. */
function collect(e: ModelExpr, map: Map<Signal, ModelExpr>): void {
  switch (e.op) {
    case "signal":
      map.set(e.signal, e);
      return;
    case "slice":
      if (e.arg.op === "signal") map.set(e.arg.signal, e);
      else collect(e.arg, map);
      return;
    case "unary":
    case "extend":
      collect(e.arg, map);
      return;
    case "binary":
      collect(e.left, map);
      collect(e.right, map);
      return;
    case "cond":
      collect(e.test, map);
      collect(e.yes, map);
      collect(e.no, map);
      return;
    case "concat":
      for (const part of e.parts) collect(part, map);
  }
}
function rootName(e: Expr): string {
  switch (e.op) {
    case "object":
      return e.decl.name;
    case "index":
    case "slice":
    case "field":
      return rootName(e.of);
    default:
      return "";
  }
}
/** Assertions and empty statements: they look, and change nothing. */
function isPassive(stmt: Stmt): boolean {
  switch (stmt.op) {
    case "null":
    case "assert":
      return true;
    case "if":
      return stmt.yes.every(isPassive) && (stmt.no?.every(isPassive) ?? true) && !containsEdge(stmt.test);
    case "call":
      return stmt.sub.native !== null && !stmt.sub.body && /^(textio|std_logic_textio)\./.test(stmt.sub.native);
    default:
      return false;
  }
}
function containsWait(stmt: Stmt): boolean {
  switch (stmt.op) {
    case "wait":
      return true;
    case "if":
      return stmt.yes.some(containsWait) || (stmt.no?.some(containsWait) ?? false);
    case "case":
      return stmt.branches.some((branch) => branch.body.some(containsWait));
    case "for":
    case "while":
    case "block":
      return stmt.body.some(containsWait);
    default:
      return false;
  }
}
function containsEdge(e: Expr): boolean {
  switch (e.op) {
    case "call":
      return (
        e.sub.name === "rising_edge" ||
        e.sub.name === "falling_edge" ||
        e.args.some((arg) => arg !== null && containsEdge(arg))
      );
    case "attribute":
      return e.name === "event";
    case "builtin":
      return e.args.some(containsEdge);
    default:
      return false;
  }
}
function findEdge(stmts: readonly Stmt[]): Loc | null {
  for (const stmt of stmts) {
    if (stmt.op === "if") {
      if (containsEdge(stmt.test)) return stmt.test.loc;
      const found = findEdge(stmt.yes) ?? (stmt.no && findEdge(stmt.no));
      if (found) return found;
    } else if (stmt.op === "case") {
      for (const branch of stmt.branches) {
        const found = findEdge(branch.body);
        if (found) return found;
      }
    } else if (stmt.op === "for" || stmt.op === "while" || stmt.op === "block") {
      const found = findEdge(stmt.body);
      if (found) return found;
    }
  }
  return null;
}
function mentions(stmts: readonly Stmt[], label: string): boolean {
  return stmts.some((stmt) => {
    switch (stmt.op) {
      case "exit":
      case "next":
        return stmt.label === label;
      case "if":
        return mentions(stmt.yes, label) || (stmt.no !== null && mentions(stmt.no, label));
      case "case":
        return stmt.branches.some((branch) => mentions(branch.body, label));
      case "for":
      case "while":
      case "block":
        return mentions(stmt.body, label);
      default:
        return false;
    }
  });
}
function endsInReturn(stmts: readonly Stmt[]): boolean {
  return stmts.some((stmt) => stmt.op === "return");
}
function assigns(stmts: readonly Stmt[], name: string): boolean {
  return stmts.some((stmt) => {
    switch (stmt.op) {
      case "signal":
      case "assign":
        return rootName(stmt.target) === name;
      case "if":
        return assigns(stmt.yes, name) || (stmt.no !== null && assigns(stmt.no, name));
      case "case":
        return stmt.branches.some((branch) => assigns(branch.body, name));
      case "for":
      case "while":
      case "block":
        return assigns(stmt.body, name);
      default:
        return false;
    }
  });
}
function firstTarget(body: readonly ModelStmt[]): string | null {
  for (const stmt of body) {
    if (stmt.op === "assign") return stmt.target.parts[0]?.signal.plainName ?? null;
    if (stmt.op === "if") {
      const found = firstTarget([stmt.yes]) ?? (stmt.no && firstTarget([stmt.no]));
      if (found) return found;
    }
    if (stmt.op === "block") {
      const found = firstTarget(stmt.body);
      if (found) return found;
    }
  }
  return null;
}

/** Whether the first statement that knows a variable gives it a whole value without reading it. */
function isSetFirst(stmts: readonly Stmt[], decl: Decl): boolean {
  for (const stmt of stmts) {
    if (stmt.op === "assign" && stmt.target.op === "object" && stmt.target.decl === decl)
      return !readsDecl(stmt.value, decl);
    if (stmt.op === "if" && !readsDecl(stmt.test, decl)) {
      const inYes = knows(stmt.yes, decl);
      const inNo = stmt.no ? knows(stmt.no, decl) : false;
      if (!inYes && !inNo) continue;
      const after = knows(stmts.slice(stmts.indexOf(stmt) + 1), decl);
      const yes = !inYes || isSetFirst(stmt.yes, decl);
      const no = !inNo || isSetFirst(stmt.no ?? [], decl);
      if (!yes || !no) return false;
      // set in one branch only: it matters whether it is looked at afterwards
      return !after || (inYes && inNo);
    }
    if (knowsStmt(stmt, decl)) return false;
  }
  return true;
}
function knows(stmts: readonly Stmt[], decl: Decl): boolean {
  return stmts.some((stmt) => knowsStmt(stmt, decl));
}
function knowsStmt(stmt: Stmt, decl: Decl): boolean {
  switch (stmt.op) {
    case "assign":
      return readsDecl(stmt.target, decl) || readsDecl(stmt.value, decl);
    case "signal":
      return (
        readsDecl(stmt.target, decl) ||
        stmt.waveform.elements.some(({ value }) => value !== null && readsDecl(value, decl))
      );
    case "if":
      return readsDecl(stmt.test, decl) || knows(stmt.yes, decl) || (stmt.no !== null && knows(stmt.no, decl));
    case "case":
      return readsDecl(stmt.subject, decl) || stmt.branches.some((branch) => knows(branch.body, decl));
    case "for":
    case "block":
      return knows(stmt.body, decl);
    case "while":
      return (stmt.test !== null && readsDecl(stmt.test, decl)) || knows(stmt.body, decl);
    case "exit":
    case "next":
      return stmt.test !== null && readsDecl(stmt.test, decl);
    case "return":
      return stmt.value !== null && readsDecl(stmt.value, decl);
    case "call":
      return (
        stmt.args.some((arg) => arg !== null && readsDecl(arg, decl)) || (stmt.sub.nested && stmt.sub.body !== null)
      );
    default:
      return false;
  }
}
function readsDecl(e: Expr, decl: Decl): boolean {
  switch (e.op) {
    case "object":
      return e.decl === decl || (e.decl.kind === "alias" && readsDecl(e.decl.of, decl));
    case "index":
      return readsDecl(e.of, decl) || e.indexes.some((index) => readsDecl(index, decl));
    case "slice":
      return (
        readsDecl(e.of, decl) ||
        (e.range.kind === "bounds" && (readsDecl(e.range.left, decl) || readsDecl(e.range.right, decl)))
      );
    case "field":
    case "deref":
      return readsDecl(e.of, decl);
    case "call":
      return (
        e.args.some((arg) => arg !== null && readsDecl(arg, decl)) ||
        (e.sub.nested && e.sub.body !== null && !e.sub.pure)
      );
    case "builtin":
      return e.args.some((arg) => readsDecl(arg, decl));
    case "attribute":
      return (
        (e.of !== null &&
          !/^(left|right|high|low|length|range|reverse_range)$/.test(e.name) &&
          readsDecl(e.of, decl)) ||
        (e.arg !== null && readsDecl(e.arg, decl))
      );
    case "aggregate":
      return e.elements.some(
        ({ choice, value }) => readsDecl(value, decl) || (choice.kind === "value" && readsDecl(choice.value, decl)),
      );
    case "convert":
    case "qualified":
      return readsDecl(e.arg, decl);
    default:
      return false;
  }
}
