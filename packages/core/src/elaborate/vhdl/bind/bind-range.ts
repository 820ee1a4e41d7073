import type { DiscreteNode, ExprNode, RangeNode, SubtypeNode } from "../../../hdl/vhdl/ast.ts";
import type { AttributeDecl, Expr, Subprogram } from "../bound.ts";
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
import { TypeFinder } from "./bind-types.ts";
import { countOf, distinct, isConstrained } from "./bind-words.ts";

/** Ranges, subtypes, allocators and attributes. */
export abstract class RangeBinder extends TypeFinder {
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
    const meaning = this.meaning(node);
    if (!meaning) return null;
    if ("decls" in meaning && meaning.decls[0].kind === "type") {
      const { subtype } = meaning.decls[0];
      return { kind: "subtype", subtype, type: subtype.type, loc: node.loc };
    }
    this.error(
      "range",
      node.loc,
      `'${this.text(node.loc)}' is no range.`,
      "Write a to b, a downto b, a type, or object'range.",
    );
    return null;
  }

  protected rangeAttribute(node: ExprNode & { kind: "attribute" }): BoundRange | null {
    const bound = this.attribute(node, null);
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
      const left = this.types(node.left);
      const right = this.types(node.right);
      const found: VType[] = [];
      for (const l of left)
        for (const r of right) {
          if (this.fits(r, l)) found.push(l);
          else if (this.fits(l, r)) found.push(r);
        }
      const kinds = distinct(found).filter((each) => each.kind !== "any");
      type = kinds.find((each) => !(each.kind === "int" && each.universal)) ?? kinds[0] ?? null;
      if (type === universalInteger && this.world.standard.integer.kind === "int") type = this.world.standard.integer;
    }
    if (!type) {
      this.bind(node.left, null);
      this.bind(node.right, null);
      if (this.types(node.left).length && this.types(node.right).length)
        this.error("range", node.loc, "The ends of this range are of different types.", "Write both ends in one type.");
      return null;
    }
    const left = this.bind(node.left, type);
    const right = this.bind(node.right, type);
    if (left.op === "bad" || right.op === "bad") return null;
    return { kind: "bounds", left, right, descending, type, loc: node.loc };
  }

  /** A type mark: the name of a type or subtype, or `object'subtype`. */
  mark(node: ExprNode): Subtype | null {
    if (node.kind === "attribute" && node.name.id === "subtype") {
      const of = this.bind(node.of, null);
      if (of.type === errorType) return null;
      return {
        type: of.type,
        name: `${this.text(node.loc)}`,
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
    const meaning = this.meaning(node);
    if (!meaning) return null;
    if ("decls" in meaning) {
      const [decl] = meaning.decls;
      if (decl.kind === "type") return decl.subtype;
    }
    this.error("no-type", node.loc, `'${this.text(node.loc)}' is no type.`, "Write the name of a type or subtype.");
    return null;
  }

  /** `type'element` and `object'element` (16.2). */
  private elementMark(node: ExprNode & { kind: "attribute" }): Subtype | null {
    const named = node.of.kind === "name" || node.of.kind === "select" ? this.quiet(() => this.meaning(node.of)) : null;
    const isType = named && "decls" in named && named.decls[0].kind === "type";
    const of = isType ? null : this.bind(node.of, null);
    const type = isType ? this.mark(node.of)?.type : of?.type;
    if (!type || type === errorType) return null;
    if (type.kind !== "array") {
      this.error("no-type", node.loc, `'${this.text(node.of.loc)}' has no elements.`, "Name an array.");
      return null;
    }
    if (!of) return type.element;
    return {
      type: type.element.type,
      name: this.text(node.loc),
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
      const meaning = this.meaning(node.resolution);
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
        this.error(
          "resolution",
          node.resolution.loc,
          `'${this.text(node.resolution.loc)}' is no resolution function for ${base.name}.`,
          "It takes an array of the type's values and gives one.",
        );
    }
    if (!node.constraint && !node.resolution) return base;
    const constraint = node.constraint ? this.constraint(node.constraint, base) : null;
    if (node.constraint && !constraint) return base;
    return { type: base.type, name: this.text(node.loc), parent: base, constraint, resolution, elementResolution };
  }

  protected constraint(node: NonNullable<SubtypeNode["constraint"]>, base: Subtype): Constraint | null {
    const { type } = base;
    switch (node.kind) {
      case "scalar": {
        if (!isScalar(type)) {
          this.error(
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
          this.error(
            "constraint",
            node.loc,
            `${base.name} is no array: it has no bounds.`,
            "Write 'range a to b' for a number.",
          );
          return null;
        }
        if (node.ranges.length !== inner.indexes.length) {
          this.error(
            "constraint",
            node.loc,
            `${base.name} has ${countOf(inner.indexes.length, "dimension")}, not ${node.ranges.length}.`,
            "Give one range a dimension.",
          );
          return null;
        }
        if (isConstrained(base) && node.ranges.every((each) => each.kind !== "open")) {
          this.error("constraint", node.loc, `${base.name} has bounds of its own.`, "Take these out.");
          return null;
        }
        const ranges: (BoundRange | null)[] = [];
        for (let i = 0; i < node.ranges.length; i++) {
          const each = node.ranges[i];
          if (each.kind === "open") {
            ranges.push(null);
            continue;
          }
          if (each.kind !== "range" && each.kind !== "subtype" && !this.isRange(each)) {
            this.error(
              "range",
              each.loc,
              `'${this.text(each.loc)}' is a value, not a range.`,
              `Write ${this.text(each.loc)} - 1 downto 0, or another range.`,
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
            this.error(
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

  protected allocated(node: ExprNode | SubtypeNode): { subtype: Subtype; init: Expr | null } | null {
    if (node.kind === "subtype") {
      const subtype = this.subtype(node);
      return subtype && { subtype, init: null };
    }
    if (node.kind === "qualified") {
      const subtype = this.mark(node.mark);
      if (!subtype) return null;
      return { subtype, init: this.bind(node.value, subtype.type) };
    }
    const subtype = this.mark(node);
    return subtype && { subtype, init: null };
  }
  protected allocator(node: ExprNode & { kind: "new" }, wanted: VType | null): Expr {
    const value = this.allocated(node.value);
    if (!value) return this.bad(node.loc);
    if (wanted?.kind !== "access" || wanted.of?.type !== value.subtype.type) {
      this.error(
        "new",
        node.loc,
        `'new ${value.subtype.name}' needs an access type that points to it.`,
        "Declare one: type pointer is access ...",
      );
      return this.bad(node.loc);
    }
    return { op: "new", ...value, type: wanted, loc: node.loc };
  }

  // ---- attributes -----------------------------------------------------------------------------------------------

  /** Of a type or subtype (16.2.2 to 16.2.4). */
  private typeAttribute(
    node: ExprNode & { kind: "attribute" },
    mark: Subtype,
    wanted: VType | null,
    make: (type: VType, of: Expr | null, subtype: Subtype | null, arg?: Expr | null) => Expr,
  ): Expr {
    const { loc } = node;
    const name = node.name.id;
    const { integer, boolean, string } = this.world.standard;
    const { type } = mark;
    switch (name) {
      case "left":
      case "right":
      case "high":
      case "low":
      case "range":
      case "reverse_range":
        if (isScalar(type)) return make(type, null, mark);
        if (type.kind === "array")
          return make(type.indexes[this.dimension(node) - 1]?.type ?? errorType, null, mark, this.dimensionExpr(node));
        break;
      case "length":
        if (type.kind === "array")
          return make(wanted?.kind === "int" ? wanted : universalInteger, null, mark, this.dimensionExpr(node));
        break;
      case "ascending":
        return make(boolean, null, mark, this.dimensionExpr(node));
      case "image":
        if (isScalar(type) && node.arg) return make(string, null, mark, this.bind(node.arg, type));
        break;
      case "value":
        if (isScalar(type) && node.arg) return make(type, null, mark, this.bind(node.arg, string));
        break;
      case "pos":
        if (isScalar(type) && node.arg)
          return make(wanted?.kind === "int" ? wanted : universalInteger, null, mark, this.bind(node.arg, type));
        break;
      case "val":
        if (isScalar(type) && node.arg) {
          const types = this.types(node.arg);
          return make(type, null, mark, this.bind(node.arg, types[0]?.kind === "int" ? types[0] : integer));
        }
        break;
      case "succ":
      case "pred":
      case "leftof":
      case "rightof":
        if (isScalar(type) && node.arg) return make(type, null, mark, this.bind(node.arg, type));
        break;
    }
    this.error(
      "attribute",
      loc,
      `Type ${mark.name} has no attribute '${name}'${node.arg ? "" : " without a parameter"}.`,
      "Check its spelling.",
    );
    return this.bad(loc);
  }

  protected attribute(node: ExprNode & { kind: "attribute" }, wanted: VType | null): Expr {
    const { loc } = node;
    const name = node.name.id;
    const { boolean, string, bit } = this.world.standard;
    const meaning = node.of.kind === "name" || node.of.kind === "select" ? this.meaning(node.of) : null;
    if ((node.of.kind === "name" || node.of.kind === "select") && !meaning) return this.bad(loc);
    const decl = meaning && "decls" in meaning ? meaning.decls[0] : null;
    const make = (type: VType, of: Expr | null, subtype: Subtype | null, arg: Expr | null = null): Expr => ({
      op: "attribute",
      name,
      of,
      subtype,
      arg,
      type,
      loc,
    });
    if (name === "instance_name" || name === "path_name" || name === "simple_name") {
      return { op: "attribute", name, of: null, subtype: null, arg: null, decl: decl ?? undefined, type: string, loc };
    }
    // attributes that the user has declared
    const declared = this.scope.lookup(name).find((each): each is AttributeDecl => each.kind === "attribute");
    if (declared && decl && this.world.attributeOf(decl, declared))
      return { op: "attribute", name, of: null, subtype: null, arg: null, decl, type: declared.subtype.type, loc };
    const nested =
      node.of.kind === "attribute" &&
      (node.of.name.id === "base" || node.of.name.id === "subtype" || node.of.name.id === "element")
        ? this.mark(node.of)
        : null;
    const mark = decl?.kind === "type" ? decl.subtype : nested;
    if (mark) return this.typeAttribute(node, mark, wanted, make);
    let of: Expr;
    if (meaning && "value" in meaning) of = meaning.value;
    else if (decl && (decl.kind === "entity" || decl.kind === "architecture" || decl.kind === "label"))
      of = this.bad(node.of.loc);
    else of = this.bind(node.of, null);
    if (of.type === errorType) {
      if (declared || decl?.kind === "entity" || decl?.kind === "architecture" || decl?.kind === "label")
        this.error(
          "attribute",
          loc,
          `'${this.text(node.of.loc)}' has no attribute '${name}'.`,
          "Give it one with an attribute specification.",
        );
      return this.bad(loc);
    }
    const isSignal = this.isSignal(of);
    switch (name) {
      case "left":
      case "right":
      case "high":
      case "low":
      case "range":
      case "reverse_range":
      case "length":
      case "ascending": {
        const array = this.dereferenced(of);
        if (array.type.kind === "array") {
          const index = array.type.indexes[this.dimension(node) - 1]?.type;
          if (!index) {
            this.error(
              "attribute",
              loc,
              `'${this.text(node.of.loc)}' has ${countOf(array.type.indexes.length, "dimension")} only.`,
              "Check the attribute's parameter.",
            );
            return this.bad(loc);
          }
          const type =
            name === "length"
              ? wanted?.kind === "int"
                ? wanted
                : universalInteger
              : name === "ascending"
                ? boolean
                : index;
          return make(type, array, null, this.dimensionExpr(node));
        }
        // 2008: of an object of a scalar type, that of its type
        if (of.op === "object") return make(name === "ascending" ? boolean : of.type, null, of.decl.subtype);
        break;
      }
      case "image":
        if (isScalar(of.type))
          return { op: "attribute", name: "image", of: null, subtype: subtypeOf(of.type), arg: of, type: string, loc };
        break;
      case "event":
      case "active":
      case "driving":
        if (isSignal) return make(boolean, of, null);
        break;
      case "last_value":
      case "driving_value":
        if (isSignal) return make(of.type, of, null);
        break;
      case "last_event":
      case "last_active":
        if (isSignal) return make(this.world.standard.time, of, null);
        break;
      case "stable":
      case "quiet":
        if (isSignal) return make(boolean, of, null, node.arg ? this.bind(node.arg, this.world.standard.time) : null);
        break;
      case "delayed":
        if (isSignal) return make(of.type, of, null, node.arg ? this.bind(node.arg, this.world.standard.time) : null);
        break;
      case "transaction":
        if (isSignal) return make(bit, of, null);
        break;
    }
    const signalOnly = /^(event|active|last_|driving|stable|quiet|delayed|transaction)/.test(name);
    this.error(
      "attribute",
      loc,
      signalOnly && !isSignal
        ? `'${name}' is an attribute of signals; '${this.text(node.of.loc)}' is none.`
        : `'${this.text(node.of.loc)}' has no attribute '${name}'.`,
      "Check its spelling, or declare it.",
    );
    return this.bad(loc);
  }

  protected dimension(node: ExprNode & { kind: "attribute" }): number {
    if (!node.arg) return 1;
    return node.arg.kind === "number" ? Number(node.arg.value) : 1;
  }
  protected dimensionExpr(node: ExprNode & { kind: "attribute" }): Expr | null {
    return node.arg ? this.bind(node.arg, this.world.standard.integer) : null;
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
