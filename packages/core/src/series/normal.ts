import { median, medianInPlace } from '../statistics/median.js';

/** Numbers at equal steps of time; NaN where nothing was measured. */
export interface Regular {
  /** Start of the first step, seconds since 1970. */
  from: number;
  /** Seconds. */
  step: number;
  values: readonly number[] | Float64Array;
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
  let count = 0;
  for (const value of values) if (!Number.isNaN(value)) known[count++] = value;
  if (count < ENOUGH) return undefined;
  const span = values.length * step;
  const season: Season = span >= WEEKS_FOR_WEEK * WEEK ? 'week' : span >= DAY ? 'day' : 'level';
  const { slope, origin } = levelOf({ from, step, values }, known.subarray(0, count));
  const level = (moment: number): number => origin + slope * moment;
  const finest = resolutionOf(known.subarray(0, count));
  /** What is left of values that were measured, beside the level. */
  let rest = new Float64Array(season === 'level' ? count : 1024);
  let left = 0;
  const leave = (at: number): void => {
    if (Number.isNaN(values[at]!)) return;
    if (left === rest.length) {
      const wider = new Float64Array(2 * left);
      wider.set(rest);
      rest = wider;
    }
    rest[left++] = values[at]! - level(from + at * step);
  };
  const tell = (): { usual: number; spread: number } => {
    const own = rest.subarray(0, left);
    const usual = medianInPlace(own);
    return { usual, spread: firmSpread(own, usual, origin + usual, finest) };
  };
  if (season === 'level') {
    for (let at = 0; at < values.length; at++) leave(at);
    const { usual, spread } = tell();
    return { season, trend: slope * DAY, at: (moment) => rangeOf(level(moment) + usual, spread) };
  }
  const phases = Math.max(1, Math.round((season === 'week' ? WEEK : DAY) / step));
  const reach = Math.max(1, Math.round(NEAR / step));
  const found = new Map<number, { usual: number; spread: number }>();
  /** Puts what was measured at a time of the day or week with the others. */
  const gather = (phase: number): void => {
    for (let at = ((phase % phases) + phases) % phases; at < values.length; at += phases) leave(at);
  };
  const around = (phase: number): { usual: number; spread: number } => {
    let own = found.get(phase);
    if (own) return own;
    left = 0;
    gather(phase);
    for (let away = 1; away <= phases / 2 && (away <= reach || left < ENOUGH); away++) {
      gather(phase + away);
      gather(phase - away);
    }
    own = tell();
    found.set(phase, own);
    return own;
  };
  return {
    season,
    trend: slope * DAY,
    at: (moment) => {
      const at = Math.floor((moment - from) / step);
      const { usual, spread } = around(((at % phases) + phases) % phases);
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

function spreadOf(values: Float64Array, middle: number): number {
  const away = new Float64Array(values);
  for (let at = 0; at < away.length; at++) away[at] = Math.abs(away[at]! - middle);
  return MAD * medianInPlace(away);
}

/**
 * The spread of what is left around the usual. Of small counts, of which half are the same, the median deviation is
 * nothing: theirs is at least what chance makes of counts like these (Poisson: the root of their mean).
 */
function firmSpread(rest: Float64Array, usual: number, level: number, finest: number): number {
  const spread = spreadOf(rest, usual);
  if (finest === 0 || spread > finest) return spread;
  const inner = new Float64Array(rest).sort().subarray(0, Math.ceil(rest.length * 0.95));
  const mean = level + inner.reduce((sum, one) => sum + one - usual, 0) / inner.length;
  return Math.max(spread, finest * Math.sqrt(Math.min(1, Math.max(0.25, mean / finest))));
}

/** Days of history from which a trend is told; of fewer the level is a constant. */
const DAYS_FOR_TREND = 4;

/**
 * Level over time: the line through the medians of the days whose slope is the median of all slopes between them.
 * Moves the known values about.
 */
function levelOf({ from, step, values }: Regular, known: Float64Array): { slope: number; origin: number } {
  const days: { day: number; values: Float64Array }[] = [];
  for (let at = 0, start = 0; at < values.length;) {
    const day = Math.floor((from + at * step) / DAY);
    let next = at;
    let end = start;
    for (; next < values.length && from + next * step < (day + 1) * DAY; next++)
      if (!Number.isNaN(values[next]!)) end++;
    if (end > start) days.push({ day, values: known.subarray(start, end) });
    at = Math.max(next, at + 1);
    start = end;
  }
  const most = Math.max(...days.map((own) => own.values.length));
  // Days that are held in part only tell of some hours.
  const whole = days.filter((own) => own.values.length >= most * 0.75);
  if (whole.length < DAYS_FOR_TREND) return { slope: 0, origin: median(known) };
  const points = whole.map((own) => ({ at: (own.day + 0.5) * DAY, value: medianInPlace(own.values) }));
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

/** Values that are enough to see in which steps they come. */
const STEPS_SEEN_IN = 2000;

/** The smallest step between different values that were seen: nothing is told apart more finely. */
function resolutionOf(values: Float64Array): number {
  const every = Math.ceil(values.length / STEPS_SEEN_IN);
  const sorted = new Float64Array(Math.ceil(values.length / every));
  for (let at = 0; at < sorted.length; at++) sorted[at] = values[at * every]!;
  sorted.sort();
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
  return different > sorted.length / 2 || finest === Infinity ? 0 : finest;
}
