/**
 * Verilog text to syntax trees. In: the design's files, in order. Out: one tree a module, and findings.
 * Recursive descent with precedence climbing (Clarke 1986); goes on after a mistake.
 */
export type * as ast from "./ast.ts";
export type { ModuleNode } from "./ast.ts";
export { parseVerilog, type VerilogSyntax } from "./parser.ts";
