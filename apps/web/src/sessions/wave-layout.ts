import type { RecordScope, WaveRadix } from "@gate-clock/core";

/** What of some waves is shown, and how: plain data, kept with the design by the bench's name. */

/** A vector as boxes with values, or as a curve. */
export type Drawing = "boxes" | "steps" | "line";
export interface LayoutRow {
  /** Name with its scopes. */
  readonly key: string;
  readonly group: string | null;
}
export interface Marker {
  readonly name: string;
  /** Steps of time. */
  readonly time: number;
}
export interface WaveLayout {
  /** Null until somebody has chosen: then the signals of the outermost scope are shown. */
  readonly rows: readonly LayoutRow[] | null;
  /** Groups whose rows are not shown. */
  readonly closed: readonly string[];
  /** Vectors whose bits have rows of their own. */
  readonly expanded: readonly string[];
  readonly radix: Readonly<Record<string, WaveRadix>>;
  readonly drawing: Readonly<Record<string, Drawing>>;
  /** Steps of time at both edges; null: all. */
  readonly view: readonly [number, number] | null;
  readonly cursor: number | null;
  readonly second: number | null;
  readonly markers: readonly Marker[];
  /** What the next run records; null: every signal. */
  readonly record: readonly RecordScope[] | null;
}

export const emptyLayout: WaveLayout = {
  rows: null,
  closed: [],
  expanded: [],
  radix: {},
  drawing: {},
  view: null,
  cursor: null,
  second: null,
  markers: [],
  record: null,
};

type Rows = readonly LayoutRow[];

export function addRows(rows: Rows, keys: readonly string[]): Rows {
  const known = new Set(rows.map((row) => row.key));
  return [...rows, ...keys.filter((key) => !known.has(key)).map((key) => ({ key, group: null }))];
}

export const removeRows = (rows: Rows, keys: readonly string[]): Rows => rows.filter((row) => !keys.includes(row.key));

/** Where dragged rows go: before a row, first in a group, or to the end. */
export type DropPlace = { readonly row: string } | { readonly group: string } | null;

/** Moved rows keep their order and join the group that they are dropped in. */
export function moveRows(rows: Rows, keys: readonly string[], to: DropPlace): Rows {
  if (to && "row" in to && keys.includes(to.row)) return rows;
  const rest = removeRows(rows, keys);
  const moved = rows.filter((row) => keys.includes(row.key));
  if (to === null) return [...rest, ...moved.map((row) => ({ ...row, group: null }))];
  const at = rest.findIndex((row) => ("row" in to ? row.key === to.row : row.group === to.group));
  if (at < 0) return "group" in to ? rows : [...rest, ...moved];
  const { group } = rest[at];
  return [...rest.slice(0, at), ...moved.map((row) => ({ ...row, group })), ...rest.slice(at)];
}

/** Rows become a group, at the place of the first of them. A group inside a group is none: the rows change over. */
export function groupRows(rows: Rows, keys: readonly string[], name: string): Rows {
  const first = rows.findIndex((row) => keys.includes(row.key));
  if (first < 0) return rows;
  const members = rows.filter((row) => keys.includes(row.key)).map((row) => ({ ...row, group: name }));
  // not into the middle of another group: before it
  let at = first;
  const { group } = rows[first];
  while (group !== null && at > 0 && rows[at - 1].group === group) at--;
  const before = removeRows(rows.slice(0, at), keys);
  return [...before, ...members, ...removeRows(rows.slice(at), keys)];
}

export const renameGroup = (rows: Rows, old: string, name: string): Rows =>
  rows.map((row) => (row.group === old ? { ...row, group: name } : row));

export const dissolveGroup = (rows: Rows, name: string): Rows =>
  rows.map((row) => (row.group === name ? { ...row, group: null } : row));

export function freeName(stem: string, used: Iterable<string>): string {
  const taken = new Set(used);
  for (let number = 1; ; number++) if (!taken.has(`${stem}${number}`)) return `${stem}${number}`;
}

/** What was kept, if it still has the right form; anything else counts as nothing kept. */
export function parseLayout(value: unknown): WaveLayout | null {
  if (typeof value !== "object" || value === null) return null;
  const {
    rows,
    closed,
    expanded,
    radix,
    drawing,
    view,
    cursor,
    second,
    markers,
    record: scopes,
  } = value as Record<string, unknown>;
  const isText = (each: unknown): each is string => typeof each === "string";
  const isNumber = (each: unknown): each is number => typeof each === "number" && Number.isFinite(each);
  const isRow = (each: unknown): each is LayoutRow =>
    isText((each as LayoutRow)?.key) && ((each as LayoutRow).group === null || isText((each as LayoutRow).group));
  const isMarker = (each: unknown): each is Marker => isText((each as Marker)?.name) && isNumber((each as Marker).time);
  const isScope = (each: unknown): each is RecordScope =>
    isText((each as RecordScope)?.path) && typeof (each as RecordScope).below === "boolean";
  const list = <T>(from: unknown, is: (each: unknown) => each is T): readonly T[] =>
    Array.isArray(from) ? from.filter(is) : [];
  const record = <T extends string>(from: unknown): Readonly<Record<string, T>> =>
    typeof from === "object" && from !== null
      ? (Object.fromEntries(Object.entries(from).filter(([, each]) => isText(each))) as Record<string, T>)
      : {};
  return {
    rows: Array.isArray(rows) ? list(rows, isRow) : null,
    closed: list(closed, isText),
    expanded: list(expanded, isText),
    radix: record<WaveRadix>(radix),
    drawing: record<Drawing>(drawing),
    view:
      Array.isArray(view) && isNumber(view[0]) && isNumber(view[1]) && view[0] < view[1] ? [view[0], view[1]] : null,
    cursor: isNumber(cursor) ? cursor : null,
    second: isNumber(second) ? second : null,
    markers: list(markers, isMarker),
    record: Array.isArray(scopes) ? list(scopes, isScope) : null,
  };
}
