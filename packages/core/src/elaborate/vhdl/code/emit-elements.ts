import type { Loc } from "../../../common/source.ts";
import type { Expr } from "../bound.ts";
import type { VType } from "../types.ts";
import { type ArrayShape, boundsOf, elementOf, highOf, lowOf, rightOf, type Shape } from "../values/shapes.ts";
import type { SigTree } from "../values/signals.ts";
import { type Bits, getB, getL, maskOf, sliceL } from "../values/values.ts";
import type { RangeVal, Val } from "./emit-base.ts";
import { addText, isList, type Ref, wrapped } from "./emit-text.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Names of signals and of their parts, and elements and slices of arrays. */
export class EmitElements {
  constructor(private readonly host: UnitEmitter) {}

  // ---- signals --------------------------------------------------------------------------------------------------

  /** The signal that a name stands for; null if it is none. */
  refOf(e: Expr): Ref | null {
    switch (e.op) {
      case "object":
        return this.objectRef(e);
      case "field":
        return this.fieldRef(e);
      case "index":
        return this.elementRef(e);
      case "slice":
        return this.sliceRef(e);
      case "attribute": {
        if (!e.of || !/^(delayed|stable|quiet|transaction)$/.test(e.name)) return null;
        const made = this.host.derived(e);
        return (
          made &&
          this.known_(
            made,
            e.name === "delayed" ? this.host.exprs.expr(e.of).shape : this.host.shapes.plainShape(e.type),
          )
        );
      }
      case "external":
        return this.host.externalRef(e);
      case "convert":
      case "qualified":
        return this.refOf(e.arg);
      default:
        return null;
    }
  }
  private objectRef(e: Expr & { op: "object" }): Ref | null {
    const { decl } = e;
    const place = this.host.find(decl);
    if (decl.kind === "alias") {
      const frame = place?.k === "alias" ? place.frame : this.host.frame;
      const ref = this.host.within(frame, () => this.refOf(decl.of));
      if (!ref) return null;
      const shape = this.host.exprs.aliasShape(decl, frame);
      if (shape?.k !== "a" || !shape.dims) return ref;
      return ref.part ? { ...ref, part: { ...ref.part, shape } } : { ...ref, shape };
    }
    if (place?.k === "sig") return this.known_(place.tree, place.shape);
    if (place?.k === "sigparam")
      return { sig: place.sig, tree: null, drv: () => place.drv ?? "undefined", shape: place.shape, part: null };
    return null;
  }
  private fieldRef(e: Expr & { op: "field" }): Ref | null {
    const of = this.refOf(e.of);
    if (of?.shape.k !== "r") return null;
    const shape = of.shape.fields[e.field];
    // a record that is resolved as a whole is one signal: its fields are none
    if (of.tree && !Array.isArray(of.tree)) return null;
    if (Array.isArray(of.tree)) return this.known_(of.tree[e.field], shape);
    return { sig: `${of.sig}[${e.field}]`, tree: null, drv: () => `${of.drv()}[${e.field}]`, shape, part: null };
  }
  private elementRef(e: Expr & { op: "index" }): Ref | null {
    const of = this.refOf(e.of);
    if (!of) return null;
    const shape = of.part ? of.part.shape : of.shape;
    // a text is one signal: its characters are none
    if (shape.k !== "a" || this.isOneSignal(of)) return null;
    let at: Ref = of;
    let rest: ArrayShape = shape;
    for (let dim = 0; dim < e.indexes.length; dim++) {
      const index = this.host.exprs.expr(e.indexes[dim]);
      const k = this.position(rest, 0, index, e.indexes[dim].loc, `${at.sig}.v`);
      const inner = elementOf(rest);
      if (rest.pack && rest.pack !== "char") {
        const n = rest.dims ? rest.dims[0].n : null;
        const bit = typeof k === "number" && n !== null ? n - 1 - k : null;
        const base = at.part;
        const lo = base
          ? addText(base.lo, base.loKnown, bit, `${n ?? `${at.sig}.n`}-1-${wrapped(String(k))}`)
          : (bit ?? `${n ?? `${at.sig}.n`}-1-${wrapped(String(k))}`);
        const loKnown = typeof lo === "number" ? lo : null;
        return { ...at, part: { lo: String(lo), loKnown, n: "1", nKnown: 1, bit: true, shape: rest.elem } };
      }
      const { sig, tree, drv } = at;
      at =
        Array.isArray(tree) && typeof k === "number"
          ? this.known_(tree[k], inner)
          : { sig: `${sig}[${k}]`, tree: null, drv: () => `${drv()}[${k}]`, shape: inner, part: null };
      if (inner.k === "a") rest = inner;
    }
    return at;
  }
  private sliceRef(e: Expr & { op: "slice" }): Ref | null {
    const of = this.refOf(e.of);
    if (!of) return null;
    const shape = of.part ? of.part.shape : of.shape;
    if (shape.k !== "a" || this.isOneSignal(of)) return null;
    const cut = this.cut(shape, e, `${of.sig}.v`);
    const { k, n, made } = cut;
    if (shape.pack && shape.pack !== "char") {
      const total = shape.dims ? shape.dims[0].n : null;
      const known = typeof k === "number" && typeof n === "number" && total !== null ? total - k - n : null;
      const text = known ?? `${total ?? `${of.sig}.n`}-${wrapped(String(k))}-${n}`;
      const base = of.part;
      const lo = base ? addText(base.lo, base.loKnown, known, String(text)) : text;
      return {
        ...of,
        part: {
          lo: String(lo),
          loKnown: typeof lo === "number" ? lo : null,
          n: String(n),
          nKnown: typeof n === "number" ? n : null,
          bit: false,
          shape: made,
        },
      };
    }
    const { sig, tree, drv } = of;
    if (Array.isArray(tree) && typeof k === "number" && typeof n === "number")
      return this.known_(tree.slice(k, k + n), made);
    return {
      sig: `${sig}.slice(${k},${k}+${n})`,
      tree: null,
      drv: () => `${drv()}.slice(${k},${k}+${n})`,
      shape: made,
      part: null,
    };
  }
  /** A composite that is one signal: a text, or what is resolved as a whole. Its parts are no signals. */
  private isOneSignal(of: Ref): boolean {
    if (of.part || of.shape.k !== "a") return false;
    return of.shape.pack === "char" || (of.shape.pack === null && of.tree !== null && !Array.isArray(of.tree));
  }
  /** The signal that a name means a part of, where the part is no signal. */
  wholeOf(e: Expr): Ref | null {
    if (e.op !== "index" && e.op !== "slice" && e.op !== "field") return null;
    return this.refOf(e.of) ?? this.wholeOf(e.of);
  }

