import type { Value } from "../../model.ts";
import type { Shape } from "../values/shapes.ts";
import { fromCodes } from "../values/values.ts";
import { widthOf } from "./circuit-expr.ts";

/** Four-valued bits as a value of VHDL: whole numbers take x and z as 0. */
export function fromFourState(value: Value, shape: Shape): unknown {
  const width = widthOf(shape) ?? 0;
  switch (shape.k) {
    case "s": {
      const { type } = shape;
      if (type.kind === "enum" && type.packing === "logic") return codeAt(value, 0);
      const known = value.a & ~value.b;
      if (type.kind === "enum")
        return type.packing === "bit" ? Number(known & 1n) : Math.min(Number(known), type.literals.length - 1);
      const signed = Number(shape.lo ?? (type.kind === "int" ? type.low : 0)) < 0;
      return Number(signed ? BigInt.asIntN(width, known) : known);
    }
    case "a": {
      if (shape.pack) {
        const codes = new Uint8Array(width);
        for (let i = 0; i < width; i++)
          codes[i] = shape.pack === "bit" ? 2 + Number(((value.a & ~value.b) >> BigInt(i)) & 1n) : codeAt(value, i);
        return fromCodes(codes);
      }
      const rest = shape.dims!.slice(1);
      const inner: Shape = rest.length ? { ...shape, dims: rest } : shape.elem;
      const size = widthOf(inner) ?? 0;
      const { n } = shape.dims![0];
      return piecesOf(value, n, size).map((piece) => fromFourState(piece, inner));
    }
    case "r": {
      let at = width;
      return shape.fields.map((field) => {
        const size = widthOf(field) ?? 0;
        at -= size;
        return fromFourState(part(value, at, size), field);
      });
    }
    case "o":
      return null;
  }
}
/** Stretches of the same size, the highest first: by halves, since each step takes as long as what it cuts. */
function piecesOf(value: Value, count: number, size: number): Value[] {
  if (count <= 1) return count ? [value] : [];
  const low = count >> 1;
  const lowBits = low * size;
  return [
    ...piecesOf(part(value, lowBits, (count - low) * size), count - low, size),
    ...piecesOf(part(value, 0, lowBits), low, size),
  ];
}
const part = (value: Value, lo: number, n: number): Value => {
  const mask = (1n << BigInt(n)) - 1n;
  return { a: (value.a >> BigInt(lo)) & mask, b: (value.b >> BigInt(lo)) & mask };
};
function codeAt(value: Value, i: number): number {
  const a = (value.a >> BigInt(i)) & 1n;
  const b = (value.b >> BigInt(i)) & 1n;
  return b ? (a ? 1 : 4) : a ? 3 : 2;
}
