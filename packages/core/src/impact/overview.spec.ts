import { pseudoRandom } from '../testing/random.js';
import { request } from '../testing/requests.js';
import { ARRIVAL } from '../testing/memory-store.js';
import { failingSince, figureOf, hoursOf, requestSeries, retriedOf } from './overview.js';

const MINUTE = 60_000_000;
const HOUR = 60 * MINUTE;

describe('a figure', () => {
  const random = pseudoRandom(5);
  const day = 86_400;
  const values = Array.from(
    { length: (3 * day) / 300 },
    (_, at) => 100 + 40 * Math.sin((at * 300 * 2 * Math.PI) / day) + random(),
  );
  const focus = { from: 3 * day - 3600, to: 3 * day };
  const changed = (factor: number, from = 0) =>
    values.map((value, at) => (at >= values.length - 12 + from ? value * factor : value));

  it('is as usual where it is as on other days at that time', () => {
    const figure = figureOf({ from: 0, step: 300, values }, focus);
    expect(figure.verdict).toBe('as usual');
    expect(figure.usual).toBeCloseTo(figure.value, -0.5);
    expect(figure.values).toHaveLength(24);
    expect(figure.stretch).toBeUndefined();
  });

  it('is above or below since a moment', () => {
    expect(figureOf({ from: 0, step: 300, values: changed(2, 4) }, focus)).toMatchObject({
      verdict: 'above',
      stretch: { from: focus.from + 4 * 300 },
    });
    expect(figureOf({ from: 0, step: 300, values: changed(0.5) }, focus)).toMatchObject({
      verdict: 'below',
      stretch: { from: focus.from },
    });
  });

  it('is told of by the side on which it ends, with how far it is off there', () => {
    const both = changed(1.6).map((value, at) => (at >= values.length - 5 ? value / 3.2 : value));
    const { verdict, stretch } = figureOf({ from: 0, step: 300, values: both }, focus);
    expect(verdict).toBe('below');
    expect(stretch!.from).toBe(focus.to - 5 * 300);
    expect(stretch!.value / stretch!.usual).toBeCloseTo(0.5, 1);
    const over = changed(0.5).map((value, at) => (at >= values.length - 2 ? value * 2 : value));
    over.splice(values.length - 6, 4, ...values.slice(values.length - 6, -2).map((value) => value * 1.6));
    expect(figureOf({ from: 0, step: 300, values: over }, focus)).toMatchObject({
      verdict: 'below',
      stretch: { from: focus.from },
    });
  });

  it('is below where it stays low, each step alone within what is normal', () => {
    const noisy = pseudoRandom(11);
    const rough = Array.from({ length: (5 * day) / 300 }, () => 60 + 80 * noisy());
    const low = rough.map((value, at) => (at >= rough.length - 12 ? 30 + 0.6 * value - 10 : value));
    const end = 5 * day;
    expect(figureOf({ from: 0, step: 300, values: rough }, { from: end - 3600, to: end }).verdict).toBe(
      'as usual',
    );
    const drop = low.map((value, at) => (at >= rough.length - 12 ? value * 0.7 : value));
    expect(figureOf({ from: 0, step: 300, values: drop }, { from: end - 3600, to: end }).verdict).toBe(
      'below',
    );
  });

  it('is as usual but for a blip, and unknown without a past', () => {
    const blip = values.map((value, at) => (at === values.length - 6 ? value * 3 : value));
    expect(figureOf({ from: 0, step: 300, values: blip }, focus).verdict).toBe('as usual');
    expect(
      figureOf({ from: 0, step: 300, values: values.slice(0, 14) }, { from: 600, to: 4200 }).verdict,
    ).toBe('unknown');
  });
});

describe('requests step by step', () => {
  const requests = [
    request({ at: ARRIVAL, seconds: 1 }),
    request({ at: ARRIVAL + 1, seconds: 3, outcome: 'failed', weight: 3, access: 'write' }),
    request({ at: ARRIVAL + 2 * HOUR, seconds: 2, weight: 4 }),
  ];

  it('are rate, share and times', () => {
    const series = requestSeries(requests, { from: ARRIVAL, to: ARRIVAL + 10 * MINUTE }, 300);
    expect(series).toEqual({
      from: ARRIVAL / 1e6,
      step: 300,
      rate: [0.8, 0],
      failedShare: [0.75, NaN],
      p50: [3, NaN],
      p95: [3, NaN],
    });
  });

  it('are counted by hour, those that write apart', () => {
    const hours = hoursOf(requests, ARRIVAL + 3 * HOUR, 3);
    expect(hours.map(({ all, failed, write }) => [all, failed, write.failed])).toEqual([
      [4, 3, 3],
      [0, 0, 0],
      [4, 0, 0],
    ]);
  });
});

describe('since when they fail', () => {
  const many = (from: number, to: number, share: number) =>
    Array.from({ length: (to - from) * 20 }, (_, at) =>
      request({
        at: ARRIVAL + from * MINUTE + at * 3_000_000,
        outcome: at % 20 < share * 20 ? 'failed' : 'ok',
      }),
    );
  const window = { from: ARRIVAL, to: ARRIVAL + 60 * MINUTE };

  it('is the first minute of the stretch around the worst', () => {
    const requests = [
      ...many(0, 20, 0),
      ...many(20, 22, 0.2),
      ...many(22, 24, 0),
      ...many(24, 50, 0.5),
      ...many(50, 60, 0),
    ];
    expect(failingSince(requests, window, 0.01)).toEqual({
      from: ARRIVAL + 20 * MINUTE,
      to: ARRIVAL + 50 * MINUTE,
    });
  });

  it('goes on through longer gaps where few fail', () => {
    const sparse = Array.from({ length: 600 }, (_, at) =>
      request({ at: ARRIVAL + at * 6_000_000, outcome: at % 80 === 0 && at < 400 ? 'failed' : 'ok' }),
    );
    expect(failingSince(sparse, window, 0.01)).toEqual({ from: ARRIVAL, to: ARRIVAL + 33 * MINUTE });
  });

  it('is never where no five minutes are above the tolerance', () => {
    expect(failingSince(many(0, 60, 0), window, 0.01)).toBeUndefined();
    expect(failingSince(many(0, 60, 0.05), window, 0.1)).toBeUndefined();
    expect(failingSince([], window, 0.01)).toBeUndefined();
  });
});

describe('failing requests', () => {
  it('are sent again or not', () => {
    const of = (key: string, minute: number, outcome: 'ok' | 'failed') => ({
      ...request({ at: ARRIVAL + minute * MINUTE, outcome }),
      key,
    });
    expect(
      retriedOf([
        of('a', 0, 'failed'),
        of('a', 1, 'failed'),
        of('a', 2, 'ok'),
        of('b', 0, 'failed'),
        of('b', 9, 'ok'),
        of('', 0, 'failed'),
      ]),
    ).toEqual({ failed: 3, again: 2, recovered: 2 });
  });
});
