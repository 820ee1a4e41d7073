import type { Value } from "../../elaborate/model.ts";
import { type ContainerType, type DataType, sizeOf } from "../../elaborate/types.ts";
import { ObjectValue, TypedValue } from "./objects.ts";

/** A value of an element or a key: bits, a real, a string, an object, an array of its own, or one of any type. */
export type Item = Value | number | string | Container | ObjectValue | TypedValue;
/** Whether an item is bits. */
export const isBits = (item: Item): item is Value =>
  typeof item === "object" &&
  !(item instanceof Container) &&
  !(item instanceof ObjectValue) &&
  !(item instanceof TypedValue);
const copyOf = (item: Item): Item => (item instanceof Container ? item.copy() : item);

/** More elements than this are a runaway, not a test bench: each takes some hundred bytes. */
const mostElements = 5_000_000;

/** Thrown when an array grows without an end: it stops the run before it fills the memory. */
export class OvergrownError extends Error {
  override name = "OvergrownError";
  constructor(most: number) {
    super(`An array has grown to more than ${most.toLocaleString("en")} elements.`);
  }
}

/** A dynamic array, queue or associative array while the simulation runs (IEEE 1800-2017 clauses 7.5 and 7.8 to 7.10). */
export class Container {
  private list: Item[] = [];
  private readonly map = new Map<string, { readonly key: Item; value: Item }>();
  /** Keys in their order; null after a change. */
  private order: { readonly key: Item; value: Item }[] | null = null;
  private fallback: Item | null = null;

  /** @param most Elements that it may have. */
  constructor(
    readonly type: ContainerType,
    private readonly most = mostElements,
  ) {
    if (type.fixed) this.resize(sizeOf(type.fixed), []);
  }

  get size(): number {
    return this.type.flavour === "map" ? this.map.size : this.list.length;
  }

  /** What is read where nothing is: clause 7.4.6, table 7-1. */
  get nothing(): Item {
    return this.fallback ?? nothingOf(this.type.element);
  }

  /** What `'{default: value}` gave an associative array. */
  get ownDefault(): Item | null {
    return this.fallback;
  }

  items(): Item[] {
    return this.type.flavour === "map" ? this.sorted().map((entry) => entry.value) : this.list;
  }

  /** Keys are told apart by their value; numbers in the order of numbers, strings in that of their letters. */
  private name(key: Item): string {
    if (typeof key === "string") return `s${key}`;
    if (typeof key === "number") return `r${key}`;
    if (!isBits(key)) return "x";
    return key.b === 0n ? `b${this.number(key)}` : "x";
  }

  private number({ a }: Value): bigint {
    const { key } = this.type;
    return key?.kind === "integral" && key.signed ? BigInt.asIntN(key.width, a) : a;
  }

  private sorted(): { readonly key: Item; value: Item }[] {
    this.order ??= [...this.map.values()].sort((x, y) => {
      const [left, right] = [x.key, y.key];
      if (isBits(left) && isBits(right)) {
        const [one, other] = [this.number(left), this.number(right)];
        return one < other ? -1 : one > other ? 1 : 0;
      }
      return left < right ? -1 : left > right ? 1 : 0;
    });
    return this.order;
  }

  get(key: Item): Item {
    if (this.type.flavour === "map") return this.map.get(this.name(key))?.value ?? this.nothing;
    return this.list[placeOf(key)] ?? this.nothing;
  }

  /** As `get`, for what is to be changed: an element of an associative array is made. */
  reach(key: Item): Item {
    const { flavour } = this.type;
    if (flavour === "map" && !this.exists(key)) this.set(key, this.nothing);
    if (flavour === "queue" && placeOf(key) === this.list.length) this.push(this.nothing);
    return this.get(key);
  }

  /** A write outside of an array does nothing; one right behind the end of a queue adds to it. */
  set(key: Item, value: Item): void {
    if (this.type.flavour === "map") {
      const name = this.name(key);
      if (name === "x") return;
      const known = this.map.get(name);
      if (known) known.value = value;
      else {
        this.map.set(name, { key, value });
        this.order = null;
        if (this.map.size > this.most) throw new OvergrownError(this.most);
      }
      return;
    }
    const at = placeOf(key);
    if (at >= 0 && at < this.list.length) this.list[at] = value;
    else if (at === this.list.length && this.type.flavour === "queue") this.push(value);
  }

