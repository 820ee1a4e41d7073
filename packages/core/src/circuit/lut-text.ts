import { type BoolExpr, expressionFor } from "../logic/boolean.ts";

/** Letters of a LUT's inputs, lowest first. */
export const inputLetters = ["a", "b", "c", "d", "e", "f"] as const;

/** Truth table of a LUT as one number, row r is bit r. */
export function maskOf(low: number, high: number, inputs: number): bigint {
  const all = (BigInt(high >>> 0) << 32n) | BigInt(low >>> 0);
  return all & ((1n << (1n << BigInt(inputs))) - 1n);
}

/** Function of a LUT as people write it, such as `a and not b or c`; in the letters of `inputLetters`. */
export function lutExpression(low: number, high: number, inputs: number): string {
  return text(expressionFor(maskOf(low, high, inputs), inputs).expr, 0);
}

// how tightly operators bind: choice, or, xor, and, not
function text(expr: BoolExpr, outer: number): string {
  const wrap = (inner: string, own: number) => (own < outer ? `(${inner})` : inner);
  switch (expr.op) {
    case "const":
      return String(expr.value);
    case "input":
      return inputLetters[expr.input];
    case "not":
      return `not ${text(expr.a, 5)}`;
    case "and":
      return wrap(`${text(expr.a, 4)} and ${text(expr.b, 4)}`, 4);
    case "xor":
      return wrap(`${text(expr.a, 3)} xor ${text(expr.b, 3)}`, 3);
    case "or":
      return wrap(`${text(expr.a, 2)} or ${text(expr.b, 2)}`, 2);
    case "mux":
      return wrap(`${inputLetters[expr.select]} ? ${text(expr.yes, 2)} : ${text(expr.no, 1)}`, 1);
  }
}

/** Value of such an expression; for tests and for the page's own checks. @param row Bit i is input i. */
export function evaluateExpression(expr: string, row: number): number {
  const tokens = expr.match(/[a-f](?![a-z])|[01]|and|or|xor|not|[?:()]/g) ?? [];
  let at = 0;
  const peek = () => tokens[at];
  const primary = (): number => {
    const token = tokens[at++];
    if (token === "(") {
      const value = choice();
      at++;
      return value;
    }
    if (token === "not") return 1 - primary();
    if (token === "0" || token === "1") return Number(token);
    return (row >> inputLetters.indexOf(token as (typeof inputLetters)[number])) & 1;
  };
  const level = (word: string, next: () => number, join: (a: number, b: number) => number) => (): number => {
    let value = next();
    while (peek() === word) {
      at++;
      value = join(value, next());
    }
    return value;
  };
  const and = level("and", primary, (a, b) => a & b);
  const xor = level("xor", and, (a, b) => a ^ b);
  const or = level("or", xor, (a, b) => a | b);
  const choice = (): number => {
    const test = or();
    if (peek() !== "?") return test;
    at++;
    const yes = or();
    at++;
    const no = choice();
    return test ? yes : no;
  };
  return choice();
}
