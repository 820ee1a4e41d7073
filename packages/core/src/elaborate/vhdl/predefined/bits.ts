import type { Expr as ModelExpr } from "../../model.ts";
import { binary, choose, not, number, slice } from "../circuit/circuit-expr.ts";
import type { PlainBit, Val } from "../code/emit-base.ts";
import { wrapped } from "../code/emit-text.ts";
import type { Shape } from "../values/shapes.ts";
import { maskOf } from "../values/values.ts";
import { matchingNumbers, matchingOperands } from "./arithmetic.ts";
import { type CircuitCall, type CodeCall, isArray, isOfBits, type Predefined } from "./call.ts";
import { scalarOf, vectorOf } from "./circuit-operands.ts";
import { operand, vector } from "./code-operands.ts";

const wordOps: Readonly<Record<string, ["andL" | "orL" | "xorL", boolean]>> = {
  and: ["andL", false],
  nand: ["andL", true],
  or: ["orL", false],
  nor: ["orL", true],
  xor: ["xorL", false],
  xnor: ["xorL", true],
};

const bitTables: Readonly<Record<"andL" | "orL" | "xorL", "AND" | "OR" | "XOR">> = {
  andL: "AND",
  orL: "OR",
  xorL: "XOR",
};

/** Operators of one chain, from the second on, are worked out at once while all operands are '0' or '1'. */
const longestGuard = 12;

function plainOf(val: Val): PlainBit | null {
  // not if something was put around it since
  if (val.plain?.of === val.js) return val.plain;
  if (val.cv === 2 || val.cv === 3)
    return { guards: [], bit: String(val.cv - 2), any: val.js, operators: 0, of: val.js };
  if (!/^(c\d+\.v|v\d+)$/.test(val.js)) return null;
  return { guards: [`(${val.js}&-2)===2`], bit: val.js, any: val.js, operators: 0, of: val.js };
}

function plainText({ guards, bit, any, operators }: Omit<PlainBit, "of">): string {
  return operators > 1 && guards.length > 0 ? `(${guards.join("&&")}?2+(${bit}&1):${any})` : any;
}

function withPlain(c: CodeCall, plain: Omit<PlainBit, "of">): Val {
  const { type } = c.sub.result!;
  if (plain.guards.length > longestGuard) return c.e.scalar(plain.any, type);
  const text = plainText(plain);
  return { ...c.e.scalar(text, type), plain: { ...plain, of: text } };
}

function joinedBits(c: CodeCall, fn: "andL" | "orL" | "xorL", inverted: boolean): Val {
  const { e, args } = c;
  const rows = e.rt(bitTables[fn]);
  const table = (x: string, y: string) => {
    const js = `${rows}[${wrapped(x)}*9+${y}]`;
    return inverted ? `${e.rt("NOT")}[${js}]` : js;
  };
  const [a, b] = args.map(plainOf);
  if (!a || !b) return e.scalar(table(args[0].js, args[1].js), c.sub.result!.type);
  const op = fn === "andL" ? "&" : fn === "orL" ? "|" : "^";
  return withPlain(c, {
    guards: [...new Set([...a.guards, ...b.guards])],
    bit: `${inverted ? "~" : ""}(${a.bit}${op}${b.bit})`,
    any: table(a.any, b.any),
    operators: a.operators + b.operators + 1,
  });
}

function invertedBit(c: CodeCall): Val {
  const { e, args } = c;
  const a = plainOf(args[0]);
  if (!a) return e.scalar(`${e.rt("NOT")}[${args[0].js}]`, c.sub.result!.type);
  return withPlain(c, { ...a, bit: `~(${a.bit})`, any: `${e.rt("NOT")}[${a.any}]`, operators: a.operators + 1 });
}

