import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr } from "../../model.ts";
import type { AggregateElement, Expr } from "../bound.ts";
import { concatenated, operatorChain, ReadyOperands } from "../code/operand-chain.ts";
import { isScalar } from "../types.ts";
import { type ArrayShape, type Bounds, highOf, lowOf, rightOf, type Shape, shapeText } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import { knownOf, NoCircuit, type Ref, type Val } from "./circuit-base.ts";
import { choose, extend, number, slice, widthOf } from "./circuit-expr.ts";
import { CircuitOperators, limitsOf } from "./circuit-operators.ts";
import { joined } from "./circuit-pieces.ts";

const boundsAttribute = /^(left|right|high|low|length|ascending)$/;

/** Expressions as circuits. */
export abstract class CircuitValue extends CircuitOperators {
  protected abstract call(e: Expr & { op: "call" }): Val;

  /** One bit: what a statement asks. */
  protected condition(e: Expr): ModelExpr {
    return this.expr(e).e;
  }

  private readonly ready = new ReadyOperands<Val>();

  protected expr(e: Expr, want?: Shape): Val {
    const ready = this.ready.take(e);
    if (ready) return ready;
    const { loc } = e;
    if (this.isKnown(e)) {
      const open = want?.k === "a" && want.dims === null ? null : (want ?? null);
      const made = this.owner.values.evaluate(
        e,
        open && open.k !== "s" && e.op !== "call" ? open : null,
        this.scope.frame,
      );
      if (made.v instanceof Arr) this.refuse(loc, "A value whose length is not known");
      return this.known(made.v, made.shape, loc);
    }
    const chain = operatorChain(e);
    if (chain.length < 2) return this.unknown(e, want);
    // from the innermost operator that constants alone do not decide
    let last = chain.length - 1;
    if (!this.isKnown(chain[last])) return this.ready.through(chain, (each) => this.unknown(each));
    while (last > 0 && this.isKnownBeside(chain[last])) last--;
    return this.ready.through(chain.slice(0, last + 1), (each) => this.unknown(each));
  }
  private unknown(e: Expr, want?: Shape): Val {
    const { loc } = e;
    switch (e.op) {
      case "object":
      case "field":
      case "index":
      case "slice":
        return this.load(this.ref(e), loc);
      case "call":
        return this.call(e);
      case "builtin":
        return this.builtin(e, want);
      case "aggregate":
        return this.aggregate(e, want);
      case "convert":
        return this.convert(e);
      case "qualified": {
        const shape = this.shape(e.subtype, loc, true);
        return this.fit(this.expr(e.arg, shape), shape, loc);
      }
      case "attribute":
        return this.attribute(e);
      case "deref":
      case "new":
      case "null":
        return this.refuse(loc, "An access value");
      default:
        return this.refuse(loc, "This expression");
    }
  }

  /** Shape of what an expression gives; statements that it would need are not written. */
  protected override shapeOf(e: Expr): Shape {
    const { facts } = this;
    let shape: Shape | null = null;
    this.within(() => {
      shape = this.ref(e).shape;
    });
    this.facts = facts;
    return shape!;
  }

  private builtin(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const { name, loc, type } = e;
    if (name === "&") return this.concat(e, want);
    if (e.args.length === 2 && isScalar(type) && /^n?(and|or)$/.test(name)) {
      // the right operand is looked at only if the left one does not decide (9.2.2)
      const a = this.expr(e.args[0]);
      const isAnd = name === "and" || name === "nand";
      if (knownOf(a) === (isAnd ? 0 : 1))
        return this.scalar(number(name === "and" || name === "nor" ? 0 : 1, 1, loc), type);
      return this.predefined(name, [a, this.expr(e.args[1])], type, loc);
    }
    return this.predefined(
      name,
      e.args.map((arg) => this.expr(arg)),
      type,
      loc,
    );
  }

  // ---- attributes (16.2) ------------------------------------------------------------------------------------------

