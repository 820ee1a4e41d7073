import type { StageContext } from "../common/context.ts";
import type { Aig } from "../logic/aig.ts";
import { CutFlow } from "./cut-flow.ts";

/** LUTs that cover the graph. Leaves are nodes: inputs of the graph or roots of other LUTs. */
export interface LutCover {
  /** Nodes that became LUT roots, in topological order. */
  readonly roots: Int32Array;
  /** [nodes * K] Leaves of each root, -1 behind the last. */
  readonly leaves: Int32Array;
  readonly k: number;
  /** Levels on the longest path. */
  readonly levels: number;
}

const cutLimit = 8;
const infinite = 1 << 29;

/**
 * Covers the graph with K-input LUTs: least depth first, then least area that keeps it.
 * Priority cuts (Mishchenko, Cho, Chatterjee, Brayton 2007, ICCAD), with the depth of every node made exact by a
 * maximum-flow check (Cong and Ding 1994); then one pass of area flow and two of exact local area, as in Mishchenko,
 * Chatterjee, Brayton 2007 (IEEE TCAD 26(2)). Time about O(nodes * cuts^2).
 * @param targets Nodes that something outside the graph needs.
 */
export function mapLuts(
  aig: Aig,
  targets: readonly number[],
  k: number,
  context: StageContext,
  levels: InputLevels = startLevels,
): LutCover {
  const mapping = startMapping(aig, targets, k, context, levels);
  return mapping.finish(mapping.levels);
}

/** A mapping whose least levels are known, before its LUTs are chosen. */
export interface Mapping {
  readonly levels: number;
  /** @param levels That it may take, not below its own: what is not needed is spent on fewer LUTs. */
  finish(levels: number): LutCover;
}

/** As `mapLuts`, in two steps: a part of a design takes as many levels as the whole. */
export function startMapping(
  aig: Aig,
  targets: readonly number[],
  k: number,
  context: StageContext,
  levels: InputLevels = startLevels,
): Mapping {
  const mapper = new Mapper(aig, targets, k, context, levels);
  const least = mapper.start();
  return { levels: least, finish: (allowed) => mapper.finish(Math.max(allowed, least)) };
}

/** Levels at which the graph's inputs arrive, where something outside of it (a carry chain) makes them from its nodes. */
export interface InputLevels {
  /** Called before each pass over the graph. */
  reset(): void;
  /** @param depth [nodes] Known for all lower nodes. */
  arrival(node: number, depth: Int32Array): number;
  /** Lowers what is required of the lower nodes that the input is made from. */
  require(node: number, required: Int32Array): void;
}
const startLevels: InputLevels = { reset() {}, arrival: () => 0, require() {} };

class Mapper {
  private readonly n: number;
  // working cuts: cutLimit + 1 slots a node; slot 0 is the best cut
  private readonly cutLeaves: Int32Array;
  private readonly cutSize: Uint8Array;
  private readonly cutSign: Int32Array;
  private readonly cutCount: Uint8Array;
  private readonly depth: Int32Array;
  private readonly flow: Float64Array;
  private readonly refs: Int32Array;
  private readonly estimatedRefs: Float64Array;
  private readonly required: Int32Array;
  private readonly isTarget: Uint8Array;
  // scratch for merging
  private readonly scratchLeaves: Int32Array;
  private readonly scratchSize = new Uint8Array((cutLimit + 1) ** 2 + 2);
  private readonly scratchSign = new Int32Array((cutLimit + 1) ** 2 + 2);
  private readonly scratchDepth = new Int32Array((cutLimit + 1) ** 2 + 2);
  private readonly scratchCost = new Float64Array((cutLimit + 1) ** 2 + 2);
  private readonly slots = cutLimit + 1;
  private levels = 0;

