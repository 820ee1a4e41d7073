import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import type { AggregateElement, Expr } from "../bound.ts";
import { concatenated } from "../code/operand-chain.ts";
import { type ArrayShape, type Bounds, highOf, lowOf, type Shape, shapeText } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, NoCircuit, type Ref, type Val } from "./circuit-base.ts";
import { choose, number, slice, widthOf } from "./circuit-expr.ts";
import { limitsOf } from "./circuit-operators.ts";
import { joined } from "./circuit-pieces.ts";

/** Conversions, aggregates and what is joined (9.3). */
export class CircuitComposites {
  constructor(private readonly host: CircuitWriter) {}

  convert(e: Expr & { op: "convert" }): Val {
    const shape = this.host.known.shape(e.subtype, e.loc, true);
    const arg = this.host.values.expr(e.arg);
    if (shape.k === "a" && arg.shape.k === "a") {
      if (widthOf(shape.elem) !== widthOf(arg.shape.elem)) return this.host.refuse(e.loc, "This conversion");
      if (shape.dims) return this.host.assigns.fit({ ...arg, shape: { ...arg.shape, type: shape.type } }, shape, e.loc);
      return { e: arg.e, shape: { ...shape, dims: arg.shape.dims, elem: arg.shape.elem } };
    }
    if (shape.k === "s" && shape.type.kind === "int") {
      if (!this.host.operators.isInteger(arg)) return this.host.refuse(e.loc, "A conversion from a real number");
      const [lo, hi] = limitsOf(arg);
      return {
        ...arg,
        shape: {
          ...shape,
          lo: typeof shape.lo === "number" ? Math.max(shape.lo, lo) : lo,
          hi: typeof shape.hi === "number" ? Math.min(shape.hi, hi) : hi,
        },
      };
    }
    if (shape.k === "s" && arg.shape.k === "s" && widthOf(shape) === widthOf(arg.shape)) return { ...arg, shape };
    if (shape.k === "r") return { ...arg, shape };
    return this.host.refuse(e.loc, "This conversion");
  }

