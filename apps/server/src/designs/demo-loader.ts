import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import type { NewFileDto } from "@gate-clock/contract";
import { type FolderTarget, kindOfPath, readFolderSettings, settingsName } from "@gate-clock/core";
import type { INestApplicationContext } from "@nestjs/common";
import { Sequelize } from "sequelize-typescript";
import { TargetsService } from "../targets/targets.service.ts";
import { DesignsService } from "./designs.service.ts";

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
    const written = await readFile(join(folder, entry.name, settingsName), "utf8");
    const { settings, faults } = readFolderSettings(JSON.parse(written));
    if (faults.length) throw new Error(`${entry.name}: ${faults.join(" ")}`);
    const read = (paths: readonly string[]) =>
      Promise.all(
        paths.map(
          async (path): Promise<NewFileDto> => ({
            path,
            kind: kindOfPath(path),
            text: await readFile(join(folder, entry.name, path), "utf8"),
          }),
        ),
      );
    const rules = async ({ pins, timing, unused }: FolderTarget) => [
      ...(await read([...pins, ...timing])),
      ...(await read(unused)).map((file) => ({ ...file, inUse: false })),
    ];
    const { name, description, top, sources, first, further } = settings;
    const files = [...(await read(sources)), ...(await rules(first))];
    const targets = await Promise.all(
      further.map(async (target) => ({
        name: target.name!,
        part: target.part!,
        board: target.board ?? undefined,
        files: await rules(target),
      })),
    );
    const { id } = await designs.create({
      name: name ?? entry.name,
      description: description ?? undefined,
      board: first.board ?? undefined,
      part: first.part!,
      top: top ?? undefined,
      files,
      targets,
    });
    ids.push(id);
  }
  return ids;
}
