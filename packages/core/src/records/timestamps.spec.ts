import fc from 'fast-check';
import { commonLogTimeAt, epochNumber, formatTimestamp, isoAt, timestampOfValue } from './timestamps.js';

describe('timestamps', () => {
  it.each([
    ['2026-03-02T18:00:00Z', Date.UTC(2026, 2, 2, 18) * 1000],
    ['2026-03-02 18:00:00,250', Date.UTC(2026, 2, 2, 18, 0, 0, 250) * 1000],
    ['2026/03/02 18:00:00', Date.UTC(2026, 2, 2, 18) * 1000],
    ['2026-03-02T18:00:00.123456+02:00', Date.UTC(2026, 2, 2, 16, 0, 0, 123) * 1000 + 456],
    ['2026-03-02T18:00:00-0730', Date.UTC(2026, 2, 3, 1, 30) * 1000],
    ['02/Mar/2026:18:00:00 +0100', Date.UTC(2026, 2, 2, 17) * 1000],
    ['1772474400', 1772474400 * 1e6],
    ['1772474400.5', 1772474400.5 * 1e6],
    ['1772474400123', 1772474400123 * 1e3],
  ])('%s is read and written alike', (text, micros) => {
    const stamp = timestampOfValue(text)!;
    expect(stamp.micros).toBe(micros);
    expect(formatTimestamp(stamp.micros, stamp.format!)).toBe(text);
  });

  it.each([
    '2026-02-30T00:00:00Z',
    '2026-13-01T00:00:00Z',
    '2026-03-02T25:00:00Z',
    '02/Foo/2026:18:00:00 +0100',
    'yesterday',
    '12',
    '',
  ])('%s is none', (text) => {
    expect(timestampOfValue(text)).toBeUndefined();
  });

  it('with more digits than are kept has no format, so that its characters are kept', () => {
    expect(timestampOfValue('2026-03-02T18:00:00.123456789Z')).toMatchObject({ format: undefined });
    expect(epochNumber('1772474400123456789')).toMatchObject({ format: undefined });
  });

  it('of any moment and zone comes back as it was', () => {
    fc.assert(
      fc.property(
        fc.date({ min: new Date('1970-01-01'), max: new Date('2099-12-31'), noInvalidDate: true }),
        fc.nat(6),
        fc.constantFrom('', 'Z', '+05:30', '-0800'),
        fc.constantFrom('T', ' '),
        (date, digits, zone, join) => {
          const iso = date.toISOString();
          const fraction = digits === 0 ? '' : `.${iso.slice(20, 23).padEnd(6, '7').slice(0, digits)}`;
          const text = `${iso.slice(0, 10)}${join}${iso.slice(11, 19)}${fraction}${zone}`;
          const stamp = isoAt(text, 0)!;
          expect(stamp.end).toBe(text.length);
          expect(formatTimestamp(stamp.micros, stamp.format!)).toBe(text);
        },
      ),
    );
  });

  it('stops where the timestamp ends', () => {
    expect(isoAt('2026-03-02 18:00:00 - text', 0)!.end).toBe(19);
    expect(commonLogTimeAt('[02/Mar/2026:18:00:00 +0100] x', 1)!.end).toBe(27);
  });
});
