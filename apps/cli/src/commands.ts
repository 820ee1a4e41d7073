import {
  beyondParts,
  Cable,
  compressBitstream,
  elaborate,
  type Finding,
  findPart,
  formatFinding,
  hasErrors,
  type ImagePort,
  PlayError,
  Player,
  primitivesFor,
  runFlow,
  SimulatedPart,
  type StageName,
  stageNames,
  statusBit,
  timingCorners,
  utilization,
  utilizationByModule,
  writeSdf,
  writeStructuralVerilog,
} from "@gate-clock/core";
import { KeptResults, recordsIn } from "./kept-results.ts";
import { joinPath, type LoadOptions, loadDesign, readJson, UsageError } from "./load-design.ts";
import { withRuleLines } from "./report.ts";
import type { Session } from "./session.ts";

const bySeverity = { error: 0, warning: 1, note: 2 };

export function printFindings(findings: readonly Finding[], io: Session): void {
  for (const finding of [...findings].sort((a, b) => bySeverity[a.severity] - bySeverity[b.severity]))
    io.err(formatFinding(finding));
}

export async function check(
  files: readonly string[],
  options: LoadOptions & { json?: boolean },
  io: Session,
): Promise<number> {
  const input = loadDesign(files, options, io);
  const result = elaborate(input.sources, { top: input.top ?? undefined });
  const { artifact, modules } = result;
  if (artifact) result.findings.push(...beyondParts(artifact));
  // a test bench by itself is fine to check; only building needs another top
  const findings = input.top
    ? result.findings
    : result.findings.filter((finding) => finding.code !== "design/bench-top");
  printFindings(findings, io);
  if (options.json)
    io.out(
      JSON.stringify({ ok: !hasErrors(findings), top: artifact?.netlist.top ?? null, modules, findings }, null, 2),
    );
  return hasErrors(findings) ? 1 : 0;
}

interface BuildOptions extends LoadOptions {
  readonly out?: string;
  readonly stopAfter?: string;
  readonly compressed?: boolean;
  readonly afresh?: boolean;
  readonly checkLayout?: boolean;
  readonly json?: boolean;
}

export async function build(paths: readonly string[], options: BuildOptions, io: Session): Promise<number> {
  const stopAfter = options.stopAfter as StageName | undefined;
  if (stopAfter && !stageNames.includes(stopAfter))
    throw new UsageError(`There is no stage '${stopAfter}'. The stages are ${stageNames.join(", ")}.`);
  const input = loadDesign(paths, options, io);
  const folder = options.out ?? "build";
  io.makeFolder(folder);
  const kept = new KeptResults(folder, io, options.afresh === true);
  const before = options.afresh ? null : lastSynthKey(joinPath(folder, "report.json"), io);
  const result = await runFlow(input, kept, {
    stopAfter,
    reuseFrom: before,
    checkLayout: options.checkLayout,
    onStage: () => io.look(),
  });
  printFindings(result.findings, io);
  const save = (name: string, data: string | Uint8Array) => io.save(joinPath(folder, name), data);
  const [design, netlist, rules, packed, placed, routed, timing, image] = await Promise.all([
    result.artifact("elaborate"),
    result.artifact("synth"),
    result.artifact("rules"),
    result.artifact("pack"),
    result.artifact("place"),
    result.artifact("route"),
    result.artifact("timing"),
    result.artifact("image"),
  ]);
  const { part } = result;
  if (netlist) {
    save("netlist.v", writeStructuralVerilog(netlist));
    save("primitives.v", primitivesFor(netlist));
  }
  if (netlist && packed && placed && routed && rules && part)
    for (const corner of ["all", ...timingCorners] as const)
      save(
        corner === "all" ? "delays.sdf" : `delays-${corner}.sdf`,
        writeSdf({ netlist, packed, placed, routed, pins: rules.pins.pins, part }, rules.timing, corner),
      );
  const runs = options.compressed && image && part ? compressBitstream(image.file, part) : null;
  const file = runs ?? image?.file;
  if (image && file) {
    save(`${input.name}.bits`, file);
    save("ports.json", `${JSON.stringify({ part: image.partName, ports: image.ports }, null, 2)}\n`);
  }
  const instances = design ? instancePaths(design.hierarchy) : [];
  const report = {
    name: input.name,
    part: input.part,
    top: netlist?.top ?? input.top,
    recipe: input.recipe,
    seed: input.seed,
    status: result.status,
    stages: result.stages,
    utilization: netlist && part ? utilization(netlist, packed, part) : null,
    modules:
      netlist && design
        ? utilizationByModule(
            netlist,
            instances,
            design.netlist.cells.map((cell) => cell.name),
          )
        : null,
    levels: netlist?.levels ?? null,
    pins: rules?.pins.pins ?? null,
    timing: timing && rules ? withRuleLines(timing, rules.timing) : timing,
    wirelength: placed?.wirelength ?? null,
    wiresUsed: routed?.wiresUsed ?? null,
    image: image && {
      file: `${input.name}.bits`,
      bytes: file!.length,
      designKey: image.designKey,
      idcode: image.idcode,
      memoryBits: image.memoryBits,
      bitsSet: image.bitsSet,
    },
    findings: result.findings,
  };
  save("report.json", `${JSON.stringify(report, null, 2)}\n`);
  if (options.json) io.out(JSON.stringify(report, null, 2));
  else if (result.status === "done" && image) {
    const clock = timing?.clocks
      .map((each) =>
        each.fmaxMhz === null
          ? `${each.name}: no path between registers`
          : `${each.name} ${each.fmaxMhz.toFixed(1)} MHz`,
      )
      .join(", ");
    io.out(
      `${input.name}: ${joinPath(folder, `${input.name}.bits`)}, ${file!.length} bytes${clock ? `, ${clock}` : ""}`,
    );
  }
  return result.status === "done" ? 0 : 1;
}

