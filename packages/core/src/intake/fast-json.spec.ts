import fc from 'fast-check';
import { isStored, ShapeBook } from '../records/shape.js';
import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { LogParser } from './log-parser.js';

interface Known {
  micros: number;
  level: number;
  text: string;
  fields: Record<string, string>;
}

/** What the store knows of each record, in order of arrival, where lines are read as bytes as far as they can be. */
async function stored(input: string): Promise<Known[]> {
  const store = new MemoryStore();
  store.take(input, { format: 'json' });
  const found: (Known & { seq: number })[] = [];
  for (const view of store.views()) {
    const [times, levels, seqs] = [await view.times(), await view.levels(), await view.seqs()];
    for (let row = 0; row < view.count; row++) {
      const fields = Object.fromEntries(await view.fields(row));
      found.push({
        seq: seqs[row]!,
        micros: times[row]!,
        level: levels[row]!,
        text: await view.text(row),
        fields,
      });
    }
  }
  // What comes out as a line is held by other tests; here it is what lines mean.
  expect((await store.lines()).join('\n')).toBe(input);
  return found
    .sort((a, b) => a.seq - b.seq)
    .map(({ micros, level, text, fields }) => ({ micros, level, text, fields }));
}

/** What the full reader alone makes of the same bytes. */
function parsed(input: string): Known[] {
  const found: Known[] = [];
  const parser = new LogParser(
    new ShapeBook(),
    'json',
    ARRIVAL,
    ({ micros, level, text, shape, values, shadows }) => {
      const own = shape.holes.flatMap((hole, at): [string, string][] =>
        isStored(hole) ? [[hole.name, values[at]!]] : [],
      );
      const beside = shape.shadows.map((name, at): [string, string] => [name, shadows[at]!]);
      found.push({ micros, level, text, fields: Object.fromEntries([...own, ...beside]) });
    },
  );
  parser.push(Buffer.from(input));
  parser.end();
  return found;
}

describe('lines read as bytes', () => {
  it('are what the full reader makes of them', async () => {
    const value = fc.oneof(
      fc.string({ maxLength: 12 }),
      fc.integer(),
      fc.double({ noNaN: true, noDefaultInfinity: true }),
      fc.constantFrom(true, false, null, 'say "it"', 'a\\b', 'x\ny', 'é → ü', '\u0001', 'INFO', '250ms'),
      fc.constantFrom([1, 2], { deep: { er: 1 } }),
    );
    const record = fc.record(
      {
        ts: fc.constantFrom(
          ...[
            '2026-03-02T18:00:00.123Z',
            '2026-03-02T18:00:01.5Z',
            '2026-02-30T18:00:00.123Z',
            '2026-03-02 18:00:00',
          ],
          ...['2026-03-02T23:59:59.999+02:00', '2026-03-02T24:00:00.123Z', 1_772_474_400_123, 'yesterday'],
        ),
        level: fc.constantFrom('info', 'WARN', 'error', '17', 'strange'),
        service: fc.constantFrom('a', 'b', ''),
        msg: fc.oneof(
          fc.string({ maxLength: 20 }),
          fc.constantFrom('step 1 of 2', 'say "it" now', 'tab\there', 7),
        ),
        more: value,
      },
      { requiredKeys: ['msg'] },
    );
    await fc.assert(
      fc.asyncProperty(
        fc.array(record, { minLength: 1, maxLength: 12 }),
        fc.constantFrom('', ' ', ' at f', 'x'),
        async (records, between) => {
          // Each line several times, so that it is met again after it was learned.
          const lines = records.map((one) => JSON.stringify(one));
          const input = [...lines, ...lines, between, ...lines].join('\n');
          expect(await stored(input)).toEqual(parsed(input));
        },
      ),
      { numRuns: 200 },
    );
  });

  it.each([
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a","n":01}',
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a","n":1.}',
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a","n":-}',
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a","n":truely}',
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a","n":1}}',
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a\\u0041","n":1}',
    '{"ts":"2026-03-02T18:00:00.000Z","msg":"a\\/b","n":1}',
    '{"ts":"0026-03-02T18:00:00.000Z","msg":"a","n":1}',
  ])('are refused where they are not like the one before: %s', async (odd) => {
    const plain = '{"ts":"2026-03-02T18:00:00.000Z","msg":"a","n":1}';
    const input = [plain, plain, odd, plain].join('\n');
    expect(await stored(input)).toEqual(parsed(input));
  });
});
