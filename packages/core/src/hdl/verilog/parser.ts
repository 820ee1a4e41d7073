import type { Finding } from "../../common/finding.ts";
import type { SourceSet } from "../../common/source.ts";
import { isVhdl } from "../languages.ts";
import type { ModuleItem, ModuleNode, TimeScale } from "./ast.ts";
import { AttributeTable } from "./attributes.ts";
import { findIncluded, tokenize } from "./lexer.ts";
import { newPreprocessor } from "./macros.ts";
import { type ConfigNode, parseConfig } from "./parse-config.ts";
import { parseItem, parseModule, parseTimeUnit } from "./parse-module.ts";
import { TokenStream } from "./token-stream.ts";

export interface VerilogSyntax {
  /** Modules, interfaces and programs, in the order of the text. */
  readonly modules: ModuleNode[];
  readonly packages: ModuleNode[];
  readonly configs: ConfigNode[];
  /** Declarations outside of all modules. */
  readonly unitItems: ModuleItem[];
  readonly attributes: AttributeTable;
  readonly findings: Finding[];
}

/** Memory contents, stimuli, notes and VHDL among the sources: no Verilog. */
export const isData = (name: string) => isVhdl(name) || /\.(hex|mem|dat|bin|txt|csv|json|md|mif|vec|vcd)$/i.test(name);

/** Files of a design that are read where an `include names them, and not by themselves. */
export function includedFiles(sources: SourceSet): Set<number> {
  const included = new Set<number>();
  sources.files.forEach((file, index) => {
    if (/\.(vh|svh)$/i.test(file.name) || isData(file.name)) included.add(index);
    if (!file.text.includes("`include")) return;
    for (const match of file.text.matchAll(/^[ \t]*`include[ \t]+"([^"\n]+)"/gm)) {
      const target = findIncluded(sources, file.name, match[1]);
      if (target >= 0 && target !== index) included.add(target);
    }
  });
  return included;
}

/** All files of a design, in their order. Reads on after a mistake, so that one pass finds several. */
export function parseVerilog(
  sources: SourceSet,
  fileIndexes: readonly number[] = sources.files.map((_, i) => i),
  tell: (file: string) => void = () => {},
): VerilogSyntax {
  const findings: Finding[] = [];
  const modules: ModuleNode[] = [];
  const packages: ModuleNode[] = [];
  const configs: ConfigNode[] = [];
  const unitItems: ModuleItem[] = [];
  const attributes = new AttributeTable();
  const pre = newPreprocessor();
  const skipped = includedFiles(sources);
  for (const file of fileIndexes) {
    if (skipped.has(file)) continue;
    tell(sources.files[file].name);
    const { tokens, marks, attributes: texts } = tokenize(sources, file, pre, findings);
    for (const { at, text, loc } of texts) attributes.add(tokens[at], text, loc);
    const s = new TokenStream(tokens, sources, findings, marks);
    let unit: TimeScale | null = null;
    while (!s.atEnd) {
      const before = s.index;
      if (s.isAny("module", "macromodule", "interface", "program")) {
        const node = parseModule(s);
        modules.push(node.timeScale === null && unit ? { ...node, timeScale: unit } : node);
      } else if (s.is("config")) configs.push(parseConfig(s));
      else if (s.is("package")) packages.push(parseModule(s));
      else if (s.isAny("timeunit", "timeprecision")) unit = parseTimeUnit(s, unit);
      else if (s.isAny("typedef", "import", "function", "task", "parameter", "localparam", "const", "virtual"))
        parseItem(s, unitItems);
      else if (
        s.current.kind === "keyword" &&
        /^(class|primitive|bind|let|logic|bit|int|wire|reg)$/.test(s.current.text)
      )
        parseItem(s, unitItems);
      else if (!s.accept(";")) {
        s.unexpected("'module'");
        while (!s.atEnd && !s.isAny("module", "macromodule", "interface", "package", "program")) s.next();
      }
      if (s.index === before) s.next();
    }
  }
  return { modules: withBound(modules, unitItems), packages, configs, unitItems, attributes, findings };
}

/** Modules with the instances that `bind` puts into them. */
function withBound(modules: readonly ModuleNode[], unitItems: readonly ModuleItem[]): ModuleNode[] {
  const bound = new Map<string, ModuleItem[]>();
  for (const item of [...unitItems, ...modules.flatMap((module) => module.items)])
    if (item.kind === "bind") bound.set(item.target, [...(bound.get(item.target) ?? []), ...item.instances]);
  if (bound.size === 0) return [...modules];
  return modules.map((module) => {
    const added = bound.get(module.name);
    return added ? { ...module, items: [...module.items, ...added] } : module;
  });
}
