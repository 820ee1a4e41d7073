import type { Delays } from "../device/part.ts";
import { carryPin, cellKind, ffPin, isLogic, type MappedNetlist } from "../netlist/mapped.ts";

/**
 * Order of evaluation for timing: every LUT and carry cell after those that feed it. On a loop (a latch feeds itself) one arc is
 * left out; `brokenPins` lists those.
 */
export interface TimingGraph {
  readonly netlist: MappedNetlist;
  /** LUTs and carry cells in topological order. */
  readonly lutOrder: Int32Array;
  /** Input pin slots (indexes into `inputNet`) whose arc is left out. */
  readonly brokenPins: ReadonlySet<number>;
  /** Data pin slots where paths end: flip-flop D, enable and synchronous reset, and output pads. */
  readonly endPins: Int32Array;
}

export function buildTimingGraph(netlist: MappedNetlist): TimingGraph {
  const { cellCount, kind, inputStart, inputNet, netDriver } = netlist;
  const state = new Uint8Array(cellCount); // 1: on the way, 2: done
  const order: number[] = [];
  const brokenPins = new Set<number>();
  const stack: { cell: number; next: number }[] = [];
  for (let root = 0; root < cellCount; root++) {
    if (!isLogic(kind[root]) || state[root]) continue;
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
      if (inputNet[slot] < 0) continue;
      const driver = netDriver[inputNet[slot]];
      if (!isLogic(kind[driver])) continue;
      if (state[driver] === 1) brokenPins.add(slot);
      else if (state[driver] === 0) {
        state[driver] = 1;
        stack.push({ cell: driver, next: inputStart[driver] });
      }
    }
  }
  const endPins: number[] = [];
  for (let cell = 0; cell < cellCount; cell++) {
    if (kind[cell] === cellKind.outputPad) endPins.push(inputStart[cell]);
    if (kind[cell] !== cellKind.flipFlop) continue;
    for (const pin of [ffPin.d, ffPin.enable, ffPin.reset])
      if (inputNet[inputStart[cell] + pin] >= 0) endPins.push(inputStart[cell] + pin);
  }
  return { netlist, lutOrder: Int32Array.from(order), brokenPins, endPins: Int32Array.from(endPins) };
}

export interface ArcDelays {
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
  const { lutOrder, netlist, brokenPins } = graph;
  const { inputStart, inputNet, netDriver } = netlist;
  const { netPs, lutPs } = delays;
  const never = latest ? -Infinity : Infinity;
  for (let i = 0; i < lutOrder.length; i++) {
    const cell = lutOrder[i];
    let best = never;
    let from = -1;
    for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
      if (inputNet[slot] < 0 || (brokenPins.size && brokenPins.has(slot))) continue;
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
 * @param goalPs [cells] Time that a path into the cell may take, Infinity without a goal.
 */
export function criticalities(
  graph: TimingGraph,
  delays: ArcDelays,
  clockToOutputPs: number,
  goalPs: Float64Array,
  out: Float32Array,
): { worstPs: number } {
  const { netlist, lutOrder, endPins, brokenPins } = graph;
  const { cellCount, kind, inputStart, inputNet, netDriver } = netlist;
  const { netPs, lutPs } = delays;
  const arrival = new Float64Array(cellCount).fill(-Infinity);
  for (let cell = 0; cell < cellCount; cell++) {
    if (kind[cell] === cellKind.flipFlop) arrival[cell] = clockToOutputPs;
    else if (kind[cell] === cellKind.inputPad) arrival[cell] = 0;
    else if (kind[cell] === cellKind.lut && inputStart[cell] === inputStart[cell + 1]) arrival[cell] = -Infinity;
  }
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
      if (inputNet[slot] < 0 || (brokenPins.size && brokenPins.has(slot))) continue;
      const driver = netDriver[inputNet[slot]];
      required[driver] = Math.min(required[driver], required[cell] - netPs[slot] - lutPs[slot]);
    }
  }
  let least = 0;
  const slackOf = (slot: number): number => {
    const cell = endOwner[slot];
    const at = arrival[netDriver[inputNet[slot]]];
    if (at === -Infinity) return Infinity;
    if (isLogic(kind[cell])) return required[cell] - lutPs[slot] - netPs[slot] - at;
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

/** Fills in the arcs through carry cells, which no routing changes. @param lutPs [input pin slots] */
export function setCarryArcs(netlist: MappedNetlist, delays: Delays, lutPs: Float32Array): void {
  const { kind, inputStart } = netlist;
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (kind[cell] === cellKind.carrySum) lutPs.fill(delays.carrySumPs, inputStart[cell], inputStart[cell + 1]);
    if (kind[cell] !== cellKind.carryMux) continue;
    lutPs.fill(delays.carryEntryPs, inputStart[cell], inputStart[cell + 1]);
    lutPs[inputStart[cell] + carryPin.carryIn] = delays.carryPs;
  }
}

/** Pin slots whose connection never leaves the elements: carry links, and flip-flops fed by their own element. */
export function internalSlots(
  netlist: MappedNetlist,
  packed: { readonly elementFf: Int32Array; readonly elementJoined: Uint8Array },
): Uint8Array {
  const { kind, inputStart } = netlist;
  const internal = new Uint8Array(netlist.inputNet.length);
  for (let cell = 0; cell < netlist.cellCount; cell++) {
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
export function ownerOfSlots(netlist: MappedNetlist): Int32Array {
  const owner = new Int32Array(netlist.inputNet.length);
  for (let cell = 0; cell < netlist.cellCount; cell++)
    owner.fill(cell, netlist.inputStart[cell], netlist.inputStart[cell + 1]);
  return owner;
}
