import { readEscape } from "./script.ts";

/**
 * Values of the command language. All are text, as in Tcl, but lists and sets of the circuit's objects are kept as what
 * they are until somebody asks for the text.
 */
export type Value = string | ListValue | ObjectSet;

export class ListValue {
  constructor(readonly items: readonly Value[]) {}
}

/** What a query found: ports, cells, pins, nets and clocks, each once and in order. As text, a list of their names. */
export class ObjectSet {
  constructor(
    /** Objects of the circuit, as its tables number them. */
    readonly refs: readonly number[],
    private readonly nameOf: (ref: number) => string,
  ) {}

  names(): string[] {
    return this.refs.map(this.nameOf);
  }
  /** One of them alone. */
  only(index: number): ObjectSet {
    return new ObjectSet([this.refs[index]], this.nameOf);
  }
  union(other: ObjectSet): ObjectSet {
    return new ObjectSet([...new Set([...this.refs, ...other.refs])], this.nameOf);
  }
}

/** Text of an element within a list: in braces, or with backslashes where braces would not do. */
export function quoteElement(text: string): string {
  if (text === "") return "{}";
  if (!/[\s{}[\]$;"\\#]/.test(text)) return text;
  let open = 0;
  let isBalanced = !text.endsWith("\\");
  for (let i = 0; i < text.length && isBalanced; i++) {
    if (text[i] === "\\") i++;
    else if (text[i] === "{") open++;
    else if (text[i] === "}" && --open < 0) isBalanced = false;
  }
  if (isBalanced && open === 0 && !/\\[\r\n]/.test(text)) return `{${text}}`;
  return text.replace(/[\s{}[\]$;"\\#]/g, (c) =>
    c === "\n" ? "\\n" : c === "\r" ? "\\r" : c === "\t" ? "\\t" : `\\${c}`,
  );
}

export function textOf(value: Value): string {
  if (typeof value === "string") return value;
  if (value instanceof ListValue) return value.items.map((item) => quoteElement(textOf(item))).join(" ");
  const names = value.names();
  // a single object is its name, so that it reads and compares as people expect
  return names.length === 1 ? names[0] : names.map(quoteElement).join(" ");
}

/** @returns The elements, or null where the text is no list: an open brace or quote. */
export function itemsOf(value: Value): readonly Value[] | null {
  if (value instanceof ListValue) return value.items;
  if (value instanceof ObjectSet) return value.refs.map((_, i) => value.only(i));
  return splitList(value);
}

function splitList(text: string): string[] | null {
  const items: string[] = [];
  let at = 0;
  const { length } = text;
  const isSpace = (c: string) => /\s/.test(c);
  for (;;) {
    while (at < length && isSpace(text[at])) at++;
    if (at >= length) return items;
    if (text[at] === "{") {
      const start = at;
      let open = 0;
      for (; at < length; at++) {
        if (text[at] === "\\") at++;
        else if (text[at] === "{") open++;
        else if (text[at] === "}" && --open === 0) break;
      }
      if (at >= length) return null;
      items.push(text.slice(start + 1, at).replace(/\\(?:\r\n|\r|\n)[ \t]*/g, " "));
      at++;
      if (at < length && !isSpace(text[at])) return null;
      continue;
    }
    const isQuoted = text[at] === '"';
    if (isQuoted) at++;
    let item = "";
    while (at < length && (isQuoted ? text[at] !== '"' : !isSpace(text[at]))) {
      if (text[at] === "\\") {
        const escaped = readEscape(text, at, length);
        item += escaped.text;
        at = escaped.next;
      } else item += text[at++];
    }
    if (isQuoted) {
      if (at >= length) return null;
      at++;
      if (at < length && !isSpace(text[at])) return null;
    }
    items.push(item);
  }
}
