import type { Signal } from "../elaborate/model.ts";
import { sizeOf } from "../elaborate/types.ts";
import { readNumber } from "../hdl/verilog/number-text.ts";
import type { Storage } from "./storage.ts";

/**
 * `$readmemh` and `$readmemb` (IEEE 1364-2005 clause 17.2.9): words between white space, comments, `@address` in hex.
 * @param from First address to fill; null: the lowest. @returns What is wrong, with its line; null if nothing.
 */
export function loadMemory(
  storage: Storage,
  signal: Signal,
  text: string,
  hex: boolean,
  from: number | null,
  to: number | null,
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
      const value = Number.parseInt(word.slice(1), 16);
      if (!/^@[0-9a-fA-F_]+$/.test(word) || value < low || value > high)
        return `line ${line(match.index)}: the address ${word} is outside of [${dim.left}:${dim.right}].`;
      address = value;
      within = 0;
      continue;
    }
    const value = readNumber(`${signal.width}'${hex ? "h" : "b"}${word}`);
    if (!value) return `line ${line(match.index)}: '${word}' is no ${hex ? "hexadecimal" : "binary"} number.`;
    if ((step > 0 ? address > last : address < last) || address < low || address > high)
      return `line ${line(match.index)}: there are more words than places in [${first}:${last}].`;
    writeElement(storage, signal, (address - low) * block + within, value.a, value.b);
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

function writeElement(storage: Storage, signal: Signal, at: number, a: bigint, b: bigint): void {
  const place = storage.places[signal.id];
  const known = signal.fourState || signal.kind === "net" ? { a, b } : { a: a & ~b, b: 0n };
  if (place.form === "narrow") {
    storage.narrowArrays[place.at].a[at] = Number(BigInt.asIntN(32, known.a));
    storage.narrowArrays[place.at].b[at] = Number(BigInt.asIntN(32, known.b));
  } else if (place.form === "wide") {
    storage.wideArrays[place.at].a[at] = known.a;
    storage.wideArrays[place.at].b[at] = known.b;
  }
}

/** `$writememh` and `$writememb`: a word a line. */
export function dumpMemory(
  storage: Storage,
  signal: Signal,
  hex: boolean,
  from: number | null,
  to: number | null,
): string {
  const [dim] = signal.dims;
  const low = Math.min(dim.left, dim.right);
  const first = Math.max(low, from ?? low);
  const last = Math.min(Math.max(dim.left, dim.right), to ?? Math.max(dim.left, dim.right));
  let text = "";
  for (let i = first; i <= last; i++) {
    const { a, b } = storage.read(signal, i - low);
    let word = "";
    const step = hex ? 4 : 1;
    for (let digit = Math.ceil(signal.width / step) - 1; digit >= 0; digit--) {
      const shift = BigInt(digit * step);
      const group = (1n << BigInt(step)) - 1n;
      const db = (b >> shift) & group;
      const da = (a >> shift) & group;
      word += db === 0n ? da.toString(16) : (da & db) !== 0n ? "x" : "z";
    }
    text += `${word}\n`;
  }
  return text;
}
