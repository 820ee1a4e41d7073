/** The cell/net/port models that the stages share: word-level (`rtl`) and mapped. */
export { findCombLoops } from "./comb-graph.ts";
export type { InferredItem, StateMachine } from "./inferred.ts";
export * from "./made-names.ts";
export * from "./mapped.ts";
export * from "./rtl.ts";
