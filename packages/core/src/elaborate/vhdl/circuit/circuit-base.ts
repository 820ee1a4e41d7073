import type { Loc } from "../../../common/source.ts";
import type {
  DesignModel,
  Instance,
  Expr as ModelExpr,
  Stmt as ModelStmt,
  Signal,
  Target,
  TargetPart,
  Value,
} from "../../model.ts";
import { wholeTarget } from "../../model.ts";
import { type EnumInfo, vectorType } from "../../types.ts";
import type { Decl, Expr } from "../bound.ts";
import { leftOperand } from "../code/operand-chain.ts";
import type { Elaborator } from "../instances/elaborator.ts";
import type { VhdlInstance } from "../instances/instance.ts";
import type { BoundRange, Constraint, EnumType, Subtype } from "../types.ts";
import type { Frame } from "../values/frames.ts";
import { type Bounds, boundsOf, dynamicRange, rightOf, type Shape, shapeText } from "../values/shapes.ts";
import { leavesOf, type Sig, type SigTree } from "../values/signals.ts";
import {
  constant,
  fourStateOf,
  integerLimits,
  isUnknown,
  joinValues,
  numberOf,
  read,
  slice,
  widthOf,
} from "./circuit-expr.ts";
import { extendTo, joined } from "./circuit-pieces.ts";
import { containsEdge as isClocked, readsState } from "./circuit-scan.ts";
import { WordArrays } from "./word-arrays.ts";

/** A value in a circuit: bits, with what they mean. Whole numbers bring their limits. */
export interface Val {
  readonly e: ModelExpr;
  readonly shape: Shape;
  readonly lo?: number;
  readonly hi?: number;
  /** A number, or the position of a literal, that is known here. */
  readonly cv?: number;
  /** Known by the text alone: what is wrong with it is wrong whenever the circuit runs. */
  readonly sure?: boolean;
}

/** What a name means: where its bits are read from, and put to. */
export type Ref =
  /** A stretch of one signal. Only targets have computed offsets. */
  | { readonly k: "signal"; readonly signal: Signal; readonly offset: number | ModelExpr; readonly shape: Shape }
  /** A composite whose parts are in several signals. */
  | { readonly k: "tree"; readonly tree: SigTree; readonly shape: Shape }
  /** An element by a computed index. */
  | {
      readonly k: "element";
      readonly of: Ref;
      readonly index: Val;
      readonly bounds: Bounds;
      /** The signal, if it may become a memory. */
      readonly words: Signal | null;
      readonly shape: Shape;
    }
  /** Elements from a computed place on, which is counted from the right end in bits. */
  | { readonly k: "stretch"; readonly of: Ref; readonly low: ModelExpr; readonly shape: Shape }
  /** Bits of one of the last two. */
  | { readonly k: "part"; readonly of: Ref; readonly lsb: number; readonly shape: Shape }
  /** A value without a place. */
  | { readonly k: "value"; readonly val: Val; readonly shape: Shape };

/** What a declaration is, within one process or subprogram. */
export type Home = { readonly k: "ref"; readonly ref: Ref } | { readonly k: "value"; readonly val: Val };

export class Scope {
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
  /** The scope of a frame, if it is this one or one around it. */
  of(frame: Frame): Scope | null {
    for (let scope: Scope | null = this; scope; scope = scope.parent) if (scope.frame === frame) return scope;
    return null;
  }
}

/** What is known of variables at a place in the text, whichever way led there. */
export class Facts {
  constructor(
    private readonly values = new Map<Signal, Value>(),
    /** Least and greatest, of whole numbers. */
    private readonly limits = new Map<Signal, readonly [number, number]>(),
  ) {}
  fork(): Facts {
    return new Facts(new Map(this.values), new Map(this.limits));
  }
  value(signal: Signal): Value | undefined {
    return this.values.get(signal);
  }
  limitsOf(signal: Signal): readonly [number, number] | undefined {
    return this.limits.get(signal);
  }
  set(signal: Signal, value: Value | null, limits: readonly [number, number] | null): void {
    if (value) this.values.set(signal, value);
    else this.values.delete(signal);
    if (limits) this.limits.set(signal, limits);
    else this.limits.delete(signal);
  }
  forget(signal: Signal): void {
    this.values.delete(signal);
    this.limits.delete(signal);
  }
  /** What holds on all of these ways. */
  static common(ways: readonly Facts[]): Facts {
    const [first, ...rest] = ways;
    if (!first) return new Facts();
    if (rest.length === 0) return first;
    const values = new Map<Signal, Value>();
    for (const [signal, value] of first.values)
      if (
        rest.every((way) => {
          const other = way.values.get(signal);
          return other !== undefined && other.a === value.a && other.b === value.b;
        })
      )
        values.set(signal, value);
    const limits = new Map<Signal, readonly [number, number]>();
    for (const [signal, own] of first.limits) {
      let [lo, hi] = own;
      const all = rest.every((way) => {
        const other = way.limits.get(signal);
        if (other) [lo, hi] = [Math.min(lo, other[0]), Math.max(hi, other[1])];
        return other !== undefined;
      });
      if (all) limits.set(signal, [lo, hi]);
    }
    return new Facts(values, limits);
  }
}

