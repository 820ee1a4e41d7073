import type { Finding } from "../../common/finding.ts";
import type { SourceSet } from "../../common/source.ts";
import { reservedWords, type Token, type TokenKind } from "./token.ts";

const three = new Set(["?/=", "?<=", "?>="]);
const two = new Set(["=>", "**", ":=", "/=", ">=", "<=", "<>", "??", "?=", "?<", "?>", "<<", ">>"]);
const single = "&'()*+,-./:;<=>|[]?@^`!%";

const isLetter = (c: number): boolean =>
  (c >= 97 && c <= 122) || (c >= 65 && c <= 90) || (c >= 192 && c <= 255 && c !== 215 && c !== 247);
const isDigit = (c: number): boolean => c >= 48 && c <= 57;

/** Comment of a source text: `--` to the end of the line, or delimited (IEEE 1076-2008 15.9). */
export interface Comment {
  readonly start: number;
  readonly end: number;
}

/**
 * Text of one file to tokens (IEEE 1076-2008 clause 15). Never fails: what is no token is reported and passed over. A
 * tick is that of an attribute or a qualified expression behind a name, a bracket or `all`; else it begins a character.
 */
export function tokenize(
  sources: SourceSet,
  file: number,
  findings: Finding[],
  comments: Comment[] | null = null,
  /** Number that places are given; texts of the libraries are no files of the design. */
  shownFile = file,
): Token[] {
  const { text } = sources.files[file];
  const tokens: Token[] = [];
  const { length } = text;
  let at = 0;
  let strange = 0;
  const report = (code: string, start: number, end: number, message: string, remedy: string) => {
    if (++strange > 20) return;
    findings.push({ code, severity: "error", place: sources.place({ file, start, end }), message, remedy });
  };
  const push = (kind: TokenKind, start: number, value?: string) => {
    tokens.push({ kind, text: value ?? text.slice(start, at), file: shownFile, start, end: at });
  };
  const lineEnd = (from: number): number => {
    let end = from;
    while (end < length && text.charCodeAt(end) !== 10 && text.charCodeAt(end) !== 13) end++;
    return end;
  };
  /** Past a string that begins at `from`; -1 if the line ends first. */
  const pastString = (from: number): number => {
    const quote = text[from];
    for (let i = from + 1; i < length; i++) {
      const c = text[i];
      if (c === "\n" || c === "\r") return -1;
      if (c !== quote) continue;
      if (text[i + 1] !== quote) return i + 1;
      i++;
    }
    return -1;
  };
  /** Only graphic characters of ISO 8859-1 may stand in strings and extended names (IEEE 1076-2008 15.2). */
  const checkGraphic = (start: number): void => {
    const wrong = notGraphic.exec(text.slice(start, at));
    if (!wrong) return;
    const code = wrong[0].codePointAt(0)!;
    const shown =
      code > 0xa0 && code < 0xd800 ? `'${wrong[0]}'` : `U+${code.toString(16).toUpperCase().padStart(4, "0")}`;
    report(
      "vhdl/character",
      start + wrong.index,
      start + wrong.index + wrong[0].length,
      `${shown} is none of the graphic characters of VHDL, which are those of ISO 8859-1.`,
      code === 9 ? 'Write " & HT & " in its place.' : "Take it out, or write it in a comment.",
    );
  };
  while (at < length) {
    const c = text.charCodeAt(at);
    if (c <= 32 || c === 160) {
      at++;
      continue;
    }
    const start = at;
    if (c === 45 && text.charCodeAt(at + 1) === 45) {
      at = lineEnd(at);
      comments?.push({ start, end: at });
      continue;
    }
    if (c === 47 && text.charCodeAt(at + 1) === 42) {
      const end = text.indexOf("*/", at + 2);
      if (end < 0) report("vhdl/open-comment", start, start + 2, "This comment has no end.", "Write */ where it ends.");
      at = end < 0 ? length : end + 2;
      comments?.push({ start, end: at });
      continue;
    }
    if (isLetter(c)) {
      at++;
      for (;;) {
        const d = text.charCodeAt(at);
        if (!(isLetter(d) || isDigit(d) || d === 95)) break;
        at++;
      }
      const word = text.slice(start, at).toLowerCase();
      // x"1F" and its kin
      if (text[at] === '"' && /^[us]?[box]$|^d$/.test(word)) {
        const end = pastString(at);
        if (end > 0) {
          at = end;
          push("bits", start);
          continue;
        }
      }
      push(reservedWords.has(word) ? "word" : "name", start, word);
      continue;
    }
    if (isDigit(c)) {
      at = pastNumber(text, at);
      const sized = /^([us]?[box]|d)"/i.exec(text.slice(at, at + 3));
      if (sized && /^[0-9_]+$/.test(text.slice(start, at))) {
        const end = pastString(at + sized[0].length - 1);
        if (end > 0) {
          at = end;
          push("bits", start);
          continue;
        }
      }
      const shown = text.slice(start, at);
      push(/[.]/.test(shown) ? "real" : "int", start);
      continue;
    }
    if (c === 39) {
      const before = tokens[tokens.length - 1];
      const isTick =
        before !== undefined &&
        (before.kind === "name" ||
          before.kind === "string" ||
          before.kind === "char" ||
          (before.kind === "op" && (before.text === ")" || before.text === "]")) ||
          (before.kind === "word" &&
            (before.text === "all" ||
              // an attribute of an attribute: x'subtype'high
              ((before.text === "range" || before.text === "subtype") && tokens[tokens.length - 2]?.text === "'"))));
      if (!isTick && text[at + 2] === "'" && text[at + 1] !== "\n") {
        at += 3;
        checkGraphic(start);
        push("char", start, text[start + 1]);
        continue;
      }
      at++;
      push("op", start);
      continue;
    }
    if (c === 34) {
      const end = pastString(at);
      if (end < 0) {
        at = lineEnd(at);
        report("vhdl/open-string", start, at, "This string has no end on its line.", 'Write " where it ends.');
        push("string", start, text.slice(start + 1, at));
      } else {
        at = end;
        checkGraphic(start);
        push("string", start, text.slice(start + 1, at - 1).replaceAll('""', '"'));
      }
      continue;
    }
    if (c === 92) {
      const end = pastString(at);
      at = end < 0 ? lineEnd(at) : end;
      if (end < 0)
        report("vhdl/open-name", start, at, "This extended name has no end.", "Write a backslash where it ends.");
      checkGraphic(start);
      push("name", start);
      continue;
    }
    const triple = text.slice(at, at + 3);
    const double = triple.slice(0, 2);
    if (three.has(triple)) at += 3;
    else if (two.has(double)) at += 2;
    else at += 1;
    if (at - start === 1 && !single.includes(text[start])) {
      report(
        "vhdl/character",
        start,
        at,
        `'${text[start]}' stands for nothing in VHDL here.`,
        "Take it out, or put it into a comment or a string.",
      );
      continue;
    }
    push("op", start);
  }
  tokens.push({ kind: "end", text: "", file: shownFile, start: length, end: length });
  return tokens;
}

