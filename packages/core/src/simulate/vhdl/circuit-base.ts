import type { Loc } from "../../common/source.ts";
import type {
  DesignModel,
  Instance,
  Expr as ModelExpr,
  Stmt as ModelStmt,
  Signal,
  Subroutine,
  Target,
  TargetPart,
} from "../../elaborate/model.ts";
import { type EnumInfo, vectorType } from "../../elaborate/types.ts";
import type { Decl, Expr, Subprogram } from "../../elaborate/vhdl/bound.ts";
import type { BoundRange, EnumType } from "../../elaborate/vhdl/types.ts";
import { constant, fourStateOf, integerLimits, isUnknown, read, slice, widthOf } from "./circuit-expr.ts";
import { extendTo, joined, whole } from "./circuit-pieces.ts";
import type { Elaborator } from "./elaborator.ts";
import type { VhdlInstance } from "./elaborator-base.ts";
import { Frame } from "./frames.ts";
import { leftOperand } from "./operand-chain.ts";
import { type Bounds, rightOf, type Shape, shapeText } from "./shapes.ts";
import { leavesOf, type Sig, type SigTree } from "./signals.ts";
import { WordArrays } from "./word-arrays.ts";

/** A value in a circuit: bits, with what they mean. Whole numbers bring their limits. */
export interface Val {
  readonly e: ModelExpr;
  readonly shape: Shape;
  readonly lo?: number;
  readonly hi?: number;
  /** Known before the circuit is: for indexes and bounds. */
  readonly cv?: number;
}
/** A stretch of a signal that statements assign. */
export interface Place {
  readonly signal: Signal;
  readonly offset: number | ModelExpr;
  readonly shape: Shape;
}
/** Where the value of a declaration is, within one process or subprogram. */
export type Home =
  | { readonly k: "signal"; readonly signal: Signal; readonly shape: Shape }
  | { readonly k: "tree"; readonly tree: SigTree; readonly shape: Shape }
  | { readonly k: "place"; readonly place: Place; readonly deferred: boolean };

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
}

/** Thrown where something makes no circuit; the finding has been told. */
export class NoCircuit extends Error {}

export const mostTurns = 65536;

/** Signals of the circuit, and what all of its writer needs. */
export abstract class CircuitBase {
  protected readonly leaves = new Map<Sig, { readonly signal: Signal; readonly offset: number }>();
  protected readonly subroutines = new Map<Subprogram, Map<string, Subroutine>>();
  protected scope: Scope;
  protected instance: Instance;
  protected temps = 0;
  protected depth = 0;
  protected current: { readonly sub: Subroutine; readonly shape: Shape | null } | null = null;
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
    this.error("not-synthesizable", loc, `${what} makes no circuit.`, remedy);
    throw new NoCircuit();
  }

  protected readonly wordArrays = new WordArrays();

  /** Statements that an expression needs before it. */
  protected before: ModelStmt[] = [];

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
    const b = shape?.k === "a" && shape.pack && shape.dims ? shape.dims[0] : null;
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
  protected outer: Instance | null = null;

  /** To be called when nothing more is written. */
  finish(): void {
    this.wordArrays.settle(this.model);
  }

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
  protected treePlace(tree: SigTree, shape: Shape): Place | null {
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

  // ---- what is known before the circuit ---------------------------------------------------------------------------

  protected shape(subtype: Parameters<Elaborator["shapeOf"]>[0], loc: Loc, mayBeOpen = false): Shape {
    const shape = this.owner.shapeOf(subtype, this.scope.frame, loc);
    if (!mayBeOpen && shape.k === "a" && shape.dims === null) this.refuse(loc, "An array whose length is not known");
    return shape;
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
    if (range.kind === "bounds") {
      const l = this.knownValue(range.left);
      const r = this.knownValue(range.right);
      if (l === null || r === null) return null;
      return { l, d: range.descending ? 1 : 0, n: Math.max(0, range.descending ? l - r + 1 : r - l + 1) };
    }
    return this.owner.emitter(this.scope.frame).bounds(range);
  }

  /** Whether constants alone decide an expression. Bounds of objects count as such. */
  protected isKnown(e: Expr): boolean {
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
      case "builtin": {
        // sums may have thousands of terms
        let at: Expr | null = e;
        for (; at && (at.op === "call" || at.op === "builtin"); at = leftOperand(at))
          if (!this.isKnownBeside(at)) return false;
        return at === null || this.isKnown(at);
      }
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
  /** The same of an operator or a call if its left operand is not looked at. */
  protected isKnownBeside(e: Expr): boolean {
    if (e.op !== "call" && e.op !== "builtin") return false;
    if (e.op === "call" && (!e.sub.pure || e.sub.params.some((param) => param.kind !== "constant"))) return false;
    for (let i = 1; i < e.args.length; i++) {
      const arg = e.args[i];
      if (arg !== null && !this.isKnown(arg)) return false;
    }
    return true;
  }
  protected knownValue(e: Expr): number | null {
    if (!this.isKnown(e)) return null;
    const { v } = this.owner.evaluate(e, null, this.scope.frame);
    return typeof v === "number" ? v : null;
  }

  protected home(decl: Decl, loc: Loc): Home {
    const own = this.scope.find(decl);
    if (own) return own;
    const place = this.owner.placeOf(decl, this.scope.frame);
    if (place?.k === "sig") return { k: "tree", tree: place.tree, shape: place.shape };
    if (place?.k === "cell") this.refuse(loc, `The shared variable '${decl.name}'`);
    this.refuse(loc, `'${decl.name}'`);
  }
}

/** Names of the values, by their places, which are the codes; the standard's bits have none. */
function enumerationOf(type: EnumType): EnumInfo | null {
  if (type.packing) return null;
  const members = type.literals.map(({ name, pos }) => ({ name, value: { a: BigInt(pos), b: 0n } }));
  return { name: type.name, members };
}
