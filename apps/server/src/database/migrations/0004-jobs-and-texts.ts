import { DataTypes, type QueryInterface } from "sequelize";
import { id, optionalText, optionalTime, text, time, whole, within } from "../columns.ts";

/**
 * Jobs have a table of their own, a row each for as long as they wait or run. Texts that trials and runs were made of are
 * kept once each, under their hash. Constraints say what must hold of a design's chosen target.
 */
export async function up(query: QueryInterface): Promise<void> {
  const run = (sql: string) => query.sequelize.query(sql);
  await query.createTable("jobs", {
    id,
    kind: text,
    design_id: within("designs"),
    turn: { type: DataTypes.BIGINT, allowNull: false },
    claimed_by: optionalText,
    pid: { type: DataTypes.INTEGER, allowNull: true },
    heartbeat_at: optionalTime,
    attempts: whole,
    deaths: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false },
    cancel_requested: { type: DataTypes.BOOLEAN, allowNull: false },
    queued_at: time,
  });
  await query.addIndex("jobs", ["claimed_by", "turn"]);
  await query.addIndex("jobs", ["design_id"]);
  await query.createTable("texts", {
    hash: { type: DataTypes.TEXT, primaryKey: true },
    text,
    created_at: time,
  });
  const hash = "encode(sha256(convert_to(t, 'UTF8')), 'hex')";
  await query.addColumn("design_files", "hash", { type: DataTypes.TEXT, allowNull: true });
  await run(`UPDATE design_files SET hash = ${hash.replace("(t,", "(text,")}`);
  await run("ALTER TABLE design_files ALTER hash SET NOT NULL");
  // inputs as they were, with hashes in the place of texts
  await run("ALTER TABLE trials RENAME COLUMN input TO inputs");
  const files = (table: string, column: string, list: string) => `
    INSERT INTO texts (hash, text, created_at)
      SELECT DISTINCT ${hash.replace("(t,", "(file->>'text',")}, file->>'text', now()
      FROM ${table}, jsonb_array_elements(${list}) file ON CONFLICT DO NOTHING;
    UPDATE ${table} SET ${column}`;
  const hashed = (list: string) => `coalesce((SELECT jsonb_agg(jsonb_build_object('name', file->>'name', 'hash',
    ${hash.replace("(t,", "(file->>'text',")}) ORDER BY at) FROM jsonb_array_elements(${list}) WITH ORDINALITY AS each(file, at)), '[]'::jsonb)`;
  for (const list of ["sources", "pinFiles", "timingFiles"])
    await run(
      `${files("trials", "inputs", `inputs->'${list}'`)} = jsonb_set(inputs, '{${list}}', ${hashed(`inputs->'${list}'`)})`,
    );
  await run(`${files("bench_runs", "sources", "sources")} = ${hashed("sources")}`);
  // one list of what is asked for, in place of messages beside the rows
  for (const [kind, table] of [
    ["trial", "trials"],
    ["bench", "bench_runs"],
  ])
    await run(`INSERT INTO jobs (id, kind, design_id, turn, attempts, deaths, cancel_requested, queued_at)
      SELECT id, '${kind}', design_id, number, 0, '{}', cancel_requested, created_at FROM ${table}
      WHERE status IN ('queued', 'running')`);
  for (const table of ["trials", "bench_runs"]) {
    await run(`UPDATE ${table} SET status = 'queued' WHERE status = 'running'`);
    for (const column of ["cancel_requested", "attempts", "heartbeat_at"]) await query.removeColumn(table, column);
    await query.removeIndex(table, ["status"]);
  }
  await run("DROP SCHEMA IF EXISTS jobs CASCADE");
  await query.addColumn("artifacts", "used_at", { type: DataTypes.DATE, allowNull: true });
  await run("UPDATE artifacts SET used_at = created_at");
  await run("ALTER TABLE artifacts ALTER used_at SET NOT NULL");
  await query.addIndex("artifacts", ["used_at"]);
  // a chosen target there always is, and it is the design's own
  await run(`UPDATE designs SET target_id = (SELECT id FROM targets WHERE design_id = designs.id ORDER BY position, created_at LIMIT 1)
    WHERE NOT EXISTS (SELECT 1 FROM targets WHERE targets.id = designs.target_id AND targets.design_id = designs.id)`);
  await run(`INSERT INTO targets (id, design_id, name, part, recipe, seed, position, created_at, updated_at)
    SELECT gen_random_uuid(), id, 'TW-2-P144-2C', 'TW-2-P144-2C', 'even', 1, 0, now(), now() FROM designs WHERE target_id IS NULL`);
  await run(
    `UPDATE designs SET target_id = targets.id FROM targets WHERE designs.target_id IS NULL AND targets.design_id = designs.id`,
  );
  await run("ALTER TABLE designs DROP CONSTRAINT IF EXISTS designs_target_id_fkey");
  await run("ALTER TABLE targets ADD CONSTRAINT targets_of_design UNIQUE (design_id, id)");
  await run(`ALTER TABLE designs ALTER target_id SET NOT NULL,
    ADD CONSTRAINT designs_chosen_target FOREIGN KEY (id, target_id) REFERENCES targets (design_id, id) DEFERRABLE INITIALLY DEFERRED`);
  await run(`ALTER TABLE designs ADD CONSTRAINT designs_name CHECK (length(name) BETWEEN 1 AND 200)`);
  await run(`ALTER TABLE targets ADD CONSTRAINT targets_seed CHECK (seed >= 0),
    ADD CONSTRAINT targets_name CHECK (length(name) BETWEEN 1 AND 200)`);
  await run("ALTER TABLE design_files ADD CONSTRAINT design_files_kind CHECK (kind IN ('source', 'pins', 'timing'))");
  for (const table of ["trials", "bench_runs"])
    await run(
      `ALTER TABLE ${table} ADD CONSTRAINT ${table}_status CHECK (status IN ('queued', 'running', 'done', 'failed', 'cancelled'))`,
    );
}

