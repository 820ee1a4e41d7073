/**
 * Word-level netlist to LUTs and flip-flops. In: `RtlNetlist`. Out: `MappedNetlist`.
 * And-inverter graph with structural hashing; depth-optimal K-LUT mapping with area recovery (see lut-map.ts).
 */

export { SynthMemory } from "./regions.ts";
export { defaultSynthOptions, type SynthOptions, synthesize, synthOptionsFor } from "./synthesize.ts";
