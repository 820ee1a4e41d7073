import type { Finding } from "../../common/finding.ts";
import type { Loc, SourceSet } from "../../common/source.ts";

export type TokenKind = "name" | "keyword" | "number" | "string" | "system" | "op" | "end";

export interface Token {
  readonly kind: TokenKind;
  /** Text as written; for an escaped identifier without its backslash. */
  readonly text: string;
  readonly loc: Loc;
}

const keywords = new Set(
  `always and assign automatic begin buf bufif0 bufif1 case casex casez cell cmos config deassign default defparam
  design disable edge else end endcase endconfig endfunction endgenerate endmodule endprimitive endspecify endtable
  endtask event for force forever fork function generate genvar highz0 highz1 if ifnone incdir include initial inout
  input instance integer join large liblist library localparam macromodule medium module nand negedge nmos nor
  noshowcancelled not notif0 notif1 or output parameter pmos posedge primitive pull0 pull1 pulldown pullup
  pulsestyle_onevent pulsestyle_ondetect rcmos real realtime reg release repeat rnmos rpmos rtran rtranif0 rtranif1
  scalared showcancelled signed small specify specparam strong0 strong1 supply0 supply1 table task time tran tranif0
  tranif1 tri tri0 tri1 triand trior trireg unsigned use vectored wait wand weak0 weak1 while wire wor xnor xor`.split(
    /\s+/,
  ),
);

const operators = [
  "<<<",
  ">>>",
  "===",
  "!==",
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
  "+",
  "-",
  "*",
  "/",
  "%",
  "<",
  ">",
  "!",
  "~",
  "&",
  "|",
  "^",
  "?",
  ":",
  ";",
  ",",
  ".",
  "(",
  ")",
  "[",
  "]",
  "{",
  "}",
  "=",
  "@",
  "#",
]; // longest first

const operatorsByFirst = new Map<string, string[]>();
for (const op of operators) operatorsByFirst.set(op[0], [...(operatorsByFirst.get(op[0]) ?? []), op]);

const isDigit = (c: number) => c >= 48 && c <= 57;
const isNameStart = (c: number) => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95;
const isNamePart = (c: number) => isNameStart(c) || isDigit(c) || c === 36;
const isSpace = (c: number) => c === 32 || (c >= 9 && c <= 13) || c === 0xa0;

const numberPattern =
  /(?:[0-9][0-9_]*[ \t]*)?'[sS]?[bBoOdDhH][ \t]*[0-9a-fA-FxXzZ?_]+|[0-9][0-9_]*(?:\.[0-9][0-9_]*)?(?:[eE][+-]?[0-9]+)?/y;
const directivePattern = /`([A-Za-z_][A-Za-z0-9_$]*)/y;

/** Macros live across the files of one compilation, in their order. */
export interface Preprocessor {
  readonly macros: Map<string, Token[]>;
}

/**
 * Text to tokens, with the object-like part of the preprocessor (IEEE 1364-2005 clause 19): `define without arguments,
 * `undef, `ifdef, `ifndef, `elsif, `else, `endif. A macro's tokens take the place of its use.
 */
