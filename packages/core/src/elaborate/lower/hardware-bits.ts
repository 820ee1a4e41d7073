import type { Signal } from "../model.ts";
import { sizeOf } from "../types.ts";

/** Bits of a signal in hardware: those of all its elements, the lowest one first. */
export function hardwareBits(signal: Signal): number {
  return signal.dims.reduce((product, dim) => product * sizeOf(dim), signal.width);
}
