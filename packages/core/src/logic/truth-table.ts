import type { Aig } from "./aig.ts";

/** Tables of the six variables over 64 rows, low and high half. */
const variableLow = [0xaaaaaaaa, 0xcccccccc, 0xf0f0f0f0, 0xff00ff00, 0xffff0000, 0];
const variableHigh = [0xaaaaaaaa, 0xcccccccc, 0xf0f0f0f0, 0xff00ff00, 0xffff0000, 0xffffffff];

/** Function of a node over up to six leaves, as 64 bits in two halves. Evaluates the cone between them. */
export class ConeFunction {
  private readonly low: Uint32Array;
  private readonly high: Uint32Array;
  private readonly stamp: Int32Array;
  private epoch = 0;
  resultLow = 0;
  resultHigh = 0;

  constructor(private readonly aig: Aig) {
    this.low = new Uint32Array(aig.nodeCount);
    this.high = new Uint32Array(aig.nodeCount);
    this.stamp = new Int32Array(aig.nodeCount);
  }

  compute(root: number, leaves: readonly number[]): void {
    const { aig, low, high, stamp } = this;
    const epoch = ++this.epoch;
    leaves.forEach((leaf, i) => {
      low[leaf] = variableLow[i];
      high[leaf] = variableHigh[i];
      stamp[leaf] = epoch;
    });
    const stack = [root];
    while (stack.length) {
      const node = stack[stack.length - 1];
      if (stamp[node] === epoch) {
        stack.pop();
        continue;
      }
      const f0 = aig.fanin0[node];
      const f1 = aig.fanin1[node];
      const a = f0 >> 1;
      const b = f1 >> 1;
      if (stamp[a] !== epoch) stack.push(a);
      else if (stamp[b] !== epoch) stack.push(b);
      else {
        low[node] = (f0 & 1 ? ~low[a] : low[a]) & (f1 & 1 ? ~low[b] : low[b]);
        high[node] = (f0 & 1 ? ~high[a] : high[a]) & (f1 & 1 ? ~high[b] : high[b]);
        stamp[node] = epoch;
        stack.pop();
      }
    }
    this.resultLow = low[root];
    this.resultHigh = high[root];
  }
}

/** True if the function changes when input `i` does. */
export function dependsOn(low: number, high: number, i: number): boolean {
  if (i === 5) return low >>> 0 !== high >>> 0;
  const shift = 1 << i;
  const zeros = ~variableLow[i];
  return ((low ^ (low >>> shift)) & zeros) !== 0 || ((high ^ (high >>> shift)) & zeros) !== 0;
}

/** The table with input `from` moved to place `to` (an unused place). */
export function permuteMask(low: number, high: number, places: readonly number[]): { low: number; high: number } {
  let outLow = 0;
  let outHigh = 0;
  for (let row = 0; row < 64; row++) {
    let source = 0;
    for (let i = 0; i < places.length; i++) if (places[i] >= 0 && (row >> places[i]) & 1) source |= 1 << i;
    const bit = source < 32 ? (low >>> source) & 1 : (high >>> (source - 32)) & 1;
    if (!bit) continue;
    if (row < 32) outLow |= 1 << row;
    else outHigh |= 1 << (row - 32);
  }
  return { low: outLow >>> 0, high: outHigh >>> 0 };
}
