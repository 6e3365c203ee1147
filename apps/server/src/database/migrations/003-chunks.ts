import { DataTypes, type QueryInterface } from 'sequelize';

/** How much of each chunk of a batch is stored; before, a batch was one piece. */
export const migration = {
  name: '003-chunks',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.addColumn('intake_batches', 'chunks', { type: DataTypes.JSON, allowNull: true });
    await schema.sequelize.query(
      "UPDATE intake_batches SET chunks = '[[0,' || stored || ']]' WHERE answer IS NULL AND stored > 0",
    );
  },
};
