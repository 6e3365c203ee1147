import { DataTypes, type QueryInterface } from 'sequelize';

/** What lines of sources open with. */
export const migration = {
  name: '011-heads',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.addColumn('sources', 'heads', { type: DataTypes.JSON, allowNull: true });
  },
};
