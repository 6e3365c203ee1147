import { DataTypes, type QueryInterface } from 'sequelize';

/** How long the records of a source are kept; without limit where nothing is given. */
export const migration = {
  name: '004-retention',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.addColumn('sources', 'max_age', { type: DataTypes.DOUBLE, allowNull: true });
    await schema.addColumn('sources', 'max_bytes', { type: DataTypes.DOUBLE, allowNull: true });
  },
};
