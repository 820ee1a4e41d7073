import type { BenchRunStatus } from "@gate-clock/contract";
import type { BenchProgress, BenchVerdict, RecordScope } from "@gate-clock/core";
import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";
import type { NamedHash } from "../texts/texts.service.ts";

/** Something kept with a design: a layout of waves, the last verdict of a test bench. */
@Table({ tableName: "kept", underscored: true })
export class KeptModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare name: string;
  @Column({ type: DataType.JSONB, allowNull: false }) declare value: Record<string, unknown>;
  declare createdAt: Date;
  declare updatedAt: Date;
}

@Table({ tableName: "bench_runs", underscored: true })
export class BenchRunModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  @Column({ type: DataType.INTEGER, allowNull: false }) declare number: number;
  @Column({ type: DataType.TEXT, allowNull: false }) declare status: BenchRunStatus;
  @Column({ type: DataType.TEXT, allowNull: false }) declare bench: string;
  @Column({ type: DataType.DOUBLE, allowNull: false }) declare seed: number;
  /** Seconds; null: to the end. */
  @Column({ type: DataType.DOUBLE, allowNull: true }) declare until: number | null;
  /** Null: every signal. */
  @Column({ type: DataType.JSONB, allowNull: true }) declare record: RecordScope[] | null;
  /** The sources as they were when the run was asked for. */
  @Column({ type: DataType.JSONB, allowNull: false }) declare sources: NamedHash[];
  @Column({ type: DataType.JSONB, allowNull: true }) declare progress: BenchProgress | null;
  @Column({ type: DataType.JSONB, allowNull: true }) declare verdict: BenchVerdict | null;
  @Column({ type: DataType.INTEGER, allowNull: false, defaultValue: 0 }) declare resultBytes: number;
  @Column({ type: DataType.TEXT, allowNull: true }) declare failure: string | null;
  @Column({ type: DataType.DATE, allowNull: true }) declare startedAt: Date | null;
  @Column({ type: DataType.DATE, allowNull: true }) declare finishedAt: Date | null;
  declare createdAt: Date;
  declare updatedAt: Date;
}

@Table({ tableName: "bench_results", underscored: true, updatedAt: false })
export class BenchResultModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID }) declare runId: string;
  /** A BenchRecord as MessagePack, Brotli-compressed. */
  @Column({ type: DataType.BLOB, allowNull: false }) declare bytes: Buffer;
  declare createdAt: Date;
}
