import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";

export type JobName = "trial" | "bench" | "reading";

/**
 * Work that waits or runs. The row is all there is of the queue: one job, one row, gone when it has ended. What it works on
 * (a trial, a run of a test bench) has the same id, and a status of its own that changes in the same transactions.
 */
@Table({ tableName: "jobs", underscored: true, timestamps: false })
export class JobModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID }) declare id: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare kind: JobName;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  /** Place in the order: see `JobQueue.add`. */
  @Column({ type: DataType.BIGINT, allowNull: false }) declare turn: string;
  /** The server that runs it; null while it waits. */
  @Column({ type: DataType.TEXT, allowNull: true }) declare claimedBy: string | null;
  /** Its process. */
  @Column({ type: DataType.INTEGER, allowNull: true }) declare pid: number | null;
  /** Last sign of life of that server. */
  @Column({ type: DataType.DATE, allowNull: true }) declare heartbeatAt: Date | null;
  @Column({ type: DataType.INTEGER, allowNull: false, defaultValue: 0 }) declare attempts: number;
  /** How its processes ended before. */
  @Column({ type: DataType.ARRAY(DataType.TEXT), allowNull: false, defaultValue: [] }) declare deaths: string[];
  @Column({ type: DataType.BOOLEAN, allowNull: false, defaultValue: false }) declare cancelRequested: boolean;
  @Column({ type: DataType.DATE, allowNull: false }) declare queuedAt: Date;
}
