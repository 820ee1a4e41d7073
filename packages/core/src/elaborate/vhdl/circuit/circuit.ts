import type { Loc } from "../../../common/source.ts";
import {
  type DesignModel,
  type Instance,
  type Expr as ModelExpr,
  type Stmt as ModelStmt,
  type Signal,
  type Target,
  type TargetPart,
  wholeTarget,
} from "../../model.ts";
import { vectorType } from "../../types.ts";
import type { Decl, Expr } from "../bound.ts";
import type { Elaborator } from "../instances/elaborator.ts";
import type { VhdlInstance } from "../instances/instance.ts";
import type { Frame } from "../values/frames.ts";
import { rightOf, type Shape, shapeText } from "../values/shapes.ts";
import { leavesOf, type Sig, type SigTree } from "../values/signals.ts";
import { CircuitAssign } from "./circuit-assign.ts";
import { enumerationOf, Facts, NoCircuit, Scope } from "./circuit-base.ts";
import { CircuitCall } from "./circuit-call.ts";
import { CircuitClocks } from "./circuit-clocks.ts";
import { CircuitComposites } from "./circuit-composites.ts";
import { integerLimits, read, widthOf } from "./circuit-expr.ts";
import { CircuitIntegers } from "./circuit-integers.ts";
import { KnownBefore } from "./circuit-known.ts";
import { CircuitName } from "./circuit-name.ts";
import { CircuitOperators } from "./circuit-operators.ts";
import { extendTo } from "./circuit-pieces.ts";
import { CircuitPlaces } from "./circuit-places.ts";
import { CircuitProcesses } from "./circuit-processes.ts";
import { CircuitSignals } from "./circuit-signals.ts";
import { CircuitStmt } from "./circuit-stmt.ts";
import { CircuitSubprograms } from "./circuit-subprograms.ts";
import { CircuitValue } from "./circuit-value.ts";
import { WordArrays } from "./word-arrays.ts";

/**
 * Instances of VHDL as the elaborated model that both languages share, for synthesis: a signal for each declared one,
 * a process for each process.
 */
export class CircuitWriter {
  readonly names = new CircuitName(this);
  readonly operators = new CircuitOperators(this);
  readonly values = new CircuitValue(this);
  readonly calls = new CircuitCall(this);
  readonly stmts = new CircuitStmt(this);
  readonly signals = new CircuitSignals(this);
  readonly known = new KnownBefore(this);
  readonly places = new CircuitPlaces(this);
  readonly assigns = new CircuitAssign(this);
  readonly integers = new CircuitIntegers(this);
  readonly composites = new CircuitComposites(this);
  readonly subprograms = new CircuitSubprograms(this);
  readonly processes = new CircuitProcesses(this);
  readonly clocks = new CircuitClocks(this);

  readonly leaves = new Map<Sig, { readonly signal: Signal; readonly offset: number }>();
  scope: Scope;
  instance: Instance;
  temps = 0;
  facts = new Facts();
  /** Where statements go, also those that expressions need before them. */
  out: ModelStmt[] = [];
  prefix = "";

  constructor(
    readonly owner: Elaborator,
    readonly model: DesignModel,
    readonly instances: ReadonlyMap<VhdlInstance, Instance>,
  ) {
    this.scope = new Scope(null, owner.program.root);
    this.instance = model.top;
  }

  get world() {
    return this.owner.world;
  }
  error(code: string, loc: Loc, message: string, remedy: string): void {
    this.owner.report.error(`vhdl/${code}`, loc, message, remedy);
  }
  /** @throws NoCircuit always. */
  refuse(loc: Loc, what: string, remedy = "Keep it in a test bench, or write it with clocked registers."): never {
    this.error("not-synthesizable", loc, `${what} is not synthesizable.`, remedy);
    throw new NoCircuit();
  }

  readonly wordArrays = new WordArrays();

  // ---- signals --------------------------------------------------------------------------------------------------

