import type { Finding } from "../../common/finding.ts";
import type { Loc, SourceSet } from "../../common/source.ts";
import type { NetKind, TimeScale } from "./ast.ts";
import { systemVerilogKeywords, tellingWords, verilogKeywords } from "./keywords.ts";
import { type Macro, nameAt, type Preprocessor, readActuals, readDefinition, substitute } from "./macros.ts";
import { Token, type TokenKind } from "./token.ts";

const operators = [
  "<<<=",
  ">>>=",
  "<<<",
  ">>>",
  "===",
  "!==",
  "==?",
  "!=?",
  "<->",
  "->>",
  "|->",
  "|=>",
  "<<=",
  ">>=",
  "&&&",
  "**",
  "<<",
  ">>",
  "<=",
  ">=",
  "==",
  "!=",
  "&&",
  "||",
  "~&",
  "~|",
  "~^",
  "^~",
  "+:",
  "-:",
  "->",
  "=>",
  "++",
  "--",
  "+=",
  "-=",
  "*=",
  "/=",
  "%=",
  "&=",
  "|=",
  "^=",
  "::",
  "'{",
  "##",
  ..."+-*/%<>!~&|^?:;,.()[]{}=@#'$",
]; // longest first within each first character

const operatorsByFirst: string[][] = Array.from({ length: 128 }, () => []);
for (const op of operators) operatorsByFirst[op.charCodeAt(0)].push(op);
for (const list of operatorsByFirst) list.sort((a, b) => b.length - a.length);

