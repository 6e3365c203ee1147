import { pseudoRandom } from '../testing/random.js';
import { type Normal, normalRange, theilSen } from './normal.js';

const MINUTE = 60;
const HOUR = 3600;
const DAY = 24 * HOUR;
/** A Monday, 00:00. */
const MONDAY = Date.UTC(2026, 2, 2) / 1000;

/** A standard normal value from uniform ones (Box and Muller 1958). */
const normalValues = (seed: number): (() => number) => {
  const random = pseudoRandom(seed);
  for (let skip = 0; skip < 20; skip++) random();
  return () => Math.sqrt(-2 * Math.log(random())) * Math.cos(2 * Math.PI * random());
};

function series(days: number, step: number, of: (moment: number) => number) {
  const count = Math.round((days * DAY) / step);
  return { from: MONDAY, step, values: Array.from({ length: count }, (_, at) => of(MONDAY + at * step)) };
}

const daily = (moment: number): number => 100 + 60 * Math.sin((2 * Math.PI * (moment % DAY)) / DAY);
const isNormal = (value: number, { low, high }: Normal): boolean => value >= low && value <= high;

describe('the normal range', () => {
  it('knows the time of day, with noise of known size', () => {
    const noise = normalValues(3);
    const normal = normalRange(series(8, MINUTE, (moment) => daily(moment) + 4 * noise()))!;
    expect(normal.season).toBe('day');
    let outside = 0;
    for (let at = 0; at < DAY; at += MINUTE) {
      const moment = MONDAY + 8 * DAY + at;
      const range = normal.at(moment);
      expect(Math.abs(range.expected - daily(moment))).toBeLessThan(4);
      if (!isNormal(daily(moment) + 4 * noise(), range)) outside++;
    }
    // One in two thousand of 1,440 by theory; the spread is told from some ninety values each.
    expect(outside).toBeLessThan(8);
    const range = normal.at(MONDAY + 8 * DAY + 6 * HOUR);
    expect(range.spread).toBeGreaterThan(2.8);
    expect(range.spread).toBeLessThan(5.2);
    expect(isNormal(200, range)).toBe(false);
  });

  it('is known from a day alone, with gaps', () => {
    const noise = normalValues(5);
    const normal = normalRange(
      series(1, MINUTE, (moment) => ((moment / HOUR) % 5 < 1 ? NaN : daily(moment) + noise())),
    )!;
    expect(normal.season).toBe('day');
    const moment = MONDAY + DAY + 14 * HOUR;
    expect(Math.abs(normal.at(moment).expected - daily(moment))).toBeLessThan(5);
    expect(isNormal(daily(moment), normal.at(moment))).toBe(true);
    expect(isNormal(daily(moment) * 2, normal.at(moment))).toBe(false);
  });

  it('knows a peak that comes every day, and one that comes every week', () => {
    const noise = normalValues(7);
    const isFreight = (moment: number): boolean => Math.floor((moment - MONDAY) / DAY) % 7 === 3;
    const figure = (moment: number): number =>
      50 +
      noise() +
      ((moment % DAY) / HOUR > 7 && (moment % DAY) / HOUR < 8 ? 200 : 0) +
      (isFreight(moment) ? 80 : 0);
    const normal = normalRange(series(35, 10 * MINUTE, figure))!;
    expect(normal.season).toBe('week');
    const peak = MONDAY + 35 * DAY + 7.5 * HOUR;
    expect(isNormal(250, normal.at(peak))).toBe(true);
    expect(isNormal(50, normal.at(peak))).toBe(false);
    const thursday = MONDAY + 38 * DAY + 15 * HOUR;
    expect(isNormal(130, normal.at(thursday))).toBe(true);
    expect(isNormal(130, normal.at(thursday - DAY))).toBe(false);
  });

  it('does not take faults of the past for normal', () => {
    const noise = normalValues(11);
    const normal = normalRange(
      series(8, MINUTE, (moment) => {
        const hour = ((moment - MONDAY) % DAY) / HOUR;
        const day = Math.floor((moment - MONDAY) / DAY);
        // On three of eight days it stood at ten times the value for an hour.
        return 10 + noise() + (day < 3 && hour > 10 && hour < 11 ? 90 : 0);
      }),
    )!;
    const moment = MONDAY + 8 * DAY + 10.5 * HOUR;
    expect(isNormal(11, normal.at(moment))).toBe(true);
    expect(isNormal(100, normal.at(moment))).toBe(false);
  });

  it('goes along with a trend', () => {
    const noise = normalValues(13);
    const normal = normalRange(series(8, MINUTE, (moment) => (moment - MONDAY) / DAY + 0.05 * noise()))!;
    expect(normal.trend).toBeCloseTo(1, 1);
    expect(isNormal(9.5, normal.at(MONDAY + 9.5 * DAY))).toBe(true);
    expect(isNormal(4, normal.at(MONDAY + 9.5 * DAY))).toBe(false);
  });

  it('is no narrower than what is told apart', () => {
    const constant = normalRange(series(2, MINUTE, () => 5))!;
    expect(constant.at(MONDAY + 2 * DAY)).toEqual({ expected: 5, low: 5, high: 5, spread: 0 });
    const counts = normalRange(series(2, MINUTE, (moment) => (moment % (7 * MINUTE) === 0 ? 6 : 5)))!;
    expect(isNormal(6, counts.at(MONDAY + 2 * DAY))).toBe(true);
    expect(isNormal(9, counts.at(MONDAY + 2 * DAY))).toBe(false);
  });

  it('of counts that are mostly nothing lets chance have its way', () => {
    // Poisson numbers of mean a half: two come in one of eleven steps, six in one of seventy thousand.
    const random = pseudoRandom(5);
    const poisson = (): number => {
      let count = 0;
      for (let left = Math.exp(-0.5), p = random(); p > left; p *= random()) count++;
      return count;
    };
    const counts = normalRange(series(3, MINUTE, poisson))!;
    expect(isNormal(2, counts.at(MONDAY + 3 * DAY))).toBe(true);
    expect(isNormal(6, counts.at(MONDAY + 3 * DAY))).toBe(false);
  });

  it('of hours alone is a level, and of next to nothing is not known', () => {
    const normal = normalRange(series(0.2, MINUTE, (moment) => (moment % 120 === 0 ? 1 : 2)))!;
    expect(normal.season).toBe('level');
    expect(isNormal(1.5, normal.at(MONDAY + DAY))).toBe(true);
    expect(normalRange(series(0.005, MINUTE, () => 1))).toBeUndefined();
    expect(normalRange({ from: 0, step: 60, values: new Array<number>(500).fill(NaN) })).toBeUndefined();
  });
});

describe('the slope between all pairs', () => {
  it('is that of the line, whatever a fourth of the points says', () => {
    const points = Array.from({ length: 20 }, (_, at) => ({ at, value: at % 5 === 0 ? 1000 : 3 * at + 1 }));
    expect(theilSen(points)).toBeCloseTo(3);
    expect(theilSen([{ at: 1, value: 2 }])).toBe(0);
  });
});
