import fc from 'fast-check';
import { MemoryStore } from '../testing/memory-store.js';
import { comparePlaces, type Place, searchSegments } from './search.js';
import { countValues } from './values.js';
import { addVolume, emptyVolume, volumeOf } from './volume.js';
import { firstAt, overlaps } from './window.js';

const START = Date.UTC(2026, 2, 2, 18) * 1000;
const SECOND = 1_000_000;

interface Plain {
  second: number;
  level: string;
  tag: string;
}

const records = fc.array(
  fc.record({
    second: fc.nat(120),
    level: fc.constantFrom('info', 'error', 'fatal'),
    tag: fc.constantFrom('a', 'b', 'c'),
  }),
  { minLength: 1, maxLength: 60 },
);
const window = fc
  .tuple(fc.nat(130), fc.integer({ min: 1, max: 60 }))
  .map(([from, length]) => ({ from: START + from * SECOND, to: START + (from + length) * SECOND }));

/** A store of several segments. */
function storeOf(all: readonly Plain[]): MemoryStore {
  const store = new MemoryStore();
  for (let from = 0; from < all.length; from += 17) {
    const lines = all.slice(from, from + 17).map(({ second, level, tag }) =>
      JSON.stringify({
        ts: new Date((START + second * SECOND) / 1000).toISOString(),
        level,
        tag,
        msg: `at ${second}`,
      }),
    );
    store.take(lines.join('\n'));
    store.seal();
  }
  return store;
}

const inside = (all: readonly Plain[], { from, to }: { from: number; to: number }): Plain[] =>
  all.filter(({ second }) => START + second * SECOND >= from && START + second * SECOND < to);

describe('windows', () => {
  it('find the first row at a moment', () => {
    const times = Float64Array.of(1, 3, 3, 7);
    expect([0, 1, 2, 3, 4, 7, 8].map((moment) => firstAt(times, moment))).toEqual([0, 0, 1, 1, 3, 3, 4]);
    expect(overlaps({ from: 5, to: 10 }, 10, 20)).toBe(false);
    expect(overlaps({ from: 5, to: 11 }, 10, 20)).toBe(true);
    expect(overlaps({ from: 20, to: 30 }, 10, 20)).toBe(true);
  });
});

describe('counting over segments agrees with counting by hand', () => {
  it('of volume by step', async () => {
    await fc.assert(
      fc.asyncProperty(records, window, fc.integer({ min: 1, max: 12 }), async (all, span, steps) => {
        const sum = emptyVolume(steps);
        for (const view of storeOf(all).views()) addVolume(sum, await volumeOf(view, true, span, steps));
        const expected = emptyVolume(steps);
        for (const { second, level } of inside(all, span)) {
          const step = Math.floor(((START + second * SECOND - span.from) / (span.to - span.from)) * steps);
          expected.total[step]!++;
          if (level !== 'info') expected.errors[step]!++;
        }
        expect(sum).toEqual(expected);
      }),
      { numRuns: 60 },
    );
  });

  it('of values', async () => {
    await fc.assert(
      fc.asyncProperty(records, window, async (all, span) => {
        for (const field of ['tag', 'level'] as const) {
          const sum: Record<string, number> = {};
          for (const view of storeOf(all).views()) {
            for (const [value, count] of await countValues(view, true, span, field, 100))
              sum[value] = (sum[value] ?? 0) + count;
          }
          const expected: Record<string, number> = {};
          for (const one of inside(all, span)) expected[one[field]] = (expected[one[field]] ?? 0) + 1;
          expect(sum).toEqual(expected);
        }
      }),
      { numRuns: 40 },
    );
  });

  it('of a search, page by page, in both orders', async () => {
    await fc.assert(
      fc.asyncProperty(
        records,
        window,
        fc.constantFrom('newest' as const, 'oldest' as const),
        fc.integer({ min: 1, max: 9 }),
        async (all, span, order, limit) => {
          const views = storeOf(all).views();
          const seen: Place[] = [];
          let cursor: Place | undefined;
          for (;;) {
            const selected = views.map((view) => ({ view, selection: true }));
            const { hits, matched } = await searchSegments(selected, span, order, limit, cursor);
            expect(matched).toBe(inside(all, span).length);
            if (hits.length === 0) break;
            seen.push(...hits);
            cursor = hits.at(-1);
          }
          expect(seen).toHaveLength(inside(all, span).length);
          expect(seen).toEqual([...seen].sort((a, b) => comparePlaces(a, b, order)));
          expect(new Set(seen.map(({ seq }) => seq)).size).toBe(seen.length);
        },
      ),
      { numRuns: 60 },
    );
  });
});
