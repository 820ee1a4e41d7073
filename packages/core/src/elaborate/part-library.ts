import type { Finding } from "../common/finding.ts";
import type { SourceFile, SourceSet } from "../common/source.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import {
  type BlockModes,
  bitX,
  clockBlockLockEdges,
  type RtlNetlist,
  type RtlPort,
  type RtlPositions,
  serialNets,
  serialWordBits,
} from "../netlist/rtl.ts";
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

export const serialLaneText = `\`timescale 1ns / 1ps
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

const library = [
  { name: "clock_block", text: clockBlockText },
  { name: "clock_switch", text: clockSwitchText },
  { name: "serial_lane", text: serialLaneText },
] as const;

/** No file of a design has such a name: it would not be one in an archive either. */
const fileName = (module: string) => `<part>/${module}.v`;

export function isLibraryFile(name: string): boolean {
  return name.startsWith("<part>/");
}

/** Findings about the design's own files, and errors: what is only warned of in the library nobody can mend. */
export function withoutLibrary(findings: readonly Finding[]): Finding[] {
  return findings.filter(({ place, severity }) => severity === "error" || !place.file || !isLibraryFile(place.file));
}

/** Modules that every design may name. */
export const libraryModules: readonly string[] = library.map(({ name }) => name);

/** What a library module is, as its text begins. */
export function libraryWords(module: string): string {
  const text = library.find(({ name }) => name === module)?.text ?? "";
  const lines = text.split("\n").flatMap((line) => (line.startsWith("// ") ? [line.slice(3)] : []));
  return lines.join(" ");
}

/** The files, with the library's modules that they name and do not declare themselves. */
export function withPartLibrary(files: readonly SourceFile[]): readonly SourceFile[] {
  return withLibrary(files, (name) => {
    const named = new RegExp(`\\b${name}\\b`, "i");
    return files.some(({ text }) => named.test(text));
  });
}

/** The files with all of the library's modules that they do not declare themselves: for looking names up. */
export function withWholeLibrary(files: readonly SourceFile[]): readonly SourceFile[] {
  return withLibrary(files, () => true);
}

function withLibrary(files: readonly SourceFile[], isWanted: (module: string) => boolean): readonly SourceFile[] {
  const added = library.filter(({ name }) => {
    if (!isWanted(name)) return false;
    const declared = new RegExp(`\\b(?:module|entity)\\s+${name}\\b`, "i");
    return !files.some(({ text }) => declared.test(text));
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

/** The serial pins of lanes lead to ports of the design and to nothing else: no wire of the part reaches them. */
export function checkSerialPins(netlist: RtlNetlist, positions: RtlPositions, findings: Finding[]): void {
  const pins = serialNets(netlist);
  if (!pins.size) return;
  const portOf = new Map<number, RtlPort>();
  for (const port of netlist.ports)
    for (const net of port.bits) if (!port.isInout && !port.enable) portOf.set(net, port);
  const reads = new Map<number, number>();
  for (const { inputs } of netlist.cells)
    for (const bits of inputs) for (const net of bits) reads.set(net, (reads.get(net) ?? 0) + 1);
  netlist.cells.forEach((cell, c) => {
    if (cell.kind !== "block" || cell.block!.modes.type !== "serialLane") return;
    const name = ownerOfName(cell.name, "block");
    const [rx] = cell.inputs[cell.inputs.length - 2];
    const tx = cell.output[cell.output.length - 1];
    const error = (message: string, remedy: string) =>
      findings.push({
        code: "circuit/serial-pin",
        severity: "error",
        place: { ...positions.cells[c], object: name },
        message,
        remedy,
      });
    if (rx > bitX && (portOf.get(rx)?.direction !== "input" || reads.get(rx) !== 1))
      error(
        `'rx' of serial lane '${name}' is a pin of the part, but not an input port of its own leads to it.`,
        "Bring it up as an input port that nothing else reads.",
      );
    if (portOf.get(tx)?.direction !== "output" || reads.get(tx))
      error(
        `'tx' of serial lane '${name}' is a pin of the part, but it does not lead to an output port alone.`,
        "Bring it up as an output port, and read tx_word inside instead.",
      );
  });
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
  if (instance.module === "serial_lane")
    return {
      modes: { type: "serialLane" },
      inputs: ["tx_word", "slip", "rx", "word_clock"],
      outputs: ["rx_word", "tx"],
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
