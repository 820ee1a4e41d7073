import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { conflictMarks, mergeTexts } from "../src/workbench/merge-texts.ts";

const base = "module m;\n  wire a;\n  wire b;\n  wire c;\nendmodule\n";

describe("merging two texts", () => {
  it("keeps the changes of both sides where they are apart", () => {
    const mine = base.replace("wire a;", "wire a, shed;");
    const theirs = base.replace("endmodule\n", "endmodule // m\n");
    expect(mergeTexts(base, mine, theirs)).toEqual({
      text: "module m;\n  wire a, shed;\n  wire b;\n  wire c;\nendmodule // m\n",
      conflicts: 0,
    });
  });
  it("leaves both where both changed the same line, between marks", () => {
    const { text, conflicts } = mergeTexts(base, base.replace("b;", "mine;"), base.replace("b;", "theirs;"));
    expect(conflicts).toBe(1);
    expect(text).toBe(
      `module m;\n  wire a;\n${conflictMarks.mine}\n  wire mine;\n${conflictMarks.theirs}\n  wire theirs;\n${conflictMarks.end}\n  wire c;\nendmodule\n`,
    );
  });
  it("takes a change that both made once", () => {
    const both = base.replace("b;", "both;");
    expect(mergeTexts(base, both, both)).toEqual({ text: both, conflicts: 0 });
  });
  it("loses no line that either side has added, and takes a lone change as it is", () => {
    const lines = fc.array(fc.constantFrom("a", "b", "c", "d", ""), { maxLength: 12 });
    const added = fc.array(fc.tuple(fc.nat(12), fc.nat(99)), { maxLength: 4 });
    const insert = (list: readonly string[], what: readonly (readonly [number, number])[], mark: string) => {
      const out = [...list];
      for (const [at, name] of what) out.splice(Math.min(at, out.length), 0, `${mark}${name}`);
      return out;
    };
    fc.assert(
      fc.property(lines, added, added, (start, here, there) => {
        const mine = insert(start, here, "mine");
        const theirs = insert(start, there, "theirs");
        const { text } = mergeTexts(start.join("\n"), mine.join("\n"), theirs.join("\n"));
        const merged = text.split("\n");
        const count = (list: readonly string[], line: string) => list.filter((each) => each === line).length;
        for (const [, name] of here) expect(count(merged, `mine${name}`)).toBe(count(mine, `mine${name}`));
        for (const [, name] of there) expect(count(merged, `theirs${name}`)).toBe(count(theirs, `theirs${name}`));
        expect(mergeTexts(start.join("\n"), mine.join("\n"), start.join("\n")).text).toBe(mine.join("\n"));
        expect(mergeTexts(start.join("\n"), start.join("\n"), theirs.join("\n")).text).toBe(theirs.join("\n"));
      }),
    );
  });
});
