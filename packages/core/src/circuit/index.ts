/**
 * Circuits as pictures: which symbols and wires, not where they lie. In: elaborated or mapped netlist. Out: `Schematic`,
 * whole, a neighbourhood, a cone, what lies between two nodes, or the difference of two versions.
 */
export { builtLevels, builtSchematic, coneOf } from "./built.ts";
export { evaluateExpression, inputLetters, lutExpression, maskOf } from "./lut-text.ts";
export { type LineFacts, type NetFacts, type ObjectFacts, ObjectIndex } from "./object-index.ts";
export {
  between,
  compareSchematics,
  type NodeKind,
  neighbourhood,
  only,
  type Schematic,
  type SchematicChange,
  type SchematicEdge,
  type SchematicNode,
  type SchematicPin,
} from "./schematic.ts";
export { WrittenCircuit, type WrittenView } from "./written.ts";
