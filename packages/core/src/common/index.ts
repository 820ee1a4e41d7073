/** Shared ground of all stages: findings, source positions, contexts, seeded randomness, artifact bytes and keys. */
export { decodeArtifact, encodeArtifact, fromHex, hashBytes, hashValue, toHex } from "./codec.ts";
export { CancelledError, type Progress, quietContext, type StageContext } from "./context.ts";
export { crc32c } from "./crc32c.ts";
export { DesignFiles, type FileAccess, Refusal } from "./design-files.ts";
export {
  type Finding,
  formatFinding,
  hasErrors,
  InvariantError,
  nearestName,
  type Place,
  type Severity,
  type SourceSnippet,
  type StageResult,
  type TextEdit,
} from "./finding.ts";
export { findingIdentities } from "./finding-identity.ts";
export { compileGenerated, quoted, sealGlobals, useCompiler } from "./generated-code.ts";
export { Random } from "./random.ts";
export { type Loc, type SourceFile, type SourcePosition, SourceSet } from "./source.ts";
export { useWorkClock } from "./work-clock.ts";
