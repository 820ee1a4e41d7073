import type { Loc } from "../../../common/source.ts";
import type { Expr as ModelExpr, Stmt as ModelStmt, Signal, Value } from "../../model.ts";
import { wholeTarget } from "../../model.ts";
import type { AliasDecl, ConstantDecl, Expr } from "../bound.ts";
import type { Place } from "../values/frames.ts";
import { type Bounds, highOf, lowOf, rightOf, type Shape, shapeText } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import { CircuitBase, type Home, knownOf, NoCircuit, type Ref, type Val } from "./circuit-base.ts";
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
import { extendTo, moved } from "./circuit-pieces.ts";

/** Larger constant arrays are no circuit of a part that there is. */
const mostTableBits = 1 << 20;
/** Variables with more bits are not followed as constants. */
const mostFactBits = 4096;

/** Names: what they mean, how they are read, and how they are assigned. */
export abstract class CircuitName extends CircuitBase {
  /** Arithmetic of whole numbers. */
  protected abstract integer(name: string, a: Val, b: Val | undefined, loc: Loc): Val;

  // ---- values that are known --------------------------------------------------------------------------------------

  protected known(v: unknown, shape: Shape, loc: Loc): Val {
    const width = widthOf(shape);
    if (width === null) {
      if (shape.k === "s" && shape.type.kind === "real") this.refuse(loc, "A real number");
      this.refuse(loc, `A value of type ${shapeText(shape)}`);
    }
    if (shape.k === "s" && shape.type.kind === "int") return { ...this.whole(v as number, shape, loc), sure: true };
    const cv = typeof v === "number" && shape.k === "s" ? v : undefined;
    return { e: constant(fourStateOf(v, shape), width, loc), shape, cv, sure: true };
  }
  /** A whole number in as many bits as it needs. */
  protected whole(v: number, shape: Shape, loc: Loc): Val {
    const size = integerWidth(Math.min(0, v), Math.max(0, v));
    return { e: number(v, size, loc, v < 0), shape, lo: v, hi: v, cv: v };
  }

