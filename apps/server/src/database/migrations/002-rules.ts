import { DataTypes, type QueryInterface } from 'sequelize';

/** What people say about patterns: corrections of the grouping, and marks. */
export const migration = {
  name: '002-rules',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    for (const table of ['corrections', 'marks']) {
      await schema.createTable(table, {
        id: { type: DataTypes.INTEGER, allowNull: false, primaryKey: true, autoIncrement: true },
        dataset_id: { type: DataTypes.INTEGER, allowNull: false },
        rule: { type: DataTypes.JSON, allowNull: false },
        at: { type: DataTypes.DATE, allowNull: false },
        undone_at: { type: DataTypes.DATE, allowNull: true },
      });
      await schema.addIndex(table, ['dataset_id']);
    }
  },
};
