/**
 * Lays out source text: indentation by structure, trailing blanks, runs of empty lines, and the blanks that are missing
 * around operators. Line breaks, comments and alignment stay the writer's own; no token changes, so the text means what
 * it meant. It works on the text before the preprocessor and needs no correct syntax.
 */

interface Piece {
  readonly kind: "name" | "number" | "string" | "comment" | "directive" | "op";
  readonly text: string;
  /** Line that it starts in. */
  readonly line: number;
  /** Blanks before it on its line. */
  readonly gap: string;
  readonly isFirst: boolean;
}

const piecePattern =
  /(?<comment>\/\/[^\n]*|\/\*[\s\S]*?(?:\*\/|$))|(?<string>"(?:\\[\s\S]|[^"\\\n])*(?:"|(?=\n)|$))|(?<directive>`[A-Za-z_][\w$]*|`.?)|(?<name>\\[^\s]+|[A-Za-z_$][\w$]*)|(?<number>'[sS]?[bBoOdDhH][ \t]*[0-9a-fA-FxXzZ?_]+|'[01xXzZ](?![\w$])|[0-9][\w.]*)|(?<op><<<=|>>>=|<<<|>>>|===|!==|==\?|!=\?|<->|->>|<<=|>>=|&&&|\*\*|<<|>>|<=|>=|==|!=|&&|\|\||~&|~\||~\^|\^~|\+:|-:|->|=>|\+\+|--|\+=|-=|\*=|\/=|%=|&=|\|=|\^=|::|'\{|##|[^\s])/y;
const lineDirectives =
  /^`(?:define|undef|undefineall|ifdef|ifndef|elsif|else|endif|include|timescale|default_nettype|resetall|celldefine|endcelldefine|line|pragma|begin_keywords|end_keywords|unconnected_drive|nounconnected_drive)$/;

function pieces(text: string): Piece[] {
  const list: Piece[] = [];
  let at = 0;
  let line = 0;
  let lineStart = 0;
  let isFirst = true;
  while (at < text.length) {
    const c = text.charCodeAt(at);
    if (c === 10) {
      line++;
      at++;
      lineStart = at;
      isFirst = true;
      continue;
    }
    if (c === 32 || (c >= 9 && c <= 13)) {
      at++;
      continue;
    }
    piecePattern.lastIndex = at;
    const { groups } = piecePattern.exec(text)!;
    const kind = (Object.keys(groups!) as Piece["kind"][]).find((name) => groups![name] !== undefined)!;
    let own = groups![kind];
    if (kind === "directive" && lineDirectives.test(own)) {
      // to the end of its line; a definition may go on after a backslash
      const rest = /(?:\\\r?\n|[^\n])*/y;
      rest.lastIndex = at;
      own = rest.exec(text)![0];
      if (!own.startsWith("`define")) own = own.replace(/\s*\/\/.*$/, "");
      own = own.trimEnd();
    }
    let start = isFirst ? lineStart : at;
    while (!isFirst && /[ \t]/.test(text[start - 1] ?? "")) start--;
    list.push({ kind, text: own, line, gap: text.slice(start, at), isFirst });
    isFirst = false;
    for (let i = at; i < at + own.length; i++)
      if (text.charCodeAt(i) === 10) {
        line++;
        lineStart = i + 1;
      }
    at += own.length;
  }
  return list;
}

/** Words that open what the other closes. */
const closers = new Map([
  ["module", "endmodule"],
  ["macromodule", "endmodule"],
  ["interface", "endinterface"],
  ["program", "endprogram"],
  ["package", "endpackage"],
  ["class", "endclass"],
  ["function", "endfunction"],
  ["task", "endtask"],
  ["generate", "endgenerate"],
  ["case", "endcase"],
  ["casex", "endcase"],
  ["casez", "endcase"],
  ["begin", "end"],
  ["fork", "join"],
  ["primitive", "endprimitive"],
  ["table", "endtable"],
  ["specify", "endspecify"],
  ["clocking", "endclocking"],
  ["covergroup", "endgroup"],
  ["property", "endproperty"],
  ["sequence", "endsequence"],
  ["checker", "endchecker"],
]);
const closing = new Set([...closers.values(), "join_any", "join_none"]);
/** Those that only count at the start of a statement: elsewhere they are types, or part of another statement. */
const statementOpeners = new Set(["interface", "class", "clocking", "property", "sequence", "program", "package"]);
/** Words whose statement may stand on a line of its own; some have a condition in parentheses before it. */
const bodyWords = new Set([
  "if",
  "else",
  "for",
  "foreach",
  "while",
  "repeat",
  "forever",
  "wait",
  "initial",
  "final",
  "always",
  "always_comb",
  "always_ff",
  "always_latch",
  "do",
  "assert",
  "assume",
  "cover",
]);
const withCondition = new Set(["if", "for", "foreach", "while", "repeat", "wait", "assert", "assume", "cover"]);
/** Operators that always stand between two operands: blanks belong on both sides. */
const spaced = new Set(
  "= < > <= >= == != === !== ==? !=? && || += -= *= /= %= &= |= ^= <<= >>= <<<= >>>= ?".split(" "),
);

