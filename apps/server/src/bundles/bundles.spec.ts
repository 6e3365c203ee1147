import type {
  ChangesSearchAnswer,
  DatasetSummary,
  LogsSearchAnswer,
  MetricsQueryAnswer,
  OpenedBundle,
  PatternsSearchAnswer,
  ProblemBody,
  RunBody,
  RunsSearchAnswer,
  SourceSummary,
} from '@flail/contract';
import { QueryTypes, type Sequelize } from 'sequelize';
import { gzipSync } from 'node:zlib';
import { ZipFile } from 'yazl';
import { DATABASE } from '../store/record-store.js';
import { TestApp } from '../testing/test-app.js';

const START = Date.UTC(2026, 2, 2, 18);
const moment = (second: number): string => new Date(START + second * 1000).toISOString();
const nanos = (second: number): string => `${START + second * 1000}000000`;
const window = { from: moment(0), to: moment(600) };
const resource = { attributes: [{ key: 'service.name', value: { stringValue: 'gull' } }] };

const runEvent = (type: string, second: number): object => ({
  eventType: type,
  eventTime: moment(second),
  run: { runId: 'run-1', facets: {} },
  job: { namespace: 'quay', name: 'count-gulls' },
  producer: 'https://example.org',
});

async function zipOf(files: Record<string, string | Buffer>): Promise<Buffer> {
  const zip = new ZipFile();
  for (const [name, content] of Object.entries(files)) zip.addBuffer(Buffer.from(content), name);
  zip.end();
  const chunks: Buffer[] = [];
  for await (const chunk of zip.outputStream) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}

