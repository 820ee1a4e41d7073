import type { TrialFigures, TrialStatus } from "@gate-clock/contract";
import type { DesignInput, Finding, StageRecord } from "@gate-clock/core";
import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";

@Table({ tableName: "trials", underscored: true })
export class TrialModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  @Column({ type: DataType.UUID, allowNull: true }) declare targetId: string | null;
  @Column({ type: DataType.INTEGER, allowNull: false }) declare number: number;
  @Column({ type: DataType.TEXT, allowNull: false }) declare status: TrialStatus;
  /** Everything that the trial runs on, as it was when it was asked for. */
  @Column({ type: DataType.JSONB, allowNull: false }) declare input: DesignInput;
  @Column({ type: DataType.JSONB, allowNull: false }) declare stages: StageRecord[];
  @Column({ type: DataType.JSONB, allowNull: false }) declare findings: Finding[];
  @Column({ type: DataType.JSONB, allowNull: false }) declare figures: TrialFigures;
  @Column({ type: DataType.BOOLEAN, allowNull: false, defaultValue: false }) declare cancelRequested: boolean;
  @Column({ type: DataType.TEXT, allowNull: true }) declare failure: string | null;
  /** Times that a worker took it up; one that keeps killing its worker is given up. */
  @Column({ type: DataType.INTEGER, allowNull: false, defaultValue: 0 }) declare attempts: number;
  /** Last sign of life of the worker that holds it. */
  @Column({ type: DataType.DATE, allowNull: true }) declare heartbeatAt: Date | null;
  @Column({ type: DataType.DATE, allowNull: true }) declare startedAt: Date | null;
  @Column({ type: DataType.DATE, allowNull: true }) declare finishedAt: Date | null;
  declare createdAt: Date;
  declare updatedAt: Date;
}

@Table({ tableName: "artifacts", underscored: true, updatedAt: false })
export class ArtifactModel extends Model {
  @PrimaryKey @Column({ type: DataType.TEXT }) declare key: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare stage: string;
  /** MessagePack, Brotli-compressed. */
  @Column({ type: DataType.BLOB, allowNull: false }) declare bytes: Buffer;
  declare createdAt: Date;
}
