import { pseudoRandom } from '../testing/random.js';
import { failingFollows, slownessFollows } from './suspect.js';

const random = pseudoRandom(21);
const times = (count: number, factor: number): number[] =>
  Array.from({ length: count }, () => factor * (0.01 + random() / 50));
const sibling = (name: string, calls: number, failed: number, factor = 1) => ({
  name,
  calls,
  failed,
  seconds: times(calls - failed, factor),
});

describe('a suspect', () => {
  const siblings = [sibling('a', 200, 80), sibling('b', 210, 1), sibling('c', 190, 0, 4), sibling('d', 5, 5)];

  it('is followed by failing, or is not', () => {
    expect(failingFollows(siblings, 'a')).toMatchObject({ verdict: 'follows', own: 0.4 });
    expect(failingFollows(siblings, 'a').others).toBeCloseTo(6 / 405);
    expect(failingFollows(siblings, 'b').verdict).toBe('does not follow');
    expect(failingFollows(siblings, 'd').verdict).toBe('too few');
    expect(failingFollows(siblings, 'nobody').verdict).toBe('too few');
  });

  it('is followed by slowness, or is not', () => {
    expect(slownessFollows(siblings, 'c').verdict).toBe('follows');
    expect(slownessFollows(siblings, 'b').verdict).toBe('does not follow');
    expect(slownessFollows(siblings, 'd').verdict).toBe('too few');
  });

  it('is not followed by what all have', () => {
    const alike = ['a', 'b', 'c'].map((name) => sibling(name, 200, 60));
    expect(failingFollows(alike, 'a').verdict).toBe('does not follow');
    expect(slownessFollows(alike, 'a').verdict).toBe('does not follow');
  });
});
