/**
 * Text to syntax trees, a language each: lexer, parser with recovery, formatter. In: source files. Out: trees with places, findings.
 * Verilog and SystemVerilog after IEEE 1800-2017, VHDL after IEEE 1076-2008.
 */
export { isVhdl } from "./languages.ts";
export { sourcesKey } from "./sources-key.ts";
export { formatVerilog } from "./verilog/index.ts";
export { formatVhdl } from "./vhdl/index.ts";
