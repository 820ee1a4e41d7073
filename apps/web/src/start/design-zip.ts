import type {
  CreateDesignDto,
  Design,
  FileKind,
  FurtherTargetDto,
  NewFileDto,
  Target,
  TargetRules,
} from "@gate-clock/contract";
import { type FolderTarget, kindOfPath, readFolderSettings, settingsName, writeFolderSettings } from "@gate-clock/core";
import { strFromU8, strToU8, unzip, zip } from "fflate";

/** A design as a zip: its files, and `gateclock.json` as the command line reads it. */

const maxFiles = 500;
const maxBytes = 40_000_000;

/** @param targets All of the design's. @param rules Texts of their pin and timing files. */
export async function packDesign(
  design: Design,
  text: (fileId: string) => string,
  targets: readonly Target[] = [],
  rules: readonly TargetRules[] = [],
): Promise<Blob> {
  const names = (kind: FileKind) => pathsOf(design.files.filter((file) => file.kind === kind && file.inUse));
  const unused = pathsOf(design.files.filter((file) => !file.inUse));
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
    .map((target): FolderTarget => {
      const files = (rules.find(({ targetId }) => targetId === target.id)?.files ?? []).map((file) => ({
        kind: file.kind,
        inUse: file.inUse ?? true,
        path: put(target, file.path, file.text),
      }));
      const paths = (kind: FileKind) => pathsOf(files.filter((file) => file.kind === kind && file.inUse));
      const left = pathsOf(files.filter((file) => !file.inUse));
      const { name, part, board, recipe, seed } = target;
      return { name, part, board, recipe, seed, pins: paths("pins"), timing: paths("timing"), unused: left };
    });
  const { name, description, top, targetName, part, board, recipe, seed } = design;
  const first = { name: targetName, part, board, recipe, seed, pins: names("pins"), timing: names("timing"), unused };
  const settings = writeFolderSettings({ name, description, top, sources: names("source"), first, further });
  entries[settingsName] = strToU8(settings);
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
  const folder = names[0]?.split("/")[0];
  const shared = names.length > 0 && names.every((name) => name.startsWith(`${folder}/`)) ? `${folder}/` : "";
  const skipped: string[] = [];
  const files: NewFileDto[] = [];
  let read: unknown = {};
  for (const name of names) {
    const path = name.slice(shared.length);
    const bytes = entries[name];
    if (path === settingsName) {
      try {
        read = JSON.parse(strFromU8(bytes));
      } catch {
        skipped.push(`${settingsName}: not JSON`);
      }
      continue;
    }
    if (bytes.includes(0)) skipped.push(`${path}: not text`);
    else if (files.length >= maxFiles) skipped.push(`${path}: more than ${maxFiles} files`);
    else files.push({ path, kind: kindOfPath(path), text: strFromU8(bytes) });
  }
  const { settings, faults } = readFolderSettings(read);
  skipped.push(...faults.map((fault) => `${settingsName}: ${fault}`));
  const rulesOf = ({ pins, timing, unused }: FolderTarget) => [...pins, ...timing, ...unused];
  const own = rulesOf(settings.first);
  const order = [...settings.sources, ...own];
  const place = (path: string) => (order.includes(path) ? order.indexOf(path) : order.length);
  files.sort((a, b) => place(a.path) - place(b.path));
  const elsewhere = new Set<string>();
  const targets = settings.further.flatMap((target): FurtherTargetDto[] => {
    const { name, part } = target;
    if (!name || !part) return [];
    const found = rulesOf(target).flatMap(
      (path) => files.find((file) => file.path === path && file.kind !== "source") ?? [],
    );
    for (const { path } of found) elsewhere.add(path);
    // what was put aside because another target has a file of that name
    const own = found.map((file) => ({ ...asUsed(file, target), path: file.path.replace(/^targets\/[^/]+\//, "") }));
    return [{ name, part, ...buildOf(target), files: own }];
  });
  for (const path of own) elsewhere.delete(path);
  const { name, description, top, first } = settings;
  return {
    files: files.filter(({ path }) => !elsewhere.has(path)).map((file) => asUsed(file, first)),
    settings: {
      name: name ?? undefined,
      description: description ?? undefined,
      top: top ?? undefined,
      target: first.name ?? undefined,
      part: first.part ?? undefined,
      ...buildOf(first),
      ...(targets.length ? { targets } : {}),
    },
    skipped,
  };
}

const pathsOf = (files: readonly { readonly path: string }[]) => files.map(({ path }) => path);

const asUsed = (file: NewFileDto, { unused }: FolderTarget): NewFileDto =>
  unused.includes(file.path) ? { ...file, inUse: false } : file;

const buildOf = ({ board, recipe, seed }: FolderTarget) => ({
  board: board ?? undefined,
  recipe: recipe ?? undefined,
  seed: seed ?? undefined,
});
