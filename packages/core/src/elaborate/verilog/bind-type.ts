import { nearestName } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import type { EnumType, NamedType, ParamItem, RangeNode, StructType, TypeNode } from "../../hdl/verilog/ast.ts";
import { maxVectorWidth } from "../../hdl/verilog/number-text.ts";
import type { Value } from "../model.ts";
import type { Scope } from "../scope.ts";
import {
  asMember,
  asVector,
  bitsOf,
  type ContainerType,
  type DataType,
  type Dim,
  eventType,
  type IntegralType,
  integerType,
  realType,
  type StructMember,
  sizeOf,
  stringType,
  typeText,
  vectorType,
  voidType,
} from "../types.ts";
import { fixedContainer } from "./bind-container.ts";
import type { Host } from "./host.ts";

const maxArray = 1 << 26;

const words: Readonly<Record<string, IntegralType>> = {
  integer: integerType,
  time: { ...vectorType(64), name: "time" },
  int: { ...vectorType(32, true, false), name: "int" },
  byte: { ...vectorType(8, true, false), name: "byte" },
  shortint: { ...vectorType(16, true, false), name: "shortint" },
  longint: { ...vectorType(64, true, false), name: "longint" },
};

/** Data types as written to data types with numbers for bounds. */
export class Types {
  constructor(private readonly host: Host) {}

  dim(range: RangeNode, scope: Scope): Dim {
    if (range.open) {
      this.host.report.error(
        "verilog/range",
        range.loc,
        "This dimension needs bounds.",
        "Write them, as in [7:0]; dynamic arrays and queues have theirs behind the name.",
      );
      return { left: 0, right: 0 };
    }
    const left = this.host.exprs.integer(range.left, scope, "A bound");
    if (range.right === null) {
      if (left === null) return { left: 0, right: 0 };
      if (left < 1 || left > maxArray) {
        this.tooLarge(range.loc, left);
        return { left: 0, right: 0 };
      }
      return { left: 0, right: left - 1 };
    }
    const right = this.host.exprs.integer(range.right, scope, "A bound");
    if (left === null || right === null) return { left: 0, right: 0 };
    if (Math.abs(left - right) >= maxArray) {
      this.tooLarge(range.loc, Math.abs(left - right) + 1);
      return { left: 0, right: 0 };
    }
    return { left, right };
  }

  private tooLarge(loc: Loc, count: number): void {
    this.host.report.error(
      "verilog/range",
      loc,
      `A range of ${count} makes no usable array.`,
      "Check the bounds, and the parameters in them.",
    );
  }

  /** @param fallback For a type of which only sign and range are written. */
  bind(node: TypeNode, scope: Scope, fallback: IntegralType = vectorType(1)): DataType {
    switch (node.kind) {
      case "builtin": {
        if (node.word === "real") return realType;
        if (node.word === "string") return stringType;
        if (node.word === "event") return eventType;
        if (node.word === "void") return voidType;
        const fixed = words[node.word];
        if (fixed)
          return node.signed === null || node.signed === fixed.signed
            ? fixed
            : { ...fixed, signed: node.signed, name: null };
        const fourState = node.word === "implicit" ? fallback.fourState : node.word !== "bit";
        return this.packed({ ...vectorType(1, false, fourState) }, node.dims, scope, node.signed === true, node.loc);
      }
      case "named": {
        const type = this.named(node, scope);
        return this.withDims(type, node.dims, scope, node.loc);
      }
      case "enum":
        return this.withDims(this.enumeration(node, scope), node.dims, scope, node.loc);
      case "struct":
        return this.withDims(this.struct(node, scope), node.dims, scope, node.loc);
      case "virtual":
        return this.host.virtuals.bind(node);
      case "typeof": {
        const type = this.host.refs.typeOfNode(node.expr, scope);
        return this.withDims(type, node.dims, scope, node.loc);
      }
    }
  }

  private withDims(type: DataType, dims: readonly RangeNode[], scope: Scope, loc: Loc): DataType {
    if (dims.length === 0) return type;
    if (type.kind !== "integral") {
      this.host.report.error(
        "verilog/type",
        loc,
        `A ${type.kind} has no packed dimensions.`,
        "Put the range behind the name.",
      );
      return type;
    }
    return this.packed(type, dims, scope, type.signed, loc);
  }

  private packed(
    base: IntegralType,
    ranges: readonly RangeNode[],
    scope: Scope,
    signed: boolean,
    loc: Loc,
  ): IntegralType {
    const dims = ranges.map((range) => this.dim(range, scope));
    const width = dims.reduce((product, dim) => product * sizeOf(dim), base.width);
    if (width > maxVectorWidth) {
      this.host.report.error(
        "verilog/range",
        loc,
        `${width} bits are more than a vector may have (${maxVectorWidth}).`,
        "Use an unpacked array: put a range behind the name.",
      );
      return { ...base, signed };
    }
    return {
      ...base,
      width,
      signed,
      dims: [...dims, ...base.dims],
      enumeration: dims.length ? null : base.enumeration,
      name: dims.length ? null : base.name,
    };
  }

