/**
 * Patterns over names. Both kinds run in time that grows with the pattern times the name and no faster, whatever the
 * user writes: the engines of regular expressions that try and go back do not.
 */

/** `*` for any run of characters and `?` for one; brackets are those of a bus. */
export function matchGlob(pattern: string, name: string): boolean {
  let p = 0;
  let n = 0;
  let star = -1;
  let mark = 0;
  while (n < name.length) {
    if (p < pattern.length && pattern[p] === "*") {
      star = p++;
      mark = n;
    } else if (p < pattern.length && (pattern[p] === "?" || pattern[p] === name[n])) {
      p++;
      n++;
    } else if (star >= 0) {
      p = star + 1;
      n = ++mark;
    } else return false;
  }
  while (p < pattern.length && pattern[p] === "*") p++;
  return p === pattern.length;
}

export const isGlob = (pattern: string): boolean => /[*?]/.test(pattern);

type Node =
  | { readonly kind: "empty" }
  | { readonly kind: "set"; readonly has: (code: number) => boolean }
  | { readonly kind: "edge"; readonly at: "start" | "end" | "word" | "inside" }
  | { readonly kind: "join"; readonly parts: readonly Node[] }
  | { readonly kind: "choice"; readonly parts: readonly Node[] }
  | {
      readonly kind: "repeat";
      readonly of: Node;
      readonly least: number;
      readonly most: number;
      readonly isLazy: boolean;
    }
  | { readonly kind: "group"; readonly of: Node; readonly index: number };

type Step =
  | { readonly op: "set"; readonly has: (code: number) => boolean }
  | { readonly op: "edge"; readonly at: "start" | "end" | "word" | "inside" }
  | { readonly op: "split"; first: number; second: number }
  | { readonly op: "jump"; to: number }
  | { readonly op: "save"; readonly slot: number }
  | { readonly op: "match" };

export class PatternError extends Error {}

const stepLimit = 5000;
const repeatLimit = 255;

/**
 * Regular expressions: characters, classes, groups, choices, repeats with and without `?`, anchors, the usual escapes. No
 * back references or look-around. Simulation of all threads at once, first come first served (Thompson 1968; Pike's way
 * to keep groups, after Cox 2009).
 */
export class Pattern {
  private readonly steps: Step[] = [];
  readonly groups: number;

  /** @throws PatternError */
  constructor(text: string, ignoreCase = false) {
    const parser = new PatternParser(text, ignoreCase);
    const tree = parser.whole();
    this.groups = parser.groups;
    this.compile({ kind: "group", of: tree, index: 0 });
    this.emit({ op: "match" });
  }

  /** True if the pattern takes the whole name. */
  takes(name: string): boolean {
    const found = this.find(name, 0, true);
    return found !== null && found[1] === name.length;
  }

  /**
   * The first match at or behind an offset. @param anchored It begins right there and ends at the end.
   * @returns [groups] Begin and end of each, -1 where one takes no part.
   */
  find(text: string, from = 0, anchored = false): number[] | null {
    const { steps } = this;
    const slots = 2 * (this.groups + 1);
    let current: { at: number; saved: number[] }[] = [];
    let next: { at: number; saved: number[] }[] = [];
    let matched: number[] | null = null;
    const seen = new Int32Array(steps.length).fill(-1);
    const isWord = (i: number) => i >= 0 && i < text.length && /\w/.test(text[i]);
    const add = (list: { at: number; saved: number[] }[], first: number, position: number, base: number[]) => {
      const stack: { at: number; saved: number[] }[] = [{ at: first, saved: base }];
      while (stack.length) {
        const { at, saved } = stack.pop()!;
        if (seen[at] === position) continue;
        seen[at] = position;
        const step = steps[at];
        switch (step.op) {
          case "jump":
            stack.push({ at: step.to, saved });
            break;
          case "split":
            stack.push({ at: step.second, saved }, { at: step.first, saved });
            break;
          case "save": {
            const own = saved.slice();
            own[step.slot] = position;
            stack.push({ at: at + 1, saved: own });
            break;
          }
          case "edge": {
            const isBorder = isWord(position - 1) !== isWord(position);
            const holds =
              step.at === "start"
                ? position === 0
                : step.at === "end"
                  ? position === text.length
                  : step.at === "word"
                    ? isBorder
                    : !isBorder;
            if (holds) stack.push({ at: at + 1, saved });
            break;
          }
          default:
            list.push({ at, saved });
        }
      }
    };
    for (let position = from; position <= text.length; position++) {
      if (!matched && (!anchored || position === from)) add(current, 0, position, new Array(slots).fill(-1));
      if (current.length === 0 && (matched || anchored)) break;
      const code = position < text.length ? text.charCodeAt(position) : -1;
      for (const { at, saved } of current) {
        const step = steps[at];
        if (step.op === "match") {
          if (anchored && position !== text.length) continue;
          matched = saved;
          break; // the threads behind it are worth less
        }
        if (step.op === "set" && code >= 0 && step.has(code)) add(next, at + 1, position + 1, saved);
      }
      [current, next] = [next, []];
    }
    return matched;
  }

