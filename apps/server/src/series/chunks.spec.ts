import type { MetricsQueryAnswer, MetricsSearchAnswer } from '@flail/contract';
import { SeriesChunkModel } from '../database/models.js';
import { RetentionService } from '../maintenance/retention.service.js';
import { TestApp } from '../testing/test-app.js';
import { SeriesService } from './series.service.js';

const HOUR = 3_600_000;
const NOW = Math.floor(Date.now() / HOUR) * HOUR;
const hoursBack = (from: number, to: number): number[] =>
  Array.from({ length: from - to }, (_, at) => NOW - (from - at) * HOUR);

/** A gauge that tells how many hours ago it was measured. */
const gauge = (name: string, times: readonly number[]): object => ({
  resourceMetrics: [
    {
      resource: { attributes: [{ key: 'service.name', value: { stringValue: 'gull' } }] },
      scopeMetrics: [
        {
          metrics: [
            {
              name,
              unit: 'h',
              gauge: {
                dataPoints: times.map((time) => ({
                  timeUnixNano: `${time}000000`,
                  asDouble: (NOW - time) / HOUR,
                })),
              },
            },
          ],
        },
      ],
    },
  ],
});

describe('series in chunks', () => {
  let app: TestApp;
  const query = async (): Promise<(number | null)[]> => {
    const { body } = await app.post<MetricsQueryAnswer>('/api/v1/metrics/query', {
      window: { from: new Date(NOW - 240 * HOUR).toISOString(), to: new Date(NOW).toISOString() },
      metric: 'height',
      points: 240,
    });
    return body.lines[0]!.values;
  };

  beforeAll(async () => {
    app = await TestApp.start(undefined, { FLAIL_SERIES_DAYS: '4' });
    await app.post('/v1/metrics', gauge('depth', hoursBack(230, 200)));
    await app.post('/v1/metrics', gauge('height', hoursBack(240, 100)));
  });
  afterAll(() => app.end());

  it('follow one another in time, in whatever order their points came', async () => {
    await app.app.get(SeriesService).sealed();
    // What came later reaches back to the middle of what is there.
    await app.post('/v1/metrics', gauge('height', hoursBack(180, 1)));
    const before = await query();
    await app.app.get(SeriesService).sealed();
    expect(await query()).toEqual(before);
    expect(before.filter((value) => value !== null).length).toBeGreaterThan(230);
    const height = await SeriesChunkModel.findAll({ order: ['seriesId', 'fromMicros'] });
    expect(height.length).toBeGreaterThan(5);
    for (const [at, chunk] of height.entries()) {
      expect(chunk.toMicros - chunk.fromMicros).toBeLessThan(48 * HOUR * 1000);
      const next = height[at + 1];
      if (next?.seriesId === chunk.seriesId) expect(next.fromMicros).toBeGreaterThan(chunk.toMicros);
    }
  });

  it('are let go of when they are older than is kept, and series of which nothing is left', async () => {
    const before = await query();
    await app.app.get(RetentionService).all();
    const after = await query();
    // Days go two at a time.
    expect(after.slice(0, 90).every((value) => value === null)).toBe(true);
    expect(after.slice(-96)).toEqual(before.slice(-96));
    const { body } = await app.post<MetricsSearchAnswer>('/api/v1/metrics/search', {});
    expect(body.metrics.map(({ metric }) => metric)).toEqual(['height']);
    // It may come again.
    await app.post('/v1/metrics', gauge('depth', hoursBack(3, 1)));
    const again = await app.post<MetricsSearchAnswer>('/api/v1/metrics/search', {});
    expect(again.body.metrics.map(({ metric }) => metric)).toEqual(['depth', 'height']);
  });
});
