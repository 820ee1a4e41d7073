/**
 * Logic that synthesis, proof, assembly and drawing share: and-inverter graphs with structural hashing, sums as carry chains,
 * truth tables, expressions for people, and a conflict-driven SAT solver.
 */
export { permuteMask } from "./truth-table.ts";
