/**
 * Values of VHDL while they are simulated.
 *
 * Scalars are numbers: whole numbers, reals, positions of enumeration values, base units of physical types.
 * Strings are JavaScript strings. Records and other arrays are lists, leftmost element first.
 *
 * Arrays of logic, bits and booleans are `Bits`: bit 0 is the rightmost element. While every element is 0 or 1 they are
 * one number: a signed 32-bit integer up to 32 elements, a BigInt above. With any other of the nine values in it, an
 * array of logic is a `Codes`. There is one form for each value, so that equal values of plain bits are `===`.
 */

/** Positions of std_ulogic's values, one for each element, bit 0 first. Never changed once made. */
export class Codes {
  constructor(readonly c: Uint8Array) {}
}
export type Bits = number | bigint | Codes;

/** An array whose bounds only the run knows: its value, left index, direction (1: downto) and length. */
export class Arr {
  constructor(
    readonly p: unknown,
    readonly l: number,
    readonly d: 0 | 1,
    readonly n: number,
  ) {}
  get r(): number {
    return this.d ? this.l - this.n + 1 : this.l + this.n - 1;
  }
}

export const U = 0;
export const X = 1;
export const L0 = 2;
const L1 = 3;
export const Z = 4;
export const W = 5;
export const L = 6;
export const H = 7;
export const D = 8;

/** [9 x 9] Tables of std_logic_1164 (IEEE 1076-2008 annex G), by row and column in the order UX01ZWLH-. */
const table = (text: string): Uint8Array =>
  Uint8Array.from([...text.replace(/\s/g, "")].map((c) => "UX01ZWLH-".indexOf(c)));
export const resolutionTable = table(`
UUUUUUUUU UXXXXXXXX UX0X0000X UXX11111X UX01ZWLHX UX01WWWWX UX01LWLWX UX01HWWHX UXXXXXXXX`);
export const andTable = table(`
UU0UUU0UU UX0XXX0XX 000000000 UX01XX01X UX0XXX0XX UX0XXX0XX 000000000 UX01XX01X UX0XXX0XX`);
export const orTable = table(`
UUU1UUU1U UXX1XXX1X UX01XX01X 111111111 UXX1XXX1X UXX1XXX1X UX01XX01X 111111111 UXX1XXX1X`);
export const xorTable = table(`
UUUUUUUUU UXXXXXXXX UX01XX01X UX10XX10X UXXXXXXXX UXXXXXXXX UX01XX01X UX10XX10X UXXXXXXXX`);
export const notTable = table("UX10XX10X");
/** To X, 0 or 1. */
export const x01Table = table("XX01XX01X");
export const x01zTable = table("XX01ZX01X");
export const ux01Table = table("UX01XX01X");
/** 0 or 1 of L, H, 0 and 1; 2 for what is none. */
export const bitOf = Uint8Array.from([2, 2, 0, 1, 2, 2, 0, 1, 2]);

export const maskOf = (n: number): number => (n >= 32 ? -1 : (1 << n) - 1);
const bigMasks: bigint[] = [];
function bigMask(n: number): bigint {
  let mask = bigMasks[n];
  if (mask === undefined) {
    mask = (1n << BigInt(n)) - 1n;
    if (n < 4096) bigMasks[n] = mask;
  }
  return mask;
}

/** Codes, or the number that they are. The array is taken over. */
export function fromCodes(c: Uint8Array): Bits {
  const n = c.length;
  for (let i = 0; i < n; i++) if (c[i] !== L0 && c[i] !== L1) return new Codes(c);
  if (n <= 32) {
    let v = 0;
    for (let i = 0; i < n; i++) v |= (c[i] & 1) << i;
    return v;
  }
  return bigOfBits(c);
}
function bigOfBits(c: Uint8Array): bigint {
  let text = "0b";
  for (let i = c.length - 1; i >= 0; i--) text += c[i] & 1 ? "1" : "0";
  return BigInt(text);
}

/** Codes of a value, not to be changed. */
export function codesOf(p: Bits, n: number): Uint8Array {
  if (p instanceof Codes) return p.c;
  const c = new Uint8Array(n);
  if (typeof p === "number") for (let i = 0; i < n; i++) c[i] = L0 + ((p >>> i) & 1);
  else {
    const text = p.toString(2);
    c.fill(L0);
    for (let i = 0; i < text.length; i++) if (text.charCodeAt(text.length - 1 - i) === 49) c[i] = L1;
  }
  return c;
}
/** As an unsigned number; null with other values than 0, 1, L and H in it. */
export function bigOf(p: Bits, n: number): bigint | null {
  if (typeof p === "number") return BigInt(n >= 32 ? p >>> 0 : p);
  if (typeof p === "bigint") return p;
  const c = p.c;
  const plain = new Uint8Array(n);
  for (let i = 0; i < n; i++) {
    const bit = bitOf[c[i]];
    if (bit === 2) return null;
    plain[i] = bit;
  }
  return n === 0 ? 0n : bigOfBits(plain);
}
/** The lowest `n` bits of a number of any sign. */
export function fromBig(v: bigint, n: number): Bits {
  if (n <= 32) return n === 0 ? 0 : Number(BigInt.asIntN(32, BigInt.asUintN(n, v)));
  return v & bigMask(n);
}
/** The lowest `n` bits of a whole number up to 2^53. */
export function fromInt(v: number, n: number): Bits {
  if (n <= 32) return n === 32 ? v | 0 : (v % 4294967296) & maskOf(n);
  return BigInt(v) & bigMask(n);
}

