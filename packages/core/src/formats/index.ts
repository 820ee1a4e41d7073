/** Open file formats in and out: structural Verilog and VCD (IEEE 1364-2005), SDF (IEEE 1497-2001). */
export { writeBsdl } from "./bsdl.ts";
export { writeSdf } from "./sdf.ts";
export { primitivesFor, primitivesVerilog, verilogName, writeStructuralVerilog } from "./structural-verilog.ts";
export { VcdError, VcdReader, type VcdReceiver } from "./vcd-read.ts";
export { timescaleText, type VcdVariable, VcdWriter, vcdCode } from "./vcd-write.ts";
