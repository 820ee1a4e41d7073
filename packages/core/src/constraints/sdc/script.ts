/**
 * Reads the command language that SDC files are written in into commands and words, by the twelve rules of Tcl's manual
 * page: braces take text as it stands, quotes and bare words are substituted, brackets hold a script whose result counts.
 * What is within braces is read as a script only where a command asks for it.
 */

/** Text of a script, with where it is: offsets are into `text`, which is a whole file or a string made while running. */
export interface ScriptText {
  readonly text: string;
  /** Index of the file; -1 for text that was made while running. */
  readonly file: number;
}
export interface Span {
  readonly start: number;
  readonly end: number;
}
export type Part =
  | { readonly kind: "text"; readonly text: string }
  | { readonly kind: "variable"; readonly name: string; readonly index: readonly Part[] | null; readonly span: Span }
  | { readonly kind: "script"; readonly script: Script; readonly span: Span };
export interface Word extends Span {
  readonly parts: readonly Part[];
  /** Begins with {*}: its elements are words of their own. */
  readonly isExpanded: boolean;
  /** Of a word in braces, what lies between them. */
  readonly inside: Span | null;
}
export interface ScriptCommand extends Span {
  readonly words: readonly Word[];
}
export interface Script {
  readonly source: ScriptText;
  readonly commands: readonly ScriptCommand[];
}

/** A fault in the text: nothing of the command that it is in can be run. */
export class ScriptSyntaxError extends Error {
  constructor(
    message: string,
    readonly remedy: string,
    readonly span: Span,
  ) {
    super(message);
  }
}