/** Elements of a vector. */
const mostBits = 2 ** 26;

export function allOf(code: number, n: number): Bits {
  if (n === 0) return 0;
  if (n > mostBits) throw new RangeError(`a vector of ${n} elements`);
  if (code === L0) return n <= 32 ? 0 : 0n;
  if (code === L1) return n <= 32 ? maskOf(n) : bigMask(n);
  return new Codes(new Uint8Array(n).fill(code));
}

/** Code of bit `i`. */
export function getL(p: Bits, i: number): number {
  if (typeof p === "number") return L0 + ((p >>> i) & 1);
  if (typeof p === "bigint") return (p >> BigInt(i)) & 1n ? L1 : L0;
  return p.c[i];
}
/** Bit `i` of an array of two values. */
export function getB(p: number | bigint, i: number): number {
  return typeof p === "number" ? (p >>> i) & 1 : Number((p >> BigInt(i)) & 1n);
}
export function setL(p: Bits, n: number, i: number, code: number): Bits {
  if (typeof p === "number" && (code & ~1) === 2) return code & 1 ? p | (1 << i) : p & ~(1 << i);
  if (typeof p === "bigint" && (code & ~1) === 2) {
    const bit = 1n << BigInt(i);
    return code & 1 ? p | bit : p & ~bit;
  }
  const c = codesOf(p, n).slice();
  c[i] = code;
  return fromCodes(c);
}
export function setB(p: number | bigint, n: number, i: number, bit: number): number | bigint {
  return setL(p, n, i, L0 + bit) as number | bigint;
}

/** Bits `lo` to `lo + len - 1`. */
export function sliceL(p: Bits, lo: number, len: number): Bits {
  if (typeof p === "number") return len >= 32 ? p : (p >>> lo) & maskOf(len);
  if (len === 0) return 0;
  if (typeof p === "bigint") {
    const v = (p >> BigInt(lo)) & bigMask(len);
    return len <= 32 ? Number(v) | 0 : v;
  }
  return fromCodes(p.c.slice(lo, lo + len));
}
/** `p` with bits from `lo` on replaced by the `len` bits of `q`. */
export function insertL(p: Bits, n: number, lo: number, q: Bits, len: number): Bits {
  if (len === n) return q;
  if (len === 0) return p;
  if (typeof p === "number" && typeof q === "number") {
    const mask = maskOf(len) << lo;
    return (p & ~mask) | (q << lo);
  }
  if (typeof p === "bigint" && !(q instanceof Codes)) {
    const at = BigInt(lo);
    const v = typeof q === "number" ? BigInt(q >>> 0) : q;
    return (p & ~(bigMask(len) << at)) | (v << at);
  }
  const c = codesOf(p, n).slice();
  c.set(codesOf(q, len), lo);
  return fromCodes(c);
}
/** `a & b`: `a` on the left. */
export function catL(a: Bits, na: number, b: Bits, nb: number): Bits {
  if (na === 0) return b;
  if (nb === 0) return a;
  if (typeof a === "number" && typeof b === "number" && na + nb <= 32) return (a << nb) | b;
  if (!(a instanceof Codes) && !(b instanceof Codes)) {
    const high = typeof a === "number" ? BigInt(a >>> 0) : a;
    const low = typeof b === "number" ? BigInt(b >>> 0) : b;
    return (high << BigInt(nb)) | low;
  }
  const c = new Uint8Array(na + nb);
  c.set(codesOf(b, nb));
  c.set(codesOf(a, na), nb);
  return fromCodes(c);
}

export function eqL(a: Bits, b: Bits): boolean {
  if (a === b) return true;
  if (!(a instanceof Codes && b instanceof Codes)) return false;
  const x = a.c;
  const y = b.c;
  if (x.length !== y.length) return false;
  for (let i = 0; i < x.length; i++) if (x[i] !== y[i]) return false;
  return true;
}

