import { DataTypes, type QueryInterface } from 'sequelize';

const { BLOB, DOUBLE, INTEGER, JSON: JSON_TEXT, TEXT } = DataTypes;
const id = { type: INTEGER, primaryKey: true, autoIncrement: true };
const given = <T>(type: T): { type: T; allowNull: false } => ({ type, allowNull: false });

/** Spans beside logs, series, changes and runs. */
export const migration = {
  name: '005-signals',
  async up({ context: schema }: { context: QueryInterface }): Promise<void> {
    // Spans are records of a data set of their own, which belongs to that of the logs.
    await schema.addColumn('datasets', 'signal', { type: TEXT, allowNull: false, defaultValue: 'logs' });

    // What the inventory tells of a source: the time that its records cover, and how far its clock is ahead.
    await schema.addColumn('sources', 'from_micros', { type: DOUBLE, allowNull: true });
    await schema.addColumn('sources', 'to_micros', { type: DOUBLE, allowNull: true });
    await schema.addColumn('sources', 'ahead', { type: DOUBLE, allowNull: true });
    await schema.addColumn('sources', 'problems', { type: JSON_TEXT, allowNull: true });
    // The format that a person says it has.
    await schema.addColumn('sources', 'given_format', { type: TEXT, allowNull: true });

    await schema.createTable('series', {
      id,
      dataset_id: given(INTEGER),
      metric: given(TEXT),
      unit: given(TEXT),
      kind: given(TEXT),
      total: given(INTEGER),
      labels: given(JSON_TEXT),
    });
    await schema.addIndex('series', ['dataset_id', 'metric']);
    await schema.createTable('series_tail', { id, dataset_id: given(INTEGER), data: given(BLOB) });
    await schema.createTable('series_chunks', {
      id,
      series_id: given(INTEGER),
      from_micros: given(DOUBLE),
      to_micros: given(DOUBLE),
      count: given(INTEGER),
      crc: given(INTEGER),
      data: given(BLOB),
    });
    await schema.addIndex('series_chunks', ['series_id', 'from_micros']);
    await schema.createTable('series_exemplars', {
      id,
      series_id: given(INTEGER),
      at_micros: given(DOUBLE),
      value: given(DOUBLE),
      trace: { type: TEXT, allowNull: true },
      span: { type: TEXT, allowNull: true },
    });
    await schema.addIndex('series_exemplars', ['series_id', 'at_micros']);

    await schema.createTable('changes', {
      id,
      dataset_id: given(INTEGER),
      source: given(TEXT),
      event_id: given(TEXT),
      at_micros: given(DOUBLE),
      kind: given(TEXT),
      title: given(TEXT),
      entity: given(JSON_TEXT),
      body: given(JSON_TEXT),
    });
    // An event is told by its source and id, so that one sent twice is stored once.
    await schema.addIndex('changes', ['dataset_id', 'source', 'event_id'], { unique: true });
    await schema.addIndex('changes', ['dataset_id', 'at_micros']);

    await schema.createTable('runs', {
      id,
      dataset_id: given(INTEGER),
      run_id: given(TEXT),
      namespace: given(TEXT),
      job: given(TEXT),
      state: given(TEXT),
      from_micros: given(DOUBLE),
      to_micros: { type: DOUBLE, allowNull: true },
      run: given(JSON_TEXT),
      events: given(JSON_TEXT),
    });
    await schema.addIndex('runs', ['dataset_id', 'run_id'], { unique: true });
    await schema.addIndex('runs', ['dataset_id', 'from_micros']);
  },
};