describe('bundles', () => {
  let app: TestApp;
  let opened: OpenedBundle;
  const DAMAGED = Buffer.concat([Buffer.from('2026-03-02T18:00:05Z WARN odd '), Buffer.from([0xff, 0xfe])]);

  beforeAll(async () => {
    app = await TestApp.start();
    const beats = Array.from({ length: 200 }, (_, second) =>
      JSON.stringify({
        ts: moment(second),
        level: second % 50 === 0 ? 'error' : 'info',
        msg: `beat ${second}`,
      }),
    );
    await app.take(beats.join('\n'), 'source=heart&attr.host=nq-01');
    await app.take(
      '2026-03-02T18:01:00Z ERROR it broke\n  at Gate.open(Gate.java:42)\n\n2026-03-02T18:01:01Z INFO mended\n',
      'source=trace',
    );
    await app.take(DAMAGED, 'source=damaged');
    await app.take('time,what,port\n2026-03-02T18:02:00Z,docked,ice\n', 'source=quay');
    await app.take('no time here\n', 'source=timeless');
    await app.post('/v1/traces', {
      resourceSpans: [
        {
          resource,
          scopeSpans: [
            {
              spans: [
                {
                  traceId: 'ab'.repeat(16),
                  spanId: 'cd'.repeat(8),
                  name: 'GET /gulls',
                  startTimeUnixNano: nanos(10),
                  endTimeUnixNano: nanos(12),
                  kind: 2,
                },
              ],
            },
          ],
        },
      ],
    });
    await app.post('/v1/metrics', {
      resourceMetrics: [
        {
          resource,
          scopeMetrics: [
            {
              metrics: [
                {
                  name: 'wait',
                  unit: 's',
                  histogram: {
                    aggregationTemporality: 1,
                    dataPoints: [0, 60, 120].map((second) => ({
                      timeUnixNano: nanos(second),
                      count: '10',
                      sum: 4,
                      bucketCounts: ['5', '5'],
                      explicitBounds: [0.5],
                      exemplars: [
                        {
                          timeUnixNano: nanos(second),
                          asDouble: 0.7,
                          traceId: 'ab'.repeat(16),
                          spanId: 'cd'.repeat(8),
                        },
                      ],
                    })),
                  },
                },
              ],
            },
          ],
        },
      ],
    });
    await app.post('/api/v1/intake/changes', [
      {
        specversion: '1.0',
        id: '1',
        source: '/release',
        type: 'org.example.deploy',
        time: moment(90),
        data: { to: '2' },
      },
    ]);
    await app.post('/api/v1/intake/runs', [runEvent('START', 30), runEvent('COMPLETE', 150)]);
    const { patterns } = (
      await app.post<PatternsSearchAnswer>('/api/v1/patterns/search', { window, scope: 'source = heart' })
    ).body;
    await app.post('/api/v1/corrections', { kind: 'name', pattern: patterns[0]!.id, name: 'heartbeat' });
    opened = (await open(await bundle('live'))).body as OpenedBundle;
  });
  afterAll(() => app.end());

  const bundle = async (dataset: string, query = ''): Promise<Buffer> => {
    const response = await fetch(`${app.url}/api/v1/datasets/${dataset}/bundle?name=Harbour%20night${query}`);
    expect(response.headers.get('content-type')).toBe('application/zip');
    return Buffer.from(await response.arrayBuffer());
  };
  const open = async (
    bytes: Buffer,
    query = '',
  ): Promise<{ status: number; body: OpenedBundle | ProblemBody }> => {
    const response = await fetch(`${app.url}/api/v1/datasets${query}`, {
      method: 'POST',
      headers: { 'content-type': 'application/zip' },
      body: new Uint8Array(bytes),
    });
    return { status: response.status, body: (await response.json()) as OpenedBundle };
  };
  const datasets = async (): Promise<DatasetSummary[]> =>
    (await app.get<DatasetSummary[]>('/api/v1/datasets')).body;
  const ask = async <T>(path: string, dataset: string, more: object = {}): Promise<T> =>
    (await app.post<T>(`/api/v1/${path}`, { window, dataset, ...more })).body;
  /** The records without what is a store's own. */
  const records = async (dataset: string, more: object = {}): Promise<object[]> => {
    const { records: found } = await ask<LogsSearchAnswer>('logs/search', dataset, { limit: 1000, ...more });
    return found.map((one) => ({ ...one, id: '', cursor: '' }));
  };

  it('open as data sets beside the live one, with every record as it was received', async () => {
    expect(opened).toMatchObject({
      name: 'Harbour night',
      dataset: expect.stringMatching(/^harbour-night-\d+$/) as string,
    });
    expect(opened.files.filter(({ problems }) => problems.some((one) => /manifest/.test(one)))).toEqual([]);
    const live = await records('live');
    expect(live).toHaveLength(204);
    expect(await records(opened.dataset)).toEqual(live);
    // The one without a time kept that of its arrival, which no line tells.
    const wide = { window: { from: moment(0), to: '2100-01-01T00:00:00Z' }, scope: 'source = timeless' };
    expect(await records(opened.dataset, wide)).toEqual(await records('live', wide));
    expect(await records(opened.dataset, wide)).toHaveLength(1);
  });

  it('carry spans, series with exemplars, changes and runs', async () => {
    expect(await records(`${opened.dataset}/spans`)).toEqual(await records('live/spans'));
    expect(await records(`${opened.dataset}/spans`)).toHaveLength(1);
    for (const [path, more] of [
      ['metrics/query', { metric: 'wait', points: 10 }],
      ['changes/search', {}],
      ['runs/search', {}],
    ] as const) {
      const live = await ask<MetricsQueryAnswer | ChangesSearchAnswer | RunsSearchAnswer>(path, 'live', more);
      expect(await ask(path, opened.dataset, more)).toEqual(live);
    }
    const { exemplars, lines } = await ask<MetricsQueryAnswer>('metrics/query', opened.dataset, {
      metric: 'wait',
    });
    expect(exemplars).toHaveLength(3);
    // The first was measured when the window began: it tells of the time before.
    expect(lines[0]!.values.filter((value) => value !== null)).toHaveLength(2);
  });

  it('carry patterns under their ids, names and all', async () => {
    const of = async (dataset: string): Promise<[string, string | undefined, number][]> =>
      (await ask<PatternsSearchAnswer>('patterns/search', dataset)).patterns
        .map(({ id, name, focus }): [string, string | undefined, number] => [id, name, focus])
        .sort(([a], [b]) => (a < b ? -1 : 1));
    const live = await of('live');
    expect(live.some(([, name]) => name === 'heartbeat')).toBe(true);
    expect(await of(opened.dataset)).toEqual(live);
  });

  it('carry what is known of sources', async () => {
    const { body } = await app.get<SourceSummary[]>(`/api/v1/sources?dataset=${opened.dataset}`);
    const live = (await app.get<SourceSummary[]>('/api/v1/sources')).body;
    const facts = (all: SourceSummary[]): [string, string, number, number][] =>
      all.map(({ name, format, records: held, malformed }) => [name, format, held, malformed]);
    expect(facts(body)).toEqual(facts(live));
    // What was kept long ago is not silent.
    expect(body.flatMap(({ warnings }) => warnings).filter((one) => /Silent|clock/.test(one))).toEqual([]);
  });

  it('of a window hold what is in it, a CSV line without its header too', async () => {
    const from = moment(119);
    const to = moment(125);
    const part = (await open(await bundle('live', `&from=${from}&to=${to}`))).body as OpenedBundle;
    const own = { window: { from, to } };
    expect(await records(part.dataset)).toEqual(await records('live', own));
    const [docked] = (await ask<LogsSearchAnswer>('logs/search', part.dataset, { scope: 'port = ice' }))
      .records;
    expect(docked!.fields).toMatchObject({ what: 'docked', port: 'ice' });
    expect(
      (await ask<MetricsQueryAnswer>('metrics/query', part.dataset, { metric: 'wait' })).exemplars,
    ).toHaveLength(1);
    expect((await app.post(`/api/v1/datasets/${part.dataset}/bundle`, {})).status).toBe(404);
  });

  it('are played back: nothing that comes after the position is shown', async () => {
    const path = `/api/v1/datasets/${opened.dataset}/replay`;
    const replay = async (change: object): Promise<DatasetSummary> => {
      const response = await fetch(`${app.url}${path}`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(change),
      });
      return (await response.json()) as DatasetSummary;
    };
    const paused = await replay({ playing: false, position: moment(100) });
    expect(paused.replay).toMatchObject({
      playing: false,
      speed: 60,
      position: '2026-03-02T18:01:40.000000Z',
    });
    const shown = await records(opened.dataset);
    expect(shown).toEqual(await records('live', { window: { from: moment(0), to: moment(100) } }));
    expect((await ask<ChangesSearchAnswer>('changes/search', opened.dataset)).total).toBe(1);
    const { runs } = await ask<RunsSearchAnswer>('runs/search', opened.dataset);
    expect(runs).toMatchObject([{ state: 'running' }]);
    expect((await ask<RunsSearchAnswer>('runs/search', opened.dataset, { states: ['done'] })).total).toBe(0);
    const one = await app.get<RunBody>(`/api/v1/runs/run-1?dataset=${opened.dataset}`);
    expect(one.body.state).toBe('running');
    await replay({ position: moment(20) });
    expect((await ask<ChangesSearchAnswer>('changes/search', opened.dataset)).total).toBe(0);
    expect((await app.get(`/api/v1/runs/run-1?dataset=${opened.dataset}`)).status).toBe(404);
    const later = { window: { from: moment(100), to: moment(200) } };
    expect(await records(opened.dataset, later)).toEqual([]);

    const playing = await replay({ playing: true, speed: 600 });
    expect(playing.replay).toMatchObject({ playing: true, speed: 600 });
    let position = '';
    do position = (await datasets()).find(({ id }) => id === opened.dataset)!.replay!.position;
    while (Date.parse(position) < START + 100_000);
    expect((await records(opened.dataset)).length).toBeGreaterThan(100);
    const restarted = await replay({ playing: false, position: moment(0) });
    expect(restarted.replay!.position).toBe('2026-03-02T18:00:00.000000Z');
    await fetch(`${app.url}${path}`, { method: 'DELETE' });
    expect(await records(opened.dataset)).toHaveLength(204);
    expect((await app.post(path, {})).status).toBe(404);
    const refused = await fetch(`${app.url}/api/v1/datasets/live/replay`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: '{}',
    });
    expect(refused.status).toBe(409);
  });

  it('may be any zip of logs and documents in open formats', async () => {
    const { body } = await open(
      await zipOf({
        'night/gulls.log': '2026-03-02T18:00:00Z INFO one\n2026-03-02T18:00:01Z INFO two\n',
        'night/quay.csv': 'time,port\n2026-03-02T18:00:02Z,ice\n',
        'night/more.log.gz': gzipSync('2026-03-02T18:00:03Z INFO three\n'),
        'changes.json': JSON.stringify([
          { specversion: '1.0', id: '1', source: '/r', type: 'x', time: moment(4) },
        ]),
        'runs.jsonl': `${JSON.stringify(runEvent('START', 5))}\n`,
        'otlp.json': JSON.stringify({
          resourceMetrics: [
            {
              resource,
              scopeMetrics: [
                {
                  metrics: [
                    { name: 'tide', gauge: { dataPoints: [{ timeUnixNano: nanos(6), asDouble: 2 }] } },
                  ],
                },
              ],
            },
          ],
        }),
        '__MACOSX/._gulls.log': 'litter',
      }),
      '?name=By%20hand',
    );
    expect((body as OpenedBundle).files.map(({ kind, accepted }) => [kind, accepted]).sort()).toEqual([
      ['changes', 1],
      ['lines', 1],
      ['lines', 1],
      ['lines', 2],
      ['otlp metrics', 1],
      ['runs', 1],
    ]);
    const { dataset, name } = body as OpenedBundle;
    expect(name).toBe('By hand');
    expect((await ask<LogsSearchAnswer>('logs/search', dataset)).matched).toBe(4);
    const renamed = await fetch(`${app.url}/api/v1/datasets/${dataset}`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'Another night' }),
    });
    expect(((await renamed.json()) as DatasetSummary).name).toBe('Another night');
  });

  it('that can not be read leave nothing behind', async () => {
    const before = (await datasets()).map(({ id }) => id);
    const whole = await bundle('live');
    const refused: [string, Buffer, RegExp][] = [
      ['not-a-zip', Buffer.from('no zip at all'), /no zip archive/],
      ['not-a-zip', whole.subarray(0, whole.length / 2), /no zip archive/],
      ['empty-bundle', await zipOf({}), /no file in it/],
      ['empty-bundle', await zipOf({ 'a.log': '' }), /Nothing in it could be read/],
      ['manifest', await zipOf({ 'manifest.json': '[' }), /is no JSON/],
      ['manifest', await zipOf({ 'manifest.json': '{"flail":2}' }), /can not be used/],
      [
        'manifest',
        await zipOf({
          'manifest.json': JSON.stringify({
            flail: 1,
            name: 'x',
            made: moment(0),
            records: [{ file: 'gone', signal: 'logs', source: 'a', format: 'json', senders: [], records: 1 }],
          }),
        }),
        /names gone, which is not there/,
      ],
    ];
    const flipped = Buffer.from(whole);
    flipped.fill(0x55, 60, 200);
    refused.push(['damaged-zip', flipped, /damaged/]);
    for (const [code, bytes, words] of refused) {
      const { status, body } = await open(bytes);
      expect([status, (body as ProblemBody).code]).toEqual([400, code]);
      expect((body as ProblemBody).detail).toMatch(words);
    }
    expect((await datasets()).map(({ id }) => id)).toEqual(before);
  });

  it('with lines that carry no record tell so', async () => {
    const carried = [
      '{"sender":0,"time":"2026-03-02T18:00:00Z","line":"INFO good"}',
      '{"sender":7,"time":"2026-03-02T18:00:00Z","line":"of nobody"}',
      '{"sender":0,"time":"yesterday","line":"when?"}',
      '{"sender":0,"time":"2026-03-02T18:00:01Z","base64":"/w=="}',
      'not even JSON',
    ];
    const records = {
      file: 'r.jsonl',
      signal: 'logs',
      source: 'a',
      format: 'plain',
      senders: [{}],
      records: 5,
    };
    const { body } = await open(
      await zipOf({
        'manifest.json': JSON.stringify({ flail: 1, name: 'x', made: moment(0), records: [records] }),
        'r.jsonl': carried.join('\n'),
      }),
    );
    const [file] = (body as OpenedBundle).files;
    expect(file).toMatchObject({ accepted: 2, malformed: 1 });
    expect(file!.problems.join(' ')).toMatch(/3: Carries no record.*tells of 5 records, 2 were found/);
  });

  it('are let go of with all their rows', async () => {
    const { body } = await open(await bundle('live'));
    const { dataset } = body as OpenedBundle;
    const database = app.app.get<Sequelize>(DATABASE);
    const counts = async (): Promise<Record<string, number>> => {
      const found: Record<string, number> = {};
      for (const table of [
        'segments',
        'column_blocks',
        'layouts',
        'series',
        'series_tail',
        'changes',
        'runs',
        'sources',
      ]) {
        const [row] = await database.query<{ n: number }>(`SELECT count(*) AS n FROM ${table}`, {
          type: QueryTypes.SELECT,
        });
        found[table] = row!.n;
      }
      return found;
    };
    const filled = await counts();
    expect((await fetch(`${app.url}/api/v1/datasets/${dataset}`, { method: 'DELETE' })).status).toBe(204);
    const left = await counts();
    for (const [table, count] of Object.entries(left))
      expect([table, count]).not.toEqual([table, filled[table]]);
    expect((await app.post('/api/v1/logs/search', { window, dataset })).status).toBe(404);
    expect((await fetch(`${app.url}/api/v1/datasets/live`, { method: 'DELETE' })).status).toBe(409);
    expect(await records('live')).toHaveLength(204);
  });
});
