import type { WaveTrack } from "@gate-clock/core";
import { describe, expect, it } from "vitest";
import {
  addRows,
  dissolveGroup,
  emptyLayout,
  freeName,
  groupRows,
  type LayoutRow,
  moveRows,
  parseLayout,
  removeRows,
  renameGroup,
} from "../src/sessions/wave-layout.ts";
import { layRows, rowAt, rowTops, traceOf, trackKey } from "../src/sessions/wave-rows.ts";
import { curveOf, rangeOf } from "../src/stations/simulate/draw-curve.ts";

const plain = (text: string): LayoutRow[] =>
  text.split(" ").map((each) => {
    const [group, key] = each.includes("/") ? each.split("/") : [null, each];
    return { key, group };
  });
const shown = (rows: readonly LayoutRow[]) =>
  rows.map(({ key, group }) => (group === null ? key : `${group}/${key}`)).join(" ");

function track(name: string, width: number, values: readonly number[], signed = false): WaveTrack {
  return {
    name,
    path: ["tb"],
    width,
    signed,
    kind: "bits",
    names: null,
    range: width > 1 ? [width - 1, 0] : null,
    place: null,
    times: Float64Array.from(values, (_, i) => i * 10),
    a: Uint32Array.from(values),
    b: new Uint32Array(values.length),
    texts: [],
    reals: new Float64Array(0),
  };
}

describe("rows of a wave layout", () => {
  it("are added once and removed", () => {
    expect(shown(addRows(plain("a b"), ["b", "c"]))).toBe("a b c");
    expect(shown(removeRows(plain("a g/b c"), ["a", "c"]))).toBe("g/b");
  });

  it("keep their order when dragged together, and join the group where they are dropped", () => {
    expect(shown(moveRows(plain("a b c d"), ["d", "b"], { row: "a" }))).toBe("b d a c");
    expect(shown(moveRows(plain("a g/b g/c d"), ["d"], { row: "c" }))).toBe("a g/b g/d g/c");
    expect(shown(moveRows(plain("a g/b g/c"), ["a"], { group: "g" }))).toBe("g/a g/b g/c");
    expect(shown(moveRows(plain("g/a b"), ["a"], null))).toBe("b a");
    expect(shown(moveRows(plain("a b"), ["a"], { row: "a" }))).toBe("a b");
  });

  it("are grouped at the place of the first of them, and never inside another group", () => {
    expect(shown(groupRows(plain("a b c d"), ["b", "d"], "g"))).toBe("a g/b g/d c");
    expect(shown(groupRows(plain("h/a h/b h/c"), ["b"], "g"))).toBe("g/b h/a h/c");
    expect(shown(renameGroup(plain("g/a b"), "g", "k"))).toBe("k/a b");
    expect(shown(dissolveGroup(plain("g/a g/b c"), "g"))).toBe("a b c");
    expect(freeName("m", ["m1", "m3"])).toBe("m2");
  });

  it("never lose or repeat a signal, whatever is done to them", () => {
    let state = 1;
    const next = (below: number) => {
      state = (Math.imul(state, 1103515245) + 12345) >>> 0;
      return (state >>> 8) % below;
    };
    let rows: readonly LayoutRow[] = plain("a b c d e f");
    for (let turn = 0; turn < 3000; turn++) {
      const keys = rows.filter(() => next(3) === 0).map((row) => row.key);
      const groups = rows.flatMap((row) => (row.group === null ? [] : [row.group]));
      const what = next(5);
      if (what === 0 && keys.length) rows = groupRows(rows, keys, freeName("g", groups));
      else if (what === 1) rows = moveRows(rows, keys, { row: rows[next(rows.length)].key });
      else if (what === 2 && groups.length) rows = moveRows(rows, keys, { group: groups[next(groups.length)] });
      else if (what === 3 && groups.length) rows = dissolveGroup(rows, groups[0]);
      else rows = moveRows(rows, keys, null);
      expect(rows.map((row) => row.key).sort()).toEqual(["a", "b", "c", "d", "e", "f"]);
      // the rows of a group stand together
      const runs = rows.map((row) => row.group).filter((group, i, all) => group !== null && group !== all[i - 1]);
      expect(new Set(runs).size).toBe(runs.length);
    }
  });
});

describe("what was kept of a layout", () => {
  it("comes back as it was", () => {
    const layout = {
      ...emptyLayout,
      rows: plain("a g/b"),
      closed: ["g"],
      radix: { a: "binary" as const },
      drawing: { a: "line" as const },
      view: [5, 90] as const,
      cursor: 7,
      markers: [{ name: "m1", time: 12 }],
      record: [{ path: "dut", below: true }],
    };
    expect(parseLayout(JSON.parse(JSON.stringify(layout)))).toEqual(layout);
  });

  it("is taken only as far as it has the right form", () => {
    expect(parseLayout(null)).toBeNull();
    expect(parseLayout("rows")).toBeNull();
    expect(parseLayout({ rows: [1, { key: "a" }, { key: "b", group: null }], view: [9, 2], markers: [{}] })).toEqual({
      ...emptyLayout,
      rows: [{ key: "b", group: null }],
    });
  });
});

describe("rows as they are laid out", () => {
  const tracks = [track("count", 4, [0, 1, 2, 3]), track("ready", 1, [0, 1])];
  const byKey = new Map(tracks.map((each) => [trackKey(each), each]));

  it("have heads of groups, bits and heights, and are found by height", () => {
    const rows = layRows(
      plain("g/tb.count tb.ready tb.gone"),
      { ...emptyLayout, expanded: ["tb.count"], drawing: { "tb.count": "line" } },
      byKey,
    );
    expect(rows.map((row) => row.key)).toEqual([
      "group:g",
      "tb.count",
      "tb.count#3",
      "tb.count#2",
      "tb.count#1",
      "tb.count#0",
      "tb.ready",
    ]);
    const tops = rowTops(rows);
    for (let y = 0; y < tops[rows.length]; y += 3) {
      const at = rowAt(tops, y);
      expect(tops[at] <= y && y < tops[at + 1]).toBe(true);
    }
    expect(rowAt(tops, tops[rows.length] + 1)).toBe(rows.length);
    const lowest = rows[5];
    expect(lowest.kind === "signal" && Array.from(traceOf(lowest).a)).toEqual([0, 1, 0, 1]);
    expect(
      layRows(plain("g/tb.count tb.ready"), { ...emptyLayout, closed: ["g"] }, byKey).map((row) => row.key),
    ).toEqual(["group:g", "tb.ready"]);
  });

  it("draw a curve between the least and the greatest, also over blocks of changes", () => {
    const values = Array.from({ length: 2000 }, (_, i) => (i * 7919) % 256);
    const curve = curveOf(track("level", 8, values, true), true);
    const signed = values.map((value) => (value << 24) >> 24);
    expect([curve.least, curve.greatest]).toEqual([Math.min(...signed), Math.max(...signed)]);
    for (const [from, to] of [
      [0, 2000],
      [3, 9],
      [250, 260],
      [255, 1025],
      [512, 768],
    ])
      expect(rangeOf(curve, from, to)).toEqual([
        Math.min(...signed.slice(from, to)),
        Math.max(...signed.slice(from, to)),
      ]);
  });
});
