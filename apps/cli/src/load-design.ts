import { posix } from "node:path";
import {
  type DesignInput,
  type FolderSettings,
  type FolderTarget,
  findBoard,
  kindOfPath,
  readFolderSettings,
  type SourceFile,
  settingsName,
} from "@gate-clock/core";
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

/** One of a folder's targets, by name; the first one without. */
function targetOf({ first, further }: FolderSettings, name: string | undefined, path: string): FolderTarget {
  if (name === undefined) return first;
  const all = [...(first.name === null ? [] : [first]), ...further];
  const target = all.find((each) => each.name === name);
  if (target) return target;
  const names = all.map((each) => each.name).join(", ");
  throw new UsageError(`${path} has no target '${name}'; ${names ? `it has ${names}` : "it lists none"}.`);
}

/** `gateclock.json` of a folder, or HDL, pin and timing files given by name. */
export function loadDesign(paths: readonly string[], options: LoadOptions, io: Session): DesignInput {
  if (paths.length === 0) throw new UsageError("Give a design folder, or HDL files.");
  const first = io.kind(paths[0]);
  if (!first) throw new UsageError(`There is no file or folder ${paths[0]}.`);
  const overrides = { seed: options.seed === undefined ? undefined : wholeNumber(options.seed) };
  if (paths.length === 1 && (first === "folder" || basename(paths[0]) === settingsName)) {
    const folder = first === "folder" ? paths[0] : dirname(paths[0]);
    const path = joinPath(folder, settingsName);
    const { settings, faults } = readFolderSettings(readJson(path, io));
    if (faults.length) throw new UsageError(`${path}: ${faults[0]}`);
    const target = targetOf(settings, options.target, path);
    const readAll = (names: readonly string[]) => names.map((name) => readText(joinPath(folder, name), io, name));
    const board = target.board === null ? null : findBoard(target.board).board;
    return {
      name: fileName(settings.name ?? basename(folder), path),
      top: options.top ?? settings.top,
      part: options.part ?? target.part ?? board?.part ?? defaultPart,
      board: board?.name ?? null,
      sources: withData(withIncluded(readAll(settings.sources), folder, io), folder, io),
      pinFiles: readAll(target.pins),
      timingFiles: readAll(target.timing),
      recipe: options.recipe ?? target.recipe ?? settings.first.recipe ?? "even",
      seed: overrides.seed ?? target.seed ?? settings.first.seed ?? 1,
    };
  }
  if (options.target !== undefined)
    throw new UsageError("--target needs a design folder, whose gateclock.json lists it.");
  const files = paths.map((path) => readText(path, io));
  const ofKind = (kind: string) => files.filter((file) => kindOfPath(file.name) === kind);
  return {
    name: fileName(options.top ?? basename(paths[0]).replace(/\.[^.]*$/, ""), "--top"),
    top: options.top ?? null,
    part: options.part ?? defaultPart,
    sources: withData(withIncluded(ofKind("source"), "", io), "", io),
    pinFiles: ofKind("pins"),
    timingFiles: ofKind("timing"),
    recipe: options.recipe ?? "even",
    seed: overrides.seed ?? 1,
  };
}
