import { numberOf } from "./expression.ts";
import type { Call } from "./interpreter.ts";
import { Pattern, PatternError } from "./match.ts";
import { ListValue, textOf, type Value } from "./values.ts";

/** What commands on text and lists read of their words, and how they count what they make. */

/** The items of an argument that is a list. @throws ScriptError */
export const items = (call: Call, index: number): readonly Value[] =>
  call.interpreter.items(call.args[index], call.places(index));

/** `3`, `end`, `end-1`, `2+1` as an index. */
export function indexOf(call: Call, at: number, length: number): number {
  const text = textOf(call.args[at]).trim();
  const match = /^(end|[+-]?\d+)(?:([+-])(\d+))?$/.exec(text);
  if (!match) call.fail(`'${text}' is no index.`, "Use a number, end or end-1.", at);
  const base = match[1] === "end" ? length - 1 : Number(match[1]);
  return base + (match[2] ? Number(`${match[2]}${match[3]}`) : 0);
}

export const text = (call: Call, at: number): string => textOf(call.args[at]);

/** Text that a command made, counted. */
export function made(call: Call, result: string): string {
  call.interpreter.spend(0, result.length);
  return result;
}

/** A list that a command made, counted. */
export function list(call: Call, values: readonly Value[]): ListValue {
  call.interpreter.spend(values.length >> 4);
  return new ListValue(values);
}

export function whole(call: Call, at: number): number {
  const number = numberOf(text(call, at));
  if (!number?.isWhole) call.fail(`'${text(call, at)}' is not a whole number.`, "Give one.", at);
  return number.number;
}

/** Compiles a user's pattern. @throws ScriptError */
export function patternOf(call: Call, source: string, at: number, ignoreCase = false): Pattern {
  try {
    return new Pattern(source, ignoreCase);
  } catch (error) {
    if (!(error instanceof PatternError)) throw error;
    return call.fail(`The pattern cannot be used: ${error.message}.`, "Write it in another way.", at);
  }
}

/** Options that begin with a dash, in front of what a command works on. */
export function options(
  call: Call,
  known: readonly string[],
): { readonly set: ReadonlySet<string>; readonly first: number } {
  const set = new Set<string>();
  let i = 0;
  for (; i < call.args.length && text(call, i).startsWith("-"); i++) {
    const option = text(call, i);
    if (option === "--") return { set, first: i + 1 };
    if (!known.includes(option))
      call.fail(`'${call.name}' has no option '${option}'.`, `It has ${known.join(", ")}.`, i);
    set.add(option);
  }
  return { set, first: i };
}