  private attribute(e: Expr & { op: "attribute" }): Val {
    const { name, loc } = e;
    const index: Shape = { k: "s", type: e.type, lo: null, hi: null };
    if (e.of && boundsAttribute.test(name)) {
      const shape = this.shapeOf(e.of);
      if (shape.k !== "a" || !shape.dims) return this.refuse(loc, `The attribute '${name}'`);
      const dim = e.arg ? (this.knownValue(e.arg) ?? 1) : 1;
      const b = shape.dims[dim - 1];
      switch (name) {
        case "length":
          return this.known(b.n, index, loc);
        case "ascending":
          return this.known(b.d ? 0 : 1, index, loc);
        case "left":
          return this.known(b.l, index, loc);
        case "right":
          return this.known(rightOf(b), index, loc);
        case "low":
          return this.known(lowOf(b), index, loc);
        default:
          return this.known(highOf(b), index, loc);
      }
    }
    if (e.subtype && boundsAttribute.test(name)) {
      const shape = this.shape(e.subtype, loc, true);
      const b = shape.k === "a" ? shape.dims?.[e.arg ? (this.knownValue(e.arg) ?? 1) - 1 : 0] : null;
      if (!b) return this.refuse(loc, `The attribute '${name}'`);
      const v = { length: b.n, ascending: b.d ? 0 : 1, left: b.l, right: rightOf(b), low: lowOf(b) }[name] ?? highOf(b);
      return this.known(v, index, loc);
    }
    switch (name) {
      case "pos": {
        const arg = this.expr(e.arg!);
        const own = arg.shape;
        if (own.k === "s" && own.type.kind === "int") return { ...arg, shape: index };
        const count = own.k === "s" && own.type.kind === "enum" ? own.type.literals.length : 2 ** arg.e.width;
        if (own.k === "s" && own.type.kind === "enum" && own.type.packing === "logic")
          return this.refuse(loc, "The position of a logic level");
        return { e: arg.e, shape: index, lo: 0, hi: count - 1, cv: arg.cv, sure: arg.sure };
      }
      case "val": {
        const arg = this.expr(e.arg!);
        if (index.k === "s" && index.type.kind === "int") return { ...arg, shape: index };
        if (index.k === "s" && index.type.kind === "enum" && index.type.packing === "logic")
          return this.refuse(loc, "A logic level by its position");
        const width = widthOf(index) ?? 1;
        return this.typed(slice(extend(arg.e, Math.max(width, arg.e.width), arg.e.signed), 0, width), index);
      }
      case "succ":
      case "pred":
      case "leftof":
      case "rightof": {
        const arg = this.expr(e.arg!);
        const shape = e.subtype ? this.shape(e.subtype, loc, true) : index;
        const down = shape.k === "s" && shape.descending === true;
        const up = name === "succ" || name === (down ? "leftof" : "rightof");
        if (this.isInteger(arg))
          return this.integer(up ? "+" : "-", { ...arg, shape: index }, this.whole(1, index, loc), loc);
        if (arg.shape.k === "s" && arg.shape.type.kind === "enum" && arg.shape.type.packing === "logic")
          return this.refuse(loc, `The attribute '${name}' of a logic level`);
        const one = { e: number(1, 1, loc), shape: index, lo: 1, hi: 1 };
        const sum = this.integer(up ? "+" : "-", { ...arg, shape: index, lo: 0, hi: 2 ** arg.e.width - 1 }, one, loc);
        return this.typed(
          slice(extend(sum.e, Math.max(sum.e.width, arg.e.width), sum.e.signed), 0, arg.e.width),
          arg.shape,
        );
      }
      case "event":
      case "stable":
        return this.refuse(
          loc,
          "An edge in this place",
          "Write 'if rising_edge(clk) then' around all that the clock does.",
        );
      default:
        return this.refuse(loc, `The attribute '${name}'`);
    }
  }

  // ---- conversions and aggregates (9.3) ---------------------------------------------------------------------------

