import { discoveries } from '../statistics/significance.js';
import { deviationOf } from './deviation.js';
import { comparedOf, departuresOf, movesOf, together, togetherAt } from './moved-with.js';

/** Draws that are the same at every run. */
function drawing(seed: number): () => number {
  let state = seed >>> 0;
  const even = (): number => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return (state + 0.5) / 4294967296;
  };
  return () => Math.sqrt(-2 * Math.log(even())) * Math.cos(2 * Math.PI * even());
}

const noise = (draw: () => number, count: number): Float64Array =>
  Float64Array.from({ length: count }, () => draw());

const STEP = 60;
const DAY = 1440;

describe('what moved together', () => {
  it.each([0, 1, 4, -6, 15])('is found at the lag of %d steps at which it was planted', (lag) => {
    const draw = drawing(lag + 100);
    const cause = noise(draw, 240 + 40);
    const one = cause.slice(20, 260);
    const other = Float64Array.from(one, (_, at) => cause[20 + at - lag]! + 0.8 * draw());
    const found = togetherAt(one, other, STEP)!;
    expect(found.lag).toBe(lag * STEP);
    expect(found.correlation).toBeGreaterThan(0.6);
    expect(found.chance).toBeLessThan(1e-9);
  });

  it('is told apart from its opposite', () => {
    const one = noise(drawing(5), 120);
    expect(
      togetherAt(
        one,
        one.map((value) => -value),
        STEP,
      ),
    ).toMatchObject({ lag: 0 });
    expect(
      togetherAt(
        one,
        one.map((value) => -value),
        STEP,
      )!.correlation,
    ).toBeCloseTo(-1, 9);
  });

  it('is as strong as the textbook says', () => {
    // Anscombe's first set, whose correlation is printed as 0.816, three times over with gaps between.
    const x = [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5];
    const y = [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68];
    const gap = new Array<number>(16).fill(NaN);
    const [xs, ys] = [x, y].map((own) => Float64Array.from([...own, ...gap, ...own, ...gap, ...own]));
    expect(togetherAt(xs!, ys!, STEP)!.correlation).toBeCloseTo(0.816, 3);
  });

  it('is claimed of no more pairs of noise than said, of a thousand', () => {
    const draw = drawing(77);
    let claimed = 0;
    for (let pair = 0; pair < 1000; pair++)
      if (togetherAt(noise(draw, 120), noise(draw, 120), STEP)!.chance < 0.05) claimed++;
    // Of 1,000 at 5% more than 72 would come up once in a thousand times.
    expect(claimed).toBeLessThan(72);
  });

  it('is claimed of no more pairs of noise that depends on itself either', () => {
    const draw = drawing(78);
    const dependent = (): Float64Array => {
      const own = noise(draw, 160);
      for (let at = 1; at < own.length; at++) own[at]! += 0.8 * own[at - 1]!;
      return own;
    };
    let claimed = 0;
    for (let pair = 0; pair < 500; pair++)
      if (togetherAt(dependent(), dependent(), STEP)!.chance < 0.05) claimed++;
    expect(claimed).toBeLessThan(45);
  });

  it('is found among many that are noise, and nearly nothing else', () => {
    const draw = drawing(9);
    const target = noise(draw, 200);
    const others = Array.from({ length: 300 }, (_, at) =>
      at < 5 ? target.map((value) => value + draw()) : noise(draw, 200),
    );
    const held = discoveries(
      others.map((other) => togetherAt(target, other, STEP)!.chance),
      0.01,
    );
    expect(held.slice(0, 5)).toEqual([true, true, true, true, true]);
    expect(held.slice(5).filter(Boolean).length).toBeLessThanOrEqual(1);
  });

  it('is nothing where little is known of both', () => {
    const few = Float64Array.from({ length: 120 }, (_, at) => (at % 6 === 0 ? at : NaN));
    expect(togetherAt(few, noise(drawing(1), 120), STEP)).toBeUndefined();
    expect(togetherAt(new Float64Array(120), noise(drawing(1), 120), STEP)).toBeUndefined();
  });
});

describe('moves of a series', () => {
  it('hold neither its season nor its trend', () => {
    const draw = drawing(3);
    const values = Array.from(
      { length: 6 * DAY },
      (_, at) => 500 + at / 20 + 200 * Math.sin((2 * Math.PI * at) / DAY) + draw(),
    );
    const window = { from: 5 * DAY * STEP, to: 6 * DAY * STEP };
    const own = movesOf(departuresOf({ from: 0, step: STEP, values }, window));
    expect(own).toHaveLength(DAY - 1);
    const mean = own.reduce((sum, move) => sum + move, 0) / DAY;
    expect(Math.abs(mean)).toBeLessThan(0.02);
    // Two days of the same season alone would correlate perfectly without that.
    const other = movesOf(
      departuresOf({ from: 0, step: STEP, values: values.map((value) => value + draw()) }, window),
    );
    expect(togetherAt(own, other, STEP)!.correlation).toBeLessThan(0.9);
  });

  it('do not run away with one wild step', () => {
    const values = Array.from({ length: 3 * DAY }, (_, at) => (at % 7) + (at === 3 * DAY - 10 ? 1e9 : 0));
    const series = { from: 0, step: STEP, values };
    const own = movesOf(departuresOf(series, { from: 2 * DAY * STEP, to: 3 * DAY * STEP }));
    expect(Math.max(...own)).toBe(12);
  });
});

describe('series that left their normal range once', () => {
  const DAYS = 5;
  const window = { from: (DAYS * DAY - 180) * STEP, to: DAYS * DAY * STEP };
  const focus = { from: (DAYS * DAY - 60) * STEP, to: DAYS * DAY * STEP };
  /** Noise around a level that shifts for good at a minute before the end. */
  const shifted = (draw: () => number, before: number) => {
    const values = Array.from(
      { length: DAYS * DAY },
      (_, at) => 50 + draw() + (at >= DAYS * DAY - before ? 40 : 0),
    );
    const series = { from: 0, step: STEP, values };
    return comparedOf(series, window, deviationOf(series, focus));
  };

  it('moved together where they left it one soon after the other', () => {
    const draw = drawing(21);
    const found = together(shifted(draw, 40), shifted(draw, 37), STEP, DAYS * DAY)!;
    expect(found.lag).toBe(3 * STEP);
    expect(found.correlation).toBeGreaterThan(0.9);
    // Seven minutes of five days.
    expect(found.chance).toBeCloseTo((2 * 7) / (DAYS * DAY), 3);
  });

  it('did not where one left it long before the other, or one of them not at all', () => {
    const draw = drawing(22);
    expect(together(shifted(draw, 55), shifted(draw, 20), STEP, DAYS * DAY)?.chance ?? 1).toBeGreaterThan(
      0.01,
    );
    expect(together(shifted(draw, 40), shifted(draw, 0), STEP, DAYS * DAY)?.chance ?? 1).toBeGreaterThan(
      0.01,
    );
  });
});
