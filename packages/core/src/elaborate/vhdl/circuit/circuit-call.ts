import type { Expr } from "../bound.ts";
import { predefinedCircuit } from "../predefined/functions.ts";
import type { CircuitWriter } from "./circuit.ts";
import type { Val } from "./circuit-base.ts";

/** Calls of functions: those of the design are written out, those of the packages have circuits of their own. */
export class CircuitCall {
  constructor(private readonly host: CircuitWriter) {}

  call(e: Expr & { op: "call" }): Val {
    const { sub, loc } = e;
    const { host } = this;
    if (!sub.native || sub.body) return host.subprograms.invoke(sub, e.args, loc) ?? host.refuse(loc, `'${sub.name}'`);
    const args = sub.params.map((_, i) => {
      const arg = e.args[i] ?? sub.defaults[i];
      return arg ? host.names.plain(host.values.expr(arg), arg.loc) : host.refuse(loc, `'${sub.name}'`);
    });
    const [home] = sub.native.split(".", 1);
    return predefinedCircuit(host, sub, args, loc) ?? host.refuse(loc, `'${sub.name.replaceAll('"', "")}' of ${home}`);
  }
}
