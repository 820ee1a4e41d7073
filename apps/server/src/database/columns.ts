import { DataTypes } from "sequelize";

/** Kinds of columns that tables are made of. */
export const id = { type: DataTypes.UUID, primaryKey: true };
export const text = { type: DataTypes.TEXT, allowNull: false };
export const optionalText = { type: DataTypes.TEXT, allowNull: true };
export const whole = { type: DataTypes.INTEGER, allowNull: false };
export const time = { type: DataTypes.DATE, allowNull: false };
export const optionalTime = { type: DataTypes.DATE, allowNull: true };
export const json = { type: DataTypes.JSONB, allowNull: false };
export const within = (table: string) => ({
  type: DataTypes.UUID,
  allowNull: false,
  references: { model: table, key: "id" },
  onDelete: "CASCADE",
});
export const optionalJson = { type: DataTypes.JSONB, allowNull: true };
