import type { Loc } from "../../common/source.ts";
import type { Expr as ModelExpr, Signal } from "../../elaborate/model.ts";
import type { AggregateElement, ConstantDecl, Expr } from "../../elaborate/vhdl/bound.ts";
import type { VType } from "../../elaborate/vhdl/types.ts";
import { CircuitBase, NoCircuit, type Place, type Val } from "./circuit-base.ts";
import {
  binary,
  choose,
  concat,
  constant,
  extend,
  fourStateOf,
  integerLimits,
  integerWidth,
  not,
  number,
  read,
  slice,
  widthOf,
} from "./circuit-expr.ts";
import { extendTo, joined, resized } from "./circuit-pieces.ts";
import { concatenated, operatorChain, ReadyOperands } from "./operand-chain.ts";
import { type ArrayShape, type Bounds, highOf, lowOf, rightOf, type Shape, shapeText } from "./shapes.ts";
import { Arr } from "./values.ts";

/** Larger constant arrays are no circuit of a part that there is. */
const mostTableBits = 1 << 20;

/** Expressions and predefined operators as circuits. */
export abstract class CircuitValue extends CircuitBase {
  protected abstract call(e: Expr & { op: "call" }): Val;
  protected abstract place(e: Expr): Place;
  protected abstract position(index: number, b: Bounds, loc: Loc): number;

  // ---- expressions ----------------------------------------------------------------------------------------------

  protected condition(e: Expr): ModelExpr {
    return this.expr(e).e;
  }
  protected known(v: unknown, shape: Shape, loc: Loc): Val {
    const width = widthOf(shape);
    if (width === null) {
      if (shape.k === "s" && shape.type.kind === "real") this.refuse(loc, "A real number");
      this.refuse(loc, `A value of type ${shapeText(shape)}`);
    }
    if (shape.k === "s" && shape.type.kind === "int") {
      const own = v as number;
      const size = integerWidth(Math.min(0, own), Math.max(0, own));
      return { e: number(own, size, loc, own < 0), shape, lo: own, hi: own, cv: own };
    }
    return { e: constant(fourStateOf(v, shape), width, loc), shape, cv: typeof v === "number" ? v : undefined };
  }

  private readonly ready = new ReadyOperands<Val>();

