/** Small truth tables as bigint: row r is bit r. Turns LUT masks into short expressions. */

export type BoolExpr =
  | { readonly op: "const"; readonly value: 0 | 1 }
  | { readonly op: "input"; readonly input: number }
  | { readonly op: "not"; readonly a: BoolExpr }
  | { readonly op: "and" | "or" | "xor"; readonly a: BoolExpr; readonly b: BoolExpr }
  | { readonly op: "mux"; readonly select: number; readonly yes: BoolExpr; readonly no: BoolExpr };

const cache = new Map<string, { expr: BoolExpr; cost: number }>();

/** Operations that evaluating the expression takes. */
export function expressionFor(mask: bigint, inputs: number): { expr: BoolExpr; cost: number } {
  const key = `${inputs}:${mask}`;
  let known = cache.get(key);
  if (!known) {
    known = decompose(mask, inputs);
    if (cache.size > 200_000) cache.clear();
    cache.set(key, known);
  }
  return known;
}

function rows(inputs: number): bigint {
  return (1n << (1n << BigInt(inputs))) - 1n;
}

/** Rows of the table where input `i` is 0, packed together, and those where it is 1. */
export function cofactors(mask: bigint, inputs: number, i: number): { zero: bigint; one: bigint } {
  let zero = 0n;
  let one = 0n;
  const block = 1n << BigInt(i);
  const ones = (1n << block) - 1n;
  const count = 1n << BigInt(inputs - i - 1);
  for (let b = 0n; b < count; b++) {
    zero |= ((mask >> (2n * b * block)) & ones) << (b * block);
    one |= ((mask >> ((2n * b + 1n) * block)) & ones) << (b * block);
  }
  return { zero, one };
}

/** Shannon expansion on the input that leaves the shortest expression (Shannon 1949), special forms first. */
function decompose(mask: bigint, inputs: number): { expr: BoolExpr; cost: number } {
  if (mask === 0n) return { expr: { op: "const", value: 0 }, cost: 1 };
  if (mask === rows(inputs)) return { expr: { op: "const", value: 1 }, cost: 1 };
  let best: { expr: BoolExpr; cost: number } | null = null;
  for (let i = 0; i < inputs; i++) {
    const { zero, one } = cofactors(mask, inputs, i);
    const all = rows(inputs - 1);
    const input: BoolExpr = { op: "input", input: i };
    const inner = (table: bigint) => {
      const found = expressionFor(table, inputs - 1);
      return { expr: lift(found.expr, i), cost: found.cost };
    };
    let found: { expr: BoolExpr; cost: number };
    if (zero === one) found = inner(zero);
    else if (zero === 0n && one === all) found = { expr: input, cost: 1 };
    else if (zero === all && one === 0n) found = { expr: { op: "not", a: input }, cost: 3 };
    else if (zero === 0n) found = join("and", input, 1, inner(one));
    else if (one === all) found = join("or", input, 1, inner(zero));
    else if (one === 0n) found = join("and", { op: "not", a: input }, 3, inner(zero));
    else if (zero === all) found = join("or", { op: "not", a: input }, 3, inner(one));
    else if ((zero ^ one) === all) found = join("xor", input, 1, inner(zero));
    else {
      const yes = inner(one);
      const no = inner(zero);
      found = { expr: { op: "mux", select: i, yes: yes.expr, no: no.expr }, cost: yes.cost + no.cost + 2 };
    }
    if (!best || found.cost < best.cost) best = found;
    if (zero === one) break;
  }
  return best!;
}

function join(
  op: "and" | "or" | "xor",
  a: BoolExpr,
  cost: number,
  b: { expr: BoolExpr; cost: number },
): { expr: BoolExpr; cost: number } {
  return { expr: { op, a, b: b.expr }, cost: cost + b.cost + 1 };
}

/** Inputs from `removed` on move up by one. */
function lift(expr: BoolExpr, removed: number): BoolExpr {
  const up = (input: number) => (input >= removed ? input + 1 : input);
  switch (expr.op) {
    case "const":
      return expr;
    case "input":
      return { op: "input", input: up(expr.input) };
    case "not":
      return { op: "not", a: lift(expr.a, removed) };
    case "mux":
      return { op: "mux", select: up(expr.select), yes: lift(expr.yes, removed), no: lift(expr.no, removed) };
    default:
      return { op: expr.op, a: lift(expr.a, removed), b: lift(expr.b, removed) };
  }
}
