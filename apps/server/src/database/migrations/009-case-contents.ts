import { DataTypes, type QueryInterface } from 'sequelize';

/** What a case holds beside its pins. */
export const migration = {
  name: '009-case-contents',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.addColumn('cases', 'contents', { type: DataTypes.JSON, allowNull: true });
  },
};