const notGraphic = /[^\x20-\x7e\xa0-\xff]/u;

/** Decimal and based literals (15.5): `1_000`, `2.5e-3`, `16#FF#e2`, `2#1.1#`. */
function pastNumber(text: string, from: number): number {
  const match = /^[0-9][0-9_]*(#[0-9a-zA-Z_]+(\.[0-9a-zA-Z_]+)?#|(\.[0-9][0-9_]*)?)([eE][+-]?[0-9][0-9_]*)?/.exec(
    text.slice(from, from + 400),
  );
  return from + (match ? match[0].length : 1);
}

/** Value of a decimal or based literal; null if a digit is not one of its base. */
export function numberValue(text: string): number | bigint | null {
  const clean = text.replaceAll("_", "").toLowerCase();
  const based = /^([0-9]+)#([0-9a-z]+)(?:\.([0-9a-z]+))?#(?:e([+-]?[0-9]+))?$/.exec(clean);
  if (!based) {
    const [mantissa, exponent] = clean.split("e");
    if (mantissa.includes(".")) return Number(clean);
    if (exponent?.startsWith("-")) return null;
    const value = BigInt(mantissa) * 10n ** BigInt(Math.min(400, Number(exponent ?? 0)));
    return value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : value;
  }
  const base = Number(based[1]);
  if (base < 2 || base > 16) return null;
  const digit = (c: string): number => Number.parseInt(c, 36);
  if ([...based[2], ...(based[3] ?? "")].some((c) => digit(c) >= base)) return null;
  if (based[3] !== undefined) {
    let value = 0;
    for (const c of based[2]) value = value * base + digit(c);
    let scale = 1 / base;
    for (const c of based[3]) {
      value += digit(c) * scale;
      scale /= base;
    }
    return value * base ** Number(based[4] ?? 0);
  }
  let value = 0n;
  for (const c of based[2]) value = value * BigInt(base) + BigInt(digit(c));
  value *= BigInt(base) ** BigInt(Math.min(1000, Math.max(0, Number(based[4] ?? 0))));
  return value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : value;
}

/**
 * Characters of a bit string literal (15.8): `x"F0"`, `12ux"F-"`, `d"10"`.
 * @returns null if a character does not fit the base; "size" if it does not fit the length.
 */
export function bitStringValue(text: string): string | "size" | null {
  const match = /^([0-9_]*)([us]?[box]|d)"(.*)"$/i.exec(text);
  if (!match) return null;
  const length = match[1] ? Number(match[1].replaceAll("_", "")) : null;
  const spec = match[2].toLowerCase();
  const body = match[3].replaceAll("_", "");
  let bits = "";
  if (spec === "d") {
    if (!/^[0-9]*$/.test(body)) return null;
    bits = body === "" ? "" : BigInt(body).toString(2);
  } else {
    const per = spec.endsWith("x") ? 4 : spec.endsWith("o") ? 3 : 1;
    for (const c of body) {
      const value = /[0-9a-f]/i.test(c) ? Number.parseInt(c, 16) : -1;
      if (value >= 2 ** per) return null;
      // what is no digit stands for itself, so many times
      bits += value < 0 ? c.toUpperCase().repeat(per) : value.toString(2).padStart(per, "0");
    }
  }
  if (length === null || length === bits.length) return bits;
  const signed = spec.startsWith("s");
  if (length > bits.length) {
    const fill = signed && bits ? bits[0] : "0";
    return bits.padStart(length, fill);
  }
  const cut = bits.slice(0, bits.length - length);
  const kept = bits.slice(bits.length - length);
  const fill = signed && kept ? kept[0] : "0";
  return [...cut].every((c) => c === fill) ? kept : "size";
}