  /** Bits with what they mean: whole numbers have the limits of their shape. */
  protected typed(e: ModelExpr, shape: Shape): Val {
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

  protected valueRef(val: Val): Ref {
    return { k: "value", val, shape: val.shape };
  }

  protected ref(e: Expr): Ref {
    switch (e.op) {
      case "object": {
        const { decl } = e;
        const own = this.scope.find(decl);
        if (own) return this.homeRef(own);
        if (decl.kind === "alias") return this.aliasRef(decl);
        const place = this.owner.placeOf(decl, this.scope.frame);
        if (place?.k === "const") return this.valueRef(this.constantOf(place, e.loc));
        return this.homeRef(this.home(decl, e.loc));
      }
      case "field": {
        const of = this.ref(e.of);
        if (of.shape.k !== "r") return this.refuse(e.loc, "This name");
        const shape = of.shape.fields[e.field];
        if (of.k === "tree" && Array.isArray(of.tree)) return this.treeRef(of.tree[e.field], shape);
        let below = 0;
        for (let i = e.field + 1; i < of.shape.fields.length; i++) below += widthOf(of.shape.fields[i]) ?? 0;
        return this.narrow(of, below, shape);
      }
      case "index": {
        let at = this.ref(e.of);
        const table = e.of.op === "object" && e.of.decl.kind === "constant" ? e.of.decl : null;
        for (const index of e.indexes) at = this.elementRef(at, this.expr(index), table, index.loc);
        return at;
      }
      case "slice":
        return this.sliceRef(e);
      case "convert":
      case "qualified": {
        if (e.arg.op === "aggregate") return this.valueRef(this.expr(e));
        const of = this.ref(e.arg);
        if (of.k === "value") return this.valueRef(this.expr(e));
        const shape = this.shape(e.subtype, e.loc, true);
        if (shape.k !== "a" || of.shape.k !== "a") return of;
        if (widthOf(shape.elem) !== widthOf(of.shape.elem)) return this.refuse(e.loc, "This conversion");
        return { ...of, shape: { ...shape, dims: shape.dims ?? of.shape.dims, elem: of.shape.elem } };
      }
      default:
        return this.valueRef(this.expr(e));
    }
  }
  protected homeRef(home: Home): Ref {
    return home.k === "ref" ? home.ref : this.valueRef(home.val);
  }
  /** Another name, in the bounds that it is given. */
  protected aliasRef(decl: AliasDecl): Ref {
    const of = this.ref(decl.of);
    if (decl.subtype.ofObject) return of;
    const shape = this.shape(decl.subtype, decl.loc, true);
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
  protected narrow(of: Ref, lsb: number, shape: Shape): Ref {
    switch (of.k) {
      case "signal":
        return { ...of, offset: moved(of.offset, lsb), shape };
      case "part":
        return { ...of, lsb: of.lsb + lsb, shape };
      case "value":
        return this.valueRef(this.typed(slice(of.val.e, lsb, widthOf(shape) ?? 0), shape));
      case "tree": {
        const e = this.treeExpr(of.tree, of.shape, this.model.top.loc);
        return this.valueRef(this.typed(slice(e, lsb, widthOf(shape) ?? 0), shape));
      }
      default:
        return { k: "part", of, lsb, shape };
    }
  }

  /** Place of an index from the left; null where it is outside, which is told if the text alone says so. */
  protected position(index: number, b: Bounds, loc: Loc, sure: boolean): number | null {
    const k = b.d ? b.l - index : index - b.l;
    if (originOf(index) !== originOf(b.l)) this.refuseMoved(loc);
    if (k >= 0 && k < b.n) return k;
    if (!sure) return null;
    this.error(
      "index",
      loc,
      `Index ${index} is outside of ${b.l} ${b.d ? "downto" : "to"} ${rightOf(b)}.`,
      "Check the index and the array's bounds.",
    );
    throw new NoCircuit();
  }
  /** What stands for a place that there is not: its value may be anything. */
  protected nowhere(shape: Shape, loc: Loc): Ref {
    return { k: "value", val: { e: either(widthOf(shape) ?? 0, loc), shape }, shape };
  }

  /** Element `k` from the left. */
  protected itemRef(of: Ref, k: number): Ref {
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) throw new Error("no array");
    const [b, ...rest] = shape.dims;
    const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
    if (of.k === "tree" && Array.isArray(of.tree)) return this.treeRef(of.tree[k], inner);
    return this.narrow(of, (b.n - 1 - k) * (widthOf(inner) ?? 0), inner);
  }
  private elementRef(of: Ref, index: Val, table: ConstantDecl | null, loc: Loc): Ref {
    const { shape } = of;
    if (shape.k !== "a" || !shape.dims) return this.refuse(loc, "This index");
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
    if (shape.k !== "a" || !shape.dims) return this.refuse(e.loc, "This slice");
    const [b] = shape.dims;
    const size = widthOf(shape.elem) ?? 0;
    const { range } = e;
    const cut = this.boundsOrNull(range);
    if (cut) {
      const made: Shape = { ...shape, dims: [cut] };
      if (cut.n === 0) return this.valueRef({ e: number(0, 0, e.loc), shape: made });
      const sure =
        this.isKnown(e) || (range.kind === "bounds" && this.isKnown(range.left) && this.isKnown(range.right));
      const k = this.position(cut.l, b, e.loc, sure);
      const last = this.position(rightOf(cut), b, e.loc, sure);
      if (k === null || last === null) return this.nowhere(made, e.loc);
      if (last - k !== cut.n - 1) {
        this.error(
          "direction",
          range.loc,
          `The slice counts ${cut.d ? "down" : "up"}, the array ${b.d ? "down" : "up"}.`,
          `Write it with '${b.d ? "downto" : "to"}'.`,
        );
        throw new NoCircuit();
      }
      if (of.k === "tree" && Array.isArray(of.tree)) return this.treeRef(of.tree.slice(k, k + cut.n), made);
      return this.narrow(of, (b.n - k - cut.n) * size, made);
    }
    // bounds that move together: v(i + 7 downto i)
    const n = range.kind === "bounds" ? this.span(range.left, range.right, range.descending) : null;
    if (n === null || range.kind !== "bounds") {
      this.error(
        "not-constant",
        range.loc,
        "The length of this slice is not known before the circuit is made.",
        "Write both ends with the same expression and constants: v(i + 7 downto i).",
      );
      throw new NoCircuit();
    }
    const own = movedBounds(this.movedSlices++, Math.max(0, n), b.d === 1);
    if (!own) return this.refuse(e.loc, `A slice of ${n} elements with computed bounds`);
    if (n <= 0) return this.valueRef({ e: number(0, 0, e.loc), shape: { ...shape, dims: [own] } });
    const right = this.expr(range.right);
    const end = this.whole(rightOf(b), right.shape, e.loc);
    const distance = b.d ? this.integer("-", right, end, e.loc) : this.integer("-", end, right, e.loc);
    const low = size === 1 ? distance : this.integer("*", distance, this.whole(size, right.shape, e.loc), e.loc);
    return { k: "stretch", of, low: low.e, shape: { ...shape, dims: [own] } };
  }
  private movedSlices = 0;
  /** Refuses a number that counts from bounds that signals move, where only its value would do. */
  protected plain(val: Val, loc: Loc): Val {
    return isMoved(val) ? this.refuseMoved(loc) : val;
  }
  protected refuseMoved(loc: Loc): never {
    this.error(
      "moved-bounds",
      loc,
      `'${this.owner.report.sources.text(loc)}' depends on the bounds of a slice that signals move.`,
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
      const first = this.knownValue(x);
      const factor = first ?? this.knownValue(y);
      const other = this.linear(first !== null ? y : x);
      if (factor === null || !other) return null;
      return {
        terms: new Map([...other.terms].map(([name, each]) => [name, each * factor])),
        constant: other.constant * factor,
      };
    }
    return { terms: new Map([[this.owner.report.sources.text(e.loc).replace(/\s+/g, ""), 1]]), constant: 0 };
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
    return this.wordArrays.offer(signal, words) ? signal : null;
  }

  private readonly tables = new Map<object, Signal | null>();

  /** A constant array of words as a signal that nothing writes, so that it can become a memory. */
  private tableOf(decl: ConstantDecl): Signal | null {
    const place = this.owner.placeOf(decl, this.scope.frame);
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
      signal = value.b ? null : this.makeSignal(decl.name, width * b.n, decl.loc, "variable", null, true);
      if (signal) signal.init = value;
      this.tables.set(place, signal);
    }
    if (!signal) return null;
    const words = { width, count: b.n, low: lowOf(b), ascending: b.d === 0 };
    return this.wordArrays.offer(signal, words) ? signal : null;
  }

