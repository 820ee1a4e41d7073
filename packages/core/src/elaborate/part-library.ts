import type { Finding } from "../common/finding.ts";
import type { SourceFile, SourceSet } from "../common/source.ts";
import type { BlockModes } from "../device/blocks/description.ts";
import { listBlocks } from "../device/blocks/registry.ts";
import { isSerialLane } from "../device/blocks/serial-lane.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import { bitX, type RtlNetlist, type RtlPort, type RtlPositions, serialNets } from "../netlist/rtl.ts";
import type { DesignModel, Instance } from "./model.ts";
import type { Report } from "./report.ts";

/**
 * Modules that a design may instantiate without bringing them along: blocks of the part that no operator of the language
 * stands for. Simulation runs their texts; synthesis takes the block instead.
 */
const library = (): { readonly name: string; readonly text: string }[] =>
  listBlocks().flatMap(({ module }) => (module ? [{ name: module.name, text: module.text }] : []));

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
export const libraryModules = (): string[] => library().map(({ name }) => name);

/** What a library module is, as its text begins. */
export function libraryWords(module: string): string {
  const text = library().find(({ name }) => name === module)?.text ?? "";
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
  const added = library().filter(({ name }) => {
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
    if (cell.kind !== "block" || !isSerialLane(cell.block!.modes)) return;
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
  const { module } = listBlocks().find((block) => block.module?.name === instance.module)!;
  let isGood = true;
  const parameters = new Map(instance.parameters.map(({ name, value }) => [name, Number(value)]));
  const modes = module!.modes({ name: instance.name, parameters }, (code, message, remedy) => {
    isGood = false;
    report.error(code, instance.loc, message, remedy);
  });
  return isGood ? { modes, inputs: module!.inputs, outputs: module!.outputs } : null;
}
