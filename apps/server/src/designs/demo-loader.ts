import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import type { FileKind, NewFileDto } from "@gate-clock/contract";
import type { DesignsService } from "./designs.service.ts";

interface DemoSettings {
  readonly name: string;
  readonly description?: string;
  readonly board?: string;
  readonly part: string;
  readonly top?: string;
  readonly sources: readonly string[];
  readonly pins: readonly string[];
  readonly timing: readonly string[];
}

/** Loads every demo design of a folder. @returns Their ids. */
export async function loadDemos(folder: string, designs: DesignsService): Promise<string[]> {
  const ids: string[] = [];
  for (const entry of (await readdir(folder, { withFileTypes: true })).filter((each) => each.isDirectory())) {
    const settings = JSON.parse(await readFile(join(folder, entry.name, "gateclock.json"), "utf8")) as DemoSettings;
    const files: NewFileDto[] = [];
    const add = async (kind: FileKind, names: readonly string[]) => {
      for (const path of names)
        files.push({ path, kind, text: await readFile(join(folder, entry.name, path), "utf8") });
    };
    await add("source", settings.sources);
    await add("pins", settings.pins);
    await add("timing", settings.timing);
    const { name, description, board, part, top } = settings;
    ids.push((await designs.create({ name, description, board, part, top, files })).id);
  }
  return ids;
}
