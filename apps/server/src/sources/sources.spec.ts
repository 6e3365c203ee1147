import type {
  FormatPreview,
  IntakeAnswer,
  LogsSearchAnswer,
  ProblemBody,
  SourceSummary,
} from '@flail/contract';
import { RecordStore } from '../store/record-store.js';
import { TestApp } from '../testing/test-app.js';
import { OPERATOR } from '../access/asker.js';
import { SourcesService } from './sources.service.js';

const now = Date.now();
const at = (secondsAgo: number): string => new Date(now - secondsAgo * 1000).toISOString();

describe('the inventory of sources', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    const beats = Array.from({ length: 60 }, (_, index) =>
      JSON.stringify({ ts: at(index * 10), level: index % 6 === 0 ? 'error' : 'info', msg: `beat ${index}` }),
    );
    await app.take([...beats, 'no object', 'nor this'].join('\n'), 'source=heart');
    await app.take(JSON.stringify({ ts: at(-120), msg: 'from the future' }), 'source=early');
    await app.take('time=12 odd words\nmore words\n', 'source=odd');
  });
  afterAll(() => app.end());

  const list = async (): Promise<SourceSummary[]> => (await app.get<SourceSummary[]>('/api/v1/sources')).body;
  const one = async (name: string): Promise<SourceSummary> =>
    (await list()).find((source) => source.name === name)!;

  it('tells who sends what, how often, at which levels, and since when', async () => {
    const heart = await one('heart');
    expect(heart).toMatchObject({
      signal: 'logs',
      format: 'json',
      corrected: false,
      records: 62,
      malformed: 2,
    });
    expect(heart.levels.error).toBe(10);
    expect(heart.levels.info).toBe(50);
    // Every ten seconds one, and the two that tell no time.
    expect(heart.rate).toBeGreaterThan(20 / 300);
    expect(heart.rate).toBeLessThan(34 / 300);
    expect(Date.parse(heart.window!.from)).toBeCloseTo(now - 590_000, -4);
  });

  it('shows what could not be read, with a sample', async () => {
    const heart = await one('heart');
    expect(heart.problems).toMatchObject([
      { count: 2, message: 'Not readable as json; kept as plain text.', sample: 'no object' },
      { count: 2, message: expect.stringContaining('No time found') as string },
    ]);
    expect(heart.warnings.join(' ')).toContain('3.2% of its lines are not of its format');
  });

  it('warns of a clock that is ahead, and of silence', async () => {
    // However long the test took to send it.
    const ahead = /clock is (\d+) s ahead/.exec((await one('early')).warnings.join(' '));
    expect(Number(ahead?.[1])).toBeGreaterThan(30);
    expect(Number(ahead?.[1])).toBeLessThanOrEqual(120);
    const later = (Date.now() + 3_600_000) * 1000;
    const dataset = app.app.get(RecordStore).dataset();
    const { sources: found } = await app.app.get(SourcesService).list(dataset, OPERATOR, later);
    expect(found.find(({ name }) => name === 'heart')!.warnings.join(' ')).toMatch(
      /Silent for 6\d min; its records are usually 10 s apart/,
    );
  });

  it('shows what lines would become in another format, and reads them so once that is said', async () => {
    const preview = await app.post<FormatPreview>('/api/v1/sources/odd/preview', { format: 'logfmt' });
    expect(preview.body).toMatchObject({ format: 'logfmt', read: 0 });
    const json = await app.post<FormatPreview>('/api/v1/sources/heart/preview', { format: 'json' });
    expect(json.body.lines).toHaveLength(20);
    expect(json.body.lines.find(({ text }) => text === 'beat 0')).toMatchObject({
      read: true,
      level: 'error',
    });
    const put = (format: string): Promise<Response> =>
      fetch(`${app.url}/api/v1/sources/odd/format`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ format }),
      });
    expect((await put('syslog')).status).toBe(200);
    expect(await one('odd')).toMatchObject({ format: 'syslog', corrected: true });
    // These lines look like JSON, but a person has said otherwise.
    const { body } = await app.take<IntakeAnswer>('{"msg":"x"}\n{"msg":"y"}', 'source=odd');
    expect(body).toMatchObject({ format: 'syslog', accepted: 2, malformed: 2 });
    expect((await put('auto')).status).toBe(200);
    expect(await one('odd')).toMatchObject({ corrected: false });
    expect((await put('runes')).status).toBe(400);
  });

  it('knows no source that never sent', async () => {
    const unknown = await app.post<ProblemBody>('/api/v1/sources/nobody/preview', { format: 'json' });
    expect([unknown.status, unknown.body.code]).toEqual([404, 'no-such-source']);
  });

  it('is for operators', async () => {
    const service = app.app.get(SourcesService);
    const dataset = app.app.get(RecordStore).dataset();
    const developer = { name: 'd', role: 'developer', services: ['heart'] } as const;
    await expect(service.list(dataset, developer)).rejects.toThrow('operators only');
    await expect(service.correct(dataset, developer, 'odd', 'json')).rejects.toThrow('operators only');
  });

  it('learns what lines open with, keeps it from batch to batch, and lets a person say where the text begins', async () => {
    const line = (at: number, text: string): string => `255:M 02 Mar 2026 18:00:0${at}.100 # ${text}\n`;
    const texts = ['gate opened', 'berth 7 free', 'crew ashore', 'tide turned'];
    await app.take(texts.map((text, at) => line(at, text)).join(''), 'source=harbour');
    const preview = async (heads?: string[][]): Promise<FormatPreview> =>
      (
        await app.post<FormatPreview>('/api/v1/sources/harbour/preview', {
          format: 'plain',
          ...(heads && { heads }),
        })
      ).body;
    const heads = [['process', 'time', 'mark']];
    expect((await preview()).heads).toEqual(heads);
    // One line alone would not tell.
    await app.take(line(5, 'mast checked'), 'source=harbour');
    expect((await preview()).lines[0]).toMatchObject({
      time: '2026-03-02T18:00:05.100000Z',
      level: 'warn',
      text: 'mast checked',
      fields: { 'process.id': '255:M' },
    });
    const shorter = [['process', 'time']];
    expect((await preview(shorter)).lines[0]!.text).toBe('# mast checked');
    const put = (wanted: unknown): Promise<Response> =>
      fetch(`${app.url}/api/v1/sources/harbour/format`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ format: 'plain', heads: wanted }),
      });
    expect((await put(shorter)).status).toBe(200);
    await app.take(line(6, 'rope torn'), 'source=harbour');
    expect((await preview()).heads).toEqual(shorter);
    expect((await preview()).lines[0]!.text).toBe('# rope torn');
    for (const wrong of [[['runes']], [['process']], ['time'], 'time'])
      expect((await put(wrong)).status).toBe(400);
  });

  it('reads CSV by columns that a person named, batch after batch', async () => {
    await app.take('gull;2026-03-02 18:00:00;landed\ntern;2026-03-02 18:00:01;left\n', 'source=birds');
    expect((await one('birds')).format).toBe('plain');
    const preview = async (columns?: object): Promise<FormatPreview> =>
      (
        await app.post<FormatPreview>('/api/v1/sources/birds/preview', {
          format: 'csv',
          ...(columns && { columns }),
        })
      ).body;
    const { columns, read } = await preview();
    expect(columns).toEqual({ delimiter: ';', names: ['column 1', 'column 2', 'column 3'] });
    expect(read).toBe(2);
    const named = { ...columns!, as: { 'column 1': 'bird', 'column 2': 'time', 'column 3': 'text' } };
    expect((await preview(named)).lines[0]).toMatchObject({ text: 'left', fields: { bird: 'tern' } });
    const saved = await fetch(`${app.url}/api/v1/sources/birds/format`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ format: 'csv', columns: named }),
    });
    expect(saved.status).toBe(200);
    const { body } = await app.take<IntakeAnswer>('auk;2026-03-02 18:00:02;dived\n', 'source=birds');
    expect(body).toMatchObject({ accepted: 1, malformed: 0, format: 'csv' });
    expect((await preview()).columns).toEqual(named);
    const refused = await app.post<ProblemBody>('/api/v1/sources/birds/preview', {
      format: 'csv',
      columns: { delimiter: '#', names: ['a'] },
    });
    expect(refused.status).toBe(400);
  });

  it('remembers the header of CSV, so that later batches need none', async () => {
    await app.take('time,bird\n2026-03-02T18:00:00Z,gull\n', 'source=followed');
    await app.take('2026-03-02T18:00:01Z,tern\n', 'source=followed');
    const { body } = await app.post<LogsSearchAnswer>('/api/v1/logs/search', {
      window: { from: '2026-03-02T18:00:01Z', to: '2026-03-02T18:00:02Z' },
      scope: 'source = followed',
    });
    expect(body.records).toMatchObject([{ time: '2026-03-02T18:00:01.000000Z', fields: { bird: 'tern' } }]);
  });
});
