import type { Loc } from "../../../common/source.ts";
import { type Instance, type Expr as ModelExpr, type Signal, type Value, wholeTarget } from "../../model.ts";
import type { VhdlInstance } from "../instances/instance.ts";
import { type Shape, shapeText } from "../values/shapes.ts";
import { leavesOf, type Sig, type SigTree } from "../values/signals.ts";
import type { CircuitWriter } from "./circuit.ts";
import { Scope } from "./circuit-base.ts";
import { constant, fourStateOf, isUnknown, joinValues, read, slice, widthOf } from "./circuit-expr.ts";
import { joined } from "./circuit-pieces.ts";
import { containsEdge as isClocked } from "./circuit-scan.ts";

/** Bits of a value that are known. */
interface Stretch {
  readonly offset: number;
  readonly width: number;
  readonly value: Value;
}

/** The value with these stretches in it, which stand apart in their order. By halves: large numbers are copied few times. */
function placed(old: Value, list: readonly Stretch[], from: number): Value {
  if (list.length === 0) return old;
  if (list.length > 1) {
    const middle = list.length >> 1;
    const cut = list[middle].offset - from;
    const low = (1n << BigInt(cut)) - 1n;
    const right = placed({ a: old.a & low, b: old.b & low }, list.slice(0, middle), from);
    const rest = { a: old.a >> BigInt(cut), b: old.b >> BigInt(cut) };
    const left = placed(rest, list.slice(middle), from + cut);
    return { a: right.a | (left.a << BigInt(cut)), b: right.b | (left.b << BigInt(cut)) };
  }
  const [{ offset, width: own, value }] = list;
  const at = BigInt(offset - from);
  const mask = ((1n << BigInt(own)) - 1n) << at;
  return { a: (old.a & ~mask) | (value.a << at), b: (old.b & ~mask) | (value.b << at) };
}

/** Signals of the circuit for those of instances, with their start values and connections. */
export class CircuitSignals {
  constructor(private readonly host: CircuitWriter) {}

