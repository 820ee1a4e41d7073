import type { Random } from "../common/random.ts";
import type { RtlNetlist, RtlPort } from "../netlist/rtl.ts";

/** How the inputs of a design are changed so that simulation and circuit cannot race. */
export interface Drive {
  /** Inputs of one bit that clock something. */
  readonly clocks: readonly RtlPort[];
  /** All other inputs. */
  readonly data: readonly RtlPort[];
  /** [data] Leads to a clock, a reset that does not wait or a latch's enable: changes at a moment of its own. */
  readonly isAlone: readonly boolean[];
}

/** One cycle: values of the data inputs, then the clock that goes up and down again. */
export interface Stimulus {
  /** [data] */
  readonly values: readonly bigint[];
  /** [data] Of pins that go both ways: which bits are driven from outside. */
  readonly driven: readonly bigint[];
  /** Which of the clocks; -1: none. */
  readonly clock: number;
}

export function driveOf(netlist: RtlNetlist): Drive {
  const driver = new Map<number, number>();
  netlist.cells.forEach((cell, c) => {
    if (cell.kind !== "ff" && cell.kind !== "mem") for (const net of cell.output) driver.set(net, c);
  });
  const clocking: number[] = [];
  const quick: number[] = [];
  for (const { kind, inputs, memory, modes } of netlist.cells) {
    if (kind === "ff") {
      clocking.push(inputs[1][0]);
      if (modes!.asyncReset) quick.push(...(inputs[3] ?? []));
    }
    if (kind === "latch") quick.push(inputs[1][0]);
    if (kind === "block") for (const bits of inputs) clocking.push(...bits);
    if (kind === "mem")
      for (let i = 0; i < memory!.writes.length; i++) clocking.push(inputs[memory!.reads + 4 * i + 3][0]);
  }
  const direct = new Set(clocking);
  const leading = (from: readonly number[]) => {
    const seen = new Set<number>();
    const stack = [...from];
    while (stack.length) {
      const net = stack.pop()!;
      if (seen.has(net)) continue;
      seen.add(net);
      for (const bits of netlist.cells[driver.get(net) ?? -1]?.inputs ?? []) stack.push(...bits);
    }
    return seen;
  };
  const toClocks = leading(clocking);
  const toQuick = leading(quick);
  const inputs = netlist.ports.filter((port) => port.direction === "input");
  const single = inputs.filter((port) => port.bits.length === 1 && !port.isInout);
  const own = single.filter((port) => direct.has(port.bits[0]));
  const clocks = own.length ? own : single.filter((port) => toClocks.has(port.bits[0])).slice(0, 1);
  const data = inputs.filter((port) => !clocks.includes(port));
  const isAlone = data.map((port) => port.bits.some((net) => toClocks.has(net) || toQuick.has(net)));
  return { clocks, data, isAlone };
}

/** How an input behaves through one run. */
type Habit = "seldom high" | "seldom low" | "often low" | "fair" | "rests";
const chanceOfOne: Record<Habit, number> = {
  "seldom high": 1 / 32,
  "seldom low": 31 / 32,
  "often low": 1 / 6,
  fair: 1 / 2,
  rests: 1 / 2,
};
const resetName = /(^|_)n?(rst|reset|clr|clear)/i;
const activeLow = /^n|_n$|_ni$|_b$|rstn$|resetn$/i;

/**
 * Random inputs of one run from the start. Each has its habit, so that resets rest, enables hold, and states that need
 * many steps are come to; those named as resets are mostly active first.
 * @param most [data] Greatest value that the design takes, as far as it is known.
 */
export function randomRun(
  drive: Drive,
  cycles: number,
  random: Random,
  most: readonly (bigint | null)[] = [],
): Stimulus[] {
  const { data, clocks } = drive;
  const habits = data.map((port): { habit: Habit; first: bigint | null } => {
    if (port.bits.length === 1 && resetName.test(port.name) && random.float() < 0.85) {
      const isLow = activeLow.test(port.name);
      return { habit: isLow ? "seldom low" : "seldom high", first: isLow ? 0n : 1n };
    }
    const all: readonly Habit[] = ["fair", "fair", "seldom high", "seldom low", "often low", "rests"];
    return { habit: all[random.below(all.length)], first: null };
  });
  const wide = (bits: number): bigint => {
    let value = 0n;
    for (let at = 0; at < bits; at += 32) value = (value << 32n) | BigInt(random.uint32());
    return BigInt.asUintN(bits, value);
  };
  const next = (habit: Habit, bits: number, before: bigint): bigint => {
    if (habit === "rests" && random.float() < 0.9) return before;
    if (bits === 1) return random.float() < chanceOfOne[habit] ? 1n : 0n;
    if (habit === "fair" || habit === "seldom low") return wide(bits);
    switch (random.below(6)) {
      case 0:
        return BigInt.asUintN(bits, BigInt(random.below(4)));
      case 1:
        return random.below(2) ? (1n << BigInt(bits)) - 1n : 0n;
      case 2:
        return 1n << BigInt(random.below(bits));
      case 3:
        return BigInt.asUintN(bits, before + 1n);
      default:
        return wide(bits);
    }
  };
  let last = data.map(({ bits }) => wide(bits.length));
  const main = random.below(Math.max(1, clocks.length));
  return Array.from({ length: cycles }, (_, cycle) => {
    last = data.map(({ bits }, i) => {
      const { habit, first } = habits[i];
      const value = cycle < 3 && first !== null ? first : next(habit, bits.length, last[i]);
      const limit = most[i] ?? null;
      return limit !== null && value > limit ? value % (limit + 1n) : value;
    });
    const turn =
      cycle < 2 * clocks.length
        ? cycle % clocks.length
        : random.float() < 0.5
          ? main
          : random.below(Math.max(1, clocks.length));
    return {
      values: last,
      driven: data.map((port) => (port.isInout ? wide(port.bits.length) : 0n)),
      clock: clocks.length ? turn : -1,
    };
  });
}