const depthLimit = 200;
/** Characters that stand for themselves wherever they are. */
const ordinary = /[^\s;"\\[\]$()]+/y;
const isBlank = (c: string) => c === " " || c === "\t" || c === "\f" || c === "\v";
const isLineEnd = (c: string) => c === "\n" || c === "\r";
const isNameCharacter = (c: string | undefined) => c !== undefined && /[\w]/.test(c);

const escapes: Readonly<Record<string, string>> = {
  a: "\x07",
  b: "\b",
  f: "\f",
  n: "\n",
  r: "\r",
  t: "\t",
  v: "\v",
};

/**
 * Commands of a stretch of text. A command that cannot be read is told to `onError`, and reading goes on at the next
 * line; without it, the first one is thrown.
 * @throws ScriptSyntaxError
 */
export function parseScript(
  source: ScriptText,
  span: Span = { start: 0, end: source.text.length },
  onError?: (error: ScriptSyntaxError) => void,
): Script {
  return new Reader(source, span).script(onError);
}

/** Text parts of a string as within quotes, for `subst`-like use: variables and scripts are taken in. */
export function parseTemplate(source: ScriptText, span: Span): readonly Part[] {
  return new Reader(source, span).template();
}

/** The variable or script that begins at a place; null where a dollar sign stands for itself. */
export function parseSubstitution(source: ScriptText, span: Span): Exclude<Part, { kind: "text" }> | null {
  return new Reader(source, span).substitution();
}

/** A backslash and what follows it. @returns What it stands for, and the offset behind it. */
export function readEscape(text: string, at: number, end: number): { text: string; next: number } {
  const c = text[at + 1];
  if (at + 1 >= end) return { text: "\\", next: end };
  if (isLineEnd(c)) {
    let next = at + 2;
    if (c === "\r" && text[next] === "\n") next++;
    while (next < end && isBlank(text[next])) next++;
    return { text: " ", next };
  }
  if (c in escapes) return { text: escapes[c], next: at + 2 };
  const coded = /^(?:x([0-9a-fA-F]{1,2})|u([0-9a-fA-F]{1,4})|([0-7]{1,3}))/.exec(
    text.slice(at + 1, Math.min(end, at + 6)),
  );
  if (coded) {
    const code = coded[3] ? Number.parseInt(coded[3], 8) & 255 : Number.parseInt(coded[1] ?? coded[2], 16);
    return { text: String.fromCharCode(code), next: at + 1 + coded[0].length };
  }
  return { text: c, next: at + 2 };
}

class Reader {
  private at: number;
  private readonly text: string;
  private end: number;
  private depth = 0;

  constructor(
    private readonly source: ScriptText,
    span: Span,
  ) {
    this.text = source.text;
    this.at = span.start;
    this.end = span.end;
  }

  script(onError?: (error: ScriptSyntaxError) => void): Script {
    const commands: ScriptCommand[] = [];
    while (this.at < this.end) {
      const start = this.at;
      try {
        const command = this.command(null);
        if (command) commands.push(command);
      } catch (error) {
        if (!(error instanceof ScriptSyntaxError) || !onError) throw error;
        onError(error);
        this.depth = 0;
        this.at = Math.max(start, error.span.start);
        while (this.at < this.end && !isLineEnd(this.text[this.at])) this.at++;
      }
    }
    return { source: this.source, commands };
  }

  template(): readonly Part[] {
    return this.parts(() => false, true);
  }

  substitution(): Exclude<Part, { kind: "text" }> | null {
    if (this.text[this.at] === "$") return this.variable();
    const start = this.at;
    const script = this.bracketed();
    return { kind: "script", script, span: { start, end: this.at } };
  }

  /** One command up to and with its end; null for an empty one or a comment. @param close `]` within brackets. */
  private command(close: "]" | null): ScriptCommand | null {
    const { text } = this;
    this.skipBlanks(true);
    if (this.at < this.end && text[this.at] === "#") {
      this.skipComment();
      return null;
    }
    const start = this.at;
    const words: Word[] = [];
    let end = start;
    for (;;) {
      this.skipBlanks(false);
      if (this.at >= this.end) break;
      const c = text[this.at];
      if (close && c === close) break;
      if (c === ";" || isLineEnd(c)) {
        this.at++;
        break;
      }
      words.push(this.word(close));
      end = this.at;
    }
    return words.length ? { words, start, end } : null;
  }

  /** Blanks and continued lines; with `lines`, line ends and semicolons too. */
  private skipBlanks(lines: boolean): void {
    const { text } = this;
    while (this.at < this.end) {
      const c = text[this.at];
      if (isBlank(c) || (lines && (isLineEnd(c) || c === ";"))) this.at++;
      else if (c === "\\" && this.at + 1 < this.end && isLineEnd(text[this.at + 1]))
        this.at = readEscape(text, this.at, this.end).next;
      else return;
    }
  }

  private skipComment(): void {
    const { text } = this;
    while (this.at < this.end && !isLineEnd(text[this.at])) {
      if (text[this.at] === "\\") this.at = readEscape(text, this.at, this.end).next;
      else this.at++;
    }
    this.at = Math.min(this.at, this.end);
  }

  private word(close: "]" | null): Word {
    const start = this.at;
    const { text } = this;
    const next = text[this.at + 3];
    const isExpanded =
      text.startsWith("{*}", this.at) && this.at + 3 < this.end && !isBlank(next) && !isLineEnd(next) && next !== ";";
    if (isExpanded) this.at += 3;
    const c = text[this.at];
    if (c === "{") {
      const inside = this.braces();
      this.mustEnd(close, "}");
      const raw = text.slice(inside.start, inside.end);
      // of all escapes, only a continued line counts within braces
      const plain = raw.includes("\\") ? raw.replace(/\\(?:\r\n|\r|\n)[ \t\f\v]*/g, " ") : raw;
      return { start, end: this.at, parts: [{ kind: "text", text: plain }], isExpanded, inside };
    }
    if (c === '"') {
      this.at++;
      const parts = this.parts((each) => each === '"', true);
      if (this.at >= this.end) this.fail("A closing quote is missing.", 'Add ".', start, start + 1);
      this.at++;
      this.mustEnd(close, '"');
      return { start, end: this.at, parts, isExpanded, inside: null };
    }
    const parts = this.parts(
      (each) => isBlank(each) || isLineEnd(each) || each === ";" || (close !== null && each === close),
      false,
    );
    return { start, end: this.at, parts, isExpanded, inside: null };
  }

  private mustEnd(close: "]" | null, closed: string): void {
    if (this.at >= this.end) return;
    const c = this.text[this.at];
    if (isBlank(c) || isLineEnd(c) || c === ";" || c === close) return;
    if (c === "\\" && this.at + 1 < this.end && isLineEnd(this.text[this.at + 1])) return;
    this.fail(`Something stands right behind '${closed}'.`, "Put a blank between them.", this.at, this.at + 1);
  }

  /** Behind the closing brace when done. @returns What lies between. */
  private braces(): Span {
    const { text } = this;
    const start = this.at;
    let open = 0;
    while (this.at < this.end) {
      const c = text[this.at];
      if (c === "\\") this.at++;
      else if (c === "{") open++;
      else if (c === "}" && --open === 0) {
        this.at++;
        return { start: start + 1, end: this.at - 1 };
      }
      this.at++;
    }
    this.at = this.end;
    return this.fail("A closing brace is missing.", "Add '}'.", start, start + 1);
  }

  /** Substituted parts up to where `stops` says. @param quoted Blanks and line ends belong to it. */
  private parts(stops: (c: string) => boolean, quoted: boolean): Part[] {
    const { text } = this;
    const parts: Part[] = [];
    let plain = "";
    const flush = () => {
      if (plain) parts.push({ kind: "text", text: plain });
      plain = "";
    };
    while (this.at < this.end) {
      // most of a file is such stretches: taken whole, they cost a tenth
      ordinary.lastIndex = this.at;
      if (ordinary.test(text)) {
        const end = Math.min(this.end, ordinary.lastIndex);
        plain += text.slice(this.at, end);
        this.at = end;
        continue;
      }
      const c = text[this.at];
      if (stops(c)) break;
      if (c === "\\") {
        if (!quoted && this.at + 1 < this.end && isLineEnd(text[this.at + 1])) break;
        const escaped = readEscape(text, this.at, this.end);
        plain += escaped.text;
        this.at = escaped.next;
      } else if (c === "[") {
        flush();
        const start = this.at;
        const script = this.bracketed();
        parts.push({ kind: "script", script, span: { start, end: this.at } });
      } else if (c === "$") {
        const variable = this.variable();
        if (variable) {
          flush();
          parts.push(variable);
        } else {
          plain += "$";
          this.at++;
        }
      } else {
        plain += c;
        this.at++;
      }
    }
    flush();
    return parts.length ? parts : [{ kind: "text", text: "" }];
  }

  private bracketed(): Script {
    const start = this.at;
    if (++this.depth > depthLimit)
      this.fail(
        `Brackets are nested more than ${depthLimit} deep.`,
        "Use a variable for the inner ones.",
        start,
        start + 1,
      );
    this.at++;
    const commands: ScriptCommand[] = [];
    for (;;) {
      this.skipBlanks(true);
      if (this.at >= this.end) this.fail("A closing bracket is missing.", "Add ']'.", start, start + 1);
      if (this.text[this.at] === "]") break;
      const command = this.command("]");
      if (command) commands.push(command);
    }
    this.at++;
    this.depth--;
    return { source: this.source, commands };
  }

  private variable(): Extract<Part, { kind: "variable" }> | null {
    const { text } = this;
    const start = this.at;
    if (text[start + 1] === "{") {
      const end = text.indexOf("}", start + 2);
      if (end < 0 || end >= this.end)
        this.fail("A closing brace is missing behind '${'.", "Add '}'.", start, start + 2);
      this.at = end + 1;
      return { kind: "variable", name: text.slice(start + 2, end), index: null, span: { start, end: this.at } };
    }
    let end = start + 1;
    while (end < this.end && (isNameCharacter(text[end]) || text.startsWith("::", end)))
      end += text[end] === ":" ? 2 : 1;
    if (end === start + 1) return null;
    const name = text.slice(start + 1, end);
    this.at = end;
    let index: Part[] | null = null;
    if (text[end] === "(" && end < this.end) {
      this.at++;
      index = this.parts((c) => c === ")", true);
      if (this.at >= this.end) this.fail("A ')' is missing behind a variable's index.", "Add ')'.", end, end + 1);
      this.at++;
    }
    return { kind: "variable", name, index, span: { start, end: this.at } };
  }

  private fail(message: string, remedy: string, start: number, end: number): never {
    throw new ScriptSyntaxError(message, remedy, { start, end });
  }
}
