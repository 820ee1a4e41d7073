import type { Val as CircuitVal } from "../circuit/circuit-base.ts";
import type { Val } from "../code/emit-base.ts";
import { maskOf } from "../values/values.ts";
import { type CircuitCall, type CodeCall, isArray, isOfBits, type Predefined } from "./call.ts";
import { vectorOf } from "./circuit-operands.ts";
import { asNumber, operand, vector } from "./code-operands.ts";

/** Zeros come in, whatever the vector stands for. */
const isLogicShift = (name: string): boolean => name === "sll" || name === "srl";

function shift(c: CodeCall, name: string, count = c.args[1]): Val {
  const { e, args } = c;
  const { descending } = c.as;
  const signed = c.as.anySigned && !isLogicShift(name);
  const a = operand(c, 0, signed);
  const two = isOfBits(args[0]);
  const left =
    name === "shift_left" ||
    name === "sll" ||
    name === "sla" ||
    name === "rol" ||
    name === "rotate_left" ||
    name === "shl";
  if (/^ro/.test(name))
    return vector(
      c,
      a.known,
      a.n,
      `${e.rt("rotateL")}(${a.first},${a.n},${left ? count.js : `-(${count.js})`})`,
      descending,
    );
  // to the left by less than nothing is to the right
  const fillsSign = (name === "shift_right" || name === "sra" || name === "sla" || name === "shr") && signed;
  if (typeof count.cv === "number" && count.cv >= 0 && a.known !== null && a.known <= 32 && a.known > 0) {
    const value = e.once(a.first);
    const by = Math.min(count.cv, a.known);
    const mask = a.known === 32 ? "|0" : `&${maskOf(a.known)}`;
    const plain = left
      ? by >= 32
        ? "0"
        : `(${value.again}<<${by})${mask}`
      : fillsSign
        ? `(${asNumber(value.again, a.known, true)}>>${Math.min(31, by)})${mask}`
        : by >= 32
          ? "0"
          : `(${value.again}>>>${by})|0`;
    const long = `${e.rt("shiftN")}(${value.again},${a.known},${left ? by : -by},${fillsSign})`;
    const test = typeof args[0].cv === "number" || two ? plain : `(typeof ${value.again}==="number"?${plain}:${long})`;
    return vector(c, a.known, a.n, value.first === value.again ? `(${test})` : `(${value.first},${test})`, descending);
  }
  return vector(
    c,
    a.known,
    a.n,
    `${e.rt("shiftN")}(${a.first},${a.n},${left ? count.js : `-(${count.js})`},${fillsSign})`,
    descending,
  );
}

function shiftCircuit(call: CircuitCall, name: string, by: CircuitVal): CircuitVal {
  const { c, args, as, loc } = call;
  const signed = args.some((arg, i) => isArray(arg) && as.signed(i)) && !isLogicShift(name);
  const fills = { left: "zero", right: signed ? "end" : "zero" } as const;
  return vectorOf(call, c.operators.shift(name, args[0], by, fills, loc).e);
}

export const shiftOperator = (name: string): Predefined => ({
  code: (call) => shift(call, name),
  circuit: (call) => shiftCircuit(call, name, call.args[1]),
});

/** The count is a vector without a sign (std_logic_arith). */
export const shiftByVector = (name: "shl" | "shr"): Predefined => ({
  code: (call) => {
    const { e, loc } = call;
    const count = operand(call, 1, false);
    const js = `${e.rt("toInt")}(${count.first},${count.n},false,${e.at(loc)})`;
    return shift(call, name, e.scalar(js, e.world.standard.integer));
  },
  circuit: (call) => {
    const [, { e }] = call.args;
    const hi = 2 ** Math.min(31, e.width) - 1;
    return shiftCircuit(call, name, {
      e,
      shape: { k: "s", type: call.c.world.standard.integer, lo: null, hi: null },
      lo: 0,
      hi,
    });
  },
});
