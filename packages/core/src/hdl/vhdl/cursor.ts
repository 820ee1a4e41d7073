import { type Finding, InvariantError, type TextEdit } from "../../common/finding.ts";
import type { Loc, SourceSet } from "../../common/source.ts";
import type { Ident } from "./ast.ts";
import type { Token } from "./token.ts";

/** More findings than this in one file help nobody. */
const maxFindings = 60;

/** Thrown where a construct cannot be read further; caught where the parser knows how to go on. */
export class GiveUp extends Error {}

/**
 * Tokens with the error reporting that all parser parts share. A mistake is told once: a token that was reported is not
 * reported again.
 */
export class Cursor {
  protected at = 0;
  private lastReported = -1;
  private count = 0;

  constructor(
    protected readonly tokens: readonly Token[],
    protected readonly sources: SourceSet,
    protected readonly findings: Finding[],
  ) {}

  get current(): Token {
    return this.tokens[this.at];
  }
  get previous(): Token {
    return this.tokens[Math.max(0, this.at - 1)];
  }
  peek(ahead: number): Token {
    return this.tokens[Math.min(this.at + ahead, this.tokens.length - 1)];
  }
  get atEnd(): boolean {
    return this.current.kind === "end";
  }

  get atName(): boolean {
    return this.current.kind === "name";
  }

  next(): Token {
    const token = this.tokens[this.at];
    if (token.kind !== "end") this.at++;
    return token;
  }

  /** A reserved word or an operator. */
  is(text: string): boolean {
    const { kind, text: shown } = this.tokens[this.at];
    return shown === text && (kind === "op" || kind === "word");
  }

  isAt(ahead: number, text: string): boolean {
    const { kind, text: shown } = this.peek(ahead);
    return shown === text && (kind === "op" || kind === "word");
  }

  isAny(...texts: string[]): boolean {
    return texts.some((text) => this.is(text));
  }

  accept(text: string): boolean {
    if (!this.is(text)) return false;
    this.at++;
    return true;
  }

  expect(text: string, after: string): boolean {
    if (this.accept(text)) return true;
    this.missing(text, after);
    return false;
  }

  missing(text: string, after: string): void {
    const { file, end } = this.previous;
    const spot = this.sources.position(file, end);
    const edit = {
      file: spot.file,
      label: `Insert '${text}'`,
      line: spot.line,
      column: spot.column,
      endLine: spot.line,
      endColumn: spot.column,
      text: /^[a-z]/.test(text) ? ` ${text}` : text,
    };
    this.report(
      "vhdl/syntax",
      { file, start: Math.max(0, end - 1), end },
      `Missing '${text}' after ${after}, before ${this.describe()}.`,
      `Add '${text}' here.`,
      edit,
    );
  }

  unexpected(wanted: string): void {
    this.report(
      "vhdl/syntax",
      this.current,
      `Expected ${wanted}, found ${this.describe()}.`,
      "Check this line and the one before it.",
    );
  }

  report(code: string, loc: Loc, message: string, remedy: string, edit?: TextEdit): void {
    if (this.lastReported === this.at) return;
    this.lastReported = this.at;
    if (++this.count > maxFindings) return;
    if (loc.file < 0) throw new InvariantError(`library, at ${loc.start}: ${message}`);
    const place = this.sources.place(loc);
    if (this.count === maxFindings) {
      this.findings.push({
        code: "vhdl/many-errors",
        severity: "error",
        place,
        message: "Too many syntax errors in this file; the rest are not shown.",
        remedy: "Is this a VHDL file?",
      });
      return;
    }
    this.findings.push({ code, severity: "error", place, message, remedy, edit });
  }

  describe(token = this.current): string {
    if (token.kind === "end") return "the end of the file";
    const shown = token.text.length > 40 ? `${token.text.slice(0, 40)}…` : token.text;
    if (token.kind === "string") return `"${shown}"`;
    if (token.kind === "word") return `the reserved word '${shown}'`;
    return token.kind === "char" || token.file < 0 ? `'${shown}'` : `'${this.sources.text(token)}'`;
  }

  /** @throws GiveUp where there is no name. */
  ident(what: string): Ident {
    const token = this.current;
    if (token.kind === "name") {
      this.at++;
      return { id: token.text, loc: token };
    }
    this.unexpected(what);
    throw new GiveUp();
  }

  span(from: Loc): Loc {
    return { file: from.file, start: from.start, end: Math.max(from.end, this.previous.end) };
  }

  /** Past the next `;`, or to before one of `stops`. Brackets are no obstacle. */
  skipTo(stops: ReadonlySet<string>): void {
    while (!this.atEnd) {
      if (this.accept(";")) return;
      if (this.current.kind === "word" && stops.has(this.current.text)) return;
      this.at++;
    }
  }
}