  known_(tree: SigTree, shape: Shape): Ref {
    return {
      sig: this.host.cap(tree),
      tree,
      drv: () => this.host.cap(this.host.driver(tree, null, null)),
      shape,
      part: null,
    };
  }

  readRef(ref: Ref): Val {
    const { shape, part } = ref;
    if (part) {
      const two = part.bit ? part.shape.k === "s" && this.isTwo(part.shape.type) : false;
      if (part.bit) return this.bitAt(`${ref.sig}.v`, part.lo, ref.shape, part.shape, two);
      return this.sliced(`${ref.sig}.v`, part.lo, part.n, part.nKnown, part.shape, ref.shape);
    }
    if (this.isTree(shape, ref.tree)) return { js: `${this.host.rt("readTree")}(${ref.sig})`, shape, fresh: true };
    return { js: `${ref.sig}.v`, shape };
  }
  isTree(shape: Shape, tree: SigTree | null): boolean {
    return tree ? Array.isArray(tree) : isList(shape);
  }
  private isTwo(type: VType): boolean {
    return type.kind === "enum" && type.packing === "bit";
  }

  // ---- elements -------------------------------------------------------------------------------------------------

  /** Place of an element from the left, checked. */
  position(shape: ArrayShape, dim: number, index: Val, loc: Loc, carried: string): number | string {
    if (!shape.dims) return `${this.host.rt("at")}(${carried},${index.js},${this.host.at(loc)})`;
    const b = shape.dims[dim];
    const low = lowOf(b);
    const high = highOf(b);
    if (typeof index.cv === "number") {
      if (index.cv < low || index.cv > high) {
        this.host.error(
          "index",
          loc,
          b.n === 0
            ? `Index ${this.valueText(index.cv, index.shape)}, but the array has no elements.`
            : `Index ${this.valueText(index.cv, index.shape)} is outside of ${this.valueText(b.l, index.shape)} ${b.d ? "downto" : "to"} ${this.valueText(rightOf(b), index.shape)}.`,
          "Check the index and the array's bounds.",
        );
        return 0;
      }
      return b.d ? b.l - index.cv : index.cv - b.l;
    }
    const inside = index.lo !== undefined && index.hi !== undefined && index.lo >= low && index.hi <= high;
    const js = inside ? index.js : `${this.host.rt("ix")}(${index.js},${low},${high},${this.host.at(loc)})`;
    if (b.d) return `${b.l}-${wrapped(js)}`;
    return b.l === 0 ? js : `${wrapped(js)}-${wrapped(String(b.l))}`;
  }
  valueText(v: number, shape: Shape): string {
    return shape.k === "s" && shape.type.kind === "enum" ? (shape.type.literals[v]?.name ?? String(v)) : String(v);
  }

