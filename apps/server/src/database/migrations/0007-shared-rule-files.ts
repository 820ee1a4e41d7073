import type { QueryInterface } from "sequelize";

/** Rules may be left out by their target, and one text of rules may be in several designs. */
export async function up(query: QueryInterface): Promise<void> {
  const run = (sql: string) => query.sequelize.query(sql);
  await run("ALTER TABLE design_files ADD in_use boolean NOT NULL DEFAULT true, ADD shared_id uuid");
  await run("CREATE INDEX design_files_shared ON design_files (shared_id) WHERE shared_id IS NOT NULL");
}

export async function down(query: QueryInterface): Promise<void> {
  await query.sequelize.query("ALTER TABLE design_files DROP COLUMN in_use, DROP COLUMN shared_id");
}
