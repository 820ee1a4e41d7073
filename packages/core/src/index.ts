/** Gate Clock's core: every computation from source text to configuration bits and the part that runs them. */
export * from "./bitstream/index.ts";
export * from "./common/index.ts";
export * from "./constraints/index.ts";
export * from "./device/index.ts";
export * from "./elaborate/index.ts";
export * from "./flow/index.ts";
export * from "./formats/index.ts";
export { formatVerilog } from "./hdl/verilog/index.ts";
export * from "./jtag/index.ts";
export * from "./netlist/index.ts";
export * from "./pack/index.ts";
export * from "./place/index.ts";
export * from "./route/index.ts";
export * from "./silicon/index.ts";
export * from "./simulate/index.ts";
export * from "./synth/index.ts";
export * from "./timing/index.ts";
