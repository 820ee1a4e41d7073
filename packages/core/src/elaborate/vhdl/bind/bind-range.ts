import type { DiscreteNode, ExprNode, RangeNode, SubtypeNode } from "../../../hdl/vhdl/ast.ts";
import type { Expr, Subprogram } from "../bound.ts";
import {
  type BoundRange,
  type Constraint,
  errorType,
  isScalar,
  type Subtype,
  subtypeOf,
  universalInteger,
  type VType,
} from "../types.ts";
import { countOf, distinct, isConstrained } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Ranges, subtypes, allocators and attributes. */
export class RangeBinder {
  constructor(private readonly host: Binder) {}

  // ---- ranges and subtypes --------------------------------------------------------------------------------------

  /** A discrete range (5.3.2.1): of the wanted type, if there is one. */
  discrete(node: DiscreteNode, wanted: VType | null): BoundRange | null {
    if (node.kind === "range") return this.range(node, wanted);
    if (node.kind === "subtype") {
      const subtype = this.subtype(node);
      return subtype && { kind: "subtype", subtype, type: subtype.type, loc: node.loc };
    }
    if (node.kind === "attribute" && (node.name.id === "range" || node.name.id === "reverse_range"))
      return this.rangeAttribute(node);
    const meaning = this.host.names.meaning(node);
    if (!meaning) return null;
    if ("decls" in meaning && meaning.decls[0].kind === "type") {
      const { subtype } = meaning.decls[0];
      return { kind: "subtype", subtype, type: subtype.type, loc: node.loc };
    }
    this.host.error(
      "range",
      node.loc,
      `'${this.host.names.text(node.loc)}' is no range.`,
      "Write a to b, a downto b, a type, or object'range.",
    );
    return null;
  }

  private rangeAttribute(node: ExprNode & { kind: "attribute" }): BoundRange | null {
    const bound = this.host.attributes.attribute(node, null);
    if (bound.op === "bad") return null;
    const dim = node.arg ? Number(node.arg.kind === "number" ? node.arg.value : 1) : 1;
    return {
      kind: "of",
      attribute: bound,
      reverse: node.name.id === "reverse_range",
      dim,
      type: bound.type,
      loc: node.loc,
    };
  }

  range(node: RangeNode, wanted: VType | null): BoundRange | null {
    const descending = node.dir === "downto";
    let type = wanted;
    if (!type) {
      const left = this.host.candidates.types(node.left);
      const right = this.host.candidates.types(node.right);
      const found: VType[] = [];
      for (const l of left)
        for (const r of right) {
          if (this.host.candidates.fits(r, l)) found.push(l);
          else if (this.host.candidates.fits(l, r)) found.push(r);
        }
      const kinds = distinct(found).filter((each) => each.kind !== "any");
      type = kinds.find((each) => !(each.kind === "int" && each.universal)) ?? kinds[0] ?? null;
      if (type === universalInteger && this.host.world.standard.integer.kind === "int")
        type = this.host.world.standard.integer;
    }
    if (!type) {
      this.host.exprs.bind(node.left, null);
      this.host.exprs.bind(node.right, null);
      if (this.host.candidates.types(node.left).length && this.host.candidates.types(node.right).length)
        this.host.error(
          "range",
          node.loc,
          "The ends of this range are of different types.",
          "Write both ends in one type.",
        );
      return null;
    }
    const left = this.host.exprs.bind(node.left, type);
    const right = this.host.exprs.bind(node.right, type);
    if (left.op === "bad" || right.op === "bad") return null;
    return { kind: "bounds", left, right, descending, type, loc: node.loc };
  }

