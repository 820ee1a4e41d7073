import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { EditHistory } from "../src/workbench/edit-history.ts";

/** A few files with a history; `now` goes on by itself unless told. */
function desk(texts: Record<string, string>) {
  const files = new Map(Object.entries(texts));
  const history = new EditHistory();
  let now = 0;
  const textOf = (id: string) => files.get(id) ?? null;
  return {
    files,
    history,
    textOf,
    edit(id: string, after: string, label: string | null = "act", pause = 5000) {
      now += pause;
      const change = { fileId: id, before: files.get(id)!, after };
      if (label === null) history.typed(`${id}.sdc`, change, now);
      else history.act(label, [change]);
      files.set(id, after);
    },
    undo() {
      const made = history.undo(textOf);
      for (const { fileId, text } of made?.texts ?? []) files.set(fileId, text);
      return made;
    },
    redo() {
      const made = history.redo(textOf);
      for (const { fileId, text } of made?.texts ?? []) files.set(fileId, text);
      return made;
    },
  };
}

describe("what was done to the texts", () => {
  it("is taken back over all files, the last first, and done again", () => {
    const { edit, undo, redo, files, history } = desk({ a: "1\n", b: "x\n" });
    edit("a", "1\n2\n", "placed 2 pins");
    edit("b", "x\ny\n", "added a clock");
    expect(history.next).toEqual({ undo: "added a clock", redo: null });
    expect(undo()?.label).toBe("added a clock");
    expect(Object.fromEntries(files)).toEqual({ a: "1\n2\n", b: "x\n" });
    expect(undo()?.label).toBe("placed 2 pins");
    expect(Object.fromEntries(files)).toEqual({ a: "1\n", b: "x\n" });
    expect([undo(), history.next]).toEqual([null, { undo: null, redo: "placed 2 pins" }]);
    redo();
    redo();
    expect(Object.fromEntries(files)).toEqual({ a: "1\n2\n", b: "x\ny\n" });
    expect(redo()).toBeNull();
  });
  it("is one step of what is typed without a pause in one file", () => {
    const { edit, undo, files } = desk({ a: "", b: "" });
    for (const text of ["c", "cl", "clk"]) edit("a", text, null, 200);
    edit("a", "clk ", null, 4000);
    edit("b", "q", null, 100);
    edit("a", "clk 1", null, 100);
    const steps = [];
    for (let made = undo(); made; made = undo())
      steps.push(...made.texts.map(({ fileId, text }) => `${fileId} ${text}`));
    expect(steps).toEqual(["a clk ", "b ", "a clk", "a "]);
    expect(Object.fromEntries(files)).toEqual({ a: "", b: "" });
  });
  it("is forgotten forwards once something else is done", () => {
    const { edit, undo, redo, files } = desk({ a: "0" });
    edit("a", "1");
    undo();
    edit("a", "2");
    expect(redo()).toBeNull();
    expect(files.get("a")).toBe("2");
  });
  it("leaves alone what somebody else has changed since elsewhere in the file", () => {
    const { edit, undo, redo, files } = desk({ a: "one\ntwo\nthree\nfour\nfive\n" });
    edit("a", "ONE\ntwo\nthree\nfour\nfive\n");
    files.set("a", "ONE\ntwo\nthree\nfour\nFIVE\n");
    undo();
    expect(files.get("a")).toBe("one\ntwo\nthree\nfour\nFIVE\n");
    redo();
    expect(files.get("a")).toBe("ONE\ntwo\nthree\nfour\nFIVE\n");
  });
  it("says so where that place has been changed, and where the file is gone; what came before is still there", () => {
    const { edit, undo, files } = desk({ a: "one\n", b: "x\n" });
    edit("b", "y\n");
    edit("a", "two\n", "set the period");
    files.set("a", "three\n");
    expect(undo).toThrow('"set the period" cannot be taken back: the file has been changed at that place since.');
    expect(files.get("a")).toBe("three\n");
    files.delete("b");
    expect(undo).toThrow("its file is gone");
    expect(undo()).toBeNull();
  });
  it("of several files at once is one step: taken back in all of them, or in none", () => {
    const { edit, undo, redo, files, history } = desk({ a: "pick\n", b: "use pick\n" });
    const rename = () => {
      history.act("rename pick to weft", [
        { fileId: "a", before: "pick\n", after: "weft\n" },
        { fileId: "b", before: "use pick\n", after: "use weft\n" },
      ]);
      files.set("a", "weft\n").set("b", "use weft\n");
    };
    rename();
    undo();
    expect(Object.fromEntries(files)).toEqual({ a: "pick\n", b: "use pick\n" });
    redo();
    expect(Object.fromEntries(files)).toEqual({ a: "weft\n", b: "use weft\n" });
    files.set("b", "use neither\n");
    expect(undo).toThrow("has been changed at that place since");
    expect(files.get("a")).toBe("weft\n");
    edit("a", "warp\n");
    expect(undo()?.texts).toHaveLength(1);
  });
  it("holds no more text than a page can: the oldest steps of a huge file go", () => {
    const { edit, undo } = desk({ a: "" });
    const large = "x".repeat(10_000_000);
    for (let i = 0; i < 12; i++) edit("a", `${large}${i}`);
    let count = 0;
    while (undo()) count++;
    expect(count).toBeGreaterThan(3);
    expect(count).toBeLessThan(8);
  });
  it("comes back to every earlier state, and forth again", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.constantFrom("a", "b"), fc.string(), fc.boolean()), { maxLength: 25 }),
        (edits) => {
          const { edit, undo, redo, files } = desk({ a: "", b: "" });
          const states = [JSON.stringify([...files])];
          for (const [id, text, typed] of edits) {
            const before = JSON.stringify([...files]);
            edit(id, text, typed ? null : "act");
            if (JSON.stringify([...files]) !== before) states.push(JSON.stringify([...files]));
          }
          for (let i = states.length - 2; i >= 0; i--) {
            undo();
            expect(JSON.stringify([...files])).toBe(states[i]);
          }
          expect(undo()).toBeNull();
          for (const state of states.slice(1)) {
            redo();
            expect(JSON.stringify([...files])).toBe(state);
          }
        },
      ),
    );
  });

  it("takes back what was done beside the texts with them, though no text has changed", async () => {
    const { history, textOf, undo, redo, files } = desk({ a: "1\n" });
    const parts = ["small"];
    const beside = {
      back: async () => void parts.push("small"),
      again: async () => void parts.push("large"),
    };
    parts.push("large");
    history.act("move to large", [{ fileId: "a", before: "1\n", after: "2\n" }], beside);
    files.set("a", "2\n");
    history.act("move to its other grade", [], beside);
    expect(history.next.undo).toBe("move to its other grade");
    expect(history.undo(textOf)).toMatchObject({ texts: [], beside });
    const made = undo();
    expect(files.get("a")).toBe("1\n");
    await made?.beside?.back();
    expect(parts.at(-1)).toBe("small");
    await redo()?.beside?.again();
    expect([files.get("a"), parts.at(-1)]).toEqual(["2\n", "large"]);
  });
});