  makeSignal(
    name: string,
    width: number,
    loc: Loc,
    kind: Signal["kind"],
    shape: Shape | null,
    /** Another name of what is declared elsewhere. */
    implicit = false,
  ): Signal {
    const b = shape?.k === "a" && shape.pack && shape.pack !== "char" && shape.dims ? shape.dims[0] : null;
    const range = b ? { left: b.l, right: rightOf(b) } : { left: width - 1, right: 0 };
    const isSigned = shape?.k === "s" && shape.type.kind === "int" && integerLimits(shape)[0] < 0;
    const base = vectorType(width, isSigned);
    const enumeration = shape?.k === "s" && shape.type.kind === "enum" ? enumerationOf(shape.type) : null;
    const type = {
      ...base,
      dims: width === 1 && !b ? [] : [range],
      name: shape ? shapeText(shape) : null,
      enumeration,
    };
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
  local(name: string, shape: Shape, loc: Loc): Signal {
    const width = widthOf(shape);
    if (width === null) this.refuse(loc, `A value of type ${shapeText(shape)}`);
    return this.makeSignal(`${name}:${this.temps++}`, width, loc, "local", shape);
  }

  /** All entities below these. `outer` is the module's instance that an entity stands for. */
  write(tops: readonly { readonly top: VhdlInstance; readonly outer: Instance | null }[]): void {
    for (const link of this.owner.portLinks) for (const leaf of leavesOf(link.tree)) this.signals.linked.add(leaf);
    for (const { top, outer } of tops) {
      this.outer = outer;
      this.signals.declare(top);
    }
    this.outer = null;
    this.signals.connect();
    for (const { top } of tops) this.processes.behave(top);
  }
  outer: Instance | null = null;

  /** To be called when nothing more is written. */
  finish(): void {
    this.wordArrays.settle(this.model);
  }

  /** A value for the border, in the port's width; null after a finding. */
  value(expr: Expr, frame: Frame, owner: VhdlInstance, width: number): ModelExpr | null {
    const { loc } = expr;
    return this.at(owner, () => {
      let made: ModelExpr | null = null;
      this.logic(new Scope(null, frame), loc, () => {
        const { e } = this.values.expr(expr);
        const value = extendTo(e, width, e.signed);
        made = value;
        if (this.out.length === 0) return { target: { parts: [], width: 0, loc }, value };
        const held = this.makeSignal(`value:${this.temps++}`, width, loc, "variable", null, true);
        made = read(held, loc);
        return { target: wholeTarget(held, loc), value };
      });
      return made;
    });
  }
  /** Signals take what a module's output gives. */
  drive(tree: SigTree, lo: number | null, shape: Shape, value: ModelExpr, owner: VhdlInstance, loc: Loc): void {
    const made = this.treeTarget(tree, lo, shape, value, loc);
    if (made.target.parts.length)
      this.model.assigns.push({
        ...made,
        delay: null,
        strength: null,
        instance: this.instances.get(owner) ?? this.model.top,
        loc,
      });
  }

  at<T>(instance: VhdlInstance, run: () => T): T {
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
  readonly guarded: VhdlInstance[] = [];
  readonly guards = new Map<Decl, Expr>();

  /** What a value of that width drives: the leaves of a tree, or bits of the only one. */
  treeTarget(
    tree: SigTree,
    lo: number | null,
    shape: Shape,
    value: ModelExpr,
    loc: Loc,
  ): { target: Target; value: ModelExpr } {
    const parts: TargetPart[] = [];
    if (lo !== null && !Array.isArray(tree)) {
      const at = this.signals.leafAt(tree);
      if (at) parts.push({ signal: at.signal, width: value.width, index: [], offset: at.offset + lo, loc });
    } else
      this.signals.eachLeaf(tree, shape, (leaf, leafShape) => {
        const at = this.signals.leafAt(leaf);
        if (at) parts.push({ signal: at.signal, width: widthOf(leafShape) ?? 0, index: [], offset: at.offset, loc });
      });
    const width = parts.reduce((sum, each) => sum + each.width, 0);
    return { target: { parts, width, loc }, value: extendTo(value, width, false) };
  }

  /** An assignment that holds all the time; what its value needs before it makes a process of it. */
  logic(scope: Scope, loc: Loc, make: () => { target: Target; value: ModelExpr }): void {
    const outer = { scope: this.scope, out: this.out, facts: this.facts };
    this.stmts.begin();
    this.scope = scope;
    this.out = [];
    const instance = this.instance;
    try {
      const { target, value } = make();
      if (target.parts.length === 0) return;
      if (this.out.length === 0) {
        this.model.assigns.push({ target, value, delay: null, strength: null, instance, loc });
        return;
      }
      this.out.push({ op: "assign", target, value, blocking: true, intra: null, loc });
      this.model.processes.push({
        kind: "always",
        events: "star",
        body: { op: "block", body: this.out },
        instance,
        loc,
        eventLoc: loc,
        name: target.parts[0].signal.plainName,
      });
    } catch (error) {
      if (!(error instanceof NoCircuit)) throw error;
    } finally {
      this.scope = outer.scope;
      this.out = outer.out;
      this.facts = outer.facts;
    }
  }
}
