import {
  blockClockFalls,
  blockOf,
  isClockedBlock,
  isClockMaker,
  isOutsidePin,
  isThroughPin,
} from "../device/blocks/registry.ts";
import {
  blockOfCells,
  carryPin,
  cellKind,
  ffMode,
  ffPin,
  type LayoutNetlist,
  type MappedNetlist,
  padPin,
  serialPads,
} from "../netlist/mapped.ts";
import { orderArcs } from "./graph-order.ts";
import { arcKind, checkKind, type GraphPort, type PinGraph, PinGraphBuilder, sense } from "./pin-graph.ts";

/** What timing needs of a circuit as built: with what LUTs compute, since that tells which arcs there are. */
export type TimedNetlist = LayoutNetlist & Pick<MappedNetlist, "origin" | "maskLow" | "maskHigh" | "fates">;

/** Inputs of the LUT that is a latch, as synthesis makes it: enable, data, and its own output. */
export const latchPin = { enable: 0, data: 1, own: 2 } as const;

/** A graph of a circuit as built, with where delays belong. S input pin slots, C cells. */
export interface BuiltGraph {
  readonly graph: PinGraph;
  readonly netlist: TimedNetlist;
  /** Pin of a slot is the slot itself; of a cell's output S + cell, which of an output pad is the pin outside. */
  outputPin(cell: number): number;
  /** [slots] Arc of the wire to each, and of the way from it to its cell's output; -1 for none. */
  readonly wireArc: Int32Array;
  readonly throughArc: Int32Array;
  /** [cells] Arc into an input pad's output from outside; -1 for other cells. */
  readonly padArc: Int32Array;
  /** [cells] Clock-to-output arc of flip-flops and block outputs, of a latch from its enable; -1 for none. */
  readonly launchArc: Int32Array;
  /** [checks] Slot of the data pin, -1 for what is inside of a block; and block of each. */
  readonly checkSlot: Int32Array;
  readonly checkBlock: Int32Array;
  /** Launch arcs that end inside of a block: arc, block. */
  readonly insideArcs: readonly (readonly [number, number])[];
  /** [cells] 1: a LUT that is a latch. */
  readonly isLatch: Uint8Array;
  /** [pins] Cell that a pin is of. */
  readonly pinCell: Int32Array;
}

/** True for the LUT that synthesis makes of a latch. */
export function isLatchCell(
  {
    kind,
    inputStart,
    inputNet,
    outputNet,
    maskLow,
    maskHigh,
  }: Pick<MappedNetlist, "kind" | "inputStart" | "inputNet" | "outputNet" | "maskLow" | "maskHigh">,
  cell: number,
): boolean {
  if (kind[cell] !== cellKind.lut) return false;
  const first = inputStart[cell];
  if (inputStart[cell + 1] - first !== 3 || inputNet[first + latchPin.own] !== outputNet[cell]) return false;
  return maskLow[cell] === 0xd8d8d8d8 && maskHigh[cell] === 0xd8d8d8d8;
}

/** How a LUT's output follows one of its inputs, the others being what they may: bits of `sense`, 0 for not at all. */
function lutSense(low: number, high: number, input: number): number {
  let how = 0;
  for (let row = 0; row < 64; row++) {
    if ((row >> input) & 1) continue;
    const bit = (at: number) => ((at < 32 ? low >>> at : high >>> (at - 32)) & 1) === 1;
    const [zero, one] = [bit(row), bit(row | (1 << input))];
    if (!zero && one) how |= sense.positive;
    else if (zero && !one) how |= sense.negative;
  }
  return how;
}

/** Level of a LUT's output that one input forces whatever the clock at another one does; null if it forces none. */
function lutHeldLevel(low: number, high: number, clock: number, gate: number): 0 | 1 | null {
  const bit = (at: number): 0 | 1 => ((at < 32 ? low >>> at : high >>> (at - 32)) & 1) as 0 | 1;
  for (const value of [0, 1]) {
    let level: 0 | 1 | null = null;
    let isForced = true;
    for (let row = 0; row < 64 && isForced; row++) {
      if (((row >> gate) & 1) !== value) continue;
      level ??= bit(row);
      isForced = bit(row) === level && bit(row ^ (1 << clock)) === level;
    }
    if (isForced) return level;
  }
  return null;
}

const pinNamesOf: Readonly<Record<number, readonly string[]>> = {
  [cellKind.lut]: ["i0", "i1", "i2", "i3", "i4", "i5"],
  [cellKind.flipFlop]: ["d", "clk", "en", "reset"],
  [cellKind.carrySum]: ["propagate", "carry_in", "b"],
  [cellKind.carryMux]: ["propagate", "carry_in", "b"],
  [cellKind.outputPad]: ["value", "enable"],
};