function logical(c: CodeCall, op: string): Val {
  const { e, args, loc } = c;
  const [fn, inverted] = wordOps[op];
  const rows = e.rt(bitTables[fn]);
  if (args.length === 1) {
    const a = operand(c, 0, false);
    const two = isOfBits(args[0]);
    const js = `${e.rt("reduce")}(${a.first},${a.n},${rows},${fn === "andL" ? 3 : 2})`;
    const made = inverted ? `${e.rt("NOT")}[${js}]` : js;
    return e.scalar(two ? `(${made}-2)` : made, c.sub.result!.type);
  }
  const [x, y] = args;
  if (!isArray(x) && !isArray(y)) {
    return joinedBits(c, fn, inverted);
  }
  const array = isArray(x) ? x : y;
  const two = isOfBits(array);
  if (isArray(x) && isArray(y)) {
    e.operators.sameLength(x, y, loc);
    const a = operand(c, 0, false);
    const b = operand(c, 1, false);
    const small = a.known !== null && a.known <= 32 && b.known !== null;
    let js: string;
    if (small) {
      const l = e.once(a.first);
      const r = e.once(b.first);
      const sign = fn === "andL" ? "&" : fn === "orL" ? "|" : "^";
      const plain = inverted ? `~(${l.again}${sign}${r.again})&${maskOf(a.known!)}` : `${l.again}${sign}${r.again}`;
      const tests = [
        ...(typeof x.cv === "number" || two ? [] : [`typeof ${l.again}==="number"`]),
        ...(typeof y.cv === "number" || two ? [] : [`typeof ${r.again}==="number"`]),
      ];
      const inner = `${e.rt(fn)}(${l.again},${r.again},${a.known})`;
      const long = inverted ? `${e.rt("notL")}(${inner},${a.known})` : inner;
      const before = [l, r].filter((each) => each.first !== each.again).map((each) => each.first);
      const body = tests.length ? `(${tests.join("&&")}?${plain}:${long})` : `(${plain})`;
      js = before.length ? `(${before.join(",")},${body})` : body;
    } else {
      const l = e.once(a.first);
      const r = e.once(b.first);
      const open = a.known === null || b.known === null;
      const inner = `${e.rt(fn)}(${open ? l.again : l.first},${open ? r.again : r.first},${a.known ?? a.n})`;
      js = inverted ? `${e.rt("notL")}(${inner},${a.known ?? a.n})` : inner;
      // the lengths are known once both operands are
      if (open) js = `(${l.first},${r.first},${e.rt("ln")}(${a.n},${b.n},${e.at(loc)}),${js})`;
    }
    return vector(c, a.known, a.n, js, c.as.descending);
  }
  const i = isArray(x) ? 0 : 1;
  const a = operand(c, i, false);
  const element = c.args[1 - i];
  const own = e.once(a.first);
  const all = `${e.rt("allOf")}(${two ? `${element.js}+2` : element.js},${a.n})`;
  const inner = `${e.rt(fn)}(${own.first},${all},${a.n})`;
  return vector(c, a.known, a.n, inverted ? `${e.rt("notL")}(${inner},${a.n})` : inner, c.as.descending);
}

function invert(c: CodeCall): Val {
  const { e } = c;
  const a = operand(c, 0, false);
  const two = isOfBits(c.args[0]);
  if (a.known !== null && a.known <= 32) {
    const value = e.once(a.first);
    const plain = `~${wrapped(value.again)}&${maskOf(a.known)}`;
    const js = two
      ? `(${plain})`
      : `(typeof ${value.again}==="number"?${plain}:${e.rt("notL")}(${value.again},${a.known}))`;
    return vector(c, a.known, a.n, value.first === value.again ? js : `(${value.first},${js})`, c.as.descending);
  }
  return vector(c, a.known, a.n, `${e.rt("notL")}(${a.first},${a.n})`, c.as.descending);
}

function mapped(c: CodeCall, name: string): Val {
  const { e, args } = c;
  const rows = e.rt(name === "to_x01" ? "X01" : name === "to_x01z" ? "X01Z" : "UX01");
  const { type } = c.sub.params[0].subtype;
  if (!isArray(args[0])) {
    if (type.name === "bit") return e.scalar(`(2+${args[0].js})`, c.sub.result!.type);
    return e.scalar(`${rows}[${args[0].js}]`, c.sub.result!.type);
  }
  const a = operand(c, 0, false);
  if (isOfBits(args[0])) return vector(c, a.known, a.n, a.first, c.as.descending);
  return vector(c, a.known, a.n, `${e.rt("mapL")}(${a.first},${a.n},${rows})`, c.as.descending);
}

function to01(c: CodeCall): Val {
  const { e, args } = c;
  if (!isArray(args[0]))
    return e.scalar(
      `(${e.rt("BIT")}[${args[0].js}]===2?${args[1].js}:2+${e.rt("BIT")}[${args[0].js}])`,
      c.sub.result!.type,
    );
  const a = operand(c, 0, false);
  return vector(c, a.known, a.n, `${e.rt("to01")}(${a.first},${a.n},${args[1].js})`, c.as.descending);
}

// ---- both ---------------------------------------------------------------------------------------------------------

export const logicalOperator = (op: string): Predefined => ({
  code: (call) => logical(call, op),
  circuit: (call) => {
    const { c, args, sub, loc } = call;
    if (args.length === 1) return c.operators.reduction(op, args[0], sub.result!.type, loc);
    const done = c.operators.logic2(op, args[0], args[1], sub.result!.type, loc);
    return isArray(done) ? vectorOf(call, done.e) : done;
  },
});

export const inversion: Predefined = {
  code: (call) => (isArray(call.args[0]) ? invert(call) : invertedBit(call)),
  circuit: (call) =>
    isArray(call.args[0]) ? vectorOf(call, not(call.args[0].e)) : scalarOf(call, not(call.args[0].e)),
};

