import type { DelayModel, Expr, Instance, Signal, Target } from "../model.ts";
import type { Elaboration } from "./elaboration.ts";

/**
 * Delays that nets are declared with (IEEE 1364-2005 clause 7.14): whatever drives such a net drives a hidden one, which
 * resolves its drivers; the net itself follows that one after its delay.
 */
export function delayNets(design: Elaboration): void {
  const { netDelays } = design;
  if (netDelays.size === 0) return;
  const driven = new Map<Signal, Signal>();
  const moved = (target: Target): Target => ({
    ...target,
    parts: target.parts.map((part) => {
      const to = driven.get(part.signal);
      return to ? { ...part, signal: to } : part;
    }),
  });
  for (const [signal, { delay, scope }] of netDelays) {
    const net = decays(signal, delay) ? "wire" : signal.net;
    const hidden = design.newSignal(`${signal.plainName}:driven`, signal.loc, scope, {
      type: signal.type,
      kind: "net",
      net,
    });
    driven.set(signal, hidden);
  }
  const isMoved = (target: Target | null): target is Target =>
    target?.parts.some((part) => driven.has(part.signal)) ?? false;
  for (const [i, assign] of design.assigns.entries())
    if (isMoved(assign.target)) design.assigns[i] = { ...assign, target: moved(assign.target) };
  const visit = (instance: Instance): void => {
    for (const [i, binding] of instance.bindings.entries())
      if (isMoved(binding.target)) instance.bindings[i] = { ...binding, target: moved(binding.target) };
    for (const child of instance.children) visit(child);
  };
  for (const { scope } of netDelays.values()) {
    let root = scope.instance;
    while (root.parent) root = root.parent;
    visit(root);
    break;
  }
  for (const [signal, { delay, scope }] of netDelays) {
    let from = driven.get(signal)!;
    const { width, signed, loc } = signal;
    const read = (of: Signal): Expr => ({ op: "signal", signal: of, width, signed, loc });
    const follow = (to: Signal, value: Expr, by: DelayModel | null) =>
      design.assigns.push({
        target: { parts: [{ signal: to, width, index: [], offset: 0, loc }], width, loc },
        value,
        delay: by,
        strength: null,
        instance: scope.instance,
        loc,
      });
    design.noteRead(from);
    if (!decays(signal, delay)) {
      follow(signal, read(from), delay);
      continue;
    }
    // the charge lasts as long as the turn-off takes; then z, which is x on a net that has lost its charge
    const held = design.newSignal(`${signal.plainName}:held`, loc, scope, {
      type: signal.type,
      kind: "net",
      net: "wire",
    });
    follow(held, read(from), delay);
    design.noteRead(held);
    from = held;
    const make = { operandSigned: false, width, signed, loc };
    follow(signal, { op: "binary", kind: "and", left: read(from), right: read(from), ...make }, null);
    Object.assign(signal, { net: "wire" });
  }
}

/** A third delay of a `trireg` is the time after which its charge is lost (clause 7.14.2.2). */
const decays = (signal: Signal, delay: DelayModel): boolean => signal.net === "trireg" && delay.values.length === 3;
