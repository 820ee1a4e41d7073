import { bitsString, roundReal, stringBits } from "../../elaborate/evaluate.ts";

/** Small functions that compiled code calls. Narrow values are 32-bit integers; see storage.ts. */

/** Where functions leave what they cannot return: planes as bigints, other values, the b plane of a result, outputs. */
export const makeOutputs = () => ({ a: 0n, b: 0n, v: 0 as unknown, r: 0 as unknown, o: [] as unknown[] });

export const helpers = {
  down: (value: bigint): number => Number(BigInt.asIntN(32, value)),
  round: (value: number): number => Number(BigInt.asIntN(32, roundReal(value))),
  wideRound: (value: number, width: number): bigint => BigInt.asUintN(width, roundReal(value)),
  textBits: stringBits,
  bitsText: (a: bigint, b: bigint): string => bitsString({ a, b }),
  /** Bits from `at` (maybe below 0) up; ones where there are none. */
  part(plane: number, at: number, width: number): number {
    const ones = width >= 32 ? 0 : -1 << width;
    const full = plane | ones;
    return at >= 0 ? (at >= 32 ? -1 : at === 0 ? full : (full >>> at) | ~(-1 >>> at)) : (full << -at) | ~(-1 << -at);
  },
  widePart(plane: bigint, at: number, width: number, count: number, ones: bigint): bigint {
    void ones;
    let value = plane | (~0n << BigInt(width)); // ones above
    value = at >= 0 ? value >> BigInt(at) : (value << BigInt(-at)) | ((1n << BigInt(-at)) - 1n);
    return BigInt.asUintN(count, value);
  },
  put(old: number, value: number, at: number, mask: number, within: number): number {
    const hole = (at >= 0 ? mask << at : mask >>> -at) & within;
    const moved = at >= 0 ? value << at : value >>> -at;
    return (old & ~hole) | (moved & hole);
  },
  widePut(old: bigint, value: bigint, at: number, mask: bigint, within: bigint): bigint {
    const by = BigInt(Math.abs(at));
    const hole = (at >= 0 ? mask << by : mask >> by) & within;
    const moved = at >= 0 ? value << by : value >> by;
    return (old & ~hole) | (moved & hole);
  },
  /** A wide value as an index: too large ones all count as outside. */
  index: (value: bigint): number =>
    value > 0x7fffffffn ? 0x7fffffff : value < -0x7fffffffn ? -0x7fffffff : Number(value),
  parity(value: number): number {
    let v = value ^ (value >>> 16);
    v ^= v >>> 8;
    v ^= v >>> 4;
    return (0x6996 >>> (v & 15)) & 1;
  },
  wideParity(value: bigint): number {
    let v = value;
    let odd = 0;
    while (v > 0n) {
      odd ^= helpers.parity(Number(v & 0xffffffffn) | 0);
      v >>= 32n;
    }
    return odd;
  },
  amount: (value: bigint): number => (value > 64n ? 64 : Number(value)),
  wideAmount: (value: bigint, width: number): bigint => (value > BigInt(width) ? BigInt(width) : value),
  shl: (value: number, by: number): number => (by >>> 0 > 31 ? 0 : value << by),
  shr: (value: number, by: number): number => (by >>> 0 > 31 ? 0 : by === 0 ? value : (value >>> by) | 0),
  sshr: (value: number, by: number): number => value >> (by >>> 0 > 31 ? 31 : by),
  pow(base: number, exponent: number): number {
    let result = 1;
    let square = base | 0;
    for (let e = exponent; e > 0; e = Math.floor(e / 2)) {
      if (e % 2 === 1) result = Math.imul(result, square);
      square = Math.imul(square, square);
    }
    return result;
  },
  /** casez (z is wild) or casex (x too) on two four-state values. */
  match(casex: boolean, sa: number, sb: number, la: number, lb: number): boolean {
    const wild = casex ? sb | lb : (sb & ~sa) | (lb & ~la);
    return ((sa ^ la) & ~wild) === 0 && ((sb ^ lb) & ~wild) === 0;
  },
  wideMatch(casex: boolean, sa: bigint, sb: bigint, la: bigint, lb: bigint): boolean {
    const wild = casex ? sb | lb : (sb & ~sa) | (lb & ~la);
    return ((sa ^ la) & ~wild) === 0n && ((sb ^ lb) & ~wild) === 0n;
  },
  /** Tells values apart; the last character is the lowest bit. */
  key(a: bigint, b: bigint): string {
    const bit = (b & 1n) === 0n ? ((a & 1n) === 1n ? "1" : "0") : (a & 1n) === 1n ? "x" : "z";
    return `${a.toString(36)}:${b.toString(36)}${bit}`;
  },
  ticks: (value: number, steps: number, scale: number): number =>
    Number.isFinite(value) && value > 0 ? Math.round(Number((value * steps).toPrecision(15))) * scale : 0,
  /** Edge of one bit: 1 up, -1 down, 0 neither, null no change. */
  edge(pa: number, pb: number, a: number, b: number, bit: number): number | null {
    const x = (pa >>> bit) & 1;
    const y = (pb >>> bit) & 1;
    const z = (a >>> bit) & 1;
    const w = (b >>> bit) & 1;
    if (x === z && y === w) return null;
    if (w === 0) return z ? 1 : -1;
    if (y === 0) return x ? -1 : 1;
    return 0;
  },
  wideEdge(pa: bigint, pb: bigint, a: bigint, b: bigint, bit: number): number | null {
    const of = (plane: bigint) => Number((plane >> BigInt(bit)) & 1n);
    return helpers.edge(of(pa), of(pb), of(a), of(b), 0);
  },
};
