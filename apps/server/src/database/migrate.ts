import type { Sequelize } from "sequelize";
import { SequelizeStorage, Umzug } from "umzug";
import * as firstTables from "./migrations/0001-first-tables.ts";
import * as benchRuns from "./migrations/0002-bench-runs.ts";
import * as targets from "./migrations/0003-targets.ts";

const migrations = [
  { name: "0001-first-tables", ...firstTables },
  { name: "0002-bench-runs", ...benchRuns },
  { name: "0003-targets", ...targets },
];

/** Brings the database's tables up to date. Two servers that start at once take turns by an advisory lock. */
export async function migrate(sequelize: Sequelize): Promise<void> {
  const umzug = new Umzug({
    migrations: migrations.map(({ name, up, down }) => ({
      name,
      up: () => up(sequelize.getQueryInterface()),
      down: () => down(sequelize.getQueryInterface()),
    })),
    storage: new SequelizeStorage({ sequelize, tableName: "schema_migrations" }),
    logger: undefined,
  });
  await sequelize.transaction(async (transaction) => {
    await sequelize.query("SELECT pg_advisory_xact_lock(726401)", { transaction });
    await umzug.up();
  });
}
