import { normalRange, type Regular } from '../series/normal.js';
import type { Deviation } from './deviation.js';
import { tailOfT } from '../statistics/student.js';

/** How two series moved together: how strongly, how much later the other one, and how likely by chance. */
export interface Together {
  /** Correlation of what each did beyond its season from step to step, from −1 to 1. */
  correlation: number;
  /** Seconds by which the other one comes later; below 0 where it comes first. */
  lag: number;
  /** Chance that series that have nothing to do with each other come as close at any lag looked at. */
  chance: number;
}

/** Steps by which one may come before the other. */
const LAGS = 15;
/** Steps that both have to have for their correlation to be told. */
const LEAST = 30;
/** Further off than this counts as this: one wild step must not make a correlation by itself. */
const CAPPED = 12;

/** What a series did in a window beyond what is normal for it at each step, in robust standard deviations; NaN where nothing is known. */
export function departuresOf(series: Regular, window: { from: number; to: number }): Float64Array {
  const { from, step, values } = series;
  const first = Math.max(0, Math.round((window.from - from) / step));
  const end = Math.min(values.length, Math.round((window.to - from) / step));
  const normal = normalRange({ from, step, values: values.slice(0, first) });
  const off = new Float64Array(Math.max(0, end - first)).fill(NaN);
  if (!normal) return off;
  for (let at = first; at < end; at++) {
    const { expected, spread } = normal.at(from + at * step);
    off[at - first] = (values[at]! - expected) / (spread || Math.abs(expected) * 0.02 || 1);
  }
  return off;
}

/**
 * What departures did from step to step: season and trend are out of them, and they are differenced, so that two
 * series that only rise on the same days do not correlate.
 */
export function movesOf(departures: Float64Array): Float64Array {
  const moves = new Float64Array(Math.max(0, departures.length - 1));
  for (let at = 0; at < moves.length; at++)
    moves[at] = Math.max(-CAPPED, Math.min(CAPPED, departures[at + 1]! - departures[at]!));
  return moves;
}

/** What is known of a series, for comparing it with others. */
export interface Compared {
  departures: Float64Array;
  moves: Float64Array;
  /** How it left its normal range, where it did. */
  deviation: Deviation | undefined;
}

export const comparedOf = (
  series: Regular,
  window: { from: number; to: number },
  deviation: Deviation | undefined,
): Compared => {
  const departures = departuresOf(series, window);
  return { departures, moves: movesOf(departures), deviation };
};

/**
 * How two series moved together: by what they do from step to step, or by both having left their normal range once
 * and closely after one another, whichever is less likely by chance.
 *
 * @param past steps of the past that tell how often the other one leaves its normal range
 */
export function together(one: Compared, other: Compared, step: number, past: number): Together | undefined {
  const steps = togetherAt(one.moves, other.moves, step);
  const once = oneDeparture(one, other, step, past);
  const all = [steps, once].filter((found) => found !== undefined);
  const [best] = all.sort((a, b) => a.chance - b.chance);
  return best && { ...best, chance: Math.min(1, best.chance * all.length) };
}

/** A departure of the other one that so seldom has any lies this near by chance: it may come at any step alike (Poisson). */
function oneDeparture(one: Compared, other: Compared, step: number, past: number): Together | undefined {
  if (!one.deviation || !other.deviation) return undefined;
  const lag = Math.round((other.deviation.onset - one.deviation.onset) / step);
  if (Math.abs(lag) > LAGS) return undefined;
  const found = correlationAt(one.departures, other.departures, lag);
  if (!found) return undefined;
  const often = ((other.deviation.alike ?? 0) + 1) / past;
  return {
    correlation: found.correlation,
    lag: lag * step,
    chance: 1 - Math.exp(-often * (2 * Math.abs(lag) + 1)),
  };
}

/**
 * The lag at which two series of moves correlate most, over at most fifteen steps either way. The chance is that
 * of Student's t for so many independent steps as Bartlett (1946) lets count for series that depend on
 * themselves, times the number of lags looked at. Undefined where too little is known of both.
 */
export function togetherAt(one: Float64Array, other: Float64Array, step: number): Together | undefined {
  let best: { correlation: number; lag: number; steps: number } | undefined;
  let looked = 0;
  for (let lag = -LAGS; lag <= LAGS; lag++) {
    const found = correlationAt(one, other, lag);
    if (!found) continue;
    looked++;
    const closer = best && Math.abs(found.correlation) - Math.abs(best.correlation);
    // Of equals the shorter lag.
    if (closer === undefined || closer > 1e-9 || (closer > -1e-9 && Math.abs(lag) < Math.abs(best!.lag)))
      best = { ...found, lag };
  }
  if (!best) return undefined;
  const { correlation, lag, steps } = best;
  const independent = Math.max(4, steps / alikeness(one, other));
  const t = Math.abs(correlation) * Math.sqrt((independent - 2) / Math.max(1e-12, 1 - correlation ** 2));
  const chance = Math.min(1, looked * 2 * tailOfT(t, independent - 2));
  return { correlation, lag: lag * step, chance };
}

/** By how much two series that depend on themselves tell less than independent steps would. */
function alikeness(one: Float64Array, other: Float64Array): number {
  let sum = 1;
  for (let lag = 1; lag <= LAGS; lag++) {
    const [a, b] = [correlationAt(one, one, lag), correlationAt(other, other, lag)];
    if (a && b) sum += 2 * a.correlation * b.correlation;
  }
  return Math.max(1, sum);
}

/** The correlation of a series with another so many steps later. */
function correlationAt(
  one: Float64Array,
  other: Float64Array,
  lag: number,
): { correlation: number; steps: number } | undefined {
  let [steps, a, b, aa, bb, ab] = [0, 0, 0, 0, 0, 0];
  const first = Math.max(0, -lag);
  const end = Math.min(one.length, other.length - lag);
  for (let at = first; at < end; at++) {
    const [x, y] = [one[at]!, other[at + lag]!];
    if (Number.isNaN(x) || Number.isNaN(y)) continue;
    steps++;
    a += x;
    b += y;
    aa += x * x;
    bb += y * y;
    ab += x * y;
  }
  if (steps < LEAST) return undefined;
  const [va, vb] = [aa - (a * a) / steps, bb - (b * b) / steps];
  if (va < 1e-9 || vb < 1e-9) return undefined;
  return { correlation: (ab - (a * b) / steps) / Math.sqrt(va * vb), steps };
}