  constructor(
    private readonly aig: Aig,
    private readonly targets: readonly number[],
    private readonly k: number,
    private readonly context: StageContext,
    private readonly inputLevels: InputLevels,
  ) {
    const n = aig.nodeCount;
    this.n = n;
    this.cutLeaves = new Int32Array(n * this.slots * k).fill(-1);
    this.cutSize = new Uint8Array(n * this.slots);
    this.cutSign = new Int32Array(n * this.slots);
    this.cutCount = new Uint8Array(n);
    this.depth = new Int32Array(n);
    this.flow = new Float64Array(n);
    this.refs = new Int32Array(n);
    this.estimatedRefs = new Float64Array(n);
    this.required = new Int32Array(n);
    this.isTarget = new Uint8Array(n);
    this.scratchLeaves = new Int32Array(((cutLimit + 1) ** 2 + 2) * k);
    for (const node of targets) this.isTarget[node] = 1;
    for (let node = 1; node < n; node++) {
      if (!aig.isAnd(node)) continue;
      this.estimatedRefs[aig.fanin0[node] >> 1]++;
      this.estimatedRefs[aig.fanin1[node] >> 1]++;
    }
    for (let node = 0; node < n; node++)
      this.estimatedRefs[node] = Math.max(1, this.estimatedRefs[node] + this.isTarget[node]);
  }

  start(): number {
    this.pass("depth");
    let levels = 0;
    for (const node of this.targets) levels = Math.max(levels, this.depth[node]);
    return levels;
  }

  finish(levels: number): LutCover {
    this.levels = levels;
    this.chooseCover();
    this.pass("flow");
    this.chooseCover();
    this.pass("exact");
    this.chooseCover();
    this.pass("exact");
    this.chooseCover();
    const { n, k, slots } = this;
    const leaves = new Int32Array(n * k).fill(-1);
    const roots: number[] = [];
    for (let node = 1; node < n; node++) {
      if (!this.aig.isAnd(node) || this.refs[node] === 0) continue;
      roots.push(node);
      for (let i = 0; i < this.cutSize[node * slots]; i++) leaves[node * k + i] = this.cutLeaves[node * slots * k + i];
    }
    return { roots: Int32Array.from(roots), leaves, k, levels: this.levels };
  }

  private pass(mode: "depth" | "flow" | "exact"): void {
    const { aig, n, k, slots, depth, cutLeaves, cutSize, cutSign, cutCount, flow } = this;
    const cutFlow = mode === "depth" ? new CutFlow(aig) : null;
    this.inputLevels.reset();
    for (let node = 1; node < n; node++) {
      if ((node & 4095) === 0) this.context.checkCancelled();
      const base = node * slots;
      if (!aig.isAnd(node)) {
        cutCount[node] = 0;
        depth[node] = this.inputLevels.arrival(node, depth);
        flow[node] = 0;
        continue;
      }
      const inCover = this.refs[node] > 0;
      if (mode === "exact" && inCover) this.dereference(node);
      const count = this.mergeCuts(node, mode);
      if (mode === "depth" && cutFlow) {
        const highest = Math.max(depth[aig.fanin0[node] >> 1], depth[aig.fanin1[node] >> 1]);
        if (highest > 0 && this.scratchDepth[0] > highest) {
          const found = cutFlow.findCut(node, highest, depth, k);
          if (found) this.insertFirst(found, highest);
        }
      }
      const kept = Math.min(count === 0 ? 1 : count, cutLimit);
      for (let c = 0; c < kept; c++) {
        cutSize[base + c] = this.scratchSize[c];
        cutSign[base + c] = this.scratchSign[c];
        for (let i = 0; i < k; i++)
          cutLeaves[(base + c) * k + i] = i < this.scratchSize[c] ? this.scratchLeaves[c * k + i] : -1;
      }
      cutCount[node] = kept;
      depth[node] = this.scratchDepth[0];
      flow[node] = this.areaFlow(base) / this.estimatedRefs[node];
      if (mode === "exact" && inCover) this.reference(node);
    }
  }

  private insertFirst(leaves: readonly number[], depth: number): void {
    // moves the others up one place: the scratch has room for it
    const { k, scratchLeaves } = this;
    for (let c = cutLimit - 1; c > 0; c--) {
      this.scratchSize[c] = this.scratchSize[c - 1];
      this.scratchSign[c] = this.scratchSign[c - 1];
      this.scratchDepth[c] = this.scratchDepth[c - 1];
      scratchLeaves.copyWithin(c * k, (c - 1) * k, c * k);
    }
    const sorted = [...leaves].sort((a, b) => a - b);
    this.scratchSize[0] = sorted.length;
    this.scratchDepth[0] = depth;
    let sign = 0;
    sorted.forEach((leaf, i) => {
      scratchLeaves[i] = leaf;
      sign |= 1 << (leaf & 31);
    });
    this.scratchSign[0] = sign;
  }