export function tokenize(sources: SourceSet, file: number, pre: Preprocessor, findings: Finding[]): Token[] {
  const { text, name } = sources.files[file];
  const tokens: Token[] = [];
  const conditions: { active: boolean; taken: boolean; outer: boolean; loc: Loc }[] = [];
  let active = true;
  let at = 0;

  const report = (code: string, loc: Loc, message: string, remedy: string) =>
    findings.push({ code, severity: "error", place: sources.place(loc), message, remedy });

  const reason = looksBinary(text);
  if (reason) {
    const loc = { file, start: 0, end: 0 };
    report(
      "verilog/not-text",
      loc,
      `${name} is not a text file: ${reason}.`,
      "Take it out of the sources, or add the right file.",
    );
    return [{ kind: "end", text: "", loc }];
  }

  const restOfLine = (from: number) => {
    let end = from;
    while (end < text.length) {
      const c = text.charCodeAt(end);
      if (c === 10 || c === 13) {
        if (text[end - 1] !== "\\") break;
      }
      end++;
    }
    return end;
  };

  const push = (kind: TokenKind, start: number, end: number, shown?: string) => {
    if (active) tokens.push({ kind, text: shown ?? text.slice(start, end), loc: { file, start, end } });
  };

  /** One token from `at`, or none where only space or a comment was passed. Used for macro bodies too. */
  const scan = (limit: number): void => {
    const c = text.charCodeAt(at);
    if (isSpace(c)) {
      at++;
      return;
    }
    const start = at;
    if (c === 47 && text[at + 1] === "/") {
      while (at < limit && text[at] !== "\n" && text[at] !== "\r") at++;
      return;
    }
    if (c === 47 && text[at + 1] === "*") {
      const end = text.indexOf("*/", at + 2);
      if (end < 0)
        report(
          "verilog/open-comment",
          { file, start, end: start + 2 },
          "This comment is never closed.",
          "Add */ where it ends.",
        );
      at = end < 0 ? text.length : end + 2;
      return;
    }
    if (c === 40 && text[at + 1] === "*" && !/^\(\*\s*\)/.test(text.slice(at, at + 8))) {
      const end = text.indexOf("*)", at + 2); // an attribute instance; read by a later stage when it has a meaning here
      if (end >= 0) {
        at = end + 2;
        return;
      }
    }
    if (isNameStart(c)) {
      while (at < limit && isNamePart(text.charCodeAt(at))) at++;
      const word = text.slice(start, at);
      push(keywords.has(word) ? "keyword" : "name", start, at, word);
      return;
    }
    if (isDigit(c) || c === 39) {
      numberPattern.lastIndex = at;
      const match = numberPattern.exec(text);
      if (match) {
        at = start + match[0].length;
        push("number", start, at);
        return;
      }
    }
    if (c === 34) {
      at++;
      while (at < limit && text[at] !== '"' && text[at] !== "\n") at += text[at] === "\\" ? 2 : 1;
      if (text[at] !== '"')
        report(
          "verilog/open-string",
          { file, start, end: at },
          "This string is not closed on its line.",
          'Add the closing ".',
        );
      else at++;
      push("string", start, at, text.slice(start + 1, at - 1));
      return;
    }
    if (c === 36 && isNameStart(text.charCodeAt(at + 1))) {
      at++;
      while (at < limit && isNamePart(text.charCodeAt(at))) at++;
      push("system", start, at);
      return;
    }
    if (c === 92) {
      at++;
      while (at < limit && !isSpace(text.charCodeAt(at))) at++;
      push("name", start, at, text.slice(start + 1, at));
      return;
    }
    if (c === 96) {
      directive(start);
      return;
    }
    for (const op of operatorsByFirst.get(text[at]) ?? []) {
      if (text.startsWith(op, at)) {
        at += op.length;
        push("op", start, at, op === "^~" ? "~^" : op);
        return;
      }
    }
    at++;
    if (active) {
      const shown = c < 32 || c > 126 ? `U+${c.toString(16).toUpperCase().padStart(4, "0")}` : `'${text[start]}'`;
      report("verilog/character", { file, start, end: at }, `${shown} has no meaning here.`, "Delete it.");
    }
  };

  const directive = (start: number): void => {
    directivePattern.lastIndex = at;
    const match = directivePattern.exec(text);
    if (!match) {
      at++;
      report(
        "verilog/directive",
        { file, start, end: at },
        "A back-quote without a directive or macro name.",
        "Delete it.",
      );
      return;
    }
    const word = match[1];
    at += match[0].length;
    const loc = { file, start, end: at };
    const operand = () => {
      while (text[at] === " " || text[at] === "\t") at++;
      const from = at;
      while (at < text.length && isNamePart(text.charCodeAt(at))) at++;
      return text.slice(from, at);
    };
    switch (word) {
      case "ifdef":
      case "ifndef": {
        const known = pre.macros.has(operand()) === (word === "ifdef");
        conditions.push({ active: active && known, taken: known, outer: active, loc });
        active = active && known;
        return;
      }
      case "elsif":
      case "else":
      case "endif": {
        const top = conditions[conditions.length - 1];
        if (!top) {
          report("verilog/directive", loc, `\`${word} without an \`ifdef before it.`, "Delete it, or add the `ifdef.");
          return;
        }
        if (word === "endif") {
          conditions.pop();
          active = top.outer;
          return;
        }
        const take = !top.taken && (word === "else" || pre.macros.has(operand()));
        top.taken ||= take;
        active = top.outer && take;
        return;
      }
      case "define": {
        const macro = operand();
        if (text[at] === "(" && active) {
          report(
            "verilog/macro-arguments",
            loc,
            `The macro ${macro} takes arguments, which are not supported yet.`,
            "Use a parameter or a function.",
          );
          at = restOfLine(at);
          return;
        }
        const end = restOfLine(at);
        const mark = tokens.length;
        while (at < end) {
          if (text[at] === "\\" && (text[at + 1] === "\n" || text[at + 1] === "\r")) at++;
          else scan(end);
        }
        const body = tokens.splice(mark);
        if (active) pre.macros.set(macro, body);
        return;
      }
      case "undef":
        if (active) pre.macros.delete(operand());
        return;
      case "timescale":
      case "default_nettype":
      case "resetall":
      case "celldefine":
      case "endcelldefine":
      case "line":
      case "pragma":
        at = restOfLine(at);
        return;
      default: {
        if (!active) return;
        const body = pre.macros.get(word);
        if (!body) {
          report(
            "verilog/unknown-macro",
            loc,
            `The macro \`${word} is not defined.`,
            "Define it before its use, or correct the name.",
          );
          return;
        }
        for (const token of body) tokens.push({ ...token, loc });
      }
    }
  };

  while (at < text.length) scan(text.length);
  for (const open of conditions) {
    report("verilog/open-condition", open.loc, "This conditional part has no `endif.", "Add `endif where it ends.");
  }
  tokens.push({ kind: "end", text: "", loc: { file, start: text.length, end: text.length } });
  return tokens;
}

