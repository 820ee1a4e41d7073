/**
 * Families, parts, packages; the fabric and its routing-resource graph, expanded from tile patterns; the delay table.
 * In: descriptions (`twill.ts`, `calico.ts`, `felt.ts`). Out: a `Part` that every later stage works from.
 */

export { type ClockSettings, type ClockWish, planClockBlock } from "./blocks/clock-plan.ts";
export type { BlockDescription, BlockModes } from "./blocks/description.ts";
export { listBlocks, registerBlock } from "./blocks/registry.ts";
export {
  type BoardDescription,
  type BoardSignal,
  boardFindings,
  boardSignals,
  boardUnder,
  findBoard,
  listBoards,
} from "./boards.ts";
export { writeDataSheet } from "./data-sheet.ts";
export { Fabric, type Pad } from "./fabric.ts";
export {
  type CornerName,
  corners,
  type FamilyDescription,
  type TemperatureGrade,
  type TileKind,
  temperatureRange,
} from "./family.ts";
export {
  type Contact,
  type PackagePin,
  packageContacts,
  sideSupplies,
  specialRoles,
} from "./package-pins.ts";
export {
  Delays,
  findFamily,
  findPart,
  listDies,
  listFamilies,
  listParts,
  nodeName,
  type Part,
  partByIdcode,
  registerDie,
} from "./part.ts";
export type { RoutingGraph } from "./rr-graph.ts";
export {
  directionX,
  directionY,
  nodeKind,
  type TilePattern,
} from "./tile-pattern.ts";
