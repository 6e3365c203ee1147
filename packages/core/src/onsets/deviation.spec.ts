import { pseudoRandom } from '../testing/random.js';
import { deviationOf } from './deviation.js';

const MINUTE = 60;
const DAY = 1440;
const START = Date.UTC(2026, 2, 2) / 1000;
const random = pseudoRandom(31);

/** Five days by the minute; the focus is the last hour. */
const series = (of: (at: number) => number) => ({
  from: START,
  step: MINUTE,
  values: Array.from({ length: 5 * DAY }, (_, at) => of(at)),
});
const END = 5 * DAY;
const focus = { from: START + (END - 60) * MINUTE, to: START + END * MINUTE };
const usual = (at: number): number => 100 + 30 * Math.sin((2 * Math.PI * at) / DAY) + 4 * (random() - 0.5);

describe('a deviation', () => {
  it('is a step, to the minute', () => {
    const found = deviationOf(
      series((at) => usual(at) + (at >= END - 37 ? 40 : 0)),
      focus,
    )!;
    expect(found).toMatchObject({ side: 'above', goesOn: true });
    expect((found.onset - START) / MINUTE).toBeCloseTo(END - 37, 0);
    expect(found.value - found.usual).toBeCloseTo(40, -1);
    expect(found.spreads).toBeGreaterThan(10);
  });

  it('is a fall that ended, and one that began before the focus', () => {
    const fell = deviationOf(
      series((at) => usual(at) * (at >= END - 40 && at < END - 20 ? 0.4 : 1)),
      focus,
    )!;
    expect(fell).toMatchObject({ side: 'below', goesOn: false });
    expect((fell.onset - START) / MINUTE).toBeCloseTo(END - 40, 0);
    expect((fell.end - START) / MINUTE).toBe(END - 20);
    const early = deviationOf(
      series((at) => usual(at) * (at >= END - 66 ? 2 : 1)),
      focus,
    )!;
    expect((early.onset - START) / MINUTE).toBeCloseTo(END - 66, 0);
  });

  it('is a climb, from where it departs', () => {
    const found = deviationOf(
      series((at) => usual(at) + Math.max(0, at - (END - 50)) * 3),
      focus,
    )!;
    const departed = (found.onset - START) / MINUTE - (END - 50);
    expect(departed).toBeGreaterThanOrEqual(0);
    expect(departed).toBeLessThanOrEqual(4);
  });

  it('begins where it leaves the level of its own day', () => {
    const found = deviationOf(
      series((at) => usual(at) + (at >= END - 400 ? 8 : 0) + Math.max(0, at - (END - 50)) * 3),
      focus,
    )!;
    const departed = (found.onset - START) / MINUTE - (END - 50);
    expect(departed).toBeGreaterThanOrEqual(0);
    expect(departed).toBeLessThanOrEqual(4);
  });

  it.each([0.2, 0.5, 0.8])('is told to a part of a minute: %d', (late) => {
    const found = deviationOf(
      series((at) => usual(at) + (at > END - 37 ? 80 : at === END - 37 ? 80 * (1 - late) : 0)),
      focus,
    )!;
    expect(Math.abs((found.onset - START) / MINUTE - (END - 37 + late))).toBeLessThan(0.1);
  });

  it('is none where it was so a week before', () => {
    const values = Array.from(
      { length: 8 * DAY },
      (_, at) => usual(at) + (at >= 8 * DAY - 40 || (at >= DAY - 40 && at < DAY) ? 80 : 0),
    );
    const weekly = { from: START, step: MINUTE, values };
    const last = { from: START + (8 * DAY - 60) * MINUTE, to: START + 8 * DAY * MINUTE };
    expect(deviationOf(weekly, last)).toBeUndefined();
    values.fill(100, 0, DAY);
    expect(deviationOf(weekly, last)).toBeDefined();
  });

  it('begins at a step that was measured, where some of its first are not', () => {
    const found = deviationOf(
      series((at) => {
        if (at < END - 40) return 0;
        return (at - END + 40) % 2 === 1 ? NaN : at < END - 34 ? 0.001 : 0.5;
      }),
      focus,
    )!;
    expect(found).toBeDefined();
    expect((found.onset - START) / MINUTE).toBeCloseTo(END - 34, 0);
  });

  it('has to go further the fewer days tell what is usual', () => {
    const of = (days: number, far: number) => {
      const noise = pseudoRandom(5);
      const length = days * DAY;
      const values = Array.from(
        { length },
        (_, at) => 100 + 8 * (noise() - 0.5) + (at >= length - 30 ? far : 0),
      );
      return deviationOf(
        { from: START, step: MINUTE, values },
        { from: START + (length - 60) * MINUTE, to: START + length * MINUTE },
      );
    };
    // The spread is about three: twenty are six or seven of them, of which three and a half have to be left over.
    expect(of(8, 20)).toBeDefined();
    expect(of(1, 20)).toBeUndefined();
    expect(of(1, 60)).toBeDefined();
    expect(of(8, 20)!.spreads).toBeGreaterThan(of(3, 20)!.spreads);
  });

  it('is none where it wandered half as far at other times, for as long', () => {
    // What wanders slowly leaves a range that is told from few days more easily than noise does.
    const wanders = (far: number) => (at: number) =>
      usual(at) + (at >= END - 40 ? 40 : at % 700 < 60 && at < END - 100 ? far : 0);
    expect(deviationOf(series(wanders(2)), focus)).toBeDefined();
    expect(deviationOf(series(wanders(26)), focus)).toBeUndefined();
  });

  it('is none of what is measured seldom, and was like it before', () => {
    // Measured every seventh minute, and lately every second.
    const isMeasured = (at: number): boolean => (at < END - 40 ? at % 7 === 0 : at % 2 === 0);
    const seldom = (slow: (at: number) => boolean) => (at: number) =>
      isMeasured(at) ? (slow(at) ? 2.5 : 0.08) + 0.01 * random() : NaN;
    const now = (at: number): boolean => at >= END - 30;
    expect(deviationOf(series(seldom(now)), focus)).toMatchObject({ side: 'above' });
    const often = (at: number): boolean => now(at) || (at >= END - 1500 && at % 300 < 150);
    expect(deviationOf(series(seldom(often)), focus)).toBeUndefined();
  });

  it('is no blip, no trifle, no gap and no habit', () => {
    expect(deviationOf(series(usual), focus)).toBeUndefined();
    expect(
      deviationOf(
        series((at) => usual(at) + (at === END - 30 ? 500 : 0)),
        focus,
      ),
    ).toBeUndefined();
    expect(
      deviationOf(
        series((at) => 100 + 0.01 * random() + (at >= END - 30 ? 2 : 0)),
        focus,
      ),
    ).toBeUndefined();
    expect(
      deviationOf(
        series((at) => (at >= END - 30 ? NaN : usual(at))),
        focus,
      ),
    ).toBeUndefined();
    // It flaps for a minute in twenty; and every seventh hour, at no fixed time of the day, for four.
    expect(
      deviationOf(
        series((at) => (at % 20 === 3 ? 600 : usual(at))),
        focus,
      ),
    ).toBeUndefined();
    expect(
      deviationOf(
        series((at) => ((END - at) % 431 < 25 && (END - at) % 431 > 15 ? 600 : usual(at))),
        focus,
      ),
    ).toBeUndefined();
    // A peak at the same time of each day.
    expect(
      deviationOf(
        series((at) => usual(at) + (at % DAY > DAY - 40 ? 80 : 0)),
        focus,
      ),
    ).toBeUndefined();
    expect(deviationOf({ from: START, step: MINUTE, values: [1, 2, 3] }, focus)).toBeUndefined();
  });

  it('is found in noise about never', () => {
    let found = 0;
    for (let round = 0; round < 200; round++) {
      const noise = pseudoRandom(1000 + round);
      // Sums of uniform numbers are near enough to normal ones.
      const values = Array.from({ length: 2 * DAY }, () => 50 + noise() + noise() + noise() + noise());
      if (
        deviationOf(
          { from: START, step: MINUTE, values },
          { from: START + (2 * DAY - 60) * MINUTE, to: START + 2 * DAY * MINUTE },
        )
      )
        found++;
    }
    expect(found).toBe(0);
  });
});
