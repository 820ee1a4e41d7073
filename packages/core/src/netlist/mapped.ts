import type { BlockModes } from "../device/blocks/description.ts";
import { blockClockCount, blockOf } from "../device/blocks/registry.ts";
import { isSerialLane } from "../device/blocks/serial-lane.ts";
import type { InferredItem } from "./inferred.ts";
import type { PortShape } from "./port-shape.ts";
import type { PinPull } from "./rtl.ts";

/** The circuit as built: LUTs, flip-flops, carry links and pads, as struct of arrays. Shared by all stages from synthesis on. */

/**
 * An element with its carry link in use is three cells: a LUT p, a `carrySum` (p xor carry in), which takes the
 * element's output, and a `carryMux` (p ? carry in : b), whose net leads to the element above and nowhere else.
 *
 * A hard block is a `block` cell with all of its input pins and clocks, and a `blockOutput` cell for each output pin in
 * use. The block's own net leads to those only; it stands for what is inside.
 */
export const cellKind = {
  lut: 0,
  flipFlop: 1,
  inputPad: 2,
  outputPad: 3,
  carrySum: 4,
  carryMux: 5,
  block: 6,
  blockOutput: 7,
} as const;
/** By value of `cellKind`, for people. */
export const cellKindNames = [
  "LUT",
  "flip-flop",
  "input pad",
  "output pad",
  "carry sum",
  "carry link",
  "block",
  "block output",
] as const;

/** Positions of a `carrySum`'s and a `carryMux`'s input pins; carry in is open at the foot of a chain, b open is 0. */
export const carryPin = { p: 0, carryIn: 1, b: 2 } as const;

/** Mode bit of a `carrySum` or `carryMux` without a carry in: the constant that it takes for it. */
export const carryStart = 1;

/** [cells] The other half of a carry element: of its sum the link upwards, of that the sum; -1 where there is none. */
export function carryHalves(
  netlist: Pick<MappedNetlist, "cellCount" | "kind" | "modes" | "inputStart" | "inputNet">,
): Int32Array {
  const { cellCount, kind, modes, inputStart, inputNet } = netlist;
  const other = new Int32Array(cellCount).fill(-1);
  const sums = new Map<string, number>();
  const keyOf = (cell: number) => {
    const first = inputStart[cell];
    return `${inputNet[first + carryPin.p]} ${inputNet[first + carryPin.carryIn]} ${modes[cell] & carryStart}`;
  };
  for (let cell = 0; cell < cellCount; cell++) if (kind[cell] === cellKind.carrySum) sums.set(keyOf(cell), cell);
  for (let cell = 0; cell < cellCount; cell++) {
    if (kind[cell] !== cellKind.carryMux) continue;
    const sum = sums.get(keyOf(cell));
    if (sum === undefined || other[sum] >= 0) continue;
    other[sum] = cell;
    other[cell] = sum;
  }
  return other;
}

/** Bits of the ports with their direction, each once. */
export function portBits(
  ports: readonly {
    readonly direction: "input" | "output";
    readonly isInout?: boolean;
    readonly pulls?: readonly (PinPull | null)[];
    readonly bitNames: readonly string[];
  }[],
): { bitName: string; direction: PinDirection; pull?: PinPull }[] {
  const seen = new Set<string>();
  return ports.flatMap(({ direction, isInout, pulls, bitNames }) =>
    bitNames.flatMap((bitName, i) => {
      if (seen.has(bitName)) return [];
      seen.add(bitName);
      const pull = pulls?.[i];
      return [{ bitName, direction: isInout ? ("inout" as const) : direction, ...(pull ? { pull } : {}) }];
    }),
  );
}
export type PinDirection = "input" | "output" | "inout";

/** True for cells whose output follows their inputs: LUTs and carry links. */
export function isLogic(kind: number): boolean {
  return kind === cellKind.lut || kind === cellKind.carrySum || kind === cellKind.carryMux;
}

/** Positions of an output pad's input pins; enable is open where it always drives. */
export const padPin = { value: 0, enable: 1 } as const;

/** Positions of a flip-flop's input pins. */
export const ffPin = { d: 0, clock: 1, enable: 2, reset: 3 } as const;

/** Bits of a flip-flop's modes. */
export const ffMode = { init: 1, resetValue: 2, asyncReset: 4, clockFalling: 8 } as const;

/**
 * What layout goes by: cells, their pins, and the nets between them. What a LUT computes, what a register starts with and what
 * a memory holds are of no account to it; names only say in findings what is meant.
 * Invariants: every net has one driver cell; `inputNet[inputStart[c] .. inputStart[c + 1]]` are cell c's input pins,
 * -1 for one left open (a flip-flop's enable or reset).
 */
export interface LayoutNetlist {
  readonly top: string;
  readonly cellCount: number;
  readonly netCount: number;
  /** [cells] */
  readonly kind: Uint8Array;
  readonly cellName: readonly string[];
  /** [cells + 1] */
  readonly inputStart: Int32Array;
  readonly inputNet: Int32Array;
  /** [cells] Net at the output; -1 for output pads. */
  readonly outputNet: Int32Array;
  /** [cells] Flip-flop modes, bits of `ffMode`; `carryStart` of carry cells; output pin of block outputs. */
  readonly modes: Uint8Array;
  readonly chains: readonly MappedChain[];
  readonly blocks: readonly LayoutBlock[];
  readonly netName: readonly string[];
  /** [nets] */
  readonly netDriver: Int32Array;
  readonly ports: readonly MappedPort[];
}

