import type { CreateDesignDto, Design, FileKind, NewFileDto } from "@gate-clock/contract";
import { strFromU8, strToU8, unzip, zip } from "fflate";

/** A design as a zip: its files, and `gateclock.json` as the command line reads it. */

const maxFiles = 500;
const maxBytes = 40_000_000;

export function kindOf(path: string): FileKind {
  return path.endsWith(".pins") ? "pins" : path.endsWith(".sdc") ? "timing" : "source";
}

export async function packDesign(design: Design, text: (fileId: string) => string): Promise<Blob> {
  const names = (kind: FileKind) => design.files.filter((file) => file.kind === kind).map((file) => file.path);
  const settings = {
    name: design.name,
    description: design.description,
    board: design.board ?? undefined,
    part: design.part,
    top: design.top ?? undefined,
    sources: names("source"),
    pins: names("pins"),
    timing: names("timing"),
    recipe: design.recipe,
    seed: design.seed,
  };
  const entries: Record<string, Uint8Array> = { "gateclock.json": strToU8(`${JSON.stringify(settings, null, 2)}\n`) };
  for (const file of design.files) entries[file.path] = strToU8(text(file.id));
  const bytes = await new Promise<Uint8Array>((done, fail) =>
    zip(entries, { level: 6 }, (error, data) => (error ? fail(error) : done(data))),
  );
  return new Blob([bytes as Uint8Array<ArrayBuffer>], { type: "application/zip" });
}

export interface Unpacked {
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
  let settings: Partial<CreateDesignDto> = {};
  let order: string[] = [];
  for (const name of names) {
    const path = name.slice(shared.length);
    const bytes = entries[name];
    if (path === "gateclock.json") {
      try {
        const read = JSON.parse(strFromU8(bytes)) as Record<string, unknown>;
        const word = (key: string) => (typeof read[key] === "string" ? (read[key] as string) : undefined);
        settings = {
          name: word("name"),
          description: word("description"),
          part: word("part"),
          board: word("board"),
          top: word("top"),
        };
        order = ["sources", "pins", "timing"].flatMap((key) =>
          Array.isArray(read[key]) ? (read[key] as string[]) : [],
        );
      } catch {
        skipped.push("gateclock.json: not JSON");
      }
      continue;
    }
    if (bytes.includes(0)) skipped.push(`${path}: not text`);
    else if (files.length >= maxFiles) skipped.push(`${path}: more than ${maxFiles} files`);
    else files.push({ path, kind: kindOf(path), text: strFromU8(bytes) });
  }
  const place = (path: string) => (order.includes(path) ? order.indexOf(path) : order.length);
  files.sort((a, b) => place(a.path) - place(b.path));
  return { files, settings, skipped };
}

export function saveBlob(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