  private bitAt(js: string, bit: string, whole: Shape, elem: Shape, two: boolean): Val {
    const n = whole.k === "a" && whole.dims ? whole.dims[0].n : null;
    if (two) {
      if (n !== null && n <= 32) return { js: `(${js}>>>${wrapped(bit)}&1)`, shape: elem, lo: 0, hi: 1 };
      return { js: `${this.host.rt("getB")}(${js},${bit})`, shape: elem, lo: 0, hi: 1 };
    }
    if (n !== null && n <= 32) {
      const value = this.host.once(js);
      const any = `(typeof ${value.first}==="number"?2+(${value.again}>>>${wrapped(bit)}&1):${this.host.rt("getL")}(${value.again},${bit}))`;
      const plain =
        value.first === value.again && /^\d+$/.test(bit)
          ? { guards: [`typeof ${value.first}==="number"`], bit: `${value.first}>>>${bit}`, any, operators: 0, of: any }
          : undefined;
      return { js: any, shape: elem, plain };
    }
    return { js: `${this.host.rt("getL")}(${js},${bit})`, shape: elem };
  }

  index(e: Expr & { op: "index" }): Val {
    const ref = this.refOf(e);
    if (ref) return this.readRef(ref);
    let val = this.host.exprs.expr(e.of);
    for (let dim = 0; dim < e.indexes.length; dim++) {
      const { shape } = val;
      if (shape.k !== "a") return val;
      const index = this.host.exprs.expr(e.indexes[dim]);
      const own = shape.dims ? { first: val.js, again: val.js } : this.host.once(val.js);
      const k = this.position(shape, 0, index, e.indexes[dim].loc, own.first);
      const inner = elementOf(shape);
      const payload = shape.dims ? val.js : `${own.again}.p`;
      if (shape.pack === "char") {
        if (typeof val.cv === "string" && typeof k === "number") return this.host.known(val.cv.charCodeAt(k), inner);
        // with the carried value evaluated first
        const js = shape.dims
          ? `${wrapped(payload)}.charCodeAt(${k})`
          : this.ordered(String(k), (at) => `${payload}.charCodeAt(${at})`);
        return { js, shape: inner, lo: 0, hi: 255 };
      }
      if (shape.pack) {
        if (val.cv !== undefined && typeof k === "number" && shape.dims) {
          const bit = shape.dims[0].n - 1 - k;
          return this.host.known(shape.pack === "bit" ? getB(val.cv as number, bit) : getL(val.cv as Bits, bit), inner);
        }
        const two = shape.pack === "bit";
        if (shape.dims) {
          const bit = typeof k === "number" ? String(shape.dims[0].n - 1 - k) : `${shape.dims[0].n - 1}-(${k})`;
          return this.bitAt(payload, bit, shape, inner, two);
        }
        return {
          js: this.ordered(
            String(k),
            (at) => `${this.host.rt(two ? "getB" : "getL")}(${payload},${own.again}.n-1-${at})`,
          ),
          shape: inner,
        };
      }
      if (val.cv !== undefined && typeof k === "number" && Array.isArray(val.cv))
        val = this.host.known(val.cv[k], inner);
      else
        val = {
          js: shape.dims ? `${payload}[${k}]` : this.ordered(String(k), (at) => `${payload}[${at}]`),
          shape: inner,
        };
    }
    return val;
  }
  /** Computes `first` before what uses it. */
  private ordered(first: string, then: (name: string) => string): string {
    const name = this.host.temp();
    return `(${name}=${first},${then(name)})`;
  }

