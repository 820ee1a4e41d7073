import { clockBlockJitter } from "./clock-plan.ts";
import type { BlockDescription, BlockPins } from "./description.ts";

/**
 * Modes of a clock block. Each output runs at the input's frequency times `multiply` over its own `divide`, both 1 to 64,
 * and lags by its `phase`, in eighths of its period.
 */
export interface ClockBlockModes {
  readonly type: "clockBlock";
  readonly multiply: number;
  /** [outputs] */
  readonly divide: readonly number[];
  readonly phase: readonly number[];
}
/** Rising edges of its input that a clock block needs before its outputs run. */
export const clockBlockLockEdges = 16;

/** Outputs A and B, and a level that says that they run. */
const pins: BlockPins = { inputs: [], outputs: ["A", "B", "LOCKED"], clocks: 1 };

const corner = (index: number) => (index + 1) % 4;

/** `3/2`, or `4` where nothing is left to divide by. */
function ratioText(multiply: number, divide: number): string {
  let [a, b] = [multiply, divide];
  while (b) [a, b] = [b, a % b];
  return divide === a ? `${multiply / a}` : `${multiply / a}/${divide / a}`;
}

const mhzText = (mhz: number) => `${Number(mhz.toPrecision(6))} MHz`;

const text = `\`timescale 1ns / 1ps
// Two clocks that keep a ratio and a phase to the one that comes in: its frequency times MULTIPLY over DIVIDE_A or
// DIVIDE_B, later by PHASE_A or PHASE_B eighths of their own period. They start at the ${clockBlockLockEdges}th rising edge.
module clock_block #(
  parameter MULTIPLY = 1, DIVIDE_A = 1, DIVIDE_B = 1, PHASE_A = 0, PHASE_B = 0
) (
  input  wire clock_in,
  output reg  clock_a, clock_b, locked
);
  localparam UNITS = 16 * MULTIPLY; // to a period of the input
  realtime last = 0.0, period = 0.0;
  integer edges = 0, wait_a = 0, wait_b = 0, at = 0, next = 0;
  initial begin clock_a = 0; clock_b = 0; locked = 0; end
  always begin
    @(posedge clock_in);
    period = $realtime - last;
    last = $realtime;
    if (edges < ${clockBlockLockEdges}) edges = edges + 1;
    if (edges == ${clockBlockLockEdges} && !locked) begin
      locked <= 1;
      wait_a = 2 * PHASE_A * DIVIDE_A;
      wait_b = 2 * PHASE_B * DIVIDE_B;
    end
    if (edges == ${clockBlockLockEdges}) begin
      at = 0;
      while (wait_a < UNITS || wait_b < UNITS) begin
        next = wait_a < wait_b ? wait_a : wait_b;
        if (next > at) #((next - at) * period / UNITS);
        at = next;
        if (wait_a == next) begin clock_a = ~clock_a; wait_a = wait_a + 8 * DIVIDE_A; end
        if (wait_b == next) begin clock_b = ~clock_b; wait_b = wait_b + 8 * DIVIDE_B; end
      end
      wait_a = wait_a - UNITS;
      wait_b = wait_b - UNITS;
    end
  end
endmodule
`;

