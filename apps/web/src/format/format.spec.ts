import { parseWindow } from '@flail/core/time';
import { byteCount, percent, plural, shortCount } from './numbers.js';
import { duration, windowText } from './times.js';

describe('numbers', () => {
  it.each([
    [874, '874'],
    [12_400, '12.4k'],
    [99_960, '100k'],
    [999_600, '1.0M'],
    [3_140_000, '3.1M'],
  ])('%i is %s', (count, text) => expect(shortCount(count)).toBe(text));
  it.each([
    [0, '0%'],
    [0.0004, '0.04%'],
    [0.0321, '3.2%'],
    [0.57, '57%'],
  ])('%d is %s', (share, text) => expect(percent(share)).toBe(text));
  it('count things', () => {
    expect(plural(1, 'record')).toBe('1 record');
    expect(plural(2000, 'record')).toBe('2,000 records');
    expect(byteCount(1_530_000)).toBe('1.5 MB');
  });
});

describe('lengths and windows', () => {
  it.each([
    [2500, '2.5 s'],
    [40_000, '40 s'],
    [2_400_000, '40 min'],
    [4_800_000, '1 h 20 min'],
    [7_200_000, '2 h'],
    [8 * 86_400_000, '8 days'],
  ])('%i ms is %s', (millis, text) => expect(duration(millis)).toBe(text));

  it('a window in words is read back as the same window', () => {
    const now = Date.now();
    for (const [ago, length] of [
      [3, 40],
      [30, 90],
      [60, 1],
      [300, 600],
    ] as const) {
      const from = Math.floor((now - ago * 3_600_000) / 60_000) * 60_000;
      const span = { from, to: from + length * 60_000 };
      expect(parseWindow(`${windowText(span.from, span.to)}, ${duration(length * 60_000)}`, now)).toEqual(
        span,
      );
    }
  });
});
