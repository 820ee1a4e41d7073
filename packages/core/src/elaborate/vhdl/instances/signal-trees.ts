import type { ConstantDecl, Subprogram } from "../bound.ts";
import { packingOf, type Subtype } from "../types.ts";
import { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import { Driver, leavesOf, Sig, type SigTree } from "../values/signals.ts";
import type { Elaborator } from "./elaborator.ts";
import { elementResolutionOf, resolutionOf } from "./elaborator-pieces.ts";

/** Signals of composite types as trees of leaves. */
export class SignalTrees {
  /** Signals of attributes such as 'delayed, by what they are of. */
  private readonly derived = new Map<SigTree, Map<string, SigTree>>();
  constructor(private readonly host: Elaborator) {}

  makeTree(name: string, shape: Shape, value: unknown, subtype: Subtype | null, frame: Frame): SigTree {
    const own = resolutionOf(subtype);
    if (shape.k === "r") {
      if (own) return this.leaf(name, value, "list", 1, this.resolver(own, frame));
      return shape.fields.map((field, i) =>
        this.makeTree(
          `${name}.${shape.type.fields[i].name}`,
          field,
          (value as unknown[])[i],
          shape.type.fields[i].subtype,
          frame,
        ),
      );
    }
    if (shape.k === "a") {
      const element = elementResolutionOf(subtype) ?? resolutionOf(shape.type.element);
      if (shape.pack && shape.pack !== "char") {
        const n = shape.dims?.[0].n ?? 0;
        return this.leaf(name, value, "bits", n, element ? this.resolver(element, frame) : null);
      }
      if (own || shape.pack === "char")
        return this.leaf(name, value, "list", 1, own ? this.resolver(own, frame) : null);
      const rest = shape.dims && shape.dims.length > 1 ? shape.dims.slice(1) : null;
      const inner: Shape = rest ? { ...shape, dims: rest } : shape.elem;
      return (value as unknown[]).map((each, i) => {
        const index = shape.dims ? (shape.dims[0].d ? shape.dims[0].l - i : shape.dims[0].l + i) : i;
        return this.makeTree(`${name}(${index})`, inner, each, rest ? subtype : shape.type.element, frame);
      });
    }
    return this.leaf(name, value, "scalar", 1, own ? this.resolver(own, frame) : null);
  }
  private leaf(name: string, value: unknown, kind: Sig["kind"], n: number, resolver: Sig["resolver"]): Sig {
    const sig = new Sig(name, value, kind, n, resolver);
    this.host.signals.push(sig);
    return sig;
  }

  private readonly resolvers = new Map<Subprogram, Sig["resolver"]>();
  private resolver(sub: Subprogram, frame: Frame): Sig["resolver"] {
    if (sub.native === "std_logic_1164.resolved") return "std";
    let made = this.resolvers.get(sub);
    if (made === undefined) {
      const emitter = this.host.emitter(frame);
      const array = sub.params[0].subtype.type;
      if (array.kind !== "array") return null;
      const pack = packingOf(array);
      const decl: ConstantDecl = {
        kind: "constant",
        name: "values",
        loc: sub.loc,
        subtype: sub.params[0].subtype,
        init: null,
        role: "param",
        full: null,
      };
      const inner = new Frame(frame, emitter.top);
      inner.places.set(decl, {
        k: "var",
        js: "a",
        shape: { k: "a", type: array, pack, dims: null, elem: emitter.shapes.shape(array.element) },
      });
      const val = emitter.within(inner, () =>
        emitter.subprograms.call(sub, [{ op: "object", decl, type: array, loc: sub.loc }], sub.loc, undefined),
      );
      const index = emitter.shapes.scalarRange(emitter.shapes.shape(array.indexes[0])).l.cv ?? 0;
      const packed =
        pack === "char"
          ? "String.fromCharCode(...x)"
          : pack === "bit"
            ? "R.packL(x.map((v)=>v+2))"
            : pack
              ? "R.packL(x)"
              : "x";
      made = emitter.link(
        `return (x)=>{const a=R.arr(${packed},${index},0,x.length);return ${emitter.repr.payload(val)};};`,
      ) as (values: unknown[]) => unknown;
      this.resolvers.set(sub, made);
    }
    return made;
  }

  derivedSignal(tree: SigTree, name: string, time: number): SigTree {
    let list = this.derived.get(tree);
    if (!list) {
      list = new Map();
      this.derived.set(tree, list);
    }
    const key = `${name}:${time}`;
    let made = list.get(key);
    if (made) return made;
    const { engine } = this.host;
    if (name === "delayed") {
      const follow = (of: SigTree): SigTree => {
        if (Array.isArray(of)) return of.map(follow);
        const sig = new Sig(`${of.name}'delayed`, of.v, of.kind, of.n, null);
        const driver = new Driver(sig, of.v);
        sig.drivers.push(driver);
        of.links.push(() => engine.after(driver, of.v, time, -1));
        return sig;
      };
      made = follow(tree);
    } else if (name === "transaction") {
      const sig = new Sig("transaction", 0, "scalar", 1, null);
      for (const leaf of leavesOf(tree)) {
        leaf.onActive ??= [];
        leaf.onActive.push(() => {
          if (sig.ev !== engine.d) engine.set(sig, 1 - (sig.v as number));
        });
      }
      made = sig;
    } else {
      const sig = new Sig(name, 1, "scalar", 1, null);
      const driver = new Driver(sig, 1);
      sig.drivers.push(driver);
      const changed = () => {
        engine.set(sig, 0);
        driver.v = 0;
        driver.queue = null;
        driver.soleTime = Number.NaN;
        engine.after(driver, 1, time, -1);
      };
      for (const leaf of leavesOf(tree)) {
        if (name === "stable") leaf.links.push(changed);
        else {
          leaf.onActive ??= [];
          leaf.onActive.push(changed);
        }
      }
      made = sig;
    }
    list.set(key, made);
    return made;
  }
}
