import { type Part, parseScript, parseSubstitution, parseTemplate, readEscape, type ScriptText } from "./script.ts";

/**
 * Expressions as Tcl's `expr` reads them: whole numbers and fractions, text in quotes or braces, variables, scripts in
 * brackets, operators by its table of precedence, and functions. Operator precedence parsing (Pratt 1973).
 */
export type Expression =
  | { readonly kind: "constant"; readonly value: ExprValue }
  | { readonly kind: "parts"; readonly parts: readonly Part[] }
  | { readonly kind: "unary"; readonly operator: string; readonly of: Expression }
  | { readonly kind: "binary"; readonly operator: string; readonly left: Expression; readonly right: Expression }
  | { readonly kind: "choice"; readonly test: Expression; readonly then: Expression; readonly other: Expression }
  | { readonly kind: "call"; readonly name: string; readonly args: readonly Expression[] };

/** A number, whole or not, or text. Whole numbers stay within 2^53: beyond it, an error says so. */
type ExprValue = { readonly number: number; readonly isWhole: boolean } | string;

export class ExpressionError extends Error {
  constructor(
    message: string,
    readonly remedy: string,
  ) {
    super(message);
  }
}

const precedence: Readonly<Record<string, number>> = {
  "**": 12,
  "*": 11,
  "/": 11,
  "%": 11,
  "+": 10,
  "-": 10,
  "<<": 9,
  ">>": 9,
  "<": 8,
  ">": 8,
  "<=": 8,
  ">=": 8,
  "==": 7,
  "!=": 7,
  eq: 6,
  ne: 6,
  in: 6,
  ni: 6,
  "&": 5,
  "^": 4,
  "|": 3,
  "&&": 2,
  "||": 1,
};
const operatorsByLength = Object.keys(precedence).sort((a, b) => b.length - a.length);
const depthLimit = 200;

/** Functions by name, with the number of arguments; -1 for one or more. All take and give numbers. */
const functions: Readonly<
  Record<string, readonly [args: number, run: (...args: number[]) => number, whole?: boolean]>
> = {
  abs: [1, Math.abs],
  ceil: [1, Math.ceil],
  floor: [1, Math.floor],
  // halves go away from 0
  round: [1, (x) => Math.sign(x) * Math.floor(Math.abs(x) + 0.5), true],
  int: [1, Math.trunc, true],
  double: [1, (x) => x],
  sqrt: [1, Math.sqrt],
  exp: [1, Math.exp],
  log: [1, Math.log],
  log10: [1, Math.log10],
  sin: [1, Math.sin],
  cos: [1, Math.cos],
  tan: [1, Math.tan],
  asin: [1, Math.asin],
  acos: [1, Math.acos],
  atan: [1, Math.atan],
  atan2: [2, Math.atan2],
  pow: [2, (a, b) => a ** b],
  fmod: [2, (a, b) => a % b],
  hypot: [2, Math.hypot],
  min: [-1, Math.min],
  max: [-1, Math.max],
};
/** Functions whose result is whole where all that they take is. */
const keepsWhole = new Set(["abs", "min", "max", "pow"]);

/** @throws ExpressionError, ScriptSyntaxError */
export function parseExpression(source: ScriptText, start: number, end: number): Expression {
  return new Parser(source, start, end).whole();
}

class Parser {
  private depth = 0;
  constructor(
    private readonly source: ScriptText,
    private at: number,
    private readonly end: number,
  ) {}

  whole(): Expression {
    const result = this.expression(0);
    this.blanks();
    if (this.at < this.end) this.fail(`'${this.rest()}' does not belong to the expression`);
    return result;
  }

  private rest(): string {
    const text = this.source.text.slice(this.at, this.end).trim();
    return text.length > 20 ? `${text.slice(0, 20)}…` : text;
  }
  private fail(what: string): never {
    throw new ExpressionError(
      `${what}.`,
      "Text in an expression stands in quotes; functions have their arguments in brackets ().",
    );
  }
  private blanks(): void {
    const { text } = this.source;
    for (;;) {
      while (this.at < this.end && /\s/.test(text[this.at])) this.at++;
      if (text[this.at] === "\\" && this.at + 1 < this.end && /[\r\n]/.test(text[this.at + 1])) this.at += 2;
      else return;
    }
  }

