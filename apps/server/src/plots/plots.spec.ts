import type {
  MovedWithAnswer,
  PlotAnswer,
  ProblemBody,
  ProgressBody,
  SeriesSearchAnswer,
} from '@flail/contract';
import { TestApp } from '../testing/test-app.js';

const NOW = Date.UTC(2026, 2, 4, 18);
const MINUTE = 60_000;
const DAYS = 3 * 1440;
const iso = (minute: number): string => new Date(NOW + minute * MINUTE).toISOString();
const nanos = (minute: number): string => `${BigInt(Math.round((NOW + minute * MINUTE) * 1e6))}`;
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });

/** A gauge of an instance by the minute, over three days; it wobbles a little of its own. */
const gauge = (instance: string, name: string, of: (minute: number) => number, unit = '1'): object => ({
  resource: { attributes: [text('service.name', 'nest'), text('service.instance.id', instance)] },
  scopeMetrics: [
    {
      metrics: [
        {
          name,
          unit,
          gauge: {
            dataPoints: Array.from({ length: DAYS }, (_, at) => at - DAYS + 1).map((minute) => ({
              timeUnixNano: nanos(minute),
              asDouble: of(minute) + 0.01 * ((minute * 7919 * (instance.length + name.length)) % 13),
            })),
          },
        },
      ],
    },
  ],
});