  push(value: Item): void {
    this.list.push(value);
    this.cut();
  }

  /** A bounded queue loses what does not fit. @throws OvergrownError when the memory would run full. */
  private cut(): void {
    const { bound } = this.type;
    if (bound !== null && this.list.length > bound + 1) this.list.length = bound + 1;
    if (this.list.length > this.most) throw new OvergrownError(this.most);
  }

  pushFront(value: Item): void {
    this.list.unshift(value);
    this.cut();
  }

  insert(key: Item, value: Item): void {
    const at = placeOf(key);
    if (at < 0 || at > this.list.length) return;
    this.list.splice(at, 0, value);
    this.cut();
  }

  pop(front: boolean): Item {
    return (front ? this.list.shift() : this.list.pop()) ?? this.nothing;
  }

  delete(key: Item | null): void {
    if (key === null) {
      this.list = [];
      this.map.clear();
      if (this.type.fixed) this.resize(sizeOf(this.type.fixed), []);
    } else if (this.type.flavour === "map") this.map.delete(this.name(key));
    else {
      const at = placeOf(key);
      if (at >= 0 && at < this.list.length) this.list.splice(at, 1);
    }
    this.order = null;
  }

  resize(size: number, from: readonly Item[]): void {
    if (size > this.most) throw new OvergrownError(this.most);
    this.list = Array.from({ length: Math.max(0, size) }, (_, i) => (i < from.length ? copyOf(from[i]) : this.nothing));
  }

  replace(items: readonly Item[], entries: readonly (readonly [Item, Item])[], fallback: Item | null): void {
    if (this.type.fixed) this.resize(sizeOf(this.type.fixed), items);
    else this.list = this.type.flavour === "map" ? [] : items.map(copyOf);
    this.cut();
    this.map.clear();
    this.order = null;
    this.fallback = fallback;
    for (const [key, value] of entries) this.set(key, copyOf(value));
  }

  copy(): Container {
    const made = new Container(this.type, this.most);
    made.replace(this.list, this.type.flavour === "map" ? this.entries() : [], this.fallback);
    return made;
  }

  entries(): (readonly [Item, Item])[] {
    return this.sorted().map(({ key, value }) => [key, value]);
  }

  /** Elements from one place to another, both included; none if they are the wrong way round. */
  slice(from: Item, to: Item): Item[] {
    const [low, high] = [Math.max(0, placeOf(from)), Math.min(this.list.length - 1, placeOf(to))];
    return low > high ? [] : this.list.slice(low, high + 1);
  }

  exists(key: Item): boolean {
    return this.map.has(this.name(key));
  }

  keyAt(place: number): Item {
    return this.sorted()[place]?.key ?? nothingOf(this.type.key ?? this.type.element);
  }