  /** Fills the scratch with the best cuts of a node, best first, and returns their number. */
  private mergeCuts(node: number, mode: "depth" | "flow" | "exact"): number {
    const { aig, k, slots, cutLeaves, cutSize, cutSign, cutCount, scratchLeaves, scratchSize, scratchSign } = this;
    const left = aig.fanin0[node] >> 1;
    const right = aig.fanin1[node] >> 1;
    let count = 0;
    // the cut chosen so far always stays: it is what keeps the depth within what is required
    if (mode !== "depth") {
      const base = node * slots;
      scratchSize[0] = cutSize[base];
      scratchSign[0] = cutSign[base];
      for (let i = 0; i < cutSize[base]; i++) scratchLeaves[i] = cutLeaves[base * k + i];
      count = 1;
    }
    for (let a = 0; a <= cutCount[left]; a++) {
      const aTrivial = a === cutCount[left];
      const aSize = aTrivial ? 1 : cutSize[left * slots + a];
      const aSign = aTrivial ? 1 << (left & 31) : cutSign[left * slots + a];
      const aAt = (left * slots + a) * k;
      for (let b = 0; b <= cutCount[right]; b++) {
        const bTrivial = b === cutCount[right];
        const bSize = bTrivial ? 1 : cutSize[right * slots + b];
        const bSign = bTrivial ? 1 << (right & 31) : cutSign[right * slots + b];
        const sign = aSign | bSign;
        if (popcount(sign) > k) continue;
        const bAt = (right * slots + b) * k;
        // merge of two sorted lists
        const out = count * k;
        let size = 0;
        let i = 0;
        let j = 0;
        while (i < aSize || j < bSize) {
          const x = i < aSize ? (aTrivial ? left : cutLeaves[aAt + i]) : 0x7fffffff;
          const y = j < bSize ? (bTrivial ? right : cutLeaves[bAt + j]) : 0x7fffffff;
          if (size === k) {
            size = k + 1;
            break;
          }
          scratchLeaves[out + size++] = Math.min(x, y);
          if (x <= y) i++;
          if (y <= x) j++;
        }
        if (size > k || this.isRepeated(count, out, size, sign)) continue;
        scratchSize[count] = size;
        scratchSign[count] = sign;
        count++;
      }
    }
    return this.rank(node, count, mode);
  }

  private isRepeated(count: number, at: number, size: number, sign: number): boolean {
    const { k, scratchLeaves, scratchSize, scratchSign } = this;
    for (let c = 0; c < count; c++) {
      if (scratchSize[c] !== size || scratchSign[c] !== sign) continue;
      let same = true;
      for (let i = 0; same && i < size; i++) same = scratchLeaves[c * k + i] === scratchLeaves[at + i];
      if (same) return true;
    }
    return false;
  }

  /** Sorts the scratch by the pass's wish and keeps the best `cutLimit`. */
  private rank(node: number, count: number, mode: "depth" | "flow" | "exact"): number {
    const { k, depth, flow, scratchLeaves, scratchSize, scratchDepth, scratchCost } = this;
    const limit = mode === "depth" ? infinite : this.required[node];
    for (let c = 0; c < count; c++) {
      let deepest = 0;
      let area = 1;
      for (let i = 0; i < scratchSize[c]; i++) {
        const leaf = scratchLeaves[c * k + i];
        if (depth[leaf] > deepest) deepest = depth[leaf];
        area += flow[leaf];
      }
      scratchDepth[c] = deepest + 1;
      if (mode === "exact") area = this.exactArea(c);
      scratchCost[c] = area;
    }
    const better = (x: number, y: number) => {
      const [dx, dy] = [scratchDepth[x], scratchDepth[y]];
      if (mode === "depth") {
        if (dx !== dy) return dx < dy;
        if (scratchCost[x] !== scratchCost[y]) return scratchCost[x] < scratchCost[y];
        return scratchSize[x] < scratchSize[y];
      }
      const [okX, okY] = [dx <= limit, dy <= limit];
      if (okX !== okY) return okX;
      if (Math.abs(scratchCost[x] - scratchCost[y]) > 1e-9) return scratchCost[x] < scratchCost[y];
      if (scratchSize[x] !== scratchSize[y]) return scratchSize[x] < scratchSize[y];
      return dx < dy;
    };
    const kept = Math.min(count, cutLimit);
    for (let place = 0; place < kept; place++) {
      let best = place;
      for (let c = place + 1; c < count; c++) if (better(c, best)) best = c;
      if (best !== place) this.swap(place, best);
    }
    return kept;
  }

