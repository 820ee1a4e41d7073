/**
 * The stage graph: keys over meaning, a store that spares unchanged stages, progress, cancel. In: `DesignInput`.
 * Out: artifacts under their keys, findings, a record for each stage.
 */
export type * from "./artifacts.ts";
export { beyondPart } from "./beyond-part.ts";
export { checkDesign, type DesignCheck } from "./check-design.ts";
export { type DesignInput, type Recipe, recipes, type StageName, stageNames } from "./design-input.ts";
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
export { PlayError, Player, type PlayRead, type PlayStep } from "./play.ts";
export {
  type DesignProof,
  type ProofInputs,
  type ProofLink,
  type ProofStore,
  proofKey,
  proofLinks,
  proofText,
  proofVersion,
  proveDesign,
} from "./prove-design.ts";
export {
  type ArtifactStore,
  clockPorts,
  type FlowOptions,
  type FlowResult,
  MemoryStore,
  pathGoals,
  pinNeeds,
  runFlow,
  type StoredStage,
  stageVersions,
} from "./run-flow.ts";
export { estimateTiles, type ModuleUse, type ResourceUse, utilization, utilizationByModule } from "./utilization.ts";
