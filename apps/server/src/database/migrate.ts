import type { Sequelize } from "sequelize";
import { SequelizeStorage, Umzug } from "umzug";
import * as firstTables from "./migrations/0001-first-tables.ts";
import * as benchRuns from "./migrations/0002-bench-runs.ts";
import * as targets from "./migrations/0003-targets.ts";
import * as safeGround from "./migrations/0004-jobs-and-texts.ts";
import * as readings from "./migrations/0005-readings.ts";
import * as viewedTarget from "./migrations/0006-target-of-the-viewer.ts";
import * as sharedRules from "./migrations/0007-shared-rule-files.ts";

const migrations = [
  { name: "0001-first-tables", ...firstTables },
  { name: "0002-bench-runs", ...benchRuns },
  { name: "0003-targets", ...targets },
  { name: "0004-jobs-and-texts", ...safeGround },
  { name: "0005-readings", ...readings },
  { name: "0006-target-of-the-viewer", ...viewedTarget },
  { name: "0007-shared-rule-files", ...sharedRules },
];

/**
 * Brings the database's tables up to date, all in one transaction: a server that is killed on the way leaves them as
 * they were. Two servers that start at once take turns by an advisory lock. Needs `joinTransactions`.
 * @param upTo Name of the last migration to make; all by default.
 */
export async function migrate(sequelize: Sequelize, upTo?: string): Promise<void> {
  const umzug = new Umzug({
    migrations: migrations.map(({ name, up, down }) => ({
      name,
      up: () => up(sequelize.getQueryInterface()),
      down: () => down(sequelize.getQueryInterface()),
    })),
    storage: new SequelizeStorage({ sequelize, tableName: "schema_migrations" }),
    logger: undefined,
  });
  await sequelize.transaction(async () => {
    await sequelize.query("SELECT pg_advisory_xact_lock(726401)");
    await umzug.up(upTo === undefined ? {} : { to: upTo });
  });
}
