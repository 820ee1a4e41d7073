import type { Loc } from "../../common/source.ts";

/** One `name = value` of an attribute instance (IEEE 1364-2005 clause 3.8); without a value it is 1. */
interface AttributeNode {
  readonly name: string;
  readonly value: string | number;
  readonly loc: Loc;
}

const onePart = /\s*([A-Za-z_][\w$]*)\s*(?:=\s*("(?:[^"\\]|\\.)*"|[^,"]*))?\s*(?:,|$)/y;

/** Attributes of a design's files, found by the item that they stand before. */
export class AttributeTable {
  private readonly byPlace = new Map<string, AttributeNode[]>();

  /** @param before First token of the item. */
  add(before: Loc, text: string, loc: Loc): void {
    const key = placeKey(before);
    let list = this.byPlace.get(key);
    if (!list) {
      list = [];
      this.byPlace.set(key, list);
    }
    list.push(...readAttributes(text, loc));
  }

  /** Of the item that begins here. */
  at(loc: Loc): readonly AttributeNode[] {
    return this.byPlace.size === 0 ? none : (this.byPlace.get(placeKey(loc)) ?? none);
  }
}

const none: readonly AttributeNode[] = [];
const placeKey = ({ file, start }: Loc) => `${file}:${start}`;

/** What it cannot read it leaves out: an attribute may be meant for other tools. */
function readAttributes(text: string, loc: Loc): AttributeNode[] {
  const list: AttributeNode[] = [];
  const plain = text.replace(/\/\/[^\n]*|\/\*[\s\S]*?\*\//g, " ");
  onePart.lastIndex = 0;
  while (onePart.lastIndex < plain.length) {
    const match = onePart.exec(plain);
    if (!match) break;
    list.push({ name: match[1], value: readValue(match[2]?.trim()), loc });
  }
  return list;
}

function readValue(text: string | undefined): string | number {
  if (text === undefined || text === "") return 1;
  if (text.startsWith('"')) return text.slice(1, -1);
  const based = /^\d*'[sS]?([bBoOdDhH])([0-9a-fA-F_]+)$/.exec(text);
  if (based) {
    const radix = { b: 2, o: 8, d: 10, h: 16 }[based[1].toLowerCase()]!;
    return Number.parseInt(based[2].replace(/_/g, ""), radix);
  }
  return /^[0-9][0-9_]*$/.test(text) ? Number(text.replace(/_/g, "")) : text;
}
