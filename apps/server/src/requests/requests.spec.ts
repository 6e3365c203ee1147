import type {
  ProblemBody,
  RequestAnswer,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
  RequestsWayAnswer,
  SummaryAnswer,
  TwinAnswer,
} from '@flail/contract';
import { OPERATOR } from '../access/asker.js';
import { RecordStore } from '../store/record-store.js';
import { TestApp } from '../testing/test-app.js';
import { RequestsService } from './requests.service.js';

const START = Date.UTC(2026, 2, 2, 18);
const MINUTE = 60_000;
const iso = (minute: number): string => new Date(START + minute * MINUTE).toISOString();
const FOCUS = { from: iso(60), to: iso(120) };
const BASELINE = { from: iso(0), to: iso(60) };

interface TestSpan {
  service: string;
  trace: string;
  id: string;
  parent?: string;
  name: string;
  /** Milliseconds from the start. */
  at: number;
  took: number;
  failed?: string;
  attributes?: Record<string, string | number>;
  instance?: string;
}

const value = (of: string | number): object =>
  typeof of === 'string' ? { stringValue: of } : { intValue: of };
const attributes = (of: Record<string, string | number>): object[] =>
  Object.entries(of).map(([key, one]) => ({ key, value: value(one) }));
const nanos = (millis: number): string => `${BigInt(Math.round((START + millis) * 1e6))}`;

const bodyOf = (spans: readonly TestSpan[]): object => ({
  resourceSpans: spans.map(
    ({
      service,
      instance = `${service}-1`,
      trace,
      id,
      parent,
      name,
      at,
      took,
      failed,
      attributes: more = {},
    }) => ({
      resource: { attributes: attributes({ 'service.name': service, 'service.instance.id': instance }) },
      scopeSpans: [
        {
          spans: [
            {
              traceId: trace,
              spanId: id,
              ...(parent !== undefined && { parentSpanId: parent }),
              name,
              kind: 2,
              startTimeUnixNano: nanos(at),
              endTimeUnixNano: nanos(at + took),
              ...(failed !== undefined && { status: { code: 2, message: failed } }),
              attributes: attributes(more),
            },
          ],
        },
      ],
    }),
  ),
});

const traceId = (at: number): string => at.toString(16).padStart(32, 'a');
const spanId = (at: number, which: number): string => (at * 10 + which).toString(16).padStart(16, '0');

/** A request a minute: in the second hour those by the third instance fail; each twelfth is slow beside a run. */
function trip(at: number): TestSpan[] {
  const instance = `gull-${(at % 4) + 1}`;
  const failing = at >= 60 && at % 4 === 2;
  const slow = at % 12 === 5;
  const trace = traceId(at);
  const started = at * MINUTE;
  const work = slow ? 900 : 20 + (at % 3);
  const status = {
    'http.request.method': at % 2 === 0 ? 'GET' : 'POST',
    'http.response.status_code': failing ? 503 : 200,
  };
  const code = {
    ...status,
    port: at % 5 === 0 ? 'tarn' : 'skerry',
    'sampling.one_in': failing || slow ? 1 : 2,
  };
  return [
    {
      service: 'edge',
      trace,
      id: spanId(at, 1),
      name: 'GET /nests',
      at: started,
      took: work + 20,
      attributes: code,
      ...(failing && { failed: '503' }),
    },
    {
      service: 'gull',
      instance,
      trace,
      id: spanId(at, 2),
      parent: spanId(at, 1),
      name: 'fly',
      at: started + 5,
      took: work + 10,
      ...(failing && { failed: 'no wind' }),
    },
    {
      service: 'tern',
      trace,
      id: spanId(at, 3),
      parent: spanId(at, 2),
      name: 'dive',
      at: started + 5 + work,
      took: 5,
    },
  ];
}

