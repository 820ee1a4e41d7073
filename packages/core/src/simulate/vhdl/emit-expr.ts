import type { Loc } from "../../common/source.ts";
import type { AggregateElement, Expr, PredefinedOp, Subprogram } from "../../elaborate/vhdl/bound.ts";
import { isScalar, type VType } from "../../elaborate/vhdl/types.ts";
import { dynamicRange, EmitBase, type RangeVal, type Val } from "./emit-base.ts";
import { leavesOf, partOf, type Sig, type SigTree } from "./engine.ts";
import { Frame } from "./frames.ts";
import { type ArrayShape, type Bounds, highOf, lowOf, rightOf, type Shape, shapeText } from "./shapes.ts";
import { Arr, allOf, type Bits, catL, fromCodes, getB, getL, maskOf, notL, sliceL } from "./values.ts";

/** A signal, or a stretch of one that is kept as bits. */
export interface Ref {
  /** Code of the signal or of the tree of signals. */
  readonly sig: string;
  /** Known now: part of the design's signals. */
  readonly tree: SigTree | null;
  /** Code of its driver in this process, made when it is asked for. */
  readonly drv: () => string;
  /** Of the whole leaf, or of the tree. */
  readonly shape: Shape;
  readonly part: {
    readonly lo: string;
    readonly loKnown: number | null;
    readonly n: string;
    readonly nKnown: number | null;
    readonly bit: boolean;
    readonly shape: Shape;
  } | null;
}

/** A variable, or a part of one. */
export interface LVal {
  readonly read: string;
  readonly write: (js: string) => string;
  readonly shape: Shape;
}

const isList = (shape: Shape): boolean => shape.k === "r" || (shape.k === "a" && shape.pack === null);

/** Expressions as code. */
export abstract class EmitExpr extends EmitBase {
  abstract call(sub: Subprogram, args: readonly (Expr | null)[], loc: Loc, on: Expr | undefined): Val;
  /** Driver of the process for signals that are known; `lo` and `n` say which bits. */
  abstract driver(tree: SigTree, lo: number | null, n: number | null): unknown;

  override expr(e: Expr, want?: Shape): Val {
    switch (e.op) {
      case "literal":
        return this.known(e.value, { k: "s", type: e.type, lo: null, hi: null });
      case "string":
        return this.stringLiteral(e.values, e.type, want);
      case "object":
        return this.object(e, want);
      case "index":
        return this.index(e);
      case "slice":
        return this.slice(e);
      case "field": {
        const ref = this.refOf(e);
        if (ref) return this.readRef(ref);
        const of = this.expr(e.of);
        const shape = of.shape.k === "r" ? of.shape.fields[e.field] : of.shape;
        if (of.cv !== undefined && isKnownField(of.cv)) return this.known((of.cv as unknown[])[e.field], shape);
        return { js: `${of.js}[${e.field}]`, shape };
      }
      case "deref": {
        const of = this.expr(e.of);
        const shape = this.pointed(e.of.type);
        return { js: `${this.rt("follow")}(${of.js},${this.at(e.loc)}).v`, shape };
      }
      case "call":
        return this.call(e.sub, e.args, e.loc, e.on);
      case "builtin":
        return this.builtin(e.name, e.args, e.type, e.loc, want);
      case "attribute":
        return this.attribute(e);
      case "aggregate":
        return this.aggregate(e, want);
      case "qualified": {
        const shape = this.shape(e.subtype);
        const arg = this.expr(e.arg, shape);
        if (shape.k === "a" && shape.dims === null) return arg;
        return this.fit(arg, shape, e.loc);
      }
      case "convert":
        return this.convert(e);
      case "new": {
        const shape = this.shape(e.subtype);
        const inner = this.pointed(e.type);
        let value: string;
        if (e.init) value = this.kept(this.fit(this.expr(e.init, shape), this.carriedIf(shape, inner), e.loc));
        else value = this.fit(this.defaultValue(shape), this.carriedIf(shape, inner), e.loc).js;
        return { js: `${this.rt("cell")}(${value})`, shape: { k: "o", type: e.type } };
      }
      case "null":
        return { js: "null", shape: { k: "o", type: e.type }, cv: null };
      case "external": {
        const ref = this.refOf(e);
        if (ref) return this.readRef(ref);
        return this.externalValue(e);
      }
      default:
        return this.known(0, { k: "s", type: e.type, lo: null, hi: null });
    }
  }

  /** What an access type points to, as it is kept: unconstrained arrays carry their bounds. */
  pointed(type: VType): Shape {
    if (type.kind !== "access" || !type.of) return { k: "o", type };
    return this.shape(type.of);
  }
  private carriedIf(shape: Shape, inner: Shape): Shape {
    return inner.k === "a" && inner.dims === null ? inner : shape;
  }

  externalValue(e: Expr & { op: "external" }): Val {
    this.error(
      "external",
      e.loc,
      `'${e.path.join(".")}' cannot be reached from here.`,
      "Check the path of the external name.",
    );
    return this.known(0, this.shape(e.subtype));
  }

  // ---- literals -------------------------------------------------------------------------------------------------

  private stringLiteral(values: readonly number[], type: VType, want?: Shape): Val {
    const shape = this.plainShape(type);
    if (shape.k !== "a") throw new Error("a string of no array");
    const n = values.length;
    // bounds: those wanted, or from the left of the index type (9.3.2)
    const dims: Bounds[] =
      want?.k === "a" && want.dims && want.dims[0].n === n
        ? [...want.dims]
        : [this.leftBounds(shape.type.indexes[0].type, shape, n)];
    return this.known(this.pack(values, shape.pack), { ...shape, dims });
  }
  /** Bounds of a value that says none of its own: from the left of the index subtype on. */
  private leftBounds(_type: VType, shape: ArrayShape, n: number): Bounds {
    const index = this.shape(shape.type.indexes[0]);
    const { l, d } = this.scalarRange(index);
    return { l: typeof l.cv === "number" ? l.cv : 0, d, n };
  }
  pack(values: readonly unknown[], pack: ArrayShape["pack"]): unknown {
    if (pack === "char") return String.fromCharCode(...(values as number[]));
    if (pack === null) return [...values];
    const codes = Uint8Array.from(values as number[]).reverse();
    return fromCodes(pack === "bit" ? codes.map((bit) => bit + 2) : codes);
  }

  // ---- objects --------------------------------------------------------------------------------------------------

  private object(e: Expr & { op: "object" }, _want?: Shape): Val {
    const { decl } = e;
    if (decl.kind === "alias") {
      const place = this.find(decl);
      const shape = this.aliasShape(decl, place?.k === "alias" ? place.frame : this.frame);
      const of = this.within(place?.k === "alias" ? place.frame : this.frame, () => this.expr(decl.of));
      return this.rebound(of, shape);
    }
    const place = this.find(decl);
    if (!place) {
      if (decl.kind === "constant" && decl.init) {
        // of a package that is being elaborated
        const value = this.expr(decl.init, this.shape(decl.subtype));
        return this.fit(value, this.shape(decl.subtype), e.loc);
      }
      this.error("no-value", e.loc, `'${decl.name}' has no value here.`, "Declare it before it is used.");
      return this.known(0, this.plainShape(e.type));
    }
    switch (place.k) {
      case "const":
        return this.known(place.v, place.shape);
      case "var": {
        const { lo, hi } = place.shape.k === "s" ? place.shape : { lo: null, hi: null };
        return {
          js: place.js,
          shape: place.shape,
          lo: typeof lo === "number" ? lo : undefined,
          hi: typeof hi === "number" ? hi : undefined,
        };
      }
      case "cell":
        return { js: `${this.cap(place.cell)}.v`, shape: place.shape };
      default:
        return this.readRef(this.refOf(e)!);
    }
  }

  private aliasShape(
    decl: { readonly subtype: import("../../elaborate/vhdl/types.ts").Subtype },
    frame: Frame,
  ): Shape | null {
    if (decl.subtype.ofObject) return null;
    return this.within(frame, () => this.shape(decl.subtype));
  }
  /** The same value under other bounds. */
  private rebound(val: Val, shape: Shape | null): Val {
    if (shape?.k !== "a" || val.shape.k !== "a") return val;
    const range = dynamicRange(shape);
    if (shape.dims) {
      if (val.shape.dims) return { ...val, shape: { ...shape, elem: val.shape.elem } };
      return { js: `${val.js}.p`, shape };
    }
    if (!range) return val;
    const carried = this.carry(val);
    return { js: this.rebind(carried.js, range), shape: { ...shape, dims: null } };
  }
  /** A carried value with the bounds of a range. */
  private rebind(js: string, range: import("../../elaborate/vhdl/types.ts").BoundRange): string {
    const { l, r, d, dynamicDir } = this.rangeVal(range);
    const left = this.once(l.js);
    const dir = dynamicDir ?? String(d);
    return `${this.rt("arr")}(${js}.p,${left.first},${dir},${this.rt("len")}(${left.again},${r.js},${dir}))`;
  }

  // ---- representation -------------------------------------------------------------------------------------------

  /** A value that carries its bounds. */
  carry(val: Val): Val {
    const { shape } = val;
    if (shape.k !== "a" || shape.dims === null) return val;
    const [b] = shape.dims;
    const carried: Shape = { ...shape, dims: null };
    if (val.cv !== undefined) return this.known(new Arr(val.cv, b.l, b.d, b.n), carried);
    return { js: `${this.rt("arr")}(${val.js},${b.l},${b.d},${b.n})`, shape: carried, fresh: val.fresh };
  }
  /** Number of elements, as code and if it is known. */
  lengthOf(val: Val): { readonly js: string; readonly n: number | null } {
    const { shape } = val;
    if (shape.k !== "a") return { js: "1", n: 1 };
    if (shape.dims) return { js: String(shape.dims[0].n), n: shape.dims[0].n };
    if (val.cv instanceof Arr) return { js: String(val.cv.n), n: val.cv.n };
    return { js: `${val.js}.n`, n: null };
  }
  /** Without bounds: bits, text or list. */
  payload(val: Val): string {
    const { shape } = val;
    if (shape.k !== "a" || shape.dims) return val.js;
    if (val.cv instanceof Arr) return this.constant(val.cv.p);
    return `${val.js}.p`;
  }
  /** Kept in a place of its own: lists are copied unless nobody else has them. */
  kept(val: Val): string {
    if (val.fresh || (val.cv !== undefined && !isList(val.shape))) return val.js;
    return isList(val.shape) ? `${this.rt("copy")}(${val.js})` : val.js;
  }

