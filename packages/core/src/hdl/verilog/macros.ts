import type { NetKind, TimeScale } from "./ast.ts";

export interface Macro {
  /** null: used without parentheses. */
  readonly params: readonly { readonly name: string; readonly fallback: string | null }[] | null;
  readonly text: string;
}

/** What directives set lives across the files of one compilation, in their order. */
export interface Preprocessor {
  macros: Map<string, Macro>;
  timeScale: TimeScale | null;
  defaultNet: NetKind | null;
  openInputs: 0 | 1 | null;
}

export function newPreprocessor(): Preprocessor {
  return { macros: new Map(), timeScale: null, defaultNet: "wire", openInputs: null };
}

const namePattern = /[A-Za-z_][A-Za-z0-9_$]*/y;

export function nameAt(text: string, at: number): string {
  namePattern.lastIndex = at;
  return namePattern.exec(text)?.[0] ?? "";
}

/** `name(a, b = 1) text` behind `define; the text ends at a line end without a backslash before it. */
export function readDefinition(
  text: string,
  from: number,
): { name: string; macro: Macro; end: number; problem: string | null } {
  let at = from;
  while (text[at] === " " || text[at] === "\t") at++;
  const name = nameAt(text, at);
  at += name.length;
  let problem = name ? null : "This `define has no name.";
  let params: { name: string; fallback: string | null }[] | null = null;
  if (text[at] === "(") {
    const formals = splitArguments(text, at);
    if (!formals) problem = `The parameters of \`${name} have no closing parenthesis.`;
    else {
      at = formals.end;
      params = formals.list
        .map((item) => {
          const equals = item.indexOf("=");
          return equals < 0
            ? { name: item.trim(), fallback: null }
            : { name: item.slice(0, equals).trim(), fallback: item.slice(equals + 1).trim() };
        })
        .filter((param) => param.name !== "");
      if (params.some((param) => nameAt(param.name, 0) !== param.name))
        problem = `A parameter of \`${name} is no name.`;
    }
  }
  let body = "";
  while (at < text.length) {
    const c = text[at];
    if (c === "\\" && (text[at + 1] === "\n" || text[at + 1] === "\r")) {
      at += text[at + 1] === "\r" && text[at + 2] === "\n" ? 3 : 2;
      body += "\n";
      continue;
    }
    if (c === "\n" || c === "\r") break;
    if (c === "/" && text[at + 1] === "/") {
      // a line comment is no part of the text, but a backslash at its end goes on
      while (at < text.length && text[at] !== "\n" && text[at] !== "\r") at++;
      if (text[at - 1] === "\\") at--;
      continue;
    }
    if (c === '"' && text[at - 1] !== "`") {
      const end = stringEnd(text, at);
      body += text.slice(at, end);
      at = end;
      continue;
    }
    body += c;
    at++;
  }
  return { name, macro: { params, text: body.trim() }, end: at, problem };
}

function stringEnd(text: string, from: number): number {
  let at = from + 1;
  while (at < text.length && text[at] !== '"' && text[at] !== "\n") at += text[at] === "\\" ? 2 : 1;
  return Math.min(text.length, text[at] === '"' ? at + 1 : at);
}

/** Pieces between the commas of a parenthesis that opens at `from`; brackets and strings hide commas. */
function splitArguments(text: string, from: number): { list: string[]; end: number } | null {
  const list: string[] = [];
  let depth = 0;
  let piece = from + 1;
  for (let at = from; at < text.length; at++) {
    const c = text[at];
    if (c === '"') at = stringEnd(text, at) - 1;
    else if (c === "/" && text[at + 1] === "/") {
      while (at < text.length && text[at] !== "\n") at++;
    } else if (c === "(" || c === "[" || c === "{") depth++;
    else if (c === ")" || c === "]" || c === "}") {
      if (--depth === 0) {
        list.push(text.slice(piece, at).trim());
        return { list, end: at + 1 };
      }
    } else if (c === "," && depth === 1) {
      list.push(text.slice(piece, at).trim());
      piece = at + 1;
    }
  }
  return null;
}

/** The arguments at a macro's use, or null without a parenthesis. */
export function readActuals(text: string, from: number): { list: string[]; end: number } | null {
  let at = from;
  while (at < text.length && /\s/.test(text[at])) at++;
  return text[at] === "(" ? splitArguments(text, at) : null;
}

/** The macro's text with its arguments in place. `` joins two words, `" makes a string (IEEE 1800-2017 clause 22.5.1). */
export function substitute(
  macro: Macro,
  actuals: readonly string[],
): { readonly text: string; readonly spans: readonly (readonly [number, number])[] } {
  const spans: [number, number][] = [];
  const values = new Map<string, string>();
  macro.params!.forEach((param, i) => {
    const given = actuals[i];
    values.set(
      param.name,
      given === undefined || (given === "" && param.fallback !== null) ? (param.fallback ?? "") : given,
    );
  });
  const { text } = macro;
  let out = "";
  for (let at = 0; at < text.length; ) {
    const c = text[at];
    if (c === "`" && text[at + 1] === "`") {
      at += 2;
      continue;
    }
    if (c === "`" && text[at + 1] === '"') {
      out += '"';
      at += 2;
      continue;
    }
    if (c === "`" && text.startsWith('`\\`"', at)) {
      out += '\\"';
      at += 4;
      continue;
    }
    if (c === '"') {
      const end = stringEnd(text, at);
      out += text.slice(at, end);
      at = end;
      continue;
    }
    const name = nameAt(text, at);
    if (name) {
      const directive = at > 0 && text[at - 1] === "`" && text[at - 2] !== "`";
      const actual = directive ? undefined : values.get(name);
      if (actual !== undefined) spans.push([out.length, out.length + actual.length]);
      out += actual ?? name;
      at += name.length;
      continue;
    }
    out += c;
    at++;
  }
  return { text: out, spans };
}