/** 1 name start, 2 digit, 4 space, 8 name part. */
const classOf = new Uint8Array(128);
for (let c = 0; c < 128; c++) {
  const letter = (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95;
  const digit = c >= 48 && c <= 57;
  classOf[c] =
    (letter ? 1 | 8 : 0) | (digit ? 2 | 8 : 0) | (c === 36 ? 8 : 0) | (c === 32 || (c >= 9 && c <= 13) ? 4 : 0);
}
const charClass = (c: number) => (c < 128 ? classOf[c] : c === 0xa0 ? 4 : 0);

const numberPattern =
  /(?:[0-9][0-9_]*\s*)?'[sS]?[bBoOdDhH]\s*[0-9a-fA-FxXzZ?][0-9a-fA-FxXzZ?_]*|'[01xXzZ](?![A-Za-z0-9_$])|[0-9][0-9_]*(?:\.[0-9][0-9_]*)?(?:[eE][+-]?[0-9][0-9_]*)?(?:(?:fs|ps|ns|us|ms|s)(?![A-Za-z0-9_$]))?/y;

type LexerRegions = readonly { readonly from: number; readonly to: number; readonly open: readonly string[] }[];
const maxExpansions = 100_000;
/** Characters that all expanded texts of a file may have. */
const mostExpanded = 4_000_000;
const maxNesting = 60;

/** State of the directives from one token on. */
export interface Mark {
  readonly at: number;
  readonly timeScale: TimeScale | null;
  readonly defaultNet: NetKind | null;
  /** What open inputs of modules are pulled to. */
  readonly openInputs: 0 | 1 | null;
}
interface Lexed {
  readonly tokens: Token[];
  /** In order of `at`; the first stands at 0. */
  readonly marks: Mark[];
  /** Text between (* and *), by the token that it stands before. */
  readonly attributes: readonly AttributeText[];
}
interface AttributeText {
  /** Index of the token behind it. */
  readonly at: number;
  readonly text: string;
  readonly loc: Loc;
}

/**
 * Text to tokens, with the preprocessor (IEEE 1364-2005 clause 19, IEEE 1800-2017 clause 22). What a macro gives has
 * the place of the macro's use. Files named `.v` have Verilog's words alone, unless the text shows that it is
 * SystemVerilog.
 */
export function tokenize(sources: SourceSet, file: number, pre: Preprocessor, findings: Finding[]): Lexed {
  const plain = /\.(v|vh)$/i.test(sources.files[file].name);
  if (!plain) return new Lexer(sources, pre, findings, systemVerilogKeywords).run(file);
  const before = { ...pre, macros: new Map(pre.macros) };
  const found: Finding[] = [];
  const lexed = new Lexer(sources, pre, found, verilogKeywords).run(file);
  const telling = lexed.tokens.some((token) => token.kind === "name" && tellingWords.has(token.text));
  if (!telling) {
    findings.push(...found);
    return lexed;
  }
  Object.assign(pre, before);
  return new Lexer(sources, pre, findings, systemVerilogKeywords).run(file);
}

class Lexer {
  private readonly tokens: Token[] = [];
  private readonly marks: Mark[] = [];
  private readonly attributes: AttributeText[] = [];
  private readonly conditions: { taken: boolean; outer: boolean; loc: Loc }[] = [];
  private active = true;
  private expansions = 0;
  private open: string[] = [];
  /** What is being read: a file, or the text of a macro, whose tokens all stand at `fixed`. */
  private text = "";
  private at = 0;
  private file = 0;
  private fixed: Loc | null = null;

  constructor(
    private readonly sources: SourceSet,
    private readonly pre: Preprocessor,
    private readonly findings: Finding[],
    private keywords: ReadonlyMap<string, string>,
  ) {}

  run(file: number): Lexed {
    const { text, name } = this.sources.files[file];
    const end = (): Lexed => {
      this.tokens.push(new Token("end", "", file, text.length, text.length));
      return { tokens: this.tokens, marks: this.marks, attributes: this.attributes };
    };
    this.mark();
    const reason = looksBinary(text);
    if (reason) {
      const loc = { file, start: 0, end: 0 };
      this.report("verilog/not-text", loc, `${name} is not a text file: ${reason}.`, "Take it out of the sources.");
      return end();
    }
    this.scan(text, file, null);
    for (const open of this.conditions)
      this.report("verilog/open-condition", open.loc, "This conditional part has no `endif.", "Add `endif.");
    return end();
  }

  private problems = 0;
  private expanded = 0;

  private report(code: string, loc: Loc, message: string, remedy: string): void {
    this.problems++;
    if (this.problems > maxProblems) return;
    this.findings.push({ code, severity: "error", place: this.sources.place(loc), message, remedy });
    if (this.problems === maxProblems)
      this.findings.push({
        code: "verilog/too-many",
        severity: "error",
        place: this.sources.place(loc),
        message: `More than ${maxProblems} characters and directives have no meaning: further ones are not listed.`,
        remedy: "Make sure that this is a text in Verilog, and begin with the first of them.",
      });
  }

  private mark(): void {
    const { timeScale, defaultNet, openInputs } = this.pre;
    this.marks.push({ at: this.tokens.length, timeScale, defaultNet, openInputs });
  }

  private loc(start: number, end: number): Loc {
    return this.fixed ?? { file: this.file, start, end };
  }

  private push(kind: TokenKind, start: number, end: number, text: string): void {
    if (!this.active) return;
    const { fixed } = this;
    this.tokens.push(
      fixed ? new Token(kind, text, fixed.file, fixed.start, fixed.end) : new Token(kind, text, this.file, start, end),
    );
  }

  /** Reads all of `text`, then goes back to where it was. */
  private scan(text: string, file: number, fixed: Loc | null): void {
    const { text: oldText, at: oldAt, file: oldFile, fixed: oldFixed } = this;
    this.text = text;
    this.at = 0;
    this.file = file;
    this.fixed = fixed;
    const length = text.length;
    while (this.at < length) this.one();
    this.text = oldText;
    this.at = oldAt;
    this.file = oldFile;
    this.fixed = oldFixed;
  }

  private one(): void {
    const { text } = this;
    const start = this.at;
    const c = text.charCodeAt(start);
    const kind = charClass(c);
    if (kind & 4) {
      this.at++;
      return;
    }
    if (kind & 1) {
      let at = start + 1;
      while (charClass(text.charCodeAt(at)) & 8) at++;
      this.at = at;
      const word = text.slice(start, at);
      const keyword = this.keywords.get(word);
      if (keyword !== undefined) this.push("keyword", start, at, keyword);
      else this.push("name", start, at, word);
      return;
    }
    if (c === 47) {
      const next = text.charCodeAt(start + 1);
      if (next === 47) {
        const end = /[\n\r]/g;
        end.lastIndex = start;
        this.at = end.exec(text)?.index ?? text.length;
        return;
      }
      if (next === 42) {
        const end = this.endOf("*/", start + 2);
        if (end < 0)
          this.report(
            "verilog/open-comment",
            this.loc(start, start + 2),
            "This comment is never closed.",
            "Add */ where it ends.",
          );
        this.at = end < 0 ? text.length : end + 2;
        return;
      }
    }
    if (kind & 2 || c === 39) {
      numberPattern.lastIndex = start;
      const match = numberPattern.exec(text);
      if (match) {
        this.at = start + match[0].length;
        this.push("number", start, this.at, match[0]);
        return;
      }
    }
    if (c === 40 && text.charCodeAt(start + 1) === 42) {
      // an attribute, but for the (*) of an event control
      const after = /\S/g;
      after.lastIndex = start + 2;
      if (after.exec(text)?.[0] !== ")") {
        const end = this.endOf("*)", start + 2);
        if (end >= 0) {
          this.at = end + 2;
          if (this.active)
            this.attributes.push({
              at: this.tokens.length,
              text: text.slice(start + 2, end),
              loc: this.loc(start, this.at),
            });
          return;
        }
      }
    }
    if (c === 34) {
      this.string(start);
      return;
    }
    if (c === 36 && charClass(text.charCodeAt(start + 1)) & 8) {
      let at = start + 1;
      while (charClass(text.charCodeAt(at)) & 8) at++;
      this.at = at;
      this.push("system", start, at, text.slice(start, at));
      return;
    }
    if (c === 92) {
      let at = start + 1;
      while (at < text.length && !(charClass(text.charCodeAt(at)) & 4)) at++;
      this.at = at;
      const name = text.slice(start + 1, at);
      if (this.active && /[^\x21-\x7e]/.test(name))
        this.report(
          "verilog/character",
          this.loc(start, at),
          "An escaped name may hold printable ASCII characters alone (IEEE 1800-2017 5.6.1).",
          "Write it in letters, digits and signs of ASCII.",
        );
      this.push("name", start, at, name);
      return;
    }
    if (c === 96) {
      this.directive(start);
      return;
    }
    if (c < 128) {
      for (const op of operatorsByFirst[c]) {
        if (op.length === 1 || text.startsWith(op, start)) {
          this.at = start + op.length;
          this.push("op", start, this.at, op === "^~" ? "~^" : op);
          return;
        }
      }
    }
    this.at = start + (c >= 0xd800 && c < 0xdc00 ? 2 : 1);
    if (this.active) {
      const code = text.codePointAt(start)!;
      const shown = c < 32 || c > 126 ? `U+${code.toString(16).toUpperCase().padStart(4, "0")}` : `'${text[start]}'`;
      this.report("verilog/character", this.loc(start, this.at), `${shown} has no meaning here.`, "Delete it.");
    }
  }

  /** Where `mark` next stands, or -1: asked for again where there is none, the text is not searched again. */
  private endOf(mark: string, from: number): number {
    const { text } = this;
    const none = this.without.get(mark);
    if (none && none.text === text && none.from <= from) return -1;
    const end = text.indexOf(mark, from);
    if (end < 0) this.without.set(mark, { text, from });
    return end;
  }
  private readonly without = new Map<string, { readonly text: string; readonly from: number }>();

  private string(start: number): void {
    const { text } = this;
    let at = start + 1;
    while (at < text.length && text[at] !== '"' && text[at] !== "\n") {
      if (text[at] === "\\") at += text[at + 1] === "\r" && text[at + 2] === "\n" ? 3 : 2;
      else at++;
    }
    if (text[at] !== '"') {
      this.at = Math.min(at, text.length);
      if (this.active)
        this.report(
          "verilog/open-string",
          this.loc(start, this.at),
          "This string is not closed on its line.",
          'Add the closing ".',
        );
      this.push("string", start, this.at, text.slice(start + 1, this.at));
      return;
    }
    this.at = at + 1;
    this.push("string", start, this.at, text.slice(start + 1, at));
  }

  private restOfLine(): string {
    const { text } = this;
    let end = this.at;
    while (end < text.length && text[end] !== "\n" && text[end] !== "\r") end++;
    const rest = text.slice(this.at, end);
    this.at = end;
    return rest.replace(/\/\/.*$/, "").replace(/\/\*.*?\*\//g, " ");
  }

  private operand(): string {
    const { text } = this;
    while (text[this.at] === " " || text[this.at] === "\t") this.at++;
    const name = nameAt(text, this.at);
    this.at += name.length;
    return name;
  }

  private directive(start: number): void {
    const { text, pre } = this;
    const word = nameAt(text, start + 1);
    if (word === "") {
      this.at = start + 1;
      if (this.active)
        this.report("verilog/directive", this.loc(start, this.at), "A back-quote without a name.", "Delete it.");
      return;
    }
    this.at = start + 1 + word.length;
    const loc = this.loc(start, this.at);
    switch (word) {
      case "ifdef":
      case "ifndef": {
        const known = pre.macros.has(this.operand()) === (word === "ifdef");
        this.conditions.push({ taken: known, outer: this.active, loc });
        this.active = this.active && known;
        return;
      }
      case "elsif":
      case "else":
      case "endif": {
        const top = this.conditions[this.conditions.length - 1];
        const name = word === "elsif" ? this.operand() : "";
        if (!top) {
          this.report("verilog/directive", loc, `\`${word} without an \`ifdef before it.`, "Delete it.");
          return;
        }
        if (word === "endif") {
          this.conditions.pop();
          this.active = top.outer;
          return;
        }
        const take = !top.taken && (word === "else" || pre.macros.has(name));
        top.taken ||= take;
        this.active = top.outer && take;
        return;
      }
      case "define": {
        const { name, macro, end, problem } = readDefinition(text, this.at);
        this.at = end;
        if (!this.active) return;
        if (problem) this.report("verilog/macro", loc, problem, "Write `define NAME(a, b) text.");
        if (name) pre.macros.set(name, macro);
        return;
      }
      case "undef":
        if (this.active) pre.macros.delete(this.operand());
        return;
      case "undefineall":
        if (this.active) pre.macros.clear();
        return;
      case "include":
        this.include(loc);
        return;
      case "timescale": {
        const rest = this.restOfLine();
        if (!this.active) return;
        const match = /^\s*(1|10|100)\s*(fs|ps|ns|us|ms|s)\s*\/\s*(1|10|100)\s*(fs|ps|ns|us|ms|s)/.exec(rest);
        const unit = match ? timeExponent(match[1], match[2]) : 0;
        const precision = match ? timeExponent(match[3], match[4]) : 0;
        if (!match || precision > unit)
          this.report(
            "verilog/timescale",
            loc,
            match ? "The precision is coarser than the unit." : "This `timescale cannot be read.",
            "Write it like `timescale 1ns/1ps.",
          );
        else pre.timeScale = { unit, precision };
        this.mark();
        return;
      }
      case "default_nettype": {
        const net = this.operand();
        if (!this.active) return;
        if (/^(none|wire|tri|tri0|tri1|wand|triand|wor|trior|trireg|uwire)$/.test(net))
          pre.defaultNet = net === "none" ? null : (net as NetKind);
        else this.report("verilog/directive", loc, `'${net}' is no net type.`, "Write `default_nettype wire or none.");
        this.mark();
        return;
      }
      case "resetall":
        if (this.active) {
          pre.defaultNet = "wire";
          pre.timeScale = null;
          pre.openInputs = null;
          this.mark();
        }
        return;
      case "begin_keywords": {
        const rest = this.restOfLine();
        if (this.active) this.keywords = /1800/.test(rest) ? systemVerilogKeywords : verilogKeywords;
        return;
      }
      case "end_keywords":
        this.keywords = systemVerilogKeywords;
        return;
      case "celldefine":
      case "endcelldefine":
        return;
      case "unconnected_drive":
      case "nounconnected_drive": {
        const pull = word === "unconnected_drive" ? this.operand() : "";
        if (!this.active) return;
        if (pull && pull !== "pull0" && pull !== "pull1")
          this.report("verilog/directive", loc, `'${pull}' is no pull.`, "Write `unconnected_drive pull0 or pull1.");
        pre.openInputs = pull === "pull0" ? 0 : pull === "pull1" ? 1 : null;
        this.mark();
        return;
      }
      case "line":
      case "pragma":
        this.restOfLine();
        return;
      case "__FILE__":
        this.push("string", start, this.at, this.sources.files[loc.file].name);
        return;
      case "__LINE__":
        this.push("number", start, this.at, String(this.sources.position(loc.file, loc.start).line));
        return;
      default:
        if (this.active) this.expand(word, loc, start);
        else if (pre.macros.get(word)?.params) readActuals(text, this.at);
    }
  }

  private expand(word: string, loc: Loc, start: number): void {
    const macro: Macro | undefined = this.pre.macros.get(word);
    if (!macro) {
      this.report(
        "verilog/unknown-macro",
        loc,
        `The macro \`${word} is not defined.`,
        "Define it before its use, or correct the name.",
      );
      return;
    }
    // what stands in an argument was written outside of the macro that it is given to
    const outer = this.open;
    const region = this.regions.find(({ from, to }) => start >= from && start < to);
    if (region) this.open = [...region.open];
    try {
      this.expandWithin(word, macro, loc, start);
    } finally {
      this.open = outer;
    }
  }
  /** Stretches of the text at hand that arguments gave, with the macros that were open where those stand. */
  private regions: LexerRegions = [];

  private expandWithin(word: string, macro: Macro, loc: Loc, start: number): void {
    if (
      this.open.includes(word) ||
      ++this.expansions > maxExpansions ||
      this.expanded > mostExpanded ||
      this.open.length > maxNesting
    ) {
      this.report(
        "verilog/macro",
        loc,
        `The macro \`${word} expands without an end.`,
        "Take its name out of its text.",
      );
      return;
    }
    let body = macro.text;
    let regions: LexerRegions = [];
    if (macro.params) {
      const begin = this.at;
      const actuals = readActuals(this.text, this.at);
      if (!actuals) {
        this.report(
          "verilog/macro",
          loc,
          `The macro \`${word} takes ${macro.params.length} argument(s) in parentheses.`,
          "Give it its arguments.",
        );
        return;
      }
      this.at = actuals.end;
      const least = macro.params.filter((param) => param.fallback === null).length;
      const given = actuals.list.length === 1 && actuals.list[0] === "" ? 0 : actuals.list.length;
      if (given > macro.params.length || (given < least && macro.params.length > 1)) {
        this.report(
          "verilog/macro",
          loc,
          `The macro \`${word} takes ${macro.params.length} argument(s); ${given} given.`,
          "Correct the call.",
        );
        return;
      }
      const made = substitute(macro, actuals.list);
      body = made.text;
      const within = this.regions.filter(({ from, to }) => from < actuals.end && to > begin);
      const open = within.reduce<readonly string[]>(
        (least, each) => (each.open.length < least.length ? each.open : least),
        this.open,
      );
      regions = made.spans.map(([from, to]) => ({ from, to, open: [...open] }));
    }
    if (body === "") return;
    this.expanded += body.length;
    const place = this.fixed ?? { file: this.file, start, end: this.at };
    this.open.push(word);
    const { regions: before } = this;
    this.regions = regions;
    this.scan(body, this.file, place);
    this.regions = before;
    this.open.pop();
  }

  private include(loc: Loc): void {
    let rest = this.restOfLine().trim();
    if (!this.active) return;
    if (rest.startsWith("`")) rest = this.pre.macros.get(nameAt(rest, 1))?.text.trim() ?? rest;
    const match = /^"([^"]+)"|^<([^>]+)>/.exec(rest);
    const wanted = match ? (match[1] ?? match[2]) : null;
    const here = this.sources.files[loc.file].name;
    const target = wanted === null ? -1 : findIncluded(this.sources, here, wanted);
    if (wanted === null || target < 0) {
      this.report(
        "verilog/include",
        loc,
        wanted === null ? "This `include names no file." : `The design has no file '${wanted}'.`,
        wanted === null ? 'Write `include "file".' : "Add it to the sources, or correct the name.",
      );
      return;
    }
    const { name, text } = this.sources.files[target];
    if (this.open.includes(`"${name}`) || this.open.length > maxNesting) {
      this.report("verilog/include", loc, `${name} includes itself.`, "Guard it with `ifndef, or remove the `include.");
      return;
    }
    this.open.push(`"${name}`);
    const conditions = this.conditions.length;
    const { regions } = this;
    this.regions = [];
    this.scan(text, target, null);
    this.regions = regions;
    for (const open of this.conditions.splice(conditions)) {
      this.report("verilog/open-condition", open.loc, "This conditional part has no `endif.", "Add `endif.");
      this.active = open.outer;
    }
    this.open.pop();
  }
}

