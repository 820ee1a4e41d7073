import type { Finding, Severity } from "../common/finding.ts";
import type { Loc, SourceSet } from "../common/source.ts";
import { isVhdl } from "../hdl/languages.ts";
import { ConstantWork } from "./constant-work.ts";

/** Of one severity: more of them help nobody. */
const mostFindings = 2000;

/**
 * Collects findings that point into source text. What both languages share is told under the name of the text's own. One finding a code, place and message: instances repeat modules.
 */
export class Report {
  readonly findings: Finding[] = [];
  readonly work = new ConstantWork();
  private readonly seen = new Set<string>();
  /** [findings] */
  private readonly ids: string[] = [];

  constructor(readonly sources: SourceSet) {}

  add(severity: Severity, code: string, loc: Loc, message: string, remedy: string, extra: Partial<Finding> = {}): void {
    const own =
      code.startsWith("verilog/") && isVhdl(this.sources.files[loc.file]?.name ?? "")
        ? code.replace("verilog", "vhdl")
        : code;
    const told = (this.counts[severity] += 1);
    if (told > mostFindings) return;
    const id = `${own}@${loc.file}:${loc.start}:${message}`;
    if (this.seen.has(id)) return;
    this.seen.add(id);
    this.ids[this.findings.length] = id;
    this.findings.push({ code: own, severity, place: this.sources.place(loc), message, remedy, ...extra });
    if (told === mostFindings)
      this.findings.push({
        code: "text/many-findings",
        severity,
        place: this.sources.place(loc),
        message: `There are more than ${mostFindings} ${severity}s: further ones are not listed.`,
        remedy: "Begin with the first of them; many have one cause.",
      });
  }
  private readonly counts: Record<Severity, number> = { error: 0, warning: 0, note: 0 };

  /** Names like an unknown one are looked for while there are few findings: the search costs more than the finding. */
  get suggests(): boolean {
    return this.findings.length < 200;
  }

  /** Takes back all but the first `count` findings: what they are about is done again another way. */
  rewind(count: number): void {
    for (const id of this.ids.splice(count)) if (id !== undefined) this.seen.delete(id);
    this.findings.length = count;
  }

  note(code: string, loc: Loc, message: string, remedy: string, extra?: Partial<Finding>): void {
    this.add("note", code, loc, message, remedy, extra);
  }

  error(code: string, loc: Loc, message: string, remedy: string, extra?: Partial<Finding>): void {
    this.add("error", code, loc, message, remedy, extra);
  }

  warn(code: string, loc: Loc, message: string, remedy: string, extra?: Partial<Finding>): void {
    this.add("warning", code, loc, message, remedy, extra);
  }
}
