import { pseudoRandom } from '../testing/random.js';
import { climbOf } from './climb.js';

const STEP = 60;
const DAY = 1440;
const DAYS = 3;

describe('a slow climb towards a limit', () => {
  const random = pseudoRandom(31);
  /** Ten in use and some noise, from so many minutes before the end on more by so much a minute. */
  const climbing = (before: number, slope: number) => ({
    from: 0,
    step: STEP,
    values: Array.from(
      { length: DAYS * DAY },
      (_, at) => 10 + 2 * random() + slope * Math.max(0, at - (DAYS * DAY - before)),
    ),
  });
  const limit = (most: number) => ({
    from: 0,
    step: STEP,
    values: Array.from({ length: DAYS * DAY }, (_, at) => (at % 7 === 0 ? most : NaN)),
  });
  const focus = { from: (DAYS * DAY - 40) * STEP, to: DAYS * DAY * STEP };

  it('is told with its beginning and the time that is left', () => {
    const series = climbing(300, 0.2);
    const found = climbOf(series, limit(100), focus)!;
    expect(found).toMatchObject({ side: 'above', goesOn: true });
    // It came to some 70 of 100, at 0.2 a minute.
    expect(found.value).toBeGreaterThan(64);
    expect(found.usual).toBeCloseTo(11, 0);
    expect(found.limitIn! / 60).toBeGreaterThan(130);
    expect(found.limitIn! / 60).toBeLessThan(165);
    const began = (DAYS * DAY - 300) * STEP;
    expect(Math.abs(found.onset - began)).toBeLessThan(found.within);
  });

  it('is none where most of it came at once, or where it comes at this time of every day', () => {
    const rising = {
      ...climbing(300, 0.02),
      values: climbing(300, 0.02).values.map((value, at) => value + Math.max(0, at - (DAYS * DAY - 20)) * 3),
    };
    expect(climbOf(rising, limit(100), focus)).toBeUndefined();
    const daily = {
      from: 0,
      step: STEP,
      values: Array.from(
        { length: DAYS * DAY },
        (_, at) => 10 + 2 * random() + Math.max(0, (at % DAY) - 1140) * 0.2,
      ),
    };
    expect(climbOf(daily, limit(100), focus)).toBeUndefined();
    const first = { ...daily, values: daily.values.map((value, at) => (at < 2 * DAY ? 11 : value)) };
    expect(climbOf(first, limit(100), focus)).toBeDefined();
  });

  it('is none where the limit is far, where nothing climbs, or where no limit is known', () => {
    expect(climbOf(climbing(300, 0.2), limit(1000), focus)).toBeUndefined();
    expect(climbOf(climbing(0, 0), limit(20), focus)).toBeUndefined();
    expect(climbOf(climbing(300, -0.02), limit(100), focus)).toBeUndefined();
    const unknown = { from: 0, step: STEP, values: new Float64Array(DAYS * DAY).fill(NaN) };
    expect(climbOf(climbing(300, 0.2), unknown, focus)).toBeUndefined();
    expect(climbOf(unknown, limit(100), focus)).toBeUndefined();
    expect(climbOf({ from: 0, step: STEP, values: [1, 2, 3] }, limit(100), focus)).toBeUndefined();
  });
});
