import type { IntakeAnswer, LogsSearchAnswer, ProblemBody, SourceSummary } from '@flail/contract';
import { gzipSync } from 'node:zlib';
import { TestApp } from '../testing/test-app.js';

const ALWAYS = { from: '1970-01-01T00:00:00Z', to: '2100-01-01T00:00:00Z' };
const line = (index: number, text = 'lease granted'): string =>
  JSON.stringify({
    ts: new Date(Date.UTC(2026, 2, 2, 18) + index * 1000).toISOString(),
    level: 'info',
    service: 'a',
    msg: `${text} ${index}`,
  });
const lines = (count: number, text?: string): string =>
  Array.from({ length: count }, (_, index) => line(index, text)).join('\n');

describe('intake of logs', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  const matching = async (scope: string): Promise<LogsSearchAnswer> =>
    (await app.post<LogsSearchAnswer>('/api/v1/logs/search', { window: ALWAYS, scope, limit: 1000 })).body;

  it('lets no source that floods starve the others', async () => {
    let flooding = true;
    let begun = 0;
    // One sends without end, the others hold their places; all end once the calm source is answered.
    const flood = async function* (endless: boolean): AsyncGenerator<Uint8Array> {
      const chunk = Buffer.from(`${lines(2000, 'flood')}\n`);
      yield chunk;
      begun++;
      while (flooding) {
        if (endless) yield chunk;
        await new Promise((resolve) => setTimeout(resolve, 5));
      }
    };
    const floods = Array.from({ length: 32 }, (_, place) =>
      fetch(`${app.url}/api/v1/intake/logs?source=flood`, {
        method: 'POST',
        headers: { 'content-type': 'text/plain' },
        body: flood(place === 0),
        duplex: 'half',
      } as unknown as RequestInit),
    );
    while (begun < 32) await new Promise((resolve) => setTimeout(resolve, 5));
    expect((await app.take(lines(1), 'source=flood')).status).toBe(429);
    for (let batch = 0; batch < 10; batch++) {
      const { status, body } = await app.take<IntakeAnswer>(lines(5, `calm ${batch}`), 'source=calm');
      expect([status, body.accepted]).toEqual([200, 5]);
    }
    flooding = false;
    for (const answer of await Promise.all(floods)) expect(answer.status).toBe(200);
    expect((await matching('source = calm')).matched).toBe(50);
  });

  it('answers once all is stored, and all is found', async () => {
    const { status, body } = await app.take<IntakeAnswer>(lines(50), 'source=first&attr.host=nq-01');
    expect(status).toBe(200);
    expect(body).toMatchObject({ accepted: 50, malformed: 0, format: 'json', repeated: false, problems: [] });
    expect(body.window).toEqual({ from: '2026-03-02T18:00:00.000000Z', to: '2026-03-02T18:00:49.000001Z' });
    const found = await matching('source = first and host = nq-01');
    expect(found.matched).toBe(50);
    expect(
      found.records
        .map((record) => record.line)
        .reverse()
        .join('\n'),
    ).toBe(lines(50));
  });

  it('takes gzip, whatever the header says', async () => {
    const packed = gzipSync(lines(20));
    const kinds: Record<string, string>[] = [
      { 'content-type': 'application/gzip' },
      { 'content-encoding': 'gzip' },
      {},
    ];
    for (const headers of kinds) {
      const { body } = await app.take<IntakeAnswer>(packed, 'source=packed', headers);
      expect(body.accepted).toBe(20);
    }
    expect((await matching('source = packed')).matched).toBe(60);
  });

  it('keeps what comes before a cut in gzip, and says so', async () => {
    const packed = gzipSync(
      Array.from({ length: 20_000 }, (_, index) => line(index, Math.random().toString(36))).join('\n'),
    );
    const { status, body } = await app.take<IntakeAnswer>(
      packed.subarray(0, packed.length / 2),
      'source=cut',
    );
    expect(status).toBe(200);
    expect(body.problems[0]).toMatchObject({ code: 'gzip-cut-off' });
    expect(body.accepted).toBeGreaterThan(1000);
    expect((await matching('source = cut')).matched).toBe(body.accepted);
  });

  it('stores a batch once that is sent twice with one key, one after the other or at the same time', async () => {
    const send = (): Promise<{ status: number; body: IntakeAnswer }> =>
      app.take(lines(30), 'source=once', { 'idempotency-key': 'k1' });
    const both = await Promise.all([send(), send()]);
    const third = await send();
    expect(both.map(({ body }) => body.repeated).sort()).toEqual([false, true]);
    expect(third.body).toMatchObject({ accepted: 30, repeated: true });
    expect((await matching('source = once')).matched).toBe(30);
  });

  it('stores what comes at the same time from many senders', async () => {
    const answers = await Promise.all(
      Array.from({ length: 20 }, (_, index) => app.take<IntakeAnswer>(lines(100), `source=many-${index}`)),
    );
    expect(answers.every(({ body }) => body.accepted === 100)).toBe(true);
    expect((await matching('source = "many-*"')).matched).toBe(2000);
  });

  it.each([
    ['an empty body', '', {}, 200, 'empty'],
    ['a picture', Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]), {}, 415, 'binary'],
    ['bytes that are no text', Buffer.alloc(2000), {}, 415, 'binary'],
    ['a content type that is no log', lines(1), { 'content-type': 'image/png' }, 415, 'content-type'],
    ['a form', lines(1), { 'content-type': 'multipart/form-data; boundary=x' }, 415, 'content-type'],
    ['an unknown encoding', lines(1), { 'content-encoding': 'br' }, 415, 'content-encoding'],
    [
      'damaged gzip',
      Buffer.concat([gzipSync('x').subarray(0, 10), Buffer.from('garbage')]),
      {},
      400,
      'gzip-damaged',
    ],
    ['a key that is too long', lines(1), { 'idempotency-key': 'k'.repeat(201) }, 400, 'idempotency-key'],
  ])('answers %s clearly', async (_, body, headers, status, code) => {
    const answer = await app.take<ProblemBody & IntakeAnswer>(body, 'source=bad', headers);
    expect(answer.status).toBe(status);
    expect(status === 200 ? answer.body.problems[0]!.code : answer.body.code).toBe(code);
    expect((await matching('source = bad')).matched).toBe(0);
  });

  it.each([
    ['format=xml', 'format must be one of'],
    ['nonsense=1', 'property nonsense should not exist'],
    ['dataset=nowhere', 'There is no data set "nowhere"'],
  ])('refuses the parameter %s', async (query, message) => {
    const { status, body } = await app.take<ProblemBody>(lines(1), query);
    expect(status).toBeGreaterThanOrEqual(400);
    expect(body.detail).toContain(message);
  });

  it('takes no end of line for an end of file, and one line of a megabyte', async () => {
    const long = `{"msg":"${'word '.repeat(210_000)}"}`;
    const { body } = await app.take<IntakeAnswer>(`${line(1)}\n${long}`, 'source=long');
    expect(body).toMatchObject({ accepted: 2, malformed: 0 });
    const found = await matching('source = long');
    expect(found.records.some((record) => record.line === long)).toBe(true);
  });

  it('tells what each source has sent', async () => {
    await app.take('{"msg":"a"}\nstray\n{"msg":"b"}', 'source=told');
    const { body } = await app.get<SourceSummary[]>('/api/v1/sources');
    expect(body.find(({ name }) => name === 'told')).toMatchObject({
      format: 'json',
      records: 3,
      malformed: 1,
      bytes: 29,
    });
  });

  it('refuses what other sites send', async () => {
    const { status, body } = await app.take<ProblemBody>(lines(1), 'source=bad', {
      'sec-fetch-site': 'cross-site',
    });
    expect([status, body.code]).toEqual([403, 'cross-site']);
  });
});
