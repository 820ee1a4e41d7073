/** Random numbers as IEEE 1364-2005 clause 17.9.3 lists them: the same seed gives the same numbers everywhere. */

const buffer = new DataView(new ArrayBuffer(4));

function uniform(seed: number, start: number, end: number): { seed: number; value: number } {
  let next = seed === 0 ? 259341593 : seed;
  const a = start >= end ? 0 : start;
  const b = start >= end ? 2147483647 : end;
  next = (Math.imul(69069, next) + 1) | 0;
  buffer.setUint32(0, (next >>> 9) | 0x3f800000);
  let c = buffer.getFloat32(0);
  c += c * 0.00000011920928955078125;
  return { seed: next, value: (b - a) * (c - 1) + a };
}

const truncate = (value: number) => (value >= 0 ? Math.trunc(value) : Math.trunc(value - 1));

/** `$dist_uniform(seed, start, end)`; `$random` is that over all 32-bit integers. */
export function distUniform(seed: number, start: number, end: number): { seed: number; value: number } {
  if (start >= end) return { seed, value: start };
  if (end !== 2147483647) {
    const drawn = uniform(seed, start, end + 1);
    const value = Math.min(end, Math.max(start, truncate(drawn.value)));
    return { seed: drawn.seed, value };
  }
  if (start !== -2147483648) {
    const drawn = uniform(seed, start - 1, end);
    const value = Math.min(end, Math.max(start, truncate(drawn.value + 1)));
    return { seed: drawn.seed, value };
  }
  const drawn = uniform(seed, start, end);
  const scaled = ((drawn.value + 2147483648) / 4294967295) * 4294967296 - 2147483648;
  return { seed: drawn.seed, value: truncate(scaled) | 0 };
}

export function randomInteger(seed: number): { seed: number; value: number } {
  return distUniform(seed, -2147483648, 2147483647);
}