  declare(instance: VhdlInstance): void {
    this.host.at(instance, () => {
      this.noteAttributes(instance);
      if (instance.guard) this.declareGuard(instance);
      for (const { decl, tree, shape } of instance.signals) {
        const width = widthOf(shape);
        const own = leavesOf(tree);
        const isPort = decl.mode !== null && decl.role === "port";
        if (width === null || width === 0) {
          if (width === null && instance.parent === null && isPort)
            this.host.error(
              "port-type",
              decl.loc,
              `Port '${decl.name}' of type ${shapeText(shape)} has no bits.`,
              "Use std_logic, vectors, or whole numbers with a range.",
            );
          continue;
        }
        // a port that is connected as a whole has the signals of what it is connected to
        const isShared = own.some((leaf) => this.host.leaves.has(leaf) || this.host.owner.originOf(leaf) !== null);
        const stands =
          isPort && instance.parent === null && this.host.outer
            ? this.host.outer.ports.find((each) => each.plainName === decl.name)
            : undefined;
        const signal =
          stands ??
          this.host.makeSignal(
            decl.name,
            width,
            decl.loc,
            isPort && decl.mode === "in" ? "net" : "variable",
            shape,
            isShared,
          );
        const isTop = instance.parent === null && !this.host.outer;
        if (isPort && !stands && (isTop || !isShared)) {
          signal.direction = decl.mode === "in" ? "input" : decl.mode === "inout" ? "inout" : "output";
          if (isTop) this.host.instance.ports.push(signal);
        }
        if (isShared) {
          this.views.push({ signal, tree, loc: decl.loc, instance: this.host.instance });
          // registers behind an output begin with the port's default
          if (decl.init && decl.mode !== "in") this.beginWith(tree, shape, instance);
          continue;
        }
        let offset = width;
        const values: [unknown, Shape][] = [];
        this.eachLeaf(tree, shape, (leaf, leafShape) => {
          const size = widthOf(leafShape) ?? 0;
          offset -= size;
          this.host.leaves.set(leaf, { signal, offset });
          values.push([leaf.v, leafShape]);
        });
        const isOpenInput =
          signal.direction === "input" && !isTop && !stands && !own.some((leaf) => this.linked.has(leaf));
        if (isOpenInput) {
          const value = joined(
            values.map(([v, each]) => constant(fourStateOf(v, each), widthOf(each) ?? 0, decl.loc)),
            decl.loc,
          );
          this.host.model.assigns.push({
            target: wholeTarget(signal, decl.loc),
            value,
            delay: null,
            strength: null,
            instance: this.host.instance,
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
    const signal = this.host.makeSignal("guard", 1, decl.loc, "variable", place.shape);
    this.host.leaves.set(place.tree, { signal, offset: 0 });
    this.host.guarded.push(instance);
    this.host.guards.set(decl, instance.guard!.expr);
  }
  /** The entity's own first, then those of the label that it stands under, then those of what is declared in it. */
  private noteAttributes(instance: VhdlInstance): void {
    const { attributes } = this.host.model;
    const scope = this.host.prefix.slice(0, -1);
    const note = ({ name, value, loc }: VhdlInstance["attributes"][number]) => {
      attributes.push({ of: scope, isScope: true, name, value, loc });
      // ports that carry the nets of the outside are signals without a direction here
      if (name === "keep")
        for (const { decl } of instance.signals)
          if (decl.role === "port")
            attributes.push({ of: this.host.prefix + decl.name, isScope: false, name, value, loc });
    };
    for (const each of instance.attributes)
      if (each.on === instance.entity || each.on === instance.architecture) note(each);
    for (const each of instance.parent?.attributes ?? [])
      if (each.on.kind === "label" && each.on.name === instance.label.toLowerCase()) note(each);
    for (const { on, name, value, loc } of instance.attributes)
      if (on.kind === "signal") attributes.push({ of: this.host.prefix + on.name, isScope: false, name, value, loc });
  }
  private beginWith(tree: SigTree, shape: Shape, instance: VhdlInstance): void {
    const bySignal = new Map<Signal, Stretch[]>();
    this.eachLeaf(tree, shape, (leaf, leafShape) => {
      const v = instance.frame.driverInit?.get(leaf);
      const at = this.leafAt(leaf);
      if (v === undefined || !at || isUnknown(v)) return;
      const own = { offset: at.offset, width: widthOf(leafShape) ?? 0, value: fourStateOf(v, leafShape) };
      const list = bySignal.get(at.signal);
      if (list) list.push(own);
      else bySignal.set(at.signal, [own]);
    });
    for (const [signal, list] of bySignal) {
      const ones = (1n << BigInt(signal.width)) - 1n;
      const old = signal.init ?? { a: ones, b: ones };
      const sorted = [...list].sort((a, b) => a.offset - b.offset);
      const isApart = sorted.every((each, i) => i === 0 || sorted[i - 1].offset + sorted[i - 1].width <= each.offset);
      // where they meet, the last one counts
      signal.init = isApart ? placed(old, sorted, 0) : list.reduce((value, each) => placed(value, [each], 0), old);
    }
  }
  /** Signals of ports that a computed connection drives. */
  readonly linked = new Set<Sig>();
  /** Ports that show signals of others under names of their own. */
  private readonly views: {
    readonly signal: Signal;
    readonly tree: SigTree;
    readonly loc: Loc;
    readonly instance: Instance;
  }[] = [];

  eachLeaf(tree: SigTree, shape: Shape, run: (leaf: Sig, shape: Shape) => void): void {
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
  leafAt(leaf: Sig): { signal: Signal; offset: number } | null {
    const own = this.host.leaves.get(leaf);
    if (own) return own;
    const origin = this.host.owner.originOf(leaf);
    if (!origin) return null;
    const of = this.leafAt(origin.of);
    return of && { signal: of.signal, offset: of.offset + origin.lo };
  }

  treeExpr(tree: SigTree, shape: Shape, loc: Loc): ModelExpr {
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
  treePlace(tree: SigTree, shape: Shape): { signal: Signal; offset: number; shape: Shape } | null {
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

  connect(): void {
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
      this.host.model.assigns.push({
        target: wholeTarget(signal, loc),
        value,
        delay: null,
        strength: null,
        instance,
        loc,
      });
    }
    for (const link of this.host.owner.portLinks) {
      const instance = this.host.instances.get(link.instance)!;
      this.host.instance = instance;
      const { loc } = link.value;
      this.host.logic(new Scope(null, link.frame), loc, () => {
        const val = this.host.assigns.fit(this.host.values.expr(link.value, link.shape), link.shape, loc);
        return this.host.treeTarget(link.tree, link.part?.lo ?? null, link.shape, val.e, loc);
      });
    }
    for (const instance of this.host.guarded) {
      const { signal, expr, frame } = instance.guard!;
      const place = instance.frame.places.get(signal);
      if (place?.k !== "sig") continue;
      this.host.instance = this.host.instances.get(instance)!;
      // a guard that asks for an edge makes registers of what it guards, and no signal
      if (isClocked(expr)) continue;
      this.host.logic(new Scope(null, frame), expr.loc, () =>
        this.host.treeTarget(place.tree, null, place.shape, this.host.values.expr(expr).e, expr.loc),
      );
    }
    this.host.instance = this.host.model.top;
  }
}