export async function down(query: QueryInterface): Promise<void> {
  const run = (sql: string) => query.sequelize.query(sql);
  for (const table of ["trials", "bench_runs"]) {
    await run(`ALTER TABLE ${table} DROP CONSTRAINT ${table}_status`);
    await query.addColumn(table, "cancel_requested", {
      type: DataTypes.BOOLEAN,
      allowNull: false,
      defaultValue: false,
    });
    await query.addColumn(table, "attempts", { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 });
    await query.addColumn(table, "heartbeat_at", optionalTime);
    await query.addIndex(table, ["status"]);
  }
  await run("ALTER TABLE design_files DROP CONSTRAINT design_files_kind");
  await run("ALTER TABLE targets DROP CONSTRAINT targets_seed, DROP CONSTRAINT targets_name");
  await run("ALTER TABLE designs DROP CONSTRAINT designs_name, DROP CONSTRAINT designs_chosen_target");
  await run("ALTER TABLE designs ALTER target_id DROP NOT NULL");
  await run(`ALTER TABLE designs ADD CONSTRAINT designs_target_id_fkey FOREIGN KEY (target_id)
    REFERENCES targets (id) ON DELETE SET NULL`);
  await run("ALTER TABLE targets DROP CONSTRAINT targets_of_design");
  await query.removeColumn("artifacts", "used_at");
  const texts = (
    list: string,
  ) => `coalesce((SELECT jsonb_agg(jsonb_build_object('name', file->>'name', 'text', texts.text) ORDER BY at)
    FROM jsonb_array_elements(${list}) WITH ORDINALITY AS each(file, at) JOIN texts ON texts.hash = file->>'hash'), '[]'::jsonb)`;
  for (const list of ["sources", "pinFiles", "timingFiles"])
    await run(`UPDATE trials SET inputs = jsonb_set(inputs, '{${list}}', ${texts(`inputs->'${list}'`)})`);
  await run(`UPDATE bench_runs SET sources = ${texts("sources")}`);
  await run("ALTER TABLE trials RENAME COLUMN inputs TO input");
  await query.removeColumn("design_files", "hash");
  for (const table of ["texts", "jobs"]) await query.dropTable(table);
}
