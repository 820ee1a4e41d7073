import { hashValue } from "../common/codec.ts";
import { type Finding, hasErrors, nearestName, type StageResult } from "../common/finding.ts";
import { type SourceFile, SourceSet } from "../common/source.ts";
import type { ModuleItem } from "../hdl/verilog/ast.ts";
import { parseVerilog } from "../hdl/verilog/index.ts";
import { findCombLoops } from "../netlist/comb-graph.ts";
import { bitName, type HierarchyNode, type RtlNetlist, type RtlPositions } from "../netlist/rtl.ts";
import { flatten } from "./flatten.ts";
import type { ElaboratedModule } from "./model.ts";
import { Report } from "./report.ts";
import { VerilogElaborator } from "./verilog-module.ts";

export interface ElaborateOptions {
  /** Name of the top module; without it, the one module that no other instantiates. */
  readonly top?: string;
}
export interface ElaboratedDesign {
  readonly netlist: RtlNetlist;
  readonly positions: RtlPositions;
  readonly hierarchy: HierarchyNode;
  /** Hash of `netlist` alone: comments, white space and places change nothing in it. */
  readonly meaningKey: string;
}

/** Source text to one flat word-level netlist, with all findings of language and circuit. */
export function elaborate(
  files: readonly SourceFile[],
  options: ElaborateOptions = {},
): StageResult<ElaboratedDesign> & { modules: string[] } {
  const sources = new SourceSet(files);
  const findings: Finding[] = [];
  for (const file of sources.files) {
    if (file.text.trim() === "") {
      findings.push({
        code: "source/empty",
        severity: "note",
        place: { file: file.name, line: 1, column: 1 },
        message: `${file.name} is empty.`,
        remedy: "Write a module in it, or remove it.",
      });
    }
  }
  const syntax = parseVerilog(sources);
  findings.push(...syntax.findings);
  const report = new Report(sources);
  const elaborator = new VerilogElaborator(syntax.modules, report);
  const modules = elaborator.moduleNames();
  const finish = (artifact: ElaboratedDesign | null) => {
    findings.push(...report.findings);
    return { artifact, findings, modules };
  };

  const topName =
    options.top ??
    findTop(
      syntax.modules.map((module) => module.name),
      syntax.modules.flatMap((module) => instantiated(module.items)),
    );
  const top = topName === null ? undefined : elaborator.module(topName);
  if (!top) {
    if (!hasErrors(findings) || modules.length) {
      const near = options.top ? nearestName(options.top, modules) : null;
      findings.push({
        code: "design/no-top",
        severity: "error",
        place: sources.files.length ? { file: sources.files[0].name, line: 1, column: 1 } : {},
        message: options.top
          ? `There is no module '${options.top}' to be the top.`
          : modules.length
            ? "No module can be the top: each is instantiated by another."
            : "The sources hold no module.",
        remedy: near
          ? `Did you mean '${near}'?`
          : modules.length
            ? `Choose one of ${modules.slice(0, 6).join(", ")}.`
            : "Add a Verilog file with a module.",
      });
    }
    return finish(null);
  }
  // modules below a wrong top are still checked: findings while typing should not depend on the choice of top
  const root = elaborator.elaborate(top, new Map(), []);
  const reached = new Set<string>();
  if (root) collectReached(root, reached, new Set());
  for (const name of modules) {
    if (name !== topName && !reached.has(name)) {
      const other = elaborator.elaborate(elaborator.module(name)!, new Map(), []);
      if (other && !hasErrors(report.findings) && !hasErrors(findings)) flatten(other, report);
    }
  }
  if (!root || hasErrors(findings) || hasErrors(report.findings)) return finish(null);
  const flat = flatten(root, report);
  if (hasErrors(report.findings)) return finish(null);
  reportLoops(flat.netlist, flat.positions, findings);
  if (hasErrors(findings)) return finish(null);
  return finish({ ...flat, meaningKey: hashValue(flat.netlist) });
}

function instantiated(items: readonly ModuleItem[]): string[] {
  return items.flatMap((item) => {
    if (item.kind === "instance") return [item.module];
    if (item.kind === "genfor") return instantiated(item.body);
    if (item.kind === "genif")
      return [...instantiated(item.yes.items), ...(item.no ? instantiated(item.no.items) : [])];
    return [];
  });
}

/** The first module, in source order, that nothing instantiates. */
function findTop(names: readonly string[], used: readonly string[]): string | null {
  const inside = new Set(used);
  return names.find((name) => !inside.has(name)) ?? null;
}

function collectReached(module: ElaboratedModule, names: Set<string>, seen: Set<ElaboratedModule>): void {
  if (seen.has(module)) return;
  seen.add(module);
  names.add(module.name);
  for (const instance of module.instances) collectReached(instance.module, names, seen);
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
