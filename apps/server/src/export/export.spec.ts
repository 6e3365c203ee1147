import type { LogsSearchAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const window = { from: new Date(START).toISOString(), to: new Date(START + 3_600_000).toISOString() };
const line = (second: number, text: string, more: object = {}): string =>
  JSON.stringify({ ts: new Date(START + second * 1000).toISOString(), level: 'warn', msg: text, ...more });

describe('export of lines', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    // Several segments whose times overlap.
    for (let part = 0; part < 5; part++)
      await app.take(
        Array.from({ length: 300 }, (_, index) => line(index * 5 + part, `beat ${index * 5 + part}`)).join(
          '\n',
        ),
        `source=part-${part}&attr.service=heart&attr.host=nq-0${part}`,
      );
    await app.take(
      [
        line(1, '=1+1', { cell: '@now', number: '-5', trace: 'ab'.repeat(16) }),
        line(2, 'a "quoted", text\nof two lines', { cell: 'plain' }),
      ].join('\n'),
      'source=odd&attr.service=odd',
    );
  });
  afterAll(() => app.end());

  const file = async (
    body: object,
  ): Promise<{ status: number; type: string; name: string; text: string }> => {
    const response = await fetch(`${app.url}/api/v1/export`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ what: 'lines', window, ...body }),
    });
    return {
      status: response.status,
      type: response.headers.get('content-type') ?? '',
      name: response.headers.get('content-disposition') ?? '',
      text: await response.text(),
    };
  };

  it('gives the lines as they were received, in the order of time over all segments', async () => {
    const { text, type, name } = await file({ format: 'text', scope: 'service = heart' });
    expect(type).toContain('text/plain');
    expect(name).toContain('lines.log');
    const found: LogsSearchAnswer['records'] = [];
    for (let cursor: string | undefined, more = true; more; more = cursor !== undefined) {
      const { body } = await app.post<LogsSearchAnswer>('/api/v1/logs/search', {
        window,
        scope: 'service = heart',
        order: 'oldest',
        limit: 1000,
        ...(cursor !== undefined && { cursor }),
      });
      found.push(...body.records);
      cursor = body.cursor;
    }
    expect(text.trimEnd().split('\n')).toEqual(found.map((record) => record.line));
    expect(found).toHaveLength(1500);
  });

  it('gives JSON lines with all fields, and only of the window', async () => {
    const short = { from: window.from, to: new Date(START + 10_000).toISOString() };
    const { text } = await file({ format: 'jsonl', scope: 'service = heart', window: short });
    const all = text
      .trimEnd()
      .split('\n')
      .map((one) => JSON.parse(one) as Record<string, string>);
    expect(all.map((one) => one.text)).toEqual(Array.from({ length: 10 }, (_, index) => `beat ${index}`));
    expect(all[3]).toEqual({
      time: '2026-03-02T18:00:03.000000Z',
      level: 'warn',
      service: 'heart',
      source: 'part-3',
      host: 'nq-03',
      text: 'beat 3',
    });
  });

  it('gives tables that no program takes for formulas', async () => {
    const { text, type } = await file({
      format: 'csv',
      scope: 'service = odd',
      columns: ['text', 'cell', 'number', 'nothing'],
    });
    expect(type).toContain('text/csv');
    expect(text).toBe(
      'text,cell,number,nothing\r\n' +
        "'=1+1,'@now,-5,\r\n" +
        '"a ""quoted"", text\nof two lines",plain,,\r\n',
    );
  });

  it('gives OTLP that can be sent in again', async () => {
    const { text } = await file({ format: 'otlp', scope: 'service = odd' });
    for (const request of text.trimEnd().split('\n'))
      expect((await app.post('/v1/logs?dataset=live', request)).status).toBe(200);
    const { body } = await app.post<LogsSearchAnswer>('/api/v1/logs/search', {
      window,
      scope: `trace = ${'ab'.repeat(16)}`,
    });
    expect(body.records).toHaveLength(2);
    expect(body.records[0]).toMatchObject({ text: '=1+1', level: 'warn', service: 'odd' });
    expect(body.records[0]!.fields.cell).toBe('@now');
  });

  it('turns away what it does not know', async () => {
    expect((await file({ format: 'runes' })).status).toBe(400);
    expect((await file({ format: 'text', scope: 'level >' })).status).toBe(400);
    expect((await file({ format: 'csv', columns: [] })).status).toBe(400);
  });

  it('of nothing is empty', async () => {
    expect((await file({ format: 'text', scope: '"nowhere to be found"' })).text).toBe('');
  });
});
