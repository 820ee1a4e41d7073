import type { Loc } from "../../../common/source.ts";
import type { ExprNode, GenericNode } from "../../../hdl/vhdl/ast.ts";
import type { BoundDecl, ConstantDecl, Subprogram } from "../bound.ts";
import { Scope, sameSignature } from "../scope.ts";
import { errorType, type Subtype, subtypeOf } from "../types.ts";
import type { Binder } from "./binder.ts";

/** Generics of packages and subprograms with what they are given (6.5.6, 6.5.7.2). */
export class GenericMaps {
  constructor(private readonly host: Binder) {}

  /** Generics of a package or subprogram, given their actuals: constants, types and subprograms of a new region. */
  bindGenerics(
    generics: readonly GenericNode[],
    actuals: readonly import("../../../hdl/vhdl/ast.ts").Association[],
    scope: Scope,
  ): BoundDecl[] {
    const outer = this.host.scope;
    const list: BoundDecl[] = [];
    generics.forEach((generic, i) => {
      const name = generic.kind === "genericsub" ? generic.spec.name.id : generic.name.id;
      const association =
        actuals.find((each) => each.formal?.kind === "name" && each.formal.id === name) ??
        (actuals[i]?.formal === null ? actuals[i] : undefined);
      const actual = association?.actual;
      if (generic.kind === "generictype") {
        const subtype =
          actual &&
          (actual.kind === "subtype"
            ? this.host.ranges.subtype(actual)
            : actual.kind !== "range"
              ? this.typeOfActual(actual)
              : null);
        if (!subtype) {
          this.host.error(
            "generic",
            association?.loc ?? generic.loc,
            `No type is given for generic '${name}'.`,
            `Write ${name} => type.`,
          );
          return;
        }
        scope.add({ kind: "type", name, loc: generic.name.loc, subtype });
        return;
      }
      if (generic.kind === "genericsub") {
        const made = this.host.decls.inScope(scope, () => this.host.subprograms.makeSubprogram(generic.spec, null));
        const source =
          actual && actual.kind !== "range" && actual.kind !== "subtype"
            ? actual
            : generic.fallback && generic.fallback !== "box"
              ? generic.fallback
              : null;
        const decls =
          source?.kind === "string"
            ? { decls: outer.lookup(`"${source.text.toLowerCase()}"`) }
            : source
              ? this.host.names.meaning(source)
              : { decls: outer.lookup(name) };
        const found =
          decls && "decls" in decls
            ? decls.decls.find((decl): decl is Subprogram => decl.kind === "sub" && sameSignature(decl, made))
            : undefined;
        const operator =
          source?.kind === "string"
            ? { id: `"${source.text.toLowerCase()}"`, loc: source.loc }
            : source?.kind === "name"
              ? source
              : null;
        const standard = found
          ? null
          : this.predefinedOperator(made, operator ?? (source ? null : generic.spec.name), scope);
        if (found) scope.add(found, name);
        else if (standard) scope.add(standard, name);
        else
          this.host.error(
            "generic",
            association?.loc ?? generic.loc,
            `No subprogram that fits is given for generic '${name}'.`,
            `Write ${name} => subprogram.`,
          );
        return;
      }
      const subtype =
        this.host.decls.inScope(scope, () => this.host.ranges.subtype(generic.type)) ?? subtypeOf(errorType);
      const given =
        actual && actual.kind !== "range" && actual.kind !== "subtype" && actual.kind !== "open"
          ? this.host.exprs.bind(actual, subtype.type)
          : null;
      const init =
        given ??
        (generic.init ? this.host.decls.inScope(scope, () => this.host.exprs.bind(generic.init!, subtype.type)) : null);
      if (!init)
        this.host.error(
          "generic",
          association?.loc ?? generic.loc,
          `Generic '${name}' has no value.`,
          `Write ${name} => value.`,
        );
      const decl: ConstantDecl = {
        kind: "constant",
        name,
        loc: generic.name.loc,
        subtype,
        init,
        role: "constant",
        full: null,
      };
      scope.add(decl);
      list.push(decl);
    });
    return list;
  }
  /** A subprogram that does what a predefined operator does. */
  private predefinedOperator(
    made: Subprogram,
    symbol: { readonly id: string; readonly loc: Loc } | null,
    around: Scope,
  ): Subprogram | null {
    if (!symbol?.id.startsWith('"') || !made.result) return null;
    const { loc } = symbol;
    const scope = new Scope(around);
    for (const param of made.params) scope.add(param);
    const [left, right] = made.params.map((param): ExprNode => ({ kind: "name", id: param.name, loc }));
    if (!left || made.params.length > 2) return null;
    const op = symbol.id.slice(1, -1);
    const node: ExprNode = right
      ? { kind: "binary", op, left, right, opLoc: loc, loc }
      : { kind: "unary", op, arg: left, opLoc: loc, loc };
    const value = this.host.decls.inScope(scope, () => this.host.exprs.bind(node, made.result!.type));
    if (value.type === errorType) return null;
    made.body = { params: made.params, decls: [], stmts: [{ op: "return", value, loc }] };
    return made;
  }
  private typeOfActual(node: ExprNode): Subtype | null {
    if (node.kind === "apply") {
      // std_logic_vector(7 downto 0)
      const ranges = node.args.map((arg) => arg.actual);
      return this.host.ranges.subtype({
        kind: "subtype",
        mark: node.of,
        resolution: null,
        constraint: { kind: "array", ranges, element: null, loc: node.loc },
        loc: node.loc,
      });
    }
    return this.host.ranges.mark(node);
  }
}