  /** A type mark: the name of a type or subtype, or `object'subtype`. */
  mark(node: ExprNode): Subtype | null {
    if (node.kind === "attribute" && node.name.id === "subtype") {
      const of = this.host.exprs.bind(node.of, null);
      if (of.type === errorType) return null;
      return {
        type: of.type,
        name: `${this.host.names.text(node.loc)}`,
        parent: null,
        constraint: null,
        resolution: null,
        ofObject: of,
      };
    }
    if (node.kind === "attribute" && node.name.id === "base") {
      const of = this.mark(node.of);
      if (of) return subtypeOf(of.type);
    }
    if (node.kind === "attribute" && node.name.id === "element") return this.elementMark(node);
    const meaning = this.host.names.meaning(node);
    if (!meaning) return null;
    if ("decls" in meaning) {
      const [decl] = meaning.decls;
      if (decl.kind === "type") return decl.subtype;
    }
    this.host.error(
      "no-type",
      node.loc,
      `'${this.host.names.text(node.loc)}' is no type.`,
      "Write the name of a type or subtype.",
    );
    return null;
  }

  /** `type'element` and `object'element` (16.2). */
  private elementMark(node: ExprNode & { kind: "attribute" }): Subtype | null {
    const named =
      node.of.kind === "name" || node.of.kind === "select"
        ? this.host.candidates.quiet(() => this.host.names.meaning(node.of))
        : null;
    const isType = named && "decls" in named && named.decls[0].kind === "type";
    const of = isType ? null : this.host.exprs.bind(node.of, null);
    const type = isType ? this.mark(node.of)?.type : of?.type;
    if (!type || type === errorType) return null;
    if (type.kind !== "array") {
      this.host.error("no-type", node.loc, `'${this.host.names.text(node.of.loc)}' has no elements.`, "Name an array.");
      return null;
    }
    if (!of) return type.element;
    return {
      type: type.element.type,
      name: this.host.names.text(node.loc),
      parent: null,
      constraint: null,
      resolution: null,
      ofObject: of,
      isElement: true,
    };
  }

  subtype(node: SubtypeNode): Subtype | null {
    const base = this.mark(node.mark);
    if (!base) return null;
    let resolution: Subprogram | null = null;
    let elementResolution: Subprogram | null = null;
    if (node.resolution) {
      const meaning = this.host.names.meaning(node.resolution);
      const subs =
        meaning && "decls" in meaning ? meaning.decls.filter((decl): decl is Subprogram => decl.kind === "sub") : [];
      const takes = (sub: Subprogram, type: VType) => {
        const first = sub.params[0]?.subtype.type;
        return (
          sub.params.length === 1 && first?.kind === "array" && first.element.type === type && sub.result?.type === type
        );
      };
      resolution = subs.find((sub) => takes(sub, base.type)) ?? null;
      if (!resolution && base.type.kind === "array") {
        const element = base.type.element.type;
        elementResolution = subs.find((sub) => takes(sub, element)) ?? null;
      }
      if (!resolution && !elementResolution && meaning)
        this.host.error(
          "resolution",
          node.resolution.loc,
          `'${this.host.names.text(node.resolution.loc)}' is no resolution function for ${base.name}.`,
          "It takes an array of the type's values and gives one.",
        );
    }
    if (!node.constraint && !node.resolution) return base;
    const constraint = node.constraint ? this.constraint(node.constraint, base) : null;
    if (node.constraint && !constraint) return base;
    return {
      type: base.type,
      name: this.host.names.text(node.loc),
      parent: base,
      constraint,
      resolution,
      elementResolution,
    };
  }

