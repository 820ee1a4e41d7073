import type { Value } from "../../elaborate/model.ts";
import type { ContainerType } from "../../elaborate/types.ts";
import { Container, type Item, Through } from "./container.ts";

/** An argument of a call on a container. */
export type ContainerArg =
  | { readonly kind: "bits"; readonly a: bigint; readonly b: bigint; readonly set?: (value: Item) => void }
  | { readonly kind: "real"; readonly value: number; readonly set?: (value: Item) => void }
  | { readonly kind: "string" | "literal"; readonly text: Item; readonly set?: (value: Item) => void }
  | { readonly kind: "object"; readonly object: Container }
  | { readonly kind: "type"; readonly type: ContainerType }
  | {
      readonly kind: "lambda";
      readonly width: number;
      readonly signed: boolean;
      readonly of: (item: Item, key: Item) => Item;
    };

/** An element's value; an array of its own is copied. */
function itemOf(arg: ContainerArg): Item {
  if (arg.kind === "bits") return { a: arg.a, b: arg.b };
  if (arg.kind === "real") return arg.value;
  if (arg.kind === "string" || arg.kind === "literal")
    return arg.text instanceof Container ? arg.text.copy() : arg.text;
  return 0;
}
/** The container that an argument is. */
const heldBy = (arg: ContainerArg): Container =>
  arg.kind === "object" ? arg.object : ((arg as { text: Item }).text as Container);
const throughOf = (arg: ContainerArg | undefined): Through | null =>
  arg?.kind === "lambda" ? new Through(arg.width, arg.signed, arg.of) : null;
const whole = (value: number): Value => ({ a: BigInt.asUintN(32, BigInt(value)), b: 0n });

/**
 * What `container.<what>` does. The first argument is the container.
 * @param draw A random number from 0.
 * @returns The value of those that have one.
 */
export function containerCall(what: string, args: readonly ContainerArg[], draw: () => number): Item | null {
  if (what === "made") {
    const made = new Container((args[1] as ContainerArg & { kind: "type" }).type);
    assign(made, args.slice(2));
    return made;
  }
  const object = heldBy(args[0]);
  const item = (at: number) => itemOf(args[at]);
  switch (what) {
    case "get":
      return object.get(item(1));
    case "reach":
      return object.reach(item(1));
    case "find":
    case "find_index":
    case "find_first":
    case "find_first_index":
    case "find_last":
    case "find_last_index":
    case "min":
    case "max":
    case "unique":
    case "unique_index": {
      const { type } = args[1] as ContainerArg & { kind: "type" };
      const made = new Container(type);
      const keys = what.endsWith("_index");
      made.replace(
        object.located(what, throughOf(args[2])).map(([key, value]) => (keys ? key : value)),
        [],
        null,
      );
      return made;
    }
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
      if (found !== null && "set" in place) place.set?.(found);
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
      object.arrange(what, draw, throughOf(args[1]));
      return null;
    case "sum":
    case "product":
    case "and":
    case "or":
    case "xor":
      return object.reduce(what, throughOf(args[2]));
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
      const from = heldBy(first);
      if (tag === "slice") for (const item of from.slice(itemOf(args[at++]), itemOf(args[at++]))) items.push(item);
      else if (from.type.flavour === "map") {
        entries.push(...from.entries());
        fallback ??= from.ownDefault;
      } else for (const item of from.items()) items.push(item);
    }
  }
  if (size === null) object.replace(items, entries, fallback);
  else object.resize(size, items);
}
