import { blockClockFalls, isClockedBlock } from "../device/blocks/registry.ts";
import { runOf } from "./blocks/running.ts";
import type { Circuit, DecodedFlipFlop } from "./decode.ts";

/** Registers and blocks that one edge of one clock takes. */
export interface ClockGroup {
  /** Its place among all groups. */
  readonly index: number;
  readonly signal: number;
  readonly falling: boolean;
  readonly flipFlops: readonly DecodedFlipFlop[];
  /** Place of its first flip-flop among all. */
  readonly first: number;
  /** Hard blocks with a clock here: number among all, and which of their clocks. */
  readonly blocks: { readonly block: number; readonly ports: number[] }[];
  /** Serial lanes with this clock, by their place among all. */
  readonly lanes: readonly number[];
}

/** Groups of all clocks; their flip-flops lie one group behind the other. */
export function groupByClock({ flipFlops, blocks }: Circuit): ClockGroup[] {
  const byKey = new Map<string, DecodedFlipFlop[]>();
  const clocks = new Map<string, { signal: number; falling: boolean }>();
  const keyOf = (signal: number, falling: boolean) => {
    const key = `${signal} ${falling}`;
    clocks.set(key, { signal, falling });
    return key;
  };
  for (const ff of flipFlops) {
    const key = keyOf(ff.clock, ff.falling);
    const list = byKey.get(key);
    if (list) list.push(ff);
    else byKey.set(key, [ff]);
  }
  const blocksByKey = new Map<string, { block: number; ports: number[] }[]>();
  blocks.forEach(({ modes, clocks: own }, block) => {
    if (runOf(modes).how !== "code" || !isClockedBlock(modes)) return;
    own.forEach((signal, port) => {
      const falling = blockClockFalls(modes, port);
      const key = keyOf(signal, falling);
      const list = blocksByKey.get(key) ?? [];
      blocksByKey.set(key, list);
      const known = list.find((each) => each.block === block);
      if (known) known.ports.push(port);
      else list.push({ block, ports: [port] });
    });
  });
  const lanesByKey = new Map<string, number[]>();
  const lanes = blocks.filter(({ modes }) => runOf(modes).how === "serial line");
  lanes.forEach(({ modes, clocks: [clock] }, i) => {
    const key = keyOf(clock, blockClockFalls(modes, 0));
    lanesByKey.set(key, [...(lanesByKey.get(key) ?? []), i]);
  });
  const groups: ClockGroup[] = [];
  let first = 0;
  for (const [key, { signal, falling }] of clocks) {
    const list = byKey.get(key) ?? [];
    groups.push({
      index: groups.length,
      signal,
      falling,
      flipFlops: list,
      first,
      blocks: blocksByKey.get(key) ?? [],
      lanes: lanesByKey.get(key) ?? [],
    });
    first += list.length;
  }
  return groups;
}
