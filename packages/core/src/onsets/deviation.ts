import { median } from '../statistics/median.js';
import { normalRange, type Regular } from '../series/normal.js';

/** A stretch in which a series left what is normal for it, and stayed away. */
export interface Deviation {
  side: 'above' | 'below';
  /** Seconds since 1970: the first departure, and the end; at the end of the focus it goes on. */
  onset: number;
  end: number;
  goesOn: boolean;
  /** Median over the stretch, and what is expected there. */
  value: number;
  usual: number;
  /** How far off it was, in robust standard deviations: the median over the stretch. */
  spreads: number;
}

/** Steps outside what is normal that are no blip. */
const SUSTAINED = 3;
/** Steps before those outside in which a departure may have begun. */
const BACK = 10;
/** A departure has begun where a value is off by so many spreads on the same side… */
const DEPARTED = 1.5;
/** …and by this part of what it came to. */
const PART = 0.1;
/** Steps before the focus that tell whether it was off for long already… */
const LATELY = 30;
/** …and how many times as far it then has to be off. */
const BEYOND = 1.5;
/** Smaller changes, as a part of what is expected, are no news. */
const MATTERS = 0.15;
/** A stretch like this in the past, so many times, is a habit. */
const HABIT = 3;
/** Spreads are no smaller than this part of what is expected: of a series that hardly moves, every twitch would count. */
const LEAST_SPREAD = 0.02;

/**
 * How a series left what is normal in a focus, told from its past: the longest and furthest stretch of at least
 * three steps outside the range, one step back inside allowed. It begins at the first step from which on the
 * series was off on that side. What happened like this on other days or regularly is a habit, and no deviation.
 *
 * @param series the past up to the end of the focus; NaN where nothing was measured
 */
export function deviationOf(
  { from, step, values }: Regular,
  focus: { from: number; to: number },
): Deviation | undefined {
  const first = Math.round((focus.from - from) / step);
  const end = Math.min(values.length, Math.round((focus.to - from) / step));
  if (first <= 0 || end - first < SUSTAINED) return undefined;
  const normal = normalRange({ from, step, values: values.slice(0, first) });
  if (!normal) return undefined;
  const expected = (at: number): number => normal.at(from + at * step).expected;
  const known = new Float64Array(end).fill(NaN);
  const offBy = (at: number): number => {
    if (Number.isNaN(known[at]!) && !Number.isNaN(values[at]!)) {
      const { expected: usual, spread } = normal.at(from + at * step);
      known[at] = (values[at]! - usual) / Math.max(spread, LEAST_SPREAD * Math.abs(usual), 1e-12);
    }
    return known[at]!;
  };
  const start = Math.max(0, first - BACK);
  // Where it was off for long already, only what goes beyond that is of this focus.
  const limited = (side: 1 | -1): ((at: number) => boolean) => {
    const lately: number[] = [];
    for (let at = Math.max(0, first - LATELY); at < first; at++)
      if (!Number.isNaN(values[at]!)) lately.push(side * offBy(at));
    const off = lately.filter((one) => one > LIMIT).length > lately.length / 2;
    const limit = off ? BEYOND * lately.sort((a, b) => a - b)[Math.floor(0.9 * lately.length)]! : LIMIT;
    return (at) => side * offBy(at) > limit;
  };
  let best: { from: number; to: number; side: 1 | -1; weight: number } | undefined;
  for (const side of [1, -1] as const)
    for (const stretch of stretchesOf(start, end, limited(side))) {
      if (stretch.to <= first) continue;
      const weight = stretch.steps.reduce((sum, at) => sum + Math.min(50, Math.abs(offBy(at))), 0);
      if (stretch.steps.length >= SUSTAINED && (!best || weight > best.weight))
        best = { ...stretch, side, weight };
    }
  if (!best) return undefined;
  const { side } = best;
  const own = Array.from({ length: best.to - best.from }, (_, at) => best.from + at).filter(
    (at) => !Number.isNaN(values[at]!),
  );
  const value = median(own.map((at) => values[at]!));
  const usual = median(own.map(expected));
  const spreads = median(own.map((at) => Math.abs(offBy(at))));
  if (Math.abs(value - usual) < MATTERS * Math.abs(usual)) return undefined;
  // Has it been like this before? Half as long and half as far is enough.
  let before = 0;
  const least = Math.max(SUSTAINED, own.length / 2);
  for (const stretch of stretchesOf(0, start, (at) => side * offBy(at) > Math.max(LIMIT, spreads / 2)))
    if (stretch.steps.length >= Math.min(least, 30)) before++;
  if (before >= HABIT) return undefined;
  let onset = best.from;
  const departed = Math.max(DEPARTED, PART * spreads);
  while (onset > Math.max(0, best.from - BACK) && side * offBy(onset - 1) > departed) onset--;
  // An unrest before it that was a small part of what it came to is not yet it.
  while (onset < best.to - SUSTAINED && side * offBy(onset) < departed) onset++;
  return {
    side: side > 0 ? 'above' : 'below',
    onset: from + onset * step,
    end: from + best.to * step,
    goesOn: best.to >= end - 1,
    value,
    usual,
    spreads,
  };
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
