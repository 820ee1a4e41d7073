import type { SourceFile, SourceSet } from "../common/source.ts";
import { type BlockModes, clockBlockLockEdges } from "../netlist/rtl.ts";
import type { DesignModel, Instance } from "./model.ts";
import type { Report } from "./report.ts";

/**
 * Modules that a design may instantiate without bringing them along: blocks of the part that no operator of the language
 * stands for. Simulation runs these texts (IEEE 1364-2005); synthesis takes the block instead.
 */
export const clockBlockText = `\`timescale 1ns / 1ps
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

export const clockSwitchText = `// One of two clocks. It changes over after a falling edge of the one and then of the other, so that no pulse is cut short;
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

const library = [
  { name: "clock_block", text: clockBlockText },
  { name: "clock_switch", text: clockSwitchText },
] as const;

/** No file of a design has such a name: it would not be one in an archive either. */
const fileName = (module: string) => `<part>/${module}.v`;

export function isLibraryFile(name: string): boolean {
  return name.startsWith("<part>/");
}

/** The files, with the library's modules that they name and do not declare themselves. */
export function withPartLibrary(files: readonly SourceFile[]): readonly SourceFile[] {
  const added = library.filter(({ name }) => {
    const named = new RegExp(`\\b${name}\\b`, "i");
    const declared = new RegExp(`\\b(?:module|entity)\\s+${name}\\b`, "i");
    return files.some(({ text }) => named.test(text)) && !files.some(({ text }) => declared.test(text));
  });
  return added.length ? [...files, ...added.map(({ name, text }) => ({ name: fileName(name), text }))] : files;
}

/** True for an instance that stands for a block of the part. */
export function isPartInstance(instance: Instance, sources: SourceSet): boolean {
  return isLibraryFile(sources.files[instance.moduleLoc.file]?.name ?? "");
}

/** The design as hardware sees it: without what blocks of the part do in simulation. */
export function withoutPartBodies(design: DesignModel, sources: SourceSet): DesignModel {
  const isOutside = ({ instance }: { readonly instance: Instance }) => !isPartInstance(instance, sources);
  return { ...design, processes: design.processes.filter(isOutside), assigns: design.assigns.filter(isOutside) };
}

/** Block that an instance stands for; null after a finding about its parameters. */
export function partBlock(
  instance: Instance,
  report: Report,
): { readonly modes: BlockModes; readonly inputs: readonly string[]; readonly outputs: readonly string[] } | null {
  if (instance.module === "clock_switch")
    return {
      modes: { type: "clockSwitch" },
      inputs: ["select", "clock_0", "clock_1"],
      outputs: ["clock_out"],
    };
  const given = new Map(instance.parameters.map(({ name, value }) => [name, Number(value)]));
  let isGood = true;
  const whole = (name: string, least: number, most: number, usual: number): number => {
    const value = given.get(name) ?? usual;
    if (Number.isInteger(value) && value >= least && value <= most) return value;
    isGood = false;
    report.error(
      "circuit/clock-block",
      instance.loc,
      `${name} of clock block '${instance.name}' is ${value}; it is a whole number from ${least} to ${most}.`,
      name.startsWith("PHASE")
        ? "A phase is counted in eighths of the output's period."
        : "Choose another ratio, or divide further with an enable.",
    );
    return usual;
  };
  const modes: BlockModes = {
    type: "clockBlock",
    multiply: whole("MULTIPLY", 1, 64, 1),
    divide: [whole("DIVIDE_A", 1, 64, 1), whole("DIVIDE_B", 1, 64, 1)],
    phase: [whole("PHASE_A", 0, 7, 0), whole("PHASE_B", 0, 7, 0)],
  };
  return isGood ? { modes, inputs: ["clock_in"], outputs: ["clock_a", "clock_b", "locked"] } : null;
}
