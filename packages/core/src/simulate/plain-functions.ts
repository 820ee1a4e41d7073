import type { DesignModel, Signal, Subroutine } from "../elaborate/model.ts";
import { isAssignedFirst } from "./private-variables.ts";
import { targetsOf } from "./views.ts";
import { calledBy, eachNode, hasTasks, replaceSignals } from "./walk-body.ts";

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
    let leavesEarly = false;
    eachNode(body, (node) => {
      if (node.op === "return" || node.op === "disable") leavesEarly = true;
    });
    if (leavesEarly) continue;
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
  const visit = (tree: unknown, within: Subroutine | null) =>
    eachNode(tree, (node) => {
      if (node.signal) note(node.signal as Signal, within);
      if (node.op === "arraycopy") note(node.from as Signal, within);
    });
  for (const process of design.processes) {
    visit(process.body, null);
    visit(process.events, null);
    targetsOf(process.body, (target) => {
      for (const part of target.parts) note(part.signal, null);
    });
  }
  for (const assign of design.assigns) visit(assign.value, null);
  for (const sub of design.subroutines) {
    visit(sub.body, sub);
    targetsOf(sub.body, (target) => {
      for (const part of target.parts) note(part.signal, sub);
    });
  }
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
