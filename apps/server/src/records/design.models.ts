import type { FileKind } from "@gate-clock/contract";
import { Column, DataType, Model, PrimaryKey, Table } from "sequelize-typescript";

@Table({ tableName: "designs", underscored: true })
export class DesignModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare name: string;
  @Column({ type: DataType.TEXT, allowNull: false, defaultValue: "" }) declare description: string;
  @Column({ type: DataType.TEXT, allowNull: true }) declare top: string | null;
  declare createdAt: Date;
  declare updatedAt: Date;
}

@Table({ tableName: "design_files", underscored: true })
export class DesignFileModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare designId: string;
  /** Of pin and timing files: the target that they are for. Sources are for all. */
  @Column({ type: DataType.UUID, allowNull: true }) declare targetId: string | null;
  @Column({ type: DataType.TEXT, allowNull: false }) declare path: string;
  @Column({ type: DataType.TEXT, allowNull: false }) declare kind: FileKind;
  /** Order within the design: compilation goes by it. */
  @Column({ type: DataType.INTEGER, allowNull: false }) declare position: number;
  @Column({ type: DataType.TEXT, allowNull: false }) declare text: string;
  /** SHA-256 of the text, by which it is compared. */
  @Column({ type: DataType.TEXT, allowNull: false }) declare hash: string;
  /** Of rules: whether the target uses them. */
  @Column({ type: DataType.BOOLEAN, allowNull: false, defaultValue: true }) declare inUse: boolean;
  /** The same for all that hold one text; null for a file by itself. */
  @Column({ type: DataType.UUID, allowNull: true }) declare sharedId: string | null;
  /** Counts saves from 1. */
  @Column({ type: DataType.INTEGER, allowNull: false }) declare version: number;
  declare createdAt: Date;
  declare updatedAt: Date;
}

@Table({ tableName: "file_versions", underscored: true, updatedAt: false })
export class FileVersionModel extends Model {
  @PrimaryKey @Column({ type: DataType.UUID, defaultValue: DataType.UUIDV4 }) declare id: string;
  @Column({ type: DataType.UUID, allowNull: false }) declare fileId: string;
  @Column({ type: DataType.INTEGER, allowNull: false }) declare version: number;
  @Column({ type: DataType.TEXT, allowNull: false }) declare text: string;
  declare createdAt: Date;
}
