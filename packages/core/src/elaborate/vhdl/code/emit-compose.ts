import type { Loc } from "../../../common/source.ts";
import type { AggregateElement, Expr } from "../bound.ts";
import {
  type ArrayShape,
  type Bounds,
  dynamicRange,
  elementOf,
  highOf,
  lowOf,
  rightOf,
  type Shape,
} from "../values/shapes.ts";
import type { Val } from "./emit-base.ts";
import type { UnitEmitter } from "./unit-emitter.ts";

/** The place whose bounds a value is to have, as code; for arrays whose bounds the run knows. */
const likeOf = (shape: Shape): string | null => ("like" in shape ? (shape as Shape & { like: string }).like : null);

/** Which way the place for a value counts, where that is all that is known of its bounds. */
const directionOf = (shape: Shape | undefined): 0 | 1 | null =>
  shape && "towards" in shape ? (shape as Shape & { towards: 0 | 1 }).towards : null;

/** Conversions and aggregates. */
export class EmitCompose {
  constructor(private readonly host: UnitEmitter) {}

  // ---- conversions ----------------------------------------------------------------------------------------------

  convert(e: Expr & { op: "convert" }): Val {
    const shape = this.host.shapes.shape(e.subtype);
    const arg = this.host.exprs.expr(e.arg, shape);
    if (shape.k === "s" && arg.shape.k === "s") {
      const from = arg.shape.type.kind;
      const to = shape.type.kind;
      if (from === "real" && to === "int") {
        const js = typeof arg.cv === "number" ? undefined : `${this.host.rt("round")}(${arg.js})`;
        const val: Val =
          js === undefined
            ? this.host.known(Math.sign(arg.cv as number) * Math.floor(Math.abs(arg.cv as number) + 0.5) + 0, shape)
            : { js, shape: this.host.shapes.plainShape(shape.type) };
        return this.host.repr.checked(val, shape, e.loc);
      }
      if (from === "int" && to === "real") return { ...arg, shape };
      return this.host.repr.checked(
        { ...arg, shape: arg.shape.type === shape.type ? arg.shape : this.host.shapes.plainShape(shape.type) },
        shape,
        e.loc,
      );
    }
    if (shape.k === "a" && arg.shape.k === "a") {
      if (shape.dims) return this.host.repr.fit({ ...arg, shape: { ...arg.shape, type: shape.type } }, shape, e.loc);
      // bounds of the operand
      return { ...arg, shape: { ...shape, dims: arg.shape.dims, elem: arg.shape.elem } };
    }
    return { ...arg, shape };
  }

  // ---- aggregates -----------------------------------------------------------------------------------------------

  aggregate(e: Expr & { op: "aggregate" }, want?: Shape): Val {
    if (e.type.kind === "record") {
      const base = want?.k === "r" ? want : (this.host.shapes.plainShape(e.type) as Shape & { k: "r" });
      const fields: string[] = [];
      for (const { choice, value } of e.elements) {
        if (choice.kind !== "field") continue;
        const val = this.host.repr.fit(
          this.host.exprs.expr(value, base.fields[choice.field]),
          base.fields[choice.field],
          value.loc,
        );
        fields[choice.field] = this.host.repr.kept(val);
      }
      const js = `[${base.fields.map((_, i) => fields[i] ?? "null").join(",")}]`;
      return { js, shape: base, fresh: true };
    }
    const plain = (want?.k === "a" ? want : this.host.shapes.plainShape(e.type)) as ArrayShape;
    let elem = elementOf(plain);
    if (!plain.dims && plain.type.indexes.length > 1) {
      // the inner dimensions are those of the first element
      const [first] = e.elements;
      const inner = this.host.exprs.expr(first.value, elem).shape;
      if (inner.k === "a" && inner.dims) elem = inner;
    }
    return this.arrayAggregate(e, plain, elem, want);
  }

