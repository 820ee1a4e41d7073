import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";

@Table({ tableName: "artifacts", underscored: true, updatedAt: false })
export class ArtifactModel extends Model {
  @PrimaryKey @Column({ type: DataType.TEXT }) declare key: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare stage: string;
  /** MessagePack, Brotli-compressed. */
  @Column({ type: DataType.BLOB, allowNull: false }) declare bytes: Buffer;
  @Column({ type: DataType.DATE, allowNull: false, defaultValue: DataType.NOW }) declare usedAt: Date;
  declare createdAt: Date;
}
