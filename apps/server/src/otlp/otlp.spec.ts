import type {
  DatasetSummary,
  LogsSearchAnswer,
  MetricsQueryAnswer,
  MetricsSearchAnswer,
  ProblemBody,
} from '@flail/contract';
import { encodeRequest } from '@flail/core/otlp';
import { gzipSync } from 'node:zlib';
import { SeriesService } from '../series/series.service.js';
import { TestApp } from '../testing/test-app.js';
import { listenForOtlp } from './otlp-port.js';

const START = Date.UTC(2026, 2, 2, 18);
const nanos = (second: number): string => `${START + second * 1000}000000`;
const window = { from: new Date(START).toISOString(), to: new Date(START + 600_000).toISOString() };
const resource = (service: string): object => ({
  attributes: [
    { key: 'service.name', value: { stringValue: service } },
    { key: 'service.instance.id', value: { stringValue: `${service}-1` } },
  ],
});
const logsOf = (...texts: string[]): object => ({
  resourceLogs: [
    {
      resource: resource('gull'),
      scopeLogs: [
        {
          logRecords: texts.map((text, at) => ({
            timeUnixNano: nanos(at),
            severityText: 'warn',
            body: { stringValue: text },
          })),
        },
      ],
    },
  ],
});
const counterOf = (values: readonly number[], instance = 'gull-1'): object => ({
  resourceMetrics: [
    {
      resource: {
        attributes: [
          { key: 'service.name', value: { stringValue: 'gull' } },
          { key: 'service.instance.id', value: { stringValue: instance } },
        ],
      },
      scopeMetrics: [
        {
          metrics: [
            {
              name: 'flights',
              unit: '1',
              sum: {
                aggregationTemporality: 2,
                isMonotonic: true,
                dataPoints: values.map((value, at) => ({
                  timeUnixNano: nanos(at * 10),
                  asInt: String(value),
                })),
              },
            },
          ],
        },
      ],
    },
  ],
});

describe('the OpenTelemetry protocol over HTTP', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  const post = (
    path: string,
    body: string | Uint8Array,
    headers: Record<string, string> = {},
  ): Promise<Response> =>
    fetch(`${app.url}/v1/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...headers },
      body: body as string,
    });
  const records = async (scope: string, dataset = 'live'): Promise<LogsSearchAnswer> =>
    (await app.post<LogsSearchAnswer>('/api/v1/logs/search', { window, scope, dataset })).body;
  const query = async (body: object): Promise<MetricsQueryAnswer> =>
    (await app.post<MetricsQueryAnswer>('/api/v1/metrics/query', { window, ...body })).body;

  it('takes log records in JSON and in protocol buffers, plain and gzip', async () => {
    const json = await post('logs', JSON.stringify(logsOf('nest 1 is empty')));
    expect([json.status, await json.json()]).toEqual([200, {}]);
    const binary = encodeRequest('logs', logsOf('nest 2 is empty'));
    const type = { 'content-type': 'application/x-protobuf' };
    const protobuf = await post('logs', binary, type);
    expect(protobuf.headers.get('content-type')).toContain('application/x-protobuf');
    expect((await protobuf.arrayBuffer()).byteLength).toBe(0);
    expect((await post('logs', gzipSync(binary), { ...type, 'content-encoding': 'gzip' })).status).toBe(200);
    const found = await records('service = gull and instance = gull-1 and level = warn');
    expect(found.records.map(({ text }) => text).sort()).toEqual([
      'nest 1 is empty',
      'nest 2 is empty',
      'nest 2 is empty',
    ]);
  });

  it('stores a request with a key once', async () => {
    for (let turn = 0; turn < 2; turn++)
      expect(
        (await post('logs', JSON.stringify(logsOf('only once')), { 'idempotency-key': 'k' })).status,
      ).toBe(200);
    expect((await records('"only once"')).matched).toBe(1);
  });

  it('takes spans as records of their own, and tells which it turned away', async () => {
    const span = (more: object): object => ({
      traceId: 'a'.repeat(32),
      spanId: 'b'.repeat(16),
      name: 'fly',
      kind: 2,
      startTimeUnixNano: nanos(1),
      endTimeUnixNano: nanos(3),
      ...more,
    });
    const answer = await post(
      'traces',
      JSON.stringify({
        resourceSpans: [
          {
            resource: resource('gull'),
            scopeSpans: [
              { spans: [span({}), span({ spanId: '0' }), span({ name: 'dive', endTimeUnixNano: nanos(9) })] },
            ],
          },
        ],
      }),
    );
    expect(await answer.json()).toEqual({
      partialSuccess: { rejectedSpans: '1', errorMessage: expect.stringContaining('span id') as string },
    });
    const slow = await records('duration > 5s', 'live/spans');
    expect(slow.records.map(({ text, fields }) => [text, fields.kind, fields.trace])).toEqual([
      ['dive', 'server', 'a'.repeat(32)],
    ]);
    // They are no lines, and the data set is not doubled by them.
    expect((await records('fly or dive')).matched).toBe(0);
    expect((await app.get<DatasetSummary[]>('/api/v1/datasets')).body.map(({ id }) => id)).toEqual(['live']);
  });

  it('takes metrics, and answers how they went', async () => {
    await post('metrics', JSON.stringify(counterOf([0, 10, 30, 5, 15])));
    await post('metrics', JSON.stringify(counterOf([100, 200, 300, 400, 500], 'gull-2')));
    const found = (await app.post<MetricsSearchAnswer>('/api/v1/metrics/search', { query: 'flig gull-2' }))
      .body;
    expect(found.metrics).toEqual([
      {
        metric: 'flights',
        unit: '1',
        kind: 'sum',
        series: 1,
        labels: [
          { name: 'service', values: ['gull'], more: 0 },
          { name: 'instance', values: ['gull-2'], more: 0 },
        ],
      },
    ]);
    const each = await query({ metric: 'flights', by: ['instance'], points: 60 });
    expect([each.step, each.aggregate, each.lines.length]).toEqual([10, 'rate', 2]);
    // Each tells of the time up to it. The fourth is less than the third: its counter began anew.
    expect(each.lines[0]!.values.slice(0, 6)).toEqual([1, 2, 0.5, 1, null, null]);
    const all = await query({ metric: 'flights', points: 60, where: { instance: ['gull-2'] } });
    expect(all.lines).toMatchObject([{ labels: {}, members: 1 }]);
    expect(all.lines[0]!.values.slice(0, 6)).toEqual([10, 10, 10, 10, null, null]);
  });

  it('gives the same points from chunks as from what was written ahead', async () => {
    const before = await query({ metric: 'flights', by: ['instance'] });
    await app.app.get(SeriesService).sealed();
    expect(await query({ metric: 'flights', by: ['instance'] })).toEqual(before);
    await post('metrics', JSON.stringify(counterOf([0, 10, 30, 5, 15])));
    expect(await query({ metric: 'flights', by: ['instance'] })).toEqual(before);
    await app.app.get(SeriesService).sealed();
    expect(await query({ metric: 'flights', by: ['instance'] })).toEqual(before);
  });

  it.each([
    ['logs', '{"resourceLogs":', 'application/json', 400, 'not-json'],
    ['logs', '[]', 'application/json', 400, 'not-otlp'],
    ['metrics', '{"resourceMetrics":7}', 'application/json', 400, 'not-otlp'],
    ['traces', '\u0001\u0002', 'application/x-protobuf', 400, 'not-otlp'],
    ['logs', '{}', 'text/plain', 415, 'content-type'],
  ])('refuses %s of %s as %s', async (path, body, type, status, code) => {
    const answer = await post(path, body, { 'content-type': type });
    expect(answer.status).toBe(status);
    expect(((await answer.json()) as ProblemBody).code).toBe(code);
  });

  it('does not unpack more than it can hold', async () => {
    const bomb = gzipSync(Buffer.alloc(80 * 1024 * 1024));
    const answer = await post('logs', bomb, { 'content-encoding': 'gzip' });
    expect(answer.status).toBe(413);
    expect(((await answer.json()) as ProblemBody).detail).toContain('64 MB');
  });

  it('answers on a port of its own, where nothing else is', async () => {
    const server = await listenForOtlp(app.app, 0, '127.0.0.1');
    const { port } = server.address() as { port: number };
    const url = `http://127.0.0.1:${port}`;
    const headers = { 'content-type': 'application/json' };
    expect((await fetch(`${url}/v1/logs`, { method: 'POST', headers, body: '{}' })).status).toBe(200);
    expect((await fetch(`${url}/api/v1/health`)).status).toBe(404);
    server.close();
  });

  it('knows no such metric, and no such labels', async () => {
    const unknown = await app.post<ProblemBody>('/api/v1/metrics/query', { window, metric: 'eggs' });
    expect([unknown.status, unknown.body.code]).toEqual([404, 'no-such-metric']);
    const body = { window, metric: 'flights', where: { instance: 'gull-1' } };
    expect((await app.post<ProblemBody>('/api/v1/metrics/query', body)).status).toBe(400);
  });
});

