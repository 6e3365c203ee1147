import { DataTypes, type QueryInterface } from 'sequelize';

const { BOOLEAN, JSON: JSON_TEXT, TEXT } = DataTypes;

/** Data sets of kept bundles, and the columns of sources. */
export const migration = {
  name: '006-bundles',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.addColumn('datasets', 'ready', { type: BOOLEAN, allowNull: false, defaultValue: true });
    await schema.addColumn('datasets', 'view', { type: TEXT, allowNull: false, defaultValue: '' });
    await schema.addColumn('datasets', 'replay', { type: JSON_TEXT, allowNull: true });
    await schema.addColumn('sources', 'columns', { type: JSON_TEXT, allowNull: true });
  },
};
