import type { Aig } from "./aig.ts";

/**
 * One element of a carry chain, as literals: sum = p xor carry in; carry out = p ? carry in : b. `p` becomes the
 * element's LUT, `b` its bypass pin (0: left open, which reads 0).
 */
interface CarryElement {
  readonly p: number;
  readonly b: number;
  /** Node of the sum, an input of the graph; -1 while nobody asks for it. */
  sumNode: number;
}

/** Elements linked from the bottom up. The first one's carry in is the constant `start`. */
export interface CarryChain {
  readonly start: 0 | 1;
  readonly elements: CarryElement[];
  /** Word-level cell that first asked for it. */
  readonly origin: number;
}

/** Where a sum node comes from. */
interface CarryPlace {
  readonly chain: CarryChain;
  readonly at: number;
}

/** All chains of one bit-level graph. */
export class CarryStore {
  readonly chains: CarryChain[] = [];
  /** Sum node -> its element. */
  readonly places = new Map<number, CarryPlace>();

  /** @param maxLength Elements that one column of tiles can link. */
  constructor(
    readonly aig: Aig,
    readonly maxLength: number,
  ) {}

  open(start: 0 | 1): CarryChain {
    const chain: CarryChain = { start, elements: [], origin: this.aig.currentOrigin };
    this.chains.push(chain);
    return chain;
  }

  /** Literal of an element's sum; makes its node on the first call. */
  sum(chain: CarryChain, at: number): number {
    const element = chain.elements[at];
    if (element.sumNode < 0) {
      element.sumNode = this.aig.input() >> 1;
      this.places.set(element.sumNode, { chain, at });
    }
    return 2 * element.sumNode;
  }
}

/** Carry into the next bit: known, or that of the chain so far. */
type Carry = 0 | 1 | CarryChain;

/**
 * left + right + carry in, bit by bit from the bottom, as far as somebody asks. Bits whose carry is known cost nothing.
 * What is carried at `p = 0` is either operand, since both are the same then: the one that is a plain net already.
 */
export class ChainAdder {
  private carry: Carry;
  private readonly sums: number[] = []; // literal, or -1: ask the chain
  private readonly placeOf: { chain: CarryChain; at: number }[] = [];

  /** @param carryIn Literal. */
  constructor(
    private readonly store: CarryStore,
    private readonly left: (bit: number) => number,
    private readonly right: (bit: number) => number,
    carryIn: number,
  ) {
    if (carryIn <= 1) this.carry = carryIn as 0 | 1;
    else {
      const chain = store.open(0);
      chain.elements.push({ p: 0, b: carryIn, sumNode: -1 });
      this.carry = chain;
    }
  }

  private bypass(x: number, y: number): number {
    if (x === 0 || y === 0) return 0;
    const { aig } = this.store;
    // a constant 1 has no net of its own; the other operand is 1 too whenever it counts
    const rank = (literal: number) =>
      literal === 1 ? 9 : (aig.isInput(literal >> 1) ? 0 : 2) + (literal & 1 ? (aig.isInput(literal >> 1) ? 5 : 1) : 0);
    return rank(x) <= rank(y) ? x : y;
  }

  private extend(): void {
    const { aig, maxLength } = this.store;
    const bit = this.sums.length;
    const x = this.left(bit);
    const y = this.right(bit);
    const { carry } = this;
    if (typeof carry === "number") {
      if (x === carry || y === carry) {
        this.sums.push(x === carry ? y : x);
        this.placeOf.push(this.placeOf[0]);
        return;
      }
      if (x <= 1 && y <= 1) {
        this.sums.push(carry);
        this.placeOf.push(this.placeOf[0]);
        this.carry = x as 0 | 1;
        return;
      }
    }
    let chain = typeof carry === "number" ? this.store.open(carry) : carry;
    if (chain.elements.length >= maxLength - 1) {
      const through = this.throughTop(chain);
      chain = this.store.open(0);
      chain.elements.push({ p: 0, b: through, sumNode: -1 });
    }
    chain.elements.push({ p: aig.xor(x, y), b: this.bypass(x, y), sumNode: -1 });
    this.sums.push(-1);
    this.placeOf.push({ chain, at: chain.elements.length - 1 });
    // both operands known and equal: so is what they carry on
    this.carry = x === y && x <= 1 ? (x as 0 | 1) : chain;
  }

