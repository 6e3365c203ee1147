import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Sequelize } from 'sequelize-typescript';
import { openDatabase } from './database.js';
import { insertRows } from './insert-rows.js';
import { SeriesChunkModel } from './models.js';

const NAMES = ['seriesId', 'fromMicros', 'toMicros', 'count', 'crc', 'data'] as const;

const rowOf = (at: number) => ({
  seriesId: at,
  fromMicros: at * 1e6 + 0.5,
  toMicros: at * 1e6 + 1,
  count: at % 7,
  crc: 4_000_000_000 + at,
  data: Buffer.from([at % 256, 0, 255, 36, 39]),
});

describe('rows stored together', () => {
  let folder: string;
  let database: Sequelize;

  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'flail-rows-'));
    database = await openDatabase(folder);
  });

  afterAll(async () => {
    await database.close();
    rmSync(folder, { recursive: true });
  });

  beforeEach(() => SeriesChunkModel.destroy({ truncate: true }));

  it('reads back what was stored, of more rows than one statement takes', async () => {
    const rows = Array.from({ length: 1001 }, (_, at) => rowOf(at));
    await database.transaction((transaction) => insertRows(SeriesChunkModel, rows, NAMES, transaction));
    const found = await SeriesChunkModel.findAll({ order: ['seriesId'] });
    expect(found).toHaveLength(1001);
    for (const at of [0, 332, 333, 1000]) {
      const { seriesId, fromMicros, toMicros, count, crc, data } = found[at]!;
      expect({ seriesId, fromMicros, toMicros, count, crc, data }).toEqual(rowOf(at));
    }
  });

  it('stores nothing where there is nothing, and nothing of what fails', async () => {
    await database.transaction((transaction) => insertRows(SeriesChunkModel, [], NAMES, transaction));
    const broken = [rowOf(1), { ...rowOf(2), seriesId: null as unknown as number }];
    await expect(
      database.transaction((transaction) => insertRows(SeriesChunkModel, broken, NAMES, transaction)),
    ).rejects.toThrow();
    expect(await SeriesChunkModel.count()).toBe(0);
  });
});
