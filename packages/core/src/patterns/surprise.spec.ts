import { changeOf, poissonLower, poissonUpper, type Spans, surpriseOf } from './surprise.js';

const MINUTE = 1;
const DAY = 24 * 60;
const spans: Spans = {
  focus: 40 * MINUTE,
  baseline: 40 * MINUTE,
  earlier: 8 * DAY,
  stretch: 40 * MINUTE,
  touching: true,
};
const of = (focus: number, baseline = 0, earlier = baseline, peak = baseline): number =>
  surpriseOf({ focus, baseline, earlier, margin: 0, peak }, spans);

/** Poisson probability of at most `count` events, summed term by term. */
function cumulative(count: number, mean: number): number {
  let term = Math.exp(-mean);
  let sum = term;
  for (let index = 1; index <= count; index++) {
    term *= mean / index;
    sum += term;
  }
  return sum;
}

/** The mean at which a falling or rising function of it crosses 5%, by halving. */
function solve(tail: (mean: number) => number, rising: boolean): number {
  let [low, high] = [0, 2000];
  for (let step = 0; step < 80; step++) {
    const middle = (low + high) / 2;
    if (tail(middle) > 0.05 === rising) high = middle;
    else low = middle;
  }
  return low;
}

describe('limits of a Poisson mean', () => {
  it.each([1, 2, 5, 10, 36, 100, 400])(
    'are those of the exact distribution for %i events, within a twentieth',
    (count) => {
      const lower = solve((mean) => 1 - cumulative(count - 1, mean), true);
      const upper = solve((mean) => cumulative(count, mean), false);
      expect(Math.abs(poissonLower(count) - lower)).toBeLessThan(Math.max(0.06, lower * 0.05));
      expect(Math.abs(poissonUpper(count) - upper)).toBeLessThan(upper * 0.05);
    },
  );

  it('know that nothing seen is no proof of nothing', () => {
    expect(poissonLower(0)).toBe(0);
    expect(poissonUpper(0)).toBeCloseTo(3, 1);
  });
});

describe('surprise', () => {
  it('puts a rare new line above a common growing one', () => {
    expect(of(36)).toBeGreaterThan(of(14_000, 10_000, 2_000_000, 20_000));
    expect(of(36)).toBeGreaterThan(of(1200, 4, 900, 9));
  });

  it('puts a new line that keeps coming above any number of harmless ones that came once or twice', () => {
    const harmless = Array.from({ length: 200 }, (_, index) => of(1 + (index % 4)));
    expect(of(24)).toBeGreaterThan(Math.max(...harmless));
  });

  it('takes a burst like earlier bursts for no news', () => {
    // Each night a hundred lines within minutes, and none in the baseline just before.
    expect(of(100, 0, 800, 100)).toBe(0);
    expect(of(100, 0, 0, 0)).toBeGreaterThan(8);
  });

  it('is not taken in by a focus that was drawn a little late', () => {
    // Two of the new records came just before the edge.
    const late = surpriseOf({ focus: 84, baseline: 2, earlier: 2, margin: 2, peak: 0 }, spans);
    expect(late).toBeGreaterThan(of(84) - 1);
    // The same records earlier than that are a habit.
    expect(surpriseOf({ focus: 84, baseline: 2, earlier: 2, margin: 0, peak: 2 }, spans)).toBeLessThan(
      late - 4,
    );
  });

  it('is none where nothing changed', () => {
    expect(of(100, 100, 20_000, 110)).toBe(0);
  });

  it('counts what ceased half of what came', () => {
    const ceased = of(0, 500, 100_000, 600);
    expect(ceased).toBeGreaterThan(2);
    expect(ceased).toBeLessThan(of(500));
  });

  it('does not fail without a baseline or a history', () => {
    const none = { focus: 40, baseline: 0, earlier: 0, stretch: 0, touching: false };
    expect(surpriseOf({ focus: 30, baseline: 0, earlier: 0, margin: 0, peak: 0 }, none)).toBeGreaterThan(0);
    expect(surpriseOf({ focus: 0, baseline: 0, earlier: 0, margin: 0, peak: 0 }, none)).toBe(0);
  });
});

describe('the word for a change', () => {
  const word = (focus: number, baseline: number, earlier = baseline): string =>
    changeOf({ focus, baseline, earlier, margin: 0, peak: 0 }, spans);
  it.each([
    [5, 0, 0, 'first seen'],
    [5, 0, 9, 'new here'],
    [0, 40, 40, 'ceased'],
    [0, 2, 2, 'as before'],
    [140, 10, 10, 'more'],
    [10, 140, 140, 'less'],
    [12, 10, 10, 'as before'],
    [1100, 1000, 1000, 'as before'],
  ])('%i against %i, %i before: %s', (focus, baseline, earlier, expected) => {
    expect(word(focus, baseline, earlier)).toBe(expected);
  });

  it('stretches the baseline to the length of the focus', () => {
    const shorter: Spans = { ...spans, baseline: 10 * MINUTE };
    expect(changeOf({ focus: 400, baseline: 100, earlier: 100, margin: 0, peak: 0 }, shorter)).toBe(
      'as before',
    );
  });
});
