import { blockClockCount, blockPinsOf, isClockedBlock, isOutsidePin, isThroughPin } from "../device/blocks/registry.ts";
import type { Delays } from "../device/part.ts";
import type { PackedDesign } from "../layout/layout.ts";
import { padSideOf } from "../layout/pads.ts";
import { blockOfCells, carryPin, cellKind, ffPin, isLogic, type LayoutNetlist, serialPads } from "../netlist/mapped.ts";

/**
 * Order of evaluation for timing: every LUT and carry cell after those that feed it. On a loop (a latch feeds itself) one arc is
 * left out; `brokenPins` lists those.
 */
interface TimingGraph {
  readonly netlist: LayoutNetlist;
  /** LUTs and carry cells in topological order. */
  readonly lutOrder: Int32Array;
  /** Input pin slots (indexes into `inputNet`) whose arc is left out. */
  readonly brokenPins: ReadonlySet<number>;
  /** Input pins of blocks that end a path although others of the same block pass on. */
  readonly closedPins: ReadonlySet<number>;
  /** Both: arcs that are none. */
  readonly withoutArc: ReadonlySet<number>;
  /** Data pin slots where paths end: flip-flop D, enable and synchronous reset, pins of blocks with registers, pads. */
  readonly endPins: Int32Array;
  /** [cells] 1 where a change at an input passes on to the output without a clock. */
  readonly passes: Uint8Array;
}

export function buildTimingGraph(netlist: LayoutNetlist): TimingGraph {
  const { cellCount, kind, inputStart, inputNet, netDriver } = netlist;
  const passes = new Uint8Array(cellCount);
  const blockOf = blockOfCells(netlist);
  const closedPins = new Set<number>();
  const isThrough = netlist.blocks.map(({ cell, modes, inputNames }) => {
    const through = inputNames.map((name) => isThroughPin(modes, name));
    const passes = through.includes(true);
    if (passes)
      for (let pin = 0; pin < inputStart[cell + 1] - inputStart[cell]; pin++)
        if (!through[pin]) closedPins.add(inputStart[cell] + pin);
    return passes;
  });
  for (let cell = 0; cell < cellCount; cell++)
    passes[cell] = Number(isLogic(kind[cell]) || (blockOf[cell] >= 0 && isThrough[blockOf[cell]]));
  const state = new Uint8Array(cellCount); // 1: on the way, 2: done
  const order: number[] = [];
  const brokenPins = new Set<number>();
  const stack: { cell: number; next: number }[] = [];
  for (let root = 0; root < cellCount; root++) {
    if (!passes[root] || state[root]) continue;
    stack.push({ cell: root, next: inputStart[root] });
    state[root] = 1;
    while (stack.length) {
      const top = stack[stack.length - 1];
      if (top.next === inputStart[top.cell + 1]) {
        state[top.cell] = 2;
        order.push(top.cell);
        stack.pop();
        continue;
      }
      const slot = top.next++;
      if (inputNet[slot] < 0 || closedPins.has(slot)) continue;
      const driver = netDriver[inputNet[slot]];
      if (!passes[driver]) continue;
      if (state[driver] === 1) brokenPins.add(slot);
      else if (state[driver] === 0) {
        state[driver] = 1;
        stack.push({ cell: driver, next: inputStart[driver] });
      }
    }
  }
  const endPins: number[] = [];
  const serial = serialPads(netlist);
  for (let cell = 0; cell < cellCount; cell++) {
    if (kind[cell] === cellKind.outputPad && !serial.has(cell))
      for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++)
        if (inputNet[slot] >= 0) endPins.push(slot);
    if (kind[cell] === cellKind.block) {
      const last = inputStart[cell + 1] - blockClockCount(netlist.blocks[blockOf[cell]].modes);
      const { modes, inputNames } = netlist.blocks[blockOf[cell]];
      for (let slot = inputStart[cell]; slot < last; slot++)
        if (
          inputNet[slot] >= 0 &&
          (!passes[cell] || closedPins.has(slot)) &&
          !isOutsidePin(modes.type, inputNames[slot - inputStart[cell]])
        )
          endPins.push(slot);
    }
    if (kind[cell] !== cellKind.flipFlop) continue;
    for (const pin of [ffPin.d, ffPin.enable, ffPin.reset])
      if (inputNet[inputStart[cell] + pin] >= 0) endPins.push(inputStart[cell] + pin);
  }
  const withoutArc = new Set([...brokenPins, ...closedPins]);
  return {
    netlist,
    lutOrder: Int32Array.from(order),
    brokenPins,
    closedPins,
    withoutArc,
    endPins: Int32Array.from(endPins),
    passes,
  };
}