  protected expr(e: Expr, want?: Shape): Val {
    const ready = this.ready.take(e);
    if (ready) return ready;
    const { loc } = e;
    if (this.isKnown(e)) {
      const open = want?.k === "a" && want.dims === null ? null : (want ?? null);
      const made = this.owner.evaluate(e, open && open.k !== "s" && e.op !== "call" ? open : null, this.scope.frame);
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
      case "object": {
        if (e.decl.kind === "alias") {
          const place = this.place(e);
          return this.readPlace(place, loc);
        }
        const home = this.home(e.decl, loc);
        if (home.k === "signal") return this.typed(read(home.signal, loc), home.shape);
        if (home.k === "place") return this.readPlace(home.place, loc);
        return this.typed(this.treeExpr(home.tree, home.shape, loc), home.shape);
      }
      case "field": {
        const of = this.expr(e.of);
        if (of.shape.k !== "r") return this.refuse(loc, "This name");
        let below = 0;
        for (let i = e.field + 1; i < of.shape.fields.length; i++) below += widthOf(of.shape.fields[i]) ?? 0;
        const shape = of.shape.fields[e.field];
        return this.typed(slice(of.e, below, widthOf(shape) ?? 0), shape);
      }
      case "index": {
        const words = e.indexes.length === 1 && this.knownValue(e.indexes[0]) === null ? this.wordsOf(e.of) : null;
        let at = this.expr(e.of);
        for (const index of e.indexes) at = this.element(at, index);
        if (!words) return at;
        return { ...at, e: this.wordArrays.read(words.signal, this.wordIndex(e.indexes[0], words.bounds), at.e) };
      }
      case "slice":
        return this.sliced(e);
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
        if (e.name === "pos" || e.name === "val") {
          const arg = this.expr(e.arg!);
          return this.typed(
            arg.e,
            e.name === "pos"
              ? { k: "s", type: e.type, lo: 0, hi: 2 ** arg.e.width - 1 }
              : { k: "s", type: e.type, lo: null, hi: null },
          );
        }
        if (e.name === "succ" || e.name === "pred" || e.name === "leftof" || e.name === "rightof") {
          const arg = this.expr(e.arg!);
          const up = e.name === "succ" || e.name === "rightof";
          return { ...arg, e: binary(up ? "add" : "sub", arg.e, number(1, arg.e.width, loc), arg.e.width, false, loc) };
        }
        if (e.name === "last_value" || e.name === "delayed") return this.refuse(loc, `The attribute '${e.name}'`);
        if (e.name === "event" || e.name === "stable")
          return this.refuse(
            loc,
            "An edge in this place",
            "Write 'if rising_edge(clk) then' around all that the clock does.",
          );
        return this.refuse(loc, `The attribute '${e.name}'`);
      case "deref":
      case "new":
      case "null":
        return this.refuse(loc, "An access value");
      default:
        return this.refuse(loc, "This expression");
    }
  }
  protected typed(e: ModelExpr, shape: Shape): Val {
    if (shape.k === "s" && shape.type.kind === "int") {
      const [lo, hi] = integerLimits(shape);
      const signed = lo < 0;
      const own: ModelExpr = e.signed === signed ? e : { ...e, signed };
      return { e: own, shape, lo, hi };
    }
    return { e: e.signed ? { ...e, signed: false } : e, shape };
  }
  /** The signal that a name means, if it is an array of words. */
  protected wordsOf(e: Expr): { signal: Signal; bounds: Bounds } | null {
    if (e.op !== "object") return null;
    if (e.decl.kind === "constant") return this.tableOf(e.decl);
    if (e.decl.kind !== "signal" && e.decl.kind !== "variable") return null;
    const home = this.home(e.decl, e.loc);
    const place =
      home.k === "signal"
        ? { signal: home.signal, offset: 0 }
        : home.k === "tree"
          ? this.treePlace(home.tree, home.shape)
          : null;
    const { shape } = home.k === "place" ? home.place : home;
    if (place?.offset !== 0 || shape.k !== "a" || shape.pack || shape.dims?.length !== 1) return null;
    const width = widthOf(shape.elem);
    const [bounds] = shape.dims;
    if (!width || place.signal.kind !== "variable") return null;
    const words = { width, count: bounds.n, low: lowOf(bounds), ascending: bounds.d === 0 };
    return this.wordArrays.offer(place.signal, words) ? { signal: place.signal, bounds } : null;
  }

  private readonly tables = new Map<object, Signal>();

  /** A constant array of words as a signal that nothing writes, so that it can become a memory. */
  private tableOf(decl: ConstantDecl): { signal: Signal; bounds: Bounds } | null {
    const place = this.owner.placeOf(decl, this.scope.frame);
    if (place?.k !== "const") return null;
    const { shape } = place;
    if (shape.k !== "a" || shape.pack || shape.dims?.length !== 1) return null;
    const width = widthOf(shape.elem);
    const [bounds] = shape.dims;
    if (!width || width * bounds.n > mostTableBits) return null;
    let signal = this.tables.get(place);
    if (!signal) {
      const value = fourStateOf(place.v, shape);
      // an unknown bit could be either, but a memory's must be one
      if (value.b) return null;
      signal = this.makeSignal(decl.name, width * bounds.n, decl.loc, "variable", null, true);
      signal.init = value;
      this.tables.set(place, signal);
    }
    const words = { width, count: bounds.n, low: lowOf(bounds), ascending: bounds.d === 0 };
    return this.wordArrays.offer(signal, words) ? { signal, bounds } : null;
  }

  /** Number of an element, counted from the lowest. */
  protected wordIndex(index: Expr, bounds: Bounds): ModelExpr {
    const { e } = this.expr(index);
    const low = lowOf(bounds);
    if (low === 0) return e;
    const width = Math.max(e.width, low.toString(2).length + 1) + 1;
    return binary("sub", extend(e, width, e.signed), number(low, width, index.loc), width, false, index.loc);
  }

  protected readPlace(place: Place, loc: Loc): Val {
    const width = widthOf(place.shape) ?? 0;
    const from = read(place.signal, loc);
    if (typeof place.offset === "number") return this.typed(slice(from, place.offset, width), place.shape);
    return this.typed({ op: "dynslice", arg: from, offset: place.offset, width, signed: false, loc }, place.shape);
  }

