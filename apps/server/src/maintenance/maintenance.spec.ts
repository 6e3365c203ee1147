import type { LogsSearchAnswer } from '@flail/contract';
import { TestApp } from '../testing/test-app.js';
import { RecordStore, type SegmentInfo } from '../store/record-store.js';
import { groupOf } from './maintenance.service.js';

const segment = (id: number, count: number, from = id): SegmentInfo => ({
  id,
  from,
  to: from + 1,
  count,
  rawBytes: 0,
  contexts: [],
});

describe('putting segments together', () => {
  it('waits until there are enough, or they fill one', () => {
    expect(groupOf(Array.from({ length: 5 }, (_, id) => segment(id, 100)))).toBeUndefined();
    expect(groupOf(Array.from({ length: 12 }, (_, id) => segment(id, 100)))).toHaveLength(12);
    expect(groupOf([segment(1, 30_000), segment(2, 30_000), segment(3, 30_000)])).toEqual([
      segment(1, 30_000),
      segment(2, 30_000),
    ]);
    expect(groupOf([segment(1, 65_000), segment(2, 60_000)])).toBeUndefined();
  });

  it('joins segments of about one size only', () => {
    const large = Array.from({ length: 3 }, (_, id) => segment(id, 9000));
    const tiny = Array.from({ length: 11 }, (_, id) => segment(100 + id, 20));
    expect(groupOf([...large, ...tiny])).toBeUndefined();
    expect(groupOf([...large, ...tiny, segment(50, 25)])).toHaveLength(12);
  });

  it('loses, doubles and changes nothing, also for those who read meanwhile', async () => {
    const app = await TestApp.start();
    try {
      for (let batch = 0; batch < 14; batch++) {
        await app.take(
          Array.from({ length: 10 }, (_, index) =>
            JSON.stringify({
              ts: new Date(Date.UTC(2026, 2, 2) + batch * 1000 + index).toISOString(),
              msg: `x ${batch} ${index}`,
              n: index,
            }),
          ).join('\n'),
        );
      }
      const search = async (): Promise<LogsSearchAnswer> =>
        (
          await app.post<LogsSearchAnswer>('/api/v1/logs/search', {
            window: { from: '2026-03-01T00:00:00Z', to: '2026-03-03T00:00:00Z' },
            limit: 1000,
          })
        ).body;
      const before = await search();
      expect(before.matched).toBe(140);
      const { segments } = app.app.get(RecordStore).dataset();
      const many = segments.length;
      while (app.app.get(RecordStore).dataset().segments.length >= Math.min(12, many))
        expect(await search()).toEqual(before);
      expect(await search()).toEqual(before);
    } finally {
      await app.end();
    }
  });
});
