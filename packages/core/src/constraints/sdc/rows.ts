import { parseScript, type Script, type ScriptCommand, ScriptSyntaxError, type Word } from "./script.ts";
import { quoteElement } from "./values.ts";

/**
 * A timing file as a table: one row a command that stands by itself. Text and table are the same thing: each change here is
 * a change of the characters of one row, and of no others, so that comments, order and layout stay as they were written.
 */
export interface TimingRow {
  readonly command: string;
  /** Stretch of the text, without the mark of a row that is off. */
  readonly start: number;
  readonly end: number;
  /** First and last line, from 1. */
  readonly line: number;
  readonly endLine: number;
  /** Behind the mark that switches it off. */
  readonly isOff: boolean;
  readonly options: readonly RowOption[];
  /** Words that belong to no option, in order. */
  readonly values: readonly RowWord[];
}
interface RowWord {
  /** As it stands. */
  readonly text: string;
  readonly start: number;
  readonly end: number;
}
interface RowOption {
  readonly name: string;
  readonly start: number;
  /** Its value, null for one that stands alone. */
  readonly value: RowWord | null;
}

/** Begins a line that is switched off: a comment for every other program. */
export const offMark = "#- ";

/** Options that take no word, by name. All others take one. */
const flags = new Set(
  "-add -add_delay -asynchronous -logically_exclusive -physically_exclusive -allow_paths -setup -hold -rise -fall -start -end -invert -combinational -source_latency_included -network_latency_included -clock_fall -level_sensitive -max -min -early -late -dynamic -default -high -low -pin_load -wire_load -subtract_pin_load -reset_path".split(
    " ",
  ),
);
/** `-source` stands alone in one command, and names an object in another. */
const flagsOf: Readonly<Record<string, readonly string[]>> = { set_clock_latency: ["-source"] };

/** Rows of a text. What cannot be read is in no row. */
export function timingRows(text: string): TimingRow[] {
  const lineStarts = startsOf(text);
  const rows = rowsIn(text, 0, false, lineStarts);
  // rows that are off: their marks made blanks, so that every character keeps its place
  let at = 0;
  while (at < text.length) {
    const end = lineEnd(text, at);
    if (!text.startsWith(offMark, at)) {
      at = end + 1;
      continue;
    }
    // lines that are off one behind the other are read together: a row may take several
    let last = end;
    while (text.startsWith(offMark, last + 1)) last = lineEnd(text, last + 1);
    const blank = text.slice(at, last).replace(/^#- /gm, "   ");
    rows.push(...rowsIn(blank, at, true, lineStarts));
    at = last + 1;
  }
  return rows.sort((a, b) => a.start - b.start);
}

function lineEnd(text: string, from: number): number {
  const end = text.indexOf("\n", from);
  return end < 0 ? text.length : end;
}

/** Found from the place itself: a table asks it of every row. */
function lineStart(text: string, at: number): number {
  return at === 0 ? 0 : text.lastIndexOf("\n", at - 1) + 1;
}

function rowsIn(text: string, offset: number, isOff: boolean, lineStarts: readonly number[]): TimingRow[] {
  let script: Script;
  try {
    script = parseScript({ text, file: -1 }, undefined, () => undefined);
  } catch (error) {
    if (error instanceof ScriptSyntaxError) return [];
    throw error;
  }
  return script.commands.flatMap((command) => {
    const row = rowOf(text, command, offset, isOff, lineStarts);
    return row ? [row] : [];
  });
}

function rowOf(
  text: string,
  command: ScriptCommand,
  offset: number,
  isOff: boolean,
  lineStarts: readonly number[],
): TimingRow | null {
  const [head, ...rest] = command.words;
  const name = plainText(head);
  if (name === null || !/^[a-z]\w*$/.test(name)) return null;
  const options: RowOption[] = [];
  const values: RowWord[] = [];
  const wordAt = (word: Word): RowWord => ({
    text: text.slice(word.start, word.end),
    start: word.start + offset,
    end: word.end + offset,
  });
  for (let i = 0; i < rest.length; i++) {
    const own = plainText(rest[i]);
    if (own === null || !/^-[a-z_]+$/i.test(own)) {
      values.push(wordAt(rest[i]));
      continue;
    }
    const isFlag = flags.has(own) || flagsOf[name]?.includes(own) === true;
    const next = isFlag ? undefined : rest[i + 1];
    options.push({ name: own, start: rest[i].start + offset, value: next ? wordAt(next) : null });
    if (next) i++;
  }
  const [start, end] = [command.start + offset, command.end + offset];
  return {
    command: name,
    start,
    end,
    line: lineOf(lineStarts, start),
    endLine: lineOf(lineStarts, Math.max(start, end - 1)),
    isOff,
    options,
    values,
  };
}

const plainText = (word: Word): string | null =>
  word.parts.length === 1 && word.parts[0].kind === "text" && !word.isExpanded ? word.parts[0].text : null;

function startsOf(text: string): number[] {
  const starts = [0];
  for (let i = 0; i < text.length; i++) if (text[i] === "\n") starts.push(i + 1);
  return starts;
}
function lineOf(starts: readonly number[], offset: number): number {
  let low = 0;
  let high = starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle] <= offset) low = middle;
    else high = middle - 1;
  }
  return low + 1;
}

