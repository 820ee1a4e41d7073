import type { Loc } from "../common/source.ts";
import { madeName, wordOfKind } from "./made-names.ts";
import {
  type Bits,
  bit0,
  bit1,
  bitX,
  type FlipFlopModes,
  firstNet,
  type RtlBlock,
  type RtlCell,
  type RtlKind,
  type RtlMemory,
} from "./rtl.ts";

/**
 * Makes word-level cells and folds constants on the way. All values are bit vectors, least significant bit first.
 * An x counts as "either": folding may take it as the value that makes the circuit smaller.
 */
export class RtlBuilder {
  netCount = firstNet;
  readonly cells: RtlCell[] = [];
  readonly cellLocs: Loc[] = [];
  /** Name and place that new cells take over. */
  hint = "";
  loc: Loc = { file: 0, start: 0, end: 0 };
  private readonly nameCounts = new Map<string, number>();

  nets(width: number): number[] {
    const first = this.netCount;
    this.netCount += width;
    return Array.from({ length: width }, (_, i) => first + i);
  }

  constant(value: { a: bigint; b: bigint }, width: number): number[] {
    const a = value.a.toString(2).padStart(width, "0");
    const b = value.b.toString(2).padStart(width, "0");
    const bits: number[] = [];
    for (let i = 0; i < width; i++) {
      const known = b[b.length - 1 - i] === "0";
      bits.push(known ? (a[a.length - 1 - i] === "1" ? bit1 : bit0) : bitX);
    }
    return bits;
  }

  add(
    kind: RtlKind,
    inputs: readonly Bits[],
    width: number,
    signed = false,
    modes: FlipFlopModes | null = null,
    output?: Bits,
    memory?: RtlMemory,
    block?: RtlBlock,
  ): Bits {
    const base = madeName(this.hint, wordOfKind[kind]);
    const count = (this.nameCounts.get(base) ?? 0) + 1;
    this.nameCounts.set(base, count);
    const out = output ?? this.nets(width);
    const name = count === 1 ? base : `${base}${count}`;
    this.cells.push({
      kind,
      name,
      inputs,
      output: out,
      signed,
      modes,
      ...(memory ? { memory } : {}),
      ...(block ? { block } : {}),
    });
    this.cellLocs.push(this.loc);
    return out;
  }

  /** A bitwise cell over those bits that `fold` leaves open. */
  private bitwise(kind: RtlKind, inputs: readonly Bits[], fold: (at: number) => number): number[] {
    const width = inputs[0].length;
    const out = new Array<number>(width);
    const open: number[] = [];
    for (let i = 0; i < width; i++) {
      out[i] = fold(i);
      if (out[i] < 0) open.push(i);
    }
    if (open.length) {
      const made = this.add(
        kind,
        inputs.map((input) => open.map((i) => input[i])),
        open.length,
      );
      open.forEach((at, i) => {
        out[at] = made[i];
      });
    }
    return out;
  }

  not(a: Bits): number[] {
    return this.bitwise("not", [a], (i) => (a[i] === bit0 ? bit1 : a[i] === bit1 ? bit0 : a[i] === bitX ? bitX : -1));
  }

  and(a: Bits, b: Bits): number[] {
    return this.bitwise("and", [a, b], (i) => {
      if (a[i] === bit0 || b[i] === bit0) return bit0;
      if (a[i] === bit1) return b[i];
      if (b[i] === bit1 || a[i] === b[i]) return a[i];
      return a[i] === bitX || b[i] === bitX ? bit0 : -1;
    });
  }

  or(a: Bits, b: Bits): number[] {
    return this.bitwise("or", [a, b], (i) => {
      if (a[i] === bit1 || b[i] === bit1) return bit1;
      if (a[i] === bit0) return b[i];
      if (b[i] === bit0 || a[i] === b[i]) return a[i];
      return a[i] === bitX || b[i] === bitX ? bit1 : -1;
    });
  }

  xor(a: Bits, b: Bits): number[] {
    const inverted: number[] = [];
    const out = this.bitwise("xor", [a, b], (i) => {
      if (a[i] === bitX || b[i] === bitX) return bitX;
      if (a[i] === b[i]) return bit0;
      if (a[i] === bit0) return b[i];
      if (b[i] === bit0) return a[i];
      if (a[i] === bit1 || b[i] === bit1) {
        if (a[i] <= bit1 && b[i] <= bit1) return bit1;
        inverted.push(i);
        return bit0; // replaced below
      }
      return -1;
    });
    if (inverted.length) {
      const made = this.not(inverted.map((i) => (a[i] === bit1 ? b[i] : a[i])));
      inverted.forEach((at, i) => {
        out[at] = made[i];
      });
    }
    return out;
  }

