import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr, Signal } from "../../model.ts";
import type { AliasDecl, ConstantDecl, Expr } from "../bound.ts";
import type { Place } from "../values/frames.ts";
import { type Bounds, highOf, lowOf, rightOf, type Shape, shapeText } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import type { CircuitWriter } from "./circuit.ts";
import { type Home, knownOf, NoCircuit, type Ref, type Val } from "./circuit-base.ts";
import {
  binary,
  choose,
  constant,
  either,
  extend,
  fourStateOf,
  integerLimits,
  integerWidth,
  number,
  numberOf,
  read,
  slice,
  stretch,
  widthOf,
} from "./circuit-expr.ts";
import { isMoved, movedBounds, originOf, shareOrigin } from "./circuit-moved.ts";
import { moved } from "./circuit-pieces.ts";

/** Larger constant arrays are no circuit of a part that there is. */
const mostTableBits = 1 << 20;

/** Names: what they mean, how they are read, and how they are assigned. */
export class CircuitName {
  constructor(private readonly host: CircuitWriter) {}

  // ---- values that are known --------------------------------------------------------------------------------------

  known(v: unknown, shape: Shape, loc: Loc): Val {
    const width = widthOf(shape);
    if (width === null) {
      if (shape.k === "s" && shape.type.kind === "real") this.host.refuse(loc, "A real number");
      this.host.refuse(loc, `A value of type ${shapeText(shape)}`);
    }
    if (shape.k === "s" && shape.type.kind === "int") return { ...this.whole(v as number, shape, loc), sure: true };
    const cv = typeof v === "number" && shape.k === "s" ? v : undefined;
    return { e: constant(fourStateOf(v, shape), width, loc), shape, cv, sure: true };
  }
  /** A whole number in as many bits as it needs. */
  whole(v: number, shape: Shape, loc: Loc): Val {
    const size = integerWidth(Math.min(0, v), Math.max(0, v));
    return { e: number(v, size, loc, v < 0), shape, lo: v, hi: v, cv: v };
  }

  /** Bits with what they mean: whole numbers have the limits of their shape. */
  typed(e: ModelExpr, shape: Shape): Val {
    if (shape.k === "s" && shape.type.kind === "int") {
      const [lo, hi] = integerLimits(shape);
      const signed = lo < 0;
      const own = e.signed === signed ? e : ({ ...e, signed } as ModelExpr);
      const cv = numberOf(own);
      return cv === null ? { e: own, shape, lo, hi } : this.whole(cv, shape, e.loc);
    }
    const own = e.signed ? ({ ...e, signed: false } as ModelExpr) : e;
    const cv = shape.k === "s" ? numberOf(own) : null;
    return cv === null ? { e: own, shape } : { e: own, shape, cv };
  }

  // ---- what a name means ------------------------------------------------------------------------------------------

  valueRef(val: Val): Ref {
    return { k: "value", val, shape: val.shape };
  }

  ref(e: Expr): Ref {
    switch (e.op) {
      case "object": {
        const { decl } = e;
        const own = this.host.scope.find(decl);
        if (own) return this.homeRef(own);
        if (decl.kind === "alias") return this.aliasRef(decl);
        const place = this.host.owner.placeOf(decl, this.host.scope.frame);
        if (place?.k === "const") return this.valueRef(this.constantOf(place, e.loc));
        return this.homeRef(this.host.places.home(decl, e.loc));
      }
      case "field": {
        const of = this.ref(e.of);
        if (of.shape.k !== "r") return this.host.refuse(e.loc, "This name");
        const shape = of.shape.fields[e.field];
        if (of.k === "tree" && Array.isArray(of.tree)) return this.host.places.treeRef(of.tree[e.field], shape);
        let below = 0;
        for (let i = e.field + 1; i < of.shape.fields.length; i++) below += widthOf(of.shape.fields[i]) ?? 0;
        return this.narrow(of, below, shape);
      }
      case "index": {
        let at = this.ref(e.of);
        const table = e.of.op === "object" && e.of.decl.kind === "constant" ? e.of.decl : null;
        for (const index of e.indexes) at = this.elementRef(at, this.host.values.expr(index), table, index.loc);
        return at;
      }
      case "slice":
        return this.sliceRef(e);
      case "convert":
      case "qualified": {
        if (e.arg.op === "aggregate") return this.valueRef(this.host.values.expr(e));
        const of = this.ref(e.arg);
        if (of.k === "value") return this.valueRef(this.host.values.expr(e));
        const shape = this.host.known.shape(e.subtype, e.loc, true);
        if (shape.k !== "a" || of.shape.k !== "a") return of;
        if (widthOf(shape.elem) !== widthOf(of.shape.elem)) return this.host.refuse(e.loc, "This conversion");
        return { ...of, shape: { ...shape, dims: shape.dims ?? of.shape.dims, elem: of.shape.elem } };
      }
      default:
        return this.valueRef(this.host.values.expr(e));
    }
  }
  private homeRef(home: Home): Ref {
    return home.k === "ref" ? home.ref : this.valueRef(home.val);
  }
  /** Another name, in the bounds that it is given. */
  aliasRef(decl: AliasDecl): Ref {
    const of = this.ref(decl.of);
    if (decl.subtype.ofObject) return of;
    const shape = this.host.known.shape(decl.subtype, decl.loc, true);
    if (shape.k !== "a" || of.shape.k !== "a") return of;
    return { ...of, shape: { ...shape, dims: shape.dims ?? of.shape.dims, elem: of.shape.elem } };
  }
  private readonly constants = new WeakMap<Place, Val>();
  private constantOf(place: Place & { k: "const" }, loc: Loc): Val {
    let made = this.constants.get(place);
    if (!made) {
      const { v, shape } = place.v instanceof Arr ? opened(place.v, place.shape) : place;
      made = this.known(v, shape, loc);
      this.constants.set(place, made);
    }
    return made;
  }

