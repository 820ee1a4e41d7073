/**
 * A design as a folder, or an archive of one: its files, and `gateclock.json`, which says what they are. One reader and one writer for
 * the command line, the server's demos and the zips of the page.
 */
export const settingsName = "gateclock.json";

/** What a design is built for. Null: not said. */
export interface FolderTarget {
  readonly name: string | null;
  readonly part: string | null;
  readonly board: string | null;
  readonly recipe: string | null;
  readonly seed: number | null;
  /** Paths, `/` between folders. */
  readonly pins: readonly string[];
  readonly timing: readonly string[];
  /** Pin and timing files that are kept, and not used. */
  readonly unused: readonly string[];
}
export interface FolderSettings {
  readonly name: string | null;
  readonly description: string | null;
  readonly top: string | null;
  readonly sources: readonly string[];
  /** The first target, whose settings stand beside the design's own, and further ones. */
  readonly first: FolderTarget;
  readonly further: readonly FolderTarget[];
}

/** What each file of a folder is, by its ending. */
export function kindOfPath(path: string): "source" | "pins" | "timing" {
  return path.endsWith(".pins") ? "pins" : path.endsWith(".sdc") ? "timing" : "source";
}

/**
 * Settings out of what the file holds, as JSON. Never throws: what cannot be used is left out and told, each in a sentence.
 * @param value As `JSON.parse` gives it.
 */
export function readFolderSettings(value: unknown): { settings: FolderSettings; faults: string[] } {
  const faults: string[] = [];
  const record = (of: unknown): Readonly<Record<string, unknown>> | null =>
    typeof of === "object" && of !== null && !Array.isArray(of) ? (of as Record<string, unknown>) : null;
  const own = record(value);
  if (!own) faults.push("It must hold one object with the design's settings.");
  const read = own ?? {};
  const given = (of: Readonly<Record<string, unknown>>, key: string): unknown =>
    // a key that every object has is none that the file gave
    Object.hasOwn(of, key) && of[key] !== null ? of[key] : undefined;
  const text = (of: Readonly<Record<string, unknown>>, key: string): string | null => {
    const found = given(of, key);
    if (found === undefined || typeof found === "string") return found ?? null;
    faults.push(`'${key}' must be a text.`);
    return null;
  };
  const list = (of: Readonly<Record<string, unknown>>, key: string): string[] => {
    const found = given(of, key);
    if (found === undefined) return [];
    if (Array.isArray(found) && found.every((each) => typeof each === "string")) return found;
    faults.push(`'${key}' must be a list of file names.`);
    return [];
  };
  const seed = (of: Readonly<Record<string, unknown>>): number | null => {
    const found = given(of, "seed");
    if (found === undefined) return null;
    if (Number.isInteger(found) && (found as number) >= 0 && (found as number) < 2 ** 31) return found as number;
    faults.push(`${JSON.stringify(found)} is not a seed: give a whole number from 0 to 2147483647.`);
    return null;
  };
  const target = (of: Readonly<Record<string, unknown>>, nameKey: string): FolderTarget => ({
    name: text(of, nameKey),
    part: text(of, "part"),
    board: text(of, "board"),
    recipe: text(of, "recipe"),
    seed: seed(of),
    pins: list(of, "pins"),
    timing: list(of, "timing"),
    unused: list(of, "unused"),
  });
  const first = target(read, "target");
  const listed = given(read, "targets") ?? [];
  const further: FolderTarget[] = [];
  const isNamed = (each: unknown) => typeof record(each)?.["name"] === "string";
  if (!Array.isArray(listed) || !listed.every(isNamed))
    faults.push("'targets' must be a list of targets, each with a name.");
  if (Array.isArray(listed)) for (const each of listed) if (isNamed(each)) further.push(target(record(each)!, "name"));
  return {
    settings: {
      name: text(read, "name"),
      description: text(read, "description"),
      top: text(read, "top"),
      sources: list(read, "sources"),
      first,
      further,
    },
    faults,
  };
}

/** Text of the settings' file, as `readFolderSettings` takes it back. What is not said is left out. */
export function writeFolderSettings({ name, description, top, sources, first, further }: FolderSettings): string {
  const said = (value: string | number | null) => value ?? undefined;
  const { board, part, recipe, seed, pins, timing, unused } = first;
  const value = {
    name: said(name),
    description: said(description),
    target: said(first.name),
    board: said(board),
    part: said(part),
    top: said(top),
    sources,
    pins,
    timing,
    unused: unused.length ? unused : undefined,
    recipe: said(recipe),
    seed: said(seed),
    targets: further.length
      ? further.map((each) => ({
          name: said(each.name),
          board: said(each.board),
          part: said(each.part),
          pins: each.pins,
          timing: each.timing,
          unused: each.unused.length ? each.unused : undefined,
          recipe: said(each.recipe),
          seed: said(each.seed),
        }))
      : undefined,
  };
  return `${JSON.stringify(value, null, 2)}\n`;
}
