import { MemoryStore } from '../testing/memory-store.js';
import {
  addAllCounts,
  addAllHistory,
  countHistory,
  countLayouts,
  type LayoutCounts,
  type LayoutHistory,
  stretchOf,
} from './pattern-counts.js';
import { layoutsToLookBack, patternTable } from './pattern-table.js';

const START = Date.UTC(2026, 2, 2, 12) * 1000;
const MINUTE = 60_000_000;
const at = (minute: number): string => new Date((START + minute * MINUTE) / 1000).toISOString();

/** A store of several segments with a line every minute, bursts, and one line that is new in the focus. */
function storeOf(): MemoryStore {
  const store = new MemoryStore();
  for (let hour = 0; hour < 5; hour++) {
    const lines: string[] = [];
    for (let minute = hour * 60; minute < hour * 60 + 60; minute++) {
      lines.push(JSON.stringify({ ts: at(minute), msg: `beat ${minute}`, level: 'info' }));
      if (minute % 50 === 7)
        for (let copy = 0; copy < 10; copy++)
          lines.push(JSON.stringify({ ts: at(minute), msg: `burst ${copy}`, level: 'warn' }));
      if (minute >= 270) lines.push(JSON.stringify({ ts: at(minute), msg: 'token lost', level: 'error' }));
    }
    store.take(lines.join('\n'));
    store.seal();
  }
  return store;
}

async function table(store: MemoryStore, scope: Uint8Array | true = true) {
  const focus = { from: START + 270 * MINUTE, to: START + 300 * MINUTE };
  const baseline = { from: START + 240 * MINUTE, to: START + 270 * MINUTE };
  const stretch = stretchOf(focus, START);
  const counts = new Map<number, LayoutCounts>();
  const histories = new Map<number, LayoutHistory>();
  for (const view of store.views()) addAllCounts(counts, await countLayouts(view, scope, focus, baseline));
  const wanted = new Set(layoutsToLookBack(counts, store.grouping().patterns));
  for (const view of store.views())
    addAllHistory(histories, await countHistory(view, scope, focus, stretch, wanted));
  return patternTable(
    counts,
    histories,
    store.grouping().patterns,
    { focus: 30, baseline: 30, earlier: 270, stretch: stretch / MINUTE, touching: true },
    'surprise',
  );
}

describe('the pattern table', () => {
  it('counts focus, baseline and all that was before exactly', async () => {
    const rows = await table(storeOf());
    const [lost, ...others] = rows;
    expect(lost).toMatchObject({
      focus: 30,
      baseline: 0,
      earlier: 0,
      change: 'first seen',
      first: START + 270 * MINUTE,
    });
    expect(lost!.levels[5]).toBe(30);
    const beat = others.find((row) => row.focus === 30)!;
    expect(beat).toMatchObject({
      baseline: 30,
      surprise: 0,
      earlier: 270,
      change: 'as before',
      lift: 1,
      first: START,
    });
    const burst = others.find((row) => row.baseline === 10)!;
    expect(burst).toMatchObject({ focus: 0, earlier: 60 });
  });

  it('adds up: rows to windows, trends to rows', async () => {
    for (const row of await table(storeOf())) {
      expect(row.trend.reduce((sum, count) => sum + count, 0)).toBe(row.focus);
      expect(row.baselineTrend.reduce((sum, count) => sum + count, 0)).toBe(row.baseline);
      expect([...row.services.values()].reduce((sum, count) => sum + count, 0)).toBe(
        row.focus + row.baseline,
      );
    }
  });

  it('answers from summaries what reading every row would say', async () => {
    const focus = { from: START + 270 * MINUTE, to: START + 300 * MINUTE };
    for (const stretch of [30 * MINUTE, 90 * MINUTE, 1000 * MINUTE]) {
      for (const view of storeOf().views()) {
        const all = new Set(view.summary.layouts);
        const bySummary = await countHistory(view, true, focus, stretch, all);
        const byRows = await countHistory(view, new Uint8Array(view.count).fill(1), focus, stretch, all);
        expect(bySummary).toEqual(byRows);
      }
    }
  });
});
