import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { keepHidden, readHidden, rowAfterKey, withColumn } from "../src/ui/table-state.ts";

function storageOf(entries: Record<string, string> = {}) {
  const kept = new Map(Object.entries(entries));
  return {
    getItem: (name: string) => kept.get(name) ?? null,
    setItem: (name: string, value: string) => void kept.set(name, value),
    removeItem: (name: string) => void kept.delete(name),
    size: () => kept.size,
  };
}

describe("columns of a table", () => {
  it("stay as they were chosen, each table's by itself", () => {
    const storage = storageOf();
    keepHidden("paths", ["levels", "data"], storage);
    keepHidden("nets", ["wires"], storage);
    expect(readHidden("paths", storage)).toEqual(["levels", "data"]);
    expect(readHidden("nets", storage)).toEqual(["wires"]);
    keepHidden("paths", [], storage);
    expect(readHidden("paths", storage)).toEqual([]);
    expect(storage.size()).toBe(1);
  });

  it("are all shown where the storage holds anything else", () => {
    for (const text of ["", "{", '"all"', "7", '{"a":1}', "null"])
      expect(readHidden("paths", storageOf({ "gate-clock-columns:paths": text }))).toEqual([]);
    expect(readHidden("paths", storageOf({ "gate-clock-columns:paths": '["a",3,null,"b"]' }))).toEqual(["a", "b"]);
  });

  it("are never all hidden, and those that went with an older version are forgotten", () => {
    const columns = ["slack", "from", "to", "data"];
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...columns, "gone")), (clicks) => {
        let hidden: string[] = ["gone"];
        for (const click of clicks) {
          const before = hidden;
          hidden = withColumn(hidden, click, columns);
          expect(hidden.length).toBeLessThan(columns.length);
          expect(hidden.every((each) => columns.includes(each))).toBe(true);
          // a click changes the column that it is on, unless it is the last one
          const wasShown = !before.includes(click);
          const isLast = wasShown && columns.every((each) => each === click || before.includes(each));
          if (columns.includes(click)) expect(hidden.includes(click)).toBe(wasShown && !isLast);
        }
      }),
    );
  });
});

describe("keys in a table", () => {
  const keys = ["ArrowDown", "ArrowUp", "PageDown", "PageUp", "Home", "End"];
  it("lead to a row that is there, whatever is selected", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...keys),
        fc.integer({ min: 1, max: 500 }),
        fc.integer({ min: -1, max: 499 }),
        fc.integer({ min: -3, max: 60 }),
        (key, count, at, page) => {
          const next = rowAfterKey(key, Math.min(at, count - 1), count, page)!;
          expect(next >= 0 && next < count && Number.isInteger(next)).toBe(true);
        },
      ),
    );
  });

  it("go by one, by a page and to the ends, and stop there", () => {
    expect(keys.map((key) => rowAfterKey(key, 50, 100, 20))).toEqual([51, 49, 69, 31, 0, 99]);
    expect(keys.map((key) => rowAfterKey(key, 99, 100, 20))).toEqual([99, 98, 99, 80, 0, 99]);
    expect(keys.map((key) => rowAfterKey(key, 0, 100, 20))).toEqual([1, 0, 19, 0, 0, 99]);
    expect(keys.map((key) => rowAfterKey(key, -1, 100, 20))).toEqual([0, 0, 0, 0, 0, 99]);
  });

  it("that mean something else lead nowhere, and none does in an empty table", () => {
    for (const key of ["a", "Enter", "Tab", "Escape", "ArrowLeft", "constructor"])
      expect(rowAfterKey(key, 3, 10, 5)).toBeNull();
    for (const key of keys) expect(rowAfterKey(key, -1, 0, 5)).toBeNull();
  });
});
