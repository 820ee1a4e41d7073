import type { DesignModel, Signal, Subroutine } from "../../elaborate/model.ts";
import { someStmt, walkDesign } from "../../elaborate/walk.ts";
import { isAssignedFirst } from "./private-variables.ts";
import { calledBy, hasTasks, replaceSignals } from "./walk-body.ts";

/**
 * Static functions whose variables are assigned before they are read, in every call: what an earlier call has left in
 * them does not matter, and they can be run as automatic ones, with variables of JavaScript.
 *
 * @param makeLocal A variable that lives in compiled code only.
 * @returns The functions as they are to be compiled, by what they replace.
 */
export function plainFunctions(
  design: DesignModel,
  makeLocal: (like: Signal) => Signal,
): ReadonlyMap<Subroutine, Subroutine> {
  const owner = new Map<Signal, Subroutine>();
  for (const sub of design.subroutines) {
    const { task, automatic, suspends, result, args, locals, body } = sub;
    if (task || automatic || suspends || !result || args.some((arg) => arg.direction !== "input")) continue;
    if (calledBy(body).has(sub) || hasTasks(body)) continue;
    const own = new Set([result, ...args.map((arg) => arg.signal), ...locals.filter((local) => !local.automatic)]);
    if ([...own].some((signal) => signal.dims.length || signal.type.kind !== "integral" || signal.init)) continue;
    if (someStmt(body, ({ op }) => op === "return" || op === "disable")) continue;
    const given = new Set(args.map((arg) => arg.signal));
    const isLost = (signal: Signal) => given.has(signal) || isAssignedFirst(body, signal) !== "read";
    if (isAssignedFirst(body, result) !== "assigned" || ![...own].every(isLost)) continue;
    for (const signal of own) owner.set(signal, sub);
  }
  // somebody else may look into a function by a hierarchical name
  const looked = new Set<Subroutine>();
  const note = (signal: Signal, within: Subroutine | null) => {
    const sub = owner.get(signal);
    if (sub && sub !== within) looked.add(sub);
  };
  walkDesign(design, (place) => {
    const within = place && "result" in place ? place : null;
    return {
      expr: (expr) => {
        if (expr.op === "signal" || expr.op === "element") note(expr.signal, within);
      },
      target: ({ parts }) => {
        for (const part of parts) note(part.signal, within);
      },
      array: (signal) => note(signal, within),
      stmt: (stmt) => {
        if (stmt.op === "trigger") note(stmt.signal, within);
      },
    };
  });
  const plain = new Map<Subroutine, Subroutine>();
  for (const sub of new Set(owner.values())) {
    if (looked.has(sub)) continue;
    const by = new Map<Signal, Signal>();
    for (const [signal, its] of owner) if (its === sub) by.set(signal, makeLocal(signal));
    plain.set(sub, {
      ...sub,
      automatic: true,
      args: sub.args.map((arg) => ({ ...arg, signal: by.get(arg.signal)! })),
      result: by.get(sub.result!)!,
      locals: sub.locals.map((local) => by.get(local) ?? local),
      body: replaceSignals(sub.body, by),
    });
  }
  return plain;
}
