import type { DesignReading } from "@gate-clock/core";
import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";

/** What the design of a target means, as it was last read. */
@Table({ tableName: "readings", underscored: true, timestamps: false })
export class ReadingModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID }) declare targetId: string;
  /** Of the inputs that were read: see `inputKey`. */
  @Column({ type: DataType.TEXT, allowNull: false }) declare inputKey: string;
  @Column({ type: DataType.JSONB, allowNull: false }) declare reading: DesignReading;
  @Column({ type: DataType.DATE, allowNull: false, defaultValue: DataType.NOW }) declare createdAt: Date;
}
