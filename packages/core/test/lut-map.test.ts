import { describe, expect, it } from "vitest";
import { quietContext, Random } from "../src/common/index.ts";
import { Aig } from "../src/logic/aig.ts";
import { ConeFunction } from "../src/logic/truth-table.ts";
import { type LutCover, mapLuts } from "../src/synth/lut-map.ts";

function randomGraph(random: Random, inputs: number, gates: number): { aig: Aig; targets: number[] } {
  const aig = new Aig();
  const literals = Array.from({ length: inputs }, () => aig.input());
  for (let i = 0; i < gates; i++) {
    // mostly recent nodes, so that the graph grows deep
    const pick = () =>
      literals[Math.max(0, literals.length - 1 - random.below(Math.min(literals.length, 14)))] ^ random.below(2);
    const made = random.float() < 0.3 ? aig.xor(pick(), pick()) : aig.and(pick(), pick());
    if (made > 1) literals.push(made & ~1);
  }
  const targets = [...new Set(literals.slice(-6).map((literal) => literal >> 1))].filter((node) => aig.isAnd(node));
  return { aig, targets };
}

/** Least LUT depth of every node by trying all K-feasible cuts: no priorities, no flow. */
function exhaustiveDepth(aig: Aig, k: number): Int32Array {
  const depth = new Int32Array(aig.nodeCount);
  const cuts: Set<string>[] = [];
  for (let node = 0; node < aig.nodeCount; node++) {
    cuts[node] = new Set([`${node}`]);
    if (!aig.isAnd(node)) continue;
    let best = 1 << 20;
    for (const a of cuts[aig.fanin0[node] >> 1]) {
      for (const b of cuts[aig.fanin1[node] >> 1]) {
        const leaves = [...new Set([...a.split(","), ...b.split(",")].map(Number))].sort((x, y) => x - y);
        if (leaves.length > k) continue;
        cuts[node].add(leaves.join(","));
        best = Math.min(best, 1 + Math.max(...leaves.map((leaf) => depth[leaf])));
      }
    }
    // a cut that contains another one can never be shallower, nor can what is built on it
    const list = [...cuts[node]].map((text) => text.split(","));
    cuts[node] = new Set(
      list
        .filter(
          (cut) =>
            !list.some(
              (other) => other !== cut && other.length < cut.length && other.every((leaf) => cut.includes(leaf)),
            ),
        )
        .map((cut) => cut.join(",")),
    );
    depth[node] = best;
  }
  return depth;
}

function coverDepth(aig: Aig, cover: LutCover): Int32Array {
  const depth = new Int32Array(aig.nodeCount);
  for (const root of cover.roots) {
    let most = 0;
    for (let i = 0; i < cover.k && cover.leaves[root * cover.k + i] >= 0; i++)
      most = Math.max(most, depth[cover.leaves[root * cover.k + i]]);
    depth[root] = most + 1;
  }
  return depth;
}

describe("mapLuts", () => {
  for (const k of [4, 6]) {
    it(`reaches the least depth that exhaustive cuts allow, K = ${k}`, () => {
      const random = new Random(k);
      for (let round = 0; round < 40; round++) {
        const { aig, targets } = randomGraph(random, 5 + random.below(5), 14 + random.below(8));
        const cover = mapLuts(aig, targets, k, quietContext());
        const best = exhaustiveDepth(aig, k);
        const reached = coverDepth(aig, cover);
        const most = Math.max(0, ...targets.map((node) => best[node]));
        expect(Math.max(0, ...targets.map((node) => reached[node]))).toBe(most);
      }
    });
  }

  it("covers every target with LUTs whose leaves are covered in turn, and computes the same functions", () => {
    const random = new Random(3);
    for (let round = 0; round < 20; round++) {
      const { aig, targets } = randomGraph(random, 8, 400);
      const cover = mapLuts(aig, targets, 6, quietContext());
      const isRoot = new Set(cover.roots);
      for (const target of targets) expect(isRoot.has(target)).toBe(true);
      const direct = new Uint32Array(aig.nodeCount);
      const viaLuts = new Uint32Array(aig.nodeCount);
      const cone = new ConeFunction(aig);
      for (let node = 1; node < aig.nodeCount; node++) {
        if (!aig.isAnd(node)) direct[node] = viaLuts[node] = random.uint32();
        else {
          const read = (literal: number) => (literal & 1 ? ~direct[literal >> 1] : direct[literal >> 1]);
          direct[node] = read(aig.fanin0[node]) & read(aig.fanin1[node]);
        }
        if (!isRoot.has(node)) continue;
        const leaves: number[] = [];
        for (let i = 0; i < 6 && cover.leaves[node * 6 + i] >= 0; i++) leaves.push(cover.leaves[node * 6 + i]);
        for (const leaf of leaves) expect(isRoot.has(leaf) || !aig.isAnd(leaf)).toBe(true);
        cone.compute(node, leaves);
        let word = 0;
        for (let bit = 0; bit < 32; bit++) {
          const row = leaves.reduce((sum, leaf, i) => sum | (((viaLuts[leaf] >>> bit) & 1) << i), 0);
          if (row < 32 ? (cone.resultLow >>> row) & 1 : (cone.resultHigh >>> (row - 32)) & 1) word |= 1 << bit;
        }
        viaLuts[node] = word;
        expect(viaLuts[node]).toBe(direct[node]);
      }
    }
  });

  it("recovers area: never more LUTs than the depth-first choice alone would need for known circuits", () => {
    // a 6-input AND is one LUT, a 16-input one is a tree of four
    const aig = new Aig();
    const six = Array.from({ length: 6 }, () => aig.input());
    const all = aig.andAll(six);
    expect(mapLuts(aig, [all >> 1], 6, quietContext()).roots).toHaveLength(1);
    const wide = new Aig();
    const sixteen = wide.andAll(Array.from({ length: 16 }, () => wide.input()));
    const cover = mapLuts(wide, [sixteen >> 1], 6, quietContext());
    expect(cover.levels).toBe(2);
    expect(cover.roots.length).toBeLessThanOrEqual(5);
  });
});
