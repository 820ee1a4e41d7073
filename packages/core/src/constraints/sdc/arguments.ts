import { nearestName, type Place } from "../../common/finding.ts";
import { numberOf } from "./expression.ts";
import type { Call } from "./interpreter.ts";
import { textOf, type Value } from "./values.ts";

/**
 * Options of a command: `flag` takes nothing; `number`, `text` and `value` take the word behind them; `values` can stand more
 * than once.
 */
type OptionKind = "flag" | "number" | "text" | "value" | "values";
export type OptionSpec = Readonly<Record<string, OptionKind>>;

/** What a call of a command says. Names of options begin with their dash. */
export class Arguments {
  private readonly found = new Map<string, { value: Value; at: number }[]>();
  /** Arguments that belong to no option. */
  readonly rest: { readonly value: Value; readonly at: number }[] = [];

  /** @param least Arguments without an option that it must have, and may have. @throws ScriptError */
  constructor(
    readonly call: Call,
    private readonly spec: OptionSpec,
    usage: string,
    least: number,
    most: number,
  ) {
    const { args } = call;
    for (let i = 0; i < args.length; i++) {
      const value = args[i];
      const name = typeof value === "string" && /^-[A-Za-z_]/.test(value) ? this.option(value, i) : null;
      if (name === null) {
        this.rest.push({ value, at: i });
        continue;
      }
      const kind = spec[name];
      const known = this.found.get(name) ?? [];
      if (known.length && kind !== "values") call.fail(`'${name}' stands twice.`, "Keep one of them.", i);
      if (kind === "flag") known.push({ value: "", at: i });
      else {
        if (i + 1 >= args.length) call.fail(`'${name}' has no value.`, `Write ${call.name} ${usage}.`, i);
        i++;
        known.push({ value: args[i], at: i });
      }
      this.found.set(name, known);
    }
    if (this.rest.length < least) call.fail(`'${call.name}' is given too little.`, `Write ${call.name} ${usage}.`);
    if (this.rest.length > most)
      call.fail(
        `'${textOf(this.rest[most].value)}' is too much for '${call.name}'.`,
        `Write ${call.name} ${usage}.`,
        this.rest[most].at,
      );
  }

  /** The option that a word means: itself, or the only one that begins so. */
  private option(word: string, at: number): string {
    if (word in this.spec) return word;
    const names = Object.keys(this.spec);
    const meant = names.filter((name) => name.startsWith(word));
    if (meant.length === 1) return meant[0];
    if (meant.length > 1) return this.call.fail(`'${word}' may mean ${meant.join(" or ")}.`, "Write it out.", at);
    const near = nearestName(word, names);
    return this.call.fail(
      `'${this.call.name}' has no option '${word}'.`,
      near ? `Did you mean '${near}'?` : names.length ? `It has ${names.join(", ")}.` : "It has none.",
      at,
    );
  }

  has(name: string): boolean {
    return this.found.has(name);
  }
  at(name: string): number {
    return this.found.get(name)?.[0]?.at ?? 0;
  }
  place(name: string): Place {
    return this.call.places(this.at(name));
  }
  value(name: string): Value | null {
    return this.found.get(name)?.[0]?.value ?? null;
  }
  values(name: string): readonly { readonly value: Value; readonly at: number }[] {
    return this.found.get(name) ?? [];
  }
  text(name: string): string | null {
    const value = this.value(name);
    return value === null ? null : textOf(value);
  }
  /** @throws ScriptError for what is no number. */
  number(name: string): number | null {
    const value = this.value(name);
    return value === null ? null : numberAt(this.call, value, this.at(name));
  }
  numberOfRest(index: number): number {
    const { value, at } = this.rest[index];
    return numberAt(this.call, value, at);
  }
  /** The first of the options that are given, all of which exclude each other. */
  one(...names: readonly string[]): string | null {
    const given = names.filter((name) => this.has(name));
    if (given.length > 1)
      this.call.fail(`'${given[0]}' and '${given[1]}' exclude each other.`, "Keep one of them.", this.at(given[1]));
    return given[0] ?? null;
  }
}

export function numberAt(call: Call, value: Value, at: number): number {
  const number = numberOf(textOf(value));
  if (!number || !Number.isFinite(number.number))
    return call.fail(`'${textOf(value)}' is not a number.`, "Give a number.", at);
  return number.number;
}