export const clockBlock: BlockDescription<ClockBlockModes> = {
  type: "clockBlock",
  one: "clock block",
  several: "clock blocks",

  clocks: 1,
  pins: () => pins,
  tile: {
    kind: "corner",
    count: ({ clockBlocks }) => clockBlocks,
    corner,
    clockOutputs: ["CBA", "CBB"],
    outputs: ["LOCKED"],
    inputs: [],
    clockInputs: ["CBI"],
  },
  sites: ({ family, cornerTiles }) => Array.from({ length: family.clockBlocks }, (_, i) => cornerTiles[corner(i)]),
  pinAt: (_family, direction, pin) => ({
    row: 0,
    name: direction === "inputs" ? "CBI" : ["CBA", "CBB", "LOCKED"][pin],
  }),
  stays: true,

  onField: "clockBlockOn",
  fields: () => ({ multiply: 6, divideA: 6, divideB: 6, phaseA: 3, phaseB: 3 }),
  write(config, { multiply, divide, phase }) {
    config.set("multiply", multiply - 1);
    divide.forEach((by, i) => {
      config.set(`divide${"AB"[i]}`, by - 1);
      config.set(`phase${"AB"[i]}`, phase[i]);
    });
  },
  read(config) {
    const both = (name: string, more: number) => ["A", "B"].map((letter) => config.get(name + letter) + more);
    return {
      type: "clockBlock",
      multiply: config.get("multiply") + 1,
      divide: both("divide", 1),
      phase: both("phase", 0),
    };
  },

  clockFalls: () => false,
  clockOfPin: () => 0,
  isClocked: () => true,
  clockFrom({ multiply, divide, phase }, clock, output) {
    const i = pins.outputs.indexOf(output);
    if (output === "LOCKED") return null;
    const periodPs = (clock.periodPs * divide[i]) / multiply;
    const risePs = clock.risePs + (periodPs * phase[i]) / 8;
    return {
      name: `${clock.name} × ${ratioText(multiply, divide[i])}${phase[i] ? `, ${phase[i] * 45}° later` : ""}`,
      periodPs,
      risePs,
      fallPs: risePs + periodPs / 2,
    };
  },
  isAligned: true,
  jitterPs: ({ divide }, periodPs, output, family) =>
    clockBlockJitter((1e6 / periodPs) * divide[output === "B" ? 1 : 0], family),
  checkClock({ multiply }, mhz, { clockBlockMhz: { input, inside }, name }) {
    if (mhz * multiply > inside)
      return {
        message: (clock, block) =>
          `Clock block '${block}' multiplies '${clock}' to ${mhzText(mhz * multiply)}; ${name} goes up to ${mhzText(inside)}.`,
        remedy: "Multiply by less, or choose another part.",
      };
    if (mhz >= input[0] && mhz <= input[1]) return null;
    return {
      message: (clock) =>
        `'${clock}' at ${mhzText(mhz)} is outside of what a clock block of ${name} takes in, ${mhzText(input[0])} to ${mhzText(input[1])}.`,
      remedy: "Bring in another clock, or correct its period.",
    };
  },

  clockPs: (delays, _modes, output) => (output === "LOCKED" ? delays.clockToOutputPs : delays.clockBlockPs),
  setupPs: (delays) => delays.setupPs,

  module: {
    name: "clock_block",
    text,
    pins,
    inputs: ["clock_in"],
    outputs: ["clock_a", "clock_b", "locked"],
    modes({ name: instance, parameters }, wrong) {
      const whole = (name: string, least: number, most: number, usual: number): number => {
        const value = parameters.get(name) ?? usual;
        if (Number.isInteger(value) && value >= least && value <= most) return value;
        wrong(
          "circuit/clock-block",
          `${name} of clock block '${instance}' is ${value}; it is a whole number from ${least} to ${most}.`,
          name.startsWith("PHASE")
            ? "A phase is counted in eighths of the output's period."
            : "Choose another ratio, or divide further with an enable.",
        );
        return usual;
      };
      return {
        type: "clockBlock",
        multiply: whole("MULTIPLY", 1, 64, 1),
        divide: [whole("DIVIDE_A", 1, 64, 1), whole("DIVIDE_B", 1, 64, 1)],
        phase: [whole("PHASE_A", 0, 7, 0), whole("PHASE_B", 0, 7, 0)],
      };
    },
  },
  verilog: {
    model: text.replace("module clock_block", "module gc_clock_block"),
    instance: ({ multiply, divide, phase }, text) =>
      `gc_clock_block #(.MULTIPLY(${multiply}), .DIVIDE_A(${divide[0]}), .DIVIDE_B(${divide[1]}), .PHASE_A(${phase[0]}), .PHASE_B(${phase[1]})) ${text.instance} ` +
      `(.clock_in(${text.clock(0)}), .clock_a(${text.output("A")}), .clock_b(${text.output("B")}), .locked(${text.output("LOCKED")}));`,
    pin: (pin) => (typeof pin === "number" ? "clock_in" : pin === "LOCKED" ? "locked" : `clock_${pin.toLowerCase()}`),
  },

  symbol: { kind: "part block", text: "clock block" },
  words: ({ multiply, divide, phase }) =>
    divide.map((by, i) => {
      const lag = phase[i] ? `, ${phase[i] * 45}° later` : "";
      return `${"AB"[i]}: input × ${ratioText(multiply, by)}${lag}`;
    }),
  dataSheet: {
    line: ({ clockBlocks, clockBlockJitterPs, clockBlockMhz: { input, inside } }) =>
      clockBlocks
        ? `- **Clock blocks**: ${clockBlocks}, in the corners; each makes two clocks of one between ${input.join(" and ")} MHz, by multiplying by 1 to 64, up to ${inside} MHz, dividing by 1 to 64 and shifting by eighths of a period. They run from the ${clockBlockLockEdges}th rising edge on, and keep in step with the clock at the pin: the block takes its own delay out by feedback. Its outputs have a jitter of ${clockBlockJitterPs} ps at ${inside} MHz inside, and more in the square root as it runs slower; timing takes it off.`
        : null,
    delays: ({ clockBlockPs }) => ["clock block: left by feedback", `${clockBlockPs}`],
  },
};