  private emit(step: Step): number {
    if (this.steps.length >= stepLimit) throw new PatternError("the pattern is too large");
    return this.steps.push(step) - 1;
  }

  private compile(node: Node): void {
    switch (node.kind) {
      case "empty":
        return;
      case "set":
        this.emit({ op: "set", has: node.has });
        return;
      case "edge":
        this.emit({ op: "edge", at: node.at });
        return;
      case "join":
        for (const part of node.parts) this.compile(part);
        return;
      case "group":
        this.emit({ op: "save", slot: 2 * node.index });
        this.compile(node.of);
        this.emit({ op: "save", slot: 2 * node.index + 1 });
        return;
      case "choice": {
        const jumps: Extract<Step, { op: "jump" }>[] = [];
        node.parts.forEach((part, i) => {
          if (i === node.parts.length - 1) return this.compile(part);
          const split = { op: "split" as const, first: 0, second: 0 };
          split.first = this.emit(split) + 1;
          this.compile(part);
          const jump = { op: "jump" as const, to: 0 };
          this.emit(jump);
          jumps.push(jump);
          split.second = this.steps.length;
        });
        for (const jump of jumps) jump.to = this.steps.length;
        return;
      }
      case "repeat": {
        for (let i = 0; i < node.least; i++) this.compile(node.of);
        const both = (enter: number, leave: number) => (node.isLazy ? [leave, enter] : [enter, leave]);
        if (node.most === Infinity) {
          const split = { op: "split" as const, first: 0, second: 0 };
          const at = this.emit(split);
          this.compile(node.of);
          this.emit({ op: "jump", to: at });
          [split.first, split.second] = both(at + 1, this.steps.length);
          return;
        }
        const splits: { split: Extract<Step, { op: "split" }>; at: number }[] = [];
        for (let i = node.least; i < node.most; i++) {
          const split = { op: "split" as const, first: 0, second: 0 };
          splits.push({ split, at: this.emit(split) });
          this.compile(node.of);
        }
        for (const { split, at } of splits) [split.first, split.second] = both(at + 1, this.steps.length);
      }
    }
  }
}

const classes: Readonly<Record<string, RegExp>> = { d: /\d/, w: /\w/, s: /\s/ };

class PatternParser {
  groups = 0;
  private at = 0;
  private depth = 0;

  constructor(
    private readonly text: string,
    private readonly ignoreCase: boolean,
  ) {}

  whole(): Node {
    const node = this.choice();
    if (this.at < this.text.length) throw new PatternError("a ')' stands alone");
    return node;
  }

  private choice(): Node {
    if (++this.depth > 100) throw new PatternError("it is nested too deep");
    const parts = [this.join()];
    while (this.text[this.at] === "|") {
      this.at++;
      parts.push(this.join());
    }
    this.depth--;
    return parts.length === 1 ? parts[0] : { kind: "choice", parts };
  }

  private join(): Node {
    const parts: Node[] = [];
    while (this.at < this.text.length && this.text[this.at] !== "|" && this.text[this.at] !== ")")
      parts.push(this.repeat());
    return parts.length === 0 ? { kind: "empty" } : parts.length === 1 ? parts[0] : { kind: "join", parts };
  }

  private repeat(): Node {
    let node = this.atom();
    for (;;) {
      const c = this.text[this.at];
      let least: number;
      let most: number;
      const counted = c === "{" ? /^\{(\d+)(?:(,)(\d*))?\}/.exec(this.text.slice(this.at)) : null;
      if (c === "*") [least, most] = [0, Infinity];
      else if (c === "+") [least, most] = [1, Infinity];
      else if (c === "?") [least, most] = [0, 1];
      else if (counted) {
        least = Number(counted[1]);
        most = counted[2] ? (counted[3] ? Number(counted[3]) : Infinity) : least;
        if (least > repeatLimit || (most !== Infinity && most > repeatLimit))
          throw new PatternError(`it repeats more than ${repeatLimit} times`);
        if (most < least) throw new PatternError("a count ends below its beginning");
      } else return node;
      this.at += counted ? counted[0].length : 1;
      const isLazy = this.text[this.at] === "?";
      if (isLazy) this.at++;
      node = { kind: "repeat", of: node, least, most, isLazy };
    }
  }

