import { matchGlob } from "./match.ts";

/** Properties of an object, by name. */
export type Properties = (name: string) => string | number | boolean | null;

export class FilterError extends Error {}

/**
 * Filters of queries: comparisons of properties with `==`, `!=`, `=~` and `!~` (patterns), `<`, `>`, `<=` and `>=`, joined by
 * `&&`, `||`, `!` and brackets, as in `direction == in && name =~ lamp*`.
 * @throws FilterError
 */
export function parseFilter(text: string): (properties: Properties) => boolean {
  const words = [...text.matchAll(/\s*(==|!=|=~|!~|<=|>=|&&|\|\||[<>!()]|"[^"]*"|\{[^}]*\}|[^\s()<>!=&|"{}]+)/gy)].map(
    (m) => m[1],
  );
  if (words.join("").length !== text.replace(/\s+/g, "").length && !/["{]/.test(text))
    throw new FilterError(`'${text}' cannot be read`);
  let at = 0;
  let depth = 0;
  type Test = (properties: Properties) => boolean;
  const either = (): Test => {
    if (++depth > 100) throw new FilterError("it is nested too deep");
    let left = both();
    while (words[at] === "||" || words[at] === "or") {
      at++;
      const [first, second] = [left, both()];
      left = (properties) => first(properties) || second(properties);
    }
    depth--;
    return left;
  };
  const both = (): Test => {
    let left = one();
    while (words[at] === "&&" || words[at] === "and") {
      at++;
      const [first, second] = [left, one()];
      left = (properties) => first(properties) && second(properties);
    }
    return left;
  };
  const one = (): Test => {
    const word = words[at++];
    if (word === undefined) throw new FilterError("it ends where a property should be");
    if (word === "!" || word === "not") {
      if (++depth > 100) throw new FilterError("it is nested too deep");
      const inner = one();
      depth--;
      return (properties) => !inner(properties);
    }
    if (word === "(") {
      const inner = either();
      if (words[at++] !== ")") throw new FilterError("a ')' is missing");
      return inner;
    }
    const name = word.replace(/^@/, "");
    if (!/^\w+$/.test(name)) throw new FilterError(`'${word}' is no property`);
    const operator = words[at];
    if (operator === undefined || !/^(?:==|!=|=~|!~|<|>|<=|>=)$/.test(operator))
      return (properties) => isTrue(propertyOf(properties, name));
    at++;
    const raw = words[at++];
    if (raw === undefined) throw new FilterError(`'${operator}' has nothing to compare with`);
    const value = /^["{]/.test(raw) ? raw.slice(1, -1) : raw;
    return (properties) => compare(propertyOf(properties, name), operator, value);
  };
  const test = either();
  if (at < words.length) throw new FilterError(`'${words[at]}' does not belong there`);
  return test;
}

function propertyOf(properties: Properties, name: string): string | number | boolean {
  const value = properties(name);
  if (value === null) throw new FilterError(`there is no property '${name}'`);
  return value;
}
const isTrue = (value: string | number | boolean): boolean =>
  value === true || (typeof value === "number" && value !== 0);

function compare(own: string | number | boolean, operator: string, value: string): boolean {
  if (operator === "=~" || operator === "!~") return matchGlob(value, String(own)) === (operator === "=~");
  const wanted = typeof own === "boolean" ? /^(?:true|1|yes)$/i.test(value) : value;
  const [a, b] = [Number(own), Number(value)];
  const isNumber = typeof own === "number" && !Number.isNaN(b);
  switch (operator) {
    case "==":
      return isNumber ? a === b : own === wanted;
    case "!=":
      return isNumber ? a !== b : own !== wanted;
    case "<":
      return isNumber && a < b;
    case ">":
      return isNumber && a > b;
    case "<=":
      return isNumber && a <= b;
    default:
      return isNumber && a >= b;
  }
}
