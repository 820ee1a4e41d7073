/** Open file formats in and out: structural Verilog (IEEE 1364-2005) and SDF (IEEE 1497-2001) so far. */
export { writeSdf } from "./sdf.ts";
export { primitivesVerilog, verilogName, writeStructuralVerilog } from "./structural-verilog.ts";
