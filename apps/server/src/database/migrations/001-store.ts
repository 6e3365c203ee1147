import { DataTypes, type QueryInterface } from 'sequelize';

const id = { type: DataTypes.INTEGER, allowNull: false, primaryKey: true } as const;
const text = { type: DataTypes.TEXT, allowNull: false } as const;
const whole = { type: DataTypes.INTEGER, allowNull: false } as const;
const number = { type: DataTypes.DOUBLE, allowNull: false } as const;
const json = { type: DataTypes.JSON, allowNull: false } as const;

/** The record store: data sets, what their segments refer to, the segments and their columns. */
export const migration = {
  name: '001-store',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    await schema.createTable('datasets', {
      id: { ...id, autoIncrement: true },
      key: { ...text, unique: true },
      name: text,
    });
    await schema.createTable('contexts', { dataset_id: id, id, source: text, declared: json });
    await schema.createTable('shapes', { dataset_id: id, id, body: json });
    await schema.createTable('layouts', { dataset_id: id, id, literals: json, types: text });
    await schema.createTable('segments', {
      id: { ...id, autoIncrement: true },
      dataset_id: whole,
      from_micros: number,
      to_micros: number,
      count: whole,
      last_seq: number,
      summary: json,
    });
    await schema.addIndex('segments', ['dataset_id', 'from_micros']);
    await schema.createTable('column_names', { id, name: { ...text, unique: true } });
    await schema.createTable('column_blocks', { id, data: { type: DataTypes.BLOB, allowNull: false } });
    await schema.createTable('intake_batches', {
      dataset_id: id,
      key: { ...text, primaryKey: true },
      stored: whole,
      answer: { type: DataTypes.JSON, allowNull: true },
      at: { type: DataTypes.DATE, allowNull: false },
    });
    await schema.createTable('sources', {
      dataset_id: id,
      name: { ...text, primaryKey: true },
      format: text,
      records: whole,
      malformed: whole,
      bytes: whole,
      last_seen: { type: DataTypes.DATE, allowNull: false },
    });
    await schema.bulkInsert('datasets', [{ key: 'live', name: 'Live' }]);
  },
};
