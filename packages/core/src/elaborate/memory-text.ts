import { readNumber } from "../hdl/verilog/number-text.ts";
import type { Signal, Value } from "./model.ts";
import { sizeOf } from "./types.ts";

/**
 * `$readmemh` and `$readmemb` (IEEE 1364-2005 clause 17.2.9): words between white space, comments, `@address` in hex.
 * @param from First address to fill; null: the lowest. @param put Takes an element's number and value.
 * @returns What is wrong, with its line; null if nothing.
 */
export function readMemoryText(
  signal: Signal,
  text: string,
  hex: boolean,
  from: number | null,
  to: number | null,
  put: (at: number, value: Value) => void,
): string | null {
  const [dim, ...inner] = signal.dims;
  const low = Math.min(dim.left, dim.right);
  const high = Math.max(dim.left, dim.right);
  const block = inner.reduce((product, each) => product * sizeOf(each), 1);
  const first = from ?? low;
  const last = to ?? high;
  const step = first <= last ? 1 : -1;
  let address = first;
  let within = 0;
  let count = 0;
  const plain = text.replace(/\/\*[\s\S]*?\*\//g, (comment) => comment.replace(/[^\n]/g, " ")).replace(/\/\/.*$/gm, "");
  const line = (at: number) => plain.slice(0, at).split("\n").length;
  for (const match of plain.matchAll(/\S+/g)) {
    const word = match[0];
    if (word.startsWith("@")) {
      const value = Number.parseInt(word.slice(1).replaceAll("_", ""), 16);
      if (!/^@[0-9a-fA-F][0-9a-fA-F_]*$/.test(word) || value < low || value > high)
        return `line ${line(match.index)}: the address ${word} is outside of [${dim.left}:${dim.right}].`;
      address = value;
      within = 0;
      continue;
    }
    const value = readNumber(`${signal.width}'${hex ? "h" : "b"}${word}`);
    if (!value) return `line ${line(match.index)}: '${word}' is no ${hex ? "hexadecimal" : "binary"} number.`;
    if ((step > 0 ? address > last : address < last) || address < low || address > high)
      return `line ${line(match.index)}: there are more words than places in [${first}:${last}].`;
    put((address - low) * block + within, value);
    count++;
    if (++within === block) {
      within = 0;
      address += step;
    }
  }
  if (from !== null && to !== null && count < (Math.abs(last - first) + 1) * block)
    return `only ${count} word(s) for [${first}:${last}].`;
  return null;
}
