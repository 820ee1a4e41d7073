import type { Loc } from "../../common/source.ts";
import type { ExprNode, StreamNode, UnstreamNode } from "../../hdl/verilog/ast.ts";
import { maxVectorWidth } from "../../hdl/verilog/number-text.ts";
import type { Expr, Signal, Subroutine, Target } from "../model.ts";
import { Scope } from "../scope.ts";
import { asVector, typeText, vectorType } from "../types.ts";
import type { Host } from "./host.ts";

/** A stream as a value that is as wide as its parts; null after a finding. */
export function streamValue(host: Host, node: StreamNode, scope: Scope): Expr | null {
  const parts: Expr[] = [];
  for (const part of node.parts) {
    const bits = partBits(host, part, scope);
    if (!bits) return null;
    parts.push(bits);
  }
  const width = parts.reduce((sum, part) => sum + part.width, 0);
  if (width > maxVectorWidth) {
    host.report.error(
      "verilog/width",
      node.loc,
      `This stream has ${width} bits.`,
      `Use at most ${maxVectorWidth} bits.`,
    );
    return null;
  }
  const whole: Expr =
    parts.length === 1 ? { ...parts[0], signed: false } : { op: "concat", parts, width, signed: false, loc: node.loc };
  return reordered(host, whole, node, scope);
}

/** Bits of all parts of a stream, without findings; 1 where it has no fixed size. */
export function streamWidth(host: Host, node: StreamNode, scope: Scope): number {
  return Math.max(
    1,
    node.parts.reduce((sum, part) => sum + partWidth(host, part, scope), 0),
  );
}

function partWidth(host: Host, node: ExprNode, scope: Scope): number {
  if (node.kind === "stream") return streamWidth(host, node, scope);
  const type = host.refs.typeOfNode(node, scope);
  if (type.kind === "array") return asVector(type)?.width ?? 0;
  return type.kind === "integral" ? type.width : 0;
}

/** A part of a stream, the element with the left index first. */
function partBits(host: Host, node: ExprNode, scope: Scope): Expr | null {
  const { refs, exprs } = host;
  if (node.kind === "stream") return streamValue(host, node, scope);
  const type = refs.typeOfNode(node, scope);
  if (type.kind === "array") {
    const vector = asVector(type);
    const ref = refs.resolve(node, scope);
    if (vector && ref?.kind === "data") return refs.arrayBits(ref, vector);
  } else if (type.kind === "integral" && !type.holds) return exprs.selfDetermined(node, scope);
  host.report.error(
    "verilog/unsupported",
    node.loc,
    `A ${typeText(type)} cannot be part of a stream here: only what has a fixed number of bits can.`,
    "Take its elements one by one.",
  );
  return null;
}

/**
 * What a variable or net of `width` bits takes from a stream (IEEE 1800-2017 clause 11.4.14): it is filled from the
 * left, and zeros follow where the stream ends before it. What stands left of an assignment as a stream takes as many
 * bits as it has, those on the left; the rest is not used.
 */
export function streamAssigned(host: Host, node: StreamNode | UnstreamNode, width: number, scope: Scope): Expr | null {
  const { report, exprs } = host;
  const { loc } = node;
  if (node.kind === "stream") {
    const value = streamValue(host, node, scope);
    if (!value) return null;
    if (value.width > width) {
      report.error(
        "verilog/stream",
        loc,
        `The stream has ${value.width} bits, and what it is assigned to ${width}.`,
        "Assign it to something as wide, or take a part of it by a cast.",
      );
      return null;
    }
    if (value.width === width) return value;
    const zeros: Expr = {
      op: "const",
      value: { a: 0n, b: 0n },
      width: width - value.width,
      signed: false,
      loc,
    };
    return { op: "concat", parts: [value, zeros], width, signed: false, loc };
  }
  const value = node.value.kind === "stream" ? streamValue(host, node.value, scope) : partBits(host, node.value, scope);
  if (!value) return null;
  if (value.width < width) {
    report.error(
      "verilog/stream",
      loc,
      `The stream takes ${width} bits; ${value.width} are assigned to it.`,
      "Give it at least as many.",
    );
    return null;
  }
  const taken: Expr =
    value.width === width
      ? value
      : value.op === "const" || value.op === "signal"
        ? { op: "slice", arg: value, lsb: value.width - width, width, signed: false, loc }
        : once(host, value, scope, loc, (held) => ({
            op: "slice",
            arg: held,
            lsb: value.width - width,
            width,
            signed: false,
            loc,
          }));
  return reordered(host, exprs.resize(taken, width, loc), node, scope);
}

