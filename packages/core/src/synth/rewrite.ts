import type { StageContext } from "../common/context.ts";
import { Aig } from "../logic/aig.ts";
import { inputTables, join, smallFunctions, unknown, waysKept } from "../logic/small-functions.ts";
import { type BitGraph, liveNodes, outsideLiterals } from "./blast.ts";
import { moveGraph } from "./graph-copy.ts";

const cutLimit = 8;
const cutSize = 4;

/**
 * Replaces cones of up to four inputs by smaller ones, counting what they share with the rest of the graph, and never
 * makes a gate later than it was. The graph is built anew from the inputs up; of each gate its own form and those of
 * its cuts are weighed by the gates that each would add to what others hold alive.
 * Method: A. Mishchenko, S. Chatterjee, R. Brayton, "DAG-aware AIG rewriting", DAC 2006, pp. 532-535; here in one pass
 * over a growing graph, with a table of formulas in the place of classes.
 */
export function rewrite(graph: BitGraph, context: StageContext): BitGraph {
  return new Rewriter(graph, context).run();
}

class Rewriter {
  private readonly aig = new Aig();
  private readonly library = smallFunctions();
  private readonly map: Int32Array;
  private capacity: number;
  /** [nodes] Readers: gates that are held alive, and those of the old graph that are still to come. */
  private refs: Int32Array;
  private level: Int32Array;
  // cutLimit slots a node; leaves in rising order, 0 behind the last
  private cutLeaves: Int32Array;
  private cutTable: Uint16Array;
  private cutCount: Uint8Array;
  private known = 1;
  /** [nodes] Round in which a node was counted as one to be brought to life. */
  private stamp: Int32Array;
  private round = 0;

  constructor(
    private readonly graph: BitGraph,
    private readonly context: StageContext,
  ) {
    const n = graph.aig.nodeCount;
    this.map = new Int32Array(n).fill(-1);
    this.map[0] = 0;
    this.capacity = n + (n >> 1) + 64;
    this.refs = new Int32Array(this.capacity);
    this.level = new Int32Array(this.capacity);
    this.stamp = new Int32Array(this.capacity);
    this.cutLeaves = new Int32Array(this.capacity * cutLimit * cutSize);
    this.cutTable = new Uint16Array(this.capacity * cutLimit);
    this.cutCount = new Uint8Array(this.capacity);
  }

  run(): BitGraph {
    const { graph, aig, map, context } = this;
    const old = graph.aig;
    const live = liveNodes(graph);
    const readers = new Int32Array(old.nodeCount);
    for (let node = 1; node < old.nodeCount; node++) {
      if (!live[node] || !old.isAnd(node)) continue;
      readers[old.fanin0[node] >> 1]++;
      readers[old.fanin1[node] >> 1]++;
    }
    for (const literal of outsideLiterals(graph)) if (literal > 1) readers[literal >> 1]++;
    for (let node = 1; node < old.nodeCount; node++) {
      if ((node & 1023) === 0) context.checkCancelled();
      aig.currentOrigin = old.origin[node];
      if (!old.isAnd(node)) {
        map[node] = aig.input();
        this.meet();
      } else if (live[node]) map[node] = this.gate(old.fanin0[node], old.fanin1[node]);
      else continue;
      this.hold(map[node] >> 1, readers[node]);
    }
    return moveGraph(graph, aig, map);
  }

