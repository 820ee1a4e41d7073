import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { findTime, parseCondition, WaveStore, type Waves } from "../src/simulate/index.ts";

function waves(
  tracks: Record<string, { width: number; signed?: boolean; changes: readonly (readonly [number, bigint | "x"])[] }>,
): Waves {
  const store = new WaveStore();
  store.begin(-9);
  for (const [name, { width, signed }] of Object.entries(tracks)) {
    const path = name.split(".");
    store.add({
      name: path.at(-1)!,
      path: path.slice(0, -1),
      width,
      signed: signed ?? false,
      kind: "bits",
      names: name === "t.state" ? { "0": "IDLE", "2": "RUN" } : null,
      range: null,
      place: null,
    });
  }
  Object.values(tracks).forEach(({ width, changes }, i) => {
    for (const [time, value] of changes) {
      store.time(time);
      const ones = (1n << BigInt(width)) - 1n;
      if (value === "x") store.bits(i, width, ones, ones);
      else store.bits(i, width, BigInt.asUintN(width, value), 0n);
    }
  });
  return store.waves();
}
const sample = waves({
  "t.clk": {
    width: 1,
    changes: [
      [0, 0n],
      [5, 1n],
      [10, 0n],
      [15, 1n],
      [20, 0n],
      [25, 1n],
    ],
  },
  "t.count": {
    width: 8,
    changes: [
      [0, "x"],
      [5, 0n],
      [15, 7n],
      [25, 200n],
    ],
  },
  "t.u.count": {
    width: 40,
    changes: [
      [0, 1n],
      [12, 1n << 39n],
    ],
  },
  "t.level": {
    width: 8,
    signed: true,
    changes: [
      [0, -5n],
      [18, 5n],
    ],
  },
  "t.state": {
    width: 2,
    changes: [
      [0, 0n],
      [15, 2n],
      [20, 0n],
    ],
  },
});
const all = (text: string): number[] | string => {
  const condition = parseCondition(text, sample);
  if (typeof condition === "string") return condition;
  const times: number[] = [];
  for (let at: number | null = -1; ; ) {
    at = findTime(condition, at, true);
    if (at === null) return times;
    times.push(at);
  }
};

describe("conditions on waves", () => {
  it("are met where values become what is asked", () => {
    expect(all("count > 5")).toEqual([15]);
    expect(all("count = x")).toEqual([0]);
    expect(all("count != 7")).toEqual([5, 25]);
    expect(all("u.count >= 0x8000000000")).toEqual([12]);
    expect(all("level < 0")).toEqual([0]);
    expect(all("state = RUN")).toEqual([15]);
    expect(all("count = 0b111 and state == 2")).toEqual([15]);
  });
  it("are met at each event that is asked for", () => {
    expect(all("clk rises")).toEqual([5, 15, 25]);
    expect(all("clk falls and count = 7")).toEqual([20]);
    expect(all("t.count changes")).toEqual([5, 15, 25]);
  });
  it("that cannot be read say why", () => {
    expect(all("")).toMatch(/Write a condition/);
    expect(all("nothing = 1")).toMatch(/No signal is called 'nothing'/);
    expect(all("count ~ 3")).toMatch(/is no term/);
    expect(all("count = seven")).toMatch(/is no value/);
  });
  it("are found alike forwards and backwards, and where a look at every time finds them", () => {
    const change = fc.tuple(fc.nat(60), fc.bigInt(0n, 7n));
    fc.assert(
      fc.property(
        fc.array(change, { minLength: 1, maxLength: 25 }),
        fc.array(change, { minLength: 1, maxLength: 25 }),
        fc.nat(7),
        fc.nat(7),
        fc.boolean(),
        (first, second, p, q, event) => {
          const sorted = (list: [number, bigint][]) =>
            [...new Map(list.sort((x, y) => x[0] - y[0]))].filter(
              ([, value], i, each) => i === 0 || each[i - 1][1] !== value,
            );
          const one = waves({
            "t.a": { width: 3, changes: sorted(first) },
            "t.b": { width: 3, changes: sorted(second) },
          });
          const condition = parseCondition(event ? `a changes and b >= ${q}` : `a < ${p} and b >= ${q}`, one);
          if (typeof condition === "string") throw new Error(condition);
          const value = (track: number, time: number) => {
            let last: bigint | null = null;
            one.tracks[track].times.forEach((at, i) => {
              if (at <= time) last = BigInt(one.tracks[track].a[i]);
            });
            return last as bigint | null;
          };
          const changes = (track: number, time: number) => one.tracks[track].times.indexOf(time) > 0;
          const met = (time: number) => {
            const [a, b] = [value(0, time), value(1, time)];
            return b !== null && b >= BigInt(q) && (event ? changes(0, time) : a !== null && a < BigInt(p));
          };
          const expected = Array.from({ length: 62 }, (_, time) => time).filter(
            (time) => met(time) && (event || !met(time - 1)),
          );
          const forward: number[] = [];
          for (let at = findTime(condition, -1, true); at !== null; at = findTime(condition, at, true))
            forward.push(at);
          expect(forward).toEqual(expected);
          const backward: number[] = [];
          for (let at = findTime(condition, 1000, false); at !== null; at = findTime(condition, at, false))
            backward.unshift(at);
          expect(backward).toEqual(expected);
        },
      ),
      { numRuns: 300, seed: 5 },
    );
  });
});