  private arrayAggregate(e: Expr & { op: "aggregate" }, plain: ArrayShape, elem: Shape, want?: Shape): Val {
    const { loc } = e;
    const others = e.elements.find((each) => each.choice.kind === "others");
    const value = (each: AggregateElement): Val => {
      if (each.isStretch) return this.host.exprs.expr(each.value);
      return this.host.repr.fit(this.host.exprs.expr(each.value, elem), elem, each.value.loc);
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
        const size = each.isStretch ? (this.host.repr.lengthOf(this.host.exprs.expr(each.value)).n ?? 1) : 1;
        slots.push({ from: at, to: at + size - 1, each, left: true });
        at += size;
      } else if (choice.kind === "value") {
        const index = this.host.exprs.expr(choice.value);
        if (typeof index.cv !== "number") {
          dynamic = each;
          continue;
        }
        slots.push({ from: index.cv, to: index.cv, each, left: false });
        least = Math.min(least, index.cv);
        most = Math.max(most, index.cv);
      } else if (choice.kind === "range") {
        const b = this.host.shapes.bounds(choice.range);
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
        if (want?.k === "a" && want.dims === null && (dynamicRange(want) || likeOf(want)))
          return this.dynamicOthers(e, want, value);
        this.host.error(
          "others",
          loc,
          "'others' stands where the length is not known.",
          "Qualify the aggregate, or give each element.",
        );
        return this.host.known(plain.pack ? 0 : [], { ...plain, dims: [{ l: 0, d: 0, n: 0 }] });
      }
      if (!dynamic) {
        const first = this.host.repr.leftBounds(e.type, plain, 0);
        bounds = positional
          ? { ...first, n: at }
          : (() => {
              const d = directionOf(want) ?? descending ?? first.d;
              return { l: d ? most : least, d, n: size };
            })();
      }
    }
    if (dynamic && e.elements.length === 1 && dynamic.choice.kind === "range") {
      // (range => value) of a length that the run knows
      const { l, r, d, dynamicDir } = this.host.shapes.rangeVal(dynamic.choice.range);
      const dir = dynamicDir ?? String(d);
      const left = this.host.once(l.js);
      const n = this.host.once(`${this.host.rt("len")}(${left.first},${r.js},${dir})`);
      const filled = this.host.repr.filled(plain, n.first, value(dynamic));
      const made: Val = {
        js: `${this.host.rt("arr")}(${filled},${left.again},${dir},${n.again})`,
        shape: { ...plain, dims: null, elem },
        fresh: true,
      };
      return bounds ? this.host.repr.fit(made, { ...plain, dims: want?.k === "a" ? want.dims : null }, loc) : made;
    }
    if (!bounds) {
      if (want?.k === "a" && others) return this.dynamicOthers(e, want, value);
      this.host.error(
        "choice",
        loc,
        "The choices of this aggregate are not known before the run.",
        "Use constants, or assign the elements one by one.",
      );
      return this.host.known(plain.pack ? 0 : [], { ...plain, dims: [{ l: 0, d: 0, n: 0 }] });
    }
    const b = bounds;
    const shape: ArrayShape = {
      ...plain,
      dims:
        plain.dims && plain.dims.length > 1
          ? [b, ...plain.dims.slice(1)]
          : plain.type.indexes.length > 1 && elem.k === "a" && elem.dims
            ? [b, ...elem.dims]
            : [b],
      elem: plain.elem,
    };
    // choices without 'others' are bounds of their own, in the target's direction: place goes to place (9.3.3.3)
    const isOwn = !positional && !others && !dynamic && size === b.n;
    const left = isOwn ? (b.d ? most : least) : b.l;
    const k = (index: number): number => (positional ? index : b.d ? left - index : index - left);
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
          this.host.error(
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
        this.host.error(
          "aggregate",
          loc,
          `${missing} of the ${b.n} elements of this aggregate have no value.`,
          "Give them, or write 'others => ...'.",
        );
        return this.host.repr.defaultValue(shape);
      }
    }
    let made = this.assemble(shape, items, rest, elem);
    for (const each of stretches) made = this.overlay(made, each.at, each.val, each.n);
    if (dynamic) made = this.overlayDynamic(made, dynamic, value(dynamic), loc);
    return made;
  }

  private emptyArray(plain: ArrayShape, b: Bounds): Val {
    return this.host.known(plain.pack === "char" ? "" : plain.pack ? 0 : [], { ...plain, dims: [b] });
  }

  /** `(others => x)` for an array whose length the run knows. */
  private dynamicOthers(e: Expr & { op: "aggregate" }, want: Shape, value: (each: AggregateElement) => Val): Val {
    if (want.k !== "a") return this.host.repr.defaultValue(want);
    const range = dynamicRange(want);
    const like = likeOf(want);
    const others = e.elements.find((each) => each.choice.kind === "others");
    if ((!range && !like) || !others || e.elements.some((each) => each.isStretch)) {
      this.host.error(
        "others",
        e.loc,
        "'others' stands where the length is not known.",
        "Qualify the aggregate, or assign the elements one by one.",
      );
      return this.host.repr.defaultValue(want);
    }
    let js: string;
    if (range) {
      const { l, r, d, dynamicDir } = this.host.shapes.rangeVal(range);
      const dir = dynamicDir ?? String(d);
      const left = this.host.once(l.js);
      const n = this.host.once(`${this.host.rt("len")}(${left.first},${r.js},${dir})`);
      js = `${this.host.rt("arr")}(${this.host.repr.filled(want, n.first, value(others))},${left.again},${dir},${n.again})`;
    } else
      js = `${this.host.rt("arr")}(${this.host.repr.filled(want, `${like}.n`, value(others))},${like}.l,${like}.d,${like}.n)`;
    // the others over it, each where its choice says
    const at = this.host.at(e.loc);
    const pack = want.pack === "bit" ? "2" : want.pack === "logic" ? "1" : want.pack === "char" ? "3" : "0";
    for (const each of e.elements) {
      const { choice } = each;
      if (choice.kind === "others") continue;
      const val = value(each);
      const item = this.host.repr.kept({ ...val, fresh: false });
      if (choice.kind === "position") js = `${this.host.rt("putPlace")}(${js},${choice.at},${item},${pack},${at})`;
      else if (choice.kind === "value")
        js = `${this.host.rt("putItems")}(${js},${this.twice(this.host.exprs.expr(choice.value).js)},${item},${pack},${at})`;
      else if (choice.kind === "range") {
        const own = this.host.shapes.rangeVal(choice.range);
        const down = own.dynamicDir ?? String(own.d);
        js = `${this.host.rt("putItems")}(${js},${own.l.js},${own.r.js},${down},${item},${pack},${at})`;
      }
    }
    return { js, shape: want, fresh: true };
  }
  /** A range of one index. */
  private twice(js: string): string {
    const own = this.host.once(js);
    return `${own.first},${own.again},0`;
  }

  /** Elements by place from the left; those that are not given are `rest`. */
  private assemble(shape: ArrayShape, items: readonly (Val | undefined)[], rest: Val | null, elem: Shape): Val {
    const n = shape.dims![0].n;
    const list = Array.from(
      { length: Math.min(n, items.length) },
      (_, i) => items[i] ?? rest ?? this.host.repr.defaultValue(elem),
    );
    if (shape.pack) {
      const two = shape.pack === "bit";
      if (list.every((val) => typeof val.cv === "number"))
        return this.host.known(
          this.host.repr.pack(
            list.map((val) => val.cv),
            shape.pack,
          ),
          shape,
        );
      if (shape.pack === "char")
        return { js: `${this.host.rt("chars")}([${list.map((val) => val.js).join(",")}])`, shape };
      const distinct = new Set(list.map((val) => val.js));
      if (distinct.size === 1)
        return { js: `${this.host.rt("allOf")}(${two ? `${list[0].js}+2` : list[0].js},${n})`, shape };
      return {
        js: `${this.host.rt("packL")}([${list.map((val) => (two ? `${val.js}+2` : val.js)).join(",")}])`,
        shape,
      };
    }
    const given = items.filter((item) => item !== undefined).length;
    if (rest && n > 64 && given * 8 < n) {
      const base = `${this.host.rt("fill")}(${n},()=>${this.host.repr.kept({ ...rest, fresh: false })})`;
      const sets = list.flatMap((val, i) => (items[i] ? [`a[${i}]=${this.host.repr.kept(val)};`] : []));
      return { js: sets.length ? `((a)=>{${sets.join("")}return a;})(${base})` : base, shape, fresh: true };
    }
    if (list.every((val) => val.cv !== undefined && typeof val.cv !== "object")) {
      const values = list.map((val) => val.cv);
      return n > 16
        ? { js: `${this.host.cap(values)}.slice()`, shape, fresh: true }
        : { js: `[${list.map((val) => val.js).join(",")}]`, shape, fresh: true };
    }
    return {
      js: `[${list.map((val) => this.host.repr.kept({ ...val, fresh: val.fresh && items.includes(val) && items.indexOf(val) === items.lastIndexOf(val) })).join(",")}]`,
      shape,
      fresh: true,
    };
  }

  private overlay(made: Val, at: number, val: Val, n: number): Val {
    const shape = made.shape as ArrayShape;
    const total = shape.dims![0].n;
    if (shape.pack === "char")
      return { js: `${this.host.rt("setText")}(${made.js},${at},${this.host.repr.payload(val)})`, shape };
    if (shape.pack)
      return {
        js: `${this.host.rt("insertL")}(${made.js},${total},${total - at - n},${this.host.repr.payload(val)},${n})`,
        shape,
      };
    return { js: `${this.host.rt("splice")}(${made.js},${at},${this.host.repr.payload(val)})`, shape, fresh: true };
  }
  private overlayDynamic(made: Val, each: AggregateElement, val: Val, loc: Loc): Val {
    const shape = made.shape as ArrayShape;
    if (each.choice.kind !== "value") {
      this.host.error("choice", loc, "A range in this aggregate is not known before the run.", "Use constants.");
      return made;
    }
    const index = this.host.exprs.expr(each.choice.value);
    const k = this.host.elements.position(shape, 0, index, each.choice.value.loc, made.js);
    const total = shape.dims![0].n;
    if (shape.pack === "char") return { js: `${this.host.rt("setChar")}(${made.js},${k},${val.js})`, shape };
    if (shape.pack)
      return {
        js: `${this.host.rt("setL")}(${made.js},${total},${total - 1}-(${k}),${shape.pack === "bit" ? `${val.js}+2` : val.js})`,
        shape,
      };
    return { js: `${this.host.rt("splice")}(${made.js},${k},[${this.host.repr.kept(val)}])`, shape, fresh: true };
  }
}
