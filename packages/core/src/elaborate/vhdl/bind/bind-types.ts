import type { TextEdit } from "../../../common/finding.ts";
import { nearestName } from "../../../common/finding.ts";
import type { Loc } from "../../../common/source.ts";
import type { Association, ExprNode, Ident, RangeNode, SubtypeNode } from "../../../hdl/vhdl/ast.ts";
import type { Report } from "../../report.ts";
import type { Decl, Expr, ObjectDecl, PredefinedOp, Subprogram } from "../bound.ts";
import type { Scope } from "../scope.ts";
import {
  type ArrayType,
  anyAggregate,
  anyNull,
  errorType,
  isCharacters,
  isDiscrete,
  isScalar,
  type Subtype,
  universalInteger,
  universalReal,
  type VType,
} from "../types.ts";
import type { World } from "../world.ts";
import { distinct } from "./bind-words.ts";

/** What a name stands for, before overloads are resolved. */
export type Meaning = { readonly decls: readonly Decl[] } | { readonly value: Expr } | null;

/** One way to read an operator or a call. */
export interface Reading {
  readonly sub: Subprogram | null;
  readonly op: PredefinedOp | null;
  readonly args: readonly VType[];
  readonly result: VType;
}

const logicalOps = new Set(["and", "or", "nand", "nor", "xor", "xnor"]);
const shiftOps = new Set(["sll", "srl", "sla", "sra", "rol", "ror"]);

/** What names mean, and which types an expression may have: upwards, from its parts. */
export abstract class TypeFinder {
  protected memo = new Map<ExprNode, readonly VType[]>();
  protected silent = 0;

  constructor(
    readonly world: World,
    readonly report: Report,
    public scope: Scope,
  ) {}

  /** Forgets candidate types: called between statements, since nodes of one are not looked at again. */
  protected forget(): void {
    if (this.memo.size) this.memo = new Map();
  }

  error(code: string, loc: Loc, message: string, remedy: string, edit?: TextEdit): void {
    if (this.silent || loc.file < 0) return;
    this.report.error(`vhdl/${code}`, loc, message, remedy, edit ? { edit } : {});
  }
  warn(code: string, loc: Loc, message: string, remedy: string): void {
    if (this.silent || loc.file < 0) return;
    this.report.warn(`vhdl/${code}`, loc, message, remedy);
  }

  abstract bind(node: ExprNode, wanted: VType | null): Expr;
  protected abstract valueOf(node: ExprNode, wanted: VType | null): Expr | null;
  protected abstract allocated(node: ExprNode | SubtypeNode): { subtype: Subtype; init: Expr | null } | null;

  // ---- names ----------------------------------------------------------------------------------------------------

  bad(loc: Loc, type: VType = errorType): Expr {
    return { op: "bad", type, loc };
  }

  protected undeclared(id: string, loc: Loc): void {
    if (this.silent) return;
    const shown = loc.file >= 0 ? this.report.sources.text(loc) : id;
    const home = this.world.packageOf(id);
    if (home) {
      this.error(
        "not-visible",
        loc,
        `'${shown}' is not visible here: it is declared in ${home}.`,
        `Add 'use ${home}.all;' before this design unit.`,
        this.world.useEdit(loc, home),
      );
      return;
    }
    const isOperator = id.startsWith('"') || id.startsWith("'");
    const near = isOperator || !this.report.suggests ? null : nearestName(id, this.scope.visibleNames());
    const edit = near && loc.file >= 0 ? this.replacement(loc, near) : undefined;
    this.error(
      "undeclared",
      loc,
      `'${shown}' is not declared.`,
      near ? `Did you mean '${near}'?` : "Declare it, or check its spelling.",
      edit,
    );
  }
  protected replacement(loc: Loc, text: string): TextEdit {
    const { file, line, column, endLine, endColumn } = this.report.sources.place(loc);
    return { file: file!, label: `Write '${text}'`, line, column, endLine, endColumn, text };
  }

