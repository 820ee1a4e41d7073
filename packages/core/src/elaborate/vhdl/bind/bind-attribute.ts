import type { ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { AttributeDecl, Expr } from "../bound.ts";
import { errorType, isScalar, type Subtype, subtypeOf, universalInteger, type VType } from "../types.ts";
import { countOf } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Predefined attributes (16.2). */
export class AttributeBinder {
  constructor(private readonly host: Binder) {}

  /** Of a type or subtype (16.2.2 to 16.2.4). */
  private typeAttribute(
    node: ExprNode & { kind: "attribute" },
    mark: Subtype,
    wanted: VType | null,
    make: (type: VType, of: Expr | null, subtype: Subtype | null, arg?: Expr | null) => Expr,
  ): Expr {
    const { loc } = node;
    const name = node.name.id;
    const { integer, boolean, string } = this.host.world.standard;
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
        if (isScalar(type) && node.arg) return make(string, null, mark, this.host.exprs.bind(node.arg, type));
        break;
      case "value":
        if (isScalar(type) && node.arg) return make(type, null, mark, this.host.exprs.bind(node.arg, string));
        break;
      case "pos":
        if (isScalar(type) && node.arg)
          return make(
            wanted?.kind === "int" ? wanted : universalInteger,
            null,
            mark,
            this.host.exprs.bind(node.arg, type),
          );
        break;
      case "val":
        if (isScalar(type) && node.arg) {
          const types = this.host.candidates.types(node.arg);
          return make(type, null, mark, this.host.exprs.bind(node.arg, types[0]?.kind === "int" ? types[0] : integer));
        }
        break;
      case "succ":
      case "pred":
      case "leftof":
      case "rightof":
        if (isScalar(type) && node.arg) return make(type, null, mark, this.host.exprs.bind(node.arg, type));
        break;
    }
    this.host.error(
      "attribute",
      loc,
      `Type ${mark.name} has no attribute '${name}'${node.arg ? "" : " without a parameter"}.`,
      "Check its spelling.",
    );
    return this.host.bad(loc);
  }

  attribute(node: ExprNode & { kind: "attribute" }, wanted: VType | null): Expr {
    const { loc } = node;
    const name = node.name.id;
    const { boolean, string, bit } = this.host.world.standard;
    const meaning = node.of.kind === "name" || node.of.kind === "select" ? this.host.names.meaning(node.of) : null;
    if ((node.of.kind === "name" || node.of.kind === "select") && !meaning) return this.host.bad(loc);
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
    const declared = this.host.scope.lookup(name).find((each): each is AttributeDecl => each.kind === "attribute");
    if (declared && decl && this.host.world.attributeOf(decl, declared))
      return { op: "attribute", name, of: null, subtype: null, arg: null, decl, type: declared.subtype.type, loc };
    const nested =
      node.of.kind === "attribute" &&
      (node.of.name.id === "base" || node.of.name.id === "subtype" || node.of.name.id === "element")
        ? this.host.ranges.mark(node.of)
        : null;
    const mark = decl?.kind === "type" ? decl.subtype : nested;
    if (mark) return this.typeAttribute(node, mark, wanted, make);
    let of: Expr;
    if (meaning && "value" in meaning) of = meaning.value;
    else if (decl && (decl.kind === "entity" || decl.kind === "architecture" || decl.kind === "label"))
      of = this.host.bad(node.of.loc);
    else of = this.host.exprs.bind(node.of, null);
    if (of.type === errorType) {
      if (declared || decl?.kind === "entity" || decl?.kind === "architecture" || decl?.kind === "label")
        this.host.error(
          "attribute",
          loc,
          `'${this.host.names.text(node.of.loc)}' has no attribute '${name}'.`,
          "Give it one with an attribute specification.",
        );
      return this.host.bad(loc);
    }
    const isSignal = this.host.ranges.isSignal(of);
    switch (name) {
      case "left":
      case "right":
      case "high":
      case "low":
      case "range":
      case "reverse_range":
      case "length":
      case "ascending": {
        const array = this.host.names.dereferenced(of);
        if (array.type.kind === "array") {
          const index = array.type.indexes[this.dimension(node) - 1]?.type;
          if (!index) {
            this.host.error(
              "attribute",
              loc,
              `'${this.host.names.text(node.of.loc)}' has ${countOf(array.type.indexes.length, "dimension")} only.`,
              "Check the attribute's parameter.",
            );
            return this.host.bad(loc);
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
        if (isSignal) return make(this.host.world.standard.time, of, null);
        break;
      case "stable":
      case "quiet":
        if (isSignal)
          return make(
            boolean,
            of,
            null,
            node.arg ? this.host.exprs.bind(node.arg, this.host.world.standard.time) : null,
          );
        break;
      case "delayed":
        if (isSignal)
          return make(
            of.type,
            of,
            null,
            node.arg ? this.host.exprs.bind(node.arg, this.host.world.standard.time) : null,
          );
        break;
      case "transaction":
        if (isSignal) return make(bit, of, null);
        break;
    }
    const signalOnly = /^(event|active|last_|driving|stable|quiet|delayed|transaction)/.test(name);
    this.host.error(
      "attribute",
      loc,
      signalOnly && !isSignal
        ? `'${name}' is an attribute of signals; '${this.host.names.text(node.of.loc)}' is none.`
        : `'${this.host.names.text(node.of.loc)}' has no attribute '${name}'.`,
      "Check its spelling, or declare it.",
    );
    return this.host.bad(loc);
  }

  private dimension(node: ExprNode & { kind: "attribute" }): number {
    if (!node.arg) return 1;
    return node.arg.kind === "number" ? Number(node.arg.value) : 1;
  }
  private dimensionExpr(node: ExprNode & { kind: "attribute" }): Expr | null {
    return node.arg ? this.host.exprs.bind(node.arg, this.host.world.standard.integer) : null;
  }
}
