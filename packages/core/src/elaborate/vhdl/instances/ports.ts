import type { Loc } from "../../../common/source.ts";
import type { BoundAssociation, Expr, SignalDecl } from "../bound.ts";
import type { Ref } from "../code/emit-text.ts";
import { origins, type UnitEmitter } from "../code/unit-emitter.ts";
import type { Frame } from "../values/frames.ts";
import { type Shape, shapeText } from "../values/shapes.ts";
import { type DriverTree, leavesOf, partOf, readTree, type Sig, type SigTree } from "../values/signals.ts";
import { type Bits, insertL, setL, sliceL } from "../values/values.ts";
import type { Elaborator } from "./elaborator.ts";
import { putStretch, refThroughConversions, type Stretch, stretchOf } from "./elaborator-pieces.ts";
import type { VhdlInstance } from "./instance.ts";

/** Ports and what they are connected to. */
export class Ports {
  constructor(private readonly host: Elaborator) {}

  openPort(port: SignalDecl, frame: Frame, instance: VhdlInstance): void {
    const shape = this.host.values.shapeOf(port.subtype, frame, port.loc);
    if (!this.host.decls.checkBounds(shape, port)) return;
    const value = port.init
      ? this.host.values.evaluate(port.init, shape, frame).v
      : this.host.values.defaultOf(shape, frame, port.loc).v;
    const tree = this.host.trees.makeTree(port.name, shape, value, port.subtype, frame);
    frame.places.set(port, { k: "sig", tree, shape });
    instance.signals.push({ decl: port, tree, shape });
  }

  /** Signals of a port: those of the actual where the whole is connected. */
  port(
    port: SignalDecl,
    maps: readonly BoundAssociation[],
    component: SignalDecl | null,
    outer: Frame,
    frame: Frame,
    instance: VhdlInstance,
  ): void {
    const live = maps.filter((map) => map.actual !== null);
    if (live.length === 0) {
      this.openPort(port, frame, instance);
      return;
    }
    let shape = this.host.values.shapeOf(port.subtype, frame, port.loc);
    const [first] = live;
    const isWhole = live.length === 1 && first.formalExpr.op === "object" && !first.formalConversion;
    const set = (tree: SigTree) => {
      frame.places.set(port, { k: "sig", tree, shape });
      if (component) frame.places.set(component, { k: "sig", tree, shape });
      instance.signals.push({ decl: port, tree, shape });
    };
    if (isWhole) {
      const emitter = this.host.emitter(outer);
      const actual = first.actual!;
      const ref = refThroughConversions(emitter, actual);
      if (ref) {
        const found = this.signalOf(emitter, ref, first.loc);
        const have = ref.part ? ref.part.shape : ref.shape;
        if (shape.k === "a" && shape.dims === null && have.k === "a")
          shape = { ...shape, dims: have.dims, elem: have.elem };
        if (found && this.agree(shape, have, port, first)) {
          set(found);
          if (port.mode !== "in" && port.mode !== null) this.beginPort(port, found, shape, frame);
          return;
        }
        if (found) {
          this.openPort(port, frame, instance);
          return;
        }
      }
      if (port.mode === "in" || port.mode === null) {
        const value = this.host.values.evaluate(actual, shape, outer);
        if (shape.k === "a" && shape.dims === null) ({ shape } = value);
        const tree = this.host.trees.makeTree(port.name, shape, value.v, port.subtype, frame);
        set(tree);
        this.host.portLinks.push({ value: actual, tree, part: null, shape, frame: outer, instance });
        this.followTree(actual, tree, outer, shape);
        return;
      }
      this.openPort(port, frame, instance);
      return;
    }
    // connected in parts: a signal of its own, whose parts follow or drive the actuals
    if (!this.host.decls.checkBounds(shape, port)) return;
    const value = port.init
      ? this.host.values.evaluate(port.init, shape, frame).v
      : this.host.values.defaultOf(shape, frame, port.loc).v;
    const tree = this.host.trees.makeTree(port.name, shape, value, port.subtype, frame);
    set(tree);
    for (const map of live) {
      const inner = this.host.emitter(frame);
      const formal = inner.elements.refOf(map.formalExpr);
      if (!formal?.tree) continue;
      const emitter = this.host.emitter(outer, true);
      const shapeOfFormal = formal.part ? formal.part.shape : formal.shape;
      if (port.mode === "in" || port.mode === null) {
        const leaf = formal.tree;
        if (formal.part && !Array.isArray(leaf)) {
          const { loKnown, nKnown, bit } = formal.part;
          const two = formal.shape.k === "a" && formal.shape.pack === "bit";
          this.host.portLinks.push({
            value: map.actual!,
            tree: leaf,
            part: { lo: loKnown! },
            shape: shapeOfFormal,
            frame: outer,
            instance,
          });
          this.whenever(map.actual!, outer, shapeOfFormal, (v) => {
            const next = bit
              ? setL(leaf.v as Bits, leaf.n, loKnown!, two ? (v as number) + 2 : (v as number))
              : insertL(leaf.v as Bits, leaf.n, loKnown!, v as Bits, nKnown!);
            this.host.engine.set(leaf, next);
          });
        } else {
          this.host.portLinks.push({
            value: map.actual!,
            tree: leaf,
            part: null,
            shape: shapeOfFormal,
            frame: outer,
            instance,
          });
          this.followTree(map.actual!, leaf, outer, shapeOfFormal);
        }
        continue;
      }
      // outputs: a driver of the actual that has the formal's value
      const ref = refThroughConversions(emitter, map.actual!);
      if (!ref?.tree) continue;
      const driver = emitter.driver(ref.tree, ref.part?.loKnown ?? null, ref.part?.nKnown ?? null);
      const value = map.formalConversion ? map.formalConversion(map.formalExpr) : map.formalExpr;
      const part = ref.part && ref.part.loKnown !== null ? { lo: ref.part.loKnown } : null;
      this.host.portLinks.push({
        value,
        tree: ref.tree,
        part,
        shape: ref.part ? ref.part.shape : ref.shape,
        frame,
        instance,
      });
      const source = formal.part ? null : formal.tree;
      const convert = map.formalConversion ? this.conversion(map, inner, formal) : null;
      const push = () => {
        let v: unknown = source ? readTree(source) : null;
        if (formal.part && !Array.isArray(formal.tree)) {
          const p = (formal.tree as Sig).v as Bits;
          v = formal.part.bit
            ? inner.program.runtime.getL(p, formal.part.loKnown!)
            : sliceL(p, formal.part.loKnown!, formal.part.nKnown!);
        }
        if (convert) v = convert();
        this.pushDriver(driver, v, stretchOf(ref));
      };
      for (const leaf of leavesOf(formal.tree)) leaf.links.push(push);
      this.initial.push(push);
    }
  }
  private beginPort(port: SignalDecl, tree: SigTree, shape: Shape, frame: Frame): void {
    const { v } = port.init
      ? this.host.values.evaluate(port.init, shape, frame)
      : this.host.values.defaultOf(shape, frame, port.loc);
    frame.driverInit ??= new Map();
    const map = frame.driverInit;
    const put = (at: SigTree, value: unknown): void => {
      if (Array.isArray(at)) at.forEach((each, i) => put(each, (value as unknown[])[i]));
      else map.set(at, value);
    };
    put(tree, v);
  }
  /** Values that ports give when all signals are made: done once a run begins. */
  readonly initial: (() => void)[] = [];

