import { DataTypes, type QueryInterface } from "sequelize";
import { id, json, optionalJson, optionalTime, text, time, whole, within } from "../columns.ts";

/** What is kept with a design beside its files, and runs of test benches on the server. */
export async function up(query: QueryInterface): Promise<void> {
  await query.createTable("kept", {
    id,
    design_id: within("designs"),
    name: text,
    value: json,
    created_at: time,
    updated_at: time,
  });
  await query.addIndex("kept", ["design_id", "name"], { unique: true });
  await query.createTable("bench_runs", {
    id,
    design_id: within("designs"),
    number: whole,
    status: text,
    bench: text,
    seed: { type: DataTypes.DOUBLE, allowNull: false },
    until: { type: DataTypes.DOUBLE, allowNull: true },
    record: optionalJson,
    sources: json,
    progress: optionalJson,
    verdict: optionalJson,
    result_bytes: whole,
    cancel_requested: { type: DataTypes.BOOLEAN, allowNull: false },
    failure: { type: DataTypes.TEXT, allowNull: true },
    attempts: whole,
    heartbeat_at: optionalTime,
    started_at: optionalTime,
    finished_at: optionalTime,
    created_at: time,
    updated_at: time,
  });
  await query.addIndex("bench_runs", ["design_id", "number"], { unique: true });
  await query.addIndex("bench_runs", ["status"]);
  // beside the rows that lists read: waves may be large
  await query.createTable("bench_results", {
    run_id: {
      type: DataTypes.UUID,
      primaryKey: true,
      references: { model: "bench_runs", key: "id" },
      onDelete: "CASCADE",
    },
    bytes: { type: DataTypes.BLOB, allowNull: false },
    created_at: time,
  });
}

export async function down(query: QueryInterface): Promise<void> {
  for (const table of ["bench_results", "bench_runs", "kept"]) await query.dropTable(table);
}
