import { carryPin, carryStart, cellKind, ffMode, ffPin, type MappedNetlist } from "../netlist/mapped.ts";

/** Simulation models of the cells that `writeStructuralVerilog` instantiates; plain IEEE 1364-2005. */
export const primitivesVerilog = `// Simulation models of the part's cells.
module gc_lut #(
  parameter [63:0] MASK = 64'h0
) (
  input  wire i0, i1, i2, i3, i4, i5,
  output wire o
);
  assign o = MASK[{i5, i4, i3, i2, i1, i0}];
endmodule

// Sum of an element on a carry chain.
module gc_carry_sum (
  input  wire p, carry_in,
  output wire o
);
  assign o = p ^ carry_in;
endmodule

// Carry of an element to the one above.
module gc_carry_mux (
  input  wire p, carry_in, b,
  output wire carry_out
);
  assign carry_out = p ? carry_in : b;
endmodule

// Reset wins over enable. ASYNC: reset acts without the clock. FALLING: the falling edge counts.
module gc_ff #(
  parameter INIT        = 1'b0,
  parameter RESET_VALUE = 1'b0,
  parameter ASYNC       = 0,
  parameter FALLING     = 0
) (
  input  wire clk, en, reset, d,
  output reg  q
);
  initial q = INIT;
  wire edge_clk = FALLING ? ~clk : clk;
  generate
    if (ASYNC) begin : asynchronous
      always @(posedge edge_clk or posedge reset)
        if (reset) q <= RESET_VALUE;
        else if (en) q <= d;
    end else begin : synchronous
      always @(posedge edge_clk)
        if (reset) q <= RESET_VALUE;
        else if (en) q <= d;
    end
  endgenerate
endmodule
`;

const plain = /^[A-Za-z_][A-Za-z0-9_$]*$/;
/** An escaped identifier (clause 3.7.1) wherever a plain one would not do. */
export function verilogName(name: string): string {
  return plain.test(name) ? name : `\\${name} `;
}

/** The mapped circuit as structural Verilog with the design's own top-level ports. */
export function writeStructuralVerilog(netlist: MappedNetlist): string {
  const lines: string[] = [];
  const { ports, netName, cellName, inputStart, inputNet, outputNet, kind } = netlist;
  lines.push(`module ${verilogName(netlist.top)} (`);
  ports.forEach((port, i) => {
    const range = port.pads.length > 1 || port.msb !== 0 || port.lsb !== 0 ? `[${port.msb}:${port.lsb}] ` : "";
    lines.push(`  ${port.direction} wire ${range}${verilogName(port.name)}${i + 1 < ports.length ? "," : ""}`);
  });
  lines.push(");");
  const bit = (
    name: string,
    port: { readonly pads: readonly number[]; readonly msb: number; readonly lsb: number },
    i: number,
  ) => {
    if (port.pads.length === 1 && port.msb === 0 && port.lsb === 0) return verilogName(name);
    return `${verilogName(name)}[${port.msb >= port.lsb ? port.lsb + i : port.lsb - i}]`;
  };
  const portNames = new Set(ports.map((port) => port.name));
  const wire = (net: number) =>
    verilogName(
      portNames.has(netName[net])
        ? `${netName[net]}$net`
        : netName[net].includes("[")
          ? netName[net]
          : `${netName[net]}`,
    );
  for (let net = 0; net < netlist.netCount; net++) lines.push(`  wire ${wire(net)};`);
  for (const port of ports) {
    port.pads.forEach((cell, i) => {
      if (cell < 0) return;
      if (port.direction === "input") lines.push(`  assign ${wire(outputNet[cell])} = ${bit(port.name, port, i)};`);
      else lines.push(`  assign ${bit(port.name, port, i)} = ${wire(inputNet[inputStart[cell]])};`);
    });
  }
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    const pin = (i: number, open: string) =>
      inputStart[cell] + i < inputStart[cell + 1] && inputNet[inputStart[cell] + i] >= 0
        ? wire(inputNet[inputStart[cell] + i])
        : open;
    const instance = verilogName(`cell$${cellName[cell]}`);
    if (kind[cell] === cellKind.lut) {
      const hex = (value: number) => (value >>> 0).toString(16).padStart(8, "0");
      const inputs = Array.from({ length: 6 }, (_, i) => `.i${i}(${pin(i, "1'b0")})`).join(", ");
      lines.push(
        `  gc_lut #(.MASK(64'h${hex(netlist.maskHigh[cell])}${hex(netlist.maskLow[cell])})) ${instance} (${inputs}, .o(${wire(outputNet[cell])}));`,
      );
    } else if (kind[cell] === cellKind.carrySum || kind[cell] === cellKind.carryMux) {
      const below = pin(carryPin.carryIn, netlist.modes[cell] & carryStart ? "1'b1" : "1'b0");
      const ins = `.p(${pin(carryPin.p, "1'b0")}), .carry_in(${below})`;
      const out = wire(outputNet[cell]);
      lines.push(
        kind[cell] === cellKind.carrySum
          ? `  gc_carry_sum ${instance} (${ins}, .o(${out}));`
          : `  gc_carry_mux ${instance} (${ins}, .b(${pin(carryPin.b, "1'b0")}), .carry_out(${out}));`,
      );
    } else if (kind[cell] === cellKind.flipFlop) {
      const modes = netlist.modes[cell];
      const flag = (mask: number) => (modes & mask ? 1 : 0);
      lines.push(
        `  gc_ff #(.INIT(1'b${flag(ffMode.init)}), .RESET_VALUE(1'b${flag(ffMode.resetValue)}), .ASYNC(${flag(ffMode.asyncReset)}), .FALLING(${flag(ffMode.clockFalling)})) ${instance} ` +
          `(.clk(${pin(ffPin.clock, "1'b0")}), .en(${pin(ffPin.enable, "1'b1")}), .reset(${pin(ffPin.reset, "1'b0")}), .d(${pin(ffPin.d, "1'b0")}), .q(${wire(outputNet[cell])}));`,
      );
    }
  }
  lines.push("endmodule", "");
  return lines.join("\n");
}
