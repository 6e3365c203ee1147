import { liftWords } from './lift.js';

describe('the lift in words', () => {
  it.each([
    ['first seen', undefined, 'first seen'],
    ['ceased', 0, 'ceased'],
    ['as before', 1.1, 'as before'],
    ['more', 1.4, '40% more'],
    ['more', 2.46, '2.5 times'],
    ['more', 14.2, '14 times'],
    ['more', 1234.5, '1,235 times'],
    ['less', 0.75, 'somewhat less'],
    ['less', 0.5, 'half'],
    ['less', 1 / 3, 'a third'],
    ['less', 0.25, 'a quarter'],
    ['less', 1 / 12, 'a 12th'],
    ['less', 1 / 23, 'a 23rd'],
  ] as const)('%s %p is %s', (change, lift, words) => {
    expect(liftWords({ change, lift })).toBe(words);
  });
});
