import { median } from '../statistics/median.js';
import { normalRange, type Regular } from '../series/normal.js';
import { departureOf } from './departure.js';

/** A stretch in which a series left what is normal for it, and stayed away. */
export interface Deviation {
  side: 'above' | 'below';
  /** Seconds since 1970: the first departure, and the end; at the end of the focus it goes on. */
  onset: number;
  /** Seconds by which the onset may lie elsewhere: as far as measurements lie apart. */
  within: number;
  end: number;
  goesOn: boolean;
  /** Median over the stretch, and what is expected there. */
  value: number;
  usual: number;
  /** How far off it was, in robust standard deviations: the median over the stretch. */
  spreads: number;
  /** It was not measured any more; the value is 0 then, and the size says nothing. */
  silent?: true;
  /** It climbs slowly towards a limit, and is there in so many seconds at this pace. */
  limitIn?: number;
  /** Stretches like it in the past; fewer than make a habit. */
  alike?: number;
}

/** How finely values are told: closer than that they can not be told apart. */
export interface HowTold {
  /** Bounds of the buckets, where they are percentiles of a histogram. */
  edges?: readonly number[];
  /** What one event counts for, where they are rates: chance alone spreads them by the root of their number (Poisson). */
  grain?: number;
}

/** Steps outside what is normal that are no blip… */
const SUSTAINED = 3;
/** …and by how many spreads together they have to be off: a few that are hardly outside come by chance. */
const EVIDENCE = 60;
const DAY = 86_400;
/** With less past than a day there is no season: only the time just before the focus, so many times its length, tells what is usual. */
const JUST_BEFORE = 3;
/** Part of a histogram's bucket within which its percentiles are not told apart. */
const IN_BUCKET = 0.25;
/** Steps before those outside in which a departure may have begun. */
const BACK = 10;
/** A departure goes further than so many spreads from the level before: chance alone seldom does… */
const DEPARTED = 2.5;
/** …and than this part of what it came to. */
const PART = 0.2;
/** Steps before the focus that tell whether it was off for long already… */
const LATELY = 30;
/** …and how many times as far it then has to be off. */
const BEYOND = 1.5;
/** Smaller changes, as a part of what is expected, are no news. */
const MATTERS = 0.15;
const YOUNG_MATTERS = 0.5;
/** A stretch like this in the past, so many times, is a habit; none has to be longer than so many steps. */
const HABIT = 3;
const LONG = 30;
const WEEK = 7 * DAY;
/** Spreads are no smaller than this part of what is expected: of a series that hardly moves, every twitch would count. */
const LEAST_SPREAD = 0.02;

/**
 * How a series left what is normal in a focus, told from its past: the longest and furthest stretch of at least
 * three steps outside the range, one step back inside allowed. It begins at the first step from which on the
 * series was off on that side, told to a part of a step by how far it got in it. What happened like this on
 * other days, regularly, or a week before is a habit, and no deviation.
 *
 * @param series the past up to the end of the focus; NaN where nothing was measured
 * @param told how finely the values are told
 */
