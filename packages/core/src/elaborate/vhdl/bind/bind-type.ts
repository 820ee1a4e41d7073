import type { Loc } from "../../../common/source.ts";
import type { DeclNode, TypeDefinition } from "../../../hdl/vhdl/ast.ts";
import type { BoundDecl, EnumLiteral, Expr, Subprogram, TypeDecl } from "../bound.ts";
import { Scope } from "../scope.ts";
import {
  type AccessType,
  type ArrayType,
  type EnumType,
  errorType,
  type ProtectedType,
  type RecordType,
  type Subtype,
  subtypeOf,
  type VType,
} from "../types.ts";
import type { Binder } from "./binder.ts";

/** Value of an expression of literals alone, for ranges of types; null if it is none. */
function literalValue(expr: Expr): number | null {
  switch (expr.op) {
    case "literal":
      return expr.value;
    case "builtin": {
      const args = expr.args.map(literalValue);
      if (args.some((arg) => arg === null)) return null;
      const [a, b] = args as number[];
      switch (expr.name) {
        case "neg":
          return -a;
        case "plus":
          return a;
        case "+":
          return a + b;
        case "-":
          return a - b;
        case "*":
          return a * b;
        case "/":
          return b === 0 ? null : expr.type.kind === "real" ? a / b : Math.trunc(a / b);
        case "**":
          return a ** b;
        default:
          return null;
      }
    }
    case "attribute": {
      const { subtype, name } = expr;
      if (!subtype || expr.arg) return null;
      const { type } = subtype;
      if (type.kind !== "int" && type.kind !== "real") return null;
      if (subtype.constraint) return null;
      return name === "high" || (name === "right" && !(type.kind === "int" && type.descending)) ? type.high : type.low;
    }
    case "object":
      return expr.decl.kind === "constant" && expr.decl.init ? literalValue(expr.decl.init) : null;
    case "convert":
    case "qualified":
      return literalValue(expr.arg);
    default:
      return null;
  }
}

/** Type declarations (clause 5). */
export class TypeBinder {
  constructor(private readonly host: Binder) {}

  typeDecl(node: DeclNode & { kind: "type" }): BoundDecl[] {
    const name = node.name.id;
    const { def } = node;
    const old = this.host.scope.names.get(name)?.[0];
    if (def.kind === "protectedbody") {
      const decl = old ?? this.host.scope.lookup(name)[0];
      if (decl?.kind !== "type" || decl.subtype.type.kind !== "protected") {
        this.host.error(
          "protected",
          node.name.loc,
          `There is no protected type '${name}' for this body.`,
          "Declare the type first.",
        );
        return [];
      }
      this.protectedBody(decl.subtype.type, def);
      return [];
    }
    if (
      old?.kind === "type" &&
      old.subtype.type.kind === "any" &&
      old.subtype.type.of === "error" &&
      def.kind !== "incomplete"
    ) {
      // the full declaration of an incomplete type: access types that point to it learn of it
      const made = this.definition(name, def, node.name.loc);
      if (!made) return [];
      for (const pointer of this.waiting.get(old) ?? []) pointer.of = made;
      this.waiting.delete(old);
      old.subtype = made;
      return [old];
    }
    if (def.kind === "incomplete") {
      const decl: TypeDecl = { kind: "type", name, loc: node.name.loc, subtype: { ...subtypeOf(errorType), name } };
      this.waiting.set(decl, []);
      this.host.decls.declare(decl);
      return [];
    }
    if (def.kind === "protected") {
      const type: ProtectedType = { kind: "protected", name, methods: new Map(), body: null };
      const decl: TypeDecl = { kind: "type", name, loc: node.name.loc, subtype: subtypeOf(type) };
      this.host.decls.declare(decl);
      const scope = new Scope(this.host.scope);
      this.host.decls.inScope(scope, () => {
        for (const item of def.items)
          if (item.kind === "subprogram") {
            const sub = this.host.subprograms.makeSubprogram(item.spec, null, type);
            const list = type.methods.get(sub.name);
            if (list) list.push(sub);
            else type.methods.set(sub.name, [sub]);
          }
      });
      return [decl];
    }
    const made = this.definition(name, def, node.name.loc);
    const decl: TypeDecl = { kind: "type", name, loc: node.name.loc, subtype: made ?? subtypeOf(errorType) };
    this.host.decls.declare(decl);
    return [decl];
  }
  private readonly waiting = new Map<TypeDecl, AccessType[]>();

