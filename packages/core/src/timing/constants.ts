import { carryPin, carryStart, cellKind } from "../netlist/mapped.ts";
import type { ActiveGraph } from "./active-graph.ts";
import { activate } from "./active-graph.ts";
import type { BuiltGraph } from "./built-graph.ts";
import { latchPin } from "./built-graph.ts";
import { arcKind, type PinGraph } from "./pin-graph.ts";

/** What constants leave of a graph. */
interface ConstantGraph {
  /** The graph; latches that are always open are logic in it. */
  readonly graph: PinGraph;
  /** [arcs] 1: nothing passes. */
  readonly off: Uint8Array;
  /** [pins] 0, 1, or -1 where it is not constant. */
  readonly value: Int8Array;
}

/**
 * Spreads constants through LUTs and carry links, and switches off the arcs that they leave without effect: those of
 * constant pins, and those to an output that does not follow the pin any more. Registers keep constants to themselves.
 * O(pins + arcs), and the rows of each LUT that has a constant at it.
 */
export function spreadConstants(
  built: BuiltGraph,
  constants: ReadonlyMap<number, 0 | 1>,
  disabled: readonly number[],
): ConstantGraph {
  const { graph } = built;
  const value = new Int8Array(graph.pinCount).fill(-1);
  const off = new Uint8Array(graph.arcCount);
  for (const arc of disabled) off[arc] = 1;
  if (constants.size === 0) return { graph, off, value };
  const kinds = graph.arcKind.slice();
  const { order } = activate(graph, off) satisfies ActiveGraph;
  const { inStart, inArc, arcFrom, arcTo } = graph;
  const isTouched = new Set<number>();
  for (const pin of order) {
    const given = constants.get(pin);
    if (given !== undefined) value[pin] = given;
    else {
      for (let a = inStart[pin]; a < inStart[pin + 1]; a++) {
        const arc = inArc[a];
        const hands = kinds[arc] === arcKind.net || arc === built.padArc[built.pinCell[pin]];
        if (hands && value[arcFrom[arc]] >= 0 && inStart[pin + 1] - inStart[pin] === 1)
          value[pin] = value[arcFrom[arc]];
      }
      const cell = built.pinCell[pin];
      if (isTouched.has(cell) && pin === built.outputPin(cell)) value[pin] = outputValue(built, cell, value);
    }
    if (value[pin] >= 0 && pin < built.netlist.inputNet.length) isTouched.add(built.pinCell[pin]);
  }
  for (let arc = 0; arc < graph.arcCount; arc++) if (value[arcFrom[arc]] >= 0 || value[arcTo[arc]] >= 0) off[arc] = 1;
  for (const cell of isTouched) {
    const { inputStart, kind } = built.netlist;
    const first = inputStart[cell];
    if (built.isLatch[cell]) {
      if (value[first + latchPin.enable] < 0) continue;
      const isOpen = value[first + latchPin.enable] === 1;
      for (const arc of [built.throughArc[first + latchPin.data], built.launchArc[cell]])
        if (isOpen && arc === built.throughArc[first + latchPin.data]) kinds[arc] = arcKind.cell;
        else off[arc] = 1;
      continue;
    }
    if (kind[cell] !== cellKind.lut && kind[cell] !== cellKind.carryMux && kind[cell] !== cellKind.carrySum) continue;
    for (let slot = first; slot < inputStart[cell + 1]; slot++) {
      const arc = built.throughArc[slot];
      if (arc >= 0 && !off[arc] && !follows(built, cell, slot - first, value)) off[arc] = 1;
    }
  }
  return { graph: { ...graph, arcKind: kinds }, off, value };
}

/** Output of a LUT or carry cell for each row of its inputs that the constants allow. */
function* rows(built: BuiltGraph, cell: number, value: Int8Array): Generator<{ row: number; out: number }> {
  const { kind, inputStart, inputNet, maskLow, maskHigh, modes } = built.netlist;
  const first = inputStart[cell];
  const count = inputStart[cell + 1] - first;
  for (let row = 0; row < 1 << count; row++) {
    let fits = true;
    for (let i = 0; i < count && fits; i++) {
      const known = value[first + i];
      fits = known < 0 || known === ((row >> i) & 1);
      // an open input is what the cell takes it for
      if (inputNet[first + i] < 0) fits &&= ((row >> i) & 1) === openValue(i);
    }
    if (!fits) continue;
    yield { row, out: outputOf(row) };
  }
  function openValue(pin: number): number {
    return kind[cell] !== cellKind.lut && pin === carryPin.carryIn ? modes[cell] & carryStart : 0;
  }
  function outputOf(row: number): number {
    if (kind[cell] === cellKind.lut)
      return ((row < 32 ? maskLow[cell] >>> row : maskHigh[cell] >>> (row - 32)) & 1) as number;
    const bit = (pin: number) => (row >> pin) & 1;
    const carry = bit(carryPin.carryIn);
    if (kind[cell] === cellKind.carrySum) return bit(carryPin.p) ^ carry;
    return bit(carryPin.p) ? carry : bit(carryPin.b);
  }
}

function outputValue(built: BuiltGraph, cell: number, value: Int8Array): -1 | 0 | 1 {
  const { kind, inputStart, inputNet } = built.netlist;
  if (kind[cell] === cellKind.outputPad || kind[cell] === cellKind.blockOutput) {
    const first = inputStart[cell];
    const enable = kind[cell] === cellKind.outputPad && inputNet[first + 1] >= 0 ? value[first + 1] : 1;
    return enable === 1 ? (value[first] as -1 | 0 | 1) : -1;
  }
  if (kind[cell] !== cellKind.lut && kind[cell] !== cellKind.carryMux && kind[cell] !== cellKind.carrySum) return -1;
  if (built.isLatch[cell]) {
    const first = inputStart[cell];
    return value[first + latchPin.enable] === 1 ? (value[first + latchPin.data] as -1 | 0 | 1) : -1;
  }
  let known = -1;
  for (const { out } of rows(built, cell, value)) {
    if (known >= 0 && known !== out) return -1;
    known = out;
  }
  return known as -1 | 0 | 1;
}

/** True if the output still changes with an input. */
function follows(built: BuiltGraph, cell: number, input: number, value: Int8Array): boolean {
  const outs = new Map<number, number>();
  for (const { row, out } of rows(built, cell, value)) {
    const other = outs.get(row ^ (1 << input));
    if (other !== undefined && other !== out) return true;
    outs.set(row, out);
  }
  return false;
}