/** O(pins + cells). */
export function buildBuiltGraph(netlist: TimedNetlist): BuiltGraph {
  const { cellCount, kind, inputStart, inputNet, netDriver, modes } = netlist;
  const slots = inputNet.length;
  const builder = new PinGraphBuilder(slots + cellCount);
  const outputPin = (cell: number) => slots + cell;
  const wireArc = new Int32Array(slots).fill(-1);
  const throughArc = new Int32Array(slots).fill(-1);
  const padArc = new Int32Array(cellCount).fill(-1);
  const launchArc = new Int32Array(cellCount).fill(-1);
  const isLatch = new Uint8Array(cellCount);
  const checkSlot: number[] = [];
  const checkBlock: number[] = [];
  const insideArcs: [number, number][] = [];
  const blockOfCell = blockOfCells(netlist);
  const serial = serialPads(netlist);
  const owner = new Int32Array(slots);
  const check = (slot: number, data: number, clock: number, how: number, falls: boolean, block: number) => {
    builder.check(data, clock, how, falls);
    checkSlot.push(slot);
    checkBlock.push(block);
  };

  for (let cell = 0; cell < cellCount; cell++) {
    const [first, end] = [inputStart[cell], inputStart[cell + 1]];
    owner.fill(cell, first, end);
    const out = outputPin(cell);
    for (let slot = first; slot < end; slot++)
      if (inputNet[slot] >= 0) wireArc[slot] = builder.arc(outputPin(netDriver[inputNet[slot]]), slot, arcKind.net);
    switch (kind[cell]) {
      case cellKind.lut: {
        if (isLatchCell(netlist, cell)) {
          isLatch[cell] = 1;
          const [enable, data] = [first + latchPin.enable, first + latchPin.data];
          throughArc[data] = builder.arc(data, out, arcKind.latch);
          launchArc[cell] = builder.arc(enable, out, arcKind.launch);
          check(data, data, enable, checkKind.latch, true, -1);
          break;
        }
        for (let slot = first; slot < end; slot++) {
          const how = lutSense(netlist.maskLow[cell], netlist.maskHigh[cell], slot - first);
          if (inputNet[slot] >= 0 && how) throughArc[slot] = builder.arc(slot, out, arcKind.cell, how);
        }
        break;
      }
      case cellKind.carrySum:
      case cellKind.carryMux:
        for (let slot = first; slot < end; slot++) {
          const isMux = kind[cell] === cellKind.carryMux;
          const how = isMux && slot - first !== carryPin.p ? sense.positive : sense.both;
          if (inputNet[slot] >= 0) throughArc[slot] = builder.arc(slot, out, arcKind.cell, how);
        }
        break;
      case cellKind.flipFlop: {
        const clock = first + ffPin.clock;
        const falls = (modes[cell] & ffMode.clockFalling) !== 0;
        launchArc[cell] = builder.arc(clock, out, arcKind.launch, falls ? sense.negative : sense.positive);
        for (const pin of [ffPin.d, ffPin.enable, ffPin.reset]) {
          if (inputNet[first + pin] < 0) continue;
          const isAsync = pin === ffPin.reset && (modes[cell] & ffMode.asyncReset) !== 0;
          check(first + pin, first + pin, clock, isAsync ? checkKind.recovery : checkKind.register, falls, -1);
        }
        break;
      }
      case cellKind.outputPad:
        if (serial.has(cell)) break;
        throughArc[first + padPin.value] = builder.arc(first + padPin.value, out, arcKind.cell);
        if (inputNet[first + padPin.enable] >= 0)
          throughArc[first + padPin.enable] = builder.arc(first + padPin.enable, out, arcKind.cell, sense.both);
        break;
      case cellKind.blockOutput:
        throughArc[first] = builder.arc(first, out, arcKind.cell);
        break;
      case cellKind.block:
        addBlock(cell);
    }
  }

  function addBlock(cell: number): void {
    const { modes: own, inputNames } = netlist.blocks[blockOfCell[cell]];
    const first = inputStart[cell];
    const clockSlot = (index: number) => first + inputNames.length + index;
    inputNames.forEach((name, pin) => {
      const slot = first + pin;
      if (inputNet[slot] < 0 || isOutsidePin(own.type, name)) return;
      if (isThroughPin(own, name)) throughArc[slot] = builder.arc(slot, outputPin(cell), arcKind.cell, sense.both);
      else if (isClockedBlock(own)) {
        const clock = blockOf(own).clockOfPin(name);
        if (inputNet[clockSlot(clock)] >= 0)
          check(slot, slot, clockSlot(clock), checkKind.register, blockClockFalls(own, clock), blockOfCell[cell]);
      }
    });
    if (own.type !== "multiplier" || inputNet[clockSlot(0)] < 0) return;
    const inside = builder.pin();
    const falls = blockClockFalls(own, 0);
    insideArcs.push([
      builder.arc(clockSlot(0), inside, arcKind.launch, falls ? sense.negative : sense.positive),
      blockOfCell[cell],
    ]);
    check(-1, inside, clockSlot(0), checkKind.register, falls, blockOfCell[cell]);
  }

  // outputs of blocks that follow a clock, and those that are clocks
  for (let cell = 0; cell < cellCount; cell++) {
    if (kind[cell] !== cellKind.blockOutput) continue;
    const block = netlist.blocks[blockOfCell[cell]];
    const { modes: own, inputNames, outputNames } = block;
    const first = inputStart[block.cell];
    const output = outputNames[modes[cell]];
    const isClock = isClockMaker(own) && blockOf(own).clockFrom!(own, anyClock, output) !== null;
    const clocks = blockOf(own).clocks;
    if (isClock)
      for (let c = 0; c < clocks; c++) {
        const slot = first + inputNames.length + c;
        if (inputNet[slot] < 0) continue;
        const arc = builder.arc(slot, outputPin(cell), arcKind.clock);
        throughArc[slot] = arc;
        launchArc[cell] = arc;
      }
    else if (isClockedBlock(own)) {
      const clock = blockOf(own).clockOfPin(output);
      const slot = first + inputNames.length + clock;
      if (inputNet[slot] < 0) continue;
      const falls = blockClockFalls(own, clock);
      launchArc[cell] = builder.arc(slot, outputPin(cell), arcKind.launch, falls ? sense.negative : sense.positive);
    }
  }

  const ports = padPorts();
  function padPorts(): GraphPort[] {
    const byName = new Map<string, { name: string; inPin: number; outPin: number }>();
    for (const port of netlist.ports)
      port.pads.forEach((cell, i) => {
        const name = port.bitNames[i];
        const own = byName.get(name) ?? { name, inPin: -1, outPin: -1 };
        byName.set(name, own);
        if (cell < 0) return;
        if (kind[cell] === cellKind.inputPad) {
          if (serial.has(cell)) return;
          own.inPin = builder.pin();
          padArc[cell] = builder.arc(own.inPin, outputPin(cell), arcKind.cell);
        } else if (!serial.has(cell)) own.outPin = outputPin(cell);
      });
    const all = [...byName.values()];
    // what the part drives at a pin of both directions comes back in
    for (const { inPin, outPin } of all) if (inPin >= 0 && outPin >= 0) builder.arc(outPin, inPin, arcKind.net);
    return all;
  }

  const padOfPin = new Map<number, string>();
  for (const port of ports) if (port.inPin >= 0) padOfPin.set(port.inPin, port.name);
  const insideOf = new Map(insideArcs.map(([arc, block]) => [builder.to[arc], block]));
  const pinCell = new Int32Array(builder.pinCount).fill(-1);
  pinCell.set(owner);
  for (let cell = 0; cell < cellCount; cell++) {
    pinCell[outputPin(cell)] = cell;
    if (padArc[cell] >= 0) pinCell[builder.from[padArc[cell]]] = cell;
  }
  for (const [pin, block] of insideOf) pinCell[pin] = netlist.blocks[block].cell;
  const pinName = (pin: number): string => {
    const cell = pinCell[pin];
    const name = netlist.cellName[cell];
    if (padOfPin.has(pin)) return padOfPin.get(pin)!;
    if (insideOf.has(pin)) return `${name}/inside`;
    if (pin >= slots) {
      const { [kind[cell]]: own } = outputNames;
      return kind[cell] === cellKind.outputPad ? name.replace(/:pad$/, "") : `${name}/${own ?? "o"}`;
    }
    const at = pin - inputStart[cell];
    if (isLatch[cell]) return `${name}/${["en", "d", "q"][at]}`;
    if (kind[cell] === cellKind.block) {
      const { inputNames } = netlist.blocks[blockOfCell[cell]];
      return `${name}/${inputNames[at] ?? `clock${at - inputNames.length}`}`;
    }
    return `${name}/${pinNamesOf[kind[cell]]?.[at] ?? at}`;
  };
  const heldLevel = (clockPin: number, gatePin: number): 0 | 1 | null => {
    const cell = pinCell[clockPin];
    if (cell !== pinCell[gatePin] || kind[cell] !== cellKind.lut) return null;
    const first = inputStart[cell];
    return lutHeldLevel(netlist.maskLow[cell], netlist.maskHigh[cell], clockPin - first, gatePin - first);
  };
  const { graph, arcOf } = orderArcs(builder.build(ports, { pinName, heldLevel }));
  const renumber = (arcs: Int32Array) => arcs.map((arc) => (arc < 0 ? -1 : arcOf[arc]));
  return {
    graph,
    netlist,
    outputPin,
    wireArc: renumber(wireArc),
    throughArc: renumber(throughArc),
    padArc: renumber(padArc),
    launchArc: renumber(launchArc),
    checkSlot: Int32Array.from(checkSlot),
    checkBlock: Int32Array.from(checkBlock),
    insideArcs: insideArcs.map(([arc, block]) => [arcOf[arc], block] as const),
    isLatch,
    pinCell,
  };
}

const outputNames: Readonly<Record<number, string>> = {
  [cellKind.lut]: "o",
  [cellKind.flipFlop]: "q",
  [cellKind.carrySum]: "sum",
  [cellKind.carryMux]: "carry_out",
  [cellKind.inputPad]: "o",
};
const anyClock = { name: "", periodPs: 1, risePs: 0, fallPs: 0.5 };
