import type { TextEdit } from "../../common/finding.ts";
import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { Association, Choice, DiscreteNode, ExprNode, Ident, RangeNode, SubtypeNode } from "../../hdl/vhdl/ast.ts";
import type { Report } from "../report.ts";
import type {
  AggregateElement,
  AttributeDecl,
  BoundChoice,
  ConstantDecl,
  Decl,
  Expr,
  ObjectDecl,
  PackageDecl,
  PredefinedOp,
  Subprogram,
} from "./bound.ts";
import { isOverloadable, Scope } from "./scope.ts";
import { article, articleOf, typeWords, usualName } from "./type-words.ts";
import {
  type ArrayType,
  anyAggregate,
  anyNull,
  type BoundRange,
  type Constraint,
  closelyRelated,
  errorType,
  isCharacters,
  isDiscrete,
  isScalar,
  type Subtype,
  subtypeOf,
  universalInteger,
  universalReal,
  type VType,
} from "./types.ts";
import type { World } from "./world.ts";

/** What a name stands for, before overloads are resolved. */
type Meaning = { readonly decls: readonly Decl[] } | { readonly value: Expr } | null;

/** One way to read an operator or a call. */
interface Reading {
  readonly sub: Subprogram | null;
  readonly op: PredefinedOp | null;
  readonly args: readonly VType[];
  readonly result: VType;
}

const logicalOps = new Set(["and", "or", "nand", "nor", "xor", "xnor"]);
const shiftOps = new Set(["sll", "srl", "sla", "sra", "rol", "ror"]);

/**
 * Names and expressions: visibility (clause 12), overload resolution (12.5) from candidate types upwards and from the
 * wanted type downwards, as in Persch, Winterstein, Dausmann, Drossopoulou, "Overloading in preliminary Ada", ACM
 * SIGPLAN Notices 15(11), 1980, pp. 47-56.
 */
export class ExprBinder {
  private memo = new Map<ExprNode, readonly VType[]>();
  private silent = 0;

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

  // ---- names ----------------------------------------------------------------------------------------------------

  bad(loc: Loc, type: VType = errorType): Expr {
    return { op: "bad", type, loc };
  }