/** Thrown where something makes no circuit; the finding has been told. */
export class NoCircuit extends Error {}

export const mostTurns = 65536;

/** Signals of the circuit, and what all of its writer needs. */
export abstract class CircuitBase {
  protected readonly leaves = new Map<Sig, { readonly signal: Signal; readonly offset: number }>();
  protected scope: Scope;
  protected instance: Instance;
  protected temps = 0;
  protected facts = new Facts();
  /** Where statements go, also those that expressions need before them. */
  protected out: ModelStmt[] = [];
  protected prefix = "";

  constructor(
    protected readonly owner: Elaborator,
    protected readonly model: DesignModel,
    protected readonly instances: ReadonlyMap<VhdlInstance, Instance>,
  ) {
    this.scope = new Scope(null, owner.program.root);
    this.instance = model.top;
  }

  protected get world() {
    return this.owner.world;
  }
  protected error(code: string, loc: Loc, message: string, remedy: string): void {
    this.owner.report.error(`vhdl/${code}`, loc, message, remedy);
  }
  /** @throws NoCircuit always. */
  protected refuse(
    loc: Loc,
    what: string,
    remedy = "Keep it in a test bench, or write it with clocked registers.",
  ): never {
    this.error("not-synthesizable", loc, `${what} is not synthesizable.`, remedy);
    throw new NoCircuit();
  }

  protected readonly wordArrays = new WordArrays();

  protected abstract expr(e: Expr, want?: Shape): Val;
  protected abstract fit(val: Val, shape: Shape, loc: Loc): Val;
  /** Processes and assignments of an instance, and of those within it. */
  protected abstract behave(instance: VhdlInstance): void;

  // ---- signals --------------------------------------------------------------------------------------------------