/** Targets of a stream, the element with the left index first; null after a finding. */
export function streamTarget(host: Host, node: StreamNode, scope: Scope): Target | null {
  const { refs } = host;
  const parts: Target["parts"][number][] = [];
  for (const part of node.parts) {
    const type = part.kind === "stream" ? null : refs.typeOfNode(part, scope);
    const vector = type?.kind === "array" ? asVector(type) : null;
    if (part.kind === "stream" || (type && type.kind !== "integral" && !vector)) {
      host.report.error(
        "verilog/stream",
        part.loc,
        type ? `A ${typeText(type)} takes no bits of a stream.` : "A stream within a stream takes no bits.",
        "Name variables with a fixed number of bits.",
      );
      return null;
    }
    const target = vector ? refs.arrayTarget(part, vector, scope) : refs.target(part, scope);
    if (!target) return null;
    parts.push(...target.parts);
  }
  return { parts, width: parts.reduce((sum, part) => sum + part.width, 0), loc: node.loc };
}

/** Bits of a block; null after a finding. */
function sliceSize(host: Host, { slice }: StreamNode | UnstreamNode, scope: Scope): number | null {
  if (!slice) return 1;
  const ref = host.refs.isReference(slice) ? host.refs.resolve(slice, scope) : null;
  const type = slice.kind === "type" ? host.types.bind(slice.type, scope) : ref?.kind === "type" ? ref.type : null;
  const size = type
    ? type.kind === "integral"
      ? type.width
      : 0
    : host.exprs.integer(slice, scope, "The size of a stream's blocks");
  if (size === null) return null;
  if (size >= 1) return size;
  host.report.error(
    "verilog/stream",
    slice.loc,
    "A stream's blocks have at least one bit.",
    "Write a size from 1 on, or a type with a fixed number of bits.",
  );
  return null;
}

/** Blocks of the value, counted from its right end, the other way round; the last one may be short. */
function reordered(host: Host, value: Expr, node: StreamNode | UnstreamNode, scope: Scope): Expr | null {
  const size = sliceSize(host, node, scope);
  if (size === null) return null;
  const { width } = value;
  if (node.op === ">>" || size >= width) return value;
  const { loc } = node;
  const blocks = (from: Expr): Expr => {
    const parts: Expr[] = [];
    for (let lsb = 0; lsb < width; lsb += size)
      parts.push({ op: "slice", arg: from, lsb, width: Math.min(size, width - lsb), signed: false, loc });
    return { op: "concat", parts, width, signed: false, loc };
  };
  return value.op === "signal" || value.op === "const" ? blocks(value) : once(host, value, scope, loc, blocks);
}

/** A value that is used several times and must be worked out once: as the argument of a function of its own. */
function once(host: Host, value: Expr, outer: Scope, loc: Loc, use: (held: Expr) => Expr): Expr {
  const scope = new Scope(outer, outer.instance, `${outer.prefix}stream.`, "stream", "subroutine");
  scope.automatic = true;
  const local = (name: string, width: number): Signal =>
    host.newSignal(name, loc, scope, { type: vectorType(width), kind: "local", automatic: true });
  const held = local("stream value", value.width);
  const made = use({ op: "signal", signal: held, width: held.width, signed: false, loc });
  const result = local("stream", made.width);
  const func: Subroutine = {
    name: "stream",
    task: false,
    automatic: true,
    args: [{ signal: held, direction: "input" }],
    result,
    locals: [],
    body: host.stmts.plain(result, made, loc),
    suspends: false,
    id: { name: "stream", disabled: false },
    instance: outer.instance,
    loc,
  };
  host.subroutines.push(func);
  return { op: "call", func, args: [value], width: made.width, signed: false, loc };
}