  /** `yes` where `select` is 1. */
  mux(select: number, yes: Bits, no: Bits): number[] {
    if (select === bit1) return [...yes];
    if (select === bit0 || select === bitX) return [...no];
    const width = yes.length;
    const out = new Array<number>(width);
    const open: number[] = [];
    for (let i = 0; i < width; i++) {
      const y = yes[i];
      const n = no[i];
      if (y === n || n === bitX) out[i] = y;
      else if (y === bitX) out[i] = n;
      else if (y === bit1 && n === bit0) out[i] = select;
      else open.push(i);
    }
    const one = [select];
    const rest: number[] = [];
    for (const i of open) {
      // constant arms are gates, which later stages share better
      if (no[i] === bit0) out[i] = this.and(one, [yes[i]])[0];
      else if (yes[i] === bit1) out[i] = this.or(one, [no[i]])[0];
      else if (yes[i] === bit0) out[i] = this.and(this.not(one), [no[i]])[0];
      else rest.push(i);
    }
    if (rest.length) {
      const made = this.add("mux", [one, rest.map((i) => yes[i]), rest.map((i) => no[i])], rest.length);
      rest.forEach((at, i) => {
        out[at] = made[i];
      });
    }
    return out;
  }

  reduce(kind: "redand" | "redor" | "redxor", a: Bits): number {
    const absorbing = kind === "redand" ? bit0 : kind === "redor" ? bit1 : -1;
    if (a.includes(absorbing)) return absorbing;
    if (kind === "redxor") {
      if (a.includes(bitX)) return bitX;
      const flip = a.filter((bit) => bit === bit1).length & 1;
      const open = a.filter((bit) => bit > bitX);
      const value = open.length === 0 ? bit0 : open.length === 1 ? open[0] : this.add("redxor", [open], 1)[0];
      return flip ? this.not([value])[0] : value;
    }
    const open = [...new Set(a.filter((bit) => bit > bitX))];
    if (open.length === 0) return a.includes(bitX) ? bitX : kind === "redand" ? bit1 : bit0;
    return open.length === 1 ? open[0] : this.add(kind, [open], 1)[0];
  }

  eq(a: Bits, b: Bits): number {
    const left: number[] = [];
    const right: number[] = [];
    for (let i = 0; i < a.length; i++) {
      if (a[i] === b[i] || a[i] === bitX || b[i] === bitX) continue;
      if (a[i] <= bit1 && b[i] <= bit1) return bit0;
      left.push(a[i]);
      right.push(b[i]);
    }
    if (left.length === 0) return bit1;
    if (left.length === 1) {
      if (right[0] === bit1) return left[0];
      if (left[0] === bit1) return right[0];
      if (right[0] === bit0) return this.not(left)[0];
      if (left[0] === bit0) return this.not(right)[0];
    }
    return this.add("eq", [left, right], 1)[0];
  }

  lt(a: Bits, b: Bits, signed: boolean): number {
    const [x, y] = [numberOf(a), numberOf(b)];
    if (x !== null && y !== null) return (signed ? asSigned(x, a.length) < asSigned(y, b.length) : x < y) ? bit1 : bit0;
    if (!signed && y === 0n) return bit0;
    return this.add("lt", [a, b], 1, signed)[0];
  }

  arithmetic(kind: "add" | "sub" | "mul" | "div" | "mod", a: Bits, b: Bits, signed: boolean): Bits {
    const width = a.length;
    const [x, y] = [numberOf(a), numberOf(b)];
    if (x !== null && y !== null && !((kind === "div" || kind === "mod") && y === 0n)) {
      const [l, r] = signed ? [asSigned(x, width), asSigned(y, width)] : [x, y];
      const value =
        kind === "add" ? l + r : kind === "sub" ? l - r : kind === "mul" ? l * r : kind === "div" ? l / r : l % r;
      return this.constant({ a: BigInt.asUintN(width, value), b: 0n }, width);
    }
    if ((kind === "add" || kind === "sub") && y === 0n) return a;
    if (kind === "add" && x === 0n) return b;
    if (kind === "mul") {
      if (x === 0n || y === 0n) return new Array<number>(width).fill(bit0);
      for (const [value, other] of [
        [x, b],
        [y, a],
      ] as const) {
        if (value !== null && (value & (value - 1n)) === 0n) return shiftLeft(other, value.toString(2).length - 1);
      }
    }
    if ((kind === "div" || kind === "mod") && !signed && y !== null && y !== 0n && (y & (y - 1n)) === 0n) {
      const by = y.toString(2).length - 1;
      const kept = kind === "div" ? a.slice(by) : a.slice(0, by);
      return [...kept, ...new Array<number>(width - kept.length).fill(bit0)];
    }
    return this.add(kind, [a, b], width, signed);
  }

  shift(kind: "shl" | "shr" | "sshr", a: Bits, by: Bits): Bits {
    const amount = numberOf(by);
    const width = a.length;
    if (amount === null) return this.add(kind, [a, by], width);
    const n = amount > BigInt(width) ? width : Number(amount);
    if (kind === "shl") return shiftLeft(a, n);
    const fill = kind === "sshr" ? a[width - 1] : bit0;
    return [...a.slice(n), ...new Array<number>(n).fill(fill)];
  }
}

/** Value of a vector of known bits, or null. */
export function numberOf(bits: Bits): bigint | null {
  let text = "";
  for (const bit of bits) {
    if (bit > bit1) return null;
    text = (bit === bit1 ? "1" : "0") + text;
  }
  return text ? BigInt(`0b${text}`) : 0n;
}

function asSigned(value: bigint, width: number): bigint {
  return BigInt.asIntN(width, value);
}

function shiftLeft(a: Bits, by: number): number[] {
  return [...new Array<number>(by).fill(bit0), ...a].slice(0, a.length);
}