const replaced = (text: string, start: number, end: number, by: string) => text.slice(0, start) + by + text.slice(end);

/** A word as people type it: in braces where it would not be one word otherwise; what is a list or a query already stays. */
function asWord(value: string): string {
  const trimmed = value.trim();
  if (/^\[[\s\S]*\]$|^\{[\s\S]*\}$|^"[\s\S]*"$/.test(trimmed)) return trimmed;
  return quoteElement(trimmed);
}

/**
 * The text with an option of one row set to a value, given without one (`true`), or taken out (`null`). New ones stand
 * right behind the command.
 */
export function withOption(text: string, row: TimingRow, name: string, value: string | true | null): string {
  const known = row.options.find((option) => option.name === name);
  if (!known) {
    if (value === null) return text;
    const at = row.start + row.command.length;
    return replaced(text, at, at, value === true ? ` ${name}` : ` ${name} ${asWord(value)}`);
  }
  if (value === null) {
    const end = known.value?.end ?? known.start + name.length;
    // with the blank before it, but never with the end of a line
    const from = /[ \t]/.test(text[known.start - 1]) ? known.start - 1 : known.start;
    return replaced(text, from, end, "");
  }
  if (value === true) return text;
  return known.value
    ? replaced(text, known.value.start, known.value.end, asWord(value))
    : replaced(text, known.start + name.length, known.start + name.length, ` ${asWord(value)}`);
}

/** The text with one of a row's own words changed. @throws RangeError if the row has no such word. */
export function withValue(text: string, row: TimingRow, index: number, value: string): string {
  const word = row.values[index];
  if (!word) throw new RangeError(`The row has no word ${index}.`);
  return replaced(text, word.start, word.end, asWord(value));
}

/** The text with a row switched off, or on again. */
export function withRowSwitched(text: string, row: TimingRow): string {
  const starts = startsOf(text);
  let result = text;
  for (let line = row.endLine; line >= row.line; line--) {
    const at = starts[line - 1];
    if (row.isOff) {
      if (result.startsWith(offMark, at)) result = replaced(result, at, at + offMark.length, "");
    } else result = replaced(result, at, at, offMark);
  }
  return result;
}

/** True if a row has its lines for itself, so that it can be switched off by them. */
export function canBeSwitched(text: string, row: TimingRow): boolean {
  const before = text.slice(lineStart(text, row.start), row.start).replace(/^#- /, "");
  const after = text.slice(row.end, lineEnd(text, row.end));
  return before.trim() === "" && /^[ \t\r]*(?:;?[ \t\r]*(?:#.*)?)$/.test(after);
}

/** The text without a row: with its line where it has it for itself. */
export function withoutRow(text: string, row: TimingRow): string {
  if (!canBeSwitched(text, row)) return replaced(text, row.start, row.end, "");
  const end = lineEnd(text, row.end);
  return replaced(text, lineStart(text, row.start), Math.min(text.length, end + 1), "");
}

/** The text with a line more at its end. */
export function withRow(text: string, line: string): string {
  return `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${line}\n`;
}