interface ArcDelays {
  /** [input pin slots] Net delay to the pin, in ps. */
  readonly netPs: Float32Array;
  /** [input pin slots] Delay from the pin to its LUT's output. */
  readonly lutPs: Float32Array;
}

/**
 * Latest (or earliest) arrival at every cell's output. `arrival` comes in with the start points set and all others at
 * -Infinity (or +Infinity), and is filled in one pass (Kirkpatrick and Clark 1966). O(pins).
 * @param worst [cells] If given, receives the pin slot that decides each LUT's arrival, -1 where none does.
 */
export function propagate(
  graph: TimingGraph,
  delays: ArcDelays,
  arrival: Float64Array,
  latest: boolean,
  worst?: Int32Array,
): void {
  const { lutOrder, netlist, withoutArc } = graph;
  const { inputStart, inputNet, netDriver } = netlist;
  const { netPs, lutPs } = delays;
  const never = latest ? -Infinity : Infinity;
  for (let i = 0; i < lutOrder.length; i++) {
    const cell = lutOrder[i];
    // an output may also change by a clock of its own
    let best = arrival[cell];
    let from = -1;
    for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
      if (inputNet[slot] < 0 || (withoutArc.size && withoutArc.has(slot))) continue;
      const at = arrival[netDriver[inputNet[slot]]];
      if (at === never) continue;
      const here = at + netPs[slot] + lutPs[slot];
      if (latest ? here > best : here < best) {
        best = here;
        from = slot;
      }
    }
    arrival[cell] = best;
    if (worst) worst[cell] = from;
  }
}

/**
 * Criticality of every input pin, 0 to 1: how close the longest path through it comes to the longest of all, with
 * goals respected when there are any. For the cost functions of placement and routing.
 * @param startPs [cells] As from `startDelays`. @param goalPs [cells] Time that a path into the cell may take, Infinity without a goal.
 */
export function criticalities(
  graph: TimingGraph,
  delays: ArcDelays,
  startPs: Float64Array,
  goalPs: Float64Array,
  out: Float32Array,
): { worstPs: number } {
  const { netlist, lutOrder, endPins, withoutArc, closedPins, passes } = graph;
  const { cellCount, inputStart, inputNet, netDriver } = netlist;
  const { netPs, lutPs } = delays;
  const arrival = startPs.slice();
  propagate(graph, delays, arrival, true);
  let worst = 1;
  for (const slot of endPins) {
    const at = arrival[netDriver[inputNet[slot]]];
    if (at > -Infinity) worst = Math.max(worst, at + netPs[slot]);
  }
  // required times backwards; an endpoint with a tighter goal than the longest path is scaled to count as much
  const required = new Float64Array(cellCount).fill(Infinity);
  const endOwner = ownerOfSlots(netlist);
  for (const slot of endPins) {
    const goal = Math.min(worst, goalPs[endOwner[slot]]);
    const driver = netDriver[inputNet[slot]];
    required[driver] = Math.min(required[driver], goal - netPs[slot]);
  }
  for (let i = lutOrder.length - 1; i >= 0; i--) {
    const cell = lutOrder[i];
    if (required[cell] === Infinity) continue;
    for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
      if (inputNet[slot] < 0 || (withoutArc.size && withoutArc.has(slot))) continue;
      const driver = netDriver[inputNet[slot]];
      required[driver] = Math.min(required[driver], required[cell] - netPs[slot] - lutPs[slot]);
    }
  }
  let least = 0;
  const slackOf = (slot: number): number => {
    const cell = endOwner[slot];
    const at = arrival[netDriver[inputNet[slot]]];
    if (at === -Infinity) return Infinity;
    if (passes[cell] && !closedPins.has(slot)) return required[cell] - lutPs[slot] - netPs[slot] - at;
    return Math.min(worst, goalPs[cell]) - netPs[slot] - at;
  };
  for (let slot = 0; slot < inputNet.length; slot++) {
    if (inputNet[slot] < 0) continue;
    const slack = slackOf(slot);
    out[slot] = slack;
    if (slack < least) least = slack;
  }
  const span = worst - least;
  for (let slot = 0; slot < inputNet.length; slot++) {
    if (inputNet[slot] < 0) out[slot] = 0;
    else out[slot] = out[slot] === Infinity ? 0 : Math.max(0, Math.min(1, 1 - (out[slot] - least) / span));
  }
  return { worstPs: worst };
}

