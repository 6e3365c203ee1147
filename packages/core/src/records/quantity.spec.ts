import { quantityOf, quantityReader, unitOfField } from './quantity.js';

describe('quantities', () => {
  it.each([
    ['250ms', 0.25, 'duration'],
    ['1.5h', 5400, 'duration'],
    ['3µs', 3e-6, 'duration'],
    ['-2s', -2, 'duration'],
    ['10kB', 10_000, 'size'],
    ['1MiB', 1_048_576, 'size'],
    ['5%', 0.05, 'number'],
    ['1e3', 1000, 'number'],
    ['.5', 0.5, 'number'],
    ['+7', 7, 'number'],
  ])('%s', (text, value, dimension) => {
    const quantity = quantityOf(text)!;
    expect(quantity.value).toBeCloseTo(value, 12);
    expect(quantity.dimension).toBe(dimension);
  });

  it.each(['', 'ms', '5 ms', '5parsecs', 'error', '1.2.3', '0x10', '5ms5'])('%j is none', (text) => {
    expect(quantityOf(text)).toBeUndefined();
  });

  it.each([
    ['took_ms', 'ms'],
    ['duration.seconds', 's'],
    ['size_bytes', 'B'],
    ['body.kb', 'kB'],
    ['items', ''],
    ['alarms', ''],
  ])('the field %s is counted in %j', (field, unit) => {
    expect(unitOfField(field)).toBe(unit);
  });

  it('of a field have the unit of its name where they have none of their own', () => {
    const read = quantityReader('duration_ms');
    expect(read('250')).toEqual({ value: 0.25, dimension: 'duration' });
    expect(read('2s')).toEqual({ value: 2, dimension: 'duration' });
    expect(read('5%')).toEqual({ value: 0.05, dimension: 'number' });
    expect(read('late')).toBeUndefined();
    expect(quantityReader('items')('7')).toEqual({ value: 7, dimension: 'number' });
  });
});
