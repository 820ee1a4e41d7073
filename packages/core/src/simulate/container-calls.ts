import type { Value } from "../elaborate/model.ts";
import type { Container, Item } from "./container.ts";

/** An argument of a call on a container. */
export type ContainerArg =
  | { readonly kind: "bits"; readonly a: bigint; readonly b: bigint; readonly set?: (value: Item) => void }
  | { readonly kind: "real"; readonly value: number; readonly set?: (value: Item) => void }
  | { readonly kind: "string" | "literal"; readonly text: string; readonly set?: (value: Item) => void }
  | { readonly kind: "object"; readonly object: Container };

const itemOf = (arg: ContainerArg): Item =>
  arg.kind === "bits" ? { a: arg.a, b: arg.b } : arg.kind === "real" ? arg.value : arg.kind === "object" ? 0 : arg.text;
const whole = (value: number): Value => ({ a: BigInt.asUintN(32, BigInt(value)), b: 0n });

/**
 * What `container.<what>` does. The first argument is the container.
 * @param draw A random number from 0.
 * @returns The value of those that have one.
 */
export function containerCall(what: string, args: readonly ContainerArg[], draw: () => number): Item | null {
  const { object } = args[0] as ContainerArg & { kind: "object" };
  const item = (at: number) => itemOf(args[at]);
  switch (what) {
    case "get":
      return object.get(item(1));
    case "set":
      object.set(item(1), item(2));
      return null;
    case "assign":
      assign(object, args.slice(1));
      return null;
    case "size":
    case "num":
      return whole(object.size);
    case "last_index":
      return whole(object.size - 1);
    case "key_at": {
      const place = item(1) as Value;
      return object.type.flavour === "map" ? object.keyAt(Number(place.a)) : place;
    }
    case "exists":
      return whole(object.exists(item(1)) ? 1 : 0);
    case "first":
    case "last":
    case "next":
    case "prev": {
      const place = args[1];
      const found = object.neighbour(what, item(1));
      if (found !== null && place.kind !== "object") place.set?.(found);
      return whole(found === null ? 0 : 1);
    }
    case "push_back":
      object.push(item(1));
      return null;
    case "push_front":
      object.pushFront(item(1));
      return null;
    case "insert":
      object.insert(item(1), item(2));
      return null;
    case "delete":
      object.delete(args.length > 1 ? item(1) : null);
      return null;
    case "pop_front":
    case "pop_back":
      return object.pop(what === "pop_front");
    case "reverse":
    case "sort":
    case "rsort":
    case "shuffle":
      object.arrange(what, draw);
      return null;
    case "sum":
    case "product":
    case "and":
    case "or":
    case "xor":
      return object.reduce(what);
    default:
      throw new Error(`No container call ${what}.`);
  }
}

/** Tagged parts, as the elaboration lists them: `value v`, `all c`, `slice c from to`, `key k v`, `default v`, `size n`. */
function assign(object: Container, args: readonly ContainerArg[]): void {
  const items: Item[] = [];
  const entries: (readonly [Item, Item])[] = [];
  let fallback: Item | null = null;
  let size: number | null = null;
  for (let at = 0; at < args.length; ) {
    const tag = (args[at++] as { text: string }).text;
    const first = args[at++];
    if (tag === "value") items.push(itemOf(first));
    else if (tag === "default") fallback = itemOf(first);
    else if (tag === "size") size = Number(BigInt.asIntN(64, (itemOf(first) as Value).a));
    else if (tag === "key") entries.push([itemOf(first), itemOf(args[at++])]);
    else {
      const { object: from } = first as ContainerArg & { kind: "object" };
      if (tag === "slice") for (const item of from.slice(itemOf(args[at++]), itemOf(args[at++]))) items.push(item);
      else if (from.type.flavour === "map") entries.push(...from.entries());
      else for (const item of from.items()) items.push(item);
    }
  }
  if (size === null) object.replace(items, entries, fallback);
  else object.resize(size, items);
}
