import { DataTypes, type QueryInterface } from "sequelize";
import { json, text, time, within } from "../columns.ts";

/** What each target's design means as it is now, as far as it has been read: trials are compared with it. */
export async function up(query: QueryInterface): Promise<void> {
  await query.createTable("readings", {
    target_id: { ...within("targets"), primaryKey: true },
    input_key: text,
    reading: json,
    created_at: { ...time, defaultValue: DataTypes.NOW },
  });
}

export async function down(query: QueryInterface): Promise<void> {
  await query.sequelize.query("DELETE FROM jobs WHERE kind = 'reading'");
  await query.dropTable("readings");
}
