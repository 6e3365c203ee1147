import fc from 'fast-check';
import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { evaluate } from './evaluate.js';
import { parseQuery } from './expression.js';
import { recordsOfPattern } from './pattern-refs.js';
import { addDistinct, countDistinct, DISTINCT_ERROR, emptyDistinct, mergeDistinct } from './distinct.js';
import { addToSketch, emptySketch, mergeSketch, quantileOf, SKETCH_ERROR } from './sketch.js';
import type { Summary } from './steps.js';
import { addSummary, emptySummary, summarise, summaryTable, type Table } from './summary.js';
import { applyStep, UnknownColumnError } from './table-steps.js';

const WHOLE = { from: ARRIVAL - 1e9, to: ARRIVAL + 3.6e9 };

/** Answers an expression over all segments of a store. */
async function ask(store: MemoryStore, expression: string, window = WHOLE): Promise<Table> {
  const { filter, steps } = parseQuery(expression);
  const [first, ...rest] = steps as [Summary, ...Exclude<(typeof steps)[number], Summary>[]];
  const grouping = store.grouping();
  const lookup = Object.assign((ref: string) => recordsOfPattern(grouping, ref)!, {});
  const sum = emptySummary();
  for (const view of store.views()) {
    addSummary(sum, await summarise(view, await evaluate(filter, view, lookup), window, first));
  }
  let table = summaryTable(sum, first, window);
  for (const step of rest) table = applyStep(table, step);
  return table;
}

const at = (seconds: number): string => new Date(ARRIVAL / 1000 + seconds * 1000).toISOString();

function storeOf(records: readonly object[], perSegment = 7): MemoryStore {
  const store = new MemoryStore();
  for (let from = 0; from < records.length; from += perSegment) {
    store.take(
      records
        .slice(from, from + perSegment)
        .map((one) => JSON.stringify(one))
        .join('\n'),
    );
    store.seal();
  }
  return store;
}

describe('summaries', () => {
  const records = Array.from({ length: 60 }, (_, index) => ({
    ts: at(index * 10),
    msg: `step ${index % 4} took ${index}ms`,
    level: index % 5 === 0 ? 'error' : 'info',
    service: index % 3 === 0 ? 'a' : 'b',
    duration_ms: index * 10,
    ...(index % 2 === 0 && { user: `u${index % 7}` }),
  }));
  const store = storeOf(records);

  it('count by fields, the largest first', async () => {
    expect(await ask(store, 'then count by service, level')).toEqual({
      columns: [
        { name: 'service', kind: 'group' },
        { name: 'level', kind: 'group' },
        { name: 'count', kind: 'value' },
      ],
      rows: [
        ['b', 'info', 32],
        ['a', 'info', 16],
        ['b', 'error', 8],
        ['a', 'error', 4],
      ],
    });
  });

  it('measure numbers with their units', async () => {
    const { columns, rows } = await ask(
      store,
      'level = error then count, sum(duration_ms), avg(duration_ms), min(duration_ms), max(duration_ms), p50(duration_ms), distinct(user) as users',
    );
    expect(columns.slice(1, 6).every(({ unit }) => unit === 's')).toBe(true);
    expect(columns[6]).toEqual({ name: 'users', kind: 'value' });
    // Of 0, 50, 100 … 550 ms the sixth is 250 ms.
    expect(rows).toEqual([[12, expect.closeTo(3.3), expect.closeTo(0.275), 0, 0.55, 0.25, 6]]);
  });

  it('make steps of time, with groups beside them', async () => {
    const window = { from: ARRIVAL, to: ARRIVAL + 600e6 };
    const { rows } = await ask(store, 'then count by service every 5m', window);
    expect(rows).toEqual([
      [ARRIVAL, 'b', 20],
      [ARRIVAL, 'a', 10],
      [ARRIVAL + 300e6, 'b', 20],
      [ARRIVAL + 300e6, 'a', 10],
    ]);
    expect((await ask(store, 'then rate', window)).rows).toEqual([[0.1]]);
    expect((await ask(store, 'then share by service', window)).rows.map(([, share]) => share)).toEqual([
      expect.closeTo(2 / 3),
      expect.closeTo(1 / 3),
    ]);
  });

  it('group by what is worked out, and by what records lack', async () => {
    expect((await ask(store, 'then count by hour(time)')).rows).toEqual([['18', 60]]);
    expect((await ask(store, 'then count by weekday(time)')).rows).toEqual([['Monday', 60]]);
    expect((await ask(store, 'then count by length(service)')).rows).toEqual([['1', 60]]);
    const users = (await ask(store, 'then count by user')).rows;
    expect(users[0]).toEqual([null, 30]);
    expect((await ask(store, 'then count by nosuch')).rows).toEqual([[null, 60]]);
  });

  it('are filtered, sorted and cut', async () => {
    const top = await ask(
      store,
      'then count, max(duration_ms) as slowest by user then where user is present and slowest > 500ms then sort slowest then top 2',
    );
    expect(top.rows).toHaveLength(2);
    // Of the users of even records, those of the last ones: 58 % 7 = 2, 56 % 7 = 0.
    expect(top.rows.map(([user, , slowest]) => [user, slowest])).toEqual([
      ['u2', 0.58],
      ['u0', 0.56],
    ]);
    const sorted = await ask(store, 'then count by service then sort count asc');
    expect(sorted.rows.map(([service]) => service)).toEqual(['a', 'b']);
    await expect(ask(store, 'then count by service then where nosuch > 1')).rejects.toBeInstanceOf(
      UnknownColumnError,
    );
    const over = await ask(store, 'then count by service every 5m then top 1');
    expect(new Set(over.rows.map(([, service]) => service))).toEqual(new Set(['b']));
  });

  it('of nothing are nothing, and one row without groups', async () => {
    expect((await ask(store, 'nowhere then count')).rows).toEqual([[0]]);
    expect((await ask(store, 'nowhere then count by service')).rows).toEqual([]);
    expect((await ask(store, 'nowhere then avg(duration_ms)')).rows).toEqual([[null]]);
  });

  it('agree with plain sums over plain objects', async () => {
    const record = fc.record(
      {
        service: fc.constantFrom('a', 'b', 'c'),
        n: fc.integer({ min: -50, max: 50 }),
        tag: fc.constantFrom('x', 'y'),
      },
      { requiredKeys: ['service'] },
    );
    await fc.assert(
      fc.asyncProperty(fc.array(record, { minLength: 1, maxLength: 40 }), fc.nat(6), async (all, size) => {
        const own = storeOf(
          all.map((one, index) => ({ ts: at(index), msg: 'm', ...one })),
          size + 1,
        );
        const { rows } = await ask(
          own,
          'then count, sum(n), min(n), max(n), p90(n), distinct(n) by service, tag',
        );
        const groups = new Map<string, { key: [string, string | null]; n: number[]; count: number }>();
        for (const { service, tag, n } of all) {
          const key: [string, string | null] = [service, tag ?? null];
          const group = groups.get(JSON.stringify(key)) ?? { key, n: [], count: 0 };
          groups.set(JSON.stringify(key), group);
          group.count++;
          if (n !== undefined) group.n.push(n);
        }
        const expected = [...groups.values()].map(({ key, n, count }) => {
          const sorted = [...n].sort((a, b) => a - b);
          return [
            ...key,
            count,
            n.reduce((sum, one) => sum + one, 0),
            sorted[0] ?? null,
            sorted.at(-1) ?? null,
            sorted[Math.ceil(0.9 * n.length) - 1] ?? null,
            new Set(n).size,
          ];
        });
        const text = (row: readonly unknown[]): string => JSON.stringify(row);
        expect(rows.map(text).sort()).toEqual(expected.map(text).sort());
      }),
      { numRuns: 100 },
    );
  });
});

