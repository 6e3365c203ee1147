import { DataTypes, type QueryInterface } from 'sequelize';

/** Beside filters, pairs of cohorts are kept. */
export const migration = {
  name: '010-kept-cohorts',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.addColumn('saved_expressions', 'kind', {
      type: DataTypes.TEXT,
      allowNull: false,
      defaultValue: 'expression',
    });
  },
};