describe('plots', () => {
  let app: TestApp;
  const asked = {
    window: { from: iso(-60), to: iso(0) },
    baseline: { from: iso(-120), to: iso(-60) },
    scope: '',
  };
  const plot = async (source: object, more: object = {}): Promise<PlotAnswer> =>
    (await app.post<PlotAnswer>('/api/v1/metrics/plot', { ...asked, source, ...more })).body;

  beforeAll(async () => {
    app = await TestApp.start();
    const since = (minute: number, low: number, high: number) => (at: number) => (at > minute ? high : low);
    await app.post('/v1/metrics', {
      resourceMetrics: [
        gauge('nest-1', 'queue.depth', since(-40, 2, 30)),
        gauge('nest-2', 'queue.depth', since(-40, 2, 30)),
        gauge('nest-1', 'cpu', since(-38, 0.2, 0.8)),
        gauge('nest-1', 'calm', () => 5),
        ...['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h'].map((name) =>
          gauge(
            `nest-${name}`,
            'clock',
            name === 'd' ? since(-30, 0, 41) : (at) => 30 * Math.sin(at / 7),
            's',
          ),
        ),
        gauge('nest-1', 'open', () => 90),
        gauge('nest-1', 'open.limit', () => 100),
      ],
    });
    const lines = Array.from({ length: 60 }, (_, at) =>
      JSON.stringify({
        ts: iso(-38 + at / 2),
        msg: `no room for egg ${at}`,
        service: 'nest',
        level: 'warn',
        took: `${at % 2 === 0 ? 10 : 30}ms`,
        host: at % 2 === 0 ? 'h1' : 'h2',
      }),
    );
    await app.take(
      [JSON.stringify({ ts: iso(-200), msg: 'all is well', service: 'nest' }), ...lines].join('\n'),
      'source=nest',
    );
  });
  afterAll(() => app.end());

  it('of a metric hold what is normal, how it left it, and the largest single value', async () => {
    const found = await plot(
      { of: 'metric', metric: 'queue.depth' },
      { normal: true, ghosts: ['day'], lead: 1800, points: 90 },
    );
    expect(found).toMatchObject({
      name: 'queue.depth',
      aggregate: 'avg',
      step: 60,
      moved: { side: 'above', goesOn: true },
    });
    expect(Date.parse(found.from)).toBe(Date.parse(iso(-90)));
    expect(Math.abs(Date.parse(found.moved!.onset) - Date.parse(iso(-40)))).toBeLessThanOrEqual(MINUTE);
    expect(found.lines[0]!.max![60]).toBeGreaterThanOrEqual(found.lines[0]!.values[60]!);
    expect(found.normal!.high[80]!).toBeLessThan(10);
    expect(found.ghosts![0]!.values[80]).toBeLessThan(3);
  });

  it('say whom an average hides', async () => {
    const found = await plot({ of: 'metric', metric: 'clock' }, { normal: true });
    expect(found.hidden?.member).toBe('nest-d');
    expect(found.hidden?.value).toBeCloseTo(41, 0);
  });

  it('tell how much of a limit is used, and draw a line for each member where that is asked for', async () => {
    expect((await plot({ of: 'metric', metric: 'open' })).limit).toMatchObject({ metric: 'open.limit' });
    expect((await plot({ of: 'metric', metric: 'open' })).limit!.used).toBeCloseTo(0.9, 2);
    const each = await plot({ of: 'metric', metric: 'queue.depth', by: ['instance'] });
    expect(each.lines.map(({ labels }) => labels.instance).sort()).toEqual(['nest-1', 'nest-2']);
  });

  it('are drawn of patterns and expressions too', async () => {
    const { body } = await app.post<SeriesSearchAnswer>('/api/v1/metrics/find', {
      ...asked,
      query: 'room egg',
    });
    const [pattern] = body.patterns;
    expect(pattern).toMatchObject({ name: 'no room for egg …', about: 'nest' });
    const rate = await plot(pattern!.source, { points: 60 });
    expect(rate.unit).toBe('lines/min');
    expect(rate.lines[0]!.values[30]).toBe(2);
    const grouped = await plot(
      { of: 'expression', expression: '"no room" then avg(took) by host' },
      { points: 60 },
    );
    expect(grouped.lines.map(({ labels, values }) => [labels.host, values[40]])).toEqual([
      ['h2', 0.03],
      ['h1', 0.01],
    ]);
    const counted = await plot({ of: 'expression', expression: 'level = warn' }, { points: 60 });
    expect(counted.lines[0]!.values[30]).toBe(2);
  });

  it('are refused in words where they can not be drawn', async () => {
    const refused = async (source: object): Promise<string> =>
      (await app.post<ProblemBody>('/api/v1/metrics/plot', { ...asked, source })).body.code;
    expect(await refused({ of: 'metric', metric: 'none' })).toBe('no-such-metric');
    expect(await refused({ of: 'expression', expression: 'level >' })).toBe('expression');
    expect(
      await refused({ of: 'expression', expression: 'level = warn then count by host then top 3' }),
    ).toBe('plot');
    expect(await refused({ of: 'requests' })).toBe('validation');
    expect(await refused({ of: 'metric', metric: 'cpu', where: { instance: 'nest-1' } })).toBe('where');
  });

  it('are found by words, and by what moved with them', async () => {
    const found = (await app.post<SeriesSearchAnswer>('/api/v1/metrics/find', { ...asked, query: 'queue' }))
      .body;
    expect(found.metrics.map(({ name }) => name)).toEqual(['queue.depth']);
    const { body } = await app.post<MovedWithAnswer>('/api/v1/metrics/related', {
      ...asked,
      source: { of: 'metric', metric: 'queue.depth' },
    });
    const cpu = body.with.find(({ name }) => name.startsWith('cpu'));
    expect(cpu?.correlation).toBeGreaterThan(0.8);
    expect(Math.abs(cpu!.lag - 120)).toBeLessThanOrEqual(60);
    expect(body.with.some(({ name }) => name.startsWith('calm'))).toBe(false);
  });

  it('tell how far they are while all series are looked through', async () => {
    const news = await app.told<Partial<ProgressBody>>('/api/v1/metrics/related', {
      ...asked,
      source: { of: 'metric', metric: 'queue.depth' },
    });
    for (const { done, total } of news.slice(0, -1)) expect(done).toBeLessThanOrEqual(total!);
    expect(news.at(-1)).toMatchObject({ answer: { name: 'queue.depth' } });
  });
});
