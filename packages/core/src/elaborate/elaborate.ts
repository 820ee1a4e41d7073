import { hashValue } from "../common/codec.ts";
import { DesignFiles } from "../common/design-files.ts";
import { type Finding, hasErrors, nearestName, type StageResult } from "../common/finding.ts";
import { type SourceFile, SourceSet } from "../common/source.ts";
import type { ModuleNode } from "../hdl/verilog/ast.ts";
import { findCombLoops } from "../netlist/comb-graph.ts";
import { bitName, type HierarchyNode, type RtlNetlist, type RtlPositions } from "../netlist/rtl.ts";
import { checkDesignCode } from "./checks.ts";
import { type DesignUnit, designUnits, listModules, type ModuleList, parseDesign, sameUnit } from "./design-units.ts";
import { lowerDesign } from "./lower/lower-design.ts";
import { foreignUnits, MixedDesign } from "./mixed.ts";
import type { DesignModel, Instance } from "./model.ts";
import { checkSerialPins, withoutLibrary, withoutPartBodies, withPartLibrary } from "./part-library.ts";
import { Report } from "./report.ts";
import { isFullStack, tooDeep } from "./too-deep.ts";
import { Elaboration } from "./verilog/elaboration.ts";
import { analyzeUnits, loadAll } from "./vhdl/bind/bind-unit.ts";

interface ElaborateOptions {
  /** Name of the top module; without it, the first one that no other instantiates and that is no test bench. */
  readonly top?: string;
  /** False where nothing is stored by the key: making it takes as long as reading the text. */
  readonly withKey?: boolean;
  /** Hears what is being done, as the end of a sentence that begins with "while". */
  readonly onStep?: (step: string) => void;
}
export interface ElaboratedDesign {
  readonly netlist: RtlNetlist;
  readonly positions: RtlPositions;
  readonly hierarchy: HierarchyNode;
  /** Hash of `netlist` alone: comments, white space and places change nothing in it. null: not worked out yet. */
  readonly meaningKey: string | null;
}

/** The key, worked out if it was left out. Takes about as long as elaborating. */
export const meaningKeyOf = ({ meaningKey, netlist }: Pick<ElaboratedDesign, "meaningKey" | "netlist">): string =>
  meaningKey ?? hashValue(netlist);

/** Source text to one flat word-level netlist, with all findings of language and circuit. */
export function elaborate(
  files: readonly SourceFile[],
  options: ElaborateOptions = {},
): StageResult<ElaboratedDesign> & ModuleList {
  try {
    return elaborateAll(files, options);
  } catch (error) {
    if (!isFullStack(error)) throw error;
    return { artifact: null, findings: [tooDeep(new SourceSet(files))], modules: [], testBenches: [] };
  }
}

