import { numberFilter } from './number-filter.js';

describe('a filter of numbers', () => {
  it.each([
    ['> 30', [30, 31], [31]],
    ['>=30 s', [29, 30], [30]],
    ['30', [29, 30], [30]],
    ['< 2 min', [119, 120], [119]],
    ['<= 1.5m', [90, 91], [90]],
    ['= 4', [4, 5], [4]],
    ['10 to 20', [9, 10, 20, 21], [10, 20]],
    ['1-2 min', [59, 60, 120, 121], [60, 120]],
    ['30 s – 1 h', [29, 30, 3600, 3601], [30, 3600]],
    ['2 GB', [1e9, 2e9], [2e9]],
  ])('%s', (text, values, held) => {
    expect(values.filter(numberFilter(text)!)).toEqual(held);
  });

  it.each(['', 'long', '> x', '3 fortnights', '1 to', '> 1 < 2', '-5'])(
    'says nothing where it is %s',
    (text) => {
      expect(numberFilter(text)).toBeUndefined();
    },
  );
});
