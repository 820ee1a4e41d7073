import type { Loc } from "../../../common/source.ts";
import { type BoundRange, type Constraint, packingOf, type Subtype, type VType } from "../types.ts";
import {
  type ArrayShape,
  type Bounds,
  boundsOf,
  isDynamic,
  mostWords,
  rightOf,
  type Shape,
  shapeText,
  wordsOf,
} from "../values/shapes.ts";
import type { RangeVal, Val } from "./emit-base.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** Ranges and the shapes of subtypes (IEEE 1076-2008 clauses 5 and 6.3), known now or only by the run. */
export class EmitShapes {
  constructor(private readonly host: UnitEmitter) {}

  rangeVal(range: BoundRange): RangeVal {
    switch (range.kind) {
      case "bounds": {
        const l = this.host.exprs.expr(range.left);
        const r = this.host.exprs.expr(range.right);
        return { l, r, d: range.descending ? 1 : 0 };
      }
      case "subtype": {
        const shape = this.shape(range.subtype);
        if (shape.k === "a") throw new Error("a range of an array type");
        return this.scalarRange(shape);
      }
      case "of": {
        const { attribute } = range;
        if (attribute.op !== "attribute") throw new Error("no attribute");
        if (attribute.subtype) {
          const shape = this.shape(attribute.subtype);
          if (shape.k === "s") {
            const found = this.scalarRange(shape);
            return range.reverse ? { l: found.r, r: found.l, d: found.d ? 0 : 1 } : found;
          }
          return this.dimRange(shape, null, range.dim, range.reverse, range.type);
        }
        const of = this.host.exprs.expr(attribute.of!);
        return this.dimRange(of.shape, of, range.dim, range.reverse, range.type);
      }
    }
  }
  private dimRange(shape: Shape, of: Val | null, dim: number, reverse: boolean, type: VType): RangeVal {
    if (shape.k !== "a") throw new Error("no array");
    const index: Shape = { k: "s", type, lo: null, hi: null };
    if (shape.dims) {
      const b = shape.dims[dim - 1];
      const l = this.host.known(b.l, index);
      const r = this.host.known(rightOf(b), index);
      return reverse ? { l: r, r: l, d: b.d ? 0 : 1 } : { l, r, d: b.d };
    }
    const once = this.host.once(dim > 1 ? `${this.host.rt("dimension")}(${of!.js},${dim})` : of!.js);
    const l = this.host.scalar(`${once.first}.l`, type);
    const r = this.host.scalar(`${once.again}.r`, type);
    // the first read must come first
    const name = once.again;
    const dir = `${name}.d`;
    return reverse
      ? { l: { ...r, js: `${once.first}.r` }, r: this.host.scalar(`${name}.l`, type), d: 0, dynamicDir: `1-${dir}` }
      : { l, r, d: 0, dynamicDir: dir };
  }
  scalarRange(shape: Shape): RangeVal {
    const bounds = this.limits(shape);
    const side = (v: number | string): Val => (typeof v === "number" ? this.host.known(v, shape) : { js: v, shape });
    const descending = shape.k === "s" && (shape.descending ?? (shape.type.kind === "int" && shape.type.descending));
    return descending
      ? { l: side(bounds.hi), r: side(bounds.lo), d: 1 }
      : { l: side(bounds.lo), r: side(bounds.hi), d: 0 };
  }

  /** Least and greatest value of a scalar's subtype. */
  limits(shape: Shape): { readonly lo: number | string; readonly hi: number | string } {
    if (shape.k !== "s") return { lo: 0, hi: 0 };
    const { type } = shape;
    let lo: number | string = shape.lo ?? 0;
    let hi: number | string = shape.hi ?? 0;
    if (shape.lo === null || shape.hi === null) {
      if (type.kind === "int" || type.kind === "real") [lo, hi] = [shape.lo ?? type.low, shape.hi ?? type.high];
      else if (type.kind === "enum") [lo, hi] = [shape.lo ?? 0, shape.hi ?? type.literals.length - 1];
      else [lo, hi] = [shape.lo ?? -Number.MAX_SAFE_INTEGER, shape.hi ?? Number.MAX_SAFE_INTEGER];
    }
    return { lo, hi };
  }

