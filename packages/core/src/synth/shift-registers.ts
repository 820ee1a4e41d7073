import type { BitGraph, StateBit } from "./blast.ts";

/** Registers that hand one value on, one after the other, with the same clock, enable and reset. */
interface ShiftRegister {
  /** Word-level cell of the last one. */
  readonly cell: number;
  readonly length: number;
}

const shortest = 4;

/** Longest chains of registers whose data is just the register before. */
export function findShiftRegisters(graph: BitGraph): ShiftRegister[] {
  const control = (state: StateBit) =>
    `${state.clock} ${state.clockRising} ${state.enable} ${state.reset} ${state.asyncReset}`;
  const byNode = new Map(graph.states.filter((state) => !state.isLatch).map((state) => [state.qNode, state]));
  const before = new Map<StateBit, StateBit>();
  const follows = new Set<StateBit>();
  for (const state of byNode.values()) {
    const from = state.d > 1 && !(state.d & 1) ? byNode.get(state.d >> 1) : undefined;
    if (!from || from === state || control(from) !== control(state)) continue;
    before.set(state, from);
    follows.add(from);
  }
  const found: ShiftRegister[] = [];
  for (const state of byNode.values()) {
    if (follows.has(state) || !before.has(state)) continue;
    let length = 1;
    const seen = new Set([state]);
    for (let at = before.get(state); at && !seen.has(at); at = before.get(at)) {
      seen.add(at);
      length++;
    }
    if (length >= shortest) found.push({ cell: state.cell, length });
  }
  return found;
}
