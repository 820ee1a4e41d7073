import { randomUUID } from "node:crypto";
import { Sequelize } from "sequelize-typescript";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { migrate } from "../src/database/migrate.ts";
import * as targets from "../src/database/migrations/0003-targets.ts";

const base = process.env["GATE_CLOCK_TEST_POSTGRES"]!;
const name = `test_${randomUUID().replaceAll("-", "")}`;
const admin = new Sequelize(`${base}/postgres`, { dialect: "postgres", logging: false });
const sequelize = new Sequelize(`${base}/${name}`, { dialect: "postgres", logging: false });

beforeAll(async () => {
  await admin.query(`CREATE DATABASE ${name}`);
  await migrate(sequelize);
});
afterAll(async () => {
  await sequelize.close();
  await admin.query(`DROP DATABASE ${name} WITH (FORCE)`);
  await admin.close();
});

describe("the migration to targets", () => {
  it("gives every design one with its part, rules and trials, and can be taken back", async () => {
    const query = sequelize.getQueryInterface();
    const rows = async (sql: string) => (await sequelize.query(sql))[0] as Record<string, unknown>[];
    await targets.down(query);
    const [design, trial] = [randomUUID(), randomUUID()];
    await sequelize.query(`INSERT INTO designs (id, name, description, part, board, recipe, seed, created_at, updated_at)
      VALUES ('${design}', 'old', '', 'TW-2-P144-2C', 'shuttle', 'tight', 5, now(), now())`);
    for (const [path, kind] of [
      ["a.v", "source"],
      ["a.pins", "pins"],
    ])
      await sequelize.query(`INSERT INTO design_files (id, design_id, path, kind, position, text, version, created_at, updated_at)
        VALUES ('${randomUUID()}', '${design}', '${path}', '${kind}', 0, '', 1, now(), now())`);
    await sequelize.query(`INSERT INTO trials (id, design_id, number, status, input, stages, findings, figures, cancel_requested, attempts, created_at, updated_at)
      VALUES ('${trial}', '${design}', 1, 'done', '{}', '[]', '[]', '{}', false, 0, now(), now())`);
    await targets.up(query);
    const [made] = await rows("SELECT * FROM targets");
    expect(made).toMatchObject({ name: "shuttle", part: "TW-2-P144-2C", board: "shuttle", recipe: "tight", seed: 5 });
    expect(await rows("SELECT target_id FROM designs")).toEqual([{ target_id: made["id"] }]);
    expect(await rows("SELECT path, target_id FROM design_files ORDER BY path")).toEqual([
      { path: "a.pins", target_id: made["id"] },
      { path: "a.v", target_id: null },
    ]);
    expect(await rows("SELECT target_id FROM trials")).toEqual([{ target_id: made["id"] }]);
    await targets.down(query);
    expect(await rows("SELECT part, board, recipe, seed FROM designs")).toEqual([
      { part: "TW-2-P144-2C", board: "shuttle", recipe: "tight", seed: 5 },
    ]);
    await targets.up(query);
  });
});
