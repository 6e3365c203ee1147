import fc from 'fast-check';
import { encodeUtf8 } from '../codec/bytes.js';
import { select } from '../query/evaluate.js';
import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { columnOf, encodeColumn } from './bytes-column.js';
import { decodeIdentifiers, encodeIdentifiers, IdentifiersBuilder } from './identifiers.js';
import { decodeTrigrams, encodeTrigrams, Trigrams } from './trigrams.js';

const hex = (length: number): fc.Arbitrary<string> =>
  fc.string({ unit: fc.constantFrom(...'0123456789abcdef'), minLength: length, maxLength: length });

const trigramsOf = (values: readonly string[]): Trigrams => {
  const trigrams = new Trigrams();
  for (const value of values) {
    const bytes = encodeUtf8(value);
    trigrams.add(bytes, 0, bytes.length);
  }
  return decodeTrigrams(encodeTrigrams(new Map([['a', trigrams]]))).get('a')!;
};

describe('a filter of sequences', () => {
  it('never denies what a value holds, in whatever case', () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ unit: 'grapheme', minLength: 1 }), { minLength: 1 }),
        fc.nat(),
        fc.nat(20),
        fc.nat(20),
        (values, which, from, length) => {
          const phrase = values[which % values.length]!.toLowerCase().slice(from, from + length);
          expect(trigramsOf(values).mayHoldPhrase(encodeUtf8(phrase))).toBe(true);
        },
      ),
    );
  });

  it('denies what no value holds', () => {
    const trigrams = trigramsOf(['gull-4', 'tern', 'puffin']);
    expect(trigrams.mayHoldPhrase(encodeUtf8('gulls'))).toBe(false);
    expect(trigrams.mayHoldPhrase(encodeUtf8('kittiwake'))).toBe(false);
    // Nothing is known of sequences this short.
    expect(trigrams.mayHoldPhrase(encodeUtf8('zz'))).toBe(true);
  });

  it('holds all hexadecimal digits where it is told so', () => {
    const trigrams = new Trigrams();
    trigrams.addHex();
    expect(trigrams.mayHoldPhrase(encodeUtf8('00f-a9e'))).toBe(true);
    expect(trigrams.mayHoldPhrase(encodeUtf8('kittiwake'))).toBe(false);
  });
});

