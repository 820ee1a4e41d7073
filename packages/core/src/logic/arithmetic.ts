import { type CarryStore, ChainAdder } from "./carry.ts";

/** Word operators as gates and carry chains. Vectors are literals, least significant bit first. */
export type Word = readonly number[];

const invert = (a: Word) => a.map((bit) => bit ^ 1);
const openBits = (...words: Word[]) => new Set(words.flat().filter((literal) => literal > 1)).size;

/** A sum that is asked for bit by bit, so that a bit depends on no higher ones. */
export interface LazySum {
  sum(bit: number): number;
}

/** Value 2^shift * bits; two's complement if signed. */
interface Term {
  readonly shift: number;
  readonly bits: Word;
  readonly signed: boolean;
}

export class Arithmetic {
  private readonly aig;

  /**
   * @param lutInputs Sums of at most as many open inputs stay logic: each of their bits is one LUT, and what surrounds
   * them can merge with it.
   */
  constructor(
    private readonly store: CarryStore,
    private readonly lutInputs: number,
  ) {
    this.aig = store.aig;
  }

  /** left + right + carry in. The words are functions of the bit, so that they may be made when they are asked for. */
  lazySum(left: (bit: number) => number, right: (bit: number) => number, carryIn: number, asLogic: boolean): LazySum {
    if (!asLogic) return new ChainAdder(this.store, left, right, carryIn);
    const { aig } = this;
    const sums: number[] = [];
    let carry = carryIn;
    return {
      sum: (bit) => {
        while (sums.length <= bit) {
          const x = left(sums.length);
          const y = right(sums.length);
          const half = aig.xor(x, y);
          sums.push(aig.xor(half, carry));
          carry = aig.or(aig.and(x, y), aig.and(half, carry));
        }
        return sums[bit];
      },
    };
  }

  /** a + b + carry in, cut to a's width. */
  add(a: Word, b: Word, carryIn: number): number[] {
    return this.addOut(a, b, carryIn).sum;
  }

  /** Sum and carry out. */
  private addOut(a: Word, b: Word, carryIn: number): { sum: number[]; carry: () => number } {
    const n = a.length;
    if (openBits(a, b, [carryIn]) <= this.lutInputs) {
      const lazy = this.lazySum(
        (i) => a[i] ?? 0,
        (i) => b[i] ?? 0,
        carryIn,
        true,
      );
      return { sum: a.map((_, i) => lazy.sum(i)), carry: () => lazy.sum(n) };
    }
    const chain = new ChainAdder(
      this.store,
      (i) => a[i],
      (i) => b[i],
      carryIn,
    );
    return { sum: a.map((_, i) => chain.sum(i)), carry: () => chain.carryOut(n) };
  }

  sub(a: Word, b: Word): number[] {
    // C - b = ~(b + ~C): the carried bit is then a plain net
    if (a.every((bit) => bit <= 1)) return invert(this.add(b, invert(a), 0));
    return this.add(a, invert(b), 1);
  }

  /**
   * a < b. Wide words take the carry of a - b; short ones, and those beside a constant, are a tree of (less, equal)
   * pairs: log2(n) levels, fewer LUTs. A wish decides instead.
   */
  lessThan(a: Word, b: Word, signed: boolean, wish?: "carry" | "logic"): number {
    const isConstant = [a, b].some((word) => word.every((bit) => bit <= 1));
    const least = this.lutInputs >= 6 ? 12 : 5;
    const asLogic = wish ? wish === "logic" : isConstant || openBits(a, b) < 2 * least;
    if (asLogic) return this.lessByTree(a, b, signed);
    const top = a.length - 1;
    // two's complement: the top bit counts the other way round
    const left = (i: number) => (signed && i === top ? b[i] : a[i]);
    const right = (i: number) => (signed && i === top ? a[i] : b[i]) ^ 1;
    return new ChainAdder(this.store, left, right, 1).carryOut(a.length) ^ 1;
  }

