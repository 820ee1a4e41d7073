import type { Finding, TextEdit } from "../../common/finding.ts";
import type { Loc, SourceSet } from "../../common/source.ts";
import type { Mark } from "./lexer.ts";
import type { Token } from "./token.ts";

/** More findings than this in one file help nobody: the rest are counted, not listed. */
const maxSyntaxFindings = 60;

/**
 * Tokens with the error reporting that all parser parts share. At most one finding a token, so that a mistake is told
 * once: after a finding, the parts either go on as if the missing token were there or skip to a place they know.
 */
export class TokenStream {
  private at = 0;
  private markAt = 0;
  private lastReported = -1;
  private reported = 0;
  private isGivenUp = false;

  constructor(
    private readonly tokens: readonly Token[],
    private readonly sources: SourceSet,
    private readonly findings: Finding[],
    private readonly marks: readonly Mark[] = [{ at: 0, timeScale: null, defaultNet: "wire", openInputs: null }],
  ) {}

  /** What the directives before the current token have set. */
  get mark(): Mark {
    while (this.markAt + 1 < this.marks.length && this.marks[this.markAt + 1].at <= this.at) this.markAt++;
    return this.marks[this.markAt];
  }

  get current(): Token {
    return this.tokens[this.at];
  }
  get previous(): Token {
    return this.tokens[Math.max(0, this.at - 1)];
  }
  get index(): number {
    return this.at;
  }
  peek(ahead: number): Token {
    return this.tokens[Math.min(this.at + ahead, this.tokens.length - 1)];
  }
  get atEnd(): boolean {
    return this.current.kind === "end";
  }

  next(): Token {
    const token = this.current;
    if (token.kind !== "end") this.at++;
    return token;
  }

  is(text: string): boolean {
    const { kind, text: shown } = this.current;
    return shown === text && (kind === "op" || kind === "keyword");
  }

  isAny(...texts: string[]): boolean {
    return texts.some((text) => this.is(text));
  }

  /** Goes back to a token that was passed; for choices that only a longer look can make. */
  rewind(index: number): void {
    if (!this.isGivenUp) this.at = index;
  }

  /** Tells that a text nests beyond all measure. The rest of the file is left alone: what follows closes what was not opened. */
  giveUp(message: string, remedy: string): void {
    this.report("verilog/too-deep", this.current.loc, message, remedy);
    this.isGivenUp = true;
    this.at = this.tokens.length - 1;
  }

  acceptAny(...texts: string[]): string | null {
    const { text } = this.current;
    if (!this.isAny(...texts)) return null;
    this.at++;
    return text;
  }

  accept(text: string): boolean {
    if (!this.is(text)) return false;
    this.at++;
    return true;
  }

  /** Takes `text`, or reports that it is missing just after the previous token and goes on without it. */
  expect(text: string, after: string): boolean {
    if (this.accept(text)) return true;
    this.missing(text, after);
    return false;
  }

  missing(text: string, after: string): void {
    const { file, end } = this.previous.loc;
    const seen = this.describeCurrent();
    this.report(
      "verilog/syntax",
      { file, start: Math.max(0, end - 1), end },
      `Missing '${text}' after ${after}, before ${seen}.`,
      `Add '${text}' here.`,
      text,
    );
  }

  unexpected(wanted: string): void {
    this.report(
      "verilog/syntax",
      this.current.loc,
      `Expected ${wanted}, found ${this.describeCurrent()}.`,
      "Check this line and the one before it.",
    );
  }

  /** Set where the body of a case item begins with `begin`. */
  atCaseItem = false;

  get isFirstInLine(): boolean {
    return this.indentAt(this.current.loc, true) !== null;
  }

  /** Blanks before the line of a place. */
  columns(loc: Loc): number {
    return this.indentAt(loc, false)!;
  }

  /** Blocks that an `end` was found for, in the order of their ends. */
  private readonly blocks: { readonly begin: Loc; readonly end: Loc }[] = [];

  /** Notes that the `end` just read ends the block that begins here. */
  closed(begin: Loc): void {
    this.blocks.push({ begin, end: this.previous.loc });
  }

