import { clockBlockText, clockSwitchText, serialLaneText } from "../elaborate/part-library.ts";
import {
  carryHalves,
  carryPin,
  carryStart,
  cellKind,
  ffMode,
  ffPin,
  isClockMaker,
  type MappedNetlist,
  padPin,
} from "../netlist/mapped.ts";
import { serialWordBits } from "../netlist/rtl.ts";

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

// Memory of 2^ADDRESS_BITS bits behind two ports. Words of a port are 2^WIDTH bits; MODE: what reads at the same edge see of
// the word that this port writes: 0 as it was, 1 as it becomes, 2 this port's output holds. JOINT: both clocks are one.
module gc_memory #(
  parameter ADDRESS_BITS = 14,
  parameter WORD_BITS = 32,
  parameter [2**ADDRESS_BITS-1:0] INIT = 0,
  parameter WIDTH_A = 0, WIDTH_B = 0, MODE_A = 0, MODE_B = 0, REG_A = 0, REG_B = 0, FALL_A = 0, FALL_B = 0, JOINT = 0
) (
  input  wire clk_a, en_a, rst_a, clk_b, en_b, rst_b,
  input  wire [ADDRESS_BITS-1:0] a_a, a_b,
  input  wire [WORD_BITS-1:0] d_a, d_b,
  input  wire [WORD_BITS/8-1:0] w_a, w_b,
  output wire [WORD_BITS-1:0] q_a, q_b
);
  reg [7:0] store [0:2**(ADDRESS_BITS-3)-1];
  reg [WORD_BITS-1:0] word_a, word_b, out_a, out_b;
  integer n;
  initial begin
    for (n = 0; n < 2**(ADDRESS_BITS-3); n = n + 1) store[n] = INIT[8*n +: 8];
    word_a = 0; word_b = 0; out_a = 0; out_b = 0;
  end

  task put(input integer width, input [ADDRESS_BITS-1:0] a, input [WORD_BITS-1:0] d, input [WORD_BITS/8-1:0] w);
    integer i;
    reg [7:0] mask;
    begin
      if (width >= 3) begin
        for (i = 0; i < 2**width / 8; i = i + 1)
          if (w[i]) store[((a >> width) << (width - 3)) + i] = d[8*i +: 8];
      end else if (w[0]) begin
        mask = ((1 << 2**width) - 1) << ((a[2:0] >> width) << width);
        store[a >> 3] = (store[a >> 3] & ~mask) | ((d[7:0] << ((a[2:0] >> width) << width)) & mask);
      end
    end
  endtask

  function [WORD_BITS-1:0] get(input integer width, input [ADDRESS_BITS-1:0] a);
    integer i;
    begin
      get = 0;
      if (width >= 3) begin
        for (i = 0; i < 2**width / 8; i = i + 1) get[8*i +: 8] = store[((a >> width) << (width - 3)) + i];
      end else get = (store[a >> 3] >> ((a[2:0] >> width) << width)) & ((1 << 2**width) - 1);
    end
  endfunction

  task step(input now_a, input now_b);
    begin
      if (now_a && en_a && MODE_A == 1) put(WIDTH_A, a_a, d_a, w_a);
      if (now_b && en_b && MODE_B == 1) put(WIDTH_B, a_b, d_b, w_b);
      if (now_a) begin
        out_a <= rst_a ? 0 : word_a;
        if (rst_a && !REG_A) word_a <= 0;
        else if (en_a && !(MODE_A == 2 && |w_a)) word_a <= get(WIDTH_A, a_a);
      end
      if (now_b) begin
        out_b <= rst_b ? 0 : word_b;
        if (rst_b && !REG_B) word_b <= 0;
        else if (en_b && !(MODE_B == 2 && |w_b)) word_b <= get(WIDTH_B, a_b);
      end
      if (now_a && en_a && MODE_A != 1) put(WIDTH_A, a_a, d_a, w_a);
      if (now_b && en_b && MODE_B != 1) put(WIDTH_B, a_b, d_b, w_b);
    end
  endtask

  wire edge_a = FALL_A ? ~clk_a : clk_a;
  wire edge_b = FALL_B ? ~clk_b : clk_b;
  generate
    if (JOINT) begin : joint
      always @(posedge edge_a) step(1, 1);
    end else begin : apart
      always @(posedge edge_a) step(1, 0);
      always @(posedge edge_b) step(0, 1);
    end
  endgenerate
  assign q_a = REG_A ? out_a : word_a;
  assign q_b = REG_B ? out_b : word_b;
