import { nearestName } from "../../common/finding.ts";
import { isGlob, matchGlob, type Pattern } from "./match.ts";

/** How a pattern is to be read. */
export interface PatternOptions {
  /** At every level of the hierarchy: a pattern without a level in it goes by the last part of a name. */
  readonly hierarchical: boolean;
  readonly nocase: boolean;
  /** Compiled, in place of the glob. It goes by the whole name. */
  readonly regexp: Pattern | null;
}

/**
 * Names of one kind of object, N of them, with what is needed to look them up: exact names by hash, patterns that begin
 * with text by their place in the order, others by the rarest three letters in them. Levels are parted by dots.
 */
export class NameTable {
  private byName: Map<string, number[]> | null = null;
  private byLast: Map<string, number[]> | null = null;
  /** Names of vectors, to their bits. */
  private vectors: Map<string, number[]> | null = null;
  private sorted: Int32Array | null = null;
  private letters: Map<string, number[]> | null = null;

  constructor(readonly names: readonly string[]) {}

  /** Ids of a name: several where a name stands for more than one object, or for a vector with all of its bits. */
  exact(name: string): readonly number[] {
    if (!this.byName) {
      this.byName = group(this.names, (each) => each);
      this.vectors = group(this.names, (each) => (each.endsWith("]") ? each.slice(0, each.lastIndexOf("[")) : null));
    }
    const own = this.byName.get(name) ?? this.vectors!.get(name);
    if (own) return own;
    const range = /^(.*)\[(-?\d+):(-?\d+)\]$/.exec(name);
    if (!range) return [];
    const [from, to] = [Number(range[2]), Number(range[3])];
    if (Math.abs(from - to) > 1 << 16) return [];
    const ids: number[] = [];
    for (let i = Math.min(from, to); i <= Math.max(from, to); i++)
      ids.push(...(this.byName.get(`${range[1]}[${i}]`) ?? []));
    return ids;
  }

  /** Ids of all names that a pattern takes, in the order of the table. @param work Hears how many names were looked at. */
  find(pattern: string, options: PatternOptions, work?: (names: number) => void): readonly number[] {
    const { hierarchical, nocase, regexp } = options;
    if (regexp) {
      work?.(this.names.length * 4);
      return this.filter(null, (name) => regexp.takes(name));
    }
    if (!nocase && !isGlob(pattern)) {
      if (!hierarchical) return this.exact(pattern);
      return this.exactAnywhere(pattern);
    }
    const fold = (text: string) => (nocase ? text.toLowerCase() : text);
    const wanted = fold(pattern);
    const levels = countLevels(wanted);
    const candidates = nocase ? null : this.candidates(wanted, hierarchical);
    work?.(candidates?.length ?? this.names.length);
    const takes = (name: string): boolean => {
      const own = fold(name);
      const have = countLevels(own);
      if (hierarchical ? have < levels : have !== levels) return false;
      return matchLevels(wanted, hierarchical ? lastLevels(own, levels + 1) : own);
    };
    return this.filter(candidates, takes);
  }

  near(name: string): string | null {
    return nearestName(name, this.names);
  }

  private exactAnywhere(name: string): readonly number[] {
    this.byLast ??= group(this.names, (each) => lastLevels(each, 1));
    const last = lastLevels(name, 1);
    const whole = this.byLast.get(last) ?? this.bitsOf(last);
    if (last === name) return whole;
    return whole.filter((id) => {
      const own = this.names[id];
      const plain = name.endsWith("]") || !own.endsWith("]") ? own : own.slice(0, own.lastIndexOf("["));
      return plain === name || plain.endsWith(`.${name}`);
    });
  }
  private bitsOf(last: string): number[] {
    return this.filter(null, (each) => {
      const own = lastLevels(each, 1);
      return own.endsWith("]") && own.slice(0, own.lastIndexOf("[")) === last;
    });
  }

  private filter(candidates: readonly number[] | null, takes: (name: string) => boolean): number[] {
    const found: number[] = [];
    if (candidates) {
      for (const id of candidates) if (takes(this.names[id])) found.push(id);
      return found.sort((a, b) => a - b);
    }
    for (let id = 0; id < this.names.length; id++) if (takes(this.names[id])) found.push(id);
    return found;
  }

  /** Names that a pattern may take at all; null for all. */
  private candidates(pattern: string, hierarchical: boolean): readonly number[] | null {
    if (this.names.length < 64) return null;
    const prefix = /^[^*?]*/.exec(pattern)![0];
    if (!hierarchical && prefix.length >= 2) return this.withPrefix(prefix);
    const pieces = pattern.split(/[*?]+/).flatMap((piece) => trigrams(piece));
    if (pieces.length === 0) return null;
    if (!this.letters) {
      this.letters = new Map();
      for (let id = 0; id < this.names.length; id++)
        for (const three of new Set(trigrams(this.names[id]))) {
          const list = this.letters.get(three);
          if (list) list.push(id);
          else this.letters.set(three, [id]);
        }
    }
    let best: readonly number[] | null = null;
    for (const piece of pieces) {
      const list = this.letters.get(piece) ?? [];
      if (!best || list.length < best.length) best = list;
    }
    return best;
  }

  private withPrefix(prefix: string): readonly number[] {
    if (!this.sorted) {
      const { names } = this;
      this.sorted = Int32Array.from(names.keys()).sort((a, b) =>
        names[a] < names[b] ? -1 : names[a] > names[b] ? 1 : 0,
      );
    }
    let low = 0;
    let high = this.sorted.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.names[this.sorted[middle]] < prefix) low = middle + 1;
      else high = middle;
    }
    const found: number[] = [];
    for (let i = low; i < this.sorted.length && this.names[this.sorted[i]].startsWith(prefix); i++)
      found.push(this.sorted[i]);
    return found;
  }
}

function trigrams(text: string): string[] {
  const list: string[] = [];
  for (let i = 0; i + 3 <= text.length; i++) list.push(text.slice(i, i + 3));
  return list;
}

function group(names: readonly string[], key: (name: string) => string | null): Map<string, number[]> {
  const map = new Map<string, number[]>();
  for (let id = 0; id < names.length; id++) {
    const own = key(names[id]);
    if (own === null) continue;
    const list = map.get(own);
    if (list) list.push(id);
    else map.set(own, [id]);
  }
  return map;
}

function countLevels(name: string): number {
  let count = 0;
  for (let i = 0; i < name.length; i++) if (name.charCodeAt(i) === 46) count++;
  return count;
}

/** The last so many levels of a name. */
export function lastLevels(name: string, count: number): string {
  let at = name.length;
  for (let i = 0; i < count; i++) {
    at = name.lastIndexOf(".", at - 1);
    if (at < 0) return name;
  }
  return name.slice(at + 1);
}

/** Level by level: a star takes no dot. Both have as many levels. A vector's name takes its bits. */
function matchLevels(pattern: string, name: string): boolean {
  if (!pattern.includes(".")) return matchBus(pattern, name);
  const [patterns, names] = [pattern.split("."), name.split(".")];
  return patterns.every((each, i) =>
    i === patterns.length - 1 ? matchBus(each, names[i]) : matchGlob(each, names[i]),
  );
}
function matchBus(pattern: string, name: string): boolean {
  if (matchGlob(pattern, name)) return true;
  return name.endsWith("]") && !pattern.endsWith("]") && matchGlob(pattern, name.slice(0, name.lastIndexOf("[")));
}