// An application of its own: one process has one database open at a time.
describe('measurements', () => {
  it('that were acknowledged are there after a restart', async () => {
    const { app: first, data } = await TestApp.start();
    const url = (await first.getUrl()).replace('[::1]', '127.0.0.1');
    const send = async (values: number[]): Promise<void> => {
      const body = JSON.stringify(counterOf(values));
      const headers = { 'content-type': 'application/json' };
      expect((await fetch(`${url}/v1/metrics`, { method: 'POST', headers, body })).status).toBe(200);
    };
    await send([1, 2]);
    await first.get(SeriesService).sealed();
    await send([1, 2, 4]);
    await first.close();
    const again = await TestApp.start(data);
    const { body } = await again.post<MetricsQueryAnswer>('/api/v1/metrics/query', {
      window,
      metric: 'flights',
      points: 60,
    });
    expect(body.lines[0]!.values.slice(0, 4)).toEqual([0.1, 0.2, null, null]);
    await again.end();
  });
});

describe('what was only measured, and what are only spans', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
  });
  afterAll(() => app.end());

  it('is there, though no line is', async () => {
    const live = async (): Promise<DatasetSummary> =>
      (await app.get<DatasetSummary[]>('/api/v1/datasets')).body.find((one) => one.live)!;
    expect(await live()).toMatchObject({ records: 0, spans: 0 });
    expect((await live()).window).toBeUndefined();
    await app.post('/v1/metrics', counterOf([1, 2]));
    expect((await live()).window!.from).toBe('2026-03-02T18:00:00.000000Z');
    expect((await live()).window!.to).toContain('2026-03-02T18:00:10.000');
    await app.app.get(SeriesService).sealed();
    expect((await live()).window!.to).toContain('2026-03-02T18:00:10.000');
    const span = {
      traceId: 'e'.repeat(32),
      spanId: 'f'.repeat(16),
      name: 'fly',
      startTimeUnixNano: nanos(5),
      endTimeUnixNano: nanos(6),
    };
    const resourceSpans = [{ resource: resource('gull'), scopeSpans: [{ spans: [span] }] }];
    await app.post('/v1/traces', { resourceSpans });
    expect(await live()).toMatchObject({ records: 0, spans: 1 });
    expect((await live()).window!.from).toBe('2026-03-02T18:00:05.000000Z');
  });
});
