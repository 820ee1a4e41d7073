import { changeAt, type WaveTrack } from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import { layRows, rowHeight, rowTops, rulerHeight, trackKey } from "../src/sessions/wave-rows.ts";
import { drawWaves, type WaveColours, type WaveView } from "../src/stations/simulate/draw-waves.ts";
import { type Mark, recordingCanvas } from "./canvas.ts";

const colours: WaveColours = {
  ink: "ink",
  soft: "soft",
  line: "line",
  trace: "trace",
  wash: "wash",
  unknown: "unknown",
  floating: "floating",
  first: "first",
  second: "second",
  panel: "panel",
};

/** A track of values 0, 1, x and z, or of numbers. */
function track(name: string, width: number, changes: readonly (readonly [number, string | number])[]): WaveTrack {
  const code = (value: string | number): [number, number] =>
    value === "x" ? [1, 1] : value === "z" ? [0, 1] : [Number(value), 0];
  const whole = (value: string | number): [number, number] => {
    const [a, b] = code(value);
    return b ? [a ? 2 ** width - 1 : 0, 2 ** width - 1] : [a, 0];
  };
  return {
    name,
    path: ["tb"],
    width,
    signed: false,
    kind: "bits",
    names: null,
    range: width > 1 ? [width - 1, 0] : null,
    place: null,
    times: Float64Array.from(changes, ([time]) => time),
    a: Uint32Array.from(changes, ([, value]) => whole(value)[0]),
    b: Uint32Array.from(changes, ([, value]) => whole(value)[1]),
    texts: [],
    reals: new Float64Array(0),
  };
}
function draw(tracks: readonly WaveTrack[], view: Partial<WaveView>, end: number, cursors = {}): Mark[] {
  const layout = { closed: [], expanded: [], radix: {}, drawing: {} };
  const byKey = new Map(tracks.map((each) => [trackKey(each), each]));
  const rows = layRows(
    [...byKey.keys()].map((key) => ({ key, group: null })),
    layout,
    byKey,
  );
  const { ctx, marks } = recordingCanvas();
  const whole = { from: 0, to: end, width: 800, height: 400, scroll: 0, ...view };
  const none = { first: null, second: null, markers: [], range: null };
  drawWaves(ctx, rows, rowTops(rows), whole, { ...none, ...cursors }, end, colours, (time) => `${time} ns`);
  return marks;
}
const lines = (marks: readonly Mark[], colour: string) =>
  marks.flatMap((mark) => (mark.kind === "line" && mark.colour === colour ? [mark] : []));

describe("the ruler", () => {
  it.each([7, 90, 1234, 1e6, 3.7e12])("of %d steps has marks at round times, 90 pixels apart or more", (end) => {
    const marks = draw([], {}, end).filter((mark) => mark.kind === "text");
    const times = marks.map(({ text }) => Number(text.split(" ")[0]));
    const step = times[1] - times[0];
    expect([1, 2, 5]).toContain(Number(step.toExponential()[0]));
    expect(step.toExponential()).toMatch(/^[125]e/);
    for (let i = 1; i < times.length; i++) expect(times[i] - times[i - 1]).toBe(step);
    expect(end <= 8 || marks.length >= 2).toBe(true);
    for (let i = 1; i < marks.length; i++) expect(marks[i].x - marks[i - 1].x).toBeGreaterThanOrEqual(89);
  });
});