  /** An element by an index that may be computed: a tree of multiplexers over the index's bits. */
  protected element(of: Val, index: Expr): Val {
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.refuse(index.loc, "This index");
    const [b, ...rest] = shape.dims;
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    const width = widthOf(inner) ?? 0;
    const known = this.knownValue(index);
    if (known !== null) {
      const k = this.position(known, b, index.loc);
      return this.typed(slice(of.e, (b.n - 1 - k) * width, width), inner);
    }
    const at = this.expr(index);
    const items: { v: number; e: ModelExpr }[] = [];
    for (let i = 0; i < b.n; i++) {
      const v = b.d ? b.l - i : b.l + i;
      items.push({ v, e: slice(of.e, (b.n - 1 - i) * width, width) });
    }
    items.sort((x, y) => x.v - y.v);
    const size = at.e.width;
    const values = new Map(items.map(({ v, e }) => [Number(BigInt.asUintN(size, BigInt(v))), e]));
    const x: ModelExpr = constant({ a: (1n << BigInt(width)) - 1n, b: (1n << BigInt(width)) - 1n }, width, index.loc);
    const select = (bit: number, base: number): ModelExpr | null => {
      if (bit < 0) return values.get(base) ?? null;
      // no entry within this half: nothing to choose
      const high = select(bit - 1, base + 2 ** bit);
      const low = select(bit - 1, base);
      if (!high || !low) return high ?? low;
      return choose(slice(at.e, bit, 1), high, low);
    };
    const bits = Math.min(size, Math.max(1, Math.ceil(Math.log2(Math.max(2, Math.max(...values.keys()) + 1)))));
    return this.typed(select(bits - 1, 0) ?? x, inner);
  }

  protected sliced(e: Expr & { op: "slice" }): Val {
    const of = this.expr(e.of);
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.refuse(e.loc, "This slice");
    const [b] = shape.dims;
    const elem = widthOf(shape.elem) ?? 0;
    const cut = this.boundsOrNull(e.range);
    if (cut) {
      const made: Shape = { ...shape, dims: [cut] };
      if (cut.n === 0) return { e: number(0, 0, e.loc), shape: made };
      const k = this.position(cut.l, b, e.loc);
      this.position(rightOf(cut), b, e.loc);
      return { e: slice(of.e, (b.n - k - cut.n) * elem, cut.n * elem), shape: made };
    }
    // bounds that move together: v(i + 7 downto i)
    const { range } = e;
    if (range.kind !== "bounds") return this.refuse(e.loc, "This slice");
    const n = this.span(range.left, range.right);
    if (n === null) {
      this.error(
        "not-constant",
        range.loc,
        "The length of this slice is not known before the circuit is made.",
        "Write both ends with the same expression and constants: v(i + 7 downto i).",
      );
      throw new NoCircuit();
    }
    const low = range.descending ? range.right : range.left;
    const at = this.expr(low);
    // distance of the slice's low end from the right end of the array, in elements
    const base = b.d ? rightOf(b) : 0;
    let offset: ModelExpr;
    const size = Math.max(at.e.width + 2, integerWidth(-(b.n + Math.abs(b.l)), b.n + Math.abs(b.l)) + 1);
    const wide = extend(at.e, size, at.e.signed);
    if (b.d) offset = binary("sub", wide, number(base, size, e.loc), size, true, e.loc);
    else offset = binary("sub", number(rightOf(b) - n + 1, size, e.loc), wide, size, true, e.loc);
    if (elem !== 1)
      offset = binary("mul", extend(offset, size + 16, true), number(elem, size + 16, e.loc), size + 16, true, e.loc);
    const signed: ModelExpr = { ...offset, signed: true };
    return {
      e: { op: "dynslice", arg: of.e, offset: signed, width: n * elem, signed: false, loc: e.loc },
      shape: { ...shape, dims: [{ l: n - 1, d: 1, n }] },
    };
  }
  /** Elements between two ends that differ by constants only; null if they do not. */
  protected span(left: Expr, right: Expr): number | null {
    const l = this.linear(left);
    const r = this.linear(right);
    if (!l || !r) return null;
    const names = new Set([...l.terms.keys(), ...r.terms.keys()]);
    for (const name of names) if ((l.terms.get(name) ?? 0) !== (r.terms.get(name) ?? 0)) return null;
    return Math.abs(l.constant - r.constant) + 1;
  }
  protected linear(e: Expr): { terms: Map<string, number>; constant: number } | null {
    const known = this.knownValue(e);
    if (known !== null) return { terms: new Map(), constant: known };
    if (e.op === "builtin" && (e.name === "+" || e.name === "-")) {
      const l = this.linear(e.args[0]);
      const r = this.linear(e.args[1]);
      if (!l || !r) return null;
      const sign = e.name === "+" ? 1 : -1;
      const terms = new Map(l.terms);
      for (const [name, factor] of r.terms) terms.set(name, (terms.get(name) ?? 0) + sign * factor);
      return { terms, constant: l.constant + sign * r.constant };
    }
    if (e.op === "builtin" && e.name === "*") {
      const [x, y] = e.args;
      const factor = this.knownValue(x) ?? this.knownValue(y);
      const other = this.linear(this.knownValue(x) !== null ? y : x);
      if (factor === null || !other) return null;
      return {
        terms: new Map([...other.terms].map(([name, each]) => [name, each * factor])),
        constant: other.constant * factor,
      };
    }
    return { terms: new Map([[this.owner.report.sources.text(e.loc).replace(/\s+/g, ""), 1]]), constant: 0 };
  }