function elaborateAll(
  files: readonly SourceFile[],
  options: ElaborateOptions,
): StageResult<ElaboratedDesign> & ModuleList {
  const sources = new SourceSet(withPartLibrary(files));
  const findings = emptyFiles(sources);
  const parsed = parseDesign(sources, (file) => options.onStep?.(`reading ${file}`));
  const syntax = parsed.verilog;
  findings.push(...parsed.findings);
  const list = listModules(parsed);
  const byName = new Map<string, ModuleNode>();
  for (const module of syntax.modules)
    if (!byName.has(module.name) && module.kind !== "interface") byName.set(module.name, module);
  const report = new Report(sources);
  const finish = (artifact: ElaboratedDesign | null) => {
    findings.push(...report.findings);
    return { artifact, findings: withoutLibrary(findings), ...list };
  };

  const readFile = (name: string): string | null => {
    const plain = name.replace(/^\.\//, "");
    const last = plain.replace(/^.*[\\/]/, "");
    const found =
      files.find((file) => file.name === plain) ??
      files.find((file) => file.name.endsWith(`/${last}`) || file.name === last);
    return found?.text ?? null;
  };
  const units = designUnits(parsed);
  const lower = (name: string) => name.toLowerCase();
  const used = new Set(units.flatMap((unit) => unit.uses.map(lower)));
  // what only a test bench instantiates is the top of what it tests
  const usedByDesign = new Set([
    ...units.filter((unit) => !list.testBenches.includes(unit.name)).flatMap((unit) => unit.uses.map(lower)),
    // what a configuration puts in the place of others
    ...syntax.configs.flatMap((config) => [...config.instances, ...config.cells].map((rule) => lower(rule.use))),
  ]);
  const topName =
    options.top ??
    list.modules.find((name) => !usedByDesign.has(lower(name)) && !list.testBenches.includes(name)) ??
    list.modules.find((name) => !used.has(lower(name))) ??
    null;
  const top =
    topName === null
      ? undefined
      : (units.find((unit) => unit.name === topName) ?? units.find((unit) => sameUnit(topName, unit)));
  if (!top && (!hasErrors(findings) || list.modules.length)) findings.push(noTop(sources, list.modules, options.top));
  const topIsBench = top !== undefined && list.testBenches.includes(top.name);

  const world = parsed.vhdl.length ? analyzeUnits(parsed.vhdl, report, foreignUnits(syntax)) : null;
  if (world) loadAll(world);
  /** A unit as the top of a design of its own. */
  const modelOf = (unit: DesignUnit, isBench: boolean): DesignModel | null => {
    options.onStep?.(`putting '${unit.name}' together`);
    if (!world) return new Elaboration(syntax, report).design(byName.get(unit.name)!);
    if (hasErrors(report.findings) || hasErrors(findings)) {
      // Verilog's own mistakes are told all the same
      return unit.isVhdl ? null : new Elaboration(syntax, report).design(byName.get(unit.name)!);
    }
    const mixed = new MixedDesign(syntax, world, report, new DesignFiles(readFile));
    const entity = unit.isVhdl ? world.entity(unit.name) : null;
    const model = unit.isVhdl ? entity && mixed.fromEntity(entity) : mixed.fromModule(byName.get(unit.name)!);
    if (model && !isBench && !hasErrors(report.findings)) mixed.circuit(model);
    return model;
  };

  // modules below a wrong top are still checked: findings while typing should not depend on the choice of top
  const reached = new Set<string>();
  let model: DesignModel | null = null;
  if (top) {
    model = modelOf(top, topIsBench);
    if (model) collectReached(model.top, reached);
  }
  const ownErrors = hasErrors(findings) || hasErrors(report.findings);
  let flat: ReturnType<typeof lowerDesign> | null = null;
  if (model && !ownErrors && !topIsBench) {
    options.onStep?.(`making a circuit of '${topName}'`);
    const hardware = withoutPartBodies(model, sources);
    flat = lowerDesign(hardware, report, readFile);
    checkDesignCode(hardware, report);
  }
  const stopped = hasErrors(report.findings);
  const roots = [...units.filter((unit) => !used.has(lower(unit.name))), ...units.filter((unit) => !unit.isVhdl)];
  for (const unit of roots) {
    if (reached.has(unit.name)) continue;
    const isBench = list.testBenches.includes(unit.name);
    const other = modelOf(unit, isBench);
    if (!other) continue;
    collectReached(other.top, reached);
    if (!ownErrors && !hasErrors(report.findings) && !isBench) {
      const hardware = withoutPartBodies(other, sources);
      lowerDesign(hardware, report, readFile);
      checkDesignCode(hardware, report);
    }
  }
  if (syntax.modules.length === 0 && syntax.packages.length) new Elaboration(syntax, report);
  if (topIsBench && !ownErrors) {
    const loc = world && top.isVhdl ? world.entity(top.name)!.loc : byName.get(top.name)!.nameLoc;
    findings.push({
      code: "design/bench-top",
      severity: "error",
      place: sources.place(loc),
      message: `'${top.name}' has no ports: it is a test bench, which is not synthesizable.`,
      remedy: "Choose the module that it tests as the top, or run it in Simulate.",
    });
    return finish(null);
  }
  if (!flat || ownErrors || stopped) return finish(null);
  reportLoops(flat.netlist, flat.positions, findings);
  reportClocks(flat.netlist, flat.positions, findings);
  checkSerialPins(flat.netlist, flat.positions, findings);
  if (hasErrors(findings)) return finish(null);
  return finish({ ...flat, meaningKey: options.withKey === false ? null : hashValue(flat.netlist) });
}

export function emptyFiles(sources: SourceSet): Finding[] {
  return sources.files
    .filter((file) => file.text.trim() === "")
    .map((file) => ({
      code: "source/empty",
      severity: "note",
      place: { file: file.name, line: 1, column: 1 },
      message: `${file.name} is empty.`,
      remedy: "Write a module in it, or remove it.",
    }));
}

export function noTop(sources: SourceSet, modules: readonly string[], wanted: string | undefined): Finding {
  const near = wanted ? nearestName(wanted, modules) : null;
  return {
    code: "design/no-top",
    severity: "error",
    place: sources.files.length ? { file: sources.files[0].name, line: 1, column: 1 } : {},
    message: wanted
      ? `There is no module '${wanted}' to be the top.`
      : modules.length
        ? "No module can be the top: each is instantiated by another."
        : "The sources hold no module.",
    remedy: near
      ? `Did you mean '${near}'?`
      : modules.length
        ? `Choose one of ${modules.slice(0, 6).join(", ")}.`
        : "Add a Verilog or VHDL file with a module.",
  };
}

function collectReached(instance: Instance, names: Set<string>): void {
  names.add(instance.module);
  for (const child of instance.children) collectReached(child, names);
}

/** Clocks that logic makes: they glitch, and no timing rule sees them. */
function reportClocks(netlist: RtlNetlist, positions: RtlPositions, findings: Finding[]): void {
  const driver = new Map<number, number>();
  netlist.cells.forEach((cell, c) => {
    for (const bit of cell.output) driver.set(bit, c);
  });
  const names = new Map<number, string>();
  netlist.signals.forEach((signal) => {
    signal.bits.forEach((bit, i) => {
      if (!names.has(bit)) names.set(bit, bitName(signal, i));
    });
  });
  const told = new Set<number>();
  for (const cell of netlist.cells) {
    if (cell.kind !== "ff") continue;
    const clock = cell.inputs[1][0];
    const source = driver.get(clock);
    if (source === undefined || told.has(clock) || /^(ff|block)$/.test(netlist.cells[source].kind)) continue;
    const [only] = netlist.cells[source].inputs[0] ?? [];
    if (netlist.cells[source].kind === "not" && !driver.has(only)) continue; // the other edge of a clock
    told.add(clock);
    const name = names.get(clock);
    findings.push({
      code: "circuit/logic-clock",
      severity: "warning",
      place: { ...positions.cells[source], object: name },
      message: `${name ? `'${name}'` : "This logic"} clocks registers but is made by logic, so it may glitch.`,
      remedy: "Use the clock itself, and a clock enable: if (enable) q <= d.",
    });
  }
}

function reportLoops(netlist: RtlNetlist, positions: RtlPositions, findings: Finding[]): void {
  const loops = findCombLoops(netlist);
  if (!loops.length) return;
  const namesOf = new Map<number, { name: string; signal: number }[]>();
  netlist.signals.forEach((signal, s) => {
    signal.bits.forEach((bit, i) => {
      const entry = { name: bitName(signal, i), signal: s };
      const list = namesOf.get(bit);
      if (list) list.push(entry);
      else namesOf.set(bit, [entry]);
    });
  });
  const cellOf = new Map<number, number>();
  netlist.cells.forEach((cell, c) => {
    for (const bit of cell.output) cellOf.set(bit, c);
  });
  for (const loop of loops.slice(0, 20)) {
    const all = loop.flatMap((net) => namesOf.get(net) ?? []);
    // names of outer scopes say most; those within instances only where there are no others
    const outer = all.filter((entry) => !entry.name.includes("."));
    const named = outer.length ? outer : all;
    const names = [...new Set(named.map((entry) => entry.name))].sort();
    const cell = cellOf.get(loop[0])!;
    const place = positions.cells[cell];
    const shown = names.length
      ? names.slice(0, 8).join(", ") + (names.length > 8 ? ` and ${names.length - 8} more` : "")
      : netlist.cells[cell].name;
    findings.push({
      code: "circuit/comb-loop",
      severity: "error",
      place: { ...place, object: names[0] ?? netlist.cells[cell].name },
      message: `Combinational loop through ${shown}.`,
      remedy: "Put a register on the loop, or take the feedback out.",
      related: named
        .slice(0, 8)
        .map((entry) => ({ place: positions.signals[entry.signal], message: `'${entry.name}' is on the loop.` })),
    });
  }
}