/** Index of the file that `include "wanted"` in `from` means, or -1: beside it first, then by path, then by base name. */
export function findIncluded(sources: SourceSet, from: string, wanted: string): number {
  const folder = from.slice(0, from.lastIndexOf("/") + 1);
  const clean = (path: string) => {
    const parts: string[] = [];
    for (const part of path.split("/")) {
      if (part === ".." && parts.length && parts[parts.length - 1] !== "..") parts.pop();
      else if (part !== "." && part !== "") parts.push(part);
    }
    return parts.join("/");
  };
  const names = sources.files.map((file) => clean(file.name));
  const beside = names.indexOf(clean(folder + wanted));
  if (beside >= 0) return beside;
  const exact = names.indexOf(clean(wanted));
  if (exact >= 0) return exact;
  const base = wanted.slice(wanted.lastIndexOf("/") + 1);
  return names.findIndex((name) => name.slice(name.lastIndexOf("/") + 1) === base);
}

function timeExponent(count: string, unit: string): number {
  const base = { s: 0, ms: -3, us: -6, ns: -9, ps: -12, fs: -15 }[unit] ?? 0;
  return base + count.length - 1;
}

/** Of one reading: more of them help nobody. */
const maxProblems = 200;

function looksBinary(text: string): string | null {
  let odd = 0;
  const span = Math.min(text.length, 4096);
  for (let i = 0; i < span; i++) {
    const c = text.charCodeAt(i);
    if (c === 0) return "it holds a zero byte";
    if (c === 0xfffd || (c < 32 && !(charClass(c) & 4))) odd++;
  }
  return odd > 8 && odd > span / 20 ? "it holds many control characters" : null;
}
