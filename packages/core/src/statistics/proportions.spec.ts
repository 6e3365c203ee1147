import { differenceInterval, shareInterval } from './proportions.js';

describe('intervals of shares', () => {
  it.each([
    // Wilson's intervals as printed by Newcombe (1998, table I).
    [81, 263, 0.2553, 0.3662],
    [15, 148, 0.0624, 0.1605],
    [0, 20, 0, 0.1611],
    [1, 29, 0.0061, 0.1718],
  ])('%i of %i', (hits, all, low, high) => {
    const found = shareInterval(hits, all);
    expect(found[0]).toBeCloseTo(low, 4);
    expect(found[1]).toBeCloseTo(high, 4);
  });

  it.each([
    // As printed by Newcombe (1998b, table II, method 10).
    [56, 70, 48, 80, 0.0524, 0.3339],
    [9, 10, 3, 10, 0.1705, 0.809],
    [10, 10, 0, 20, 0.6791, 1],
  ])('differ: %i of %i, %i of %i', (a, n, b, m, low, high) => {
    const found = differenceInterval(a, n, b, m);
    expect(found[0]).toBeCloseTo(low, 3);
    expect(found[1]).toBeCloseTo(high, 3);
  });

  it('of nothing tell nothing', () => expect(shareInterval(0, 0)).toEqual([0, 1]));
});
