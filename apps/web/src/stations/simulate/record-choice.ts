import type { RecordScope, ScopeEntry } from "@gate-clock/core";

/** True if a scope around this one is recorded with all that is inside it. */
export const isBelowChosen = (chosen: readonly RecordScope[], path: string): boolean =>
  chosen.some((each) => each.below && each.path !== path && (each.path === "" || path.startsWith(`${each.path}.`)));

/**
 * A scope's own signals, or all below it, are recorded or no longer. What lies inside a scope that is recorded whole
 * needs no entry of its own.
 */
export function toggleScope(chosen: readonly RecordScope[], path: string, below: boolean): RecordScope[] {
  const old = chosen.find((each) => each.path === path);
  const rest = chosen.filter((each) => each.path !== path);
  if (!old) {
    const inside = below ? rest.filter((each) => path !== "" && !each.path.startsWith(`${path}.`)) : rest;
    return [...inside, { path, below }];
  }
  // from all below to its own signals; from its own to all below; or out
  if (below) {
    if (old.below) return [...rest, { path, below: false }];
    return toggleScope(rest, path, true);
  }
  return rest;
}

export function chosenSignals(chosen: readonly RecordScope[], scopes: readonly ScopeEntry[]): number {
  const own = new Set(chosen.map((each) => each.path));
  let sum = 0;
  for (const scope of scopes) if (own.has(scope.path) || isBelowChosen(chosen, scope.path)) sum += scope.signals;
  return sum;
}
