import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { pseudoRandom } from '../testing/random.js';
import { fieldDifferences } from './differences.js';
import { addFieldCounts, countFields, type FieldCounts } from './field-counts.js';

const SECOND = 1_000_000;

describe('values of fields', () => {
  const random = pseudoRandom(31);
  const draw = (below: number): number => Math.floor(random() * below);
  const records = Array.from({ length: 3000 }, () => ({
    narrow: draw(40) - 5,
    wide: (draw(3_000_000) / 10).toFixed(1),
    took: `${draw(700)}ms`,
    word: ['north', 'south', 'east'][draw(3)]!,
    ...(draw(3) > 0 && { free: `${['ab', 'cd é', 'ef'][draw(3)]!}-${draw(500)}` }),
  }));
  const store = new MemoryStore();
  for (let from = 0; from < records.length; from += 1000) {
    const lines = records
      .slice(from, from + 1000)
      .map((one, at) =>
        JSON.stringify({ ts: new Date(ARRIVAL / 1000 + (from + at) * 1000).toISOString(), msg: 'm', ...one }),
      );
    store.take(lines.join('\n'));
    store.seal();
  }
  const at = (row: number): number => ARRIVAL + row * SECOND;

  it.each([
    ['all records, a segment in both windows', 0, 1500, 1500, 3000, 1],
    ['all records, a window within a segment', 1200, 1300, 2000, 2900, 1],
    ['one record in three', 0, 1500, 1500, 3000, 3],
    ['one record in fifty', 0, 1500, 1500, 3000, 50],
  ])('are counted as one by one: %s', async (_, from, to, start, end, every) => {
    const [baseline, focus] = [
      { from: at(from), to: at(to) },
      { from: at(start), to: at(end) },
    ];
    const sum = new Map<string, FieldCounts>();
    const fields = ['narrow', 'wide', 'took', 'word', 'free', 'nowhere'];
    // The second time, whole segments are known.
    for (const round of [1, 2]) {
      sum.clear();
      for (const [segment, view] of store.views().entries()) {
        const rows = Uint8Array.from({ length: view.count }, (_, row) =>
          (segment * 1000 + row) % every === 0 ? 1 : 0,
        );
        addFieldCounts(sum, await countFields(view, every === 1 || rows, focus, baseline, fields));
      }
      const plain = new Map<string, Map<string, [number, number]>>();
      records.forEach((record, row) => {
        const window = row >= start && row < end ? 0 : row >= from && row < to ? 1 : undefined;
        if (window === undefined || row % every !== 0) return;
        for (const [field, value] of Object.entries(record)) {
          const counts = plain.get(field) ?? new Map<string, [number, number]>();
          plain.set(field, counts);
          const own = counts.get(String(value)) ?? [0, 0];
          counts.set(String(value), own);
          own[window]++;
        }
      });
      for (const [field, counts] of plain) {
        const found = sum.get(field)!;
        expect([round, field, new Map([...found.values].sort())]).toEqual([
          round,
          field,
          new Map([...counts].sort()),
        ]);
        expect(found.left).toEqual([0, 0]);
      }
      expect(sum.has('nowhere')).toBe(false);
      const { dimension, buckets } = sum.get('took')!;
      expect(dimension).toBe('duration');
      expect(
        [...buckets.values()].reduce((all, [inFocus, inBaseline]) => all + inFocus + inBaseline, 0),
      ).toBe(
        [...plain.get('took')!.values()].reduce(
          (all, [inFocus, inBaseline]) => all + inFocus + inBaseline,
          0,
        ),
      );
    }
  });

  it('of which there are very many keep the commonest, and the numbers by what they are near', async () => {
    const many = new MemoryStore();
    const lines = Array.from({ length: 12_000 }, (_, row) =>
      JSON.stringify({
        ts: new Date(at(row) / 1000).toISOString(),
        msg: 'm',
        // One in four is 7; of the others hardly two are the same. In the focus all are twice as large.
        n: row % 4 === 0 ? 7 : (row >= 6000 ? 2 : 1) * (100_000 + ((row * 7919) % 100_003)),
      }),
    );
    many.take(lines.join('\n'));
    const sum = new Map<string, FieldCounts>();
    many.seal();
    for (const view of many.views())
      addFieldCounts(
        sum,
        await countFields(view, true, { from: at(6000), to: at(12_000) }, { from: at(0), to: at(6000) }, [
          'n',
        ]),
      );
    expect(sum.get('n')!.values.get('7')).toEqual([1500, 1500]);
    expect(sum.get('n')!.values.size).toBeLessThan(2000);
    const [n] = fieldDifferences(sum, 5);
    expect(n).toMatchObject({ focus: 6000, baseline: 6000, more: true });
    const { median, p95 } = n!.shift!.baseline;
    expect(n!.shift!.focus.median / median).toBeCloseTo(2, 1);
    expect(p95 / 195_000).toBeCloseTo(1, 1);
  });
});