/** What the test bench is called, unless the design has a module of that name. */
export function benchNameFor(texts: readonly string[]): string {
  let name = "proof_bench";
  while (texts.some((text) => text.toLowerCase().includes(name))) name += "_";
  return name;
}

/** A test bench, and the file that it takes the inputs of a run from. */
export interface Bench {
  readonly text: string;
  readonly stimuli: string;
}

/**
 * A test bench that gives a design the inputs of a run. `mark` changes when all has come to rest: behind each change of
 * the data, behind each edge. Data comes at odd times, so that it meets no clock that the design makes itself.
 */
export function benchFor(name: string, netlist: RtlNetlist, drive: Drive, run: readonly Stimulus[]): Bench {
  const range = (width: number) => (width > 1 ? `[${width - 1}:0] ` : "");
  const lines = ["`timescale 1ns / 1ps", `module ${name};`, "  reg mark = 0;", "  integer cycle;"];
  drive.clocks.forEach((_, k) => lines.push(`  reg c${k} = 0;`));
  /** Fields of a line of the file, the lowest first. */
  const fields: { name: string; width: number; isAlone: boolean; of: (stimulus: Stimulus) => bigint }[] = [];
  drive.data.forEach((port, i) => {
    const width = port.bits.length;
    const isAlone = drive.isAlone[i];
    // What begins with another value than the first one changes at once, and starts what waits for a change. A reset
    // that is active from the start would act on circuits only: it begins unknown.
    const start = isAlone ? "" : run[0]?.values[i] === 0n ? " = 1" : " = 0";
    lines.push(`  reg ${range(width)}d${i}${start};`);
    fields.push({ name: `d${i}`, width, isAlone, of: ({ values }) => values[i] });
    if (!port.isInout) return;
    lines.push(`  reg ${range(width)}e${i} = 0;`, `  wire ${range(width)}p${i};`);
    fields.push({ name: `e${i}`, width, isAlone, of: ({ driven }) => driven[i] });
    port.bits.forEach((_, b) => {
      const bit = width > 1 ? `[${b}]` : "";
      lines.push(`  assign p${i}${bit} = e${i}${bit} ? d${i}${bit} : 1'bz;`);
    });
  });
  const pins: string[] = [];
  const seen = new Set<string>();
  netlist.ports.forEach((port, o) => {
    if (seen.has(port.name)) return;
    seen.add(port.name);
    const clock = drive.clocks.indexOf(port);
    const data = drive.data.indexOf(port);
    if (clock >= 0) pins.push(`c${clock}`);
    else if (data >= 0) pins.push(`${port.isInout ? "p" : "d"}${data}`);
    else {
      lines.push(`  wire ${range(port.bits.length)}o${o};`);
      pins.push(`o${o}`);
    }
  });
  const clockBits = Math.max(1, Math.ceil(Math.log2(drive.clocks.length + 1)));
  const width = fields.reduce((sum, field) => sum + field.width, clockBits);
  const digits = Math.ceil(width / 4);
  lines.push(
    `  reg [${width - 1}:0] stimuli [0:${Math.max(0, run.length - 1)}];`,
    `  reg [${width - 1}:0] now;`,
    `  \\${netlist.top} dut (${pins.join(", ")});`,
    "  initial begin",
    `    $readmemh("${name}.hex", stimuli);`,
    `    for (cycle = 0; cycle < ${run.length}; cycle = cycle + 1) begin`,
    "      now = stimuli[cycle];",
    "      #3.337;",
  );
  let at = clockBits;
  for (const { name: target, width: size, isAlone } of fields) {
    lines.push(`      ${isAlone ? "#0.217 " : ""}${target} = now[${at} +: ${size}];`);
    at += size;
  }
  lines.push("      #31.111 mark = ~mark;");
  drive.clocks.forEach((_, k) =>
    lines.push(
      `      if (now[${clockBits - 1}:0] == ${k}) begin #5 c${k} = 1; #27.5 mark = ~mark; #5 c${k} = 0; #27.5 mark = ~mark; end`,
    ),
  );
  lines.push("      #10;", "    end", "    $finish;", "  end", "endmodule", "");
  const stimuli = run.map((stimulus) => {
    let word = BigInt(Math.max(0, stimulus.clock));
    let place = clockBits;
    for (const { width: size, of } of fields) {
      word |= of(stimulus) << BigInt(place);
      place += size;
    }
    return word.toString(16).padStart(digits, "0");
  });
  return { text: lines.join("\n"), stimuli: `${stimuli.join("\n")}\n` };
}