  /** Key before or after another, first or last; null if there is none. O(log keys). */
  neighbour(which: "first" | "last" | "next" | "prev", key: Item): Item | null {
    const order = this.sorted();
    if (which === "first") return order[0]?.key ?? null;
    if (which === "last") return order.at(-1)?.key ?? null;
    const isBefore = (one: Item): boolean =>
      isBits(one) && isBits(key) ? this.number(one) < this.number(key) : one < key;
    let low = 0;
    let high = order.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (isBefore(order[middle].key)) low = middle + 1;
      else high = middle;
    }
    if (which === "prev") return order[low - 1]?.key ?? null;
    const isHere = low < order.length && this.name(order[low].key) === this.name(key);
    return order[isHere ? low + 1 : low]?.key ?? null;
  }

  arrange(how: "reverse" | "sort" | "rsort" | "shuffle", draw: () => number, by: Through | null = null): void {
    if (how === "reverse") this.list.reverse();
    else if (how === "shuffle")
      // Fisher and Yates, as Durstenfeld 1964 has it
      for (let i = this.list.length - 1; i > 0; i--) {
        const j = draw() % (i + 1);
        [this.list[i], this.list[j]] = [this.list[j], this.list[i]];
      }
    else {
      if (by) {
        const ranked = this.list.map((item, i) => ({ item, rank: by.rank(item, whole(i)) }));
        this.list = ranked.sort((x, y) => inOrder(x.rank, y.rank)).map(({ item }) => item);
      } else this.list.sort((x, y) => this.compare(x, y));
      if (how === "rsort") this.list.reverse();
    }
  }

  private compare(x: Item, y: Item): number {
    const { element } = this.type;
    const signed = element.kind === "integral" && element.signed ? element.width : 0;
    const rank = (item: Item) => (isBits(item) ? (signed ? BigInt.asIntN(signed, item.a) : item.a) : item);
    return inOrder(rank(x) as bigint, rank(y) as bigint);
  }

  /** Elements with their keys, in order. */
  pairs(): (readonly [Item, Item])[] {
    return this.type.flavour === "map" ? this.entries() : this.list.map((item, i) => [whole(i), item]);
  }

  /** What `find` and its kin choose, as items and their keys (IEEE 1800-2017 clause 7.12.1). */
  located(how: string, through: Through | null): (readonly [Item, Item])[] {
    const pairs = this.pairs();
    const rank = ([key, item]: readonly [Item, Item]) => (through ? through.rank(item, key) : this.rankOf(item));
    if (/^find/.test(how)) {
      const found = pairs.filter(([key, item]) => through!.holds(item, key));
      return /first/.test(how) ? found.slice(0, 1) : /last/.test(how) ? found.slice(-1) : found;
    }
    const ranks = pairs.map(rank);
    if (how === "unique" || how === "unique_index") {
      const seen = new Set<unknown>();
      return pairs.filter((_, i) => !seen.has(ranks[i]) && seen.add(ranks[i]));
    }
    let best = 0;
    for (let i = 1; i < pairs.length; i++)
      if (how === "min" ? inOrder(ranks[i], ranks[best]) < 0 : inOrder(ranks[i], ranks[best]) > 0) best = i;
    return pairs.slice(best, best + 1);
  }

  private rankOf(item: Item): Rank {
    const { element } = this.type;
    if (isBits(item))
      return element.kind === "integral" && element.signed ? BigInt.asIntN(element.width, item.a) : item.a;
    return item as Rank;
  }

  /** `sum` and its kin over elements of bits; any x or z makes the result x. */
  reduce(how: "sum" | "product" | "and" | "or" | "xor", through: Through | null = null): Value {
    const { element } = this.type;
    const width = through?.width ?? (element.kind === "integral" ? element.width : 32);
    const ones = (1n << BigInt(width)) - 1n;
    let result = how === "product" ? 1n : how === "and" ? ones : 0n;
    for (const [key, own] of this.pairs()) {
      const item = through ? through.of(own, key) : own;
      if (!isBits(item)) continue;
      if (item.b !== 0n) return { a: ones, b: ones };
      if (how === "sum") result += item.a;
      else if (how === "product") result *= item.a;
      else if (how === "and") result &= item.a;
      else if (how === "or") result |= item.a;
      else result ^= item.a;
      result = BigInt.asUintN(width, result);
    }
    return { a: result, b: 0n };
  }
}

type Rank = bigint | number | string;
const inOrder = (x: Rank, y: Rank): number => (x < y ? -1 : x > y ? 1 : 0);
const whole = (value: number): Value => ({ a: BigInt(value), b: 0n });

/** An expression over elements and their keys: `with (...)`. */
export class Through {
  constructor(
    readonly width: number,
    private readonly signed: boolean,
    readonly of: (item: Item, key: Item) => Item,
  ) {}

  holds(item: Item, key: Item): boolean {
    const value = this.of(item, key);
    return isBits(value) ? (value.a & ~value.b) !== 0n : Boolean(value);
  }

  rank(item: Item, key: Item): Rank {
    const value = this.of(item, key);
    if (isBits(value)) return this.signed ? BigInt.asIntN(this.width, value.a) : value.a;
    return value as Rank;
  }
}

function nothingOf(type: DataType): Item {
  if (type.kind === "string" || type.kind === "class" || type.kind === "any") return "";
  if (type.kind === "container") return new Container(type);
  if (type.kind === "real") return 0;
  if (type.kind !== "integral") return { a: 0n, b: 0n };
  const ones = type.fourState ? (1n << BigInt(type.width)) - 1n : 0n;
  return { a: ones, b: ones };
}

/** Place in a list; -1 for x and for what is outside of all lists. */
function placeOf(key: Item): number {
  if (typeof key === "number") return Math.trunc(key);
  if (!isBits(key) || key.b !== 0n) return -1;
  const at = Number(BigInt.asIntN(64, key.a));
  return at < 0 ? -1 : at;
}