describe("the trace of one bit", () => {
  const bit = track("clk", 1, [
    [0, 0],
    [100, 1],
    [160, 0],
    [300, "z"],
    [420, "x"],
    [600, 1],
  ]);
  const high = rulerHeight + 6;
  const low = rulerHeight + rowHeight - 6;

  it("is at the height of the value at every time, whatever part of it is shown", () => {
    for (const [from, to] of [
      [0, 800],
      [110, 290],
      [590, 700],
      [90, 170],
    ]) {
      const drawn = draw([bit], { from, to }, 800);
      for (let x = 3; x < 800; x += 7) {
        const time = from + (x / 800) * (to - from);
        const change = changeAt(bit, time);
        if (bit.times[change + 1] !== undefined && Math.abs(bit.times[change + 1] - time) < 2) continue;
        const at = drawn.filter(
          (mark) =>
            mark.kind === "line" &&
            (mark.colour === "trace" || mark.colour === "floating") &&
            mark.ends[1] === mark.ends[3] &&
            mark.ends[0] <= x &&
            x < mark.ends[2],
        );
        const [value, isOpen] = [bit.a[change], bit.b[change]];
        if (isOpen && value) {
          // x: a hatched band from top to bottom
          expect(at).toEqual([]);
          const band = lines(drawn, "unknown").filter(({ ends }) => ends[1] === ends[3]);
          expect(band.map(({ ends }) => ends[1]).sort()).toEqual([high, low].sort());
          expect(band.every(({ ends }) => ends[0] <= x && x <= ends[2])).toBe(true);
          continue;
        }
        expect(at, `time ${time}`).toHaveLength(1);
        const [mark] = at;
        if (mark.kind !== "line") throw new Error("no line");
        expect(mark.ends[1]).toBe(isOpen ? (high + low) / 2 : value ? high : low);
        // open is told by dashes, not by colour alone
        expect(mark.dashed).toBe(isOpen === 1);
      }
    }
  });

  it("ends where the run does", () => {
    const drawn = draw([bit], { from: 0, to: 1600 }, 800);
    expect(Math.max(...lines(drawn, "trace").map(({ ends }) => Math.max(ends[0], ends[2])))).toBe(400);
  });

  it("is a filled stretch where changes are closer than pixels, and takes no more work than pixels", () => {
    const fast = track(
      "fast",
      1,
      Array.from({ length: 200_000 }, (_, i) => [i, i % 2] as const),
    );
    const drawn = draw([fast], {}, 200_000);
    const filled = drawn.flatMap((mark) => (mark.kind === "fill" && mark.colour === "trace" ? [mark.box] : []));
    const covered = filled.reduce((sum, [, , width]) => sum + width, 0);
    expect(covered).toBeGreaterThan(790);
    expect(drawn.length).toBeLessThan(3000);
  });

  it("says nothing before the first change and for a track without changes", () => {
    const late = track("late", 1, [[400, 1]]);
    const drawn = lines(draw([late], {}, 800), "trace");
    expect(Math.min(...drawn.map(({ ends }) => ends[0]))).toBe(400);
    expect(lines(draw([track("never", 1, [])], {}, 800), "trace")).toEqual([]);
  });
});

describe("the trace of a vector", () => {
  it("has its values where there is room, cut where there is little, and none where there is less", () => {
    const wide = track("count", 16, [
      [0, 0xbeef],
      [400, 0x1234],
      [425, 7],
      [426.2, 0xabcd],
    ]);
    const texts = draw([wide], {}, 800).flatMap((mark) =>
      mark.kind === "text" && mark.colour === "ink" ? [mark.text] : [],
    );
    expect(texts).toEqual(["beef", "1…", "abcd"]);
  });

  it("tells unknown and open values apart from numbers", () => {
    const drawn = draw(
      [
        track("bus", 8, [
          [0, "x"],
          [200, "z"],
          [400, 3],
        ]),
      ],
      {},
      800,
    );
    const [open] = lines(drawn, "floating");
    expect([open.dashed, open.ends[0], open.ends[2]]).toEqual([true, 200, 400]);
    // the hatching is cut at the band, which is not
    const band = lines(drawn, "unknown").filter(({ ends }) => ends[1] === ends[3]);
    expect(Math.max(...band.flatMap(({ ends }) => [ends[0], ends[2]]))).toBeLessThanOrEqual(200);
    expect(Math.min(...lines(drawn, "trace").flatMap(({ ends }) => [ends[0], ends[2]]))).toBeGreaterThanOrEqual(400);
  });
});

describe("rows and cursors", () => {
  it("are drawn where they are scrolled to, and those out of sight are not", () => {
    const many = Array.from({ length: 1000 }, (_, i) => track(`s${i}`, 1, [[0, i % 2]]));
    const drawn = lines(draw(many, { scroll: 500 * rowHeight }, 100), "trace");
    expect(drawn.length).toBeLessThan(20);
    const levels = drawn.map(({ ends }) => ends[1]);
    expect(Math.min(...levels)).toBeGreaterThanOrEqual(rulerHeight);
    // the first row seen is s500, which is 0: low
    expect(levels[0]).toBe(rulerHeight + rowHeight - 6);
  });

  it("are at their times, and not drawn beside the picture", () => {
    const cursors = { first: 25, second: 300, markers: [{ name: "reset", time: 50 }] };
    const drawn = draw([], { from: 0, to: 100 }, 100, cursors);
    expect(lines(drawn, "first").map(({ ends }) => ends[0])).toEqual([200.5]);
    expect(lines(drawn, "second")).toEqual([]);
    expect(drawn.some((mark) => mark.kind === "text" && mark.text === "reset")).toBe(true);
  });
});
