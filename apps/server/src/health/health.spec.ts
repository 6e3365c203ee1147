import type {
  ChecksAnswer,
  HealthAnswer,
  Objective,
  ProblemBody,
  RequestsSearchAnswer,
  SuspectAnswer,
} from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const NOW = Date.UTC(2026, 2, 4, 18);
const MINUTE = 60_000;
const DAY = 1440;
const iso = (minute: number): string => new Date(NOW + minute * MINUTE).toISOString();
const nanos = (minute: number): string => `${BigInt(Math.round((NOW + minute * MINUTE) * 1e6))}`;
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });
const FOCUS = { from: iso(-60), to: iso(0) };
const BASELINE = { from: iso(-120), to: iso(-60) };

/** A request each second minute of two days; in the last hour every fourth fails, at one of four instances. */
function spans(): object {
  const all = Array.from({ length: DAY }, (_, at) => {
    const minute = -2 * DAY + 2 * at + 1;
    const instance = `gull-${(at % 4) + 1}`;
    const failed = minute > -60 && at % 4 === 1;
    const reading = at % 2 === 0;
    return {
      resource: {
        attributes: [
          text('service.name', 'gull'),
          text('service.instance.id', instance),
          text('host.name', `h${at % 4}`),
        ],
      },
      scopeSpans: [
        {
          spans: [
            {
              traceId: (at + 4096).toString(16).padStart(32, '0'),
              spanId: (at + 1).toString(16).padStart(16, '0'),
              name: reading ? 'GET /nests' : 'POST /nests',
              kind: 2,
              startTimeUnixNano: nanos(minute),
              endTimeUnixNano: nanos(minute + 1 / 600),
              ...(failed && { status: { code: 2 } }),
              attributes: [
                text('http.request.method', reading ? 'GET' : 'POST'),
                text('client.address', `10.0.0.${at % 3}`),
              ],
            },
          ],
        },
      ],
    };
  });
  return { resourceSpans: all };
}

const gauge = (name: string, points: { at: number; value: number; attributes?: object[] }[]): object => ({
  name,
  unit: '1',
  gauge: {
    dataPoints: points.map(({ at, value, attributes = [] }) => ({
      timeUnixNano: nanos(at),
      asDouble: value,
      attributes,
    })),
  },
});

const steps = (from: number, step: number): number[] =>
  Array.from({ length: Math.floor(-from / step) }, (_, at) => from + at * step);