  /** Operators that bind closer than `least`. */
  private expression(least: number): Expression {
    if (++this.depth > depthLimit) this.fail(`The expression is nested more than ${depthLimit} deep`);
    let left = this.operand();
    for (;;) {
      this.blanks();
      if (least === 0 && this.source.text[this.at] === "?" && this.at < this.end) {
        this.at++;
        const then = this.expression(0);
        this.blanks();
        if (this.source.text[this.at] !== ":" || this.at >= this.end) this.fail("A ':' is missing behind '?'");
        this.at++;
        left = { kind: "choice", test: left, then, other: this.expression(0) };
        continue;
      }
      const operator = this.operator();
      if (!operator || precedence[operator] <= least) {
        this.depth--;
        return left;
      }
      this.at += operator.length;
      // powers group from the right
      const right = this.expression(operator === "**" ? precedence[operator] - 1 : precedence[operator]);
      left = { kind: "binary", operator, left, right };
    }
  }

  private operator(): string | null {
    const { text } = this.source;
    const found = operatorsByLength.find((each) => text.startsWith(each, this.at) && this.at + each.length <= this.end);
    if (!found) return null;
    return /^\w/.test(found) && /\w/.test(text[this.at + found.length] ?? "") ? null : found;
  }

  private operand(): Expression {
    this.blanks();
    const { text } = this.source;
    if (this.at >= this.end) this.fail("The expression ends where a value should be");
    const c = text[this.at];
    if (c === "(") {
      this.at++;
      const inner = this.expression(0);
      this.blanks();
      if (text[this.at] !== ")" || this.at >= this.end) this.fail("A ')' is missing");
      this.at++;
      return inner;
    }
    if (c === "-" || c === "+" || c === "!" || c === "~") {
      this.at++;
      if (++this.depth > depthLimit) this.fail(`The expression is nested more than ${depthLimit} deep`);
      const of = this.operand();
      this.depth--;
      return { kind: "unary", operator: c, of };
    }
    if (c === "$" || c === "[" || c === '"') return this.substituted(c);
    if (c === "{") return this.braced();
    const number = /^(?:0[xX][0-9a-fA-F]+|0[bB][01]+|0[oO][0-7]+|(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)/.exec(
      text.slice(this.at, Math.min(this.end, this.at + 64)),
    );
    if (number) {
      this.at += number[0].length;
      return { kind: "constant", value: numberOf(number[0])! };
    }
    const word = /^[A-Za-z_]\w*/.exec(text.slice(this.at, Math.min(this.end, this.at + 64)))?.[0];
    if (!word) return this.fail(`'${this.rest()}' is no value`);
    this.at += word.length;
    this.blanks();
    if (text[this.at] === "(" && this.at < this.end) return this.call(word);
    if (/^(?:true|yes|on)$/i.test(word)) return { kind: "constant", value: whole(1) };
    if (/^(?:false|no|off)$/i.test(word)) return { kind: "constant", value: whole(0) };
    return this.fail(`'${word}' is no value`);
  }

  private call(name: string): Expression {
    const known = functions[name];
    if (!known) this.fail(`There is no function '${name}'`);
    this.at++;
    const args: Expression[] = [];
    this.blanks();
    if (this.source.text[this.at] === ")") this.at++;
    else
      for (;;) {
        args.push(this.expression(0));
        this.blanks();
        const c = this.at < this.end ? this.source.text[this.at++] : "";
        if (c === ")") break;
        if (c !== ",") this.fail(`A ')' is missing behind '${name}('`);
      }
    if (known[0] >= 0 ? args.length !== known[0] : args.length === 0)
      this.fail(
        `'${name}' takes ${known[0] < 0 ? "at least one argument" : `${known[0]} argument${known[0] > 1 ? "s" : ""}`}, not ${args.length}`,
      );
    return { kind: "call", name, args };
  }

  /** A variable, a script or a text in quotes. */
  private substituted(c: string): Expression {
    const { text } = this.source;
    const start = this.at;
    if (c === '"') {
      let end = start + 1;
      let open = 0;
      while (end < this.end && (text[end] !== '"' || open > 0)) {
        if (text[end] === "\\") end++;
        else if (text[end] === "[") open++;
        else if (text[end] === "]") open--;
        end++;
      }
      if (end >= this.end) this.fail("A closing quote is missing");
      this.at = end + 1;
      return { kind: "parts", parts: parseTemplate(this.source, { start: start + 1, end }) };
    }
    const first = parseSubstitution(this.source, { start, end: this.end });
    if (!first) return this.fail("'$' is no value");
    this.at = first.span.end;
    return { kind: "parts", parts: [first] };
  }

  private braced(): Expression {
    const start = this.at;
    const script = parseScript(this.source, { start, end: this.closing(start) });
    const word = script.commands[0].words[0];
    this.at = word.end;
    const [part] = word.parts;
    return { kind: "constant", value: part.kind === "text" ? part.text : "" };
  }

  private closing(start: number): number {
    const { text } = this.source;
    let open = 0;
    for (let at = start; at < this.end; at++) {
      if (text[at] === "\\") at = readEscape(text, at, this.end).next - 1;
      else if (text[at] === "{") open++;
      else if (text[at] === "}" && --open === 0) return at + 1;
    }
    return this.fail("A closing brace is missing");
  }
}

const whole = (number: number): ExprValue => ({ number, isWhole: true });

/** A number as it is written, blanks around it allowed; null for other text. */
export function numberOf(text: string): Extract<ExprValue, object> | null {
  const trimmed = text.trim();
  const match =
    /^([+-]?)(?:(0[xX][0-9a-fA-F]+|0[bB][01]+|0[oO][0-7]+)|(\d+)|((?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?))$/.exec(
      trimmed,
    );
  if (!match)
    return /^[+-]?inf(?:inity)?$/i.test(trimmed)
      ? { number: trimmed[0] === "-" ? -Infinity : Infinity, isWhole: false }
      : null;
  const sign = match[1] === "-" ? -1 : 1;
  const digits = match[2] ?? match[3];
  if (digits !== undefined) return { number: sign * safe(Number(digits)), isWhole: true };
  return { number: sign * Number(match[4]), isWhole: false };
}

/** @throws ExpressionError beyond what is exact. */
function safe(number: number): number {
  if (Number.isSafeInteger(number)) return number === 0 ? 0 : number;
  throw new ExpressionError("A whole number is beyond 2^53.", "Write it with a decimal point if it need not be exact.");
}

function formatNumber({ number, isWhole }: Extract<ExprValue, object>): string {
  if (isWhole) return String(number);
  if (Number.isNaN(number)) return "NaN";
  if (!Number.isFinite(number)) return number < 0 ? "-Inf" : "Inf";
  const text = String(number);
  return /[.e]/.test(text) ? text : `${text}.0`;
}

/** What an expression needs of the interpreter. */
export interface ExpressionHost {
  /** Value of substituted parts, as text. */
  substitute(parts: readonly Part[]): string;
  list(text: string): readonly string[];
}

/** @throws ExpressionError and whatever the host throws. */
export function evaluate(expression: Expression, host: ExpressionHost): ExprValue {
  switch (expression.kind) {
    case "constant":
      return expression.value;
    case "parts":
      return host.substitute(expression.parts);
    case "choice":
      return evaluate(isTrue(evaluate(expression.test, host)) ? expression.then : expression.other, host);
    case "unary": {
      const value = numeric(evaluate(expression.of, host), expression.operator);
      switch (expression.operator) {
        case "!":
          return whole(value.number === 0 ? 1 : 0);
        case "~":
          return whole(safe(-integer(value, "~") - 1));
        case "-":
          return { number: value.number === 0 ? 0 : -value.number, isWhole: value.isWhole };
        default:
          return value;
      }
    }
    case "call": {
      const args = expression.args.map((arg) => numeric(evaluate(arg, host), expression.name));
      const [, run, gives] = functions[expression.name];
      const number = run(...args.map((arg) => arg.number));
      if (Number.isNaN(number))
        throw new ExpressionError(`'${expression.name}' has no value there.`, "Look at what it is given.");
      if (gives || (keepsWhole.has(expression.name) && args.every((arg) => arg.isWhole) && Number.isInteger(number)))
        return whole(safe(number));
      return { number, isWhole: false };
    }
    case "binary":
      return binary(expression, host);
  }
}

function binary(expression: Extract<Expression, { kind: "binary" }>, host: ExpressionHost): ExprValue {
  const { operator } = expression;
  const left = evaluate(expression.left, host);
  if (operator === "&&" || operator === "||") {
    const first = isTrue(left);
    if (first === (operator === "||")) return whole(first ? 1 : 0);
    return whole(isTrue(evaluate(expression.right, host)) ? 1 : 0);
  }
  const right = evaluate(expression.right, host);
  const truth = (is: boolean) => whole(is ? 1 : 0);
  switch (operator) {
    case "eq":
      return truth(asText(left) === asText(right));
    case "ne":
      return truth(asText(left) !== asText(right));
    case "in":
      return truth(host.list(asText(right)).includes(asText(left)));
    case "ni":
      return truth(!host.list(asText(right)).includes(asText(left)));
    case "==":
    case "!=":
    case "<":
    case ">":
    case "<=":
    case ">=":
      return truth(compares(operator, left, right));
    default:
      return arithmetic(operator, numeric(left, operator), numeric(right, operator));
  }
}

/** As numbers where both are, else as text. */
function compares(operator: string, left: ExprValue, right: ExprValue): boolean {
  const [a, b] = [toNumber(left), toNumber(right)];
  const order = a && b ? a.number - b.number : asText(left) < asText(right) ? -1 : asText(left) > asText(right) ? 1 : 0;
  switch (operator) {
    case "==":
      return order === 0;
    case "!=":
      return order !== 0;
    case "<":
      return order < 0;
    case ">":
      return order > 0;
    case "<=":
      return order <= 0;
    default:
      return order >= 0;
  }
}

type Numeric = Extract<ExprValue, object>;

function arithmetic(operator: string, a: Numeric, b: Numeric): ExprValue {
  const isWhole = a.isWhole && b.isWhole;
  const plain = (number: number): ExprValue => ({ number: isWhole ? safe(number) : number, isWhole });
  switch (operator) {
    case "+":
      return plain(a.number + b.number);
    case "-":
      return plain(a.number - b.number);
    case "*":
      return plain(a.number * b.number);
    case "/":
      if (b.number === 0 && isWhole) throw new ExpressionError("The expression divides by zero.", "Test for 0 first.");
      return plain(isWhole ? Math.floor(a.number / b.number) : a.number / b.number);
    case "%": {
      const by = integer(b, "%");
      if (by === 0) throw new ExpressionError("The expression divides by zero.", "Test for 0 first.");
      const rest = integer(a, "%") % by;
      // the remainder has the sign of the divisor
      return whole(rest !== 0 && rest < 0 !== by < 0 ? rest + by : rest);
    }
    case "**": {
      if (isWhole && b.number < 0) {
        if (a.number === 0) throw new ExpressionError("0 has no negative power.", "Look at what it is given.");
        return whole(Math.abs(a.number) === 1 ? a.number ** b.number : 0);
      }
      return plain(a.number ** b.number);
    }
    default: {
      const [x, y] = [integer(a, operator), integer(b, operator)];
      if (operator === "<<") return whole(safe(x * 2 ** y));
      if (operator === ">>") return whole(Math.floor(x / 2 ** y));
      const [p, q] = [BigInt(x), BigInt(y)];
      return whole(safe(Number(operator === "&" ? p & q : operator === "^" ? p ^ q : p | q)));
    }
  }
}

function toNumber(value: ExprValue): Numeric | null {
  return typeof value === "string" ? numberOf(value) : value;
}
function numeric(value: ExprValue, operator: string): Numeric {
  const number = toNumber(value) ?? truthWord(value);
  if (number) return number;
  throw new ExpressionError(
    `'${short(asText(value))}' is not a number, which '${operator}' needs.`,
    "Compare text with eq and ne.",
  );
}
function integer(value: Numeric, operator: string): number {
  if (value.isWhole) return value.number;
  throw new ExpressionError(
    `'${formatNumber(value)}' is not a whole number, which '${operator}' needs.`,
    "Use int() or round().",
  );
}
function truthWord(value: ExprValue): Numeric | null {
  if (typeof value !== "string") return null;
  if (/^(?:true|yes|on)$/i.test(value.trim())) return { number: 1, isWhole: true };
  return /^(?:false|no|off)$/i.test(value.trim()) ? { number: 0, isWhole: true } : null;
}

const short = (text: string) => (text.length > 40 ? `${text.slice(0, 40)}…` : text);

/** @throws ExpressionError for text that is neither a number nor a truth. */
export function isTrue(value: ExprValue): boolean {
  const number = toNumber(value) ?? truthWord(value);
  if (number) return number.number !== 0;
  throw new ExpressionError(`'${short(asText(value))}' is neither true nor false.`, "Use a comparison, or 0 and 1.");
}

export function asText(value: ExprValue): string {
  return typeof value === "string" ? value : formatNumber(value);
}