/** Key of the circuit that the last build into this folder made. */
function lastSynthKey(path: string, io: Session): string | null {
  try {
    const records = io.kind(path) === null ? null : recordsIn(readJson(path, io));
    return records?.find(({ stage }) => stage === "synth")?.key ?? null;
  } catch {
    return null; // whatever lies there, it is written anew
  }
}

function instancePaths(
  node: { readonly children: readonly { readonly instance: string; readonly children: readonly unknown[] }[] },
  prefix = "",
): string[] {
  return node.children.flatMap((child) => {
    const path = `${prefix}${child.instance}`;
    return [path, ...instancePaths(child as Parameters<typeof instancePaths>[0], `${path}.`)];
  });
}

function readPorts(value: unknown, path: string): ImagePort[] {
  const list = Array.isArray(value) ? value : (value as { ports?: unknown } | null)?.ports;
  const isPort = (port: Record<string, unknown> | null) =>
    typeof port?.["port"] === "string" &&
    typeof port["pin"] === "string" &&
    (port["clockNs"] === null || port["clockNs"] === undefined || (port["clockNs"] as number) > 0);
  if (!Array.isArray(list) || !list.every(isPort))
    throw new UsageError(`${path} is not a list of ports as 'build' writes it.`);
  return (list as ImagePort[]).map((port) => ({ ...port, clockNs: port.clockNs ?? null }));
}

export async function play(
  imagePath: string,
  options: { part?: string; ports: string; steps: string; delays?: string; seed?: string; json?: boolean },
  io: Session,
): Promise<number> {
  const portsFile = readJson(options.ports, io);
  const partName = options.part ?? String((portsFile as { part?: unknown } | null)?.part ?? "");
  const { part, findings } = findPart(partName);
  if (!part) throw new UsageError(findings.map(formatFinding).join("\n"));
  const steps = readJson(options.steps, io);
  const file = io.readBytes(imagePath);
  if (!file) throw new UsageError(`Cannot read ${imagePath}.`);
  const device = new SimulatedPart(part);
  const corner = timingCorners.find((each) => each === options.delays);
  if (options.delays !== undefined && !corner)
    throw new UsageError(`There is no corner '${options.delays}'. The corners are ${timingCorners.join(", ")}.`);
  const seed = options.seed === undefined ? 1 : Number(options.seed);
  if (!Number.isInteger(seed)) throw new UsageError(`--seed ${options.seed} is no whole number.`);
  if (corner) device.setDelays(corner, seed);
  const cable = new Cable(device);
  cable.reset();
  const status = cable.configure(file);
  if ((status & statusBit.configured) === 0) {
    io.err(`${imagePath}: error: [bitstream/refused] ${part.name} refused the bitstream: ${device.refusal}.`);
    return 1;
  }
  try {
    const player = new Player(device, part, readPorts(portsFile, options.ports));
    const good = player.play(steps, (read) => {
      io.out(JSON.stringify(read.values));
      for (const mismatch of read.mismatch) io.err(`step ${read.step}: error: [play/mismatch] ${mismatch}`);
    });
    if (device.caught)
      io.err(`${imagePath}: note: [play/caught] ${device.caught} time(s) a register was caught in a change.`);
    return good ? 0 : 1;
  } catch (error) {
    if (error instanceof PlayError) throw new UsageError(error.message);
    throw error;
  }
}
