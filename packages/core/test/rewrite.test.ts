import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { quietContext, Random } from "../src/common/index.ts";
import { elaborate } from "../src/elaborate/index.ts";
import { Aig } from "../src/logic/aig.ts";
import { CarryStore } from "../src/logic/carry.ts";
import { inputTables, join, smallFunctions, unknown, waysKept } from "../src/logic/small-functions.ts";
import { cellKind } from "../src/netlist/index.ts";
import type { BitGraph } from "../src/synth/blast.ts";
import { liveNodes } from "../src/synth/blast.ts";
import { defaultSynthOptions, synthesize } from "../src/synth/index.ts";
import { rewrite } from "../src/synth/rewrite.ts";

function graphOf(aig: Aig, outputs: readonly number[]): BitGraph {
  return {
    aig,
    carry: new CarryStore(aig, 128),
    constants: new Map(),
    merged: new Map(),
    literal: new Int32Array(0),
    states: [],
    blocks: [],
    inputs: Array.from({ length: aig.nodeCount }, (_, node) => node)
      .filter((node) => aig.isInput(node))
      .map((node) => ({ net: node, node })),
    outputs: outputs.map((literal, bit) => ({ port: 0, bit, isEnable: false, literal })),
    kept: [],
    recoded: [],
    moved: [],
  };
}

function randomGraph(random: Random, inputs: number, gates: number): BitGraph {
  const aig = new Aig();
  const literals = Array.from({ length: inputs }, () => aig.input());
  for (let i = 0; i < gates; i++) {
    const pick = () =>
      literals[Math.max(0, literals.length - 1 - random.below(Math.min(literals.length, 12)))] ^ random.below(2);
    const kind = random.below(4);
    const made =
      kind === 0 ? aig.xor(pick(), pick()) : kind === 1 ? aig.mux(pick(), pick(), pick()) : aig.and(pick(), pick());
    if (made > 1) literals.push(made & ~1);
  }
  return graphOf(
    aig,
    literals.slice(-6).map((literal) => literal ^ random.below(2)),
  );
}

const gateCount = (graph: BitGraph) => {
  const live = liveNodes(graph);
  return live.reduce((sum, flag, node) => sum + Number(flag === 1 && graph.aig.isAnd(node)), 0);
};
function depthOf({ aig, outputs }: BitGraph): number {
  const level = new Int32Array(aig.nodeCount);
  for (let node = 1; node < aig.nodeCount; node++)
    if (aig.isAnd(node)) level[node] = 1 + Math.max(level[aig.fanin0[node] >> 1], level[aig.fanin1[node] >> 1]);
  return Math.max(0, ...outputs.map(({ literal }) => level[literal >> 1]));
}
/** 32 runs side by side. @param words By number of the input. */
function values({ aig, inputs, outputs }: BitGraph, words: readonly number[]): number[] {
  const value = new Int32Array(aig.nodeCount);
  inputs.forEach(({ node }, i) => {
    value[node] = words[i];
  });
  const read = (literal: number) => (literal & 1 ? ~value[literal >> 1] : value[literal >> 1]);
  for (let node = 1; node < aig.nodeCount; node++)
    if (aig.isAnd(node)) value[node] = read(aig.fanin0[node]) & read(aig.fanin1[node]);
  return outputs.map(({ literal }) => read(literal));
}

describe("functions of four inputs", () => {
  it("are what their ways make of them, in as many gates as it says", () => {
    const { size, left, right, joins } = smallFunctions();
    const sizeOf = (f: number) => size[f & 1 ? ~f & 0xffff : f];
    let checked = 0;
    for (let f = 0; f < 1 << 16; f += 2) {
      if (size[f] === unknown || size[f] === 0) continue;
      for (let way = 0; way < waysKept; way++) {
        const at = f * waysKept + way;
        if (left[at] < 0) break;
        const both = left[at] & right[at];
        const made = joins[at] === join.xor ? left[at] ^ right[at] : joins[at] === join.nand ? ~both & 0xffff : both;
        expect(made).toBe(f);
        expect(sizeOf(left[at]) + sizeOf(right[at]) + (joins[at] === join.xor ? 3 : 1)).toBe(size[f]);
        checked++;
      }
    }
    expect(checked).toBeGreaterThan(20_000);
  });

  it("have known sizes", () => {
    const { size } = smallFunctions();
    const [a, b, c, d] = inputTables;
    const sizeOf = (f: number) => size[f & 1 ? ~f & 0xffff : f];
    expect(sizeOf(a & b & c & d)).toBe(3);
    expect(sizeOf(a ^ b)).toBe(3);
    expect(sizeOf((a & b) | (~a & c))).toBe(3);
    expect(sizeOf((a & b) | (c & d))).toBe(3);
    expect(sizeOf((a & b) | (a & c) | (b & c))).toBe(4); // a majority, as a formula
    expect(sizeOf(a ^ b ^ c)).toBe(6);
  });
});

describe("rewriting", () => {
  it("keeps every function of random graphs, with no more gates and no deeper", () => {
    const random = new Random(31);
    let before = 0;
    let after = 0;
    for (let round = 0; round < 120; round++) {
      const graph = randomGraph(random, 4 + random.below(8), 20 + random.below(200));
      const made = rewrite(graph, quietContext());
      expect(gateCount(made)).toBeLessThanOrEqual(gateCount(graph));
      expect(depthOf(made)).toBeLessThanOrEqual(depthOf(graph));
      before += gateCount(graph);
      after += gateCount(made);
      for (let vector = 0; vector < 6; vector++) {
        const words = graph.inputs.map(() => random.uint32() | 0);
        expect(values(made, words)).toEqual(values(graph, words));
      }
    }
    expect(after).toBeLessThan(0.95 * before);
  });

  it("finds what is written in a roundabout way", () => {
    const aig = new Aig();
    const [a, b, c] = [aig.input(), aig.input(), aig.input()];
    // ab + ab'c + a'c is c + ab
    const roundabout = aig.or(aig.or(aig.and(a, b), aig.and(a, aig.and(b ^ 1, c))), aig.and(a ^ 1, c));
    expect(gateCount(rewrite(graphOf(aig, [roundabout]), quietContext()))).toBe(2);
  });

  it("does not take apart what others read too", () => {
    const aig = new Aig();
    const [a, b, c] = [aig.input(), aig.input(), aig.input()];
    const ab = aig.and(a, b);
    const graph = graphOf(aig, [ab, aig.and(ab, c)]);
    expect(gateCount(rewrite(graph, quietContext()))).toBe(2);
  });
});

describe("area", () => {
  const folder = new URL("./designs/", import.meta.url);
  // without those that are test benches alone; the card engine takes as long as all others together
  const left = process.env["GATE_CLOCK_LONG"] ? /^(md5|sha512)/ : /^(md5|sha512|card)/;
  const designs = readdirSync(folder).filter((name) => !left.test(name));
  it.each(designs)("of %s is within 5 % of the best that none, one or two rounds give", (name) => {
    const text = readFileSync(new URL(name, folder), "utf8");
    const { netlist } = elaborate([{ name, text }]).artifact!;
    for (const lutInputs of [4, 6]) {
      const luts = [0, 1, 2].map((rewriteRounds) => {
        const options = { ...defaultSynthOptions, lutInputs, rewriteRounds };
        const { kind } = synthesize(netlist, options, quietContext()).artifact!;
        return kind.reduce((sum, each) => sum + Number(each === cellKind.lut), 0);
      });
      expect(luts[defaultSynthOptions.rewriteRounds]).toBeLessThanOrEqual(1.05 * Math.min(...luts));
    }
  });
});