  private lessByTree(a: Word, b: Word, signed: boolean): number {
    const { aig } = this;
    const top = a.length - 1;
    const less: number[] = [];
    const equal: number[] = [];
    for (let i = 0; i <= top; i++) {
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

  /** Product cut to a's width. Small ones are columns of full adders (Dadda 1965), others rows on carry chains. */
  mul(a: Word, b: Word): number[] {
    const n = a.length;
    if (openBits(a, b) <= this.lutInputs) return this.mulByColumns(a, b);
    const [x, y] = [trimSigns(a), trimSigns(b)];
    const constant = [x, y].find((term) => term.bits.every((bit) => bit <= 1));
    const terms = constant
      ? this.constantRows(constant === x ? y : x, constant, n)
      : x.bits.length < y.bits.length
        ? this.rows(y, x)
        : this.rows(x, y);
    return this.cut(this.sumOf(terms, n), n);
  }

  private cut(term: Term & { negative?: boolean }, n: number): number[] {
    const fill = term.signed ? (term.bits[term.bits.length - 1] ?? 0) : 0;
    return Array.from({ length: n }, (_, i) => (i < term.shift ? 0 : (term.bits[i - term.shift] ?? fill)));
  }

  private rows(x: Term, y: Term): (Term & { negative: boolean })[] {
    return y.bits.map((bit, j) => ({
      shift: j,
      bits: x.bits.map((literal) => this.aig.and(literal, bit)),
      signed: x.signed,
      // the top bit of a two's complement number counts negative
      negative: y.signed && j === y.bits.length - 1,
    }));
  }

  /** Rows of a constant in canonical signed digits (Reitwiesner 1960): at most every other digit is not 0. */
  private constantRows(x: Term, constant: Term, n: number): (Term & { negative: boolean })[] {
    const last = constant.bits.length - 1;
    let value = constant.bits.reduce(
      (sum, bit, i) => sum + BigInt(bit) * (constant.signed && i === last ? -1n : 1n) * (1n << BigInt(i)),
      0n,
    );
    const rows: (Term & { negative: boolean })[] = [];
    for (let shift = 0; value !== 0n && shift < n; shift++) {
      if (value & 1n) {
        const negative = (value & 3n) === 3n;
        rows.push({ shift, bits: x.bits, signed: x.signed, negative });
        value += negative ? 1n : -1n;
      }
      value >>= 1n;
    }
    return rows;
  }

  /** Four rows at a time one after the other, so that the carried bit is mostly a sum already; those then as a tree. */
  private sumOf(rows: readonly (Term & { negative: boolean })[], n: number): Term {
    if (rows.length === 0) return { shift: 0, bits: [0], signed: false };
    let level: (Term & { negative: boolean })[] = [];
    for (let i = 0; i < rows.length; i += 4) {
      const group = rows.slice(i, i + 4);
      // start with a row that counts positive, if there is one
      const first = Math.max(
        0,
        group.findIndex((row) => !row.negative),
      );
      let sum = group[first];
      group.forEach((row, k) => {
        if (k !== first) sum = this.join(sum, row, n);
      });
      level.push(sum);
    }
    while (level.length > 1) {
      const next: (Term & { negative: boolean })[] = [];
      for (let i = 0; i < level.length; i += 2)
        next.push(i + 1 < level.length ? this.join(level[i], level[i + 1], n) : level[i]);
      level = next;
    }
    const [only] = level;
    if (!only.negative) return only;
    return this.join({ shift: only.shift, bits: [0], signed: false, negative: false }, only, n);
  }

  /** Sum of two terms, at least one of them positive, as wide as it can get. */
  private join(
    x: Term & { negative: boolean },
    y: Term & { negative: boolean },
    n: number,
  ): Term & { negative: boolean } {
    if (x.negative && y.negative) {
      const sum = this.join({ ...x, negative: false }, { ...y, negative: false }, n);
      return { ...sum, negative: true };
    }
    const [plus, other] = x.negative ? [y, x] : [x, y];
    const shift = Math.min(plus.shift, other.shift);
    const signed = plus.signed || other.signed || other.negative;
    const reach = (term: Term) => term.shift + term.bits.length + (signed && !term.signed ? 1 : 0);
    const width = Math.min(n, Math.max(reach(plus), reach(other)) + 1) - shift;
    const bitOf = (term: Term, i: number) => {
      const at = i + shift - term.shift;
      if (at < 0) return 0;
      return term.bits[at] ?? (term.signed ? term.bits[term.bits.length - 1] : 0);
    };
    const a = Array.from({ length: width }, (_, i) => bitOf(plus, i));
    const b = Array.from({ length: width }, (_, i) => bitOf(other, i));
    const bits = other.negative ? this.sub(a, b) : this.add(a, b, 0);
    return { shift, bits, signed, negative: false };
  }

  private mulByColumns(a: Word, b: Word): number[] {
    const { aig } = this;
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
    const lazy = this.lazySum(
      (i) => columns[i][0] ?? 0,
      (i) => columns[i][1] ?? 0,
      0,
      true,
    );
    return columns.map((_, i) => lazy.sum(i));
  }

  /**
   * Quotient and remainder by restoring division, one subtraction a bit; its carry says whether it fits. Signed operands
   * divide by magnitude, rounding towards zero; the remainder takes the dividend's sign. By zero: any value.
   */
  divide(a: Word, b: Word, signed: boolean): { quotient: number[]; remainder: number[] } {
    const { aig } = this;
    const n = a.length;
    const negateIf = (word: Word, condition: number) =>
      this.add(
        word.map((bit) => aig.xor(bit, condition)),
        word.map(() => 0),
        condition,
      );
    const signA = signed ? a[n - 1] : 0;
    const signB = signed ? b[n - 1] : 0;
    const dividend = negateIf(a, signA);
    const divisor = negateIf(b, signB);
    const least = divisor.map((bit) => bit !== 0).lastIndexOf(true) + 1; // bits that a divisor can have
    let remainder: number[] = new Array(n).fill(0);
    const quotient: number[] = new Array(n).fill(0);
    for (let i = n - 1; i >= 0; i--) {
      // the remainder is below the divisor and has no more bits than the dividend has had so far
      const width = Math.min(n - i, least + 1);
      const shifted = [dividend[i], ...remainder].slice(0, width);
      const against = shifted.map((_, k) => divisor[k] ?? 0);
      const { sum, carry } = this.addOut(shifted, invert(against), 1);
      const above = aig.orAll(divisor.slice(width));
      const fits = aig.and(carry(), above ^ 1);
      quotient[i] = fits;
      remainder = Array.from({ length: n }, (_, k) => (k < width ? aig.mux(fits, sum[k], shifted[k]) : 0));
    }
    return { quotient: negateIf(quotient, aig.xor(signA, signB)), remainder: negateIf(remainder, signA) };
  }

  /** Barrel shifter: one row of muxes for each bit of the amount that matters. */
  shift(kind: "shl" | "shr" | "sshr", a: Word, by: Word): number[] {
    const { aig } = this;
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
}

/** Leaves out what only repeats the sign, or zeros at the top. */
function trimSigns(word: Word): Term {
  let n = word.length;
  if (word[n - 1] === 0) {
    while (n > 1 && word[n - 1] === 0) n--;
    return { shift: 0, bits: word.slice(0, n), signed: false };
  }
  while (n > 1 && word[n - 2] === word[n - 1]) n--;
  // cut to this width, a product does not care whether its operand's top bit is a sign
  return { shift: 0, bits: word.slice(0, n), signed: n < word.length };
}
