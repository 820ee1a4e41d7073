import type { Expr as ModelExpr } from "../../model.ts";
import type { Expr } from "../bound.ts";
import { operatorChain, ReadyOperands } from "../code/operand-chain.ts";
import { isScalar } from "../types.ts";
import { highOf, lowOf, rightOf, type Shape } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, type Val } from "./circuit-base.ts";
import { extend, number, slice, widthOf } from "./circuit-expr.ts";

const boundsAttribute = /^(left|right|high|low|length|ascending)$/;

/** Expressions as circuits. */
export class CircuitValue {
  constructor(private readonly host: CircuitWriter) {}

  /** One bit: what a statement asks. */
  condition(e: Expr): ModelExpr {
    return this.expr(e).e;
  }

  private readonly ready = new ReadyOperands<Val>();

  expr(e: Expr, want?: Shape): Val {
    const ready = this.ready.take(e);
    if (ready) return ready;
    const { loc } = e;
    if (this.host.known.isKnown(e)) {
      const open = want?.k === "a" && want.dims === null ? null : (want ?? null);
      const made = this.host.owner.values.evaluate(
        e,
        open && open.k !== "s" && e.op !== "call" ? open : null,
        this.host.scope.frame,
      );
      if (made.v instanceof Arr) this.host.refuse(loc, "A value whose length is not known");
      return this.host.names.known(made.v, made.shape, loc);
    }
    const chain = operatorChain(e);
    if (chain.length < 2) return this.unknown(e, want);
    // from the innermost operator that constants alone do not decide
    let last = chain.length - 1;
    if (!this.host.known.isKnown(chain[last])) return this.ready.through(chain, (each) => this.unknown(each));
    while (last > 0 && this.host.known.isKnownBeside(chain[last])) last--;
    return this.ready.through(chain.slice(0, last + 1), (each) => this.unknown(each));
  }
  private unknown(e: Expr, want?: Shape): Val {
    const { loc } = e;
    switch (e.op) {
      case "object":
      case "field":
      case "index":
      case "slice":
        return this.host.names.load(this.host.names.ref(e), loc);
      case "call":
        return this.host.calls.call(e);
      case "builtin":
        return this.builtin(e, want);
      case "aggregate":
        return this.host.composites.aggregate(e, want);
      case "convert":
        return this.host.composites.convert(e);
      case "qualified": {
        const shape = this.host.known.shape(e.subtype, loc, true);
        return this.host.assigns.fit(this.expr(e.arg, shape), shape, loc);
      }
      case "attribute":
        return this.attribute(e);
      case "deref":
      case "new":
      case "null":
        return this.host.refuse(loc, "An access value");
      default:
        return this.host.refuse(loc, "This expression");
    }
  }

  /** Shape of what an expression gives; statements that it would need are not written. */
  shapeOf(e: Expr): Shape {
    const facts = this.host.facts;
    let shape: Shape | null = null;
    this.host.assigns.within(() => {
      shape = this.host.names.ref(e).shape;
    });
    this.host.facts = facts;
    return shape!;
  }

  private builtin(e: Expr & { op: "builtin" }, want?: Shape): Val {
    const { name, loc, type } = e;
    if (name === "&") return this.host.composites.concat(e, want);
    if (e.args.length === 2 && isScalar(type) && /^n?(and|or)$/.test(name)) {
      // the right operand is looked at only if the left one does not decide (9.2.2)
      const a = this.expr(e.args[0]);
      const isAnd = name === "and" || name === "nand";
      if (knownOf(a) === (isAnd ? 0 : 1))
        return this.host.operators.scalar(number(name === "and" || name === "nor" ? 0 : 1, 1, loc), type);
      return this.host.operators.predefined(name, [a, this.expr(e.args[1])], type, loc);
    }
    return this.host.operators.predefined(
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
      if (shape.k !== "a" || !shape.dims) return this.host.refuse(loc, `The attribute '${name}'`);
      const dim = e.arg ? (this.host.known.knownValue(e.arg) ?? 1) : 1;
      const b = shape.dims[dim - 1];
      switch (name) {
        case "length":
          return this.host.names.known(b.n, index, loc);
        case "ascending":
          return this.host.names.known(b.d ? 0 : 1, index, loc);
        case "left":
          return this.host.names.known(b.l, index, loc);
        case "right":
          return this.host.names.known(rightOf(b), index, loc);
        case "low":
          return this.host.names.known(lowOf(b), index, loc);
        default:
          return this.host.names.known(highOf(b), index, loc);
      }
    }
    if (e.subtype && boundsAttribute.test(name)) {
      const shape = this.host.known.shape(e.subtype, loc, true);
      const b = shape.k === "a" ? shape.dims?.[e.arg ? (this.host.known.knownValue(e.arg) ?? 1) - 1 : 0] : null;
      if (!b) return this.host.refuse(loc, `The attribute '${name}'`);
      const v = { length: b.n, ascending: b.d ? 0 : 1, left: b.l, right: rightOf(b), low: lowOf(b) }[name] ?? highOf(b);
      return this.host.names.known(v, index, loc);
    }
    switch (name) {
      case "pos": {
        const arg = this.expr(e.arg!);
        const own = arg.shape;
        if (own.k === "s" && own.type.kind === "int") return { ...arg, shape: index };
        const count = own.k === "s" && own.type.kind === "enum" ? own.type.literals.length : 2 ** arg.e.width;
        if (own.k === "s" && own.type.kind === "enum" && own.type.packing === "logic")
          return this.host.refuse(loc, "The position of a logic level");
        return { e: arg.e, shape: index, lo: 0, hi: count - 1, cv: arg.cv, sure: arg.sure };
      }
      case "val": {
        const arg = this.expr(e.arg!);
        if (index.k === "s" && index.type.kind === "int") return { ...arg, shape: index };
        if (index.k === "s" && index.type.kind === "enum" && index.type.packing === "logic")
          return this.host.refuse(loc, "A logic level by its position");
        const width = widthOf(index) ?? 1;
        return this.host.names.typed(slice(extend(arg.e, Math.max(width, arg.e.width), arg.e.signed), 0, width), index);
      }
      case "succ":
      case "pred":
      case "leftof":
      case "rightof": {
        const arg = this.expr(e.arg!);
        const shape = e.subtype ? this.host.known.shape(e.subtype, loc, true) : index;
        const down = shape.k === "s" && shape.descending === true;
        const up = name === "succ" || name === (down ? "leftof" : "rightof");
        if (this.host.operators.isInteger(arg))
          return this.host.integers.integer(
            up ? "+" : "-",
            { ...arg, shape: index },
            this.host.names.whole(1, index, loc),
            loc,
          );
        if (arg.shape.k === "s" && arg.shape.type.kind === "enum" && arg.shape.type.packing === "logic")
          return this.host.refuse(loc, `The attribute '${name}' of a logic level`);
        const one = { e: number(1, 1, loc), shape: index, lo: 1, hi: 1 };
        const sum = this.host.integers.integer(
          up ? "+" : "-",
          { ...arg, shape: index, lo: 0, hi: 2 ** arg.e.width - 1 },
          one,
          loc,
        );
        return this.host.names.typed(
          slice(extend(sum.e, Math.max(sum.e.width, arg.e.width), sum.e.signed), 0, arg.e.width),
          arg.shape,
        );
      }
      case "event":
      case "stable":
        return this.host.refuse(
          loc,
          "An edge in this place",
          "Write 'if rising_edge(clk) then' around all that the clock does.",
        );
      default:
        return this.host.refuse(loc, `The attribute '${name}'`);
    }
  }
}