  /** Number of an element, counted from the lowest. */
  private wordIndex({ e, shape }: Val, b: Bounds, loc: Loc): ModelExpr {
    const low = lowOf(b);
    if (low === 0 || shape.k !== "s") return e;
    const width = Math.max(e.width, low.toString(2).length + 1) + 1;
    return binary("sub", extend(e, width, e.signed), number(low, width, loc), width, false, loc);
  }

  // ---- reading ----------------------------------------------------------------------------------------------------

  protected load(ref: Ref, loc: Loc): Val {
    switch (ref.k) {
      case "value":
        return ref.val;
      case "tree":
        return this.typed(this.treeExpr(ref.tree, ref.shape, loc), ref.shape);
      case "signal": {
        const width = widthOf(ref.shape) ?? 0;
        const fact = this.facts.value(ref.signal);
        const from = fact ? constant(fact, ref.signal.width, loc) : read(ref.signal, loc);
        if (typeof ref.offset === "number") {
          const val = this.typed(slice(from, ref.offset, width), ref.shape);
          const limits = width === ref.signal.width ? this.facts.limitsOf(ref.signal) : undefined;
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
        return this.typed(this.wordArrays.read(ref.words, index, width, loc, make), ref.shape);
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

  // ---- assigning --------------------------------------------------------------------------------------------------

  protected emit(stmt: ModelStmt): void {
    this.out.push(stmt);
  }
  /** A variable of the writer's own. */
  protected set(signal: Signal, value: ModelExpr, loc: Loc): void {
    this.emit({ op: "assign", target: wholeTarget(signal, loc), value, blocking: true, intra: null, loc });
  }
  /** Statements that are written elsewhere. */
  protected within(run: () => void): ModelStmt[] {
    const { out } = this;
    const made: ModelStmt[] = [];
    this.out = made;
    try {
      run();
    } finally {
      this.out = out;
    }
    return made;
  }
  /** The same value, worked out once. */
  protected held(val: Val, name: string, loc: Loc): Val {
    const { e } = val;
    if (e.op === "const" || (e.op === "signal" && e.signal.kind === "local")) return val;
    const signal = this.makeSignal(`${name}:${this.temps++}`, e.width, loc, "local", null);
    signal.signed = e.signed;
    this.set(signal, e, loc);
    return { ...val, e: { ...read(signal, loc), signed: e.signed } as ModelExpr };
  }

  /** @param value As wide as what the name means. */
  protected store(
    ref: Ref,
    value: ModelExpr,
    blocking: boolean,
    loc: Loc,
    limits: readonly [number, number] | null = null,
  ): void {
    if (value.width === 0) return;
    if (ref.k === "signal" && typeof ref.offset === "number") {
      this.put(ref.signal, ref.offset, value, blocking, loc);
      if (blocking && limits && value.width === ref.signal.width)
        this.facts.set(ref.signal, this.facts.value(ref.signal) ?? null, limits);
      return;
    }
    if (ref.k === "value") {
      // a place outside of the array: nothing is there to be written
      if (ref.val.e.op === "const" && ref.val.e.value.b !== 0n) return;
      this.refuse(loc, "This target");
    }
    const own = value.op === "const" ? value : this.held({ e: value, shape: ref.shape }, "value", loc).e;
    if (ref.k === "tree") {
      let at = own.width;
      this.eachLeaf(ref.tree, ref.shape, (leaf, shape) => {
        const width = widthOf(shape) ?? 0;
        at -= width;
        const place = this.leafAt(leaf);
        if (place) this.put(place.signal, place.offset, slice(own, at, width), blocking, loc);
      });
      return;
    }
    this.each(ref, loc, (place) => {
      if (place.k === "signal") {
        if (typeof place.offset === "number") this.put(place.signal, place.offset, own, blocking, loc);
        else {
          this.facts.forget(place.signal);
          this.assignPart(place.signal, [], place.offset, own, blocking, loc);
        }
      } else if (place.k === "tree") this.store(place, own, blocking, loc);
    });
  }
  /** Statements for each place that a name with computed indexes may mean, under the condition that it is meant. */
  private each(ref: Ref, loc: Loc, run: (place: Ref) => void): void {
    switch (ref.k) {
      case "part":
        this.each(ref.of, loc, (place) => run(this.narrow(place, ref.lsb, ref.shape)));
        return;
      case "stretch": {
        const low = this.held({ e: ref.low, shape: ref.shape }, "offset", loc).e;
        this.each(ref.of, loc, (place) => {
          if (place.k !== "signal") return this.refuse(loc, "A slice with computed bounds of several signals");
          const size = Math.max(low.width, (place.signal.width + low.width).toString(2).length + 1) + 1;
          const base =
            typeof place.offset === "number"
              ? number(place.offset, size, loc, true)
              : extend(place.offset, size, place.offset.signed);
          const offset = binary("add", extend(low, size, low.signed), base, size, true, loc);
          run({ ...place, offset: { ...offset, signed: true } as ModelExpr, shape: ref.shape });
        });
        return;
      }
      case "element":
        this.each(ref.of, loc, (place) => this.eachElement(ref, place, loc, run));
        return;
      default:
        run(ref);
    }
  }
  private eachElement(ref: Ref & { k: "element" }, of: Ref, loc: Loc, run: (place: Ref) => void): void {
    const { bounds: b } = ref;
    const index = this.held(ref.index, "index", loc);
    const least = Math.max(lowOf(b), index.lo ?? lowOf(b));
    const most = Math.min(highOf(b), index.hi ?? highOf(b));
    const decoded = () => {
      for (let v = least; v <= most; v++) {
        const { e } = index;
        if (e.signed ? v >= 2 ** (e.width - 1) || v < -(2 ** (e.width - 1)) : v < 0 || v >= 2 ** e.width) continue;
        const k = b.d ? b.l - v : v - b.l;
        const test = binary("eq", e, number(v, e.width, loc, e.signed), 1, e.signed, loc);
        const body = this.within(() => run(this.itemRef(of, k)));
        this.emit({ op: "if", test, yes: { op: "block", body }, no: null, loc });
      }
    };
    if (!ref.words) {
      decoded();
      if (of.k === "signal") this.facts.forget(of.signal);
      return;
    }
    const { words } = ref;
    // the element's own statement, with targets that count from the element's lowest bit
    const body = this.within(() => run({ k: "signal", signal: words, offset: 0, shape: ref.shape }));
    const at = [this.wordIndex(index, b, loc)];
    const own = body.map((stmt) => toElement(stmt, words, at));
    this.facts.forget(words);
    const { facts } = this;
    this.emit(
      this.wordArrays.write(words, own.length === 1 ? own[0] : { op: "block", body: own }, () => {
        const outer = this.facts;
        this.facts = facts.fork();
        const made = this.within(decoded);
        this.facts = outer;
        return made;
      }),
    );
  }

  private put(signal: Signal, offset: number, value: ModelExpr, blocking: boolean, loc: Loc): void {
    if (blocking) {
      const { width } = value;
      if (value.op === "const" && value.value.b === 0n && signal.width <= mostFactBits) {
        const isAll = offset === 0 && width === signal.width;
        const old = this.facts.value(signal);
        this.facts.set(signal, isAll ? value.value : old ? replaced(old, value.value, offset, width) : null, null);
      } else this.facts.forget(signal);
    }
    this.assignPart(signal, [], offset, value, blocking, loc);
  }
  private assignPart(
    signal: Signal,
    index: readonly ModelExpr[],
    offset: number | ModelExpr,
    value: ModelExpr,
    blocking: boolean,
    loc: Loc,
  ): void {
    const part = { signal, width: value.width, index, offset, loc };
    this.emit({ op: "assign", target: { parts: [part], width: value.width, loc }, value, blocking, intra: null, loc });
  }

  /** A value for a place: whole numbers get its width, arrays must have its length. */
  protected fit(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k === "s") {
      if (shape.type.kind !== "int") return { ...val, shape };
      const [lo, hi] = integerLimits(shape);
      const width = integerWidth(lo, hi);
      if (isMoved(val) && (lo > 1 || hi < 2 ** 31 - 1)) this.refuseMoved(loc);
      if (val.cv !== undefined && (val.cv < lo || val.cv > hi)) {
        if (!val.sure) return { e: either(width, loc), shape, lo, hi };
        this.error(
          "out-of-range",
          loc,
          `The value ${val.cv} is outside of the range ${lo} to ${hi}.`,
          "Give a value within the range, or widen it.",
        );
        throw new NoCircuit();
      }
      const made = extendTo(val.e, width, val.e.signed);
      const signed = lo < 0;
      const e: ModelExpr =
        made.signed === signed
          ? made
          : made.op === "const" || made !== val.e
            ? ({ ...made, signed } as ModelExpr)
            : { op: "extend", arg: made, bySign: made.signed, width, signed, loc };
      return { e, shape, lo: Math.max(lo, val.lo ?? lo), hi: Math.min(hi, val.hi ?? hi), cv: val.cv, sure: val.sure };
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
}

/** An array that brings its bounds, with them in its shape. */
function opened(v: Arr, shape: Shape): { v: unknown; shape: Shape } {
  return shape.k === "a" ? { v: v.p, shape: { ...shape, dims: [{ l: v.l, d: v.d as 0 | 1, n: v.n }] } } : { v, shape };
}

function replaced(old: Value, by: Value, offset: number, width: number): Value {
  const mask = ((1n << BigInt(width)) - 1n) << BigInt(offset);
  return { a: (old.a & ~mask) | (by.a << BigInt(offset)), b: (old.b & ~mask) | (by.b << BigInt(offset)) };
}

/** A statement on the stretch from bit 0 of a signal on, as one on an element of it. */
function toElement(stmt: ModelStmt, signal: Signal, index: readonly ModelExpr[]): ModelStmt {
  switch (stmt.op) {
    case "assign": {
      if (stmt.target.parts.every((part) => part.signal !== signal)) return stmt;
      const parts = stmt.target.parts.map((part) => (part.signal === signal ? { ...part, index } : part));
      return { ...stmt, target: { ...stmt.target, parts } };
    }
    case "if":
      return {
        ...stmt,
        yes: toElement(stmt.yes, signal, index),
        no: stmt.no && toElement(stmt.no, signal, index),
      };
    case "block":
      return { ...stmt, body: stmt.body.map((each) => toElement(each, signal, index)) };
    default:
      return stmt;
  }
}
