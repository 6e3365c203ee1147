import fc from 'fast-check';
import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { evaluate } from './evaluate.js';
import { pseudoRandom } from '../testing/random.js';

/** Values of a field that hold a phrase, as the store finds them. */
async function holding(values: readonly string[], phrase: string): Promise<string[]> {
  const store = new MemoryStore();
  const line = (value: string, index: number): string =>
    JSON.stringify({ ts: new Date(ARRIVAL / 1000 + index).toISOString(), msg: '@', value });
  store.take(values.map(line).join('\n'), { source: '@', format: 'json' });
  const found: string[] = [];
  for (const view of store.views()) {
    const rows = await evaluate({ kind: 'text', phrase }, view, () => ({ layouts: new Set() }));
    const field = (await view.field('value'))!;
    for (let row = 0; row < view.count; row++)
      if (rows === true || (rows !== false && rows[row] === 1))
        found.push(field.column.get(field.rows[row]!));
  }
  return found;
}

describe('phrases in values', () => {
  // Enough different numbers that they are stored as numbers.
  const form = fc.record({
    prefix: fc.constantFrom('', 'u-', 'id', 'a1b', '-', 'K'),
    suffix: fc.constantFrom('', 'ms', ' x', '%', '-'),
    numbers: fc.array(fc.nat(12_000), { minLength: 80, maxLength: 160 }),
    signed: fc.boolean(),
  });

  it('are found in numbers as in their digits', async () => {
    await fc.assert(
      fc.asyncProperty(
        form,
        fc.nat(159),
        fc.nat(6),
        fc.integer({ min: 1, max: 7 }),
        async (drawn, which, from, length) => {
          const values = drawn.numbers.map(
            (number, at) =>
              `${drawn.prefix}${drawn.signed && at % 3 === 0 ? '-' : ''}${number}${drawn.suffix}`,
          );
          const other = values[which % values.length]!;
          for (const phrase of [
            other.slice(from, from + length),
            String(which),
            `0${which}`,
            `-${which}`,
            `${which}${drawn.suffix}`,
          ]) {
            if (phrase.trim() === '' || phrase === '@') continue;
            const expected = values.filter((value) => value.toLowerCase().includes(phrase.toLowerCase()));
            expect(await holding(values, phrase)).toEqual(expected);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  it('are found in identifiers wherever they stand', async () => {
    const random = pseudoRandom(77);
    const digit = (): string => '0123456789abcdef'[Math.floor(random() * 16)]!;
    const hex = (length: number): string => Array.from({ length }, digit).join('');
    const ids = Array.from({ length: 60 }, () => `${hex(8)}-${hex(4)}-${hex(4)}-${hex(4)}-${hex(12)}`);
    for (const [from, to] of [
      [0, 36],
      [0, 8],
      [5, 16],
      [24, 36],
      [8, 9],
      [3, 5],
    ] as const) {
      const phrase = ids[7]!.slice(from, to);
      expect(await holding(ids, phrase)).toEqual(ids.filter((id) => id.includes(phrase)));
    }
    expect(await holding(ids, hex(32))).toEqual([]);
  });
});
