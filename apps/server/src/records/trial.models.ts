import type { TrialFigures, TrialStatus } from "@gate-clock/contract";
import type { Finding, StageRecord } from "@gate-clock/core";
import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";
import type { HashedInput } from "../texts/texts.service.ts";

@Table({ tableName: "trials", underscored: true })
export class TrialModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  @Column({ type: DataType.UUID, allowNull: true }) declare targetId: string | null;
  @Column({ type: DataType.INTEGER, allowNull: false }) declare number: number;
  @Column({ type: DataType.TEXT, allowNull: false }) declare status: TrialStatus;
  /** Everything that the trial runs on, as it was when it was asked for. */
  @Column({ type: DataType.JSONB, allowNull: false }) declare inputs: HashedInput;
  @Column({ type: DataType.JSONB, allowNull: false }) declare stages: StageRecord[];
  @Column({ type: DataType.JSONB, allowNull: false }) declare findings: Finding[];
  @Column({ type: DataType.JSONB, allowNull: false }) declare figures: TrialFigures;
  @Column({ type: DataType.TEXT, allowNull: true }) declare failure: string | null;
  @Column({ type: DataType.DATE, allowNull: true }) declare startedAt: Date | null;
  @Column({ type: DataType.DATE, allowNull: true }) declare finishedAt: Date | null;
  declare createdAt: Date;
  declare updatedAt: Date;
}
