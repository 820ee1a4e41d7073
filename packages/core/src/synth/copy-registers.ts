import type { InferredItem } from "../netlist/inferred.ts";
import { cellKind, clockSlots, collectSinks, ffPin, type MappedNetlist } from "../netlist/mapped.ts";

/**
 * Gives flip-flops with many loads copies that share them, so that no net is as wide as its value would need. Loads keep
 * their order: what was made together stays with one copy. Clock pins do not count, and stay where they are.
 * @param mostLoads Of a flip-flop's cell; Infinity for no limit.
 */
export function copyRegisters(netlist: MappedNetlist, mostLoads: (cell: number) => number): MappedNetlist {
  const { cellCount, netCount, kind, inputStart, outputNet, cellName } = netlist;
  const sinks = collectSinks(netlist);
  const isClock = clockSlots(netlist);
  const copied: { cell: number; slots: number[]; groups: number }[] = [];
  for (let cell = 0; cell < cellCount; cell++) {
    if (kind[cell] !== cellKind.flipFlop) continue;
    const most = mostLoads(cell);
    const net = outputNet[cell];
    if (sinks.start[net + 1] - sinks.start[net] <= most) continue;
    const slots: number[] = [];
    for (let i = sinks.start[net]; i < sinks.start[net + 1]; i++) {
      const slot = inputStart[sinks.cell[i]] + sinks.pin[i];
      if (!isClock[slot]) slots.push(slot);
    }
    if (slots.length > most) copied.push({ cell, slots, groups: Math.ceil(slots.length / most) });
  }
  if (copied.length === 0) return netlist;
  const usedNames = new Set(cellName);
  const newNames: string[] = [];
  const inputNet = [...netlist.inputNet];
  const starts = [...inputStart];
  const originals: number[] = [];
  const items: InferredItem[] = [];
  // loads move first, so that a copy of a register that feeds itself has the pins of the original as they then are
  for (const { cell, slots, groups } of copied) {
    for (let group = 1; group < groups; group++) {
      const net = netCount + originals.length;
      originals.push(cell);
      for (let i = 0; i < slots.length; i++)
        if (Math.floor((i * groups) / slots.length) === group) inputNet[slots[i]] = net;
      let name = `${cellName[cell]}:copy${group}`;
      while (usedNames.has(name)) name += "_";
      usedNames.add(name);
      newNames.push(name);
    }
    items.push({
      kind: "copied register",
      name: cellName[cell],
      origin: netlist.origin[cell],
      shape: `${slots.length} loads`,
      becomes: "registers",
      count: 0,
      reason: `${groups} flip-flops hold it, each with ${Math.ceil(slots.length / groups)} loads at most`,
    });
  }
  for (const cell of originals) {
    for (let pin = 0; pin <= ffPin.reset; pin++) inputNet.push(inputNet[inputStart[cell] + pin]);
    starts.push(inputNet.length);
  }
  const count = originals.length;
  const more = <T extends Uint8Array | Int32Array | Uint32Array>(list: T, values: (i: number) => number): T => {
    const made = new (list.constructor as new (length: number) => T)(list.length + count);
    made.set(list);
    for (let i = 0; i < count; i++) made[list.length + i] = values(i);
    return made;
  };
  return {
    ...netlist,
    cellCount: cellCount + count,
    netCount: netCount + count,
    kind: more(netlist.kind, () => cellKind.flipFlop),
    cellName: [...cellName, ...newNames],
    origin: more(netlist.origin, (i) => netlist.origin[originals[i]]),
    inputStart: Int32Array.from(starts),
    inputNet: Int32Array.from(inputNet),
    outputNet: more(outputNet, (i) => netCount + i),
    maskLow: more(netlist.maskLow, () => 0),
    maskHigh: more(netlist.maskHigh, () => 0),
    modes: more(netlist.modes, (i) => netlist.modes[originals[i]]),
    netName: [...netlist.netName, ...newNames],
    netDriver: more(netlist.netDriver, (i) => cellCount + i),
    copies: Int32Array.from(originals.flatMap((cell, i) => [cellCount + i, cell])),
    inferred: [...netlist.inferred, ...items],
  };
}
