import { DataTypes, type QueryInterface } from 'sequelize';

const { DOUBLE, INTEGER, TEXT } = DataTypes;
const given = <T>(type: T): { type: T; allowNull: false } => ({ type, allowNull: false });

/** What is promised of requests. */
export const migration = {
  name: '008-objectives',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.createTable('objectives', {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      dataset_id: given(INTEGER),
      name: given(TEXT),
      service: { type: TEXT, allowNull: true },
      operation: { type: TEXT, allowNull: true },
      target: given(DOUBLE),
      days: given(DOUBLE),
    });
    await schema.addIndex('objectives', ['dataset_id']);
  },
};