  private undeclared(id: string, loc: Loc): void {
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
    const near = id.startsWith('"') || id.startsWith("'") ? null : nearestName(id, this.scope.visibleNames());
    const edit = near && loc.file >= 0 ? this.replacement(loc, near) : undefined;
    this.error(
      "undeclared",
      loc,
      `'${shown}' is not declared.`,
      near ? `Did you mean '${near}'?` : "Declare it, or check its spelling.",
      edit,
    );
  }
  private replacement(loc: Loc, text: string): TextEdit {
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

  private typesOfDecl(decl: Decl): VType | null {
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
    const found = this.findTypes(node);
    this.memo.set(node, found);
    return found;
  }

  private findTypes(node: ExprNode): readonly VType[] {
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
  private readings(op: string, args: readonly ExprNode[]): Reading[] {
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

  private unaryReadings(op: string, types: readonly VType[]): Reading[] {
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

  private binaryReadings(op: string, left: readonly VType[], right: readonly VType[]): Reading[] {
    const { boolean, bit, integer, natural, real } = this.world.standard;
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
      case "/": {
        for (const type of common())
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
      case "**":
        for (const l of left)
          if ((l.kind === "int" || l.kind === "real") && right.some((r) => this.fits(r, integer))) add(l, natural, l);
        return list;
      case "&": {
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
      default:
        if (shiftOps.has(op))
          for (const l of left) if (isLogicArray(l) && right.some((r) => this.fits(r, integer))) add(l, integer, l);
        return list;
    }
  }

  // ---- calls ----------------------------------------------------------------------------------------------------

  /** Actuals in the order of the parameters; null if they do not fit by number and name. */
  private match(sub: Subprogram, args: readonly Association[]): (Association | null)[] | null {
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
  private callReadings(node: ExprNode & { kind: "apply" }): { readonly result: VType }[] {
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
  private calledMeaning(node: ExprNode): Meaning {
    if (
      node.kind === "name" &&
      /^(minimum|maximum|endfile|to_string)$/.test(node.id) &&
      this.scope.lookup(node.id).length === 0
    )
      return { decls: [] };
    return this.meaning(node);
  }

  /** Functions that every type has of itself: `minimum`, `maximum`, `to_string`, and those of files. */
  private builtinCall(node: ExprNode & { kind: "apply" }): { name: string; result: VType; args: VType[] } | null {
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

  private indexedType(from: VType, args: readonly Association[]): VType | null {
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

  private unit(node: ExprNode): { type: VType; scale: number } | null {
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

  // ---- binding --------------------------------------------------------------------------------------------------

  /** A name that stands for a value, where no type is wanted from outside. */
  private valueOf(node: ExprNode, wanted: VType | null): Expr | null {
    const value = this.bind(node, wanted);
    return value.type === errorType ? null : value;
  }

  /** An expression of the wanted type, or of the one that it has by itself. What does not fit has been told. */
  bind(node: ExprNode, wanted: VType | null): Expr {
    const expr = this.bindNode(node, wanted);
    if (wanted && expr.type !== wanted && expr.type !== errorType && wanted !== errorType) {
      if (this.fits(expr.type, wanted)) return this.retyped(expr, wanted);
      this.mismatch(node, expr.type, wanted);
      return this.bad(node.loc, wanted);
    }
    return expr;
  }

  /** A universal value as one of a type. */
  private retyped(expr: Expr, type: VType): Expr {
    return { ...expr, type } as Expr;
  }

  /** Name of the type as the reader knows it: that of the object's declaration where there is one. */
  typeName(node: ExprNode | null, type: VType): string {
    if (node) {
      const subtype = this.quiet(() => this.subtypeName(node));
      if (subtype) return subtype;
    }
    return typeWords(type);
  }
  private subtypeName(node: ExprNode): string | null {
    if (node.kind === "name" || node.kind === "select") {
      const meaning = this.meaning(node);
      if (meaning && "decls" in meaning && meaning.decls.length === 1) {
        const [decl] = meaning.decls;
        if (decl.kind === "constant" || decl.kind === "signal" || decl.kind === "variable" || decl.kind === "alias")
          return decl.subtype.name;
        if (decl.kind === "sub" && decl.result) return decl.result.name;
      }
    }
    if (node.kind === "apply" && (node.of.kind === "name" || node.of.kind === "select")) {
      const meaning = this.meaning(node.of);
      if (meaning && "decls" in meaning && meaning.decls[0].kind === "type") return meaning.decls[0].name;
      if (node.args.length === 1 && this.isRange(node.args[0].actual)) return this.subtypeName(node.of);
    }
    return null;
  }

  mismatch(node: ExprNode, have: VType, wanted: VType): void {
    const shown = this.typeName(node, have);
    const remedy = this.conversionRemedy(node, have, wanted);
    this.error(
      "type",
      node.loc,
      `'${this.text(node.loc)}' is ${article(shown)}, but ${articleOf(wanted)} is needed here.`,
      remedy,
    );
  }

  private conversionRemedy(node: ExprNode, have: VType, wanted: VType): string {
    const text = this.text(node.loc);
    const short = wanted.name.replace(/^unresolved_/, "").replace("std_ulogic_vector", "std_logic_vector");
    if (have.kind === "array" && wanted.kind === "array" && closelyRelated(have, wanted))
      return `Write ${short}(${text}).`;
    if (have.kind === "array" && wanted.kind === "int")
      return /signed/.test(have.name) ? `Write to_integer(${text}).` : `Write to_integer(unsigned(${text})).`;
    if (have.kind === "int" && wanted.kind === "array") {
      if (/unsigned/.test(wanted.name)) return `Write to_unsigned(${text}, the number of bits).`;
      if (/signed/.test(wanted.name)) return `Write to_signed(${text}, the number of bits).`;
      return `Write std_logic_vector(to_unsigned(${text}, the number of bits)).`;
    }
    if (wanted === this.world.standard.time && have.kind === "int")
      return `Give a unit of time, as in '${/^[\w.]+$/.test(text) ? text : `(${text})`} ns'.`;
    if (have.kind === "int" && have.universal && isBit(wanted)) return `Write '0' or '1', in quotes.`;
    if (have.kind === "array" && have.element.type === wanted && isBit(wanted))
      return /^\w+$/.test(text) ? `Take one element, as in ${text}(0).` : "Take one element of it.";
    if (wanted.kind === "array" && wanted.element.type === have && isBit(have))
      return `Say which elements it is for: (others => ${text}).`;
    if (wanted === this.world.standard.boolean) return `Compare it: ${text} = '1'.`;
    if (have === this.world.standard.boolean) return `Write '1' when ${text} else '0'.`;
    if (have.kind === "int" && wanted.kind === "int") return `Write ${wanted.name}(${text}).`;
    if (have.kind === "int" && wanted.kind === "real") return `Write real(${text}).`;
    if (have.kind === "real" && wanted.kind === "int") return `Write ${wanted.name}(${text}).`;
    return "Convert one of them, or change a declaration.";
  }

  private bindNode(node: ExprNode, wanted: VType | null): Expr {
    const { loc } = node;
    switch (node.kind) {
      case "bad":
        return this.bad(loc);
      case "number": {
        const value = Number(node.value);
        const universal = node.isReal ? universalReal : universalInteger;
        const type = wanted && this.fits(universal, wanted) && wanted.kind !== "any" ? wanted : universal;
        return { op: "literal", value, type, loc };
      }
      case "physical": {
        const unit = this.unit(node.unit);
        if (!unit) return this.bad(loc);
        return { op: "literal", value: Math.trunc(node.value * unit.scale), type: unit.type, loc };
      }
      case "string":
        return this.stringLiteral(node, wanted);
      case "name":
      case "char":
      case "select":
        return this.bindName(node, wanted);
      case "apply":
        return this.bindApply(node, wanted);
      case "attribute":
        return this.attribute(node, wanted);
      case "qualified": {
        const subtype = this.mark(node.mark);
        if (!subtype) return this.bad(loc);
        const arg = this.bind(node.value, subtype.type);
        return { op: "qualified", subtype, arg, type: subtype.type, loc };
      }
      case "aggregate":
        return this.aggregate(node, wanted);
      case "unary":
        return this.operator(node, node.op, [node.arg], wanted);
      case "binary":
        return this.operator(node, node.op, [node.left, node.right], wanted);
      case "null":
        if (wanted?.kind === "access") return { op: "null", type: wanted, loc };
        this.error("null", loc, "'null' is a value of access types only.", "Give a value.");
        return this.bad(loc);
      case "new":
        return this.allocator(node, wanted);
      case "deref": {
        const of = this.bind(node.of, null);
        if (of.type === errorType) return of;
        const target = this.dereferenced(of);
        if (target === of) {
          this.error(
            "deref",
            loc,
            `'${this.text(node.of.loc)}' points to nothing: its type is ${of.type.name}.`,
            "Take '.all' out.",
          );
          return this.bad(loc);
        }
        return { ...target, loc } as Expr;
      }
      case "open":
        return { op: "open", type: wanted ?? errorType, loc };
      case "external": {
        const subtype = this.subtype(node.type);
        if (!subtype) return this.bad(loc);
        const { object, absolute, up } = node;
        return {
          op: "external",
          object,
          path: node.path.map((each) => each.id),
          absolute,
          up,
          subtype,
          type: subtype.type,
          loc,
        };
      }
    }
  }

  private stringLiteral(node: ExprNode & { kind: "string" }, wanted: VType | null): Expr {
    let type = wanted;
    if (!type || !isCharacters(type)) {
      if (type && type !== errorType) {
        this.error(
          "type",
          node.loc,
          `A ${node.isBits ? "bit string" : "string"} is given, but ${articleOf(type)} is needed here.`,
          isScalar(type) && node.text.length === 1 ? `Write '${node.text}'.` : "Give a value of that type.",
        );
        return this.bad(node.loc, type);
      }
      type = node.isBits
        ? (this.world.typeNamed(this.scope, "std_ulogic_vector") ?? this.world.standard.bitVector)
        : this.world.standard.string;
      if (!isCharacters(type)) return this.bad(node.loc);
    }
    const { element } = type as ArrayType;
    if (element.type.kind !== "enum") return this.bad(node.loc, type);
    const positions = this.world.charactersOf(element.type);
    const values: number[] = [];
    for (const c of node.text) {
      const at = positions.get(c);
      if (at === undefined) {
        this.error(
          "character",
          node.loc,
          `'${c}' is no value of ${element.name}.`,
          `Its values are ${element.type.literals
            .slice(0, 9)
            .map((each) => each.name)
            .join(", ")}.`,
        );
        return this.bad(node.loc, type);
      }
      values.push(at);
    }
    return { op: "string", values, type, loc: node.loc };
  }

  /** The declarations whose type is wanted, the only ones, or a told mistake. */
  private bindName(node: ExprNode, wanted: VType | null): Expr {
    const meaning = this.meaning(node);
    if (!meaning) return this.bad(node.loc);
    if ("value" in meaning) return meaning.value;
    const candidates = meaning.decls.filter((decl) => this.typesOfDecl(decl) !== null);
    if (candidates.length === 0) {
      const [decl] = meaning.decls;
      const what =
        decl.kind === "sub"
          ? decl.isFunction
            ? "a function, which needs arguments"
            : "a procedure, which gives no value"
          : `${kindName(decl)}, not a value`;
      this.error("no-value", node.loc, `'${this.text(node.loc)}' is ${what}.`, "Write a value here.");
      return this.bad(node.loc);
    }
    const fitting = wanted ? candidates.filter((decl) => this.fits(this.typesOfDecl(decl)!, wanted)) : candidates;
    const decl = fitting[0] ?? candidates[0];
    if (fitting.length === 0 && wanted) {
      if (candidates.length > 1) {
        const types = distinct(candidates.map((each) => this.typesOfDecl(each)!)).map((type) => type.name);
        this.error(
          "type",
          node.loc,
          `'${this.text(node.loc)}' is a value of ${types.slice(0, 4).map(usualName).join(", ")}, but ${articleOf(wanted)} is needed here.`,
          wanted.kind === "array" && isCharacters(wanted)
            ? `Write it as a string: "${this.text(node.loc).replaceAll("'", "")}".`
            : "Give a value of that type.",
        );
        return this.bad(node.loc, wanted);
      }
    } else if (fitting.length > 1 && !wanted && distinct(fitting.map((each) => this.typesOfDecl(each)!)).length > 1) {
      this.ambiguous(
        node,
        fitting.map((each) => this.typesOfDecl(each)!.name),
      );
    }
    this.world.note(node.kind === "select" ? node.name.loc : node.loc, decl);
    const made = this.declExpr(decl, node.loc);
    return made.op === "call" && decl.kind === "sub" && decl.ownerType
      ? { ...made, on: this.methodObject(node) }
      : made;
  }
  private ambiguous(node: ExprNode, types: readonly string[]): void {
    this.error(
      "ambiguous",
      node.loc,
      `'${this.text(node.loc)}' may be of type ${[...new Set(types)].slice(0, 4).join(" or ")}, and nothing here says which.`,
      "Qualify it: type'(value).",
    );
  }

  private declExpr(decl: Decl, loc: Loc): Expr {
    switch (decl.kind) {
      case "literal":
        return { op: "literal", value: decl.pos, type: decl.type, loc };
      case "unit":
        return { op: "literal", value: decl.scale, type: decl.type, loc };
      case "sub":
        return { op: "call", sub: decl, args: decl.params.map(() => null), type: decl.result!.type, loc };
      case "constant":
      case "signal":
      case "variable":
      case "file":
      case "alias":
        return this.objectExpr(decl, loc);
      default:
        return this.bad(loc);
    }
  }

  // ---- operators, bound -----------------------------------------------------------------------------------------

  private operator(node: ExprNode, op: string, args: readonly ExprNode[], wanted: VType | null): Expr {
    const { loc } = node;
    let readings = this.readings(op, args);
    if (readings.length === 0) {
      this.noOperator(node, op, args);
      return this.bad(loc);
    }
    if (wanted) {
      const fitting = readings.filter((each) => this.fits(each.result, wanted));
      if (fitting.length) readings = fitting;
    }
    if (readings.length > 1) readings = this.preferred(readings);
    const reading = readings[0];
    if (readings.length > 1) {
      const kinds = distinct(readings.map((each) => each.result));
      this.ambiguous(
        node,
        kinds.length > 1
          ? kinds.map((type) => type.name)
          : readings.map((each) => each.args.map((type) => type.name).join(" and ")),
      );
    }
    // a universal operation whose result is used as another type: its operands are of that type too
    let types = reading.args;
    let { result } = reading;
    if (result.kind === "any" && result.of === "string") {
      result = wanted && isCharacters(wanted) ? wanted : this.world.standard.string;
      types = [result, result];
    }
    if (reading.op && wanted && result !== wanted && (result === universalInteger || result === universalReal)) {
      if (this.fits(result, wanted) && wanted.kind !== "any") {
        if (types.every((type) => type === result) && op !== "/") types = types.map(() => wanted);
        result = wanted;
      }
    }
    const bound = args.map((arg, i) => this.bind(arg, types[i]));
    if (reading.sub) {
      const opNode = node as ExprNode & { opLoc: Loc };
      this.world.note(opNode.opLoc, reading.sub);
      return { op: "call", sub: reading.sub, args: bound, type: result, loc };
    }
    return { op: "builtin", name: reading.op!, args: bound, type: result, loc };
  }

  /** Universal types and the standard's own before others where several readings fit (9.3.6, 12.5). */
  private preferred(readings: Reading[]): Reading[] {
    const universal = readings.filter((each) =>
      each.args.every((type) => (type.kind === "int" || type.kind === "real") && type.universal),
    );
    if (universal.length) return universal;
    const explicit = readings.filter((each) => each.sub);
    const args = new Set(readings.map((each) => each.args.map((type) => type.name).join()));
    if (args.size === 1 && explicit.length) return explicit.slice(0, 1);
    // two string literals and the like: a string of characters is meant
    const strings = readings.filter(
      (each) => each.result === this.world.standard.string || each.args[0] === this.world.standard.string,
    );
    if (strings.length === 1) return strings;
    return readings;
  }

  private noOperator(node: ExprNode, op: string, args: readonly ExprNode[]): void {
    const lists = args.map((arg) => this.types(arg));
    if (lists.some((list) => list.length === 0)) {
      // a mistake within has been told; what is only empty by overloads is told by binding it
      args.forEach((arg, i) => {
        if (lists[i].length === 0) this.bind(arg, null);
      });
      return;
    }
    const names = args.map((arg, i) => this.typeName(arg, lists[i][0]));
    const { opLoc } = node as ExprNode & { opLoc: Loc };
    const types =
      names.length === 1
        ? names[0]
        : names[0] === names[1]
          ? `two operands of ${names[0]}`
          : `${names[0]} and ${names[1]}`;
    const home = this.world.operatorHome(this.scope, op, args, lists, (types, sub) =>
      types.every((list, i) => list.some((type) => this.fits(type, sub.params[i].subtype.type))),
    );
    if (home) {
      this.error(
        "operator",
        opLoc,
        `'${op}' for ${types} is not visible here: it is declared in ${home}.`,
        this.numberRemedy(home, args, names),
        this.world.useEdit(node.loc, home),
      );
      return;
    }
    const plain = names.findIndex((name) => /^std_u?logic_vector/.test(name));
    const isArithmetic = /^([-+*/<>]|mod|rem|<=|>=|abs)$/.test(op);
    const numeric = plain >= 0 && isArithmetic ? `unsigned(${this.text(args[plain].loc)})` : null;
    const told = op === "&" ? this.imageOf(args, lists) : null;
    if (told) {
      this.error("operator", opLoc, `There is no '&' for ${types}.`, told);
      return;
    }
    const boolean = names.some((name) => name === "boolean") && names.some((name) => /^std_u?logic$|^bit$/.test(name));
    this.error(
      "operator",
      opLoc,
      `There is no '${op}' for ${types}.`,
      numeric
        ? `Say how the bits are a number: ${numeric}, with use ieee.numeric_std.all.`
        : boolean
          ? "Compare the bit with '1' first."
          : "Convert the operands to types that have it.",
    );
  }

  /** The clause that is missing; with the package of numbers at hand, first the usual way to say what bits mean. */
  private numberRemedy(home: string, args: readonly (ExprNode | Choice)[], names: readonly string[]): string {
    const clause = `add 'use ${home}.all;' before this design unit.`;
    const at = names.findIndex((name) => /^std_u?logic_vector/.test(name));
    if (at < 0 || !home.endsWith("numeric_std_unsigned") || this.scope.lookup("unsigned").length === 0)
      return capital(clause);
    const text = this.text(args[at].loc);
    return `Write unsigned(${text}), or signed(${text}), to say which number the bits are; or ${clause}`;
  }
  /** How to make text of what is put beside text. */
  private imageOf(args: readonly ExprNode[], lists: readonly (readonly VType[])[]): string | null {
    const { string } = this.world.standard;
    const isText = (i: number) => lists[i].some((type) => type === string || type.kind === "any");
    const at = isText(0) && !isText(1) ? 1 : isText(1) && !isText(0) ? 0 : -1;
    if (at < 0) return null;
    const [type] = lists[at];
    const text = this.text(args[at].loc);
    if (isScalar(type))
      return `Make it text: ${"universal" in type && type.universal ? "integer" : typeWords(type)}'image(${text}).`;
    return type.kind === "array" && isBit(type.element.type) ? `Make it text: to_string(${text}).` : null;
  }

  /** A condition: boolean, or what `??` makes one (2008, 9.2.9). */
  condition(node: ExprNode): Expr {
    const { boolean } = this.world.standard;
    const types = this.types(node);
    if (types.length === 0 || types.some((type) => this.fits(type, boolean))) return this.bind(node, boolean);
    const value = this.bind(node, types.length === 1 ? types[0] : null);
    if (value.type === errorType) return value;
    if (value.type === this.world.standard.bit)
      return { op: "builtin", name: "??", args: [value], type: boolean, loc: node.loc };
    for (const decl of this.scope.lookup('"??"'))
      if (decl.kind === "sub" && decl.params[0]?.subtype.type === value.type)
        return { op: "call", sub: decl, args: [value], type: boolean, loc: node.loc };
    this.mismatch(node, value.type, boolean);
    return this.bad(node.loc, boolean);
  }

  // ---- brackets -------------------------------------------------------------------------------------------------

  private bindApply(node: ExprNode & { kind: "apply" }, wanted: VType | null): Expr {
    const { loc, args } = node;
    if (node.of.kind !== "name" && node.of.kind !== "select") {
      const of = this.bind(node.of, null);
      return of.type === errorType ? of : this.indexed(of, node);
    }
    const meaning = this.calledMeaning(node.of);
    if (!meaning) {
      for (const arg of args) if (arg.actual.kind !== "range" && arg.actual.kind !== "subtype") this.types(arg.actual);
      return this.bad(loc);
    }
    if ("value" in meaning) return this.indexed(meaning.value, node);
    const first: Decl | undefined = meaning.decls[0];
    if (first?.kind === "type") return this.conversion(first.subtype, node);
    if (first && !isOverloadable(first)) {
      const value = this.declExpr(first, node.of.loc);
      if (value.op === "bad") {
        this.error(
          "call",
          node.of.loc,
          `'${this.text(node.of.loc)}' is ${kindName(first)}: it cannot be called or indexed.`,
          "Check its name.",
        );
        return value;
      }
      return this.indexed(value, node);
    }
    const subs = meaning.decls.filter((decl): decl is Subprogram => decl.kind === "sub" && decl.result !== null);
    const callable = subs.filter((sub) => this.isCallable(sub, args));
    let fitting = wanted ? callable.filter((sub) => this.fits(sub.result!.type, wanted)) : callable;
    if (fitting.length > 1) fitting = this.preferredSubs(fitting, args);
    const sub = fitting[0] ?? callable[0];
    if (fitting.length > 1)
      this.ambiguous(
        node,
        fitting.map((each) => each.params.map((param) => param.subtype.name).join(", ")),
      );
    if (sub) {
      this.world.note(node.of.kind === "select" ? node.of.name.loc : node.of.loc, sub);
      return this.call(sub, args, loc, this.methodObject(node.of));
    }
    // a function without parameters whose result is indexed
    const plain = subs.find(
      (each) => each.params.every((_, i) => each.defaults[i] !== null) && this.indexedType(each.result!.type, args),
    );
    if (plain) return this.indexed(this.declExpr(plain, node.of.loc), node);
    const builtin = this.builtinCall(node);
    if (builtin) {
      const bound = args.map((arg, i) => this.bind(arg.actual as ExprNode, builtin.args[i]));
      if (builtin.name === "minimum" || builtin.name === "maximum")
        return { op: "builtin", name: builtin.name, args: bound, type: builtin.result, loc };
      return { op: "attribute", name: builtin.name, of: bound[0], subtype: null, arg: null, type: builtin.result, loc };
    }
    this.noCall(node, meaning.decls, wanted);
    return this.bad(loc);
  }

  /** The protected object before the dot of a method's name. */
  methodObject(node: ExprNode): Expr | undefined {
    if (node.kind !== "select") return undefined;
    const of = this.quiet(() => this.meaning(node.of));
    if (!of) return undefined;
    if ("value" in of) return of.value.type.kind === "protected" ? of.value : undefined;
    const [decl] = of.decls;
    if (decl.kind === "variable" || decl.kind === "alias") {
      const value = this.dereferenced(this.objectExpr(decl, node.of.loc));
      return value.type.kind === "protected" ? value : undefined;
    }
    return undefined;
  }

  private preferredSubs(subs: Subprogram[], args: readonly Association[]): Subprogram[] {
    // a string literal that could be bits: characters are meant
    const { string } = this.world.standard;
    const asString = subs.filter((sub) =>
      args.every((arg, i) => arg.actual.kind !== "string" || sub.params[i]?.subtype.type === string),
    );
    if (args.some((arg) => arg.actual.kind === "string") && asString.length === 1) return asString;
    // inner declarations hide outer ones of the same types; the rest is told apart by universal types
    const exact = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        return (
          arg.actual.kind === "range" || arg.actual.kind === "subtype" || !type || this.types(arg.actual).includes(type)
        );
      }),
    );
    if (exact.length === 1) return exact;
    const { integer, real } = this.world.standard;
    const usual = subs.filter((sub) =>
      args.every((arg, i) => {
        const type = sub.params[i]?.subtype.type;
        const isNumber =
          arg.actual.kind !== "range" &&
          arg.actual.kind !== "subtype" &&
          this.types(arg.actual).every((each) => (each.kind === "int" || each.kind === "real") && each.universal);
        return !isNumber || type === integer || type === real;
      }),
    );
    return usual.length === 1 ? usual : subs;
  }

  call(sub: Subprogram, args: readonly Association[], loc: Loc, on?: Expr): Expr {
    const matched = this.match(sub, args);
    const list = sub.params.map((param, i): Expr | null => {
      const arg = matched?.[i];
      if (!arg || arg.actual.kind === "open") return null;
      if (arg.actual.kind === "range" || arg.actual.kind === "subtype") return null;
      return this.bind(arg.actual, param.subtype.type);
    });
    return { op: "call", sub, args: list, on, type: sub.result?.type ?? errorType, loc };
  }

  noCall(node: ExprNode & { kind: "apply" }, decls: readonly Decl[], wanted: VType | null): void {
    const name = this.text(node.of.loc);
    const actuals = node.args.map((arg) => arg.actual);
    let anyError = false;
    for (const actual of actuals)
      if (
        actual.kind !== "range" &&
        actual.kind !== "subtype" &&
        actual.kind !== "open" &&
        this.types(actual).length === 0
      ) {
        this.bind(actual, null);
        anyError = true;
      }
    if (anyError) return;
    const subs = decls.filter((decl): decl is Subprogram => decl.kind === "sub");
    const have = actuals.map((actual) =>
      actual.kind === "range" || actual.kind === "subtype"
        ? "a range"
        : this.typeName(actual, this.types(actual)[0] ?? errorType),
    );
    if (subs.length === 1) {
      const [sub] = subs;
      if (actuals.length > sub.params.length) {
        this.error(
          "arguments",
          node.loc,
          `'${name}' takes ${countOf(sub.params.length, "argument")}, not ${actuals.length}.`,
          this.signatureText(sub),
        );
        return;
      }
      const unknown = node.args.find(
        (arg) =>
          arg.formal?.kind === "name" && !sub.params.some((param) => param.name === (arg.formal as { id: string }).id),
      );
      if (unknown?.formal?.kind === "name") {
        this.error(
          "unknown-parameter",
          unknown.formal.loc,
          `'${name}' has no parameter '${unknown.formal.id}'.`,
          this.nearText(
            unknown.formal.id,
            sub.params.map((param) => param.name),
            this.signatureText(sub),
          ),
        );
        return;
      }
      const matched = this.match(sub, node.args);
      if (!matched) {
        this.error("arguments", node.loc, `'${name}' is called without all its arguments.`, this.signatureText(sub));
        return;
      }
      for (let i = 0; i < matched.length; i++) {
        const arg = matched[i];
        if (!arg || arg.actual.kind === "range" || arg.actual.kind === "subtype" || arg.actual.kind === "open")
          continue;
        if (!this.nodeFits(arg.actual, sub.params[i].subtype.type)) {
          this.bind(arg.actual, sub.params[i].subtype.type);
          return;
        }
      }
    }
    const home = this.world.functionHome(this.scope, node.of.kind === "name" ? node.of.id : "", (sub) =>
      this.isCallable(sub, node.args),
    );
    if (home) {
      this.error(
        "not-visible",
        node.of.loc,
        `'${name}' for ${have.join(", ")} is not visible here: it is declared in ${home}.`,
        this.numberRemedy(home, actuals, have),
        this.world.useEdit(node.loc, home),
      );
      return;
    }
    this.error(
      "no-call",
      node.loc,
      `There is no '${name}' for (${have.join(", ")})${wanted ? ` that gives ${articleOf(wanted)}` : ""}.`,
      subs.length
        ? `There is ${subs
            .slice(0, 3)
            .map((sub) => this.signatureText(sub).slice(0, -1))
            .join(", or ")}.`
        : "Check its name and arguments.",
    );
  }
  signatureText(sub: Subprogram): string {
    const params = sub.params.map((param) => `${param.name} : ${usualName(param.subtype.name)}`).join("; ");
    return `${sub.name}${params ? ` (${params})` : ""}${sub.result ? ` return ${usualName(sub.result.name)}` : ""}.`;
  }

  private conversion(subtype: Subtype, node: ExprNode & { kind: "apply" }): Expr {
    const { loc, args } = node;
    const [only] = args;
    if (args.length !== 1 || only.formal || only.actual.kind === "range" || only.actual.kind === "subtype") {
      this.error("conversion", loc, `A conversion to ${subtype.name} takes one value.`, "Write type(value).");
      return this.bad(loc);
    }
    const types = this.types(only.actual);
    if (types.length === 0) {
      this.bind(only.actual, null);
      return this.bad(loc, subtype.type);
    }
    const related = types.filter((type) => closelyRelated(type, subtype.type));
    if (related.length === 0 && types.some((type) => type.kind === "any")) {
      if (types.every((type) => type.kind === "any" && type.of === "string") && isCharacters(subtype.type)) {
        // forbidden by the letter (9.3.6), but its meaning is plain
        const arg = this.bind(only.actual, subtype.type);
        return { op: "qualified", subtype, arg, type: subtype.type, loc };
      }
      this.error(
        "conversion",
        loc,
        "The operand of a conversion must have a type of its own.",
        `Qualify it: ${subtype.name}'(value).`,
      );
      return this.bad(loc, subtype.type);
    }
    const preferred = related.find((type) => type !== subtype.type) ?? related[0];
    const arg = this.bind(only.actual, related.length > 1 ? preferred : null);
    if (arg.type === errorType) return this.bad(loc, subtype.type);
    if (!closelyRelated(arg.type, subtype.type)) {
      this.error(
        "conversion",
        loc,
        `${capital(article(this.typeName(only.actual, arg.type)))} cannot become ${article(subtype.name)} by a conversion.`,
        this.conversionRemedy(only.actual, arg.type, subtype.type),
      );
      return this.bad(loc, subtype.type);
    }
    return { op: "convert", subtype, arg, type: subtype.type, loc };
  }

  /** `object(index)`, `object(range)`. */
  private indexed(from: Expr, node: ExprNode & { kind: "apply" }): Expr {
    const { args, loc } = node;
    const of = this.dereferenced(from);
    const { type } = of;
    if (type.kind !== "array") {
      if (type !== errorType)
        this.error(
          "not-array",
          loc,
          `'${this.text(from.loc)}' is ${articleOf(type)}, which has no elements.`,
          "Only arrays are indexed, and only functions called.",
        );
      return this.bad(loc);
    }
    const [only] = args;
    if (args.length === 1 && this.isRange(only.actual)) {
      if (type.indexes.length > 1) {
        this.error("slice", loc, "Only arrays of one dimension have slices.", "Take one element after the other.");
        return this.bad(loc);
      }
      const range = this.discrete(only.actual, type.indexes[0].type);
      return range ? { op: "slice", of, range, type, loc } : this.bad(loc, type);
    }
    if (args.length !== type.indexes.length) {
      this.error(
        "indexes",
        loc,
        `'${this.text(from.loc)}' has ${countOf(type.indexes.length, "dimension")}; ${countOf(args.length, "index", "indexes")} ${args.length === 1 ? "is" : "are"} given.`,
        "Give one index a dimension.",
      );
      return this.bad(loc, type.element.type);
    }
    const indexes = args.map((arg, i) => {
      if (arg.formal || arg.actual.kind === "range" || arg.actual.kind === "subtype") return this.bad(arg.loc);
      return this.bind(arg.actual, type.indexes[i].type);
    });
    return { op: "index", of, indexes, type: type.element.type, loc };
  }

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

  private rangeAttribute(node: ExprNode & { kind: "attribute" }): BoundRange | null {
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
    if (node.kind === "attribute" && (node.name.id === "base" || node.name.id === "element")) {
      const of = node.name.id === "base" ? this.mark(node.of) : null;
      if (of) return subtypeOf(of.type);
    }
    const meaning = this.meaning(node);
    if (!meaning) return null;
    if ("decls" in meaning) {
      const [decl] = meaning.decls;
      if (decl.kind === "type") return decl.subtype;
    }
    this.error("no-type", node.loc, `'${this.text(node.loc)}' is no type.`, "Write the name of a type or subtype.");
    return null;
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

  private constraint(node: NonNullable<SubtypeNode["constraint"]>, base: Subtype): Constraint | null {
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

  // ---- aggregates -----------------------------------------------------------------------------------------------

  private aggregate(node: ExprNode & { kind: "aggregate" }, wanted: VType | null): Expr {
    const { loc } = node;
    if (!wanted || (wanted.kind !== "array" && wanted.kind !== "record")) {
      if (wanted !== errorType)
        this.error(
          "aggregate",
          loc,
          wanted
            ? `Several values in brackets are no ${wanted.name}.`
            : "The type of this aggregate is not known here.",
          wanted ? "Give one value." : "Qualify it: type'(...).",
        );
      return this.bad(loc);
    }
    this.checkOthers(node);
    const elements: AggregateElement[] = [];
    if (wanted.kind === "record") {
      let position = 0;
      const given = new Set<number>();
      let others: ExprNode | null = null;
      for (const { choices, value } of node.elements) {
        if (choices.length === 0) {
          const field = wanted.fields[position];
          if (!field) {
            this.error(
              "aggregate",
              value.loc,
              `Record type '${wanted.name}' has ${countOf(wanted.fields.length, "field")} only.`,
              "Take this value out.",
            );
            break;
          }
          given.add(position);
          elements.push({ choice: { kind: "field", field: position++ }, value: this.bind(value, field.subtype.type) });
          continue;
        }
        for (const choice of choices) {
          if (choice.kind === "others") {
            others = value;
            continue;
          }
          const at = choice.kind === "name" ? wanted.fields.findIndex((each) => each.name === choice.id) : -1;
          if (at < 0) {
            this.error(
              "unknown-field",
              choice.loc,
              `Record type '${wanted.name}' has no field '${this.text(choice.loc)}'.`,
              this.nearText(
                this.text(choice.loc),
                wanted.fields.map((each) => each.name),
                "Check its spelling.",
              ),
            );
            continue;
          }
          if (given.has(at))
            this.error(
              "aggregate",
              choice.loc,
              `Field '${wanted.fields[at].name}' is given twice.`,
              "Take one of them out.",
            );
          given.add(at);
          elements.push({
            choice: { kind: "field", field: at },
            value: this.bind(value, wanted.fields[at].subtype.type),
          });
        }
      }
      const missing = wanted.fields.map((_, i) => i).filter((i) => !given.has(i));
      if (others) {
        for (const i of missing)
          elements.push({
            choice: { kind: "field", field: i },
            value: this.bind(others, wanted.fields[i].subtype.type),
          });
      } else if (missing.length)
        this.error(
          "aggregate",
          loc,
          `No value for ${missing.map((i) => `'${wanted.fields[i].name}'`).join(", ")} of '${wanted.name}'.`,
          "Give them, or write 'others => ...'.",
        );
      return { op: "aggregate", elements, type: wanted, loc };
    }
    const inner: VType = wanted.indexes.length === 1 ? wanted.element.type : this.world.innerArray(wanted); // a row of an array of several dimensions
    let at = 0;
    for (const { choices, value } of node.elements) {
      // 2008: a stretch of elements in place of one
      const types = this.types(value);
      const isStretch =
        wanted.indexes.length === 1 &&
        !types.some((type) => this.fits(type, inner)) &&
        types.some((type) => this.fits(type, wanted)) &&
        choices.every((choice) => choice.kind === "range");
      const bound = this.bind(value, isStretch ? wanted : inner);
      if (choices.length === 0) elements.push({ choice: { kind: "position", at: at++ }, value: bound, isStretch });
      for (const choice of choices) {
        if (choice.kind === "others") elements.push({ choice: { kind: "others" }, value: bound });
        else if (this.isRange(choice)) {
          const range = this.discrete(choice, wanted.indexes[0].type);
          if (range) elements.push({ choice: { kind: "range", range }, value: bound, isStretch });
        } else
          elements.push({
            choice: { kind: "value", value: this.bind(choice as ExprNode, wanted.indexes[0].type) },
            value: bound,
          });
      }
    }
    const named = elements.some((each) => each.choice.kind === "value" || each.choice.kind === "range");
    if (named && at > 0) {
      this.error(
        "aggregate",
        loc,
        "Positions and names are mixed in this aggregate.",
        "Give all elements by position, or all by name.",
      );
      return this.bad(loc, wanted);
    }
    return { op: "aggregate", elements, type: wanted, loc };
  }

  /** `others` stands last, alone (9.3.3.1). */
  private checkOthers(node: ExprNode & { kind: "aggregate" }): void {
    node.elements.forEach(({ choices }, i) => {
      const at = choices.findIndex((choice) => choice.kind === "others");
      if (at < 0 || (i === node.elements.length - 1 && choices.length === 1)) return;
      this.error(
        "others",
        choices[at].loc,
        choices.length > 1
          ? "'others' stands with other choices."
          : "'others' is not the last element of the aggregate.",
        "Put 'others => ...' at the end.",
      );
    });
  }

  choices(list: readonly Choice[], type: VType): BoundChoice[] {
    const bound: BoundChoice[] = [];
    for (const choice of list) {
      if (choice.kind === "others") bound.push({ kind: "others", loc: choice.loc });
      else if (isDiscrete(type) && this.isRange(choice)) {
        const range = this.discrete(choice, type);
        if (range) bound.push({ kind: "range", range, loc: choice.loc });
      } else if (choice.kind !== "range" && choice.kind !== "subtype")
        bound.push({ kind: "value", value: this.bind(choice, type), loc: choice.loc });
      else this.error("choice", choice.loc, `A range is no choice of ${type.name}.`, "Give single values.");
    }
    return bound;
  }

  // ---- allocators -----------------------------------------------------------------------------------------------

  private allocated(node: ExprNode | SubtypeNode): { subtype: Subtype; init: Expr | null } | null {
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
  private allocator(node: ExprNode & { kind: "new" }, wanted: VType | null): Expr {
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

  private attribute(node: ExprNode & { kind: "attribute" }, wanted: VType | null): Expr {
    const { loc } = node;
    const name = node.name.id;
    const { integer, boolean, string, bit } = this.world.standard;
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
    if (mark) {
      const { type } = mark;
      switch (name) {
        case "left":
        case "right":
        case "high":
        case "low":
          if (isScalar(type)) return make(type, null, mark);
          if (type.kind === "array")
            return make(
              type.indexes[this.dimension(node) - 1]?.type ?? errorType,
              null,
              mark,
              this.dimensionExpr(node),
            );
          break;
        case "length":
          if (type.kind === "array")
            return make(wanted?.kind === "int" ? wanted : universalInteger, null, mark, this.dimensionExpr(node));
          break;
        case "range":
        case "reverse_range":
          if (isScalar(type)) return make(type, null, mark);
          if (type.kind === "array")
            return make(
              type.indexes[this.dimension(node) - 1]?.type ?? errorType,
              null,
              mark,
              this.dimensionExpr(node),
            );
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

  private dimension(node: ExprNode & { kind: "attribute" }): number {
    if (!node.arg) return 1;
    return node.arg.kind === "number" ? Number(node.arg.value) : 1;
  }
  private dimensionExpr(node: ExprNode & { kind: "attribute" }): Expr | null {
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

/** Whether bounds are known for the outermost dimension. */
export function isConstrained(subtype: Subtype): boolean {
  for (let at: Subtype | null = subtype; at; at = at.parent) {
    if (at.ofObject) return true;
    if (at.constraint?.kind === "array" && at.constraint.ranges.every((range) => range !== null)) return true;
  }
  return false;
}

function distinct(types: readonly VType[]): VType[] {
  return types.length < 2 ? [...types] : [...new Set(types)];
}
/** A single bit, of either type that has '0' and '1'. */
function isBit(type: VType): boolean {
  return type.kind === "enum" && (type.packing === "logic" || type.packing === "bit") && type.name !== "boolean";
}
function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
export function countOf(count: number, one: string, many = `${one}s`): string {
  return count === 0 ? `no ${many}` : count === 1 ? `one ${one}` : `${count} ${many}`;
}
export function kindName(decl: Decl): string {
  switch (decl.kind) {
    case "sub":
      return decl.isFunction ? "a function" : "a procedure";
    case "type":
      return "a type";
    case "component":
      return "a component";
    case "entity":
      return "an entity";
    case "architecture":
      return "an architecture";
    case "library":
      return "a library";
    case "package":
      return "a package";
    case "attribute":
      return "an attribute";
    case "label":
      return "a label";
    case "alias":
      return "an alias";
    default:
      return `a ${decl.kind}`;
  }
}
export type { ConstantDecl, PackageDecl };
