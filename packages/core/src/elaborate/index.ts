/**
 * Syntax trees to one flat netlist of word-level cells. In: source files. Out: netlist, source positions beside it,
 * hierarchy, findings. Expression sizes follow IEEE 1364-2005 clause 5; processes are run once on symbols.
 */

export { type PortTexts, portTexts } from "./editor/port-texts.ts";
export { type Spot, type SymbolEntry, SymbolIndex, type SymbolKind } from "./editor/symbols.ts";
export { type ElaboratedDesign, elaborate } from "./elaborate.ts";
export { libraryModules } from "./part-library.ts";
export { VhdlNames } from "./vhdl/names.ts";
