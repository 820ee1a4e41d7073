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

/** Draws in a row from one seed. */
class Draws {
  constructor(public seed: number) {}

  uniform(start: number, end: number): number {
    const drawn = uniform(this.seed, start, end);
    this.seed = drawn.seed;
    return drawn.value;
  }
  normal(mean: number, deviation: number): number {
    for (;;) {
      const v1 = this.uniform(-1, 1);
      const v2 = this.uniform(-1, 1);
      const s = v1 * v1 + v2 * v2;
      if (s < 1 && s !== 0) return v1 * Math.sqrt((-2 * Math.log(s)) / s) * deviation + mean;
    }
  }
  exponential(mean: number): number {
    const n = this.uniform(0, 1);
    return n === 0 ? n : -Math.log(n) * mean;
  }
  poisson(mean: number): number {
    const p = Math.exp(-mean);
    let n = 0;
    for (let q = this.uniform(0, 1); p < q; q = this.uniform(0, 1) * q) n++;
    return n;
  }
  chiSquare(degrees: number): number {
    let x = 0;
    if (degrees % 2) {
      x = this.normal(0, 1);
      x *= x;
    }
    for (let k = 2; k <= degrees; k += 2) x += 2 * this.exponential(1);
    return x;
  }
  t(degrees: number): number {
    const root = Math.sqrt(this.chiSquare(degrees) / degrees);
    return this.normal(0, 1) / root;
  }
  erlang(stages: number, mean: number): number {
    let x = 1;
    for (let i = 1; i <= stages; i++) x *= this.uniform(0, 1);
    return (-mean * Math.log(x)) / stages;
  }
}

const round = (value: number) => (value >= 0 ? Math.trunc(value + 0.5) : -Math.trunc(-value + 0.5));

/**
 * `$dist_normal(seed, mean, deviation)` and its kin.
 * @param name Without the `$dist_`.
 * @returns 0 and the same seed where the distribution does not exist: a mean or degree that is not positive.
 */
export function distribution(name: string, seed: number, x: number, y: number): { seed: number; value: number } {
  const draws = new Draws(seed);
  if (name !== "normal" && x <= 0) return { seed, value: 0 };
  const value =
    name === "normal"
      ? draws.normal(x, y)
      : name === "exponential"
        ? draws.exponential(x)
        : name === "poisson"
          ? draws.poisson(x)
          : name === "chi_square"
            ? draws.chiSquare(x)
            : name === "t"
              ? draws.t(x)
              : draws.erlang(x, y);
  return { seed: draws.seed, value: round(value) };
}

export function randomInteger(seed: number): { seed: number; value: number } {
  return distUniform(seed, -2147483648, 2147483647);
}
