import type { Random } from "../../src/common/index.ts";

/** Runs of a fuzz test: short with the rest, long when asked from outside. */
export const fuzzRuns = (short: number): number => (process.env["GATE_CLOCK_LONG"] ? short * 50 : short);
/** Where the random numbers begin; others are tried by setting it. */
export const fuzzSeed = Number(process.env["GATE_CLOCK_SEED"] ?? 7);

/** A list with pieces cut out, doubled, moved, replaced by others or by noise: a few times. */
function damaged<T>(given: readonly T[], random: Random, noise: () => T[]): T[] {
  let list = [...given];
  for (let times = 1 + random.below(4); times > 0; times--) {
    const at = random.below(list.length + 1);
    const count = random.below(Math.min(40, list.length - at + 1));
    const piece = list.slice(at, at + count);
    const before = list.slice(0, at);
    const after = list.slice(at + count);
    const other = random.below(list.length + 1);
    list = [
      [...before, ...after],
      [...before, ...piece, ...piece, ...after],
      [...before, ...noise(), ...after],
      [...before, ...noise(), ...piece, ...after],
      [...list.slice(0, other), ...piece, ...list.slice(other)],
      list.slice(0, other),
    ][random.below(6)];
  }
  return list;
}

/** @param words What is put in beside random characters. */
export function damagedText(text: string, random: Random, words: readonly string[]): string {
  const noise = () =>
    Array.from({ length: 1 + random.below(4) }, () =>
      random.below(3)
        ? words[random.below(words.length)]
        : String.fromCharCode(random.below(random.below(9) ? 128 : 65536)),
    );
  return damaged(text.match(/\w+|\s+|[^\w\s]/g) ?? [], random, noise).join("");
}

export function damagedBytes(bytes: Uint8Array, random: Random): Uint8Array {
  const special = [0, 1, 127, 128, 192, 255];
  const noise = () =>
    Array.from({ length: 1 + random.below(6) }, () =>
      random.below(2) ? special[random.below(special.length)] : random.below(256),
    );
  return Uint8Array.from(damaged([...bytes], random, noise));
}

/** Any value that JSON can hold, with names and texts that mean something among the rest. */
export function anyJson(random: Random, names: readonly string[], texts: readonly string[], depth = 0): unknown {
  const pick = <T>(list: readonly T[]): T => list[random.below(list.length)];
  switch (random.below(depth > 3 ? 6 : 9)) {
    case 0:
      return null;
    case 1:
      return random.below(2) === 1;
    case 2:
      return pick([0, -1, 1, 0.5, 2 ** 31, 2 ** 53, 1e308, -1e-300]);
    case 3:
    case 4:
    case 5:
      return pick(texts);
    case 6:
      return Array.from({ length: random.below(4) }, () => anyJson(random, names, texts, depth + 1));
    default:
      return Object.fromEntries(
        Array.from({ length: random.below(5) }, () => [pick(names), anyJson(random, names, texts, depth + 1)]),
      );
  }
}

/** Options of a test whose long form takes its time. */
export const longTest = process.env["GATE_CLOCK_LONG"] ? { timeout: 1_800_000 } : {};
