/**
 * What ties a design's text to its bits: text to circuit as written, by simulation of both; as written to as built, and
 * as built to the bits read back, by proof. In: text, elaborated and mapped netlist. Out: `SourceCheck`, `Proof`, with
 * runs that show a difference. Random simulation, SAT sweeping (Kuehlmann et al. 2002), a conflict-driven SAT solver.
 */

export { counterexampleVcd, sourceDifferenceVcd } from "./difference-vcd.ts";
export { type Counterexample, defaultProveOptions, type Proof, prove } from "./prove.ts";
export { proveReadback, type ReadbackProof } from "./readback.ts";
export {
  checkSource,
  defaultSourceCheck,
  type SourceCheck,
  type SourceDifference,
} from "./source-check.ts";
