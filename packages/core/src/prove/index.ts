/**
 * Proof that two forms of a circuit do the same. In: elaborated and mapped netlist. Out: `Proof`, with a counterexample
 * where they differ. Random simulation, SAT sweeping (Kuehlmann et al. 2002), a conflict-driven SAT solver.
 */

export { counterexampleVcd } from "./counterexample-vcd.ts";
export { type Counterexample, defaultProveOptions, type Proof, type ProveOptions, prove } from "./prove.ts";
export { proveReadback, type ReadbackProof } from "./readback.ts";
