import type { BlockText } from "../device/blocks/description.ts";
import { blockClockCount, blockOf, listBlocks } from "../device/blocks/registry.ts";
import {
  carryHalves,
  carryPin,
  carryStart,
  cellKind,
  ffMode,
  ffPin,
  type MappedNetlist,
  padPin,
} from "../netlist/mapped.ts";
import { isLatchCell, latchPin } from "../timing/built-graph.ts";
import { verilogName } from "./hdl-names.ts";

/** Simulation models of the cells that `writeStructuralVerilog` instantiates; plain IEEE 1364-2005. */
const primitivesVerilog = `// Simulation models of the part's cells.
module gc_lut #(
  parameter [63:0] MASK = 64'h0
) (
  input  wire i0, i1, i2, i3, i4, i5,
  output wire o
);
  assign o = MASK[{i5, i4, i3, i2, i1, i0}];
endmodule

// Passes data while it is enabled, and holds what it had when that ends.
module gc_latch (
  input  wire d, en,
  output reg  q
);
  initial q = 1'b0;
  always @(d or en) if (en) q = d;
endmodule

// An element of a carry chain: its sum, and its carry to the element above.
module gc_carry (
  input  wire propagate, b, carry_in,
  output wire sum, carry_out
);
  assign sum = propagate ^ carry_in;
  assign carry_out = propagate ? carry_in : b;
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

/** Models of what a netlist instantiates. Those with a time scale come last: a bench behind them takes it over. */
export function primitivesFor(netlist: MappedNetlist): string {
  const used = listBlocks().filter(({ type }) => netlist.blocks.some(({ modes }) => modes.type === type));
  const models = used.map(({ verilog }) => verilog.model);
  const hasScale = (text: string) => Number(text.startsWith("`timescale"));
  return [primitivesVerilog, ...models.sort((a, b) => hasScale(a) - hasScale(b))].join("\n");
}