endmodule

// The addend, or the last result, plus or minus left * right.
module gc_multiplier #(
  parameter SIGNED_LEFT = 0, SIGNED_RIGHT = 0, REG_IN = 0, REG_PRODUCT = 0, REG_OUT = 0, ACCUMULATE = 0, SUBTRACT = 0, FALL = 0
) (
  input  wire clk, en, rst, load,
  input  wire [17:0] left, right,
  input  wire [43:0] addend,
  output wire [43:0] result
);
  wire signed [43:0] wide_left = {{26{SIGNED_LEFT ? left[17] : 1'b0}}, left};
  wire signed [43:0] wide_right = {{26{SIGNED_RIGHT ? right[17] : 1'b0}}, right};
  reg signed [43:0] held_left = 0, held_right = 0, held_product = 0;
  reg [43:0] held_sum = 0;
  wire signed [43:0] one = REG_IN ? held_left : wide_left;
  wire signed [43:0] other = REG_IN ? held_right : wide_right;
  wire signed [43:0] product = one * other;
  wire [43:0] term = REG_PRODUCT ? held_product : product;
  wire [43:0] base = ACCUMULATE && !load ? held_sum : addend;
  wire [43:0] sum = SUBTRACT ? base - term : base + term;
  wire edge_clk = FALL ? ~clk : clk;
  always @(posedge edge_clk)
    if (rst) begin
      held_left <= 0; held_right <= 0; held_product <= 0; held_sum <= 0;
    end else if (en) begin
      held_left <= wide_left; held_right <= wide_right; held_product <= product; held_sum <= sum;
    end
  assign result = REG_OUT ? held_sum : sum;
endmodule
`;

/** Models of what a netlist instantiates. Those of clocks come with a time scale, which a bench behind them takes over. */
export function primitivesFor(netlist: MappedNetlist): string {
  const has = (type: string) => netlist.blocks.some(({ modes }) => modes.type === type);
  const texts = [primitivesVerilog];
  if (has("clockSwitch")) texts.push(clockSwitchText.replace("module clock_switch", "module gc_clock_switch"));
  if (has("clockBlock")) texts.push(clockBlockText.replace("module clock_block", "module gc_clock_block"));
  if (has("serialLane")) texts.push(serialLaneText.replace("module serial_lane", "module gc_serial_lane"));
  return texts.join("\n");
}

const plain = /^[A-Za-z_][A-Za-z0-9_$]*$/;
/** An escaped identifier (clause 3.7.1) wherever a plain one would not do. */
function verilogName(name: string): string {
  return plain.test(name) ? name : `\\${name} `;
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
    if (kind[cell] === cellKind.lut) {
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

/** Vectors of a block's pins, most significant first; pins without a net are 0. */
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
  const vector = (name: string, count: number) =>
    `{${Array.from({ length: count }, (_, i) => one(`${name}${count - 1 - i}`, "1'b0")).join(", ")}}`;
  const outputs = new Map<string, string>();
  for (let out = 0; out < netlist.cellCount; out++) {
    if (netlist.kind[out] !== cellKind.blockOutput) continue;
    if (netlist.netDriver[netlist.inputNet[netlist.inputStart[out]]] !== cell) continue;
    outputs.set(outputNames[netlist.modes[out]], wire(netlist.outputNet[out]));
  }
  const spare = (name: string) => `${instance.trim().replace(/^\\/, "")}:${name}`;
  const lines: string[] = [];
  const outVector = (name: string, count: number) => {
    const open = verilogName(spare(name));
    lines.push(`  wire [${count - 1}:0] ${open};`);
    for (let i = 0; i < count; i++) {
      const net = outputs.get(`${name}${i}`);
      if (net) lines.push(`  assign ${net} = ${open}[${i}];`);
    }
    return open;
  };
  const flag = (value: boolean) => (value ? 1 : 0);
  const count = (prefix: string) => inputNames.filter((name) => new RegExp(`^${prefix}\\d+$`).test(name)).length;
  const clock = (i: number) => pin(inputNames.length + i, "1'b0");
  if (modes.type === "multiplier") {
    const result = outVector("RESULT", outputNames.length);
    lines.push(
      `  gc_multiplier #(.SIGNED_LEFT(${flag(modes.signedLeft)}), .SIGNED_RIGHT(${flag(modes.signedRight)}), .REG_IN(${flag(modes.inputRegister)}), .REG_PRODUCT(${flag(modes.productRegister)}), .REG_OUT(${flag(modes.outputRegister)}), .ACCUMULATE(${flag(modes.accumulate)}), .SUBTRACT(${flag(modes.subtract)}), .FALL(${flag(modes.clockFalling)})) ${instance} ` +
        `(.clk(${clock(0)}), .en(${modes.enableUsed ? one("E", "1'b0") : "1'b1"}), .rst(${one("R", "1'b0")}), .load(${one("LOAD", "1'b0")}), .left(${vector("LEFT", count("LEFT"))}), .right(${vector("RIGHT", count("RIGHT"))}), .addend(${vector("ADDEND", count("ADDEND"))}), .result(${result}));`,
    );
    return lines;
  }
  if (isClockMaker(modes)) {
    const out = (name: string) => outputs.get(name) ?? "";
    if (modes.type === "clockSwitch")
      lines.push(
        `  gc_clock_switch ${instance} (.clock_0(${clock(0)}), .clock_1(${clock(1)}), .select(${one("SELECT", "1'b0")}), .clock_out(${out("Q")}));`,
      );
    else
      lines.push(
        `  gc_clock_block #(.MULTIPLY(${modes.multiply}), .DIVIDE_A(${modes.divide[0]}), .DIVIDE_B(${modes.divide[1]}), .PHASE_A(${modes.phase[0]}), .PHASE_B(${modes.phase[1]})) ${instance} ` +
          `(.clock_in(${clock(0)}), .clock_a(${out("A")}), .clock_b(${out("B")}), .locked(${out("LOCKED")}));`,
      );
    return lines;
  }
  if (modes.type === "serialLane") {
    const rx = outVector("R", serialWordBits);
    lines.push(
      `  gc_serial_lane ${instance} (.word_clock(${clock(0)}), .slip(${one("SLIP", "1'b0")}), .rx(${one("RX", "1'b0")}), .tx_word(${vector("T", serialWordBits)}), .rx_word(${rx}), .tx(${outputs.get("TX") ?? ""}));`,
    );
    return lines;
  }
  const [a, b] = modes.ports;
  const bits = count("AA");
  const width = Math.max(count("DA"), count("DB"));
  const qa = outVector("QA", width);
  const qb = outVector("QB", width);
  const joint = clock(0) === clock(1) && a.clockFalling === b.clockFalling;
  const init = modes.contents ? `${2 ** bits}'h${modes.contents}` : "0";
  const port = (letter: string, p: number, enableUsed: boolean) => {
    const low = letter.toLowerCase();
    return `.clk_${low}(${clock(p)}), .en_${low}(${enableUsed ? one(`E${letter}`, "1'b0") : "1'b1"}), .rst_${low}(${one(`R${letter}`, "1'b0")}), .a_${low}(${vector(`A${letter}`, bits)}), .d_${low}(${vector(`D${letter}`, width)}), .w_${low}(${vector(`W${letter}`, width / 8)}), .q_${low}(${letter === "A" ? qa : qb})`;
  };
  lines.push(
    `  gc_memory #(.ADDRESS_BITS(${bits}), .WORD_BITS(${width}), .INIT(${init}), .WIDTH_A(${a.width}), .WIDTH_B(${b.width}), .MODE_A(${a.writeMode}), .MODE_B(${b.writeMode}), .REG_A(${flag(a.outputRegister)}), .REG_B(${flag(b.outputRegister)}), .FALL_A(${flag(a.clockFalling)}), .FALL_B(${flag(b.clockFalling)}), .JOINT(${flag(joint)})) ${instance} ` +
      `(${port("A", 0, a.enableUsed)}, ${port("B", 1, b.enableUsed)});`,
  );
  return lines;
}
