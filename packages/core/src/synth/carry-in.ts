import { type Bits, bit0, bit1 } from "../netlist/rtl.ts";
import type { RtlEditor } from "./rtl-editor.ts";

/** Narrower sums are mostly logic, which takes a third word in as well. */
const leastWidth = 5;

const isSingleBit = (word: Bits) => word[0] > bit1 && word.slice(1).every((bit) => bit === bit0);

/**
 * Two sums in a row of which one adds a single bit are one sum with a carry in: {a, 1} + {b, c}, one element longer,
 * with the lowest bit of the result dropped.
 * @returns How many sums were saved.
 */
export function takeInCarries(editor: RtlEditor): number {
  let saved = 0;
  editor.netlist.cells.forEach((outer, c) => {
    if (outer.kind !== "add" || editor.isRemoved(c) || outer.output.length < leastWidth) return;
    for (const side of [0, 1]) {
      const inner = innerSum(editor, outer.inputs[side], c);
      if (inner === null) continue;
      const words = [outer.inputs[1 - side], ...editor.cell(inner).inputs];
      const at = words.findIndex(isSingleBit);
      if (at < 0) continue;
      const [a, b] = words.filter((_, i) => i !== at);
      editor.from(c, () => {
        const [dropped] = editor.builder.nets(1);
        const left = [bit1, ...a];
        const right = [words[at][0], ...b];
        editor.builder.add("add", [left, right], left.length, false, null, [dropped, ...outer.output]);
      });
      editor.remove(c);
      editor.remove(inner);
      saved++;
      return;
    }
  });
  return saved;
}

/** The sum that a word is, if nothing but the outer sum reads it. */
function innerSum(editor: RtlEditor, word: Bits, outer: number): number | null {
  const first = editor.driverOfKind(word[0], "add");
  if (!first || editor.isRemoved(first.id) || first.cell.output.length !== word.length) return null;
  for (let i = 0; i < word.length; i++) {
    if (first.cell.output[i] !== word[i] || editor.onlyReader(word[i])?.cell !== outer) return null;
  }
  return first.id;
}