/** [cells] When each output changes after its clock, or 0 for input pads; -Infinity for what only passes on. */
export function startDelays(netlist: LayoutNetlist, delays: Delays): Float64Array {
  const { kind } = netlist;
  const start = new Float64Array(netlist.cellCount).fill(-Infinity);
  const blockOf = blockOfCells(netlist);
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (kind[cell] === cellKind.flipFlop) start[cell] = delays.clockToOutputPs;
    else if (kind[cell] === cellKind.inputPad) start[cell] = 0;
    else if (kind[cell] === cellKind.blockOutput) {
      const { modes } = netlist.blocks[blockOf[cell]];
      if (isClockedBlock(modes))
        start[cell] = delays.blockClockPs(modes, blockPinsOf(delays.family, modes).outputs[netlist.modes[cell]]);
    }
  }
  return start;
}

/** Fills in the arcs through carry cells and blocks, which no routing changes. @param lutPs [input pin slots] */
export function setFixedArcs(netlist: LayoutNetlist, delays: Delays, lutPs: Float32Array): void {
  const { kind, inputStart } = netlist;
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (kind[cell] === cellKind.carrySum) lutPs.fill(delays.carrySumPs, inputStart[cell], inputStart[cell + 1]);
    if (kind[cell] === cellKind.blockOutput) lutPs[inputStart[cell]] = 0;
    if (kind[cell] !== cellKind.carryMux) continue;
    lutPs.fill(delays.carryEntryPs, inputStart[cell], inputStart[cell + 1]);
    lutPs[inputStart[cell] + carryPin.carryIn] = delays.carryPs;
  }
  for (const { cell, modes } of netlist.blocks) {
    blockPinsOf(delays.family, modes).inputs.forEach((name, pin) => {
      if (isThroughPin(modes, name)) lutPs[inputStart[cell] + pin] = delays.blockThroughPs(modes, name);
    });
  }
}

/** Pin slots whose connection never leaves the elements and pads: carry links, and flip-flops fed by their own. */
export function internalSlots(
  netlist: LayoutNetlist,
  packed: Pick<PackedDesign, "elementFf" | "elementJoined" | "cellPad">,
): Uint8Array {
  const { kind, inputStart } = netlist;
  const internal = new Uint8Array(netlist.inputNet.length);
  const serial = serialPads(netlist);
  for (const { cell, modes, inputNames } of netlist.blocks)
    inputNames.forEach((name, pin) => {
      if (isOutsidePin(modes.type, name)) internal[inputStart[cell] + pin] = 1;
    });
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (kind[cell] === cellKind.blockOutput) internal[inputStart[cell]] = 1;
    // what a pad's own register takes from the pin, or gives to it
    if (padSideOf(netlist, packed, cell) === "input") internal[inputStart[cell] + ffPin.d] = 1;
    if (serial.has(cell) && kind[cell] === cellKind.outputPad) internal[inputStart[cell]] = 1;
    if (kind[cell] === cellKind.outputPad) {
      const driver = netlist.netDriver[netlist.inputNet[inputStart[cell]]];
      if (padSideOf(netlist, packed, driver) === "output") internal[inputStart[cell]] = 1;
    }
    if (kind[cell] !== cellKind.carrySum && kind[cell] !== cellKind.carryMux) continue;
    internal[inputStart[cell] + carryPin.p] = 1;
    internal[inputStart[cell] + carryPin.carryIn] = 1;
  }
  packed.elementFf.forEach((ff, e) => {
    if (ff >= 0 && packed.elementJoined[e]) internal[inputStart[ff] + ffPin.d] = 1;
  });
  return internal;
}

/** [input pin slots] Cell of each pin slot. */
export function ownerOfSlots(netlist: LayoutNetlist): Int32Array {
  const owner = new Int32Array(netlist.inputNet.length);
  for (let cell = 0; cell < netlist.cellCount; cell++)
    owner.fill(cell, netlist.inputStart[cell], netlist.inputStart[cell + 1]);
  return owner;
}
