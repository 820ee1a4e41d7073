import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";

/** A part, with the rules, the recipe and the seed that a design is built with for it. */
@Table({ tableName: "targets", underscored: true })
export class TargetModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare name: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare part: string;
  @Column({ type: DataType.TEXT, allowNull: true }) declare board: string | null;
  @Column({ type: DataType.TEXT, allowNull: false, defaultValue: "even" }) declare recipe: string;
  @Column({ type: DataType.INTEGER, allowNull: false, defaultValue: 1 }) declare seed: number;
  /** Order in lists. */
  @Column({ type: DataType.INTEGER, allowNull: false, defaultValue: 0 }) declare position: number;
  declare createdAt: Date;
  declare updatedAt: Date;
}
