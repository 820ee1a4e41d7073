/**
 * VHDL text (IEEE 1076-1993 with the widely used parts of 2008) to a syntax tree. In: source files. Out: design units
 * and findings. The parser goes on after mistakes as that of Verilog does.
 */
import type { Finding } from "../../common/finding.ts";
import type { SourceSet } from "../../common/source.ts";
import { isVhdl } from "../languages.ts";
import type { UnitNode, VhdlSyntax } from "./ast.ts";
import { parseVhdlFile } from "./parser.ts";

export type { UnitNode } from "./ast.ts";
export { formatVhdl } from "./format-text.ts";
export { parseVhdlFile } from "./parser.ts";

/** All VHDL files of a design, in their order. */
export function parseVhdl(sources: SourceSet, tell: (file: string) => void = () => {}): VhdlSyntax {
  const units: UnitNode[] = [];
  const findings: Finding[] = [];
  sources.files.forEach((file, i) => {
    if (!isVhdl(file.name)) return;
    tell(file.name);
    const syntax = parseVhdlFile(sources, i);
    units.push(...syntax.units);
    findings.push(...syntax.findings);
  });
  return { units, findings };
}
