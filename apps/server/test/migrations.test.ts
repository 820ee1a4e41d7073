import { randomUUID } from "node:crypto";
import { Sequelize } from "sequelize-typescript";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { migrate } from "../src/database/migrate.ts";
import * as targets from "../src/database/migrations/0003-targets.ts";
import * as jobsAndTexts from "../src/database/migrations/0004-jobs-and-texts.ts";
import { joinTransactions } from "../src/database/transactions.ts";
import { hashOf } from "../src/texts/texts.service.ts";

const base = process.env["GATE_CLOCK_TEST_POSTGRES"]!;
const name = `test_${randomUUID().replaceAll("-", "")}`;
const admin = new Sequelize(`${base}/postgres`, { dialect: "postgres", logging: false });
const sequelize = new Sequelize(`${base}/${name}`, { dialect: "postgres", logging: false });

const rows = async (sql: string) => (await sequelize.query(sql))[0] as Record<string, unknown>[];

beforeAll(async () => {
  joinTransactions();
  await admin.query(`CREATE DATABASE ${name}`);
  await migrate(sequelize, "0003-targets");
});
afterAll(async () => {
  await sequelize.close();
  await admin.query(`DROP DATABASE ${name} WITH (FORCE)`);
  await admin.close();
});

describe("the migration to targets", () => {
  it("gives every design one with its part, rules and trials, and can be taken back", async () => {
    const query = sequelize.getQueryInterface();
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

describe("the migration to jobs and texts", () => {
  const query = sequelize.getQueryInterface();
  const input = (text: string) =>
    JSON.stringify({
      name: "old",
      top: null,
      part: "TW-2-P144-2C",
      sources: [
        { name: "b.v", text },
        { name: "a.v", text: "module weft; // \u00e9\nendmodule" },
      ],
      pinFiles: [],
      timingFiles: [],
      recipe: "even",
      seed: 1,
    });
  const trial = async (designId: string, number: number, status: string, text: string) => {
    const id = randomUUID();
    await sequelize.query(
      `INSERT INTO trials (id, design_id, number, status, input, stages, findings, figures, cancel_requested, attempts, created_at, updated_at)
       VALUES ('${id}', '${designId}', ${number}, '${status}', $1, '[]', '[]', '{}', false, 0, now(), now())`,
      { bind: [input(text)] },
    );
    return id;
  };

  it("keeps what trials were made of, each text once, and can be taken back", async () => {
    const [{ id: designId }] = (await rows("SELECT id FROM designs")) as [{ id: string }];
    await sequelize.query("DELETE FROM trials");
    const [old, waiting, running] = [
      await trial(designId, 2, "done", "module shed; endmodule"),
      await trial(designId, 3, "queued", "module shed; endmodule"),
      await trial(designId, 4, "running", "module pick; endmodule"),
    ];
    const before = await rows("SELECT id, input FROM trials ORDER BY number");
    // as a request once left it: a design whose target is nobody's, which must not keep the list from being shown
    await sequelize.query("UPDATE designs SET target_id = NULL");
    await sequelize.transaction(() => jobsAndTexts.up(query));
    const [{ inputs }] = (await rows(`SELECT inputs FROM trials WHERE id = '${old}'`)) as [{ inputs: unknown }];
    expect(inputs).toMatchObject({
      sources: [
        { name: "b.v", hash: hashOf("module shed; endmodule") },
        { name: "a.v", hash: hashOf("module weft; // \u00e9\nendmodule") },
      ],
      seed: 1,
    });
    expect(await rows("SELECT hash FROM texts")).toHaveLength(3);
    expect((await rows("SELECT id, kind, claimed_by FROM jobs ORDER BY turn")).map(({ id }) => id)).toEqual([
      waiting,
      running,
    ]);
    expect(await rows("SELECT status FROM trials ORDER BY number")).toEqual([
      { status: "done" },
      { status: "queued" },
      { status: "queued" },
    ]);
    const [{ target_id: chosen }] = await rows("SELECT target_id FROM designs");
    expect(await rows(`SELECT design_id FROM targets WHERE id = '${chosen}'`)).toEqual([{ design_id: designId }]);
    // and from now on the database itself refuses it
    await expect(sequelize.query("UPDATE designs SET target_id = NULL")).rejects.toThrow(/null/);
    await expect(sequelize.query(`UPDATE designs SET target_id = '${randomUUID()}'`)).rejects.toThrow(/chosen_target/);
    await expect(sequelize.query("DELETE FROM targets")).rejects.toThrow(/chosen_target/);
    await sequelize.transaction(() => jobsAndTexts.down(query));
    expect(await rows("SELECT id, input FROM trials ORDER BY number")).toEqual(before);
  });

  it("leaves nothing half done when it is broken off", async () => {
    const tables = () =>
      rows(
        "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = 'public' ORDER BY 1, 2",
      );
    const before = await tables();
    // a constraint that cannot be made, at its very end
    await sequelize.query("ALTER TABLE trials ADD CONSTRAINT trials_status CHECK (true)");
    await expect(migrate(sequelize)).rejects.toThrow();
    expect(await tables()).toEqual(before);
    await sequelize.query("ALTER TABLE trials DROP CONSTRAINT trials_status");
    await migrate(sequelize);
    expect(await rows("SELECT name FROM schema_migrations ORDER BY name")).toHaveLength(7);
    await migrate(sequelize);
  });
});
