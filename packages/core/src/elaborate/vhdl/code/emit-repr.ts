import type { Loc } from "../../../common/source.ts";
import type { BoundRange, VType } from "../types.ts";
import { type ArrayShape, type Bounds, dynamicRange, dynamicRanges, type Shape, shapeText } from "../values/shapes.ts";
import { Arr, allOf, fromCodes, nested } from "../values/values.ts";
import type { Val } from "./emit-base.ts";
import { isList } from "./emit-text.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Literals, and how values are kept: lengths, bounds, checks and copies. */
export class EmitRepr {
  constructor(private readonly host: UnitEmitter) {}

  // ---- literals -------------------------------------------------------------------------------------------------

  stringLiteral(values: readonly number[], type: VType, want?: Shape): Val {
    const own = this.host.shapes.plainShape(type);
    // a row of an array of several dimensions is kept as those are
    const shape = want?.k === "a" && own.k === "a" && want.pack !== own.pack ? { ...want, dims: null } : own;
    if (shape.k !== "a") throw new Error("a string of no array");
    const n = values.length;
    // bounds: those wanted, or from the left of the index type (9.3.2)
    const dims: Bounds[] =
      want?.k === "a" && want.dims && want.dims[0].n === n
        ? [...want.dims]
        : [this.leftBounds(shape.type.indexes[0].type, shape, n)];
    return this.host.known(this.pack(values, shape.pack), { ...shape, dims });
  }
  /** Bounds of a value that says none of its own: from the left of the index subtype on. */
  leftBounds(_type: VType, shape: ArrayShape, n: number): Bounds {
    const index = this.host.shapes.shape(shape.type.indexes[0]);
    const { l, d } = this.host.shapes.scalarRange(index);
    return { l: typeof l.cv === "number" ? l.cv : 0, d, n };
  }
  pack(values: readonly unknown[], pack: ArrayShape["pack"]): unknown {
    if (pack === "char") return String.fromCharCode(...(values as number[]));
    if (pack === null) return [...values];
    const codes = Uint8Array.from(values as number[]).reverse();
    return fromCodes(pack === "bit" ? codes.map((bit) => bit + 2) : codes);
  }

  // ---- representation -------------------------------------------------------------------------------------------