function byTable(a: Bits, b: Bits, n: number, rows: Uint8Array): Bits {
  const x = codesOf(a, n);
  const y = codesOf(b, n);
  const c = new Uint8Array(n);
  for (let i = 0; i < n; i++) c[i] = rows[x[i] * 9 + y[i]];
  return fromCodes(c);
}
export function andL(a: Bits, b: Bits, n: number): Bits {
  if (typeof a === "number" && typeof b === "number") return a & b;
  if (typeof a === "bigint" && typeof b === "bigint") return a & b;
  return byTable(a, b, n, andTable);
}
export function orL(a: Bits, b: Bits, n: number): Bits {
  if (typeof a === "number" && typeof b === "number") return a | b;
  if (typeof a === "bigint" && typeof b === "bigint") return a | b;
  return byTable(a, b, n, orTable);
}
export function xorL(a: Bits, b: Bits, n: number): Bits {
  if (typeof a === "number" && typeof b === "number") return a ^ b;
  if (typeof a === "bigint" && typeof b === "bigint") return a ^ b;
  return byTable(a, b, n, xorTable);
}
export function notL(a: Bits, n: number): Bits {
  if (typeof a === "number") return ~a & maskOf(n);
  if (typeof a === "bigint") return a ^ bigMask(n);
  return mapL(a, n, notTable);
}
export function mapL(a: Bits, n: number, values: Uint8Array): Bits {
  if (!(a instanceof Codes) && values[L0] === L0 && values[L1] === L1) return a;
  return fromCodes(codesOf(a, n).map((code) => values[code]));
}

// ---- numbers made of bits (numeric_std) -------------------------------------------------------------------------

/** Value of an array as a number; null where it holds more than 0, 1, L and H. */
export function numberOf(p: Bits, n: number, signed: boolean): bigint | null {
  const v = bigOf(p, n);
  return v !== null && signed && n > 0 ? BigInt.asIntN(n, v) : v;
}

/** Sign or zeros in front, or the upper bits cut off; `signed` keeps the sign when it narrows (numeric_std's resize). */
export function resizeL(p: Bits, n: number, to: number, signed: boolean): Bits {
  if (to === n) return p;
  if (n === 0) return allOf(L0, to);
  if (to < n) {
    if (!signed) return sliceL(p, 0, to);
    if (to === 0) return 0;
    return insertL(sliceL(p, 0, to), to, to - 1, sliceL(p, n - 1, 1), 1);
  }
  if (typeof p === "number" && to <= 32) return signed && (p >>> (n - 1)) & 1 ? (p | (-1 << n)) & maskOf(to) : p;
  if (p instanceof Codes) {
    const c = new Uint8Array(to).fill(signed ? p.c[n - 1] : L0);
    c.set(p.c);
    return fromCodes(c);
  }
  const v = typeof p === "number" ? BigInt(n >= 32 ? p >>> 0 : p) : p;
  return fromBig(signed ? BigInt.asIntN(n, v) : v, to);
}

export class DivideByZero extends Error {}

/**
 * Arithmetic of numeric_std on operands of any widths: both as numbers, the result cut to `n` bits. All X if an operand
 * holds more than 0, 1, L and H.
 */
export function arith(op: string, a: Bits, na: number, b: Bits, nb: number, n: number, signed: boolean): Bits {
  if (n === 0) return 0;
  const x = numberOf(a, na, signed);
  const y = numberOf(b, nb, signed);
  if (x === null || y === null) return allOf(X, n);
  switch (op) {
    case "+":
      return fromBig(x + y, n);
    case "-":
      return fromBig(x - y, n);
    case "*":
      return fromBig(x * y, n);
    default:
      if (y === 0n) throw new DivideByZero();
      if (op === "/") return fromBig(x / y, n);
      if (op === "rem") return fromBig(x % y, n);
      return fromBig(((x % y) + y) % y, n);
  }
}

/** -1, 0 or 1; NaN if an operand holds more than 0, 1, L and H. */
export function compareNumbers(a: Bits, na: number, b: Bits, nb: number, signed: boolean): number {
  const x = numberOf(a, na, signed);
  const y = numberOf(b, nb, signed);
  if (x === null || y === null) return Number.NaN;
  return x < y ? -1 : x > y ? 1 : 0;
}

/** Shift by any count; `fill` comes in: a code. Negative counts shift the other way. */
export function shiftL(p: Bits, n: number, count: number, fill: number, arithmeticLeft = false): Bits {
  if (n === 0 || count === 0) return p;
  const left = count > 0;
  const by = Math.min(n, Math.abs(count));
  if (typeof p === "number" && fill === L0 && !arithmeticLeft)
    return by >= 32 ? 0 : left ? (p << by) & maskOf(n) : (n >= 32 ? p >>> by : p >> by) | 0;
  const kept = left ? sliceL(p, 0, n - by) : sliceL(p, by, n - by);
  const more = allOf(fill, by);
  return left ? catL(kept, n - by, more, by) : catL(more, by, kept, n - by);
}
/** To the left for positive counts. */
export function rotateL(p: Bits, n: number, count: number): Bits {
  if (n === 0) return p;
  const by = ((count % n) + n) % n;
  if (by === 0) return p;
  return catL(sliceL(p, 0, n - by), n - by, sliceL(p, n - by, by), by);
}