  /** Literal for an AND of the old graph: of all forms the one that adds least. */
  private gate(f0: number, f1: number): number {
    const { map } = this;
    const a = map[f0 >> 1] ^ (f0 & 1);
    const b = map[f1 >> 1] ^ (f1 & 1);
    const own = this.and(a, b);
    const node = own >> 1;
    this.release(a >> 1);
    this.release(b >> 1);
    // what stands already costs nothing
    if (node === 0 || this.refs[node] > 0 || !this.aig.isAnd(node)) return own;
    this.round++;
    let least = this.revive(node);
    let bestSlot = -1;
    let bestWay = 0;
    for (let c = 0; c < this.cutCount[node] && least > 1; c++) {
      const slot = node * cutLimit + c;
      if (this.cutLeaves[slot * cutSize + 2] === 0) continue; // a pair of inputs: the gate itself
      const table = this.cutTable[slot];
      const plain = table & 1 ? ~table & 0xffff : table;
      if (this.library.size[plain] === unknown) continue;
      for (let way = 0; way < waysKept; way++) {
        if (plain !== 0 && this.library.size[plain] > 0 && this.library.left[plain * waysKept + way] < 0) break;
        const cost = this.weigh(slot, plain, way, least);
        if (cost < least && this.weighedLevel <= this.level[node]) {
          least = cost;
          bestSlot = slot;
          bestWay = way;
        }
        if (this.library.size[plain] === 0) break;
      }
    }
    if (bestSlot < 0) return own;
    const table = this.cutTable[bestSlot];
    const leaves: number[] = [];
    for (let i = 0; i < cutSize; i++) leaves.push(this.cutLeaves[bestSlot * cutSize + i]);
    const plain = table & 1 ? ~table & 0xffff : table;
    return this.build(plain, bestWay, leaves) ^ (table & 1) ^ (own & 1);
  }

  // ---- what is alive --------------------------------------------------------------------------------------------

  private hold(node: number, count: number): void {
    if (count === 0 || node === 0) return;
    const { aig, refs } = this;
    if (refs[node] === 0 && aig.isAnd(node)) {
      this.hold(aig.fanin0[node] >> 1, 1);
      this.hold(aig.fanin1[node] >> 1, 1);
    }
    refs[node] += count;
  }

  private release(node: number): void {
    if (node === 0) return;
    const { aig, refs } = this;
    if (--refs[node] > 0 || !aig.isAnd(node)) return;
    this.release(aig.fanin0[node] >> 1);
    this.release(aig.fanin1[node] >> 1);
  }

  /** Gates at and below a node that nothing holds, each counted once a round. */
  private revive(node: number): number {
    const { aig, refs, stamp, round } = this;
    if (node === 0 || refs[node] > 0 || !aig.isAnd(node) || stamp[node] === round) return 0;
    stamp[node] = round;
    return 1 + this.revive(aig.fanin0[node] >> 1) + this.revive(aig.fanin1[node] >> 1);
  }

  // ---- forms of a function --------------------------------------------------------------------------------------

  /** Functions that were weighed in this round, with their literal: -2 and below for gates that are not there yet. */
  private readonly weighed = new Map<number, number>();
  private readonly pairs = new Map<number, number>();
  private readonly virtualLevel: number[] = [];
  private weighedLevel = 0;
  private added = 0;
  private readonly leaves: number[] = [0, 0, 0, 0];

  /** Gates that a form would add, or more than `limit` - 1; leaves its level in `weighedLevel`. */
  private weigh(slot: number, plain: number, way: number, limit: number): number {
    this.round++;
    this.weighed.clear();
    this.pairs.clear();
    this.virtualLevel.length = 0;
    this.added = 0;
    for (let i = 0; i < cutSize; i++) this.leaves[i] = this.cutLeaves[slot * cutSize + i];
    const literal = this.shape(plain, way, limit);
    this.weighedLevel = literal === giveUp ? Infinity : this.levelOf(literal);
    return literal === giveUp ? limit : this.added;
  }

  private levelOf(literal: number): number {
    return literal < 0 ? this.virtualLevel[(-2 - literal) >> 1] : this.level[literal >> 1];
  }

