import { readFile, stat } from "node:fs/promises";
import { basename, dirname, join, normalize } from "node:path";
import { type DesignInput, findBoard, type SourceFile } from "@gate-clock/core";

/** A call that cannot be carried out: exit status 2. */
export class UsageError extends Error {}

export interface LoadOptions {
  readonly top?: string;
  readonly part?: string;
  readonly recipe?: string;
  readonly seed?: string;
  /** One of the folder's further targets, by name. */
  readonly target?: string;
}

const defaultPart = "TW-2-P144-2C";

async function readText(path: string, name = path): Promise<SourceFile> {
  try {
    return { name, text: await readFile(path, "utf8") };
  } catch {
    throw new UsageError(`Cannot read ${path}.`);
  }
}

function wholeNumber(text: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 0 || value >= 2 ** 31)
    throw new UsageError(`'${text}' is not a seed: give a whole number from 0 to 2147483647.`);
  return value;
}

/** Adds the files that `include names, as far as they stand beside the files that name them. */
async function withIncluded(sources: readonly SourceFile[], folder: string): Promise<SourceFile[]> {
  const all = [...sources];
  const known = new Set(all.map((file) => normalize(file.name)));
  for (let i = 0; i < all.length; i++) {
    for (const match of all[i].text.matchAll(/^[ \t]*`include[ \t]+"([^"\n]+)"/gm)) {
      const name = normalize(join(dirname(all[i].name), match[1]));
      if (known.has(name) || known.has(normalize(match[1]))) continue;
      const text = await readFile(join(folder, name), "utf8").catch(() => null);
      if (text === null) continue; // the language says what is missing
      known.add(name);
      all.push({ name, text });
    }
  }
  return all;
}

/** The settings with what the target says in the place of the design's own part and rules. */
function forTarget(settings: Record<string, unknown>, name: string, file: string): Record<string, unknown> {
  const all = Array.isArray(settings["targets"]) ? (settings["targets"] as Record<string, unknown>[]) : [];
  const target = all.find((each) => each["name"] === name);
  if (!target) {
    const names = all.map((each) => String(each["name"])).join(", ");
    throw new UsageError(`${file} has no target '${name}'; ${names ? `it has ${names}` : "it lists none"}.`);
  }
  const { board: _board, part: _part, pins: _pins, timing: _timing, ...shared } = settings;
  return { ...shared, ...target, name: settings["name"] };
}

/** `gateclock.json` of a folder, or HDL, pin and timing files given by name. */
export async function loadDesign(paths: readonly string[], options: LoadOptions): Promise<DesignInput> {
  if (paths.length === 0) throw new UsageError("Give a design folder, or HDL files.");
  const first = await stat(paths[0]).catch(() => null);
  if (!first) throw new UsageError(`There is no file or folder ${paths[0]}.`);
  const overrides = { seed: options.seed === undefined ? undefined : wholeNumber(options.seed) };
  if (paths.length === 1 && (first.isDirectory() || basename(paths[0]) === "gateclock.json")) {
    const folder = first.isDirectory() ? paths[0] : dirname(paths[0]);
    const file = await readText(join(folder, "gateclock.json"));
    let settings: Record<string, unknown>;
    try {
      settings = JSON.parse(file.text) as Record<string, unknown>;
    } catch (error) {
      throw new UsageError(`${file.name} is not JSON: ${(error as Error).message}`);
    }
    if (options.target !== undefined) settings = forTarget(settings, options.target, file.name);
    const list = (key: string): string[] => {
      const value = settings[key] ?? [];
      if (!Array.isArray(value) || value.some((entry) => typeof entry !== "string"))
        throw new UsageError(`${file.name}: '${key}' must be a list of file names.`);
      return value as string[];
    };
    const text = (key: string): string | undefined =>
      typeof settings[key] === "string" ? (settings[key] as string) : undefined;
    const read = (names: string[]) => Promise.all(names.map((name) => readText(join(folder, name), name)));
    const board = text("board") ? findBoard(text("board")!).board : null;
    return {
      name: text("name") ?? basename(folder),
      top: options.top ?? text("top") ?? null,
      part: options.part ?? text("part") ?? board?.part ?? defaultPart,
      sources: await withIncluded(await read(list("sources")), folder),
      pinFiles: await read(list("pins")),
      timingFiles: await read(list("timing")),
      recipe: options.recipe ?? text("recipe") ?? "even",
      seed: overrides.seed ?? (typeof settings["seed"] === "number" ? settings["seed"] : 1),
    };
  }
  if (options.target !== undefined)
    throw new UsageError("--target needs a design folder, whose gateclock.json lists it.");
  const files = await Promise.all(paths.map((path) => readText(path)));
  const ending = (end: string) => files.filter((file) => file.name.endsWith(end));
  return {
    name: options.top ?? basename(paths[0]).replace(/\.[^.]*$/, ""),
    top: options.top ?? null,
    part: options.part ?? defaultPart,
    sources: await withIncluded(
      files.filter((file) => !file.name.endsWith(".pins") && !file.name.endsWith(".sdc")),
      "",
    ),
    pinFiles: ending(".pins"),
    timingFiles: ending(".sdc"),
    recipe: options.recipe ?? "even",
    seed: overrides.seed ?? 1,
  };
}
