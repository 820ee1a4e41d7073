import type { Association, ExprNode, RangeNode, SubtypeNode } from "../../../hdl/vhdl/ast.ts";
import type { Subprogram } from "../bound.ts";
import { isCharacters, isScalar, type VType } from "../types.ts";
import type { Meaning } from "./bind-names.ts";
import type { Binder } from "./binder.ts";

/** Readings of calls of subprograms and of what looks like them. */
export class CallReadings {
  constructor(private readonly host: Binder) {}

  /** Actuals in the order of the parameters; null if they do not fit by number and name. */
  match(sub: Subprogram, args: readonly Association[]): (Association | null)[] | null {
    if (args.length > sub.params.length) return null;
    const list: (Association | null)[] = sub.params.map(() => null);
    for (let i = 0; i < args.length; i++) {
      const arg = args[i];
      let at = i;
      if (arg.formal) {
        const formal = arg.formal;
        if (formal.kind !== "name") return null;
        at = sub.params.findIndex((param) => param.name === formal.id);
        if (at < 0) return null;
      }
      if (list[at]) return null;
      list[at] = arg;
    }
    if (list.some((arg, i) => (arg === null || arg.actual.kind === "open") && sub.defaults[i] === null)) return null;
    return list;
  }

  isCallable(sub: Subprogram, args: readonly Association[]): boolean {
    const matched = this.match(sub, args);
    return (
      matched?.every(
        (arg, i) =>
          arg === null ||
          arg.actual.kind === "open" ||
          this.host.candidates.nodeFits(arg.actual, sub.params[i].subtype.type),
      ) ?? false
    );
  }

  /** Results that `f(x)` may have: of calls, of conversions, of elements and slices. */
  callReadings(node: ExprNode & { kind: "apply" }): { readonly result: VType }[] {
    const meaning =
      node.of.kind === "name" || node.of.kind === "select"
        ? this.calledMeaning(node.of)
        : ({ types: this.host.candidates.types(node.of) } as const);
    if (!meaning) return [];
    const list: { result: VType }[] = [];
    const indexed = (type: VType) => {
      const result = this.indexedType(type, node.args);
      if (result) list.push({ result });
    };
    if ("types" in meaning) {
      for (const type of meaning.types) indexed(type);
      return list;
    }
    if ("value" in meaning) {
      indexed(meaning.value.type);
      return list;
    }
    for (const decl of meaning.decls) {
      if (decl.kind === "type") return [{ result: decl.subtype.type }];
      if (decl.kind === "sub") {
        if (decl.result && this.isCallable(decl, node.args)) list.push({ result: decl.result.type });
        else if (decl.result && decl.params.every((_, i) => decl.defaults[i] !== null)) indexed(decl.result.type);
      } else {
        const type = this.host.names.typesOfDecl(decl);
        if (type) indexed(type);
      }
    }
    if (list.length === 0) {
      const builtin = this.builtinCall(node);
      if (builtin) list.push({ result: builtin.result });
    }
    return list;
  }

  /** As `meaning`; functions that types have of themselves need no declaration. */
  calledMeaning(node: ExprNode): Meaning {
    if (
      node.kind === "name" &&
      /^(minimum|maximum|endfile|to_string)$/.test(node.id) &&
      this.host.scope.lookup(node.id).length === 0
    )
      return { decls: [] };
    return this.host.names.meaning(node);
  }

  /** Functions that every type has of itself: `minimum`, `maximum`, `to_string`, and those of files. */
  builtinCall(node: ExprNode & { kind: "apply" }): { name: string; result: VType; args: VType[] } | null {
    if (node.of.kind !== "name") return null;
    const { id } = node.of;
    const actuals = node.args.map((arg) => arg.actual);
    if (actuals.some((each) => each.kind === "range" || each.kind === "subtype")) return null;
    const nodes = actuals as ExprNode[];
    if ((id === "minimum" || id === "maximum") && nodes.length === 2) {
      const [reading] = this.host.operators.binaryReadings(
        "<",
        this.host.candidates.types(nodes[0]),
        this.host.candidates.types(nodes[1]),
      );
      if (reading) return { name: id, result: reading.args[0], args: [...reading.args] };
    }
    if ((id === "minimum" || id === "maximum") && nodes.length === 1) {
      const [type] = this.host.candidates.types(nodes[0]);
      if (type?.kind === "array" && isScalar(type.element.type))
        return { name: id, result: type.element.type, args: [type] };
    }
    if (id === "to_string" && nodes.length === 1) {
      const [type] = this.host.candidates.types(nodes[0]);
      if (type && (isScalar(type) || isCharacters(type)))
        return { name: "to_string", result: this.host.world.standard.string, args: [type] };
    }
    if (id === "endfile" && nodes.length === 1) {
      const [type] = this.host.candidates.types(nodes[0]);
      if (type?.kind === "file") return { name: "endfile", result: this.host.world.standard.boolean, args: [type] };
    }
    return null;
  }

  indexedType(from: VType, args: readonly Association[]): VType | null {
    const type = from.kind === "access" && from.of ? from.of.type : from;
    if (type.kind !== "array" || args.some((arg) => arg.formal)) return null;
    if (args.length === 1 && this.isRange(args[0].actual)) return type.indexes.length === 1 ? type : null;
    if (args.length !== type.indexes.length) return null;
    return args.every((arg, i) => this.host.candidates.nodeFits(arg.actual, type.indexes[i].type))
      ? type.element.type
      : null;
  }

  /** A slice's range: written out, a range attribute, or the name of a subtype. */
  isRange(node: ExprNode | RangeNode | SubtypeNode): boolean {
    if (node.kind === "range" || node.kind === "subtype") return true;
    if (node.kind === "attribute") return node.name.id === "range" || node.name.id === "reverse_range";
    if (node.kind === "name" || node.kind === "select") {
      const meaning = this.host.candidates.quiet(() => this.host.names.meaning(node));
      return meaning !== null && "decls" in meaning && meaning.decls[0].kind === "type";
    }
    return false;
  }

  unit(node: ExprNode): { type: VType; scale: number } | null {
    const meaning = this.host.names.meaning(node);
    if (meaning && "decls" in meaning) {
      const unit = meaning.decls.find((decl) => decl.kind === "unit");
      if (unit?.kind === "unit") return unit;
    }
    if (meaning)
      this.host.error(
        "unit",
        node.loc,
        `'${this.host.names.text(node.loc)}' is no unit.`,
        "Units of time are fs, ps, ns, us, ms, sec, min and hr.",
      );
    return null;
  }
}
