import type { ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { PredefinedOp, Subprogram } from "../bound.ts";
import { type ArrayType, isDiscrete, isScalar, universalInteger, universalReal, type VType } from "../types.ts";
import { distinct } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** One way to read an operator or a call. */
export interface Reading {
  readonly sub: Subprogram | null;
  readonly op: PredefinedOp | null;
  readonly args: readonly VType[];
  readonly result: VType;
}

const logicalOps = new Set(["and", "or", "nand", "nor", "xor", "xnor"]);
const shiftOps = new Set(["sll", "srl", "sla", "sra", "rol", "ror"]);
/** Readings of an operator by the types of its operands (9.2). */
export class OperatorReadings {
  constructor(private readonly host: Binder) {}

  /** All ways to read an operator with these operands. */
  readings(op: string, args: readonly ExprNode[]): Reading[] {
    const lists = args.map((arg) => this.host.candidates.types(arg));
    if (lists.some((list) => list.length === 0)) return [];
    const found: Reading[] = [];
    for (const decl of this.host.scope.lookup(`"${op}"`)) {
      if (decl.kind !== "sub" || !decl.result || decl.params.length !== args.length) continue;
      const { params } = decl;
      if (lists.every((list, i) => list.some((type) => this.host.candidates.fits(type, params[i].subtype.type))))
        found.push({ sub: decl, op: null, args: params.map((each) => each.subtype.type), result: decl.result.type });
    }
    const implicit = args.length === 1 ? this.unaryReadings(op, lists[0]) : this.binaryReadings(op, lists[0], lists[1]);
    // an explicit declaration takes the place of the predefined one
    for (const reading of implicit)
      if (!found.some((each) => each.args.every((type, i) => type === reading.args[i]))) found.push(reading);
    return found;
  }

  private unaryReadings(op: string, types: readonly VType[]): Reading[] {
    const { boolean, bit } = this.host.world.standard;
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

  binaryReadings(op: string, left: readonly VType[], right: readonly VType[]): Reading[] {
    const { boolean, bit, integer, natural } = this.host.world.standard;
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
          else if (l.kind !== "any" && this.host.candidates.fits(r, l)) found.push(l);
          else if (r.kind !== "any" && this.host.candidates.fits(l, r)) found.push(r);
        }
      if (found.length === 0 && left.some((l) => l.kind === "any" && l.of === "string"))
        if (right.some((r) => r.kind === "any" && r.of === "string")) found.push(this.host.world.standard.string);
      return distinct(found);
    };
    if (logicalOps.has(op)) {
      for (const type of common()) if (isLogic(type) || isLogicArray(type)) add(type, type, type);
      for (const l of left)
        if (isLogicArray(l) && right.some((r) => this.host.candidates.fits(r, l.element.type)))
          add(l, l.element.type, l);
      for (const r of right)
        if (isLogicArray(r) && left.some((l) => this.host.candidates.fits(l, r.element.type)))
          add(r.element.type, r, r);
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
          if ((l.kind === "int" || l.kind === "real") && right.some((r) => this.host.candidates.fits(r, integer)))
            add(l, natural, l);
        return list;
      case "&":
        return this.joiningReadings(left, right);
      default:
        if (shiftOps.has(op))
          for (const l of left)
            if (isLogicArray(l) && right.some((r) => this.host.candidates.fits(r, integer))) add(l, integer, l);
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
    const { integer, real } = this.host.world.standard;
    const list: Reading[] = [];
    const add = (l: VType, r: VType, result: VType) => list.push({ sub: null, op: op, args: [l, r], result });
    for (const type of common)
      if (type.kind === "int" || type.kind === "real") add(type, type, type);
      else if (type.kind === "physical" && op === "/") add(type, type, universalInteger);
    for (const l of left)
      for (const r of right) {
        if (l.kind === "physical" && this.host.candidates.fits(r, integer)) add(l, integer, l);
        if (l.kind === "physical" && this.host.candidates.fits(r, real)) add(l, real, l);
        if (op === "*" && r.kind === "physical" && this.host.candidates.fits(l, integer)) add(integer, r, r);
        if (op === "*" && r.kind === "physical" && this.host.candidates.fits(l, real)) add(real, r, r);
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
    const fitsSide = (types: readonly VType[], type: VType) =>
      types.some((each) => this.host.candidates.fits(each, type));
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
    for (const type of this.host.world.arrayTypes(this.host.scope, [...left, ...right]))
      if (!seen.has(type)) forType(type);
    if (list.length === 0 && !seen.has(this.host.world.standard.string)) forType(this.host.world.standard.string);
    return list;
  }
}
