import { readMemoryText } from "../../elaborate/memory-text.ts";
import type { Signal } from "../../elaborate/model.ts";
import type { Storage } from "./storage.ts";

/** Fills a memory from a file's text. @returns What is wrong, with its line; null if nothing. */
export function loadMemory(
  storage: Storage,
  signal: Signal,
  text: string,
  hex: boolean,
  from: number | null,
  to: number | null,
): string | null {
  return readMemoryText(signal, text, hex, from, to, (at, { a, b }) => writeElement(storage, signal, at, a, b));
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