  protected makeSignal(
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
  protected local(name: string, shape: Shape, loc: Loc): Signal {
    const width = widthOf(shape);
    if (width === null) this.refuse(loc, `A value of type ${shapeText(shape)}`);
    return this.makeSignal(`${name}:${this.temps++}`, width, loc, "local", shape);
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
  protected outer: Instance | null = null;

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
        const { e } = this.expr(expr);
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

  protected at<T>(instance: VhdlInstance, run: () => T): T {
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

  protected declare(instance: VhdlInstance): void {
    this.at(instance, () => {
      this.noteAttributes(instance);
      if (instance.guard) this.declareGuard(instance);
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
            target: wholeTarget(signal, decl.loc),
            value,
            delay: null,
            strength: null,
            instance: this.instance,
            loc: decl.loc,
          });
        }
        // without a value given, it begins with the least of its type; logic levels are unknown then (6.4.2.3)
        if (signal.direction !== "input" && !values.every(([v]) => isUnknown(v))) {
          const init = joinValues(values.map(([v, each]) => [fourStateOf(v, each), widthOf(each) ?? 0]));
          if (init.b !== (1n << BigInt(width)) - 1n) signal.init = init;
        }
      }
      for (const child of instance.children) this.declare(child);
    });
  }
  /** The signal `guard` of a block, which no declaration makes. */
  private declareGuard(instance: VhdlInstance): void {
    const { signal: decl } = instance.guard!;
    const place = instance.frame.places.get(decl);
    if (place?.k !== "sig" || Array.isArray(place.tree)) return;
    const signal = this.makeSignal("guard", 1, decl.loc, "variable", place.shape);
    this.leaves.set(place.tree, { signal, offset: 0 });
    this.guarded.push(instance);
    this.guards.set(decl, instance.guard!.expr);
  }
  /** The entity's own first, then those of the label that it stands under, then those of what is declared in it. */
  private noteAttributes(instance: VhdlInstance): void {
    const { attributes } = this.model;
    const scope = this.prefix.slice(0, -1);
    const note = ({ name, value, loc }: VhdlInstance["attributes"][number]) => {
      attributes.push({ of: scope, isScope: true, name, value, loc });
      // ports that carry the nets of the outside are signals without a direction here
      if (name === "keep")
        for (const { decl } of instance.signals)
          if (decl.role === "port") attributes.push({ of: this.prefix + decl.name, isScope: false, name, value, loc });
    };
    for (const each of instance.attributes)
      if (each.on === instance.entity || each.on === instance.architecture) note(each);
    for (const each of instance.parent?.attributes ?? [])
      if (each.on.kind === "label" && each.on.name === instance.label.toLowerCase()) note(each);
    for (const { on, name, value, loc } of instance.attributes)
      if (on.kind === "signal") attributes.push({ of: this.prefix + on.name, isScope: false, name, value, loc });
  }
  protected beginWith(tree: SigTree, shape: Shape, instance: VhdlInstance): void {
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
  protected readonly linked = new Set<Sig>();
  /** Ports that show signals of others under names of their own. */
  protected readonly views: {
    readonly signal: Signal;
    readonly tree: SigTree;
    readonly loc: Loc;
    readonly instance: Instance;
  }[] = [];

  protected eachLeaf(tree: SigTree, shape: Shape, run: (leaf: Sig, shape: Shape) => void): void {
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
  protected leafAt(leaf: Sig): { signal: Signal; offset: number } | null {
    const own = this.leaves.get(leaf);
    if (own) return own;
    const origin = this.owner.originOf(leaf);
    if (!origin) return null;
    const of = this.leafAt(origin.of);
    return of && { signal: of.signal, offset: of.offset + origin.lo };
  }

  protected treeExpr(tree: SigTree, shape: Shape, loc: Loc): ModelExpr {
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
  private treePlace(tree: SigTree, shape: Shape): { signal: Signal; offset: number; shape: Shape } | null {
    const list = leavesOf(tree);
    if (list.length === 0) return null;
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

  protected connect(): void {
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
      this.model.assigns.push({ target: wholeTarget(signal, loc), value, delay: null, strength: null, instance, loc });
    }
    for (const link of this.owner.portLinks) {
      const instance = this.instances.get(link.instance)!;
      this.instance = instance;
      const { loc } = link.value;
      this.logic(new Scope(null, link.frame), loc, () => {
        const val = this.fit(this.expr(link.value, link.shape), link.shape, loc);
        return this.treeTarget(link.tree, link.part?.lo ?? null, link.shape, val.e, loc);
      });
    }
    for (const instance of this.guarded) {
      const { signal, expr, frame } = instance.guard!;
      const place = instance.frame.places.get(signal);
      if (place?.k !== "sig") continue;
      this.instance = this.instances.get(instance)!;
      // a guard that asks for an edge makes registers of what it guards, and no signal
      if (isClocked(expr)) continue;
      this.logic(new Scope(null, frame), expr.loc, () =>
        this.treeTarget(place.tree, null, place.shape, this.expr(expr).e, expr.loc),
      );
    }
    this.instance = this.model.top;
  }
  private readonly guarded: VhdlInstance[] = [];
  protected readonly guards = new Map<Decl, Expr>();

  /** What a value of that width drives: the leaves of a tree, or bits of the only one. */
  protected treeTarget(
    tree: SigTree,
    lo: number | null,
    shape: Shape,
    value: ModelExpr,
    loc: Loc,
  ): { target: Target; value: ModelExpr } {
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
    return { target: { parts, width, loc }, value: extendTo(value, width, false) };
  }

  /** Before statements are written that know nothing of others. */
  protected abstract begin(): void;

  /** An assignment that holds all the time; what its value needs before it makes a process of it. */
  protected logic(scope: Scope, loc: Loc, make: () => { target: Target; value: ModelExpr }): void {
    const outer = { scope: this.scope, out: this.out, facts: this.facts };
    this.begin();
    this.scope = scope;
    this.out = [];
    const { instance } = this;
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

  // ---- what is known before the circuit ---------------------------------------------------------------------------

  /** @throws NoCircuit if a bound depends on what the circuit computes, unless the shape may be open. */
  protected shape(subtype: Subtype, loc: Loc, mayBeOpen = false): Shape {
    const made = this.closed(this.owner.emitter(this.scope.frame).shapes.shape(subtype), loc);
    if (!mayBeOpen && made.k === "a" && made.dims === null) this.refuse(loc, "An array whose length is not known");
    return made;
  }
  /** Bounds that need more than literals are worked out here; limits of numbers that are not known are open. */
  private closed(shape: Shape, loc: Loc): Shape {
    switch (shape.k) {
      case "s":
        return typeof shape.lo === "string" || typeof shape.hi === "string"
          ? {
              ...shape,
              lo: typeof shape.lo === "string" ? null : shape.lo,
              hi: typeof shape.hi === "string" ? null : shape.hi,
            }
          : shape;
      case "a": {
        const elem = this.closed(shape.elem, loc);
        const range = dynamicRange(shape);
        if (shape.dims || !range) return elem === shape.elem ? shape : { ...shape, elem };
        const found = this.boundsOrNull(range);
        if (!found) this.refuse(loc, "An array whose length is computed");
        const { k, type, pack } = shape;
        return { k, type, pack, dims: [found], elem };
      }
      case "r": {
        const fields = shape.fields.map((field) => this.closed(field, loc));
        return fields.every((field, i) => field === shape.fields[i]) ? shape : { ...shape, fields };
      }
      case "o":
        return shape;
    }
  }
  protected bounds(range: BoundRange): Bounds {
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
  protected boundsOrNull(range: BoundRange): Bounds | null {
    switch (range.kind) {
      case "bounds": {
        const l = this.knownValue(range.left);
        const r = this.knownValue(range.right);
        if (l === null || r === null) return null;
        return boundsOf(l, r, range.descending ? 1 : 0);
      }
      case "of": {
        const of = range.attribute.op === "attribute" ? range.attribute.of : range.attribute;
        if (!of) return this.owner.emitter(this.scope.frame).shapes.bounds(range);
        const shape = this.shapeOf(of);
        if (shape.k !== "a" || !shape.dims) return this.owner.emitter(this.scope.frame).shapes.bounds(range);
        const b = shape.dims[range.dim - 1];
        return range.reverse ? { l: rightOf(b), d: b.d ? 0 : 1, n: b.n } : b;
      }
      case "subtype": {
        const found = this.owner.emitter(this.scope.frame).shapes.bounds(range);
        if (found) return found;
        const shape = this.owner.values.shapeOf(range.subtype, this.scope.frame, range.loc);
        return shape.k === "a" && shape.dims ? shape.dims[0] : null;
      }
    }
  }
  protected abstract shapeOf(e: Expr): Shape;

  /** Whether the text alone decides an expression. Bounds of objects count as such. */
  protected isKnown(e: Expr): boolean {
    switch (e.op) {
      case "literal":
      case "string":
        return true;
      case "object": {
        const place = this.owner.placeOf(e.decl, this.scope.frame);
        if (place?.k === "const") return true;
        return e.decl.kind === "alias" && this.scope.find(e.decl) === null && this.isKnown(e.decl.of);
      }
      case "index":
        return this.isKnown(e.of) && e.indexes.every((index) => this.isKnown(index));
      case "slice":
        return this.isKnown(e.of) && this.isKnownRange(e.range);
      case "field":
        return this.isKnown(e.of);
      case "call":
      case "builtin": {
        // sums may have thousands of terms
        let at: Expr | null = e;
        for (; at && (at.op === "call" || at.op === "builtin"); at = leftOperand(at))
          if (!this.isKnownBeside(at)) return false;
        return at === null || this.isKnown(at);
      }
      case "attribute":
        if (e.of && /^(left|right|high|low|length|range|reverse_range|ascending)$/.test(e.name))
          return e.of.op === "object" && this.scope.find(e.of.decl) === null;
        if (e.of) return e.name === "to_string" && this.isKnown(e.of);
        return (e.arg === null || this.isKnown(e.arg)) && (e.subtype === null || this.isKnownSubtype(e.subtype));
      case "aggregate":
        return e.elements.every(
          ({ choice, value }) =>
            this.isKnown(value) &&
            (choice.kind !== "value" || this.isKnown(choice.value)) &&
            (choice.kind !== "range" || this.isKnownRange(choice.range)),
        );
      case "convert":
      case "qualified":
        return this.isKnown(e.arg) && this.isKnownSubtype(e.subtype);
      default:
        return false;
    }
  }
  private isKnownRange(range: BoundRange): boolean {
    if (range.kind === "bounds") return this.isKnown(range.left) && this.isKnown(range.right);
    if (range.kind === "subtype") return this.isKnownSubtype(range.subtype);
    const of = range.attribute.op === "attribute" ? range.attribute.of : range.attribute;
    return of === null || (of.op === "object" && this.scope.find(of.decl) === null);
  }
  private isKnownSubtype(subtype: Subtype): boolean {
    const ofConstraint = (constraint: Constraint): boolean => {
      switch (constraint.kind) {
        case "range":
          return this.isKnownRange(constraint.range);
        case "array":
          return (
            constraint.ranges.every((range) => range === null || this.isKnownRange(range)) &&
            (constraint.element === null || ofConstraint(constraint.element))
          );
        case "record":
          return [...constraint.fields.values()].every(ofConstraint);
      }
    };
    for (let at: Subtype | null = subtype; at; at = at.parent) {
      if (at.ofObject && !this.isKnown(at.ofObject)) return false;
      if (at.constraint && !ofConstraint(at.constraint)) return false;
    }
    return true;
  }
  /** The same of an operator or a call if its left operand is not looked at. */
  protected isKnownBeside(e: Expr): boolean {
    if (e.op !== "call" && e.op !== "builtin") return false;
    if (e.op === "call" && (!e.sub.pure || e.sub.params.some((param) => param.kind !== "constant"))) return false;
    if (e.op === "call" && readsState(e.sub)) return false;
    // those of processes and subprograms are written out in their place
    if (e.op === "call" && e.sub.body && this.scope.frame.homeOf(e.sub)?.fn) return false;
    for (let i = 1; i < e.args.length; i++) {
      const arg = e.args[i];
      if (arg !== null && !this.isKnown(arg)) return false;
    }
    return true;
  }
  /** A number, or the position of a literal, that is known at this place. */
  protected knownValue(e: Expr): number | null {
    if (this.isKnown(e)) {
      const { v } = this.owner.values.evaluate(e, null, this.scope.frame);
      return typeof v === "number" ? v : null;
    }
    return knownOf(this.expr(e));
  }

  protected home(decl: Decl, loc: Loc): Home {
    const own = this.scope.find(decl);
    if (own) return own;
    const place = this.owner.placeOf(decl, this.scope.frame);
    if (place?.k === "sig") return { k: "ref", ref: this.treeRef(place.tree, place.shape) };
    if (place?.k === "cell") return { k: "ref", ref: this.shared(decl, place.cell, place.shape) };
    this.refuse(loc, `'${decl.name}'`);
  }

  /** A tree of signals, as a stretch of one signal if it is that. */
  protected treeRef(tree: SigTree, shape: Shape): Ref {
    let made = this.trees.get(tree);
    if (!made) {
      const place = this.treePlace(tree, shape);
      made = place ? { k: "signal", ...place } : { k: "tree", tree, shape };
      this.trees.set(tree, made);
    }
    // a port shows the same signals under bounds of its own
    return { ...made, shape } as Ref;
  }
  private readonly trees = new Map<SigTree, Ref>();

  /** A shared variable: a register or memory that several processes write. */
  private shared(decl: Decl, cell: { v: unknown }, shape: Shape): Ref {
    let made = this.cells.get(cell);
    if (!made) {
      const width = widthOf(shape);
      if (!width) this.refuse(decl.loc, `The shared variable '${decl.name}' of type ${shapeText(shape)}`);
      const signal = this.makeSignal(decl.name, width, decl.loc, "variable", shape);
      this.startWith(signal, cell.v, shape);
      made = { k: "signal", signal, offset: 0, shape };
      this.cells.set(cell, made);
    }
    return made;
  }
  private readonly cells = new Map<object, Ref>();
  /** A variable's value before all else; unknown bits have none. */
  protected startWith(signal: Signal, v: unknown, shape: Shape): void {
    const value = fourStateOf(v, shape);
    if (value.b !== (1n << BigInt(signal.width)) - 1n) signal.init = value;
  }
}

/** The number that a value is, if that is known. */
export function knownOf(val: Val): number | null {
  if (val.cv !== undefined) return val.cv;
  return val.shape.k === "s" ? numberOf(val.e) : null;
}

/** Names of the values, by their places, which are the codes; the standard's bits have none. */
function enumerationOf(type: EnumType): EnumInfo | null {
  if (type.packing) return null;
  const members = type.literals.map(({ name, pos }) => ({ name, value: { a: BigInt(pos), b: 0n } }));
  return { name: type.name, members };
}