  private shape(f: number, way: number, limit: number): number {
    if (f & 1) {
      const inner = this.shape(~f & 0xffff, way, limit);
      return inner === giveUp ? giveUp : inverse(inner);
    }
    if (f === 0) return 0;
    const known = this.weighed.get(f);
    if (known !== undefined) return known;
    let literal: number;
    const input = inputTables.indexOf(f);
    if (input >= 0) {
      literal = 2 * this.leaves[input];
      this.added += this.revive(literal >> 1);
      if (this.added >= limit) return giveUp;
    } else {
      const at = f * waysKept + way;
      const x = this.shape(this.library.left[at], 0, limit);
      if (x === giveUp) return giveUp;
      const y = this.shape(this.library.right[at], 0, limit);
      if (y === giveUp) return giveUp;
      const how = this.library.joins[at];
      literal = how === join.xor ? this.joinXor(x, y, limit) : this.join(x, y, limit);
      if (literal === giveUp) return giveUp;
      if (how === join.nand) literal = inverse(literal);
    }
    this.weighed.set(f, literal);
    return literal;
  }

  private joinXor(x: number, y: number, limit: number): number {
    const one = this.join(x, inverse(y), limit);
    if (one === giveUp) return giveUp;
    const other = this.join(inverse(x), y, limit);
    if (other === giveUp) return giveUp;
    const none = this.join(inverse(one), inverse(other), limit);
    return none === giveUp ? giveUp : inverse(none);
  }

  private join(x: number, y: number, limit: number): number {
    if (x >= 0 && y >= 0) {
      const found = this.aig.find(x, y);
      if (found >= 0) {
        this.added += this.revive(found >> 1);
        return this.added >= limit ? giveUp : found;
      }
    } else {
      if (x === 0 || y === 0) return 0;
      if (x === 1 || x === y) return y;
      if (y === 1) return x;
      if (x === inverse(y)) return 0;
    }
    const key = x < y ? x * 0x1000000 + y : y * 0x1000000 + x;
    const known = this.pairs.get(key);
    if (known !== undefined) return known;
    if (++this.added >= limit) return giveUp;
    const made = -2 - 2 * this.virtualLevel.length;
    this.virtualLevel.push(Math.max(this.levelOf(x), this.levelOf(y)) + 1);
    this.pairs.set(key, made);
    return made;
  }

  private build(f: number, way: number, leaves: readonly number[]): number {
    if (f & 1) return this.build(~f & 0xffff, way, leaves) ^ 1;
    if (f === 0) return 0;
    const input = inputTables.indexOf(f);
    if (input >= 0) return 2 * leaves[input];
    const at = f * waysKept + way;
    const x = this.build(this.library.left[at], 0, leaves);
    const y = this.build(this.library.right[at], 0, leaves);
    const how = this.library.joins[at];
    if (how !== join.xor) return this.and(x, y) ^ (how === join.nand ? 1 : 0);
    return this.and(this.and(x, y ^ 1) ^ 1, this.and(x ^ 1, y) ^ 1) ^ 1;
  }

  // ---- new nodes and their cuts ---------------------------------------------------------------------------------

  private and(a: number, b: number): number {
    const literal = this.aig.and(a, b);
    if (this.known < this.aig.nodeCount) this.meet();
    return literal;
  }

  /** Level and cuts of the node that was just made. */
  private meet(): void {
    const { aig } = this;
    const node = this.known++;
    if (node >= this.capacity) this.grow();
    if (!aig.isAnd(node)) {
      this.cutCount[node] = 0;
      return;
    }
    const [a, b] = [aig.fanin0[node] >> 1, aig.fanin1[node] >> 1];
    this.level[node] = Math.max(this.level[a], this.level[b]) + 1;
    this.mergeCuts(node, aig.fanin0[node], aig.fanin1[node]);
  }