/** In a circuit all bits are 0 or 1 already. */
const unchanged: Predefined["circuit"] = (call) =>
  isArray(call.args[0]) ? vectorOf(call, call.args[0].e) : scalarOf(call, call.args[0].e);

export const mappedTo = (name: "to_x01" | "to_x01z" | "to_ux01"): Predefined => ({
  code: (call) => mapped(call, name),
  circuit: unchanged,
});
export const mappedTo01: Predefined = { code: to01, circuit: unchanged };

export const hasUnknown: Predefined = {
  code: (call) => {
    const { e, args } = call;
    return isArray(args[0])
      ? e.boolean(`${e.rt("isX")}(${operand(call, 0, false).first})`)
      : e.boolean(`${e.rt("BIT")}[${args[0].js}]===2`);
  },
  circuit: ({ c, loc }) => c.operators.boolean(number(0, 1, loc)),
};
export const condition: Predefined = {
  code: ({ e, args }) => e.boolean(`${e.rt("BIT")}[${args[0].js}]===1`),
  circuit: ({ c, args }) => c.operators.boolean(args[0].e),
};

function matchCode(call: CodeCall): Val {
  const { e, args, loc, sub } = call;
  if (!isArray(args[0])) return e.scalar(`${e.rt("matchEq")}(${args[0].js},${args[1].js})`, sub.result!.type);
  const [a, b] = [operand(call, 0, false), operand(call, 1, false)];
  e.operators.sameLength(args[0], args[1], loc);
  return e.scalar(`${e.rt("matchEqL")}(${a.first},${b.first},${a.n})`, sub.result!.type);
}
/** '-' in a constant fits anything. */
export const matchingEquality = (op: "?=" | "?/="): Predefined => ({
  code: (call) => {
    if (call.as.home !== "std_logic_1164") return matchingNumbers(op)(call);
    const { js, ...equal } = matchCode(call);
    return op === "?=" ? { js, ...equal } : call.e.scalar(`${call.e.rt("NOT")}[${js}]`, call.sub.result!.type);
  },
  circuit: (call) => {
    const [a, b] = (call.as.home === "std_logic_1164" ? call : matchingOperands(call)).args;
    const test = call.c.operators.match(a, b, call.loc);
    return scalarOf(call, op === "?=" ? test : not(test));
  },
});
export const stdMatch: Predefined = {
  code: (call) => {
    const { e, args } = call;
    if (!isArray(args[0])) return e.boolean(`${e.rt("matchCode")}(${args[0].js},${args[1].js})`);
    const [a, b] = [operand(call, 0, false), operand(call, 1, false)];
    if (a.known !== null && b.known !== null && a.known !== b.known) return e.known(0, e.booleanShape);
    return e.boolean(`${e.rt("stdMatch")}(${a.first},${b.first},${a.n})`);
  },
  circuit: (call) => scalarOf(call, call.c.operators.match(call.args[0], call.args[1], call.loc)),
};
/** Of two bits: X where one is neither 0 nor 1. */
export const orderOfBits =
  (op: "?<" | "?<=" | "?>" | "?>="): Predefined["code"] =>
  ({ e, args, sub }) => {
    const [a, b] = op.startsWith("?<") ? args : [args[1], args[0]];
    const less = `${e.rt("matchLess")}(${a.js},${b.js})`;
    const js = op.endsWith("=") ? `${e.rt("OR")}[${less}*9+${e.rt("matchEq")}(${args[0].js},${args[1].js})]` : less;
    return e.scalar(js, sub.result!.type);
  };

/** The first bit of that value from one end, counted from the right; -1 if there is none (16.9.5). */
function findCircuit({ c, args: [a, b], sub, loc }: CircuitCall, fromLeft: boolean) {
  const integer: Shape = { k: "s", type: sub.result!.type, lo: null, hi: null };
  let found = c.names.whole(-1, integer, loc);
  const order = Array.from({ length: a.e.width }, (_, i) => i);
  if (!fromLeft) order.reverse();
  for (const i of order) {
    const hit = binary("eq", slice(a.e, i, 1), b.e, 1, false, loc);
    const [x, y, signed] = c.operators.aligned(c.names.whole(i, integer, loc), found);
    const e = { ...choose(hit, x, y), signed } as ModelExpr;
    found = { e, shape: integer, lo: -1, hi: Math.max(i, found.hi ?? 0) };
  }
  return found;
}
export const find = (fromLeft: boolean): Predefined => ({
  code: (call) => {
    const { e, args, sub } = call;
    const a = operand(call, 0, false);
    const value = isOfBits(args[0]) ? `${args[1].js}+2` : args[1].js;
    return e.scalar(`${e.rt("find")}(${a.first},${a.n},${value},${fromLeft})`, sub.result!.type);
  },
  circuit: (call) => findCircuit(call, fromLeft),
});
