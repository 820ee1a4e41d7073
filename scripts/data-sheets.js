/** Writes docs/parts from the families' descriptions: node scripts/data-sheets.js (after a build). */
import { mkdir, writeFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { listFamilies, writeDataSheet } from "../packages/core/dist/index.js";

const folder = fileURLToPath(new URL("../docs/parts/", import.meta.url));
await mkdir(folder, { recursive: true });
for (const family of listFamilies())
  await writeFile(`${folder}${family.name.toLowerCase()}.md`, writeDataSheet(family));