  /** The carry itself, through an element whose LUT is 0. */
  private throughTop(chain: CarryChain): number {
    chain.elements.push({ p: 0, b: 0, sumNode: -1 });
    return this.store.sum(chain, chain.elements.length - 1);
  }

  sum(bit: number): number {
    while (this.sums.length <= bit) this.extend();
    if (this.sums[bit] >= 0) return this.sums[bit];
    const { chain, at } = this.placeOf[bit];
    return this.store.sum(chain, at);
  }

  /** Carry out of the lowest `bits` bits; to be asked once, at the end. */
  carryOut(bits: number): number {
    while (this.sums.length < bits) this.extend();
    if (typeof this.carry === "number") return this.carry;
    return this.throughTop(this.carry);
  }
}

/** Bits of a chain's elements that sums in use need: drops what lies above the highest one. */
export function trimChain(chain: CarryChain, isUsed: (node: number) => boolean): void {
  const { elements } = chain;
  while (elements.length) {
    const top = elements[elements.length - 1];
    if (top.sumNode >= 0 && isUsed(top.sumNode)) return;
    elements.pop();
  }
}

/**
 * LUT levels through carry chains: entering one costs the element's LUT, a level; a carry then adds another level for
 * every tile that it climbs, about what a LUT takes. Counted in steps of one element, `perTile` to a level.
 */
export class ChainLevels {
  private readonly steps = new Map<CarryChain, Int32Array>();
  private readonly filled = new Map<CarryChain, number>();
  private readonly allowed = new Map<CarryChain, Int32Array>();

  constructor(
    private readonly aig: Aig,
    private readonly store: CarryStore,
    private readonly perTile: number,
  ) {}

  /** Forgets arrivals and requirements; call before each pass over the graph. */
  reset(): void {
    this.filled.clear();
    this.allowed.clear();
  }

  private entry(element: CarryElement, depth: Int32Array): number {
    const { aig } = this;
    let level = 0;
    if (element.p > 1) {
      const node = element.p >> 1;
      level = aig.isAnd(node) ? depth[node] : depth[node] + 1;
    }
    if (element.b > 1) {
      const node = element.b >> 1;
      const inverter = element.b & 1 && !aig.isAnd(node) ? 1 : 0;
      level = Math.max(level, depth[node] + inverter + 1);
    }
    return level * this.perTile;
  }

  /** Level of an input of the graph: 0, or where its chain delivers it. */
  arrival(node: number, depth: Int32Array): number {
    const place = this.store.places.get(node);
    if (!place) return 0;
    const { chain, at } = place;
    let steps = this.steps.get(chain);
    if (!steps || steps.length < chain.elements.length) {
      steps = new Int32Array(chain.elements.length);
      this.steps.set(chain, steps);
    }
    let from = this.filled.get(chain) ?? 0;
    for (; from <= at; from++) {
      const below = from > 0 ? steps[from - 1] + 1 : 0;
      steps[from] = Math.max(below, this.entry(chain.elements[from], depth));
    }
    this.filled.set(chain, Math.max(from, this.filled.get(chain) ?? 0));
    return Math.floor(steps[at] / this.perTile);
  }

  /** Hands what is required of a sum on to all that feeds it. */
  require(node: number, required: Int32Array): void {
    const place = this.store.places.get(node);
    if (!place || required[node] >= 1 << 28) return;
    const { chain, at } = place;
    const { perTile, aig } = this;
    let allowed = this.allowed.get(chain);
    if (!allowed) {
      allowed = new Int32Array(chain.elements.length).fill(1 << 28);
      this.allowed.set(chain, allowed);
    }
    let limit = required[node] * perTile + perTile - 1;
    for (let i = at; i >= 0 && limit < allowed[i]; i--, limit--) {
      allowed[i] = limit;
      const level = Math.floor(limit / perTile);
      const { p, b } = chain.elements[i];
      if (p > 1) {
        const n = p >> 1;
        required[n] = Math.min(required[n], aig.isAnd(n) ? level : level - 1);
      }
      if (b > 1) {
        const n = b >> 1;
        required[n] = Math.min(required[n], level - 1 - (b & 1 && !aig.isAnd(n) ? 1 : 0));
      }
    }
  }
}
