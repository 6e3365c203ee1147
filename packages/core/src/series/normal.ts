import { median } from '../statistics/median.js';

/** Numbers at equal steps of time; NaN where nothing was measured. */
export interface Regular {
  /** Start of the first step, seconds since 1970. */
  from: number;
  /** Seconds. */
  step: number;
  values: readonly number[];
}

/** What is normal at one step. */
export interface Normal {
  expected: number;
  /** Within these lie nearly all values of a normal time. */
  low: number;
  high: number;
  /** Robust standard deviation around what is expected. */
  spread: number;
}

/** How much is known of what is normal: by the time of the week, of the day, or only a level. */
export type Season = 'week' | 'day' | 'level';

export interface NormalRange {
  season: Season;
  /** Change of the level in a day. */
  trend: number;
  /** What is normal at a moment, in seconds since 1970. */
  at(moment: number): Normal;
}

const DAY = 86_400;
const WEEK = 7 * DAY;
/** Weeks of history from which the days of the week are told apart. */
const WEEKS_FOR_WEEK = 3;
/** Spreads around what is expected that are still normal: for a normal distribution all but one in two thousand. */
export const NORMAL_SPREADS = 3.5;
/** Makes the median absolute deviation of a normal distribution its standard deviation. */
const MAD = 1.4826;
/** Seconds around a time of day whose values tell what is normal then. */
const NEAR = 300;
/** Values that what is normal is told from, at least; else more is taken around. */
const ENOUGH = 12;

/**
 * What is normal for a series, told from its past: a level with a trend (Theil 1950, Sen 1968, through the
 * medians of the days), and what is usual at that time of the day, or of the week, as the median of what is left
 * at that time on other days; the spread is that of the rest around it. The parts are those of seasonal
 * decomposition (Cleveland et al. 1990), with medians in place of smoothing as in Vallis, Hochenbaum and
 * Kejariwal (HotCloud 2014): so that faults in the past, up to nearly half of the days, do not pass for normal.
 * Gaps are left out. A day of history gives a level with what is usual around each time of that day.
 *
 * @returns undefined where fewer than a dozen values are known
 */
export function normalRange({ from, step, values }: Regular): NormalRange | undefined {
  const known = new Float64Array(values.length);
  const moments = new Float64Array(values.length);
  let count = 0;
  values.forEach((value, at) => {
    if (Number.isNaN(value)) return;
    known[count] = value;
    moments[count++] = from + at * step;
  });
  if (count < ENOUGH) return undefined;
  const numbers = known.subarray(0, count);
  const span = values.length * step;
  const season: Season = span >= WEEKS_FOR_WEEK * WEEK ? 'week' : span >= DAY ? 'day' : 'level';
  const { slope, origin } = levelOf(moments, numbers);
  const level = (moment: number): number => origin + slope * moment;
  const rest = numbers.map((value, at) => value - level(moments[at]!));
  const finest = resolutionOf(numbers);
  if (season === 'level') {
    const spread = Math.max(spreadOf(rest, median(rest)), finest / 2);
    return {
      season,
      trend: slope * DAY,
      at: (moment) => rangeOf(level(moment) + median(rest), spread),
    };
  }
  const length = season === 'week' ? WEEK : DAY;
  const phases = Math.max(1, Math.round(length / step));
  const byPhase = Array.from({ length: phases }, () => [] as number[]);
  rest.forEach((value, at) => byPhase[phaseOf(moments[at]!)]!.push(value));
  const found = new Map<number, { usual: number; spread: number }>();
  function phaseOf(moment: number): number {
    return Math.floor((((moment % length) + length) % length) / step) % phases;
  }
  const around = (phase: number): { usual: number; spread: number } => {
    let own = found.get(phase);
    if (own) return own;
    const near: number[] = [...byPhase[phase]!];
    const reach = Math.max(1, Math.round(NEAR / step));
    for (let away = 1; away <= phases / 2 && (away <= reach || near.length < ENOUGH); away++)
      near.push(...byPhase[(phase + away) % phases]!, ...byPhase[(phase - away + phases) % phases]!);
    const usual = median(near);
    own = { usual, spread: Math.max(spreadOf(near, usual), finest / 2) };
    found.set(phase, own);
    return own;
  };
  return {
    season,
    trend: slope * DAY,
    at: (moment) => {
      const { usual, spread } = around(phaseOf(moment));
      return rangeOf(level(moment) + usual, spread);
    },
  };
}

const rangeOf = (expected: number, spread: number): Normal => ({
  expected,
  spread,
  low: expected - NORMAL_SPREADS * spread,
  high: expected + NORMAL_SPREADS * spread,
});

const spreadOf = (values: readonly number[] | Float64Array, middle: number): number =>
  MAD * median(Float64Array.from(values, (value) => Math.abs(value - middle)));

/** Days of history from which a trend is told; of fewer the level is a constant. */
const DAYS_FOR_TREND = 4;

/** Level over time: the line through the medians of the days whose slope is the median of all slopes between them. */
function levelOf(moments: Float64Array, numbers: Float64Array): { slope: number; origin: number } {
  const days = new Map<number, number[]>();
  numbers.forEach((value, at) => {
    const day = Math.floor(moments[at]! / DAY);
    const own = days.get(day);
    if (own) own.push(value);
    else days.set(day, [value]);
  });
  const most = Math.max(...[...days.values()].map((values) => values.length));
  // Days that are held in part only tell of some hours.
  const whole = [...days].filter(([, values]) => values.length >= most * 0.75);
  if (whole.length < DAYS_FOR_TREND) return { slope: 0, origin: median(numbers) };
  const points = whole.map(([day, values]) => ({ at: (day + 0.5) * DAY, value: median(values) }));
  const slope = theilSen(points);
  return { slope, origin: median(points.map(({ at, value }) => value - slope * at)) };
}

/** The median of the slopes between all pairs of points (Theil 1950, Sen 1968). */
export function theilSen(points: readonly { at: number; value: number }[]): number {
  const slopes: number[] = [];
  points.forEach((a, index) => {
    for (const b of points.slice(index + 1))
      if (b.at !== a.at) slopes.push((b.value - a.value) / (b.at - a.at));
  });
  return slopes.length === 0 ? 0 : median(slopes);
}

/** The smallest step between different values that were seen: nothing is told apart more finely. */
function resolutionOf(values: Float64Array): number {
  const sorted = values.slice().sort();
  let finest = Infinity;
  let last = sorted[0]!;
  let different = 1;
  for (const value of sorted) {
    if (value > last) {
      finest = Math.min(finest, value - last);
      different++;
      last = value;
    }
  }
  // Where nearly each value is its own, there are no steps.
  return different > values.length / 2 || finest === Infinity ? 0 : finest;
}
