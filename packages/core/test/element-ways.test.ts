import fc from "fast-check";
import { afterAll, describe, expect, it } from "vitest";
import { findPart, type Part, registerDie } from "../src/device/index.ts";
import { Delays } from "../src/device/part.ts";
import { elementWays } from "../src/layout/ways.ts";
import { LutPins } from "../src/place/lut-pins.ts";

const side = 23;
const { part: nine } = findPart("TW-9-P208-2C");
const undo = registerDie({ ...nine!.die, name: "TW-WAYS", columns: "L".repeat(side), rows: side });
const part = findPart("TW-WAYS-P144-2C").part!;
afterAll(undo);
const ways = elementWays(part);
const places = part.family.elementsPerTile;
const pinCount = part.family.lutInputs;

const { fabric, graph } = part;
const middle = (side >> 1) + 1;
const node = (x: number, y: number, name: string): number => {
  const tile = y * fabric.width + x;
  return graph.tileFirst[tile] + fabric.pattern(tile).byName.get(name)!;
};

/** [nodes] Least delay from every node to a pin, over every edge of the part again and again: Bellman 1958, Ford 1956. */
function backFrom(pin: number, { nodePs }: { nodePs: Float32Array }): Map<number, number> {
  const left = new Map([[pin, 0]]);
  let front = [pin];
  while (front.length) {
    const next = new Set<number>();
    for (const at of front) {
      const through = left.get(at)! + nodePs[at];
      for (let i = 0; i < graph.sourceCount(at); i++) {
        const from = graph.source(at, i);
        // nothing that is looked for is further away
        if (from < 0 || through > 2500 || (left.get(from) ?? Infinity) <= through) continue;
        left.set(from, through);
        next.add(from);
      }
    }
    front = [...next];
  }
  return left;
}

describe("ways between elements", () => {
  const nodePs = new Delays(part, "slow-hot").nodePs();
  const delays = new Delays(part, "slow-hot");
  it("take as long as the shortest over all wires of the part, found another way", () => {
    const at = (dx: number, dy: number) => (dy + ways.reach) * (2 * ways.reach + 1) + dx + ways.reach;
    const area = (2 * ways.reach + 1) ** 2;
    for (const [dx, dy, to, name, kind, pin] of [
      [0, 0, 3, "L3.2", 0, 2],
      [1, 0, 0, "L0.5", 0, 5],
      [-2, 1, 7, "L7.0", 0, 0],
      [4, -3, 5, "L5.4", 0, 4],
      [0, 1, 2, "B2", 1, 0],
      [0, 0, 6, "EN1", 2, 0],
      [-1, -1, 1, "SR0", 3, 0],
    ] as const) {
      const left = backFrom(node(middle + dx, middle + dy, name), { nodePs });
      const more = kind === 0 ? delays.lutPs(pin) - delays.lutPs(pinCount - 1) : 0;
      for (const isRegister of [0, 1])
        for (let from = 0; from < places; from++) {
          const least = left.get(node(middle, middle, `${isRegister ? "Q" : "O"}${from}`))! + more;
          const row = ((2 * kind + isRegister) * places + from) * places + to;
          const told =
            kind === 0 ? ways.byPin[(row * area + at(dx, dy)) * pinCount + pin] : ways.near[row * area + at(dx, dy)];
          expect(told, `${name} from ${from}`).toBeCloseTo(least, 1);
        }
    }
  });
  it("to a LUT are those to its best pin, and grow with the grade", () => {
    const area = (2 * ways.reach + 1) ** 2;
    for (let row = 0; row < 2 * places * places * area; row += 7)
      expect(ways.near[row]).toBe(Math.min(...ways.byPin.subarray(row * pinCount, (row + 1) * pinCount)));
    const slow = elementWays(findPart("TW-WAYS-P144-1C").part as Part);
    const factor = part.family.gradeFactor["1"];
    for (let i = 0; i < ways.near.length; i += 101) expect(slow.near[i]).toBeCloseTo(ways.near[i] * factor, 1);
  });
});

describe("pins of a LUT", () => {
  const input = fc.record({
    dx: fc.integer({ min: -8, max: 8 }),
    dy: fc.integer({ min: -8, max: 8 }),
    from: fc.nat(places - 1),
    kind: fc.integer({ min: -1, max: 1 }),
    weight: fc.double({ min: 0.01, max: 1, noNaN: true }),
  });
  /** The cheapest of all ways to deal them out. */
  const cheapest = (ps: readonly (readonly number[])[], weights: readonly number[], taken = 0, i = 0): number => {
    if (i === ps.length) return 0;
    let least = Infinity;
    for (let pin = 0; pin < pinCount; pin++)
      if (!(taken & (1 << pin)))
        least = Math.min(least, weights[i] * ps[i][pin] + cheapest(ps, weights, taken | (1 << pin), i + 1));
    return least;
  };
  it("are dealt out at the least cost that there is", () => {
    fc.assert(
      fc.property(fc.array(input, { minLength: 1, maxLength: pinCount }), fc.nat(places - 1), (inputs, to) => {
        const pins = new LutPins(ways, places);
        pins.begin();
        const best = inputs.map(({ dx, dy, from, kind, weight }) => pins.add(dx, dy, from, to, kind, weight));
        const ps = inputs.map((_, i) => Array.from({ length: pinCount }, (_, pin) => pins.ps[i * 6 + pin]));
        const weights = inputs.map(({ weight }) => weight);
        const least = cheapest(ps, weights);
        const alone = best.reduce((sum, own, i) => sum + weights[i] * own, 0);
        best.forEach((own, i) => {
          expect(own).toBeCloseTo(Math.min(...ps[i]), 3);
        });
        expect(pins.contention()).toBeCloseTo(least - alone, 3);
        pins.assign();
        const chosen = inputs.map((_, i) => pins.pin[i]);
        expect(new Set(chosen).size).toBe(inputs.length);
        expect(chosen.reduce((sum, pin, i) => sum + weights[i] * ps[i][pin], 0)).toBeCloseTo(least, 3);
      }),
      { numRuns: 200 },
    );
  });
});