  private constraint(node: NonNullable<SubtypeNode["constraint"]>, base: Subtype): Constraint | null {
    const { type } = base;
    switch (node.kind) {
      case "scalar": {
        if (!isScalar(type)) {
          this.host.error(
            "constraint",
            node.loc,
            `${base.name} is no scalar type: it has no range.`,
            "Arrays take their bounds in brackets.",
          );
          return null;
        }
        const range = node.range.kind === "range" ? this.range(node.range, type) : this.discrete(node.range, type);
        return range && { kind: "range", range };
      }
      case "array": {
        const inner = type.kind === "access" && type.of ? type.of.type : type;
        if (inner.kind !== "array") {
          this.host.error(
            "constraint",
            node.loc,
            `${base.name} is no array: it has no bounds.`,
            "Write 'range a to b' for a number.",
          );
          return null;
        }
        if (node.ranges.length !== inner.indexes.length) {
          this.host.error(
            "constraint",
            node.loc,
            `${base.name} has ${countOf(inner.indexes.length, "dimension")}, not ${node.ranges.length}.`,
            "Give one range a dimension.",
          );
          return null;
        }
        if (isConstrained(base) && node.ranges.every((each) => each.kind !== "open")) {
          this.host.error("constraint", node.loc, `${base.name} has bounds of its own.`, "Take these out.");
          return null;
        }
        const ranges: (BoundRange | null)[] = [];
        for (let i = 0; i < node.ranges.length; i++) {
          const each = node.ranges[i];
          if (each.kind === "open") {
            ranges.push(null);
            continue;
          }
          if (each.kind !== "range" && each.kind !== "subtype" && !this.host.calls.isRange(each)) {
            this.host.error(
              "range",
              each.loc,
              `'${this.host.names.text(each.loc)}' is a value, not a range.`,
              `Write ${this.host.names.text(each.loc)} - 1 downto 0, or another range.`,
            );
            return null;
          }
          const range = this.discrete(each, inner.indexes[i].type);
          if (!range) return null;
          ranges.push(range);
        }
        const element = node.element ? this.constraint(node.element, inner.element) : null;
        return { kind: "array", ranges, element, loc: node.loc };
      }
      case "record": {
        if (type.kind !== "record") return null;
        const fields = new Map<string, Constraint>();
        for (const { name, constraint } of node.fields) {
          const field = type.fields.find((each) => each.name === name.id);
          const bound = field && this.constraint(constraint, field.subtype);
          if (bound) fields.set(name.id, bound);
          else if (!field)
            this.host.error(
              "unknown-field",
              name.loc,
              `Record type '${type.name}' has no field '${name.id}'.`,
              "Check its spelling.",
            );
        }
        return { kind: "record", fields };
      }
    }
  }

  // ---- allocators -----------------------------------------------------------------------------------------------

  allocated(node: ExprNode | SubtypeNode): { subtype: Subtype; init: Expr | null } | null {
    if (node.kind === "subtype") {
      const subtype = this.subtype(node);
      return subtype && { subtype, init: null };
    }
    if (node.kind === "qualified") {
      const subtype = this.mark(node.mark);
      if (!subtype) return null;
      return { subtype, init: this.host.exprs.bind(node.value, subtype.type) };
    }
    const subtype = this.mark(node);
    return subtype && { subtype, init: null };
  }
  allocator(node: ExprNode & { kind: "new" }, wanted: VType | null): Expr {
    const value = this.allocated(node.value);
    if (!value) return this.host.bad(node.loc);
    if (wanted?.kind !== "access" || wanted.of?.type !== value.subtype.type) {
      this.host.error(
        "new",
        node.loc,
        `'new ${value.subtype.name}' needs an access type that points to it.`,
        "Declare one: type pointer is access ...",
      );
      return this.host.bad(node.loc);
    }
    return { op: "new", ...value, type: wanted, loc: node.loc };
  }

  /** A signal, a part of one, or what an attribute makes one. */
  isSignal(expr: Expr): boolean {
    switch (expr.op) {
      case "object":
        return expr.decl.kind === "signal" || (expr.decl.kind === "alias" && this.isSignal(expr.decl.of));
      case "index":
      case "slice":
      case "field":
        return this.isSignal(expr.of);
      case "attribute":
        return /^(delayed|stable|quiet|transaction)$/.test(expr.name);
      case "external":
        return expr.object === "signal";
      default:
        return false;
    }
  }
  isVariable(expr: Expr): boolean {
    switch (expr.op) {
      case "object":
        return (
          expr.decl.kind === "variable" ||
          expr.decl.kind === "file" ||
          (expr.decl.kind === "alias" && this.isVariable(expr.decl.of))
        );
      case "index":
      case "slice":
      case "field":
        return this.isVariable(expr.of);
      case "deref":
        return true;
      case "external":
        return expr.object === "variable";
      default:
        return false;
    }
  }
}
