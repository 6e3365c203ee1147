import type { IntakeAnswer, LogsSearchAnswer, ProblemBody } from '@flail/contract';
import type { Sequelize } from 'sequelize-typescript';
import { DATABASE } from './store/record-store.js';
import { TestApp } from './testing/test-app.js';

const ALWAYS = { from: '1970-01-01T00:00:00Z', to: '2100-01-01T00:00:00Z' };
const lines = (day: number): string =>
  Array.from({ length: 20 }, (_, index) =>
    JSON.stringify({
      ts: new Date(Date.UTC(2026, 2, day) + index * 1000).toISOString(),
      msg: `day ${day} line ${index}`,
      n: index,
    }),
  ).join('\n');

describe('when the store fails', () => {
  let app: TestApp;
  let database: Sequelize;
  beforeEach(async () => {
    app = await TestApp.start();
    database = app.app.get<Sequelize>(DATABASE);
  });
  afterEach(() => app.end());

  const search = (
    window: object = ALWAYS,
  ): Promise<{ status: number; body: LogsSearchAnswer & ProblemBody }> =>
    app.post('/api/v1/logs/search', { window, limit: 1000 });

  it('nothing is acknowledged that is not stored, and intake goes on once it can', async () => {
    await app.take(lines(1));
    await database.query('ALTER TABLE column_blocks RENAME TO away');
    const failed = await app.take<ProblemBody>(lines(2), 'source=test', { 'idempotency-key': 'day-2' });
    expect(failed.status).toBe(503);
    expect(failed.body).toMatchObject({ code: 'not-stored' });
    expect(failed.body.detail).toContain('send them again');
    await database.query('ALTER TABLE away RENAME TO column_blocks');
    expect((await search()).body.matched).toBe(20);
    const again = await app.take<IntakeAnswer>(lines(2), 'source=test', { 'idempotency-key': 'day-2' });
    expect(again.body).toMatchObject({ accepted: 20, repeated: false });
    const found = await search();
    expect(found.body.records.map(({ text }) => text).sort()).toEqual(
      [1, 2].flatMap((day) => Array.from({ length: 20 }, (_, index) => `day ${day} line ${index}`)).sort(),
    );
  });

  it('a damaged column is named, and other times still answer', async () => {
    await app.take(lines(1));
    await app.take(lines(9));
    const [[row]] = (await database.query(
      "SELECT b.id FROM column_blocks b JOIN column_names c ON c.id = b.id / 2147483648 WHERE c.name = '@time' ORDER BY b.id LIMIT 1",
    )) as unknown as [{ id: number }[]];
    await database.query(`UPDATE column_blocks SET data = X'0001020304' WHERE id = ${row!.id}`);
    const broken = await search({ from: '2026-03-01T00:00:00Z', to: '2026-03-02T00:00:00Z' });
    // What is damaged is left out, and that is said.
    expect(broken.status).toBe(200);
    expect(broken.body).toMatchObject({ matched: 0, missing: { segments: 1, records: 20 } });
    expect(broken.body.missing!.reason).toContain('@time');
    const sound = await search({ from: '2026-03-09T00:00:00Z', to: '2026-03-10T00:00:00Z' });
    expect(sound.body.matched).toBe(20);
  });

  const damage = async (column: string): Promise<void> => {
    await database.query(
      `UPDATE column_blocks SET data = X'0001020304' WHERE id = (SELECT b.id FROM column_blocks b
       JOIN column_names c ON c.id = b.id / 2147483648 WHERE c.name = '${column}' ORDER BY b.id LIMIT 1)`,
    );
  };

  it.each([
    '@time',
    '@seq',
    '@level',
    '@layout',
    '@shape',
    '@context',
    '@service',
    '@minutes',
    's:0',
    'f:n',
    '@trigrams',
    '@identifiers',
  ])(
    'a damaged %s leaves the records of its segment out, wherever they are asked for, and says so',
    async (column) => {
      await app.take(lines(1));
      await app.take(lines(9));
      await damage(column);
      const found = await search();
      expect(found.status).toBe(200);
      // What a question does not need may be damaged.
      if (found.body.missing) {
        expect(found.body).toMatchObject({ matched: 20, missing: { segments: 1, records: 20 } });
        expect(found.body.missing.reason).toContain(column);
      } else expect(found.body.matched).toBe(40);
      expect(found.body.records).toHaveLength(found.body.matched);
      for (const [path, body] of [
        ['logs/search', { scope: 'n >= 3', limit: 100 }],
        ['logs/search', { scope: '"line 3"', limit: 100 }],
        ['logs/summary', { expression: 'then count by level' }],
        ['logs/summary', { expression: 'then count, avg(n) by pattern' }],
        ['logs/fields', { baseline: { from: '1970-01-01T00:00:00Z', to: '1971-01-01T00:00:00Z' } }],
        ['patterns/search', { baseline: { from: '1970-01-01T00:00:00Z', to: '1971-01-01T00:00:00Z' } }],
      ] as const) {
        const answer = await app.post<ProblemBody>(`/api/v1/${path}`, { window: ALWAYS, ...body });
        expect([path, answer.status, answer.body.detail]).toEqual([path, 200, undefined]);
      }
      for (const format of ['text', 'jsonl', 'csv', 'otlp']) {
        const response = await fetch(`${app.url}/api/v1/export`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ what: 'lines', window: ALWAYS, format }),
        });
        const text = await response.text();
        expect(response.status).toBe(200);
        expect(text).toContain('day 9 line 19');
        expect(text.includes('INCOMPLETE: 20 records are missing')).toBe(!text.includes('day 1 line 19'));
      }
    },
  );

  it('health says so when the database does not answer', async () => {
    await database.query('ALTER TABLE sources RENAME TO away');
    expect(await app.get<ProblemBody>('/api/v1/health')).toMatchObject({
      status: 503,
      body: { code: 'not-ready' },
    });
  });
});

describe('the surroundings', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  it('carry security headers, with scripts from here only', async () => {
    const { headers } = await fetch(`${app.url}/api/v1/health`);
    expect(headers.get('content-security-policy')).toContain("script-src 'self';");
    expect(headers.get('content-security-policy')).not.toContain('upgrade-insecure-requests');
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('x-powered-by')).toBeNull();
  });

  it('refuse a question that is too large', async () => {
    const { status, body } = await app.post<ProblemBody>('/api/v1/logs/search', {
      window: ALWAYS,
      scope: 'x'.repeat(2_000_000),
    });
    expect([status, body.code]).toEqual([413, 'too-large']);
  });

  it('go on after a restart with all that was stored', async () => {
    const first = await TestApp.start();
    await first.take(lines(1), 'source=a&attr.host=nq-01');
    await first.app.close();
    const second = await TestApp.start(first.data);
    try {
      await second.take(lines(2), 'source=a&attr.host=nq-01');
      const { body } = await second.post<LogsSearchAnswer>('/api/v1/logs/search', {
        window: ALWAYS,
        scope: 'host = nq-01',
        limit: 1000,
      });
      expect(body.matched).toBe(40);
      expect(new Set(body.records.map(({ id }) => id)).size).toBe(40);
      expect(new Set(body.records.map(({ pattern }) => pattern)).size).toBe(1);
    } finally {
      await second.end();
    }
  });
});
