import type { Aig } from "./aig.ts";

/** Word operators as gates. Vectors are literals, least significant bit first. */
export type Word = readonly number[];

const rippleLimit = 6;

/**
 * a + b + carryIn, cut to a's width. Short words ripple; longer ones use the parallel prefix of Brent and Kung (1982,
 * IEEE Trans. Computers C-31(3)): 2 log2(n) levels and about 2n prefix cells.
 */
export function addWords(aig: Aig, a: Word, b: Word, carryIn: number): number[] {
  const n = a.length;
  if (n <= rippleLimit) {
    const sum: number[] = [];
    let carry = carryIn;
    for (let i = 0; i < n; i++) {
      const half = aig.xor(a[i], b[i]);
      sum.push(aig.xor(half, carry));
      carry = aig.or(aig.and(a[i], b[i]), aig.and(half, carry));
    }
    return sum;
  }
  const propagate = a.map((bit, i) => aig.xor(bit, b[i]));
  const g = a.map((bit, i) => aig.and(bit, b[i]));
  const p = [...propagate];
  g[0] = aig.or(g[0], aig.and(p[0], carryIn));
  const join = (high: number, low: number) => {
    g[high] = aig.or(g[high], aig.and(p[high], g[low]));
    p[high] = aig.and(p[high], p[low]);
  };
  for (let step = 1; step < n; step *= 2) for (let i = 2 * step - 1; i < n; i += 2 * step) join(i, i - step);
  for (let step = 2 ** Math.floor(Math.log2(n)); step >= 2; step /= 2) {
    for (let i = step + step / 2 - 1; i < n; i += step) join(i, i - step / 2);
  }
  return propagate.map((bit, i) => aig.xor(bit, i === 0 ? carryIn : g[i - 1]));
}

export function subWords(aig: Aig, a: Word, b: Word): number[] {
  return addWords(aig, a, invert(b), 1);
}

const invert = (a: Word) => a.map((bit) => bit ^ 1);

/** a < b for unsigned words, as a tree of (less, equal) pairs: log2(n) levels, 3n gates. */
export function lessThan(aig: Aig, a: Word, b: Word, signed: boolean): number {
  const top = a.length - 1;
  const less: number[] = [];
  const equal: number[] = [];
  for (let i = 0; i <= top; i++) {
    // two's complement: the top bit counts the other way round
    const [x, y] = signed && i === top ? [b[i], a[i]] : [a[i], b[i]];
    less.push(aig.and(x ^ 1, y));
    equal.push(aig.xor(a[i], b[i]) ^ 1);
  }
  let count = a.length;
  while (count > 1) {
    let out = 0;
    for (let i = 0; i < count; i += 2, out++) {
      if (i + 1 === count) {
        less[out] = less[i];
        equal[out] = equal[i];
      } else {
        less[out] = aig.or(less[i + 1], aig.and(equal[i + 1], less[i]));
        equal[out] = aig.and(equal[i], equal[i + 1]);
      }
    }
    count = out;
  }
  return less[0];
}

/** Product cut to a's width: columns of partial products, compressed by full adders (Dadda 1965), then one addition. */
export function mulWords(aig: Aig, a: Word, b: Word): number[] {
  const n = a.length;
  let columns: number[][] = Array.from({ length: n }, () => []);
  for (let i = 0; i < n; i++) {
    for (let j = 0; i + j < n; j++) {
      const product = aig.and(a[i], b[j]);
      if (product !== 0) columns[i + j].push(product);
    }
  }
  while (columns.some((column) => column.length > 2)) {
    const next: number[][] = Array.from({ length: n }, () => []);
    for (let at = 0; at < n; at++) {
      const column = columns[at];
      let i = 0;
      for (; i + 2 < column.length; i += 3) {
        const [x, y, z] = [column[i], column[i + 1], column[i + 2]];
        const half = aig.xor(x, y);
        next[at].push(aig.xor(half, z));
        if (at + 1 < n) next[at + 1].push(aig.or(aig.and(x, y), aig.and(half, z)));
      }
      next[at].push(...column.slice(i));
    }
    columns = next;
  }
  return addWords(
    aig,
    columns.map((column) => column[0] ?? 0),
    columns.map((column) => column[1] ?? 0),
    0,
  );
}

/**
 * Quotient and remainder by restoring division, one subtraction a bit. Signed operands divide by magnitude, rounding
 * towards zero; the remainder takes the dividend's sign. By zero: all ones, and the dividend (unsigned magnitudes).
 */
export function divideWords(aig: Aig, a: Word, b: Word, signed: boolean): { quotient: number[]; remainder: number[] } {
  const n = a.length;
  const negateIf = (word: Word, condition: number) =>
    addWords(
      aig,
      word.map((bit) => aig.xor(bit, condition)),
      word.map(() => 0),
      condition,
    );
  const signA = signed ? a[n - 1] : 0;
  const signB = signed ? b[n - 1] : 0;
  const dividend = negateIf(a, signA);
  const divisor = [...negateIf(b, signB), 0];
  let remainder: number[] = new Array(n + 1).fill(0);
  const quotient: number[] = new Array(n).fill(0);
  for (let i = n - 1; i >= 0; i--) {
    const shifted = [dividend[i], ...remainder.slice(0, n)];
    const difference = subWords(aig, shifted, divisor);
    const fits = lessThan(aig, shifted, divisor, false) ^ 1;
    quotient[i] = fits;
    remainder = shifted.map((bit, k) => aig.mux(fits, difference[k], bit));
  }
  return { quotient: negateIf(quotient, aig.xor(signA, signB)), remainder: negateIf(remainder.slice(0, n), signA) };
}

/** Barrel shifter: one row of muxes for each bit of the amount that matters. */
export function shiftWord(aig: Aig, kind: "shl" | "shr" | "sshr", a: Word, by: Word): number[] {
  const n = a.length;
  const fill = kind === "sshr" ? a[n - 1] : 0;
  let word = [...a];
  const beyond: number[] = [];
  by.forEach((bit, k) => {
    const distance = 2 ** k;
    if (distance >= n) {
      beyond.push(bit);
      return;
    }
    word = word.map((here, i) => {
      const from = kind === "shl" ? i - distance : i + distance;
      return aig.mux(bit, from < 0 || from >= n ? fill : word[from], here);
    });
  });
  const all = aig.orAll(beyond);
  return word.map((bit) => aig.mux(all, fill, bit));
}
