/**
 * Verilog and SystemVerilog text (IEEE 1364-2005, IEEE 1800-2017) to a syntax tree. In: source files. Out: modules,
 * packages and findings. The parser goes on after mistakes by recursive descent with known stopping words (Wirth,
 * "Algorithms + Data Structures = Programs", 1976, section 5.9).
 */
export { formatVerilog } from "./format-text.ts";
export { parseVerilog, type VerilogSyntax } from "./parser.ts";
