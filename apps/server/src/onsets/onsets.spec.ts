import type { OnsetsSearchAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const NOW = Date.UTC(2026, 2, 4, 18);
const MINUTE = 60_000;
const DAYS = 3 * 1440;
const iso = (minute: number): string => new Date(NOW + minute * MINUTE).toISOString();
const nanos = (minute: number): string => `${BigInt(Math.round((NOW + minute * MINUTE) * 1e6))}`;
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });

/** A gauge of a service by the minute, over three days. */
const gauge = (service: string, instance: string, name: string, of: (minute: number) => number): object => ({
  resource: { attributes: [text('service.name', service), text('service.instance.id', instance)] },
  scopeMetrics: [
    {
      metrics: [
        {
          name,
          unit: '1',
          gauge: {
            dataPoints: Array.from({ length: DAYS }, (_, at) => at - DAYS).map((minute) => ({
              timeUnixNano: nanos(minute),
              asDouble: of(minute) + 0.01 * ((minute * 7919) % 13),
            })),
          },
        },
      ],
    },
  ],
});

const span = (service: string, id: string, minute: number, parent?: string): object => ({
  resource: { attributes: [text('service.name', service)] },
  scopeSpans: [
    {
      spans: [
        {
          traceId: 'c'.repeat(32),
          spanId: id.repeat(16),
          ...(parent !== undefined && { parentSpanId: parent.repeat(16) }),
          name: 'fly',
          kind: 2,
          startTimeUnixNano: nanos(minute),
          endTimeUnixNano: nanos(minute + 0.001),
        },
      ],
    },
  ],
});

describe('onsets', () => {
  let app: TestApp;
  beforeAll(async () => {
    app = await TestApp.start();
    const since = (minute: number, low: number, high: number) => (at: number) => (at >= minute ? high : low);
    await app.post('/v1/metrics', {
      resourceMetrics: [
        gauge('nest', 'nest-1', 'queue.depth', since(-40, 2, 30)),
        gauge('edge', 'edge-1', 'request.latency', since(-34, 0.1, 0.9)),
        gauge('edge', 'edge-2', 'request.latency', since(-33, 0.1, 0.9)),
        gauge('edge', 'edge-1', 'flaps', (at) => (((at % 20) + 20) % 20 === 3 ? 50 : 1)),
        gauge('edge', 'edge-1', 'calm', () => 5),
        gauge('far', 'far-1', 'connection.open', (at) => 20 + Math.max(0, (at + 900) / 4)),
        gauge('far', 'far-1', 'connection.limit', () => 270),
      ],
    });
    await app.post('/v1/traces', { resourceSpans: [span('edge', '1', -20), span('nest', '2', -20, '1')] });
    await app.post('/api/v1/intake/changes', [
      {
        specversion: '1.0',
        id: 'c1',
        source: '/deploy',
        type: 'org.example.configuration',
        time: iso(-42),
        data: { title: 'pool of nest 20 → 2', service: 'nest' },
      },
    ]);
    const lines = Array.from({ length: 60 }, (_, at) =>
      JSON.stringify({ ts: iso(-38 + at / 2), msg: `no room for egg ${at}`, service: 'nest', level: 'warn' }),
    );
    await app.take(
      [JSON.stringify({ ts: iso(-200), msg: 'all is well', service: 'nest' }), ...lines].join('\n'),
      'source=nest',
    );
  });
  afterAll(() => app.end());

  it('stand in the order in which they began, with what speaks for each', async () => {
    const { body } = await app.post<OnsetsSearchAnswer>('/api/v1/onsets/search', {
      window: { from: iso(-60), to: iso(0) },
      baseline: { from: iso(-120), to: iso(-60) },
    });
    expect(
      body.groups.map(({ service, measure, kind, members }) => [service, measure, kind, members.length]),
    ).toEqual([
      ['far', 'connection.open', 'saturation', 1],
      ['nest', 'queue.depth', 'saturation', 1],
      ['nest', 'no room for egg …', 'volume', 1],
      ['edge', 'request.latency', 'latency', 2],
    ]);
    const [climb, queue, lines, latency] = body.groups;
    // It climbs for fifteen hours already, by fifteen an hour, to 270 from 245.
    expect(climb!.limitIn! / 3600).toBeGreaterThan(1.4);
    expect(climb!.limitIn! / 3600).toBeLessThan(1.9);
    expect(body.origins.find(({ group }) => group === 0)).toMatchObject({ role: 'open' });
    // A measurement tells of the minute that ends with it.
    expect(Math.abs(Date.parse(queue!.onset) - Date.parse(iso(-41)))).toBeLessThan(1000);
    expect(Math.abs(Date.parse(lines!.onset) - Date.parse(iso(-38)))).toBeLessThanOrEqual(2 * MINUTE);
    expect(Math.abs(Date.parse(latency!.onset) - Date.parse(iso(-35)))).toBeLessThan(MINUTE / 4);
    expect(latency!.goesOn).toBe(true);
    expect(body.origins[0]!.group).toBe(1);
    expect(body.origins[0]!.reasons).toEqual([
      { for: true, text: 'nothing moved before it' },
      { for: true, text: 'edge, which depends on it, moved no sooner' },
      { for: true, text: 'pool of nest 20 → 2, 1 min before' },
    ]);
    expect(body.depends).toContainEqual([3, 1]);
    expect(body.changes.map(({ title }) => title)).toEqual(['pool of nest 20 → 2']);
  });

  it('are none at a quiet time but for what climbs', async () => {
    const { body } = await app.post<OnsetsSearchAnswer>('/api/v1/onsets/search', {
      window: { from: iso(-180), to: iso(-120) },
      baseline: { from: iso(-240), to: iso(-180) },
    });
    expect(body.groups.map(({ measure, limitIn }) => [measure, limitIn !== undefined])).toEqual([
      ['connection.open', true],
    ]);
    expect(body.scanned).toBeGreaterThan(4);
  });
});
