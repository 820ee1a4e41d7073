import type { FamilyDescription } from "../family.ts";
import { type BlockDescription, type BlockFamily, type BlockGrid, type BlockPins, span } from "./description.ts";

/** Modes of a memory block. Word widths are powers of two, given by their exponent. */
export interface MemoryModes {
  readonly type: "memory";
  readonly ports: readonly MemoryPortModes[];
  /** All bits of the block in hex, bit 0 last; null: all 0. */
  readonly contents: string | null;
}
export interface MemoryPortModes {
  readonly width: number;
  /** What reads of the word that this port writes see at the same edge: the word before, the word after, or (at this port) nothing: the output holds. */
  readonly writeMode: 0 | 1 | 2;
  readonly outputRegister: boolean;
  /** False: the port is always on. */
  readonly enableUsed: boolean;
  readonly clockFalling: boolean;
}
export const writeMode = { old: 0, new: 1, hold: 2 } as const;

export const isMemory = (modes: { readonly type: string }): modes is MemoryModes => modes.type === "memory";

/** Bits of an address, counted in single bits of the memory: a word of 2^w bits leaves the lowest w open. */
export function memoryAddressBits(family: BlockFamily): number {
  return Math.log2(family.memoryPins.bits * family.blockRows);
}
/** Widest word, in bits. */
export function memoryWidth(family: BlockFamily): number {
  return (family.memoryPins.outputs * family.blockRows) / (family.memory === "dual" ? 2 : 1);
}

const knownPins = new Map<string, BlockPins>();

/** Address, data, byte enables, port enable and output reset of each port that has them; then what is read. */
export function memoryBlockPins(family: BlockFamily): BlockPins {
  let pins = knownPins.get(family.name);
  if (!pins) {
    const width = memoryWidth(family);
    const bytes = Math.max(1, width / 8);
    const address = memoryAddressBits(family);
    const port = (p: string, writes: boolean, reads: boolean) => [
      ...span(`A${p}`, address),
      ...(writes ? [...span(`D${p}`, width), ...span(`W${p}`, bytes)] : []),
      `E${p}`,
      ...(reads ? [`R${p}`] : []),
    ];
    pins =
      family.memory === "dual"
        ? {
            inputs: [...port("A", true, true), ...port("B", true, true)],
            outputs: [...span("QA", width), ...span("QB", width)],
            clocks: 2,
          }
        : { inputs: [...port("A", true, false), ...port("B", false, true)], outputs: span("QB", width), clocks: 2 };
    knownPins.set(family.name, pins);
  }
  return pins;
}

/** Feet of blocks that span the family's rows, in the columns of a kind. */
export function columnSites({ family, width, height, tileKind }: BlockGrid, kind: string): number[] {
  const sites: number[] = [];
  for (let x = 0; x < width; x++)
    for (let y = 1; y + family.blockRows < height; y += family.blockRows)
      if (tileKind(y * width + x) === kind) sites.push(y * width + x);
  return sites;
}

/** Pins are dealt to the block's tiles in their order, so many to a tile; the clocks are the tiles' own clock pins. */
export function dealtPin(
  pins: BlockPins,
  perTile: { readonly inputs: number; readonly outputs: number },
  letter: string,
  direction: "inputs" | "outputs",
  pin: number,
): { row: number; name: string } {
  if (direction === "inputs" && pin >= pins.inputs.length) return { row: pin - pins.inputs.length, name: "CLK" };
  const name = `${letter}${direction === "inputs" ? "I" : "Q"}${pin % perTile[direction]}`;
  return { row: Math.floor(pin / perTile[direction]), name };
}