  /** Bounds of a range, if they are known now. */
  bounds(range: BoundRange): Bounds | null {
    const found = this.rangeVal(range);
    if (found.dynamicDir !== undefined) return null;
    const { l, r, d } = found;
    if (typeof l.cv !== "number" || typeof r.cv !== "number") return null;
    return boundsOf(l.cv, r.cv, d);
  }

  shape(subtype: Subtype): Shape {
    const known = this.host.frame.shapeOf(subtype);
    if (known) return known;
    const made = this.makeShape(subtype);
    // what depends on the run is not the same twice
    if (subtype.constraint === null && subtype.parent === null && !subtype.ofObject) return made;
    if (!isDynamic(made)) this.host.frame.shapes.set(subtype, made);
    return made;
  }

  private makeShape(subtype: Subtype): Shape {
    if (subtype.ofObject) {
      const { shape } = this.host.exprs.expr(subtype.ofObject);
      return subtype.isElement && shape.k === "a" ? shape.elem : shape;
    }
    if (subtype.parent) {
      const base = this.shape(subtype.parent);
      return subtype.constraint ? this.constrain(base, subtype.constraint) : base;
    }
    const shape = this.plainShape(subtype.type);
    return subtype.constraint ? this.constrain(shape, subtype.constraint) : shape;
  }

  plainShape(type: VType): Shape {
    switch (type.kind) {
      case "enum":
      case "int":
      case "real":
      case "physical":
        return { k: "s", type, lo: null, hi: null };
      case "array":
        return { k: "a", type, pack: packingOf(type), dims: null, elem: this.shape(type.element) };
      case "record":
        return { k: "r", type, fields: type.fields.map((field) => this.shape(field.subtype)) };
      default:
        return { k: "o", type };
    }
  }

  constrain(shape: Shape, constraint: Constraint): Shape {
    if (constraint.kind === "range") {
      if (shape.k !== "s") return shape;
      const { l, r, d } = this.rangeVal(constraint.range);
      const side = (val: Val): number | string => (typeof val.cv === "number" ? val.cv : this.host.hoist(val));
      return { k: "s", type: shape.type, lo: side(d ? r : l), hi: side(d ? l : r), descending: d === 1 };
    }
    if (constraint.kind === "record") {
      if (shape.k !== "r") return shape;
      const { type } = shape;
      return {
        ...shape,
        fields: shape.fields.map((field, i) => {
          const own = constraint.fields.get(type.fields[i].name);
          return own ? this.constrain(field, own) : field;
        }),
      };
    }
    if (shape.k !== "a") return shape;
    const elem = constraint.element ? this.constrain(shape.elem, constraint.element) : shape.elem;
    if (constraint.ranges.some((range) => range === null)) return { ...shape, elem };
    const dims = constraint.ranges.map((range) => this.bounds(range!));
    if (dims.some((each) => each === null)) {
      this.dynamic.set(elem, constraint);
      return { ...shape, elem, dims: null, range: constraint.ranges[0], ranges: constraint.ranges } as ArrayShape & {
        range: BoundRange;
      };
    }
    return this.sized({ ...shape, elem, dims: dims as Bounds[] }, constraint.ranges[0]!.loc);
  }
  private readonly dynamic = new WeakMap<Shape, Constraint>();

  /** The shape; one that no memory should hold is told, and is a small one from then on: nothing is made of it. */
  sized(shape: ArrayShape, loc: Loc): ArrayShape {
    if (wordsOf(shape) <= mostWords) return shape;
    const count = shape.dims!.reduce((product, { n }) => product * n, 1);
    this.host.error(
      "large-array",
      loc,
      `This array has ${count} elements${isPacked(shape) ? "" : ` of ${wordsOf(shape.elem)} ${wordsOf(shape.elem) === 1 ? "value" : "values"} each`}: more than can be held.`,
      `Check its bounds: all of an array may take ${mostWords} values, or ${16 * mostWords} bits.`,
    );
    return { ...shape, dims: shape.dims!.map((each) => ({ ...each, n: 0 })) };
  }

  shapeOfText(shape: Shape, name?: string): string {
    return shapeText(shape, name);
  }
}

const isPacked = (shape: ArrayShape): boolean => shape.pack !== null;