describe('Health', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    await app.post('/v1/traces', spans());
    const machine = [
      text('service.name', 'gull'),
      text('service.instance.id', 'gull-1'),
      text('host.name', 'h0'),
    ];
    const day = steps(-DAY, 5);
    await app.post('/v1/metrics', {
      resourceMetrics: [
        {
          resource: { attributes: [text('service.name', 'nests of the cliff')] },
          // Half as many eggs in the last hour.
          scopeMetrics: [
            {
              metrics: [
                gauge(
                  'eggs',
                  steps(-2 * DAY, 5).map((at) => ({ at, value: (at >= -60 ? 50 : 100) + (at % 3) })),
                ),
              ],
            },
          ],
        },
        {
          resource: { attributes: machine },
          scopeMetrics: [
            {
              metrics: [
                gauge(
                  'open.handles',
                  day.map((at) => ({ at, value: 100 + (DAY + at) / 5 })),
                ),
                gauge(
                  'open.handles.limit',
                  day.map((at) => ({ at, value: 512 })),
                ),
                gauge(
                  'system.clock.offset',
                  day.map((at) => ({ at, value: at > -30 ? 41 : 0.01 })),
                ),
              ],
            },
          ],
        },
        {
          resource: { attributes: [text('service.name', 'probes')] },
          scopeMetrics: [
            {
              metrics: [
                gauge(
                  'probe.success',
                  day.map((at) => ({
                    at,
                    value: at >= -60 ? 0 : 1,
                    attributes: [text('check', 'land'), text('site', 'cliff')],
                  })),
                ),
              ],
            },
          ],
        },
      ],
    });
  });
  afterAll(() => app.end());

  const overview = async (more: object = {}): Promise<HealthAnswer> =>
    (await app.post<HealthAnswer>('/api/v1/overview', { window: FOCUS, baseline: BASELINE, ...more })).body;

  it('judges requests by what was normal, and says since when they fail', async () => {
    const { figures, failing, hours, focus } = await overview();
    expect(focus).toMatchObject({ kept: 30, outcomes: { failed: { count: 7, within: 0 } } });
    const share = figures.find(({ unit }) => unit === 'share')!;
    expect(share).toMatchObject({ verdict: 'above', usual: 0 });
    expect(share.value).toBeGreaterThan(0.2);
    expect(figures[0]).toMatchObject({ name: 'requests a minute', verdict: 'as usual' });
    expect(failing!.goesOn).toBe(true);
    expect(Date.parse(failing!.from)).toBeLessThan(NOW - 50 * MINUTE);
    expect(hours).toHaveLength(24);
    expect(hours.at(-1)).toMatchObject({ all: 30, failed: 7, read: { failed: 0 }, write: { failed: 7 } });
    expect(hours.at(-2)).toMatchObject({ all: 30, failed: 0 });
  });

  it('agrees with Requests for the same window and scope', async () => {
    for (const scope of ['', 'instance = gull-2', 'status = error']) {
      const { body } = await app.post<RequestsSearchAnswer>('/api/v1/requests/search', {
        window: FOCUS,
        baseline: BASELINE,
        scope,
      });
      const { focus, baseline } = await overview({ scope });
      expect([focus, baseline]).toEqual([body.focus, body.baseline]);
    }
  });

  it('shows figures of the business, not those of machines', async () => {
    const { business } = await overview();
    expect(business.map(({ name, verdict }) => [name, verdict])).toEqual([['eggs', 'below']]);
    expect(business[0]!.value).toBeCloseTo(50, -1);
    expect(business[0]!.usual).toBeCloseTo(100, -1);
  });

  it('tells the worst instance, and whether what failed came again', async () => {
    const { entities, retried } = await overview();
    expect(entities[0]).toMatchObject({ service: 'gull', instance: 'gull-2', failed: 7 });
    expect(entities.slice(1).every(({ failed }) => failed === 0)).toBe(true);
    // The same client asks again no sooner than after twelve minutes.
    expect(retried).toEqual({ failed: 7, again: 0, recovered: 0, sampled: false });
  });

  it('keeps objectives, and tells how their budget burns', async () => {
    const [usual] = (await overview()).objectives;
    expect(usual!.objective).toMatchObject({ id: 0, target: 0.99 });
    const hour = usual!.burns.find(({ seconds }) => seconds === 3600)!;
    expect(hour.rate).toBeCloseTo(7 / 30 / 0.01, 5);
    // 1,440 requests are held of the thirty days.
    expect(usual!.left).toBeCloseTo(1 - 7 / 14.4, 5);
    const body = { name: 'writing', service: 'gull', operation: 'POST /nests', target: 0.95, days: 7 };
    const { body: made } = await app.post<Objective>('/api/v1/objectives', body);
    expect((await overview()).objectives.map(({ objective }) => objective)).toEqual([made]);
    expect((await overview()).objectives[0]!.left).toBeCloseTo(1 - 7 / (720 * 0.05), 5);
    const bad = await app.post<ProblemBody>('/api/v1/objectives', { ...body, target: 1 });
    expect(bad.status).toBe(400);
    const dropped = await fetch(`${app.url}/api/v1/objectives/${made.id}`, { method: 'DELETE' });
    expect(dropped.status).toBe(204);
    expect((await overview()).objectives[0]!.objective.id).toBe(0);
  });

  it('tests a suspect against its siblings', async () => {
    const ask = async (value: string): Promise<SuspectAnswer> =>
      (
        await app.post<SuspectAnswer>('/api/v1/suspect', {
          window: { from: iso(-240), to: iso(0) },
          service: 'gull',
          field: 'instance',
          value,
        })
      ).body;
    const guilty = await ask('gull-2');
    expect(guilty.siblings.map(({ name, failed }) => [name, failed])).toEqual([
      ['gull-2', 7],
      ['gull-1', 0],
      ['gull-3', 0],
      ['gull-4', 0],
    ]);
    expect(guilty.failing).toMatchObject({ verdict: 'follows', own: 7 / 30, others: 0 });
    expect(guilty.slowness.verdict).toBe('does not follow');
    expect(guilty.siblings[0]!.failedShare.slice(-1)[0]).toBeGreaterThan(0);
    expect((await ask('gull-3')).failing.verdict).toBe('does not follow');
    expect((await ask('nobody')).failing.verdict).toBe('too few');
    const { status } = await app.post('/api/v1/suspect', {
      window: FOCUS,
      service: 'gull',
      field: 'colour',
      value: 'x',
    });
    expect(status).toBe(400);
  });

  it('checks what stands, in plain words', async () => {
    const { body } = await app.post<ChecksAnswer>('/api/v1/checks/search', { window: FOCUS });
    const of = (name: string) => body.checks.find((check) => check.name.startsWith(name))!;
    expect(of('more than one instance').passed).toBe(true);
    expect(of('clocks agree')).toMatchObject({ passed: false });
    expect(of('clocks agree').finding).toContain('gull-1 (41 s) is off');
    expect(of('open.handles')).toMatchObject({ passed: false });
    // 100 + 288 handles of 512, one more in five minutes.
    expect(of('open.handles').finding).toContain('at its limit in 10 h');
    expect(of('all sources send')).toBeDefined();
    expect(body.availability.lines[0]!.name).toBe('land from cliff');
    expect(body.availability.lines[0]!.values.slice(-2)).toEqual([0, 0]);
  });
});
