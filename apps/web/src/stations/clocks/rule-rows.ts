import type { DesignFile } from "@gate-clock/contract";
import { canBeSwitched, type DesignCheck, type TimingRow, timingRows } from "@gate-clock/core";

/** A line of a timing file, as the table of rules shows it. */
export interface RuleRow {
  readonly id: string;
  readonly file: DesignFile;
  readonly row: TimingRow;
  readonly command: string;
  /** All that it says but its value. */
  readonly detail: string;
  /** The figure that people change, with where it stands. */
  readonly value: { readonly text: string; readonly at: RuleValue } | null;
  /** Ends of paths where it decides; null where that is not known, or means nothing. */
  readonly decides: number | null;
  readonly isOff: boolean;
  readonly canSwitch: boolean;
}
type RuleValue = { readonly option: string } | { readonly index: number };

/** Options that hold the figure of a line; others have it among their own words. */
const valueOptions: Readonly<Record<string, readonly string[]>> = {
  create_clock: ["-period"],
  create_generated_clock: ["-divide_by", "-multiply_by"],
};
const isNumber = (text: string) => /^[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?$/i.test(text);
/** Words of the language itself: what they do is seen in the text. */
const plainWords = new Set([
  "set",
  "foreach",
  "for",
  "while",
  "if",
  "proc",
  "source",
  "puts",
  "switch",
  "catch",
  "eval",
]);

function figureOf({ command, options, values }: TimingRow): RuleRow["value"] {
  for (const name of valueOptions[command] ?? []) {
    const option = options.find((each) => each.name === name);
    if (option?.value) return { text: option.value.text, at: { option: name } };
  }
  if (valueOptions[command]) return null;
  const index = values.findIndex(({ text }) => isNumber(text));
  return index < 0 ? null : { text: values[index].text, at: { index } };
}

/** On one line, without the blanks of continued lines. */
const oneLine = (text: string) =>
  text
    .replace(/\\\r?\n/g, " ")
    .replace(/\s+/g, " ")
    .trim();

function detailOf(text: string, row: TimingRow, value: RuleRow["value"]): string {
  const words = text.slice(row.start + row.command.length, row.end);
  if (!value) return oneLine(words);
  const own = value.at;
  const [from, to] =
    "option" in own
      ? (() => {
          const option = row.options.find(({ name }) => name === own.option)!;
          return [option.start, option.value!.end];
        })()
      : [row.values[own.index].start, row.values[own.index].end];
  const base = row.start + row.command.length;
  return oneLine(words.slice(0, from - base) + words.slice(to - base));
}

/** Rows of all timing files of a target, in their order. @param textOf The text as it stands in the editor. */
export function ruleRows(
  files: readonly DesignFile[],
  textOf: (file: DesignFile) => string,
  check: DesignCheck | null,
): RuleRow[] {
  const decides = new Map<string, number>();
  for (const { rule, decides: count } of check?.coverage?.exceptions ?? []) {
    const place = check!.timing.exceptions[rule]?.origin.place;
    if (place?.line)
      decides.set(`${place.file}:${place.line}`, (decides.get(`${place.file}:${place.line}`) ?? 0) + count);
  }
  return files.flatMap((file) => {
    const text = textOf(file);
    return timingRows(text).flatMap((row): RuleRow[] => {
      if (plainWords.has(row.command)) return [];
      const value = figureOf(row);
      return [
        {
          id: `${file.id}:${row.start}`,
          file,
          row,
          command: row.command,
          detail: detailOf(text, row, value),
          value,
          decides: row.isOff ? null : (decides.get(`${file.path}:${row.line}`) ?? null),
          isOff: row.isOff,
          canSwitch: canBeSwitched(text, row),
        },
      ];
    });
  });
}

/** The row that declares a clock, by the place that the check told. */
export function rowAt(
  rows: readonly RuleRow[],
  path: string | undefined,
  line: number | undefined,
): RuleRow | undefined {
  return rows.find(({ file, row }) => file.path === path && row.line === line && !row.isOff);
}