  /** A value that carries its bounds. */
  carry(val: Val): Val {
    const { shape } = val;
    if (shape.k !== "a" || shape.dims === null) return val;
    const [b] = shape.dims;
    const carried: Shape = { ...shape, dims: null };
    if (shape.dims.length > 1) {
      const dims = shape.dims.map((each) => [each.l, each.d, each.n] as const);
      if (val.cv !== undefined) return this.host.known(nested(val.cv, dims), carried);
      return { js: `${this.host.rt("nested")}(${val.js},${this.host.cap(dims)})`, shape: carried, fresh: val.fresh };
    }
    if (val.cv !== undefined) return this.host.known(new Arr(val.cv, b.l, b.d, b.n), carried);
    return { js: `${this.host.rt("arr")}(${val.js},${b.l},${b.d},${b.n})`, shape: carried, fresh: val.fresh };
  }
  /** Number of elements, as code and if it is known. */
  lengthOf(val: Val): { readonly js: string; readonly n: number | null } {
    const { shape } = val;
    if (shape.k !== "a") return { js: "1", n: 1 };
    if (shape.dims) return { js: String(shape.dims[0].n), n: shape.dims[0].n };
    if (val.cv instanceof Arr) return { js: String(val.cv.n), n: val.cv.n };
    return { js: `${val.js}.n`, n: null };
  }
  /** A range as [left, direction, elements]. */
  private triple(range: BoundRange): string {
    const { l, r, d, dynamicDir } = this.host.shapes.rangeVal(range);
    const left = this.host.once(l.js);
    const dir = dynamicDir ?? String(d);
    return `[${left.first},${dir},${this.host.rt("len")}(${left.again},${r.js},${dir})]`;
  }
  /** Without bounds: bits, text or list. */
  payload(val: Val): string {
    const { shape } = val;
    if (shape.k !== "a" || shape.dims) return val.js;
    if (val.cv instanceof Arr) return this.host.constant(val.cv.p);
    return `${val.js}.p`;
  }
  /** Kept in a place of its own: lists are copied unless nobody else has them. */
  kept(val: Val): string {
    if (val.fresh || (val.cv !== undefined && !isList(val.shape))) return val.js;
    return isList(val.shape) ? `${this.host.rt("copy")}(${val.js})` : val.js;
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
      if (shape.dims.length > 1) {
        const lengths = shape.dims.map((each) => each.n);
        return {
          js: `${this.host.rt("needAll")}(${val.js},${this.host.cap(lengths)},${this.host.at(loc)})`,
          shape,
          fresh: val.fresh,
        };
      }
      if (val.cv instanceof Arr) {
        if (val.cv.n !== b.n) {
          this.widthError({ ...val.shape, dims: [{ l: val.cv.l, d: val.cv.d, n: val.cv.n }] }, shape, loc);
          return this.defaultValue(shape);
        }
        return this.host.known(val.cv.p, shape);
      }
      return { js: `${this.host.rt("need")}(${val.js},${b.n},${this.host.at(loc)})`, shape, fresh: val.fresh };
    }
    const range = dynamicRange(shape);
    const carried = this.carry(val);
    if (!range) return carried;
    const ranges = dynamicRanges(shape)!;
    if (ranges.length > 1)
      return {
        js: `${this.host.rt("resized")}(${carried.js},[${ranges.map((each) => this.triple(each)).join()}],${this.host.at(loc)})`,
        shape,
        fresh: val.fresh,
      };
    const own = this.host.once(carried.js);
    const bound = this.host.once(this.host.exprs.rebind(own.first, range));
    return {
      js: `${this.host.rt("sized")}(${bound.first},${own.again}.n,${this.host.at(loc)})`,
      shape,
      fresh: val.fresh,
    };
  }

  widthError(have: Shape, need: Shape, loc: Loc): void {
    if (have.k !== "a" || need.k !== "a" || !have.dims || !need.dims) return;
    const a = have.dims.map((b) => b.n).join(" by ");
    const b = need.dims.map((each) => each.n).join(" by ");
    this.host.error(
      "width",
      loc,
      `'${this.host.text(loc)}' has ${a} element${a === "1" ? "" : "s"} (${shapeText(have)}), but ${b} ${b === "1" ? "is" : "are"} needed (${shapeText(need)}).`,
      /signed/.test(need.type.name)
        ? "Write resize(value, length), or change a declaration."
        : "Take a slice, put bits in front, or change a declaration.",
    );
  }

  /** A scalar within its range, with a check if it could be outside. */
  checked(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k !== "s") return val;
    const { lo, hi } = this.host.shapes.limits(shape);
    const { type } = shape;
    if (type.kind === "real" && shape.lo === null) return { ...val, shape };
    if (type.kind === "physical" && shape.lo === null) return { ...val, shape };
    if (typeof val.cv === "number" && typeof lo === "number" && typeof hi === "number") {
      if (val.cv >= lo && val.cv <= hi) return { ...val, shape };
      const name = (v: number) => (type.kind === "enum" ? type.literals[v]?.name : String(v));
      this.host.error(
        "out-of-range",
        loc,
        lo > hi
          ? `The value ${name(val.cv)} is given where the range has no values.`
          : `The value ${name(val.cv)} is outside of the range ${name(lo)} to ${name(hi)}.`,
        "Give a value within the range, or widen it.",
      );
      return this.host.known(lo, shape);
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
    const side = (v: number | string) => (typeof v === "number" ? this.host.constant(v) : v);
    const js =
      type.kind === "enum"
        ? `${this.host.rt("rgEnum")}(${val.js},${side(lo)},${side(hi)},${this.host.at(loc)},${this.host.cap(this.host.names(type))})`
        : `${this.host.rt("rg")}(${val.js},${side(lo)},${side(hi)},${this.host.at(loc)})`;
    return { js, shape, lo: typeof lo === "number" ? lo : undefined, hi: typeof hi === "number" ? hi : undefined };
  }

  /** Leftmost values (6.4.2.3). */
  defaultValue(shape: Shape): Val {
    switch (shape.k) {
      case "s": {
        const range = this.host.shapes.scalarRange(shape);
        return range.l.cv !== undefined ? this.host.known(range.l.cv, shape) : { js: range.l.js, shape };
      }
      case "a": {
        if (!shape.dims) {
          const range = dynamicRange(shape);
          if (!range) return this.host.known(new Arr(shape.pack === "char" ? "" : shape.pack ? 0 : [], 1, 0, 0), shape);
          const ranges = dynamicRanges(shape)!;
          if (ranges.length > 1) {
            // from the innermost dimension outwards
            const value = this.defaultValue(shape.elem);
            const names = ranges.map((each) => this.host.once(this.triple(each)));
            let js = isList(value.shape) ? this.kept(value) : value.js;
            for (let i = names.length - 1; i >= 0; i--) {
              const { again } = names[i];
              js = `${this.host.rt("arr")}(${this.host.rt("fill")}(${again}[2],()=>${js}),${again}[0],${again}[1],${again}[2])`;
            }
            return { js: `(${[...names.map((each) => each.first), js].join()})`, shape, fresh: true };
          }
          const { l, r, d, dynamicDir } = this.host.shapes.rangeVal(range);
          const dir = dynamicDir ?? String(d);
          const left = this.host.once(l.js);
          const n = this.host.once(`${this.host.rt("len")}(${left.first},${r.js},${dir})`);
          return {
            js: `${this.host.rt("arr")}(${this.filled(shape, n.first, this.defaultValue(shape.elem))},${left.again},${dir},${n.again})`,
            shape,
            fresh: true,
          };
        }
        const value = this.defaultValue(shape.elem);
        const [b, ...rest] = shape.dims;
        if (shape.pack) {
          if (shape.pack === "char") return this.host.known(String.fromCharCode(value.cv as number).repeat(b.n), shape);
          return this.host.known(
            allOf(shape.pack === "bit" ? (value.cv as number) + 2 : (value.cv as number), b.n),
            shape,
          );
        }
        const inner = rest.length ? this.defaultValue({ ...shape, dims: rest }) : value;
        return {
          js: `${this.host.rt("fill")}(${b.n},()=>${isList(inner.shape) ? this.kept(inner) : inner.js})`,
          shape,
          fresh: true,
        };
      }
      case "r": {
        const fields = shape.fields.map((field) => this.defaultValue(field));
        return { js: `[${fields.map((field) => this.kept(field)).join(",")}]`, shape, fresh: true };
      }
      case "o":
        if (shape.type.kind === "protected") return this.host.subprograms.protectedObject(shape.type);
        return { js: "null", shape, cv: null };
    }
  }

  /** Payload with `n` elements of one value. */
  filled(shape: ArrayShape, n: string, value: Val): string {
    if (shape.pack === "char") return `${this.host.rt("repeated")}(${value.js},${n})`;
    if (shape.pack) return `${this.host.rt("allOf")}(${shape.pack === "bit" ? `${value.js}+2` : value.js},${n})`;
    return `${this.host.rt("fill")}(${n},()=>${isList(value.shape) ? `${this.host.rt("copy")}(${value.js})` : value.js})`;
  }
}
