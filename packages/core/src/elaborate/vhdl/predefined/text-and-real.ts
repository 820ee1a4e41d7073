import { quoted } from "../../../common/generated-code.ts";
import type { Val } from "../code/emit-base.ts";
import { type CodeCall, isOfBits, type Predefined } from "./call.ts";
import { operand } from "./code-operands.ts";

const textOf = (c: CodeCall, i: number): string => c.e.plainText(c.args[i]);

function stringOf(c: CodeCall): Val {
  const { e, args } = c;
  const first = c.sub.params[0].subtype.type;
  if (args.length === 2) {
    const second = c.sub.params[1].subtype.type;
    if (first.kind === "physical") return e.str(`${e.rt("timeText")}(${args[0].js},${args[1].js})`);
    if (second === e.world.standard.string) return e.str(`${e.rt("formatReal")}(${args[0].js},${textOf(c, 1)})`);
    return e.str(`${e.rt("fixed")}(${args[0].js},${args[1].js})`);
  }
  if (first.kind === "physical" && first.isTime) return e.str(`${e.rt("timeString")}(${args[0].js})`);
  return e.attributes.toText(args[0], first);
}

function mathReal(c: CodeCall, name: string): Val {
  const { e, args, loc, sub } = c;
  const { type } = sub.result!;
  const [x, y] = args.map((arg) => arg.js);
  const at = e.at(loc);
  const real = (js: string): Val => e.scalar(js, type);
  const checked = (ok: (v: string) => string, js: (v: string) => string): Val => {
    const { first, again } = e.once(x);
    return real(`${e.rt("domain")}((${first},${ok(again)}),${js(again)},${quoted(name)},${at})`);
  };
  switch (name) {
    case "sign":
      return real(`Math.sign(${x})`);
    case "ceil":
    case "floor":
    case "trunc":
    case "exp":
    case "sin":
    case "cos":
    case "tan":
    case "cbrt":
    case "sinh":
    case "cosh":
    case "tanh":
      return real(`Math.${name}(${x})`);
    case "round":
      return real(`${e.rt("round")}(${x})`);
    case "sqrt":
      return checked(
        (v) => `${v}>=0`,
        (v) => `Math.sqrt(${v})`,
      );
    case "log":
      if (args.length === 2)
        return checked(
          (v) => `${v}>0`,
          (v) => `Math.log(${v})/Math.log(${y})`,
        );
      return checked(
        (v) => `${v}>0`,
        (v) => `Math.log(${v})`,
      );
    case "log2":
    case "log10":
      return checked(
        (v) => `${v}>0`,
        (v) => `Math.${name}(${v})`,
      );
    case "arcsin":
      return checked(
        (v) => `Math.abs(${v})<=1`,
        (v) => `Math.asin(${v})`,
      );
    case "arccos":
      return checked(
        (v) => `Math.abs(${v})<=1`,
        (v) => `Math.acos(${v})`,
      );
    case "arctan":
      return real(args.length === 2 ? `Math.atan2(${x},${y})` : `Math.atan(${x})`);
    case "arcsinh":
      return real(`Math.asinh(${x})`);
    case "arccosh":
      return checked(
        (v) => `${v}>=1`,
        (v) => `Math.acosh(${v})`,
      );
    case "arctanh":
      return checked(
        (v) => `Math.abs(${v})<1`,
        (v) => `Math.atanh(${v})`,
      );
    case "mod":
      return real(`${e.rt("realMod")}(${x},${y})`);
    case "realmax":
      return real(`Math.max(${x},${y})`);
    case "realmin":
      return real(`Math.min(${x},${y})`);
    default:
      return real(`(${x}**${y})`);
  }
}

export const text: Predefined = { code: stringOf, circuit: null };
/** @param bits Bits of a digit. */
export const digits = (bits: 3 | 4): Predefined => ({
  code: (call) => {
    const { e, args } = call;
    const a = operand(call, 0, false);
    return e.str(`${e.rt("digits")}(${a.first},${a.n},${!isOfBits(args[0])},${bits})`);
  },
  circuit: null,
});
export const justify: Predefined = {
  code: (call) => call.e.str(`${call.e.rt("justify")}(${textOf(call, 0)},${call.args[1].js},${call.args[2].js})`),
  circuit: null,
};
export const realFunction = (name: string): Predefined => ({ code: (call) => mathReal(call, name), circuit: null });