type Frame =
  | { readonly kind: "block"; readonly close: string; readonly outer: number }
  | { readonly kind: "paren"; readonly close: string; readonly outer: number; readonly statement: number | null }
  /** The one statement after a condition, an event control or a label. */
  | { readonly kind: "body"; readonly word: string; readonly outer: number };

/** Where the layout is between two pieces. Frames are never changed, so that a copy is cheap. */
interface State {
  readonly frames: Frame[];
  /** Indentation of the line that the current statement began in; null between statements. */
  statement: number | null;
  /** First piece of that statement. */
  first: number;
  /** The word whose condition or event control is being read: its end begins a body. */
  awaiting: string | null;
  /** Set from the body of a `do` to its `while`. */
  afterDo: boolean;
}

interface FormatOptions {
  /** Blanks a level. */
  readonly indent?: number;
}

/** @returns The text laid out; laying it out again changes nothing. */
export function formatVerilog(source: string, { indent = 2 }: FormatOptions = {}): string {
  return new Layout(pieces(source.replace(/\r\n?/g, "\n")), indent).run();
}

class Layout {
  private state: State = { frames: [], statement: null, first: 0, awaiting: null, afterDo: false };
  /** States before each open `ifdef`: every branch begins from it. */
  private readonly branches: State[] = [];
  private lineIndent = 0;

  constructor(
    private readonly list: readonly Piece[],
    private readonly indent: number,
  ) {}

  run(): string {
    const out: string[] = [];
    let lastLine = -1;
    this.list.forEach((piece, index) => {
      const lines = piece.text.split("\n");
      if (piece.isFirst) {
        if (out.length) out.push(piece.line - lastLine > 1 ? "\n\n" : "\n");
        this.lineIndent = this.indentOf(piece, index);
        out.push(" ".repeat(this.lineIndent * this.indent));
      } else out.push(gapBefore(this.list[index - 1], piece));
      lastLine = piece.line + lines.length - 1;
      if (piece.kind === "comment" && piece.isFirst) out.push(this.shifted(piece, lines));
      else out.push(lines.map((line) => line.trimEnd()).join("\n"));
      if (isLineDirective(piece)) this.branch(directiveWord(piece));
      else if (piece.kind !== "comment") this.step(piece, index);
    });
    return out.length ? `${out.join("").trimEnd()}\n` : "";
  }

  /** A block comment moves as a whole. */
  private shifted(piece: Piece, lines: readonly string[]): string {
    const delta = this.lineIndent * this.indent - widthOf(piece.gap);
    return lines
      .map((line, i) => {
        if (i === 0) return line.trimEnd();
        const blanks = /^[ \t]*/.exec(line)![0];
        const rest = line.slice(blanks.length).trimEnd();
        return rest ? " ".repeat(Math.max(0, widthOf(blanks) + delta)) + rest : "";
      })
      .join("\n");
  }

  private branch(word: string): void {
    const copy = (state: State): State => ({ ...state, frames: [...state.frames] });
    if (word === "`ifdef" || word === "`ifndef") this.branches.push(copy(this.state));
    else if (word === "`endif") this.branches.pop();
    else if ((word === "`else" || word === "`elsif") && this.branches.length) this.state = copy(this.branches.at(-1)!);
  }

  private top(): Frame | undefined {
    return this.state.frames.at(-1);
  }