describe('requests', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    for (let at = 0; at < 120; at += 10) {
      const spans = Array.from({ length: 10 }, (_, one) => trip(at + one)).flat();
      await app.post('/v1/traces', bodyOf(spans));
    }
    const lines = [61, 62, 66].map((at) =>
      JSON.stringify({
        ts: iso(at),
        level: 'warn',
        msg: 'feather lost',
        service: 'gull',
        trace_id: traceId(at),
        span_id: spanId(at, 2),
      }),
    );
    await app.take(lines.join('\n'), 'source=gull');
    const runs = Array.from({ length: 10 }, (_, hour) => hour).flatMap((at) =>
      (['START', 'COMPLETE'] as const).map((eventType) => ({
        eventType,
        eventTime: new Date(
          START + (at * 12 + 5) * MINUTE + (eventType === 'START' ? -2000 : 4000),
        ).toISOString(),
        producer: 'https://example.org/test',
        schemaURL: 'https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent',
        run: { runId: `00000000-0000-4000-8000-${String(at).padStart(12, '0')}` },
        job: { namespace: 'test', name: 'moult' },
      })),
    );
    await app.post('/api/v1/intake/runs', runs);
  });
  afterAll(() => app.end());

  const search = async (more: object = {}): Promise<RequestsSearchAnswer> =>
    (
      await app.post<RequestsSearchAnswer>('/api/v1/requests/search', {
        window: FOCUS,
        baseline: BASELINE,
        ...more,
      })
    ).body;

  it('are counted in both windows, for those that were not kept as well', async () => {
    const { focus, baseline, operations, statuses, strips } = await search();
    // 15 fail and 5 are slow (each kept), the other 41 of 60 stand for two; one is both.
    const failing = Array.from({ length: 60 }, (_, at) => at + 60).filter((at) => at % 4 === 2).length;
    const slow = Array.from({ length: 60 }, (_, at) => at + 60).filter((at) => at % 12 === 5).length;
    expect(focus.kept).toBe(60);
    expect(focus.outcomes.failed).toEqual({ count: failing, within: 0 });
    expect(focus.all.count).toBe(failing + slow + 2 * (60 - failing - slow));
    expect(focus.all.within).toBeCloseTo(1.96 * Math.sqrt(2 * (60 - failing - slow)));
    expect(focus.slow.count).toBe(slow);
    expect(focus.access.read.failed + focus.access.write.failed).toBe(failing);
    expect(baseline!.outcomes.failed.count).toBe(0);
    expect(operations).toHaveLength(1);
    expect(operations[0]).toMatchObject({ service: 'edge', operation: 'GET /nests', failsOtherwise: true });
    expect(statuses.map(({ status }) => status)).toEqual([200, 503]);
    expect(strips.focus.reduce((sum, { failed }) => sum + failed, 0)).toBe(failing);
  });

  it('agree with the count of the lines that their spans are', async () => {
    const { body } = await app.post<SummaryAnswer>('/api/v1/logs/summary', {
      dataset: 'live/spans',
      window: FOCUS,
      expression: 'parent is absent and status = error then count',
    });
    expect((await search({ preset: 'failed' })).matched).toBe(body.rows[0]![0]);
  });

  it('are listed by preset, order, page and cut lines', async () => {
    const slowest = await search({ order: 'slowest', limit: 3 });
    expect(slowest.requests.map(({ duration, slow }) => [duration, slow])).toEqual([
      [expect.closeTo(0.92), true],
      [expect.closeTo(0.92), true],
      [expect.closeTo(0.92), true],
    ]);
    const [first, second] = (await search({ order: 'oldest', limit: 2 })).requests;
    expect((await search({ order: 'oldest', limit: 1, offset: 1 })).requests).toEqual([second]);
    expect(first!.time).toBe('2026-03-02T19:00:00.000000Z');
    const cut = await search({ slower: 0.5, faster: 0.041, cohort: 'slower' });
    expect(cut.matched).toBe(5);
    expect(cut.cohorts!.slower.count).toBe(5);
    expect(cut.cohorts!.faster.count).toBeGreaterThan(0);
    expect((await search({ preset: 'slow without error' })).matched).toBe(5);
    expect((await search({ operation: 'other', service: 'edge' })).matched).toBe(0);
  });

  it('are in scope by what any of their spans or lines says', async () => {
    expect((await search({ scope: '"feather lost"' })).matched).toBe(3);
    expect((await search({ scope: 'not "feather lost"' })).matched).toBe(57);
    expect((await search({ scope: 'instance = gull-3 and "feather lost"' })).matched).toBe(2);
    expect((await search({ scope: 'service = tern' })).matched).toBe(60);
    expect((await search({ scope: 'port = tarn' })).matched).toBe(12);
  });

  it('tell where failing begins, how it spreads, and what time is made of', async () => {
    const { body } = await app.post<RequestsAnalysisAnswer>('/api/v1/requests/analysis', { window: FOCUS });
    expect(body.origins).toEqual([
      { service: 'gull', operation: 'fly', requests: 15, of: 15, passedOn: 15, message: 'no wind' },
    ]);
    expect(body.spread[0]).toMatchObject({
      what: 'instance of gull',
      verdict: 'a subset',
      subset: ['gull-3'],
      carries: 1,
    });
    expect(body.makeUp[0]).toMatchObject({ service: 'gull', operation: 'fly' });
    expect(body.makeUp[0]!.share).toBeCloseTo(1, 2);
  });

  it('tell by which calls they go, all of them or those that failed', async () => {
    const way = async (preset: string, scope = '') =>
      (await app.post<RequestsWayAnswer>('/api/v1/requests/way', { window: FOCUS, preset, scope })).body;
    expect(await way('failed')).toEqual({
      looked: 15,
      of: 15,
      calls: [
        { from: 'edge', to: 'gull', requests: 15, failed: 15 },
        { from: 'gull', to: 'tern', requests: 15, failed: 0 },
      ],
    });
    expect(await way('all', 'port = tarn')).toMatchObject({
      of: 12,
      calls: [{ requests: 12 }, { requests: 12 }],
    });
    expect(await way('hidden')).toEqual({ looked: 0, of: 0, calls: [] });
  });

  it('are shown one by one with the account of their time and their lines', async () => {
    const { body } = await app.get<RequestAnswer>(`/api/v1/requests/${traceId(62)}`);
    expect(body).toMatchObject({ outcome: 'failed', service: 'edge', operation: 'GET /nests', problems: [] });
    expect(body.spans.map(({ service, depth, parent, failed }) => [service, depth, parent, failed])).toEqual([
      ['edge', 0, undefined, true],
      ['gull', 1, 0, true],
      ['tern', 2, 1, false],
    ]);
    const sum = body.account.reduce((all, { from, to }) => all + to - from, 0);
    expect(sum).toBeCloseTo(body.duration);
    expect(body.logs.map(({ text }) => text)).toEqual(['feather lost']);
    const slow = (await app.get<RequestAnswer>(`/api/v1/requests/${traceId(65)}`)).body;
    expect(slow.account.find(({ kind }) => kind === 'unaccounted')!.where).toBe(
      'in gull fly, before its first call',
    );
    const missing = await app.get<ProblemBody>(`/api/v1/requests/${'f'.repeat(32)}`);
    expect([missing.status, missing.body.code]).toEqual([404, 'no-such-request']);
  });

  it('have a healthy twin, and are said to be slow beside a run', async () => {
    const { body } = await app.get<TwinAnswer>(`/api/v1/requests/${traceId(65)}/twin`);
    expect(body.twin!.duration).toBeLessThan(0.05);
    expect(body.differences.some(({ kind, what }) => kind === 'time' && what === 'gull fly')).toBe(true);
    expect(body.beside[0]).toMatchObject({ job: 'moult', others: 0 });
    expect(body.beside[0]!.slow).toBe(body.beside[0]!.ofSlow);
    // Beside one that failed stands one that did not, and there is no talk of slowness.
    const failed = (await app.get<TwinAnswer>(`/api/v1/requests/${traceId(62)}/twin`)).body;
    expect(failed.beside).toEqual([]);
    const status = failed.differences.find(({ what }) => what === 'http.response.status_code');
    expect(status).toMatchObject({ own: '503', twin: '200', likeOwn: 0 });
  });

  it('are to somebody as if services that they may not see were not there', async () => {
    const store = app.app.get(RecordStore);
    const asker = { ...OPERATOR, role: 'developer' as const, services: ['gull', 'tern'] };
    const window = { from: (START + 60 * MINUTE) * 1000, to: (START + 120 * MINUTE) * 1000 };
    const asked = { asker, dataset: store.dataset('live'), window, scope: '' };
    const list = { preset: 'all', order: 'oldest', limit: 1, offset: 0, steps: 1 } as const;
    const answer = await app.app.get(RequestsService).search(asked, list);
    expect(answer.operations.map(({ service, operation }) => [service, operation])).toEqual([
      ['gull', 'fly'],
    ]);
    expect(answer.focus.kept).toBe(60);
    expect(answer.requests[0]!.fields).not.toHaveProperty('port');
    const one = await app.app.get(RequestsService).one(asked, traceId(62));
    expect(one.spans.map(({ service }) => service)).toEqual(['gull', 'tern']);
    expect(one.problems).toEqual(['The span that it began with was not recorded.']);
    // What edge says of the port is not even searched.
    expect(
      (await app.app.get(RequestsService).search({ ...asked, scope: 'port = tarn' }, list)).matched,
    ).toBe(0);
  });

  it('are refused what can not be meant', async () => {
    const { status } = await app.post('/api/v1/requests/search', { window: FOCUS, preset: 'odd' });
    expect(status).toBe(400);
    const wrong = await app.post<ProblemBody>('/api/v1/requests/search', {
      window: FOCUS,
      scope: 'port = = 2',
    });
    expect(wrong.body.code).toBe('expression');
  });
});
