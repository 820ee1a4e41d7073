import { type BlockDescription, type BlockPins, span } from "./description.ts";
import { columnSites, dealtPin } from "./memory.ts";

/** Modes of a multiplier block. The addend, or the last result, plus or minus left * right. */
export interface MultiplierModes {
  readonly type: "multiplier";
  readonly signedLeft: boolean;
  readonly signedRight: boolean;
  readonly inputRegister: boolean;
  readonly productRegister: boolean;
  readonly outputRegister: boolean;
  /** Adds the last result instead of the addend, unless LOAD is on. */
  readonly accumulate: boolean;
  readonly subtract: boolean;
  readonly enableUsed: boolean;
  readonly clockFalling: boolean;
}

/** Operands of the multiplier, and of what its product is added to. */
export const multiplierWidth = 18;
export const accumulatorWidth = 44;

/** Both factors, and what their product is added to; enable and reset of all registers; LOAD: adds that, not the last result. */
export const multiplierBlockPins: BlockPins = {
  inputs: [
    ...span("LEFT", multiplierWidth),
    ...span("RIGHT", multiplierWidth),
    ...span("ADDEND", accumulatorWidth),
    "E",
    "R",
    "LOAD",
  ],
  outputs: span("RESULT", accumulatorWidth),
  clocks: 1,
};
const flags = [
  "signedLeft",
  "signedRight",
  "inputRegister",
  "productRegister",
  "outputRegister",
  "accumulate",
  "subtract",
  "enableUsed",
] as const;

const isOperand = (pin: string) => /^(?:LEFT|RIGHT)\d/.test(pin);
const isAddend = (pin: string) => /^(?:ADDEND\d|LOAD$)/.test(pin);

export const multiplierBlock: BlockDescription<MultiplierModes> = {
  type: "multiplier",
  one: "multiplier",
  several: "multipliers",
  isAlwaysCounted: true,

  clocks: 1,
  pins: () => multiplierBlockPins,
  tile: {
    kind: "multiplier",
    column: "X",
    seed: 13,
    mark: [
      [
        [0.1, 0.1],
        [0.9, 0.9],
      ],
      [
        [0.1, 0.9],
        [0.9, 0.1],
      ],
    ],
    outputs: ({ multiplierPins }) => span("XQ", multiplierPins.outputs),
    inputs: ({ multiplierPins }) => span("XI", multiplierPins.inputs),
  },
  sites: (grid) => columnSites(grid, "multiplier"),
  pinAt: (family, direction, pin) => dealtPin(multiplierBlockPins, family.multiplierPins, "X", direction, pin),
  stays: false,

  onField: "multiplierOn",
  fields: () => Object.fromEntries(flags.map((name) => [name, 1])),
  write(config, modes) {
    for (const name of flags) config.set(name, modes[name]);
    config.set("clockFalling", modes.clockFalling);
  },
  read(config) {
    const read = Object.fromEntries(flags.map((name) => [name, config.get(name) === 1]));
    return {
      type: "multiplier",
      ...(read as Record<(typeof flags)[number], boolean>),
      clockFalling: config.get("clockFalling") === 1,
    };
  },

  clockFalls: ({ clockFalling }) => clockFalling,
  clockOfPin: () => 0,
  isClocked: ({ inputRegister, productRegister, outputRegister }) => inputRegister || productRegister || outputRegister,
  // the addend has no register but the last one
  isThrough: ({ inputRegister, productRegister, outputRegister }, pin) =>
    !outputRegister && (isAddend(pin) || (isOperand(pin) && !inputRegister && !productRegister)),

  clockPs: (delays, { productRegister, outputRegister }) =>
    delays.multiplierClockPs +
    (outputRegister ? 0 : delays.multiplierAddPs + (productRegister ? 0 : delays.multiplierPs)),
  setupPs(delays, { inputRegister, productRegister, outputRegister }, input) {
    let before = 0;
    // what lies between a pin and the first register that takes it
    if (isOperand(input) && !inputRegister)
      before = delays.multiplierPs + (productRegister ? 0 : delays.multiplierAddPs);
    else if (isAddend(input) && outputRegister) before = delays.multiplierAddPs;
    return delays.multiplierSetupPs + before;
  },
  insidePs(delays, { inputRegister, productRegister, outputRegister, accumulate }) {
    let most = 0;
    if (inputRegister && (productRegister || outputRegister))
      most = delays.multiplierPs + (productRegister ? 0 : delays.multiplierAddPs);
    if (outputRegister && (productRegister || accumulate)) most = Math.max(most, delays.multiplierAddPs);
    return most > 0 ? delays.multiplierClockPs + most + delays.multiplierSetupPs : null;
  },
  throughPs: (delays, input) => delays.multiplierAddPs + (isAddend(input) ? 0 : delays.multiplierPs),

  module: null,
  verilog: {
    model: `// The addend, or the last result, plus or minus left * right.
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
`,
    instance(modes, text) {
      const flag = Number;
      const result = text.outVector("RESULT", accumulatorWidth);
      return (
        `gc_multiplier #(.SIGNED_LEFT(${flag(modes.signedLeft)}), .SIGNED_RIGHT(${flag(modes.signedRight)}), .REG_IN(${flag(modes.inputRegister)}), .REG_PRODUCT(${flag(modes.productRegister)}), .REG_OUT(${flag(modes.outputRegister)}), .ACCUMULATE(${flag(modes.accumulate)}), .SUBTRACT(${flag(modes.subtract)}), .FALL(${flag(modes.clockFalling)})) ${text.instance} ` +
        `(.clk(${text.clock(0)}), .en(${modes.enableUsed ? text.one("E", "1'b0") : "1'b1"}), .rst(${text.one("R", "1'b0")}), .load(${text.one("LOAD", "1'b0")}), .left(${text.vector("LEFT", multiplierWidth)}), .right(${text.vector("RIGHT", multiplierWidth)}), .addend(${text.vector("ADDEND", accumulatorWidth)}), .result(${result}));`
      );
    },
    pin(pin) {
      if (typeof pin === "number") return "clk";
      const plain = { E: "en", R: "rst", LOAD: "load" }[pin];
      return plain ?? pin.replace(/^([A-Z]+)(\d+)$/, (_, name: string, bit: string) => `${name.toLowerCase()}[${bit}]`);
    },
  },

  symbol: { kind: "multiplier", text: "×" },
  words: (modes) =>
    (["inputRegister", "productRegister", "outputRegister", "accumulate", "subtract"] as const)
      .filter((flag) => modes[flag])
      .map((flag) => flag.replace(/([A-Z])/g, " $1").toLowerCase()),
  dataSheet: {
    line: (family, dies) =>
      family.multiplier === "none" || !dies.some((die) => die.columns.includes("X"))
        ? null
        : `- **Multiplier block**: ${family.multiplier}, each operand signed or not; registers before, between and behind; adds its product to a ${accumulatorWidth}-bit word or to its last result, or takes it away.`,
    delays: ({ multiplierPs, multiplierAddPs, multiplierClockPs, multiplierSetupPs }) => [
      "multiplier: product / sum / clock to output / setup",
      `${multiplierPs} / ${multiplierAddPs} / ${multiplierClockPs} / ${multiplierSetupPs}`,
    ],
  },
};