  private indentOf(piece: Piece, index: number): number {
    // a directive stands where its `ifdef` does, whatever its branch left open
    const isBranch = isLineDirective(piece) && /^`(?:else|elsif|endif)$/.test(directiveWord(piece));
    const { frames, statement } = (isBranch && this.branches.at(-1)) || this.state;
    const frame = frames.at(-1);
    if (piece.kind === "op" && /^[)\]}]$/.test(piece.text)) {
      const open = frames.findLast((each) => each.kind !== "body");
      if (open?.kind === "paren") return open.outer;
    }
    if (piece.kind === "name" && closing.has(piece.text)) {
      const block = frames.findLast((each) => each.kind === "block" && closes(each.close, piece.text));
      if (block) return block.outer;
    }
    if (frame?.kind === "paren") return frame.outer + 1;
    if (statement !== null) return statement + 1;
    if (frame?.kind === "body") {
      // a block is the body itself: it stands where its owner does, and so does a comment above it
      const own = this.list[piece.kind === "comment" ? this.afterComments(index) : index];
      if (own?.text === "begin" || own?.text === "fork") return frame.outer;
    }
    return frame ? frame.outer + 1 : 0;
  }

  private afterComments(index: number): number {
    let next = index + 1;
    while (next < this.list.length && (this.list[next].kind === "comment" || isLineDirective(this.list[next]))) next++;
    return next;
  }

  /** A statement is over: so are those whose body it is, unless an `else` follows. */
  private complete(index: number): void {
    const { state } = this;
    state.statement = null;
    state.awaiting = null;
    state.afterDo = false;
    const next = this.list[this.afterComments(index)];
    const hasElse = next?.kind === "name" && next.text === "else";
    for (let frame = this.top(); frame?.kind === "body"; frame = this.top()) {
      state.frames.pop();
      if (hasElse && frame.word === "if") return;
      if (frame.word === "do") {
        state.afterDo = true;
        return;
      }
    }
  }

  private begin(index: number): void {
    if (this.state.statement !== null) return;
    this.state.statement = this.lineIndent;
    this.state.first = index;
  }

  private body(word: string): void {
    const { state } = this;
    const outer = state.statement ?? this.lineIndent;
    state.awaiting = null;
    state.statement = null;
    if (word !== "case")
      state.frames.push({ kind: "body", word: /^(?:assert|assume|cover)$/.test(word) ? "if" : word, outer });
  }

  private step(piece: Piece, index: number): void {
    if (piece.kind === "op") this.operator(piece, index);
    else if (piece.kind !== "name" || this.list[index - 1]?.text === "." || !this.word(piece, index)) {
      this.begin(index);
      const before = this.list[index - 1]?.text;
      if (this.state.awaiting && this.top()?.kind !== "paren" && (before === "@" || before === "#" || before === "##"))
        this.body(this.state.awaiting);
      else if (piece.kind === "directive") this.macroEnd(index);
    }
  }

  /** A macro alone on its lines stands for whole statements: no semicolon need follow. */
  private macroEnd(index: number): void {
    const { first } = this.state;
    const next = this.list[index + 1];
    const start = this.list[first];
    if (this.top()?.kind === "paren" || start?.kind !== "directive" || !start.isFirst) return;
    if (index !== first && this.list[first + 1]?.text !== "(") return;
    if (next === undefined || (next.isFirst && next.kind !== "op")) this.complete(index);
  }

  private operator({ text }: Piece, index: number): void {
    const { state, list } = this;
    const before = list[index - 1];
    if (text === "(" || text === "[" || text === "{" || text === "'{") {
      const close = text === "(" ? ")" : text === "[" ? "]" : "}";
      state.frames.push({ kind: "paren", close, outer: this.lineIndent, statement: state.statement });
      return;
    }
    if (text === ")" || text === "]" || text === "}") {
      const at = state.frames.findLastIndex((each) => each.kind !== "body");
      const frame = state.frames[at];
      if (frame?.kind !== "paren") return; // one too many: it has no meaning for the layout
      state.frames.length = at;
      state.statement = frame.statement;
      if (text === ")" && state.awaiting && this.top()?.kind !== "paren") this.body(state.awaiting);
      else if (text === ")") this.macroEnd(index);
      return;
    }
    const frame = this.top();
    if (text === ";") {
      if (frame?.kind !== "paren") this.complete(index);
      else state.statement = null; // members of a struct, parts of a loop's head
      return;
    }
    if (text === ":") {
      if (before?.kind === "name" && (closing.has(before.text) || before.text === "begin" || before.text === "fork"))
        return;
      if (frame?.kind === "block" && frame.close === "endcase") {
        this.body("label");
        return;
      }
    }
    if ((text === "@" || text === "#" || text === "##") && state.statement === null && frame?.kind !== "paren")
      state.awaiting ??= "control";
    this.begin(index);
    if (text === "*" && before?.text === "@" && state.awaiting && frame?.kind !== "paren") this.body(state.awaiting);
  }

  /** @returns True if the word has a meaning for the layout, and it has been seen to. */
  private word({ text, line }: Piece, index: number): boolean {
    const { state, list } = this;
    const before = list[index - 1];
    const wasStart = state.statement === null;
    const named = before?.text === ":" ? list[index - 2] : undefined;
    if (named?.kind === "name") {
      if (named.text === "begin" || named.text === "fork") return true;
      if (closing.has(named.text)) {
        this.complete(index);
        return true;
      }
    }
    if (closing.has(text)) {
      const at = state.frames.findLastIndex((each) => each.kind === "block" && closes(each.close, text));
      if (at < 0) return false;
      state.frames.length = at;
      state.statement = null;
      if (list[index + 1]?.text !== ":") this.complete(index);
      return true;
    }
    const frame = this.top();
    if (frame?.kind === "paren") return false;
    if (text === "inside" && before?.text === ")" && frame?.kind === "block" && frame.close === "endcase" && wasStart)
      return true;
    const close = closers.get(text);
    if (close !== undefined && this.opens(text, index)) {
      const isBody = (text === "begin" || text === "fork") && frame?.kind === "body" && wasStart;
      const outer = isBody ? frame.outer : (state.statement ?? this.lineIndent);
      state.frames.push({ kind: "block", close, outer });
      const hasHeader = !/^(?:begin|fork|generate|table|specify)$/.test(text);
      state.statement = hasHeader ? outer : null;
      state.first = index;
      state.awaiting = close === "endcase" ? "case" : null;
      return true;
    }
    if (!bodyWords.has(text)) return false;
    if (text === "while" && state.afterDo) {
      state.afterDo = false;
      return false;
    }
    if (
      text === "if" &&
      before?.text === "else" &&
      before.line === line &&
      frame?.kind === "body" &&
      frame.word === "else"
    ) {
      // `else if` is one step
      state.frames.pop();
      state.statement = frame.outer;
    } else this.begin(index);
    const next = list[index + 1]?.text;
    if (withCondition.has(text) || (/^always(?:_ff|_latch|_comb)?$/.test(text) && (next === "@" || next === "#")))
      state.awaiting = text;
    else this.body(text);
    return true;
  }

  /** Some words open a block only where a statement begins; elsewhere they are part of one. */
  private opens(text: string, index: number): boolean {
    const { list, state } = this;
    const before = list[index - 1];
    if (statementOpeners.has(text)) return state.statement === null;
    if (text === "fork") return before?.text !== "wait" && before?.text !== "disable";
    if (text === "function" || text === "task") {
      for (let i = index - 1; i >= Math.max(0, index - 5) && list[i].text !== ";"; i--)
        if (/^(?:import|export|extern|pure)$/.test(list[i].text)) return false;
    }
    return true;
  }
}

const closes = (close: string, word: string) =>
  close === word || (close === "join" && (word === "join_any" || word === "join_none"));

const directiveWord = (piece: Piece) => /^`\w*/.exec(piece.text)?.[0] ?? "";
const isLineDirective = (piece: Piece) => piece.kind === "directive" && lineDirectives.test(directiveWord(piece));

const tabWidth = 4;
function widthOf(blanks: string): number {
  let width = 0;
  for (const c of blanks) width = c === "\t" ? width + tabWidth - (width % tabWidth) : width + 1;
  return width;
}

/** The writer's own blanks, or one where none is and one belongs. */
function gapBefore(before: Piece, piece: Piece): string {
  if (piece.gap) return piece.gap.includes("\t") ? " " : piece.gap;
  if (piece.kind === "comment" || before.kind === "comment") return " ";
  if (before.text === "," || before.text === ";") return piece.text === ")" ? "" : " ";
  if (piece.kind === "op" && spaced.has(piece.text) && before.text !== "(") return " ";
  if (before.kind === "op" && spaced.has(before.text) && piece.text !== ")") return " ";
  if (before.kind === "name" && (bodyWords.has(before.text) || /^case[xz]?$/.test(before.text)))
    return /^[(@#]$/.test(piece.text) ? " " : "";
  if (piece.kind === "name" && before.text === ")") return " ";
  return "";
}
