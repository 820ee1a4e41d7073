import type { DesignModel, Expr, Instance, PortBinding, Signal, Stmt, Target } from "../../elaborate/model.ts";
import { targetsOf } from "../../elaborate/walk.ts";

/** Which signals are stretches of others, and which port connections are left as assignments. */
export interface Views {
  readonly views: Map<Signal, { base: Signal; offset: number }>;
  /** Connections that need a process of their own. */
  readonly bindings: { readonly binding: PortBinding; readonly instance: Instance }[];
  /** Signals that some `force` or procedural `assign` names. */
  readonly forced: Set<Signal>;
}

/**
 * Ports are mostly the same wire under two names. Where both sides have the same width and nothing else drives the one,
 * it becomes a view of the other, so that a value crosses the hierarchy without any event.
 */
export function findViews(design: DesignModel): Views {
  const views: Views["views"] = new Map();
  const bindings: Views["bindings"] = [];
  const drivers = new Map<Signal, number>();
  const forced = new Set<Signal>();
  const count = (target: Target | null) => {
    for (const part of target?.parts ?? []) drivers.set(part.signal, (drivers.get(part.signal) ?? 0) + 1);
  };
  for (const assign of design.assigns) count(assign.target);
  const all: { binding: PortBinding; instance: Instance }[] = [];
  const walk = (instance: Instance) => {
    for (const child of instance.children) {
      for (const binding of child.bindings) {
        all.push({ binding, instance: child });
        count(binding.target);
      }
      walk(child);
    }
  };
  walk(design.top);
  const visit = (stmt: Stmt) =>
    targetsOf(stmt, (target, force) => {
      count(target);
      if (force) for (const part of target.parts) forced.add(part.signal);
    });
  for (const process of design.processes) visit(process.body);
  for (const sub of design.subroutines) visit(sub.body);

  const rootOf = (signal: Signal): Signal => {
    let at = signal;
    for (let view = views.get(at); view; view = views.get(at)) at = view.base;
    return at;
  };
  const view = (inner: Signal, base: Signal, offset: number): boolean => {
    if (views.has(inner) || rootOf(base) === inner || inner.type.kind !== "integral" || base.type.kind !== "integral")
      return false;
    if (offset < 0 || offset + inner.width > base.width || base.automatic) return false;
    views.set(inner, { base, offset });
    return true;
  };
  for (const join of design.joins) if (!view(join.inner, join.outer, join.offset)) view(join.outer, join.inner, 0);
  for (const { binding, instance } of all) {
    const { port, value, target } = binding;
    let done = false;
    if (value && port.direction === "input" && !drivers.get(port) && !forced.has(port)) {
      const plain = stretch(value);
      done = plain !== null && value.width === port.width && !value.form && view(port, plain.signal, plain.offset);
    } else if (target && port.direction === "output" && target.parts.length === 1) {
      const [part] = target.parts;
      const simple =
        part.index.length === 0 && typeof part.offset === "number" && target.width === port.width && !target.form;
      if (simple && !forced.has(port) && !forced.has(part.signal)) {
        if (port.kind === "net") done = view(port, part.signal, part.offset as number);
        else if (
          part.width === part.signal.width &&
          drivers.get(part.signal) === 1 &&
          part.signal.fourState === port.fourState
        )
          done = view(part.signal, port, 0);
      }
    }
    if (!done && (value || target)) bindings.push({ binding, instance });
  }
  return { views, bindings, forced };
}

function stretch(expr: Expr): { signal: Signal; offset: number } | null {
  if (expr.op === "signal" && expr.signal.dims.length === 0) return { signal: expr.signal, offset: 0 };
  if (expr.op === "slice" && expr.arg.op === "signal" && expr.lsb >= 0)
    return { signal: expr.arg.signal, offset: expr.lsb };
  return null;
}
