import { changeAt, valueText, WaveStore, type WaveTrack } from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { drawWaves, rulerStep, type WaveColours } from "../src/stations/simulate/draw-waves.ts";

const colours = Object.fromEntries(
  ["ink", "soft", "line", "trace", "wash", "unknown", "floating", "first", "second", "panel"].map((name) => [
    name,
    name,
  ]),
) as unknown as WaveColours;

/** Notes filled stretches and the texts, which is what can be told from outside. */
function recorder() {
  const fills: [string, number, number][] = [];
  const texts: { text: string; x: number }[] = [];
  const state: Record<string, unknown> = {};
  const count = { calls: 0 };
  const ctx = new Proxy(state, {
    get(_, name) {
      if (name === "fillRect")
        return (x: number, _y: number, width: number) => fills.push([String(state["fillStyle"]), x, x + width]);
      if (name === "fillText") return (text: string, x: number) => texts.push({ text, x });
      return name in state ? state[name as string] : () => void count.calls++;
    },
    set(_, name, value) {
      state[name as string] = value;
      return true;
    },
  }) as unknown as CanvasRenderingContext2D;
  return { ctx, fills, texts, count };
}

function track(width: number, changes: readonly (readonly [time: number, a: bigint, b?: bigint])[]): WaveTrack {
  const store = new WaveStore();
  store.begin(-9);
  store.add({ name: "n", path: ["t"], width, signed: false, kind: "bits", names: null, range: null, place: null });
  for (const [time, a, b] of changes) {
    store.time(time);
    store.bits(0, width, a, b ?? 0n);
  }
  return store.waves().tracks[0];
}
const draw = (one: WaveTrack, from: number, to: number, end = to) => {
  const { ctx, fills, texts, count } = recorder();
  drawWaves(
    ctx,
    [{ key: "t.n", track: one, radix: "hex" }],
    { from, to, width: 1000, height: 100, scroll: 0 },
    { first: null, second: null },
    end,
    colours,
    String,
  );
  return {
    dense: fills.filter(([colour]) => colour === "trace"),
    texts: texts.map((each) => each.text),
    calls: count.calls,
  };
};

describe("drawing waves", () => {
  it("fills only the stretch in which changes are closer than pixels", () => {
    // two changes at once near 0, then nothing for 600 pixels
    const { dense, texts } = draw(
      track(8, [
        [0, 0n],
        [1, 1n],
        [60_000, 2n],
      ]),
      0,
      100_000,
    );
    expect(dense).toHaveLength(1);
    expect(dense[0][2]).toBeLessThan(5);
    expect(texts).toEqual(expect.arrayContaining(["01", "02"]));
  });
  it("fills a clock seen from far, and draws each of its edges from near", () => {
    const clock = track(
      8,
      Array.from({ length: 20_000 }, (_, i) => [i * 5, BigInt(i & 1)] as const),
    );
    const far = draw(clock, 0, 100_000).dense;
    expect(far.reduce((sum, [, from, to]) => sum + to - from, 0)).toBeGreaterThan(990);
    expect(draw(clock, 0, 200).dense).toEqual([]);
  });
  it("draws by pixels, not by changes", () => {
    const uneven = Array.from({ length: 400_000 }, (_, i) => [i * 2 + (i % 7 === 0 ? 1 : 0), BigInt(i & 1)] as const);
    expect(draw(track(1, uneven), 0, 800_000).calls).toBeLessThan(4_000);
    const bursts = Array.from(
      { length: 300_000 },
      (_, i) => [Math.floor(i / 300) * 1000 + (i % 300), BigInt(i & 255)] as const,
    );
    expect(draw(track(8, bursts), 0, 1_000_000).calls).toBeLessThan(20_000);
  });
  it("marks the ruler at 1, 2 or 5 times a power of ten, far enough apart", () => {
    for (const span of [37, 1_000, 123_456, 9e9]) {
      const step = rulerStep({ from: 0, to: span, width: 1000, height: 1, scroll: 0 });
      expect(String(step).replace(/0+$/, "")).toMatch(/^[125]$/);
      expect((step / span) * 1000).toBeGreaterThanOrEqual(89);
    }
  });
});

describe("wave tracks", () => {
  it("find the change that holds at a time", () => {
    const one = track(4, [
      [10, 1n],
      [20, 2n],
      [30, 3n],
    ]);
    expect([5, 10, 15, 20, 29, 30, 99].map((time) => changeAt(one, time))).toEqual([-1, 0, 0, 1, 1, 2, 2]);
  });
  it("keep one value a time, the last", () => {
    const one = track(4, [
      [10, 1n],
      [10, 2n],
      [20, 5n],
    ]);
    expect([...one.times]).toEqual([10, 20]);
    expect([...one.a]).toEqual([2, 5]);
  });
  it("show values in every radix, unknown digits apart", () => {
    const one = track(8, [
      [0, 0x4dn],
      [1, 0xf0n, 0x0fn],
      [2, 0xffn, 0xffn],
      [3, 0x80n],
    ]);
    expect(valueText(one, 0, "hex")).toBe("4d");
    expect(valueText(one, 0, "ascii")).toBe('"M"');
    expect(valueText(one, 1, "hex")).toBe("fz");
    expect(valueText(one, 2, "unsigned")).toBe("xx");
    expect(valueText(one, 3, "signed")).toBe("-128");
    expect(valueText(one, 3, "unsigned")).toBe("128");
    expect(valueText(track(40, [[0, 1n << 39n]]), 0, "hex")).toBe("8000000000");
  });
});
