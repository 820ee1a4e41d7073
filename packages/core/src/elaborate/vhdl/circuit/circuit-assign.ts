import type { Loc } from "../../../common/source.ts";
import { type Expr as ModelExpr, type Stmt as ModelStmt, type Signal, type Value, wholeTarget } from "../../model.ts";
import { highOf, lowOf, type Shape, shapeText } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { NoCircuit, type Ref, type Val } from "./circuit-base.ts";
import { binary, either, extend, integerLimits, integerWidth, number, read, slice, widthOf } from "./circuit-expr.ts";
import { isMoved } from "./circuit-moved.ts";
import { extendTo } from "./circuit-pieces.ts";

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

/** Variables with more bits are not followed as constants. */
const mostFactBits = 4096;

function replaced(old: Value, by: Value, offset: number, width: number): Value {
  const mask = ((1n << BigInt(width)) - 1n) << BigInt(offset);
  return { a: (old.a & ~mask) | (by.a << BigInt(offset)), b: (old.b & ~mask) | (by.b << BigInt(offset)) };
}

/** Assignments to signals, their parts and elements. */
export class CircuitAssign {
  constructor(private readonly host: CircuitWriter) {}

  /** A variable of the writer's own. */
  set(signal: Signal, value: ModelExpr, loc: Loc): void {
    this.host.stmts.emit({ op: "assign", target: wholeTarget(signal, loc), value, blocking: true, intra: null, loc });
  }
  /** Statements that are written elsewhere. */
  within(run: () => void): ModelStmt[] {
    const out = this.host.out;
    const made: ModelStmt[] = [];
    this.host.out = made;
    try {
      run();
    } finally {
      this.host.out = out;
    }
    return made;
  }
  /** The same value, worked out once. */
  held(val: Val, name: string, loc: Loc): Val {
    const { e } = val;
    if (e.op === "const" || (e.op === "signal" && e.signal.kind === "local")) return val;
    const signal = this.host.makeSignal(`${name}:${this.host.temps++}`, e.width, loc, "local", null);
    signal.signed = e.signed;
    this.set(signal, e, loc);
    return { ...val, e: { ...read(signal, loc), signed: e.signed } as ModelExpr };
  }

  /** @param value As wide as what the name means. */
  store(
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
        this.host.facts.set(ref.signal, this.host.facts.value(ref.signal) ?? null, limits);
      return;
    }
    if (ref.k === "value") {
      // a place outside of the array: nothing is there to be written
      if (ref.val.e.op === "const" && ref.val.e.value.b !== 0n) return;
      this.host.refuse(loc, "This target");
    }
    const own = value.op === "const" ? value : this.held({ e: value, shape: ref.shape }, "value", loc).e;
    if (ref.k === "tree") {
      let at = own.width;
      this.host.signals.eachLeaf(ref.tree, ref.shape, (leaf, shape) => {
        const width = widthOf(shape) ?? 0;
        at -= width;
        const place = this.host.signals.leafAt(leaf);
        if (place) this.put(place.signal, place.offset, slice(own, at, width), blocking, loc);
      });
      return;
    }
    this.each(ref, loc, (place) => {
      if (place.k === "signal") {
        if (typeof place.offset === "number") this.put(place.signal, place.offset, own, blocking, loc);
        else {
          this.host.facts.forget(place.signal);
          this.assignPart(place.signal, [], place.offset, own, blocking, loc);
        }
      } else if (place.k === "tree") this.store(place, own, blocking, loc);
    });
  }
  /** Statements for each place that a name with computed indexes may mean, under the condition that it is meant. */
  private each(ref: Ref, loc: Loc, run: (place: Ref) => void): void {
    switch (ref.k) {
      case "part":
        this.each(ref.of, loc, (place) => run(this.host.names.narrow(place, ref.lsb, ref.shape)));
        return;
      case "stretch": {
        const low = this.held({ e: ref.low, shape: ref.shape }, "offset", loc).e;
        this.each(ref.of, loc, (place) => {
          if (place.k !== "signal") return this.host.refuse(loc, "A slice with computed bounds of several signals");
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
        const body = this.within(() => run(this.host.names.itemRef(of, k)));
        this.host.stmts.emit({ op: "if", test, yes: { op: "block", body }, no: null, loc });
      }
    };
    if (!ref.words) {
      decoded();
      if (of.k === "signal") this.host.facts.forget(of.signal);
      return;
    }
    const { words } = ref;
    // the element's own statement, with targets that count from the element's lowest bit
    const body = this.within(() => run({ k: "signal", signal: words, offset: 0, shape: ref.shape }));
    const at = [this.host.names.wordIndex(index, b, loc)];
    const own = body.map((stmt) => toElement(stmt, words, at));
    this.host.facts.forget(words);
    const facts = this.host.facts;
    this.host.stmts.emit(
      this.host.wordArrays.write(words, own.length === 1 ? own[0] : { op: "block", body: own }, () => {
        const outer = this.host.facts;
        this.host.facts = facts.fork();
        const made = this.within(decoded);
        this.host.facts = outer;
        return made;
      }),
    );
  }

  private put(signal: Signal, offset: number, value: ModelExpr, blocking: boolean, loc: Loc): void {
    if (blocking) {
      const { width } = value;
      if (value.op === "const" && value.value.b === 0n && signal.width <= mostFactBits) {
        const isAll = offset === 0 && width === signal.width;
        const old = this.host.facts.value(signal);
        this.host.facts.set(signal, isAll ? value.value : old ? replaced(old, value.value, offset, width) : null, null);
      } else this.host.facts.forget(signal);
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
    this.host.stmts.emit({
      op: "assign",
      target: { parts: [part], width: value.width, loc },
      value,
      blocking,
      intra: null,
      loc,
    });
  }

  /** A value for a place: whole numbers get its width, arrays must have its length. */
  fit(val: Val, shape: Shape, loc: Loc): Val {
    if (shape.k === "s") {
      if (shape.type.kind !== "int") return { ...val, shape };
      const [lo, hi] = integerLimits(shape);
      const width = integerWidth(lo, hi);
      if (isMoved(val) && (lo > 1 || hi < 2 ** 31 - 1)) this.host.names.refuseMoved(loc);
      if (val.cv !== undefined && (val.cv < lo || val.cv > hi)) {
        if (!val.sure) return { e: either(width, loc), shape, lo, hi };
        this.host.error(
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
      this.host.error(
        "width",
        loc,
        `'${this.host.owner.report.sources.text(loc)}' has ${have} element${have === 1 ? "" : "s"} (${shapeText(val.shape)}), but ${need} ${need === 1 ? "is" : "are"} needed (${shapeText(shape)}).`,
        "Make them as long as each other.",
      );
      throw new NoCircuit();
    }
    return { ...val, shape };
  }
}