/** The mapped circuit as structural Verilog with the design's own top-level ports. */
export function writeStructuralVerilog(netlist: MappedNetlist): string {
  const lines: string[] = [];
  const { ports, netName, cellName, inputStart, inputNet, outputNet, kind } = netlist;
  lines.push(`module ${verilogName(netlist.top)} (`);
  const whole = ports.filter((port, i) => ports.findIndex((each) => each.name === port.name) === i);
  whole.forEach((port, i) => {
    const range = port.pads.length > 1 || port.msb !== 0 || port.lsb !== 0 ? `[${port.msb}:${port.lsb}] ` : "";
    const direction = port.isInout ? "inout" : port.direction;
    lines.push(`  ${direction} wire ${range}${verilogName(port.name)}${i + 1 < whole.length ? "," : ""}`);
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
        ? `${netName[net]}:net`
        : netName[net].includes("[")
          ? netName[net]
          : `${netName[net]}`,
    );
  for (let net = 0; net < netlist.netCount; net++) lines.push(`  wire ${wire(net)};`);
  for (const port of ports) {
    port.pads.forEach((cell, i) => {
      if (cell < 0) return;
      if (port.direction === "input") lines.push(`  assign ${wire(outputNet[cell])} = ${bit(port.name, port, i)};`);
      else {
        const value = wire(inputNet[inputStart[cell] + padPin.value]);
        const enable = inputNet[inputStart[cell] + padPin.enable];
        const driven = enable < 0 ? value : `${wire(enable)} ? ${value} : 1'bz`;
        lines.push(`  assign ${bit(port.name, port, i)} = ${driven};`);
      }
    });
  }
  const halves = carryHalves(netlist);
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    const pin = (i: number, open: string) =>
      inputStart[cell] + i < inputStart[cell + 1] && inputNet[inputStart[cell] + i] >= 0
        ? wire(inputNet[inputStart[cell] + i])
        : open;
    const instance = verilogName(`cell:${cellName[cell]}`);
    if (isLatchCell(netlist, cell))
      lines.push(
        `  gc_latch ${instance} (.d(${pin(latchPin.data, "1'b0")}), .en(${pin(latchPin.enable, "1'b0")}), .q(${wire(outputNet[cell])}));`,
      );
    else if (kind[cell] === cellKind.lut) {
      const hex = (value: number) => (value >>> 0).toString(16).padStart(8, "0");
      const inputs = Array.from({ length: 6 }, (_, i) => `.i${i}(${pin(i, "1'b0")})`).join(", ");
      lines.push(
        `  gc_lut #(.MASK(64'h${hex(netlist.maskHigh[cell])}${hex(netlist.maskLow[cell])})) ${instance} (${inputs}, .o(${wire(outputNet[cell])}));`,
      );
    } else if (kind[cell] === cellKind.carrySum || kind[cell] === cellKind.carryMux) {
      const below = pin(carryPin.carryIn, netlist.modes[cell] & carryStart ? "1'b1" : "1'b0");
      // one element: its sum stands for its link as well
      const isSum = kind[cell] === cellKind.carrySum;
      const half = halves[cell];
      if (!isSum && half >= 0) continue;
      const link = isSum ? half : cell;
      const b = link < 0 ? -1 : inputNet[inputStart[link] + carryPin.b];
      const outs = [
        isSum ? `, .sum(${wire(outputNet[cell])})` : ", .sum()",
        link < 0 ? ", .carry_out()" : `, .carry_out(${wire(outputNet[link])})`,
      ];
      lines.push(
        `  gc_carry ${instance} (.propagate(${pin(carryPin.p, "1'b0")}), .b(${b < 0 ? "1'b0" : wire(b)}), .carry_in(${below})${outs.join("")});`,
      );
    } else if (kind[cell] === cellKind.block) {
      lines.push(...blockInstance(netlist, cell, instance, pin, wire));
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

/** An instance of a block, behind the wires that it needs. */
function blockInstance(
  netlist: MappedNetlist,
  cell: number,
  instance: string,
  pin: (i: number, open: string) => string,
  wire: (net: number) => string,
): string[] {
  const { modes, inputNames, outputNames } = netlist.blocks.find((block) => block.cell === cell)!;
  const at = new Map(inputNames.map((name, i) => [name, i]));
  const one = (name: string, open: string) => (at.has(name) ? pin(at.get(name)!, open) : open);
  const outputs = new Map<string, string>();
  for (let out = 0; out < netlist.cellCount; out++) {
    if (netlist.kind[out] !== cellKind.blockOutput) continue;
    if (netlist.netDriver[netlist.inputNet[netlist.inputStart[out]]] !== cell) continue;
    outputs.set(outputNames[netlist.modes[out]], wire(netlist.outputNet[out]));
  }
  const lines: string[] = [];
  const text: BlockText = {
    instance,
    one,
    vector: (name, count) =>
      `{${Array.from({ length: count }, (_, i) => one(`${name}${count - 1 - i}`, "1'b0")).join(", ")}}`,
    clock: (i) => pin(inputNames.length + i, "1'b0"),
    output: (name) => outputs.get(name) ?? "",
    outVector(name, count) {
      const open = verilogName(`${instance.trim().replace(/^\\/, "")}:${name}`);
      lines.push(`  wire [${count - 1}:0] ${open};`);
      for (let i = 0; i < count; i++) {
        const net = outputs.get(`${name}${i}`);
        if (net) lines.push(`  assign ${net} = ${open}[${i}];`);
      }
      return open;
    },
    count: (prefix) =>
      inputNames.filter((name) => name.startsWith(prefix) && /^\d+$/.test(name.slice(prefix.length))).length,
  };
  const written = blockOf(modes).verilog.instance(modes, text, {
    inputs: inputNames,
    outputs: outputNames,
    clocks: blockClockCount(modes),
  });
  return [...lines, `  ${written}`];
}