  /** A value for a place: whole numbers get its width, arrays must have its length. */
  protected fit(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k === "s") {
      if (shape.type.kind !== "int") return { ...val, shape };
      const [lo, hi] = integerLimits(shape);
      const width = integerWidth(lo, hi);
      if (val.cv !== undefined && (val.cv < lo || val.cv > hi)) {
        this.error(
          "out-of-range",
          loc,
          `The value ${val.cv} is outside of the range ${lo} to ${hi}.`,
          "Give a value within the range, or widen it.",
        );
        throw new NoCircuit();
      }
      return { e: resized(val.e, width, lo < 0), shape, lo, hi, cv: val.cv };
    }
    if (shape.k === "a" && shape.dims === null) return val;
    const width = widthOf(shape);
    if (width !== null && val.e.width !== width) {
      const have = val.shape.k === "a" && val.shape.dims ? val.shape.dims[0].n : val.e.width;
      const need = shape.k === "a" && shape.dims ? shape.dims[0].n : width;
      this.error(
        "width",
        loc,
        `'${this.owner.report.sources.text(loc)}' has ${have} element${have === 1 ? "" : "s"} (${shapeText(val.shape)}), but ${need} ${need === 1 ? "is" : "are"} needed (${shapeText(shape)}).`,
        "Make them as long as each other.",
      );
      throw new NoCircuit();
    }
    return { ...val, shape };
  }

  protected convert(e: Expr & { op: "convert" }): Val {
    const shape = this.shape(e.subtype, e.loc, true);
    const arg = this.expr(e.arg);
    if (shape.k === "a" && arg.shape.k === "a") {
      if (shape.dims) return this.fit({ ...arg, shape: { ...arg.shape, type: shape.type } }, shape, e.loc);
      return { e: arg.e, shape: { ...shape, dims: arg.shape.dims, elem: arg.shape.elem } };
    }
    if (shape.k === "s" && shape.type.kind === "int")
      return { ...arg, shape: { ...shape, lo: shape.lo ?? arg.lo ?? null, hi: shape.hi ?? arg.hi ?? null } };
    return { ...arg, shape };
  }

  protected aggregate(e: Expr & { op: "aggregate" }, want?: Shape): Val {
    const { loc } = e;
    if (e.type.kind === "record") {
      const base = want?.k === "r" ? want : this.owner.emitter(this.scope.frame).plainShape(e.type);
      if (base.k !== "r") return this.refuse(loc, "This aggregate");
      const parts: (ModelExpr | undefined)[] = [];
      for (const { choice, value } of e.elements)
        if (choice.kind === "field")
          parts[choice.field] = this.fit(
            this.expr(value, base.fields[choice.field]),
            base.fields[choice.field],
            value.loc,
          ).e;
      return { e: joined(parts as ModelExpr[], loc), shape: base };
    }
    const emitter = this.owner.emitter(this.scope.frame);
    const plain = (want?.k === "a" ? want : emitter.plainShape(e.type)) as ArrayShape;
    const rest = plain.dims && plain.dims.length > 1 ? plain.dims.slice(1) : null;
    const inner: Shape = rest ? { ...plain, dims: rest } : plain.elem;
    const value = (each: AggregateElement): Val =>
      each.isStretch ? this.expr(each.value) : this.fit(this.expr(each.value, inner), inner, each.value.loc);
    const positional = e.elements.filter((each) => each.choice.kind === "position");
    let bounds: Bounds | null = want?.k === "a" && want.dims ? want.dims[0] : null;
    const spans = e.elements.flatMap((each): { from: number; to: number; each: AggregateElement }[] => {
      const { choice } = each;
      if (choice.kind === "value") {
        const at = this.knownValue(choice.value);
        if (at === null) return this.refuse(choice.value.loc, "A computed choice");
        return [{ from: at, to: at, each }];
      }
      if (choice.kind === "range") {
        const b = this.bounds(choice.range);
        return b.n ? [{ from: lowOf(b), to: highOf(b), each }] : [];
      }
      return [];
    });
    const others = e.elements.find((each) => each.choice.kind === "others");
    if (!bounds) {
      if (positional.length) {
        const left = emitter.scalarRange(emitter.shape(plain.type.indexes[0])).l.cv;
        const n = positional.reduce((sum, each) => sum + (each.isStretch ? value(each).e.width : 1), 0);
        bounds = { l: typeof left === "number" ? left : 0, d: 0, n };
      } else if (spans.length && !others) {
        const low = Math.min(...spans.map((each) => each.from));
        const high = Math.max(...spans.map((each) => each.to));
        const [first] = e.elements;
        const down =
          first.choice.kind === "range" && first.choice.range.kind === "bounds" && first.choice.range.descending;
        bounds = down ? { l: high, d: 1, n: high - low + 1 } : { l: low, d: 0, n: high - low + 1 };
      } else return this.refuse(loc, "An aggregate whose length is not known");
    }
    const b = bounds;
    const items: (ModelExpr | undefined)[] = new Array(b.n);
    if (positional.length) {
      const parts = positional.map((each) => value(each).e);
      const rest = others ? value(others).e : null;
      const total = b.n * (widthOf(inner) ?? 0);
      let width = parts.reduce((sum, part) => sum + part.width, 0);
      while (rest && width < total) {
        parts.push(rest);
        width += rest.width;
      }
      return {
        e: joined(parts, loc),
        shape: { ...plain, dims: [b, ...(rest ? [] : []), ...(plain.dims?.slice(1) ?? [])] },
      };
    }
    for (const { from, to, each } of spans) {
      const val = value(each);
      const w = widthOf(inner) ?? 0;
      for (let i = from; i <= to; i++) {
        const k = this.position(i, b, each.value.loc);
        const first = b.d ? to : from;
        const nth = Math.abs(i - first);
        items[k] = each.isStretch ? slice(val.e, val.e.width - (nth + 1) * w, w) : val.e;
      }
    }
    const filler = others ? value(others).e : null;
    for (let k = 0; k < b.n; k++) {
      if (items[k]) continue;
      if (!filler) return this.refuse(loc, "An aggregate with elements that have no value");
      items[k] = filler;
    }
    return { e: joined(items as ModelExpr[], loc), shape: { ...plain, dims: [b, ...(plain.dims?.slice(1) ?? [])] } };
  }

  // ---- operators ------------------------------------------------------------------------------------------------

  protected boolean(e: ModelExpr): Val {
    return { e, shape: { k: "s", type: this.world.standard.boolean, lo: null, hi: null } };
  }

  protected builtin(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const { name, loc, type } = e;
    if (name === "&") return this.concat(e, want);
    const args = e.args.map((arg) => this.expr(arg));
    const [a, b] = args;
    const isInt = a.shape.k === "s" && a.shape.type.kind === "int";
    switch (name) {
      case "and":
      case "or":
      case "xor":
      case "nand":
      case "nor":
      case "xnor":
        return this.logic(name, args, type, loc);
      case "not":
        return { e: not(a.e), shape: a.shape };
      case "??":
        return this.boolean(a.e);
      case "=":
      case "/=":
      case "<":
      case "<=":
      case ">":
      case ">=":
        return this.compare(name, a, b, loc);
      case "?=":
      case "?/=":
        return { ...this.compare(name.slice(1), a, b, loc), shape: { k: "s", type, lo: null, hi: null } };
      case "minimum":
      case "maximum": {
        const test = this.compare("<", a, b, loc).e;
        const [x, y] = this.aligned(a, b);
        const made = choose(test, name === "minimum" ? x : y, name === "minimum" ? y : x);
        return {
          e: made,
          shape: a.shape,
          lo: a.lo !== undefined && b.lo !== undefined ? Math.min(a.lo, b.lo) : undefined,
          hi: a.hi !== undefined && b.hi !== undefined ? Math.max(a.hi, b.hi) : undefined,
        };
      }
      case "sll":
      case "srl":
      case "sla":
      case "sra":
      case "rol":
      case "ror":
        return this.shift(name, a, b, false, loc);
      default:
        if (isInt || (b && b.shape.k === "s" && b.shape.type.kind === "int"))
          return this.integer(name, a, b, type, loc);
        return this.refuse(loc, `'${name}' of ${shapeText(a.shape)}`);
    }
  }

  protected logic(name: string, args: readonly Val[], type: VType, loc: Loc): Val {
    const base =
      name === "nand" ? "and" : name === "nor" ? "or" : name === "xnor" ? "xor" : (name as "and" | "or" | "xor");
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    const turned = (e: ModelExpr): ModelExpr => (base === name ? e : not(e));
    if (args.length === 1) {
      const kind = base === "and" ? "redand" : base === "or" ? "redor" : "redxor";
      return { e: turned({ op: "unary", kind, arg: args[0].e, width: 1, signed: false, loc }), shape };
    }
    let [x, y] = [args[0].e, args[1].e];
    const array = args.find((arg) => arg.shape.k === "a");
    if (array) {
      const n = array.e.width;
      if (args[0].shape.k === "s") x = { op: "repeat", count: n, arg: x, width: n, signed: false, loc };
      if (args[1].shape.k === "s") y = { op: "repeat", count: n, arg: y, width: n, signed: false, loc };
      if (x.width !== y.width) {
        this.error(
          "width",
          loc,
          `The operands have ${x.width} and ${y.width} elements.`,
          "Make them as long as each other.",
        );
        throw new NoCircuit();
      }
    }
    return { e: turned(binary(base, x, y, x.width, false, loc)), shape: array?.shape ?? shape };
  }

  /** Whole numbers in one width that holds both. */
  protected aligned(a: Val, b: Val): [ModelExpr, ModelExpr, boolean] {
    const signed = a.e.signed || b.e.signed;
    const need = (val: Val) => val.e.width + (signed && !val.e.signed ? 1 : 0);
    const width = Math.max(need(a), need(b));
    return [extendTo(a.e, width, a.e.signed), extendTo(b.e, width, b.e.signed), signed];
  }

  protected compare(name: string, a: Val, b: Val, loc: Loc): Val {
    const isInt = a.shape.k === "s" && a.shape.type.kind === "int";
    let [x, y] = [a.e, b.e];
    let signed = false;
    if (isInt) [x, y, signed] = this.aligned(a, b);
    else if (x.width !== y.width) {
      if (name === "=" || name === "/=") return this.boolean(number(name === "=" ? 0 : 1, 1, loc));
      this.error(
        "width",
        loc,
        `Arrays of ${x.width} and ${y.width} elements are compared.`,
        "Make them as long as each other.",
      );
      throw new NoCircuit();
    }
    const kind =
      name === "="
        ? "eq"
        : name === "/="
          ? "ne"
          : name === "<"
            ? "lt"
            : name === "<="
              ? "le"
              : name === ">"
                ? "gt"
                : "ge";
    if (x.width === 0) return this.boolean(number(name === "=" || name === "<=" || name === ">=" ? 1 : 0, 1, loc));
    return this.boolean(binary(kind, x, y, 1, signed, loc));
  }

  /** Arithmetic of whole numbers, in as many bits as the limits need. */
  protected integer(name: string, a: Val, b: Val | undefined, type: VType, loc: Loc): Val {
    const [alo, ahi] = [a.lo ?? 0, a.hi ?? 2 ** a.e.width - 1];
    const [blo, bhi] = b ? [b.lo ?? 0, b.hi ?? 2 ** b.e.width - 1] : [0, 0];
    let lo: number;
    let hi: number;
    switch (name) {
      case "+":
        [lo, hi] = [alo + blo, ahi + bhi];
        break;
      case "-":
        [lo, hi] = [alo - bhi, ahi - blo];
        break;
      case "neg":
        [lo, hi] = [-ahi, -alo];
        break;
      case "plus":
        return a;
      case "abs":
        [lo, hi] = [0, Math.max(Math.abs(alo), Math.abs(ahi))];
        break;
      case "*": {
        const corners = [alo * blo, alo * bhi, ahi * blo, ahi * bhi];
        [lo, hi] = [Math.min(...corners), Math.max(...corners)];
        break;
      }
      case "/":
        [lo, hi] = [Math.min(alo, -ahi, 0), Math.max(ahi, -alo)];
        break;
      case "mod":
        [lo, hi] = [Math.min(0, blo + 1), Math.max(0, bhi - 1)];
        break;
      case "rem":
        [lo, hi] = [Math.min(0, alo), Math.max(0, ahi)];
        break;
      case "**":
        if (a.cv === 2) {
          const width = Math.min(32, 2 ** (b?.e.width ?? 1));
          return {
            e: binary("shl", number(1, width, loc), b!.e, width, false, loc),
            shape: { k: "s", type, lo: null, hi: null },
            lo: 0,
            hi: 2 ** width - 1,
          };
        }
        return this.refuse(loc, "A power of this kind", "Use a power of two, or multiply.");
      default:
        return this.refuse(loc, `'${name}'`);
    }
    lo = Math.max(lo, -(2 ** 31));
    hi = Math.min(hi, 2 ** 31 - 1);
    const shape: Shape = { k: "s", type, lo: null, hi: null };
    const signed = lo < 0 || a.e.signed || (b?.e.signed ?? false);
    const result = integerWidth(lo, hi) + (signed && lo >= 0 ? 1 : 0);
    const width = Math.max(
      result,
      a.e.width + (signed && !a.e.signed ? 1 : 0),
      b ? b.e.width + (signed && !b.e.signed ? 1 : 0) : 0,
    );
    const x = extendTo(a.e, width, a.e.signed);
    const y = b ? extendTo(b.e, width, b.e.signed) : x;
    const finish = (e: ModelExpr): Val => ({ e: resized(e, integerWidth(lo, hi), lo < 0), shape, lo, hi });
    switch (name) {
      case "+":
        return finish(binary("add", x, y, width, signed, loc));
      case "-":
        return finish(binary("sub", x, y, width, signed, loc));
      case "*":
        return finish(binary("mul", x, y, width, signed, loc));
      case "neg":
        return finish({ op: "unary", kind: "neg", arg: x, width, signed, loc });
      case "abs":
        return finish(choose(slice(x, width - 1, 1), { op: "unary", kind: "neg", arg: x, width, signed, loc }, x));
      case "/":
        if (b?.cv !== undefined && b.cv > 0 && Number.isInteger(Math.log2(b.cv)) && !a.e.signed)
          return finish(
            slice(
              extendTo(a.e, Math.max(a.e.width, Math.log2(b.cv) + 1), false),
              Math.log2(b.cv),
              Math.max(1, a.e.width - Math.log2(b.cv)),
            ),
          );
        return finish(binary("div", x, y, width, signed, loc));
      case "rem":
      case "mod": {
        if (b?.cv !== undefined && b.cv > 0 && Number.isInteger(Math.log2(b.cv)) && (name === "mod" || !a.e.signed)) {
          const bits = Math.log2(b.cv);
          if (bits === 0) return { e: number(0, 1, loc), shape, lo: 0, hi: 0 };
          return {
            e: slice(extendTo(a.e, Math.max(a.e.width, bits), a.e.signed), 0, bits),
            shape,
            lo: 0,
            hi: b.cv - 1,
          };
        }
        const rest = binary("mod", x, y, width, signed, loc);
        if (name === "rem" || !signed) return finish(rest);
        return finish(this.floorMod(rest, y, width, loc));
      }
      default:
        return this.refuse(loc, `'${name}'`);
    }
  }
  /** The remainder with the divisor's sign, from that with the dividend's. */
  protected floorMod(rest: ModelExpr, divisor: ModelExpr, width: number, loc: Loc): ModelExpr {
    const zero = binary("eq", rest, number(0, width, loc, true), 1, false, loc);
    const differs = binary("xor", slice(rest, width - 1, 1), slice(divisor, width - 1, 1), 1, false, loc);
    return choose(
      binary("and", not(zero), differs, 1, false, loc),
      binary("add", rest, divisor, width, true, loc),
      rest,
    );
  }

  protected concat(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const emitter = this.owner.emitter(this.scope.frame);
    const plain = emitter.plainShape(e.type) as ArrayShape;
    const parts = concatenated(e.args, (part) => part.type !== e.type);
    const vals = parts.map((part) => this.expr(part));
    const elem = vals.find((val, i) => parts[i].type === e.type && val.shape.k === "a");
    const inner = elem?.shape.k === "a" ? elem.shape.elem : plain.pack ? plain.elem : vals[0].shape;
    const size = widthOf(inner) ?? 1;
    const width = vals.reduce((sum, val) => sum + val.e.width, 0);
    const n = size ? width / size : 0;
    const left = emitter.scalarRange(emitter.shape(plain.type.indexes[0])).l.cv;
    const dims: Bounds[] =
      want?.k === "a" && want.dims?.[0].n === n
        ? [...want.dims]
        : [{ l: typeof left === "number" ? left : 0, d: 0, n }];
    return {
      e: joined(
        vals.map((val) => val.e),
        e.loc,
      ),
      shape: { ...plain, elem: inner, dims },
    };
  }

  protected shift(name: string, a: Val, by: Val, signed: boolean, loc: Loc): Val {
    const n = a.e.width;
    const isRotate = name === "rol" || name === "ror" || name === "rotate_left" || name === "rotate_right";
    const left = /^(sll|sla|rol|shift_left|rotate_left|shl)$/.test(name);
    const fillsSign = signed && (name === "shift_right" || name === "sra" || name === "shr");
    if (n === 0) return a;
    if (by.cv !== undefined) {
      const count = left ? by.cv : -by.cv;
      if (isRotate) {
        const k = ((count % n) + n) % n;
        return { ...a, e: k === 0 ? a.e : concat([slice(a.e, 0, n - k), slice(a.e, n - k, k)], loc) };
      }
      const k = Math.min(n, Math.abs(count));
      if (k === 0) return a;
      if (count > 0) return { ...a, e: joined([slice(a.e, 0, n - k), number(0, k, loc)], loc) };
      const sign = slice(a.e, n - 1, 1);
      const fill: ModelExpr = fillsSign
        ? { op: "repeat", count: k, arg: sign, width: k, signed: false, loc }
        : number(0, k, loc);
      return { ...a, e: joined([fill, slice(a.e, k, n - k)], loc) };
    }
    if (by.e.signed && (by.lo ?? -1) < 0) {
      // either way, by the sign of the count
      const back: ModelExpr = { op: "unary", kind: "neg", arg: by.e, width: by.e.width, signed: false, loc };
      const forth = this.shift(
        name,
        a,
        { ...by, e: { ...slice(by.e, 0, by.e.width), signed: false }, lo: 0 },
        signed,
        loc,
      );
      const mirror = { sll: "srl", srl: "sll", sla: "sra", sra: "sla", rol: "ror", ror: "rol" }[name] ?? name;
      const other = this.shift(mirror, a, { ...by, e: { ...back, signed: false }, lo: 0 }, signed, loc);
      return { ...a, e: choose(slice(by.e, by.e.width - 1, 1), other.e, forth.e) };
    }
    const amount: ModelExpr = by.e.signed ? { ...slice(by.e, 0, by.e.width), signed: false } : by.e;
    if (isRotate) {
      // twice side by side, and the part that is meant
      const twice = concat([a.e, a.e], loc);
      const size = Math.max(amount.width, Math.ceil(Math.log2(n + 1)) + 1);
      const within = Number.isInteger(Math.log2(n))
        ? extendTo(slice(amount, 0, Math.min(amount.width, Math.log2(n))), size, false)
        : binary("mod", extendTo(amount, size, false), number(n, size, loc), size, false, loc);
      const offset = left ? binary("sub", number(n, size, loc), within, size, false, loc) : within;
      return { ...a, e: { op: "dynslice", arg: twice, offset, width: n, signed: false, loc } };
    }
    if (left) return { ...a, e: binary("shl", a.e, amount, n, false, loc) };
    if (fillsSign)
      return {
        ...a,
        e: { ...binary("sshr", { ...a.e, signed: true } as ModelExpr, amount, n, true, loc), signed: false },
      };
    return { ...a, e: binary("shr", a.e, amount, n, false, loc) };
  }
}
