/**
 * The stage graph: keys over meaning, a store that spares unchanged stages, progress, cancel. In: `DesignInput`.
 * Out: artifacts under their keys, findings, a record for each stage.
 */
export type * from "./artifacts.ts";
export { beyondParts } from "./beyond-part.ts";
export { checkDesign, type DeclaredClock, type DesignCheck } from "./check-design.ts";
export { type DesignInput, type StageName, stageNames } from "./design-input.ts";
export { estimateDesign } from "./estimate-design.ts";
export {
  type CodingFigures,
  carryOver,
  codingFigures,
  estimateFmax,
  fitParts,
  type PartFit,
  type StyleFigures,
  styleFigures,
} from "./fit.ts";
export { stages, stagesUpTo } from "./graph.ts";
export { PlayError, Player } from "./play.ts";
export {
  type DesignProof,
  type ProofInputs,
  type ProofLink,
  proofKey,
  proofLinks,
  proofText,
  proveDesign,
} from "./prove-design.ts";
export { type Recipe, recipes } from "./recipes.ts";
export { type FlowResult, runFlow } from "./run-flow.ts";
export {
  changeText,
  type DesignReading,
  readDesign,
  readingOf,
  type Staleness,
  sameInputs,
  staleness,
  stalenessText,
} from "./staleness.ts";
export { type ArtifactStore, MemoryStore, type StoredStage } from "./store.ts";
export { estimateTiles, type ModuleUse, type ResourceUse, utilization, utilizationByModule } from "./utilization.ts";
