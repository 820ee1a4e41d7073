import { Inject, Injectable } from "@nestjs/common";
import { InjectModel } from "@nestjs/sequelize";
import { QueryTypes } from "sequelize";
import { Sequelize } from "sequelize-typescript";
import { Notices } from "../notices/notices.service.ts";
import { JobModel, type JobName } from "../records/job.model.ts";

export interface ClaimedJob {
  readonly id: string;
  readonly kind: JobName;
  readonly designId: string;
  readonly attempts: number;
  readonly deaths: readonly string[];
}

/** What waits to be done. Changes tell every server that listens. */
@Injectable()
export class JobQueue {
  constructor(
    @InjectModel(JobModel) private readonly jobs: typeof JobModel,
    @Inject(Sequelize) private readonly sequelize: Sequelize,
    @Inject(Notices) private readonly notices: Notices,
  ) {}

  /**
   * Adds a job, unless it is there already, within the transaction that adds what it works on. A design's jobs take turns with those of others: a job's
   * turn is one later than the last of its design, and no earlier than the earliest that is still open (start-time fair
   * queueing: P. Goyal, H. M. Vin, H. Cheng, SIGCOMM 1996, with every job of the same length).
   */
  async add(id: string, kind: JobName, designId: string): Promise<void> {
    await this.sequelize.query(
      `INSERT INTO jobs (id, kind, design_id, turn, attempts, deaths, cancel_requested, queued_at)
       SELECT $1, $2, $3, greatest(coalesce((SELECT min(turn) FROM jobs), 0),
         coalesce((SELECT max(turn) + 1 FROM jobs WHERE design_id = $3), 0)), 0, '{}', false, now()
       ON CONFLICT (id) DO NOTHING`,
      { bind: [id, kind, designId] },
    );
    await this.notices.tell({ kind: "jobs" });
  }

  /**
   * Takes the job whose turn it is.
   * @param me Name of the server that takes it.
   * @param most Jobs of one kind and design that a server has at once.
   * @param others Only jobs of designs of which the server has none.
   */
  async claim(me: string, most: number, others: boolean): Promise<ClaimedJob | null> {
    const rows = await this.sequelize.query<ClaimedJob>(
      `UPDATE jobs SET claimed_by = $1, heartbeat_at = now(), attempts = attempts + 1
       WHERE id = (
         SELECT id FROM jobs waiting
         WHERE claimed_by IS NULL AND NOT cancel_requested AND (
           SELECT count(*) FROM jobs own
           WHERE own.claimed_by = $1 AND own.design_id = waiting.design_id AND ($3 OR own.kind = waiting.kind)
         ) < $2
         ORDER BY turn, queued_at, id LIMIT 1 FOR UPDATE SKIP LOCKED)
       RETURNING id, kind, design_id AS "designId", attempts, deaths`,
      { bind: [me, others ? 1 : most, others], type: QueryTypes.SELECT },
    );
    return rows[0] ?? null;
  }

  /** Signs of life for all that a server runs. @returns Those that are still its own, and whether they are to stop. */
  async beat(me: string, pids: ReadonlyMap<string, number>): Promise<Map<string, boolean>> {
    const rows = await this.sequelize.query<{ id: string; cancelRequested: boolean }>(
      `UPDATE jobs SET heartbeat_at = now(), pid = running.pid
       FROM unnest($2::uuid[], $3::int[]) AS running(id, pid)
       WHERE jobs.id = running.id AND jobs.claimed_by = $1
       RETURNING jobs.id, jobs.cancel_requested AS "cancelRequested"`,
      { bind: [me, [...pids.keys()], [...pids.values()]], type: QueryTypes.SELECT },
    );
    return new Map(rows.map((row) => [row.id, row.cancelRequested]));
  }

  /** @returns True if it waited and is gone; false if it runs, and its server has been told. */
  async cancel(id: string): Promise<boolean> {
    const gone = await this.jobs.destroy({ where: { id, claimedBy: null } });
    if (gone) return true;
    await this.jobs.update({ cancelRequested: true }, { where: { id } });
    await this.notices.tell({ kind: "jobs" });
    return false;
  }

  /** It has ended. @returns False if it was no longer this server's, so that its result does not count. */
  async remove(id: string, me: string): Promise<boolean> {
    return (await this.jobs.destroy({ where: { id, claimedBy: me } })) > 0;
  }

  /** It waits again. @param death How its process ended; null if it was not its own doing. */
  async putBack(id: string, me: string, death: string | null): Promise<boolean> {
    const [rows] = await this.sequelize.query(
      `UPDATE jobs SET claimed_by = NULL, pid = NULL, heartbeat_at = NULL,
         deaths = CASE WHEN $3::text IS NULL THEN deaths ELSE deaths || $3::text END,
         attempts = CASE WHEN $3::text IS NULL THEN greatest(attempts - 1, 0) ELSE attempts END
       WHERE id = $1 AND claimed_by = $2 RETURNING id`,
      { bind: [id, me, death] },
    );
    if (rows.length) await this.notices.tell({ kind: "jobs" });
    return rows.length > 0;
  }

  /** Those that somebody runs, or ran. */
  claimed(): Promise<JobModel[]> {
    return this.jobs.findAll({ where: this.sequelize.literal("claimed_by IS NOT NULL") as never });
  }
}
