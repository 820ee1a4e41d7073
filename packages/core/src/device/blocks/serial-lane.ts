import { type BlockDescription, type BlockPins, span } from "./description.ts";

/**
 * A serial lane has no modes. At each rising edge of its clock it takes ten bits to send, lowest first, and gives the ten that
 * came in during the cycle before; `SLIP` moves the border between two words by a bit.
 */
interface SerialLaneModes {
  readonly type: "serialLane";
}
export const serialWordBits = 10;

export const isSerialLane = (modes: { readonly type: string }): modes is SerialLaneModes => modes.type === "serialLane";

/** The word to send, SLIP and the pin that receives; the word received and the pin that sends. */
const pins: BlockPins = {
  inputs: [...span("T", serialWordBits), "SLIP", "RX"],
  outputs: [...span("R", serialWordBits), "TX"],
  clocks: 1,
};

const text = `\`timescale 1ns / 1ps
// A serial line: ten bits at each rising edge of word_clock, lowest first, from the second edge on. rx_word is what came in
// during the cycle before; slip moves the border between two words by a bit, towards earlier ones. rx and tx are pins.
module serial_lane (
  input  wire word_clock, slip, rx,
  input  wire [${serialWordBits - 1}:0] tx_word,
  output reg  [${serialWordBits - 1}:0] rx_word,
  output reg  tx
);
  realtime last = 0.0, period = 0.0;
  reg [${2 * serialWordBits - 1}:0] line = 0;
  reg [${serialWordBits - 1}:0] word = 0;
  integer border = 0, i = 0;
  initial begin rx_word = 0; tx = 0; end
  always begin
    @(posedge word_clock);
    period = $realtime - last;
    rx_word <= line >> (${serialWordBits} - border);
    if (slip) border = (border + 1) % ${serialWordBits};
    word = tx_word;
    if (last > 0.0) begin
      last = $realtime;
      for (i = 0; i < ${serialWordBits}; i = i + 1) begin
        tx = word[i];
        #(period / ${2 * serialWordBits}) line = {rx, line[${2 * serialWordBits - 1}:1]};
        if (i < ${serialWordBits - 1}) #(period / ${2 * serialWordBits});
      end
    end else last = $realtime;
  end
endmodule
`;

export const serialLane: BlockDescription<SerialLaneModes> = {
  type: "serialLane",
  one: "serial lane",
  several: "serial lanes",

  clocks: 1,
  pins: () => pins,
  tile: {
    kind: "serial",
    column: "S",
    seed: 16,
    mark: [
      [
        [0.1, 0.35],
        [0.35, 0.35],
        [0.35, 0.65],
        [0.65, 0.65],
        [0.65, 0.35],
        [0.9, 0.35],
      ],
    ],
    outputs: () => span("R", serialWordBits),
    inputs: () => [...span("T", serialWordBits), "SLIP"],
  },
  sites({ part, width, height, tileKind }) {
    // evenly up the columns that have them, the first at the foot
    const tiles: number[] = [];
    for (let tile = 0; tile < width * height; tile++) if (tileKind(tile) === "serial") tiles.push(tile);
    const lanes = part.serialLanes;
    return Array.from({ length: lanes }, (_, i) => tiles[Math.floor((i * tiles.length) / lanes)]);
  },
  pinAt: (_family, direction, pin) => ({
    row: 0,
    name: direction === "outputs" ? pins.outputs[pin] : (pins.inputs[pin] ?? "CLK"),
  }),
  isOutside: (pin) => pin === "RX" || pin === "TX",
  stays: true,
  runsAlone: true,

  onField: "serialOn",
  fields: () => ({}),
  write() {},
  read: () => ({ type: "serialLane" }),

  clockFalls: () => false,
  clockOfPin: () => 0,
  isClocked: () => true,

  clockPs: (delays) => delays.serialClockPs,
  setupPs: (delays) => delays.serialSetupPs,

  module: {
    name: "serial_lane",
    text,
    pins,
    inputs: ["tx_word", "slip", "rx", "word_clock"],
    outputs: ["rx_word", "tx"],
    modes: () => ({ type: "serialLane" }),
  },
  verilog: {
    model: text.replace("module serial_lane", "module gc_serial_lane"),
    instance(_modes, text) {
      const word = text.outVector("R", serialWordBits);
      return `gc_serial_lane ${text.instance} (.word_clock(${text.clock(0)}), .slip(${text.one("SLIP", "1'b0")}), .rx(${text.one("RX", "1'b0")}), .tx_word(${text.vector("T", serialWordBits)}), .rx_word(${word}), .tx(${text.output("TX")}));`;
    },
    pin(pin) {
      if (typeof pin === "number") return "word_clock";
      const bit = /^([TR])(\d+)$/.exec(pin);
      return bit ? `${bit[1].toLowerCase()}x_word[${bit[2]}]` : pin.toLowerCase();
    },
  },

  symbol: { kind: "part block", text: "serial lane" },
  words: () => ["ten bits a cycle, lowest first"],
  dataSheet: {
    line(_family, dies) {
      const own = dies.filter((die) => die.serialLanes > 0);
      return own.length
        ? `- **Serial lanes**: ${own.map((die) => `${die.serialLanes} in ${die.name}`).join(", ")}; each sends and receives ${serialWordBits} bits a cycle of its clock, lowest first, at the pins TX0, RX0 and so on. What comes in can be shifted by a bit until words begin where they should.`
        : null;
    },
    delays: ({ serialClockPs, serialSetupPs }) => [
      "serial lane: clock to word / setup",
      `${serialClockPs} / ${serialSetupPs}`,
    ],
  },
};