  private conversion(map: BoundAssociation, inner: UnitEmitter, _formal: Ref): () => unknown {
    const expr = map.formalConversion!(map.formalExpr);
    const val = inner.exprs.expr(expr);
    return inner.link(`return ()=>${inner.repr.payload(val)};`) as () => unknown;
  }

  pushDriver(driver: DriverTree, v: unknown, stretch: Stretch | null): void {
    if (Array.isArray(driver)) {
      driver.forEach((each, i) => this.pushDriver(each, (v as unknown[])[i], stretch));
      return;
    }
    if (!driver) return;
    const target = driver.part ? driver.part.of : driver;
    const at = driver.part ?? stretch;
    target.v = at ? putStretch(target.v as Bits, target.sig.n, at, v) : v;
    target.next = target.v;
    this.host.engine.drive(target);
  }

  private agree(shape: Shape, have: Shape, port: SignalDecl, map: BoundAssociation): boolean {
    if (shape.k !== "a" || have.k !== "a" || !shape.dims || !have.dims) return true;
    for (let i = 0; i < shape.dims.length; i++)
      if (shape.dims[i].n !== have.dims[i]?.n) {
        this.host.report.error(
          "vhdl/port-width",
          map.loc,
          `Port '${port.name}' has ${shape.dims[i].n} elements (${shapeText(shape)}), what is connected ${have.dims[i]?.n} (${shapeText(have)}).`,
          "Make them as long as each other.",
        );
        return false;
      }
    return true;
  }

  /** The signals of a reference, those of a part being followed. */
  private signalOf(emitter: UnitEmitter, ref: Ref, loc: Loc): SigTree | null {
    if (!ref.tree) return null;
    if (!ref.part) return ref.tree;
    const { loKnown, nKnown, bit } = ref.part;
    if (loKnown === null || nKnown === null || Array.isArray(ref.tree)) {
      emitter.error("actual", loc, "A port is connected to a part that only the run knows.", "Use constant indexes.");
      return null;
    }
    return this.part(ref.tree, loKnown, nKnown, bit, ref.shape.k === "a" && ref.shape.pack === "bit");
  }
  private readonly parts = new Map<Sig, Map<string, Sig>>();
  private part(sig: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
    let list = this.parts.get(sig);
    if (!list) {
      list = new Map();
      this.parts.set(sig, list);
    }
    const key = `${lo}:${n}:${bit}`;
    let made = list.get(key);
    if (!made) {
      made = partOf(sig, lo, n, bit, two);
      origins.set(made, { of: sig, lo, n, bit, two });
      list.set(key, made);
    }
    return made;
  }

  /** Runs now and whenever a signal that the expression reads has an event, without delay. */
  whenever(expr: Expr, frame: Frame, shape: Shape, run: (v: unknown) => void): void {
    const emitter = this.host.emitter(frame);
    const reads = emitter.waiting.readsOf(expr);
    const val = emitter.repr.fit(emitter.exprs.expr(expr, shape), shape, expr.loc);
    const compute = emitter.link(`return ()=>${emitter.repr.payload(val)};`) as () => unknown;
    const go = () => run(compute());
    for (const read of reads) {
      const ref = emitter.elements.refOf(read);
      if (ref?.tree) for (const leaf of leavesOf(ref.tree)) leaf.links.push(go);
    }
    this.initial.push(go);
  }
  private followTree(expr: Expr, tree: SigTree, frame: Frame, shape: Shape): void {
    const put = (at: SigTree, v: unknown): void => {
      if (Array.isArray(at)) at.forEach((each, i) => put(each, (v as unknown[])[i]));
      else this.host.engine.set(at, v);
    };
    this.whenever(expr, frame, shape, (v) => put(tree, v));
  }
  follow(expr: Expr, sig: Sig, frame: Frame, shape: Shape): void {
    this.followTree(expr, sig, frame, shape);
  }
}
