import fc from 'fast-check';
import { decodeValues, encodeValues } from './value-column.js';

function back(values: readonly string[]): string[] {
  const column = decodeValues(encodeValues(values));
  return Array.from({ length: column.length }, (_, index) => column.get(index));
}

describe('a column of values', () => {
  const many = (make: (index: number) => string): string[] =>
    Array.from({ length: 3000 }, (_, index) => make(index));
  it.each([
    ['constants', many(() => 'same'), 100],
    ['few different values', many((index) => ['a', 'b', 'c'][index % 3]!), 3200],
    ['counting numbers with a unit', many((index) => `${index * 3}ms`), 3100],
    ['decimals of one scale', many((index) => (index / 100).toFixed(2)), 6200],
    ['zero-padded identifiers', many((index) => `SL-${String(index).padStart(6, '0')}`), 3100],
    ['hexadecimal', many((index) => (index * 2654435761).toString(16).padStart(12, '0')), 18_200],
    ['UUIDs', many((index) => `550e8400-e29b-41d4-a716-${String(index).padStart(12, '0')}`), 48_200],
    ['anything', many((index) => `${'x'.repeat(index % 7)}é${index}`), 50_000],
  ])('of %s comes back, in no more than so many bytes', (_, values, most) => {
    expect(encodeValues(values).length).toBeLessThanOrEqual(most);
    expect(back(values)).toEqual(values);
  });

  it.each([
    [['-0', '0', '1']],
    [['1', '01', '1']],
    [['1.0', '1.00']],
    [['9007199254740993', '1']],
    [['1e5', '2']],
    [['', '1', '']],
    [['-', '--']],
    [[]],
  ])('never makes one number of two spellings: %j', (values) => {
    const repeated = Array.from(
      { length: 40 },
      (_, index) => `${values[index % Math.max(1, values.length)] ?? ''}`,
    );
    expect(back(repeated)).toEqual(repeated);
    expect(back(values)).toEqual(values);
  });

  it('comes back whatever the values', () => {
    const value = fc.oneof(
      fc.string({ unit: 'grapheme' }),
      fc.integer().map(String),
      fc.double().map(String),
      fc.stringMatching(/^[0-9a-f-]{8,12}$/),
      fc.constantFrom('5ms', '12ms', '-3ms', '1.50', '2.25'),
    );
    fc.assert(
      fc.property(fc.array(value, { maxLength: 60 }), (values) => {
        expect(back(values)).toEqual(values);
      }),
      { numRuns: 500 },
    );
  });
});

describe('keys of identifiers', () => {
  it.each([
    ['digits', (index: number) => (index * 2654435761).toString(16).padStart(16, '0')],
    [
      'digits with dashes',
      (index: number) => `1f6b2c3d-0000-4000-8000-${(index * 7919).toString(16).padStart(12, '0')}`,
    ],
  ])('are the same for the same %s, in the column and as texts', (_, idOf) => {
    const ids = Array.from({ length: 300 }, (__, index) => idOf(index + 1));
    const { hex } = decodeValues(encodeValues(ids));
    const keys = ids.map((___, index) => hex!.key(index));
    expect(keys).toEqual(ids.map((id) => hex!.keyOf(id)));
    expect(new Set(keys).size).toBe(ids.length);
    for (const other of ['', 'z'.repeat(16), `${ids[0]}0`]) expect(hex!.keyOf(other)).toBeNaN();
  });
});