/** The circuit as built. LUT input i has weight 2^i in its mask. */
export interface MappedNetlist extends LayoutNetlist {
  /** [cells] Word-level cell it came from, for its source position; -1 for pads. */
  readonly origin: Int32Array;
  /** [cells] Truth table of a LUT, inputs above its own repeated: bits 0 to 31 and 32 to 63. */
  readonly maskLow: Uint32Array;
  readonly maskHigh: Uint32Array;
  /**
   * Register bits of the word-level netlist as synthesis prepared it, two numbers each: the net of its output, and the
   * flip-flop (or latch's LUT) that holds it. Those that are not there never change.
   */
  readonly states: Int32Array;
  readonly blocks: readonly MappedBlock[];
  /** Nets of logic that the source keeps: net of the word-level netlist as synthesis prepared it, and the mapped one. */
  readonly kept: readonly (readonly [number, number])[];
  /** Flip-flops that hold the same as another one, to share its loads: copy, original. */
  readonly copies: Int32Array;
  /** State machines whose flip-flops hold other codes than the source's register. */
  readonly machines: readonly MappedMachine[];
  readonly moved: MappedMoves;
  /** Structures that synthesis recognised, and what it made of them. */
  readonly inferred: readonly InferredItem[];
  /** LUT levels on the longest path. */
  readonly levels: number;
  /** What became of names that have no cell of their own. */
  readonly fates: readonly NameFate[];
  /** What pin files had changed of the circuit as written; absent for nothing. */
  readonly shape?: PortShape;
}

interface LayoutBlock {
  readonly cell: number;
  readonly modes: BlockModes;
  /** Names of its pins, in order; the clocks come behind the input pins. */
  readonly inputNames: readonly string[];
  readonly outputNames: readonly string[];
}
export interface MappedBlock extends LayoutBlock {
  /** Number of its cell among the block cells of the word-level netlist as synthesis prepared it. */
  readonly source: number;
}

/** The part of a circuit that layout sees: no function, no first values, no contents. */
export function layoutNetlist(netlist: MappedNetlist): LayoutNetlist {
  const { top, cellCount, netCount, kind, cellName, inputStart, inputNet, outputNet, chains, netName, netDriver } =
    netlist;
  const modes = netlist.modes.map((bits, cell) =>
    kind[cell] === cellKind.flipFlop ? bits & ~(ffMode.init | ffMode.resetValue) : bits,
  );
  const blocks = netlist.blocks.map(
    ({ cell, modes, inputNames, outputNames }): LayoutBlock => ({
      cell,
      modes: blockOf(modes).withoutContents?.(modes) ?? modes,
      inputNames,
      outputNames,
    }),
  );
  const ports = netlist.ports.map(({ pulls: _, ...port }) => port);
  return {
    top,
    cellCount,
    netCount,
    kind,
    cellName,
    inputStart,
    inputNet,
    outputNet,
    modes,
    chains,
    blocks,
    netName,
    netDriver,
    ports,
  };
}

/** Registers that retiming moved. They go by the net of their output as written, new ones by -1 minus their number. */
export interface MappedMoves {
  readonly records: readonly {
    readonly register: number;
    readonly invert: number;
    readonly ins: readonly number[];
    readonly low: number;
    readonly high: number;
    readonly isBackward: boolean;
  }[];
  /** New registers that are there in the end: register, flip-flop. */
  readonly cells: readonly (readonly [number, number])[];
  /** Nets of registers that were equal to one that moved, and were merged with it: net, register. */
  readonly aliases: readonly (readonly [number, number])[];
}

/** A state machine with new codes. Both lists of codes are by state. */
export interface MappedMachine {
  readonly written: readonly number[];
  /** Most significant bit first. */
  readonly built: readonly string[];
  /** State after configuration. */
  readonly initState: number;
  /** Nets of the word-level netlist as synthesis prepared it that carry the written code: net, bit. */
  readonly nets: readonly (readonly [number, number])[];
  /** [bits of the built code] Flip-flop. */
  readonly flipFlops: readonly number[];
}

/** Cells of a carry chain from its foot up, n elements; -1 where an element has no such cell. */
export interface MappedChain {
  readonly lut: Int32Array;
  readonly sum: Int32Array;
  readonly mux: Int32Array;
}

export interface MappedPort {
  readonly name: string;
  readonly direction: "input" | "output";
  readonly msb: number;
  readonly lsb: number;
  /** One half of a port of both directions: the halves have the same name, and their bits share pads. */
  readonly isInout?: boolean;
  readonly pulls?: readonly (PinPull | null)[];
  /** Pad cell of each bit, least significant first; -1 for an input bit that nothing reads. */
  readonly pads: readonly number[];
  /** Full name of each bit. */
  readonly bitNames: readonly string[];
}

