import { ownerOfMade } from "./made-names.ts";

/**
 * What the source asks of synthesis, for a net, a register, a module or an instance. A module's or instance's wishes hold
 * for all within it unless something inside says otherwise.
 */
export interface SynthAttributes {
  /** The net stays, under its name; of a module or instance: all nets at its ports. */
  readonly keep?: boolean;
  /** A register is not joined with another one that always holds the same. */
  readonly separate?: boolean;
  readonly memory_as?: "blocks" | "logic";
  readonly product_as?: "blocks" | "logic";
  /** How sums, differences and comparisons are made. */
  readonly sum_as?: "carry" | "logic";
  readonly states_as?: StateCoding;
  /** A register with more loads than this gets copies. */
  readonly most_loads?: number;
  /** Registers may move through the logic beside them. */
  readonly retime?: boolean;
}
export type StateCoding = "as written" | "binary" | "one-hot" | "gray";
export const stateCodings: readonly StateCoding[] = ["as written", "binary", "one-hot", "gray"];

/** Attributes of one declared net, or of everything in a scope. Names are hierarchical; the top's scope is empty. */
export interface NamedAttributes {
  readonly name: string;
  readonly isScope: boolean;
  readonly values: SynthAttributes;
}

type Key = keyof SynthAttributes;
const choices: Readonly<Record<Key, readonly string[] | "flag" | "count">> = {
  keep: "flag",
  separate: "flag",
  memory_as: ["blocks", "logic"],
  product_as: ["blocks", "logic"],
  sum_as: ["carry", "logic"],
  states_as: stateCodings,
  most_loads: "count",
  retime: "flag",
};

export const synthAttributeNames = Object.keys(choices) as readonly Key[];

export function isSynthAttribute(name: string): name is Key {
  return Object.hasOwn(choices, name);
}

type AttributeReading =
  | { readonly kind: "ok"; readonly values: SynthAttributes }
  | { readonly kind: "bad"; readonly wanted: string };

/** One attribute as written; the name is one of ours. Blanks, hyphens and underscores in words count alike. */
export function readSynthAttribute(name: Key, value: string | number | boolean): AttributeReading {
  const form = choices[name];
  if (form === "flag") {
    const word = String(value).toLowerCase();
    if (["1", "true", "yes"].includes(word)) return { kind: "ok", values: { [name]: true } };
    if (["0", "false", "no"].includes(word)) return { kind: "ok", values: { [name]: false } };
    return { kind: "bad", wanted: "1 or 0" };
  }
  if (form === "count") {
    const count = Number(value);
    if (Number.isInteger(count) && count >= 1) return { kind: "ok", values: { [name]: count } };
    return { kind: "bad", wanted: "a whole number from 1 on" };
  }
  // "one hot" and "One_Hot" are "one-hot"
  const plain = (text: string) =>
    text
      .toLowerCase()
      .replace(/[\s_-]+/g, " ")
      .trim();
  const word = form.find((each) => plain(each) === plain(String(value)));
  if (word !== undefined) return { kind: "ok", values: { [name]: word } };
  return { kind: "bad", wanted: form.map((each) => `"${each}"`).join(", ") };
}

/** Finds what holds for a name: its own attributes, then those of the scopes around it, from the inside out. */
export class AttributeLookup {
  private readonly nets = new Map<string, SynthAttributes>();
  private readonly scopes = new Map<string, SynthAttributes>();
  private readonly known = new Map<string, SynthAttributes>();
  readonly isEmpty: boolean;

  constructor(list: readonly NamedAttributes[]) {
    this.isEmpty = list.length === 0;
    for (const { name, isScope, values } of list) {
      const map = isScope ? this.scopes : this.nets;
      map.set(name, { ...map.get(name), ...values });
    }
  }

  /** @param name Of a net, or of a cell: what follows a $ is left off. */
  of(name: string): SynthAttributes {
    if (this.isEmpty) return none;
    let values = this.known.get(name);
    if (!values) {
      values = this.find(name);
      this.known.set(name, values);
    }
    return values;
  }

  private find(cellName: string): SynthAttributes {
    const exact = this.nets.has(cellName);
    const name = exact ? cellName : ownerOfMade(cellName);
    let values: SynthAttributes = this.scopes.get("") ?? none;
    for (let dot = name.indexOf("."); dot >= 0; dot = name.indexOf(".", dot + 1)) {
      const scope = this.scopes.get(name.slice(0, dot));
      if (scope) values = { ...values, ...scope };
    }
    // a whole scope's name, as cells of an instance may have it
    const own = this.nets.get(name) ?? this.scopes.get(name);
    return own ? { ...values, ...own } : values;
  }
}
const none: SynthAttributes = {};
