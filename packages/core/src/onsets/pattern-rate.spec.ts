import { beganByLines, rateDeviation } from './pattern-rate.js';

const MINUTE = 60;
const DAY = 1440;
/** Eight days of lines by the minute, the focus being the last forty minutes. */
const series = (of: (minute: number) => number) => ({
  from: 0,
  step: MINUTE,
  values: Array.from({ length: 8 * DAY }, (_, at) => of(at - 8 * DAY)),
});
const focus = { from: (8 * DAY - 40) * MINUTE, to: 8 * DAY * MINUTE };
const minutesIn = (seconds: number): number => seconds / MINUTE - 8 * DAY;

describe('lines of a pattern that came up', () => {
  it('begin with the first line of what was never seen', () => {
    const found = rateDeviation(
      series((minute) => (minute >= -31 ? 1 : 0)),
      focus,
      (8 * DAY - 31) * MINUTE + 20,
    )!;
    expect(minutesIn(found.onset)).toBeCloseTo(-31 + 20 / 60, 6);
    expect(found).toMatchObject({ side: 'above', goesOn: true, usual: 0 });
  });

  it('begin where they came more often than before, and end where they stopped', () => {
    const found = rateDeviation(
      series((minute) => (minute >= -30 && minute < -10 ? 20 : 2)),
      focus,
    )!;
    expect(Math.abs(minutesIn(found.onset) + 30)).toBeLessThanOrEqual(2);
    expect(Math.abs(minutesIn(found.end) + 10)).toBeLessThanOrEqual(2);
    expect(found.goesOn).toBe(false);
    expect(found.value).toBeGreaterThan(5 * found.usual);
  });

  it('that hardly ever come begin with the single lines shortly before, not with a stray one long before', () => {
    const lines = (minute: number): number =>
      minute >= -24 ? 3 : [-31, -28, -27].includes(minute) || minute === -39 ? 1 : 0;
    const first = (8 * DAY - 39) * MINUTE + 5;
    const found = rateDeviation(series(lines), focus, first)!;
    expect(Math.abs(minutesIn(found.onset) + 31)).toBeLessThanOrEqual(2);
    const alone = rateDeviation(
      series((minute) => (minute === -39 ? 0 : lines(minute))),
      focus,
      (8 * DAY - 31) * MINUTE + 20,
    )!;
    expect(minutesIn(alone.onset)).toBeCloseTo(-31 + 20 / 60, 6);
  });

  it('have to be more where they have not come for a day yet', () => {
    const young = (times: number) =>
      rateDeviation(
        series((minute) => (minute < -1000 ? 0 : minute >= -30 ? 20 * times : 20)),
        focus,
      );
    expect(young(4)).toBeUndefined();
    expect(young(8)).toBeDefined();
    const old = rateDeviation(
      series((minute) => (minute >= -30 ? 80 : 20)),
      focus,
    );
    expect(old).toBeDefined();
  });

  it.each([
    ['as often as ever', (minute: number) => (minute % 3 === 0 ? 4 : 2)],
    ['a few only', (minute: number) => (minute >= -14 ? 1 : 0)],
    ['in one burst of a minute', (minute: number) => (minute === -20 ? 60 : 0)],
    ['every day at this time', (minute: number) => (minute % DAY >= -30 ? 9 : 0)],
    [
      'at this time a week ago',
      (minute: number) => (minute >= -30 || (minute < -7 * DAY && minute >= -7 * DAY - 30) ? 9 : 0),
    ],
    ['every four hours', (minute: number) => (((minute % 240) + 240) % 240 >= 210 ? 9 : 0)],
  ])('are no news where they come %s', (_, of) => {
    expect(rateDeviation(series(of), focus)).toBeUndefined();
  });
});

describe('when something began by its first lines', () => {
  it.each([
    ['close upon one another', [100, 102, 104], 10],
    ['by and by', [100, 118, 150], 25],
    ['seldom', [100, 290], 60],
    ['once', [100], 60],
  ])('is told more closely the closer they come: %s', (_, times, within) => {
    expect(beganByLines(times)).toEqual({ onset: 100, within });
  });
});
