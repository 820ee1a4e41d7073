import { DataTypes, type QueryInterface } from "sequelize";
import { id, optionalText, text, time, whole, within } from "../columns.ts";

/** What a design is built for moves to targets of its own, each with its rule files; a design has one at least. */
export async function up(query: QueryInterface): Promise<void> {
  await query.createTable("targets", {
    id,
    design_id: within("designs"),
    name: text,
    part: text,
    board: optionalText,
    recipe: text,
    seed: whole,
    position: whole,
    created_at: time,
    updated_at: time,
  });
  await query.addIndex("targets", ["design_id", "name"], { unique: true });
  const run = (sql: string) => query.sequelize.query(sql);
  await run(`INSERT INTO targets (id, design_id, name, part, board, recipe, seed, position, created_at, updated_at)
    SELECT gen_random_uuid(), id, coalesce(board, part), part, board, recipe, seed, 0, created_at, updated_at FROM designs`);
  const toTarget = (onDelete: string) => ({
    type: DataTypes.UUID,
    allowNull: true,
    references: { model: "targets", key: "id" },
    onDelete,
  });
  await query.addColumn("designs", "target_id", toTarget("SET NULL"));
  await run("UPDATE designs SET target_id = targets.id FROM targets WHERE targets.design_id = designs.id");
  await query.addColumn("design_files", "target_id", toTarget("CASCADE"));
  await run(`UPDATE design_files SET target_id = designs.target_id FROM designs
    WHERE designs.id = design_files.design_id AND kind IN ('pins', 'timing')`);
  await query.removeConstraint("design_files", "design_files_path_once");
  // two targets may each have a rule file of the same name
  await run(`CREATE UNIQUE INDEX design_files_path_once
    ON design_files (design_id, path, coalesce(target_id, '00000000-0000-0000-0000-000000000000'::uuid))`);
  await query.addColumn("trials", "target_id", toTarget("SET NULL"));
  await run("UPDATE trials SET target_id = designs.target_id FROM designs WHERE designs.id = trials.design_id");
  await query.addIndex("trials", ["target_id", "number"]);
  for (const column of ["part", "board", "recipe", "seed"]) await query.removeColumn("designs", column);
}

/** Only what the chosen targets hold is kept. */
export async function down(query: QueryInterface): Promise<void> {
  const run = (sql: string) => query.sequelize.query(sql);
  await run("ALTER TABLE designs ADD part text, ADD board text, ADD recipe text, ADD seed integer");
  await run(`UPDATE designs SET part = targets.part, board = targets.board, recipe = targets.recipe, seed = targets.seed
    FROM targets WHERE targets.id = designs.target_id`);
  await run(`DELETE FROM design_files USING designs
    WHERE designs.id = design_files.design_id AND design_files.target_id <> designs.target_id`);
  await run("DROP INDEX design_files_path_once");
  for (const table of ["trials", "design_files", "designs"]) await query.removeColumn(table, "target_id");
  await query.addConstraint("design_files", {
    type: "unique",
    fields: ["design_id", "path"],
    name: "design_files_path_once",
  });
  for (const column of ["part", "recipe", "seed"]) await run(`ALTER TABLE designs ALTER ${column} SET NOT NULL`);
  await query.dropTable("targets");
}
