import { Aig } from "../logic/aig.ts";
import { type BitGraph, liveNodes } from "./blast.ts";
import { moveGraph, sweep } from "./graph-copy.ts";

/** What more gates read than these chooses between cases, and is worth more where it is. */
const mostReaders = 6;
const mostFactors = 8;
/** Factors are taken out through chains of gates of this length at most. */
const deepest = 200;
const none: readonly number[] = [];

/**
 * Takes common factors out of sums of products, (s and x) or (s and y) = s and (x or y), for every s that is an input of
 * the graph with few readers or the bit of a sum (the distributive law, as in Brayton and McMullen 1982, The
 * decomposition and factorization of Boolean expressions). Where a register is stepped, held at 0 or set by many cases,
 * one gate a bit is left, and what chooses between the cases is the same for all bits.
 */
export function takeOutFactors(graph: BitGraph): BitGraph {
  const old = graph.aig;
  const live = liveNodes(graph);
  const copier = new Copier();
  const readers = new Int32Array(old.nodeCount);
  for (let node = 1; node < old.nodeCount; node++)
    if (live[node] && old.isAnd(node)) {
      readers[old.fanin0[node] >> 1]++;
      readers[old.fanin1[node] >> 1]++;
    }
  const { aig } = copier;
  const map = new Int32Array(old.nodeCount).fill(-1);
  map[0] = 0;
  for (let node = 1; node < old.nodeCount; node++) {
    aig.currentOrigin = old.origin[node];
    if (!old.isAnd(node)) {
      map[node] = aig.input();
      const isSum = graph.carry.places.has(node);
      if (isSum) copier.sums.add(map[node] >> 1);
      if (isSum || readers[node] <= mostReaders) copier.isFactor.add(map[node] >> 1);
    } else if (live[node]) {
      const [f0, f1] = [old.fanin0[node], old.fanin1[node]];
      map[node] = copier.and(map[f0 >> 1] ^ (f0 & 1), map[f1 >> 1] ^ (f1 & 1));
    }
  }
  return copier.taken ? sweep(moveGraph(graph, aig, map)) : graph;
}

class Copier {
  readonly aig = new Aig();
  taken = 0;
  /** Bits of sums: they come late, so a gate more behind them is worth the gates that the cases save. */
  readonly sums = new Set<number>();
  /** Inputs that may be taken out. */
  readonly isFactor = new Set<number>();
  /** [nodes] Inputs, as literals, that are 1 wherever the gate is; a few of them if there are many. */
  private readonly factors: (readonly number[])[] = [];
  /** [nodes] Gates on the longest way to it. */
  private readonly levels: number[] = [];

  private level(literal: number): number {
    return this.levels[literal >> 1] ?? 0;
  }

  private factorsOf(literal: number): readonly number[] {
    const node = literal >> 1;
    if (!this.aig.isAnd(node)) return this.isFactor.has(node) ? [literal] : none;
    return literal & 1 ? none : this.factors[node];
  }

  /** The gate, with its level and factors noted: gates are made from the inputs up, so those of its fan-ins are known. */
  private gate(left: number, right: number): number {
    const made = this.aig.and(left, right);
    const node = made >> 1;
    if (!this.aig.isAnd(node) || this.levels[node] !== undefined) return made;
    this.levels[node] = 1 + Math.max(this.level(left), this.level(right));
    this.factors[node] =
      this.levels[node] > deepest
        ? none
        : [...new Set([...this.factorsOf(left), ...this.factorsOf(right)])].slice(0, mostFactors);
    return made;
  }

  /** The literal where `factor`, one of its factors, is 1. */
  private without(literal: number, factor: number): number {
    if (literal === factor) return 1;
    const node = literal >> 1;
    const { aig } = this;
    if (literal & 1 || !aig.isAnd(node) || !this.factors[node].includes(factor)) return literal;
    const [f0, f1] = [aig.fanin0[node], aig.fanin1[node]];
    return this.gate(this.without(f0, factor), this.without(f1, factor));
  }

  /** and(left, right); where it is an or of two products, inverted, with their common factors in front. */
  and(left: number, right: number): number {
    if (left & 1 && right & 1) {
      const others = this.factorsOf(right ^ 1);
      const common = others.length ? this.factorsOf(left ^ 1).filter((factor) => others.includes(factor)) : none;
      if (common.length) {
        let [a, b] = [left ^ 1, right ^ 1];
        for (const factor of common) [a, b] = [this.without(a, factor), this.without(b, factor)];
        const rest = this.and(a ^ 1, b ^ 1) ^ 1;
        const front = common.reduce((all, factor) => this.gate(all, factor));
        const made = this.gate(front, rest) ^ 1;
        const plain = this.gate(left, right);
        const slack = common.some((factor) => this.sums.has(factor >> 1)) ? 1 : 0;
        if (this.level(made) > this.level(plain) + slack) return plain;
        this.taken++;
        return made;
      }
    }
    return this.gate(left, right);
  }
}
