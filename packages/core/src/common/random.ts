/** Seeded 32-bit generator: xoshiro128** (Blackman and Vigna 2018), seeded by splitmix32. Same seed, same sequence. */
export class Random {
  private a: number;
  private b: number;
  private c: number;
  private d: number;

  constructor(seed: number) {
    let state = seed | 0;
    const next = () => {
      state = (state + 0x9e3779b9) | 0;
      let z = state;
      z = Math.imul(z ^ (z >>> 16), 0x85ebca6b);
      z = Math.imul(z ^ (z >>> 13), 0xc2b2ae35);
      return z ^ (z >>> 16);
    };
    this.a = next();
    this.b = next();
    this.c = next();
    this.d = next() | 1; // never the all-zero state
  }

  uint32(): number {
    const t1 = Math.imul(this.b, 5);
    const result = Math.imul((t1 << 7) | (t1 >>> 25), 9);
    const t = this.b << 9;
    this.c ^= this.a;
    this.d ^= this.b;
    this.b ^= this.c;
    this.a ^= this.d;
    this.c ^= t;
    this.d = (this.d << 11) | (this.d >>> 21);
    return result >>> 0;
  }

  /** Uniform in [0, 1). */
  float(): number {
    return this.uint32() * 2.3283064365386963e-10;
  }

  /** Uniform integer in [0, n), n up to 2^32. */
  below(n: number): number {
    return Math.floor(this.float() * n);
  }
}
