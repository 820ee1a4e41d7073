/** What a table remembers and how keys move in it, without React. */

const storageName = (label: string) => `gate-clock-columns:${label}`;

/** Columns that are not shown. Whatever is in the storage, a list of names. */
export function readHidden(label: string, storage: Pick<Storage, "getItem">): string[] {
  try {
    const kept: unknown = JSON.parse(storage.getItem(storageName(label)) ?? "[]");
    return Array.isArray(kept) ? kept.filter((each): each is string => typeof each === "string") : [];
  } catch {
    return [];
  }
}

export function keepHidden(
  label: string,
  hidden: readonly string[],
  storage: Pick<Storage, "setItem" | "removeItem">,
): void {
  if (hidden.length) storage.setItem(storageName(label), JSON.stringify(hidden));
  else storage.removeItem(storageName(label));
}

/** Shown or not, the other way round; the last one stays. Names that the table does not have any more go. */
export function withColumn(hidden: readonly string[], column: string, columns: readonly string[]): string[] {
  const next = hidden.includes(column) ? hidden.filter((each) => each !== column) : [...hidden, column];
  const known = next.filter((each) => columns.includes(each));
  return known.length < columns.length ? known : hidden.filter((each) => columns.includes(each));
}

/**
 * Row that a key leads to; null if the key leads nowhere.
 * @param at Row that is selected; -1 for none. @param page Rows that are in view.
 */
export function rowAfterKey(key: string, at: number, count: number, page: number): number | null {
  if (count === 0) return null;
  const step = new Map([
    ["ArrowDown", 1],
    ["ArrowUp", -1],
    ["PageDown", Math.max(1, page - 1)],
    ["PageUp", -Math.max(1, page - 1)],
    ["Home", -count],
    ["End", count],
  ]).get(key);
  if (step === undefined) return null;
  // without a selection, any key but the one to the end leads to the first row
  if (at < 0) return key === "End" ? count - 1 : 0;
  return Math.max(0, Math.min(count - 1, at + step));
}