  /** Type that a parameter is declared with; arrays as vectors. Undefined: that of its value. */
  ofParameter(item: ParamItem, scope: Scope): DataType | undefined {
    const isTyped =
      item.type.kind !== "builtin" ||
      item.type.word !== "implicit" ||
      item.type.dims.length > 0 ||
      item.dims.length > 0;
    if (!isTyped) return undefined;
    const type = this.withUnpacked(this.bind(item.type, scope), item.dims, scope);
    if (type.kind !== "array") return type;
    // of strings and reals: kept as a variable that nothing assigns
    const vector = asVector(type);
    return vector && vector.width <= maxVectorWidth ? vector : type;
  }

  /** `[]`, `[$]`, `[$:9]`, `[*]` and `[string]`; null for what has bounds. */
  private container(range: RangeNode, element: DataType, scope: Scope): DataType | null {
    const make = { kind: "container" as const, element, key: null, bound: null };
    if (range.open === "array" || range.open === "map") return { ...make, flavour: range.open };
    if (range.open === "queue")
      return {
        ...make,
        flavour: "queue",
        bound: range.right && this.host.exprs.integer(range.right, scope, "The bound of a queue"),
      };
    if (range.right) return null;
    const { left } = range;
    if (left.kind === "type") return { ...make, flavour: "map", key: this.bind(left.type, scope) };
    if (left.kind !== "name") return null;
    const meaning = scope.find(left.name);
    return meaning?.kind === "type" ? { ...make, flavour: "map", key: meaning.type } : null;
  }

  /** Adds unpacked dimensions: `type name [4][0:7]`. */
  withUnpacked(type: DataType, ranges: readonly RangeNode[], scope: Scope): DataType {
    let result = type;
    for (let i = ranges.length - 1; i >= 0; i--) {
      const range = ranges[i];
      const container = this.container(range, result, scope);
      if (container) {
        if (result.kind === "array") result = asVector(result) ?? result;
        if (result.kind !== "array") {
          result = { ...(container as ContainerType), element: result };
          continue;
        }
        this.host.report.error(
          "verilog/unsupported",
          range.loc,
          `A ${typeText(result)} cannot be an element of a dynamic array or queue.`,
          "Give it elements that have bits.",
        );
        return type;
      }
      const dim = this.dim(range, scope);
      result = result.kind === "container" ? fixedContainer(dim, result) : { kind: "array", dim, element: result };
    }
    let count = 1;
    for (let at = result; at.kind === "array"; at = at.element) count *= sizeOf(at.dim);
    if (count > maxArray) {
      this.tooLarge(ranges[0].loc, count);
      return type;
    }
    return result;
  }

  private named(node: NamedType, scope: Scope): DataType {
    const { scope: pack, name, loc, params, scopeParams } = node;
    const where = pack === null ? scope : this.host.refs.scopeNamed(pack, scopeParams, loc, scope);
    if (!where) return vectorType(1);
    const meaning = pack === null ? where.find(name) : where.own(name);
    if (meaning?.kind === "type") return meaning.type;
    if (meaning?.kind === "class") {
      const own = scope.classAround;
      // its plain name means the class itself within its text
      if (!params && own && own.node === meaning.decl.node) return { kind: "class", info: own };
      return {
        kind: "class",
        info: this.host.classes.infoOf(meaning.decl, params, scope, loc),
      };
    }
    const near = nearestName(
      name,
      [...where.visibleNames()].filter((other) => where.find(other)?.kind === "type"),
    );
    this.host.report.error(
      "verilog/unknown-type",
      loc,
      meaning ? `'${name}' is not a type.` : `There is no type '${name}'.`,
      /^(?:int|byte|shortint|longint|bit|logic|string)$/.test(name)
        ? "It is a word of SystemVerilog: give the file a name that ends in .sv."
        : near
          ? `Did you mean '${near}'?`
          : "Declare it with typedef, or import its package.",
    );
    return vectorType(1);
  }

