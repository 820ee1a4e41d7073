import type {
  CreateDesignDto,
  Design,
  FileKind,
  FurtherTargetDto,
  NewFileDto,
  Target,
  TargetRules,
} from "@gate-clock/contract";
import { strFromU8, strToU8, unzip, zip } from "fflate";

/** A design as a zip: its files, and `gateclock.json` as the command line reads it. */

const settingsName = "gateclock.json";
const maxFiles = 500;
const maxBytes = 40_000_000;

export function kindOf(path: string): FileKind {
  return path.endsWith(".pins") ? "pins" : path.endsWith(".sdc") ? "timing" : "source";
}

/** @param targets All of the design's. @param rules Texts of their pin and timing files. */
export async function packDesign(
  design: Design,
  text: (fileId: string) => string,
  targets: readonly Target[] = [],
  rules: readonly TargetRules[] = [],
): Promise<Blob> {
  const names = (kind: FileKind) => design.files.filter((file) => file.kind === kind).map((file) => file.path);
  const entries: Record<string, Uint8Array> = {};
  for (const file of design.files) entries[file.path] = strToU8(text(file.id));
  /** Path in the zip; targets may have files of one name that say different things. */
  const put = (target: Target, path: string, content: string) => {
    const data = strToU8(content);
    const isFree = (at: string) => at !== settingsName && (!entries[at] || strFromU8(entries[at]) === content);
    let at = path;
    for (let i = 1; !isFree(at); i++)
      at = `targets/${target.name.replace(/[^\w.-]+/g, "-")}${i > 1 ? `-${i}` : ""}/${path}`;
    entries[at] = data;
    return at;
  };
  const further = targets
    .filter((target) => target.id !== design.targetId)
    .map((target) => {
      const files = (rules.find(({ targetId }) => targetId === target.id)?.files ?? []).map((file) => ({
        kind: file.kind,
        path: put(target, file.path, file.text),
      }));
      const paths = (kind: FileKind) => files.filter((file) => file.kind === kind).map(({ path }) => path);
      const { name, part, recipe, seed } = target;
      const board = target.board ?? undefined;
      return { name, board, part, pins: paths("pins"), timing: paths("timing"), recipe, seed };
    });
  const settings = {
    name: design.name,
    description: design.description,
    target: design.targetName,
    board: design.board ?? undefined,
    part: design.part,
    top: design.top ?? undefined,
    sources: names("source"),
    pins: names("pins"),
    timing: names("timing"),
    recipe: design.recipe,
    seed: design.seed,
    targets: further.length ? further : undefined,
  };
  entries[settingsName] = strToU8(`${JSON.stringify(settings, null, 2)}\n`);
  const bytes = await new Promise<Uint8Array>((done, fail) =>
    zip(entries, { level: 6 }, (error, data) => (error ? fail(error) : done(data))),
  );
  return new Blob([bytes as Uint8Array<ArrayBuffer>], { type: "application/zip" });
}

interface Unpacked {
  readonly files: readonly NewFileDto[];
  /** What `gateclock.json` says, as far as it can be used. */
  readonly settings: Partial<CreateDesignDto>;
  /** Names that were passed over, with the reason. */
  readonly skipped: readonly string[];
}

/** @throws Error in words, if the file is no zip or holds too much. */
export async function unpackZip(file: File): Promise<Unpacked> {
  const data = new Uint8Array(await file.arrayBuffer());
  let total = 0;
  let count = 0;
  const entries = await new Promise<Record<string, Uint8Array>>((done, fail) =>
    unzip(
      data,
      {
        filter: (entry) => {
          total += entry.originalSize;
          count++;
          return total <= maxBytes && count <= 4 * maxFiles && !entry.name.endsWith("/");
        },
      },
      (error, found) => (error ? fail(new Error(`${file.name} is not a zip file that can be read.`)) : done(found)),
    ),
  );
  if (total > maxBytes)
    throw new Error(`${file.name} unpacks to more than ${maxBytes / 1e6} MB: no design is that large.`);
  const names = Object.keys(entries).filter((name) => !/(^|\/)(\.|__MACOSX)/.test(name));
  // one folder around everything is the zip's, not the design's
  const first = names[0]?.split("/")[0];
  const shared = names.length > 0 && names.every((name) => name.startsWith(`${first}/`)) ? `${first}/` : "";
  const skipped: string[] = [];
  const files: NewFileDto[] = [];
  let read: Record<string, unknown> = {};
  for (const name of names) {
    const path = name.slice(shared.length);
    const bytes = entries[name];
    if (path === settingsName) {
      try {
        read = recordOf(JSON.parse(strFromU8(bytes)));
      } catch {
        skipped.push(`${settingsName}: not JSON`);
      }
      continue;
    }
    if (bytes.includes(0)) skipped.push(`${path}: not text`);
    else if (files.length >= maxFiles) skipped.push(`${path}: more than ${maxFiles} files`);
    else files.push({ path, kind: kindOf(path), text: strFromU8(bytes) });
  }
  const own = filesOf(read);
  const order = [...wordsOf(read["sources"]), ...own];
  const place = (path: string) => (order.includes(path) ? order.indexOf(path) : order.length);
  files.sort((a, b) => place(a.path) - place(b.path));
  const elsewhere = new Set<string>();
  const targets = (Array.isArray(read["targets"]) ? read["targets"] : []).flatMap((each): FurtherTargetDto[] => {
    const target = recordOf(each);
    const { name, part, ...rest } = targetOf(target);
    if (!name || !part) return [];
    const found = filesOf(target).flatMap(
      (path) => files.find((file) => file.path === path && file.kind !== "source") ?? [],
    );
    for (const { path } of found) elsewhere.add(path);
    // what was put aside because another target has a file of that name
    const own = found.map((file) => ({ ...file, path: file.path.replace(/^targets\/[^/]+\//, "") }));
    return [{ name, part, ...rest, files: own }];
  });
  for (const path of own) elsewhere.delete(path);
  const { name, ...ofTarget } = targetOf(read);
  return {
    files: files.filter(({ path }) => !elsewhere.has(path)),
    settings: {
      name,
      description: wordOf(read["description"]),
      top: wordOf(read["top"]),
      target: wordOf(read["target"]),
      ...ofTarget,
      ...(targets.length ? { targets } : {}),
    },
    skipped,
  };
}

const wordOf = (value: unknown) => (typeof value === "string" ? value : undefined);
const wordsOf = (value: unknown) => (Array.isArray(value) ? value.filter((each) => typeof each === "string") : []);
const recordOf = (value: unknown) => (typeof value === "object" && value ? (value as Record<string, unknown>) : {});
const filesOf = (of: Record<string, unknown>) => [...wordsOf(of["pins"]), ...wordsOf(of["timing"])];

function targetOf(read: Record<string, unknown>) {
  return {
    name: wordOf(read["name"]),
    part: wordOf(read["part"]),
    board: wordOf(read["board"]),
    recipe: wordOf(read["recipe"]),
    seed: Number.isInteger(read["seed"]) ? (read["seed"] as number) : undefined,
  };
}
