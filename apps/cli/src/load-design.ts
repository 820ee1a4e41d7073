import { posix } from "node:path";
import { type DesignInput, findBoard, type SourceFile } from "@gate-clock/core";
import { FileProblem } from "@gate-clock/sealed/inside";
import type { Session } from "./session.ts";

const { basename, normalize } = posix;
export const { dirname } = posix;
export const joinPath = posix.join;

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

function readText(path: string, io: Session, name = path): SourceFile {
  const text = io.readText(path);
  if (text === null) throw new UsageError(`Cannot read ${path}.`);
  return { name, text };
}

/** A file of JSON. @throws UsageError */
export function readJson(path: string, io: Session): unknown {
  const { text } = readText(path, io);
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new UsageError(`${path} is not JSON: ${(error as Error).message}`);
  }
}

function wholeNumber(given: unknown): number {
  const value = typeof given === "string" ? Number(given) : given;
  if (!Number.isInteger(value) || (value as number) < 0 || (value as number) >= 2 ** 31)
    throw new UsageError(
      `${typeof given === "string" ? `'${given}'` : JSON.stringify(given)} is not a seed: give a whole number from 0 to 2147483647.`,
    );
  return value as number;
}

/** A design's name is that of files in the output folder: it may lead nowhere else. */
function fileName(name: string, from: string): string {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
  if (/[/\\\x00-\x1f]/.test(name) || name === "." || name === ".." || name === "" || name.length > 200)
    throw new UsageError(
      `${from}: '${name.slice(0, 60)}' is no name for a design: it may hold no / or \\ and at most 200 characters.`,
    );
  return name;
}

/** Adds the files that `include names, as far as they stand beside the files that name them. */
function withIncluded(sources: readonly SourceFile[], folder: string, io: Session): SourceFile[] {
  const all = [...sources];
  const known = new Set(all.map((file) => normalize(file.name)));
  for (let i = 0; i < all.length; i++) {
    for (const match of all[i].text.matchAll(/^[ \t]*`include[ \t]+"([^"\n]+)"/gm)) {
      const name = match[1].startsWith("/") ? normalize(match[1]) : joinPath(dirname(all[i].name), match[1]);
      if (known.has(name) || known.has(normalize(match[1]))) continue;
      const text = io.readText(name.startsWith("/") ? name : joinPath(folder, name));
      if (text === null) continue; // the language says what is missing
      known.add(name);
      all.push({ name, text });
    }
  }
  return all;
}

/** Ends of the names of texts and memory contents that sources read. */
const dataName = /"([^"\n]{1,200}\.(?:hex|mem|mif|dat|data|txt|bin|coe|list|init|rom|vec|csv|in))"/gi;

/** Adds the texts and memory contents that sources name in quotes, as far as they stand beside these. */
function withData(sources: readonly SourceFile[], folder: string, io: Session): SourceFile[] {
  const all = [...sources];
  const known = new Set(all.map((file) => normalize(file.name)));
  for (const source of sources) {
    if (!/\.(?:s?vh?|vhdl?)$/i.test(source.name)) continue;
    for (const [, written] of source.text.matchAll(dataName)) {
      for (const name of written.startsWith("/") ? [written] : [joinPath(dirname(source.name), written), written]) {
        if (known.has(normalize(name))) break;
        let text: string | null = null;
        try {
          text = io.readText(name.startsWith("/") ? name : joinPath(folder, name));
        } catch (error) {
          // what may not be read is told where the run or the build asks for it
          if (!(error instanceof FileProblem)) throw error;
        }
        if (text === null) continue;
        known.add(normalize(name));
        all.push({ name, text });
        break;
      }
    }
  }
  return all;
}

/** The settings with what the target says in the place of the design's own part and rules. */
function forTarget(settings: Record<string, unknown>, name: string, path: string): Record<string, unknown> {
  const listed = settings["targets"] ?? [];
  if (!Array.isArray(listed) || listed.some((each) => typeof each?.name !== "string"))
    throw new UsageError(`${path}: 'targets' must be a list of targets, each with a name.`);
  const all = listed as Record<string, unknown>[];
  const target = all.find((each) => each["name"] === name);
  if (!target) {
    const names = all.map((each) => String(each["name"])).join(", ");
    throw new UsageError(`${path} has no target '${name}'; ${names ? `it has ${names}` : "it lists none"}.`);
  }
  const { board: _board, part: _part, pins: _pins, timing: _timing, ...shared } = settings;
  return { ...shared, ...target, name: settings["name"] };
}

/** `gateclock.json` of a folder, or HDL, pin and timing files given by name. */
export function loadDesign(paths: readonly string[], options: LoadOptions, io: Session): DesignInput {
  if (paths.length === 0) throw new UsageError("Give a design folder, or HDL files.");
  const first = io.kind(paths[0]);
  if (!first) throw new UsageError(`There is no file or folder ${paths[0]}.`);
  const overrides = { seed: options.seed === undefined ? undefined : wholeNumber(options.seed) };
  if (paths.length === 1 && (first === "folder" || basename(paths[0]) === "gateclock.json")) {
    const folder = first === "folder" ? paths[0] : dirname(paths[0]);
    const path = joinPath(folder, "gateclock.json");
    const read = readJson(path, io);
    if (typeof read !== "object" || read === null || Array.isArray(read))
      throw new UsageError(`${path} must hold one object with the design's settings.`);
    let settings = read as Record<string, unknown>;
    if (options.target !== undefined) settings = forTarget(settings, options.target, path);
    const list = (key: string): string[] => {
      const value = settings[key] ?? [];
      if (!Array.isArray(value) || value.some((entry) => typeof entry !== "string"))
        throw new UsageError(`${path}: '${key}' must be a list of file names.`);
      return value as string[];
    };
    const text = (key: string): string | undefined => {
      const value = settings[key];
      if (value !== undefined && value !== null && typeof value !== "string")
        throw new UsageError(`${path}: '${key}' must be a text.`);
      return value ?? undefined;
    };
    const readAll = (names: string[]) => names.map((name) => readText(joinPath(folder, name), io, name));
    const board = text("board") ? findBoard(text("board")!).board : null;
    return {
      name: fileName(text("name") ?? basename(folder), path),
      top: options.top ?? text("top") ?? null,
      part: options.part ?? text("part") ?? board?.part ?? defaultPart,
      sources: withData(withIncluded(readAll(list("sources")), folder, io), folder, io),
      pinFiles: readAll(list("pins")),
      timingFiles: readAll(list("timing")),
      recipe: options.recipe ?? text("recipe") ?? "even",
      seed: overrides.seed ?? wholeNumber(settings["seed"] ?? 1),
    };
  }
  if (options.target !== undefined)
    throw new UsageError("--target needs a design folder, whose gateclock.json lists it.");
  const files = paths.map((path) => readText(path, io));
  const ending = (end: string) => files.filter((file) => file.name.endsWith(end));
  return {
    name: fileName(options.top ?? basename(paths[0]).replace(/\.[^.]*$/, ""), "--top"),
    top: options.top ?? null,
    part: options.part ?? defaultPart,
    sources: withData(
      withIncluded(
        files.filter((file) => !file.name.endsWith(".pins") && !file.name.endsWith(".sdc")),
        "",
        io,
      ),
      "",
      io,
    ),
    pinFiles: ending(".pins"),
    timingFiles: ending(".sdc"),
    recipe: options.recipe ?? "even",
    seed: overrides.seed ?? 1,
  };
}
