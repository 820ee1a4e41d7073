import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import type { FileKind, NewFileDto } from "@gate-clock/contract";
import type { INestApplicationContext } from "@nestjs/common";
import { Sequelize } from "sequelize-typescript";
import { TargetsService } from "../targets/targets.service.ts";
import { DesignsService } from "./designs.service.ts";

interface DemoSettings {
  readonly name: string;
  readonly description?: string;
  readonly board?: string;
  readonly part: string;
  readonly top?: string;
  readonly sources: readonly string[];
  readonly pins: readonly string[];
  readonly timing: readonly string[];
  /** Further ones beside the first, which the settings themselves are. */
  readonly targets?: readonly DemoTarget[];
}
interface DemoTarget {
  readonly name: string;
  readonly board?: string;
  readonly part: string;
  readonly pins: readonly string[];
  readonly timing: readonly string[];
}

/** Loads the demo, and builds it if asked to, if there is no design yet. Two servers that start at once take turns. */
export async function loadDemosOnce(folder: string, builds: boolean, app: INestApplicationContext): Promise<void> {
  const designs = app.get(DesignsService);
  const targets = app.get(TargetsService);
  const sequelize = app.get(Sequelize);
  await sequelize.transaction(async () => {
    await sequelize.query("SELECT pg_advisory_xact_lock(726402)");
    if ((await designs.count()) > 0) return;
    const loaded = await loadDemos(folder, designs);
    if (builds) for (const id of loaded) await targets.startTrial(id, await designs.targetOf(id));
  });
}

/** Loads every demo design of a folder. @returns Their ids. */
async function loadDemos(folder: string, designs: DesignsService): Promise<string[]> {
  const ids: string[] = [];
  for (const entry of (await readdir(folder, { withFileTypes: true })).filter((each) => each.isDirectory())) {
    const settings = JSON.parse(await readFile(join(folder, entry.name, "gateclock.json"), "utf8")) as DemoSettings;
    const read = (kind: FileKind, names: readonly string[]) =>
      Promise.all(
        names.map(
          async (path): Promise<NewFileDto> => ({
            path,
            kind,
            text: await readFile(join(folder, entry.name, path), "utf8"),
          }),
        ),
      );
    const rules = async ({ pins, timing }: { pins: readonly string[]; timing: readonly string[] }) => [
      ...(await read("pins", pins)),
      ...(await read("timing", timing)),
    ];
    const { name, description, board, part, top } = settings;
    const files = [...(await read("source", settings.sources)), ...(await rules(settings))];
    const targets = await Promise.all(
      (settings.targets ?? []).map(async (target) => ({
        name: target.name,
        part: target.part,
        board: target.board,
        files: await rules(target),
      })),
    );
    const { id } = await designs.create({ name, description, board, part, top, files, targets });
    ids.push(id);
  }
  return ids;
}
