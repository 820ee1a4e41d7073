import type { SourceFile } from "../common/source.ts";
import { prepareModel } from "./simulate.ts";

/** A scope of an elaborated design that has signals, for choosing what to record. */
export interface ScopeEntry {
  /** Without the top's name; empty for the top. */
  readonly path: string;
  /** What it is an instance of; null for a generate block or a named block. */
  readonly module: string | null;
  /** Its own signals, without those of scopes inside it. */
  readonly signals: number;
}

/** Scopes in the order of the hierarchy, each before those inside it. Empty if the text has errors. */
export function listScopes(files: readonly SourceFile[], top: string | undefined): ScopeEntry[] {
  const { design, vhdl } = prepareModel(files, top);
  if (!design) return [];
  const scopes = new Map<string, { module: string | null; signals: number }>([
    ["", { module: design.top.module, signals: 0 }],
  ]);
  const enter = (path: string) => {
    const known = scopes.get(path);
    if (known) return known;
    const dot = path.lastIndexOf(".");
    enter(dot < 0 ? "" : path.slice(0, dot));
    const made = { module: null, signals: 0 };
    scopes.set(path, made);
    return made;
  };
  for (const signal of [...design.signals, ...(vhdl?.shown() ?? []).map((shown) => shown.signal)]) {
    if (signal.automatic || signal.instance.kind === "package") continue;
    const inside = signal.name.length - signal.plainName.length - 1;
    const path = inside > 0 ? signal.name.slice(0, inside) : "";
    const scope = enter(path);
    scope.signals++;
    if (signal.instance.path === (path ? `${design.top.path}.${path}` : design.top.path))
      scope.module = signal.instance.module;
  }
  const order = [...scopes].sort(([x], [y]) => compare(x.split("."), y.split(".")));
  return order.map(([path, scope]) => ({ path, ...scope }));
}

const collator = new Intl.Collator("en", { numeric: true });

function compare(x: readonly string[], y: readonly string[]): number {
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const order = collator.compare(x[i], y[i]);
    if (order) return order;
  }
  return x.length - y.length;
}