  private swap(x: number, y: number): void {
    const { k, scratchLeaves } = this;
    for (let i = 0; i < k; i++) {
      const leaf = scratchLeaves[x * k + i];
      scratchLeaves[x * k + i] = scratchLeaves[y * k + i];
      scratchLeaves[y * k + i] = leaf;
    }
    for (const list of [this.scratchSize, this.scratchSign, this.scratchDepth, this.scratchCost]) {
      const value = list[x];
      list[x] = list[y];
      list[y] = value;
    }
  }

  private areaFlow(slot: number): number {
    let area = 1;
    for (let i = 0; i < this.cutSize[slot]; i++) area += this.flow[this.cutLeaves[slot * this.k + i]];
    return area;
  }

  /** LUTs that choosing scratch cut `c` would add to the cover. */
  private exactArea(c: number): number {
    const { k, scratchLeaves, scratchSize } = this;
    let area = 1;
    for (let i = 0; i < scratchSize[c]; i++) {
      const leaf = scratchLeaves[c * k + i];
      if (this.refs[leaf]++ === 0) area += this.reference(leaf);
    }
    for (let i = 0; i < scratchSize[c]; i++) {
      const leaf = scratchLeaves[c * k + i];
      if (--this.refs[leaf] === 0) this.dereference(leaf);
    }
    return area;
  }

  /** Counts the leaves of a node's best cut in, and those that this brings into the cover. @returns LUTs added. */
  private reference(node: number): number {
    if (!this.aig.isAnd(node)) return 0;
    const slot = node * this.slots;
    let area = 1;
    for (let i = 0; i < this.cutSize[slot]; i++) {
      const leaf = this.cutLeaves[slot * this.k + i];
      if (this.refs[leaf]++ === 0) area += this.reference(leaf);
    }
    return area;
  }

  private dereference(node: number): void {
    if (!this.aig.isAnd(node)) return;
    const slot = node * this.slots;
    for (let i = 0; i < this.cutSize[slot]; i++) {
      const leaf = this.cutLeaves[slot * this.k + i];
      if (--this.refs[leaf] === 0) this.dereference(leaf);
    }
  }

  /** Which nodes are LUTs under the best cuts, and by when each must be ready. */
  private chooseCover(): void {
    const { aig, n, k, slots, refs, required, cutLeaves, cutSize, depth } = this;
    refs.fill(0);
    required.fill(infinite);
    // depths under the present best cuts: area passes may have let some grow within their slack
    this.inputLevels.reset();
    for (let node = 1; node < n; node++) {
      if (!aig.isAnd(node)) {
        depth[node] = this.inputLevels.arrival(node, depth);
        continue;
      }
      let deepest = 0;
      for (let i = 0; i < cutSize[node * slots]; i++)
        deepest = Math.max(deepest, depth[cutLeaves[node * slots * k + i]]);
      depth[node] = deepest + 1;
    }
    for (const node of this.targets) {
      refs[node]++;
      required[node] = this.levels;
    }
    for (let node = n - 1; node > 0; node--) {
      if (!aig.isAnd(node)) {
        this.inputLevels.require(node, required);
        continue;
      }
      if (refs[node] === 0) continue;
      for (let i = 0; i < cutSize[node * slots]; i++) {
        const leaf = cutLeaves[node * slots * k + i];
        refs[leaf]++;
        required[leaf] = Math.min(required[leaf], required[node] - 1);
      }
    }
    for (let node = 1; node < n; node++) {
      if (refs[node] > 0) this.estimatedRefs[node] = (this.estimatedRefs[node] + 2 * refs[node]) / 3;
    }
  }
}

function popcount(value: number): number {
  let v = value - ((value >>> 1) & 0x55555555);
  v = (v & 0x33333333) + ((v >>> 2) & 0x33333333);
  return Math.imul((v + (v >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
}