  private mergeCuts(node: number, f0: number, f1: number): void {
    const { cutLeaves, cutTable, cutCount } = this;
    const [a, b] = [f0 >> 1, f1 >> 1];
    const base = node * cutLimit;
    let count = 0;
    // each operand's own pin first, so that the pair of them is the first cut
    for (let i = -1; i < cutCount[a]; i++) {
      for (let j = -1; j < cutCount[b]; j++) {
        if (count === cutLimit) break;
        const out = (base + count) * cutSize;
        const x = (a * cutLimit + i) * cutSize;
        const y = (b * cutLimit + j) * cutSize;
        let size = 0;
        let p = 0;
        let q = 0;
        for (;;) {
          const u = i < 0 ? (p === 0 ? a : 0) : p < cutSize ? cutLeaves[x + p] : 0;
          const v = j < 0 ? (q === 0 ? b : 0) : q < cutSize ? cutLeaves[y + q] : 0;
          if (u === 0 && v === 0) break;
          if (size === cutSize) {
            size++;
            break;
          }
          const next = u === 0 ? v : v === 0 ? u : Math.min(u, v);
          cutLeaves[out + size++] = next;
          if (u === next) p++;
          if (v === next) q++;
        }
        if (size > cutSize) continue;
        for (let k = size; k < cutSize; k++) cutLeaves[out + k] = 0;
        if (this.isRepeated(base, count)) continue;
        const left = this.spread(i < 0 ? inputTables[0] : cutTable[a * cutLimit + i], i < 0 ? -1 : x, a, out);
        const right = this.spread(j < 0 ? inputTables[0] : cutTable[b * cutLimit + j], j < 0 ? -1 : y, b, out);
        cutTable[base + count] = (f0 & 1 ? ~left : left) & (f1 & 1 ? ~right : right);
        count++;
      }
    }
    cutCount[node] = count;
  }

  private isRepeated(base: number, count: number): boolean {
    const { cutLeaves } = this;
    const own = (base + count) * cutSize;
    for (let c = 0; c < count; c++) {
      const other = (base + c) * cutSize;
      let same = true;
      for (let k = 0; same && k < cutSize; k++) same = cutLeaves[other + k] === cutLeaves[own + k];
      if (same) return true;
    }
    return false;
  }

  /** A table over the leaves at `from` (-1: the one leaf `single`) as a table over those at `to`. */
  private spread(table: number, from: number, single: number, to: number): number {
    const { cutLeaves } = this;
    let result = table;
    // highest input first: each moves up to its place among the merged leaves
    const size = from < 0 ? 1 : leafCount(cutLeaves, from);
    for (let i = size - 1; i >= 0; i--) {
      const leaf = from < 0 ? single : cutLeaves[from + i];
      let place = i;
      while (cutLeaves[to + place] !== leaf) place++;
      for (let at = i; at < place; at++) result = swapUp(result, at);
    }
    return result;
  }

  private grow(): void {
    this.capacity *= 2;
    const wider = (old: Int32Array, size: number) => {
      const next = new Int32Array(size);
      next.set(old);
      return next;
    };
    this.refs = wider(this.refs, this.capacity);
    this.level = wider(this.level, this.capacity);
    this.stamp = wider(this.stamp, this.capacity);
    this.cutLeaves = wider(this.cutLeaves, this.capacity * cutLimit * cutSize);
    const tables = new Uint16Array(this.capacity * cutLimit);
    tables.set(this.cutTable);
    this.cutTable = tables;
    const counts = new Uint8Array(this.capacity);
    counts.set(this.cutCount);
    this.cutCount = counts;
  }
}

/** Stands for a form that costs too much. */
const giveUp = -1;
/** Literals of gates that are not there yet run downwards from -2 in steps of two: -2 is the first, -3 its inverse. */
const inverse = (literal: number) => (literal >= 0 ? literal ^ 1 : literal & 1 ? literal + 1 : literal - 1);

function leafCount(leaves: Int32Array, at: number): number {
  let size = 0;
  while (size < cutSize && leaves[at + size] !== 0) size++;
  return size;
}

/** Exchanges inputs i and i + 1 of a table. */
function swapUp(table: number, i: number): number {
  switch (i) {
    case 0:
      return (table & 0x9999) | ((table & 0x2222) << 1) | ((table & 0x4444) >> 1);
    case 1:
      return (table & 0xc3c3) | ((table & 0x0c0c) << 2) | ((table & 0x3030) >> 2);
    default:
      return (table & 0xf00f) | ((table & 0x00f0) << 4) | ((table & 0x0f00) >> 4);
  }
}
