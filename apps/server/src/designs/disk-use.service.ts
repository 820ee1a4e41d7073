import type { DiskUse } from "@gate-clock/contract";
import { Inject, Injectable } from "@nestjs/common";
import { QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";

/** What designs take on disk: sizes as the database stores them, without reading what is stored. */
@Injectable()
export class DiskUseService {
  constructor(@Inject(Sequelize) private readonly sequelize: Sequelize) {}

  /** Of all designs, in one query. */
  async list(): Promise<DiskUse[]> {
    const rows = await this.sequelize.query<Record<keyof DiskUse, string>>(
      `WITH used AS (
         SELECT DISTINCT design_id, record->>'key' AS key FROM trials, jsonb_array_elements(stages) record
       ), results AS (
         SELECT design_id, sum(pg_column_size(artifacts.bytes)) AS size
         FROM used JOIN artifacts ON split_part(artifacts.key, '/', 1) = used.key GROUP BY design_id
       ), files AS (
         SELECT design_id, sum(pg_column_size(text)) AS size FROM design_files GROUP BY design_id
       ), history AS (
         SELECT design_id, sum(pg_column_size(file_versions.text)) AS size
         FROM file_versions JOIN design_files ON design_files.id = file_versions.file_id GROUP BY design_id
       ), tried AS (
         SELECT design_id, sum(pg_column_size(inputs) + pg_column_size(stages) + pg_column_size(findings)) AS size
         FROM trials GROUP BY design_id
       ), ran AS (
         SELECT design_id, sum(pg_column_size(bench_results.bytes)) AS size
         FROM bench_results JOIN bench_runs ON bench_runs.id = bench_results.run_id GROUP BY design_id
       )
       SELECT designs.id AS "designId", coalesce(files.size, 0) AS files, coalesce(history.size, 0) AS history,
         coalesce(tried.size, 0) AS trials, coalesce(results.size, 0) AS results, coalesce(ran.size, 0) AS runs
       FROM designs LEFT JOIN files ON files.design_id = designs.id LEFT JOIN history ON history.design_id = designs.id
         LEFT JOIN tried ON tried.design_id = designs.id LEFT JOIN results ON results.design_id = designs.id
         LEFT JOIN ran ON ran.design_id = designs.id`,
      { type: QueryTypes.SELECT },
    );
    // sums of the database are texts: they may be larger than a number
    return rows.map(({ designId, files, history, trials, results, runs }) => ({
      designId,
      files: Number(files),
      history: Number(history),
      trials: Number(trials),
      results: Number(results),
      runs: Number(runs),
    }));
  }
}
