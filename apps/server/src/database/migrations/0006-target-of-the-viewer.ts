import type { QueryInterface } from "sequelize";

/**
 * Which target is looked at is whoever looks's own: a design no longer says. What it said becomes its first target, which is the one
 * that is shown where nothing else is asked for.
 */
export async function up(query: QueryInterface): Promise<void> {
  const run = (sql: string) => query.sequelize.query(sql);
  await run(`UPDATE targets SET position = ranked.place FROM (
      SELECT targets.id, row_number() OVER (
        PARTITION BY targets.design_id ORDER BY (designs.target_id <> targets.id), targets.position, targets.created_at) - 1 AS place
      FROM targets JOIN designs ON designs.id = targets.design_id) ranked
    WHERE ranked.id = targets.id`);
  await run("ALTER TABLE designs DROP CONSTRAINT designs_chosen_target, DROP COLUMN target_id");
}

export async function down(query: QueryInterface): Promise<void> {
  const run = (sql: string) => query.sequelize.query(sql);
  await run("ALTER TABLE designs ADD target_id uuid");
  await run(`UPDATE designs SET target_id =
    (SELECT id FROM targets WHERE design_id = designs.id ORDER BY position, created_at LIMIT 1)`);
  await run(`ALTER TABLE designs ALTER target_id SET NOT NULL,
    ADD CONSTRAINT designs_chosen_target FOREIGN KEY (id, target_id) REFERENCES targets (design_id, id) DEFERRABLE INITIALLY DEFERRED`);
}