  /** Blanks before the first word of a line, or null if the place is not that word's. */
  private indentAt({ file, start }: Loc, first: boolean): number | null {
    const { text } = this.sources.files[file];
    const from = text.lastIndexOf("\n", start - 1) + 1;
    const blanks = /^[ \t]*/.exec(text.slice(from, start))![0].length;
    return first && from + blanks !== start ? null : blanks;
  }

  /**
   * The first block inside of an unended one whose `end` is indented like the outer one's line and not like its own:
   * there the `end` is missing.
   */
  misplacedEnd(outer: Loc): { readonly begin: Loc; readonly line: number; readonly edit: TextEdit } | null {
    const found = this.blocks.find(({ begin, end }) => {
      if (begin.file !== outer.file || begin.start <= outer.start || begin.file !== end.file) return false;
      const indent = this.indentAt(end, true);
      return indent !== null && indent < this.indentAt(begin, false)!;
    });
    if (!found) return null;
    const { begin, end } = found;
    const { name, text } = this.sources.files[begin.file];
    const own = this.indentAt(begin, false)!;
    // before the first line that is no deeper than the block's own
    let { line } = this.sources.position(begin.file, begin.start);
    const lines = text.split("\n");
    while (line < lines.length && (lines[line].trim() === "" || /^[ \t]*/.exec(lines[line])![0].length > own)) line++;
    const at = { line: line + 1, column: 1, endLine: line + 1, endColumn: 1 };
    const edit = { file: name, label: "Insert 'end'", ...at, text: `${lines[line]?.slice(0, own) ?? ""}end\n` };
    return { begin, line: this.sources.position(end.file, end.start).line, edit };
  }

  report(code: string, loc: Loc, message: string, remedy: string, insert?: string | TextEdit): void {
    if (this.isGivenUp || this.lastReported === this.at) return;
    this.lastReported = this.at;
    if (++this.reported > maxSyntaxFindings) return;
    if (this.reported === maxSyntaxFindings) {
      this.findings.push({
        code: "verilog/many-errors",
        severity: "error",
        place: this.sources.place(loc),
        message: "Too many syntax errors in this file; the rest are not shown.",
        remedy: "Is this a Verilog file?",
      });
      return;
    }
    const place = this.sources.place(loc);
    const spot = this.sources.position(loc.file, loc.end);
    const edit =
      typeof insert === "object"
        ? insert
        : insert
          ? {
              file: spot.file,
              label: `Insert '${insert}'`,
              line: spot.line,
              column: spot.column,
              endLine: spot.line,
              endColumn: spot.column,
              text: insert,
            }
          : undefined;
    this.findings.push({ code, severity: "error", place, message, remedy, edit });
  }

  /** Reads on trial: what gives null, or finds mistakes, is taken back, findings and all. */
  trial<T>(read: () => T | null): T | null {
    const { at, lastReported, reported, isGivenUp } = this;
    const count = this.findings.length;
    const made = read();
    if (made !== null && this.findings.length === count) return made;
    this.findings.length = count;
    Object.assign(this, { at, lastReported, reported, isGivenUp });
    return null;
  }

  /** Skips to just behind the next `;`, or to before one of `stops`, whichever comes first. */
  skipTo(stops: ReadonlySet<string>): void {
    while (!this.atEnd) {
      if (this.accept(";")) return;
      if (this.current.kind === "keyword" && stops.has(this.current.text)) return;
      this.at++;
    }
  }

  /** Index past the bracket that closes the one at `ahead`, counted from the current token; -1 if there is none near. */
  pastBracket(ahead: number): number {
    let depth = 0;
    for (let i = ahead; i < ahead + 4096; i++) {
      const { kind, text } = this.peek(i);
      if (kind === "end") return -1;
      if (kind !== "op") continue;
      if (text === "[" || text === "(" || text === "{" || text === "'{") depth++;
      else if (text === "]" || text === ")" || text === "}") {
        if (--depth === 0) return i + 1;
      }
    }
    return -1;
  }

  describeCurrent(): string {
    const { kind, text } = this.current;
    if (kind === "end") return "the end of the file";
    return kind === "keyword" || kind === "op"
      ? `'${text}'`
      : `${kind} '${text.length > 40 ? `${text.slice(0, 40)}…` : text}'`;
  }

  span(from: Loc): Loc {
    return { file: from.file, start: from.start, end: Math.max(from.end, this.previous.loc.end) };
  }
}
