import type { RtlKind } from "./rtl.ts";

/**
 * Names of what a circuit has and the source does not: the source's own name, a colon, and what it is in words, as in
 * `still:sum`, `steady:register`, `repeat_full:equal2`. The second of a kind is numbered 2.
 */
export const wordOfKind: Readonly<Record<RtlKind, string>> = {
  not: "inverse",
  and: "both",
  or: "either",
  xor: "differ",
  mux: "choice",
  redand: "all",
  redor: "any",
  redxor: "parity",
  add: "sum",
  sub: "difference",
  mul: "product",
  div: "quotient",
  mod: "remainder",
  eq: "equal",
  lt: "less",
  shl: "shifted_up",
  shr: "shifted_down",
  sshr: "shifted_down_signed",
  ff: "register",
  latch: "latch",
  mem: "memory",
  block: "block",
};

export function madeName(owner: string, word: string, count = 1): string {
  return count === 1 ? `${owner}:${word}` : `${owner}:${word}${count}`;
}

/** The name of a vector's bit or of one of its cells, without what `madeName` added for a kind. */
export function ownerOfName(name: string, kind: RtlKind): string {
  const word = wordOfKind[kind];
  const at = name.lastIndexOf(`:${word}`);
  return at >= 0 && /^\d*$/.test(name.slice(at + word.length + 1)) ? name.slice(0, at) : name;
}

/** A port bit's name, from that of its pad. */
export function portOfPad(name: string): string {
  return name.endsWith(":pad") ? name.slice(0, -4) : name;
}

/** What a made name belongs to, whatever kind it is of: `still` of `still:sum2`. Numbers alone are the source's locals. */
export function ownerOfMade(name: string): string {
  return name.replace(/:[a-z_]+\d*$/, "");
}
