import { SourceSet } from "../../common/source.ts";
import { type Comment, tokenize } from "./lexer.ts";
import type { Token } from "./token.ts";

type Block = "block" | "case" | "when";

/**
 * VHDL text laid out by its blocks: each line is indented anew, blanks at line ends and more than one empty line go.
 * Tokens and comments stay as they are, and on their lines.
 */
export function formatVhdl(text: string, indent = "  "): string {
  const sources = new SourceSet([{ name: "f.vhd", text }]);
  const comments: Comment[] = [];
  const tokens = tokenize(sources, 0, [], comments);
  const clean = sources.files[0].text;
  const lines = clean.split(/\r\n|\n|\r/);
  const starts: number[] = [];
  {
    let at = 0;
    for (const line of lines) {
      starts.push(at);
      at += line.length;
      if (clean[at] === "\r" && clean[at + 1] === "\n") at += 2;
      else at += 1;
    }
  }
  const byLine: Token[][] = lines.map(() => []);
  const inside = new Set<number>();
  let line = 0;
  for (const token of tokens) {
    if (token.kind === "end") break;
    while (line + 1 < starts.length && starts[line + 1] <= token.start) line++;
    byLine[line].push(token);
  }
  // lines within a delimited comment keep their own blanks
  for (const { start, end } of comments)
    for (let i = 0; i < starts.length; i++) if (starts[i] > start && starts[i] < end) inside.add(i);

  const stack: Block[] = [];
  let brackets = 0;
  /** First words of the statement that is being read. */
  let head: string[] = [];
  let ends = false;
  const out: string[] = [];
  const word = (token: Token | undefined): string =>
    token && (token.kind === "word" || token.kind === "op") ? token.text : "";
  const pop = () => {
    if (stack[stack.length - 1] === "when") stack.pop();
    stack.pop();
  };
  for (let i = 0; i < lines.length; i++) {
    const row = byLine[i];
    const shown = lines[i].trim();
    if (inside.has(i)) {
      out.push(lines[i].replace(/\s+$/, ""));
      continue;
    }
    if (shown === "") {
      if (out.length && out[out.length - 1] !== "") out.push("");
      continue;
    }
    const first = word(row[0]);
    // the head of a process or block without `is` ends with its line
    if (head[0] === "open" && brackets === 0 && first !== "is" && row[0]?.text !== "(") head = [];
    const top = stack[stack.length - 1];
    let depth = stack.length;
    if (head.length === 0) {
      if (first === "end") depth -= top === "when" ? 2 : 1;
      else if (first === "begin" || first === "else" || first === "elsif") depth -= 1;
      else if (first === "when" && top === "when") depth -= 1;
    } else {
      // a statement goes on
      if (first === "begin" || first === "is" || first === "generate" || first === "then" || first === "loop")
        depth -= stack.length && first === "begin" ? 1 : 0;
      else depth += first === ")" ? Math.max(0, brackets - 1) : Math.max(1, brackets);
    }
    // a comment before a branch belongs to it
    out.push(indent.repeat(Math.max(0, depth)) + shown);
    for (let k = 0; k < row.length; k++) {
      const text = word(row[k]);
      const next = word(row[k + 1] ?? byLine.slice(i + 1).find((each) => each.length)?.[0]);
      if (text === "(") brackets++;
      else if (text === ")") brackets = Math.max(0, brackets - 1);
      if (ends) {
        if (text === ";") {
          ends = false;
          head = [];
        }
        continue;
      }
      if (brackets > 0) {
        if (head.length < 8) head.push(text || "name");
        continue;
      }
      const isFirst = head.length === 0 || (head.length === 2 && head[1] === ":");
      if (text === "end") {
        pop();
        ends = true;
        continue;
      }
      if (
        text === "when" &&
        head.length === 0 &&
        (stack[stack.length - 1] === "case" || stack[stack.length - 1] === "when")
      ) {
        if (stack[stack.length - 1] === "when") stack.pop();
        stack.push("when");
        head.push("when");
        continue;
      }
      if (text === "=>" && head[0] === "when") {
        head = [];
        continue;
      }
      if (text === "begin") {
        head = [];
        continue;
      }
      if (text === ";") {
        // a process without `is` is open from its word on
        head = [];
        continue;
      }
      if (isFirst && (text === "process" || text === "block" || text === "component" || text === "units")) {
        if (!(text === "component" && head.length === 2)) stack.push("block");
        if (text === "component") {
          head = next === "" ? ["component"] : [];
          continue;
        }
        // what follows up to `begin` or `is` is its head
        head = text === "process" || text === "block" ? ["open"] : [];
        continue;
      }
      if (head[0] === "open") {
        // sensitivity list and `is` are over: declarations begin
        if (text === ")") continue;
        if (text === "is") head = [];
        else if (text !== "") {
          head = [];
          k--;
        } else if (row[k].kind === "name") {
          head = [];
          k--;
        }
        continue;
      }
      if (head[0] === "component") {
        head = next === "is" ? ["component"] : [];
        if (text === "is") head = [];
        continue;
      }
      if (isFirst && text === "case") stack.push("case");
      const has = (...words: string[]) => head.some((each) => words.includes(each));
      if (text === "then" && !has("elsif")) stack.push("block");
      if (text === "generate" && !has("elsif", "else", "case")) stack.push("block");
      if (text === "loop") stack.push("block");
      if ((text === "record" || text === "units" || text === "protected") && head.length) stack.push("block");
      if (text === "is") {
        const opens = has("entity", "architecture", "package", "configuration", "context")
          ? next !== "new"
          : has("function", "procedure") && next !== "new" && next !== "<>";
        if (opens && head[1] !== ":") stack.push("block");
        if (opens || has("case")) {
          head = [];
          continue;
        }
      }
      if (text === "then" || text === "generate" || text === "loop" || text === "record" || text === "protected") {
        head = [];
        continue;
      }
      if (text === "else" && head.length === 0) {
        head = next === "generate" ? ["else"] : [];
        continue;
      }
      head.push(text || "name");
    }
  }
  while (out.length && out[out.length - 1] === "") out.pop();
  return out.length ? `${out.join("\n")}\n` : "";
}