  private atom(): Node {
    const c = this.text[this.at++];
    switch (c) {
      case "(": {
        const isPlain = this.text.startsWith("?:", this.at);
        if (isPlain) this.at += 2;
        else if (this.text[this.at] === "?") throw new PatternError("it looks ahead or back");
        const index = isPlain ? -1 : ++this.groups;
        const of = this.choice();
        if (this.text[this.at] !== ")") throw new PatternError("a ')' is missing");
        this.at++;
        return index < 0 ? of : { kind: "group", of, index };
      }
      case "[":
        return { kind: "set", has: this.folded(this.members()) };
      case ".":
        return { kind: "set", has: () => true };
      case "^":
        return { kind: "edge", at: "start" };
      case "$":
        return { kind: "edge", at: "end" };
      case "*":
      case "+":
      case "?":
        throw new PatternError(`'${c}' has nothing to repeat`);
      case "\\":
        return this.escape();
      default:
        return { kind: "set", has: this.folded((code) => code === c.charCodeAt(0)) };
    }
  }

  private escape(): Node {
    const c = this.text[this.at++];
    if (c === undefined) throw new PatternError("it ends in a backslash");
    const known = classes[c.toLowerCase()];
    if (known && /[dws]/i.test(c)) {
      const isNegated = c !== c.toLowerCase();
      return { kind: "set", has: (code) => known.test(String.fromCharCode(code)) !== isNegated };
    }
    if (c === "y" || c === "Y") return { kind: "edge", at: c === "y" ? "word" : "inside" };
    if (c === "A") return { kind: "edge", at: "start" };
    if (c === "Z") return { kind: "edge", at: "end" };
    if (/[1-9]/.test(c)) throw new PatternError("it refers back to a group");
    const code = this.plainEscape(c);
    return { kind: "set", has: this.folded((each) => each === code) };
  }

  private plainEscape(c: string): number {
    const plain: Readonly<Record<string, string>> = { n: "\n", r: "\r", t: "\t", f: "\f", v: "\v" };
    return (plain[c] ?? c).charCodeAt(0);
  }

  private members(): (code: number) => boolean {
    const isNegated = this.text[this.at] === "^";
    if (isNegated) this.at++;
    const tests: ((code: number) => boolean)[] = [];
    for (let first = true; ; first = false) {
      const c = this.text[this.at];
      if (c === undefined) throw new PatternError("a ']' is missing");
      this.at++;
      if (c === "]" && !first) break;
      const named = c === "[" ? /^:(\w+):\]/.exec(this.text.slice(this.at)) : null;
      if (named) {
        const kinds: Readonly<Record<string, RegExp>> = {
          alpha: /[A-Za-z]/,
          digit: /\d/,
          alnum: /[A-Za-z0-9]/,
          upper: /[A-Z]/,
          lower: /[a-z]/,
          space: /\s/,
          punct: /[!-/:-@[-`{-~]/,
          xdigit: /[0-9A-Fa-f]/,
        };
        const kind = kinds[named[1]];
        if (!kind) throw new PatternError(`there is no class '${named[1]}'`);
        tests.push((code) => kind.test(String.fromCharCode(code)));
        this.at += named[0].length;
        continue;
      }
      if (c === "\\") {
        const e = this.text[this.at++];
        if (e === undefined) throw new PatternError("a ']' is missing");
        const known = classes[e.toLowerCase()];
        if (known && /[dws]/i.test(e)) {
          const not = e !== e.toLowerCase();
          tests.push((code) => known.test(String.fromCharCode(code)) !== not);
          continue;
        }
        const code = this.plainEscape(e);
        tests.push((each) => each === code);
        continue;
      }
      if (this.text[this.at] === "-" && this.text[this.at + 1] !== "]" && this.text[this.at + 1] !== undefined) {
        const [low, high] = [c.charCodeAt(0), this.text.charCodeAt(this.at + 1)];
        if (high < low) throw new PatternError("a range ends below its beginning");
        this.at += 2;
        tests.push((code) => code >= low && code <= high);
      } else {
        const own = c.charCodeAt(0);
        tests.push((code) => code === own);
      }
    }
    return (code) => tests.some((test) => test(code)) !== isNegated;
  }

  private folded(has: (code: number) => boolean): (code: number) => boolean {
    if (!this.ignoreCase) return has;
    return (code) => {
      const c = String.fromCharCode(code);
      return has(c.toLowerCase().charCodeAt(0)) || has(c.toUpperCase().charCodeAt(0));
    };
  }
}
