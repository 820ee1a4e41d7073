import type { Finding, Severity } from "../common/finding.ts";
import type { Loc, SourceSet } from "../common/source.ts";
import { isVhdl } from "../hdl/languages.ts";

/**
 * Collects findings that point into source text. What both languages share is told under the name of the text's own. One finding a code, place and message: instances repeat modules.
 */
export class Report {
  readonly findings: Finding[] = [];
  private readonly seen = new Set<string>();
  /** [findings] */
  private readonly ids: string[] = [];

  constructor(readonly sources: SourceSet) {}

  add(severity: Severity, code: string, loc: Loc, message: string, remedy: string, extra: Partial<Finding> = {}): void {
    const own =
      code.startsWith("verilog/") && isVhdl(this.sources.files[loc.file]?.name ?? "")
        ? code.replace("verilog", "vhdl")
        : code;
    const id = `${own}@${loc.file}:${loc.start}:${message}`;
    if (this.seen.has(id)) return;
    this.seen.add(id);
    this.ids[this.findings.length] = id;
    this.findings.push({ code: own, severity, place: this.sources.place(loc), message, remedy, ...extra });
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
