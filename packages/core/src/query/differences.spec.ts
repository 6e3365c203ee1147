import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { type FieldDifference, fieldDifferences } from './differences.js';
import { addFieldCounts, countFields, type FieldCounts } from './field-counts.js';
import { pseudoRandom } from '../testing/random.js';

const SECOND = 1_000_000;
const BASELINE = { from: ARRIVAL, to: ARRIVAL + 500 * SECOND };
const FOCUS = { from: BASELINE.to, to: BASELINE.to + 500 * SECOND };

/** One record a second over both windows. */
async function differencesOf(
  record: (index: number, inFocus: boolean) => object,
  fields: string[],
): Promise<FieldDifference[]> {
  const store = new MemoryStore();
  for (let from = 0; from < 1000; from += 300) {
    const lines = Array.from({ length: Math.min(300, 1000 - from) }, (_, offset) => {
      const index = from + offset;
      const ts = new Date((ARRIVAL + index * SECOND) / 1000).toISOString();
      return JSON.stringify({ ts, msg: 'm', ...record(index, index >= 500) });
    });
    store.take(lines.join('\n'));
    store.seal();
  }
  const sum = new Map<string, FieldCounts>();
  for (const view of store.views())
    addFieldCounts(sum, await countFields(view, true, FOCUS, BASELINE, fields));
  return fieldDifferences(sum, 10);
}

describe('differences', () => {
  it('set aside identifiers whose values come some times and never again', async () => {
    const fields = await differencesOf(
      (index, inFocus) => ({
        trace: `t${Math.floor(index / 4)}`,
        route: index % 10 < (inFocus ? 6 : 2) ? 'x' : 'y',
        // New values throughout are no identifier where they are few.
        version: inFocus ? `2.${index % 3}` : `1.${index % 3}`,
      }),
      ['trace', 'route', 'version'],
    );
    expect(fields.map(({ field, identifier }) => [field, identifier])).toEqual([
      ['version', false],
      ['route', false],
      ['trace', true],
    ]);
    expect(fields[2]!.values).toEqual([]);
  });

  it('put the field first whose values changed, with lift and limits', async () => {
    const [first, second] = await differencesOf(
      (index, inFocus) => ({
        route: index % 10 < (inFocus ? 6 : 2) ? 'x' : 'y',
        site: index % 2 === 0 ? 'n' : 's',
      }),
      ['site', 'route'],
    );
    expect(first!.field).toBe('route');
    const x = first!.values.find(({ value }) => value === 'x')!;
    expect(x).toMatchObject({ focus: 300, baseline: 100, significant: true });
    expect(x.lift).toBeCloseTo(3, 9);
    expect(x.interval[0]).toBeGreaterThan(2);
    expect(second!.values.every(({ significant }) => !significant)).toBe(true);
    expect(second!.divergence).toBeCloseTo(0, 9);
  });

  it('name values that only came in the focus', async () => {
    const [first] = await differencesOf(
      (index, inFocus) => ({ code: inFocus && index % 9 === 0 ? 'new' : 'old' }),
      ['code'],
    );
    const found = first!.values.find(({ value }) => value === 'new')!;
    expect(found.lift).toBeUndefined();
    expect(found.significant).toBe(true);
  });

  it('say how numbers moved', async () => {
    const [first] = await differencesOf(
      (index, inFocus) => ({ took: `${(index % 50) + (inFocus ? 40 : 0)}ms` }),
      ['took'],
    );
    expect(first!.shift).toMatchObject({ unit: 'duration', significant: true });
    expect(first!.shift!.baseline.median).toBeCloseTo(0.024, 9);
    expect(first!.shift!.focus.median).toBeCloseTo(0.064, 9);
    // Of 50 × 50 pairs the focus is above unless it is 40 + a ≤ b: 45 pairs below, 10 equal.
    expect(first!.shift!.above).toBeCloseTo(1 - (45 + 10 / 2) / 2500, 9);
  });

  it('set identifiers aside', async () => {
    const [only] = await differencesOf((index) => ({ id: `r-${index}` }), ['id']);
    expect(only).toMatchObject({ identifier: true, values: [], distinct: 1000 });
  });

  it('claim nothing where nothing differs', async () => {
    const random = pseudoRandom(99);
    const fields = Array.from({ length: 20 }, (_, at) => `f${at}`);
    const found = await differencesOf(
      () => Object.fromEntries(fields.map((field) => [field, `v${Math.floor(random() * 8)}`])),
      fields,
    );
    expect(found.flatMap(({ values }) => values.filter(({ significant }) => significant))).toEqual([]);
  });
});