  /** What a name without brackets behind it may mean. */
  meaning(node: ExprNode): Meaning {
    switch (node.kind) {
      case "name":
      case "char": {
        const decls = this.scope.lookup(node.id);
        if (decls.length === 0) {
          this.undeclared(node.id, node.loc);
          return null;
        }
        if (decls.length === 1) this.world.note(node.loc, decls[0]);
        return { decls };
      }
      case "select": {
        const inside = node.of.kind === "name" ? this.insideOf(node.of.id, node.name.id) : null;
        if (inside) {
          if (inside.length === 1) this.world.note(node.name.loc, inside[0]);
          return { decls: [...inside] };
        }
        const of = this.meaning(node.of);
        if (!of) return null;
        if ("decls" in of) {
          const [first] = of.decls;
          if (first.kind === "library") {
            const unit = this.world.unitIn(first, node.name.id);
            if (unit) {
              this.world.note(node.name.loc, unit);
              return { decls: [unit] };
            }
            this.error(
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
              if (decls.length === 1) this.world.note(node.name.loc, decls[0]);
              return { decls };
            }
            this.error(
              "undeclared",
              node.name.loc,
              `'${first.name}' declares no '${node.name.id}'.`,
              this.nearText(node.name.id, inner.names.keys(), "Check its spelling."),
            );
            return null;
          }
        }
        const value = "value" in of ? of.value : this.valueOf(node.of, null);
        if (!value || value.type === errorType) return null;
        return this.field(value, node.name, node.loc);
      }
      default: {
        const value = this.bind(node, null);
        return value.type === errorType ? null : { value };
      }
    }
  }

