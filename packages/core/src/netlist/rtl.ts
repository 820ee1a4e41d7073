import type { SourcePosition } from "../common/source.ts";
import type { BlockModes } from "../device/blocks/description.ts";
import { isSerialLane } from "../device/blocks/serial-lane.ts";
import type { NamedAttributes } from "./attributes.ts";

/**
 * Word-level netlist: cells of the source's operators, connected bit by bit. A bit is a net id; ids 0, 1 and 2 are the
 * constants 0, 1 and x. Vectors list their bits from the least significant one. Every net has at most one driver.
 */
export const bit0 = 0;
export const bit1 = 1;
export const bitX = 2;
export const firstNet = 3;

export type Bits = readonly number[];

/**
 * Inputs by kind (w = output width):
 * not [w]; and or xor [w][w]; mux [1][w if 1][w if 0]; redand redor redxor [n] -> 1;
 * add sub mul div mod [w][w]; eq lt [n][n] -> 1; shl shr sshr [w][n];
 * ff: d [w], clk [1], en [0 or 1], sr [0 or 1]; latch: d [w], en [1];
 * mem: the address of each read port, then address, data [width], enable of each bit [width] and clock [1] of each
 * write port -> the words read, which follow their addresses without a clock. A later write port wins;
 * block: each input pin, then each clock of the block, [1] or [] where it is open.
 * div and mod by zero give any value. sshr and signed cells read two's complement.
 */
export type RtlKind =
  | "not"
  | "and"
  | "or"
  | "xor"
  | "mux"
  | "redand"
  | "redor"
  | "redxor"
  | "add"
  | "sub"
  | "mul"
  | "div"
  | "mod"
  | "eq"
  | "lt"
  | "shl"
  | "shr"
  | "sshr"
  | "ff"
  | "latch"
  | "mem"
  | "block";

/** One hard block of the part: a clock's, as the source asks for it, or what synthesis makes of a `mem` or `mul` cell. */
export interface RtlBlock {
  readonly modes: BlockModes;
  /** [outputs] Output pin of the block that each bit of the cell's output comes from. */
  readonly outputPins: readonly number[];
}

/** An array of words with ports. Addresses past the end read anything and write nothing. */
export interface RtlMemory {
  readonly width: number;
  readonly depth: number;
  readonly reads: number;
  /** For each write port: whether its clock's rising edge counts. */
  readonly writes: readonly boolean[];
  /** Words in hex, each of ceil(width / 4) digits, the lowest address first; null if all start with 0. */
  readonly init: string | null;
}

export interface FlipFlopModes {
  readonly clockRising: boolean;
  /** Set or reset without waiting for the clock. */
  readonly asyncReset: boolean;
  /** Value taken on reset, a character a bit, most significant first: 0, 1, or x where it does not matter. */
  readonly resetValue: string;
  /** Value after configuration, in the same form. */
  readonly init: string;
}

export interface RtlCell {
  readonly kind: RtlKind;
  readonly name: string;
  readonly inputs: readonly Bits[];
  readonly output: Bits;
  /** For mul, div, mod and lt. */
  readonly signed: boolean;
  readonly modes: FlipFlopModes | null;
  readonly memory?: RtlMemory;
  readonly block?: RtlBlock;
}

export interface RtlVector {
  readonly name: string;
  readonly bits: Bits;
  readonly msb: number;
  readonly lsb: number;
}
export type PinPull = "up" | "down";

/**
 * A port that both drives and reads its pins is two of these under one name: what is read, as an input, and, if anything
 * drives it at all, what is driven, as an output.
 */
export interface RtlPort extends RtlVector {
  readonly direction: "input" | "output";
  readonly isInout?: boolean;
  /** [bits] Of what is read: where the source pulls a pin while nobody drives it. */
  readonly pulls?: readonly (PinPull | null)[];
  /** Of outputs that let go: [bits] nets that are 1 while the bit is driven. */
  readonly enable?: Bits;
}

/** Lists of nets that a port takes from inside. */
export function portReads(port: RtlPort): readonly Bits[] {
  if (port.direction === "input") return [];
  return port.enable ? [port.bits, port.enable] : [port.bits];
}

/** One flat netlist, all hierarchy resolved into names. This is what the key of the elaborated design is taken over. */
export interface RtlNetlist {
  readonly top: string;
  readonly netCount: number;
  readonly cells: readonly RtlCell[];
  readonly ports: readonly RtlPort[];
  /** Every declared net and register, for names. */
  readonly signals: readonly RtlVector[];
  /** What the source asks of synthesis. */
  readonly attributes: readonly NamedAttributes[];
}

/** Where things were written: beside the netlist, so that moving text about changes no key. */
export interface RtlPositions {
  /** [cells] */
  readonly cells: readonly SourcePosition[];
  /** [signals] */
  readonly signals: readonly SourcePosition[];
  /** [ports] */
  readonly ports: readonly SourcePosition[];
  /** What the source calls the values of a signal: by the signal's name, then by code in decimal. */
  readonly labels: Readonly<Record<string, Readonly<Record<string, string>>>>;
}

/** One node of the hierarchy, for the tree of modules. */
export interface HierarchyNode {
  readonly instance: string;
  readonly module: string;
  readonly place: SourcePosition;
  readonly children: readonly HierarchyNode[];
  /** Ports of the module, with the nets on them. */
  readonly ports?: readonly { readonly name: string; readonly direction: "input" | "output"; readonly bits: Bits }[];
}

/** Nets at the serial pins of lanes: net -> number of the lane among the design's, and which of its pins. */
export function serialNets(
  netlist: Pick<RtlNetlist, "cells">,
): ReadonlyMap<number, { readonly lane: number; readonly side: "transmit" | "receive" }> {
  const nets = new Map<number, { lane: number; side: "transmit" | "receive" }>();
  let lane = 0;
  for (const { kind, block, inputs, output } of netlist.cells) {
    if (kind !== "block" || !isSerialLane(block!.modes)) continue;
    // RX comes last before the clock, TX last of all outputs
    const [rx] = inputs[inputs.length - 2];
    if (rx !== undefined) nets.set(rx, { lane, side: "receive" });
    nets.set(output[output.length - 1], { lane, side: "transmit" });
    lane++;
  }
  return nets;
}

/** `name[3]` for a vector's bit, `name` for a scalar, with the declared index. */
export function bitName(vector: RtlVector, offset: number): string {
  if (vector.bits.length === 1 && vector.msb === 0 && vector.lsb === 0) return vector.name;
  return `${vector.name}[${vector.msb >= vector.lsb ? vector.lsb + offset : vector.lsb - offset}]`;
}
