import { afterAll, describe, expect, it } from "vitest";
import { quietContext } from "../src/common/index.ts";
import { findPart, type Part, registerDie } from "../src/device/index.ts";
import { recipes } from "../src/flow/index.ts";
import { Annealer } from "../src/place/anneal.ts";
import { arrange, type Weights } from "../src/place/arrange.ts";
import { legalise } from "../src/place/legalise.ts";
import { type PlacementProblem, wirelength } from "../src/place/problem.ts";
import { knownOptimum } from "./helpers/known-optimum.ts";

/** A square die of logic alone: no column of blocks parts its nets. */
const undo: (() => void)[] = [];
function squareDie(side: number): Part {
  const name = `TW-S${side}`;
  const { part: nine } = findPart("TW-9-P208-2C");
  undo.push(registerDie({ ...nine!.die, name, columns: "L".repeat(side), rows: side }));
  return findPart(`${name}-P144-2C`).part!;
}
afterAll(() => {
  for (const back of undo) back();
});

const nothingMatters = ({ connFrom, part: { fabric } }: PlacementProblem): Weights => {
  const [columns, rows] = [2 * fabric.width - 1, 2 * fabric.height - 1];
  const delay = {
    typical: new Float32Array(columns * rows),
    near: new Float32Array(0),
    byPin: new Float32Array(0),
    pinPs: new Float64Array(0),
    reach: 0,
    columns,
    offsetX: fabric.width - 1,
    offsetY: fabric.height - 1,
  };
  return {
    delay,
    at: () => ({ critical: new Float32Array(connFrom.length), standing: { longestPs: 1, slackPs: null } }),
  };
};
const lengthOf = (problem: PlacementProblem, tileOf: Int32Array) => {
  const { width } = problem.part.fabric;
  return wirelength(
    problem,
    tileOf.map((tile) => tile % width),
    tileOf.map((tile) => Math.floor(tile / width)),
  );
};
const effortOf = (name: string) => {
  const { placeEffort, timingWeight } = recipes.find((recipe) => recipe.name === name)!;
  return { effort: placeEffort, timingWeight };
};

describe("a problem with a known optimum", () => {
  const part = squareDie(23);
  const { problem, optimum, tileOf } = knownOptimum(part, 500, 1);
  it("has a placement of that length, and none that is shorter", () => {
    expect(lengthOf(problem, tileOf)).toBe(optimum);
    // so many tiles never lie closer than in a box that is as square as can be
    for (let net = 0; net + 1 < problem.netStart.length; net++) {
      const size = problem.netStart[net + 1] - problem.netStart[net];
      let least = Infinity;
      for (let wide = 1; wide <= size; wide++) least = Math.min(least, wide - 1 + Math.ceil(size / wide) - 1);
      const members = [...problem.netEntity.subarray(problem.netStart[net], problem.netStart[net + 1])];
      const xs = members.map((e) => part.fabric.tileX(tileOf[e]));
      const ys = members.map((e) => part.fabric.tileY(tileOf[e]));
      expect(Math.max(...xs) - Math.min(...xs) + Math.max(...ys) - Math.min(...ys)).toBe(least);
    }
  });
  it("is placed within 25 % of it by the recipe even, and within 10 % by tight", () => {
    const even = arrange(problem, nothingMatters(problem), effortOf("even"), quietContext(1))!;
    expect(lengthOf(problem, even) / optimum).toBeLessThan(1.25);
    const tight = arrange(problem, nothingMatters(problem), effortOf("tight"), quietContext(1))!;
    expect(lengthOf(problem, tight) / optimum).toBeLessThan(1.1);
  });
  it("is placed within 25 % at another size, fill and seed", () => {
    const { problem: other, optimum: least } = knownOptimum(squareDie(36), 1000, 2);
    const placed = arrange(other, nothingMatters(other), effortOf("even"), quietContext(2))!;
    expect(lengthOf(other, placed) / least).toBeLessThan(1.25);
  });
});

