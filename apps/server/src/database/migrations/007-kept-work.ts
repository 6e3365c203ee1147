import { DataTypes, type QueryInterface } from 'sequelize';

const { BOOLEAN, DATE, INTEGER, JSON: JSON_TEXT, TEXT } = DataTypes;
const id = { type: INTEGER, primaryKey: true, autoIncrement: true };
const given = <T>(type: T): { type: T; allowNull: false } => ({ type, allowNull: false });

/** Expressions that people keep, and cases with what is pinned in them. */
export const migration = {
  name: '007-kept-work',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.createTable('saved_expressions', {
      id,
      name: given(TEXT),
      expression: given(TEXT),
      owner: given(TEXT),
      shared: given(BOOLEAN),
      at: given(DATE),
    });
    await schema.createTable('cases', { id, name: given(TEXT), at: given(DATE) });
    await schema.createTable('pins', {
      id,
      case_id: given(INTEGER),
      kind: given(TEXT),
      title: given(TEXT),
      address: given(TEXT),
      note: given(TEXT),
      // What was seen when it was pinned, so that it outlives the records.
      seen: { type: JSON_TEXT, allowNull: true },
      at: given(DATE),
    });
    await schema.addIndex('pins', ['case_id']);
  },
};
