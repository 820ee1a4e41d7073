import type { Loc } from "../../../common/source.ts";
import type { Subprogram } from "../bound.ts";
import type { CircuitWriter } from "../circuit/circuit.ts";
import type { Val as CircuitVal } from "../circuit/circuit-base.ts";
import type { Val as CodeVal } from "../code/emit-base.ts";
import type { UnitEmitter } from "../code/unit-emitter.ts";
import { arithmeticOperator, comparisonOperator, extremeFunction, matchingOrder } from "./arithmetic.ts";
import {
  condition,
  find,
  hasUnknown,
  inversion,
  logicalOperator,
  mappedTo,
  mappedTo01,
  matchingEquality,
  orderOfBits,
  stdMatch,
} from "./bits.ts";
import { type CodeCall, type Predefined, readingOf } from "./call.ts";
import { after, lookedAtOnce, operand } from "./code-operands.ts";
import {
  converted,
  extended,
  fromWhole,
  resizing,
  toBit,
  toBits,
  toLogic,
  toLogicVector,
  toWhole,
} from "./conversions.ts";
import { shiftByVector, shiftOperator } from "./shifts.ts";
import { digits, justify, realFunction, text } from "./text-and-real.ts";

/**
 * Functions that the packages of `std` and `ieee` declare without a body (IEEE 1076-2008 clause 16): how each of them
 * runs, and its circuit.
 */

const named = (names: string, make: (name: string) => Predefined): Record<string, Predefined> =>
  Object.fromEntries(names.split(" ").map((name) => [name, make(name)]));

const orderMatching = (op: "<" | "<=" | ">" | ">="): Predefined => {
  const ofNumbers = matchingOrder(op);
  return {
    code: (call) => (call.as.home === "std_logic_1164" ? orderOfBits(`?${op}`)(call) : ofNumbers.code(call)),
    circuit: ofNumbers.circuit,
  };
};
/** Edges are code of the process that waits for them; a circuit has them as its clock. */
const edge: Predefined = {
  code: ({ e, sub, loc }) => {
    e.error("library", loc, `'${sub.name}' takes a signal.`, "Name the signal itself.");
    return e.known(0, e.booleanShape);
  },
  circuit: ({ c, loc }) =>
    c.refuse(loc, "An edge in this place", "Write 'if rising_edge(clk) then' around all that the clock does."),
};

const ofLogic: Readonly<Record<string, Predefined>> = {
  ...named("and or xor nand nor xnor", logicalOperator),
  ...named("+ - * / mod rem abs", arithmeticOperator),
  ...named("sll srl sla sra rol ror shift_left shift_right rotate_left rotate_right", shiftOperator),
  "=": comparisonOperator("="),
  "/=": comparisonOperator("/="),
  "<": comparisonOperator("<"),
  "<=": comparisonOperator("<="),
  ">": comparisonOperator(">"),
  ">=": comparisonOperator(">="),
  "?=": matchingEquality("?="),
  "?/=": matchingEquality("?/="),
  "?<": orderMatching("<"),
  "?<=": orderMatching("<="),
  "?>": orderMatching(">"),
  "?>=": orderMatching(">="),
  "??": condition,
  not: inversion,
  minimum: extremeFunction("minimum"),
  maximum: extremeFunction("maximum"),
  shl: shiftByVector("shl"),
  shr: shiftByVector("shr"),
  std_match: stdMatch,
  find_leftmost: find(true),
  find_rightmost: find(false),
  is_x: hasUnknown,
  to_01: mappedTo01,
  to_x01: mappedTo("to_x01"),
  to_x01z: mappedTo("to_x01z"),
  to_ux01: mappedTo("to_ux01"),
  resize: resizing,
  to_integer: toWhole,
  conv_integer: toWhole,
  to_unsigned: fromWhole,
  to_signed: fromWhole,
  ...named("conv_unsigned conv_signed conv_std_logic_vector", () => converted),
  ext: extended(false),
  sxt: extended(true),
  to_bit: toBit,
  to_bitvector: toBits,
  to_stdulogic: toLogic,
  to_stdlogicvector: toLogicVector,
  to_stdulogicvector: toLogicVector,
  rising_edge: edge,
  falling_edge: edge,
  to_string: text,
  to_hstring: digits(4),
  to_ostring: digits(3),
  now: { code: ({ e, sub }) => e.scalar("E.now", sub.result!.type), circuit: null },
  resolved: {
    code: (call) => {
      const a = operand(call, 0, false);
      return call.e.scalar(`${call.e.rt("resolveAll")}(${a.first},${a.n})`, call.sub.result!.type);
    },
    circuit: null,
  },
};

const ofReals = named(
  "sign ceil floor trunc round sqrt cbrt exp log log2 log10 sin cos tan arcsin arccos arctan sinh cosh tanh arcsinh arccosh arctanh mod realmax realmin **",
  realFunction,
);

const others: Readonly<Record<string, Readonly<Record<string, Predefined>>>> = {
  math_real: ofReals,
  env: {
    resolution_limit: {
      code: ({ e, sub }) => e.known(1, e.shapes.plainShape(sub.result!.type)),
      circuit: null,
    },
  },
  textio: { justify },
};

/** @param native The package and the function: "numeric_std.resize". */
export function predefinedFunction(native: string): Predefined | null {
  const home = native.split(".", 1)[0];
  const name = native.slice(home.length + 1);
  const list = others[home] ?? (/^(standard$|numeric_|std_logic_)/.test(home) ? ofLogic : {});
  return Object.hasOwn(list, name) ? list[name] : null;
}

/** Code of a call of a function without a body; null if there is no such function. */
export function predefinedCode(e: UnitEmitter, sub: Subprogram, args: readonly CodeVal[], loc: Loc): CodeVal | null {
  const found = predefinedFunction(sub.native!);
  if (!found) return null;
  const call: CodeCall = { e, sub, args, loc, as: readingOf(sub) };
  // a length that only the run knows is asked for before the vector itself, and more than once
  const isOpen = args.some(({ shape, cv }) => shape.k === "a" && shape.dims === null && cv === undefined);
  if (!isOpen) return found.code(call);
  const { call: ready, before } = lookedAtOnce(call);
  const made = found.code(ready);
  return { ...made, js: after(before, made.js) };
}

/** Its circuit; null if it has none. */
export function predefinedCircuit(
  c: CircuitWriter,
  sub: Subprogram,
  args: readonly CircuitVal[],
  loc: Loc,
): CircuitVal | null {
  return predefinedFunction(sub.native!)?.circuit?.({ c, sub, args, loc, as: readingOf(sub) }) ?? null;
}