  /** Bits `lsb` and up of what a name means. */
  narrow(of: Ref, lsb: number, shape: Shape): Ref {
    switch (of.k) {
      case "signal":
        return { ...of, offset: moved(of.offset, lsb), shape };
      case "part":
        return { ...of, lsb: of.lsb + lsb, shape };
      case "value":
        return this.valueRef(this.typed(slice(of.val.e, lsb, widthOf(shape) ?? 0), shape));
      case "tree": {
        const e = this.host.signals.treeExpr(of.tree, of.shape, this.host.model.top.loc);
        return this.valueRef(this.typed(slice(e, lsb, widthOf(shape) ?? 0), shape));
      }
      default:
        return { k: "part", of, lsb, shape };
    }
  }

  /** Place of an index from the left; null where it is outside, which is told if the text alone says so. */
  position(index: number, b: Bounds, loc: Loc, sure: boolean): number | null {
    const k = b.d ? b.l - index : index - b.l;
    if (originOf(index) !== originOf(b.l)) this.refuseMoved(loc);
    if (k >= 0 && k < b.n) return k;
    if (!sure) return null;
    this.host.error(
      "index",
      loc,
      `Index ${index} is outside of ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
      "Check the index and the array's bounds.",
    );
    throw new NoCircuit();
  }
  /** What stands for a place that there is not: its value may be anything. */
  private nowhere(shape: Shape, loc: Loc): Ref {
    return { k: "value", val: { e: either(widthOf(shape) ?? 0, loc), shape }, shape };
  }

  /** Element `k` from the left. */
  itemRef(of: Ref, k: number): Ref {
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) throw new Error("no array");
    const [b, ...rest] = shape.dims;
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    if (of.k === "tree" && Array.isArray(of.tree)) return this.host.places.treeRef(of.tree[k], inner);
    return this.narrow(of, (b.n - 1 - k) * (widthOf(inner) ?? 0), inner);
  }
  private elementRef(of: Ref, index: Val, table: ConstantDecl | null, loc: Loc): Ref {
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.host.refuse(loc, "This index");
    const [b, ...rest] = shape.dims;
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    const known = knownOf(index);
    if (known !== null) {
      const k = this.position(known, b, loc, index.sure === true);
      return k === null ? this.nowhere(inner, loc) : this.itemRef(of, k);
    }
    if (isMoved(index) || originOf(b.l) !== null)
      if (!shareOrigin(index, this.whole(b.l, index.shape, loc))) this.refuseMoved(loc);
    const words = table && of.k === "value" ? this.tableOf(table) : this.wordsOf(of);
    return { k: "element", of, index, bounds: b, words, shape: inner };
  }
  private sliceRef(e: Expr & { op: "slice" }): Ref {
    const of = this.ref(e.of);
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.host.refuse(e.loc, "This slice");
    const [b] = shape.dims;
    const size = widthOf(shape.elem) ?? 0;
    const { range } = e;
    const cut = this.host.known.boundsOrNull(range);
    if (cut) {
      const made: Shape = { ...shape, dims: [cut] };
      if (cut.n === 0) return this.valueRef({ e: number(0, 0, e.loc), shape: made });
      const sure =
        this.host.known.isKnown(e) ||
        (range.kind === "bounds" && this.host.known.isKnown(range.left) && this.host.known.isKnown(range.right));
      const k = this.position(cut.l, b, e.loc, sure);
      const last = this.position(rightOf(cut), b, e.loc, sure);
      if (k === null || last === null) return this.nowhere(made, e.loc);
      if (last - k !== cut.n - 1) {
        this.host.error(
          "direction",
          range.loc,
          `The slice counts ${cut.d ? "down" : "up"}, the array ${b.d ? "down" : "up"}.`,
          `Write it with '${b.d ? "downto" : "to"}'.`,
        );
        throw new NoCircuit();
      }
      if (of.k === "tree" && Array.isArray(of.tree)) return this.host.places.treeRef(of.tree.slice(k, k + cut.n), made);
      return this.narrow(of, (b.n - k - cut.n) * size, made);
    }
    // bounds that move together: v(i + 7 downto i)
    const n = range.kind === "bounds" ? this.span(range.left, range.right, range.descending) : null;
    if (n === null || range.kind !== "bounds") {
      this.host.error(
        "not-constant",
        range.loc,
        "The length of this slice is not known before the circuit is made.",
        "Write both ends with the same expression and constants: v(i + 7 downto i).",
      );
      throw new NoCircuit();
    }
    const own = movedBounds(this.movedSlices++, Math.max(0, n), b.d === 1);
    if (!own) return this.host.refuse(e.loc, `A slice of ${n} elements with computed bounds`);
    if (n <= 0) return this.valueRef({ e: number(0, 0, e.loc), shape: { ...shape, dims: [own] } });
    const right = this.host.values.expr(range.right);
    const end = this.whole(rightOf(b), right.shape, e.loc);
    const distance = b.d
      ? this.host.integers.integer("-", right, end, e.loc)
      : this.host.integers.integer("-", end, right, e.loc);
    const low =
      size === 1 ? distance : this.host.integers.integer("*", distance, this.whole(size, right.shape, e.loc), e.loc);
    return { k: "stretch", of, low: low.e, shape: { ...shape, dims: [own] } };
  }
  private movedSlices = 0;
  /** Refuses a number that counts from bounds that signals move, where only its value would do. */
  plain(val: Val, loc: Loc): Val {
    return isMoved(val) ? this.refuseMoved(loc) : val;
  }
  refuseMoved(loc: Loc): never {
    this.host.error(
      "moved-bounds",
      loc,
      `'${this.host.owner.report.sources.text(loc)}' depends on the bounds of a slice that signals move.`,
      "Use 'length, or give the slice bounds of its own: alias a : std_logic_vector(v'length - 1 downto 0) is v.",
    );
    throw new NoCircuit();
  }
  /** Elements between two ends that differ by constants only; null if they do not. */
  private span(left: Expr, right: Expr, descending: boolean): number | null {
    const l = this.linear(left);
    const r = this.linear(right);
    if (!l || !r) return null;
    for (const name of new Set([...l.terms.keys(), ...r.terms.keys()]))
      if ((l.terms.get(name) ?? 0) !== (r.terms.get(name) ?? 0)) return null;
    return (descending ? l.constant - r.constant : r.constant - l.constant) + 1;
  }
  private linear(e: Expr): { terms: Map<string, number>; constant: number } | null {
    const known = this.host.known.knownValue(e);
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
      const first = this.host.known.knownValue(x);
      const factor = first ?? this.host.known.knownValue(y);
      const other = this.linear(first !== null ? y : x);
      if (factor === null || !other) return null;
      return {
        terms: new Map([...other.terms].map(([name, each]) => [name, each * factor])),
        constant: other.constant * factor,
      };
    }
    return { terms: new Map([[this.host.owner.report.sources.text(e.loc).replace(/\s+/g, ""), 1]]), constant: 0 };
  }

  // ---- arrays of words --------------------------------------------------------------------------------------------

  /** The signal that a name means, if it is an array of words. */
  private wordsOf(of: Ref): Signal | null {
    if (of.k !== "signal" || of.offset !== 0) return null;
    const { shape, signal } = of;
    if (shape.k !== "a" || shape.pack || shape.dims?.length !== 1) return null;
    const width = widthOf(shape.elem);
    if (!width || signal.kind !== "variable") return null;
    const [b] = shape.dims;
    const words = { width, count: b.n, low: lowOf(b), ascending: b.d === 0 };
    return this.host.wordArrays.offer(signal, words) ? signal : null;
  }

  private readonly tables = new Map<object, Signal | null>();

  /** A constant array of words as a signal that nothing writes, so that it can become a memory. */
  private tableOf(decl: ConstantDecl): Signal | null {
    const place = this.host.owner.placeOf(decl, this.host.scope.frame);
    if (place?.k !== "const") return null;
    const { shape } = place;
    if (shape.k !== "a" || shape.pack || shape.dims?.length !== 1) return null;
    const width = widthOf(shape.elem);
    const [b] = shape.dims;
    if (!width || width * b.n > mostTableBits) return null;
    let signal = this.tables.get(place);
    if (signal === undefined) {
      const value = fourStateOf(place.v, shape);
      // an unknown bit could be either, but a memory's must be one
      signal = value.b ? null : this.host.makeSignal(decl.name, width * b.n, decl.loc, "variable", null, true);
      if (signal) signal.init = value;
      this.tables.set(place, signal);
    }
    if (!signal) return null;
    const words = { width, count: b.n, low: lowOf(b), ascending: b.d === 0 };
    return this.host.wordArrays.offer(signal, words) ? signal : null;
  }

  /** Number of an element, counted from the lowest. */
  wordIndex({ e, shape }: Val, b: Bounds, loc: Loc): ModelExpr {
    const low = lowOf(b);
    if (low === 0 || shape.k !== "s") return e;
    const width = Math.max(e.width, low.toString(2).length + 1) + 1;
    return binary("sub", extend(e, width, e.signed), number(low, width, loc), width, false, loc);
  }

  // ---- reading ----------------------------------------------------------------------------------------------------

  load(ref: Ref, loc: Loc): Val {
    switch (ref.k) {
      case "value":
        return ref.val;
      case "tree":
        return this.typed(this.host.signals.treeExpr(ref.tree, ref.shape, loc), ref.shape);
      case "signal": {
        const width = widthOf(ref.shape) ?? 0;
        const fact = this.host.facts.value(ref.signal);
        const from = fact ? constant(fact, ref.signal.width, loc) : read(ref.signal, loc);
        if (typeof ref.offset === "number") {
          const val = this.typed(slice(from, ref.offset, width), ref.shape);
          const limits = width === ref.signal.width ? this.host.facts.limitsOf(ref.signal) : undefined;
          if (!limits || val.cv !== undefined || val.lo === undefined || val.hi === undefined) return val;
          return { ...val, lo: Math.max(val.lo, limits[0]), hi: Math.min(val.hi, limits[1]) };
        }
        return this.typed(stretch(from, ref.offset, width, loc), ref.shape);
      }
      case "part":
        return this.typed(slice(this.load(ref.of, loc).e, ref.lsb, widthOf(ref.shape) ?? 0), ref.shape);
      case "stretch":
        return this.typed(stretch(this.load(ref.of, loc).e, ref.low, widthOf(ref.shape) ?? 0, loc), ref.shape);
      case "element": {
        const width = widthOf(ref.shape) ?? 0;
        const of = this.load(ref.of, loc).e;
        const make = () => this.chosen(of, ref.index, ref.bounds, width, loc);
        if (!ref.words) return this.typed(make(), ref.shape);
        const index = this.wordIndex(ref.index, ref.bounds, loc);
        return this.typed(this.host.wordArrays.read(ref.words, index, width, loc, make), ref.shape);
      }
    }
  }

  /** An element by its index: a tree of multiplexers over the bits of the index. */
  private chosen(of: ModelExpr, index: Val, b: Bounds, width: number, loc: Loc): ModelExpr {
    const at = index.e;
    const size = at.width;
    const values = new Map<number, ModelExpr>();
    const least = Math.max(lowOf(b), index.lo ?? 0);
    const most = Math.min(highOf(b), index.hi ?? 2 ** size - 1);
    for (let v = least; v <= most; v++) {
      const k = b.d ? b.l - v : v - b.l;
      values.set(Number(BigInt.asUintN(size, BigInt(v))), slice(of, (b.n - 1 - k) * width, width));
    }
    if (values.size === 0) return either(width, loc);
    const keys = [...values.keys()].sort((x, y) => x - y);
    // halves by the top bit; a half without entries is not chosen, so its bit is not looked at
    const select = (bit: number, from: number, to: number): ModelExpr | null => {
      if (from === to) return null;
      if (bit < 0) return values.get(keys[from]) ?? null;
      let middle = from;
      while (middle < to && Math.floor(keys[middle] / 2 ** bit) % 2 === 0) middle++;
      const low = select(bit - 1, from, middle);
      const high = select(bit - 1, middle, to);
      if (!high || !low) return high ?? low;
      return choose(slice(at, bit, 1), high, low);
    };
    return select(size - 1, 0, keys.length) ?? either(width, loc);
  }
}

/** An array that brings its bounds, with them in its shape. */
function opened(v: Arr, shape: Shape): { v: unknown; shape: Shape } {
  return shape.k === "a" ? { v: v.p, shape: { ...shape, dims: [{ l: v.l, d: v.d as 0 | 1, n: v.n }] } } : { v, shape };
}
