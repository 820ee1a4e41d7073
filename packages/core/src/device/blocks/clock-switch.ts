import type { BlockDescription, BlockPins } from "./description.ts";

/** A clock switch has none: it passes clock 0 or clock 1, and changes over while both are low. */
interface ClockSwitchModes {
  readonly type: "clockSwitch";
}

/** SELECT is 1 for clock 1. */
const pins: BlockPins = { inputs: ["SELECT"], outputs: ["Q"], clocks: 2 };

const corner = (index: number) => 3 * (index % 2);

const text = `// One of two clocks. It changes over after a falling edge of the one and then of the other, so that no pulse is cut short;
// both must run for it.
module clock_switch (
  input  wire clock_0, clock_1, select,
  output wire clock_out
);
  reg on_0 = 1, on_1 = 0;
  always @(negedge clock_0) on_0 <= ~select & ~on_1;
  always @(negedge clock_1) on_1 <= select & ~on_0;
  assign clock_out = (clock_0 & on_0) | (clock_1 & on_1);
endmodule
`;

export const clockSwitch: BlockDescription<ClockSwitchModes> = {
  type: "clockSwitch",
  one: "clock switch",
  several: "clock switches",

  clocks: 2,
  pins: () => pins,
  tile: {
    kind: "corner",
    count: ({ clockSwitches }) => clockSwitches,
    corner,
    clockOutputs: ["CSQ"],
    outputs: [],
    inputs: ["SELECT"],
    clockInputs: ["CS0", "CS1"],
  },
  sites: ({ family, cornerTiles }) => Array.from({ length: family.clockSwitches }, (_, i) => cornerTiles[corner(i)]),
  pinAt: (_family, direction, pin) => ({
    row: 0,
    name: direction === "inputs" ? ["SELECT", "CS0", "CS1"][pin] : "CSQ",
  }),
  stays: true,

  onField: "clockSwitchOn",
  fields: () => ({}),
  write() {},
  read: () => ({ type: "clockSwitch" }),

  clockFalls: () => true,
  clockOfPin: () => 0,
  isClocked: () => true,
  clockFrom: (_modes, clock) => clock,

  clockPs: (delays) => delays.clockSwitchPs,
  setupPs: (delays) => delays.setupPs,

  module: {
    name: "clock_switch",
    text,
    pins,
    inputs: ["select", "clock_0", "clock_1"],
    outputs: ["clock_out"],
    modes: () => ({ type: "clockSwitch" }),
  },
  verilog: {
    model: text.replace("module clock_switch", "module gc_clock_switch"),
    instance: (_modes, text) =>
      `gc_clock_switch ${text.instance} (.clock_0(${text.clock(0)}), .clock_1(${text.clock(1)}), .select(${text.one("SELECT", "1'b0")}), .clock_out(${text.output("Q")}));`,
    pin: (pin) => (typeof pin === "number" ? `clock_${pin}` : pin === "Q" ? "clock_out" : "select"),
  },

  symbol: { kind: "part block", text: "clock switch" },
  words: () => ["changes over while both clocks are low"],
  dataSheet: {
    line: ({ clockSwitches }) =>
      clockSwitches
        ? `- **Clock switches**: ${clockSwitches}; each passes one of two clocks, chosen while the part runs, and never a shortened pulse.`
        : null,
    delays: ({ clockSwitchPs }) => ["clock switch", `${clockSwitchPs}`],
  },
};
