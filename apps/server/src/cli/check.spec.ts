import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Sequelize } from 'sequelize';
import { configOf } from '../config/config.js';
import { databaseFile } from '../database/database-file.js';
import { TestApp } from '../testing/test-app.js';
import { loadInto } from './bulk.js';
import { check, checkText } from './check.js';

const options = { format: 'auto', dataset: 'live' } as const;

describe('a data folder without a server', () => {
  let folder: string;
  let file: string;
  const config = (): ReturnType<typeof configOf> => configOf({ FLAIL_DATA: folder });
  const change = async (sql: string): Promise<void> => {
    const database = new Sequelize({ dialect: 'sqlite', storage: databaseFile(folder), logging: false });
    await database.query(sql);
    await database.close();
  };

  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'flail-check-'));
    file = join(folder, 'in.jsonl');
    const line = (index: number): string =>
      JSON.stringify({
        ts: new Date(Date.UTC(2026, 2, 2) + index).toISOString(),
        msg: `line ${index} "quoted"`,
        n: index,
      });
    // More than one block, so that several workers read it.
    writeFileSync(file, Array.from({ length: 40_000 }, (_, index) => line(index)).join('\n'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  it('takes files in, once, and a server finds them there', async () => {
    expect(await loadInto(config(), [file], options)).toBe(true);
    expect(await loadInto(config(), [file], options)).toBe(true);
    expect(await loadInto(config(), [join(folder, 'none')], options)).toBe(false);
    const app = await TestApp.start(folder);
    try {
      const { body } = await app.post<{ matched: number; records: { text: string }[] }>(
        '/api/v1/logs/search',
        {
          window: { from: '2026-03-02T00:00:00Z', to: '2026-03-03T00:00:00Z' },
          limit: 2,
        },
      );
      expect(body.matched).toBe(40_000);
      expect(body.records.map(({ text }) => text)).toEqual(['line 39999 "quoted"', 'line 39998 "quoted"']);
    } finally {
      await app.app.close();
    }
  });

  it('is found sound, or said to be damaged', async () => {
    await loadInto(config(), [file], options);
    const sound = await check(config());
    expect(sound).toMatchObject({ records: 40_000, problems: [], old: 0 });
    expect(checkText(sound)).toContain('Nothing is wrong.');
    await change(
      "UPDATE column_blocks SET data = X'0001' WHERE id = (SELECT b.id FROM column_blocks b JOIN column_names c ON c.id = b.id / 2147483648 WHERE c.name = 'f:n' LIMIT 1)",
    );
    const damaged = await check(config());
    expect(damaged.problems).toHaveLength(1);
    expect(damaged.problems[0]).toContain('f:n');
    expect(checkText(damaged)).toContain('1 segments are damaged');
  });

  it('is doubted where its lines are not as long as those that came, or not as many as were counted', async () => {
    await loadInto(config(), [file], options);
    await change("UPDATE segments SET summary = json_set(summary, '$.rawBytes', 12345)");
    const doubted = await check(config());
    expect(doubted.problems).toEqual([]);
    expect(doubted.doubtful.length).toBeGreaterThan(0);
    expect(doubted.doubtful[0]).toContain('12345 came');
    expect(checkText(doubted)).toContain('may hold other lines than those that came');
    await change("UPDATE segments SET summary = json_set(summary, '$.layoutCounts[0]', 1)");
    expect((await check(config())).problems[0]).toContain('not as many as were counted');
  });

  it('of an earlier version is written anew when that is asked for', async () => {
    await loadInto(config(), [file], options);
    // What version 1 did not have.
    await change(
      "UPDATE segments SET summary = json_remove(json_set(summary, '$.version', 1), '$.cells', '$.layoutLastRow', '$.columns.\"@minutes\"', '$.columns.\"@trigrams\"')",
    );
    const before = await check(config());
    expect(before).toMatchObject({ records: 40_000, problems: [], upgraded: 0 });
    expect(before.old).toBeGreaterThan(0);
    expect((await check(config(), true)).upgraded).toBe(before.old);
    expect(await check(config())).toMatchObject({ records: 40_000, problems: [], old: 0 });
  });
});