  /** A slice of an array: place from the left, length, and the shape of what it gives. */
  cut(
    shape: ArrayShape,
    e: Expr & { op: "slice" },
    carried: string,
  ): { k: number | string; n: number | string; made: Shape; range: RangeVal } {
    const range = this.host.shapes.rangeVal(e.range);
    const { l, r, d, dynamicDir } = range;
    const place = this.host.at(e.loc);
    if (dynamicDir === undefined && typeof l.cv === "number" && typeof r.cv === "number") {
      const bounds = boundsOf(l.cv, r.cv, d);
      const { n } = bounds;
      const made: Shape = { ...shape, dims: [bounds] };
      if (shape.dims) {
        const [b] = shape.dims;
        if (n === 0) return { k: 0, n: 0, made, range };
        const k = b.d ? b.l - l.cv : l.cv - b.l;
        if (d !== b.d && n > 1) {
          this.host.error(
            "slice-direction",
            e.loc,
            `This slice goes '${d ? "downto" : "to"}', but the array '${b.d ? "downto" : "to"}'.`,
            `Write ${r.cv} ${b.d ? "downto" : "to"} ${l.cv}.`,
          );
          return { k: 0, n, made, range };
        }
        if (k < 0 || k + n > b.n) {
          this.host.error(
            "slice",
            e.loc,
            `The slice ${l.cv} ${d ? "downto" : "to"} ${r.cv} is outside of the array's ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
            "Check its bounds.",
          );
          return { k: 0, n: Math.min(n, b.n), made, range };
        }
        return { k, n, made, range };
      }
      const own = this.host.once(carried);
      return {
        k: `${this.host.rt("sliceAt")}(${l.cv},${n},${own.first}.l,${own.again}.d,${own.again}.n,${d},${place})`,
        n,
        made,
        range,
      };
    }
    const dir = dynamicDir ?? String(d);
    const left = this.host.once(l.js);
    const nName = this.host.temp();
    const kName = this.host.temp();
    const base = shape.dims
      ? `${shape.dims[0].l},${shape.dims[0].d},${shape.dims[0].n}`
      : ((own) => `${own.first}.l,${own.again}.d,${own.again}.n`)(this.host.once(carried));
    const k = `(${nName}=${this.host.rt("len")}(${left.first},${r.js},${dir}),${kName}=${this.host.rt("sliceAt")}(${left.again},${nName},${base},${dir},${place}))`;
    const made: Shape & { left?: string; dir?: string } = { ...shape, dims: null };
    const more = { sliceLeft: left.again, sliceDir: dir };
    return {
      k,
      n: nName,
      made: Object.assign(made, more, dynamicDir === undefined ? { towards: d } : {}),
      range,
    };
  }

  private sliced(js: string, lo: string, n: string, known: number | null, shape: Shape, whole: Shape): Val {
    if (known !== null) {
      const total = whole.k === "a" && whole.dims ? whole.dims[0].n : null;
      if (total !== null && total <= 32 && known > 0) {
        const value = this.host.once(js);
        const plain =
          lo === "0" ? `${value.again}&${maskOf(known)}` : `${value.again}>>>${wrapped(lo)}&${maskOf(known)}`;
        const isBit = whole.k === "a" && whole.pack === "bit";
        if (known === total) return { js, shape };
        if (isBit) return { js: `(${value.first === value.again ? plain : `(${value.first},${plain})`})`, shape };
        return {
          js: `(typeof ${value.first}==="number"?${plain}:${this.host.rt("sliceL")}(${value.again},${lo},${known}))`,
          shape,
        };
      }
      return { js: `${this.host.rt("sliceL")}(${js},${lo},${known})`, shape };
    }
    const extra = shape as Shape & { sliceLeft: string; sliceDir: string };
    const at = this.host.temp();
    return {
      js: `(${at}=${lo},${this.host.rt("arr")}(${this.host.rt("sliceL")}(${js},${at},${n}),${extra.sliceLeft},${extra.sliceDir},${n}))`,
      shape: { ...(shape as ArrayShape), dims: null },
    };
  }

  slice(e: Expr & { op: "slice" }): Val {
    const ref = this.refOf(e);
    if (ref) return this.readRef(ref);
    const val = this.host.exprs.expr(e.of);
    const { shape } = val;
    if (shape.k !== "a") return val;
    const own = shape.dims ? { first: val.js, again: val.js } : this.host.once(val.js);
    const { k, n, made } = this.cut(shape, e, own.first);
    const payload = shape.dims ? val.js : `${own.again}.p`;
    const total = shape.dims ? String(shape.dims[0].n) : `${own.again}.n`;
    if (shape.pack && shape.pack !== "char") {
      if (shape.dims && typeof k === "number" && typeof n === "number") {
        const lo = shape.dims[0].n - k - n;
        if (val.cv !== undefined) return this.host.known(sliceL(val.cv as Bits, lo, n), made);
        return this.sliced(payload, String(lo), String(n), n, made, shape);
      }
      if (typeof n === "number") {
        const js = this.ordered(String(k), (at) => `${this.host.rt("sliceL")}(${payload},${total}-${at}-${n},${n})`);
        return { js, shape: made };
      }
      const extra = made as Shape & { sliceLeft: string; sliceDir: string };
      const js = this.ordered(
        String(k),
        (at) =>
          `${this.host.rt("arr")}(${this.host.rt("sliceL")}(${payload},${total}-${at}-${n},${n}),${extra.sliceLeft},${extra.sliceDir},${n})`,
      );
      return { js, shape: { ...shape, dims: null } };
    }
    const method = shape.pack === "char" ? "substr" : "slice";
    if (typeof n === "number") {
      if (val.cv !== undefined && typeof k === "number" && shape.dims)
        return this.host.known((val.cv as string).slice(k, k + n), made);
      const js = this.ordered(
        String(k),
        (at) => `${wrapped(payload)}.${method === "substr" ? "slice" : "slice"}(${at},${at}+${n})`,
      );
      return { js, shape: made };
    }
    const extra = made as Shape & { sliceLeft: string; sliceDir: string };
    const js = this.ordered(
      String(k),
      (at) =>
        `${this.host.rt("arr")}(${wrapped(payload)}.slice(${at},${at}+${n}),${extra.sliceLeft},${extra.sliceDir},${n})`,
    );
    return { js, shape: { ...shape, dims: null } };
  }
}