  aggregate(e: Expr & { op: "aggregate" }, want?: Shape): Val {
    const { loc } = e;
    if (e.type.kind === "record") {
      const base = want?.k === "r" ? want : this.closedPlain(e);
      if (base.k !== "r") return this.host.refuse(loc, "This aggregate");
      const parts: ModelExpr[] = [];
      const fields = [...base.fields];
      for (const { choice, value } of e.elements) {
        if (choice.kind !== "field") continue;
        const field = base.fields[choice.field];
        const val = this.host.assigns.fit(
          this.host.names.plain(this.host.values.expr(value, field), value.loc),
          field,
          value.loc,
        );
        // a field without bounds takes those of its value
        fields[choice.field] = field.k === "a" && field.dims === null ? val.shape : field;
        parts[choice.field] = val.e;
      }
      return { e: joined(parts, loc), shape: { ...base, fields } };
    }
    const plain = (
      want?.k === "a" ? want : this.host.owner.emitter(this.host.scope.frame).shapes.plainShape(e.type)
    ) as ArrayShape;
    const rest = plain.dims && plain.dims.length > 1 ? plain.dims.slice(1) : null;
    const inner: Shape = rest ? { ...plain, dims: rest } : plain.elem;
    const value = (each: AggregateElement): Val =>
      each.isStretch
        ? this.host.values.expr(each.value)
        : this.host.assigns.fit(
            this.host.names.plain(this.host.values.expr(each.value, inner), each.value.loc),
            inner,
            each.value.loc,
          );
    const vals = e.elements.map(value);
    const others = e.elements.findIndex((each) => each.choice.kind === "others");
    const isPositional = e.elements.some((each) => each.choice.kind === "position");
    const elem = vals[0].shape;
    const shape: Shape = inner.k === "a" && inner.dims === null && !e.elements[0].isStretch ? elem : inner;
    const size = widthOf(shape) ?? 0;
    const given = want?.k === "a" && want.dims ? want.dims[0] : null;
    const made = (b: Bounds, parts: readonly ModelExpr[]): Val => ({
      e: joined(parts, loc),
      shape: {
        ...plain,
        dims: [
          b,
          ...(plain.dims?.slice(1) ??
            (e.type.kind === "array" && e.type.indexes.length > 1 && shape.k === "a" ? (shape.dims ?? []) : [])),
        ],
        elem:
          e.type.kind === "array" && e.type.indexes.length > 1 && shape.k === "a"
            ? shape.elem
            : rest
              ? plain.elem
              : shape,
      },
    });
    if (isPositional) {
      const parts = e.elements.flatMap((each, i) => (each.choice.kind === "position" ? [vals[i].e] : []));
      let width = parts.reduce((sum, part) => sum + part.width, 0);
      const n = size ? width / size : parts.length;
      const b = given ?? { ...this.firstBounds(e.type), n };
      if (others >= 0 && !given) return this.host.refuse(loc, "An aggregate whose length is not known");
      for (; others >= 0 && size > 0 && width < b.n * size; width += size) parts.push(vals[others].e);
      if (width !== b.n * size) {
        this.host.error(
          "width",
          loc,
          `This aggregate has ${size ? width / size : parts.length} elements, but ${b.n} are needed (${shapeText(plain)}).`,
          "Give as many as there are, or write 'others => ...'.",
        );
        throw new NoCircuit();
      }
      return made(b, parts);
    }
    const spans: { from: number; to: number; down: boolean; at: number }[] = [];
    const computed: { index: Val; at: number }[] = [];
    let first: { down: boolean } | null = null;
    let empty: Bounds | null = null;
    e.elements.forEach(({ choice }, at) => {
      if (choice.kind === "value") {
        const index = this.host.values.expr(choice.value);
        const known = knownOf(index);
        if (known === null) computed.push({ index, at });
        else spans.push({ from: known, to: known, down: false, at });
      } else if (choice.kind === "range") {
        const b = this.host.known.bounds(choice.range);
        first ??= { down: b.d === 1 };
        if (b.n) spans.push({ from: lowOf(b), to: highOf(b), down: b.d === 1, at });
        else empty = b;
      }
    });
    let b = given;
    const low = Math.min(...spans.map((each) => each.from));
    const high = Math.max(...spans.map((each) => each.to));
    if (!b && others < 0 && computed.length === 0) {
      if (spans.length) {
        const down = (first as { down: boolean } | null)?.down ?? this.firstBounds(e.type).d === 1;
        b = { l: down ? high : low, d: down ? 1 : 0, n: high - low + 1 };
      } else b = empty;
    }
    if (!b) return this.host.refuse(loc, "An aggregate whose length is not known");
    // without 'others', the choices are the aggregate's own bounds, which go to the target place by place (9.3.3.3)
    const own = others < 0 && spans.length > 0 ? low : lowOf(b);
    const items: (ModelExpr | undefined)[] = new Array(b.n);
    for (const { from, to, down, at } of spans) {
      const val = vals[at].e;
      for (let i = from; i <= to; i++) {
        const k = this.host.names.position(i - own + lowOf(b), b, e.elements[at].value.loc, true)!;
        const nth = down ? to - i : i - from;
        items[k] = e.elements[at].isStretch ? slice(val, val.width - (nth + 1) * size, size) : val;
      }
    }
    for (let k = 0; k < b.n; k++) {
      if (items[k]) continue;
      if (others >= 0) items[k] = vals[others].e;
      else if (computed.length === 0) return this.host.refuse(loc, "An aggregate with elements that have no value");
      else items[k] = number(0, size, loc);
    }
    for (const { index, at } of computed) {
      for (let k = 0; k < b.n; k++) {
        const v = b.d ? b.l - k : b.l + k;
        const test = this.host.operators.predefined(
          "=",
          [index, this.indexVal(v, index, loc)],
          this.host.world.standard.boolean,
          loc,
        ).e;
        items[k] = choose(test, vals[at].e, items[k]!);
      }
    }
    return made(b, items as ModelExpr[]);
  }
  private indexVal(v: number, like: Val, loc: Loc): Val {
    return this.host.operators.isInteger(like)
      ? this.host.names.whole(v, like.shape, loc)
      : { e: number(v, like.e.width, loc), shape: like.shape, cv: v };
  }
  private closedPlain(e: Expr): Shape {
    return this.host.owner.emitter(this.host.scope.frame).shapes.plainShape(e.type);
  }
  /** Where an array without given bounds begins, and which way it counts: as its index subtype does. */
  private firstBounds(type: Expr["type"]): Bounds {
    const emitter = this.host.owner.emitter(this.host.scope.frame);
    if (type.kind !== "array") return { l: 0, d: 0, n: 0 };
    const range = emitter.shapes.scalarRange(emitter.shapes.shape(type.indexes[0]));
    return { l: typeof range.l.cv === "number" ? range.l.cv : 0, d: range.d, n: 0 };
  }