  private convert(e: Expr & { op: "convert" }): Val {
    const shape = this.shape(e.subtype, e.loc, true);
    const arg = this.expr(e.arg);
    if (shape.k === "a" && arg.shape.k === "a") {
      if (widthOf(shape.elem) !== widthOf(arg.shape.elem)) return this.refuse(e.loc, "This conversion");
      if (shape.dims) return this.fit({ ...arg, shape: { ...arg.shape, type: shape.type } }, shape, e.loc);
      return { e: arg.e, shape: { ...shape, dims: arg.shape.dims, elem: arg.shape.elem } };
    }
    if (shape.k === "s" && shape.type.kind === "int") {
      if (!this.isInteger(arg)) return this.refuse(e.loc, "A conversion from a real number");
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
    return this.refuse(e.loc, "This conversion");
  }

  private aggregate(e: Expr & { op: "aggregate" }, want?: Shape): Val {
    const { loc } = e;
    if (e.type.kind === "record") {
      const base = want?.k === "r" ? want : this.closedPlain(e);
      if (base.k !== "r") return this.refuse(loc, "This aggregate");
      const parts: ModelExpr[] = [];
      const fields = [...base.fields];
      for (const { choice, value } of e.elements) {
        if (choice.kind !== "field") continue;
        const field = base.fields[choice.field];
        const val = this.fit(this.plain(this.expr(value, field), value.loc), field, value.loc);
        // a field without bounds takes those of its value
        fields[choice.field] = field.k === "a" && field.dims === null ? val.shape : field;
        parts[choice.field] = val.e;
      }
      return { e: joined(parts, loc), shape: { ...base, fields } };
    }
    const plain = (
      want?.k === "a" ? want : this.owner.emitter(this.scope.frame).shapes.plainShape(e.type)
    ) as ArrayShape;
    const rest = plain.dims && plain.dims.length > 1 ? plain.dims.slice(1) : null;
    const inner: Shape = rest ? { ...plain, dims: rest } : plain.elem;
    const value = (each: AggregateElement): Val =>
      each.isStretch
        ? this.expr(each.value)
        : this.fit(this.plain(this.expr(each.value, inner), each.value.loc), inner, each.value.loc);
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
      if (others >= 0 && !given) return this.refuse(loc, "An aggregate whose length is not known");
      for (; others >= 0 && size > 0 && width < b.n * size; width += size) parts.push(vals[others].e);
      if (width !== b.n * size) {
        this.error(
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
        const index = this.expr(choice.value);
        const known = knownOf(index);
        if (known === null) computed.push({ index, at });
        else spans.push({ from: known, to: known, down: false, at });
      } else if (choice.kind === "range") {
        const b = this.bounds(choice.range);
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
    if (!b) return this.refuse(loc, "An aggregate whose length is not known");
    // without 'others', the choices are the aggregate's own bounds, which go to the target place by place (9.3.3.3)
    const own = others < 0 && spans.length > 0 ? low : lowOf(b);
    const items: (ModelExpr | undefined)[] = new Array(b.n);
    for (const { from, to, down, at } of spans) {
      const val = vals[at].e;
      for (let i = from; i <= to; i++) {
        const k = this.position(i - own + lowOf(b), b, e.elements[at].value.loc, true)!;
        const nth = down ? to - i : i - from;
        items[k] = e.elements[at].isStretch ? slice(val, val.width - (nth + 1) * size, size) : val;
      }
    }
    for (let k = 0; k < b.n; k++) {
      if (items[k]) continue;
      if (others >= 0) items[k] = vals[others].e;
      else if (computed.length === 0) return this.refuse(loc, "An aggregate with elements that have no value");
      else items[k] = number(0, size, loc);
    }
    for (const { index, at } of computed) {
      for (let k = 0; k < b.n; k++) {
        const v = b.d ? b.l - k : b.l + k;
        const test = this.predefined("=", [index, this.indexVal(v, index, loc)], this.world.standard.boolean, loc).e;
        items[k] = choose(test, vals[at].e, items[k]!);
      }
    }
    return made(b, items as ModelExpr[]);
  }
  private indexVal(v: number, like: Val, loc: Loc): Val {
    return this.isInteger(like)
      ? this.whole(v, like.shape, loc)
      : { e: number(v, like.e.width, loc), shape: like.shape, cv: v };
  }
  private closedPlain(e: Expr): Shape {
    return this.owner.emitter(this.scope.frame).shapes.plainShape(e.type);
  }
  /** Where an array without given bounds begins, and which way it counts: as its index subtype does. */
  protected firstBounds(type: Expr["type"]): Bounds {
    const emitter = this.owner.emitter(this.scope.frame);
    if (type.kind !== "array") return { l: 0, d: 0, n: 0 };
    const range = emitter.shapes.scalarRange(emitter.shapes.shape(type.indexes[0]));
    return { l: typeof range.l.cv === "number" ? range.l.cv : 0, d: range.d, n: 0 };
  }

  private concat(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const plain = this.owner.emitter(this.scope.frame).shapes.plainShape(e.type) as ArrayShape;
    const parts = concatenated(e.args, (part) => part.type !== e.type);
    const vals = parts.map((part) => this.expr(part));
    const whole = vals.find((val, i) => parts[i].type === e.type && val.shape.k === "a");
    const inner = whole?.shape.k === "a" ? whole.shape.elem : plain.pack ? plain.elem : vals[0].shape;
    const size = widthOf(inner) ?? 1;
    // elements get the width of the others
    const bits = vals.map((val, i) =>
      parts[i].type === e.type ? val.e : this.fit(this.plain(val, parts[i].loc), inner, parts[i].loc).e,
    );
    const width = bits.reduce((sum, each) => sum + each.width, 0);
    const n = size ? width / size : 0;
    const dims: Bounds[] =
      want?.k === "a" && want.dims?.[0].n === n ? [...want.dims] : [{ ...this.firstBounds(plain.type), n }];
    return { e: joined(bits, e.loc), shape: { ...plain, elem: inner, dims } };
  }

  /** Values for the parts of a target that is an aggregate, from left to right. */
  protected spread(target: Expr & { op: "aggregate" }, val: Val, put: (ref: Ref, e: ModelExpr) => void): void {
    const { shape } = val;
    const of = this.valueRef(val);
    const { loc } = target;
    const give = (part: Expr, e: ModelExpr) => {
      const ref = this.ref(part);
      if (e.width !== (widthOf(ref.shape) ?? 0)) {
        this.error(
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
    if (shape.k !== "a" || !shape.dims) return this.refuse(loc, "This target");
    const [b] = shape.dims;
    const isNamed = target.elements.some(({ choice }) => choice.kind !== "position");
    if (!isNamed) {
      let at = val.e.width;
      for (const { value: part } of target.elements) {
        const width = widthOf(this.ref(part).shape) ?? 0;
        at -= width;
        if (at < 0) break;
        give(part, slice(val.e, at, width));
      }
      if (at !== 0) {
        this.error(
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
        const v = this.knownValue(choice.value);
        if (v === null) return this.refuse(choice.value.loc, "A computed choice");
        return { from: v, to: v, value };
      }
      if (choice.kind !== "range") return this.refuse(loc, "This target");
      const range = this.bounds(choice.range);
      return { from: lowOf(range), to: highOf(range), value };
    });
    const size = widthOf(shape.elem) ?? 0;
    for (const { from, to, value } of spans) {
      const k = this.position(b.d ? to : from, b, value.loc, true)!;
      this.position(b.d ? from : to, b, value.loc, true);
      const n = to - from + 1;
      const share =
        n === 1 && value.type !== target.type
          ? this.load(this.itemRef(of, k), loc).e
          : slice(val.e, (b.n - k - n) * size, n * size);
      give(value, share);
    }
  }
}