  private enumeration(node: EnumType, scope: Scope): DataType {
    const { report, exprs } = this.host;
    const base = node.base ? this.bind(node.base, scope) : words.int;
    if (base.kind !== "integral") {
      report.error("verilog/enum", node.loc, "The base of an enumeration must have bits.", "Use logic [N-1:0] or int.");
      return words.int;
    }
    const members: { name: string; value: Value; loc: Loc }[] = [];
    let next: Value = { a: 0n, b: 0n };
    let past = false;
    for (const member of node.members) {
      let value = next;
      if (member.value) {
        const given = exprs.constant(member.value, scope, "The value of an enumeration's name", base);
        if (given && typeof given.value === "object") value = given.value;
      } else if (past) {
        report.error(
          "verilog/enum",
          member.loc,
          `The value of '${member.name}' does not fit ${base.width} bits.`,
          "Give the enumeration a wider base.",
        );
      }
      const names: string[] = [];
      if (member.range) {
        const dim = this.dim(member.range, scope);
        const from = member.range.right === null ? 0 : dim.left;
        const step = dim.right >= from ? 1 : -1;
        for (let i = from; i !== dim.right + step; i += step) names.push(`${member.name}${i}`);
      } else names.push(member.name);
      for (const name of names) {
        const same = members.find((other) => other.value.a === value.a && other.value.b === value.b);
        if (same)
          report.error(
            "verilog/enum",
            member.loc,
            `'${name}' has the same value as '${same.name}'.`,
            "Give each name its own value.",
          );
        members.push({ name, value, loc: member.loc });
        // one more than the greatest is none
        past = value.a === (1n << BigInt(base.width - (base.signed ? 1 : 0))) - 1n;
        value = { a: BigInt.asUintN(base.width, value.a + 1n), b: value.b };
      }
      next = value;
    }
    const info = { name: "", members: members.map(({ name, value }) => ({ name, value })) };
    const type: IntegralType = { ...base, enumeration: info, name: null };
    for (const member of members) {
      const constant = { value: member.value, type };
      if (!scope.declare(member.name, { kind: "constant", constant, loc: member.loc })) {
        const old = scope.own(member.name);
        if (!(old?.kind === "constant" && old.loc === member.loc))
          report.error(
            "verilog/duplicate",
            member.loc,
            `'${member.name}' is declared twice in the same scope.`,
            "Rename or remove one of them.",
          );
      }
    }
    return type;
  }

  private struct(node: StructType, scope: Scope): DataType {
    const { report } = this.host;
    const members: { name: string; type: IntegralType; init: Value | null }[] = [];
    let fourState = false;
    for (const member of node.members) {
      const type = this.bind(member.type, scope);
      for (const name of member.names) {
        const whole = this.withUnpacked(type, name.dims, scope);
        const flat = (node.packed ? null : asMember(whole)) ?? flattenArray(whole);
        if (!flat) {
          report.error(
            "verilog/struct",
            name.loc,
            `A ${typeText(whole)} cannot be a member of this struct.`,
            "Members of packed structs must have bits; elsewhere arrays of strings and reals need variables of their own.",
          );
          continue;
        }
        if (members.some((other) => other.name === name.name))
          report.error("verilog/duplicate", name.loc, `'${name.name}' is a member already.`, "Rename one of them.");
        const given = name.init
          ? this.host.exprs.constant(name.init, scope, "The start value of a member", flat)
          : null;
        const init = given && typeof given.value === "object" ? given.value : null;
        members.push({ name: name.name, type: flat, init });
        fourState ||= flat.fourState;
      }
    }
    if (members.length === 0) return vectorType(1);
    const width = node.union
      ? Math.max(...members.map((member) => member.type.width))
      : members.reduce((sum, member) => sum + member.type.width, 0);
    if (node.union && node.packed && members.some((member) => member.type.width !== width))
      report.error(
        "verilog/struct",
        node.loc,
        "The members of a packed union have different widths.",
        "Pad the narrow ones.",
      );
    let at = width;
    const placed: StructMember[] = members.map((member) => {
      if (!node.union) at -= member.type.width;
      return { ...member, offset: node.union ? 0 : at };
    });
    return {
      kind: "integral",
      width,
      signed: node.signed,
      fourState,
      dims: [],
      struct: { union: node.union, members: placed },
      enumeration: null,
      name: null,
      unpackedStruct: !node.packed,
    };
  }
}

/** An array of bits within a struct becomes packed dimensions. null for what has no bits. */
function flattenArray(type: DataType): IntegralType | null {
  if (type.kind === "integral") return type;
  if (type.kind !== "array") return null;
  const element = flattenArray(type.element);
  if (!element || bitsOf(type) > maxVectorWidth) return null;
  // elements ascend from the lowest bound, like those of any packed dimension from its right bound
  return {
    ...element,
    width: element.width * sizeOf(type.dim),
    signed: false,
    dims: [
      type.dim,
      ...(element.dims.length || element.struct
        ? element.dims
        : element.width > 1
          ? [{ left: element.width - 1, right: 0 }]
          : []),
    ],
    enumeration: null,
    name: null,
  };
}
