import type { Loc } from "../../../common/source.ts";
import type { Expr } from "../bound.ts";
import { leftOperand } from "../code/operand-chain.ts";
import type { BoundRange, Constraint, Subtype } from "../types.ts";
import { type Bounds, boundsOf, dynamicRange, rightOf, type Shape } from "../values/shapes.ts";
import type { CircuitWriter } from "./circuit.ts";
import { knownOf, NoCircuit } from "./circuit-base.ts";
import { readsState } from "./circuit-scan.ts";

/** What is known before the circuit */
export class KnownBefore {
  constructor(private readonly host: CircuitWriter) {}

  /** @throws NoCircuit if a bound depends on what the circuit computes, unless the shape may be open. */
  shape(subtype: Subtype, loc: Loc, mayBeOpen = false): Shape {
    const made = this.closed(this.host.owner.emitter(this.host.scope.frame).shapes.shape(subtype), loc);
    if (!mayBeOpen && made.k === "a" && made.dims === null) this.host.refuse(loc, "An array whose length is not known");
    return made;
  }
  /** Bounds that need more than literals are worked out here; limits of numbers that are not known are open. */
  private closed(shape: Shape, loc: Loc): Shape {
    switch (shape.k) {
      case "s":
        return typeof shape.lo === "string" || typeof shape.hi === "string"
          ? {
              ...shape,
              lo: typeof shape.lo === "string" ? null : shape.lo,
              hi: typeof shape.hi === "string" ? null : shape.hi,
            }
          : shape;
      case "a": {
        const elem = this.closed(shape.elem, loc);
        const range = dynamicRange(shape);
        if (shape.dims || !range) return elem === shape.elem ? shape : { ...shape, elem };
        const found = this.boundsOrNull(range);
        if (!found) this.host.refuse(loc, "An array whose length is computed");
        const { k, type, pack } = shape;
        return { k, type, pack, dims: [found], elem };
      }
      case "r": {
        const fields = shape.fields.map((field) => this.closed(field, loc));
        return fields.every((field, i) => field === shape.fields[i]) ? shape : { ...shape, fields };
      }
      case "o":
        return shape;
    }
  }
  bounds(range: BoundRange): Bounds {
    const found = this.boundsOrNull(range);
    if (!found) {
      this.host.error(
        "not-constant",
        range.loc,
        "The bounds of this range are not known before the circuit is made.",
        "Use constants, generics, or the parameter of a loop.",
      );
      throw new NoCircuit();
    }
    return found;
  }
  boundsOrNull(range: BoundRange): Bounds | null {
    switch (range.kind) {
      case "bounds": {
        const l = this.knownValue(range.left);
        const r = this.knownValue(range.right);
        if (l === null || r === null) return null;
        return boundsOf(l, r, range.descending ? 1 : 0);
      }
      case "of": {
        const of = range.attribute.op === "attribute" ? range.attribute.of : range.attribute;
        if (!of) return this.host.owner.emitter(this.host.scope.frame).shapes.bounds(range);
        const shape = this.host.values.shapeOf(of);
        if (shape.k !== "a" || !shape.dims) return this.host.owner.emitter(this.host.scope.frame).shapes.bounds(range);
        const b = shape.dims[range.dim - 1];
        return range.reverse ? { l: rightOf(b), d: b.d ? 0 : 1, n: b.n } : b;
      }
      case "subtype": {
        const found = this.host.owner.emitter(this.host.scope.frame).shapes.bounds(range);
        if (found) return found;
        const shape = this.host.owner.values.shapeOf(range.subtype, this.host.scope.frame, range.loc);
        return shape.k === "a" && shape.dims ? shape.dims[0] : null;
      }
    }
  }

  /** Whether the text alone decides an expression. Bounds of objects count as such. */
  isKnown(e: Expr): boolean {
    switch (e.op) {
      case "literal":
      case "string":
        return true;
      case "object": {
        const place = this.host.owner.placeOf(e.decl, this.host.scope.frame);
        if (place?.k === "const") return true;
        return e.decl.kind === "alias" && this.host.scope.find(e.decl) === null && this.isKnown(e.decl.of);
      }
      case "index":
        return this.isKnown(e.of) && e.indexes.every((index) => this.isKnown(index));
      case "slice":
        return this.isKnown(e.of) && this.isKnownRange(e.range);
      case "field":
        return this.isKnown(e.of);
      case "call":
      case "builtin": {
        // sums may have thousands of terms
        let at: Expr | null = e;
        for (; at && (at.op === "call" || at.op === "builtin"); at = leftOperand(at))
          if (!this.isKnownBeside(at)) return false;
        return at === null || this.isKnown(at);
      }
      case "attribute":
        if (e.of && /^(left|right|high|low|length|range|reverse_range|ascending)$/.test(e.name))
          return e.of.op === "object" && this.host.scope.find(e.of.decl) === null;
        if (e.of) return e.name === "to_string" && this.isKnown(e.of);
        return (e.arg === null || this.isKnown(e.arg)) && (e.subtype === null || this.isKnownSubtype(e.subtype));
      case "aggregate":
        return e.elements.every(
          ({ choice, value }) =>
            this.isKnown(value) &&
            (choice.kind !== "value" || this.isKnown(choice.value)) &&
            (choice.kind !== "range" || this.isKnownRange(choice.range)),
        );
      case "convert":
      case "qualified":
        return this.isKnown(e.arg) && this.isKnownSubtype(e.subtype);
      default:
        return false;
    }
  }
  private isKnownRange(range: BoundRange): boolean {
    if (range.kind === "bounds") return this.isKnown(range.left) && this.isKnown(range.right);
    if (range.kind === "subtype") return this.isKnownSubtype(range.subtype);
    const of = range.attribute.op === "attribute" ? range.attribute.of : range.attribute;
    return of === null || (of.op === "object" && this.host.scope.find(of.decl) === null);
  }
  private isKnownSubtype(subtype: Subtype): boolean {
    const ofConstraint = (constraint: Constraint): boolean => {
      switch (constraint.kind) {
        case "range":
          return this.isKnownRange(constraint.range);
        case "array":
          return (
            constraint.ranges.every((range) => range === null || this.isKnownRange(range)) &&
            (constraint.element === null || ofConstraint(constraint.element))
          );
        case "record":
          return [...constraint.fields.values()].every(ofConstraint);
      }
    };
    for (let at: Subtype | null = subtype; at; at = at.parent) {
      if (at.ofObject && !this.isKnown(at.ofObject)) return false;
      if (at.constraint && !ofConstraint(at.constraint)) return false;
    }
    return true;
  }
  /** The same of an operator or a call if its left operand is not looked at. */
  isKnownBeside(e: Expr): boolean {
    if (e.op !== "call" && e.op !== "builtin") return false;
    if (e.op === "call" && (!e.sub.pure || e.sub.params.some((param) => param.kind !== "constant"))) return false;
    if (e.op === "call" && readsState(e.sub)) return false;
    // those of processes and subprograms are written out in their place
    if (e.op === "call" && e.sub.body && this.host.scope.frame.homeOf(e.sub)?.fn) return false;
    for (let i = 1; i < e.args.length; i++) {
      const arg = e.args[i];
      if (arg !== null && !this.isKnown(arg)) return false;
    }
    return true;
  }
  /** A number, or the position of a literal, that is known at this place. */
  knownValue(e: Expr): number | null {
    if (this.isKnown(e)) {
      const { v } = this.host.owner.values.evaluate(e, null, this.host.scope.frame);
      return typeof v === "number" ? v : null;
    }
    return knownOf(this.host.values.expr(e));
  }
}
