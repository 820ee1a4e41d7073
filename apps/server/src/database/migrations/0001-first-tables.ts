import { DataTypes, type QueryInterface } from "sequelize";
import { id, json, optionalText, optionalTime, text, time, whole, within } from "../columns.ts";

export async function up(query: QueryInterface): Promise<void> {
  await query.createTable("designs", {
    id,
    name: text,
    description: text,
    part: text,
    board: optionalText,
    top: optionalText,
    recipe: text,
    seed: whole,
    created_at: time,
    updated_at: time,
  });
  await query.createTable("design_files", {
    id,
    design_id: within("designs"),
    path: text,
    kind: text,
    position: whole,
    text,
    version: whole,
    created_at: time,
    updated_at: time,
  });
  await query.addConstraint("design_files", {
    type: "unique",
    fields: ["design_id", "path"],
    name: "design_files_path_once",
  });
  await query.createTable("file_versions", {
    id,
    file_id: within("design_files"),
    version: whole,
    text,
    created_at: time,
  });
  await query.addIndex("file_versions", ["file_id", "version"], { unique: true });
  await query.createTable("trials", {
    id,
    design_id: within("designs"),
    number: whole,
    status: text,
    input: json,
    stages: json,
    findings: json,
    figures: json,
    cancel_requested: { type: DataTypes.BOOLEAN, allowNull: false },
    failure: optionalText,
    attempts: whole,
    heartbeat_at: optionalTime,
    started_at: optionalTime,
    finished_at: optionalTime,
    created_at: time,
    updated_at: time,
  });
  await query.addIndex("trials", ["design_id", "number"], { unique: true });
  await query.addIndex("trials", ["status"]);
  await query.createTable("artifacts", {
    key: { type: DataTypes.TEXT, primaryKey: true },
    stage: text,
    bytes: { type: DataTypes.BLOB, allowNull: false },
    created_at: time,
  });
}

export async function down(query: QueryInterface): Promise<void> {
  for (const table of ["artifacts", "trials", "file_versions", "design_files", "designs"]) await query.dropTable(table);
}