/** Stacks of several heights among single clusters, with a net for each neighbour in number. */
function stacksAndSingles(part: Part, heights: readonly number[]): PlacementProblem {
  const { fabric } = part;
  const start = [0];
  const groupOf: number[] = [];
  heights.forEach((height, g) => {
    for (let i = 0; i < height; i++) groupOf.push(g);
    start.push(groupOf.length);
  });
  const count = groupOf.length;
  const ends = Array.from({ length: count - 1 }, (_, i) => [
    i,
    i + 1,
    ...(i % 3 === 0 && i + 9 < count ? [i + 9] : []),
  ]);
  const netStart = [0];
  for (const list of ends) netStart.push(netStart[netStart.length - 1] + list.length);
  const columns = [...new Set(fabric.logicTiles.map((tile) => fabric.tileX(tile)))].sort((a, b) => a - b);
  return {
    part,
    places: 1,
    entityCount: count,
    fixedSite: new Int32Array(count).fill(-1),
    groupStart: Int32Array.from(start),
    groupEntity: Int32Array.from({ length: count }, (_, i) => i),
    groupKind: new Uint8Array(heights.length),
    groupOf: Int32Array.from(groupOf),
    kinds: [{ name: "logic", sites: fabric.logicTiles, columns }],
    netStart: Int32Array.from(netStart),
    netEntity: Int32Array.from(ends.flat()),
    connFrom: Int32Array.from({ length: count - 1 }, (_, i) => i),
    connTo: Int32Array.from({ length: count - 1 }, (_, i) => i + 1),
    connSlot: Int32Array.from({ length: count - 1 }, (_, i) => i),
    connKind: new Int8Array(count - 1),
    isLutPin: new Uint8Array(count - 1),
  };
}
function expectLegal(problem: PlacementProblem, tileOf: Int32Array): void {
  const { groupStart, groupEntity, part } = problem;
  const logic = new Set(part.fabric.logicTiles);
  expect(new Set(tileOf).size).toBe(problem.entityCount);
  for (const tile of tileOf) expect(logic.has(tile)).toBe(true);
  for (let g = 0; g + 1 < groupStart.length; g++)
    for (let i = groupStart[g] + 1; i < groupStart[g + 1]; i++)
      expect(tileOf[groupEntity[i]]).toBe(tileOf[groupEntity[i - 1]] + part.fabric.width);
}

describe("stacks of clusters", () => {
  const { part: two } = findPart("TW-2-P144-2C");
  const heights = Array.from({ length: 60 }, (_, i) => [1, 2, 1, 5, 1, 1, 3][i % 7]);
  const problem = stacksAndSingles(two!, heights);
  it("keep together in one column wherever they are wanted", () => {
    for (const at of [0, 8, 30]) {
      const wanted = new Float64Array(heights.length).fill(at);
      expectLegal(problem, legalise(problem, wanted, wanted)!);
    }
  });
  it("have no place where they are more than the columns hold, and just have one where they fill them", () => {
    const rows = two!.die.rows;
    const columns = problem.kinds[0].columns.length;
    const all = (count: number) => {
      const full = stacksAndSingles(two!, Array(count).fill(rows));
      const middle = new Float64Array(count).fill(5);
      return legalise(full, middle, middle);
    };
    expect(all(columns + 1)).toBeNull();
    const just = all(columns)!;
    expect(new Set(just).size).toBe(columns * rows);
  });
  it("stay legal while they are annealed, with boxes of nets that every round counts again", () => {
    const middle = new Float64Array(heights.length).fill(8);
    const { delay } = nothingMatters(problem);
    // a delay that grows with distance, not the same in all directions
    for (let i = 0; i < delay.typical.length; i++)
      delay.typical[i] =
        40 * Math.abs((i % delay.columns) - delay.offsetX) +
        (i < delay.columns * delay.offsetY ? 70 : 30) * Math.abs(Math.floor(i / delay.columns) - delay.offsetY);
    let told = 0;
    const critical = Float32Array.from(problem.connFrom, (_, c) => (c % 5) / 5);
    const annealer = new Annealer(
      problem,
      legalise(problem, middle, middle)!,
      delay,
      {
        movesPer: 4 * problem.groupKind.length ** (4 / 3),
        timingWeight: 0.5,
        heat: 0.5,
        range: 8,
        cooling: 0.8,
        sharing: null,
        part: [1, 0],
        weigh: (tileOf) => {
          expectLegal(problem, tileOf);
          told++;
          return { critical, standing: { longestPs: 1, slackPs: null } };
        },
      },
      quietContext(3),
    );
    const tileOf = annealer.run();
    expectLegal(problem, tileOf);
    expect(told).toBeGreaterThan(5);
    expect(annealer.moves).toBeGreaterThan(1000);
  });
});