  private definition(name: string, def: TypeDefinition, loc: Loc): Subtype | null {
    switch (def.kind) {
      case "enum": {
        const literals: EnumLiteral[] = [];
        const type: EnumType = { kind: "enum", name, literals, packing: null, loc };
        def.literals.forEach((each, pos) => {
          const literal: EnumLiteral = { kind: "literal", name: each.id, loc: each.loc, type, pos };
          literals.push(literal);
          this.host.decls.declare(literal);
        });
        type.packing = this.packing(type);
        return subtypeOf(type);
      }
      case "rangetype": {
        const range =
          def.range.kind === "range"
            ? this.host.ranges.range(def.range, null)
            : this.host.ranges.discrete(def.range, null);
        if (range?.kind !== "bounds") return null;
        const left = literalValue(range.left);
        const right = literalValue(range.right);
        if (range.type.kind === "real") {
          const type: VType = {
            kind: "real",
            name,
            universal: false,
            low: Math.min(left ?? -Number.MAX_VALUE, right ?? -Number.MAX_VALUE),
            high: Math.max(left ?? Number.MAX_VALUE, right ?? Number.MAX_VALUE),
          };
          return subtypeOf(type);
        }
        if (range.type.kind !== "int") {
          this.host.error(
            "range",
            range.loc,
            "The range of a number type is of whole or real numbers.",
            "Write a to b with numbers.",
          );
          return null;
        }
        const known = left !== null && right !== null;
        const type: VType = {
          kind: "int",
          name,
          universal: false,
          low: known ? Math.min(left, right) : -(2 ** 31),
          high: known ? Math.max(left, right) : 2 ** 31 - 1,
          descending: range.descending,
        };
        if (known) return subtypeOf(type);
        // bounds that elaboration will know
        const parent = subtypeOf(type);
        return { ...parent, parent, constraint: { kind: "range", range: { ...range, type } } };
      }
      case "physicaltype": {
        const units = new Map<string, number>();
        const type: VType = {
          kind: "physical",
          name,
          units,
          base: def.base.id,
          isTime: name === "time" && this.host.decls.home?.name === "standard",
        };
        const unit = (id: string, scale: number, at: Loc) => {
          units.set(id, scale);
          this.host.decls.declare({ kind: "unit", name: id, loc: at, type, scale });
        };
        unit(def.base.id, 1, def.base.loc);
        for (const each of def.units) {
          const value = this.host.exprs.bind(each.value, type);
          unit(each.name.id, literalValue(value) ?? 1, each.name.loc);
        }
        return subtypeOf(type);
      }
      case "arraytype": {
        const element = this.host.ranges.subtype(def.element);
        if (!element) return null;
        if (def.open) {
          const indexes = def.indexes.map((each) => {
            if (each.kind === "range" || each.kind === "subtype") return null;
            return this.host.ranges.mark(each);
          });
          if (indexes.some((each) => each === null)) return null;
          const type: ArrayType = { kind: "array", name, indexes: indexes as Subtype[], element };
          this.host.world.addArray(type);
          return subtypeOf(type);
        }
        const ranges = def.indexes.map((each) => this.host.ranges.discrete(each, null));
        if (ranges.some((each) => each === null)) return null;
        const type: ArrayType = {
          kind: "array",
          name,
          indexes: ranges.map((range) => (range!.kind === "subtype" ? range!.subtype : subtypeOf(range!.type))),
          element,
        };
        this.host.world.addArray(type);
        const parent = subtypeOf(type);
        return { ...parent, parent, constraint: { kind: "array", ranges, element: null, loc: def.loc } };
      }
      case "recordtype": {
        const type: RecordType = { kind: "record", name, fields: [] };
        for (const field of def.fields) {
          const subtype = this.host.ranges.subtype(field.type) ?? subtypeOf(errorType);
          if (type.fields.some((each) => each.name === field.name.id))
            this.host.error(
              "duplicate",
              field.name.loc,
              `Field '${field.name.id}' is declared twice.`,
              "Give one of them another name.",
            );
          type.fields.push({ name: field.name.id, subtype, loc: field.name.loc });
        }
        return subtypeOf(type);
      }
      case "accesstype": {
        const type: AccessType = { kind: "access", name, of: null };
        const [decl] = def.of.mark.kind === "name" ? this.host.scope.lookup(def.of.mark.id) : [];
        const list = decl?.kind === "type" ? this.waiting.get(decl) : undefined;
        if (list) list.push(type);
        else type.of = this.host.ranges.subtype(def.of);
        return subtypeOf(type);
      }
      case "filetype": {
        const of = this.host.ranges.mark(def.of);
        return of && subtypeOf({ kind: "file", name, of });
      }
      default:
        return null;
    }
  }

  /** The two-valued types and nine-valued logic have arrays of bits; characters have strings. */
  private packing(type: EnumType): EnumType["packing"] {
    const names = type.literals.map((each) => each.name).join("");
    if (this.host.decls.home?.name === "standard") {
      if (type.name === "boolean" || type.name === "bit") return "bit";
      if (type.name === "character") return "char";
    }
    if (this.host.decls.home?.name === "std_logic_1164" && names === "'U''X''0''1''Z''W''L''H''-'") return "logic";
    return null;
  }

  private protectedBody(type: ProtectedType, def: TypeDefinition & { kind: "protectedbody" }): void {
    const scope = new Scope(this.host.scope);
    for (const [name, subs] of type.methods) for (const sub of subs) scope.add(sub, name);
    const nested = this.host.decls.nested;
    const owner = this.owner;
    this.host.decls.nested = true;
    this.owner = type;
    this.host.decls.inScope(scope, () => {
      const decls = this.host.decls.declarations(def.items);
      type.body = { decls, subprograms: decls.filter((decl): decl is Subprogram => decl.kind === "sub") };
    });
    this.host.decls.nested = nested;
    this.owner = owner;
  }
  /** The protected type whose body is read: its subprograms see the variables of one object. */
  owner: ProtectedType | undefined = undefined;
}
