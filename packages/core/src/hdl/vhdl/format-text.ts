import { SourceSet } from "../../common/source.ts";
import { type Comment, tokenize } from "./lexer.ts";
import type { Token } from "./token.ts";

type Block = "block" | "case" | "when";

/** Offsets of lines, whatever they end with. */
function lineStarts(text: string, lines: readonly string[]): number[] {
  const starts: number[] = [];
  let at = 0;
  for (const line of lines) {
    starts.push(at);
    at += line.length;
    at += text[at] === "\r" && text[at + 1] === "\n" ? 2 : 1;
  }
  return starts;
}

const word = (token: Token | undefined): string =>
  token && (token.kind === "word" || token.kind === "op") ? token.text : "";

/** How deep the text is in blocks and brackets, token by token. */
class Nesting {
  private readonly stack: Block[] = [];
  private brackets = 0;
  /** First words of the statement that is being read. */
  private head: string[] = [];
  private isAtEnd = false;

  private get top(): Block | undefined {
    return this.stack[this.stack.length - 1];
  }
  private has(...words: string[]): boolean {
    return this.head.some((each) => words.includes(each));
  }

  /** Steps of indentation of a line. @param row Its tokens. */
  depthOf(row: readonly Token[]): number {
    const first = word(row[0]);
    // the head of a process or block without `is` ends with its line
    if (this.head[0] === "open" && this.brackets === 0 && first !== "is" && row[0]?.text !== "(") this.head = [];
    const { top, stack, brackets } = this;
    if (this.head.length === 0) {
      if (first === "end") return stack.length - (top === "when" ? 2 : 1);
      if (first === "begin" || first === "else" || first === "elsif") return stack.length - 1;
      return first === "when" && top === "when" ? stack.length - 1 : stack.length;
    }
    // a statement goes on
    if (first === "begin") return stack.length - (stack.length ? 1 : 0);
    if (first === "is" || first === "generate" || first === "then" || first === "loop") return stack.length;
    return stack.length + (first === ")" ? Math.max(0, brackets - 1) : Math.max(1, brackets));
  }

  /** @param next Word of the token behind it, on whatever line. */
  take(token: Token, next: string): void {
    const text = word(token);
    if (text === "(") this.brackets++;
    else if (text === ")") this.brackets = Math.max(0, this.brackets - 1);
    if (this.isAtEnd) {
      if (text !== ";") return;
      this.isAtEnd = false;
      this.head = [];
    } else if (this.brackets > 0) {
      if (this.head.length < 8) this.head.push(text || "name");
    } else if (!this.branch(text) && !this.unit(token, text, next)) this.statement(text, next);
  }

  /** `end`, branches of a case, `begin` and the end of a statement. @returns False for anything else. */
  private branch(text: string): boolean {
    const { stack, head } = this;
    if (text === "end") {
      if (this.top === "when") stack.pop();
      stack.pop();
      this.isAtEnd = true;
      return true;
    }
    if (text === "when" && head.length === 0 && (this.top === "case" || this.top === "when")) {
      if (this.top === "when") stack.pop();
      stack.push("when");
      head.push("when");
      return true;
    }
    if (text !== "begin" && text !== ";" && !(text === "=>" && head[0] === "when")) return false;
    this.head = [];
    return true;
  }

  /** What opens with a word of its own, and what stands up to its `is` or `begin`. @returns False for anything else. */
  private unit(token: Token, text: string, next: string): boolean {
    const { head } = this;
    if (this.isFirst && (text === "process" || text === "block" || text === "component" || text === "units")) {
      if (!(text === "component" && head.length === 2)) this.stack.push("block");
      if (text === "component") this.head = next === "" ? ["component"] : [];
      else this.head = text === "process" || text === "block" ? ["open"] : [];
      return true;
    }
    if (head[0] === "open") {
      // sensitivity list and `is` are over: declarations begin
      if (text === ")") return true;
      const goesOn = text !== "is" && (text !== "" || token.kind === "name");
      if (text === "is" || goesOn) this.head = [];
      if (goesOn) this.take(token, next);
      return true;
    }
    if (head[0] !== "component") return false;
    this.head = text !== "is" && next === "is" ? ["component"] : [];
    return true;
  }
  private get isFirst(): boolean {
    return this.head.length === 0 || (this.head.length === 2 && this.head[1] === ":");
  }

  private statement(text: string, next: string): void {
    const { stack } = this;
    if (this.isFirst && text === "case") stack.push("case");
    if (text === "then" && !this.has("elsif")) stack.push("block");
    if (text === "generate" && !this.has("elsif", "else", "case")) stack.push("block");
    if (text === "loop") stack.push("block");
    if ((text === "record" || text === "units" || text === "protected") && this.head.length) stack.push("block");
    if (text === "is" && this.opensBody(next)) this.head = [];
    else if (text === "then" || text === "generate" || text === "loop" || text === "record" || text === "protected")
      this.head = [];
    else if (text === "else" && this.head.length === 0) this.head = next === "generate" ? ["else"] : [];
    else this.head.push(text || "name");
  }

  /** At `is`: whether the head is over, and a block begins. */
  private opensBody(next: string): boolean {
    const opens = this.has("entity", "architecture", "package", "configuration", "context")
      ? next !== "new"
      : this.has("function", "procedure") && next !== "new" && next !== "<>";
    if (opens && this.head[1] !== ":") this.stack.push("block");
    return opens || this.has("case");
  }
}

/**
 * VHDL text laid out by its blocks: each line is indented anew, blanks at line ends and more than one empty line go.
 * Tokens and comments stay as they are, and on their lines.
 */
export function formatVhdl(text: string, indent = "  "): string {
  const sources = new SourceSet([{ name: "f.vhd", text }]);
  const comments: Comment[] = [];
  const tokens = tokenize(sources, 0, [], comments).filter(({ kind }) => kind !== "end");
  const clean = sources.files[0].text;
  const lines = clean.split(/\r\n|\n|\r/);
  const starts = lineStarts(clean, lines);
  // lines within a delimited comment keep their own blanks
  const inside = new Set<number>();
  for (const { start, end } of comments)
    for (let i = 0; i < starts.length; i++) if (starts[i] > start && starts[i] < end) inside.add(i);

  const nesting = new Nesting();
  const out: string[] = [];
  let at = 0;
  for (let i = 0; i < lines.length; i++) {
    const first = at;
    while (at < tokens.length && (i + 1 === lines.length || tokens[at].start < starts[i + 1])) at++;
    const shown = lines[i].trim();
    if (inside.has(i)) out.push(lines[i].replace(/\s+$/, ""));
    else if (shown !== "") out.push(indent.repeat(Math.max(0, nesting.depthOf(tokens.slice(first, at)))) + shown);
    else if (out.length && out[out.length - 1] !== "") out.push("");
    for (let k = first; k < at; k++) nesting.take(tokens[k], word(tokens[k + 1]));
  }
  while (out.length && out[out.length - 1] === "") out.pop();
  return out.length ? `${out.join("\n")}\n` : "";
}