function looksBinary(text: string): string | null {
  let odd = 0;
  const span = Math.min(text.length, 4096);
  for (let i = 0; i < span; i++) {
    const c = text.charCodeAt(i);
    if (c === 0) return "it holds a zero byte";
    if (c === 0xfffd || (c < 32 && !isSpace(c))) odd++;
  }
  return odd > 8 && odd > span / 20 ? "it holds many control characters" : null;
}

/** Value of a number token; null if its digits do not fit its base. IEEE 1364-2005 clause 3.5.1. */
export function readNumber(
  text: string,
): { width: number | null; signed: boolean; based: boolean; a: bigint; b: bigint } | null {
  const clean = text.replace(/[_\s]/g, "").toLowerCase();
  const quote = clean.indexOf("'");
  if (quote < 0)
    return /^[0-9]+$/.test(clean) ? { width: null, signed: true, based: false, a: BigInt(clean), b: 0n } : null;
  const width = quote > 0 ? Number(clean.slice(0, quote)) : null;
  if (width !== null && (width < 1 || width > 65536)) return null;
  const signed = clean[quote + 1] === "s";
  const base = clean[quote + (signed ? 2 : 1)];
  const digits = clean.slice(quote + (signed ? 3 : 2));
  let a = 0n;
  let b = 0n;
  let bits = 0;
  if (base === "d") {
    if (/^[xz?]$/.test(digits)) {
      const mask = (1n << BigInt(width ?? 32)) - 1n;
      return { width, signed, based: true, a: digits === "x" ? mask : 0n, b: mask };
    }
    if (!/^[0-9]+$/.test(digits)) return null;
    a = BigInt(digits);
  } else {
    const step = base === "b" ? 1 : base === "o" ? 3 : 4;
    const ones = (1n << BigInt(step)) - 1n;
    for (const digit of digits) {
      a <<= BigInt(step);
      b <<= BigInt(step);
      bits += step;
      if (digit === "x") [a, b] = [a | ones, b | ones];
      else if (digit === "z" || digit === "?") b |= ones;
      else {
        const value = Number.parseInt(digit, 16);
        if (value >= 1 << step) return null;
        a |= BigInt(value);
      }
    }
    // the leftmost x or z fills up to the size (clause 3.5.1)
    const total = width ?? Math.max(32, bits);
    if (bits < total && /^[xz?]/.test(digits)) {
      const fill = ((1n << BigInt(total - bits)) - 1n) << BigInt(bits);
      b |= fill;
      if (digits[0] === "x") a |= fill;
    }
  }
  if (width !== null) {
    const mask = (1n << BigInt(width)) - 1n;
    a &= mask;
    b &= mask;
  }
  return { width, signed, based: true, a, b };
}