export interface NameFate {
  readonly name: string;
  readonly became:
    | "constant 0"
    | "constant 1"
    | "unused"
    | "folded into logic"
    | "coded anew"
    | "moved through logic"
    | "another name of";
  /** For "another name of": the net that carries it. */
  readonly net?: string;
}

/**
 * Pad cells that lead to serial lanes, not to pads: cell -> block, by the nets between them.
 */
export function serialPads(netlist: LayoutNetlist): ReadonlyMap<number, number> {
  const lanes = new Map<number, number>();
  const { kind, inputStart, inputNet, outputNet, netDriver, modes } = netlist;
  const received = new Map<number, number>(); // net at RX -> block
  const sent = new Map<number, number>(); // net of a lane's block -> block
  netlist.blocks.forEach((block, b) => {
    if (!isSerialLane(block.modes)) return;
    const rx = inputNet[inputStart[block.cell] + block.inputNames.indexOf("RX")];
    if (rx >= 0) received.set(rx, b);
    sent.set(outputNet[block.cell], b);
  });
  if (!sent.size) return lanes;
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (kind[cell] === cellKind.inputPad) {
      const block = received.get(outputNet[cell]);
      if (block !== undefined) lanes.set(cell, block);
    } else if (kind[cell] === cellKind.outputPad) {
      const from = netDriver[inputNet[inputStart[cell] + padPin.value]];
      if (kind[from] !== cellKind.blockOutput) continue;
      const block = sent.get(inputNet[inputStart[from]]);
      if (block !== undefined && netlist.blocks[block].outputNames[modes[from]] === "TX") lanes.set(cell, block);
    }
  }
  return lanes;
}

/** [input pin slots] 1 for clock pins of flip-flops and blocks. */
export function clockSlots(netlist: LayoutNetlist): Uint8Array {
  const { kind, inputStart } = netlist;
  const isClock = new Uint8Array(netlist.inputNet.length);
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (kind[cell] === cellKind.flipFlop) isClock[inputStart[cell] + ffPin.clock] = 1;
  for (const { cell, modes } of netlist.blocks)
    isClock.fill(1, inputStart[cell + 1] - blockClockCount(modes), inputStart[cell + 1]);
  return isClock;
}

/** [cells] Index into `blocks` of each block and block output; -1 for others. */
export function blockOfCells(netlist: LayoutNetlist): Int32Array {
  const { kind, inputStart, inputNet, netDriver } = netlist;
  const blockOf = new Int32Array(netlist.cellCount).fill(-1);
  netlist.blocks.forEach((block, b) => {
    blockOf[block.cell] = b;
  });
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (kind[cell] === cellKind.blockOutput) blockOf[cell] = blockOf[netDriver[inputNet[inputStart[cell]]]];
  return blockOf;
}

export interface NetSinks {
  /** [nets + 1] */
  readonly start: Int32Array;
  readonly cell: Int32Array;
  /** Pin position within the cell. */
  readonly pin: Int32Array;
}

/** Sinks of every net, in cell order. O(pins). */
export function collectSinks(netlist: LayoutNetlist): NetSinks {
  const { netCount, cellCount, inputStart, inputNet } = netlist;
  const start = new Int32Array(netCount + 1);
  for (const net of inputNet) if (net >= 0) start[net + 1]++;
  for (let net = 0; net < netCount; net++) start[net + 1] += start[net];
  const fill = start.slice(0, netCount);
  const cell = new Int32Array(start[netCount]);
  const pin = new Int32Array(start[netCount]);
  for (let c = 0; c < cellCount; c++) {
    for (let i = inputStart[c]; i < inputStart[c + 1]; i++) {
      const net = inputNet[i];
      if (net < 0) continue;
      cell[fill[net]] = c;
      pin[fill[net]++] = i - inputStart[c];
    }
  }
  return { start, cell, pin };
}

/** Value of a LUT or carry cell. @param read Value of a net, 0 or 1. */
export function logicOutput(netlist: MappedNetlist, cell: number, read: (net: number) => number): number {
  const { inputStart, inputNet } = netlist;
  const first = inputStart[cell];
  if (netlist.kind[cell] === cellKind.lut) {
    let row = 0;
    for (let slot = first; slot < inputStart[cell + 1]; slot++) row |= read(inputNet[slot]) << (slot - first);
    return lutOutput(netlist.maskLow[cell], netlist.maskHigh[cell], row);
  }
  const p = read(inputNet[first + carryPin.p]);
  const below = inputNet[first + carryPin.carryIn];
  const carryIn = below >= 0 ? read(below) : netlist.modes[cell] & carryStart;
  if (netlist.kind[cell] === cellKind.carrySum) return p ^ carryIn;
  const b = inputNet[first + carryPin.b];
  return p ? carryIn : b >= 0 ? read(b) : 0;
}

/** Output of a LUT for the given input values (bit i = input i). */
function lutOutput(maskLow: number, maskHigh: number, inputs: number): number {
  return inputs < 32 ? (maskLow >>> inputs) & 1 : (maskHigh >>> (inputs - 32)) & 1;
}