export const memoryBlock: BlockDescription<MemoryModes> = {
  type: "memory",
  one: "memory",
  several: "memories",
  isAlwaysCounted: true,

  clocks: 2,
  pins: memoryBlockPins,
  tile: {
    kind: "memory",
    column: "M",
    seed: 12,
    mark: [0.25, 0.5, 0.75].map((y) => [
      [0.1, y],
      [0.9, y],
    ]),
    outputs: ({ memoryPins }) => span("MQ", memoryPins.outputs),
    inputs: ({ memoryPins }) => span("MI", memoryPins.inputs),
  },
  sites: (grid) => columnSites(grid, "memory"),
  // port A's clock is that of the foot, port B's that of the tile above
  pinAt: (family, direction, pin) => dealtPin(memoryBlockPins(family), family.memoryPins, "M", direction, pin),
  stays: false,

  onField: "memoryOn",
  fields: ({ memoryPins }: FamilyDescription) => ({
    widthA: 3,
    widthB: 3,
    writeModeA: 2,
    writeModeB: 2,
    outputRegisterA: 1,
    outputRegisterB: 1,
    enableUsedA: 1,
    enableUsedB: 1,
    contents: memoryPins.bits,
  }),
  write(config, { ports, contents }) {
    ports.forEach((port, p) => {
      const letter = "AB"[p];
      config.set(`width${letter}`, port.width);
      config.set(`writeMode${letter}`, port.writeMode);
      config.set(`outputRegister${letter}`, port.outputRegister);
      config.set(`enableUsed${letter}`, port.enableUsed);
      config.set("clockFalling", port.clockFalling, p);
    });
    if (!contents) return;
    const digits = config.family.memoryPins.bits / 4;
    for (let row = 0; row < config.family.blockRows; row++) {
      const end = contents.length - row * digits;
      config.setHex("contents", row, contents.slice(end - digits, end));
    }
  },
  read(config) {
    const { family } = config;
    const widest = Math.log2(memoryWidth(family));
    const ports = [0, 1].map((p): MemoryPortModes => {
      const letter = "AB"[p];
      const mode = config.get(`writeMode${letter}`);
      return {
        width: Math.min(widest, config.get(`width${letter}`)),
        writeMode: mode === 1 ? 1 : mode === 2 ? 2 : 0,
        outputRegister: config.get(`outputRegister${letter}`) === 1,
        enableUsed: config.get(`enableUsed${letter}`) === 1,
        clockFalling: config.get("clockFalling", p) === 1,
      };
    });
    let contents = "";
    for (let row = 0; row < family.blockRows; row++) contents = config.getHex("contents", row) + contents;
    return { type: "memory", ports, contents: /^0*$/.test(contents) ? null : contents };
  },
  withoutContents: (modes) => ({ ...modes, contents: null }),

  clockFalls: ({ ports }, clock) => ports[clock].clockFalling,
  clockOfPin: (pin) => (pin[1] === "B" ? 1 : 0),
  isClocked: () => true,

  clockPs: (delays, { ports }, output) =>
    ports[output[1] === "B" ? 1 : 0].outputRegister ? delays.memoryRegisteredPs : delays.memoryClockPs,
  setupPs: (delays) => delays.memorySetupPs,
  // a word is read, and its lines are made ready for the next one
  periodPs: (delays) => delays.memoryClockPs + delays.memorySetupPs,

  module: null,
  verilog: {
    model: `// Memory of 2^ADDRESS_BITS bits behind two ports. Words of a port are 2^WIDTH bits; MODE: what reads at the same edge see of
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
`,
    instance(modes, text) {
      const [a, b] = modes.ports;
      const bits = text.count("AA");
      const width = Math.max(text.count("DA"), text.count("DB"));
      const [qa, qb] = [text.outVector("QA", width), text.outVector("QB", width)];
      const joint = text.clock(0) === text.clock(1) && a.clockFalling === b.clockFalling;
      const init = modes.contents ? `${2 ** bits}'h${modes.contents}` : "0";
      const flag = Number;
      const port = (letter: string, p: number, enableUsed: boolean) => {
        const low = letter.toLowerCase();
        return `.clk_${low}(${text.clock(p)}), .en_${low}(${enableUsed ? text.one(`E${letter}`, "1'b0") : "1'b1"}), .rst_${low}(${text.one(`R${letter}`, "1'b0")}), .a_${low}(${text.vector(`A${letter}`, bits)}), .d_${low}(${text.vector(`D${letter}`, width)}), .w_${low}(${text.vector(`W${letter}`, width / 8)}), .q_${low}(${letter === "A" ? qa : qb})`;
      };
      return (
        `gc_memory #(.ADDRESS_BITS(${bits}), .WORD_BITS(${width}), .INIT(${init}), .WIDTH_A(${a.width}), .WIDTH_B(${b.width}), .MODE_A(${a.writeMode}), .MODE_B(${b.writeMode}), .REG_A(${flag(a.outputRegister)}), .REG_B(${flag(b.outputRegister)}), .FALL_A(${flag(a.clockFalling)}), .FALL_B(${flag(b.clockFalling)}), .JOINT(${flag(joint)})) ${text.instance} ` +
        `(${port("A", 0, a.enableUsed)}, ${port("B", 1, b.enableUsed)});`
      );
    },
    pin(pin) {
      if (typeof pin === "number") return `clk_${"ab"[pin]}`;
      const [kind, letter] = [pin[0], pin[1].toLowerCase()];
      const bit = pin.slice(2);
      return `${{ E: "en", R: "rst" }[kind] ?? kind.toLowerCase()}_${letter}${bit === "" ? "" : `[${bit}]`}`;
    },
  },

  symbol: { kind: "memory", text: "memory block" },
  words: ({ ports, contents }) => [
    ...ports.map(({ width }, p) => `port ${"AB"[p]}: words of ${2 ** width} bits`),
    ...(contents ? ["has start values"] : []),
  ],
  dataSheet: {
    line: (family) =>
      family.memory === "none"
        ? null
        : `- **Memory block**: ${2 ** memoryAddressBits(family) / 1024} Kbit, words of 1 to ${memoryWidth(family)} bits by powers of two, ${family.memory === "dual" ? "two ports that both read and write" : "one port that writes and one that reads"}, byte enables, output registers, start values. The port that writes decides what a read at the same edge sees: the word before, the word after, or (at this port) nothing new.`,
    delays: ({ memoryClockPs, memoryRegisteredPs, memorySetupPs }) => [
      "memory: clock to word / to output register / setup",
      `${memoryClockPs} / ${memoryRegisteredPs} / ${memorySetupPs}`,
    ],
  },
};
