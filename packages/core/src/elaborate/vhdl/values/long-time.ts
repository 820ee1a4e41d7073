/**
 * Values of physical types are whole numbers of their base unit in JavaScript's numbers: each up to 2^53, and beyond
 * that those with enough zeros at their low end, which times of clocks and waits have (a nanosecond is a multiple of 64
 * femtoseconds, a millisecond of 4,096). What could not be held exactly is told, never rounded.
 */

/** Largest number below 10^21, eleven days of femtoseconds: what a count of base units goes up to. */
export const mostUnits = 10 ** 21 - 2 ** 17;

const isExact = (value: number): boolean => Math.abs(value) <= Number.MAX_SAFE_INTEGER;
const isCounted = (value: number): boolean => Math.abs(value) <= mostUnits;

/** a + b, or null if that is no number that can be held. */
export function sumOf(a: number, b: number): number | null {
  const sum = a + b;
  if (isExact(sum)) return sum;
  // exact if nothing was lost of either (Dekker 1971)
  return isCounted(sum) && sum - a === b && sum - b === a ? sum : null;
}

/** a * b of whole numbers, or null. */
export function productOf(a: number, b: number): number | null {
  const product = a * b + 0;
  if (isExact(product)) return product;
  return isCounted(product) && BigInt(a) * BigInt(b) === BigInt(product) ? product : null;
}

/** a / b of whole numbers, towards zero, or null; b is not 0. */
export function quotientOf(a: number, b: number): number | null {
  if (isExact(a) && isExact(b)) return Math.trunc(a / b) + 0;
  const quotient = BigInt(a) / BigInt(b);
  return BigInt(Number(quotient)) === quotient ? Number(quotient) : null;
}

/** All digits of a whole number. */
export const digitsOf = (value: number): string => (isExact(value) ? String(value) : String(BigInt(value)));