  concat(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const plain = this.host.owner.emitter(this.host.scope.frame).shapes.plainShape(e.type) as ArrayShape;
    const parts = concatenated(e.args, (part) => part.type !== e.type);
    const vals = parts.map((part) => this.host.values.expr(part));
    const whole = vals.find((val, i) => parts[i].type === e.type && val.shape.k === "a");
    const inner = whole?.shape.k === "a" ? whole.shape.elem : plain.pack ? plain.elem : vals[0].shape;
    const size = widthOf(inner) ?? 1;
    // elements get the width of the others
    const bits = vals.map((val, i) =>
      parts[i].type === e.type
        ? val.e
        : this.host.assigns.fit(this.host.names.plain(val, parts[i].loc), inner, parts[i].loc).e,
    );
    const width = bits.reduce((sum, each) => sum + each.width, 0);
    const n = size ? width / size : 0;
    const dims: Bounds[] =
      want?.k === "a" && want.dims?.[0].n === n ? [...want.dims] : [{ ...this.firstBounds(plain.type), n }];
    return { e: joined(bits, e.loc), shape: { ...plain, elem: inner, dims } };
  }

  /** Values for the parts of a target that is an aggregate, from left to right. */
  spread(target: Expr & { op: "aggregate" }, val: Val, put: (ref: Ref, e: ModelExpr) => void): void {
    const { shape } = val;
    const of = this.host.names.valueRef(val);
    const { loc } = target;
    const give = (part: Expr, e: ModelExpr) => {
      const ref = this.host.names.ref(part);
      if (e.width !== (widthOf(ref.shape) ?? 0)) {
        this.host.error(
          "width",
          part.loc,
          `The part on the left has ${widthOf(ref.shape)} bits, its share ${e.width}.`,
          "Make them as long as each other.",
        );
        throw new NoCircuit();
      }
      put(ref, e);
    };
    if (shape.k === "r") {
      for (const { choice, value } of target.elements) {
        if (choice.kind !== "field") continue;
        let below = 0;
        for (let i = choice.field + 1; i < shape.fields.length; i++) below += widthOf(shape.fields[i]) ?? 0;
        give(value, slice(val.e, below, widthOf(shape.fields[choice.field]) ?? 0));
      }
      return;
    }
    if (shape.k !== "a" || !shape.dims) return this.host.refuse(loc, "This target");
    const [b] = shape.dims;
    const isNamed = target.elements.some(({ choice }) => choice.kind !== "position");
    if (!isNamed) {
      let at = val.e.width;
      for (const { value: part } of target.elements) {
        const width = widthOf(this.host.names.ref(part).shape) ?? 0;
        at -= width;
        if (at < 0) break;
        give(part, slice(val.e, at, width));
      }
      if (at !== 0) {
        this.host.error(
          "width",
          loc,
          `The parts on the left do not have the ${b.n} elements of the value.`,
          "Make them as long as each other.",
        );
        throw new NoCircuit();
      }
      return;
    }
    // choices are indexes of the value
    const spans = target.elements.map(({ choice, value }) => {
      if (choice.kind === "value") {
        const v = this.host.known.knownValue(choice.value);
        if (v === null) return this.host.refuse(choice.value.loc, "A computed choice");
        return { from: v, to: v, value };
      }
      if (choice.kind !== "range") return this.host.refuse(loc, "This target");
      const range = this.host.known.bounds(choice.range);
      return { from: lowOf(range), to: highOf(range), value };
    });
    const size = widthOf(shape.elem) ?? 0;
    for (const { from, to, value } of spans) {
      const k = this.host.names.position(b.d ? to : from, b, value.loc, true)!;
      this.host.names.position(b.d ? from : to, b, value.loc, true);
      const n = to - from + 1;
      const share =
        n === 1 && value.type !== target.type
          ? this.host.names.load(this.host.names.itemRef(of, k), loc).e
          : slice(val.e, (b.n - k - n) * size, n * size);
      give(value, share);
    }
  }
}