describe('sketches', () => {
  it('keep their promise about percentiles, whole and in parts', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 20, maxLength: 200 }),
        fc.constantFrom(0.01, 0.5, 0.9, 0.99, 1),
        (values, share) => {
          const whole = emptySketch();
          const parts = [emptySketch(), emptySketch()];
          // Each value many times over, so that the sketch stops keeping them.
          values.forEach((value, at) => {
            addToSketch(whole, value, 300);
            addToSketch(parts[at % 2]!, value, 300);
          });
          mergeSketch(parts[0]!, parts[1]!);
          const truth = [...values].sort((a, b) => a - b)[Math.ceil(share * values.length) - 1]!;
          for (const sketch of [whole, parts[0]!]) {
            const found = quantileOf(sketch, share);
            expect(found.exact).toBe(false);
            expect(Math.abs(found.value - truth)).toBeLessThanOrEqual(
              Math.abs(truth) * SKETCH_ERROR * 1.0001 + 1e-9,
            );
          }
        },
      ),
      { numRuns: 50 },
    );
  });

  it('are exact while there are few values', () => {
    const sketch = emptySketch();
    for (let value = 1; value <= 1000; value++) addToSketch(sketch, value);
    expect(quantileOf(sketch, 0.95)).toEqual({ value: 950, exact: true });
    expect(quantileOf(emptySketch(), 0.5).value).toBeNaN();
  });

  it('count different values exactly, then within three standard errors', () => {
    const [few, many] = [emptyDistinct(), emptyDistinct()];
    for (let value = 0; value < 10_000; value++) addDistinct(few, String(value % 500));
    expect(countDistinct(few)).toEqual({ value: 500, exact: true });
    for (let value = 0; value < 60_000; value++) addDistinct(many, `user-${value}`);
    const more = emptyDistinct();
    for (let value = 30_000; value < 120_000; value++) addDistinct(more, `user-${value}`);
    mergeDistinct(many, more);
    const { value, exact } = countDistinct(many);
    expect(exact).toBe(false);
    expect(Math.abs(value - 120_000) / 120_000).toBeLessThan(3 * DISTINCT_ERROR);
  });
});