  /** An expanded name whose prefix is an entity, architecture, process or subprogram that it stands within (8.3). */
  private insideOf(prefix: string, name: string): readonly Decl[] | null {
    const [outer] = this.scope.lookup(prefix);
    if (outer && (outer.kind === "signal" || outer.kind === "constant" || outer.kind === "variable")) return null;
    for (let scope: Scope | null = this.scope; scope; scope = scope.parent)
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

  protected field(of: Expr, name: Ident, loc: Loc): Meaning {
    const record = this.dereferenced(of);
    const { type } = record;
    if (type.kind === "record") {
      const at = type.fields.findIndex((each) => each.name === name.id);
      if (at >= 0) return { value: { op: "field", of: record, field: at, type: type.fields[at].subtype.type, loc } };
      this.error(
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
    this.error(
      "no-fields",
      name.loc,
      `'${this.text(of.loc)}' is of type ${type.name}, which has no parts with names.`,
      "Only records have fields.",
    );
    return null;
  }

  text(loc: Loc): string {
    if (loc.file < 0) return "?";
    const text = this.report.sources.text(loc).replace(/\s+/g, " ");
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

  protected typesOfDecl(decl: Decl): VType | null {
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

  // ---- candidate types ------------------------------------------------------------------------------------------

  /** Types that an expression may have by itself. Tells no mistakes but unknown names; empty if there is one. */
  types(node: ExprNode): readonly VType[] {
    const known = this.memo.get(node);
    if (known) return known;
    // a long chain of operators goes down to the left: it is worked out from there, so that nothing is as deep as it is long
    if (node.kind === "binary") {
      const chain: ExprNode[] = [];
      for (let at = node.left; at.kind === "binary" && !this.memo.has(at); at = at.left) chain.push(at);
      for (let i = chain.length - 1; i >= 0; i--) this.memo.set(chain[i], this.findTypes(chain[i]));
    }
    const found = this.findTypes(node);
    this.memo.set(node, found);
    return found;
  }

  protected findTypes(node: ExprNode): readonly VType[] {
    switch (node.kind) {
      case "name":
      case "char":
      case "select": {
        const meaning = this.meaning(node);
        if (!meaning) return [];
        if ("value" in meaning) return [meaning.value.type];
        return distinct(meaning.decls.map((decl) => this.typesOfDecl(decl)).filter((type) => type !== null));
      }
      case "string":
        return [{ kind: "any", name: `"${node.text}"`, of: "string", text: node.text }];
      case "number":
        return [node.isReal ? universalReal : universalInteger];
      case "physical": {
        const unit = this.unit(node.unit);
        return unit ? [unit.type] : [];
      }
      case "apply":
        return distinct(this.callReadings(node).map((reading) => reading.result));
      case "unary":
        return distinct(this.readings(node.op, [node.arg]).map((reading) => reading.result));
      case "binary":
        return distinct(this.readings(node.op, [node.left, node.right]).map((reading) => reading.result));
      case "aggregate":
        return [anyAggregate];
      case "null":
        return [anyNull];
      case "open":
      case "bad":
        return [];
      case "new": {
        const value = this.quiet(() => this.allocated(node.value));
        return value ? [{ kind: "any", name: "new", of: "new", text: "" }] : [];
      }
      default: {
        const value = this.bind(node, null);
        return value.type === errorType ? [] : [value.type];
      }
    }
  }

  quiet<T>(run: () => T): T {
    this.silent++;
    try {
      return run();
    } finally {
      this.silent--;
    }
  }

  /** Whether a candidate can be taken where `wanted` is needed (9.3.6: implicit conversion of universal types). */
  fits(candidate: VType, wanted: VType): boolean {
    if (candidate === wanted) return true;
    if (wanted.kind === "any") return candidate.kind === "any" || wanted.of === "error";
    switch (candidate.kind) {
      case "int":
        return candidate.universal && wanted.kind === "int";
      case "real":
        return candidate.universal && wanted.kind === "real";
      case "any":
        if (candidate.of === "string") {
          if (!isCharacters(wanted)) return false;
          const { type } = wanted.element;
          if (type.kind !== "enum") return false;
          const names = this.world.charactersOf(type);
          return [...candidate.text!].every((c) => names.has(c));
        }
        if (candidate.of === "aggregate") return wanted.kind === "array" || wanted.kind === "record";
        if (candidate.of === "null" || candidate.of === "new") return wanted.kind === "access";
        return true;
      default:
        return false;
    }
  }
  nodeFits(node: ExprNode | RangeNode | SubtypeNode, wanted: VType): boolean {
    if (node.kind === "range" || node.kind === "subtype") return false;
    return this.types(node).some((type) => this.fits(type, wanted));
  }

  // ---- operators ------------------------------------------------------------------------------------------------

  /** All ways to read an operator with these operands. */
  protected readings(op: string, args: readonly ExprNode[]): Reading[] {
    const lists = args.map((arg) => this.types(arg));
    if (lists.some((list) => list.length === 0)) return [];
    const found: Reading[] = [];
    for (const decl of this.scope.lookup(`"${op}"`)) {
      if (decl.kind !== "sub" || !decl.result || decl.params.length !== args.length) continue;
      const { params } = decl;
      if (lists.every((list, i) => list.some((type) => this.fits(type, params[i].subtype.type))))
        found.push({ sub: decl, op: null, args: params.map((each) => each.subtype.type), result: decl.result.type });
    }
    const implicit = args.length === 1 ? this.unaryReadings(op, lists[0]) : this.binaryReadings(op, lists[0], lists[1]);
    // an explicit declaration takes the place of the predefined one
    for (const reading of implicit)
      if (!found.some((each) => each.args.every((type, i) => type === reading.args[i]))) found.push(reading);
    return found;
  }

  protected unaryReadings(op: string, types: readonly VType[]): Reading[] {
    const { boolean, bit } = this.world.standard;
    const list: Reading[] = [];
    const isLogic = (type: VType) => type === boolean || type === bit;
    for (const type of types) {
      const isArray = type.kind === "array" && type.indexes.length === 1 && isLogic(type.element.type);
      if (op === "-" || op === "+" || op === "abs") {
        if (type.kind === "int" || type.kind === "real" || type.kind === "physical")
          list.push({ sub: null, op: op === "-" ? "neg" : op === "+" ? "plus" : "abs", args: [type], result: type });
      } else if (op === "not") {
        if (isLogic(type) || isArray) list.push({ sub: null, op: "not", args: [type], result: type });
      } else if (op === "??") {
        if (type === bit) list.push({ sub: null, op: "??", args: [type], result: boolean });
      } else if (logicalOps.has(op) && isArray) {
        const element = (type as ArrayType).element.type;
        list.push({ sub: null, op: op as PredefinedOp, args: [type], result: element });
      }
    }
    return list;
  }

  protected binaryReadings(op: string, left: readonly VType[], right: readonly VType[]): Reading[] {
    const { boolean, bit, integer, natural } = this.world.standard;
    const list: Reading[] = [];
    const add = (l: VType, r: VType, result: VType) =>
      list.push({ sub: null, op: op as PredefinedOp, args: [l, r], result });
    const isLogic = (type: VType) => type === boolean || type === bit;
    const isLogicArray = (type: VType): type is ArrayType =>
      type.kind === "array" && type.indexes.length === 1 && isLogic(type.element.type);
    /** Types that both sides may have at once. */
    const common = (): VType[] => {
      const found: VType[] = [];
      for (const l of left)
        for (const r of right) {
          if (l === r && l.kind !== "any") found.push(l);
          else if (l.kind !== "any" && this.fits(r, l)) found.push(l);
          else if (r.kind !== "any" && this.fits(l, r)) found.push(r);
        }
      if (found.length === 0 && left.some((l) => l.kind === "any" && l.of === "string"))
        if (right.some((r) => r.kind === "any" && r.of === "string")) found.push(this.world.standard.string);
      return distinct(found);
    };
    if (logicalOps.has(op)) {
      for (const type of common()) if (isLogic(type) || isLogicArray(type)) add(type, type, type);
      for (const l of left)
        if (isLogicArray(l) && right.some((r) => this.fits(r, l.element.type))) add(l, l.element.type, l);
      for (const r of right)
        if (isLogicArray(r) && left.some((l) => this.fits(l, r.element.type))) add(r.element.type, r, r);
      return list;
    }
    switch (op) {
      case "=":
      case "/=":
        for (const type of common()) if (type.kind !== "file" && type.kind !== "protected") add(type, type, boolean);
        return list;
      case "<":
      case "<=":
      case ">":
      case ">=":
        for (const type of common())
          if (isScalar(type) || (type.kind === "array" && type.indexes.length === 1 && isDiscrete(type.element.type)))
            add(type, type, boolean);
        return list;
      case "?=":
      case "?/=":
        for (const type of common())
          if (type === bit || (isLogicArray(type) && type.element.type === bit)) add(type, type, bit);
        return list;
      case "+":
      case "-":
        for (const type of common())
          if (type.kind === "int" || type.kind === "real" || type.kind === "physical") add(type, type, type);
        return list;
      case "mod":
      case "rem":
        for (const type of common()) if (type.kind === "int" || type.kind === "physical") add(type, type, type);
        return list;
      case "*":
      case "/":
        return this.productReadings(op, left, right, common());
      case "**":
        for (const l of left)
          if ((l.kind === "int" || l.kind === "real") && right.some((r) => this.fits(r, integer))) add(l, natural, l);
        return list;
      case "&":
        return this.joiningReadings(left, right);
      default:
        if (shiftOps.has(op))
          for (const l of left) if (isLogicArray(l) && right.some((r) => this.fits(r, integer))) add(l, integer, l);
        return list;
    }
  }

  /** @param common Types that both sides may have at once. */
  private productReadings(
    op: "*" | "/",
    left: readonly VType[],
    right: readonly VType[],
    common: readonly VType[],
  ): Reading[] {
    const { integer, real } = this.world.standard;
    const list: Reading[] = [];
    const add = (l: VType, r: VType, result: VType) => list.push({ sub: null, op: op, args: [l, r], result });
    for (const type of common)
      if (type.kind === "int" || type.kind === "real") add(type, type, type);
      else if (type.kind === "physical" && op === "/") add(type, type, universalInteger);
    for (const l of left)
      for (const r of right) {
        if (l.kind === "physical" && this.fits(r, integer)) add(l, integer, l);
        if (l.kind === "physical" && this.fits(r, real)) add(l, real, l);
        if (op === "*" && r.kind === "physical" && this.fits(l, integer)) add(integer, r, r);
        if (op === "*" && r.kind === "physical" && this.fits(l, real)) add(real, r, r);
        if (l === universalReal && r === universalInteger) add(l, r, universalReal);
        if (op === "*" && l === universalInteger && r === universalReal) add(l, r, universalReal);
      }
    return list;
  }

  private joiningReadings(left: readonly VType[], right: readonly VType[]): Reading[] {
    const list: Reading[] = [];
    const add = (l: VType, r: VType, result: VType) => list.push({ sub: null, op: "&", args: [l, r], result });
    const seen = new Set<VType>();
    const concat = (type: VType): type is ArrayType =>
      type.kind === "array" && type.indexes.length === 1 && !seen.has(type) && Boolean(seen.add(type));
    const fitsSide = (types: readonly VType[], type: VType) => types.some((each) => this.fits(each, type));
    const all = [...left, ...right].filter(concat) as ArrayType[];
    const forType = (type: ArrayType) => {
      const element = type.element.type;
      const l = fitsSide(left, type) ? type : fitsSide(left, element) ? element : null;
      const r = fitsSide(right, type) ? type : fitsSide(right, element) ? element : null;
      if (l && r) add(l, r, type);
    };
    for (const type of all) forType(type);
    // two string literals are one longer literal, of whatever type is wanted
    for (const l of left)
      for (const r of right)
        if (l.kind === "any" && l.of === "string" && r.kind === "any" && r.of === "string") {
          const text = l.text! + r.text!;
          const joined: VType = { kind: "any", name: `"${text}"`, of: "string", text };
          return [{ sub: null, op: "&", args: [joined, joined], result: joined }];
        }
    // two elements or literals: any array type of them that is known here
    for (const type of this.world.arrayTypes(this.scope, [...left, ...right])) if (!seen.has(type)) forType(type);
    if (list.length === 0 && !seen.has(this.world.standard.string)) forType(this.world.standard.string);
    return list;
  }

  // ---- calls ----------------------------------------------------------------------------------------------------

  /** Actuals in the order of the parameters; null if they do not fit by number and name. */
  protected match(sub: Subprogram, args: readonly Association[]): (Association | null)[] | null {
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
        (arg, i) => arg === null || arg.actual.kind === "open" || this.nodeFits(arg.actual, sub.params[i].subtype.type),
      ) ?? false
    );
  }

  /** Results that `f(x)` may have: of calls, of conversions, of elements and slices. */
  protected callReadings(node: ExprNode & { kind: "apply" }): { readonly result: VType }[] {
    const meaning =
      node.of.kind === "name" || node.of.kind === "select"
        ? this.calledMeaning(node.of)
        : ({ types: this.types(node.of) } as const);
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
        const type = this.typesOfDecl(decl);
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
  protected calledMeaning(node: ExprNode): Meaning {
    if (
      node.kind === "name" &&
      /^(minimum|maximum|endfile|to_string)$/.test(node.id) &&
      this.scope.lookup(node.id).length === 0
    )
      return { decls: [] };
    return this.meaning(node);
  }

  /** Functions that every type has of itself: `minimum`, `maximum`, `to_string`, and those of files. */
  protected builtinCall(node: ExprNode & { kind: "apply" }): { name: string; result: VType; args: VType[] } | null {
    if (node.of.kind !== "name") return null;
    const { id } = node.of;
    const actuals = node.args.map((arg) => arg.actual);
    if (actuals.some((each) => each.kind === "range" || each.kind === "subtype")) return null;
    const nodes = actuals as ExprNode[];
    if ((id === "minimum" || id === "maximum") && nodes.length === 2) {
      const [reading] = this.binaryReadings("<", this.types(nodes[0]), this.types(nodes[1]));
      if (reading) return { name: id, result: reading.args[0], args: [...reading.args] };
    }
    if ((id === "minimum" || id === "maximum") && nodes.length === 1) {
      const [type] = this.types(nodes[0]);
      if (type?.kind === "array" && isScalar(type.element.type))
        return { name: id, result: type.element.type, args: [type] };
    }
    if (id === "to_string" && nodes.length === 1) {
      const [type] = this.types(nodes[0]);
      if (type && (isScalar(type) || isCharacters(type)))
        return { name: "to_string", result: this.world.standard.string, args: [type] };
    }
    if (id === "endfile" && nodes.length === 1) {
      const [type] = this.types(nodes[0]);
      if (type?.kind === "file") return { name: "endfile", result: this.world.standard.boolean, args: [type] };
    }
    return null;
  }

  protected indexedType(from: VType, args: readonly Association[]): VType | null {
    const type = from.kind === "access" && from.of ? from.of.type : from;
    if (type.kind !== "array" || args.some((arg) => arg.formal)) return null;
    if (args.length === 1 && this.isRange(args[0].actual)) return type.indexes.length === 1 ? type : null;
    if (args.length !== type.indexes.length) return null;
    return args.every((arg, i) => this.nodeFits(arg.actual, type.indexes[i].type)) ? type.element.type : null;
  }

  /** A slice's range: written out, a range attribute, or the name of a subtype. */
  isRange(node: ExprNode | RangeNode | SubtypeNode): boolean {
    if (node.kind === "range" || node.kind === "subtype") return true;
    if (node.kind === "attribute") return node.name.id === "range" || node.name.id === "reverse_range";
    if (node.kind === "name" || node.kind === "select") {
      const meaning = this.quiet(() => this.meaning(node));
      return meaning !== null && "decls" in meaning && meaning.decls[0].kind === "type";
    }
    return false;
  }

  protected unit(node: ExprNode): { type: VType; scale: number } | null {
    const meaning = this.meaning(node);
    if (meaning && "decls" in meaning) {
      const unit = meaning.decls.find((decl) => decl.kind === "unit");
      if (unit?.kind === "unit") return unit;
    }
    if (meaning)
      this.error(
        "unit",
        node.loc,
        `'${this.text(node.loc)}' is no unit.`,
        "Units of time are fs, ps, ns, us, ms, sec, min and hr.",
      );
    return null;
  }
}
