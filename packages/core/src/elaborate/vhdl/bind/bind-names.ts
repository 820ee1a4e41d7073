import type { TextEdit } from "../../../common/finding.ts";
import { nearestName } from "../../../common/finding.ts";
import type { Loc } from "../../../common/source.ts";
import type { ExprNode, Ident } from "../../../hdl/vhdl/ast.ts";
import type { Decl, Expr, ObjectDecl } from "../bound.ts";
import type { Scope } from "../scope.ts";
import { errorType, type VType } from "../types.ts";
import type { Binder } from "./binder.ts";

/** What a name stands for, before overloads are resolved. */
export type Meaning = { readonly decls: readonly Decl[] } | { readonly value: Expr } | null;

/** What a name means where it stands (IEEE 1076-2008 clause 8). */
export class NameBinder {
  constructor(private readonly host: Binder) {}

  private undeclared(id: string, loc: Loc): void {
    if (this.host.silent) return;
    const shown = loc.file >= 0 ? this.host.report.sources.text(loc) : id;
    const home = this.host.world.packageOf(id);
    if (home) {
      this.host.error(
        "not-visible",
        loc,
        `'${shown}' is not visible here: it is declared in ${home}.`,
        `Add 'use ${home}.all;' before this design unit.`,
        this.host.world.useEdit(loc, home),
      );
      return;
    }
    const isOperator = id.startsWith('"') || id.startsWith("'");
    const near = isOperator || !this.host.report.suggests ? null : nearestName(id, this.host.scope.visibleNames());
    const edit = near && loc.file >= 0 ? this.replacement(loc, near) : undefined;
    this.host.error(
      "undeclared",
      loc,
      `'${shown}' is not declared.`,
      near ? `Did you mean '${near}'?` : "Declare it, or check its spelling.",
      edit,
    );
  }
  private replacement(loc: Loc, text: string): TextEdit {
    const { file, line, column, endLine, endColumn } = this.host.report.sources.place(loc);
    return { file: file!, label: `Write '${text}'`, line, column, endLine, endColumn, text };
  }

  /** What a name without brackets behind it may mean. */
  meaning(node: ExprNode): Meaning {
    switch (node.kind) {
      case "name":
      case "char": {
        const decls = this.host.scope.lookup(node.id);
        if (decls.length === 0) {
          this.undeclared(node.id, node.loc);
          return null;
        }
        if (decls.length === 1) this.host.world.note(node.loc, decls[0]);
        return { decls };
      }
      case "select": {
        const inside = node.of.kind === "name" ? this.insideOf(node.of.id, node.name.id) : null;
        if (inside) {
          if (inside.length === 1) this.host.world.note(node.name.loc, inside[0]);
          return { decls: [...inside] };
        }
        const of = this.meaning(node.of);
        if (!of) return null;
        if ("decls" in of) {
          const [first] = of.decls;
          if (first.kind === "library") {
            const unit = this.host.world.unitIn(first, node.name.id);
            if (unit) {
              this.host.world.note(node.name.loc, unit);
              return { decls: [unit] };
            }
            this.host.error(
              "unknown-unit",
              node.name.loc,
              `Library '${first.name}' has no unit '${node.name.id}'.`,
              this.nearText(node.name.id, first.units.keys(), "Check its name, or add its file to the design."),
            );
            return null;
          }
          if (first.kind === "package") first.load?.();
          const inner =
            first.kind === "package"
              ? first.scope
              : first.kind === "entity"
                ? first.scope
                : first.kind === "label"
                  ? first.scope
                  : null;
          if (inner) {
            const decls = inner.names.get(node.name.id);
            if (decls) {
              if (decls.length === 1) this.host.world.note(node.name.loc, decls[0]);
              return { decls };
            }
            this.host.error(
              "undeclared",
              node.name.loc,
              `'${first.name}' declares no '${node.name.id}'.`,
              this.nearText(node.name.id, inner.names.keys(), "Check its spelling."),
            );
            return null;
          }
        }
        const value = "value" in of ? of.value : this.host.exprs.valueOf(node.of, null);
        if (!value || value.type === errorType) return null;
        return this.field(value, node.name, node.loc);
      }
      default: {
        const value = this.host.exprs.bind(node, null);
        return value.type === errorType ? null : { value };
      }
    }
  }

  /** An expanded name whose prefix is an entity, architecture, process or subprogram that it stands within (8.3). */
  private insideOf(prefix: string, name: string): readonly Decl[] | null {
    const [outer] = this.host.scope.lookup(prefix);
    if (outer && (outer.kind === "signal" || outer.kind === "constant" || outer.kind === "variable")) return null;
    for (let scope: Scope | null = this.host.scope; scope; scope = scope.parent)
      if (scope.label === prefix) {
        const found = scope.names.get(name);
        if (found) return found;
      }
    return null;
  }

  nearText(name: string, names: Iterable<string>, otherwise: string): string {
    const near = nearestName(name, names);
    return near ? `Did you mean '${near}'?` : otherwise;
  }

  private field(of: Expr, name: Ident, loc: Loc): Meaning {
    const record = this.dereferenced(of);
    const { type } = record;
    if (type.kind === "record") {
      const at = type.fields.findIndex((each) => each.name === name.id);
      if (at >= 0) return { value: { op: "field", of: record, field: at, type: type.fields[at].subtype.type, loc } };
      this.host.error(
        "unknown-field",
        name.loc,
        `Record type '${type.name}' has no field '${name.id}'.`,
        this.nearText(
          name.id,
          type.fields.map((each) => each.name),
          "Check its spelling.",
        ),
      );
      return null;
    }
    if (type.kind === "protected") {
      const methods = type.methods.get(name.id);
      if (methods) return { decls: methods };
    }
    this.host.error(
      "no-fields",
      name.loc,
      `'${this.text(of.loc)}' is of type ${type.name}, which has no parts with names.`,
      "Only records have fields.",
    );
    return null;
  }

  text(loc: Loc): string {
    if (loc.file < 0) return "?";
    const text = this.host.report.sources.text(loc).replace(/\s+/g, " ");
    return text.length > 60 ? `${text.slice(0, 57)}...` : text;
  }

  /** An access value is followed where what it points to is meant. */
  dereferenced(expr: Expr): Expr {
    const { type } = expr;
    if (type.kind !== "access" || !type.of) return expr;
    return { op: "deref", of: expr, type: type.of.type, loc: expr.loc };
  }

  objectExpr(decl: ObjectDecl, loc: Loc): Expr {
    return { op: "object", decl, type: decl.subtype.type, loc };
  }

  typesOfDecl(decl: Decl): VType | null {
    switch (decl.kind) {
      case "constant":
      case "signal":
      case "variable":
      case "file":
      case "alias":
        return decl.subtype.type;
      case "literal":
      case "unit":
        return decl.type;
      case "sub":
        return decl.result && decl.params.every((_, i) => decl.defaults[i] !== null) ? decl.result.type : null;
      default:
        return null;
    }
  }
}