  /** A value for a place of this shape: checked for range and length, with or without bounds as the place has it. */
  fit(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k === "s") return this.checked(val, shape, loc);
    if (shape.k !== "a") {
      if (shape.k === "r" && val.shape.k === "r" && val.cv === undefined) return { ...val, shape };
      return { ...val, shape };
    }
    if (val.shape.k !== "a") return val;
    if (shape.dims) {
      if (val.shape.dims) {
        for (let i = 0; i < shape.dims.length; i++)
          if (shape.dims[i].n !== val.shape.dims[i]?.n) {
            this.widthError(val.shape, shape, loc);
            return this.defaultValue(shape);
          }
        return { ...val, shape: { ...shape, elem: shape.elem } };
      }
      const [b] = shape.dims;
      if (val.cv instanceof Arr) {
        if (val.cv.n !== b.n) {
          this.widthError({ ...val.shape, dims: [{ l: val.cv.l, d: val.cv.d, n: val.cv.n }] }, shape, loc);
          return this.defaultValue(shape);
        }
        return this.known(val.cv.p, shape);
      }
      return { js: `${this.rt("need")}(${val.js},${b.n},${this.at(loc)})`, shape, fresh: val.fresh };
    }
    const range = dynamicRange(shape);
    const carried = this.carry(val);
    if (!range) return carried;
    const own = this.once(carried.js);
    const bound = this.once(this.rebind(own.first, range));
    return { js: `${this.rt("sized")}(${bound.first},${own.again}.n,${this.at(loc)})`, shape, fresh: val.fresh };
  }

  widthError(have: Shape, need: Shape, loc: Loc): void {
    if (have.k !== "a" || need.k !== "a" || !have.dims || !need.dims) return;
    const a = have.dims.map((b) => b.n).join(" by ");
    const b = need.dims.map((each) => each.n).join(" by ");
    this.error(
      "width",
      loc,
      `'${this.text(loc)}' has ${a} element${a === "1" ? "" : "s"} (${shapeText(have)}), but ${b} ${b === "1" ? "is" : "are"} needed (${shapeText(need)}).`,
      /signed/.test(need.type.name)
        ? "Write resize(value, length), or change a declaration."
        : "Take a slice, put bits in front, or change a declaration.",
    );
  }

  /** A scalar within its range, with a check if it could be outside. */
  checked(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k !== "s") return val;
    const { lo, hi } = this.limits(shape);
    const { type } = shape;
    if (type.kind === "real" && shape.lo === null) return { ...val, shape };
    if (type.kind === "physical" && shape.lo === null) return { ...val, shape };
    if (typeof val.cv === "number" && typeof lo === "number" && typeof hi === "number") {
      if (val.cv >= lo && val.cv <= hi) return { ...val, shape };
      const name = (v: number) => (type.kind === "enum" ? type.literals[v]?.name : String(v));
      this.error(
        "out-of-range",
        loc,
        lo > hi
          ? `The value ${name(val.cv)} is given where the range has no values.`
          : `The value ${name(val.cv)} is outside of the range ${name(lo)} to ${name(hi)}.`,
        "Give a value within the range, or widen it.",
      );
      return this.known(lo, shape);
    }
    const own = val.shape.k === "s" ? val.shape : null;
    const known =
      val.lo ??
      (own && typeof own.lo === "number"
        ? own.lo
        : own && type.kind === "enum" && own.lo === null
          ? 0
          : Number.NEGATIVE_INFINITY);
    const most =
      val.hi ??
      (own && typeof own.hi === "number"
        ? own.hi
        : own && type.kind === "enum" && own.hi === null
          ? type.literals.length - 1
          : Number.POSITIVE_INFINITY);
    if (typeof lo === "number" && typeof hi === "number" && known >= lo && most <= hi) return { ...val, shape };
    if (own && own.type === type && own.lo === shape.lo && own.hi === shape.hi && shape.lo !== null)
      return { ...val, shape };
    const side = (v: number | string) => (typeof v === "number" ? this.constant(v) : v);
    const js =
      type.kind === "enum"
        ? `${this.rt("rgEnum")}(${val.js},${side(lo)},${side(hi)},${this.at(loc)},${this.cap(this.names(type))})`
        : `${this.rt("rg")}(${val.js},${side(lo)},${side(hi)},${this.at(loc)})`;
    return { js, shape, lo: typeof lo === "number" ? lo : undefined, hi: typeof hi === "number" ? hi : undefined };
  }

  /** Leftmost values (6.4.2.3). */
  defaultValue(shape: Shape): Val {
    switch (shape.k) {
      case "s": {
        const range = this.scalarRange(shape);
        return range.l.cv !== undefined ? this.known(range.l.cv, shape) : { js: range.l.js, shape };
      }
      case "a": {
        if (!shape.dims) {
          const range = dynamicRange(shape);
          if (!range) return this.known(new Arr(shape.pack === "char" ? "" : shape.pack ? 0 : [], 1, 0, 0), shape);
          const { l, r, d, dynamicDir } = this.rangeVal(range);
          const dir = dynamicDir ?? String(d);
          const left = this.once(l.js);
          const n = this.once(`${this.rt("len")}(${left.first},${r.js},${dir})`);
          return {
            js: `${this.rt("arr")}(${this.filled(shape, n.first, this.defaultValue(shape.elem))},${left.again},${dir},${n.again})`,
            shape,
            fresh: true,
          };
        }
        const value = this.defaultValue(shape.elem);
        const [b, ...rest] = shape.dims;
        if (shape.pack) {
          if (shape.pack === "char") return this.known(String.fromCharCode(value.cv as number).repeat(b.n), shape);
          return this.known(allOf(shape.pack === "bit" ? (value.cv as number) + 2 : (value.cv as number), b.n), shape);
        }
        const inner = rest.length ? this.defaultValue({ ...shape, dims: rest }) : value;
        return {
          js: `${this.rt("fill")}(${b.n},()=>${isList(inner.shape) ? this.kept(inner) : inner.js})`,
          shape,
          fresh: true,
        };
      }
      case "r": {
        const fields = shape.fields.map((field) => this.defaultValue(field));
        return { js: `[${fields.map((field) => this.kept(field)).join(",")}]`, shape, fresh: true };
      }
      case "o":
        if (shape.type.kind === "protected") return this.protectedObject(shape.type);
        return { js: "null", shape, cv: null };
    }
  }
  abstract protectedObject(type: VType): Val;

  /** Payload with `n` elements of one value. */
  private filled(shape: ArrayShape, n: string, value: Val): string {
    if (shape.pack === "char") return `String.fromCharCode(${value.js}).repeat(${n})`;
    if (shape.pack) return `${this.rt("allOf")}(${shape.pack === "bit" ? `${value.js}+2` : value.js},${n})`;
    return `${this.rt("fill")}(${n},()=>${isList(value.shape) ? `${this.rt("copy")}(${value.js})` : value.js})`;
  }

  // ---- signals --------------------------------------------------------------------------------------------------

  /** The signal that a name stands for; null if it is none. */
  refOf(e: Expr): Ref | null {
    switch (e.op) {
      case "object": {
        const { decl } = e;
        const place = this.find(decl);
        if (decl.kind === "alias") {
          const frame = place?.k === "alias" ? place.frame : this.frame;
          const ref = this.within(frame, () => this.refOf(decl.of));
          if (!ref) return null;
          const shape = this.aliasShape(decl, frame);
          if (shape?.k !== "a" || !shape.dims) return ref;
          return ref.part ? { ...ref, part: { ...ref.part, shape } } : { ...ref, shape };
        }
        if (place?.k === "sig") return this.known_(place.tree, place.shape);
        if (place?.k === "sigparam")
          return { sig: place.sig, tree: null, drv: () => place.drv ?? "undefined", shape: place.shape, part: null };
        return null;
      }
      case "field": {
        const of = this.refOf(e.of);
        if (of?.shape.k !== "r") return null;
        const shape = of.shape.fields[e.field];
        if (Array.isArray(of.tree)) return this.known_(of.tree[e.field], shape);
        return { sig: `${of.sig}[${e.field}]`, tree: null, drv: () => `${of.drv()}[${e.field}]`, shape, part: null };
      }
      case "index": {
        const of = this.refOf(e.of);
        if (!of) return null;
        const shape = of.part ? of.part.shape : of.shape;
        if (shape.k !== "a") return null;
        let at: Ref = of;
        let rest: ArrayShape = shape;
        for (let dim = 0; dim < e.indexes.length; dim++) {
          const index = this.expr(e.indexes[dim]);
          const k = this.position(rest, 0, index, e.indexes[dim].loc, `${at.sig}.v`);
          const dims = rest.dims?.slice(1) ?? null;
          const inner: Shape = dims?.length ? { ...rest, dims } : rest.elem;
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
      case "slice": {
        const of = this.refOf(e.of);
        if (!of) return null;
        const shape = of.part ? of.part.shape : of.shape;
        if (shape.k !== "a") return null;
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
      case "attribute": {
        if (!e.of || !/^(delayed|stable|quiet|transaction)$/.test(e.name)) return null;
        const made = this.derived(e);
        return made && this.known_(made, e.name === "delayed" ? this.expr(e.of).shape : this.plainShape(e.type));
      }
      case "external":
        return this.externalRef(e);
      case "convert":
      case "qualified": {
        const of = this.refOf(e.arg);
        return of;
      }
      default:
        return null;
    }
  }
  externalRef(_e: Expr & { op: "external" }): Ref | null {
    return null;
  }
  /** A signal that follows another: `delayed`, `stable` and their kin. */
  abstract derived(e: Expr & { op: "attribute" }): SigTree | null;

  known_(tree: SigTree, shape: Shape): Ref {
    return { sig: this.cap(tree), tree, drv: () => this.cap(this.driver(tree, null, null)), shape, part: null };
  }

  readRef(ref: Ref): Val {
    const { shape, part } = ref;
    if (part) {
      const two = part.bit ? part.shape.k === "s" && this.isTwo(part.shape.type) : false;
      if (part.bit) return this.bitAt(`${ref.sig}.v`, part.lo, ref.shape, part.shape, two);
      return this.sliced(`${ref.sig}.v`, part.lo, part.n, part.nKnown, part.shape, ref.shape);
    }
    if (this.isTree(shape, ref.tree)) return { js: `${this.rt("readTree")}(${ref.sig})`, shape, fresh: true };
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
    if (!shape.dims) return `${this.rt("at")}(${carried},${index.js},${this.at(loc)})`;
    const b = shape.dims[dim];
    const low = lowOf(b);
    const high = highOf(b);
    if (typeof index.cv === "number") {
      if (index.cv < low || index.cv > high) {
        this.error(
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
    const js = inside ? index.js : `${this.rt("ix")}(${index.js},${low},${high},${this.at(loc)})`;
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
      return { js: `${this.rt("getB")}(${js},${bit})`, shape: elem, lo: 0, hi: 1 };
    }
    if (n !== null && n <= 32) {
      const value = this.once(js);
      const any = `(typeof ${value.first}==="number"?2+(${value.again}>>>${wrapped(bit)}&1):${this.rt("getL")}(${value.again},${bit}))`;
      const plain =
        value.first === value.again && /^\d+$/.test(bit)
          ? { guards: [`typeof ${value.first}==="number"`], bit: `${value.first}>>>${bit}`, any, operators: 0 }
          : undefined;
      return { js: any, shape: elem, plain };
    }
    return { js: `${this.rt("getL")}(${js},${bit})`, shape: elem };
  }

  private index(e: Expr & { op: "index" }): Val {
    const ref = this.refOf(e);
    if (ref) return this.readRef(ref);
    let val = this.expr(e.of);
    for (let dim = 0; dim < e.indexes.length; dim++) {
      const { shape } = val;
      if (shape.k !== "a") return val;
      const index = this.expr(e.indexes[dim]);
      const own = shape.dims ? { first: val.js, again: val.js } : this.once(val.js);
      const k = this.position(shape, 0, index, e.indexes[dim].loc, own.first);
      const rest = shape.dims?.slice(1) ?? [];
      const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
      const payload = shape.dims ? val.js : `${own.again}.p`;
      if (shape.pack === "char") {
        if (typeof val.cv === "string" && typeof k === "number") return this.known(val.cv.charCodeAt(k), inner);
        // with the carried value evaluated first
        const js = shape.dims
          ? `${wrapped(payload)}.charCodeAt(${k})`
          : this.ordered(String(k), (at) => `${payload}.charCodeAt(${at})`);
        return { js, shape: inner, lo: 0, hi: 255 };
      }
      if (shape.pack) {
        if (val.cv !== undefined && typeof k === "number" && shape.dims) {
          const bit = shape.dims[0].n - 1 - k;
          return this.known(shape.pack === "bit" ? getB(val.cv as number, bit) : getL(val.cv as Bits, bit), inner);
        }
        const two = shape.pack === "bit";
        if (shape.dims) {
          const bit = typeof k === "number" ? String(shape.dims[0].n - 1 - k) : `${shape.dims[0].n - 1}-(${k})`;
          return this.bitAt(payload, bit, shape, inner, two);
        }
        return {
          js: this.ordered(String(k), (at) => `${this.rt(two ? "getB" : "getL")}(${payload},${own.again}.n-1-${at})`),
          shape: inner,
        };
      }
      if (val.cv !== undefined && typeof k === "number" && Array.isArray(val.cv)) val = this.known(val.cv[k], inner);
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
    const name = this.temp();
    return `(${name}=${first},${then(name)})`;
  }

  /** A slice of an array: place from the left, length, and the shape of what it gives. */
  private cut(
    shape: ArrayShape,
    e: Expr & { op: "slice" },
    carried: string,
  ): { k: number | string; n: number | string; made: Shape; range: RangeVal } {
    const range = this.rangeVal(e.range);
    const { l, r, d, dynamicDir } = range;
    const place = this.at(e.loc);
    if (dynamicDir === undefined && typeof l.cv === "number" && typeof r.cv === "number") {
      const n = Math.max(0, d ? l.cv - r.cv + 1 : r.cv - l.cv + 1);
      const made: Shape = { ...shape, dims: [{ l: l.cv, d, n }] };
      if (shape.dims) {
        const [b] = shape.dims;
        if (n === 0) return { k: 0, n: 0, made, range };
        const k = b.d ? b.l - l.cv : l.cv - b.l;
        if (d !== b.d && n > 1) {
          this.error(
            "slice-direction",
            e.loc,
            `This slice goes '${d ? "downto" : "to"}', but the array '${b.d ? "downto" : "to"}'.`,
            `Write ${r.cv} ${b.d ? "downto" : "to"} ${l.cv}.`,
          );
          return { k: 0, n, made, range };
        }
        if (k < 0 || k + n > b.n) {
          this.error(
            "slice",
            e.loc,
            `The slice ${l.cv} ${d ? "downto" : "to"} ${r.cv} is outside of the array's ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
            "Check its bounds.",
          );
          return { k: 0, n: Math.min(n, b.n), made, range };
        }
        return { k, n, made, range };
      }
      const own = this.once(carried);
      return {
        k: `${this.rt("sliceAt")}(${l.cv},${n},${own.first}.l,${own.again}.d,${own.again}.n,${d},${place})`,
        n,
        made,
        range,
      };
    }
    const dir = dynamicDir ?? String(d);
    const left = this.once(l.js);
    const nName = this.temp();
    const kName = this.temp();
    const base = shape.dims
      ? `${shape.dims[0].l},${shape.dims[0].d},${shape.dims[0].n}`
      : ((own) => `${own.first}.l,${own.again}.d,${own.again}.n`)(this.once(carried));
    const k = `(${nName}=${this.rt("len")}(${left.first},${r.js},${dir}),${kName}=${this.rt("sliceAt")}(${left.again},${nName},${base},${dir},${place}))`;
    const made: Shape & { left?: string; dir?: string } = { ...shape, dims: null };
    return { k, n: nName, made: Object.assign(made, { sliceLeft: left.again, sliceDir: dir }), range };
  }

  private sliced(js: string, lo: string, n: string, known: number | null, shape: Shape, whole: Shape): Val {
    if (known !== null) {
      const total = whole.k === "a" && whole.dims ? whole.dims[0].n : null;
      if (total !== null && total <= 32 && known > 0) {
        const value = this.once(js);
        const plain =
          lo === "0" ? `${value.again}&${maskOf(known)}` : `${value.again}>>>${wrapped(lo)}&${maskOf(known)}`;
        const isBit = whole.k === "a" && whole.pack === "bit";
        if (known === total) return { js, shape };
        if (isBit) return { js: `(${value.first === value.again ? plain : `(${value.first},${plain})`})`, shape };
        return {
          js: `(typeof ${value.first}==="number"?${plain}:${this.rt("sliceL")}(${value.again},${lo},${known}))`,
          shape,
        };
      }
      return { js: `${this.rt("sliceL")}(${js},${lo},${known})`, shape };
    }
    const extra = shape as Shape & { sliceLeft: string; sliceDir: string };
    const at = this.temp();
    return {
      js: `(${at}=${lo},${this.rt("arr")}(${this.rt("sliceL")}(${js},${at},${n}),${extra.sliceLeft},${extra.sliceDir},${n}))`,
      shape: { ...(shape as ArrayShape), dims: null },
    };
  }

  private slice(e: Expr & { op: "slice" }): Val {
    const ref = this.refOf(e);
    if (ref) return this.readRef(ref);
    const val = this.expr(e.of);
    const { shape } = val;
    if (shape.k !== "a") return val;
    const own = shape.dims ? { first: val.js, again: val.js } : this.once(val.js);
    const { k, n, made } = this.cut(shape, e, own.first);
    const payload = shape.dims ? val.js : `${own.again}.p`;
    const total = shape.dims ? String(shape.dims[0].n) : `${own.again}.n`;
    if (shape.pack && shape.pack !== "char") {
      if (shape.dims && typeof k === "number" && typeof n === "number") {
        const lo = shape.dims[0].n - k - n;
        if (val.cv !== undefined) return this.known(sliceL(val.cv as Bits, lo, n), made);
        return this.sliced(payload, String(lo), String(n), n, made, shape);
      }
      if (typeof n === "number") {
        const js = this.ordered(String(k), (at) => `${this.rt("sliceL")}(${payload},${total}-${at}-${n},${n})`);
        return { js, shape: made };
      }
      const extra = made as Shape & { sliceLeft: string; sliceDir: string };
      const js = this.ordered(
        String(k),
        (at) =>
          `${this.rt("arr")}(${this.rt("sliceL")}(${payload},${total}-${at}-${n},${n}),${extra.sliceLeft},${extra.sliceDir},${n})`,
      );
      return { js, shape: { ...shape, dims: null } };
    }
    const method = shape.pack === "char" ? "substr" : "slice";
    if (typeof n === "number") {
      if (val.cv !== undefined && typeof k === "number" && shape.dims)
        return this.known((val.cv as string).slice(k, k + n), made);
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
        `${this.rt("arr")}(${wrapped(payload)}.slice(${at},${at}+${n}),${extra.sliceLeft},${extra.sliceDir},${n})`,
    );
    return { js, shape: { ...shape, dims: null } };
  }

  // ---- predefined operators (9.2) -------------------------------------------------------------------------------

  private builtin(name: PredefinedOp, args: readonly Expr[], type: VType, loc: Loc, want?: Shape): Val {
    if (name === "&") return this.concat(args, type, want);
    if ((name === "and" || name === "or" || name === "nand" || name === "nor") && args.length === 2 && isScalar(type)) {
      // short-circuit for boolean and bit (9.2.2)
      const l = this.expr(args[0]);
      const r = this.expr(args[1]);
      if (typeof l.cv === "number" && typeof r.cv === "number") return this.known(logic(name, l.cv, r.cv), l.shape);
      const op = name === "and" || name === "nand" ? "&&" : "||";
      const js = `${this.test(l)}${op}${this.test(r)}`;
      return { ...this.boolean(name.startsWith("n") ? `!(${js})` : js), shape: l.shape };
    }
    const vals = args.map((arg) => this.expr(arg));
    const [a, b] = vals;
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    switch (name) {
      case "=":
      case "/=":
        this.checkLengths(a, b, args, loc);
        return this.equality(a, b, name === "/=");
      case "<":
      case "<=":
      case ">":
      case ">=":
        return this.ordering(name, a, b);
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor":
        return args.length === 1 ? this.reduction(name, a, shape) : this.logicOf(name, a, b, type, loc);
      case "not":
        if (a.shape.k === "s") {
          if (typeof a.cv === "number") return this.known(1 - a.cv, a.shape);
          return { ...this.boolean(`!(${this.test(a)})`), shape: a.shape };
        }
        return this.onBits(
          a,
          (p, n) => `${this.rt("notL")}(${p},${n})`,
          (p, n) => notL(p, n),
        );
      case "??":
        return { ...this.boolean(`${a.js}===1`), shape: this.booleanShape };
      case "?=":
      case "?/=":
        return { ...this.equality(a, b, name === "?/="), shape };
      case "neg":
        if (type.kind === "real")
          return typeof a.cv === "number" ? this.known(-a.cv, shape) : this.scalar(`(-${a.js})`, type);
        return this.interval(
          `(0-${a.js})`,
          typeof a.cv === "number" ? 0 - a.cv : undefined,
          shape,
          a.hi === undefined ? undefined : -a.hi,
          a.lo === undefined ? undefined : -a.lo,
          loc,
        );
      case "plus":
        return { ...a, shape };
      case "abs":
        if (type.kind === "real") return this.scalar(`Math.abs(${a.js})`, type);
        return this.interval(
          `Math.abs(${a.js})`,
          typeof a.cv === "number" ? Math.abs(a.cv) : undefined,
          shape,
          0,
          undefined,
          loc,
        );
      case "minimum":
      case "maximum": {
        if (args.length === 1) return this.extreme(name, a, shape);
        if (a.shape.k === "s") {
          const fn = name === "minimum" ? Math.min : Math.max;
          if (typeof a.cv === "number" && typeof b.cv === "number") return this.known(fn(a.cv, b.cv), shape);
          return this.scalar(`Math.${name === "minimum" ? "min" : "max"}(${a.js},${b.js})`, type);
        }
        const x = this.carry(a);
        const y = this.carry(b);
        const left = this.once(x.js);
        const right = this.once(y.js);
        const order = this.ordering("<", { ...x, js: left.first }, { ...y, js: right.first });
        return {
          js:
            name === "minimum"
              ? `(${this.test(order)}?${left.again}:${right.again})`
              : `(${this.test(order)}?${right.again}:${left.again})`,
          shape: x.shape,
        };
      }
      case "sll":
      case "srl":
      case "sla":
      case "sra":
      case "rol":
      case "ror":
        return this.shifted(name, a, b);
      default:
        return this.arithmetic(name, a, b, shape, loc);
    }
  }

  /** A whole number with what is known of its size; beyond 32 bits it is checked. */
  interval(
    js: string,
    cv: number | undefined,
    shape: Shape,
    lo: number | undefined,
    hi: number | undefined,
    loc: Loc,
  ): Val {
    const { type } = shape as { type: VType };
    if (cv !== undefined) {
      const isWide = type.kind === "int" && !type.universal && (cv > 2147483647 || cv < -2147483648);
      if (!isWide) return this.known(cv, shape);
      this.error(
        "out-of-range",
        loc,
        `The result ${cv} is outside of what an integer holds.`,
        "Use smaller numbers, or a vector of bits.",
      );
      return this.known(0, shape);
    }
    if (type.kind !== "int") return { js, shape };
    const safe = lo !== undefined && hi !== undefined && lo >= -2147483648 && hi <= 2147483647;
    if (safe) return { js, shape, lo, hi };
    return {
      js: `${this.rt("ov")}(${js},${this.at(loc)})`,
      shape,
      lo: lo === undefined ? undefined : Math.max(lo, -2147483648),
      hi: hi === undefined ? undefined : Math.min(hi, 2147483647),
    };
  }
  private ends(val: Val): { lo: number; hi: number } | null {
    if (typeof val.cv === "number") return { lo: val.cv, hi: val.cv };
    const own = val.shape.k === "s" ? val.shape : null;
    const lo = val.lo ?? (own && typeof own.lo === "number" ? own.lo : undefined);
    const hi = val.hi ?? (own && typeof own.hi === "number" ? own.hi : undefined);
    if (lo === undefined || hi === undefined) {
      const { type } = own ?? {};
      if (type?.kind === "int" && !type.universal) return { lo: lo ?? type.low, hi: hi ?? type.high };
      return null;
    }
    return { lo, hi };
  }

  private arithmetic(name: PredefinedOp, a: Val, b: Val, shape: Shape, loc: Loc): Val {
    const { type } = shape as { type: VType };
    const place = this.at(loc);
    const both = typeof a.cv === "number" && typeof b.cv === "number";
    const x = a.cv as number;
    const y = b.cv as number;
    const aReal = a.shape.k === "s" && a.shape.type.kind === "real";
    const bReal = b.shape.k === "s" && b.shape.type.kind === "real";
    if (type.kind === "real" || aReal || bReal) {
      const trunc = type.kind === "physical" || type.kind === "int";
      const wrap = (js: string) => (trunc ? `Math.trunc(${js})` : `(${js})`);
      switch (name) {
        case "+":
        case "-":
        case "*":
          if (both) {
            const v = name === "+" ? x + y : name === "-" ? x - y : x * y;
            return this.known(trunc ? Math.trunc(v) : v, shape);
          }
          return { js: wrap(`${a.js}${name}${b.js}`), shape };
        case "/":
          if (both && y !== 0) return this.known(trunc ? Math.trunc(x / y) : x / y, shape);
          return { js: wrap(`${this.rt("rdiv")}(${a.js},${b.js},${place})`), shape };
        case "**":
          if (both) return this.known(x ** y, shape);
          return { js: `(${a.js}**${b.js})`, shape };
        default:
          return { js: `(${a.js}%${b.js})`, shape };
      }
    }
    const p = this.ends(a);
    const q = this.ends(b);
    const corners = (fn: (u: number, v: number) => number): [number | undefined, number | undefined] => {
      if (!p || !q) return [undefined, undefined];
      const list = [fn(p.lo, q.lo), fn(p.lo, q.hi), fn(p.hi, q.lo), fn(p.hi, q.hi)];
      return [Math.min(...list), Math.max(...list)];
    };
    switch (name) {
      case "+": {
        const [lo, hi] = corners((u, v) => u + v);
        return this.interval(`(${a.js}+${b.js})`, both ? x + y : undefined, shape, lo, hi, loc);
      }
      case "-": {
        const [lo, hi] = corners((u, v) => u - v);
        return this.interval(`(${a.js}-${b.js})`, both ? x - y : undefined, shape, lo, hi, loc);
      }
      case "*": {
        const [lo, hi] = corners((u, v) => u * v);
        return this.interval(`(${a.js}*${b.js}+0)`, both ? x * y + 0 : undefined, shape, lo, hi, loc);
      }
      case "/":
      case "mod":
      case "rem": {
        if (y === 0 && b.cv !== undefined) {
          this.error("division", loc, `Division by zero in '${name}'.`, "Check the divisor.");
          return this.known(0, shape);
        }
        if (both) {
          const v = name === "/" ? Math.trunc(x / y) : name === "rem" ? x % y : x - y * Math.floor(x / y);
          return this.known(v + 0, shape);
        }
        if (b.cv !== undefined && y > 0 && p && p.lo >= 0) {
          // of a number that is not negative: no case to tell apart
          const [lo, hi] = name === "/" ? [Math.trunc(p.lo / y), Math.trunc(p.hi / y)] : [0, Math.min(y - 1, p.hi)];
          if (p.hi <= 2147483647) {
            const power = Math.log2(y);
            if (Number.isInteger(power))
              return { js: name === "/" ? `(${a.js}>>>${power})` : `(${a.js}&${y - 1})`, shape, lo, hi };
            return { js: name === "/" ? `((${a.js}/${y})|0)` : `(${a.js}%${y})`, shape, lo, hi };
          }
        }
        const fn = name === "/" ? "div" : name;
        const range: [number | undefined, number | undefined] =
          name === "mod" && q && q.lo > 0
            ? [0, q.hi - 1]
            : name === "/" && p
              ? [Math.min(p.lo, -p.hi), Math.max(p.hi, -p.lo)]
              : [undefined, undefined];
        const js = `${this.rt(fn)}(${a.js},${b.js},${place})`;
        if (name !== "/") return { js, shape, lo: range[0], hi: range[1] };
        return this.interval(js, undefined, shape, range[0], range[1], loc);
      }
      case "**": {
        if (both && y >= 0) return this.interval("", x ** y, shape, undefined, undefined, loc);
        const hi = x === 2 && q && q.hi <= 62 ? 2 ** q.hi : undefined;
        return this.interval(
          `${this.rt("pow")}(${a.js},${b.js},${place})`,
          undefined,
          shape,
          hi === undefined ? undefined : 0,
          hi,
          loc,
        );
      }
      default:
        throw new Error(`operator ${name}`);
    }
  }

  /** Arrays of different lengths are never equal (9.2.3): nobody writes that on purpose, texts apart. */
  private checkLengths(a: Val, b: Val, args: readonly Expr[], loc: Loc): void {
    if (a.shape.k !== "a" || b.shape.k !== "a" || a.shape.pack === "char" || !a.shape.dims || !b.shape.dims) return;
    const [n, m] = [a.shape.dims[0].n, b.shape.dims[0].n];
    // what stands in a subprogram is for many lengths
    if (n === m || this.fn !== this.top || loc.file < 0) return;
    this.program.report.warn(
      "vhdl/compare-width",
      loc,
      `'${this.text(args[0].loc)}' has ${n} elements and '${this.text(args[1].loc)}' ${m}: they are never equal.`,
      "Compare parts of the same length.",
    );
  }
  equality(a: Val, b: Val, negate: boolean): Val {
    const made = (js: string): Val => this.boolean(negate ? `!(${js})` : js);
    const fixed = (is: boolean): Val => this.known(is !== negate ? 1 : 0, this.booleanShape);
    if (a.shape.k === "s" || a.shape.k === "o") {
      if (a.cv !== undefined && b.cv !== undefined && a.cv !== null) return fixed(a.cv === b.cv);
      return this.boolean(`${a.js}${negate ? "!==" : "==="}${b.js}`);
    }
    if (a.shape.k === "a" && b.shape.k === "a") {
      const na = this.lengthOf(a);
      const nb = this.lengthOf(b);
      if (na.n !== null && nb.n !== null && a.shape.dims && b.shape.dims) {
        if (na.n !== nb.n) return fixed(false);
        if (a.shape.pack === "char") return this.boolean(`${a.js}${negate ? "!==" : "==="}${b.js}`);
        if (a.shape.pack) {
          const plain = (val: Val) =>
            typeof val.cv === "number" ||
            typeof val.cv === "bigint" ||
            (val.shape.k === "a" && val.shape.pack === "bit");
          // equal values have one form: with one side of plain bits, identity tells
          if (plain(a) || plain(b)) return this.boolean(`${a.js}${negate ? "!==" : "==="}${b.js}`);
          return made(`${this.rt("eqL")}(${a.js},${b.js})`);
        }
        return made(`${this.rt("same")}(${a.js},${b.js})`);
      }
      const x = this.carry(a);
      const y = this.carry(b);
      return made(`${this.rt("same")}(${x.js},${y.js})`);
    }
    return made(`${this.rt("same")}(${a.js},${b.js})`);
  }

  private ordering(op: string, a: Val, b: Val): Val {
    if (a.shape.k === "s") {
      if (typeof a.cv === "number" && typeof b.cv === "number") {
        const is = op === "<" ? a.cv < b.cv : op === "<=" ? a.cv <= b.cv : op === ">" ? a.cv > b.cv : a.cv >= b.cv;
        return this.known(is ? 1 : 0, this.booleanShape);
      }
      return this.boolean(`${a.js}${op}${b.js}`);
    }
    const x = this.onceVal(a);
    const y = this.onceVal(b);
    const pack = a.shape.k === "a" ? a.shape.pack : null;
    if (pack && pack !== "char") return this.boolean(`${this.rt("orderL")}(${x.first},${x.n},${y.first},${y.n})${op}0`);
    return this.boolean(`${this.rt("orderList")}(${x.first},${y.first})${op}0`);
  }
  /** Payload and length of an array, evaluated once, in this order. */
  onceVal(val: Val): { readonly first: string; readonly p: string; readonly n: string; readonly known: number | null } {
    const { shape } = val;
    if (shape.k !== "a" || shape.dims) {
      const n = this.lengthOf(val);
      return { first: val.js, p: val.js, n: n.js, known: n.n };
    }
    if (val.cv instanceof Arr) {
      const js = this.constant(val.cv.p);
      return { first: js, p: js, n: String(val.cv.n), known: val.cv.n };
    }
    const own = this.once(val.js);
    return { first: `${own.first}.p`, p: `${own.again}.p`, n: `${own.again}.n`, known: null };
  }

  private logicOf(name: string, a: Val, b: Val, type: VType, loc: Loc): Val {
    if (a.shape.k === "s" && b.shape.k === "s") {
      if (typeof a.cv === "number" && typeof b.cv === "number") return this.known(logic(name, a.cv, b.cv), a.shape);
      return { ...this.boolean(`${a.js}${name === "xor" ? "!==" : "==="}${b.js}`), shape: this.plainShape(type) };
    }
    // an array with an array, or with one element for all (2008)
    const array = a.shape.k === "a" ? a : b;
    const result = array.shape as ArrayShape;
    const size = this.lengthOf(array);
    const wide = (val: Val): string =>
      val.shape.k === "a" ? this.payload(val) : `${this.rt("allOf")}(${val.js}+2,${size.js})`;
    if (a.shape.k === "a" && b.shape.k === "a") this.sameLength(a, b, loc);
    const own = this.onceVal(array);
    const base = name.replace(/^n(?=and|or)/, "").replace(/^xnor$/, "xor");
    const fn = base === "and" ? "andL" : base === "or" ? "orL" : "xorL";
    const left = array === a ? own.first : wide(a);
    const right = array === b ? (array === a ? own.p : own.first) : wide(b);
    const inner = `${this.rt(fn)}(${left},${right},${own.n})`;
    const js = name === base ? inner : `${this.rt("notL")}(${inner},${own.n})`;
    if (result.dims) return { js, shape: result };
    const source = this.carry(array);
    const again = this.once(source.js);
    return {
      js: `${this.rt("arr")}(${js.replace(source.js, again.first)},${again.again}.l,${again.again}.d,${own.n})`,
      shape: result,
    };
  }
  /** Operands whose lengths must be the same: told now, or by the run. */
  sameLength(a: Val, b: Val, loc: Loc): void {
    const na = this.lengthOf(a).n;
    const nb = this.lengthOf(b).n;
    if (na !== null && nb !== null && na !== nb)
      this.error(
        "width",
        loc,
        `The operands have ${na} (${shapeText(a.shape)}) and ${nb} (${shapeText(b.shape)}) elements.`,
        "Make them as long as each other: take a slice, or put bits in front.",
      );
  }

  private reduction(name: string, a: Val, shape: Shape): Val {
    const own = this.onceVal(a);
    const base = name.replace(/^n(?=and|or)/, "").replace(/^xnor$/, "xor");
    const rows = base === "and" ? "AND" : base === "or" ? "OR" : "XOR";
    const js = `${this.rt("reduce")}(${own.first},${own.n},${this.rt(rows)},${base === "and" ? 3 : 2})`;
    return this.scalar(name === base ? `(${js}-2)` : `(3-${js})`, (shape as { type: VType }).type, 0, 1);
  }

  private extreme(name: string, a: Val, shape: Shape): Val {
    const own = this.onceVal(a);
    const pack = a.shape.k === "a" ? a.shape.pack : null;
    const list =
      pack === "char"
        ? `[...${own.first}].map((c)=>c.charCodeAt(0))`
        : pack
          ? `Array.from({length:${own.n}},(_,i)=>${this.rt(pack === "bit" ? "getB" : "getL")}(${own.p},i))`
          : own.first;
    return { js: `Math.${name === "minimum" ? "min" : "max"}(...${list})`, shape };
  }

  /** Same bounds, other bits. */
  onBits(a: Val, js: (p: string, n: string) => string, fold?: (p: Bits, n: number) => Bits): Val {
    const { shape } = a;
    if (shape.k !== "a") return a;
    if (shape.dims) {
      const { n } = shape.dims[0];
      if (a.cv !== undefined && fold) return this.known(fold(a.cv as Bits, n), shape);
      return { js: js(a.js, String(n)), shape };
    }
    const own = this.once(a.js);
    return {
      js: `${this.rt("arr")}(${js(`${own.first}.p`, `${own.again}.n`)},${own.again}.l,${own.again}.d,${own.again}.n)`,
      shape,
    };
  }

  private shifted(name: PredefinedOp, a: Val, by: Val): Val {
    const rotates = name === "rol" || name === "ror";
    const count = name === "sll" || name === "sla" || name === "rol" ? by.js : `-(${by.js})`;
    if (a.shape.k === "a" && !a.shape.pack) {
      const carried = this.carry(a);
      return {
        js: `${this.rt("shiftList")}(${carried.js},"${name}",${by.js},${this.defaultValue(a.shape.elem).js})`,
        shape: carried.shape,
      };
    }
    return this.onBits(a, (p, n) => {
      if (rotates) return `${this.rt("rotateL")}(${p},${n},${count})`;
      if (name === "sla" || name === "sra") {
        // the end element is repeated: the rightmost to the left, the leftmost to the right (9.2.4)
        return `${this.rt("shiftA")}(${p},${n},${count})`;
      }
      return `${this.rt("shiftL")}(${p},${n},${count},2)`;
    });
  }

  private concat(args: readonly Expr[], type: VType, want?: Shape): Val {
    // a & b & c is one: parts of a chain that make the same type
    const parts: Expr[] = [];
    const walk = (e: Expr) => {
      if (e.op === "builtin" && e.name === "&" && e.type === type) for (const arg of e.args) walk(arg);
      else parts.push(e);
    };
    for (const arg of args) walk(arg);
    const whole = this.plainShape(type) as ArrayShape;
    const vals = parts.map((part) => this.expr(part));
    const isElement = (val: Val, i: number) => parts[i].type !== type || val.shape.k !== "a" || val.shape.type !== type;
    const elem = vals.find((val, i) => !isElement(val, i));
    const shape: ArrayShape = {
      ...whole,
      elem:
        elem?.shape.k === "a"
          ? elem.shape.elem
          : vals[0].shape.k !== "a" || whole.pack === null
            ? elem
              ? whole.elem
              : vals[0].shape
            : whole.elem,
    };
    const lengths = vals.map((val, i) => (isElement(val, i) ? { js: "1", n: 1 } : this.lengthOf(val)));
    const total = lengths.every((each) => each.n !== null) ? lengths.reduce((sum, each) => sum + each.n!, 0) : null;
    const bounds = (n: number): Bounds =>
      want?.k === "a" && want.dims?.[0].n === n ? want.dims[0] : this.leftBounds(type, whole, n);
    if (whole.pack === "char") {
      const texts = vals.map((val, i) =>
        isElement(val, i)
          ? typeof val.cv === "number"
            ? JSON.stringify(String.fromCharCode(val.cv))
            : `String.fromCharCode(${val.js})`
          : this.payload(val),
      );
      const js = `(${texts.join("+")})`;
      if (total !== null) {
        if (vals.every((val) => val.cv !== undefined))
          return this.known(
            vals
              .map((val, i) =>
                isElement(val, i) ? String.fromCharCode(val.cv as number) : val.cv instanceof Arr ? val.cv.p : val.cv,
              )
              .join(""),
            { ...shape, dims: [bounds(total)] },
          );
        return { js, shape: { ...shape, dims: [bounds(total)] } };
      }
      const once = this.once(js);
      const { l, d } = this.leftBounds(type, whole, 0);
      return { js: `${this.rt("arr")}(${once.first},${l},${d},${once.again}.length)`, shape: { ...shape, dims: null } };
    }
    if (whole.pack) {
      const two = whole.pack === "bit";
      if (total !== null) {
        if (vals.every((val) => val.cv !== undefined)) {
          let p: Bits = 0;
          let n = 0;
          vals.forEach((val, i) => {
            const part: Bits = isElement(val, i)
              ? allOf(two ? (val.cv as number) + 2 : (val.cv as number), 1)
              : ((val.cv instanceof Arr ? val.cv.p : val.cv) as Bits);
            p = catL(p, n, part, lengths[i].n!);
            n += lengths[i].n!;
          });
          return this.known(p, { ...shape, dims: [bounds(total)] });
        }
        const each = vals.map((val, i) => ({
          js: isElement(val, i) ? this.oneBit(val, two) : this.payload(val),
          n: lengths[i].n!,
        }));
        const live = each.filter((part) => part.n > 0);
        if (live.length === 0) return this.known(0, { ...shape, dims: [bounds(0)] });
        if (total <= 32) {
          // all parts of plain bits, or by the long way
          const names = live.map((part) => this.once(part.js));
          let shift = total;
          const plain = names.map((name, i) => {
            shift -= live[i].n;
            return shift === 0 ? name.again : `${wrapped(name.again)}<<${shift}`;
          });
          const joined = `(${plain.join("|")})`;
          if (two) {
            const sets = names.filter((name) => name.first !== name.again).map((name) => name.first);
            return {
              js: sets.length ? `(${[...sets, joined].join(",")})` : joined,
              shape: { ...shape, dims: [bounds(total)] },
            };
          }
          const sets = names.map((name) => name.first);
          const isPlain = names
            .map((name) => `typeof ${name.again}==="number"`)
            .filter((text) => !/typeof -?\(?\d/.test(text));
          let long = names[0].again;
          let n = live[0].n;
          for (let i = 1; i < live.length; i++) {
            long = `${this.rt("catL")}(${long},${n},${names[i].again},${live[i].n})`;
            n += live[i].n;
          }
          const before = sets.filter((text, i) => text !== names[i].again);
          const body = isPlain.length ? `(${isPlain.join("&&")}?${joined}:${long})` : joined;
          return {
            js: before.length ? `(${before.join(",")},${body})` : body,
            shape: { ...shape, dims: [bounds(total)] },
          };
        }
        let js = live[0].js;
        let n = live[0].n;
        for (let i = 1; i < live.length; i++) {
          js = `${this.rt("catL")}(${js},${n},${live[i].js},${live[i].n})`;
          n += live[i].n;
        }
        return { js, shape: { ...shape, dims: [bounds(total)] } };
      }
      const { l, d } = this.leftBounds(type, whole, 0);
      const list = vals.map((val, i) =>
        isElement(val, i) ? `${this.rt("arr")}(${this.oneBit(val, two)},0,0,1)` : this.carry(val).js,
      );
      return { js: `${this.rt("catArr")}([${list.join(",")}],${l},${d})`, shape: { ...shape, dims: null } };
    }
    const list = vals.map((val, i) =>
      isElement(val, i)
        ? this.kept(val)
        : `...${isList(val.shape) && !isList(shape.elem) ? this.payload(val) : `${this.rt("copy")}(${this.payload(val)})`}`,
    );
    const js = `[${list.join(",")}]`;
    if (total !== null) return { js, shape: { ...shape, dims: [bounds(total)] }, fresh: true };
    const once = this.once(js);
    const { l, d } = this.leftBounds(type, whole, 0);
    return {
      js: `${this.rt("arr")}(${once.first},${l},${d},${once.again}.length)`,
      shape: { ...shape, dims: null },
      fresh: true,
    };
  }
  /** A scalar as bits of one element. */
  oneBit(val: Val, two: boolean): string {
    if (typeof val.cv === "number") return this.constant(allOf(two ? val.cv + 2 : val.cv, 1));
    if (two) return val.js;
    const any = `${this.rt("bit1")}(${val.js})`;
    return /^[\w.]+$/.test(val.js) ? `((${val.js}&-2)===2?${val.js}&1:${any})` : any;
  }

  // ---- conversions ----------------------------------------------------------------------------------------------

  private convert(e: Expr & { op: "convert" }): Val {
    const shape = this.shape(e.subtype);
    const arg = this.expr(e.arg, shape);
    if (shape.k === "s" && arg.shape.k === "s") {
      const from = arg.shape.type.kind;
      const to = shape.type.kind;
      if (from === "real" && to === "int") {
        const js = typeof arg.cv === "number" ? undefined : `${this.rt("round")}(${arg.js})`;
        const val: Val =
          js === undefined
            ? this.known(Math.sign(arg.cv as number) * Math.floor(Math.abs(arg.cv as number) + 0.5) + 0, shape)
            : { js, shape: this.plainShape(shape.type) };
        return this.checked(val, shape, e.loc);
      }
      if (from === "int" && to === "real") return { ...arg, shape };
      return this.checked(
        { ...arg, shape: arg.shape.type === shape.type ? arg.shape : this.plainShape(shape.type) },
        shape,
        e.loc,
      );
    }
    if (shape.k === "a" && arg.shape.k === "a") {
      if (shape.dims) return this.fit({ ...arg, shape: { ...arg.shape, type: shape.type } }, shape, e.loc);
      // bounds of the operand
      return { ...arg, shape: { ...shape, dims: arg.shape.dims, elem: arg.shape.elem } };
    }
    return { ...arg, shape };
  }

  // ---- aggregates -----------------------------------------------------------------------------------------------

  private aggregate(e: Expr & { op: "aggregate" }, want?: Shape): Val {
    if (e.type.kind === "record") {
      const base = want?.k === "r" ? want : (this.plainShape(e.type) as Shape & { k: "r" });
      const fields: string[] = [];
      for (const { choice, value } of e.elements) {
        if (choice.kind !== "field") continue;
        const val = this.fit(this.expr(value, base.fields[choice.field]), base.fields[choice.field], value.loc);
        fields[choice.field] = this.kept(val);
      }
      const js = `[${base.fields.map((_, i) => fields[i] ?? "null").join(",")}]`;
      return { js, shape: base, fresh: true };
    }
    const plain = (want?.k === "a" ? want : this.plainShape(e.type)) as ArrayShape;
    const rest = plain.dims && plain.dims.length > 1 ? plain.dims.slice(1) : null;
    const innerWant: Shape = rest ? { ...plain, dims: rest } : plain.elem;
    return this.arrayAggregate(e, plain, innerWant, want);
  }

  private arrayAggregate(e: Expr & { op: "aggregate" }, plain: ArrayShape, elem: Shape, want?: Shape): Val {
    const { loc } = e;
    const others = e.elements.find((each) => each.choice.kind === "others");
    const value = (each: AggregateElement): Val => {
      if (each.isStretch) return this.expr(each.value);
      return this.fit(this.expr(each.value, elem), elem, each.value.loc);
    };
    // where each one goes
    interface Slot {
      readonly from: number;
      readonly to: number;
      readonly each: AggregateElement;
      readonly left: boolean;
    }
    const slots: Slot[] = [];
    let dynamic: AggregateElement | null = null;
    let least = Number.POSITIVE_INFINITY;
    let most = Number.NEGATIVE_INFINITY;
    let descending: 0 | 1 | null = null;
    const positional = e.elements.some((each) => each.choice.kind === "position");
    let at = 0;
    for (const each of e.elements) {
      const { choice } = each;
      if (choice.kind === "position") {
        const size = each.isStretch ? (this.lengthOf(this.expr(each.value)).n ?? 1) : 1;
        slots.push({ from: at, to: at + size - 1, each, left: true });
        at += size;
      } else if (choice.kind === "value") {
        const index = this.expr(choice.value);
        if (typeof index.cv !== "number") {
          dynamic = each;
          continue;
        }
        slots.push({ from: index.cv, to: index.cv, each, left: false });
        least = Math.min(least, index.cv);
        most = Math.max(most, index.cv);
      } else if (choice.kind === "range") {
        const b = this.bounds(choice.range);
        if (!b) {
          dynamic = each;
          continue;
        }
        if (b.n === 0) {
          if (e.elements.length === 1) return this.emptyArray(plain, b);
          continue;
        }
        slots.push({ from: lowOf(b), to: highOf(b), each, left: b.d === 1 });
        descending ??= b.d;
        least = Math.min(least, lowOf(b));
        most = Math.max(most, highOf(b));
      }
    }
    let bounds: Bounds | null = want?.k === "a" && want.dims ? want.dims[0] : null;
    const size = positional ? at : most - least + 1;
    if (!bounds || (!others && size !== bounds.n)) {
      if (others && !dynamic) {
        if (want?.k === "a" && want.dims === null && dynamicRange(want)) return this.dynamicOthers(e, want, value);
        this.error(
          "others",
          loc,
          "'others' stands where the length is not known.",
          "Qualify the aggregate, or give each element.",
        );
        return this.known(plain.pack ? 0 : [], { ...plain, dims: [{ l: 0, d: 0, n: 0 }] });
      }
      if (!dynamic) {
        const first = this.leftBounds(e.type, plain, 0);
        bounds = positional
          ? { ...first, n: at }
          : { l: descending === 1 ? most : least, d: descending ?? first.d, n: size };
      }
    }
    if (dynamic && e.elements.length === 1 && dynamic.choice.kind === "range") {
      // (range => value) of a length that the run knows
      const { l, r, d, dynamicDir } = this.rangeVal(dynamic.choice.range);
      const dir = dynamicDir ?? String(d);
      const left = this.once(l.js);
      const n = this.once(`${this.rt("len")}(${left.first},${r.js},${dir})`);
      const filled = this.filled(plain, n.first, value(dynamic));
      const made: Val = {
        js: `${this.rt("arr")}(${filled},${left.again},${dir},${n.again})`,
        shape: { ...plain, dims: null, elem },
        fresh: true,
      };
      return bounds ? this.fit(made, { ...plain, dims: want?.k === "a" ? want.dims : null }, loc) : made;
    }
    if (!bounds) {
      if (want?.k === "a" && others) return this.dynamicOthers(e, want, value);
      this.error(
        "choice",
        loc,
        "The choices of this aggregate are not known before the run.",
        "Use constants, or assign the elements one by one.",
      );
      return this.known(plain.pack ? 0 : [], { ...plain, dims: [{ l: 0, d: 0, n: 0 }] });
    }
    const b = bounds;
    const shape: ArrayShape = {
      ...plain,
      dims: plain.dims && plain.dims.length > 1 ? [b, ...plain.dims.slice(1)] : [b],
      elem: plain.elem,
    };
    const k = (index: number): number => (positional ? index : b.d ? b.l - index : index - b.l);
    const items: (Val | undefined)[] = new Array(Math.min(b.n, 1 << 22));
    const stretches: { at: number; val: Val; n: number }[] = [];
    for (const slot of slots) {
      const val = value(slot.each);
      if (slot.each.isStretch) {
        const first = Math.min(k(slot.from), k(slot.to));
        stretches.push({ at: first, val, n: slot.to - slot.from + 1 });
        continue;
      }
      for (let index = slot.from; index <= slot.to; index++) {
        const place = k(index);
        if (place < 0 || place >= b.n) {
          this.error(
            "choice",
            slot.each.value.loc,
            `Index ${index} of this aggregate is outside of ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
            "Check the choices.",
          );
          break;
        }
        items[place] = val;
      }
    }
    const rest = others ? value(others) : null;
    if (!rest && !dynamic) {
      let missing = 0;
      for (let i = 0; i < b.n; i++)
        if (!items[i] && !stretches.some((each) => i >= each.at && i < each.at + each.n)) missing++;
      if (missing) {
        this.error(
          "aggregate",
          loc,
          `${missing} of the ${b.n} elements of this aggregate have no value.`,
          "Give them, or write 'others => ...'.",
        );
        return this.defaultValue(shape);
      }
    }
    let made = this.assemble(shape, items, rest, elem);
    for (const each of stretches) made = this.overlay(made, each.at, each.val, each.n);
    if (dynamic) made = this.overlayDynamic(made, dynamic, value(dynamic), loc);
    return made;
  }

  private emptyArray(plain: ArrayShape, b: Bounds): Val {
    return this.known(plain.pack === "char" ? "" : plain.pack ? 0 : [], { ...plain, dims: [b] });
  }

  /** `(others => x)` for an array whose length the run knows. */
  private dynamicOthers(e: Expr & { op: "aggregate" }, want: Shape, value: (each: AggregateElement) => Val): Val {
    if (want.k !== "a") return this.defaultValue(want);
    const range = dynamicRange(want);
    if (!range || e.elements.length !== 1) {
      this.error(
        "others",
        e.loc,
        "'others' beside other choices needs a length that is known before the run.",
        "Assign the elements one by one.",
      );
      return this.defaultValue(want);
    }
    const { l, r, d, dynamicDir } = this.rangeVal(range);
    const dir = dynamicDir ?? String(d);
    const left = this.once(l.js);
    const n = this.once(`${this.rt("len")}(${left.first},${r.js},${dir})`);
    return {
      js: `${this.rt("arr")}(${this.filled(want, n.first, value(e.elements[0]))},${left.again},${dir},${n.again})`,
      shape: want,
      fresh: true,
    };
  }

  /** Elements by place from the left; those that are not given are `rest`. */
  private assemble(shape: ArrayShape, items: readonly (Val | undefined)[], rest: Val | null, elem: Shape): Val {
    const n = shape.dims![0].n;
    const list = Array.from(
      { length: Math.min(n, items.length) },
      (_, i) => items[i] ?? rest ?? this.defaultValue(elem),
    );
    if (shape.pack) {
      const two = shape.pack === "bit";
      if (list.every((val) => typeof val.cv === "number"))
        return this.known(
          this.pack(
            list.map((val) => val.cv),
            shape.pack,
          ),
          shape,
        );
      if (shape.pack === "char") return { js: `${this.rt("chars")}([${list.map((val) => val.js).join(",")}])`, shape };
      const distinct = new Set(list.map((val) => val.js));
      if (distinct.size === 1)
        return { js: `${this.rt("allOf")}(${two ? `${list[0].js}+2` : list[0].js},${n})`, shape };
      return { js: `${this.rt("packL")}([${list.map((val) => (two ? `${val.js}+2` : val.js)).join(",")}])`, shape };
    }
    const given = items.filter((item) => item !== undefined).length;
    if (rest && n > 64 && given * 8 < n) {
      const base = `${this.rt("fill")}(${n},()=>${this.kept({ ...rest, fresh: false })})`;
      const sets = list.flatMap((val, i) => (items[i] ? [`a[${i}]=${this.kept(val)};`] : []));
      return { js: sets.length ? `((a)=>{${sets.join("")}return a;})(${base})` : base, shape, fresh: true };
    }
    if (list.every((val) => val.cv !== undefined && typeof val.cv !== "object")) {
      const values = list.map((val) => val.cv);
      return n > 16
        ? { js: `${this.cap(values)}.slice()`, shape, fresh: true }
        : { js: `[${list.map((val) => val.js).join(",")}]`, shape, fresh: true };
    }
    return {
      js: `[${list.map((val) => this.kept({ ...val, fresh: val.fresh && items.includes(val) && items.indexOf(val) === items.lastIndexOf(val) })).join(",")}]`,
      shape,
      fresh: true,
    };
  }

  private overlay(made: Val, at: number, val: Val, n: number): Val {
    const shape = made.shape as ArrayShape;
    const total = shape.dims![0].n;
    if (shape.pack === "char") return { js: `${this.rt("setText")}(${made.js},${at},${this.payload(val)})`, shape };
    if (shape.pack)
      return { js: `${this.rt("insertL")}(${made.js},${total},${total - at - n},${this.payload(val)},${n})`, shape };
    return { js: `${this.rt("splice")}(${made.js},${at},${this.payload(val)})`, shape, fresh: true };
  }
  private overlayDynamic(made: Val, each: AggregateElement, val: Val, loc: Loc): Val {
    const shape = made.shape as ArrayShape;
    if (each.choice.kind !== "value") {
      this.error("choice", loc, "A range in this aggregate is not known before the run.", "Use constants.");
      return made;
    }
    const index = this.expr(each.choice.value);
    const k = this.position(shape, 0, index, each.choice.value.loc, made.js);
    const total = shape.dims![0].n;
    if (shape.pack === "char") return { js: `${this.rt("setChar")}(${made.js},${k},${val.js})`, shape };
    if (shape.pack)
      return {
        js: `${this.rt("setL")}(${made.js},${total},${total - 1}-(${k}),${shape.pack === "bit" ? `${val.js}+2` : val.js})`,
        shape,
      };
    return { js: `${this.rt("splice")}(${made.js},${k},[${this.kept(val)}])`, shape, fresh: true };
  }

  // ---- attributes -----------------------------------------------------------------------------------------------

  private attribute(e: Expr & { op: "attribute" }): Val {
    const { name } = e;
    const index: Shape = { k: "s", type: e.type, lo: null, hi: null };
    if (e.decl || name === "path_name" || name === "instance_name" || name === "simple_name") return this.named(e);
    const dim =
      e.arg && /^(left|right|high|low|length|range|reverse_range|ascending)$/.test(name)
        ? ((this.expr(e.arg).cv as number) ?? 1)
        : 1;
    if (e.subtype) {
      const shape = this.shape(e.subtype);
      if (shape.k === "a") return this.arrayAttribute(name, shape, null, dim, index);
      const range = this.scalarRange(shape);
      switch (name) {
        case "left":
          return { ...range.l, shape: index };
        case "right":
          return { ...range.r, shape: index };
        case "low":
          return { ...(range.d ? range.r : range.l), shape: index };
        case "high":
          return { ...(range.d ? range.l : range.r), shape: index };
        case "ascending":
          return this.known(range.d ? 0 : 1, this.booleanShape);
        case "image":
          return this.image(this.expr(e.arg!), e.subtype.type);
        case "value": {
          const arg = this.plainText(this.expr(e.arg!));
          const { type } = shape;
          const at = this.at(e.loc);
          const val: Val =
            type.kind === "enum"
              ? {
                  js: `${this.rt("enumValue")}(${arg},${this.cap(this.names(type))},${at})`,
                  shape: this.plainShape(type),
                }
              : type.kind === "int"
                ? { js: `${this.rt("intValue")}(${arg},${at})`, shape: this.plainShape(type) }
                : type.kind === "real"
                  ? { js: `${this.rt("realValue")}(${arg},${at})`, shape: this.plainShape(type) }
                  : {
                      js: `${this.rt("physValue")}(${arg},${this.cap((type as { units: unknown }).units)},${at})`,
                      shape: this.plainShape(type),
                    };
          return this.checked(val, shape, e.loc);
        }
        case "pos":
          return { ...this.expr(e.arg!), shape: index };
        case "val":
          return this.checked(
            { ...this.expr(e.arg!), shape: this.plainShape(shape.type) },
            this.plainShape(shape.type),
            e.loc,
          );
        case "succ":
        case "pred":
        case "leftof":
        case "rightof": {
          const arg = this.expr(e.arg!);
          const up = name === "succ" || name === (range.d ? "leftof" : "rightof");
          const base = this.plainShape(shape.type);
          const js = `(${arg.js}${up ? "+" : "-"}1)`;
          const cv = typeof arg.cv === "number" ? arg.cv + (up ? 1 : -1) : undefined;
          const val: Val =
            cv !== undefined
              ? this.known(cv, base)
              : { js, shape: base, lo: Number.NEGATIVE_INFINITY, hi: Number.POSITIVE_INFINITY };
          return this.checked(val, base, e.loc);
        }
      }
    }
    const of = e.of!;
    switch (name) {
      case "event":
      case "active":
      case "last_value":
      case "last_event":
      case "last_active":
      case "driving":
      case "driving_value":
      case "stable":
      case "quiet":
      case "delayed":
      case "transaction":
        return this.signalAttribute(e);
      case "endfile":
        return this.boolean(`${this.rt("endFile")}(${this.expr(of).js},${this.isText(of.type)},${this.at(e.loc)})`);
      case "to_string":
        return this.toText(this.expr(of), of.type);
    }
    const val = this.expr(of);
    if (val.shape.k !== "a") return this.known(0, index);
    return this.arrayAttribute(name, val.shape, val, dim, index);
  }
  isText(type: VType): boolean {
    return type.kind === "file" && type.of.type === this.world.standard.string;
  }

  private arrayAttribute(name: string, shape: ArrayShape, val: Val | null, dim: number, index: Shape): Val {
    const carried = val?.cv instanceof Arr ? val.cv : null;
    if (shape.dims || carried) {
      const b: Bounds = shape.dims ? shape.dims[dim - 1] : { l: carried!.l, d: carried!.d, n: carried!.n };
      switch (name) {
        case "length":
          return this.known(b.n, index);
        case "left":
          return this.known(b.l, index);
        case "right":
          return this.known(rightOf(b), index);
        case "low":
          return this.known(lowOf(b), index);
        case "high":
          return this.known(highOf(b), index);
        default:
          return this.known(b.d ? 0 : 1, this.booleanShape);
      }
    }
    if (!val) {
      const range = dynamicRange(shape);
      if (!range) return this.known(0, index);
      const { l, r, d, dynamicDir } = this.rangeVal(range);
      const dir = dynamicDir ?? String(d);
      if (name === "length")
        return { js: `${this.rt("len")}(${l.js},${r.js},${dir})`, shape: index, lo: 0, hi: 2147483647 };
      if (name === "left") return { ...l, shape: index };
      if (name === "right") return { ...r, shape: index };
      if (name === "ascending") return this.boolean(`!(${dir})`);
      return { ...((name === "high") === (d === 1) ? l : r), shape: index };
    }
    const own = this.once(val.js);
    switch (name) {
      case "length":
        return { js: `${own.first}.n`, shape: index, lo: 0, hi: 2 ** 26 };
      case "left":
        return { js: `${own.first}.l`, shape: index };
      case "right":
        return { js: `${own.first}.r`, shape: index };
      case "ascending":
        return this.boolean(`${own.first}.d===0`);
      case "low":
        return { js: `(${own.first}.d?${own.again}.r:${own.again}.l)`, shape: index };
      default:
        return { js: `(${own.first}.d?${own.again}.l:${own.again}.r)`, shape: index };
    }
  }

  /** 'image of a scalar: names in lower case, characters in quotes, times in their base unit. */
  image(val: Val, type: VType): Val {
    switch (type.kind) {
      case "enum": {
        if (typeof val.cv === "number") return this.textKnown(type.literals[val.cv].name);
        return this.str(`${this.cap(this.names(type))}[${val.js}]`);
      }
      case "int":
        if (typeof val.cv === "number") return this.textKnown(String(val.cv));
        return this.str(`(""+${val.js})`);
      case "real":
        return this.str(`${this.rt("realImage")}(${val.js})`);
      case "physical":
        return this.str(
          type.isTime ? `${this.rt("timeImage")}(${val.js})` : `(${val.js}+${JSON.stringify(` ${type.base}`)})`,
        );
      default:
        return this.textKnown("");
    }
  }
  textKnown(text: string): Val {
    return this.known(text, { ...this.stringShape, dims: [{ l: 1, d: 0, n: text.length }] });
  }
  /** to_string: as 'image, but characters without quotes (5.2.6, 5.7). */
  toText(val: Val, type: VType): Val {
    switch (type.kind) {
      case "enum": {
        const names = this.names(type).map((name) => (name.startsWith("'") ? name[1] : name));
        if (type.packing === "char") return this.str(`String.fromCharCode(${val.js})`);
        return this.str(`${this.cap(names)}[${val.js}]`);
      }
      case "real":
        return this.str(`${this.rt("realString")}(${val.js})`);
      case "array": {
        const own = this.onceVal(val);
        const pack = val.shape.k === "a" ? val.shape.pack : null;
        if (pack === "char") return val;
        if (pack) return this.str(`${this.rt("bitText")}(${own.first},${own.n},${pack === "logic"})`);
        const element = type.element.type;
        return this.str(
          `${own.first}.map((v)=>${this.cap(this.names(element).map((name) => name.replaceAll("'", "")))}[v]).join("")`,
        );
      }
      default:
        return this.image(val, type);
    }
  }

  /** Attributes that the user gave, and names of paths. */
  abstract named(e: Expr & { op: "attribute" }): Val;

  /** More is asked about these signals than their values. */
  observe(tree: SigTree | null): void {
    if (tree) for (const leaf of leavesOf(tree)) this.program.observed.add(leaf);
  }

  private signalAttribute(e: Expr & { op: "attribute" }): Val {
    const ref = this.refOf(e.of!);
    const { name } = e;
    const index: Shape = this.plainShape(e.type);
    if (/active|quiet/.test(name)) this.program.tracksActive = true;
    if (name === "last_event") this.program.engine.tracksTimes = true;
    if (!ref) return this.known(0, index);
    this.observe(ref.tree);
    if (name === "driving") return this.known(1, this.booleanShape);
    if (name === "driving_value") {
      const isLeaf = !this.isTree(ref.shape, ref.tree);
      return isLeaf && !ref.part ? { js: `${ref.drv()}.v`, shape: ref.shape } : this.readRef(ref);
    }
    if (name === "delayed" || name === "transaction" || ((name === "stable" || name === "quiet") && e.arg)) {
      const made = this.refOf(e);
      return made ? this.readRef(made) : this.known(0, index);
    }
    const whole = ref.part ? this.partSignal(ref) : ref;
    const isTree = this.isTree(whole.shape, whole.tree);
    switch (name) {
      case "event":
        return this.boolean(isTree ? `${this.rt("hasEvent")}(${whole.sig},E.d)` : `${whole.sig}.ev===E.d`);
      case "active":
        return this.boolean(isTree ? `${this.rt("isActive")}(${whole.sig},E.d)` : `${whole.sig}.act===E.d`);
      case "stable":
        return this.boolean(isTree ? `!${this.rt("hasEvent")}(${whole.sig},E.d)` : `${whole.sig}.ev!==E.d`);
      case "quiet":
        return this.boolean(isTree ? `!${this.rt("isActive")}(${whole.sig},E.d)` : `${whole.sig}.act!==E.d`);
      case "last_value":
        return isTree
          ? { js: `${this.rt("lastOfTree")}(${whole.sig})`, shape: whole.shape, fresh: true }
          : { js: `${whole.sig}.last`, shape: whole.shape };
      case "last_event":
        return {
          js: `${this.rt("since")}(${isTree ? `${this.rt("lastEventAt")}(${whole.sig})` : `${whole.sig}.at`},E.now)`,
          shape: index,
        };
      default:
        return {
          js: `${this.rt("since")}(${isTree ? `${this.rt("lastActiveAt")}(${whole.sig})` : `${whole.sig}.actAt`},E.now)`,
          shape: index,
        };
    }
  }

  /** A stretch of a signal as a signal of its own, for its events. */
  partSignal(ref: Ref): Ref {
    const { part, tree } = ref;
    if (!part || !tree || Array.isArray(tree) || part.loKnown === null || part.nKnown === null)
      return { ...ref, part: null };
    const two = ref.shape.k === "a" && ref.shape.pack === "bit";
    const made = this.partSig(tree, part.loKnown, part.nKnown, part.bit, two);
    return this.known_(made, part.shape);
  }
  private partSig(sig: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
    let list = parts.get(sig);
    if (!list) {
      list = new Map();
      parts.set(sig, list);
    }
    const key = `${lo}:${n}:${bit}`;
    let made = list.get(key);
    if (!made) {
      made = partOf(sig, lo, n, bit, two);
      list.set(key, made);
    }
    return made;
  }

  // ---- variables ------------------------------------------------------------------------------------------------

  /** A variable or a part of one, to be read and written. Indexes are computed once, before. */
  lval(e: Expr, before: string[]): LVal {
    const name = (js: string): string => {
      if (/^-?\d+$/.test(js)) return js;
      const made = this.temp();
      before.push(`${made}=${js};`);
      return made;
    };
    switch (e.op) {
      case "object": {
        const { decl } = e;
        const place = this.find(decl);
        if (decl.kind === "alias") {
          const frame = place?.k === "alias" ? place.frame : this.frame;
          const inner = this.within(frame, () => this.lval(decl.of, before));
          const shape = this.aliasShape(decl, frame);
          if (shape?.k === "a" && shape.dims && inner.shape.k === "a") {
            if (inner.shape.dims) return { ...inner, shape: { ...shape, elem: inner.shape.elem } };
            return {
              read: `${inner.read}.p`,
              write: (js) => inner.write(`${this.rt("arr")}(${js},${inner.read}.l,${inner.read}.d,${inner.read}.n)`),
              shape,
            };
          }
          return inner;
        }
        if (place?.k === "var") return { read: place.js, write: (js) => `${place.js}=${js};`, shape: place.shape };
        if (place?.k === "cell") {
          const cell = this.cap(place.cell);
          return { read: `${cell}.v`, write: (js) => `${cell}.v=${js};`, shape: place.shape };
        }
        if (place?.k === "const") return { read: this.constant(place.v), write: () => "", shape: place.shape };
        this.error("target", e.loc, `'${decl.name}' cannot be assigned here.`, "Assign a variable.");
        return { read: "0", write: () => "", shape: this.plainShape(e.type) };
      }
      case "field": {
        const of = this.lval(e.of, before);
        const shape = of.shape.k === "r" ? of.shape.fields[e.field] : of.shape;
        const read = `${of.read}[${e.field}]`;
        return { read, write: (js) => `${read}=${js};`, shape };
      }
      case "deref": {
        const of = this.expr(e.of);
        const cell = name(`${this.rt("follow")}(${of.js},${this.at(e.loc)})`);
        return { read: `${cell}.v`, write: (js) => `${cell}.v=${js};`, shape: this.pointed(e.of.type) };
      }
      case "index": {
        let at = this.lval(e.of, before);
        for (let dim = 0; dim < e.indexes.length; dim++) {
          const { shape } = at;
          if (shape.k !== "a") return at;
          const index = this.expr(e.indexes[dim]);
          const k = name(String(this.position(shape, 0, index, e.indexes[dim].loc, at.read)));
          const rest = shape.dims?.slice(1) ?? [];
          const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
          const of = at;
          const payload = shape.dims ? of.read : `${of.read}.p`;
          const total = shape.dims ? String(shape.dims[0].n) : `${of.read}.n`;
          const put = (js: string) =>
            shape.dims ? of.write(js) : of.write(`${this.rt("arr")}(${js},${of.read}.l,${of.read}.d,${of.read}.n)`);
          if (shape.pack === "char")
            at = {
              read: `${payload}.charCodeAt(${k})`,
              write: (js) => put(`${this.rt("setChar")}(${payload},${k},${js})`),
              shape: inner,
            };
          else if (shape.pack) {
            const bit = /^\d+$/.test(k) && shape.dims ? String(shape.dims[0].n - 1 - Number(k)) : `${total}-1-${k}`;
            const two = shape.pack === "bit";
            at = {
              read: `${this.rt(two ? "getB" : "getL")}(${payload},${bit})`,
              write: (js) => put(`${this.rt("setL")}(${payload},${total},${bit},${two ? `${js}+2` : js})`),
              shape: inner,
            };
          } else {
            const read = `${payload}[${k}]`;
            at = { read, write: (js) => `${read}=${js};`, shape: inner };
          }
        }
        return at;
      }
      case "slice": {
        const of = this.lval(e.of, before);
        const { shape } = of;
        if (shape.k !== "a") return of;
        const { k: place, n, made } = this.cut(shape, e, of.read);
        const k = name(String(place));
        const payload = shape.dims ? of.read : `${of.read}.p`;
        const total = shape.dims ? String(shape.dims[0].n) : `${of.read}.n`;
        const put = (js: string) =>
          shape.dims ? of.write(js) : of.write(`${this.rt("arr")}(${js},${of.read}.l,${of.read}.d,${of.read}.n)`);
        const inner: Shape = typeof n === "number" ? made : { ...shape, dims: null };
        const extra = made as Shape & { sliceLeft: string; sliceDir: string };
        const lo =
          /^\d+$/.test(k) && typeof n === "number" && shape.dims
            ? String(shape.dims[0].n - Number(k) - n)
            : `${total}-${k}-${n}`;
        const carried = (js: string) =>
          typeof n === "number" ? js : `${this.rt("arr")}(${js},${extra.sliceLeft},${extra.sliceDir},${n})`;
        const bare = (js: string) => (typeof n === "number" ? js : `${this.rt("need")}(${js},${n},${this.at(e.loc)})`);
        if (shape.pack === "char")
          return {
            read: carried(`${payload}.slice(${k},${k}+${n})`),
            write: (js) => put(`${this.rt("setText")}(${payload},${k},${bare(js)})`),
            shape: inner,
          };
        if (shape.pack)
          return {
            read: carried(`${this.rt("sliceL")}(${payload},${lo},${n})`),
            write: (js) => put(`${this.rt("insertL")}(${payload},${total},${lo},${bare(js)},${n})`),
            shape: inner,
          };
        return {
          read: carried(`${payload}.slice(${k},${k}+${n})`),
          write: (js) => `${this.rt("splice")}(${payload},${k},${bare(js)});`,
          shape: inner,
        };
      }
      case "convert":
      case "qualified":
        return this.lval(e.arg, before);
      default: {
        const val = this.expr(e);
        return { read: val.js, write: () => "", shape: val.shape };
      }
    }
  }
}

const parts = new WeakMap<Sig, Map<string, Sig>>();

function logic(name: string, a: number, b: number): number {
  switch (name) {
    case "and":
      return a & b;
    case "or":
      return a | b;
    case "xor":
      return a ^ b;
    case "nand":
      return 1 - (a & b);
    case "nor":
      return 1 - (a | b);
    default:
      return 1 - (a ^ b);
  }
}
function isKnownField(cv: unknown): boolean {
  return Array.isArray(cv);
}
export function wrapped(js: string): string {
  return /^[\w$.]+$/.test(js) || (js.startsWith("(") && js.endsWith(")") && closes(js)) ? js : `(${js})`;
}
function closes(js: string): boolean {
  let depth = 0;
  for (let i = 0; i < js.length; i++) {
    if (js[i] === "(") depth++;
    else if (js[i] === ")" && --depth === 0) return i === js.length - 1;
  }
  return false;
}
/** Sum of two offsets, known or as code. */
function addText(base: string, known: number | null, more: number | null, text: string): number | string {
  if (known !== null && more !== null) return known + more;
  return `${base}+${text}`;
}

export { Frame, isList };
