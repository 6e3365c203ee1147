import type { SourceSummary } from '@flail/contract';
import type { SegmentInfo } from '../store/record-store.js';
import { TestApp } from '../testing/test-app.js';
import { fateOf, keptFrom } from './retention.js';
import { RetentionService } from './retention.service.js';

const DAY = 86_400_000_000;
const segment = (id: number, day: number, contexts: number[], counts: number[]): SegmentInfo => ({
  id,
  from: day * DAY,
  to: (day + 1) * DAY - 1,
  count: counts.reduce((sum, count) => sum + count, 0),
  rawBytes: 1000,
  contexts,
  contextCounts: counts,
});

describe('retention', () => {
  const contexts = new Map([
    [0, 'a'],
    [1, 'b'],
  ]);

  it('counts age back from now, and bytes back from the newest record', () => {
    const segments = [0, 1, 2, 3].map((day) => segment(day, day, [0, 1], [75, 25]));
    expect(keptFrom(segments, contexts, [{ source: 'b', maxAge: 86_400 }], 4 * DAY)).toEqual(
      new Map([[1, 3 * DAY]]),
    );
    // Of each segment 750 bytes are a's: two fit into 1600.
    expect(keptFrom(segments, contexts, [{ source: 'a', maxBytes: 1600 }], 4 * DAY)).toEqual(
      new Map([[0, 2 * DAY]]),
    );
    expect(keptFrom(segments, contexts, [], 4 * DAY).size).toBe(0);
  });

  it('drops a segment when all in it is past its time, and writes it anew when enough is', () => {
    const cut = new Map([[0, 2 * DAY]]);
    expect(fateOf(segment(0, 0, [0], [10]), cut)).toBe('drop');
    expect(fateOf(segment(0, 0, [0, 1], [60, 40]), cut)).toBe('rewrite');
    expect(fateOf(segment(0, 0, [0, 1], [10, 90]), cut)).toBe('keep');
    expect(fateOf(segment(0, 3, [0], [10]), cut)).toBe('keep');
  });

  it('lets go of what is past its time, of the source that it is set for', async () => {
    const app = await TestApp.start();
    try {
      const line = (hoursAgo: number, text: string): string =>
        JSON.stringify({ ts: new Date(Date.now() - hoursAgo * 3_600_000).toISOString(), msg: text });
      const lines = (name: string): string =>
        [50, 40, 30, 2, 1].map((hours) => line(hours, `${name} ${hours}`)).join('\n');
      await app.take(lines('short'), 'source=short');
      await app.take(lines('long'), 'source=long');
      const set = await fetch(`${app.url}/api/v1/sources/short/retention`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ maxAgeHours: 24 }),
      });
      expect(set.status).toBe(200);
      await app.app.get(RetentionService).all();
      const { body } = await app.post<{ records: { text: string }[] }>('/api/v1/logs/search', {
        window: { from: '2000-01-01T00:00:00Z', to: '2100-01-01T00:00:00Z' },
      });
      const texts = body.records.map(({ text }) => text);
      expect(texts.filter((text) => text.startsWith('short')).sort()).toEqual(['short 1', 'short 2']);
      expect(texts.filter((text) => text.startsWith('long'))).toHaveLength(5);
      const sources = await app.get<SourceSummary[]>('/api/v1/sources');
      expect(sources.body.find(({ name }) => name === 'short')).toMatchObject({
        retention: { maxAgeHours: 24 },
      });
      const none = await fetch(`${app.url}/api/v1/sources/nosuch/retention`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: '{}',
      });
      expect(none.status).toBe(404);
    } finally {
      await app.end();
    }
  });
});