/** Order of arrays: element by element from the left, the shorter first (9.2.3). */
export function orderL(a: Bits, na: number, b: Bits, nb: number): number {
  if (na === nb && !(a instanceof Codes) && !(b instanceof Codes)) {
    if (typeof a === "number" && typeof b === "number") return a >>> 0 < b >>> 0 ? -1 : a === b ? 0 : 1;
    return a < b ? -1 : a > b ? 1 : 0;
  }
  const least = Math.min(na, nb);
  for (let i = 1; i <= least; i++) {
    const x = getL(a, na - i);
    const y = getL(b, nb - i);
    if (x !== y) return x < y ? -1 : 1;
  }
  return na - nb;
}
export function orderList(a: readonly unknown[] | string, b: readonly unknown[] | string): number {
  const least = Math.min(a.length, b.length);
  for (let i = 0; i < least; i++) {
    const x = a[i] as number;
    const y = b[i] as number;
    if (x !== y) return x < y ? -1 : 1;
  }
  return a.length - b.length;
}

/** Equality of values of any type. */
export function same(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (a instanceof Codes) return b instanceof Codes && eqL(a, b);
  if (a instanceof Arr && b instanceof Arr) return a.n === b.n && same(a.p, b.p);
  if (Array.isArray(a) && Array.isArray(b)) {
    if (a.length !== b.length) return false;
    for (let i = 0; i < a.length; i++) if (!same(a[i], b[i])) return false;
    return true;
  }
  return false;
}
/** A list of lists as arrays that bring their bounds, by [left, direction, elements] of each dimension. */
export function nested(v: unknown, dims: readonly (readonly [number, 0 | 1, number])[]): unknown {
  const [first, ...rest] = dims;
  if (!first) return v;
  const p = rest.length ? (v as readonly unknown[]).map((each) => nested(each, rest)) : v;
  return new Arr(p, first[0], first[1], first[2]);
}
/** The bounds of each dimension of such arrays, by their first elements. */
export function boundsWithin(a: Arr, count: number): Arr[] {
  const list: Arr[] = [];
  let at: unknown = a;
  for (let i = 0; i < count; i++) {
    const own: Arr = at instanceof Arr ? at : new Arr([], 1, 0, 0);
    list.push(own);
    at = Array.isArray(own.p) ? own.p[0] : null;
  }
  return list;
}
/** Without bounds: lists of lists. */
export function flat(a: unknown, count: number): unknown {
  if (count === 0 || !(a instanceof Arr)) return a;
  return count === 1 ? a.p : (a.p as readonly unknown[]).map((each) => flat(each, count - 1));
}
/** Lists are changed in place: who keeps one takes a copy. */
export function copy<T>(value: T): T {
  if (Array.isArray(value)) return value.map(copy) as T;
  if (value instanceof Arr && Array.isArray(value.p)) return new Arr(copy(value.p), value.l, value.d, value.n) as T;
  return value;
}

export const codeNames = "UX01ZWLH-";
/** As text, leftmost first. */
export function textOfBits(p: Bits, n: number, isLogic: boolean): string {
  let text = "";
  if (isLogic) for (let i = n - 1; i >= 0; i--) text += codeNames[getL(p, i)];
  else for (let i = n - 1; i >= 0; i--) text += getB(p as number, i) ? "1" : "0";
  return text;
}
/** Digits of three or four bits each; X, Z and the like where all bits of one are so. */
export function digitsOf(p: Bits, n: number, isLogic: boolean, per: number): string {
  const text = textOfBits(p, n, isLogic);
  if (n === 0) return "";
  const fill = "0";
  const padded = text.padStart(Math.ceil(n / per) * per, fill);
  let digits = "";
  for (let i = 0; i < padded.length; i += per) {
    const part = padded
      .slice(i, i + per)
      .replaceAll("L", "0")
      .replaceAll("H", "1");
    if (/^[01]+$/.test(part)) digits += Number.parseInt(part, 2).toString(16).toUpperCase();
    else if (/^Z+$/.test(part)) digits += "Z";
    else if (/^U+$/.test(part)) digits += "U";
    else if (/^-+$/.test(part)) digits += "-";
    else if (/^W+$/.test(part)) digits += "W";
    else digits += "X";
  }
  return digits;
}