export function deviationOf(
  { from, step, values }: Regular,
  focus: { from: number; to: number },
  told: HowTold = {},
): Deviation | undefined {
  const first = Math.round((focus.from - from) / step);
  const end = Math.min(values.length, Math.round((focus.to - from) / step));
  if (first <= 0 || end - first < SUSTAINED) return undefined;
  const days = ((first - values.findIndex((value) => !Number.isNaN(value))) * step) / DAY;
  const young = days < 1;
  const since = young ? Math.max(0, first - JUST_BEFORE * (end - first)) : 0;
  const normal = normalRange({ from: from + since * step, step, values: values.slice(since, first) });
  if (!normal) return undefined;
  // What few days tell is itself off by as much as the days differ: it has to be left further.
  const farther = 1 + 1 / Math.max(1, days) ** 2;
  const { edges = [], grain = 0 } = told;
  const finest = (usual: number, value: number): number =>
    Math.max(IN_BUCKET * bucketAt(edges, value), Math.sqrt(grain * Math.max(usual, grain / 4)));
  const expected = (at: number): number => normal.at(from + at * step).expected;
  const known = new Float64Array(end).fill(NaN);
  const offBy = (at: number): number => {
    if (Number.isNaN(known[at]!) && !Number.isNaN(values[at]!)) {
      const { expected: usual, spread } = normal.at(from + at * step);
      const least = Math.max(LEAST_SPREAD * Math.abs(usual), finest(usual, values[at]!), 1e-12);
      known[at] = (values[at]! - usual) / Math.max(spread, least) / farther;
    }
    return known[at]!;
  };
  const start = Math.max(0, first - BACK);
  // Where it was off for long already, only what goes beyond that is of this focus.
  const limitOf = (side: 1 | -1): number => {
    const lately: number[] = [];
    for (let at = Math.max(0, first - LATELY); at < first; at++)
      if (!Number.isNaN(values[at]!)) lately.push(side * offBy(at));
    const off = lately.filter((one) => one > LIMIT).length > lately.length / 2;
    return off ? BEYOND * lately.sort((a, b) => a - b)[Math.floor(0.9 * lately.length)]! : LIMIT;
  };
  let best: { from: number; to: number; side: 1 | -1; weight: number; limit: number } | undefined;
  for (const side of [1, -1] as const) {
    const limit = limitOf(side);
    for (const stretch of stretchesOf(start, end, (at) => side * offBy(at) > limit)) {
      if (stretch.to <= first) continue;
      const weight = stretch.steps.reduce((sum, at) => sum + Math.min(50, Math.abs(offBy(at))), 0);
      if (stretch.steps.length >= SUSTAINED && weight >= EVIDENCE && (!best || weight > best.weight))
        best = { ...stretch, side, weight, limit };
    }
  }
  if (!best) return undefined;
  const { side } = best;
  const own = Array.from({ length: best.to - best.from }, (_, at) => best.from + at).filter(
    (at) => !Number.isNaN(values[at]!),
  );
  const value = median(own.map((at) => values[at]!));
  const usual = median(own.map(expected));
  const spreads = median(own.map((at) => Math.abs(offBy(at))));
  if (Math.abs(value - usual) < (young ? YOUNG_MATTERS : MATTERS) * Math.abs(usual)) return undefined;
  // Has it been like this before? Half as long and half as far is enough.
  const size = Math.floor(Math.min(LONG, Math.max(SUSTAINED, own.length / 2)));
  const before = timesBeyond(spreads / 2, { start, size, offBy: (at) => side * offBy(at) });
  if (before >= HABIT || aWeekAgo(best.from, best.to, spreads)) return undefined;
  // A day of the week of its own, in so little history that normal knows none, shows a week before.
  function aWeekAgo(start: number, end: number, far: number): boolean {
    const ago = Math.round(WEEK / step);
    const then: number[] = [];
    for (let at = start; at < end; at++)
      if (at >= ago && !Number.isNaN(values[at - ago]!)) then.push(side * offBy(at - ago));
    return then.length >= SUSTAINED && median(then) > far / 2;
  }
  // In spreads of one size: those of single times of day, told from few days, are off themselves.
  const unit = Math.abs(value - usual) / spreads || 1;
  const onset = departureOf(
    (at) => (side * (values[at]! - expected(at))) / unit,
    best,
    (level) =>
      Math.max(
        level + DEPARTED,
        level + ((MATTERS / 2) * Math.abs(usual)) / unit,
        PART * spreads,
        // Where it was off already, what it was off by before is not yet it.
        best.limit > LIMIT ? best.limit / BEYOND : 0,
      ),
  );
  return {
    side: side > 0 ? 'above' : 'below',
    onset: from + onset.at * step,
    within: onset.within * step,
    end: from + best.to * step,
    goesOn: best.to >= end - 1,
    value,
    usual,
    spreads,
    alike: before,
  };
}

/** How many times the past was off by more than some spreads for so many measurements, in the middle. */
function timesBeyond(
  spreads: number,
  { start, size, offBy }: { start: number; size: number; offBy: (at: number) => number },
): number {
  // What is measured only now and then has its habits too.
  const known: number[] = [];
  for (let at = 0; at < start; at++) {
    const off = offBy(at);
    if (!Number.isNaN(off)) known.push(off);
  }
  let times = 0;
  let was = false;
  for (let at = 0; at + size <= known.length; at += size) {
    const is = median(known.slice(at, at + size)) > spreads;
    if (is && !was) times++;
    was = is;
  }
  return times;
}

/** Width of the bucket that a value lies in. */
function bucketAt(edges: readonly number[], value: number): number {
  const above = edges.findIndex((edge) => edge >= value);
  return above > 0 ? edges[above]! - edges[above - 1]! : 0;
}

/** Spreads beyond which a step is outside; as of the normal range. */
const LIMIT = 3.5;

/** Stretches of steps outside; a step inside, or without a value, between two outside does not end one. */
function stretchesOf(
  start: number,
  end: number,
  outside: (at: number) => boolean,
): { from: number; to: number; steps: number[] }[] {
  const found: { from: number; to: number; steps: number[] }[] = [];
  for (let at = start; at < end; at++) {
    if (!outside(at)) continue;
    const steps = [at];
    while (steps.at(-1)! + 2 < end + 1) {
      const last = steps.at(-1)!;
      const next =
        last + 1 < end && outside(last + 1) ? last + 1 : last + 2 < end && outside(last + 2) ? last + 2 : 0;
      if (next === 0) break;
      steps.push(next);
    }
    found.push({ from: at, to: steps.at(-1)! + 1, steps });
    at = steps.at(-1)!;
  }
  return found;
}

/** A part of what an average came to, in spreads, that one of its members has to be beyond to be hidden by it. */
const HIDDEN = 3;

/**
 * The member of a group that an average hides: it left its normal range, and the average did not, or by less than
 * a third as many spreads. Of several the furthest.
 */
export function hiddenInAverage<T extends { deviation: Deviation }>(
  members: readonly T[],
  average: Deviation | undefined,
): T | undefined {
  const [furthest] = [...members].sort((a, b) => b.deviation.spreads - a.deviation.spreads);
  if (!furthest) return undefined;
  return furthest.deviation.spreads > HIDDEN * (average?.spreads ?? 0) ? furthest : undefined;
}