describe('a filter of identifiers', () => {
  const filterOf = (identifiers: readonly string[], others: readonly string[] = []) => {
    const builder = new IdentifiersBuilder();
    expect(builder.addIdentifiers(encodeColumn(columnOf(identifiers)))).toBe(true);
    if (others.length > 0) builder.addOthers(columnOf(others));
    return decodeIdentifiers(encodeIdentifiers(new Map([['a', builder.build()]]))).get('a')!;
  };

  it('never denies an identifier, or a part of one', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(hex(16), { minLength: 12, maxLength: 60 }),
        fc.nat(),
        fc.nat(15),
        (identifiers, which, from) => {
          const filter = filterOf(identifiers);
          const one = identifiers[which % identifiers.length]!;
          expect(filter.mayHold(one)).toBe(true);
          expect(filter.mayHold(one.slice(from))).toBe(true);
        },
      ),
    );
  });

  it('denies nearly all others of their length, and all that are longer', () => {
    const made = Array.from({ length: 4000 }, (_, index) =>
      `${(index * 2_654_435_761).toString(16)}${'0'.repeat(20)}`.slice(0, 20),
    );
    const filter = filterOf(made);
    expect(filter.bits.length).toBeLessThan(4000 * 0.75);
    const others = Array.from({ length: 2000 }, (_, index) =>
      `${(index * 40_503 + 7).toString(16)}${'f'.repeat(20)}`.slice(0, 20),
    );
    const passed = others.filter((other) => filter.mayHold(other)).length;
    expect(passed).toBeLessThan(2000 * 0.2);
    expect(filter.mayHold(`${made[0]!}0`)).toBe(false);
    expect(filter.mayHold('not hexadecimal, 20c')).toBe(false);
  });

  it('says nothing of what is shorter than values of other forms', () => {
    const identifiers = Array.from({ length: 40 }, (_, index) =>
      (index * 7919).toString(16).padStart(8, '0'),
    );
    const filter = filterOf(identifiers, ['0x00000000000000ff']);
    expect(filter.mayHold('ffffffff')).toBe(true);
    expect(filter.mayHold('f'.repeat(18))).toBe(true);
    expect(filter.mayHold('f'.repeat(19))).toBe(false);
  });

  it('leaves other columns alone', () => {
    expect(new IdentifiersBuilder().addIdentifiers(encodeColumn(columnOf(['a', 'b'])))).toBe(false);
  });

  it('does not change what is found', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(hex(32), { minLength: 20, maxLength: 40 }),
        hex(32),
        fc.nat(),
        async (identifiers, strange, which) => {
          const store = new MemoryStore();
          const line = (identifier: string, index: number): string =>
            JSON.stringify({
              ts: new Date(ARRIVAL / 1000 + index).toISOString(),
              msg: `pass ${identifiers[(index + 5) % identifiers.length]!} scanned`,
              trace: identifier,
            });
          store.take(identifiers.map(line).join('\n'), { format: 'json' });
          const [view] = store.views();
          const known = identifiers[which % identifiers.length]!;
          for (const wanted of [known, strange, known.slice(0, 20)]) {
            const phrase = await select({ kind: 'text', phrase: wanted }, view!, () => ({
              layouts: new Set(),
            }));
            const rows = identifiers.map((identifier, index) =>
              identifier.includes(wanted) || identifiers[(index + 5) % identifiers.length]!.includes(wanted)
                ? 1
                : 0,
            );
            expect(phrase === false ? rows.map(() => 0) : [...(phrase as Uint8Array)]).toEqual(rows);
            const field = await select(
              { kind: 'compare', field: 'trace', operator: '=', value: wanted },
              view!,
              () => ({ layouts: new Set() }),
            );
            expect(field === false ? 0 : (field as Uint8Array).reduce((sum, hit) => sum + hit, 0)).toBe(
              identifiers.filter((identifier) => identifier === wanted).length,
            );
          }
        },
      ),
      { numRuns: 20 },
    );
  });
});

describe('the column of a field that names the service', () => {
  const line = (index: number, service: string): string =>
    JSON.stringify({ ts: new Date(ARRIVAL / 1000 + index).toISOString(), service, msg: `x ${index}` });

  it('does not repeat the codes of services, and comes back', async () => {
    const services = Array.from({ length: 300 }, (_, index) => ['gull', 'tern', 'auk'][(index * 7) % 3]!);
    const store = new MemoryStore();
    const lines = services.map((service, index) => line(index, service));
    store.take(lines.join('\n'), { format: 'json' });
    store.seal();
    expect(store.segments[0]!.columns.get('f:service')!.length).toBeLessThan(60);
    const [view] = store.views();
    const field = (await view!.field('service'))!;
    expect(services.map((_, row) => field.column.get(field.rows[row]!))).toEqual(services);
    expect(new TextDecoder().decode(await view!.line(123))).toBe(lines[123]);
  });

  it('keeps its own where some records lack it', async () => {
    const store = new MemoryStore();
    const lines = Array.from({ length: 200 }, (_, index) =>
      index % 5 === 0
        ? JSON.stringify({ ts: new Date(ARRIVAL / 1000 + index).toISOString(), msg: 'none' })
        : line(index, index % 2 === 0 ? 'gull' : 'tern'),
    );
    store.take(lines.join('\n'), { format: 'json', source: 'quay' });
    const [view] = store.views();
    for (const row of [0, 1, 2, 199])
      expect(new TextDecoder().decode(await view!.line(row))).toBe(lines[row]);
  });
});
